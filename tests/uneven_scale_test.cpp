// Rules below scale that is mirrored or uneven: what rests, rests, and the equations of
// docs/rig-sheet.md hold. Rotations of matrices are found by plain averaging, X <- (X + X^-T) / 2
// (Higham, 1986), which shares no code with what is tested.
#include <fmt/format.h>

#include "rigs.h"

namespace mellow::uneven_scale_test {
namespace {

using namespace test;

/// The polar rotation of the linear part; of a mirrored one, negated first.
Affine polar(Affine m) {
    m.o = {};
    if (dot(cross(m.x, m.y), m.z) < 0) m = {-m.x, -m.y, -m.z, {}};
    for (int i = 0; i < 60; ++i) {
        const double d = dot(cross(m.x, m.y), m.z);
        const Vec3 x = cross(m.y, m.z) * (1 / d), y = cross(m.z, m.x) * (1 / d),
                   z = cross(m.x, m.y) * (1 / d);
        m = {(m.x + x) * 0.5, (m.y + y) * 0.5, (m.z + z) * 0.5, {}};
    }
    return m;
}
Affine transposed(const Affine& m) {
    return {{m.x.x, m.y.x, m.z.x}, {m.x.y, m.y.y, m.z.y}, {m.x.z, m.y.z, m.z.z}, {}};
}
double apart(const Affine& a, const Affine& b) {
    return std::max({length(a.x - b.x), length(a.y - b.y), length(a.z - b.z)});
}

/// Scales of a group above everything that is driven, and how the group is turned.
struct Above {
    Vec3 scale;
    Quat turn;
};
std::vector<Above> groups() {
    return {{{-1, 1, 1}, {}},
            {{-1, -1, -1}, {}},
            {{1, 2, 1}, {}},
            {{1, 2, 1.5}, turn(normalized(Vec3{1, 2, 3}, kX), 40)},
            {{-1, 2, 1.5}, turn(normalized(Vec3{3, -1, 2}, kX), 70)}};
}

/// A control in the world, and below the group what rules drive.
struct Stage {
    Scene scene;
    int group, control, node, start, mid, end;
};
Stage stage(const Above& above) {
    Stage s;
    const auto rest = [](double x, double y, double z) {
        return turn(normalized(Vec3{x, y, z}, kX), 30 + 10 * x);
    };
    s.group = add_node(s.scene, "group", kNone, {{0.1, 0.2, -0.1}, above.turn, above.scale});
    s.control = add_node(s.scene, "control", kNone, {{1, 0.4, 0.3}, rest(1, 0, 2), {1, 1, 1}});
    add_node(s.scene, "other", kNone, {{-0.7, 0.9, 0.2}, rest(0, 1, 1), {1, 1, 1}});
    add_node(s.scene, "pole", kNone, {{0.5, 3, 2}, {}, {1, 1, 1}});
    s.node = add_node(s.scene, "node", s.group, {{0.3, 0.1, 0.2}, rest(2, 1, 0), {1, 1, 1}});
    s.start = add_node(s.scene, "start", s.group, {{0, 0.1, 0}, rest(0, 0, 1), {1, 1, 1}});
    s.mid = add_node(s.scene, "mid", s.start, {{0.6, 0, 0}, rest(0, 1, 0), {1, 1, 1}});
    s.end = add_node(s.scene, "end", s.mid, {{0.5, 0.1, 0}, rest(1, 1, 0), {1, 1, 1}});
    return s;
}
/// The control at the end of half a second, and at rest.
void move_control(Stage& s) {
    key(s.scene, s.control, Path::kTranslation, {1, 0.4, 0.3}, {0.9, 0.7, 0.5}, 0.5);
    key_turn(s.scene, s.control, s.scene.nodes[1].local.r, turn(kZ, 50) * s.scene.nodes[1].local.r,
             0.5);
}

void expect_rest(const Stage& s, const RigSheet& rules, const std::string& what) {
    const PoseTile tile = evaluate(s.scene, rules, 0);
    const std::vector<Affine> rest = rest_worlds(s.scene);
    for (std::size_t n = 0; n < rest.size(); ++n) {
        const Affine got = tile.world(static_cast<int>(n), 0);
        EXPECT_LT(length(got.o - rest[n].o), 1e-9) << what << ": " << s.scene.nodes[n].name;
        EXPECT_LT(apart(got, rest[n]), 1e-9) << what << ": " << s.scene.nodes[n].name;
    }
}

TEST(UnevenScaleTest, WhatRestsRests) {
    for (const Above& above : groups())
        for (const char* rules :
             {"[[rule]]\nkind = \"follow\"\nnode = \"node\"\nsource = \"control\"\n",
              "[[rule]]\nkind = \"follow\"\nnode = \"node\"\nparts = [\"orientation\"]\n"
              "[[rule.source]]\nnode = \"control\"\n[[rule.source]]\nnode = \"other\"\n",
              "[[rule]]\nkind = \"follow\"\nnode = \"node\"\nsource = \"control\"\nparts = "
              "[\"orientation.Y\", \"position.X\"]\n",
              "[[rule]]\nkind = \"follow\"\nnode = \"node\"\nsource = \"control\"\nparts = "
              "[\"position\", \"orientation\", \"scale\"]\n",
              "[[rule]]\nkind = \"aim\"\nnode = \"node\"\nsource = \"control\"\naxis = "
              "\"+Z\"\nup_axis = \"+Y\"\nup = \"+Y\"\noffset = \"keep\"\n",
              "[[rule]]\nkind = \"aim\"\nnode = \"node\"\nsource = \"control\"\naxis = "
              "\"-X\"\nup_axis = \"+Y\"\nup = \"+Z\"\nup_node = \"other\"\noffset = \"keep\"\n",
              "[[rule]]\nkind = \"roll\"\nnode = \"node\"\naxis = \"+X\"\nup = \"+Y\"\nradius = "
              "0.3\n"}) {
            Stage s = stage(above);
            move_control(s);
            expect_rest(s, sheet(rules), fmt::format("scale {}: {}", above.scale.y, rules));
        }
}

TEST(UnevenScaleTest, ScaleOfTheNodesOwnAndOfTheSourceLeaveItAtRest) {
    const std::string whole = "parts = [\"position\", \"orientation\", \"scale\"]\n";
    for (const Vec3 own : {Vec3{-1, 1, 1}, {1, 3, 0.5}, {-2, -1, 1}, {0.2, -4, 3}, {-5, 0.3, -1}})
        for (const double across : {25.0, 80.0, 140.0})
            for (const std::string& rules :
                 {"[[rule]]\nkind = \"follow\"\nnode = \"node\"\nsource = \"control\"\n" + whole,
                  "[[rule]]\nkind = \"follow\"\nnode = \"node\"\nweight = 0.6\n" + whole +
                      "[[rule.source]]\nnode = \"control\"\n[[rule.source]]\nnode = \"other\"\n",
                  std::string("[[rule]]\nkind = \"limb\"\nstart = \"start\"\nmid = \"mid\"\nend = "
                              "\"end\"\ngoal = \"goal\"\npole = \"pole\"\n"),
                  std::string("[[rule]]\nkind = \"chain\"\njoints = [\"start\", \"mid\", \"end\"]\n"
                              "goal = \"goal\"\nend_orientation = \"goal\"\n")}) {
                Stage s = stage({{1, 2, 1.5}, turn(normalized(Vec3{1, 2, 3}, kX), across)});
                for (const int n : {s.node, s.end})
                    s.scene.nodes[static_cast<std::size_t>(n)].local.s = own;
                s.scene.nodes[static_cast<std::size_t>(s.control)].local.s = {1, 2, 1};
                const Affine end = rest_worlds(s.scene)[static_cast<std::size_t>(s.end)];
                const int pole = 3;  // where the limb's own bend shows to
                const Affine mid = rest_worlds(s.scene)[static_cast<std::size_t>(s.mid)];
                s.scene.nodes[pole].local.t = mid.o;
                add_node(s.scene, "goal", kNone, {end.o, turn(kY, 20), {1, 1, 1}});
                move_control(s);
                expect_rest(s, sheet(rules),
                            fmt::format("own scale {} {} {} across {}: {}", own.x, own.y, own.z,
                                        across, rules));
            }
}

TEST(UnevenScaleTest, AFollowerTurnsAsItsSourceDoes) {
    for (const Above& above : groups()) {
        Stage s = stage(above);
        move_control(s);
        const RigSheet rules =
            sheet("[[rule]]\nkind = \"follow\"\nnode = \"node\"\nsource = \"control\"\n");
        const std::vector<Affine> rest = rest_worlds(s.scene);
        const PoseTile tile = evaluate(s.scene, rules, 0.4);
        const auto at = [](int n) { return static_cast<std::size_t>(n); };
        // R = R(source) R0(source)^-1 R0(node),  p = W(source) W0(source)^-1 p0(node)
        const Affine source = tile.world(s.control, 0);
        const Affine wanted =
            polar(source) * transposed(polar(rest[at(s.control)])) * polar(rest[at(s.node)]);
        EXPECT_LT(apart(polar(tile.world(s.node, 0)), wanted), 1e-9) << above.scale.y;
        const Vec3 place = apply(source, apply(inverse(rest[at(s.control)]), rest[at(s.node)].o));
        EXPECT_LT(length(tile.world(s.node, 0).o - place), 1e-9);
    }
}

TEST(UnevenScaleTest, AnAimPointsAtItsSourceWhereOneSeesIt) {
    for (const Above& above : groups()) {
        Stage s = stage(above);
        move_control(s);
        const RigSheet rules = sheet(
            "[[rule]]\nkind = \"aim\"\nnode = \"node\"\nsource = \"control\"\naxis = "
            "\"+Z\"\nup_axis = \"+Y\"\nup = \"+Y\"\n");
        const PoseTile tile = evaluate(s.scene, rules, 0.4);
        const Affine node = tile.world(s.node, 0);
        const Vec3 u = normalized(tile.world(s.control, 0).o - node.o, kX);
        EXPECT_LT(length(normalized(node.z, {}) - u), 1e-9) << above.scale.y;
        // The up axis lies in the half plane of the aim and up.
        const Vec3 across = normalized(cross(u, kY), kX);
        EXPECT_LT(std::abs(dot(normalized(node.y, {}), across)), 1e-9);
        EXPECT_GT(dot(node.y - dot(node.y, u) * u, kY), 0);
    }
}

TEST(UnevenScaleTest, LimbsAndChainsReachTheirGoals) {
    for (const Above& above : groups()) {
        Stage s = stage(above);
        // A goal within reach: where the end rests, and a little nearer to the start.
        const std::vector<Affine> rest = rest_worlds(s.scene);
        const Vec3 there = rest[static_cast<std::size_t>(s.end)].o,
                   near = there + 0.2 * (rest[static_cast<std::size_t>(s.start)].o - there);
        const int goal = add_node(s.scene, "goal", kNone, {there, turn(kY, 20), {1, 1, 1}});
        key(s.scene, goal, Path::kTranslation, {there.x, there.y, there.z},
            {near.x, near.y, near.z}, 0.5);
        key_turn(s.scene, goal, turn(kY, 20), turn(kX, 60) * turn(kY, 20), 0.5);
        for (const char* rules :
             {"[[rule]]\nkind = \"limb\"\nstart = \"start\"\nmid = \"mid\"\nend = \"end\"\ngoal = "
              "\"goal\"\npole = \"pole\"\n",
              "[[rule]]\nkind = \"chain\"\njoints = [\"start\", \"mid\", \"end\"]\ngoal = "
              "\"goal\"\nend_orientation = \"goal\"\ntolerance = 1e-10\n"}) {
            const PoseTile tile = evaluate(s.scene, sheet(rules), 0.5);
            EXPECT_LT(length(tile.world(s.end, 0).o - near), 1e-6) << above.scale.y << rules;
            const std::vector<Affine> now = rest_worlds(s.scene);
            const Affine wanted = polar(tile.world(goal, 0)) *
                                  transposed(polar(now[static_cast<std::size_t>(goal)])) *
                                  polar(now[static_cast<std::size_t>(s.end)]);
            EXPECT_LT(apart(polar(tile.world(s.end, 0)), wanted), 1e-9) << above.scale.y << rules;
        }
    }
}

TEST(UnevenScaleTest, OnlyUnevenScaleIsTold) {
    for (const auto& [scale, told] :
         {std::pair(Vec3{2, 2, 2}, false), {{-1, 1, 1}, false}, {{1, 2, 1}, true}}) {
        const Stage s = stage({scale, {}});
        const auto rig = Rig::bind(
            s.scene, kNone,
            sheet("[[rule]]\nkind = \"follow\"\nnode = \"node\"\nsource = \"control\"\n"));
        ASSERT_THAT(rig, IsOk());
        const std::string text = text_of(rig.value().findings());
        EXPECT_EQ(text.find("shear") != text.npos && text.find("group") != text.npos, told) << text;
    }
}

TEST(UnevenScaleTest, KeysThatARuleOverrulesAreTold) {
    Stage s = stage({{1, 1, 1}, {}});
    key_turn(s.scene, s.node, {}, turn(kX, 40));
    const std::string follow =
        "[[rule]]\nkind = \"follow\"\nnode = \"node\"\nsource = \"control\"\n";
    const auto told = [&](const std::string& rules) {
        const auto rig = Rig::bind(s.scene, 0, sheet(rules));
        EXPECT_THAT(rig, IsOk());
        return text_of(rig.value().findings());
    };
    EXPECT_NE(told(follow).find("overruled"), std::string::npos);
    EXPECT_EQ(told(follow + "weight = 0.5\n"), "");
    EXPECT_EQ(told(follow + "parts = [\"position\"]\n"), "") << "its turn stays";
}

}  // namespace
}  // namespace mellow::uneven_scale_test
