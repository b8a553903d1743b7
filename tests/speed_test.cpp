// What makes baking fast and exact, without a clock: no allocation in the frame loop, the same
// bytes from any number of threads, and no precision lost far from the origin.
#include <cmath>
#include <numbers>

#include "base/at.h"
#include "mellow/bake.h"
#include "mellow/parallel.h"
#include "packing.h"
#include "rigs.h"

namespace mellow {
namespace {

using namespace test;

/// One node of every kind of rule and layer, all driven.
struct EveryRule {
    Scene scene;
    RigSheet rules;
    Performance performance;

    EveryRule() {
        scene.rate = {24, 1};
        for (const char* name : {"from", "other"}) {
            const int n =
                add_node(scene, name, kNone, {{0, 1, name[0] == 'f' ? 2.0 : -3.0}, {}, {1, 1, 1}});
            key(scene, n, Path::kTranslation, {0, 1, 2}, {3, 0, 1}, 4);
            key_turn(scene, n, {}, from_axis_angle({0, 1, 0}, 2), 4);
        }
        for (const char* name :
             {"follower", "both", "aimer", "limited", "wheel", "driven", "lagging"})
            add_node(scene, name, kNone, {{0, 0.5, 0}, {}, {1, 1, 1}});
        for (int i = 0; i < 4; ++i)
            add_node(scene, "c" + std::to_string(i),
                     i == 0 ? kNone : static_cast<int>(scene.nodes.size()) - 1,
                     {{0, 1, 0.01 * i}, {}, {1, 1, 1}});
        key(scene, find_node(scene, "limited"), Path::kTranslation, {0, 0, 0}, {9, 0, 0}, 4);
        key(scene, find_node(scene, "lagging"), Path::kTranslation, {0, 0, 0}, {9, 0, 0}, 4);
        rules = sheet(R"(
[[scalar]]
name = "half"
keys = [[0, 0], [96, 1]]
[[rule]]
kind = "follow"
node = "follower"
source = "from"
[[rule]]
kind = "follow"
node = "both"
weight = "half"
[[rule.source]]
node = "from"
[[rule.source]]
node = "other"
weight = "half"
[[rule]]
kind = "aim"
node = "aimer"
source = "other"
axis = "+Z"
up_axis = "+Y"
up = "+Y"
[[rule]]
kind = "limb"
start = "c0"
mid = "c1"
end = "c2"
goal = "from"
pole = "other"
soft = 0.1
stretch = 1.1
[[rule]]
kind = "chain"
joints = ["c2", "c3"]
goal = "other"
[[rule]]
kind = "limit"
node = "limited"
of = "position"
axis = "+X"
most = 4
[[rule]]
kind = "roll"
node = "wheel"
axis = "+X"
up = "+Y"
radius = 1
[[rule]]
kind = "drive"
node = "driven"
channel = "position"
axis = "+X"
[[rule.input]]
of = "distance"
node = "from"
to = "other"
curve = [[0, 0], [9, 1]]
[[rule]]
kind = "lag"
node = "lagging"
frequency = 2
)");
        // The limb writes the end's turn, the chain too: only the limb's may.
        std::get<LimbRule>(rules.rules[3].body).end_follows_goal = false;
        performance.timeline = 0;
        performance.layers.resize(2);
        performance.layers[0].mask.names = {"follower"};
        performance.layers[0].body = OffsetLayer{{0, 1, 0}, 10, false, {}};
        performance.layers[1].body = ShakeLayer{{1, 1, 1}, {}, 1, {1, 2, 3}};
        performance.layers[1].mask.names = {"aimer"};
    }
};

TEST(FrameLoopTest, NothingIsAllocatedInIt) {
    if (!allocations()) GTEST_SKIP() << "sanitizers count their own";
    const EveryRule all;
    const Rig rig = Rig::bind(all.scene, all.performance, all.rules).value();
    PoseTile tile = rig.source().make_tile();
    std::vector<double> seconds;
    for (int f = 0; f < kTileFrames; ++f) seconds.push_back(f / 24.0);
    rig.evaluate(seconds, tile);  // what is kept grows here, once
    const std::size_t before = *allocations();
    for (int round = 0; round < 10; ++round) rig.evaluate(seconds, tile);
    EXPECT_EQ(*allocations() - before, 0U);
    EXPECT_GT(before, 0U);
}

TEST(FrameLoopTest, BakingAllocatesNoMoreForMoreFrames) {
    if (!allocations()) GTEST_SKIP() << "sanitizers count their own";
    const EveryRule all;
    const Rig rig = Rig::bind(all.scene, all.performance, all.rules).value();
    JointChoice every;
    const auto joints = choose_joints(all.scene, every).value();
    const ThreadLimit one(1);
    const auto count = [&](int samples) {
        const SamplePlan plan{"c", 0, samples - 1, {24, 1}, {24, 1}, samples, false};
        const std::size_t before = *allocations();
        const Baked baked =
            bake(take_of(all.scene, rig.source(), joints.skeleton, joints.sources), plan);
        EXPECT_EQ(baked.clip.samples, samples);
        return *allocations() - before;
    };
    (void)count(40);
    // Both are one chunk of work.
    EXPECT_EQ(count(64), count(480));
}

TEST(FrameLoopTest, ThreadsAndTilesDoNotChangeABit) {
    const EveryRule all;
    const Rig rig = Rig::bind(all.scene, all.performance, all.rules).value();
    const auto joints = choose_joints(all.scene, {}).value();
    const SamplePlan plan{"c", 0, 96, {24, 1}, {480, 1}, 1921, false};
    const auto run = [&](unsigned threads, const PoseSource& poses) {
        const ThreadLimit limit(threads);
        return bake(take_of(all.scene, poses, joints.skeleton, joints.sources), plan).clip;
    };
    const Clip one = run(1, rig.source()), two = run(2, rig.source()),
               less = run(2, rig.source(take_needs(all.scene, joints.skeleton, joints.sources)));
    for (std::size_t j = 0; j < one.joints.size(); ++j)
        for (const Clip* other : {&two, &less}) {
            EXPECT_EQ(one.joints[j].translation, other->joints[j].translation);
            EXPECT_EQ(one.joints[j].rotation, other->joints[j].rotation);
            EXPECT_EQ(one.joints[j].scale, other->joints[j].scale);
        }
}

TEST(FrameLoopTest, AHundredMetresAwayNothingIsLost) {
    // Thirty joints of 7 cm on a root that wanders 100 m from the origin; the baked floats replayed
    // in double, against the source in double.
    Scene scene = test::chain_scene(31, 0.07);
    key(scene, 0, Path::kTranslation, {100, 0.9, -60}, {98, 1.1, -63});
    for (int n = 1; n < 31; ++n)
        key_turn(scene, n, from_axis_angle(normalized({1, 0.1 * n, 0.3}, {}), 0.02 * n),
                 from_axis_angle(normalized({0.2, 1, 0.01 * n}, {}), -0.4));
    const Rig rig = Rig::bind(scene, 0, {}).value();
    const auto joints = choose_joints(scene, {}).value();
    const SamplePlan plan{"far", 0, 30, {30, 1}, {30, 1}, 31, false};
    const Clip clip =
        bake(take_of(scene, rig.source(), joints.skeleton, joints.sources), plan).clip;
    PoseTile tile = rig.source().make_tile();
    double worst = 0;
    for (int k = 0; k < 31; ++k) {
        const double second = plan.second(k);
        rig.evaluate({&second, 1}, tile);
        // The root's own rounding is a matter of where the figure is, not of how it is posed.
        const Vec3 moved = local_at(clip.joints[0], k).t - tile.world(0, 0).o;
        EXPECT_LT(length(moved), 100 * 0x1p-23);
        Affine world;
        for (int j = 0; j < 31; ++j) {
            world = world * to_affine(local_at(clip.joints[at(j)], k));
            worst = std::max(worst, length(world.o - tile.world(j, 0).o - moved));
        }
    }
    EXPECT_LT(worst, 1e-6);
    EXPECT_GT(worst, 1e-9);
}

}  // namespace
}  // namespace mellow
