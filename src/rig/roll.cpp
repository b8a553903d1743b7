// roll: a wheel turns with the way it covers. Equations are in docs/rig-sheet.md.
#include <fmt/format.h>

#include <cmath>

#include "model/lanes.h"
#include "rig/rules.h"
#include "rig/sheet_words.h"

namespace mellow {

RollRule read_roll(TomlTable& t) {
    RollRule rule;
    rule.node = t.text("node");
    rule.axis = read_axis(t, "axis");
    rule.up = read_axis(t, "up");
    rule.radius = read_within(t, "radius", {}, 1e-9, 1e9);
    return rule;
}

void convert(RollRule& rule, const Conversion& c) {
    rule.axis = c.turning_axis(rule.axis);
    rule.up = c.vector(rule.up);
    rule.radius *= c.scale();
}

Result<BoundRoll> bind(const RollRule& rule, Binder& binder) {
    BoundRoll bound{};
    MELLOW_TRY(bound.node, binder.node("node", rule.node));
    bound.parent = row_above(binder, bound.node);
    bound.axis = rule.axis;
    bound.up = rule.up;
    bound.radius = rule.radius;
    bound.rest = binder.rest_local(bound.node).r;
    bound.track = std::make_shared<Track>();
    bound.state = std::make_shared<RollState>();
    const Vec3 hub = rotate(orientation(binder.rest(bound.node)), rule.axis);
    if (length(cross(hub, rule.up)) < 1e-3)
        return Finding{Code::kValueBad,
                       Severity::kStop,
                       binder.where(),
                       fmt::format("the hub of \"{}\" stands upright at rest", rule.node),
                       "an axis that lies across up",
                       "name the axis of the node along which its hub runs"};
    binder.reads_world(binder.parent(bound.node));
    binder.reads_own(bound.node, kPosition);
    binder.line(fmt::format("roll {}", rule.node));
    MELLOW_CHECK(binder.writes(bound.node, kOrientation));
    return bound;
}

void simulate(const BoundRoll& rule, int count, PoseTile& tile) {
    RollState& state = *rule.state;
    const LocalRowsOut local = local_rows(tile, rule.node);
    for (int f = 0; f < count; ++f) {
        const Affine above = load(world_rows(tile, rule.parent), f);
        const Vec3 place = apply(above, place_of(local, f));
        const Vec3 hub = rotate(orientation(above) * rule.rest, rule.axis);
        const Vec3 forward = normalized(cross(hub, rule.up), state.forward, 1e-6);
        if (state.begun) {
            // On a bend the way is an arc over the chord: longer by half its angle over the sine of
            // that.
            const double half =
                std::atan2(length(cross(state.forward, forward)), dot(state.forward, forward)) / 2;
            const double arc = half > 1e-6 && half < 1 ? half / std::sin(half) : 1;
            state.angle += arc *
                           dot(place - state.place, normalized(forward + state.forward, forward)) /
                           rule.radius;
        }
        state = {true, place, forward, state.angle};
        rule.track->values.push_back(state.angle);
        store(turns(local), f, rule.rest * from_axis_angle(rule.axis, state.angle));
    }
}

void run(const BoundRoll& rule, std::span<const double> seconds, PoseTile& tile) {
    const TurnRowsOut turn = turns(local_rows(tile, rule.node));
    for (int f = 0; f < kF; ++f) {
        double u = 0;
        const std::size_t last = seconds.size() - 1;
        const std::size_t k =
            rule.track->find(seconds[std::min(static_cast<std::size_t>(f), last)], u);
        const double a = *rule.track->at(k), b = u > 0 ? *rule.track->at(k + 1) : a;
        store(turn, f, rule.rest * from_axis_angle(rule.axis, a + u * (b - a)));
    }
}

}  // namespace mellow
