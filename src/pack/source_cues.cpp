#include "pack/source_cues.h"

#include <fmt/format.h>

#include "pack/clip_json.h"

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
                                fmt::format("{}, timeline \"{}\"", file, timeline.name),
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

}  // namespace mellow
