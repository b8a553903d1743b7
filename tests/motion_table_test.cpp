// Motion tables: written and read back.
#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>

#include "mellow/bake.h"
#include "mellow/compare.h"
#include "mellow/convert_file.h"
#include "mellow/fit.h"
#include "mellow/motion_table.h"
#include "mellow/pose.h"
#include "mellow/write.h"
#include "packing.h"
#include "rigs.h"
#include "support.h"

namespace mellow::motion_table_test {
namespace {

using namespace test;

using test::read_text;

using testing::HasSubstr;

// ---------------------------------------------------------------------------------- comparing

TEST(MotionTableTest, QuotesScalesAndScalarsAreWrittenAndReadBack) {
    const Skeleton skeleton = Skeleton::make({{"hips, \"low\"", -1, {}}}).value();
    Clip clip;
    clip.rate = {10, 1}, clip.samples = 2, clip.period = 1;
    clip.joints.push_back({{1, 2, 3, 4, 5, 6}, {0, 0, 0, 1, 0, 1, 0, 0}, {1, 1, 1, 1, 2, 1}});
    clip.morphs.push_back({"body", {"smile"}, {0, 0.5F}});
    clip.scalars.push_back({"screw", "turns", {0.25F, -1.5F}});
    const std::string text = write_motion_table(skeleton, clip, Conversion({}, {}), 1);
    EXPECT_THAT(text, testing::StartsWith("seconds,\"hips, \"\"low\"\".tx\",\"hips"));
    EXPECT_NE(text.find("\r\n0.2,4,5,6,0,1,0,0,1,2,1,0.5,-1.5\r\n"), std::string::npos) << text;
    const auto read = read_motion_table(text, "day.csv");
    ASSERT_THAT(read, IsOk());
    const Scene& scene = read.value();
    EXPECT_EQ(scene.nodes.at(0).name, "hips, \"low\"");
    const Timeline& timeline = scene.timelines.at(0);
    EXPECT_EQ(timeline.name, "day");
    ASSERT_EQ(timeline.channels.size(), 3U);
    EXPECT_EQ(timeline.channels[2].path, Path::kScale);
    EXPECT_EQ(timeline.channels[2].curve.values, (std::vector<double>{1, 1, 1, 1, 2, 1}));
    EXPECT_EQ(timeline.channels[0].curve.times[1], 0.2);
    EXPECT_EQ(timeline.scalars.at(0).name, "screw");
    EXPECT_EQ(timeline.scalars[0].curve.values, (std::vector<double>{0.25, -1.5}));
    EXPECT_EQ(timeline.morphs.at(0).targets, (std::vector<std::string>{"smile"}));
    EXPECT_TRUE(scene.rate_known);
    const std::string head = "seconds,a.tx,a.ty,a.tz,a.qx,a.qy,a.qz,a.qw\n";
    for (const auto& [table, code, place, part] :
         {std::tuple("time,a.tx\n", Code::kCsvBroken, "t.csv:1", "no header"),
          {"", Code::kCsvBroken, "t.csv:1", "no header"},
          {"seconds,a.tx,a.ty\n", Code::kCsvBroken, "t.csv:1", "2 columns of \"a\""},
          {"seconds,a.ty\n", Code::kCsvBroken, "t.csv:1", "a column \"a.ty\""},
          {"seconds,smile.weight\n", Code::kCsvBroken, "t.csv:1", "smile.weight"},
          {"seconds,\"a.tx\n", Code::kCsvBroken, "t.csv:1", "no header"},
          {"HEAD", Code::kCsvBroken, "t.csv:2", "no row"},
          {"HEAD0,1,2,3,0,0,0\n", Code::kCsvBroken, "t.csv:2", "7 columns"},
          {"HEAD0,1,2,3,0,0,0,1,9\n", Code::kCsvBroken, "t.csv:2", "more columns than the header"},
          {"HEAD0,1,2,x,0,0,0,1\n", Code::kCsvBroken, "t.csv:2", "no number in column 4"},
          {"HEAD0,1,2,nan,0,0,0,1\n", Code::kCsvBroken, "t.csv:2", "no number in column 4"},
          {"HEAD0,1,2,3,0,0,0,1\n0,1,2,3,0,0,0,1\n", Code::kNumberBad, "t.csv:3", "ascend"}}) {
        std::string whole = table;
        if (whole.starts_with("HEAD")) whole.replace(0, 4, head);
        EXPECT_THAT(read_motion_table(whole, "t.csv"), FailsWith(code, part)) << whole;
        EXPECT_THAT(read_motion_table(whole, "t.csv"), FailsWith(code, place)) << whole;
    }
}

// --------------------------------------------------------------------------------- converting

}  // namespace
}  // namespace mellow::motion_table_test
