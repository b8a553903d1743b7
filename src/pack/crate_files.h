// The files of a crate: what is put into its folder, and what is told of it. With a recipe and
// without one they are written alike.
#pragma once

#include <string>
#include <vector>

#include "check/check_folder.h"
#include "figure/fitted_figure.h"
#include "mellow/clip.h"
#include "mellow/crate.h"
#include "mellow/pack.h"
#include "mellow/pose.h"
#include "mellow/safe_write.h"
#include "mellow/target.h"
#include "mellow/write.h"
#include "pack/packed_figure.h"

namespace mellow {

/// Writes the files of one output and records them, the first with the others as its parts; without
/// a folder nothing is written. Fails as StagedFolder::write() does.
Result<FileRecord> put_files(StagedFolder* folder, const WrittenScene& written, FileRole role);

/// What was written, to be read back where no file of it stands.
StoredFile unstored(const WrittenScene& written);

/// A baked clip in the terms of the target: its form of loops, its joints; what moves in it is told
/// in `packed`. Fails with left-out where the format of clips cannot hold what the clip has.
Status fit_to(const Target& target, const FittedFigure& figure, Clip& clip, PackedClip& packed);

/// Writes a fitted clip under a name, measures the file against the target and reads it back:
/// inside. What was found is told in `packed`, which keeps the clip.
Result<Scene> write_clip(StagedFolder& folder, const Target& target, const PackedFigure& figure,
                         Clip clip, const std::string& name, PackedClip& packed);

/// The demands on a clip's file, for check_written().
void know_demands(const PackedClip& packed, KnownDemands& known);

/// Reads everything that was written once more, but for what is known, and measures it against the
/// target: figures and findings go into the report. A demand that is not met is a stop, but where
/// `checks` judge what it is about: then it is as grave as they say, and the report keeps it as
/// accepted.
void check_written(const std::filesystem::path& folder, const Target& target, KnownDemands known,
                   PackReport& report, const Checks& checks = {});

/// Writes the manifest, the reports and the target with its joint list.
Status write_tables(StagedFolder& folder, const PackReport& report);

/// Puts the folder in its place, or keeps it aside where it is not `good`; the report says which.
Status place(StagedFolder& folder, bool good, int keep, PackReport& report);

}  // namespace mellow
