// What is said of motion: wheels, feet, jumps, still ends, travel that stays in the hips.
#include "mellow/write.h"
#include "small_figure.h"

namespace mellow::motion_check_test {
namespace {

using namespace test;
using namespace testing;

class MotionFindingsTest : public test::SmallFigure {};

TEST_F(MotionFindingsTest, AWheelThatTurnsMoreThanHalfwayIsSaidWithTheRateThatIsEnough) {
    // Euler angles of 573 degrees a sample, as a stack keeps them: 573 / 120 is 4.8, five times the
    // rate.
    const std::string dae =
        R"(<?xml version="1.0"?><COLLADA xmlns="http://www.collada.org/2005/11/COLLADASchema" version="1.4.1"><asset><unit meter="1"/><up_axis>Y_UP</up_axis></asset><library_animations><animation><source id="i"><float_array id="ia" count="2">0 1</float_array><technique_common><accessor source="#ia" count="2" stride="1"><param name="TIME" type="float"/></accessor></technique_common></source><source id="o"><float_array id="oa" count="2">0 13752</float_array><technique_common><accessor source="#oa" count="2" stride="1"><param name="ANGLE" type="float"/></accessor></technique_common></source><source id="k"><Name_array id="ka" count="2">LINEAR LINEAR</Name_array><technique_common><accessor source="#ka" count="2" stride="1"><param name="INTERPOLATION" type="name"/></accessor></technique_common></source><sampler id="s"><input semantic="INPUT" source="#i"/><input semantic="OUTPUT" source="#o"/><input semantic="INTERPOLATION" source="#k"/></sampler><channel source="#s" target="rim/rx.ANGLE"/></animation></library_animations><library_visual_scenes><visual_scene id="v"><node id="hub" name="hub" type="JOINT"><node id="rim" name="rim" type="JOINT"><rotate sid="rx">1 0 0 0</rotate></node></node></visual_scene></library_visual_scenes><scene><instance_visual_scene url="#v"/></scene></COLLADA>)";
    write_text(folder_ / "wheel.dae", dae);
    const auto report = pack_text(folder_, test::change(recipe("range = [0, 24]\n"), "figure.glb\"",
                                                        "wheel.dae\"\nrate = 24"));
    ASSERT_THAT(report, IsOk());
    const Findings said = of_code(report.value(), Code::kFastTurn);
    ASSERT_THAT(said, SizeIs(1));
    EXPECT_THAT(said[0].found, HasSubstr("573 degrees"));
    EXPECT_THAT(said[0].remedy, HasSubstr("120"));
}

TEST_F(MotionFindingsTest, TravelThatStaysInTheHipsOrIsAbsent) {
    const auto circle = keyed(0, "translation", 24, [](int f) {
        const double a = 2 * M_PI * f / 24;
        return Three{std::sin(a), 1, 1 - std::cos(a)};
    });
    const auto climb = keyed(0, "translation", 24, [](int f) { return Three{0, 1 + f / 24.0, 0}; });
    const auto said = [&](const Keyed& keys, const std::string& clip) {
        return of_code(pack({keys}, recipe("range = [0, 24]\n" + clip)), Code::kTravelInHips);
    };
    ASSERT_THAT(said(circle, ""), SizeIs(1));
    EXPECT_THAT(said(circle, "")[0].found, HasSubstr("2.00 m away"));
    ASSERT_THAT(said(climb, ""), SizeIs(1));
    EXPECT_THAT(said(climb, "")[0].remedy, HasSubstr("\"height\""));
    EXPECT_THAT(said(climb, "travel = [\"height\"]\n"), IsEmpty());
    EXPECT_THAT(said(circle, "travel = [\"ground\"]\n"), IsEmpty());
    // Parts of a machine, which have no skin, go round and up as they like; what goes away is told.
    const auto go = keyed(0, "translation", 24, [](int f) { return Three{f / 24.0, 1, 0}; });
    const auto machine = [&](const Keyed& keys) {
        Scene scene = test::read_tiny(test::figure({keys})).value().scene;
        scene.skins.clear();
        scene.nodes[2].skin = kNone, scene.nodes[2].parent = 0, scene.roots = {0};
        Primitive& part = scene.meshes[0].primitives[0];
        part.influences_per_vertex = 0;
        part.influence_joints.clear(), part.influence_weights.clear();
        test::write_bytes(folder_ / "figure.glb", write_glb(scene));
        const auto report = pack_text(folder_, recipe("range = [0, 24]\n"), true);
        EXPECT_THAT(report, IsOk());
        return of_code(report.value(), Code::kTravelInHips);
    };
    EXPECT_THAT(machine(circle), IsEmpty());
    EXPECT_THAT(machine(climb), IsEmpty());
    EXPECT_THAT(machine(go), SizeIs(1));
    const auto nod = keyed(1, "translation", 24, [](int f) {
        return Three{0, 0.5 + f / 240.0, 0};
    });
    const PackReport absent = pack({nod}, recipe("range = [0, 24]\ntravel = [\"ground\"]\n"));
    EXPECT_FALSE(absent.proven);
    EXPECT_THAT(of_code(absent, Code::kTravelAbsent), SizeIs(1));
}

TEST_F(MotionFindingsTest, JumpsAreToldOfFiguresThatHaveFeet) {
    const auto jump = keyed(0, "translation", 24, [](int f) {
        return Three{0.001 * f + (f > 12 ? 1 : 0), 1, 0};
    });
    const std::string text = recipe("range = [0, 24]\n",
                                    "[motion]\n[[motion.plane]]\nname = \"wall\"\nat = { ahead = 9 "
                                    "}\nfaces = { ahead = -1 }\njoints = [\"head\"]\n");
    EXPECT_THAT(of_code(pack({jump}, text), Code::kPop), IsEmpty()) << "parts may jump";
    const Findings pops =
        of_code(pack({jump}, test::change(text, "[motion]\n", "[motion]\nfeet = [\"head\"]\n")),
                Code::kPop);
    ASSERT_THAT(pops, SizeIs(1));
    EXPECT_THAT(pops[0].found, HasSubstr("jumps by 1"));
    // A kick of half a metre in a quarter of a second, a foot that meets the ground at full speed,
    // one sample that is off, and a first pose of its own.
    const auto jumps = [&](const std::vector<double>& way) {
        const auto moved = keyed(1, "translation", 24, [&](int f) {
            const auto at = std::min(static_cast<std::size_t>(f), way.size() - 1);
            return Three{0, 0.5, way[at]};
        });
        std::vector<int> samples;
        for (const Finding& f :
             of_code(pack({moved}, recipe("range = [0, 24]\n", "[motion]\nfeet = [\"head\"]\n")),
                     Code::kPop))
            samples.push_back(f.found.find("sample 5") != f.found.npos    ? 5
                              : f.found.find("sample 1,") != f.found.npos ? 1
                                                                          : 0);
        return samples;
    };
    EXPECT_THAT(jumps({0, 0, 0, 0.02, 0.14, 0.36, 0.46, 0.5}), IsEmpty());
    EXPECT_THAT(jumps({0, 0.2, 0.4, 0.6, 0.8, 1, 1}), IsEmpty());
    EXPECT_THAT(jumps({0, 0, 0, 0, 0, 0.2, 0}), ElementsAre(5));
    EXPECT_THAT(jumps({0.3, 0}), ElementsAre(1));
}

TEST_F(MotionFindingsTest, StillEndsGapsAndRatesAreSaid) {
    const auto stops = keyed(0, "translation", 48, [](int f) {
        return Three{0, 1, 0.2 * std::min(f, 30) / 30};
    });
    const PackReport report =
        pack({stops}, recipe("range = [0, 10]\n[[clip]]\nname = \"d\"\nrange = [20, 48]\n"));
    const Findings tail = of_code(report, Code::kStillTail), gap = of_code(report, Code::kRangeGap);
    ASSERT_THAT(tail, SizeIs(1));
    EXPECT_THAT(tail[0].remedy, HasSubstr("end the range at 30"));
    ASSERT_THAT(gap, SizeIs(1));
    EXPECT_THAT(gap[0].found, HasSubstr("frames 11..19"));
    const Findings rate =
        of_code(pack({stops}, recipe("range = [0, 30]\n", "", "rate = 30\n")), Code::kRateSuspect);
    ASSERT_THAT(rate, SizeIs(1));
    EXPECT_THAT(rate[0].remedy, HasSubstr("rate = 24"));
}

TEST_F(MotionFindingsTest, EveryFindingAboutMotionFigureAndSkinCanBeJudged) {
    for (const char* judged :
         {"range-overlap", "range-off-grid", "range-gap",    "loop-open",      "size-suspect",
          "axis-suspect",  "rate-suspect",   "scaled-node",  "unbaked",        "still-tail",
          "prefix",        "shear",          "zero-scale",   "missing-joint",  "unweighted",
          "left-out",      "assumed",        "default-name", "travel-in-hips", "travel-absent",
          "fast-turn",     "weight-sum",     "equal-seeds",  "never-moves",    "influences",
          "skin-removed",  "rigid-skin",     "number-bad",   "same-content",   "hand-suspect",
          "foot-slide",    "foot-depth",     "pop",          "wheel-turn",     "through-plane",
          "scale-noise",   "mesh-repeated"})
        EXPECT_THAT(parse_recipe(recipe("range = [0, 24]\n",
                                        fmt::format("[checks]\n{} = \"fail\"\n", judged)),
                                 "r.toml", "."),
                    IsOk())
            << judged;
}

}  // namespace
}  // namespace mellow::motion_check_test
