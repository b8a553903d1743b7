// What manifests say of crates and clips, in words that can be held against each other.
#pragma once

#include <string>
#include <utility>
#include <vector>

#include "mellow/manifest.h"

namespace mellow {

/// Facts in words, by what they are of.
using ToldFacts = std::vector<std::pair<std::string, std::string>>;

/// What players are told of a clip.
ToldFacts facts_of(const ClipInfo& c);
/// What a manifest says of the whole crate.
ToldFacts facts_of(const Manifest& m);
/// Where the two do not agree.
std::vector<std::string> other_facts(const ToldFacts& was, const ToldFacts& is);

/// What is other in a crate than in the one that it takes the place of, a line for each clip, by
/// what both manifests say: no file is opened.
std::vector<std::string> told_changes(const Manifest& was, const Manifest& is);

}  // namespace mellow
