// Recipe: one job, said once: source, rig, target, clips, travel, checks, output. TOML; every key
// is explained in docs/recipe.md. The types here hold what was read: names are not yet looked up in
// any scene, and paths are relative to the recipe's folder.
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
#include "mellow/motion_check.h"
#include "mellow/performance.h"
#include "mellow/pictures.h"
#include "mellow/place.h"
#include "mellow/prove.h"
#include "mellow/result.h"
#include "mellow/retarget.h"
#include "mellow/shape.h"
#include "mellow/target.h"
#include "mellow/travel.h"
#include "mellow/true_convention.h"

namespace mellow {

/// What is made of a motion before it is sampled (shaping.h); in this order.
struct RecipeShaping {
    bool reverse = false;
    double stretch = 1;             ///< of its length: 2 takes twice as long
    std::optional<double> seconds;  ///< in place of a factor
    double wait = 0;                ///< seconds for which the first pose stands before
    double hold = 0;                ///< seconds for which the last pose stays
    ValueCurve time;                ///< in place of all these: seconds of the motion over seconds
    bool mirror = false;
    int repeat = 1;
    double repeat_seconds = 0;  ///< as often as it takes to be no shorter; 0: `repeat`

    bool changes_time() const {
        return reverse || stretch != 1 || seconds || wait > 0 || hold > 0 || !time.points.empty();
    }
    bool any() const { return changes_time() || mirror || repeat != 1 || repeat_seconds > 0; }
};

/// Where a part or a repeat goes on: names of a joint, and what of its ground frame.
struct RecipeAlign {
    std::string joint;  ///< empty: the hips
    bool ground = true, heading = true, height = false;
};

/// How a part lies over what a clip is joined of; its take is made like that of any part.
struct RecipeOver {
    bool added = true, from_rest = false, again = false;
    double at = 0;                           ///< seconds
    std::vector<std::string> joints, below;  ///< patterns of names; joints above those it moves
    double weight = 1;
    ValueCurve weights;  ///< over seconds of the clip
};

/// How long something is: in frames at the rate of the figure's file, or in seconds.
struct RecipeSpan {
    double frames = 0;
    std::optional<double> seconds = {};
    double in_seconds(double frames_per_second) const {
        return seconds.value_or(frames / frames_per_second);
    }
    bool any() const { return frames > 0 || seconds.value_or(0) > 0; }
};

/// One of the parts that a clip is joined of, or that lie over these.
struct RecipePart {
    std::string clip;                           ///< another clip of the recipe; empty: a range
    Range range;                                ///< its name is for people
    std::string source, timeline, arrangement;  ///< as of a clip
    RecipeShaping shaping;
    RecipeSpan overlap;
    CurveShape blend = CurveShape::kSmooth;
    RecipeAlign align;
    std::optional<RecipeOver> over;  ///< not set: joined
    Place where;
};

/// Where a clip is put once it is made, in metres and degrees from the figure's point of view.
struct RecipePlace {
    bool at_origin = false;  ///< its start is laid on the origin first, facing ahead
    double ahead = 0, left = 0, up = 0, heading = 0;
    bool any() const { return at_origin || ahead != 0 || left != 0 || up != 0 || heading != 0; }
};

/// One [[clip]].
struct RecipeClip {
    Range range;
    std::string source;       ///< name of a [[source]]; empty: the figure's own file
    std::string timeline;     ///< empty: the only one there is
    std::string arrangement;  ///< in place of a timeline
    TravelParts travel;
    ClipLabels labels;

    std::vector<RecipePart> parts;  ///< in place of a range
    RecipeShaping shaping;
    RecipeAlign align;
    bool fit = false;                  ///< length to whole samples, by the nearest stretch
    bool find_loop = false;            ///< ends the range at the frame that loops best
    RecipeSpan shortest;               ///< of such a loop at least; 0: a quarter of the range
    bool stored_open = false;          ///< the range has no frame that repeats its first
    std::optional<RecipeSpan> repair;  ///< over which a loop's gap is closed; 0: all of it
    double repair_mm = 100, repair_degrees = 20;  ///< the largest change that closing may make
    RecipePlace place;
    double thumbnail = 0.5;  ///< how far through the clip its small picture is, 0 to 1
    std::string text;        ///< as of an arrangement, where it is shaped
    /// What the recipe says of it; what it does not say, a packed clip as a source may.
    struct {
        bool loop = false, speed = false, play = false, travel = false;
    } says;

