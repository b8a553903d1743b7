// Writing without losing anything.
#include <sys/resource.h>
#include <sys/stat.h>

#include <csignal>

#include "mellow/manifest.h"
#include "mellow/safe_write.h"
#include "support.h"

namespace mellow {
namespace {

using namespace test;
using test::read_text;
using testing::ElementsAre;

TEST(WriteFileTest, WritesOnceAndReplacesOnlyWhenAsked) {
    const TempFolder folder;
    EXPECT_THAT(write_file(folder / "a.png", text_bytes("one"), false), IsOk());
    EXPECT_THAT(write_file(folder / "a.png", text_bytes("two"), false),
                FailsWith(Code::kOutputExists, "or replace it"));
    EXPECT_EQ(read_text(folder / "a.png"), "one");
    EXPECT_THAT(write_file(folder / "a.png", text_bytes("two"), true), IsOk());
    EXPECT_EQ(read_text(folder / "a.png"), "two");
    EXPECT_EQ(read_text(folder / "a.png.backup-1"), "one");
    EXPECT_THAT(write_file(folder / "a.png", text_bytes("two"), true), IsOk());
    EXPECT_THAT(folder.names(), ElementsAre("a.png", "a.png.backup-1")) << "the same bytes";
    for (const char* text : {"three", "four", "five"})
        EXPECT_THAT(write_file(folder / "a.png", text_bytes(text), true), IsOk());
    EXPECT_THAT(folder.names(),
                ElementsAre("a.png", "a.png.backup-2", "a.png.backup-3", "a.png.backup-4"));
}

TEST(WriteFileTest, AFolderIsNoFile) {
    const TempFolder folder;
    std::filesystem::create_directory(folder / "a");
    EXPECT_THAT(write_file(folder / "a", text_bytes("x"), true),
                FailsWith(Code::kOutputExists, "folder"));
    EXPECT_THAT(write_file(folder / "none" / "b", text_bytes("x"), true),
                FailsWith(Code::kOutputUnwritable, "b"));
}

TEST(WriteFileTest, OnlyFilesGiveWay) {
    const TempFolder folder;
    write_text(folder / "own", "mine");
    std::filesystem::create_symlink(folder / "own", folder / "link");
    ASSERT_EQ(::mkfifo((folder / "pipe").c_str(), 0600), 0);
    EXPECT_THAT(write_file(folder / "link", text_bytes("x"), true),
                FailsWith(Code::kOutputExists, "a link"));
    EXPECT_THAT(write_file(folder / "pipe", text_bytes("x"), true),
                FailsWith(Code::kOutputExists, "no file"));
    EXPECT_EQ(read_text(folder / "own"), "mine");
    EXPECT_THAT(folder.names(), ElementsAre("link", "own", "pipe"));
}

TEST(WriteFileTest, FilesThatBelongTogetherAreOldOrNew) {
    const TempFolder folder;
    const auto put = [&](const std::string& scene, const std::string& buffer, bool replace) {
        const auto a = text_bytes(scene), b = text_bytes(buffer);
        const std::vector<FileToWrite> files{{folder / "a.gltf", a}, {folder / "a.bin", b}};
        return write_files(files, replace);
    };
    EXPECT_THAT(put("scene 1", "buffer 1", false), IsOk());
    EXPECT_THAT(put("scene 2", "buffer 2", false), FailsWith(Code::kOutputExists, "a.gltf"));
    EXPECT_THAT(put("scene 2", "buffer 2", true), IsOk());
    EXPECT_EQ(read_text(folder / "a.gltf") + read_text(folder / "a.bin"), "scene 2buffer 2");
    EXPECT_EQ(read_text(folder / "a.gltf.backup-1"), "scene 1");
    EXPECT_EQ(read_text(folder / "a.bin.backup-1"), "buffer 1");
    EXPECT_THAT(put("scene 2", "buffer 2", true), IsOk());
    EXPECT_EQ(folder.names().size(), 4U) << "the same bytes";
    // What stays the same needs no backup; what refers to it goes and comes back all the same.
    EXPECT_THAT(put("scene 2b", "buffer 2", true), IsOk());
    EXPECT_EQ(read_text(folder / "a.gltf.backup-2"), "scene 2");
    EXPECT_FALSE(std::filesystem::exists(folder / "a.bin.backup-2"));
    EXPECT_THAT(put("scene 2", "buffer 2", true), IsOk());
    std::filesystem::remove(folder / "a.gltf.backup-3");
    std::filesystem::remove(folder / "a.gltf.backup-2");
    EXPECT_EQ(folder.names().size(), 4U) << "no litter";
    // Where one cannot be put in place, the others go back.
    std::filesystem::remove(folder / "a.bin");
    std::filesystem::create_directory(folder / "a.bin");
    EXPECT_THAT(put("scene 3", "buffer 3", true), FailsWith(Code::kOutputExists, "folder"));
    EXPECT_EQ(read_text(folder / "a.gltf"), "scene 2");
    EXPECT_EQ(folder.names().size(), 4U);
}

/// A manifest as small as can be.
std::string manifest(const std::string& name) {
    return "{\n  \"format\": \"mellow-crate\",\n  \"name\": \"" + name +
           "\",\n  \"clips\": [{\"file\": \"clips/walk.glb\"}]\n}\n";
}

StagedFolder open(const std::filesystem::path& path, bool replace = false) {
    auto opened = StagedFolder::open(path, replace, foreign_to_crate);
    EXPECT_THAT(opened, IsOk());
    return std::move(opened).value();
}

TEST(StagedFolderTest, AppearsInOneStep) {
    const TempFolder folder;
    {
        StagedFolder staged = open(folder / "crate");
        EXPECT_THAT(staged.write("crate.json", text_bytes(manifest("a"))), IsOk());
        EXPECT_THAT(staged.write("clips/walk.glb", text_bytes("glTF")), IsOk());
        EXPECT_FALSE(std::filesystem::exists(folder / "crate"));
        const auto backup = staged.commit();
        ASSERT_THAT(backup, IsOk());
        EXPECT_TRUE(backup.value().backup.empty());
    }
    EXPECT_THAT(folder.names(), ElementsAre("crate"));
    EXPECT_EQ(read_text(folder / "crate" / "clips" / "walk.glb"), "glTF");
}

TEST(StagedFolderTest, LeftAloneItDisappears) {
    const TempFolder folder;
    {
        StagedFolder staged = open(folder / "deep" / "crate");
        EXPECT_THAT(staged.write("a", text_bytes("x")), IsOk());
        const StagedFolder moved = std::move(staged);
    }
    EXPECT_FALSE(std::filesystem::exists(folder / "deep"));
    EXPECT_TRUE(std::filesystem::is_empty(folder.path()));
}

TEST(StagedFolderTest, WhatStoodThereIsKept) {
    const TempFolder folder;
    for (int run = 0; run < 3; ++run) {
        StagedFolder staged = open(folder / "crate", run > 0);
        EXPECT_THAT(staged.write("crate.json", text_bytes(manifest(std::to_string(run)))), IsOk());
        EXPECT_THAT(staged.commit(), IsOk());
    }
    EXPECT_THAT(folder.names(), ElementsAre("crate", "crate.backup-1", "crate.backup-2"));
    EXPECT_EQ(read_text(folder / "crate" / "crate.json"), manifest("2"));
    EXPECT_EQ(read_text(folder / "crate.backup-1" / "crate.json"), manifest("0"));
}

TEST(StagedFolderTest, TheSameBytesAreLeftAlone) {
    const TempFolder folder;
    const auto put = [&](const std::string& text, int keep) {
        StagedFolder staged = open(folder / "crate", std::filesystem::exists(folder / "crate"));
        EXPECT_THAT(staged.write("crate.json", text_bytes(manifest(text))), IsOk());
        return staged.commit(keep).value();
    };
    EXPECT_FALSE(put("a", 3).unchanged);
    const auto stamp = std::filesystem::last_write_time(folder / "crate");
    const StagedFolder::Placed same = put("a", 3);
    EXPECT_TRUE(same.unchanged);
    EXPECT_TRUE(same.backup.empty());
    EXPECT_EQ(std::filesystem::last_write_time(folder / "crate"), stamp);
    EXPECT_THAT(folder.names(), ElementsAre("crate"));
    for (const char* text : {"b", "c", "d"}) EXPECT_FALSE(put(text, 2).unchanged);
    EXPECT_THAT(folder.names(), ElementsAre("crate", "crate.backup-2", "crate.backup-3"));
    EXPECT_TRUE(put("e", 0).backup.empty());
    EXPECT_THAT(folder.names(), ElementsAre("crate"));
    write_text(folder / "crate.backup-x", "not ours");
    EXPECT_FALSE(put("f", 1).unchanged);
    EXPECT_THAT(folder.names(), ElementsAre("crate", "crate.backup-1", "crate.backup-x"));
}

TEST(StagedFolderTest, OnlyCratesAreReplaced) {
    const TempFolder folder;
    std::filesystem::create_directory(folder / "photos");
    write_text(folder / "photos" / "me.png", "x");
    EXPECT_THAT(StagedFolder::open(folder / "photos", false, foreign_to_crate),
                FailsWith(Code::kOutputExists, "not a crate"));
    EXPECT_THAT(StagedFolder::open(folder / "photos", true, foreign_to_crate),
                FailsWith(Code::kOutputExists, "not a crate"));
    write_text(folder / "photos" / "crate.json", manifest("a"));
    EXPECT_THAT(StagedFolder::open(folder / "photos", true, foreign_to_crate),
                FailsWith(Code::kOutputExists, "me.png"));
    std::filesystem::rename(folder / "photos" / "me.png", folder / "photos" / "sheet.png");
    EXPECT_THAT(StagedFolder::open(folder / "photos", true, foreign_to_crate), IsOk());
    write_text(folder / "file", "x");
    EXPECT_THAT(StagedFolder::open(folder / "file", true, foreign_to_crate),
                FailsWith(Code::kOutputExists, "file"));
    EXPECT_THAT(folder.names(), ElementsAre("file", "photos"));
}

TEST(StagedFolderTest, WhatCameToStandThereMeanwhileIsNotReplacedUnasked) {
    for (const bool replace : {false, true}) {
        const TempFolder folder;
        StagedFolder late = open(folder / "crate", replace);
        EXPECT_THAT(late.write("crate.json", text_bytes(manifest("late"))), IsOk());
        std::filesystem::create_directory(folder / "crate");  // another process was faster
        write_text(folder / "crate" / "crate.json", manifest("early"));
        const auto placed = late.commit();
        const char* const stands = replace ? "late" : "early";
        EXPECT_EQ(read_text(folder / "crate" / "crate.json"), manifest(stands));
        if (replace)
            EXPECT_EQ(read_text(folder / "crate.backup-1" / "crate.json"), manifest("early"));
        else
            EXPECT_THAT(placed, FailsWith(Code::kOutputExists, "another run"));
    }
}

/// A folder as a process that was killed leaves it, named by its own inode or by another's.
std::filesystem::path left_behind(const TempFolder& folder, const std::string& file,
                                  unsigned long other = 0) {
    const auto made = folder / "made";
    std::filesystem::create_directory(made);
    write_text(made / file, manifest("left"));
    struct stat facts {};
    ::stat(made.c_str(), &facts);
    const auto named =
        folder / ("crate.partial-1-1-" + std::to_string(other != 0 ? other : facts.st_ino));
    std::filesystem::rename(made, named);
    return named;
}

TEST(StagedFolderTest, WhatTheDeadLeftIsRemovedAndWhatTheLivingWriteIsNot) {
    const TempFolder folder;
    const auto dead = left_behind(folder, "half");
    for (const char* name : {"crate.partial-notes", "crate.partial-9", "crate.partial-9-1-7"}) {
        std::filesystem::create_directory(folder / name);
        write_text(folder / name / "ours", "to keep");
    }
    StagedFolder live = open(folder / "crate");
    EXPECT_FALSE(std::filesystem::exists(dead));
    for (const char* name : {"crate.partial-notes", "crate.partial-9", "crate.partial-9-1-7"})
        EXPECT_EQ(read_text(folder / name / "ours"), "to keep");
    StagedFolder second = open(folder / "crate");
    EXPECT_TRUE(std::filesystem::exists(live.path()));
}

TEST(StagedFolderTest, ACrateThatADeadProcessHadExchangedBecomesTheBackup) {
    const TempFolder folder;
    const auto old = left_behind(folder, "crate.json", 7);
    const StagedFolder staged = open(folder / "crate");
    EXPECT_FALSE(std::filesystem::exists(old));
    EXPECT_EQ(read_text(folder / "crate.backup-1" / "crate.json"), manifest("left"));
}

TEST(StagedFolderTest, NamesAsLongAsTheyMayBeArePlacedReplacedAndKept) {
    for (const std::size_t size : {244U, 255U}) {
        const TempFolder folder;
        const std::string name(size, 'a');
        for (const char* text : {"old", "new"}) {
            StagedFolder staged = open(folder / name, true);
            ASSERT_THAT(staged.write("crate.json", text_bytes(manifest(text))), IsOk());
            ASSERT_THAT(staged.commit(), IsOk());
        }
        EXPECT_EQ(read_text(folder / name / "crate.json"), manifest("new"));
        const auto backups = StagedFolder::backups(folder / name);
        ASSERT_EQ(backups.size(), 1U);
        EXPECT_EQ(read_text(backups[0] / "crate.json"), manifest("old"));
        ASSERT_THAT(write_file(folder / std::string(size, 'b'), text_bytes("x"), false), IsOk());
        ASSERT_THAT(write_file(folder / std::string(size, 'b'), text_bytes("y"), true), IsOk());
    }
}

TEST(StagedFolderTest, KeptAsideItLeavesThePlaceUntouched) {
    const TempFolder folder;
    {
        StagedFolder staged = open(folder / "crate");
        EXPECT_THAT(staged.write("crate.json", text_bytes(manifest("good"))), IsOk());
        EXPECT_THAT(staged.commit(), IsOk());
    }
    StagedFolder staged = open(folder / "crate", true);
    EXPECT_THAT(staged.write("crate.json", text_bytes(manifest("bad"))), IsOk());
    const auto aside = staged.keep_aside();
    ASSERT_THAT(aside, IsOk());
    EXPECT_EQ(aside.value().filename(), "crate.rejected-1");
    EXPECT_EQ(read_text(folder / "crate" / "crate.json"), manifest("good"));
    EXPECT_EQ(read_text(aside.value() / "crate.json"), manifest("bad"));
}

}  // namespace
}  // namespace mellow
