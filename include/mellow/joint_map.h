// JointMap: which nodes of a motion file stand for the joints of a figure, and how their axes lie.
//
// Motion files hold joints of the figure's names, with more or fewer of them, with helpers between,
// with a prefix, with axes of another tool. This is the one place where the two are matched. The
// result is a list of joint sources, so that what a motion file shows is baked and proven as what
// the figure's own file shows. Both sides are in the inside convention.
#pragma once

#include <string>
#include <utility>
#include <vector>

#include "mellow/convention.h"
#include "mellow/joint_source.h"
#include "mellow/place.h"
#include "mellow/result.h"
#include "mellow/scene.h"
#include "mellow/skeleton.h"

namespace mellow {

/// A name of a file and what it is called in the figure. Either both are whole names, or both have
/// one `*`, which stands for the same letters: {"mixed_*", "*"}.
using Rename = std::pair<std::string, std::string>;

/// The name under the first rename that fits, after `prefix` was taken off; else without prefix.
std::string renamed(const std::string& name, const std::string& prefix,
                    const std::vector<Rename>& renames);
/// Renames all nodes, morphs and timelines of a scene. Two nodes may end up with one name: the
/// first is the one that is found.
void rename(Scene& scene, const std::string& prefix, const std::vector<Rename>& renames);

/// Which node of a motion file stands for which joint of a figure.
struct JointMap {
    /// One per joint of the figure; `node` is in the motion scene, or kNone for a joint that rests.
    JointSources sources;
    std::vector<std::string> missing;  ///< joints that the motion file does not have: they rest
    std::vector<std::string> surplus;  ///< nodes that move in it and stand for no joint
    /// Joints whose rest axes are turned against those of the figure, by the most of them (radians)
    /// and which one that is. Places are the same: bones do not differ, only how axes lie in them.
    int turned = 0;
    double most_turned_rad = 0;
    std::string most_turned;
    /// Joints that rest turned otherwise in the joint above, where axes and bones are the same: the
    /// file rests in another pose. By the most of them, and which one that is.
    int posed = 0;
    double most_posed_rad = 0;
    std::string most_posed;
    int bones = 0;  ///< how many were compared
};

/// How alike two skeletons must be.
struct JointMapOptions {
    /// Rest places may differ by this, and by a two-hundredth of the length of the bone.
    double tolerance_m = 1e-3;
    /// Joints whose names need not be there, and are not told of: the root that packing adds.
    std::string root;
    /// What the motion file was taken to be, to say what it is instead where all bones differ
    /// alike.
    Convention read_as;
};

/// Matches the joints of `figure` with the nodes of `motion` by name. With P and Q the rest places
/// of a joint and of the nearest matched joint above it, and R the rest orientation of that one:
///   - where P - Q is the same in both for all joints, bones rest alike and axes may differ: the
///     turn T = inverse(rest orientation in the motion file) * (rest orientation in the figure) is
///     kept for each joint;
///   - else where inverse(R) * (P - Q) is, bones lie alike in their parents: axes are the same and
///     the file rests in another pose, as BVH files do.
/// Joints whose place is keyed lie where their keys have them, relative to the matched joint above;
/// where that changes by more than the tolerance they are not compared.
///
/// Fails with name-unknown where no name fits, and with skeleton-differs where a
/// joint hangs on another one, or its bone has another length or direction: with joint,
/// centimetres, degrees and per cent of each, and with the unit or the axes that would make all of
/// them fit, where some do. `where` is the place for messages.
Result<JointMap> match_joints(const Skeleton& figure, const Scene& motion,
                              const JointMapOptions& options, const Place& where);

/// A scene of the figure's nodes without its vertices, moved by the timelines of `motion`: keys of
/// nodes with the same names, weights of meshes with the same names. This is how a file that keys
/// controls alone moves the figure's rig. `left` takes the names of nodes whose keys found none.
/// Fails with skeleton-differs where a keyed node hangs on another one in the figure, or rests
/// elsewhere and does not key all of its place, turn and scale.
Result<Scene> carry_keys(const Scene& figure, const Scene& motion, const Place& where,
                         std::vector<std::string>& left);

}  // namespace mellow
