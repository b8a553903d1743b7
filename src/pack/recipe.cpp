#include "mellow/recipe.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

#include "base/text.h"
#include "base/toml_table.h"
#include "crate/hash.h"
#include "mellow/read.h"
#include "pack/recipe_parts.h"
#include "rig/sheet_words.h"

namespace mellow {
namespace {

const std::vector<std::string> kAxisNames{"+X", "-X", "+Y", "-Y", "+Z", "-Z"};

void read_source(TomlTable& t, Recipe& recipe) {
    recipe.source = t.text("file");
    recipe.rig = t.text("rig", "");
    recipe.strip_prefix = t.text("strip_prefix", "");
    if (t.has("unit")) {
        const std::string unit = t.number_or_text("unit");
        recipe.truth.metres_per_unit = parse_unit(unit);
        if (!recipe.truth.metres_per_unit)
            t.fail(Code::kValueBad, "unit", "\"" + unit + "\"",
                   "metre, centimetre, millimetre, inch, foot or metres per unit as a number");
    }
    if (t.has("up")) recipe.truth.up = parse_axis(t.choice("up", kAxisNames));
    if (t.has("front")) recipe.truth.front = parse_axis(t.choice("front", kAxisNames));
    if (t.has("rate")) {
        const std::string rate = t.number_or_text("rate");
        recipe.truth.rate = parse_rate(rate);
        if (!recipe.truth.rate)
            t.fail(Code::kValueBad, "rate", rate,
                   "frames per second, such as 24 or \"30000/1001\"");
    }
}

void read_target(TomlTable& t, Recipe& recipe) {
    recipe.target = t.text("convention", recipe.target);
    if (const auto convention = find_preset(recipe.target))
        recipe.target_convention = *convention;
    else
        t.fail(Code::kValueBad, "convention", "\"" + recipe.target + "\"",
               "one of: " + preset_names());
    const std::string rate = t.number_or_text("rate", "30");
    if (const auto parsed = parse_rate(rate))
        recipe.rate = *parsed;
    else
        t.fail(Code::kValueBad, "rate", rate, "samples per second, such as 30 or \"30000/1001\"");
    recipe.loop_form = t.choice("loop_form", {"closed", "open"}, "closed") == "closed"
                           ? LoopForm::kClosed
                           : LoopForm::kOpen;
    const double most = read_within(t, "influences", 0, 0, 64);
    recipe.influences = static_cast<int>(most);
    if (recipe.influences != most)
        t.fail(Code::kValueBad, "influences", fmt::format("{}", most), "a whole number");
}

bool sound_name(const std::string& name) {
    return !name.empty() && name.front() != '.' && name.size() <= 100 &&
           std::all_of(name.begin(), name.end(), [](char c) {
               return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') ||
                      c == '_' || c == '-' || c == '.';
           });
}

void check_name(TomlTable& t, const std::string& name) {
    if (!sound_name(name))
        t.fail(Code::kValueBad, "name", "\"" + name + "\"",
               "letters, digits, _, - and . only: it becomes a file name");
}

void read_joints(TomlTable& t, const Sets& sets, Recipe& recipe) {
    recipe.joints.only = sets.mask(t, "only");
    recipe.joints.keep = sets.mask(t, "keep");
    recipe.joints.drop = sets.mask(t, "drop");
    recipe.joints.keep_helpers = t.choice("helpers", {"fold", "keep"}, "fold") == "keep";
    recipe.joints.keep_tips = t.choice("tips", {"drop", "keep"}, "drop") == "keep";
    recipe.joints.scale_to_offsets = t.choice("scale", {"keep", "offsets"}, "keep") == "offsets";
    recipe.axes = t.text("axes", "");
}

/// What a clip and all clips of [[timelines]] can say.
void read_motion(TomlTable& t, RecipeClip& clip) {
    clip.range.loop = t.flag("loop", false);
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
}

Result<RecipeClip> read_clip(const toml::table& table, const std::string& file, std::size_t index) {
    const auto named = table["name"].value<std::string>();
    const std::string place =
        named ? fmt::format("clip \"{}\"", *named) : fmt::format("clip {}", index + 1);
    TomlTable t(table, file, place);
    RecipeClip clip;
    clip.range.name = t.text("name");
    check_name(t, clip.range.name);
    clip.range.where = t.where("");
    if (t.has("pose")) {
        clip.range.pose = true;
        const double frame = t.number("pose");
        if (frame != std::floor(frame) || std::abs(frame) > 1e9 || t.has("range"))
            t.fail(Code::kValueBad, "pose", fmt::format("{}", frame),
                   "a whole frame number, and no range beside it");
        clip.range.first = clip.range.last = static_cast<std::int64_t>(frame);
    }
    const std::vector<double> range = clip.range.pose ? std::vector<double>{} : t.numbers("range");
    const bool whole = std::all_of(range.begin(), range.end(), [](double v) {
        return v == std::floor(v) && std::abs(v) < 1e9;
    });
    if (range.size() == 2 && whole) {
        clip.range.first = static_cast<std::int64_t>(range[0]);
        clip.range.last = static_cast<std::int64_t>(range[1]);
        clip.range.where = t.where("range");
    } else if (!clip.range.pose) {
        t.fail(Code::kValueBad, "range", fmt::format("[{}]", fmt::join(range, ", ")),
               "two whole frame numbers, [first, last], both inclusive");
    }
    read_motion(t, clip);
    clip.timeline = t.text("timeline", "");
    clip.strip = t.text("strip", "");
    if (!clip.timeline.empty() && !clip.strip.empty())
        t.fail(Code::kValueBad, "strip", "a strip and a timeline", "one of them");
    MELLOW_CHECK(t.done());
    return clip;
}

std::string folded(std::string name) {
    for (char& c : name) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    return name;
}

Status read_clips(TomlTable& top, Recipe& recipe) {
    const auto tables = top.tables("clip");
    std::set<std::string> names;
    for (std::size_t i = 0; i < tables.size(); ++i) {
        MELLOW_TRY(RecipeClip clip, read_clip(*tables[i], recipe.file, i));
        if (!names.insert(folded(clip.range.name)).second)
            return Finding{Code::kNameClash,
                           Severity::kStop,
                           clip.range.where,
                           fmt::format("a second clip named \"{}\"", clip.range.name),
                           "one name per clip (upper and lower case count as equal)",
                           "rename one of them"};
        recipe.clips.push_back(std::move(clip));
    }
    const auto whole = top.tables("timelines");
    for (std::size_t i = 0; i < whole.size(); ++i) {
        TomlTable t(*whole[i], recipe.file, fmt::format("timelines {}", i + 1));
        RecipeTimelines wanted;
        wanted.like.range.where = t.where("");
        wanted.match = t.text("match", "*");
        read_motion(t, wanted.like);
        MELLOW_CHECK(t.done());
        recipe.timelines.push_back(std::move(wanted));
    }
    if (recipe.clips.empty() && recipe.timelines.empty())
        top.fail(Code::kKeyMissing, "", "no [[clip]]", "at least one clip",
                 "add: [[clip]] with name = \"...\" and range = [first, last]");
    return {};
}

Status read_cameras(TomlTable& top, Recipe& recipe) {
    const auto tables = top.tables("camera");
    for (std::size_t i = 0; i < tables.size(); ++i) {
        TomlTable t(*tables[i], recipe.file, fmt::format("camera {}", i + 1));
        RecipeCamera camera;
        camera.where = t.where("");
        camera.node = t.text("node", "*");
        camera.aim = parse_axis(t.choice("aim", kAxisNames, "-Z")).value_or(camera.aim);
        camera.up = parse_axis(t.choice("up", kAxisNames, "+Y")).value_or(camera.up);
        if (std::abs(dot(direction(camera.aim), direction(camera.up))) > 0.5)
            t.fail(Code::kValueBad, "up", "the same line as aim", "two different lines");
        const std::vector<std::string> ways{"vertical", "horizontal"};
        camera.horizontal = t.choice("fov", ways, "vertical") == "horizontal";
        camera.scalar = t.text("scalar", "");
        if (!camera.scalar.empty())
            camera.scalar_horizontal = t.choice("scalar_is", ways, "vertical") == "horizontal";
        if (t.has("aspect")) camera.aspect = read_within(t, "aspect", {}, 0.1, 10);
        MELLOW_CHECK(t.done());
        recipe.cameras.push_back(std::move(camera));
    }
    return {};
}

Status read_performances(TomlTable& top, const Sets& sets, Recipe& recipe) {
    const auto strips = top.tables("strip"), layers = top.tables("layer");
    for (std::size_t i = 0; i < strips.size(); ++i) {
        MELLOW_TRY(RecipeStrip strip, read_strip(*strips[i], recipe.file, i));
        recipe.strips.push_back(std::move(strip));
    }
    for (std::size_t i = 0; i < layers.size(); ++i) {
        MELLOW_TRY(RecipeLayer layer, read_layer(*layers[i], sets, recipe.file, i));
        recipe.layers.push_back(std::move(layer));
    }
    return {};
}

/// Layers name clips, and clips name strips, that the recipe has.
Status check_clip_names(const Recipe& recipe) {
    std::vector<std::string> clips, strips;
    for (const RecipeClip& clip : recipe.clips) clips.push_back(clip.range.name);
    for (const RecipeStrip& strip : recipe.strips) strips.push_back(strip.strip.name);
    const auto known = [](const std::string& where, const std::string& what,
                          const std::string& name,
                          const std::vector<std::string>& names) -> Status {
        if (std::find(names.begin(), names.end(), name) != names.end()) return {};
        return Finding{
            Code::kNameUnknown,
            Severity::kStop,
            where,
            fmt::format("no {} \"{}\"", what, name),
            names.empty() ? fmt::format("a [[{}]] of that name", what) : suggest(name, names),
            "correct the name"};
    };
    for (const RecipeLayer& layer : recipe.layers)
        for (const std::string& clip : layer.clips)
            MELLOW_CHECK(known(layer.layer.where, "clip", clip, clips));
    for (const RecipeClip& clip : recipe.clips)
        if (!clip.strip.empty()) MELLOW_CHECK(known(clip.range.where, "strip", clip.strip, strips));
    return {};
}

Status check_convention(const Recipe& recipe) {
    if (!recipe.truth.up && !recipe.truth.front) return {};
    const Convention convention{1, recipe.truth.up.value_or(Axis::kPlusY),
                                recipe.truth.front.value_or(Axis::kPlusZ)};
    if (is_valid(convention)) return {};
    return Finding{Code::kValueBad,
                   Severity::kStop,
                   recipe.file + ", [source]",
                   fmt::format("up {} and front {} along one line", name(convention.up),
                               name(convention.front)),
                   "two different lines",
                   "set both up and front"};
}

}  // namespace

Result<Recipe> parse_recipe(std::string_view text, const std::string& file,
                            const std::filesystem::path& folder) {
    MELLOW_TRY(const toml::table root, parse_toml(text, file));
    Recipe recipe;
    recipe.file = file;
    recipe.folder = folder;
    recipe.bytes = text.size();
    recipe.hash = hash_hex({reinterpret_cast<const std::uint8_t*>(text.data()), text.size()});
    TomlTable top(root, file, "");
    const toml::table none;
    const auto section = [&](const char* key, auto&& read) -> Status {
        const toml::table* table = top.table(key);
        TomlTable t(table != nullptr ? *table : none, file, fmt::format("[{}]", key));
        read(t);
        return t.done();
    };
    // Unknown top-level tables first: a misspelt [source] must not read as a missing one.
    for (const char* key : {"source", "joints", "target", "travel", "output", "proof"})
        (void)top.table(key);
    for (const char* key : {"clip", "timelines", "strip", "layer", "set", "camera"})
        (void)top.tables(key);
    MELLOW_CHECK(top.done());
    MELLOW_CHECK(section("source", [&](TomlTable& t) { read_source(t, recipe); }));
    MELLOW_CHECK(check_convention(recipe));
    Sets sets;
    MELLOW_CHECK(sets.read(top, file));
    MELLOW_CHECK(section("joints", [&](TomlTable& t) { read_joints(t, sets, recipe); }));
    MELLOW_CHECK(section("target", [&](TomlTable& t) { read_target(t, recipe); }));
    MELLOW_CHECK(section("travel", [&](TomlTable& t) {
        recipe.root = t.text("root", "root");
        recipe.hips = t.text("hips", "");
    }));
    MELLOW_CHECK(section("output", [&](TomlTable& t) {
        recipe.output = folder / t.text("folder");
        recipe.name = t.text("name", std::filesystem::path(recipe.source).stem().string());
        check_name(t, recipe.name);
        recipe.picture = t.flag("picture", true);
    }));
    MELLOW_CHECK(section("proof", [&](TomlTable& t) {
        recipe.tolerance.mm = t.number("tolerance_mm", recipe.tolerance.mm);
        recipe.tolerance.degrees = t.number("tolerance_degrees", recipe.tolerance.degrees);
        for (const char* key : {"tolerance_mm", "tolerance_degrees"})
            if (t.number(key, 1) <= 0)
                t.fail(Code::kValueBad, key, fmt::format("{}", t.number(key, 1)),
                       "a number above 0");
    }));
    MELLOW_CHECK(read_cameras(top, recipe));
    MELLOW_CHECK(read_performances(top, sets, recipe));
    MELLOW_CHECK(read_clips(top, recipe));
    MELLOW_CHECK(check_clip_names(recipe));
    MELLOW_CHECK(top.done());
    return recipe;
}

Result<Recipe> read_recipe(const std::filesystem::path& path) {
    MELLOW_TRY(const Bytes bytes, read_file(path));
    return parse_recipe({reinterpret_cast<const char*>(bytes.data()), bytes.size()},
                        path.filename().string(), path.parent_path());
}

}  // namespace mellow
