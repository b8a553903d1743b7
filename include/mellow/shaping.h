// Shaping takes: new takes made of others, before anything is sampled.
//
// A part of a take is played at another speed, backwards or held; parts are joined, each where the
// one before ended; a take is repeated, mirrored, or has the gap of its loop closed. Each result is
// a take again, a pure function of time that is baked and proven like any other: equations are in
// docs/shaping.md. Seconds of a shaped take count from 0 on.
//
// Everything is in the inside convention: +Y up, figures face +Z, their left is +X, metres.
// Thread rule: as for Take: immutable once made, a tile per thread.
#pragma once

#include <functional>
#include <optional>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "mellow/clip.h"
#include "mellow/result.h"
#include "mellow/take.h"
#include "mellow/value_curve.h"

namespace mellow {

/// What joint 0 of a skeleton is.
enum class RootKind {
    kFigure,  ///< a joint of the figure like others
    kMoves,   ///< a root above the figure that has motion of its own
    kAdded,   ///< a root that was put above the figure, and stays where it is
};

/// A take of its own time, from second 0 to `seconds`; before and after it holds.
struct ShapedTake {
    Take take;
    double seconds = 0;
};

/// Where a part is put when it follows another: the ground frame of `joint` as the part begins
/// is laid on that of what came before, at the same moment.
///
/// The ground frame of a joint with world W and W0 at rest: its heading h is the twist about up of
/// W * inverse(W0), its place that of W without what turning W0 by h gives, on the ground.
struct Align {
    int joint = 0;
    bool ground = true, heading = true;
    bool height = false;  ///< the joint's own height goes on as well
};

/// One part of a joined take.
struct JoinPart {
    std::string name;  ///< for people
    Take take;         ///< all parts have one skeleton, and the same morph targets and scalars
    ValueCurve time;   ///< seconds of `take` over seconds of the part, from 0 on
    double seconds = 0;
    double overlap = 0;  ///< seconds for which the part before plays on under this one's beginning
    CurveShape blend = CurveShape::kSmooth;  ///< kLinear or kSmooth, over the overlap
    Align align;                             ///< of no use for the first part
};

/// Time of a take from `first` to `last` in `seconds`, at even speed; backwards where last < first.
ValueCurve even_time(double first, double last, double seconds);

/// Where a part came to be.
struct PlacedPart {
    std::string name;
    double first = 0, last = 0;  ///< seconds of the joined take
    Transform placed;            ///< about up and on the ground (and in height): what moved it
};

/// Parts played one after the other, as one take.
struct Joined {
    ShapedTake shaped;
    std::vector<PlacedPart> parts;
};

/// Plays parts one after the other. Within a part, away from overlaps, world poses are those of its
/// take moved by `placed`. Over an overlap local poses are blended (places and sizes linear, turns
/// by slerp; of top joints and those that hang on a root world poses), morph weights and scalars
/// as well. Fails with value-bad: no part, a
/// part without length, an overlap longer than its part or the one before, another skeleton, a
/// joint that is none.
Result<Joined> join(std::vector<JoinPart> parts, RootKind root);

/// The same part again and again, each where the last one ended: n times a step is step^n. `times`
/// from 1 to 10000.
Result<Joined> repeat(const JoinPart& part, int times, RootKind root);

/// The ground frame of a joint (see Align) of a take at a second; its height too if `height`.
Transform ground_frame(const Take& take, const Align& align, double second);

/// The whole take elsewhere: turned about up and shifted by `place`. A root that was added stays.
Take placed(const ShapedTake& take, const Transform& place, RootKind root);
/// The same for a baked clip whose travel has been moved to the root: the root is moved where it
/// carries travel or was not added, else all that hangs on it. Other local poses stay as they are.
void place_clip(Clip& clip, const Skeleton& skeleton, const Transform& place, RootKind root);

/// The same name for the other side: its first word that says left or right exchanged, in the same
/// form ("L", "left", "Left", "LEFT"); nothing where no word does.
std::optional<std::string> other_side(const std::string& name);

/// A thing that is not of the figure, such as a tool: its joints, and the plane in which it is its
/// own image, in the world of the rest pose. Metres.
struct MirrorProp {
    std::vector<int> joints;
    Vec3 normal{1, 0, 0}, point;
};
/// Finds that plane by points of the thing, at rest: through their middle, around one of their
/// three main axes, where their images lie nearest to the points themselves; of planes that do it
/// equally well the one nearest to the figure's own. Without points `prop` stays as it is.
void fit_mirror_plane(std::span<const Vec3> points, MirrorProp& prop);
/// Which joint stands for which on the other side; itself in the middle and for props.
struct MirrorPairs {
    std::vector<int> joints;
    std::vector<int> scalars;           ///< of a tile: morph weights, then named scalars
    std::vector<std::string> unpaired;  ///< names with a side and without a partner
    double middle_m = 0;  ///< the figure's plane of symmetry is x = middle_m of the rest pose
    std::vector<MirrorProp> props;
};
/// Pairs by `table` (both ways), else by names that differ in one word for the side: L and R,
/// left and right, in any case, set apart by "_", ".", "-", blanks, or where small letters end.
/// The middle is that between the rest places of partners; props are joints that hang on joint 0,
/// or on nothing, and have no partners, with all below them. Fails with name-unknown for names of
/// the table that are no joints, with value-bad where no joint has a partner.
Result<MirrorPairs> mirror_pairs(const Take& take,
                                 const std::vector<std::pair<std::string, std::string>>& table);

/// A take in the mirror.
struct Mirrored {
    Take take;
    /// How far rest places of partners are from being each other's image, and where that is most.
    double asymmetry_m = 0;
    std::string asymmetric;
    std::vector<bool> bones;  ///< joints that keep their bones; others are free to be images
};
/// The take as a mirror in the figure's own middle plane shows it. Each joint takes the local turn
/// of its partner, mirrored, and keeps its own length: at rest it rests. What moves freely, top
/// joints below a root and props, is mirrored in the world; a prop is turned so that its own image
/// lies on itself. Twice is the identity.
Mirrored mirror(const Take& take, const MirrorPairs& pairs, RootKind root);

/// How far joints of a mirrored take are from the image of their partners, at most: what bones of
/// unequal length cost. Looked at 60 times a second from `first` to `last`, 2000 times at most.
struct MirrorCost {
    double distance_m = 0;
    int joint = kNone;
};
MirrorCost mirror_cost(const Take& take, const Mirrored& mirrored, const MirrorPairs& pairs,
                       double first, double last);

/// A take that lies over another one of the same joints.
struct TakeLayer {
    ShapedTake top;
    double start = 0;    ///< second of the take below at which it begins; before it weighs nothing
    bool again = false;  ///< begins anew at its end; else its last pose is held
    bool added = true;   ///< what it differs by is added; else it takes the place of what is there
    bool from_rest = false;  ///< added: it differs from the rest pose; else from its first pose
    std::vector<bool> joints = {};  ///< which it moves; empty: all, and morph weights and scalars
    double weight = 1;
    ValueCurve weights = {};  ///< over seconds of the take below, times `weight`; without points 1
};
/// With w the weight, F what is counted from, B below and T on top, of local places p, sizes s and
/// turns R: added, p = pB + w (pT - pF), s likewise, R = RB slerp(1, RF^-1 RT, w); in place, p = pB
/// + w (pT - pB), s likewise, R = slerp(RB, RT, w). Weights and scalars as places.
Take layered(const Take& base, const TakeLayer& layer);

/// How the gap of a loop is closed.
struct LoopRepair {
    double span = 0;  ///< seconds before the end over which poses go over into the first; 0: all
    int hips = 0;
    bool ground = false, heading = false;  ///< the way of the hips that is no gap: travel
    bool even = false;                     ///< w = u, as between two frames; else u*u*(3 - 2u)
};
/// A take whose loop was closed, and what that changed.
struct Repaired {
    Take take;
    double place_m = 0, turn_rad = 0;  ///< the largest change of a local place, of a local turn
    std::string place_joint, turn_joint;
};
/// The take with a last pose that is its first, travel apart: local poses get w(t) times what is
/// missing at the end, where w goes from 0 to 1 over the span. Period, step and way
/// stay. Morph weights and scalars are closed in the same way.
Repaired repair_loop(const ShapedTake& take, const LoopRepair& repair, RootKind root);

/// The take with `more` seconds behind its end, in which the pose is held and its way goes on as it
/// did over as many seconds before: what of `way` is travel, by hips, ground and heading. A loop
/// that is stored without its closing frame gets that frame so, and repair_loop() over `more` makes
/// it the first pose.
ShapedTake go_on(const ShapedTake& take, double more, const LoopRepair& repair, RootKind root);

/// A frame at which a range could close.
struct LoopEnd {
    int sample = 0;
    double place_m = 0, turn_rad = 0;  ///< largest differences of poses, the way of the hips apart
    /// The same of speeds: that with which it is reached, that with which the first is left.
    double speed_m_s = 0, spin_rad_s = 0;
    double score = 0;  ///< what they are sorted by, the least first
};
/// The best samples of a clip, from sample `shortest` on, to loop back to its first: poses of all
/// joints, or of those `counted`, as one sees them from where the hips have come to, and their
/// speeds there. score = place / 1 cm + turn / 1 degree + (speed / 1 cm + spin / 1 degree) * the
/// time of a sample. Neighbours of a better one are left out. At most `most` of them, of those
/// samples that `fits` where it is given.
std::vector<LoopEnd> find_loop_ends(const Clip& clip, const Skeleton& skeleton, int hips,
                                    int shortest, std::size_t most = 5,
                                    const std::vector<bool>& counted = {},
                                    const std::function<bool(int)>& fits = {});
/// How well the first sample goes on where motion leads behind the last, as it does in a loop that
/// is stored without the sample that repeats its first: from where four neighbours would have it,
/// by the cubic through them. Poses as in find_loop_ends(), speeds are 0. Of four samples or more.
LoopEnd open_loop_end(const Clip& clip, const Skeleton& skeleton, int hips);

}  // namespace mellow
