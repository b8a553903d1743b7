// Faults of a figure, of its motion and of what a recipe asks of them, told with what mends them.
#include <cmath>
#include <numbers>

#include "mellow/stock.h"
#include "mellow/write.h"
#include "small_figure.h"

namespace mellow {
namespace {

using namespace test;
using namespace testing;

class RemedyTest : public SmallFigure {
  protected:
    /// The head turned about Y by degrees of the frame.
    template <class Degrees>
    static Keyed nod(int frames, Degrees degrees) {
        return keyed(1, "rotation", frames, [=](int f) {
            const double half = degrees(f) * std::numbers::pi / 360;
            return std::vector<double>{0, std::sin(half), 0, std::cos(half)};
        });
    }
    template <class Change>
    void write(const char* file, const std::vector<Keyed>& keys, Change change) {
        write_bytes(folder_ / file, figure(keys));
        Scene scene = read_scene(folder_ / file).value().scene;
        change(scene);
        const auto bytes = write_glb(scene);
        write_bytes(folder_ / file, {bytes.begin(), bytes.end()});
    }
    Findings said(const std::string& text, Code code) {
        const auto report = pack_text(folder_, text, true);
        if (report) return of_code(report.value(), code);
        Findings all = report.failures();
        std::erase_if(all, [&](const Finding& f) { return f.code != code; });
        return all;
    }
};

TEST_F(RemedyTest, ATurnThereAndBackInASampleIsASpikeThatNoRateMends) {
    const auto spiked = [&](double degrees, int frame = 10) {
        return pack({nod(24, [=](int f) { return f == frame ? degrees : f * 0.4; })},
                    recipe("range = [0, 24]\n"));
    };
    for (const double degrees : {170, 110}) {
        const PackReport report = spiked(degrees);
        const Findings pops = of_code(report, Code::kPop);
        ASSERT_THAT(pops, SizeIs(1));
        EXPECT_EQ(pops[0].found, fmt::format("turns by {:.0f} degrees at sample 10 and back at the "
                                             "next",
                                             degrees - 3.6));
        EXPECT_THAT(of_code(report, Code::kFastTurn), SizeIs(0));
    }
    EXPECT_THAT(of_code(spiked(80), Code::kPop), SizeIs(0)) << "less than a quarter turn";
    EXPECT_THAT(of_code(spiked(110, 0), Code::kPop), SizeIs(0)) << "a beginning of its own";
    const PackReport wheel =
        pack({nod(24, [](int f) { return 170.0 * f; })}, recipe("range = [0, 24]\n"));
    EXPECT_THAT(of_code(wheel, Code::kPop), SizeIs(0));
    EXPECT_THAT(of_code(wheel, Code::kFastTurn), SizeIs(1));
}

TEST_F(RemedyTest, ScalesThatWaverAreToldAndLeftOut) {
    const auto wavers = [&](double part, bool even) {
        std::vector<Keyed> keys{nod(24, [](int f) { return f * 1.0; })};
        for (const int node : {0, 1})
            keys.push_back(keyed(node, "scale", 24, [=](int f) {
                const double x = 1 + part * std::sin(f * 1.7 + node);
                return Three{x, even ? x : 1 + part * std::sin(f * 2.3), even ? x : 1};
            }));
        write_bytes(folder_ / "figure.glb", figure(keys));
        return take_stock(read_scene(folder_ / "figure.glb").value().scene).findings;
    };
    const auto noise = Field(&Finding::code, Code::kScaleNoise);
    EXPECT_THAT(wavers(0.02, true), Not(Contains(noise)));
    EXPECT_THAT(wavers(0.2, false), Not(Contains(noise))) << "nobody calls that noise";
    EXPECT_THAT(wavers(0.02, false),
                Contains(AllOf(noise, Field(&Finding::found,
                                            "the scale of 2 joints wavers, unevenly, by at most 2 "
                                            "%"))));
    const Findings told = said(recipe("range = [0, 24]\n"), Code::kScaleNoise);
    ASSERT_THAT(told, SizeIs(1));
    EXPECT_THAT(told[0].remedy, StartsWith("scale_keys = \"leave-out\"   # under [source]"));
    const auto report =
        pack_text(folder_, recipe("range = [0, 24]\n", "", "scale_keys = \"leave-out\"\n"), true);
    ASSERT_THAT(report, IsOk());
    EXPECT_THAT(of_code(report.value(), Code::kScaleNoise), SizeIs(0));
    const Scene clip = read_scene(folder_ / "out/clips/c.glb").value().scene;
    for (const Channel& c : clip.timelines[0].channels)
        for (std::size_t i = 0; c.path == Path::kScale && i < c.curve.values.size(); ++i)
            EXPECT_EQ(c.curve.values[i], 1);
}

TEST_F(RemedyTest, SizesThatKeysChangeAboveTheJointsAreSaid) {
    const auto said_of = [&](double most) {
        write("figure.glb", {nod(24, [](int f) { return 1.0 * f; })}, [&](Scene& scene) {
            Node above;
            above.name = "rig";
            scene.nodes.push_back(above);
            scene.nodes[0].parent = 3;
            scene.roots = {2, 3};
            Channel grows = scene.timelines[0].channels[0];
            grows.node = 3, grows.path = Path::kScale;
            grows.curve = {Interpolation::kLinear, 3, {0, 1}, {1, 1, 1, most, most, most}};
            scene.timelines[0].channels.push_back(grows);
        });
        return said(recipe("range = [0, 24]\n"), Code::kScaledNode);
    };
    ASSERT_THAT(said_of(1.25), SizeIs(1));
    EXPECT_THAT(said_of(1.25)[0].found, HasSubstr("rig from 1 to 1.25 in \"move\""));
    EXPECT_THAT(said_of(1.005), SizeIs(0));
}

TEST_F(RemedyTest, WhatStaysBehindIsNamedInTheLineThatDropsIt) {
    const std::string travels = "range = [0, 24]\ntravel = [\"ground\"]\n";
    write("figure.glb", {going(24, 2)}, [](Scene& scene) {
        for (const char* name : {"bucket", "shot"}) {
            scene.nodes.push_back({});
            scene.nodes.back().name = name;
            scene.roots.push_back(static_cast<int>(scene.nodes.size()) - 1);
        }
        scene.nodes[3].mesh = static_cast<int>(scene.meshes.size());
        Mesh& mesh = scene.meshes.emplace_back();
        mesh.name = "bucket";
        mesh.primitives.emplace_back().positions = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}};
        scene.cameras.emplace_back(
            R"({"type":"perspective","perspective":{"yfov":0.7,"znear":1}})");
        scene.nodes[4].camera = 0;
    });
    // Scenery cannot hang on a root that travels: what is proposed is what can be done.
    const Findings scenery = said(recipe(travels), Code::kLeftOut);
    ASSERT_THAT(scenery, Not(IsEmpty()));
    EXPECT_THAT(scenery[0].remedy, StartsWith("drop = [\"bucket\"]   # under [joints]"));
    EXPECT_THAT(said(recipe("range = [0, 24]\n"), Code::kLeftOut)[0].remedy,
                StartsWith("static_meshes = \"keep\""));
    EXPECT_THAT(said(recipe(travels, "[joints]\ndrop = [\"bucket\"]\n"), Code::kLeftBehind),
                SizeIs(0));
    // Kept it is a joint with its mesh, which stays where it is.
    const std::string keep = "[joints]\nkeep = [\"bucket\"]\n";
    const Findings behind = said(recipe(travels, keep), Code::kLeftBehind);
    ASSERT_THAT(behind, SizeIs(1));
    EXPECT_THAT(behind[0].remedy, HasSubstr("drop = [\"below:bucket\"]   # under [joints]"));
    const std::string may_stay = keep + "[checks]\nleft-behind = \"off\"\n";
    EXPECT_THAT(said(recipe("range = [0, 24]\n", may_stay), Code::kLeftOut), SizeIs(0));
    EXPECT_THAT(read_scene(folder_ / "out/figure.glb").value().scene.meshes, SizeIs(2));
    const Findings camera = said(recipe(travels, "[travel]\nhips = \"shot\"\n"), Code::kValueBad);
    ASSERT_THAT(camera, SizeIs(1));
    EXPECT_EQ(camera[0].found, "\"shot\" is a camera");
    EXPECT_EQ(camera[0].remedy, "hips = \"hips\"   # under [travel]");
}

