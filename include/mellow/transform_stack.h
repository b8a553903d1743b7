// Transform stacks: a node's transform as a list of elements, as COLLADA states it, and curves that
// move single members of them.
//
// A stack says more than a Transform: turns of more than a revolution, the order of Euler angles,
// pivots. It is therefore sampled member by member and multiplied together afterwards:
//   local == E[0] * E[1] * ... * E[n-1]
// Numbers stay in Scene::stack_convention; sample_stack() gives transforms in Scene::convention.
#pragma once

#include <array>
#include <cstdint>
#include <span>
#include <string>
#include <vector>

#include "mellow/convention.h"
#include "mellow/transform.h"

namespace mellow {

enum class StackKind { kTranslate, kRotate, kScale, kSkew, kMatrix, kLookAt };

/// One factor of a stack. `numbers`, by kind: kTranslate and kScale x y z; kRotate axis x y z and
/// angle; kSkew angle, turned axis x y z, fixed axis x y z; kMatrix 16, row after row; kLookAt eye,
/// point looked at and up, x y z each. Angles are radians. COLLADA 1.4.1 specification, chapter 5,
/// "Transform elements".
struct StackElement {
    StackKind kind = StackKind::kMatrix;
    std::string sid;  ///< the name by which curves address it; may be empty
    std::array<double, 16> numbers{};
};

/// Numbers that an element of this kind has.
int member_count(StackKind kind);

/// How a curve goes on from a key to the next.
enum class KeyShape : std::uint8_t { kStep, kLinear, kBezier };

/// Keys of `width` consecutive members of one element, or of one morph weight. Before the first
/// key the first value holds, after the last key the last.
struct MemberCurve {
    int node = -1;
    int element = -1;  ///< index into Node::stack; -1: a morph weight of the node
    int member = 0;    ///< the first number it moves, or the morph target
    int width = 1;
    std::vector<double> times;     ///< strictly ascending, seconds, at least one
    std::vector<double> values;    ///< [key][member]
    std::vector<KeyShape> shapes;  ///< one per key, or one for all
    /// Control points before and after each key, [key][member][time, value]; empty when nothing is
    /// kBezier. Times of control points lie between the keys on either side.
    std::vector<double> before, after;
};

/// Evaluates a curve; writes `width` numbers per time to `out`. kBezier is a plane cubic: the
/// parameter is found where its time is the time asked for (COLLADA 1.4.1, "Curve interpolation").
void sample(const MemberCurve& curve, std::span<const double> seconds, double* out);

/// The product of a stack. A look-at whose directions lie along one line gives no turn.
Affine compose(std::span<const StackElement> stack);

/// A Transform per time for one stack under `curves`, all of the same node, changed by `change`
/// as Conversion::affine() does. `scratch` holds scratch_size(curves) numbers per time. Returns
/// the worst shear that no Transform could hold (see decompose()), and each in `shear` (see
/// shear_of()); 0 in the usual case that scaling comes last.
double sample_stack(std::span<const StackElement> stack, std::span<const MemberCurve> curves,
                    const Conversion& change, std::span<const double> seconds, double* scratch,
                    Transform* out, Affine* shear = nullptr);
/// Whether a stack can have shear whatever its numbers: a turn after a scale, a skew, a matrix.
bool can_shear(std::span<const StackElement> stack);
/// How many numbers of scratch that needs.
std::size_t scratch_size(std::span<const MemberCurve> curves);

}  // namespace mellow
