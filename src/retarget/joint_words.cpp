#include "retarget/joint_words.h"

#include <algorithm>
#include <cctype>
#include <map>
#include <vector>

namespace mellow {
namespace {

constexpr unsigned bit(Role role) { return 1U << static_cast<unsigned>(role); }

/// Words of anatomy and of the trade, and what they may mean.
const std::map<std::string, unsigned, std::less<>>& meanings() {
    static const std::map<std::string, unsigned, std::less<>> kMeanings = {
        {"root", bit(Role::kRoot)},
        {"hips", bit(Role::kHips)},
        {"pelvis", bit(Role::kHips)},
        {"hip", bit(Role::kHips) | bit(Role::kThigh)},
        {"spine", bit(Role::kSpine)},
        {"back", bit(Role::kSpine)},
        {"torso", bit(Role::kSpine)},
        {"trunk", bit(Role::kSpine)},
        {"abdomen", bit(Role::kSpine)},
        {"belly", bit(Role::kSpine)},
        {"waist", bit(Role::kSpine)},
        {"lumbar", bit(Role::kSpine)},
        {"chest", bit(Role::kSpine)},
        {"thorax", bit(Role::kSpine)},
        {"ribs", bit(Role::kSpine)},
        {"ribcage", bit(Role::kSpine)},
        {"neck", bit(Role::kNeck)},
        {"head", bit(Role::kHead)},
        {"skull", bit(Role::kHead)},
        {"collar", bit(Role::kCollar)},
        {"collarbone", bit(Role::kCollar)},
        {"clavicle", bit(Role::kCollar)},
        {"clav", bit(Role::kCollar)},
        {"scapula", bit(Role::kCollar)},
        {"shoulder", bit(Role::kCollar) | bit(Role::kUpperArm)},
        {"upperarm", bit(Role::kUpperArm)},
        {"uparm", bit(Role::kUpperArm)},
        {"armupper", bit(Role::kUpperArm)},
        {"humerus", bit(Role::kUpperArm)},
        {"arm", bit(Role::kUpperArm)},
        {"forearm", bit(Role::kForearm)},
        {"lowerarm", bit(Role::kForearm)},
        {"lowarm", bit(Role::kForearm)},
        {"armlower", bit(Role::kForearm)},
        {"elbow", bit(Role::kForearm)},
        {"ulna", bit(Role::kForearm)},
        {"hand", bit(Role::kHand)},
        {"wrist", bit(Role::kHand)},
        {"palm", bit(Role::kHand)},
        {"thigh", bit(Role::kThigh)},
        {"upleg", bit(Role::kThigh)},
        {"upperleg", bit(Role::kThigh)},
        {"legupper", bit(Role::kThigh)},
        {"femur", bit(Role::kThigh)},
        {"leg", bit(Role::kThigh) | bit(Role::kShin)},
        {"shin", bit(Role::kShin)},
        {"calf", bit(Role::kShin)},
        {"lowerleg", bit(Role::kShin)},
        {"lowleg", bit(Role::kShin)},
        {"leglower", bit(Role::kShin)},
        {"knee", bit(Role::kShin)},
        {"tibia", bit(Role::kShin)},
        {"foot", bit(Role::kFoot)},
        {"ankle", bit(Role::kFoot)},
        {"toe", bit(Role::kToe)},
        {"toes", bit(Role::kToe)},
        {"toebase", bit(Role::kToe)},
        {"ball", bit(Role::kToe)},
        {"thumb", bit(Role::kThumb)},
        {"index", bit(Role::kIndexFinger)},
        {"indexfinger", bit(Role::kIndexFinger)},
        {"middle", bit(Role::kMiddleFinger)},
        {"middlefinger", bit(Role::kMiddleFinger)},
        {"ring", bit(Role::kRingFinger)},
        {"ringfinger", bit(Role::kRingFinger)},
        {"little", bit(Role::kLittleFinger)},
        {"littlefinger", bit(Role::kLittleFinger)},
        {"pinky", bit(Role::kLittleFinger)},
        {"pinkie", bit(Role::kLittleFinger)},
    };
    return kMeanings;
}

/// Words of joints that are no part of a body, or its tips.
bool is_beside(std::string_view word) {
    for (const std::string_view beside :
         {"twist",  "roll",  "skirt", "tail",   "hair",   "pony",   "braid",   "cloth",
          "coat",   "apron", "cape",  "wing",   "ear",    "eye",    "jaw",     "tongue",
          "breast", "bag",   "belt",  "prop",   "pole",   "weapon", "end",     "tip",
          "nub",    "site",  "heel",  "helper", "socket", "fin",    "feather", "sleeve",
          "strap",  "lash",  "brow",  "lip",    "control"})
        if (word == beside) return true;
    return false;
}

BodySide side_of(std::string_view word) {
    if (word == "l" || word == "left" || word == "lft") return BodySide::kLeft;
    if (word == "r" || word == "right" || word == "rgt") return BodySide::kRight;
    return BodySide::kMiddle;
}

std::string_view without_prefix(std::string_view name) {
    const std::size_t end = name.find_last_of(":|");
    return end == std::string_view::npos || end + 1 == name.size() ? name : name.substr(end + 1);
}

bool is(int (*kind)(int), char c) { return kind(static_cast<unsigned char>(c)) != 0; }

/// Runs of letters, a capital after a small letter beginning a new one.
std::vector<std::string> split(std::string_view name) {
    std::vector<std::string> out(1);
    char before = 0;
    for (const char c : name) {
        const bool letter = is(std::isalpha, c);
        if (!letter || (is(std::isupper, c) && is(std::islower, before))) out.emplace_back();
        if (letter) out.back() += static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
        before = c;
    }
    std::erase(out, "");
    return out;
}

}  // namespace

std::string bare_name(std::string_view name) {
    std::string out;
    for (const char c : without_prefix(name))
        if (is(std::isalnum, c) || static_cast<unsigned char>(c) >= 0x80)
            out += static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    return out;
}

JointWords joint_words(std::string_view name) {
    JointWords out;
    std::string all;  // what is no side, in one word
    const auto& known = meanings();
    for (std::string word : split(without_prefix(name))) {
        if (const BodySide side = side_of(word); side != BodySide::kMiddle) {
            out.side = side;
            continue;
        }
        // "lefthand", "lshin": a side and a word that means something.
        for (const std::string_view head : {"left", "right", "l", "r"})
            if (out.side == BodySide::kMiddle && !known.contains(word) && word.starts_with(head) &&
                known.contains(word.substr(head.size()))) {
                out.side = side_of(head);
                word = word.substr(head.size());
            }
        out.beside = out.beside || is_beside(word);
        all += word;
    }
    if (const auto found = known.find(all); found != known.end()) {
        out.roles = found->second;
    } else {
        // The longest known word that it begins or ends with: "handthumb" is a thumb.
        std::size_t most = 2;
        for (const auto& [word, roles] : known)
            if (word.size() > most && all.ends_with(word)) most = word.size(), out.roles = roles;
        if (out.roles == 0)
            for (const auto& [word, roles] : known)
                if (word.size() > most && all.starts_with(word))
                    most = word.size(), out.roles = roles;
    }
    // A hip that has a side is a thigh.
    if (out.says(Role::kHips) && out.says(Role::kThigh))
        out.roles = bit(out.side == BodySide::kMiddle ? Role::kHips : Role::kThigh);
    return out;
}

}  // namespace mellow