TEST_F(RemedyTest, JointsWhoseWeightsWentToOthersAreKeptByThePastedLine) {
    write_bytes(folder_ / "figure.glb", figure({nod(24, [](int f) { return 3.0 * f; })}));
    const std::string dropped = "[joints]\ndrop = [\"head\"]\n";
    const Findings off = said(recipe("range = [0, 24]\n", dropped), Code::kInfluences);
    ASSERT_THAT(off, SizeIs(1));
    EXPECT_THAT(off[0].remedy, StartsWith("keep = [\"head\"]   # under [joints]"));
    EXPECT_THAT(off[0].remedy, Not(HasSubstr("more influences")));
    EXPECT_THAT(
        said(recipe("range = [0, 24]\n", dropped + "keep = [\"head\"]\n"), Code::kInfluences),
        SizeIs(0));
    EXPECT_THAT(
        said(recipe("range = [0, 24]\n", "[joints]\ndrop = [\"haed\"]\n"), Code::kNameUnknown)[0]
            .where.text(),
        HasSubstr("toml:"));
}

TEST_F(RemedyTest, ARateIsToldWhereItIsSaid) {
    write_bytes(folder_ / "figure.glb", figure({going(48, 0.2)}));
    const Findings told = said(recipe("range = [0, 24]\n", "", "rate = 25\n"), Code::kRateSuspect);
    ASSERT_THAT(told, SizeIs(1));
    EXPECT_THAT(told[0].where.text(), HasSubstr(":3, "));
    EXPECT_EQ(
        told[0].found,
        "keys that lie on the frames of 24/s, not of 25/s: 2 s are frames 0 to 48, not to 50");
}

