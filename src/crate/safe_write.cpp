#include "mellow/safe_write.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <charconv>
#include <cstdio>
#include <cstring>
#include <fstream>
#include <map>
#include <optional>
#include <system_error>

#include "crate/unfinished.h"

namespace mellow {
namespace fs = std::filesystem;
namespace {

Finding refused(const fs::path& path, const std::string& what, int error) {
    const char* remedy = error == ENOSPC
                             ? "free some space or choose another disk; nothing was changed"
                         : error == EACCES || error == EPERM || error == EROFS
                             ? "choose a folder you may write to; nothing was changed"
                             : "nothing was changed";
    return {Code::kOutputUnwritable, Severity::kStop,
            path.string(),           fmt::format("{}: {}", what, std::strerror(error)),
            "a place to write to",   remedy};
}

/// A new file that is written to, synced and closed, or removed again.
class NewFile {
  public:
    explicit NewFile(const fs::path& path)
        : path_(path), fd_(::open(path.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0666)) {
        if (fd_ < 0) error_ = errno;
    }
    NewFile(const NewFile&) = delete;
    NewFile& operator=(const NewFile&) = delete;

    void write(const void* data, std::size_t size) {
        const char* from = static_cast<const char*>(data);
        while (size > 0 && error_ == 0) {
            const ssize_t done = ::write(fd_, from, size);
            if (done > 0)
                from += done, size -= static_cast<std::size_t>(done);
            else if (done < 0 && errno != EINTR)
                error_ = errno;
        }
    }

    Status finish() {
        if (fd_ < 0) return refused(path_, "cannot create the file", error_);
        if (error_ == 0 && ::fsync(fd_) != 0 && errno != EINVAL) error_ = errno;
        if (::close(fd_) != 0 && error_ == 0) error_ = errno;
        fd_ = -1;
        if (error_ == 0) return {};
        ::unlink(path_.c_str());
        return refused(path_, "cannot write", error_);
    }

