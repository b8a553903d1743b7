#include "read/picture_kind.h"

#include <algorithm>

namespace mellow {

std::string_view picture_kind(std::span<const std::uint8_t> bytes) {
    const auto begins = [&](std::string_view mark, std::size_t at = 0) {
        return bytes.size() >= at + mark.size() &&
               std::equal(mark.begin(), mark.end(), bytes.begin() + static_cast<std::ptrdiff_t>(at),
                          [](char a, std::uint8_t b) { return static_cast<unsigned char>(a) == b; });
    };
    if (begins("\x89PNG\r\n\x1a\n")) return "image/png";
    if (begins("\xff\xd8\xff")) return "image/jpeg";
    if (begins("RIFF") && begins("WEBP", 8)) return "image/webp";
    if (begins("\xabKTX 20\xbb\r\n\x1a\n")) return "image/ktx2";
    return {};
}

}  // namespace mellow
