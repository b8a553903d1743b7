// What is baked and chosen, against worlds multiplied up here: seeded scenes, all sorts of choices.
#include <fmt/format.h>

#include <cmath>
#include <random>

#include "base/at.h"
#include "mellow/bake.h"
#include "mellow/fit.h"
#include "mellow/pose.h"
#include "mellow/shape.h"
#include "mellow/travel.h"
#include "rigs.h"

namespace mellow::baked_scenes_test {
namespace {

using namespace test;

const Vec3 kOne{1, 1, 1};
const SamplePlan kSecond{"second", 0, 10, {10, 1}, {10, 1}, 11, true};

/// A scaled armature, eight nodes in a tree below it, all turned at rest and moved by keys.
Scene seeded(unsigned seed) {
    std::mt19937 random(seed);
    std::uniform_real_distribution<double> unit(-1, 1);
    const auto vector = [&] { return Vec3{unit(random), unit(random), unit(random)}; };
    Scene scene;
    scene.rate = {10, 1};
    const double scale = seed % 2 == 0 ? 0.01 : 1;
    add_node(scene, "armature", kNone, {vector(), turn(kX, -90), {scale, scale, scale}});
    for (int n = 1; n <= 8; ++n) {
        const int parent = n < 4 ? n - 1 : static_cast<int>(random() % static_cast<unsigned>(n));
        const Transform local{(1 / scale) * vector(),
                              normalized(Quat{unit(random), unit(random), unit(random), 1}), kOne};
        add_node(scene, fmt::format("n{}", n), parent, local);
        key_turn(scene, n, local.r, local.r * turn(normalized(vector(), kX), 100 * unit(random)));
        if (n % 3 == 0) {
            const Vec3 t = local.t, to = t + (0.3 / scale) * vector();
            key(scene, n, Path::kTranslation, {t.x, t.y, t.z}, {to.x, to.y, to.z});
        }
    }
    return scene;
}

/// World matrices of a baked clip at a sample.
std::vector<Affine> worlds(const Skeleton& skeleton, const Clip& clip, int sample) {
    std::vector<Affine> out;
    for (int j = 0; j < skeleton.size(); ++j) {
        const Affine local = to_affine(local_at(clip.joints[at(j)], sample));
        out.push_back(skeleton[j].parent < 0 ? local : out[at(skeleton[j].parent)] * local);
    }
    return out;
}

TEST(MadeTest, WhateverIsChosenStandsWhereItStood) {
    for (unsigned seed = 1; seed <= 60; ++seed) {
        SCOPED_TRACE(seed);
        Scene scene = seeded(seed);
        JointChoice choice;
        std::mt19937 random(seed + 100);
        std::vector<int> joints;
        for (int n = 1; n <= 8; ++n)
            if (random() % 3 != 0) joints.push_back(n);
        if (joints.empty()) joints = {2};
        scene.skins.push_back({"s", joints, std::vector<Affine>(joints.size()), kNone, {}, {}});
        const Quat axes = turn({0.6, 0, 0.8}, 75);
        const std::string turned = scene.nodes[at(joints[0])].name;
        if (seed % 3 == 0) choice.axes = {{turned, axes}};
        // Above joints, or between them, a node with shear: places are exact all the same.
        const bool sheared = seed % 4 == 1;
        if (sheared)
            scene.nodes[at(1 + static_cast<int>(seed % 3))].shear =
                Affine{{1, 0, 0}, {0.4, 1, 0}, {0, 0.2, 1}, {}};
        const auto chosen = choose_joints(scene, choice);
        ASSERT_THAT(chosen, IsOk());
        const Skeleton& skeleton = chosen.value().skeleton;
        ASSERT_EQ(skeleton.size(), static_cast<int>(joints.size()));
        const Rig rig = Rig::bind(scene, 0, {}).value();
        const Baked baked =
            bake(take_of(scene, rig.source(take_needs(scene, skeleton, chosen.value().sources)),
                         skeleton, chosen.value().sources),
                 kSecond);
        EXPECT_EQ(baked.clip.period, 10);
        const std::vector<Affine> rest = skeleton.rest_worlds(), source_rest = rest_worlds(scene);
        for (int k = 0; k < 11; k += 5) {
            const Pose pose = pose_at(scene, scene.timelines[0], k / 10.0);
            const auto got = worlds(skeleton, baked.clip, k);
            for (int j = 0; j < skeleton.size(); ++j) {
                const int node = chosen.value().sources[at(j)].node;
                EXPECT_LT(length(got[at(j)].o - pose.worlds[at(node)].o), 2e-5) << skeleton[j].name;
                if (sheared) continue;
                const auto facing = [](const Affine& m) {
                    return quat_from_columns(normalized(m.x, {}), normalized(m.y, {}),
                                             normalized(m.z, {}));
                };
                // The turn since rest is that of the node, whatever the axes.
                EXPECT_LT(
                    angle(facing(got[at(j)]) * conjugate(facing(rest[at(j)])),
                          facing(pose.worlds[at(node)]) * conjugate(facing(source_rest[at(node)]))),
                    0.01)
                    << skeleton[j].name;
                EXPECT_NEAR(length(got[at(j)].x), 1, 1e-5);
            }
        }
        for (int j = 0; j < skeleton.size(); ++j)
            if (skeleton[j].name == turned && seed % 3 == 0 && !sheared) {
                EXPECT_LT(angle(rotation_of(rest[at(j)]), axes), 1e-3);
            }
    }
}

TEST(MadeTest, AJointOfNoThicknessKeepsItsTurn) {
    Scene scene;
    scene.rate = {10, 1};
    const int hips = add_node(scene, "hips", kNone, {{0, 1, 0}, {}, kOne});
    const int helper = add_node(scene, "helper", hips, {{0, 0.5, 0}, turn(kY, 40), kOne});
    const int leaf = add_node(scene, "leaf", helper, {{0.2, 0, 0}, turn(kX, 30), kOne});
    scene.skins.push_back({"s", {hips, leaf}, std::vector<Affine>(2), kNone, {}, {}});
    key(scene, leaf, Path::kScale, {1, 1, 1}, {1, 0, 1});
    const auto joints = choose_joints(scene, {}).value();
    const Rig rig = Rig::bind(scene, 0, {}).value();
    const Baked baked =
        bake(take_of(scene, rig.source(take_needs(scene, joints.skeleton, joints.sources)),
                     joints.skeleton, joints.sources),
             kSecond);
    const Transform last = local_at(baked.clip.joints[1], 10);
    EXPECT_LT(angle(last.r, turn(kY, 40) * turn(kX, 30)), 1e-3);
    EXPECT_LT(length(last.s - Vec3{1, 0, 1}), 1e-6);
    EXPECT_LT(baked.losses[1].smallest_scale, 1e-9);
}

/// hips, arm, finger, tip in a row, a leg, a prop below the finger; weight on hips and arm.
Scene choosable() {
    Scene scene;
    scene.rate = {10, 1};
    const int hips = add_node(scene, "hips", kNone, {{0, 1, 0}, {}, kOne});
    const int arm = add_node(scene, "arm", hips, {{0.5, 0, 0}, {}, kOne});
    const int finger = add_node(scene, "finger", arm, {{0.3, 0, 0}, {}, kOne});
    const int tip = add_node(scene, "tip", finger, {{0.1, 0, 0}, {}, kOne});
    const int leg = add_node(scene, "leg", hips, {{0, -0.5, 0}, {}, kOne});
    const int mesh = add_node(scene, "mesh", kNone, {});
    Primitive p;
    p.positions = {{0, 1, 0}, {0.5F, 1, 0}, {1, 1, 0}};
    p.influences_per_vertex = 4;
    for (const std::uint16_t joint : std::array<std::uint16_t, 3>{0, 1, 1}) {
        // The leg is named, with weight 0.
        p.influence_joints.insert(p.influence_joints.end(), {joint, 4, 0, 0});
        p.influence_weights.insert(p.influence_weights.end(), {1, 0, 0, 0});
    }
    scene.meshes.emplace_back().primitives = {p};
    scene.nodes[at(mesh)].mesh = scene.nodes[at(mesh)].skin = 0;
    scene.skins.push_back(
        {"s", {hips, arm, finger, tip, leg}, std::vector<Affine>(5), kNone, {}, {}});
    key_turn(scene, arm, {}, turn(kX, 30));
    return scene;
}
std::vector<std::string> names(const Result<ChosenJoints>& chosen) {
    EXPECT_THAT(chosen, IsOk());
    std::vector<std::string> out;
    for (const Joint& j : chosen.value().skeleton.joints()) out.push_back(j.name);
    return out;
}

TEST(MadeTest, JointsAreChosenAsAsked) {
    using testing::ElementsAre;
    const Scene scene = choosable();
    EXPECT_THAT(names(choose_joints(scene, {})), ElementsAre("hips", "arm", "finger"));
    JointChoice tips;
    tips.keep_tips = true;
    EXPECT_THAT(names(choose_joints(scene, tips)),
                ElementsAre("hips", "arm", "finger", "tip", "leg"));
    JointChoice drop;
    drop.drop.names = {"arm"};
    EXPECT_THAT(names(choose_joints(scene, drop)), ElementsAre("hips", "finger"));
    JointChoice keep;
    keep.keep.names = {"tip"};
    EXPECT_THAT(names(choose_joints(scene, keep)), ElementsAre("hips", "arm", "finger", "tip"));
    // A prop hangs on the tip: the joints above it are there for it.
    Scene prop = scene;
    const int ring = add_node(prop, "ring", 3, {});
    prop.meshes.emplace_back().primitives.emplace_back().positions = {{0, 0, 0}};
    prop.nodes[at(ring)].mesh = 1;
    EXPECT_THAT(names(choose_joints(prop, {})), ElementsAre("hips", "arm", "finger", "tip"));
    // A camera is a joint of the root's, wherever it hangs.
    Scene eye = scene;
    const int camera = add_node(eye, "eye", 1, {});
    eye.nodes[at(camera)].camera = 0;
    const auto with_eye = choose_joints(eye, {});
    EXPECT_THAT(names(with_eye), testing::Contains("eye"));
    EXPECT_EQ(with_eye.value().skeleton[with_eye.value().skeleton.find("eye")].parent, kNone);
    // An armature of another size along each axis: what counts is its volume.
    Scene uneven = scene;
    const int above = add_node(uneven, "armature", kNone, {{}, {}, {1, 2, 4}});
    uneven.nodes[0].parent = above;
    uneven.roots = {above};
    EXPECT_NEAR(choose_joints(uneven, {}).value().sources[0].scale, 2, 1e-12);
}

TEST(MadeTest, NormalsOfAStretchedPartStandOnIt) {
    Scene scene;
    add_node(scene, "part", kNone, {{}, {}, {1, 2, 1}});
    Primitive p;
    p.positions = {{0, 0, 0}, {-4, 3, 0}, {0, 0, 1}};  // lies across (3, 4, 0)
    p.normals = {{0.6F, 0.8F, 0}, {0.6F, 0.8F, 0}, {0.6F, 0.8F, 0}};
    scene.meshes.emplace_back().primitives = {p};
    scene.nodes[0].mesh = 0;
    key(scene, 0, Path::kTranslation, {0, 0, 0}, {1, 0, 0});
    const auto joints = choose_joints(scene, {}).value();
    const Scene skin = assemble_skin(scene, joints.skeleton, joints.sources).scene;
    const Primitive& q = skin.meshes.at(0).primitives.at(0);
    const auto v = [](const Float3& f) { return Vec3{f[0], f[1], f[2]}; };
    for (std::size_t i = 1; i < 3; ++i)
        EXPECT_NEAR(dot(v(q.normals[0]), v(q.positions[i]) - v(q.positions[0])), 0, 1e-6) << i;
    EXPECT_NEAR(length(v(q.normals[0])), 1, 1e-6);
    EXPECT_GT(q.normals[0][0], 0);
}

TEST(MadeTest, WhatHungOnALostJointStaysWhereItWas) {
    // A skin of hips and finger, bound in another pose than at rest. The finger is not kept; the
    // arm, which the skin did not have, stands in for it.
    Scene scene = choosable();
    Primitive& p = scene.meshes[0].primitives[0];
    p.influence_joints = {0, 0, 0, 0, 0, 1, 0, 0, 1, 0, 0, 0};
    p.influence_weights = {1, 0, 0, 0, 0.25F, 0.75F, 0, 0, 1, 0, 0, 0};
    scene.skins[0].joints = {0, 2};
    scene.skins[0].inverse_binds = {inverse(to_affine({{0.1, 1, 0}, turn(kY, 20), kOne})),
                                    inverse(to_affine({{0.5, 1, 0.3}, turn(kX, 50), kOne}))};
    const auto before = posed_vertices(scene, 5, p, rest_pose(scene));
    JointChoice only;
    only.only.names = {"hips", "arm"};
    const auto joints = choose_joints(scene, only).value();
    (void)simplify_skins(scene, joints.sources, 0);
    const auto after = posed_vertices(scene, 5, scene.meshes[0].primitives[0], rest_pose(scene));
    ASSERT_EQ(after.size(), before.size());
    for (std::size_t v = 0; v < after.size(); ++v)
        EXPECT_LT(length(after[v] - before[v]), 1e-6) << v;
    EXPECT_THAT(scene.skins[0].joints, testing::Contains(1)) << "the arm";
}

TEST(MadeTest, ALoopIsClosedWhereItsStepLeads) {
    // The root faces -90 degrees, goes one ahead of itself a loop and turns by 30.
    Clip clip;
    clip.rate = {10, 1};
    clip.samples = 3;
    clip.loop = LoopForm::kOpen;
    clip.period = 3;
    clip.joints = make_tracks(2, 3);
    for (int k = 0; k < 3; ++k) {
        store(clip.joints[0], k, {{2, 0, 3}, turn(kY, -90), kOne});
        store(clip.joints[1], k, {{0, 0.1 * k, 0}, turn(kX, 10 * k), kOne});
    }
    clip.travel.step = {0, 0, 1};
    clip.travel.step_heading_rad = 30 * std::numbers::pi / 180;
    close_loop(clip);
    EXPECT_EQ(clip.samples, 4);
    const Transform root = local_at(clip.joints[0], 3);
    EXPECT_LT(length(root.t - Vec3{1, 0, 3}), 1e-6);
    EXPECT_LT(angle(root.r, turn(kY, -60)), 1e-3);
    EXPECT_LT(length(local_at(clip.joints[1], 3).t), 1e-6) << "the first pose again";
    open_loop(clip);
    EXPECT_EQ(clip.samples, 3);
    EXPECT_LT(length(local_at(clip.joints[1], 0).t), 1e-6) << "its last sample goes";
    EXPECT_NEAR(local_at(clip.joints[1], 2).t.y, 0.2, 1e-6);
}

TEST(MadeTest, SeamsAreMeasuredInEachQuantity) {
    const auto gap = [](const std::function<void(Clip&)>& change) {
        Clip clip;
        clip.rate = {10, 1};
        clip.samples = 11;
        clip.loop = LoopForm::kClosed;
        clip.joints = make_tracks(3, 11);
        clip.morphs.push_back({"m", {"a", "b"}, std::vector<float>(22, 0.5F)});
        clip.scalars.push_back({"s", "", std::vector<float>(11, 4.0F)});
        change(clip);
        static const Skeleton skeleton =
            Skeleton::make({{"root", -1, {}}, {"a", 0, {}}, {"b", 0, {}}}).value();
        return loop_gap(clip, skeleton);
    };
    const LoopGap none = gap([](Clip&) {});
    EXPECT_EQ(none.distance_m + none.angle_rad + none.scale + none.weight + none.scalar, 0);
    for (const int joint : {1, 2}) {
        EXPECT_NEAR(gap([&](Clip& c) {
                        store(c.joints[at(joint)], 10, {{0, 0, 0.2}, {}, kOne});
                    }).distance_m,
                    0.2, 1e-6);
        EXPECT_NEAR(gap([&](Clip& c) {
                        store(c.joints[at(joint)], 10, {{}, turn(kX, 20), kOne});
                    }).angle_rad,
                    20 * std::numbers::pi / 180, 1e-5);
        for (const Vec3 s : {Vec3{1.1, 1, 1}, {1, 1.1, 1}, {1, 1, 1.1}})
            EXPECT_NEAR(gap([&](Clip& c) {
                            store(c.joints[at(joint)], 10, {{}, {}, s});
                        }).scale,
                        0.1, 1e-6);
    }
    EXPECT_EQ(gap([](Clip& c) {
                  store(c.joints[0], 10, {{9, 9, 9}, {}, kOne});
              }).distance_m,
              0)
        << "the root may go";
    EXPECT_NEAR(gap([](Clip& c) { c.morphs[0].weights[21] = 0.8F; }).weight, 0.3, 1e-6);
    EXPECT_NEAR(gap([](Clip& c) { c.scalars[0].values[10] = 5; }).scalar, 0.25, 1e-6);
    // There and back, with a corner at the seam alone: 1 m/s one way, then the other.
    const LoopGap corner = gap([](Clip& c) {
        for (int k = 0; k <= 10; ++k) {
            const double u = k / 10.0;
            store(c.joints[1], k, {{u * (1 - u), 0, 0}, {}, kOne});
        }
    });
    EXPECT_NEAR(corner.speed_m_s, 1.8, 1e-4);  // of chords: 0.9 each way
    EXPECT_NEAR(corner.usual_speed_m_s, 0.2, 1e-4);
}

TEST(MadeTest, DriftIsMeasuredUpAndDownAndOnTheWay) {
    const Skeleton skeleton =
        Skeleton::make({{"root", -1, {}}, {"hips", 0, {{0, 1, 0}, {}, kOne}}}).value();
    Clip clip;
    clip.rate = {10, 1};
    clip.samples = 11;
    clip.joints = make_tracks(2, 11);
    for (int k = 0; k < 11; ++k)
        store(clip.joints[1], k,
              {{std::sin(k * std::numbers::pi / 10), 1 - 0.05 * k, 0}, {}, kOne});
    const HipsDrift drift = hips_drift(clip, skeleton, 1);
    EXPECT_NEAR(drift.ground_m, 0, 1e-6);
    EXPECT_NEAR(drift.farthest_m, 1, 1e-6);
    EXPECT_NEAR(drift.climb_m, 0.5, 1e-6) << "down is a climb, too";
    extract_travel(clip, skeleton, 1, {true, true, false});
    EXPECT_NEAR(clip.travel.speed_m_s, clip.travel.path_m / 1.0, 1e-9);
    EXPECT_GT(clip.travel.path_m, 1.9) << "there and back";
    EXPECT_NEAR(clip.travel.distance_m, 0, 1e-6);
    EXPECT_NEAR(local_at(clip.joints[0], 0).t.y, 0, 1e-6) << "from the height of its first sample";
    EXPECT_NEAR(local_at(clip.joints[0], 10).t.y, -0.5, 1e-6);
    EXPECT_EQ(clip.travel.heading_change_rad, 0) << "not asked for";
}

TEST(MadeTest, RangesAreCutAndFitted) {
    const auto plan = [](std::int64_t first, std::int64_t last, bool loop, FrameRate target) {
        Range range;
        range.name = "r";
        range.where = "r";
        range.first = first, range.last = last, range.play = loop ? Play::kLoop : Play::kOnce;
        return plan_range(range, 10, 100, {24, 1}, target);
    };
    EXPECT_THAT(plan(9, 50, false, {24, 1}), FailsWith(Code::kRangeOutside, "range = [10, 50]"));
    EXPECT_THAT(plan(10, 101, false, {24, 1}), FailsWith(Code::kRangeOutside, "[10, 100]"));
    EXPECT_EQ(plan(10, 100, false, {24, 1}).value().plan.samples, 91);
    // 21 frames of 24 are 26.25 of 30: 28 samples, the last one held; 20 frames are 25.
    const auto held = plan(10, 31, false, {30, 1});
    ASSERT_THAT(held, IsOk());
    EXPECT_EQ(held.value().plan.samples, 28);
    ASSERT_EQ(held.value().findings.size(), 1U);
    EXPECT_EQ(held.value().findings[0].severity, Severity::kWarning);
    EXPECT_EQ(held.value().findings[0].code, Code::kRangeOffGrid);
    EXPECT_NE(held.value().findings[0].remedy.find("range = [10, 30]"), std::string::npos)
        << held.value().findings[0].remedy;
    EXPECT_THAT(plan(10, 31, true, {30, 1}), FailsWith(Code::kRangeOffGrid, "target rate of 24"));
    EXPECT_EQ(plan(10, 30, true, {30, 1}).value().plan.samples, 26);
}

}  // namespace
}  // namespace mellow::baked_scenes_test
