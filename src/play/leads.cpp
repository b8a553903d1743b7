#include "play/leads.h"

#include <algorithm>

namespace mellow {
namespace {

/// Whether a way asks for a flag and for its opposite.
bool contradicts(const Way& way) {
    return std::ranges::any_of(way.when, [&](const auto& a) {
        return std::ranges::any_of(
            way.when, [&](const auto& b) { return a.first == b.first && a.second != b.second; });
    });
}

/// Whether `first`, looked at before, is taken whenever `second` could be.
bool stands_before(const Way& first, const Way& second) {
    if (first.from != "*" && first.from != second.from) return false;
    // A way to where one is already is passed over there, unless it begins anew.
    if (!first.restart && (second.from == "*" || first.to == second.from)) return false;
    if (first.at_end && !second.at_end) return false;
    if (!first.on.empty() && first.on != second.on) return false;
    return std::ranges::all_of(first.when, [&](const auto& flag) {
        return std::ranges::find(second.when, flag) != second.when.end();
    });
}

}  // namespace

std::vector<const Way*> ways_in_order(const StateSheet& sheet) {
    std::vector<const Way*> ways;
    for (const Way& way : sheet.ways) ways.push_back(&way);
    std::stable_sort(ways.begin(), ways.end(), [](const Way* a, const Way* b) {
        if (a->priority != b->priority) return a->priority > b->priority;
        return a->from != "*" && b->from == "*";
    });
    return ways;
}

std::vector<DeadWay> dead_ways(const StateSheet& sheet) {
    std::vector<DeadWay> dead;
    const std::vector<const Way*> ways = ways_in_order(sheet);
    for (std::size_t i = 0; i < ways.size(); ++i) {
        if (contradicts(*ways[i])) {
            dead.push_back({ways[i], nullptr});
            continue;
        }
        const auto before = std::find_if(
            ways.begin(), ways.begin() + static_cast<std::ptrdiff_t>(i), [&](const Way* first) {
                return !contradicts(*first) && stands_before(*first, *ways[i]);
            });
        if (before != ways.begin() + static_cast<std::ptrdiff_t>(i))
            dead.push_back({ways[i], *before});
    }
    return dead;
}

Leads::Leads(const StateSheet& sheet) {
    for (std::size_t s = 0; s < sheet.states.size(); ++s)
        places_.emplace(sheet.states[s].name, static_cast<int>(s));
    const std::vector<DeadWay> dead = dead_ways(sheet);
    for (const Way& way : sheet.ways)
        if (std::ranges::none_of(dead, [&](const DeadWay& d) { return d.way == &way; }))
            to_[way.from].insert(way.to);
}

std::set<std::string> Leads::reached(const std::string& start) const {
    std::set<std::string> out;
    std::vector<std::string> open{start, "*"};
    while (!open.empty()) {
        const std::string from = std::move(open.back());
        open.pop_back();
        if (from != "*" && !out.insert(from).second) continue;
        if (const auto found = to_.find(from); found != to_.end())
            open.insert(open.end(), found->second.begin(), found->second.end());
    }
    return out;
}

std::set<int> Leads::states(const std::vector<std::string>& names) const {
    std::set<int> out;
    for (const std::string& name : names)
        if (const auto found = places_.find(name); found != places_.end())
            out.insert(found->second);
    return out;
}

bool Leads::other(const std::string& from, const std::string& name) const {
    const auto found = to_.find(from);
    return found != to_.end() && found->second.size() > found->second.count(name);
}

}  // namespace mellow
