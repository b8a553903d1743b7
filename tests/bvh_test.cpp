// Reading BVH: orders of channels, places on any joint, end sites, and hostile text.
#include <fmt/format.h>

#include <cmath>

#include "mellow/pose.h"
#include "support.h"

namespace mellow {
namespace {

using namespace test;

std::string small(const std::string& root_channels, const std::string& joint_channels,
                  const std::string& rows, int frames = 1, const std::string& time = "0.0333333") {
    return fmt::format(
        "HIERARCHY\nROOT Hips\n{{\n  OFFSET 0 0 0\n  CHANNELS {}\n  JOINT Upper Leg\n  {{\n    "
        "OFFSET 0 -4 0\n    CHANNELS {}\n"
        "    End Site\n    {{\n      OFFSET 0 -3 0\n    }}\n  }}\n}}\nMOTION\nFrames: {}\nFrame "
        "Time: {}\n{}\n",
        root_channels, joint_channels, frames, time, rows);
}

Scene must_read(const std::string& text) {
    auto read = read_bvh(text, "legs.bvh");
    EXPECT_THAT(read, IsOk());
    return read ? std::move(read).value().scene : Scene{};
}

TEST(BvhTest, HierarchyOffsetsAndEndSites) {
    const Scene scene = must_read(
        small("3 Xposition Yposition Zposition", "3 Zrotation Xrotation Yrotation", "1 2 3 0 0 0"));
    ASSERT_EQ(scene.nodes.size(), 3U);
    EXPECT_EQ(scene.nodes[0].name, "Hips");
    EXPECT_EQ(scene.nodes[1].name, "Upper Leg");
    EXPECT_EQ(scene.nodes[2].name, "Upper Leg_end");
    EXPECT_TRUE(scene.nodes[2].end_site);
    EXPECT_EQ(scene.nodes[2].parent, 1);
    EXPECT_EQ(scene.rate, (FrameRate{30, 1}));
    const Pose pose = pose_at(scene, scene.timelines[0], 0);
    EXPECT_LT(length(pose.worlds[2].o - Vec3{1, -5, 3}), 1e-12);
}

/// The product of turns in the order the channels are listed, as 3x3 matrices by plain arithmetic.
std::array<std::array<double, 3>, 3> product(const std::string& order,
                                             const std::array<double, 3>& degrees) {
    std::array<std::array<double, 3>, 3> m{{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}};
    for (std::size_t i = 0; i < 3; ++i) {
        const double c = std::cos(degrees[i] * M_PI / 180), s = std::sin(degrees[i] * M_PI / 180);
        const std::size_t a = (static_cast<std::size_t>(order[i] - 'X') + 1) % 3, b = (a + 1) % 3;
        std::array<std::array<double, 3>, 3> turn{{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}}, next{};
        turn[a][a] = c, turn[a][b] = -s, turn[b][a] = s, turn[b][b] = c;
        for (std::size_t r = 0; r < 3; ++r)
            for (std::size_t k = 0; k < 3; ++k)
                for (std::size_t j = 0; j < 3; ++j) next[r][j] += m[r][k] * turn[k][j];
        m = next;
    }
    return m;
}

TEST(BvhTest, EveryOrderOfRotationsIsKept) {
    for (const std::string order : {"XYZ", "XZY", "YXZ", "YZX", "ZXY", "ZYX"}) {
        const std::string channels =
            fmt::format("3 {}rotation {}rotation {}rotation", order[0], order[1], order[2]);
        const Scene scene =
            must_read(small("3 Xposition Yposition Zposition", channels, "0 0 0 20 -35 130"));
        const Affine world = pose_at(scene, scene.timelines[0], 0).worlds[1];
        const auto m = product(order, {20, -35, 130});
        EXPECT_LT(length(world.x - Vec3{m[0][0], m[1][0], m[2][0]}), 1e-12) << order;
        EXPECT_LT(length(world.y - Vec3{m[0][1], m[1][1], m[2][1]}), 1e-12) << order;
    }
}

TEST(BvhTest, PlacesOnAnyJointReplaceItsOffset) {
    const Scene scene =
        must_read(small("6 Xposition Yposition Zposition Zrotation Xrotation Yrotation",
                        "4 Yposition Zrotation Xrotation Yrotation", "0 0 0 0 0 0 -9 0 0 0"));
    EXPECT_LT(length(pose_at(scene, scene.timelines[0], 0).worlds[1].o - Vec3{0, -9, 0}), 1e-12);
}

TEST(BvhTest, FramesStandOnTheExactRate) {
    std::string rows;
    for (int k = 0; k < 200; ++k) rows += fmt::format("{} 0 0 0\n", k);
    const Scene scene =
        must_read(small("1 Xposition", "3 Zrotation Xrotation Yrotation", rows, 200, ".0083333"));
    EXPECT_EQ(scene.rate, (FrameRate{120, 1}));
    const Curve& curve = scene.timelines[0].channels[0].curve;
    ASSERT_EQ(curve.times.size(), 200U);
    EXPECT_DOUBLE_EQ(curve.times[199], 199 / 120.0);
    EXPECT_EQ(curve.values[199 * 3], 199);
}

TEST(BvhTest, TheAssumedUnitAndAxesAreSaid) {
    const auto read = read_bvh(small("1 Xposition", "0", "1"), "legs.bvh");
    ASSERT_THAT(read, IsOk());
    ASSERT_EQ(read.value().findings.size(), 1U);
    EXPECT_EQ(read.value().findings[0].code, Code::kAssumed);
    EXPECT_NE(read.value().findings[0].remedy.find("unit"), std::string::npos);
}

TEST(BvhTest, WindowsLinesTabsAndCaseAreRead) {
    std::string text = small("3 xposition YPOSITION Zposition", "3 Zrotation Xrotation Yrotation",
                             "1\t2 +3 0 -0.5e1 .5");
    for (std::size_t i = text.find('\n'); i != std::string::npos; i = text.find('\n', i + 2))
        text.insert(i, "\r");
    const Scene scene = must_read(text);
    EXPECT_EQ(scene.nodes[1].name, "Upper Leg");
    EXPECT_EQ(scene.timelines[0].channels[0].curve.values, (std::vector<double>{1, 2, 3}));
}

TEST(BvhTest, LinesCountWhereTheyAreSaidTo) {
    const std::string text =
        small("3 Xposition Yposition Zposition", "3 Zrotation Xrotation Yrotation",
              "1 2 3 0 0 0\n4 5 6 0 0 0", 100);
    EXPECT_THAT(read_bvh(text, "legs.bvh"), FailsWith(Code::kBvhBroken, "100 frames declared"));
    ReadLimits limits;
    limits.bvh_frames = BvhFrames::kAll;
    const auto read = read_bvh(text, "legs.bvh", limits);
    ASSERT_THAT(read, IsOk());
    EXPECT_EQ(read.value().scene.timelines[0].channels[0].curve.times.size(), 2U);
}

TEST(BvhTest, MostOfTheLengthDecidesWhatPlacesMean) {
    // Joints of one length in a row: `odd` of six stand at their OFFSET, the others about zero.
    const auto added = [](int odd) {
        std::string head = "HIERARCHY\n", row, tail;
        for (int j = 0; j < 6; ++j) {
            head +=
                fmt::format("{} j{}\n{{\nOFFSET 0 2 0\nCHANNELS 3 Xposition Yposition Zposition\n",
                            j == 0 ? "ROOT" : "JOINT", j);
            row += j < odd ? "0 2 0 " : "0 0 0 ";
            tail += "}\n";
        }
        const Scene scene =
            must_read(head + "End Site\n{\nOFFSET 0 2 0\n}\n" + tail +
                      "MOTION\nFrames: 2\nFrame Time: 0.1\n" + row + "\n" + row + "\n");
        // Added they reach 2 higher for each odd one, instead of OFFSET only these count at all.
        return pose_at(scene, scene.timelines[0], 0).worlds[5].o.y;
    };
    EXPECT_NEAR(added(1), 14, 1e-9);
    EXPECT_NEAR(added(2), 16, 1e-9);
    EXPECT_NEAR(added(4), 8, 1e-9);
    EXPECT_NEAR(added(5), 10, 1e-9);
}

TEST(BvhTest, BrokenTextIsRefusedWithItsLine) {
    const std::string good =
        small("3 Xposition Yposition Zposition", "3 Zrotation Xrotation Yrotation", "1 2 3 0 0 0");
    struct Case {
        std::string from, to, part;
    };
    const Case cases[] = {
        {"HIERARCHY", "HIERACHY", "legs.bvh:1"},
        {"Zrotation", "Wrotation", "legs.bvh:9"},
        {"Xposition Yposition", "Xposition Xposition", "once per joint"},
        {"OFFSET 0 -4 0", "OFFSET 0 x 0", "\"x\""},
        {"OFFSET 0 -4 0", "OFFSET 0 nan 0", "finite number"},
        {"CHANNELS 3 Z", "CHANNELS 9 Z", "0 to 6 channels"},
        {"Frames: 1", "Frames: 2", "2 frames"},
        {"Frames: 1", "Frames: 900000000", "frames declared"},
        {"Frames: 1", "Frames: 0", "at least one frame"},
        {"Time: 0.0333333", "Time: 0", "frame time"},
        {"Time: 0.0333333", "Time: -1", "frame time"},
        {"1 2 3 0 0 0", "1 2 3 0 0", "end of the file"},
        {"1 2 3 0 0 0", "1 2 3 0 0 inf", "\"inf\""},
        {"ROOT Hips", "ROOT", "a name"},
    };
    for (const Case& c : cases) {
        std::string text = good;
        text.replace(text.find(c.from), c.from.size(), c.to);
        EXPECT_THAT(read_bvh(text, "legs.bvh"), FailsWith(Code::kBvhBroken, c.part)) << c.to;
    }
}

TEST(BvhTest, DepthIsLimited) {
    std::string text = "HIERARCHY ROOT r { OFFSET 0 0 0 CHANNELS 0 ";
    for (int i = 0; i < 5000; ++i) text += "JOINT j\n{ OFFSET 0 0 0 CHANNELS 0 ";
    EXPECT_THAT(read_bvh(text, "deep.bvh"), FailsWith(Code::kLimit, "levels"));
}

TEST(BvhTest, EveryTruncationAndFlippedBitIsReadOrRefused) {
    const std::string good =
        small("3 Xposition Yposition Zposition", "3 Zrotation Xrotation Yrotation",
              "1 2 3 40 50 60\n4 5 6 70 80 90", 2);
    const auto check = [](const std::vector<std::uint8_t>& bytes) {
        const auto read =
            read_bvh({reinterpret_cast<const char*>(bytes.data()), bytes.size()}, "x.bvh");
        if (!read.ok()) {
            EXPECT_FALSE(read.failure().expected.empty());
            return;
        }
        for (const Timeline& t : read.value().scene.timelines) pose_at(read.value().scene, t, 0.01);
    };
    test::for_each_truncation(test::text_bytes(good), check);
    test::for_each_bit_flip(test::text_bytes(good), check);
}

}  // namespace
}  // namespace mellow
