#include "mellow/pack.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "crate/hash.h"
#include "mellow/bake.h"
#include "mellow/crate.h"
#include "mellow/fit.h"
#include "mellow/read.h"
#include "mellow/rig.h"
#include "mellow/safe_write.h"
#include "mellow/stock.h"
#include "mellow/write.h"
#include "pack/clip_json.h"

namespace mellow {
namespace {

std::size_t at(int i) { return static_cast<std::size_t>(i); }

constexpr double kLoopGap_m = 1e-3, kLoopGap_rad = 0.0087;  // 1 mm, half a degree
constexpr double kFastTurn_rad = 2.6;                       // 150 degrees a sample

class Packer {
  public:
    Packer(const Recipe& recipe, const PackOptions& options) : recipe_(recipe), options_(options) {}

    Result<PackReport> run() {
        report_.name = recipe_.name;
        report_.target = recipe_.target;
        report_.root = recipe_.root;
        report_.tolerance = recipe_.tolerance;
        report_.sources.push_back({"recipe", recipe_.file, recipe_.bytes, recipe_.hash});
        MELLOW_TRY(StagedFolder folder, StagedFolder::open(recipe_.output, options_.replace));
        MELLOW_CHECK(read_source());
        MELLOW_CHECK(bind_rigs());
        MELLOW_CHECK(make_skeleton());
        MELLOW_CHECK(write_skin(folder));
        for (std::size_t i = 0; i < recipe_.clips.size(); ++i) MELLOW_CHECK(pack_clip(i, folder));
        MELLOW_CHECK(prove_all(folder));
        return finish(folder);
    }

  private:
    void progress(const std::string& what) const {
        if (options_.progress) options_.progress(what);
    }

    Result<Bytes> load(const std::string& role, const std::filesystem::path& path) {
        MELLOW_TRY(Bytes bytes, read_file(path));
        report_.sources.push_back({role, path.filename().string(), bytes.size(), hash_hex(bytes)});
        return bytes;
    }

    Status read_source() {
        progress("reading " + recipe_.source);
        const auto path = recipe_.folder / recipe_.source;
        MELLOW_CHECK(ignore_value(load("scene", path)));
        MELLOW_TRY(ReadResult read, read_scene(path));
        scene_ = std::move(read.scene);
        take_findings(read.findings, {Code::kAssumed});
        MELLOW_CHECK(overrule(scene_, recipe_.truth, read.keys_on_frames));
        take_findings(take_stock(scene_).findings,
                      {Code::kUnbaked, Code::kStillTail, Code::kPrefix, Code::kLeftOut,
                       Code::kDefaultName, Code::kUnweighted});
        conversion_ = Conversion(scene_.convention, Convention{});
        convert(scene_, Convention{});
        return {};
    }

    static Status ignore_value(const Result<Bytes>& result) {
        return result ? Status() : Status(result.failure());
    }

    /// Takes findings into the report, but for codes that the recipe has answered.
    void take_findings(const Findings& findings, const std::vector<Code>& answered) {
        const bool all_said = recipe_.truth.whole();
        for (const Finding& f : findings) {
            const bool skip = std::find(answered.begin(), answered.end(), f.code) != answered.end();
            if (!skip || (f.code == Code::kAssumed && !all_said)) report_.findings.push_back(f);
        }
    }

    Result<int> timeline_of(const RecipeClip& clip) const {
        std::vector<std::string> names;
        for (const Timeline& t : scene_.timelines) names.push_back(t.name);
        const std::string bare = recipe_.strip_prefix + clip.timeline;
        for (std::size_t i = 0; i < names.size(); ++i)
            if (clip.timeline.empty() ? names.size() == 1
                                      : names[i] == clip.timeline || names[i] == bare)
                return static_cast<int>(i);
        return Finding{Code::kNameUnknown,
                       Severity::kStop,
                       clip.range.where,
                       clip.timeline.empty()
                           ? fmt::format("no timeline named and {} in the file", names.size())
                           : fmt::format("timeline \"{}\"", clip.timeline),
                       names.empty() ? "a file with animation"
                                     : fmt::format("one of: {}", fmt::join(names, ", ")),
                       "timeline = \"...\" in the clip"};
    }

