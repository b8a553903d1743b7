// Triangles as a small picture, the nearest of them at each point.
#pragma once

#include <array>
#include <cstdint>
#include <vector>

namespace mellow {

struct Color {
    double r = 0, g = 0, b = 0;
};

/// Corners in pixels, x to the right and y down, and how near they are: more is nearer.
struct FlatTriangle {
    std::array<std::array<double, 3>, 3> corners{};
    Color color;
};

/// Alpha, red, green, blue from the highest byte on, colours times alpha; row by row.
struct Raster {
    int width = 0, height = 0;
    std::vector<std::uint32_t> pixels;
};

/// Sixteen points a pixel, so that edges are smooth and neighbours meet without a seam. Shares
/// nothing between calls.
Raster rasterised(int width, int height, const std::vector<FlatTriangle>& triangles);

}  // namespace mellow
