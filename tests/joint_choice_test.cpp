// What becomes a joint, rigid machines, simplified skins, and recipes that choose.
#include <cmath>
#include <numbers>
#include <set>

#include "base/at.h"
#include "mellow/bake.h"
#include "mellow/fit.h"
#include "mellow/pose.h"
#include "mellow/read.h"
#include "mellow/write.h"
#include "packing.h"
#include "rigs.h"

namespace mellow {
namespace {

using std::numbers::pi;
using namespace test;

std::vector<std::string> names(const Skeleton& skeleton) {
    std::vector<std::string> out;
    for (const Joint& joint : skeleton.joints()) out.push_back(joint.name);
    return out;
}
using NameList = std::vector<std::string>;

/// A triangle on every node named.
void give_meshes(Scene& scene, const std::vector<int>& nodes) {
    for (const int n : nodes) {
        Mesh mesh;
        mesh.primitives.emplace_back();
        mesh.primitives[0].positions = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}};
        scene.nodes[at(n)].mesh = static_cast<int>(scene.meshes.size());
        scene.meshes.push_back(mesh);
    }
}

/// n0 .. n4 in a row, all joints of one skin; weight on n1 and n2 only.
Scene skinned() {
    Scene scene = chain_scene(5, 1);
    Skin skin;
    skin.joints = {0, 1, 2, 3, 4};
    for (const Affine& world : rest_worlds(scene)) skin.inverse_binds.push_back(inverse(world));
    scene.skins.push_back(skin);
    const int body = add_node(scene, "body", kNone, {});
    give_meshes(scene, {body});
    scene.nodes[at(body)].skin = 0;
    Primitive& part = scene.meshes[0].primitives[0];
    part.influences_per_vertex = 4;
    part.influence_joints = {1, 2, 0, 0, 1, 2, 3, 4, 2, 0, 0, 0};
    part.influence_weights = {0.5F, 0.5F, 0, 0, 0.4F, 0.3F, 0.2F, 0.1F, 1, 0, 0, 0};
    return scene;
}

NameList chosen(const Scene& scene, const JointChoice& choice,
                const std::vector<int>& driven = {}) {
    auto result = choose_joints(scene, choice, driven);
    EXPECT_THAT(result, IsOk());
    return result ? names(result.value().skeleton) : NameList{};
}

TEST(JointChoiceTest, ListsPatternsSubtreesAndTips) {
    Scene scene = skinned();
    EXPECT_EQ(chosen(scene, {}), (NameList{"n0", "n1", "n2", "n3", "n4"}));
    scene.meshes[0].primitives[0].influence_weights[6] = 0;            // of n3
    scene.meshes[0].primitives[0].influence_weights[7] = 0;            // of n4
    EXPECT_EQ(chosen(scene, {}), (NameList{"n0", "n1", "n2", "n3"}));  // n4 is a tip
    JointChoice choice;
    choice.keep_tips = true;
    EXPECT_EQ(chosen(scene, choice).size(), 5U);
    choice = {};
    choice.keep = parse_mask({"n4"});
    EXPECT_EQ(chosen(scene, choice).size(), 5U);
    choice = {};
    choice.only = parse_mask({"below:n3", "n1"});
    EXPECT_EQ(chosen(scene, choice), (NameList{"n1", "n3", "n4"}));
    choice.drop = parse_mask({"*4"});
    EXPECT_EQ(chosen(scene, choice), (NameList{"n1", "n3"}));
    choice.keep_helpers = true;
    EXPECT_EQ(chosen(scene, choice), (NameList{"n0", "n1", "n2", "n3"}));
}

TEST(JointChoiceTest, WhatHangsOnATipKeepsIt) {
    Scene scene = skinned();
    for (const std::size_t i : {6U, 7U}) scene.meshes[0].primitives[0].influence_weights[i] = 0;
    const int prop = add_node(scene, "lantern", 4, {});
    give_meshes(scene, {prop});
    EXPECT_EQ(chosen(scene, {}).size(), 5U);
    Scene filmed = skinned();
    for (const std::size_t i : {6U, 7U}) filmed.meshes[0].primitives[0].influence_weights[i] = 0;
    const int camera = add_node(filmed, "camera", 4, {});
    filmed.nodes[at(camera)].camera = 0;
    EXPECT_EQ(chosen(filmed, {}), (NameList{"n0", "n1", "n2", "n3", "n4", "camera"}));
}

