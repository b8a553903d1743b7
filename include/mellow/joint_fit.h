// Fitting joints to a list: order, names, parents and count as a receiving engine wants them.
//
// A list names every joint in the order in which tracks and skins have to have them. Joints of the
// figure that it does not name are surplus, names that the figure does not have are missing. World
// motion stays what it was: where a joint hangs on another one than before, its local motion is
// worked out anew from world matrices.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "mellow/clip.h"
#include "mellow/joint_map.h"
#include "mellow/joint_source.h"
#include "mellow/place.h"
#include "mellow/result.h"
#include "mellow/skeleton.h"
#include "mellow/take.h"

namespace mellow {

/// One joint of a list.
struct ListedJoint {
    std::string name;
    int parent = -1;            ///< an earlier entry, or -1
    std::optional<Vec3> place;  ///< at rest, relative to the parent, in the units of the list
    int line = 0;
};

/// The joints that an engine wants, in its order.
struct JointList {
    std::string file;  ///< for messages; empty: there is no list
    std::vector<ListedJoint> joints;
};

/// Reads a joint list: one name a line, deeper ones indented by spaces or tabs below their parent,
/// "#" begins a comment, and three numbers behind a name are its place at rest. Fails with
/// value-bad (an indentation that fits no line above, a place that is none) or name-clash, with
/// the line.
Result<JointList> parse_joint_list(std::string_view text, const std::string& file);

/// How joints of the figure become those of a target.
struct JointRules {
    JointList list;
    std::vector<Rename> renames;  ///< applied before names are looked up in the list
    bool drop_surplus = false;    ///< joints that the list does not name are left out; else a stop
    bool fill_missing = false;    ///< joints of the list alone are added and rest; else a stop
    bool places_from_list = false;      ///< joints rest where the list has them
    std::vector<std::string> left_out;  ///< joints of the figure that are dropped in any case
    int most = 0;                       ///< joints at most; 0: any number
    Place where;                        ///< the key that names the list, for messages
};

/// A skeleton in the terms of a target, and where each of its joints comes from.
struct JointFit {
    Skeleton skeleton;        ///< in the order and with the names of the target
    std::vector<int> from;    ///< joint of the figure that each one is, or kNone: it rests
    std::vector<bool> plain;  ///< true where its local motion is that of the figure's joint
    bool same = false;        ///< nothing changes, not even a name
    std::vector<std::string> surplus, filled;  ///< by the names of the figure, of the target
    std::vector<std::string> moved;            ///< "hand on root, in the figure on arm"
    std::vector<std::string> elsewhere;        ///< "hand 12.3 cm away": from where the list has it
};

/// Fits a skeleton to the rules; without a list only names change. Places of the list are in the
/// convention `listed`. Fails with skeleton-differs, which names all that is surplus, missing and
/// the nearest names, with name-clash where renaming gives two joints one name, or with limit.
Result<JointFit> fit_joints(const Skeleton& figure, const JointRules& rules,
                            const Convention& listed);
/// The sources of the fitted joints.
JointSources fit_sources(const JointSources& sources, const JointFit& fit);
/// What a take of fitted joints carries besides them.
struct FitParts {
    std::vector<Mount> mounts = {};          ///< those that the figure's take has, by their names
    std::vector<MorphChannels> morphs = {};  ///< likewise; those that it does not have rest
    std::vector<std::string> without = {};   ///< scalars that are left out
};
/// The figure's take seen through other joints, to measure what was fitted: world matrices of
/// joint j are those of the figure's joint from[j], or rest on the parent. Locals are not to be had
/// of it. The take of the figure may go; what moves it must outlive this one.
Take fit_take(const Take& figure, const Skeleton& skeleton, const std::vector<int>& from,
              const FitParts& parts);
/// The clip in terms of the fitted joints. Motion of joints that hang on others than before is
/// composed in double precision from the samples; shear that arises is lost (and measured by the
/// proof).
Clip fit_clip(const Clip& clip, const Skeleton& figure, const JointFit& fit);

}  // namespace mellow
