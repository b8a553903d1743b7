#include "base/text.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <map>
#include <numeric>
#include <utility>

namespace mellow {

namespace {

constexpr std::size_t kMostNames = 10;

/// How many letters to add, drop, change or swap with their neighbour (Damerau 1964, each letter
/// touched once).
std::size_t edits(std::string_view from, std::string_view to) {
    std::vector<std::size_t> before, row(to.size() + 1), last;
    std::iota(row.begin(), row.end(), std::size_t{0});
    for (std::size_t i = 0; i < from.size(); ++i) {
        before = std::exchange(last, row);
        row[0] = i + 1;
        for (std::size_t j = 0; j < to.size(); ++j) {
            row[j + 1] =
                std::min({last[j] + (from[i] == to[j] ? 0 : 1), row[j] + 1, last[j + 1] + 1});
            if (i > 0 && j > 0 && from[i] == to[j - 1] && from[i - 1] == to[j])
                row[j + 1] = std::min(row[j + 1], before[j - 1] + 1);
        }
    }
    return row.back();
}

}  // namespace

std::string nearest_name(std::string_view wanted, const std::vector<std::string>& names) {
    if (wanted.size() >= 2) {
        const auto begins = [&](const std::string& name) { return name.starts_with(wanted); };
        const auto one = std::find_if(names.begin(), names.end(), begins);
        if (one != names.end() && std::none_of(one + 1, names.end(), begins)) return *one;
    }
    std::string best;
    std::size_t fewest = std::max<std::size_t>(1, wanted.size() * 2 / 5) + 1;
    for (const std::string& candidate : names)
        if (const std::size_t n = edits(wanted, candidate); n < fewest)
            fewest = n, best = candidate;
    return best;
}

std::string folded(std::string name) {
    for (char& c : name)
        if (c >= 'A' && c <= 'Z') c = static_cast<char>(c - 'A' + 'a');
    return name;
}

std::string shell_word(const std::string& word) {
    constexpr std::string_view kPlain =
        "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789_./+-=@%,:";
    if (!word.empty() && word.find_first_not_of(kPlain) == word.npos) return word;
    std::string out = "'";
    for (const char c : word) out += c == '\'' ? "'\\''" : std::string(1, c);
    return out + "'";
}

std::string name_list(const std::vector<std::string>& names) {
    const std::size_t shown = std::min(names.size(), kMostNames);
    std::string list = fmt::format(
        "{}", fmt::join(names.begin(), names.begin() + static_cast<std::ptrdiff_t>(shown), ", "));
    return shown == names.size() ? list : fmt::format("{} and {} more", list, names.size() - shown);
}

std::string suggest(std::string_view wanted, const std::vector<std::string>& names) {
    if (names.empty()) return "nothing: there is none";
    if (const std::string near = nearest_name(wanted, names); !near.empty())
        return "did you mean \"" + near + "\"?";
    std::vector<std::string> sorted = names;
    if (names.size() > kMostNames)
        std::stable_sort(sorted.begin(), sorted.end(), [&](const auto& a, const auto& b) {
            return edits(wanted, a) < edits(wanted, b);
        });
    return "one of: " + name_list(sorted);
}

template <class Number>
std::optional<std::array<Number, 2>> parse_pair(std::string_view text, std::string_view mark) {
    const auto at = text.find(mark);
    if (at == text.npos) return {};
    std::array<Number, 2> pair{};
    const std::string_view parts[] = {text.substr(0, at), text.substr(at + mark.size())};
    for (std::size_t i = 0; i < 2; ++i) {
        const char* end = parts[i].data() + parts[i].size();
        const auto [rest, error] = std::from_chars(parts[i].data(), end, pair[i]);
        if (error != std::errc() || rest != end) return {};
    }
    return pair;
}

template std::optional<std::array<int, 2>> parse_pair(std::string_view, std::string_view);
template std::optional<std::array<double, 2>> parse_pair(std::string_view, std::string_view);

bool tells_something(std::string_view name) {
    std::string word;
    for (const char c : folded(std::string(name)))
        if (c >= 'a' && c <= 'z')
            word += c;
        else if (static_cast<unsigned char>(c) >= 0x80)
            return true;
    const auto kinds = {"",         "anim",    "animation", "animations", "action",
                        "clip",     "default", "layer",     "motion",     "new",
                        "noname",   "none",    "scene",     "sequence",   "take",
                        "timeline", "track",   "unnamed",   "unknown",    "untitled"};
    return std::find(kinds.begin(), kinds.end(), word) == kinds.end();
}

std::vector<std::string> numbered_run(const std::vector<std::string>& names) {
    std::map<std::string, std::vector<std::string>> by_word;
    for (const std::string& name : names) {
        const std::size_t end = name.find_last_not_of("0123456789");
        if (end == name.npos || end + 1 == name.size()) continue;
        const std::size_t word = name.find_last_not_of(" ._-", end);
        if (word != name.npos) by_word[folded(name.substr(0, word + 1))].push_back(name);
    }
    for (auto& [word, run] : by_word)
        if (run.size() >= 3 && 2 * run.size() >= names.size()) return std::move(run);
    return {};
}

}  // namespace mellow
