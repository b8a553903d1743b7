// Findings as machines read them, the same words in every report and result.
#pragma once

#include "base/json_writer.h"
#include "mellow/finding.h"

namespace mellow {

/// The member "where", in words, and of a place in a file "file", "line" and "path" as well, those
/// that it has, into the object that is open.
void write_place(JsonWriter& json, const Place& place);
/// The member "calls", where there are any: a list of job, subject and what is asked.
void write_calls(JsonWriter& json, const std::vector<Call>& calls);
/// The members of one finding, into the object that is open: code, severity, its place, found,
/// expected, remedy, and edits and calls where it has some.
void write_finding(JsonWriter& json, const Finding& finding);
/// The member "findings": a list of them.
void write_findings(JsonWriter& json, const Findings& findings);

}  // namespace mellow
