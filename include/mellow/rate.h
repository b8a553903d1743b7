// FrameRate: samples per second as an exact fraction, so that 10 000 frames do not drift.
//
// A range a..b is inclusive: b - a intervals, b - a + 1 samples, and its duration is
// intervals / rate. Times are integers over a rate until the last moment; nothing adds `t += dt`.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

namespace mellow {

/// `num / den` samples per second; both above 0.
struct FrameRate {
    std::int64_t num = 30, den = 1;

    double per_second() const { return static_cast<double>(num) / static_cast<double>(den); }
    /// Seconds of frame `index`: index * den / num, rounded once.
    double seconds(std::int64_t index) const {
        return static_cast<double>(index * den) / static_cast<double>(num);
    }
};

/// The distance between neighbouring single-precision numbers around a time, seconds: what files
/// that keep times so can be off by. 6e-8 s at half a second, 2.4e-4 s after an hour.
double single_step(double seconds);

inline bool operator==(FrameRate a, FrameRate b) { return a.num * b.den == b.num * a.den; }

/// "30" or "30000/1001".
std::string to_text(FrameRate rate);
/// Reads "24", "23.976", "29.97" or "30000/1001". The customary decimals stand for their exact
/// fraction; other decimals are taken to 1/1000. Nothing for what is no rate between 1/1000 and
/// 1e6.
std::optional<FrameRate> parse_rate(std::string_view text);
/// The exact rate near `per_second`: a usual one (12 15 24 25 30 48 50 60 90 100 120 240 and the
/// 1000/1001 family) within 1 part in 2000, else the nearest fraction in thousandths.
FrameRate snap_rate(double per_second);

}  // namespace mellow
