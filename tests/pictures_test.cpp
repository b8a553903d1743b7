// Pictures: that they are there in the size that is asked for, differ where they should, and refuse
// what they cannot draw. What is on them is looked at by people.
#include <fmt/format.h>

#include <regex>

#include "mellow/crate.h"
#include "mellow/pictures.h"
#include "mellow/read.h"
#include "mellow/write.h"
#include "packing.h"
#include "rigs.h"
#include "support.h"

namespace mellow {
namespace {

using namespace test;
using test::read_text;
using testing::HasSubstr;

/// Width and height in the header of a PNG (PNG specification, 11.2.2).
std::pair<unsigned, unsigned> size_of(const std::string& png) {
    const auto number = [&](std::size_t at) {
        unsigned v = 0;
        for (std::size_t i = 0; i < 4; ++i) v = v << 8 | static_cast<unsigned char>(png[at + i]);
        return v;
    };
    EXPECT_EQ(png.substr(1, 3), "PNG");
    return {number(16), number(20)};
}

class PictureTest : public testing::Test {
  protected:
    void SetUp() override {
        test::write_files(folder_.path(), test::tamsin());
        ASSERT_THAT(test::pack_text(folder_, read_text(folder_ / "tamsin.recipe.toml"), true),
                    IsOk());
    }
    std::string path(const std::string& name) const {
        return "'" + (folder_ / name).string() + "'";
    }
    /// What `view INPUT OPTIONS` draws.
    std::string draw(const std::string& input, const std::string& options) const {
        const auto run =
            run_tool("view " + path(input) + " -o " + path("p.png") + " --replace " + options);
        EXPECT_EQ(run.exit, 0) << options << run.err;
        return run.exit == 0 ? read_text(folder_ / "p.png") : std::string(32, ' ');
    }
    void refuse(const std::string& input, const std::string& options, int exit,
                const std::string& part) const {
        const auto run = run_tool("view " + path(input) + " -o " + path("no.png") + " " + options);
        EXPECT_EQ(run.exit, exit) << options << run.out;
        EXPECT_THAT(run.err, HasSubstr(part)) << options;
        EXPECT_FALSE(std::filesystem::exists(folder_ / "no.png")) << options;
    }
    TempFolder folder_;
};

TEST_F(PictureTest, EveryKindHasItsSizeAndNoTwoAreAlike) {
    std::set<std::string> all;
    int count = 0;
    const auto drawn = [&](const std::string& input, const std::string& options) {
        const std::string png = draw(input, options + " --size 900x700");
        // What holds little is no higher than that.
        const bool listed = std::regex_search(options, std::regex("tree|timeline|sizes"));
        EXPECT_EQ(size_of(png).first, 900U) << options;
        EXPECT_EQ(size_of(png).second == 700U, !listed) << options << size_of(png).second;
        all.insert(png);
        ++count;
    };
    for (const char* from : {"side", "front", "top", "quarter"})
        drawn("crates/tamsin", fmt::format("--match walk --from {}", from));
    drawn("crates/tamsin", "--match walk --poses 3");
    drawn("crates/tamsin", "--match walk --range 114..120");
    for (const char* what : {"trail", "loop", "curves"})
        drawn("crates/tamsin", fmt::format("--match walk --what {}", what));
    drawn("crates/tamsin", "--match walk --what curves --joints hand.L,head");
    drawn("crates/tamsin/clips/walk.glb", "");
    drawn("tamsin.glb", "--what tree");
    drawn("tamsin.recipe.toml", "--what timeline");
    drawn("tamsin.glb", "--what timeline");
    drawn("crates/tamsin", "--what sizes");
    EXPECT_EQ(all.size(), static_cast<std::size_t>(count));
    EXPECT_EQ(draw("crates/tamsin", "--what timeline --size 900x700"),
              draw("crates/tamsin", "--what timeline --size 900x700"));
    // A recipe is its crate; the default is 1280 x 800.
    EXPECT_EQ(draw("tamsin.recipe.toml", "--match walk"),
              draw("crates/tamsin", "--match walk --size 1280x800"));
}

TEST_F(PictureTest, ManyClipsGoOnOnFurtherPages) {
    Scene scene;
    scene.rate = {30, 1};
    scene.rate_known = true;
    const int root = test::add_node(scene, "root", kNone, {});
    const int tip = test::add_node(scene, "tip", root, {{0, 1, 0}, {}, {1, 1, 1}});
    test::add_node(scene, "end", tip, {{0, 1, 0}, {}, {1, 1, 1}});
    test::key_turn(scene, tip, {}, test::turn(test::kX, 40));
    for (int i = 1; i < 45; ++i) scene.timelines.push_back(scene.timelines[0]);
    for (std::size_t i = 0; i < 45; ++i) scene.timelines[i].name = fmt::format("clip_{}", i);
    const auto glb = write_glb(scene);
    test::write_text(folder_ / "many.glb", {glb.begin(), glb.end()});
    EXPECT_EQ(size_of(draw("many.glb", "")).second, 56U + 40 * 240 + 24);
    EXPECT_EQ(size_of(read_text(folder_ / "p_2.png")).second, 56U + 5 * 240 + 24);
    EXPECT_FALSE(std::filesystem::exists(folder_ / "p_3.png"));
}

TEST_F(PictureTest, WhatCannotBeDrawnIsRefused) {
    refuse("crates/tamsin", "--size 12x", 2, "WIDTHxHEIGHT");
    refuse("crates/tamsin", "--poses 99", 2, "1 to 64");
    refuse("crates/tamsin", "--from below", 2, "quarter");
    refuse("crates/tamsin", "--what tee", 2, "tree");
    refuse("crates/tamsin", "--range 8", 2, "108..132");
    refuse("crates/tamsin", "--range 0..10 --match walk", 3, "within 108..132");
    refuse("crates/tamsin", "--what trail", 2, "--match");
    refuse("crates/tamsin", "--match walk --what trail --joints fot.L", 3, "foot.L");
    refuse("crates/tamsin", "--match run", 3, "stand, walk, pick");
    refuse("tamsin.rig.toml", "--what states", 3, "start");
    std::filesystem::remove_all(folder_ / "crates");
    refuse("tamsin.recipe.toml", "", 3, "mellow pack");
}

TEST_F(PictureTest, ThumbnailsAreInTheCrateAsTheRecipeSays) {
    const std::string recipe =
        test::change(read_text(folder_ / "tamsin.recipe.toml"), "[output]",
                     "[output]\nthumbnails = { size = \"120x90\", from = \"front\" }");
    ASSERT_THAT(test::pack_text(folder_, recipe, true), IsOk());
    const auto thumb = [&](const char* clip) {
        return read_text(folder_ / "crates/tamsin/thumbs" / (std::string(clip) + ".png"));
    };
    EXPECT_EQ(size_of(thumb("walk")), (std::pair<unsigned, unsigned>{120, 90}));
    EXPECT_NE(thumb("walk"), thumb("pick"));
    const std::string walk = thumb("walk"), pick = thumb("pick");
    EXPECT_THAT(read_text(folder_ / "crates/tamsin/crate.json"),
                HasSubstr("\"file\": \"thumbs/walk.png\""));
    // Nothing is stale; then one clip's moment is another, and only its picture changes.
    EXPECT_TRUE(test::pack_text(folder_, recipe, true).value().unchanged);
    ASSERT_THAT(
        test::pack_text(folder_,
                        test::change(recipe, "name = \"pick\"", "name = \"pick\"\nthumbnail = 0"),
                        true),
        IsOk());
    EXPECT_EQ(thumb("walk"), walk);
    EXPECT_NE(thumb("pick"), pick);
    // A plan names every file that is written; a lost picture is made again.
    PackOptions options;
    options.replace = true;
    const auto plan =
        plan_pack(parse_recipe(recipe, "tamsin.recipe.toml", folder_.path()).value(), options);
    std::set<std::string> planned;
    for (const PlannedFile& file : plan.value().files)
        planned.insert(file.path.filename().string());
    EXPECT_TRUE(planned.contains("stand.png"));
    std::filesystem::remove(folder_ / "crates/tamsin/thumbs/stand.png");
    ASSERT_THAT(test::pack_text(folder_, recipe, true), IsOk());
    EXPECT_EQ(size_of(thumb("stand")).first, 120U);
    for (const auto& [from, to, code, part] :
         {std::tuple("120x90", "9x9", Code::kValueBad, "WIDTHxHEIGHT"),
          {"\"front\"", "\"below\"", Code::kValueBad, "quarter"},
          {"from = \"front\"", "around = \"haed\"", Code::kNameUnknown, "head"},
          {"from = \"front\"", "around = \"haed\"", Code::kNameUnknown, "[output], thumbnails"},
          {"from = \"front\"", "reach = 2", Code::kKeyMissing, "around"}})
        EXPECT_THAT(test::pack_text(folder_, test::change(recipe, from, to), true),
                    FailsWith(code, part));
    const std::string near =
        test::change(recipe, "from = \"front\"", "around = \"head\", reach = 0.2");
    ASSERT_THAT(test::pack_text(folder_, near, true), IsOk());
    EXPECT_NE(thumb("walk"), walk);
}

/// Strips put what overlaps below each other, and are as high as that needs.
TEST(ChartTest, StripsGrowWithTheirLines) {
    const auto high = [](int overlapping) {
        StripRow row{"day", 0, 100, {}, {}};
        for (int i = 0; i < overlapping; ++i) row.spans.push_back({"c", 0.0 + i, 50.0 + i, false});
        SheetOptions options;
        options.height = 320;
        const Png png = draw_strip("t", {row}, options);
        return size_of({png.begin(), png.end()}).second;
    };
    EXPECT_LT(high(1), 200U) << "no higher than what it holds";
    EXPECT_GT(high(20), 500U);
    EXPECT_EQ(high(30) - high(20), 260U) << "26 pixels a line";
}

}  // namespace
}  // namespace mellow
