// Report and manifest: the same figures for people and for machines.
#include <fmt/format.h>

#include <array>

#include "base/finding_json.h"
#include "base/json_writer.h"
#include "math/degrees.h"
#include "mellow/pack.h"
#include "pack/clip_json.h"
#include "pack/clip_record.h"
#include "pack/inputs.h"

namespace mellow {
namespace {

void write(JsonWriter& json, const Tolerance& t) {
    json.object("tolerance", [&] {
        json.member("mm", t.mm).member("degrees", t.degrees).member("scale", t.scale);
        json.member("weight", t.weight);
    });
}

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

void write(JsonWriter& json, const KeptDrive& drive, const Conversion& out) {
    json.begin_object().member("mesh", drive.mesh).member("target", drive.target);
    json.member("combine", drive.product ? "product" : "sum");
    json.list("inputs", drive.inputs, [&](const KeptDrive::Input& input) {
        const Vec3 axis = input.twist ? out.turning_axis(input.axis) : out.vector(input.axis);
        json.begin_object().member("joint", input.joint);
        json.member("of", input.twist ? "twist" : "swing");
        json.list("axis", std::array{tidy(axis.x), tidy(axis.y), tidy(axis.z)});
        json.member("shape", name(input.curve.shape));
        json.list("curve", input.curve.points, [&](const CurvePoint& p) {
            json.begin_array().value(p.at).value(p.value);
            if (input.curve.shape == CurveShape::kSlopes) json.value(p.slope);
            json.end_array();
        });
        json.end_object();
    });
    json.end_object();
}

/// What was left out, as the recipe allows; nothing where nothing was.
void write_skipped(JsonWriter& json, const PackReport& report) {
    if (report.skipped.empty()) return;
    json.list("skipped", report.skipped, [&](const SkippedFile& skipped) {
        json.begin_object().member("file", skipped.file);
        write_findings(json, skipped.findings);
        json.end_object();
    });
}

void write_target(JsonWriter& json, const Target& target) {
    const Convention& c = target.convention;
    json.object("target", [&] {
        json.member("name", target.name).member("up", name(c.up));
        json.member("front", name(c.front)).member("hand", name(c.hand));
        json.member("metres_per_unit", c.metres_per_unit).member("rate", to_text(target.rate));
        json.member("loop_form", name(target.loop_form)).member("layout", name(target.layout));
        json.member("format", name(target.clip_format));
        if (target.first_frame > 0) json.member("first_frame", target.first_frame);
        if (target.rest_first) json.member("first_pose", "rest");
    });
}

void write_skeleton(JsonWriter& json, const PackReport& report, const Conversion& out) {
    json.object("skeleton", [&] {
        json.member("root", report.root).member("hips", report.hips);
        json.list("joints", report.joints);
        if (report.turns.empty()) return;
        json.object("axes_turned", [&] {
            for (const auto& [joint, turn] : report.turns) {
                const Quat q = out.rotation(turn);
                json.list(joint, std::array{tidy(q.x), tidy(q.y), tidy(q.z), tidy(q.w)});
            }
        });
    });
}

}  // namespace

void manifest_json(const PackReport& report, const Target& target, const TextSink& sink) {
    const Convention& c = target.convention;
    const Conversion out({}, c);
    JsonWriter json(JsonWriter::Form::kIndented, sink);
    json.begin_object().member("format", "mellow-crate").member("version", 2);
    json.member("name", report.name);
    if (report.share) write_share(json, *report.share);
    write_skipped(json, report);
    json.member("arithmetic", kArithmetic);
    json.list("sources", report.sources, [&](const FileRecord& source) {
        json.begin_object();
        write_file(json, source, true);
        json.end_object();
    });
    write_target(json, target);
    write_skeleton(json, report, out);
    json.object("skin", [&] {
        write_file(json, report.skin, true);
        json.member("height_m", tidy(report.height_m));
        json.list("morph_targets", report.morph_targets);
    });
    if (!report.drives.empty())
        json.list("drives", report.drives, [&](const KeptDrive& d) { write(json, d, out); });
    json.list("clips", report.clips, [&](const PackedClip& clip) { write_clip(json, clip, out); });
    if (!report.picture.file.empty())
        json.object("picture", [&] { write_file(json, report.picture, true); });
    json.object("proof", [&] {
        json.member("passed", report.proven);
        write(json, report.tolerance);
        if (!report.accepted.empty()) json.list("accepted", report.accepted);
    });
    json.end_object().finish();
}

void report_json(const PackReport& report, const TextSink& sink) {
    JsonWriter json(JsonWriter::Form::kIndented, sink);
    json.begin_object().member("name", report.name).member("proven", report.proven);
    if (report.share) write_share(json, *report.share);
    write(json, report.tolerance);
    write_skipped(json, report);
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
                     report.target));
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
