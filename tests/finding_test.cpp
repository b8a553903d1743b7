// What packing, checking and comparing find: things left behind, loops that are none, keys without
// effect.
#include <gmock/gmock.h>

#include <nlohmann/json.hpp>

#include "plain_gltf.h"
#include "small_figure.h"

namespace mellow::finding_test {
namespace {

using namespace test;
using nlohmann::json;
using testing::AllOf;
using testing::EndsWith;
using testing::HasSubstr;
using testing::SizeIs;

/// Hips that go a metre ahead in a second, and a coat on its own skeleton that goes as far as said.
std::vector<std::uint8_t> with_coat(double far) {
    return figure({keyed(0, "translation", 24,
                         [](int f) {
                             return Three{0, 1, f / 24.0};
                         }),
                   keyed(3, "translation", 24,
                         [&](int f) {
                             return Three{0, 1, far * f / 24.0};
                         })},
                  R"(,{"name":"coat","translation":[0,1,0]},{"name":"cloth","mesh":1,"skin":1})",
                  ",3,4",
                  R"(,{"primitives":[{"attributes":{"POSITION":0,"JOINTS_0":1,"WEIGHTS_0":2}}]}],)"
                  R"("skins":[{"joints":[0,1],"inverseBindMatrices":3},{"joints":[3,3]})");
}

class FindingTest : public testing::Test {
  protected:
    Result<PackReport> pack(const std::vector<std::uint8_t>& figure, const std::string& text) {
        write_bytes(folder_ / "figure.glb", figure);
        return pack_text(folder_, text, true);
    }
    PackReport packed(const std::vector<std::uint8_t>& figure, const std::string& text) {
        auto report = pack(figure, text);
        EXPECT_THAT(report, IsOk());
        return report ? std::move(report.value()) : PackReport();
    }
    ToolRun tool(const std::string& words) const {
        return run_tool(words, "cd '" + folder_.path().string() + "' && ");
    }
    TempFolder folder_;
};

const std::string kGoes = "range = [0, 24]\ntravel = [\"ground\"]\n",
                  kHips = "[travel]\nhips = \"hips\"\n";

TEST_F(FindingTest, KeysWithoutEffectAreToldOneByOne) {
    write_bytes(folder_ / "figure.glb", figure({keyed(0, "translation", 24, [](int f) {
                    return Three{0, 1, f / 24.0};
                })}));
    // One key at a time: none of them acts on anything here.
    const std::string set = "[[set]]\nname = \"all\"\nnodes = [\"hips\"]\n",
                      names = "[target.rename]\n\"hipz\" = \"pelvis\"\n",
                      morphs = "[[target.morphs]]\nmatch = \"smlie\"\ndo = \"drop\"\n",
                      surplus = "surplus = \"drop\"\n", library = "library_name = \"x\"\n",
                      mirror = "[mirror]\nprops = [\"x\"]\n", rename = "[rename]\n\"x\" = \"y\"\n";
    const std::pair<std::string, std::string> clips[] = {
        {"align = \"head\"\n", "align"},
        {"carry = [\"ground\"]\n", "carry"},
        {"travel_as = \"channels\"\n", "travel_as"},
        {"thumbnail = 0.3\n", "thumbnail"},
    };
    for (const auto& [line, key] : clips) {
        const PackReport report = packed(figure({keyed(1, "translation", 24,
                                                       [](int f) {
                                                           return Three{0, 0.5 + f / 100.0, 0};
                                                       })}),
                                         recipe("range = [0, 24]\n" + line));
        const Findings told = of_code(report, Code::kNoEffect);
        ASSERT_THAT(told, SizeIs(1)) << line;
        EXPECT_THAT(to_text(told[0]), HasSubstr(key));
    }
    for (const std::string& more : {set, names, morphs, surplus, library, mirror, rename}) {
        const bool top = more == set;
        const PackReport report =
            packed(figure({keyed(0, "translation", 24,
                                 [](int f) {
                                     return Three{0, 1, f / 24.0};
                                 })}),
                   top ? set + recipe(kGoes, kHips) : recipe(kGoes, more + kHips));
        EXPECT_THAT(of_code(report, Code::kNoEffect), SizeIs(1)) << more;
    }
    EXPECT_THAT(of_code(packed(figure({keyed(0, "translation", 24,
                                             [](int f) {
                                                 return Three{0, 1, f / 24.0};
                                             })}),
                               recipe(kGoes, kHips)),
                        Code::kNoEffect),
                SizeIs(0));
}

TEST_F(FindingTest, ClosingALoopByMoreThanASeamIsAStop) {
    // The head rises 0.3 m: closing the loop would change it by all of that.
    const auto rises = figure({keyed(1, "translation", 24, [](int f) {
        return Three{0, 0.5 + f / 80.0, 0};
    })});
    const std::string repair = "range = [0, 24]\nloop = \"repair\"\n";
    const PackReport report = packed(rises, recipe(repair));
    EXPECT_FALSE(report.proven);
    const Findings told = of_code(report, Code::kLoopRepair);
    ASSERT_THAT(told, SizeIs(1));
    EXPECT_THAT(told[0].found, HasSubstr("300 mm at \"head\""));
    EXPECT_TRUE(packed(rises, recipe(repair + "repair_mm = 301\n")).proven);
    // Hips that go a metre and were not told to carry it.
    const auto goes = figure({keyed(0, "translation", 24, [](int f) {
        return Three{0, 1, f / 24.0};
    })});
    const Findings forgot = of_code(packed(goes, recipe(repair, kHips)), Code::kLoopRepair);
    ASSERT_THAT(forgot, SizeIs(1));
    EXPECT_THAT(forgot[0].remedy, HasSubstr("travel = [\"ground\"]"));
}

TEST_F(FindingTest, LoopGapsAreOfTheWorldAndNameTheirJoint) {
    // The hips end two degrees turned about X; the head hangs half a metre above them, so that it
    // ends 2 * 500 * sin(1 degree) = 17.45 mm from where it began.
    const double half = 1 * std::numbers::pi / 180;
    const PackReport report =
        packed(figure({keyed(0, "rotation", 24,
                             [&](int f) {
                                 const double a = half * f / 24;
                                 return std::vector{std::sin(a), 0.0, 0.0, std::cos(a)};
                             })}),
               recipe("range = [0, 24]\nloop = true\n", "[checks]\nloop-open = \"warn\"\n"));
    ASSERT_THAT(report.clips, SizeIs(1));
    EXPECT_NEAR(report.clips[0].gap.distance_m, 2 * 0.5 * std::sin(half), 1e-6);
    const json gap = json::parse(read_text(report.folder / "crate.json"))["clips"][0]["loop_gap"];
    EXPECT_EQ(gap["joint"], "head");
    EXPECT_NEAR(gap["mm"].get<double>(), 1000 * std::sin(half), 1e-3);
    EXPECT_NEAR(gap["degrees"].get<double>(), 2, 1e-4);
}

TEST_F(FindingTest, CheckSaysOfACrateWhatPackSaid) {
    const auto turns = figure({keyed(0, "rotation", 24, [](int f) {
        const double a = f * std::numbers::pi / 180;
        return std::vector{std::sin(a), 0.0, 0.0, std::cos(a)};
    })});
    // The loop does not close: a demand of every target with closed loops.
    write_bytes(folder_ / "figure.glb", turns);
    const std::string open = "range = [0, 24]\nloop = true\n";
    for (const char* level : {"fail", "warn", "note", "off"}) {
        std::filesystem::remove_all(folder_ / "out");
        write_text(folder_ / "r.toml",
                   recipe(open, fmt::format("[checks]\nloop-open = \"{}\"\n", level)));
        const ToolRun made = tool("pack r.toml --json");
        const bool fails = std::string(level) == "fail";
        EXPECT_EQ(made.exit, fails ? 1 : 0) << level << made.out << made.err;
        if (fails) continue;
        EXPECT_EQ(tool("check out").exit, 0) << level;
        const json accepted =
            json::parse(read_text(folder_ / "out/crate.json"))["proof"]["accepted"];
        EXPECT_EQ(accepted, json::array({"closing-sample"})) << level;
    }
}

TEST_F(FindingTest, CompareTellsFactsAndRenamedClips) {
    const auto goes = figure({keyed(0, "translation", 24, [](int f) {
        return Three{0, 1, f / 24.0};
    })});
    write_bytes(folder_ / "figure.glb", goes);
    const std::string cue = "[[cue]]\nname = \"step\"\nat = 3\n";
    write_text(folder_ / "a.toml", recipe(kGoes, kHips));
    const auto other = [&](const std::string& text) {
        std::filesystem::remove_all(folder_ / "b");
        write_text(folder_ / "b.toml", change(text, "\"out\"", "\"b\""));
        EXPECT_EQ(tool("pack b.toml --quiet").exit, 0) << text;
        return tool("compare out b");
    };
    ASSERT_EQ(tool("pack a.toml --quiet").exit, 0);
    EXPECT_EQ(other(recipe(kGoes, kHips)).exit, 0);
    for (const auto& [line, word] :
         {std::pair("speed = 2\n", "speed"), std::pair("group = \"walks\"\n", "group"),
          std::pair("tags = { mood = \"glad\" }\n", "tags")}) {
        const ToolRun run = other(recipe(kGoes + line, kHips));
        EXPECT_EQ(run.exit, 1) << line;
        EXPECT_THAT(run.out, HasSubstr(word));
    }
    const ToolRun cued = other(recipe(kGoes, kHips) + cue);
    EXPECT_EQ(cued.exit, 1);
    EXPECT_THAT(cued.out, HasSubstr("cues"));
    const ToolRun renamed = other(change(recipe(kGoes, kHips), "\"c\"", "\"other\""));
    EXPECT_EQ(renamed.exit, 1);
    EXPECT_THAT(renamed.out, HasSubstr("renamed"));
    EXPECT_THAT(tool("compare out").err, HasSubstr("SECOND is required"));
}

TEST_F(FindingTest, LongClipsKeepTheirRate) {
    // Single-precision keys: an hour at 120 a second, ten minutes at 60.
    for (const auto& [seconds, rate] : {std::pair(600, 60), std::pair(3600, 120)}) {
        std::vector<double> times, places;
        for (int k = 0; k <= seconds * rate; k += rate / 4) {
            times.push_back(static_cast<double>(static_cast<float>(k / double(rate))));
            places.insert(places.end(), {0, 1 + 0.1 * (k % 3), 0});
        }
        // A last key whose rounding lies behind its frame, in the hour by a hundredth of one.
        times.push_back(static_cast<double>(static_cast<float>(seconds + 5.0 / rate)));
        places.insert(places.end(), {0, 1, 0});
        write_bytes(folder_ / "long.glb", figure({{0, "translation", times, places}}));
        const ToolRun run = tool("describe long.glb --json --rate " + std::to_string(rate));
        EXPECT_EQ(run.exit, 0) << run.err;
        EXPECT_EQ(run.out.find("rate-suspect"), run.out.npos) << seconds;
        const auto read = read_scene(folder_ / "long.glb");
        ASSERT_THAT(read, IsOk());
        EXPECT_EQ(frames_of(read.value().scene.timelines[0], {rate, 1}).last, seconds * rate + 5);
    }
    // Without a reader that puts keys on frames.
    Timeline bare;
    const double end = static_cast<double>(3600 + 5 / 120.0F);
    bare.channels.push_back(
        {0, Path::kScale, {Interpolation::kLinear, 3, {0, end}, {1, 1, 1, 2, 2, 2}}});
    EXPECT_EQ(frames_of(bare, {120, 1}).last, 3600 * 120 + 5);
}

TEST_F(FindingTest, WhatIsLeftBehindIsAStop) {
    EXPECT_TRUE(packed(with_coat(1), recipe(kGoes, kHips)).proven);
    const PackReport report = packed(with_coat(0), recipe(kGoes, kHips));
    EXPECT_FALSE(report.proven);
    const Findings told = of_code(report, Code::kLeftBehind);
    ASSERT_THAT(told, SizeIs(1));
    EXPECT_THAT(told[0].found, HasSubstr("coat stays where it is"));
    EXPECT_TRUE(
        packed(with_coat(0), recipe(kGoes, kHips + "[checks]\nleft-behind = \"warn\"\n")).proven);
}

TEST_F(FindingTest, AForgottenRigSheetIsAStop) {
    // A control is keyed and the face blinks, while no joint has keys.
    write_files(folder_.path(), tamsin());
    const std::string whole = read_text(folder_ / "tamsin.recipe.toml");
    const std::string bare = change(change(whole, "rig = \"tamsin.rig.toml\"\n", ""),
                                    "travel = [\"ground\", \"heading\"]\n", "");
    write_text(folder_ / "r.toml", change(bare, "travel = [\"ground\", \"height\"]\n", ""));
    EXPECT_EQ(tool("pack r.toml --quiet").exit, 1);
    EXPECT_THAT(tool("pack r.toml").err, HasSubstr("stop[unbaked] clip \"stand\""));
}

TEST_F(FindingTest, TheRootOfACrateIsNoDifferenceToItsFigure) {
    const auto goes = figure({keyed(0, "translation", 24, [](int f) {
        return Three{0, 1, f / 24.0};
    })});
    ASSERT_TRUE(packed(goes, recipe(kGoes, kHips)).proven);
    EXPECT_EQ(tool("check out --figures figure.glb").exit, 0);
    write_bytes(folder_ / "longer.glb", figure({keyed(0, "translation", 24,
                                                      [](int) {
                                                          return Three{0, 1, 0};
                                                      })},
                                               "", "", ""));
    EXPECT_EQ(tool("check out --figures longer.glb").exit, 0) << "its motion does not matter";
}

TEST_F(FindingTest, AllMistakesAreToldAtOnce) {
    write_bytes(folder_ / "figure.glb", figure({keyed(0, "translation", 24, [](int f) {
                    return Three{0, 1, f / 24.0};
                })}));
    std::string wrong = recipe("range = [0, 99]\n", "[travel]\nhips = \"hipz\"\n") + R"([[clip]]
name = "C"
range = [0, 5]
[[clip]]
name = "l"
range = [0, 77]
loop = "x"
[[clip]]
name = "m"
[[clip.part]]
clip = "l"
[[clip]]
name = "loop"
[[clip.part]]
clip = "loopp"
[[clip]]
name = "made"
[[clip.part]]
clip = "loop"
[[layer]]
kind = "offset"
nodes = ["haed"]
axis = "+X"
degrees = 3
[[cue]]
name = "x"
at = 3
joint = "heat"
)";
    const auto places = [&](const std::string& text) {
        write_text(folder_ / "r.toml", text);
        const ToolRun run = tool("pack r.toml --json");
        EXPECT_EQ(run.exit, 3);
        std::vector<std::string> out;
        const json said = json::parse(run.out);
        for (const json& f : said.at("findings"))
            out.push_back(f.at("code").get<std::string>() + " " + f.at("found").get<std::string>());
        return out;
    };
    const std::vector<std::string> told{"name-clash a second clip named \"C\"",
                                        "value-bad \"x\"",
                                        "name-unknown no joint \"hipz\"",
                                        "range-outside range 0..99",
                                        "name-unknown no clip \"loopp\"",
                                        "name-unknown joint \"heat\", which the crate does "
                                        "not have"};
    std::vector<std::string> found = places(wrong);
    EXPECT_THAT(found.back(), HasSubstr("haed"));
    found.pop_back();
    EXPECT_EQ(found, told);
    // A sheet that cannot be read is told beside the words.
    write_text(folder_ / "bad.rig.toml", "[[rule]]\nkind = \"folow\"\n");
    found = places(change(wrong, "file = \"figure.glb\"\n",
                          "file = \"figure.glb\"\nrig = \"bad.rig.toml\"\n"));
    EXPECT_THAT(found, SizeIs(3)) << json(found);
    EXPECT_THAT(found.back(), HasSubstr("folow"));
    // A part that does not fit is named by its clip and line, whatever it is called.
    write_text(folder_ / "r.toml",
               recipe("range = [0, 24]\n", kHips) +
                   "[[clip]]\nname = \"two\"\n[[clip.part]]\nclip = \"c\"\n"
                   "[[clip.part]]\nclip = \"c\"\nname = \"a:b\"\noverlap = 60\n");
    EXPECT_THAT(tool("pack r.toml").err, HasSubstr("] r.toml:17, clip \"two\", part 2"));
}

TEST_F(FindingTest, WhatHasNoSizeAtTheRestFrameRestsAtItsOwn) {
    const PackReport report =
        packed(figure({keyed(1, "scale", 24,
                             [](int f) {
                                 return Three{f / 24.0, f / 24.0, f / 24.0};
                             })}),
               recipe("range = [0, 24]\n", "rest = \"frame\"\nrest_frame = 0\n"));
    EXPECT_TRUE(report.proven);
    const auto rest = plain_gltf_worlds(read_text(folder_ / "out/figure.glb"), "", 0);
    for (std::size_t c = 0; c < 3; ++c) EXPECT_NEAR(rest.at("head").world[c][c], 1, 1e-6);
}

TEST_F(FindingTest, WhoSitsDownDoesNotTravelAndWhoIsBoundElsewhereIsTold) {
    const auto sinks = keyed(0, "translation", 24, [](int f) { return Three{0, 1 - f / 48.0, 0}; });
    const std::string clip = "range = [0, 24]\n";
    EXPECT_THAT(of_code(packed(figure({sinks}), recipe(clip)), Code::kTravelInHips), SizeIs(1));
    const auto sits =
        figure({sinks},
               R"(,{"name":"foot","translation":[0,0.05,0]})"
               R"(,{"name":"cloth","mesh":1,"skin":1})",
               ",3,4",
               R"(,{"primitives":[{"attributes":{"POSITION":0,"JOINTS_0":1,"WEIGHTS_0":2}}]}],)"
               R"("skins":[{"joints":[0,1],"inverseBindMatrices":3},{"joints":[3,3]})");
    EXPECT_THAT(of_code(packed(sits, recipe(clip)), Code::kTravelInHips), SizeIs(0));
    const std::vector<std::uint8_t> straight = figure({sinks});
    const std::string bent = change({straight.begin(), straight.end()}, "[0,0.5,0]", "[0,0.9,0]");
    const PackReport told = packed({bent.begin(), bent.end()}, recipe(clip));
    EXPECT_TRUE(told.proven);
    EXPECT_THAT(text_of(of_code(told, Code::kRestShape)), HasSubstr("up to 200 mm at rest"));
}

TEST_F(FindingTest, WholeTurnsOnTheWayAreCounted) {
    // Once round a circle of 0.6 m, facing ahead.
    const auto angle = [](int f) { return 2 * M_PI * f / 48.0; };
    write_bytes(
        folder_ / "figure.glb",
        figure(
            {keyed(0, "translation", 48,
                   [&](int f) {
                       return Three{-0.6 + 0.6 * std::cos(angle(f)), 1, 0.6 * std::sin(angle(f))};
                   }),
             keyed(0, "rotation", 48, [&](int f) {
                 return Three{0, std::sin(-angle(f) / 2), 0, std::cos(-angle(f) / 2)};
             })}));
    const ToolRun run = tool("draft figure.glb -o d.toml");
    EXPECT_EQ(run.exit, 0) << run.err;
    EXPECT_THAT(
        read_text(folder_ / "d.toml"),
        AllOf(HasSubstr("turn 360 degrees"), HasSubstr("travel = [\"ground\", \"heading\"]")));
    const ToolRun trees = tool("describe figure.glb d.glb --tree");
    EXPECT_EQ(trees.exit, 3) << "there is no d.glb";
    EXPECT_THAT(trees.out, HasSubstr("  head"));
    // Where clips are: of files as of crates, by a pattern; and joints as a list to begin with.
    EXPECT_EQ(tool("pack d.toml").exit, 0);
    const ToolRun where = tool("describe figure.glb crates/figure --clip \"m*\"");
    EXPECT_THAT(where.out, AllOf(HasSubstr("move     2.000 s  figure.glb\n"),
                                 HasSubstr("move     2.000 s  crates/figure/clips/move.glb\n")));
    const auto found = nlohmann::json::parse(tool("describe crates/figure --clip move --json").out);
    EXPECT_EQ(found["clips"].size(), 1U);
    EXPECT_THAT(tool("describe crates/figure --clip mvoe").err,
                HasSubstr("did you mean \"move\"?"));
    EXPECT_THAT(tool("describe figure.glb --joints").out, EndsWith(".\nhips\n  head\n"));
    EXPECT_THAT(tool("describe crates/figure --joints").out,
                EndsWith(".\nroot\n  hips\n    head\n"));
    EXPECT_EQ(tool("describe figure.glb crates/figure --joints").exit, 2);
}

}  // namespace
}  // namespace mellow::finding_test
