// Evaluation order from dependencies alone: a topological order of numbered steps.
#pragma once

#include <vector>

namespace mellow {

struct Order {
    std::vector<int> steps;  ///< every step after all it needs; ties go to the lower number
    std::vector<int> cycle;  ///< when there is none: steps that need each other, first == last
};

/// `needs[i]` lists the steps that must come before step i.
Order find_order(const std::vector<std::vector<int>>& needs);

}  // namespace mellow
