// Cues of a clip: those of the timelines that it plays, at the seconds at which it plays them.
#pragma once

#include <vector>

#include "plan/jobs.h"

namespace mellow {

/// Cues of a clip, by time, in seconds of its own; through cuts, parts, repeats, other speeds and
/// mirrors (which exchange left and right in names, tags' texts and joints). `seconds` is how long
/// the clip is in the end. A loop has no cue at its end that it has at its beginning.
std::vector<Cue> cues_of(const Recipe& recipe, const Jobs& jobs, const ClipJob& job,
                         double seconds);
/// Cues that no clip plays, as notes.
Findings unused_cues(const Recipe& recipe, const Jobs& jobs);

}  // namespace mellow