TEST_F(RemedyTest, ARateThatIsWrongComesBeforeRangesThatEndElsewhere) {
    write_bytes(folder_ / "figure.glb", figure({going(48, 0.2)}));
    const auto wrong = pack_text(folder_, recipe("range = [0, 48]\n", "", "rate = 12\n"), true);
    ASSERT_THAT(wrong.failures(), SizeIs(2));
    EXPECT_EQ(wrong.failures()[0].code, Code::kRateSuspect);
    EXPECT_EQ(wrong.failures()[1].code, Code::kRangeOutside);
}

TEST_F(RemedyTest, MotionFilesNameTheJointThatRestsOtherwiseAndNamesThatAreNearlyRight) {
    write_bytes(folder_ / "figure.glb", figure({going(24, 1)}));
    write("motion.glb", {going(24, 1)}, [](Scene& scene) {
        Node toe;
        toe.name = "toe", toe.parent = 1, toe.local.t = {0, 0.2, 0};
        scene.nodes.push_back(toe);
        const double half = 20 * std::numbers::pi / 180;
        scene.nodes[1].local.r = {0, 0, std::sin(half), std::cos(half)};
    });
    write("figure.glb", {going(24, 1)}, [](Scene& scene) {
        Node toe;
        toe.name = "toes", toe.parent = 1, toe.local.t = {0, 0.2, 0};
        scene.nodes.push_back(toe);
    });
    const std::string text =
        "[figure]\nfile = \"figure.glb\"\n[joints]\nkeep = [\"toes\"]\n[[source]]\nname = "
        "\"m\"\nfile = \"motion.glb\"\n[output]\nfolder = \"out\"\npicture = false\n[target]\nrate "
        "= 24\n[[clip]]\nname = \"c\"\nsource = \"m\"\nrange = [0, 24]\n";
    const Findings missing = said(text, Code::kMissingJoint);
    ASSERT_THAT(missing, SizeIs(1));
    EXPECT_EQ(missing[0].remedy, "\"toe\" = \"toes\"   # under [rename], if that is the joint");
    const std::string renamed = "[rename]\n\"toe\" = \"toes\"\n" + text;
    EXPECT_THAT(said(renamed, Code::kMissingJoint), SizeIs(0));
    EXPECT_THAT(said(renamed, Code::kAssumed),
                Contains(Field(&Finding::found,
                               HasSubstr("1 joints turned, \"head\" the most, by 40.0 degrees"))));
}

TEST_F(RemedyTest, AllMistakesOfARigSheetAreToldInOneRun) {
    write_bytes(folder_ / "figure.glb", figure({going(24, 0.2)}));
    write_text(folder_ / "r.rig.toml",
               "[[rule]]\nkind = \"follow\"\nnode = \"haed\"\nsource = \"hips\"\nwieght = 1\n"
               "[[rule]]\nkind = \"follow\"\nnode = \"head\"\nsource = \"hip\"\n");
    const auto report =
        pack_text(folder_, recipe("range = [0, 24]\n", "", "rig = \"r.rig.toml\"\n"), true);
    std::string all = text_of(report.failures());
    for (const char* wrong : {"wieght", "haed", "\"hip\""}) EXPECT_THAT(all, HasSubstr(wrong));
}

