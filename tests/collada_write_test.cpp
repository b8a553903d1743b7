// Writing COLLADA, and converting to it and from it through the tool.
#include <fmt/format.h>

#include <cmath>
#include <cstring>
#include <iterator>
#include <nlohmann/json.hpp>
#include <numbers>
#include <pugixml.hpp>
#include <sstream>

#include "mellow/convert_file.h"
#include "mellow/pose.h"
#include "mellow/write.h"
#include "orchard.h"
#include "support.h"

namespace mellow {
namespace {

using namespace test;
using test::read_text;
using testing::HasSubstr;

Quat about(Vec3 axis, double degrees) {
    return from_axis_angle(axis, degrees * std::numbers::pi / 180);
}

/// n0 turns about two axes at once, through 1000 degrees in 2 s; n1 slides in steps.
Scene turning(Interpolation between = Interpolation::kLinear) {
    Scene scene = chain_scene(3, 1);
    scene.rate = {30, 1};
    scene.rate_known = true;
    scene.timelines.push_back({"spin", {}, {}, {}, {}});
    Channel turn{0, Path::kRotation, {between, 4, {}, {}}};
    for (int k = 0; k <= 60; ++k) {
        const double u = k / 60.0;
        const Quat q = about({0, 1, 0}, 1000 * u) * about({1, 0, 0}, 40 * std::sin(5 * u));
        turn.curve.times.push_back(scene.rate.seconds(k));
        turn.curve.values.append({q.x, q.y, q.z, q.w});
    }
    Channel slide{1, Path::kTranslation, {Interpolation::kStep, 3, {0, 1}, {0, 1, 0, 0, 1, 0.5}}};
    scene.timelines[0].channels = {turn, slide};
    return scene;
}

std::string dae(const Scene& scene, const ColladaOptions& options = {}) {
    const auto written = write_collada(scene, "spin", options);
    EXPECT_THAT(written, IsOk());
    const auto& bytes = written.value().files[0].bytes;
    return {bytes.begin(), bytes.end()};
}

Scene again(const std::string& text) {
    const LoadFile none = [](const std::string& name) -> Result<Bytes> {
        return Finding{
            Code::kFileMissing, Severity::kStop, Place::in(name), "no such file", "", ""};
    };
    auto read = read_collada(Bytes(text.begin(), text.end()), "spin.dae", none);
    EXPECT_THAT(read, IsOk());
    return read ? std::move(read).value().scene : Scene{};
}

/// Largest difference of any world matrix between two scenes of the same nodes, off the keys too.
double worst_difference(const Scene& a, const Scene& b, double last) {
    double worst = 0;
    for (double t = 0; t <= last; t += 1 / 150.0) {
        const Pose x = pose_at(a, a.timelines.at(0), t), y = pose_at(b, b.timelines.at(0), t);
        for (std::size_t n = 0; n < a.nodes.size(); ++n) {
            const int other = find_node(b, a.nodes[n].name);
            worst = std::max(
                worst, test::difference(x.worlds[n], y.worlds.at(static_cast<std::size_t>(other))));
        }
    }
    return worst;
}

class ColladaOrder : public testing::TestWithParam<EulerOrder> {};

TEST_P(ColladaOrder, MotionIsKeptBetweenKeysToo) {
    ColladaOptions options;
    options.order = GetParam();
    const Scene scene = turning();
    const Scene read = again(dae(scene, options));
    EXPECT_EQ(read.nodes[0].order, GetParam());
    // 2e-7 radians at the end of a chain of 2 m, and nine digits.
    EXPECT_LT(worst_difference(scene, read, 0.99), 1e-6);
    EXPECT_LT(worst_difference(scene, read, 2), 1e-6);
}
INSTANTIATE_TEST_SUITE_P(All, ColladaOrder,
                         testing::Values(EulerOrder::kXYZ, EulerOrder::kXZY, EulerOrder::kYXZ,
                                         EulerOrder::kYZX, EulerOrder::kZXY, EulerOrder::kZYX),
                         [](const auto& order) { return std::string(name(order.param)); });

TEST(WriteColladaTest, AnglesRunThroughAllTurns) {
    ColladaOptions options;
    options.order = EulerOrder::kYXZ;
    const Scene read = again(dae(turning(), options));
    int found = 0;
    for (const MemberCurve& c : read.timelines[0].members) {
        if (c.node != 0 || c.element != 1) continue;  // translate, rotateY
        ++found;
        EXPECT_NEAR(c.values.front(), 0, 1e-6);
        EXPECT_NEAR(c.values.back(), 1000 * std::numbers::pi / 180, 1e-6);
    }
    EXPECT_EQ(found, 1);
    EXPECT_EQ(read.timelines[0].name, "spin");
    EXPECT_EQ(read.rate, (FrameRate{30, 1})) << "though keys were added between frames";
}

TEST(WriteColladaTest, OrdersByJoint) {
    ColladaOptions options;
    options.orders["n1"] = EulerOrder::kXZY;
    const std::string text = dae(turning(), options);
    const Scene read = again(text);
    EXPECT_EQ(find_node(read, "n1"), 1);
    EXPECT_EQ(read.nodes[0].order, EulerOrder::kZYX);
    EXPECT_EQ(read.nodes[1].order, EulerOrder::kXZY);
}

TEST(WriteColladaTest, MatricesHoldTheSameMotion) {
    ColladaOptions options;
    options.matrices = true;
    const std::string text = dae(turning(), options);
    EXPECT_EQ(text.find("<rotate"), std::string::npos);
    const Scene read = again(text), scene = turning();
    for (int f = 0; f <= 60; ++f) {
        const double t = f / 30.0;
        const Pose x = pose_at(scene, scene.timelines[0], t),
                   y = pose_at(read, read.timelines[0], t);
        for (std::size_t n = 0; n < 3; ++n)
            EXPECT_LT(test::difference(x.worlds[n], y.worlds[n]), 1e-7) << f;
    }
}

TEST(WriteColladaTest, StepsAndCubicsStayWhatTheyAre) {
    Scene scene = turning();
    // A cubic whose points are known: from 0 to 1 with tangents 3 and 0.
    scene.timelines[0].channels[1].curve = {Interpolation::kCubicSpline,
                                            3,
                                            {0, 1},
                                            {0, 0, 0, 0, 1, 0, 3, 0, 0, 0, 0, 0, 1, 1, 0, 0, 0, 0}};
    const std::string text = dae(scene);
    EXPECT_THAT(text, HasSubstr("BEZIER"));
    const Scene read = again(text);
    // At half time: 0.5 * 1 + 0.125 * 3.
    int found = 0;
    for (const MemberCurve& c : read.timelines[0].members) {
        if (c.node != 1 || c.member != 0) continue;
        ++found;
        double x = 0;
        const double half = 0.5;
        sample(c, {&half, 1}, &x);
        EXPECT_NEAR(x, 0.875, 1e-8);
    }
    EXPECT_EQ(found, 1);
    EXPECT_THAT(dae(turning()), HasSubstr("STEP STEP"));
}

TEST(WriteColladaTest, NamesThatXmlCannotHoldAreSaidAndComeBack) {
    Scene scene = turning();
    scene.nodes[0].name = "rig:hips & <1>";
    scene.nodes[1].name = "2nd";
    scene.timelines[0].name = "day: one";
    const auto written = write_collada(scene, "spin");
    ASSERT_THAT(written, IsOk());
    EXPECT_THAT(to_text(written.value().findings.at(0)), HasSubstr("rig_hips____1_"));
    EXPECT_THAT(dae(scene), HasSubstr("name=\"_2nd\"")) << "no XML name begins with a digit";
    const Scene read = again(dae(scene));
    EXPECT_EQ(read.nodes[0].name, "rig:hips & <1>");
    EXPECT_EQ(read.nodes[1].name, "2nd");
    EXPECT_EQ(read.timelines[0].name, "day: one");
    scene.nodes[1].name = "rig/hips & <1>";
    EXPECT_THAT(write_collada(scene, "spin"), FailsWith(Code::kNameClash, "rig_hips____1_"));
}

TEST(WriteColladaTest, StacksAreComposedByTheWritersThemselves) {
    const Scene read = again(dae(turning()));
    ASSERT_FALSE(read.timelines[0].members.empty());
    EXPECT_LT(worst_difference(read, again(dae(read)), 0.99), 1e-6);
    const Scene from_glb = test::read_tiny(write_glb(read)).value().scene;
    EXPECT_LT(worst_difference(read, from_glb, 0.99), 1e-6);
}

TEST(WriteColladaTest, SameSceneSameBytes) { EXPECT_EQ(dae(turning()), dae(turning())); }

// ---- what the file says, taken apart by another library

struct Xml {
    explicit Xml(const std::string& text) {
        EXPECT_TRUE(document.load_string(text.c_str())) << "no XML";
    }
    std::string text(const std::string& path) const {
        return document.select_node(path.c_str()).node().child_value();
    }
    std::string attribute(const std::string& path, const char* name) const {
        return document.select_node(path.c_str()).node().attribute(name).value();
    }
    std::size_t count(const std::string& path) const {
        return document.select_nodes(path.c_str()).size();
    }
    /// Numbers of the source of this id.
    std::vector<double> numbers(const std::string& id) const {
        std::istringstream in(text("//source[@id='" + id + "']/float_array"));
        return {std::istream_iterator<double>(in), {}};
    }
    pugi::xml_document document;
};

TEST(ColladaFileTest, ConventionRateAndCopyright) {
    Scene scene = turning();
    const auto xml = [&] { return Xml(dae(scene)); };
    const char* const hand = "/COLLADA/extra/technique[@profile='mellow_crate']/hand";
    EXPECT_EQ(xml().text("//up_axis"), "Y_UP");
    EXPECT_EQ(xml().count(hand), 0U) << "COLLADA's own convention needs no mark";
    EXPECT_EQ(xml().text("//frame_rate"), "30");
    scene.rate_known = false;
    EXPECT_EQ(xml().count("//frame_rate"), 0U);
    scene.convention = {0.01, Axis::kPlusX, Axis::kPlusZ};
    scene.copyright = "Tamsin & \"daughters\" <2026>";
    EXPECT_EQ(xml().text("//up_axis"), "X_UP");
    EXPECT_EQ(xml().count(hand), 0U);
    EXPECT_EQ(xml().attribute("//unit", "meter"), "0.01");
    EXPECT_EQ(xml().text("//copyright"), scene.copyright);
    EXPECT_THAT(dae(scene), HasSubstr(">Tamsin &amp; ")) << "pugixml forgives a lone &";
    scene.convention.hand = Hand::kLeft;
    EXPECT_EQ(xml().text(hand), name(Hand::kLeft));
}

TEST(ColladaFileTest, Cameras) {
    Scene scene = turning();
    scene.cameras = {
        R"({"type":"perspective","perspective":{"yfov":1,"znear":0.25,"aspectRatio":1.5}})",
        R"({"type":"orthographic","orthographic":{"xmag":2,"ymag":3,"znear":0,"zfar":9}})"};
    scene.nodes[1].camera = 0, scene.nodes[2].camera = 1;
    const Xml xml(dae(scene));
    EXPECT_NEAR(std::stod(xml.text("//perspective/yfov")), 57.29577951308232, 1e-9);
    EXPECT_EQ(xml.text("//perspective/aspect_ratio"), "1.5");
    EXPECT_EQ(xml.text("//perspective/znear"), "0.25");
    EXPECT_EQ(xml.text("//orthographic/xmag"), "2");
    EXPECT_EQ(xml.text("//orthographic/ymag"), "3");
    EXPECT_EQ(xml.attribute("//node[@name='n2']/instance_camera", "url"), "#camera1");
    EXPECT_EQ(xml.attribute("//node[@name='n0']", "type"), "JOINT") << "motion without a skin";
    EXPECT_EQ(xml.attribute("//node[@name='n1']", "type"), "NODE");
}

/// Two parts of three vertices with morph targets, weighted to n0 and n3 of a chain.
Scene skinned_face() {
    Scene scene = chain_scene(4, 1);
    Primitive part;
    part.positions = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}};
    part.normals = {{0, 0, 1}, {0, 0, 1}, {0, 0, 1}};
    part.indices = {0, 1, 2};
    part.influences_per_vertex = 4;
    part.influence_joints = {0, 1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0};
    part.influence_weights = {0.25F, 0.75F, 0, 0, 1, 0, 0, 0, 0.5F, 0.5F, 0, 0};
    part.others = {{"COLOR_0", 3, Component::kUint8, true, {255, 0, 51, 0, 0, 0, 0, 255, 0}},
                   {"TEXCOORD_0", 2, Component::kFloat, false, {}}};
    const float uv[] = {0.5F, 0.25F, 0, 0, 1, 1};
    part.others[1].bytes.resize(sizeof(uv));
    std::memcpy(part.others[1].bytes.data(), uv, sizeof(uv));
    MorphTarget smile, frown;
    smile.positions = {{0, 0, 2}, {0, 0, 0}, {0, 0, 0}};
    smile.normals = {{0, 1, -1}, {0, 0, 0}, {0, 0, 0}};
    frown.positions = {{0, -1, 0}, {0, 0, 0}, {0, 0, 0}};
    part.targets = {smile, frown};
    Primitive second = part;
    second.tangents.assign(3, {1, 0, 0, 1});
    scene.meshes.push_back({"face", {part, second}, {"smile", "frown"}, {}, "", ""});
    scene.skins.push_back({"skin", {0, 3}, {Affine{}, Affine{}}, kNone, "", ""});
    Node face;
    face.name = "face";
    face.mesh = face.skin = 0;
    face.morph_weights = {0.125, 0.5};
    scene.nodes.push_back(face);
    scene.roots.push_back(4);
    return scene;
}

