// Where the ways of a sheet of states lead, without playing it.
#pragma once

#include <map>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "mellow/states.h"

namespace mellow {

/// The ways of a sheet in the order in which they are looked at: higher priority first, then those
/// from a state itself before those from any, then as the sheet has them.
std::vector<const Transition*> in_order(const StateSheet& sheet);

/// A way that is never taken.
struct DeadTransition {
    const Transition* transition = nullptr;
    const Transition* in_front =
        nullptr;  ///< is taken whenever it could be; nullptr: it asks for a flag and its opposite
};
/// Those of a sheet whose conditions cannot hold, or hold only when an earlier one is taken.
std::vector<DeadTransition> dead_transitions(const StateSheet& sheet);

/// Which states the ways of a sheet lead to, each way looked at once; ways that are never taken
/// lead nowhere.
class Leads {
  public:
    explicit Leads(const StateSheet& sheet);

    std::set<std::string> reached(const std::string& start) const;
    /// True where a way leads from a state to another one.
    bool away(const std::string& name) const { return other(name, name) || other("*", name); }
    /// The states of these names, in the order of the sheet.
    std::set<int> states(const std::vector<std::string>& names) const;

  private:
    bool other(const std::string& from, const std::string& name) const;

    std::map<std::string, int> places_;
    std::map<std::string, std::set<std::string>> to_;  ///< by where ways begin, "*" among them
};

}  // namespace mellow
