// Reading COLLADA: expected numbers are worked out from the 1.4.1 specification by hand.
#include <fmt/format.h>

#include <cmath>
#include <numbers>
#include <regex>

#include "collada_text.h"
#include "mellow/pose.h"
#include "support.h"

namespace mellow {
namespace {

using namespace test;

constexpr double kRight = std::numbers::pi / 2;

Affine world(const Scene& scene, const std::string& node, double seconds) {
    const Pose pose = pose_at(scene, scene.timelines.at(0), seconds);
    return pose.worlds[static_cast<std::size_t>(find_node(scene, node))];
}

TEST(ColladaTest, UnitAndAxes) {
    const auto convention = [](const std::string& asset) {
        return must_parse(file("<node id=\"a\"/>", "", asset)).scene.convention;
    };
    EXPECT_EQ(convention("<unit meter=\"0.01\"/><up_axis>Z_UP</up_axis>"),
              (Convention{0.01, Axis::kPlusZ, Axis::kMinusY}));
    EXPECT_EQ(convention("<up_axis> X_UP </up_axis>"), (Convention{1, Axis::kPlusX, Axis::kPlusZ}));
    EXPECT_EQ(convention("<unit meter=\"0.0254\" name=\"inch\"/>").metres_per_unit, 0.0254);
    EXPECT_THAT(read_dae(file("<node/>", "", "<unit meter=\"0\"/>")),
                FailsWith(Code::kNumberBad, "above 0"));
    EXPECT_TRUE(says(must_parse(file("<node id=\"a\"/>", "", "<up_axis>W_UP</up_axis>")),
                     Code::kAssumed, "W_UP"));
}

TEST(ColladaTest, StackMultipliesFirstToLast) {
    // A turn about a pivot: T(1 2 0) Rz(90) T(-1 -2 0) S(2 1 1) takes (1 0 0) to (2 0 0), to
    // (1 -2 0), by the turn to (2 1 0), and to (3 3 0).
    const Scene scene =
        must_parse(file("<node id=\"a\"><translate>1 2 0</translate><rotate>0 0 1 90"
                        "</rotate><translate>-1 -2 0</translate><scale>2 1 1</scale>"
                        "</node>"))
            .scene;
    const Affine local = to_affine(scene.nodes[0].local);
    EXPECT_LT(length(apply(local, {1, 0, 0}) - Vec3{3, 3, 0}), 1e-12);
    EXPECT_TRUE(scene.nodes[0].stack.empty()) << "nothing moves it";
}

TEST(ColladaTest, MatrixIsRowAfterRow) {
    const Scene scene =
        must_parse(file("<node id=\"a\"><matrix>0 -1 0 5 1 0 0 6 0 0 1 7 0 0 0 1</matrix></node>"))
            .scene;
    EXPECT_LT(length(apply(to_affine(scene.nodes[0].local), {1, 0, 0}) - Vec3{5, 7, 7}), 1e-12);
}

TEST(ColladaTest, LookAtFacesDownItsZ) {
    // From (0 0 5) to the origin, +Y up: the eye's own axes are the world's. Seen from (5 0 0), -Z
    // points to -X, so +Z is +X, and X is up x Z = (0 1 0) x (1 0 0) = (0 0 -1).
    const Scene scene = must_parse(file("<node id=\"a\"><lookat>0 0 5 0 0 0 0 1 0</lookat></node>"
                                        "<node id=\"b\"><lookat>5 0 0 0 0 0 0 1 0</lookat></node>"))
                            .scene;
    EXPECT_LT(length(apply(to_affine(scene.nodes[0].local), {1, 2, 3}) - Vec3{1, 2, 8}), 1e-12);
    EXPECT_LT(length(apply(to_affine(scene.nodes[1].local), {1, 0, 0}) - Vec3{5, 0, -1}), 1e-12);
}

TEST(ColladaTest, SkewIsSaidAsShear) {
    // 45 degrees of Y towards X: (0 1 0) goes to (1 1 0).
    const StackElement skew{StackKind::kSkew, "", {kRight / 2, 0, 1, 0, 1, 0, 0}};
    EXPECT_LT(length(apply(compose({&skew, 1}), {0, 1, 0}) - Vec3{1, 1, 0}), 1e-12);
    const ReadResult read = must_parse(file("<node id=\"a\"><skew>45 0 1 0 1 0 0</skew></node>"));
    EXPECT_TRUE(says(read, Code::kShear, "rest transform"));
}

TEST(ColladaTest, EulerOrderOfTheLastThreeTurns) {
    const auto order = [](const std::string& turns) {
        return must_parse(file("<node id=\"a\">" + turns + "</node>")).scene.nodes[0].order;
    };
    const std::string x = "<rotate>1 0 0 0</rotate>", y = "<rotate>0 1 0 0</rotate>",
                      z = "<rotate>0 0 -1 0</rotate>", odd = "<rotate>1 1 0 0</rotate>";
    EXPECT_EQ(order(z + y + x), EulerOrder::kZYX);
    EXPECT_EQ(order(x + y + z + y + x + z), EulerOrder::kYXZ) << "orientation at rest comes before";
    EXPECT_FALSE(order(x + y).has_value());
    EXPECT_FALSE(order(x + y + odd).has_value());
    EXPECT_FALSE(order(x + y + x).has_value());
}

TEST(ColladaTest, AnglesStayAnglesOverManyTurns) {
    // 720 degrees in 2 s, straight: 90 at 0.25 s, 180 at 0.5 s, 360 at 1 s.
    const Scene scene =
        must_parse(
            file("<node id=\"screw\"><rotate sid=\"r\">0 1 0 0</rotate></node>",
                 animations(animation("m", "screw/r.ANGLE", {"0 2", "0 720", "LINEAR LINEAR"}))))
            .scene;
    const auto x_axis = [&](double t) { return world(scene, "screw", t).x; };
    EXPECT_LT(length(x_axis(0.25) - Vec3{0, 0, -1}), 1e-12);
    EXPECT_LT(length(x_axis(0.5) - Vec3{-1, 0, 0}), 1e-12);
    EXPECT_LT(length(x_axis(1.0) - Vec3{1, 0, 0}), 1e-12);
    EXPECT_LT(length(x_axis(1.75) - Vec3{0, 0, 1}), 1e-12);
}

TEST(ColladaTest, ComposedStacksKeepTheirMotion) {
    Scene scene =
        must_parse(
            file("<node id=\"screw\"><translate sid=\"t\">0 0 0</translate><rotate sid=\"z\">0 0 "
                 "1 20</rotate><rotate sid=\"y\">0 1 0 0</rotate><scale>1 2 1</scale></node>",
                 animations(
                     animation("m", "screw/y.ANGLE", {"0 2", "0 720", "LINEAR LINEAR"}) +
                     animation("n", "screw/t.Y", {"0 1 2", "0 3 1", "STEP LINEAR LINEAR", 3}))))
            .scene;
    const Scene before = scene;
    for (const Finding& f : compose_stacks(scene)) EXPECT_EQ(f.severity, Severity::kNote);
    EXPECT_TRUE(scene.timelines[0].members.empty());
    for (double t = 0; t <= 2; t += 0.013)
        EXPECT_LT(test::difference(world(scene, "screw", t), world(before, "screw", t)), 1e-6) << t;
    // The step at 1 s stays within 10 microseconds.
    EXPECT_NEAR(world(scene, "screw", 0.99998).o.y, 0, 1e-9);
    EXPECT_NEAR(world(scene, "screw", 1).o.y, 3, 1e-9);
}

struct MemberCase {
    const char *element, *target, *values;
    Vec3 expected;  // where the point (1 2 3) is at 1 s
};

class ColladaMember : public testing::TestWithParam<MemberCase> {};

TEST_P(ColladaMember, MovesThatNumber) {
    const MemberCase& c = GetParam();
    const Scene scene = must_parse(file(std::string("<node id=\"n\">") + c.element + "</node>",
                                        animations(animation("m", std::string("n/") + c.target,
                                                             {"0 1", c.values, "LINEAR LINEAR"}))))
                            .scene;
    EXPECT_LT(length(apply(world(scene, "n", 1), {1, 2, 3}) - c.expected), 1e-12);
}

// Matrices are addressed column first: (3)(1) is the place along Y.
INSTANTIATE_TEST_SUITE_P(
    All, ColladaMember,
    testing::Values(MemberCase{"<translate sid=\"t\">7 8 9</translate>", "t.Y", "0 4", {8, 6, 12}},
                    MemberCase{"<translate sid=\"t\">7 8 9</translate>", "t(2)", "0 4", {8, 10, 7}},
                    MemberCase{"<scale sid=\"s\">2 2 2</scale>", "s.X", "1 5", {5, 4, 6}},
                    MemberCase{"<rotate sid=\"r\">1 0 0 0</rotate>", "r.ANGLE", "0 90", {1, -3, 2}},
                    MemberCase{"<rotate sid=\"r\">0 0 1 90</rotate>", "r(3)", "0 -90", {2, -1, 3}},
                    MemberCase{"<matrix sid=\"m\">1 0 0 5 0 1 0 6 0 0 1 7 0 0 0 1</matrix>",
                               "m(3)(1)",
                               "0 9",
                               {6, 11, 10}},
                    MemberCase{"<matrix sid=\"m\">1 0 0 5 0 1 0 6 0 0 1 7 0 0 0 1</matrix>",
                               "m(0)(0)",
                               "0 4",
                               {9, 8, 10}}));

TEST(ColladaTest, CurvesByKey) {
    // One curve: held, straight, Bezier. The Bezier segment from (2 s, 10) to (4 s, 20) has its
    // points at (3 s, 10) and (3 s, 20). At parameter s the time is 2(1-s)^3 + 9 s(1-s)^2 +
    // 9 s^2 (1-s) + 4 s^3: 2.59375 at s = 1/4, where the value is 10 (27+27)/64 + 20 (9+1)/64
    // = 11.5625.
    const Keys keys{"0 1 2 4", "5 0 10 20",         "STEP LINEAR BEZIER LINEAR", 4,
                    1,         "0 5 1 0 2 10 3 20", "0 5 1 0 3 10 4 20"};
    const Scene scene =
        must_parse(file("<node id=\"n\"><translate sid=\"t\">0 0 0</translate></node>",
                        animations(animation("m", "n/t.X", keys))))
            .scene;
    const std::pair<double, double> expected[] = {
        {-1, 5}, {0.9, 5}, {1, 0}, {1.5, 5}, {2.59375, 11.5625}, {3, 15}, {4, 20}, {9, 20}};
    for (const auto& [t, x] : expected) EXPECT_NEAR(world(scene, "n", t).o.x, x, 1e-9) << t;
}

TEST(ColladaTest, TangentsOfSeveralMembers) {
    // One time for three members, (s, x, y, z), and bare values at thirds.
    const Keys shared{"0 3", "0 0 0 3 6 9",     "BEZIER BEZIER",   2,
                      3,     "0 0 0 0 2 3 6 9", "1 0 0 0 3 3 6 9", 4};
    const Keys bare{"0 3", "0 0 0 3 6 9", "BEZIER BEZIER", 2, 3, "0 0 0 3 6 9", "0 0 0 3 6 9", 3};
    for (const Keys& keys : {shared, bare}) {
        const Scene scene =
            must_parse(file("<node id=\"n\"><translate sid=\"t\">0 0 0</translate></node>",
                            animations(animation("m", "n/t", keys))))
                .scene;
        EXPECT_LT(length(world(scene, "n", 1.5).o - Vec3{1.5, 3, 4.5}), 1e-12);
    }
}

TEST(ColladaTest, WholeMatricesBlendAsTurns) {
    // From no turn to a quarter turn about Y: half way it is an eighth, and nothing shrinks.
    const Keys keys{"0 1", "1 0 0 0 0 1 0 0 0 0 1 0 0 0 0 1  0 0 1 4 0 1 0 0 -1 0 0 0 0 0 0 1",
                    "LINEAR LINEAR", 2, 16};
    const Scene scene =
        must_parse(
            file("<node id=\"n\"><matrix sid=\"m\">1 0 0 0 0 1 0 0 0 0 1 0 0 0 0 1</matrix></node>",
                 animations(animation("m", "n/m", keys))))
            .scene;
    const Affine half = world(scene, "n", 0.5);
    EXPECT_LT(length(half.x - Vec3{std::sqrt(0.5), 0, -std::sqrt(0.5)}), 1e-12);
    EXPECT_LT(length(half.o - Vec3{2, 0, 0}), 1e-12);
    EXPECT_EQ(scene.timelines[0].channels.size(), 2U) << "place and turn, no scale";
}

TEST(ColladaTest, AJumpOfOneMemberAmongOthersIsTwoKeys) {
    Scene scene =
        must_parse(file("<node id=\"n\"><rotate sid=\"x\">1 0 0 0</rotate>"
                        "<rotate sid=\"y\">0 1 0 0</rotate></node>",
                        animations(animation("a", "n/x.ANGLE",
                                             {"0 0.5 1", "0 90 90", "STEP STEP STEP", 3}) +
                                   animation("b", "n/y.ANGLE", {"0 1", "0 60", "LINEAR LINEAR"}))))
            .scene;
    compose_stacks(scene);
    const Curve& curve = scene.timelines.at(0).channels.at(0).curve;
    for (std::size_t k = 1; k < curve.times.size(); ++k)
        EXPECT_GT(curve.times[k], curve.times[k - 1]) << k;
    // R = Rx Ry: half a second in, y has turned by 30 degrees, x by 0 and then by 90.
    const Affine before = world(scene, "n", 0.4999), after = world(scene, "n", 0.5001);
    EXPECT_LT(length(before.y - Vec3{0, 1, 0}), 1e-3);
    EXPECT_LT(length(after.y - Vec3{0, 0, 1}), 1e-3);
    EXPECT_LT(length(before.x - Vec3{std::sqrt(0.75), 0, -0.5}), 1e-3);
}

TEST(ColladaTest, DecimalCommasAreReadWhereNoPointStands) {
    const auto node = [](const std::string& numbers) {
        return file("<node id=\"n\"><translate>" + numbers + "</translate></node>");
    };
    const ReadResult read = must_parse(node("1,5 -2,25 3"));
    EXPECT_EQ(read.scene.nodes[0].local.t, (Vec3{1.5, -2.25, 3}));
    ASSERT_EQ(read.findings.size(), 1U);
    EXPECT_THAT(read.findings[0].found, testing::HasSubstr("1,5"));
    for (const char* mixed : {"1,5 2.5 0", "1,,5 0 0", "1,000,000 0 0", ",5 0 0"})
        EXPECT_THAT(read_dae(node(mixed)), FailsWith(Code::kNumberBad, ","));
}

TEST(ColladaTest, NestedAnimationsAndClips) {
    const std::string moves = animations(
        "<animation id=\"walk\">" + animation("a", "n/t.X", {"0 1", "0 1", "LINEAR LINEAR"}) +
        "<animation>" + animation("b", "n/t.Y", {"0 1", "0 2", "LINEAR LINEAR"}) +
        "</animation></animation>" + animation("c", "n/t.X", {"0 5", "0 50", "LINEAR LINEAR"}) +
        animation("d", "n/t.Z", {"0 1", "0 7", "LINEAR LINEAR"}));
    const std::string clips =
        "<library_animation_clips><animation_clip name=\"walk\" end=\"1\"><instance_animation "
        "url=\"#walk\"/></animation_clip><animation_clip id=\"run\" start=\"2\" end=\"3\">"
        "<instance_animation url=\"#c\"/></animation_clip></library_animation_clips>";
    Scene scene = must_parse(file("<node id=\"n\"><translate sid=\"t\">0 0 0</translate></node>",
                                  moves + clips))
                      .scene;
    ASSERT_EQ(scene.timelines.size(), 3U);
    EXPECT_EQ(scene.timelines[0].name, "walk");
    EXPECT_EQ(scene.timelines[0].members.size(), 2U);
    EXPECT_EQ(scene.timelines[1].name, "run");
    EXPECT_EQ(key_span(scene.timelines[1]), (std::array{0.0, 1.0})) << "a clip begins at its start";
    EXPECT_EQ(scene.timelines[2].members.size(), 1U) << "what is in no clip";
    compose_stacks(scene);
    EXPECT_EQ(key_span(scene.timelines[1]), (std::array{0.0, 1.0})) << "keys were cut to the clip";
    EXPECT_NEAR(pose_at(scene, scene.timelines[1], 0.5).worlds[0].o.x, 25, 1e-9);
}

#define IN "<input semantic=\"VERTEX\" source=\"#v\" offset=\"0\"/>"
INSTANTIATE_TEST_SUITE_P(
    All, ColladaSurface,
    testing::Values(
        std::pair{"<triangles count=\"1\">" IN "<p>0 1 2</p></triangles>", 2.0},
        std::pair{"<triangles><input semantic=\"TANGENT\" source=\"#v\" offset=\"1\"/>" IN
                  "<p>0 7 1 7 2 7</p></triangles>",
                  2.0},
        std::pair{"<polylist count=\"2\">" IN "<vcount>4 3</vcount><p>0 1 2 3 2 1 0</p></polylist>",
                  4.0 - 2.0},
        std::pair{"<polygons count=\"1\">" IN "<p>0 1 2 3</p></polygons>", 4.0},
        std::pair{"<trifans count=\"1\">" IN "<p>0 1 2 3</p></trifans>", 4.0},
        std::pair{"<tristrips count=\"1\">" IN "<p>0 1 3 2</p></tristrips>", 4.0}));

/// Values of the one curve of a file whose output is told by the accessor `accessor`, over the
/// numbers 7 3 9 5.
Result<std::vector<double>> accessed(const std::string& accessor,
                                     const std::string& numbers = "7 3 9 5") {
    std::string text = file("<node id=\"n\"><translate sid=\"t\">0 0 0</translate></node>",
                            animations(animation("m", "n/t.X", {"0 1", "@", "LINEAR LINEAR"})));
    text.replace(text.find("count=\"2\">@"), 11, "count=\"4\">" + numbers);
    const std::string plain =
        "<accessor source=\"#moa\" count=\"2\" stride=\"1\"><param name=\"P\"/></accessor>";
    text.replace(text.find(plain), plain.size(), accessor);
    MELLOW_TRY(const ReadResult read, read_dae(text));
    return read.scene.timelines.at(0).members.at(0).values;
}

TEST(ColladaTest, AccessorsTakeWhatTheyName) {
    using Numbers = std::vector<double>;
    const auto values = [](const std::string& members, const std::string& params,
                           const std::string& numbers = "7 3 9 5") {
        const auto read = accessed("<accessor " + members + ">" + params + "</accessor>", numbers);
        EXPECT_THAT(read, IsOk());
        return read ? read.value() : Numbers{};
    };
    const std::string x = "<param name=\"X\"/>";
    EXPECT_EQ(values("source=\"#moa\" count=\"2\"", x), (Numbers{7, 3}));
    EXPECT_EQ(values("source=\"#moa\" count=\"2\" offset=\"1\"", x), (Numbers{3, 9}));
    EXPECT_EQ(values("source=\"#moa\" count=\"2\" stride=\"2\"", x + "<param/>"), (Numbers{7, 9}));
    EXPECT_EQ(values("source=\"#moa\" count=\"2\" stride=\"2\"", "<param/>" + x), (Numbers{3, 5}))
        << "members without a name are stepped over";
    EXPECT_EQ(values("source=\"#mia\" count=\"2\"", x), (Numbers{0, 1}))
        << "numbers may stand in the array of another source";
    EXPECT_EQ(values("source=\"#moa\" count=\"2\"", x, "<![CDATA[7 3]]> <!-- cut --> 9 5"),
              (Numbers{7, 3}));
    EXPECT_THAT(accessed("<accessor source=\"#moa\" count=\"2\" stride=\"2\" offset=\"1\">" + x +
                         "<param/></accessor>"),
                FailsWith(Code::kColladaBroken, "2 elements of 2 numbers from 1 on, of 4"));
}

TEST(ColladaTest, ExtrasOfOthersAreNotOursAndOneIdIsOneElement) {
    const auto name = [](const std::string& profile, const std::string& text) {
        return must_parse(file("<node id=\"a\" name=\"x\"><extra><technique profile=\"" + profile +
                               "\"><name>" + text + "</name></technique></extra></node>"))
            .scene.nodes[0]
            .name;
    };
    EXPECT_EQ(name("mellow_crate", "\n  rig:hips \n"), "rig:hips");
    EXPECT_EQ(name("another", "rig:hips"), "x");
    const ReadResult twice = must_parse(
        file("<node id=\"n\" name=\"first\"><translate sid=\"t\">0 0 0</translate></node>"
             "<node id=\"n\" name=\"second\"><translate sid=\"t\">0 0 0</translate></node>",
             animations(animation("m", "n/t.X", {"0 1", "0 5", "LINEAR LINEAR"}))));
    EXPECT_TRUE(says(twice, Code::kAssumed, "the id \"n\" again"));
    EXPECT_LT(length(world(twice.scene, "first", 1).o - Vec3{5, 0, 0}), 1e-12);
    EXPECT_LT(length(world(twice.scene, "second", 1).o), 1e-12);
    EXPECT_THAT(read_dae(file("\n\n<node id=\"n\"><translate>\n0 x 0</translate></node>")),
                FailsWith(Code::kNumberBad, "cart.dae:3, translate in node \"n\""));
}

TEST(ColladaTest, EncodingsAndNamespaces) {
    const std::string plain = file("<node id=\"a\" name=\"B\u00e4rbel\"/>");
    EXPECT_EQ(must_parse("\xEF\xBB\xBF<?xml version=\"1.0\" encoding=\"utf-8\"?>" + plain)
                  .scene.nodes[0]
                  .name,
              "B\u00e4rbel");
    std::string wide = "\xFF\xFE";
    for (const char c : file("<node id=\"a\" name=\"wide\"/>")) wide += c, wide += '\0';
    EXPECT_EQ(must_parse(wide).scene.nodes[0].name, "wide");
    for (std::size_t i = 0; i < wide.size(); i += 2) std::swap(wide[i], wide[i + 1]);
    const auto by_content = read_memory(Bytes(wide.begin(), wide.end()), "cart.dae", {});
    ASSERT_THAT(by_content, IsOk());
    EXPECT_EQ(by_content.value().scene.nodes[0].name, "wide") << "the big end first";
    const std::string prefixed =
        std::regex_replace(plain, std::regex("<(/?)([A-Za-z])"), "<$1c:$2");
    EXPECT_EQ(must_parse(prefixed).scene.nodes.size(), 1U) << prefixed;
}

struct Sloppy {
    const char *what, *replaced, *by, *said;
};

class ColladaSloppy : public testing::TestWithParam<Sloppy> {};

TEST_P(ColladaSloppy, IsReadAndSaid) {
    std::string text =
        file("<node id=\"n\"><rotate sid=\"r\">0 0 1 0</rotate></node>",
             animations(animation("m", "n/r.ANGLE", {"0 1", "0 90", "LINEAR LINEAR"})));
    const std::size_t at = text.find(GetParam().replaced);
    ASSERT_NE(at, std::string::npos);
    text.replace(at, std::string(GetParam().replaced).size(), GetParam().by);
    const ReadResult read = must_parse(text);
    EXPECT_TRUE(says(read, Code::kAssumed, GetParam().said) ||
                says(read, Code::kLeftOut, GetParam().said) ||
                says(read, Code::kColladaReference, GetParam().said))
        << GetParam().what;
}

INSTANTIATE_TEST_SUITE_P(
    All, ColladaSloppy,
    testing::Values(
        Sloppy{"a count that is not there", "count=\"2\">0 90", "count=\"7\">0 90",
               "2 numbers where 7"},
        Sloppy{"one interpolation for all", "LINEAR LINEAR", "LINEAR",
               "1 interpolations for 2 keys"},
        Sloppy{"no interpolation", "LINEAR LINEAR", "", "LINEAR was assumed"},
        Sloppy{"a rotation without its member", "n/r.ANGLE", "n/r", "taken as the angle"},
        Sloppy{"no scene that is shown", "<instance_visual_scene url=\"#s\"/>", "",
               "first visual scene"},
        Sloppy{"an unknown node", "n/r.ANGLE", "x/r.ANGLE", "x/r.ANGLE"},
        Sloppy{"keys before 0", ">0 1<", ">-1 1<", "put 1 s later"},
        Sloppy{"another version", "version=\"1.4.1\"", "version=\"1.3\"", "version 1.3"},
        Sloppy{"no output", "semantic=\"OUTPUT\"", "semantic=\"X\"", "without INPUT or OUTPUT"}));

struct BrokenFile {
    const char *replaced, *by;
    Code code;
    const char* said;
};

class ColladaBroken : public testing::TestWithParam<BrokenFile> {};

TEST_P(ColladaBroken, IsRefusedWithItsPlace) {
    std::string text = skinned("1 1 1 1", "0 0 0 0 1 0 1 0", "1");
    const std::size_t at = text.find(GetParam().replaced);
    ASSERT_NE(at, std::string::npos);
    text.replace(at, std::string(GetParam().replaced).size(), GetParam().by);
    EXPECT_THAT(read_dae(text), FailsWith(GetParam().code, GetParam().said));
    EXPECT_THAT(read_dae(text), FailsWith(GetParam().code, "cart.dae:1"));
}

INSTANTIATE_TEST_SUITE_P(
    All, ColladaBroken,
    testing::Values(
        BrokenFile{"</asset>", "</asse>", Code::kColladaBroken, "well-formed XML"},
        BrokenFile{"<COLLADA", "<!DOCTYPE x [<!ENTITY a \"b\">]><COLLADA", Code::kLimit,
                   "entities"},
        BrokenFile{"0 0 1 0</rotate>", "0 0 1</rotate>", Code::kColladaBroken, "3 numbers"},
        BrokenFile{"0 0 1 0</rotate>", "0 0 1 INF</rotate>", Code::kNumberBad, "\"INF\""},
        BrokenFile{"0 0 1 0</rotate>", "0 0 1.5 0,5</rotate>", Code::kNumberBad, "\"0,5\""},
        BrokenFile{">0 1<", ">1 0<", Code::kColladaBroken, "0 s after 1 s"},
        BrokenFile{"LINEAR LINEAR", "LINEAR BSPLINE", Code::kColladaUnsupported, "BSPLINE"},
        BrokenFile{"LINEAR LINEAR", "LINEAR BEZIER", Code::kColladaBroken, "tangent numbers"},
        BrokenFile{"ja/r.ANGLE", "ja/r.W", Code::kColladaBroken, "a member"},
        BrokenFile{"ja/r.ANGLE", "ja/t(9)", Code::kColladaBroken, "ja/t(9)"},
        BrokenFile{"count=\"2\" stride=\"1\"", "count=\"9\" stride=\"1\"", Code::kColladaBroken,
                   "inside its array"},
        BrokenFile{"count=\"4\" stride=\"3\"", "count=\"5\" stride=\"3\"", Code::kColladaBroken,
                   "inside its array"},
        BrokenFile{"0 1 2 0 2 3", "0 1 2 0 2 4", Code::kColladaReference, "POSITION 4 of 4"},
        BrokenFile{"0 1 2 0 2 3", "0 1 2 0 2 -3", Code::kColladaReference, "POSITION -3"},
        BrokenFile{"0 0 0 0 1 0 1 0</v>", "0 0 0 0 1 0 2 0</v>", Code::kColladaReference,
                   "joint 2 of 2"},
        BrokenFile{"0 0 0 0 1 0 1 0</v>", "0 0 0 0 1 0 1 7</v>", Code::kColladaReference,
                   "weight number 7"},
        BrokenFile{"1 1 1 1</vcount>", "1 1 1 900</vcount>", Code::kColladaBroken,
                   "more than <v> holds"},
        BrokenFile{"1 1 1 1</vcount>", "1 1 1</vcount>", Code::kColladaBroken, "3 counts"},
        BrokenFile{"a b</Name_array>", "a x</Name_array>", Code::kColladaReference, "\"x\""},
        BrokenFile{"a b</Name_array>", "a</Name_array>", Code::kColladaBroken,
                   "1 joints and 2 matrices"},
        BrokenFile{"source=\"#cw\" offset=\"1\"", "source=\"#cw\" offset=\"99\"",
                   Code::kColladaBroken, "offset above 64"},
        BrokenFile{"source=\"#v\" offset=\"0\"", "source=\"#v\" offset=\"99\"",
                   Code::kColladaBroken, "above 64"},
        BrokenFile{"<triangles>", "<polylist><vcount>4</vcount>", Code::kColladaBroken, "XML"},
        BrokenFile{"<unit meter=\"1\"/>", "<unit meter=\"-1\"/>", Code::kNumberBad,
                   "\"-1\" metres"},
        BrokenFile{"</library_animations>",
                   "</library_animations><library_animation_clips><animation_clip start=\"2\" "
                   "end=\"1\"><instance_animation url=\"#m\"/></animation_clip>"
                   "</library_animation_clips>",
                   Code::kColladaBroken, "from 2 to 1 s"},
        BrokenFile{"<scene>",
                   "<extra><technique profile=\"mellow_crate\"><up>+Y</up><front>-Y</front>"
                   "</technique></extra><scene>",
                   Code::kColladaBroken, "up and front along two lines"}));

struct Said {
    const char *nodes, *libraries;
    Code code;
    const char* said;
};

class ColladaSaid : public testing::TestWithParam<Said> {};

TEST_P(ColladaSaid, WhatIsNotCarriedIsTold) {
    const ReadResult read = must_parse(
        file(std::string("<node id=\"n\"><translate sid=\"t\">1 2 3</translate></node>") +
                 GetParam().nodes,
             GetParam().libraries));
    EXPECT_TRUE(says(read, GetParam().code, GetParam().said)) << GetParam().said;
    EXPECT_GE(read.scene.nodes.size(), 1U);
}

#define LENS(optics)                                                          \
    "<node id=\"c\"><instance_camera url=\"#l\"/></node>",                    \
        "<library_cameras><camera id=\"l\"><optics><technique_common>" optics \
        "</technique_common></optics></camera></library_cameras>"
INSTANTIATE_TEST_SUITE_P(
    All, ColladaSaid,
    testing::Values(
        Said{LENS("<perspective><znear>1</znear></perspective>"), Code::kLeftOut,
             "without a field of view"},
        Said{LENS("<perspective><yfov>40</yfov><znear>0</znear></perspective>"), Code::kLeftOut,
             "a near plane above 0"},
        Said{LENS("<perspective><yfov>180</yfov><znear>1</znear></perspective>"), Code::kLeftOut,
             "between 0 and 180"},
        Said{LENS("<orthographic><znear>1</znear></orthographic>"), Code::kLeftOut, "without size"},
        Said{LENS("<fisheye/>"), Code::kLeftOut, "without optics"},
        Said{"<node id=\"l\"><instance_light url=\"#x\"/></node>", "", Code::kLeftOut, "a light"},
        Said{"<node id=\"m\"><matrix>1 0 0 0 0 1 0 0 0 0 1 0 0 0 0 2</matrix></node>", "",
             Code::kAssumed, "last row is not 0 0 0 1"},
        Said{"<node id=\"g\"><instance_geometry url=\"other.dae#box\"/></node>", "", Code::kLeftOut,
             "into another file"},
        Said{"<node id=\"g\"><instance_geometry url=\"#n\"/></node>", "", Code::kColladaReference,
             "\"#n\" is a <node>"},
        Said{"<node id=\"g\"><instance_geometry url=\"#nowhere\"/></node>", "",
             Code::kColladaReference, "is nowhere in the file"},
        Said{"<node id=\"g\"><instance_geometry url=\"#s1\"/></node>",
             "<library_geometries><geometry id=\"s1\"><spline/></geometry></library_geometries>",
             Code::kLeftOut, "no <mesh>"},
        Said{"",
             "<library_animations><animation id=\"e\"/></library_animations>"
             "<library_animation_clips><animation_clip start=\"0\" end=\"1\"/>"
             "</library_animation_clips>",
             Code::kLeftOut, "moves nothing"}));
#undef LENS

TEST(ColladaTest, PartsWithoutASurfaceAreSaid) {
    const std::string in = "<input semantic=\"VERTEX\" source=\"#v\" offset=\"0\"/>",
                      good = "<triangles>" + in + "<p>0 1 2</p></triangles>";
    const auto read = [&](const std::string& part) {
        return read_dae(
            file("<node id=\"n\"><instance_geometry url=\"#g\"/></node>", box(good + part)));
    };
    for (const auto& [part, said] :
         {std::pair("<lines count=\"1\">" + in + "<p>0 1</p></lines>", "lines"),
          {"<polylist count=\"2\">" + in + "<vcount>2 3</vcount><p>0 1 0 1 2</p></polylist>",
           "1 polygons of fewer than three corners"}}) {
        const auto some = read(part);
        ASSERT_THAT(some, IsOk()) << said;
        EXPECT_TRUE(says(some.value(), Code::kLeftOut, said)) << said;
    }
    EXPECT_THAT(read("<polylist count=\"1\">" + in + "<vcount>4</vcount><p>0 1 2</p></polylist>"),
                FailsWith(Code::kColladaBroken, "a polygon of 4 corners with 3 left"));
}

TEST(ColladaTest, SkewThatMovesIsSaidAndComposedAsItIs) {
    // 30 to 45 degrees of skew: X goes along Y by the tangent of the angle (1.4.1, "skew").
    Scene scene =
        must_parse(file("<node id=\"n\"><skew sid=\"k\">30 0 1 0 1 0 0</skew></node>",
                        animations(animation("m", "n/k.ANGLE", {"0 1", "30 45", "LINEAR LINEAR"}))))
            .scene;
    const ReadResult read = must_parse(
        file("<node id=\"n\"><skew sid=\"k\">30 0 1 0 1 0 0</skew></node>",
             animations(animation("m", "n/k.ANGLE", {"0 1", "30 45", "LINEAR LINEAR"}))));
    EXPECT_TRUE(says(read, Code::kShear, "motion with shear up to"));
    const auto skewed = [&](double t) {
        const Affine m = world(scene, "n", t);
        return dot(m.x, m.y) / length(m.x) / length(m.y);  // the cosine between two axes
    };
    const double before[] = {skewed(0), skewed(0.5), skewed(1)};
    // Axes that stood upright on each other are 30, 37.5 and 45 degrees off that.
    for (int i = 0; i < 3; ++i)
        EXPECT_NEAR(std::abs(before[i]), std::sin((30 + 7.5 * i) * std::numbers::pi / 180), 1e-9)
            << i;
    compose_stacks(scene);
    for (int i = 0; i < 3; ++i) EXPECT_NEAR(skewed(0.5 * i), before[i], 1e-9) << i;
    EXPECT_EQ(scene.timelines[0].shears.size(), 1U);
}

TEST(ColladaTest, FilesThatAreSomethingElse) {
    EXPECT_THAT(read_dae(std::string("<ORCHARD version=\"1.4.1\"/>")),
                FailsWith(Code::kColladaBroken, "the element \"ORCHARD\""));
    EXPECT_THAT(read_dae(file("")), FailsWith(Code::kColladaBroken, "no nodes"));
}

TEST(ColladaTest, NodesThatInstanceThemselvesHitALimit) {
    ReadLimits limits;
    limits.nodes = 5000;
    EXPECT_THAT(read_dae(file("<node id=\"a\"><instance_node url=\"#a\"/></node>"), limits),
                FailsWith(Code::kLimit, "instance themselves"));
    EXPECT_THAT(read_dae(file("<node id=\"a\"/>"), ReadLimits{.xml_elements = 3}),
                FailsWith(Code::kLimit, "elements"));
    ReadLimits few;
    few.keys = 3;
    EXPECT_THAT(read_dae(skinned("1 1 1 1", "0 0 0 0 1 0 1 0", "1"), few), IsOk());
    few.keys = 1;
    EXPECT_THAT(read_dae(skinned("1 1 1 1", "0 0 0 0 1 0 1 0", "1"), few),
                FailsWith(Code::kLimit, "2 keys"));
    std::string deep, close;
    for (int i = 0; i < 3000; ++i) deep += "<node>", close += "</node>";
    EXPECT_THAT(read_dae(file(deep + close)), FailsWith(Code::kLimit, "levels"));
}

TEST(ColladaTest, EveryTruncationAndBitFlipEndsWell) {
    const std::string text = skinned("1 1 1 2", "0 0 0 0 1 0 0 1 1 1", "1 0.5");
    const std::vector<std::uint8_t> bytes(text.begin(), text.end());
    const auto check = [](const std::vector<std::uint8_t>& damaged) {
        const auto read = read_dae(std::string(damaged.begin(), damaged.end()));
        if (!read) {
            EXPECT_FALSE(read.failure().found.empty());
            return;
        }
        for (const Timeline& t : read.value().scene.timelines)
            for (const Affine& m : pose_at(read.value().scene, t, 0.5).worlds)
                ASSERT_TRUE(is_finite(m.o));
    };
    test::for_each_truncation(bytes, check);
    test::for_each_bit_flip(bytes, check);
}

}  // namespace
}  // namespace mellow
