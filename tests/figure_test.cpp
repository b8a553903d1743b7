// What of a scene is the figure: meshes and joints that go with it, and what is said of the others.
#include <fmt/format.h>
#include <cmath>
#include "mellow/read.h"
#include "mellow/write.h"
#include "rigs.h"
#include "small_figure.h"

namespace mellow::figure_test {
namespace {

using namespace test;
using namespace testing;

class FigureTest : public test::SmallFigure {};

TEST_F(FigureTest, WhatTheRecipeSaysOfAFileIsNotAskedAgain) {
    write_text(
        folder_ / "figure.glb",
        "HIERARCHY\nROOT hips\n{\nOFFSET 0 0.96 0\nCHANNELS 6 Xposition Yposition Zposition "
        "Zrotation Xrotation Yrotation\nJOINT head\n{\nOFFSET 0 0.7 0\nCHANNELS 3 Zrotation "
        "Xrotation Yrotation\nEnd Site\n{\nOFFSET 0 0.1 0\n}\n}\n}\nMOTION\nFrames: 2\nFrame "
        "Time: 0.0416667\n0 0 0 0 0 0 0 0 0\n0.1 0.02 0.3 90 0 0 0 0 0\n");
    const auto unit_said = [&](const std::string& source) {
        const auto report =
            pack_text(folder_, recipe("range = [0, 1]\n", "", "rate = 24\n" + source), true);
        EXPECT_THAT(report, IsOk());
        int said = 0;
        for (const Finding& f : report.value().findings)
            said += f.found.ends_with("its unit and axes") ? 1 : 0;
        return said;
    };
    EXPECT_EQ(unit_said(""), 1);
    EXPECT_EQ(unit_said("unit = \"metre\"\nup = \"+Y\"\n"), 1) << "its front is still open";
    EXPECT_EQ(unit_said("unit = \"metre\"\nup = \"+Y\"\nfront = \"+Z\"\n"), 0);
}

TEST_F(FigureTest, MeshesBelowWhatARuleMovesAreOfTheFigure) {
    write_text(folder_ / "cart.rig.toml",
               "[[rule]]\nkind = \"follow\"\nnode = \"cart\"\nsource = \"head\"\n");
    const std::string nodes = R"(,{"name":"cart","children":[4]},{"name":"crate","mesh":0})";
    const auto left = [&](const std::string& source) {
        const PackReport report =
            pack({going(24, 1)}, recipe("range = [0, 24]\n", "", source), nodes, ",3");
        return of_code(report, Code::kLeftOut);
    };
    ASSERT_THAT(left(""), SizeIs(1));
    EXPECT_THAT(left("")[0].found, HasSubstr("crate"));
    EXPECT_THAT(left("rig = \"cart.rig.toml\"\n"), IsEmpty());
}

TEST_F(FigureTest, WhatFewerInfluencesCostIsHowFarVerticesAreOff) {
    // All vertices hang half on each; one joint each is left. The head goes up by 0.2 m, and half
    // of that is missing, or too much.
    const auto up = keyed(1, "translation", 24, [](int f) {
        return Three{0, 0.5 + 0.2 * f / 24, 0};
    });
    const PackReport report = pack({up}, recipe("range = [0, 24]\n", "influences = 1\n"));
    ASSERT_THAT(report.clips, SizeIs(1));
    EXPECT_NEAR(report.clips[0].proof.simplified_mm.worst, 100, 1e-3);
    EXPECT_LT(report.clips[0].proof.vertex_mm.worst, 0.001);
}

TEST_F(FigureTest, EachMeshIsMeasuredByItsOwnWeights) {
    Scene scene;
    scene.rate = {24, 1};
    const int root = test::add_node(scene, "hips", kNone, {});
    scene.timelines.emplace_back().name = "move";
    Skin skin;
    skin.joints = {root};
    skin.inverse_binds.resize(1);
    scene.skins = {skin};
    for (int m = 0; m < 2; ++m) {
        const int node = test::add_node(scene, m == 0 ? "face" : "coat", kNone, {});
        Mesh mesh;
        mesh.name = scene.nodes.back().name;
        mesh.target_names = {m == 0 ? "smile" : "flap"};
        Primitive part;
        part.positions = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}};
        part.influences_per_vertex = 4;
        part.influence_joints.assign(12, 0);
        part.influence_weights = {1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0};
        part.targets.resize(1);
        part.targets[0].positions = {{0, 0, 0.1F}, {0, 0, 0.2F}, {0, 0, 0.3F}};
        mesh.primitives = {part};
        scene.meshes.push_back(mesh);
        scene.nodes[static_cast<std::size_t>(node)].mesh = m;
        scene.nodes[static_cast<std::size_t>(node)].skin = 0;
        test::key(scene, node, Path::kWeights, {m == 0 ? 0.0 : 1.0}, {m == 0 ? 1.0 : 0.25});
    }
    test::key(scene, root, Path::kTranslation, {0, 0, 0}, {0, 0.2, 0});
    write_bytes(folder_ / "figure.glb", write_glb(scene));
    const auto report = pack_text(folder_, recipe("range = [0, 24]\n", "", "rate = 24\n"), true);
    ASSERT_THAT(report, IsOk());
    EXPECT_TRUE(report.value().proven);
    EXPECT_LT(report.value().clips[0].proof.weight.worst, 1e-6);
    EXPECT_LT(report.value().clips[0].proof.vertex_mm.worst, 1e-3);
}

