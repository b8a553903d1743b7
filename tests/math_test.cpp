// Quaternions, affine matrices and their decomposition against values worked by hand.
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

TEST(QuatTest, QuarterTurnsGoCounterClockwise) {
    const Vec3 x{1, 0, 0}, y{0, 1, 0}, z{0, 0, 1};
    expect_near(rotate(from_axis_angle(z, pi / 2), x), y);
    expect_near(rotate(from_axis_angle(x, pi / 2), y), z);
    expect_near(rotate(from_axis_angle(y, pi / 2), z), x);
    expect_near(rotate(from_axis_angle(y, pi / 2), x), -z);
}

TEST(QuatTest, ProductTurnsTheRightFactorFirst) {
    const Quat about_z = from_axis_angle({0, 0, 1}, pi / 2),
               about_x = from_axis_angle({1, 0, 0}, pi / 2);
    // X goes to Y by the turn about Z, then to Z by the turn about X.
    expect_near(rotate(about_x * about_z, {1, 0, 0}), {0, 0, 1});
    // X stays by the turn about X, then goes to Y.
    expect_near(rotate(about_z * about_x, {1, 0, 0}), {0, 1, 0});
}

TEST(QuatTest, KnownProductOfHamilton) {
    const Quat i{1, 0, 0, 0}, j{0, 1, 0, 0}, k{0, 0, 1, 0};
    const Quat ij = i * j;
    EXPECT_EQ(ij.z, 1);  // i j == k
    EXPECT_EQ(ij.w, 0);
    EXPECT_EQ((j * i).z, -1);
    EXPECT_EQ((k * k).w, -1);
}

TEST(QuatTest, SlerpGoesEvenlyAndTheShortWay) {
    const Vec3 axis = normalized(Vec3{1, 2, -2}, {});
    const Quat a = from_axis_angle(axis, 0.2), b = from_axis_angle(axis, 1.4);
    for (const double u : {0.0, 0.25, 0.5, 1.0})
        EXPECT_NEAR(angle_between(slerp(a, b, u), from_axis_angle(axis, 0.2 + 1.2 * u)), 0, 1e-7);
    // -b is the same turn; the way must not become longer by it.
    EXPECT_NEAR(angle_between(slerp(a, -b, 0.5), from_axis_angle(axis, 0.8)), 0, 1e-7);
    const Quat close = from_axis_angle(axis, 0.2 + 1e-9);
    EXPECT_NEAR(dot(slerp(a, close, 0.5), slerp(a, close, 0.5)), 1, kTight);
}

TEST(QuatTest, AngleBetweenIsExactForSmallAngles) {
    const Quat a = from_axis_angle({0, 1, 0}, 0.7);
    for (const double angle : {1e-8, 1e-5, 0.1, 3.0})
        EXPECT_NEAR(angle_between(a, a * from_axis_angle({1, 0, 0}, angle)), angle,
                    1e-12 + 1e-9 * angle);
    EXPECT_EQ(angle_between(a, -a), 0);
}

TEST(QuatTest, SwingAndTwistOfTurnsThatHaveOnlyOne) {
    const Vec3 y{0, 1, 0};
    EXPECT_NEAR(twist_angle(from_axis_angle(y, 0.9), y), 0.9, kTight);
    EXPECT_NEAR(swing_angle(from_axis_angle(y, 0.9), y), 0, 1e-12);
    EXPECT_NEAR(twist_angle(from_axis_angle({1, 0, 0}, 0.9), y), 0, kTight);
    EXPECT_NEAR(swing_angle(from_axis_angle({1, 0, 0}, 0.9), y), 0.9, 1e-12);
    EXPECT_NEAR(twist_angle(-from_axis_angle(y, -2.5), y), -2.5, 1e-12);
}

TEST(QuatTest, SwingTimesTwistIsTheWhole) {
    Random random;
    for (int n = 0; n < 200; ++n) {
        const Quat q = random.rotation();
        const Vec3 axis = normalized(random.vector(1), {0, 1, 0});
        const Quat twist = from_axis_angle(axis, twist_angle(q, axis));
        const Quat swing = q * conjugate(twist);
        // The swing's own axis is at right angles to the twist axis.
        EXPECT_NEAR(dot(Vec3{swing.x, swing.y, swing.z}, axis), 0, 1e-12);
        expect_near(rotate(swing, axis), rotate(q, axis), 1e-12);
        EXPECT_NEAR(swing_angle(q, axis), angle_between(swing, Quat{}), 1e-7);
    }
}

TEST(QuatTest, HalfSwingHasNoTwist) {
    EXPECT_EQ(twist_angle(Quat{1, 0, 0, 0}, {0, 1, 0}), 0);
    EXPECT_NEAR(swing_angle(Quat{1, 0, 0, 0}, {0, 1, 0}), pi, 1e-12);
}

TEST(QuatTest, ColumnsGiveTheTurnBackAtEveryAngle) {
    Random random;
    for (int n = 0; n < 500; ++n) {
        const Quat q = n < 4 ? Quat{n == 0 ? 1.0 : 0.0, n == 1 ? 1.0 : 0.0, n == 2 ? 1.0 : 0.0,
                                    n == 3 ? 1.0 : 0.0}
                             : random.rotation();
        const Quat back =
            quat_from_columns(rotate(q, {1, 0, 0}), rotate(q, {0, 1, 0}), rotate(q, {0, 0, 1}));
        EXPECT_NEAR(std::abs(dot(q, back)), 1, 1e-14);
    }
}

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
