// Cues that a source has in the extras of its timelines, as packed clips have them.
#pragma once

#include <string>
#include <vector>

#include "mellow/clip.h"
#include "mellow/finding.h"
#include "mellow/scene.h"

namespace mellow {

/// A cue and the timeline it stands on, in seconds of that.
struct SourceCue {
    Cue cue;
    std::string timeline;
};

/// Cues in the form of docs/crate.md: seconds are counted from the first sample where the extras
/// say how many there are, else from 0. What has another form is said in `findings`.
std::vector<SourceCue> source_cues(const Scene& scene, const std::string& file, Findings& findings);

}  // namespace mellow
