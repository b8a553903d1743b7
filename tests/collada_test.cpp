// Reading COLLADA: expected numbers are worked out from the 1.4.1 specification by hand.
#include <fmt/format.h>

#include <cmath>
#include <numbers>
#include <regex>

#include "mellow/pose.h"
#include "support.h"

namespace mellow {
namespace {

using namespace test;

constexpr double kRight = std::numbers::pi / 2;

Result<ReadResult> read_text(const std::string& text, const ReadLimits& limits = {}) {
    const LoadFile none = [](const std::string& name) -> Result<Bytes> {
        return Finding{
            Code::kFileMissing, Severity::kStop, Place::in(name), "no such file", "", ""};
    };
    return read_collada(Bytes(text.begin(), text.end()), "cart.dae", none, limits);
}

ReadResult must_parse(const std::string& text) {
    auto read = read_text(text);
    EXPECT_THAT(read, IsOk());
    return read ? std::move(read).value() : ReadResult{};
}

/// A whole file around libraries and the nodes of the scene.
std::string file(const std::string& nodes, const std::string& libraries = "",
                 const std::string& asset = "<unit meter=\"1\"/><up_axis>Y_UP</up_axis>") {
    return "<COLLADA version=\"1.4.1\"><asset>" + asset + "</asset>" + libraries +
           "<library_visual_scenes><visual_scene id=\"s\">" + nodes +
           "</visual_scene></library_visual_scenes><scene><instance_visual_scene "
           "url=\"#s\"/></scene></COLLADA>";
}

std::string source(const std::string& id, const std::string& numbers, int count, int stride) {
    std::string params;
    for (int i = 0; i < stride; ++i) params += "<param name=\"P\"/>";
    return fmt::format(
        "<source id=\"{0}\"><float_array id=\"{0}a\" count=\"{2}\">{1}</float_array>"
        "<technique_common><accessor source=\"#{0}a\" count=\"{3}\" stride=\"{4}\">{5}</accessor>"
        "</technique_common></source>",
        id, numbers, count * stride, count, stride, params);
}

struct Keys {
    std::string times, values, kinds;
    int count = 2, stride = 1;
    std::string before = {}, after = {};  // tangents
    int tangent_stride = 2;
};

/// One animation with one channel, its ids beginning with `id`.
std::string animation(const std::string& id, const std::string& target, const Keys& k) {
    std::string inputs, sources = source(id + "i", k.times, k.count, 1) +
                                  source(id + "o", k.values, k.count, k.stride);
    if (!k.before.empty()) {
        sources += source(id + "b", k.before, k.count, k.tangent_stride) +
                   source(id + "f", k.after, k.count, k.tangent_stride);
        inputs = "<input semantic=\"IN_TANGENT\" source=\"#" + id +
                 "b\"/><input semantic=\"OUT_TANGENT\" source=\"#" + id + "f\"/>";
    }
    return "<animation id=\"" + id + "\">" + sources + "<source id=\"" + id + "k\"><Name_array>" +
           k.kinds + "</Name_array></source><sampler id=\"" + id +
           "s\"><input semantic=\"INPUT\" source=\"#" + id +
           "i\"/><input semantic=\"OUTPUT\" source=\"#" + id + "o\"/>" + inputs +
           "<input semantic=\"INTERPOLATION\" source=\"#" + id +
           "k\"/></sampler><channel source=\"#" + id + "s\" target=\"" + target +
           "\"/></animation>";
}

std::string animations(const std::string& all) {
    return "<library_animations>" + all + "</library_animations>";
}

Affine world(const Scene& scene, const std::string& node, double seconds) {
    const Pose pose = pose_at(scene, scene.timelines.at(0), seconds);
    return pose.worlds[static_cast<std::size_t>(find_node(scene, node))];
}

bool says(const ReadResult& read, Code code, const std::string& part) {
    for (const Finding& f : read.findings)
        if (f.code == code && to_text(f).find(part) != std::string::npos) return true;
    return false;
}

TEST(ColladaTest, UnitAndAxes) {
    const auto convention = [](const std::string& asset) {
        return must_parse(file("<node id=\"a\"/>", "", asset)).scene.convention;
    };
    EXPECT_EQ(convention("<unit meter=\"0.01\"/><up_axis>Z_UP</up_axis>"),
              (Convention{0.01, Axis::kPlusZ, Axis::kMinusY}));
    EXPECT_EQ(convention("<up_axis> X_UP </up_axis>"), (Convention{1, Axis::kPlusX, Axis::kPlusZ}));
    EXPECT_EQ(convention("<unit meter=\"0.0254\" name=\"inch\"/>").metres_per_unit, 0.0254);
    EXPECT_THAT(read_text(file("<node/>", "", "<unit meter=\"0\"/>")),
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
        EXPECT_THAT(read_text(node(mixed)), FailsWith(Code::kNumberBad, ","));
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

const char* const kBox =
    "<library_geometries><geometry id=\"g\" name=\"lid\"><mesh>"
    "<source id=\"p\"><float_array id=\"pa\">0 0 0 2 0 0 2 2 0 0 2 0</float_array>"
    "<technique_common><accessor source=\"#pa\" count=\"4\" stride=\"3\"><param name=\"X\"/><param "
    "name=\"Y\"/><param name=\"Z\"/></accessor></technique_common></source>"
    "<vertices id=\"v\"><input semantic=\"POSITION\" source=\"#p\"/></vertices>{}</mesh></geometry>"
    "</library_geometries>";

std::string box(const std::string& parts) {
    std::string text = kBox;
    return text.replace(text.find("{}"), 2, parts);
}

double surface(const Primitive& p) {
    double sum = 0;
    for (std::size_t i = 0; i + 2 < p.indices.size(); i += 3) {
        const auto at = [&](std::size_t k) {
            const Float3& v = p.positions[p.indices[i + k]];
            return Vec3{v[0], v[1], v[2]};
        };
        sum += cross(at(1) - at(0), at(2) - at(0)).z / 2;
    }
    return sum;
}

class ColladaSurface : public testing::TestWithParam<std::pair<const char*, double>> {};

TEST_P(ColladaSurface, KeepsItsAreaAndWinding) {
    const Scene scene = must_parse(file("<node id=\"n\"><instance_geometry url=\"#g\"/></node>",
                                        box(GetParam().first)))
                            .scene;
    ASSERT_EQ(scene.meshes.size(), 1U);
    EXPECT_NEAR(surface(scene.meshes[0].primitives[0]), GetParam().second, 1e-6);
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
#undef IN

TEST(ColladaTest, PolygonsWithHolesAndBays) {
    // A plate of 6 x 6 with a hole of 2 x 2, and a bent outline whose mean corner lies outside.
    const std::string geometry =
        "<library_geometries><geometry id=\"g\"><mesh>" +
        source("p", "0 0 0 6 0 0 6 6 0 0 6 0  2 2 0 4 2 0 4 4 0 2 4 0", 8, 3) +
        source("q", "0 0 0 4 0 0 4 4 0 3 4 0 3 1 0 0 1 0", 6, 3) +
        "<vertices id=\"v\"><input semantic=\"POSITION\" source=\"#p\"/></vertices><vertices "
        "id=\"w\"><input semantic=\"POSITION\" source=\"#q\"/></vertices><polygons><input "
        "semantic=\"VERTEX\" source=\"#v\" offset=\"0\"/><ph><p>0 1 2 3</p><h>4 5 6 7</h></ph>"
        "</polygons></mesh></geometry><geometry id=\"bay\"><mesh>" +
        "<polylist><input semantic=\"VERTEX\" source=\"#w\" offset=\"0\"/><vcount>6</vcount><p>0 1 "
        "2 "
        "3 4 5</p></polylist></mesh></geometry></library_geometries>";
    const Scene scene =
        must_parse(file("<node id=\"n\"><instance_geometry url=\"#g\"/><instance_geometry "
                        "url=\"#bay\"/></node>",
                        geometry))
            .scene;
    ASSERT_EQ(scene.meshes.size(), 2U);
    EXPECT_NEAR(surface(scene.meshes[0].primitives[0]), 36 - 4, 1e-6);
    EXPECT_NEAR(surface(scene.meshes[1].primitives[0]), 4 + 3, 1e-6);
    ASSERT_EQ(scene.nodes.size(), 2U) << "the second shape got a node of its own";
    EXPECT_EQ(scene.nodes[1].parent, 0);
}

/// Two joints a (at 1 0 0) and b (above it by 0 2 0), and a shape skinned to them.
std::string skinned(const std::string& counts, const std::string& pairs, const std::string& weights,
                    const std::string& skeleton = "<skeleton>#root</skeleton>",
                    const std::string& morph = "") {
    const std::string binds = "1 0 0 -1 0 1 0 0 0 0 1 0 0 0 0 1  1 0 0 -1 0 1 0 -2 0 0 1 0 0 0 0 1";
    const auto count = 1 + static_cast<int>(std::count(weights.begin(), weights.end(), ' '));
    return file(
        "<node id=\"root\" sid=\"root\"><node id=\"ja\" sid=\"a\" name=\"arm\" "
        "type=\"JOINT\"><translate "
        "sid=\"t\">1 0 0</translate><rotate sid=\"r\">0 0 1 0</rotate><node id=\"jb\" sid=\"b\" "
        "name=\"hand\"><translate>0 2 0</translate></node></node></node><node "
        "id=\"skin\"><translate>9 "
        "9 9</translate><instance_controller url=\"#c\">" +
            skeleton + "</instance_controller></node>",
        box("<triangles><input semantic=\"VERTEX\" source=\"#v\" offset=\"0\"/><p>0 1 2 0 2 "
            "3</p></triangles>") +
            "<library_controllers>" + morph + "<controller id=\"c\"><skin source=\"" +
            (morph.empty() ? "#g" : "#mc") +
            "\"><bind_shape_matrix>2 0 0 0 0 2 0 0 0 0 2 0 0 0 0 1</bind_shape_matrix><source "
            "id=\"cj\"><Name_array>a b</Name_array></source>" +
            source("cb", binds, 2, 16) + source("cw", weights, count, 1) +
            "<joints><input semantic=\"JOINT\" source=\"#cj\"/><input semantic=\"INV_BIND_MATRIX\" "
            "source=\"#cb\"/></joints><vertex_weights><input semantic=\"JOINT\" source=\"#cj\" "
            "offset=\"0\"/><input semantic=\"WEIGHT\" source=\"#cw\" offset=\"1\"/><vcount>" +
            counts + "</vcount><v>" + pairs +
            "</v></vertex_weights></skin></controller>"
            "</library_controllers>" +
            animations(animation("m", "ja/r.ANGLE", {"0 1", "0 90", "LINEAR LINEAR"})));
}

TEST(ColladaTest, SkinFollowsItsJoints) {
    // The corner (2 2 0), doubled by the bind shape to (4 4 0), hangs on b: b turns with a by 90
    // degrees about (1 0 0), which takes (4 4 0) = (1 0 0) + (3 4 0) to (1 0 0) + (-4 3 0).
    const Scene scene = must_parse(skinned("1 1 1 2", "0 0 0 0 1 0 0 1 1 1", "1 0.5")).scene;
    ASSERT_EQ(scene.skins.size(), 1U);
    EXPECT_EQ(scene.nodes[static_cast<std::size_t>(scene.skins[0].joints[1])].name, "hand");
    const int node = find_node(scene, "skin");
    const Pose pose = pose_at(scene, scene.timelines[0], 1);
    const auto points = posed_vertices(scene, node, scene.meshes[0].primitives[0], pose);
    EXPECT_LT(length(points[2] - Vec3{-3, 3, 0}), 1e-6);
    // (0 4 0) on both alike: they turn as one.
    EXPECT_LT(length(points[3] - Vec3{-3, -1, 0}), 1e-6);
}

TEST(ColladaTest, InputsOfWeightsInAnyOrder) {
    const std::string joint = "<input semantic=\"JOINT\" source=\"#cj\" offset=\"0\"/>",
                      weight = "<input semantic=\"WEIGHT\" source=\"#cw\" offset=\"1\"/>";
    const std::string text = skinned("1 1 1 2", "0 0 0 0 1 0 0 1 1 1", "1 0.5");
    std::string other = text;
    const auto at = other.find(joint + weight);
    ASSERT_NE(at, other.npos);
    other.replace(at, joint.size() + weight.size(), weight + joint);
    const Scene as_usual = must_parse(text).scene, turned = must_parse(other).scene;
    const Primitive &a = as_usual.meshes[0].primitives[0], &b = turned.meshes[0].primitives[0];
    EXPECT_EQ(a.influence_joints, b.influence_joints);
    EXPECT_EQ(a.influence_weights, b.influence_weights);
}

TEST(ColladaTest, AnyNumberOfWeightsPerPlace) {
    const ReadResult read =
        must_parse(skinned("6 1 1 1", "0 0 1 0 0 0 1 0 0 0 1 0 0 1 0 1 0 1", "0.125 1"));
    const Primitive& p = read.scene.meshes[0].primitives[0];
    EXPECT_EQ(p.influences_per_vertex, 8);
    EXPECT_TRUE(says(read, Code::kWeightSum, "1 vertices")) << "six eighths make no whole";
    double sum = 0;
    for (std::size_t i = 0; i < 8; ++i) sum += static_cast<double>(p.influence_weights[i]);
    EXPECT_NEAR(sum, 1, 1e-6);
}

TEST(ColladaTest, SeveralSkeletonRootsAndNamesAgainstTheRules) {
    const std::string pairs = "0 0 0 0 1 0 1 0";
    EXPECT_THAT(read_text(skinned("1 1 1 1", pairs, "1",
                                  "<skeleton>#jb</skeleton><skeleton>#ja</skeleton>")),
                IsOk());
    const ReadResult read =
        must_parse(skinned("1 1 1 1", pairs, "1", "<skeleton>#skin</skeleton>"));
    EXPECT_TRUE(says(read, Code::kAssumed, "outside the skeleton roots"));
    EXPECT_EQ(read.scene.skins[0].joints.size(), 2U);
}

TEST(ColladaTest, MorphUnderSkin) {
    // The target lifts corner 2 by (0 0 3) before the bind shape doubles it; half of it is shown.
    const std::string target =
        "<controller id=\"mc\"><morph source=\"#g\" method=\"NORMALIZED\"><source "
        "id=\"mt\"><IDREF_array>up</IDREF_array></source>" +
        source("mw", "0.5", 1, 1) +
        "<targets><input semantic=\"MORPH_TARGET\" source=\"#mt\"/><input "
        "semantic=\"MORPH_WEIGHT\" "
        "source=\"#mw\"/></targets></morph></controller></library_controllers><library_geometries>"
        "<geometry id=\"up\" name=\"swollen\"><mesh>" +
        source("up-p", "0 0 0 2 0 0 2 2 3 0 2 0", 4, 3) +
        "<vertices id=\"up-v\"><input semantic=\"POSITION\" "
        "source=\"#up-p\"/></vertices><triangles>"
        "<input semantic=\"VERTEX\" source=\"#up-v\" offset=\"0\"/><p>0 1 2</p></triangles></mesh>"
        "</geometry></library_geometries><library_controllers>";
    std::string text =
        skinned("1 1 1 1", "0 0 0 0 0 0 0 0", "1", "<skeleton>#root</skeleton>", target);
    const std::string drive = animation("w", "mw(0)", {"0 1", "0.5 1", "LINEAR LINEAR"});
    text.insert(text.find("</library_animations>"), drive);
    Scene scene = must_parse(text).scene;
    const int node = find_node(scene, "skin");
    EXPECT_EQ(scene.meshes[0].target_names, std::vector<std::string>{"swollen"});
    EXPECT_EQ(scene.meshes[0].morph_weights, std::vector<double>{0.5});
    const auto corner = [&](double t) {
        return posed_vertices(scene, node, scene.meshes[0].primitives[0],
                              pose_at(scene, scene.timelines[0], t))[2];
    };
    EXPECT_NEAR(corner(0).z, 3, 1e-6);
    EXPECT_NEAR(corner(1).z, 6, 1e-6);
    compose_stacks(scene);
    EXPECT_NEAR(corner(0.5).z, 4.5, 1e-6);
    // Told by what it moves instead.
    const Vec3 before = corner(1);
    const auto put = [&](const std::string& from, const std::string& to) {
        ASSERT_NE(text.find(from), text.npos);
        text.replace(text.find(from), from.size(), to);
    };
    put("NORMALIZED", "RELATIVE");
    put("0 0 0 2 0 0 2 2 3 0 2 0", "0 0 0 0 0 0 0 0 3 0 0 0");
    scene = must_parse(text).scene;
    EXPECT_LT(length(corner(1) - before), 1e-6);
}

TEST(ColladaTest, MorphTargetsThatAreToldByWhatTheyMoveHaveNoNormals) {
    const auto geometry = [](const std::string& id, const std::string& places) {
        return "<geometry id=\"" + id + "\"><mesh>" + source(id + "p", places, 3, 3) +
               source(id + "n", "0 0 1 0 0 1 0 0 1", 3, 3) + "<vertices id=\"" + id +
               "v\"><input semantic=\"POSITION\" source=\"#" + id +
               "p\"/><input semantic=\"NORMAL\" source=\"#" + id +
               "n\"/></vertices><triangles><input semantic=\"VERTEX\" source=\"#" + id +
               "v\" offset=\"0\"/><p>0 1 2</p></triangles></mesh></geometry>";
    };
    for (const auto& [method, normals] : {std::pair("RELATIVE", 0U), {"NORMALIZED", 3U}}) {
        const Scene scene =
            must_parse(
                file("<node id=\"n\"><instance_controller url=\"#mc\"/></node>",
                     "<library_geometries>" + geometry("g", "0 0 0 1 0 0 0 1 0") +
                         geometry("up", "0 0 1 1 0 1 0 1 1") +
                         "</library_geometries><library_controllers><controller id=\"mc\"><morph "
                         "source=\"#g\" method=\"" +
                         method + "\"><source id=\"mt\"><IDREF_array>up</IDREF_array></source>" +
                         source("mw", "1", 1, 1) +
                         "<targets><input semantic=\"MORPH_TARGET\" source=\"#mt\"/><input "
                         "semantic=\"MORPH_WEIGHT\" source=\"#mw\"/></targets></morph></controller>"
                         "</library_controllers>"))
                .scene;
        const MorphTarget& target = scene.meshes.at(0).primitives.at(0).targets.at(0);
        EXPECT_THAT(target.positions, testing::SizeIs(3));
        EXPECT_THAT(target.normals, testing::SizeIs(normals));
    }
}

TEST(ColladaTest, InstancedNodesMoveTogether) {
    const std::string library =
        "<library_nodes><node id=\"wheel\"><rotate sid=\"r\">0 0 1 "
        "0</rotate></node></library_nodes>" +
        animations(animation("m", "wheel/r.ANGLE", {"0 1", "0 90", "LINEAR LINEAR"}));
    const Scene scene =
        must_parse(
            file("<node id=\"l\"><translate>5 0 0</translate><instance_node url=\"#wheel\"/></node>"
                 "<node id=\"r\"><instance_node url=\"#wheel\"/></node>",
                 library))
            .scene;
    ASSERT_EQ(scene.nodes.size(), 4U);
    const Pose pose = pose_at(scene, scene.timelines[0], 1);
    EXPECT_LT(length(apply(pose.worlds[1], {1, 0, 0}) - Vec3{5, 1, 0}), 1e-12);
    EXPECT_LT(length(apply(pose.worlds[3], {1, 0, 0}) - Vec3{0, 1, 0}), 1e-12);
}

TEST(ColladaTest, CamerasKeepTheirView) {
    // 90 degrees across at 2 : 1 are 2 atan(1/2) upright. Z up, the eye at 5 along Y looks at the
    // origin; in the inside convention it stands at z = -5 and looks along +Z.
    Scene scene =
        must_parse(
            file("<node id=\"eye\"><lookat>0 5 0 0 0 0 0 0 1</lookat><instance_camera "
                 "url=\"#lens\"/></node>",
                 "<library_cameras><camera id=\"lens\"><optics><technique_common><perspective>"
                 "<xfov>90</xfov><aspect_ratio>2</aspect_ratio><znear>0.1</znear><zfar>50</zfar>"
                 "</perspective></technique_common></optics></camera></library_cameras>",
                 "<unit meter=\"1\"/><up_axis>Z_UP</up_axis>"))
            .scene;
    ASSERT_EQ(scene.cameras.size(), 1U);
    EXPECT_NE(scene.cameras[0].find(fmt::format("\"yfov\":{:.6}", 2 * std::atan(0.5))),
              std::string::npos)
        << scene.cameras[0];
    to_inside(scene);
    const Affine view = rest_worlds(scene)[0];
    EXPECT_LT(length(view.o - Vec3{0, 0, -5}), 1e-12);
    EXPECT_LT(length(apply_linear(view, {0, 0, -1}) - Vec3{0, 0, 1}), 1e-12);
    EXPECT_LT(length(apply_linear(view, {0, 1, 0}) - Vec3{0, 1, 0}), 1e-12);
}

TEST(ColladaTest, MaterialsReducedToColourAndTexture) {
    const std::string libraries =
        "<library_images><image "
        "id=\"i\"><init_from>C:/paint/bark.png</init_from></image></library_images>"
        "<library_effects><effect id=\"e\"><profile_COMMON><newparam "
        "sid=\"su\"><surface><init_from>i"
        "</init_from></surface></newparam><newparam "
        "sid=\"sa\"><sampler2D><source>su</source></sampler2D>"
        "</newparam><technique><phong><diffuse><texture "
        "texture=\"sa\"/></diffuse></phong></technique>"
        "</profile_COMMON></effect><effect "
        "id=\"f\"><profile_COMMON><technique><lambert><diffuse><color>"
        "0.5 0.25 0 "
        "1</color></diffuse></lambert></technique></profile_COMMON></effect></library_effects>"
        "<library_materials><material id=\"m\" name=\"bark\"><instance_effect "
        "url=\"#e\"/></material>"
        "<material id=\"k\"><instance_effect url=\"#f\"/></material></library_materials>";
    const ReadResult read = must_parse(file("<node id=\"n\"/>", libraries));
    ASSERT_EQ(read.scene.materials.size(), 2U);
    EXPECT_EQ(read.scene.materials[0].base_image, kNone);
    EXPECT_TRUE(read.scene.images.empty());
    EXPECT_EQ(read.scene.materials[0].json.find("Texture"), std::string::npos);
    EXPECT_TRUE(says(read, Code::kLeftOut, "leads out of the file's folder"));
    EXPECT_EQ(read.scene.materials[1].base_color, (Float4{0.5F, 0.25F, 0, 1}));
}

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
    MELLOW_TRY(const ReadResult read, read_text(text));
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
    EXPECT_THAT(read_text(file("\n\n<node id=\"n\"><translate>\n0 x 0</translate></node>")),
                FailsWith(Code::kNumberBad, "cart.dae:3, translate in node \"n\""));
}

TEST(ColladaTest, MaterialsByAllTheWaysOfTellingTexturesAndColours) {
    const auto effect = [](const std::string& id, const std::string& inside) {
        return "<effect id=\"" + id + "\"><profile_COMMON>" + inside + "</profile_COMMON></effect>";
    };
    const auto sampled = [](const std::string& source) {
        return "<newparam sid=\"sa\"><sampler2D>" + source + "</sampler2D></newparam>";
    };
    const std::string surface =
        "<newparam sid=\"su\"><surface><init_from>bark</init_from></surface></newparam>";
    const std::string textured = "<lambert><diffuse><texture texture=\"sa\"/></diffuse></lambert>";
    std::string materials;
    for (const char* id : {"shines", "glass", "inside", "newer", "bare"})
        materials +=
            fmt::format(R"(<material id="{0}"><instance_effect url="#e-{0}"/></material>)", id);
    const std::string text =
        file("<node id=\"n\"/>",
             "<library_images><image id=\"bark\"><init_from>./bark.png</init_from></image><image "
             "id=\"leaf\"><init_from><ref>leaf.png</ref></init_from></image></library_images>"
             "<library_effects>" +
                 effect("e-shines",
                        "<technique><constant><emission><color>1 0.5 0 1</color></emission>"
                        "</constant></technique>") +
                 effect("e-glass",
                        "<technique><phong><diffuse><color>0 1 0 0.25</color></diffuse>"
                        "</phong></technique>") +
                 effect("e-inside", "<technique>" + surface + sampled("<source>su</source>") +
                                        textured + "</technique>") +
                 effect("e-newer", sampled("<instance_image url=\"#leaf\"/>") + "<technique>" +
                                       textured + "</technique>") +
                 effect("e-bare", surface + sampled("<source>su</source>") + "<technique>" +
                                      textured + "</technique>") +
                 "</library_effects><library_materials>" + materials + "</library_materials>");
    const Bytes png{0x89, 'P', 'N', 'G', '\r', '\n', 0x1A, '\n'}, jpeg{0xFF, 0xD8, 0xFF, 0xE0};
    const LoadFile pictures = [&](const std::string& name) -> Result<Bytes> {
        if (name == "bark.png") return png;
        if (name == "leaf.png") return jpeg;
        return Finding{
            Code::kFileMissing, Severity::kStop, Place::in(name), "no such file", "", ""};
    };
    const auto read =
        read_collada(Bytes(text.begin(), text.end()), "cart.dae", pictures, ReadLimits{});
    ASSERT_THAT(read, IsOk());
    const Scene& scene = read.value().scene;
    ASSERT_EQ(scene.materials.size(), 5U);
    EXPECT_EQ(scene.materials[0].name, "shines") << "only an id names it";
    EXPECT_EQ(scene.materials[0].base_color, (Float4{1, 0.5F, 0, 1}));
    EXPECT_EQ(scene.materials[0].json.find("BLEND"), std::string::npos);
    EXPECT_EQ(scene.materials[1].base_color, (Float4{0, 1, 0, 0.25F}));
    EXPECT_NE(scene.materials[1].json.find(R"("alphaMode":"BLEND")"), std::string::npos);
    ASSERT_EQ(scene.images.size(), 2U) << "one that two materials show is there once";
    EXPECT_EQ(scene.images[0].bytes, png);
    EXPECT_EQ(scene.images[1].bytes, jpeg);
    EXPECT_EQ(scene.materials[2].base_image, 0);
    EXPECT_EQ(scene.materials[3].base_image, 1);
    EXPECT_EQ(scene.materials[4].base_image, 0);
    EXPECT_EQ(scene.textures, R"([{"source":0},{"source":1},{"source":0}])");
    const std::string latin =
        test::change(text, "<image id=\"leaf\"", "<image id=\"leaf\" name=\"Bl\xE4tter\"");
    const auto named = read_memory(Bytes(latin.begin(), latin.end()), "cart.dae", pictures);
    ASSERT_THAT(named, IsOk());
    EXPECT_EQ(named.value().scene.images[1].name, "Bl\u00e4tter");
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
    EXPECT_THAT(read_text(text), FailsWith(GetParam().code, GetParam().said));
    EXPECT_THAT(read_text(text), FailsWith(GetParam().code, "cart.dae:1"));
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
        return read_text(
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

TEST(ColladaTest, OneCurveMayMoveAllWeightsOfAMesh) {
    const auto shape = [](const char* id, const char* places) {
        return fmt::format("<geometry id=\"{0}\" name=\"{0}\"><mesh>", id) +
               source(std::string(id) + "p", places, 3, 3) +
               fmt::format(
                   "<vertices id=\"{0}v\"><input semantic=\"POSITION\" source=\"#{0}p\"/>"
                   "</vertices><triangles><input semantic=\"VERTEX\" source=\"#{0}v\" "
                   "offset=\"0\"/><p>0 1 2</p></triangles></mesh></geometry>",
                   id);
    };
    const auto morph = [&](const std::string& targets, const std::string& weights, int count,
                           const std::string& method, const std::string& channel) {
        return file(
            "<node id=\"n\"><instance_controller url=\"#mc\"/></node>",
            "<library_geometries>" + shape("g", "0 0 0 1 0 0 0 1 0") +
                shape("up", "0 0 1 1 0 1 0 1 1") + shape("out", "2 0 0 3 0 0 2 1 0") +
                "<geometry id=\"few\"><mesh>" + source("fewp", "0 0 0 1 0 0", 2, 3) +
                "<vertices id=\"fewv\"><input semantic=\"POSITION\" source=\"#fewp\"/></vertices>"
                "</mesh></geometry></library_geometries><library_controllers><controller "
                "id=\"mc\"><morph source=\"#g\" method=\"" +
                method + "\"><source id=\"mt\"><IDREF_array>" + targets +
                "</IDREF_array></source>" + source("mw", weights, count, 1) +
                "<targets><input semantic=\"MORPH_TARGET\" source=\"#mt\"/><input "
                "semantic=\"MORPH_WEIGHT\" source=\"#mw\"/></targets></morph></controller>"
                "</library_controllers>" +
                animations(
                    animation("w", channel, {"0 1", "0 0.5 1 0.25", "LINEAR LINEAR", 2, 2})));
    };
    Scene scene = must_parse(morph("up out", "0 0", 2, "NORMALIZED", "mw")).scene;
    compose_stacks(scene);
    const int node = find_node(scene, "n");
    const auto corner = [&](double t) {
        return posed_vertices(scene, node, scene.meshes[0].primitives[0],
                              pose_at(scene, scene.timelines[0], t))[0];
    };
    EXPECT_LT(length(corner(0) - Vec3{0.5 * 2, 0, 0}), 1e-6);
    EXPECT_LT(length(corner(1) - Vec3{0.25 * 2, 0, 1}), 1e-6);
    EXPECT_LT(length(corner(0.5) - Vec3{0.375 * 2, 0, 0.5}), 1e-6);
    EXPECT_THAT(read_text(morph("up out", "0 0", 2, "ODD", "mw")),
                FailsWith(Code::kColladaBroken, "the method ODD"));
    EXPECT_THAT(read_text(morph("up none", "0 0", 2, "NORMALIZED", "mw")),
                FailsWith(Code::kColladaReference, "\"none\""));
    EXPECT_THAT(read_text(morph("up few", "0 0", 2, "NORMALIZED", "mw")),
                FailsWith(Code::kColladaBroken, "a morph target of "));
    EXPECT_THAT(read_text(morph("up out", "0 0", 2, "NORMALIZED", "mw(7)")),
                FailsWith(Code::kColladaBroken, "one of 2 morph weights"));
}

TEST(ColladaTest, FilesThatAreSomethingElse) {
    EXPECT_THAT(read_text(std::string("<ORCHARD version=\"1.4.1\"/>")),
                FailsWith(Code::kColladaBroken, "the element \"ORCHARD\""));
    EXPECT_THAT(read_text(file("")), FailsWith(Code::kColladaBroken, "no nodes"));
}

TEST(ColladaTest, NodesThatInstanceThemselvesHitALimit) {
    ReadLimits limits;
    limits.nodes = 5000;
    EXPECT_THAT(read_text(file("<node id=\"a\"><instance_node url=\"#a\"/></node>"), limits),
                FailsWith(Code::kLimit, "instance themselves"));
    EXPECT_THAT(read_text(file("<node id=\"a\"/>"), ReadLimits{.xml_elements = 3}),
                FailsWith(Code::kLimit, "elements"));
    ReadLimits few;
    few.keys = 3;
    EXPECT_THAT(read_text(skinned("1 1 1 1", "0 0 0 0 1 0 1 0", "1"), few), IsOk());
    few.keys = 1;
    EXPECT_THAT(read_text(skinned("1 1 1 1", "0 0 0 0 1 0 1 0", "1"), few),
                FailsWith(Code::kLimit, "2 keys"));
    std::string deep, close;
    for (int i = 0; i < 3000; ++i) deep += "<node>", close += "</node>";
    EXPECT_THAT(read_text(file(deep + close)), FailsWith(Code::kLimit, "levels"));
}

TEST(ColladaTest, EveryTruncationAndBitFlipEndsWell) {
    const std::string text = skinned("1 1 1 2", "0 0 0 0 1 0 0 1 1 1", "1 0.5");
    const std::vector<std::uint8_t> bytes(text.begin(), text.end());
    const auto check = [](const std::vector<std::uint8_t>& damaged) {
        const auto read = read_text(std::string(damaged.begin(), damaged.end()));
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
