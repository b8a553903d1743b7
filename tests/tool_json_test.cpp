// Answers of the tool in their other forms: JSON beside text, sizes, figures that are matched,
// charts of states and timelines; and options that are mistyped.
#include <fmt/format.h>

#include <nlohmann/json.hpp>

#include "mellow/crate.h"
#include "mellow/pictures.h"
#include "mellow/write.h"
#include "small_figure.h"

namespace mellow::tool_json_test {
namespace {

using nlohmann::json;
using namespace test;
using test::read_text;
using namespace testing;
namespace fs = std::filesystem;

/// A figure whose hips go up and down, and the crate of its only clip.
class FormsTest : public testing::Test {
  protected:
    void SetUp() override {
        write_bytes(folder_ / "figure.glb", figure({swaying()}));
        write_text(folder_ / "a.recipe.toml", test::recipe("range = [0, 24]\n"));
    }
    static test::Keyed swaying() {
        return test::keyed(0, "translation", 48, [](int f) {
            return Three{0, 1 + 0.1 * std::sin(f / 4.0), 0};
        });
    }
    void pack() const { ASSERT_EQ(run_tool("pack --quiet " + path("a.recipe.toml")).exit, 0); }
    std::string path(const std::string& name) const {
        return "'" + (folder_ / name).string() + "'";
    }
    /// The JSON of a command that must end well.
    static json told(const std::string& command, int exit = 0) {
        const auto run = run_tool(command);
        EXPECT_EQ(run.exit, exit) << command << run.err << run.out;
        return json::parse(run.out, nullptr, false);
    }
    test::TempFolder folder_;
};

TEST_F(FormsTest, FiguresAreMatchedJointByJoint) {
    pack();
    const auto matched = [&](const std::function<void(Scene&)>& change, int exit) {
        Scene other = open_crate(folder_ / "out").value().skin;
        change(other);
        write_bytes(folder_ / "other.glb", write_glb(other));
        const std::string asked = "check " + path("out") + " --figures " + path("other.glb");
        const json match = told(asked + " --json", exit)["matches"].at(0);
        const auto run = run_tool(asked);
        EXPECT_EQ(run.exit, exit);
        EXPECT_THAT(run.out, HasSubstr(exit == 0 ? "fits" : match["why"].get<std::string>()));
        EXPECT_EQ(match["fits"], exit == 0);
        EXPECT_EQ(match["clip"], "c");
        return match.value("joint", "") + ": " + match.value("why", "");
    };
    const auto node = [](Scene& scene, const char* name) -> Node& {
        return scene.nodes.at(static_cast<std::size_t>(find_node(scene, name)));
    };
    EXPECT_EQ(matched([](Scene&) {}, 0), ": ");
    EXPECT_EQ(matched([&](Scene& s) { node(s, "head").name = "kopf"; }, 1),
              "head: missing in the figure");
    EXPECT_EQ(matched([&](Scene& s) { node(s, "head").local.t.y += 0.25; }, 1),
              "head: 250 mm elsewhere");
    EXPECT_EQ(matched([&](Scene& s) { node(s, "head").local.t.y += 0.0005; }, 0), ": ");
    EXPECT_EQ(matched(
                  [&](Scene& s) {
                      node(s, "head").local.r = from_axis_angle({1, 0, 0}, M_PI / 18);
                  },
                  1),
              "head: turned by 10 degrees");
    // Of several the worst is told, and another parent is worse than any distance.
    EXPECT_EQ(matched(
                  [&](Scene& s) {
                      node(s, "hips").local.t.y += 3;
                      node(s, "head").parent = kNone;
                      s.roots.push_back(find_node(s, "head"));
                  },
                  1),
              "head: on \"hips\", in the figure on \"\"");
    const auto two =
        run_tool("check " + path("out") + " " + path("out") + " --figures " + path("figure.glb"));
    EXPECT_EQ(two.exit, 2);
    EXPECT_THAT(two.err, HasSubstr("one crate"));
}

TEST_F(FormsTest, EveryCommandTellsInJsonWhatItWrote) {
    pack();
    const auto size = [&](const std::string& name) { return fs::file_size(folder_ / name); };
    const json page = told("view --json " + path("out") + " -o " + path("p.html"));
    EXPECT_EQ(page["bytes"], size("p.html"));
    EXPECT_FALSE(page.contains("linked_bytes"));
    const json linked = told("view --json --linked " + path("out") + " -o " + path("l.html"));
    EXPECT_EQ(linked["linked_bytes"], size("out/figure.glb") + size("out/clips/c.glb"));
    EXPECT_TRUE(fs::is_directory(linked.value("linked", "")));
    const json picture = told("view --json " + path("out") + " -o " + path("p.png"));
    EXPECT_EQ(picture["bytes"], size("p.png"));
    EXPECT_EQ(picture["pages"].size(), 1U);
    const json converted = told("convert --json " + path("figure.glb") + " " + path("c.gltf"));
    ASSERT_EQ(converted["files"].size(), 2U);
    for (const json& file : converted["files"])
        EXPECT_EQ(file["bytes"], fs::file_size(file["file"].get<std::string>()));
    const json recipe = told("describe --json " + path("a.recipe.toml"));
    EXPECT_EQ(recipe["format"], "recipe");
    EXPECT_EQ(recipe["text"], read_text(folder_ / "a.recipe.toml"));
    write_text(folder_ / "b.recipe.toml",
               test::change(test::recipe("range = [0, 12]\n"), "\"out\"", "\"two\""));
    const json two =
        told("pack --json --replace " + path("a.recipe.toml") + " " + path("b.recipe.toml"));
    ASSERT_EQ(two["jobs"].size(), 2U) << two.dump(1);
    EXPECT_EQ(two["exit"], 0);
    for (const json& job : two["jobs"]) {
        EXPECT_EQ(job["proven"], true);
        EXPECT_EQ(job["clips"].at(0)["name"], "c");
        EXPECT_LT(job["clips"].at(0)["proof"].at("joint_position_mm").at("worst"), 1e-3);
    }
    EXPECT_TRUE(fs::is_regular_file(folder_ / "two/clips/c.glb"));
}

TEST_F(FormsTest, StatesAndTimelinesAreDrawnAsTheyAreWritten) {
    int pictures = 0;
    const auto drawn = [&](const std::string& what, const std::string& file) {
        const std::string png = fmt::format("{}.png", ++pictures);
        const auto run = run_tool("view --what " + what + " " + path(file) + " -o " + path(png));
        EXPECT_EQ(run.exit, 0) << file << run.err;
        return read_text(folder_ / png);
    };
    const auto states = [&](const std::string& start, const std::string& way) {
        write_text(folder_ / "s.toml", "start = \"" + start +
                                           "\"\nsignals = [\"ring\"]\n[flags]\nwet = false\ncold = "
                                           "true\n[[state]]\nname = \"rest\"\n[[state]]\nname = "
                                           "\"work\"\n[[way]]\nfrom = \"rest\"\nto = \"work\"\n" +
                                           way);
        return drawn("states", "s.toml");
    };
    // What the chart must be, of its own call.
    const auto chart = [](int start, const std::string& words) {
        const Png png = draw_states("s.toml", {"rest", "work"}, start, {{0, 1, words}});
        return std::string(png.begin(), png.end());
    };
    EXPECT_EQ(states("rest", "on = \"ring\"\n"), chart(0, "on ring"));
    EXPECT_EQ(states("work", "at_end = true\n"), chart(1, "at the end"));
    EXPECT_EQ(states("rest", "when = \"wet\"\nblend = 0.25\n"), chart(0, "wet; 0.25 s"));
    EXPECT_EQ(states("rest", "when = \"not wet\"\non = \"ring\"\nat_end = true\n"),
              chart(0, "not wet, on ring, at the end"));
    EXPECT_NE(chart(0, "on ring"), chart(1, "on ring"));
    // Parts of a clip stand on their timelines with the clip's name.
    write_text(folder_ / "a.recipe.toml",
               test::recipe("[[clip.part]]\nrange = [0, 12]\n[[clip.part]]\nrange = [30, 42]\n"));
    const std::string parts = drawn("timeline", "a.recipe.toml");
    write_text(folder_ / "a.recipe.toml",
               test::recipe("[[clip.part]]\nrange = [0, 12]\n[[clip.part]]\nrange = [30, 41]\n"));
    EXPECT_NE(drawn("timeline", "a.recipe.toml"), parts);
    write_text(folder_ / "still.gltf", R"({"asset":{"version":"2.0"},"nodes":[{}]})");
    const auto still =
        run_tool("view --what timeline " + path("still.gltf") + " -o " + path("x.png"));
    EXPECT_EQ(still.exit, 3);
    EXPECT_THAT(still.err, HasSubstr("no-motion"));
    // Trees and sizes of a crate, of what packed it, of one file.
    write_text(folder_ / "a.recipe.toml", test::recipe("range = [0, 24]\n"));
    pack();
    EXPECT_EQ(drawn("tree", "out"), drawn("tree", "out"));
    EXPECT_NE(drawn("tree", "out"), drawn("tree", "figure.glb"));
    const Png one =
        draw_sizes("figure.glb", {{"figure.glb", fs::file_size(folder_ / "figure.glb")}});
    EXPECT_EQ(drawn("sizes", "figure.glb"), std::string(one.begin(), one.end()));
    for (const char* what : {"states", "sizes", "timeline"}) {
        const auto two = run_tool(fmt::format("view --what {} {} {} -o {}", what, path("out"),
                                              path("figure.glb"), path("x.png")));
        EXPECT_EQ(two.exit, 2) << what;
        EXPECT_THAT(two.err, HasSubstr("a picture of each"));
    }
    EXPECT_EQ(run_tool("view --what sizes " + path("none") + " -o " + path("x.png")).exit, 3);
    EXPECT_FALSE(fs::exists(folder_ / "x.png"));
}

TEST_F(FormsTest, MistypedOptionsAreToldWithWhatTheyTake) {
    pack();
    const std::string in = path("figure.glb"), out = " " + path("x.glb");
    struct Case {
        std::string command;
        int exit;
        const char *option, *expected;
    };
    const std::string bvh = path("in.bvh") + " ";
    EXPECT_EQ(run_tool("convert " + in + " " + bvh).exit, 0);
    const Case cases[] = {
        {"convert " + in + out + " --front sideways", 2, "--front", "+X, -X"},
        {"convert " + in + out + " --up above", 2, "--up", "+X, -X"},
        {"convert " + in + out + " --hand both", 2, "--hand", "right or left"},
        {"convert " + bvh + out + " --places there", 2, "--places", "added or instead"},
        {"convert " + bvh + out + " --frames most", 2, "--frames", "declared or all"},
        {"convert " + in + out + " --unit ell", 2, "--unit", "metre"},
        {"convert " + in + out + " --rate often", 2, "--rate", "24"},
        {"compare " + in + " " + in + " --ignore taste", 2, "--ignore", "meshes"},
        {"compare " + in + " " + in + " --align middle", 2, "--align", "first-key"},
        {"pack " + path("a.recipe.toml") + " --share 3 -o " + path("y"), 2, "--share", "1/"},
        {"pack " + path("a.recipe.toml") + " --share 1/2", 2, "--share", "-o FOLDER"},
        {"pack " + in + " --share 1/2 -o " + path("y"), 2, "--share", "mellow draft"},
        {"pack --keep=-1 " + path("a.recipe.toml"), 2, "--keep", "0 or more"},
        {"gather --keep=-1 " + path("y"), 2, "--keep", "0 or more"},
    };
    for (const Case& c : cases) {
        const auto run = run_tool(c.command);
        EXPECT_EQ(run.exit, c.exit) << c.command << run.err;
        EXPECT_THAT(run.err,
                    AllOf(HasSubstr("stop[usage]"), HasSubstr(c.option), HasSubstr(c.expected)))
            << c.command;
    }
    EXPECT_FALSE(fs::exists(folder_ / "x.glb"));
    EXPECT_FALSE(fs::exists(folder_ / "y"));
    // Left hands and BVH's two forms are taken at their word.
    EXPECT_EQ(run_tool("convert " + in + out + " --hand left").exit, 0);
    const Scene mirrored = read_scene(folder_ / "x.glb").value().scene;
    EXPECT_NEAR(mirrored.nodes[1].local.t.y, 0.5, 1e-6);
    for (const char* one : {"--places instead", "--places added", "--frames all"})
        EXPECT_EQ(run_tool("convert --replace " + bvh + out + " " + one).exit, 0) << one;
}

}  // namespace
}  // namespace mellow::tool_json_test
