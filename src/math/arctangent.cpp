#include "math/arctangent.h"

#include <algorithm>
#include <cmath>

#include "base/kernel.h"

namespace mellow {
namespace {

constexpr std::size_t kLanes = 16;

MELLOW_KERNEL void kernel(const double* y, const double* x, double* angles) {
    constexpr double kPi = 3.14159265358979323846, kPiRest = 1.22464679914735317636e-16;
#pragma GCC ivdep
    for (std::size_t i = 0; i < kLanes; ++i) {
        const double ax = std::abs(x[i]), ay = std::abs(y[i]);
        const double small = std::min(ax, ay), large = std::max(ax, ay);
        const double t = small / (large > 0 ? large : 1.0);  // 0 to 1
        const bool high = t > 0.66;
        const double u = high ? (t - 1) / (t + 1) : t, z = u * u;
        const double p = (((-8.750608600031904122785e-1 * z - 1.615753718733365076637e1) * z -
                           7.500855792314704667340e1) *
                              z -
                          1.228866684490136173410e2) *
                             z -
                         6.485021904942025371773e1;
        const double q = ((((z + 2.485846490142306297962e1) * z + 1.650270098316988542046e2) * z +
                           4.328810604912902668951e2) *
                              z +
                          4.853903996359136964868e2) *
                             z +
                         1.945506571482613964425e2;
        double a = u + u * (z * (p / q));
        a = high ? (a + 0.25 * kPiRest) + 0.25 * kPi : a;
        a = ay > ax ? 0.5 * kPi - (a - 0.5 * kPiRest) : a;
        a = x[i] < 0 ? kPi - (a - kPiRest) : a;
        angles[i] = y[i] < 0 ? -a : a;
    }
}

}  // namespace

void arctangent(const double* y, const double* x, std::size_t count, double* angles) {
    std::size_t done = 0;
    for (; done + kLanes <= count; done += kLanes) kernel(y + done, x + done, angles + done);
    if (done == count) return;
    double ys[kLanes] = {}, xs[kLanes] = {}, out[kLanes];
    std::copy(y + done, y + count, ys);
    std::copy(x + done, x + count, xs);
    kernel(ys, xs, out);
    std::copy_n(out, count - done, angles + done);
}

}  // namespace mellow
