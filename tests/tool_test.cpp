// The tool as users meet it: what it prints, its exit codes, and that trouble leaves nothing
// behind.
#include <fmt/format.h>
#include <unistd.h>

#include <nlohmann/json.hpp>
#include <regex>
#include <set>

#include "mellow/finding.h"
#include "mellow/rig_rules.h"
#include "packing.h"
#include "support.h"

namespace mellow {
namespace {

using nlohmann::json;
using namespace test;
using test::read_text;
using namespace testing;

/// A folder with the demo data, and helpers that spoil it.
class ToolTest : public testing::Test {
  protected:
    ToolTest() {
        for (const orchard::File& file : test::tamsin())
            write_text(folder_ / file.name, {file.bytes.begin(), file.bytes.end()});
    }
    std::string path(const std::string& name) const {
        return "'" + (folder_ / name).string() + "'";
    }
    void change(const std::string& file, const std::string& from, const std::string& to) {
        std::string text = read_text(folder_ / file);
        const auto place = text.find(from);
        ASSERT_NE(place, std::string::npos) << from;
        write_text(folder_ / file, text.replace(place, from.size(), to));
    }
    ToolRun pack(const std::string& before = "") {
        return run_tool("pack " + path("tamsin.recipe.toml"), before);
    }
    /// Packing must fail with `exit`, say `parts`, and leave nothing beside the data.
    void expect_refused(int exit, const std::vector<std::string>& parts,
                        const std::string& before = "") {
        const ToolRun run = pack(before);
        EXPECT_EQ(run.exit, exit) << run.err;
        EXPECT_THAT(run.out, IsEmpty());
        for (const std::string& part : parts) EXPECT_THAT(run.err, HasSubstr(part));
        expect_nothing_left();
    }
    void expect_nothing_left() {
        for (const auto& entry : std::filesystem::recursive_directory_iterator(folder_.path()))
            EXPECT_EQ(entry.path().string().find("/crates/"), std::string::npos) << entry.path();
    }

