#include "retarget/limbs.h"

#include <algorithm>
#include <cmath>

#include "base/at.h"

namespace mellow {
namespace {

class LimbFinder {
  public:
    LimbFinder(const BoneTree& tree, const std::vector<JointWords>& words, const LimbRoles& roles)
        : tree_(tree), words_(words), roles_(roles) {}

    /// The best limb below each of two siblings, joint by joint the same in both.
    std::optional<LimbPair> pair(int a, int b) const {
        std::vector<int> twin(tree_.places.size(), -1);
        match(a, b, twin);
        std::optional<LimbPair> best;
        for (std::size_t end = 0; end < twin.size(); ++end) {
            if (twin[end] < 0) continue;
            std::vector<int> way = tree_.way(tree_.skeleton[a].parent, static_cast<int>(end));
            for (std::size_t i = 0; i + 2 < way.size(); ++i)
                for (std::size_t k = i + 1; k + 1 < way.size(); ++k) {
                    const LimbJoints one{way[i], way[k], way.back()};
                    const LimbJoints other{twin[at(one[0])], twin[at(one[1])], twin[at(one[2])]};
                    const std::size_t skipped = way.size() - i - 3;
                    const double score = (worth(one, skipped) + worth(other, skipped)) / 2;
                    if (best && score <= best->score) continue;
                    best = LimbPair{tree_.skeleton[a].parent,
                                    {a, b},
                                    {one, other},
                                    score,
                                    fits(one) >= 2 && fits(other) >= 2};
                }
        }
        return best;
    }

  private:
    /// Joints below two siblings that stand for one another: children in order of their reach, and
    /// those whose words mean the same first.
    void match(int a, int b, std::vector<int>& twin) const {
        twin[at(a)] = b;
        std::vector<int> left = tree_.children[at(b)];
        for (const int child : tree_.children[at(a)]) {
            if (left.empty()) return;
            const auto likeness = [&](int other) {
                const bool same = words_[at(child)].roles == words_[at(other)].roles &&
                                  words_[at(child)].beside == words_[at(other)].beside;
                return tree_.unlike(child, other) + (same ? 0 : 0.5);
            };
            const auto best = std::min_element(
                left.begin(), left.end(), [&](int x, int y) { return likeness(x) < likeness(y); });
            match(child, *best, twin);
            left.erase(best);
        }
    }

    int fits(const LimbJoints& limb) const {
        int out = 0;
        for (std::size_t i = 0; i < 3; ++i) out += words_[at(limb[i])].says(roles_[i]) ? 1 : 0;
        return out;
    }

    /// A thigh is a little longer than a shin; what hangs on the limb is shorter than the limb.
    double worth(const LimbJoints& limb, std::size_t skipped) const {
        const auto place = [&](int joint) { return tree_.places[at(joint)]; };
        const double u = length(place(limb[1]) - place(limb[0])),
                     v = length(place(limb[2]) - place(limb[1])), both = u + v;
        if (!(u > 1e-3 * tree_.longest) || !(v > 1e-3 * tree_.longest)) return -100;
        const double uneven = (std::log(u / v) - 0.08) / 0.35;
        const double rest = tree_.reach[at(limb[2])] / both;
        double out = -uneven * uneven - 4 * std::max(0.0, rest - 0.45) -
                     0.5 * static_cast<double>(skipped) + 1.2 * std::log(both / tree_.longest);
        for (std::size_t i = 0; i < 3; ++i) {
            const JointWords& words = words_[at(limb[i])];
            out += words.says(roles_[i]) ? 2 : words.says_any() ? -1 : 0;
            out -= words.beside ? 1.5 : 0;
        }
        return out;
    }

    const BoneTree& tree_;
    const std::vector<JointWords>& words_;
    const LimbRoles& roles_;
};

bool apart(const BoneTree& tree, const LimbPair& a, const LimbPair& b) {
    for (const int x : a.tops)
        for (const int y : b.tops)
            if (tree.below(x, y) || tree.below(y, x)) return false;
    return true;
}

}  // namespace

std::vector<LimbPair> find_limbs(const BoneTree& tree, const std::vector<JointWords>& words,
                                 const LimbRoles& roles) {
    const LimbFinder finder(tree, words, roles);
    std::vector<LimbPair> out;
    for (std::size_t joint = 0; joint < tree.children.size(); ++joint) {
        const auto& below = tree.children[joint];
        for (std::size_t i = 0; i < below.size(); ++i)
            for (std::size_t k = i + 1; k < below.size(); ++k) {
                if (tree.unlike(below[i], below[k]) > 0.35) continue;
                if (const auto pair = finder.pair(below[i], below[k]); pair && pair->score > -6)
                    out.push_back(*pair);
            }
    }
    return out;
}

Limbs choose_limbs(const BoneTree& tree, const std::vector<JointWords>& words) {
    const auto legs = find_limbs(tree, words, kLegRoles), arms = find_limbs(tree, words, kArmRoles);
    Limbs out;
    double best = -1e9;
    const auto take = [&](const LimbPair* leg, const LimbPair* arm, int hips, double score) {
        if (score <= best) return;
        best = score;
        out = {};
        if (leg != nullptr) out.legs = *leg;
        if (arm != nullptr) out.arms = *arm;
        out.hips = hips;
    };
    // A pair alone counts as one beside a poor other.
    constexpr double kPoor = -5;
    for (const LimbPair& leg : legs) {
        if (leg.score > -3) take(&leg, nullptr, leg.hangs_on, leg.score + kPoor);
        for (const LimbPair& arm : arms) {
            const int hips = tree.common(leg.hangs_on, arm.hangs_on);
            if (hips < 0 || leg.hangs_on == arm.hangs_on || !apart(tree, leg, arm)) continue;
            // Legs hang on the hips, or on a joint next to them; a trunk lies between.
            const std::size_t down = tree.way(hips, leg.hangs_on).size(),
                              up = tree.way(hips, arm.hangs_on).size();
            if (up == 0 || down > up) continue;
            take(&leg, &arm, hips, leg.score + arm.score - 0.5 * static_cast<double>(down));
        }
    }
    for (const LimbPair& arm : arms)
        if (arm.score > -3) take(nullptr, &arm, -1, arm.score + kPoor);
    return out;
}

}  // namespace mellow
