// Reading targets; declared in target.h.
#include "mellow/target.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "disk/hash.h"
#include "math/degrees.h"
#include "mellow/node_mask.h"
#include "mellow/read.h"
#include "recipe/recipe_parts.h"
#include "recipe/target_table.h"
#include "rig/sheet_words.h"

namespace mellow {
namespace {

void bad(TomlTable& t, std::string_view key, std::string found, std::string expected,
         std::string remedy = {}) {
    t.fail(Code::kValueBad, key, std::move(found), std::move(expected), std::move(remedy));
}

void read_convention(TomlTable& t, Target& target) {
    t.knows({"convention", "unit", "up", "front", "hand"});
    if (t.has("convention")) {
        const std::string preset = t.text("convention");
        if (const auto convention = find_preset(preset))
            target.convention = *convention;
        else
            bad(t, "convention", "\"" + preset + "\"", suggest(preset, preset_names()));
        if (target.files.empty()) target.name = preset;
    }
    if (t.has("unit")) {
        const std::string unit = t.number_or_text("unit");
        if (const auto metres = parse_unit(unit))
            target.convention.metres_per_unit = *metres;
        else
            bad(t, "unit", "\"" + unit + "\"", suggest(unit, unit_names()),
                "a unit by its name, or metres per unit as a number");
    }
    Convention& c = target.convention;
    if (t.has("up")) c.up = parse_axis(t.choice("up", axis_names())).value_or(c.up);
    if (t.has("front")) c.front = parse_axis(t.choice("front", axis_names())).value_or(c.front);
    if (t.has("hand"))
        c.hand = t.choice("hand", {"right", "left"}) == "left" ? Hand::kLeft : Hand::kRight;
    if ((t.has("up") || t.has("front")) && !t.failed({"up", "front", "unit", "convention"}) &&
        !is_valid(c))
        bad(t, t.has("front") ? "front" : "up",
            fmt::format("up {} and front {} along one line", name(c.up), name(c.front)),
            "two different lines", "set both up and front");
    if (target.files.empty() && !t.has("convention") &&
        (t.has("unit") || t.has("up") || t.has("front") || t.has("hand")))
        target.name = to_text(c);
}

std::optional<FrameRate> one_rate(TomlTable& t, std::string_view key, const std::string& text) {
    const auto rate = parse_rate(text);
    if (!rate) bad(t, key, text, "samples per second, such as 30 or \"30000/1001\"");
    return rate;
}

/// A whole number of a key that is there.
int whole(TomlTable& t, std::string_view key, double least, double most) {
    const double value = read_within(t, key, {}, least, most);
    if (value != std::floor(value)) bad(t, key, fmt::format("{}", value), "a whole number");
    return static_cast<int>(value);
}

/// What roots are to carry, [[root_carries]].
void read_roots(TomlTable& t, Target& target) {
    target.roots.clear();
    const auto rules = t.tables("root_carries");
    for (std::size_t i = 0; i < rules.size(); ++i) {
        TomlTable rule = t.inner(*rules[i], fmt::format("root_carries {}", i + 1));
        RootRule out{rule.texts("clips", {}), rule.texts("groups", {})};
        if (!rule.has("travel"))
            rule.fail(Code::kKeyMissing, "travel", "nothing that the root is to carry",
                      "a list, [] where it stays", "travel = [\"ground\", \"heading\"]");
        for (const std::string& part : rule.texts("travel", {})) {
            bool* carried = part == "ground"    ? &out.ground
                            : part == "height"  ? &out.height
                            : part == "heading" ? &out.heading
                                                : nullptr;
            if (carried != nullptr)
                *carried = true;
            else
                bad(rule, "travel", "\"" + part + "\"",
                    suggest(part, {"ground", "height", "heading"}));
        }
        rule.close();
        target.roots.push_back(std::move(out));
    }
}

void read_samples(TomlTable& t, Target& target) {
    t.knows({"rate", "rates", "loop_form", "most_samples", "first_frame", "first_pose",
             "starts_at_rest", "starts_ahead", "root_carries"});
    if (t.has("rate"))
        if (const auto rate = one_rate(t, "rate", t.number_or_text("rate")))
            target.rate = *rate, target.rate_told = true;
    if (t.has("rates")) {
        target.rates.clear();
        for (const std::string& text : t.texts("rates", {}))
            if (const auto rate = one_rate(t, "rates", text)) target.rates.push_back(*rate);
        if (std::find(target.rates.begin(), target.rates.end(), target.rate) ==
                target.rates.end() &&
            !t.failed({"rates", "rate"}))
            bad(t, "rates",
                fmt::format("a rate of {} that is not among them", to_text(target.rate)),
                "rates with that of the target among them", "rate = one of them");
    }
    if (t.has("loop_form"))
        target.loop_form = t.choice("loop_form", {"closed", "open"}) == "closed" ? LoopForm::kClosed
                                                                                 : LoopForm::kOpen;
    if (t.has("most_samples")) target.most_samples = whole(t, "most_samples", 1, 1e8);
    if (t.has("first_frame")) target.first_frame = whole(t, "first_frame", 0, 1);
    if (t.has("first_pose"))
        target.rest_first = t.choice("first_pose", {"rest", "motion"}) == "rest";
    target.starts_at_rest = t.flag("starts_at_rest", target.starts_at_rest);
    if (t.has("starts_ahead"))
        target.starts_ahead_rad = read_within(t, "starts_ahead", {}, 0, 180) / kDegrees;
    if (t.has("root_carries")) read_roots(t, target);
}

void read_rest(TomlTable& t, Target& target) {
    t.knows({"rest", "rest_timeline", "rest_frame", "rest_skin"});
    RestRule& rest = target.rest;
    if (t.has("rest")) {
        rest = {};
        const std::string from = t.choice("rest", {"source", "frame", "list"});
        rest.from = from == "frame"  ? RestRule::From::kFrame
                    : from == "list" ? RestRule::From::kList
                                     : RestRule::From::kSource;
        rest.where = t.where("rest");
    }
    const bool frame = rest.from == RestRule::From::kFrame;
    for (const char* key : {"rest_timeline", "rest_frame"})
        if (t.has(key) && !frame && !t.failed({"rest"}))
            bad(t, key, "no frame that is the rest pose", "rest = \"frame\" with it",
                "rest = \"frame\"");
    if (t.has("rest_timeline")) rest.timeline = t.text("rest_timeline");
    if (t.has("rest_frame"))
        rest.frame = read_within(t, "rest_frame", {}, -1e9, 1e9);
    else if (frame && t.has("rest"))
        t.fail(Code::kKeyMissing, "rest_frame", "no frame", "the frame whose pose is the rest pose",
               "rest_frame = 0");
    if (t.has("rest_skin")) {
        rest.posed = t.choice("rest_skin", {"kept", "posed"}) == "posed";
        if (rest.posed && rest.from == RestRule::From::kSource && !t.failed({"rest"}))
            bad(t, "rest_skin", "\"posed\", and the rest pose of the source", "another rest pose",
                "rest = \"frame\", with rest_frame, or rest = \"list\"");
    }
    const auto& listed = target.joints.list.joints;
    if (rest.from == RestRule::From::kList && !t.failed({"joints"}) &&
        std::none_of(listed.begin(), listed.end(),
                     [](const ListedJoint& j) { return j.place.has_value(); }))
        bad(t, "rest", "\"list\", and no place in a joint list", "a joint list with places at rest",
            "joints = \"...\"   # three numbers behind names");
    target.joints.places_from_list = rest.from == RestRule::From::kList;
}

void read_list(TomlTable& t, Target& target, const std::filesystem::path& folder) {
    const std::string file = t.text("joints");
    const auto bytes = read_file(folder / file);
    if (!bytes) {
        Finding failure = bytes.failure();
        failure.where = failure.where.inside(t.where("joints"));
        return t.fail(std::move(failure));
    }
    const std::string name = std::filesystem::path(file).filename().string();
    auto list = parse_joint_list(
        {reinterpret_cast<const char*>(bytes.value().data()), bytes.value().size()}, name);
    if (!list)
        for (Finding& f : Findings(list.failures())) t.fail(std::move(f));
    else
        target.joints.list = std::move(list).value();
    target.files.push_back(
        {FileRole::kJointList, file, bytes.value().size(), hash_hex(bytes.value())});
}

void read_fit(TomlTable& t, Target& target, const std::filesystem::path& folder) {
    t.knows({"joints", "surplus", "missing", "most_joints", "rename", "root", "influences",
             "morphs", "textures", "triangulate", "most_vertices", "vertices", "height", "cameras",
             "statics", "lights"});
    target.joints.where = t.where("joints");
    if (t.has("joints")) read_list(t, target, folder);
    if (target.joints.list.joints.empty() && !t.has("joints"))
        for (const char* key : {"surplus", "missing"})
            t.idle(key, "there is no list of joints", "joints = \"FILE\"   # beside it");
    if (t.has("surplus"))
        target.joints.drop_surplus = t.choice("surplus", {"stop", "drop"}) == "drop";
    if (t.has("missing"))
        target.joints.fill_missing = t.choice("missing", {"stop", "fill"}) == "fill";
    if (t.has("most_joints")) target.joints.most = whole(t, "most_joints", 1, 65536);
    if (t.has("root")) target.root = t.text("root");
    if (t.has("root") && target.root.empty()) bad(t, "root", "\"\"", "a name");
    if (t.has("influences")) target.influences = whole(t, "influences", 0, 64);
    if (t.has("textures")) {
        const std::string where = t.choice("textures", {"embedded", "beside", "none"});
        target.pictures = where == "beside" ? Pictures::kBeside
                          : where == "none" ? Pictures::kLeftOut
                                            : Pictures::kEmbedded;
    }
    target.triangulate = t.flag("triangulate", target.triangulate);
    if (t.has("most_vertices")) target.most_vertices = whole(t, "most_vertices", 1, 1e9);
    if (t.has("vertices")) target.vertices = whole(t, "vertices", 1, 1e9);
    for (const auto& [key, keep] :
         {std::pair("cameras", &target.cameras), std::pair("statics", &target.statics)})
        if (t.has(key)) *keep = t.choice(key, {"keep", "leave-out"}) == "keep";
    if (t.has("lights")) target.lights = t.choice("lights", {"leave-out", "stop"}) != "stop";
    if (t.has("height")) {
        const auto range = t.numbers("height");
        if (range.size() == 2 && range[0] > 0 && range[0] <= range[1])
            target.height_m = {range[0], range[1]};
        else
            bad(t, "height", fmt::format("[{}]", fmt::join(range, ", ")), "metres, [least, most]");
    }
    if (t.has("rename"))
        if (const toml::table* table = t.table("rename")) {
            TomlTable names = t.inner(*table, "rename");
            target.joints.renames = read_rename_keys(names);
            names.close();
        }
    if (!t.has("morphs")) return;
    target.morphs.clear();
    const auto rules = t.tables("morphs");
    for (std::size_t i = 0; i < rules.size(); ++i) {
        TomlTable rule = t.inner(*rules[i], fmt::format("morphs {}", i + 1));
        MorphRule out;
        out.pattern = rule.text("match", "*");
        const std::string fate = rule.choice("do", {"keep", "bake", "drop"});
        out.fate = fate == "bake"   ? MorphRule::Fate::kBake
                   : fate == "drop" ? MorphRule::Fate::kDrop
                                    : MorphRule::Fate::kKeep;
        rule.close();
        target.morphs.push_back(std::move(out));
    }
}

void read_pattern(TomlTable& t, const char* key, std::string& pattern) {
    if (!t.has(key)) return;
    pattern = t.text(key);
    const NameFields fields = target_fields();
    if (const std::string field = unknown_field(pattern, fields); !field.empty())
        return bad(t, key, "\"" + field + "\"", suggest(field, field_names(fields)),
                   "fields of a name stand in braces");
    if (!sound_name(filled(pattern, fields), true))
        bad(t, key, "\"" + pattern + "\"", "letters, digits, _, -, . and /, which makes folders");
}

void read_files(TomlTable& t, Target& target) {
    t.knows({"layout", "format", "skin_format", "skin_name", "clip_name", "library_name",
             "name_case", "name_allowed", "name_replace", "ids", "clips", "clip_groups",
             "clips_left_out"});
    if (t.has("layout")) {
        const std::vector<std::string> names{"skin-and-clips", "skin-and-library", "one-file",
                                             "clips-with-skin"};
        const std::string layout = t.choice("layout", names);
        for (std::size_t i = 0; i < names.size(); ++i)
            if (names[i] == layout) target.layout = static_cast<Layout>(i);
    }
    if (t.has("format"))
        target.clip_format =
            parse_file_format(t.choice("format", all_formats())).value_or(target.clip_format);
    if (t.has("skin_format"))
        target.skin_format = parse_file_format(t.choice("skin_format", {"glb", "gltf", "dae"}))
                                 .value_or(target.skin_format);
    else if (t.has("format") && traits(target.clip_format).meshes)
        target.skin_format = target.clip_format;
    const bool joints_alone = !traits(target.clip_format).meshes;
    if (joints_alone && target.layout != Layout::kSkinAndClips && !t.failed({"layout", "format"}))
        bad(t, t.has("format") ? "format" : "layout",
            fmt::format("{} with the layout {}", name(target.clip_format), name(target.layout)),
            "skin-and-clips, since such a file holds one clip and no skin",
            "layout = \"skin-and-clips\"");
    read_pattern(t, "skin_name", target.skin_name);
    read_pattern(t, "clip_name", target.clip_name);
    read_pattern(t, "library_name", target.library_name);
    if (target.layout != Layout::kSkinAndLibrary)
        t.idle("library_name", "only layout = \"skin-and-library\" has such a file",
               "layout = \"skin-and-library\", or take it out");
    if (t.has("name_case")) {
        const std::string letters = t.choice("name_case", {"keep", "lower", "upper"});
        target.names.letters = letters == "lower"   ? NameRule::Case::kLower
                               : letters == "upper" ? NameRule::Case::kUpper
                                                    : NameRule::Case::kKeep;
    }
    if (t.has("name_allowed")) {
        target.names.allowed = t.text("name_allowed");
        if (target.names.allowed.find_first_not_of("_-.") != std::string::npos)
            bad(t, "name_allowed", "\"" + target.names.allowed + "\"",
                "any of _ - . besides letters and digits");
    }
    if (t.has("name_replace")) {
        target.names.replace = t.text("name_replace");
        if (!target.names.replace.empty() && !sound_name("x" + target.names.replace))
            bad(t, "name_replace", "\"" + target.names.replace + "\"",
                "letters, digits, _, -, . or nothing");
    }
    if (t.has("ids")) {
        const auto range = t.numbers("ids");
        if (range.size() == 2 && range[0] >= 0 && range[0] <= range[1] && range[1] < 1e9 &&
            range[0] == std::floor(range[0]) && range[1] == std::floor(range[1]))
            target.ids = {static_cast<int>(range[0]), static_cast<int>(range[1])};
        else
            bad(t, "ids", fmt::format("[{}]", fmt::join(range, ", ")),
                "two whole numbers, [first, last]");
    }
    target.clips.names = t.texts("clips", target.clips.names);
    target.clips.groups = t.texts("clip_groups", target.clips.groups);
    for (const auto& [key, list] :
         {std::pair("clips", &target.clips.names), std::pair("clip_groups", &target.clips.groups)})
        if (t.has(key) && list->empty() && !t.failed({key}))
            bad(t, key, "[]", "at least one pattern, or no such key, which takes all",
                fmt::format("{} = [\"*\"]", key));
    target.clips.left_out = t.texts("clips_left_out", target.clips.left_out);
    if (target.clip_name.find("{id") != std::string::npos && !target.ids && !t.failed({"ids"}))
        t.fail(Code::kKeyMissing, "ids", "no ids, which clip_name uses", "ids = [first, last]",
               "ids = [1, 999]");
}

}  // namespace

bool ClipChoice::takes(const std::string& name, const std::string& group) const {
    return (names.empty() || fits_any(names, name)) &&
           (groups.empty() || fits_any(groups, group)) && !fits_any(left_out, name);
}

bool RootRule::takes(const std::string& name, const std::string& group) const {
    return ClipChoice{names, groups, {}}.takes(name, group);
}

std::string_view name(Layout layout) {
    constexpr std::string_view kNames[] = {"skin-and-clips", "skin-and-library", "one-file",
                                           "clips-with-skin"};
    return kNames[static_cast<std::size_t>(layout)];
}

void read_target_keys(TomlTable& t, Target& target, const std::filesystem::path& folder) {
    read_convention(t, target);
    read_samples(t, target);
    read_fit(t, target, folder);
    read_rest(t, target);
    read_files(t, target);
}

NameFields target_fields() {
    return {{{"crate", "x"}, {"figure", "x"}, {"clip", "x"}, {"group", "x"}, {"rate", "30"}},
            {{"index", 1}, {"id", 1}}};
}

Status load_target(const std::filesystem::path& path, Target& target) {
    MELLOW_TRY(const Bytes bytes, read_file(path));
    std::string stem = path.filename().string();
    stem = stem.substr(0, stem.find('.'));
    target.name = stem;
    target.files.push_back(
        {FileRole::kTarget, path.filename().string(), bytes.size(), hash_hex(bytes)});
    const std::string file = path.filename().string();
    MELLOW_TRY(const toml::table root,
               parse_toml({reinterpret_cast<const char*>(bytes.data()), bytes.size()}, file));
    TomlTable t(root, file);
    read_target_keys(t, target, path.parent_path());
    target.text += t.canonical();
    t.close();
    return t.mistakes();
}

Result<Target> parse_target(std::string_view text, const std::string& file,
                            const std::filesystem::path& folder) {
    MELLOW_TRY(const toml::table root, parse_toml(text, file));
    TomlTable t(root, file);
    Target target;
    target.files.push_back({FileRole::kTarget, file, text.size(), hash_of(std::string(text))});
    target.name = file.substr(0, file.find('.'));
    read_target_keys(t, target, folder);
    target.text = t.canonical();
    t.close();
    MELLOW_CHECK(t.mistakes());
    return target;
}

Result<Target> read_target(const std::filesystem::path& path) {
    Target target;
    MELLOW_CHECK(load_target(path, target));
    return target;
}

Result<Target> find_target(const std::string& preset_or_file) {
    if (const auto convention = find_preset(preset_or_file)) {
        Target target;
        target.name = preset_or_file;
        target.convention = *convention;
        return target;
    }
    std::error_code error;
    if (preset_or_file.ends_with(".toml") || std::filesystem::exists(preset_or_file, error)) {
        MELLOW_TRY(Target target, read_target(preset_or_file));
        target.files.front().file = preset_or_file;  // as it was typed, for remedies
        return target;
    }
    return Finding{Code::kUsage,
                   Severity::kStop,
                   "target",
                   "\"" + preset_or_file + "\"",
                   suggest(preset_or_file, preset_names()) + ", or a target file",
                   "a preset, or the path of a file that ends in .target.toml"};
}

}  // namespace mellow
