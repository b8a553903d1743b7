#include "rig/sheet_words.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace mellow {

Vec3 read_axis(TomlTable& t, std::string_view key, const std::optional<std::string>& fallback) {
    const std::string axis = t.choice(key, {"+X", "-X", "+Y", "-Y", "+Z", "-Z"}, fallback);
    return direction(parse_axis(axis).value_or(Axis::kPlusY));
}

int axis_number(Vec3 axis) { return std::abs(axis.x) > 0.5 ? 0 : std::abs(axis.y) > 0.5 ? 1 : 2; }

Amount read_amount(TomlTable& t, std::string_view key, double fallback) {
    Amount amount{fallback, {}};
    if (t.is_text(key))
        amount.scalar = t.text(key);
    else
        amount.value = t.number(key, fallback);
    return amount;
}

double read_within(TomlTable& t, std::string_view key, std::optional<double> fallback, double least,
                   double most) {
    const double value = t.number(key, fallback);
    if (value < least || value > most)
        t.fail(Code::kValueBad, key, fmt::format("{}", value),
               fmt::format("a number from {} to {}", least, most));
    return std::clamp(value, least, most);
}

ValueCurve read_curve(TomlTable& t, std::string_view key, std::string_view unit) {
    ValueCurve curve;
    const std::string shape = t.choice("shape", {"linear", "smooth", "step", "slopes"}, "linear");
    curve.shape = shape == "linear"   ? CurveShape::kLinear
                  : shape == "smooth" ? CurveShape::kSmooth
                  : shape == "step"   ? CurveShape::kStep
                                      : CurveShape::kSlopes;
    const std::size_t row = curve.shape == CurveShape::kSlopes ? 3 : 2;
    const std::vector<double> flat = t.numbers(key, row);
    for (std::size_t i = 0; i + row <= flat.size(); i += row) {
        if (i > 0 && flat[i] <= curve.points.back().at)
            t.fail(Code::kValueBad, key,
                   fmt::format("{} {} after {}", flat[i], unit, curve.points.back().at),
                   fmt::format("ascending {}", unit));
        curve.points.push_back({flat[i], flat[i + 1], row == 3 ? flat[i + 2] : 0});
    }
    if (curve.points.size() < 2)
        t.fail(Code::kValueBad, key, fmt::format("{} points", curve.points.size()),
               fmt::format("at least two points [{}, value]", unit));
    return curve;
}

AxisMask all_axes() { return {true, true, true}; }

AxisMask turned(const AxisMask& mask, const Conversion& c) {
    const Vec3 v = c.vector({mask.x ? 1.0 : 0.0, mask.y ? 1.0 : 0.0, mask.z ? 1.0 : 0.0});
    return {std::abs(v.x) > 0.5, std::abs(v.y) > 0.5, std::abs(v.z) > 0.5};
}

void scale_at(ValueCurve& curve, double factor) {
    for (CurvePoint& p : curve.points) p.at *= factor, p.slope /= factor;
}

}  // namespace mellow
