// A manifest is data from outside: what reads crates refuses one that says what cannot be, with
// exit code 3, and touches nothing.
#include <fmt/format.h>
#include <gmock/gmock.h>

#include <nlohmann/json.hpp>

#include "packing.h"
#include "this_build.h"

namespace mellow::manifest_test {
namespace {

using namespace test;
using nlohmann::json;
namespace fs = std::filesystem;

std::map<std::string, std::string> bytes_below(const fs::path& folder) {
    std::map<std::string, std::string> out;
    for (const auto& e : fs::recursive_directory_iterator(folder))
        if (e.is_regular_file() && !e.is_symlink())
            out[fs::relative(e.path(), folder).string()] = read_text(e.path());
    return out;
}

struct Wrong {
    const char* what;
    std::function<void(json&)> change;
};

const std::vector<Wrong>& wrongs() {
    // Sanitizers are slow: these go through all that looks at a manifest.
    static const std::vector<Wrong> few{
        {"fewer weights than targets",
         [](json& m) { m["clips"][0]["morphs"][0]["activity"].erase(0); }},
        {"bytes beyond any", [](json& m) { m["skin"]["bytes"] = 1e308; }}};
    static const std::vector<Wrong> all{
        {"another format", [](json& m) { m["format"] = "cider-press"; }},
        {"an older version", [](json& m) { m["version"] = 1; }},
        {"a newer version", [](json& m) { m["version"] = 3; }},
        {"no version", [](json& m) { m.erase("version"); }},
        {"a version that is text", [](json& m) { m["version"] = "2"; }},
        {"bytes below none", [](json& m) { m["clips"][0]["bytes"] = -1; }},
        {"bytes beyond any", [](json& m) { m["skin"]["bytes"] = 1e308; }},
        {"half a byte", [](json& m) { m["clips"][1]["bytes"] = 7.5; }},
        {"a clip twice", [](json& m) { m["clips"].push_back(m["clips"][0]); }},
        {"a file outside", [](json& m) { m["clips"][0]["file"] = "../walk.glb"; }},
        {"a file of the root", [](json& m) { m["skin"]["file"] = "/etc/hostname"; }},
        {"a file without a name", [](json& m) { m["clips"][0]["file"] = ""; }},
        {"a hand that is none", [](json& m) { m["target"]["hand"] = "third"; }},
        {"an up that is front", [](json& m) { m["target"]["up"] = m["target"]["front"]; }},
        {"a unit of nothing", [](json& m) { m["target"]["metres_per_unit"] = 0; }},
        {"a rate of nothing", [](json& m) { m["target"]["rate"] = "0"; }},
        {"a frame that is none", [](json& m) { m["target"]["first_frame"] = 2; }},
        {"no samples", [](json& m) { m["clips"][0]["samples"] = 0; }},
        {"samples that do not fit", [](json& m) { m["clips"][0]["samples"] = 7; }},
        {"a loop that is none", [](json& m) { m["clips"][0]["loop"] = "round"; }},
        {"an error above the tolerance",
         [](json& m) { m["clips"][0]["proof"]["joint_position_mm"]["worst"] = 3; }},
        {"an error within another tolerance",
         [](json& m) {
             m["proof"]["tolerance"]["mm"] = 1e9;
             m["clips"][0]["proof"]["joint_position_mm"]["worst"] = 77;
         }},
        {"fewer weights than targets",
         [](json& m) { m["clips"][0]["morphs"][0]["activity"].erase(0); }},
        {"another speed than it was packed with", [](json& m) { m["clips"][0]["speed"] = 2; }},
        {"another travel",
         [](json& m) { m["clips"][1]["travel"]["ground"] = !m["clips"][1]["travel"]["ground"]; }},
        {"clips that are no list", [](json& m) { m["clips"] = 3; }},
        {"nothing", [](json& m) { m = json::object(); }},
    };
    if (sanitized()) return few;
    return all;
}

class ManifestTest : public testing::Test {
  protected:
    static void SetUpTestSuite() {
        folder_ = new TempFolder;
        write_files(folder_->path(), tamsin());
        ASSERT_THAT(pack_text(*folder_, read_text(*folder_ / "tamsin.recipe.toml")), IsOk());
        ASSERT_EQ(run_tool(fmt::format("pack {} --share 1/1 -o {}", path("tamsin.recipe.toml"),
                                       path("parts/1")))
                      .exit,
                  0);
    }
    static void TearDownTestSuite() { delete folder_; }
    static std::string path(const std::string& name) {
        return "'" + (*folder_ / name).string() + "'";
    }
    static TempFolder* folder_;
};
TempFolder* ManifestTest::folder_ = nullptr;

TEST_F(ManifestTest, NothingReadsACrateThatSaysWhatCannotBe) {
    const fs::path crate = *folder_ / "crates/tamsin";
    const std::string good = read_text(crate / "crate.json");
    const std::string readers[] = {
        "check " + path("crates/tamsin"),
        "view " + path("crates/tamsin") + " -o " + path("sheet.png"),
        "compare " + path("crates/tamsin") + " " + path("crates/tamsin")};
    for (const Wrong& wrong : wrongs()) {
        json manifest = json::parse(good);
        wrong.change(manifest);
        write_text(crate / "crate.json", manifest.dump(1));
        const auto before = bytes_below(crate);
        int refused = 0;
        for (const std::string& reader : readers) {
            const ToolRun run = run_tool(reader);
            // What is well formed and untrue is a demand that is not met.
            EXPECT_TRUE(run.exit == 3 || (reader.starts_with("check") && run.exit == 1))
                << wrong.what << ": " << reader << run.exit << run.out << run.err;
            refused += run.exit == 3 || run.exit == 1 ? 1 : 0;
        }
        EXPECT_EQ(refused, 3) << wrong.what;
        EXPECT_EQ(bytes_below(crate), before) << wrong.what;
        EXPECT_FALSE(fs::exists(*folder_ / "sheet.png")) << wrong.what;
        // Packing again never takes over what it says.
        const ToolRun again = run_tool("pack --replace " + path("tamsin.recipe.toml"));
        if (again.exit == 0) {
            EXPECT_EQ(read_text(crate / "crate.json"), good) << wrong.what;
        } else {
            EXPECT_EQ(again.exit, 3) << wrong.what << again.err;
            EXPECT_EQ(bytes_below(crate), before) << wrong.what;
        }
        write_text(crate / "crate.json", good);
    }
}

TEST_F(ManifestTest, EditsAndCallsOfRemediesAreKept) {
    const fs::path crate = *folder_ / "crates/tamsin";
    auto manifest = Manifest::open(crate, Parts::kRefused);
    ASSERT_THAT(manifest, IsOk());
    Finding finding{Code::kShear, Severity::kWarning, "nodes", "found", "expected", "remedy"};
    finding.edits = {{"target", "scale", "\"keep\""}, {"", "speed", ""}};
    for (int job = 0; job < kCallJobs; ++job) finding.calls.push_back({Call::Job(job), "a b", {}});
    for (int i = 0; i < kCallOptions; ++i)
        finding.calls[0].asked.push_back({Call::Option(i), i % 3 == 0 ? "" : std::to_string(i)});
    PackedClip& clip = manifest.value().clips[0];
    clip.findings = {finding};
    clip.demands_unmet = {{"rate", clip.file.file, "30", "24", false, "again", finding.calls}};
    clip.demands_met = 5;
    std::string text;
    manifest.value().encode([&](std::string_view piece) { text += piece; });
    const json told = json::parse(text)["clips"][0];
    ASSERT_EQ(told["findings"][0]["calls"].size(), 6U);
    EXPECT_EQ(told["findings"][0]["calls"][1]["job"], "convert");
    EXPECT_EQ(told["findings"][0]["calls"][0]["asked"][11]["option"], "replace");
    EXPECT_EQ(told["demands"]["unmet"][0]["calls"], told["findings"][0]["calls"]);
    const auto decoded = [&](const std::string& bytes) {
        return Manifest::decode({bytes.begin(), bytes.end()}, crate);
    };
    const auto again = decoded(text);
    ASSERT_THAT(again, IsOk());
    std::string same;
    again.value().encode([&](std::string_view piece) { same += piece; });
    EXPECT_EQ(same, text);
    EXPECT_EQ(again.value().clips[0].findings[0].edits[0].value, "\"keep\"");
    EXPECT_THAT(decoded(change(text, "\"job\": \"gather\"", "\"job\": \"press\"")),
                FailsWith(Code::kValueBad, "job: \"press\""));
}

TEST_F(ManifestTest, PartsOfACrateAreNoLessLookedAt) {
    const fs::path part = *folder_ / "parts/1";
    fs::path file;
    for (const auto& e : fs::recursive_directory_iterator(part))
        if (e.path().filename() == "crate.json") file = e.path();
    ASSERT_FALSE(file.empty());
    const std::string good = read_text(file);
    const fs::path crate = *folder_ / "crates/tamsin";
    const auto whole = bytes_below(crate);
    fs::remove_all(crate);  // so that nothing but the part can be taken
    for (const Wrong& wrong : wrongs()) {
        json manifest = json::parse(good);
        wrong.change(manifest);
        write_text(file, manifest.dump(1));
        const ToolRun run = run_tool("gather " + path("parts"));
        if (run.exit == 0) {
            EXPECT_EQ(bytes_below(crate), whole) << wrong.what;
            fs::remove_all(crate);
        } else {
            EXPECT_EQ(run.exit, 3) << wrong.what << run.err;
            EXPECT_FALSE(fs::exists(crate)) << wrong.what;
        }
    }
    write_text(file, good);
    EXPECT_EQ(run_tool("gather " + path("parts")).exit, 0);
    EXPECT_EQ(bytes_below(crate), whole);
}

TEST_F(ManifestTest, LinksInACrateAreRefused) {
    const fs::path crate = *folder_ / "crates/tamsin", clip = crate / "clips/walk.glb",
                   aside = *folder_ / "walk.glb";
    fs::rename(clip, aside);
    fs::create_symlink(aside, clip);
    EXPECT_EQ(run_tool("check " + path("crates/tamsin")).exit, 3);
    fs::remove(clip);
    fs::rename(aside, clip);
    fs::rename(crate / "clips", *folder_ / "elsewhere");
    fs::create_directory_symlink(*folder_ / "elsewhere", crate / "clips");
    EXPECT_EQ(run_tool("check " + path("crates/tamsin")).exit, 3);
    fs::remove(crate / "clips");
    fs::rename(*folder_ / "elsewhere", crate / "clips");
    EXPECT_EQ(run_tool("check " + path("crates/tamsin")).exit, 0);
}

}  // namespace
}  // namespace mellow::manifest_test
