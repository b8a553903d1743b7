#include "mellow/pack.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>
#include <span>

#include "base/at.h"
#include "base/text.h"
#include "crate/hash.h"
#include "math/degrees.h"
#include "mellow/bake.h"
#include "mellow/crate.h"
#include "mellow/fit.h"
#include "mellow/read.h"
#include "mellow/rig.h"
#include "mellow/safe_write.h"
#include "mellow/stock.h"
#include "mellow/write.h"
#include "pack/checks.h"
#include "pack/clip_json.h"
#include "pack/pack_source.h"

namespace mellow {
namespace {

constexpr double kLoopGap_m = 1e-3, kLoopGap_rad = 0.0087;   // 1 mm, half a degree
constexpr double kLoopOpen_m = 5e-3, kLoopOpen_rad = 0.035;  // 5 mm, 2 degrees
constexpr double kDrift_m = 0.3;
constexpr double kStillFrames = 6;     // of the source
constexpr double kFastTurn_rad = 2.6;  // 150 degrees a sample

void add_kind(std::string& words, const std::string& kind) {
    if (words.find(kind) == words.npos) words += (words.empty() ? "" : " + ") + kind;
}

/// What drives each joint: the kinds of the rules on it and on the helpers that fold into it,
/// "follow + lag".
std::vector<std::string> driven_by(const Scene& scene, const JointSources& sources,
                                   const Rig& rig) {
    std::vector<std::vector<std::string>> kinds(scene.nodes.size());
    for (const RigStep& step : rig.steps())
        for (const int node : step.nodes) kinds[at(node)].push_back(step.kind);
    std::vector<bool> joint(scene.nodes.size(), false);
    for (const JointSource& s : sources)
        if (s.node != kNone) joint[at(s.node)] = true;
    std::vector<std::string> out(sources.size());
    for (std::size_t j = 0; j < sources.size(); ++j) {
        int up = sources[j].node;
        while (up != kNone) {
            for (const std::string& kind : kinds[at(up)]) add_kind(out[j], kind);
            up = scene.nodes[at(up)].parent;
            if (up != kNone && joint[at(up)]) break;
        }
    }
    return out;
}

class Packer {
  public:
    Packer(const Recipe& recipe, const PackOptions& options) : recipe_(recipe), options_(options) {}

    Result<PackReport> run() {
        report_.name = recipe_.name;
        report_.target = recipe_.target;
        report_.root = recipe_.root;
        report_.tolerance = recipe_.tolerance;
        report_.rate = recipe_.rate;
        report_.sources.push_back({"recipe", recipe_.file, recipe_.bytes, recipe_.hash});
        MELLOW_TRY(StagedFolder folder, StagedFolder::open(recipe_.output, options_.replace));
        progress("reading " + recipe_.source);
        MELLOW_TRY(PackSource source, PackSource::read(recipe_, report_));
        source_.emplace(std::move(source));
        MELLOW_CHECK(write_skin(folder));
        // One clip after the other goes through, so that memory does not grow with their number.
        report_.proven = true;
        report_.clips.reserve(source_->clips().size());
        for (std::size_t i = 0; i < source_->clips().size(); ++i)
            MELLOW_CHECK(pack_clip(i, folder));
        if (recipe_.picture && report_.proven) MELLOW_CHECK(draw(folder));
        return finish(folder);
    }

  private:
    void progress(const std::string& what) const {
        if (options_.progress) options_.progress(what);
    }

    void take_findings(const Findings& findings) {
        for (const Finding& f : findings) {
            const bool said = std::any_of(
                report_.findings.begin(), report_.findings.end(), [&](const Finding& other) {
                    return other.code == f.code && other.where == f.where && other.found == f.found;
                });
            if (!said) report_.findings.push_back(f);
        }
    }

