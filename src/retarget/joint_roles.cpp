#include "mellow/joint_roles.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "base/at.h"
#include "retarget/bone_tree.h"
#include "retarget/joint_words.h"
#include "retarget/limbs.h"

namespace mellow {
namespace {

struct RoleWord {
    Role role;
    std::string_view word;
    bool sided = false, chain = false;
};
constexpr std::array<RoleWord, 18> kRoles = {{
    {Role::kRoot, "root"},
    {Role::kHips, "hips"},
    {Role::kSpine, "spine", false, true},
    {Role::kNeck, "neck", false, true},
    {Role::kHead, "head"},
    {Role::kCollar, "collar", true, true},
    {Role::kUpperArm, "upper_arm", true},
    {Role::kForearm, "forearm", true},
    {Role::kHand, "hand", true},
    {Role::kThigh, "thigh", true},
    {Role::kShin, "shin", true},
    {Role::kFoot, "foot", true},
    {Role::kToe, "toe", true},
    {Role::kThumb, "thumb", true, true},
    {Role::kIndexFinger, "index_finger", true, true},
    {Role::kMiddleFinger, "middle_finger", true, true},
    {Role::kRingFinger, "ring_finger", true, true},
    {Role::kLittleFinger, "little_finger", true, true},
}};
constexpr std::array<Role, 5> kFingers = {Role::kThumb, Role::kIndexFinger, Role::kMiddleFinger,
                                          Role::kRingFinger, Role::kLittleFinger};

const RoleWord& word_of(Role role) { return kRoles[static_cast<std::size_t>(role)]; }

BodySide other(BodySide side) {
    return side == BodySide::kLeft ? BodySide::kRight : BodySide::kLeft;
}

class RoleFinder {
  public:
    RoleFinder(const Skeleton& skeleton, const Place& where) : tree_(skeleton), where_(where) {
        for (const Joint& joint : skeleton.joints()) words_.push_back(joint_words(joint.name));
    }

    JointRoles run() {
        if (tree_.skeleton.size() < 3 || !(tree_.longest > 0)) return std::move(out_);
        limbs_ = choose_limbs(tree_, words_);
        find_trunk();
        find_frame();
        if (limbs_.legs) add_limbs(*limbs_.legs, kLegRoles, hips_);
        if (limbs_.arms) add_limbs(*limbs_.arms, kArmRoles, chest_);
        std::stable_sort(out_.roles.begin(), out_.roles.end(),
                         [](const RoleJoints& a, const RoleJoints& b) {
                             return std::pair(a.role, a.side) < std::pair(b.role, b.side);
                         });
        return std::move(out_);
    }

  private:
    void add(Role role, BodySide side, std::vector<int> joints, Evidence told) {
        if (joints.empty()) return;
        told.name = std::all_of(joints.begin(), joints.end(),
                                [&](int j) { return words_[at(j)].says(role); });
        out_.roles.push_back({role, side, std::move(joints), told});
    }

    Vec3 place(int joint) const { return tree_.places[at(joint)]; }

    /// Hips, what they hang on, spine, neck and head.
    void find_trunk() {
        hips_ = limbs_.hips;
        chest_ = limbs_.arms ? limbs_.arms->hangs_on : -1;
        if (hips_ < 0) hips_ = named(Role::kHips);
        Evidence tree;
        tree.tree = true;
        if (hips_ >= 0) {
            add(Role::kHips, BodySide::kMiddle, {hips_}, tree);
            if (const int above = tree_.skeleton[hips_].parent; above >= 0)
                add(Role::kRoot, BodySide::kMiddle, {above}, tree);
        }
        if (chest_ < 0) {
            if (const int head = named(Role::kHead); head >= 0) {
                add(Role::kHead, BodySide::kMiddle, {head}, {});
                if (hips_ >= 0 && tree_.below(head, hips_)) chest_ = tree_.skeleton[head].parent;
            }
        }
        if (chest_ < 0) return;
        std::vector<int> spine, neck;
        if (hips_ >= 0 && tree_.below(chest_, hips_)) spine = tree_.way(hips_, chest_);
        // Arms may hang on the neck.
        while (spine.size() > 1 && words_[at(spine.back())].says(Role::kNeck)) {
            neck.insert(neck.begin(), spine.back());
            spine.pop_back();
        }
        add(Role::kSpine, BodySide::kMiddle, spine, tree);
        if (!limbs_.arms) return;
        const int head = find_head();
        if (head >= 0)
            for (const int j : tree_.way(chest_, head))
                if (j != head) neck.push_back(j);
        add(Role::kNeck, BodySide::kMiddle, neck, tree);
        if (head >= 0) add(Role::kHead, BodySide::kMiddle, {head}, tree);
    }

