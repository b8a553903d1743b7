// Transforms: put together, taken apart, undone; and the arctangent that all of them use.
#include <cmath>
#include <numbers>
#include <random>

#include "math/arctangent.h"
#include "mellow/transform.h"
#include "support.h"

namespace mellow {
namespace {

using std::numbers::pi;

using test::difference;

constexpr double kTight = 1e-14;

void expect_near(Vec3 a, Vec3 b, double tolerance = kTight) {
    EXPECT_NEAR(a.x, b.x, tolerance);
    EXPECT_NEAR(a.y, b.y, tolerance);
    EXPECT_NEAR(a.z, b.z, tolerance);
}

class Random {
  public:
    double number(double low, double high) {
        return std::uniform_real_distribution<double>(low, high)(engine_);
    }
    Vec3 vector(double size) {
        return {number(-size, size), number(-size, size), number(-size, size)};
    }
    Quat rotation() {
        return normalized(Quat{number(-1, 1), number(-1, 1), number(-1, 1), number(-1, 1)});
    }

  private:
    std::mt19937_64 engine_{20};
};

TEST(TransformTest, ScaleActsFirstThenTurnThenPlace) {
    const Transform t{{10, 0, 0}, from_axis_angle({0, 0, 1}, pi / 2), {2, 3, 4}};
    // (1, 1, 1) * (2, 3, 4) = (2, 3, 4), turned (-3, 2, 4), moved (7, 2, 4).
    expect_near(apply(to_affine(t), {1, 1, 1}), {7, 2, 4});
}

TEST(TransformTest, InverseUndoes) {
    Random random;
    for (int n = 0; n < 200; ++n) {
        const Affine m = to_affine({random.vector(5), random.rotation(), {0.5, -2, 3}});
        EXPECT_LT(difference(m * inverse(m), Affine{}), 1e-12);
        EXPECT_LT(difference(inverse(m) * m, Affine{}), 1e-12);
    }
}

TEST(TransformTest, InverseOfFlatMatrixIsFinite) {
    const Affine flat = to_affine({{1, 2, 3}, {}, {1, 0, 1}});
    const Affine inverted = inverse(flat);
    EXPECT_TRUE(is_finite(inverted.x) && is_finite(inverted.y) && is_finite(inverted.o));
}

TEST(TransformTest, DecomposeGivesBackWhatWasPutTogether) {
    Random random;
    for (int n = 0; n < 300; ++n) {
        Vec3 scale{random.number(0.1, 3), random.number(0.1, 3), random.number(0.1, 3)};
        if (n % 3 == 0) scale.x *= 1e-5, scale.y *= 1e-5;  // a needle turns like anything else
        const Transform t{random.vector(100), random.rotation(), scale};
        const Decomposed d = decompose(to_affine(t));
        expect_near(d.transform.t, t.t);
        expect_near(d.transform.s, t.s, 1e-12);
        EXPECT_NEAR(std::abs(dot(d.transform.r, t.r)), 1, 1e-13);
        EXPECT_LT(d.shear, 1e-12);
    }
}

TEST(TransformTest, MirrorBecomesThreeNegativeScales) {
    const Decomposed d = decompose(to_affine({{}, {}, {-1, 1, 1}}));
    EXPECT_LT(d.transform.s.x, 0);
    EXPECT_LT(d.transform.s.y, 0);
    EXPECT_LT(d.transform.s.z, 0);
    EXPECT_LT(d.shear, 1e-12);
    EXPECT_LT(difference(to_affine(d.transform), to_affine({{}, {}, {-1, 1, 1}})), 1e-12);
}

TEST(TransformTest, ZeroScaleKeepsAFiniteTurn) {
    for (const Vec3 scale : {Vec3{0, 1, 1}, Vec3{0, 0, 2}, Vec3{0, 0, 0}}) {
        const Quat turn = from_axis_angle(normalized(Vec3{1, 1, 0}, {}), 0.6);
        const Transform t{{1, 2, 3}, turn, scale};
        const Decomposed d = decompose(to_affine(t));
        EXPECT_NEAR(dot(d.transform.r, d.transform.r), 1, kTight);
        EXPECT_LT(difference(to_affine(d.transform), to_affine(t)), 1e-12);
    }
}

TEST(TransformTest, ShearIsMeasuredAndTheNearestTurnIsKept) {
    // Columns (1, 0, 0), (0.2, 1, 0), (0, 0, 1): a push of Y along X by 0.2. The polar rotation of
    // the 2x2 part [[1, .2], [0, 1]] turns by atan((m10 - m01) / (m00 + m11)) = atan(-0.1).
    Affine m;
    m.y = {0.2, 1, 0};
    const Decomposed d = decompose(m);
    EXPECT_NEAR(twist_angle(d.transform.r, {0, 0, 1}), std::atan(-0.1), 1e-12);
    // What remains is symmetric with off-diagonal sin(a) * 1 + ... = 0.1 * cos(a) at a = atan(0.1).
    EXPECT_NEAR(d.shear, 0.1, 0.01);
    EXPECT_GT(d.shear, 0.09);
}

TEST(TransformTest, EvenScaleAboveATurnHasNoShear) {
    const Affine m = to_affine({{}, {}, {3, 3, 3}}) *
                     to_affine({{}, from_axis_angle({1, 0, 0}, 0.7), {1, 2, 1}});
    EXPECT_LT(decompose(m).shear, 1e-12);
}

TEST(ArctangentTest, AgreesWithTheStandardLibraryAllRound) {
    std::mt19937 random(1);
    std::uniform_real_distribution<double> angle(-std::numbers::pi, std::numbers::pi), size(-9, 9);
    std::vector<double> y{0, 0, 1, -1, 0, 1e-300}, x{0, -1, 0, 0, 1, 1};
    for (int i = 0; i < 5000; ++i) {
        const double a = angle(random), r = std::pow(10, size(random));
        y.push_back(r * std::sin(a)), x.push_back(r * std::cos(a));
    }
    std::vector<double> got(y.size());
    arctangent(y.data(), x.data(), y.size(), got.data());
    double worst = 0;
    for (std::size_t i = 0; i < y.size(); ++i)
        worst = std::max(worst, std::abs(got[i] - std::atan2(y[i], x[i])));
    EXPECT_LT(worst, 5e-16);
    EXPECT_GT(worst, 1e-16);
}

}  // namespace
}  // namespace mellow