TEST(JointChoiceTest, RigidPartsThatMoveBecomeJoints) {
    // ground (still) ; helper (keyed) > wheel, bolt ; lever (driven by a rule)
    Scene scene;
    const int ground = add_node(scene, "ground", kNone, {});
    const int helper = add_node(scene, "helper", kNone, {});
    const int wheel = add_node(scene, "wheel", helper, {});
    const int bolt = add_node(scene, "bolt", wheel, {});
    const int lever = add_node(scene, "lever", ground, {});
    give_meshes(scene, {ground, wheel, bolt, lever});
    key_turn(scene, helper, {}, from_axis_angle({1, 0, 0}, 1));
    EXPECT_EQ(chosen(scene, {}), (NameList{"wheel", "bolt"}));
    EXPECT_EQ(chosen(scene, {}, {lever}), (NameList{"lever", "wheel", "bolt"}));
    // What morphs where it stands moves no joint.
    Scene morphs = scene;
    morphs.timelines.at(0).channels.push_back(
        {ground, Path::kWeights, {Interpolation::kLinear, 1, {0, 1}, {0, 1}}});
    EXPECT_EQ(chosen(morphs, {}), (NameList{"wheel", "bolt"}));
    split_rigid_meshes(scene);
    EXPECT_EQ(chosen(scene, {}), (NameList{"wheel", "bolt"}));
    EXPECT_EQ(scene.nodes[at(find_node(scene, "wheel.mesh"))].parent, wheel);
}

TEST(SimplifyTest, WeightsOfRemovedJointsGoToTheJointAbove) {
    Scene scene = skinned();
    const Scene before = scene;
    JointChoice choice;
    choice.only = parse_mask({"n0", "n1"});
    const auto kept = choose_joints(scene, choice).value();
    const Findings said = simplify_skins(scene, kept.sources, 0).findings;
    ASSERT_EQ(said.size(), 1U);
    EXPECT_EQ(said[0].code, Code::kSkinRemoved);
    EXPECT_NE(said[0].found.find("n2 to n1"), std::string::npos);
    // At rest nothing moves; afterwards all vertices go with n1.
    const Primitive& part = scene.meshes[0].primitives[0];
    const auto rest = posed_vertices(scene, 5, part, rest_pose(scene)),
               was = posed_vertices(before, 5, before.meshes[0].primitives[0], rest_pose(before));
    for (std::size_t v = 0; v < 3; ++v) EXPECT_LT(length(rest[v] - was[v]), 1e-6);
    Scene bent = scene;
    bent.nodes[2].local.r = from_axis_angle({1, 0, 0}, 1);
    const auto unmoved = posed_vertices(bent, 5, part, rest_pose(bent));
    for (std::size_t v = 0; v < 3; ++v) EXPECT_LT(length(unmoved[v] - rest[v]), 1e-6);
}

TEST(SimplifyTest, TheLargestInfluencesStayAndSumToOne) {
    Scene scene = skinned();
    const auto kept = choose_joints(scene, {}).value();
    const Findings said = simplify_skins(scene, kept.sources, 2).findings;
    ASSERT_EQ(said.size(), 1U);
    EXPECT_EQ(said[0].code, Code::kInfluences);
    EXPECT_NE(said[0].found.find("1 of 3 vertices"), std::string::npos);
    const Primitive& part = scene.meshes[0].primitives[0];
    EXPECT_EQ(part.influence_joints[4], 1);
    EXPECT_NEAR(part.influence_weights[4], 0.4 / 0.7, 1e-6);
    EXPECT_NEAR(part.influence_weights[5], 0.3 / 0.7, 1e-6);
    EXPECT_EQ(part.influence_weights[6], 0);
}

// ----------------------------------------------------------------------------------- the press

const PackReport& press() {
    static const TempFolder folder;
    static const PackReport report = [] {
        test::write_files(folder.path(), test::press());
        auto packed = pack_text(folder, orchard::kPressRecipe);
        EXPECT_THAT(packed, IsOk());
        return std::move(packed).value();
    }();
    return report;
}

