// Spreading the joints of a chain along a smooth curve through controls.
#pragma once

#include "base/fixed.h"
#include "mellow/vec3.h"

namespace mellow {

/// Places for lengths.size() + 1 joints on the curve through `controls` (at least two), the first
/// on the first control.
/// The curve is the uniform Catmull-Rom spline (Catmull and Rom, "A Class of Local Interpolating
/// Splines", 1974), which goes on straight beyond its ends. With `stretch` the joints divide its
/// length in the proportion of `lengths`; else each is exactly its length away from the one before,
/// in a straight line, and the curve is followed as far as the chain goes.
Fixed<Vec3> spread_along(const Fixed<Vec3>& controls, const Fixed<double>& lengths, bool stretch);

}  // namespace mellow
