// Files of several timelines: converted, and drafted from.
#include <cmath>
#include <nlohmann/json.hpp>
#include "mellow/draft.h"
#include "mellow/pose.h"
#include "mellow/read.h"
#include "mellow/write.h"
#include "small_figure.h"

namespace mellow::timelines_test {
namespace {

using nlohmann::json;
using namespace test;
using test::read_text;
using namespace testing;

class TimelinesTest : public test::SmallFigure {};

TEST_F(TimelinesTest, ConversionsThatLoseSomethingSayIt) {
    Scene scene = test::read_tiny(figure({nodding([](int f) { return f; })})).value().scene;
    scene.timelines.push_back(scene.timelines[0]);
    scene.timelines[1].name = "still";
    scene.timelines[1].channels[0].curve.values = std::vector<double>(4 * 49, 0.5);
    write_bytes(folder_ / "two.glb", write_glb(scene));
    const auto both = run_tool("convert " + path("two.glb") + " " + path("x.bvh"));
    EXPECT_EQ(both.exit, 3);
    EXPECT_THAT(both.err, AllOf(HasSubstr("2 timelines: move, still"), HasSubstr("--timeline")));
    EXPECT_FALSE(std::filesystem::exists(folder_ / "x.bvh"));
    ASSERT_EQ(
        run_tool("convert " + path("two.glb") + " " + path("x.bvh") + " --timeline move").exit, 0);
    const Scene moved = read_scene(folder_ / "x.bvh").value().scene;
    const auto head = static_cast<std::size_t>(find_node(moved, "head"));
    const Affine at = pose_at(moved, moved.timelines.at(0), 1).worlds.at(head);
    EXPECT_NEAR(std::atan2(at.y.z, at.y.y) * 180 / M_PI, 24, 1e-3);
    ASSERT_EQ(
        run_tool("convert " + path("two.glb") + " " + path("y.glb") + " --timeline still").exit, 0);
    EXPECT_THAT(read_scene(folder_ / "y.glb").value().scene.timelines, SizeIs(1));
    // Shear of a node that moves is held by COLLADA's matrices alone.
    write_text(
        folder_ / "k.dae",
        "<COLLADA version=\"1.4.1\"><asset><unit meter=\"1\"/><up_axis>Y_UP</up_axis></asset>"
        "<library_animations><animation id=\"a\"><source id=\"i\"><float_array id=\"ia\" "
        "count=\"2\">0 1</float_array><technique_common><accessor source=\"#ia\" count=\"2\">"
        "<param name=\"T\"/></accessor></technique_common></source><source id=\"o\">"
        "<float_array id=\"oa\" count=\"2\">0 5</float_array><technique_common><accessor "
        "source=\"#oa\" count=\"2\"><param name=\"V\"/></accessor></technique_common></source>"
        "<source id=\"k\"><Name_array>LINEAR LINEAR</Name_array></source><sampler id=\"s\">"
        "<input semantic=\"INPUT\" source=\"#i\"/><input semantic=\"OUTPUT\" source=\"#o\"/>"
        "<input semantic=\"INTERPOLATION\" source=\"#k\"/></sampler><channel source=\"#s\" "
        "target=\"n/t.X\"/></animation></library_animations><library_visual_scenes>"
        "<visual_scene id=\"v\"><node id=\"n\"><translate sid=\"t\">0 0 0</translate><skew>30 0 "
        "1 0 1 0 0</skew></node></visual_scene></library_visual_scenes><scene>"
        "<instance_visual_scene url=\"#v\"/></scene></COLLADA>");
    for (const auto& [out, remedy] :
         {std::pair("k.glb", "or COLLADA with matrices, which holds it (--matrices)"),
          {"l.dae", "matrices, which hold it (--matrices)"}}) {
        const auto run = run_tool("convert " + path("k.dae") + " " + path(out));
        EXPECT_EQ(run.exit, 0) << run.err;
        EXPECT_THAT(run.err, AllOf(HasSubstr("shear that is lost"), HasSubstr(remedy))) << out;
    }
    const auto kept = run_tool("convert --matrices " + path("k.dae") + " " + path("m.dae"));
    EXPECT_EQ(kept.exit, 0);
    EXPECT_THAT(kept.err, Not(HasSubstr("shear that is lost")));
}

TEST_F(TimelinesTest, DraftsOfSeveralTimelinesNameThem) {
    Scene scene =
        test::read_tiny(figure({nodding([](int f) { return f * f / 30.0; })})).value().scene;
    scene.timelines.push_back(scene.timelines[0]);
    scene.timelines[1].name = "more";
    for (Channel& c : scene.timelines[1].channels)
        c.curve.times = KeyTimes([&] {
            std::vector<double> times;
            for (int f = 0; f <= 48; ++f) times.push_back(f / 24.0);
            return times;
        }());
    write_bytes(folder_ / "figure.glb", write_glb(scene));
    DraftOptions options;
    options.recipe = folder_ / "d.recipe.toml";
    const auto draft = draft_recipe({folder_ / "figure.glb"}, options);
    ASSERT_THAT(draft, IsOk());
    EXPECT_THAT(draft.value().text,
                AllOf(HasSubstr("timeline = \"move\"\n"), HasSubstr("timeline = \"more\"\n")));
    ASSERT_TRUE(draft.value().ready) << draft.value().text;
    const auto report = pack_text(folder_, draft.value().text, true);
    ASSERT_THAT(report, IsOk());
    EXPECT_THAT(report.value().clips, SizeIs(2));
    EXPECT_EQ(draft_recipe({}, options).failure().code, Code::kUsage);
}

}  // namespace
}  // namespace mellow::timelines_test
