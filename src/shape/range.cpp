#include <fmt/format.h>

#include <algorithm>
#include <utility>

#include "mellow/shape.h"

namespace mellow {
namespace {

Finding empty_range(const Range& range) {
    return {Code::kRangeEmpty,
            Severity::kStop,
            range.where,
            fmt::format("range {}..{}: {} intervals", range.first, range.last,
                        range.last - range.first),
            "a first frame before the last one",
            "set range = [first, last], both inclusive"};
}

Edit range_edit(std::int64_t first, std::int64_t last) {
    return {"", "range", fmt::format("[{}, {}]", first, last)};
}

Finding outside(const Range& range, std::int64_t first, std::int64_t last) {
    const bool some = std::max(range.first, first) < std::min(range.last, last);
    // As long as all there is, and one too far: counted from 1.
    const bool from_one = range.first == first + 1 && range.last == last + 1;
    const Edit inside = from_one ? range_edit(first, last)
                        : some
                            ? range_edit(std::max(range.first, first), std::min(range.last, last))
                            : range_edit(first, last);
    return {
        Code::kRangeOutside,
        Severity::kStop,
        range.where,
        fmt::format("range {}..{}", range.first, range.last),
        fmt::format("frames within {}..{}, where the timeline has keys", first, last),
        edit_lines({inside}, from_one ? fmt::format("all there is: its frames count from {}", first)
                             : some   ? ""
                                      : "all there is"),
        {inside}};
}

/// The range of a period that is whole at the target rate, nearest to `range` and inside the
/// timeline; empty (first == last) when there is none.
Range nearest_fit(const Range& range, std::int64_t first_frame, std::int64_t last_frame,
                  FrameRate source, FrameRate target) {
    __extension__ typedef __int128 Wide;
    const std::int64_t intervals = range.last - range.first;
    // Of n intervals n * source.den * target.num / (source.num * target.den) is whole where n is a
    // multiple of this.
    const Wide num = Wide{source.den} * target.num, den = Wide{source.num} * target.den;
    Wide a = num, b = den;
    while (b != 0) a = std::exchange(b, a % b);
    const Wide step = den / a;
    const Wide shorter = intervals / step * step,
               longer = shorter == intervals ? shorter : shorter + step;
    const bool long_one = longer <= last_frame - first_frame && longer < 2 * Wide{intervals} &&
                          (shorter == 0 || longer - intervals <= intervals - shorter);
    const auto n = static_cast<std::int64_t>(long_one ? longer : shorter);
    Range fit = range;
    fit.last = std::min(range.first + n, last_frame);
    fit.first = fit.last - n;
    return fit;
}

}  // namespace

Result<PlannedRange> plan_range(const Range& range, std::int64_t first_frame,
                                std::int64_t last_frame, FrameRate source, FrameRate target) {
    if (range.is_pose()) {
        if (last_frame > first_frame && (range.first < first_frame || range.first > last_frame))
            return Finding{Code::kRangeOutside,
                           Severity::kStop,
                           range.where,
                           fmt::format("pose {}", range.first),
                           fmt::format("a frame of {}..{}, where the timeline has keys",
                                       first_frame, last_frame),
                           "pose = one of them"};
        return PlannedRange{{range.name, range.first, range.first, source, target, 1, false}, {}};
    }
    if (range.last <= range.first) return empty_range(range);
    if (range.first < first_frame || range.last > last_frame)
        return outside(range, first_frame, last_frame);
    PlannedRange out;
    SamplePlan& plan = out.plan;
    plan = {range.name, range.first, range.last, source, target, 0, range.loops()};
    // intervals at the target = intervals * (source.den / source.num) * (target.num / target.den)
    const std::int64_t intervals = range.last - range.first;
    constexpr std::int64_t kMostIntervals = 1'000'000'000;
    const double many = static_cast<double>(intervals) / source.per_second() * target.per_second();
    if (intervals > kMostIntervals || many > static_cast<double>(kMostIntervals))
        return Finding{Code::kLimit,
                       Severity::kStop,
                       range.where,
                       fmt::format("{} frames, {:.4g} samples", intervals, many),
                       fmt::format("at most {} of each", kMostIntervals),
                       "a shorter range, or a lower rate"};
    __extension__ typedef __int128 Wide;  // products of three numbers of up to 1e9
    const Wide num = Wide{intervals} * source.den * target.num, den = Wide{source.num} * target.den;
    const bool whole = num % den == 0;
    const std::string length =
        fmt::format("{} intervals at {}/s are {:.4f} s = {:.3f} intervals at {}/s", intervals,
                    to_text(source), source.seconds(intervals),
                    static_cast<double>(num) / static_cast<double>(den), to_text(target));
    const Range fit = nearest_fit(range, first_frame, last_frame, source, target);
    std::vector<Edit> edits;
    if (fit.last > fit.first) edits = {range_edit(fit.first, fit.last)};
    const std::string fitting = fmt::format("{}{}a target rate of {}", edit_lines(edits),
                                            edits.empty() ? "" : ", or ", to_text(source));
    if (!whole && range.loops())  // another range would not close: the figure is elsewhere there
        return Finding{Code::kRangeOffGrid,
                       Severity::kStop,
                       range.where,
                       length,
                       "a loop period of whole intervals, or its seam would jump",
                       fmt::format("a target rate of {}", to_text(source)) +
                           (fit.last > fit.first
                                ? fmt::format("; or range = [{}, {}], where it closes there too",
                                              fit.first, fit.last)
                                : "")};
    plan.samples = static_cast<int>((num + den - 1) / den) + 1;
    if (!whole)
        out.findings.push_back(
            {Code::kRangeOffGrid, Severity::kWarning, range.where, length,
             fmt::format(
                 "a range that ends on a sample of the target; the last pose is held for {:.4f} s",
                 target.seconds(plan.samples - 1) - source.seconds(intervals)),
             fitting, edits});
    return out;
}

}  // namespace mellow
