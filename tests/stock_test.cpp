// What files seem to be: their up and front, by the legs and by the toes.
#include "mellow/stock.h"
#include "rigs.h"
#include "small_figure.h"
#include "support.h"

namespace mellow::stock_test {
namespace {

using namespace test;
using namespace testing;

TEST(SeemingTest, LegsTellUpAndFront) {
    const auto stock = [](Vec3 down, Vec3 left) {
        Scene scene;
        const int hips = test::add_node(scene, "hips", kNone, {});
        for (const double side : {1.0, -1.0}) {
            const std::string end = side > 0 ? ".L" : ".R";
            const int thigh =
                test::add_node(scene, "thigh" + end, hips, {side * 0.1 * left, {}, {1, 1, 1}});
            test::add_node(scene, "foot" + end, thigh, {0.8 * down, {}, {1, 1, 1}});
        }
        Stock out = take_stock(scene);
        std::erase_if(out.findings, [](const Finding& f) { return f.code != Code::kAxisSuspect; });
        return out.findings;
    };
    EXPECT_THAT(stock({0, -1, 0}, {1, 0, 0}), IsEmpty());  // +Y up, left +X: it faces +Z
    const Findings lying = stock({0, 0, -1}, {1, 0, 0});   // +Z up, left +X: faces -Y
    ASSERT_THAT(lying, SizeIs(1));
    EXPECT_THAT(lying[0].remedy, HasSubstr("\nfront = \"-Y\""));
    const Findings away = stock({0, -1, 0}, {-1, 0, 0});
    ASSERT_THAT(away, SizeIs(1));
    EXPECT_THAT(away[0].found, HasSubstr("faces -Z"));
}

TEST(SeemingTest, ToesAreTheSecondWitness) {
    // Left is along +X and up along +Y: by the right hand, it faces +Z.
    std::vector<std::string> lines;  // of the last one that was mirrored
    const auto codes = [&](Vec3 ahead, Hand hand, std::array<const char*, 2> sides) {
        Scene scene;
        scene.convention.hand = hand;
        const int hips = test::add_node(scene, "hips", kNone, {});
        for (const double side : {1.0, -1.0}) {
            const std::string end = sides[side > 0 ? 0 : 1];
            const int thigh =
                test::add_node(scene, "thigh" + end, hips, {{0.1 * side, 0, 0}, {}, {1, 1, 1}});
            const int foot =
                test::add_node(scene, "foot" + end, thigh, {{0, -0.8, 0}, {}, {1, 1, 1}});
            test::add_node(scene, "toe" + end, foot, {ahead, {}, {1, 1, 1}});
        }
        std::vector<std::string> out;
        for (const Finding& f : take_stock(scene).findings)
            if (f.code == Code::kAxisSuspect || f.code == Code::kHandSuspect) {
                lines.clear();
                for (const Edit& edit : f.edits) lines.push_back(edit.key + " " + edit.value);
                out.push_back(std::string(name(f.code)) + ": " + f.found);
            }
        return out;
    };
    const std::array right{".L", ".R"}, swapped{".R", ".L"};
    const Vec3 front{0, -0.05, 0.15}, back{0, -0.05, -0.15};
    EXPECT_THAT(codes(front, Hand::kRight, right), IsEmpty());
    EXPECT_THAT(codes(front, Hand::kLeft, swapped), IsEmpty());
    for (const auto& mirrored :
         {codes(front, Hand::kLeft, right), codes(front, Hand::kRight, swapped)})
        EXPECT_THAT(mirrored,
                    testing::ElementsAre("hand-suspect: the feet of the figure point along +Z, "
                                         "but by its left and right legs it faces -Z"));
    EXPECT_THAT(lines, testing::ElementsAre("hand \"left\""));
    (void)codes(back, Hand::kRight, right);  // once its hand is right it faces the other way
    EXPECT_THAT(lines, testing::ElementsAre("hand \"left\"", "up \"+Y\"", "front \"-Z\""));
    EXPECT_THAT(codes(back, Hand::kRight, swapped), testing::ElementsAre(HasSubstr("it faces -Z")));
    // Without a left and a right one that face anywhere, toes alone tell.
    EXPECT_THAT(codes({}, Hand::kRight, right), IsEmpty());
}

}  // namespace
}  // namespace mellow::stock_test
