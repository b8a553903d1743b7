// What a file's numbers really are, where that is not what the file says.
//
// Many files claim metres and hold centimetres, or claim +Y up and lie on their backs. A recipe, or
// an option of the tool, says how it is; what it does not say is believed of the file, or assumed
// and said.
#pragma once

#include <optional>

#include "mellow/convention.h"
#include "mellow/finding.h"
#include "mellow/rate.h"
#include "mellow/result.h"
#include "mellow/scene.h"

namespace mellow {

/// What position channels of a BVH joint are: added to its OFFSET, or in its place.
enum class BvhPlaces { kAdded, kInstead };
/// Which frames of a BVH file count where it has more or fewer lines than it declares.
enum class BvhFrames { kDeclared, kAll };

/// Members that are not set leave what the file says.
struct TrueConvention {
    std::optional<double> metres_per_unit;
    std::optional<Axis> up, front;
    std::optional<FrameRate> rate;
    std::optional<BvhPlaces> places = {};  ///< not set: by evidence, see read_bvh()
    std::optional<BvhFrames> frames = {};  ///< not set: all, where they are not too few
    std::optional<Hand> hand = {};
    /// In place of a unit: how many metres it reaches from the lowest to the highest point at rest:
    /// its skinned meshes, all meshes where none is skinned, its nodes where there is no mesh.
    std::optional<double> height_m = {};
    bool scale_keys = true;  ///< false: keys of scale are noise, and are left out
    Place where_rate = {};   ///< where `rate` is said, for messages

    /// True when unit, up and front are all said: nothing about space is left to assume.
    bool whole() const { return sized() && up && front; }
    /// True when it says how large its units are.
    bool sized() const { return metres_per_unit || height_m; }
    /// True for a note that something had to be assumed, or is suspect, which this says.
    bool answers(const Finding& note) const;
    /// A finding where it is made: one of the rate where that is said.
    Finding placed(Finding note) const;
};

/// Overrules what `scene` says of itself; no number changes but key times. `keys_on_frames` says
/// that the file counts frames (BVH): another rate then moves every key to the same frame number at
/// that rate. Otherwise keys stand at seconds, and the rate only says how frames are counted. Keys
/// that miss a frame by rounding alone are put on it. Fails with value-bad when up and front lie
/// along one line, or when a height is given and there is nothing to measure.
Status overrule(Scene& scene, const TrueConvention& truth, bool keys_on_frames);

}  // namespace mellow
