// Decimal numbers from text, fast for the way files write them and exact for all others.
#pragma once

#include <charconv>
#include <cstdint>

namespace mellow {

/// Reads a number at `at` and moves `at` behind it; false when there is none. Sign, digits and a
/// point take the fast way: up to 19 digits are one whole number, exact below 2^53, divided by a
/// power of ten that is exact up to 22 (William Clinger, "How to Read Floating Point Numbers
/// Accurately", 1990, its fast case). Everything else goes to std::from_chars, so that the result
/// is the nearest double in every case. Accepts infinities and not-a-numbers as from_chars does.
inline bool parse_number(const char*& at, const char* end, double& out) {
    static constexpr double kPowers[] = {1e0,  1e1,  1e2,  1e3,  1e4,  1e5,  1e6,  1e7,
                                         1e8,  1e9,  1e10, 1e11, 1e12, 1e13, 1e14, 1e15,
                                         1e16, 1e17, 1e18, 1e19, 1e20, 1e21, 1e22};
    const char* p = at;
    const bool minus = p != end && *p == '-';
    if (p != end && (*p == '-' || *p == '+')) ++p;
    const char* const first = p;
    std::uint64_t whole = 0;
    while (p != end && static_cast<unsigned char>(*p - '0') < 10)
        whole = whole * 10 + static_cast<std::uint64_t>(*p++ - '0');
    std::ptrdiff_t digits = p - first, decimals = 0;
    if (p != end && *p == '.') {
        const char* const point = ++p;
        while (p != end && static_cast<unsigned char>(*p - '0') < 10)
            whole = whole * 10 + static_cast<std::uint64_t>(*p++ - '0');
        decimals = p - point;
        digits += decimals;
    }
    const bool plain = p == end || (*p != 'e' && *p != 'E');
    if (plain && digits > 0 && digits <= 19 && whole < (std::uint64_t{1} << 53)) {
        const double value = static_cast<double>(whole) / kPowers[decimals];
        out = minus ? -value : value;
        at = p;
        return true;
    }
    if (at == end) return false;
    const char* const from = *at == '+' ? at + 1 : at;  // from_chars knows no plus
    if (from != at && from != end && *from == '-') return false;
    const auto [stop, code] = std::from_chars(from, end, out);
    if (code != std::errc{}) return false;
    at = stop;
    return true;
}

}  // namespace mellow
