#include "mellow/transform.h"

#include <Eigen/SVD>
#include <algorithm>

namespace mellow {
namespace {

Eigen::Vector3d as_eigen(Vec3 v) { return {v.x, v.y, v.z}; }
Vec3 from_eigen(const Eigen::Vector3d& v) { return {v.x(), v.y(), v.z()}; }

double residual(const Affine& m, const Transform& t) {
    const Affine back = to_affine(t);
    const Vec3 d[3] = {back.x - m.x, back.y - m.y, back.z - m.z};
    double worst = 0;
    for (Vec3 v : d) worst = std::max({worst, std::abs(v.x), std::abs(v.y), std::abs(v.z)});
    return worst;
}

/// Unit axes of a matrix with a column of no length: the missing ones complete the others.
void complete_axes(const Affine& m, Vec3 (&axis)[3], const bool (&missing)[3]) {
    const Vec3 columns[3] = {m.x, m.y, m.z};
    const int lost = missing[0] + missing[1] + missing[2];
    for (int i = 0; i < 3; ++i) axis[i] = normalized(columns[i], {});
    if (lost == 3) {
        axis[0] = {1, 0, 0}, axis[1] = {0, 1, 0}, axis[2] = {0, 0, 1};
    } else if (lost == 2) {
        const int have = !missing[0] ? 0 : !missing[1] ? 1 : 2;
        const Vec3 a = axis[have];
        const Vec3 other = std::abs(a.x) < 0.9 ? Vec3{1, 0, 0} : Vec3{0, 1, 0};
        const Vec3 b = normalized(cross(a, other), {0, 1, 0});
        axis[(have + 1) % 3] = b;
        axis[(have + 2) % 3] = cross(a, b);
    } else if (lost == 1) {
        const int i = missing[0] ? 0 : missing[1] ? 1 : 2;
        axis[i] = normalized(cross(axis[(i + 1) % 3], axis[(i + 2) % 3]), {0, 0, 1});
        axis[(i + 2) % 3] = cross(axis[i], axis[(i + 1) % 3]);
    }
}

}  // namespace

Decomposed decompose(const Affine& m) {
    Decomposed out;
    Transform& t = out.transform;
    t.t = m.o;
    const double sign = determinant(m) < 0 ? -1.0 : 1.0;
    t.s = {sign * length(m.x), sign * length(m.y), sign * length(m.z)};
    const double size = std::max({std::abs(t.s.x), std::abs(t.s.y), std::abs(t.s.z)});
    const double tiny = std::max(size * 1e-9, 1e-14);
    const bool missing[3] = {std::abs(t.s.x) <= tiny, std::abs(t.s.y) <= tiny,
                             std::abs(t.s.z) <= tiny};
    if (missing[0] || missing[1] || missing[2]) {
        Vec3 axis[3];
        complete_axes(m, axis, missing);
        t.r = quat_from_columns(axis[0], axis[1], axis[2]);
        t.s = {missing[0] ? 0.0 : t.s.x, missing[1] ? 0.0 : t.s.y, missing[2] ? 0.0 : t.s.z};
        out.shear = residual(m, t);
        return out;
    }
    const Vec3 x = m.x * (1 / t.s.x), y = m.y * (1 / t.s.y), z = m.z * (1 / t.s.z);
    t.r = quat_from_columns(x, y, z);
    out.shear = residual(m, t);
    if (out.shear <= size * 1e-9) {
        out.shear = 0;
        return out;
    }
    Eigen::Matrix3d a;
    a << as_eigen(m.x), as_eigen(m.y), as_eigen(m.z);
    const Eigen::JacobiSVD<Eigen::Matrix3d> svd(a, Eigen::ComputeFullU | Eigen::ComputeFullV);
    const Eigen::Matrix3d r = sign * svd.matrixU() * svd.matrixV().transpose();
    const Eigen::Matrix3d rest = r.transpose() * a;
    t.r = quat_from_columns(from_eigen(r.col(0)), from_eigen(r.col(1)), from_eigen(r.col(2)));
    t.s = {rest(0, 0), rest(1, 1), rest(2, 2)};
    out.shear = residual(m, t);
    return out;
}

Affine shear_of(const Affine& m, const Transform& t) {
    const Affine plain = to_affine({{}, t.r, t.s});
    if (is_flat(plain)) return {};
    return inverse(plain) * Affine{m.x, m.y, m.z, {}};
}

Quat rotation_of(const Affine& m) { return decompose(m).transform.r; }

}  // namespace mellow
