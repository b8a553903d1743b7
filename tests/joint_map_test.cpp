// Motion of one file on the figure of another: whose keys go where, in which unit, and what is
// refused.
#include "mellow/motion_table.h"
#include "model/lanes.h"
#include "rigs.h"
#include "small_figure.h"

namespace mellow::joint_map_test {
namespace {

using namespace test;
using namespace testing;

TEST(CarriedKeysTest, KeysOfAnyLengthAreMadeUnitBeforeTheyAreMixed) {
    // The second key, a quarter turn about Z, is 1.1 long: mixed as it is, it would weigh more.
    Scene scene;
    test::add_node(scene, "n", kNone, {});
    const double s = 1.1 * std::sqrt(0.5);
    test::key(scene, 0, Path::kRotation, {0, 0, 0, 1}, {0, 0, s, s});
    for (const double u : {0.25, 0.5, 0.75})
        EXPECT_NEAR(
            test::angle(test::evaluate(scene, {}, u).local(0, 0).r, test::turn(test::kZ, 90 * u)),
            0, 1e-5)
            << u;
}

TEST(CarriedKeysTest, CarriedTimelinesKeepTheSecondsThatCount) {
    Scene figure;
    test::add_node(figure, "control", kNone, {});
    Scene motion = figure;
    test::key(motion, 0, Path::kTranslation, {0, 0, 0}, {1, 0, 0}, 2);
    motion.timelines[0].span = {0.5, 1.5};
    std::vector<std::string> left;
    const Scene carried = carry_keys(figure, motion, "m", left).value();
    EXPECT_EQ(carried.timelines.at(0).span, motion.timelines[0].span);
}

TEST(CarriedKeysTest, ControlsBelowWhatTheFigureLacksAreRefused) {
    Scene figure, motion;
    test::add_node(figure, "control", kNone, {});
    const int stage = test::add_node(motion, "stage", kNone, {});
    const int control = test::add_node(motion, "control", stage, {});
    test::key(motion, control, Path::kTranslation, {0, 0, 0}, {1, 0, 0}, 2);
    std::vector<std::string> left;
    EXPECT_THAT(carry_keys(figure, motion, "m", left),
                FailsWith(Code::kSkeletonDiffers, "hangs on \"stage\""));
}

TEST(CarriedKeysTest, WhatIsNotKeyedMustRestAlike) {
    Scene figure;
    test::add_node(figure, "control", kNone, {});
    const auto carried = [&](const Transform& rest, Path keyed) {
        Scene motion = figure;
        motion.nodes[0].local = rest;
        if (keyed == Path::kRotation)
            test::key_turn(motion, 0, {}, test::turn(test::kX, 30));
        else
            test::key(motion, 0, keyed, {0, 0, 0}, {1, 1, 1}, 2);
        std::vector<std::string> left;
        return carry_keys(figure, motion, "m", left);
    };
    const Transform turned{{}, test::turn(test::kX, 0.1), {1, 1, 1}},
        moved{{0.01, 0, 0}, {}, {1, 1, 1}}, larger{{}, {}, {1, 1.01, 1}};
    EXPECT_THAT(carried(turned, Path::kTranslation),
                FailsWith(Code::kSkeletonDiffers, "0.10 degrees turned"));
    EXPECT_THAT(carried(moved, Path::kRotation),
                FailsWith(Code::kSkeletonDiffers, "rests 1.00 cm elsewhere"));
    EXPECT_THAT(carried(larger, Path::kRotation),
                FailsWith(Code::kSkeletonDiffers, "rests scaled by 1.000 1.010 1.000"));
    EXPECT_THAT(carried(turned, Path::kRotation), IsOk());
    EXPECT_THAT(carried(moved, Path::kTranslation), IsOk());
    EXPECT_THAT(carried(larger, Path::kScale), IsOk());
}

TEST(CarriedKeysTest, WeightsOfOtherTargetsStayBehindAndStacksKeepTheirConvention) {
    Scene figure;
    const int face = test::add_node(figure, "face", kNone, {});
    figure.meshes.emplace_back().target_names = {"smile"};
    figure.nodes[0].mesh = 0;
    Scene motion = figure;
    motion.stack_convention = {0.01, Axis::kPlusZ, Axis::kMinusY};
    test::key(motion, face, Path::kTranslation, {0, 0, 0}, {1, 0, 0}, 2);
    test::key(motion, face, Path::kWeights, {0}, {1}, 2);
    std::vector<std::string> left;
    const Scene alike = carry_keys(figure, motion, "m", left).value();
    EXPECT_THAT(alike.timelines[0].channels, SizeIs(2));
    EXPECT_THAT(left, IsEmpty());
    EXPECT_EQ(alike.stack_convention, motion.stack_convention);
    motion.meshes[0].target_names = {"smile", "blink"};
    motion.timelines[0].channels.pop_back();
    test::key(motion, face, Path::kWeights, {0, 0}, {1, 1}, 2);
    const Scene other = carry_keys(figure, motion, "m", left).value();
    EXPECT_THAT(other.timelines[0].channels, SizeIs(1));
    EXPECT_THAT(left, testing::ElementsAre("face"));
    // In another order they are carried by their names, whichever way the file has them.
    figure.meshes[0].target_names = {"blink", "smile"};
    motion.timelines[0].channels.pop_back();
    test::key(motion, face, Path::kWeights, {0, 0.25}, {1, 0.75}, 2);
    const std::vector<double> keys = motion.timelines[0].channels.back().curve.values.list();
    std::vector<double> turned;
    for (std::size_t k = 0; k < keys.size(); k += 2)
        turned.insert(turned.end(), {keys[k + 1], keys[k]});
    for (const bool in_the_file : {true, false}) {
        if (!in_the_file) {
            motion.timelines[0].morphs.push_back(
                {"face", {"smile", "blink"}, motion.timelines[0].channels.back().curve});
            motion.timelines[0].channels.pop_back();
        }
        const Scene carried = carry_keys(figure, motion, "m", left).value();
        EXPECT_EQ(carried.timelines[0].channels.back().path, Path::kWeights);
        EXPECT_EQ(carried.timelines[0].channels.back().curve.values, turned);
        EXPECT_THAT(left, IsEmpty());
    }
    motion.timelines[0].morphs[0].targets = {"smile", "frown"};
    EXPECT_THAT(carry_keys(figure, motion, "m", left).value().timelines[0].channels, SizeIs(1));
    EXPECT_THAT(left, testing::ElementsAre("face"));
    motion.timelines[0].morphs[0].targets = {"target_0", "target_1"};  // without names: by order
    EXPECT_THAT(carry_keys(figure, motion, "m", left).value().timelines[0].channels, SizeIs(2));
}

TEST(CarriedKeysTest, JointsOfAScaledFileAreAsLargeAsTheFigures) {
    const auto up = [](double y) { return Transform{{0, y, 0}, {}, {1, 1, 1}}; };
    const Skeleton figure = Skeleton::make({{"hips", -1, up(1)}, {"head", 0, up(0.5)}}).value();
    Scene motion;
    const int rig = test::add_node(motion, "rig", kNone, {{}, {}, {0.01, 0.01, 0.01}});
    const int hips = test::add_node(motion, "hips", rig, up(100));
    test::add_node(motion, "head", hips, up(50));
    test::key(motion, hips, Path::kTranslation, {0, 100, 0}, {0, 200, 0}, 2);
    const JointMap map = match_joints(figure, motion, {}, "m").value();
    const Rig bound = Rig::bind(motion, 0, {}).value();
    const Take take = take_of(motion, bound.source(), figure, map.sources);
    JointTile tile = take.make_tile();
    const double end = 2;
    take.evaluate({&end, 1}, Take::Want::kWorlds, tile);
    for (const int j : {0, 1}) {
        const Affine world = load(world_rows(tile, j), 0);
        EXPECT_NEAR(world.o.y, j == 0 ? 2 : 2.5, 1e-9);
        EXPECT_NEAR(length(world.y), 1, 1e-9);
    }
}

TEST(CarriedKeysTest, BonesOfOtherLengthsAreRefusedUnlessEveryTimelineKeysThem) {
    const auto up = [](double y) { return Transform{{0, y, 0}, {}, {1, 1, 1}}; };
    const Skeleton figure = Skeleton::make({{"hips", -1, up(1)}, {"head", 0, up(1)}}).value();
    const auto matched = [&](double length, int keyed) {
        Scene motion;
        const int hips = test::add_node(motion, "hips", kNone, up(1));
        const int head = test::add_node(motion, "head", hips, up(length));
        motion.timelines.resize(2);
        for (int t = 0; t < keyed; ++t) {
            const Curve curve{Interpolation::kLinear, 3, {0, 1}, {0, 1, 0, 0, 1, 0}};
            motion.timelines[static_cast<std::size_t>(t)].channels.push_back(
                {head, Path::kTranslation, curve});
        }
        return match_joints(figure, motion, {}, "m");
    };
    EXPECT_THAT(matched(1.004, 0), IsOk());
    EXPECT_THAT(matched(1.02, 0), FailsWith(Code::kSkeletonDiffers, "102.0 cm"));
    EXPECT_THAT(matched(1.5, 1), FailsWith(Code::kSkeletonDiffers, "150.0 cm"));
    EXPECT_THAT(matched(1.5, 2), IsOk());
    // Members of a stack: a matrix and a look-at say where a node stands, a turn does not.
    for (const auto& [kind, places] : {std::pair(StackKind::kTranslate, true),
                                       {StackKind::kMatrix, true},
                                       {StackKind::kLookAt, true},
                                       {StackKind::kRotate, false}}) {
        Scene motion;
        const int hips = test::add_node(motion, "hips", kNone, up(1));
        const int head = test::add_node(motion, "head", hips, up(1.5));
        motion.nodes[static_cast<std::size_t>(head)].stack = {{kind, "s", {}}};
        motion.timelines.resize(1);
        MemberCurve curve;
        curve.node = head, curve.element = 0;
        motion.timelines[0].members = {curve};
        EXPECT_EQ(match_joints(figure, motion, {}, "m").ok(), places) << static_cast<int>(kind);
    }
}

TEST(CarriedKeysTest, TablesTellMeshesApartAndTimesAscend) {
    const std::string header = "seconds,face/smile.weight,face/frown.weight,hat/tilt.weight\n";
    const auto table = read_motion_table(header + "0,0.1,0.5,0.2\r\n1,0.3,0.6,0.4\r\n", "m.csv");
    ASSERT_THAT(table, IsOk());
    const auto& morphs = table.value().timelines.at(0).morphs;
    ASSERT_THAT(morphs, SizeIs(2));
    EXPECT_EQ(morphs[1].mesh, "hat");
    EXPECT_THAT(morphs[0].curve.values.list(), testing::ElementsAre(0.1, 0.5, 0.3, 0.6));
    EXPECT_THAT(morphs[1].curve.values.list(), testing::ElementsAre(0.2, 0.4));
    EXPECT_THAT(read_motion_table(header + "0,0,0,0\n1,0,0,0\n1,0,0,0\n", "m.csv"),
                FailsWith(Code::kNumberBad, "1 seconds"));
}

TEST(CarriedKeysTest, PrefixesGoFromTimelinesAndMorphsToo) {
    Scene scene;
    test::add_node(scene, "crew:hips", kNone, {});
    Timeline& timeline = scene.timelines.emplace_back();
    timeline.name = "crew:walk";
    timeline.morphs.push_back({"crew:face", {"smile"}, {}});
    rename(scene, "crew:", {{"face", "head"}});
    EXPECT_EQ(scene.nodes[0].name, "hips");
    EXPECT_EQ(scene.timelines[0].name, "walk");
    EXPECT_EQ(scene.timelines[0].morphs[0].mesh, "head");
}

}  // namespace
}  // namespace mellow::joint_map_test
