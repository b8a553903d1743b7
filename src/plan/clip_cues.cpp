#include "plan/clip_cues.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "base/at.h"
#include "base/text.h"
#include "mellow/shaping.h"
#include "plan/shaped_clip.h"

namespace mellow {
namespace {

/// Cues this close to the edge of a part are on it.
constexpr double kEdge = 1e-6;

std::string other(const std::string& name) { return other_side(name).value_or(name); }

Cue mirrored(Cue cue) {
    cue.name = other(cue.name);
    cue.joint = other(cue.joint);
    for (auto& [key, text] : cue.tags) text = other(text);
    return cue;
}

/// Every second at which a curve passes `value`, of a stretch where it holds the first.
std::vector<double> when(const ValueCurve& curve, double value) {
    std::vector<double> out;
    const auto add = [&](double second) {
        if (out.empty() || second - out.back() > kEdge) out.push_back(second);
    };
    for (std::size_t i = 1; i < curve.points.size(); ++i) {
        const CurvePoint &a = curve.points[i - 1], &b = curve.points[i];
        const double low = std::min(a.value, b.value), high = std::max(a.value, b.value);
        if (value < low - kEdge || value > high + kEdge) continue;
        double from = a.at, to = b.at;
        if (high - low < 1e-12) {
            if (i == 1 && curve.points.size() > 2) continue;  // a wait: it begins at its end
            add(from);
            continue;
        }
        for (int step = 0; step < 60; ++step) {  // monotone between two points
            const double middle = 0.5 * (from + to);
            ((value_at(curve, middle) < value) == (a.value < b.value) ? from : to) = middle;
        }
        double second = 0.5 * (from + to);
        for (const double edge : {a.at, b.at})
            if (std::abs(second - edge) < kEdge) second = edge;
        add(second);
    }
    return out;
}

class CueFinder {
  public:
    CueFinder(const Recipe& recipe, const Jobs& jobs) : recipe_(recipe), jobs_(jobs) {}

    std::vector<Cue> of(const ClipJob& job) {
        if (job.parts.empty()) {
            const SamplePlan& plan = job.range().plan;
            return on(job.motion, job.what, job.moved_by,
                      even_time(plan.start(), plan.end(), plan.end() - plan.start()),
                      plan.source_rate);
        }
        std::vector<Cue> all;
        for (const PartJob& part : job.parts)
            play(part, part.part == nullptr ? job.clip.shaping : part.part->shaping, all);
        if (job.clip.parts.empty() || !job.clip.shaping.any()) return all;
        std::vector<Cue> whole;
        again(all, job.laid_out(), job.clip.shaping, 0, whole);
        return whole;
    }

    std::set<const void*> used;   ///< cues of the recipe, and of sources
    std::set<const void*> ended;  ///< of the recipe, whose end is in a clip as well

  private:
    /// Cues of a part as often as it is repeated.
    void play(const PartJob& part, const RecipeShaping& shaping, std::vector<Cue>& all) {
        const double length = part.last - part.first;
        if (part.clip)
            return again(of(jobs_.clips()[*part.clip]), length, shaping, part.begin, all);
        const ValueCurve time = time_of(part.first, part.last, shaping);
        std::vector<Cue> once = on(part.motion, part.what, part.name, time, part.rate);
        repeat(once, time.points.back().at, length, shaping, part.begin, all);
    }

    /// Cues of something of its own time, played otherwise.
    void again(const std::vector<Cue>& cues, double length, const RecipeShaping& shaping,
               double begin, std::vector<Cue>& all) {
        const ValueCurve time = time_of(0, length, shaping);
        std::vector<Cue> once;
        for (const Cue& cue : cues) put(cue, cue.first, cue.last, time, once);
        repeat(once, time.points.back().at, length, shaping, begin, all);
    }

    static void repeat(const std::vector<Cue>& once, double seconds, double length,
                       const RecipeShaping& shaping, double begin, std::vector<Cue>& all) {
        const auto times = static_cast<int>(std::lround(shaped_seconds(length, shaping) / seconds));
        for (int n = 0; n < times; ++n)
            for (Cue cue : once) {
                if (shaping.mirror) cue = mirrored(std::move(cue));
                cue.first += begin + n * seconds, cue.last += begin + n * seconds;
                // What is at the end of one is at the beginning of the next.
                const bool have = std::any_of(all.begin(), all.end(), [&](const Cue& c) {
                    return c.name == cue.name && c.joint == cue.joint &&
                           std::abs(c.first - cue.first) < kEdge;
                });
                if (!have) all.push_back(std::move(cue));
            }
    }

