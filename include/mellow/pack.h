// Packing: the whole job of a recipe, from the source scene to a proven crate.
//
// pack_all() reads figure and motion, bakes every clip, fits it to each target, writes the files,
// reads them back and measures them against the rig. plan_pack() says beforehand what that would
// do. What was found and measured comes back as a PackReport, for people and for programs.
#pragma once

#include <filesystem>
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "mellow/manifest.h"
#include "mellow/progress.h"
#include "mellow/recipe.h"
#include "mellow/result.h"
#include "mellow/safe_write.h"

namespace mellow {

/// How a recipe is packed, beside what it says itself.
struct PackOptions {
    /// Bakes every clip, also those that the crate that gives way has already.
    bool all = false;
    /// Crates, or parts of some, whose clips are taken over where their inputs are the same.
    std::vector<std::filesystem::path> from = {};
    bool only_from = false;          ///< bakes nothing: a clip that none of `from` has is a failure
    std::optional<Share> share;      ///< packs only the clips that fall to it, as a part
    std::filesystem::path ids_from;  ///< the crate whose numbers clips keep, if not the old one
    bool replace = false;            ///< an existing crate gives way and is kept as a backup
    /// Makes, reads back and measures everything under the system's folder for temporary files,
    /// and keeps nothing: the reports are those of a run that would, but placed is false.
    bool rehearse = false;
    int keep = 3;           ///< how many backups stay, the newest
    PackProgress progress;  ///< called with what is being done, never twice at once
};

/// What packing one target came to: the manifest of its crate, and what else is to be said.
struct PackReport : Manifest {
    std::filesystem::path folder;  ///< where the crate is, or where it was kept aside
    std::filesystem::path backup;  ///< what it replaced; empty when nothing stood there
    std::vector<std::filesystem::path> removed_backups;  ///< older ones, beyond how many are kept
    /// What is other than in the crate that stood there, a line for each clip and fact; in no file.
    std::vector<std::string> changes;
    bool unchanged = false;   ///< the same bytes stood there; nothing was written, no backup made
    bool of_takes = false;    ///< written by write_crate(): measured against takes, no rig
    bool placed = false;      ///< the crate stands where it was asked for
    std::size_t reused = 0;   ///< clips that were taken from the crate that stood there
    std::size_t demands = 0;  ///< of the target on the files: how many were looked at
    std::size_t unmet = 0;    ///< and how many are not met and not accepted
    std::vector<std::string> off;  ///< codes of findings that the recipe turned off
    Findings findings;             ///< with the reasons when it is not proven
};

/// Reads, evaluates, bakes, cuts, moves travel to the root, writes, reads back and measures. The
/// source is never touched. A crate above tolerance is not put in place: its files are kept beside
/// it and `proven` is false. Any other trouble is a failure, and then nothing is left behind. For
/// recipes with a single target.
Result<PackReport> pack(const Recipe& recipe, const PackOptions& options = {});

/// The same for every target of the recipe, in their order, each with a crate of its own: a folder
/// of the target's name where there are several. Clips are baked once for each rate.
Result<std::vector<PackReport>> pack_all(const Recipe& recipe, const PackOptions& options = {});

/// One clip before it is packed.
struct PlannedClip {
    std::string name, moved_by;  ///< the timeline or arrangement
    std::string file;            ///< of the first target that takes it; empty: none does
    std::string motion;          ///< the motion file; empty for the figure's own
    SamplePlan plan;
    LoopForm loop = LoopForm::kOnce;  ///< as it will be stored
    int samples = 0;                  ///< as they will be stored
    double seconds = 0;               ///< of playing it once
    /// Every target that takes it has it already, made of the same: it would be taken over.
    bool reused = false;
};

/// What becomes of a path when a recipe is packed.
struct PlannedFile {
    enum class Fate { kWritten, kReplaced, kKept, kRemoved };
    std::filesystem::path path;
    Fate fate = Fate::kWritten;
};
/// "written", "replaced", "kept" or "removed".
std::string_view name(PlannedFile::Fate fate);

/// What pack_all() would do. Clips are those of the first target.
struct PackPlan {
    std::string name, target;
    std::size_t motion_files = 0;
    std::vector<SkippedFile> skipped;
    std::vector<std::string> joints;
    std::vector<PlannedClip> clips;
    std::vector<PlannedFile> files;
    std::filesystem::path backup;  ///< what the crate that stands there would be kept as; or empty
    Findings findings;  ///< of the source; those of baking and proving PackOptions::rehearse gives
    /// Why pack() would write nothing, where a crate stands there and may not be replaced.
    Status writable;
};

/// Reads, binds and plans all that pack() would, and writes nothing. Fails as pack() does where
/// scene, rig sheet or recipe are at fault.
Result<PackPlan> plan_pack(const Recipe& recipe, const PackOptions& options = {});

/// All that keeps a recipe from being planned, at once: what read_recipe() says of its words, and
/// what plan_pack() says of the files that its other words name. Clips whose words are wrong, and
/// clips made of them, are looked at no further.
Status check_recipe(const std::filesystem::path& path);

/// The report in short, for the terminal: a line for each clip, findings of one code together, and
/// the verdict in the last line.
void report_summary(const PackReport& report, const TextSink& out);
/// Findings for people, the gravest first; those of one code and severity together, with the first
/// in full and the places of the others behind.
std::string grouped_text(const Findings& findings);
/// The whole report as text for people, and as JSON (docs/crate.md); handed over clip by clip.
void report_text(const PackReport& report, const TextSink& out);
void report_json(const PackReport& report, const TextSink& out);

}  // namespace mellow
