#include "draw/raster.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace mellow {
namespace {

constexpr int kFine = 4;  ///< points a pixel, along each side

std::uint32_t packed(const Color& c) {
    const auto byte = [](double v) {
        return static_cast<std::uint32_t>(std::lround(255 * std::clamp(v, 0.0, 1.0)));
    };
    return 0xFF000000U | byte(c.r) << 16 | byte(c.g) << 8 | byte(c.b);
}

/// Points of a picture that is finer than the one that is wanted. `left`, `top`: pixels of the
/// picture that stand before the first point.
class Points {
  public:
    Points(int left, int top, int width, int height)
        : left_(left),
          top_(top),
          width_(width * kFine),
          height_(height * kFine),
          near_(static_cast<std::size_t>(width_) * static_cast<std::size_t>(height_),
                -std::numeric_limits<float>::infinity()),
          colors_(near_.size(), 0) {}

    void fill(const FlatTriangle& t) {
        double x[3], y[3], z[3];
        for (std::size_t k = 0; k < 3; ++k)
            x[k] = (t.corners[k][0] - left_) * kFine, y[k] = (t.corners[k][1] - top_) * kFine,
            z[k] = t.corners[k][2];
        const int first = std::max(0, row_of(std::min(std::min(y[0], y[1]), y[2]))),
                  last = std::min(height_, row_of(std::max(std::max(y[0], y[1]), y[2])));
        const double area = (x[1] - x[0]) * (y[2] - y[0]) - (x[2] - x[0]) * (y[1] - y[0]);
        // Between two rows, seen from its edge, or no number.
        if (first >= last || !(std::abs(area) > 1e-9)) return;
        // Nearness is a plane over the picture.
        const double across =
                         ((z[1] - z[0]) * (y[2] - y[0]) - (z[2] - z[0]) * (y[1] - y[0])) / area,
                     down = ((z[2] - z[0]) * (x[1] - x[0]) - (z[1] - z[0]) * (x[2] - x[0])) / area;
        double slope[3];  // of the edge from each corner to the next, in columns a row
        for (int k = 0; k < 3; ++k) {
            const int next = (k + 1) % 3;
            slope[k] = y[next] == y[k] ? 0 : (x[next] - x[k]) / (y[next] - y[k]);
        }
        const std::uint32_t color = packed(t.color);
        for (int row = first; row < last; ++row) {
            const double at = row + 0.5;
            double left = std::numeric_limits<double>::infinity(), right = -left;
            for (int k = 0; k < 3; ++k) {
                if ((y[k] <= at) == (y[(k + 1) % 3] <= at)) continue;
                const double cut = x[k] + slope[k] * (at - y[k]);
                left = std::min(left, cut), right = std::max(right, cut);
            }
            const int begin = std::max(0, row_of(left)), end = std::min(width_, row_of(right));
            const std::size_t line =
                static_cast<std::size_t>(row) * static_cast<std::size_t>(width_);
            const double origin = z[0] + across * (0.5 - x[0]) + down * (at - y[0]);
            for (int column = begin; column < end; ++column) {
                const auto near = static_cast<float>(origin + across * column);
                const std::size_t point = line + static_cast<std::size_t>(column);
                if (near < near_[point]) continue;
                near_[point] = near;
                colors_[point] = color;
            }
        }
    }

    /// The mean of a pixel's points: two channels at a time, each in sixteen bits.
    std::uint32_t pixel(int x, int y) const {
        std::uint32_t even = 0, odd = 0;
        for (int row = 0; row < kFine; ++row) {
            const std::uint32_t* c = &colors_[static_cast<std::size_t>(y * kFine + row) *
                                                  static_cast<std::size_t>(width_) +
                                              static_cast<std::size_t>(x * kFine)];
            for (int column = 0; column < kFine; ++column) {
                even += c[column] & 0x00FF00FFU;
                odd += c[column] >> 8 & 0x00FF00FFU;
            }
        }
        constexpr std::uint32_t kHalf = kFine * kFine / 2 * 0x00010001U;
        static_assert(kFine == 4, "sixteen points are a shift by four");
        return ((even + kHalf) >> 4 & 0x00FF00FFU) | ((odd + kHalf) >> 4 & 0x00FF00FFU) << 8;
    }

  private:
    /// The first row, or column, whose middle is at or beyond `v`: the ceiling of v - 0.5, without
    /// a call.
    static int row_of(double v) {
        constexpr int kFar = 1 << 20;
        return kFar - static_cast<int>(kFar + 0.5 - std::clamp(v, -1e6, 1e6));
    }

    int left_, top_, width_, height_;
    std::vector<float> near_;
    std::vector<std::uint32_t> colors_;
};

}  // namespace

Raster rasterised(int width, int height, const std::vector<FlatTriangle>& triangles) {
    Raster out{width, height, {}};
    out.pixels.assign(static_cast<std::size_t>(width) * static_cast<std::size_t>(height), 0);
    // Only where something is: most of a cell is paper.
    double low[2] = {1e9, 1e9}, high[2] = {-1e9, -1e9};
    for (const FlatTriangle& t : triangles)
        for (const auto& corner : t.corners)
            for (std::size_t k = 0; k < 2; ++k)
                low[k] = std::min(low[k], corner[k]), high[k] = std::max(high[k], corner[k]);
    const auto bound = [](double v, int most) {
        return static_cast<int>(std::clamp(v, 0.0, static_cast<double>(most)));
    };
    const int left = bound(std::floor(low[0]), width), top = bound(std::floor(low[1]), height),
              wide = bound(std::ceil(high[0]) + 1, width) - left,
              tall = bound(std::ceil(high[1]) + 1, height) - top;
    if (wide <= 0 || tall <= 0) return out;
    Points points(left, top, wide, tall);
    for (const FlatTriangle& t : triangles) points.fill(t);
    for (int y = 0; y < tall; ++y)
        for (int x = 0; x < wide; ++x)
            out.pixels[static_cast<std::size_t>(top + y) * static_cast<std::size_t>(width) +
                       static_cast<std::size_t>(left + x)] = points.pixel(x, y);
    return out;
}

}  // namespace mellow
