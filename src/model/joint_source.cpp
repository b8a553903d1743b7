#include "mellow/joint_source.h"

#include "model/orientation.h"

namespace mellow {
Affine joint_world(const JointSource& source, const Affine& node_world) {
    if (source.unscaled)
        return to_affine({node_world.o, orientation(node_world) * source.turn, {1, 1, 1}});
    const double k = 1 / source.scale;
    const Affine w{node_world.x * k, node_world.y * k, node_world.z * k, {}};
    Affine out = w * to_affine({{}, source.turn, {1, 1, 1}});
    out.o = node_world.o;
    return out;
}

}  // namespace mellow
