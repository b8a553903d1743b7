// Parts of a manifest that reports have as well.
#pragma once

#include "base/json_writer.h"
#include "mellow/manifest.h"

namespace mellow {

/// Members of the object that is open.
void write_tolerance(JsonWriter& json, const Tolerance& tolerance);
void write_share(JsonWriter& json, const Share& share);
/// What was left out, as the recipe allows; nothing where nothing was.
void write_skipped(JsonWriter& json, const std::vector<SkippedFile>& skipped);

}  // namespace mellow
