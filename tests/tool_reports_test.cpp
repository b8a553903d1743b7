// What the tool says of files and runs, against numbers that are known: counts, units, signs,
// order, and that what stands there is not written over.
#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>

#include "small_figure.h"
#include "this_build.h"

namespace mellow::tool_reports_test {
namespace {

using nlohmann::json;
using namespace test;
using test::read_text;
using namespace testing;
namespace fs = std::filesystem;

class ShownTest : public testing::Test {
  protected:
    std::string path(const std::string& name) const {
        return "'" + (folder_ / name).string() + "'";
    }
    /// Two seconds at 24 frames a second in which the hips stand, jump by a metre after frame 20,
    /// and stand again.
    void write_jump(const std::string& name) {
        write_bytes(folder_ / name, figure({test::keyed(0, "translation", 48, [](int f) {
                        return Three{f > 20 ? 1.0 : 0.0, 1, 0};
                    })}));
    }
    /// A figure whose hips go up and down, and a recipe for its clip.
    void write_job() {
        write_bytes(folder_ / "figure.glb", figure({test::keyed(0, "translation", 48, [](int f) {
                        return Three{0, 1 + 0.01 * std::sin(f / 4.0), 0};
                    })}));
        write_text(folder_ / "a.recipe.toml", test::recipe("range = [0, 20]\n"));
    }
    TempFolder folder_;
};

TEST_F(ShownTest, FramesSamplesCutsAndAnAssumedRate) {
    write_jump("a.glb");
    const auto run = run_tool("describe " + path("a.glb"));
    EXPECT_EQ(run.exit, 0) << run.err;
    EXPECT_THAT(run.out, HasSubstr("frames 0..48, 49 samples, 48 intervals, 2.0000 s at 24/s"));
    const json upside = json::parse(run_tool("describe --json --up -Y " + path("a.glb")).out);
    EXPECT_NEAR(upside["height_m"].get<double>(), 1.7, 1e-6) << "whichever way is up";
    EXPECT_THAT(run.out, HasSubstr("; cuts after 20\n"));
    EXPECT_THAT(run.out, HasSubstr("frames at 24/s\n")) << "24/s is what the keys say";
    write_text(folder_ / "still.gltf", R"({"asset":{"version":"2.0"},"nodes":[{}]})");
    EXPECT_THAT(run_tool("describe " + path("still.gltf")).out, HasSubstr("/s (assumed)\n"));
    const json told = json::parse(run_tool("describe --json " + path("a.glb")).out);
    EXPECT_EQ(told["nodes"][0]["parent"], -1);
    EXPECT_EQ(told["nodes"][1]["parent"], 0);
    EXPECT_EQ(told["nodes"][1]["name"], "head");
}

TEST_F(ShownTest, ARigIsToldByWhatItMoves) {
    write_bytes(folder_ / "a.glb", figure({test::keyed(3, "translation", 8,
                                                       [](int f) {
                                                           return Three{0.1 * f, 1, 0};
                                                       })},
                                          R"(,{"name":"handle","translation":[0,1,0]})", ",3"));
    write_text(folder_ / "a.rig.toml",
               "[[rule]]\nkind = \"follow\"\nnode = \"hips\"\nsource = \"handle\"\n");
    const auto bare = run_tool("describe " + path("a.glb"));
    const auto run = run_tool("describe " + path("a.glb") + " --rig " + path("a.rig.toml"));
    EXPECT_EQ(run.exit, 0) << run.err;
    EXPECT_THAT(bare.out, HasSubstr("[unbaked]"));
    EXPECT_THAT(run.out, Not(HasSubstr("[unbaked]"))) << "the sheet is what was missing";
    EXPECT_THAT(run.out, HasSubstr("  head: no keys, no rule; goes with hips\n"));
    write_text(folder_ / "b.rig.toml",
               "[[rule]]\nkind = \"follow\"\nnode = \"head\"\nsource = \"handle\"\n");
    const auto other = run_tool("describe " + path("a.glb") + " --rig " + path("b.rig.toml"));
    EXPECT_THAT(other.out, HasSubstr("  hips: nothing moves it\n"));
    EXPECT_THAT(other.out, HasSubstr("nothing moves the deform joints hips"));
}

TEST_F(ShownTest, FilesComeInOrderAndPatternsMustFit) {
    for (const char* name : {"d.glb", "a.glb", "e.glb", "c.glb", "b.glb", "f.glb"})
        write_jump(name);
    const std::string folder = folder_.path().string();
    for (const std::string& asked : {"'" + folder + "'", "'" + folder + "/*.glb'"}) {
        const auto run = run_tool("describe --json " + asked);
        EXPECT_EQ(run.exit, 0);
        std::string names;
        const json told = json::parse(run.out);
        for (const json& file : told["files"])
            names += fs::path(file["file"].get<std::string>()).stem().string();
        EXPECT_EQ(names, "abcdef");
    }
    const auto none = run_tool("describe '" + folder + "/g*.glb'");
    EXPECT_EQ(none.exit, 3);
    EXPECT_THAT(none.err, HasSubstr("no file fits the pattern"));
    write_text(folder_ / "a.glb", "broken");
    EXPECT_EQ(run_tool("describe '" + folder + "/a.glb' '" + folder + "/b.glb'").exit, 3)
        << "also where the last one is sound";
}

TEST_F(ShownTest, TablesNameWarningsAndNoNotes) {
    write_jump("a.glb");
    // One id twice is a note; a version that nobody knows a warning.
    const auto dae = [](const std::string& version) {
        return "<COLLADA version=\"" + version +
               "\"><library_visual_scenes><visual_scene id=\"s\"><node id=\"n\"/><node id=\"n\"/>"
               "</visual_scene></library_visual_scenes><scene><instance_visual_scene url=\"#s\"/>"
               "</scene></COLLADA>";
    };
    write_text(folder_ / "n.dae", dae("1.4.1"));
    const std::string both = path("a.glb") + " " + path("n.dae");
    EXPECT_THAT(run_tool("describe " + path("n.dae")).out, HasSubstr("note[assumed]"));
    const auto run = run_tool("describe " + both);
    EXPECT_THAT(run.out, HasSubstr("\n2 files, 1 timelines, 49 samples, 2.000 s\n"));
    EXPECT_THAT(run.out, Not(HasSubstr("assumed")));
    write_text(folder_ / "n.dae", dae("3"));
    EXPECT_THAT(run_tool("describe " + both).out, HasSubstr("assumed"));
}

TEST_F(ShownTest, TheDemoWritesOverNothing) {
    const std::string demo = "demo --quiet " + path("d");
    ASSERT_EQ(run_tool(demo + " --data-only").exit, 0);
    write_text(folder_ / "d/tamsin.rig.toml", "mine");
    const auto again = run_tool(demo + " --data-only");
    EXPECT_EQ(again.exit, 4);
    EXPECT_THAT(again.err, HasSubstr("output-exists"));
    EXPECT_EQ(read_text(folder_ / "d/tamsin.rig.toml"), "mine");
    // Nor over a crate that stands where the first one goes.
    const TempFolder other;
    ASSERT_EQ(run_tool("demo --quiet --data-only '" + (other / "d").string() + "'").exit, 0);
    ASSERT_EQ(run_tool("pack --quiet '" + (other / "d/tamsin.recipe.toml").string() + "'").exit, 0);
    for (const auto& entry : fs::directory_iterator(other / "d"))
        if (entry.path().filename() != "crates") fs::remove_all(entry.path());
    write_text(other / "d/crates/tamsin/report.txt", "mine");
    EXPECT_EQ(run_tool("demo --quiet '" + (other / "d").string() + "'").exit, 4);
    EXPECT_EQ(read_text(other / "d/crates/tamsin/report.txt"), "mine");
}

TEST_F(ShownTest, CuesStandOnTheRowsOfTheirSource) {
    write_jump("figure.glb");
    write_jump("m.glb");
    const auto drawn = [&](const std::string& cue) {
        write_text(folder_ / "a.recipe.toml",
                   test::recipe("range = [0, 20]\n") +
                       "[[clip]]\nname = \"d\"\nsource = \"m\"\nrange = [0, 20]\n" + cue);
        std::string text = read_text(folder_ / "a.recipe.toml");
        text = test::change(text, "[source]\nfile = \"figure.glb\"",
                            "[figure]\nfile = \"figure.glb\"\n[[source]]\nname = \"m\"\nfile = "
                            "\"m.glb\"\n");
        write_text(folder_ / "a.recipe.toml", text);
        const auto run = run_tool("view --what timeline --replace " + path("a.recipe.toml") +
                                  " -o " + path("a.png"));
        EXPECT_EQ(run.exit, 0) << run.err;
        return read_text(folder_ / "a.png");
    };
    const std::string none = drawn(""), figure = drawn("[[cue]]\nname = \"x\"\nat = 5\n"),
                      other = drawn("[[cue]]\nname = \"x\"\nat = 5\nsource = \"m\"\n");
    EXPECT_NE(none, figure);
    EXPECT_NE(none, other);
    EXPECT_NE(figure, other);
}

TEST_F(ShownTest, ProgressIsForTerminalsAndForThoseWhoWantIt) {
    write_jump("a.glb");
    write_jump("b.glb");
    const auto on_terminal = [&](const std::string& arguments) {
        write_text(folder_ / "go.sh", "'" + test::tool() + "' " + arguments + "\n");
        EXPECT_EQ(std::system(("script -qec 'sh " + (folder_ / "go.sh").string() + "' " +
                               (folder_ / "typed").string() + " </dev/null >/dev/null 2>&1")
                                  .c_str()),
                  0);
        return read_text(folder_ / "typed");
    };
    const std::string both = path("a.glb") + " " + path("b.glb");
    EXPECT_THAT(on_terminal("describe " + both), HasSubstr("\r\033[K0 of 2 files\r\033[K"));
    EXPECT_THAT(on_terminal("describe --quiet " + both), Not(HasSubstr("0 of 2")));
    EXPECT_THAT(run_tool("describe " + both).err, Not(HasSubstr("0 of 2")));
}

TEST_F(ShownTest, PicturesStayOutOfCratesAndFindingsAreTold) {
    write_job();
    ASSERT_EQ(run_tool("pack --quiet " + path("a.recipe.toml")).exit, 0);
    for (const char* file : {"out/a.png", "out/clips/a.html", "out/./b/../a.png"}) {
        const auto run = run_tool("view " + path("out") + " -o " + path(file));
        EXPECT_EQ(run.exit, 4) << file;
        EXPECT_THAT(run.err, HasSubstr("a place within the crate")) << file;
        EXPECT_FALSE(fs::exists(folder_ / file));
    }
    EXPECT_EQ(run_tool("view " + path("out") + " -o " + path("out.html")).exit, 0);
    // What reading found is told beside the page: here a material whose picture is not there.
    write_text(folder_ / "n.gltf",
               R"({"asset":{"version":"2.0"},"nodes":[{"name":"n"}],"images":[{"uri":"no.png"}],)"
               R"("textures":[{"source":0}],"materials":[{"pbrMetallicRoughness":)"
               R"({"baseColorTexture":{"index":0}}}]})");
    const auto shown = run_tool("view " + path("n.gltf") + " -o " + path("n.html"));
    EXPECT_EQ(shown.exit, 0) << shown.err;
    EXPECT_THAT(shown.err, HasSubstr("no.png"));
}

TEST_F(ShownTest, LimitsOfTheSystemAreSaidAndLeaveNothing) {
    write_job();
    const auto full = run_tool("pack " + path("a.recipe.toml"), "ulimit -f 2;");
    EXPECT_EQ(full.exit, 4) << full.err;
    EXPECT_THAT(full.err, HasSubstr("File too large"));
    EXPECT_FALSE(fs::exists(folder_ / "out"));
    if (!test::sanitized()) {
        write_text(folder_ / "big.glb", "glTF");
        fs::resize_file(folder_ / "big.glb", 600'000'000);
        const auto small = run_tool("describe " + path("big.glb"), "ulimit -v 500000;");
        EXPECT_EQ(small.exit, 3) << small.err;
        EXPECT_THAT(small.err, HasSubstr("more memory is needed"));
    }
    // Told to end, it takes away what it has begun.
    write_text(folder_ / "end.sh",
               "\"$1\" demo \"$2\" --quiet & p=$!\n"
               "for i in $(seq 1000); do [ -n \"$(ls -A \"$2/crates\" 2>/dev/null)\" ] && break\n"
               "sleep 0.005; done\nkill -TERM $p; wait $p; echo $?\n");
    const std::string demo = (folder_ / "demo").string();
    EXPECT_EQ(std::system(fmt::format("sh {} '{}' '{}' >{}", path("end.sh"), test::tool(), demo,
                                      path("ended"))
                              .c_str()),
              0);
    EXPECT_EQ(read_text(folder_ / "ended"), "143\n");
    for (const auto& entry : fs::recursive_directory_iterator(folder_ / "demo"))
        EXPECT_EQ(entry.path().string().find(".partial"), std::string::npos) << entry.path();
    // A reader that went away is no reason to die at once, nor to say anything.
    run_tool("help pack; echo $? >" + path("exit") + " ) 2>" + path("said") + " | true",
             "( sleep 0.3;");
    EXPECT_EQ(read_text(folder_ / "exit"), "4\n");
    EXPECT_EQ(read_text(folder_ / "said"), "");
}

}  // namespace
}  // namespace mellow::tool_reports_test
