// Carrying motion over to a figure of other names, other axes, another rest pose, other
// proportions.
//
// What is kept is what a body does: directions of limbs, the bend of the spine, feet that stand
// still, hands that meet. What is given up is places, which bones of other lengths cannot keep.
// docs/retarget.md has the equations and the order of steps.
//
// Thread rule: a Carrier is immutable once made; carry() may run on several threads at once.
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "mellow/figure_map.h"
#include "mellow/result.h"
#include "mellow/skeleton.h"

namespace mellow {

/// What may be told otherwise than by the two skeletons.
struct CarryOptions {
    /// Metres of the figure's way for one of the motion's. Not set: the ratio of leg lengths.
    std::optional<double> travel_ratio;
    double ground_m = 0;  ///< height of the figure's ground at rest
    bool feet = true;     ///< feet that stand still in the motion stand still
    bool hands = true;    ///< hands that are near one another keep their distance
};

/// What carrying over did to one timeline. Lengths in millimetres of the figure.
struct CarryReport {
    double ratio = 1;             ///< of ways
    int contacts = 0;             ///< spans of a foot that stands still
    double slide_before_mm = 0;   ///< the most that a standing foot would have moved
    double slide_mm = 0;          ///< the most that it does, at samples
    double slide_between_mm = 0;  ///< the same half way between two samples
    double lowered_mm = 0;        ///< the most that the hips were lowered, so that legs reach
    double lowered_mean_mm = 0;
    int out_of_reach = 0;   ///< samples at which a leg does not reach its foot even so
    double knee_ratio = 1;  ///< second difference of knees over 1/30 s, against that of the motion
    bool closed = false;    ///< first and last pose are one: it was carried as a round
    std::optional<Vec3> belt;  ///< metres a second that the ground moves: a clip in place
};

/// A timeline of the figure: `samples` times as many transforms as it has joints.
struct CarriedMotion {
    int samples = 0;
    std::vector<Transform> locals;  ///< relative to the parent joint, sample after sample
    CarryReport report;
};

/// A map that was looked up in two skeletons: carries any motion of the one over to the other.
class Carrier {
  public:
    /// Fails with name-unknown for joints that are not there, and with skeleton-differs where the
    /// map has too little to carry by: no hips, or a limb with a joint missing in its middle; with
    /// rest-shape where the figure is scaled unevenly at rest.
    static Result<Carrier> make(const Skeleton& motion, const Skeleton& figure,
                                const FigureMap& map, const CarryOptions& options);

    /// `locals`: `samples` times as many transforms as the motion's skeleton has joints, `step`
    /// seconds apart; metres, inside. Bones of the figure keep their lengths.
    CarriedMotion carry(const std::vector<Transform>& locals, int samples, double step) const;

    /// Joints of the motion that move and have no pair, but for those that the map ignores.
    std::vector<std::string> left_behind(const std::vector<Transform>& locals, int samples) const;

  private:
    struct Parts;
    explicit Carrier(std::shared_ptr<const Parts> parts) : parts_(std::move(parts)) {}
    std::shared_ptr<const Parts> parts_;
};

}  // namespace mellow
