// A take whose morph weights follow its joints.
#pragma once

#include "mellow/manifest.h"
#include "mellow/take.h"

namespace mellow {

/// The take with the weights that `drives` give at each moment, by the local turns of its joints;
/// all others as they are. Drives of joints, meshes or targets that the take does not have are left
/// out.
Take driven_take(const Take& inner, const std::vector<KeptDrive>& drives);

}  // namespace mellow
