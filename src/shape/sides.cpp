// Names with a side; declared in shaping.h.

#include <array>
#include <cctype>
#include <utility>

#include "mellow/shaping.h"

namespace mellow {
namespace {

bool letter(char c) { return std::isalpha(static_cast<unsigned char>(c)) != 0; }
bool capital(char c) { return std::isupper(static_cast<unsigned char>(c)) != 0; }

}  // namespace

std::optional<std::string> other_side(const std::string& name) {
    static constexpr std::array<std::pair<const char*, const char*>, 10> kSides{
        {{"L", "R"},
         {"R", "L"},
         {"l", "r"},
         {"r", "l"},
         {"Left", "Right"},
         {"Right", "Left"},
         {"left", "right"},
         {"right", "left"},
         {"LEFT", "RIGHT"},
         {"RIGHT", "LEFT"}}};
    for (std::size_t begin = 0; begin < name.size();) {
        if (!letter(name[begin])) {
            ++begin;
            continue;
        }
        // A word: letters up to a capital that comes behind a small one or before one.
        std::size_t end = begin + 1;
        const auto new_word = [&](std::size_t i) {
            const bool small_next =
                i + 1 < name.size() && letter(name[i + 1]) && !capital(name[i + 1]);
            return capital(name[i]) && (!capital(name[i - 1]) || small_next);
        };
        while (end < name.size() && letter(name[end]) && !new_word(end)) ++end;
        const std::string word = name.substr(begin, end - begin);
        for (const auto& [side, other] : kSides)
            if (word == side) return name.substr(0, begin) + other + name.substr(end);
        begin = end;
    }
    return {};
}

}  // namespace mellow
