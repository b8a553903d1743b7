// NodeMask: some nodes of a scene, by name, by what they stand below, by pattern.
#pragma once

#include <string>
#include <vector>

#include "mellow/result.h"
#include "mellow/scene.h"

namespace mellow {

/// Those named, those below others (with them), and those whose name fits a pattern: * stands for
/// any run of letters, ? for one.
struct NodeMask {
    std::vector<std::string> names, below, match;

    bool empty() const { return names.empty() && below.empty() && match.empty(); }
};

/// Nodes of the scene that a mask names, ascending. Names are tried as they stand, then behind
/// `prefix`; patterns are tried without it. Fails with name-unknown when a name or pattern finds
/// nothing; `where` is the place for the message.
Result<std::vector<int>> masked_nodes(const Scene& scene, const NodeMask& mask,
                                      const std::string& prefix, const std::string& where);

}  // namespace mellow
