#include "pack/dealing.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <functional>
#include <numeric>
#include <queue>
#include <utility>

#include "mellow/share.h"
#include "plan/output_names.h"

namespace mellow {
namespace {

/// Samples that cost as much as writing a file.
constexpr std::int64_t kFileCost = 64;

}  // namespace

Result<Share> parse_share(const std::string& text) {
    Share share;
    const char *at = text.data(), *end = at + text.size();
    const auto number = [&](int& value) {
        const auto [rest, error] = std::from_chars(at, end, value);
        at = rest;
        return error == std::errc();
    };
    if (number(share.number) && at != end && *at++ == '/' && number(share.of) && at == end &&
        share.number >= 1 && share.number <= share.of && share.of <= kMostShares)
        return share;
    return Finding{
        Code::kValueBad,
        Severity::kStop,
        "share",
        "\"" + text + "\"",
        fmt::format("NUMBER/OF, from 1/OF to OF/OF, with at most {} shares", kMostShares),
        "3/16 is the third of sixteen"};
}

std::vector<int> deal(const std::vector<std::int64_t>& costs, int of) {
    std::vector<std::size_t> order(costs.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::stable_sort(order.begin(), order.end(),
                     [&](std::size_t a, std::size_t b) { return costs[a] > costs[b]; });
    using Load = std::pair<std::int64_t, int>;  // what a share has so far, and its number
    std::priority_queue<Load, std::vector<Load>, std::greater<>> least;
    for (int share = 1; share <= of; ++share) least.emplace(0, share);
    std::vector<int> out(costs.size());
    for (const std::size_t i : order) {
        const auto [load, share] = least.top();
        least.pop();
        out[i] = share;
        least.emplace(load + costs[i], share);
    }
    return out;
}

std::vector<int> dealt_clips(const Jobs& jobs, const Target& target, int of) {
    std::vector<std::size_t> chosen;
    std::vector<std::int64_t> costs;
    for (std::size_t i = 0; i < jobs.clips().size(); ++i) {
        const ClipJob& job = jobs.clips()[i];
        if (!is_chosen(target, job.clip)) continue;
        chosen.push_back(i);
        // Its samples, twice where it is made of others, and what any file costs.
        const std::int64_t samples = job.range_at(target.rate).plan.samples;
        costs.push_back(samples * (job.parts.empty() ? 1 : 2) + kFileCost);
    }
    const std::vector<int> to = deal(costs, of);
    std::vector<int> out(jobs.clips().size(), 0);
    for (std::size_t c = 0; c < chosen.size(); ++c) out[chosen[c]] = to[c];
    return out;
}

}  // namespace mellow
