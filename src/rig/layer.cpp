// Layers: offsets, poses and shaking over what keys and rules say. Equations are in docs/recipe.md.
#include <fmt/format.h>

#include <algorithm>

#include "math/degrees.h"
#include "model/lanes.h"
#include "rig/noise.h"
#include "rig/rules.h"

namespace mellow {
namespace {

constexpr double kSeenTurn_degrees = 0.02, kSeenWay_m = 1e-4;  ///< a third of a millimetre a metre

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

Change change_at(const OffsetLayer& offset, double, double weight) {
    return {weight * offset.shift, from_axis_angle(offset.axis, weight * radians(offset.degrees))};
}

Change change_at(const ShakeLayer& shake, double seconds, double weight) {
    const auto noise = [&](std::size_t axis) {
        return weight * smooth_noise(seconds * shake.frequency, shake.seeds[axis]);
    };
    const Vec3 n{noise(0), noise(1), noise(2)};
    const Vec3 turn = n * shake.degrees;
    // One turn about one axis: small angles about X, Y and Z together.
    return {n * shake.offset, from_axis_angle(normalized(turn, {1, 0, 0}), radians(length(turn)))};
}

// What a layer of each kind writes.
int parts_of(const OffsetLayer& offset) {
    return (length(offset.shift) > 0 ? kPosition : 0) | (offset.degrees != 0 ? kOrientation : 0);
}
int parts_of(const ReplaceLayer&) { return kPosition | kOrientation | kScale; }
int parts_of(const ShakeLayer& shake) {
    return (length(shake.offset) > 0 ? kPosition : 0) |
           (length(shake.degrees) > 0 ? kOrientation : 0);
}
int parts_of(const SmoothLayer&) { return 0; }

void convert(OffsetLayer& offset, const Conversion& c) {
    offset.axis = c.turning_axis(offset.axis);
    offset.shift = c.point(offset.shift);
}
void convert(ShakeLayer& shake, const Conversion& c) {
    // Shaking has a size along each axis, and its seed goes with it.
    const Vec3 moved = c.vector({1, 2, 3});
    const auto old = shake.seeds;
    const double to[3] = {moved.x, moved.y, moved.z};
    for (std::size_t i = 0; i < 3; ++i)
        shake.seeds[i] = old[static_cast<std::size_t>(std::lround(std::abs(to[i]))) - 1];
    shake.degrees = c.turning_axis(shake.degrees);
    shake.offset = c.point(shake.offset);
}
void convert(ReplaceLayer&, const Conversion&) {}
void convert(SmoothLayer&, const Conversion&) {}

bool turns_in_the_world(const Layer& layer) {
    const auto* offset = std::get_if<OffsetLayer>(&layer.body);
    return offset != nullptr && offset->world_axis;
}

/// Mixes the pose of a layer in.
void replace(const BoundLayer& bound, double weight, int lane, PoseTile& tile) {
    for (std::size_t i = 0; i < bound.nodes.size(); ++i) {
        const LocalRowsOut local = local_rows(tile, bound.nodes[i]);
        const Vec3 place = place_of(local, lane), size = size_of(local, lane);
        const Quat turn = load(turns(local), lane);
        const Transform& to = bound.poses[i];
        store_place(local, lane, place + weight * (to.t - place));
        store(turns(local), lane, slerp(turn, to.r, std::clamp(weight, 0.0, 1.0)));
        store_size(local, lane, size + weight * (to.s - size));
    }
}

void move(const BoundLayer& bound, const Change& change, int lane, PoseTile& tile) {
    const bool in_world = turns_in_the_world(bound.layer);
    for (std::size_t i = 0; i < bound.nodes.size(); ++i) {
        const LocalRowsOut local = local_rows(tile, bound.nodes[i]);
        const Quat turn = load(turns(local), lane);
        store_place(local, lane, place_of(local, lane) + change.shift);
        Quat own = change.turn;
        if (in_world) {
            const Quat facing = orientation(load(world_rows(tile, bound.parents[i]), lane)) * turn;
            own = conjugate(facing) * own * facing;
        }
        store(turns(local), lane, normalized(turn * own));
    }
}

}  // namespace

std::string_view kind(const Layer& layer) {
    constexpr std::string_view kWords[] = {"offset", "replace", "shake", "smooth"};
    return kWords[layer.body.index()];
}

void convert(Layer& layer, const Conversion& c) {
    std::visit([&](auto& body) { convert(body, c); }, layer.body);
}

Result<std::vector<std::vector<int>>> layer_nodes(const Layer& layer, const std::string& prefix,
                                                  const Scene& scene) {
    MELLOW_TRY(std::vector<int> nodes, masked_nodes(scene, layer.mask, prefix, layer.where));
    std::vector<std::vector<int>> out;
    if (turns_in_the_world(layer))
        for (const int node : nodes) out.push_back({node});
    else
        out.push_back(std::move(nodes));
    return out;
}

Result<BoundLayer> bind(const Layer& layer, int index, std::vector<int> nodes, Binder& binder,
                        Findings& findings) {
    BoundLayer bound{std::move(nodes), {}, {}, layer, binder.scene().rate.per_second()};
    const int parts = std::visit([](const auto& body) { return parts_of(body); }, layer.body);
    for (const int node : bound.nodes) {
        bound.parents.push_back(row_above(binder, node));
        binder.begins_from_keys(node);
        if (turns_in_the_world(layer)) binder.reads_world(binder.parent(node));
        // Layers go over each other in the order they are given.
        MELLOW_CHECK(binder.writes(node, parts, WriteStage::kLayer, index));
    }
    if (const auto* offset = std::get_if<OffsetLayer>(&layer.body)) {
        double most = layer.weight.points.empty() ? layer.constant_weight : 0;
        for (const auto& point : layer.weight.points) most = std::max(most, point.value);
        const double degrees = std::abs(offset->degrees) * most,
                     metres = length(offset->shift) * most;
        if (degrees < kSeenTurn_degrees && metres < kSeenWay_m)
            findings.push_back({Code::kNoEffect, Severity::kWarning, layer.where,
                                fmt::format("a turn of {:.2g} degrees and a way of {:.2g} mm at "
                                            "most: nobody sees it",
                                            degrees, metres * 1000),
                                "a correction that shows",
                                "larger degrees or shift, or take the layer out"});
    }
    binder.line(fmt::format("{} layer over {} nodes", kind(layer), bound.nodes.size()));
    if (const auto* shake = std::get_if<ShakeLayer>(&layer.body)) {
        const auto& s = shake->seeds;
        const auto alike = [&](std::size_t a, std::size_t b) {
            const Vec3 offset = shake->offset, turn = shake->degrees;
            const bool moves[] = {offset.x != 0, offset.y != 0, offset.z != 0};
            const bool turns[] = {turn.x != 0, turn.y != 0, turn.z != 0};
            const auto shakes = [&](std::size_t i) { return moves[i] || turns[i]; };
            return s[a] == s[b] && shakes(a) && shakes(b);
        };
        const Edit apart{"", "seeds", "[1, 2, 3]"};
        if (alike(0, 1) || alike(1, 2) || alike(0, 2))
            findings.push_back(
                {Code::kEqualSeeds,
                 Severity::kWarning,
                 layer.where,
                 fmt::format("seeds {}, {}, {}", s[0], s[1], s[2]),
                 "a seed of its own for each axis; equal ones shake along a diagonal",
                 edit_lines({apart}),
                 {apart}});
    }
    return bound;
}

void run(const BoundLayer& bound, std::span<const double> seconds, PoseTile& tile) {
    for (std::size_t f = 0; f < kTileFrames; ++f) {
        const double now = seconds[std::min(f, seconds.size() - 1)];
        const double weight = weight_of(bound, now);
        if (weight == 0) continue;
        const int lane = static_cast<int>(f);
        if (const auto* offset = std::get_if<OffsetLayer>(&bound.layer.body))
            move(bound, change_at(*offset, now, weight), lane, tile);
        else if (const auto* shake = std::get_if<ShakeLayer>(&bound.layer.body))
            move(bound, change_at(*shake, now, weight), lane, tile);
        else
            replace(bound, weight, lane, tile);
    }
}

}  // namespace mellow
