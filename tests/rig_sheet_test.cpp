// Rig sheets that are refused, each with its place and what would be right, and what seldom happens
// in rigs: straight limbs that rest turned, blocks behind blocks, stacks and scale between blocks,
// controls that two rules ask for.
#include <fmt/format.h>

#include <cmath>
#include <numbers>

#include "mellow/lift.h"
#include "rigs.h"
#include "support.h"

namespace mellow::rig_sheet_test {
namespace {

using namespace test;
using namespace testing;

const Vec3 kOne{1, 1, 1};

TEST(RigWordsTest, RulesThatMakeNoSenseAreToldByTheirLine) {
    std::string many = "\"a\"";
    for (int i = 0; i < 300; ++i) many += fmt::format(", \"a{}\"", i);
    struct Case {
        std::string rule, found, expected;
    };
    const std::string chain = "kind = \"chain\"\n", drive = "kind = \"drive\"\n",
                      limit = "kind = \"limit\"\nnode = \"a\"\naxis = \"X\"\n",
                      input =
                          "[[rule.input]]\nof = \"turn\"\nnode = \"a\"\naxis = \"X\"\ncurve = "
                          "[[0, 0], [1, 1]]\n";
    const Case cases[] = {
        {chain + "joints = [\"a\"]\ngoal = \"g\"\n", "1 joints", "joints in a row"},
        {chain + "joints = [" + many + "]\ngoal = \"g\"\n", "301 joints", "joints in a row"},
        {chain + "joints = [\"a\", \"b\"]\n", "no goal", "either goal"},
        {chain + "joints = [\"a\", \"b\"]\ngoal = \"g\"\nalong = [\"c\", \"d\"]\n",
         "a goal and a curve", "either goal"},
        {chain + "joints = [\"a\", \"b\"]\nalong = [\"c\"]\n", "1 controls", "2 to "},
        {chain + "joints = [\"a\", \"b\"]\nalong = [" + many + "]\n", "301 controls", "2 to "},
        {chain + "joints = [\"a\", \"b\"]\ngoal = \"g\"\nlength = \"stretch\"\n", "stretch",
         "a chain to a goal keeps its length"},
        {drive + "scalar = \"s\"\n", "no [[rule.input]]", "[[rule.input]] with of"},
        {drive + input, "nothing that is driven", "mesh and target, or scalar"},
        {limit + "of = \"position\"\nleast = 2\nmost = 1\n", "1 below least, 2", "least <= most"},
        {limit + "of = \"position\"\n", "no bound", "least, most or both"},
        {limit + "of = \"swing\"\n", "no bound", "least, most or both"},
        {limit + "of = \"twist\"\nleast = -200\nmost = 0\n", "-200", "-180 to 180"},
        {limit + "of = \"colour\"\nmost = 1\n", "colour", "scale"},
        {"kind = \"twirl\"\nnode = \"a\"\n", "twirl", "twist"},
    };
    for (const Case& c : cases) {
        const auto read = parse_rig_sheet("# a word\n[[rule]]\n" + c.rule, "s.rig.toml");
        ASSERT_FALSE(read.ok()) << c.rule;
        EXPECT_THAT(text_of(read.failures()),
                    AllOf(HasSubstr(c.found), HasSubstr(c.expected), HasSubstr("s.rig.toml:")))
            << c.rule;
    }
}

TEST(RigWordsTest, RulesThatDoNotFitTheSceneAreToldWhenTheyAreBound) {
    Scene scene;
    add_node(scene, "a", kNone, {{0, 1, 0}, {}, kOne});
    add_node(scene, "b", 0, {{0, 0, 0}, {}, kOne});
    add_node(scene, "c", 0, {{0, 1, 0}, {}, kOne});
    add_node(scene, "above", kNone, {{0, 9, 0}, {}, kOne});
    const auto bound = [&](const std::string& rule) {
        const auto rig = Rig::bind(scene, Performance{}, sheet("[[rule]]\n" + rule));
        return rig.ok() ? "bound" : text_of(rig.failures());
    };
    EXPECT_THAT(bound("kind = \"chain\"\njoints = [\"a\", \"b\"]\ngoal = \"above\"\n"),
                HasSubstr("no way from \"a\" to \"b\""));
    EXPECT_THAT(bound("kind = \"chain\"\njoints = [\"b\", \"c\"]\ngoal = \"above\"\n"),
                HasSubstr("\"b\" is not the parent of \"c\""));
    const std::string aim =
        "kind = \"aim\"\nnode = \"a\"\nsource = \"above\"\naxis = \"+Z\"\n"
        "up_axis = \"+Y\"\nup = \"+Y\"\n";
    EXPECT_THAT(bound(aim + "offset = \"keep\"\n"),
                HasSubstr("the rest pose does not say which way it aims"));
    EXPECT_EQ(bound(aim), "bound");
}

TEST(RigWordsTest, AStraightLimbThatRestsTurnedBendsTowardsItsPole) {
    // A straight limb down -Y whose first joint rests turned about its own length: as the goal
    // comes near the joints hardly turn, so nothing may twist; the middle goes to the pole's side.
    for (const double rest : {0.0, 40.0, 90.0, 200.0}) {
        Scene scene;
        add_node(scene, "a", kNone, {{1, 7, 2}, turn(kY, rest), kOne});
        add_node(scene, "b", 0, {{0, -3, 0}, {}, kOne});
        add_node(scene, "c", 1, {{0, -4, 0}, {}, kOne});
        add_node(scene, "goal", kNone, {{1, 7 - 6.999, 2}, {}, kOne});
        add_node(scene, "pole", kNone, {{1, 4, 12}, {}, kOne});
        const PoseTile tile = evaluate(
            scene, sheet("[[rule]]\nkind = \"limb\"\nstart = \"a\"\nmid = \"b\"\nend = \"c\"\ngoal "
                         "= \"goal\"\npole = \"pole\"\nend_orientation = \"free\"\n"));
        const Affine mid = tile.world(1, 0);
        EXPECT_GT(mid.o.z, 2.03) << rest << ": bends to +Z";
        EXPECT_NEAR(mid.o.x, 1, 1e-9) << rest;
        const Quat start =
            quat_from_columns(tile.world(0, 0).x, tile.world(0, 0).y, tile.world(0, 0).z);
        EXPECT_LT(angle(start, turn(kY, rest)), 2) << rest << ": by as much as it bends";
    }
}

/// One node, and two timelines of ten frames at 10 a second, which each test keys for itself.
Scene two_timelines() {
    Scene scene = test::chain_scene(1, 1);
    scene.rate = {10, 1};
    scene.timelines.assign(2, {});
    scene.timelines[0].name = "one", scene.timelines[1].name = "two";
    return scene;
}
void hold(Scene& scene, std::size_t timeline, Path path, std::initializer_list<double> value) {
    Curve curve{Interpolation::kLinear, static_cast<int>(value.size()), {0, 1}, value};
    curve.values.append(value);
    scene.timelines[timeline].channels.push_back({0, path, curve});
}
Performance strip_of(const std::vector<std::array<double, 4>>& blocks) {
    Performance performance;
    performance.arrangement = Arrangement{};
    performance.arrangement->blend = CurveShape::kLinear;
    for (const auto& [timeline, first, last, start] : blocks) {
        Block b;
        b.timeline = static_cast<int>(timeline);
        b.first = first, b.last = last, b.start = start;
        performance.arrangement->blocks.push_back(b);
    }
    return performance;
}

TEST(RigWordsTest, ABlockOverlapsTheLongestBeforeIt) {
    Scene scene = two_timelines();
    hold(scene, 0, Path::kTranslation, {8, 0, 0});
    hold(scene, 1, Path::kTranslation, {0, 0, 0});
    // 0..10 of the first; 1..3 of the second within it, whose pose holds; 6..16 of the first again:
    // 6..10 is an overlap.
    const Performance all = strip_of({{0, 0, 10, 0}, {1, 0, 2, 1}, {0, 0, 10, 6}});
    for (const auto& [frame, x] : {std::pair(0.5, 8.0), {5, 0}, {7, 2}, {8, 4}, {9, 6}, {12, 8}})
        EXPECT_NEAR(evaluate(scene, {}, all, {frame / 10}).local(0, 0).t.x, x, 1e-9) << frame;
}

TEST(RigWordsTest, ScaleTurnsAndStacksAreBlendedBetweenBlocks) {
    Scene scene = two_timelines();
    hold(scene, 0, Path::kScale, {1, 2, 3});
    hold(scene, 1, Path::kScale, {3, 6, 1});
    hold(scene, 0, Path::kRotation, {0, 0, 0, 1});
    const Quat q = turn(kZ, 80);
    hold(scene, 1, Path::kRotation, {q.x, q.y, q.z, q.w});
    for (std::size_t i = 0; i < 2; ++i) {
        const double k = i == 0 ? 0.2 : 0.6;
        scene.timelines[i].shears.push_back(
            {0, {Interpolation::kLinear, 9, {0, 1}, {1, 0, 0, k, 1, 0, 0, 0, 1}}});
        scene.timelines[i].shears[0].curve.values.append({1, 0, 0, k, 1, 0, 0, 0, 1});
    }
    const Performance both = strip_of({{0, 0, 10, 0}, {1, 0, 10, 6}});
    const PoseTile blended = evaluate(scene, {}, both, {0.7});
    const Transform t = blended.local(0, 0);
    EXPECT_LT(length(rotate(turn(kZ, -20), blended.world(0, 0).y) - Vec3{1.5 * 0.3, 3, 0}), 1e-6);
    EXPECT_LT(length(t.s - Vec3{1.5, 3, 2.5}), 1e-9);
    EXPECT_LT(angle(t.r, turn(kZ, 20)), 1e-6);
    // A stack that is keyed member by member is moved by its block and rests without one.
    Scene stacked = two_timelines();
    stacked.nodes[0].stack = {{StackKind::kTranslate, "t", {0, 0, 0}},
                              {StackKind::kRotate, "r", {0, 0, 1, 0}}};
    for (std::size_t i = 0; i < 2; ++i) {
        MemberCurve& curve = stacked.timelines[i].members.emplace_back();
        curve.node = 0, curve.element = i == 0 ? 0 : 1, curve.member = i == 0 ? 0 : 3;
        curve.width = 1;
        curve.times = {0, 1};
        curve.values =
            i == 0 ? std::vector<double>{2, 2}
                   : std::vector<double>{40 * std::numbers::pi / 180, 40 * std::numbers::pi / 180};
        curve.shapes.assign(2, KeyShape::kLinear);
    }
    const Transform mixed = evaluate(stacked, {}, both, {0.7}).local(0, 0);
    EXPECT_NEAR(mixed.t.x, 1.5, 1e-9) << "a quarter of the way to where it rests";
    EXPECT_LT(angle(mixed.r, turn(kZ, 10)), 1e-6);
}

TEST(RigWordsTest, OfTwoRulesThatAskForAControlTheFirstHasIt) {
    Scene scene;
    add_node(scene, "a", kNone, {{0, 1, 0}, {}, kOne});
    add_node(scene, "b", kNone, {{0, 2, 0}, {}, kOne});
    add_node(scene, "c", kNone, {{0, 1, 0}, {}, kOne});
    const RigSheet rules = sheet(
        "[[rule]]\nkind = \"follow\"\nnode = \"a\"\nsource = \"c\"\nparts = [\"orientation\"]\n"
        "[[rule]]\nkind = \"follow\"\nnode = \"b\"\nsource = \"c\"\nparts = [\"orientation\"]\n");
    Scene motion;
    motion.nodes = {scene.nodes[0], scene.nodes[1]};
    motion.roots = {0, 1};
    motion.rate = {10, 1};
    key_turn(motion, 0, {}, turn(kX, 30));
    key_turn(motion, 1, {}, turn(kX, 36));
    const auto lifted = lift(scene, rules, motion, 0);
    ASSERT_THAT(lifted, IsOk());
    double a = -1, b = -1;
    for (const LiftError& e : lifted.value().errors) (e.joint == "a" ? a : b) = e.worst_degrees;
    EXPECT_NEAR(a, 0, 1e-5);
    EXPECT_NEAR(b, 6, 1e-3);
}

TEST(RigWordsTest, GoalsOfChainsAreLiftedFromTheirEnds) {
    Scene scene;
    add_node(scene, "a", kNone, {{0, 0, 0}, {}, kOne});
    add_node(scene, "b", 0, {{0, 1, 0}, turn(kX, 20), kOne});
    add_node(scene, "c", 1, {{0, 1, 0}, turn(kX, 20), kOne});
    add_node(scene, "goal", kNone, {{0, 1.8, 0.5}, {}, kOne});
    const RigSheet rules = sheet(
        "[[rule]]\nkind = \"chain\"\njoints = [\"a\", \"b\", \"c\"]\ngoal = \"goal\"\n"
        "end_orientation = \"goal\"\n");
    // What the rig itself does with a goal that is keyed, as the motion of the joints.
    Scene moved = scene;
    moved.rate = {10, 1};
    key(moved, 3, Path::kTranslation, {0, 1.8, 0.5}, {0.4, 1.5, 0.9});
    Scene motion;
    motion.nodes = {scene.nodes[0], scene.nodes[1], scene.nodes[2]};
    motion.roots = {0};
    motion.rate = {10, 1};
    motion.timelines.push_back({"m", {}, {}, {}, {}});
    for (int n = 0; n < 3; ++n) {
        Curve curve{Interpolation::kLinear, 4, {}, {}};
        std::vector<double> times;
        for (int f = 0; f <= 10; ++f) {
            const Quat r = evaluate(moved, rules, f / 10.0).local(n, 0).r;
            times.push_back(f / 10.0);
            curve.values.append({r.x, r.y, r.z, r.w});
        }
        curve.times = KeyTimes(times);
        motion.timelines[0].channels.push_back({n, Path::kRotation, curve});
    }
    const auto lifted = lift(scene, rules, motion, 0);
    ASSERT_THAT(lifted, IsOk());
    EXPECT_EQ(lifted.value().controls, std::vector<std::string>{"goal"});
    Scene again = scene;
    again.timelines = {lifted.value().timeline};
    again.rate = {10, 1};
    for (const double t : {0.0, 0.5, 1.0}) {
        const Vec3 goal = evaluate(again, rules, t).world(3, 0).o;
        const Vec3 end = evaluate(moved, rules, t).world(2, 0).o;
        EXPECT_LT(length(goal - end), 1e-6) << t;
    }
}

}  // namespace
}  // namespace mellow::rig_sheet_test