    /// Cues of a timeline or arrangement.
    std::vector<Cue> on(std::size_t motion, const Performance& what, const std::string& played,
                        const ValueCurve& time, FrameRate rate) {
        std::vector<Cue> out;
        for (const RecipeCue& cue : recipe_.cues) {
            const bool arrangement = what.arrangement.has_value();
            if (arrangement ? cue.arrangement != played : !cue.arrangement.empty()) continue;
            if (cue.source != (motion == 0 ? std::string() : jobs_.source_name(motion))) continue;
            const bool same = cue.timeline.empty() || cue.timeline == played ||
                              recipe_.strip_prefix + cue.timeline == played;
            if (!arrangement && !same) continue;
            const std::size_t before = out.size();
            put(cue.cue, cue.cue.first / rate.per_second(), cue.cue.last / rate.per_second(), time,
                out);
            if (out.size() > before) used.insert(&cue);
            if (!when(time, cue.cue.last / rate.per_second()).empty()) ended.insert(&cue);
        }
        if (!what.arrangement)
            for (const SourceCue& source : jobs_.source_cues(motion)) {
                if (source.timeline != played) continue;
                const std::size_t before = out.size();
                put(source.cue, source.cue.first, source.cue.last, time, out);
                if (out.size() > before) used.insert(&source);
            }
        return out;
    }

    /// A cue from `first` to `last` of what `time` plays, each time that it does.
    static void put(const Cue& cue, double first, double last, const ValueCurve& time,
                    std::vector<Cue>& out) {
        const double end = time.points.back().at;
        for (const double at : when(time, first)) {
            Cue one = cue;
            one.first = one.last = at;
            if (last > first) {
                // It ends where its end is played next; backwards that was before.
                std::vector<double> ends = when(time, last);
                double nearest = -1;
                for (const double e : ends)
                    if (nearest < 0 || std::abs(e - at) < std::abs(nearest - at)) nearest = e;
                if (nearest < 0) nearest = end;
                one.first = std::min(at, nearest), one.last = std::max(at, nearest);
            }
            out.push_back(std::move(one));
        }
    }

    const Recipe& recipe_;
    const Jobs& jobs_;
};

}  // namespace

std::vector<Cue> cues_of(const Recipe& recipe, const Jobs& jobs, const ClipJob& job,
                         double seconds) {
    if (!jobs.has_cues()) return {};
    std::vector<Cue> cues = CueFinder(recipe, jobs).of(job);
    const double factor = job.clip.fit && job.seconds > 0 ? seconds / job.seconds : 1;
    for (Cue& cue : cues) {
        cue.first = std::clamp(cue.first * factor, 0.0, seconds);
        cue.last = std::clamp(cue.last * factor, 0.0, seconds);
    }
    if (job.clip.range.loops()) {
        const auto at_start = [&](const Cue& end) {
            return std::any_of(cues.begin(), cues.end(), [&](const Cue& c) {
                return c.name == end.name && c.joint == end.joint && c.first < kEdge;
            });
        };
        std::vector<bool> again;
        for (const Cue& cue : cues) again.push_back(cue.first > seconds - kEdge && at_start(cue));
        for (std::size_t i = cues.size(); i-- > 0;)
            if (again[i]) cues.erase(cues.begin() + static_cast<std::ptrdiff_t>(i));
        for (Cue& cue : cues)
            if (cue.first > seconds - kEdge) cue.first = cue.last = 0;  // the next round's first
    }
    std::stable_sort(cues.begin(), cues.end(), [](const Cue& a, const Cue& b) {
        return a.first != b.first ? a.first < b.first : a.name < b.name;
    });
    return cues;
}

Findings unused_cues(const Recipe& recipe, const Jobs& jobs) {
    if (!jobs.has_cues()) return {};
    CueFinder finder(recipe, jobs);
    for (const ClipJob& job : jobs.clips()) (void)finder.of(job);
    Findings out;
    for (const RecipeCue& cue : recipe.cues) {
        if (!finder.used.contains(&cue))
            out.push_back(
                {Code::kLeftOut, Severity::kWarning, cue.where,
                 fmt::format("cue \"{}\" at frame {:g} is in no clip", cue.cue.name, cue.cue.first),
                 "a frame of a range that is packed", "a range with it, or at = another frame"});
        else if (!finder.ended.contains(&cue))
            out.push_back({Code::kLeftOut, Severity::kWarning, cue.where,
                           fmt::format("cue \"{}\" ends at frame {:g}, which is in no clip: it is "
                                       "cut at the end of those that it begins in",
                                       cue.cue.name, cue.cue.last),
                           "an end within the range", "a longer range, or to = an earlier frame"});
    }
    for (std::size_t motion = 0; motion <= jobs.motion_files(); ++motion)
        for (const SourceCue& source : jobs.source_cues(motion))
            if (!finder.used.contains(&source))
                out.push_back({Code::kLeftOut, Severity::kNote,
                               Place::of(fmt::format("timeline \"{}\"", source.timeline)),
                               fmt::format("its cue \"{}\" at {:.4g} s is in no clip",
                                           source.cue.name, source.cue.first),
                               "", ""});
    return out;
}

}  // namespace mellow
