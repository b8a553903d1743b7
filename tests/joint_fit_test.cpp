// Meshes, joints and lists of joints as a target wants them.
#include "mellow/fit.h"
#include "recipe/clip_names.h"
#include "recipe/target_table.h"
#include "rig/chain_curve.h"
#include "small_figure.h"

namespace mellow::joint_fit_test {
namespace {

using namespace test;
using namespace testing;
namespace fs = std::filesystem;

TEST(FittedTest, RigidMeshesTakeTheirMorphsAlong) {
    Scene scene = test::chain_scene(2, 1);
    Primitive part;
    part.positions = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}};
    part.targets.resize(2);
    scene.meshes.push_back({"lid", {part}, {"open", "shut"}, {}, "", ""});
    scene.nodes[1].mesh = 0;
    scene.nodes[1].morph_weights = {0.25, 0.5};
    scene.timelines.push_back({"t", {}, {}, {}, {}});
    scene.timelines[0].channels = {
        {1, Path::kWeights, {Interpolation::kLinear, 2, {0, 1}, {0, 0, 1, 1}}},
        {1, Path::kTranslation, {Interpolation::kLinear, 3, {0, 1}, {0, 1, 0, 0, 2, 0}}}};
    split_rigid_meshes(scene);
    ASSERT_EQ(scene.nodes.size(), 3U);
    EXPECT_EQ(scene.nodes[1].mesh, kNone);
    EXPECT_EQ(scene.nodes[2].mesh, 0);
    EXPECT_EQ(scene.nodes[2].parent, 1);
    EXPECT_THAT(scene.nodes[2].morph_weights, ElementsAre(0.25, 0.5));
    EXPECT_EQ(scene.timelines[0].channels[0].node, 2);
    EXPECT_EQ(scene.timelines[0].channels[1].node, 1);
}

TEST(FittedTest, WhatRestsWithoutSizeGetsOneAndKeepsItsKeys) {
    Scene scene = test::chain_scene(3, 1);
    scene.nodes[1].local.s = {0, 2, 3};
    scene.nodes[2].local.s = {0, 0, 0};
    scene.timelines.push_back({"t", {}, {}, {}, {}});
    scene.timelines[0].channels.push_back(
        {2, Path::kScale, {Interpolation::kLinear, 3, {0, 1}, {0, 0, 0, 1, 1, 1}}});
    const Findings said = restore_zero_scales(scene);
    ASSERT_EQ(said.size(), 1U);
    EXPECT_EQ(scene.nodes[1].local.s, (Vec3{1, 2, 3}));
    EXPECT_EQ(scene.nodes[2].local.s, (Vec3{1, 1, 1}));
    ASSERT_EQ(scene.timelines[0].channels.size(), 2U) << "n2 has its keys";
    const Channel& flat = scene.timelines[0].channels[1];
    EXPECT_EQ(flat.node, 1);
    EXPECT_EQ(flat.curve.values, (std::vector<double>{0, 2, 3})) << "as small as it was";
}

TEST(FittedTest, JointListsKnowCommentsBrothersAndNumbers) {
    const auto list = parse_joint_list(
        "# a list\nroot 0 1 -2.5   # of the yard\n  arm left 1 2 3\n  leg nan 0 0\n", "j.txt");
    ASSERT_THAT(list, IsOk());
    const auto& joints = list.value().joints;
    ASSERT_EQ(joints.size(), 3U);
    EXPECT_EQ(joints[0].name, "root");
    EXPECT_EQ(joints[0].place, (Vec3{0, 1, -2.5}));
    EXPECT_EQ(joints[1].name, "arm left");
    EXPECT_EQ(joints[2].name, "leg nan 0 0") << "nan is no number here";
    EXPECT_EQ(joints[1].parent, 0);
    EXPECT_EQ(joints[2].parent, 0) << "brothers stand below each other";
    EXPECT_THAT(parse_joint_list("a\n    b\n  c\n", "j.txt"),
                FailsWith(Code::kValueBad, "j.txt:3"));
}

}  // namespace
}  // namespace mellow::joint_fit_test
