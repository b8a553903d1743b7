// Content hashes: XXH3, 128 bits, as 32 hexadecimal digits.
#pragma once

#include <cstdint>
#include <span>
#include <string>

namespace mellow {

std::string hash_hex(std::span<const std::uint8_t> bytes);
/// Of a text.
inline std::string hash_of(const std::string& text) {
    return hash_hex({reinterpret_cast<const std::uint8_t*>(text.data()), text.size()});
}

}  // namespace mellow