    TempFolder folder_;
};

// ----------------------------------------------------------------------------------- good runs

TEST(ToolHelpTest, WrongUseIsExitTwo) {
    EXPECT_THAT(run_tool("--version").out, HasSubstr("mellow 0."));
    for (const char* wrong :
         {"bake", "pack", "describe", "view x", "compare a", "describe a --colour red"}) {
        const ToolRun run = run_tool(wrong);
        EXPECT_EQ(run.exit, 2) << wrong;
        EXPECT_THAT(run.err, Not(IsEmpty())) << wrong;
    }
}

TEST_F(ToolTest, TheReportIsATableAndTheRestIsInTheCrate) {
    const ToolRun run = pack();
    ASSERT_EQ(run.exit, 0) << run.err;
    const auto lines = std::count(run.out.begin(), run.out.end(), '\n');
    EXPECT_LT(lines, 16);
    EXPECT_TRUE(std::regex_search(
        run.out, std::regex("\nwalk +31 +1\\.000 +closed +1\\.00 m +\\S+ +\\S+ +passed\n")))
        << run.out;
    EXPECT_EQ(run.out.rfind("PASSED: 3 clips"), run.out.rfind('\n', run.out.size() - 2) + 1);
    const std::string whole = read_text(folder_ / "crates/tamsin/report.txt");
    EXPECT_THAT(whole, HasSubstr("31 samples, 30 intervals, 1.0000 s at 30/s"));
    const ToolRun verbose = run_tool("pack --replace --verbose " + path("tamsin.recipe.toml"));
    EXPECT_THAT(verbose.out, HasSubstr("31 samples, 30 intervals, 1.0000 s at 30/s"));
}

TEST_F(ToolTest, ADryRunSaysWhatTheRealRunDoes) {
    change("tamsin.recipe.toml", test::kNoPicture, "");
    const auto files_under = [&] {
        std::set<std::string> files;
        for (const auto& e : std::filesystem::recursive_directory_iterator(folder_.path()))
            if (e.is_regular_file()) files.insert(e.path().string());
        return files;
    };
    const auto before = files_under();
    const std::string dry = "pack --dry-run --json ";
    const ToolRun run = run_tool(dry + path("tamsin.recipe.toml"));
    EXPECT_EQ(run.exit, 0) << run.err;
    EXPECT_EQ(files_under(), before);
    const json plan = json::parse(run.out);
    ASSERT_EQ(pack().exit, 0);
    std::set<std::string> written, announced;
    for (const std::string& file : files_under())
        if (!before.contains(file)) written.insert(file);
    for (const json& file : plan["files"]) {
        EXPECT_EQ(file["fate"], "written");
        announced.insert(file["file"].get<std::string>());
    }
    EXPECT_EQ(announced, written);
    const json manifest = json::parse(read_text(folder_ / "crates/tamsin/crate.json"));
    for (std::size_t i = 0; i < 3; ++i)
        for (const char* key : {"name", "samples", "seconds", "loop", "rate"})
            EXPECT_EQ(plan["clips"][i][key], manifest["clips"][i][key]) << key;
    // Now a crate stands there: without --replace the dry run ends as the real one does.
    EXPECT_EQ(run_tool(dry + path("tamsin.recipe.toml")).exit, 4);
    write_text(folder_ / "crates/tamsin/note.txt", "mine");
    const ToolRun other = run_tool(dry + "--replace " + path("tamsin.recipe.toml"));
    EXPECT_EQ(other.exit, 4);
    EXPECT_THAT(other.err, HasSubstr("note.txt"));
    std::filesystem::remove(folder_ / "crates/tamsin/note.txt");
    change("tamsin.recipe.toml", "\"pick\"", "\"reach\"");
    const json again = json::parse(run_tool(dry + "--replace " + path("tamsin.recipe.toml")).out);
    std::map<std::string, int> fates;
    for (const json& file : again["files"]) ++fates[file["fate"].get<std::string>()];
    EXPECT_EQ(fates, (std::map<std::string, int>{{"replaced", 9}, {"written", 1}, {"removed", 1}}));
    change("tamsin.recipe.toml", "range = [144, 240]", "range = [144, 300]");
    EXPECT_EQ(run_tool(dry + path("tamsin.recipe.toml")).exit, 3);
    // What is known when all is baked and measured alone.
    change("tamsin.recipe.toml", "range = [144, 300]", "range = [144, 200]");
    change("tamsin.recipe.toml", "range = [0, 96]", "range = [0, 80]");
    std::filesystem::remove_all(folder_ / "crates");
    const ToolRun told = run_tool("pack --dry-run " + path("tamsin.recipe.toml"));
    EXPECT_FALSE(std::filesystem::exists(folder_ / "crates"));
    const ToolRun done = run_tool("pack " + path("tamsin.recipe.toml"));
    EXPECT_EQ(told.exit, 1);
    EXPECT_EQ(done.exit, 1);
    EXPECT_THAT(told.out, HasSubstr("packing would fail"));
    EXPECT_THAT(told.err, HasSubstr("stop[loop-open]"));
    EXPECT_EQ(told.err, done.err.substr(0, done.err.find("not packed")));
}

TEST_F(ToolTest, BackupsAreCountedAndOlderOnesGo) {
    ASSERT_EQ(pack().exit, 0);
    const auto repack = [&](int rate, const std::string& more) {
        const std::string text = read_text(folder_ / "tamsin.recipe.toml");
        write_text(folder_ / "tamsin.recipe.toml",
                   std::regex_replace(text, std::regex("rate = (30|\\d+)\nloop"),
                                      fmt::format("rate = {}\nloop", rate)));
        return run_tool("pack --replace " + more + path("tamsin.recipe.toml"));
    };
    const auto backups = [&] {
        std::vector<std::string> names;
        for (const auto& e : std::filesystem::directory_iterator(folder_ / "crates"))
            names.push_back(e.path().filename().string());
        std::sort(names.begin(), names.end());
        return names;
    };
    for (const int rate : {24, 25, 50}) ASSERT_EQ(repack(rate, "--keep 2 ").exit, 0);
    EXPECT_THAT(backups(), testing::ElementsAre("tamsin", "tamsin.backup-2", "tamsin.backup-3"));
    EXPECT_THAT(repack(50, "").out, HasSubstr("no backup made"));
    const ToolRun fewer = repack(60, "--keep 1 ");
    EXPECT_THAT(fewer.out, HasSubstr("removed the older backup"));
    EXPECT_THAT(backups(), testing::ElementsAre("tamsin", "tamsin.backup-4"));
    EXPECT_EQ(repack(24, "--keep -1 ").exit, 2);
}

TEST_F(ToolTest, DescribeOfFoldersAndCratesIsATable) {
    ASSERT_EQ(pack().exit, 0);
    std::filesystem::create_directory(folder_ / "captures");
    std::filesystem::copy(folder_ / "tamsin.glb", folder_ / "captures/b.glb");
    write_text(folder_ / "captures/broken.bvh", "HIERARCHY");
    const ToolRun folder = run_tool("describe " + path("."));
    EXPECT_EQ(folder.exit, 3);  // one of them could not be read
    EXPECT_THAT(folder.out, HasSubstr("stop: bvh-broken"));
    EXPECT_THAT(folder.out,
                HasSubstr("4 files, 5 timelines, 755 samples, 29.000 s; 1 could not be read"));
    const ToolRun crate = run_tool("describe " + path("crates/tamsin"));
    EXPECT_EQ(crate.exit, 0);
    EXPECT_THAT(crate.out, HasSubstr("3 clips, 9.000 s"));
    const json of_crate = json::parse(run_tool("describe --json " + path("crates/tamsin")).out);
    EXPECT_EQ(of_crate["clips"][1]["samples"], 31);
    write_text(folder_ / "crates/tamsin/clips/walk.glb", "spoilt");
    EXPECT_EQ(run_tool("describe " + path("crates/tamsin")).exit, 3);
    EXPECT_THAT(
        run_tool("describe " + path("captures/broken.bvh") + " " + path("tamsin.glb") + " --json")
            .out,
        HasSubstr("\"unreadable\": 1"));
    std::filesystem::create_directory(folder_ / "empty");
    EXPECT_EQ(run_tool("describe " + path("empty")).exit, 3);
}

TEST_F(ToolTest, UnitsAreUnderstoodAsPeopleWriteThem) {
    for (const char* unit : {"cm", "centimeter", "centimetres", "0.01"}) {
        const json told = json::parse(run_tool("describe --json --up +Z --front -Y --unit " +
                                               std::string(unit) + " " + path("tamsin.glb"))
                                          .out);
        EXPECT_NEAR(told["height_m"].get<double>(), 1.70, 0.01) << unit;
        EXPECT_EQ(told["convention"]["metres_per_unit"], 0.01);
    }
    EXPECT_THAT(run_tool("describe --unit in " + path("tamsin.glb")).out, HasSubstr(", inch;"));
}

TEST_F(ToolTest, DescribeRefusesOptionsThatMakeNoSense) {
    for (const char* wrong : {"--unit cubit", "--up Q", "--up +Y --front -Y", "--rate fast"}) {
        const ToolRun run = run_tool("describe " + path("tamsin.glb") + " " + wrong);
        EXPECT_EQ(run.exit, 2) << wrong;
        EXPECT_THAT(run.err, HasSubstr("--")) << wrong;
    }
}

TEST_F(ToolTest, ViewDrawsAPackedCrate) {
    change("tamsin.recipe.toml", test::kNoPicture, "");
    ASSERT_EQ(pack().exit, 0);
    const ToolRun run = run_tool("view " + path("crates/tamsin") + " -o " + path("sheet.png"));
    EXPECT_EQ(run.exit, 0) << run.err;
    EXPECT_EQ(read_text(folder_ / "sheet.png"), read_text(folder_ / "crates/tamsin/sheet.png"));
    EXPECT_EQ(run_tool("view " + path("crates/tamsin") + " -o " + path("sheet.png")).exit, 4);
    // Named in the axes of another target it is another picture; of its own, the same.
    for (const auto& [target, same] :
         {std::pair("z-up-centimetre-left", false), std::pair("y-up-metre", true)}) {
        const std::string picture = std::string(target) + ".png";
        EXPECT_EQ(run_tool("view " + path("crates/tamsin") + " --target " + target + " -o " +
                           path(picture))
                      .exit,
                  0);
        EXPECT_EQ(read_text(folder_ / picture) == read_text(folder_ / "sheet.png"), same) << target;
    }
    EXPECT_EQ(run_tool("view " + path("crates/tamsin") + " --target q -o " + path("no.png")).exit,
              2);
    EXPECT_EQ(run_tool("view " + path("crates/tamsin") + " --replace -o " + path("sheet.png")).exit,
              0);
    // By names from where one is.
    const std::string here = "cd " + folder_.path().string() + " && ";
    EXPECT_EQ(run_tool("view crates/tamsin -o here.png", here).exit, 0);
    EXPECT_EQ(read_text(folder_ / "here.png"), read_text(folder_ / "sheet.png"));
    EXPECT_EQ(run_tool("view crates/tamsin -o crates/tamsin/new.png", here).exit, 4);
    const ToolRun one =
        run_tool("view " + path("crates/tamsin") + " --match 'w*' -o " + path("w.png"));
    EXPECT_THAT(one.out, HasSubstr("1 clip of"));
    const ToolRun other =
        run_tool("view " + path("crates/tamsin") + " --match q -o " + path("q.png"));
    EXPECT_EQ(other.exit, 3);
    EXPECT_THAT(other.err, HasSubstr("stand, walk"));
    EXPECT_FALSE(std::filesystem::exists(folder_ / "q.png"));
    const std::string manifest = read_text(folder_ / "crates/tamsin/crate.json");
    for (const char* within : {"crates/tamsin/crate.json", "crates/tamsin/clips/new.png"}) {
        const ToolRun run_within =
            run_tool("view " + path("crates/tamsin") + " --replace -o " + path(within));
        EXPECT_EQ(run_within.exit, 4) << within;
        EXPECT_THAT(run_within.err, HasSubstr("within the crate"));
    }
    EXPECT_EQ(read_text(folder_ / "crates/tamsin/crate.json"), manifest);
    const ToolRun none = run_tool("view " + path("nowhere") + " -o " + path("b.png"));
    EXPECT_EQ(none.exit, 3);
    EXPECT_THAT(none.err, HasSubstr("nowhere"));
    EXPECT_FALSE(std::filesystem::exists(folder_ / "b.png"));
}

TEST_F(ToolTest, AnExistingCrateIsKeptUnlessAskedAndThenBackedUp) {
    ASSERT_EQ(pack().exit, 0);
    const std::string before = read_text(folder_ / "crates/tamsin/crate.json");
    const ToolRun again = pack();
    EXPECT_EQ(again.exit, 4);
    EXPECT_THAT(again.err, HasSubstr("another folder (--replace)"));
    change("tamsin.recipe.toml", "rate = 30", "rate = 60");
    const ToolRun replaced = run_tool("pack --replace " + path("tamsin.recipe.toml"));
    EXPECT_EQ(replaced.exit, 0);
    EXPECT_EQ(read_text(folder_ / "crates/tamsin.backup-1/crate.json"), before);
    EXPECT_NE(read_text(folder_ / "crates/tamsin/crate.json"), before);
    EXPECT_THAT(replaced.out, HasSubstr("other than before: rate: 60, not 30\n"));
    EXPECT_THAT(replaced.out, HasSubstr("                   walk: samples: 61, not 31; period: 60, "
                                        "not 30; rate: 60, not 30\n"));
    // Clip by clip: one shorter, one of another name; what stays is not spoken of.
    change("tamsin.recipe.toml", "name = \"stand\"\nrange = [0, 96]",
           "name = \"rest\"\nrange = [0, 48]");
    const ToolRun renamed = run_tool("pack --replace " + path("tamsin.recipe.toml"));
    EXPECT_THAT(
        renamed.out,
        HasSubstr(
            "other than before: rest: new\n                   stand: gone\nthe crate that stood"));
}

TEST_F(ToolTest, AboveToleranceIsExitOneAndNamesJointSampleAndFigure) {
    change("tamsin.recipe.toml", "tolerance_mm = 0.05", "tolerance_mm = 0.0000001");
    const ToolRun run = pack();
    EXPECT_EQ(run.exit, 1);
    EXPECT_THAT(run.err, testing::ContainsRegex(
                             "joint \"[a-zA-Z_.]+\" is [0-9.e-]+ mm off at sample [0-9]+"));
    EXPECT_THAT(run.err, HasSubstr("kept aside in"));
    EXPECT_TRUE(std::filesystem::exists(folder_ / "crates/tamsin.rejected-1/tamsin.glb"));
    EXPECT_FALSE(std::filesystem::exists(folder_ / "crates/tamsin"));
}

TEST_F(ToolTest, TheSourceIsNeverTouched) {
    const std::string before = read_text(folder_ / "tamsin.glb");
    ASSERT_EQ(pack().exit, 0);
    EXPECT_EQ(read_text(folder_ / "tamsin.glb"), before);
}

// ------------------------------------------------------------------------------------ bad input

TEST_F(ToolTest, UnreadableFiles) {
    std::filesystem::remove(folder_ / "tamsin.glb");
    std::filesystem::create_directory(folder_ / "tamsin.glb");
    expect_refused(3, {"stop[file-unreadable]", "not a regular file"});
    if (::geteuid() == 0) return;  // may read everything
    std::filesystem::remove(folder_ / "tamsin.glb");
    write_text(folder_ / "tamsin.glb", "x");
    std::filesystem::permissions(folder_ / "tamsin.glb", std::filesystem::perms::none);
    expect_refused(3, {"stop[file-unreadable]", "permissions"});
}

TEST_F(ToolTest, TruncatedGlb) {
    const std::string whole = read_text(folder_ / "tamsin.glb");
    for (const std::size_t size :
         {std::size_t{5}, std::size_t{19}, std::size_t{3000}, whole.size() / 2, whole.size() - 1}) {
        write_text(folder_ / "tamsin.glb", whole.substr(0, size));
        expect_refused(3, {"stop[", "tamsin.glb", "found:", "expected:", "do:"});
    }
}

TEST_F(ToolTest, IndexOutOfRange) {
    write_text(folder_ / "tamsin.glb",
               R"({"asset":{"version":"2.0"},"nodes":[{"name":"a","children":[5]}]})");
    expect_refused(3, {"stop[gltf-reference]", "nodes[0].children[0]", "index 5", "below 1"});
}

TEST_F(ToolTest, AccessorOutOfRange) {
    write_text(
        folder_ / "tamsin.glb",
        R"({"asset":{"version":"2.0"},"buffers":[{"byteLength":4,"uri":"data:;base64,AAAAAA=="}],
        "bufferViews":[{"buffer":0,"byteLength":4}],"accessors":[{"bufferView":0,"componentType":5126,"count":2,"type":"VEC3"}],
        "meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],"nodes":[{"mesh":0}]})");
    expect_refused(3, {"stop[gltf-reference]", "accessors[0]", "inside"});
}

TEST_F(ToolTest, NodeCycle) {
    write_text(folder_ / "tamsin.glb",
               R"({"asset":{"version":"2.0"},"nodes":[{"children":[1]},{"children":[0]}]})");
    expect_refused(3, {"stop[node-cycle]", "own ancestors"});
}

TEST_F(ToolTest, APrefixThatMakesNamesClash) {
    std::string glb = read_text(folder_ / "tamsin.glb");
    const auto place = glb.find("\"orchard:head_end\"");
    ASSERT_NE(place, std::string::npos);
    write_text(folder_ / "tamsin.glb", glb.replace(place, 18, "\"hips\"            "));
    expect_refused(3, {"stop[name-clash]", "\"orchard:hips\"", "\"hips\"", "strip_prefix"});
}

TEST_F(ToolTest, AnUnwritableFolder) {
    write_text(folder_ / "crates", "a file where a folder should be");
    expect_refused(4, {"stop[output-unwritable]", "crates"});
    EXPECT_EQ(read_text(folder_ / "crates"), "a file where a folder should be");
    if (::geteuid() == 0) return;  // may write everywhere
    std::filesystem::remove(folder_ / "crates");
    std::filesystem::create_directory(folder_ / "crates");
    std::filesystem::permissions(folder_ / "crates", std::filesystem::perms::owner_read |
                                                         std::filesystem::perms::owner_exec);
    expect_refused(4, {"stop[output-unwritable]", "may write to"});
}

TEST_F(ToolTest, AFolderThatIsNoCrateIsLeftAlone) {
    std::filesystem::create_directories(folder_ / "crates/tamsin");
    write_text(folder_ / "crates/tamsin/diary.txt", "mine");
    const ToolRun run = run_tool("pack --replace " + path("tamsin.recipe.toml"));
    EXPECT_EQ(run.exit, 4);
    EXPECT_THAT(run.err, HasSubstr("not a crate"));
    EXPECT_EQ(read_text(folder_ / "crates/tamsin/diary.txt"), "mine");
}

TEST_F(ToolTest, AFullDisk) {
    const std::string preload = test::sanitized() ? "ASAN_OPTIONS=verify_asan_link_order=0 " : "";
    const auto full_after = [&](std::size_t bytes) {
        return fmt::format("{}LD_PRELOAD='{}' MELLOW_DISK_BYTES={}", preload, test::full_disk(),
                           bytes);
    };
    ASSERT_EQ(pack().exit, 0);  // with room
    std::size_t total = 0;
    for (const auto& entry : std::filesystem::recursive_directory_iterator(folder_ / "crates"))
        if (entry.is_regular_file()) total += entry.file_size();
    std::filesystem::remove_all(folder_ / "crates");
    // At the start, within the skin, between the clips, and at the last byte.
    for (const std::size_t bytes :
         {std::size_t{0}, std::size_t{1000}, total / 3, total / 2, total - 1})
        expect_refused(4, {"stop[output-unwritable]", "No space left on device", "free some space"},
                       full_after(bytes));
    ASSERT_EQ(pack().exit, 0);
    const std::string before = read_text(folder_ / "crates/tamsin/crate.json");
    const ToolRun run =
        run_tool("pack --all --replace " + path("tamsin.recipe.toml"), full_after(total / 2));
    EXPECT_EQ(run.exit, 4);
    EXPECT_EQ(read_text(folder_ / "crates/tamsin/crate.json"), before);
    EXPECT_FALSE(std::filesystem::exists(folder_ / "crates/tamsin.backup-1"));
}

// ------------------------------------------------------------------------------------ the words

TEST(DocsTest, EveryFindingIsExplained) {
    const std::string docs =
        read_text(std::filesystem::path(MELLOW_SOURCE_DIR) / "docs" / "findings.md");
    for (const Code code : all_codes())
        EXPECT_THAT(docs, HasSubstr(fmt::format("`{}`", name(code))));
}

/// Every key that the readers in these files ask a TOML table for.
std::set<std::string> keys_read_in(const std::vector<std::string>& files) {
    static const std::regex ask(
        "(?:text|texts|number|numbers|number_or_text|flag|choice|tables|mask|read_axis|read_amount|"
        "read_within|read_vector|read_curve)\\((?:\\w+, )?\"([a-z_]+)\"");
    std::set<std::string> keys;
    for (const std::string& file : files) {
        const std::string code = read_text(std::filesystem::path(MELLOW_SOURCE_DIR) / "src" / file);
        for (std::sregex_iterator m(code.begin(), code.end(), ask), end; m != end; ++m)
            keys.insert((*m)[1].str());
    }
    return keys;
}

TEST(DocsTest, EveryKeyOfSheetsAndRecipesIsExplained) {
    const auto rules =
                   keys_read_in({"rig/rig_sheet.cpp", "rig/follow.cpp", "rig/aim.cpp",
                                 "rig/limb.cpp", "rig/chain.cpp", "rig/twist.cpp", "rig/limit.cpp",
                                 "rig/roll.cpp", "rig/drive.cpp", "rig/lag.cpp"}),
               recipe = keys_read_in({"recipe/recipe.cpp", "recipe/recipe_parts.cpp",
                                      "recipe/recipe_shaping.cpp", "recipe/recipe_cues.cpp"}),
               target = keys_read_in({"recipe/target.cpp"});
    EXPECT_GT(target.size(), 15U);
    EXPECT_GT(rules.size(), 40U);
    EXPECT_GT(recipe.size(), 40U);
    const auto explained = [](const std::string& docs, const std::string& key) {
        for (const char* form :
             {"`{}`", "[[rule.{}]]", "[[arrangement.{}]]", "[[{}]]", "`{}, ", "`{} = "})
            if (docs.find(fmt::format(fmt::runtime(form), key)) != docs.npos) return true;
        return false;
    };
    const std::filesystem::path docs = std::filesystem::path(MELLOW_SOURCE_DIR) / "docs";
    const std::string sheet_docs = read_text(docs / "rig-sheet.md"),
                      recipe_docs = read_text(docs / "recipe.md") + read_text(docs / "shaping.md");
    for (const std::string& key : rules) EXPECT_TRUE(explained(sheet_docs, key)) << key;
    for (const std::string& key : recipe) EXPECT_TRUE(explained(recipe_docs, key)) << key;
    const std::string target_docs = read_text(docs / "target.md");
    for (const std::string& key : target) EXPECT_TRUE(explained(target_docs, key)) << key;
    for (const std::string& kind : rule_kinds())
        EXPECT_THAT(sheet_docs, HasSubstr(fmt::format("## `{}`", kind)));
}

}  // namespace
}  // namespace mellow
