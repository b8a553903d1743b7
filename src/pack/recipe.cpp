#include "mellow/recipe.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <deque>
#include <map>
#include <set>
#include <sstream>

#include "base/text.h"
#include "base/toml_table.h"
#include "crate/hash.h"
#include "mellow/read.h"
#include "pack/checks.h"
#include "pack/clip_names.h"
#include "pack/recipe_cues.h"
#include "pack/recipe_motion.h"
#include "pack/recipe_parts.h"
#include "pack/recipe_shaping.h"
#include "pack/target_table.h"
#include "pack/thumbnails.h"
#include "pack/used_tables.h"
#include "rig/sheet_words.h"

namespace mellow {
namespace {

/// What a file really is; the same keys for the figure and for every source.
void read_truth(TomlTable& t, TrueConvention& truth) {
    t.knows({"unit", "up", "front", "hand", "rate", "places", "frames"});
    if (t.has("unit")) {
        const std::string unit = t.number_or_text("unit");
        truth.metres_per_unit = parse_unit(unit);
        if (!truth.metres_per_unit)
            t.fail(Code::kValueBad, "unit", "\"" + unit + "\"", suggest(unit, unit_names()),
                   "a unit by its name, or metres per unit as a number");
    }
    if (t.has("up")) truth.up = parse_axis(t.choice("up", axis_names()));
    if (t.has("front")) truth.front = parse_axis(t.choice("front", axis_names()));
    if (t.has("hand"))
        truth.hand = t.choice("hand", {"right", "left"}) == "left" ? Hand::kLeft : Hand::kRight;
    if (t.has("places"))
        truth.places = t.choice("places", {"added", "instead"}) == "added" ? BvhPlaces::kAdded
                                                                           : BvhPlaces::kInstead;
    if (t.has("frames"))
        truth.frames = t.choice("frames", {"declared", "all"}) == "all" ? BvhFrames::kAll
                                                                        : BvhFrames::kDeclared;
    if (t.has("rate")) {
        const std::string rate = t.number_or_text("rate");
        truth.rate = parse_rate(rate);
        if (!truth.rate)
            t.fail(Code::kValueBad, "rate", rate,
                   "frames per second, such as 24 or \"30000/1001\"");
    }
}

void check_convention(TomlTable& t, const TrueConvention& truth) {
    if (t.failed({"up", "front"}) || (!truth.up && !truth.front)) return;
    const Convention convention{1, truth.up.value_or(Axis::kPlusY),
                                truth.front.value_or(Axis::kPlusZ)};
    if (!is_valid(convention))
        t.fail(Code::kValueBad, truth.front ? "front" : "up",
               fmt::format("up {} and front {} along one line", name(convention.up),
                           name(convention.front)),
               "two different lines", "set both up and front");
}

void read_figure(TomlTable& t, Recipe& recipe) {
    recipe.source = t.text("file");
    recipe.rig = t.text("rig", "");
    recipe.strip_prefix = t.text("strip_prefix", "");
    recipe.where.source = t.where("file");
    recipe.where.strip_prefix = t.where("strip_prefix");
    read_truth(t, recipe.truth);
    check_convention(t, recipe.truth);
}

/// Names that some systems keep for devices, whatever stands behind a dot, and names that end in
/// one.
bool reserved(std::string name) {
    if (name.ends_with('.')) return true;
    name = name.substr(0, name.find('.'));
    for (char& c : name) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    const bool numbered = name.size() == 4 &&
                          (name.starts_with("com") || name.starts_with("lpt")) && name[3] >= '1' &&
                          name[3] <= '9';
    return numbered || name == "con" || name == "prn" || name == "aux" || name == "nul";
}

void check_name(TomlTable& t, const std::string& name) {
    if (!t.failed({"name"}) && reserved(name))
        return t.fail(Code::kValueBad, "name", "\"" + name + "\"",
                      "a name that every system can give a file", "another name");
    if (!t.failed({"name"}) && !sound_name(name))
        t.fail(Code::kValueBad, "name", "\"" + name + "\"",
               "letters, digits, _, - and . only: it becomes a file name");
}

/// One target: what its file says, and over that what the recipe says.
Target read_target_table(TomlTable& t, Recipe& recipe) {
    Target target;
    t.knows({"file", "most_walk_seconds", "name"});
    if (t.has("file")) {
        const std::string file = t.text("file");
        if (const Status read = load_target(recipe.folder / file, target); !read)
            for (Finding f : read.failures()) {
                if (f.code == Code::kFileMissing) f.where = t.where("file") + ": " + f.where;
                t.fail(std::move(f));
            }
        if (!target.files.empty()) target.files.front().file = file;
    }
    read_target_keys(t, target, recipe.folder);
    if (t.has("name")) {
        target.name = t.text("name");
        check_name(t, target.name);
    }
    for (const TargetFile& file : target.files) target.text += file.hash + "\n";
    target.text += t.canonical();
    target.where = t.where("");
    return target;
}

void read_targets(TomlTable& top, Recipe& recipe) {
    recipe.targets.clear();
    const auto tables = top.tables("target");
    std::set<std::string> names;
    for (std::size_t i = 0; i < tables.size(); ++i) {
        TomlTable t = top.within(*tables[i], fmt::format("target {}", i + 1));
        Target target = read_target_table(t, recipe);
        if (i == 0) recipe.most_walk_s = read_within(t, "most_walk_seconds", 7200, 1, 1e7);
        if (tables.size() > 1 && !t.failed({"file", "name"}) && !sound_name(target.name))
            t.fail(Code::kValueBad, "name", "\"" + target.name + "\"",
                   "letters, digits, _, - and . only: it becomes a folder", "name = \"...\"");
        if (!names.insert(folded(target.name)).second)
            t.fail(Code::kNameClash, "name",
                   fmt::format("a second target named \"{}\"", target.name),
                   "one name per target: each has a folder", "name = \"...\"");
        t.close();
        recipe.targets.push_back(std::move(target));
    }
    if (recipe.targets.empty()) recipe.targets.emplace_back();
}

void read_joints(TomlTable& t, const Sets& sets, Recipe& recipe) {
    recipe.joints.only = sets.mask(t, "only");
    recipe.joints.keep = sets.mask(t, "keep");
    recipe.joints.drop = sets.mask(t, "drop");
    recipe.joints.keep_helpers = t.choice("helpers", {"fold", "keep"}, "fold") == "keep";
    recipe.joints.keep_tips = t.choice("tips", {"drop", "keep"}, "drop") == "keep";
    recipe.joints.scale_to_offsets = t.choice("scale", {"keep", "offsets"}, "keep") == "offsets";
    recipe.keep_static_meshes =
        t.choice("static_meshes", {"leave-out", "keep"}, "leave-out") == "keep";
    recipe.axes = t.text("axes", "");
    recipe.where.axes = t.where("axes");
}

void read_labels(TomlTable& t, ClipLabels& labels) {
    labels.group = t.text("group", "");
    if (!labels.group.empty() && !sound_name(labels.group) && !t.failed({"group"}))
        t.fail(Code::kValueBad, "group", "\"" + labels.group + "\"",
               "letters, digits, _, - and . only: it can become a folder");
    labels.speed = read_within(t, "speed", 1, 0.001, 1000);
    labels.backwards = t.choice("play", {"forwards", "backwards"}, "forwards") == "backwards";
    t.knows({"tags"});
    if (!t.has("tags")) return;
    if (const toml::table* table = t.table("tags")) {
        TomlTable tags = t.inner(*table, "tags");
        for (const std::string& key : tags.keys()) labels.tags.emplace_back(key, tags.text(key));
    }
}

/// What a clip and all clips of [[timelines]] can say.
void read_motion(TomlTable& t, RecipeClip& clip) {
    read_labels(t, clip.labels);
    read_shaping(t, clip);
    clip.thumbnail = read_within(t, "thumbnail", 0.5, 0, 1);
    for (const std::string& part : t.texts("travel", {})) {
        if (part == "ground")
            clip.travel.ground = true;
        else if (part == "height")
            clip.travel.height = true;
        else if (part == "heading")
            clip.travel.heading = true;
        else
            t.fail(Code::kValueBad, "travel", "\"" + part + "\"",
                   "any of: ground, height, heading");
    }
    if (t.choice("travel_heading", {"hips", "way"}, "hips") == "way")
        clip.travel.heading_from = TravelParts::Heading::kWay;
    if (t.choice("travel_height", {"hips", "feet"}, "hips") == "feet")
        clip.travel.height_from = TravelParts::Height::kFeet;
    clip.travel.smooth_s = read_within(t, "travel_smooth", 0, 0, 1e4);
    clip.travel.channels = t.choice("travel_as", {"root", "channels"}, "root") == "channels";
    for (const auto& [key, needs] : {std::pair("travel_heading", clip.travel.heading),
                                     std::pair("travel_height", clip.travel.height),
                                     std::pair("travel_smooth", clip.travel.any())})
        if (t.has(key) && !needs && !t.failed({key, "travel"}))
            t.fail(
                Code::kValueBad, key, "travel that does not have it",
                std::string("\"") +
                    (std::string_view(key) == "travel_height" ? "height" : "heading") +
                    "\" in travel",
                "travel = [\"ground\", \"height\", \"heading\"]   # what of it is meant; or take "
                "it out");
    clip.text = clip.shaped() ? t.canonical() : "";
}

void read_sources(TomlTable& top, Recipe& recipe) {
    if (!top.is_list("source")) return;
    const auto tables = top.tables("source");
    std::set<std::string> names;
    for (std::size_t i = 0; i < tables.size(); ++i) {
        const auto named = (*tables[i])["name"].value<std::string>();
        TomlTable t = top.within(*tables[i], named ? fmt::format("source \"{}\"", *named)
                                                   : fmt::format("source {}", i + 1));
        RecipeSource source;
        source.where = t.where("");
        source.text = t.canonical();
        source.where_file = t.where("file");
        source.name = t.text("name");
        source.file = t.text("file");
        if (source.file.empty() && !t.failed({"file"}) && t.has("file"))
            t.fail(Code::kValueBad, "file", "\"\"", "a file, or a pattern of files");
        source.strip_prefix = t.text("strip_prefix", "");
        read_truth(t, source.truth);
        check_convention(t, source.truth);
        source.take_over_rest = t.choice("rest", {"source", "refuse"}, "source") == "source";
        const std::string keyed = t.choice("keyed", {"joints", "controls", "any"}, "any");
        source.keyed = keyed == "joints"     ? RecipeSource::Keyed::kJoints
                       : keyed == "controls" ? RecipeSource::Keyed::kControls
                                             : RecipeSource::Keyed::kByContent;
        if (!names.insert(source.name).second)
            t.fail(Code::kNameClash, "name",
                   fmt::format("a second source named \"{}\"", source.name), "one name per source",
                   "rename one of them");
        t.close();
        recipe.sources.push_back(std::move(source));
    }
}

void read_many(TomlTable& top, Recipe& recipe) {
    const auto tables = top.tables("clips");
    for (std::size_t i = 0; i < tables.size(); ++i) {
        TomlTable t = top.within(*tables[i], fmt::format("clips {}", i + 1));
        RecipeMany many;
        many.like.range.where = t.where("");
        many.source = t.text("source");
        many.name = t.text("name", many.name);
        many.match = t.text("match", many.match);
        const NameFields fields = clip_fields("x", "x", "x", 1);
        if (const std::string field = unknown_field(many.name, fields); !field.empty())
            t.fail(Code::kValueBad, "name", "\"" + field + "\"",
                   suggest(field, field_names(fields)), "fields of a name stand in braces");
        // Whatever stands in the fields is made sound: what stands between them must be.
        else if (!sound_name(filled(many.name, fields), true))
            t.fail(Code::kValueBad, "name", "\"" + many.name + "\"",
                   "letters, digits, _, -, . and /, which makes folders");
        if (t.has("range")) {
            const std::vector<double> range = t.numbers("range");
            const bool whole =
                range.size() == 2 && std::all_of(range.begin(), range.end(), [](double v) {
                    return v == std::floor(v) && std::abs(v) < 1e9;
                });
            if (whole)
                many.range = {static_cast<std::int64_t>(range[0]),
                              static_cast<std::int64_t>(range[1])};
            else
                t.fail(Code::kValueBad, "range", fmt::format("[{}]", fmt::join(range, ", ")),
                       "two whole frame numbers, [first, last]; negative ones count from the end");
        }
        read_motion(t, many.like);
        t.close();
        recipe.many.push_back(std::move(many));
    }
}

RecipeClip read_clip(TomlTable& t) {
    RecipeClip clip;
    clip.range.name = t.text("name");
    check_name(t, clip.range.name);
    clip.range.where = t.where("");
    if (t.has("pose")) {
        clip.range.play = Play::kPose;
        const double frame = t.number("pose");
        if (frame != std::floor(frame) || std::abs(frame) > 1e9 || t.has("range"))
            t.fail(Code::kValueBad, "pose", fmt::format("{}", frame),
                   "a whole frame number, and no range beside it");
        clip.range.first = clip.range.last =
            static_cast<std::int64_t>(std::clamp(frame, -1e9, 1e9));
    }
    read_motion(t, clip);
    read_parts(t, clip);
    if (!clip.range.is_pose() && clip.parts.empty()) read_range(t, clip.range);
    clip.timeline = t.text("timeline", "");
    clip.strip = t.text("strip", "");
    clip.source = t.text("source", "");
    if (!clip.timeline.empty() && !clip.strip.empty())
        t.fail(Code::kValueBad, "strip", "a strip and a timeline", "one of them");
    t.knows({"pose", "range", "part"});
    if (clip.shaped()) clip.text = t.canonical();
    t.close();
    return clip;
}

void read_clips(TomlTable& top, Recipe& recipe) {
    const auto tables = top.tables("clip");
    std::set<std::string> names;
    for (std::size_t i = 0; i < tables.size(); ++i) {
        const auto named = (*tables[i])["name"].value<std::string>();
        TomlTable t = top.within(
            *tables[i], named ? fmt::format("clip \"{}\"", *named) : fmt::format("clip {}", i + 1));
        RecipeClip clip = read_clip(t);
        if (!names.insert(folded(clip.range.name)).second)
            t.fail(Code::kNameClash, "name",
                   fmt::format("a second clip named \"{}\"", clip.range.name),
                   "one name per clip (upper and lower case count as equal)", "rename one of them");
        recipe.clips.push_back(std::move(clip));
    }
    const auto whole = top.tables("timelines");
    for (std::size_t i = 0; i < whole.size(); ++i) {
        TomlTable t = top.within(*whole[i], fmt::format("timelines {}", i + 1));
        RecipeTimelines wanted;
        wanted.like.range.where = t.where("");
        wanted.match = t.text("match", "*");
        read_motion(t, wanted.like);
        t.close();
        recipe.timelines.push_back(std::move(wanted));
    }
    read_many(top, recipe);
    if (recipe.clips.empty() && recipe.timelines.empty() && recipe.many.empty() &&
        !top.failed({"clip", "timelines", "clips"}) && !top.mistyped("clip") &&
        !top.mistyped("timelines") && !top.mistyped("clips"))
        top.fail(Code::kKeyMissing, "", "no [[clip]]", "at least one clip",
                 "add: [[clip]] with name = \"...\" and range = [first, last]");
}

void read_cameras(TomlTable& top, Recipe& recipe) {
    const auto tables = top.tables("camera");
    for (std::size_t i = 0; i < tables.size(); ++i) {
        TomlTable t = top.within(*tables[i], fmt::format("camera {}", i + 1));
        RecipeCamera camera;
        camera.where = t.where("");
        camera.node = t.text("node", "*");
        camera.aim = parse_axis(t.choice("aim", axis_names(), "-Z")).value_or(camera.aim);
        camera.up = parse_axis(t.choice("up", axis_names(), "+Y")).value_or(camera.up);
        if (std::abs(dot(direction(camera.aim), direction(camera.up))) > 0.5 &&
            !t.failed({"aim", "up"}))
            t.fail(Code::kValueBad, "up", "the same line as aim", "two different lines");
        const std::vector<std::string> ways{"vertical", "horizontal"};
        camera.horizontal = t.choice("fov", ways, "vertical") == "horizontal";
        camera.scalar = t.text("scalar", "");
        t.needs("scalar_is", "scalar");
        camera.scalar_horizontal = t.choice("scalar_is", ways, "vertical") == "horizontal";
        if (t.has("aspect")) camera.aspect = read_within(t, "aspect", {}, 0.1, 10);
        t.knows({"aspect"});
        t.close();
        recipe.cameras.push_back(std::move(camera));
    }
}

void read_performances(TomlTable& top, const Sets& sets, Recipe& recipe) {
    const auto strips = top.tables("strip"), layers = top.tables("layer");
    for (std::size_t i = 0; i < strips.size(); ++i) {
        TomlTable t = top.within(*strips[i], fmt::format("strip {}", i + 1));
        recipe.strips.push_back(read_strip(t));
    }
    for (std::size_t i = 0; i < layers.size(); ++i) {
        TomlTable t = top.within(*layers[i], fmt::format("layer {}", i + 1));
        recipe.layers.push_back(read_layer(t, sets));
    }
}

/// Says it when `name` is none of `names`, which are tables [[what]] of the recipe. `at` is the
/// table that names it under `key`.
void check_known(TomlTable at, std::string_view key, const std::string& what,
                 const std::string& name, const std::vector<std::string>& names) {
    if (std::find(names.begin(), names.end(), name) != names.end()) return;
    at.fail(Code::kNameUnknown, key, fmt::format("no {} \"{}\"", what, name),
            names.empty() ? fmt::format("a [[{}]] of that name", what) : suggest(name, names),
            "correct the name");
}

/// Layers name clips, and clips name strips, that the recipe has.
void check_clip_names(TomlTable& top, const Recipe& recipe) {
    std::vector<std::string> clips, strips;
    for (const RecipeClip& clip : recipe.clips) clips.push_back(clip.range.name);
    for (const RecipeStrip& strip : recipe.strips) strips.push_back(strip.strip.name);
    const auto layer_tables = top.tables("layer"), clip_tables = top.tables("clip");
    for (std::size_t i = 0; i < recipe.layers.size(); ++i)
        for (const std::string& clip : recipe.layers[i].clips)
            check_known(top.within(*layer_tables[i], fmt::format("layer {}", i + 1)), "clips",
                        "clip", clip, clips);
    std::vector<std::string> sources;
    for (const RecipeSource& source : recipe.sources) sources.push_back(source.name);
    for (std::size_t i = 0; i < recipe.clips.size(); ++i)
        if (const RecipeClip& clip = recipe.clips[i]; !clip.source.empty())
            check_known(top.within(*clip_tables[i], fmt::format("clip \"{}\"", clip.range.name)),
                        "source", "source", clip.source, sources);
    const auto known = [&](const char* kind, const std::string& name,
                           const std::vector<std::string>& names, const std::string& where) {
        if (name.empty() || std::find(names.begin(), names.end(), name) != names.end()) return;
        top.fail({Code::kNameUnknown, Severity::kStop, where,
                  fmt::format("no {} \"{}\"", kind, name),
                  names.empty() ? fmt::format("a [[{}]] of that name", kind) : suggest(name, names),
                  "correct the name"});
    };
    for (const RecipeClip& clip : recipe.clips)
        for (const RecipePart& part : clip.parts) {
            known("source", part.source, sources, part.where);
            known("strip", part.strip, strips, part.where);
        }
    for (const RecipeCue& cue : recipe.cues) {
        known("source", cue.source, sources, cue.where);
        known("strip", cue.strip, strips, cue.where);
    }
    const auto many_tables = top.tables("clips");
    for (std::size_t i = 0; i < recipe.many.size(); ++i)
        if (!recipe.many[i].source.empty())
            check_known(top.within(*many_tables[i], fmt::format("clips {}", i + 1)), "source",
                        "source", recipe.many[i].source, sources);
    for (std::size_t i = 0; i < recipe.clips.size(); ++i)
        if (const RecipeClip& clip = recipe.clips[i]; !clip.strip.empty())
            check_known(top.within(*clip_tables[i], fmt::format("clip \"{}\"", clip.range.name)),
                        "strip", "strip", clip.strip, strips);
}

}  // namespace

Result<Recipe> parse_recipe(std::string_view text, const std::string& file,
                            const std::filesystem::path& folder) {
    MELLOW_TRY(toml::table root, parse_toml(text, file));
    std::vector<UsedFile> used;
    MELLOW_CHECK(bring_in(root, file, folder, used));
    Recipe recipe;
    recipe.file = file;
    recipe.folder = folder;
    recipe.bytes = text.size();
    recipe.text = text;
    recipe.hash = hash_of(recipe.text);
    if (!used.empty()) {
        std::ostringstream whole;
        whole << root << "\n";
        recipe.text = whole.str();
        for (const UsedFile& other : used) recipe.hash += other.hash;
        recipe.hash = hash_of(recipe.hash);
    }
    TomlTable top(root, file);
    toml::table common = root;
    for (const char* key : {"clip", "clips", "timelines", "strip", "layer", "output", "checks",
                            "rename", "target", "cue", "cues"})
        common.erase(key);
    if (top.is_list("source")) common.erase("source");
    recipe.common = TomlTable(common, file).canonical();
    top.knows({"figure", "rename", "clips",  "source",    "joints", "target", "travel",
               "output", "proof",  "clip",   "timelines", "strip",  "layer",  "set",
               "camera", "checks", "mirror", "cue",       "cues",   "motion"});
    std::deque<toml::table> missing;  // stand for sections that are not there
    const auto section = [&](const char* key, auto&& read) {
        const toml::table* table = top.table(key);
        if (top.failed({key}) || top.mistyped(key)) return;
        if (table == nullptr) table = &missing.emplace_back();
        TomlTable t = top.within(*table, fmt::format("[{}]", key));
        read(t);
        t.close();
    };
    // One file that is figure and motion at once is said as [source]; else the two stand apart.
    const bool apart = top.has("figure") || top.is_list("source");
    section(apart ? "figure" : "source", [&](TomlTable& t) { read_figure(t, recipe); });
    if (apart && top.has("source") && !top.is_list("source"))
        top.fail(Code::kValueBad, "source", "[figure] and [source]",
                 "[figure] with [[source]], or [source] alone",
                 "[[source]] in place of [source], with a name");
    read_sources(top, recipe);
    if (top.has("mirror"))
        section("mirror", [&](TomlTable& t) {
            for (const std::string& key : t.keys()) recipe.mirror.emplace_back(key, t.text(key));
        });
    if (top.has("rename"))
        section("rename", [&](TomlTable& t) { recipe.renames = read_rename_keys(t); });
    Sets sets;
    sets.read(top);
    section("joints", [&](TomlTable& t) { read_joints(t, sets, recipe); });
    if (top.is_list("target"))
        read_targets(top, recipe);
    else
        section("target", [&](TomlTable& t) {
            recipe.targets = {read_target_table(t, recipe)};
            recipe.most_walk_s = read_within(t, "most_walk_seconds", recipe.most_walk_s, 1, 1e7);
        });
    section("travel", [&](TomlTable& t) {
        recipe.root = t.text("root", "root");
        recipe.hips = t.text("hips", "");
        recipe.where.hips = t.where("hips");
        recipe.root_node = t.text("node", "");
        recipe.where.root_node = t.where("node");
    });
    section("output", [&](TomlTable& t) {
        recipe.output = folder / t.text("folder");
        recipe.name = t.text("name", std::filesystem::path(recipe.source).stem().string());
        if (t.has("name")) check_name(t, recipe.name);
        recipe.picture = t.flag("picture", true);
        read_thumbnails(t, recipe);
        recipe.skip_bad = t.choice("on_error", {"stop", "skip"}, "stop") == "skip";
    });
    section("proof", [&](TomlTable& t) {
        recipe.tolerance.mm = t.number("tolerance_mm", recipe.tolerance.mm);
        recipe.tolerance.degrees = t.number("tolerance_degrees", recipe.tolerance.degrees);
        recipe.tolerance.scale = t.number("tolerance_scale", recipe.tolerance.scale);
        recipe.accept_shear = sets.mask(t, "accept_shear");
        for (const char* key : {"tolerance_mm", "tolerance_degrees", "tolerance_scale"})
            if (t.number(key, 1) <= 0)
                t.fail(Code::kValueBad, key, fmt::format("{}", t.number(key, 1)),
                       "a number above 0");
    });
    section("motion", [&](TomlTable& t) { read_motion_checks(t, recipe.motion); });
    section("checks", [&](TomlTable& t) { read_checks(t, recipe.checks); });
    read_cameras(top, recipe);
    read_cues(top, recipe);
    read_performances(top, sets, recipe);
    read_clips(top, recipe);
    check_clip_names(top, recipe);
    top.close();
    MELLOW_CHECK(top.mistakes());
    return recipe;
}

Result<Recipe> read_recipe(const std::filesystem::path& path) {
    MELLOW_TRY(const Bytes bytes, read_file(path));
    return parse_recipe({reinterpret_cast<const char*>(bytes.data()), bytes.size()},
                        path.filename().string(), path.parent_path());
}

}  // namespace mellow
