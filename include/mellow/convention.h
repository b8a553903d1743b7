// Conventions: unit, up, front and hand of a file, and the exact change from one to another.
//
// Inside the library there is one convention: right-handed, +Y up, +Z front, metres (glTF 2.0,
// section 3.4). Everything else is converted at the door, as data: positions, keys, tangents,
// inverse bind matrices, morph deltas. No turned or scaled node is ever left behind. Between a
// right-handed and a left-handed convention the numbers are mirrored; what they describe is not: a
// left arm stays a left arm, and a right-hand screw stays one for whoever reads the numbers with
// the hand they are in.
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
/// The way back; nothing for other texts.
std::optional<Axis> parse_axis(std::string_view text);
/// All six, by their names.
std::vector<std::string> axis_names();

/// Which hand's thumb, first and second finger show +X, +Y and +Z.
enum class Hand { kRight, kLeft };
/// "right" or "left".
std::string_view name(Hand hand);

/// The unit, the axes and the hand of coordinates. `up` and `front` must be different lines. The
/// third axis, to the left of a figure that faces `front`, is up x front with the right hand and
/// front x up with the left one.
struct Convention {
    double metres_per_unit = 1;
    Axis up = Axis::kPlusY;
    Axis front = Axis::kPlusZ;
    Hand hand = Hand::kRight;

    bool operator==(const Convention&) const = default;
};

/// True when up and front are not along the same line and the unit is finite and above 0.
bool is_valid(const Convention& convention);
/// "+Z up, -Y front, centimetre"; "+Z up, +X front, centimetre, left-handed".
std::string to_text(const Convention& convention);
/// Metres in "metre", "centimetre", "millimetre", "inch", "foot", in what else these are called (m,
/// cm, mm, in, ft; meter, centimeter ...; plurals), or in a number such as "0.056444".
std::optional<double> parse_unit(std::string_view text);
/// The units by the names that reports print: metre, centimetre, millimetre, inch, foot.
std::vector<std::string> unit_names();
/// A convention by its name: y-up-metre, y-up-centimetre, z-up-metre, z-up-centimetre, or one of
/// these with "-left" behind it. In the y-up ones a figure faces +Z, in the z-up ones -Y, in the
/// left-handed z-up ones +X.
std::optional<Convention> find_preset(std::string_view preset);
/// The names of all presets.
std::vector<std::string> preset_names();

/// The similarity that takes coordinates of one convention to another:
///   p' = scale * (turn * p), with `turn` held as a signed permutation: quarter turns, and a mirror
/// where the hands differ.
class Conversion {
  public:
    Conversion() = default;
    /// From coordinates of one convention to those of another; the default does nothing.
    Conversion(const Convention& from, const Convention& to);

    bool is_identity() const { return identity_; }
    /// True between two hands: triangles change their winding, angles about an axis their sign.
    bool mirrors() const { return mirrors_; }
    double scale() const { return scale_; }
    Vec3 point(Vec3 p) const { return scale_ * vector(p); }
    /// A direction: turned, not scaled.
    Vec3 vector(Vec3 v) const { return {dot(row_[0], v), dot(row_[1], v), dot(row_[2], v)}; }
    /// An axis that something turns about: with the same angle it is the same turn. The opposite of
    /// vector() where the hands differ.
    Vec3 turning_axis(Vec3 v) const { return mirrors_ ? Vec3{} - vector(v) : vector(v); }
    /// An angle about an axis that goes over as vector() does, such as a heading about up.
    double angle(double a) const { return mirrors_ ? 0 - a : a; }
    /// A scale: its members change places, never sign.
    Vec3 scaling(Vec3 s) const;
    /// turn * R * turn^-1: the vector part of the quaternion is a turning axis, w stays.
    Quat rotation(Quat q) const;
    /// Of a local transform: its place, turn and scale each as above.
    Transform transform(const Transform& t) const;
    /// C * M * C^-1 for a matrix that maps the old space to itself.
    Affine affine(const Affine& m) const;

  private:
    bool identity_ = true, mirrors_ = false;
    double scale_ = 1;
    Vec3 row_[3] = {{1, 0, 0}, {0, 1, 0}, {0, 0, 1}};
};

}  // namespace mellow