    /// Converts to the target, writes, and returns what was written.
    Result<FileRecord> write_scene(StagedFolder& folder, Scene scene, const std::string& role,
                                   const std::string& file) {
        convert(scene, recipe_.target_convention);
        const auto bytes = write_glb(scene);
        MELLOW_CHECK(folder.write(file, bytes));
        return FileRecord{role, file, bytes.size(), hash_hex(bytes)};
    }

    Result<Scene> read_back(const StagedFolder& folder, const std::string& file) const {
        MELLOW_TRY(ReadResult read, read_scene(folder.path() / file));
        read.scene.convention = recipe_.target_convention;
        convert(read.scene, Convention{});
        read.scene.rate = recipe_.rate;
        snap_keys(read.scene);
        return std::move(read.scene);
    }

    Status write_skin(StagedFolder& folder) {
        progress("writing " + recipe_.name + ".glb");
        Assembled skin = assemble_skin(source_->scene(), source_->skeleton(), source_->sources());
        take_findings(skin.findings);
        for (const Mesh& mesh : skin.scene.meshes)
            for (const std::string& target : mesh.target_names)
                report_.morph_targets.push_back(target);
        MELLOW_TRY(report_.skin,
                   write_scene(folder, std::move(skin.scene), "skin", recipe_.name + ".glb"));
        MELLOW_TRY(crate_.skin, read_back(folder, report_.skin.file));
        crate_.name = report_.name;
        crate_.convention = recipe_.target_convention;
        const Bounds bounds = mesh_bounds(crate_.skin, rest_pose(crate_.skin));
        if (bounds.any) report_.height_m = bounds.high.y - bounds.low.y;
        check_size(bounds);
        MELLOW_TRY(SkinProof proof,
                   SkinProof::make({source_->scene(), source_->skeleton(), source_->sources(),
                                    source_->unsimplified(), source_->accepted()},
                                   crate_.skin));
        skin_proof_.emplace(std::move(proof));
        return prove_winding(source_->scene(), crate_.skin);
    }

    /// A figure of a size that is no figure's.
    void check_size(const Bounds& bounds) {
        if (!bounds.any) return;
        const Vec3 size = bounds.high - bounds.low;
        const double longest = std::max({size.x, size.y, size.z});
        if (!(longest > 0) || (longest >= 0.05 && longest <= 50)) return;
        report_.findings.push_back({Code::kSizeSuspect, Severity::kStop, "figure",
                                    fmt::format("{:.4g} m at its longest", longest), "0.05 to 50 m",
                                    "unit = \"...\" under [source] says what its numbers are; "
                                    "size-suspect = \"warn\" under "
                                    "[checks] lets it pass"});
    }

    Status pack_clip(std::size_t i, StagedFolder& folder) {
        const RecipeClip& wanted = source_->clips()[i];
        progress(
            fmt::format("baking {} ({} of {})", wanted.range.name, i + 1, source_->clips().size()));
        const std::size_t said = report_.findings.size();
        MELLOW_TRY(const PackSource::Bound bound, source_->bind(wanted));
        take_findings(bound.planned.findings);
        take_findings(bound.rig->findings());
        check_overlap(i);
        const Take take = play(source_->scene(), bound.rig, source_->skeleton(), source_->sources(),
                               {skin_proof_->mounts()});
        Baked baked = bake(take, bound.planned.plan, std::move(memory_));
        PackedClip packed;
        packed.plan = bound.planned.plan;
        packed.timeline = bound.moved_by;
        unwrap_turns(take, bound.planned.plan, baked.losses);
        note_losses(baked, packed);
        Clip& clip = baked.clip;
        extract_travel(clip, source_->skeleton(), source_->hips(), wanted.travel);
        packed.gap = loop_gap(clip);
        check_motion(clip, packed, wanted);
        check_end(clip, wanted);
        if (clip.loop == LoopForm::kClosed && recipe_.loop_form == LoopForm::kOpen) open_loop(clip);
        const Conversion out({}, recipe_.target_convention);
        MELLOW_TRY(
            packed.file,
            write_scene(folder, assemble_clip(source_->skeleton(), clip, clip_extras(clip, out)),
                        "clip", "clips/" + clip.name + ".glb"));
        // Samples are in the file now; what stays is what the report tells.
        memory_.joints = std::move(clip.joints);
        clip.joints = {};
        // Not "= {}", which would keep the room.
        for (MorphTrack& track : clip.morphs) track.weights = std::vector<float>();
        for (ScalarTrack& track : clip.scalars) track.values = std::vector<float>();
        packed.clip = std::move(clip);
        MELLOW_CHECK(prove(take, *bound.rig, folder, packed));
        if (apply_checks(recipe_.checks, report_.findings, said)) packed.passed = false;
        report_.proven = report_.proven && packed.passed;
        report_.clips.push_back(std::move(packed));
        return {};
    }

