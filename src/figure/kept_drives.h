// Drive rules that still mean something on the baked skeleton.
#pragma once

#include "mellow/bake.h"
#include "mellow/manifest.h"
#include "mellow/rig_sheet.h"

namespace mellow {

/// Drives of morph weights by swing or twist alone, of joints whose parent joint is their parent in
/// the scene: their local rotation is then that of the node, but for the axes.
std::vector<KeptDrive> kept_drives(const RigSheet& sheet, const std::string& strip_prefix,
                                   const Scene& scene, const Skeleton& skeleton,
                                   const JointSources& sources);
/// Leaves those whose mesh node and morph target are in a scene.
void keep_of(const Scene& scene, std::vector<KeptDrive>& drives);

}  // namespace mellow
