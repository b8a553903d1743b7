// Where clips begin and end: too short, a loop that nobody has called one; frames, cues and motion
// that a recipe leaves out or has twice; whose hips, roots, names and weights are taken for what.
#include <cmath>
#include <numbers>

#include "mellow/stock.h"
#include "mellow/write.h"
#include "small_figure.h"

namespace mellow {
namespace {

using namespace test;
using namespace testing;

class ClipEndsTest : public SmallFigure {
  protected:
    /// Hips that sway, a round in 24 frames, through the middle at full speed at its ends.
    static std::vector<Keyed> sways(int frames = 96) {
        return {keyed(0, "translation", frames, [](int f) {
            return Three{0.1 * std::sin(f * std::numbers::pi / 12), 1, 0};
        })};
    }
    std::vector<std::string> said(const std::vector<Keyed>& keys, const std::string& clip,
                                  Code code) {
        std::vector<std::string> out;
        for (const Finding& f : of_code(pack(keys, recipe(clip)), code)) out.push_back(f.found);
        return out;
    }
    /// The figure's scene, changed by a test, as its file.
    template <class Change>
    Stock changed(const std::vector<Keyed>& keys, Change change) {
        write_bytes(folder_ / "figure.glb", figure(keys));
        Scene scene = read_scene(folder_ / "figure.glb").value().scene;
        change(scene);
        const auto bytes = write_glb(scene);
        write_bytes(folder_ / "figure.glb", {bytes.begin(), bytes.end()});
        return take_stock(scene);
    }
};

TEST_F(ClipEndsTest, ALoopThatNobodyCalledOneIsTold) {
    const std::string found = "its last pose is its first, and it moves on there: it plays once";
    EXPECT_THAT(said(sways(), "range = [0, 24]\n", Code::kLoopUnsaid), ElementsAre(found));
    EXPECT_THAT(said(sways(), "range = [0, 48]\n", Code::kLoopUnsaid), SizeIs(1)) << "two rounds";
    EXPECT_THAT(said(sways(), "range = [0, 24]\nloop = true\n", Code::kLoopUnsaid), SizeIs(0));
    EXPECT_THAT(said(sways(), "range = [0, 12]\n", Code::kLoopUnsaid), SizeIs(0))
        << "it turns back there";
    EXPECT_THAT(said(sways(), "range = [6, 30]\n", Code::kLoopUnsaid), SizeIs(0))
        << "it comes to rest there";
    EXPECT_THAT(said(sways(), "range = [0, 23]\n", Code::kLoopUnsaid), SizeIs(0));
}

TEST_F(ClipEndsTest, WhatIsTooShortToSeeIsTold) {
    EXPECT_THAT(said(sways(), "range = [3, 6]\n", Code::kTooShort),
                ElementsAre("it lasts 0.125 s, 3 intervals"));
    EXPECT_THAT(said(sways(), "range = [3, 7]\n", Code::kTooShort), SizeIs(0));
    EXPECT_THAT(said(sways(), "pose = 3\n", Code::kTooShort), SizeIs(0)) << "a pose";
}

TEST_F(ClipEndsTest, HowStillAnEndIsIsForTheRecipeToSay) {
    // After frame 12 it breathes by 2 mm and a degree.
    const auto breathes = [](int f) { return f < 12 ? f / 12.0 : std::sin(f); };
    const std::vector<Keyed> keys{
        keyed(0, "translation", 48,
              [&](int f) {
                  return Three{f < 12 ? 0.2 - 0.2 * breathes(f) : 0.001 * breathes(f), 1, 0};
              }),
        keyed(1, "rotation", 48, [&](int f) {
            const double half = f < 12 ? 0 : std::numbers::pi / 720 * breathes(f);
            return std::vector<double>{0, std::sin(half), 0, std::cos(half)};
        })};
    const auto told = [&](const std::string& still) {
        return of_code(pack(keys, recipe("range = [0, 48]\n", "[motion]\n" + still)),
                       Code::kStillTail);
    };
    EXPECT_THAT(told(""), SizeIs(0));
    EXPECT_THAT(told("still_mm = 2.1\n"), SizeIs(0));
    EXPECT_THAT(told("still_degrees = 1.1\n"), SizeIs(0));
    const Findings both = told("still_mm = 2.1\nstill_degrees = 1.1\n");
    ASSERT_THAT(both, SizeIs(1));
    EXPECT_EQ(both[0].remedy, "end the range at 12");
}

TEST_F(ClipEndsTest, SamplesWithoutSizeAreNamed) {
    const std::vector<Keyed> keys{keyed(1, "scale", 24, [](int f) {
        const double size = f >= 5 && f < 10 ? 0 : 1;
        return Three{1, size, 1};
    })};
    EXPECT_THAT(said(keys, "range = [0, 24]\n", Code::kZeroScale),
                ElementsAre("a scale of zero on head, from sample 5 to 9"));
}

TEST_F(ClipEndsTest, FramesInNoClipAreToldBeforeBetweenAndAfter) {
    const std::string two = "range = [24, 40]\n[[clip]]\nname = \"d\"\nrange = [55, 72]\n";
    EXPECT_THAT(said(sways(), two, Code::kRangeGap),
                ElementsAre("frames 41..54 before it move and are in no clip",
                            "frames 0..23 and 73..96 of its timeline move and are in no clip"));
    EXPECT_THAT(said(sways(), "range = [6, 92]\n", Code::kRangeGap), SizeIs(0))
        << "a few frames are none";
}

TEST_F(ClipEndsTest, RangesCountedFromOneGetAllThereIs) {
    const auto refused = [&](const std::string& range, const std::string& more = "") {
        write_bytes(folder_ / "figure.glb", figure(sways(48)));
        return pack_text(folder_, recipe("range = " + range + "\n" + more), true).failure().remedy;
    };
    EXPECT_THAT(refused("[1, 49]"), StartsWith("range = [0, 48]"));
    EXPECT_THAT(refused("[2, 50]"), StartsWith("range = [2, 48]"));
    // A loop that does not fit the rate gets the nearest range that does.
    write_bytes(folder_ / "figure.glb", figure(sways(48)));
    const auto off = pack_text(
        folder_, change(recipe("range = [0, 11]\nloop = true\n"), "rate = 24", "rate = 30"), true);
    EXPECT_EQ(off.failure().remedy,
              "a target rate of 24; or range = [0, 12], where it closes there too");
}

TEST_F(ClipEndsTest, ASpanOfACueThatIsCutIsTold) {
    const std::string cue = "range = [0, 48]\n[[cue]]\nname = \"slip\"\nat = 40\nto = ";
    EXPECT_THAT(said(sways(), cue + "60\n", Code::kLeftOut),
                ElementsAre("cue \"slip\" ends at frame 60, which is in no clip: it is cut at the "
                            "end of those that it begins in"));
    EXPECT_THAT(said(sways(), cue + "48\n", Code::kLeftOut), SizeIs(0));
}

TEST_F(ClipEndsTest, OneMotionUnderTwoNamesIsTold) {
    changed(sways(24), [](Scene& scene) {
        for (const char* name : {"again", "other"}) {
            scene.timelines.push_back(scene.timelines[0]);
            scene.timelines.back().name = name;
        }
        scene.timelines[1].channels[0].curve.values.edit()[6] += 1e-6;  // another program's digits
        scene.timelines[2].channels[0].curve.values.edit()[3] += 0.01;
    });
    std::string text = recipe("timeline = \"move\"\nrange = [0, 24]\n");
    for (const std::string name : {"again", "other"})
        text += "[[clip]]\nname = \"" + name + "\"\ntimeline = \"" + name + "\"\nrange = [0, 24]\n";
    const auto report = pack_text(folder_, text, true);
    ASSERT_THAT(report, IsOk());
    const auto found = of_code(report.value(), Code::kSameContent);
    ASSERT_THAT(found, SizeIs(1));
    EXPECT_EQ(found[0].found, "the same motion as \"c\", to the rounding of its numbers");
    EXPECT_THAT(found[0].where.text(), HasSubstr("\"again\""));
    // A file that somebody has changed since is packed again, and that is said.
    std::string glb = read_text(folder_ / "out/clips/other.glb");
    glb.back() = static_cast<char>(glb.back() ^ 1);
    write_text(folder_ / "out/clips/other.glb", glb);
    const auto again = pack_text(folder_, text, true);
    ASSERT_THAT(again, IsOk());
    const auto changed_file = of_code(again.value(), Code::kOutputExists);
    ASSERT_THAT(changed_file, SizeIs(1));
    EXPECT_THAT(changed_file[0].where.text(), EndsWith("out/clips/other.glb"));
    EXPECT_THAT(of_code(pack_text(folder_, text, true).value(), Code::kOutputExists), SizeIs(0));
}

TEST_F(ClipEndsTest, HipsAreFoundBelowWhateverStandsAboveThem) {
    const auto hips = [&](const std::string& name) {
        changed({going(24, 1)}, [&](Scene& scene) {
            scene.nodes[0].name = "Reference";
            scene.nodes[1].name = name;
        });
        const auto report = pack_text(folder_, recipe("range = [0, 24]\n"), true);
        EXPECT_THAT(report, IsOk());
        return report ? report.value().hips : "";
    };
    EXPECT_EQ(hips("hero:Hips"), "hero:Hips");
    EXPECT_EQ(hips("rig:PELVIS"), "rig:PELVIS");
    EXPECT_EQ(hips("head"), "Reference");
    // A root of the source under another spelling than the one that is added.
    changed({going(24, 1)}, [](Scene& scene) { scene.nodes[0].name = "Root"; });
    const auto report = pack_text(folder_, recipe("range = [0, 24]\n"), true);
    EXPECT_THAT(of_code(report.value(), Code::kAssumed),
                Contains(Field(&Finding::found,
                               HasSubstr("\"Root\" of the source, below a joint \"root\""))));
}

TEST_F(ClipEndsTest, PrefixesOfMostNamesAndTimelinesOfWeightsOrCamerasAreTakenAsTheyAre) {
    const Stock most = changed(sways(24), [](Scene& scene) {
        for (const char* name : {"hero:a", "hero:b", "hero:c", "hero:d", "hero:e"}) {
            scene.nodes.push_back({});
            scene.nodes.back().name = name;
            scene.roots.push_back(static_cast<int>(scene.nodes.size()) - 1);
        }
    });
    EXPECT_THAT(most.findings,
                Contains(AllOf(Field(&Finding::code, Code::kPrefix),
                               Field(&Finding::found, "5 of 8 names begin with \"hero:\""))));
    // Weights alone, or a camera alone, are what their timeline is for; a control alone is not.
    const auto unbaked = [&](int node, Path path) {
        return changed(
            {keyed(1, "translation", 24,
                   [](int f) {
                       return Three{0, f / 24.0, 0};
                   })},
            [&](Scene& scene) {
                for (const char* name : {"camera", "control"}) {
                    scene.nodes.push_back({});
                    scene.nodes.back().name = name;
                    scene.roots.push_back(static_cast<int>(scene.nodes.size()) - 1);
                }
                scene.cameras.emplace_back(
                    R"({"type":"perspective","perspective":{"yfov":0.7,"znear":0.1}})");
                scene.nodes[3].camera = 0;
                Primitive& part = scene.meshes[0].primitives[0];
                part.targets.emplace_back().positions.assign(part.positions.size(), {0, 0.1F, 0});
                scene.meshes[0].target_names = {"smile"};
                Channel& c = scene.timelines[0].channels[0];
                c.node = node, c.path = path;
                if (path != Path::kWeights) return;
                c.curve.width = 1;
                c.curve.values = std::vector<double>(c.curve.times.size(), 0.0);
                c.curve.values.edit()[3] = 1;
            });
    };
    for (const auto& [node, path, alone] :
         {std::tuple(2, Path::kWeights, false), std::tuple(3, Path::kTranslation, false),
          std::tuple(4, Path::kTranslation, true)})
        EXPECT_EQ(unbaked(node, path).timelines[0].controls_alone, alone) << node;
}

}  // namespace
}  // namespace mellow
