// Skin weights as they come from a file.
#pragma once

#include <optional>
#include <string>

#include "mellow/finding.h"
#include "mellow/scene.h"

namespace mellow {

/// Makes the weights of every vertex sum to 1, as glTF 2.0, 3.7.3.3 demands. The finding tells of
/// sums that were off by more than a hundredth and of vertices without weight.
std::optional<Finding> normalize_weights(Primitive& primitive, Place where);

}  // namespace mellow
