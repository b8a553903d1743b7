// Smooth noise over time, the same for the same seed on any machine.
#pragma once

#include <cstdint>

namespace mellow {

/// Gradient noise in [-1, 1]: slopes picked by the seed at whole numbers, where the value is 0,
/// joined by the quintic that keeps slope and bend (Ken Perlin, "Improving Noise", 2002). One
/// octave, no fractal sum. The largest value is scaled to 1.
double smooth_noise(double at, std::uint32_t seed);

}  // namespace mellow
