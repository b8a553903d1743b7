#include "model/orientation.h"

#include <Eigen/SVD>
#include <limits>

#include "model/lanes.h"

namespace mellow {
namespace {

/// What mirrored members of a scale do to the rotation in a matrix: the signs, and all of them
/// turned about where they mirror, make half a turn about an axis, or none.
Quat half_turn_of(Vec3 size) {
    const bool x = size.x < 0, y = size.y < 0, z = size.z < 0;
    const bool mirrored = (x != y) != z;
    const bool kept[3] = {x == mirrored, y == mirrored, z == mirrored};
    if (kept[0] && kept[1] && kept[2]) return {};
    return {kept[0] ? 1.0 : 0.0, kept[1] ? 1.0 : 0.0, kept[2] ? 1.0 : 0.0, 0};
}

/// Equal lengths at right angles: an even scale of a rotation, or of a mirrored one.
bool is_conformal(const Affine& m) {
    const double x = dot(m.x, m.x), y = dot(m.y, m.y), z = dot(m.z, m.z);
    const double most = std::max({x, y, z});
    return skew_of(m) <= 1e-12 * most && most - std::min({x, y, z}) <= 1e-9 * most;
}

}  // namespace

Quat orientation(const Affine& m) {
    return skew_of(m) <= 1e-12 * dot(m.x, m.x) ? square_orientation(m) : rotation_of(m);
}

double unevenness(const Affine& m) {
    Eigen::Matrix3d a;
    a << m.x.x, m.y.x, m.z.x, m.x.y, m.y.y, m.z.y, m.x.z, m.y.z, m.z.z;
    const Eigen::Vector3d size = Eigen::JacobiSVD<Eigen::Matrix3d>(a).singularValues();
    return size[2] > 0 ? size[0] / size[2] : std::numeric_limits<double>::infinity();
}

Quat rest_lead(const Affine& above, const Transform& local) {
    if (is_even(local.s) || is_conformal(above)) return {};
    const Quat faces = conjugate(orientation(above)) * orientation(above * to_affine(local));
    return half_turn_of(local.s) * conjugate(faces) * local.r;
}

Quat local_turn(const Affine& above, Quat above_turn, Quat wanted, Vec3 size, Quat lead) {
    const Quat quick = conjugate(above_turn) * wanted;
    if (is_even(size)) return quick;
    Quat turn = quick * conjugate(half_turn_of(size));
    if (is_conformal(above)) return turn;
    turn = turn * lead;
    for (int round = 0; round < 100; ++round) {
        const Quat got = orientation(above * to_affine({{}, turn, size}));
        const Quat left = conjugate(got) * wanted;
        turn = normalized(turn * left);
        if (left.x * left.x + left.y * left.y + left.z * left.z < 1e-28) break;
    }
    return turn;
}

}  // namespace mellow
