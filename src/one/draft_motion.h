// What a draft says of the motion of one clip: whether it loops, and what its root has to carry.
#pragma once

#include <cstdint>
#include <string>

#include "mellow/clip.h"
#include "mellow/rate.h"
#include "mellow/skeleton.h"
#include "mellow/travel.h"

namespace mellow {

/// One clip that is suggested.
struct ClipDraft {
    std::string name, timeline, source;
    std::int64_t first = 0, last = 0;
    bool loop = false, open = false, fit = false;
    TravelParts travel;
    std::string named, reason, looped, travels;  ///< why: name, range, loop, travel
    bool guess = false, loop_guess = false;      ///< of the name, of the loop
};

/// How far a clip gets.
struct ClipDrift {
    HipsDrift drift;
    double turned;
    bool figure;
};

/// Whether a baked clip loops, as a whole or after a shorter range; fills what is said of its loop.
void find_loop(const Clip& clip, const Skeleton& skeleton, int hips, FrameRate rate,
               ClipDraft& out);

/// Loops are found apart from what they travel, however little that is: it must be carried
/// then, or the loop snaps back.
void carry_loop(ClipDraft& clip, const ClipDrift& drift);

}  // namespace mellow
