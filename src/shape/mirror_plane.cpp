// The plane in which a thing is its own image; declared in shaping.h.
#include <Eigen/Eigenvalues>
#include <algorithm>
#include <cmath>
#include <numbers>

#include "mellow/shaping.h"

namespace mellow {
namespace {

/// As many points of a thing are looked at.
constexpr std::size_t kMostPoints = 120;
/// Planes around each of its main axes.
constexpr int kTurns = 24;

Eigen::Vector3d as_eigen(Vec3 v) { return {v.x, v.y, v.z}; }
Vec3 from_eigen(const Eigen::Vector3d& v) { return {v.x(), v.y(), v.z()}; }

/// How far points in the mirror of a plane are from the nearest of the points, on average.
double misfit(const std::vector<Vec3>& points, Vec3 normal, Vec3 middle) {
    double sum = 0;
    for (const Vec3 p : points) {
        const Vec3 image = p - 2 * dot(normal, p - middle) * normal;
        double nearest = 1e300;
        for (const Vec3 q : points) nearest = std::min(nearest, dot(image - q, image - q));
        sum += std::sqrt(nearest);
    }
    return sum / static_cast<double>(points.size());
}

}  // namespace

void fit_mirror_plane(std::span<const Vec3> all, MirrorProp& prop) {
    if (all.empty()) return;
    Vec3 middle;
    for (const Vec3 p : all) middle = middle + p * (1.0 / static_cast<double>(all.size()));
    prop.point = middle;
    Eigen::Matrix3d spread = Eigen::Matrix3d::Zero();
    for (const Vec3 p : all) spread += as_eigen(p - middle) * as_eigen(p - middle).transpose();
    const Eigen::Matrix3d axes =
        Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d>(spread).eigenvectors();
    std::vector<Vec3> points, normals{{1, 0, 0}};
    const std::size_t step = (all.size() + kMostPoints - 1) / kMostPoints;
    for (std::size_t i = 0; i < all.size(); i += step) points.push_back(all[i]);
    double size = 0;
    for (const Vec3 p : points) size = std::max(size, length(p - middle));
    for (int a = 0; a < 3; ++a) {
        const Vec3 u = from_eigen(axes.col((a + 1) % 3)), v = from_eigen(axes.col((a + 2) % 3));
        for (int k = 0; k < kTurns; ++k) {
            const double angle = std::numbers::pi * k / kTurns;
            normals.push_back(normalized(std::cos(angle) * u + std::sin(angle) * v, u));
        }
    }
    double best = 1e300;
    std::vector<double> off;
    for (const Vec3 n : normals) {
        off.push_back(misfit(points, n, middle));
        best = std::min(best, off.back());
    }
    double nearest = -1;
    for (std::size_t i = 0; i < normals.size(); ++i)
        if (off[i] <= best + 0.01 * size && std::abs(normals[i].x) > nearest + 1e-9)
            nearest = std::abs(normals[i].x), prop.normal = normals[i];
}

}  // namespace mellow