    /// What shear costs, where it shows: in millimetres at the skin.
    void say_shear(const PackedClip& packed) {
        if (packed.sheared_joints.empty()) return;
        const ClipProof& proof = packed.proof;
        const bool apart = proof.accepted_mm.worst > proof.vertex_mm.worst;
        const Deviation& skin = apart ? proof.accepted_mm : proof.vertex_mm;
        report_.findings.push_back(
            {Code::kShear, Severity::kWarning, fmt::format("clip \"{}\"", packed.clip.name),
             fmt::format(
                 "shear of up to {:.3g} cannot be kept, on {}; {}{}", packed.worst_shear,
                 name_list(packed.sheared_joints),
                 skin.count == 0
                     ? "no mesh shows it"
                     : fmt::format("the skin is off by at most {:.3g} mm, at {}, sample {}",
                                   skin.worst, skin.what, skin.sample),
                 proof.accepted_degrees.count == 0
                     ? ""
                     : fmt::format("; joints accepted in the recipe by at most {:.3g} degrees",
                                   proof.accepted_degrees.worst)),
             "even scale above turned joints",
             "scale evenly in the source, or, where the scaled joint carries no weight: scale = "
             "\"offsets\"   # under [joints]; or accept_shear = [...] under [proof] lets these "
             "joints be off; "
             "places of joints are exact all the same"});
    }

    /// Reads a clip back and measures it against the rig it came from.
    Status prove(const Take& take, const Rig& rig, const StagedFolder& folder, PackedClip& packed) {
        MELLOW_TRY(Scene motion, read_back(folder, packed.file.file));
        auto proof = prove_clip(take, packed.plan, *skin_proof_, motion,
                                driven_by(source_->scene(), source_->sources(), rig));
        Status good = proof ? within(proof.value(), recipe_.tolerance) : Status(proof.failures());
        if (proof) packed.proof = std::move(proof).value();
        say_shear(packed);
        if (!good) report_.findings.push_back(good.failure());
        packed.passed = good.ok();
        check_simplified(packed);
        if (!recipe_.picture || crate_.clips.size() >= kMostDrawn) return {};
        crate_.motions.push_back(std::move(motion));
        crate_.clips.push_back(packed.clip);
        return {};
    }

    /// Fewer influences than the source has are a choice; how far the skin is off by it is
    /// measured.
    void check_simplified(const PackedClip& packed) {
        const Deviation& d = packed.proof.simplified_mm;
        if (d.count == 0 || d.worst <= recipe_.tolerance.mm) return;
        report_.findings.push_back(
            {Code::kInfluences, Severity::kStop, fmt::format("clip \"{}\"", packed.clip.name),
             fmt::format(
                 "mesh \"{}\" is {:.3g} mm from where all its influences have it, at sample {}",
                 d.what, d.worst, d.sample),
             fmt::format("at most {} mm", recipe_.tolerance.mm),
             "influences = 8   # under [target]; or, if this is good enough, influences = \"warn\" "
             "under "
             "[checks]"});
    }

