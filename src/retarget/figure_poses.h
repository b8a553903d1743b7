// The figure while it is posed: world turns and places, sample by sample.
#pragma once

#include <vector>

#include "mellow/skeleton.h"
#include "retarget/bound_map.h"

namespace mellow {

class FigurePoses {
  public:
    FigurePoses(const Skeleton& skeleton, const BoundMap& map, int samples);

    int samples() const { return samples_; }
    /// World turn of a joint; of a bound one it may be set.
    Quat& turn(int joint, int k) { return turns_[index(joint, k)]; }
    const Quat& turn(int joint, int k) const { return turns_[index(joint, k)]; }
    /// World place; it may be set where the map says that a joint has a place of its own.
    Vec3& place(int joint, int k) { return places_[index(joint, k)]; }
    const Vec3& place(int joint, int k) const { return places_[index(joint, k)]; }
    /// The turn since rest.
    Quat since_rest(int joint, int k) const;

    /// Works out riders and places of a sample from what was set.
    void lay(int k);
    /// Relative to parent joints, as they are baked.
    std::vector<Transform> locals(int k) const;

    const std::vector<Vec3>& rest_places() const { return rest_places_; }
    const Quat& rest_turn(int joint) const { return rest_turns_[static_cast<std::size_t>(joint)]; }

  private:
    std::size_t index(int joint, int k) const {
        return static_cast<std::size_t>(k) * static_cast<std::size_t>(skeleton_.size()) +
               static_cast<std::size_t>(joint);
    }

    const Skeleton& skeleton_;
    const BoundMap& map_;
    int samples_;
    std::vector<Quat> turns_, rest_turns_;
    std::vector<Vec3> places_, rest_places_;
    std::vector<double> sizes_;  // of what hangs on a joint
};

}  // namespace mellow
