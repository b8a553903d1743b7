// Rates, curves, conventions, scenes and skeletons: worked by hand and against the specification.
#include <cmath>
#include <numbers>

#include "mellow/clip.h"
#include "mellow/convention.h"
#include "mellow/curve.h"
#include "mellow/pose.h"
#include "mellow/skeleton.h"
#include "support.h"

namespace mellow {
namespace {

using namespace test;
using test::difference;

// ---------------------------------------------------------------------------------------- rates

TEST(RateTest, CustomaryDecimalsStandForTheirFractions) {
    EXPECT_EQ(parse_rate("24"), (FrameRate{24, 1}));
    EXPECT_EQ(parse_rate("23.976"), (FrameRate{24000, 1001}));
    EXPECT_EQ(parse_rate("29.97"), (FrameRate{30000, 1001}));
    EXPECT_EQ(parse_rate("30000/1001"), (FrameRate{30000, 1001}));
    EXPECT_EQ(parse_rate("12.5"), (FrameRate{25, 2}));
    EXPECT_EQ(to_text(FrameRate{30000, 1001}), "30000/1001");
    EXPECT_EQ(to_text(FrameRate{30, 1}), "30");
}

TEST(RateTest, WhatIsNoRateIsRefused) {
    for (const char* text : {"", "0", "-24", "24 fps", "1/0", "nan", "inf", "1e99", "/", "24/"})
        EXPECT_FALSE(parse_rate(text).has_value()) << text;
}

TEST(RateTest, ManyFramesDoNotDrift) {
    // 1 000 000 frames of 30000/1001 are 33366 s and 2/3: 1e6 * 1001 / 30000.
    EXPECT_DOUBLE_EQ((FrameRate{30000, 1001}.seconds(1'000'000)), 1001.0e6 / 30000.0);
}

TEST(RateTest, ShortDecimalsOfFilesSnapToUsualRates) {
    EXPECT_EQ(snap_rate(1 / 0.0333333), (FrameRate{30, 1}));
    EXPECT_EQ(snap_rate(1 / 0.033333), (FrameRate{30, 1}));
    EXPECT_EQ(snap_rate(1 / 0.0083333), (FrameRate{120, 1}));
    EXPECT_EQ(snap_rate(1 / 0.041708), (FrameRate{24000, 1001}));
    EXPECT_EQ(snap_rate(17.5), (FrameRate{35, 2}));
}

// --------------------------------------------------------------------------------------- curves

std::vector<double> at_time(const Curve& curve, bool rotation, std::vector<double> seconds) {
    std::vector<double> out(seconds.size() * static_cast<std::size_t>(curve.width));
    sample(curve, rotation, seconds, out.data());
    return out;
}

TEST(CurveTest, StepHoldsTheEarlierKeyUntilTheNext) {
    const Curve c{Interpolation::kStep, 1, {1, 2, 3}, {10, 20, 30}};
    EXPECT_EQ(at_time(c, false, {0, 1, 1.999, 2, 2.5, 3, 9}),
              (std::vector<double>{10, 10, 10, 20, 20, 30, 30}));
}

TEST(CurveTest, LinearMixesAndHoldsBeyondTheEnds) {
    const Curve c{Interpolation::kLinear, 2, {0, 2}, {0, 10, 4, 20}};
    EXPECT_EQ(at_time(c, false, {-1, 0.5, 2, 3}),
              (std::vector<double>{0, 10, 1, 12.5, 4, 20, 4, 20}));
}

TEST(CurveTest, OneKeyHoldsAlways) {
    for (const auto kind : {Interpolation::kStep, Interpolation::kLinear})
        EXPECT_EQ(at_time({kind, 1, {5}, {7}}, false, {0, 5, 9}), (std::vector<double>{7, 7, 7}));
    EXPECT_EQ(at_time({Interpolation::kCubicSpline, 1, {5}, {99, 7, 99}}, false, {0, 5, 9}),
              (std::vector<double>{7, 7, 7}));
}

TEST(CurveTest, CubicSplineAsTheSpecificationSays) {
    // Appendix C: p = (2t3-3t2+1) v0 + td (t3-2t2+t) b0 + (-2t3+3t2) v1 + td (t3-t2) a1.
    // v0 = 1, b0 = 3, v1 = 5, a1 = -2, td = 2, t = 1/4:
    //   0.84375*1 + 2*0.140625*3 + 0.15625*5 + 2*(-0.046875)*(-2) = 2.65625
    const Curve c{Interpolation::kCubicSpline, 1, {10, 12}, {0, 1, 3, -2, 5, 0}};
    EXPECT_DOUBLE_EQ(at_time(c, false, {10.5})[0], 2.65625);
    EXPECT_DOUBLE_EQ(at_time(c, false, {10})[0], 1);
    EXPECT_DOUBLE_EQ(at_time(c, false, {12})[0], 5);
}

TEST(CurveTest, CubicSplineOfRotationsIsNormalised) {
    const Curve c{Interpolation::kCubicSpline, 4, {0, 1}, {0, 0, 0, 0, 0, 0, 0, 1, 0, 0, 0, 0,
                                                           0, 0, 0, 0, 1, 0, 0, 0, 0, 0, 0, 0}};
    const auto q = at_time(c, true, {0.5});
    // Half of (0,0,0,1) and half of (1,0,0,0), made unit: a quarter turn about X.
    EXPECT_NEAR(q[0], std::sqrt(0.5), 1e-15);
    EXPECT_NEAR(q[3], std::sqrt(0.5), 1e-15);
}

TEST(CurveTest, LinearRotationsAreSphericalAndShort) {
    // From 0 to 90 degrees about Y, the second key on the other hemisphere: a third is 30 degrees.
    const double h = std::sqrt(0.5);
    const Curve c{Interpolation::kLinear, 4, {0, 3}, {0, 0, 0, 1, 0, -h, 0, -h}};
    const auto q = at_time(c, true, {1});
    EXPECT_NEAR(std::abs(q[1]), std::sin(std::numbers::pi / 12), 1e-14);
    EXPECT_NEAR(std::abs(q[3]), std::cos(std::numbers::pi / 12), 1e-14);
}

TEST(CurveTest, AnyOrderOfTimesGivesTheSame) {
    const Curve c{Interpolation::kLinear, 1, {0, 1, 2, 3, 4}, {0, 1, 4, 9, 16}};
    EXPECT_EQ(at_time(c, false, {3.5, 0.5, 2.5}), (std::vector<double>{12.5, 0.5, 6.5}));
}

// ---------------------------------------------------------------------------------- conventions

TEST(ConventionTest, ZUpCentimetresComeInside) {
    const Convention lying{0.01, Axis::kPlusZ, Axis::kMinusY};
    const Conversion c(lying, Convention{});
    const auto expect = [&](Vec3 p, Vec3 to) {
        const Vec3 got = c.point(p);
        EXPECT_LT(length(got - to), 1e-15);
    };
    expect({0, 0, 170}, {0, 1.7, 0});  // up
    expect({0, -100, 0}, {0, 0, 1});   // front
    expect({100, 0, 0}, {1, 0, 0});    // left stays left
}

TEST(ConventionTest, ThereAndBackChangesNothing) {
    const Convention a{0.0254, Axis::kMinusX, Axis::kPlusY}, b{1, Axis::kPlusY, Axis::kMinusZ};
    const Conversion there(a, b), back(b, a);
    const Transform t{{3, -4, 5}, normalized(Quat{0.1, 0.7, -0.3, 0.5}), {1, 2, 3}};
    const Transform r = back.transform(there.transform(t));
    EXPECT_LT(difference(to_affine(r), to_affine(t)), 1e-13);
    // A change of basis commutes with the product of transforms: C (A B) == (C A)(C B).
    const Affine product =
        to_affine(t) * to_affine({{1, 0, 2}, from_axis_angle({0, 0, 1}, 1), {1, 1, 1}});
    const Affine apart =
        there.affine(to_affine(t)) *
        there.affine(to_affine({{1, 0, 2}, from_axis_angle({0, 0, 1}, 1), {1, 1, 1}}));
    EXPECT_LT(difference(there.affine(product), apart), 1e-12);
    EXPECT_LT(difference(there.affine(to_affine(t)), to_affine(there.transform(t))), 1e-12);
}

TEST(ConventionTest, EveryPairOfAxesIsARotation) {
    const Axis all[] = {Axis::kPlusX,  Axis::kMinusX, Axis::kPlusY,
                        Axis::kMinusY, Axis::kPlusZ,  Axis::kMinusZ};
    int valid = 0;
    for (const Axis up : all)
        for (const Axis front : all) {
            const Convention from{1, up, front};
            if (!is_valid(from)) continue;
            ++valid;
            const Conversion c(from, {});
            EXPECT_LT(length(c.vector(direction(up)) - Vec3{0, 1, 0}), 1e-15);
            EXPECT_LT(length(c.vector(direction(front)) - Vec3{0, 0, 1}), 1e-15);
            const Vec3 left = c.vector(cross(direction(up), direction(front)));
            EXPECT_LT(length(left - Vec3{1, 0, 0}), 1e-15);
        }
    EXPECT_EQ(valid, 24);
}

TEST(ConventionTest, NamesAreReadBack) {
    EXPECT_DOUBLE_EQ(parse_unit("centimetre").value(), 0.01);
    EXPECT_DOUBLE_EQ(parse_unit("inch").value(), 0.0254);
    EXPECT_DOUBLE_EQ(parse_unit("0.056444").value(), 0.056444);
    for (const char* bad : {"", "parsec", "0", "-1", "nan", "1 m"})
        EXPECT_FALSE(parse_unit(bad)) << bad;
    EXPECT_EQ(parse_axis("-Y"), Axis::kMinusY);
    EXPECT_FALSE(parse_axis("W"));
    EXPECT_FALSE(find_preset("sideways"));
    EXPECT_DOUBLE_EQ(find_preset("z-up-centimetre")->metres_per_unit, 0.01);
    EXPECT_EQ(find_preset("z-up-metre")->front, Axis::kMinusY);
}

// --------------------------------------------------------------------------------------- scenes

Scene keyed_chain() {
    Scene scene = chain_scene(3, 10);
    scene.convention = {0.01, Axis::kPlusZ, Axis::kMinusY};
    Timeline timeline;
    timeline.channels.push_back(
        {1, Path::kTranslation, {Interpolation::kLinear, 3, {0, 1}, {0, 0, 5, 0, -9, 5}}});
    timeline.channels.push_back(
        {1, Path::kRotation, {Interpolation::kLinear, 4, {0, 1}, {0, 0, 0, 1, 0.6, 0, 0, 0.8}}});
    timeline.channels.push_back(
        {2, Path::kScale, {Interpolation::kLinear, 3, {0, 1}, {1, 1, 1, 1, 2, 3}}});
    scene.timelines.push_back(timeline);
    return scene;
}

TEST(SceneTest, ConvertingMovesEveryWorldMatrixAlike) {
    const Scene before = keyed_chain();
    Scene after = before;
    to_inside(after);
    const Conversion c(before.convention, {});
    for (const double t : {0.0, 0.3, 1.0}) {
        const Pose a = pose_at(before, before.timelines[0], t),
                   b = pose_at(after, after.timelines[0], t);
        for (std::size_t n = 0; n < 3; ++n)
            EXPECT_LT(difference(c.affine(a.worlds[n]), b.worlds[n]), 1e-13);
    }
    EXPECT_EQ(after.convention, Convention{});
}

TEST(SceneTest, ParentsComeFirstWhateverTheFileOrder) {
    Scene scene = chain_scene(3, 1);
    std::swap(scene.nodes[0], scene.nodes[2]);
    scene.nodes[2].parent = kNone;
    scene.nodes[1].parent = 2;
    scene.nodes[0].parent = 1;
    scene.roots = {2};
    EXPECT_EQ(parents_first(scene), (std::vector<int>{2, 1, 0}));
    EXPECT_NEAR(rest_worlds(scene)[0].o.y, 2, 1e-15);
}

TEST(SceneTest, TheSlowestRateThatFitsAllKeysIsFound) {
    Scene scene = chain_scene(1, 1);
    Timeline t;
    t.channels.push_back({0, Path::kTranslation, {Interpolation::kLinear, 3, {}, {}}});
    for (const int frame : {0, 1, 7, 24, 100}) {
        t.channels[0].curve.times.push_back(frame / 24.0);
        for (int i = 0; i < 3; ++i) t.channels[0].curve.values.push_back(0);
    }
    scene.timelines.push_back(t);
    FrameRate rate;
    ASSERT_TRUE(guess_rate(scene, rate));
    EXPECT_EQ(rate, (FrameRate{24, 1}));
    scene.timelines[0].channels[0].curve.times = {0, 0.01, 0.017, 0.0301, 0.777};
    EXPECT_FALSE(guess_rate(scene, rate));
}

TEST(SceneTest, DeclaringARateKeepsFrameNumbers) {
    Scene scene = keyed_chain();
    scene.rate = {24, 1};
    scene.timelines[0].channels[0].curve.times = {0, 2};  // frames 0 and 48
    declare_rate(scene, {48, 1});
    EXPECT_DOUBLE_EQ(scene.timelines[0].channels[0].curve.times[1], 1.0);
    EXPECT_EQ(scene.rate, (FrameRate{48, 1}));
}

// ------------------------------------------------------------------------- skeletons and tracks

TEST(SkeletonTest, RefusesWhatIsNoTree) {
    EXPECT_THAT(Skeleton::make({{"a", 0, {}}}), FailsWith(Code::kNodeCycle, "a"));
    EXPECT_THAT(Skeleton::make({{"a", -1, {}}, {"b", 2, {}}, {"c", 0, {}}}),
                FailsWith(Code::kNodeCycle, "b"));
    EXPECT_THAT(Skeleton::make({{"a", -1, {}}, {"a", 0, {}}}), FailsWith(Code::kNameClash, "a"));
    Transform bad;
    bad.t.x = std::nan("");
    EXPECT_THAT(Skeleton::make({{"a", -1, bad}}), FailsWith(Code::kNumberBad, "a"));
    EXPECT_THAT(Skeleton::make({{"a", -1, {}}, {"b", 0, {}}}), IsOk());
}

TEST(ClipTest, StoredSamplesAreTheirRoundedSelves) {
    auto tracks = make_tracks(1, 3);
    const Transform t{{0.1, 0.2, 0.3}, normalized(Quat{0.1, 0.2, 0.3, 0.9}), {1, 2, 3}};
    store(tracks[0], 1, t);
    const Transform back = local_at(tracks[0], 1);
    EXPECT_EQ(back.t.x, static_cast<double>(0.1F));
    EXPECT_NEAR(back.r.w, t.r.w, 6e-8);
    EXPECT_EQ(local_at(tracks[0], 0).s.x, 1);
    EXPECT_EQ(local_at(tracks[0], 2).r.w, 1);
}

TEST(PoseTest, VerticesAreMorphedThenSkinned) {
    // Two joints, the second bent by a quarter turn about Z at (0, 1, 0); a vertex half on each.
    Scene scene = chain_scene(2, 1);
    Node body;
    body.name = "body";
    body.mesh = 0;
    body.skin = 0;
    body.morph_weights = {0.5};
    scene.nodes.push_back(body);
    Skin skin;
    skin.joints = {0, 1};
    skin.inverse_binds = {Affine{}, Affine{}};
    skin.inverse_binds[1].o = {0, -1, 0};
    scene.skins.push_back(skin);
    Primitive part;
    part.positions = {{0, 2, 0}};
    part.influences_per_vertex = 4;
    part.influence_joints = {0, 1, 0, 0};
    part.influence_weights = {0.5F, 0.5F, 0, 0};
    part.targets.push_back({{{0, 2, 0}}, {}, {}, {}});
    Mesh mesh;
    mesh.primitives.push_back(part);
    mesh.target_names = {"long"};
    scene.meshes.push_back(mesh);
    scene.nodes[1].local.r = from_axis_angle({0, 0, 1}, std::numbers::pi / 2);
    // Morphed to (0, 3, 0). Joint 0 keeps it; joint 1 takes (0, 2, 0) to (-2, 0, 0) + (0, 1, 0).
    const auto v = posed_vertices(scene, 2, scene.meshes[0].primitives[0], rest_pose(scene));
    ASSERT_EQ(v.size(), 1U);
    EXPECT_LT(length(v[0] - Vec3{-1, 2, 0}), 1e-15);
}

}  // namespace
}  // namespace mellow
