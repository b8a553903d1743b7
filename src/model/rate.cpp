#include "mellow/rate.h"

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>

namespace mellow {

double single_step(double seconds) {
    const double size = std::max(std::abs(seconds), 1e-6);
    return std::ldexp(1.0, std::ilogb(size) - 23);  // a significand of 24 bits
}
namespace {

constexpr std::array<FrameRate, 17> kUsual{{{12, 1},
                                            {15, 1},
                                            {24000, 1001},
                                            {24, 1},
                                            {25, 1},
                                            {30000, 1001},
                                            {30, 1},
                                            {48, 1},
                                            {50, 1},
                                            {60000, 1001},
                                            {60, 1},
                                            {90, 1},
                                            {100, 1},
                                            {120000, 1001},
                                            {120, 1},
                                            {240, 1},
                                            {1000, 1}}};

template <class T>
bool parse_whole(std::string_view text, T& out) {
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), out);
    return error == std::errc{} && end == text.data() + text.size();
}

}  // namespace

std::string to_text(FrameRate rate) {
    const std::string num = std::to_string(rate.num);
    return rate.den == 1 ? num : num + "/" + std::to_string(rate.den);
}

FrameRate snap_rate(double per_second) {
    FrameRate best{std::llround(per_second * 1000), 1000};
    double nearest = per_second / 2000;
    for (const FrameRate& usual : kUsual) {
        const double off = std::abs(usual.per_second() - per_second);
        if (off < nearest) best = usual, nearest = off;
    }
    if (best.den == 1000 && best.num % 1000 == 0) best = {best.num / 1000, 1};
    return best;
}

std::optional<FrameRate> parse_rate(std::string_view text) {
    if (const auto slash = text.find('/'); slash != std::string_view::npos) {
        FrameRate rate;
        if (!parse_whole(text.substr(0, slash), rate.num) ||
            !parse_whole(text.substr(slash + 1), rate.den))
            return {};
        const bool sound =
            rate.num > 0 && rate.den > 0 && rate.num <= 1'000'000'000 && rate.den <= 1'000'000;
        return sound ? std::optional(rate) : std::nullopt;
    }
    double value = 0;
    if (!parse_whole(text, value) || !(value >= 1e-3 && value <= 1e6)) return {};
    return snap_rate(value);
}

}  // namespace mellow
