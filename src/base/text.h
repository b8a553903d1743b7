// Small help with texts: names in messages.
#pragma once

#include <array>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace mellow {

/// Of `names`, the only one that begins with `wanted`, or the one with the fewest edits to it;
/// empty when none is near.
std::string nearest_name(std::string_view wanted, const std::vector<std::string>& names);

/// In small letters, a to z alone: upper and lower case count as equal where names become files.
std::string folded(std::string name);

/// The names in a row, ten at most: "a, b, c and 17 more".
std::string name_list(const std::vector<std::string>& names);

/// `did you mean "x"?` for the nearest name, or `one of: a, b, c and 17 more`, the nearest first.
std::string suggest(std::string_view wanted, const std::vector<std::string>& names);

/// A word of a command line that a shell takes as it is: quoted where it must be.
std::string shell_word(const std::string& word);

/// False for names that programs give by themselves, whatever number stands behind them: "Take
/// 001", "animation_0", "default", "untitled", nothing at all.
bool tells_something(std::string_view name);

/// Those of the names that are one word and a number, where three or more and half of all are that
/// with the same word: "shot 1", "shot 2", "shot 3".
std::vector<std::string> numbered_run(const std::vector<std::string>& names);

/// Two numbers with a mark between them and nothing else, as in "160x120" and "108..132"; nothing
/// where they are not that. For `int` and `double`.
template <class Number>
std::optional<std::array<Number, 2>> parse_pair(std::string_view text, std::string_view mark);

}  // namespace mellow
