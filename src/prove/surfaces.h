// How two meshes of as many vertices differ in what is not their places.
#pragma once

#include <string>
#include <vector>

#include "mellow/scene.h"

namespace mellow {

/// In words, each with how much: normals, texture coordinates, colours, triangles and their
/// winding, materials. Nothing where all is the same. Both inside, with the same number of vertices
/// in each part.
std::vector<std::string> surface_differences(const Scene& a, const Mesh& first, const Scene& b,
                                             const Mesh& second);

}  // namespace mellow
