#include "pack/crate_files.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "base/at.h"
#include "crate/hash.h"

namespace mellow {

Result<FileRecord> put_files(StagedFolder* folder, const WrittenScene& written,
                             const std::string& role) {
    FileRecord record;
    for (const WrittenFile& file : written.files) {
        if (folder != nullptr) MELLOW_CHECK(folder->write(file.name, file.bytes));
        FileRecord one{role, file.name, file.bytes.size(), hash_hex(file.bytes), {}};
        if (record.file.empty())
            record = std::move(one);
        else
            record.parts.push_back(std::move(one));
    }
    return record;
}

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
    const bool morphs = target.clip_format == FileFormat::kBvh ||
                        (target.clip_format == FileFormat::kDae && !own_meshes);
    const bool scalars =
        target.clip_format == FileFormat::kBvh || target.clip_format == FileFormat::kDae;
    if ((!morphs || clip.morphs.empty()) && (!scalars || clip.scalars.empty())) return {};
    return Finding{Code::kLeftOut,
                   Severity::kStop,
                   target.where,
                   fmt::format("{} for clips with {}", name(target.clip_format),
                               clip.scalars.empty() || !scalars ? "morph weights" : "scalars"),
                   "a format that holds them: glb, gltf or csv",
                   "format = \"glb\"; or leave morph targets out: [[morphs]] with do = \"drop\""};
}

void keep_demands(std::vector<Demand> demands, PackedClip& packed) {
    for (Demand& demand : demands) {
        if (demand.met)
            ++packed.demands_met;
        else
            packed.demands_unmet.push_back(std::move(demand));
    }
}

void check_written(const std::filesystem::path& folder, const Target& target, KnownDemands known,
                   PackReport& report, std::optional<Severity> of_figure) {
    std::vector<std::pair<std::string, ListedClip>> clips;
    for (const PackedClip& packed : report.clips)
        clips.emplace_back(packed.file.file, ListedClip{packed.clip.name, packed.clip});
    CheckReport checked;
    checked.crate = true;
    const std::size_t met = known.met;
    check_listed(folder, target, report.skin.file, clips, checked, std::move(known));
    report.demands = checked.demands.size() + met;
    const std::set<std::string> figures{"size",           "stands", "height",
                                        "closing-sample", "moves",  "travels-ahead"};
    report.unmet = static_cast<std::size_t>(std::count_if(
        checked.demands.begin(), checked.demands.end(), [](const Demand& d) { return !d.met; }));
    for (const Demand& d : checked.demands)
        if (const bool figure = figures.contains(d.id); !d.met && (!figure || of_figure))
            report.findings.push_back(
                {Code::kTargetUnmet, figure ? *of_figure : Severity::kStop,
                 fmt::format("{}, {}", d.file.empty() ? "crate" : d.file, d.id), d.found, d.wanted,
                 d.remedy});
}

}  // namespace mellow
