#include "mellow/stock.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/at.h"
#include "base/text.h"

namespace mellow {
namespace {

constexpr std::int64_t kShortStill = 3;

std::vector<NodeClass> classify(const Scene& scene) {
    const std::size_t count = scene.nodes.size();
    std::vector<bool> joint(count), weighted(count), keyed(count);
    for (const Node& node : scene.nodes) {
        if (node.skin == kNone) continue;
        const Skin& skin = scene.skins[at(node.skin)];
        for (const int j : skin.joints) joint[at(j)] = true;
        if (node.mesh == kNone) continue;
        for (const Primitive& p : scene.meshes[at(node.mesh)].primitives)
            for (std::size_t i = 0; i < p.influence_joints.size(); ++i)
                if (p.influence_weights[i] > 0)
                    weighted[at(skin.joints[p.influence_joints[i]])] = true;
    }
    for (const Skin& skin : scene.skins)
        for (const int j : skin.joints) joint[at(j)] = true;
    for (const Timeline& timeline : scene.timelines)
        for (const Channel& channel : timeline.channels) keyed[at(channel.node)] = true;
    for (const Timeline& timeline : scene.timelines)
        for (const MemberCurve& member : timeline.members) keyed[at(member.node)] = true;
    // Without skins and meshes every bare node becomes a joint (see JointChoice).
    const bool bare =
        scene.skins.empty() && std::none_of(scene.nodes.begin(), scene.nodes.end(),
                                            [](const Node& n) { return n.mesh != kNone; });
    for (std::size_t n = 0; bare && n < count; ++n) {
        const Node& node = scene.nodes[n];
        weighted[n] = node.mesh == kNone && node.camera == kNone && !node.end_site;
    }
    const auto children = children_of(scene);
    std::vector<NodeClass> classes;
    for (std::size_t n = 0; n < count; ++n) {
        const bool joint_below = std::any_of(children[n].begin(), children[n].end(),
                                             [&](int c) { return joint[at(c)]; });
        const Node& node = scene.nodes[n];
        classes.push_back(weighted[n]     ? NodeClass::kDeform
                          : node.end_site ? NodeClass::kTip
                          : joint[n]      ? (joint_below ? NodeClass::kUnweighted : NodeClass::kTip)
                          : node.mesh != kNone   ? NodeClass::kMesh
                          : node.camera != kNone ? NodeClass::kCamera
                          : keyed[n]             ? NodeClass::kControl
                                                 : NodeClass::kHelper);
    }
    return classes;
}

/// True at f when something changes between frame f and f + 1.
std::vector<bool> changes(const Scene& scene, const Timeline& timeline, std::int64_t first,
                          std::int64_t last) {
    const std::size_t frames = static_cast<std::size_t>(last - first);
    std::vector<bool> changed(frames, false);
    std::vector<double> seconds, values;
    for (std::int64_t f = first; f <= last; ++f) seconds.push_back(scene.rate.seconds(f));
    const auto compare = [&](std::size_t width) {
        double size = 1e-3;
        for (const double v : values) size = std::max(size, std::abs(v));
        for (std::size_t f = 0; f < frames; ++f)
            for (std::size_t i = 0; i < width; ++i)
                if (std::abs(values[(f + 1) * width + i] - values[f * width + i]) > 1e-6 * size)
                    changed[f] = true;
    };
    const auto scan = [&](const Curve& curve, bool rotation) {
        values.resize(seconds.size() * at(curve.width));
        sample(curve, rotation, seconds, values.data());
        compare(at(curve.width));
    };
    for (const MemberCurve& member : timeline.members) {
        values.resize(seconds.size() * at(member.width));
        sample(member, seconds, values.data());
        compare(at(member.width));
    }
    for (const Channel& channel : timeline.channels)
        scan(channel.curve, channel.path == Path::kRotation);
    for (const MorphCurve& morph : timeline.morphs) scan(morph.curve, false);
    return changed;
}

std::vector<MovingSpan> moving_spans(const std::vector<bool>& changed, std::int64_t first) {
    std::vector<MovingSpan> spans;
    for (std::size_t f = 0; f < changed.size(); ++f) {
        if (!changed[f]) continue;
        const std::int64_t frame = first + static_cast<std::int64_t>(f);
        if (!spans.empty() && frame - spans.back().last < kShortStill)
            spans.back().last = frame + 1;
        else
            spans.push_back({frame, frame + 1});
    }
    return spans;
}

TimelineStock stock_timeline(const Scene& scene, const Timeline& timeline,
                             const std::vector<NodeClass>& classes) {
    TimelineStock out;
    out.name = timeline.name;
    const auto span = key_span(timeline);
    out.first_second = span[0], out.last_second = span[1];
    const double k = scene.rate.per_second();
    out.first_frame = static_cast<std::int64_t>(std::floor(span[0] * k + 1e-3));
    out.last_frame = static_cast<std::int64_t>(std::ceil(span[1] * k - 1e-3));
    std::vector<bool> nodes(scene.nodes.size(), false);
    out.channels = static_cast<int>(timeline.channels.size() + timeline.members.size() +
                                    timeline.morphs.size());
    for (const MemberCurve& member : timeline.members) {
        out.keys += static_cast<int>(member.times.size());
        nodes[at(member.node)] = true;
        out.animated_morphs += member.element == kNone ? 1 : 0;
    }
    for (const Channel& channel : timeline.channels) {
        out.keys += static_cast<int>(channel.curve.times.size());
        nodes[at(channel.node)] = true;
        out.animated_morphs += channel.path == Path::kWeights ? channel.curve.width : 0;
    }
    for (const MorphCurve& morph : timeline.morphs) out.animated_morphs += morph.curve.width;
    for (std::size_t n = 0; n < nodes.size(); ++n) {
        out.animated_nodes += nodes[n] ? 1 : 0;
        const bool joint = classes[n] == NodeClass::kDeform ||
                           classes[n] == NodeClass::kUnweighted || classes[n] == NodeClass::kTip;
        out.animated_joints += nodes[n] && joint ? 1 : 0;
    }
    // Every curve is looked at on every frame: not where that would take seconds.
    constexpr std::int64_t kMostLooks = 50'000'000;
    if (out.last_frame > out.first_frame &&
        out.last_frame - out.first_frame < kMostLooks / std::max(1, out.channels))
        out.moving = moving_spans(changes(scene, timeline, out.first_frame, out.last_frame),
                                  out.first_frame);
    std::erase_if(out.moving, [&](const MovingSpan& s) {
        const bool cut =
            s.last - s.first == 1 && s.first > out.first_frame && s.last < out.last_frame;
        if (cut) out.cuts.push_back(s.first);
        return cut;
    });
    return out;
}

std::string shared_prefix(const Scene& scene) {
    std::string prefix;
    for (const Node& node : scene.nodes) {
        const auto colon = node.name.find(':');
        if (colon == std::string::npos) return "";
        const std::string own = node.name.substr(0, colon + 1);
        if (prefix.empty()) prefix = own;
        if (prefix != own) return "";
    }
    return prefix;
}

void measure(const Scene& scene, Stock& stock) {
    const Pose rest = rest_pose(scene);
    stock.bounds = mesh_bounds(scene, rest);
    if (!stock.bounds.any) {
        std::vector<int> all;
        for (std::size_t n = 0; n < scene.nodes.size(); ++n) all.push_back(static_cast<int>(n));
        stock.bounds = node_bounds(all, rest);
    }
    const Vec3 size = stock.bounds.high - stock.bounds.low;
    const double m = scene.convention.metres_per_unit;
    stock.height_m = std::abs(dot(size, direction(scene.convention.up))) * m;
    stock.longest_axis = size.x >= size.y && size.x >= size.z ? Axis::kPlusX
                         : size.y >= size.z                   ? Axis::kPlusY
                                                              : Axis::kPlusZ;
    stock.longest_m = std::max({size.x, size.y, size.z}) * m;
}

class Judge {
  public:
    Judge(const Scene& scene, Stock& stock) : scene_(scene), stock_(stock) {}

