#include "disk/hash.h"

#include <fmt/format.h>
#include <xxhash.h>

namespace mellow {

std::string hash_hex(std::span<const std::uint8_t> bytes) {
    const XXH128_hash_t hash = XXH3_128bits(bytes.data(), bytes.size());
    return fmt::format("{:016x}{:016x}", hash.high64, hash.low64);
}

}  // namespace mellow
