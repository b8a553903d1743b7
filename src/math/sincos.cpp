#include "math/sincos.h"

#include <algorithm>
#include <cmath>

#include "base/kernel.h"

namespace mellow {
namespace {

constexpr double kMost = 1e5;

constexpr std::size_t kTurns = 16;

MELLOW_KERNEL void kernel(const double* angles, double* sines, double* cosines) {
    // Adding and taking away 1.5 * 2^52 rounds to a whole number; its lowest bits are the quadrant.
    constexpr double kRound = 6755399441055744.0;
    constexpr double kHalfPi1 = 1.57079632673412561417e+00, kHalfPi2 = 6.07710050630396597660e-11,
                     kHalfPi3 = 2.02226624879595063154e-21;
#pragma GCC ivdep
    for (std::size_t i = 0; i < kTurns; ++i) {
        const double whole = (angles[i] * 0.63661977236758134308 + kRound) - kRound;
        const double x = ((angles[i] - whole * kHalfPi1) - whole * kHalfPi2) - whole * kHalfPi3;
        const double z = x * x;
        double s = -1.0 / 1307674368000;
        s = s * z + 1.0 / 6227020800;
        s = s * z - 1.0 / 39916800;
        s = s * z + 1.0 / 362880;
        s = s * z - 1.0 / 5040;
        s = s * z + 1.0 / 120;
        s = s * z - 1.0 / 6;
        s = x + x * (z * s);
        double c = 1.0 / 20922789888000;
        c = c * z - 1.0 / 87178291200;
        c = c * z + 1.0 / 479001600;
        c = c * z - 1.0 / 3628800;
        c = c * z + 1.0 / 40320;
        c = c * z - 1.0 / 720;
        c = c * z + 1.0 / 24;
        c = 1 + z * (c * z - 0.5);
        // Quadrants by arithmetic, so that no lane branches: quarter = whole mod 4.
        const double quarter = whole - 4 * (((whole * 0.25 - 0.375) + kRound) - kRound);
        const bool odd = quarter == 1 || quarter == 3;
        const double a = odd ? c : s, b = odd ? s : c;
        sines[i] = quarter >= 2 ? -a : a;
        cosines[i] = quarter == 1 || quarter == 2 ? -b : b;
    }
}

}  // namespace

void sincos(const double* angles, std::size_t count, double* sines, double* cosines) {
    std::size_t done = 0;
    for (; done + kTurns <= count; done += kTurns)
        kernel(angles + done, sines + done, cosines + done);
    if (done < count) {
        double rest[kTurns] = {}, s[kTurns], c[kTurns];
        std::copy(angles + done, angles + count, rest);
        kernel(rest, s, c);
        std::copy_n(s, count - done, sines + done);
        std::copy_n(c, count - done, cosines + done);
    }
    for (std::size_t i = 0; i < count; ++i)
        if (!(std::abs(angles[i]) <= kMost))
            sines[i] = std::sin(angles[i]), cosines[i] = std::cos(angles[i]);
}

}  // namespace mellow
