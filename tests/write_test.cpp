// What is written: all that a scene has, or it is said; and nothing that cannot be read back.
#include "mellow/write.h"
#include <fmt/format.h>
#include <cmath>
#include "mellow/read.h"
#include "plain_gltf.h"
#include "rigs.h"
#include "small_figure.h"

namespace mellow::write_test {
namespace {

using namespace test;
using namespace testing;

class WrittenTest : public test::SmallFigure {};

TEST_F(WrittenTest, ATargetMayWantNoSceneryAndNoStrips) {
    const auto skin = [&](const std::string& target) {
        pack({going(24, 1)},
             recipe("range = [0, 24]\n", target + "[joints]\nstatic_meshes = \"keep\"\n"),
             R"(,{"name":"floor","mesh":1})", ",3",
             R"(,{"primitives":[{"mode":5,"attributes":{"POSITION":0}}]})");
        return read_scene(folder_ / "out/figure.glb").value().scene;
    };
    const auto strips = [](const Scene& scene) {
        int count = 0;
        for (const Mesh& mesh : scene.meshes)
            for (const Primitive& part : mesh.primitives)
                count += part.topology == Topology::kStrip;
        return count;
    };
    const Scene whole = skin(""), lists = skin("triangulate = true\n"),
                bare = skin("statics = \"leave-out\"\n");
    EXPECT_THAT(whole.meshes, SizeIs(2));
    EXPECT_EQ(strips(whole), 1);
    EXPECT_THAT(lists.meshes, SizeIs(2));
    EXPECT_EQ(strips(lists), 0);
    EXPECT_THAT(bare.meshes, SizeIs(1));
}

TEST_F(WrittenTest, AScaleThatTheFormatDoesNotHoldIsSaidAndFails) {
    // Nothing hangs on the socket: neither places nor vertices tell that its scale is lost.
    const Keyed grows = keyed(3, "scale", 24, [](int f) { return Three{1, 1 + f / 48.0, 1}; });
    const std::string keep = "[joints]\nkeep = [\"socket\"]\n[checks]\nleft-behind = \"off\"\n",
                      socket = R"(,{"name":"socket","translation":[0.3,1,0]})";
    const auto packed = [&](const std::string& target) {
        return pack({going(24, 1), grows}, recipe("range = [0, 24]\n", target + keep), socket,
                    ",3");
    };
    EXPECT_TRUE(packed("").proven);
    const PackReport bvh = packed("format = \"bvh\"\n");
    EXPECT_FALSE(bvh.proven);
    ASSERT_THAT(of_code(bvh, Code::kProofFailed), SizeIs(1));
    EXPECT_THAT(of_code(bvh, Code::kProofFailed)[0].found,
                HasSubstr("joint \"socket\" is 0.333333 of its scale off at sample 24"));
    std::vector<std::string> lost;
    for (const Finding& f : of_code(bvh, Code::kLeftOut)) lost.push_back(f.where.text());
    EXPECT_THAT(lost, testing::Contains("clip \"c\", joint \"socket\""));
    EXPECT_TRUE(packed("format = \"bvh\"\n[proof]\ntolerance_scale = 0.34\n").proven);
}

TEST_F(WrittenTest, WhatCannotBeReadBackIsNotWritten) {
    // 1e36 units of 10 km are beyond single precision.
    write_text(folder_ / "far.bvh",
               "HIERARCHY\nROOT hips\n{\nOFFSET 0 0 0\nCHANNELS 6 Xposition Yposition Zposition "
               "Zrotation Xrotation Yrotation\nEnd Site\n{\nOFFSET 0 1 0\n}\n}\nMOTION\nFrames: "
               "1\nFrame Time: 0.04\n1e36 0 0 0 0 0\n");
    const std::string in = "'" + (folder_ / "far.bvh").string() + "'",
                      out = "'" + (folder_ / "far.glb").string() + "'";
    const auto run = run_tool("convert " + in + " " + out + " --unit 1e4 --up +Y --front +Z");
    EXPECT_NE(run.exit, 0);
    EXPECT_THAT(run.err, HasSubstr("cannot be read back"));
    EXPECT_FALSE(std::filesystem::exists(folder_ / "far.glb"));
}

TEST_F(WrittenTest, ExtrasOfAMaterialMayHoldAnything) {
    const std::string glb = [] {
        const auto bytes = figure({}, "", "",
                                  "],\"materials\":[{\"name\":\"skin\",\"extras\":{"
                                  "\"paintTexture\":7,\"a\":{\"noTexture\":{}}}}");
        return std::string(bytes.begin(), bytes.end());
    }();
    write_text(folder_ / "figure.glb", glb);
    EXPECT_THAT(read_scene(folder_ / "figure.glb"), IsOk());
}

TEST_F(WrittenTest, NodesNamedAfterTheirParentsMoveByThemselves) {
    // "arm.mesh" and "eye.view" are nodes like others: only what was split off stands for another.
    Scene scene;
    scene.rate = {24, 1};
    const int arm = test::add_node(scene, "arm", kNone, {});
    const int plate = test::add_node(scene, "arm.mesh", arm, {{0, 1, 0}, {}, {1, 1, 1}});
    const int eye = test::add_node(scene, "eye", arm, {{0, 2, 0}, {}, {1, 1, 1}});
    const int view = test::add_node(scene, "eye.view", eye, {});
    Mesh mesh;
    mesh.primitives.emplace_back();
    mesh.primitives[0].positions = {{0, 0, 0}, {0.5F, 0, 0}, {0, 0.5F, 0}};
    scene.meshes.push_back(mesh);
    scene.nodes[1].mesh = 0;
    scene.cameras = {R"({"type":"perspective","perspective":{"yfov":0.8,"znear":0.1}})"};
    scene.nodes[3].camera = 0;
    test::key_turn(scene, arm, {}, test::turn(test::kX, 40));
    test::key_turn(scene, plate, {}, test::turn(test::kZ, 70));
    test::key_turn(scene, view, {}, test::turn(test::kY, 30));
    scene.timelines[0].name = "move";
    write_bytes(folder_ / "figure.glb", write_glb(scene));
    const auto report = pack_text(folder_, recipe("range = [0, 24]\n", "", "rate = 24\n"), true);
    ASSERT_THAT(report, IsOk());
    EXPECT_TRUE(report.value().proven);
    EXPECT_THAT(report.value().joints, testing::IsSupersetOf({"arm.mesh", "eye.view"}));
    const auto worlds =
        test::plain_gltf_worlds(test::read_text(folder_ / "out/clips/c.glb"), "c", 24);
    // Columns of Rx(40) Rz(70): the first is (cos 70, sin 70 cos 40, sin 70 sin 40).
    const double c = std::cos(70 * M_PI / 180), s = std::sin(70 * M_PI / 180);
    const double wanted[] = {c, s * std::cos(40 * M_PI / 180), s * std::sin(40 * M_PI / 180)};
    for (std::size_t row = 0; row < 3; ++row)
        EXPECT_NEAR(worlds.at("arm.mesh").world[row][0], wanted[row], 1e-6);
}

TEST_F(WrittenTest, MirroredTrianglesAreTurnedOverWhateverTheirForm) {
    // A square as loose triangles, as a strip and as a fan, seen from +Z, under a node that mirrors
    // X.
    for (const auto& [mode, list] :
         {std::pair(4, std::vector<double>{0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 0, 0, 1, 1, 0, 0, 1, 0}),
          std::pair(5, std::vector<double>{0, 0, 0, 1, 0, 0, 0, 1, 0, 1, 1, 0}),
          std::pair(6, std::vector<double>{0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0})}) {
        TinyGltf gltf;
        const int places = gltf.floats(list, "VEC3");
        const int in = gltf.floats({0, 1}, "SCALAR"), out = gltf.floats({0, 0, 0, 0, 1, 0}, "VEC3");
        write_bytes(
            folder_ / "figure.glb",
            gltf.glb(fmt::format(
                R"("scene":0,"scenes":[{{"nodes":[0]}}],"nodes":[{{"name":"lift","children":[1]}},{{"name":"plate","mesh":0,"scale":[-1,1,1]}}],)"
                R"("meshes":[{{"primitives":[{{"mode":{},"attributes":{{"POSITION":{}}}}}]}}],)"
                R"("animations":[{{"name":"move","samplers":[{{"input":{},"output":{}}}],"channels":[{{"sampler":0,"target":{{"node":0,"path":"translation"}}}}]}}])",
                mode, places, in, out)));
        const auto report = pack_text(folder_, recipe("range = [0, 24]\n"), true);
        ASSERT_THAT(report, IsOk());
        EXPECT_TRUE(report.value().proven);
        const Scene skin = read_scene(folder_ / "out" / "figure.glb").value().scene;
        const Primitive& part = skin.meshes[0].primitives[0];
        ASSERT_EQ(part.topology, Topology::kTriangles);
        ASSERT_EQ(part.indices.size(), 6U);
        for (std::size_t t = 0; t < 6; t += 3) {
            const auto p = [&](std::size_t i) { return part.positions[part.indices[t + i]]; };
            const double area = (p(1)[0] - p(0)[0]) * (p(2)[1] - p(0)[1]) -
                                (p(1)[1] - p(0)[1]) * (p(2)[0] - p(0)[0]);
            EXPECT_GT(area, 0) << mode << ": it faces +Z, as in the source";
        }
    }
}

}  // namespace
}  // namespace mellow::write_test
