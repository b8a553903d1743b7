// What is suspect about a scene, said as findings.
#pragma once

#include "mellow/stock.h"

namespace mellow {

/// A stretch without change is a still when it lasts as many frames.
inline constexpr std::int64_t kShortStill = 3;

/// Judges what was counted; everything in `stock` but its findings is filled.
Findings judge(const Scene& scene, const Stock& stock);

/// Metres per unit that make something `units` long a person: a power of ten that makes it 1 to
/// 2.5 m, else what makes it 1.7 m, of three figures.
double person_unit(double units);

/// Pairs of legs: joints named like a part of a leg, once left and once right.
struct Legs {
    int pairs = 0;
    Vec3 up;    ///< from the lowest joint of each leg to its highest, added up
    Vec3 left;  ///< from the right one to the left one
    Vec3 feet;  ///< from the lowest joints named like a leg to the toes below them, added up
};
Legs find_legs(const Scene& scene, const std::vector<NodeClass>& classes);

}  // namespace mellow
