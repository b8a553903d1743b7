// What pictures show, pixel by pixel: figures upright, near before far, whole, of their colours, at
// their times; ways of joints on their side; bars, frames and notches where they belong.
#include <png.h>

#include <algorithm>
#include <cmath>

#include "mellow/pictures.h"
#include "support.h"

namespace mellow::pixel_test {
namespace {

using namespace test;

/// A PNG, taken apart by its own library.
struct Pixels {
    explicit Pixels(const Png& png) {
        png_image image{};
        image.version = PNG_IMAGE_VERSION;
        EXPECT_TRUE(png_image_begin_read_from_memory(&image, png.data(), png.size()));
        image.format = PNG_FORMAT_RGB;
        width = static_cast<int>(image.width), height = static_cast<int>(image.height);
        bytes.resize(PNG_IMAGE_SIZE(image));
        EXPECT_TRUE(png_image_finish_read(&image, nullptr, bytes.data(), 0, nullptr));
    }
    std::array<int, 3> at(int x, int y) const {
        const std::size_t i = 3 * static_cast<std::size_t>(y * width + x);
        return {bytes.at(i), bytes.at(i + 1), bytes.at(i + 2)};
    }
    /// Places of the pixels of about this colour.
    std::vector<std::array<int, 2>> of(const std::array<double, 3>& color) const {
        std::vector<std::array<int, 2>> out;
        for (int y = 0; y < height; ++y)
            for (int x = 0; x < width; ++x) {
                bool is = true;
                for (std::size_t c = 0; c < 3; ++c)
                    is = is && std::abs(at(x, y)[c] - 255 * color[c]) < 2;
                if (is) out.push_back({x, y});
            }
        return out;
    }
    int width = 0, height = 0;
    std::vector<std::uint8_t> bytes;
};

// Of drawings, as docs/screenshots shows them: dark blue lines, ink, paper.
constexpr std::array<double, 3> kBlue{0.10, 0.20, 0.45}, kInk{0.20, 0.19, 0.17};

/// Triangles, each of one colour, on a chain of two joints.
class Sheet {
  public:
    Sheet() {
        scene.nodes.push_back({});
        scene.nodes.back().name = "body", scene.nodes.back().mesh = 0;
        scene.roots.push_back(2);
        scene.meshes.push_back({"body", {}, {}, {}, "", ""});
        motion = chain_scene(2, 1);
        motion.timelines.push_back({"c", {}, {}, {}, {}});
        clip.scene = &motion, clip.samples = 3, clip.rate = {1, 1}, clip.lines = {"c"};
    }
    void triangle(const Float4& color, const std::vector<Float3>& corners) {
        Primitive part;
        part.positions = corners;
        part.material = static_cast<int>(scene.materials.size());
        scene.meshes[0].primitives.push_back(part);
        scene.materials.push_back({"m", color, kNone, ""});
    }
    Pixels drawn(int sample = 0,
                 const PoseOptions& options = {ViewFrom::kFront, 100, 100, "", 0.5}) {
        const auto png = draw_pose(scene, clip, sample, options);
        EXPECT_THAT(png, IsOk());
        return Pixels(png.value());
    }
    Scene scene = chain_scene(2, 1), motion;
    SheetClip clip;
};

TEST(PixelTest, FiguresStandUprightWholeAndNearIsBeforeFar) {
    // From the front its left, +X, is at the right: red up, green down at the left, blue behind
    // both.
    for (const bool far_first : {true, false}) {
        Sheet sheet;
        const auto far = [&] {
            sheet.triangle({0, 0, 1, 1}, {{-1, 0, -1}, {1, 0, -1}, {0, 2, -1}});
        };
        if (far_first) far();
        sheet.triangle({1, 0, 0, 1}, {{-0.5F, 1, 0}, {0.5F, 1, 0}, {0, 2, 0}});
        sheet.triangle({0, 1, 0, 1}, {{-1, 0, 0}, {0, 0, 0}, {-0.5F, 1, 0}});
        if (!far_first) far();
        const Pixels p = sheet.drawn();
        const auto main = [](const std::array<int, 3>& c) {
            return std::max_element(c.begin(), c.end()) - c.begin();
        };
        EXPECT_EQ(main(p.at(50, 25)), 0) << "red is up, and before blue";
        EXPECT_EQ(main(p.at(27, 85)), 1) << "green is down, at the left of the picture";
        EXPECT_EQ(main(p.at(73, 85)), 2) << "blue is seen where nothing stands before it";
        // 2 x 2 units in 92 of 100 pixels: from 4 to 96 on all sides.
        EXPECT_EQ(main(p.at(6, 95)), 1);
        EXPECT_EQ(main(p.at(93, 95)), 2);
        const auto paper = p.at(0, 0);
        EXPECT_EQ(p.at(2, 95), paper);
        EXPECT_EQ(p.at(98, 95), paper);
        EXPECT_NE(p.at(50, 6), paper);
        EXPECT_EQ(p.at(50, 2), paper);
    }
}

TEST(PixelTest, TexturesAreSeenThroughTheColourOfTheirMaterial) {
    // A white picture of one pixel, under a colour that takes half of the green away.
    std::vector<std::uint8_t> white(200);
    png_image image{};
    image.version = PNG_IMAGE_VERSION, image.width = image.height = 1;
    image.format = PNG_FORMAT_RGB;
    const std::uint8_t pixel[3] = {255, 255, 255};
    png_alloc_size_t size = white.size();
    ASSERT_TRUE(png_image_write_to_memory(&image, white.data(), &size, 0, pixel, 0, nullptr));
    white.resize(size);
    Sheet sheet;
    sheet.triangle({1, 0.5F, 1, 1}, {{-1, 0, 0}, {1, 0, 0}, {0, 2, 0}});
    sheet.scene.images.push_back({"white", "image/png", Bytes(white.begin(), white.end()), "", ""});
    sheet.scene.materials[0].base_image = 0;
    sheet.scene.meshes[0].primitives[0].others.push_back(
        {"TEXCOORD_0", 2, Component::kFloat, false, std::vector<std::uint8_t>(24, 0)});
    const auto c = sheet.drawn().at(50, 60);
    EXPECT_NEAR(c[1], c[0] / 2.0, 2);
    EXPECT_EQ(c[0], c[2]);
}

TEST(PixelTest, PosesAreThoseOfTheirTimeAndMayBeLookedAtFromNear) {
    // The figure moves a metre to its left each second, the clip begins at second 1.
    Sheet sheet;
    sheet.triangle({1, 0, 0, 1}, {{-1, 0, 0}, {1, 0, 0}, {0, 2, 0}});
    sheet.scene.nodes[2].parent = 0, sheet.scene.roots = {0};
    sheet.motion.timelines[0].channels.push_back(
        {0, Path::kTranslation, {Interpolation::kLinear, 3, {0, 4}, {0, 0, 0, 4, 0, 0}}});
    sheet.clip.begin = 1;
    // Around n0 as it is at sample 2, three metres to the left; n1 is one above it.
    const Pixels whole = sheet.drawn(2, {ViewFrom::kFront, 100, 100, "n0", 1});
    EXPECT_NE(whole.at(50, 40), whole.at(0, 0));
    EXPECT_NE(whole.at(15, 48), whole.at(0, 0)) << "its foot is in the middle";
    EXPECT_EQ(whole.at(50, 60), whole.at(0, 0)) << "nothing is below its feet";
    const Pixels near = sheet.drawn(2, {ViewFrom::kFront, 100, 100, "n1", 0.25});
    for (const int at : {1, 50, 98})
        EXPECT_EQ(near.at(at, 90)[1], 0) << "nothing but red body is so near";
    // A body that stands where it is, while n0 is three metres away at that time.
    sheet.scene.nodes[2].parent = kNone, sheet.scene.roots = {0, 2};
    const Pixels away = sheet.drawn(2, {ViewFrom::kFront, 100, 100, "n0", 1.5});
    for (int x = 0; x < 100; ++x) EXPECT_EQ(away.at(x, 45), away.at(0, 0)) << x;
    // In a narrow picture it is as whole as in a wide one.
    const Pixels narrow = sheet.drawn(0, {ViewFrom::kFront, 50, 100, "", 1});
    EXPECT_NE(narrow.at(25, 71), narrow.at(0, 0));
    EXPECT_EQ(narrow.at(25, 75), narrow.at(0, 0));
    const auto nowhere = draw_pose(sheet.scene, sheet.clip, 0, {ViewFrom::kFront, 9, 9, "x", 1});
    EXPECT_THAT(nowhere, test::FailsWith(Code::kNameUnknown, "no joint \"x\""));
    // Skeletons without a mesh: the way from the root to the hips is no limb.
    Scene bare = chain_scene(3, 1);
    const auto png = draw_pose(bare, sheet.clip, 0, {ViewFrom::kFront, 100, 100, "n1", 1.1});
    ASSERT_THAT(png, IsOk());
    const Pixels bones(png.value());
    EXPECT_NE(bones.at(50, 40), bones.at(0, 0)) << "from n1 to n2";
    EXPECT_EQ(bones.at(50, 70), bones.at(0, 0)) << "from n0 to n1";
}

TEST(PixelTest, WaysOfJointsLieInTheirPanels) {
    // A metre to the left, then 0.2 ahead; a dot marks where it begins.
    Sheet sheet;
    sheet.motion.timelines[0].channels.push_back(
        {0,
         Path::kTranslation,
         {Interpolation::kLinear, 3, {0, 1, 2}, {0, 0, 0, 1, 0, 0, 1, 0, 0.2}}});
    sheet.clip.begin = 0;
    const auto png = draw_trails("t", sheet.scene, sheet.clip, {"n0"});
    ASSERT_THAT(png, IsOk());
    const Pixels p(png.value());
    int left = 10000, right = 0, top = 10000, low = 0, start_x = 0, most = 0;
    std::map<int, int> high;
    for (const auto& [x, y] : p.of(kBlue)) {
        if (x > p.width / 2 || y > p.height - 90 - 20 + 64) continue;  // the left panel, no legend
        left = std::min(left, x), right = std::max(right, x);
        top = std::min(top, y), low = std::max(low, y);
        ++high[x];
    }
    for (const auto& [x, n] : high)
        if (x > (left + right) / 2 && n > most) most = n, start_x = x;
    EXPECT_GT(left, 20 + 20);
    EXPECT_LT(right, 20 + p.width / 2 - 24 - 20);
    EXPECT_GT(right - left, 5 * (low - top) - 40) << "a metre to 0.2, but for dots";
    EXPECT_LT(right - left, 6 * (low - top));
    EXPECT_GT(low - top, 60);
    EXPECT_GE(most, 9) << "the dot of the beginning is at the right";
    EXPECT_GT(start_x, right - 12);
    // It goes on ahead, which is up, at the left end.
    int ahead = 0;
    for (int x = left; x < left + 12; ++x) ahead = std::max(ahead, high[x]);
    EXPECT_GT(ahead, high[(left + right) / 2] + 40);
}

TEST(PixelTest, WhatHasNoSurfaceIsNotDrawn) {
    for (const Topology topology : {Topology::kPoints, Topology::kLines, Topology::kLineStrip}) {
        Sheet sheet;
        sheet.triangle({1, 0, 0, 1}, {{-1, 0, 0}, {1, 0, 0}, {0, 2, 0}});
        const Pixels without = sheet.drawn();
        sheet.triangle({0, 1, 0, 1}, {{-3, 0, 0}, {3, 0, 0}, {0, 4, 0}});
        sheet.scene.meshes[0].primitives[1].topology = topology;
        EXPECT_EQ(sheet.drawn().bytes, without.bytes);
    }
}

TEST(PixelTest, TicksOfTheGroundStandAtRoundPlaces) {
    // From the front: a root that goes 0.33 to 1.03 metres to the left, a metre above the ground.
    Sheet sheet;
    sheet.triangle({0, 0, 1, 1}, {{-0.25F, 0, 0}, {0.25F, 0, 0}, {0, 2, 0}});
    sheet.motion.timelines[0].channels.push_back(
        {0, Path::kTranslation, {Interpolation::kLinear, 3, {0, 2}, {0.33, 1, 0, 1.03, 1, 0}}});
    SheetOptions options;
    options.from = ViewFrom::kFront, options.poses = 2;
    const auto png = draw_sheet("t", sheet.scene, {sheet.clip}, options);
    ASSERT_THAT(png, IsOk());
    const Pixels p(png.value());
    constexpr std::array<double, 3> kGround{0.47, 0.56, 0.33}, kDot{0.72, 0.22, 0.16};
    // The ground is the row with most of its colour; cells lie between the two panels.
    const int left = 216, right = p.width - 248, middle = (left + right) / 2;
    std::map<int, int> rows;
    for (const auto& [x, y] : p.of(kGround)) rows[y] += x > left && x < right ? 1 : 0;
    const int ground = std::max_element(rows.begin(), rows.end(), [](auto& a, auto& b) {
                           return a.second < b.second;
                       })->first;
    for (const bool second : {false, true}) {
        const int from = second ? middle + 3 : left + 1, to = second ? right : middle - 3;
        // Lines are smooth: a tick is where its ink is on the whole.
        const auto paper = p.at(from, ground + 25);
        std::vector<double> ticks;
        double ink = 0, at = 0;
        for (int x = from; x < to; ++x) {
            const double dark = paper[2] - p.at(x, ground + 4)[2];
            if (dark > 4) {
                ink += dark, at += dark * (x + 0.5);
            } else if (ink > 0) {
                ticks.push_back(at / ink);
                ink = at = 0;
            }
        }
        ASSERT_GE(ticks.size(), 3U);
        double dot = 0, n = 0;
        for (const auto& [x, y] : p.of(kDot))
            if (x >= from && x < to && y < ground) dot += x + 0.5, n += 1;
        ASSERT_GT(n, 10);
        dot /= n;
        // The figure is two metres high.
        int top = ground;
        for (int y = 0; y < ground; ++y)
            for (int x = from; x < to; ++x)
                if (const auto c = p.at(x, y); c[2] > c[0] + 60) top = std::min(top, y);
        const double apart =
                         (ticks.back() - ticks.front()) / (static_cast<double>(ticks.size()) - 1),
                     metre = (ground - top) / 2.0;
        double step = 0;
        for (const double nice : {0.05, 0.1, 0.2, 0.25, 0.5, 1.0})
            if (std::abs(apart / metre / nice - 1) < 0.03) step = nice;
        ASSERT_GT(step, 0) << apart / metre;
        const double root = second ? 1.03 : 0.33;
        const double place = (root + (ticks[1] - dot) / apart * step) / step;
        EXPECT_NEAR(place, std::round(place), 0.05) << root << ", " << place * step;
    }
}

TEST(PixelTest, ChartsMarkWhatTheySay) {
    const auto strip = [](bool loop) {
        return Pixels(draw_strip("t", {{"day", 0, 100, {{"c", 10, 60, loop}}, {}}}));
    };
    EXPECT_EQ(strip(false).of(kBlue).size(), strip(true).of(kBlue).size() + 30)
        << "a notch of 5 x 6 pixels";
    // A line of the tree lies to the right of the one above it.
    const auto edge = [](int depth) {
        const auto blue =
            Pixels(draw_tree("t", {{0, "a", "helper"}, {depth, "b", "deform"}})).of(kBlue);
        int left = 10000;
        for (const auto& [x, y] : blue) left = std::min(left, x);
        return left;
    };
    EXPECT_EQ(edge(2) - edge(0), 28) << "14 a level";
    // Two states, one above the other: that which is the start has a frame more.
    const auto framed = [](int start) {
        const Pixels p(draw_states("t", {"a", "b"}, start, {}));
        int upper = 0, lower = 0;
        for (const auto& [x, y] : p.of(kInk))
            if (x < p.width - 420 && y > 70) ++(y < p.height / 2 + 24 ? upper : lower);
        return upper - lower;
    };
    EXPECT_GT(framed(0), 300);
    EXPECT_LT(framed(1), -300);
    // The largest file has the whole bar.
    const Pixels sizes(draw_sizes("t", {{"a", 10}, {"b", 1000}, {"c", 500}}));
    std::vector<int> bars;
    for (const int row : {84, 106, 128}) {
        int n = 0;
        for (const auto& [x, y] : sizes.of(kBlue)) n += y == row ? 1 : 0;
        bars.push_back(n);
    }
    EXPECT_EQ(bars[0], sizes.width - 330 - 150);
    EXPECT_NEAR(bars[1], bars[0] / 2.0, 1);
    EXPECT_NEAR(bars[2], bars[0] / 100.0, 1);
    // What has no room is told by its own bytes, whatever those that are shown have.
    const auto rest = [](std::uint64_t shown, std::uint64_t hidden) {
        std::vector<std::pair<std::string, std::uint64_t>> files;
        for (int i = 0; i < 36; ++i) files.emplace_back("f", i < 31 ? shown : hidden);
        const Pixels p(draw_sizes("t", files));
        const auto row = [&](int y) { return p.bytes.begin() + 3 * y * p.width; };
        return std::vector<std::uint8_t>(row(756), row(776));
    };
    EXPECT_EQ(rest(1000, 3), rest(2000, 3));
    EXPECT_NE(rest(1000, 3), rest(1000, 4));
}

}  // namespace
}  // namespace mellow::pixel_test