TEST(ColladaFileTest, ShapesSkinsAndMorphs) {
    Scene scene = skinned_face();
    const auto written = write_collada(scene, "spin");
    ASSERT_THAT(written, IsOk());
    const Xml xml(dae(scene));
    using Numbers = std::vector<double>;
    EXPECT_EQ(xml.text("(//geometry[1]/mesh/triangles)[1]/p"), "0 0 1 1 2 2");
    EXPECT_EQ(xml.text("(//geometry[1]/mesh/triangles)[2]/p"), "3 0 4 1 5 2")
        << "places of all parts stand in one list, the rest does not";
    EXPECT_EQ(xml.numbers("mesh0-0-a0"), (Numbers{1, 0, 0.200000003, 0, 0, 0, 0, 1, 0}));
    EXPECT_EQ(xml.numbers("mesh0-0-a1"), (Numbers{0.5, 0.75, 0, 1, 1, 0})) << "upwards";
    EXPECT_EQ(xml.numbers("mesh0-target0-positions")[2], 2);
    EXPECT_EQ(xml.numbers("mesh0-target0-0-normals"), (Numbers{0, 1, 0, 0, 0, 1, 0, 0, 1}));
    EXPECT_EQ(xml.numbers("mesh0-morph-weights"), (Numbers{0.125, 0.5}));
    scene.materials = {{"", {1, 1, 1, 1}, kNone, ""}, {"red", {1, 0, 0, 1}, kNone, ""}};
    const Xml painted(dae(scene));
    EXPECT_EQ(painted.attribute("//material[@id='material0']", "name"), "material")
        << "without one";
    EXPECT_EQ(painted.attribute("//material[@id='material1']", "name"), "red");
    scene.materials.clear();
    EXPECT_EQ(xml.attribute("//controller/morph", "source"), "#mesh0");
    EXPECT_EQ(xml.attribute("//controller/skin", "source"), "#mesh0-morph");
    EXPECT_EQ(xml.count("//skeleton"), 1U) << "n3 hangs on n0, though by others";
    EXPECT_EQ(xml.text("//skeleton"), "#" + xml.attribute("//node[@name='n0']", "id"));
    scene.skins[0].joints = {2, 3};
    const Xml below(dae(scene));
    EXPECT_EQ(below.count("//skeleton"), 1U) << "joints below two nodes that are none";
    EXPECT_EQ(below.text("//skeleton"), "#" + below.attribute("//node[@name='n2']", "id"));
    scene.skins[0].joints = {0, 3};
    const auto said = [](const Result<WrittenScene>& result) {
        std::string all;
        for (const Finding& f : result.value().findings) all += to_text(f);
        return all;
    };
    EXPECT_THAT(said(written), HasSubstr("TANGENT"));
    EXPECT_THAT(said(written), Not(HasSubstr("nodes with morph weights")));
    Node again = scene.nodes[4];
    again.name = "face.2", again.skin = kNone;
    scene.nodes.push_back(again);
    scene.roots.push_back(5);
    EXPECT_THAT(said(write_collada(scene, "spin")),
                HasSubstr("2 nodes with morph weights of their own"));
}

