// Small rigs for tests: nodes, keys and sheets in a line each.
#pragma once

#include <array>
#include <numbers>
#include <string>
#include <vector>

#include "mellow/rig.h"
#include "support.h"

namespace mellow::test {

inline int add_node(Scene& scene, const std::string& name, int parent, Transform local) {
    Node node;
    node.name = name;
    node.parent = parent;
    node.local = local;
    if (parent == kNone) scene.roots.push_back(static_cast<int>(scene.nodes.size()));
    scene.nodes.push_back(node);
    return static_cast<int>(scene.nodes.size()) - 1;
}

inline RigSheet sheet(const std::string& rules) {
    auto parsed = parse_rig_sheet(rules, "test.rig.toml");
    EXPECT_THAT(parsed, IsOk());
    return parsed ? std::move(parsed).value() : RigSheet{};
}

/// Worlds and scalars at some times of a performance.
inline PoseTile evaluate(const Scene& scene, const RigSheet& rules, const Performance& performance,
                         const std::vector<double>& seconds) {
    auto rig = Rig::bind(scene, performance, rules);
    EXPECT_THAT(rig, IsOk());
    PoseTile tile = rig.value().source().make_tile();
    rig.value().evaluate(seconds, tile);
    return tile;
}
/// The same of the only timeline, if there is one.
inline PoseTile evaluate(const Scene& scene, const RigSheet& rules, double seconds = 0) {
    Performance performance;
    performance.timeline = scene.timelines.empty() ? kNone : 0;
    return evaluate(scene, rules, performance, {seconds});
}

inline constexpr Vec3 kX{1, 0, 0}, kY{0, 1, 0}, kZ{0, 0, 1};

inline Quat turn(Vec3 axis, double degrees) {
    return from_axis_angle(axis, degrees * std::numbers::pi / 180);
}
/// Degrees between two turns.
inline double angle(Quat a, Quat b) { return angle_between(a, b) * 180 / std::numbers::pi; }

/// Keys a channel in a straight line from second 0 to `end`.
inline void key(Scene& scene, int node, Path path, const std::vector<double>& from,
                const std::vector<double>& to, double end = 1) {
    if (scene.timelines.empty()) scene.timelines.emplace_back();
    Curve curve{Interpolation::kLinear, static_cast<int>(from.size()), {0, end}, from};
    curve.values.append(to.begin(), to.end());
    scene.timelines[0].channels.push_back({node, path, curve});
}
inline void key_turn(Scene& scene, int node, Quat from, Quat to, double end = 1) {
    key(scene, node, Path::kRotation, {from.x, from.y, from.z, from.w}, {to.x, to.y, to.z, to.w},
        end);
}

}  // namespace mellow::test
