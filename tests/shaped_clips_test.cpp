// Clips that are shaped in a recipe, packed and read back from their files by a plain reader: each
// against the files of the clips that it is made of, by 4x4 arithmetic written out here.
#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>
#include <numbers>

#include "mellow/crate.h"
#include "packing.h"
#include "plain_gltf.h"

namespace mellow::shaped_clips_test {
namespace {

using nlohmann::json;
using namespace test;
using test::read_text;
using namespace testing;
namespace fs = std::filesystem;

double apart(const PlainMatrix& a, const PlainMatrix& b) {
    double worst = 0;
    for (std::size_t r = 0; r < 4; ++r)
        for (std::size_t c = 0; c < 4; ++c) worst = std::max(worst, std::abs(a[r][c] - b[r][c]));
    return worst;
}

const std::string kWalk =
    "[[clip]]\nname = \"walk\"\nrange = [108, 132]\nloop = true\ntravel = [\"ground\", "
    "\"heading\"]\n";
const std::string kPick =
    "[[clip]]\nname = \"pick\"\nrange = [144, 240]\ntravel = [\"ground\", \"heading\"]\n";

class RoundTest : public testing::Test {
  protected:
    void SetUp() override {
        test::write_files(folder_.path(), test::tamsin());
        recipe_ = read_text(folder_ / "tamsin.recipe.toml");
    }
    /// The recipe with these clips in place of its own.
    std::string with(const std::string& clips) const {
        const auto from = recipe_.find("[[clip]]"), to = recipe_.find("[output]");
        return recipe_.substr(0, from) + clips + "\n" + recipe_.substr(to);
    }
    Result<PackReport> pack(const std::string& clips, bool replace = true) const {
        return pack_text(folder_, with(clips), replace);
    }
    PackReport proven(const std::string& clips) const {
        const auto report = pack(clips);
        EXPECT_THAT(report, IsOk());
        if (!report) return {};
        EXPECT_TRUE(report.value().proven);
        EXPECT_EQ(report.value().unmet, 0U);
        return report.value();
    }
    std::map<std::string, test::PlainNode> worlds(const std::string& clip, int sample) const {
        return plain_gltf_worlds(read_text(folder_ / "crates/tamsin/clips" / (clip + ".glb")), clip,
                                 sample);
    }
    json manifest() const { return json::parse(read_text(folder_ / "crates/tamsin/crate.json")); }

