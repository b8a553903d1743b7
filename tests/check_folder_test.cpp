// Crates against their targets: what was changed since, damaged, or travels otherwise.
#include <cmath>
#include <nlohmann/json.hpp>
#include "mellow/crate.h"
#include "mellow/read.h"
#include "mellow/write.h"
#include "small_figure.h"

namespace mellow::check_folder_test {
namespace {

using nlohmann::json;
using namespace test;
using test::read_text;
using namespace testing;

class CheckFolderTest : public test::SmallFigure {};

TEST_F(CheckFolderTest, ATargetFileThatChangesMakesACrateStale) {
    write_bytes(folder_ / "figure.glb", figure({nodding([](int f) { return f; })}));
    write_text(folder_ / "t.toml", "rate = 24\njoints = \"j.txt\"\nsurplus = \"drop\"\n");
    write_text(folder_ / "j.txt", "hips\n  head\n");
    const std::string text =
        change(recipe("range = [0, 24]\n"), "rate = 24\n", "file = \"t.toml\"\n");
    const auto unchanged = [&] {
        const auto report = pack_text(folder_, text, true);
        EXPECT_THAT(report, IsOk());
        return report.value().unchanged;
    };
    EXPECT_FALSE(unchanged());
    EXPECT_TRUE(unchanged());
    write_text(folder_ / "j.txt", "hips\n  head  # a word\n");
    EXPECT_FALSE(unchanged()) << "other bytes";
    EXPECT_TRUE(unchanged());
    write_text(folder_ / "t.toml",
               "rate = 24\njoints = \"j.txt\"\nsurplus = \"drop\"\nskin_name = \"body\"\n");
    EXPECT_FALSE(unchanged());
    EXPECT_TRUE(std::filesystem::exists(folder_ / "out/body.glb"));
    // A list in which joints hang or rest elsewhere.
    write_text(folder_ / "j.txt", "hips\nhead\n");
    const auto moved = pack_text(folder_, text, true);
    ASSERT_THAT(moved, IsOk());
    EXPECT_THAT(text_of(of_code(moved.value(), Code::kSkeletonDiffers)),
                HasSubstr("joints that hang elsewhere in the list: head"));
    write_text(folder_ / "j.txt", "hips 0 1 0\n  head 0 0.75 0\n");
    const auto longer = pack_text(folder_, text, true);
    ASSERT_THAT(longer, IsOk());
    EXPECT_THAT(text_of(of_code(longer.value(), Code::kSkeletonDiffers)),
                HasSubstr("joints that rest elsewhere in the list: head"));
}

TEST_F(CheckFolderTest, CratesThatTravelOtherwiseAreTold) {
    const auto turning = keyed(0, "rotation", 24, [](int f) {
        return Three{0, std::sin(f / 48.0), 0, std::cos(f / 48.0)};
    });
    const std::vector<std::string> parts{"\"ground\"", "\"ground\", \"heading\"",
                                         "\"ground\", \"height\""};
    for (std::size_t i = 0; i < parts.size(); ++i)
        pack({going(24, 2), turning},
             change(recipe("range = [0, 24]\ntravel = [" + parts[i] + "]\n",
                           "[travel]\nroot = \"root\"\n"),
                    "\"out\"", "\"out" + std::to_string(i) + "\""));
    for (const auto& [other, word] :
         {std::pair("out1", "ground, heading"), {"out2", "ground, height"}}) {
        const auto run = run_tool("compare " + path("out0") + " " + path(other));
        EXPECT_EQ(run.exit, 1) << other;
        EXPECT_THAT(run.out, HasSubstr(word)) << other;
    }
}

TEST_F(CheckFolderTest, TablesAreCheckedLikeOtherFiles) {
    const PackReport report = pack({nodding([](int f) { return 20 * std::sin(f * M_PI / 12); })},
                                   change(recipe("range = [0, 24]\nloop = true\n"), "rate = 24\n",
                                          "rate = 24\nformat = \"csv\"\nfirst_pose = \"rest\"\n"));
    EXPECT_TRUE(report.proven);
    const auto run = run_tool("check " + path("out"));
    EXPECT_EQ(run.exit, 0) << run.out << run.err;
    EXPECT_THAT(run.out, HasSubstr("PASSED"));
    EXPECT_THAT(run.out, Not(HasSubstr("closing-sample")));
}

TEST_F(CheckFolderTest, FoldersWithoutFilesAndDamagedManifestsAreNoCrates) {
    std::filesystem::create_directories(folder_ / "empty");
    const auto empty = run_tool("check " + path("empty") + " --target y-up-metre");
    EXPECT_EQ(empty.exit, 3);
    EXPECT_THAT(empty.err, AllOf(HasSubstr("file-missing"), HasSubstr("no scene file")));
    pack({nodding([](int f) { return f; })}, recipe("range = [0, 24]\n"));
    const std::string manifest = read_text(folder_ / "out/crate.json");
    const auto with = [&](const std::string& from, const std::string& to) {
        write_text(folder_ / "out/crate.json", change(manifest, from, to));
        std::filesystem::remove(folder_ / "x.html");
        return run_tool("check " + path("out"));
    };
    // A list that is not there, and numbers that are none.
    for (const auto& [from, to] :
         {std::pair<std::string, std::string>("\"samples\": 25", "\"samples\": 2.5"),
          {"\"samples\": 25", "\"samples\": -3"},
          {"\"clips\": [", "\"klips\": ["},
          {"{", "["}}) {
        const auto run = with(from, to);
        EXPECT_EQ(run.exit, 3) << to << run.out << run.err;
        EXPECT_THAT(run.err, HasSubstr("crate.json")) << to;
        EXPECT_EQ(run_tool("view " + path("out") + " -o " + path("x.html")).exit, 3) << to;
    }
    // Numbers that are not those of the files.
    const auto run = with("\"samples\": 25", "\"samples\": 24");
    EXPECT_EQ(run.exit, 3) << run.out;
    EXPECT_THAT(run.err, HasSubstr("other things of \"c\""));
}

}  // namespace
}  // namespace mellow::check_folder_test
