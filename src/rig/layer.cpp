// Layers: offsets, poses and shaking over what keys and rules say. Equations are in docs/recipe.md.
#include <fmt/format.h>

#include <algorithm>

#include "math/degrees.h"
#include "model/lanes.h"
#include "rig/noise.h"
#include "rig/rules.h"

namespace mellow {
namespace {

using Kind = Layer::Kind;

double radians(double degrees) { return degrees * kRadians; }

double weight_of(const BoundLayer& bound, double seconds) {
    const Layer& layer = bound.layer;
    return layer.weight.points.empty() ? layer.constant_weight
                                       : value_at(layer.weight, seconds * bound.frames_per_second);
}

/// What a layer does to one local pose, without regard to space.
struct Change {
    Vec3 shift;
    Quat turn;
};

Change change_at(const BoundLayer& bound, double seconds, double weight) {
    const Layer& layer = bound.layer;
    if (layer.kind == Kind::kOffset)
        return {weight * layer.shift, from_axis_angle(layer.axis, weight * radians(layer.degrees))};
    const auto noise = [&](std::size_t axis) {
        return weight * smooth_noise(seconds * layer.frequency, layer.seeds[axis]);
    };
    const Vec3 n{noise(0), noise(1), noise(2)};
    const Vec3 turn = n * layer.shake_degrees;
    // One turn about one axis: small angles about X, Y and Z together.
    return {n * layer.shake_way,
            from_axis_angle(normalized(turn, {1, 0, 0}), radians(length(turn)))};
}

}  // namespace

void convert(Layer& layer, const Conversion& c) {
    layer.axis = c.turning_axis(layer.axis);
    layer.shift = c.point(layer.shift);
    // Shaking has a size along each axis, and its seed goes with it.
    const Vec3 moved = c.vector({1, 2, 3});
    const auto old = layer.seeds;
    const double to[3] = {moved.x, moved.y, moved.z};
    for (std::size_t i = 0; i < 3; ++i)
        layer.seeds[i] = old[static_cast<std::size_t>(std::lround(std::abs(to[i]))) - 1];
    layer.shake_degrees = c.turning_axis(layer.shake_degrees);
    layer.shake_way = c.point(layer.shake_way);
}

Result<BoundLayer> bind(const Layer& layer, int index, const std::string& prefix, Binder& binder,
                        Findings& findings) {
    BoundLayer bound{{}, {}, {}, layer, binder.scene().rate.per_second()};
    MELLOW_TRY(bound.nodes, masked_nodes(binder.scene(), layer.mask, prefix, layer.where));
    const bool places =
        layer.kind == Kind::kReplace || length(layer.shift) > 0 || length(layer.shake_way) > 0;
    const bool turns =
        layer.kind == Kind::kReplace || layer.degrees != 0 || length(layer.shake_degrees) > 0;
    const int parts = (places ? kPosition : 0) | (turns ? kOrientation : 0) |
                      (layer.kind == Kind::kReplace ? kScale : 0);
    for (const int node : bound.nodes) {
        bound.parents.push_back(row_above(binder, node));
        binder.begins_from_keys(node);
        if (layer.world_axis) binder.reads_world(binder.parent(node));
        // Layers go over each other in the order they are given.
        MELLOW_CHECK(binder.writes(node, parts, WriteStage::kLayer, index));
    }
    static const char* const kWords[] = {"offset", "replace", "shake", "smooth"};
    binder.line(fmt::format("{} layer over {} nodes", kWords[static_cast<int>(layer.kind)],
                            bound.nodes.size()));
    const auto& s = layer.seeds;
    if (layer.kind == Kind::kShake && (s[0] == s[1] || s[1] == s[2] || s[0] == s[2]))
        findings.push_back({Code::kEqualSeeds, Severity::kWarning, layer.where,
                            fmt::format("seeds {}, {}, {}", s[0], s[1], s[2]),
                            "a seed of its own for each axis; equal ones shake along a diagonal",
                            "seeds = [1, 2, 3]"});
    return bound;
}

void run(const BoundLayer& bound, std::span<const double> seconds, PoseTile& tile) {
    const Layer& layer = bound.layer;
    for (std::size_t f = 0; f < kTileFrames; ++f) {
        const double now = seconds[std::min(f, seconds.size() - 1)];
        const double weight = weight_of(bound, now);
        if (weight == 0) continue;
        const int lane = static_cast<int>(f);
        const Change change =
            layer.kind == Kind::kReplace ? Change{} : change_at(bound, now, weight);
        for (std::size_t i = 0; i < bound.nodes.size(); ++i) {
            double* local = tile.channel(bound.nodes[i], PoseTile::kLocal);
            const Vec3 place = load3(local, lane), size = load3(local + 7 * kF, lane);
            const Quat turn = load4(local + 3 * kF, lane);
            if (layer.kind == Kind::kReplace) {
                const Transform& to = bound.poses[i];
                store3(local, lane, place + weight * (to.t - place));
                store4(local + 3 * kF, lane, slerp(turn, to.r, std::clamp(weight, 0.0, 1.0)));
                store3(local + 7 * kF, lane, size + weight * (to.s - size));
                continue;
            }
            store3(local, lane, place + change.shift);
            Quat own = change.turn;
            if (layer.world_axis) {
                const Quat facing = orientation(load_affine(
                                        tile.channel(bound.parents[i], PoseTile::kWorld), lane)) *
                                    turn;
                own = conjugate(facing) * own * facing;
            }
            store4(local + 3 * kF, lane, normalized(turn * own));
        }
    }
}

}  // namespace mellow
