// Mirrored clips of figures that are not as a drawing board would have them: joints beside the
// middle, figures beside the origin, things of their own. Expected places are images of vertices.
#include "mellow/shaping.h"
#include "rigs.h"

namespace mellow::mirror_test {
namespace {

using namespace test;

constexpr Vec3 kOne{1, 1, 1};

/// A figure with arms that moves by a function, and its pairs.
struct Figure {
    Skeleton skeleton;
    Take take;
};
/// Hips `beside` x = 0, a spine `off` the middle, arms with axes that are each other's image, and a
/// tool beside.
Figure figure(double beside, double off) {
    const Quat left = turn(normalized(Vec3{1, 2, 1}, kX), 50),
               right{left.x, -left.y, -left.z, left.w};
    std::vector<Joint> joints{{"root", -1, {}},
                              {"hips", 0, {{beside, 1, 0}, turn(kX, 10), kOne}},
                              {"spine", 1, {{off, 0.4, 0}, {}, kOne}},
                              {"arm.L", 2, {{0.2 - off, 0.1, 0}, left, kOne}},
                              {"arm.R", 2, {{-0.2 - off, 0.1, 0}, right, kOne}},
                              {"pole", 0, {{beside + 0.5, 0.6, 0.1}, turn(kZ, 15), kOne}}};
    Figure out{Skeleton::make(std::move(joints)).value(), {}};
    out.take = take_of(out.skeleton, [](double t, std::span<Transform> j) {
        j[1].t = j[1].t + Vec3{0.1 * t, 0.02 * t, t};
        j[1].r = turn(kY, 30 * t) * j[1].r;
        j[2].r = turn(kZ, 20 * t);
        j[3].r = j[3].r * turn(kX, 40 * t);
        j[4].r = j[4].r * turn(normalized(Vec3{0, 1, 1}, kX), -25 * t);
        j[5].t = j[5].t + Vec3{0, 0.3 * t, t};
        j[5].r = turn(kX, 60 * t) * j[5].r;
    });
    return out;
}

std::vector<Affine> worlds(const Take& take, double second) {
    JointTile tile = take.make_tile();
    take.evaluate({&second, 1}, Take::Want::kWorlds, tile);
    std::vector<Affine> out;
    for (int j = 0; j < take.skeleton.size(); ++j) {
        const double* w = tile.world(j);
        const auto three = [&](int row) {
            return Vec3{w[row * kTileFrames], w[(row + 1) * kTileFrames],
                        w[(row + 2) * kTileFrames]};
        };
        out.push_back({three(0), three(3), three(6), three(9)});
    }
    return out;
}
Vec3 image(Vec3 v, double middle) { return {2 * middle - v.x, v.y, v.z}; }
/// Where a point that rests at `p` is carried by a joint.
Vec3 carried(const Affine& now, const Affine& rest, Vec3 p) {
    return apply(now, apply(inverse(rest), p));
}

TEST(MirrorTest, PointsOfASymmetricFigureGoToTheirImagesWhereverItStands) {
    for (const double beside : {0.0, 1.5, -0.3}) {
        const Figure f = figure(beside, 0);
        const MirrorPairs pairs = mirror_pairs(f.take, {}).value();
        EXPECT_NEAR(pairs.middle_m, beside, 1e-12);
        const Mirrored once = mirror(f.take, pairs, RootKind::kAdded);
        EXPECT_LT(once.asymmetry_m, 1e-12);
        const std::vector<Affine> rest = f.skeleton.rest_worlds();
        const int partner[] = {0, 1, 2, 4, 3};
        for (const double t : {0.0, 0.4, 1.0}) {
            const auto own = worlds(f.take, t), got = worlds(once.take, t);
            for (int j = 1; j < 5; ++j)
                for (const Vec3 p : {Vec3{0.1, 0.9, 0.2}, {beside - 0.4, 1.5, -0.1}}) {
                    const auto k = static_cast<std::size_t>(j);
                    const auto from = static_cast<std::size_t>(partner[j]);
                    const Vec3 wanted =
                        image(carried(own[from], rest[from], image(p, beside)), beside);
                    EXPECT_LT(length(carried(got[k], rest[k], p) - wanted), 1e-9)
                        << f.skeleton[j].name << " beside " << beside;
                }
        }
    }
}

TEST(MirrorTest, ASpineBesideTheMiddleRestsAndWhatItCostsIsMeasured) {
    const Figure f = figure(0, 0.02);
    const Take still = take_of(f.skeleton, [](double, std::span<Transform>) {});
    const MirrorPairs pairs = mirror_pairs(still, {}).value();
    const auto rest = f.skeleton.rest_worlds(),
               got = worlds(mirror(still, pairs, RootKind::kAdded).take, 0);
    for (std::size_t j = 0; j < 5; ++j) {
        EXPECT_LT(length(got[j].o - rest[j].o), 1e-12) << f.skeleton[static_cast<int>(j)].name;
        EXPECT_LT(length(got[j].x - rest[j].x), 1e-12) << f.skeleton[static_cast<int>(j)].name;
    }
    const Mirrored once = mirror(f.take, pairs, RootKind::kAdded);
    EXPECT_NEAR(once.asymmetry_m, 0.04, 1e-12);
    double most = 0;
    for (int k = 0; k <= 60; ++k) {
        const auto own = worlds(f.take, k / 60.0), mine = worlds(once.take, k / 60.0);
        const int partner[] = {0, 1, 2, 4, 3};
        for (std::size_t j = 0; j < 5; ++j)
            most = std::max(
                most, length(mine[j].o - image(own[static_cast<std::size_t>(partner[j])].o, 0)));
    }
    EXPECT_NEAR(mirror_cost(f.take, once, pairs, 0, 1).distance_m, most, 1e-9);
}

TEST(MirrorTest, TwiceIsOnceAlsoWithToolsAndMovingRoots) {
    for (const RootKind root : {RootKind::kAdded, RootKind::kMoves}) {
        const Figure f = figure(0.3, 0.01);
        const MirrorPairs pairs = mirror_pairs(f.take, {}).value();
        const Take twice = mirror(mirror(f.take, pairs, root).take, pairs, root).take;
        const auto own = worlds(f.take, 0.7), got = worlds(twice, 0.7);
        for (std::size_t j = 0; j < own.size(); ++j) {
            EXPECT_LT(length(got[j].o - own[j].o), 1e-9) << f.skeleton[static_cast<int>(j)].name;
            EXPECT_LT(length(got[j].y - own[j].y), 1e-9) << f.skeleton[static_cast<int>(j)].name;
        }
    }
}

TEST(MirrorTest, AToolLiesOnItsOwnImage) {
    // A straight pole along a slanted line, of twenty points: its image in the figure's plane is
    // what the mirrored pole must cover, whatever its axes are.
    const Figure f = figure(0, 0);
    const std::vector<Affine> rest = f.skeleton.rest_worlds();
    std::vector<Vec3> points;
    const Vec3 along = normalized(Vec3{1, 3, 0.5}, kX), across = normalized(cross(along, kZ), kX);
    for (int i = -10; i <= 10; ++i) {
        points.push_back(rest[5].o + 0.05 * i * along + 0.01 * across);
        points.push_back(rest[5].o + 0.05 * i * along - 0.01 * across);
    }
    MirrorPairs pairs = mirror_pairs(f.take, {}).value();
    ASSERT_EQ(pairs.props.size(), 1U);
    fit_mirror_plane(points, pairs.props[0]);
    const Take once = mirror(f.take, pairs, RootKind::kAdded).take;
    double worst = 0;
    for (const double t : {0.0, 0.5, 1.0}) {
        const Affine own = worlds(f.take, t)[5], got = worlds(once, t)[5];
        for (const Vec3 p : points) {
            const Vec3 now = carried(got, rest[5], p);
            double nearest = 1;
            for (const Vec3 q : points)
                nearest = std::min(nearest, length(now - image(carried(own, rest[5], q), 0)));
            worst = std::max(worst, nearest);
        }
    }
    EXPECT_LT(worst, 2e-3);
}

TEST(MirrorTest, SizesGoWhereTheirAxesGo) {
    // Arms whose axes are permuted against each other: X of one lies along Y of the other.
    std::vector<Joint> joints{{"root", -1, {}},
                              {"arm.L", 0, {{0.2, 1, 0}, {}, kOne}},
                              {"arm.R", 0, {{-0.2, 1, 0}, turn(kZ, 90), kOne}}};
    const Skeleton skeleton = Skeleton::make(std::move(joints)).value();
    const Take take = take_of(skeleton, [](double, std::span<Transform> j) {
        j[1].s = {2, 1, 1};
    });  // longer along X
    const auto got =
        worlds(mirror(take, mirror_pairs(take, {}).value(), RootKind::kAdded).take, 0)[2];
    // The right arm is twice as long along the world's X, too: its own Y.
    EXPECT_NEAR(length(got.y), 2, 1e-12);
    EXPECT_NEAR(length(got.x), 1, 1e-12);
    EXPECT_NEAR(std::abs(got.y.x), 2, 1e-12);
}

}  // namespace
}  // namespace mellow::mirror_test
