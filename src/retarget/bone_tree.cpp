#include "retarget/bone_tree.h"

#include <algorithm>
#include <cmath>

#include "base/at.h"

namespace mellow {

BoneTree::BoneTree(const Skeleton& of) : skeleton(of) {
    const std::size_t n = at(of.size());
    for (const Affine& world : of.rest_worlds()) places.push_back(world.o);
    children.resize(n);
    reach.assign(n, 0);
    count.assign(n, 1);
    for (int j = of.size() - 1; j >= 0; --j) {
        // Children come later: theirs are done.
        std::stable_sort(children[at(j)].begin(), children[at(j)].end(), [&](int a, int b) {
            return reach[at(a)] + bone(a) > reach[at(b)] + bone(b);
        });
        const auto& below_it = children[at(j)];
        const double first = below_it.empty() ? 0 : reach[at(below_it[0])] + bone(below_it[0]);
        const double second = below_it.size() < 2 ? 0 : reach[at(below_it[1])] + bone(below_it[1]);
        reach[at(j)] = first;
        longest = std::max(longest, first + second);
        const int parent = of[j].parent;
        if (parent < 0) continue;
        children[at(parent)].insert(children[at(parent)].begin(), j);
        count[at(parent)] += count[at(j)];
    }
}

double BoneTree::bone(int joint) const {
    const int parent = skeleton[joint].parent;
    return parent < 0 ? 0 : length(places[at(joint)] - places[at(parent)]);
}

bool BoneTree::below(int joint, int top) const {
    while (joint > top) joint = skeleton[joint].parent;
    return joint == top;
}

int BoneTree::common(int a, int b) const {
    while (a != b && a >= 0 && b >= 0) (a > b ? a : b) = skeleton[a > b ? a : b].parent;
    return a == b ? a : -1;
}

std::vector<int> BoneTree::way(int top, int joint) const {
    std::vector<int> out;
    for (; joint != top && joint >= 0; joint = skeleton[joint].parent) out.push_back(joint);
    std::reverse(out.begin(), out.end());
    return out;
}

double BoneTree::unlike(int a, int b) const {
    double out =
        4 * std::abs(bone(a) - bone(b)) / longest + 0.03 * std::abs(count[at(a)] - count[at(b)]);
    const auto &of_a = children[at(a)], &of_b = children[at(b)];
    for (std::size_t i = 0; i < std::min(of_a.size(), of_b.size()) && out < 1; ++i)
        out += unlike(of_a[i], of_b[i]);
    return out;
}

}  // namespace mellow
