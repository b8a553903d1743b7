// Writing scene files: glTF 2.0, binary or text, COLLADA 1.4.1 and BVH.
//
// Writers make bytes and touch no disk; safe_write.h puts them there. The same scene gives the same
// bytes, on every machine. What a format cannot carry is a finding, never silence.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "mellow/clip.h"
#include "mellow/convention.h"
#include "mellow/euler.h"
#include "mellow/result.h"
#include "mellow/scene.h"
#include "mellow/skeleton.h"

namespace mellow {

/// A file that is not yet on any disk.
struct WrittenFile {
    std::string name;  ///< relative to where the scene file goes
    std::vector<std::uint8_t> bytes;
};

/// The whole scene as one GLB: nodes, meshes, skins, materials, embedded pictures, timelines.
/// Numbers are written as they stand, in scene.convention. Same scene, same bytes. Positions, keys
/// and inverse binds are single precision. Morph curves without a mesh go into the animation's
/// extras (docs/crate.md). Equal key times share one accessor. Stacks under curves are composed
/// first (compose_stacks()).
std::vector<std::uint8_t> write_glb(const Scene& scene);

/// The file of the i-th picture beside a scene file NAME: "NAME_0.png".
std::string picture_name(const std::string& name, std::size_t i, const Image& image);

/// How a glTF scene is spread over files.
struct GltfOptions {
    bool binary = false;          ///< NAME.glb instead of NAME.gltf and NAME.bin
    bool pictures_beside = true;  ///< else in the buffer
};
/// The same as files: the scene file first, then the buffer and pictures beside it.
std::vector<WrittenFile> write_gltf(const Scene& scene, const std::string& name,
                                    const GltfOptions& options = {});

/// How COLLADA is written.
struct ColladaOptions {
    std::optional<EulerOrder> order;  ///< of all joints; else what the source keyed, else ZYX
    std::map<std::string, EulerOrder> orders;  ///< for single nodes, by name
    bool matrices = false;                     ///< whole matrices instead of Euler angles
    /// Clips begin at second 0 where their keys begin later; else where these do.
    bool from_zero = false;
};

/// What of a scene is written.
enum class SceneParts { kAll, kSkin, kMotion };

/// The files of one scene.
struct WrittenScene {
    std::vector<WrittenFile> files;  ///< the scene file first
    Findings findings;               ///< what the format cannot carry: left-out
};

/// The whole scene as NAME.dae and its pictures beside it, in scene.convention. A node's transform
/// is translate, three rotates and scale; stacks under curves are composed first
/// (compose_stacks()). Places and scales keep their keys. Rotations become Euler angles, continuous
/// over any number of turns, as Bezier curves with keys added until they agree within 2e-7 radians,
/// or one LINEAR key where straight lines do; as whole matrices they get a key per frame of
/// scene.rate. Every timeline is an animation with a clip of its name. Names become XML names; the
/// time stamps that the schema demands are 1970, so that the same scene gives the same bytes. Fails
/// with name-clash when two names become one.
Result<WrittenScene> write_collada(const Scene& scene, const std::string& name,
                                   const ColladaOptions& options = {});

/// How BVH is written.
struct BvhOptions {
    EulerOrder order = EulerOrder::kZXY;       ///< of the rotation channels
    std::map<std::string, EulerOrder> orders;  ///< for single joints, by name
    std::map<std::string, Vec3> tips;  ///< End Site of a joint without children, in its axes
};

/// A BVH file.
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
