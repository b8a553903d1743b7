// What is to be said of the clips of a crate together, when all are there.
#pragma once

#include "mellow/manifest.h"
#include "plan/jobs.h"

namespace mellow {

/// Morph targets that no clip uses, clips that begin turned away, motion that is there twice,
/// meshes in every file.
Findings judge_crate(const Recipe& recipe, const Jobs& jobs, const Manifest& crate);

}  // namespace mellow
