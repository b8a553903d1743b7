// What is being written and not yet in place: known to the process, so that it can be taken away
// when it is told to end, and to others by a lock, so that what a dead process left can be told
// from what a live one writes.
#pragma once

#include <filesystem>
#include <shared_mutex>

namespace mellow {

/// Holds the lock on a file or folder that is being written, and its place in the list of them.
class Unfinished {
  public:
    Unfinished() = default;
    /// Locks `path`, which exists.
    explicit Unfinished(std::filesystem::path path);
    Unfinished(Unfinished&& other) noexcept;
    Unfinished& operator=(Unfinished&& other) noexcept;
    ~Unfinished();

  private:
    std::filesystem::path path_;
    int fd_ = -1;
};

/// Held while files are written: from the moment a process is told to end, nothing more is.
std::shared_lock<std::shared_mutex> writing();

/// The name beside `final` under which this process writes: NAME.partial-PID.
std::filesystem::path partial_name(const std::filesystem::path& final);
/// Removes what processes that are gone left beside `final` under such names.
void remove_litter(const std::filesystem::path& final);

}  // namespace mellow
