// Angles of many vectors at once.
#pragma once

#include <cstddef>

namespace mellow {

/// angles[i] == atan2(y[i], x[i]) within 5e-16, in [-pi, pi]; 0 for a vector without length. The
/// same bits from every kind of processor. Rational approximation of the arctangent up to
/// 0.66 (Stephen Moshier, "Methods and Programs for Mathematical Functions", 1989), with larger
/// quotients brought there by adding pi/4 or pi/2.
void arctangent(const double* y, const double* x, std::size_t count, double* angles);

}  // namespace mellow
