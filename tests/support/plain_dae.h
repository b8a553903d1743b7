// COLLADA as we write it, read plainly by its text, for tests: places of nodes at a second of an
// animation clip. Shares no code with the library.
#pragma once

#include <array>
#include <map>
#include <string>

namespace mellow::test {

/// World places of all nodes by name, at the key of `seconds` of the clip of that name, counted
/// from its start. Every curve that the clip uses must have that key.
std::map<std::string, std::array<double, 3>> plain_dae_places(const std::string& dae,
                                                              const std::string& clip,
                                                              double seconds);

}  // namespace mellow::test
