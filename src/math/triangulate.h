// Polygons cut into triangles.
#pragma once

#include <cstdint>
#include <vector>

#include "mellow/vec3.h"

namespace mellow {

/// Cuts a polygon, perhaps bent, perhaps with holes, into triangles of its own corners: ear
/// clipping in its mean plane (Newell's normal), holes joined to the outline by a bridge first
/// (David Eberly, "Triangulation by Ear Clipping", 2002). `rings[0]` is the outline, the others are
/// holes. Results are indices into the rings, counted through; the winding is the outline's. A
/// polygon that crosses itself still gives corners - 2 triangles. Cost: square of the corners.
std::vector<std::uint32_t> triangulate(const std::vector<std::vector<Vec3>>& rings);

}  // namespace mellow
