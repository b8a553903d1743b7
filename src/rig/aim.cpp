// aim: an axis of a node points at another. Equations are in docs/rig-sheet.md.
#include <fmt/format.h>

#include <algorithm>

#include "base/kernel.h"
#include "model/lanes.h"
#include "rig/rules.h"
#include "rig/sheet_words.h"

namespace mellow {
namespace {

/// The frame whose first axis is `along` and whose second is as near to `up` as it can be.
Quat frame_towards(Vec3 along, Vec3 up) {
    const Vec3 v = normalized(up - dot(up, along) * along, along);
    return quat_from_columns(along, v, cross(along, v));
}

struct AimRows {
    WorldRows parent;
    WorldRows source, up;  ///< `up`: the node whose place or axis is up; else null
    LocalRowsOut local;
};

/// Where up is for a node at `place`: a direction, an axis of a node, or the place of one.
MELLOW_KERNEL void up_kernel(const BoundAim& r, const AimRows& rows, double* ups) {
#pragma GCC ivdep
    for (int f = 0; f < kF; ++f) store3(ups, f, r.up);
    if (rows.up.at != nullptr && r.up_is_axis) {
#pragma GCC ivdep
        for (int f = 0; f < kF; ++f) store3(ups, f, apply_linear(load(rows.up, f), r.up));
    } else if (rows.up.at != nullptr) {
#pragma GCC ivdep
        for (int f = 0; f < kF; ++f)
            store3(ups, f,
                   origin(rows.up, f) - apply(load(rows.parent, f), place_of(rows.local, f)));
    }
}

/// Aims in the space of the parent, which keeps lines and what lies beside them whatever its scale.
MELLOW_KERNEL void aim_kernel(const BoundAim& r, const AimRows& rows, const double* ups) {
#pragma GCC ivdep
    for (int f = 0; f < kF; ++f) {
        const Affine parent = load(rows.parent, f), back = inverse(parent);
        const Quat keyed = load(turns(rows.local), f);
        const Vec3 world_direction =
            origin(rows.source, f) - apply(parent, place_of(rows.local, f));
        const double world_far = length(world_direction);
        const Vec3 direction = apply_linear(back, world_direction);
        const double far = length(direction);
        const Vec3 u = direction * (1 / (far > 1e-300 ? far : 1.0));
        const Vec3 up = apply_linear(back, load3(ups, f));
        const Vec3 across = up - dot(up, u) * u;
        // Where the aim runs along up, what the rest pose has up decides.
        const Vec3 rest_across = r.rest_up - dot(r.rest_up, u) * u;
        const Vec3 any = std::abs(u.x) < 0.7 ? Vec3{1, 0, 0} : Vec3{0, 1, 0};
        const Vec3 last = any - dot(any, u) * u;
        const bool clear = dot(across, across) > 1e-12 * dot(up, up);
        const bool usable = dot(rest_across, rest_across) > 1e-12;
        const Vec3 v = normalized({clear    ? across.x
                                   : usable ? rest_across.x
                                            : last.x,
                                   clear    ? across.y
                                   : usable ? rest_across.y
                                            : last.y,
                                   clear    ? across.z
                                   : usable ? rest_across.z
                                            : last.z},
                                  {0, 1, 0}, 1e-300);
        const Quat wanted = nearest(quat_from_columns(u, v, cross(u, v)) * r.frame, keyed);
        // A short way says nothing: the node keeps its turn.
        const bool says = world_far > 1e-9 && far > 1e-300;
        store(turns(rows.local), f,
              {says ? wanted.x : keyed.x, says ? wanted.y : keyed.y, says ? wanted.z : keyed.z,
               says ? wanted.w : keyed.w});
    }
}

/// An axis where the node's own scale puts it.
Vec3 scaled_axis(const Transform& node, Vec3 axis) { return normalized(node.s * axis, axis); }

}  // namespace

AimRule read_aim(TomlTable& t) {
    AimRule rule;
    rule.node = t.text("node");
    rule.source = t.text("source");
    rule.axis = read_axis(t, "axis");
    rule.up_axis = read_axis(t, "up_axis");
    if (std::abs(dot(rule.axis, rule.up_axis)) > 0.5 && !t.failed({"axis", "up_axis"}))
        t.fail(Code::kValueBad, "up_axis", "the same line as axis", "two different lines");
    rule.up_node = t.text("up_node", "");
    rule.up_turns = !rule.up_node.empty() && t.has("up");
    t.knows({"up"});
    if (rule.up_node.empty() || rule.up_turns) rule.up = read_axis(t, "up");
    rule.keep_offset = t.choice("offset", {"keep", "none"}, "none") == "keep";
    rule.weight = read_amount(t, "weight", 1);
    return rule;
}

void convert(AimRule& rule, const Conversion& c) {
    for (Vec3* axis : {&rule.axis, &rule.up_axis, &rule.up}) *axis = c.vector(*axis);
}

Result<BoundAim> bind(const AimRule& rule, Binder& binder) {
    BoundAim bound{};
    MELLOW_TRY(bound.node, binder.node("node", rule.node));
    MELLOW_TRY(bound.source, binder.node("source", rule.source));
    bound.up_node = kNone;
    if (!rule.up_node.empty()) {
        MELLOW_TRY(bound.up_node, binder.node("up node", rule.up_node));
        binder.reads_world(bound.up_node);
    }
    bound.up_is_axis = rule.up_turns;
    MELLOW_TRY(bound.weight, binder.amount(rule.weight));
    bound.parent = row_above(binder, bound.node);
    bound.up = rule.up;
    const Transform& rest = binder.rest_local(bound.node);
    const Vec3 axis = scaled_axis(rest, rule.axis), up_axis = scaled_axis(rest, rule.up_axis);
    bound.rest_up = rotate(rest.r, up_axis);
    bound.frame = conjugate(frame_towards(axis, up_axis));
    if (rule.keep_offset) {
        // Aimed in the rest pose, then turned on by what is missing to the rest turn.
        const Affine back = inverse(binder.rest_above(bound.node));
        const Vec3 place = binder.rest(bound.node).o;
        const Vec3 u = normalized(apply_linear(back, binder.rest(bound.source).o - place), {});
        const Vec3 up =
            apply_linear(back, bound.up_node == kNone ? rule.up
                               : rule.up_turns ? apply_linear(binder.rest(bound.up_node), rule.up)
                                               : binder.rest(bound.up_node).o - place);
        if (length(u) == 0 || length(cross(u, up)) < 1e-6 * length(up))
            return Finding{Code::kValueBad,
                           Severity::kStop,
                           binder.where(),
                           "an offset to keep, but the rest pose does not say which way it aims",
                           "a source away from the node, and not along up",
                           "offset = \"none\", or move the source in the rest pose"};
        const Quat aimed = frame_towards(u, up) * bound.frame;
        bound.frame = bound.frame * (conjugate(aimed) * rest.r);
    }
    binder.reads_world(binder.parent(bound.node));
    binder.reads_world(bound.source);
    binder.reads_own(bound.node, kPosition);
    binder.line(fmt::format("aim {} -> {}", rule.node, rule.source));
    binder.begins_from_keys(bound.node);
    MELLOW_CHECK(binder.writes(bound.node, kOrientation));
    return bound;
}

void run(const BoundAim& rule, PoseTile& tile) {
    const AimRows rows{world_rows(tile, rule.parent), world_rows(tile, rule.source),
                       rule.up_node == kNone ? WorldRows{} : world_rows(tile, rule.up_node),
                       local_rows(tile, rule.node)};
    alignas(64) double ups[3 * kF];
    up_kernel(rule, rows, ups);
    if (rule.weight == kNone) return aim_kernel(rule, rows, ups);
    alignas(64) double keyed[4 * kF];
    std::copy_n(turns(rows.local).at, 4 * kF, keyed);
    aim_kernel(rule, rows, ups);
    mix_turns({keyed}, weights_of(tile, rule.weight), turns(rows.local));
}

}  // namespace mellow
