// What a clip says about itself in JSON, the same words in its file and in the manifest.
#pragma once

#include <nlohmann/json.hpp>
#include <string>

#include "mellow/clip.h"
#include "mellow/convention.h"

namespace mellow {

/// Figures for people to read: nine digits are plenty and keep last-bit noise out of diffs.
double tidy(double v);

/// Rate, samples, seconds, loop form, period and travel. `out` takes places to the target.
nlohmann::ordered_json clip_facts(const Clip& clip, const Conversion& out);
/// The same as the text of a JSON object, for the extras of the animation.
std::string clip_extras(const Clip& clip, const Conversion& out);
/// The way back, without name and samples; `in` takes places inside. Throws Json's own exceptions.
Clip clip_from_facts(const nlohmann::ordered_json& facts, const Conversion& in);

}  // namespace mellow
