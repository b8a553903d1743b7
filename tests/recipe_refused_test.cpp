// What recipes, tables of cues and motion files are refused for, or what is said of them, each
// with the place and with what would be right; and what is taken although it is seldom written.
#include <fmt/format.h>

#include <nlohmann/json.hpp>

#include "mellow/crate.h"
#include "mellow/read.h"
#include "mellow/write.h"
#include "plain_gltf.h"
#include "small_figure.h"

namespace mellow::recipe_refused_test {
namespace {

using nlohmann::json;
using namespace test;
using test::read_text;
using namespace testing;

template <class Result>
std::string why(const Result& result) {
    return result.ok() ? "nothing is wrong" : text_of(result.failures());
}

class RefusedTest : public test::SmallFigure {
  protected:
    static test::Keyed turning(int node = 0) {
        return keyed(node, "rotation", 48, [](int f) {
            return Three{0, std::sin(f / 48.0), 0, std::cos(f / 48.0)};
        });
    }
    /// A recipe of a figure and of motion files beside it.
    static std::string with_sources(const std::string& sources, const std::string& clips,
                                    const std::string& more = "") {
        return "[figure]\nfile = \"figure.glb\"\n" + more +
               "[output]\nfolder = \"out\"\npicture = false\n[target]\nrate = 24\n" + sources +
               clips;
    }
    Result<PackReport> packed(const std::string& text) { return pack_text(folder_, text, true); }
};

TEST_F(RefusedTest, SourcesAndTimelinesThatDoNotFit) {
    write_bytes(folder_ / "figure.glb", figure({turning()}));
    std::filesystem::create_directories(folder_ / "m");
    for (const char* file : {"m/a.glb", "m/b.glb"})
        write_bytes(folder_ / file, figure({turning()}));
    const std::string many = "[[source]]\nname = \"m\"\nfile = \"m/*.glb\"\nrate = 24\n";
    EXPECT_THAT(
        why(packed(with_sources(many, "[[clip]]\nname = \"c\"\nsource = \"m\"\nrange = [0, 9]\n"))),
        AllOf(HasSubstr("source \"m\" has 2 files"), HasSubstr("[[clips]]")));
    EXPECT_THAT(
        why(packed(with_sources(many, "[[clip]]\nname = \"c\"\nsource = \"n\"\nrange = [0, 9]\n"))),
        HasSubstr("\"n\""));
    EXPECT_THAT(why(packed(with_sources(many, "[[clips]]\nsource = \"m\"\nmatch = \"z*\"\n"))),
                HasSubstr("z*"));
    EXPECT_THAT(why(packed(change(recipe("range = [0, 9]\n"), "[[clip]]",
                                  "[[timelines]]\nmatch = \"jump*\"\n[[clip]]"))),
                HasSubstr("no timeline fits \"jump*\""));
    EXPECT_THAT(why(packed(change(recipe("range = [0, 9]\n"), "[[clip]]\nname = \"c\"",
                                  "[[timelines]]\n[[clip]]\nname = \"Move\""))),
                HasSubstr("would be a second clip \"move\""));
    // A node that is not there, to drive the root by.
    EXPECT_THAT(
        why(packed(recipe("range = [0, 9]\n", "[travel]\nroot = \"root\"\nnode = \"hip\"\n"))),
        AllOf(HasSubstr("no node \"hip\""), HasSubstr("hips")));
    // Parts without length, loops that would be looked for without end.
    EXPECT_THAT(
        why(packed(recipe("[[clip.part]]\nrange = [3, 3]\n[[clip.part]]\nrange = [0, 9]\n"))),
        AllOf(HasSubstr("range-empty"), HasSubstr("part 1")));
    EXPECT_THAT(why(packed(recipe("range = [0, 24]\nrepeat = 9999\nstretch = 1000\nfit = true\n"))),
                AllOf(HasSubstr("9.999e+06 s"), HasSubstr("fewer repeats")));
}

TEST_F(RefusedTest, NamesAreSuggestedAsTheRecipeCallsThem) {
    Scene scene = test::read_tiny(figure({turning()})).value().scene;
    for (Node& node : scene.nodes) node.name = "rig:" + node.name;
    write_bytes(folder_ / "figure.glb", write_glb(scene));
    const auto layer = [&](const std::string& node) {
        return packed(recipe("range = [0, 9]\n", "", "strip_prefix = \"rig:\"\n") +
                      "[[layer]]\nkind = \"offset\"\naxis = \"+X\"\ndegrees = 5\nnodes = [\"" +
                      node + "\"]\n");
    };
    EXPECT_THAT(why(layer("haed")), HasSubstr("did you mean \"head\"?"));
    EXPECT_THAT(layer("head"), IsOk());
}

TEST_F(RefusedTest, NamesOfTimelinesBecomeNamesOfFiles) {
    Scene scene = test::read_tiny(figure({turning()})).value().scene;
    scene.timelines[0].name = "day one: go";
    write_bytes(folder_ / "figure.glb", write_glb(scene));
    const auto report = packed(change(recipe(""), "[[clip]]\nname = \"c\"\n", "[[timelines]]\n"));
    ASSERT_THAT(report, IsOk());
    const Findings named = of_code(report.value(), Code::kDefaultName);
    ASSERT_THAT(named, SizeIs(1));
    EXPECT_THAT(named[0].found, HasSubstr("\"day one: go\" became clip \"" +
                                          report.value().clips.at(0).clip.name + "\""));
    write_bytes(folder_ / "m.glb", write_glb(scene));
    scene.timelines.clear();
    write_bytes(folder_ / "figure.glb", write_glb(scene));
    const auto more = packed(with_sources("[[source]]\nname = \"m\"\nfile = \"m.glb\"\nrate = 24\n",
                                          "[[clips]]\nsource = \"m\"\nname = \"{timeline}\"\n"));
    ASSERT_THAT(more, IsOk());
    EXPECT_EQ(more.value().clips.at(0).clip.name, report.value().clips.at(0).clip.name);
}

TEST_F(RefusedTest, TheRootIsDrivenByANodeOfTheScene) {
    // The hips go up and down by themselves; a handle goes ahead and turns.
    const auto bob = keyed(0, "translation", 24, [](int f) {
        return Three{0.01 * f, 1 + 0.1 * std::sin(f / 4.0), 0.04 * f};
    });
    const auto handle = keyed(3, "translation", 24, [](int f) { return Three{0, 0, 0.04 * f}; });
    const PackReport report =
        pack({bob, handle},
             recipe("range = [0, 24]\n", "[travel]\nroot = \"root\"\nnode = \"handle\"\n"),
             R"(,{"name":"handle"})", ",3");
    EXPECT_TRUE(report.proven);
    const std::string file = read_text(folder_ / "out/clips/c.glb");
    for (const int k : {0, 9, 24}) {
        const auto worlds = test::plain_gltf_worlds(file, "c", k);
        EXPECT_NEAR(worlds.at("root").world[2][3], 0.04 * k, 1e-6);
        EXPECT_NEAR(worlds.at("root").world[1][3], 0, 1e-6);
        EXPECT_NEAR(worlds.at("hips").world[0][3], 0.01 * k, 1e-6);
        EXPECT_NEAR(worlds.at("hips").world[1][3], 1 + 0.1 * std::sin(k / 4.0), 1e-6);
    }
}

TEST_F(RefusedTest, MotionFilesThatHoldSomethingElse) {
    write_bytes(folder_ / "figure.glb", figure({}));
    const std::string source = "[[source]]\nname = \"m\"\nfile = \"m.glb\"\nrate = 24\n",
                      clips = "[[clips]]\nsource = \"m\"\n";
    Scene motion = test::read_tiny(figure({turning(), turning(1)})).value().scene;
    const auto tried = [&](const std::function<void(Scene&)>& spoil, const std::string& more = "") {
        Scene other = motion;
        spoil(other);
        write_bytes(folder_ / "m.glb", write_glb(other));
        return packed(with_sources(source + more, clips));
    };
    EXPECT_THAT(why(tried([](Scene& s) { s.timelines.clear(); })),
                AllOf(HasSubstr("no timeline in the file"), HasSubstr("m.glb")));
    const auto extra = tried([](Scene& s) {
        Node hat;
        hat.name = "hat", hat.parent = 1;
        s.nodes.push_back(hat);
        s.timelines[0].channels.push_back(
            {3, Path::kTranslation, {Interpolation::kLinear, 3, {0, 1}, {0, 0, 0, 1, 0, 0}}});
    });
    ASSERT_THAT(extra, IsOk());
    EXPECT_THAT(text_of(of_code(extra.value(), Code::kLeftOut)),
                HasSubstr("no joints of the figure: hat"));
    // Axes that rest turned by a quarter, where places agree.
    const auto turned = [](Scene& s) {
        s.nodes[1].local.r = from_axis_angle({0, 1, 0}, M_PI / 2);
        s.timelines[0].channels.pop_back();
    };
    EXPECT_THAT(
        why(tried(turned, "rest = \"refuse\"\n")),
        AllOf(HasSubstr("m.glb, joint \"head\""), HasSubstr("1 joints whose axes rest turned"),
              HasSubstr("90.0 degrees"), HasSubstr("rest = \"source\"")));
    const auto taken = tried(turned);
    ASSERT_THAT(taken, IsOk());
    EXPECT_TRUE(taken.value().proven);
    EXPECT_THAT(text_of(taken.value().findings), HasSubstr("taken over"));
    // Cues at a joint that is not there.
    const auto cued = tried([](Scene& s) {
        s.timelines[0].extras =
            R"({"cues":[{"name":"snip","seconds":0.25,"joint":"hand"},{"name":"tap","seconds":0.5,"joint":"head"}]})";
    });
    ASSERT_THAT(cued, IsOk());
    EXPECT_THAT(text_of(of_code(cued.value(), Code::kMissingJoint)),
                HasSubstr("cues at joints that the figure does not have: hand"));
    ASSERT_THAT(cued.value().clips.at(0).clip.cues, SizeIs(2));
    EXPECT_EQ(cued.value().clips[0].clip.cues[0].joint, "");
    EXPECT_EQ(cued.value().clips[0].clip.cues[1].joint, "head");
    // Keys of controls that the figure lacks, beside those that it has.
    Scene rigged = test::read_tiny(figure({}, R"(,{"name":"handle","translation":[0,1,0]})", ",3"))
                       .value()
                       .scene;
    write_bytes(folder_ / "figure.glb", write_glb(rigged));
    write_text(folder_ / "a.rig.toml",
               "[[rule]]\nkind = \"follow\"\nnode = \"hips\"\nsource = \"handle\"\n");
    Node knob;
    knob.name = "knob";
    rigged.nodes.push_back(knob);
    rigged.roots.push_back(4);
    rigged.timelines.push_back({"move", {}, {}, {}, {}});
    for (const int node : {3, 4})
        rigged.timelines[0].channels.push_back(
            {node, Path::kTranslation, {Interpolation::kLinear, 3, {0, 1}, {0, 1, 0, 1, 1, 0}}});
    write_bytes(folder_ / "m.glb", write_glb(rigged));
    const auto controls = packed(with_sources(source, clips, "rig = \"a.rig.toml\"\n"));
    ASSERT_THAT(controls, IsOk());
    EXPECT_THAT(text_of(of_code(controls.value(), Code::kMissingJoint)),
                HasSubstr("keys of nodes that the figure does not have: knob"));
    const auto end = test::plain_gltf_worlds(read_text(folder_ / "out/clips/m.glb"), "m", 24);
    EXPECT_NEAR(end.at("hips").world[0][3], 1, 1e-6);
}

TEST_F(RefusedTest, TablesOfCuesAreReadCellByCell) {
    write_bytes(folder_ / "figure.glb", figure({turning()}));
    const std::string text = recipe("range = [0, 24]\n") + "[[cues]]\nfile = \"cues.csv\"\n";
    const auto cues = [&](const std::string& table) {
        write_text(folder_ / "cues.csv", table);
        return packed(text);
    };
    const auto good =
        cues("name,at,to,joint,note\r\n\"a \"\"b\"\", c\",6,,head,loud\n\nspan,12,18,,\n");
    ASSERT_THAT(good, IsOk());
    const auto& two = good.value().clips.at(0).clip.cues;
    ASSERT_THAT(two, SizeIs(2));
    EXPECT_EQ(two[0].name, "a \"b\", c");
    EXPECT_NEAR(two[0].first, 0.25, 1e-12);
    EXPECT_EQ(two[0].first, two[0].last);
    EXPECT_EQ(two[0].joint, "head");
    EXPECT_EQ(two[0].tags.at(0), (std::pair<std::string, std::string>{"note", "loud"}));
    EXPECT_NEAR(two[1].last, 0.75, 1e-12);
    EXPECT_THAT(two[1].tags, IsEmpty());
    for (const auto& [table, part] : {std::pair("name,to\nx,1\n", "no column \"at\""),
                                      {"at\n1\n", "no column \"name\""},
                                      {"name,at\nx,soon\n", "\"soon\""},
                                      {"name,at\nx,1e10\n", "\"1e10\""},
                                      {"name,at\nx,1,2\n", "3 cells"},
                                      {"name,at\n,1\n", "name \"\""},
                                      {"name,at,to\nx,5,4\n", "no end before the beginning"}})
        EXPECT_THAT(why(cues(table)), AllOf(HasSubstr(part), HasSubstr("cues.csv:"))) << table;
    write_text(folder_ / "cues.json",
               R"({"cues":[{"name":"x","at":6,"to":9,"tags":{"a":"b"},"values":{"v":1.5}}]})");
    const auto told = packed(change(text, "cues.csv", "cues.json"));
    ASSERT_THAT(told, IsOk());
    const Cue& cue = told.value().clips.at(0).clip.cues.at(0);
    EXPECT_EQ(cue.tags.at(0), (std::pair<std::string, std::string>{"a", "b"}));
    EXPECT_EQ(cue.values.at(0), (std::pair<std::string, double>{"v", 1.5}));
    EXPECT_NEAR(cue.last, 9 / 24.0, 1e-12);
    for (const auto& [bytes, part] :
         {std::pair(R"({"cue":[]})", "there is no list of them"),
          {R"({"cues":[{"name":"x","at":6,"to":5}]})", "it is before at"},
          {R"({"cues":[{"at":6}]})", "name"},
          {"[", "cues.json"}}) {
        write_text(folder_ / "cues.json", bytes);
        EXPECT_THAT(why(packed(change(text, "cues.csv", "cues.json"))),
                    AllOf(HasSubstr(part), HasSubstr("cues.json")))
            << bytes;
    }
}

}  // namespace
}  // namespace mellow::recipe_refused_test
