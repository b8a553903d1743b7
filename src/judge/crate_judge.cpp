#include "judge/crate_judge.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <numbers>
#include <set>

#include "base/text.h"
#include "math/degrees.h"
#include "recipe/target_table.h"

namespace mellow {
namespace {

/// Morph targets that no clip uses.
void note_idle_morphs(const Recipe& recipe, const Jobs& jobs, const Manifest& crate,
                      Findings& out) {
    constexpr double kSeen_mm = 0.1;
    std::map<std::string, bool> active;
    std::map<std::string, double> moves_mm;
    for (const PackedClip& packed : crate.clips)
        for (const PackedMorphs& morphs : packed.morphs)
            for (std::size_t t = 0; t < morphs.activity.size(); ++t) {
                const std::string name = morphs.mesh + "/" + morphs.targets[t];
                active[name] |= morphs.activity[t].first_sample >= 0;
                moves_mm[name] = std::max(moves_mm[name], morphs.activity[t].vertex_mm);
            }
    std::vector<std::string> unseen;
    for (const auto& [name, most] : moves_mm)
        if (active[name] && most < kSeen_mm)
            unseen.push_back(fmt::format("{} ({:.2g} mm)", name, most));
    if (!unseen.empty())
        out.push_back({Code::kNeverMoves, Severity::kNote, "morph targets",
                       "they move no vertex so far that one sees it: " + name_list(unseen), "",
                       "larger targets in the source, if they are meant to show"});
    // What a drive moves, an engine may move, or another clip.
    for (const KeptDrive& drive : crate.drives) active.erase(drive.mesh + "/" + drive.target);
    const std::string& prefix = recipe.strip_prefix;
    for (const Rule& rule : jobs.figure().sheet().rules)
        if (const auto* drive = std::get_if<DriveRule>(&rule.body)) {
            const bool cut = drive->node.starts_with(prefix);
            active.erase((cut ? drive->node.substr(prefix.size()) : drive->node) + "/" +
                         drive->target);
        }
    std::vector<std::string> idle;
    std::string drop;
    for (const auto& [name, used] : active) {
        if (used) continue;
        idle.push_back(name);
        drop += fmt::format("{}[[target.morphs]]\nmatch = \"{}\"\ndo = \"drop\"",
                            drop.empty() ? "" : "\n", name.substr(name.find('/') + 1));
    }
    if (!idle.empty())
        out.push_back({Code::kNeverMoves, Severity::kNote, "morph targets",
                       "used in no clip: " + name_list(idle), "",
                       drop + "   # if no game sets them"});
}

/// Few clips that begin turned away where most begin one way: somebody forgot to turn them.
void note_turned_starts(const Jobs& jobs, const Manifest& crate, Findings& out) {
    constexpr double kAlike_rad = 15 / kDegrees, kTurned_rad = 40 / kDegrees, kMost = 0.75;
    const auto apart = [](double a, double b) {
        return std::abs(std::remainder(a - b, 2 * std::numbers::pi));
    };
    const std::vector<PackedClip>& clips = crate.clips;
    const auto heading = [&](const PackedClip& c) {
        return c.clip.travel.start_heading_rad.value_or(0);
    };
    const auto fitting = [&](const PackedClip& like) {
        return std::ranges::count_if(clips, [&](const PackedClip& c) {
            return apart(heading(c), heading(like)) < kAlike_rad;
        });
    };
    if (clips.size() < 3 || jobs.figure().scene().skins.empty()) return;
    const PackedClip& usual =
        *std::ranges::max_element(clips, {}, [&](const PackedClip& c) { return fitting(c); });
    if (static_cast<double>(fitting(usual)) < kMost * static_cast<double>(clips.size())) return;
    std::set<std::string> placed;  // somebody has said which way they head
    for (const ClipJob& job : jobs.clips())
        if (job.clip.place.any()) placed.insert(job.clip.range.name);
    for (const PackedClip& clip : clips) {
        if (apart(heading(clip), heading(usual)) < kTurned_rad || placed.contains(clip.clip.name))
            continue;
        std::vector<Edit> edits{{"", "start", "\"origin\""}};
        const std::string remedy = edit_lines(edits, "in the clip: it begins ahead");
        out.push_back(
            {Code::kTurnedStart, Severity::kWarning, clip.where,
             fmt::format("it begins headed {:+.0f} degrees, {} of {} clips begin at {:+.0f}",
                         heading(clip) * kDegrees, fitting(usual), clips.size(),
                         heading(usual) * kDegrees),
             "clips of one figure that begin one way", remedy, std::move(edits)});
    }
}

/// Mesh and pictures in every clip file: what that costs.
void note_repeated_mesh(const Manifest& crate, Findings& out) {
    const auto clips = static_cast<double>(crate.clips.size()),
               skin = static_cast<double>(crate.skin.bytes);
    double all = 0;
    for (const PackedClip& clip : crate.clips) all += static_cast<double>(clip.file.bytes);
    if (crate.target.layout != Layout::kClipsWithSkin || clips < 2 || all <= clips * skin) return;
    const Edit shared{"target", "layout", "\"skin-and-clips\""};
    out.push_back(
        {Code::kMeshRepeated,
         Severity::kNote,
         crate.target.where,
         fmt::format("each of {} clip files holds mesh and pictures: {:.0f} bytes, motion alone "
                     "would be {:.1f} times smaller",
                     clips, all, all / (all - clips * skin)),
         "",
         edit_lines({shared}, ", where the engine shares one skin"),
         {shared}});
}

/// Clips of one motion under two names; ranges that overlap are told already.
void note_same_motion(const Manifest& crate, Findings& out) {
    constexpr float kRounding = 2e-6F;                   // of numbers written with six digits
    std::map<int, std::vector<const PackedClip*>> seen;  // by how many samples they have
    for (const PackedClip& clip : crate.clips) {
        if (clip.motion_print.empty() || clip.plan.samples < 2) continue;
        std::vector<const PackedClip*>& alike = seen[clip.plan.samples];
        const auto first = std::ranges::find_if(alike, [&](const PackedClip* other) {
            return std::ranges::equal(other->motion_print, clip.motion_print, [](float a, float b) {
                return std::abs(a - b) <= kRounding;
            });
        });
        if (first == alike.end()) {
            alike.push_back(&clip);
            continue;
        }
        if ((*first)->timeline == clip.timeline && (*first)->motion == clip.motion) continue;
        out.push_back({Code::kSameContent, Severity::kWarning, clip.where,
                       fmt::format("the same motion as \"{}\", to the rounding of its numbers",
                                   (*first)->clip.name),
                       "a motion once", "take one of them away, if it is no copy on purpose"});
    }
}

}  // namespace

Findings judge_crate(const Recipe& recipe, const Jobs& jobs, const Manifest& crate) {
    Findings out;
    if (!crate.share) note_idle_morphs(recipe, jobs, crate, out);
    if (!crate.share) note_turned_starts(jobs, crate, out);
    note_same_motion(crate, out);
    note_repeated_mesh(crate, out);
    return out;
}

}  // namespace mellow
