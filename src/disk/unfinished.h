// What is being written and not yet in place: known to the process, so that it can be taken away
// when it is told to end, and to others by a lock and by its name, so that what a dead process left
// can be told from what a live one writes, and from what was there before.
#pragma once

#include <filesystem>
#include <shared_mutex>
#include <string>

#include "mellow/result.h"

namespace mellow {

/// NAME + ending beside `place`. Of names too long for that a part, with a hash of the whole.
std::filesystem::path beside(const std::filesystem::path& place, const std::string& ending);

/// Held while something is put in place in a folder, or what is left beside it is looked at: one
/// process and thread at a time. Where a file system has no locks it holds nothing.
class PlaceLock {
  public:
    explicit PlaceLock(const std::filesystem::path& place);
    PlaceLock(const PlaceLock&) = delete;
    PlaceLock& operator=(const PlaceLock&) = delete;
    ~PlaceLock();

  private:
    int fd_;
};

/// A file or folder that is being written beside its place, locked, and in the list of those that
/// end with the process. It is called NAME.partial-PID-N-INODE, so that another one under that name
/// is known: what was exchanged with it.
class Unfinished {
  public:
    Unfinished() = default;
    /// Makes an empty folder beside `place`. The caller is writing().
    static Result<Unfinished> folder(const std::filesystem::path& place);
    /// Makes an empty file beside `place`, open for writing as `fd`.
    static Result<Unfinished> file(const std::filesystem::path& place, int& fd);
    Unfinished(Unfinished&& other) noexcept;
    Unfinished& operator=(Unfinished&& other) noexcept;
    ~Unfinished();

    const std::filesystem::path& path() const { return path_; }

  private:
    static Result<Unfinished> make(const std::filesystem::path& place, bool folder, int& fd);
    std::filesystem::path path_;
    int fd_ = -1;
};

/// Held while files are written or put in place: a process that is told to end waits for that, and
/// nothing more is written.
std::shared_lock<std::shared_mutex> writing();

/// Removes what processes that are gone left beside `place`. What one of them had exchanged with a
/// crate that stood there, and not yet given its name, becomes that crate's backup. The caller
/// holds the PlaceLock.
void remove_litter(const std::filesystem::path& place);
/// Removes a file or folder with all in it. Again where some of it was gone already when its turn
/// came, as some file systems list names twice.
void remove_tree(const std::filesystem::path& path);
/// Removes a folder of ours in two steps: first its name, so that nothing half removed is left
/// under it.
void remove_whole(const std::filesystem::path& path);

}  // namespace mellow