TEST_F(FigureTest, AJointBelowOthersOfTheRootsNameIsNamed) {
    const auto clash = [&](const std::string& root) {
        write_bytes(folder_ / "figure.glb", figure({going(24, 1)}));
        return pack_text(folder_,
                         "[travel]\nroot = \"" + root + "\"\n" + recipe("range = [0, 24]\n"), true);
    };
    EXPECT_THAT(clash("head"), FailsWith(Code::kNameClash, "joint \"head\""));
    EXPECT_THAT(clash("head"), FailsWith(Code::kNameClash, "root = "));
    EXPECT_THAT(clash("hips"), IsOk()) << "the only joint on top is the root";
}

TEST_F(FigureTest, AFloorIsNoPartOfTheFigure) {
    const std::string floor = R"(,{"name":"floor","mesh":0})";
    const auto going = SmallFigure::going(24, 2.4);
    const std::string clip = "range = [0, 24]\ntravel = [\"ground\"]\n";
    const PackReport report = pack({going}, recipe(clip), floor, ",3");
    EXPECT_TRUE(report.proven);
    ASSERT_THAT(of_code(report, Code::kLeftOut), SizeIs(1));
    EXPECT_THAT(of_code(report, Code::kLeftOut)[0].found, HasSubstr("floor"));
    const std::string keep = "[joints]\nstatic_meshes = \"keep\"\n";
    EXPECT_THAT(
        of_code(pack({going}, recipe("range = [0, 24]\n", keep), floor, ",3"), Code::kLeftOut),
        IsEmpty());
    EXPECT_THAT(pack_text(folder_, recipe(clip, keep), true), FailsWith(Code::kValueBad, "travel"));
    EXPECT_THAT(pack_text(folder_, recipe(clip, "[joints]\ndrop = [\"wall*\"]\n"), true),
                FailsWith(Code::kNameUnknown, "wall*"));
    const PackReport bare = pack(
        {going}, recipe("range = [0, 24]\n", "[joints]\nkeep = [\"head\"]\ndrop = [\"body\"]\n"));
    EXPECT_THAT(of_code(bare, Code::kLeftOut)[0].found, HasSubstr("body"));
}

TEST_F(FigureTest, ShearIsKeptMeasuredAndFails) {
    // The head hangs below a sheared node that turns: no joint can hold what it does then.
    const std::string sheared =
        R"(,{"name":"lean","matrix":[1,0,0,0,0.5,1,0,0,0,0,1,0,0,0,0,1],"children":[4]},{"name":"ear","children":[5]},{"name":"lobe","mesh":1})";
    const std::string mesh = R"(,{"primitives":[{"attributes":{"POSITION":0}}]})";
    const auto turning = keyed(4, "rotation", 24, [](int f) {
        const double a = M_PI / 4 * f / 24;
        return Three{0, 0, std::sin(a / 2), std::cos(a / 2)};
    });
    const PackReport report = pack({turning}, recipe("range = [0, 24]\n"), sheared, ",3", mesh);
    EXPECT_FALSE(report.proven);
    EXPECT_THAT(of_code(report, Code::kProofFailed), SizeIs(1));
    const Scene scene = read_scene(folder_ / "figure.glb").value().scene;
    const std::vector<Affine> worlds = rest_worlds(scene);
    EXPECT_NEAR(length(worlds[5].y - Vec3{0.5, 1, 0}), 0, 1e-6) << "the matrix as it was";
    const PackReport accepted =
        pack({turning}, recipe("range = [0, 24]\n", "[proof]\naccept_shear = [\"below:lean\"]\n"),
             sheared, ",3", mesh);
    EXPECT_TRUE(accepted.proven);
    const Findings told = of_code(accepted, Code::kShear);
    EXPECT_THAT(told.back().found, HasSubstr("accepted"));
    const double cost = accepted.clips[0].proof.accepted_mm.worst;
    EXPECT_GT(cost, 1) << "the lobe hangs on what is accepted";
    EXPECT_THAT(told.back().found, HasSubstr(fmt::format("at most {:.3g} mm", cost)));
    // convert writes a matrix that stands still as it was.
    const auto run = test::run_tool("convert '" + (folder_ / "figure.glb").string() + "' '" +
                                    (folder_ / "again.glb").string() + "' --quiet");
    EXPECT_EQ(run.exit, 0);
    const Scene again = read_scene(folder_ / "again.glb").value().scene;
    EXPECT_NEAR(test::difference(rest_worlds(again)[3], worlds[3]), 0, 1e-6);
}

TEST_F(FigureTest, MirroredScaleAndIdleControlsAreSaid) {
    const auto flip = keyed(1, "scale", 24, [](int f) { return Three{f < 12 ? 1.0 : -1.0, 1, 1}; });
    EXPECT_THAT(of_code(pack({flip}, recipe("range = [0, 24]\n")), Code::kScaledNode), SizeIs(1));
    const std::string control = R"(,{"name":"chin_control"})";
    const auto idle = keyed(3, "translation", 24, [](int f) { return Three{0, 0, f / 24.0}; });
    const Findings said = of_code(
        pack({going(24, 0.1), idle}, recipe("range = [0, 24]\n"), control, ",3"), Code::kUnbaked);
    ASSERT_THAT(said, SizeIs(1));
    EXPECT_THAT(said[0].found, HasSubstr("chin_control"));
}

}  // namespace
}  // namespace mellow::figure_test
