// All conventions of a file, worked out from the meaning of up, front, hand and unit alone.
#pragma once

#include <array>
#include <vector>

#include "mellow/convention.h"

namespace mellow::test {

/// Axes of a file by whole numbers: which of its axes, with which sign, is left, up and front.
struct Told {
    std::array<std::array<int, 3>, 3> inside;  ///< [left, up, front][x, y, z of the file]
    double unit;                               ///< metres
    Axis up, front;
    int hand = 1;  ///< -1: left-handed
};

inline std::vector<Told> all_conventions() {
    std::vector<Told> all;
    const auto axis = [](int i) {
        std::array<int, 3> v{};
        v[static_cast<std::size_t>(i / 2)] = i % 2 == 0 ? 1 : -1;
        return v;
    };
    for (int up = 0; up < 6; ++up)
        for (int front = 0; front < 6; ++front) {
            if (up / 2 == front / 2) continue;
            const auto u = axis(up), f = axis(front);
            for (const int hand : {1, -1}) {
                const std::array<int, 3> left{hand * (u[1] * f[2] - u[2] * f[1]),
                                              hand * (u[2] * f[0] - u[0] * f[2]),
                                              hand * (u[0] * f[1] - u[1] * f[0])};
                // One unit is enough for the other hand: units and hands do not meet.
                const std::vector<double> units =
                    hand == 1 ? std::vector{1.0, 0.01, 0.0254, 1000.0} : std::vector{0.01};
                for (const double unit : units)
                    all.push_back({{left, u, f},
                                   unit,
                                   static_cast<Axis>(up),
                                   static_cast<Axis>(front),
                                   hand});
            }
        }
    return all;
}

/// A vector inside, in the axes of the file.
inline std::array<double, 3> file_vector(const Told& told, std::array<double, 3> inside) {
    std::array<double, 3> out{};
    for (std::size_t i = 0; i < 3; ++i)
        for (std::size_t c = 0; c < 3; ++c) out[c] += inside[i] * told.inside[i][c];
    return out;
}

inline Convention convention_of(const Told& told) {
    return {told.unit, told.up, told.front, told.hand == 1 ? Hand::kRight : Hand::kLeft};
}

}  // namespace mellow::test
