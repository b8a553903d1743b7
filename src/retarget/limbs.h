// Pairs of limbs: two chains that hang on one joint and are about alike in their bones.
#pragma once

#include <array>
#include <optional>
#include <vector>

#include "retarget/bone_tree.h"
#include "retarget/joint_words.h"

namespace mellow {

/// The three joints of a limb whose two bones bend: a shoulder, an elbow, a wrist.
using LimbJoints = std::array<int, 3>;

/// Two limbs; which is left is not said.
struct LimbPair {
    int hangs_on = -1;
    std::array<int, 2> tops{};  ///< children of that joint that lead to the limbs
    std::array<LimbJoints, 2> limbs{};
    double score = 0;
    bool named = false;  ///< names fit at least two joints of each
};

/// What the joints of a limb are called, from its top.
using LimbRoles = std::array<Role, 3>;
inline constexpr LimbRoles kLegRoles{Role::kThigh, Role::kShin, Role::kFoot};
inline constexpr LimbRoles kArmRoles{Role::kUpperArm, Role::kForearm, Role::kHand};

/// The best pair below each joint that has one, as legs or as arms.
std::vector<LimbPair> find_limbs(const BoneTree& tree, const std::vector<JointWords>& words,
                                 const LimbRoles& roles);

/// Legs and arms of one body: the two pairs that together have the best score, the legs' joint not
/// below the arms'. Either may be missing.
struct Limbs {
    std::optional<LimbPair> legs, arms;
    int hips = -1;  ///< where the way to the legs leaves that to the arms
};
Limbs choose_limbs(const BoneTree& tree, const std::vector<JointWords>& words);

}  // namespace mellow