    TempFolder folder_;
    std::string recipe_;
};

TEST_F(RoundTest, PartsGoOnWhereTheOneBeforeEnded) {
    const PackReport report =
        proven(kWalk + kPick +
               "[[clip]]\nname = \"both\"\ntravel = [\"ground\", \"heading\"]\n"
               "[[clip.part]]\nclip = \"walk\"\nrepeat = 2\n[[clip.part]]\nclip = \"pick\"\n");
    ASSERT_THAT(report.clips, SizeIs(3));
    EXPECT_EQ(report.clips[2].clip.samples, 30 + 30 + 120 + 1);
    // The root says where a clip has got to. A part is moved by what takes its root at first to
    // where the root of the part before was at last.
    const auto moved = [&](const std::string& clip, const PlainMatrix& ended) {
        return times(ended, undone(worlds(clip, 0).at("root").world));
    };
    const PlainMatrix second = moved("walk", worlds("walk", 30).at("root").world),
                      third = moved("pick", times(second, worlds("walk", 30).at("root").world));
    for (const auto& [sample, clip, own, by] : {std::tuple(17, "walk", 17, PlainMatrix{}),
                                                {30, "walk", 0, second},
                                                {47, "walk", 17, second},
                                                {60, "pick", 0, third},
                                                {120, "pick", 60, third},
                                                {180, "pick", 120, third}}) {
        const auto got = worlds("both", sample), from = worlds(clip, own);
        for (const auto& [name, node] : from)
            EXPECT_LT(apart(got.at(name).world, sample < 30 ? node.world : times(by, node.world)),
                      3e-6)
                << name << " at " << sample;
    }
    const json parts = manifest()["clips"][2]["made_of"];
    ASSERT_EQ(parts.size(), 2U);
    EXPECT_EQ(parts[0]["name"], "walk");
    EXPECT_EQ(parts[0]["times"], 2);
    EXPECT_EQ(parts[0]["last_sample"], 59);
    EXPECT_EQ(parts[1]["first_sample"], 60);
    EXPECT_EQ(parts[1]["seconds"], 4.0);
    const auto crate = open_crate(folder_ / "crates/tamsin");
    ASSERT_THAT(crate, IsOk());
    EXPECT_THAT(crate.value().clips, SizeIs(3));
}

TEST_F(RoundTest, PartsAreLaidByTheJointOfTheirClip) {
    const std::string walk = "[[clip.part]]\nclip = \"walk\"\n",
                      pick = "[[clip.part]]\nclip = \"pick\"\n", foot = "align = \"foot.L\"\n";
    const auto clip = [](const std::string& name) { return "[[clip]]\nname = \"" + name + "\"\n"; };
    proven(kWalk + kPick + clip("hips") + walk + pick + clip("clip") + foot + walk + pick +
           clip("parts") + walk + foot + pick + foot);
    double apart_mm = 0;
    for (const auto& [name, node] : worlds("clip", 60)) {
        EXPECT_EQ(apart(node.world, worlds("parts", 60).at(name).world), 0) << name;
        apart_mm = std::max(apart_mm, 1000 * apart(node.world, worlds("hips", 60).at(name).world));
    }
    EXPECT_GT(apart_mm, 1) << "a foot stands elsewhere than hips";
}

TEST_F(RoundTest, TimeRunsAsTheRecipeSays) {
    proven(kWalk +
           "[[clip]]\nname = \"back\"\nrange = [108, 132]\nreverse = true\n"
           "[[clip]]\nname = \"slow\"\nrange = [108, 132]\nstretch = 2\nhold = 0.5\n"
           "[[clip]]\nname = \"fast\"\nrange = [108, 132]\ntime = [[0, 0], [0.5, 1], [1, 0]]\n"
           "[[clip]]\nname = \"late\"\nrange = [108, 132]\nwait = 0.5\nhold = 0.1\n"
           "[[clip]]\nname = \"long\"\nrange = [108, 132]\nseconds = 3\n"
           "[[clip]]\nname = \"ten\"\nrange = [108, 132]\nrepeat_seconds = 2.5\nloop = true\n"
           "travel = [\"ground\", \"heading\"]\n");
    for (const auto& [clip, sample, own] : {std::tuple("back", 0, 30),
                                            {"back", 12, 18},
                                            {"slow", 40, 20},
                                            {"slow", 60, 30},
                                            {"slow", 75, 30},
                                            {"late", 0, 0},
                                            {"late", 14, 0},
                                            {"late", 25, 10},
                                            {"late", 47, 30},
                                            {"fast", 10, 20},
                                            {"fast", 25, 10},
                                            {"long", 33, 11}})
        for (const auto& [name, node] : worlds("walk", own)) {
            if (name == "root") continue;  // it carries the way of the walk alone
            EXPECT_LT(apart(worlds(clip, sample).at(name).world, node.world), 3e-6)
                << clip << " " << sample << " " << name;
        }
    const json clips = manifest()["clips"];
    EXPECT_EQ(clips[2]["samples"], 76);
    EXPECT_EQ(clips[4]["samples"], 49) << "1 s, later by 15 samples, with 3 more";
    EXPECT_EQ(clips[6]["samples"], 91) << "three times, which is no less than 2.5 s";
    EXPECT_NEAR(clips[6]["travel"]["step"][2].get<double>(),
                3 * clips[0]["travel"]["step"][2].get<double>(), 1e-5);
}

TEST_F(RoundTest, AMirroredWalkIsTheWalkInAMirror) {
    proven(kWalk +
           "[[clip]]\nname = \"mirrored\"\nrange = [108, 132]\nloop = true\nmirror = true\n"
           "travel = [\"ground\", \"heading\"]\n");
    for (const int k : {0, 9, 23}) {
        const auto own = worlds("walk", k), got = worlds("mirrored", k);
        for (const auto& [name, node] : own) {
            std::string partner = name;
            if (name.ends_with(".L")) partner.back() = 'R';
            if (name.ends_with(".R")) partner.back() = 'L';
            if (name == "pole") continue;  // a prop: mirrored, its axes are its own
            const PlainMatrix &a = got.at(name).world, &b = own.at(partner).world;
            EXPECT_NEAR(a[0][3], -b[0][3], 3e-6) << name;
            EXPECT_NEAR(a[1][3], b[1][3], 3e-6) << name;
            EXPECT_NEAR(a[2][3], b[2][3], 3e-6) << name;
        }
    }
}

TEST_F(RoundTest, ClipsArePutWhereTheyAreWanted) {
    proven(kWalk +
           "[[clip]]\nname = \"there\"\nrange = [108, 132]\ntravel = [\"ground\", "
           "\"heading\"]\nstart = \"origin\"\nplace = { ahead = 2, left = 1, up = 0.5, "
           "heading = 90 }\n"
           "[[clip]]\nname = \"stay\"\nrange = [108, 132]\nplace = { ahead = 2 }\n[[clip]]\nname = "
           "\"plain\"\nrange = [108, 132]\n");
    // Turned by 90 degrees to the left, from ahead (+Z) to +X, a metre left and two ahead.
    const PlainMatrix place{{{0, 0, 1, 1}, {0, 1, 0, 0.5}, {-1, 0, 0, 2}, {0, 0, 0, 1}}};
    const PlainMatrix start = undone(worlds("walk", 0).at("root").world);
    for (const int k : {0, 14, 30}) {
        const auto own = worlds("walk", k), got = worlds("there", k);
        for (const auto& [name, node] : own)
            EXPECT_LT(apart(got.at(name).world, times(place, times(start, node.world))), 3e-6)
                << name;
    }
    // Without travel the root stays, and the hips begin where the origin is.
    EXPECT_LT(std::abs(worlds("stay", 9).at("root").world[2][3]), 1e-9);
    EXPECT_NEAR(worlds("stay", 9).at("hips").world[2][3],
                worlds("plain", 9).at("hips").world[2][3] + 2, 3e-6);
}

TEST_F(RoundTest, TravelInChannelsIsTheRootThatIsPutBack) {
    const auto smooth = [](const std::string& name, const std::string& more) {
        return change(kWalk, "\"walk\"", "\"" + name + "\"") +
               "travel_heading = \"way\"\ntravel_smooth = 0.4\n" + more;
    };
    EXPECT_TRUE(
        proven(kWalk + smooth("root", "") + smooth("apart", "travel_as = \"channels\"\n")).proven);
    const std::string file = read_text(folder_ / "crates/tamsin/clips/apart.glb");
    std::vector<std::vector<double>> channels;
    for (const char* name : {"travel.left", "travel.up", "travel.ahead", "travel.turn"}) {
        channels.push_back(test::plain_gltf_scalar(file, "apart", name));
        ASSERT_THAT(channels.back(), SizeIs(31)) << name;
    }
    double turned = 0;
    for (const int k : {0, 7, 15, 30}) {
        const auto i = static_cast<std::size_t>(k);
        const double a = channels[3][i] * std::numbers::pi / 180;
        const PlainMatrix travel{{{std::cos(a), 0, std::sin(a), channels[0][i]},
                                  {0, 1, 0, channels[1][i]},
                                  {-std::sin(a), 0, std::cos(a), channels[2][i]},
                                  {0, 0, 0, 1}}};
        const auto plain = worlds("walk", k), put = worlds("root", k), off = worlds("apart", k);
        for (std::size_t c = 0; c < 4; ++c)
            EXPECT_EQ(off.at("root").world[c][3], c == 3 ? 1 : 0) << "the root stays";
        turned = std::max(turned, apart(plain.at("root").world, put.at("root").world));
        for (const auto& [name, node] : off) {
            EXPECT_LT(apart(times(travel, node.world), put.at(name).world), 1e-6) << name << k;
            if (name == "root") continue;
            EXPECT_LT(apart(put.at(name).world, plain.at(name).world), 1e-6) << name;
        }
    }
    EXPECT_GT(turned, 0.01) << "the smoothed root is another one";
}

TEST_F(RoundTest, AClipOverAnother) {
    const std::string over =
        "[[clip]]\nname = \"pick_walking\"\ntravel = [\"ground\", "
        "\"heading\"]\n[[clip.part]]\nclip "
        "= \"walk\"\nrepeat = 4\n[[clip.over]]\nclip = \"pick\"\nbelow = [\"neck\", "
        "\"clavicle.L\"]\nat = 0.5\nweights = [[0.5, 0], [1, 1]]\n";
    const std::string counted = change(change(over, "pick_walking", "from_rest"), "at = 0.5",
                                       "at = 0.5\ncounted_from = \"rest\"");
    const std::string half =
        change(change(over, "pick_walking", "half"), "[[0.5, 0], [1, 1]]", "[[0, 0.5], [9, 0.5]]");
    EXPECT_TRUE(proven(kWalk + kPick + over + counted + half).proven);
    const auto angle = [](const PlainMatrix& m) {
        return std::acos(std::clamp((m[0][0] + m[1][1] + m[2][2] - 1) / 2, -1.0, 1.0));
    };
    const auto local = [&](const std::string& clip, int sample, const std::string& up,
                           const std::string& joint) {
        const auto all = worlds(clip, sample);
        return times(undone(all.at(up).world), all.at(joint).world);
    };
    // Sample 75: the second turn and a half of the walk, and second 2 of the pick.
    for (const auto& [up, joint] : {std::pair("neck", "head"), {"clavicle.L", "upperarm.L"}}) {
        const PlainMatrix turned =
            times(undone(local("pick", 0, up, joint)), local("pick", 60, up, joint));
        PlainMatrix want = times(local("walk", 15, up, joint), turned);
        const PlainMatrix is = local("pick_walking", 75, up, joint);
        for (std::size_t r = 0; r < 3; ++r)
            for (std::size_t c = 0; c < 3; ++c) EXPECT_NEAR(is[r][c], want[r][c], 2e-6) << joint;
        EXPECT_GT(apart(is, local("walk", 15, up, joint)), 0.02) << joint << " does move";
        EXPECT_NEAR(
            angle(times(undone(local("walk", 15, up, joint)), local("half", 75, up, joint))),
            angle(turned) / 2, 1e-4);
        // Counted from rest, it is all that the pick differs from that by.
        const auto rest = plain_gltf_worlds(read_text(folder_ / "crates/tamsin/tamsin.glb"), "", 0);
        const PlainMatrix lowered =
            times(undone(times(undone(rest.at(up).world), rest.at(joint).world)),
                  local("pick", 60, up, joint));
        want = times(local("walk", 15, up, joint), lowered);
        const PlainMatrix from_rest = local("from_rest", 75, up, joint);
        for (std::size_t r = 0; r < 3; ++r)
            for (std::size_t c = 0; c < 3; ++c)
                EXPECT_NEAR(from_rest[r][c], want[r][c], 2e-6) << joint;
    }
    for (const auto& [up, joint] : {std::pair("hips", "thigh.R"), {"upperarm.R", "forearm.R"}})
        EXPECT_LT(apart(local("pick_walking", 75, up, joint), local("walk", 15, up, joint)), 2e-6);
    EXPECT_LT(apart(local("pick_walking", 10, "neck", "head"), local("walk", 10, "neck", "head")),
              2e-6);
    EXPECT_EQ(manifest()["clips"][2]["samples"], 121);
    EXPECT_THAT(pack(kWalk + kPick + change(change(over, "\"neck\", ", ""), "clavicle.L", "nek")),
                FailsWith(Code::kNameUnknown, "below"));
    EXPECT_THAT(pack(kWalk + "[[clip]]\nname = \"a\"\n[[clip.over]]\nclip = \"walk\"\n"),
                FailsWith(Code::kKeyMissing, "nothing that it lies over"));
}

TEST_F(RoundTest, LoopsThatAreStoredOpenGetTheirLastFrame) {
    // The walk without its last frame.
    const std::string open = change(change(kWalk, "\"walk\"", "\"open\""), "132", "131");
    EXPECT_TRUE(proven(kWalk + open + "stored = \"open\"\n").proven);
    for (const int k : {0, 5, 10, 25})  // every fifth sample is a frame of the source
        for (const auto& [name, node] : worlds("walk", k))
            EXPECT_LT(apart(node.world, worlds("open", k).at(name).world), 1e-6) << name << k;
    const auto last = worlds("walk", 30), made = worlds("open", 30), first = worlds("open", 0);
    const PlainMatrix step = times(made.at("root").world, undone(first.at("root").world));
    for (const auto& [name, node] : made) {
        EXPECT_LT(apart(node.world, times(step, first.at(name).world)), 1e-5) << name;
        EXPECT_LT(apart(node.world, last.at(name).world), 0.02) << name;
    }
    EXPECT_NEAR(made.at("root").world[2][3] - first.at("root").world[2][3], 1, 0.01);
    const json facts = manifest()["clips"][1];
    EXPECT_EQ(facts["period_intervals"], 30);
    EXPECT_EQ(facts["loop"], "closed");
    // Frame 131 stands at sample 28.75: up to there nothing differs.
    for (const auto& [name, node] : worlds("walk", 28))
        EXPECT_LT(apart(node.world, worlds("open", 28).at(name).world), 1e-6) << name;
    EXPECT_THAT(pack(change(open, "loop = true", "loop = \"repair\"") + "stored = \"open\"\n"),
                FailsWith(Code::kValueBad, "no plain loop"));
    EXPECT_THAT(pack(open + "stored = \"open\"\nrepeat = 2\n"),
                FailsWith(Code::kValueBad, "no plain loop"));
}

TEST_F(RoundTest, LoopsAreFoundFittedAndClosed) {
    const PackReport report = proven(
        "[[clip]]\nname = \"found\"\nrange = [0, 100]\nloop = \"find\"\n"
        "[[clip]]\nname = \"closed\"\nrange = [145, 239]\nloop = \"repair\"\nrepair_frames = 24\n"
        "repair_mm = 2000\nrepair_degrees = 180\nfit = true\ntravel = [\"ground\", \"height\"]\n");
    EXPECT_EQ(report.clips[0].clip.samples, 121) << "frame 96 at 24/s";
    EXPECT_THAT(of_code(report, Code::kAssumed)[0].found, HasSubstr("frame 96 "));
    EXPECT_LT(report.clips[1].gap.angle_rad, 1e-4);
    EXPECT_LT(report.clips[1].gap.distance_m, 1e-5);
    bool told = false, fitted = false;
    for (const Finding& f : report.findings) {
        told = told || f.found.find("closed over its last 24 frames: by up to") != f.found.npos;
        fitted = fitted || f.found.find("fitted to 118") != f.found.npos;
    }
    EXPECT_TRUE(told);
    EXPECT_TRUE(fitted) << "94 frames at 24/s are 117.5 samples";
}

TEST_F(RoundTest, AChangedPartMakesWhatIsMadeOfItStale) {
    const std::string joined =
        "[[clip]]\nname = \"both\"\ntravel = [\"ground\"]\n[[clip.part]]\nclip = \"walk\"\n"
        "[[clip.part]]\nclip = \"pick\"\noverlap = 4\n";
    proven(kWalk + kPick + joined);
    EXPECT_EQ(proven(kWalk + change(kPick, "[144, 240]", "[145, 240]") + joined).reused, 1U)
        << "the walk alone is as it was";
    EXPECT_EQ(proven(kWalk + change(kPick, "[144, 240]", "[145, 240]") +
                     change(joined, "overlap = 4", "overlap = 5"))
                  .reused,
              2U);
}

TEST_F(RoundTest, RepeatsFollowOnEachOtherBehindAnOverlap) {
    // The second walk begins 4 frames, 5 samples, before the first ends; then two whole seconds.
    // Before the first there is nothing that it could overlap.
    proven(kWalk +
           "[[clip]]\nname = \"both\"\ntravel = [\"ground\", \"heading\"]\n"
           "[[clip.part]]\nclip = \"walk\"\noverlap = 4\n[[clip.part]]\nclip = \"walk\"\nrepeat "
           "= 2\noverlap = 4\n");
    const json made = manifest()["clips"][1];
    EXPECT_EQ(made["samples"], 25 + 60 + 1);
    for (const auto& [sample, own] : {std::pair(40, 15), {55, 30}, {70, 15}, {85, 30}}) {
        const auto got = worlds("both", sample), want = worlds("walk", own);
        for (const char* joint : {"hand.L", "foot.R", "head"})
            EXPECT_LT(apart(times(undone(got.at("root").world), got.at(joint).world),
                            times(undone(want.at("root").world), want.at(joint).world)),
                      3e-6)
                << joint << " at " << sample;
    }
}

TEST_F(RoundTest, CuesFollowCutsRepeatsMirrorsAndTime) {
    write_text(folder_ / "day.csv",
               "name,at,to,joint,sound\nstep_right,120,123,foot.R,\nsnip,200,,,\"snip, snap\"\n");
    write_text(folder_ / "day.json", R"({"cues": [{"name": "late", "at": 135}]})");
    const std::string cues =
        "[[cue]]\nname = \"step_left\"\nat = 108\njoint = \"foot.L\"\nvalues = { loud = 0.5 }\n"
        "[[cue]]\nname = \"end\"\nat = 132\n"
        "[[cues]]\nfile = \"day.csv\"\n[[cues]]\nfile = \"day.json\"\n";
    const PackReport report = proven(
        cues + kWalk +
        "[[clip]]\nname = \"mix\"\n[[clip.part]]\nclip = \"walk\"\nrepeat = 2\nmirror = true\n"
        "[[clip.part]]\nrange = [192, 240]\nreverse = true\nstretch = 2\n"
        "[[clip]]\nname = \"twice\"\nrange = [192, 240]\ntime = [[0, 0], [1, 1], [2, 0]]\n"
        "[[clip]]\nname = \"fit\"\nrange = [193, 240]\nfit = true\n");
    const auto cues_of = [&](std::size_t clip) {
        std::vector<std::string> out;
        for (const Cue& c : report.clips[clip].clip.cues)
            out.push_back(fmt::format("{} {:.4f} {:.4f} {}", c.name, c.first, c.last, c.joint));
        return out;
    };
    // A loop's end is its beginning.
    EXPECT_THAT(cues_of(0), ElementsAre("end 0.0000 0.0000 ", "step_left 0.0000 0.0000 foot.L",
                                        "step_right 0.5000 0.6250 foot.R"));
    // Twice in a mirror; then frame 200 of 240..192 backwards at half speed: 2 + 2 * 40 / 24.
    EXPECT_THAT(
        cues_of(1),
        ElementsAre("step_right 0.0000 0.0000 foot.R", "step_left 0.5000 0.6250 foot.L",
                    "end 1.0000 1.0000 ", "step_right 1.0000 1.0000 foot.R",
                    "step_left 1.5000 1.6250 foot.L", "end 2.0000 2.0000 ", "snip 5.3333 5.3333 "));
    // There and back again passes it twice, at 8 frames.
    EXPECT_THAT(cues_of(2), ElementsAre("snip 0.3333 0.3333 ", "snip 1.6667 1.6667 "));
    // 47 frames at 24/s are 58.75 samples, fitted to 59.
    EXPECT_NEAR(report.clips[3].clip.cues[0].first, 7 / 24.0 * 59 / 58.75, 1e-6);
    EXPECT_EQ(report.clips[0].clip.cues[1].values[0], std::pair(std::string("loud"), 0.5));
    EXPECT_EQ(report.clips[2].clip.cues[0].tags[0].second, "snip, snap");
    ASSERT_THAT(of_code(report, Code::kLeftOut), SizeIs(1));
    EXPECT_THAT(of_code(report, Code::kLeftOut)[0].found, HasSubstr("\"late\" at frame 135"));
    // In the file itself, and in the table.
    const std::string glb = read_text(folder_ / "crates/tamsin/clips/walk.glb");
    EXPECT_NE(glb.find(R"({"name":"step_right","seconds":0.5,"until":0.625,"joint":"foot.R"})"),
              glb.npos);
    EXPECT_THAT(read_text(folder_ / "crates/tamsin/cues.csv"),
                AllOf(HasSubstr("mix,step_left,0.5,0.625,15,foot.L,,\n"),
                      HasSubstr("\"{\"\"loud\"\":0.5}\"\n")));
    EXPECT_EQ(open_crate(folder_ / "crates/tamsin").value().clips[1].cues,
              report.clips[1].clip.cues);
    // A cue on the first frame waits with it.
    const PackReport waits =
        proven(cues + "[[clip]]\nname = \"late\"\nrange = [108, 132]\nwait = 0.5\n");
    EXPECT_NEAR(waits.clips[0].clip.cues[0].first, 0.5, 1e-6);
    EXPECT_EQ(waits.clips[0].clip.cues[0].name, "step_left");
    // Nothing changes: nothing is stale. One cue moves: clips that play it are.
    const std::string clips = kWalk + kPick;
    proven(cues + clips);
    const std::string moved = change(cues, "at = 108", "at = 109") + clips;
    EXPECT_EQ(proven(moved).reused, 1U);
    // Nor does the recipe itself have to change.
    write_text(folder_ / "day.csv",
               "name,at,to,joint,sound\nstep_right,114,,,\nsnip,200,,,\"snip, snap\"\n");
    EXPECT_EQ(proven(moved).reused, 1U);
    EXPECT_THAT(read_text(folder_ / "crates/tamsin/cues.csv"), HasSubstr("walk,step_right,0.25,"));
    for (const auto& [text, code, part] :
         {std::tuple("[[cue]]\nname = \"c\"\nat = 5\nto = 4\n", Code::kValueBad, "before"),
          {"[[cue]]\nat = 5\n", Code::kKeyMissing, "name"},
          {"[[cue]]\nname = \"c\"\nat = 110\njoint = \"hoof\"\n", Code::kNameUnknown, "hoof"},
          {"[[cues]]\nfile = \"nowhere.csv\"\n", Code::kFileMissing, "nowhere.csv"},
          {"[[cues]]\nfile = \"bad.csv\"\n", Code::kValueBad, "bad.csv:2"},
          {"[[cues]]\nfile = \"head.csv\"\n", Code::kValueBad, "no column"},
          {"[[cues]]\nfile = \"bad.json\"\n", Code::kValueBad, "bad.json"}}) {
        write_text(folder_ / "bad.csv", "name,at\nx,soon\n");
        write_text(folder_ / "head.csv", "name,frame\nx,1\n");
        write_text(folder_ / "bad.json", "{\"cues\": [{\"at\": 3}]}");
        EXPECT_THAT(pack(text + clips), FailsWith(code, part)) << text;
    }
}

TEST_F(RoundTest, CuesOfASourceComeAlong) {
    // A packed clip whose keys begin at 1 / 30 s with a sample at rest is the source of the next.
    const std::string closed = change(with("CLIPS"), "[source]", "[figure]");
    std::string figure = closed;
    const auto packed = [&](const std::string& target, const std::string& clips) {
        const auto report =
            pack_text(folder_, change(change(figure, "CLIPS", clips), "[target]", target), true);
        EXPECT_THAT(report, IsOk());
        return report.ok() ? report.value() : PackReport{};
    };
    packed("[target]\nfirst_frame = 1\nfirst_pose = \"rest\"",
           "[[cue]]\nname = \"snip\"\nat = 114\njoint = \"hand.R\"\ntags = { sound = \"dry\" }\n"
           "[[cue]]\nname = \"reach\"\nat = 120\nto = 126\nvalues = { far = 2 }\n" +
               change(kWalk, "loop = true\n", ""));
    fs::copy_file(folder_ / "crates/tamsin/clips/walk.glb", folder_ / "old.glb");
    const std::string source = "[[source]]\nname = \"old\"\nfile = \"old.glb\"\n";
    const PackReport report =
        packed("[target]", source +
                               // Frame 10 of the figure, which none of the clips play.
                               "[[cue]]\nname = \"bell\"\nat = 10\n"
                               "[[clip]]\nname = \"again\"\nsource = \"old\"\nrange = [2, 32]\n"
                               "[[clip]]\nname = \"cut\"\nsource = \"old\"\nrange = [12, 32]\n"
                               "reverse = true\n");
    ASSERT_THAT(report.clips, SizeIs(2));
    const std::vector<Cue>& again = report.clips[0].clip.cues;
    ASSERT_THAT(again, SizeIs(2));
    EXPECT_EQ(again[0].name, "snip");
    EXPECT_NEAR(again[0].first, 6 / 24.0, 1e-6);
    EXPECT_EQ(again[0].joint, "hand.R");
    EXPECT_EQ(again[0].tags[0].second, "dry");
    EXPECT_NEAR(again[1].last, 18 / 24.0, 1e-6);
    EXPECT_EQ(again[1].values[0].second, 2);
    // Frames 12..32 are 1/3 s to 1 s of it, backwards: what was at 0.5 is at 0.5, to 0.25.
    const std::vector<Cue>& cut = report.clips[1].clip.cues;
    ASSERT_THAT(cut, SizeIs(1));
    EXPECT_NEAR(cut[0].first, 0.25, 1e-6);
    EXPECT_NEAR(cut[0].last, 0.5, 1e-6);
    const auto unheard = of_code(report, Code::kLeftOut);
    ASSERT_THAT(unheard, SizeIs(1)) << "one clip plays each of the others";
    EXPECT_THAT(unheard[0].found, HasSubstr("bell"));
    EXPECT_THAT(read_text(folder_ / "crates/tamsin/cues.csv"), HasSubstr("again,snip,0.25,"));
    // What stands there under that name in another form is said, and nothing is lost over it.
    std::string other = read_text(folder_ / "old.glb");
    for (std::size_t at; (at = other.find("\"seconds\":0.25")) != other.npos;)
        other.replace(at, 9, "\"secondz\"");
    write_text(folder_ / "old.glb", other);
    const PackReport odd = packed(
        "[target]", source + "[[clip]]\nname = \"again\"\nsource = \"old\"\nrange = [2, 32]\n");
    EXPECT_THAT(of_code(odd, Code::kLeftOut)[0].found, HasSubstr("cues of its extras"));
    // Of whole files the rest comes along too, but for what the recipe says itself.
    for (const char* form : {"closed", "open"}) {
        figure = change(closed, "\"closed\"", fmt::format("\"{}\"", form));
        packed("[target]\nfirst_pose = \"rest\"",
               kWalk + "speed = 1.3\nplay = \"backwards\"\ntags = { ground = \"grass\" }\n");
        fs::copy_file(folder_ / "crates/tamsin/clips/walk.glb", folder_ / "old.glb",
                      fs::copy_options::overwrite_existing);
        figure = closed;
        const std::string all = source + "[[clips]]\nsource = \"old\"\n";
        const PackReport kept = packed("[target]", all);
        EXPECT_TRUE(kept.proven);
        const ClipInfo& clip = kept.clips[0].clip;
        EXPECT_EQ(clip.loop, LoopForm::kClosed);
        EXPECT_EQ(clip.samples, 31) << form;
        EXPECT_EQ(clip.labels.speed, 1.3);
        EXPECT_TRUE(clip.labels.backwards);
        EXPECT_EQ(clip.labels.tags[0].second, "grass");
        EXPECT_NEAR(clip.travel.distance_m, 1.3, 0.4);
        const PackReport told =
            packed("[target]", all + "loop = false\nspeed = 1\nplay = \"forwards\"\n");
        EXPECT_EQ(told.clips[0].clip.loop, LoopForm::kOnce);
        EXPECT_EQ(told.clips[0].clip.labels.speed, 1);
        EXPECT_FALSE(told.clips[0].clip.labels.backwards);
    }
}

TEST_F(RoundTest, HandsBehindPlanesAreSaid) {
    const std::string plane =
        "[motion]\n[[motion.plane]]\nname = \"trunk\"\nat = { ahead = 0.3 }\nfaces = { ahead = -2 "
        "}\nclips = [\"pick\"]\n";
    const PackReport report = proven(plane + kWalk + kPick);
    double far = 0;
    for (int k = 0; k < report.clips[1].clip.samples; ++k)
        for (const char* hand : {"hand.L", "hand.R"})
            far = std::max(far, worlds("pick", k).at(hand).world[2][3] - 0.3);
    const json clips = manifest()["clips"], planes = clips[1]["motion"]["planes"];
    ASSERT_GT(far, 0.02) << "the pick reaches through it";
    EXPECT_NEAR(planes[0]["depth_mm"].get<double>(), far * 1000, 0.01);
    EXPECT_EQ(planes[0]["plane"], "trunk");
    EXPECT_FALSE(clips[0]["motion"].contains("planes")) << "no plane stands in its way";
    ASSERT_THAT(of_code(report, Code::kThroughPlane), SizeIs(1));
    EXPECT_THAT(of_code(report, Code::kThroughPlane)[0].remedy, HasSubstr("plane_mm = "));
    // From the other side it is free; up and left count, too.
    const PackReport free = proven(change(plane, "ahead = -2", "up = 1") + kPick);
    EXPECT_EQ(free.clips[0].motion_check.planes[0].depth_m, 0);
    const auto strict = pack("[checks]\nthrough-plane = \"fail\"\n" + plane + kPick);
    ASSERT_THAT(strict, IsOk());
    EXPECT_FALSE(strict.value().proven);
    for (const auto& [text, code, part] :
         {std::tuple("name = \"p\"\n", Code::kKeyMissing, "faces"),
          {"name = \"p\"\nfaces = {}\n", Code::kValueBad, "no way at all"},
          {"name = \"p\"\nfaces = { up = 0 }\n", Code::kValueBad, "no way at all"},
          {"name = \"p\"\nfaces = { up = 1 }\njoints = [\"hoof*\"]\n", Code::kNameUnknown, "hoof"},
          {"name = \"p\"\nfaces = { ahed = 1 }\n", Code::kKeyUnknown, "ahead"}})
        EXPECT_THAT(pack(std::string("[motion]\n[[motion.plane]]\n") + text + kPick),
                    FailsWith(code, part));
}

TEST_F(RoundTest, FeetAreLookedAtAndTheirStepsAreCues) {
    const PackReport report =
        proven("[motion]\nslide_mm = 0.2\ndepth_mm = 1\ncues = true\n" + kWalk);
    EXPECT_THAT(of_code(report, Code::kFootSlide), SizeIs(2));
    EXPECT_THAT(of_code(report, Code::kFootDepth)[0].found, HasSubstr("\"foot.L\" is "));
    const json motion = manifest()["clips"][0]["motion"];
    EXPECT_EQ(motion["feet"][0]["joint"], "foot.L");
    EXPECT_GT(motion["feet"][0]["slide_mm"].get<double>(), 0.2);
    // A walk of one second sets each foot down once.
    std::vector<std::string> steps;
    for (const Cue& cue : report.clips[0].clip.cues) steps.push_back(cue.name + " " + cue.joint);
    EXPECT_THAT(steps, testing::UnorderedElementsAre("step_left foot.L", "step_right foot.R"));
    // And who stands all the time makes no step where the loop begins again.
    const PackReport stands =
        proven("[motion]\ncues = true\n[[clip]]\nname = \"stand\"\nrange = [0, 96]\nloop = true\n");
    EXPECT_EQ(stands.clips[0].motion_check.feet.at(0).contacts.size(), 1U);
    EXPECT_THAT(stands.clips[0].clip.cues, SizeIs(0));
    EXPECT_THAT(of_code(proven(kWalk), Code::kFootSlide), SizeIs(0)) << "nobody sees it";
    EXPECT_THAT(pack("[motion]\nfeet = [\"hoof\"]\n" + kWalk),
                FailsWith(Code::kNameUnknown, "hoof"));
    // What is taken over from the crate that stands there says the same.
    proven(kWalk + kPick);
    const PackReport again = proven(kWalk + change(kPick, "[144, 240]", "[150, 240]"));
    EXPECT_EQ(again.reused, 1U);
    EXPECT_EQ(again.clips[0].motion_check.feet.size(), 2U);
    EXPECT_EQ(again.clips[0].motion_check.feet[1].contacts.size(), 1U);
}

TEST_F(RoundTest, EveryTargetGetsTheShapedClip) {
    write_text(folder_ / "list.txt",
               "root\n  pelvis\n    thigh.R\n      shin.R\n    thigh.L\n      shin.L\n"
               "    spine\n      chest\n        head\n          cap 0 20 0\n");
    const std::string targets =
        "[[target]]\nconvention = \"y-up-metre\"\n[[target]]\nname = \"other\"\nup = "
        "\"+Z\"\nfront = \"+X\"\nhand = \"left\"\nunit = \"cm\"\njoints = \"list.txt\"\nsurplus = "
        "\"drop\"\nmissing = \"fill\"\n[target.rename]\nhips = \"pelvis\"\n[[target]]\nname = "
        "\"library\"\nlayout = \"skin-and-library\"\n[[target.morphs]]\ndo = \"drop\"\n";
    std::string text =
        with(kWalk +
             "[[clip]]\nname = \"there_and_back\"\ntravel = [\"ground\", \"heading\"]\n"
             "place = { left = 3, heading = 30 }\n[[clip.part]]\nclip = \"walk\"\n"
             "[[clip.part]]\nclip = \"walk\"\nmirror = true\noverlap = 8\n");
    const auto from = text.find("[target]"), to = text.find("[travel]");
    text = text.substr(0, from) + targets + text.substr(to);
    const auto recipe = parse_recipe(text, "tamsin.recipe.toml", folder_.path());
    ASSERT_THAT(recipe, IsOk());
    const auto reports = pack_all(recipe.value(), {});
    ASSERT_THAT(reports, IsOk());
    for (const PackReport& report : reports.value()) {
        EXPECT_TRUE(report.proven) << report.target.name;
        EXPECT_LT(report.clips[1].proof.vertex_mm.worst, 0.002) << report.target.name;
        EXPECT_GT(report.clips[1].proof.vertex_mm.count, 1000U);
        EXPECT_GT(report.clips[1].proof.position_mm.count, 200U);
    }
    const auto plain =
        plain_gltf_worlds(read_text(folder_ / "crates/tamsin/y-up-metre/clips/there_and_back.glb"),
                          "there_and_back", 26);
    for (const auto& [name, node] :
         plain_gltf_worlds(read_text(folder_ / "crates/tamsin/other/clips/there_and_back.glb"),
                           "there_and_back", 26)) {
        if (name == "cap") continue;
        const PlainMatrix& own = plain.at(name == "pelvis" ? "hips" : name).world;
        // Ahead (+Z) is +X, left (+X) is -Y of the left hand, up is +Z; in centimetres.
        EXPECT_NEAR(node.world[0][3], 100 * own[2][3], 5e-4) << name;
        EXPECT_NEAR(node.world[1][3], -100 * own[0][3], 5e-4) << name;
        EXPECT_NEAR(node.world[2][3], 100 * own[1][3], 5e-4) << name;
    }
}

TEST_F(RoundTest, MistakesAreToldWithTheirPlace) {
    const std::string j = "[[clip]]\nname = \"j\"\n";
    const auto fails = [&](const std::string& clips, Code code, const std::string& part) {
        EXPECT_THAT(pack(kWalk + clips), FailsWith(code, part)) << clips;
        EXPECT_FALSE(fs::exists(folder_ / "crates"));
    };
    fails(j + "[[clip.part]]\nclip = \"wlk\"\n", Code::kNameUnknown, "did you mean \"walk\"");
    fails(j + "[[clip.part]]\nclip = \"j\"\n", Code::kValueBad, "part of itself");
    fails(j + "range = [1, 2]\n[[clip.part]]\nclip = \"walk\"\n", Code::kValueBad, "beside parts");
    fails(j + "[[clip.part]]\nclip = \"walk\"\n[[clip.part]]\nclip = \"walk\"\noverlap = 40\n",
          Code::kValueBad, "an overlap of 40 frames");
    fails(j + "range = [108, 132]\nrepeat = 3\nalign = \"hip\"\n", Code::kNameUnknown,
          "did you mean \"hips\"");
    fails(j + "range = [108, 132]\nstretch = 1.01\nloop = true\n", Code::kRangeOffGrid, "fit");
    fails(j + "pose = 3\nmirror = true\n", Code::kValueBad, "single pose");
    fails(j + "range = [108, 132]\ntime = [[0, 0], [0.5, 1], [0.4, 0]]\n", Code::kValueBad,
          "each later");
    fails(j + "range = [108, 132]\ntime = [[0, 0], [1, 99]]\n", Code::kValueBad, "second 99");
    fails(j + "[[clip.part]]\nrange = [0, 10]\narrangement = \"nowhere\"\n", Code::kNameUnknown,
          "nowhere");
    fails("[[cue]]\nname = \"c\"\nat = 110\nsource = \"captres\"\n", Code::kNameUnknown, "captres");
    fails(j + "range = [108, 132]\nstretch = 2\nseconds = 3\n", Code::kValueBad, "one of them");
    fails(j + "range = [108, 132]\nloop = \"fnd\"\n", Code::kValueBad, "find");
    fails(j + "range = [108, 132]\nrepair_frames = 3\n", Code::kValueBad, "repair");
    fails(j + "range = [0, 10]\nloop = \"find\"\nloop_shortest = 30\n", Code::kLoopOpen, "30");
    fails(j + "range = [0, 1000]\nmirror = true\n", Code::kRangeOutside, "0..240");
    fails(j + "range = [0, 96]\nrepeat = 1000\nstretch = 100\n", Code::kLimit, "samples");
    fails(j + "range = [108, 132]\nmirror = true\n[mirror]\n\"hand.L\" = \"hook\"\n",
          Code::kNameUnknown, "hook");
    fails(j + "range = [108, 132]\nplace = { forward = 1 }\n", Code::kKeyUnknown, "forward");
    fails(j + "[[clip.part]]\nrange = [0, 10]\nsource = \"nowhere\"\n", Code::kNameUnknown,
          "nowhere");
}

}  // namespace
}  // namespace mellow::shaped_clips_test
