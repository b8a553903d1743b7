// Tamsin's deform joints and the controls around them, in centimetres, +Z up, facing -Y, left is
// +X.
#include <map>

#include "orchard.h"

namespace orchard {
namespace {

using mellow::Affine;
using mellow::Quat;
using mellow::Transform;
using mellow::Vec3;

/// Adds a node at a world place with world axes, below a parent that is there already.
void add(mellow::Scene& scene, const std::string& name, const std::string& parent, Vec3 place,
         Quat axes) {
    mellow::Node n;
    n.name = kPrefix + name;
    n.parent = parent.empty() ? mellow::kNone : node(scene, parent);
    const auto worlds = mellow::rest_worlds(scene);
    const Affine above =
        n.parent == mellow::kNone ? Affine{} : worlds[static_cast<std::size_t>(n.parent)];
    n.local =
        mellow::decompose(mellow::inverse(above) * mellow::to_affine({place, axes, {1, 1, 1}}))
            .transform;
    if (n.parent == mellow::kNone) scene.roots.push_back(static_cast<int>(scene.nodes.size()));
    scene.nodes.push_back(n);
}

/// Joint axes: +Y along the bone, +X to the left as far as that allows.
Quat along(Vec3 bone) {
    const Vec3 y = mellow::normalized(bone, {0, 0, 1});
    const Vec3 left = std::abs(y.x) > 0.95 ? Vec3{0, 0, 1} : Vec3{1, 0, 0};
    const Vec3 x = mellow::normalized(left - dot(left, y) * y, {1, 0, 0});
    return mellow::quat_from_columns(x, y, cross(x, y));
}

Vec3 side(Vec3 v, double s) { return {v.x * s, v.y, v.z}; }

struct Bone {
    const char* name;
    const char* parent;
    Vec3 place, tip;
};

constexpr Bone kSpine[] = {
    {"hips", "skeleton", {0, 0, 96}, {0, 0.5, 106}},
    {"spine", "hips", {0, 0.5, 106}, {0, 1, 120}},
    {"chest", "spine", {0, 1, 120}, {0, 1.5, 142}},
    {"neck", "chest", {0, 1.5, 142}, {0, 0.5, 150}},
    {"head", "neck", {0, 0.5, 150}, {0, 0, 170}},
    {"head_end", "head", {0, 0, 170}, {0, 0, 180}},
};

// One side; the other is its mirror image. `.?` stands for .L and .R.
constexpr Bone kSide[] = {
    {"shoulder_mount", "chest", {2, 0.5, 137}, {3, 0.5, 140}},
    {"clavicle", "shoulder_mount", {2, 0.5, 138}, {17, 1.5, 137.5}},
    {"upperarm", "clavicle", {17, 1.5, 137.5}, {35, 2.5, 116}},
    {"forearm", "upperarm", {35, 2.5, 116}, {51, -1, 97}},
    {"hand", "forearm", {51, -1, 97}, {56, -1.5, 91}},
    {"thumb", "hand", {52, -4, 95}, {53.5, -7, 91}},
    {"index", "hand", {56, -3.5, 91}, {60.5, -4.5, 85.5}},
    {"fingers", "hand", {56.5, -0.5, 91}, {61, -0.5, 85}},
    {"thigh", "hips", {9, 0, 92}, {9.5, -1.5, 51}},
    {"shin", "thigh", {9.5, -1.5, 51}, {10, 2, 9}},
    {"foot", "shin", {10, 2, 9}, {10.5, -10, 2.5}},
    {"toe", "foot", {10.5, -10, 2.5}, {10.5, -18, 2}},
    {"toe_end", "toe", {10.5, -18, 2}, {10.5, -22, 2}},
};

bool has_sides(const std::string& name) {
    for (const Bone& bone : kSide)
        if (name == bone.name) return true;
    return false;
}

}  // namespace

int node(const mellow::Scene& scene, const std::string& name) {
    return mellow::find_node(scene, kPrefix + name);
}

void add_skeleton(mellow::Scene& scene) {
    add(scene, "Tamsin", "", {}, {});
    add(scene, "skeleton", "Tamsin", {}, {});
    for (const Bone& bone : kSpine)
        add(scene, bone.name, bone.parent, bone.place, along(bone.tip - bone.place));
    for (const auto& [suffix, s] : {std::pair{".L", 1.0}, std::pair{".R", -1.0}})
        for (const Bone& bone : kSide)
            add(scene, bone.name + std::string(suffix),
                has_sides(bone.parent) ? bone.parent + std::string(suffix) : bone.parent,
                side(bone.place, s), along(side(bone.tip - bone.place, s)));
    add(scene, "pole", "skeleton", {-53, -4, 97}, {});

    mellow::Skin skin;
    skin.name = kPrefix + "skin";
    const auto worlds = mellow::rest_worlds(scene);
    for (int n = 2; n < static_cast<int>(scene.nodes.size()); ++n) {
        // The mounts between chest and collarbones are helpers, not joints.
        if (scene.nodes[static_cast<std::size_t>(n)].name.find("shoulder_mount") !=
            std::string::npos)
            continue;
        skin.joints.push_back(n);
        skin.inverse_binds.push_back(mellow::inverse(worlds[static_cast<std::size_t>(n)]));
    }
    skin.skeleton = node(scene, "skeleton");
    scene.skins.push_back(skin);
}

void add_controls(mellow::Scene& scene) {
    const auto control = [&](const std::string& name, const std::string& parent, Vec3 place) {
        add(scene, name, parent, place, {});
    };
    control("master", "Tamsin", {});
    control("hips_ctl", "master", {0, 0, 96});
    control("spine_ctl", "hips_ctl", {0, 0.5, 106});
    control("chest_ctl", "spine_ctl", {0, 1, 120});
    control("neck_ctl", "chest_ctl", {0, 1.5, 142});
    control("head_ctl", "neck_ctl", {0, 0.5, 150});
    control("pole_holder", "chest_ctl", {-51, -1, 97});
    control("pole_grip", "pole_holder", {-53, -4, 97});
    for (const auto& [l, s] :
         {std::pair{std::string(".L"), 1.0}, std::pair{std::string(".R"), -1.0}}) {
        control("clav_ctl" + l, "chest_ctl", side({2, 0.5, 138}, s));
        control("hand_goal" + l, s > 0 ? "chest_ctl" : "pole_holder", side({51, -1, 97}, s));
        control("elbow_pole" + l, "chest_ctl", side({45, 60, 105}, s));
        control("thumb_ctl" + l, "hand_goal" + l, side({52, -4, 95}, s));
        control("index_ctl" + l, "hand_goal" + l, side({56, -3.5, 91}, s));
        control("fingers_ctl" + l, "hand_goal" + l, side({56.5, -0.5, 91}, s));
        control("knee_pole" + l, "hips_ctl", side({9.5, -70, 51}, s));
        control("foot_goal" + l, "master", side({10, 2, 9}, s));
        control("foot_roll" + l, "foot_goal" + l, side({10.5, -10, 2.5}, s));
        control("ankle_target" + l, "foot_roll" + l, side({10, 2, 9}, s));
        control("toe_ctl" + l, "foot_goal" + l, side({10.5, -10, 2.5}, s));
    }
}

}  // namespace orchard
