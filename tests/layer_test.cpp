// Layers over a rig, blocks on an arrangement, masks.
#include <cmath>
#include <numbers>

#include "mellow/node_mask.h"
#include "rigs.h"

namespace mellow {
namespace {

using std::numbers::pi;
using namespace test;

/// Three nodes up the Y axis, the middle one turning by 40 degrees about X in a second, 10 frames.
Scene scene_with_motion() {
    Scene scene = chain_scene(3, 1);
    scene.rate = {10, 1};
    key_turn(scene, 1, {}, turn(kX, 40));
    return scene;
}
template <class Body = OffsetLayer>
Layer layer_on(const std::vector<std::string>& nodes, const Body& body = {}) {
    Layer layer;
    layer.body = body;
    layer.where = "test layer";
    layer.mask = parse_mask(nodes);
    return layer;
}
PoseTile with(const Scene& scene, std::vector<Layer> layers, const std::vector<double>& seconds,
              const std::string& rules = "") {
    Performance performance;
    performance.timeline = 0;
    performance.layers = std::move(layers);
    return evaluate(scene, sheet(rules), performance, seconds);
}

// --------------------------------------------------------------------------------------- masks

TEST(MaskTest, NamesPatternsAndSubtrees) {
    Scene scene = chain_scene(5, 1);
    for (std::size_t n = 0; n < 5; ++n) scene.nodes[n].name = "orchard:n" + std::to_string(n);
    scene.nodes[4].name = "orchard:finger_12";
    const auto nodes = [&](const std::vector<std::string>& texts) {
        return masked_nodes(scene, parse_mask(texts), "orchard:", "here").value();
    };
    EXPECT_EQ(nodes({"n1", "orchard:n3"}), (std::vector<int>{1, 3}));
    EXPECT_EQ(nodes({"below:n3"}), (std::vector<int>{3, 4}));
    EXPECT_EQ(nodes({"n?"}), (std::vector<int>{0, 1, 2, 3}));
    EXPECT_EQ(nodes({"*er_*2"}), (std::vector<int>{4}));
    EXPECT_EQ(nodes({"*"}).size(), 5U);
    EXPECT_THAT(masked_nodes(scene, parse_mask({"n9"}), "orchard:", "here"),
                FailsWith(Code::kNameUnknown, "\"n0\""));
    EXPECT_THAT(masked_nodes(scene, parse_mask({"toe*"}), "orchard:", "here"),
                FailsWith(Code::kNameUnknown, "toe*"));
}

// -------------------------------------------------------------------------------------- layers

TEST(LayerTest, AnOffsetTurnsTheMaskedAndNoOther) {
    const Layer neck = layer_on({"n1"}, OffsetLayer{kY, 20, false, {}});
    const std::vector<double> times{0, 0.5, 1};
    const PoseTile plain = with(scene_with_motion(), {}, times),
                   bent = with(scene_with_motion(), {neck}, times);
    for (int f = 0; f < 3; ++f) {
        EXPECT_NEAR(angle(bent.local(1, f).r, turn(kX, 20 * f) * turn(kY, 20)), 0, 1e-6);
        EXPECT_EQ(bent.local(2, f).t, plain.local(2, f).t);
        EXPECT_LT(difference(bent.world(0, f), plain.world(0, f)), 1e-15);
    }
}

TEST(LayerTest, AnOffsetCanTurnAboutAnAxisOfTheWorld) {
    Scene scene = scene_with_motion();
    scene.nodes[0].local.r = turn(kZ, 90);
    const Layer layer = layer_on({"n1"}, OffsetLayer{kY, 30, true, {}});
    const Quat facing = rotation_of(with(scene, {layer}, {1}).world(1, 0));
    EXPECT_NEAR(angle(facing, turn(kY, 30) * turn(kZ, 90) * turn(kX, 40)), 0, 1e-6);
}

TEST(LayerTest, NodesBelowEachOtherTurnAboutAnAxisOfTheWorldOneByOne) {
    const Scene scene = scene_with_motion();
    const Layer layer = layer_on({"below:n1"}, OffsetLayer{kY, 30, true, {}});
    const PoseTile plain = with(scene, {}, {1}), bent = with(scene, {layer}, {1});
    // n2 goes along with what n1 is turned by, and is then turned by as much itself.
    for (const auto& [node, degrees] : {std::pair{1, 30}, {2, 60}})
        EXPECT_NEAR(angle(rotation_of(bent.world(node, 0)),
                          turn(kY, degrees) * rotation_of(plain.world(node, 0))),
                    0, 1e-6);
}

TEST(LayerTest, AShiftGoesAlongTheAxesOfTheParent) {
    const Layer layer = layer_on({"n1"}, OffsetLayer{kY, 0, false, {0.5, 0, 2}});
    // The node itself has turned by 40 degrees.
    EXPECT_LT(length(with(scene_with_motion(), {layer}, {1}).local(1, 0).t - Vec3{0.5, 1, 2}),
              1e-12);
}

TEST(LayerTest, SmoothedTurnsGoTheShortWayWhateverTheirSigns) {
    // Ten degrees a key, every other quaternion on the other side.
    Scene scene = chain_scene(1, 1);
    scene.rate = {10, 1};
    scene.timelines.emplace_back();
    Curve turning{Interpolation::kLinear, 4, {}, {}};
    for (int k = 0; k <= 8; ++k) {
        const Quat q = turn(kX, 10 * k);
        const double sign = k % 2 == 0 ? 1 : -1;
        turning.times.push_back(k / 10.0);
        turning.values.append({sign * q.x, sign * q.y, sign * q.z, sign * q.w});
    }
    scene.timelines[0].channels.push_back({0, Path::kRotation, turning});
    const Layer layer = layer_on({"n0"}, SmoothLayer{2, 7});
    for (const double t : {0.25, 0.45, 0.62})
        EXPECT_NEAR(angle(with(scene, {layer}, {t}).local(0, 0).r, turn(kX, 100 * t)), 0, 0.05)
            << t;
}

TEST(LayerTest, WeightsAreKeyedOverFrames) {
    Layer layer = layer_on({"n2"}, OffsetLayer{kY, 0, false, {0, 0, 2}});
    layer.weight.points = {{2, 0, 0}, {6, 1, 0}};
    const PoseTile tile = with(scene_with_motion(), {layer}, {0.1, 0.4, 0.9});
    const double expected[] = {0, 1, 2};
    for (int f = 0; f < 3; ++f) EXPECT_NEAR(tile.local(2, f).t.z, expected[f], 1e-12);
}

TEST(LayerTest, LayersGoOverEachOtherInTheirOrderAndOverRules) {
    const Layer first = layer_on({"n2"}, OffsetLayer{kX, 90, false, {}}),
                second = layer_on({"n2"}, OffsetLayer{kY, 90, false, {}});
    const std::string rules =
        "[[rule]]\nkind = \"follow\"\nnode = \"n2\"\nsource = \"n1\"\noffset = \"none\"\nparts = "
        "[\"orientation\"]\n";
    const PoseTile tile = with(scene_with_motion(), {first, second}, {1}, rules);
    EXPECT_NEAR(angle(tile.local(2, 0).r, turn(kX, 90) * turn(kY, 90)), 0, 1e-6);
    const PoseTile other = with(scene_with_motion(), {second, first}, {1}, rules);
    EXPECT_NEAR(angle(other.local(2, 0).r, turn(kY, 90) * turn(kX, 90)), 0, 1e-6);
}

TEST(LayerTest, ReplacingTakesThePoseOfAFrame) {
    Layer layer = layer_on({"n1"}, ReplaceLayer{0, 10});
    layer.constant_weight = 0.5;
    // Half way from 0 to the 40 degrees of frame 10.
    EXPECT_NEAR(angle(with(scene_with_motion(), {layer}, {0}).local(1, 0).r, turn(kX, 20)), 0,
                1e-6);
    layer.body = ReplaceLayer{kNone, 10};  // the rest pose
    layer.constant_weight = 1;
    EXPECT_NEAR(angle(with(scene_with_motion(), {layer}, {1}).local(1, 0).r, {}), 0, 1e-6);
}

Layer shake(Vec3 degrees) { return layer_on({"n2"}, ShakeLayer{degrees, {}, 3, {7, 8, 9}}); }
/// The angle about X at many moments; a shake about one axis only.
std::vector<double> shaken(const Layer& layer, Vec3 axis, double rate) {
    std::vector<double> out;
    const int count = static_cast<int>(6 * rate);
    for (int k = 0; k <= count; ++k)
        out.push_back(
            twist_angle(with(scene_with_motion(), {layer}, {k / rate}).local(2, 0).r, axis) * 180 /
            pi);
    return out;
}

TEST(LayerTest, AShakeIsSmoothBoundedAndItsOwnOnEachAxis) {
    const std::vector<double> x = shaken(shake({5, 0, 0}), kX, 24),
                              y = shaken(shake({0, 5, 0}), kY, 24);
    double largest = 0, fastest = 0, xy = 0, xx = 0, yy = 0;
    for (std::size_t k = 0; k < x.size(); ++k) {
        largest = std::max(largest, std::abs(x[k]));
        if (k > 0) fastest = std::max(fastest, std::abs(x[k] - x[k - 1]));
        xy += x[k] * y[k], xx += x[k] * x[k], yy += y[k] * y[k];
    }
    EXPECT_GT(largest, 1);
    EXPECT_LE(largest, 5);
    EXPECT_LT(fastest, 2.5);  // eight samples a beat
    EXPECT_LT(std::abs(xy) / std::sqrt(xx * yy), 0.25);
}

TEST(LayerTest, AShakeIsTheSameForTheSameSeedAtAnyRate) {
    const std::vector<double> slow = shaken(shake({5, 0, 0}), kX, 24),
                              fast = shaken(shake({5, 0, 0}), kX, 48);
    for (std::size_t k = 0; k < slow.size(); ++k) EXPECT_EQ(slow[k], fast[2 * k]);
    Layer other = shake({5, 0, 0});
    std::get<ShakeLayer>(other.body).seeds[0] = 70;
    EXPECT_NE(shaken(other, kX, 7), shaken(shake({5, 0, 0}), kX, 7));
    other.constant_weight = 0;
    for (const double v : shaken(other, kX, 3)) EXPECT_EQ(v, 0);
}

TEST(LayerTest, EqualSeedsAreSaid) {
    const Scene scene = scene_with_motion();
    const auto said = [&](const Layer& layer) {
        Performance performance;
        performance.timeline = 0;
        performance.layers = {layer};
        const auto rig = Rig::bind(scene, performance, {});
        EXPECT_THAT(rig, IsOk());
        return rig ? rig.value().findings() : Findings{};
    };
    Layer layer = shake({5, 5, 0});
    std::get<ShakeLayer>(layer.body).seeds = {4, 1, 4};
    EXPECT_TRUE(said(layer).empty()) << "an axis that does not shake";
    std::get<ShakeLayer>(layer.body).offset = {0, 0, 0.1};
    for (const auto& seeds : {std::array<std::uint32_t, 3>{4, 4, 1}, {4, 1, 4}, {1, 4, 4}}) {
        std::get<ShakeLayer>(layer.body).seeds = seeds;
        ASSERT_EQ(said(layer).size(), 1U);
        EXPECT_EQ(said(layer)[0].code, Code::kEqualSeeds);
    }
}

/// Ten keys a second on node 0: y is k^3 / 100 at key k, and their mean in the middle of two.
void expect_keys_3_to_6_rounded(const Scene& scene) {
    const Layer layer = layer_on({"n0"}, SmoothLayer{3, 6});
    const std::vector<double> times{0.15, 0.25, 0.3, 0.45, 0.5, 0.6, 0.75};
    const PoseTile before = with(scene, {}, times), after = with(scene, {layer}, times);
    for (const int f : {0, 1, 2, 4, 5, 6})  // outside the run, and at its keys
        EXPECT_LT(length(after.local(0, f).t - before.local(0, f).t), 1e-12) << f;
    // Between keys 4 and 5 the slopes are (f(k+1) - f(k-1)) / 2, 0.49 and 0.76: the cubic gives the
    // mean of 0.64 and 1.25 and an eighth of what they differ by; the straight line gave the mean.
    EXPECT_NEAR(after.local(0, 3).t.y, 0.945 + (0.49 - 0.76) / 8, 1e-9);
    EXPECT_NEAR(before.local(0, 3).t.y, 0.945, 1e-9);
}

TEST(LayerTest, SmoothingRoundsTheChosenKeysAndNoOther) {
    Scene scene = chain_scene(1, 1);
    scene.rate = {10, 1};
    scene.timelines.emplace_back();
    Curve zigzag{Interpolation::kLinear, 3, {}, {}};
    for (int k = 0; k <= 8; ++k) {
        zigzag.times.push_back(k / 10.0);
        zigzag.values.append({k % 2 == 0 ? 0.0 : 1.0, k * k * k / 100.0, 0});
    }
    scene.timelines[0].channels.push_back({0, Path::kTranslation, zigzag});
    expect_keys_3_to_6_rounded(scene);
}

TEST(LayerTest, SmoothingRoundsMembersOfStacksAlike) {
    // The same keys on the translation of a stack: straight, then with control points of their own.
    for (const bool curved : {false, true}) {
        Scene scene = chain_scene(1, 1);
        scene.rate = {10, 1};
        scene.timelines.emplace_back();
        scene.nodes[0].stack.push_back({StackKind::kTranslate, "t", {}});
        MemberCurve parabola{0, 0, 1, 1, {}, {}, {KeyShape::kLinear}, {}, {}};
        for (int k = 0; k <= 8; ++k) {
            const double t = k / 10.0, y = k * k * k / 100.0;
            parabola.times.push_back(t);
            parabola.values.push_back(y);
            if (!curved) continue;
            parabola.shapes[0] = KeyShape::kBezier;
            parabola.before.insert(parabola.before.end(), {t - 0.02, y});
            parabola.after.insert(parabola.after.end(), {t + 0.02, y});
        }
        scene.timelines[0].members.push_back(parabola);
        expect_keys_3_to_6_rounded(scene);
    }
}

// --------------------------------------------------------------------------------------
// arrangements

/// Two timelines: "out" goes from 0 to 10 along X in 10 frames, "up" from 100 to 110 along Y.
Scene two_timelines() {
    Scene scene = chain_scene(1, 1);
    scene.rate = {10, 1};
    key(scene, 0, Path::kTranslation, {0, 0, 0}, {10, 0, 0});
    scene.timelines.push_back(scene.timelines[0]);
    scene.timelines[1].channels[0].curve.values = {0, 100, 0, 0, 110, 0};
    return scene;
}
Block block(int timeline, double first, double last, double start) {
    Block b;
    b.timeline = timeline;
    b.first = first, b.last = last, b.start = start;
    return b;
}
/// Where the node is at some frames of the arrangement.
std::vector<Vec3> arranged(const Scene& scene, Arrangement arrangement,
                           const std::vector<double>& frames) {
    Performance performance;
    performance.arrangement = std::move(arrangement);
    std::vector<Vec3> out;
    for (const double f : frames)
        out.push_back(evaluate(scene, {}, performance, {f / 10}).local(0, 0).t);
    return out;
}

TEST(StripTest, BlocksAreTrimmedSpedUpAndRepeated) {
    Arrangement arrangement;
    arrangement.blocks = {block(0, 2, 6, 20)};
    arrangement.blocks[0].speed = 2;
    arrangement.blocks[0].repeats = 3;
    EXPECT_DOUBLE_EQ(arrangement.last(), 26);
    const auto at = arranged(two_timelines(), arrangement, {20, 21, 22, 22.5, 24, 26});
    const double x[] = {2, 4, 6, 3, 6, 6};
    for (std::size_t k = 0; k < at.size(); ++k) EXPECT_NEAR(at[k].x, x[k], 1e-9) << k;
}

TEST(StripTest, OverlapsAreBlended) {
    Arrangement arrangement;
    arrangement.blocks = {block(0, 0, 10, 0), block(1, 0, 10, 6)};  // 6..10 belongs to both
    arrangement.blend = CurveShape::kLinear;
    const auto at = arranged(two_timelines(), arrangement, {5, 6, 7, 9, 10, 12});
    EXPECT_LT(length(at[0] - Vec3{5, 0, 0}), 1e-9);
    EXPECT_LT(length(at[1] - Vec3{6, 0, 0}), 1e-9);
    EXPECT_LT(length(at[2] - (0.75 * Vec3{7, 0, 0} + 0.25 * Vec3{0, 101, 0})), 1e-9);
    EXPECT_LT(length(at[3] - (0.25 * Vec3{9, 0, 0} + 0.75 * Vec3{0, 103, 0})), 1e-9);
    EXPECT_LT(length(at[4] - Vec3{0, 104, 0}), 1e-9);
    EXPECT_LT(length(at[5] - Vec3{0, 106, 0}), 1e-9);
    arrangement.blend = CurveShape::kSmooth;
    const double u = 0.25 * 0.25 * (3 - 0.5);
    EXPECT_LT(length(arranged(two_timelines(), arrangement, {7})[0] -
                     ((1 - u) * Vec3{7, 0, 0} + u * Vec3{0, 101, 0})),
              1e-9);
}

TEST(StripTest, AShortBlockWithinALongOneIsBlendedInOverItself) {
    Arrangement arrangement;
    arrangement.blocks = {block(0, 0, 10, 0), block(1, 0, 4, 2)};  // 2..6, within 0..10
    arrangement.blend = CurveShape::kLinear;
    EXPECT_LT(length(arranged(two_timelines(), arrangement, {4})[0] -
                     (0.5 * Vec3{4, 0, 0} + 0.5 * Vec3{0, 102, 0})),
              1e-9);
}

TEST(StripTest, MorphWeightsAreBlended) {
    Scene scene = two_timelines();
    scene.meshes.emplace_back().target_names = {"wide"};
    scene.meshes[0].primitives.emplace_back().targets.resize(1);
    scene.nodes[0].mesh = 0;
    for (std::size_t t = 0; t < 2; ++t)
        scene.timelines[t].channels.push_back(
            {0,
             Path::kWeights,
             {Interpolation::kLinear, 1, {0, 1}, t == 0 ? KeyValues{0.2, 0.2} : KeyValues{1, 1}}});
    Performance performance;
    performance.arrangement = Arrangement{};
    performance.arrangement->blocks = {block(0, 0, 10, 0), block(1, 0, 10, 6)};
    performance.arrangement->blend = CurveShape::kLinear;
    const PoseTile tile = evaluate(scene, {}, performance, {0.7});
    EXPECT_NEAR(tile.scalar(0)[0], 0.75 * 0.2 + 0.25 * 1, 1e-12);
}

TEST(StripTest, GapsHoldOrGoToRest) {
    Arrangement arrangement;
    arrangement.blocks = {block(0, 0, 4, 0), block(1, 0, 4, 10)};
    const auto held = arranged(two_timelines(), arrangement, {7, 9.9, 10});
    EXPECT_LT(length(held[0] - Vec3{4, 0, 0}), 1e-9);
    EXPECT_LT(length(held[1] - Vec3{4, 0, 0}), 1e-9);
    EXPECT_LT(length(held[2] - Vec3{0, 100, 0}), 1e-9);
    arrangement.gaps_rest = true;
    EXPECT_LT(length(arranged(two_timelines(), arrangement, {7})[0]), 1e-9);
}

TEST(StripTest, WeightsMixWithWhatLiesBelow) {
    Arrangement arrangement;
    arrangement.blocks = {block(0, 0, 10, 0), block(1, 0, 10, 0)};
    arrangement.blocks[1].weight.points = {{0, 0.25, 0}, {10, 0.25, 0}};
    arrangement.blend = CurveShape::kLinear;
    // Blended in over the whole overlap of 10 frames, up to a quarter.
    EXPECT_LT(length(arranged(two_timelines(), arrangement, {10})[0] -
                     (0.75 * Vec3{10, 0, 0} + 0.25 * Vec3{0, 110, 0})),
              1e-9);
}

}  // namespace
}  // namespace mellow