TEST(ColladaFileTest, ClipsCurvesAndWhatRests) {
    Scene scene = skinned_face();
    scene.rate = {30, 1};
    Timeline blink{"blink", {}, {}, {}, {}};
    blink.channels.push_back(
        {4, Path::kWeights, {Interpolation::kLinear, 2, {0.5, 1.5}, {0, 0.25, 0.5, 0.75}}});
    // At rest on both keys of a spline, and away from it between them, by 0.125 (4 - 2) / 2.
    blink.channels.push_back(
        {1, Path::kTranslation, {Interpolation::kCubicSpline, 3, {0.5, 1.5}, {}}});
    for (const double v : {0, 0, 0, 0, 1, 0, 0, 0, 2, 0, 0, -2, 0, 1, 0, 0, 0, 0})
        blink.channels.back().curve.values.append({v});
    blink.channels.push_back(
        {2, Path::kTranslation, {Interpolation::kLinear, 3, {0.5, 1.5}, {0, 1, 0, 2e-5, 1, 0}}});
    scene.timelines.push_back(blink);
    scene.timelines.push_back({"still", {}, {}, {}, {}});
    scene.timelines[1].channels.push_back(
        {1, Path::kTranslation, {Interpolation::kLinear, 3, {0, 1}, {0, 1, 0, 0, 1, 0}}});
    const Xml xml(dae(scene));
    const auto values = [&](const std::string& target) {
        const std::string id = xml.attribute("//channel[@target='" + target + "']", "source");
        return id.empty() ? std::vector<double>{} : xml.numbers(id.substr(1) + "-out");
    };
    using Numbers = std::vector<double>;
    EXPECT_EQ(values("mesh0-morph-weights(0)"), (Numbers{0, 0.5}));
    EXPECT_EQ(values("mesh0-morph-weights(1)"), (Numbers{0.25, 0.75}));
    EXPECT_EQ(values("node1/translate.Z"), (Numbers{0, 0}));
    const std::string id =
        xml.attribute("//channel[@target='node1/translate.Z']", "source").substr(1);
    // Control points a third of the second away, by a third of the slopes.
    EXPECT_EQ(xml.numbers(id + "-after")[0], 0.833333333);
    EXPECT_EQ(xml.numbers(id + "-after")[1], 0.666666667);
    EXPECT_EQ(xml.numbers(id + "-before")[2], 1.16666667);
    EXPECT_EQ(xml.numbers(id + "-before")[3], 0.666666667);
    EXPECT_EQ(values("node2/translate.X"), (Numbers{0, 2e-5})) << "a fiftieth of a millimetre";
    EXPECT_EQ(values("node2/translate.Y"), Numbers{}) << "what rests is left out";
    EXPECT_EQ(xml.attribute("//animation_clip[@name='blink']", "start"), "0.5");
    EXPECT_EQ(xml.attribute("//animation_clip[@name='blink']", "end"), "1.5");
    EXPECT_EQ(xml.count("//library_animations/animation[2]/animation"), 3U)
        << "an animation holds something, though nothing moves";
}

