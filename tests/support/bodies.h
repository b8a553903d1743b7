// Made-up bodies with limbs of any lengths, names, axes and rest poses, posed by world turns.
#pragma once

#include <map>
#include <random>
#include <string>
#include <vector>

#include "rigs.h"

namespace mellow::test {

/// Lengths in metres; the body stands on Y = 0 and faces +Z.
struct BodyPlan {
    double thigh = 0.5, shin = 0.5, ankle = 0.1;
    double size = 1;       ///< of all of it
    int spine = 3;         ///< joints of it
    double arms_down = 0;  ///< degrees
    bool collars = true, toes = true;
    bool gloves = false;    ///< a leaf on each hand, of no role
    bool twists = false;    ///< a leaf beside each forearm
    unsigned axes = 0;      ///< a seed of random axes; 0: those of the world
    unsigned shuffled = 0;  ///< a seed of another order of siblings; 0: left first
    enum class Names { kPlain, kTrade, kNone } names = Names::kPlain;
};

struct Body {
    Skeleton skeleton;
    std::vector<std::string> keys;  ///< of each joint: "left_thigh", "spine2"

    std::string name(const std::string& key) const {
        for (std::size_t j = 0; j < keys.size(); ++j)
            if (keys[j] == key) return skeleton[static_cast<int>(j)].name;
        return {};
    }
    int joint(const std::string& key) const { return skeleton.find(name(key)); }
};

inline Body make_body(const BodyPlan& plan) {
    struct Bone {
        std::string key, parent;
        Vec3 place;
    };
    std::vector<Bone> bones;
    const double hips = plan.ankle + plan.shin + plan.thigh;
    bones.push_back({"hips", "", {0, hips + 0.08, 0}});
    std::string up = "hips";
    for (int s = 1; s <= plan.spine; ++s) {
        const std::string key = "spine" + std::to_string(s);
        bones.push_back({key, up, {0, hips + 0.08 + 0.45 * s / plan.spine, 0}});
        up = key;
    }
    const double chest = hips + 0.53;
    for (const double side : {1.0, -1.0}) {
        const std::string of = side > 0 ? "left_" : "right_";
        bones.push_back({of + "thigh", "hips", {0.1 * side, hips, 0}});
        bones.push_back({of + "shin", of + "thigh", {0.1 * side, plan.ankle + plan.shin, 0}});
        bones.push_back({of + "foot", of + "shin", {0.1 * side, plan.ankle, 0}});
        if (plan.toes) bones.push_back({of + "toe", of + "foot", {0.1 * side, 0.03, 0.14}});
        std::string at = up;
        if (plan.collars) {
            bones.push_back({of + "collar", up, {0.03 * side, chest + 0.05, 0}});
            at = of + "collar";
        }
        const Vec3 along = rotate(turn(kZ, -side * plan.arms_down), {side, 0, 0});
        const Vec3 arm{0.17 * side, chest + 0.05, 0};
        bones.push_back({of + "upper_arm", at, arm});
        bones.push_back({of + "forearm", of + "upper_arm", arm + along * 0.29});
        bones.push_back({of + "hand", of + "forearm", arm + along * 0.54});
        if (plan.gloves) bones.push_back({of + "glove", of + "hand", arm + along * 0.6});
        if (plan.twists) bones.push_back({of + "twist", of + "forearm", arm + along * 0.42});
    }
    bones.push_back({"neck", up, {0, chest + 0.12, 0}});
    bones.push_back({"head", "neck", {0, chest + 0.22, 0.01}});

    std::mt19937 random(plan.shuffled);
    std::vector<Bone> order;
    std::vector<std::size_t> left(bones.size());
    for (std::size_t i = 0; i < left.size(); ++i) left[i] = i;
    while (!left.empty()) {
        const auto is_ready = [&](std::size_t i) {
            return bones[i].parent.empty() ||
                   std::any_of(order.begin(), order.end(),
                               [&](const Bone& b) { return b.key == bones[i].parent; });
        };
        std::vector<std::size_t> ready;
        for (const std::size_t i : left)
            if (is_ready(i)) ready.push_back(i);
        const std::size_t take = ready[plan.shuffled == 0 ? 0 : random() % ready.size()];
        order.push_back(bones[take]);
        std::erase(left, take);
    }
    static const std::map<std::string, std::string> kTrade = {
        {"thigh", "UpLeg"},     {"shin", "Leg"},        {"foot", "Foot"},
        {"toe", "ToeBase"},     {"collar", "Clavicle"}, {"upper_arm", "Arm"},
        {"forearm", "ForeArm"}, {"hand", "Hand"},       {"twist", "ForeArmTwist"}};
    Body out;
    std::vector<Joint> joints;
    std::vector<Quat> worlds;
    std::mt19937 axes(plan.axes);
    std::normal_distribution<double> normal;
    for (const Bone& bone : order) {
        Joint joint;
        int parent = -1;
        for (std::size_t j = 0; j < out.keys.size(); ++j)
            if (out.keys[j] == bone.parent) parent = static_cast<int>(j);
        joint.parent = parent;
        const bool right = bone.key.starts_with("right_"),
                   sided = right || bone.key.starts_with("left_");
        const std::string bare = sided ? bone.key.substr(bone.key.find('_') + 1) : bone.key;
        joint.name = plan.names == BodyPlan::Names::kNone
                         ? "n" + std::to_string(joints.size() * 7 % 97)
                     : plan.names == BodyPlan::Names::kPlain ? bone.key
                     : sided ? "rig:" + std::string(right ? "Right" : "Left") + kTrade.at(bare)
                             : "rig:" + bare;
        const Quat world =
            plan.axes == 0 ? Quat{}
                           : normalized({normal(axes), normal(axes), normal(axes), normal(axes)});
        Vec3 from{};
        Quat above{};
        if (parent >= 0) {
            above = worlds[static_cast<std::size_t>(parent)];
            for (const Bone& b : order)
                if (b.key == bone.parent) from = b.place;
        }
        joint.rest.t = rotate(conjugate(above), bone.place - from) * plan.size;
        joint.rest.r = conjugate(above) * world;
        worlds.push_back(world);
        joints.push_back(joint);
        out.keys.push_back(bone.key);
    }
    out.skeleton = Skeleton::make(std::move(joints)).value();
    return out;
}

/// Local transforms of a body whose joints are turned since rest, in the world, by key; those that
/// are not named go with their parents. `hips` is added to their place at rest.
inline std::vector<Transform> posed(const Body& body, const std::map<std::string, Quat>& turns,
                                    Vec3 hips = {}) {
    std::vector<Transform> out;
    std::vector<Quat> since, rest;
    for (int j = 0; j < body.skeleton.size(); ++j) {
        const Joint& joint = body.skeleton[j];
        const auto p = static_cast<std::size_t>(std::max(0, joint.parent));
        const bool top = joint.parent < 0;
        rest.push_back(top ? joint.rest.r : rest[p] * joint.rest.r);
        const auto found = turns.find(body.keys[static_cast<std::size_t>(j)]);
        since.push_back(found != turns.end() ? found->second : top ? Quat{} : since[p]);
        const Quat world = since.back() * rest.back();
        Transform local = joint.rest;
        local.r = top ? world : conjugate(since[p] * rest[p]) * world;
        if (top) local.t = local.t + hips;
        out.push_back(local);
    }
    return out;
}

/// World matrices of one sample, by products of 4x4 matrices written out here.
inline std::vector<Affine> laid_out(const Skeleton& skeleton, const Transform* locals) {
    std::vector<Affine> out;
    for (int j = 0; j < skeleton.size(); ++j) {
        const Affine local = to_affine(locals[j]);
        const int parent = skeleton[j].parent;
        out.push_back(parent < 0 ? local : out[static_cast<std::size_t>(parent)] * local);
    }
    return out;
}

}  // namespace mellow::test
