// Checks on motion: what an eye sees in a game and no comparison of files does: feet that slide or
// sink while they stand, joints that jump, wheels that turn against their way, hands in walls.
//
// Everything is measured on a baked clip, in the world, in the inside convention: +Y up, metres.
// Nothing here says what is too much: recipes do, and docs/findings.md says what they mean.
#pragma once

#include <string>
#include <vector>

#include "mellow/clip.h"
#include "mellow/skeleton.h"

namespace mellow {

/// When a foot counts as standing. Heights are above where the joint rests, over the ground; of a
/// figure whose rest pose does not stand on it, above the lowest that a foot comes. A foot stands
/// once it is lower than `touch_m` and slower than `still_m_s`, until it is higher than `leave_m`
/// or faster than `moving_m_s`. Where the body goes, a foot that stays behind it stands as well,
/// however far it slides: up and down it is slower than `still_m_s`, over the ground than `behind`
/// times the body, until it is faster than one and a half times that.
struct FootRules {
    double ground_m = 0;
    double touch_m = 0.03, leave_m = 0.06;
    double still_m_s = 0.25, moving_m_s = 0.5;
    double behind = 0.6;
};

/// One time that a foot stands, in samples, both included.
struct Contact {
    int first = 0, last = 0;
    /// How far apart on the ground it is, at samples at which it is low and slow.
    double slide_m = 0;
};

/// When a foot stands, and how far it slides and sinks meanwhile.
struct FootMotion {
    std::string joint;
    std::vector<Contact> contacts;
    double slide_m = 0, depth_m = 0;  ///< the largest slide, and how deep it sinks at most
    int slide_sample = 0, depth_sample = 0;
};

/// How a wheel turns while it goes over the ground, faster than 0.05 m/s: one that rolls turns
/// about up x way, whatever its own axes are.
struct WheelMotion {
    std::string joint;
    int moving = 0, against = 0;  ///< samples at which it moves; and turns the other way meanwhile
    int sample = 0;               ///< the first of these
    double radius_m = 0;  ///< way over turn, the median of samples at which it rolls; 0: none
};

/// The largest jump of a joint: |b(k)| with b(k) = p(k-1) - 2 p(k) + p(k+1), of those k that stand
/// among few b which sum to none, with little before and after them: what was left is come back to,
/// or stays. A kick bends for longer, and a foot that meets the ground once. And the median of |b|
/// over all joints and samples of the clip.
struct Pop {
    std::string joint;
    int sample = 0;
    double jump_m = 0, median_m = 0;

    /// The jump by the median; a clip that hardly moves has no median to speak of, and half a
    /// millimetre counts.
    double ratio() const;
};

/// A plane through `at` in the world, metres: a wall, a table, a trunk. Joints may be on the side
/// to which `faces`, a unit vector, points.
struct MotionPlane {
    std::string name;
    Vec3 at, faces{0, 1, 0};
    std::vector<int> joints;
};

/// The joint that goes farthest behind a plane.
struct PlaneMotion {
    std::string plane, joint;
    double depth_m = 0;  ///< 0: none does
    int sample = 0;
};

/// What of a figure is looked at: indices of joints, and planes.
struct MotionSubjects {
    std::vector<int> feet, wheels;
    FootRules rules;
    std::vector<MotionPlane> planes;
    int hips = -1;      ///< the joint that goes where the body goes; -1: none
    double spread = 1;  ///< samples in an interval of the source, over which a jump is drawn out
};

/// All that was measured of one clip.
struct MotionCheck {
    std::vector<FootMotion> feet;
    std::vector<WheelMotion> wheels;
    std::vector<PlaneMotion> planes;
    Pop pop;

    /// There is something that was looked at.
    bool any() const { return !feet.empty() || !wheels.empty() || !planes.empty(); }
};

/// Joints that are feet by their names: foot, ankle, hoof or paw, once left and once right.
std::vector<int> suggest_feet(const Skeleton& skeleton);
/// Joints that are wheels by their names: a word "wheel", and on no joint that is one.
std::vector<int> suggest_wheels(const Skeleton& skeleton);
/// Joints that are hands by their names: hand, wrist or palm, once left and once right.
std::vector<int> suggest_hands(const Skeleton& skeleton);
/// Measures a clip.
MotionCheck check_motion(const Clip& clip, const Skeleton& skeleton,
                         const MotionSubjects& subjects);

}  // namespace mellow
