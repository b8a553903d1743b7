// Baking: from anything that can be evaluated to uniform samples on the deform joints alone.
//
// Helpers between kept joints fold in exactly: world matrices are kept, locals are recomputed
// against the nearest kept ancestor. Same input, same bytes out, on one thread or many.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "mellow/clip.h"
#include "mellow/joint_source.h"
#include "mellow/node_mask.h"
#include "mellow/result.h"
#include "mellow/sample_plan.h"
#include "mellow/skeleton.h"
#include "mellow/take.h"

namespace mellow {

/// Which nodes become joints. Without `only` these are the joints of all skins and the nodes of
/// meshes without skin that move against what they hang on; a scene without any mesh or skin gives
/// all its nodes but cameras and end sites.
struct JointChoice {
    NodeMask only;  ///< in place of the joints of skins
    NodeMask keep;  ///< as well
    NodeMask drop;  ///< these not, but what `keep` names
    /// Nodes between and above joints become joints too, and keep their own motion.
    bool keep_helpers = false;
    /// Keep joints at the ends of chains that carry no weight and nothing else.
    bool keep_tips = false;
    bool keep_cameras = true;  ///< nodes that carry a camera become joints
    /// Joints that nothing hangs on (no weight, no mesh, no camera) take no scale; the places of
    /// the joints below them take it. Their scale shows nowhere, and uneven scale above turned
    /// joints then costs no shear.
    bool scale_to_offsets = false;
    /// World orientation at rest that joints of these names shall have in place of their own.
    /// Places and vertices stay.
    std::map<std::string, Quat> axes = {};
};

/// The joints of a figure, and what became of the rest.
struct ChosenJoints {
    Skeleton skeleton;     ///< rest pose: the rest pose of the scene, helpers folded in
    JointSources sources;  ///< one per joint
    std::vector<std::string> dropped_tips;
};

/// Chooses joints and builds the skeleton. `driven`: nodes that
/// rules move (Rig::driven_nodes()). A scene whose meshes never move gives no joints at all: they
/// hang on the root that add_root() puts there. Fails with no-joints, name-unknown or name-clash.
Result<ChosenJoints> choose_joints(const Scene& scene, const JointChoice& choice,
                                   const std::vector<int>& driven = {});
/// The node that stands for the rigid part whose mesh `node` carries: itself, or its parent where
/// the mesh was split off (split_rigid_meshes() in fit.h).
int rigid_part(const Scene& scene, int node);

/// What baking did to one joint, over all samples.
struct JointLoss {
    double shear = 0;  ///< largest member of the matrix that could not be kept
    int shear_sample = 0;
    double fastest_turn_rad = 0;  ///< largest turn from one sample to the next
    int fastest_sample = 0;
    double smallest_scale = 1;  ///< least absolute scale
};

/// A clip, and what its joints could not hold.
struct Baked {
    Clip clip;
    std::vector<JointLoss> losses;  ///< one per joint
};

/// Evaluates `take` at every sample of `plan` and keeps its joints, morph weights and scalars.
/// Arithmetic is double; each stored number is rounded to single precision once. Quaternions stay
/// on one hemisphere along a track and begin with w >= 0. Positions are exact to that rounding even
/// under shear; what a joint's axes lose by shear is in `losses`.
/// `memory`: a clip that is done with; its samples make room for the new ones, which saves fresh
/// pages where many clips are baked.
Baked bake(const Take& take, const SamplePlan& plan, Clip memory = {});

/// How far each joint turns against its parent joint between two samples of `plan`, unwrapped: a
/// wheel that turns by 573 degrees a sample looks like one that turns by 147 the other way. Where
/// the angular speed, looked at beside each sample, suggests more than 150 degrees, the turn is
/// added up over 31 steps: up to 14 turns a sample are told apart. Fills fastest_turn_rad and
/// fastest_sample where that is more than `losses` say; radians.
void unwrap_turns(const Take& take, const SamplePlan& plan, std::vector<JointLoss>& losses);

}  // namespace mellow
