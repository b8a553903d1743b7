// Parts of carrying over, each against paper: words of names, spans, eases, limbs that reach.
#include "bodies.h"
#include "mellow/figure_map.h"
#include "retarget/joint_words.h"
#include "retarget/series.h"
#include "retarget/two_bones.h"

namespace mellow::retarget_parts_test {
namespace {

using namespace test;
using namespace testing;

TEST(JointWordsTest, NamesOfManyHousesMeanTheSame) {
    struct Name {
        const char* name;
        BodySide side;
        Role role;
    };
    for (const Name& n :
         std::initializer_list<Name>{{"rig:LeftUpLeg", BodySide::kLeft, Role::kThigh},
                                     {"thigh.R", BodySide::kRight, Role::kThigh},
                                     {"hip_l", BodySide::kLeft, Role::kThigh},
                                     {"Hip", BodySide::kMiddle, Role::kHips},
                                     {"pelvis", BodySide::kMiddle, Role::kHips},
                                     {"lshin", BodySide::kLeft, Role::kShin},
                                     {"Leg_R", BodySide::kRight, Role::kShin},
                                     {"righthand", BodySide::kRight, Role::kHand},
                                     {"a|b|L_Wrist", BodySide::kLeft, Role::kHand},
                                     {"RightHandThumb1", BodySide::kRight, Role::kThumb},
                                     {"handPinky_l", BodySide::kLeft, Role::kLittleFinger},
                                     {"shoulder.L", BodySide::kLeft, Role::kCollar},
                                     {"shoulder.L", BodySide::kLeft, Role::kUpperArm},
                                     {"Spine2", BodySide::kMiddle, Role::kSpine},
                                     {"ankle_r", BodySide::kRight, Role::kFoot}}) {
        EXPECT_EQ(joint_words(n.name).side, n.side) << n.name;
        EXPECT_TRUE(joint_words(n.name).says(n.role)) << n.name;
        EXPECT_FALSE(joint_words(n.name).beside) << n.name;
    }
    EXPECT_FALSE(joint_words("hip_l").says(Role::kHips));
    EXPECT_FALSE(joint_words("Hip").says(Role::kThigh));
    EXPECT_TRUE(joint_words("LeftForeArmTwist").beside);
    EXPECT_TRUE(joint_words("toe_end.L").beside);
    EXPECT_FALSE(joint_words("n42").says_any());
    EXPECT_EQ(bare_name("rig:Hand.L"), "handl");
}

std::vector<std::pair<int, int>> pairs(const std::vector<Span>& spans) {
    std::vector<std::pair<int, int>> out;
    for (const Span& s : spans) out.emplace_back(s.first, s.last);
    return out;
}

TEST(SeriesTest, SpansBeginBelowOneSpeedAndEndAboveAnother) {
    //                            0  1     2     3     4  5  6    7  8  9     10    11 12 13  14 15
    const std::vector<double> v{1, 0.05, 0.15, 0.19, 1, 1, 0.05, 1, 1, 1, 0.09, 0.3, 1, 1, 0.15, 1};
    EXPECT_THAT(pairs(low_spans(v, 0.1, 0.2, 2, 1)),
                ElementsAre(std::pair(1, 6), std::pair(10, 10)));
    EXPECT_THAT(pairs(low_spans(v, 0.1, 0.2, 1, 1)),
                ElementsAre(std::pair(1, 3), std::pair(6, 6), std::pair(10, 10)));
    EXPECT_THAT(pairs(low_spans(v, 0.1, 0.2, 2, 2)), ElementsAre(std::pair(1, 6)));
    const std::vector<Vec3> places{{0, 0, 0}, {3, 4, 0}, {3, 4, 0}, {3, 8, 3}};
    EXPECT_THAT(speeds_of(places, 0.5),
                ElementsAre(10, 5, 5, 10));  // 5 / 0.5; 5 / 1; |0, 4, 3| / 1; |0, 4, 3| / 0.5
    EXPECT_THAT(speeds_of(std::vector<Vec3>(1), 0.5), ElementsAre(0));
}

TEST(SeriesTest, CorrectionsAreEasedBetweenSpansAndBeyondThem) {
    const auto eased = [](double u) { return u * u * u * (10 - 15 * u + 6 * u * u); };
    std::vector<Vec3> values(20, Vec3{99, 99, 99});
    const std::vector<Span> spans{{4, 5}, {9, 9}, {16, 17}};
    values[4] = values[5] = {1, 0, 0};
    values[9] = {3, 0, 0};
    values[16] = {0, 8, 0};
    values[17] = {0, 4, 0};
    ease_between(spans, 6, values);
    // Before the first: gone within three samples. Four samples apart: straight across. Seven: down
    // and up, three samples each.
    const double x[20] = {0,
                          0,
                          1 - eased(2 / 3.),
                          1 - eased(1 / 3.),
                          1,
                          1,
                          1 + 2 * eased(0.25),
                          2,
                          1 + 2 * eased(0.75),
                          3,
                          3 * (1 - eased(1 / 3.)),
                          3 * (1 - eased(2 / 3.)),
                          0,
                          0,
                          0,
                          0,
                          0,
                          0,
                          0,
                          0};
    const double y[20] = {0,
                          0,
                          0,
                          0,
                          0,
                          0,
                          0,
                          0,
                          0,
                          0,
                          0,
                          0,
                          0,
                          0,
                          8 * (1 - eased(2 / 3.)),
                          8 * (1 - eased(1 / 3.)),
                          8,
                          4,
                          4 * (1 - eased(1 / 3.)),
                          4 * (1 - eased(2 / 3.))};
    for (std::size_t k = 0; k < 20; ++k) {
        EXPECT_NEAR(values[k].x, x[k], 1e-12) << k;
        EXPECT_NEAR(values[k].y, y[k], 1e-12) << k;
    }
    ease_between({}, 6, values);
    EXPECT_EQ(values[9].x, 0);
}

TEST(SeriesTest, MeansHoldTheEndsAndTheMostIsNeverMissed) {
    std::vector<double> v{0, 0, 0, 9, 0, 0, 0};
    smooth(v, 1);  // 0 0 3 3 3 0 0, then once more
    EXPECT_THAT(v, Pointwise(DoubleNear(1e-12), {0., 1., 2., 3., 2., 1., 0.}));
    std::vector<double> end{6, 0, 0, 0};
    smooth(end, 1);  // 4 2 0 0, then (4 + 4 + 2) / 3 and so on
    EXPECT_THAT(end, Pointwise(DoubleNear(1e-12), {10 / 3., 2., 2 / 3., 0.}));
    EXPECT_THAT(running_most(std::vector<double>{5, 0, 1, 0, 7}, 1), ElementsAre(5, 5, 1, 7, 7));
    EXPECT_EQ(median({5, 1, 3}), 3);
    EXPECT_EQ(median({}), 0);
}

TEST(TwoBonesTest, LimbsReachInTheirPlane) {
    // 3 and 4 to a place 5 away: a right angle in the middle, 1.8 along and 2.4 beside the way.
    const LimbTurns turns = reach_for({1, 1, 1}, {1, -2, 1.5}, {1, -6, 1}, {1, 1 - 5, 1}, kZ);
    const double u = std::hypot(3, 0.5), v = std::hypot(4, 0.5);
    const double along = (u * u - v * v + 25) / 10, beside = std::sqrt(u * u - along * along);
    const Vec3 middle = rotate(turns.upper, {0, -3, 0.5}), end = rotate(turns.lower, {0, -4, -0.5});
    EXPECT_LT(length(middle - Vec3{0, -along, beside}), 1e-12);
    EXPECT_LT(length(middle + end - Vec3{0, -5, 0}), 1e-12);
    EXPECT_TRUE(turns.reached);
    // A straight limb bends to where it is told to; one that is too short points there.
    const LimbTurns straight = reach_for({}, {0, -1, 0}, {0, -2, 0}, {0, -std::sqrt(2.0), 0}, kX);
    EXPECT_LT(length(rotate(straight.upper, {0, -1, 0}) - Vec3{1, -1, 0} * std::sqrt(0.5)), 1e-12);
    const LimbTurns far = reach_for({}, {0, -1, 0}, {0, -2, 0}, {3, 0, 0}, kZ);
    EXPECT_FALSE(far.reached);
    EXPECT_LT(length(rotate(far.lower, {0, -1, 0}) - kX), 1e-9);
    EXPECT_NEAR(test::angle(swing(kX, -kX), {}), 180, 1e-9);
    EXPECT_LT(length(turn_vector(test::turn(kY, 40)) - kY * (40 * std::numbers::pi / 180)), 1e-12);
    EXPECT_NEAR(test::angle(turn_of(kZ * (std::numbers::pi / 3)), test::turn(kZ, 60)), 0, 1e-6);
}

}  // namespace
}  // namespace mellow::retarget_parts_test
