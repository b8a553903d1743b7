// Writing without losing anything: files appear whole or not at all, and nothing that exists is
// replaced without being asked. Everything is written beside its place, synced, and renamed in one
// step, so that a full disk, a kill or a power cut leaves the old or the new, never a mixture.
#pragma once

#include <cstdint>
#include <filesystem>
#include <functional>
#include <memory>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "mellow/result.h"

namespace mellow {

/// A file and what it shall hold.
struct FileToWrite {
    std::filesystem::path path;
    std::span<const std::uint8_t> bytes;
};

/// Writes files that belong together, the one that refers to the others first: each beside its
/// place, synced, then renamed. Old and new never stand together: the old first file goes before
/// the others are replaced, and the new one comes last. What is replaced is kept as
/// `NAME.backup-N`, the newest three of each, unless all have the same bytes: then nothing changes.
/// A single file is never missing. Fails with output-exists when a file exists and `replace` is
/// false, or when something stands there that is no regular file; with output-unwritable when the
/// system refuses. Then all is as it was.
Status write_files(std::span<const FileToWrite> files, bool replace);
/// The same for one file.
Status write_file(const std::filesystem::path& path, std::span<const std::uint8_t> bytes,
                  bool replace);

/// Takes away what this process has begun to write and not yet put in place. For a process that is
/// told to end: what is begun afterwards waits for ever.
void remove_unfinished();

/// Takes a text piece by piece.
using TextSink = std::function<void(std::string_view)>;

class Unfinished;

/// A folder that is filled beside its final place and appears there in one step.
///
/// Made as `NAME.partial-PID`, locked as long as it lives; what dead processes left beside it under
/// such names is removed. Destroyed without commit() or keep_aside() it disappears.
class StagedFolder {
  public:
    /// What keeps a folder that stands there from giving way, in words; empty where nothing does.
    using Foreign = std::function<std::string(const std::filesystem::path&)>;

    /// Fails with output-exists when `final` exists and `replace` is false, or `foreign` says that
    /// it is not ours to replace (foreign_to_crate() in manifest.h).
    static Result<StagedFolder> open(const std::filesystem::path& final, bool replace,
                                     const Foreign& foreign);

    StagedFolder(StagedFolder&& other) noexcept;
    StagedFolder& operator=(StagedFolder&&) = delete;
    ~StagedFolder();

    /// Writes and syncs one file; `relative` may have folders, which are made.
    Status write(const std::string& relative, std::span<const std::uint8_t> bytes);
    /// The same for a text that `make` hands over in pieces, which are not kept.
    Status write_text(const std::string& relative,
                      const std::function<void(const TextSink&)>& make);
    /// Where the files are until commit().
    const std::filesystem::path& path() const { return partial_; }

    /// Whether open() would be willing: nothing is made.
    static Status check(const std::filesystem::path& final, bool replace, const Foreign& foreign);
    /// The backups of a place, `NAME.backup-N`, the oldest first.
    static std::vector<std::filesystem::path> backups(const std::filesystem::path& final);

    /// What the crate that stands there would be kept as.
    static std::filesystem::path next_backup(const std::filesystem::path& final);

    /// What commit() did.
    struct Placed {
        bool unchanged = false;  ///< what stands there has the same bytes and was left alone
        std::filesystem::path
            backup;  ///< what stood there; empty when nothing did, or it is not kept
        std::vector<std::filesystem::path> removed;  ///< older backups
    };
    /// Syncs the folder and moves it to its place, by exchange with what stands there where the
    /// system can do that. What stood there is kept as `NAME.backup-N`, N one above the newest. Of
    /// all backups the newest `keep` stay. Where the same bytes stand there already, nothing is
    /// changed and no backup is made.
    Result<Placed> commit(int keep = 3);
    /// Moves the folder to `NAME.rejected-N` and returns that path; what stands at NAME is
    /// untouched.
    Result<std::filesystem::path> keep_aside();

  private:
    StagedFolder(std::filesystem::path final, std::filesystem::path partial,
                 std::vector<std::filesystem::path> made);
    std::filesystem::path final_, partial_;
    Status exchange(const std::filesystem::path& backup);
    Status place_new();
    std::vector<std::filesystem::path> made_;  // folders above, innermost first
    std::unique_ptr<Unfinished> unfinished_;
    bool open_ = true, replace_ = false;
};

}  // namespace mellow
