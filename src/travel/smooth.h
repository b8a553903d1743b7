// Smoothing without lag, and what goes on beyond the ends of a loop.
#pragma once

#include <vector>

#include "mellow/vec3.h"

namespace mellow {

/// A place on the ground with a height, and a turn about up.
struct GroundFrame {
    Vec3 place;
    double heading = 0;  ///< radians
};

/// Frames of every sample of a clip. Of a loop, the last repeats the first after one round of it.
class GroundPath {
  public:
    GroundPath(std::vector<GroundFrame> frames, bool loops);

    /// The frame of any sample: loops go on before and behind, others stop at their ends.
    GroundFrame at(int sample) const;
    int samples() const { return static_cast<int>(frames_.size()); }
    bool loops() const { return loops_; }

    /// Each frame as the mean of those around it, up to `width` / 2 samples on either side, under
    /// a window of 1 + cos. Without a loop the window narrows towards both ends, whose frames stay.
    std::vector<GroundFrame> smoothed(double width) const;

  private:
    std::vector<GroundFrame> frames_;
    bool loops_;
};

}  // namespace mellow
