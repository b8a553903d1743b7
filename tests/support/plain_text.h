// Every file that we write as text that can be compared: scene files by a plain reader, pictures by
// the colours of their parts, everything else as it is.
#pragma once

#include <filesystem>
#include <string>

namespace mellow::test {

/// A file as lines. Long lists of numbers are told by how many there are, the least and greatest,
/// and two sums in which each has a share of its own.
std::string plain_text(const std::filesystem::path& file);

/// The lines of two texts that differ, "-" those wanted and "+" those there, at most `most`; empty
/// where they are one. Numbers may differ by 1e-5 and as much of themselves, colours by 2.
std::string different_lines(const std::string& wanted, const std::string& there, int most = 40);

}  // namespace mellow::test