TEST(PressTest, WheelsRollTheWayTheyGoOrItIsSaid) {
    const std::vector<WheelMotion>& wheels = press().clips[0].motion_check.wheels;
    ASSERT_EQ(wheels.size(), 4U);
    for (const WheelMotion& wheel : wheels) {
        EXPECT_GT(wheel.moving, 20) << wheel.joint;
        EXPECT_EQ(wheel.against, 0) << wheel.joint;
        EXPECT_NEAR(wheel.radius_m, 0.2, 1e-3) << wheel.joint << ", as its rule says";
    }
    EXPECT_EQ(of_code(press(), Code::kWheelTurn).size(), 0U);
    const TempFolder folder;
    test::write_files(folder.path(), test::press());
    test::write_text(folder / "press.rig.toml",
                     test::change(test::read_text(folder / "press.rig.toml"), "up = \"+Y\"\nradius",
                                  "up = \"-Y\"\nradius"));
    const auto wrong = pack_text(folder, orchard::kPressRecipe);
    ASSERT_THAT(wrong, IsOk());
    const Findings said = of_code(wrong.value(), Code::kWheelTurn);
    ASSERT_EQ(said.size(), 2U) << "in and out again";
    EXPECT_NE(said[0].found.find("wheel_front.L"), std::string::npos) << said[0].found;
    EXPECT_THAT(
        pack_text(folder, std::string(orchard::kPressRecipe) + "\n[motion]\nwheels = [\"weel\"]\n",
                  true),
        FailsWith(Code::kNameUnknown, "weel"));
}

TEST(PressTest, ZeroScalesAreSaidAndASinglePoseNeedNotMove) {
    const Findings zero = of_code(press(), Code::kZeroScale);
    ASSERT_EQ(zero.size(), 4U);  // the rest pose and three clips
    EXPECT_NE(zero[0].found.find("apple_1"), std::string::npos);
    const PackedClip& pose = press().clips.back();
    EXPECT_EQ(pose.clip.name, "full_pressure");
    EXPECT_EQ(pose.clip.samples, 1);
    EXPECT_EQ(pose.proof.moving_joints, 0);
}

TEST(PressTest, ShearIsToldInMillimetresAtTheSkin) {
    // The plate hangs on its lift, turned by 30 degrees, and the lift is squeezed: the plate's own
    // matrix shears, a joint cannot, and the rim of the plate shows it.
    Scene scene = orchard::press_scene();
    scene.nodes[at(find_node(scene, "plate"))].local.r = from_axis_angle({0, 0, 1}, pi / 6);
    key(scene, find_node(scene, "screw_lift"), Path::kScale, {1, 1, 1}, {1, 1.02, 1}, 6);
    std::vector<orchard::File> files = test::press();
    files[0].bytes = write_glb(scene);
    const TempFolder folder;
    test::write_files(folder.path(), files);
    const auto packed = pack_text(folder, orchard::kPressRecipe);
    ASSERT_THAT(packed, IsOk());
    EXPECT_FALSE(packed.value().proven);  // more than the tolerance of 0.05 mm
    const Findings shear = of_code(packed.value(), Code::kShear);
    ASSERT_FALSE(shear.empty());
    EXPECT_NE(shear.back().found.find("plate"), std::string::npos);
    EXPECT_NE(shear.back().found.find(" mm, at plate.mesh"), std::string::npos);
    const Deviation& skin = packed.value().clips[2].proof.vertex_mm;
    EXPECT_GT(skin.worst, 0.5);
    EXPECT_LT(skin.worst, 27 * 10 * 0.02);  // less than the rim moves at all
    EXPECT_LT(packed.value().clips[2].proof.position_mm.worst, 0.001);
}

TEST(PressTest, AMeshThatOnlyMorphsHangsOnTheRoot) {
    Scene scene;
    scene.rate = {10, 1};
    const int cube = add_node(scene, "cube", kNone, {{0, 1, 0}, {}, {1, 1, 1}});
    give_meshes(scene, {cube});
    scene.meshes[0].target_names = {"wide"};
    scene.meshes[0].primitives[0].targets.push_back(
        {{{0, 0, 0}, {1, 0, 0}, {0, 0, 0}}, {}, {}, {}});
    key(scene, cube, Path::kWeights, {0}, {1});
    const TempFolder folder;
    write_text(folder / "cube.glb", [&] {
        const auto bytes = write_glb(scene);
        return std::string(bytes.begin(), bytes.end());
    }());
    const auto packed =
        pack_text(folder,
                  "[source]\nfile = \"cube.glb\"\nrate = 10\n[[timelines]]\n[output]\n"
                  "folder = \"out\"\nname = \"cube\"\npicture = false\n");
    ASSERT_THAT(packed, IsOk());
    EXPECT_TRUE(packed.value().proven);
    EXPECT_EQ(packed.value().joints, std::vector<std::string>{"root"});
    EXPECT_EQ(packed.value().clips[0].clip.name, "cube");  // the timeline has no name of its own
    EXPECT_EQ(packed.value().clips[0].proof.moving_morphs, 1);
    EXPECT_LT(packed.value().clips[0].proof.vertex_mm.worst, 0.001);
}