    Status bind_rigs() {
        RigSheet sheet;
        if (!recipe_.rig.empty()) {
            MELLOW_TRY(const Bytes text, load("rig sheet", recipe_.folder / recipe_.rig));
            MELLOW_TRY(sheet,
                       parse_rig_sheet({reinterpret_cast<const char*>(text.data()), text.size()},
                                       std::filesystem::path(recipe_.rig).filename().string()));
            convert(sheet, conversion_);
        }
        if (sheet.prefix.empty()) sheet.prefix = recipe_.strip_prefix;
        for (const RecipeClip& clip : recipe_.clips) {
            MELLOW_TRY(const int timeline, timeline_of(clip));
            timelines_.push_back(timeline);
            if (rigs_.contains(timeline)) continue;
            MELLOW_TRY(Rig rig, Rig::bind(scene_, timeline, sheet));
            rigs_.emplace(timeline, std::move(rig));
        }
        return {};
    }

    Status make_skeleton() {
        std::vector<int> kept;
        std::vector<bool> joint(scene_.nodes.size(), scene_.skins.empty());
        for (const Skin& skin : scene_.skins)
            for (const int j : skin.joints) joint[at(j)] = true;
        for (std::size_t n = 0; n < joint.size(); ++n)
            if (joint[n] || scene_.nodes[n].mesh != kNone) kept.push_back(static_cast<int>(n));
        MELLOW_CHECK(strip(kept));
        MELLOW_TRY(ChosenJoints chosen, choose_joints(scene_, {recipe_.keep_joints}));
        skeleton_ = std::move(chosen.skeleton);
        sources_ = std::move(chosen.sources);
        MELLOW_CHECK(add_root(skeleton_, sources_, recipe_.root));
        for (const Joint& j : skeleton_.joints()) report_.joints.push_back(j.name);
        return find_hips();
    }

    Status strip(const std::vector<int>& kept) {
        auto stripped = strip_prefix(scene_, recipe_.strip_prefix, kept);
        if (!stripped) {
            Finding failure = stripped.failure();
            failure.where = recipe_.file + ", [source], strip_prefix";
            return failure;
        }
        if (!recipe_.strip_prefix.empty() && stripped.value() == 0)
            report_.findings.push_back(
                {Code::kPrefix, Severity::kWarning, recipe_.file + ", [source], strip_prefix",
                 fmt::format("no name begins with \"{}\"", recipe_.strip_prefix),
                 "a prefix that is there", "remove or correct the key"});
        return {};
    }

    Status find_hips() {
        if (!recipe_.hips.empty()) {
            hips_ = skeleton_.find(recipe_.hips);
            if (hips_ < 0)
                return Finding{Code::kNameUnknown,
                               Severity::kStop,
                               recipe_.file + ", [travel], hips",
                               fmt::format("no joint \"{}\"", recipe_.hips),
                               fmt::format("one of: {}", fmt::join(report_.joints, ", ")),
                               "correct the name"};
        } else {
            for (int j = 1; j < skeleton_.size() && hips_ < 0; ++j)
                if (skeleton_[j].name == "hips" || skeleton_[j].name == "Hips" ||
                    skeleton_[j].name == "pelvis")
                    hips_ = j;
            if (hips_ < 0 && skeleton_.size() > 1) {
                hips_ = 1;
                report_.findings.push_back(
                    {Code::kAssumed, Severity::kNote, recipe_.file + ", [travel]",
                     fmt::format("joint \"{}\" was taken for the hips", skeleton_[1].name),
                     "a joint named hips or pelvis",
                     fmt::format("hips = \"{}\"   # under [travel]", skeleton_[1].name)});
            }
            hips_ = std::max(hips_, 0);
        }
        report_.hips = skeleton_[hips_].name;
        return {};
    }

    /// Converts to the target, writes, and returns what was written.
    Result<FileRecord> write_scene(StagedFolder& folder, Scene scene, const std::string& role,
                                   const std::string& file) {
        convert(scene, recipe_.target_convention);
        const auto bytes = write_glb(scene);
        MELLOW_CHECK(folder.write(file, bytes));
        return FileRecord{role, file, bytes.size(), hash_hex(bytes)};
    }

    Status write_skin(StagedFolder& folder) {
        progress("writing " + recipe_.name + ".glb");
        Assembled skin = assemble_skin(scene_, skeleton_, sources_);
        take_findings(skin.findings, {});
        for (const Mesh& mesh : skin.scene.meshes)
            for (const std::string& target : mesh.target_names)
                report_.morph_targets.push_back(target);
        MELLOW_TRY(report_.skin,
                   write_scene(folder, std::move(skin.scene), "skin", recipe_.name + ".glb"));
        return {};
    }

