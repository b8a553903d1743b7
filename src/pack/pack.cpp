#include "mellow/pack.h"

#include <fmt/format.h>

#include <algorithm>
#include <optional>

#include "base/at.h"
#include "crate/hash.h"
#include "mellow/crate.h"
#include "mellow/fit.h"
#include "mellow/parallel.h"
#include "mellow/safe_write.h"
#include "pack/checks.h"
#include "pack/clip_judge.h"
#include "pack/pack_clip.h"
#include "pack/standing_crate.h"

namespace mellow {
namespace {

/// Joint samples in memory at the same time, over all clips that are being packed: clips overlap
/// as parallel work, but a few long ones do not take a multiple of their room.
constexpr std::int64_t kJointSamples = 4'000'000;

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
        if (options_.replace && !options_.all) standing_ = StandingCrate::open(recipe_);
        if (standing_ && standing_->fits(recipe_))
            if (auto same = standing_->report(recipe_)) return std::move(*same);
        progress("reading " + recipe_.source);
        MELLOW_TRY(jobs_, Jobs::read(recipe_, report_, options_.progress));
        if (jobs_->clips().empty()) return nothing_left();
        MELLOW_CHECK(write_skin(folder));
        report_.proven = report_.skipped.empty();
        MELLOW_CHECK(pack_clips(folder));
        if (recipe_.picture && fit_to_place()) MELLOW_CHECK(draw(folder));
        return finish(folder);
    }

  private:
    void progress(const std::string& what, std::size_t done = 0, std::size_t of = 0) const {
        if (options_.progress) options_.progress({what, done, of});
    }

    /// Everything that could be used was left out.
    Findings nothing_left() {
        Findings all;
        for (SkippedFile& skipped : report_.skipped) append(all, std::move(skipped.findings));
        return all;
    }

    /// What is left out as the recipe allows keeps a crate from being proven, not from standing.
    bool fit_to_place() const { return report_.proven || (recipe_.skip_bad && all_passed_); }

    /// Says what several clips share once.
    void say_once(const Findings& findings) {
        for (const Finding& f : findings) {
            const bool said = std::any_of(
                report_.findings.begin(), report_.findings.end(), [&](const Finding& other) {
                    return other.code == f.code && other.where == f.where && other.found == f.found;
                });
            if (!said) report_.findings.push_back(f);
        }
    }

