// Recipe: one job, said once: source, rig, target, clips, travel, checks, output. TOML; every key
// is explained in docs/recipe.md.
#pragma once

#include <array>
#include <filesystem>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "mellow/bake.h"
#include "mellow/clip.h"
#include "mellow/convention.h"
#include "mellow/joint_map.h"
#include "mellow/performance.h"
#include "mellow/prove.h"
#include "mellow/result.h"
#include "mellow/shape.h"
#include "mellow/target.h"
#include "mellow/travel.h"
#include "mellow/true_convention.h"

namespace mellow {

struct RecipeClip {
    Range range;
    std::string source;    ///< name of a [[source]]; empty: the figure's own file
    std::string timeline;  ///< empty: the only one there is
    std::string strip;     ///< in place of a timeline
    TravelParts travel;
    ClipLabels labels;
};

/// Every timeline whose name fits becomes a clip of its own name and whole range.
struct RecipeTimelines {
    std::string match = "*";
    RecipeClip like;  ///< loop and travel of these clips
};

/// Where motion comes from besides the figure's own file: one file, or all that fit a pattern.
struct RecipeSource {
    /// How a file moves the figure: by keys of its joints, or by keys of its controls through the
    /// figure's rig sheet.
    enum class Keyed { kByContent, kJoints, kControls };
    std::string name, file, strip_prefix;
    TrueConvention truth;
    Keyed keyed = Keyed::kByContent;
    bool take_over_rest = true;  ///< axes that rest turned; else they are refused
    std::string where, where_file;
    std::string text;  ///< as of a strip
};

/// Every file of a source, and every timeline in it, becomes a clip.
struct RecipeMany {
    std::string source, name = "{file}", match = "*";
    /// Frames; negative ones are counted from the last, -1. Not set: all of it.
    std::optional<std::array<std::int64_t, 2>> range;
    RecipeClip like;  ///< loop and travel of these clips
};

/// A strip whose blocks name their timelines.
struct RecipeStrip {
    Strip strip;
    std::string text;                    ///< its table, in one form whatever way it is written
    std::vector<std::string> timelines;  ///< of each block; empty: the only one there is
};

/// A layer, the clips it lies over (none: all) and the timeline of the pose it takes.
struct RecipeLayer {
    Layer layer;
    std::string text;  ///< as of a strip
    std::vector<std::string> clips;
    std::optional<std::string> timeline;
};

/// How a camera becomes a joint and a channel.
struct RecipeCamera {
    std::string node = "*", where;
    Axis aim = Axis::kMinusZ, up = Axis::kPlusY;  ///< of the joint, in the target's axes
    bool horizontal = false;                      ///< which field of view is stored
    double aspect = 0;                            ///< width / height; 0: as the file says
    std::string scalar;                           ///< of the rig sheet, degrees, that keys it
    bool scalar_horizontal = false;               ///< which one that is
};

/// What a recipe makes of findings: another severity, or nothing said at all. A stop fails the
/// crate.
using Checks = std::map<Code, std::optional<Severity>>;

struct Recipe {
    std::string file;              ///< name for messages
    std::filesystem::path folder;  ///< relative paths start here
    std::size_t bytes = 0;         ///< of its text
    std::string hash;              ///< of its text and of what it uses, XXH3 128 bits in hex
    /// The whole recipe: its text as it is, or one text with what `use` brings in.
    std::string text;
    /// What every clip depends on: all but clips, strips, layers, motion files, targets, output and
    /// checks, in one form whatever way it is written.
    std::string common;

    std::string source, rig, strip_prefix;  ///< of the figure
    TrueConvention truth;                   ///< what that file really is, where it says otherwise
    std::vector<RecipeSource> sources;
    std::vector<Rename> renames;
    bool skip_bad = false;  ///< motion files that are bad are left out and said

    JointChoice joints;
    bool keep_static_meshes = false;  ///< hang meshes that are not of the figure on the root
    std::string axes;  ///< file whose nodes say how the axes of joints of the same name lie

    /// What the crates are for, one each; never empty. The first of them is target().
    std::vector<Target> targets = {Target{}};
    const Target& target() const { return targets.front(); }

    std::string root = "root", hips;
    /// Where some keys stand, for messages: "hero.recipe.toml:9, [travel], hips".
    struct Places {
        std::string source, strip_prefix, axes, hips;
    } where;

    std::vector<RecipeCamera> cameras;
    std::vector<RecipeStrip> strips;
    std::vector<RecipeLayer> layers;
    std::vector<RecipeClip> clips;
    std::vector<RecipeTimelines> timelines;
    std::vector<RecipeMany> many;

    std::filesystem::path output;
    std::string name;
    bool picture = true;

    Tolerance tolerance;
    Checks checks;
    /// Joints and meshes whose shear may be lost: measured and said, but no reason to fail.
    NodeMask accept_shear;
    double most_walk_s = 7200;  ///< how far rules with memory are walked, Performance
};

/// Reads a recipe from its text. Fails with toml-broken, or with all other mistakes at once, in the
/// order of the text: key-unknown (and the nearest key), key-missing, value-bad, name-clash,
/// name-unknown, each with its line.
Result<Recipe> parse_recipe(std::string_view text, const std::string& file,
                            const std::filesystem::path& folder);
/// Reads a recipe from disk.
Result<Recipe> read_recipe(const std::filesystem::path& path);

}  // namespace mellow