    int named(Role role) const {
        for (int j = 0; j < tree_.skeleton.size(); ++j)
            if (words_[at(j)].says(role) && !words_[at(j)].beside) return j;
        return -1;
    }

    /// What goes on from the chest beside the arms. A head has a word, or is where the way forks,
    /// or the second joint of it: a neck and a head.
    int find_head() const {
        std::vector<int> ways;
        for (const int child : tree_.children[at(chest_)])
            if (child != limbs_.arms->tops[0] && child != limbs_.arms->tops[1] &&
                !(limbs_.legs && (tree_.below(limbs_.legs->hangs_on, child))))
                ways.push_back(child);
        for (const int way : ways)
            for (int j = way; j < tree_.skeleton.size(); ++j)
                if (tree_.below(j, way) && words_[at(j)].says(Role::kHead) && !words_[at(j)].beside)
                    return j;
        std::erase_if(ways, [&](int j) { return words_[at(j)].beside; });
        if (ways.empty()) return -1;
        // Nearest to where the spine points.
        const int from = hips_ >= 0 ? hips_ : tree_.skeleton[chest_].parent;
        const Vec3 on =
            from < 0 ? Vec3{0, 1, 0} : normalized(place(chest_) - place(from), {0, 1, 0});
        const auto ahead = [&](int j) {
            const int tip = tree_.children[at(j)].empty() ? j : tree_.children[at(j)][0];
            return dot(place(tip) - place(chest_), on);
        };
        int j = *std::max_element(ways.begin(), ways.end(),
                                  [&](int a, int b) { return ahead(a) < ahead(b); });
        int steps = 0;
        while (tree_.children[at(j)].size() == 1 && steps < 1) {
            j = tree_.children[at(j)][0];
            ++steps;
        }
        return j;
    }

    /// Up, left and ahead of the body at rest, and which limb is the left one.
    void find_frame() {
        const int above = chest_ >= 0 ? chest_ : named(Role::kHead);
        const int below = hips_ >= 0 ? hips_ : tree_.skeleton.size() > 0 ? 0 : -1;
        Vec3 up{0, 1, 0};
        if (above >= 0 && above != below) up = normalized(place(above) - place(below), up);
        out_.four_legged = limbs_.legs && limbs_.arms && std::abs(up.y) < std::cos(0.7854);
        if (out_.four_legged || up.y < 0.5) up = {0, 1, 0};
        out_.up = {0, 1, 0};
        const LimbPair* const pair = limbs_.legs   ? &*limbs_.legs
                                     : limbs_.arms ? &*limbs_.arms
                                                   : nullptr;
        if (pair == nullptr) return;
        Vec3 across = place(pair->limbs[0][0]) - place(pair->limbs[1][0]);
        across = normalized(across - out_.up * dot(across, out_.up), {1, 0, 0});
        // Were the first limb the left one, this way would be ahead.
        const Vec3 ahead = cross(across, out_.up);
        const double seen = limbs_.legs ? points(*limbs_.legs, ahead) : 0;
        const double votes = sides_by_name(*pair, across);
        Evidence& told = side_told_;
        const bool by_name = std::abs(votes) > 0.5, by_feet = std::abs(seen) > 0.3;
        told.name = by_name;
        told.guess = !by_name && !by_feet;
        const bool first_left = by_name ? votes > 0 : seen >= 0;
        out_.left = first_left ? across : -across;
        if (by_name && std::abs(seen) > 0.5 && (votes > 0) != (seen > 0))
            out_.findings.push_back(
                {Code::kValueBad, Severity::kStop, where_,
                 "names of left and right that are against toes and knees, which point ahead",
                 "left on the left of what the body faces",
                 "swap the names, in the file or in the map; or mirror the motion"});
        if (told.guess) guess(limbs_.legs ? "legs" : "arms");
    }

