// Takes made of takes: joined, repeated, played otherwise, mirrored, closed. Expected places are
// worked out here with sines and cosines; identities are those of docs/shaping.md.
#include "mellow/shaping.h"

#include <cmath>
#include <numbers>

#include "base/at.h"
#include "mellow/bake.h"
#include "mellow/motion_check.h"
#include "mellow/travel.h"
#include "rigs.h"

namespace mellow::shaping_test {
namespace {

using namespace test;
using namespace testing;

constexpr Vec3 kOne{1, 1, 1};

/// A walker whose hips turn about up alone, with arms on both sides that rest differently turned, a
/// pole of its own beside it, and a morph target for each cheek.
class ShapingTest : public testing::Test {
  protected:
    void SetUp() override {
        hips_ = add_node(scene_, "hips", kNone, {{0, 1, 0.1}, {}, kOne});
        spine_ = add_node(scene_, "spine", hips_, {{0, 0.3, 0}, turn(kX, 10), kOne});
        add_node(scene_, "arm.L", spine_, {{0.2, 0.2, 0}, turn(kZ, -30), kOne});
        add_node(scene_, "hand.L", 2, {{0.4, 0, 0.02}, turn(kX, 25), kOne});
        add_node(scene_, "arm.R", spine_, {{-0.2, 0.2, 0}, turn(kY, 70), kOne});
        // Where the image of the left hand is, in the axes of this arm.
        const Vec3 left = rotate(turn(kZ, -30), Vec3{0.4, 0, 0.02});
        add_node(scene_, "hand.R", 4,
                 {rotate(turn(kY, -70), Vec3{-left.x, left.y, left.z}), turn(kZ, 15), kOne});
        add_node(scene_, "pole", kNone, {{0.5, 0.8, 0}, turn(kX, 5), kOne});
        const int face = add_node(scene_, "face", kNone, {});
        scene_.nodes[at(face)].mesh = 0;
        Mesh mesh;
        mesh.target_names = {"puff_left", "puff_right"};
        Primitive part;
        part.positions = {{0, 0, 0}};
        part.targets.resize(2);
        mesh.primitives.push_back(part);
        scene_.meshes.push_back(mesh);
        key(scene_, hips_, Path::kTranslation, {0, 1, 0.1}, {0.6, 1.2, 1.5}, 2);
        key_turn(scene_, hips_, {}, turn(kY, 40), 2);
        key_turn(scene_, 2, turn(kZ, -30), turn(kZ, 50) * turn(kX, 20), 2);
        key_turn(scene_, 5, turn(kZ, 15), turn(kY, 80), 2);
        key(scene_, 6, Path::kTranslation, {0.5, 0.8, 0}, {0.7, 0.9, 1}, 2);
        key(scene_, face, Path::kWeights, {0, 1}, {1, 0.5}, 2);
        std::vector<Joint> joints;
        JointSources sources;
        for (int n = 0; n <= 6; ++n) {
            joints.push_back(
                {scene_.nodes[at(n)].name, scene_.nodes[at(n)].parent, scene_.nodes[at(n)].local});
            sources.push_back({n});
        }
        Skeleton skeleton = Skeleton::make(std::move(joints)).value();
        ASSERT_THAT(add_root(skeleton, sources, "root"), IsOk());
        auto rig = std::make_shared<const Rig>(Rig::bind(scene_, 0, {}).value());
        const Mount hat{"hat", kNone, 1, to_affine({{0, 2, 0.1}, turn(kX, 20), kOne})};
        take_ = play(scene_, std::move(rig), skeleton, sources, {{hat}, {}});
    }
    JoinPart part(double first, double last) const {
        JoinPart out;
        out.name = "part";
        out.take = take_;
        out.seconds = std::abs(last - first);
        out.time = even_time(first, last, out.seconds);
        out.align.joint = 1;
        return out;
    }
    /// Worlds of all joints at a second, measured and as they would be baked.
    static std::vector<Affine> worlds(const Take& take, double second) {
        return worlds_of(take, {second})[0];
    }
    static std::vector<std::vector<Affine>> worlds_of(const Take& take,
                                                      const std::vector<double>& seconds) {
        JointTile tile = take.make_tile(), locals = take.make_tile();
        take.evaluate(seconds, Take::Want::kWorlds, tile);
        take.evaluate(seconds, Take::Want::kLocals, locals);
        std::vector<std::vector<Affine>> out;
        for (std::size_t f = 0; f < seconds.size(); ++f) {
            std::vector<Affine> all, baked;
            const auto cell = [&](const double* rows, int row) {
                return rows[static_cast<std::size_t>(row) * kTileFrames + f];
            };
            const auto vec = [&](const double* rows, int row) {
                return Vec3{cell(rows, row), cell(rows, row + 1), cell(rows, row + 2)};
            };
            const auto world = [&](const double* w) {
                return Affine{vec(w, 0), vec(w, 3), vec(w, 6), vec(w, 9)};
            };
            for (int j = 0; j < take.skeleton.size(); ++j) {
                const double* l = locals.local(j);
                all.push_back(world(tile.world(j)));
                const Affine local = to_affine(
                    {vec(l, 0), {cell(l, 3), cell(l, 4), cell(l, 5), cell(l, 6)}, vec(l, 7)});
                const int up = take.skeleton[j].parent;
                baked.push_back(up < 0 ? local : baked[at(up)] * local);
                EXPECT_LT(off(all.back(), baked.back()), 1e-9)
                    << take.skeleton[j].name << ": what is measured is what is baked";
            }
            EXPECT_LT(off(world(tile.mount(0)), all[1] * take.mounts[0].rest), 1e-9)
                << "what hangs on a joint goes with it";
            out.push_back(std::move(all));
        }
        return out;
    }
    static double off(const Affine& a, const Affine& b) {
        return std::max(
            {length(a.x - b.x), length(a.y - b.y), length(a.z - b.z), length(a.o - b.o)});
    }
    static std::vector<double> scalars(const Take& take, double second) {
        JointTile tile = take.make_tile();
        take.evaluate(std::array{second}, Take::Want::kLocals, tile);
        return {tile.scalar(0)[0], tile.scalar(1)[0]};
    }

