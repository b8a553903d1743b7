// Calls of findings in the words of a command line.
#pragma once

#include "mellow/manifest.h"

namespace mellow::cli {

/// The finding with its calls in its remedy: "(--range, --to-rate)" of the command that was run, or
/// whole commands to paste.
Finding worded(Finding finding);
Findings worded(Findings findings);
Demand worded(Demand demand);

}  // namespace mellow::cli
