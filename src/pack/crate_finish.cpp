// The end of a crate: its picture, manifest, reports, and its place; declared in crate_output.h.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "base/text.h"
#include "crate/file_names.h"
#include "disk/hash.h"
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
    std::map<std::string, bool> active;
    for (const PackedClip& packed : report_.clips)
        for (const PackedMorphs& morphs : packed.morphs)
            for (std::size_t t = 0; t < morphs.activity.size(); ++t)
                active[morphs.mesh + "/" + morphs.targets[t]] |=
                    morphs.activity[t].first_sample >= 0;
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

Result<PackReport> CrateOutput::finish() {
    const bool drawn = !options_.share && fit_to_place();  // a part is no use for pictures
    if (recipe_.picture && drawn) MELLOW_CHECK(draw());
    if (recipe_.thumbnails && drawn) MELLOW_CHECK(draw_thumbnails());
    check_written(folder_->path(), target_, std::move(known_), report_, recipe_.checks);
    if (!options_.share) note_idle_morphs();
    if (apply_checks(recipe_.checks, report_.findings)) report_.proven = all_passed_ = false;
    for (const auto& [code, level] : recipe_.checks)
        if (!level) report_.off.emplace_back(name(code));
    MELLOW_CHECK(write_tables(*folder_, report_));
    if (jobs_->has_cues() || recipe_.motion.cues)
        MELLOW_CHECK(folder_->write_text(kCuesFile, [&](const TextSink& out) {
            out("clip,name,seconds,until,sample,joint\n");
            for (const PackedClip& packed : report_.clips)
                for (const Cue& cue : packed.clip.cues)
                    out(fmt::format("{},{},{:.9g},{:.9g},{},{}\n", packed.clip.name,
                                    csv_cell(cue.name), cue.first, cue.last,
                                    std::lround(cue.first * packed.clip.rate.per_second()),
                                    csv_cell(cue.joint)));
        }));
    MELLOW_CHECK(folder_->write_text(kRecipeFile, [&](const TextSink& out) { out(recipe_.text); }));
    if (!options_.rehearse) MELLOW_CHECK(place(*folder_, fit_to_place(), options_.keep, report_));
    return std::move(report_);
}

}  // namespace mellow
