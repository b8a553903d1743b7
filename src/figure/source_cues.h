// What a source says of its timelines in their extras, as packed clips do.
#pragma once

#include <string>
#include <vector>

#include "mellow/clip.h"
#include "mellow/finding.h"
#include "mellow/recipe.h"
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
/// Gives a clip of a whole timeline the loop, speed, direction, tags and travel that its extras
/// name and the recipe does not; `first` becomes the frame of its first sample.
void take_facts(const Scene& scene, const Timeline& timeline, RecipeClip& clip,
                std::int64_t& first);

}  // namespace mellow
