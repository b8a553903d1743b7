// Planning clips that are shaped: what they are made of, how long they are, where they loop.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>

#include "base/at.h"
#include "base/text.h"
#include "math/degrees.h"
#include "mellow/shaping.h"
#include "plan/jobs.h"
#include "plan/shaped_clip.h"

namespace mellow {
namespace {

/// What bakes a loop's range at its own rate, to look for its end.
constexpr std::int64_t kMostSearched = 200'000;
/// Clips that are made of clips: each of them goes through all below it for every sample.
constexpr int kDeepest = 32;
/// A loop end on the grid of the targets may have this many times the score of the best, and more.
constexpr double kNearlyAsGood = 1.5, kScoreOfNothing = 0.5;

std::string end_words(const LoopEnd& end, std::int64_t first) {
    const auto small = [](double v) {
        return v >= 10 ? fmt::format("{:.0f}", v) : fmt::format("{:.2g}", v < 5e-4 ? 0 : v);
    };
    return fmt::format("{} ({} mm, {} degrees, {} mm/s)", first + end.sample,
                       small(end.place_m * 1000), small(end.turn_rad * kDegrees),
                       small(end.speed_m_s * 1000));
}

/// A part overlaps one other at a time: no more than its own length, and what that plays alone.
Status overlaps_no_more(const ClipJob& job, const RecipePart& part, const PartJob& own,
                        double rate) {
    const auto before = std::find_if(job.parts.rbegin(), job.parts.rend(),
                                     [](const PartJob& p) { return !p.is_over(); });
    const double most = std::min(own.seconds, before->seconds - before->overlap);
    if (own.overlap <= most * (1 + 1e-9)) return {};
    const bool seconds = part.overlap.seconds.has_value();
    const std::string largest = seconds ? fmt::format("{:.4g}", std::floor(most * 1e4) / 1e4)
                                        : fmt::format("{:.0f}", std::floor(most * rate + 1e-9));
    const Edit fits{"", seconds ? "overlap_seconds" : "overlap", largest};
    return Finding{
        Code::kValueBad,
        Severity::kStop,
        part.where,
        seconds ? fmt::format("an overlap of {:g} s", *part.overlap.seconds)
                : fmt::format("an overlap of {:g} frames", part.overlap.frames),
        fmt::format("at most {}{}: no longer than the part, and than what the part before plays "
                    "alone",
                    largest, seconds ? " s" : ""),
        edit_lines({fits}),
        {fits}};
}

}  // namespace

Result<PartJob> Jobs::piece(const RecipeClip& clip, const FigureMotion& motion) const {
    PartJob out;
    const Scene& scene = *motion.scene;
    MELLOW_TRY(out.what, performance(clip, motion));
    const FrameSpan span = span_of(out.what, scene, out.name);
    Range once = clip.range;
    once.play = Play::kOnce;
    MELLOW_TRY(const PlannedRange range,
               plan_range(once, span.first, span.last, scene.rate, scene.rate));
    out.first = range.plan.start(), out.last = range.plan.end();
    out.rate = scene.rate;
    // Only what is played as it is, once round, is a loop for rules with memory.
    const bool loops =
        clip.range.loops() && !clip.shaping.any() && clip.parts.empty() && !clip.stored_open;
    out.what.played = Played{out.first, out.last, loops};
    return out;
}

Status Jobs::plan_shaped(ClipJob& job, const FigureMotion& motion) const {
    const RecipeClip& clip = job.clip;
    MELLOW_TRY(PartJob own, piece(clip, motion));
    own.motion = job.motion;
    job.moved_by = own.name;
    job.what = own.what;
    job.parts = {std::move(own)};
    if (clip.find_loop) MELLOW_CHECK(find_loop(job, motion));
    PartJob& part = job.parts[0];
    part.seconds = shaped_seconds(part.last - part.first, clip.shaping);
    job.seconds = job.laid_out();
    if (clip.stored_open) job.seconds += 1 / part.rate.per_second();
    return plan_samples(job);
}

/// Whether so many frames are whole samples at the rate of every target.
bool Jobs::on_all_grids(int frames, FrameRate rate) const {
    return std::ranges::all_of(recipe_.targets, [&](const Target& target) {
        const double samples = frames / rate.per_second() * target.rate.per_second();
        return std::abs(samples - std::round(samples)) < 1e-6;
    });
}

/// Ends the range at the frame that goes on best at its first.
Status Jobs::find_loop(ClipJob& job, const FigureMotion& motion) const {
    Range& range = job.clip.range;
    PartJob& part = job.parts[0];
    const std::int64_t frames = range.last - range.first;
    if (frames > kMostSearched)
        return Finding{Code::kLimit,
                       Severity::kStop,
                       range.where,
                       fmt::format("{} frames to look for a loop in", frames),
                       fmt::format("at most {}", kMostSearched),
                       "a shorter range"};
    if (figure_.skeleton().size() == 0) return {};  // its own mistakes are told
    MELLOW_TRY(Rig bound, Rig::bind(*motion.scene, part.what, *motion.sheet));
    const auto rig = std::make_shared<const Rig>(std::move(bound));
    const FrameRate rate = motion.scene->rate;
    const Baked baked = bake(
        motion.take(figure_, rig, {}),
        {range.name, range.first, range.last, rate, rate, static_cast<int>(frames) + 1, false});
    const double least = job.clip.shortest.any()
                             ? job.clip.shortest.in_seconds(rate.per_second()) * rate.per_second()
                             : static_cast<double>(frames) / 4;
    const auto shortest = static_cast<int>(std::max(1.0, std::ceil(least - 1e-6)));
    const auto found = [&](const std::function<bool(int)>& fits) {
        return find_loop_ends(baked.clip, figure_.skeleton(), figure_.hips(), shortest, 5,
                              figure_.body(), fits);
    };
    std::vector<LoopEnd> ends = found({});
    // One that is nearly as good and ends on a sample of every target comes first.
    std::string apart;
    if (!ends.empty() && !on_all_grids(ends[0].sample, rate)) {
        const std::vector<LoopEnd> even =
            found([&](int sample) { return on_all_grids(sample, rate); });
        if (!even.empty() && even[0].score <= kNearlyAsGood * ends[0].score + kScoreOfNothing) {
            apart = fmt::format("; it ends on a sample of the target, as frame {} does not",
                                end_words(ends[0], range.first));
            ends = even;
        }
    }
    if (ends.empty())
        return Finding{Code::kLoopOpen,
                       Severity::kStop,
                       range.where,
                       fmt::format("no frame of {}..{} to loop at, {} or more after the first",
                                   range.first, range.last, shortest),
                       "a range with more than one round of the loop",
                       "a longer range, or loop_shortest = a smaller number"};
    std::string others;
    for (std::size_t i = 1; i < ends.size(); ++i)
        others += (i == 1 ? "; next best: " : ", ") + end_words(ends[i], range.first);
    const std::vector<Edit> edits{
        {"", "range", fmt::format("[{}, {}]", range.first, range.first + ends[0].sample)},
        {"", "loop", job.clip.repair ? "\"repair\"" : "true"}};
    job.shaping.push_back({Code::kAssumed, Severity::kNote, range.where,
                           fmt::format("the loop ends at frame {}{}{}",
                                       end_words(ends[0], range.first), apart, others),
                           "", edit_lines(edits, "to keep it so"), edits});
    range.last = range.first + ends[0].sample;
    part.last = rate.seconds(range.last);
    part.what.played = Played{part.first, part.last, !job.clip.shaping.any()};
    job.what = part.what;
    return {};
}

void Jobs::plan_joined(Findings& wrong) {
    std::vector<Planned> state(clips_.size(), Planned::kNotYet);
    places_.clear();
    for (std::size_t i = 0; i < clips_.size(); ++i) {
        places_.emplace(clips_[i].clip.range.name, i);
        if (clips_[i].clip.parts.empty() && clips_[i].ranges.empty()) state[i] = Planned::kWrong;
    }
    for (std::size_t i = 0; i < clips_.size(); ++i)
        if (!clips_[i].clip.parts.empty()) append(wrong, plan_parts(i, state).failures());
    if (!wrong.empty()) return;
    for (std::size_t i = 0; i < clips_.size(); ++i)
        if (state[i] == Planned::kWrong)
            wrong.push_back({Code::kLeftOut, Severity::kStop, clips_[i].clip.range.where,
                             "it is made of a clip that was left out", "clips that can be made",
                             "take it out of the recipe, or correct that clip"});
}

Status Jobs::plan_parts(std::size_t index, std::vector<Planned>& state) {
    if (state[index] == Planned::kDone || state[index] == Planned::kWrong) return {};
    ClipJob& job = clips_[index];
    if (state[index] == Planned::kInside)
        return Finding{Code::kValueBad,
                       Severity::kStop,
                       job.clip.range.where,
                       fmt::format("clip \"{}\" is part of itself", job.clip.range.name),
                       "parts that end in ranges",
                       "take it out of its parts"};
    state[index] = Planned::kInside;
    const auto joined = join(job, state);
    state[index] = joined ? joined.value() : Planned::kWrong;
    return joined ? Status() : joined.failures();
}

/// A clip that is made of one that could not be planned cannot be either, and says nothing of it.
Result<Jobs::Planned> Jobs::join(ClipJob& job, std::vector<Planned>& state) {
    const double rate = figure_.scene().rate.per_second();
    for (const RecipePart& part : job.clip.parts) {
        PartJob out;
        if (!part.clip.empty()) {
            const auto found = places_.find(part.clip);
            if (found == places_.end()) {
                std::vector<std::string> names;
                bool there = false;
                for (const ClipJob& other : clips_) {
                    names.push_back(other.clip.range.name);
                    there = there || folded(names.back()) == folded(part.clip);
                }
                if (!there && names_.contains(folded(part.clip))) return Planned::kWrong;
                return Finding{Code::kNameUnknown,
                               Severity::kStop,
                               part.where,
                               fmt::format("no clip \"{}\"", part.clip),
                               suggest(part.clip, names),
                               "correct the name"};
            }
            const std::size_t place = found->second;
            if (!clips_[place].clip.parts.empty()) MELLOW_CHECK(plan_parts(place, state));
            if (state[place] == Planned::kWrong || clips_[place].ranges.empty())
                return Planned::kWrong;
            out.clip = place;
            const ClipJob& other = clips_[place];
            job.depth = std::max(job.depth, other.depth + 1);
            if (job.depth > kDeepest)
                return Finding{Code::kLimit,
                               Severity::kStop,
                               part.where,
                               fmt::format("clips of clips, {} deep", job.depth),
                               fmt::format("at most {}", kDeepest),
                               "parts that are ranges, or one clip with all parts"};
            const SamplePlan& plan = other.range().plan;
            out.first = other.parts.empty() ? plan.start() : 0;
            out.last = other.parts.empty() ? plan.end() : other.seconds;
            out.motion = other.motion;
            out.what = other.what;
            out.name = part.clip;
        } else {
            RecipeClip like = job.clip;  // layers lie over it by the name of the clip
            like.range.first = part.range.first, like.range.last = part.range.last;
            like.range.where = part.range.where;
            like.timeline = part.timeline, like.arrangement = part.arrangement;
            MELLOW_TRY(const std::size_t motion_index, motion_of(part.source, part.where));
            MELLOW_TRY(const auto moved, motion(motion_index));
            MELLOW_TRY(out, piece(like, *moved));
            out.motion = motion_index;
        }
        out.part = &part;
        if (out.last <= out.first)
            return Finding{Code::kValueBad,
                           Severity::kStop,
                           part.where,
                           "a part without length",
                           "a range, or a clip that is no single pose",
                           ""};
        out.seconds = shaped_seconds(out.last - out.first, part.shaping);
        const bool first = std::all_of(job.parts.begin(), job.parts.end(),
                                       [](const PartJob& before) { return before.is_over(); });
        if (part.over) {
            out.begin = part.over->at;
        } else {
            out.overlap = first ? 0 : part.overlap.in_seconds(rate);
            if (!first) MELLOW_CHECK(overlaps_no_more(job, part, out, rate));
            out.begin = job.laid_out() - out.overlap;
        }
        job.parts.push_back(std::move(out));
    }
    job.motion = job.parts[0].motion;
    job.what = job.parts[0].what;
    std::vector<std::string> names;
    for (const PartJob& part : job.parts)
        if (!part.is_over()) names.push_back(part.part->range.name);
    job.moved_by = fmt::format("{}", fmt::join(names, " + "));
    job.seconds = shaped_seconds(job.laid_out(), job.clip.shaping);
    MELLOW_CHECK(plan_samples(job));
    return Planned::kDone;
}

/// Samples of a shaped clip at every rate: its end on one of them, or made to be.
Status Jobs::plan_samples(ClipJob& job) const {
    const RecipeClip& clip = job.clip;
    job.ranges.clear();
    for (const Target& target : recipe_.targets) {
        const bool have =
            std::any_of(job.ranges.begin(), job.ranges.end(),
                        [&](const PlannedRange& range) { return range.plan.rate == target.rate; });
        if (have) continue;
        const double exact = job.seconds * target.rate.per_second(), whole = std::round(exact);
        if (exact > 1e8)
            return Finding{Code::kLimit,
                           Severity::kStop,
                           clip.range.where,
                           fmt::format("{:.6g} s", job.seconds),
                           "a clip of a length that is baked",
                           "fewer repeats, or a shorter range"};
        PlannedRange planned;
        auto intervals = static_cast<int>(whole);
        const std::string length = fmt::format("{:.6g} s are {:.6g} intervals at {}/s", job.seconds,
                                               exact, to_text(target.rate));
        const Edit fit{"", "fit", "true"};
        if (std::abs(exact - whole) > 1e-6) {
            if (clip.fit) {
                intervals = std::max(1, intervals);
                planned.findings.push_back(
                    {Code::kRangeOffGrid, Severity::kNote, clip.range.where,
                     fmt::format("{}; fitted to {}, {:+.3f} % of the speed", length, intervals,
                                 100 * (exact / intervals - 1)),
                     "", ""});
            } else if (clip.range.loops()) {
                return Finding{Code::kRangeOffGrid,
                               Severity::kStop,
                               clip.range.where,
                               length,
                               "a loop period of whole intervals, or its seam would jump",
                               edit_lines({fit}, "in the clip: the nearest whole number"),
                               {fit}};
            } else {
                intervals = static_cast<int>(std::ceil(exact));
                planned.findings.push_back(
                    {Code::kRangeOffGrid,
                     Severity::kWarning,
                     clip.range.where,
                     length,
                     "a clip that ends on a sample of the target; its last pose is held",
                     edit_lines({fit}, "in the clip: the nearest whole number"),
                     {fit}});
            }
        }
        planned.plan = {clip.range.name,   0,           std::max(1, intervals),
                        target.rate,       target.rate, intervals + 1,
                        clip.range.loops()};
        planned.plan.samples = static_cast<int>(planned.plan.last_frame) + 1;
        MELLOW_CHECK(fits_in(target, planned.plan.samples, clip.range.where));
        append(planned.findings, job.shaping);
        job.ranges.push_back(std::move(planned));
    }
    return {};
}

}  // namespace mellow