TEST(ColladaFileTest, MatricesHoldShearAndTurnsBetweenKeys) {
    Scene scene = chain_scene(2, 1);
    scene.rate = {30, 1}, scene.rate_known = true;
    scene.nodes[0].shear = Affine{{1, 0, 0}, {0.5, 1, 0}, {0, 0, 1}, {}};
    const Quat end = about({0, 0, 1}, 120);
    scene.timelines.push_back({"turn", {}, {}, {}, {}});
    scene.timelines[0].channels.push_back(
        {0,
         Path::kRotation,
         {Interpolation::kLinear, 4, {0, 1}, {0, 0, 0, 1, 0, 0, end.z, end.w}}});
    ColladaOptions options;
    options.matrices = true;
    const Xml xml(dae(scene, options));
    const std::vector<double> m = xml.numbers("motion0-0-out");
    ASSERT_EQ(m.size(), 16U * 31) << "one a frame";
    // After half a second by 60 degrees: x goes to (c, s), y to itself and half of that.
    const double c = 0.5, s = std::sqrt(0.75);
    const double wanted[] = {c, 0.5 * c - s, 0, 0, s, 0.5 * s + c, 0, 0};
    for (std::size_t i = 0; i < 8; ++i) EXPECT_NEAR(m[16 * 15 + i], wanted[i], 1e-8) << i;
    // Without matrices it stands at rest.
    const Xml members(dae(scene));
    EXPECT_EQ(members.text("//node[@name='n0']/matrix[@sid='shear']"),
              "1 0.5 0 0 0 1 0 0 0 0 1 0 0 0 0 1");
}

