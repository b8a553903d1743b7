#include "mellow/convention.h"

#include <fmt/format.h>

#include <array>
#include <charconv>
#include <cmath>

namespace mellow {
namespace {

constexpr std::array<std::string_view, 6> kAxes{"+X", "-X", "+Y", "-Y", "+Z", "-Z"};

/// A unit, and what else people call it; the first name is the one that reports print.
struct NamedUnit {
    std::array<std::string_view, 5> names;
    double metres;
};
constexpr std::array<NamedUnit, 5> kUnits{
    {{{"metre", "m", "meter", "metres", "meters"}, 1.0},
     {{"centimetre", "cm", "centimeter", "centimetres", "centimeters"}, 0.01},
     {{"millimetre", "mm", "millimeter", "millimetres", "millimeters"}, 0.001},
     {{"inch", "in", "inches"}, 0.0254},
     {{"foot", "ft", "feet"}, 0.3048}}};

struct Preset {
    std::string_view name;
    Convention convention;
};
constexpr std::array<Preset, 8> kPresets{{
    {"y-up-metre", {1.0, Axis::kPlusY, Axis::kPlusZ}},
    {"y-up-centimetre", {0.01, Axis::kPlusY, Axis::kPlusZ}},
    {"z-up-metre", {1.0, Axis::kPlusZ, Axis::kMinusY}},
    {"z-up-centimetre", {0.01, Axis::kPlusZ, Axis::kMinusY}},
    {"y-up-metre-left", {1.0, Axis::kPlusY, Axis::kPlusZ, Hand::kLeft}},
    {"y-up-centimetre-left", {0.01, Axis::kPlusY, Axis::kPlusZ, Hand::kLeft}},
    {"z-up-metre-left", {1.0, Axis::kPlusZ, Axis::kPlusX, Hand::kLeft}},
    {"z-up-centimetre-left", {0.01, Axis::kPlusZ, Axis::kPlusX, Hand::kLeft}},
}};

/// Left, up and front of a figure, in the axes of the convention.
std::array<Vec3, 3> frame_of(const Convention& c) {
    const Vec3 up = direction(c.up), front = direction(c.front);
    return {c.hand == Hand::kRight ? cross(up, front) : cross(front, up), up, front};
}

}  // namespace

Vec3 direction(Axis axis) {
    const double sign = static_cast<int>(axis) % 2 == 0 ? 1 : -1;
    const int line = static_cast<int>(axis) / 2;
    return {line == 0 ? sign : 0, line == 1 ? sign : 0, line == 2 ? sign : 0};
}

std::string_view name(Hand hand) { return hand == Hand::kRight ? "right" : "left"; }

std::string_view name(Axis axis) { return kAxes[static_cast<std::size_t>(axis)]; }

std::vector<std::string> axis_names() { return {kAxes.begin(), kAxes.end()}; }

std::optional<Axis> parse_axis(std::string_view text) {
    for (std::size_t i = 0; i < kAxes.size(); ++i)
        if (kAxes[i] == text) return static_cast<Axis>(i);
    return {};
}

bool is_valid(const Convention& c) {
    return static_cast<int>(c.up) / 2 != static_cast<int>(c.front) / 2 &&
           std::isfinite(c.metres_per_unit) && c.metres_per_unit > 0;
}

std::string to_text(const Convention& c) {
    std::string unit = fmt::format("{} m per unit", c.metres_per_unit);
    for (const NamedUnit& named : kUnits)
        if (named.metres == c.metres_per_unit) unit = named.names[0];
    return fmt::format("{} up, {} front, {}{}", name(c.up), name(c.front), unit,
                       c.hand == Hand::kLeft ? ", left-handed" : "");
}

std::optional<double> parse_unit(std::string_view text) {
    for (const NamedUnit& unit : kUnits)
        for (const std::string_view name : unit.names)
            if (!name.empty() && name == text) return unit.metres;
    double metres = 0;
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), metres);
    const bool whole = error == std::errc{} && end == text.data() + text.size();
    return whole && metres >= 1e-6 && metres <= 1e6 ? std::optional(metres) : std::nullopt;
}

std::optional<Convention> find_preset(std::string_view preset) {
    for (const Preset& p : kPresets)
        if (p.name == preset) return p.convention;
    return {};
}

std::vector<std::string> unit_names() {
    std::vector<std::string> names;
    for (const NamedUnit& unit : kUnits) names.emplace_back(unit.names[0]);
    return names;
}

std::vector<std::string> preset_names() {
    std::vector<std::string> names;
    for (const Preset& p : kPresets) names.emplace_back(p.name);
    return names;
}

Conversion::Conversion(const Convention& from, const Convention& to)
    : identity_(from == to),
      mirrors_(from.hand != to.hand),
      scale_(from.metres_per_unit / to.metres_per_unit) {
    const std::array<Vec3, 3> f = frame_of(from), t = frame_of(to);
    // The turn takes each of left, up and front to its counterpart: sum of t_i * transpose(f_i).
    row_[0] = row_[1] = row_[2] = {};
    for (std::size_t i = 0; i < 3; ++i) {
        row_[0] = row_[0] + t[i].x * f[i];
        row_[1] = row_[1] + t[i].y * f[i];
        row_[2] = row_[2] + t[i].z * f[i];
    }
}

Vec3 Conversion::scaling(Vec3 s) const {
    // The rows hold 0 and +-1, so their squares pick the members without changing a sign.
    return {dot(row_[0] * row_[0], s), dot(row_[1] * row_[1], s), dot(row_[2] * row_[2], s)};
}

Quat Conversion::rotation(Quat q) const {
    const Vec3 v = turning_axis({q.x, q.y, q.z});
    return {v.x, v.y, v.z, q.w};
}

Transform Conversion::transform(const Transform& t) const {
    return {point(t.t), rotation(t.r), scaling(t.s)};
}

Affine Conversion::affine(const Affine& m) const {
    const Affine turn{{row_[0].x, row_[1].x, row_[2].x},
                      {row_[0].y, row_[1].y, row_[2].y},
                      {row_[0].z, row_[1].z, row_[2].z},
                      {}};
    const Affine back{row_[0], row_[1], row_[2], {}};
    const Affine linear = turn * Affine{m.x, m.y, m.z, {}} * back;
    return {linear.x, linear.y, linear.z, point(m.o)};
}

}  // namespace mellow
