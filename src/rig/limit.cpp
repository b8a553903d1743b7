// limit: a quantity of a node stays between two bounds. Equations are in docs/rig-sheet.md.
#include <fmt/format.h>

#include <algorithm>

#include "math/degrees.h"
#include "model/lanes.h"
#include "rig/rules.h"
#include "rig/sheet_words.h"

namespace mellow {
namespace {

using LimitOf = LimitRule::Of;

bool is_angle(LimitOf of) { return of == LimitOf::kTwist || of == LimitOf::kSwing; }

Vec3 limited_place(const BoundLimit& r, Vec3 v) {
    const double along = dot(v, r.axis);
    return v + (std::clamp(along, r.least, r.most) - along) * r.axis;
}

/// Clamps the twist about the axis, or how far the axis itself has swung, away from rest.
Quat limited_turn(const BoundLimit& r, Quat turn) {
    const Quat away = conjugate(r.rest) * turn;
    const double twist = twist_angle(away, r.axis);
    const Quat swing = away * conjugate(from_axis_angle(r.axis, twist));
    if (r.of == LimitOf::kTwist) {
        const double kept = std::clamp(twist, r.least, r.most);
        return kept == twist ? turn : r.rest * swing * from_axis_angle(r.axis, kept);
    }
    const double angle = swing_angle(swing, r.axis);
    if (angle <= r.most) return turn;
    const Quat short_way = nearest(swing, {});
    const Vec3 hinge = normalized(Vec3{short_way.x, short_way.y, short_way.z}, {1, 0, 0});
    return r.rest * from_axis_angle(hinge, r.most) * from_axis_angle(r.axis, twist);
}

}  // namespace

LimitRule read_limit(TomlTable& t) {
    LimitRule rule;
    rule.node = t.text("node");
    const std::string of = t.choice("of", {"scale", "position", "world", "twist", "swing"});
    rule.of = of == "scale"      ? LimitOf::kScale
              : of == "position" ? LimitOf::kPosition
              : of == "world"    ? LimitOf::kWorld
              : of == "twist"    ? LimitOf::kTwist
                                 : LimitOf::kSwing;
    rule.axis = read_axis(t, "axis");
    rule.least = rule.of == LimitOf::kSwing ? 0 : t.number("least", -1e30);
    rule.most = t.number("most", 1e30);
    t.knows({"least"});
    if (t.failed({"of", "least", "most"})) return rule;
    if (rule.most < rule.least)
        t.fail(Code::kValueBad, "most", fmt::format("{} below least, {}", rule.most, rule.least),
               "least <= most");
    if (!t.has("most") && (rule.of == LimitOf::kSwing || !t.has("least")))
        t.fail(Code::kKeyMissing, "", "no bound", "least, most or both", "add: most = ...");
    if (is_angle(rule.of) && (rule.of == LimitOf::kSwing || t.has("least")) && rule.least < -180)
        t.fail(Code::kValueBad, "least", fmt::format("{}", rule.least), "-180 to 180 degrees");
    return rule;
}

void convert(LimitRule& rule, const Conversion& c) {
    const bool turned_round = dot(c.vector(rule.axis), Vec3{1, 1, 1}) < 0;
    rule.axis = rule.of == LimitOf::kTwist ? c.turning_axis(rule.axis) : c.vector(rule.axis);
    if (rule.of == LimitOf::kPosition || rule.of == LimitOf::kWorld)
        rule.least *= c.scale(), rule.most *= c.scale();
    // A scale has no sign along its axis.
    if (rule.of == LimitOf::kScale && turned_round) rule.axis = -rule.axis;
}

Result<BoundLimit> bind(const LimitRule& rule, Binder& binder) {
    BoundLimit bound{};
    MELLOW_TRY(bound.node, binder.node("node", rule.node));
    bound.parent = row_above(binder, bound.node);
    bound.of = rule.of;
    bound.axis = rule.axis;
    const double k = is_angle(rule.of) ? kRadians : 1;
    bound.least = rule.least * k;
    bound.most = rule.most * k;
    bound.rest = binder.rest_local(bound.node).r;
    binder.begins_from_keys(bound.node);
    if (rule.of == LimitOf::kWorld) binder.reads_world(binder.parent(bound.node));
    static const char* const kWords[] = {"scale", "position", "world", "twist", "swing"};
    binder.line(fmt::format("limit {} of {}", kWords[static_cast<int>(rule.of)], rule.node));
    const int axis = axis_number(rule.axis), kind = static_cast<int>(rule.of);
    const int part = is_angle(rule.of)            ? static_cast<int>(kOrientation)
                     : rule.of == LimitOf::kScale ? kScaleX << axis
                                                  : kPositionX << axis;
    // Limits of one node go in the order of what they limit, then of the axis.
    MELLOW_CHECK(binder.writes(bound.node, part, WriteStage::kLimit, kind * 3 + axis));
    return bound;
}

void run(const BoundLimit& rule, PoseTile& tile) {
    const LocalRowsOut local = local_rows(tile, rule.node);
    const WorldRows parent = world_rows(tile, rule.parent);
    for (int f = 0; f < kF; ++f) {
        if (is_angle(rule.of)) {
            store(turns(local), f, limited_turn(rule, load(turns(local), f)));
        } else if (rule.of == LimitOf::kWorld) {
            const Affine above = load(parent, f);
            const Vec3 place = apply(above, place_of(local, f)), kept = limited_place(rule, place);
            if (!(kept == place)) store_place(local, f, apply(inverse(above), kept));
        } else {
            if (rule.of == LimitOf::kScale)
                store_size(local, f, limited_place(rule, size_of(local, f)));
            else
                store_place(local, f, limited_place(rule, place_of(local, f)));
        }
    }
}

}  // namespace mellow