    void run() {
        size_and_axis();
        scaled_nodes();
        skins();
        names();
        for (const TimelineStock& t : stock_.timelines) timeline(t);
        if (!stock_.rate_known && !scene_.timelines.empty())
            add(Code::kAssumed, Severity::kWarning, "keys",
                "keys that lie on the frames of no usual rate",
                fmt::format("{} frames per second was assumed", to_text(stock_.rate)),
                "rate = 24   # under [source], or --rate 24");
    }

  private:
    void add(Code code, Severity severity, std::string where, std::string found,
             std::string expected, std::string remedy) {
        stock_.findings.push_back({code, severity, std::move(where), std::move(found),
                                   std::move(expected), std::move(remedy)});
    }

    int count(NodeClass c) const {
        return static_cast<int>(std::count(stock_.classes.begin(), stock_.classes.end(), c));
    }

    bool is_joint(std::size_t n) const {
        const NodeClass c = stock_.classes[n];
        return c == NodeClass::kDeform || c == NodeClass::kUnweighted || c == NodeClass::kTip;
    }

    /// Nodes that are no joints and have joints below them.
    std::vector<bool> above_joints() const {
        std::vector<bool> above(scene_.nodes.size(), false);
        for (std::size_t n = 0; n < above.size(); ++n)
            for (int up = is_joint(n) ? scene_.nodes[n].parent : kNone; up != kNone;
                 up = scene_.nodes[at(up)].parent)
                if (!is_joint(at(up))) above[at(up)] = true;
        return above;
    }

