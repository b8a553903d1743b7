// States, and the stand-in that plays them: against the files of the clips, by 4x4 matrices of the
// test's own, and against the order that docs/states.md promises.
#include "mellow/play.h"

#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>
#include <numbers>
#include <random>

#include "packing.h"
#include "plain_gltf.h"
#include "play/played_motion.h"
#include "played_crate.h"
#include "rigs.h"
#include "small_figure.h"
#include "support.h"

namespace mellow {
namespace {

using nlohmann::json;

using namespace test;

using test::read_text;

using namespace testing;

using namespace test::played;

class PlayTest : public PlayedCrate {};

TEST_F(PlayTest, LoopsGoOnByTheirStepAndJointsAreWhereTheFilesHaveThem) {
    StandIn game = player();
    game.set("walking", true);
    // 2 and a half rounds of a second, at 30 samples a second.
    PlayStep step;
    for (int k = 0; k < 75; ++k) step = game.advance(1 / 30.0);
    EXPECT_EQ(step.state, "walk");
    EXPECT_EQ(step.rounds, 2);
    EXPECT_NEAR(step.state_seconds, 0.5, 1e-9);
    const PlainMatrix first = file("walk", 0).at("root").world;
    const PlainMatrix once = times(file("walk", 30).at("root").world, undone(first));
    const PlainMatrix rest = file("stand", 0).at("root").world;
    // The game began on its own origin: what takes the first root there goes before.
    const PlainMatrix from = times(rest, undone(first));
    const auto now = file("walk", 15);
    for (const char* joint : {"root", "hips", "hand.L", "foot.R", "head"}) {
        const PlainMatrix m = times(from, times(once, times(once, now.at(joint).world)));
        const Vec3 p = place(game, joint);
        EXPECT_NEAR(p.x, m[0][3], 2e-6) << joint;
        EXPECT_NEAR(p.y, m[1][3], 2e-6) << joint;
        EXPECT_NEAR(p.z, m[2][3], 2e-6) << joint;
    }
    EXPECT_NEAR(step.root.z, place(game, "root").z - rest[2][3], 1e-9);
}

TEST(PlayedMotionTest, TheWayOfARootThatRestsAnywhereIsTakenOff) {
    Scene skin = test::chain_scene(2, 1);
    const Transform rest{{0.5, 1, 0.2}, test::turn(test::kX, 30), {1, 1, 1}};
    skin.nodes[0].local = rest;
    // Before its rest place it goes a third of a metre at each sample and turns by 40 degrees.
    const auto transition = [](int k) {
        return Transform{{0.3 * k, 0.1 * k, -0.2 * k}, test::turn(test::kY, 40 * k), {1, 1, 1}};
    };
    Scene motion = skin;
    Curve places{Interpolation::kLinear, 3, {0, 1, 2}, {}},
        turns{Interpolation::kLinear, 4, {0, 1, 2}, {}};
    for (int k = 0; k < 3; ++k) {
        const Vec3 p = transition(k).t + rotate(transition(k).r, rest.t);
        const Quat q = transition(k).r * rest.r;
        places.values.append({p.x, p.y, p.z});
        turns.values.append({q.x, q.y, q.z, q.w});
    }
    motion.timelines.push_back({"go", {}, {}, {}, {}});
    motion.timelines[0].channels = {{0, Path::kTranslation, places}, {0, Path::kRotation, turns}};
    ClipInfo facts;
    facts.name = "go", facts.rate = {1, 1}, facts.samples = 3, facts.period = 2;
    facts.travel.ground = facts.travel.height = facts.travel.heading = true;
    const PlayedMotion all(facts, motion, skin, 0);
    std::vector<Transform> pose;
    for (int k = 0; k < 3; ++k) {
        const Transform got = all.travelled(k);
        EXPECT_LT(length(got.t - transition(k).t), 1e-12) << k;
        EXPECT_LT(angle_between(got.r, transition(k).r), 1e-7) << k;
        all.pose(k, pose);
        EXPECT_LT(length(pose.at(0).t - rest.t), 1e-12) << k;
        EXPECT_LT(angle_between(pose.at(0).r, rest.r), 1e-7) << k;
    }
    facts.travel.heading = facts.travel.height = false;
    const Transform ground = PlayedMotion(facts, motion, skin, 0).travelled(1);
    const Vec3 off = transition(1).t + rotate(transition(1).r, rest.t) - rest.t;
    EXPECT_LT(length(ground.t - Vec3{off.x, 0, off.z}), 1e-12);
    EXPECT_EQ(angle_between(ground.r, Quat()), 0);
    // Upside down there is no heading that could be told, whatever is left of one by rounding.
    Curve over{Interpolation::kStep, 4, {0}, {}};
    const Quat head_down = Quat{1, 1e-5, 0, -1e-5} * rest.r;
    over.values.append({head_down.x, head_down.y, head_down.z, head_down.w});
    motion.timelines[0].channels = {{0, Path::kRotation, over}};
    facts.travel.heading = true;
    EXPECT_EQ(angle_between(PlayedMotion(facts, motion, skin, 0).travelled(1).r, Quat()), 0);
}

TEST(PlayedMotionTest, SizeOfTheRootIsPlayed) {
    const TempFolder folder;
    test::write_bytes(folder / "figure.glb", test::figure({test::keyed(0, "scale", 24, [](int f) {
                          const double s = 1 + f / 24.0;
                          return test::Three{s, s, s};
                      })}));
    for (const char* root : {"root", "hips"}) {  // above the hips, and the hips themselves
        const std::string text =
            test::recipe("range = [0, 24]\n") + fmt::format("[travel]\nroot = \"{}\"\n", root);
        ASSERT_THAT(test::pack_text(folder, text, true), IsOk());
        const Crate crate = open_crate(folder / "out").value();
        const auto states = parse_states("start = \"c\"\n[[state]]\nname = \"c\"\n", "s.toml");
        StandIn game = StandIn::make(crate, states.value()).value();
        game.advance(0.5);
        std::map<std::string, Vec3> places;
        for (std::size_t j = 0; j < game.joints().size(); ++j)
            places[game.joints()[j]] = game.worlds()[j].o;
        EXPECT_NEAR(length(places.at("head") - places.at("hips")), 0.75, 1e-6) << root;
        EXPECT_EQ(places.count("root"), root == std::string("root") ? 1U : 0U);
    }
}

TEST_F(PlayTest, WaysAreTakenWhenTheyMay) {
    StandIn game = player();
    EXPECT_EQ(game.advance(0.1).state, "stand");
    game.set("walking", true);
    EXPECT_EQ(game.advance(0.1).state, "walk");
    game.set("walking", false);
    // Not before the end of the step, and then at once: 1 s after it began.
    PlayStep step;
    for (int k = 0; k < 8; ++k) step = game.advance(0.1);
    EXPECT_EQ(step.state, "walk");
    step = game.advance(0.15);
    EXPECT_EQ(step.state, "stand");
    EXPECT_NEAR(step.state_seconds, 0.05, 1e-9);
    // A signal that nobody listens to is said and forgotten, and so is one that plays already.
    game.send("wave");
    EXPECT_THAT(game.advance(0.1).unheard, ElementsAre("wave"));
    game.send("pick");
    step = game.advance(0.1);
    EXPECT_EQ(step.state, "pick");
    game.send("pick");
    step = game.advance(0.2);
    EXPECT_NEAR(step.state_seconds, 0.3, 1e-9);
    EXPECT_THAT(step.unheard, ElementsAre("pick"));
    // Where the way says so it begins again.
    StandIn again =
        player(test::change(kStates, "blend = 0.5", "blend = 0.5\nagain = \"restart\""));
    again.send("pick");
    again.advance(0.3);
    again.send("pick");
    const PlayStep anew = again.advance(0.2);
    EXPECT_NEAR(anew.state_seconds, 0.2, 1e-9);
    EXPECT_TRUE(anew.began);
    EXPECT_FALSE(again.advance(0.1).began);
    // Once played it goes back: pick lasts 4 s.
    for (int k = 0; k < 40; ++k) step = game.advance(0.1);
    EXPECT_EQ(step.state, "stand");
    // A signal that only another state listens to is not kept until that state comes.
    StandIn late = player(test::change(kStates, "from = \"*\"", "from = \"walk\""));
    late.send("pick");
    EXPECT_THAT(late.advance(0.1).unheard, ElementsAre("pick"));
    late.set("walking", true);
    for (int k = 0; k < 3; ++k) EXPECT_EQ(late.advance(0.1).state, "walk");
}

TEST_F(PlayTest, HigherPriorityGoesFirstAndOwnWaysBeforeThoseFromAny) {
    const std::string tail =
        "[[way]]\nfrom = \"*\"\nto = \"stand\"\non = \"wave\"\n"
        "[[way]]\nfrom = \"pick\"\nto = \"walk\"\non = \"wave\"\n";
    const auto after = [](const std::string& states) {
        StandIn game = player(states);
        game.send("pick");
        game.advance(0.1);
        game.send("wave");
        return game.advance(0.1).state;
    };
    EXPECT_EQ(after(kStates + tail), "walk") << "a state's own ways come first";
    EXPECT_EQ(after(kStates + test::change(tail, "to = \"stand\"", "to = \"stand\"\npriority = 1")),
              "stand");
}

TEST_F(PlayTest, BlendsAreMixturesOfBothPoses) {
    StandIn game = player();
    game.send("pick");
    const PlayStep step = game.advance(0.25);  // half of a straight blend
    ASSERT_EQ(step.mix.size(), 2U);
    EXPECT_EQ(step.mix[0].first, "stand");
    EXPECT_NEAR(step.mix[1].second, 0.5, 1e-9);
    // The hips hang on the root, whose travel is apart: half way between both files at 0.25 s,
    // which lies between samples 7 and 8.
    const auto hips = [&](const std::string& clip) {
        Vec3 out;
        for (const int k : {7, 8}) {
            const PlainMatrix m =
                times(undone(file(clip, k).at("root").world), file(clip, k).at("hips").world);
            out = out + Vec3{m[0][3], m[1][3], m[2][3]} * 0.5;
        }
        return out;
    };
    const Vec3 wanted = (hips("stand") + hips("pick")) * 0.5;
    const Vec3 p = place(game, "hips") - place(game, "root");
    EXPECT_NEAR(p.y, wanted.y, 1e-5);
    EXPECT_NEAR(std::hypot(p.x, p.z), std::hypot(wanted.x, wanted.z), 1e-4);
    EXPECT_EQ(game.advance(0.3).mix.size(), 1U);
    // However long steps are, travel is mixed as it is in short ones: by the weights of the middle.
    const auto transition = [&](int steps) {
        StandIn walks =
            player(test::change(kStates, "when = \"walking\"\n",
                                "when = \"walking\"\nblend = 1\nblend_shape = \"linear\"\n"));
        walks.set("walking", true);
        PlayStep last;
        for (int k = 0; k < steps; ++k) last = walks.advance(1.0 / steps);
        return length(last.root);
    };
    EXPECT_NEAR(transition(1), 0.5, 0.02);
    EXPECT_NEAR(transition(4), transition(100), 0.005);
    StandIn begun = player();
    begun.send("pick");
    EXPECT_THAT(begun.advance(0).mix, SizeIs(1)) << "nothing of weight 0";
    // What is left of a step when a clip has ended passes as well: pick lasts 4 s, its blend 5.
    const std::string stays = kStates.substr(0, kStates.rfind("[[way]]"));
    StandIn slow = player(test::change(stays, "blend = 0.5", "blend = 5"));
    slow.send("pick");
    EXPECT_NEAR(slow.advance(4.5).mix.back().second, 0.9, 1e-9);
}

TEST_F(PlayTest, CuesFireOnceWhenTheirTimeComes) {
    StandIn game = player();
    game.set("walking", true);
    std::vector<std::string> fired;
    for (int k = 0; k < 60; ++k)
        for (const FiredCue& cue : game.advance(1 / 24.0).cues)
            fired.push_back(fmt::format("{} {}{}", k, cue.name, cue.ends ? " ends" : ""));
    // left at 0 s, right from 0.5 to 0.75 s, of a walk that begins with step 0 and turns every 24.
    EXPECT_THAT(fired, ElementsAre("0 left", "12 right", "18 right ends", "24 left", "36 right",
                                   "42 right ends", "48 left"));
    // Backwards they come in the other order.
    StandIn back = player(test::change(kStates, "name = \"walk\"", "name = \"walk\"\nspeed = -1"));
    back.set("walking", true);
    fired.clear();
    for (int k = 0; k < 24; ++k)
        for (const FiredCue& cue : back.advance(1 / 24.0).cues)
            fired.push_back(cue.name + (cue.ends ? " ends" : ""));
    EXPECT_THAT(fired, ElementsAre("right ends", "right"));
}

TEST_F(PlayTest, TenMinutesOfChanceJumpNowhere) {
    StandIn game =
        player(test::change(kStates, "when = \"walking\"", "when = \"walking\"\nblend = 0.3"));
    std::mt19937 random(7);
    const double dt = 1 / 30.0;
    // No joint of any clip goes faster, by the files; a blend adds at most the way between two
    // poses (less than the figure's height and reach, 3 m) in its time, a smooth one half as fast
    // again.
    double fastest = 0;
    for (const char* clip : {"stand", "walk", "pick"}) {
        const int samples = clip == std::string("walk") ? 31 : 121;
        auto before = file(clip, 0);
        for (int k = 1; k < samples; k += 3) {
            auto now = file(clip, k);
            for (const auto& [joint, node] : now) {
                double d = 0;
                for (std::size_t r = 0; r < 3; ++r)
                    d += std::pow(node.world[r][3] - before.at(joint).world[r][3], 2);
                fastest = std::max(fastest, std::sqrt(d) / 3);
            }
            before = std::move(now);
        }
    }
    const double bound = 3 * fastest + 1.5 * 3 * dt / 0.3;
    std::vector<Affine> last = game.worlds();
    Vec3 root = place(game, "root");
    Vec3 sum = root;
    double worst = 0;
    std::set<std::string> seen;
    for (int k = 0; k < 18000; ++k) {
        if (random() % 50 == 0) game.set("walking", random() % 2 == 0);
        if (random() % 200 == 0) game.send("pick");
        const PlayStep step = game.advance(dt);
        seen.insert(step.state);
        for (std::size_t j = 0; j < last.size(); ++j)
            worst = std::max(worst, length(game.worlds()[j].o - last[j].o));
        sum = sum + (place(game, "root") - root);
        root = place(game, "root");
        last = game.worlds();
    }
    EXPECT_LT(worst, bound);
    EXPECT_LT(length(sum - root), 1e-6);
    EXPECT_EQ(seen.size(), 3U);
    EXPECT_GT(length(root), 10) << "she got somewhere";
}

TEST_F(PlayTest, TheToolTellsItAndTheSameScriptGivesTheSameBytes) {
    write_text(*folder() / "s.toml", kStates);
    write_text(*folder() / "c.csv", "seconds,name,value\n0.5,walking,yes\n2,pick,\n2.2,wave,\n");
    const std::string command =
        fmt::format("play '{}' --states '{}' --script '{}'", crate().string(),
                    (*folder() / "s.toml").string(), (*folder() / "c.csv").string());
    const auto run = run_tool(command);
    EXPECT_EQ(run.exit, 0) << run.err;
    EXPECT_THAT(run.out, HasSubstr("walking = yes"));
    EXPECT_THAT(run.out, HasSubstr("from stand"));
    EXPECT_THAT(run.out, HasSubstr("from walk"));
    EXPECT_THAT(run.out, testing::Not(HasSubstr("again")));
    EXPECT_THAT(run.out, testing::Not(HasSubstr("-0.0 "))) << "no sign on nothing";
    EXPECT_THAT(run.out, HasSubstr("cue right at foot.R"));
    EXPECT_THAT(run.out, HasSubstr("wave changes nothing"));
    const auto a = run_tool(command + " --json --rate 60"),
               b = run_tool(command + " --json --rate 60");
    EXPECT_EQ(a.out, b.out);
    const json told = json::parse(a.out);
    ASSERT_EQ(told["steps"].size(), 252U) << "2.2 s and two more";
    EXPECT_EQ(told["steps"][100]["state"], "walk");
    EXPECT_EQ(told["steps"][251]["state"], "pick");
    EXPECT_NEAR(told["steps"][119]["root"][2].get<double>(), 1.5, 0.1);
    EXPECT_EQ(run_tool("play '" + crate().string() + "' --states nowhere.toml").exit, 3);
    const auto none = run_tool("play . --states '" + (*folder() / "s.toml").string() + "'");
    EXPECT_EQ(none.exit, 3);
    EXPECT_THAT(none.err, HasSubstr("crate.json"));
    EXPECT_EQ(run_tool(command + " --rate 0").exit, 2);
    write_text(*folder() / "c.csv", "seconds,name,value\n100000,wave,\n");
    const auto endless = run_tool(command);
    EXPECT_EQ(endless.exit, 2);
    EXPECT_THAT(endless.err, HasSubstr("100002"));
    write_text(*folder() / "c.csv", "seconds,name,value\n2.2,wave,\n");
    EXPECT_EQ(run_tool(command + " -o page.txt").exit, 2);
    EXPECT_FALSE(std::filesystem::exists("page.txt"));
}

}  // namespace
}  // namespace mellow
