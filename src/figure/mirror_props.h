// What of a figure is a thing of its own, for the mirror.
#pragma once

#include "figure/figure.h"
#include "mellow/shaping.h"

namespace mellow {

/// Things beside the figure: joints that hang on nothing of it, by their tree and by the weights of
/// all vertices, and have no partners; and the joints that `named` fits, with all below them. Each
/// is its own image in the plane that fits its vertices best; of planes that fit alike the one
/// nearest to the figure's middle. Without vertices the figure's own.
std::vector<MirrorProp> find_mirror_props(const Figure& figure, const std::vector<int>& partners,
                                          const std::vector<std::string>& named);

}  // namespace mellow