    void guess(const char* limbs) {
        out_.findings.push_back(
            {Code::kAssumed, Severity::kWarning, where_,
             fmt::format("which of the {} is left: neither names nor what they point at tell it",
                         limbs),
             "names with left and right, or feet that point ahead",
             "look at the map, and swap left and right there if it is wrong"});
    }

    /// How much toes and knees point that way, -1 to 1.
    double points(const LimbPair& legs, Vec3 ahead) const {
        double out = 0;
        for (const LimbJoints& leg : legs.limbs) {
            const auto& below = tree_.children[at(leg[2])];
            if (!below.empty()) {
                Vec3 toe = place(below[0]) - place(leg[2]);
                toe = toe - out_.up * dot(toe, out_.up);
                if (length(toe) > 0.02 * tree_.longest)
                    out += 0.4 * dot(normalized(toe, {}), ahead);
            }
            const Vec3 line = normalized(place(leg[2]) - place(leg[0]), {0, -1, 0});
            const Vec3 knee = place(leg[1]) - place(leg[0]);
            const Vec3 off = knee - line * dot(knee, line);
            const double bent = length(off) / length(knee);
            // Knees alone are no proof: rests bend them any way.
            if (bent > 0.005) out += std::min(0.14, bent * 8) * dot(normalized(off, {}), ahead);
        }
        return out;
    }

    /// Above 0 where names say that the limb that lies along `across` is the left one.
    double sides_by_name(const LimbPair& pair, Vec3 across) const {
        double out = 0;
        for (std::size_t i = 0; i < 2; ++i)
            for (const int joint : pair.limbs[i]) {
                const BodySide side = words_[at(joint)].side;
                if (side == BodySide::kMiddle) continue;
                const double lies =
                    dot(place(pair.limbs[i][0]) - place(pair.limbs[1 - i][0]), across);
                out += (side == BodySide::kLeft) == (lies > 0) ? 1 : -1;
            }
        return out;
    }

    void add_limbs(const LimbPair& pair, const LimbRoles& roles, int trunk) {
        const bool legs = roles == kLegRoles;
        // A trunk that is twisted at rest has arms across its legs: their own names come first.
        const Vec3 across = place(pair.limbs[0][0]) - place(pair.limbs[1][0]);
        const double named = sides_by_name(pair, out_.left);
        const double lies = named != 0 ? named * dot(across, out_.left) : dot(across, out_.left);
        const bool unsure = !legs && named == 0 && limbs_.legs && !side_told_.guess &&
                            std::abs(lies) < 0.5 * length(across);
        if (unsure) guess("arms");
        for (std::size_t i = 0; i < 2; ++i) {
            const LimbJoints& limb = pair.limbs[i];
            const BodySide first = lies >= 0 ? BodySide::kLeft : BodySide::kRight;
            const BodySide side = i == 0 ? first : other(first);
            Evidence told;
            told.lengths = true;
            told.guess = side_told_.guess || unsure;
            for (std::size_t k = 0; k < 3; ++k) add(roles[k], side, {limb[k]}, told);
            told.lengths = false;
            told.tree = true;
            if (legs) {
                if (const int toe = toe_of(limb[2]); toe >= 0) add(Role::kToe, side, {toe}, told);
            } else {
                std::vector<int> collar = tree_.way(trunk, limb[0]);
                collar.pop_back();
                std::erase_if(collar, [&](int j) { return words_[at(j)].beside; });
                add(Role::kCollar, side, collar, told);
                add_fingers(limb[2], side, told);
            }
        }
    }

    int toe_of(int foot) const {
        for (const int child : tree_.children[at(foot)])
            if (words_[at(child)].says(Role::kToe)) return child;
        for (const int child : tree_.children[at(foot)])
            if (!words_[at(child)].beside && tree_.bone(child) > 0.01 * tree_.longest) return child;
        return -1;
    }

