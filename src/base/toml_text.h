// Texts as TOML holds them, whatever is in them.
#pragma once

#include <string>
#include <vector>

namespace mellow {

/// A text as a value of TOML, or as a key. What cannot stand there as it is, control characters, is
/// escaped; bytes that are no UTF-8 become U+FFFD.
std::string toml_text(const std::string& text);
/// The same for what stands behind a #: on one line.
std::string toml_comment(const std::string& text);
/// Texts as a list: `["hand.L", "hand.R"]`.
std::string toml_texts(const std::vector<std::string>& texts);

}  // namespace mellow
