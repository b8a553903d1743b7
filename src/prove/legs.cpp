// Where the legs of a figure are, by the names of its joints.
#include <algorithm>
#include <array>
#include <cctype>
#include <initializer_list>
#include <map>

#include "base/at.h"
#include "prove/judge.h"

namespace mellow {
namespace {

enum class Side { kNone, kLeft, kRight };

/// A name without the word for its side, in small letters.
struct Sided {
    std::string rest;
    Side side = Side::kNone;
};

/// Words of a name: letters of one kind in a row, so that "LeftUpLeg", "leg.L" and "l_leg" are
/// split.
std::vector<std::string> words_of(const std::string& name) {
    std::vector<std::string> words;
    bool new_word = true;
    for (std::size_t i = 0; i < name.size(); ++i) {
        const auto c = static_cast<unsigned char>(name[i]);
        if (!std::isalpha(c)) {
            new_word = true;
            continue;
        }
        const bool begins =
            std::isupper(c) && i > 0 && std::islower(static_cast<unsigned char>(name[i - 1]));
        if (new_word || begins) words.emplace_back();
        words.back() += static_cast<char>(std::tolower(c));
        new_word = false;
    }
    return words;
}

Sided sided(const std::string& name) {
    Sided out;
    for (const std::string& word : words_of(name.substr(name.rfind(':') + 1))) {
        const Side side = word == "l" || word == "left"    ? Side::kLeft
                          : word == "r" || word == "right" ? Side::kRight
                                                           : Side::kNone;
        if (side != Side::kNone && out.side == Side::kNone)
            out.side = side;
        else
            out.rest += (out.rest.empty() ? "" : " ") + word;
    }
    return out;
}

bool has_one_of(const std::string& words, std::initializer_list<const char*> list) {
    if (words.find("control") != words.npos) return false;
    return std::any_of(list.begin(), list.end(),
                       [&](const char* word) { return words.find(word) != words.npos; });
}

bool is_leg(const std::string& words) {
    return has_one_of(words,
                      {"thigh", "shin", "calf", "knee", "ankle", "foot", "leg", "hoof", "paw"});
}

bool is_toe(const std::string& words) { return has_one_of(words, {"toe", "ball"}); }

}  // namespace

Legs find_legs(const Scene& scene, const std::vector<NodeClass>& classes) {
    std::map<std::string, std::array<int, 2>> pairs;  // left and right node by the rest of the name
    std::vector<bool> leg(scene.nodes.size(), false), toe = leg;
    for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
        const bool joint = classes[n] == NodeClass::kDeform ||
                           classes[n] == NodeClass::kUnweighted || classes[n] == NodeClass::kTip;
        const Sided name = sided(scene.nodes[n].name);
        if (!joint || name.side == Side::kNone) continue;
        toe[n] = is_toe(name.rest);
        leg[n] = is_leg(name.rest) && !toe[n];
        if (!leg[n]) continue;
        auto& pair = pairs.try_emplace(name.rest, std::array{kNone, kNone}).first->second;
        pair[name.side == Side::kLeft ? 0 : 1] = static_cast<int>(n);
    }
    std::erase_if(pairs, [](const auto& p) { return p.second[0] < 0 || p.second[1] < 0; });
    const std::vector<Affine> rest = rest_worlds(scene);
    const auto below = [&](int node, int top) {
        while (node != kNone && node != top) node = scene.nodes[at(node)].parent;
        return node == top;
    };
    Legs legs;
    for (const auto& [name, pair] : pairs) {
        ++legs.pairs;
        legs.left = legs.left + (rest[at(pair[0])].o - rest[at(pair[1])].o);
        for (const auto& [other, higher] : pairs)
            for (std::size_t side = 0; side < 2; ++side)
                if (higher[side] != pair[side] && below(pair[side], higher[side]))
                    legs.up = legs.up + (rest[at(higher[side])].o - rest[at(pair[side])].o);
    }
    for (std::size_t n = 0; n < toe.size(); ++n) {
        int up = scene.nodes[n].parent;
        while (up != kNone && !leg[at(up)]) up = scene.nodes[at(up)].parent;
        if (toe[n] && up != kNone) legs.feet = legs.feet + (rest[n].o - rest[at(up)].o);
    }
    return legs;
}

}  // namespace mellow
