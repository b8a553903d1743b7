// The walk of rules with memory through time, once, when a rig is bound.
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include "model/lanes.h"
#include "rig/plan.h"

namespace mellow {
namespace {

constexpr double kLongestRunIn_s = 600;

template <class Rule>
bool has(const Rig::Plan& plan) {
    return std::any_of(plan.rules.begin(), plan.rules.end(),
                       [](const BoundRule& rule) { return std::holds_alternative<Rule>(rule); });
}

template <class Rule>
void start_tracks(const Rig::Plan& plan, double start) {
    for (const BoundRule& rule : plan.rules)
        if (const auto* bound = std::get_if<Rule>(&rule)) {
            bound->track->start = start;
            bound->track->values.clear();
            *bound->state = {};
        }
}

/// Wheels: from the first moment there is to the last that is played.
void walk_rolls(const Rig::Plan& plan, std::array<double, 2> span, PoseTile& tile) {
    start_tracks<BoundRoll>(plan, span[0]);
    const auto steps =
        static_cast<std::size_t>(std::ceil((span[1] - span[0]) * kStepsPerSecond)) + 1;
    Walk walk;
    walk.rolls = true;
    for (std::size_t first = 0; first < steps; first += kTileFrames) {
        double seconds[kTileFrames];
        walk.count = static_cast<int>(std::min<std::size_t>(kTileFrames, steps - first));
        for (int f = 0; f < walk.count; ++f)
            seconds[f] = span[0] +
                         static_cast<double>(first + static_cast<std::size_t>(f)) / kStepsPerSecond;
        evaluate_plan(plan, {seconds, static_cast<std::size_t>(walk.count)}, tile, &walk);
    }
}

/// What one loop adds to the place and turn of each lagging node, without its lag.
std::map<std::size_t, Affine> loop_steps(const Rig::Plan& plan, const Played& played,
                                         PoseTile& tile) {
    const double ends[2] = {played.first_second, played.last_second};
    Walk walk;
    walk.without_memory = true;
    evaluate_plan(plan, ends, tile, &walk);
    std::map<std::size_t, Affine> steps;
    for (std::size_t r = 0; r < plan.rules.size(); ++r) {
        const auto* lag = std::get_if<BoundLag>(&plan.rules[r]);
        if (lag == nullptr) continue;
        const auto rigid = [&](int lane) {
            const Affine world = tile.world(lag->node, lane);
            return to_affine({world.o, orientation(world), {1, 1, 1}});
        };
        steps[r] = rigid(1) * inverse(rigid(0));
    }
    return steps;
}

Affine power(const Affine& step, int times) {
    Affine out;
    const Affine once = times < 0 ? inverse(step) : step;
    for (int i = 0; i < std::abs(times); ++i) out = once * out;
    return out;
}

/// Seconds until a lag has forgotten all but a millionth of how it began: its slowest part falls as
/// exp(-rate * t), with the rate of a damped oscillator.
double settling_time(const BoundLag& lag) {
    const double w = 2 * std::numbers::pi * lag.frequency, z = lag.damping;
    const double rate = z < 1 ? z * w : w / (z + std::sqrt(z * z - 1));
    return std::log(1e6) / std::max(rate, 1e-12);
}

void walk_lags(const Rig::Plan& plan, const Played& played, PoseTile& tile) {
    double run_in = 0;
    for (const BoundRule& rule : plan.rules)
        if (const auto* lag = std::get_if<BoundLag>(&rule)) run_in = std::max(run_in, lag->run_in);
    const double length = played.last_second - played.first_second;
    const bool loop = played.loop && length > 0;
    if (loop) {
        for (const BoundRule& rule : plan.rules)
            if (const auto* lag = std::get_if<BoundLag>(&rule))
                run_in = std::max(run_in, std::min(settling_time(*lag), kLongestRunIn_s));
        run_in = std::ceil(run_in / length) * length;
    }
    const auto before = static_cast<int>(std::ceil(run_in * kStepsPerSecond));
    const auto steps = before + static_cast<int>(std::ceil(length * kStepsPerSecond)) + 1;
    const double start = played.first_second - before / kStepsPerSecond;
    start_tracks<BoundLag>(plan, start);
    const auto loops = loop ? loop_steps(plan, played, tile) : std::map<std::size_t, Affine>{};
    std::map<std::size_t, std::vector<Affine>> moved;
    Walk walk;
    walk.lags = true;
    walk.moved = &moved;
    for (int first = 0; first < steps; first += kTileFrames) {
        double seconds[kTileFrames];
        walk.count = std::min(kTileFrames, steps - first);
        for (auto& [rule, list] : moved) list.clear();
        for (int f = 0; f < walk.count; ++f) {
            double t = played.first_second + (first + f - before) / kStepsPerSecond;
            int rounds = 0;
            if (loop && (t < played.first_second || t > played.last_second)) {
                // The end of a loop belongs to it, not to the next one.
                rounds = static_cast<int>(std::ceil((t - played.first_second) / length)) - 1;
                t -= rounds * length;
            }
            seconds[f] = std::max(t, std::min(plan.motion.span()[0], played.first_second));
            for (const auto& [rule, step] : loops) moved[rule].push_back(power(step, rounds));
        }
        evaluate_plan(plan, {seconds, static_cast<std::size_t>(walk.count)}, tile, &walk);
    }
}

}  // namespace

Status walk_memory(const Rig::Plan& plan, const Performance& performance) {
    const std::optional<Played>& played = performance.played;
    const double most = performance.most_walk_s;
    if (!has<BoundRoll>(plan) && !has<BoundLag>(plan)) return {};
    auto span = plan.motion.span();
    // Without a part that is played it is enough to know that the rules can be walked.
    span[1] = played ? std::clamp(played->last_second, span[0], span[1])
                     : std::min(span[1], span[0] + most);
    const Edit longer{"target", "most_walk_seconds",
                      fmt::format("{:.0f}", std::ceil(span[1] - span[0]))};
    if (span[1] - span[0] > most)
        return Finding{
            Code::kLimit,
            Severity::kStop,
            "rules with memory",
            fmt::format("{:.6g} s from the first key to the end of the clip", span[1] - span[0]),
            fmt::format("at most {:g} s to roll wheels over", most),
            "a timeline that begins nearer to the clip; or " + edit_lines({longer}),
            {longer}};
    PoseTile tile = make_tile(plan);
    if (has<BoundRoll>(plan)) walk_rolls(plan, span, tile);
    if (has<BoundLag>(plan))
        walk_lags(plan, played.value_or(Played{span[0], span[1], false}), tile);
    return {};
}

}  // namespace mellow
