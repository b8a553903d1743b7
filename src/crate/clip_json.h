// What a clip says about itself in JSON, the same words in its file and in the manifest.
#pragma once

#include <string>

#include "base/json_writer.h"
#include "disk/json_members.h"
#include "mellow/clip.h"
#include "mellow/convention.h"

namespace mellow {

/// Figures for people to read: nine digits are plenty and keep last-bit noise out of diffs.
double tidy(double v);

/// Rate, samples, seconds, loop form, period and travel, as members of the object that is open.
/// `out` takes places to the target.
void write_clip_facts(JsonWriter& json, const ClipInfo& clip, const Conversion& out);
/// The same as the text of a JSON object, for the extras of the animation.
std::string clip_extras(const ClipInfo& clip, const Conversion& out);
/// The cues of a clip's facts; what is wrong with them is the failure of `facts`.
std::vector<Cue> read_cue_list(JsonMembers& facts);
/// The way back, without name and samples; `in` takes places inside. What is missing or of the
/// wrong kind is the failure of `facts`.
ClipInfo clip_from_facts(JsonMembers& facts, const Conversion& in);

}  // namespace mellow