TEST(ConvertSceneTest, SkinnedMeshesStandAtTheTop) {
    Scene scene = turning();
    Primitive part;
    part.positions = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}};
    part.indices = {0, 1, 2};
    part.influences_per_vertex = 4;
    part.influence_joints.assign(12, 0);
    part.influence_weights = {1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0};
    scene.meshes.push_back({"cloth", {part}, {}, {}, "", ""});
    scene.skins.push_back({"skin", {0, 1}, {Affine{}, Affine{}}, kNone, "", ""});
    Node cloth;
    cloth.name = "cloth";
    cloth.parent = 2;
    cloth.local.t = {5, 5, 5};  // joints alone place it
    cloth.mesh = cloth.skin = 0;
    scene.nodes.push_back(cloth);
    const TempFolder folder;
    ASSERT_THAT(convert_file(scene, folder / "cloth.glb", {}), IsOk());
    const Scene read = read_scene(folder / "cloth.glb").value().scene;
    EXPECT_EQ(read.nodes[3].parent, kNone);
    EXPECT_EQ(read.roots, (std::vector<int>{0, 3}));
    const auto corner = [](const Scene& s) {
        return posed_vertices(s, 3, s.meshes[0].primitives[0], pose_at(s, s.timelines[0], 0.7))[1];
    };
    EXPECT_LT(length(corner(read) - corner(scene)), 1e-6);
}

