#include "rig/noise.h"

#include <cmath>

namespace mellow {
namespace {

/// A slope in [-1, 1] for a whole number; the finaliser of MurmurHash3 (Austin Appleby, public
/// domain) scatters seed and place.
double slope(std::int64_t cell, std::uint32_t seed) {
    std::uint64_t h = static_cast<std::uint64_t>(cell) * 0x9E3779B97F4A7C15ULL +
                      static_cast<std::uint64_t>(seed) * 0xD1B54A32D192ED03ULL + 1;
    h = (h ^ (h >> 33)) * 0xFF51AFD7ED558CCDULL;
    h = (h ^ (h >> 33)) * 0xC4CEB9FE1A85EC53ULL;
    h ^= h >> 33;
    return static_cast<double>(h >> 11) * 0x1p-52 - 1;
}

}  // namespace

double smooth_noise(double at, std::uint32_t seed) {
    // Gradient noise is 0 on whole numbers: beats fall beside them, so that it moves at any rate.
    constexpr double kBeside = 0.381966011250105;  // 2 minus the golden ratio
    at += kBeside;
    const double cell = std::floor(at), u = at - cell;
    const auto i = static_cast<std::int64_t>(cell);
    const double fade = u * u * u * (u * (6 * u - 15) + 10);
    const double a = slope(i, seed) * u, b = slope(i + 1, seed) * (u - 1);
    // Two slopes of 1 and -1 meet at 0.5 in the middle.
    return 2 * (a + fade * (b - a));
}

}  // namespace mellow
