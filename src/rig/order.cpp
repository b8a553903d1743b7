#include "rig/order.h"

#include <algorithm>
#include <cstddef>
#include <functional>
#include <queue>

namespace mellow {

Order find_order(const std::vector<std::vector<int>>& needs) {
    const auto at = [](int i) { return static_cast<std::size_t>(i); };
    std::vector<std::vector<int>> needed_by(needs.size());
    std::vector<std::size_t> open(needs.size());
    std::priority_queue<int, std::vector<int>, std::greater<>> ready;
    for (std::size_t i = 0; i < needs.size(); ++i) {
        open[i] = needs[i].size();
        for (const int n : needs[i]) needed_by[at(n)].push_back(static_cast<int>(i));
        if (open[i] == 0) ready.push(static_cast<int>(i));
    }
    Order order;
    while (!ready.empty()) {
        const int step = ready.top();
        ready.pop();
        order.steps.push_back(step);
        for (const int next : needed_by[at(step)])
            if (--open[at(next)] == 0) ready.push(next);
    }
    if (order.steps.size() == needs.size()) return order;
    // Every step left needs another one left: walking back must come round.
    int step = 0;
    while (open[at(step)] == 0) ++step;
    std::vector<int> path;
    while (std::find(path.begin(), path.end(), step) == path.end()) {
        path.push_back(step);
        for (const int n : needs[at(step)])
            if (open[at(n)] > 0) {
                step = n;
                break;
            }
    }
    order.cycle.assign(std::find(path.begin(), path.end(), step), path.end());
    order.cycle.push_back(step);
    std::reverse(order.cycle.begin(), order.cycle.end());
    return order;
}

}  // namespace mellow
