#include "mellow/write_crate.h"

#include <fmt/format.h>

#include <algorithm>
#include <optional>

#include "base/at.h"
#include "base/text.h"
#include "crate/clip_files.h"
#include "crate/clip_record.h"
#include "crate/file_names.h"
#include "disk/hash.h"
#include "figure/fitted_figure.h"
#include "mellow/crate.h"
#include "mellow/fit.h"
#include "mellow/recipe.h"
#include "mellow/shape.h"
#include "mellow/travel.h"
#include "pack/crate_files.h"
#include "plan/output_names.h"
#include "recipe/target_table.h"

namespace mellow {
namespace {

Finding misfit(const Place& where, std::string found, std::string expected, std::string remedy) {
    return {Code::kValueBad,  Severity::kStop,     where,
            std::move(found), std::move(expected), std::move(remedy)};
}

class CrateWriter {
  public:
    CrateWriter(const std::filesystem::path& folder, const CrateFigure& figure,
                const std::vector<CrateClip>& clips, const Target& target,
                const WriteCrateOptions& options)
        : place_(folder), figure_(figure), clips_(clips), target_(target), options_(options) {}

    Result<PackReport> run() {
        MELLOW_CHECK(fits());
        MELLOW_TRY(StagedFolder folder,
                   StagedFolder::open(place_, options_.replace, foreign_to_crate));
        folder_.emplace(std::move(folder));
        MELLOW_CHECK(begin());
        for (std::size_t i = 0; i < clips_.size(); ++i)
            if (!names_.clips[i].empty()) MELLOW_CHECK(add(i));
        return finish();
    }

  private:
    /// What the caller can have got wrong.
    Status fits() const {
        Findings wrong;
        if (clips_.empty())
            wrong.push_back(
                {Code::kNoMotion, Severity::kStop, "clips", "none", "at least one", ""});
        if (target_.layout == Layout::kOneFile || target_.layout == Layout::kSkinAndLibrary)
            wrong.push_back(misfit("target, layout", std::string(name(target_.layout)),
                                   "a layout with one file for each clip",
                                   "layout = \"skin-and-clips\" or \"clips-with-skin\""));
        if (target_.rest.from == RestRule::From::kFrame)
            wrong.push_back(misfit("target, rest", "a frame of a source", "a pose without a source",
                                   "rest = \"source\", or a skeleton that rests as it is wanted"));
        if (figure_.skeleton.size() == 0 || figure_.sources.size() != at(figure_.skeleton.size())) {
            wrong.push_back(misfit("figure",
                                   fmt::format("{} joints and {} sources", figure_.skeleton.size(),
                                               figure_.sources.size()),
                                   "at least one joint, and a source for each",
                                   "choose_joints() and add_root() give both"));
            return wrong;
        }
        for (const CrateClip& c : clips_) append(wrong, fits(c));
        return wrong;
    }

    /// Morph tracks are those of meshes of the figure; all tracks have their samples.
    Findings fits_tracks(const CrateClip& c, const Place& where) const {
        Findings wrong;
        const std::size_t samples = at(c.clip.samples);
        bool whole = true;
        for (const JointTrack& track : c.clip.joints)
            whole = whole && track.translation.size() == 3 * samples &&
                    track.rotation.size() == 4 * samples && track.scale.size() == 3 * samples;
        for (const ScalarTrack& track : c.clip.scalars)
            whole = whole && track.values.size() == samples;
        for (const MorphTrack& track : c.clip.morphs) {
            whole = whole && track.weights.size() == track.targets.size() * samples;
            const int node = find_node(figure_.scene, track.mesh);
            const int mesh = node == kNone ? kNone : figure_.scene.nodes[at(node)].mesh;
            if (mesh == kNone || figure_.scene.meshes[at(mesh)].target_names != track.targets)
                wrong.push_back(misfit(where, fmt::format("morph weights of \"{}\"", track.mesh),
                                       "a mesh of the figure, with all of its targets",
                                       "bake a take with morph_channels() of the figure"));
        }
        if (!whole)
            wrong.push_back(misfit(where, "a track of another length",
                                   fmt::format("{} samples", samples),
                                   "make_tracks() gives them room"));
        return wrong;
    }

