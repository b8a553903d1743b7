#include "crate/clip_files.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

#include "base/at.h"
#include "crate/clip_json.h"
#include "crate/scene_parts.h"
#include "mellow/fit.h"
#include "mellow/motion_table.h"
#include "mellow/pose.h"
#include "mellow/read.h"
#include "prove/played_clip.h"

namespace mellow {
namespace {

/// Where the first sample of the motion stands, in samples from second zero.
int begin_of(const Target& target) { return target.first_frame + (target.rest_first ? 1 : 0); }

void put_first(std::vector<float>& values, std::initializer_list<double> rest) {
    std::vector<float> first;
    for (const double v : rest) first.push_back(static_cast<float>(v));
    values.insert(values.begin(), first.begin(), first.end());
}

/// A sample at rest in front, on the side of the quaternions behind it.
Clip with_rest_first(Clip clip, const Skeleton& skeleton) {
    for (int j = 0; j < skeleton.size(); ++j) {
        JointTrack& track = clip.joints[at(j)];
        const Transform& r = skeleton[j].rest;
        Quat q = r.r;
        const Quat next = local_at(track, 0).r;
        if (q.x * next.x + q.y * next.y + q.z * next.z + q.w * next.w < 0)
            q = {-q.x, -q.y, -q.z, -q.w};
        put_first(track.translation, {r.t.x, r.t.y, r.t.z});
        put_first(track.rotation, {q.x, q.y, q.z, q.w});
        put_first(track.scale, {r.s.x, r.s.y, r.s.z});
    }
    for (MorphTrack& morph : clip.morphs)
        morph.weights.insert(morph.weights.begin(), morph.targets.size(), 0.0F);
    for (ScalarTrack& scalar : clip.scalars)
        scalar.values.insert(scalar.values.begin(), scalar.values.front());
    ++clip.samples;
    return clip;
}

template <class Change>
void for_each_curve(Timeline& timeline, const Change& change) {
    for (Channel& c : timeline.channels) change(c.curve);
    for (MorphCurve& c : timeline.morphs) change(c.curve);
    for (ScalarCurve& c : timeline.scalars) change(c.curve);
}

/// All curves of a timeline begin later by so many samples.
void shift(Timeline& timeline, FrameRate rate, int samples, int by) {
    if (by == 0) return;
    std::vector<double> times;
    for (int k = 0; k < samples; ++k) times.push_back(rate.seconds(k + by));
    const KeyTimes shared(std::move(times));
    for_each_curve(timeline, [&](Curve& curve) { curve.times = shared; });
}

/// The scene of a clip alone, inside.
Scene clip_scene(const Skeleton& skeleton, const Clip& clip, const Target& target) {
    const std::string extras = clip_extras(clip, Conversion({}, target.convention));
    const Clip whole = target.rest_first ? with_rest_first(clip, skeleton) : clip;
    Scene scene = assemble_clip(skeleton, whole, extras);
    shift(scene.timelines[0], whole.rate, whole.samples, target.first_frame);
    return scene;
}

WrittenScene as_written(std::vector<WrittenFile> files, Findings findings = {}) {
    return {std::move(files), std::move(findings)};
}

Finding misses(const std::string& name, std::string found, std::string expected) {
    return unproven(name, std::move(found), std::move(expected));
}

/// Whether a curve is lines between `all` samples on the grid of the target.
bool is_uniform(const Curve& curve, const Target& target, int all) {
    if (curve.interpolation != Interpolation::kLinear ||
        static_cast<int>(curve.times.size()) != all)
        return false;
    for (int k = 0; k < all; ++k) {
        const double wanted = target.rate.seconds(k + target.first_frame);
        if (std::abs(curve.times[at(k)] - wanted) > 1e-6 + single_step(wanted)) return false;
    }
    return true;
}

/// A uniform curve without a sample at rest in front, and with times from zero.
void cut(Curve& curve, const Target& target, const KeyTimes& times) {
    if (begin_of(target) == 0) return;
    curve.times = times;
    if (!target.rest_first) return;
    const std::vector<double> values = curve.values.list();
    curve.values = std::vector<double>(values.begin() + curve.width, values.end());
}

/// The motion of all nodes at each sample, for files whose curves are not one key a sample.
Timeline sampled(const Scene& scene, const Timeline& timeline, const Target& target, int samples) {
    Timeline out;
    out.name = timeline.name;
    std::vector<double> times;
    for (int k = 0; k < samples; ++k) times.push_back(target.rate.seconds(k));
    const KeyTimes shared(std::move(times));
    const auto curve = [&](int width) {
        Curve c{Interpolation::kLinear, width, shared, {}};
        c.values.edit().reserve(at(samples * width));
        return c;
    };
    const int nodes = static_cast<int>(scene.nodes.size());
    for (int n = 0; n < nodes; ++n)
        for (const auto& [path, width] :
             {std::pair(Path::kTranslation, 3), std::pair(Path::kRotation, 4),
              std::pair(Path::kScale, 3)})
            out.channels.push_back({n, path, curve(width)});
    for (int k = 0; k < samples; ++k) {
        const Pose pose = pose_at(scene, timeline, target.rate.seconds(k + begin_of(target)));
        for (int n = 0; n < nodes; ++n) {
            const int up = scene.nodes[at(n)].parent;
            const Affine local = up == kNone ? pose.worlds[at(n)]
                                             : inverse(pose.worlds[at(up)]) * pose.worlds[at(n)];
            const Transform t = decompose(local).transform;
            out.channels[at(3 * n)].curve.values.append({t.t.x, t.t.y, t.t.z});
            out.channels[at(3 * n + 1)].curve.values.append({t.r.x, t.r.y, t.r.z, t.r.w});
            out.channels[at(3 * n + 2)].curve.values.append({t.s.x, t.s.y, t.s.z});
        }
    }
    return out;
}

/// Curves of single weights, as COLLADA has them, at all samples of a clip.
void gather_weights(const Scene& scene, Timeline& timeline, const Target& target, int samples) {
    std::vector<double> times;
    for (int k = 0; k < samples; ++k) times.push_back(target.rate.seconds(k + target.first_frame));
    for (const auto run : member_runs(timeline.members)) {
        const int node = run[0].node;
        if (run[0].element != kNone || morph_count(scene, node) == 0) continue;
        const std::vector<double> rest = rest_weights(scene, node);
        std::vector<double> values;
        for (const double t : times) {
            std::vector<double> now = rest;
            for (const MemberCurve& c : run)
                if (c.element == kNone) sample(c, {&t, 1}, &now.at(at(c.member)));
            values.insert(values.end(), now.begin(), now.end());
        }
        timeline.channels.push_back({node,
                                     Path::kWeights,
                                     {Interpolation::kLinear, static_cast<int>(rest.size()),
                                      KeyTimes(times), std::move(values)}});
    }
    std::erase_if(timeline.members, [](const MemberCurve& c) { return c.element == kNone; });
}

/// Weights of a mesh in the same file, as those of a mesh in another one.
void name_weights(const Scene& scene, Timeline& timeline) {
    for (Channel& c : timeline.channels)
        if (c.path == Path::kWeights) {
            const Node& node = scene.nodes[at(c.node)];
            timeline.morphs.push_back(
                {node.name, scene.meshes[at(node.mesh)].target_names, std::move(c.curve)});
        }
    std::erase_if(timeline.channels, [](const Channel& c) { return c.path == Path::kWeights; });
}

/// What is left of a file with a skin when only its motion counts: meshes stand behind joints.
void drop_meshes(Scene& scene) {
    while (!scene.nodes.empty() && scene.nodes.back().mesh != kNone) {
        std::erase(scene.roots, static_cast<int>(scene.nodes.size()) - 1);
        scene.nodes.pop_back();
    }
    for (Node& node : scene.nodes) node.mesh = node.skin = kNone;
    scene.meshes.clear();
    scene.skins.clear();
}

/// One timeline of a scene that was taken inside.
Result<Scene> one_clip(Scene scene, const std::string& name, const Target& target, int samples) {
    if (scene.timelines.size() != 1)
        return misses(name, fmt::format("{} animations", scene.timelines.size()), "one");
    scene.rate = target.rate;
    snap_keys(scene);
    Timeline& timeline = scene.timelines[0];
    const int all = samples + (target.rest_first ? 1 : 0);
    gather_weights(scene, timeline, target, all);
    name_weights(scene, timeline);
    drop_meshes(scene);
    bool plain = timeline.members.empty(), weights = true;
    for (const Channel& c : timeline.channels) plain = plain && is_uniform(c.curve, target, all);
    for (const MorphCurve& c : timeline.morphs)
        weights = weights && is_uniform(c.curve, target, all);
    for (const ScalarCurve& c : timeline.scalars)
        weights = weights && is_uniform(c.curve, target, all);
    if (!weights)
        return misses(name, "weights or scalars that are not on the grid",
                      fmt::format("{} samples at {}/s", all, to_text(target.rate)));
    if (!plain) {
        const auto [first, last] = key_span(timeline);
        const double wanted = target.rate.seconds(all - 1 + target.first_frame);
        if (std::abs(last - wanted) > 1e-4 + single_step(wanted))
            return misses(name, fmt::format("keys from {} to {} s", first, last),
                          fmt::format("a last key at {} s", wanted));
        Timeline grid = sampled(scene, timeline, target, samples);
        grid.morphs = std::move(timeline.morphs);
        grid.scalars = std::move(timeline.scalars);
        timeline = std::move(grid);
    }
    std::vector<double> times;
    for (int k = 0; k < samples; ++k) times.push_back(target.rate.seconds(k));
    const KeyTimes shared(std::move(times));
    for (Channel& c : timeline.channels)
        if (plain) cut(c.curve, target, shared);
    for (MorphCurve& c : timeline.morphs) cut(c.curve, target, shared);
    for (ScalarCurve& c : timeline.scalars) cut(c.curve, target, shared);
    return scene;
}

/// The joints of a table, hung together and named as those of the skin.
Scene hung_like(Scene table, const Scene& skin) {
    const auto names = nodes_by_name(skin);
    std::map<int, int> by_skin;
    for (std::size_t n = 0; n < table.nodes.size(); ++n)
        if (const auto found = names.find(table.nodes[n].name); found != names.end())
            by_skin[found->second] = static_cast<int>(n);
    table.roots.clear();
    for (std::size_t n = 0; n < table.nodes.size(); ++n) {
        Node& node = table.nodes[n];
        if (const auto found = names.find(node.name); found != names.end())
            if (const auto up = by_skin.find(skin.nodes[at(found->second)].parent);
                up != by_skin.end())
                node.parent = up->second;
        if (node.parent == kNone) table.roots.push_back(static_cast<int>(n));
    }
    return table;
}

/// BVH has no blanks and braces in names.
std::string plain_name(std::string name) {
    for (char& c : name)
        if (c == ' ' || c == '\t' || c == '{' || c == '}') c = '_';
    return name;
}

void name_like(Scene& scene, const Scene& skin) {
    std::map<std::string, std::string> names;
    for (const Node& node : skin.nodes) names.emplace(plain_name(node.name), node.name);
    for (Node& node : scene.nodes)
        if (const auto found = names.find(node.name); found != names.end())
            node.name = found->second;
}

}  // namespace

Result<WrittenScene> encode_scene(Scene scene, const Target& target, FileFormat format,
                                  const std::string& name) {
    Findings dropped;
    if (target.pictures == Pictures::kLeftOut) dropped = drop_textures(scene);
    convert(scene, target.convention);
    const auto slash = name.rfind('/');
    const std::string stem = slash == name.npos ? name : name.substr(slash + 1);
    WrittenScene out;
    if (format == FileFormat::kGlb) {
        out = target.pictures == Pictures::kBeside && !scene.images.empty()
                  ? as_written(write_gltf(scene, stem, {true, true}))
                  : as_written({{stem + ".glb", write_glb(scene)}});
    } else if (format == FileFormat::kGltf) {
        out = as_written(write_gltf(scene, stem));
    } else {
        MELLOW_TRY(out, write_collada(scene, stem));
    }
    for (WrittenFile& file : out.files)
        file.name = name.substr(0, name.size() - stem.size()) + file.name;
    append(out.findings, std::move(dropped));
    return out;
}

Result<WrittenScene> encode_clip(const Skeleton& skeleton, const Clip& clip, const Target& target,
                                 const std::string& name) {
    if (traits(target.clip_format).meshes)
        return encode_scene(clip_scene(skeleton, clip, target), target, target.clip_format, name);
    const Clip whole = target.rest_first ? with_rest_first(clip, skeleton) : clip;
    const Conversion out({}, target.convention);
    std::string text;
    Findings findings;
    if (target.clip_format == FileFormat::kBvh) {
        MELLOW_TRY(BvhText bvh, write_bvh(skeleton, whole, out));
        text = std::move(bvh.text);
        findings = std::move(bvh.findings);
    } else {
        text = write_motion_table(skeleton, whole, out, target.first_frame);
    }
    return as_written({{fmt::format("{}.{}", name, mellow::name(target.clip_format)),
                        {text.begin(), text.end()}}},
                      std::move(findings));
}

Scene with_clips(const Scene& skin, const Skeleton& skeleton, const std::vector<Clip>& clips,
                 const Target& target) {
    Scene out = skin;
    out.rate = target.rate;
    out.rate_known = true;
    out.timelines.clear();
    for (const Clip& clip : clips) {
        Scene motion = clip_scene(skeleton, clip, target);
        Timeline& timeline = motion.timelines[0];
        for (Channel& c : timeline.channels) c.node = find_node(out, motion.nodes[at(c.node)].name);
        for (MorphCurve& morph : timeline.morphs) {
            const int node = find_node(out, morph.mesh);
            if (node != kNone && morph_count(out, node) == morph.curve.width)
                timeline.channels.push_back({node, Path::kWeights, std::move(morph.curve)});
        }
        std::erase_if(timeline.morphs, [](const MorphCurve& m) { return m.curve.times.empty(); });
        out.timelines.push_back(std::move(timeline));
    }
    return out;
}

Result<Scene> decode_scene(CheckedFile file, const Target& target) {
    if (!file.reads) return file.trouble;
    Scene& scene = file.scene;
    scene.convention = scene.stack_convention = target.convention;
    to_inside(scene);
    scene.rate = target.rate;
    return std::move(scene);
}

Result<Scene> decode_scene(StoredFile file, const Target& target) {
    const std::string name = file.name;
    return decode_scene(read_checked(std::move(file), name), target);
}

namespace {

/// A BVH file counts frames from its own first; a COLLADA clip is read from its start.
Target as_read(Target target, FileFormat format) {
    if (!traits(format).key_times) target.first_frame = 0;
    return target;
}

}  // namespace

Result<Scene> decode_clip(CheckedFile file, const Target& target, const Scene& skin,
                          const std::string& clip, int samples) {
    const FileFormat format = file.format;
    MELLOW_TRY(Scene scene, decode_scene(std::move(file), target));
    if (!traits(format).parents) scene = hung_like(std::move(scene), skin);
    if (!traits(format).free_names) name_like(scene, skin);
    return scene.timelines.size() == 1
               ? one_clip(std::move(scene), clip, as_read(target, format), samples)
               : clip_of(scene, format, target, clip, samples);
}

Result<Scene> decode_clip(StoredFile file, const Target& target, const Scene& skin,
                          const std::string& clip, int samples) {
    const std::string name = file.name;
    return decode_clip(read_checked(std::move(file), name), target, skin, clip, samples);
}

Result<Scene> clip_of(const Scene& file, FileFormat format, const Target& target,
                      const std::string& clip, int samples) {
    Scene one;
    one.convention = file.convention;
    one.stack_convention = file.stack_convention;
    one.nodes = file.nodes;
    one.roots = file.roots;
    for (const Mesh& mesh : file.meshes)
        one.meshes.push_back({mesh.name, {}, mesh.target_names, {}, {}, {}});
    for (const Timeline& timeline : file.timelines)
        if (timeline.name == clip) one.timelines.push_back(timeline);
    return one_clip(std::move(one), clip, as_read(target, format), samples);
}

}  // namespace mellow
