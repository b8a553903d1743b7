// Rules in poses where right and wrong differ: turned and scaled rest poses, uneven keys, products
// that do not commute. Expected values are worked by hand.
#include <fmt/format.h>

#include <cmath>

#include "mellow/lift.h"
#include "mellow/pose.h"
#include "rigs.h"

namespace mellow::rules_by_hand_test {
namespace {

using namespace test;

constexpr double pi = std::numbers::pi;
const Vec3 kOne{1, 1, 1};

std::string rule(const std::string& kind, const std::string& keys) {
    return "[[rule]]\nkind = \"" + kind + "\"\n" + keys;
}

/// Of a, b and c, towards "goal", bending to "pole".
std::string limb(const std::string& more = "") {
    return rule(
        "limb",
        "start = \"a\"\nmid = \"b\"\nend = \"c\"\ngoal = \"goal\"\npole = \"pole\"\n" + more);
}

Quat turned(const PoseTile& tile, int node, int frame = 0) {
    const Affine w = tile.world(node, frame);
    return quat_from_columns(normalized(w.x, {}), normalized(w.y, {}), normalized(w.z, {}));
}

TEST(PaperTest, AnAimThatKeepsItsOffsetRestsAsItWas) {
    Scene scene;
    const Quat rest = turn(kX, 30) * turn(kZ, 20);
    add_node(scene, "eye", kNone, {{1, 2, 3}, rest, kOne});
    add_node(scene, "apple", kNone, {{4, 6, 5}, {}, kOne});
    const auto rules = sheet(rule("aim",
                                  "node = \"eye\"\nsource = \"apple\"\naxis = \"+Z\"\n"
                                  "up_axis = \"+Y\"\nup = \"+Y\"\noffset = \"keep\"\n"));
    EXPECT_NEAR(angle(turned(evaluate(scene, rules), 0), rest), 0, 1e-9);
    // The apple goes a quarter round the upright through the eye: so does the eye.
    scene.nodes[1].local.t = {1 + 2, 6, 3 - 3};
    key(scene, 1, Path::kTranslation, {4, 6, 5}, {1 + 2, 6, 3 - 3});
    scene.nodes[1].local.t = {4, 6, 5};
    EXPECT_NEAR(angle(turned(evaluate(scene, rules, 1), 0), turn(kY, 90) * rest), 0, 1e-9);
}

TEST(PaperTest, AnAimAtAnUpNodesAxisKeepsItsOffset) {
    Scene scene;
    const Quat rest = turn(kZ, 40), lamp = turn(kX, 70);
    add_node(scene, "eye", kNone, {{}, rest, kOne});
    add_node(scene, "apple", kNone, {{3, 0, 4}, {}, kOne});
    add_node(scene, "lamp", kNone, {{0, 9, 0}, lamp, kOne});
    const auto rules =
        sheet(rule("aim",
                   "node = \"eye\"\nsource = \"apple\"\naxis = \"+Z\"\nup_axis = \"+Y\"\n"
                   "up_node = \"lamp\"\nup = \"+Y\"\noffset = \"keep\"\n"));
    EXPECT_NEAR(angle(turned(evaluate(scene, rules), 0), rest), 0, 1e-9);
}

TEST(PaperTest, AScaledLimbHasLongerBones) {
    Scene scene;
    add_node(scene, "a", kNone, {{0, 10, 0}, turn(kX, 10), {2, 2, 2}});
    add_node(scene, "b", 0, {{0, -3, 0}, turn(kX, -20), kOne});
    add_node(scene, "c", 1, {{0, -4, 0}, {}, kOne});
    add_node(scene, "goal", kNone, {{0, 0, 0}, {}, kOne});
    add_node(scene, "pole", kNone, {{0, 5, 9}, {}, kOne});
    const PoseTile tile = evaluate(scene, sheet(limb()));
    // 6 and 8 long, 10 apart: a right angle at the knee, 3.6 down and 4.8 to the front.
    EXPECT_LT(length(tile.world(1, 0).o - Vec3{0, 10 - 3.6, 4.8}), 1e-9);
    EXPECT_LT(length(tile.world(2, 0).o), 1e-9);
}

TEST(PaperTest, ALimbNearerThanItCanBendStopsThere) {
    Scene scene;
    add_node(scene, "a", kNone, {{}, turn(kX, 10), kOne});
    add_node(scene, "b", 0, {{0, -3, 0}, turn(kX, -20), kOne});
    add_node(scene, "c", 1, {{0, -5, 0}, {}, kOne});
    add_node(scene, "goal", kNone, {{0, -1, 0}, {}, kOne});
    add_node(scene, "pole", kNone, {{0, -1, 9}, {}, kOne});
    const PoseTile near = evaluate(scene, sheet(limb()));
    EXPECT_NEAR(length(near.world(2, 0).o), 2, 1e-6) << "5 - 3: folded whole";
    EXPECT_LT(length(near.world(2, 0).o - Vec3{0, -2, 0}), 1e-6);
    EXPECT_LT(length(near.world(1, 0).o - Vec3{0, 3, 0}), 1e-3);
    // Four away: c = (9 + 16 - 25) / 24 = 0, a right angle at the start.
    scene.nodes[3].local.t = {0, -4, 0};
    const PoseTile tile = evaluate(scene, sheet(limb()));
    EXPECT_LT(length(tile.world(1, 0).o - Vec3{0, 0, 3}), 1e-9) << "3-4-5";
}

TEST(PaperTest, AStraightLimbBendsTowardsItsPole) {
    for (const double side : {1.0, -1.0}) {
        Scene scene;
        add_node(scene, "a", kNone, {});
        add_node(scene, "b", 0, {{0, -3, 0}, {}, kOne});
        add_node(scene, "c", 1, {{0, -4, 0}, {}, kOne});
        add_node(scene, "goal", kNone, {{0, -5, 0}, {}, kOne});
        add_node(scene, "pole", kNone, {{0, -3, side * 9}, {}, kOne});
        const auto tile = evaluate(scene, sheet(limb("end_orientation = \"free\"\n")));
        EXPECT_LT(length(tile.world(1, 0).o - Vec3{0, -1.8, side * 2.4}), 1e-9);
        // About the hinge of the rest pose alone: X stays X.
        EXPECT_LT(length(tile.world(1, 0).x - kX), 1e-9);
    }
}

TEST(PaperTest, AGoalOnTheLineOfItsPoleBendsAboutTheHingeOfRest) {
    Scene scene;
    add_node(scene, "a", kNone, {{}, turn(kX, -20), kOne});
    add_node(scene, "b", 0, {{0, -3, 0}, turn(kX, 40), kOne});
    add_node(scene, "c", 1, {{0, -4, 0}, {}, kOne});
    add_node(scene, "goal", kNone, {{0, -5, 0}, {}, kOne});
    add_node(scene, "pole", kNone, {{0, -9, 0}, {}, kOne});
    const auto tile = evaluate(scene, sheet(limb()));
    // At rest the knee is in front: turned by -20 about X, (0, -3, 0) has Z = 3 sin 20.
    EXPECT_GT(evaluate(scene, {}).world(1, 0).o.z, 1);
    EXPECT_LT(length(tile.world(1, 0).o - Vec3{0, -1.8, 2.4}), 1e-6);
}

TEST(PaperTest, TheEndOfALimbTurnsAsItsGoalDoes) {
    Scene scene;
    add_node(scene, "a", kNone, {{}, turn(kX, -20), kOne});
    add_node(scene, "b", 0, {{0, -3, 0}, turn(kX, 40), kOne});
    add_node(scene, "c", 1, {{0, -4, 0}, turn(kY, 30), kOne});
    add_node(scene, "goal", kNone, {{0, -6, 0}, turn(kZ, 50), kOne});
    add_node(scene, "pole", kNone, {{0, -3, 9}, {}, kOne});
    const Quat end = turned(evaluate(scene, {}), 2);
    const Quat by = turn(kX, 35);
    key_turn(scene, 3, turn(kZ, 50), by * turn(kZ, 50));
    const auto tile = evaluate(scene, sheet(limb()), 1);
    EXPECT_NEAR(angle(turned(tile, 2), by * end), 0, 1e-9);
}

TEST(PaperTest, ALimbBeginsWhereARulePutsItsStart) {
    Scene scene;
    add_node(scene, "a", kNone, {});
    add_node(scene, "b", 0, {{0, -3, 0}, turn(kX, 1), kOne});
    add_node(scene, "c", 1, {{0, -4, 0}, {}, kOne});
    add_node(scene, "goal", kNone, {{2, -5, 0}, {}, kOne});
    add_node(scene, "pole", kNone, {{2, -3, 9}, {}, kOne});
    const auto tile =
        evaluate(scene, sheet("[[scalar]]\nname = \"x\"\nvalue = 1\n" + limb() +
                              rule("drive",
                                   "node = \"a\"\nchannel = \"position\"\naxis = \"+X\"\n"
                                   "[[rule.input]]\nof = \"scalar\"\nscalar = \"x\"\n"
                                   "curve = [[0, 0], [1, 2]]\n")));
    EXPECT_LT(length(tile.world(0, 0).o - Vec3{2, 0, 0}), 1e-9);
    EXPECT_LT(length(tile.world(2, 0).o - Vec3{2, -5, 0}), 1e-9);
    EXPECT_LT(length(tile.world(1, 0).o - Vec3{2, -1.8, 2.4}), 1e-9);
}

TEST(PaperTest, AReplacedPoseIsPlaceTurnAndScale) {
    Scene scene;
    scene.rate = {10, 1};
    add_node(scene, "n", kNone, {});
    key(scene, 0, Path::kTranslation, {0, 0, 0}, {2, 0, 0});
    key(scene, 0, Path::kScale, {1, 1, 1}, {3, 5, 1});
    key_turn(scene, 0, {}, turn(kZ, 80));
    Layer layer;
    layer.body = ReplaceLayer{0, 10};
    layer.mask.names = {"n"};
    layer.constant_weight = 0.5;
    Performance performance;
    performance.timeline = 0;
    performance.layers = {layer};
    const Transform t = evaluate(scene, {}, performance, {0}).local(0, 0);
    EXPECT_LT(length(t.t - Vec3{1, 0, 0}), 1e-9);
    EXPECT_LT(length(t.s - Vec3{2, 3, 1}), 1e-9);
    EXPECT_LT(angle(t.r, turn(kZ, 40)), 1e-6);
}

TEST(PaperTest, SlopesOfCurvesArePerUnit) {
    ValueCurve curve{{{0, 0, 0}, {4, 0, 1}}, CurveShape::kSlopes};
    EXPECT_DOUBLE_EQ(value_at(curve, 2), -0.5);  // u^2 (u - 1) * 4 * 1
    curve.points = {{0, 0, 1}, {4, 0, 0}};
    EXPECT_DOUBLE_EQ(value_at(curve, 2), 0.5);
    curve = {{{0, 1, 0}, {2, 5, 0}, {3, 7, 0}}, CurveShape::kStep};
    EXPECT_EQ(value_at(curve, 2), 5);
    EXPECT_EQ(value_at(curve, 1.999), 1);
}

TEST(PaperTest, FollowedAxesAndScales) {
    Scene scene;
    add_node(scene, "n", kNone, {{}, turn(kX, 30), kOne});
    add_node(scene, "s", kNone, {});
    key_turn(scene, 1, {}, turn(kY, 50));
    const auto masked =
        sheet(rule("follow", "node = \"n\"\nsource = \"s\"\nparts = [\"orientation.Y\"]\n"));
    EXPECT_NEAR(angle(turned(evaluate(scene, masked, 1), 0), turn(kY, 50) * turn(kX, 30)), 0, 1e-9);
    // Of a turn about all axes, Y and Z take what is left without the twist about X.
    scene.timelines.clear();
    key_turn(scene, 1, {}, turn(kY, 50) * turn(kX, 60));
    const auto two = sheet(
        rule("follow",
             "node = \"n\"\nsource = \"s\"\nparts = [\"orientation.Y\", \"orientation.Z\"]\n"));
    EXPECT_NEAR(angle(turned(evaluate(scene, two, 1), 0), turn(kY, 50) * turn(kX, 30)), 0, 1e-9);

    Scene sized;
    const int above = add_node(sized, "above", kNone, {{}, {}, {2, 2, 2}});
    add_node(sized, "n", above, {{}, {}, {0.5, 1, 2}});
    for (const char* name : {"s", "t"}) add_node(sized, name, kNone, {{}, {}, {3, 3, 3}});
    const std::string sources = "[[rule.source]]\nnode = \"s\"\n[[rule.source]]\nnode = \"t\"\n";
    EXPECT_LT(length(evaluate(sized, sheet(rule("follow",
                                                "node = \"n\"\nparts = [\"scale\"]\n"
                                                "offset = \"none\"\n" +
                                                    sources)))
                         .local(1, 0)
                         .s -
                     Vec3{1.5, 1.5, 1.5}),
              1e-12);
    // Kept, it is as much larger as its source is.
    key(sized, 2, Path::kScale, {3, 3, 3}, {6, 3, 3});
    EXPECT_LT(length(evaluate(sized,
                              sheet(rule("follow",
                                         "node = \"n\"\nsource = \"s\"\n"
                                         "parts = [\"scale\"]\n")),
                              1)
                         .local(1, 0)
                         .s -
                     Vec3{1, 1, 2}),
              1e-12);
}

TEST(PaperTest, WeightsBelowZeroAreNone) {
    Scene scene;
    add_node(scene, "n", kNone, {{7, 0, 0}, {}, kOne});
    add_node(scene, "s", kNone, {{1, 0, 0}, {}, kOne});
    add_node(scene, "t", kNone, {{5, 0, 0}, {}, kOne});
    const auto at = [&](double s, double t) {
        return evaluate(scene,
                        sheet(rule("follow", fmt::format("node = \"n\"\nparts = [\"position\"]\n"
                                                         "offset = \"none\"\n[[rule.source]]\n"
                                                         "node = \"s\"\nweight = {}\n"
                                                         "[[rule.source]]\nnode = \"t\"\n"
                                                         "weight = {}\n",
                                                         s, t))))
            .local(0, 0)
            .t.x;
    };
    EXPECT_DOUBLE_EQ(at(1, 3), 4);
    EXPECT_DOUBLE_EQ(at(-1, 3), 5);
    EXPECT_DOUBLE_EQ(at(-1, -3), 7) << "no weight at all: its keys";
}

TEST(PaperTest, ASwingIsLimitedWithoutItsTwistOnEitherHemisphere) {
    for (const double sign : {1.0, -1.0}) {
        Scene scene;
        add_node(scene, "n", kNone, {});
        const Quat q = turn(kX, 70) * turn(kY, 50);
        key(scene, 0, Path::kRotation, {sign * q.x, sign * q.y, sign * q.z, sign * q.w},
            {sign * q.x, sign * q.y, sign * q.z, sign * q.w});
        const auto swing =
            sheet(rule("limit", "node = \"n\"\nof = \"swing\"\naxis = \"+Y\"\nmost = 40\n"));
        EXPECT_NEAR(angle(evaluate(scene, swing).local(0, 0).r, turn(kX, 40) * turn(kY, 50)), 0,
                    1e-9);
        const auto twist =
            sheet(rule("limit", "node = \"n\"\nof = \"twist\"\naxis = \"+Y\"\nmost = 20\n"));
        EXPECT_NEAR(angle(evaluate(scene, twist).local(0, 0).r, turn(kX, 70) * turn(kY, 20)), 0,
                    1e-9);
    }
}

TEST(PaperTest, LimitsOfOneNodeGoInTheirOrder) {
    Scene scene;
    add_node(scene, "n", kNone, {{0, 9, 0}, {}, kOne});
    const std::string world =
        rule("limit", "node = \"n\"\nof = \"world\"\naxis = \"+Y\"\nleast = 3\n");
    const std::string place =
        rule("limit", "node = \"n\"\nof = \"position\"\naxis = \"+Y\"\nmost = 2\n");
    EXPECT_DOUBLE_EQ(evaluate(scene, sheet(world + place)).local(0, 0).t.y, 3);
    EXPECT_DOUBLE_EQ(evaluate(scene, sheet(place + world)).local(0, 0).t.y, 3);
}

TEST(PaperTest, TwoRulesOnOneScalarClash) {
    Scene scene;
    add_node(scene, "n", kNone, {});
    const std::string drive =
        rule("drive",
             "scalar = \"x\"\n[[rule.input]]\nof = \"position\"\nnode = \"n\"\naxis = \"+X\"\n"
             "curve = [[0, 0], [1, 1]]\n");
    EXPECT_THAT(Rig::bind(scene, kNone, sheet("[[scalar]]\nname = \"x\"\n" + drive + drive)),
                FailsWith(Code::kRuleClash, "scalar \"x\""));
}

TEST(PaperTest, DrivesReadAndWriteFromRest) {
    Scene scene;
    add_node(scene, "in", kNone, {{5, 0, 0}, turn(kX, 30), kOne});
    add_node(scene, "out", kNone, {{1, 2, 3}, turn(kZ, 40), kOne});
    key(scene, 0, Path::kTranslation, {5, 0, 0}, {5.5, 0, 0});
    const std::string input =
        "[[rule.input]]\nof = \"position\"\nnode = \"in\"\naxis = \"+X\"\n"
        "curve = [[0, 0], [1, 1]]\n";
    const auto place =
        sheet(rule("drive", "node = \"out\"\nchannel = \"position\"\naxis = \"+Y\"\n" + input));
    EXPECT_LT(length(evaluate(scene, place, 1).local(1, 0).t - Vec3{1, 2.5, 3}), 1e-12);
    const auto spin = sheet(rule("drive",
                                 "node = \"out\"\nchannel = \"turn\"\naxis = \"+X\"\n"
                                 "combine = \"sum\"\n" +
                                     input + input));
    EXPECT_NEAR(angle(evaluate(scene, spin, 1).local(1, 0).r, turn(kZ, 40) * turn(kX, 1)), 0, 1e-9);
}

TEST(PaperTest, AnOverdampedSpringCreeps) {
    Scene scene;
    add_node(scene, "hat", kNone, {});
    key(scene, 0, Path::kTranslation, {0, 0, 0}, {1, 0, 0});
    scene.timelines[0].channels[0].curve = Curve{
        Interpolation::kLinear, 3, {0, 1, 1 + 1 / 240.0, 4}, {0, 0, 0, 0, 0, 0, 1, 0, 0, 1, 0, 0}};
    const auto rules = sheet(rule("lag", "node = \"hat\"\nfrequency = 2\ndamping = 3\n"));
    const double w = 2 * pi * 2, p1 = w * (3 - std::sqrt(8.0)), p2 = w * (3 + std::sqrt(8.0));
    for (const double t : {0.05, 0.2, 0.6, 1.5}) {
        const double expected = 1 - (p2 * std::exp(-p1 * t) - p1 * std::exp(-p2 * t)) / (p2 - p1);
        EXPECT_NEAR(evaluate(scene, rules, 1 + 0.5 / 240 + t).world(0, 0).o.x, expected, 1e-3) << t;
    }
}

TEST(PaperTest, SteadyTargetsAreFollowedAtTheirDistance) {
    Scene scene;
    add_node(scene, "hat", kNone, {});
    key(scene, 0, Path::kTranslation, {0, 0, 0}, {0, 0, 60}, 6);  // 10 a second
    for (const double damping : {0.25, 0.5, 1.0, 3.0})
        EXPECT_NEAR(60 - evaluate(scene,
                                  sheet(rule("lag", fmt::format("node = \"hat\"\nfrequency = 2\n"
                                                                "damping = {}\n",
                                                                damping))),
                                  6)
                             .world(0, 0)
                             .o.z,
                    10 * 2 * damping / (2 * pi * 2), 1e-3)
            << damping;
}

TEST(PaperTest, AWheelOnATightBendCoversTheArc) {
    // Four times round a second, half a metre out: 4 pi metres on a wheel of 0.3.
    Scene scene;
    add_node(scene, "cart", kNone, {});
    add_node(scene, "wheel", 0, {{0.5, 0.3, 0}, {}, kOne});
    Curve round{Interpolation::kLinear, 4, {}, {}};
    for (int k = 0; k <= 24; ++k) {
        const Quat q = turn(kY, 60.0 * k);
        round.times.push_back(k / 24.0);
        round.values.append({q.x, q.y, q.z, q.w});
    }
    scene.timelines.emplace_back().channels.push_back({0, Path::kRotation, round});
    const PoseTile tile = evaluate(
        scene, sheet(rule("roll", "node = \"wheel\"\naxis = \"+X\"\nup = \"+Y\"\nradius = 0.3\n")),
        1);
    // Turning about +Y takes +X to -Z: backwards, for a hub along +X and up +Y.
    const double rolled = -4 * 2 * pi * 0.5 / 0.3 * 180 / pi;
    EXPECT_NEAR(angle(tile.local(1, 0).r, turn(kX, rolled)), 0, 0.1);
}

/// A chain of four along +Y, its goal out to the side.
Scene chain() {
    Scene scene;
    for (int i = 0; i < 4; ++i)
        add_node(scene, fmt::format("c{}", i), i - 1,
                 {{i == 0 ? 0.0 : 0.1 * i, i == 0 ? 0.0 : 1.0, 0}, turn(kX, 5 * i), kOne});
    add_node(scene, "goal", kNone, {{1.5, 0.5, 1}, {}, kOne});
    return scene;
}
std::string chain_rule(const std::string& more) {
    return rule("chain", "joints = [\"c0\", \"c1\", \"c2\", \"c3\"]\ngoal = \"goal\"\n" + more);
}

TEST(PaperTest, ChainsHoldTheirBoundsAndTheirLastTurn) {
    const Scene scene = chain();
    const PoseTile one = evaluate(scene, sheet(chain_rule("weight = 1\n")));
    const PoseTile two = evaluate(scene, sheet(chain_rule("weight = 2\n")));
    for (int j = 0; j < 4; ++j)
        EXPECT_NEAR(angle(one.local(j, 0).r, two.local(j, 0).r), 0, 1e-9) << "2 is held to 1";
    EXPECT_LT(length(one.world(3, 0).o - Vec3{1.5, 0.5, 1}), 1e-4);
    EXPECT_NEAR(angle(one.local(3, 0).r, turn(kX, 15)), 0, 1e-9) << "the last keeps its own turn";
    // Out of reach: limits hold all the same.
    Scene far = scene;
    far.nodes[4].local.t = {9, -9, 0};
    const PoseTile held = evaluate(far, sheet(chain_rule("limit = 20\n")));
    for (int j = 0; j < 3; ++j)
        EXPECT_LT(angle(held.local(j, 0).r, far.nodes[static_cast<std::size_t>(j)].local.r),
                  20 + 1e-6)
            << j;
    EXPECT_GT(angle(held.local(1, 0).r, far.nodes[1].local.r), 15);
}

TEST(PaperTest, AChainReachesAsNearAsItsTolerance) {
    Scene scene = chain();
    double worst = 0;
    for (int k = 0; k < 12; ++k) {
        scene.nodes[4].local.t = {1.2 + 0.05 * k, 0.4 + 0.1 * k, 0.9 - 0.1 * k};
        const PoseTile tile = evaluate(scene, sheet(chain_rule("tolerance = 1e-3\n")));
        worst = std::max(worst, length(tile.world(3, 0).o - scene.nodes[4].local.t));
    }
    EXPECT_LE(worst, 1e-3 * 3.2);
    EXPECT_GT(worst, 1e-5);
}

TEST(PaperTest, SmoothedKeysNeedNotStandEvenly) {
    Scene scene;
    scene.rate = {10, 1};
    add_node(scene, "n", kNone, {});
    scene.timelines.emplace_back();
    // y = t^2 at 0, 0.1, 0.4, 0.5 and 0.9.
    scene.timelines[0].channels.push_back(
        {0,
         Path::kTranslation,
         {Interpolation::kLinear,
          3,
          {0, 0.1, 0.4, 0.5, 0.9},
          {0, 0, 0, 0, 0.01, 0, 0, 0.16, 0, 0, 0.25, 0, 0, 0.81, 0}}});
    Layer layer;
    layer.body = SmoothLayer{1, 5};
    layer.mask.names = {"n"};
    Performance performance;
    performance.timeline = 0;
    performance.layers = {layer};
    const double slope_a = 0.16 / 0.4, slope_b = (0.25 - 0.01) / 0.4;  // over neighbours
    // Half way from 0.1 to 0.4: mean of the ends and an eighth of the length times the slopes.
    const double expected = (0.01 + 0.16) / 2 + 0.3 * (slope_a - slope_b) / 8;
    EXPECT_NEAR(evaluate(scene, {}, performance, {0.25}).local(0, 0).t.y, expected, 1e-12);
    const double slope_c = (0.81 - 0.16) / 0.5;  // from beyond the range
    EXPECT_NEAR(evaluate(scene, {}, performance, {0.45}).local(0, 0).t.y,
                (0.16 + 0.25) / 2 + 0.1 * (slope_b - slope_c) / 8, 1e-12);
}

TEST(PaperTest, ShortlyBesideAKeyTheCurveGoesOn) {
    Scene scene;
    add_node(scene, "n", kNone, {});
    key(scene, 0, Path::kTranslation, {0, 0, 0}, {240, 0, 0});
    for (const double t : {0.005, 0.995})
        EXPECT_NEAR(evaluate(scene, {}, t).local(0, 0).t.x, 240 * t, 1e-9);
}

TEST(PaperTest, BlocksThatRepeatGoOnFromWhereTheyEnded) {
    Scene scene;
    scene.rate = {10, 1};
    add_node(scene, "n", kNone, {{0, 0, 5}, {}, kOne});
    key(scene, 0, Path::kTranslation, {0, 0, 5}, {10, 0, 7});
    key_turn(scene, 0, turn(kX, 20), turn(kY, 90) * turn(kX, 20));
    Performance performance;
    performance.arrangement.emplace();
    Block block;
    block.timeline = 0;
    block.last = 10;
    block.repeats = 3;
    block.onward = {"n"};
    performance.arrangement->blocks = {block};
    // What leads from the first pose to the last is laid on from the left: Ry90 about the origin,
    // then to (10, 0, 7) from where that puts (0, 0, 5), which is (5, 0, 0): by (5, 0, 7).
    const auto tile = evaluate(scene, {}, performance, {1, 2, 3});
    EXPECT_LT(length(tile.local(0, 0).t - Vec3{10, 0, 7}), 1e-9);
    EXPECT_LT(length(tile.local(0, 1).t - Vec3{7 + 5, 0, -10 + 7}), 1e-9);
    EXPECT_LT(length(tile.local(0, 2).t - Vec3{-3 + 5, 0, -12 + 7}), 1e-9);
    EXPECT_NEAR(angle(tile.local(0, 1).r, turn(kY, 180) * turn(kX, 20)), 0, 1e-9);
    performance.arrangement->blocks[0].onward = {"m"};
    EXPECT_THAT(Rig::bind(scene, performance, {}), FailsWith(Code::kNameUnknown, "\"m\""));
}

TEST(PaperTest, LiftedPolesStandAsFarOutAsAtRest) {
    Scene scene;
    add_node(scene, "a", kNone, {{}, turn(kX, -20), kOne});
    add_node(scene, "b", 0, {{0, -3, 0}, turn(kX, 40), kOne});
    add_node(scene, "c", 1, {{0, -4, 0}, turn(kZ, 25), kOne});
    add_node(scene, "goal", kNone, {{0, -6, 0}, turn(kY, 15), kOne});
    add_node(scene, "pole", kNone, {{0.5, -3, 9}, {}, kOne});
    const double far = length(scene.nodes[4].local.t - rest_worlds(scene)[1].o);
    Scene motion;
    for (std::size_t n = 0; n < 3; ++n) motion.nodes.push_back(scene.nodes[n]);
    motion.roots = {0};
    motion.rate = {10, 1};
    key_turn(motion, 1, turn(kX, 40), turn(kX, 90));
    const auto lifted = lift(scene, sheet(limb()), motion, 0);
    ASSERT_THAT(lifted, IsOk());
    for (const Channel& c : lifted.value().timeline.channels) {
        double value[4];
        for (const double t : {0.0, 1.0}) {
            sample(c.curve, c.path == Path::kRotation, {&t, 1}, value);
            const Pose given = pose_at(motion, motion.timelines[0], t);
            if (c.node == 4) {
                EXPECT_NEAR(length(Vec3{value[0], value[1], value[2]} - given.worlds[1].o), far,
                            1e-6);
            }
        }
    }
    for (const LiftError& e : lifted.value().errors) EXPECT_LT(e.worst_degrees, 1e-4) << e.joint;
    // Half of a limb in the motion says nothing of its goal, and does no harm.
    motion.nodes.resize(2);
    motion.timelines[0].channels[0].node = 1;
    EXPECT_THAT(lift(scene, sheet(limb()), motion, 0), IsOk());
}

TEST(PaperTest, AControlAboveCarriesTheOneBelowToItsPlace) {
    Scene scene;
    add_node(scene, "n", kNone, {{1, 1, 0}, turn(kY, 20), kOne});
    add_node(scene, "above", kNone, {{0.2, 0.3, 0}, turn(kZ, 40), kOne});
    add_node(scene, "below", 1, {{0.5, 0.4, 0.3}, turn(kX, 30), kOne});
    Scene motion;
    motion.nodes = {scene.nodes[0]};
    motion.roots = {0};
    motion.rate = {10, 1};
    key(motion, 0, Path::kTranslation, {1, 1, 0}, {2, 0, 1});
    key_turn(motion, 0, turn(kY, 20), turn(kX, 70) * turn(kY, 20));
    LiftOptions options;
    options.onto = {{"below", "above"}};
    const auto lifted = lift(scene, sheet(rule("follow", "node = \"n\"\nsource = \"below\"\n")),
                             motion, 0, options);
    ASSERT_THAT(lifted, IsOk());
    EXPECT_EQ(lifted.value().controls, std::vector<std::string>{"above"});
    EXPECT_LT(lifted.value().errors.at(0).worst_mm, 1e-6);
    EXPECT_LT(lifted.value().errors.at(0).worst_degrees, 1e-5);
}

TEST(PaperTest, OnlyTheSameRestPoseMeansOtherAxes) {
    Scene scene;
    for (int i = 0; i < 3; ++i)
        add_node(scene, fmt::format("j{}", i), i - 1, {{0, i == 0 ? 0.0 : 1.0, 0}, {}, kOne});
    add_node(scene, "ctl", kNone, {{0, 0, 1}, {}, kOne});
    Scene motion = scene;
    motion.nodes.pop_back(), motion.roots = {0};
    motion.rate = {10, 1};
    // Turned at rest and 5 cm longer: another figure, whose turns are taken as they are.
    motion.nodes[2].local.r = turn(kZ, 30);
    motion.nodes[1].local.t = {0, 1.05, 0};
    key_turn(motion, 2, turn(kZ, 30), turn(kZ, 80));
    const auto lifted = lift(scene,
                             sheet(rule("follow",
                                        "node = \"j2\"\nsource = \"ctl\"\n"
                                        "parts = [\"orientation\"]\n")),
                             motion, 0);
    ASSERT_THAT(lifted, IsOk());
    double q[4];
    const double end = 1;
    sample(lifted.value().timeline.channels[0].curve, true, {&end, 1}, q);
    EXPECT_NEAR(angle({q[0], q[1], q[2], q[3]}, turn(kZ, 80)), 0, 1e-6);
}

}  // namespace
}  // namespace mellow::rules_by_hand_test
