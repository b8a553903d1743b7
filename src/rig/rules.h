// The bound rules: indices and constants in place of names, and their kernels over a tile. One .cpp
// file per rule, which reads it from a sheet, takes it along with a conversion, binds and runs it.
// A scalar index of kNone stands for the constant 1.
#pragma once

#include <memory>
#include <variant>
#include <vector>

#include "base/toml_table.h"
#include "mellow/convention.h"
#include "mellow/performance.h"
#include "mellow/pose_tile.h"
#include "mellow/rig_rules.h"
#include "model/lanes.h"
#include "model/orientation.h"
#include "rig/binder.h"
#include "rig/track.h"

namespace mellow {

struct BoundFollow {
    struct Source {
        int node, turn, weight;
        Vec3 position;     ///< of the node, in the source's space
        Quat orientation;  ///< conj(orientation(source)) * orientation(node), in the rest pose
        Vec3 scale;
    };
    int node, parent;
    int parent_turn;
    std::vector<Source> sources;
    AxisMask position, orientation, scale;
    Quat rest_orientation;  ///< what a masked turn starts from
    Quat lead;              ///< rest_lead() of the node
    int weight;
};
FollowRule read_follow(TomlTable& t);
void convert(FollowRule& rule, const Conversion& c);
Result<BoundFollow> bind(const FollowRule& rule, Binder& binder);
void run(const BoundFollow& rule, PoseTile& tile);

struct BoundAim {
    int node, parent, source, up_node;
    bool up_is_axis;  ///< `up` is an axis of up_node
    Quat
        frame;  ///< conjugate of the frame of axis and up_axis in the node's axes, times the offset
    Vec3 up;
    Vec3 rest_up;  ///< where the rest pose has up_axis, in the parent's space
    int weight;
};
AimRule read_aim(TomlTable& t);
void convert(AimRule& rule, const Conversion& c);
Result<BoundAim> bind(const AimRule& rule, Binder& binder);
void run(const BoundAim& rule, PoseTile& tile);

struct BoundLimb {
    int start, mid, end, goal, pole, parent;
    int parent_turn, goal_turn;
    bool end_follows_goal;
    double stretch, soft;
    Vec3 bone, hinge;  ///< unit direction of the first bone and the bend axis across it, in start
    Quat from_start;   ///< conjugate of the frame of bone and hinge
    Quat straight;     ///< turn of mid that makes both bones one line
    Quat offset;       ///< conj(orientation(goal)) * orientation(end), in the rest pose
    Quat lead;         ///< rest_lead() of the end
    int weight;
};
LimbRule read_limb(TomlTable& t);
void convert(LimbRule& rule, const Conversion& c);
Result<BoundLimb> bind(const LimbRule& rule, Binder& binder);
void run(const BoundLimb& rule, PoseTile& tile);

struct BoundChain {
    std::vector<int> joints, along;
    std::vector<Quat> rest;  ///< local rotation of each joint at rest
    int goal, end, parent;   ///< end: the goal or last control
    bool stretch, end_follows;
    double limit_rad, tolerance;
    int iterations;
    Quat offset;  ///< of the last joint to the goal or last control, in the rest pose
    Quat lead;    ///< rest_lead() of the last joint
    int weight;
};
ChainRule read_chain(TomlTable& t);
void convert(ChainRule& rule, const Conversion& c);
Result<BoundChain> bind(const ChainRule& rule, Binder& binder);
void run(const BoundChain& rule, PoseTile& tile);

struct BoundTwist {
    struct Share {
        int node;
        double share;
        Quat rest;
    };
    int source;
    Vec3 axis;
    Quat rest;
    std::vector<Share> shares;
};
TwistRule read_twist(TomlTable& t);
void convert(TwistRule& rule, const Conversion& c);
Result<BoundTwist> bind(const TwistRule& rule, Binder& binder);
void run(const BoundTwist& rule, PoseTile& tile);

struct BoundLimit {
    int node, parent;
    LimitRule::Of of;
    Vec3 axis;
    double least, most;  ///< angles in radians
    Quat rest;
};
LimitRule read_limit(TomlTable& t);
void convert(LimitRule& rule, const Conversion& c);
Result<BoundLimit> bind(const LimitRule& rule, Binder& binder);
void run(const BoundLimit& rule, PoseTile& tile);

struct BoundRoll {
    int node, parent;
    Vec3 axis, up;
    double radius;
    Quat rest;
    std::shared_ptr<Track> track;  ///< radians over time, found when the rig is bound
    std::shared_ptr<RollState> state;
};
RollRule read_roll(TomlTable& t);
void convert(RollRule& rule, const Conversion& c);
Result<BoundRoll> bind(const RollRule& rule, Binder& binder);
void run(const BoundRoll& rule, std::span<const double> seconds, PoseTile& tile);
/// Walks on through `count` frames and adds them to the track.
void simulate(const BoundRoll& rule, int count, PoseTile& tile);

struct BoundDrive {
    struct Input {
        DriveInput::Of of;
        int node, to;  ///< node: the scalar, for kScalar
        Vec3 axis;
        Transform rest;
        ValueCurve curve;
    };
    std::vector<Input> inputs;
    bool product;
    DriveRule::To to;
    int node;  ///< the scalar, for kMorph and kScalar
    Vec3 axis;
    Transform rest;
};
DriveRule read_drive(TomlTable& t);
void convert(DriveRule& rule, const Conversion& c);
Result<BoundDrive> bind(const DriveRule& rule, Binder& binder);
void run(const BoundDrive& rule, PoseTile& tile);

struct BoundLag {
    int node, parent;
    bool position, orientation;
    double frequency, damping, run_in;
    int weight;
    std::shared_ptr<Track> track;  ///< world position and velocity, orientation
    std::shared_ptr<LagState> state;
};
LagRule read_lag(TomlTable& t);
void convert(LagRule& rule, const Conversion& c);
Result<BoundLag> bind(const LagRule& rule, Binder& binder);
void run(const BoundLag& rule, std::span<const double> seconds, PoseTile& tile);
/// Walks on through `count` frames and adds them to the track. `moved` takes the node's world from
/// the part of a loop it was evaluated in to where the loop has got to; empty outside loops.
void simulate(const BoundLag& rule, int count, const Affine* moved, PoseTile& tile);

struct BoundLayer {
    std::vector<int> nodes, parents;
    std::vector<Transform> poses;  ///< kReplace: the pose of each node
    Layer layer;
    double frames_per_second;
};
/// The nodes of a layer, in lists that are each changed at once: what turns about axes of the world
/// must know where what is above a node has got to, which may be of the layer itself.
Result<std::vector<std::vector<int>>> layer_nodes(const Layer& layer, const std::string& prefix,
                                                  const Scene& scene);
Result<BoundLayer> bind(const Layer& layer, int index, std::vector<int> nodes, Binder& binder,
                        Findings& findings);
void run(const BoundLayer& layer, std::span<const double> seconds, PoseTile& tile);

using BoundRule = std::variant<BoundFollow, BoundAim, BoundLimb, BoundChain, BoundTwist, BoundLimit,
                               BoundRoll, BoundDrive, BoundLag, BoundLayer>;

// What several rules do.

/// How far a rule counts at each frame, from 0 to 1 whatever the scalar says; 1 for kNone.
struct Weights {
    alignas(64) double lanes[kTileFrames];
    double operator[](int frame) const { return lanes[frame]; }
};
Weights weights_of(const PoseTile& tile, int scalar);
/// Turns between what the keys say and what a rule wants, on the shortest way, as far as the rule
/// counts: all rules mix like this. Rows of kTileFrames quaternions; `turns` holds what is wanted
/// and takes the outcome.
void mix_turns(TurnRows keyed, const Weights& weights, TurnRowsOut turns);
/// Turns a node that was turned as if its own scale were even to where it is to face all the same.
/// `lead`: rest_lead() of the node.
void settle_turns(WorldRows above, TurnRows above_turn, Quat lead, LocalRowsOut local);
/// World row of a node's parent; above roots, the identity row after the nodes of the scene.
inline int row_above(const Binder& binder, int node) {
    return binder.parent(node) == kNone ? static_cast<int>(binder.scene().nodes.size())
                                        : binder.parent(node);
}

}  // namespace mellow