    Scene scene_;
    Take take_;
    int hips_ = 0, spine_ = 0;
};

TEST_F(ShapingTest, ALayerAddsWhatItDiffersByOrTakesThePlace) {
    // All keys go evenly from the first pose to the last: the motion added to itself is twice as
    // far.
    const ShapedTake top{take_, 2};
    const Take twice = layered(take_, {top});
    for (const double second : {0.0, 0.3, 1.0})
        for (int j = 0; j < 8; ++j)
            EXPECT_LT(off(worlds(twice, second)[at(j)], worlds(take_, 2 * second)[at(j)]), 1e-9)
                << j << " at " << second;
    EXPECT_NEAR(scalars(twice, 1)[0], 1, 1e-12);
    EXPECT_NEAR(scalars(twice, 1)[1], 0.5, 1e-12);
    // From 0.5 s on, by a weight that grows to a half in a second; the left arm and what is below.
    TakeLayer layer{top, 0.5};
    layer.weights.points = {{0.5, 0, 0}, {1.5, 1, 0}};
    layer.weight = 0.5;
    layer.joints = {false, false, false, true, true, false, false, false};
    const Take some = layered(take_, layer);
    for (const double second : {0.2, 0.5})
        for (int j = 0; j < 8; ++j)
            EXPECT_LT(off(worlds(some, second)[at(j)], worlds(take_, second)[at(j)]), 1e-9);
    EXPECT_LT(off(worlds(some, 1.5)[5], worlds(take_, 1.5)[5]), 1e-9) << "not of the right arm";
    EXPECT_EQ(scalars(some, 1.5), scalars(take_, 1.5)) << "nor of the face";
    // The arm at 1.5 s is three quarters of the way; half of what it does in a second comes to it.
    EXPECT_LT(off(inverse(worlds(some, 1.5)[2]) * worlds(some, 1.5)[3],
                  inverse(worlds(take_, 2)[2]) * worlds(take_, 2)[3]),
              1e-9);
    // In its place: at weight 1 the other motion, here two seconds later in the same round.
    layer = {top, -1};
    layer.added = false;
    layer.again = true;
    const Take other = layered(take_, layer);
    for (const auto& [second, there] : {std::pair(0.5, 1.5), {1.5, 0.5}})
        for (int j = 0; j < 8; ++j)
            EXPECT_LT(off(worlds(other, second)[at(j)], worlds(take_, there)[at(j)]), 1e-9);
    // Counted from the rest pose, a motion over one that rests is that motion.
    const Skeleton& skeleton = take_.skeleton;
    Scene still = scene_;
    still.timelines.clear();
    JointSources sources(at(skeleton.size()));
    for (int j = 1; j < skeleton.size(); ++j) sources[at(j)].node = j - 1;
    auto rig = std::make_shared<const Rig>(Rig::bind(still, kNone, {}).value());
    const Take rests = play(still, std::move(rig), skeleton, sources, {take_.mounts, {}});
    layer = {top};
    layer.from_rest = true;
    for (int j = 0; j < 8; ++j)
        EXPECT_LT(off(worlds(layered(rests, layer), 1.2)[at(j)], worlds(take_, 1.2)[at(j)]), 1e-9);
}

TEST_F(ShapingTest, APartIsItsTakeAtOtherTimes) {
    // Backwards at double speed, then held for half a second.
    JoinPart back = part(1.5, 0.5);
    back.time = {{{0, 1.5, 0}, {0.5, 0.5, 0}, {1, 0.5, 0}}, CurveShape::kLinear};
    back.seconds = 1;
    const auto joined = join({back}, RootKind::kAdded);
    ASSERT_THAT(joined, IsOk());
    EXPECT_EQ(joined.value().shaped.seconds, 1);
    const Take& take = joined.value().shaped.take;
    for (const auto& [at_clip, at_source] :
         {std::pair(0.0, 1.5), {0.125, 1.25}, {0.5, 0.5}, {0.9, 0.5}, {7.0, 0.5}, {-1.0, 1.5}}) {
        const auto got = worlds(take, at_clip), want = worlds(take_, at_source);
        for (std::size_t j = 0; j < got.size(); ++j) EXPECT_EQ(off(got[j], want[j]), 0) << at_clip;
        EXPECT_EQ(scalars(take, at_clip), scalars(take_, at_source));
    }
}

TEST_F(ShapingTest, EachPartBeginsWhereTheOneBeforeEnded) {
    // 0 to 1 s, then from 0.5 s on. At 1 s the hips are at (0.3, 1.1, 0.8), headed 20 degrees; at
    // 0.5 s at (0.15, 1.05, 0.45), headed 10: the part is turned by 10 degrees and laid there.
    JoinPart next = part(0.5, 1.5);
    const auto joined = join({part(0, 1), next}, RootKind::kAdded);
    ASSERT_THAT(joined, IsOk());
    const Joined& whole = joined.value();
    EXPECT_EQ(whole.shaped.seconds, 2);
    ASSERT_THAT(whole.parts, SizeIs(2));
    EXPECT_EQ(whole.parts[1].first, 1);
    const double c = std::cos(std::numbers::pi / 18), s = std::sin(std::numbers::pi / 18);
    // Places count without what turning the rest place (0, 0.1) gives.
    const auto frame = [](double x, double z, double degrees) {
        const double r = degrees * std::numbers::pi / 180;
        return Vec3{x - 0.1 * std::sin(r), 0, z - 0.1 * std::cos(r)};
    };
    const Vec3 ended = frame(0.3, 0.8, 20), begins = frame(0.15, 0.45, 10);
    const Vec3 shift{ended.x - (c * begins.x + s * begins.z), 0,
                     ended.z - (-s * begins.x + c * begins.z)};
    EXPECT_LT(length(whole.parts[1].placed.t - shift), 1e-12);
    EXPECT_NEAR(angle(whole.parts[1].placed.r, turn(kY, 10)), 0, 1e-6);
    for (const double t : {1.0, 1.3, 1.99}) {
        const auto got = worlds(whole.shaped.take, t), source = worlds(take_, t - 0.5);
        EXPECT_EQ(off(got[0], Affine{}), 0) << "the root that was added stays";
        for (std::size_t j = 1; j < got.size(); ++j) {
            const Vec3 p = source[j].o;
            EXPECT_LT(length(got[j].o - (Vec3{c * p.x + s * p.z, p.y, -s * p.x + c * p.z} + shift)),
                      1e-12);
        }
    }
    // On the ground the hips go on from (0.3, 0.8); without height they have their own.
    const auto before = worlds(whole.shaped.take, 1 - 1e-9)[1],
               behind = worlds(whole.shaped.take, 1)[1];
    EXPECT_LT(length(Vec3{behind.o.x - before.o.x, 0, behind.o.z - before.o.z}), 1e-8);
    EXPECT_NEAR(behind.o.y, 1.05, 1e-12);
    next.align.height = true;
    EXPECT_NEAR(worlds(join({part(0, 1), next}, RootKind::kAdded).value().shaped.take, 1)[1].o.y,
                1.1, 1e-12);
    next.align = {1, true, false, false};
    EXPECT_NEAR(angle(join({part(0, 1), next}, RootKind::kAdded).value().parts[1].placed.r, {}), 0,
                1e-6);
    next.align.ground = false;
    EXPECT_EQ(length(join({part(0, 1), next}, RootKind::kAdded).value().parts[1].placed.t), 0);
}

TEST_F(ShapingTest, AnOverlapGoesOverFromOnePartToTheOther) {
    JoinPart next = part(0, 1);
    next.overlap = 0.4;
    next.align.ground = next.align.heading = false;
    next.blend = CurveShape::kLinear;
    const auto joined = join({part(0, 1), next}, RootKind::kAdded);
    ASSERT_THAT(joined, IsOk());
    EXPECT_NEAR(joined.value().shaped.seconds, 1.6, 1e-12);
    const Take& take = joined.value().shaped.take;
    // A quarter into the overlap, at 0.7 s: 3/4 of 0.7 s and 1/4 of 0.1 s.
    const auto a = worlds(take_, 0.7), b = worlds(take_, 0.1), got = worlds(take, 0.7);
    EXPECT_LT(length(got[1].o - (0.75 * a[1].o + 0.25 * b[1].o)), 1e-12) << "hips in the world";
    EXPECT_NEAR(angle(rotation_of(got[1]), turn(kY, 0.75 * 14 + 0.25 * 2)), 0, 1e-6);
    const auto local = [](const std::vector<Affine>& w, std::size_t up, std::size_t joint) {
        return rotation_of(inverse(w[up]) * w[joint]);
    };
    EXPECT_NEAR(angle(local(got, 2, 3), slerp(local(a, 2, 3), local(b, 2, 3), 0.25)), 0, 1e-6);
    EXPECT_NEAR(scalars(take, 0.7)[0], 0.75 * 0.35 + 0.25 * 0.05, 1e-12);
    // Laid on the part before, it begins where that is when the overlap begins: at 0.6 s headed 12.
    next.align.ground = next.align.heading = true;
    const auto laid = join({part(0, 1), next}, RootKind::kAdded);
    const double r = 12 * std::numbers::pi / 180;
    EXPECT_LT(length(laid.value().parts[1].placed.t -
                     Vec3{0.18 - 0.1 * std::sin(r), 0, 0.52 - 0.1 * std::cos(r)}),
              1e-12);
    next.align.ground = next.align.heading = false;
    // Smooth goes by u * u * (3 - 2 u), and ends are continuous.
    next.blend = CurveShape::kSmooth;
    const Take smooth = join({part(0, 1), next}, RootKind::kAdded).value().shaped.take;
    EXPECT_NEAR(scalars(smooth, 0.7)[0], 0.84375 * 0.35 + 0.15625 * 0.05, 1e-12);
    for (const double seam : {0.6, 1.0}) {
        const auto before = worlds(smooth, seam - 1e-9), behind = worlds(smooth, seam + 1e-9);
        for (std::size_t j = 0; j < before.size(); ++j)
            EXPECT_LT(off(before[j], behind[j]), 1e-7) << seam;
    }
    // Tiles that lie over a seam are as single samples are.
    std::vector<double> times;
    for (int k = 0; k < kTileFrames; ++k) times.push_back(0.5 + 0.04 * k);
    const auto tile = worlds_of(smooth, times);
    for (std::size_t k = 0; k < times.size(); ++k) {
        const auto alone = worlds(smooth, times[k]);
        for (std::size_t j = 0; j < alone.size(); ++j) EXPECT_EQ(off(tile[k][j], alone[j]), 0);
    }
}

TEST_F(ShapingTest, RepeatsAddUpTheirStep) {
    const auto four = repeat(part(0, 1), 4, RootKind::kAdded);
    ASSERT_THAT(four, IsOk());
    // A step: from (0, 0) headed 0 to the frame of the hips at 1 s, headed 20.
    const double r = 20 * std::numbers::pi / 180;
    const Vec3 step{0.3 - 0.1 * std::sin(r), 0, 0.8 - 0.1 * std::cos(r)};
    Vec3 place;
    for (int n = 0; n < 4; ++n) {
        EXPECT_LT(length(four.value().parts[at(n)].placed.t - place), 1e-9) << n;
        EXPECT_NEAR(angle(four.value().parts[at(n)].placed.r, turn(kY, 20 * n)), 0, 1e-5);
        const double c = std::cos(n * r), s = std::sin(n * r);
        place = place + Vec3{c * step.x + s * step.z, 0, -s * step.x + c * step.z};
    }
    EXPECT_THAT(repeat(part(0, 1), 0, RootKind::kAdded), FailsWith(Code::kValueBad, "0 times"));
}

TEST_F(ShapingTest, WhatCannotBeJoinedIsRefused) {
    EXPECT_THAT(join({}, RootKind::kAdded), FailsWith(Code::kValueBad, "no part"));
    EXPECT_THAT(join({part(1, 1)}, RootKind::kAdded), FailsWith(Code::kValueBad, "without length"));
    JoinPart longer = part(0, 0.5);
    longer.overlap = 0.6;
    EXPECT_THAT(join({part(0, 1), longer}, RootKind::kAdded),
                FailsWith(Code::kValueBad, "at most 0.5 s"));
    JoinPart full = part(0, 0.5);
    full.overlap = 0.3;  // of 0.5 s 0.3 are blended with the first: 0.2 are left for the third
    EXPECT_THAT(join({part(0, 1), full, full}, RootKind::kAdded),
                FailsWith(Code::kValueBad, "at most 0.2 s"));
    JoinPart other = part(0, 1);
    other.take.skeleton = Skeleton::make({{"root", -1, {}}}).value();
    EXPECT_THAT(join({part(0, 1), other}, RootKind::kAdded),
                FailsWith(Code::kValueBad, "other joints"));
    other = part(0, 1);
    other.align.joint = 99;
    EXPECT_THAT(join({part(0, 1), other}, RootKind::kAdded),
                FailsWith(Code::kValueBad, "joint 99"));
}

TEST_F(ShapingTest, AMirrorShowsTheFigureTheOtherWayRound) {
    const auto pairs = mirror_pairs(take_, {});
    ASSERT_THAT(pairs, IsOk());
    EXPECT_THAT(pairs.value().joints, ElementsAre(0, 1, 2, 5, 6, 3, 4, 7));
    EXPECT_THAT(pairs.value().scalars, ElementsAre(1, 0));
    const Mirrored once = mirror(take_, pairs.value(), RootKind::kAdded);
    EXPECT_LT(once.asymmetry_m, 1e-12);
    const Mirrored twice = mirror(once.take, pairs.value(), RootKind::kAdded);
    const int image[] = {0, 1, 2, 5, 6, 3, 4, 7};
    const std::vector<Affine> rest = take_.skeleton.rest_worlds();
    for (const double t : {0.0, 0.7, 2.0}) {
        const auto own = worlds(take_, t), got = worlds(once.take, t), back = worlds(twice.take, t);
        for (std::size_t j = 0; j < own.size(); ++j) {
            const Affine& partner = own[at(image[j])];
            EXPECT_LT(length(got[j].o - Vec3{-partner.o.x, partner.o.y, partner.o.z}), 1e-12)
                << take_.skeleton[static_cast<int>(j)].name
                << " stands where its partner's image is";
            EXPECT_LT(off(back[j], own[j]), 1e-9) << "twice is nothing";
            // Turned from rest as the partner is, seen in the mirror: directions that point along
            // +X of the world at rest point along the image of where the partner's -X went.
            const auto carried = [](const Affine& world, const Affine& from, Vec3 v) {
                return apply_linear(world, apply_linear(inverse(from), v));
            };
            for (const Vec3 v : {kX, kY, kZ}) {
                const Vec3 w = carried(partner, rest[at(image[j])], {-v.x, v.y, v.z});
                if (j == 7) continue;  // the pole is a prop
                EXPECT_LT(length(carried(got[j], rest[j], v) - Vec3{-w.x, w.y, w.z}), 1e-9);
            }
        }
        EXPECT_THAT(scalars(once.take, t), ElementsAre(scalars(take_, t)[1], scalars(take_, t)[0]));
    }
    // A pole on the right is a prop as one on the left is.
    Take right = take_;
    auto props = take_.skeleton.joints();
    props[7].rest.t.x = -0.5;
    right.skeleton = Skeleton::make(props).value();
    EXPECT_LT(mirror(right, pairs.value(), RootKind::kAdded).asymmetry_m, 1e-12);
    // Figures that are not the same on both sides keep their own bones, and are told of.
    Take longer = take_;
    auto joints = take_.skeleton.joints();
    joints[4].rest.t.x += 0.05;
    longer.skeleton = Skeleton::make(joints).value();
    const Mirrored uneven = mirror(longer, pairs.value(), RootKind::kAdded);
    EXPECT_NEAR(uneven.asymmetry_m, 0.05, 1e-9);
    EXPECT_NEAR(length(worlds(uneven.take, 0.7)[4].o - worlds(uneven.take, 0.7)[3].o),
                length(joints[4].rest.t), 1e-9);
    // Names by a table; what hangs on no partner has no image.
    EXPECT_THAT(mirror_pairs(take_, {{"arm.L", "hook"}}), FailsWith(Code::kNameUnknown, "hook"));
    EXPECT_THAT(mirror_pairs(take_, {{"hand.L", "spine"}}), FailsWith(Code::kValueBad, "partners"));
    EXPECT_THAT(mirror_pairs(longer, {{"arm.R", "arm.L"}}), IsOk());
}

TEST_F(ShapingTest, SidesAreReadFromNames) {
    const auto pairs = [](const std::vector<std::string>& names) {
        Take take;
        std::vector<Joint> joints;
        for (const std::string& name : names) joints.push_back({name, -1, {}});
        take.skeleton = Skeleton::make(joints).value();
        return mirror_pairs(take, {});
    };
    for (const auto& [a, b] :
         std::vector<std::pair<std::string, std::string>>{{"LeftUpLeg", "RightUpLeg"},
                                                          {"leg_l", "leg_r"},
                                                          {"L_Foot", "R_Foot"},
                                                          {"handLeft", "handRight"},
                                                          {"LThigh", "RThigh"},
                                                          {"wing left 2", "wing right 2"}})
        EXPECT_THAT(pairs({a, b}).value().joints, ElementsAre(1, 0)) << a;
    EXPECT_THAT(pairs({"lever", "rever"}), FailsWith(Code::kValueBad, "no joint with a partner"));
    const auto lone = pairs({"a.L", "a.R", "ear.L"});
    EXPECT_THAT(lone.value().unpaired, ElementsAre("ear.L"));
}

TEST_F(ShapingTest, AGapIsClosedAndTheWayStays) {
    ShapedTake shaped{take_, 2};
    LoopRepair repair{0.5, 1, true, true};
    const Repaired closed = repair_loop(shaped, repair, RootKind::kAdded);
    // Seen from the hips the pole ends 102 mm aside, 100 higher and 219 behind of where it began;
    // the arm ends 80 degrees and more away.
    EXPECT_NEAR(closed.place_m, 0.2613, 1e-4);
    EXPECT_EQ(closed.place_joint, "pole");
    EXPECT_EQ(closed.turn_joint, "arm.L");
    const auto first = worlds(closed.take, 0), last = worlds(closed.take, 2),
               was = worlds(take_, 2), before = worlds(closed.take, 1.4);
    const auto plain = worlds(take_, 1.4);
    for (std::size_t j = 0; j < before.size(); ++j) EXPECT_LT(off(before[j], plain[j]), 1e-12);
    const auto local = [](const std::vector<Affine>& w, std::size_t up, std::size_t joint) {
        return inverse(w[up]) * w[joint];
    };
    for (const std::size_t joint : {2U, 3U, 4U, 5U, 6U}) {
        const auto up = static_cast<std::size_t>(take_.skeleton[static_cast<int>(joint)].parent);
        EXPECT_LT(off(local(last, up, joint), local(first, up, joint)), 1e-9) << joint;
    }
    EXPECT_NEAR(last[1].o.y, 1, 1e-12) << "as high as at first";
    EXPECT_LT(length(Vec3{last[1].o.x - was[1].o.x, 0, last[1].o.z - was[1].o.z}), 1e-9)
        << "as far on as it was";
    EXPECT_NEAR(angle(rotation_of(last[1]), turn(kY, 40)), 0, 1e-6) << "and headed so";
    // The pole stands to the hips as it did at first.
    EXPECT_LT(off(local(last, 1, 7), local(first, 1, 7)), 1e-9);
    EXPECT_NEAR(scalars(closed.take, 2)[0], 0, 1e-12);
    // Half way: w = 1/2, so half of the height that is missing.
    EXPECT_NEAR(worlds(closed.take, 1.75)[1].o.y, worlds(take_, 1.75)[1].o.y - 0.1, 1e-9);
    // Without travel the whole way is the gap.
    const Repaired all = repair_loop(shaped, {0, 1, false, false}, RootKind::kAdded);
    EXPECT_LT(off(worlds(all.take, 2)[1], worlds(take_, 0)[1]), 1e-9);
    EXPECT_NEAR(all.place_m, std::hypot(0.6, 0.2, 1.4), 1e-9);
}

TEST(MotionCheckTest, WheelsRollTheWayTheyGo) {
    // Wheels of 0.25 m go 0.05 m a sample along X and Z alike: 0.2 rad a sample about up x way. The
    // second turns the other way from sample 20 on; the third slides; the fourth stands and spins.
    const Skeleton skeleton = Skeleton::make({{"root", -1, {}},
                                              {"wheel.L", 0, {{0, 0.25, 0}, turn(kZ, 90), kOne}},
                                              {"rear_wheel", 0, {{0, 0.25, 0}, {}, kOne}},
                                              {"FrontWheel", 0, {{0, 0.25, 0}, {}, kOne}},
                                              {"Wheel2", 0, {{0, 0.25, 0}, {}, kOne}},
                                              {"wheel_spoke", 1, {{0, 0.1, 0}, {}, kOne}},
                                              {"cartwheeling", 0, {}}})
                                  .value();
    EXPECT_THAT(suggest_wheels(skeleton), ElementsAre(1, 2, 3, 4));
    Clip clip;
    clip.rate = {30, 1};
    clip.samples = 41;
    clip.joints = make_tracks(7, clip.samples);
    const Vec3 way{std::sqrt(0.5), 0, std::sqrt(0.5)}, about = cross({0, 1, 0}, way);
    for (int k = 0; k < clip.samples; ++k) {
        const Vec3 place = Vec3{0, 0.25, 0} + 0.05 * k * way;
        const auto rolled = [&](double samples) { return from_axis_angle(about, 0.2 * samples); };
        store(clip.joints[1], k, {place, rolled(k) * turn(kZ, 90), kOne});
        store(clip.joints[2], k, {place, rolled(k < 20 ? k : 40 - k), kOne});
        store(clip.joints[3], k, {place, {}, kOne});
        store(clip.joints[4], k, {{0, 0.25, 0}, rolled(-k), kOne});
    }
    const auto wheels = check_motion(clip, skeleton, {{}, {1, 2, 3, 4}, {}, {}, -1}).wheels;
    ASSERT_THAT(wheels, SizeIs(4));
    EXPECT_EQ(wheels[0].joint, "wheel.L");
    EXPECT_EQ(wheels[0].moving, 40);
    EXPECT_EQ(wheels[0].against, 0);
    EXPECT_NEAR(wheels[0].radius_m, 0.25, 1e-5);
    EXPECT_EQ(wheels[1].against, 20);
    EXPECT_EQ(wheels[1].sample, 21);
    EXPECT_EQ(wheels[2].against, 0);
    EXPECT_EQ(wheels[2].radius_m, 0) << "it does not turn";
    EXPECT_EQ(wheels[3].moving, 0);
}

TEST(MotionCheckTest, SlidesDepthsAndJumpsAreMeasured) {
    // Two feet that rest 0.1 m up. The left one stands for a second and slides by 36 mm meanwhile,
    // at even speed, then is lifted; the right one hangs in the air, sinks by 40 mm and stands
    // there. A hand jumps to a place 0.3 m off for one sample.
    const Skeleton skeleton = Skeleton::make({{"root", -1, {}},
                                              {"foot.L", 0, {{0.1, 0.1, 0}, {}, kOne}},
                                              {"foot.R", 0, {{-0.1, 0.1, 0}, {}, kOne}},
                                              {"hand", 0, {{0.4, 1, 0}, {}, kOne}}})
                                  .value();
    Clip clip;
    clip.rate = {30, 1};
    clip.samples = 61;
    clip.joints = make_tracks(4, clip.samples);
    for (int k = 0; k < clip.samples; ++k) {
        const double lifted = k <= 30 ? 0 : 0.05 * (k - 30);
        store(clip.joints[1], k, {{0.1, 0.1 + lifted, 0.0012 * std::min(k, 30)}, {}, kOne});
        store(clip.joints[2], k, {{-0.1, k < 30 ? 0.4 : 0.06, 0}, {}, kOne});
        store(clip.joints[3], k, {{0.4, k == 45 ? 1.3 : 1, 0.002 * k}, {}, kOne});
    }
    EXPECT_THAT(suggest_feet(skeleton), ElementsAre(1, 2));
    const MotionCheck check = check_motion(clip, skeleton, {{1, 2}, {}, {}, {}, -1});
    ASSERT_THAT(check.feet, SizeIs(2));
    ASSERT_THAT(check.feet[0].contacts, SizeIs(1));
    EXPECT_EQ(check.feet[0].contacts[0].first, 0);
    EXPECT_NEAR(check.feet[0].contacts[0].last, 30, 1);
    EXPECT_NEAR(check.feet[0].slide_m, 0.036, 2e-3);
    EXPECT_EQ(check.feet[0].depth_m, 0);
    EXPECT_NEAR(check.feet[1].depth_m, 0.04, 1e-6);
    EXPECT_EQ(check.feet[1].depth_sample, 30);
    EXPECT_EQ(check.feet[1].contacts[0].last, 60);
    EXPECT_LT(check.feet[1].slide_m, 1e-6);
    EXPECT_EQ(check.pop.joint, "hand");
    EXPECT_EQ(check.pop.sample, 45);
    EXPECT_NEAR(check.pop.jump_m, 0.6, 1e-5);
    // On ground that is elsewhere it does not sink.
    FootRules lower;
    lower.ground_m = -0.04;
    EXPECT_LT(check_motion(clip, skeleton, {{2}, {}, lower, {}, -1}).feet[0].depth_m, 1e-6);
}

TEST(LoopEndTest, TheFrameThatMovesAsTheFirstIsFound) {
    // A leg that swings 1.25 s a turn at 20 samples a second, on hips that go on and on; a twitch
    // spoils the second turn.
    Skeleton skeleton =
        Skeleton::make({{"hips", -1, {{0, 1, 0}, {}, kOne}}, {"leg", 0, {{0.1, 0, 0}, {}, kOne}}})
            .value();
    JointSources sources(2);
    ASSERT_THAT(add_root(skeleton, sources, "root"), IsOk());
    Clip clip;
    clip.rate = {20, 1};
    clip.samples = 100;
    clip.joints = make_tracks(3, clip.samples);
    for (int k = 0; k < clip.samples; ++k) {
        const double phase = 2 * std::numbers::pi * k / 25;
        store(clip.joints[1], k,
              {{0.01 * k, 1 + 0.02 * std::sin(phase), 0.05 * k},
               turn(kY, 3 * std::sin(phase)),
               kOne});
        store(clip.joints[2], k,
              {{0.1, 0, k == 50 ? 0.05 : 0}, turn(kX, 30 * std::sin(phase)), kOne});
    }
    const std::vector<LoopEnd> ends = find_loop_ends(clip, skeleton, 1, 5);
    ASSERT_GE(ends.size(), 3U);
    EXPECT_EQ(ends[0].sample + ends[1].sample, 25 + 75);
    EXPECT_EQ(ends[0].sample % 50, 25);
    EXPECT_LT(ends[0].place_m, 1e-6);
    EXPECT_LT(ends[0].turn_rad, 1e-5);
    EXPECT_LT(ends[0].speed_m_s, 0.02) << "the way turns a little meanwhile";
    for (const LoopEnd& end : ends) {
        EXPECT_NE(end.sample, 50);
        // Where the leg hangs as at first and swings back, its speed tells.
        if (end.sample % 25 == 12 || end.sample % 25 == 13) {
            EXPECT_GT(end.spin_rad_s, 1);
        }
    }
    // Where the root carries the way already it is the same.
    Clip carried = clip;
    extract_travel(carried, skeleton, 1, {true, false, true});
    const std::vector<LoopEnd> same = find_loop_ends(carried, skeleton, 1, 5);
    EXPECT_EQ(same[0].sample % 50, 25);
    EXPECT_NEAR(same[0].place_m, ends[0].place_m, 1e-6);
    EXPECT_NEAR(same[0].spin_rad_s, ends[0].spin_rad_s, 1e-3);
    EXPECT_THAT(find_loop_ends(clip, skeleton, 1, 60, 1), SizeIs(1));
    EXPECT_EQ(find_loop_ends(clip, skeleton, 1, 60, 1)[0].sample, 75);
}

}  // namespace
}  // namespace mellow::shaping_test
