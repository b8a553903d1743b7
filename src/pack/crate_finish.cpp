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
#include "judge/crate_judge.h"
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

/// Files of the crate that gives way which somebody has changed since it was packed.
Findings notes_on_changed_files(const StandingCrate& standing, const PackReport& report) {
    Findings out;
    for (const PackedClip& clip : report.clips)
        if (!clip.reused && standing.was_changed(clip.clip.name, clip.inputs))
            out.push_back({Code::kOutputExists, Severity::kWarning,
                           Place::in((standing.folder() / clip.file.file).generic_string()),
                           "it was changed since it was packed, and is packed again",
                           "files of a crate as they were packed",
                           "what was changed is in the backup"});
    return out;
}

}  // namespace

Status CrateOutput::draw() {
    MELLOW_TRY(const Bytes png, picture());
    MELLOW_CHECK(folder()->write(kSheetFile, png));
    report_.picture = {FileRole::kPicture, kSheetFile, png.size(), hash_hex(png)};
    if (report_.clips.size() > drawn_.clips.size())
        report_.findings.push_back({Code::kLeftOut, Severity::kNote, kSheetFile,
                                    fmt::format("the first {} of {} clips are drawn",
                                                drawn_.clips.size(), report_.clips.size()),
                                    "", ""});
    return {};
}

/// The contact sheet; that of the crate that stands there, where nothing on it has changed.
Result<Bytes> CrateOutput::picture() {
    const StandingCrate* standing = place_.standing();
    if (standing != nullptr && drawn_reused_ == drawn_.clips.size() &&
        standing->manifest().skin.hash == report_.skin.hash && same_drawn(standing->manifest()))
        if (auto have = standing->picture()) return std::move(*have);
    for (std::size_t i = 0; i < drawn_.motions.size(); ++i)
        if (drawn_.motions[i].nodes.empty()) {
            MELLOW_TRY(drawn_.motions[i], motion_of(report_.clips[i]));
        }
    drawn_.skin = figure_->skin();
    MELLOW_TRY(const std::vector<std::uint8_t> png, draw_crate(drawn_));
    return Bytes(png.begin(), png.end());
}

bool CrateOutput::same_drawn(const Manifest& standing) const {
    const std::vector<PackedClip>& were = standing.clips;
    if (std::min(were.size(), kMostDrawn) != drawn_.clips.size()) return false;
    return std::equal(
        drawn_.clips.begin(), drawn_.clips.end(), were.begin(),
        [](const ClipInfo& is, const PackedClip& was) { return is.name == was.clip.name; });
}

Result<PackReport> CrateOutput::finish() {
    const bool drawn = !options_.share && fit_to_place();  // a part is no use for pictures
    if (recipe_.picture && drawn) MELLOW_CHECK(draw());
    if (recipe_.thumbnails && drawn) MELLOW_CHECK(draw_thumbnails());
    check_written(folder()->path(), target_, std::move(known_), report_, recipe_.checks);
    append(report_.findings, judge_crate(recipe_, jobs_, report_));
    if (apply_checks(recipe_.checks, report_.findings)) report_.proven = all_passed_ = false;
    for (const auto& [code, level] : recipe_.checks)
        if (!level) report_.off.emplace_back(name(code));
    MELLOW_CHECK(write_tables(*folder(), report_));
    if (jobs_.has_cues() || recipe_.motion.cues)
        MELLOW_CHECK(folder()->write_text(kCuesFile, [&](const TextSink& out) {
            out("clip,name,seconds,until,sample,joint,tags,values\n");
            for (const PackedClip& packed : report_.clips)
                for (const Cue& cue : packed.clip.cues)
                    out(fmt::format("{},{},{:.9g},{:.9g},{},{},{},{}\n", packed.clip.name,
                                    csv_cell(cue.name), cue.first, cue.last,
                                    std::lround(cue.first * packed.clip.rate.per_second()),
                                    csv_cell(cue.joint), csv_cell(pairs_text(cue.tags)),
                                    csv_cell(pairs_text(cue.values))));
        }));
    MELLOW_CHECK(
        folder()->write_text(kRecipeFile, [&](const TextSink& out) { out(recipe_.text); }));
    // Also of another target, which takes over nothing.
    if (place_.standing() != nullptr && !options_.share)
        report_.changes = told_changes(place_.standing()->manifest(), report_);
    else if (options_.replace && !options_.share &&
             std::filesystem::exists(report_.folder / kManifestFile))
        if (const auto was = Manifest::open(report_.folder, Parts::kRefused))
            report_.changes = told_changes(was.value(), report_);
    if (const StandingCrate* standing = place_.standing())  // of this run: no report says it
        append(report_.findings, notes_on_changed_files(*standing, report_));
    if (!options_.rehearse)
        MELLOW_CHECK(mellow::place(*folder(), fit_to_place(), options_.keep, report_));
    return std::move(report_);
}

}  // namespace mellow
