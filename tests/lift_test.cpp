// Motion on joints put back onto controls: evaluated again it is the motion, or the error says so.
#include <cmath>
#include <nlohmann/json.hpp>
#include <numbers>

#include "mellow/bake.h"
#include "mellow/fit.h"
#include "mellow/lift.h"
#include "packing.h"
#include "plain_gltf.h"
#include "rigs.h"

namespace mellow {
namespace {

using std::numbers::pi;
using namespace test;

/// Tamsin inside, her sheet, and one of her performances as an engine has it.
struct Tamsin {
    Scene scene = orchard::tamsin_scene();
    RigSheet rules = parse_rig_sheet(orchard::kTamsinRig, "tamsin.rig.toml").value();
    Scene engine;

    explicit Tamsin(int first, int last, int samples) {
        scene.convention = {0.01, Axis::kPlusZ, Axis::kMinusY};
        convert(rules, Conversion(scene.convention, {}));
        to_inside(scene);
        const Rig rig = Rig::bind(scene, 0, rules).value();
        const auto joints = choose_joints(scene, {}).value();
        const SamplePlan plan{"p", first, last, {24, 1}, {30, 1}, samples, false};
        engine = assemble_clip(
            joints.skeleton,
            bake(take_of(scene, rig.source(), joints.skeleton, joints.sources), plan).clip, "");
    }
};

TEST(LiftTest, TamsinsWalkAndPickComeBack) {
    for (const auto& [first, last, samples] : {std::tuple{108, 132, 31}, {144, 240, 121}}) {
        const Tamsin t(first, last, samples);
        const auto lifted = lift(t.scene, t.rules, t.engine, 0);
        ASSERT_THAT(lifted, IsOk());
        EXPECT_EQ(lifted.value().samples, samples);
        EXPECT_EQ(lifted.value().controls.size(), 24U);
        EXPECT_TRUE(lifted.value().findings.empty());
        double worst = 0;
        for (const LiftError& e : lifted.value().errors) {
            // Rounding by 1e-8 m to single precision is 0.1 mm at the knee of a straight leg.
            const bool knee = e.joint.find("shin") != e.joint.npos;
            EXPECT_LT(e.worst_mm, knee ? 0.2 : 0.001) << e.joint;
            EXPECT_LT(e.worst_degrees, 0.03) << e.joint;
            worst = std::max(worst, e.worst_mm);
        }
        EXPECT_GT(worst, 0);
        EXPECT_EQ(lifted.value().errors.size(), 28U);
    }
}

TEST(LiftTest, MotionThatMovesNoJointIsRefused) {
    // Keys on a control alone, which moves the joints by rules only.
    const Tamsin t(108, 132, 31);
    Scene controls = t.scene;
    const int hips = find_node(controls, "orchard:hips_ctl");
    std::erase_if(controls.timelines[0].channels, [&](const auto& c) { return c.node != hips; });
    ASSERT_FALSE(controls.timelines[0].channels.empty());
    EXPECT_THAT(lift(t.scene, t.rules, controls, 0), FailsWith(Code::kNoMotion, "bake that first"));
}

TEST(LiftTest, AControlAboveCanBeKeyedInstead) {
    const Tamsin t(108, 132, 31);
    LiftOptions options;
    options.onto = {{"ankle_target.L", "foot_goal.L"}, {"ankle_target.R", "foot_goal.R"}};
    const auto lifted = lift(t.scene, t.rules, t.engine, 0, options);
    ASSERT_THAT(lifted, IsOk());
    const auto& controls = lifted.value().controls;
    EXPECT_NE(std::find(controls.begin(), controls.end(), "orchard:foot_goal.L"), controls.end());
    EXPECT_EQ(std::find(controls.begin(), controls.end(), "orchard:ankle_target.L"),
              controls.end());
    // The toes' controls hang below the foot goals, and are solved against them.
    for (const LiftError& e : lifted.value().errors) EXPECT_LT(e.worst_mm, 0.2) << e.joint;
    options.onto = {{"ankle_target.L", "hips_ctl"}};
    EXPECT_THAT(lift(t.scene, t.rules, t.engine, 0, options),
                FailsWith(Code::kValueBad, "not above"));
}

/// A limb with an aim above it, and a motion it was not made by.
TEST(LiftTest, WhatARigCannotDoIsMeasured) {
    Scene scene;
    add_node(scene, "a", kNone, {{}, from_axis_angle({1, 0, 0}, -0.2), {1, 1, 1}});
    add_node(scene, "b", 0, {{0, -3, 0}, from_axis_angle({1, 0, 0}, 0.4), {1, 1, 1}});
    add_node(scene, "c", 1, {{0, -4, 0}, {}, {1, 1, 1}});
    add_node(scene, "goal", kNone, {{0, -6, 0}, {}, {1, 1, 1}});
    add_node(scene, "pole", kNone, {{0, -3, 9}, {}, {1, 1, 1}});
    const RigSheet rules = sheet(
        "[[rule]]\nkind = \"limb\"\nstart = \"a\"\nmid = \"b\"\nend = \"c\"\ngoal = \"goal\"\npole "
        "= "
        "\"pole\"\n");
    Scene motion;
    for (std::size_t n = 0; n < 3; ++n) motion.nodes.push_back(scene.nodes[n]);
    motion.roots = {0};
    motion.rate = {10, 1};
    key_turn(motion, 1, from_axis_angle({1, 0, 0}, 0.4), from_axis_angle({1, 0, 0}, 1.4));
    const auto bend = lift(scene, rules, motion, 0);
    ASSERT_THAT(bend, IsOk());
    for (const LiftError& e : bend.value().errors) {
        EXPECT_LT(e.worst_mm, 1e-6);
        EXPECT_LT(e.worst_degrees, 1e-5);
    }
    // A knee that twists by 30 degrees about its own bone: no limb rule does that.
    key_turn(motion, 0, scene.nodes[0].local.r, scene.nodes[0].local.r);
    motion.timelines[0].channels[0].curve = Curve{Interpolation::kLinear, 4, {0, 1}, {}};
    const Quat from = from_axis_angle({1, 0, 0}, 0.4),
               to = from * from_axis_angle({0, 1, 0}, pi / 6);
    motion.timelines[0].channels[0].curve.values = {from.x, from.y, from.z, from.w,
                                                    to.x,   to.y,   to.z,   to.w};
    const auto twist = lift(scene, rules, motion, 0);
    ASSERT_THAT(twist, IsOk());
    EXPECT_NEAR(twist.value().errors[1].worst_degrees, 30, 0.01);
    EXPECT_LT(twist.value().errors[2].worst_degrees, 1e-5);  // the end takes the goal's turn
}

TEST(LiftTest, ALimbOfWhichOnlyAPartIsInTheMotionIsLeftAlone) {
    Scene scene;
    add_node(scene, "a", kNone, {{}, from_axis_angle({1, 0, 0}, -0.2), {1, 1, 1}});
    add_node(scene, "b", 0, {{0, -3, 0}, from_axis_angle({1, 0, 0}, 0.4), {1, 1, 1}});
    add_node(scene, "c", 1, {{0, -4, 0}, {}, {1, 1, 1}});
    add_node(scene, "goal", kNone, {{0, -6, 0}, {}, {1, 1, 1}});
    add_node(scene, "pole", kNone, {{0, -3, 9}, {}, {1, 1, 1}});
    add_node(scene, "hat", kNone, {{0, 9, 0}, {}, {1, 1, 1}});
    const RigSheet rules = sheet(
        "[[rule]]\nkind = \"limb\"\nstart = \"a\"\nmid = \"b\"\nend = \"c\"\ngoal = \"goal\"\npole "
        "= \"pole\"\n");
    for (const std::vector<int>& there : {std::vector{0, 1}, {0}, {1, 2}, {2}}) {
        Scene motion;
        for (const int n : there) {
            motion.nodes.push_back(scene.nodes[static_cast<std::size_t>(n)]);
            motion.nodes.back().parent = motion.nodes.size() > 1 ? 0 : kNone;
        }
        motion.nodes.push_back(scene.nodes[5]);
        motion.roots = {0, static_cast<int>(motion.nodes.size()) - 1};
        motion.rate = {10, 1};
        // The hat stays near, and then goes away: the worst is at its end.
        key(motion, motion.roots[1], Path::kTranslation, {0, 9, 0}, {0, 9, 3});
        const auto lifted = lift(scene, rules, motion, 0);
        ASSERT_THAT(lifted, IsOk());
        for (const std::string& control : lifted.value().controls) {
            EXPECT_NE(control, "goal");
            EXPECT_NE(control, "pole");
        }
    }
}

TEST(LiftTest, TheWorstSampleIsNamed) {
    // A limb that is asked to reach further and further than it can.
    Scene scene;
    add_node(scene, "a", kNone, {{}, from_axis_angle({1, 0, 0}, -0.2), {1, 1, 1}});
    add_node(scene, "b", 0, {{0, -3, 0}, from_axis_angle({1, 0, 0}, 0.4), {1, 1, 1}});
    add_node(scene, "c", 1, {{0, -4, 0}, {}, {1, 1, 1}});
    add_node(scene, "goal", kNone, {{0, -6, 0}, {}, {1, 1, 1}});
    add_node(scene, "pole", kNone, {{0, -3, 9}, {}, {1, 1, 1}});
    Scene motion;
    for (std::size_t n = 0; n < 3; ++n) motion.nodes.push_back(scene.nodes[n]);
    motion.roots = {0};
    motion.rate = {10, 1};
    key(motion, 2, Path::kTranslation, {0, -4, 0}, {0, -8, 0});
    const auto lifted = lift(scene,
                             sheet("[[rule]]\nkind = \"limb\"\nstart = \"a\"\nmid = \"b\"\nend = "
                                   "\"c\"\ngoal = \"goal\"\npole = \"pole\"\n"),
                             motion, 0);
    ASSERT_THAT(lifted, IsOk());
    EXPECT_GT(lifted.value().errors[2].worst_mm, 1000);
    EXPECT_EQ(lifted.value().errors[2].sample, 10);
}

TEST(LiftTest, AimsAreSolvedAndWhatIsNotIsSaid) {
    Scene scene;
    add_node(scene, "eye", kNone, {{0, 2, 0}, {}, {1, 1, 1}});
    add_node(scene, "apple", kNone, {{0, 2, 5}, {}, {1, 1, 1}});
    add_node(scene, "lamp", kNone, {{0, 9, 0}, {}, {1, 1, 1}});
    const std::string aim =
        "[[rule]]\nkind = \"aim\"\nnode = \"eye\"\nsource = \"apple\"\naxis = \"+Z\"\nup_axis = "
        "\"+Y\"\nup_node = \"lamp\"\n";
    Scene motion;
    motion.nodes.push_back(scene.nodes[0]);
    motion.roots = {0};
    key_turn(motion, 0, {}, normalized(Quat{0.3, -0.2, 0.4, 0.8}));
    const auto lifted = lift(scene, sheet(aim), motion, 0);
    ASSERT_THAT(lifted, IsOk());
    EXPECT_LT(lifted.value().errors[0].worst_degrees, 1e-5);
    const auto mixed =
        lift(scene,
             sheet("[[rule]]\nkind = \"follow\"\nnode = \"eye\"\n[[rule.source]]\nnode "
                   "= \"apple\"\n[[rule.source]]\nnode = \"lamp\"\n"),
             motion, 0);
    ASSERT_THAT(mixed, IsOk());
    ASSERT_EQ(mixed.value().findings.size(), 1U);
    EXPECT_EQ(mixed.value().findings[0].code, Code::kLeftOut);
    motion.nodes[0].name = "nose";
    EXPECT_THAT(lift(scene, sheet(aim), motion, 0), FailsWith(Code::kNoJoints, "no node"));
}

TEST(LiftToolTest, ACrateClipGoesOntoControlsAndIsPackedAgainWithALayer) {
    const test::TempFolder folder;
    test::write_files(folder.path(), test::tamsin());
    const auto rigged = test::pack_text(folder, orchard::kTamsinRecipe);
    ASSERT_THAT(rigged, IsOk());
    const std::string at = folder.path().string() + "/";
    const std::string lift =
        "lift " + at + "crates/tamsin/clips/walk.glb " + at + "tamsin.glb --rig " + at +
        "tamsin.rig.toml --unit centimetre --up +Z --front -Y --name again -o " + at + "again.glb";
    const test::ToolRun run = test::run_tool(lift);
    EXPECT_EQ(run.exit, 0) << run.err;
    EXPECT_NE(run.out.find("keys on 24 controls"), std::string::npos) << run.out;
    EXPECT_EQ(test::run_tool(lift).exit, 4);  // it is there already
    EXPECT_EQ(test::run_tool(lift + " --replace --onto ankle_target.L").exit, 2);
    // A unit that is wrong for the motion puts joints where the rig cannot follow.
    const std::string wrong = test::change(lift, "again.glb", "wrong.glb") + " --unit-motion inch";
    const test::ToolRun refused = test::run_tool(wrong);
    EXPECT_EQ(refused.exit, 1);
    EXPECT_NE(refused.err.find("proof-failed"), std::string::npos) << refused.err;
    EXPECT_FALSE(std::filesystem::exists(at + "wrong.glb"));
    EXPECT_EQ(test::run_tool(wrong + " --tolerance 1e6 --tolerance-degrees 180").exit, 0);
    EXPECT_TRUE(std::filesystem::exists(at + "wrong.glb"));
    // BVH gives every joint the axes of the world; these are turned back.
    const std::string plain = at + "crates/tamsin/clips/walk.glb", bvh = at + "walk.bvh";
    ASSERT_EQ(test::run_tool("convert --quiet " + plain + " " + bvh).exit, 0);
    const test::ToolRun turned = test::run_tool(
        test::change(test::change(lift, plain, bvh), "again.glb", "turned.glb") + " --json");
    EXPECT_EQ(turned.exit, 0) << turned.out << turned.err;
    std::string recipe = test::change(orchard::kTamsinRecipe, "tamsin.glb", "again.glb");
    recipe = recipe.substr(0, recipe.find("[[clip]]"));
    recipe = test::change(recipe, "rate = 24", "rate = 30");
    const auto packed = test::pack_text(
        folder, recipe +
                    "[[clip]]\nname = \"turned\"\nrange = [0, 30]\nloop = true\ntravel = "
                    "[\"ground\"]\n[[layer]]\nkind = \"offset\"\nnodes = [\"chest_ctl\"]\naxis = "
                    "\"+Z\"\ndegrees = 20\nspace = \"world\"\n[output]\nfolder = \"turned\"\n");
    ASSERT_THAT(packed, IsOk());
    EXPECT_TRUE(packed.value().proven);
    EXPECT_NEAR(packed.value().clips[0].clip.travel.distance_m, 1.005, 0.001);
    // Weights come along; and what is told is how far the file is off, not what was meant by it.
    const test::ToolRun pick =
        test::run_tool(test::change(lift, "walk.glb", "pick.glb") + " --replace --json");
    ASSERT_EQ(pick.exit, 0) << pick.err;
    const auto said = nlohmann::json::parse(pick.out);
    EXPECT_EQ(said["morph_weights"], nlohmann::json::parse(R"(["orchard:body"])"));
    const auto again = test::pack_text(folder, recipe +
                                                   "[[clip]]\nname = \"pick\"\nrange = [0, 120]\n"
                                                   "[output]\nfolder = \"picked\"\n");
    ASSERT_THAT(again, IsOk());
    for (std::size_t t = 0; t < 4; ++t)
        EXPECT_NEAR(again.value().clips[0].morphs[0].activity[t].most,
                    rigged.value().clips[2].morphs[0].activity[t].most, 1e-5);
    const std::string first = test::read_text(at + "crates/tamsin/clips/pick.glb"),
                      second = test::read_text(at + "picked/clips/pick.glb");
    double far = 0;
    for (int k = 0; k <= 120; ++k) {
        const auto a = test::plain_gltf_worlds(first, "pick", k).at("shin.L").world,
                   b = test::plain_gltf_worlds(second, "pick", k).at("shin.L").world;
        far = std::max(far, std::hypot(a[0][3] - b[0][3], a[1][3] - b[1][3], a[2][3] - b[2][3]));
    }
    EXPECT_GT(far, 5e-5);
    EXPECT_EQ(said["joints"][0]["joint"], "orchard:shin.L");
    EXPECT_NEAR(said["joints"][0]["worst_mm"].get<double>(), far * 1000, 0.05 * far * 1000);
}

}  // namespace
}  // namespace mellow
