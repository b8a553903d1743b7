// The rules of a rig sheet as values: what a person wrote, checked word by word but not yet bound
// to a scene. Each kind's equation, drawing and worked example stand in docs/rig-sheet.md.
//
// Names are those of nodes. Axes are unit vectors and lengths are in the units of the scene; see
// convert(RigSheet&). Angles that a person types are degrees, and stay so here.
#pragma once

#include <string>
#include <variant>
#include <vector>

#include "mellow/place.h"
#include "mellow/value_curve.h"
#include "mellow/vec3.h"

namespace mellow {

/// A number in a rule: a constant, or the scalar of that name, which can be keyed or driven.
struct Amount {
    double value = 1;
    std::string scalar;  ///< empty: the constant
};

/// Which axes something concerns, by their lines.
struct AxisMask {
    bool x = false, y = false, z = false;
    bool any() const { return x || y || z; }
    bool all() const { return x && y && z; }
};

/// A node to follow, and how much.
struct WeightedSource {
    std::string node;
    Amount weight;
};

/// `node` takes the chosen parts of the world transform of its sources, mixed by weight.
struct FollowRule {
    std::string node;
    std::vector<WeightedSource> sources;
    AxisMask position, orientation, scale;  ///< axes of the world; of the node for scale
    bool keep_offset = true;
    Amount weight;
};

/// `node` turns its `axis` towards `source` and its `up_axis` as near as can be to up.
struct AimRule {
    std::string node, source;
    Vec3 axis{0, 1, 0}, up_axis{0, 0, 1};
    Vec3 up{0, 1, 0};       ///< a direction of the world; of `up_node` with up_turns
    std::string up_node;    ///< empty: `up` itself. Else the direction to that node's place ...
    bool up_turns = false;  ///< ... or that node's own axis `up`
    bool keep_offset = false;
    Amount weight;
};

/// Two bones, start-mid and mid-end, bend in the plane of `pole` so that `end` reaches `goal`.
struct LimbRule {
    std::string start, mid, end, goal, pole;
    bool end_follows_goal = true;  ///< `end` also takes the goal's orientation, with rest offset
    double stretch = 1;            ///< the bones grow up to this factor to reach the goal
    double soft =
        0;  ///< the last part of the reach, as a share of it, in which the limb slows down
    Amount weight;
};

/// Joints in a row reach a goal, or lie along a curve through controls.
struct ChainRule {
    std::vector<std::string> joints;
    std::string goal;                ///< reach this node, or ...
    std::vector<std::string> along;  ///< ... lie along the curve through these
    bool stretch = false;            ///< along a curve: spread over its length
    bool end_follows_goal = true;    ///< the last joint takes the turn of the goal or last control
    double limit = 180;              ///< degrees each bone may bend away from its rest pose
    double tolerance = 1e-5;         ///< how near is near enough, as a share of the chain's length
    int iterations = 200;
    Amount weight;
};

/// Joints along a bone share the turn of `source` about the bone.
struct TwistRule {
    /// A joint and its part of the turn, 0 to 1.
    struct Share {
        std::string node;
        double share = 0.5;
    };
    std::string source;
    Vec3 axis{0, 1, 0};  ///< along the bone, in the axes of the parent of `source`
    std::vector<Share> shares;
};

/// Keeps one quantity of a node between two bounds, after all that moves it.
struct LimitRule {
    enum class Of { kScale, kPosition, kWorld, kTwist, kSwing };
    std::string node;
    Of of = Of::kPosition;
    Vec3 axis{0, 1, 0};
    double least = 0, most = 0;  ///< length, factor or degrees
};

/// A wheel turns with the way it covers on the ground.
struct RollRule {
    std::string node;
    Vec3 axis{1, 0, 0};  ///< the hub, in the node's own axes
    double radius = 1;
    Vec3 up{0, 1, 0};  ///< away from the ground, in the world
};

/// One thing a drive reads, and the curve it goes through.
struct DriveInput {
    enum class Of { kSwing, kTwist, kPosition, kWorld, kDistance, kScalar };
    Of of = Of::kSwing;
    std::string node;  ///< or the scalar, for kScalar
    std::string to;    ///< the other node, for kDistance
    Vec3 axis{0, 1, 0};
    ValueCurve curve;
};

/// Inputs, multiplied or added, set a morph weight, a scalar or a channel of a node.
struct DriveRule {
    enum class To { kMorph, kScalar, kTurn, kPosition, kScale };
    std::vector<DriveInput> inputs;
    bool product = true;  ///< else the sum
    To to = To::kMorph;
    std::string node;    ///< the node; the one that carries the mesh, for kMorph; or the scalar
    std::string target;  ///< for kMorph
    Vec3 axis{0, 1, 0};  ///< about or along which a channel moves
};

/// `node` comes after where it would be, like a weight on a spring.
struct LagRule {
    std::string node;
    bool position = true, orientation = false;
    double frequency = 2;  ///< hertz, of the spring without damping
    double damping = 0.5;  ///< 1 is the least that does not swing past
    double run_in = 2;     ///< seconds simulated before the first frame
    Amount weight;
};

/// One rule of a sheet.
struct Rule {
    Place where;  ///< file, line and rule number for messages
    std::variant<FollowRule, AimRule, LimbRule, ChainRule, TwistRule, LimitRule, RollRule,
                 DriveRule, LagRule>
        body;
};

/// "follow", "aim", "limb", ... as in the sheet.
std::string_view kind(const Rule& rule);
/// All kinds, in the order of the variant.
const std::vector<std::string>& rule_kinds();

}  // namespace mellow
