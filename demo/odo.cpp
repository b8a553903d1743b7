// A capture of Odo, the cooper: another body than Tamsin's, with names of its own, arms level at
// rest and five joints in the back. He bends for a keg, lifts it and steps aside with it.
#include <algorithm>
#include <cmath>
#include <map>

#include "mellow/bake.h"
#include "mellow/quat.h"
#include "mellow/take.h"
#include "mellow/write.h"
#include "orchard.h"

namespace orchard {
namespace {

using mellow::Quat;
using mellow::Vec3;

constexpr double kThigh = 0.52, kShin = 0.46, kAnkle = 0.1, kUpperArm = 0.32, kForearm = 0.28;
constexpr double kHips = kAnkle + kShin + kThigh + 0.06;

/// Places at rest, in metres, facing +Z.
struct OdoBone {
    const char *name, *parent;
    Vec3 place;
};
const std::vector<OdoBone>& odo_bones() {
    static const std::vector<OdoBone> kBones = {
        {"pelvis", "", {0, kHips, 0}},
        {"back1", "pelvis", {0, kHips + 0.10, -0.01}},
        {"back2", "back1", {0, kHips + 0.20, -0.02}},
        {"back3", "back2", {0, kHips + 0.30, -0.02}},
        {"back4", "back3", {0, kHips + 0.40, -0.01}},
        {"back5", "back4", {0, kHips + 0.49, 0}},
        {"nape", "back5", {0, kHips + 0.60, 0}},
        {"skull", "nape", {0, kHips + 0.70, 0.02}},
        {"clav_l", "back5", {0.03, kHips + 0.52, 0.02}},
        {"armupper_l", "clav_l", {0.20, kHips + 0.53, 0}},
        {"armlower_l", "armupper_l", {0.20 + kUpperArm, kHips + 0.53, 0}},
        {"wrist_l", "armlower_l", {0.20 + kUpperArm + kForearm, kHips + 0.53, 0}},
        {"clav_r", "back5", {-0.03, kHips + 0.52, 0.02}},
        {"armupper_r", "clav_r", {-0.20, kHips + 0.53, 0}},
        {"armlower_r", "armupper_r", {-0.20 - kUpperArm, kHips + 0.53, 0}},
        {"wrist_r", "armlower_r", {-0.20 - kUpperArm - kForearm, kHips + 0.53, 0}},
        {"femur_l", "pelvis", {0.11, kHips - 0.06, 0}},
        {"tibia_l", "femur_l", {0.11, kAnkle + kShin, 0}},
        {"ankle_l", "tibia_l", {0.11, kAnkle, 0}},
        {"ball_l", "ankle_l", {0.13, 0.03, 0.16}},
        {"femur_r", "pelvis", {-0.11, kHips - 0.06, 0}},
        {"tibia_r", "femur_r", {-0.11, kAnkle + kShin, 0}},
        {"ankle_r", "tibia_r", {-0.11, kAnkle, 0}},
        {"ball_r", "ankle_r", {-0.13, 0.03, 0.16}},
    };
    return kBones;
}

/// 0 until `a`, 1 from `b` on, smoothly between.
double eased(double t, double a, double b) {
    const double u = std::clamp((t - a) / (b - a), 0.0, 1.0);
    return u * u * (3 - 2 * u);
}

Quat tilt(Vec3 axis, double degrees) {
    return mellow::from_axis_angle(axis, degrees * 3.14159265358979 / 180);
}

/// The least turn from one direction to another.
Quat towards(Vec3 from, Vec3 to) {
    const Vec3 axis = mellow::cross(from, to);
    return mellow::normalized(Quat{
        axis.x, axis.y, axis.z, mellow::length(from) * mellow::length(to) + mellow::dot(from, to)});
}

/// Where the middle of two bones is, bent to one side.
Vec3 bend(Vec3 top, Vec3 end, double upper, double lower, Vec3 side) {
    const Vec3 way = end - top;
    const double far = std::min(mellow::length(way), upper + lower - 1e-6);
    const Vec3 along = mellow::normalized(way, {0, -1, 0});
    const double x = (upper * upper - lower * lower + far * far) / (2 * far);
    const Vec3 off = mellow::normalized(side - along * mellow::dot(side, along), {0, 0, 1});
    return top + along * x + off * std::sqrt(std::max(0.0, upper * upper - x * x));
}

/// His world turns at a moment, and where the hips are.
std::map<std::string, Quat> at_moment(double t, Vec3& hips) {
    const double down = eased(t, 0.2, 1.1) - eased(t, 1.3, 2.2), hold = eased(t, 0.6, 1.2);
    const double steps = eased(t, 2.4, 2.9), follows = eased(t, 3.0, 3.5);
    const double sway = eased(t, 2.3, 2.8) + eased(t, 2.9, 3.4);
    hips = {0.15 * sway, kHips - 0.02 - 0.30 * down, -0.10 * down};
    std::map<std::string, Quat> turns{{"pelvis", tilt({1, 0, 0}, 12 * down)}};
    for (int b = 1; b <= 5; ++b)
        turns["back" + std::to_string(b)] =
            tilt({1, 0, 0}, 12 * down + (6 * down - 1.5 * hold) * b);
    turns["nape"] = tilt({1, 0, 0}, 25 * down - 5 * hold);
    turns["skull"] = tilt({1, 0, 0}, 15 * down);
    // Where a joint of the trunk is, down the chain of turns.
    const auto place = [&](const std::string& joint) {
        std::string at = joint;
        Vec3 out;
        while (at != "pelvis") {
            for (const OdoBone& bone : odo_bones()) {
                if (at != bone.name) continue;
                Vec3 above;
                for (const OdoBone& other : odo_bones())
                    if (std::string(bone.parent) == other.name) above = other.place;
                std::string turned = bone.parent;
                if (!turns.contains(turned)) turned = "back5";
                out = out + mellow::rotate(turns.at(turned), bone.place - above);
                at = bone.parent;
                break;
            }
        }
        return hips + out;
    };
    for (const double side : {1.0, -1.0}) {
        const std::string of = side > 0 ? "_l" : "_r";
        const double u = side > 0 ? steps : follows;
        const Vec3 ankle{0.11 * side + 0.3 * u, kAnkle + 0.09 * std::sin(3.14159265358979 * u), 0};
        const Vec3 head = place("femur" + of), knee = bend(head, ankle, kThigh, kShin, {0, 0, 1});
        turns["femur" + of] = towards({0, -1, 0}, knee - head);
        turns["tibia" + of] = towards({0, -1, 0}, ankle - knee);
        turns["ankle" + of] = turns["ball" + of] = {};
        const Vec3 free{hips.x + 0.32 * side, hips.y - 0.02, 0.08},
            keg{hips.x + 0.13 * side, 0.45 + 0.9 * (eased(t, 1.3, 2.2)), 0.36 + 0.10 * down};
        const Vec3 hand = free + (keg - free) * hold, shoulder = place("armupper" + of),
                   elbow = bend(shoulder, hand, kUpperArm, kForearm, {0.5 * side, -1, -0.4});
        turns["clav" + of] = turns["back5"];
        turns["armupper" + of] = towards({side, 0, 0}, elbow - shoulder);
        turns["armlower" + of] = towards({side, 0, 0}, hand - elbow);
        turns["wrist" + of] = turns["armlower" + of];
    }
    return turns;
}

}  // namespace

std::vector<File> odo_files() {
    std::vector<mellow::Joint> joints;
    std::map<std::string, int> index;
    for (const OdoBone& bone : odo_bones()) {
        const bool top = *bone.parent == '\0';
        const int parent = top ? -1 : index.at(bone.parent);
        const Vec3 from = top ? Vec3{} : odo_bones()[static_cast<std::size_t>(parent)].place;
        index[bone.name] = static_cast<int>(joints.size());
        joints.push_back({bone.name, parent, {bone.place - from, {}, {1, 1, 1}}});
    }
    const mellow::Skeleton skeleton = mellow::Skeleton::make(std::move(joints)).value();
    const mellow::JointMover move = [](double t, std::span<mellow::Transform> locals) {
        Vec3 hips;
        const auto turns = at_moment(t, hips);
        locals[0].t = hips;
        for (std::size_t j = 0; j < locals.size(); ++j) {
            const OdoBone& bone = odo_bones()[j];
            const Quat world = turns.at(bone.name);
            locals[j].r = j == 0 ? world : mellow::conjugate(turns.at(bone.parent)) * world;
        }
    };
    const mellow::SamplePlan plan{"lift", 0, 114, {30, 1}, {30, 1}, 115, false};
    const mellow::Clip clip = mellow::bake(mellow::take_of(skeleton, move), plan).clip;
    const mellow::Convention centimetres{0.01, mellow::Axis::kPlusY, mellow::Axis::kPlusZ};
    return {{"odo_lift.bvh", "Odo lifts a keg, a capture in centimetres",
             bytes_of(mellow::write_bvh(skeleton, clip, mellow::Conversion({}, centimetres), {})
                          .value()
                          .text)},
            {"odo.map.toml", "which of his joints move which of hers, as match wrote it",
             bytes_of(kOdoMap)},
            {"odo.recipe.toml", "what he does, carried over to Tamsin", bytes_of(kOdoRecipe)}};
}

}  // namespace orchard
