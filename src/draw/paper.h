// What all pictures are drawn with: colours, a frame with a title, numbers along axes.
#pragma once

#include <fmt/format.h>

#include <cmath>
#include <string>

#include "draw/canvas.h"
#include "mellow/sheet.h"

namespace mellow {

inline constexpr Color kPaper{0.965, 0.945, 0.906}, kInk{0.20, 0.19, 0.17},
    kFaint{0.80, 0.77, 0.71}, kGround{0.47, 0.56, 0.33}, kPath{0.72, 0.22, 0.16},
    kPale{0.93, 0.90, 0.84}, kMid{0.45, 0.43, 0.39};
/// Of lines that stand for different things: dark to light, so that lightness alone tells them
/// apart.
inline constexpr Color kLines[] = {{0.10, 0.20, 0.45}, {0.72, 0.22, 0.16}, {0.20, 0.50, 0.45},
                                   {0.80, 0.55, 0.10}, {0.45, 0.30, 0.60}, {0.35, 0.60, 0.80}};

/// From where a figure is seen: unit vectors to the right, up, and to whoever looks, inside.
struct Eye {
    Vec3 right, up, toward;

    Vec3 seen(const Vec3& p) const { return {dot(p, right), dot(p, up), dot(p, toward)}; }
};
Eye eye_of(ViewFrom from);

/// A step of 1, 2 or 5 times a power of ten that gives at least `pixels` per step.
inline double nice_step(double pixels_per_unit, double pixels) {
    double step = std::pow(10, std::floor(std::log10(pixels / pixels_per_unit)));
    for (const double k : {2.0, 2.5, 2.0})
        if (step * pixels_per_unit < pixels) step *= k;
    return step;
}

/// A number without noise: "0.25", "1e+03".
inline std::string metres(double v) { return fmt::format("{:.2g}", std::abs(v) < 1e-9 ? 0.0 : v); }

/// Words that are too long end in dots.
inline std::string fitting(const std::string& words, std::size_t most) {
    return words.size() <= most ? words : words.substr(0, most - 3) + "...";
}

/// The title, and what it is about beneath.
inline void head(Canvas& canvas, const std::string& title, const std::string& about) {
    canvas.text(20, 32, fitting(title, 90), kInk, 20, Align::kLeft, true);
    canvas.text(20, 49, about, kMid, 11);
}

}  // namespace mellow
