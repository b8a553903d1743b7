#include "pack/pack_clip.h"

#include "mellow/travel.h"
#include "pack/clip_judge.h"

namespace mellow {
namespace {

using Outputs = std::vector<std::unique_ptr<CrateOutput>>;

/// The take of a clip, bound for one rate.
Result<BakedClip> bind(const Jobs& jobs, std::size_t i, const Target& target,
                       const std::vector<Mount>& mounts) {
    BakedClip out;
    out.job = &jobs.clips()[i];
    out.range = &out.job->range_at(target.rate);
    MELLOW_TRY(out.motion, jobs.motion(out.job->motion));
    Performance what = out.job->what;
    const SamplePlan& plan = out.range->plan;
    what.played = Played{plan.start(), plan.end(), out.job->clip.range.loops()};
    MELLOW_TRY(Rig bound, Rig::bind(*out.motion->scene, what, *out.motion->sheet));
    out.rig = std::make_shared<const Rig>(std::move(bound));
    out.take = out.motion->take(jobs.figure(), out.rig, mounts);
    return out;
}

void bake_into(const Recipe& recipe, const Jobs& jobs, BakedClip& out, Clip memory) {
    const ClipJob& job = *out.job;
    PackedClip& facts = out.facts;
    facts.where = job.clip.range.where;
    facts.shared = out.range->findings;
    append(facts.shared, out.rig->findings());
    facts.plan = out.range->plan;
    facts.timeline = job.moved_by;
    facts.motion = out.motion->own ? "" : out.motion->file;
    Baked baked = bake(out.take, facts.plan, std::move(memory));
    unwrap_turns(out.take, facts.plan, baked.losses);
    extract_travel(baked.clip, jobs.figure().skeleton(), jobs.figure().hips(), job.clip.travel);
    facts.gap = loop_gap(baked.clip);
    facts.findings = judge_baked(recipe, jobs.figure(), job, baked, facts);
    out.clip = std::move(baked.clip);
}

/// Mounts of the one crate that is proven by the figure's own take.
const std::vector<Mount>& mounts_for(const Outputs& outputs, const Target& target) {
    static const std::vector<Mount> kNo;
    for (const auto& output : outputs)
        if (output->takes_as_is() && output->target().rate == target.rate) return output->mounts();
    return kNo;
}

}  // namespace

Result<ClipResult> pack_clip(const Recipe& recipe, const Jobs& jobs, const Outputs& outputs,
                             std::size_t i, Pool<Clip>& memory) {
    ClipResult results(outputs.size());
    for (std::size_t o = 0; o < outputs.size(); ++o) results[o] = outputs[o]->standing(i);
    for (std::size_t o = 0; o < outputs.size(); ++o) {
        if (results[o]) continue;
        const Target& target = outputs[o]->target();
        MELLOW_TRY(BakedClip baked, bind(jobs, i, target, mounts_for(outputs, target)));
        auto room = memory.take();
        bake_into(recipe, jobs, baked, std::move(*room));
        std::optional<CrateOutput::Measured> first;
        for (std::size_t p = o; p < outputs.size(); ++p) {
            if (results[p] || !(outputs[p]->target().rate == target.rate)) continue;
            results[p] = outputs[p]->make(i, baked, first);
            const bool measured = results[p]->ok() && results[p]->value().packed.passed;
            if (!first && measured && !outputs[p]->shares_a_file())
                first.emplace(CrateOutput::Measured{*outputs[p], results[p]->value()});
        }
        room->joints = std::move(baked.clip.joints);
        memory.give_back(std::move(room));
    }
    return results;
}

Result<ClipResult> prove_shared(const Recipe&, const Jobs& jobs, const Outputs& outputs,
                                std::size_t i) {
    ClipResult results(outputs.size());
    for (std::size_t o = 0; o < outputs.size(); ++o) {
        if (!outputs[o]->shares_a_file()) continue;
        MELLOW_TRY(const BakedClip baked,
                   bind(jobs, i, outputs[o]->target(), outputs[o]->mounts()));
        results[o] = outputs[o]->prove_shared(i, baked);
    }
    return results;
}

}  // namespace mellow
