// Angles are radians inside; files and people use degrees.
#pragma once

#include <numbers>

namespace mellow {

inline constexpr double kDegrees = 180 / std::numbers::pi;  ///< per radian
inline constexpr double kRadians = std::numbers::pi / 180;  ///< per degree

}  // namespace mellow
