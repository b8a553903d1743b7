// Euler angles: three turns about the axes of a joint, in a stated order.
//
// Order kZXY means R == Rz * Rx * Ry: in a list of channels "Z X Y" stands first to last, and the
// last turn acts first. Angles are radians.
#pragma once

#include <array>
#include <optional>
#include <string_view>

#include "mellow/quat.h"

namespace mellow {

enum class EulerOrder { kXYZ, kXZY, kYXZ, kYZX, kZXY, kZYX };

/// "XYZ" ... "ZYX".
std::string_view name(EulerOrder order);
/// The way back; nothing for other texts.
std::optional<EulerOrder> parse_euler_order(std::string_view text);
/// The axes of an order, first to last: 0 for X, 1 for Y, 2 for Z.
std::array<int, 3> axes_of(EulerOrder order);

/// The three angles in the order they are listed.
using EulerAngles = std::array<double, 3>;

/// The turn of these angles: a unit quaternion.
Quat from_euler(const EulerAngles& angles, EulerOrder order);

/// The angles of `q` nearest to `previous`: of the two solutions, each with whole turns added, the
/// one whose largest change is least, so that a track has no jumps and turns of more than a
/// revolution stay turns. Where the middle angle is a right one (within 1e-7) the first angle keeps
/// its previous value, since only a sum or difference is defined there.
/// Ken Shoemake, "Euler Angle Conversion", Graphics Gems IV, 1994.
EulerAngles to_euler(Quat q, EulerOrder order, const EulerAngles& previous = {});

}  // namespace mellow
