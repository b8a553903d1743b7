// Writing scene files: glTF 2.0, binary or text, and BVH.
#pragma once

#include <cstdint>
#include <map>
#include <string>
#include <vector>

#include "mellow/clip.h"
#include "mellow/convention.h"
#include "mellow/euler.h"
#include "mellow/result.h"
#include "mellow/scene.h"
#include "mellow/skeleton.h"

namespace mellow {

/// The whole scene as one GLB: nodes, meshes, skins, materials, embedded pictures, timelines.
/// Numbers are written as they stand, in scene.convention. Same scene, same bytes. Positions, keys
/// and inverse binds are single precision. Morph curves without a mesh go into the animation's
/// extras (docs/crate.md). Equal key times share one accessor.
std::vector<std::uint8_t> write_glb(const Scene& scene);

struct WrittenFile {
    std::string name;  ///< relative to where the scene file goes
    std::vector<std::uint8_t> bytes;
};

/// The same as text: NAME.gltf first, then NAME.bin and one file per embedded picture beside it.
std::vector<WrittenFile> write_gltf(const Scene& scene, const std::string& name);

struct BvhOptions {
    EulerOrder order = EulerOrder::kZXY;       ///< of the rotation channels
    std::map<std::string, EulerOrder> orders;  ///< for single joints, by name
    std::map<std::string, Vec3> tips;  ///< End Site of a joint without children, in its axes
};

struct BvhText {
    std::string text;
    Findings findings;  ///< what BVH cannot carry: left-out
};

/// A clip on its skeleton as BVH. Both are in the inside convention; `out` takes them to the
/// target. Joints keep their world places and orientations: a joint's channels are its local
/// rotation as it is, rest rotation included, since BVH knows none at rest. Position channels are
/// written for top joints, and for others where their place in the parent changes by more than 1e-6
/// m from rest. Scale becomes places and is otherwise lost; morph weights are lost; both are said.
/// Angles are continuous over the clip (to_euler()). Joints without children get an End Site, at 0
/// 0 0 when `tips` says nothing. White space and braces in names become "_". Fails with name-clash
/// when two names become one.
Result<BvhText> write_bvh(const Skeleton& skeleton, const Clip& clip, const Conversion& out,
                          const BvhOptions& options = {});

}  // namespace mellow
