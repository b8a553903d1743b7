// Reports: the same figures for people and for machines.
#include <fmt/format.h>

#include "base/finding_json.h"
#include "base/json_writer.h"
#include "crate/clip_record.h"
#include "crate/manifest_json.h"
#include "math/degrees.h"
#include "mellow/pack.h"

namespace mellow {
namespace {

std::string travel_words(const Travel& t) {
    std::vector<std::string> carries;
    if (t.ground) carries.emplace_back("ground");
    if (t.height) carries.emplace_back("height");
    if (t.heading) carries.emplace_back("heading");
    if (carries.empty()) return "none, the root stays";
    return fmt::format(
        "{} on the root: {:.3f} m straight, {:.3f} m along the way, height {:+.3f} m, heading "
        "{:+.2f} degrees, {:.3f} m/s",
        fmt::join(carries, ", "), t.distance_m, t.path_m, t.height_change_m,
        t.heading_change_rad * kDegrees, t.speed_m_s);
}

std::string deviation_words(const Deviation& d, std::string_view unit) {
    if (d.count == 0) return "nothing to compare";
    const std::string place = d.worst > 0 ? fmt::format(" at {}, sample {}", d.what, d.sample) : "";
    return fmt::format("worst {:.3g} {}{}; mean {:.3g} over {}", d.worst, unit, place, d.mean(),
                       d.count);
}

std::string clip_text(const PackedClip& p) {
    const ClipInfo& c = p.clip;
    std::string text = fmt::format("clip {}   {}   {} bytes\n", c.name, p.file.file, p.file.bytes);
    const std::int64_t from = p.plan.last_frame - p.plan.first_frame;
    text +=
        fmt::format("  range     {}..{} of \"{}\": {} samples, {} intervals, {:.4f} s at {}/s\n",
                    p.plan.first_frame, p.plan.last_frame,
                    p.timeline + (p.motion.empty() ? "" : "\" of \"" + p.motion), from + 1, from,
                    p.plan.source_rate.seconds(from), to_text(p.plan.source_rate));
    text += fmt::format("  stored    {} samples, {} intervals, {:.4f} s at {}/s, {}\n", c.samples,
                        c.period, c.seconds(), to_text(c.rate),
                        c.loop == LoopForm::kOnce
                            ? "plays once"
                            : fmt::format("loop {}, period {} intervals", name(c.loop), c.period));
    text += "  travel    " + travel_words(c.travel) + "\n";
    if (c.loop != LoopForm::kOnce) {
        text += fmt::format("  one loop  adds [{:.4f}, {:.4f}, {:.4f}] m and {:+.3f} degrees\n",
                            c.travel.step.x, c.travel.step.y, c.travel.step.z,
                            c.travel.step_heading_rad * kDegrees);
        const auto place = [](const std::string& joint) {
            return joint.empty() ? "" : fmt::format(" at {}", joint);
        };
        text +=
            fmt::format("  seam      {:.4f} mm{}, {:.4f} degrees{} between last and first pose\n",
                        p.gap.distance_m * 1000, place(p.gap_joint), p.gap.angle_rad * kDegrees,
                        place(p.gap_turned));
    }
    text += fmt::format(
        "  moving    joints {}, meshes with morphs {}{}; shear {:.2g}\n", p.proof.moving_joints,
        p.proof.moving_morphs,
        p.proof.moving_scalars > 0 ? fmt::format(", scalars {}", p.proof.moving_scalars) : "",
        p.worst_shear);
    text += "  joints    " + deviation_words(p.proof.position_mm, "mm") + "\n";
    text += "  turns     " + deviation_words(p.proof.rotation_degrees, "degrees") + "\n";
    text += "  scales    " + deviation_words(p.proof.scale, "of their size") + "\n";
    text += "  vertices  " + deviation_words(p.proof.vertex_mm, "mm") + "\n";
    text += "  morphs    " + deviation_words(p.proof.weight, "of weight") + "\n";
    if (p.proof.scalar.count > 0)
        text += "  scalars   " + deviation_words(p.proof.scalar, "of their size") + "\n";
    for (const KindProof& kind : p.proof.kinds)
        text +=
            fmt::format("  driven by {}: {} joints, worst {:.3g} mm, {:.3g} degrees\n", kind.kind,
                        kind.joints, kind.position_mm.worst, kind.rotation_degrees.worst);
    if (p.proof.simplified_mm.count > 0)
        text += "  skin      simplified: " + deviation_words(p.proof.simplified_mm, "mm") + "\n";
    return text;
}

}  // namespace

void report_json(const PackReport& report, const TextSink& sink) {
    JsonWriter json(JsonWriter::Form::kIndented, sink);
    json.begin_object().member("name", report.name).member("proven", report.proven);
    if (report.share) write_share(json, *report.share);
    write_tolerance(json, report.tolerance);
    write_skipped(json, report.skipped);
    json.list("clips", report.clips, [&](const PackedClip& clip) {
        json.begin_object().member("name", clip.clip.name);
        write_proof(json, "proof", clip.proof);
        json.end_object();
    });
    write_findings(json, report.findings);
    json.end_object().finish();
}

void report_text(const PackReport& report, const TextSink& sink) {
    sink(fmt::format("{}: joints {}, morph targets {}, clips {}, {}", report.name,
                     report.joints.size(), report.morph_targets.size(), report.clips.size(),
                     report.target.name));
    sink(report.height_m > 0 ? fmt::format(", {:.3f} m tall\n", report.height_m) : "\n");
    for (const SkippedFile& skipped : report.skipped)
        for (const Finding& finding : skipped.findings)
            sink(fmt::format("left out: {}\n{}\n\n", skipped.file, to_text(finding)));
    sink(fmt::format("skin {}   {} bytes\n", report.skin.file, report.skin.bytes));
    for (const PackedClip& clip : report.clips) sink("\n" + clip_text(clip));
    sink(fmt::format(
        "\nproof: {} (at most {} mm and {} degrees; files read back and compared with {} at "
        "every sample)\n",
        report.proven ? "PASSED" : "FAILED", report.tolerance.mm, report.tolerance.degrees,
        report.of_takes ? "what was baked" : "the source rig"));
    for (const Severity severity : {Severity::kStop, Severity::kWarning, Severity::kNote})
        for (const Finding& finding : report.findings)
            if (finding.severity == severity) sink("\n" + to_text(finding) + "\n");
}

}  // namespace mellow
