// References of a scene file to files beside it.
#pragma once

#include <optional>
#include <string>
#include <string_view>

namespace mellow {

/// The path that a URI reference means, with %20 and the like resolved; nothing when it leaves the
/// file's folder or is no relative path.
std::optional<std::string> relative_reference(std::string_view uri);

}  // namespace mellow
