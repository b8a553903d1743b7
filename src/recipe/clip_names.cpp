#include "recipe/clip_names.h"

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

/// "{index:03}" as a word and a number of digits, 1 where none is said; 0 for what is no such form.
std::pair<std::string, int> parts_of_field(const std::string& field) {
    const std::string inner = field.substr(1, field.size() - 2);
    const auto colon = inner.find(':');
    if (colon == inner.npos) return {inner, 1};
    const std::string digits = inner.substr(colon + 1);
    const bool sound =
        digits.size() == 2 && digits[0] == '0' && digits[1] >= '1' && digits[1] <= '9';
    return {inner.substr(0, colon), sound ? digits[1] - '0' : 0};
}

}  // namespace

NameFields clip_fields(const std::string& file, const std::string& folder, const std::string& path,
                       const std::string& timeline, int index) {
    return {{{"file", file}, {"folder", folder}, {"path", path}, {"timeline", timeline}},
            {{"index", index}}};
}

std::string path_below(const std::string& pattern, const std::string& file) {
    const std::vector<std::string> wanted = parts_of(pattern), parts = parts_of(file);
    std::string path;
    std::size_t i = 0;
    while (i + 1 < wanted.size() && !is_pattern(wanted[i])) ++i;
    for (; i + 1 < parts.size(); ++i) path += (path.empty() ? "" : "/") + file_name(parts[i]);
    return path;
}

std::string filled(const std::string& pattern, const NameFields& fields) {
    std::string out;
    go_through(
        pattern,
        [&](const std::string& field) {
            const auto [word, digits] = parts_of_field(field);
            if (const auto text = fields.texts.find(word); text != fields.texts.end())
                out += text->second;
            if (const auto number = fields.numbers.find(word); number != fields.numbers.end())
                out += fmt::format("{:0{}}", number->second, digits);
        },
        [&](std::string_view text) { out += text; });
    // A file that lies in none of the folders has no path.
    if (pattern.starts_with("{path}/") && out.starts_with("/")) out.erase(0, 1);
    return out;
}

std::string unknown_field(const std::string& pattern, const NameFields& fields) {
    std::string unknown;
    go_through(
        pattern,
        [&](const std::string& field) {
            const auto [word, digits] = parts_of_field(field);
            const bool text = fields.texts.contains(word) && field == "{" + word + "}";
            const bool number = fields.numbers.contains(word) && digits > 0;
            if (unknown.empty() && !text && !number) unknown = field;
        },
        [](std::string_view) {});
    return unknown;
}

std::vector<std::string> field_names(const NameFields& fields) {
    std::vector<std::string> names;
    for (const auto& [word, text] : fields.texts) names.push_back("{" + word + "}");
    for (const auto& [word, number] : fields.numbers) {
        names.push_back("{" + word + "}");
        names.push_back("{" + word + ":03}");
    }
    return names;
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

std::string file_path(const std::string& names) {
    fs::path out;
    for (const fs::path& part : fs::path(names).relative_path()) out /= file_name(part.string());
    return out.generic_string();
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
        if (at->path().filename().string().starts_with(".")) {
            at.disable_recursion_pending();
            continue;
        }
        if (!at->is_regular_file(error)) continue;
        const fs::path relative = fixed / at->path().lexically_relative(base);
        std::vector<std::string> parts = parts_of(relative);
        // Endings count whether they are in capitals or not.
        const fs::path ending = fs::path(wanted.back()).extension();
        if (folded(relative.extension().string()) == folded(ending.string()))
            parts.back() = relative.stem().string() + ending.string();
        if (fits(wanted, 0, parts, 0)) found.push_back(relative.generic_string());
    }
    std::sort(found.begin(), found.end());
    return found;
}

std::string ruled(const std::string& name, const NameRule& rule) {
    std::string out;
    for (const char c : name) {
        const auto u = static_cast<unsigned char>(c);
        if (std::isalnum(u) == 0 && c != '/' && rule.allowed.find(c) == std::string::npos)
            out += rule.replace;
        else if (rule.letters == NameRule::Case::kLower)
            out += static_cast<char>(std::tolower(u));
        else if (rule.letters == NameRule::Case::kUpper)
            out += static_cast<char>(std::toupper(u));
        else
            out += c;
    }
    return out;
}

std::string ruled_pattern(const std::string& pattern, const NameRule& rule) {
    std::string out;
    for (std::size_t from = 0; from < pattern.size();) {
        const std::size_t open = std::min(pattern.find('{', from), pattern.size());
        const std::size_t close = std::min(pattern.find('}', open), pattern.size() - 1) + 1;
        out += ruled(pattern.substr(from, open - from), rule);
        if (open < pattern.size()) out += pattern.substr(open, close - open);
        from = open < pattern.size() ? close : open;
    }
    return out;
}

}  // namespace mellow
