#include "mellow/recipe.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <deque>
#include <set>
#include <sstream>

#include "base/text.h"
#include "base/toml_table.h"
#include "disk/hash.h"
#include "mellow/read.h"
#include "recipe/checks.h"
#include "recipe/clip_names.h"
#include "recipe/recipe_clips.h"
#include "recipe/recipe_cues.h"
#include "recipe/recipe_motion.h"
#include "recipe/recipe_parts.h"
#include "recipe/recipe_shaping.h"
#include "recipe/recipe_thumbnails.h"
#include "recipe/recipe_words.h"
#include "recipe/target_table.h"
#include "recipe/used_tables.h"
#include "rig/sheet_words.h"

namespace mellow {
namespace {

/// What a file really is; the same keys for the figure and for every source.
void read_truth(TomlTable& t, TrueConvention& truth) {
    t.knows({"unit", "height", "up", "front", "hand", "rate", "places", "frames", "scale_keys"});
    if (t.has("unit")) {
        const std::string unit = t.number_or_text("unit");
        truth.metres_per_unit = parse_unit(unit);
        if (!truth.metres_per_unit)
            t.fail(Code::kValueBad, "unit", "\"" + unit + "\"", suggest(unit, unit_names()),
                   "a unit by its name, or metres per unit as a number");
    }
    if (t.has("height")) {
        truth.height_m = read_within(t, "height", {}, 1e-6, 1e6);
        if (t.has("unit"))
            t.fail(Code::kValueBad, "height", "height beside unit",
                   "one of them: each says the other");
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
    if (t.has("scale_keys"))
        truth.scale_keys = t.choice("scale_keys", {"keep", "leave-out"}) == "keep";
    if (t.has("rate")) {
        const std::string rate = t.number_or_text("rate");
        truth.rate = parse_rate(rate);
        truth.where_rate = t.where("rate");
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
/// One target: what its file says, and over that what the recipe says.
Target read_target_table(TomlTable& t, Recipe& recipe) {
    Target target;
    t.knows({"file", "most_walk_seconds", "name"});
    if (t.has("file")) {
        const std::string file = t.text("file");
        if (const Status read = load_target(recipe.folder / file, target); !read)
            for (Finding f : read.failures()) {
                if (f.code == Code::kFileMissing) f.where = f.where.inside(t.where("file"));
                t.fail(std::move(f));
            }
        if (!target.files.empty()) target.files.front().file = file;
    }
    read_target_keys(t, target, recipe.folder);
    if (t.has("name")) {
        target.name = t.text("name");
        check_name(t, target.name);
    }
    for (const FileRecord& file : target.files) target.text += file.hash + "\n";
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
        source.map = t.text("map", "");
        if (source.map.empty() && t.has("map") && !t.failed({"map"}))
            t.fail(Code::kValueBad, "map", "\"\"", "a file with pairs of joints");
        const std::string keyed = t.choice("keyed", {"joints", "controls", "any"}, "any");
        source.keyed = keyed == "joints"     ? RecipeSource::Keyed::kJoints
                       : keyed == "controls" ? RecipeSource::Keyed::kControls
                                             : RecipeSource::Keyed::kByContent;
        if (source.keyed == RecipeSource::Keyed::kControls && !source.map.empty())
            t.fail(Code::kValueBad, "map", "a map beside keyed = \"controls\"",
                   "a map for files that key joints, or keyed = \"controls\" alone");
        if (!names.insert(source.name).second)
            t.fail(Code::kNameClash, "name",
                   fmt::format("a second source named \"{}\"", source.name), "one name per source",
                   "rename one of them");
        t.close();
        recipe.sources.push_back(std::move(source));
    }
}

void read_retarget(TomlTable& t, CarryOptions& carry) {
    if (t.has("travel_ratio")) carry.travel_ratio = read_within(t, "travel_ratio", {}, 0.01, 100);
    t.knows({"travel_ratio"});
    carry.ground_m = read_within(t, "ground", 0, -1000, 1000);
    carry.feet = t.flag("feet", carry.feet);
    carry.hands = t.flag("hands", carry.hands);
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
        const std::vector<std::string> sides{"vertical", "horizontal"};
        camera.horizontal = t.choice("fov", sides, "vertical") == "horizontal";
        camera.scalar = t.text("scalar", "");
        t.needs("scalar_is", "scalar");
        camera.scalar_horizontal = t.choice("scalar_is", sides, "vertical") == "horizontal";
        if (t.has("aspect")) camera.aspect = read_within(t, "aspect", {}, 0.1, 10);
        t.knows({"aspect"});
        t.close();
        recipe.cameras.push_back(std::move(camera));
    }
}

void read_performances(TomlTable& top, const Sets& sets, Recipe& recipe) {
    const auto arrangements = top.tables("arrangement"), layers = top.tables("layer");
    for (std::size_t i = 0; i < arrangements.size(); ++i) {
        TomlTable t = top.within(*arrangements[i], fmt::format("arrangement {}", i + 1));
        recipe.arrangements.push_back(read_arrangement(t));
    }
    for (std::size_t i = 0; i < layers.size(); ++i) {
        TomlTable t = top.within(*layers[i], fmt::format("layer {}", i + 1));
        recipe.layers.push_back(read_layer(t, sets));
    }
}

/// Takes away what tables that are wrong say, and all clips that are made of it.
void leave_out_wrong(TomlTable& top, Recipe& recipe) {
    std::set<std::string> gone;
    const auto sound_ones = [&](const char* key, auto& list, const auto& name) {
        const auto tables = top.tables(key);
        std::size_t i = 0;
        std::erase_if(list, [&](const auto& one) {
            const std::size_t at = i++;
            if (at >= tables.size() || top.sound(*tables[at])) return false;
            gone.insert(name(one));
            return true;
        });
    };
    const auto nameless = [](const auto&) { return std::string(); };
    if (top.is_list("source"))
        sound_ones("source", recipe.sources, [](const auto& s) { return "source " + s.name; });
    sound_ones("arrangement", recipe.arrangements,
               [](const auto& s) { return "arrangement " + s.arrangement.name; });
    sound_ones("clip", recipe.clips, [](const auto& c) { return "clip " + c.range.name; });
    sound_ones("layer", recipe.layers, nameless);
    sound_ones("cue", recipe.cues, nameless);
    sound_ones("camera", recipe.cameras, nameless);
    sound_ones("timelines", recipe.timelines, nameless);
    sound_ones("clips", recipe.many, nameless);
    const auto lost = [&](const char* kind, const std::string& name) {
        return gone.contains(kind + name);
    };
    std::erase_if(recipe.many, [&](const RecipeMany& m) { return lost("source ", m.source); });
    for (std::size_t before = 0; before != gone.size();) {
        before = gone.size();
        std::erase_if(recipe.clips, [&](const RecipeClip& clip) {
            const bool parts =
                std::any_of(clip.parts.begin(), clip.parts.end(), [&](const auto& p) {
                    return lost("clip ", p.clip) || lost("source ", p.source) ||
                           lost("arrangement ", p.arrangement);
                });
            const bool out =
                parts || lost("source ", clip.source) || lost("arrangement ", clip.arrangement);
            if (out) gone.insert("clip " + clip.range.name);
            return out;
        });
    }
}

}  // namespace

Result<RecipeWords> read_words(std::string_view text, const std::string& file,
                               const std::filesystem::path& folder) {
    MELLOW_TRY(toml::table root, parse_toml(text, file));
    std::vector<UsedFile> used;
    MELLOW_CHECK(bring_in(root, file, folder, used));
    RecipeWords words;
    Recipe& recipe = words.recipe;
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
    for (const char* key : {"clip", "clips", "timelines", "arrangement", "layer", "output",
                            "checks", "rename", "clip_names", "target", "cue", "cues"})
        common.erase(key);
    if (top.is_list("source")) common.erase("source");
    recipe.common = TomlTable(common, file).canonical();
    top.knows({"figure", "clip_names", "rename", "clips",  "source",    "joints",      "target",
               "travel", "output",     "proof",  "clip",   "timelines", "arrangement", "layer",
               "set",    "camera",     "checks", "mirror", "cue",       "cues",        "motion"});
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
    words.figure = top.mistakes().ok() && !recipe.source.empty();
    if (apart && top.has("source") && !top.is_list("source"))
        top.fail(Code::kValueBad, "source", "[figure] and [source]",
                 "[figure] with [[source]], or [source] alone",
                 "[[source]] in place of [source], with a name");
    read_sources(top, recipe);
    if (top.has("mirror"))
        section("mirror", [&](TomlTable& t) {
            // These two are no texts; a joint of such a name can be paired all the same.
            if (t.has("props") && !t.is_text("props")) recipe.mirror.props = t.texts("props", {});
            if (t.has("middle") && !t.is_text("middle"))
                recipe.mirror.middle_m = t.number("middle");
            for (const std::string& key : t.keys())
                if (t.is_text(key) || (key != "props" && key != "middle"))
                    recipe.mirror.pairs.emplace_back(key, t.text(key));
        });
    if (top.has("rename"))
        section("rename", [&](TomlTable& t) {
            recipe.renames = read_rename_keys(t);
            recipe.where.renames = t.where("");
            if (!top.is_list("source"))
                top.idle("rename", "it is for names of motion files, and there are none",
                         "take it out; names of the figure: [target.rename]");
        });
    if (top.has("clip_names"))
        section("clip_names", [&](TomlTable& t) {
            recipe.clip_names = read_rename_keys(t);
            recipe.where.clip_names = t.where("");
            for (const auto& [from, to] : recipe.clip_names) {
                std::string plain = to;
                std::replace(plain.begin(), plain.end(), '*', 'x');
                if (!t.failed({from}) && (!sound_name(plain, true) || file_path(plain) != plain))
                    t.fail(Code::kValueBad, from, "\"" + to + "\"",
                           "letters, digits, _, -, . and /, which makes folders; a name that every "
                           "system can give a file");
            }
            if (!top.has("clips") && !top.has("timelines"))
                top.idle("clip_names", "no clip is called after a file or timeline",
                         "name = \"...\" of each [[clip]]");
        });
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
    section("retarget", [&](TomlTable& t) { read_retarget(t, recipe.carry); });
    section("checks", [&](TomlTable& t) { read_checks(t, recipe.checks); });
    read_cameras(top, recipe);
    read_cues(top, recipe);
    read_performances(top, sets, recipe);
    read_clips(top, recipe);
    check_clip_names(top, recipe);
    const auto mirrors = [](const RecipeClip& clip) {
        return clip.shaping.mirror ||
               std::any_of(clip.parts.begin(), clip.parts.end(),
                           [](const RecipePart& part) { return part.shaping.mirror; });
    };
    const auto like = [&](const auto& table) { return mirrors(table.like); };
    if (std::none_of(recipe.clips.begin(), recipe.clips.end(), mirrors) &&
        std::none_of(recipe.timelines.begin(), recipe.timelines.end(), like) &&
        std::none_of(recipe.many.begin(), recipe.many.end(), like))
        top.idle("mirror", "no clip is mirrored", "mirror = true   # in a clip; or take it out");
    sets.note_unused(top);
    top.close();
    recipe.notes = top.notes();
    words.mistakes = top.mistakes().failures();
    if (!words.mistakes.empty()) leave_out_wrong(top, recipe);
    return words;
}

Result<Recipe> parse_recipe(std::string_view text, const std::string& file,
                            const std::filesystem::path& folder) {
    MELLOW_TRY(RecipeWords words, read_words(text, file, folder));
    if (!words.mistakes.empty()) return std::move(words.mistakes);
    return std::move(words.recipe);
}

Result<Recipe> read_recipe(const std::filesystem::path& path) {
    MELLOW_TRY(const Bytes bytes, read_file(path));
    return parse_recipe({reinterpret_cast<const char*>(bytes.data()), bytes.size()},
                        path.filename().string(), path.parent_path());
}

}  // namespace mellow
