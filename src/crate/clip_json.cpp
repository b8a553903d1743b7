#include "crate/clip_json.h"

#include <fmt/format.h>

#include <array>

#include "math/degrees.h"

namespace mellow {

namespace {

/// Of one clip, as many as anything here counts to.
constexpr int kMostClipSamples = 100'000'000;

}  // namespace

double tidy(double v) { return std::stod(fmt::format("{:.9g}", v)); }

namespace {

/// Nothing where nothing is said.
void write_labels(JsonWriter& json, const ClipLabels& labels) {
    if (labels.id >= 0) json.member("id", labels.id);
    if (!labels.group.empty()) json.member("group", labels.group);
    if (labels.speed != 1) json.member("speed", tidy(labels.speed));
    if (labels.backwards) json.member("play", "backwards");
    if (!labels.tags.empty())
        json.object("tags", [&] {
            for (const auto& [key, value] : labels.tags) json.member(key, value);
        });
}

ClipLabels read_labels(JsonMembers& facts) {
    ClipLabels labels;
    if (facts.has("id")) labels.id = facts.whole("id");
    if (facts.has("group")) labels.group = facts.text("group");
    if (facts.has("speed")) labels.speed = facts.number("speed");
    labels.backwards = facts.has("play") && facts.text("play") == "backwards";
    if (facts.has("tags")) labels.tags = facts.object("tags").all_texts();
    return labels;
}

template <class Pairs>
void write_pairs(JsonWriter& json, std::string_view key, const Pairs& pairs) {
    if (pairs.empty()) return;
    json.object(key, [&] {
        for (const auto& [name, value] : pairs) json.member(name, value);
    });
}

void write_cues(JsonWriter& json, const ClipInfo& clip) {
    json.list("cues", clip.cues, [&](const Cue& cue) {
        json.begin_object().member("name", cue.name).member("seconds", tidy(cue.first));
        if (cue.last > cue.first) json.member("until", tidy(cue.last));
        json.text_member("joint", cue.joint);
        write_pairs(json, "tags", cue.tags);
        write_pairs(json, "values", cue.values);
        json.end_object();
    });
}

}  // namespace

std::vector<Cue> read_cue_list(JsonMembers& facts) {
    std::vector<Cue> cues;
    for (JsonMembers& in : facts.objects("cues")) {
        Cue cue;
        cue.name = in.text("name");
        cue.first = cue.last = in.number("seconds");
        if (in.has("until")) cue.last = in.number("until");
        if (in.has("joint")) cue.joint = in.text("joint");
        if (in.has("tags")) cue.tags = in.object("tags").all_texts();
        if (in.has("values")) cue.values = in.object("values").all_numbers();
        cues.push_back(std::move(cue));
    }
    return cues;
}

void write_clip_facts(JsonWriter& json, const ClipInfo& clip, const Conversion& out) {
    json.member("samples", clip.samples).member("intervals", clip.samples - 1);
    json.member("seconds", tidy(clip.seconds())).member("rate", to_text(clip.rate));
    json.member("loop", name(clip.loop)).member("period_intervals", clip.period);
    write_labels(json, clip.labels);
    if (!clip.cues.empty()) write_cues(json, clip);
    json.object("travel", [&] {
        const Travel& t = clip.travel;
        const Vec3 step = out.point(t.step);
        json.member("ground", t.ground).member("height", t.height).member("heading", t.heading);
        if (t.channels) json.member("channels", true);
        json.member("distance_m", tidy(t.distance_m)).member("path_m", tidy(t.path_m));
        json.member("height_change_m", tidy(t.height_change_m));
        json.member("heading_change_degrees", tidy(out.angle(t.heading_change_rad) * kDegrees));
        json.member("speed_m_s", tidy(t.speed_m_s));
        if (t.start_heading_rad)
            json.member("start_heading_degrees", tidy(out.angle(*t.start_heading_rad) * kDegrees));
        json.list("step", std::array{tidy(step.x), tidy(step.y), tidy(step.z)});
        json.member("step_heading_degrees", tidy(out.angle(t.step_heading_rad) * kDegrees));
    });
}

std::string clip_extras(const ClipInfo& clip, const Conversion& out) {
    JsonWriter json;
    json.begin_object();
    write_clip_facts(json, clip, out);
    return json.end_object().take_text();
}

ClipInfo clip_from_facts(JsonMembers& facts, const Conversion& in) {
    ClipInfo clip;
    clip.samples = facts.whole("samples");
    clip.period = facts.whole("period_intervals");
    clip.rate = facts.rate("rate");
    if (clip.samples < 1 || clip.samples > kMostClipSamples)
        facts.fail("samples", fmt::format("{} of them", clip.samples));
    if (clip.period < 0 || clip.period > clip.samples)
        facts.fail("period_intervals", fmt::format("{} for {} samples", clip.period, clip.samples));
    const std::string loop = facts.text("loop");
    bool known = false;
    for (const LoopForm form : {LoopForm::kOnce, LoopForm::kClosed, LoopForm::kOpen})
        if (loop == name(form)) clip.loop = form, known = true;
    if (!known) facts.fail("loop", "\"" + loop + "\" is no form of a loop");
    clip.labels = read_labels(facts);
    clip.cues = read_cue_list(facts);
    JsonMembers travel = facts.object("travel");
    Travel& t = clip.travel;
    t.ground = travel.flag("ground");
    t.height = travel.flag("height");
    t.heading = travel.flag("heading");
    t.channels = travel.has("channels") && travel.flag("channels");
    t.distance_m = travel.number("distance_m");
    t.path_m = travel.number("path_m");
    t.height_change_m = travel.number("height_change_m");
    t.heading_change_rad = in.angle(travel.number("heading_change_degrees")) / kDegrees;
    t.speed_m_s = travel.number("speed_m_s");
    if (travel.has("start_heading_degrees"))
        t.start_heading_rad = in.angle(travel.number("start_heading_degrees")) / kDegrees;
    t.step = in.point(travel.vector("step"));
    t.step_heading_rad = in.angle(travel.number("step_heading_degrees")) / kDegrees;
    return clip;
}

}  // namespace mellow
