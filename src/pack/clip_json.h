// What a clip says about itself in JSON, the same words in its file and in the manifest.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <string>

#include "mellow/clip.h"
#include "mellow/convention.h"

namespace mellow {

/// Rate, samples, seconds, loop form, period and travel. `out` takes places to the target.
nlohmann::ordered_json clip_facts(const Clip& clip, const Conversion& out);
/// The same as the text of a JSON object, for the extras of the animation.
std::string clip_extras(const Clip& clip, const Conversion& out);

}  // namespace mellow
