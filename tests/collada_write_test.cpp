// Writing COLLADA, and converting to it and from it through the tool.
#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>
#include <numbers>

#include "mellow/convert_file.h"
#include "mellow/pose.h"
#include "mellow/write.h"
#include "orchard.h"
#include "support.h"

namespace mellow {
namespace {

using test::chain_scene;
using test::FailsWith;
using test::IsOk;
using test::read_text;
using test::run_tool;
using test::TempFolder;
using test::ToolRun;
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
        return Finding{Code::kFileMissing, Severity::kStop, name, "no such file", "", ""};
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
