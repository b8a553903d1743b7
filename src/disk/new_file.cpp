#include "disk/new_file.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <charconv>
#include <cstdio>
#include <cstring>
#include <fstream>

#include "disk/unfinished.h"

namespace mellow {
namespace fs = std::filesystem;

Finding refused(const fs::path& path, const std::string& what, int error) {
    const char* remedy = error == ENOSPC
                             ? "free some space or choose another disk; nothing was changed"
                         : error == EACCES || error == EPERM || error == EROFS
                             ? "choose a folder you may write to; nothing was changed"
                             : "nothing was changed";
    return {Code::kOutputUnwritable,  Severity::kStop,
            Place::in(path.string()), fmt::format("{}: {}", what, std::strerror(error)),
            "a place to write to",    remedy};
}

NewFile::NewFile(const fs::path& path, const fs::path& told)
    : NewFile(path, told, ::open(path.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0666)) {
    if (fd_ < 0) error_ = errno;
}

NewFile::NewFile(const fs::path& path, const fs::path& told, int fd)
    : path_(path), told_(told), fd_(fd) {}

NewFile::~NewFile() {
    if (fd_ >= 0) ::close(fd_), ::unlink(path_.c_str());
}

void NewFile::write(const void* data, std::size_t size) {
    const char* from = static_cast<const char*>(data);
    while (size > 0 && error_ == 0) {
        const ssize_t done = ::write(fd_, from, size);
        if (done > 0)
            from += done, size -= static_cast<std::size_t>(done);
        else if (done < 0 && errno != EINTR)
            error_ = errno;
    }
}

Status NewFile::finish() {
    if (fd_ < 0) return refused(told_, "cannot create the file", error_);
    if (error_ == 0 && ::fsync(fd_) != 0 && errno != EINVAL) error_ = errno;
    if (::close(fd_) != 0 && error_ == 0) error_ = errno;
    fd_ = -1;
    if (error_ == 0) return {};
    ::unlink(path_.c_str());
    return refused(told_, "cannot write", error_);
}

void sync_folder(const fs::path& folder) {
    const int fd =
        ::open(folder.empty() ? "." : folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    if (fd < 0) return;
    (void)::fsync(fd);
    ::close(fd);
}

int rename_new(const fs::path& from, const fs::path& to) {
    if (::renameat2(AT_FDCWD, from.c_str(), AT_FDCWD, to.c_str(), RENAME_NOREPLACE) == 0) return 0;
    if (!unsupported(errno)) return errno;
    return ::rename(from.c_str(), to.c_str()) == 0 ? 0 : errno;
}

int rename_exchange(const fs::path& a, const fs::path& b) {
    return ::renameat2(AT_FDCWD, a.c_str(), AT_FDCWD, b.c_str(), RENAME_EXCHANGE) == 0 ? 0 : errno;
}

bool unsupported(int error) { return error == EINVAL || error == ENOSYS || error == ENOTSUP; }

std::vector<fs::path> backups_of(const fs::path& place) {
    const std::string head = beside(place, ".backup-").filename().string();
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
    return beside(path, fmt::format(".backup-{}", number));
}

Finding exists(const fs::path& path, std::string found, std::string remedy, bool replaced) {
    Finding finding{Code::kOutputExists,
                    Severity::kStop,
                    Place::in(path.string()),
                    std::move(found),
                    "a place where nothing would be overwritten",
                    std::move(remedy)};
    if (replaced) finding.calls = {again({{Call::Option::kReplace}})};
    return finding;
}

std::optional<std::string> content(const fs::path& path) {
    std::ifstream in(path, std::ios::binary);
    std::string bytes, piece(1 << 16, '\0');
    while (in.read(piece.data(), static_cast<std::streamsize>(piece.size())) || in.gcount() > 0)
        bytes.append(piece, 0, static_cast<std::size_t>(in.gcount()));
    return in.bad() || !in.is_open() ? std::nullopt : std::optional(std::move(bytes));
}

}  // namespace mellow
