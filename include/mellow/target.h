// Target: what a receiving engine wants, as one value: axes, hand and unit, rate, joints in an
// order of their own, limits, layout and names of files.
//
// It is read from a file of its own (docs/target.md), so that all recipes for one engine share it,
// or it is one of the presets, which only say the convention. Nothing here is done to a figure yet:
// fitting and writing read it, and checking measures files against it.
#pragma once

#include <array>
#include <filesystem>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "mellow/clip.h"
#include "mellow/convention.h"
#include "mellow/file_format.h"
#include "mellow/file_record.h"
#include "mellow/fit.h"
#include "mellow/joint_fit.h"
#include "mellow/place.h"
#include "mellow/rate.h"
#include "mellow/result.h"

namespace mellow {

/// How skin and clips are spread over files.
enum class Layout {
    kSkinAndClips,    ///< the skin, and a motion-only file for each clip
    kSkinAndLibrary,  ///< the skin, and one motion-only file with all clips
    kOneFile,         ///< skin and all clips in one file
    kClipsWithSkin,   ///< a file for each clip, each with the skin
};
/// "skin-and-clips", "skin-and-library", "one-file" or "clips-with-skin".
std::string_view name(Layout layout);

/// Where the pictures of skins go. In glTF text and COLLADA they never are in the scene file.
enum class Pictures { kEmbedded, kBeside, kLeftOut };

/// In which pose joints rest in the files, and what becomes of meshes that are bound in another.
struct RestRule {
    enum class From {
        kSource,  ///< as in the source
        kFrame,   ///< as at a frame of a timeline of the source, rules and all
        kList,    ///< at the places of the joint list, where it has any; turned as in the source
    };
    From from = From::kSource;
    std::string timeline;  ///< of the source; empty: its only one
    double frame = 0;      ///< counted at the source's rate, as it counts
    /// Meshes take the shape of the pose and are bound in it (bind_at_rest()); else bind matrices
    /// stay those of the source, and every vertex moves as it did.
    bool posed = false;
    Place where;  ///< its key, for messages
};

/// What characters names of files and clips may have, and how others are replaced.
struct NameRule {
    enum class Case { kKeep, kLower, kUpper };
    Case letters = Case::kKeep;
    std::string allowed = "_-.";  ///< besides letters and digits
    std::string replace = "_";    ///< in place of each character that is not allowed
};

/// Which clips of a recipe a crate has: patterns of their names and groups. A clip must fit each
/// list that is not empty, and may fit none of those that are left out.
struct ClipChoice {
    std::vector<std::string> names, groups, left_out;

    bool any() const { return !names.empty() || !groups.empty() || !left_out.empty(); }
    /// True for a clip of that name and group that is chosen.
    bool takes(const std::string& name, const std::string& group) const;
};

/// What the root of some clips is to carry: no more, and no less where the figure goes that way.
struct RootRule {
    std::vector<std::string> names, groups;  ///< patterns; a clip fits each list that is not empty
    bool ground = false, height = false, heading = false;

    /// True for a clip of that name and group.
    bool takes(const std::string& name, const std::string& group) const;
};

/// What an engine wants, as one value.
struct Target {
    std::string name = "y-up-metre";
    Convention convention;
    FrameRate rate{30, 1};
    bool rate_told = false;        ///< a file says the rate; else it is what is usual
    std::vector<FrameRate> rates;  ///< the only ones allowed; empty: any
    LoopForm loop_form = LoopForm::kClosed;

    JointRules joints;
    RestRule rest;
    std::string root;               ///< name of the root joint; empty: what the recipe says
    int influences = 0;             ///< most per vertex; 0: as many as the source has
    std::vector<MorphRule> morphs;  ///< none: all are kept

    Layout layout = Layout::kSkinAndClips;
    FileFormat skin_format = FileFormat::kGlb, clip_format = FileFormat::kGlb;
    std::string skin_name = "{crate}", clip_name = "clips/{clip}", library_name = "{crate}_clips";
    NameRule names;
    std::optional<std::array<int, 2>> ids;  ///< first and last number that clips may have
    ClipChoice clips;

    int first_frame = 0;                     ///< the number of a clip's first sample: 0 or 1
    bool rest_first = false;                 ///< a sample at rest stands before those of each clip
    bool starts_at_rest = false;             ///< the first sample of every clip is the rest pose
    std::optional<double> starts_ahead_rad;  ///< no clip begins turned away by more
    std::vector<RootRule> roots;             ///< the first that takes a clip counts
    bool cameras = true;                     ///< joints and fields of view of cameras are kept
    bool statics = true;  ///< so are meshes that are not of the figure, where the recipe does
    bool lights = true;   ///< a source may have lights, which are left out; else it is refused
    Pictures pictures = Pictures::kEmbedded;
    bool triangulate = false;  ///< strips and fans become lists of triangles

    // Limits, which check() measures; 0 or not set: none.
    int most_vertices = 0;
    int vertices = 0;  ///< exactly as many
    std::optional<std::array<double, 2>> height_m;
    int most_samples = 250'000;  ///< of one clip; its joints times samples: 80 times as many

    std::string text;               ///< all that it says, in one form: what clips depend on
    std::vector<FileRecord> files;  ///< target file and joint list, as they were read
    Place where;                    ///< its table in the recipe, for messages
};

/// Reads a target from its text. `folder` is where its joint list is looked for. Fails with all
/// mistakes at once: key-unknown, key-missing, value-bad, name-clash, each with its line.
Result<Target> parse_target(std::string_view text, const std::string& file,
                            const std::filesystem::path& folder);
/// Reads a target from disk.
Result<Target> read_target(const std::filesystem::path& path);
/// One of preset_names(), with nothing but its convention, at 30 samples per second; else the file
/// of that name.
Result<Target> find_target(const std::string& preset_or_file);

}  // namespace mellow
