// Quaternions: turns, products, swings and twists, against numbers worked by hand.
#include <cmath>
#include <numbers>
#include <random>

#include "math/arctangent.h"
#include "mellow/transform.h"
#include "support.h"

namespace mellow::quat_test {
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

}  // namespace
}  // namespace mellow::quat_test
