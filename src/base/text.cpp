#include "base/text.h"

#include <fmt/format.h>

#include <algorithm>
#include <numeric>

namespace mellow {

std::string nearest_name(std::string_view wanted, const std::vector<std::string>& names) {
    std::string best;
    std::size_t fewest = std::max<std::size_t>(1, wanted.size() * 2 / 5) + 1;
    for (const std::string& candidate : names) {
        std::vector<std::size_t> row(candidate.size() + 1);
        std::iota(row.begin(), row.end(), std::size_t{0});
        for (std::size_t i = 0; i < wanted.size(); ++i) {
            std::size_t diagonal = row[0];
            row[0] = i + 1;
            for (std::size_t j = 0; j < candidate.size(); ++j) {
                const std::size_t replace = diagonal + (wanted[i] == candidate[j] ? 0 : 1);
                diagonal = row[j + 1];
                row[j + 1] = std::min({replace, row[j] + 1, row[j + 1] + 1});
            }
        }
        if (row.back() < fewest) fewest = row.back(), best = candidate;
    }
    return best;
}

std::string suggest(std::string_view wanted, const std::vector<std::string>& names) {
    const std::string near = nearest_name(wanted, names);
    if (!near.empty()) return "did you mean \"" + near + "\"?";
    std::string list;
    for (const std::string& name : names) {
        if (list.size() > 200) return "one of: " + list + ", ...";
        list.append(list.empty() ? "" : ", ").append(name);
    }
    return "one of: " + list;
}

std::string json_quoted(std::string_view text) {
    std::string out = "\"";
    for (const char c : text) {
        if (c == '"' || c == '\\')
            out.append({'\\', c});
        else if (static_cast<unsigned char>(c) < 0x20)
            out += fmt::format("\\u{:04x}", static_cast<int>(c));
        else
            out.push_back(c);
    }
    return out + "\"";
}

}  // namespace mellow
