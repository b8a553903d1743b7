// How the tool answers before and around the work: help, manual pages, completion, what was typed
// wrongly, and JSON where it fails.
#include <fmt/format.h>

#include <nlohmann/json.hpp>
#include <regex>
#include <set>
#include <sstream>

#include "packing.h"
#include "support.h"

namespace mellow {
namespace {

using nlohmann::json;
using namespace test;
using test::read_text;
using namespace testing;

const std::vector<std::string> kCommands{"describe", "pack",    "view", "compare",
                                         "match",    "convert", "lift", "demo"};

std::vector<std::string> lines_of(const std::string& text) {
    std::vector<std::string> lines;
    std::istringstream in(text);
    for (std::string line; std::getline(in, line);)
        lines.push_back(line.substr(0, line.find('\t')));
    return lines;
}

/// What the tool completes after these words.
std::vector<std::string> completed(const std::string& words, const std::string& before = "") {
    return lines_of(run_tool("complete " + words, before).out);
}

/// Every spelling that the help of a command lists at the start of a line.
std::set<std::string> options_in(const std::string& help) {
    static const std::regex option("\n  (?:-\\w, )?(--[a-z-]+)");
    std::set<std::string> found;
    for (std::sregex_iterator m(help.begin(), help.end(), option), end; m != end; ++m)
        found.insert((*m)[1].str());
    return found;
}

TEST(HelpTest, EveryOptionIsInTheManualPage) {
    for (const std::string& command : kCommands) {
        const std::string page = run_tool("help " + command + " --markdown").out;
        EXPECT_THAT(page, HasSubstr("mellow-" + command + " - "));
        const auto options = options_in(run_tool("help " + command).out);
        EXPECT_GE(options.size(), 3U);
        for (const std::string& option : options)
            EXPECT_TRUE(std::regex_search(page, std::regex("\n\\*\\*(-\\w, )?" + option + "[ *]")))
                << command << " " << option;
    }
    const std::string all = run_tool("help --markdown").out;
    for (const std::string& command : kCommands)
        EXPECT_THAT(all, HasSubstr("mellow-" + command + "(1)"));
}

TEST(HelpTest, WhatMayBeLeftOutStandsInBrackets) {
    EXPECT_THAT(run_tool("help demo").out, HasSubstr("Use: mellow demo [OPTIONS] [FOLDER]\n"));
    EXPECT_THAT(run_tool("help play").out,
                HasSubstr("Use: mellow play [OPTIONS] CRATE --states SHEET\n"));
    EXPECT_EQ(run_tool("play crates/yard").exit, 2) << "the sheet may not be left out";
}

TEST(HelpTest, WordsOfOptionsAreToldOnce) {
    const std::string view = run_tool("help view").out;
    EXPECT_THAT(view, HasSubstr("; else those of the crate: y-up-metre, y-up-centimetre"));
    EXPECT_THAT(view, HasSubstr("seen from side, front, top or quarter\n"));
}

TEST(HelpTest, ManualPagesShowEveryLetter) {
    for (const std::string& command : kCommands) {
        std::istringstream lines(run_tool("help " + command + " --markdown").out);
        int texts = 0;
        for (std::string line; std::getline(lines, line);) {
            if (!line.starts_with("> ")) continue;
            ++texts;
            for (std::size_t i = 1; i < line.size(); ++i)
                EXPECT_TRUE(std::string("_*<`").find(line[i]) == std::string::npos ||
                            line[i - 1] == '\\')
                    << line;
        }
        EXPECT_GT(texts, 2) << command;
    }
}

TEST(UsageTest, TheNearestCommandAndOptionAreNamed) {
    const std::pair<const char*, const char*> cases[] = {
        {"desc", "did you mean \"describe\"?"},
        {"pakc x", "did you mean \"pack\"?"},
        {"zzz", "one of: describe, draft, pack"},
        {"help vieuw", "did you mean \"view\"?"},
        {"pack a.toml --replce", "did you mean \"--replace\"?"},
        {"compare a.glb b.glb --tolerence=5", "no option \"--tolerence\""},
        {"pack --from old a.toml --dry-run", "\"--from\" has taken all words behind it"},
        {"convert a.bvh b.glb --tojrate 30", "did you mean \"--to-rate\"?"},
        {"pack", "mellow pack [OPTIONS] RECIPE"},
        {"describe a.glb --unit parsec", "one of: metre, centimetre"},
        {"describe a.glb --unit centimeterr", "did you mean \"centimetre\"?"},
    };
    for (const auto& [wrong, part] : cases) {
        const ToolRun run = run_tool(wrong);
        EXPECT_EQ(run.exit, 2) << wrong;
        EXPECT_THAT(run.out, IsEmpty()) << wrong;
        EXPECT_THAT(run.err, HasSubstr(part)) << wrong;
        EXPECT_THAT(run.err, HasSubstr("stop[usage]")) << wrong;
    }
    for (const char* fed : {"convert a.glb --order ZXY --order a=XYZ", "convert a.glb --range 0 9"})
        EXPECT_EQ(run_tool(fed).err.find("has taken"), std::string::npos) << fed;
    const ToolRun both = run_tool("describe a.glb --unit ell --up Q --rate fast");
    for (const char* option : {"--unit", "--up", "--rate"})
        EXPECT_THAT(both.err, HasSubstr(option));
}

/// With --json a failure is an object with findings on standard output, with the same exit code.
TEST(UsageTest, FlagsTakeNoValue) {
    TempFolder folder;
    for (const char* words : {"pack --dry-run=no x.toml", "demo --data-only=0 x"}) {
        const ToolRun run = run_tool(words, "cd " + folder.path().string() + " &&");
        EXPECT_EQ(run.exit, 2) << words;
        EXPECT_THAT(run.err, HasSubstr("takes none")) << words;
    }
    const ToolRun file = run_tool("describe -- --quiet=1.glb");
    EXPECT_EQ(file.exit, 3);
    EXPECT_THAT(file.err, HasSubstr("stop[file-missing] --quiet=1.glb"))
        << "behind -- it is a file";
    EXPECT_THAT(folder.names(), IsEmpty());
}

TEST(UsageTest, FailuresAreJsonWhereJsonIsAskedFor) {
    const TempFolder folder;
    write_text(folder / "a.glb", "no scene");
    write_text(folder / "a.toml", "[source]\nfle = \"x\"\n");
    const std::string glb = (folder / "a.glb").string(), toml = (folder / "a.toml").string();
    const std::tuple<std::string, int, const char*> cases[] = {
        {"pakc", 2, "usage"},
        {"pack --nothing x", 2, "usage"},
        {"pack " + toml, 3, "key-missing"},
        {"pack none.toml", 3, "file-missing"},
        {"describe " + glb, 3, "format-unknown"},
        {"describe --unit ell " + glb, 2, "usage"},
        {"compare " + glb + " " + glb, 3, "format-unknown"},
        {"convert " + glb + " x.bvh", 3, "format-unknown"},
        {"lift " + glb + " " + glb + " --rig none.toml -o x.glb", 3, "file-missing"},
        {"view nowhere -o x.png", 3, "file-missing"},
        {"demo " + glb, 4, "output-unwritable"},
    };
    for (const auto& [words, exit, code] : cases) {
        const ToolRun run = run_tool(words + " --json");
        EXPECT_EQ(run.exit, exit) << words;
        const json answer = json::parse(run.out, nullptr, false);
        ASSERT_TRUE(answer.is_object()) << words << run.out;
        EXPECT_EQ(answer["findings"][0]["code"], code) << words;
        EXPECT_EQ(answer["findings"][0]["severity"], "stop");
        EXPECT_EQ(run_tool(words).exit, exit);
    }
}

TEST(UsageTest, NamesThatAreNoUtf8DoNotSpoilTheJson) {
    const json answer =
        json::parse(run_tool("describe $'b\\xff\\xe9\"d.glb' --json", "").out, nullptr, false);
    EXPECT_TRUE(answer.is_object() || answer.is_discarded());  // `sh` may not know $'...'
    const json plain = json::parse(
        run_tool("describe \"$(printf 'b\\377\\351\\042d.glb')\" --json").out, nullptr, false);
    ASSERT_TRUE(plain.is_object());
    EXPECT_EQ(plain["findings"][0]["where"], "b\xEF\xBF\xBD\xEF\xBF\xBD\"d.glb");
}

TEST(UsageTest, ADeviceThatTakesNothingIsExitFour) {
    const ToolRun run =
        run_tool(fmt::format("--version; ( '{}' help >/dev/full; echo $? )", test::tool()));
    EXPECT_THAT(run.err, HasSubstr("No space left"));
    EXPECT_EQ(run.out, "4\n");
    // Messages that nobody takes are no reason to end otherwise.
    EXPECT_EQ(
        run_tool(fmt::format("--version; ( '{}' pack no.toml 2>/dev/full; echo $? )", test::tool()))
            .out,
        "3\n");
}

TEST(CompleteTest, CommandsOptionsAndValues) {
    EXPECT_THAT(completed("''"), testing::IsSupersetOf(kCommands));
    EXPECT_THAT(completed("pa"), ElementsAre("pack"));
    EXPECT_THAT(completed("help li"), ElementsAre("lift"));
    EXPECT_THAT(completed("pack --re"), ElementsAre("--replace"));
    EXPECT_THAT(completed("pack --replace --re"), IsEmpty());
    EXPECT_THAT(completed("describe --unit c"), ElementsAre("centimetre"));
    EXPECT_THAT(completed("convert --target z-up-m"), ElementsAre("z-up-metre", "z-up-metre-left"));
    EXPECT_THAT(completed("convert --parts ''"), ElementsAre("all", "skin", "motion"));
    for (const std::string& command : kCommands) {
        const auto options = completed(command + " -");
        for (const std::string& option : options_in(run_tool("help " + command).out))
            EXPECT_THAT(options, testing::Contains(option)) << command;
    }
}

TEST(CompleteTest, FilesThatFitAndTheirTimelines) {
    const TempFolder folder;
    for (const orchard::File& file : test::tamsin())
        write_text(folder / file.name, {file.bytes.begin(), file.bytes.end()});
    write_text(folder / "notes.txt", "x");
    std::filesystem::create_directory(folder / "captures");
    const std::string cd = "cd '" + folder.path().string() + "' &&";
    EXPECT_THAT(completed("describe ''", cd), ElementsAre("captures/", "tamsin.glb"));
    EXPECT_THAT(completed("pack t", cd), ElementsAre("tamsin.recipe.toml", "tamsin.rig.toml"));
    EXPECT_THAT(completed("view ''", cd), ElementsAre("captures/"));
    EXPECT_THAT(completed("convert tamsin.glb out.bvh --timeline ''", cd),
                ElementsAre("orchard:orchard_day"));
    EXPECT_THAT(completed("convert tamsin.glb out.bvh ''", cd), IsEmpty());
    EXPECT_THAT(completed("lift --unit cm --up +Y ''", cd), ElementsAre("captures/", "tamsin.glb"))
        << "what options take is no argument";
    write_text(folder / "lines.gltf",
               R"({"asset":{"version":"2.0"},"nodes":[{}],"accessors":[)"
               R"({"componentType":5126,"count":1,"type":"SCALAR"},)"
               R"({"componentType":5126,"count":1,"type":"VEC3"}],"animations":[)"
               R"({"name":"two\nlines","samplers":[{"input":0,"output":1}],"channels":[)"
               R"({"sampler":0,"target":{"node":0,"path":"scale"}}]},)"
               R"({"name":"one line","samplers":[{"input":0,"output":1}],"channels":[)"
               R"({"sampler":0,"target":{"node":0,"path":"scale"}}]}]})");
    EXPECT_THAT(completed("convert lines.gltf out.bvh --timeline ''", cd), ElementsAre("one line"));
}

/// The script for bash, as a shell runs it.
TEST(CompleteTest, BashAsksTheTool) {
    const std::string script =
        (std::filesystem::path(MELLOW_SOURCE_DIR) / "cli/completion/mellow.bash").string();
    const TempFolder folder;
    write_text(folder / "try.sh",
               fmt::format(
                   "compopt() {{ :; }}\n. '{}'\nCOMP_WORDS=('{}' convert --parts s)\nCOMP_CWORD=3\n"
                   "_mellow\nprintf '%s\\n' \"${{COMPREPLY[@]}}\"\n",
                   script, test::tool()));
    const ToolRun run = run_tool("--version; bash '" + (folder / "try.sh").string() + "'");
    EXPECT_THAT(run.out, HasSubstr("skin\n"));
    EXPECT_THAT(run.err, IsEmpty());
}

// ---------------------------------------------------------------------------- all mistakes at once

/// A folder with the demo data whose sheets are spoilt.
class MistakesTest : public testing::Test {
  protected:
    MistakesTest() {
        for (const orchard::File& file : test::tamsin())
            write_text(folder_ / file.name, {file.bytes.begin(), file.bytes.end()});
    }
    void change(const std::string& file, const std::string& from, const std::string& to) {
        write_text(folder_ / file, test::change(read_text(folder_ / file), from, to));
    }
    /// The findings of packing, as code and place without the folder.
    std::vector<std::string> said() {
        const ToolRun run =
            run_tool("pack --json '" + (folder_ / "tamsin.recipe.toml").string() + "'");
        EXPECT_EQ(run.exit, 3);
        std::vector<std::string> out;
        const json answer = json::parse(run.out, nullptr, false);
        if (!answer.is_object()) return out;
        for (const json& f : answer["findings"]) {
            const std::string file = f.value("file", "");
            std::string place = std::filesystem::path(file).filename().string();
            if (f.contains("line")) place += fmt::format(":{}", f["line"].get<int>());
            EXPECT_EQ(f["where"].get<std::string>().find(file), 0U) << "in words as well";
            out.push_back(f["code"].get<std::string>() + " " + place);
        }
        return out;
    }

