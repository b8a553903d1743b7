// How grave each finding of packing is, where a recipe says otherwise than the finding itself.
#pragma once

#include "base/toml_table.h"
#include "mellow/recipe.h"

namespace mellow {

/// Reads [checks]: a finding code to "fail", "warn", "note" or "off".
void read_checks(TomlTable& table, Checks& checks);

/// How grave a finding is under these checks; nothing where it is off.
std::optional<Severity> judged(const Checks& checks, const Finding& finding);

/// Gives all findings the severity that the recipe says; takes out those that are off. True when
/// one of them fails the crate: its severity is then a stop.
bool apply_checks(const Checks& checks, Findings& findings);

}  // namespace mellow
