// How grave each finding of packing is, where a recipe says otherwise than the finding itself.
#pragma once

#include "base/toml_table.h"
#include "mellow/recipe.h"

namespace mellow {

/// Reads [checks]: a finding code to "fail", "warn", "note" or "off".
void read_checks(TomlTable& table, Checks& checks);

/// Gives the findings from `first` on the severity that the recipe says; takes out those that are
/// off. True when one of them fails the crate: its severity is then a stop.
bool apply_checks(const Checks& checks, Findings& findings, std::size_t first = 0);

}  // namespace mellow