  private:
    fs::path path_;
    int fd_, error_ = 0;
};

Status write_synced(const fs::path& path, std::span<const std::uint8_t> bytes) {
    NewFile file(path);
    file.write(bytes.data(), bytes.size());
    return file.finish();
}

/// The names in a folder are on the disk, too. What cannot be synced (some file systems) is no
/// error.
void sync_folder(const fs::path& folder) {
    const int fd =
        ::open(folder.empty() ? "." : folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    if (fd < 0) return;
    (void)::fsync(fd);
    ::close(fd);
}

/// Renames in one step, only where nothing stands, or by exchange: 0, or why not.
int rename_with(const fs::path& from, const fs::path& to, unsigned how) {
    if (::renameat2(AT_FDCWD, from.c_str(), AT_FDCWD, to.c_str(), how) == 0) return 0;
    return errno;
}
bool unsupported(int error) { return error == EINVAL || error == ENOSYS || error == ENOTSUP; }

/// The names that a path has been kept under, NAME.backup-N, the oldest first.
std::vector<fs::path> backups_of(const fs::path& place) {
    const std::string head = place.filename().string() + ".backup-";
    std::vector<std::pair<long, fs::path>> found;
    std::error_code error;
    const fs::path parent = place.parent_path().empty() ? "." : place.parent_path();
    for (fs::directory_iterator at(parent, error), end; !error && at != end; at.increment(error)) {
        const std::string name = at->path().filename().string();
        if (!name.starts_with(head)) continue;
        long number = 0;
        const char* const last = name.data() + name.size();
        const auto [stop, bad] = std::from_chars(name.data() + head.size(), last, number);
        if (bad == std::errc() && stop == last && number > 0)
            found.emplace_back(number, place.parent_path() / name);
    }
    std::sort(found.begin(), found.end());
    std::vector<fs::path> paths;
    for (auto& [number, path] : found) paths.push_back(std::move(path));
    return paths;
}

fs::path next_backup_of(const fs::path& path) {
    const auto older = backups_of(path);
    const std::string last = older.empty() ? ".backup-0" : older.back().extension().string();
    const long number = std::strtol(last.c_str() + std::strlen(".backup-"), nullptr, 10) + 1;
    return fs::path(path).concat(fmt::format(".backup-{}", number));
}

/// The first of NAME.word-1, NAME.word-2 ... that is free.
fs::path free_name(const fs::path& path, const char* word) {
    for (int i = 1;; ++i)
        if (fs::path candidate = fs::path(path).concat(fmt::format(".{}-{}", word, i));
            !fs::exists(candidate))
            return candidate;
}

Finding exists(const fs::path& path, std::string found, std::string remedy) {
    return {Code::kOutputExists,
            Severity::kStop,
            path.string(),
            std::move(found),
            "a place where nothing would be overwritten",
            std::move(remedy)};
}

/// The content of a file; nothing when it cannot be read.
std::optional<std::string> content(const fs::path& path) {
    std::ifstream in(path, std::ios::binary);
    std::string bytes, piece(1 << 16, '\0');
    while (in.read(piece.data(), static_cast<std::streamsize>(piece.size())) || in.gcount() > 0)
        bytes.append(piece, 0, static_cast<std::size_t>(in.gcount()));
    return in.bad() || !in.is_open() ? std::nullopt : std::optional(std::move(bytes));
}

/// Path within the folder and size of every file in it.
std::map<fs::path, std::uintmax_t> files_in(const fs::path& folder) {
    std::map<fs::path, std::uintmax_t> files;
    std::error_code error;
    for (fs::recursive_directory_iterator at(folder, error), end; !error && at != end;
         at.increment(error))
        if (!at->is_directory(error))
            files[at->path().lexically_relative(folder)] = at->file_size(error);
    return files;
}

/// True when two folders hold the same files with the same bytes.
bool same_files(const fs::path& a, const fs::path& b) {
    const auto files = files_in(a);
    if (files != files_in(b)) return false;
    return std::all_of(files.begin(), files.end(), [&](const auto& file) {
        const auto bytes = content(a / file.first);
        return bytes && bytes == content(b / file.first);
    });
}

/// True for a folder whose manifest says that it is a crate.
bool is_ours(const fs::path& folder) {
    std::error_code error;
    if (!fs::is_regular_file(folder / "crate.json", error)) return false;
    const auto manifest = content(folder / "crate.json");
    return manifest && manifest->find("\"format\": \"mellow-crate\"") != std::string::npos;
}

fs::path without_slash(const fs::path& path) {
    return path.has_filename() ? path : path.parent_path();
}

}  // namespace

Status write_file(const fs::path& path, std::span<const std::uint8_t> bytes, bool replace) {
    std::error_code error;
    if (fs::is_directory(path, error)) return exists(path, "a folder of this name", "name a file");
    if (!replace && fs::exists(path, error))
        return exists(path, "a file of this name", "name another file, or add --replace");
    const auto held = writing();
    remove_litter(path);
    const fs::path partial = partial_name(path);
    NewFile file(partial);
    const Unfinished unfinished(partial);
    file.write(bytes.data(), bytes.size());
    MELLOW_CHECK(file.finish());
    const auto failed = [&](const char* what, int why) {
        ::unlink(partial.c_str());
        return refused(path, what, why);
    };
    if (replace && fs::exists(path, error)) {
        if (content(path) == content(partial)) {
            ::unlink(partial.c_str());
            return {};
        }
        // The old file has two names for a moment: it is never missing.
        if (::link(path.c_str(), next_backup_of(path).c_str()) != 0 &&
            !fs::copy_file(path, next_backup_of(path), error))
            return failed("cannot keep the old file as a backup", errno);
        constexpr std::size_t kKept = 3;
        for (auto kept = backups_of(path); kept.size() > kKept; kept.erase(kept.begin()))
            fs::remove(kept.front(), error);
        if (::rename(partial.c_str(), path.c_str()) != 0)
            return failed("cannot put the file in place", errno);
    } else {
        int why = rename_with(partial, path, RENAME_NOREPLACE);
        if (unsupported(why)) why = ::rename(partial.c_str(), path.c_str()) == 0 ? 0 : errno;
        if (why == EEXIST) {
            ::unlink(partial.c_str());
            return exists(path, "a file that has just come to stand there", "try again");
        }
        if (why != 0) return failed("cannot put the file in place", why);
    }
    sync_folder(path.parent_path());
    return {};
}

StagedFolder::StagedFolder(fs::path final, fs::path partial, std::vector<fs::path> made)
    : final_(std::move(final)), partial_(std::move(partial)), made_(std::move(made)) {}

StagedFolder::StagedFolder(StagedFolder&& other) noexcept
    : final_(std::move(other.final_)),
      partial_(std::move(other.partial_)),
      made_(std::move(other.made_)),
      unfinished_(std::move(other.unfinished_)),
      open_(other.open_),
      replace_(other.replace_) {
    other.open_ = false;
}

StagedFolder::~StagedFolder() {
    std::error_code ignored;
    if (!open_) return;
    fs::remove_all(partial_, ignored);
    for (const fs::path& folder : made_) fs::remove(folder, ignored);  // where it is empty
}

Status StagedFolder::check(const fs::path& final, bool replace) {
    const fs::path place = without_slash(final);
    std::error_code error;
    if (!fs::exists(fs::symlink_status(place, error))) return {};
    if (fs::is_symlink(place, error) || !is_ours(place))
        return exists(place, "something that is not a crate", "choose another output folder");
    if (!replace)
        return exists(place, "a crate that was packed before",
                      "add --replace (the old one is kept as a backup), or choose another folder");
    return {};
}

Result<StagedFolder> StagedFolder::open(const fs::path& final, bool replace) {
    MELLOW_CHECK(check(final, replace));
    const fs::path place = without_slash(final);
    std::error_code error;
    std::vector<fs::path> made;
    for (fs::path up = place.parent_path(); !up.empty() && !fs::exists(up, error);
         up = up.parent_path())
        made.push_back(up);
    error.clear();  // of looking for what is not there
    if (!place.parent_path().empty()) fs::create_directories(place.parent_path(), error);
    if (error) return refused(place.parent_path(), "cannot make the folder", error.value());
    const auto held = writing();
    remove_litter(place);
    const fs::path partial = partial_name(place);
    fs::remove_all(partial, error);
    if (!fs::create_directory(partial, error))
        return refused(partial, "cannot make the folder", error.value());
    StagedFolder staged(place, partial, std::move(made));
    staged.replace_ = replace;
    staged.unfinished_ = std::make_unique<Unfinished>(partial);
    return staged;
}

Status StagedFolder::write(const std::string& relative, std::span<const std::uint8_t> bytes) {
    const auto held = writing();
    const fs::path path = partial_ / relative;
    std::error_code error;
    fs::create_directories(path.parent_path(), error);
    if (error) return refused(path.parent_path(), "cannot make the folder", error.value());
    return write_synced(path, bytes);
}

Status StagedFolder::write_text(const std::string& relative,
                                const std::function<void(const TextSink&)>& make) {
    const auto locked = writing();
    constexpr std::size_t kPiece = 64 * 1024;
    NewFile file(partial_ / relative);
    std::string held;
    make([&](std::string_view text) {
        held += text;
        if (held.size() < kPiece) return;
        file.write(held.data(), held.size());
        held.clear();
    });
    file.write(held.data(), held.size());
    return file.finish();
}

std::vector<fs::path> StagedFolder::backups(const fs::path& final) {
    return backups_of(without_slash(final));
}

fs::path StagedFolder::next_backup(const fs::path& final) {
    return next_backup_of(without_slash(final));
}

/// The new crate in place and the old one under the name of a backup: by exchange, so that at no
/// moment there is none.
Status StagedFolder::exchange(const fs::path& backup) {
    int why = rename_with(partial_, final_, RENAME_EXCHANGE);
    if (why == 0) {
        why = rename_with(partial_, backup, RENAME_NOREPLACE);
        if (unsupported(why)) why = ::rename(partial_.c_str(), backup.c_str()) == 0 ? 0 : errno;
        if (why == 0) return {};
        (void)rename_with(partial_, final_, RENAME_EXCHANGE);
        return refused(final_, "cannot move the old crate aside", why);
    }
    if (!unsupported(why)) return refused(final_, "cannot put the crate in place", why);
    if (::rename(final_.c_str(), backup.c_str()) != 0)
        return refused(final_, "cannot move the old crate aside", errno);
    if (::rename(partial_.c_str(), final_.c_str()) == 0) return {};
    why = errno;
    (void)::rename(backup.c_str(), final_.c_str());
    return refused(final_, "cannot put the crate in place", why);
}

/// The new crate in place where nothing stands; of two that try at once only one comes to stand
/// there.
Status StagedFolder::place_new() {
    int why = rename_with(partial_, final_, RENAME_NOREPLACE);
    if (unsupported(why)) why = ::rename(partial_.c_str(), final_.c_str()) == 0 ? 0 : errno;
    if (why == EEXIST || why == ENOTEMPTY)
        return exists(final_, "a crate that another run has just put there",
                      "pack again with --replace, if this one is to stand there");
    if (why != 0) return refused(final_, "cannot put the crate in place", why);
    return {};
}

Result<StagedFolder::Placed> StagedFolder::commit(int keep) {
    std::error_code error;
    Placed placed;
    for (fs::recursive_directory_iterator at(partial_, error), end; !error && at != end;
         at.increment(error))
        if (at->is_directory(error)) sync_folder(at->path());
    sync_folder(partial_);
    if (replace_ && fs::exists(final_, error)) {
        if (same_files(partial_, final_)) {
            fs::remove_all(partial_, error);
            open_ = false;
            placed.unchanged = true;
            return placed;
        }
        placed.backup = next_backup(final_);
        MELLOW_CHECK(exchange(placed.backup));
    } else {
        MELLOW_CHECK(place_new());
    }
    sync_folder(final_.parent_path());
    open_ = false;
    unfinished_.reset();
    if (placed.backup.empty()) return placed;
    std::vector<fs::path> kept = backups(final_);
    for (; kept.size() > static_cast<std::size_t>(std::max(keep, 0)); kept.erase(kept.begin())) {
        fs::remove_all(kept.front(), error);
        if (kept.front() == placed.backup)
            placed.backup.clear();
        else
            placed.removed.push_back(kept.front());
    }
    return placed;
}

Result<fs::path> StagedFolder::keep_aside() {
    const fs::path aside = free_name(final_, "rejected");
    std::error_code error;
    fs::rename(partial_, aside, error);
    if (error) return refused(aside, "cannot keep the files aside", error.value());
    open_ = false;
    return aside;
}

}  // namespace mellow
