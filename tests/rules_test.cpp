// Each kind of rule beyond the plain ones of rig_test.cpp, against closed forms, in its degenerate
// poses and over time.
#include <fmt/format.h>

#include <cmath>
#include <numbers>

#include "rigs.h"

namespace mellow {
namespace {

using std::numbers::pi;
using namespace test;

bool finite(const PoseTile& tile, int node) {
    const Affine w = tile.world(node, 0);
    return is_finite(w.x) && is_finite(w.y) && is_finite(w.z) && is_finite(w.o);
}

// ------------------------------------------------------------------------- follow, the other half

/// A node and two sources, 10 apart, the second turned by 90 degrees about Y.
struct Two {
    Scene scene;
    Two() {
        add_node(scene, "node", kNone, {{0, 1, 0}, {}, {1, 1, 1}});
        add_node(scene, "left", kNone, {{-5, 0, 0}, {}, {1, 1, 1}});
        add_node(scene, "right", kNone, {{5, 0, 0}, turn(kY, 90), {1, 1, 1}});
    }
};

std::string two_sources(const std::string& left, const std::string& right,
                        const std::string& more = "") {
    return fmt::format(
        "[[scalar]]\nname = \"pass\"\nkeys = [[0, 0], [10, 1]]\n[[scalar]]\nname = \"stay\"\nkeys "
        "= "
        "[[0, 1], [10, 0]]\n[[rule]]\nkind = \"follow\"\nnode = \"node\"\noffset = "
        "\"none\"\n{}[[rule.source]]\nnode = \"left\"\nweight = {}\n[[rule.source]]\nnode = "
        "\"right\"\nweight = {}\n",
        more, left, right);
}

TEST(FollowTest, SourcesAreMixedByWeight) {
    const PoseTile tile = evaluate(Two().scene, sheet(two_sources("1", "3")));
    // (1 * -5 + 3 * 5) / 4, and the mean of 0 and 90 degrees by weight 1 to 3: the rotation q that
    // maximises cos^2(q/2) + 3 cos^2((90 - q)/2), that is tan(q) = 3 sin(90) / (1 + 3 cos(90)).
    EXPECT_LT(length(tile.world(0, 0).o - Vec3{2.5, 0, 0}), 1e-12);
    EXPECT_NEAR(angle(tile.local(0, 0).r, turn(kY, std::atan(3.0) * 180 / pi)), 0, 1e-6);
}

TEST(FollowTest, KeyedWeightsPassANodeFromHandToHand) {
    Two two;
    two.scene.rate = {10, 1};
    const RigSheet rules = sheet(two_sources("\"stay\"", "\"pass\""));
    EXPECT_LT(length(evaluate(two.scene, rules, 0).world(0, 0).o - Vec3{-5, 0, 0}), 1e-12);
    EXPECT_LT(length(evaluate(two.scene, rules, 0.5).world(0, 0).o), 1e-12);
    EXPECT_LT(length(evaluate(two.scene, rules, 1).world(0, 0).o - Vec3{5, 0, 0}), 1e-12);
    EXPECT_NEAR(angle(evaluate(two.scene, rules, 0.5).local(0, 0).r, turn(kY, 45)), 0, 1e-6);
}

TEST(FollowTest, WithoutAnyWeightTheKeysStay) {
    const PoseTile tile = evaluate(Two().scene, sheet(two_sources("0", "0")));
    EXPECT_EQ(tile.world(0, 0).o, (Vec3{0, 1, 0}));
    const PoseTile half = evaluate(Two().scene, sheet(two_sources("1", "0", "weight = 0.25\n")));
    EXPECT_LT(length(half.world(0, 0).o - Vec3{-1.25, 0.75, 0}), 1e-12);
}

TEST(FollowTest, AxesCanBeLeftOut) {
    Scene scene;
    add_node(scene, "node", kNone, {{0, 1, 0}, {}, {1, 1, 1}});
    add_node(scene, "from", kNone, {});
    key(scene, 1, Path::kTranslation, {0, 0, 0}, {3, 4, 5});
    key_turn(scene, 1, {}, turn(kY, 50) * turn(kX, 20));
    const auto follow = [&](const std::string& parts) {
        return evaluate(scene,
                        sheet("[[rule]]\nkind = \"follow\"\nnode = \"node\"\nsource = \"from\"\n"
                              "offset = \"none\"\nparts = [" +
                              parts + "]\n"),
                        1);
    };
    EXPECT_LT(length(follow("\"position.X\", \"position.Z\"").world(0, 0).o - Vec3{3, 1, 5}),
              1e-12);
    // The turn splits into swing * twist about Y; the twist of Ry(50) Rx(20) about Y is 50 degrees.
    EXPECT_NEAR(angle(follow("\"orientation.Y\"").local(0, 0).r, turn(kY, 50)), 0, 1e-6);
    const Quat rest = follow("\"orientation.X\", \"orientation.Z\"").local(0, 0).r;
    EXPECT_NEAR(twist_angle(rest, kY), 0, 1e-9);
    EXPECT_NEAR(angle(rest * turn(kY, 50), turn(kY, 50) * turn(kX, 20)), 0, 1e-6);
}

// ----------------------------------------------------------------------------------------- aim

const std::string kAim =
    "[[rule]]\nkind = \"aim\"\nnode = \"eye\"\nsource = \"apple\"\naxis = \"+Z\"\nup_axis = "
    "\"+Y\"\n";

/// An eye below a turned head, and an apple to look at.
Scene eye_scene(Vec3 apple) {
    Scene scene;
    add_node(scene, "head", kNone, {{0, 2, 0}, turn(kY, 30), {2, 2, 2}});
    add_node(scene, "eye", 0, {{0, 0.5, 0}, turn(kX, 10), {1, 1, 1}});
    add_node(scene, "apple", kNone, {apple, {}, {1, 1, 1}});
    return scene;
}

TEST(AimTest, TheAxisPointsAndUpIsAsNearAsItCanBe) {
    const Vec3 apple{3, 7, -2}, eye{0, 3, 0};
    const PoseTile tile = evaluate(eye_scene(apple), sheet(kAim + "up = \"+Y\"\n"));
    const Affine w = tile.world(1, 0);
    const Vec3 u = normalized(apple - eye, {});
    EXPECT_LT(length(normalized(w.z, {}) - u), 1e-12);
    EXPECT_LT(length(normalized(w.y, {}) - normalized(kY - dot(kY, u) * u, {})), 1e-12);
}

TEST(AimTest, UpCanBeANodeOrItsAxis) {
    Scene scene = eye_scene({0, 3, 10});
    add_node(scene, "lamp", kNone, {{8, 3, 0}, turn(kZ, 90), {1, 1, 1}});
    const Affine to = evaluate(scene, sheet(kAim + "up_node = \"lamp\"\n")).world(1, 0);
    EXPECT_LT(length(normalized(to.y, {}) - kX), 1e-12);
    const Affine axis =
        evaluate(scene, sheet(kAim + "up_node = \"lamp\"\nup = \"+X\"\n")).world(1, 0);
    EXPECT_LT(length(normalized(axis.y, {}) - kY), 1e-12);
}

TEST(AimTest, DegeneratePosesStayFinite) {
    // Straight above: up says nothing, and the rest pose's up decides. On the eye: it keeps its
    // turn.
    const PoseTile above = evaluate(eye_scene({0, 9, 0}), sheet(kAim + "up = \"+Y\"\n"));
    EXPECT_TRUE(finite(above, 1));
    EXPECT_LT(length(normalized(above.world(1, 0).z, {}) - kY), 1e-9);
    const PoseTile on = evaluate(eye_scene({0, 3, 0}), sheet(kAim + "up = \"+Y\"\n"));
    EXPECT_NEAR(angle(on.local(1, 0).r, turn(kX, 10)), 0, 1e-6);
}

TEST(AimTest, TheWeightLeadsFromTheKeysToTheAim) {
    const auto at = [](const std::string& weight) {
        return evaluate(eye_scene({10, 3, 0}),
                        sheet(kAim + "up = \"+Y\"\nweight = " + weight + "\n"))
            .local(1, 0)
            .r;
    };
    EXPECT_NEAR(angle(at("0.0"), turn(kX, 10)), 0, 1e-6);
    EXPECT_NEAR(angle(at("1.0"), turn(kY, 60)), 0, 1e-6);  // 90 in the world, 30 are the head's
    const double whole = angle(at("1.0"), at("0.0"));
    EXPECT_NEAR(angle(at("0.5"), at("0.0")), whole / 2, 1e-6);
}

// ---------------------------------------------------------------------- limb: stretch, soft,
// weight

/// Bones of 3 and 4 down -Y from the origin, the goal at (0, -distance, 0).
double limb_end(double distance, const std::string& more, double* mid_aside = nullptr) {
    Scene scene;
    add_node(scene, "a", kNone, {{}, turn(kX, -10), {1, 1, 1}});
    add_node(scene, "b", 0, {{0, -3, 0}, turn(kX, 20), {1, 1, 1}});
    add_node(scene, "c", 1, {{0, -4, 0}, {}, {1, 1, 1}});
    add_node(scene, "goal", kNone, {{0, -distance, 0}, {}, {1, 1, 1}});
    add_node(scene, "pole", kNone, {{0, -3, 9}, {}, {1, 1, 1}});
    const PoseTile tile = evaluate(
        scene, sheet("[[rule]]\nkind = \"limb\"\nstart = \"a\"\nmid = \"b\"\nend = \"c\"\ngoal = "
                     "\"goal\"\npole = \"pole\"\n" +
                     more));
    if (mid_aside != nullptr) *mid_aside = tile.world(1, 0).o.z;
    return -tile.world(2, 0).o.y;
}

TEST(LimbTest, StretchReachesTheGoalUpToItsLimit) {
    EXPECT_NEAR(limb_end(6, "stretch = 1.2\n"), 6, 1e-9);
    EXPECT_NEAR(limb_end(8, "stretch = 1.2\n"), 8, 1e-7);     // 7 long, 8 is 1.143 of it
    EXPECT_NEAR(limb_end(10, "stretch = 1.2\n"), 8.4, 1e-7);  // no more than 1.2 * 7
    EXPECT_NEAR(limb_end(10, ""), 7, 1e-7);
}

TEST(LimbTest, SoftReachNearsItsLengthAndNeverPops) {
    // soft = 0.2 of 7: up to 5.6 nothing changes, then 5.6 + 1.4 (1 - exp(-(d - 5.6) / 1.4)).
    EXPECT_NEAR(limb_end(5, "soft = 0.2\n"), 5, 1e-9);
    EXPECT_NEAR(limb_end(7, "soft = 0.2\n"), 5.6 + 1.4 * (1 - std::exp(-1.0)), 1e-9);
    EXPECT_LT(limb_end(30, "soft = 0.2\n"), 7);
    EXPECT_NEAR(limb_end(7, "soft = 0.2\nstretch = 1.5\n"), 7, 1e-7);  // made up by stretching
    // The knee's speed: without soft it grows without bound towards full reach.
    double worst[2] = {0, 0};
    for (int i = 0; i < 2; ++i) {
        double before = 0;
        for (int k = 0; k <= 200; ++k) {
            double aside = 0;
            limb_end(6.6 + 0.002 * k, i == 0 ? "" : "soft = 0.2\n", &aside);
            if (k > 0) worst[i] = std::max(worst[i], std::abs(aside - before));
            before = aside;
        }
    }
    EXPECT_GT(worst[0], 0.05);  // 50 units of knee a unit of goal
    EXPECT_LT(worst[1], 0.006);
}

TEST(LimbTest, TheWeightMixesWithTheKeys) {
    double free = 0, half = 0, whole = 0;
    limb_end(5, "weight = 0.0\n", &free);
    limb_end(5, "weight = 0.5\n", &half);
    limb_end(5, "", &whole);
    EXPECT_NEAR(free, 3 * std::sin(10 * pi / 180), 1e-9);
    EXPECT_NEAR(whole, 2.4, 1e-9);  // 3-4-5
    EXPECT_GT(half, free + 0.3);
    EXPECT_LT(half, whole - 0.3);
}

// --------------------------------------------------------------------------------------- chain

/// Six joints with bones of 1 along +Y, slightly bent, and a goal.
Scene tail(Vec3 goal) {
    Scene scene = chain_scene(6, 1);
    for (std::size_t n = 1; n < 6; ++n) scene.nodes[n].local.r = turn(kX, 4);
    add_node(scene, "goal", kNone, {goal, turn(kZ, 30), {1, 1, 1}});
    return scene;
}

const std::string kTail =
    "[[rule]]\nkind = \"chain\"\njoints = [\"n0\", \"n1\", \"n2\", \"n3\", \"n4\", \"n5\"]\n";

TEST(ChainTest, ReachesItsGoalAndKeepsItsBones) {
    for (const Vec3 goal : {Vec3{2, 2, 1}, Vec3{0.5, 0.5, 0}, Vec3{0, 4.9, 0.5}, Vec3{-3, 1, 2}}) {
        const PoseTile tile = evaluate(tail(goal), sheet(kTail + "goal = \"goal\"\n"));
        EXPECT_LT(length(tile.world(5, 0).o - goal), 5.1e-5);  // the stated 1e-5 of 5 units
        for (int j = 1; j < 6; ++j)
            EXPECT_NEAR(length(tile.world(j, 0).o - tile.world(j - 1, 0).o), 1, 1e-9);
    }
}

TEST(ChainTest, OutOfReachItIsStraight) {
    const PoseTile tile = evaluate(tail({30, 40, 0}), sheet(kTail + "goal = \"goal\"\n"));
    EXPECT_LT(length(tile.world(5, 0).o - Vec3{3, 4, 0}), 1e-9);
}

TEST(ChainTest, AStraightChainBendsTowardsAGoalOnItsLine) {
    Scene scene = tail({0, 3, 0});
    for (Node& node : scene.nodes) node.local.r = {};
    EXPECT_LT(
        length(evaluate(scene, sheet(kTail + "goal = \"goal\"\n")).world(5, 0).o - Vec3{0, 3, 0}),
        5.1e-5);
    scene.nodes[6].local.t = {};  // and to one on its own start
    EXPECT_TRUE(finite(evaluate(scene, sheet(kTail + "goal = \"goal\"\n")), 5));
}

TEST(ChainTest, LimitsHold) {
    const RigSheet rules = sheet(kTail + "goal = \"goal\"\nlimit = 25\n");
    for (const Vec3 goal : {Vec3{2, 2, 1}, Vec3{0.2, 0.2, 0}, Vec3{0, -20, 1}}) {
        const PoseTile tile = evaluate(tail(goal), rules);
        for (int j = 0; j < 5; ++j)
            EXPECT_LT(angle(tile.local(j, 0).r, turn(kX, j == 0 ? 0 : 4)), 25 + 1e-6);
    }
    // Where a pose within the limits has its end can be reached within them.
    for (const double side : {-15.0, 12.0, 20.0}) {
        Scene posed = tail({});
        for (std::size_t n = 1; n < 5; ++n)
            posed.nodes[n].local.r = turn(kZ, side) * turn(kX, 4 + 3.0 * static_cast<double>(n));
        const Vec3 goal = rest_worlds(posed)[5].o;
        EXPECT_LT(length(evaluate(tail(goal), rules).world(5, 0).o - goal), 5.1e-5) << side;
    }
}

TEST(ChainTest, MovesSmoothlyWithItsGoal) {
    Scene scene = tail({});
    key(scene, 6, Path::kTranslation, {-3, 2, 1}, {3, 2, 1});
    const auto rig = Rig::bind(scene, 0, sheet(kTail + "goal = \"goal\"\n"));
    PoseTile tile = rig.value().source().make_tile();
    Vec3 before[6];
    for (int k = 0; k <= 600; ++k) {
        const double t = k / 600.0;
        rig.value().evaluate({&t, 1}, tile);
        for (int j = 0; j < 6; ++j) {
            const Vec3 now = tile.world(j, 0).o;
            if (k > 0) {
                EXPECT_LT(length(now - before[j]), 0.08) << k << " " << j;  // goal: 0.01
            }
            before[j] = now;
        }
    }
}

TEST(ChainTest, TheLastJointTakesTheGoalsTurn) {
    const PoseTile tile =
        evaluate(tail({2, 2, 1}), sheet(kTail + "goal = \"goal\"\nend_orientation = \"goal\"\n"));
    // At rest the goal is turned by 30 about Z, the tail's end by 20 about X; that offset stays.
    EXPECT_NEAR(angle(rotation_of(tile.world(5, 0)), turn(kX, 20)), 0, 1e-6);
}

Scene tail_on_controls() {
    Scene scene = tail({});
    add_node(scene, "c0", kNone, {{1, 0, 0}, {}, {1, 1, 1}});
    add_node(scene, "c1", kNone, {{2, 2, 0}, {}, {1, 1, 1}});
    add_node(scene, "c2", kNone, {{1, 4, 1}, {}, {1, 1, 1}});
    return scene;
}
const std::string kAlong = kTail + "along = [\"c0\", \"c1\", \"c2\"]\n";

/// Catmull-Rom through three points with mirrored ends, by its own formula with four weights.
Vec3 curve_of(Vec3 a, Vec3 b, Vec3 c, double u) {
    const Vec3 p[5] = {2.0 * a - b, a, b, c, 2.0 * c - b};
    const int i = u < 1 ? 0 : 1;
    const double t = u - i, t2 = t * t, t3 = t2 * t;
    return (-0.5 * t3 + t2 - 0.5 * t) * p[i] + (1.5 * t3 - 2.5 * t2 + 1) * p[i + 1] +
           (-1.5 * t3 + 2 * t2 + 0.5 * t) * p[i + 2] + (0.5 * t3 - 0.5 * t2) * p[i + 3];
}
double distance_to_curve(Vec3 point) {
    double best = 1e9;
    for (int k = 0; k <= 40000; ++k)
        best = std::min(best, length(point - curve_of({1, 0, 0}, {2, 2, 0}, {1, 4, 1}, k / 2e4)));
    return best;
}

TEST(ChainTest, LiesAlongACurveAndKeepsItsLength) {
    const PoseTile tile = evaluate(tail_on_controls(), sheet(kAlong));
    EXPECT_LT(length(tile.world(0, 0).o - Vec3{1, 0, 0}), 1e-12);
    for (int j = 1; j < 6; ++j)
        EXPECT_NEAR(length(tile.world(j, 0).o - tile.world(j - 1, 0).o), 1, 1e-9);
    for (const int j : {1, 2, 3, 4}) EXPECT_LT(distance_to_curve(tile.world(j, 0).o), 1e-4);
}

TEST(ChainTest, StretchesOverTheCurve) {
    const PoseTile tile = evaluate(tail_on_controls(), sheet(kAlong + "length = \"stretch\"\n"));
    EXPECT_LT(length(tile.world(5, 0).o - Vec3{1, 4, 1}), 1e-7);
    // Equal bones divide the length of the curve evenly: measured over a fine polygon.
    double whole = 0, upto = 0;
    const auto at = [](double u) { return curve_of({1, 0, 0}, {2, 2, 0}, {1, 4, 1}, u); };
    for (int k = 0; k < 20000; ++k) whole += length(at((k + 1) / 1e4) - at(k / 1e4));
    int k = 0;
    for (; upto < 0.4 * whole; ++k) upto += length(at((k + 1) / 1e4) - at(k / 1e4));
    EXPECT_LT(length(tile.world(2, 0).o - at(k / 1e4)), 1e-3);
}

// --------------------------------------------------------------------------------------- twist

TEST(TwistTest, SharesTheTurnAboutTheBone) {
    Scene scene;
    add_node(scene, "forearm", kNone, {});
    add_node(scene, "hand", 0, {{0, 3, 0}, turn(kX, 15), {1, 1, 1}});
    add_node(scene, "third", 0, {{0, 1, 0}, turn(kZ, 5), {1, 1, 1}});
    add_node(scene, "back", 0, {});
    // Turned by 70 about the bone, then bent by 40 across it: swing * twist in the parent's space.
    // (By 90 the turn would be the same counted from no turn at all.)
    key_turn(scene, 1, turn(kX, 15), turn(kZ, 40) * turn(kY, 70) * turn(kX, 15));
    const RigSheet rules = sheet(
        "[[rule]]\nkind = \"twist\"\nsource = \"hand\"\naxis = \"+Y\"\n[[rule.share]]\nnode = "
        "\"third\"\npart = 0.3\n[[rule.share]]\nnode = \"back\"\npart = -1\n");
    const PoseTile tile = evaluate(scene, rules, 1);
    EXPECT_NEAR(angle(tile.local(2, 0).r, turn(kY, 21) * turn(kZ, 5)), 0, 1e-6);
    EXPECT_NEAR(angle(tile.local(3, 0).r, turn(kY, -70)), 0, 1e-6);
    EXPECT_NEAR(angle(evaluate(scene, rules, 0).local(2, 0).r, turn(kZ, 5)), 0, 1e-6);
}

// --------------------------------------------------------------------------------------- limit

Transform limited(const Transform& local, const std::string& words, const Transform& parent = {}) {
    Scene scene;
    add_node(scene, "parent", kNone, parent);
    add_node(scene, "node", 0, {});
    key(scene, 1, Path::kTranslation, {0, 0, 0}, {local.t.x, local.t.y, local.t.z});
    key_turn(scene, 1, {}, local.r);
    key(scene, 1, Path::kScale, {1, 1, 1}, {local.s.x, local.s.y, local.s.z});
    const PoseTile tile =
        evaluate(scene, sheet("[[rule]]\nkind = \"limit\"\nnode = \"node\"\n" + words), 1);
    return tile.local(1, 0);
}

TEST(LimitTest, ClampsPlacesAndScales) {
    EXPECT_EQ(limited({{5, 6, 7}, {}, {1, 1, 1}}, "of = \"position\"\naxis = \"+Y\"\nmost = 2\n").t,
              (Vec3{5, 2, 7}));
    EXPECT_EQ(limited({{5, 6, 7}, {}, {1, 1, 1}}, "of = \"position\"\naxis = \"-Y\"\nmost = 2\n").t,
              (Vec3{5, 6, 7}));  // -6 is below 2
    EXPECT_EQ(
        limited({{}, {}, {1, 9, 1}}, "of = \"scale\"\naxis = \"+Y\"\nmost = 3\nleast = 1\n").s,
        (Vec3{1, 3, 1}));
}

TEST(LimitTest, KeepsANodeAboveTheFloorOfTheWorld) {
    // The parent is turned by 90 about Z: its own +Y is the world's -X, its own +X the world's +Y.
    const Transform kept =
        limited({{-8, 2, 0}, {}, {1, 1, 1}}, "of = \"world\"\naxis = \"+Y\"\nleast = 1\n",
                {{0, 5, 0}, turn(kZ, 90), {1, 1, 1}});
    EXPECT_LT(length(kept.t - Vec3{-4, 2, 0}), 1e-12);  // 5 - 4 = 1
}

TEST(LimitTest, ClampsTwistAndSwingApart) {
    const Quat both = turn(kX, 70) * turn(kY, 50);
    EXPECT_NEAR(
        angle(limited({{}, both, {1, 1, 1}}, "of = \"twist\"\naxis = \"+Y\"\nmost = 30\n").r,
              turn(kX, 70) * turn(kY, 30)),
        0, 1e-6);
    EXPECT_NEAR(
        angle(limited({{}, both, {1, 1, 1}}, "of = \"swing\"\naxis = \"+Y\"\nmost = 40\n").r,
              turn(kX, 40) * turn(kY, 50)),
        0, 1e-6);
    EXPECT_NEAR(
        angle(limited({{}, both, {1, 1, 1}}, "of = \"twist\"\naxis = \"+Y\"\nmost = 60\n").r, both),
        0, 1e-9);
}

TEST(LimitTest, ComesAfterWhatMovesTheNodeAndTwoMustDiffer) {
    Scene scene;
    add_node(scene, "node", kNone, {});
    add_node(scene, "from", kNone, {{0, -3, 0}, {}, {1, 1, 1}});
    const std::string floor =
        "[[rule]]\nkind = \"limit\"\nnode = \"node\"\nof = \"world\"\naxis = \"+Y\"\nleast = 0\n";
    const std::string follow =
        "[[rule]]\nkind = \"follow\"\nnode = \"node\"\nsource = \"from\"\noffset = \"none\"\n";
    EXPECT_LT(length(evaluate(scene, sheet(floor + follow)).world(0, 0).o), 1e-12);
    EXPECT_THAT(Rig::bind(scene, kNone, sheet(floor + floor)),
                FailsWith(Code::kRuleClash, "rule 1"));
}

// ---------------------------------------------------------------------------------------- roll

TEST(RollTest, TurnsWithTheWayOverManyTurns) {
    Scene scene;
    scene.rate = {24, 1};
    add_node(scene, "cart", kNone, {});
    add_node(scene, "wheel", 0, {{0, 0.5, 0}, {}, {1, 1, 1}});
    key(scene, 0, Path::kTranslation, {0, 0, 0}, {0, 0, 40}, 4);
    const RigSheet rules = sheet(
        "[[rule]]\nkind = \"roll\"\nnode = \"wheel\"\naxis = \"+X\"\nup = \"+Y\"\nradius = 0.5\n");
    // 40 units forward on a radius of 0.5 are 80 radians, 12.7 turns about +X.
    for (const double t : {0.0, 0.1, 1.234, 4.0})
        EXPECT_NEAR(angle(evaluate(scene, rules, t).local(1, 0).r, from_axis_angle(kX, 20 * t)), 0,
                    1e-6)
            << t;
    // Backwards it turns back; sideways not at all.
    scene.timelines[0].channels[0].curve.values = {0, 0, 0, 3, 0, -1};
    EXPECT_NEAR(angle(evaluate(scene, rules, 4).local(1, 0).r, from_axis_angle(kX, -2)), 0, 1e-6);
}

TEST(RollTest, FollowsABend) {
    // A cart turning on a circle of radius 3: the outer wheel, 1 further out, covers 4 * angle.
    Scene scene;
    add_node(scene, "pivot", kNone, {});
    add_node(scene, "wheel", 0, {{4, 0.5, 0}, {}, {1, 1, 1}});
    key_turn(scene, 0, {}, turn(kY, 90), 2);
    const RigSheet rules = sheet(
        "[[rule]]\nkind = \"roll\"\nnode = \"wheel\"\naxis = \"+X\"\nup = \"+Y\"\nradius = 0.5\n");
    // Turning about +Y moves the wheel towards -Z, which is backwards for a hub along +X.
    EXPECT_NEAR(
        angle(evaluate(scene, rules, 2).local(1, 0).r, from_axis_angle(kX, -4 * pi / 2 / 0.5)), 0,
        0.01);
    EXPECT_THAT(Rig::bind(scene, 0,
                          sheet("[[rule]]\nkind = \"roll\"\nnode = \"wheel\"\naxis = \"+Y\"\nup = "
                                "\"+Y\"\nradius = 1\n")),
                FailsWith(Code::kValueBad, "upright"));
}

// --------------------------------------------------------------------------------------- drive

/// Two nodes to read, one to drive, keyed so that second 1 has known angles and places.
Scene drive_scene() {
    Scene scene;
    add_node(scene, "a", kNone, {});
    add_node(scene, "b", kNone, {{0, 0, 4}, {}, {1, 1, 1}});
    add_node(scene, "out", kNone, {{1, 1, 1}, turn(kY, 20), {1, 1, 1}});
    key_turn(scene, 0, {}, turn(kX, 60));
    key(scene, 0, Path::kTranslation, {0, 0, 0}, {3, 0, 0});
    return scene;
}
std::string input(const std::string& of, const std::string& more, double from, double to) {
    return fmt::format("[[rule.input]]\nof = \"{}\"\n{}curve = [[{}, 0], [{}, 1]]\n", of, more,
                       from, to);
}
double drive(const std::string& combine, const std::string& inputs) {
    const PoseTile tile = evaluate(drive_scene(),
                                   sheet("[[scalar]]\nname = \"out\"\n[[scalar]]\nname = "
                                         "\"half\"\nvalue = 0.5\n[[rule]]\nkind = "
                                         "\"drive\"\nscalar = \"out\"\ncombine = \"" +
                                         combine + "\"\n" + inputs),
                                   1);
    return tile.scalar(0)[0];
}

TEST(DriveTest, ReadsEveryKindOfInput) {
    EXPECT_NEAR(drive("product", input("swing", "node = \"a\"\naxis = \"+Y\"\n", 0, 120)), 0.5,
                1e-12);
    EXPECT_NEAR(drive("product", input("twist", "node = \"a\"\naxis = \"-X\"\n", -120, 0)), 0.5,
                1e-12);
    EXPECT_NEAR(drive("product", input("position", "node = \"a\"\naxis = \"+X\"\n", 0, 4)), 0.75,
                1e-12);
    EXPECT_NEAR(drive("product", input("world", "node = \"b\"\naxis = \"+Z\"\n", 0, 8)), 0.5,
                1e-12);
    EXPECT_NEAR(drive("product", input("distance", "node = \"a\"\nto = \"b\"\n", 0, 10)), 0.5,
                1e-12);
    EXPECT_NEAR(drive("product", input("scalar", "scalar = \"half\"\n", 0, 2)), 0.25, 1e-12);
}

TEST(DriveTest, CombinesByProductOrSum) {
    const std::string two = input("swing", "node = \"a\"\naxis = \"+Y\"\n", 0, 120) +
                            input("position", "node = \"a\"\naxis = \"+X\"\n", 0, 4);
    EXPECT_NEAR(drive("product", two), 0.375, 1e-12);
    EXPECT_NEAR(drive("sum", two), 1.25, 1e-12);
}

TEST(DriveTest, DrivesChannelsOfNodes) {
    const auto out = [](const std::string& channel, const std::string& curve) {
        return evaluate(drive_scene(),
                        sheet("[[rule]]\nkind = \"drive\"\nnode = \"out\"\nchannel = \"" + channel +
                              "\"\naxis = \"+X\"\n[[rule.input]]\nof = \"position\"\nnode = "
                              "\"a\"\naxis = \"+X\"\n" +
                              curve),
                        1)
            .local(2, 0);
    };
    const std::string linear = "curve = [[0, 0], [6, 90]]\n";
    EXPECT_NEAR(angle(out("turn", linear).r, turn(kY, 20) * turn(kX, 45)), 0, 1e-6);
    EXPECT_LT(length(out("position", linear).t - Vec3{46, 1, 1}), 1e-12);
    EXPECT_LT(length(out("scale", linear).s - Vec3{45, 1, 1}), 1e-12);
    // Slopes of zero make the smooth shape; a step holds until its next point.
    EXPECT_NEAR(out("scale", "curve = [[0, 0, 0], [4, 1, 0]]\nshape = \"slopes\"\n").s.x,
                0.75 * 0.75 * (3 - 1.5), 1e-12);
    EXPECT_EQ(out("scale", "curve = [[0, 2], [3.5, 7]]\nshape = \"step\"\n").s.x, 2);
}

TEST(DriveTest, AScalarCanBeTheWeightOfARuleWhateverTheOrder) {
    Scene scene = drive_scene();
    const RigSheet rules = sheet(
        "[[rule]]\nkind = \"follow\"\nnode = \"out\"\nsource = \"b\"\noffset = \"none\"\nparts = "
        "[\"position\"]\nweight = \"near\"\n[[rule]]\nkind = \"drive\"\nscalar = "
        "\"near\"\n[[rule.input]]\nof = \"distance\"\nnode = \"a\"\nto = \"b\"\ncurve = [[0, 1], "
        "[10, "
        "0]]\n[[scalar]]\nname = \"near\"\n");
    EXPECT_LT(length(evaluate(scene, rules, 1).local(2, 0).t - Vec3{0.5, 0.5, 2.5}), 1e-12);
    EXPECT_THAT(Rig::bind(scene, 0,
                          sheet("[[rule]]\nkind = \"follow\"\nnode = \"out\"\nsource = "
                                "\"b\"\nweight = \"far\"\n")),
                FailsWith(Code::kNameUnknown, "scalar \"far\""));
}

// ----------------------------------------------------------------------------------------- lag

const std::string kLag =
    "[[rule]]\nkind = \"lag\"\nnode = \"hat\"\nfrequency = 2\ndamping = 0.25\n";

/// A hat that is still for a second, then jumps by 1 along X within a 240th.
Scene jump_scene() {
    Scene scene;
    add_node(scene, "hat", kNone, {});
    scene.timelines.emplace_back();
    scene.timelines[0].channels.push_back({0,
                                           Path::kTranslation,
                                           {Interpolation::kLinear,
                                            3,
                                            {0, 1, 1 + 1 / 240.0, 4},
                                            {0, 0, 0, 0, 0, 0, 1, 0, 0, 1, 0, 0}}});
    return scene;
}

TEST(LagTest, AnswersAJumpAsADampedSpringDoes) {
    const RigSheet rules = sheet(kLag);
    const auto rig = Rig::bind(jump_scene(), 0, rules);
    const double w = 2 * pi * 2, z = 0.25, d = w * std::sqrt(1 - z * z);
    // 1 - exp(-z w t) (cos(d t) + z w / d sin(d t)), for the jump half way through its step.
    for (const double t : {0.05, 0.21, 0.5, 1.3}) {
        const double expected =
            1 - std::exp(-z * w * t) * (std::cos(d * t) + z * w / d * std::sin(d * t));
        const double at = evaluate(jump_scene(), rules, 1 + 0.5 / 240 + t).world(0, 0).o.x;
        EXPECT_NEAR(at, expected, 2e-4) << t;
    }
    EXPECT_NEAR(evaluate(jump_scene(), rules, 0.9).world(0, 0).o.x, 0, 1e-12);
}

TEST(LagTest, TurnsComeAfterToo) {
    Scene scene;
    add_node(scene, "hat", kNone, {});
    key_turn(scene, 0, {}, turn(kY, 170), 6);
    const RigSheet rules = sheet(kLag + "parts = [\"orientation\"]\n");
    const double behind = (170 / 6.0) * 2 * 0.25 / (2 * pi * 2);
    EXPECT_NEAR(angle(evaluate(scene, rules, 6).local(0, 0).r, turn(kY, 170 - behind)), 0, 0.01);
}

TEST(LagTest, TheRateOfTheClipDoesNotMatter) {
    // The same moments, asked for one by one, sixteen at a time and backwards: the same bits.
    const Scene scene = jump_scene();
    const auto rig = Rig::bind(scene, 0, sheet(kLag));
    PoseTile tile = rig.value().source().make_tile(), other = rig.value().source().make_tile();
    std::vector<double> seconds;
    for (int k = 0; k < 16; ++k) seconds.push_back(1.9 - 0.07 * k);
    rig.value().evaluate(seconds, tile);
    for (std::size_t k = 0; k < 16; ++k) {
        rig.value().evaluate({&seconds[k], 1}, other);
        EXPECT_EQ(tile.world(0, static_cast<int>(k)).o, other.world(0, 0).o);
    }
}

TEST(LagTest, ALoopRunsInOnItselfAndTravels) {
    // Bobbing once a second while going 2 a second: the first and last moment differ by the travel
    // alone, in place and in speed.
    Scene scene;
    add_node(scene, "root", kNone, {});
    add_node(scene, "hat", 0, {});
    key(scene, 0, Path::kTranslation, {0, 0, 0}, {2, 0, 0});
    Curve bob{Interpolation::kLinear, 3, {}, {}};
    for (int k = 0; k <= 20; ++k) {
        bob.times.push_back(k / 20.0);
        bob.values.append({0, std::sin(2 * pi * k / 20), 0});
    }
    scene.timelines[0].channels.push_back({1, Path::kTranslation, bob});
    Performance loop;
    loop.timeline = 0;
    loop.played = Played{0, 1, true};
    const PoseTile tile = evaluate(scene, sheet(kLag + "run_in = 6\n"), loop, {0, 0.001, 0.999, 1});
    const auto at = [&](int lane) { return tile.world(1, lane).o; };
    EXPECT_LT(length(at(3) - at(0) - Vec3{2, 0, 0}), 1e-6);
    EXPECT_LT(length((at(1) - at(0)) - (at(3) - at(2))), 1e-4);
    EXPECT_GT(length(at(0) - Vec3{0, 0, 0}), 0.05);  // it does lag
    // Played once from rest, it does not come round.
    loop.played = Played{0, 1, false};
    const PoseTile once = evaluate(scene, sheet(kLag), loop, {0, 1});
    EXPECT_GT(length(once.world(1, 1).o - once.world(1, 0).o - Vec3{2, 0, 0}), 0.05);
}

}  // namespace
}  // namespace mellow
