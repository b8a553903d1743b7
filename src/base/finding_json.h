// Findings as machines read them, the same words in every report and result.
#pragma once

#include "base/json_writer.h"
#include "mellow/finding.h"

namespace mellow {

/// The member "findings": a list of objects with code, severity, where, found, expected, remedy.
/// The members of one finding, into the object that is open.
void write_finding(JsonWriter& json, const Finding& finding);
void write_findings(JsonWriter& json, const Findings& findings);

}  // namespace mellow
