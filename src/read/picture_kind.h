// Which kind of picture some bytes are.
#pragma once

#include <span>
#include <string_view>

#include "mellow/bytes.h"

namespace mellow {

/// The media type of a PNG, a JPEG, a WebP or a KTX2, by its first bytes; empty for anything else.
/// The first two are glTF 2.0's own (3.9.3), the others those of its extensions.
std::string_view picture_kind(std::span<const std::uint8_t> bytes);

/// What is said of a picture that is none of these.
inline constexpr std::string_view kNoPicture = "neither a PNG nor a JPEG, WebP or KTX2 picture";

}  // namespace mellow