    Status pack_clip(std::size_t i, StagedFolder& folder) {
        const RecipeClip& wanted = recipe_.clips[i];
        progress(
            fmt::format("baking {} ({} of {})", wanted.range.name, i + 1, recipe_.clips.size()));
        const Timeline& timeline = scene_.timelines[at(timelines_[i])];
        const auto span = key_span(timeline);
        const double k = scene_.rate.per_second();
        MELLOW_TRY(
            PlannedRange planned,
            plan_range(wanted.range, static_cast<std::int64_t>(std::floor(span[0] * k + 1e-3)),
                       static_cast<std::int64_t>(std::ceil(span[1] * k - 1e-3)), scene_.rate,
                       recipe_.rate));
        take_findings(planned.findings, {});
        check_overlap(i);
        Baked baked =
            bake(scene_, rigs_.at(timelines_[i]).source(), planned.plan, skeleton_, sources_);
        PackedClip packed;
        packed.plan = planned.plan;
        packed.timeline = timeline.name;
        note_losses(baked, packed);
        Clip& clip = baked.clip;
        extract_travel(clip, skeleton_, hips_, wanted.travel);
        packed.gap = loop_gap(clip);
        check_motion(clip, packed, wanted);
        if (clip.loop == LoopForm::kClosed && recipe_.loop_form == LoopForm::kOpen) open_loop(clip);
        const Conversion out({}, recipe_.target_convention);
        MELLOW_TRY(packed.file,
                   write_scene(folder, assemble_clip(skeleton_, clip, clip_extras(clip, out)),
                               "clip", "clips/" + clip.name + ".glb"));
        clip.joints.clear();
        for (MorphTrack& track : clip.morphs) track.weights.clear();
        packed.clip = std::move(clip);
        report_.clips.push_back(std::move(packed));
        return {};
    }

    void check_overlap(std::size_t i) {
        const Range& a = recipe_.clips[i].range;
        for (std::size_t j = 0; j < i; ++j) {
            const Range& b = recipe_.clips[j].range;
            const std::int64_t first = std::max(a.first, b.first), last = std::min(a.last, b.last);
            if (timelines_[i] != timelines_[j] || first > last) continue;
            report_.findings.push_back(
                {Code::kRangeOverlap, first == last ? Severity::kNote : Severity::kWarning, a.where,
                 first == last
                     ? fmt::format("frame {} is shared with clip \"{}\"", first, b.name)
                     : fmt::format("frames {}..{} are in clip \"{}\" too", first, last, b.name),
                 "ranges of their own", "nothing, if this is meant"});
        }
    }

    void note_losses(const Baked& baked, PackedClip& packed) {
        for (int j = 0; j < skeleton_.size(); ++j) {
            const JointLoss& loss = baked.losses[at(j)];
            const std::string where =
                fmt::format("clip \"{}\", joint \"{}\"", baked.clip.name, skeleton_[j].name);
            if (loss.shear > packed.worst_shear)
                packed.worst_shear = loss.shear, packed.shear_joint = skeleton_[j].name;
            if (loss.shear > 1e-4)
                report_.findings.push_back(
                    {Code::kShear, Severity::kWarning, where,
                     fmt::format("shear of {:.3g} at sample {} cannot be kept", loss.shear,
                                 loss.shear_sample),
                     "even scale above turned joints",
                     "scale evenly in the source; positions are exact all the same"});
            if (loss.smallest_scale < 1e-6)
                report_.findings.push_back(
                    {Code::kZeroScale, Severity::kWarning, where, "a scale of zero",
                     "a size above zero",
                     "what is hidden by scale may be lit or culled wrongly in an engine"});
            if (loss.fastest_turn_rad > kFastTurn_rad)
                report_.findings.push_back(
                    {Code::kFastTurn, Severity::kWarning, where,
                     fmt::format("{:.0f} degrees from sample {} to {}",
                                 loss.fastest_turn_rad * 57.29577951, loss.fastest_sample - 1,
                                 loss.fastest_sample),
                     "less than half a turn per sample",
                     fmt::format("a target rate of {}",
                                 to_text(FrameRate{recipe_.rate.num * 2, recipe_.rate.den}))});
        }
    }