    bool shaped() const {
        return !parts.empty() || shaping.any() || fit || find_loop || repair || stored_open ||
               place.any();
    }
};

/// Names that are meant: those that fit one pattern and no exception.
struct NamePatterns {
    std::vector<std::string> match = {"*"}, except;
    bool takes(std::string_view name) const;
    /// The same for what has two names: either may fit, none may be excepted.
    bool takes(std::string_view name, std::string_view other) const;
    std::string text() const;  ///< `"walk_*", "run_*" except "*_old"`
};

/// Every timeline whose name fits becomes a clip of its own name and whole range.
struct RecipeTimelines {
    NamePatterns names;
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
    /// A FigureMap, relative to the recipe: its motion is carried over. Empty: bones are the
    /// figure's.
    std::string map;
    Place where, where_file;
    std::string text;  ///< as of an arrangement
};

/// Every file of a source, and every timeline in it, becomes a clip.
struct RecipeMany {
    std::string source, name = "{file}";
    NamePatterns names;  ///< of files without their ending, or of timelines
    /// Frames; negative ones are counted from the last, -1. Not set: all of it.
    std::optional<std::array<std::int64_t, 2>> range;
    RecipeClip like;  ///< loop and travel of these clips
};

/// A cue on a timeline or arrangement of a source; every clip that plays it has it.
struct RecipeCue {
    Cue cue;  ///< `first` and `last` in frames, at the rate of the source
    std::string source, timeline,
        arrangement;  ///< as of a clip; without a timeline: any of the source
    Place where;
};

/// An arrangement whose blocks name their timelines.
struct RecipeArrangement {
    Arrangement arrangement;
    std::string text;                    ///< its table, in one form whatever way it is written
    std::vector<std::string> timelines;  ///< of each block; empty: the only one there is
};

/// A layer, the clips it lies over (none: all) and the timeline of the pose it takes.
struct RecipeLayer {
    Layer layer;
    std::string text;  ///< as of an arrangement
    std::vector<std::string> clips;
    std::optional<std::string> timeline;
};

/// How a camera becomes a joint and a channel.
struct RecipeCamera {
    std::string node = "*";
    Place where;
    Axis aim = Axis::kMinusZ, up = Axis::kPlusY;  ///< of the joint, in the target's axes
    bool horizontal = false;                      ///< which field of view is stored
    double aspect = 0;                            ///< width / height; 0: as the file says
    std::string scalar;                           ///< of the rig sheet, degrees, that keys it
    bool scalar_horizontal = false;               ///< which one that is
};

/// A plane that joints should not go behind.
struct RecipePlane {
    MotionPlane plane;                       ///< without its joints
    std::vector<std::string> joints, clips;  ///< patterns; empty: hands by their names, all clips
    Place where;
};

/// What is looked at in the motion of clips.
struct RecipeMotion {
    std::optional<std::vector<std::string>> feet, wheels;  ///< joints; not set: by their names
    FootRules rules;
    double wheel_share = 0.1;  ///< of the samples at which a wheel moves: more against it is said
    double slide_mm = 20, depth_mm = 30, pop_mm = 100, plane_mm = 10;  ///< more is said
    /// A joint that is no farther from its last pose than this, in the joint above, stands still.
    double still_mm = 0.001, still_degrees = 0.0001;
    std::vector<RecipePlane> planes;
    bool cues = false;  ///< a cue for each time that a foot is set down
    Place where;
};

/// What a recipe makes of findings: another severity, or nothing said at all. A stop fails the
/// crate.
using Checks = std::map<Code, std::optional<Severity>>;

/// What [mirror] says beside the names.
struct RecipeMirror {
    std::vector<std::pair<std::string, std::string>> pairs;
    std::vector<std::string> props;  ///< patterns of joints that are things of their own
    std::optional<double> middle_m;  ///< the plane of symmetry, metres to the left
};

/// A whole recipe, with what `use` brought in.
struct Recipe {
    std::string file;              ///< name for messages
    std::filesystem::path folder;  ///< relative paths start here
    std::size_t bytes = 0;         ///< of its text
    std::string hash;              ///< of its text and of what it uses, XXH3 128 bits in hex
    /// The whole recipe: its text as it is, or one text with what `use` brings in.
    std::string text;
    /// What every clip depends on: all but clips, arrangements, layers, motion files, targets,
    /// output and checks, in one form whatever way it is written.
    std::string common;

    std::string source, rig, strip_prefix;  ///< of the figure
    TrueConvention truth;                   ///< what that file really is, where it says otherwise
    std::vector<RecipeSource> sources;
    std::vector<Rename> renames;
    std::vector<Rename> clip_names;  ///< of clips that are called after files and timelines
    bool skip_bad = false;           ///< motion files that are bad are left out and said

    JointChoice joints;
    bool keep_static_meshes = false;  ///< hang meshes that are not of the figure on the root
    std::string axes;  ///< file whose nodes say how the axes of joints of the same name lie

    /// What the crates are for, one each; never empty. The first of them is target().
    std::vector<Target> targets = {Target{}};
    const Target& target() const { return targets.front(); }

    std::string root = "root", hips;
    std::string root_node;  ///< the node of the source that moves the root; empty: it stays
    /// Where some keys stand, for messages: "hero.recipe.toml:9, [travel], hips".
    struct Places {
        Place source, strip_prefix, axes, hips, root_node, renames, clip_names;
    } where;

    /// Joints that are each other's on the other side, where names do not say it.
    RecipeMirror mirror;

    std::vector<RecipeCamera> cameras;
    std::vector<RecipeCue> cues;
    std::vector<RecipeArrangement> arrangements;
    std::vector<RecipeLayer> layers;
    std::vector<RecipeClip> clips;
    std::vector<RecipeTimelines> timelines;
    std::vector<RecipeMany> many;

    std::filesystem::path output;
    std::string name;
    bool picture = true;
    std::optional<PoseOptions> thumbnails;  ///< a small picture of each clip

    RecipeMotion motion;
    CarryOptions carry;  ///< [retarget]
    Tolerance tolerance;
    Checks checks;
    Findings notes;  ///< keys that say nothing, which every job tells
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
