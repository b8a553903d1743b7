// Each system call of writing fails once, at every place: what stands there afterwards is the old
// or the new, never something between, nothing else is left, and the message is true.
#include <fmt/format.h>

#include <cerrno>
#include <cstring>
#include <map>

#include "failing_disk.h"
#include "mellow/manifest.h"
#include "mellow/safe_write.h"
#include "support.h"

namespace mellow::disk_test {
namespace {

using namespace test;
using test::read_text;

using Files = std::map<std::string, std::string>;

Files files_in(const TempFolder& folder) {
    Files out;
    for (const auto& e : std::filesystem::recursive_directory_iterator(folder.path()))
        out[e.path().lexically_relative(folder.path()).string()] =
            e.is_directory() ? "" : read_text(e.path());
    return out;
}

const std::string kManifest =
    R"({"format": "mellow-crate", "name": "n", "skin": {"file": "n.glb"}, "clips": [{"file": "clips/a.glb"}]})";

/// What is written, where something stands or not.
struct Scenario {
    const char* name;
    std::function<void(const TempFolder&)> before;
    std::function<Status(const TempFolder&)> write;
};

Status write_two(const TempFolder& folder, bool replace) {
    const auto a = text_bytes("new scene"), b = text_bytes("new buffer");
    const std::vector<FileToWrite> files{{folder / "a.gltf", a}, {folder / "a.bin", b}};
    return write_files(files, replace);
}

Status write_crate(const TempFolder& folder, const std::string& place, bool replace) {
    MELLOW_TRY(StagedFolder staged, StagedFolder::open(folder / place, replace, foreign_to_crate));
    MELLOW_CHECK(staged.write("n.glb", text_bytes("new skin")));
    MELLOW_CHECK(staged.write("clips/a.glb", text_bytes("new clip")));
    MELLOW_CHECK(
        staged.write_text("crate.json", [&](const TextSink& sink) { sink(kManifest + " "); }));
    return staged.commit().ok() ? Status()
                                : Status(Finding{Code::kOutputUnwritable, Severity::kStop, "",
                                                 std::strerror(EIO), "", "nothing was changed"});
}

std::vector<Scenario> scenarios() {
    const auto nothing = [](const TempFolder&) {};
    const auto old_two = [](const TempFolder& f) {
        write_text(f / "a.gltf", "old scene");
        write_text(f / "a.bin", "old buffer");
    };
    const auto old_crate = [](const TempFolder& f) {
        std::filesystem::create_directories(f / "crate/clips");
        write_text(f / "crate/n.glb", "old skin");
        write_text(f / "crate/clips/a.glb", "old clip");
        write_text(f / "crate/crate.json", kManifest);
    };
    return {
        {"one file", nothing,
         [](const TempFolder& f) { return write_file(f / "a", text_bytes("new"), false); }},
        {"one file again", [](const TempFolder& f) { write_text(f / "a", "old"); },
         [](const TempFolder& f) { return write_file(f / "a", text_bytes("new"), true); }},
        {"two files", nothing, [](const TempFolder& f) { return write_two(f, false); }},
        {"two files again", old_two, [](const TempFolder& f) { return write_two(f, true); }},
        {"one of two again", [](const TempFolder& f) { write_text(f / "a.bin", "old buffer"); },
         [](const TempFolder& f) { return write_two(f, true); }},
        {"a crate", nothing, [](const TempFolder& f) { return write_crate(f, "crate", false); }},
        {"a crate below", nothing,
         [](const TempFolder& f) { return write_crate(f, "new/deep/crate", false); }},
        {"a crate again", old_crate,
         [](const TempFolder& f) { return write_crate(f, "crate", true); }},
    };
}

TEST(DiskTest, EveryCallFailsOnceAndNothingIsBetween) {
    int tried = 0;
    for (const Scenario& s : scenarios()) {
        Files old, made;
        {
            const TempFolder folder;
            s.before(folder);
            old = files_in(folder);
            const Status good = s.write(folder);
            ASSERT_TRUE(good.ok()) << s.name << to_text(good.failures()[0]);
            made = files_in(folder);
            EXPECT_NE(made, old);
        }
        for (const bool old_system : {false, true})
            for (const char* call :
                 {"open", "write", "fsync", "close", "rename", "renameat2", "link", "mkdir"})
                for (int nth = 1; nth < 100; ++nth) {
                    const std::string what = fmt::format("{}: {} number {}{}", s.name, call, nth,
                                                         old_system ? ", old system" : "");
                    const TempFolder folder;
                    s.before(folder);
                    bool failed = false;
                    Status status;
                    {
                        const FailingDisk disk(call, nth, EIO, old_system);
                        status = s.write(folder);
                        failed = disk.failed();
                    }
                    const Files now = files_in(folder);
                    EXPECT_EQ(now, status.ok() ? made : old) << what;
                    if (!status.ok()) {
                        const std::string text = to_text(status.failure());
                        EXPECT_NE(text.find(std::strerror(EIO)), text.npos) << what << text;
                        EXPECT_NE(text.find("nothing was changed"), text.npos) << what << text;
                        EXPECT_EQ(status.failure().code, Code::kOutputUnwritable) << what;
                    }
                    // What a program cannot do without must be told.
                    if (failed && (std::string(call) == "write" || std::string(call) == "open")) {
                        EXPECT_FALSE(status.ok()) << what;
                    }
                    if (!failed) break;
                    ++tried;
                }
    }
    EXPECT_GT(tried, 150);
}

TEST(DiskTest, WhatTheDiskDoesNotTakeIsTold) {
    for (const char* call : {"fsync", "close"}) {
        const TempFolder folder;
        const FailingDisk disk(call, 1, EIO);
        EXPECT_THAT(write_file(folder / "a", text_bytes("new"), false),
                    test::FailsWith(Code::kOutputUnwritable, std::strerror(EIO)))
            << call;
    }
}

TEST(DiskTest, OldAndNewNeverStandTogetherWhenThePowerGoes) {
    int tried = 0;
    for (const char* call : {"rename", "renameat2", "link", "fsync", "write"})
        for (int nth = 1; nth < 20; ++nth) {
            const TempFolder folder;
            write_text(folder / "a.gltf", "old scene");
            write_text(folder / "a.bin", "old buffer");
            bool failed = false;
            {
                const FailingDisk disk(call, nth, EIO, false, true);
                (void)write_two(folder, true);
                failed = disk.failed();
            }
            if (!failed) break;
            ++tried;
            const Files now = files_in(folder);
            const auto scene = now.find("a.gltf");
            if (scene == now.end()) continue;  // its backup is there
            EXPECT_EQ(scene->second.substr(0, 3), now.at("a.bin").substr(0, 3))
                << call << " number " << nth;
        }
    EXPECT_GT(tried, 5);
}

TEST(DiskTest, OfTwoThatWriteAtOnceNoneIsLost) {
    // Another process puts its file there between the look and the rename.
    const TempFolder folder;
    const auto bytes = text_bytes("mine");
    StagedFolder staged =
        std::move(StagedFolder::open(folder / "crate", false, foreign_to_crate)).value();
    ASSERT_TRUE(staged.write("crate.json", bytes).ok());
    std::filesystem::create_directory(folder / "crate");  // theirs, just begun
    EXPECT_THAT(staged.commit(), test::FailsWith(Code::kOutputExists, "another run"));
    EXPECT_TRUE(std::filesystem::is_empty(folder / "crate"));
}

}  // namespace
}  // namespace mellow::disk_test
