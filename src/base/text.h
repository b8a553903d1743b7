// Small help with texts: names in messages, JSON strings.
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace mellow {

/// Of `names`, the one with the fewest edits to `wanted`; empty when none is near.
std::string nearest_name(std::string_view wanted, const std::vector<std::string>& names);

/// `did you mean "x"?` for the nearest name, or `one of: a, b, c` when none is near.
std::string suggest(std::string_view wanted, const std::vector<std::string>& names);

/// `text` in quotes, escaped as JSON wants it (RFC 8259, section 7).
std::string json_quoted(std::string_view text);

}  // namespace mellow
