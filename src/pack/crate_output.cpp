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
#include "judge/clip_judge.h"
#include "mellow/fit.h"
#include "mellow/shaping.h"
#include "pack/crate_files.h"
#include "plan/clip_cues.h"
#include "recipe/checks.h"
#include "recipe/target_table.h"

namespace mellow {
namespace {

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

Status CrateOutput::prove(std::size_t i, const BakedClip& baked,
                          const std::optional<Measured>& first, OutputClip& out) const {
    PackedClip& packed = out.packed;
    std::optional<ClipProof> like;
    if (const LikeSkins* skins = first ? figure_->beside(*first->crate.figure_) : nullptr)
        like = skins->prove(first->clip.motion, first->clip.packed.proof, out.motion, packed.plan);
    if (like && !within(*like, recipe_.tolerance)) like.reset();  // an upper bound; it may be less
    const auto measure = [&](const Take& take) {
        return prove_clip(
            take, packed.plan, figure_->proof(), out.motion,
            driven_by(*baked.motion->scene,
                      fit_sources(baked.motion->sources, figure_->fitted().fit()), *baked.rig),
            baked.job->clip.travel.any());
    };
    auto proof = like ? Result<ClipProof>(std::move(*like))
                      : measure(figure_->fitted().take(baked.take, figure_->proof().mounts()));
    const Status good = proof ? within(proof.value(), recipe_.tolerance) : Status(proof.failures());
    if (proof) packed.proof = std::move(proof).value();
    packed.proof.driven_weight = driven_weights(figure_->skin(), out.motion, report_.drives);
    packed.passed = good.ok();
    append(packed.findings, judge_proof(recipe_, jobs_.figure(), packed, good, figure_->fitted()));
    if (!good && target_.rest.posed)
        for (Finding& f : packed.findings)
            if (f.code == Code::kProofFailed)
                f.remedy =
                    "rest_skin = \"kept\": bound in another pose, vertices between joints "
                    "move differently; or raise the tolerance under [proof]";
    if (!good && jobs_.figure().root() == RootKind::kMoves && baked.job->clip.travel.any())
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
    const ClipJob& job = jobs_.clips()[i];
    const SamplePlan& plan = baked.range->plan;
    std::vector<Cue> out = cues_of(recipe_, jobs_, job, plan.rate.seconds(plan.samples - 1));
    if (recipe_.motion.cues) {
        append_steps(baked.facts.motion_check, plan, out);
    }
    for (Cue& cue : out) {
        if (cue.joint.empty()) continue;
        const int own = jobs_.figure().skeleton().find(cue.joint);
        const std::string name = own < 0 ? cue.joint : figure_->fitted().name_of(own);
        if (figure_->skeleton().find(name) < 0)
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
    clip.labels = jobs_.clips()[i].clip.labels;
    if (!names_.ids.empty()) clip.labels.id = names_.ids[i];
    MELLOW_TRY(clip.cues, cues(i, baked));
    // Joints that this target leaves out do not open its loops.
    const Figure& figure = jobs_.figure();
    std::vector<bool> counted(at(figure.skeleton().size()), false);
    for (const int joint : figure_->fitted().fit().from)
        if (joint != kNone) counted[at(joint)] = true;
    out.packed.gap = loop_gap(baked.clip, figure.skeleton(), counted);
    append(out.packed.findings,
           judge_loop(recipe_, figure, jobs_.clips()[i], baked.clip, out.packed));
    const auto own_name = [&](int joint) {
        return joint < 0 ? std::string() : figure_->fitted().name_of(joint);
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
    MELLOW_CHECK(fit_to(target_, figure_->fitted(), clip, out.packed));
    if (shares_a_file(target_)) {
        out.clip = std::move(clip);
        return out;
    }
    MELLOW_TRY(out.motion, write_clip(*folder(), target_, *figure_, std::move(clip),
                                      names_.clips[i], out.packed));
    MELLOW_CHECK(prove(i, baked, first, out));
    return out;
}

Status CrateOutput::write_shared() {
    std::vector<Clip> clips;
    for (std::size_t i = 0; i < kept_.size(); ++i)
        if (keeps(i)) {
            kept_[i].packed.clip = kept_[i].clip;  // what is said of it, without its samples
            clips.push_back(std::move(kept_[i].clip));
        }
    const bool one = target_.layout == Layout::kOneFile;
    if (clips.empty() && !one) return {};  // nothing of a library is left
    MELLOW_TRY(shared_,
               SharedClips::write(*folder(), *figure_, target_, one ? names_.skin : names_.library,
                                  std::move(clips), report_.findings));
    if (one) report_.skin = shared_->file();
    return {};
}

Result<OutputClip> CrateOutput::prove_shared(std::size_t i, const BakedClip& baked) const {
    OutputClip out = kept_[i];
    out.packed.file = shared_->file();
    out.packed.file.role = FileRole::kClip;
    MELLOW_TRY(out.motion, motion_of(out.packed));
    MELLOW_CHECK(prove(i, baked, {}, out));
    return out;
}

void CrateOutput::keep(std::size_t i, OutputClip clip) { kept_[i] = std::move(clip); }

void CrateOutput::skip(std::size_t i, Findings why) {
    report_.skipped.push_back({jobs_.clips()[i].clip.range.where.text(), std::move(why)});
    report_.proven = false;
}

void CrateOutput::take(std::size_t i, OutputClip clip) {
    const std::size_t said = report_.findings.size();
    PackedClip& packed = clip.packed;
    know_demands(packed, known_);
    say_once(report_.findings, packed.shared);
    append(report_.findings, overlaps_.of(i));
    append(report_.findings, packed.findings);
    report_.reused += packed.reused ? 1 : 0;
    packed.passed =
        packed.passed && std::none_of(report_.findings.begin() + static_cast<std::ptrdiff_t>(said),
                                      report_.findings.end(), [&](const Finding& f) {
                                          return judged(recipe_.checks, f) == Severity::kStop;
                                      });
    all_passed_ = all_passed_ && packed.passed;
    report_.proven = report_.proven && packed.passed;
    if (recipe_.picture && !options_.share && drawn_.clips.size() < kMostDrawn) {
        drawn_.motions.push_back(std::move(clip.motion));
        drawn_reused_ += packed.reused ? 1 : 0;
        drawn_.clips.push_back(packed.clip);
        drawn_.sources.push_back({packed.timeline, static_cast<double>(packed.plan.first_frame),
                                  static_cast<double>(packed.plan.last_frame),
                                  packed.plan.source_rate, packed.parts.empty()});
    }
    report_.clips.push_back(std::move(packed));
}

}  // namespace mellow