    /// A clip whose end stands still.
    void check_end(const Clip& clip, const RecipeClip& wanted) {
        if (wanted.range.pose) return;
        int last = clip.samples - 1;
        while (last > 0 && still(clip, last)) --last;
        const double k = clip.rate.per_second(),
                     frames = (clip.samples - 1 - last) / k * source_->scene().rate.per_second();
        if (last == 0 || frames < kStillFrames) return;
        const double end = static_cast<double>(wanted.range.last) - frames;
        report_.findings.push_back(
            {Code::kStillTail, Severity::kWarning, wanted.range.where,
             fmt::format("nothing moves in the last {:.2f} s", (clip.samples - 1 - last) / k),
             "a range that ends where the motion ends",
             fmt::format("end the range at {:.0f}", std::ceil(end - 1e-6))});
    }

    static bool same(std::span<const float> values, std::size_t width, int sample) {
        const std::size_t i = at(sample) * width;
        for (std::size_t c = 0; c < width && i + c < values.size(); ++c)
            if (std::abs(values[i + c] - values[i - width + c]) > 1e-6F) return false;
        return true;
    }

    /// True when nothing changes from the sample before.
    static bool still(const Clip& clip, int sample) {
        for (const JointTrack& t : clip.joints)
            if (!same(t.translation, 3, sample) || !same(t.rotation, 4, sample) ||
                !same(t.scale, 3, sample))
                return false;
        for (const MorphTrack& t : clip.morphs)
            if (!same(t.weights, t.targets.size(), sample)) return false;
        for (const ScalarTrack& t : clip.scalars)
            if (!same(t.values, 1, sample)) return false;
        return true;
    }

    Status draw(StagedFolder& folder) {
        progress("drawing");
        MELLOW_TRY(const std::vector<std::uint8_t> png, draw_crate(crate_));
        MELLOW_CHECK(folder.write("sheet.png", png));
        report_.picture = {"picture", "sheet.png", png.size(), hash_hex(png)};
        if (report_.clips.size() > crate_.clips.size())
            report_.findings.push_back({Code::kLeftOut, Severity::kNote, "sheet.png",
                                        fmt::format("the first {} of {} clips are drawn",
                                                    crate_.clips.size(), report_.clips.size()),
                                        "", ""});
        return {};
    }

    /// Says the largest overlap of a clip with earlier ones, and how many others there are.
    void check_overlap(std::size_t i) {
        const std::vector<RecipeClip>& clips = source_->clips();
        const Range& a = clips[i].range;
        std::int64_t first = 0, last = -1;
        std::string with;
        int others = -1;
        for (std::size_t j = 0; j < i && !a.pose; ++j) {
            const Range& b = clips[j].range;
            const std::int64_t from = std::max(a.first, b.first), to = std::min(a.last, b.last);
            if (b.pose || clips[i].timeline != clips[j].timeline ||
                clips[i].strip != clips[j].strip || from > to)
                continue;
            ++others;
            if (to - from > last - first) first = from, last = to, with = b.name;
        }
        if (others < 0) return;
        const std::string more =
            others == 0 ? "" : fmt::format(", and {} clips more overlap", others);
        report_.findings.push_back(
            {Code::kRangeOverlap, first == last ? Severity::kNote : Severity::kWarning, a.where,
             (first == last
                  ? fmt::format("frame {} is shared with clip \"{}\"", first, with)
                  : fmt::format("frames {}..{} are in clip \"{}\" too", first, last, with)) +
                 more,
             "ranges of their own", "nothing, if this is meant"});
    }

    /// The multiple of the target's rate at which a joint turns less than 120 degrees a sample.
    FrameRate fast_enough(const JointLoss& loss) const {
        constexpr double kWell_rad = 2.09;
        const auto times = static_cast<std::int64_t>(std::ceil(loss.fastest_turn_rad / kWell_rad));
        return {recipe_.rate.num * std::clamp<std::int64_t>(times, 2, 100), recipe_.rate.den};
    }

