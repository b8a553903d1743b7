// Seams of loops: how far the ends are apart, where, and when that is a stop.
#include <nlohmann/json.hpp>
#include "rigs.h"
#include "small_figure.h"

namespace mellow::loop_gap_test {
namespace {

using namespace test;
using namespace testing;

class LoopGapTest : public test::SmallFigure {};

TEST_F(LoopGapTest, ASeamOfTwoMillimetresIsSaidAndOneOfSixFails) {
    // The head goes up and down evenly and ends a little higher; nothing else is open.
    const auto nod = [](double gap_m) {
        return keyed(1, "translation", 24, [=](int f) {
            return Three{0, 0.5 + 0.1 * std::sin(2 * M_PI * f / 24) + gap_m * f / 24, 0};
        });
    };
    const std::string loop = recipe("range = [0, 24]\nloop = true\n");
    EXPECT_THAT(of_code(pack({nod(0.0005)}, loop), Code::kLoopOpen), IsEmpty());
    const PackReport small = pack({nod(0.002)}, loop), large = pack({nod(0.006)}, loop);
    ASSERT_THAT(of_code(small, Code::kLoopOpen), SizeIs(1));
    EXPECT_THAT(of_code(small, Code::kLoopOpen)[0].found, HasSubstr("2.0 mm"));
    EXPECT_EQ(of_code(small, Code::kLoopOpen)[0].where, small.clips[0].where);
    EXPECT_TRUE(small.proven);
    EXPECT_FALSE(large.proven);
}

TEST_F(LoopGapTest, ASeamOfADegreeIsOneInReportAndManifest) {
    const Keyed turns = keyed(1, "rotation", 24, [](int f) {
        const Quat q = test::turn(test::kX, 10 * std::sin(2 * M_PI * f / 24) + f / 24.0);
        return Three{q.x, q.y, q.z, q.w};
    });
    const PackReport report = pack({turns}, recipe("range = [0, 24]\nloop = true\n"));
    EXPECT_NEAR(report.clips.at(0).gap.angle_rad, M_PI / 180, 1e-6);
    EXPECT_NEAR(nlohmann::json::parse(
                    test::read_text(folder_ / "out/crate.json"))["clips"][0]["loop_gap"]["degrees"]
                    .get<double>(),
                1, 1e-4);
}

TEST_F(LoopGapTest, TheSeamOfALoopIsAlsoItsScaleAndItsSpeed) {
    const auto grow = keyed(1, "scale", 24, [](int f) {
        const double s = 1 + f / 24.0;
        return Three{s, s, s};
    });
    const PackReport open = pack({grow}, recipe("range = [0, 24]\nloop = true\n"));
    EXPECT_FALSE(open.proven);
    ASSERT_THAT(of_code(open, Code::kLoopOpen), SizeIs(1));
    EXPECT_EQ(of_code(open, Code::kLoopOpen)[0].severity, Severity::kStop);
    EXPECT_TRUE(
        pack({grow}, recipe("range = [0, 24]\nloop = true\n", "[checks]\nloop-open = \"warn\"\n"))
            .proven);
    EXPECT_THAT(of_code(pack({grow}, recipe("range = [0, 24]\nloop = true\n",
                                            "[checks]\nloop-open = \"off\"\n")),
                        Code::kLoopOpen),
                IsEmpty());
    // There and back evenly: closed, but the head turns round at once. Up by 1.2 m/s, down by 1.2
    // m/s.
    const auto saw = keyed(1, "translation", 24, [](int f) {
        return Three{0, 0.5 + 0.05 * (f < 24 ? f : 0) * (f < 24 ? 1 : 0), 0};
    });
    const auto ramp = keyed(1, "translation", 24, [](int f) {
        const double t = f / 24.0;  // a parabola: speed +2.4 m/s at one end, -2.4 at the other
        return Three{0, 0.5 + 2.4 * t * (1 - t), 0};
    });
    const PackReport jump = pack({ramp}, recipe("range = [0, 24]\nloop = true\n"));
    ASSERT_THAT(of_code(jump, Code::kLoopOpen), SizeIs(1));
    EXPECT_THAT(of_code(jump, Code::kLoopOpen)[0].found, HasSubstr("4.60 m/s"));
    EXPECT_TRUE(jump.proven);
    EXPECT_THAT(of_code(pack({saw}, recipe("range = [0, 23]\n")), Code::kLoopOpen), IsEmpty());
}

TEST_F(LoopGapTest, SeamsOverlapsAndFastTurnsAreJudgedBySize) {
    const auto nods = [&](double degrees) {
        return keyed(1, "rotation", 24, [=](int f) {
            const double half = degrees * f / 24 * std::numbers::pi / 360;
            return std::vector<double>{std::sin(half), 0, 0, std::cos(half)};
        });
    };
    const auto severities = [&](const PackReport& report, Code code) {
        std::vector<Severity> out;
        for (const Finding& f : of_code(report, code)) out.push_back(f.severity);
        return out;
    };
    const std::string loop = "range = [0, 24]\nloop = true\n";
    // The nod does not come back: by 0.3, 1, 5 degrees.
    EXPECT_THAT(severities(pack({nods(0.3)}, recipe(loop)), Code::kLoopOpen), IsEmpty());
    EXPECT_THAT(severities(pack({nods(1)}, recipe(loop)), Code::kLoopOpen),
                testing::ElementsAre(Severity::kWarning));
    EXPECT_THAT(severities(pack({nods(5)}, recipe(loop)), Code::kLoopOpen),
                testing::ElementsAre(Severity::kStop));
    const auto two = [&](int first) {
        return pack({nods(40)}, recipe("range = [0, 12]\n[[clip]]\nname = \"d\"\nrange = [" +
                                       std::to_string(first) + ", 24]\n"));
    };
    EXPECT_THAT(severities(two(12), Code::kRangeOverlap), testing::ElementsAre(Severity::kNote));
    EXPECT_THAT(severities(two(11), Code::kRangeOverlap), testing::ElementsAre(Severity::kWarning));
    EXPECT_THAT(severities(two(13), Code::kRangeOverlap), IsEmpty());
    // Of several overlaps the largest is told.
    const PackReport three =
        pack({nods(40)}, recipe("range = [0, 12]\n[[clip]]\nname = \"d\"\nrange = [10, 16]\n"
                                "[[clip]]\nname = \"e\"\nrange = [9, 24]\n"));
    EXPECT_THAT(of_code(three, Code::kRangeOverlap).back().found, HasSubstr("10..16"));
    // What a recipe says shall fail does, and what it says is off is not said.
    for (const char* level : {"fail", "warn", "note", "off"}) {
        const PackReport judged =
            pack({nods(40)}, recipe("range = [0, 12]\n[[clip]]\nname = \"d\"\nrange = [11, 24]\n",
                                    fmt::format("[checks]\nrange-overlap = \"{}\"\n", level)));
        EXPECT_EQ(judged.proven, level[0] != 'f') << level;
        const auto said = severities(judged, Code::kRangeOverlap);
        ASSERT_EQ(said.size(), level[0] == 'o' ? 0U : 1U) << level;
        if (!said.empty()) {
            EXPECT_EQ(said[0], level[0] == 'f'   ? Severity::kStop
                               : level[0] == 'w' ? Severity::kWarning
                                                 : Severity::kNote);
        }
    }
    // 160 degrees from sample to sample, but for the last.
    EXPECT_THAT(severities(pack({nods(24 * 140)}, recipe("range = [0, 24]\n")), Code::kFastTurn),
                IsEmpty());
    EXPECT_THAT(severities(pack({nods(24 * 160)}, recipe("range = [0, 24]\n")), Code::kFastTurn),
                testing::ElementsAre(Severity::kWarning));
}

}  // namespace
}  // namespace mellow::loop_gap_test
