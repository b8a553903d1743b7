// Shaping clips: where a range of a timeline takes its samples, and which form a loop is stored in.
//
// Counting, everywhere: a..b is inclusive, b - a intervals, b - a + 1 samples, (b - a) / rate
// seconds. Frames are of the source, samples of the clip, and the two rates may differ.
#pragma once

#include <string>

#include "mellow/clip.h"
#include "mellow/place.h"
#include "mellow/result.h"
#include "mellow/sample_plan.h"
#include "mellow/skeleton.h"

namespace mellow {

/// How a clip is played.
enum class Play {
    kOnce,
    kLoop,
    kPose,  ///< a single sample, the pose of the first frame
};

/// A named part of a timeline, in frames of the source rate.
struct Range {
    std::string name;
    std::int64_t first = 0, last = 0;  ///< inclusive
    Play play = Play::kOnce;
    Place where;  ///< for messages: file, line and clip

    bool loops() const { return play == Play::kLoop; }
    bool is_pose() const { return play == Play::kPose; }
};

/// A range with its samples planned.
struct PlannedRange {
    SamplePlan plan;
    Findings findings;
};

/// A pose is one sample, of a frame on which or between which there are keys, where there are any.
/// Else: Plans the samples of `range` at `target` rate: the same seconds, the first sample on the
/// first frame, the last on the last. Fails with range-empty, with range-outside beyond
/// `first_frame` .. `last_frame` of the timeline, and with range-off-grid for a loop whose period
/// is no whole number of target intervals. A clip that plays once and does not end on the target
/// grid is held to the next grid point, with a finding.
Result<PlannedRange> plan_range(const Range& range, std::int64_t first_frame,
                                std::int64_t last_frame, FrameRate source, FrameRate target);

/// How far the last sample of a clip is from its first, as one sees it: poses of joints in the
/// space of the root (joint 0), which is left out.
struct LoopGap {
    double distance_m = 0;  ///< largest difference of a place
    int joint = -1;         ///< where that is
    double angle_rad = 0;   ///< largest difference of a turn
    int turned = -1;        ///< where that is
    double weight = 0;      ///< largest difference of a morph weight
    double scale = 0;       ///< largest difference of a local scale
    double scalar = 0;      ///< largest difference of a scalar, relative where it is above 1
    /// The seam's change of speed of a place, and the largest one between other neighbours; metres
    /// a second. The same for turns, radians a second.
    double speed_m_s = 0, usual_speed_m_s = 0;
    double spin_rad_s = 0, usual_spin_rad_s = 0;
};
/// Measures a closed clip, at least one sample long. `counted`: which joints; empty: all.
LoopGap loop_gap(const Clip& clip, const Skeleton& skeleton, const std::vector<bool>& counted = {});

/// Drops the closing sample of a closed loop; the period stays. Other clips are left as they are.
void open_loop(Clip& clip);
/// Puts the closing sample back: the first sample again, the root moved on by the travel step.
/// The inverse of open_loop() for clips whose loop gap is 0.
void close_loop(Clip& clip);

}  // namespace mellow
