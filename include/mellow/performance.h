// Performance: what moves a rig before its rules are evaluated: a timeline, or blocks of timelines
// on an arrangement; layers over it; and which part of it is played.
//
// Frames here count at the scene's rate, and may be fractions. docs/recipe.md has each key with its
// equation.
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

#include "mellow/convention.h"
#include "mellow/node_mask.h"
#include "mellow/place.h"
#include "mellow/rig_rules.h"
#include "mellow/scene.h"

namespace mellow {

/// A part of a timeline, placed on an arrangement.
struct Block {
    int timeline = kNone;
    double first = 0, last = 0;  ///< frames of the timeline that are used, both included
    double start = 0;            ///< frame of the arrangement where it begins
    double speed = 1;            ///< above 0; 2 plays it in half the time
    int repeats = 1;
    ValueCurve weight;  ///< over frames of the arrangement; without points 1
    /// Controls that go on from where a repeat left them, in place of back to their first pose.
    std::vector<std::string> onward;
    Place where;

    double frames() const { return (last - first) * repeats / speed; }
    double end() const { return start + frames(); }
};

/// Blocks one after the other, in the order of `start`. Where two overlap the later one is blended
/// in over the overlap.
struct Arrangement {
    std::string name;
    std::vector<Block> blocks;
    CurveShape blend = CurveShape::kSmooth;  ///< kLinear or kSmooth
    bool gaps_rest = false;  ///< between blocks the rest pose, else the last pose holds

    double first() const { return blocks.empty() ? 0 : blocks.front().start; }
    /// Where the last block ends, in frames; 0 without blocks.
    double last() const;
};

/// Turns and shifts further.
struct OffsetLayer {
    Vec3 axis{0, 1, 0};       ///< turned about this axis ...
    double degrees = 0;       ///< ... by this angle at weight 1
    bool world_axis = false;  ///< the axis is of the world, else of the node itself
    Vec3 shift;               ///< added to the local place at weight 1
};

/// Takes on the pose of one frame.
struct ReplaceLayer {
    int timeline = kNone;  ///< the pose at `frame` of it; kNone: the rest pose
    double frame = 0;
};

/// Smooth noise.
struct ShakeLayer {
    /// Largest turn about X, Y and Z in degrees, and way along them.
    Vec3 degrees, offset;
    double frequency = 1;                         ///< beats a second
    std::array<std::uint32_t, 3> seeds{1, 2, 3};  ///< of the three axes
};

/// Rounds off the keys on these frames and between them. It has no weight.
struct SmoothLayer {
    double first = 0, last = 0;
};

/// A change of local poses: after the rules that drive a node, before its world is computed.
struct Layer {
    Place where;
    NodeMask mask;
    ValueCurve
        weight;  ///< over frames of the timeline or arrangement; without points `constant_weight`
    double constant_weight = 1;
    std::variant<OffsetLayer, ReplaceLayer, ShakeLayer, SmoothLayer> body;
};
/// "offset", "replace", "shake" or "smooth".
std::string_view kind(const Layer& layer);

/// The part that is played: what `lag` runs in for.
struct Played {
    double first_second = 0, last_second = 0;
    bool loop = false;
};

/// What moves a rig: keys or an arrangement, layers over them, and the part that is played.
struct Performance {
    int timeline = kNone;  ///< kNone without an arrangement: the rest pose
    std::optional<Arrangement> arrangement;
    std::vector<Layer> layers;
    std::optional<Played> played;  ///< without it all there is, once
    /// How many seconds rules with memory (`lag`, `roll`) may be walked through, at most.
    double most_walk_s = 7200;
};

/// Takes shifts and axes along when the scene goes through convert().
void convert(Layer& layer, const Conversion& conversion);

}  // namespace mellow
