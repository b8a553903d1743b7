// The files of a crate: what is put into its folder, and what is told of it. With a recipe and
// without one they are written alike.
#pragma once

#include <string>
#include <vector>

#include "mellow/clip.h"
#include "mellow/pack.h"
#include "mellow/safe_write.h"
#include "mellow/target.h"
#include "mellow/write.h"
#include "pack/check_folder.h"

namespace mellow {

/// Writes the files of one output and records them, the first with the others as its parts; without
/// a folder nothing is written. Fails as StagedFolder::write() does.
Result<FileRecord> put_files(StagedFolder* folder, const WrittenScene& written,
                             const std::string& role);

/// What each morph target does in a clip; `figure` has its meshes.
std::vector<PackedMorphs> packed_morphs(const Clip& clip, const Scene& figure);

/// Fails with left-out where the target's format of clips cannot hold what the clip has.
Status can_hold(const Target& target, const Clip& clip);

/// Counts the demands that are met and keeps the others.
void keep_demands(std::vector<Demand> demands, PackedClip& packed);

/// Reads everything that was written once more, but for what is known, and measures it against the
/// target: figures and findings go into the report. `of_figure`: how grave it is where the figure
/// or its motion as such is not what the target wants; nothing where that was judged already.
void check_written(const std::filesystem::path& folder, const Target& target, KnownDemands known,
                   PackReport& report, std::optional<Severity> of_figure = {});

}  // namespace mellow
