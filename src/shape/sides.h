// Names with a side.
#pragma once

#include <optional>
#include <string>

namespace mellow {

/// The same name for the other side: its first word that says left or right exchanged, in the same
/// form ("L", "left", "Left", "LEFT"); nothing where no word does.
std::optional<std::string> other_side(const std::string& name);

}  // namespace mellow
