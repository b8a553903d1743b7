#include "plan/inputs.h"

#include <fmt/format.h>

#include <algorithm>

#include "disk/hash.h"
#include "plan/clip_cues.h"

namespace mellow {
std::string clip_inputs(const Recipe& recipe, const Target& target, const Jobs& jobs,
                        const ClipJob& job, const Manifest& made) {
    const RecipeClip& clip = job.clip;
    std::string text = fmt::format("arithmetic {}\n{}\n{}\n{}\n", kArithmetic, recipe.common,
                                   target.text, made.skin.hash);
    for (const FileRecord& source : made.sources)
        if (source.role != FileRole::kRecipe && source.role != FileRole::kMotion)
            text += source.role_text() + " " + source.hash + "\n";
    if (job.motion > 0) {
        for (const FileRecord& record : jobs.records(job.motion))
            text += record.file + " " + record.hash + "\n";
        for (const RecipeSource& source : recipe.sources)
            if (source.name == jobs.source_name(job.motion)) text += source.text + "\n";
        for (const auto& [from, to] : recipe.renames) text += from + " is " + to + "\n";
    }
    text += fmt::format("{}: {}..{} {} {} travel {} {} {} of {}\n", clip.range.name,
                        clip.range.first, clip.range.last, clip.range.loops(), clip.range.is_pose(),
                        clip.travel.ground, clip.travel.height, clip.travel.heading, job.moved_by);
    const TravelParts& travel = clip.travel;
    text += fmt::format("from {} {} smooth {} channels {}\n", static_cast<int>(travel.heading_from),
                        static_cast<int>(travel.height_from), travel.smooth_s, travel.channels);
    if (clip.shaped()) text += clip.text + "\n";
    for (const PartJob& part : job.parts) {
        if (part.clip)
            text += clip_inputs(recipe, target, jobs, jobs.clips()[*part.clip], made) + "\n";
        for (const FileRecord& record : jobs.records(part.motion))
            text += record.file + " " + record.hash + "\n";
        for (const RecipeSource& source : recipe.sources)
            if (part.motion > 0 && source.name == jobs.source_name(part.motion))
                text += source.text + "\n";
    }
    for (const Cue& cue : cues_of(recipe, jobs, job, 1e9)) {
        text += fmt::format("cue {} {:.9g} {:.9g} {}\n", cue.name, cue.first, cue.last, cue.joint);
        for (const auto& [key, value] : cue.tags) text += key + " = " + value + "\n";
        for (const auto& [key, value] : cue.values) text += fmt::format("{} = {}\n", key, value);
    }
    const ClipLabels& labels = clip.labels;
    text += fmt::format("{} {} {} {}\n", labels.id, labels.group, labels.speed, labels.backwards);
    for (const auto& [key, value] : labels.tags) text += key + " = " + value + "\n";
    for (const RecipeArrangement& arrangement : recipe.arrangements)
        if (arrangement.arrangement.name == clip.arrangement) text += arrangement.text + "\n";
    for (const RecipeLayer& layer : recipe.layers)
        if (layer.clips.empty() ||
            std::find(layer.clips.begin(), layer.clips.end(), clip.range.name) != layer.clips.end())
            text += layer.layer.where.text() + layer.text + "\n";
    return hash_of(text);
}

}  // namespace mellow
