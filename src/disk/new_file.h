// What writing whole files and whole folders have in common: a new file that is synced, renaming in
// one step, the names of backups, and how a refusal is said.
#pragma once

#include <filesystem>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "mellow/result.h"

namespace mellow {

/// A new file that is written to, synced and closed, or removed again.
class NewFile {
  public:
    /// Makes the file, which must not exist. Messages call it `told`.
    NewFile(const std::filesystem::path& path, const std::filesystem::path& told);
    /// Goes on with an open file.
    NewFile(const std::filesystem::path& path, const std::filesystem::path& told, int fd);
    NewFile(const NewFile&) = delete;
    NewFile& operator=(const NewFile&) = delete;
    ~NewFile();

    void write(const void* data, std::size_t size);
    /// Syncs and closes. Where anything failed since it was made, the file is removed and that is
    /// said.
    Status finish();

  private:
    std::filesystem::path path_, told_;
    int fd_, error_ = 0;
};

/// The names in a folder are on the disk, too. What cannot be synced (some file systems) is no
/// error.
void sync_folder(const std::filesystem::path& folder);

/// Renames where nothing stands, in one step where the system can: 0, or why not.
int rename_new(const std::filesystem::path& from, const std::filesystem::path& to);
/// Exchanges two places in one step: 0, or why not.
int rename_exchange(const std::filesystem::path& a, const std::filesystem::path& b);
/// True for what rename_exchange() says where the system cannot do it.
bool unsupported(int error);

/// The names that a path has been kept under, NAME.backup-N, the oldest first.
std::vector<std::filesystem::path> backups_of(const std::filesystem::path& place);
/// The name that it would be kept under next.
std::filesystem::path next_backup_of(const std::filesystem::path& path);

/// The content of a file; nothing when it cannot be read.
std::optional<std::string> content(const std::filesystem::path& path);

Finding refused(const std::filesystem::path& path, const std::string& what, int error);
/// `replaced`: whoever asks for it may have it replaced.
Finding exists(const std::filesystem::path& path, std::string found, std::string remedy,
               bool replaced = false);

}  // namespace mellow
