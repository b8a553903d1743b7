// What differs between builds that share their test cases.
#pragma once

#include <cstddef>
#include <optional>
#include <string>

namespace mellow::test {

/// The built tool, or the one that MELLOW_TEST_TOOL names.
std::string tool();

/// The library that plays a disk which fills up, to be loaded in front of the system's.
std::string full_disk();

/// Whether the libraries are built with sanitizers: ten times as slow.
bool sanitized();

/// Allocations of this process so far; none where sanitizers count their own.
std::optional<std::size_t> allocations();

}  // namespace mellow::test
