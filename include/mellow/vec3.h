// Vec3: three numbers, a point, a direction or a scale, in the space the owner says.
//
// Column vectors throughout the library: p' = M * p. Plain values; zero until set.
#pragma once

#include <cmath>

namespace mellow {

/// Three numbers: a place, a way, or scales.
struct Vec3 {
    double x = 0, y = 0, z = 0;
};

inline Vec3 operator+(Vec3 a, Vec3 b) { return {a.x + b.x, a.y + b.y, a.z + b.z}; }
inline Vec3 operator-(Vec3 a, Vec3 b) { return {a.x - b.x, a.y - b.y, a.z - b.z}; }
inline Vec3 operator-(Vec3 a) { return {-a.x, -a.y, -a.z}; }
inline Vec3 operator*(Vec3 a, double k) { return {a.x * k, a.y * k, a.z * k}; }
inline Vec3 operator*(double k, Vec3 a) { return a * k; }
/// Member by member, as a scale acts.
inline Vec3 operator*(Vec3 a, Vec3 b) { return {a.x * b.x, a.y * b.y, a.z * b.z}; }
inline bool operator==(Vec3 a, Vec3 b) { return a.x == b.x && a.y == b.y && a.z == b.z; }

inline double dot(Vec3 a, Vec3 b) { return a.x * b.x + a.y * b.y + a.z * b.z; }
/// Right-handed: cross(X, Y) == Z.
inline Vec3 cross(Vec3 a, Vec3 b) {
    return {a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x};
}
inline double length(Vec3 a) { return std::sqrt(dot(a, a)); }
/// `a` at length 1, or `fallback` when `a` is shorter than `shortest`.
inline Vec3 normalized(Vec3 a, Vec3 fallback, double shortest = 1e-12) {
    const double n = length(a);
    const double k = 1.0 / (n > shortest ? n : 1.0);
    return n > shortest ? a * k : fallback;
}
inline bool is_finite(Vec3 a) {
    return std::isfinite(a.x) && std::isfinite(a.y) && std::isfinite(a.z);
}

}  // namespace mellow
