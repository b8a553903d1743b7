// Fitting to a target: names, and the scenes that are written: one skin, many motions.
//
// A rigged scene has nodes, meshes and weights that a game engine does not take as they are. These
// functions make them ready one step at a time, and assemble what is written in the end. Everything
// is in the inside convention; each says in findings what it had to leave out.
#pragma once

#include <string>
#include <vector>

#include "mellow/clip.h"
#include "mellow/joint_source.h"
#include "mellow/result.h"
#include "mellow/scene.h"
#include "mellow/skeleton.h"

namespace mellow {

/// Takes `prefix` off the names of nodes, meshes, skins, materials and timelines and returns how
/// many lost it. Fails with name-clash, and changes nothing, when two of the nodes `kept` would end
/// up with one name.
Result<int> strip_prefix(Scene& scene, const std::string& prefix, const std::vector<int>& kept);

/// Moves each mesh without skin, with its morph weights, to a child of its node named "NODE.mesh",
/// so that the node can become a joint and both keep a name of their own. World places stay.
void split_rigid_meshes(Scene& scene);
/// Which axes of a camera's joint point where the camera looks and up.
struct CameraAxes {
    Vec3 aim{0, 0, -1}, up{0, 1, 0};
};
/// Moves the camera of `node` to a child named "NODE.view", unless it stands on one already, and
/// turns that child so that its `axes` point along the view and up (a camera itself looks along -Z
/// with +Y up: glTF 2.0, 3.10). choose_joints() makes it a joint named "NODE" below the root.
void split_camera(Scene& scene, int node, const CameraAxes& axes);

/// Gives nodes that have a scale of zero at rest scale 1 there, and a key of the old scale in every
/// timeline that does not key it. What timelines show stays; the rest pose can be inverted.
Findings restore_zero_scales(Scene& scene);

/// What skins lost.
struct SkinCuts {
    std::vector<std::string> removed;  ///< joints whose weights went to the joint above
    int limited = 0;                   ///< vertices that lost an influence
    /// skin-removed with the names, influences with counts; empty where nothing was lost.
    Findings findings;
};

/// Rewrites the skins of `scene` for a skeleton: weights of nodes that are no joints go to the
/// nearest joint above them, and of each vertex only the `most` largest influences stay (0: all),
/// made to sum to 1.
SkinCuts simplify_skins(Scene& scene, const JointSources& sources, int most);

/// What becomes of morph targets whose name fits; the first rule that fits counts.
struct MorphRule {
    enum class Fate {
        kKeep,
        kBake,  ///< with its weight at rest it becomes part of the mesh
        kDrop,
    };
    std::string pattern;
    Fate fate = Fate::kKeep;
};

/// A morph target that a rule took away, and its weight at rest.
struct MorphChange {
    std::string mesh, target;  ///< name of the mesh node, of the target
    MorphRule::Fate fate = MorphRule::Fate::kDrop;
    double weight = 0;
};
/// Keeps, bakes or drops morph targets by name. A baked one becomes part of its mesh:
/// base + weight at rest * delta, for places, normals and tangents. Weights at rest of what stays
/// stand on the nodes afterwards. Timelines are left as they are.
std::vector<MorphChange> apply_morph_rules(Scene& scene, const std::vector<MorphRule>& rules);

/// A scene to write, and what was left out or changed on the way.
struct Assembled {
    Scene scene;
    Findings findings;
};

/// Skin, skeleton, rest pose and morph targets, without motion. Every skin lists all joints of the
/// skeleton in its order. A mesh whose joints all agree on one bind matrix is rewritten into the
/// rest pose, so that its inverse binds are the inverses of the rest matrices; a mesh bound in
/// another pose keeps its own. A mesh without skin is bound with full weight to the joint it hangs
/// on, else to the first; how many is said (rigid-skin). Cameras and lights are left out.
/// `bound`: the skeleton as it rests in `source`, where `skeleton` shall rest in another pose; its
/// bind matrices stay those of `bound`, so that vertices move as they did.
Assembled assemble_skin(const Scene& source, const Skeleton& skeleton, const JointSources& sources,
                        const Skeleton* bound = nullptr);

/// The vertex of a skin that is farthest at rest from where its mesh has it: 0 where all meshes
/// are bound in the rest pose. Morph targets aside.
struct RestShape {
    double far_m = 0;
    std::string mesh;  ///< name of the mesh's node
};
/// Looks at all skinned meshes of a scene, inside.
RestShape shape_at_rest(const Scene& skin);
/// Writes all meshes as they look at rest and binds them there: inverse binds become the inverses
/// of the rest matrices. With M = sum w[j] * rest[j] * inverse_bind[j] of a vertex, its place
/// becomes M p, deltas of morph targets M d, normals go by the inverse transpose. Exact for
/// vertices of one joint; those of several move differently from now on, the more, the further
/// the poses are apart (the proof measures it). Fails with zero-scale, and changes nothing, where a
/// joint cannot be inverted.
Status bind_at_rest(Scene& skin);

/// Joints and one timeline, nothing else. Every joint gets a translation and a rotation curve with
/// all samples, and a scale curve where scale is not that of the rest pose. `extras` is JSON text
/// for the animation.
Scene assemble_clip(const Skeleton& skeleton, const Clip& clip, const RawJson& extras);

}  // namespace mellow
