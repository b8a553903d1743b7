// Motion as text: written, read again, and what is no such text.
#include "mellow/motion_text.h"

#include <cmath>
#include <limits>

#include "mellow/read.h"
#include "mellow/write.h"
#include "packing.h"
#include "support.h"

namespace mellow {
namespace {

using namespace test;
using test::read_text;
using namespace testing;

/// Every kind of row, by hand.
const std::string kByHand = R"(mellow motion 1
up +Z front -Y hand right unit 0.01
rate 24
numbers double
node "top"
  0 0 1e2 0 0 0 1 1 1 1
node "a \"b\" \\ c" under "top"
  0.1 -2 3 0 0 0.6 0.8 1 2 3
timeline "go"
extras {"seen":[1,2]}
track "top" translation cubic
  0 1 2 3 4 5 6 7 8 9
  0.5 9 8 7 6 5 4 3 2 1
track "a \"b\" \\ c" rotation step
  0 0 0 0 1
  0.25 0 0 1 0
weights "body" "smile" "blink" linear
  0.1 0 1
scalar "lamp.fov" "degrees" linear
  0 41.5
)";

TEST(MotionTextTest, EveryRowMeansWhatItSays) {
    const auto read = read_motion_text(kByHand, "hand.txt");
    ASSERT_THAT(read, IsOk());
    const Scene& scene = read.value();
    EXPECT_EQ(scene.convention, (Convention{0.01, Axis::kPlusZ, Axis::kMinusY, Hand::kRight}));
    EXPECT_EQ(scene.rate, (FrameRate{24, 1}));
    ASSERT_EQ(scene.nodes.size(), 2U);
    EXPECT_EQ(scene.nodes[1].name, "a \"b\" \\ c");
    EXPECT_EQ(scene.nodes[1].parent, 0);
    EXPECT_EQ(scene.nodes[1].local.t, (Vec3{0.1, -2, 3}));
    EXPECT_EQ(scene.nodes[1].local.r.z, 0.6);
    EXPECT_EQ(scene.nodes[1].local.s, (Vec3{1, 2, 3}));
    EXPECT_EQ(scene.nodes[0].local.t.z, 100);
    ASSERT_EQ(scene.timelines.size(), 1U);
    const Timeline& go = scene.timelines[0];
    EXPECT_EQ(go.extras, R"({"seen":[1,2]})");
    ASSERT_EQ(go.channels.size(), 2U);
    EXPECT_EQ(go.channels[0].curve.interpolation, Interpolation::kCubicSpline);
    EXPECT_EQ(go.channels[0].curve.values[10], 8);
    EXPECT_THAT(go.channels[0].curve.times.list(), ElementsAre(0, 0.5));
    EXPECT_EQ(go.channels[1].node, 1);
    EXPECT_EQ(go.channels[1].path, Path::kRotation);
    EXPECT_EQ(go.channels[1].curve.interpolation, Interpolation::kStep);
    EXPECT_THAT(go.morphs[0].targets, ElementsAre("smile", "blink"));
    EXPECT_THAT(go.morphs[0].curve.values.list(), ElementsAre(0, 1));
    EXPECT_EQ(go.scalars[0].unit, "degrees");
    EXPECT_EQ(go.scalars[0].curve.values[0], 41.5);
    // Written, it has the same rows: all numbers of its keys but 0.1 are single precision.
    EXPECT_EQ(write_motion_text(scene).value(), test::change(kByHand, "1e2", "100"));
}

TEST(MotionTextTest, NumbersAreTheSameBits) {
    Scene scene = read_motion_text(kByHand, "hand.txt").value();
    std::vector<double>& places = scene.timelines[0].channels[0].curve.values.edit();
    places[0] = std::nextafter(1.0, 2.0);
    places[1] = std::numeric_limits<double>::denorm_min();
    places[2] = -1.0 / 3;
    const std::string doubles = write_motion_text(scene).value();
    EXPECT_EQ(read_motion_text(doubles, "").value().timelines[0].channels[0].curve.values.list(),
              places);
    // Keys that are single precision are written as such, and are so again.
    scene.timelines[0].morphs.clear();
    places = {0.1F, 1.0F / 3, 16777217.0F, -1e-7F, 0, 1, 2, 3, 4};
    scene.timelines[0].channels[0].curve.times = {0.25};
    const std::string singles = write_motion_text(scene).value();
    EXPECT_THAT(singles, HasSubstr("numbers single\n"));
    EXPECT_THAT(singles, HasSubstr("  0.25 0.1 0.33333334 16777216 -1e-07 0 1 2 3 4\n"));
    EXPECT_EQ(read_motion_text(singles, "").value().timelines[0].channels[0].curve.values.list(),
              places);
}

TEST(MotionTextTest, OnlyWhatIsKnownIsTold) {
    Scene scene = read_motion_text(kByHand, "hand.txt").value();
    scene.timelines[0].scalars = {
        {"a \\ \"b\"", "bar", {Interpolation::kLinear, 1, {0, 1}, {0.1, 1.0 / 3}}}};
    scene.rate_known = true;
    const std::string known = write_motion_text(scene).value();
    EXPECT_THAT(known, HasSubstr("\nrate 24\n"));
    EXPECT_THAT(known, HasSubstr("scalar \"a \\\\ \\\"b\\\"\" \"bar\" linear\n"));
    EXPECT_THAT(known, HasSubstr("numbers double\n")) << "a third of a scalar needs them";
    EXPECT_THAT(known, HasSubstr("extras {\"seen\":[1,2]}\n"));
    scene.rate_known = false;
    EXPECT_EQ(write_motion_text(scene).value().find("rate "), std::string::npos);
}

TEST(MotionTextTest, WhatIsNoSuchTextIsToldByItsLine) {
    const auto wrong = [](const char* from, const char* to, const char* where, const char* part) {
        EXPECT_THAT(read_motion_text(test::change(kByHand, from, to), "hand.txt"),
                    FailsWith(Code::kMotionTextBroken, where))
            << to;
        EXPECT_THAT(read_motion_text(test::change(kByHand, from, to), "hand.txt"),
                    FailsWith(Code::kMotionTextBroken, part))
            << to;
    };
    wrong("motion 1", "motion 2", "hand.txt:1", "mellow motion 1");
    wrong("-Y hand", "-Z hand", "hand.txt:2", "along two lines");
    wrong("rate 24", "rate 0", "hand.txt:3", "rate 30");
    wrong("0 0 1e2 0", "0 0 1e2", "hand.txt:6", "ten numbers");
    wrong("0 0 1e2", "0 0 nan", "hand.txt:6", "ten numbers");
    wrong("0 0.6 0.8", "0 0.6 0.9", "hand.txt:8", "unit quaternion");
    wrong("under \"top\"", "under \"tip\"", "hand.txt:7", "stands above it");
    wrong("node \"a \\\"b\\\" \\\\ c\"", "node \"top\"", "hand.txt:7", "one name per node");
    wrong("{\"seen\":[1,2]}", "{\"seen\":", "hand.txt:10", "JSON object");
    wrong("track \"top\" translation", "track \"top\" place", "hand.txt:11", "translation");
    wrong("  0.5 9 8", "  0 9 8", "hand.txt:13", "ascend");
    wrong("  0.5 9 8", "  0.5 8", "hand.txt:13", "seconds and 9 numbers");
    wrong("rotation step", "rotation slow", "hand.txt:14", "step, linear or cubic");
    wrong("  0.1 0 1\n", "", "hand.txt:18", "begins with a blank");
    wrong("timeline \"go\"", "tineline \"go\"", "hand.txt:9", "node or timeline");
    wrong("timeline \"go\"", "timeline go", "hand.txt:9", "node or timeline");
    wrong("\"degrees\"", "\"degrees", "hand.txt:19", "quotes");
    for (std::size_t n = 0; n < kByHand.size(); ++n)  // cut off anywhere it is read or refused
        (void)read_motion_text(std::string_view(kByHand).substr(0, n), "cut.txt").ok();
    Scene twice = read_motion_text(kByHand, "").value();
    twice.nodes[1].name = "top";
    EXPECT_THAT(write_motion_text(twice), FailsWith(Code::kNameClash, "top"));
    twice.nodes[1].name = "other";
    twice.nodes[1].shear = Affine{{1, 0, 0}, {0.5, 1, 0}, {0, 0, 1}, {}};
    EXPECT_THAT(write_motion_text(twice), FailsWith(Code::kShear, "other"));
}

TEST(MotionTextTest, AClipIsDumpedAndReadAgain) {
    const TempFolder folder;
    test::write_files(folder.path(), test::tamsin());
    ASSERT_THAT(test::pack_text(folder, read_text(folder / "tamsin.recipe.toml"), true), IsOk());
    const std::string clip = "'" + (folder / "crates/tamsin/clips/walk.glb").string() + "'";
    const auto dump = run_tool("describe " + clip + " --dump");
    EXPECT_EQ(dump.exit, 0);
    EXPECT_EQ(dump.err, "");
    write_text(folder / "walk.txt", dump.out);
    const Scene was = read_scene(folder / "crates/tamsin/clips/walk.glb").value().scene;
    const auto again = read_scene(folder / "walk.txt");
    ASSERT_THAT(again, IsOk());
    EXPECT_EQ(again.value().format, "motion text");
    const Timeline &a = was.timelines[0], &b = again.value().scene.timelines[0];
    ASSERT_EQ(a.channels.size(), b.channels.size());
    for (std::size_t c = 0; c < a.channels.size(); ++c) {
        EXPECT_EQ(was.nodes[static_cast<std::size_t>(a.channels[c].node)].name,
                  again.value().scene.nodes[static_cast<std::size_t>(b.channels[c].node)].name);
        EXPECT_EQ(a.channels[c].curve.times, b.channels[c].curve.times);
        EXPECT_EQ(a.channels[c].curve.values.list(), b.channels[c].curve.values.list());
    }
    EXPECT_EQ(a.extras, b.extras);
    EXPECT_EQ(a.morphs.size(), b.morphs.size());
    EXPECT_EQ(run_tool("describe '" + folder.path().string() + "' --dump").exit, 2);
    EXPECT_EQ(run_tool("describe " + clip + " --dump --json").exit, 2);
}

}  // namespace
}  // namespace mellow
