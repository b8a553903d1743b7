// Writing scene files: glTF 2.0 binary.
#pragma once

#include <cstdint>
#include <vector>

#include "mellow/scene.h"

namespace mellow {

/// The whole scene as one GLB: nodes, meshes, skins, materials, embedded pictures, timelines.
/// Numbers are written as they stand, in scene.convention. Same scene, same bytes. Positions, keys
/// and inverse binds are single precision. Morph curves without a mesh go into the animation's
/// extras (docs/crate.md). Equal key times share one accessor.
std::vector<std::uint8_t> write_glb(const Scene& scene);

}  // namespace mellow
