// Results that look right and are not: what packing, comparing and reading must say, measure or
// refuse. Expected values are from paper.
#include <fmt/format.h>
#include <sys/stat.h>

#include <nlohmann/json.hpp>

#include "mellow/compare.h"
#include "mellow/stock.h"
#include "mellow/write.h"
#include "packing.h"
#include "plain_bvh.h"
#include "rigs.h"
#include "small_figure.h"
#include "support.h"

namespace mellow {
namespace {

using namespace test;
using namespace testing;

class TruthTest : public test::SmallFigure {};

// ---- what packing says and refuses

TEST_F(TruthTest, AWheelThatTurnsMoreThanHalfwayIsSaidWithTheRateThatIsEnough) {
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

TEST_F(TruthTest, TheSeamOfALoopIsAlsoItsScaleAndItsSpeed) {
    const auto grow = keyed(1, "scale", 24, [](int f) {
        const double s = 1 + f / 24.0;
        return Three{s, s, s};
    });
    const PackReport open = pack({grow}, recipe("range = [0, 24]\nloop = true\n"));
    EXPECT_FALSE(open.proven);
    ASSERT_THAT(of_code(open, Code::kLoopOpen), SizeIs(1));
    EXPECT_EQ(of_code(open, Code::kLoopOpen)[0].severity, Severity::kStop);
    EXPECT_TRUE(
        pack({grow}, recipe("range = [0, 24]\nloop = true\n", "[checks]\nloop-open = \"warn\"\n"))
            .proven);
    EXPECT_THAT(of_code(pack({grow}, recipe("range = [0, 24]\nloop = true\n",
                                            "[checks]\nloop-open = \"off\"\n")),
                        Code::kLoopOpen),
                IsEmpty());
    // There and back evenly: closed, but the head turns round at once. Up by 1.2 m/s, down by 1.2
    // m/s.
    const auto saw = keyed(1, "translation", 24, [](int f) {
        return Three{0, 0.5 + 0.05 * (f < 24 ? f : 0) * (f < 24 ? 1 : 0), 0};
    });
    const auto ramp = keyed(1, "translation", 24, [](int f) {
        const double t = f / 24.0;  // a parabola: speed +2.4 m/s at one end, -2.4 at the other
        return Three{0, 0.5 + 2.4 * t * (1 - t), 0};
    });
    const PackReport jump = pack({ramp}, recipe("range = [0, 24]\nloop = true\n"));
    ASSERT_THAT(of_code(jump, Code::kLoopOpen), SizeIs(1));
    EXPECT_THAT(of_code(jump, Code::kLoopOpen)[0].found, HasSubstr("4.60 m/s"));
    EXPECT_TRUE(jump.proven);
    EXPECT_THAT(of_code(pack({saw}, recipe("range = [0, 23]\n")), Code::kLoopOpen), IsEmpty());
}

TEST_F(TruthTest, TravelThatStaysInTheHipsOrIsAbsent) {
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

TEST_F(TruthTest, JumpsAreToldOfFiguresThatHaveFeet) {
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

TEST_F(TruthTest, StillEndsGapsAndRatesAreSaid) {
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

TEST_F(TruthTest, AFloorIsNoPartOfTheFigure) {
    const std::string floor = R"(,{"name":"floor","mesh":0})";
    const auto going = TruthTest::going(24, 2.4);
    const std::string clip = "range = [0, 24]\ntravel = [\"ground\"]\n";
    const PackReport report = pack({going}, recipe(clip), floor, ",3");
    EXPECT_TRUE(report.proven);
    ASSERT_THAT(of_code(report, Code::kLeftOut), SizeIs(1));
    EXPECT_THAT(of_code(report, Code::kLeftOut)[0].found, HasSubstr("floor"));
    const std::string keep = "[joints]\nstatic_meshes = \"keep\"\n";
    EXPECT_THAT(
        of_code(pack({going}, recipe("range = [0, 24]\n", keep), floor, ",3"), Code::kLeftOut),
        IsEmpty());
    EXPECT_THAT(pack_text(folder_, recipe(clip, keep), true), FailsWith(Code::kValueBad, "travel"));
    EXPECT_THAT(pack_text(folder_, recipe(clip, "[joints]\ndrop = [\"wall*\"]\n"), true),
                FailsWith(Code::kNameUnknown, "wall*"));
    const PackReport bare = pack(
        {going}, recipe("range = [0, 24]\n", "[joints]\nkeep = [\"head\"]\ndrop = [\"body\"]\n"));
    EXPECT_THAT(of_code(bare, Code::kLeftOut)[0].found, HasSubstr("body"));
}

TEST_F(TruthTest, MirroredTrianglesAreTurnedOverWhateverTheirForm) {
    // A square as loose triangles, as a strip and as a fan, seen from +Z, under a node that mirrors
    // X.
    for (const auto& [mode, list] :
         {std::pair(4, std::vector<double>{0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 0, 0, 1, 1, 0, 0, 1, 0}),
          std::pair(5, std::vector<double>{0, 0, 0, 1, 0, 0, 0, 1, 0, 1, 1, 0}),
          std::pair(6, std::vector<double>{0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0})}) {
        TinyGltf gltf;
        const int places = gltf.floats(list, "VEC3");
        const int in = gltf.floats({0, 1}, "SCALAR"), out = gltf.floats({0, 0, 0, 0, 1, 0}, "VEC3");
        write_bytes(
            folder_ / "figure.glb",
            gltf.glb(fmt::format(
                R"("scene":0,"scenes":[{{"nodes":[0]}}],"nodes":[{{"name":"lift","children":[1]}},{{"name":"plate","mesh":0,"scale":[-1,1,1]}}],)"
                R"("meshes":[{{"primitives":[{{"mode":{},"attributes":{{"POSITION":{}}}}}]}}],)"
                R"("animations":[{{"name":"move","samplers":[{{"input":{},"output":{}}}],"channels":[{{"sampler":0,"target":{{"node":0,"path":"translation"}}}}]}}])",
                mode, places, in, out)));
        const auto report = pack_text(folder_, recipe("range = [0, 24]\n"), true);
        ASSERT_THAT(report, IsOk());
        EXPECT_TRUE(report.value().proven);
        const Scene skin = read_scene(folder_ / "out" / "figure.glb").value().scene;
        const Primitive& part = skin.meshes[0].primitives[0];
        ASSERT_EQ(part.topology, Topology::kTriangles);
        ASSERT_EQ(part.indices.size(), 6U);
        for (std::size_t t = 0; t < 6; t += 3) {
            const auto p = [&](std::size_t i) { return part.positions[part.indices[t + i]]; };
            const double area = (p(1)[0] - p(0)[0]) * (p(2)[1] - p(0)[1]) -
                                (p(1)[1] - p(0)[1]) * (p(2)[0] - p(0)[0]);
            EXPECT_GT(area, 0) << mode << ": it faces +Z, as in the source";
        }
    }
}

TEST_F(TruthTest, ShearIsKeptMeasuredAndFails) {
    // The head hangs below a sheared node that turns: no joint can hold what it does then.
    const std::string sheared =
        R"(,{"name":"lean","matrix":[1,0,0,0,0.5,1,0,0,0,0,1,0,0,0,0,1],"children":[4]},{"name":"ear","children":[5]},{"name":"lobe","mesh":1})";
    const std::string mesh = R"(,{"primitives":[{"attributes":{"POSITION":0}}]})";
    const auto turning = keyed(4, "rotation", 24, [](int f) {
        const double a = M_PI / 4 * f / 24;
        return Three{0, 0, std::sin(a / 2), std::cos(a / 2)};
    });
    const PackReport report = pack({turning}, recipe("range = [0, 24]\n"), sheared, ",3", mesh);
    EXPECT_FALSE(report.proven);
    EXPECT_THAT(of_code(report, Code::kProofFailed), SizeIs(1));
    const Scene scene = read_scene(folder_ / "figure.glb").value().scene;
    const std::vector<Affine> worlds = rest_worlds(scene);
    EXPECT_NEAR(length(worlds[5].y - Vec3{0.5, 1, 0}), 0, 1e-6) << "the matrix as it was";
    const PackReport accepted =
        pack({turning}, recipe("range = [0, 24]\n", "[proof]\naccept_shear = [\"below:lean\"]\n"),
             sheared, ",3", mesh);
    EXPECT_TRUE(accepted.proven);
    const Findings told = of_code(accepted, Code::kShear);
    EXPECT_THAT(told.back().found, HasSubstr("accepted"));
    const double cost = accepted.clips[0].proof.accepted_mm.worst;
    EXPECT_GT(cost, 1) << "the lobe hangs on what is accepted";
    EXPECT_THAT(told.back().found, HasSubstr(fmt::format("at most {:.3g} mm", cost)));
    // convert writes a matrix that stands still as it was.
    const auto run = test::run_tool("convert '" + (folder_ / "figure.glb").string() + "' '" +
                                    (folder_ / "again.glb").string() + "' --quiet");
    EXPECT_EQ(run.exit, 0);
    const Scene again = read_scene(folder_ / "again.glb").value().scene;
    EXPECT_NEAR(test::difference(rest_worlds(again)[3], worlds[3]), 0, 1e-6);
}

TEST_F(TruthTest, SeamsOverlapsAndFastTurnsAreJudgedBySize) {
    const auto nods = [&](double degrees) {
        return keyed(1, "rotation", 24, [=](int f) {
            const double half = degrees * f / 24 * std::numbers::pi / 360;
            return std::vector<double>{std::sin(half), 0, 0, std::cos(half)};
        });
    };
    const auto severities = [&](const PackReport& report, Code code) {
        std::vector<Severity> out;
        for (const Finding& f : of_code(report, code)) out.push_back(f.severity);
        return out;
    };
    const std::string loop = "range = [0, 24]\nloop = true\n";
    // The nod does not come back: by 0.3, 1, 5 degrees.
    EXPECT_THAT(severities(pack({nods(0.3)}, recipe(loop)), Code::kLoopOpen), IsEmpty());
    EXPECT_THAT(severities(pack({nods(1)}, recipe(loop)), Code::kLoopOpen),
                testing::ElementsAre(Severity::kWarning));
    EXPECT_THAT(severities(pack({nods(5)}, recipe(loop)), Code::kLoopOpen),
                testing::ElementsAre(Severity::kStop));
    const auto two = [&](int first) {
        return pack({nods(40)}, recipe("range = [0, 12]\n[[clip]]\nname = \"d\"\nrange = [" +
                                       std::to_string(first) + ", 24]\n"));
    };
    EXPECT_THAT(severities(two(12), Code::kRangeOverlap), testing::ElementsAre(Severity::kNote));
    EXPECT_THAT(severities(two(11), Code::kRangeOverlap), testing::ElementsAre(Severity::kWarning));
    EXPECT_THAT(severities(two(13), Code::kRangeOverlap), IsEmpty());
    // Of several overlaps the largest is told.
    const PackReport three =
        pack({nods(40)}, recipe("range = [0, 12]\n[[clip]]\nname = \"d\"\nrange = [10, 16]\n"
                                "[[clip]]\nname = \"e\"\nrange = [9, 24]\n"));
    EXPECT_THAT(of_code(three, Code::kRangeOverlap).back().found, HasSubstr("10..16"));
    // What a recipe says shall fail does, and what it says is off is not said.
    for (const char* level : {"fail", "warn", "note", "off"}) {
        const PackReport judged =
            pack({nods(40)}, recipe("range = [0, 12]\n[[clip]]\nname = \"d\"\nrange = [11, 24]\n",
                                    fmt::format("[checks]\nrange-overlap = \"{}\"\n", level)));
        EXPECT_EQ(judged.proven, level[0] != 'f') << level;
        const auto said = severities(judged, Code::kRangeOverlap);
        ASSERT_EQ(said.size(), level[0] == 'o' ? 0U : 1U) << level;
        if (!said.empty()) {
            EXPECT_EQ(said[0], level[0] == 'f'   ? Severity::kStop
                               : level[0] == 'w' ? Severity::kWarning
                                                 : Severity::kNote);
        }
    }
    // 160 degrees from sample to sample, but for the last.
    EXPECT_THAT(severities(pack({nods(24 * 140)}, recipe("range = [0, 24]\n")), Code::kFastTurn),
                IsEmpty());
    EXPECT_THAT(severities(pack({nods(24 * 160)}, recipe("range = [0, 24]\n")), Code::kFastTurn),
                testing::ElementsAre(Severity::kWarning));
}

TEST_F(TruthTest, SizesAndLengthsAreBounded) {
    const auto long_one = Keyed{0, "translation", {0, 1e6}, {0, 1, 0, 0, 1, 1}};
    write_bytes(folder_ / "figure.glb", figure({long_one}));
    EXPECT_THAT(pack_text(folder_, recipe("range = [0, 24000000]\n", "", "rate = 24\n")),
                FailsWith(Code::kLimit, "most_samples = 24000001"));
    EXPECT_THAT(parse_recipe(std::string(100, 'a') + "." +
                                 "a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a."
                                 "a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a = 1",
                             "r.toml", "."),
                FailsWith(Code::kLimit, "r.toml:1"));
    EXPECT_THAT(
        parse_recipe("x = \"a.b.c.d.e.f.g.h.i.j.k.l.m.n.o.p.q.r.s.t.u.v.w.x.y.z.a.b.c.d.e.f.g.h\"",
                     "r.toml", "."),
        Not(FailsWith(Code::kLimit, "")));
    Scene wheel;
    test::add_node(wheel, "w", kNone, {});
    test::key(wheel, 0, Path::kTranslation, {0, 0, 0}, {0, 0, 1}, 2);
    Performance longer;
    longer.timeline = 0;
    longer.most_walk_s = 1;
    EXPECT_THAT(Rig::bind(wheel, longer,
                          test::sheet("[[rule]]\nkind = \"roll\"\nnode = \"w\"\naxis = \"+X\"\n"
                                      "up = \"+Y\"\nradius = 1\n")),
                Not(FailsWith(Code::kLimit, "")))
        << "without a part that is played";
    longer.played = Played{0, 2, false};
    EXPECT_THAT(Rig::bind(wheel, longer,
                          test::sheet("[[rule]]\nkind = \"roll\"\nnode = \"w\"\naxis = \"+X\"\n"
                                      "up = \"+Y\"\nradius = 1\n")),
                FailsWith(Code::kLimit, "most_walk_seconds = 2"));
    const auto huge = keyed(0, "translation", 24, [](int f) { return Three{0, 1e3, 0.01 * f}; });
    const PackReport giant = pack({huge}, recipe("range = [0, 24]\n", "", "unit = 100\n"));
    EXPECT_FALSE(giant.proven);
    EXPECT_THAT(of_code(giant, Code::kSizeSuspect), Not(IsEmpty()));
}

TEST_F(TruthTest, MistypedAndHostileKeysAreNamed) {
    const auto parsed = [](const std::string& more, const std::string& source = "") {
        return parse_recipe(recipe("range = [0, 24]\n", more, source), "r.toml", ".");
    };
    for (const char* value : {"0", "-1", "1.5", "1e308", "nan"})
        EXPECT_THAT(parsed(fmt::format("most_samples = {}\n", value)),
                    FailsWith(Code::kValueBad, "most_samples"));
    EXPECT_THAT(parsed("", "plces = \"added\"\n"), FailsWith(Code::kKeyUnknown, "\"places\""));
    EXPECT_THAT(parsed("", "frames = \"some\"\n"), FailsWith(Code::kValueBad, "declared"));
    for (const char* list : {"camera", "arrangement", "layer", "clips", "timelines", "cue", "cues"})
        for (const char* value : {"[{}, 3]", "3"}) {
            const auto read = parse_recipe(
                fmt::format("{} = {}\n", list, value) + recipe("range = [0, 24]\n"), "r.toml", ".");
            ASSERT_FALSE(read.ok()) << list;
            EXPECT_THAT(test::text_of(read.failures()),
                        HasSubstr(fmt::format("[[{}]] tables", list)))
                << value;
        }
    EXPECT_THAT(parsed("[rename]\n\"*_a_*\" = \"*_b_*\"\n"), FailsWith(Code::kValueBad, "one *"));
    EXPECT_THAT(parsed("[rename]\n\"a_*\" = \"b\"\n"), FailsWith(Code::kValueBad, "one *"));
    EXPECT_THAT(parsed("[rename]\n\"a_*\" = \"b_*\"\n"), IsOk());
    EXPECT_THAT(parsed("[checks]\nloop-opne = \"off\"\n"),
                FailsWith(Code::kKeyUnknown, "loop-open"));
    EXPECT_THAT(parsed("[checks]\nloop-open = \"fial\"\n"), FailsWith(Code::kValueBad, "\"fail\""));
    EXPECT_THAT(parsed("[checks]\nproof-failed = \"off\"\n"),
                FailsWith(Code::kKeyUnknown, "proof-failed"));
}

TEST_F(TruthTest, EveryFindingAboutMotionFigureAndSkinCanBeJudged) {
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

TEST_F(TruthTest, MirroredScaleAndIdleControlsAreSaid) {
    const auto flip = keyed(1, "scale", 24, [](int f) { return Three{f < 12 ? 1.0 : -1.0, 1, 1}; });
    EXPECT_THAT(of_code(pack({flip}, recipe("range = [0, 24]\n")), Code::kScaledNode), SizeIs(1));
    const std::string control = R"(,{"name":"chin_control"})";
    const auto idle = keyed(3, "translation", 24, [](int f) { return Three{0, 0, f / 24.0}; });
    const Findings said = of_code(
        pack({going(24, 0.1), idle}, recipe("range = [0, 24]\n"), control, ",3"), Code::kUnbaked);
    ASSERT_THAT(said, SizeIs(1));
    EXPECT_THAT(said[0].found, HasSubstr("chin_control"));
}

TEST_F(TruthTest, NamesThatNoSystemTakesAndLinksThatLeadAway) {
    write_bytes(folder_ / "figure.glb", figure({going(24, 0.1)}));
    for (const char* name : {"con", "NUL.x", "lpt1", "walk."})
        EXPECT_THAT(pack_text(folder_, test::change(recipe("range = [0, 24]\n"), "name = \"c\"",
                                                    fmt::format("name = \"{}\"", name))),
                    FailsWith(Code::kValueBad, name));
    const TempFolder elsewhere;
    write_text(elsewhere / "secret.bin", "12345678");
    std::filesystem::create_symlink(elsewhere / "secret.bin", folder_ / "data.bin");
    write_text(
        folder_ / "linked.gltf",
        R"({"asset":{"version":"2.0"},"buffers":[{"uri":"data.bin","byteLength":8}],"nodes":[{"name":"n"}]})");
    EXPECT_THAT(read_scene(folder_ / "linked.gltf"), FailsWith(Code::kFileUnreadable, "leads out"));
    ::mkfifo((folder_ / "pipe.glb").c_str(), 0600);
    EXPECT_THAT(read_scene(folder_ / "pipe.glb"), FailsWith(Code::kFileUnreadable, "regular"));
}

// ---- reading

TEST(TruthOfKeysTest, QuaternionsAreUnitBeforeTheyAreMixed) {
    // A quarter turn about Z in one second, its first key 0.7 long: at a quarter of the way 22.5
    // degrees.
    TinyGltf floats, bytes;
    const double s = std::sqrt(0.5);
    const std::string members =
        R"("nodes":[{"name":"n"}],"animations":[{"name":"m","samplers":[{"input":0,"output":1}],"channels":[{"sampler":0,"target":{"node":0,"path":"rotation"}}]}])";
    floats.floats({0, 1}, "SCALAR");
    floats.floats({0, 0, 0, 0.7, 0, 0, s, s}, "VEC4");
    bytes.floats({0, 1}, "SCALAR");
    bytes.bytes({0, 0, 0, 120, 0, 0, 90, 90}, "VEC4", 5120, true);
    for (const auto& glb : {floats.glb(members), bytes.glb(members)}) {
        const auto read = test::read_tiny(glb);
        ASSERT_THAT(read, IsOk());
        EXPECT_THAT(read.value().findings, SizeIs(1)) << "beyond one part in a hundred it is said";
        const Scene& scene = read.value().scene;
        const Affine m = pose_at(scene, scene.timelines[0], 0.25).worlds[0];
        EXPECT_NEAR(std::atan2(m.x.y, m.x.x) * 180 / M_PI, 22.5, 1e-5);
        EXPECT_NEAR(
            test::angle(test::evaluate(scene, {}, 0.25).local(0, 0).r, test::turn(test::kZ, 22.5)),
            0, 1e-5);
    }
}

TEST(TruthOfKeysTest, OneUnevenKeyLeavesTheRate) {
    Scene scene = test::chain_scene(1, 1);
    std::vector<double> times, values;
    for (int f = 0; f <= 48; ++f) {
        times.push_back(f == 20 ? 20.2 / 24 : f / 24.0);
        values.insert(values.end(), {0.0, 0.0, f * 0.1});
    }
    scene.timelines.emplace_back();
    scene.timelines[0].channels.push_back(
        {0, Path::kTranslation, {Interpolation::kLinear, 3, times, {}}});
    scene.timelines[0].channels[0].curve.values = values;
    FrameRate rate;
    ASSERT_TRUE(guess_rate(scene, rate));
    EXPECT_EQ(rate, (FrameRate{24, 1}));
}

TEST(TruthOfKeysTest, NamesThatAreMissingDoubleOrNoUtf8) {
    const TempFolder folder;
    TinyGltf gltf;
    gltf.floats({0, 1}, "SCALAR");
    gltf.floats({0, 0, 0, 0, 0, 1}, "VEC3");
    const std::string one =
        R"("samplers":[{"input":0,"output":1}],"channels":[{"sampler":0,"target":{"node":0,"path":"translation"}}])";
    write_bytes(folder / "t.glb", gltf.glb(R"("nodes":[{"name":"n"}],"animations":[{"name":"a",)" +
                                           one + R"(},{"name":"a",)" + one + "},{" + one + "}]"));
    const auto read = read_scene(folder / "t.glb");
    ASSERT_THAT(read, IsOk());
    EXPECT_EQ(read.value().scene.timelines[1].name, "a_2");
    EXPECT_EQ(read.value().scene.timelines[2].name, "animation_2");
    write_text(folder / "l.bvh",
               "HIERARCHY\nROOT H\xFC"
               "fte\n{\n OFFSET 0 0 0\n CHANNELS 3 Zrotation Xrotation Yrotation\n End "
               "Site\n {\n OFFSET 0 1 0\n }\n}\nMOTION\nFrames: 1\nFrame Time: 0.04\n0 0 0\n");
    const auto latin = read_scene(folder / "l.bvh");
    ASSERT_THAT(latin, IsOk());
    EXPECT_EQ(latin.value().scene.nodes[0].name,
              "H\xC3\xBC"
              "fte");
}

// ---- BVH

std::string bvh(const std::string& frames, const std::string& count = "2") {
    return "HIERARCHY\nROOT hips\n{\n OFFSET 0 0.96 0\n CHANNELS 6 Xposition Yposition Zposition "
           "Zrotation "
           "Xrotation Yrotation\n JOINT head\n {\n  OFFSET 0 0.5 0\n  CHANNELS 3 Zrotation "
           "Xrotation "
           "Yrotation\n  End Site\n  {\n   OFFSET 0 0.2 0\n  }\n }\n}\nMOTION\nFrames: " +
           count + "\nFrame Time: 0.04\n" + frames;
}

TEST(TruthOfBvhTest, PlacesAreReadByEvidenceAndByWord) {
    const std::string beside_zero = bvh("0 0 0 0 0 0 0 0 0\n0.1 0.02 0.3 90 0 0 0 0 0\n");
    const std::string beside_offset = bvh("0 0.96 0 0 0 0 0 0 0\n0.1 0.98 0.3 90 0 0 0 0 0\n");
    for (const auto& [text, added] :
         {std::pair(beside_zero, true), std::pair(beside_offset, false)})
        for (const std::optional<BvhPlaces> told :
             {std::optional<BvhPlaces>(), std::optional(BvhPlaces::kAdded),
              std::optional(BvhPlaces::kInstead)}) {
            ReadLimits limits;
            limits.bvh_places = told;
            const auto read = read_bvh(text, "t.bvh", limits);
            ASSERT_THAT(read, IsOk());
            const Scene& scene = read.value().scene;
            const Pose pose = pose_at(scene, scene.timelines[0], 0.04);
            const auto plain =
                test::plain_bvh_places(text, 1, told ? *told == BvhPlaces::kAdded : added);
            for (const char* name : {"hips", "head"}) {
                const Vec3 o = pose.worlds[static_cast<std::size_t>(find_node(scene, name))].o;
                const auto& p = plain.at(name);
                EXPECT_NEAR(length(o - Vec3{p[0], p[1], p[2]}), 0, 1e-12) << name;
            }
            EXPECT_EQ(read.value().findings.size(), told ? 1U : 2U);
        }
}

TEST(TruthOfBvhTest, WhatIsWrittenMeansTheSameToEveryReader) {
    // Hips that walk, a head that turns a quarter about Z and slides out: each 1 and 0.5 m up at
    // rest.
    auto made = Skeleton::make({{"hips", -1, {{0, 1, 0}, {}, {1, 1, 1}}},
                                {"head", 0, {{0, 0.5, 0}, {}, {1, 1, 1}}},
                                {"tip", 1, {{0, 0.2, 0}, {}, {1, 1, 1}}}});
    ASSERT_THAT(made, IsOk());
    Clip clip;
    clip.samples = 2;
    clip.rate = {25, 1};
    for (int j = 0; j < 3; ++j) {
        JointTrack track;
        track.translation.resize(6), track.rotation.resize(8), track.scale.resize(6);
        clip.joints.push_back(track);
    }
    for (int k = 0; k < 2; ++k) {
        store(clip.joints[0], k, {{0, 1, 0.3 * k}, {}, {1, 1, 1}});
        store(clip.joints[1], k, {{0.1 * k, 0.5, 0}, test::turn(test::kZ, 90.0 * k), {1, 1, 1}});
        store(clip.joints[2], k, {{0, 0.2, 0}, {}, {1, 1, 1}});
    }
    const auto written = write_bvh(made.value(), clip, {});
    ASSERT_THAT(written, IsOk());
    for (const bool added : {true, false}) {
        const auto places = test::plain_bvh_places(written.value().text, 1, added);
        const std::array<double, 3> tip{0.1 - 0.2, 1.5, 0.3};  // 0.2 up, turned to -X
        for (std::size_t i = 0; i < 3; ++i) EXPECT_NEAR(places.at("tip")[i], tip[i], 1e-6) << added;
    }
}

TEST(TruthOfBvhTest, FramesThatAreNotThereOrTooMany) {
    const std::string two = "0 0 0 0 0 0 0 0 0\n0 0 0 0 0 0 0 0 0\n";
    ReadLimits all, declared;
    all.bvh_frames = BvhFrames::kAll;
    declared.bvh_frames = BvhFrames::kDeclared;
    EXPECT_THAT(read_bvh(bvh(two, "3"), "t.bvh"), FailsWith(Code::kBvhBroken, "t.bvh:17"));
    const auto keys = [](const Result<ReadResult>& read) {
        return read.value().scene.timelines[0].channels[0].curve.times.size();
    };
    EXPECT_EQ(keys(read_bvh(bvh(two, "3"), "t.bvh", all)), 2U);
    EXPECT_EQ(keys(read_bvh(bvh(two, "1"), "t.bvh", declared)), 1U);
    EXPECT_EQ(keys(read_bvh(bvh(two, "1"), "t.bvh")), 2U);
}

// ---- comparing

TEST(TruthOfComparingTest, EachDifferenceHasItsLine) {
    const auto scene = [](const std::vector<Keyed>& keys) {
        return test::read_tiny(figure(keys)).value().scene;
    };
    const Keyed go{0, "translation", {0, 1}, {0, 1, 0, 0, 1, 1}};
    const auto aspects = [&](const Scene& a, const Scene& b, const CompareOptions& options = {}) {
        std::vector<std::string> names;
        for (const Difference& d : differences(compare_motion(a, b, options).value(), {}))
            names.emplace_back(name(d.aspect));
        return names;
    };
    const Scene a = scene({go});
    using Names = std::vector<std::string>;
    EXPECT_EQ(aspects(a, a), Names{});
    const Keyed grow{1, "scale", {0, 1}, {1, 1, 1, 1, 1.01, 1}};
    EXPECT_EQ(aspects(a, scene({go, grow})), (Names{"scales", "vertices"}));
    Scene renamed = a;
    renamed.nodes[1].name = "skull";
    EXPECT_EQ(aspects(a, renamed), Names{"joints"});
    Scene bare = a;
    bare.nodes[2].mesh = kNone;
    EXPECT_EQ(aspects(a, bare), Names{"meshes"});
    const Keyed later{0, "translation", {1, 2}, {0, 1, 0, 0, 1, 1}};
    EXPECT_EQ(aspects(a, scene({later})), (Names{"places", "vertices", "length"}));
    CompareOptions align;
    align.align_first_key = true;
    EXPECT_EQ(aspects(a, scene({later}), align), Names{});
    Scene loose = a;
    loose.nodes[1].parent = kNone;
    loose.nodes[1].local.t = {0, 1.5, 0};
    EXPECT_EQ(aspects(a, loose), (Names{"places", "vertices", "parents"}));
    EXPECT_THAT(differences(compare_motion(a, bare, {}).value(), {}, {Aspect::kMeshes}), IsEmpty());
}

// ---- the legs tell the axes

TEST(TruthOfStockTest, LegsTellUpAndFront) {
    const auto stock = [](Vec3 down, Vec3 left) {
        Scene scene;
        const int hips = test::add_node(scene, "hips", kNone, {});
        for (const double side : {1.0, -1.0}) {
            const std::string end = side > 0 ? ".L" : ".R";
            const int thigh =
                test::add_node(scene, "thigh" + end, hips, {side * 0.1 * left, {}, {1, 1, 1}});
            test::add_node(scene, "foot" + end, thigh, {0.8 * down, {}, {1, 1, 1}});
        }
        Stock out = take_stock(scene);
        std::erase_if(out.findings, [](const Finding& f) { return f.code != Code::kAxisSuspect; });
        return out.findings;
    };
    EXPECT_THAT(stock({0, -1, 0}, {1, 0, 0}), IsEmpty());  // +Y up, left +X: it faces +Z
    const Findings lying = stock({0, 0, -1}, {1, 0, 0});   // +Z up, left +X: faces -Y
    ASSERT_THAT(lying, SizeIs(1));
    EXPECT_THAT(lying[0].remedy, HasSubstr("\nfront = \"-Y\""));
    const Findings away = stock({0, -1, 0}, {-1, 0, 0});
    ASSERT_THAT(away, SizeIs(1));
    EXPECT_THAT(away[0].found, HasSubstr("faces -Z"));
}

TEST(TruthOfStockTest, ToesAreTheSecondWitness) {
    // Left is along +X and up along +Y: by the right hand, it faces +Z.
    std::vector<std::string> lines;  // of the last one that was mirrored
    const auto codes = [&](Vec3 ahead, Hand hand, std::array<const char*, 2> sides) {
        Scene scene;
        scene.convention.hand = hand;
        const int hips = test::add_node(scene, "hips", kNone, {});
        for (const double side : {1.0, -1.0}) {
            const std::string end = sides[side > 0 ? 0 : 1];
            const int thigh =
                test::add_node(scene, "thigh" + end, hips, {{0.1 * side, 0, 0}, {}, {1, 1, 1}});
            const int foot =
                test::add_node(scene, "foot" + end, thigh, {{0, -0.8, 0}, {}, {1, 1, 1}});
            test::add_node(scene, "toe" + end, foot, {ahead, {}, {1, 1, 1}});
        }
        std::vector<std::string> out;
        for (const Finding& f : take_stock(scene).findings)
            if (f.code == Code::kAxisSuspect || f.code == Code::kHandSuspect) {
                lines.clear();
                for (const Edit& edit : f.edits) lines.push_back(edit.key + " " + edit.value);
                out.push_back(std::string(name(f.code)) + ": " + f.found);
            }
        return out;
    };
    const std::array right{".L", ".R"}, swapped{".R", ".L"};
    const Vec3 front{0, -0.05, 0.15}, back{0, -0.05, -0.15};
    EXPECT_THAT(codes(front, Hand::kRight, right), IsEmpty());
    EXPECT_THAT(codes(front, Hand::kLeft, swapped), IsEmpty());
    for (const auto& mirrored :
         {codes(front, Hand::kLeft, right), codes(front, Hand::kRight, swapped)})
        EXPECT_THAT(mirrored,
                    testing::ElementsAre("hand-suspect: the feet of the figure point along +Z, "
                                         "but by its left and right legs it faces -Z"));
    EXPECT_THAT(lines, testing::ElementsAre("hand \"left\""));
    (void)codes(back, Hand::kRight, right);  // once its hand is right it faces the other way
    EXPECT_THAT(lines, testing::ElementsAre("hand \"left\"", "up \"+Y\"", "front \"-Z\""));
    EXPECT_THAT(codes(back, Hand::kRight, swapped), testing::ElementsAre(HasSubstr("it faces -Z")));
    // Without a left and a right one that face anywhere, toes alone tell.
    EXPECT_THAT(codes({}, Hand::kRight, right), IsEmpty());
}

// ---- rules

TEST(TruthOfRulesTest, AimsWeightIsClampedAndMixesAlongTheArc) {
    Scene scene;
    const int eye = test::add_node(scene, "eye", kNone, {});
    test::add_node(scene, "apple", kNone, {{5, 0, 0}, {}, {1, 1, 1}});
    const auto turned = [&](const std::string& weight) {
        const RigSheet rules = test::sheet(
            "[[rule]]\nkind = \"aim\"\nnode = \"eye\"\nsource = \"apple\"\naxis = "
            "\"+Z\"\nup_axis = \"+Y\"\nup = \"+Y\"\nweight = \"w\"\n[[scalar]]\n"
            "name = \"w\"\nvalue = " +
            weight + "\n");
        return test::angle(test::evaluate(scene, rules).local(eye, 0).r, {});
    };
    EXPECT_NEAR(turned("1"), 90, 1e-9);
    EXPECT_NEAR(turned("2"), 90, 1e-9);
    EXPECT_NEAR(turned("0.25"), 22.5, 1e-9);
    EXPECT_NEAR(turned("-1"), 0, 1e-9);
}

TEST(TruthOfRulesTest, WheelsFollowTheArcOfABend) {
    // A cart goes round a circle of 3 m once in 60 s: 6 pi m of way, a wheel of 0.25 m: 12 turns.
    Scene scene;
    const int cart = test::add_node(scene, "cart", kNone, {});
    const int wheel = test::add_node(scene, "wheel", cart, {{3, 0, 0}, {}, {1, 1, 1}});
    Curve turn{Interpolation::kLinear, 4, {}, {}};
    for (int k = 0; k <= 600; ++k) {
        turn.times.push_back(k * 0.1);
        const Quat q = test::turn(test::kY, -0.6 * k);
        turn.values.append({q.x, q.y, q.z, q.w});
    }
    scene.timelines.emplace_back();
    scene.timelines[0].channels.push_back({cart, Path::kRotation, turn});
    const RigSheet rules = test::sheet(
        "[[rule]]\nkind = \"roll\"\nnode = \"wheel\"\nradius = 0.25\naxis = \"+X\"\nup = \"+Y\"\n");
    const PoseTile tile = test::evaluate(scene, rules, 60.0);
    const double off = test::angle(tile.local(wheel, 0).r, {});  // twelve turns: none is left over
    EXPECT_LT(std::min(off, 360 - off), 0.036) << "a ten-thousandth of a turn";
}

TEST(TruthOfRulesTest, LagsCloseTheirLoopsByThemselves) {
    // Slow and hardly damped: after two seconds a quarter of how it began is left.
    Scene scene;
    const int node = test::add_node(scene, "n", kNone, {});
    Curve swing{Interpolation::kLinear, 3, {}, {}};
    for (int k = 0; k <= 48; ++k) {
        swing.times.push_back(k / 24.0);
        swing.values.append({std::sin(2 * M_PI * k / 24), 0.0, 0.0});
    }
    scene.timelines.emplace_back();
    scene.timelines[0].channels.push_back({node, Path::kTranslation, swing});
    Performance performance;
    performance.timeline = 0;
    performance.played = Played{1, 2, true};
    const RigSheet rules =
        test::sheet("[[rule]]\nkind = \"lag\"\nnode = \"n\"\nfrequency = 0.5\ndamping = 0.2\n");
    const PoseTile tile = test::evaluate(scene, rules, performance, {1.0, 2.0});
    EXPECT_LT(length(tile.local(node, 0).t - tile.local(node, 1).t), 1e-5);
}

TEST(TruthOfRulesTest, ShakingMovesOnEveryBeat) {
    Scene scene;
    const int node = test::add_node(scene, "n", kNone, {});
    test::key(scene, node, Path::kScale, {1, 1, 1}, {1, 1, 1}, 2);
    Layer shake;
    shake.body = ShakeLayer{{}, {1, 1, 1}, 24, {1, 2, 3}};
    shake.mask = parse_mask({"n"});
    Performance performance;
    performance.timeline = 0;
    performance.layers = {shake};
    std::vector<double> beats;
    for (int k = 0; k < 24; ++k) beats.push_back(k / 24.0);
    const PoseTile tile = test::evaluate(scene, {}, performance, beats);
    int moved = 0;
    for (int k = 0; k < 24; ++k) moved += length(tile.local(node, k).t) > 0.01 ? 1 : 0;
    EXPECT_GT(moved, 20);
}

TEST(TruthOfRulesTest, SmoothingTakesSlopesFromBeyondItsRange) {
    // Keys 0 0 1 0 0 a second apart, smoothed from second 1 to 3: the slope at 1 is (1 - 0) / 2, at
    // 2 nothing.
    Scene scene;
    const int node = test::add_node(scene, "n", kNone, {});
    scene.rate = {1, 1};
    Curve bump{Interpolation::kLinear, 3, {0, 1, 2, 3, 4}, {}};
    for (const double v : {0.0, 0.0, 1.0, 0.0, 0.0}) bump.values.append({v, 0.0, 0.0});
    scene.timelines.emplace_back();
    scene.timelines[0].channels.push_back({node, Path::kTranslation, bump});
    Layer smooth;
    smooth.body = SmoothLayer{1, 3};
    smooth.mask = parse_mask({"n"});
    Performance performance;
    performance.timeline = 0;
    performance.layers = {smooth};
    const PoseTile tile = test::evaluate(scene, {}, performance, {0.5, 1.5});
    EXPECT_NEAR(tile.local(node, 0).t.x, 0, 1e-12) << "outside nothing changes";
    EXPECT_NEAR(tile.local(node, 1).t.x, 0.5 + 0.5 / 8,
                1e-12);  // Hermite at a half: (p0+p1)/2 + (m0-m1)/8
}

}  // namespace
}  // namespace mellow
