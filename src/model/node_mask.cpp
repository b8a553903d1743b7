#include "mellow/node_mask.h"

#include <algorithm>

#include <fmt/format.h>

#include "base/at.h"
#include "base/text.h"

namespace mellow {
namespace {

struct Namer {
    const Scene& scene;
    const std::string& prefix;
    const Place& where;

    std::string bare(int node) const {
        const std::string& name = scene.nodes[at(node)].name;
        return !prefix.empty() && name.starts_with(prefix) ? name.substr(prefix.size()) : name;
    }
    Finding unknown(const std::string& what, const std::string& name) const {
        std::vector<std::string> names;
        for (std::size_t n = 0; n < scene.nodes.size(); ++n)
            names.push_back(bare(static_cast<int>(n)));
        return {
            Code::kNameUnknown,   Severity::kStop,   where, fmt::format("no {} \"{}\"", what, name),
            suggest(name, names), "correct the name"};
    }
    Result<int> find(const std::string& name) const {
        int node = find_node(scene, name);
        if (node == kNone && !prefix.empty()) node = find_node(scene, prefix + name);
        if (node == kNone) return unknown("node", name);
        return node;
    }
};

}  // namespace

bool fits_pattern(std::string_view pattern, std::string_view name) {
    std::size_t p = 0, n = 0, star = pattern.npos, retry = 0;
    while (n < name.size()) {
        if (p < pattern.size() && (pattern[p] == '?' || pattern[p] == name[n]) &&
            pattern[p] != '*') {
            ++p, ++n;
        } else if (p < pattern.size() && pattern[p] == '*') {
            star = p++;
            retry = n;
        } else if (star != pattern.npos) {
            p = star + 1;
            n = ++retry;
        } else {
            return false;
        }
    }
    while (p < pattern.size() && pattern[p] == '*') ++p;
    return p == pattern.size();
}

bool fits_any(const std::vector<std::string>& patterns, std::string_view name) {
    return std::any_of(patterns.begin(), patterns.end(),
                       [&](const std::string& pattern) { return fits_pattern(pattern, name); });
}

NodeMask parse_mask(const std::vector<std::string>& texts) {
    constexpr std::string_view kBelow = "below:";
    NodeMask mask;
    for (const std::string& text : texts) {
        if (text.starts_with(kBelow))
            mask.below.push_back(text.substr(kBelow.size()));
        else if (text.find_first_of("*?") != text.npos)
            mask.match.push_back(text);
        else
            mask.names.push_back(text);
    }
    return mask;
}

Result<std::vector<int>> masked_nodes(const Scene& scene, const NodeMask& mask,
                                      const std::string& prefix, const Place& where) {
    const Namer namer{scene, prefix, mask.where.empty() ? where : mask.where};
    std::vector<bool> in(scene.nodes.size(), false);
    for (const std::string& name : mask.names) {
        MELLOW_TRY(const int node, namer.find(name));
        in[at(node)] = true;
    }
    if (!mask.below.empty()) {
        std::vector<bool> below(scene.nodes.size(), false);
        for (const std::string& name : mask.below) {
            MELLOW_TRY(const int node, namer.find(name));
            below[at(node)] = true;
        }
        for (const int n : parents_first(scene)) {
            const int parent = scene.nodes[at(n)].parent;
            if (parent != kNone && below[at(parent)]) below[at(n)] = true;
            if (below[at(n)]) in[at(n)] = true;
        }
    }
    for (const std::string& pattern : mask.match) {
        bool any = false;
        for (std::size_t n = 0; n < in.size(); ++n)
            if (fits_pattern(pattern, namer.bare(static_cast<int>(n)))) any = in[n] = true;
        if (!any) return namer.unknown("node that fits", pattern);
    }
    std::vector<int> nodes;
    for (std::size_t n = 0; n < in.size(); ++n)
        if (in[n]) nodes.push_back(static_cast<int>(n));
    return nodes;
}

}  // namespace mellow
