// The end of a crate: its picture, manifest, reports, and its place; declared in crate_output.h.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <numbers>
#include <set>

#include "base/json_writer.h"
#include "base/text.h"
#include "crate/file_names.h"
#include "crate/told_facts.h"
#include "disk/hash.h"
#include "math/degrees.h"
#include "pack/crate_files.h"
#include "pack/crate_output.h"
#include "recipe/checks.h"
#include "recipe/target_table.h"

namespace mellow {
namespace {

std::string csv_cell(const std::string& text) {
    if (text.find_first_of(",\"\n\r") == std::string::npos) return text;
    std::string out = "\"";
    for (const char c : text) out += c == '"' ? std::string("\"\"") : std::string(1, c);
    return out + "\"";
}

/// Names and what they are as a JSON object; nothing where there are none.
template <class Pairs>
std::string pairs_text(const Pairs& pairs) {
    if (pairs.empty()) return {};
    JsonWriter json;
    json.begin_object();
    for (const auto& [name, value] : pairs) json.member(name, value);
    return json.end_object().take_text();
}

}  // namespace

Status CrateOutput::draw() {
    MELLOW_TRY(const Bytes png, picture());
    MELLOW_CHECK(folder_->write(kSheetFile, png));
    report_.picture = {FileRole::kPicture, kSheetFile, png.size(), hash_hex(png)};
    if (report_.clips.size() > crate_.clips.size())
        report_.findings.push_back({Code::kLeftOut, Severity::kNote, kSheetFile,
                                    fmt::format("the first {} of {} clips are drawn",
                                                crate_.clips.size(), report_.clips.size()),
                                    "", ""});
    return {};
}

/// The contact sheet; that of the crate that stands there, where nothing on it has changed.
Result<Bytes> CrateOutput::picture() {
    if (standing_ && drawn_reused_ == crate_.clips.size() &&
        standing_->manifest().skin.hash == report_.skin.hash && same_drawn())
        if (auto have = standing_->picture()) return std::move(*have);
    for (std::size_t i = 0; i < crate_.motions.size(); ++i)
        if (crate_.motions[i].nodes.empty()) {
            MELLOW_TRY(StoredFile stored,
                       stored_file(folder_->path() / report_.clips[i].file.file));
            MELLOW_TRY(crate_.motions[i],
                       decode_clip(std::move(stored), target_, crate_.skin, crate_.clips[i].name,
                                   crate_.clips[i].samples));
        }
    MELLOW_TRY(const std::vector<std::uint8_t> png, draw_crate(crate_));
    return Bytes(png.begin(), png.end());
}

bool CrateOutput::same_drawn() const {
    const std::vector<PackedClip>& were = standing_->manifest().clips;
    if (std::min(were.size(), kMostDrawn) != crate_.clips.size()) return false;
    return std::equal(
        crate_.clips.begin(), crate_.clips.end(), were.begin(),
        [](const ClipInfo& is, const PackedClip& was) { return is.name == was.clip.name; });
}

/// Morph targets that no clip uses.
void CrateOutput::note_idle_morphs() {
    constexpr double kSeen_mm = 0.1;
    std::map<std::string, bool> active;
    std::map<std::string, double> moves_mm;
    for (const PackedClip& packed : report_.clips)
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
        report_.findings.push_back(
            {Code::kNeverMoves, Severity::kNote, "morph targets",
             "they move no vertex so far that one sees it: " + name_list(unseen), "",
             "larger targets in the source, if they are meant to show"});
    // What a drive moves, an engine may move, or another clip.
    for (const KeptDrive& drive : report_.drives) active.erase(drive.mesh + "/" + drive.target);
    const std::string& prefix = recipe_.strip_prefix;
    for (const Rule& rule : jobs_->figure().sheet().rules)
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
        report_.findings.push_back({Code::kNeverMoves, Severity::kNote, "morph targets",
                                    "used in no clip: " + name_list(idle), "",
                                    drop + "   # if no game sets them"});
}

/// Few clips that begin turned away where most begin one way: somebody forgot to turn them.
void CrateOutput::note_turned_starts() {
    constexpr double kAlike_rad = 15 / kDegrees, kTurned_rad = 40 / kDegrees, kMost = 0.75;
    const auto apart = [](double a, double b) {
        return std::abs(std::remainder(a - b, 2 * std::numbers::pi));
    };
    const std::vector<PackedClip>& clips = report_.clips;
    const auto heading = [&](const PackedClip& c) {
        return c.clip.travel.start_heading_rad.value_or(0);
    };
    const auto fitting = [&](const PackedClip& like) {
        return std::ranges::count_if(clips, [&](const PackedClip& c) {
            return apart(heading(c), heading(like)) < kAlike_rad;
        });
    };
    if (clips.size() < 3 || jobs_->figure().scene().skins.empty()) return;
    const PackedClip& usual =
        *std::ranges::max_element(clips, {}, [&](const PackedClip& c) { return fitting(c); });
    if (static_cast<double>(fitting(usual)) < kMost * static_cast<double>(clips.size())) return;
    std::set<std::string> placed;  // somebody has said which way they head
    for (const ClipJob& job : jobs_->clips())
        if (job.clip.place.any()) placed.insert(job.clip.range.name);
    for (const PackedClip& clip : clips) {
        if (apart(heading(clip), heading(usual)) < kTurned_rad || placed.contains(clip.clip.name))
            continue;
        std::vector<Edit> edits{{"", "start", "\"origin\""}};
        const std::string remedy = edit_lines(edits, "in the clip: it begins ahead");
        report_.findings.push_back(
            {Code::kTurnedStart, Severity::kWarning, clip.where,
             fmt::format("it begins headed {:+.0f} degrees, {} of {} clips begin at {:+.0f}",
                         heading(clip) * kDegrees, fitting(usual), clips.size(),
                         heading(usual) * kDegrees),
             "clips of one figure that begin one way", remedy, std::move(edits)});
    }
}

/// Mesh and pictures in every clip file: what that costs.
void CrateOutput::note_repeated_mesh() {
    const auto clips = static_cast<double>(report_.clips.size()),
               skin = static_cast<double>(report_.skin.bytes);
    double all = 0;
    for (const PackedClip& clip : report_.clips) all += static_cast<double>(clip.file.bytes);
    if (target_.layout != Layout::kClipsWithSkin || clips < 2 || all <= clips * skin) return;
    const Edit shared{"target", "layout", "\"skin-and-clips\""};
    report_.findings.push_back(
        {Code::kMeshRepeated,
         Severity::kNote,
         target_.where,
         fmt::format("each of {} clip files holds mesh and pictures: {:.0f} bytes, motion alone "
                     "would be {:.1f} times smaller",
                     clips, all, all / (all - clips * skin)),
         "",
         edit_lines({shared}, ", where the engine shares one skin"),
         {shared}});
}

/// Clips of one motion under two names; ranges that overlap are told already.
void CrateOutput::note_same_motion() {
    constexpr float kRounding = 2e-6F;                   // of numbers written with six digits
    std::map<int, std::vector<const PackedClip*>> seen;  // by how many samples they have
    for (const PackedClip& clip : report_.clips) {
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
        report_.findings.push_back(
            {Code::kSameContent, Severity::kWarning, clip.where,
             fmt::format("the same motion as \"{}\", to the rounding of its numbers",
                         (*first)->clip.name),
             "a motion once", "take one of them away, if it is no copy on purpose"});
    }
}

/// Files of the crate that gives way which somebody has changed since it was packed.
void CrateOutput::note_changed_files() {
    if (!standing_) return;
    for (const PackedClip& clip : report_.clips)
        if (!clip.reused && standing_->was_changed(clip.clip.name, clip.inputs))
            report_.findings.push_back(
                {Code::kOutputExists, Severity::kWarning,
                 Place::in((standing_->folder() / clip.file.file).generic_string()),
                 "it was changed since it was packed, and is packed again",
                 "files of a crate as they were packed", "what was changed is in the backup"});
}

Result<PackReport> CrateOutput::finish() {
    const bool drawn = !options_.share && fit_to_place();  // a part is no use for pictures
    if (recipe_.picture && drawn) MELLOW_CHECK(draw());
    if (recipe_.thumbnails && drawn) MELLOW_CHECK(draw_thumbnails());
    check_written(folder_->path(), target_, std::move(known_), report_, recipe_.checks);
    if (!options_.share) note_idle_morphs();
    if (!options_.share) note_turned_starts();
    note_same_motion();
    note_repeated_mesh();
    if (apply_checks(recipe_.checks, report_.findings)) report_.proven = all_passed_ = false;
    for (const auto& [code, level] : recipe_.checks)
        if (!level) report_.off.emplace_back(name(code));
    MELLOW_CHECK(write_tables(*folder_, report_));
    if (jobs_->has_cues() || recipe_.motion.cues)
        MELLOW_CHECK(folder_->write_text(kCuesFile, [&](const TextSink& out) {
            out("clip,name,seconds,until,sample,joint,tags,values\n");
            for (const PackedClip& packed : report_.clips)
                for (const Cue& cue : packed.clip.cues)
                    out(fmt::format("{},{},{:.9g},{:.9g},{},{},{},{}\n", packed.clip.name,
                                    csv_cell(cue.name), cue.first, cue.last,
                                    std::lround(cue.first * packed.clip.rate.per_second()),
                                    csv_cell(cue.joint), csv_cell(pairs_text(cue.tags)),
                                    csv_cell(pairs_text(cue.values))));
        }));
    MELLOW_CHECK(folder_->write_text(kRecipeFile, [&](const TextSink& out) { out(recipe_.text); }));
    // Also of another target, which takes over nothing.
    if (standing_ && !options_.share)
        report_.changes = told_changes(standing_->manifest(), report_);
    else if (options_.replace && !options_.share &&
             std::filesystem::exists(report_.folder / kManifestFile))
        if (const auto was = Manifest::open(report_.folder, Parts::kRefused))
            report_.changes = told_changes(was.value(), report_);
    note_changed_files();  // of this run alone: no report in the crate says it
    if (!options_.rehearse) MELLOW_CHECK(place(*folder_, fit_to_place(), options_.keep, report_));
    return std::move(report_);
}

}  // namespace mellow
