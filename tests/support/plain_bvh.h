// BVH read plainly, from the format's usual description, for tests. Shares no code with the
// library.
#pragma once

#include <array>
#include <map>
#include <string>

namespace mellow::test {

/// World places of all joints at one frame. `added`: position channels are added to OFFSET, as some
/// readers do; else they stand in its place.
std::map<std::string, std::array<double, 3>> plain_bvh_places(const std::string& text, int frame,
                                                              bool added);

}  // namespace mellow::test
