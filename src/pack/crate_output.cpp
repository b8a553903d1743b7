#include "pack/crate_output.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

#include "base/at.h"
#include "base/text.h"
#include "check/check_folder.h"
#include "crate/clip_json.h"
#include "crate/clip_record.h"
#include "figure/driven_weights.h"
#include "figure/kept_drives.h"
#include "mellow/fit.h"
#include "mellow/shaping.h"
#include "pack/clip_judge.h"
#include "pack/crate_files.h"
#include "plan/clip_cues.h"
#include "recipe/checks.h"
#include "recipe/target_table.h"

namespace mellow {
namespace {

/// Vertices this far from their places are where they were: the rounding of files.
constexpr double kSameShape_m = 1e-4;
/// Beyond this a source's own rest pose is another than that of its meshes.
constexpr double kOtherShape_m = 0.01;

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

/// A cue for each time that a foot is set down: step_left, step_right or step.
void append_steps(const MotionCheck& check, const SamplePlan& plan, std::vector<Cue>& out) {
    for (const FootMotion& foot : check.feet) {
        const auto other = other_side(foot.joint);
        // Of two names of a pair the one with L or left comes first.
        const std::string side = !other ? "" : foot.joint < *other ? "_left" : "_right";
        for (const Contact& contact : foot.contacts) {
            if (contact.first == 0 && !plan.loop) continue;  // it stood before
            if (plan.loop && contact.first == plan.samples - 1) continue;
            if (contact.first == 0 && foot.contacts.back().last == plan.samples - 1)
                continue;  // it stands over the seam
            Cue cue;
            cue.name = "step" + side;
            cue.first = cue.last = plan.rate.seconds(contact.first);
            cue.joint = foot.joint;
            out.push_back(std::move(cue));
        }
    }
    std::stable_sort(out.begin(), out.end(),
                     [](const Cue& a, const Cue& b) { return a.first < b.first; });
}

}  // namespace

std::filesystem::path output_of(const Recipe& recipe, const Target& target) {
    return recipe.targets.size() > 1 ? recipe.output / target.name : recipe.output;
}

CrateOutput::CrateOutput(const Recipe& recipe, const Target& target, const PackOptions& options)
    : recipe_(recipe), target_(target), options_(options) {
    report_.name = recipe.name;
    report_.target = target;
    report_.folder = output_of(recipe, target);
    report_.tolerance = recipe.tolerance;
}

Status CrateOutput::open() {
    MELLOW_TRY(auto standing, StandingCrate::open(report_.folder, recipe_, target_));
    const bool own = standing && is_own(*standing);
    std::filesystem::path place = report_.folder;
    if (options_.rehearse) {
        std::error_code error;
        const auto scratch = std::filesystem::temp_directory_path(error);
        if (error)
            return Finding{Code::kOutputUnwritable,
                           Severity::kStop,
                           "TMPDIR",
                           "no folder for files that are not kept: " + error.message(),
                           "a folder that exists and can be written to",
                           "export TMPDIR=/tmp"};
        place = scratch / fmt::format("mellow-{}-{}", recipe_.name, target_.name);
    }
    MELLOW_TRY(
        StagedFolder folder,
        StagedFolder::open(place, options_.rehearse || options_.replace || own, foreign_to_crate));
    folder_.emplace(std::move(folder));
    return look_into(std::move(standing), own);
}

Status CrateOutput::look() {
    MELLOW_TRY(auto standing, StandingCrate::open(report_.folder, recipe_, target_));
    const bool own = standing && is_own(*standing);
    return look_into(std::move(standing), own);
}

/// True for the part of the same share.
bool CrateOutput::is_own(const StandingCrate& crate) const {
    const auto have = crate.manifest().share;
    return have && options_.share && have->number == options_.share->number &&
           have->of == options_.share->of;
}

Status CrateOutput::look_into(std::unique_ptr<StandingCrate> standing, bool own) {
    if (options_.all) return {};
    if (options_.replace || own) standing_ = std::move(standing);
    for (const std::filesystem::path& from : options_.from)
        for (const auto& place : {from, from / target_.name}) {
            MELLOW_TRY(auto crate, StandingCrate::open(place, recipe_, target_));
            if (crate) from_.push_back(std::move(crate));
        }
    return {};
}

std::optional<PackReport> CrateOutput::unchanged() const {
    if (!standing_ || options_.share || !standing_->fits(recipe_, target_)) return {};
    return standing_->report(recipe_, target_);
}

Status CrateOutput::begin(const Jobs& jobs) {
    jobs_ = &jobs;
    overlaps_.emplace(jobs.clips());
    const InputNotes& notes = jobs.notes();
    report_.sources = {{FileRole::kRecipe, recipe_.file, recipe_.bytes, recipe_.hash}};
    report_.sources.insert(report_.sources.end(), target_.files.begin(), target_.files.end());
    report_.sources.insert(report_.sources.end(), notes.files.begin(), notes.files.end());
    report_.findings = notes.findings;
    report_.skipped = notes.skipped;
    report_.drives = jobs.figure().drives();
    report_.turns = jobs.figure().turns();
    MELLOW_TRY(FittedFigure fitted,
               FittedFigure::make(jobs.figure(), recipe_, target_, report_.findings));
    fitted_.emplace(std::move(fitted));
    const FittedFigure& figure = *fitted_;
    report_.joints.clear();
    for (const Joint& joint : figure.skeleton().joints()) report_.joints.push_back(joint.name);
    report_.root = figure.skeleton()[0].name;
    report_.hips = figure.name_of(jobs.figure().hips());
    const auto own_name = [&](const std::string& name) {
        const int joint = jobs.figure().skeleton().find(name);
        return joint < 0 ? name : figure.name_of(joint);
    };
    keep_of(figure.scene(), report_.drives);  // targets may have been dropped, or baked
    for (auto& [joint, turn] : report_.turns) joint = own_name(joint);
    for (KeptDrive& drive : report_.drives)
        for (KeptDrive::Input& input : drive.inputs) input.joint = own_name(input.joint);
    for (const std::string& joint : figure.fit().surplus)
        for (const auto* named : {&recipe_.joints.keep.names, &recipe_.joints.keep.match})
            if (fits_any(*named, joint) || fits_any(*named, recipe_.strip_prefix + joint))
                report_.findings.push_back(
                    {Code::kNoEffect, Severity::kWarning, target_.joints.where,
                     fmt::format("keep of \"{}\" changes nothing: the list does not name it",
                                 joint),
                     "joints of the list", "add it to the list, or take it out of keep"});
    MELLOW_TRY(const auto numbers, numbers_before(recipe_, target_, options_));
    MELLOW_TRY(names_, output_names(recipe_, target_, jobs.clips(), numbers));
    note_not_chosen();
    if (!names_.otherwise.empty())
        report_.findings.push_back(
            {Code::kAssumed, Severity::kNote, target_.where,
             fmt::format("clips whose files are called otherwise, as the target's rule for names "
                         "wants: {}",
                         name_list(names_.otherwise)),
             "", ""});
    if (recipe_.thumbnails && !recipe_.thumbnails->around.empty() &&
        figure.skeleton().find(recipe_.thumbnails->around) < 0)
        return Finding{Code::kNameUnknown,
                       Severity::kStop,
                       Place::in(recipe_.file).at("[output], thumbnails, around"),
                       fmt::format("no joint \"{}\" in the crate", recipe_.thumbnails->around),
                       suggest(recipe_.thumbnails->around, report_.joints),
                       "correct the name"};
    MELLOW_CHECK(write_skin());
    if (options_.share) MELLOW_CHECK(settle_share());
    report_.proven = report_.skipped.empty();
    report_.clips.reserve(jobs.clips().size());
    if (shares_a_file()) kept_.resize(jobs.clips().size());
    return {};
}

void CrateOutput::note_not_chosen() {
    std::vector<std::string> left;
    for (std::size_t i = 0; i < jobs_->clips().size(); ++i)
        if (!is_chosen(target_, jobs_->clips()[i].clip))
            left.push_back(jobs_->clips()[i].clip.range.name);
    if (!left.empty())
        report_.findings.push_back(
            {Code::kLeftOut, Severity::kNote, target_.where,
             fmt::format("{} of {} clips, which this target does not take: "
                         "{}",
                         left.size(), jobs_->clips().size(), name_list(left)),
             "", ""});
}

Status CrateOutput::write_skin() {
    const FittedFigure& figure = *fitted_;
    Assembled skin =
        assemble_skin(figure.scene(), figure.skeleton(), figure.sources(), &figure.bound());
    say_once(report_.findings, skin.findings);
    MELLOW_CHECK(settle_rest(skin.scene));
    if (target_.layout == Layout::kOneFile || target_.layout == Layout::kClipsWithSkin)
        skin_scene_ = skin.scene;
    MELLOW_TRY(const Bounds bounds, mellow::write_skin(folder(), std::move(skin.scene), target_,
                                                       names_.skin, report_, crate_));
    check_size(bounds);
    MELLOW_TRY(SkinProof proof, SkinProof::make({figure.scene(), figure.bound(), figure.sources(),
                                                 figure.unsimplified(), jobs_->figure().accepted()},
                                                crate_.skin));
    skin_proof_.emplace(std::move(proof));
    return prove_winding(figure.scene(), crate_.skin);
}

/// Meshes at a rest pose that is not the source's.
Status CrateOutput::settle_rest(Scene& skin) {
    const RestRule& rest = target_.rest;
    if (rest.from == RestRule::From::kSource) {
        const RestShape shape = shape_at_rest(skin);
        if (shape.far_m > kOtherShape_m)
            report_.findings.push_back(
                {Code::kRestShape, Severity::kWarning, Place::in(recipe_.source),
                 fmt::format("vertices of \"{}\" are up to {:.4g} mm at rest from where the mesh "
                             "has them: it was bound in another pose than its joints rest in",
                             shape.mesh, shape.far_m * 1000),
                 "meshes that were bound in the rest pose",
                 "nothing, if it plays as it should; else bind it anew in the source"});
        return {};
    }
    if (!report_.drives.empty()) {
        report_.findings.push_back({Code::kLeftOut, Severity::kWarning, rest.where,
                                    fmt::format("{} drives, which count from the rest pose of the "
                                                "source",
                                                report_.drives.size()),
                                    "", "rest = \"source\", where an engine drives joints itself"});
        report_.drives.clear();
    }
    const RestShape shape = shape_at_rest(skin);
    if (shape.far_m < kSameShape_m) return {};
    if (rest.posed) MELLOW_CHECK(bind_at_rest(skin));
    report_.findings.push_back(
        {Code::kRestShape, rest.posed ? Severity::kNote : Severity::kWarning, rest.where,
         fmt::format("vertices of \"{}\" are up to {:.4g} mm at rest from where the source has "
                     "them{}",
                     shape.mesh, shape.far_m * 1000,
                     rest.posed ? "; meshes take that shape, and are bound in it" : ""),
         rest.posed ? "" : "meshes that were bound in this pose",
         rest.posed ? ""
                    : "rest_skin = \"posed\"   # binds them in it; what that costs is measured"});
    return {};
}

/// A figure of a size that is no figure's, or that the target does not want.
void CrateOutput::check_size(const Bounds& bounds) {
    if (!bounds.any) return;
    const Vec3 size = bounds.high - bounds.low;
    const double longest = std::max({size.x, size.y, size.z});
    if (longest > 0 && (longest < 0.05 || longest > 50))
        report_.findings.push_back({Code::kSizeSuspect, Severity::kStop, "figure",
                                    fmt::format("{:.4g} m at its longest", longest), "0.05 to 50 m",
                                    "unit = \"...\" under [source] says what its numbers are; "
                                    "size-suspect = \"warn\" under "
                                    "[checks] lets it pass"});
    if (!target_.height_m ||
        (report_.height_m >= (*target_.height_m)[0] && report_.height_m <= (*target_.height_m)[1]))
        return;
    report_.findings.push_back(
        {Code::kSizeSuspect, Severity::kStop, "figure",
         fmt::format("{:.4g} m tall", report_.height_m),
         fmt::format("{} to {} m, height of the target", (*target_.height_m)[0],
                     (*target_.height_m)[1]),
         "unit = \"...\" under [source] says what its numbers are; size-suspect = \"warn\" under "
         "[checks] lets it pass"});
}

FileFormat CrateOutput::shared_format() const {
    return target_.layout == Layout::kOneFile ? target_.skin_format : target_.clip_format;
}

bool CrateOutput::shares_a_file() const {
    return target_.layout == Layout::kSkinAndLibrary || target_.layout == Layout::kOneFile;
}

/// True where both crates have all joints of the figure with the parents they have in it, and the
/// skin as it is.
bool CrateOutput::is_like(const CrateOutput& other) const {
    const auto whole = [&](const CrateOutput& crate) {
        const JointFit& fit = crate.fitted_->fit();
        return crate.target_.morphs.empty() && !crate.shares_a_file() && fit.surplus.empty() &&
               std::find(fit.plain.begin(), fit.plain.end(), false) == fit.plain.end() &&
               std::find(fit.from.begin(), fit.from.end(), kNone) == fit.from.end();
    };
    return whole(*this) && whole(other) && target_.influences == other.target_.influences &&
           target_.loop_form == other.target_.loop_form;
}

/// What joints of this crate are called in another.
std::map<std::string, std::string> CrateOutput::names_in(const CrateOutput& other) const {
    std::map<std::string, std::string> names;
    for (int j = 0; j < fitted_->skeleton().size(); ++j)
        names[fitted_->skeleton()[j].name] = other.fitted_->name_of(fitted_->fit().from[at(j)]);
    return names;
}

const LikeSkins* CrateOutput::paired(const CrateOutput& other) const {
    const std::lock_guard lock(pairing_);
    const auto [have, fresh] = paired_.try_emplace(&other);
    if (fresh && is_like(other))
        have->second = LikeSkins::make(other.crate_.skin, crate_.skin, names_in(other));
    return have->second ? &*have->second : nullptr;
}

Status CrateOutput::prove(std::size_t i, const BakedClip& baked,
                          const std::optional<Measured>& first, OutputClip& out) const {
    PackedClip& packed = out.packed;
    std::optional<ClipProof> like;
    if (const LikeSkins* skins = first ? paired(first->crate) : nullptr)
        like = skins->prove(first->clip.motion, first->clip.packed.proof, out.motion, packed.plan);
    if (like && !within(*like, recipe_.tolerance)) like.reset();  // an upper bound; it may be less
    const auto measure = [&](const Take& take) {
        return prove_clip(take, packed.plan, *skin_proof_, out.motion,
                          driven_by(*baked.motion->scene,
                                    fit_sources(baked.motion->sources, fitted_->fit()), *baked.rig),
                          baked.job->clip.travel.any());
    };
    auto proof =
        like ? Result<ClipProof>(std::move(*like)) : measure(fitted_->take(baked.take, mounts()));
    const Status good = proof ? within(proof.value(), recipe_.tolerance) : Status(proof.failures());
    if (proof) packed.proof = std::move(proof).value();
    packed.proof.driven_weight = driven_weights(crate_.skin, out.motion, report_.drives);
    packed.passed = good.ok();
    append(packed.findings, judge_proof(recipe_, jobs_->figure(), packed, good, *fitted_));
    if (!good && target_.rest.posed)
        for (Finding& f : packed.findings)
            if (f.code == Code::kProofFailed)
                f.remedy =
                    "rest_skin = \"kept\": bound in another pose, vertices between joints "
                    "move differently; or raise the tolerance under [proof]";
    if (!good && jobs_->figure().root() == RootKind::kMoves && baked.job->clip.travel.any())
        for (Finding& f : packed.findings)
            if (f.code == Code::kProofFailed) {
                f.edits = {{"travel", "root", "\"motion\""}};
                f.remedy = fmt::format(
                    "{}: a root above \"{}\", which carries vertices itself and cannot be made "
                    "anew",
                    edit_lines(f.edits), report_.root);
            }
    packed.inputs = inputs_of(i);
    packed = settled(packed, target_.convention);
    return {};
}

/// Cues of a clip, with joints as they are called here.
Result<std::vector<Cue>> CrateOutput::cues(std::size_t i, const BakedClip& baked) const {
    const ClipJob& job = jobs_->clips()[i];
    const SamplePlan& plan = baked.range->plan;
    std::vector<Cue> out = cues_of(recipe_, *jobs_, job, plan.rate.seconds(plan.samples - 1));
    if (recipe_.motion.cues) {
        append_steps(baked.facts.motion_check, plan, out);
    }
    for (Cue& cue : out) {
        if (cue.joint.empty()) continue;
        const int own = jobs_->figure().skeleton().find(cue.joint);
        const std::string name = own < 0 ? cue.joint : fitted_->name_of(own);
        if (fitted_->skeleton().find(name) < 0)
            return Finding{Code::kNameUnknown,
                           Severity::kStop,
                           job.clip.range.where.at(fmt::format("cue \"{}\"", cue.name)),
                           fmt::format("joint \"{}\", which the crate does not have", cue.joint),
                           suggest(cue.joint, report_.joints),
                           "joint = one of them; or keep it: keep = [...] under [joints]"};
        cue.joint = name;
    }
    return out;
}

Result<OutputClip> CrateOutput::make(std::size_t i, const BakedClip& baked,
                                     const std::optional<Measured>& first) const {
    OutputClip out;
    out.packed = baked.facts;
    Clip clip = baked.clip;
    clip.labels = jobs_->clips()[i].clip.labels;
    if (!names_.ids.empty()) clip.labels.id = names_.ids[i];
    MELLOW_TRY(clip.cues, cues(i, baked));
    // Joints that this target leaves out do not open its loops.
    const Figure& figure = jobs_->figure();
    std::vector<bool> counted(at(figure.skeleton().size()), false);
    for (const int joint : fitted_->fit().from)
        if (joint != kNone) counted[at(joint)] = true;
    out.packed.gap = loop_gap(baked.clip, figure.skeleton(), counted);
    append(out.packed.findings,
           judge_loop(recipe_, figure, jobs_->clips()[i], baked.clip, out.packed));
    const auto own_name = [&](int joint) {
        return joint < 0 ? std::string() : fitted_->name_of(joint);
    };
    out.packed.gap_joint = own_name(out.packed.gap.joint);
    out.packed.gap_turned = own_name(out.packed.gap.turned);
    const auto rename = [&](std::string& joint) {
        if (const int j = figure.skeleton().find(joint); j >= 0) joint = own_name(j);
    };
    MotionCheck& measured = out.packed.motion_check;
    for (FootMotion& foot : measured.feet) rename(foot.joint);
    for (WheelMotion& wheel : measured.wheels) rename(wheel.joint);
    for (PlaneMotion& plane : measured.planes) rename(plane.joint);
    rename(measured.pop.joint);
    rename(out.packed.shear_joint);
    MELLOW_CHECK(fit_to(target_, *fitted_, clip, out.packed));
    if (shares_a_file()) {
        out.clip = std::move(clip);
        return out;
    }
    MELLOW_TRY(out.motion,
               write_clip({*folder_, target_, fitted_->skeleton(), skin_scene_, crate_.skin},
                          std::move(clip), names_.clips[i], out.packed));
    MELLOW_CHECK(prove(i, baked, first, out));
    return out;
}

Status CrateOutput::write_shared() {
    std::vector<Clip> clips;
    for (OutputClip& kept : kept_)
        if (kept.clip.samples > 0) clips.push_back(std::move(kept.clip));
    const bool one = target_.layout == Layout::kOneFile;
    Scene joints;  // a library has joints alone
    if (!one) joints = assemble_clip(fitted_->skeleton(), clips.front(), {});
    if (!one) joints.timelines.clear();
    MELLOW_TRY(
        const WrittenScene written,
        encode_scene(with_clips(one ? skin_scene_ : joints, fitted_->skeleton(), clips, target_),
                     target_, shared_format(), one ? names_.skin : names_.library));
    say_once(report_.findings, written.findings);
    MELLOW_TRY(shared_record_,
               put_files(folder(), written, one ? FileRole::kSkin : FileRole::kClip));
    if (one) report_.skin = shared_record_;
    MELLOW_TRY(StoredFile stored, stored_file(folder_->path() / shared_record_.file));
    MELLOW_TRY(shared_, decode_scene(std::move(stored), target_));
    std::size_t next = 0;
    for (OutputClip& kept : kept_)
        if (!kept.packed.plan.clip.empty()) kept.packed.clip = std::move(clips[next++]);
    return {};
}

Result<OutputClip> CrateOutput::prove_shared(std::size_t i, const BakedClip& baked) const {
    OutputClip out = kept_[i];
    out.packed.file = shared_record_;
    out.packed.file.role = FileRole::kClip;
    const ClipInfo& told = out.packed.clip;
    MELLOW_TRY(out.motion, clip_of(*shared_, shared_format(), target_, told.name, told.samples));
    MELLOW_CHECK(prove(i, baked, {}, out));
    return out;
}

void CrateOutput::keep(std::size_t i, OutputClip clip) { kept_[i] = std::move(clip); }

void CrateOutput::skip(std::size_t i, Findings why) {
    report_.skipped.push_back({jobs_->clips()[i].clip.range.where.text(), std::move(why)});
    report_.proven = false;
}

void CrateOutput::take(std::size_t i, OutputClip clip) {
    const std::size_t said = report_.findings.size();
    PackedClip& packed = clip.packed;
    know_demands(packed, known_);
    say_once(report_.findings, packed.shared);
    append(report_.findings, overlaps_->of(i));
    append(report_.findings, packed.findings);
    report_.reused += packed.reused ? 1 : 0;
    packed.passed =
        packed.passed && std::none_of(report_.findings.begin() + static_cast<std::ptrdiff_t>(said),
                                      report_.findings.end(), [&](const Finding& f) {
                                          return judged(recipe_.checks, f) == Severity::kStop;
                                      });
    all_passed_ = all_passed_ && packed.passed;
    report_.proven = report_.proven && packed.passed;
    if (recipe_.picture && !options_.share && crate_.clips.size() < kMostDrawn) {
        crate_.motions.push_back(std::move(clip.motion));
        drawn_reused_ += packed.reused ? 1 : 0;
        crate_.clips.push_back(packed.clip);
        crate_.sources.push_back({packed.timeline, static_cast<double>(packed.plan.first_frame),
                                  static_cast<double>(packed.plan.last_frame),
                                  packed.plan.source_rate, packed.parts.empty()});
    }
    report_.clips.push_back(std::move(packed));
}

}  // namespace mellow
