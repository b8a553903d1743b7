// Decimal numbers from text, fast for the way files write them and exact for all others.
#pragma once

#include <bit>
#include <charconv>
#include <cstdint>
#include <cstring>

namespace mellow {

/// The digits at `p`, eight bytes that may be read: how many there are before something else, and
/// their value. All eight are looked at in one word (Daniel Lemire, "Number Parsing at a Gigabyte
/// per Second", 2021, section 4).
struct Digits {
    std::uint64_t value;
    unsigned count;
};
inline Digits digits_at(const char* p) {
    std::uint64_t word = 0;
    std::memcpy(&word, p, 8);
    if constexpr (std::endian::native == std::endian::big) word = __builtin_bswap64(word);
    const std::uint64_t numbers = word - 0x3030303030303030U;
    const std::uint64_t others = ((word + 0x4646464646464646U) | numbers) & 0x8080808080808080U;
    const unsigned count = others == 0 ? 8 : static_cast<unsigned>(std::countr_zero(others)) / 8;
    if (count == 0) return {0, 0};
    // Zeros in front of them, so that the last digit stands last.
    std::uint64_t v = numbers << (8 * (8 - count));
    v = (v * 10) + (v >> 8);
    v = (((v & 0x000000FF000000FFU) * 0x000F424000000064U) +
         (((v >> 16) & 0x000000FF000000FFU) * 0x0000271000000001U)) >>
        32;
    return {v, count};
}

/// Reads a number at `at` and moves `at` behind it; false when there is none. Sign, digits and a
/// point take the fast way: they are one whole number, exact below 2^53, divided by a power of ten
/// that is exact up to 22 (William Clinger, "How to Read Floating Point Numbers Accurately", 1990,
/// its fast case). Everything else goes to std::from_chars, so that the result is the nearest
/// double in every case. Accepts infinities and not-a-numbers as from_chars does.
inline bool parse_number(const char*& at, const char* end, double& out) {
    static constexpr double kPowers[] = {1e0, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8};
    static constexpr std::uint64_t kWhole[] = {1,      10,      100,      1000,     10000,
                                               100000, 1000000, 10000000, 100000000};
    if (end - at >= 24) {
        const bool minus = *at == '-';
        const char* p = at + (minus ? 1 : 0);
        const Digits left = digits_at(p);
        p += left.count;
        Digits right{0, 0};
        if (*p == '.') {
            right = digits_at(++p);
            p += right.count;
        }
        const std::uint64_t whole = left.value * kWhole[right.count] + right.value;
        // A blank must follow: more digits, exponents and words go the slow way.
        if (left.count + right.count > 0 && static_cast<unsigned char>(*p) <= ' ' &&
            whole < (std::uint64_t{1} << 53)) {
            const double value = static_cast<double>(whole) / kPowers[right.count];
            out = minus ? -value : value;
            at = p;
            return true;
        }
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
