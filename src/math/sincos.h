// Sine and cosine of many angles at once.
#pragma once

#include <cstddef>

namespace mellow {

/// sines[i] == sin(angles[i]) and cosines[i] == cos(angles[i]) within 4e-16, for any finite angle;
/// the same bits from every kind of processor. Angles to 1e5 are brought into a quarter turn
/// by subtracting multiples of half pi in three parts (William Cody and William Waite, "Software
/// Manual for the Elementary Functions", 1980, chapter 8) and go through Taylor polynomials of
/// degree 15 and 16; larger ones go to the standard library.
void sincos(const double* angles, std::size_t count, double* sines, double* cosines);

}  // namespace mellow
