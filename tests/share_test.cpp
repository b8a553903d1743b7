// Shares of a recipe and their gathering: byte for byte what one run makes, and everything that is
// missing, foreign, broken or older is named.
#include <fmt/format.h>

#include <cmath>
#include <filesystem>
#include <map>
#include <nlohmann/json.hpp>
#include <numbers>

#include "mellow/crate.h"
#include "mellow/page.h"
#include "mellow/share.h"
#include "small_figure.h"

namespace mellow::share_test {
namespace {

using nlohmann::json;
using namespace test;
using test::read_text;
using namespace testing;
namespace fs = std::filesystem;

TEST(ShareTest, ClipsAreDealtByTheirCost) {
    // By hand: 5 to 1; 3 and 3 to 2; 2 to 1, which has 7; 1 to 2, which has 7; 1 to 1.
    EXPECT_THAT(deal({5, 3, 1, 3, 2, 1}, 2), ElementsAre(1, 2, 2, 2, 1, 1));
    EXPECT_THAT(deal({1, 1}, 5), ElementsAre(1, 2));
    EXPECT_TRUE(deal({}, 3).empty());
    for (const char* bad :
         {"0/4", "5/4", "-1/4", "1/0", "1", "/4", "1/", "1/4x", "a/b", "1/100001"})
        EXPECT_THAT(parse_share(bad), FailsWith(Code::kValueBad, bad));
    ASSERT_THAT(parse_share("3/16"), IsOk());
    EXPECT_EQ(parse_share("3/16").value().number, 3);
    EXPECT_EQ(parse_share("100000/100000").value().of, 100'000);
}

std::map<std::string, std::string> files_in(const fs::path& folder) {
    std::map<std::string, std::string> out;
    for (const auto& entry : fs::recursive_directory_iterator(folder))
        if (entry.is_regular_file())
            out[entry.path().lexically_relative(folder).string()] = read_text(entry.path());
    return out;
}

/// Seven clips of two joints, one of them made of others, with cues, small pictures and a sheet.
class SharesTest : public testing::Test {
  protected:
    void SetUp() override {
        // They sway once a second, from frame 100 on go ahead, from 144 on up.
        const auto hips = test::keyed(0, "translation", 240, [](int f) {
            const double sway = 0.05 * std::sin(f * std::numbers::pi / 12);
            return test::Three{sway, 1 + std::max(0, f - 144) / 960.0, std::max(0, f - 100) / 48.0};
        });
        test::write_bytes(folder_ / "tamsin.glb", test::figure({hips}));
        std::string recipe = R"([source]
file = "tamsin.glb"
rate = 24
[target]
convention = "y-up-metre"
rate = 30
loop_form = "closed"
[travel]
hips = "hips"
[[clip]]
name = "stand"
range = [0, 96]
loop = true
[[clip]]
name = "walk"
range = [108, 132]
loop = true
travel = ["ground"]
[[clip]]
name = "pick"
range = [144, 240]
travel = ["ground", "height"]
[[cue]]
name = "left"
at = 114
[output]
folder = "crates/tamsin"
thumbnails = { size = "40x40" }
)";
        int number = 0;
        for (const char* range : {"[0, 24]", "[24, 60]", "[130, 180]"})
            recipe += fmt::format("[[clip]]\nname = \"piece_{}\"\nrange = {}\n", ++number, range);
        recipe += "[[clip]]\nname = \"twice\"\n[[clip.part]]\nclip = \"walk\"\nrepeat = 2\n";
        recipe_ = recipe;
        write();
    }
    void write() const { write_text(folder_ / "tamsin.recipe.toml", recipe_); }
    std::string path(const std::string& name) const { return (folder_ / name).string(); }
    std::string recipe() const { return path("tamsin.recipe.toml"); }
    ToolRun share(int number, int of, const std::string& more = "") const {
        return run_tool("pack " + recipe() + " --quiet --share " + std::to_string(number) + "/" +
                        std::to_string(of) + " -o " + path("parts/" + std::to_string(number)) +
                        " " + more);
    }
    void all(int of, const std::string& more = "") const {
        for (int k = 1; k <= of; ++k) {
            const ToolRun run = share(k, of, more);
            ASSERT_EQ(run.exit, 0) << run.err;
        }
    }
    ToolRun gather(const std::string& more = "") const {
        return run_tool("gather " + path("parts") + " --quiet " + more);
    }
    void one_machine() const {
        const ToolRun run = run_tool("pack --quiet " + recipe());
        ASSERT_EQ(run.exit, 0) << run.err;
        fs::rename(folder_ / "crates", folder_ / "one");
    }

    test::TempFolder folder_;
    std::string recipe_;
};

TEST_F(SharesTest, AreGatheredIntoTheCrateOfOneMachine) {
    one_machine();
    for (const int of : {2, 9}) {  // of nine some are empty
        all(of);
        const ToolRun run = gather();
        ASSERT_EQ(run.exit, 0) << run.err;
        EXPECT_EQ(files_in(folder_ / "crates"), files_in(folder_ / "one")) << of;
        fs::remove_all(folder_ / "crates");
        std::size_t clips = 0;
        const auto parts = find_parts(folder_ / "parts");
        ASSERT_THAT(parts, IsOk());
        for (const Part& part : parts.value()) clips += part.clips;
        EXPECT_EQ(clips, 7U);
        EXPECT_THAT(parts.value(), SizeIs(static_cast<std::size_t>(of)));
        fs::remove_all(folder_ / "parts");
    }
}

TEST_F(SharesTest, OfSeveralTargetsAndRecipesAreOnePlan) {
    const auto from = recipe_.find("[target]"), to = recipe_.find("[travel]");
    recipe_ =
        recipe_.substr(0, from) +
        "[[target]]\nname = \"game\"\nids = [100, 199]\n[[target]]\nname = \"viewer\"\nlayout = "
        "\"one-file\"\n[[target]]\nname = \"other\"\nconvention = \"z-up-centimetre\"\nrate = "
        "24\nclips = [\"p*\"]\n" +
        recipe_.substr(to);
    write();
    test::write_files(folder_.path(), test::press());
    const std::string both = recipe() + " " + path("press.recipe.toml");
    ASSERT_EQ(run_tool("pack --quiet " + both).exit, 0);
    // Numbers of clips that were there stay; the crates of before stand there for the shares too.
    recipe_ = change(recipe_, "[[clip]]\nname = \"stand\"",
                     "[[clip]]\nname = \"new\"\nrange = [5, 40]\n[[clip]]\nname = \"stand\"");
    write();
    fs::copy(folder_ / "crates", folder_ / "before", fs::copy_options::recursive);
    ASSERT_EQ(run_tool("pack --quiet --replace --keep 0 " + both).exit, 0);
    EXPECT_THAT(read_text(folder_ / "crates/tamsin/game/crate.json"), HasSubstr("\"id\": 107"));
    fs::rename(folder_ / "crates", folder_ / "one");
    fs::rename(folder_ / "before", folder_ / "crates");
    for (const std::string& k : std::vector<std::string>{"1", "2", "3"}) {
        const ToolRun run =
            run_tool("pack --quiet " + both + " --share " + k + "/3 -o " + path("parts/" + k));
        ASSERT_EQ(run.exit, 0) << run.err;
        EXPECT_FALSE(fs::exists(folder_ / ("parts/" + k) / "tamsin/viewer"));
    }
    std::size_t packed = 0;
    const auto parts = find_parts(folder_ / "parts");
    ASSERT_THAT(parts, IsOk());
    for (const Part& part : parts.value())
        if (part.target == "other") {
            EXPECT_EQ(part.share.clips, 4U) << "pick and three pieces: what its target takes";
            packed += part.clips;
        }
    EXPECT_EQ(packed, 4U);
    // The command that is named for a missing part makes it.
    fs::remove_all(folder_ / "parts/2/tamsin");
    const ToolRun missing = gather();
    EXPECT_EQ(missing.exit, 3);
    EXPECT_THAT(missing.err, HasSubstr("stop[share-missing] tamsin, game"));
    const auto at = missing.err.find("mellow pack ");
    ASSERT_NE(at, missing.err.npos);
    const auto words = at + std::string("mellow ").size();
    ASSERT_EQ(run_tool(missing.err.substr(words, missing.err.find('\n', at) - words)).exit, 0);
    const ToolRun run = gather("--replace --keep 0");
    ASSERT_EQ(run.exit, 0) << run.err;
    EXPECT_EQ(files_in(folder_ / "crates"), files_in(folder_ / "one"));
    // One folder is not the place of two crates.
    const ToolRun two = gather("-o " + path("two"));
    EXPECT_EQ(two.exit, 3);
    EXPECT_THAT(two.err, HasSubstr("parts of several recipes"));
    EXPECT_FALSE(fs::exists(folder_ / "two"));
}

TEST_F(SharesTest, MissingForeignBrokenAndOlderOnesAreNamed) {
    all(3);
    fs::rename(folder_ / "parts/3", folder_ / "third");
    ToolRun run = gather();
    EXPECT_EQ(run.exit, 3);
    EXPECT_THAT(run.err, HasSubstr("2 of 3 shares: without 3"));
    EXPECT_THAT(run.err, HasSubstr("--share 3/3 -o " + path("parts/3")));
    fs::rename(folder_ / "third", folder_ / "parts/3");
    // A share twice, alike, and not alike.
    fs::copy(folder_ / "parts/2", folder_ / "parts/again", fs::copy_options::recursive);
    EXPECT_EQ(gather("-o " + path("a")).exit, 0);
    const std::string manifest = read_text(folder_ / "parts/again/crate.json");
    const auto hash = manifest.find("xxh3_128", manifest.find("\"clips\": ["));
    std::string other = manifest;
    other[hash + 13] = other[hash + 13] == '0' ? '1' : '0';
    write_text(folder_ / "parts/again/crate.json", other);
    run = gather("-o " + path("b"));
    EXPECT_THAT(run.err, HasSubstr("other things of \""));
    fs::remove_all(folder_ / "parts/again");
    // A file that is not what its manifest says.
    const fs::path clips = folder_ / "parts/1/clips";
    const fs::path clip = fs::directory_iterator(clips)->path();
    const std::string good = read_text(clip);
    std::string bad = good;
    bad[good.size() / 2] = static_cast<char>(bad[good.size() / 2] ^ 1);
    write_text(clip, bad);
    run = gather("-o " + path("b"));
    EXPECT_THAT(run.err,
                HasSubstr("other bytes than its manifest says: clips/" + clip.filename().string()));
    EXPECT_THAT(run.err, HasSubstr("--share 1/3 -o " + path("parts/1") + " --replace"));
    EXPECT_EQ(share(1, 3, "--replace").exit, 0);
    EXPECT_EQ(read_text(clip), good);
    EXPECT_EQ(run_tool("gather " + path("parts/1") + " -o " + path("b")).exit, 3);
    // The recipe changes between shares, and after them.
    recipe_ = change(recipe_, "range = [0, 24]", "range = [0, 20]");
    write();
    run = gather("-o " + path("b"));
    EXPECT_THAT(run.err, HasSubstr("was made of other inputs than those of now"));
    EXPECT_EQ(share(2, 3).exit, 4) << "a part of an older plan";
    EXPECT_EQ(share(2, 3, "--replace").exit, 0);
    run = gather("-o " + path("b"));
    EXPECT_THAT(run.err, HasSubstr("parts of different plans: "));
    EXPECT_FALSE(fs::exists(folder_ / "b"));
    // With the others anew it is whole; what has not changed was taken over.
    const ToolRun again = run_tool("pack " + recipe() + " --share 1/3 -o " + path("parts/1") +
                                   " --replace --from " + path("a"));
    EXPECT_EQ(again.exit, 0);
    EXPECT_EQ(share(3, 3, "--replace --from " + path("a")).exit, 0);
    EXPECT_EQ(gather("-o " + path("b")).exit, 0);
    one_machine();
    EXPECT_EQ(files_in(folder_ / "b"), files_in(folder_ / "one/tamsin"));
}

TEST_F(SharesTest, TakeOverWhatAnEarlierCrateHas) {
    one_machine();
    recipe_ = change(recipe_, "range = [24, 60]", "range = [25, 60]");
    write();
    const auto read = read_recipe(recipe());
    ASSERT_THAT(read, IsOk());
    PackOptions options;
    options.from = {folder_ / "one/tamsin"};
    std::size_t made = 0, reused = 0;
    for (int k = 1; k <= 2; ++k) {
        const auto reports =
            pack_share(read.value(), {k, 2}, folder_ / ("parts/" + std::to_string(k)), options);
        ASSERT_THAT(reports, IsOk());
        const PackReport& report = reports.value().front();
        made += report.clips.size() - report.reused;
        reused += report.reused;
        EXPECT_EQ(report.share->clips, 7U);
    }
    EXPECT_EQ(made, 1U);
    EXPECT_EQ(reused, 6U);
    // A crate that is not there is no reason to bake everything.
    const ToolRun nowhere = share(1, 2, "--from " + path("nowhere"));
    EXPECT_EQ(nowhere.exit, 3);
    EXPECT_THAT(nowhere.err, HasSubstr("no crate and no part"));
    // The same share once more is the same, and no backup is made.
    const ToolRun twice = share(2, 2);
    EXPECT_EQ(twice.exit, 0) << twice.err;
    EXPECT_FALSE(fs::exists(folder_ / "parts/2.backup-1"));
    // A whole recipe as well, from parts.
    const auto reports = pack_all(read.value(), [&] {
        PackOptions from;
        from.from = {folder_ / "parts/1", folder_ / "parts/2"};
        return from;
    }());
    ASSERT_THAT(reports, IsOk());
    EXPECT_EQ(reports.value().front().reused, 7U);
}

TEST_F(SharesTest, ATargetThatChangesGivesTheFiguresOfAFullRun) {
    // The second target is measured by the first, which has not changed, and the other way round.
    const auto with = [&](const char* first, const char* second) {
        std::string text = read_text(folder_ / "tamsin.recipe.toml");
        const auto from = text.find("[target]"), to = text.find("[travel]");
        recipe_ = text.substr(0, from) + "[[target]]\nname = \"a\"\n" + first +
                  "[[target]]\nname = \"b\"\nconvention = \"z-up-centimetre\"\n" + second +
                  text.substr(to);
        write_text(folder_ / "two.recipe.toml", recipe_);
        return read_recipe(folder_ / "two.recipe.toml").value();
    };
    PackOptions again;
    again.replace = true;
    again.keep = 0;
    ASSERT_THAT(pack_all(with("", ""), again), IsOk());
    for (const auto& [first, second] :
         {std::pair("", "most_samples = 1000\n"),
          std::pair("convention = \"y-up-centimetre\"\n", "most_samples = 1000\n")}) {
        const auto reports = pack_all(with(first, second), again);
        ASSERT_THAT(reports, IsOk());
        EXPECT_EQ(reports.value()[1].reused, 0U);
        const auto some = files_in(folder_ / "crates");
        again.all = true;
        ASSERT_THAT(pack_all(with(first, second), again), IsOk());
        EXPECT_EQ(files_in(folder_ / "crates"), some);
        again.all = false;
    }
}

TEST_F(SharesTest, APartIsNoCrate) {
    all(2);
    const std::string part = path("parts/1");
    for (const std::string& command : std::vector<std::string>{
             "check " + part, "compare " + part + " " + part,
             "view " + part + " -o " + path("a.html"), "view " + part + " -o " + path("a.png")}) {
        const ToolRun run = run_tool(command);
        EXPECT_EQ(run.exit, 3) << command;
        EXPECT_THAT(run.err, HasSubstr("a part: share 1 of 2")) << command;
        EXPECT_THAT(run.err, HasSubstr("parts: mellow gather " + path("parts"))) << command;
    }
    EXPECT_THAT(open_crate(folder_ / "parts/1"), FailsWith(Code::kValueBad, "share 1 of 2"));
    // But what is in it can be told.
    const ToolRun told = run_tool("describe " + part);
    EXPECT_EQ(told.exit, 0);
    EXPECT_THAT(told.out, HasSubstr("part of \"tamsin\", share 1 of 2; all its files are there"));
    EXPECT_THAT(told.out, HasSubstr("; 7 in all shares"));
    const json facts = json::parse(run_tool("describe --json " + part).out);
    const json listed = json::parse(read_text(folder_ / "parts/1/crate.json"));
    EXPECT_EQ(facts["share"], json({{"number", 1}, {"of", 2}, {"clips", 7}}));
    EXPECT_EQ(facts["clips"].size(), listed["clips"].size());
    ASSERT_EQ(gather().exit, 0);
    const ToolRun whole = run_tool("gather " + path("crates/tamsin"));
    EXPECT_EQ(whole.exit, 3);
    EXPECT_THAT(whole.err, HasSubstr("a whole crate, no part of one"));
    EXPECT_EQ(run_tool("gather " + path("nowhere")).exit, 3);
    EXPECT_EQ(run_tool("gather").exit, 2);
    EXPECT_EQ(gather().exit, 4) << "a crate stands there";
    EXPECT_EQ(gather("--replace").exit, 0);
    // One share does not take the place of another unasked, and a part is not what pack() finds
    // done.
    EXPECT_EQ(run_tool("pack " + recipe() + " --quiet --share 2/2 -o " + path("parts/1")).exit, 4);
    const std::string whole_share = "pack " + recipe() + " --quiet --replace --share 1/1 -o ";
    EXPECT_EQ(run_tool(whole_share + path("crates/tamsin")).exit, 0);
    EXPECT_EQ(run_tool("pack " + recipe() + " --quiet --replace").exit, 0);
    EXPECT_FALSE(json::parse(read_text(folder_ / "crates/tamsin/crate.json")).contains("share"));
    // Nor is it without pictures, whose absence would tell.
    const std::string plain =
        change(recipe_, "thumbnails = { size = \"40x40\" }\n", test::kNoPicture);
    write_text(folder_ / "plain.recipe.toml", change(plain, "crates/tamsin", "crates/plain"));
    const std::string pack_plain = "pack " + path("plain.recipe.toml") + " --quiet --replace";
    EXPECT_EQ(run_tool(pack_plain + " --share 1/2 -o " + path("crates/plain")).exit, 0);
    EXPECT_EQ(run_tool(pack_plain).exit, 0);
    EXPECT_THAT(json::parse(read_text(folder_ / "crates/plain/crate.json"))["clips"], SizeIs(7));
    // Nothing but its own kind of folder gives way to a part.
    fs::create_directories(folder_ / "mine/1");
    write_text(folder_ / "mine/1/notes", "ours");
    EXPECT_EQ(run_tool("pack " + recipe() + " --share 1/2 --replace -o " + path("mine/1")).exit, 4);
    EXPECT_EQ(run_tool("pack " + recipe() + " --share 1/2").exit, 2);
    // Parts that were moved away from their recipe.
    fs::create_directories(folder_ / "far/away");
    fs::rename(folder_ / "parts", folder_ / "far/away/parts");
    EXPECT_THAT(run_tool("gather " + path("far")).err, HasSubstr("--recipe FILE"));
    EXPECT_EQ(run_tool("gather " + path("far") + " --recipe " + recipe() + " -o " + path("c") +
                       " --quiet")
                  .exit,
              0);
    EXPECT_EQ(files_in(folder_ / "c"), files_in(folder_ / "crates/tamsin"));
    // A manifest that was cut off.
    const std::string manifest = read_text(folder_ / "far/away/parts/2/crate.json");
    write_text(folder_ / "far/away/parts/2/crate.json", manifest.substr(0, manifest.size() / 2));
    EXPECT_EQ(run_tool("gather " + path("far") + " --recipe " + recipe()).exit, 3);
}

TEST_F(SharesTest, ADryRunNamesWhatIsWritten) {
    const std::string share = "pack " + recipe() + " --share 2/3 -o " + path("parts/2");
    const ToolRun dry = run_tool(share + " --dry-run --json");
    ASSERT_EQ(dry.exit, 0) << dry.err;
    EXPECT_FALSE(fs::exists(folder_ / "parts"));
    const json plan = json::parse(dry.out);
    std::map<std::string, std::string> told;
    for (const json& file : plan["files"]) told[file["file"]] = file["fate"];
    const ToolRun run = run_tool(share + " --json");
    ASSERT_EQ(run.exit, 0);
    const json report = json::parse(run.out);
    EXPECT_EQ(report["share"]["number"], 2);
    EXPECT_EQ(report["share"]["of"], 3);
    ASSERT_EQ(report["clips"].size(), plan["clips"].size());
    for (std::size_t i = 0; i < report["clips"].size(); ++i)
        EXPECT_EQ(report["clips"][i]["name"], plan["clips"][i]["name"]);
    const auto files = files_in(folder_ / "parts/2");
    EXPECT_EQ(files.size(), told.size());
    for (const auto& [name, bytes] : files)
        EXPECT_EQ(told[path("parts/2/" + name)], "written") << name;
}

TEST_F(SharesTest, WhatIsLeftOutIsLeftOutOfTheWhole) {
    recipe_ = change(recipe_, "[output]\n", "[output]\non_error = \"skip\"\n") +
              "[[source]]\nname = \"bad\"\nfile = \"bad/*.bvh\"\n"
              "[[clips]]\nsource = \"bad\"\nname = \"{file}\"\n";
    recipe_ = change(recipe_, "[source]\nfile", "[figure]\nfile");
    fs::create_directories(folder_ / "bad");
    write_text(folder_ / "bad/a.bvh", "HIERARCHY nonsense");
    write();
    const ToolRun single = run_tool("pack --quiet " + recipe());
    ASSERT_EQ(single.exit, 1) << single.err;
    fs::rename(folder_ / "crates", folder_ / "one");
    for (int k = 1; k <= 2; ++k) EXPECT_EQ(share(k, 2).exit, 1);
    EXPECT_EQ(gather().exit, 1);
    EXPECT_EQ(files_in(folder_ / "crates"), files_in(folder_ / "one"));
    // For once, by the command line.
    recipe_ = change(recipe_, "on_error = \"skip\"\n", "");
    write();
    for (int k = 1; k <= 2; ++k) EXPECT_EQ(share(k, 2, "--replace --keep-going").exit, 1);
    EXPECT_EQ(gather("--replace").exit, 3);
    EXPECT_EQ(gather("--replace --keep-going").exit, 1);
}

}  // namespace
}  // namespace mellow::share_test
