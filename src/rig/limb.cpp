// The analytic two-bone solver. Equations and a drawing are in docs/rig-sheet.md.
#include <fmt/format.h>

#include <algorithm>

#include "base/kernel.h"
#include "model/lanes.h"
#include "rig/rules.h"
#include "rig/sheet_words.h"

namespace mellow {
namespace {

/// The frame of a bone and the bend axis across it.
MELLOW_LANE Quat hinge_frame(Vec3 along, Vec3 hinge) {
    return quat_from_columns(along, hinge, cross(along, hinge));
}

/// The turn about an axis by the angle with cosine c / l and sine s / l, s at most zero.
MELLOW_LANE Quat turn_of(Vec3 axis, double c, double s, double l) {
    // Half the angle: tan(a / 2) = s / (l + c) = (l - c) / s, whichever is not near 0 / 0.
    const double w = c >= 0 ? l + c : -s, v = c >= 0 ? s : c - l;
    const Quat turn{v * axis.x, v * axis.y, v * axis.z, w};
    return normalized(turn);
}

struct LimbRows {
    WorldRows parent, goal, pole;
    TurnRows parent_turn, goal_turn;
    LocalRowsOut start, mid, end;
};

/// One tile on its way through the kernels, in the space of the start joint's parent. Three short
/// loops keep more lanes in flight than one long one.
struct Bend {
    alignas(64) double to_goal[3 * kF];  ///< unit, from the start joint
    alignas(64) double to_pole[3 * kF];
    alignas(64) double far[kF];                ///< to the goal
    alignas(64) double first[kF], second[kF];  ///< bone lengths
    alignas(64) double reach[kF];              ///< how far the end gets
    alignas(64) double stretch[kF];            ///< bones for that, times their own length
    alignas(64) double along[kF], across[kF];  ///< the second bone, by the first
};

MELLOW_KERNEL void measure_kernel(const BoundLimb& r, const LimbRows& rows, Bend& bend) {
#pragma GCC ivdep
    for (int f = 0; f < kF; ++f) {
        const Affine back = inverse(load(rows.parent, f));
        const Vec3 start = place_of(rows.start, f);
        const Vec3 to_goal = apply(back, origin(rows.goal, f)) - start;
        bend.far[f] = length(to_goal);
        store3(bend.to_goal, f, normalized(to_goal, r.bone));
        store3(bend.to_pole, f, apply(back, origin(rows.pole, f)) - start);
        const Vec3 s1 = size_of(rows.start, f), s2 = size_of(rows.mid, f);
        bend.first[f] = length(s1 * place_of(rows.mid, f));
        bend.second[f] = length(s2 * place_of(rows.end, f)) * std::abs(s1.x);
        bend.reach[f] = bend.far[f];
        bend.stretch[f] = 1;
    }
}

/// Beyond the first (1 - soft) of its length the limb nears full reach ever more slowly:
///   d' = h + s (1 - exp(-(d - h) / s)),  s = soft * length,  h = length - s.
/// Stretching then makes both bones longer, so that the end gets where the goal is.
void soften_and_stretch(const BoundLimb& r, Bend& bend) {
    for (int f = 0; f < kF; ++f) {
        const double whole = bend.first[f] + bend.second[f], s = r.soft * whole, held = whole - s;
        const double wanted = bend.far[f];
        double got = std::min(wanted, whole);
        if (s > 0 && wanted > held) got = held + s * (1 - std::exp((held - wanted) / s));
        const double k = std::clamp(wanted / std::max(got, 1e-12), 1.0, r.stretch);
        bend.reach[f] = got * k;
        bend.stretch[f] = k;
    }
}

MELLOW_KERNEL void start_kernel(const BoundLimb& r, const LimbRows& rows, Bend& bend) {
#pragma GCC ivdep
    for (int f = 0; f < kF; ++f) {
        const double l1 = bend.first[f] * bend.stretch[f], l2 = bend.second[f] * bend.stretch[f];
        const Vec3 u = load3(bend.to_goal, f), pole = load3(bend.to_pole, f);
        const double nearest = std::abs(l1 - l2), farthest = l1 + l2;
        const double distance = std::clamp(bend.reach[f], nearest, farthest);
        // The bend direction: the pole, seen across the line to the goal. A pole on that line says
        // nothing; the hinge of the rest pose then decides, and the bone across it where the line
        // runs along the hinge.
        const Vec3 side = pole - dot(pole, u) * u, other = cross(r.hinge, u);
        const bool clear = dot(side, side) > 1e-18;
        const Vec3 v = normalized(
            {clear ? side.x : other.x, clear ? side.y : other.y, clear ? side.z : other.z}, r.bone,
            1e-9);
        // Law of cosines at the start joint.
        const double d = distance > 1e-12 ? distance : 1e-12, b1 = l1 > 1e-12 ? l1 : 1e-12;
        const double c = std::clamp((b1 * b1 + d * d - l2 * l2) / (2 * b1 * d), -1.0, 1.0);
        const double s = std::sqrt(1 - c * c);
        store(turns(rows.start), f, hinge_frame(c * u + s * v, cross(u, v)) * r.from_start);
        // The second bone is d u - b1 (c u + s v).
        bend.along[f] = d * c - b1;
        bend.across[f] = -d * s;
    }
}

MELLOW_KERNEL void mid_kernel(const BoundLimb& r, const LimbRows& rows, const Bend& bend) {
#pragma GCC ivdep
    for (int f = 0; f < kF; ++f) {
        const double l2 = bend.second[f] * bend.stretch[f];
        store(turns(rows.mid), f, turn_of(r.hinge, bend.along[f], bend.across[f], l2) * r.straight);
    }
}

MELLOW_KERNEL void end_kernel(const BoundLimb& r, const LimbRows& rows) {
#pragma GCC ivdep
    for (int f = 0; f < kF; ++f)
        store(turns(rows.end), f,
              conjugate(load(rows.parent_turn, f) * load(turns(rows.start), f) *
                        load(turns(rows.mid), f)) *
                  (load(rows.goal_turn, f) * r.offset));
}

/// Where scale above the end is uneven, only its matrix says how it is turned.
void turn_end(const BoundLimb& r, const LimbRows& rows) {
    end_kernel(r, rows);
    for (int f = 0; f < kF; ++f) {
        const Vec3 size = size_of(rows.end, f);
        if (is_even(size_of(rows.start, f)) && is_even(size_of(rows.mid, f)) && is_even(size))
            continue;
        const Affine above = load(rows.parent, f) * to_affine(load(LocalRows(rows.start), f)) *
                             to_affine(load(LocalRows(rows.mid), f));
        store(turns(rows.end), f,
              local_turn(above, orientation(above), load(rows.goal_turn, f) * r.offset, size,
                         r.lead));
    }
}

Finding not_a_limb(const Place& where, std::string found) {
    return {Code::kValueBad,
            Severity::kStop,
            where,
            std::move(found),
            "start, mid and end as parent, child and grandchild with bones of some length",
            "name three joints that follow each other directly"};
}

}  // namespace

LimbRule read_limb(TomlTable& t) {
    LimbRule rule;
    rule.start = t.text("start");
    rule.mid = t.text("mid");
    rule.end = t.text("end");
    rule.goal = t.text("goal");
    rule.pole = t.text("pole");
    rule.end_follows_goal = t.choice("end_orientation", {"goal", "free"}, "goal") == "goal";
    rule.stretch = read_within(t, "stretch", 1, 1, 100);
    rule.soft = read_within(t, "soft", 0, 0, 0.9);
    rule.weight = read_amount(t, "weight", 1);
    return rule;
}

void convert(LimbRule&, const Conversion&) {}

Result<BoundLimb> bind(const LimbRule& rule, Binder& binder) {
    BoundLimb b{};
    MELLOW_TRY(b.start, binder.node("start", rule.start));
    MELLOW_TRY(b.mid, binder.node("mid", rule.mid));
    MELLOW_TRY(b.end, binder.node("end", rule.end));
    MELLOW_TRY(b.goal, binder.node("goal", rule.goal));
    MELLOW_TRY(b.pole, binder.node("pole", rule.pole));
    const auto& nodes = binder.scene().nodes;
    const Node &mid = nodes[static_cast<std::size_t>(b.mid)],
               &end = nodes[static_cast<std::size_t>(b.end)];
    if (mid.parent != b.start)
        return not_a_limb(binder.where(),
                          fmt::format("\"{}\" is not the parent of \"{}\"", rule.start, rule.mid));
    if (end.parent != b.mid)
        return not_a_limb(binder.where(),
                          fmt::format("\"{}\" is not the parent of \"{}\"", rule.mid, rule.end));
    const double l1 = length(mid.local.t), l2 = length(end.local.t);
    if (l1 < 1e-9 || l2 < 1e-9)
        return not_a_limb(binder.where(), fmt::format("bones of length {} and {}", l1, l2));
    b.parent = row_above(binder, b.start);
    b.end_follows_goal = rule.end_follows_goal;
    b.stretch = rule.stretch;
    b.soft = rule.soft;
    b.bone = mid.local.t * (1 / l1);
    const Vec3 bone2 = end.local.t * (1 / l2);
    // The hinge of the rest pose: across both bones where they are bent, else across the bone and
    // the pole, else any axis across the bone.
    const Vec3 bone2_in_start = rotate(mid.local.r, bone2);
    const Vec3 pole = apply(inverse(binder.rest(b.start)), binder.rest(b.pole).o);
    const Vec3 any = std::abs(b.bone.x) < 0.9 ? Vec3{1, 0, 0} : Vec3{0, 1, 0};
    b.hinge = normalized(cross(bone2_in_start, b.bone),
                         normalized(cross(b.bone, pole), normalized(cross(b.bone, any), any), 1e-6),
                         1e-3);
    b.from_start = conjugate(hinge_frame(b.bone, b.hinge));
    // Across bone 2 as well, so that both frames are orthonormal.
    const Vec3 hinge2 = rotate(conjugate(mid.local.r), b.hinge);
    b.straight =
        hinge_frame(b.bone, b.hinge) *
        conjugate(hinge_frame(bone2, normalized(hinge2 - dot(hinge2, bone2) * bone2, hinge2)));
    b.offset = conjugate(orientation(binder.rest(b.goal))) * orientation(binder.rest(b.end));
    b.lead = rest_lead(binder.rest_above(b.end), binder.rest_local(b.end));
    MELLOW_TRY(b.weight, binder.amount(rule.weight));
    binder.reads_world(b.pole);
    b.parent_turn = binder.reads_turn(binder.parent(b.start));
    b.goal_turn = binder.reads_turn(b.goal);
    for (const int node : {b.start, b.mid, b.end}) binder.reads_own(node, kPosition | kScale);
    if (b.weight != kNone || rule.stretch > 1)
        for (const int node : {b.start, b.mid, b.end}) binder.begins_from_keys(node);
    binder.line(fmt::format("limb {} {} {} <- {}, {}", rule.start, rule.mid, rule.end, rule.goal,
                            rule.pole));
    const int more = rule.stretch > 1 ? kPosition : 0;
    MELLOW_CHECK(binder.writes(b.start, kOrientation));
    MELLOW_CHECK(binder.writes(b.mid, kOrientation | more));
    if (rule.end_follows_goal || more != 0)
        MELLOW_CHECK(binder.writes(b.end, (rule.end_follows_goal ? kOrientation : 0) | more));
    return b;
}

void run(const BoundLimb& rule, PoseTile& tile) {
    const LimbRows rows{world_rows(tile, rule.parent),   world_rows(tile, rule.goal),
                        world_rows(tile, rule.pole),     turn_rows(tile, rule.parent_turn),
                        turn_rows(tile, rule.goal_turn), local_rows(tile, rule.start),
                        local_rows(tile, rule.mid),      local_rows(tile, rule.end)};
    const TurnRowsOut solved[3] = {turns(rows.start), turns(rows.mid), turns(rows.end)};
    double keyed[3][4 * kF];
    for (int i = 0; rule.weight != kNone && i < 3; ++i) std::copy_n(solved[i].at, 4 * kF, keyed[i]);
    Bend bend;
    measure_kernel(rule, rows, bend);
    if (rule.soft > 0 || rule.stretch > 1) soften_and_stretch(rule, bend);
    start_kernel(rule, rows, bend);
    mid_kernel(rule, rows, bend);
    if (rule.end_follows_goal) turn_end(rule, rows);
    const Weights weights = weights_of(tile, rule.weight);
    for (int f = 0; rule.stretch > 1 && f < kF; ++f) {
        const double k = 1 + (bend.stretch[f] - 1) * weights[f];
        store_place(rows.mid, f, place_of(rows.mid, f) * k);
        store_place(rows.end, f, place_of(rows.end, f) * k);
    }
    for (int i = 0; rule.weight != kNone && i < 3; ++i) mix_turns({keyed[i]}, weights, solved[i]);
}

}  // namespace mellow
