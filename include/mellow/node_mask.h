// NodeMask: some nodes of a scene, by name, by what they stand below, by pattern.
//
// Recipes and sheets choose nodes in many places: joints to keep, layers, what is left out. All of
// them mean the same by a list of names, and a name that fits nothing is a mistake with a
// suggestion.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "mellow/place.h"
#include "mellow/result.h"
#include "mellow/scene.h"

namespace mellow {

/// Those named, those below others (with them), and those whose name fits a pattern: * stands for
/// any run of letters, ? for one.
struct NodeMask {
    std::vector<std::string> names, below, match;
    Place where = {};  ///< where it is said, for messages

    bool empty() const { return names.empty() && below.empty() && match.empty(); }
};

/// True when the whole of `name` fits: * stands for any run of letters, ? for one.
bool fits_pattern(std::string_view pattern, std::string_view name);
/// True when some of the patterns fits.
bool fits_any(const std::vector<std::string>& patterns, std::string_view name);

/// A mask from a list of texts: "hand.L" is a node, "finger*" a pattern (* or ? in it), and
/// "below:hand.L" a node with all below it.
NodeMask parse_mask(const std::vector<std::string>& texts);

/// Nodes of the scene that a mask names, ascending. Names are tried as they stand, then behind
/// `prefix`; patterns are tried without it. Fails with name-unknown when a name or pattern finds
/// nothing, at the mask's own place or, where it has none, at `where`.
Result<std::vector<int>> masked_nodes(const Scene& scene, const NodeMask& mask,
                                      const std::string& prefix, const Place& where);

}  // namespace mellow