/// The press, baked: the turns of a joint about Y, without its jumps from a full turn to none.
TEST(PressTest, TheScrewTurnsSixAndAHalfTimesAndSinks) {
    Scene scene = orchard::press_scene();
    const RigSheet sheet = parse_rig_sheet(orchard::kPressRig, "press.rig.toml").value();
    const Rig rig = Rig::bind(scene, 0, sheet).value();
    const auto kept = choose_joints(scene, {}, rig.driven_nodes()).value();
    const SamplePlan plan{"all", 44, 110, {24, 1}, {96, 1}, 265, false};
    const Clip clip = bake(take_of(scene, rig.source(), kept.skeleton, kept.sources), plan).clip;
    const JointTrack& screw = clip.joints[at(kept.skeleton.find("screw"))];
    double turned = 0;
    for (int k = 1; k < clip.samples; ++k)
        turned +=
            twist_angle(local_at(screw, k).r * conjugate(local_at(screw, k - 1).r), {0, 1, 0});
    EXPECT_NEAR(turned, -6.5 * 2 * pi, 1e-4);
    EXPECT_NEAR(local_at(screw, 264).t.y - local_at(screw, 0).t.y, -6.5 * 0.056, 1e-6);
}

TEST(PressTest, MotionAboveTheArmatureIsFoldedIn) {
    // The armature itself is carried and turned; the joints must go with it.
    Scene scene = skinned();
    const int cart = add_node(scene, "cart", kNone, {{0, 0, 0}, {}, {1, 1, 1}});
    scene.nodes[0].parent = cart;
    std::erase(scene.roots, 0);
    scene.skins[0].joints = {1, 2, 3, 4};
    scene.skins[0].inverse_binds.resize(4);
    for (std::uint16_t& joint : scene.meshes[0].primitives[0].influence_joints) joint = 0;
    key(scene, cart, Path::kTranslation, {0, 0, 0}, {4, 0, 3});
    key_turn(scene, 0, {}, from_axis_angle({0, 1, 0}, 1));
    JointChoice all;
    all.keep_tips = true;
    const auto kept = choose_joints(scene, all).value();
    const Rig rig = Rig::bind(scene, 0, {}).value();
    const Clip clip = bake(take_of(scene, rig.source(), kept.skeleton, kept.sources),
                           {"c", 0, 1, {1, 1}, {1, 1}, 2, false})
                          .clip;
    EXPECT_LT(length(local_at(clip.joints[0], 1).t - Vec3{4, 1, 3}), 1e-6);
    EXPECT_NEAR(angle_between(local_at(clip.joints[0], 1).r, from_axis_angle({0, 1, 0}, 1)), 0,
                1e-6);
}

// -------------------------------------------------------------------------------- the camera

/// The clip "squeeze" of the press, read back from disk and taken inside.
Scene squeeze() {
    const auto path = press().folder / "clips/squeeze.glb";
    Scene scene = read_scene(path).value().scene;
    scene.convention = *find_preset("z-up-centimetre");
    to_inside(scene);
    return scene;
}

TEST(CameraTest, ItsJointHangsOnTheRootAndLooksAlongTheChosenAxis) {
    const Scene clip = squeeze();
    const int joint = find_node(clip, "yard_camera");
    ASSERT_NE(joint, kNone);
    EXPECT_EQ(clip.nodes[at(clip.nodes[at(joint)].parent)].name, "press");
    // The camera of the source looks along its own -Z with +Y up; the joint along the target's +X,
    // which inside is +X too, with the target's +Z up, which inside is +Y.
    Scene source = orchard::press_scene();
    const int lens = find_node(source, "yard_camera");
    for (const int k : {0, 17, 45, 90}) {
        const double second = 2 + k / 30.0;
        const Pose wanted = pose_at(source, source.timelines[0], second);
        const Pose got = pose_at(clip, clip.timelines[0], k / 30.0);
        const Affine camera = wanted.worlds[at(lens)], own = got.worlds[at(joint)];
        EXPECT_LT(length(own.o - camera.o), 1e-6);
        EXPECT_LT(length(own.x + camera.z), 1e-6) << k;
        EXPECT_LT(length(own.y - camera.y), 1e-6) << k;
    }
}

