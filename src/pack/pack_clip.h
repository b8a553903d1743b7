// One clip from its take to its proven file.
#pragma once

#include <vector>

#include "mellow/safe_write.h"
#include "pack/jobs.h"
#include "pack/standing_crate.h"

namespace mellow {

/// What all clips of a crate share.
struct CrateInProgress {
    const Recipe& recipe;
    const Jobs& jobs;
    StagedFolder& folder;
    const SkinProof& skin_proof;
    const PackReport& report;                 ///< sources and skin
    const StandingCrate* standing = nullptr;  ///< whose clips are taken over where they fit
};

struct ClipResult {
    PackedClip packed;
    Scene motion;  ///< the file as it was read back, inside; empty where it was taken over
    Clip memory;   ///< room for the samples of another clip
};

/// Bakes, moves travel to the root, writes, reads back and measures. Fails where nothing can be
/// written or read; what is merely wrong is in the findings. Thread-safe.
Result<ClipResult> pack_clip(const CrateInProgress& crate, const ClipJob& job, Clip memory);

/// Converts to the target, writes a GLB into the folder, and returns what was written.
Result<FileRecord> write_scene(StagedFolder& folder, const Recipe& recipe, Scene scene,
                               const std::string& role, const std::string& file);
/// Reads a file of the folder back, inside.
Result<Scene> read_back(const StagedFolder& folder, const Recipe& recipe, const std::string& file);

}  // namespace mellow