// ---------------------------------------------------------------------------------- the tool

class ColladaToolTest : public testing::Test {
  protected:
    void SetUp() override {
        ASSERT_EQ(tool("demo " + path("demo") + " --data-only --quiet").exit, 0);
    }
    std::string path(const std::string& name) { return "'" + (folder_ / name).string() + "'"; }
    ToolRun tool(const std::string& arguments) { return run_tool(arguments); }
    /// The demo's figure converted to `out`; its true conventions are told.
    ToolRun figure(const std::string& out, const std::string& options = "") {
        return tool("convert " + path("demo/tamsin.glb") + " " + path(out) +
                    " --unit centimetre --up +Z --front -Y " + options);
    }
    nlohmann::json compared(const std::string& a, const std::string& b,
                            const std::string& more = "") {
        const ToolRun run = tool("compare " + path(a) + " " + path(b) + " --json " + more);
        EXPECT_EQ(run.exit, 0) << run.err << run.out;
        return nlohmann::json::parse(run.out, nullptr, false);
    }
    TempFolder folder_;
};

TEST_F(ColladaToolTest, WholeFigureThereAndBack) {
    EXPECT_EQ(figure("t.glb").exit, 0);
    EXPECT_EQ(figure("t.dae", "--target z-up-centimetre").exit, 0);
    EXPECT_EQ(tool("convert " + path("t.dae") + " " + path("u.glb")).exit, 0);
    for (const char* b : {"t.dae", "u.glb"}) {
        const auto c = compared("t.glb", b);
        // A millionth of her 1.7 m, skin and all.
        EXPECT_LT(c["joint_position_mm"]["worst"].get<double>(), 1.7e-3) << b;
        EXPECT_LT(c["vertex_mm"]["worst"].get<double>(), 1.7e-3) << b;
        EXPECT_LT(c["morph_weight"]["worst"].get<double>(), 1e-5) << b;
        EXPECT_TRUE(c["only_in_first"].empty() && c["only_in_second"].empty());
    }
    EXPECT_THAT(tool("describe " + path("t.dae")).out, HasSubstr("COLLADA 1.4.1"));
}

