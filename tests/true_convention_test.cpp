// What a file is told to be: rate, unit, height. Heights are worked by hand.
#include <fmt/format.h>

#include "mellow/read.h"
#include "mellow/stock.h"
#include "mellow/true_convention.h"
#include "rigs.h"
#include "small_figure.h"

namespace mellow::true_convention_test {
namespace {

using namespace test;
using testing::HasSubstr;

TEST(TrueConventionTest, ADeclaredRateMovesOnlyKeysThatCountFrames) {
    for (const bool frames : {true, false}) {
        Scene scene;
        scene.rate = {24, 1};
        add_node(scene, "n", kNone, {});
        key(scene, 0, Path::kTranslation, {0, 0, 0}, {1, 0, 0});
        TrueConvention truth;
        truth.rate = FrameRate{12, 1};
        EXPECT_THAT(overrule(scene, truth, frames), IsOk());
        EXPECT_NEAR(scene.timelines[0].channels[0].curve.times.back(), frames ? 2 : 1, 1e-12);
        EXPECT_EQ(scene.rate, (FrameRate{12, 1}));
    }
    Scene scene;
    TrueConvention truth;
    truth.metres_per_unit = 0.01;
    EXPECT_THAT(overrule(scene, truth, false), IsOk());
    EXPECT_EQ(scene.stack_convention.metres_per_unit, 0.01);
}

using TrueConventionPackTest = SmallFigure;

/// Its mesh reaches from 0 to 1.7 units; a floor without skin, ten units high, does not count.
TEST_F(TrueConventionPackTest, AHeightSaysTheUnit) {
    const auto packed = [&](const std::string& source) {
        return pack({going(24, 3)}, recipe("range = [0, 24]\ntravel = [\"ground\"]\n", "", source),
                    R"(,{"name":"floor","mesh":1,"scale":[1,6,1]})", ",3",
                    R"(,{"primitives":[{"attributes":{"POSITION":0}}]})");
    };
    const PackReport tall = packed("height = 0.51\n");  // 0.3 m a unit
    EXPECT_NEAR(tall.height_m, 0.51, 1e-7);
    EXPECT_NEAR(tall.clips[0].clip.travel.distance_m, 0.9, 1e-6);
}

TEST_F(TrueConventionPackTest, AHeightOfMotionIsThatOfItsJoints) {
    // From -0.4 to 6.1 along Z: 6.5 units.
    write_text(folder_ / "a.bvh",
               "HIERARCHY\nROOT hips\n{\nOFFSET 3 0 0\nCHANNELS 3 Zrotation Xrotation Yrotation\n"
               "JOINT head\n{\nOFFSET 9 1 6.1\nCHANNELS 3 Zrotation Xrotation Yrotation\nEnd Site\n"
               "{\nOFFSET 0 0 -6.5\n}\n}\n}\nMOTION\nFrames: 2\nFrame Time: 0.1\n"
               "0 0 0 0 0 0\n0 0 0 90 0 0\n");
    auto read = read_scene(folder_ / "a.bvh");
    ASSERT_THAT(read, IsOk());
    TrueConvention truth;
    truth.height_m = 1.3;
    truth.up = Axis::kPlusZ, truth.front = Axis::kMinusY;
    ASSERT_THAT(overrule(read.value().scene, truth, true), IsOk());
    EXPECT_NEAR(read.value().scene.convention.metres_per_unit, 0.2, 1e-12);
    EXPECT_TRUE(truth.whole());
    const std::string file = (folder_ / "a.bvh").string();
    const std::string axes = " --up +Z --front -Y";
    EXPECT_THAT(run_tool("describe " + file + axes + " --height 1.3").out,
                HasSubstr("0.2 m per unit"));
    EXPECT_THAT(run_tool("describe " + file + axes + " --height 1.3 --unit cm").err,
                HasSubstr("each says the other"));
    for (const char* bad : {"0", "-1.7", "tall", "1.7m", "nan"})
        EXPECT_EQ(run_tool("describe " + file + axes + " --height=" + bad).exit, 2) << bad;
    Scene flat;
    add_node(flat, "n", kNone, {});
    EXPECT_THAT(overrule(flat, truth, false), FailsWith(Code::kValueBad, "nothing that is 1.3 m"));
}

/// Bound in another unit than its joints: no unit mends that, and none makes it unsaid.
TEST_F(TrueConventionPackTest, AMeshOfAnotherUnitThanItsJoints) {
    write_bytes(folder_ / "figure.glb", figure({}));
    Scene scene = read_scene(folder_ / "figure.glb").value().scene;
    const auto said = [&] {
        std::string out;
        TrueConvention truth;
        truth.metres_per_unit = 1;
        for (const Finding& f : take_stock(scene).findings)
            if (f.code == Code::kSizeSuspect && !truth.answers(f)) out += f.found;
        return out;
    };
    EXPECT_EQ(said(), "");
    // The joints reach over 0.5, the mesh over 1.7: now over a hundredth of that.
    for (Node& node : scene.nodes) node.local.t = 0.01 * node.local.t;
    for (Affine& bind : scene.skins[0].inverse_binds) bind.o = 0.01 * bind.o;
    EXPECT_EQ(said(), "its mesh is 340 times as large as its skeleton");
}

TEST_F(TrueConventionPackTest, AHeightIsNoUnit) {
    EXPECT_THAT(
        pack_text(folder_, recipe("range = [0, 24]\n", "", "height = 1.7\nunit = \"cm\"\n")),
        FailsWith(Code::kValueBad, "height beside unit"));
}

}  // namespace
}  // namespace mellow::true_convention_test
