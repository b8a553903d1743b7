#include "rig/key_plan.h"

#include <algorithm>

#include "base/kernel.h"
#include "base/transpose.h"
#include "model/lanes.h"

namespace mellow {
namespace {

/// Sixteen keys in a row, turned from [key][number] to [number][lane].
MELLOW_KERNEL void transpose_kernel(const float* values, int width, double* rows) {
    // Hundreds of curves take turns: the next tile's keys are asked for one tile ahead.
    for (int line = 0; line < width * kF; line += 16)
        __builtin_prefetch(values + width * kF + line);
    if (width == 4) {
        for (int f = 0; f < kF; f += 4) {
            Float4v a = load_float4(values + 4 * f), b = load_float4(values + 4 * f + 4),
                    c = load_float4(values + 4 * f + 8), d = load_float4(values + 4 * f + 12);
            turn_4x4(a, b, c, d);
            widen(a, rows + f), widen(b, rows + kF + f);
            widen(c, rows + 2 * kF + f), widen(d, rows + 3 * kF + f);
        }
        return;
    }
    for (int f = 0; f < kF; f += 4) {
        Float4v a = load_float4(values + 3 * f), b = load_float4(values + 3 * f + 4),
                c = load_float4(values + 3 * f + 8);
        turn_items_of_3(a, b, c);
        widen(a, rows + f), widen(b, rows + kF + f), widen(c, rows + 2 * kF + f);
    }
}
MELLOW_KERNEL void transpose_kernel(const double* values, int width, double* rows) {
    for (int c = 0; c < width; ++c)
        for (int f = 0; f < kF; ++f) rows[c * kF + f] = values[f * width + c];
}

/// [number][lane] of chosen groups of numbers, `stride` apart.
template <class Number>
void gather(const Number* values, std::size_t stride, std::size_t offset, std::size_t width,
            const std::size_t* key, double* rows) {
    for (std::size_t f = 0; f < kTileFrames; ++f) {
        const Number* from = values + key[f] * stride + offset;
        for (std::size_t c = 0; c < width; ++c)
            rows[c * kTileFrames + f] = static_cast<double>(from[c]);
    }
}

MELLOW_KERNEL void mix_kernel(const double* next, const double* u, std::size_t width,
                              double* rows) {
    for (std::size_t c = 0; c < width; ++c)
        for (std::size_t f = 0; f < kTileFrames; ++f) {
            double& v = rows[c * kTileFrames + f];
            v += u[f] * (next[c * kTileFrames + f] - v);
        }
}

MELLOW_KERNEL void unit_kernel(double* rows) {
#pragma GCC ivdep
    for (int f = 0; f < kF; ++f) store4(rows, f, normalized(load4(rows, f)));
}

/// Cubic Hermite; rows of values and of slopes at both ends.
MELLOW_KERNEL void hermite_kernel(const double* slope, const double* next, const double* next_slope,
                                  const KeyPlan& plan, std::size_t width, double* rows) {
    for (std::size_t c = 0; c < width; ++c)
        for (std::size_t f = 0; f < kTileFrames; ++f) {
            const std::size_t i = c * kTileFrames + f;
            const double u = plan.u[f], dt = plan.width[f], u2 = u * u, u3 = u2 * u;
            rows[i] = (2 * u3 - 3 * u2 + 1) * rows[i] + dt * (u3 - 2 * u2 + u) * slope[i] +
                      (3 * u2 - 2 * u3) * next[i] + dt * (u3 - u2) * next_slope[i];
        }
}

/// Most numbers of a key that are handled in lanes; more go on by pieces of this many.
constexpr std::size_t kPiece = 4;

template <class Number>
void sample_piece(const Number* values, const Curve& curve, std::size_t first, std::size_t width,
                  bool rotation, const KeyPlan& plan, double* rows) {
    const bool cubic = curve.interpolation == Interpolation::kCubicSpline;
    const auto whole = static_cast<std::size_t>(curve.width);
    const std::size_t stride = cubic ? 3 * whole : whole, middle = (cubic ? whole : 0) + first;
    if (plan.in_a_row && !cubic && (whole == 3 || whole == 4) && width == whole) {
        transpose_kernel(values + plan.key[0] * stride, static_cast<int>(width), rows);
    } else {
        gather(values, stride, middle, width, plan.key, rows);
        if (!plan.on_keys && curve.interpolation != Interpolation::kStep) {
            alignas(64) double next[kPiece * kTileFrames];
            gather(values, stride, middle, width, plan.next, next);
            if (cubic) {
                alignas(64) double out[kPiece * kTileFrames], in[kPiece * kTileFrames];
                gather(values, stride, middle + whole, width, plan.key, out);
                gather(values, stride, middle - whole, width, plan.next, in);
                hermite_kernel(out, next, in, plan, width, rows);
            } else if (rotation) {
                unit_kernel(rows);
                unit_kernel(next);
                for (int f = 0; f < kF; ++f)
                    if (plan.u[f] > 0)
                        store4(rows, f, slerp(load4(rows, f), load4(next, f), plan.u[f]));
            } else {
                mix_kernel(next, plan.u, width, rows);
            }
        }
    }
    if (rotation) unit_kernel(rows);
}

}  // namespace

KeyPlan plan_keys(const KeyTimes& times, std::span<const double> seconds) {
    KeyPlan plan;
    plan.identity = times.identity();
    const std::vector<double>& list = times.list();
    std::size_t key = 0;
    plan.on_keys = plan.in_a_row = true;
    for (std::size_t f = 0; f < kTileFrames; ++f) {
        const double t = seconds[std::min(f, seconds.size() - 1)];
        if (list[key] > t) key = 0;
        if (key + 1 < list.size() && list[key + 1] <= t) {
            ++key;
            if (key + 1 < list.size() && list[key + 1] <= t)
                key = static_cast<std::size_t>(
                          std::upper_bound(list.begin() + static_cast<std::ptrdiff_t>(key),
                                           list.end(), t) -
                          list.begin()) -
                      1;
        }
        const bool held = key + 1 >= list.size() || t <= list[key];
        const double width = held ? 0 : list[key + 1] - list[key];
        double u = held ? 0 : (t - list[key]) / width;
        std::size_t from = key;
        if (u < 1e-9) u = 0;
        if (u > 1 - 1e-9) u = 0, ++from;
        plan.key[f] = from;
        plan.next[f] = std::min(from + 1, list.size() - 1);
        plan.u[f] = u;
        plan.width[f] = u > 0 ? width : 0;
        plan.on_keys = plan.on_keys && u == 0;
        plan.in_a_row = plan.in_a_row && u == 0 && from == plan.key[0] + f;
    }
    return plan;
}

void sample_lanes(const Curve& curve, bool rotation, const KeyPlan& plan, double* rows) {
    const auto width = static_cast<std::size_t>(curve.width);
    for (std::size_t first = 0; first < width; first += kPiece) {
        const std::size_t piece = std::min(kPiece, width - first);
        double* out = rows + first * kTileFrames;
        if (const auto singles = curve.values.singles(); !singles.empty())
            sample_piece(singles.data(), curve, first, piece, rotation, plan, out);
        else
            sample_piece(curve.values.doubles().data(), curve, first, piece, rotation, plan, out);
    }
}

}  // namespace mellow
