#include "mellow/stock.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <tuple>

#include "base/at.h"
#include "base/text.h"
#include "prove/judge.h"

namespace mellow {
namespace {

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

/// The same from one key to the next, where there are too many frames to look at each: coarser,
/// since a curve moves all the way between two keys that differ.
std::vector<MovingSpan> moving_by_keys(const Scene& scene, const Timeline& timeline) {
    const double k = scene.rate.per_second();
    std::vector<MovingSpan> spans;
    const auto add = [&](double from, double to) {
        spans.push_back({static_cast<std::int64_t>(std::floor(from * k + 1e-3)),
                         static_cast<std::int64_t>(std::ceil(to * k - 1e-3))});
    };
    const auto scan = [&](const Curve& curve) {
        const std::size_t stride =
            curve.values.size() / std::max<std::size_t>(1, curve.times.size());
        for (std::size_t key = 0; key + 1 < curve.times.size(); ++key)
            for (std::size_t i = 0; i < stride; ++i)
                if (curve.values[key * stride + i] != curve.values[(key + 1) * stride + i]) {
                    add(curve.times[key], curve.times[key + 1]);
                    break;
                }
    };
    for (const Channel& channel : timeline.channels) scan(channel.curve);
    for (const MorphCurve& morph : timeline.morphs) scan(morph.curve);
    for (const MemberCurve& member : timeline.members) {
        const std::size_t width = at(member.width);
        for (std::size_t key = 0; key + 1 < member.times.size(); ++key)
            if (!std::equal(&member.values[key * width], &member.values[key * width] + width,
                            &member.values[(key + 1) * width]))
                add(member.times[key], member.times[key + 1]);
    }
    std::sort(spans.begin(), spans.end(),
              [](const MovingSpan& a, const MovingSpan& b) { return a.first < b.first; });
    std::vector<MovingSpan> joined;
    for (const MovingSpan& span : spans)
        if (!joined.empty() && span.first - joined.back().last < kShortStill)
            joined.back().last = std::max(joined.back().last, span.last);
        else
            joined.push_back(span);
    return joined;
}

/// What most names begin with, up to a colon, where some do not: {the prefix, how many have it}.
std::pair<std::string, int> frequent_prefix(const Scene& scene) {
    std::map<std::string, int> all;
    for (const Node& node : scene.nodes)
        if (const auto colon = node.name.find(':'); colon != std::string::npos)
            ++all[node.name.substr(0, colon + 1)];
    const auto most = std::max_element(
        all.begin(), all.end(), [](const auto& a, const auto& b) { return a.second < b.second; });
    if (most == all.end() || most->second < 5 ||
        2 * most->second < static_cast<int>(scene.nodes.size()))
        return {};
    return *most;
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

TimelineStock stock_timeline(const Scene& scene, const Timeline& timeline,
                             const std::vector<NodeClass>& classes) {
    TimelineStock out;
    out.name = timeline.name;
    const std::string prefix = shared_prefix(scene);
    out.telling = tells_something(
        out.name.starts_with(prefix) ? std::string_view(out.name).substr(prefix.size()) : out.name);
    const auto span = key_span(timeline);
    out.first_second = span[0], out.last_second = span[1];
    const FrameSpan enclosing = frames_of(timeline, scene.rate);
    out.first_frame = enclosing.first, out.last_frame = enclosing.last;
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
    // Keys above a joint, or above a mesh without skin, move it as well; cameras are seen, and
    // weights are for the mesh that has them.
    std::vector<bool> placed(nodes.size(), false), seen = placed;
    for (const MemberCurve& member : timeline.members)
        if (member.element != kNone) placed[at(member.node)] = true;
    for (const Channel& channel : timeline.channels)
        if (channel.path != Path::kWeights) placed[at(channel.node)] = true;
    bool any = false, moved = false;
    for (std::size_t n = 0; n < nodes.size(); ++n) {
        const bool joint = classes[n] == NodeClass::kDeform;
        const Node& node = scene.nodes[n];
        const bool shown = joint || (node.mesh != kNone && node.skin == kNone);
        any = any || joint;
        if (!shown && node.camera == kNone) continue;
        for (int up = static_cast<int>(n); up != kNone; up = scene.nodes[at(up)].parent) {
            moved = moved || (shown && placed[at(up)]);
            seen[at(up)] = true;
        }
    }
    bool controls = false;
    for (std::size_t n = 0; n < nodes.size(); ++n) controls = controls || (placed[n] && !seen[n]);
    out.controls_alone = any && !moved && out.animated_joints == 0 && controls;
    // Every curve is looked at on every frame, or, where that would take long, from key to key.
    constexpr std::int64_t kMostLooks = 20'000'000, kMostFrames = 1'000'000;
    const std::int64_t frames = out.last_frame - out.first_frame;
    if (frames > 0 && frames < std::min(kMostFrames, kMostLooks / std::max(1, out.channels)))
        out.moving = moving_spans(changes(scene, timeline, out.first_frame, out.last_frame),
                                  out.first_frame);
    else if (frames > 0)
        out.moving = moving_by_keys(scene, timeline);
    std::erase_if(out.moving, [&](const MovingSpan& s) {
        const bool cut =
            s.last - s.first == 1 && s.first > out.first_frame && s.last < out.last_frame;
        if (cut) out.cuts.push_back(s.first);
        return cut;
    });
    return out;
}

void measure(const Scene& scene, Stock& stock) {
    stock.bounds = rest_bounds(scene);
    const Vec3 size = stock.bounds.high - stock.bounds.low;
    const double m = scene.convention.metres_per_unit;
    stock.height_m = std::abs(dot(size, direction(scene.convention.up))) * m;
    stock.longest_axis = size.x >= size.y && size.x >= size.z ? Axis::kPlusX
                         : size.y >= size.z                   ? Axis::kPlusY
                                                              : Axis::kPlusZ;
    stock.longest_m = std::max({size.x, size.y, size.z}) * m;
}

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
            if (p.topology == Topology::kTriangles)
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
    if (stock.common_prefix.empty())
        std::tie(stock.frequent_prefix, stock.with_prefix) = frequent_prefix(scene);
    measure(scene, stock);
    for (const Timeline& timeline : scene.timelines)
        stock.timelines.push_back(stock_timeline(scene, timeline, stock.classes));
    stock.findings = judge(scene, stock);
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