    /// Chains below the hand, each from behind the last fork to its leaf. Those without a word are
    /// told apart by where they begin: a thumb next to the wrist, the others away from it in turn.
    void add_fingers(int hand, BodySide side, Evidence told) {
        std::vector<std::vector<int>> chains;
        for (int j = hand + 1; j < tree_.skeleton.size(); ++j) {
            if (!tree_.below(j, hand) || !tree_.children[at(j)].empty()) continue;
            std::vector<int> way = tree_.way(hand, j);
            const auto fork = std::find_if(way.rbegin(), way.rend(),
                                           [&](int k) { return tree_.children[at(k)].size() > 1; });
            way.erase(way.begin(), fork.base());
            std::erase_if(way, [&](int k) { return words_[at(k)].beside; });
            if (!way.empty()) chains.push_back(std::move(way));
        }
        std::map<Role, std::vector<int>> found;
        std::vector<std::vector<int>> nameless;
        for (std::vector<int>& chain : chains) {
            Role role = Role::kOther;
            for (const Role finger : kFingers)
                if (words_[at(chain[0])].says(finger)) role = finger;
            if (role == Role::kOther)
                nameless.push_back(std::move(chain));
            else
                found.try_emplace(role, std::move(chain));
        }
        if (found.empty() && nameless.size() == kFingers.size()) {
            std::sort(nameless.begin(), nameless.end(), [&](const auto& a, const auto& b) {
                return length(place(a[0]) - place(hand)) < length(place(b[0]) - place(hand));
            });
            std::sort(nameless.begin() + 1, nameless.end(), [&](const auto& a, const auto& b) {
                return length(place(a[0]) - place(nameless[0][0])) <
                       length(place(b[0]) - place(nameless[0][0]));
            });
            for (std::size_t i = 0; i < kFingers.size(); ++i)
                found.emplace(kFingers[i], std::move(nameless[i]));
        }
        for (auto& [role, joints] : found) add(role, side, std::move(joints), told);
    }

    const BoneTree tree_;
    const Place& where_;
    std::vector<JointWords> words_;
    Limbs limbs_;
    int hips_ = -1, chest_ = -1;
    Evidence side_told_;
    JointRoles out_;
};

}  // namespace

std::string to_text(const Evidence& told) {
    std::vector<std::string_view> words;
    if (told.name) words.emplace_back("name");
    if (told.tree) words.emplace_back("tree");
    if (told.lengths) words.emplace_back("bone lengths");
    if (told.guess) words.emplace_back("a guess");
    return fmt::format("{}", fmt::join(words, ", "));
}

std::string role_name(Role role, BodySide side) {
    if (role == Role::kOther) return "other";
    const char* const before = side == BodySide::kLeft    ? "left_"
                               : side == BodySide::kRight ? "right_"
                                                          : "";
    return fmt::format("{}{}", before, word_of(role).word);
}

bool parse_role(std::string_view text, Role& role, BodySide& side) {
    for (const RoleWord& word : kRoles)
        for (const BodySide of : {BodySide::kMiddle, BodySide::kLeft, BodySide::kRight})
            if (word.sided == (of != BodySide::kMiddle) && role_name(word.role, of) == text) {
                role = word.role;
                side = of;
                return true;
            }
    return false;
}

bool has_sides(Role role) { return role != Role::kOther && word_of(role).sided; }
bool is_chain(Role role) { return role == Role::kOther || word_of(role).chain; }

const std::vector<int>& JointRoles::joints(Role role, BodySide side) const {
    static const std::vector<int> kNobody;
    for (const RoleJoints& r : roles)
        if (r.role == role && r.side == side) return r.joints;
    return kNobody;
}

int JointRoles::joint(Role role, BodySide side) const {
    const std::vector<int>& all = joints(role, side);
    return all.empty() ? -1 : all.front();
}

JointRoles find_roles(const Skeleton& skeleton, const Place& where) {
    return RoleFinder(skeleton, where).run();
}

}  // namespace mellow
