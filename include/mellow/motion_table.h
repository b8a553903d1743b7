// Motion tables: a clip as comma-separated values (RFC 4180), one row per sample, for whoever wants
// the numbers themselves: spreadsheets, scripts, readers of no scene format.
//
// The first column is `seconds`. Then follow, for each joint, NAME.tx ty tz (place), NAME.qx qy qz
// qw (rotation, a unit quaternion) and, where its scale is not 1, NAME.sx sy sz, all relative to
// the parent joint; then MESH/TARGET.weight for morph weights and NAME.value for scalars.
// docs/formats.md has an example.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "mellow/clip.h"
#include "mellow/convention.h"
#include "mellow/result.h"
#include "mellow/scene.h"
#include "mellow/skeleton.h"

namespace mellow {

/// The clip as a table; `out` takes its numbers from inside to a target. Sample k stands at
/// (k + first_frame) / rate seconds. Single-precision numbers are written so that they read back
/// the same.
std::string write_motion_table(const Skeleton& skeleton, const Clip& clip, const Conversion& out,
                               int first_frame = 0);

/// Reads a table as a scene of joints and one timeline, numbers as they stand. What joints hang on
/// is not in a table: all are roots. Fails with csv-broken and the line where a row has another
/// number of columns, a value is no number, or a joint lacks columns; with number-bad for times
/// that do not ascend.
Result<Scene> read_motion_table(std::string_view text, const std::string& file);

}  // namespace mellow