    /// Whether the travel that a clip tells is that of its root.
    bool told_truly(const Clip& clip) const {
        const Travel is = travel_of_root(clip, figure_.skeleton), &told = clip.travel;
        const auto near = [](double a, double b) { return std::abs(a - b) <= 1e-3; };
        return near(is.distance_m, told.distance_m) && near(is.path_m, told.path_m) &&
               near(is.height_change_m, told.height_change_m) &&
               length(is.step - told.step) <= 1e-3 &&
               near(is.step_heading_rad, told.step_heading_rad);
    }

    Findings fits(const CrateClip& c) const {
        Findings wrong;
        const Place where = Place::of(fmt::format("clip \"{}\"", c.clip.name));
        const auto say = [&](std::string found, std::string expected, const char* remedy) {
            wrong.push_back(misfit(where, std::move(found), std::move(expected), remedy));
        };
        const std::size_t joints = at(figure_.skeleton.size());
        if (c.clip.name.empty()) say("no name", "one for each clip", "set clip.name");
        if (c.clip.joints.size() != joints || at(c.take.skeleton.size()) != joints)
            say(fmt::format("{} tracks, and a take of {} joints", c.clip.joints.size(),
                            c.take.skeleton.size()),
                fmt::format("{}, the joints of the figure", joints),
                "bake a take of the figure's own skeleton");
        if (!(c.clip.rate == target_.rate) || !(c.plan.rate == target_.rate))
            say(fmt::format("a clip at {}/s, planned at {}/s", to_text(c.clip.rate),
                            to_text(c.plan.rate)),
                to_text(target_.rate) + "/s, the target's", "plan it at the target's rate");
        if (c.clip.samples < 1 || c.clip.samples != c.plan.samples)
            say(fmt::format("{} samples, {} in its plan", c.clip.samples, c.plan.samples),
                "as many in both, at least one", "bake the clip by this plan");
        if (c.clip.loop == LoopForm::kOpen)
            say("an open loop", "a closed one; the target says how it is written", "close_loop()");
        if (wrong.empty()) append(wrong, fits_tracks(c, where));
        if (wrong.empty() && !c.clip.travel.channels && !told_truly(c.clip))
            say("a travel that is not what its root does", "figures of the root's own motion",
                "extract_travel() fills them; travel_of_root() where the root moves by itself");
        return wrong;
    }

    Status begin() {
        report_.name = options_.name;
        report_.target = target_;
        report_.folder = place_;
        report_.tolerance = options_.tolerance;
        report_.of_takes = true;
        report_.sources.insert(report_.sources.end(), target_.files.begin(), target_.files.end());
        MELLOW_TRY(
            FittedFigure fitted,
            FittedFigure::make({figure_.scene, figure_.skeleton, figure_.sources}, figure_.skeleton,
                               figure_.skeleton[0].name, target_, report_.findings));
        for (const Joint& joint : fitted.skeleton().joints()) report_.joints.push_back(joint.name);
        report_.root = fitted.skeleton()[0].name;
        if (const int hips = figure_.skeleton.find(figure_.hips); hips >= 0)
            report_.hips = fitted.name_of(hips);
        else if (!figure_.hips.empty())
            return Finding{Code::kNameUnknown,
                           Severity::kStop,
                           "hips",
                           fmt::format("no joint \"{}\"", figure_.hips),
                           suggest(figure_.hips, report_.joints),
                           "correct the name"};
        MELLOW_CHECK(name_files());
        Assembled skin =
            assemble_skin(fitted.scene(), fitted.skeleton(), fitted.sources(), &fitted.bound());
        say_once(report_.findings, skin.findings);
        MELLOW_TRY(packed_,
                   PackedFigure::make(std::move(fitted), std::move(skin.scene),
                                      {target_, names_.skin, &*folder_}, report_.findings));
        packed_->tell(report_);
        return {};
    }

    /// By the patterns of the target, as those of a recipe with these clips.
    Status name_files() {
        Recipe recipe;
        recipe.name = options_.name;
        recipe.source = options_.name + ".scene";  // {figure}
        std::vector<ClipJob> jobs(clips_.size());
        for (std::size_t i = 0; i < clips_.size(); ++i) {
            jobs[i].clip.range.name = clips_[i].clip.name;
            jobs[i].clip.labels = clips_[i].clip.labels;
        }
        MELLOW_TRY(names_, output_names(recipe, target_, jobs, {}));
        return {};
    }