TEST(CameraTest, WhatIsSplitOffHasANameOfItsOwn) {
    Scene scene;
    test::add_node(scene, "eye", kNone, {});
    scene.nodes[0].camera = 0;
    CameraAxes axes;
    axes.aim = {1, 0, 0}, axes.up = {0, 0, 1};
    split_camera(scene, 0, axes);
    ASSERT_EQ(scene.nodes.size(), 2U);
    EXPECT_EQ(scene.nodes[1].name, "eye.view");
    EXPECT_EQ(scene.nodes[1].parent, 0);
    EXPECT_TRUE(scene.nodes[1].split_off);
    EXPECT_EQ(scene.nodes[0].camera, kNone);
    EXPECT_EQ(scene.nodes[1].camera, 0);
    const Vec3 aim = rotate(scene.nodes[1].local.r, axes.aim);
    EXPECT_LT(length(aim - Vec3{0, 0, -1}), 1e-12) << "where cameras look";
    split_camera(scene, 1, axes);
    EXPECT_EQ(scene.nodes.size(), 2U) << "once is enough";
}

TEST(CameraTest, TheFieldOfViewIsAChannelInTheDirectionAsked) {
    const Scene clip = squeeze();
    ASSERT_EQ(clip.timelines[0].scalars.size(), 2U);
    EXPECT_EQ(clip.timelines[0].scalars[0].name, "screw");
    EXPECT_EQ(clip.timelines[0].scalars[0].unit, "turns");
    const ScalarCurve& fov = clip.timelines[0].scalars[1];
    EXPECT_EQ(fov.name, "yard_camera.fov");
    EXPECT_EQ(fov.unit, "degrees horizontal");
    // Zoom goes smoothly from 40 to 26 degrees, vertical, over frames 44..96; the clip starts
    // at 48.
    for (const int k : {0, 20, 60}) {
        const double frame = 48 + k * 24 / 30.0, u = (frame - 44) / 52;
        const double vertical = 40 - 14 * (u * u * (3 - 2 * u));
        const double across = 2 * std::atan(std::tan(vertical * pi / 360) * 16 / 9) * 180 / pi;
        EXPECT_NEAR(fov.curve.values[at(k)], across, 2e-5) << k;
    }
    double worst = 0;
    for (const PackedClip& packed : press().clips)
        worst = std::max(worst, packed.proof.scalar.worst);
    EXPECT_LT(worst, 1e-6);
    EXPECT_GT(worst, 0);
}

TEST(CameraTest, WhatCannotBeIsRefused) {
    const TempFolder folder;
    test::write_files(folder.path(), test::press());
    const auto with = [&](const std::string& from, const std::string& to) {
        return pack_text(folder, change(orchard::kPressRecipe, from, to));
    };
    EXPECT_THAT(with("\"zoom\"", "\"room\""), FailsWith(Code::kNameUnknown, "room"));
    EXPECT_THAT(with("node = \"yard_camera\"", "node = \"yard\""),
                FailsWith(Code::kNameUnknown, "no camera fits"));
    EXPECT_THAT(with("up = \"+Z\"\nfov", "up = \"-X\"\nfov"),
                FailsWith(Code::kValueBad, "same line"));
    Scene scene = orchard::press_scene();
    scene.cameras[0] = "{\"type\":\"perspective\",\"perspective\":{\"yfov\":0.7,\"znear\":0.01}}";
    std::vector<orchard::File> files = test::press();
    files[0].bytes = write_glb(scene);
    test::write_files(folder.path(), files);
    EXPECT_THAT(pack_text(folder, orchard::kPressRecipe), FailsWith(Code::kKeyMissing, "aspect"));
}

// --------------------------------------------------------------------------- recipes that choose

struct TamsinFolder : TempFolder {
    TamsinFolder() { test::write_files(path(), test::tamsin()); }
};

}  // namespace
}  // namespace mellow
