// The weights of a written clip, held against the drives that the manifest names.
#pragma once

#include "mellow/manifest.h"

namespace mellow {

/// How far the weights in a clip's file are from what an engine gets that evaluates `drives` on the
/// joints of that file, as docs/crate.md says: over all drives and samples. `skin`, `clip`: as read
/// back, inside; `drives`: in the names of the crate. Drives whose weights the clip does not have
/// are not counted.
Deviation driven_weights(const Scene& skin, const Scene& clip,
                         const std::vector<KeptDrive>& drives);

}  // namespace mellow