    Status write_skin(StagedFolder& folder) {
        progress("writing " + recipe_.name + ".glb");
        const Figure& figure = jobs_->figure();
        Assembled skin = assemble_skin(figure.scene(), figure.skeleton(), figure.sources());
        say_once(skin.findings);
        for (const Mesh& mesh : skin.scene.meshes)
            for (const std::string& target : mesh.target_names)
                report_.morph_targets.push_back(target);
        MELLOW_TRY(report_.skin, write_scene(folder, recipe_, std::move(skin.scene), "skin",
                                             recipe_.name + ".glb"));
        MELLOW_TRY(crate_.skin, read_back(folder, recipe_, report_.skin.file));
        crate_.name = report_.name;
        crate_.convention = recipe_.target_convention;
        const Bounds bounds = mesh_bounds(crate_.skin, rest_pose(crate_.skin));
        if (bounds.any) report_.height_m = bounds.high.y - bounds.low.y;
        check_size(bounds);
        MELLOW_TRY(SkinProof proof,
                   SkinProof::make({figure.scene(), figure.skeleton(), figure.sources(),
                                    figure.unsimplified(), figure.accepted()},
                                   crate_.skin));
        skin_proof_.emplace(std::move(proof));
        return prove_winding(figure.scene(), crate_.skin);
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

    /// Clips are baked, written and measured side by side, and told of in their order. Only a few
    /// are in memory at any time.
    Status pack_clips(StagedFolder& folder) {
        const std::vector<ClipJob>& clips = jobs_->clips();
        const CrateInProgress crate{recipe_,      *jobs_,  folder,
                                    *skin_proof_, report_, standing_.get()};
        std::int64_t longest = 1;
        for (const ClipJob& job : clips)
            longest = std::max(
                longest, std::int64_t{job.range.plan.samples} * jobs_->figure().skeleton().size());
        Pool<Clip> memory([] { return std::make_unique<Clip>(); });
        const auto in_flight = static_cast<std::size_t>(
            std::clamp<std::int64_t>(kJointSamples / longest, 1, 2 * parallel_threads()));
        // No more are begun and not yet told of, so that their places can be used again.
        std::vector<std::optional<Result<ClipResult>>> results(in_flight);
        Status failed;
        report_.clips.reserve(clips.size());
        parallel_in_order(
            clips.size(), in_flight,
            [&](std::size_t i) {
                auto room = memory.take();
                auto& result = results[i % in_flight];
                result = pack_clip(crate, clips[i], std::move(*room));
                if (*result) *room = std::move(result->value().memory);
                memory.give_back(std::move(room));
            },
            [&](std::size_t i) {
                progress("packing " + clips[i].clip.range.name, i + 1, clips.size());
                auto& result = results[i % in_flight];
                if (*result)
                    take_result(i, std::move(*result).value());
                else if (recipe_.skip_bad)
                    skip(i, result->failures());
                else
                    failed = result->failures();
                result.reset();
                return failed.ok();
            });
        return failed;
    }

    void skip(std::size_t i, Findings why) {
        report_.skipped.push_back({jobs_->clips()[i].clip.range.where, std::move(why)});
        report_.proven = false;
    }

    void take_result(std::size_t i, ClipResult result) {
        const std::size_t said = report_.findings.size();
        PackedClip& packed = result.packed;
        say_once(packed.shared);
        append(report_.findings, judge_overlap(jobs_->clips(), i));
        append(report_.findings, packed.findings);
        report_.reused += packed.reused ? 1 : 0;
        if (apply_checks(recipe_.checks, report_.findings, said)) packed.passed = false;
        all_passed_ = all_passed_ && packed.passed;
        report_.proven = report_.proven && packed.passed;
        if (recipe_.picture && crate_.clips.size() < kMostDrawn) {
            crate_.motions.push_back(std::move(result.motion));
            drawn_reused_ += packed.reused ? 1 : 0;
            crate_.clips.push_back(packed.clip);
        }
        report_.clips.push_back(std::move(packed));
    }

    Status draw(StagedFolder& folder) {
        progress("drawing");
        MELLOW_TRY(const Bytes png, picture(folder));
        MELLOW_CHECK(folder.write("sheet.png", png));
        report_.picture = {"picture", "sheet.png", png.size(), hash_hex(png)};
        if (report_.clips.size() > crate_.clips.size())
            report_.findings.push_back({Code::kLeftOut, Severity::kNote, "sheet.png",
                                        fmt::format("the first {} of {} clips are drawn",
                                                    crate_.clips.size(), report_.clips.size()),
                                        "", ""});
        return {};
    }

    /// The contact sheet; that of the crate that stands there, where nothing on it has changed.
    Result<Bytes> picture(const StagedFolder& folder) {
        if (standing_ && drawn_reused_ == crate_.clips.size() &&
            standing_->skin().hash == report_.skin.hash && same_drawn())
            if (auto have = standing_->picture()) return std::move(*have);
        for (std::size_t i = 0; i < crate_.motions.size(); ++i)
            if (crate_.motions[i].nodes.empty()) {
                MELLOW_TRY(crate_.motions[i],
                           read_back(folder, recipe_, report_.clips[i].file.file));
            }
        MELLOW_TRY(const std::vector<std::uint8_t> png, draw_crate(crate_));
        return Bytes(png.begin(), png.end());
    }

    bool same_drawn() const {
        const std::vector<std::string>& names = standing_->names();
        const std::size_t drawn = crate_.clips.size();
        if (std::min(names.size(), kMostDrawn) != drawn) return false;
        return std::equal(names.begin(), names.begin() + static_cast<std::ptrdiff_t>(drawn),
                          crate_.clips.begin(),
                          [](const std::string& a, const mellow::Clip& b) { return a == b.name; });
    }

    Result<PackReport> finish(StagedFolder& folder) {
        if (apply_checks(recipe_.checks, report_.findings)) report_.proven = all_passed_ = false;
        for (const auto& [code, level] : recipe_.checks)
            if (!level) report_.off.emplace_back(name(code));
        report_.folder = recipe_.output;
        MELLOW_CHECK(folder.write_text(
            "crate.json", [&](const TextSink& out) { manifest_json(report_, recipe_, out); }));
        MELLOW_CHECK(folder.write_text("report.json",
                                       [&](const TextSink& out) { report_json(report_, out); }));
        MELLOW_CHECK(folder.write_text("report.txt",
                                       [&](const TextSink& out) { report_text(report_, out); }));
        MELLOW_CHECK(
            folder.write_text("recipe.toml", [&](const TextSink& out) { out(recipe_.text); }));
        if (fit_to_place()) {
            MELLOW_TRY(StagedFolder::Placed placed, folder.commit(options_.keep));
            report_.placed = true;
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
    std::unique_ptr<Jobs> jobs_;
    std::optional<SkinProof> skin_proof_;
    bool all_passed_ = true;
    std::unique_ptr<StandingCrate> standing_;
    std::size_t drawn_reused_ = 0;
    Crate crate_;  // what is drawn: the skin and the first clips, as they were read back
};

}  // namespace

Result<PackReport> pack(const Recipe& recipe, const PackOptions& options) {
    return Packer(recipe, options).run();
}

}  // namespace mellow