    /// Meshes without skin can only be measured where the take says how they move.
    Status has_mounts(const CrateClip& c) const {
        std::vector<std::string> missing;
        for (const Mount& mount : packed_->proof().mounts())
            if (std::none_of(c.take.mounts.begin(), c.take.mounts.end(),
                             [&](const Mount& m) { return m.name == mount.name; }))
                missing.push_back(mount.name);
        if (missing.empty()) return {};
        return misfit(Place::of(fmt::format("clip \"{}\"", c.clip.name)),
                      "a take without the nodes of meshes: " + name_list(missing),
                      "their mounts, to measure what they carry",
                      "find_mounts() gives them; hand them to take_of() as parts");
    }

    Status add(std::size_t i) {
        const CrateClip& from = clips_[i];
        MELLOW_CHECK(has_mounts(from));
        PackedClip packed;
        packed.where = Place::of(fmt::format("clip \"{}\"", from.clip.name));
        packed.plan = from.plan;
        packed.plan.clip = from.clip.name;
        packed.timeline = from.from.empty() ? from.clip.name : from.from;
        packed.gap = loop_gap(from.clip, figure_.skeleton);
        Clip clip = from.clip;
        if (!names_.ids.empty()) clip.labels.id = names_.ids[i];
        MELLOW_CHECK(name_cues(clip));
        MELLOW_CHECK(fit_to(target_, packed_->fitted(), clip, packed));
        MELLOW_TRY(Scene motion, write_clip(*folder_, target_, *packed_, std::move(clip),
                                            names_.clips[i], packed));
        say_once(report_.findings, packed.shared);
        prove(from, motion, packed);
        know_demands(packed, known_);
        if (options_.picture && drawn_.clips.size() < kMostDrawn) {
            drawn_.clips.push_back(packed.clip);
            drawn_.motions.push_back(std::move(motion));
        }
        report_.clips.push_back(settled(packed, target_.convention));
        return {};
    }

    /// Joints of cues as they are called in the crate.
    Status name_cues(Clip& clip) const {
        for (Cue& cue : clip.cues) {
            if (cue.joint.empty()) continue;
            const int joint = figure_.skeleton.find(cue.joint);
            if (joint < 0)
                return Finding{
                    Code::kNameUnknown,
                    Severity::kStop,
                    Place::of(fmt::format("clip \"{}\", cue \"{}\"", clip.name, cue.name)),
                    fmt::format("no joint \"{}\"", cue.joint),
                    suggest(cue.joint, report_.joints),
                    "correct the name"};
            cue.joint = packed_->fitted().name_of(joint);
        }
        return {};
    }

    void prove(const CrateClip& from, const Scene& motion, PackedClip& packed) {
        const auto proof = prove_clip(packed_->fitted().take(from.take, packed_->proof().mounts()),
                                      packed.plan, packed_->proof(), motion);
        Status good = proof ? within(proof.value(), options_.tolerance) : Status(proof.failures());
        if (proof) packed.proof = proof.value();
        packed.passed = good.ok();
        if (!good) append(packed.findings, good.failures());
        append(report_.findings, packed.findings);
    }

    Result<PackReport> finish() {
        if (!drawn_.clips.empty()) {
            drawn_.name = report_.name;
            drawn_.convention = target_.convention;
            drawn_.skin = packed_->skin();
            MELLOW_TRY(const std::vector<std::uint8_t> png, draw_crate(drawn_));
            MELLOW_CHECK(folder_->write("sheet.png", png));
            report_.picture = {FileRole::kPicture, kSheetFile, png.size(), hash_hex(png)};
        }
        check_written(folder_->path(), target_, std::move(known_), report_);
        report_.proven =
            std::none_of(report_.findings.begin(), report_.findings.end(),
                         [](const Finding& f) { return f.severity == Severity::kStop; });
        MELLOW_CHECK(write_tables(*folder_, report_));
        MELLOW_CHECK(place(*folder_, report_.proven, options_.keep, report_));
        return std::move(report_);
    }

    const std::filesystem::path& place_;
    const CrateFigure& figure_;
    const std::vector<CrateClip>& clips_;
    const Target& target_;
    const WriteCrateOptions& options_;
    PackReport report_;
    std::optional<StagedFolder> folder_;
    OutputNames names_;
    std::shared_ptr<const PackedFigure> packed_;
    KnownDemands known_;
    Crate drawn_;  ///< the first clips, as they were read back
};

}  // namespace

Result<PackReport> write_crate(const std::filesystem::path& folder, const CrateFigure& figure,
                               const std::vector<CrateClip>& clips, const Target& target,
                               const WriteCrateOptions& options) {
    return CrateWriter(folder, figure, clips, target, options).run();
}

}  // namespace mellow
