#include "play/leads.h"

#include <algorithm>

namespace mellow {
namespace {

/// Whether a way asks for a flag and for its opposite.
bool contradicts(const Transition& transition) {
    return std::ranges::any_of(transition.when, [&](const auto& a) {
        return std::ranges::any_of(transition.when, [&](const auto& b) {
            return a.first == b.first && a.second != b.second;
        });
    });
}

/// Whether `first`, looked at before, is taken whenever `second` could be.
bool stands_before(const Transition& first, const Transition& second) {
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

std::vector<const Transition*> in_order(const StateSheet& sheet) {
    std::vector<const Transition*> transitions;
    for (const Transition& transition : sheet.transitions) transitions.push_back(&transition);
    std::stable_sort(transitions.begin(), transitions.end(),
                     [](const Transition* a, const Transition* b) {
                         if (a->priority != b->priority) return a->priority > b->priority;
                         return a->from != "*" && b->from == "*";
                     });
    return transitions;
}

std::vector<DeadTransition> dead_transitions(const StateSheet& sheet) {
    std::vector<DeadTransition> dead;
    const std::vector<const Transition*> transitions = in_order(sheet);
    for (std::size_t i = 0; i < transitions.size(); ++i) {
        if (contradicts(*transitions[i])) {
            dead.push_back({transitions[i], nullptr});
            continue;
        }
        const auto before =
            std::find_if(transitions.begin(), transitions.begin() + static_cast<std::ptrdiff_t>(i),
                         [&](const Transition* first) {
                             return !contradicts(*first) && stands_before(*first, *transitions[i]);
                         });
        if (before != transitions.begin() + static_cast<std::ptrdiff_t>(i))
            dead.push_back({transitions[i], *before});
    }
    return dead;
}

Leads::Leads(const StateSheet& sheet) {
    for (std::size_t s = 0; s < sheet.states.size(); ++s)
        places_.emplace(sheet.states[s].name, static_cast<int>(s));
    const std::vector<DeadTransition> dead = dead_transitions(sheet);
    for (const Transition& transition : sheet.transitions)
        if (std::ranges::none_of(
                dead, [&](const DeadTransition& d) { return d.transition == &transition; }))
            to_[transition.from].insert(transition.to);
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
