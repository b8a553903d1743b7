#include "recipe/recipe_clips.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>
#include <string>
#include <vector>

#include "base/text.h"
#include "recipe/clip_names.h"
#include "recipe/recipe_shaping.h"
#include "rig/sheet_words.h"

namespace mellow {

bool NamePatterns::takes(std::string_view name) const { return takes(name, name); }

bool NamePatterns::takes(std::string_view name, std::string_view other) const {
    return (fits_any(match, name) || fits_any(match, other)) && !fits_any(except, name) &&
           !fits_any(except, other);
}

std::string NamePatterns::text() const {
    const auto list = [](const std::vector<std::string>& patterns) {
        return fmt::format("\"{}\"", fmt::join(patterns, "\", \""));
    };
    return list(match) + (except.empty() ? "" : " except " + list(except));
}
namespace {

/// Names that some systems keep for devices.
bool reserved(std::string name) {
    if (name.ends_with('.')) return true;
    name = name.substr(0, name.find('.'));
    for (char& c : name) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    const bool numbered = name.size() == 4 &&
                          (name.starts_with("com") || name.starts_with("lpt")) && name[3] >= '1' &&
                          name[3] <= '9';
    return numbered || name == "con" || name == "prn" || name == "aux" || name == "nul";
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
    clip.says = {t.has("loop"), t.has("speed"), t.has("play"), t.has("travel")};
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
    clip.travel.channels =
        t.choice("travel_as", {"root", "channels"}, "root") == "channels" && clip.travel.any();
    if (!clip.travel.any())
        t.idle("travel_as", "nothing travels", "travel = [\"ground\"]   # beside it");
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

void note_thumbnail(TomlTable& t, const Recipe& recipe) {
    if (!recipe.thumbnails)
        t.idle("thumbnail", "no thumbnails are drawn",
               "thumbnails = { size = \"160x160\" }   # under [output]");
}

/// `match` and `except`: a pattern, or a list of them.
NamePatterns read_patterns(TomlTable& t) {
    NamePatterns out;
    const auto read = [&](const char* key, std::vector<std::string>& patterns) {
        if (t.is_text(key))
            patterns = {t.text(key)};
        else
            patterns = t.texts(key, patterns);
        if (t.has(key) && patterns.empty())
            t.fail(Code::kValueBad, key, "no pattern", "one or more", "take it out");
    };
    read("match", out.match);
    read("except", out.except);
    return out;
}

void read_many(TomlTable& top, Recipe& recipe) {
    const auto tables = top.tables("clips");
    for (std::size_t i = 0; i < tables.size(); ++i) {
        TomlTable t = top.within(*tables[i], fmt::format("clips {}", i + 1));
        RecipeMany many;
        many.like.range.where = t.where("");
        many.source = t.text("source");
        many.name = t.text("name", many.name);
        many.names = read_patterns(t);
        const NameFields fields = clip_fields("x", "x", "x", "x", 1);
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
        note_thumbnail(t, recipe);
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
    clip.arrangement = t.text("arrangement", "");
    clip.source = t.text("source", "");
    if (!clip.timeline.empty() && !clip.arrangement.empty())
        t.fail(Code::kValueBad, "arrangement", "an arrangement and a timeline", "one of them");
    t.knows({"pose", "range", "part"});
    if (clip.shaped()) clip.text = t.canonical();
    t.close();
    return clip;
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

}  // namespace

void check_name(TomlTable& t, const std::string& name) {
    if (!t.failed({"name"}) && reserved(name))
        return t.fail(Code::kValueBad, "name", "\"" + name + "\"",
                      "a name that every system can give a file", "another name");
    if (!t.failed({"name"}) && !sound_name(name))
        t.fail(Code::kValueBad, "name", "\"" + name + "\"",
               "letters, digits, _, - and . only: it becomes a file name");
}

void read_clips(TomlTable& top, Recipe& recipe) {
    const auto tables = top.tables("clip");
    std::set<std::string> names;
    for (std::size_t i = 0; i < tables.size(); ++i) {
        const auto named = (*tables[i])["name"].value<std::string>();
        TomlTable t = top.within(
            *tables[i], named ? fmt::format("clip \"{}\"", *named) : fmt::format("clip {}", i + 1));
        RecipeClip clip = read_clip(t);
        note_thumbnail(t, recipe);
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
        wanted.names = read_patterns(t);
        read_motion(t, wanted.like);
        note_thumbnail(t, recipe);
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

void check_clip_names(TomlTable& top, const Recipe& recipe) {
    std::vector<std::string> clips, arrangements;
    for (const RecipeClip& clip : recipe.clips) clips.push_back(clip.range.name);
    for (const RecipeArrangement& arrangement : recipe.arrangements)
        arrangements.push_back(arrangement.arrangement.name);
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
                           const std::vector<std::string>& names, const Place& where) {
        if (name.empty() || std::find(names.begin(), names.end(), name) != names.end()) return;
        top.fail({Code::kNameUnknown, Severity::kStop, where,
                  fmt::format("no {} \"{}\"", kind, name),
                  names.empty() ? fmt::format("a [[{}]] of that name", kind) : suggest(name, names),
                  "correct the name"});
    };
    for (const RecipeClip& clip : recipe.clips)
        for (const RecipePart& part : clip.parts) {
            known("source", part.source, sources, part.where);
            known("arrangement", part.arrangement, arrangements, part.where);
        }
    for (const RecipeCue& cue : recipe.cues) {
        known("source", cue.source, sources, cue.where);
        known("arrangement", cue.arrangement, arrangements, cue.where);
    }
    const auto many_tables = top.tables("clips");
    for (std::size_t i = 0; i < recipe.many.size(); ++i)
        if (!recipe.many[i].source.empty())
            check_known(top.within(*many_tables[i], fmt::format("clips {}", i + 1)), "source",
                        "source", recipe.many[i].source, sources);
    for (std::size_t i = 0; i < recipe.clips.size(); ++i)
        if (const RecipeClip& clip = recipe.clips[i]; !clip.arrangement.empty())
            check_known(top.within(*clip_tables[i], fmt::format("clip \"{}\"", clip.range.name)),
                        "arrangement", "arrangement", clip.arrangement, arrangements);
}

}  // namespace mellow
