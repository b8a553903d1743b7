// Cutting ranges, loops, and travel on the root: counts and places worked by hand.
#include <cmath>
#include <numbers>

#include "mellow/shape.h"
#include "mellow/travel.h"
#include "rigs.h"
#include "support.h"
#include "travel/smooth.h"

namespace mellow {
namespace {

using std::numbers::pi;
using namespace test;
using test::difference;

Range range(std::int64_t first, std::int64_t last, bool loop = false) {
    return {"walk", first, last, loop ? Play::kLoop : Play::kOnce, "r.toml:3, clip \"walk\""};
}

TEST(RangeTest, OneSecondAt24Is31SamplesAt30) {
    const auto planned = plan_range(range(108, 132, true), 0, 240, {24, 1}, {30, 1});
    ASSERT_THAT(planned, IsOk());
    const SamplePlan& plan = planned.value().plan;
    EXPECT_EQ(plan.samples, 31);
    EXPECT_DOUBLE_EQ(plan.second(0), 4.5);
    EXPECT_DOUBLE_EQ(plan.second(15), 5.0);
    EXPECT_DOUBLE_EQ(plan.second(30), 5.5);
    EXPECT_TRUE(planned.value().findings.empty());
}

TEST(RangeTest, CountsOfManyPairsOfRates) {
    struct Case {
        std::int64_t first, last;
        FrameRate from, to;
        int samples;
    };
    const Case cases[] = {
        {0, 24, {24, 1}, {24, 1}, 25},     {0, 24, {24, 1}, {60, 1}, 61},
        {10, 11, {30, 1}, {30, 1}, 2},     {0, 120, {120, 1}, {30, 1}, 31},
        {0, 48, {24, 1}, {12, 1}, 25},     {0, 1001, {30000, 1001}, {30000, 1001}, 1002},
        {0, 1000, {25, 1}, {30, 1}, 1201},
    };
    for (const Case& c : cases) {
        const auto planned = plan_range(range(c.first, c.last, true), 0, 2000, c.from, c.to);
        ASSERT_THAT(planned, IsOk());
        EXPECT_EQ(planned.value().plan.samples, c.samples);
        EXPECT_DOUBLE_EQ(planned.value().plan.second(c.samples - 1), c.from.seconds(c.last));
    }
}

TEST(RangeTest, EmptyAndBackwardRangesAreRefused) {
    EXPECT_THAT(plan_range(range(5, 5), 0, 10, {24, 1}, {24, 1}),
                FailsWith(Code::kRangeEmpty, "r.toml:3"));
    EXPECT_THAT(plan_range(range(6, 5), 0, 10, {24, 1}, {24, 1}),
                FailsWith(Code::kRangeEmpty, "6..5"));
}

TEST(RangeTest, OutsideTheTimelineIsRefusedWithTheRangeThatFits) {
    EXPECT_THAT(plan_range(range(0, 300), 0, 240, {24, 1}, {24, 1}),
                FailsWith(Code::kRangeOutside, "range = [0, 240]"));
    EXPECT_THAT(plan_range(range(-2, 8), 4, 240, {24, 1}, {24, 1}),
                FailsWith(Code::kRangeOutside, "4..240"));
}

TEST(RangeTest, ALoopOffTheGridIsRefusedWithARateThatFits) {
    // 25 intervals at 24/s are 31.25 intervals at 30/s; 24 are 30.
    const auto off = plan_range(range(0, 25, true), 0, 240, {24, 1}, {30, 1});
    EXPECT_THAT(off, FailsWith(Code::kRangeOffGrid, "31.250"));
    EXPECT_THAT(off, FailsWith(Code::kRangeOffGrid, "a target rate of 24"));
}

TEST(RangeTest, AOneShotOffTheGridIsHeldToTheNextSample) {
    const auto planned = plan_range(range(0, 25), 0, 240, {24, 1}, {30, 1});
    ASSERT_THAT(planned, IsOk());
    EXPECT_EQ(planned.value().plan.samples, 33);
    EXPECT_DOUBLE_EQ(planned.value().plan.second(32), 25 / 24.0);  // never beyond the range
    EXPECT_DOUBLE_EQ(planned.value().plan.second(31), 31 / 30.0);
    ASSERT_EQ(planned.value().findings.size(), 1U);
    EXPECT_EQ(planned.value().findings[0].code, Code::kRangeOffGrid);
}

// A root and hips that walk on a line, samples once more than intervals.
struct Walk {
    Skeleton skeleton;
    JointSources sources;
    Clip clip;
};

// Hips at height 1 whose rest place is (0, 1, 0.1); they move and turn about up, with a child.
Walk make_walk(int samples, const std::function<Transform(int)>& hips) {
    Walk w;
    Transform rest;
    rest.t = {0, 1, 0.1};
    w.skeleton =
        Skeleton::make({{"hips", -1, rest}, {"head", 0, {{0, 0.7, 0}, {}, {1, 1, 1}}}}).value();
    w.sources.resize(2);
    EXPECT_THAT(add_root(w.skeleton, w.sources, "root"), IsOk());
    w.clip.name = "walk";
    w.clip.rate = {10, 1};
    w.clip.samples = samples;
    w.clip.period = samples - 1;
    w.clip.joints = make_tracks(3, samples);
    for (int k = 0; k < samples; ++k) {
        store(w.clip.joints[1], k, hips(k));
        store(w.clip.joints[2], k, {{0, 0.7, 0}, {}, {1, 1, 1}});
    }
    return w;
}

Affine world(const Walk& w, int joint, int sample) {
    Affine m;
    for (int j = joint; j >= 0; j = w.skeleton[j].parent)
        m = to_affine(local_at(w.clip.joints[static_cast<std::size_t>(j)], sample)) * m;
    return m;
}

TEST(TravelTest, AddRootPutsItFirstAndOnce) {
    Walk w = make_walk(2, [](int) { return Transform{}; });
    EXPECT_EQ(w.skeleton.size(), 3);
    EXPECT_EQ(w.skeleton[0].name, "root");
    EXPECT_EQ(w.skeleton[1].parent, 0);
    EXPECT_EQ(w.sources[0].node, kNone);
    EXPECT_THAT(add_root(w.skeleton, w.sources, "root"), IsOk());
    EXPECT_EQ(w.skeleton.size(), 3);
    EXPECT_THAT(add_root(w.skeleton, w.sources, "head"), FailsWith(Code::kNameClash, "head"));
}

TEST(TravelTest, GroundAndHeightGoToTheRootAndWorldPosesStay) {
    Walk w = make_walk(11, [](int k) {
        return Transform{{0.02 * k, 1 + 0.01 * k, 0.1 + 0.1 * k}, {}, {1, 1, 1}};
    });
    std::vector<Affine> before;
    for (int k = 0; k < 11; ++k) before.push_back(world(w, 2, k));
    extract_travel(w.clip, w.skeleton, 1, {true, true, false});
    for (int k = 0; k < 11; ++k) {
        EXPECT_LT(difference(world(w, 2, k), before[static_cast<std::size_t>(k)]), 2e-7);
        const Transform root = local_at(w.clip.joints[0], k);
        EXPECT_NEAR(root.t.x, 0.02 * k, 1e-7);
        EXPECT_NEAR(root.t.y, 0.01 * k, 1e-7);
        EXPECT_NEAR(root.t.z, 0.1 * k, 1e-7);
        const Transform hips = local_at(w.clip.joints[1], k);
        EXPECT_NEAR(hips.t.x, 0, 2e-7);
        EXPECT_NEAR(hips.t.y, 1, 2e-7);
        EXPECT_NEAR(hips.t.z, 0.1, 2e-7);
    }
    const Travel& t = w.clip.travel;
    EXPECT_NEAR(t.distance_m, std::hypot(0.2, 1.0), 1e-6);
    EXPECT_NEAR(t.path_m, std::hypot(0.2, 1.0), 1e-6);
    EXPECT_NEAR(t.height_change_m, 0.1, 1e-6);
    EXPECT_NEAR(t.speed_m_s, std::hypot(0.2, 1.0), 1e-6);  // 10 intervals at 10/s
    EXPECT_NEAR(t.step.z, 1.0, 1e-6);
    EXPECT_NEAR(t.step.x, 0.2, 1e-6);
    EXPECT_NEAR(t.step.y, 0.1, 1e-6);
}

TEST(TravelTest, WithoutHeightTheHipsKeepTheirRise) {
    Walk w = make_walk(3, [](int k) { return Transform{{0, 1 + 0.1 * k, 0.1}, {}, {1, 1, 1}}; });
    extract_travel(w.clip, w.skeleton, 1, {true, false, false});
    EXPECT_NEAR(local_at(w.clip.joints[0], 2).t.y, 0, 1e-9);
    EXPECT_NEAR(local_at(w.clip.joints[1], 2).t.y, 1.2, 1e-7);
}

TEST(TravelTest, HeadingThatIsNotAskedForIsNotTold) {
    Walk w = make_walk(11, [](int k) {
        return Transform{{0, 1, 0.1 * k}, from_axis_angle({0, 1, 0}, 0.1 * k), {1, 1, 1}};
    });
    extract_travel(w.clip, w.skeleton, 1, {true, false, false});
    EXPECT_EQ(w.clip.travel.heading_change_rad, 0);
    EXPECT_EQ(w.clip.travel.step_heading_rad, 0);
    EXPECT_NEAR(local_at(w.clip.joints[0], 10).r.w, 1, 1e-12) << "the root does not turn";
}

TEST(TravelTest, HeadingIsUnwrappedOverMoreThanOneTurn) {
    // 400 degrees in 20 steps, nodding by 0.2 about X all along: only the turn about up goes.
    const Quat nod = from_axis_angle({1, 0, 0}, 0.2);
    Walk w = make_walk(21, [&](int k) {
        const Quat turn = from_axis_angle({0, 1, 0}, k * 20.0 * pi / 180);
        return Transform{{0, 1, 0.1}, turn * nod, {1, 1, 1}};
    });
    extract_travel(w.clip, w.skeleton, 1, {true, false, true});
    EXPECT_NEAR(w.clip.travel.heading_change_rad, 400 * pi / 180, 1e-5);
    for (int k = 0; k <= 20; ++k) {
        EXPECT_NEAR(angle_between(local_at(w.clip.joints[1], k).r, nod), 0, 1e-6);
        EXPECT_NEAR(angle_between(local_at(w.clip.joints[0], k).r,
                                  from_axis_angle({0, 1, 0}, k * 20.0 * pi / 180)),
                    0, 1e-6);
    }
}

TEST(TravelTest, OneLoopStepsOnFromWhereTheFigureFaces) {
    // Heading -90 degrees all along and going towards -X: in the root's own frame that is forward.
    Walk w = make_walk(2, [](int k) {
        return Transform{{-1.0 * k, 1, 0}, from_axis_angle({0, 1, 0}, -pi / 2), {1, 1, 1}};
    });
    extract_travel(w.clip, w.skeleton, 1, {true, false, true});
    EXPECT_NEAR(w.clip.travel.step.z, 1, 1e-6);
    EXPECT_NEAR(w.clip.travel.step.x, 0, 1e-6);
    EXPECT_NEAR(w.clip.travel.step_heading_rad, 0, 1e-6);
}

TEST(TravelTest, SmoothedHeadingsDoNotLagAndLoopsStayLoops) {
    // Once round a circle of 2 m in 6 s, hips swaying by 10 degrees ten times: a window of two
    // sways takes the sway out and leaves the circle. A circle of radius r becomes one of r times
    // sinc-like 1 - (pi^2 / 6 - 1) / 2 * (width / turn)^2 ...: 2 m lose less than 1 mm.
    Walk w = make_walk(61, [](int k) {
        const double a = k * 6 * pi / 180, sway = 10 * pi / 180 * std::sin(10 * a);
        return Transform{{-2 * std::cos(a), 1 + 0.1 * std::sin(3 * a), 2 * std::sin(a)},
                         from_axis_angle({0, 1, 0}, a + sway),
                         {1, 1, 1}};
    });
    w.clip.loop = LoopForm::kClosed;
    std::vector<Affine> before;
    for (int k = 0; k <= 60; ++k) before.push_back(world(w, 2, k));
    TravelParts parts{true, false, true};
    parts.smooth_s = 1.2;
    extract_travel(w.clip, w.skeleton, 1, parts);
    EXPECT_NEAR(w.clip.travel.heading_change_rad, 2 * pi, 1e-6);
    for (int k = 0; k <= 60; ++k) {
        EXPECT_LT(difference(world(w, 2, k), before[static_cast<std::size_t>(k)]), 2e-6) << k;
        const Transform root = local_at(w.clip.joints[0], k);
        EXPECT_LT(angle_between(root.r, from_axis_angle({0, 1, 0}, k * 6 * pi / 180)), 1e-5) << k;
        // Its circle is smaller: sum of w(i) cos(6 i degrees) over sum of w(i), with w of 1, 0.933,
        // 0.75, 0.5, 0.25, 0.067 on either side: 5.8469 / 6.
        const Vec3 centre = root.t - rotate(root.r, Vec3{0, 0, -0.1});
        EXPECT_NEAR(std::hypot(centre.x, centre.z), 1.94896, 1e-4) << k;
    }
    // The same without the loop: the ends stay what they were, and the middle is as smooth.
    Walk once = make_walk(61, [](int k) {
        return Transform{{0, 1, 0.05 * k},
                         from_axis_angle({0, 1, 0}, 0.2 + 0.2 * std::sin(2 * pi * k / 6.0)),
                         {1, 1, 1}};
    });
    extract_travel(once.clip, once.skeleton, 1, parts);
    for (int k = 6; k <= 54; ++k)
        EXPECT_LT(
            angle_between(local_at(once.clip.joints[0], k).r, from_axis_angle({0, 1, 0}, 0.2)),
            1e-6)
            << k;
    for (const int k : {0, 60})
        EXPECT_LT(angle_between(local_at(once.clip.joints[0], k).r,
                                from_axis_angle({0, 1, 0}, 0.2 + 0.2 * std::sin(2 * pi * k / 6.0))),
                  1e-6);
}

TEST(TravelTest, TheWayTellsTheHeadingWhileItIsGone) {
    // Two seconds towards +X, one second of rest, two towards -Z; the hips face +Z all along.
    Walk w = make_walk(51, [](int k) {
        const double x = std::min(k, 20) * 0.1, z = -std::max(k - 30, 0) * 0.1;
        const double shiver = k == 24 ? 0.004 : 0;  // of a figure that stands
        return Transform{{x, 1, 0.1 + z + shiver}, {}, {1, 1, 1}};
    });
    TravelParts parts{true, false, true};
    parts.heading_from = TravelParts::Heading::kWay;
    extract_travel(w.clip, w.skeleton, 1, parts);
    for (const auto& [k, degrees] : {std::pair(0, 90), {10, 90}, {25, 90}, {31, 180}, {50, 180}})
        EXPECT_LT(angle_between(local_at(w.clip.joints[0], k).r,
                                from_axis_angle({0, 1, 0}, degrees * pi / 180)),
                  1e-5)
            << k;
    EXPECT_NEAR(w.clip.travel.heading_change_rad, pi / 2, 1e-6);
    EXPECT_LT(difference(world(w, 2, 25), Affine{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}, {2, 1.7, 0.1}}),
              1e-6);
}

TEST(TravelTest, FeetThatStandTellTheHeight) {
    // The head plays the foot: it stands at 0.7 m, which is its rest, for a second, leaps 0.5 m
    // high over a second, and lands a step of 0.2 m higher. Another foot stands 0.3 m higher
    // until then, and on a step of 0.1 m: the lower one counts, whichever is named first.
    for (const std::vector<int>& feet : {std::vector<int>{1, 2}, {2, 1}}) {
        Walk w = make_walk(31, [](int k) {
            const double u = std::clamp((k - 10) / 10.0, 0.0, 1.0);
            return Transform{{0, 1 + 0.2 * u + 2 * u * (1 - u), 0.1}, {}, {1, 1, 1}};
        });
        TravelParts parts{false, true, false};
        parts.height_from = TravelParts::Height::kFeet;
        for (int k = 0; k < 31; ++k)
            store(w.clip.joints[2], k, {{0, k < 20 ? 1.0 : 0.6, 0}, {}, {1, 1, 1}});
        extract_travel(w.clip, w.skeleton, 1, parts, feet);
        for (const auto& [k, height] :
             {std::pair(0, 0.0), {9, 0.0}, {15, 0.05}, {21, 0.1}, {30, 0.1}})
            EXPECT_NEAR(local_at(w.clip.joints[0], k).t.y, height, 0.021) << k;
        EXPECT_NEAR(world(w, 2, 15).o.y, 2.0 + 0.1 + 0.5, 1e-6);
        EXPECT_NEAR(world(w, 0, 0).o.y, 0, 1e-9);
    }
}

TEST(TravelTest, ChannelsCountFromWhereTheRootRests) {
    Walk w = make_walk(11, [](int k) { return Transform{{0, 1, 0.1 * k}, {}, {1, 1, 1}}; });
    std::vector<Joint> joints = w.skeleton.joints();
    joints[0].rest.t = {0.5, 0, 0.2};
    w.skeleton = Skeleton::make(joints).value();
    std::vector<Affine> before;
    for (int k = 0; k < 11; ++k) {
        store(w.clip.joints[0], k,
              {{0.5 + 0.1 * k, 0, 0.2}, from_axis_angle({0, 1, 0}, 0.05 * k), {1, 1, 1}});
        before.push_back(world(w, 2, k));
    }
    travel_channels(w.clip, w.skeleton);
    ASSERT_EQ(w.clip.scalars.size(), 4U);
    EXPECT_EQ(w.clip.scalars[0].values[0], 0) << "at rest there is no travel";
    for (int k = 0; k < 11; ++k) {
        const auto value = [&](std::size_t c) {
            return static_cast<double>(w.clip.scalars[c].values[static_cast<std::size_t>(k)]);
        };
        EXPECT_EQ(local_at(w.clip.joints[0], k).t.x, 0.5) << "the root stays where it rests";
        const double a = value(3) * pi / 180;
        const Affine travel{{std::cos(a), 0, -std::sin(a)},
                            {0, 1, 0},
                            {std::sin(a), 0, std::cos(a)},
                            {value(0), value(1), value(2)}};
        EXPECT_LT(difference(travel * world(w, 2, k), before[static_cast<std::size_t>(k)]), 1e-6);
    }
}

TEST(TravelTest, ANodeOfTheSourceMovesTheRoot) {
    Scene scene;
    const Quat lying = from_axis_angle({1, 0, 0}, -pi / 2);
    const int control = test::add_node(scene, "way", kNone, {{0.5, 0, 0}, lying, {2, 2, 2}});
    const int hips = test::add_node(scene, "hips", kNone, {{0, 1, 0}, {}, {1, 1, 1}});
    JointChoice only_hips;
    only_hips.only.names = {"hips"};
    ChosenJoints chosen = choose_joints(scene, only_hips).value();
    ASSERT_THAT(add_root(chosen.skeleton, chosen.sources, "root"), IsOk());
    ASSERT_THAT(drive_root(chosen.skeleton, chosen.sources, scene, control), IsOk());
    EXPECT_LT(difference(chosen.skeleton.rest_worlds()[1], rest_worlds(scene)[1]), 1e-12);
    EXPECT_EQ(chosen.skeleton[0].rest.r.w, 1);
    scene.nodes[0].local.r = from_axis_angle({0, 1, 0}, 0.7) * lying;
    scene.nodes[0].local.t = {3, 0, 4};
    const Affine root = joint_world(chosen.sources[0], rest_worlds(scene)[0]);
    EXPECT_LT(difference(root, to_affine({{3, 0, 4}, from_axis_angle({0, 1, 0}, 0.7), {1, 1, 1}})),
              1e-12);
    EXPECT_THAT(drive_root(chosen.skeleton, chosen.sources, scene, hips),
                FailsWith(Code::kValueBad, "root"));
}

TEST(TravelTest, HipsThatTravelAloneAreMeasured) {
    Walk w = make_walk(3, [](int k) { return Transform{{0.3 * k, 1, 0.4 * k}, {}, {1, 1, 1}}; });
    EXPECT_NEAR(hips_drift(w.clip, w.skeleton, 1).ground_m, 1.0, 1e-6);
    extract_travel(w.clip, w.skeleton, 1, {true, false, false});
    EXPECT_NEAR(hips_drift(w.clip, w.skeleton, 1).ground_m, 0, 1e-6);
}

TEST(LoopTest, OpeningDropsOneSampleAndClosingPutsItBack) {
    Walk w = make_walk(5, [](int k) { return Transform{{0, 1, 0.1 + 0.5 * k}, {}, {1, 1, 1}}; });
    w.clip.loop = LoopForm::kClosed;
    w.clip.morphs.push_back({"body", {"smile"}, {0, 1, 0.5F, 1, 0}});
    extract_travel(w.clip, w.skeleton, 1, {true, false, false});
    const Clip closed = w.clip;
    EXPECT_LT(loop_gap(w.clip, w.skeleton).distance_m, 1e-6);
    open_loop(w.clip);
    EXPECT_EQ(w.clip.loop, LoopForm::kOpen);
    EXPECT_EQ(w.clip.samples, 4);
    EXPECT_EQ(w.clip.period, 4);
    EXPECT_DOUBLE_EQ(w.clip.seconds(), 0.4);
    EXPECT_EQ(w.clip.morphs[0].weights.size(), 4U);
    close_loop(w.clip);
    EXPECT_EQ(w.clip.samples, 5);
    EXPECT_EQ(w.clip.period, 4);
    for (std::size_t j = 0; j < 3; ++j)
        for (std::size_t i = 0; i < closed.joints[j].translation.size(); ++i)
            EXPECT_NEAR(w.clip.joints[j].translation[i], closed.joints[j].translation[i], 1e-6);
    EXPECT_EQ(w.clip.morphs[0].weights.back(), 0);
}

TEST(LoopTest, TheGapNamesTheJoint) {
    Walk w = make_walk(3, [](int) { return Transform{{0, 1, 0.1}, {}, {1, 1, 1}}; });
    store(w.clip.joints[2], 2, {{0, 0.75, 0}, from_axis_angle({1, 0, 0}, 0.25), {1, 1, 1}});
    const LoopGap gap = loop_gap(w.clip, w.skeleton);
    EXPECT_NEAR(gap.distance_m, 0.05, 1e-6);
    EXPECT_NEAR(gap.angle_rad, 0.25, 1e-6);
    EXPECT_EQ(gap.joint, 2);
}

TEST(GroundPathTest, GoesOnRoundItsBendInBothDirections) {
    // A quarter of a circle of radius 2, headed along it, in ten steps.
    const auto there = [](int k) {
        const double a = k * pi / 20;
        return GroundFrame{{2 - 2 * std::cos(a), 0, 2 * std::sin(a)}, a};
    };
    std::vector<GroundFrame> frames;
    for (int k = 0; k <= 10; ++k) frames.push_back(there(k));
    const GroundPath path(frames, true);
    for (const int k : {-27, -13, -1, 4, 11, 18, 33}) {
        EXPECT_LT(length(path.at(k).place - there(k).place), 1e-12) << k;
        EXPECT_NEAR(path.at(k).heading, there(k).heading, 1e-12) << k;
    }
}

}  // namespace
}  // namespace mellow
