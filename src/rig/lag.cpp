// lag: a node on a spring. Equations are in docs/rig-sheet.md.
//
// Between two steps the target goes straight on, and for that the spring's motion is known exactly:
// the walk is stable for any stiffness, and finer steps would hardly change it.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "model/lanes.h"
#include "rig/rules.h"
#include "rig/sheet_words.h"

namespace mellow {
namespace {

constexpr int kWidth = 10;  // place, speed, orientation

/// A free damped spring over one step: (x, v) -> (a x + b v, c x + d v).
struct Spring {
    double a, b, c, d, lag;  ///< lag: seconds by which a steady target is ahead, 2 damping / omega

    Spring(double frequency, double damping) {
        const double h = 1 / kStepsPerSecond, omega = 2 * std::numbers::pi * frequency;
        const double decay = damping * omega, k2 = omega * omega - decay * decay;
        const double e = std::exp(-decay * h), k = std::sqrt(std::abs(k2));
        // sine over k: of an angle below critical damping, hyperbolic above, h itself at it.
        const bool still = k * h < 1e-6;
        const double s = still ? h : (k2 > 0 ? std::sin(k * h) : std::sinh(k * h)) / k;
        const double cosine = still ? 1 : k2 > 0 ? std::cos(k * h) : std::cosh(k * h);
        a = e * (cosine + decay * s);
        b = e * s;
        c = -e * omega * omega * s;
        d = e * (cosine - decay * s);
        lag = 2 * damping / omega;
    }

    /// One step behind a target that goes on at `speed`, which was `before`.
    void step(Vec3& behind, Vec3& behind_speed, Vec3 before, Vec3 speed) const {
        const Vec3 rest = -lag * speed;
        const Vec3 x = behind - rest, v = behind_speed - (speed - before);
        behind = rest + a * x + b * v;
        behind_speed = c * x + d * v;
    }
};

Vec3 rotation_vector(Quat q) {
    const Quat n = nearest(q, {});
    const Vec3 v{n.x, n.y, n.z};
    const double s = length(v), angle = 2 * std::atan2(s, n.w);
    return s > 1e-12 ? v * (angle / s) : 2.0 * v;
}
Quat from_rotation_vector(Vec3 v) { return from_axis_angle(normalized(v, {1, 0, 0}), length(v)); }

/// Puts the node at a world place and turn, as far as the weight says.
void place_node(const BoundLag& rule, PoseTile& tile, int f, Vec3 place, Quat turn) {
    const LocalRowsOut local = local_rows(tile, rule.node);
    const double w = weights_of(tile, rule.weight)[f];
    const Affine above = load(world_rows(tile, rule.parent), f);
    if (rule.position) {
        const Vec3 from = place_of(local, f);
        store_place(local, f, from + w * (apply(inverse(above), place) - from));
    }
    if (rule.orientation)
        store(turns(local), f,
              slerp(load(turns(local), f), conjugate(orientation(above)) * turn, w));
}

void begin(LagState& s, Vec3 place, Quat turn) {
    s = {};
    s.begun = true;
    s.place = place;
    s.turn = turn;
}

}  // namespace

LagRule read_lag(TomlTable& t) {
    LagRule rule;
    rule.node = t.text("node");
    rule.position = rule.orientation = false;
    for (const std::string& part : t.texts("parts", {"position"})) {
        if (part == "position")
            rule.position = true;
        else if (part == "orientation")
            rule.orientation = true;
        else
            t.fail(Code::kValueBad, "parts", part, "position or orientation");
    }
    rule.frequency = read_within(t, "frequency", {}, 0.01, 100);
    rule.damping = read_within(t, "damping", 0.5, 0, 20);
    rule.run_in = read_within(t, "run_in", 2, 0, 60);
    rule.weight = read_amount(t, "weight", 1);
    return rule;
}

void convert(LagRule&, const Conversion&) {}

Result<BoundLag> bind(const LagRule& rule, Binder& binder) {
    BoundLag bound{};
    MELLOW_TRY(bound.node, binder.node("node", rule.node));
    MELLOW_TRY(bound.weight, binder.amount(rule.weight));
    bound.parent = row_above(binder, bound.node);
    bound.position = rule.position;
    bound.orientation = rule.orientation;
    bound.frequency = rule.frequency;
    bound.damping = rule.damping;
    bound.run_in = rule.run_in;
    bound.track = std::make_shared<Track>();
    bound.track->width = kWidth;
    bound.state = std::make_shared<LagState>();
    binder.begins_from_keys(bound.node);
    binder.reads_world(binder.parent(bound.node));
    binder.line(fmt::format("lag {}", rule.node));
    const int parts = (rule.position ? kPosition : 0) | (rule.orientation ? kOrientation : 0);
    MELLOW_CHECK(binder.writes(bound.node, parts, WriteStage::kLag));
    return bound;
}

void simulate(const BoundLag& rule, int count, const Affine* moved, PoseTile& tile) {
    const Spring spring(rule.frequency, rule.damping);
    LagState& s = *rule.state;
    const LocalRows local = local_rows(tile, rule.node);
    for (int f = 0; f < count; ++f) {
        const Affine above = load(world_rows(tile, rule.parent), f);
        const Affine shift = moved != nullptr ? moved[f] : Affine{};
        const Vec3 place = apply(shift, apply(above, place_of(local, f)));
        const Quat turn = orientation(shift) * (orientation(above) * load(turns(local), f));
        if (s.begun) {
            const Vec3 speed = (place - s.place) * kStepsPerSecond;
            const Vec3 turn_speed = kStepsPerSecond * rotation_vector(turn * conjugate(s.turn));
            spring.step(s.behind, s.behind_speed, s.speed, speed);
            spring.step(s.turned, s.turned_speed, s.turn_speed, turn_speed);
            s.place = place, s.speed = speed;
            s.turn = turn, s.turn_speed = turn_speed;
        } else {
            begin(s, place, turn);
        }
        const Vec3 at = place + s.behind, speed = s.speed + s.behind_speed;
        const Quat facing = from_rotation_vector(s.turned) * turn;
        for (const double v :
             {at.x, at.y, at.z, speed.x, speed.y, speed.z, facing.x, facing.y, facing.z, facing.w})
            rule.track->values.push_back(v);
        const Affine back = inverse(shift);
        place_node(rule, tile, f, apply(back, at), conjugate(orientation(shift)) * facing);
    }
}

void run(const BoundLag& rule, std::span<const double> seconds, PoseTile& tile) {
    const Track& track = *rule.track;
    for (int f = 0; f < kF; ++f) {
        double u = 0;
        const std::size_t k =
            track.find(seconds[std::min(static_cast<std::size_t>(f), seconds.size() - 1)], u);
        const double *a = track.at(k), *b = u > 0 ? track.at(k + 1) : a;
        const double h = 1 / kStepsPerSecond;
        const Vec3 p0{a[0], a[1], a[2]}, p1{b[0], b[1], b[2]};
        const Vec3 m0 = h * Vec3{a[3], a[4], a[5]}, m1 = h * Vec3{b[3], b[4], b[5]};
        const Vec3 place = (1 + 2 * u) * (1 - u) * (1 - u) * p0 + u * (1 - u) * (1 - u) * m0 +
                           u * u * (3 - 2 * u) * p1 + u * u * (u - 1) * m1;
        place_node(rule, tile, f, place,
                   slerp({a[6], a[7], a[8], a[9]}, {b[6], b[7], b[8], b[9]}, u));
    }
}

}  // namespace mellow
