// What is asked for seldom: clips of clips, whole clips that are shaped, poses of other timelines
// laid over, parts without a partner, cues that nobody plays, conversions that lose something,
// targets that change.
#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>

#include "mellow/crate.h"
#include "mellow/draft.h"
#include "mellow/pictures.h"
#include "mellow/pose.h"
#include "mellow/read.h"
#include "mellow/write.h"
#include "plain_gltf.h"
#include "small_figure.h"

namespace mellow::seldom_test {
namespace {

using nlohmann::json;
using namespace test;
using test::read_text;
using namespace testing;

class SeldomTest : public test::SmallFigure {
  protected:
    /// The head turns about X by this many degrees at each frame.
    static test::Keyed nodding(const std::function<double(int)>& degrees, int frames = 48) {
        return keyed(1, "rotation", frames, [&](int f) {
            const double half = degrees(f) * M_PI / 360;
            return Three{std::sin(half), 0, 0, std::cos(half)};
        });
    }
    /// Degrees that the head of a clip is turned by at a sample.
    double nod(const std::string& clip, int sample) const {
        const auto worlds = test::plain_gltf_worlds(
            read_text(folder_ / ("out/clips/" + clip + ".glb")), clip, sample);
        const auto& m = worlds.at("head").world;
        return std::atan2(m[2][1], m[1][1]) * 180 / M_PI;
    }
    std::string path(const std::string& name) const {
        return "'" + (folder_ / name).string() + "'";
    }
};

TEST_F(SeldomTest, ClipsOfClipsOfClips) {
    const PackReport report = pack(
        {nodding([](int f) { return f; })},
        recipe("range = [0, 12]\n"
               "[[clip]]\nname = \"twice\"\n[[clip.part]]\nclip = \"c\"\n[[clip.part]]\nclip = "
               "\"c\"\n"
               "[[clip]]\nname = \"back\"\nreverse = true\n[[clip.part]]\nclip = "
               "\"c\"\n[[clip.part]]\nrange = [24, 36]\n"
               "[[clip]]\nname = \"more\"\n[[clip.part]]\nclip = \"twice\"\n[[clip.part]]\nrange = "
               "[30, 36]\n"
               "[[clip]]\nname = \"slow\"\nstretch = 2\n[[clip.part]]\nclip = \"back\"\n"));
    EXPECT_TRUE(report.proven);
    ASSERT_THAT(report.clips, SizeIs(5));
    EXPECT_EQ(report.clips[1].clip.samples, 25);
    EXPECT_EQ(report.clips[2].clip.samples, 25);
    EXPECT_EQ(report.clips[3].clip.samples, 31);
    EXPECT_EQ(report.clips[4].clip.samples, 49);
    for (const int k : {0, 5, 10}) {
        EXPECT_NEAR(nod("twice", k), k, 1e-4);
        EXPECT_NEAR(nod("twice", 13 + k), 1 + k, 1e-4);
        EXPECT_NEAR(nod("back", k), 36 - k, 1e-4);
        EXPECT_NEAR(nod("back", 13 + k), 11 - k, 1e-4);
        EXPECT_NEAR(nod("more", k), k, 1e-4);
        EXPECT_NEAR(nod("more", 13 + k), 1 + k, 1e-4);
        EXPECT_NEAR(nod("slow", 2 * k), 36 - k, 1e-4);
        EXPECT_NEAR(nod("slow", 26 + 2 * k), 11 - k, 1e-4);
    }
    EXPECT_NEAR(nod("more", 28), 34, 1e-4);
    const json made = json::parse(read_text(folder_ / "out/crate.json"))["clips"];
    EXPECT_EQ(made[3]["made_of"].size(), 2U) << "the parts that the recipe names";
    EXPECT_THAT(pack_text(folder_,
                          recipe("[[clip.part]]\nclip = \"d\"\n[[clip]]\nname = "
                                 "\"d\"\n[[clip.part]]\nclip = \"c\"\n"),
                          true),
                FailsWith(Code::kValueBad, "is part of itself"));
    EXPECT_THAT(pack_text(folder_, recipe("[[clip.part]]\nclip = \"e\"\n"), true),
                FailsWith(Code::kNameUnknown, "no clip \"e\""));
}

TEST_F(SeldomTest, PosesOfAnotherTimelineAreLaidOver) {
    Scene scene = test::read_tiny(figure({nodding([](int f) { return f; })})).value().scene;
    scene.timelines.push_back(scene.timelines[0]);
    scene.timelines[1].name = "bow";
    Curve held{Interpolation::kLinear, 4, {0, 1}, {}};
    for (const double degrees : {80.0, 20.0}) {
        const Quat q = from_axis_angle({1, 0, 0}, degrees * M_PI / 180);
        held.values.append({q.x, q.y, q.z, q.w});
    }
    scene.timelines[1].channels[0].curve = held;
    write_bytes(folder_ / "figure.glb", write_glb(scene));
    const std::string clip = "timeline = \"move\"\nrange = [0, 24]\n",
                      layer =
                          "[[layer]]\nkind = \"replace\"\nnodes = [\"head\"]\ntimeline = "
                          "\"bow\"\nframe = 12\nweight = 0.5\n";
    ASSERT_THAT(pack_text(folder_, recipe(clip) + layer, true), IsOk());
    // At frame 12 the other timeline is at 50 degrees; half the way there from k degrees.
    for (const int k : {0, 10, 24}) EXPECT_NEAR(nod("c", k), (k + 50) / 2.0, 1e-3) << k;
    EXPECT_THAT(pack_text(folder_, recipe(clip) + change(layer, "\"bow\"", "\"bowl\""), true),
                FailsWith(Code::kNameUnknown, "bow"));
}

TEST_F(SeldomTest, CuesThatNoClipPlaysAreTold) {
    Scene scene = test::read_tiny(figure({nodding([](int f) { return f; })})).value().scene;
    scene.timelines[0].extras =
        R"({"cues":[{"name":"in","seconds":0.25},{"name":"out","seconds":1.5}]})";
    write_bytes(folder_ / "figure.glb", write_glb(scene));
    const auto report = pack_text(folder_, recipe("range = [0, 24]\n"), true);
    ASSERT_THAT(report, IsOk());
    ASSERT_THAT(report.value().clips.at(0).clip.cues, SizeIs(1));
    EXPECT_EQ(report.value().clips[0].clip.cues[0].name, "in");
    EXPECT_THAT(
        text_of(of_code(report.value(), Code::kLeftOut)),
        AllOf(HasSubstr("its cue \"out\" at 1.5 s is in no clip"), Not(HasSubstr("\"in\""))));
}

TEST_F(SeldomTest, ATargetFileThatChangesMakesACrateStale) {
    write_bytes(folder_ / "figure.glb", figure({nodding([](int f) { return f; })}));
    write_text(folder_ / "t.toml", "rate = 24\njoints = \"j.txt\"\nsurplus = \"drop\"\n");
    write_text(folder_ / "j.txt", "hips\n  head\n");
    const std::string text =
        change(recipe("range = [0, 24]\n"), "rate = 24\n", "file = \"t.toml\"\n");
    const auto unchanged = [&] {
        const auto report = pack_text(folder_, text, true);
        EXPECT_THAT(report, IsOk());
        return report.value().unchanged;
    };
    EXPECT_FALSE(unchanged());
    EXPECT_TRUE(unchanged());
    write_text(folder_ / "j.txt", "hips\n  head  # a word\n");
    EXPECT_FALSE(unchanged()) << "other bytes";
    EXPECT_TRUE(unchanged());
    write_text(folder_ / "t.toml",
               "rate = 24\njoints = \"j.txt\"\nsurplus = \"drop\"\nskin_name = \"body\"\n");
    EXPECT_FALSE(unchanged());
    EXPECT_TRUE(std::filesystem::exists(folder_ / "out/body.glb"));
    // A list in which joints hang or rest elsewhere.
    write_text(folder_ / "j.txt", "hips\nhead\n");
    const auto moved = pack_text(folder_, text, true);
    ASSERT_THAT(moved, IsOk());
    EXPECT_THAT(text_of(of_code(moved.value(), Code::kSkeletonDiffers)),
                HasSubstr("joints that hang elsewhere in the list: head"));
    write_text(folder_ / "j.txt", "hips 0 1 0\n  head 0 0.75 0\n");
    const auto longer = pack_text(folder_, text, true);
    ASSERT_THAT(longer, IsOk());
    EXPECT_THAT(text_of(of_code(longer.value(), Code::kSkeletonDiffers)),
                HasSubstr("joints that rest elsewhere in the list: head"));
}

TEST_F(SeldomTest, ConversionsThatLoseSomethingSayIt) {
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

TEST_F(SeldomTest, DraftsOfSeveralTimelinesNameThem) {
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

TEST_F(SeldomTest, CratesThatTravelOtherwiseAreTold) {
    const auto turning = keyed(0, "rotation", 24, [](int f) {
        return Three{0, std::sin(f / 48.0), 0, std::cos(f / 48.0)};
    });
    const std::vector<std::string> parts{"\"ground\"", "\"ground\", \"heading\"",
                                         "\"ground\", \"height\""};
    for (std::size_t i = 0; i < parts.size(); ++i)
        pack({going(24, 2), turning},
             change(recipe("range = [0, 24]\ntravel = [" + parts[i] + "]\n",
                           "[travel]\nroot = \"root\"\n"),
                    "\"out\"", "\"out" + std::to_string(i) + "\""));
    for (const auto& [other, word] :
         {std::pair("out1", "ground heading"), {"out2", "ground height"}}) {
        const auto run = run_tool("compare " + path("out0") + " " + path(other));
        EXPECT_EQ(run.exit, 1) << other;
        EXPECT_THAT(run.out, HasSubstr(word)) << other;
    }
}

TEST_F(SeldomTest, SmallPicturesAreOfTheirMomentAndNamesOfTheirCase) {
    const std::string text =
        change(change(recipe("range = [0, 24]\nthumbnail = 0.5\n"), "picture = false",
                      "picture = false\nthumbnails = { size = \"160x160\", from = \"quarter\" }"),
               "rate = 24\n", "rate = 24\nname_case = \"upper\"\n");
    pack({going(24, 2), nodding([](int f) { return 7 * f; })}, text);
    EXPECT_TRUE(std::filesystem::exists(folder_ / "out/CLIPS/C.glb"));
    const Crate crate = open_crate(folder_ / "out").value();
    SheetClip clip;
    clip.scene = &crate.motions[0], clip.samples = 25, clip.rate = {24, 1}, clip.lines = {"c"};
    const auto png = [&](int sample) {
        const Png drawn =
            draw_pose(crate.skin, clip, sample, {ViewFrom::kQuarter, 160, 160, "", 0.5}).value();
        return std::string(drawn.begin(), drawn.end());
    };
    const std::string small = read_text(folder_ / "out/thumbs/c.png");
    EXPECT_EQ(small, png(12));
    EXPECT_NE(small, png(13));
}

TEST_F(SeldomTest, TablesAreCheckedLikeOtherFiles) {
    const PackReport report = pack({nodding([](int f) { return 20 * std::sin(f * M_PI / 12); })},
                                   change(recipe("range = [0, 24]\nloop = true\n"), "rate = 24\n",
                                          "rate = 24\nformat = \"csv\"\nfirst_pose = \"rest\"\n"));
    EXPECT_TRUE(report.proven);
    const auto run = run_tool("check " + path("out"));
    EXPECT_EQ(run.exit, 0) << run.out << run.err;
    EXPECT_THAT(run.out, HasSubstr("PASSED"));
    EXPECT_THAT(run.out, Not(HasSubstr("closing-sample")));
}

TEST_F(SeldomTest, FoldersWithoutFilesAndDamagedManifestsAreNoCrates) {
    std::filesystem::create_directories(folder_ / "empty");
    const auto empty = run_tool("check " + path("empty") + " --target y-up-metre");
    EXPECT_EQ(empty.exit, 3);
    EXPECT_THAT(empty.err, AllOf(HasSubstr("file-missing"), HasSubstr("no scene file")));
    pack({nodding([](int f) { return f; })}, recipe("range = [0, 24]\n"));
    const std::string manifest = read_text(folder_ / "out/crate.json");
    const auto with = [&](const std::string& from, const std::string& to) {
        write_text(folder_ / "out/crate.json", change(manifest, from, to));
        std::filesystem::remove(folder_ / "x.html");
        return run_tool("check " + path("out"));
    };
    // A list that is not there, and numbers that are none.
    for (const auto& [from, to] :
         {std::pair<std::string, std::string>("\"samples\": 25", "\"samples\": 2.5"),
          {"\"samples\": 25", "\"samples\": -3"},
          {"\"clips\": [", "\"klips\": ["},
          {"{", "["}}) {
        const auto run = with(from, to);
        EXPECT_EQ(run.exit, 3) << to << run.out << run.err;
        EXPECT_THAT(run.err, HasSubstr("crate.json")) << to;
        EXPECT_EQ(run_tool("view " + path("out") + " -o " + path("x.html")).exit, 3) << to;
    }
    // Numbers that are not those of the files.
    const auto run = with("\"samples\": 25", "\"samples\": 24");
    EXPECT_EQ(run.exit, 3) << run.out;
    EXPECT_THAT(run.err, HasSubstr("other things of \"c\""));
}

}  // namespace
}  // namespace mellow::seldom_test
