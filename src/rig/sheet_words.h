// Words that several rules of a sheet share: axes, amounts, masks, curves.
#pragma once

#include <string>
#include <vector>

#include "base/toml_table.h"
#include "mellow/convention.h"
#include "mellow/rig_rules.h"

namespace mellow {

/// "+X" ... "-Z" as a unit vector.
Vec3 read_axis(TomlTable& t, std::string_view key, const std::optional<std::string>& fallback = {});
/// 0, 1 or 2: which of the three a unit vector along an axis is.
int axis_number(Vec3 axis);
/// A number, or the name of a scalar.
Amount read_amount(TomlTable& t, std::string_view key, double fallback);
/// A number within bounds.
double read_within(TomlTable& t, std::string_view key, std::optional<double> fallback, double least,
                   double most);
/// `key` as rows [at, value], or [at, value, slope] with shape = "slopes"; `unit` names `at`.
ValueCurve read_curve(TomlTable& t, std::string_view key, std::string_view unit);

AxisMask all_axes();
/// The mask after the axes have turned by quarter turns.
AxisMask turned(const AxisMask& mask, const Conversion& c);
/// The curve with `at` multiplied, as a curve over lengths needs when the unit changes.
void scale_at(ValueCurve& curve, double factor);

}  // namespace mellow
