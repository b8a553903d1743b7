// The analytic two-bone solver. Equations and a drawing are in docs/rig-sheet.md.
#include <fmt/format.h>

#include <algorithm>

#include "base/kernel.h"
#include "model/lanes.h"
#include "rig/rules.h"

namespace mellow {
namespace {

/// The rotation that takes the orthonormal pair (along, hinge) to (to_along, to_hinge).
Quat turn_frame(Vec3 along, Vec3 hinge, Vec3 to_along, Vec3 to_hinge) {
    const Quat from = quat_from_columns(along, hinge, cross(along, hinge));
    const Quat to = quat_from_columns(to_along, to_hinge, cross(to_along, to_hinge));
    return to * conjugate(from);
}

struct Solved {
    Quat start, mid, end;
};

/// Everything in the space of the start joint's parent: `a` start, `g` goal, `p` pole, bone
/// lengths.
Solved solve(const BoundLimb& r, Vec3 a, Vec3 g, Vec3 p, double l1, double l2, Quat goal) {
    const Vec3 to_goal = g - a;
    const Vec3 u = normalized(to_goal, rotate(Quat{}, r.bone1));
    const double nearest = std::abs(l1 - l2), farthest = l1 + l2;
    const double distance = std::clamp(length(to_goal), nearest, farthest);
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

MELLOW_KERNEL void limb_kernel(const BoundLimb& r, const LimbRows& rows) {
#pragma GCC ivdep
    for (int f = 0; f < kF; ++f) {
        const Affine parent = load_affine(rows.parent, f), back = inverse(parent);
        const Affine goal = load_affine(rows.goal, f);
        const Vec3 s1 = load3(rows.start + 7 * kF, f), s2 = load3(rows.mid + 7 * kF, f);
        const double l1 = length(s1 * load3(rows.mid, f));
        const double l2 = length(s2 * load3(rows.end, f)) * std::abs(s1.x);
        const Quat goal_turn = conjugate(orientation(parent)) * orientation(goal);
        const Solved out = solve(r, load3(rows.start, f), apply(back, goal.o),
                                 apply(back, load3(rows.pole + 9 * kF, f)), l1, l2, goal_turn);
        store4(rows.start + 3 * kF, f, out.start);
        store4(rows.mid + 3 * kF, f, out.mid);
        if (r.end_follows_goal) store4(rows.end + 3 * kF, f, out.end);
    }
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

Result<BoundLimb> bind_limb(const LimbRule& rule, const std::string& where, const int (&nodes)[5],
                            const Scene& scene, const std::vector<Affine>& rest) {
    const auto at = [](int i) { return static_cast<std::size_t>(i); };
    const Node &start = scene.nodes[at(nodes[0])], &mid = scene.nodes[at(nodes[1])],
               &end = scene.nodes[at(nodes[2])];
    if (mid.parent != nodes[0])
        return not_a_limb(where,
                          fmt::format("\"{}\" is not the parent of \"{}\"", start.name, mid.name));
    if (end.parent != nodes[1])
        return not_a_limb(where,
                          fmt::format("\"{}\" is not the parent of \"{}\"", mid.name, end.name));
    const double l1 = length(mid.local.t), l2 = length(end.local.t);
    if (l1 < 1e-9 || l2 < 1e-9)
        return not_a_limb(where, fmt::format("bones of length {} and {}", l1, l2));
    BoundLimb b{nodes[0],
                nodes[1],
                nodes[2],
                nodes[3],
                nodes[4],
                start.parent,
                rule.end_follows_goal,
                mid.local.t * (1 / l1),
                end.local.t * (1 / l2),
                {},
                {},
                {}};
    // The hinge of the rest pose: across both bones where they are bent, else across the bone and
    // the pole, else any axis across the bone.
    const Vec3 bone2_in_start = rotate(mid.local.r, b.bone2);
    const Vec3 pole = apply(inverse(rest[at(nodes[0])]), rest[at(nodes[4])].o);
    const Vec3 any = std::abs(b.bone1.x) < 0.9 ? Vec3{1, 0, 0} : Vec3{0, 1, 0};
    b.hinge1 = normalized(
        cross(bone2_in_start, b.bone1),
        normalized(cross(b.bone1, pole), normalized(cross(b.bone1, any), any), 1e-6), 1e-3);
    // Across bone 2 as well, so that both frames are orthonormal.
    const Vec3 hinge2 = rotate(conjugate(mid.local.r), b.hinge1);
    b.hinge2 = normalized(hinge2 - dot(hinge2, b.bone2) * b.bone2, hinge2);
    b.offset = conjugate(orientation(rest[at(nodes[3])])) * orientation(rest[at(nodes[2])]);
    return b;
}

void run(const BoundLimb& rule, PoseTile& tile) {
    limb_kernel(
        rule,
        {tile.channel(rule.parent, PoseTile::kWorld), tile.channel(rule.goal, PoseTile::kWorld),
         tile.channel(rule.pole, PoseTile::kWorld), tile.channel(rule.start, PoseTile::kLocal),
         tile.channel(rule.mid, PoseTile::kLocal), tile.channel(rule.end, PoseTile::kLocal)});
}

}  // namespace mellow
