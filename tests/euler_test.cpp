// Euler angles: all six orders against plain 3x3 products, continuity, and the right-angle case.
#include <cmath>
#include <numbers>
#include <random>

#include "mellow/euler.h"
#include "support.h"

namespace mellow {
namespace {

using std::numbers::pi;

constexpr EulerOrder kOrders[] = {EulerOrder::kXYZ, EulerOrder::kXZY, EulerOrder::kYXZ,
                                  EulerOrder::kYZX, EulerOrder::kZXY, EulerOrder::kZYX};

using Rows = std::array<std::array<double, 3>, 3>;

/// The turn about one axis as the textbook writes it, multiplied onto `m` from the right.
Rows times_turn(const Rows& m, char axis, double angle) {
    const double c = std::cos(angle), s = std::sin(angle);
    const Rows t = axis == 'X'   ? Rows{{{1, 0, 0}, {0, c, -s}, {0, s, c}}}
                   : axis == 'Y' ? Rows{{{c, 0, s}, {0, 1, 0}, {-s, 0, c}}}
                                 : Rows{{{c, -s, 0}, {s, c, 0}, {0, 0, 1}}};
    Rows out{};
    for (std::size_t r = 0; r < 3; ++r)
        for (std::size_t k = 0; k < 3; ++k)
            for (std::size_t j = 0; j < 3; ++j) out[r][j] += m[r][k] * t[k][j];
    return out;
}

double difference(Quat q, const EulerAngles& angles, EulerOrder order) {
    Rows m{{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}};
    for (std::size_t i = 0; i < 3; ++i) m = times_turn(m, name(order)[i], angles[i]);
    double worst = 0;
    const Vec3 axes[3] = {{1, 0, 0}, {0, 1, 0}, {0, 0, 1}};
    for (std::size_t c = 0; c < 3; ++c)
        worst = std::max(worst, length(rotate(q, axes[c]) - Vec3{m[0][c], m[1][c], m[2][c]}));
    return worst;
}

TEST(EulerTest, NamesAreReadBack) {
    for (const EulerOrder order : kOrders) EXPECT_EQ(parse_euler_order(name(order)), order);
    EXPECT_FALSE(parse_euler_order("XYX"));
    EXPECT_FALSE(parse_euler_order("zxy"));
    EXPECT_EQ(axes_of(EulerOrder::kZXY), (std::array<int, 3>{2, 0, 1}));
}

TEST(EulerTest, EveryOrderAgreesWithPlainMatrices) {
    std::mt19937_64 engine{7};
    std::uniform_real_distribution<double> any(-1, 1);
    for (int n = 0; n < 300; ++n) {
        const Quat q = normalized(Quat{any(engine), any(engine), any(engine), any(engine)});
        for (const EulerOrder order : kOrders) {
            const EulerAngles angles =
                to_euler(q, order, {3 * any(engine), any(engine), 9 * any(engine)});
            EXPECT_LT(difference(q, angles, order), 1e-12) << name(order);
            EXPECT_NEAR(std::abs(dot(from_euler(angles, order), q)), 1, 1e-13);
        }
    }
}

TEST(EulerTest, ARightMiddleAngleKeepsTheFirst) {
    for (const EulerOrder order : kOrders)
        for (const double middle : {pi / 2, -pi / 2})
            for (const double first : {0.0, 0.7, -2.1}) {
                const Quat q = from_euler({0.4, middle, -1.1}, order);
                const EulerAngles angles = to_euler(q, order, {first, middle, 0});
                EXPECT_LT(difference(q, angles, order), 1e-7) << name(order) << middle;
                EXPECT_NEAR(angles[0], first, 1e-12);
            }
}

TEST(EulerTest, TracksDoNotJumpAndTurnsStayTurns) {
    // Ten turns about Y while nodding through a right angle and back, in 40 steps a turn.
    for (const EulerOrder order : kOrders) {
        EulerAngles last{};
        double most = 0;
        for (int k = 0; k <= 400; ++k) {
            const Quat q = from_axis_angle({0, 1, 0}, k * 2 * pi / 40) *
                           from_axis_angle({1, 0, 0}, 0.3 * std::sin(k * 0.05));
            const EulerAngles next = to_euler(q, order, last);
            EXPECT_LT(difference(q, next, order), 1e-7);
            if (k > 0)
                for (std::size_t i = 0; i < 3; ++i)
                    most = std::max(most, std::abs(next[i] - last[i]));
            last = next;
        }
        // Orders with Y first or last follow the turn itself; the others swing about its middle.
        if (name(order)[1] != 'Y') {
            EXPECT_LT(most, 0.5) << name(order);
            const std::size_t y = name(order)[0] == 'Y' ? 0 : 2;
            EXPECT_NEAR(last[y], 20 * pi, 0.5) << name(order);
        }
    }
}

}  // namespace
}  // namespace mellow
