// The analytic two-bone solver. Equations and a drawing are in docs/rig-sheet.md.
#include <fmt/format.h>

#include <algorithm>

#include "base/kernel.h"
#include "model/lanes.h"
#include "rig/rules.h"
#include "rig/sheet_words.h"

namespace mellow {
namespace {

/// The rotation that takes the orthonormal pair (along, hinge) to (to_along, to_hinge).
MELLOW_LANE Quat turn_frame(Vec3 along, Vec3 hinge, Vec3 to_along, Vec3 to_hinge) {
    const Quat from = quat_from_columns(along, hinge, cross(along, hinge));
    const Quat to = quat_from_columns(to_along, to_hinge, cross(to_along, to_hinge));
    return to * conjugate(from);
}

struct Solved {
    Quat start, mid, end;
};

/// Everything in the space of the start joint's parent: `a` start, `g` goal, `p` pole, bone
/// lengths and how far the end shall reach.
MELLOW_LANE Solved solve(const BoundLimb& r, Vec3 a, Vec3 g, Vec3 p, double l1, double l2,
                         double reach, Quat goal) {
    const Vec3 u = normalized(g - a, rotate(Quat{}, r.bone1));
    const double nearest = std::abs(l1 - l2), farthest = l1 + l2;
    const double distance = std::clamp(reach, nearest, farthest);
    // The bend direction: the pole, seen across the line to the goal. A pole on that line says
    // nothing; the hinge of the rest pose then decides.
    const Vec3 side = (p - a) - dot(p - a, u) * u;
    const Vec3 fallback = normalized(cross(r.hinge1, u), {0, 0, 1});
    const Vec3 v = normalized(side, fallback, 1e-9);
    const Vec3 hinge = normalized(cross(u, v), r.hinge1);
    // Law of cosines at the start joint.
    const double d = distance > 1e-12 ? distance : 1e-12, b1 = l1 > 1e-12 ? l1 : 1e-12;
    const double c = std::clamp((b1 * b1 + d * d - l2 * l2) / (2 * b1 * d), -1.0, 1.0);
    const double s = std::sqrt(1 - c * c);
    const Vec3 bone1 = c * u + s * v;
    const Vec3 bone2 = normalized(d * u - b1 * bone1, u);
    Solved out;
    out.start = turn_frame(r.bone1, r.hinge1, bone1, hinge);
    const Quat back = conjugate(out.start);
    out.mid = turn_frame(r.bone2, r.hinge2, rotate(back, bone2), r.hinge1);
    out.end = conjugate(out.start * out.mid) * (goal * r.offset);
    return out;
}

struct LimbRows {
    const double *parent, *goal, *pole;
    double *start, *mid, *end;
};

/// How far the end reaches, and how much longer than at rest the bones are for it.
struct Reach {
    alignas(64) double distance[kTileFrames];
    alignas(64) double stretch[kTileFrames];
};

/// Bone lengths in the space of the start joint's parent.
struct Bones {
    double first, second;
};
MELLOW_LANE Bones bones(const LimbRows& rows, int f) {
    const Vec3 s1 = load3(rows.start + 7 * kF, f), s2 = load3(rows.mid + 7 * kF, f);
    return {length(s1 * load3(rows.mid, f)), length(s2 * load3(rows.end, f)) * std::abs(s1.x)};
}

MELLOW_KERNEL void reach_kernel(const LimbRows& rows, Reach& reach) {
#pragma GCC ivdep
    for (int f = 0; f < kF; ++f) {
        const Vec3 goal = apply(inverse(load_affine(rows.parent, f)), load3(rows.goal + 9 * kF, f));
        reach.distance[f] = length(goal - load3(rows.start, f));
        reach.stretch[f] = 1;
    }
}

/// Beyond the first (1 - soft) of its length the limb nears full reach ever more slowly:
///   d' = h + s (1 - exp(-(d - h) / s)),  s = soft * length,  h = length - s.
/// Stretching then makes both bones longer, so that the end gets where the goal is.
void soften_and_stretch(const BoundLimb& r, const LimbRows& rows, Reach& reach) {
    for (int f = 0; f < kF; ++f) {
        const Bones b = bones(rows, f);
        const double whole = b.first + b.second, s = r.soft * whole, held = whole - s;
        const double wanted = reach.distance[f];
        double got = std::min(wanted, whole);
        if (s > 0 && wanted > held) got = held + s * (1 - std::exp((held - wanted) / s));
        const double k = std::clamp(wanted / std::max(got, 1e-12), 1.0, r.stretch);
        reach.distance[f] = got * k;
        reach.stretch[f] = k;
    }
}

MELLOW_KERNEL void limb_kernel(const BoundLimb& r, const LimbRows& rows, const Reach& reach) {
#pragma GCC ivdep
    for (int f = 0; f < kF; ++f) {
        const Affine parent = load_affine(rows.parent, f), back = inverse(parent);
        const Affine goal = load_affine(rows.goal, f);
        const Bones b = bones(rows, f);
        const double k = reach.stretch[f];
        const Quat goal_turn = conjugate(orientation(parent)) * orientation(goal);
        const Solved out = solve(r, load3(rows.start, f), apply(back, goal.o),
                                 apply(back, load3(rows.pole + 9 * kF, f)), b.first * k,
                                 b.second * k, reach.distance[f], goal_turn);
        store4(rows.start + 3 * kF, f, out.start);
        store4(rows.mid + 3 * kF, f, out.mid);
        if (r.end_follows_goal) store4(rows.end + 3 * kF, f, out.end);
    }
}

/// Mixes what the limb found with what the keys say.
void mix(double* solved, const double* keyed, const double* weights) {
    for (int f = 0; f < kF; ++f)
        store4(solved, f,
               slerp(load4(keyed, f), load4(solved, f), std::clamp(weights[f], 0.0, 1.0)));
}

Finding not_a_limb(const std::string& where, std::string found) {
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
    const Node &start = nodes[static_cast<std::size_t>(b.start)],
               &mid = nodes[static_cast<std::size_t>(b.mid)],
               &end = nodes[static_cast<std::size_t>(b.end)];
    if (mid.parent != b.start)
        return not_a_limb(binder.where(),
                          fmt::format("\"{}\" is not the parent of \"{}\"", start.name, mid.name));
    if (end.parent != b.mid)
        return not_a_limb(binder.where(),
                          fmt::format("\"{}\" is not the parent of \"{}\"", mid.name, end.name));
    const double l1 = length(mid.local.t), l2 = length(end.local.t);
    if (l1 < 1e-9 || l2 < 1e-9)
        return not_a_limb(binder.where(), fmt::format("bones of length {} and {}", l1, l2));
    b.parent = row_above(binder, b.start);
    b.end_follows_goal = rule.end_follows_goal;
    b.stretch = rule.stretch;
    b.soft = rule.soft;
    b.bone1 = mid.local.t * (1 / l1);
    b.bone2 = end.local.t * (1 / l2);
    // The hinge of the rest pose: across both bones where they are bent, else across the bone and
    // the pole, else any axis across the bone.
    const Vec3 bone2_in_start = rotate(mid.local.r, b.bone2);
    const Vec3 pole = apply(inverse(binder.rest(b.start)), binder.rest(b.pole).o);
    const Vec3 any = std::abs(b.bone1.x) < 0.9 ? Vec3{1, 0, 0} : Vec3{0, 1, 0};
    b.hinge1 = normalized(
        cross(bone2_in_start, b.bone1),
        normalized(cross(b.bone1, pole), normalized(cross(b.bone1, any), any), 1e-6), 1e-3);
    // Across bone 2 as well, so that both frames are orthonormal.
    const Vec3 hinge2 = rotate(conjugate(mid.local.r), b.hinge1);
    b.hinge2 = normalized(hinge2 - dot(hinge2, b.bone2) * b.bone2, hinge2);
    b.offset = conjugate(orientation(binder.rest(b.goal))) * orientation(binder.rest(b.end));
    MELLOW_TRY(b.weight, binder.amount(rule.weight));
    for (const int node : {binder.parent(b.start), b.goal, b.pole}) binder.reads_world(node);
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
    const LimbRows rows{
        tile.channel(rule.parent, PoseTile::kWorld), tile.channel(rule.goal, PoseTile::kWorld),
        tile.channel(rule.pole, PoseTile::kWorld),   tile.channel(rule.start, PoseTile::kLocal),
        tile.channel(rule.mid, PoseTile::kLocal),    tile.channel(rule.end, PoseTile::kLocal)};
    double* turns[3] = {rows.start + 3 * kF, rows.mid + 3 * kF, rows.end + 3 * kF};
    double keyed[3][4 * kF];
    for (int i = 0; rule.weight != kNone && i < 3; ++i) std::copy_n(turns[i], 4 * kF, keyed[i]);
    Reach reach;
    reach_kernel(rows, reach);
    if (rule.soft > 0 || rule.stretch > 1) soften_and_stretch(rule, rows, reach);
    limb_kernel(rule, rows, reach);
    const double* weights = weight_lanes(tile, rule.weight);
    for (int f = 0; rule.stretch > 1 && f < kF; ++f) {
        const double k = 1 + (reach.stretch[f] - 1) * std::clamp(weights[f], 0.0, 1.0);
        store3(rows.mid, f, load3(rows.mid, f) * k);
        store3(rows.end, f, load3(rows.end, f) * k);
    }
    for (int i = 0; rule.weight != kNone && i < 3; ++i) mix(turns[i], keyed[i], weights);
}

}  // namespace mellow
