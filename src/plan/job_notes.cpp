// What is said of motion files and ranges before anything is baked; declared in jobs.h.
#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "base/text.h"
#include "plan/jobs.h"

namespace mellow {
namespace {

/// Stretches shorter than twice this are no gaps.
constexpr std::int64_t kFewFrames = 3;

}  // namespace

/// Renames that no name of any motion file fits, and names of clips that no clip had.
void Jobs::note_idle_renames() {
    for (std::size_t r = 0; r < clip_named_.size() && notes_.skipped.empty(); ++r) {
        if (clip_named_[r]) continue;
        std::vector<std::string> names;
        for (const ClipJob& job : clips_) names.push_back(job.clip.range.name);
        notes_.findings.push_back(
            {Code::kNoEffect, Severity::kWarning, recipe_.where.clip_names,
             fmt::format("\"{}\" is the name of no file, timeline or clip made of them",
                         recipe_.clip_names[r].first),
             suggest(recipe_.clip_names[r].first, names), "correct the name, or take it out"});
    }
    if (renamed_.empty() || !notes_.skipped.empty()) return;
    for (std::size_t r = 0; r < renamed_.size(); ++r)
        if (!renamed_[r])
            notes_.findings.push_back(
                {Code::kNoEffect, Severity::kWarning, recipe_.where.renames,
                 fmt::format("rename of \"{}\" fits nothing", recipe_.renames[r].first),
                 "a name that a motion file has", "correct the name, or take it out"});
}

/// The same bytes under two names.
void Jobs::note_same_content() {
    std::map<std::string, const File*> seen;
    for (std::size_t f = 1; f < files_.size(); ++f) {
        if (files_[f]->records.empty()) continue;
        const auto [there, fresh] = seen.emplace(files_[f]->records[0].hash, files_[f].get());
        if (!fresh && there->second->file != files_[f]->file)
            notes_.findings.push_back(
                {Code::kSameContent, Severity::kWarning, Place::in(files_[f]->file),
                 fmt::format("the same bytes as {}", there->second->file), "one file per motion",
                 "take one of them away, or narrow the pattern"});
    }
    for (const RecipeSource& source : recipe_.sources) {
        const auto moves = [&](std::size_t motion) {
            return motion > 0 && files_[motion]->source == &source;
        };
        const bool used = std::any_of(clips_.begin(), clips_.end(), [&](const ClipJob& job) {
            return moves(job.motion) ||
                   std::any_of(job.parts.begin(), job.parts.end(),
                               [&](const PartJob& part) { return moves(part.motion); });
        });
        if (!used && notes_.skipped.empty())
            notes_.findings.push_back(
                {Code::kLeftOut, Severity::kNote, source.where,
                 fmt::format("no clip is made of source \"{}\"", source.name),
                 "a [[clip]] or [[clips]] with source = \"" + source.name + "\"",
                 "nothing, if this is meant"});
    }
}

bool Jobs::has_cues() const {
    return !recipe_.cues.empty() || std::any_of(files_.begin(), files_.end(), [](const auto& file) {
        return !file->cues.empty();
    });
}

/// Cues of a file; those at joints that the figure does not have happen nowhere.
void Jobs::take_cues(File& file, const FigureMotion& motion) {
    file.cues = motion.cues;
    std::vector<std::string> unknown;
    for (SourceCue& source : file.cues) {
        std::string& joint = source.cue.joint;
        if (joint.empty() || figure_.skeleton().find(joint) >= 0) continue;
        unknown.push_back(joint);
        joint.clear();
    }
    std::sort(unknown.begin(), unknown.end());
    unknown.erase(std::unique(unknown.begin(), unknown.end()), unknown.end());
    if (!unknown.empty())
        notes_.findings.push_back(
            {Code::kMissingJoint, Severity::kWarning, Place::in(file.file),
             "cues at joints that the figure does not have: " + name_list(unknown),
             "joints of the figure", "[[cue]] in the recipe, at another joint"});
}

/// Frames before the first range of a timeline and after the last that move and are in no clip.
void Jobs::note_ends(const std::vector<MovingSpan>& moving, const RecipeClip& first,
                     std::int64_t last) {
    std::vector<std::string> lost;
    if (!moving.empty() && first.range.first - moving.front().first > 2 * kFewFrames)
        lost.push_back(fmt::format("{}..{}", moving.front().first, first.range.first - 1));
    if (!moving.empty() && moving.back().last - last > 2 * kFewFrames)
        lost.push_back(fmt::format("{}..{}", last + 1, moving.back().last));
    if (!lost.empty())
        notes_.findings.push_back({Code::kRangeGap, Severity::kNote, first.range.where,
                                   fmt::format("frames {} of its timeline move and are in no clip",
                                               fmt::join(lost, " and ")),
                                   "ranges that take all of the motion",
                                   "nothing, if this is meant"});
}

/// Frames between ranges of one timeline of the figure's file on which something moves, and which
/// no clip has.
void Jobs::note_gaps() {
    const Scene& scene = figure_.scene();
    const std::vector<TimelineStock>& stock = figure_.timelines();
    for (std::size_t t = 0; t < scene.timelines.size() && t < stock.size(); ++t) {
        std::vector<const RecipeClip*> clips;
        for (const ClipJob& job : clips_)
            if (job.is_of(0) && job.clip.arrangement.empty() && !job.clip.range.is_pose())
                if (const auto found =
                        find_timeline(scene, job.clip.timeline, recipe_.strip_prefix, "");
                    found && found.value() == static_cast<int>(t))
                    clips.push_back(&job.clip);
        std::sort(clips.begin(), clips.end(), [](const RecipeClip* a, const RecipeClip* b) {
            return a->range.first < b->range.first;
        });
        std::int64_t upto = clips.empty() ? 0 : clips.front()->range.last;
        for (const RecipeClip* clip : clips) {
            for (const MovingSpan& span : stock[t].moving) {
                const std::int64_t from = std::max(upto, span.first),
                                   to = std::min(clip->range.first, span.last);
                if (to - from >= 2 * kFewFrames)
                    notes_.findings.push_back(
                        {Code::kRangeGap, Severity::kNote, clip->range.where,
                         from + 1 == to - 1
                             ? fmt::format("frame {} before it moves and is in no clip", from + 1)
                             : fmt::format("frames {}..{} before it move and are in no clip",
                                           from + 1, to - 1),
                         "ranges that take all of the motion", "nothing, if this is meant"});
            }
            upto = std::max(upto, clip->range.last);
        }
        if (!clips.empty()) note_ends(stock[t].moving, *clips.front(), upto);
    }
}

}  // namespace mellow