    void note_losses(const Baked& baked, PackedClip& packed) {
        std::vector<std::string> flat;
        for (int j = 0; j < source_->skeleton().size(); ++j) {
            const JointLoss& loss = baked.losses[at(j)];
            const std::string where = fmt::format("clip \"{}\", joint \"{}\"", baked.clip.name,
                                                  source_->skeleton()[j].name);
            if (loss.shear > packed.worst_shear)
                packed.worst_shear = loss.shear, packed.shear_joint = source_->skeleton()[j].name;
            if (loss.shear > 1e-4) packed.sheared_joints.push_back(source_->skeleton()[j].name);
            if (loss.smallest_scale < 1e-6) flat.push_back(source_->skeleton()[j].name);
            if (loss.fastest_turn_rad > kFastTurn_rad)
                report_.findings.push_back(
                    {Code::kFastTurn, Severity::kWarning, where,
                     fmt::format("{:.0f} degrees from sample {} to {}",
                                 loss.fastest_turn_rad * kDegrees, loss.fastest_sample - 1,
                                 loss.fastest_sample),
                     "less than half a turn per sample: an engine would turn the other way round",
                     fmt::format("a target rate of {}", to_text(fast_enough(loss)))});
        }
        if (!flat.empty())
            report_.findings.push_back(
                {Code::kZeroScale, Severity::kWarning, fmt::format("clip \"{}\"", baked.clip.name),
                 fmt::format("a scale of zero on {}", name_list(flat)), "a size above zero",
                 "what is hidden by scale may be lit or culled wrongly in an engine"});
    }

    void check_motion(const Clip& clip, const PackedClip& packed, const RecipeClip& wanted) {
        check_travel(clip, wanted);
        const LoopGap& gap = packed.gap;
        if (clip.loop != LoopForm::kClosed || !hips_stay(clip, wanted)) return;
        const bool apart = gap.distance_m > kLoopGap_m || gap.angle_rad > kLoopGap_rad ||
                           gap.weight > 0.01 || gap.scale > 1e-3 || gap.scalar > 0.01;
        const bool open = gap.distance_m > kLoopOpen_m || gap.angle_rad > kLoopOpen_rad ||
                          gap.weight > 0.05 || gap.scale > 0.01 || gap.scalar > 0.05;
        if (apart)
            report_.findings.push_back(
                {Code::kLoopOpen, open ? Severity::kStop : Severity::kWarning, wanted.range.where,
                 fmt::format("last and first pose differ by {:.1f} mm, {:.2f} degrees{}, scale "
                             "{:.3f}, weight {:.3f}, scalar {:.3f}",
                             gap.distance_m * 1000, gap.angle_rad * kDegrees,
                             gap.joint < 0
                                 ? ""
                                 : fmt::format(" at \"{}\"", source_->skeleton()[gap.joint].name),
                             gap.scale, gap.weight, gap.scalar),
                 "a loop whose last frame repeats the first",
                 "end the range on the frame that repeats the first, or drop loop = true"});
        else if ((gap.speed_m_s > 0.2 && gap.speed_m_s > 2 * gap.usual_speed_m_s) ||
                 (gap.spin_rad_s > 0.5 && gap.spin_rad_s > 2 * gap.usual_spin_rad_s))
            report_.findings.push_back(
                {Code::kLoopOpen, Severity::kWarning, wanted.range.where,
                 fmt::format(
                     "the pose closes, but its speed jumps by {:.2f} m/s and {:.0f} degrees/s "
                     "at the seam; elsewhere by {:.2f} and {:.0f} at most",
                     gap.speed_m_s, gap.spin_rad_s * kDegrees, gap.usual_speed_m_s,
                     gap.usual_spin_rad_s * kDegrees),
                 "a loop that goes on as it began",
                 "ease the keys at both ends alike in the source"});
    }

    /// Hips that travel say nothing about the seam: their gap is the travel that is missing.
    bool hips_stay(const Clip& clip, const RecipeClip& wanted) const {
        return wanted.travel.ground ||
               hips_drift(clip, source_->skeleton(), source_->hips()).ground_m <= kDrift_m;
    }

