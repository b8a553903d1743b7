// Joint roles: which joint of a skeleton is a thigh, a neck, a left hand.
//
// What a joint is for is read from the tree and from the lengths of bones first, from names second
// and from the pose at rest last: names are other in every house, a rest pose may be any, a thigh
// and a shin are about as long as each other everywhere. docs/retarget.md has the whole rule.
#pragma once

#include <array>
#include <string>
#include <string_view>
#include <vector>

#include "mellow/finding.h"
#include "mellow/result.h"
#include "mellow/skeleton.h"

namespace mellow {

/// What a joint, or a chain of them, is for. A role that both sides have stands once here.
enum class Role {
    kRoot,   ///< the joint above the hips, which carries the way of a clip
    kHips,   ///< where legs and spine meet
    kSpine,  ///< from above the hips to where the arms hang
    kNeck,
    kHead,
    kCollar,
    kUpperArm,
    kForearm,
    kHand,
    kThigh,
    kShin,
    kFoot,
    kToe,
    kThumb,
    kIndexFinger,
    kMiddleFinger,
    kRingFinger,
    kLittleFinger,
    kOther,  ///< anything else that both skeletons have, by its name
};

/// Of the body's own sides, whichever way it faces.
enum class BodySide { kMiddle, kLeft, kRight };

/// What told a role. More of them may have.
struct Evidence {
    bool name = false, tree = false, lengths = false, guess = false;
};
/// "name, bone lengths": the words of what told, in one fixed order.
std::string to_text(const Evidence& told);

/// "left_upper_arm", "spine".
std::string role_name(Role role, BodySide side);
/// The way back; false for other words.
bool parse_role(std::string_view text, Role& role, BodySide& side);
/// True for roles of a limb, which have a left and a right.
bool has_sides(Role role);
/// True for roles that may be several joints in a row.
bool is_chain(Role role);

/// Joints of one role, from the body outwards.
struct RoleJoints {
    Role role = Role::kOther;
    BodySide side = BodySide::kMiddle;
    std::vector<int> joints;
    Evidence told;
};

/// The roles of a skeleton's joints.
struct JointRoles {
    std::vector<RoleJoints> roles;    ///< those that were found, in the order of Role, left first
    Vec3 up{0, 1, 0}, left{1, 0, 0};  ///< of the body at rest, unit, square to each other
    bool four_legged = false;         ///< the trunk lies rather than stands at rest
    Findings findings;                ///< sides that were guessed; names of sides against geometry

    /// The joints of a role; empty where there are none.
    const std::vector<int>& joints(Role role, BodySide side = BodySide::kMiddle) const;
    /// The one joint of a role that is one, or kNone.
    int joint(Role role, BodySide side = BodySide::kMiddle) const;
};

/// Finds the roles. Limbs are two siblings' chains that are about alike in the lengths of their
/// bones; of each the three joints whose two bones are most like a thigh and a shin, and longest.
/// Legs are the pair nearer to the root, arms the one above. Left and right are by names, else by
/// toes and knees, which point ahead, else a guess, which is told. Never fails: a skeleton without
/// limbs has few roles. `where` is the place for findings.
JointRoles find_roles(const Skeleton& skeleton, const Place& where);

}  // namespace mellow
