#include "mellow/joint_source.h"

#include "model/lanes.h"

namespace mellow {
namespace {

/// The orientation of any matrix; without shear there is nothing to search for.
Quat facing(const Affine& m) {
    const Quat quick = orientation(m);
    const double skew =
        std::max({std::abs(dot(m.x, m.y)), std::abs(dot(m.y, m.z)), std::abs(dot(m.z, m.x))});
    const bool square = skew <= 1e-12 * dot(m.x, m.x) && determinant(m) > 0;
    return square ? quick : rotation_of(m);
}

}  // namespace

Affine joint_world(const JointSource& source, const Affine& node_world) {
    if (source.unscaled)
        return to_affine({node_world.o, facing(node_world) * source.turn, {1, 1, 1}});
    const double k = 1 / source.scale;
    const Affine w{node_world.x * k, node_world.y * k, node_world.z * k, {}};
    Affine out = w * to_affine({{}, source.turn, {1, 1, 1}});
    out.o = node_world.o;
    return out;
}

}  // namespace mellow
