// Names and the scenes that are written: prefixes, bind matrices, what is left out.
#include <cmath>

#include "mellow/bake.h"
#include "mellow/fit.h"
#include "mellow/pose.h"
#include "support.h"

namespace mellow {
namespace {

using namespace test;
using test::difference;

TEST(NamesTest, ThePrefixGoesFromEverything) {
    Scene scene = chain_scene(2, 1);
    scene.nodes[0].name = "orchard:hips";
    scene.nodes[1].name = "other:hips";
    scene.materials.push_back({"orchard:cloth", {}, kNone, {}});
    scene.timelines.push_back({"orchard:day", {}, {}, {}, {}});
    const auto stripped = strip_prefix(scene, "orchard:", {0, 1});
    ASSERT_THAT(stripped, IsOk());
    EXPECT_EQ(stripped.value(), 3);
    EXPECT_EQ(scene.nodes[0].name, "hips");
    EXPECT_EQ(scene.nodes[1].name, "other:hips");
    EXPECT_EQ(scene.timelines[0].name, "day");
}

TEST(NamesTest, AClashStopsAndChangesNothing) {
    Scene scene = chain_scene(2, 1);
    scene.nodes[0].name = "orchard:hips";
    scene.nodes[1].name = "hips";
    EXPECT_THAT(strip_prefix(scene, "orchard:", {0, 1}),
                FailsWith(Code::kNameClash, "\"orchard:hips\" and \"hips\""));
    EXPECT_EQ(scene.nodes[0].name, "orchard:hips");
    // A helper of that name does not matter: it is not written.
    EXPECT_THAT(strip_prefix(scene, "orchard:", {0}), IsOk());
}

TEST(NamesTest, ANameThatIsOnlyThePrefixStays) {
    Scene scene = chain_scene(1, 1);
    scene.nodes[0].name = "orchard:";
    EXPECT_EQ(strip_prefix(scene, "orchard:", {0}).value(), 0);
    EXPECT_EQ(scene.nodes[0].name, "orchard:");
}

/// Two joints below a scaled and turned armature, and a mesh bound in the armature's numbers.
Scene bound_scene() {
    Scene scene = chain_scene(3, 100);
    scene.nodes[0].local = {{}, from_axis_angle({1, 0, 0}, -M_PI / 2), {0.01, 0.01, 0.01}};
    scene.nodes[1].local.t = {0, 0, 0};
    scene.nodes[2].local.t = {0, 0, 100};
    Node body;
    body.name = "body";
    body.mesh = 0;
    body.skin = 0;
    scene.nodes.push_back(body);
    scene.roots.push_back(3);
    Skin skin;
    skin.joints = {1, 2};
    skin.inverse_binds = {Affine{}, Affine{}};
    skin.inverse_binds[1].o = {0, 0, -100};
    scene.skins.push_back(skin);
    Primitive part;
    part.positions = {{0, 0, 0}, {0, 0, 100}, {0, -10, 170}};
    part.normals = {{0, -1, 0}, {0, -1, 0}, {0, -1, 0}};
    part.influences_per_vertex = 4;
    part.influence_joints = {0, 0, 0, 0, 0, 1, 0, 0, 1, 0, 0, 0};
    part.influence_weights = {1, 0, 0, 0, 0.5F, 0.5F, 0, 0, 1, 0, 0, 0};
    part.targets.push_back({{{0, 0, 0}, {0, 0, 0}, {0, -5, 0}}, {}, {}, {}});
    Mesh mesh;
    mesh.name = "body";
    mesh.target_names = {"out"};
    mesh.primitives.push_back(part);
    scene.meshes.push_back(mesh);
    return scene;
}

TEST(AssembleTest, AMeshBoundBelowAScaledArmatureComesOutInMetres) {
    const Scene scene = bound_scene();
    const auto chosen = choose_joints(scene, {}).value();
    const Assembled out = assemble_skin(scene, chosen.skeleton, chosen.sources);
    ASSERT_EQ(out.scene.meshes.size(), 1U);
    const Primitive& part = out.scene.meshes[0].primitives[0];
    // Centimetres with +Z up become metres with +Y up: (0, -10, 170) -> (0, 1.7, 0.1).
    EXPECT_NEAR(part.positions[2][1], 1.7, 1e-6);
    EXPECT_NEAR(part.positions[2][2], 0.1, 1e-6);
    EXPECT_NEAR(part.normals[0][2], 1, 1e-6);
    EXPECT_NEAR(part.targets[0].positions[2][2], 0.05, 1e-6);
    // No node with a scale or a turn above the joints is left.
    EXPECT_EQ(out.scene.nodes[0].parent, kNone);
    EXPECT_NEAR(out.scene.nodes[0].local.s.x, 1, 1e-9);
    const auto rest = rest_worlds(out.scene);
    for (std::size_t j = 0; j < 2; ++j)
        EXPECT_LT(difference(rest[j] * out.scene.skins[0].inverse_binds[j], Affine{}), 1e-6);
    const auto before = posed_vertices(scene, 3, scene.meshes[0].primitives[0], rest_pose(scene));
    const auto after =
        posed_vertices(out.scene, find_node(out.scene, "body"), part, rest_pose(out.scene));
    for (std::size_t v = 0; v < 3; ++v) EXPECT_LT(length(before[v] - after[v]), 1e-6);
}

TEST(AssembleTest, AMeshBoundInAnotherPoseKeepsItsOwnBinds) {
    Scene scene = bound_scene();
    scene.nodes[2].local.r = from_axis_angle({1, 0, 0}, 0.4);  // rest is not where it was bound
    const auto chosen = choose_joints(scene, {}).value();
    const Assembled out = assemble_skin(scene, chosen.skeleton, chosen.sources);
    EXPECT_EQ(out.scene.meshes[0].primitives[0].positions[2], (Float3{0, -10, 170}));
    const auto before = posed_vertices(scene, 3, scene.meshes[0].primitives[0], rest_pose(scene));
    const auto after = posed_vertices(out.scene, find_node(out.scene, "body"),
                                      out.scene.meshes[0].primitives[0], rest_pose(out.scene));
    for (std::size_t v = 0; v < 3; ++v) EXPECT_LT(length(before[v] - after[v]), 1e-6);
}

TEST(AssembleTest, SkinsThatListTheirJointsInOtherOrdersBecomeOne) {
    Scene scene = bound_scene();
    Skin reversed = scene.skins[0];
    std::swap(reversed.joints[0], reversed.joints[1]);
    std::swap(reversed.inverse_binds[0], reversed.inverse_binds[1]);
    scene.skins.push_back(reversed);
    Mesh coat = scene.meshes[0];
    for (std::uint16_t& joint : coat.primitives[0].influence_joints)
        joint = joint == 0 ? std::uint16_t{1} : std::uint16_t{0};
    scene.meshes.push_back(coat);
    Node node = scene.nodes[3];
    node.name = "coat";
    node.mesh = node.skin = 1;
    scene.nodes.push_back(node);
    const auto chosen = choose_joints(scene, {}).value();
    const Assembled out = assemble_skin(scene, chosen.skeleton, chosen.sources);
    EXPECT_EQ(out.scene.skins.size(), 1U);
    Pose bent = rest_pose(out.scene);
    bent.worlds[1] = bent.worlds[1] * to_affine({{}, from_axis_angle({1, 0, 0}, 0.8), {1, 1, 1}});
    const auto body = posed_vertices(out.scene, find_node(out.scene, "body"),
                                     out.scene.meshes[0].primitives[0], bent);
    const auto worn = posed_vertices(out.scene, find_node(out.scene, "coat"),
                                     out.scene.meshes[1].primitives[0], bent);
    for (std::size_t v = 0; v < body.size(); ++v) EXPECT_LT(length(body[v] - worn[v]), 1e-6);
    EXPECT_GT(length(body[2] - posed_vertices(out.scene, find_node(out.scene, "body"),
                                              out.scene.meshes[0].primitives[0],
                                              rest_pose(out.scene))[2]),
              0.1);
}

TEST(AssembleTest, AMeshWithoutSkinBecomesASkinOfOneJoint) {
    Scene scene = bound_scene();
    Node loose;
    loose.name = "basket";
    loose.mesh = 0;
    loose.parent = 2;
    loose.local = {{3, 4, 5}, from_axis_angle({0, 1, 0}, 0.5), {1, 2, 1}};
    scene.nodes.push_back(loose);
    const auto chosen = choose_joints(scene, {}).value();
    const Assembled out = assemble_skin(scene, chosen.skeleton, chosen.sources);
    const int basket = find_node(out.scene, "basket");
    ASSERT_NE(basket, kNone);
    ASSERT_EQ(out.findings.size(), 1U);
    EXPECT_EQ(out.findings[0].code, Code::kRigidSkin);
    // All weight on the joint it hangs on (n2, the skeleton's second), all vertices where they
    // were.
    const Node& node = out.scene.nodes[static_cast<std::size_t>(basket)];
    const Primitive& part = out.scene.meshes[static_cast<std::size_t>(node.mesh)].primitives[0];
    EXPECT_EQ(part.influence_joints[0], 1);
    EXPECT_EQ(part.influence_weights[0], 1);
    const auto before = posed_vertices(scene, 4, scene.meshes[0].primitives[0], rest_pose(scene));
    const auto after = posed_vertices(out.scene, basket, part, rest_pose(out.scene));
    ASSERT_EQ(before.size(), after.size());
    for (std::size_t v = 0; v < before.size(); ++v) EXPECT_LT(length(before[v] - after[v]), 1e-6);
}

TEST(AssembleTest, AClipHoldsJointsOnlyAndScaleOnlyWhereItIsUsed) {
    const Scene scene = chain_scene(3, 1);
    const auto chosen = choose_joints(scene, {}).value();
    Clip clip;
    clip.name = "walk";
    clip.rate = {30, 1};
    clip.samples = 3;
    clip.joints = make_tracks(3, 3);
    store(clip.joints[2], 1, {{0, 1, 0}, {}, {1, 2, 1}});
    clip.morphs.push_back({"body", {"smile"}, {0, 0.5F, 1}});
    const Scene out = assemble_clip(chosen.skeleton, clip, R"({"loop":"once"})");
    EXPECT_TRUE(out.meshes.empty());
    EXPECT_TRUE(out.skins.empty());
    EXPECT_TRUE(out.images.empty());
    ASSERT_EQ(out.timelines.size(), 1U);
    EXPECT_EQ(out.timelines[0].name, "walk");
    int scales = 0;
    for (const Channel& c : out.timelines[0].channels) {
        EXPECT_EQ(c.curve.times, (std::vector<double>{0, 1 / 30.0, 2 / 30.0}));
        scales += c.path == Path::kScale ? 1 : 0;
    }
    EXPECT_EQ(scales, 1);
    EXPECT_EQ(out.timelines[0].channels.size(), 7U);
    ASSERT_EQ(out.timelines[0].morphs.size(), 1U);
    EXPECT_EQ(out.timelines[0].morphs[0].curve.values, (std::vector<double>{0, 0.5, 1}));
}

}  // namespace
}  // namespace mellow