    TempFolder folder_;
};

TEST_F(MistakesTest, InFilesWhoseNamesLookLikePlaces) {
    const std::string text = read_text(folder_ / "tamsin.recipe.toml");
    write_text(folder_ / "a:7, clip.recipe.toml",
               test::change(text, "name = \"pick\"", "nmae = \"pick\""));
    const json f =
        json::parse(run_tool("pack --json '" + (folder_ / "a:7, clip.recipe.toml").string() + "'")
                        .out)["findings"][0];
    EXPECT_EQ(f["file"], (folder_ / "a:7, clip.recipe.toml").string());
    EXPECT_EQ(
        f["line"],
        1 + std::count(text.begin(),
                       text.begin() + static_cast<std::ptrdiff_t>(text.find("name = \"pick\"")),
                       '\n'));
    EXPECT_EQ(f["path"], "clip 3, nmae");
}

TEST_F(MistakesTest, PathsAreShownAsGiven) {
    change("tamsin.recipe.toml", "loop_form", "lop_form");
    const std::string path = (folder_ / "tamsin.recipe.toml").string();
    EXPECT_THAT(run_tool("pack '" + path + "'").err, HasSubstr("] " + path + ":16"));
    const std::string cd = "cd '" + folder_.path().string() + "' &&";
    EXPECT_THAT(run_tool("pack tamsin.recipe.toml", cd).err, HasSubstr("] tamsin.recipe.toml:16"));
    write_text(folder_ / "a.bvh", "HIERARCHY\nROOT");
    const std::string bvh = (folder_ / "a.bvh").string();
    EXPECT_THAT(run_tool("describe '" + bvh + "'").err, HasSubstr("] " + bvh));
    EXPECT_THAT(run_tool("describe a.bvh", cd).err, HasSubstr("] a.bvh"));
}

}  // namespace
}  // namespace mellow
