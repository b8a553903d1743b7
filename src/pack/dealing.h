// Which share of a plan each clip falls to.
#pragma once

#include <vector>

#include "plan/jobs.h"

namespace mellow {

/// The share of each of Jobs::clips(), from 1; 0 for clips that the target does not take.
std::vector<int> dealt_clips(const Jobs& jobs, const Target& target, int of);

}  // namespace mellow
