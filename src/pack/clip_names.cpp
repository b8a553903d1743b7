#include "pack/clip_names.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <functional>

#include "base/text.h"
#include "mellow/node_mask.h"

namespace mellow {
namespace {

namespace fs = std::filesystem;

bool is_pattern(const std::string& text) { return text.find_first_of("*?") != text.npos; }

std::vector<std::string> parts_of(const fs::path& path) {
    std::vector<std::string> parts;
    for (const fs::path& part : path) parts.push_back(part.string());
    return parts;
}

bool fits(const std::vector<std::string>& pattern, std::size_t p,
          const std::vector<std::string>& path, std::size_t i) {
    if (p == pattern.size()) return i == path.size();
    if (pattern[p] == "**") {
        for (std::size_t rest = i; rest <= path.size(); ++rest)
            if (fits(pattern, p + 1, path, rest)) return true;
        return false;
    }
    return i < path.size() && fits_pattern(pattern[p], path[i]) &&
           fits(pattern, p + 1, path, i + 1);
}

/// Calls `field` for what stands in braces and `text` for the rest.
void go_through(const std::string& pattern, const std::function<void(const std::string&)>& field,
                const std::function<void(std::string_view)>& text) {
    for (std::size_t i = 0; i < pattern.size();) {
        const auto open = pattern.find('{', i), close = pattern.find('}', open);
        if (close == pattern.npos) return text(std::string_view(pattern).substr(i));
        text(std::string_view(pattern).substr(i, open - i));
        field(pattern.substr(open, close - open + 1));
        i = close + 1;
    }
}

/// Digits of "{index:03}", 1 for "{index}"; 0 where it is no index.
int index_width(const std::string& field) {
    if (field == "{index}") return 1;
    if (!field.starts_with("{index:0") || field.size() != 10) return 0;
    const char digit = field[8];
    return digit >= '1' && digit <= '9' ? digit - '0' : 0;
}

}  // namespace

std::string filled(const std::string& pattern, const NameFields& fields) {
    std::string out;
    go_through(
        pattern,
        [&](const std::string& field) {
            if (field == "{file}") out += fields.file;
            if (field == "{folder}") out += fields.folder;
            if (field == "{timeline}") out += fields.timeline;
            if (const int width = index_width(field); width > 0)
                out += fmt::format("{:0{}}", fields.index, width);
        },
        [&](std::string_view text) { out += text; });
    return out;
}

std::string unknown_field(const std::string& pattern) {
    std::string unknown;
    go_through(
        pattern,
        [&](const std::string& field) {
            const std::vector<std::string> known = field_names();
            if (unknown.empty() && index_width(field) == 0 &&
                std::find(known.begin(), known.end(), field) == known.end())
                unknown = field;
        },
        [](std::string_view) {});
    return unknown;
}

std::vector<std::string> field_names() {
    return {"{file}", "{folder}", "{timeline}", "{index}", "{index:03}"};
}

bool sound_name(const std::string& name, bool folders) {
    if (folders)
        if (const auto slash = name.find('/'); slash != name.npos)
            return sound_name(name.substr(0, slash)) && sound_name(name.substr(slash + 1), true);
    return !name.empty() && name.front() != '.' && name.size() <= 100 &&
           std::all_of(name.begin(), name.end(), [](char c) {
               return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') ||
                      c == '_' || c == '-' || c == '.';
           });
}

/// A name that can be a file's: what cannot stand in one becomes an underscore.
std::string file_name(std::string name) {
    for (char& c : name)
        if (!std::isalnum(static_cast<unsigned char>(c)) && c != '_' && c != '-' && c != '.')
            c = '_';
    if (name.empty() || name.front() == '.') name.insert(name.begin(), '_');
    while (name.ends_with('.')) name.back() = '_';
    const std::string stem = folded(name.substr(0, name.find('.')));
    for (const char* device : {"con", "prn", "aux", "nul"})
        if (stem == device) name.insert(name.begin(), '_');
    return name.substr(0, 100);
}

std::vector<std::string> matching_files(const fs::path& folder, const std::string& pattern) {
    if (!is_pattern(pattern)) return {pattern};
    const std::vector<std::string> wanted = parts_of(pattern);
    fs::path fixed;
    for (std::size_t i = 0; i + 1 < wanted.size() && !is_pattern(wanted[i]); ++i)
        fixed /= wanted[i];
    std::vector<std::string> found;
    std::error_code error;
    const fs::path base = (folder / fixed).empty() ? fs::path(".") : folder / fixed;
    // Links to folders are not followed: they may lead round in circles.
    for (fs::recursive_directory_iterator at(base, error), end; !error && at != end;
         at.increment(error)) {
        if (!at->is_regular_file(error)) continue;
        const fs::path relative = fixed / at->path().lexically_relative(base);
        if (fits(wanted, 0, parts_of(relative), 0)) found.push_back(relative.generic_string());
    }
    std::sort(found.begin(), found.end());
    return found;
}

}  // namespace mellow
