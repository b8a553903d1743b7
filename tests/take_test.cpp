// Takes: motion as a function of time, beyond its ends, over its seam, of several meshes.
#include "mellow/shaping.h"
#include "model/lanes.h"
#include "rigs.h"
#include "small_figure.h"

namespace mellow::take_test {
namespace {

using namespace test;
using namespace testing;

TEST(TakeTest, MeshesThatRestOnAJointGoWithIt) {
    Scene scene;
    const int hips = test::add_node(scene, "hips", kNone, {});
    test::key_turn(scene, hips, {}, test::turn(test::kZ, 90));
    const Skeleton skeleton = Skeleton::make({{"hips", -1, {}}}).value();
    const Rig rig = Rig::bind(scene, 0, {}).value();
    const Mount hat{"hat", kNone, 0, to_affine({{0, 2, 0}, {}, {1, 1, 1}})};
    const Take take = take_of(scene, rig.source(), skeleton, {JointSource{hips}}, {{hat}, {}});
    JointTile tile = take.make_tile();
    const double end = 1;
    take.evaluate({&end, 1}, Take::Want::kWorlds, tile);
    // Up by two, turned about Z by a quarter: to the side by two.
    for (const auto& [row, value] : {std::pair(9, -2.0), {10, 0.0}, {11, 0.0}})
        EXPECT_NEAR(tile.mount(0)[row * kTileFrames], value, 1e-12);
}

TEST(TakeTest, TheFastestTurnIsToldWhereverAClipBegins) {
    const Skeleton skeleton = Skeleton::make({{"wheel", -1, {}}}).value();
    const Take take = take_of(skeleton, [](double seconds, std::span<Transform> joints) {
        joints[0].r = test::turn(test::kZ, seconds < 0.45 ? 170 : 110);
    });
    const SamplePlan plan{"c", 0, 10, {10, 1}, {10, 1}, 11, false};
    const JointLoss loss = bake(take, plan).losses[0];
    EXPECT_NEAR(loss.fastest_turn_rad, std::numbers::pi / 3, 1e-6);
    EXPECT_EQ(loss.fastest_sample, 5);
}

TEST(TakeTest, TargetsOfOneNameKeepTheirOwnWeights) {
    Scene scene;
    const int face = test::add_node(scene, "face", kNone, {});
    Mesh mesh;
    mesh.target_names = {"smile", "smile"};
    scene.meshes.push_back(mesh);
    scene.nodes[0].mesh = 0;
    scene.nodes[0].morph_weights = {0.2, 0.7};
    const Rig rig = Rig::bind(scene, kNone, {}).value();
    const Take take = take_of(scene, rig.source(), Skeleton::make({{"face", -1, {}}}).value(),
                              {JointSource{face}}, {{}, {{{"face", mesh.target_names, {0, 0}}}}});
    JointTile tile = take.make_tile();
    const double start = 0;
    take.evaluate({&start, 1}, Take::Want::kWorlds, tile);
    EXPECT_EQ(tile.scalar(0)[0], 0.2);
    EXPECT_EQ(tile.scalar(1)[0], 0.7);
}

TEST(TakeTest, WhatGoesOnBeyondItsEndStaysOnItsBend) {
    // Round a circle of 2 m about (3, 1), half a radian a second, facing along.
    const auto on_circle = [](double t) {
        return Transform{{3 + 2 * std::cos(0.5 * t), 1, 1 - 2 * std::sin(0.5 * t)},
                         from_axis_angle({0, 1, 0}, 0.5 * t),
                         {1, 1, 1}};
    };
    const Take round =
        take_of(Skeleton::make({{"hips", -1, {{0, 1, 0}, {}, {1, 1, 1}}}}).value(),
                [&](double second, std::span<Transform> locals) { locals[0] = on_circle(second); });
    LoopRepair way;
    way.ground = way.heading = true;
    const ShapedTake longer = go_on({round, 2}, 0.25, way, RootKind::kFigure);
    EXPECT_EQ(longer.seconds, 2.25);
    JointTile tile = longer.take.make_tile();
    for (const double second : {1.9, 2.0, 2.25}) {
        longer.take.evaluate({&second, 1}, Take::Want::kWorlds, tile);
        const Affine got = load(world_rows(tile, 0), 0), want = to_affine(on_circle(second));
        EXPECT_LT(length(got.o - want.o), 1e-9) << second;
        EXPECT_LT(length(got.z - want.z), 1e-9) << second;
    }
}

TEST(TakeTest, AGapIsClosedEvenlyOrSmoothly) {
    // What goes a metre ahead in a second comes back over the last half of it: at 5/8 s a quarter
    // of its span is over.
    const Take ahead =
        take_of(Skeleton::make({{"hips", -1, {}}}).value(),
                [](double second, std::span<Transform> locals) { locals[0].t.x = second; });
    for (const auto& [even, gone] : {std::pair(true, 0.25), {false, 0.15625}}) {
        LoopRepair repair;
        repair.span = 0.5;
        repair.even = even;
        const Take closed = repair_loop({ahead, 1}, repair, RootKind::kFigure).take;
        JointTile tile = closed.make_tile();
        for (const auto& [second, place] :
             {std::pair(0.5, 0.5), {0.625, 0.625 - gone}, {1.0, 0.0}}) {
            closed.evaluate({&second, 1}, Take::Want::kWorlds, tile);
            EXPECT_NEAR(load(world_rows(tile, 0), 0).o.x, place, 1e-12) << second;
        }
    }
}

TEST(TakeTest, AFittedTakeKnowsTheWeightsOfASecondMesh) {
    Scene scene;
    for (const auto& [name, target, weight] :
         {std::tuple("face", "smile", 0.2), {"hat", "tilt", 0.7}}) {
        const int node = test::add_node(scene, name, kNone, {});
        Mesh mesh;
        mesh.target_names = {target};
        scene.meshes.push_back(mesh);
        scene.nodes[static_cast<std::size_t>(node)].mesh = node;
        scene.nodes[static_cast<std::size_t>(node)].morph_weights = {weight};
    }
    const Rig rig = Rig::bind(scene, kNone, {}).value();
    const Skeleton skeleton = Skeleton::make({{"face", -1, {}}}).value();
    const std::vector<MorphChannels> morphs{{"face", {"smile"}, {0}}, {"hat", {"tilt"}, {0}}};
    const Take figure = take_of(scene, rig.source(), skeleton, {JointSource{0}}, {{}, morphs});
    const Take fitted = fit_take(figure, skeleton, {0}, {{}, {morphs[1], morphs[0]}, {}});
    JointTile tile = fitted.make_tile();
    const double start = 0;
    fitted.evaluate({&start, 1}, Take::Want::kWorlds, tile);
    EXPECT_EQ(tile.scalar(0)[0], 0.7);
    EXPECT_EQ(tile.scalar(1)[0], 0.2);
}

}  // namespace
}  // namespace mellow::take_test
