// Recipes: what is read, and what each mistake is told.
#include <fmt/format.h>

#include "mellow/recipe.h"
#include "packing.h"
#include "support.h"

namespace mellow {
namespace {

using namespace test;

const std::string kLeast =
    "[source]\nfile = \"a.glb\"\n[output]\nfolder = \"out\"\n[[clip]]\nname = \"walk\"\nrange = "
    "[0, 24]\n";

Result<Recipe> parse(const std::string& text) {
    return parse_recipe(text, "a.recipe.toml", "/data");
}

TEST(RecipeTest, EveryMistakeIsToldWithItsPlace) {
    struct Case {
        std::string from, to;
        Code code;
        const char* part;
    };
    const Case cases[] = {
        {"[source]\nfile", "[source]\nfiel", Code::kKeyUnknown, "\"file\""},
        {"file = \"a.glb\"", "file = \"a.glb\"\nstrip_prefx = \"x\"", Code::kKeyUnknown,
         "strip_prefix"},
        {"file = \"a.glb\"", "file = 3", Code::kValueBad, "a.recipe.toml:2"},
        {"file = \"a.glb\"", "file = \"a.glb\"\nunit = \"cubit\"", Code::kValueBad, "cubit"},
        {"file = \"a.glb\"", "file = \"a.glb\"\nunit = -1", Code::kValueBad, "metres per unit"},
        {"file = \"a.glb\"", "file = \"a.glb\"\nup = \"Z\"", Code::kValueBad, "+Z"},
        {"file = \"a.glb\"", "file = \"a.glb\"\nup = \"+Z\"", Code::kValueBad, "along one line"},
        {"file = \"a.glb\"", "file = \"a.glb\"\nrate = 0", Code::kValueBad, "frames per second"},
        {"[output]", "[target]\nconvention = \"y-down\"\n[output]", Code::kValueBad,
         "z-up-centimetre"},
        {"[output]", "[target]\nloop_form = \"half\"\n[output]", Code::kValueBad, "closed, open"},
        {"[output]", "[outptu]", Code::kKeyUnknown, "output"},
        {"folder = \"out\"", "folder = \"out\"\nname = \"../x\"", Code::kValueBad, "file name"},
        {"folder = \"out\"", "folder = \"out\"\npicture = \"yes\"", Code::kValueBad,
         "true or false"},
        {"name = \"walk\"", "name = \"walk cycle\"", Code::kValueBad, "walk cycle"},
        {"name = \"walk\"", "name = \"\"", Code::kValueBad, "a text that says it"},
        {"name = \"walk\"\n", "", Code::kKeyMissing, "\"name\""},
        {"range = [0, 24]\n", "", Code::kKeyMissing, "\"range\""},
        {"range = [0, 24]", "range = [0, 24, 48]", Code::kValueBad, "[first, last]"},
        {"range = [0, 24]", "range = [0, 24.5]", Code::kValueBad, "whole frame numbers"},
        {"range = [0, 24]", "range = [0, 1e300]", Code::kValueBad, "whole frame numbers"},
        {"range = [0, 24]", "range = \"0-24\"", Code::kValueBad, "a.recipe.toml:7"},
        {"range = [0, 24]", "range = [0, 24]\ntravel = [\"sky\"]", Code::kValueBad,
         "ground, height, heading"},
        {"range = [0, 24]", "range = [0, 24]\nloop = 1", Code::kValueBad, "true or false"},
        {"range = [0, 24]", "range = [0, 24]\n[[clip]]\nname = \"WALK\"\nrange = [0, 2]",
         Code::kNameClash, "WALK"},
        {"range = [0, 24]", "range = [0, 24]\n[proof]\ntolerance_mm = 0", Code::kValueBad,
         "above 0"},
        {"range = [0, 24]", "range = [0, 24", Code::kTomlBroken, "a.recipe.toml:7"},
        {"[[clip]]\nname = \"walk\"\nrange = [0, 24]\n", "", Code::kKeyMissing, "[[clip]]"},
        {"[[clip]]", "[clip]", Code::kValueBad, "[[clip]]"},
    };
    for (const Case& c : cases) {
        std::string text = kLeast;
        ASSERT_NE(text.find(c.from), std::string::npos) << c.from;
        text.replace(text.find(c.from), c.from.size(), c.to);
        EXPECT_THAT(parse(text), FailsWith(c.code, c.part)) << c.to;
    }
}

/// Of all mistakes: their codes and lines, in the order of the text.
std::vector<std::string> mistakes(const std::string& text) {
    std::vector<std::string> out;
    const auto parsed = parse(text);
    if (parsed) return out;
    for (const Finding& f : parsed.failures())
        out.push_back(fmt::format("{} {} {}", name(f.code),
                                  Place::in(f.where.file, f.where.line).text(), f.found));
    return out;
}

TEST(RecipeTest, AllMistakesAreToldAtOnce) {
    EXPECT_THAT(
        mistakes(
            "[sorce]\nfile = \"a.glb\"\n[output]\nnme = \"x\"\nfolder = 1\n[[clip]]\nname = \"a "
            "b\"\nrange = [0, 1]\nloop = 2\n[[clip]]\nname = \"c\"\nrange = [0, 1]\n[[clip]]\nname "
            "= \"C\"\nrange = [1]\n"),
        testing::ElementsAre("key-unknown a.recipe.toml:1 unknown key \"sorce\"",
                             "key-unknown a.recipe.toml:4 unknown key \"nme\"",
                             "value-bad a.recipe.toml:5 1", "value-bad a.recipe.toml:7 \"a b\"",
                             "value-bad a.recipe.toml:9 2",
                             "name-clash a.recipe.toml:14 a second clip named \"C\"",
                             "value-bad a.recipe.toml:15 [1]"));
}

/// What only follows from a mistyped key is not said beside it.
TEST(RecipeTest, TheTypingErrorIsWhatIsNamed) {
    const std::string block =
        kLeast +
        "[[arrangement]]\nname = \"s\"\n[[arrangement.block]]\nrange = [0, 9]\nstart = 0\n";
    EXPECT_THAT(mistakes(block + "weigths = [[0, 0], [9, 1]]\nshape = \"smooth\"\n"),
                testing::ElementsAre("key-unknown a.recipe.toml:13 unknown key \"weigths\""));
    EXPECT_THAT(mistakes(block + "shape = \"smooth\"\n"),
                testing::ElementsAre("key-missing a.recipe.toml:13 no key \"weights\""));
    // What was called otherwise before is told as it is called now.
    const auto former =
        parse_recipe(change(block, "[[arrangement]]", "[[strip]]"), "a.recipe.toml", {});
    EXPECT_THAT(former, FailsWith(Code::kKeyUnknown, "\"arrangement\", as it is called now"));
    const auto shape = parse_recipe(
        change(block, "name = \"s\"", "name = \"s\"\nblend = \"linear\""), "a.recipe.toml", {});
    EXPECT_THAT(shape, FailsWith(Code::kKeyUnknown, "\"blend_shape\", as it is called now"));
    std::string text = kLeast;
    text.replace(text.find("folder"), 6, "foldr");
    EXPECT_THAT(mistakes(text),
                testing::ElementsAre("key-unknown a.recipe.toml:4 unknown key \"foldr\""));
}

TEST(RecipeTest, EveryTruncationAndFlippedBitIsReadOrRefused) {
    const auto check = [](const std::vector<std::uint8_t>& bytes) {
        const auto parsed = parse({bytes.begin(), bytes.end()});
        if (parsed.ok()) return;
        EXPECT_EQ(parsed.failure().where.file, "a.recipe.toml");
    };
    test::for_each_truncation(test::text_bytes(kLeast), check);
    test::for_each_bit_flip(test::text_bytes(kLeast), check);
}

}  // namespace
}  // namespace mellow
