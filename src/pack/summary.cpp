// The report in short: a table, findings in groups, a verdict.
#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "base/text.h"
#include "mellow/pack.h"

namespace mellow {
namespace {

std::string figure(const Deviation& d) {
    return d.count == 0 ? "-" : fmt::format("{:.2g}", d.worst);
}

/// The worse of two figures in millimetres.
const Deviation& worse(const Deviation& a, const Deviation& b) { return b.worst > a.worst ? b : a; }

std::string travel_figure(const Travel& t) {
    if (t.ground) return fmt::format("{:.2f} m", t.distance_m);
    if (t.height) return fmt::format("{:+.2f} m up", t.height_change_m);
    return t.heading ? "heading" : "-";
}

std::string clip_line(const PackedClip& packed, std::size_t width) {
    const ClipInfo& c = packed.clip;
    return fmt::format("{:{}}  {:>7}  {:>8.3f}  {:6}  {:>10}  {:>8}  {:>8}  {}\n", c.name, width,
                       c.samples, c.seconds(), name(c.loop), travel_figure(c.travel),
                       figure(worse(packed.proof.position_mm, packed.proof.vertex_mm)),
                       figure(packed.proof.rotation_degrees), packed.passed ? "passed" : "FAILED");
}

std::string group_text(const std::vector<const Finding*>& group) {
    const std::string first = to_text(*group.front());
    if (group.size() == 1) return first + "\n";
    const auto line = first.find('\n');
    std::vector<std::string> same;
    std::string others;
    for (std::size_t i = 1; i < group.size(); ++i) {
        const Place& at = group[i]->where;
        const bool beside = at.file == group.front()->where.file && !at.path.empty();
        const std::string place = beside ? at.path : at.text();
        if (group[i]->found == group.front()->found)
            same.push_back(place);
        else
            others += fmt::format("  also:     {}: {}\n", place, group[i]->found);
    }
    if (!same.empty()) others = fmt::format("  also:     {}\n", name_list(same)) + others;
    const auto bracket = first.find("] ") + 2;
    return fmt::format("{}{} times, first {}{}\n{}", first.substr(0, bracket), group.size(),
                       first.substr(bracket, line - bracket),
                       line == std::string::npos ? "" : first.substr(line), others);
}

/// What the proof looked at and what it did not, and the checks that the recipe turned off.
std::string checked(const PackReport& report) {
    bool vertices = false, weights = false, scalars = false;
    for (const PackedClip& clip : report.clips) {
        vertices = vertices || clip.proof.vertex_mm.count > 0;
        weights = weights || clip.proof.weight.count > 0;
        scalars = scalars || clip.proof.scalar.count > 0;
    }
    std::string text = "joints";
    if (vertices) text += ", vertices, winding";
    if (weights) text += ", morph weights";
    if (scalars) text += ", scalars";
    text += "; not: normals, materials, pictures";
    if (report.demands > 0)
        text += fmt::format("; demands of the target met: {} of {}", report.demands - report.unmet,
                            report.demands);
    if (!report.off.empty()) text += fmt::format("; off: {}", fmt::join(report.off, ", "));
    return text;
}

std::string verdict(const PackReport& report) {
    Deviation mm, degrees;
    std::vector<std::string> failed;
    for (const PackedClip& clip : report.clips) {
        mm = worse(mm, worse(clip.proof.position_mm, clip.proof.vertex_mm));
        degrees = worse(degrees, clip.proof.rotation_degrees);
        if (!clip.passed) failed.push_back(clip.clip.name);
    }
    const std::string measured = fmt::format(
        "worst {:.2g} mm and {:.2g} degrees against {}, of {} mm and {} degrees allowed", mm.worst,
        degrees.worst, report.of_takes ? "what was baked" : "the rig", report.tolerance.mm,
        report.tolerance.degrees);
    const std::string looked = "checked: " + checked(report) + "\n";
    if (report.proven)
        return looked + fmt::format("PASSED: {} {}, {}: {}\n", report.clips.size(),
                                    report.clips.size() == 1 ? "clip" : "clips", measured,
                                    report.folder.string());
    if (report.placed)
        return looked + fmt::format("INCOMPLETE: {} clips, {}; {} left out: {}\n",
                                    report.clips.size(), measured, report.skipped.size(),
                                    report.folder.string());
    const std::string what = failed.empty() ? std::string("not the clips")
                                            : fmt::format("{} of {} clips ({})", failed.size(),
                                                          report.clips.size(), name_list(failed));
    return looked + fmt::format("FAILED: {}, {}: kept aside in {}\n", what, measured,
                                report.folder.string());
}

}  // namespace

std::string grouped_text(const Findings& findings) {
    std::string text;
    for (const Severity severity : {Severity::kStop, Severity::kWarning, Severity::kNote}) {
        std::vector<std::vector<const Finding*>> groups;
        for (const Finding& f : findings) {
            if (f.severity != severity) continue;
            const auto same = std::find_if(groups.begin(), groups.end(), [&](const auto& group) {
                return group.front()->code == f.code && group.front()->expected == f.expected &&
                       group.front()->remedy == f.remedy;
            });
            if (same != groups.end())
                same->push_back(&f);
            else
                groups.push_back({&f});
        }
        for (const auto& group : groups) text += group_text(group);
    }
    return text;
}

void report_summary(const PackReport& report, const TextSink& sink) {
    sink(fmt::format("{}: joints {}, morph targets {}, {} at {}/s", report.name,
                     report.joints.size(), report.morph_targets.size(), report.target.name,
                     to_text(report.target.rate)));
    sink(report.height_m > 0 ? fmt::format(", {:.3f} m tall\n\n", report.height_m) : "\n\n");
    if (report.share)
        sink(fmt::format("share {} of {}: {} of {} clips; gathering puts the crate together\n\n",
                         report.share->number, report.share->of, report.clips.size(),
                         report.share->clips));
    for (const SkippedFile& skipped : report.skipped)
        sink(fmt::format("left out: {}: {}\n", skipped.file, skipped.findings.front().found));
    if (!report.skipped.empty()) sink("\n");
    std::size_t width = 4;
    for (const PackedClip& clip : report.clips) width = std::max(width, clip.clip.name.size());
    sink(fmt::format("{:{}}  {:>7}  {:>8}  {:6}  {:>10}  {:>8}  {:>8}  {}\n", "clip", width,
                     "samples", "seconds", "loop", "travel", "worst mm", "degrees", "proof"));
    for (const PackedClip& clip : report.clips) sink(clip_line(clip, width));
    sink("\n");
    if (!report.findings.empty()) sink(grouped_text(report.findings) + "\n");
    if (report.reused > 0)
        sink(fmt::format("{} of {} packed, {} unchanged\n", report.clips.size() - report.reused,
                         report.clips.size(), report.reused));
    if (report.unchanged)
        sink("the crate that stands there has the same bytes: left as it is, no backup made\n");
    if (!report.backup.empty()) {
        constexpr std::size_t kMostLines = 40;
        for (std::size_t i = 0; i < std::min(kMostLines, report.changes.size()); ++i)
            sink(fmt::format("{}{}\n", i == 0 ? "other than before: " : "                   ",
                             report.changes[i]));
        if (report.changes.size() > kMostLines)
            sink(fmt::format("                   and {} more\n",
                             report.changes.size() - kMostLines));
        sink(fmt::format("the crate that stood there is kept as {}\n", report.backup.string()));
    }
    for (const auto& path : report.removed_backups)
        sink(fmt::format("removed the older backup {}\n", path.string()));
    sink(verdict(report));
}

}  // namespace mellow
