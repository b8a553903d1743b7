#include "pack/crate_files.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "base/at.h"
#include "base/text.h"
#include "crate/clip_files.h"
#include "crate/clip_record.h"
#include "crate/file_names.h"
#include "disk/hash.h"
#include "mellow/shape.h"
#include "recipe/target_table.h"

namespace mellow {
namespace {

/// What each morph target does in a clip; `figure` has its meshes.
std::vector<PackedMorphs> packed_morphs(const Clip& clip, const Scene& figure) {
    std::vector<PackedMorphs> out;
    for (const MorphTrack& track : clip.morphs) {
        auto& list = out.emplace_back(PackedMorphs{track.mesh, track.targets, {}}).activity;
        list.resize(track.targets.size());
        const int node = find_node(figure, track.mesh);
        for (std::size_t t = 0; t < list.size(); ++t) {
            MorphActivity& a = list[t];
            for (int k = 0; k < clip.samples; ++k) {
                const auto w = static_cast<double>(track.weights[at(k) * list.size() + t]);
                a.least = k == 0 ? w : std::min(a.least, w);
                a.most = k == 0 ? w : std::max(a.most, w);
                if (a.first_sample < 0 && std::abs(w) > 1e-6) a.first_sample = k;
            }
            double reach = 0;
            for (const Primitive& part : figure.meshes[at(figure.nodes[at(node)].mesh)].primitives)
                if (t < part.targets.size())
                    for (const Float3& delta : part.targets[t].positions)
                        reach = std::max(reach, length(as_vec(delta)));
            a.vertex_mm = 1000 * reach * std::max(std::abs(a.least), std::abs(a.most));
        }
    }
    return out;
}

Status can_hold(const Target& target, const Clip& clip) {
    const bool own_meshes =
        target.layout == Layout::kOneFile || target.layout == Layout::kClipsWithSkin;
    const FormatTraits& format = traits(target.clip_format);
    const bool weights = format.loose_weights || (format.meshes && own_meshes);
    if ((weights || clip.morphs.empty()) && (format.scalars || clip.scalars.empty())) return {};
    std::vector<std::string> lost, remedies{"format = \"glb\""};
    if (!weights && !clip.morphs.empty()) {
        lost.emplace_back("morph weights");
        remedies.emplace_back("leave morph targets out: [[morphs]] with do = \"drop\"");
    }
    if (!format.scalars && !clip.scalars.empty()) {
        std::vector<std::string> names;
        for (const ScalarTrack& track : clip.scalars) names.push_back(track.name);
        lost.push_back("scalars (" + name_list(names) + ")");
        remedies.emplace_back(
            "cameras = \"leave-out\" for fields of view, no keep = true for scalars of the rig "
            "sheet");
    }
    return Finding{
        Code::kLeftOut,
        Severity::kStop,
        target.where,
        fmt::format("{} for clips with {}", name(target.clip_format), fmt::join(lost, " and ")),
        "a format that holds them: glb, gltf or csv",
        fmt::format("{}", fmt::join(remedies, "; or "))};
}

/// Counts the demands that are met and keeps the others.
void keep_demands(std::vector<Demand> demands, PackedClip& packed) {
    for (Demand& demand : demands) {
        if (demand.met)
            ++packed.demands_met;
        else
            packed.demands_unmet.push_back(std::move(demand));
    }
}

}  // namespace

Result<FileRecord> put_files(StagedFolder* folder, const WrittenScene& written, FileRole role) {
    FileRecord record;
    for (const WrittenFile& file : written.files) {
        if (folder != nullptr) MELLOW_CHECK(folder->write(file.name, file.bytes));
        FileRecord one{role, file.name, file.bytes.size(), hash_hex(file.bytes)};
        if (record.file.empty())
            record = std::move(one);
        else
            record.parts.push_back(std::move(one)), record.parts.back().part = true;
    }
    return record;
}

StoredFile unstored(const WrittenScene& written) {
    const WrittenFile& first = written.files.front();
    return {std::filesystem::path(first.name).filename().string(),
            Bytes(first.bytes.begin(), first.bytes.end()),
            [files = written.files](const std::string& name) -> Result<Bytes> {
                for (const WrittenFile& file : files)
                    if (std::filesystem::path(file.name).filename() == name)
                        return Bytes(file.bytes.begin(), file.bytes.end());
                return Finding{
                    Code::kFileMissing, Severity::kStop, Place::in(name), "no such file", "", ""};
            }};
}

Status fit_to(const Target& target, const FittedFigure& figure, Clip& clip, PackedClip& packed) {
    if (clip.loop == LoopForm::kClosed && target.loop_form == LoopForm::kOpen) open_loop(clip);
    clip = figure.fitted(std::move(clip));
    MELLOW_CHECK(can_hold(target, clip));
    packed.morphs = packed_morphs(clip, figure.scene());
    for (const ScalarTrack& track : clip.scalars)
        packed.scalars.push_back({track.name, track.unit});
    return {};
}

Result<Scene> write_clip(StagedFolder& folder, const Target& target, const PackedFigure& figure,
                         Clip clip, const std::string& name, PackedClip& packed) {
    WrittenScene written;
    if (target.layout == Layout::kClipsWithSkin) {
        MELLOW_TRY(written,
                   encode_scene(with_clips(figure.with_clips(), figure.skeleton(), {clip}, target),
                                target, target.clip_format, name));
    } else {
        MELLOW_TRY(written, encode_clip(figure.skeleton(), clip, target, name));
    }
    append(packed.shared, written.findings);
    MELLOW_TRY(packed.file, put_files(&folder, written, FileRole::kClip));
    CheckedFile read = read_checked(folder.path() / packed.file.file, packed.file.file);
    packed.clip = std::move(clip);
    const ClipInfo& told = packed.clip;
    keep_demands(check_clip(read, target, &figure.skin(), {{told.name, told}}), packed);
    return decode_clip(std::move(read), target, figure.skin(), told.name, told.samples);
}

void know_demands(const PackedClip& packed, KnownDemands& known) {
    if (packed.demands_met == 0) return;
    known.met += packed.demands_met;
    known.unmet[packed.file.file] = packed.demands_unmet;
}

namespace {

/// Which finding of a recipe's [checks] judges what a demand is about.
std::optional<Code> judged_by(const std::string& demand) {
    static const std::map<std::string, Code> kJudges{{"size", Code::kSizeSuspect},
                                                     {"height", Code::kSizeSuspect},
                                                     {"stands", Code::kAxisSuspect},
                                                     {"travels-ahead", Code::kAxisSuspect},
                                                     {"closing-sample", Code::kLoopOpen}};
    const auto found = kJudges.find(demand);
    return found == kJudges.end() ? std::nullopt : std::optional(found->second);
}

}  // namespace

void check_written(const std::filesystem::path& folder, const Target& target, KnownDemands known,
                   PackReport& report, const Checks& checks) {
    std::vector<std::pair<std::string, ListedClip>> clips;
    for (const PackedClip& packed : report.clips)
        clips.emplace_back(packed.file.file, ListedClip{packed.clip.name, packed.clip});
    CheckReport checked;
    checked.crate = true;
    const std::size_t met = known.met;
    check_listed(folder, target, report.skin.file, clips, checked, std::move(known));
    report.demands = checked.demands.size() + met;
    std::set<std::string> accepted;
    for (const Demand& d : checked.demands) {
        if (d.met) continue;
        const std::optional<Code> about = judged_by(d.id);
        const auto level = about ? checks.find(*about) : checks.end();
        const bool lets = level != checks.end() && level->second != Severity::kStop;
        if (lets) accepted.insert(d.id);
        if (!lets) ++report.unmet;
        if (!lets || level->second)
            report.findings.push_back(
                {Code::kTargetUnmet, lets ? *level->second : Severity::kStop,
                 Place::in(d.file.empty() ? "crate" : d.file).at(fmt::format("{}", d.id)), d.found,
                 d.wanted, d.remedy});
    }
    report.accepted.assign(accepted.begin(), accepted.end());
}

Status write_tables(StagedFolder& folder, const PackReport& report) {
    const Target& target = report.target;
    MELLOW_CHECK(
        folder.write_text(kManifestFile, [&](const TextSink& out) { report.encode(out); }));
    MELLOW_CHECK(
        folder.write_text(kReportFile, [&](const TextSink& out) { report_json(report, out); }));
    MELLOW_CHECK(
        folder.write_text(kReportText, [&](const TextSink& out) { report_text(report, out); }));
    MELLOW_CHECK(
        folder.write_text(kTargetFile, [&](const TextSink& out) { out(target_toml(target)); }));
    if (target.joints.list.joints.empty()) return {};
    return folder.write_text(
        kJointsFile, [&](const TextSink& out) { out(joint_list_text(target.joints.list)); });
}

Status place(StagedFolder& folder, bool good, int keep, PackReport& report) {
    if (!good) {
        MELLOW_TRY(report.folder, folder.keep_aside());
        return {};
    }
    MELLOW_TRY(StagedFolder::Placed placed, folder.commit(keep));
    report.placed = true;
    report.backup = std::move(placed.backup);
    report.removed_backups = std::move(placed.removed);
    report.unchanged = placed.unchanged;
    return {};
}

}  // namespace mellow
