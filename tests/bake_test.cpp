// Choosing joints and baking: folding, losses, continuity, threads, and Tamsin against the
// separately written reference.
#include <fmt/format.h>

#include <array>
#include <cmath>
#include <cstring>
#include <numbers>

#include "mellow/bake.h"
#include "mellow/bake_file.h"
#include "mellow/parallel.h"
#include "mellow/rig.h"
#include "mellow/write.h"
#include "orchard.h"
#include "reference.h"
#include "small_figure.h"
#include "support.h"

namespace mellow {
namespace {

using namespace test;

using test::difference;

/// Bakes the first timeline of a scene without rules, frames first..last at `rate`.
Baked bake_all(const Scene& scene, const ChosenJoints& chosen, int last, FrameRate rate = {10, 1}) {
    const auto rig = Rig::bind(scene, scene.timelines.empty() ? kNone : 0, {});
    EXPECT_THAT(rig, IsOk());
    return bake(take_of(scene, rig.value().source(), chosen.skeleton, chosen.sources),
                {"t", 0, last, rate, rate, last + 1, false});
}

JointChoice keep(const std::vector<std::string>& names) {
    JointChoice choice;
    choice.keep = parse_mask(names);
    return choice;
}

void key_angles(Scene& scene, int node, Vec3 axis, const std::vector<double>& angles) {
    if (scene.timelines.empty()) scene.timelines.emplace_back();
    Channel c{node, Path::kRotation, {Interpolation::kLinear, 4, {}, {}}};
    for (std::size_t k = 0; k < angles.size(); ++k) {
        const Quat q = from_axis_angle(axis, angles[k]);
        c.curve.times.push_back(static_cast<double>(k) / 10);
        c.curve.values.append({q.x, q.y, q.z, q.w});
    }
    scene.timelines[0].channels.push_back(c);
}

Affine baked_world(const Skeleton& skeleton, const Clip& clip, int joint, int sample) {
    Affine m;
    for (int j = joint; j >= 0; j = skeleton[j].parent)
        m = to_affine(local_at(clip.joints[static_cast<std::size_t>(j)], sample)) * m;
    return m;
}

TEST(ChooseTest, JointsOfSkinsOnlyAndHelpersFoldIn) {
    Scene scene = chain_scene(5, 1);
    Skin skin;
    skin.joints = {1, 3, 4};  // n0 above and n2 between are helpers
    skin.inverse_binds.resize(3);
    scene.skins.push_back(skin);
    key_angles(scene, 0, {0, 0, 1}, {0, 0.5, 1});
    key_angles(scene, 2, {1, 0, 0}, {0, 1, 2});
    const auto chosen = choose_joints(scene, {});
    ASSERT_THAT(chosen, IsOk());
    ASSERT_EQ(chosen.value().skeleton.size(), 3);
    EXPECT_EQ(chosen.value().skeleton[1].parent, 0);
    EXPECT_LT(length(chosen.value().skeleton[1].rest.t - Vec3{0, 2, 0}), 1e-12);
    const Baked baked = bake_all(scene, chosen.value(), 2);
    // n3 at sample 2: n0 turned by 1 about Z at 0, n1 at 1, n2 at 2 turned by 2 about X, n3 1
    // above.
    const Vec3 expected = rotate(from_axis_angle({0, 0, 1}, 1),
                                 Vec3{0, 2, 0} + rotate(from_axis_angle({1, 0, 0}, 2), {0, 1, 0}));
    EXPECT_LT(length(baked_world(chosen.value().skeleton, baked.clip, 1, 2).o - expected), 5e-7);
}

TEST(ChooseTest, NamesAreCheckedAndKept) {
    Scene scene = chain_scene(3, 1);
    Skin skin;
    skin.joints = {0};
    skin.inverse_binds.resize(1);
    scene.skins.push_back(skin);
    EXPECT_EQ(choose_joints(scene, {}).value().skeleton.size(), 1);
    EXPECT_EQ(choose_joints(scene, keep({"n2"})).value().skeleton.size(), 2);
    EXPECT_THAT(choose_joints(scene, keep({"n22"})), FailsWith(Code::kNameUnknown, "n2"));
    scene.nodes[2].name = "n0";
    EXPECT_THAT(choose_joints(scene, keep({"n0", "n1"})), IsOk());
    scene.skins[0].joints = {0, 2};
    scene.skins[0].inverse_binds.resize(2);
    EXPECT_THAT(choose_joints(scene, {}), FailsWith(Code::kNameClash, "n0"));
    EXPECT_THAT(choose_joints(Scene{}, {}), FailsWith(Code::kNoJoints, "joint"));
}

TEST(ChooseTest, AScaledArmatureBecomesData) {
    // An armature scaled by 0.01 above joints in centimetres: joints end up in metres at scale 1.
    Scene scene = chain_scene(3, 100);
    scene.nodes[0].local.s = {0.01, 0.01, 0.01};
    Skin skin;
    skin.joints = {1, 2};
    skin.inverse_binds.resize(2);
    scene.skins.push_back(skin);
    key_angles(scene, 1, {0, 0, 1}, {0, 0.5});
    const auto chosen = choose_joints(scene, {});
    EXPECT_LT(length(chosen.value().skeleton[1].rest.t - Vec3{0, 1, 0}), 1e-12);
    EXPECT_LT(length(chosen.value().skeleton[0].rest.s - Vec3{1, 1, 1}), 1e-12);
    const Baked baked = bake_all(scene, chosen.value(), 1);
    EXPECT_LT(length(local_at(baked.clip.joints[1], 1).s - Vec3{1, 1, 1}), 1e-6);
    EXPECT_LT(length(baked_world(chosen.value().skeleton, baked.clip, 1, 1).o -
                     (Vec3{0, 1, 0} + rotate(from_axis_angle({0, 0, 1}, 0.5), {0, 1, 0}))),
              1e-6);
}

TEST(BakeTest, QuaternionsStayOnOneHemisphere) {
    Scene scene = chain_scene(2, 1);
    std::vector<double> angles;
    for (int k = 0; k <= 60; ++k) angles.push_back(k * 0.5);  // almost five turns
    key_angles(scene, 1, {0, 1, 0}, angles);
    const auto chosen = choose_joints(scene, {});
    const Baked baked = bake_all(scene, chosen.value(), 60);
    const JointTrack& track = baked.clip.joints[1];
    EXPECT_GE(track.rotation[3], 0);
    for (int k = 1; k <= 60; ++k) {
        const Quat a = local_at(track, k - 1).r, b = local_at(track, k).r;
        EXPECT_NEAR(dot(a, b), std::cos(0.25), 1e-6) << k;
    }
    EXPECT_NEAR(baked.losses[1].fastest_turn_rad, 0.5, 1e-5);
}

TEST(BakeTest, ScaleIsKeptAndZeroScaleIsSaid) {
    Scene scene = chain_scene(2, 1);
    scene.timelines.emplace_back();
    scene.timelines[0].channels.push_back(
        {1, Path::kScale, {Interpolation::kLinear, 3, {0, 0.2}, {1, 1, 1, 0, 2, 1}}});
    const auto chosen = choose_joints(scene, {});
    const Baked baked = bake_all(scene, chosen.value(), 2);
    EXPECT_NEAR(local_at(baked.clip.joints[1], 1).s.x, 0.5, 1e-6);
    EXPECT_NEAR(local_at(baked.clip.joints[1], 1).s.y, 1.5, 1e-6);
    EXPECT_NEAR(baked.losses[1].smallest_scale, 0, 1e-6);
    EXPECT_LT(baked.losses[1].shear, 1e-9);
}

TEST(BakeTest, ShearIsMeasuredAndPlacesStayExact) {
    // A child turned by 45 degrees under a parent that stretches along Y: shear in its world
    // matrix.
    Scene scene = chain_scene(4, 1);
    scene.nodes[2].local.r = from_axis_angle({0, 0, 1}, std::numbers::pi / 4);
    scene.timelines.emplace_back();
    scene.timelines[0].channels.push_back(
        {1, Path::kScale, {Interpolation::kLinear, 3, {0, 0.2}, {1, 1, 1, 1, 2, 1}}});
    Skin skin;
    skin.joints = {0, 2, 3};
    skin.inverse_binds.resize(3);
    scene.skins.push_back(skin);
    const auto chosen = choose_joints(scene, {});
    const Baked baked = bake_all(scene, chosen.value(), 2);
    EXPECT_GT(baked.losses[1].shear, 0.1);
    EXPECT_EQ(baked.losses[1].shear_sample, 2);
    // n3 sits 1 along the stretched, turned Y of n2: (0, 1, 0) turned is (-s, s), stretched (-s,
    // 2s).
    const double s = std::sqrt(0.5);
    const Vec3 expected = Vec3{0, 1, 0} + Vec3{0, 2, 0} + Vec3{-s, 2 * s, 0};
    EXPECT_LT(length(baked_world(chosen.value().skeleton, baked.clip, 2, 2).o - expected), 1e-6);
}

// -------------------------------------------------------------------------------------- Tamsin

struct RiggedTamsin {
    Scene scene = orchard::tamsin_scene();
    RigSheet sheet = parse_rig_sheet(orchard::kTamsinRig, "tamsin.rig.toml").value();
};

TEST(TamsinBakeTest, TheRigAgreesWithTheReferenceAtAnyTime) {
    const RiggedTamsin t;
    const auto rig = Rig::bind(t.scene, 0, t.sheet);
    ASSERT_THAT(rig, IsOk());
    PoseTile tile = rig.value().source().make_tile();
    const ScalarLayout layout = scalar_layout(t.scene);
    double worst = 0, worst_weight = 0;
    for (const double seconds : {0.0, 1.37, 4.5, 4.71, 5.0, 5.4, 6.0, 7.77, 8.5, 10.0}) {
        const std::array<double, 1> at{seconds};
        rig.value().evaluate(at, tile);
        const test::ReferencePose reference = test::reference_pose(t.scene, 0, t.sheet, seconds);
        for (std::size_t n = 0; n < t.scene.nodes.size(); ++n) {
            const Affine w = tile.world(static_cast<int>(n), 0);
            const test::Matrix& m = reference.worlds[n];
            const Affine r{{m[0][0], m[1][0], m[2][0]},
                           {m[0][1], m[1][1], m[2][1]},
                           {m[0][2], m[1][2], m[2][2]},
                           {m[0][3], m[1][3], m[2][3]}};
            worst = std::max(worst, difference(w, r));
        }
        for (const auto& [name, value] : reference.driven) {
            const std::string mesh = name.substr(0, name.find('/')),
                              target = name.substr(name.find('/') + 1);
            const int node = orchard::node(t.scene, mesh);
            const auto& targets = t.scene
                                      .meshes[static_cast<std::size_t>(
                                          t.scene.nodes[static_cast<std::size_t>(node)].mesh)]
                                      .target_names;
            const auto slot = std::find(targets.begin(), targets.end(), target) - targets.begin();
            const int scalar =
                layout.offset[static_cast<std::size_t>(node)] + static_cast<int>(slot);
            worst_weight = std::max(worst_weight, std::abs(tile.scalar(scalar)[0] - value));
        }
        EXPECT_EQ(reference.driven.size(), 2U);
    }
    EXPECT_LT(worst, 1e-9);  // centimetres
    EXPECT_LT(worst_weight, 1e-9);
}

TEST(TamsinBakeTest, BakingABakedSceneGivesTheSameSamples) {
    const RiggedTamsin t;
    const auto rig = Rig::bind(t.scene, 0, t.sheet);
    const auto chosen = choose_joints(t.scene, {}).value();
    const SamplePlan plan{"walk", 108, 132, {24, 1}, {30, 1}, 31, false};
    const Clip first =
        bake(take_of(t.scene, rig.value().source(), chosen.skeleton, chosen.sources), plan).clip;
    Scene again;  // the baked joints as a scene of their own, keyed at every sample
    again.timelines.emplace_back();
    for (int j = 0; j < chosen.skeleton.size(); ++j) {
        Node node;
        node.name = chosen.skeleton[j].name;
        node.parent = chosen.skeleton[j].parent;
        node.local = chosen.skeleton[j].rest;
        if (node.parent == kNone) again.roots.push_back(j);
        again.nodes.push_back(node);
        const JointTrack& track = first.joints[static_cast<std::size_t>(j)];
        std::vector<double> times;
        for (int k = 0; k < 31; ++k) times.push_back(k / 30.0);
        again.timelines[0].channels.push_back(
            {j,
             Path::kTranslation,
             {Interpolation::kLinear, 3, times,
              std::vector<double>(track.translation.begin(), track.translation.end())}});
        again.timelines[0].channels.push_back(
            {j,
             Path::kRotation,
             {Interpolation::kLinear, 4, times,
              std::vector<double>(track.rotation.begin(), track.rotation.end())}});
    }
    const auto rechosen = choose_joints(again, {}).value();
    const Clip second = bake_all(again, rechosen, 30, {30, 1}).clip;
    for (std::size_t j = 0; j < first.joints.size(); ++j)
        for (std::size_t i = 0; i < first.joints[j].rotation.size(); ++i)
            EXPECT_NEAR(second.joints[j].rotation[i], first.joints[j].rotation[i], 3e-7);
}

}  // namespace
}  // namespace mellow