    void check_travel(const Clip& clip, const RecipeClip& wanted) {
        const HipsDrift drift = hips_drift(clip, source_->skeleton(), source_->hips());
        const TravelParts& asked = wanted.travel;
        const auto add = [&](Code code, Severity severity, std::string found, std::string expected,
                             std::string remedy) {
            report_.findings.push_back({code, severity, wanted.range.where, std::move(found),
                                        std::move(expected), std::move(remedy)});
        };
        const bool figure = !source_->scene().skins.empty();  // parts of a machine may rise
        const bool goes = drift.ground_m > kDrift_m && !asked.ground,
                   circles = figure && drift.farthest_m > 2 * kDrift_m && !asked.ground,
                   climbs = figure && drift.climb_m > kDrift_m && !asked.height;
        const char* parts = (goes || circles) && climbs ? "\"ground\", \"height\""
                            : climbs && asked.ground    ? "\"ground\", \"height\""
                            : climbs                    ? "\"height\""
                                                        : "\"ground\"";
        const char* expected = "travel on the root, or the figure snaps back";
        const std::string remedy = fmt::format("travel = [{}]   # in the clip", parts);
        if (goes)
            add(Code::kTravelInHips, Severity::kWarning,
                fmt::format("the hips travel {:.2f} m, the root 0", drift.ground_m), expected,
                remedy);
        else if (circles)
            add(Code::kTravelInHips, Severity::kWarning,
                fmt::format("the hips go {:.2f} m away and come back, the root stays",
                            drift.farthest_m),
                expected, remedy);
        if (climbs)
            add(Code::kTravelInHips, Severity::kWarning,
                fmt::format("the hips end {:.2f} m higher or lower, the root stays", drift.climb_m),
                expected, remedy);
        const Travel& t = clip.travel;
        if (!wanted.range.pose && (asked.ground || asked.height || asked.heading) &&
            t.path_m < 1e-3 && std::abs(t.height_change_m) < 1e-3 &&
            std::abs(t.heading_change_rad) < 1e-3)
            add(Code::kTravelAbsent, Severity::kStop,
                fmt::format("travel was asked for, and \"{}\" stays where it is",
                            source_->skeleton()[source_->hips()].name),
                "hips that travel",
                "name the joint that does with hips = \"...\" under [travel], or take travel out "
                "of "
                "the clip");
    }

    Result<PackReport> finish(StagedFolder& folder) {
        if (apply_checks(recipe_.checks, report_.findings)) report_.proven = false;
        for (const auto& [code, level] : recipe_.checks)
            if (!level) report_.off.emplace_back(name(code));
        report_.folder = recipe_.output;
        MELLOW_CHECK(folder.write_text(
            "crate.json", [&](const TextSink& out) { manifest_json(report_, recipe_, out); }));
        MELLOW_CHECK(folder.write_text("report.json",
                                       [&](const TextSink& out) { report_json(report_, out); }));
        MELLOW_CHECK(folder.write_text("report.txt",
                                       [&](const TextSink& out) { report_text(report_, out); }));
        if (report_.proven) {
            MELLOW_TRY(StagedFolder::Placed placed, folder.commit(options_.keep));
            report_.backup = std::move(placed.backup);
            report_.removed_backups = std::move(placed.removed);
            report_.unchanged = placed.unchanged;
        } else {
            MELLOW_TRY(report_.folder, folder.keep_aside());
        }
        return std::move(report_);
    }

    const Recipe& recipe_;
    const PackOptions& options_;
    PackReport report_;
    std::optional<PackSource> source_;
    std::optional<SkinProof> skin_proof_;
    Clip memory_;  // samples of the last clip, which are no longer needed
    Crate crate_;  // what is drawn: the skin and the first clips, as they were read back
};

}  // namespace

Result<PackReport> pack(const Recipe& recipe, const PackOptions& options) {
    return Packer(recipe, options).run();
}

}  // namespace mellow
