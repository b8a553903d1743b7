// chain: joints in a row reach a goal. Equations are in docs/rig-sheet.md. Chains along a curve are
// in chain_curve.cpp.
#include <fmt/format.h>

#include <algorithm>
#include <numbers>

#include "base/fixed.h"
#include "math/degrees.h"
#include "model/lanes.h"
#include "rig/chain_curve.h"
#include "rig/rules.h"
#include "rig/sheet_words.h"

namespace mellow {
namespace {

/// The turn that takes one unit vector to another the short way.
Quat swing_to(Vec3 from, Vec3 to, Vec3 hinge) {
    const Vec3 axis = cross(from, to);
    const double c = dot(from, to);
    if (c < -1 + 1e-12) return from_axis_angle(hinge, std::numbers::pi);
    return normalized(Quat{axis.x, axis.y, axis.z, 1 + c});
}

/// The chain of one frame, in the space of the first joint's parent, where bones keep their lengths
/// whatever the scale above.
struct Links {
    Fixed<Vec3> bones;  ///< to the next joint, in the joint's own axes, at its size
    Fixed<double> lengths;
    Fixed<Vec3> places;
    Fixed<Quat> turns;
    double whole = 0;

    /// What joint j hangs on.
    Quat above(std::size_t j) const { return j == 0 ? Quat{} : turns[j - 1]; }
};

Links load_links(const BoundChain& rule, const PoseTile& tile, int f) {
    Links links;
    Affine at;
    for (std::size_t j = 0; j < rule.joints.size(); ++j) {
        const Affine before = at;
        at = at * to_affine(tile.local(rule.joints[j], f));
        links.places.push_back(at.o);
        links.turns.push_back(orientation(at));
        if (j == 0) continue;
        const Vec3 bone = at.o - before.o;
        links.bones.push_back(rotate(conjugate(links.turns[j - 1]), bone));
        links.lengths.push_back(length(bone));
        links.whole += links.lengths.back();
    }
    return links;
}

/// Points bone `j` along `to`, as nearly as its limit lets it, by the shortest swing from the rest
/// turn of its joint, and moves its end along.
void point(const BoundChain& rule, Links& links, std::size_t j, Vec3 to) {
    const Quat base = links.above(j) * rule.rest[j];
    const Vec3 bone = normalized(links.bones[j], {0, 1, 0}), from = rotate(base, bone);
    const Vec3 any = std::abs(from.x) < 0.7 ? Vec3{1, 0, 0} : Vec3{0, 1, 0};
    const Vec3 hinge = normalized(cross(from, any), any);
    const double angle = std::acos(std::clamp(dot(from, to), -1.0, 1.0));
    const Quat swing = angle <= rule.limit_rad
                           ? swing_to(from, to, hinge)
                           : from_axis_angle(normalized(cross(from, to), hinge), rule.limit_rad);
    links.turns[j] = swing * base;
    links.places[j + 1] = links.places[j] + links.lengths[j] * rotate(links.turns[j], bone);
}

/// Points each bone at the next of `wanted`, from the first on.
void lay(const BoundChain& rule, Links& links, const Fixed<Vec3>& wanted) {
    for (std::size_t j = 0; j < links.lengths.size(); ++j)
        point(rule, links, j,
              normalized(wanted[j + 1] - links.places[j],
                         rotate(links.turns[j], normalized(links.bones[j], {0, 1, 0}))));
}

/// Turns one joint after the other, from the last to the first, so that the end comes to lie on the
/// line to the goal, as far as limits let it (Wang and Chen, "A Combined Optimization Method for
/// Solving the Inverse Kinematics Problem", 1991). Joints below keep the bends they have.
void turn_each(const BoundChain& rule, Links& links, Vec3 goal) {
    const std::size_t bones = links.lengths.size();
    for (std::size_t j = bones; j-- > 0;) {
        Fixed<Vec3> bends;  // of each bone, in the axes that its joint has at rest
        for (std::size_t k = 0; k < bones; ++k) {
            const Quat base = links.above(k) * rule.rest[k];
            bends.push_back(rotate(conjugate(base),
                                   normalized(links.places[k + 1] - links.places[k], {0, 1, 0})));
        }
        const Vec3 bone = normalized(links.places[j + 1] - links.places[j], {0, 1, 0});
        const Vec3 to_end = normalized(links.places.back() - links.places[j], bone);
        const Vec3 to_goal = normalized(goal - links.places[j], to_end);
        point(rule, links, j, rotate(swing_to(to_end, to_goal, {0, 0, 1}), bone));
        for (std::size_t k = j + 1; k < bones; ++k)
            point(rule, links, k, rotate(links.turns[k - 1] * rule.rest[k], bends[k]));
    }
}

/// A straight chain cannot begin to bend towards a goal on its own line: it is bowed a little
/// first, the less the more it is bent already, so that nothing jumps.
void bow(Links& links, Fixed<Vec3>& places) {
    const Vec3 line = places.back() - places.front();
    const double slack = 1 - length(line) / std::max(links.whole, 1e-300);
    const double amount = 0.1 * links.whole * std::clamp(1 - slack / 0.002, 0.0, 1.0);
    if (amount == 0) return;
    const Vec3 along = normalized(line, {0, 1, 0});
    const Vec3 up{0, 0, 1}, side{1, 0, 0};
    const Vec3 pick = std::abs(dot(up, along)) < 0.9 ? up : side;
    const Vec3 across = normalized(pick - dot(pick, along) * along, side);
    for (std::size_t j = 1; j + 1 < places.size(); ++j)
        places[j] = places[j] + amount *
                                    std::sin(std::numbers::pi * static_cast<double>(j) /
                                             static_cast<double>(places.size() - 1)) *
                                    across;
}

/// Back from the goal, forth from the start, until the last joint is there or comes no nearer
/// (Aristidou and Lasenby, "FABRIK: A fast, iterative solver for the Inverse Kinematics problem",
/// 2011). The way forth keeps the limits.
void reach(const BoundChain& rule, Links& links, Vec3 goal) {
    Fixed<Vec3> wanted = links.places;
    const Vec3 start = links.places[0];
    if (length(goal - start) >= links.whole) {
        const Vec3 u = normalized(goal - start, {0, 1, 0});
        double far = 0;
        for (std::size_t j = 0; j < links.lengths.size(); ++j)
            wanted[j + 1] = start + (far += links.lengths[j]) * u;
        lay(rule, links, wanted);
        if (rule.limit_rad >= std::numbers::pi) return;
        wanted = links.places;
    }
    bow(links, wanted);
    const double enough = rule.tolerance * links.whole;
    const auto missing = [&] { return length(links.places.back() - goal); };
    double before = 1e300;
    int round = 0;
    for (; round < rule.iterations; ++round) {
        wanted.back() = goal;
        for (std::size_t j = wanted.size() - 1; j-- > 1;)
            wanted[j] =
                wanted[j + 1] + links.lengths[j] * normalized(wanted[j] - wanted[j + 1], {0, 1, 0});
        lay(rule, links, wanted);
        wanted = links.places;
        if (missing() <= enough) return;
        if (missing() > 0.9 * before && rule.limit_rad < std::numbers::pi) break;
        before = missing();
    }
    // Limits can hold that up short of what is possible.
    for (; round < rule.iterations && missing() > enough; ++round) turn_each(rule, links, goal);
}

Result<BoundChain> not_a_chain(const Place& where, std::string found) {
    return Finding{Code::kValueBad,
                   Severity::kStop,
                   where,
                   std::move(found),
                   "joints in a row, each the parent of the next",
                   "name all joints of the chain, from the first to the last"};
}

}  // namespace

ChainRule read_chain(TomlTable& t) {
    ChainRule rule;
    rule.joints = t.texts("joints", {});
    rule.goal = t.text("goal", "");
    rule.along = t.texts("along", {});
    if (rule.joints.size() < 2 || rule.joints.size() > kFixedMost)
        t.fail(Code::kValueBad, "joints", fmt::format("{} joints", rule.joints.size()),
               fmt::format("2 to {} joints in a row", kFixedMost));
    if (rule.goal.empty() == rule.along.empty() && !t.failed({"goal", "along"}))
        t.fail(Code::kKeyMissing, "", rule.goal.empty() ? "no goal" : "a goal and a curve",
               "either goal = \"node\" or along = [nodes]", "add one, remove the other");
    if (rule.along.size() == 1 || rule.along.size() > kFixedMost)
        t.fail(Code::kValueBad, "along", fmt::format("{} controls", rule.along.size()),
               fmt::format("2 to {} controls, to draw a curve through", kFixedMost));
    rule.stretch = t.choice("length", {"keep", "stretch"}, "keep") == "stretch";
    if (rule.stretch && rule.along.empty() && !t.failed({"along"}) && !t.mistyped("along"))
        t.fail(Code::kValueBad, "length", "stretch",
               "along = [...]; a chain to a goal keeps its length");
    rule.end_follows_goal = t.choice("end_orientation", {"goal", "free"}, "free") == "goal";
    rule.limit = read_within(t, "limit", 180, 0, 180);
    rule.tolerance = read_within(t, "tolerance", 1e-5, 1e-12, 0.1);
    rule.iterations = static_cast<int>(read_within(t, "iterations", 200, 1, 10000));
    rule.weight = read_amount(t, "weight", 1);
    return rule;
}

void convert(ChainRule&, const Conversion&) {}

Result<BoundChain> bind(const ChainRule& rule, Binder& binder) {
    BoundChain bound{};
    bound.goal = kNone;
    for (const std::string& name : rule.joints) {
        MELLOW_TRY(const int node, binder.node("joint", name));
        if (!bound.joints.empty() && binder.parent(node) != bound.joints.back())
            return not_a_chain(binder.where(),
                               fmt::format("\"{}\" is not the parent of \"{}\"",
                                           rule.joints[bound.joints.size() - 1], name));
        if (!bound.joints.empty() && length(binder.rest_local(node).t) < 1e-9)
            return not_a_chain(binder.where(),
                               fmt::format("no way from \"{}\" to \"{}\"",
                                           rule.joints[bound.joints.size() - 1], name));
        binder.begins_from_keys(node);
        bound.joints.push_back(node);
        bound.rest.push_back(binder.rest_local(node).r);
    }
    for (const std::string& name : rule.along) {
        MELLOW_TRY(const int node, binder.node("control", name));
        bound.along.push_back(node);
        binder.reads_world(node);
    }
    if (!rule.goal.empty()) {
        MELLOW_TRY(bound.goal, binder.node("goal", rule.goal));
        binder.reads_world(bound.goal);
    }
    MELLOW_TRY(bound.weight, binder.amount(rule.weight));
    bound.parent = row_above(binder, bound.joints[0]);
    bound.stretch = rule.stretch;
    bound.end_follows = rule.end_follows_goal;
    bound.limit_rad = rule.limit * kRadians;
    bound.tolerance = rule.tolerance;
    bound.iterations = rule.iterations;
    bound.end = rule.along.empty() ? bound.goal : bound.along.back();
    bound.offset = conjugate(orientation(binder.rest(bound.end))) *
                   orientation(binder.rest(bound.joints.back()));
    bound.lead =
        rest_lead(binder.rest_above(bound.joints.back()), binder.rest_local(bound.joints.back()));
    binder.reads_world(binder.parent(bound.joints[0]));
    binder.line(fmt::format(
        "chain {} <- {}", fmt::join(rule.joints, " "),
        rule.along.empty() ? rule.goal : fmt::format("{}", fmt::join(rule.along, ", "))));
    for (std::size_t j = 0; j < bound.joints.size(); ++j) {
        const bool last = j + 1 == bound.joints.size();
        const bool moves = !rule.along.empty() && (j == 0 || rule.stretch);
        const int parts =
            (last && !rule.end_follows_goal ? 0 : kOrientation) | (moves ? kPosition : 0);
        binder.reads_own(bound.joints[j], (kPosition | kScale) & ~parts);
        if (parts != 0) MELLOW_CHECK(binder.writes(bound.joints[j], parts));
    }
    return bound;
}

/// Writes the solved chain as local channels, as far as the weight says.
void store_links(const BoundChain& rule, const Links& links, const Quat* end, double w, int f,
                 PoseTile& tile) {
    // The joint's parent in the space of the chain: as it is written, and as it was solved.
    Affine inside, solved;
    for (std::size_t j = 0; j < rule.joints.size(); ++j) {
        const LocalRowsOut local = local_rows(tile, rule.joints[j]);
        const bool last = j + 1 == rule.joints.size();
        if (!rule.along.empty() && (j == 0 || rule.stretch)) {
            const Vec3 from = place_of(local, f);
            store_place(local, f, from + w * (apply(inverse(inside), links.places[j]) - from));
        }
        if (!last) {
            const Quat turn = conjugate(links.above(j)) * links.turns[j];
            store(turns(local), f, slerp(load(turns(local), f), turn, w));
            solved = solved * to_affine({{}, turn, size_of(local, f)});
        } else if (end != nullptr) {
            const Affine above = load(world_rows(tile, rule.parent), f) * solved;
            const Quat wanted =
                local_turn(above, orientation(above), *end, size_of(local, f), rule.lead);
            store(turns(local), f, slerp(load(turns(local), f), wanted, w));
        }
        inside = inside * to_affine(tile.local(rule.joints[j], f));
    }
}

void run(const BoundChain& rule, PoseTile& tile) {
    const Weights weights = weights_of(tile, rule.weight);
    for (int f = 0; f < kF; ++f) {
        const double w = weights[f];
        if (w == 0) continue;
        Links links = load_links(rule, tile, f);
        const Affine back = inverse(load(world_rows(tile, rule.parent), f));
        const auto place = [&](int node) { return apply(back, origin(world_rows(tile, node), f)); };
        if (rule.along.empty()) {
            reach(rule, links, place(rule.goal));
        } else {
            Fixed<Vec3> controls;
            for (const int node : rule.along) controls.push_back(place(node));
            const Fixed<Vec3> spread = spread_along(controls, links.lengths, rule.stretch);
            links.places[0] = spread[0];
            for (std::size_t j = 0; rule.stretch && j < links.lengths.size(); ++j)
                links.lengths[j] = length(spread[j + 1] - spread[j]);
            lay(rule, links, spread);
        }
        Quat end;
        if (rule.end_follows) end = orientation(load(world_rows(tile, rule.end), f)) * rule.offset;
        store_links(rule, links, rule.end_follows ? &end : nullptr, w, f, tile);
    }
}

}  // namespace mellow
