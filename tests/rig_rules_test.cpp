// Rules of rig sheets at their edges: limits, loops, bends, weights; expected values are from
// paper.
#include <fmt/format.h>
#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include "figure/source_file.h"
#include "mellow/read.h"
#include "mellow/shaping.h"
#include "mellow/take.h"
#include "recipe/clip_names.h"
#include "rig/chain_curve.h"
#include "rig/turn_lanes.h"
#include "rigs.h"
#include "small_figure.h"
#include "support.h"

namespace mellow::rig_rules_test {
namespace {

using namespace test;
using namespace testing;
namespace fs = std::filesystem;

constexpr double kPi = std::numbers::pi;

/// The uniform Catmull-Rom curve as Hermite segments, straight beyond its ends; a plain polyline of
/// it for lengths.
struct PlainCurve {
    explicit PlainCurve(std::vector<Vec3> points) : p(std::move(points)) {
        Vec3 before = p[0];
        for (int k = 1; k <= kParts * last(); ++k) {
            const Vec3 now = at(static_cast<double>(k) / kParts);
            upto.push_back(upto.back() + length(now - before));
            before = now;
        }
    }
    static constexpr int kParts = 20000;
    int last() const { return static_cast<int>(p.size()) - 1; }
    Vec3 tangent(int i) const {
        const auto point = [&](int k) { return p[static_cast<std::size_t>(k)]; };
        return i == 0        ? point(1) - point(0)
               : i == last() ? point(i) - point(i - 1)
                             : 0.5 * (point(i + 1) - point(i - 1));
    }
    Vec3 at(double u) const {
        if (u >= last()) return p.back() + (u - last()) * tangent(last());
        const int i = static_cast<int>(u);
        const double t = u - i, t2 = t * t, t3 = t2 * t;
        return (2 * t3 - 3 * t2 + 1) * p[static_cast<std::size_t>(i)] +
               (t3 - 2 * t2 + t) * tangent(i) +
               (3 * t2 - 2 * t3) * p[static_cast<std::size_t>(i) + 1] + (t3 - t2) * tangent(i + 1);
    }
    /// Where the curve is `far` along.
    Vec3 along(double far) const {
        const auto next = std::lower_bound(upto.begin(), upto.end(), far);
        const auto k = static_cast<std::size_t>(next - upto.begin());
        const double share = k == 0 ? 0 : (far - upto[k - 1]) / (upto[k] - upto[k - 1]);
        return at((static_cast<double>(k) - (k == 0 ? 0 : 1 - share)) / kParts);
    }
    double distance(Vec3 from) const {
        double near = 1e9;
        Vec3 a = p[0];
        for (int k = 1; k <= kParts * last(); ++k) {
            const Vec3 b = at(static_cast<double>(k) / kParts), way = b - a;
            const double along = std::clamp(dot(from - a, way) / dot(way, way), 0.0, 1.0);
            near = std::min(near, length(a + along * way - from));
            a = b;
        }
        return near;
    }
    std::vector<Vec3> p;
    std::vector<double> upto{0};
};

TEST(RigRulesTest, AChainOutOfReachComesAsNearAsItsLimitsLetIt) {
    for (const auto& [limit, degrees, far] :
         {std::array{40.0, 75.0, 4.0}, {60.0, 90.0, 3.2}, {60.0, 120.0, 6.0}, {80.0, 120.0, 4.0}}) {
        Scene scene;
        for (int j = 0; j < 4; ++j)
            test::add_node(scene, fmt::format("c{}", j), j - 1,
                           {{0, j == 0 ? 0.0 : 1.0, 0}, {}, {1, 1, 1}});
        const double a = degrees * M_PI / 180;
        const Vec3 goal{far * std::sin(a), far * std::cos(a), 0};
        test::add_node(scene, "goal", kNone, {goal, {}, {1, 1, 1}});
        const PoseTile tile = test::evaluate(
            scene, test::sheet(fmt::format("[[rule]]\nkind = \"chain\"\njoints = [\"c0\", \"c1\", "
                                           "\"c2\", \"c3\"]\ngoal = \"goal\"\nlimit = {}\n",
                                           limit)));
        // Every bend of the three bones in their plane, in steps of a fiftieth of the limit.
        double best = 100;
        const double step = limit * M_PI / 180 / 50;
        for (int i = -50; i <= 50; ++i)
            for (int j = -50; j <= 50; ++j)
                for (int k = -50; k <= 50; ++k) {
                    const double x = i * step, y = x + j * step, z = y + k * step;
                    best = std::min(best,
                                    std::hypot(std::sin(x) + std::sin(y) + std::sin(z) - goal.x,
                                               std::cos(x) + std::cos(y) + std::cos(z) - goal.y));
                }
        EXPECT_NEAR(length(tile.world(3, 0).o - goal), best, 0.01) << limit << " " << degrees;
    }
}

TEST(RigRulesTest, LagsBelowLagsKnowTheRoundsBeforeALoop) {
    // A cart goes round the origin, 40 degrees a second, and bounces. Eleven rounds keyed before
    // the one that is played are what a loop of one round stands for.
    const auto scene_of = [](int rounds) {
        Scene scene;
        const int cart = test::add_node(scene, "cart", kNone, {});
        test::add_node(scene, "b", test::add_node(scene, "a", cart, {{0, 1, 0}, {}, {1, 1, 1}}),
                       {{0, 0.5, 0.2}, {}, {1, 1, 1}});
        Curve places{Interpolation::kLinear, 3, {}, {}}, turns{Interpolation::kLinear, 4, {}, {}};
        for (int k = 0; k <= 24 * rounds; ++k) {
            const double t = k / 24.0, h = 40 * t * M_PI / 180;
            places.times.push_back(t);
            turns.times.push_back(t);
            places.values.append({2 * std::sin(h), 0.1 * std::sin(2 * M_PI * t), 2 * std::cos(h)});
            turns.values.append({0.0, std::sin(h / 2), 0.0, std::cos(h / 2)});
        }
        scene.timelines.emplace_back().channels = {{cart, Path::kTranslation, places},
                                                   {cart, Path::kRotation, turns}};
        return scene;
    };
    const auto lag = [](const std::string& node, double frequency) {
        return fmt::format(
            "[[rule]]\nkind = \"lag\"\nnode = \"{}\"\nparts = [\"position\", \"orientation\"]\n"
            "frequency = {}\ndamping = 0.3\nrun_in = 11\n",
            node, frequency);
    };
    const RigSheet rules = test::sheet(lag("a", 1.5) + lag("b", 2.5));
    Performance loop, keyed_out;
    loop.timeline = keyed_out.timeline = 0;
    loop.played = Played{0, 1, true};
    keyed_out.played = Played{11, 12, false};
    const PoseTile one = test::evaluate(scene_of(1), rules, loop, {0, 0.3, 0.75, 1});
    const PoseTile all = test::evaluate(scene_of(12), rules, keyed_out, {11, 11.3, 11.75, 12});
    for (const int node : {1, 2})
        for (int f = 0; f < 4; ++f) {
            EXPECT_LT(length(one.local(node, f).t - all.local(node, f).t), 1e-6) << node << f;
            EXPECT_LT(test::angle(one.local(node, f).r, all.local(node, f).r), 1e-4) << node << f;
        }
}

TEST(RigRulesTest, JointsLieOnTheCurveTheirLengthApart) {
    const std::vector<Vec3> controls{{0, 0, 0}, {0.3, 1.0, 0.2}, {1.5, 1.2, -0.4}, {1.4, 2.5, 0.1}};
    const PlainCurve curve(controls);
    Fixed<Vec3> points;
    for (const Vec3& c : controls) points.push_back(c);
    Fixed<double> lengths;
    for (const double l : {0.4, 0.7, 0.2, 0.9, 0.5}) lengths.push_back(l);
    const auto stretched = spread_along(points, lengths, true);
    ASSERT_EQ(stretched.size(), 6U);
    double far = 0;
    for (std::size_t i = 0; i < 6; ++i) {
        EXPECT_LT(length(stretched[i] - curve.along(curve.upto.back() * far / 2.7)), 1e-5) << i;
        if (i < 5) far += lengths[i];
    }
    const auto laid = spread_along(points, lengths, false);
    for (std::size_t i = 0; i < 5; ++i) {
        EXPECT_NEAR(length(laid[i + 1] - laid[i]), lengths[i], 1e-13) << i;
        EXPECT_LT(curve.distance(laid[i + 1]), 1e-7) << i;
    }
    // Beyond its end the curve goes on straight.
    Fixed<double> longer;
    for (int i = 0; i < 8; ++i) longer.push_back(0.7);
    const auto beyond = spread_along(points, longer, false);
    const Vec3 way = normalized(controls[3] - controls[2], {});
    const Vec3 off = beyond[8] - controls[3];
    EXPECT_GT(dot(off, way), 0.7);
    EXPECT_LT(length(off - dot(off, way) * way), 1e-9);
}

TEST(RigRulesTest, TwistsAreReadTheShortWayWhateverTheSign) {
    alignas(64) double rows[4 * kTileFrames] = {}, angles[kTileFrames];
    for (int f = 0; f < kTileFrames; ++f) {
        const double half = 50 * kPi / 180, sign = f % 2 == 0 ? 1 : -1;
        rows[kTileFrames + f] = sign * std::sin(half);
        rows[3 * kTileFrames + f] = sign * std::cos(half);
    }
    twist_angles({}, {rows}, {}, {0, 1, 0}, angles);
    for (const double a : angles) EXPECT_NEAR(a, 100 * kPi / 180, 1e-12);
    // A swing by half a turn has no twist that could be told.
    for (int f = 0; f < kTileFrames; ++f) {
        for (int c = 0; c < 4; ++c) rows[c * kTileFrames + f] = c == 0 ? 1 : 0;
    }
    twist_angles({}, {rows}, {}, {0, 1, 0}, angles);
    for (const double a : angles) EXPECT_EQ(a, 0);
}

TEST(RigRulesTest, AimsWeightIsClampedAndMixesAlongTheArc) {
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

TEST(RigRulesTest, WheelsFollowTheArcOfABend) {
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

TEST(RigRulesTest, LagsCloseTheirLoopsByThemselves) {
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

TEST(RigRulesTest, ShakingMovesOnEveryBeat) {
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

TEST(RigRulesTest, SmoothingTakesSlopesFromBeyondItsRange) {
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
}  // namespace mellow::rig_rules_test
