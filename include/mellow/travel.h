// Travel: the part of a clip's motion that belongs to the root joint.
//
// World poses never change: what the root takes on, the joints below it give up. A walk that goes
// ahead by itself becomes a walk on the spot below a root that goes ahead, which is what most games
// move. All functions work on baked clips, inside: ground is X and Z, up is +Y, metres.
#pragma once

#include <string>
#include <vector>

#include "mellow/clip.h"
#include "mellow/joint_source.h"
#include "mellow/result.h"
#include "mellow/skeleton.h"

namespace mellow {

/// Puts a root joint named `root` at the origin above all top joints, as joint 0 with an identity
/// rest pose. A skeleton whose only top joint has that name already is left as it is. Fails with
/// name-clash when another joint has the name.
Status add_root(Skeleton& skeleton, JointSources& sources, const std::string& root);

/// Lets joint 0, which add_root() has put there, move as a node of the scene does, a control for
/// travel: its place and turn, relative to its turn at rest, without its scale. The joint rests
/// where the node does. Fails with value-bad where the root is a joint of the source already.
Status drive_root(Skeleton& skeleton, JointSources& sources, const Scene& scene, int node);

/// What the root carries. Nothing chosen: the root stays where it is.
struct TravelParts {
    bool ground = false;   ///< place on the ground plane, X and Z
    bool height = false;   ///< height above the first sample
    bool heading = false;  ///< turn about up

    /// Where the heading comes from: the turn of the hips, or the way that they go, as long as they
    /// are faster than 0.05 m/s; in between the last one stays.
    enum class Heading { kHips, kWay };
    Heading heading_from = Heading::kHips;
    /// Where the height comes from: the hips, or the lowest foot that stands, in lines between:
    /// then a jump is not carried, and stairs are.
    enum class Height { kHips, kFeet };
    Height height_from = Height::kHips;
    /// Seconds over which the root is a mean of its samples, half before and half behind; 0: none.
    double smooth_s = 0;
    /// The root stays at rest, and its travel becomes channels of the clip (travel_channels()).
    bool channels = false;

    bool any() const { return ground || height || heading; }
    bool operator==(const TravelParts&) const = default;
};

/// Moves the chosen parts of the motion of joint `hips` to joint 0 and fills clip.travel. With no
/// part chosen joint 0 keeps the motion it has, and clip.travel says what that is.
///
/// heading(k) is the twist about +Y of hips(k) * inverse(hips at rest), unwrapped, or the direction
/// of hips(k + 1) - hips(k - 1) on the ground;
/// place(k) = hips(k) on the ground minus the hips' rest place turned by heading(k);
/// height(k) = hips height(k) - hips height(0), or likewise of the lowest foot that stands: slower
/// than 0.25 m/s for 0.15 s or more; 0 where no foot ever stands.
/// With `smooth_s` each is the mean of the samples around it under a window of 1 + cos: symmetric,
/// so that nothing lags; loops go on beyond their ends by what one round adds; without a loop the
/// window narrows towards both ends, which stay. Afterwards root(k) == T(place, height) *
/// Ry(heading) and each child c of the root has local(k) == inverse(root(k)) * world(k), so that
/// world poses stay within single-precision rounding.
void extract_travel(Clip& clip, const Skeleton& skeleton, int hips, const TravelParts& parts,
                    const std::vector<int>& feet = {});

/// What joint 0 carries as it is, whoever moves it: parts that it ever leaves its first pose by (a
/// tenth of a millimetre, a thousandth of a radian), and their figures.
Travel travel_of_root(const Clip& clip, const Skeleton& skeleton);

/// Where the figure stands and which way it heads at the first sample, as extract_travel() finds it
/// with ground and heading, whichever of them `parts` has: on the ground and about up.
Transform start_frame(const Clip& clip, const Skeleton& skeleton, int hips,
                      const TravelParts& parts, const std::vector<int>& feet = {});
/// Which way a clip heads at its first sample, radians about up from where the figure rests,
/// counter-clockwise seen from above: joint 0 where it carries heading (clip.travel), else joint
/// `hips`.
double start_heading(const Clip& clip, const Skeleton& skeleton, int hips);
/// Whether any of the feet ever stands, as extract_travel() takes it.
bool any_foot_stands(const Clip& clip, const Skeleton& skeleton, const std::vector<int>& feet);

/// Takes the travel off the root, which then rests, and keeps it as scalar channels of the clip:
/// "travel.left", "travel.up", "travel.ahead" in metres along the figure's left, up and front as it
/// rests, "travel.turn" in degrees about up, counter-clockwise seen from above. The root was at
/// T(left, up, ahead) * Ry(turn): put back, every joint is where it was. A root that tilts keeps
/// what is no turn about up.
void travel_channels(Clip& clip, const Skeleton& skeleton);

/// How far the hips go while the root stays, metres; 0 where the root carries it.
struct HipsDrift {
    double ground_m = 0;       ///< from the first to the last sample, on the ground
    double farthest_m = 0;     ///< from the first sample to the farthest: circles come back
    double climb_m = 0;        ///< up or down from the first to the last sample
    bool sinks_alone = false;  ///< down, while the lowest joint stays: the figure sits or lies
};
/// Measures joint `hips` of a baked clip.
HipsDrift hips_drift(const Clip& clip, const Skeleton& skeleton, int hips);

}  // namespace mellow