    void check_motion(const Clip& clip, const PackedClip& packed, const RecipeClip& wanted) {
        const LoopGap& gap = packed.gap;
        const double drift = hips_drift(clip, skeleton_, hips_);
        const std::string where = wanted.range.where;
        if (drift > 0.3 && !wanted.travel.ground)
            report_.findings.push_back({Code::kTravelInHips, Severity::kWarning, where,
                                        fmt::format("the hips travel {:.2f} m, the root 0", drift),
                                        "travel on the root, or the figure snaps back",
                                        "travel = [\"ground\"]   # in the clip"});
        else if (clip.loop == LoopForm::kClosed &&
                 (gap.distance_m > kLoopGap_m || gap.angle_rad > kLoopGap_rad || gap.weight > 0.01))
            report_.findings.push_back(
                {Code::kLoopOpen, Severity::kWarning, where,
                 fmt::format(
                     "last and first pose differ by {:.1f} mm, {:.2f} degrees{}, weight {:.3f}",
                     gap.distance_m * 1000, gap.angle_rad * 57.29577951,
                     gap.joint < 0 ? "" : fmt::format(" at \"{}\"", skeleton_[gap.joint].name),
                     gap.weight),
                 "a loop whose last frame repeats the first",
                 "end the range on the frame that repeats the first, or drop loop = true"});
    }

    Result<Scene> read_back(const StagedFolder& folder, const std::string& file) const {
        MELLOW_TRY(ReadResult read, read_scene(folder.path() / file));
        read.scene.convention = recipe_.target_convention;
        convert(read.scene, Convention{});
        read.scene.rate = recipe_.rate;
        snap_keys(read.scene);
        return std::move(read.scene);
    }

    Status prove_all(StagedFolder& folder) {
        progress("reading back and measuring");
        Crate crate{report_.name, recipe_.target_convention, {}, {}, {}};
        MELLOW_TRY(crate.skin, read_back(folder, report_.skin.file));
        const Bounds bounds = mesh_bounds(crate.skin, rest_pose(crate.skin));
        if (bounds.any) report_.height_m = bounds.high.y - bounds.low.y;
        report_.proven = true;
        for (std::size_t i = 0; i < report_.clips.size(); ++i) {
            PackedClip& packed = report_.clips[i];
            MELLOW_TRY(Scene motion, read_back(folder, packed.file.file));
            const PoseSource poses = rigs_.at(timelines_[i]).source();
            auto proof =
                prove_clip({scene_, poses, packed.plan, skeleton_, sources_}, crate.skin, motion);
            Status good =
                proof ? within(proof.value(), recipe_.tolerance) : Status(proof.failure());
            if (proof) packed.proof = std::move(proof).value();
            if (!good) report_.findings.push_back(good.failure());
            report_.proven = report_.proven && good.ok();
            if (!recipe_.picture) continue;
            crate.motions.push_back(std::move(motion));
            crate.clips.push_back(packed.clip);
        }
        if (!recipe_.picture || !report_.proven) return {};
        progress("drawing");
        MELLOW_TRY(const std::vector<std::uint8_t> png, draw_crate(crate));
        MELLOW_CHECK(folder.write("sheet.png", png));
        report_.picture = {"picture", "sheet.png", png.size(), hash_hex(png)};
        return {};
    }

    Result<PackReport> finish(StagedFolder& folder) {
        report_.folder = recipe_.output;
        const auto write_text = [&](const std::string& file, const std::string& text) {
            return folder.write(file,
                                {reinterpret_cast<const std::uint8_t*>(text.data()), text.size()});
        };
        MELLOW_CHECK(write_text("crate.json", manifest_json(report_, recipe_)));
        MELLOW_CHECK(write_text("report.json", report_json(report_)));
        MELLOW_CHECK(write_text("report.txt", report_text(report_)));
        if (report_.proven) {
            MELLOW_TRY(report_.backup, folder.commit());
        } else {
            MELLOW_TRY(report_.folder, folder.keep_aside());
        }
        return std::move(report_);
    }

    const Recipe& recipe_;
    const PackOptions& options_;
    PackReport report_;
    Scene scene_;
    Conversion conversion_;
    std::map<int, Rig> rigs_;
    std::vector<int> timelines_;  // of each clip
    Skeleton skeleton_;
    JointSources sources_;
    int hips_ = -1;
};

}  // namespace

Result<PackReport> pack(const Recipe& recipe, const PackOptions& options) {
    return Packer(recipe, options).run();
}

}  // namespace mellow
