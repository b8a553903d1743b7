// The rotation in a matrix, and the local turn that gives a node a wanted one.
#pragma once

#include "mellow/transform.h"

namespace mellow {

/// The rotation in a world matrix: the polar one, nearest to it; a mirrored matrix is negated
/// first. The same that decompose() finds, without a search where there is no shear.
/// Of a matrix with any scale above a turned node, orientation(m * turn) == orientation(m) * turn.
Quat orientation(const Affine& m);

/// The local rotation q that turns a node to `wanted` in the world:
///   orientation(above * to_affine({t, q, size})) == wanted
/// `above_turn` is orientation(above). Exact, but where the scale above and the node's own are both
/// uneven: there it is found step by step, to rounding where it converges. Several rotations may
/// do: it is the one next to where `lead` begins.
Quat local_turn(const Affine& above, Quat above_turn, Quat wanted, Vec3 size, Quat lead);

/// What shear does to a node's rotation where it rests: begins local_turn() such that a node which
/// is to face as it does at rest finds its rest rotation.
Quat rest_lead(const Affine& above, const Transform& local);

/// How uneven the scale in a matrix is: the longest of its directions by the shortest, 1 where all
/// are as long; infinite where one is gone.
double unevenness(const Affine& m);

/// Scale that has no say in a node's rotation: even, not mirrored.
inline bool is_even(Vec3 size) {
    const double least = std::min({size.x, size.y, size.z}),
                 most = std::max({size.x, size.y, size.z});
    return least > 0 && most - least <= 1e-9 * most;
}

}  // namespace mellow
