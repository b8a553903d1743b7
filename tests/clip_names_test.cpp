// Which files and timelines become clips, and what these are called.
#include <cmath>
#include <filesystem>

#include "rigs.h"
#include "small_figure.h"

namespace mellow::clip_names_test {
namespace {

using namespace test;
using testing::ElementsAre;
using testing::HasSubstr;
using testing::UnorderedElementsAre;

class ClipNamesTest : public SmallFigure {
  protected:
    void SetUp() override {
        for (const char* made : {"nest", "far"}) std::filesystem::create_directory(folder_ / made);
        write_bytes(folder_ / "figure.glb", figure({going(24, 0.1)}));
        double metres = 0.2;
        for (const char* name : {"a 1", "walk_old", "walk_new", "run"})
            write_bytes(folder_ / "nest" / (std::string(name) + ".glb"),
                        figure({going(24, metres += 0.1)}));
    }
    Result<PackReport> pack(const std::string& clips) {
        return pack_text(folder_,
                         "[figure]\nfile = \"figure.glb\"\n[[source]]\nname = \"m\"\nfile = "
                         "\"nest/*.glb\"\n[output]\nfolder = \"out\"\npicture = false\n[target]\n"
                         "rate = 24\n" +
                             clips,
                         true);
    }
    static std::vector<std::string> names(const PackReport& report) {
        std::vector<std::string> out;
        for (const PackedClip& packed : report.clips) out.push_back(packed.clip.name);
        return out;
    }
};

TEST_F(ClipNamesTest, ListsExceptionsAndOtherNames) {
    const auto report = pack(
        "[[clips]]\nsource = \"m\"\nmatch = [\"walk_*\", \"a*\"]\nexcept = \"*_old\"\n"
        "[clip_names]\n\"a 1\" = \"hop/first\"\n\"walk_*\" = \"*\"\n\"wlak_new\" = \"x\"\n");
    ASSERT_THAT(report, IsOk());
    EXPECT_THAT(names(report.value()), UnorderedElementsAre("hop/first", "new"));
    EXPECT_TRUE(std::filesystem::exists(folder_ / "out/clips/hop/first.glb"));
    const Findings idle = of_code(report.value(), Code::kNoEffect);
    ASSERT_EQ(idle.size(), 1U) << "each of the others had its effect";
    EXPECT_THAT(idle[0].found, HasSubstr("wlak_new"));
    EXPECT_THAT(of_code(report.value(), Code::kDefaultName), testing::IsEmpty());
    for (const PackedClip& packed : report.value().clips)
        EXPECT_EQ(packed.motion, packed.clip.name == "new" ? "nest/walk_new.glb" : "nest/a 1.glb");
}

TEST_F(ClipNamesTest, OfTheNamesThatTheRecipeMakes) {
    const auto report = pack(
        "[[clips]]\nsource = \"m\"\nexcept = [\"walk*\", \"a*\"]\nname = \"{file}_{index:02}\"\n"
        "[clip_names]\n\"run_01\" = \"dash\"\n");
    ASSERT_THAT(report, IsOk());
    EXPECT_THAT(names(report.value()), ElementsAre("dash"));
    // Endings in capitals count, what is hidden does not.
    std::filesystem::rename(folder_ / "nest/run.glb", folder_ / "nest/run.GLB");
    std::filesystem::create_directory(folder_ / "nest/.old");
    for (const char* hidden : {"nest/.run.glb", "nest/.old/run.glb"})
        write_text(folder_ / hidden, "no scene");
    const auto capitals = pack("[[clips]]\nsource = \"m\"\nmatch = \"run\"\n");
    ASSERT_THAT(capitals, IsOk());
    EXPECT_THAT(names(capitals.value()), ElementsAre("run"));
    // Of timelines of the figure's own file, and what is excepted by the timeline's name.
    const auto own = pack("[[timelines]]\nmatch = [\"m*\"]\n[clip_names]\n\"move\" = \"go\"\n");
    ASSERT_THAT(own, IsOk());
    EXPECT_THAT(names(own.value()), ElementsAre("go"));
    EXPECT_THAT(
        pack("[[clips]]\nsource = \"m\"\nexcept = \"move\"\n"),
        FailsWith(Code::kNameUnknown, "no file and no timeline fits \"*\" except \"move\""));
}

TEST_F(ClipNamesTest, MistakesAreTold) {
    const std::string all = "[[clips]]\nsource = \"m\"\n";
    EXPECT_THAT(pack(all + "match = []\n"), FailsWith(Code::kValueBad, "no pattern"));
    EXPECT_THAT(pack(all + "except = 3\n"), FailsWith(Code::kValueBad, "except"));
    for (const char* name : {"a b", "../run", "con", "hop/aux", "/run", "hop//run"})
        EXPECT_THAT(pack(all + "[clip_names]\n\"run\" = \"" + name + "\"\n"),
                    FailsWith(Code::kValueBad, "letters, digits"))
            << name;
    EXPECT_THAT(pack(all + "[clip_names]\n\"walk_*\" = \"walk\"\n"),
                FailsWith(Code::kValueBad, "one *"));
    EXPECT_THAT(pack(all + "[clip_names]\n\"walk_*\" = \"w\\u002a\"\n\"run\" = \"wold\"\n"),
                FailsWith(Code::kNameClash, "wold"));
}

/// Files that are alike are one source, clips that are alike one table.
TEST_F(ClipNamesTest, DraftsNameWhatIsAlikeOnce) {
    const auto nod = keyed(1, "rotation", 24, [](int f) {
        const Quat q = turn(kX, 20 * std::sin(2 * M_PI * f / 24));
        return Three{q.x, q.y, q.z, q.w};
    });
    for (const char* old : {"a 1", "walk_old", "walk_new", "run"})
        std::filesystem::remove(folder_ / "nest" / (std::string(old) + ".glb"));
    for (const char* name : {"go_1", "go_2"})
        write_bytes(folder_ / "nest" / (std::string(name) + ".glb"), figure({going(24, 1.25)}));
    write_bytes(folder_ / "nest/stay.glb", figure({nod}));
    write_bytes(folder_ / "far/turn.GLB", figure({nod}));
    write_text(folder_ / "far/.hidden.glb", "no scene");
    const std::string place = folder_.path().string(), out = place + "/d.recipe.toml";
    const ToolRun run =
        run_tool("draft " + place + "/figure.glb " + place + "/nest " + place + "/far -o " + out);
    EXPECT_EQ(run.exit, 0) << run.err;
    EXPECT_THAT(run.out, HasSubstr("values are told by the data"));
    EXPECT_THAT(run.out, testing::Not(HasSubstr("travel = "))) << "that is sure";
    const auto drafted = read_recipe(out);
    ASSERT_THAT(drafted, IsOk());
    const Recipe& recipe = drafted.value();
    ASSERT_EQ(recipe.sources.size(), 2U);
    EXPECT_EQ(recipe.sources[0].file, "nest/*.glb");
    EXPECT_EQ(recipe.sources[1].file, "far/turn.GLB");
    ASSERT_EQ(recipe.many.size(), 3U);
    EXPECT_THAT(recipe.many[0].names.match, ElementsAre("go_1", "go_2"));
    EXPECT_TRUE(recipe.many[0].like.travel.ground);
    EXPECT_THAT(recipe.many[1].names.match, ElementsAre("stay"));
    EXPECT_FALSE(recipe.many[1].like.travel.any());
    for (const int looped : {0, 1, 2})
        EXPECT_TRUE(recipe.many[static_cast<std::size_t>(looped)].like.range.loops());
    EXPECT_EQ(recipe.many[0].like.labels.group, "nest");
    EXPECT_EQ(recipe.many[2].like.labels.group, "far");
    const auto packed = mellow::pack(recipe);
    ASSERT_THAT(packed, IsOk());
    EXPECT_TRUE(packed.value().proven) << text_of(packed.value().findings) << read_text(out);
    EXPECT_THAT(names(packed.value()),
                UnorderedElementsAre("move", "go_1", "go_2", "stay", "turn"));
    // Of one name in two folders.
    write_bytes(folder_ / "far/stay.glb", figure({nod}));
    const std::string all = place + "/figure.glb " + place + "/nest " + place + "/far";
    EXPECT_EQ(run_tool("draft " + all + " -o " + place + "/both.recipe.toml").exit, 0);
    const auto both = read_recipe(place + "/both.recipe.toml");
    ASSERT_THAT(both, IsOk());
    for (const RecipeMany& many : both.value().many) EXPECT_EQ(many.name, "{folder}/{file}");
    EXPECT_EQ(run_tool("draft " + place + "/crates -o " + place + "/e.toml").exit, 2);
    write_text(folder_ / "nest/junk.glb", "no scene");
    EXPECT_THAT(run_tool("draft " + place + "/nest -o " + place + "/e.toml").err,
                HasSubstr(place + "/nest/junk.glb\n"));
}

}  // namespace
}  // namespace mellow::clip_names_test
