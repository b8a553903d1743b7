// Place: where in what was read something is, as a person and a program look for it.
//
// Findings, rules, clips and all else that may be spoken of carry one. Its parts are data; they are
// put into words in one place, and no code takes the words apart again.
//
// Thread rule: plain values, no shared state.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <utility>

namespace mellow {

/// A file, a line of it and what is there; any of them may be missing.
struct Place {
    std::string file;  ///< as it was named; empty where it is about no file
    int line = 0;      ///< from 1; 0 where there is none to tell
    std::string path;  ///< what is there, from the outside in: `clip "walk", part 2, range`

    Place() = default;
    /// Fixed words for what is of no file: "skin", "rest pose".
    Place(const char* words) : path(words) {}  // NOLINT(google-explicit-constructor)
    /// A file, or a place in it.
    static Place in(std::string file, std::int64_t line = 0, std::string path = {}) {
        return Place(std::move(file), static_cast<int>(line), std::move(path));
    }
    /// Something that is of no file, or whose file goes without saying: `clip "walk"`.
    static Place of(std::string path) { return Place({}, 0, std::move(path)); }

    /// What is inside this place: a key of a table, a joint of a clip.
    Place at(std::string_view inner) const;
    /// This place as one of `outer`: the file and line of `outer`, and its path before this one.
    Place inside(const Place& outer) const;
    bool empty() const { return file.empty() && line == 0 && path.empty(); }
    /// "tamsin.recipe.toml:12, clip \"walk\""
    std::string text() const;
    bool operator==(const Place&) const = default;

  private:
    Place(std::string of_file, int at_line, std::string what)
        : file(std::move(of_file)), line(at_line), path(std::move(what)) {}
};

}  // namespace mellow
