// How Tamsin moves: what her controls do at one moment, and words that her performances are made
// of.
#pragma once

#include <functional>
#include <map>
#include <numbers>
#include <string>
#include <vector>

#include "mellow/scene.h"

namespace orchard {

inline constexpr double kTurn = 2 * std::numbers::pi, kDegree = std::numbers::pi / 180;
inline constexpr mellow::Vec3 kX{1, 0, 0}, kY{0, 1, 0}, kZ{0, 0, 1};

/// Shifts in centimetres and turns of controls, on top of their rest pose.
struct Moment {
    std::map<std::string, mellow::Vec3> shift;
    std::map<std::string, mellow::Quat> turn;
    double smile = 0, blink = 0;

    void rotate(const std::string& name, mellow::Vec3 axis, double degrees) {
        const auto [slot, fresh] = turn.emplace(name, mellow::Quat{});
        slot->second = mellow::from_axis_angle(axis, degrees * kDegree) * slot->second;
    }
};

/// From 0 to 1 without a jump of speed, over u from 0 to 1; and over u from `from` to `to`.
double smooth(double u);
double between(double u, double from, double to);
/// Arms down, weight on both feet, the pole upright at the right side.
Moment at_ease();
/// One foot at `phase` of its own cycle: planted for 0.6, swinging for 0.4. `body`: how many cycles
/// the body has gone.
void step(Moment& m, const std::string& side, double phase, double body);

/// Frames at 24 a second, both included, and what happens as u goes from 0 to 1 over them.
struct Performance {
    int first, last;
    std::function<Moment(double u)> at;
};
/// Keys of one performance after the other on the controls of Tamsin's scene.
mellow::Timeline perform(const mellow::Scene& scene, const std::vector<Performance>& all,
                         const std::string& name);

}  // namespace orchard