TEST_F(RemedyTest, CorrectionsThatNobodySeesAndMeshesInEveryFileAreSaid) {
    write_bytes(folder_ / "figure.glb", figure({going(24, 0.2)}));
    const auto layer = [&](const std::string& what) {
        return said(
            recipe("range = [0, 24]\n[[layer]]\nkind = \"offset\"\nnodes = [\"head\"]\n" + what),
            Code::kNoEffect);
    };
    EXPECT_THAT(layer("axis = \"+X\"\ndegrees = 0.01\n"), SizeIs(1));
    EXPECT_THAT(layer("axis = \"+X\"\ndegrees = -1\nweights = [[0, 0], [24, 0.015]]\n"), SizeIs(1));
    EXPECT_THAT(layer("axis = \"+X\"\ndegrees = -1\nweights = [[0, 0], [24, 0.03]]\n"), SizeIs(0));
    EXPECT_THAT(layer("shift = [0, 0, 0.00005]\n"), SizeIs(1));
    EXPECT_THAT(layer("shift = [0, 0, 0.0005]\n"), SizeIs(0));
    const std::string more = "[[clip]]\nname = \"d\"\nrange = [0, 20]\n";
    const Findings told = said(recipe("range = [0, 24]\n" + more, "layout = \"clips-with-skin\"\n"),
                               Code::kMeshRepeated);
    ASSERT_THAT(told, SizeIs(1));
    const auto size = [&](const char* file) {
        return static_cast<double>(std::filesystem::file_size(folder_ / "out" / file));
    };
    const double all = size("clips/c.glb") + size("clips/d.glb");
    EXPECT_EQ(
        told[0].found,
        fmt::format("each of 2 clip files holds mesh and pictures: {:.0f} bytes, motion alone "
                    "would be {:.1f} times smaller",
                    all, all / (all - 2 * size("figure.glb"))));
    EXPECT_THAT(said(recipe("range = [0, 24]\n" + more), Code::kMeshRepeated), SizeIs(0));
    // Names of files as the target has them.
    const Findings named = said(
        change(recipe("range = [0, 24]\n", "name_case = \"lower\"\n"), "\"c\"", "\"Walk.Fast\""),
        Code::kAssumed);
    EXPECT_THAT(named, Contains(Field(&Finding::found, HasSubstr("Walk.Fast to "))));
}

TEST_F(RemedyTest, DraftsAreTheSameWhetherTheirFolderIsThereOrNot) {
    write_bytes(folder_ / "figure.glb", figure({going(24, 2)}));
    const auto drafted = [&](const std::string& into) {
        const std::string crate = (folder_ / into / "x").string();
        EXPECT_NE(run_tool("pack " + (folder_ / "figure.glb").string() + " -o " + crate).exit, 3);
        return read_text(crate + ".recipe.toml");
    };
    std::filesystem::create_directory(folder_ / "old");
    EXPECT_EQ(drafted("new"), drafted("old"));
    EXPECT_THAT(drafted("other/deep"), HasSubstr("travel = [\"ground\"]"));
    EXPECT_EQ(run_tool("draft nothing.glb -o " + (folder_ / "none/x.toml").string()).exit, 3);
    EXPECT_FALSE(std::filesystem::exists(folder_ / "none"));
}

TEST_F(RemedyTest, LoopsAreFoundOnTheGridAndLengthsMayBeSeconds) {
    // A round in 26 frames at 24/s is 32.5 samples at 30/s; two rounds are 65.
    write_bytes(folder_ / "figure.glb",
                figure({nod(70, [](int f) { return 20 * std::sin(f * std::numbers::pi / 13); })}));
    const auto ends = [&](const std::string& shortest) {
        const auto report =
            pack_text(folder_,
                      change(recipe("range = [0, 70]\nloop = \"find\"\n" + shortest), "rate = 24",
                             "rate = 30"),
                      true);
        EXPECT_THAT(report, IsOk());
        return report ? report.value().clips[0].plan.last_frame : 0;
    };
    EXPECT_EQ(ends("loop_shortest = 20\n"), 65) << "samples";
    EXPECT_EQ(ends("loop_shortest_seconds = 0.8\n"), 65);
    write_bytes(folder_ / "figure.glb", figure({nod(48, [](int f) { return 0.01 * f * f; })}));
    const auto joined = [&](const std::string& overlap) {
        const auto report = pack_text(
            folder_,
            recipe("[[clip.part]]\nrange = [0, 20]\n[[clip.part]]\nrange = [24, 48]\n" + overlap),
            true);
        EXPECT_THAT(report, IsOk());
        return read_text(folder_ / "out/clips/c.glb");
    };
    EXPECT_EQ(joined("overlap = 6\n"), joined("overlap_seconds = 0.25\n"));
    EXPECT_NE(joined("overlap = 6\n"), joined("overlap_seconds = 0.3\n"));
    EXPECT_THAT(pack_text(folder_,
                          recipe("[[clip.part]]\nrange = [0, 20]\n[[clip.part]]\nrange = [24, "
                                 "48]\noverlap = 6\noverlap_seconds = 0.25\n"),
                          true),
                FailsWith(Code::kValueBad, "overlap_seconds beside overlap"));
}

}  // namespace
}  // namespace mellow
