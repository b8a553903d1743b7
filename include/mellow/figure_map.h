// FigureMap: which joints of a motion move which joints of a figure, role by role.
//
// A map is made by match_figures(), is a small TOML file that is written to be read and edited, and
// is what carrying motion over needs (retarget.h). It holds names alone: one map serves all files
// of the same two skeletons. docs/retarget.md describes the file.
#pragma once

#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "mellow/joint_roles.h"
#include "mellow/place.h"
#include "mellow/result.h"
#include "mellow/skeleton.h"

namespace mellow {

/// Joints of one role in both skeletons, from the body outwards; as many or not.
struct MapPair {
    Role role = Role::kOther;
    BodySide side = BodySide::kMiddle;
    std::string name;  ///< of a pair that has no role
    std::vector<std::string> motion, figure;
    Evidence motion_told, figure_told;  ///< not in the file

    /// "left_thigh", or its own name.
    std::string key() const { return role == Role::kOther ? name : role_name(role, side); }
};

/// The whole of a map.
struct FigureMap {
    std::vector<MapPair> pairs;
    std::vector<std::string> held;     ///< joints of the figure that rest, whatever the motion does
    std::vector<std::string> ignored;  ///< joints of the motion that nobody misses
    /// Joints of the figure that are turned more at rest than they seem: XYZ Euler angles in
    /// degrees, about the axes of the world, X first.
    std::vector<std::pair<std::string, Vec3>> turned;
    Place where;  ///< the file, for messages
};

/// A map, and what was left over.
struct JointMatch {
    FigureMap map;
    std::vector<std::string> motion_left, figure_left;  ///< joints without a pair
    Findings findings;
};

/// Matches two skeletons by the roles of their joints, then by name what has none. Fails where one
/// goes on four legs and the other does not, where neither hips nor limbs are found in both, and
/// where names of sides are against the body.
Result<JointMatch> match_figures(const Skeleton& motion, const Place& motion_where,
                                 const Skeleton& figure, const Place& figure_where);

/// The file's text: what told each pair stands behind it, and what is a guess is marked.
std::string figure_map_text(const JointMatch& match, const std::string& motion,
                            const std::string& figure);
/// The way back. Fails with all mistakes of the text: unknown roles, a joint in two of them, a
/// chain where there is one joint. `file` is what messages call it.
Result<FigureMap> parse_figure_map(std::string_view text, const std::string& file);

}  // namespace mellow
