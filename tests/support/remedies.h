// Remedies that set keys, applied as a person would who pastes them.
#pragma once

#include <string>

#include "mellow/pack.h"
#include "support.h"

namespace mellow::test {

/// The recipe with a key of a table set: in the place of what it was, or below the table's name.
/// `table` as the recipe writes it, "[target]"; empty: the table in which `line` is.
std::string with_edit(std::string recipe, const std::string& table, int line, const Edit& edit);

/// Of each kind of finding and key, once in a process: the recipe with the keys set that its remedy
/// names is packed into a folder beside, and says it no more, or not as gravely.
void expect_remedies(const TempFolder& folder, const std::string& recipe, const Findings& findings);

}  // namespace mellow::test