    void size_and_axis() {
        const bool figure = count(NodeClass::kDeform) > 0 || !stock_.timelines.empty();
        if (!figure || !stock_.bounds.any) return;
        if (stock_.longest_m > 20 || stock_.longest_m < 0.1) size_suspect();
        const int up = static_cast<int>(scene_.convention.up) / 2,
                  longest = static_cast<int>(stock_.longest_axis) / 2;
        if (up != longest && stock_.height_m < 0.6 * stock_.longest_m)
            add(Code::kAxisSuspect, Severity::kWarning, "axes",
                fmt::format("{:.4g} m along {} but {:.4g} m along up ({})", stock_.longest_m,
                            name(stock_.longest_axis).substr(1), stock_.height_m,
                            name(scene_.convention.up)),
                "a standing figure is longest along up; this one lies",
                fmt::format("up = \"{}\"   # under [source], with front; or --up and --front",
                            name(stock_.longest_axis)));
    }

    /// Suggests the named unit that makes a figure of it, else the number that makes it 1.7 m.
    void size_suspect() {
        const double units = stock_.longest_m / scene_.convention.metres_per_unit;
        std::string unit =
            fmt::format("{:.4g}   # if it is 1.7 m tall; under [source], or --unit", 1.7 / units);
        for (const char* named : {"foot", "inch", "millimetre", "centimetre", "metre"})
            if (const double size = units * parse_unit(named).value_or(1); size >= 1 && size <= 2.5)
                unit = fmt::format("\"{}\"   # under [source], or --unit; makes it {:.4g} m", named,
                                   size);
        add(Code::kSizeSuspect, Severity::kWarning, "size",
            fmt::format("{:.4g} m at its longest", stock_.longest_m),
            "a person is 1 to 2.5 m; the unit of the file is probably not what it says",
            "unit = " + unit);
    }

    void scaled_nodes() {
        const std::vector<bool> above = above_joints();
        std::vector<std::string> flat;
        for (std::size_t n = 0; n < scene_.nodes.size(); ++n) {
            const Node& node = scene_.nodes[n];
            const Vec3 s = node.local.s;
            if (s.x == 0 || s.y == 0 || s.z == 0)
                flat.push_back(node.name);
            else if (above[n] && length(s - Vec3{1, 1, 1}) > 1e-4)
                add(Code::kScaledNode, Severity::kWarning, "node \"" + node.name + "\"",
                    fmt::format("scale [{:.6g}, {:.6g}, {:.6g}] above the joints", s.x, s.y, s.z),
                    "scale 1 above a skeleton", "nothing; packing makes it part of the data");
        }
        if (!flat.empty())
            add(Code::kZeroScale, Severity::kNote, "rest pose",
                fmt::format("a scale of zero at rest: {}", name_list(flat)),
                "a rest pose that can be inverted", "nothing; packing lets them rest at full size");
    }

    void skins() {
        std::vector<bool> shown(scene_.nodes.size(), false);
        const std::vector<int> order = parents_first(scene_);
        for (const int root : scene_.roots) shown[at(root)] = true;
        for (const int n : order)
            if (const int p = scene_.nodes[at(n)].parent; p != kNone && shown[at(p)])
                shown[at(n)] = true;
        std::vector<std::string> missing;
        for (const Skin& skin : scene_.skins)
            for (const int j : skin.joints)
                if (!shown[at(j)]) missing.push_back(scene_.nodes[at(j)].name);
        if (!missing.empty())
            add(Code::kMissingJoint, Severity::kWarning, "skin",
                fmt::format("joints outside the scene: {}", name_list(missing)),
                "all joints of a skin below the scene's roots",
                "put them under the skeleton in the source");
        int loose = 0;
        for (const Node& node : scene_.nodes)
            loose += node.mesh != kNone && node.skin == kNone ? 1 : 0;
        if (loose > 0 && !scene_.skins.empty())
            add(Code::kLeftOut, Severity::kWarning, "meshes",
                fmt::format("{} meshes without skin", loose), "meshes bound to joints",
                "they will be left out; give each full weight on one joint in the source");
        if (const int bare = count(NodeClass::kUnweighted); bare > 0)
            add(Code::kUnweighted, Severity::kNote, "skin",
                fmt::format("{} joints without weight inside chains", bare), "", "");
    }

