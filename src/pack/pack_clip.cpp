#include "pack/pack_clip.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "judge/clip_judge.h"
#include "mellow/shaping.h"
#include "mellow/travel.h"
#include "plan/shaped_clip.h"

namespace mellow {
namespace {

using Outputs = std::vector<std::unique_ptr<CrateOutput>>;

/// The take of a clip that is made of others.
Result<BakedClip> bind_shaped(const Recipe& recipe, const Jobs& jobs, BakedClip out,
                              const std::vector<Mount>& mounts) {
    const SamplePlan& plan = out.range->plan;
    MELLOW_TRY(ShapedClip shaped, shaped_clip(recipe, jobs, *out.job, mounts, plan.end()));
    out.motion = shaped.motion, out.rig = shaped.rig;
    out.held = std::move(shaped.held);
    out.place = place_of(*out.job, jobs.figure(), shaped.shaped.take, plan);
    out.unplaced = shaped.shaped.take;
    out.take = out.job->clip.place.any() ? placed(shaped.shaped, out.place, jobs.figure().root())
                                         : shaped.shaped.take;
    out.facts.shared = std::move(shaped.findings);
    for (const PlacedPart& part : shaped.parts) {
        // The moment at which a part ends is the next one's.
        const auto first_from = [&](double second) {
            return static_cast<int>(std::ceil(second * plan.rate.per_second() - 1e-6));
        };
        const bool ends = &part == &shaped.parts.back();
        const int last = ends ? static_cast<int>(std::lround(part.last * plan.rate.per_second()))
                              : first_from(part.last) - 1;
        const PackedPart packed{part.name, first_from(part.first), last, 1};
        auto& parts = out.facts.parts;
        if (!parts.empty() && parts.back().name == packed.name &&
            parts.back().last_sample + 1 == packed.first_sample) {
            parts.back().last_sample = packed.last_sample;
            ++parts.back().times;
        } else {
            parts.push_back(packed);
        }
    }
    return out;
}

}  // namespace

Result<BakedClip> bind_clip(const Recipe& recipe, const Jobs& jobs, std::size_t i,
                            const Target& target, const std::vector<Mount>& mounts) {
    BakedClip out;
    out.job = &jobs.clips()[i];
    out.range = &out.job->range_at(target.rate);
    const SamplePlan& plan = out.range->plan;
    if (!out.job->parts.empty()) return bind_shaped(recipe, jobs, std::move(out), mounts);
    MELLOW_TRY(out.motion, jobs.motion(out.job->motion));
    Performance what = out.job->what;
    what.played = Played{plan.start(), plan.end(), out.job->clip.range.loops()};
    MELLOW_TRY(Rig bound, Rig::bind(*out.motion->scene, what, *out.motion->sheet));
    out.rig = std::make_shared<const Rig>(std::move(bound));
    out.take = out.motion->take(jobs.figure(), out.rig, mounts);
    return out;
}

namespace {

/// All numbers of all tracks, each taken into one of some sums with a share of its own between -1
/// and 1, the same for every clip: what differs by rounding gives sums that do.
std::vector<float> print_of_motion(const Clip& clip) {
    constexpr std::size_t kSums = 16;
    std::array<double, kSums> sums{};
    std::uint32_t state = 1;
    std::size_t next = 0;
    const auto take = [&](const std::vector<float>& values) {
        for (const float value : values) {
            state = state * 1664525U + 1013904223U;  // Knuth and Lewis: Numerical Recipes, 7.1
            const double share = static_cast<double>(state >> 8U) / 8388608.0 - 1;
            sums[next++ % kSums] += share * static_cast<double>(value);
        }
    };
    for (const JointTrack& t : clip.joints) take(t.translation), take(t.rotation), take(t.scale);
    for (const MorphTrack& t : clip.morphs) take(t.weights);
    for (const ScalarTrack& t : clip.scalars) take(t.values);
    // By the root of how many there are: noise of one size on all of them changes it by that.
    const double many = std::sqrt(static_cast<double>(std::max<std::size_t>(next / kSums, 1)));
    std::vector<float> out;
    for (const double sum : sums) out.push_back(static_cast<float>(sum / many));
    return out;
}

void bake_into(const Recipe& recipe, const Jobs& jobs, BakedClip& out, Clip memory) {
    const ClipJob& job = *out.job;
    PackedClip& facts = out.facts;
    facts.where = job.clip.range.where;
    append(facts.shared, out.range->findings);
    if (job.parts.empty()) append(facts.shared, out.rig->findings());
    facts.plan = out.range->plan;
    facts.timeline = job.moved_by;
    facts.motion = out.motion->own ? "" : out.motion->file;
    const Take& take = job.parts.empty() ? out.take : out.unplaced;
    Baked baked = bake(take, facts.plan, std::move(memory));
    unwrap_turns(take, facts.plan, baked.losses);
    extract_travel(baked.clip, jobs.figure().skeleton(), jobs.figure().hips(), job.clip.travel,
                   jobs.figure().feet());
    if (job.clip.place.any())
        place_clip(baked.clip, jobs.figure().skeleton(), out.place, jobs.figure().root());
    if (!jobs.figure().scene().skins.empty())  // parts of a machine head nowhere
        baked.clip.travel.start_heading_rad =
            start_heading(baked.clip, jobs.figure().skeleton(), jobs.figure().hips());
    facts.findings = judge_baked(recipe, jobs.figure(), job, baked, facts);
    facts.motion_print = print_of_motion(baked.clip);
    out.clip = std::move(baked.clip);
    if (job.clip.travel.channels) travel_channels(out.clip, jobs.figure().skeleton());
}

/// What all crates of a rate need to be measured, each mount once.
std::vector<Mount> mounts_for(const Outputs& outputs, const Target& target) {
    std::vector<Mount> all;
    for (const auto& output : outputs) {
        if (!(output->target().rate == target.rate)) continue;
        for (const Mount& mount : output->figure().proof().mounts()) {
            const bool have = std::any_of(all.begin(), all.end(),
                                          [&](const Mount& m) { return m.name == mount.name; });
            if (!have) all.push_back(output->figure().fitted().in_figure(mount));
        }
    }
    return all;
}

}  // namespace

Result<ClipResult> pack_clip(const Recipe& recipe, const Jobs& jobs, const Outputs& outputs,
                             std::size_t i, Pool<Clip>& memory) {
    ClipResult results(outputs.size());
    for (std::size_t o = 0; o < outputs.size(); ++o)
        if (outputs[o]->wants(i)) results[o] = outputs[o]->standing(i);
    for (std::size_t o = 0; o < outputs.size(); ++o) {
        if (results[o] || !outputs[o]->wants(i)) continue;
        const Target& target = outputs[o]->target();
        MELLOW_TRY(BakedClip baked,
                   bind_clip(recipe, jobs, i, target, mounts_for(outputs, target)));
        auto room = memory.take();
        bake_into(recipe, jobs, baked, std::move(*room));
        // The first crate of this rate measures the others, also where it was taken over: figures
        // are then those of a run that makes everything.
        std::optional<CrateOutput::Measured> first;
        for (std::size_t q = 0; q < o && !first; ++q) {
            if (!results[q] || !results[q]->ok() || shares_a_file(outputs[q]->target()) ||
                !(outputs[q]->target().rate == target.rate))
                continue;
            OutputClip& have = results[q]->value();
            MELLOW_TRY(have.motion, outputs[q]->motion_of(have.packed));
            first.emplace(CrateOutput::Measured{*outputs[q], have});
        }
        for (std::size_t p = o; p < outputs.size(); ++p) {
            if (results[p] || !outputs[p]->wants(i) || !(outputs[p]->target().rate == target.rate))
                continue;
            results[p] = outputs[p]->make(i, baked, first);
            const bool measured = results[p]->ok() && results[p]->value().packed.passed;
            if (!first && measured && !shares_a_file(outputs[p]->target()))
                first.emplace(CrateOutput::Measured{*outputs[p], results[p]->value()});
        }
        room->joints = std::move(baked.clip.joints);
        memory.give_back(std::move(room));
    }
    return results;
}

Result<ClipResult> prove_shared(const Recipe& recipe, const Jobs& jobs, const Outputs& outputs,
                                std::size_t i) {
    ClipResult results(outputs.size());
    for (std::size_t o = 0; o < outputs.size(); ++o) {
        if (!outputs[o]->keeps(i)) continue;
        MELLOW_TRY(const BakedClip baked, bind_clip(recipe, jobs, i, outputs[o]->target(),
                                                    mounts_for(outputs, outputs[o]->target())));
        results[o] = outputs[o]->prove_shared(i, baked);
    }
    return results;
}

}  // namespace mellow
