#include "figure/source_cues.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "crate/clip_json.h"

namespace mellow {

std::vector<SourceCue> source_cues(const Scene& scene, const std::string& file,
                                   Findings& findings) {
    std::vector<SourceCue> out;
    for (const Timeline& timeline : scene.timelines) {
        if (timeline.extras.find("\"cues\"") == RawJson::npos) continue;
        JsonMembers facts(Bytes(timeline.extras.begin(), timeline.extras.end()));
        if (facts.failed() || !facts.has("cues")) continue;
        double start = 0;
        if (facts.has("samples") && facts.has("rate")) {
            const int samples = facts.whole("samples");
            const FrameRate rate = facts.rate("rate");
            // A sample at rest, or none at 0, may stand in front of the clip.
            if (!facts.failed()) start = key_span(timeline)[1] - rate.seconds(samples - 1);
        }
        std::vector<Cue> cues = read_cue_list(facts);
        if (facts.failed()) {
            findings.push_back({Code::kLeftOut, Severity::kWarning,
                                Place::in(file).at(fmt::format("timeline \"{}\"", timeline.name)),
                                "cues of its extras: " + facts.error(),
                                "a list of objects with name and seconds",
                                "nothing, if they are not cues; [[cue]] says them in the recipe"});
            continue;
        }
        for (Cue& cue : cues) {
            cue.first += start, cue.last += start;
            out.push_back({std::move(cue), timeline.name});
        }
    }
    return out;
}

void take_facts(const Scene& scene, const Timeline& timeline, RecipeClip& clip,
                std::int64_t& first) {
    if (timeline.extras.find("\"period_intervals\"") == RawJson::npos) return;
    JsonMembers facts(Bytes(timeline.extras.begin(), timeline.extras.end()));
    const ClipInfo packed = clip_from_facts(facts, {});
    if (facts.failed()) return;  // of somebody else
    const double begin = key_span(timeline)[1] - packed.rate.seconds(packed.samples - 1);
    first = std::llround(begin * scene.rate.per_second());
    if (!clip.says.speed) clip.labels.speed = packed.labels.speed;
    if (!clip.says.play) clip.labels.backwards = packed.labels.backwards;
    for (const auto& [key, value] : packed.labels.tags) {
        const bool said = std::any_of(clip.labels.tags.begin(), clip.labels.tags.end(),
                                      [&, key = key](const auto& tag) { return tag.first == key; });
        if (!said) clip.labels.tags.emplace_back(key, value);
    }
    if (!clip.says.travel && !packed.travel.channels) {
        clip.travel.ground = packed.travel.ground;
        clip.travel.height = packed.travel.height;
        clip.travel.heading = packed.travel.heading;
    }
    if (clip.says.loop || packed.loop == LoopForm::kOnce || clip.shaping.any()) return;
    clip.range.play = Play::kLoop;
    clip.stored_open = packed.loop == LoopForm::kOpen;
}

}  // namespace mellow
