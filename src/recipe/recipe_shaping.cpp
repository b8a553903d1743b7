#include "recipe/recipe_shaping.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "rig/sheet_words.h"

namespace mellow {
namespace {

void read_keep(TomlTable& t, RecipeAlign& align) {
    align.joint = t.text("align", "");
    if (!t.has("carry")) return;
    align.ground = align.heading = align.height = false;
    for (const std::string& part : t.texts("carry", {}))
        if (part == "ground")
            align.ground = true;
        else if (part == "heading")
            align.heading = true;
        else if (part == "height")
            align.height = true;
        else
            t.fail(Code::kValueBad, "carry", "\"" + part + "\"", "any of: ground, heading, height");
}

/// Seconds of the motion over seconds, as rows of two numbers.
ValueCurve read_time(TomlTable& t) {
    ValueCurve curve;
    const std::vector<double> rows = t.numbers("time", 2);
    for (std::size_t i = 0; i + 1 < rows.size(); i += 2)
        curve.points.push_back({rows[i], rows[i + 1], 0});
    curve.shape = t.choice("time_shape", {"linear", "smooth"}, "linear") == "smooth"
                      ? CurveShape::kSmooth
                      : CurveShape::kLinear;
    const auto& p = curve.points;
    const bool rises = std::adjacent_find(p.begin(), p.end(), [](const auto& a, const auto& b) {
                           return !(a.at < b.at);
                       }) == p.end();
    const bool inside =
        std::all_of(p.begin(), p.end(), [](const CurvePoint& c) { return c.value >= 0; });
    if (t.has("time") && !t.failed({"time"}) &&
        (p.size() < 2 || p.front().at != 0 || !rises || !inside))
        t.fail(Code::kValueBad, "time", fmt::format("{} points", p.size()),
               "two or more rows [seconds of the clip, seconds of its motion], from 0 on, each "
               "later than the one before",
               "time = [[0, 0], [1, 2]]   # twice as fast");
    return curve;
}

void read_shaping_keys(TomlTable& t, RecipeShaping& s) {
    t.knows(
        {"stretch", "seconds", "wait", "hold", "time", "time_shape", "repeat", "repeat_seconds"});
    s.reverse = t.flag("reverse", false);
    s.mirror = t.flag("mirror", false);
    s.stretch = read_within(t, "stretch", 1, 0.001, 1000);
    if (t.has("seconds")) s.seconds = read_within(t, "seconds", {}, 0.001, 1e6);
    s.wait = read_within(t, "wait", 0, 0, 1e6);
    s.hold = read_within(t, "hold", 0, 0, 1e6);
    if (t.has("time") || t.has("time_shape")) s.time = read_time(t);
    const double repeat = read_within(t, "repeat", 1, 1, 10'000);
    s.repeat = static_cast<int>(repeat);
    if (repeat != std::floor(repeat))
        t.fail(Code::kValueBad, "repeat", fmt::format("{}", repeat), "a whole number of times");
    s.repeat_seconds = read_within(t, "repeat_seconds", 0, 0, 1e6);
    const auto one_of = [&](std::string_view a, std::string_view b) {
        if (t.has(a) && t.has(b))
            t.fail(Code::kValueBad, b, fmt::format("{} beside {}", b, a), "one of them");
    };
    one_of("stretch", "seconds");
    one_of("repeat", "repeat_seconds");
    for (const char* other : {"reverse", "stretch", "seconds", "wait", "hold"})
        one_of("time", other);
}

/// A length under one of two keys.
RecipeSpan read_span(TomlTable& t, const char* frames, const char* seconds, double least) {
    RecipeSpan span;
    span.frames = t.has(frames) ? read_within(t, frames, {}, least, 1e9) : 0;
    if (t.has(seconds)) span.seconds = read_within(t, seconds, {}, 0, 1e6);
    t.knows({frames, seconds});
    if (t.has(frames) && t.has(seconds))
        t.fail(Code::kValueBad, seconds, fmt::format("{} beside {}", seconds, frames),
               "one of them");
    return span;
}

void read_loop(TomlTable& t, RecipeClip& clip) {
    t.knows({"loop", "stored"});
    clip.repair_mm = read_within(t, "repair_mm", clip.repair_mm, 0, 1e6);
    clip.repair_degrees = read_within(t, "repair_degrees", clip.repair_degrees, 0, 180);
    std::string loop = "no";
    if (t.is_text("loop"))
        loop = t.choice("loop", {"find", "repair", "find and repair"});
    else if (t.flag("loop", false))
        loop = "yes";
    if (loop != "no" && !clip.range.is_pose()) clip.range.play = Play::kLoop;
    clip.find_loop = loop.starts_with("find");
    if (loop.ends_with("repair")) clip.repair = RecipeSpan{};
    clip.stored_open = t.choice("stored", {"closed", "open"}, "closed") == "open";
    clip.shortest = read_span(t, "loop_shortest", "loop_shortest_seconds", 1);
    for (const char* key : {"loop_shortest", "loop_shortest_seconds"})
        if (!clip.find_loop)
            t.idle(key, "no loop is looked for", "loop = \"find\", or take it out");
    const RecipeSpan over = read_span(t, "repair_frames", "repair_seconds", 0);
    if (clip.repair) clip.repair = over;
    for (const char* key : {"repair_frames", "repair_seconds", "repair_mm", "repair_degrees"})
        if (t.has(key) && !clip.repair)
            t.fail(Code::kValueBad, key, std::string(key) + ", and no gap to close",
                   "loop = \"repair\" beside it", "loop = \"repair\"");
}

void read_place(TomlTable& t, RecipeClip& clip) {
    t.knows({"start", "place"});
    if (t.has("start")) clip.place.at_origin = t.choice("start", {"origin", "source"}) == "origin";
    if (!t.has("place")) return;
    const toml::table* table = t.table("place");
    if (table == nullptr) return;
    TomlTable place = t.inner(*table, "place");
    clip.place.ahead = read_within(place, "ahead", 0, -1e6, 1e6);
    clip.place.left = read_within(place, "left", 0, -1e6, 1e6);
    clip.place.up = read_within(place, "up", 0, -1e6, 1e6);
    clip.place.heading = read_within(place, "heading", 0, -360, 360);
    place.close();
}

RecipeOver read_over(TomlTable& t) {
    RecipeOver over;
    over.added = t.choice("as", {"added", "in-place"}, "added") == "added";
    over.from_rest = t.choice("counted_from", {"first", "rest"}, "first") == "rest";
    over.again = t.flag("again", false);
    over.at = read_within(t, "at", 0, 0, 1e6);
    over.joints = t.texts("joints", {});
    over.below = t.texts("below", {});
    over.weight = read_within(t, "weight", 1, -10, 10);
    if (t.has("weights")) over.weights = read_curve(t, "weights", "seconds");
    return over;
}

RecipePart read_part(TomlTable& t, bool over) {
    RecipePart part;
    if (over) part.over = read_over(t);
    part.where = t.where("");
    part.range.where = part.where;
    part.clip = t.text("clip", "");
    part.range.name = t.text("name", part.clip);
    if (part.clip.empty())
        read_range(t, part.range);
    else if (t.has("range"))
        t.fail(Code::kValueBad, "range", "a range beside a clip", "one of them");
    part.timeline = t.text("timeline", "");
    part.arrangement = t.text("arrangement", "");
    part.source = t.text("source", "");
    if (!part.timeline.empty() && !part.arrangement.empty())
        t.fail(Code::kValueBad, "arrangement", "an arrangement and a timeline", "one of them");
    read_shaping_keys(t, part.shaping);
    if (!over) part.overlap = read_span(t, "overlap", "overlap_seconds", 0);
    if (!over)
        part.blend = t.choice("blend_shape", {"smooth", "linear"}, "smooth") == "linear"
                         ? CurveShape::kLinear
                         : CurveShape::kSmooth;
    read_keep(t, part.align);
    t.knows({"range", "clip"});
    t.close();
    return part;
}

}  // namespace

bool read_range(TomlTable& t, Range& range) {
    const std::vector<double> frames = t.numbers("range");
    const bool whole = std::all_of(frames.begin(), frames.end(), [](double v) {
        return v == std::floor(v) && std::abs(v) < 1e9;
    });
    if (frames.size() == 2 && whole) {
        range.first = static_cast<std::int64_t>(frames[0]);
        range.last = static_cast<std::int64_t>(frames[1]);
        range.where = t.where("range");
        return true;
    }
    t.fail(Code::kValueBad, "range", fmt::format("[{}]", fmt::join(frames, ", ")),
           "two whole frame numbers, [first, last], both inclusive");
    return false;
}

void read_shaping(TomlTable& t, RecipeClip& clip) {
    read_loop(t, clip);
    read_shaping_keys(t, clip.shaping);
    const bool plain = clip.range.loops() && !clip.find_loop && !clip.repair && !t.has("part") &&
                       !clip.shaping.any();
    if (clip.stored_open && !plain)
        t.fail(Code::kValueBad, "stored", "\"open\", and no plain loop",
               "loop = true, a range, and nothing that shapes it",
               "give it a clip of its own; another clip may have that one as its part");
    read_keep(t, clip.align);
    if (!t.has("part") && clip.shaping.repeat == 1 && clip.shaping.repeat_seconds == 0)
        for (const char* key : {"align", "carry"})
            t.idle(key, "the clip has no parts and no repeats", "take it out");
    clip.fit = t.flag("fit", false);
    read_place(t, clip);
    if (clip.range.is_pose() && clip.shaped())
        t.fail(Code::kValueBad, "pose", "a single pose that is shaped",
               "a pose, or a range with its shaping");
}

void read_parts(TomlTable& t, RecipeClip& clip) {
    const auto tables = t.tables("part"), above = t.tables("over");
    for (std::size_t i = 0; i < tables.size() + above.size(); ++i) {
        const bool over = i >= tables.size();
        TomlTable part =
            over ? t.inner(*above[i - tables.size()], fmt::format("over {}", i - tables.size() + 1))
                 : t.inner(*tables[i], fmt::format("part {}", i + 1));
        clip.parts.push_back(read_part(part, over));
        RecipePart& read = clip.parts.back();
        if (read.range.name.empty())
            read.range.name = fmt::format("{}..{}", read.range.first, read.range.last);
        if (i == 0 && !over) {
            for (const char* key : {"overlap", "overlap_seconds"})
                part.idle(key, "nothing comes before the first part", "take it out");
            for (const char* key : {"align", "carry"})
                if (read.shaping.repeat == 1 && read.shaping.repeat_seconds == 0)
                    part.idle(key, "nothing comes before the first part", "take it out");
        }
        if (!over && !read.overlap.any())
            part.idle("blend_shape", "parts do not overlap", "overlap = 4   # frames, beside it");
        if (!part.has("carry")) {
            const std::string joint = read.align.joint;
            read.align = clip.align;
            read.align.joint = joint;
        }
        if (read.align.joint.empty()) read.align.joint = clip.align.joint;
    }
    if (tables.empty() && !above.empty())
        t.fail(Code::kKeyMissing, "over", "nothing that it lies over", "[[clip.part]] before it",
               "[[clip.part]] with the range or the clip below");
    if (tables.empty()) return;
    for (const char* key : {"range", "pose", "timeline", "arrangement", "source"})
        if (t.has(key))
            t.fail(Code::kValueBad, key, fmt::format("{} beside parts", key),
                   "each part has its own");
    if (clip.find_loop)
        t.fail(Code::kValueBad, "loop", "\"find\" in a clip of parts", "a clip with a range");
}

}  // namespace mellow
