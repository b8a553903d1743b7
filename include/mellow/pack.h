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

#include "mellow/check.h"
#include "mellow/clip.h"
#include "mellow/motion_check.h"
#include "mellow/prove.h"
#include "mellow/recipe.h"
#include "mellow/result.h"
#include "mellow/rig_rules.h"
#include "mellow/safe_write.h"

namespace mellow {

/// What is being done, and how much of it: 0 of 0 where there is nothing to count.
struct Progress {
    std::string what;
    std::size_t done = 0, of = 0;
};
using PackProgress = std::function<void(const Progress&)>;

/// One of `of` shares of a plan, counted from 1.
struct Share {
    int number = 1, of = 1;
    std::string plan = {};  ///< hash of recipe, figure, target and all clips; known when it is made
    std::size_t clips = 0;  ///< of the whole plan
    std::string recipe = {};  ///< found from the folder of the crate that is the part
    std::string part = {};    ///< from there to what was given as the part's folder: "." or ".."
};

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

/// One file that was written or read, with its XXH3 128-bit hash in hex.
struct FileRecord {
    std::string role, file;
    std::size_t bytes = 0;
    std::string hash;
    std::vector<FileRecord> parts = {};  ///< files that it refers to, such as its buffer
};

/// What one morph target does in a clip.
struct MorphActivity {
    double least = 0, most = 0;  ///< weights
    int first_sample = -1;       ///< the first whose weight is not 0; -1: it is idle
    double vertex_mm = 0;        ///< the most that it moves a vertex, whatever joints do
};

/// The morph weights of one mesh that a clip holds.
struct PackedMorphs {
    std::string mesh;  ///< name of the mesh node
    std::vector<std::string> targets;
    std::vector<MorphActivity> activity;  ///< one per target
};

/// A scalar channel that a clip holds.
struct PackedScalar {
    std::string name, unit;
};

/// A part of a shaped clip, in samples of the clip, both included.
struct PackedPart {
    std::string name;
    int first_sample = 0, last_sample = 0;
    int times = 1;  ///< played so often, one after the other
};

/// One clip as it was packed. The samples themselves are in the files.
struct PackedClip {
    ClipInfo clip;
    std::vector<PackedMorphs> morphs;
    std::vector<PackedScalar> scalars;
    SamplePlan plan;
    std::string timeline;
    std::string motion;             ///< the file it is from; empty for the figure's own
    std::string where;              ///< of its range in the recipe, for messages
    std::vector<PackedPart> parts;  ///< of a shaped clip
    FileRecord file;
    FileRecord thumbnail;  ///< its small picture; without a name: none
    LoopGap gap;
    std::string gap_joint, gap_turned;  ///< where its place and its turn are, in the crate's names
    MotionCheck motion_check;
    double worst_shear = 0;
    std::string shear_joint;
    std::vector<std::string> sheared_joints;  ///< that lost more than 1e-4 of a member
    ClipProof proof;
    /// Demands of the target on its file, where it has one of its own: how many are met, and the
    /// others.
    std::size_t demands_met = 0;
    std::vector<Demand> demands_unmet;
    bool passed = false;  ///< everything in `proof` is within the tolerance
    /// Hash of all that the clip depends on; a clip of the same hash need not be baked again.
    std::string inputs;
    /// Of its range and rig, which clips may share word for word, and of this clip alone; as they
    /// were before any [checks].
    Findings shared, findings;
    bool reused = false;  ///< taken from the crate that stood there, its bytes checked
};

/// A drive rule from angles of joints to a morph weight, in the axes of the joints as they are in
/// the crate. The weights are in the clips all the same; this is for an engine that moves the
/// joints itself. See docs/crate.md for how it is evaluated.
struct KeptDrive {
    /// One angle that is read.
    struct Input {
        std::string joint;
        bool twist = false;  ///< about the axis; else how far the axis has swung
        Vec3 axis;
        ValueCurve curve;  ///< over degrees
    };
    std::string mesh, target;
    bool product = true;  ///< of the inputs; else their sum
    std::vector<Input> inputs;
};

/// A motion file, or a clip, that could not be used and was left out, as the recipe allows.
struct SkippedFile {
    std::string file;
    Findings findings;
};

/// What packing one target came to.
struct PackReport {
    std::string name;
    std::string target, root, hips;
    FrameRate rate;
    std::filesystem::path folder;  ///< where the crate is, or where it was kept aside
    std::filesystem::path backup;  ///< what it replaced; empty when nothing stood there
    std::vector<std::filesystem::path> removed_backups;  ///< older ones, beyond how many are kept
    std::optional<Share> share;                          ///< of which this is the part
    bool unchanged = false;  ///< the same bytes stood there; nothing was written, no backup made
    bool of_takes = false;   ///< written by write_crate(): measured against takes, no rig
    /// Everything that was asked for is in the crate and within the tolerance.
    bool proven = false;
    bool placed = false;     ///< the crate stands where it was asked for
    std::size_t reused = 0;  ///< clips that were taken from the crate that stood there
    std::vector<SkippedFile> skipped;
    std::vector<FileRecord> sources;
    FileRecord skin, picture;
    std::vector<std::string> joints, morph_targets;
    /// Joints that took the axes of another skeleton: what their own axes were turned by.
    std::vector<std::pair<std::string, Quat>> turns;
    std::vector<KeptDrive> drives;
    double height_m = 0;
    std::size_t demands = 0;  ///< of the target on the files: how many were looked at
    std::size_t unmet = 0;    ///< and how many are not met and not accepted
    std::vector<std::string>
        accepted;  ///< ids of demands that the recipe's [checks] let pass unmet
    std::vector<PackedClip> clips;
    Tolerance tolerance;
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
    std::string name, moved_by;  ///< the timeline or strip
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
/// The whole report as text for people, and the manifest and report as JSON (docs/crate.md);
/// handed over clip by clip.
void report_text(const PackReport& report, const TextSink& out);
void report_json(const PackReport& report, const TextSink& out);
void manifest_json(const PackReport& report, const Target& target, const TextSink& out);

}  // namespace mellow
