// Manifest: all that a crate says of itself, as a value. Its encode() and decode() alone know
// crate.json (docs/crate.md).
//
// A manifest is data from outside, also where we wrote it once. What decode() gives has been looked
// at whole: version, kinds, paths, counts, ranges, lists that belong together, the hash of each
// clip's record. Whoever describes, checks, draws, plays, compares or gathers crates asks this
// value.
#pragma once

#include <cstdint>
#include <filesystem>
#include <optional>
#include <set>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "mellow/bytes.h"
#include "mellow/clip.h"
#include "mellow/file_record.h"
#include "mellow/motion_check.h"
#include "mellow/place.h"
#include "mellow/prove.h"
#include "mellow/result.h"
#include "mellow/safe_write.h"
#include "mellow/sample_plan.h"
#include "mellow/shape.h"
#include "mellow/target.h"
#include "mellow/value_curve.h"

namespace mellow {

/// The version of manifests that is written, and the only one that is read.
inline constexpr int kManifestVersion = 2;
/// Goes up whenever the same inputs give other bytes, figures or findings than before.
inline constexpr int kArithmetic = 2;

/// Shares are counted from 1; there may be more of them than clips.
inline constexpr int kMostShares = 100'000;

/// One of `of` shares of a plan, counted from 1.
struct Share {
    int number = 1, of = 1;
    std::string plan = {};  ///< hash of recipe, figure, target and all clips; known when it is made
    std::size_t clips = 0;  ///< of the whole plan
    std::string recipe = {};  ///< found from the folder of the crate that is the part
    std::string part = {};    ///< from there to what was given as the part's folder: "." or ".."
};

/// One demand on one file, and whether it is met.
struct Demand {
    std::string id;    ///< stable: "joint-order", "closing-sample"; all are in docs/target.md
    std::string file;  ///< within what is checked; empty: all of it together
    std::string wanted, found;
    bool met = true;
    std::string remedy;  ///< a line to paste, where there is one; of demands that are not met
    std::vector<Call> calls = {};  ///< what the remedy asks of calls
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
    Place where;                    ///< of its range in the recipe, for messages
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
    /// Its baked numbers in short, by which equal motion is found; empty of a clip that was taken
    /// over.
    std::vector<float> motion_print;
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

/// Whether a part of a plan, packed as a share, is opened as if it were a crate.
enum class Parts { kRefused, kOpened };

/// What a crate says of itself.
struct Manifest {
    std::string name;
    std::optional<Share> share;  ///< of which this is a part; without it a whole crate
    std::vector<SkippedFile> skipped;
    std::vector<FileRecord> sources;  ///< what it was packed of; parts stand behind their files
    /// Its name, convention, rate, form of loops, layout, format of clips, first frame and pose:
    /// the rest is in target.toml.
    Target target;
    std::string root, hips;
    std::vector<std::string> joints, morph_targets;
    /// Joints that took the axes of another skeleton: what their own axes were turned by.
    std::vector<std::pair<std::string, Quat>> turns;
    std::vector<KeptDrive> drives;
    FileRecord skin, picture;  ///< a picture without a name: there is none
    double height_m = 0;
    std::vector<PackedClip> clips;
    /// Everything that was asked for is in the crate and within the tolerance.
    bool proven = false;
    Tolerance tolerance;
    /// Ids of demands that the recipe's [checks] let pass unmet.
    std::vector<std::string> accepted;

    /// The text of crate.json, handed over clip by clip.
    void encode(const TextSink& out) const;
    /// The way back: places and findings are inside, in metres with +Y up, and the findings of a
    /// clip stand at kOwnPlace where they are of its own range. Fails with value-bad where it is no
    /// such manifest: of another version or arithmetic, with a member missing, of another kind or
    /// out of its range, a path that leads out of the folder, lists whose lengths do not fit, a
    /// clip twice, figures above the tolerance, or a record of a clip that packing did not write.
    /// `folder` is where it stands, for messages.
    static Result<Manifest> decode(const Bytes& text, const std::filesystem::path& folder);
    /// Reads and decodes the crate.json of a folder; links in place of files are refused. Fails as
    /// read_file() or decode() do.
    static Result<Manifest> open(const std::filesystem::path& folder, Parts parts);
    /// The same of a folder where a crate may stand: nothing where it has no crate.json, or one of
    /// a version or arithmetic before ours, from which nothing can be taken over.
    static Result<std::optional<Manifest>> open_standing(const std::filesystem::path& folder);

    /// Something else that is wrong with the manifest of a folder.
    static Finding bad(const std::filesystem::path& folder, std::string found);
};

/// What keeps a folder from being a crate and nothing else, in words: no manifest, or files that it
/// does not name. Empty for a crate, of whatever version: then it may give way to another.
std::string foreign_to_crate(const std::filesystem::path& folder);

/// Where findings of a clip stand that are of its own range in the recipe, whose lines move.
inline const Place kOwnPlace = Place::of("@");

}  // namespace mellow
