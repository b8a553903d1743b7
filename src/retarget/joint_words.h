// What the name of a joint says of it: a side, what it is for, that it is something beside a body.
#pragma once

#include <string>
#include <string_view>

#include "mellow/joint_roles.h"

namespace mellow {

struct JointWords {
    BodySide side = BodySide::kMiddle;  ///< kMiddle: says none
    unsigned roles = 0;                 ///< a bit for each Role that the words may mean
    bool beside = false;                ///< a twist, a skirt, hair, the tip of a bone, and so on

    bool says(Role role) const { return (roles >> static_cast<unsigned>(role) & 1U) != 0; }
    bool says_any() const { return roles != 0; }
};

/// Reads "rig:UpperArm_L", "left thigh", "lshin" and their like.
JointWords joint_words(std::string_view name);
/// The name without a prefix that ends in ':' or '|', in small letters and digits alone.
std::string bare_name(std::string_view name);

}  // namespace mellow
