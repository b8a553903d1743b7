// Node and joint numbers are signed, kNone being -1; containers count without a sign.
#pragma once

#include <cstddef>

namespace mellow {

/// A number that is known not to be kNone, as an index.
constexpr std::size_t at(int i) { return static_cast<std::size_t>(i); }

}  // namespace mellow
