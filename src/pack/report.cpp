// Report and manifest: the same figures for people and for machines.
#include <fmt/format.h>

#include <algorithm>
#include <nlohmann/json.hpp>

#include "math/degrees.h"
#include "mellow/pack.h"
#include "pack/clip_json.h"

namespace mellow {
namespace {

using Json = nlohmann::ordered_json;

Json file_json(const FileRecord& file) {
    return {
        {"role", file.role}, {"file", file.file}, {"bytes", file.bytes}, {"xxh3_128", file.hash}};
}

Json deviation_json(const Deviation& d) {
    return {{"worst", tidy(d.worst)},
            {"mean", tidy(d.mean())},
            {"at", d.what},
            {"sample", d.sample},
            {"compared", d.count}};
}

Json proof_json(const ClipProof& proof) {
    Json json{{"samples", proof.samples},
              {"moving_joints", proof.moving_joints},
              {"moving_morphs", proof.moving_morphs},
              {"joint_position_mm", deviation_json(proof.position_mm)},
              {"joint_rotation_degrees", deviation_json(proof.rotation_degrees)},
              {"skinned_vertex_mm", deviation_json(proof.vertex_mm)},
              {"morph_weight", deviation_json(proof.weight)}};
    if (proof.scalar.count > 0) json["scalar"] = deviation_json(proof.scalar);
    if (proof.simplified_mm.count > 0)
        json["simplified_skin_mm"] = deviation_json(proof.simplified_mm);
    json["driven_by"] = Json::array();
    for (const KindProof& kind : proof.kinds)
        json["driven_by"].push_back(
            {{"kind", kind.kind},
             {"joints", kind.joints},
             {"joint_position_mm", deviation_json(kind.position_mm)},
             {"joint_rotation_degrees", deviation_json(kind.rotation_degrees)}});
    return json;
}

Json finding_json(const Finding& f) {
    return {{"code", name(f.code)}, {"severity", name(f.severity)}, {"where", f.where},
            {"found", f.found},     {"expected", f.expected},       {"remedy", f.remedy}};
}

Json clip_json(const PackedClip& packed, const Conversion& out) {
    Json json{{"name", packed.clip.name},
              {"file", packed.file.file},
              {"bytes", packed.file.bytes},
              {"xxh3_128", packed.file.hash}};
    json["source"] = {{"timeline", packed.timeline},
                      {"first", packed.plan.first_frame},
                      {"last", packed.plan.last_frame},
                      {"rate", to_text(packed.plan.source_rate)}};
    json.update(clip_facts(packed.clip, out));
    if (packed.clip.loop != LoopForm::kOnce)
        json["loop_gap"] = {{"mm", tidy(packed.gap.distance_m * 1000)},
                            {"degrees", tidy(packed.gap.angle_rad * kDegrees)},
                            {"weight", tidy(packed.gap.weight)}};
    Json morphs = Json::array();
    for (const MorphTrack& track : packed.clip.morphs)
        morphs.push_back({{"mesh", track.mesh}, {"targets", track.targets}});
    json["morphs"] = morphs;
    for (const ScalarTrack& scalar : packed.clip.scalars)
        json["scalars"].push_back({{"name", scalar.name}, {"unit", scalar.unit}});
    json["shear"] = {{"worst", tidy(packed.worst_shear)}, {"joint", packed.shear_joint}};
    json["proof"] = proof_json(packed.proof);
    return json;
}

Json tolerance_json(const Tolerance& t) {
    return {{"mm", t.mm}, {"degrees", t.degrees}, {"weight", t.weight}};
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
    const Clip& c = p.clip;
    std::string text = fmt::format("clip {}   {}   {} bytes\n", c.name, p.file.file, p.file.bytes);
    const std::int64_t from = p.plan.last_frame - p.plan.first_frame;
    text +=
        fmt::format("  range     {}..{} of \"{}\": {} samples, {} intervals, {:.4f} s at {}/s\n",
                    p.plan.first_frame, p.plan.last_frame, p.timeline, from + 1, from,
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
        text += fmt::format("  seam      {:.4f} mm, {:.4f} degrees between last and first pose\n",
                            p.gap.distance_m * 1000, p.gap.angle_rad * kDegrees);
    }
    text += fmt::format("  moving    joints {}, meshes with morphs {}; shear {:.2g}\n",
                        p.proof.moving_joints, p.proof.moving_morphs, p.worst_shear);
    text += "  joints    " + deviation_words(p.proof.position_mm, "mm") + "\n";
    text += "  turns     " + deviation_words(p.proof.rotation_degrees, "degrees") + "\n";
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

constexpr int kIndent = 2;

/// Writes `json` as one dump would, but fills the lists under some of its keys item by item, so
/// that the values of a thousand clips need not stand in memory together.
class ListedJson {
  public:
    ListedJson(Json json, const TextSink& out) : out_(out) {
        const std::string hole = "\"@@\"";
        rest_ = json.dump(kIndent) + "\n";
        for (std::size_t at = rest_.find(hole); at != std::string::npos; at = rest_.find(hole))
            pieces_.push_back(rest_.substr(0, at)), rest_.erase(0, at + hole.size());
    }
    /// Stands in `json` where a list comes.
    static const char* hole() { return "@@"; }

    /// The next list.
    template <class Items, class ToJson>
    void list(const Items& items, ToJson&& to_json) {
        out_(pieces_[next_++]);
        bool first = true;
        for (const auto& item : items) {
            const std::string one = Json(to_json(item)).dump(kIndent);
            std::string indented = first ? "[\n    " : ",\n    ";
            for (const char c : one) {
                indented += c;
                if (c == '\n') indented += "    ";
            }
            out_(indented);
            first = false;
        }
        out_(first ? "[]" : "\n  ]");
    }
    void end() { out_(rest_); }

  private:
    const TextSink& out_;
    std::vector<std::string> pieces_;
    std::string rest_;
    std::size_t next_ = 0;
};

Json drive_json(const KeptDrive& drive, const Conversion& out) {
    Json json{{"mesh", drive.mesh},
              {"target", drive.target},
              {"combine", drive.product ? "product" : "sum"}};
    for (const KeptDrive::Input& input : drive.inputs) {
        const Vec3 axis = out.vector(input.axis);
        Json curve = Json::array();
        for (const CurvePoint& p : input.curve.points) {
            curve.push_back({p.at, p.value});
            if (input.curve.shape == CurveShape::kSlopes) curve.back().push_back(p.slope);
        }
        json["inputs"].push_back({{"joint", input.joint},
                                  {"of", input.twist ? "twist" : "swing"},
                                  {"axis", {tidy(axis.x), tidy(axis.y), tidy(axis.z)}},
                                  {"shape", name(input.curve.shape)},
                                  {"curve", curve}});
    }
    return json;
}

}  // namespace

void manifest_json(const PackReport& report, const Recipe& recipe, const TextSink& sink) {
    const Convention& c = recipe.target_convention;
    const Conversion out({}, c);
    Json json{{"format", "mellow-crate"}, {"version", 1}, {"name", report.name}};
    for (const FileRecord& source : report.sources) json["sources"].push_back(file_json(source));
    json["target"] = {{"convention", report.target},
                      {"up", name(c.up)},
                      {"front", name(c.front)},
                      {"hand", "right"},
                      {"metres_per_unit", c.metres_per_unit},
                      {"rate", to_text(recipe.rate)},
                      {"loop_form", name(recipe.loop_form)}};
    json["skeleton"] = {{"root", report.root}, {"hips", report.hips}, {"joints", report.joints}};
    for (const auto& [joint, turn] : report.turns) {
        const Quat q = out.rotation(turn);
        json["skeleton"]["axes_turned"][joint] = {tidy(q.x), tidy(q.y), tidy(q.z), tidy(q.w)};
    }
    json["skin"] = file_json(report.skin);
    json["skin"]["height_m"] = tidy(report.height_m);
    json["skin"]["morph_targets"] = report.morph_targets;
    for (const KeptDrive& drive : report.drives) json["drives"].push_back(drive_json(drive, out));
    json["clips"] = ListedJson::hole();
    if (!report.picture.file.empty()) json["picture"] = file_json(report.picture);
    json["proof"] = {{"passed", report.proven}, {"tolerance", tolerance_json(report.tolerance)}};
    ListedJson all(std::move(json), sink);
    all.list(report.clips, [&](const PackedClip& clip) { return clip_json(clip, out); });
    all.end();
}

void report_json(const PackReport& report, const TextSink& sink) {
    Json json{{"name", report.name},
              {"proven", report.proven},
              {"tolerance", tolerance_json(report.tolerance)}};
    json["clips"] = ListedJson::hole();
    json["findings"] = ListedJson::hole();
    ListedJson all(std::move(json), sink);
    all.list(report.clips, [](const PackedClip& clip) {
        return Json{{"name", clip.clip.name}, {"proof", proof_json(clip.proof)}};
    });
    all.list(report.findings, finding_json);
    all.end();
}

void report_text(const PackReport& report, const TextSink& sink) {
    sink(fmt::format("{}: joints {}, morph targets {}, clips {}, {}", report.name,
                     report.joints.size(), report.morph_targets.size(), report.clips.size(),
                     report.target));
    sink(report.height_m > 0 ? fmt::format(", {:.3f} m tall\n", report.height_m) : "\n");
    sink(fmt::format("skin {}   {} bytes\n", report.skin.file, report.skin.bytes));
    for (const PackedClip& clip : report.clips) sink("\n" + clip_text(clip));
    sink(fmt::format(
        "\nproof: {} (at most {} mm and {} degrees; files read back and compared with the source "
        "rig at every sample)\n",
        report.proven ? "PASSED" : "FAILED", report.tolerance.mm, report.tolerance.degrees));
    for (const Severity severity : {Severity::kStop, Severity::kWarning, Severity::kNote})
        for (const Finding& finding : report.findings)
            if (finding.severity == severity) sink("\n" + to_text(finding) + "\n");
}

}  // namespace mellow
