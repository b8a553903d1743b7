// Conventions: unit, up and front of a file, and the exact change from one to another.
//
// Inside the library there is one convention: right-handed, +Y up, +Z front, metres (glTF 2.0,
// section 3.4). Everything else is converted at the door, as data: positions, keys, tangents,
// inverse bind matrices, morph deltas. No turned or scaled node is ever left behind.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "mellow/transform.h"

namespace mellow {

enum class Axis { kPlusX, kMinusX, kPlusY, kMinusY, kPlusZ, kMinusZ };

/// The unit vector of an axis.
Vec3 direction(Axis axis);
/// "+X" ... "-Z".
std::string_view name(Axis axis);
std::optional<Axis> parse_axis(std::string_view text);

/// A right-handed convention. `up` and `front` must be different lines; the third axis, to the left
/// of a figure that faces `front`, is up x front.
struct Convention {
    double metres_per_unit = 1;
    Axis up = Axis::kPlusY;
    Axis front = Axis::kPlusZ;
};

inline bool operator==(const Convention& a, const Convention& b) {
    return a.metres_per_unit == b.metres_per_unit && a.up == b.up && a.front == b.front;
}

/// True when up and front are not along the same line and the unit is finite and above 0.
bool is_valid(const Convention& convention);
/// "+Z up, -Y front, centimetre".
std::string to_text(const Convention& convention);
/// Metres in "metre", "centimetre", "millimetre", "inch", "foot", in what else these are called (m,
/// cm, mm, in, ft; meter, centimeter ...; plurals), or in a number such as "0.056444".
std::optional<double> parse_unit(std::string_view text);
/// The units by the names that reports print: metre, centimetre, millimetre, inch, foot.
std::vector<std::string> unit_names();
/// A target convention by its name: y-up-metre, y-up-centimetre, z-up-metre or z-up-centimetre. In
/// the z-up ones a figure faces -Y, in the y-up ones +Z.
std::optional<Convention> find_preset(std::string_view preset);
/// The names of all presets.
std::vector<std::string> preset_names();

/// The similarity that takes coordinates of one convention to another:
///   p' = scale * (turn * p), with `turn` a rotation by quarter turns held as a signed permutation.
class Conversion {
  public:
    Conversion() = default;
    Conversion(const Convention& from, const Convention& to);

    bool is_identity() const { return identity_; }
    double scale() const { return scale_; }
    Vec3 point(Vec3 p) const { return scale_ * vector(p); }
    /// A direction: turned, not scaled.
    Vec3 vector(Vec3 v) const { return {dot(row_[0], v), dot(row_[1], v), dot(row_[2], v)}; }
    /// A scale: its members change places, never sign.
    Vec3 scaling(Vec3 s) const;
    /// turn * R * turn^-1: the vector part of the quaternion is turned, w stays.
    Quat rotation(Quat q) const;
    Transform transform(const Transform& t) const;
    /// C * M * C^-1 for a matrix that maps the old space to itself.
    Affine affine(const Affine& m) const;

  private:
    bool identity_ = true;
    double scale_ = 1;
    Vec3 row_[3] = {{1, 0, 0}, {0, 1, 0}, {0, 0, 1}};
};

}  // namespace mellow
