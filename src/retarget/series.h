// Corrections over time: known in some spans, eased between them.
#pragma once

#include <span>
#include <vector>

#include "mellow/vec3.h"

namespace mellow {

/// Samples, both included.
struct Span {
    int first = 0, last = 0;
};

/// Spans in which a speed stays low: it begins below `on` and ends above `off`. Gaps of at most
/// `gap` samples are closed; what is shorter than `least` samples is left out.
std::vector<Span> low_spans(std::span<const double> speeds, double on, double off, int gap,
                            int least);

/// Speed of a point at each sample, by the samples on both sides of it.
std::vector<double> speeds_of(std::span<const Vec3> places, double step);

/// `values` are right within `spans`, which do not overlap; fills in what is between them, without
/// a jump in place, speed or acceleration at rest: 10 u^3 - 15 u^4 + 6 u^5 from one span to the
/// next where they are at most `far` samples apart, else down to nothing and up again, each over
/// half of that.
void ease_between(std::span<const Span> spans, int far, std::vector<Vec3>& values);

/// The value in the middle; 0 of none.
double median(std::vector<double> values);

/// Two means over `reach` samples to both sides, one after the other; ends hold.
void smooth(std::vector<double>& values, int reach);
/// The largest within `reach` samples to both sides.
std::vector<double> running_most(std::span<const double> values, int reach);

}  // namespace mellow