TEST_F(ColladaToolTest, PackedFromCollada) {
    // The same recipe, its scene file in another format: the proof is the same.
    EXPECT_EQ(figure("demo/tamsin.dae", "--target z-up-centimetre").exit, 0);
    std::string recipe = read_text(folder_ / "demo" / "tamsin.recipe.toml");
    recipe.replace(recipe.find("tamsin.glb"), 10, "tamsin.dae");
    test::write_text(folder_ / "demo" / "tamsin.recipe.toml", recipe);
    const ToolRun run = tool("pack " + path("demo/tamsin.recipe.toml") + " --quiet");
    EXPECT_EQ(run.exit, 0) << run.err;
}

TEST_F(ColladaToolTest, PartsAndTextures) {
    EXPECT_EQ(figure("all.glb").exit, 0);
    EXPECT_EQ(figure("skin.glb", "--parts skin").exit, 0);
    EXPECT_EQ(figure("motion.glb", "--parts motion").exit, 0);
    EXPECT_EQ(figure("beside.glb", "--textures beside").exit, 0);
    EXPECT_EQ(figure("inside.gltf", "--textures embedded").exit, 0);
    const ToolRun bare = figure("bare.glb", "--textures none");
    EXPECT_THAT(bare.err, HasSubstr("pictures: 1, "));
    const auto scene = [&](const std::string& name) {
        return read_scene(folder_ / name).value().scene;
    };
    EXPECT_TRUE(scene("skin.glb").timelines.empty());
    EXPECT_FALSE(scene("skin.glb").skins.empty());
    EXPECT_TRUE(scene("motion.glb").meshes.empty());
    EXPECT_FALSE(scene("motion.glb").timelines[0].morphs.empty());
    const std::size_t picture = scene("all.glb").images.at(0).bytes.size();
    EXPECT_GT(picture, 50U);
    EXPECT_EQ(read_text(folder_ / "beside_0.png").size(), picture);
    EXPECT_EQ(scene("beside.glb").images.at(0).bytes.size(), picture);
    EXPECT_EQ(scene("inside.gltf").images.at(0).bytes.size(), picture);
    EXPECT_FALSE(std::filesystem::exists(folder_ / "inside_0.png"));
    EXPECT_TRUE(scene("bare.glb").images.empty());
    EXPECT_EQ(read_text(folder_ / "bare.glb").find("Texture\""), std::string::npos);
    // Motion and skin apart move as they do together: weights in the extras count, too.
    const auto c = compared("all.glb", "motion.glb", "--ignore meshes");
    EXPECT_LT(c["morph_weight"]["worst"].get<double>(), 1e-6);
    EXPECT_GT(c["morph_weight"]["compared"].get<int>(), 0);
}

TEST_F(ColladaToolTest, TroubleIsTold) {
    const std::pair<std::string, const char*> cases[] = {
        {"x.dae --textures embedded", "beside or none"},
        {"x.dae --parts half", "all, skin or motion"},
        {"x.glb --textures some", "embedded, beside or none"},
        {"x.dae --order hips=UVW", "JOINT=XYZ"},
        {"x.dae --order hipz=ZXY", "no node \"hipz\""}};
    for (const auto& [arguments, part] : cases) {
        const std::size_t space = arguments.find(' ');
        const ToolRun run = figure(arguments.substr(0, space), arguments.substr(space));
        EXPECT_NE(run.exit, 0) << arguments;
        EXPECT_THAT(run.err, HasSubstr(part)) << arguments;
    }
    EXPECT_THAT(folder_.names(), testing::ElementsAre("demo"));
}

}  // namespace
}  // namespace mellow
