// Told to end, or killed, before every single operation on files: what stands afterwards is the old
// or the new, whole, and the old one as a backup; the next run succeeds and leaves nothing behind.
#include <csignal>
#include <cstdlib>
#include <map>

#include "small_figure.h"

namespace mellow::place_test {
namespace {

using namespace test;
namespace fs = std::filesystem;
using Files = std::map<std::string, std::string>;

Files files_in(const fs::path& folder) {
    Files out;
    std::error_code error;
    for (const auto& e : fs::recursive_directory_iterator(folder, error))
        if (e.is_regular_file()) out[e.path().lexically_relative(folder)] = read_text(e.path());
    return out;
}

/// A job, what it leaves at `place`, and what stands there before.
struct Job {
    const char* name;
    std::string arguments;
    std::string place;
    bool replaces = false;
};

class PlaceTest : public testing::Test {
  protected:
    void SetUp() override {
        write_bytes(base_ / "figure.glb", figure({keyed(0, "translation", 24, [](int f) {
                        return Three{0, 1, f / 24.0};
                    })}));
        const std::string clip = "range = [0, 24]\ntravel = [\"ground\"]\n";
        write_text(base_ / "a.toml", recipe(clip));
        write_text(base_ / "b.toml", recipe(clip, "[proof]\ntolerance_mm = 0.06\n"));
        write_text(base_ / "n.toml", change(recipe(clip), "\"out\"", "\"new\""));
        ASSERT_EQ(run(base_.path(), "pack a.toml").exit, 0);
        ASSERT_EQ(run(base_.path(), "convert figure.glb out.bvh").exit, 0);
        for (const char* share : {"1", "2"})
            ASSERT_EQ(run(base_.path(),
                          std::string("pack a.toml --share ") + share + "/2 -o parts/" + share)
                          .exit,
                      0);
    }

    static ToolRun run(const fs::path& folder, const std::string& arguments,
                       const std::string& environment = "") {
        return run_tool(arguments + " --quiet", "cd '" + folder.string() + "' && " + environment);
    }
    static std::string preloaded() { return "LD_PRELOAD='" + full_disk() + "' "; }

    /// How many operations the job makes, and what it leaves.
    int operations(const Job& job, Files& made) const {
        const TempFolder folder, count;
        fs::copy(base_.path(), folder.path(), fs::copy_options::recursive);
        const ToolRun whole =
            run(folder.path(), job.arguments,
                preloaded() + "MELLOW_OPERATIONS='" + (count / "n").string() + "' ");
        EXPECT_EQ(whole.exit, 0) << whole.err;
        made = files_at(folder.path() / job.place);
        return static_cast<int>(read_text(count / "n").size());
    }
    static Files files_at(const fs::path& place) {
        std::error_code error;
        return fs::is_regular_file(place, error) ? Files{{"", read_text(place)}} : files_in(place);
    }

    void expect_old_or_new(const Job& job, const Files& made, int signal, int nth) const {
        const TempFolder folder;
        fs::copy(base_.path(), folder.path(), fs::copy_options::recursive);
        const fs::path place = folder.path() / job.place;
        const Files old = files_at(place);
        const std::string what =
            fmt::format("{}: signal {} before operation {}", job.name, signal, nth);
        run(folder.path(), job.arguments,
            preloaded() + fmt::format("MELLOW_SIGNAL={} MELLOW_SIGNAL_AT={} ", signal, nth));
        const Files now = files_at(place);
        EXPECT_TRUE(now == old || now == made) << what;
        std::error_code none;  // a folder that the job had not made yet holds no litter
        const auto kept = [&] {
            for (const auto& e : fs::directory_iterator(place.parent_path(), none))
                if (e.path().string().find(".backup-") != std::string::npos &&
                    files_at(e.path()) == old)
                    return true;
            return false;
        };
        if (job.replaces && now == made && signal != SIGKILL) {
            EXPECT_TRUE(kept()) << what;
        }
        const auto litter = [&] {
            std::string names;
            for (const auto& e : fs::directory_iterator(place.parent_path(), none))
                if (e.path().filename().string().find(".partial-") != std::string::npos)
                    names += e.path().filename().string() + " ";
            return names;
        };
        if (signal != SIGKILL) {
            EXPECT_EQ(litter(), "") << what;
        }
        if (!job.replaces && now == made) return;  // a second one would be refused
        const ToolRun again = run(folder.path(), job.arguments);
        EXPECT_EQ(again.exit, 0) << what << again.err;
        EXPECT_EQ(files_at(place), made) << what;
        EXPECT_EQ(litter(), "") << what;
        if (job.replaces) {
            EXPECT_TRUE(kept()) << what;
        }
    }

    TempFolder base_;
};

TEST_F(PlaceTest, ASignalBeforeEveryOperationLeavesTheOldOrTheNew) {
    if (sanitized()) GTEST_SKIP() << "its runtime comes before what is preloaded";
    for (const Job& job :
         std::vector<Job>{{"pack", "pack n.toml", "new"},
                          {"pack over a crate", "pack b.toml --replace", "out", true},
                          {"gather", "gather parts -o gathered", "gathered"},
                          {"a share", "pack a.toml --share 1/2 -o fresh/1", "fresh/1"},
                          {"convert over a file",
                           "convert figure.glb out.bvh --replace --order XYZ", "out.bvh", true},
                          {"a page", "view figure.glb -o page.html", "page.html"},
                          {"a recipe", "draft figure.glb -o drafted.toml", "drafted.toml"}}) {
        Files made;
        const int all = operations(job, made);
        EXPECT_GT(all, 3) << job.name;
        for (int nth = 1; nth <= all; ++nth)
            expect_old_or_new(job, made, nth % 3 == 0 ? SIGTERM : SIGKILL, nth);
        for (const int signal : {SIGINT, SIGHUP}) expect_old_or_new(job, made, signal, all / 2);
    }
}

TEST_F(PlaceTest, TwoRunsAtOnceLeaveEachACrate) {
    const fs::path folder = base_.path();
    write_text(base_ / "c.toml",
               change(read_text(base_ / "b.toml"), "tolerance_mm = 0.06", "tolerance_mm = 0.07"));
    const Files old = files_in(folder / "out");
    for (int round = 0; round < 5; ++round) {
        const ToolRun both = run_tool("pack b.toml --replace --keep 9 --quiet & " + tool() +
                                          " pack c.toml --replace --keep 9 --quiet & wait",
                                      "cd '" + folder.string() + "'; ");
        EXPECT_EQ(both.err, "");
        std::vector<std::string> tolerances;
        for (const auto& e : fs::directory_iterator(folder))
            if (e.path().filename().string().starts_with("out") && e.is_directory()) {
                const std::string text = read_text(e.path() / "recipe.toml");
                const auto place = text.find("tolerance_mm = ");
                tolerances.push_back(place == text.npos ? "" : text.substr(place, 19));
            }
        std::sort(tolerances.begin(), tolerances.end());
        EXPECT_EQ(tolerances.size(), 3U) << "the old one and both new ones, round " << round;
        for (const auto& e : fs::directory_iterator(folder))
            if (e.path().filename().string().starts_with("out")) fs::remove_all(e.path());
        ASSERT_EQ(run(folder, "pack a.toml").exit, 0);
    }
}

}  // namespace
}  // namespace mellow::place_test