    void names() {
        if (!stock_.common_prefix.empty())
            add(Code::kPrefix, Severity::kNote, "names",
                fmt::format("{} names begin with \"{}\"", scene_.nodes.size(),
                            stock_.common_prefix),
                "bare names",
                fmt::format("strip_prefix = \"{}\"   # under [source]", stock_.common_prefix));
        for (const Timeline& t : scene_.timelines)
            if (t.name.empty() || t.name.starts_with("animation_") || t.name.starts_with("Take ") ||
                t.name == "Animation")
                add(Code::kDefaultName, Severity::kNote, "timelines",
                    t.name.empty() ? "a timeline without a name"
                                   : fmt::format("a timeline named \"{}\"", t.name),
                    "a telling name", "name the clips in the recipe");
    }

    void timeline(const TimelineStock& t) {
        const std::string where = fmt::format("timeline \"{}\"", t.name);
        const int joints = count(NodeClass::kDeform);
        if (joints > 0 && t.animated_joints == 0 && t.animated_nodes > 0)
            add(Code::kUnbaked, Severity::kWarning, where,
                fmt::format("0 of {} deform joints have keys; {} other nodes have", joints,
                            t.animated_nodes),
                "motion on the joints; in an engine this stands still",
                "rig = \"....rig.toml\"   # under [source]: a rig sheet, so that packing can bake "
                "it");
        if (t.moving.empty()) {
            add(Code::kNoMotion, Severity::kWarning, where, "nothing moves", "at least one change",
                "check the file");
        } else if (const std::int64_t still = t.last_frame - t.moving.back().last;
                   still >= 2 * kShortStill) {
            add(Code::kStillTail, Severity::kWarning, where,
                fmt::format("the last change is at frame {}, the last key at {}",
                            t.moving.back().last, t.last_frame),
                "ranges that end where the motion ends",
                fmt::format("end the last range at {}", t.moving.back().last));
        }
    }

    const Scene& scene_;
    Stock& stock_;
};

}  // namespace

std::string_view name(NodeClass node_class) {
    constexpr std::string_view kNames[] = {"deform", "unweighted", "tip",   "control",
                                           "helper", "mesh",       "camera"};
    return kNames[static_cast<std::size_t>(node_class)];
}

Stock take_stock(const Scene& scene) {
    Stock stock;
    stock.convention = scene.convention;
    stock.rate = scene.rate;
    stock.rate_known = scene.rate_known;
    stock.classes = classify(scene);
    stock.skins = static_cast<int>(scene.skins.size());
    stock.meshes = static_cast<int>(scene.meshes.size());
    stock.materials = static_cast<int>(scene.materials.size());
    stock.images = static_cast<int>(scene.images.size());
    for (const Mesh& mesh : scene.meshes) {
        stock.morph_targets += static_cast<int>(mesh.target_names.size());
        for (const Primitive& p : mesh.primitives) {
            stock.vertices += static_cast<int>(p.positions.size());
            if (p.mode == 4)
                stock.triangles += static_cast<int>(
                    (p.indices.empty() ? p.positions.size() : p.indices.size()) / 3);
            const std::size_t per = at(p.influences_per_vertex);
            for (std::size_t v = 0; per > 0 && v < p.positions.size(); ++v) {
                int used = 0;
                for (std::size_t i = v * per; i < (v + 1) * per; ++i)
                    used += p.influence_weights[i] > 0 ? 1 : 0;
                stock.most_influences = std::max(stock.most_influences, used);
            }
        }
    }
    stock.common_prefix = shared_prefix(scene);
    measure(scene, stock);
    for (const Timeline& timeline : scene.timelines)
        stock.timelines.push_back(stock_timeline(scene, timeline, stock.classes));
    Judge(scene, stock).run();
    return stock;
}

std::string tree_text(const Scene& scene, const Stock& stock) {
    std::vector<int> depth(scene.nodes.size(), 0);
    std::string text;
    for (const int n : parents_first(scene)) {
        const Node& node = scene.nodes[at(n)];
        if (node.parent != kNone) depth[at(n)] = depth[at(node.parent)] + 1;
        text += fmt::format("{:2} {:{}}{}  [{}]\n", depth[at(n)], "", 2 * depth[at(n)], node.name,
                            name(stock.classes[at(n)]));
    }
    return text;
}

}  // namespace mellow
