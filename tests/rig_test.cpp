// Rig sheets, their binding, and each kind of rule against values worked by hand.
#include <fmt/format.h>

#include <array>
#include <cmath>
#include <numbers>

#include "mellow/rig.h"
#include "rigs.h"

namespace mellow {
namespace {

using std::numbers::pi;
using namespace test;
using test::difference;

// ----------------------------------------------------------------------------------- the sheet

TEST(RigSheetTest, EveryWordIsChecked) {
    const std::string follow = "[[rule]]\nkind = \"follow\"\nnode = \"a\"\nsource = \"b\"\n";
    const std::string drive =
        "[[rule]]\nkind = \"drive\"\nmesh = \"m\"\ntarget = \"t\"\n[[rule.input]]\nof = "
        "\"twist\"\nnode = \"a\"\naxis = \"+Y\"\n";
    struct Case {
        std::string text;
        Code code;
        const char* part;
    };
    const Case cases[] = {
        {"[[rule]]\nkind = \"folow\"\n", Code::kValueBad, "follow"},
        {"[[rule]]\nkind = \"follow\"\nnode = \"a\"\n", Code::kKeyMissing, "source"},
        {follow + "part = [\"position\"]\n", Code::kKeyUnknown, "parts"},
        {follow + "parts = [\"place\"]\n", Code::kValueBad, "position, orientation or scale"},
        {follow + "parts = [\"position.W\"]\n", Code::kValueBad, "position.X"},
        {follow + "weight = true\n", Code::kValueBad, "number"},
        {follow + "offset = \"maybe\"\n", Code::kValueBad, "keep"},
        {follow + "node = \"c\"\n", Code::kTomlBroken, "test.rig.toml:5"},
        {"[[rules]]\nkind = \"follow\"\n", Code::kKeyUnknown, "rule"},
        {drive + "curve = [[0, 0]]\n", Code::kValueBad, "at least two points"},
        {drive + "curve = [[10, 0], [5, 1]]\n", Code::kValueBad, "ascending"},
        {drive + "curve = [[0, 0], [1]]\n", Code::kValueBad, "curve"},
        {drive + "curve = [[0, 0], [inf, 1]]\n", Code::kValueBad, "curve"},
        {drive, Code::kKeyMissing, "curve"},
        {"prefix = 3\n", Code::kValueBad, "prefix"},
    };
    for (const Case& c : cases)
        EXPECT_THAT(parse_rig_sheet(c.text, "test.rig.toml"), FailsWith(c.code, c.part)) << c.text;
}

TEST(RigSheetTest, AxesTurnWithTheScene) {
    RigSheet s = sheet(
        "[[rule]]\nkind = \"drive\"\nmesh = \"m\"\ntarget = \"t\"\n[[rule.input]]\nof = "
        "\"world\"\nnode = \"a\"\naxis = \"+Z\"\ncurve = [[0, 0], [90, 1]]\n");
    convert(s, Conversion({0.01, Axis::kPlusZ, Axis::kMinusY}, {}));
    const DriveInput& input = std::get<DriveRule>(s.rules[0].body).inputs[0];
    EXPECT_LT(length(input.axis - Vec3{0, 1, 0}), 1e-15);
    EXPECT_DOUBLE_EQ(input.curve.points[1].at, 0.9);  // 90 centimetres
}

// ------------------------------------------------------------------------------------- binding

TEST(RigTest, APrefixThatIsAbsentOrAnotherIsToldOnce) {
    Scene scene;
    for (const char* name : {"yard:a", "yard:b", "yard:c"}) add_node(scene, name, kNone, {});
    const std::string rules =
        "[[rule]]\nkind = \"follow\"\nnode = \"a\"\nsource = \"b\"\n"
        "[[rule]]\nkind = \"follow\"\nnode = \"b\"\nsource = \"c\"\n";
    for (const auto& [prefix, found] :
         {std::pair{"", "no prefix, where names of the scene have one"},
          std::pair{"prefix = \"field:\"\n", "\"field:\", which no name"}}) {
        const auto rig = Rig::bind(scene, kNone, sheet(prefix + rules));
        ASSERT_EQ(rig.failures().size(), 1U) << text_of(rig.failures());
        EXPECT_THAT(rig, FailsWith(Code::kNameUnknown, found));
        EXPECT_THAT(rig.failures()[0].remedy, testing::HasSubstr("prefix = \"yard:\""));
    }
    EXPECT_THAT(Rig::bind(scene, kNone, sheet("prefix = \"yard:\"\n" + rules)), IsOk());
}

TEST(RigTest, CyclesArePrinted) {
    Scene scene;
    std::string rules;
    for (const char* pair : {"ab", "bc", "ca"}) {
        add_node(scene, {pair[0]}, kNone, {});
        rules += fmt::format("[[rule]]\nkind = \"follow\"\nnode = \"{}\"\nsource = \"{}\"\n",
                             pair[0], pair[1]);
    }
    // In the order of evaluation: a source, the rule that reads it, the node that this moves.
    EXPECT_THAT(Rig::bind(scene, kNone, sheet(rules)),
                FailsWith(Code::kRuleCycle,
                          "\"a\" -> [follow rule 3] -> \"c\" -> [follow rule 2] -> \"b\" -> "
                          "[follow rule 1] -> \"a\""));
}

TEST(RigTest, OrderComesFromNeedsNotFromLines) {
    // c follows b, b follows a: written the wrong way round.
    Scene scene;
    add_node(scene, "a", kNone, {});
    add_node(scene, "b", kNone, {});
    add_node(scene, "c", kNone, {});
    key(scene, 0, Path::kTranslation, {0, 0, 0}, {1, 2, 3});
    const RigSheet s = sheet(
        "[[rule]]\nkind = \"follow\"\nnode = \"c\"\nsource = \"b\"\n[[rule]]\nkind = "
        "\"follow\"\nnode = \"b\"\nsource = \"a\"\n");
    EXPECT_EQ(evaluate(scene, s, 1).world(2, 0).o, (Vec3{1, 2, 3}));
    const auto rig = Rig::bind(scene, 0, s);
    ASSERT_EQ(rig.value().steps().size(), 2U);
    EXPECT_EQ(rig.value().steps()[0].line, "follow b <- a");
    EXPECT_EQ(rig.value().steps()[1].line, "follow c <- b");
    EXPECT_EQ(rig.value().steps()[1].drives, "position, orientation");
}

TEST(RigTest, LanesBeyondTheLastTimeRepeatIt) {
    Scene scene = chain_scene(1, 1);
    key(scene, 0, Path::kTranslation, {0, 0, 0}, {8, 0, 0});
    const auto rig = Rig::bind(scene, 0, {});
    PoseTile tile = rig.value().source().make_tile();
    const std::array<double, 3> times{0, 0.25, 0.5};
    rig.value().evaluate(times, tile);
    const double expected[] = {0, 2, 4, 4, 4};
    for (int f = 0; f < 5; ++f) EXPECT_EQ(tile.world(0, f).o.x, expected[f]);
    EXPECT_EQ(tile.world(0, kTileFrames - 1).o.x, 4);
}

// -------------------------------------------------------------------------------------- follow

/// A turned and moved parent, a node below it, and a source elsewhere.
Scene follow_scene() {
    Scene scene;
    add_node(scene, "parent", kNone, {{1, 0, 0}, from_axis_angle({0, 0, 1}, pi / 2), {2, 2, 2}});
    add_node(scene, "node", 0, {{0, 1, 0}, from_axis_angle({1, 0, 0}, 0.3), {1, 1, 1}});
    add_node(scene, "source", kNone, {{0, 5, 0}, from_axis_angle({0, 1, 0}, 0.4), {1, 1, 1}});
    key(scene, 2, Path::kTranslation, {0, 5, 0}, {3, 5, 2});
    const Quat q = from_axis_angle({0, 1, 0}, 0.4),
               r = from_axis_angle({1, 1, 0}, 0) * from_axis_angle({0, 1, 0}, 1.4);
    key(scene, 2, Path::kRotation, {q.x, q.y, q.z, q.w}, {r.x, r.y, r.z, r.w});
    return scene;
}

TEST(FollowTest, KeepsTheRestOffsetInTheWorld) {
    const Scene scene = follow_scene();
    const PoseTile tile = evaluate(
        scene, sheet("[[rule]]\nkind = \"follow\"\nnode = \"node\"\nsource = \"source\"\n"), 1);
    // Rest: node at (1,0,0) + Rz90 * 2 * (0,1,0) = (-1,0,0). In the source's space (turned by 0.4
    // about Y, at (0,5,0)) that is Ry(-0.4) * (-1,-5,0). Afterwards the source is turned by 1.4.
    const Vec3 offset = rotate(from_axis_angle({0, 1, 0}, -0.4), {-1, -5, 0});
    const Vec3 expected = Vec3{3, 5, 2} + rotate(from_axis_angle({0, 1, 0}, 1.4), offset);
    EXPECT_LT(length(tile.world(1, 0).o - expected), 1e-12);
    const Quat turn = from_axis_angle({0, 1, 0}, 1.0) * from_axis_angle({0, 0, 1}, pi / 2) *
                      from_axis_angle({1, 0, 0}, 0.3);
    EXPECT_NEAR(angle_between(rotation_of(tile.world(1, 0)), turn), 0, 1e-7);
    // Scale was not followed: the parent's 2 stays.
    EXPECT_NEAR(length(tile.world(1, 0).x), 2, 1e-12);
}

TEST(FollowTest, WithoutOffsetItLandsOnTheSource) {
    const Scene scene = follow_scene();
    const PoseTile tile =
        evaluate(scene,
                 sheet("[[rule]]\nkind = \"follow\"\nnode = \"node\"\nsource = \"source\"\noffset "
                       "= \"none\"\nparts = [\"position\", \"orientation\", \"scale\"]\n"),
                 1);
    EXPECT_LT(difference(tile.world(1, 0), tile.world(2, 0)), 1e-12);
}

TEST(FollowTest, PartsThatAreNotFollowedKeepTheirKeys) {
    Scene scene = follow_scene();
    key(scene, 1, Path::kTranslation, {0, 1, 0}, {0, 4, 0});
    const PoseTile tile = evaluate(scene,
                                   sheet("[[rule]]\nkind = \"follow\"\nnode = \"node\"\nsource = "
                                         "\"source\"\nparts = [\"orientation\"]\n"),
                                   1);
    EXPECT_LT(length(tile.local(1, 0).t - Vec3{0, 4, 0}), 1e-12);
}

// ---------------------------------------------------------------------------------------- limb

/// Two bones of lengths 3 and 4 hanging down -Y from (0, 10, 0), slightly bent towards +Z.
struct Limb {
    Scene scene;
    RigSheet rules;
    int start, mid, end, goal, pole;
};

Limb make_limb(const Transform& parent = {}, const std::string& more = "") {
    Limb l;
    const int body = add_node(l.scene, "body", kNone, parent);
    l.start =
        add_node(l.scene, "thigh", body, {{0, 10, 0}, from_axis_angle({1, 0, 0}, -0.1), {1, 1, 1}});
    l.mid = add_node(l.scene, "shin", l.start,
                     {{0, -3, 0}, from_axis_angle({1, 0, 0}, 0.2), {1, 1, 1}});
    l.end =
        add_node(l.scene, "foot", l.mid, {{0, -4, 0}, from_axis_angle({1, 0, 0}, -0.1), {1, 1, 1}});
    l.goal = add_node(l.scene, "goal", kNone, {{0, 5, 0}, {}, {1, 1, 1}});
    l.pole = add_node(l.scene, "pole", kNone, {{0, 8, 20}, {}, {1, 1, 1}});
    l.rules = sheet(
        "[[rule]]\nkind = \"limb\"\nstart = \"thigh\"\nmid = \"shin\"\nend = \"foot\"\ngoal = "
        "\"goal\"\npole = \"pole\"\n" +
        more);
    return l;
}

void move(Limb& l, int node, Vec3 to) {
    l.scene.nodes[static_cast<std::size_t>(node)].local.t = to;
    key(l.scene, node, Path::kTranslation, {to.x, to.y, to.z}, {to.x, to.y, to.z});
}

TEST(LimbTest, ARightAngleIsFoundExactly) {
    // 3-4-5: with the goal 5 below, the knee is a right angle. Its place: along the line to the
    // goal by 3 * cos(A) with cos(A) = (9 + 25 - 16) / (2 * 3 * 5) = 0.6, aside by 3 * 0.8 to the
    // pole.
    Limb l = make_limb();
    move(l, l.goal, {0, 5, 0});
    const PoseTile tile = evaluate(l.scene, l.rules);
    EXPECT_LT(length(tile.world(l.mid, 0).o - Vec3{0, 8.2, 2.4}), 1e-12);
    EXPECT_LT(length(tile.world(l.end, 0).o - Vec3{0, 5, 0}), 1e-12);
    EXPECT_NEAR(dot(tile.world(l.mid, 0).o - Vec3{0, 10, 0},
                    tile.world(l.end, 0).o - tile.world(l.mid, 0).o),
                0, 1e-12);
}

TEST(LimbTest, TheKneeTurnsToThePole) {
    Limb l = make_limb();
    move(l, l.pole, {20, 8, 0});
    const PoseTile tile = evaluate(l.scene, l.rules);
    EXPECT_LT(length(tile.world(l.mid, 0).o - Vec3{2.4, 8.2, 0}), 1e-12);
    EXPECT_LT(length(tile.world(l.end, 0).o - Vec3{0, 5, 0}), 1e-12);
}

TEST(LimbTest, OutOfReachItPointsAtTheGoal) {
    Limb l = make_limb();
    move(l, l.goal, {0, 10, 50});
    PoseTile tile = evaluate(l.scene, l.rules);
    EXPECT_LT(length(tile.world(l.end, 0).o - Vec3{0, 10, 7}), 1e-7);
    // Nearer than the difference of the bones: folded on one line.
    Limb folded = make_limb();
    move(folded, folded.goal, {0, 9.5, 0});
    tile = evaluate(folded.scene, folded.rules);
    EXPECT_NEAR(length(tile.world(folded.end, 0).o - Vec3{0, 10, 0}), 1, 1e-7);
}

TEST(LimbTest, DegenerateGoalsAndPolesStayFinite) {
    for (const Vec3 goal : {Vec3{0, 10, 0}, Vec3{0, 3, 0}, Vec3{0, 5, 0}})
        for (const Vec3 pole : {Vec3{0, 8, 20}, Vec3{0, 10, 0}, Vec3{0, -100, 0}}) {
            Limb l = make_limb();
            move(l, l.goal, goal);
            move(l, l.pole, pole);
            const PoseTile tile = evaluate(l.scene, l.rules);
            for (const int n : {l.start, l.mid, l.end}) {
                const Affine w = tile.world(n, 0);
                EXPECT_TRUE(is_finite(w.x) && is_finite(w.y) && is_finite(w.z) && is_finite(w.o));
                EXPECT_NEAR(length(w.x), 1, 1e-9);
            }
        }
}

TEST(LimbTest, TheRestGoalGivesTheRestPoseBack) {
    // Goal on the foot's rest place and the pole in the plane of the bend: nothing may move, twist
    // included, even under a turned and scaled parent.
    const Transform parent{{1, 2, 3}, normalized(Quat{0.2, -0.5, 0.3, 0.7}), {1.5, 1.5, 1.5}};
    Limb l = make_limb(parent);
    const auto rest = rest_worlds(l.scene);
    const auto at = [](int n) { return static_cast<std::size_t>(n); };
    move(l, l.goal, rest[at(l.end)].o);
    const Vec3 knee = rest[at(l.mid)].o, middle = (rest[at(l.start)].o + rest[at(l.end)].o) * 0.5;
    move(l, l.pole, knee + 10 * (knee - middle));
    const PoseTile tile = evaluate(l.scene, l.rules);
    for (const int n : {l.start, l.mid, l.end})
        EXPECT_LT(difference(tile.world(n, 0), rest[at(n)]), 1e-9);
}

TEST(LimbTest, TheEndTakesTheGoalsTurnOrStaysFree) {
    Limb l = make_limb();
    const Quat q = from_axis_angle({0, 1, 0}, 0.8);
    key(l.scene, l.goal, Path::kRotation, {q.x, q.y, q.z, q.w}, {q.x, q.y, q.z, q.w});
    // The foot's rest turn is none (-0.1 + 0.2 - 0.1), the goal's too: it faces as the goal does.
    EXPECT_NEAR(angle_between(rotation_of(evaluate(l.scene, l.rules).world(l.end, 0)), q), 0, 1e-7);
    Limb free = make_limb({}, "end_orientation = \"free\"\n");
    const Quat local = evaluate(free.scene, free.rules).local(free.end, 0).r;
    EXPECT_NEAR(angle_between(local, from_axis_angle({1, 0, 0}, -0.1)), 0, 1e-7);
}

TEST(LimbTest, TheKneeMovesSmoothlyUpToFullReach) {
    double last = -1;
    for (int step = 0; step <= 200; ++step) {
        Limb l = make_limb();
        move(l, l.goal, {0, 10 - (5.0 + 2.2 * step / 200), 0});
        const PoseTile tile = evaluate(l.scene, l.rules);
        const double aside = tile.world(l.mid, 0).o.z;
        if (step > 0) {
            EXPECT_LT(std::abs(aside - last), 0.35) << step;
        }
        last = aside;
    }
    EXPECT_NEAR(last, 0, 1e-6);
}

// --------------------------------------------------------------------------------------- drive

double driven(const std::string& angle, const std::string& axis, Quat turn,
              const std::string& more = "") {
    Scene scene = chain_scene(1, 1);
    const Quat rest = from_axis_angle({0, 0, 1}, 0.5);
    scene.nodes[0].local.r = rest;
    const Quat q = rest * turn;
    key(scene, 0, Path::kRotation, {q.x, q.y, q.z, q.w}, {q.x, q.y, q.z, q.w});
    Node body;
    body.name = "body";
    body.mesh = 0;
    scene.nodes.push_back(body);
    scene.roots.push_back(1);
    Mesh mesh;
    mesh.target_names = {"fold", "elbow"};
    mesh.primitives.emplace_back();
    mesh.primitives[0].targets.resize(2);
    scene.meshes.push_back(mesh);
    const RigSheet s = sheet(fmt::format(
        "[[rule]]\nkind = \"drive\"\nmesh = \"body\"\ntarget = \"elbow\"\n[[rule.input]]\nnode = "
        "\"n0\"\nof = \"{}\"\naxis = \"{}\"\ncurve = [[10, 0], [50, 1], [90, 0.5]]\n{}",
        angle, axis, more));
    const PoseTile tile = evaluate(scene, s);
    EXPECT_EQ(tile.scalar(0)[0], 0);
    return tile.scalar(1)[0];
}

TEST(DriveTest, SwingAndTwistAreMeasuredFromTheRestPose) {
    const auto degrees = [](Vec3 axis, double d) { return from_axis_angle(axis, d * pi / 180); };
    EXPECT_NEAR(driven("swing", "+Y", degrees({1, 0, 0}, 30)), 0.5, 1e-12);
    EXPECT_NEAR(driven("swing", "+Y", degrees({0, 0, 1}, -30)), 0.5, 1e-12);  // either way
    EXPECT_NEAR(driven("swing", "+Y", degrees({0, 1, 0}, 70)), 0, 1e-12);     // twist is no swing
    EXPECT_NEAR(driven("twist", "+Y", degrees({0, 1, 0}, 70)), 0.75, 1e-12);
    EXPECT_NEAR(driven("twist", "-Y", degrees({0, 1, 0}, 70)), 0, 1e-12);  // signed
    EXPECT_NEAR(driven("twist", "+Y", degrees({1, 0, 0}, 70)), 0, 1e-12);
    EXPECT_NEAR(driven("swing", "+Y", degrees({1, 0, 0}, 170)), 0.5,
                1e-12);  // held beyond the ends
    EXPECT_NEAR(driven("swing", "+Y", Quat{}), 0, 1e-12);
}

TEST(DriveTest, SmoothGoesThroughThePointsWithoutCorners) {
    const auto at = [](double d) {
        return driven("swing", "+Y", from_axis_angle({1, 0, 0}, d * pi / 180),
                      "shape = \"smooth\"\n");
    };
    EXPECT_NEAR(at(30), 0.5, 1e-12);
    EXPECT_NEAR(at(20), 0.25 * 0.25 * (3 - 0.5), 1e-12);
    EXPECT_NEAR(at(50), 1, 1e-12);
    EXPECT_LT(std::abs(at(50.1) - at(50)), 1e-4);
}

}  // namespace
}  // namespace mellow
