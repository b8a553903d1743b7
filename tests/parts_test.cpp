// Clips that are made of clips, poses laid over them, their cues and their pictures.
#include <cmath>
#include <nlohmann/json.hpp>
#include "mellow/crate.h"
#include "mellow/pictures.h"
#include "mellow/read.h"
#include "mellow/write.h"
#include "small_figure.h"

namespace mellow::parts_test {
namespace {

using nlohmann::json;
using namespace test;
using test::read_text;
using namespace testing;

class PartsTest : public test::SmallFigure {};

TEST_F(PartsTest, ClipsOfClipsOfClips) {
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

TEST_F(PartsTest, PosesOfAnotherTimelineAreLaidOver) {
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

TEST_F(PartsTest, CuesThatNoClipPlaysAreTold) {
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

TEST_F(PartsTest, SmallPicturesAreOfTheirMomentAndNamesOfTheirCase) {
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

}  // namespace
}  // namespace mellow::parts_test
