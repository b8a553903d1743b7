#include "disk/unfinished.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <charconv>
#include <mutex>
#include <optional>
#include <set>
#include <utility>
#include <vector>

#include "disk/hash.h"
#include "disk/new_file.h"
#include "mellow/bytes.h"
#include "mellow/safe_write.h"

namespace mellow {
namespace fs = std::filesystem;
namespace {

struct List {
    std::mutex mutex;
    std::set<fs::path> paths;
};
List& list() {
    static List* const only = new List;  // outlives every thread
    return *only;
}

std::shared_mutex& writers() {
    static std::shared_mutex* const only = new std::shared_mutex;
    return *only;
}

}  // namespace

std::shared_lock<std::shared_mutex> writing() { return std::shared_lock(writers()); }

fs::path beside(const fs::path& place, const std::string& ending) {
    constexpr std::size_t kMost = 255, kLongestEnding = 64;  // bytes of a name
    std::string stem = place.filename().string();
    if (stem.size() + kLongestEnding > kMost) {
        const std::string whole = hash_hex(Bytes(stem.begin(), stem.end()));
        std::size_t cut = kMost - kLongestEnding - 9;
        while (cut > 0 && (static_cast<unsigned char>(stem[cut]) & 0xc0) == 0x80) --cut;  // UTF-8
        stem = stem.substr(0, cut) + "~" + whole.substr(0, 8);
    }
    return place.parent_path() / (stem + ending);
}

PlaceLock::PlaceLock(const fs::path& place)
    : fd_(::open(place.parent_path().empty() ? "." : place.parent_path().c_str(),
                 O_RDONLY | O_DIRECTORY | O_CLOEXEC)) {
    while (fd_ >= 0 && ::flock(fd_, LOCK_EX) != 0 && errno == EINTR) {
    }
}

PlaceLock::~PlaceLock() {
    if (fd_ >= 0) ::close(fd_);
}

Result<Unfinished> Unfinished::make(const fs::path& place, bool folder, int& fd) {
    Unfinished out;
    for (int n = 1; n <= 1000; ++n) {
        // Processes of other machines may have this one's number: what is there is not touched.
        const std::string head = fmt::format(".partial-{}-{}-", ::getpid(), n);
        const fs::path first = beside(place, head + "0");
        fd = -1;
        if (folder
                ? ::mkdir(first.c_str(), 0777) != 0
                : (fd = ::open(first.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0666)) < 0) {
            if (errno == EEXIST) continue;
            return refused(place, folder ? "cannot make the folder" : "cannot create the file",
                           errno);
        }
        struct stat made {};
        const fs::path named = ::stat(first.c_str(), &made) == 0
                                   ? beside(place, fmt::format("{}{}", head, made.st_ino))
                                   : first;
        const int why = rename_new(first, named);
        out.path_ = why == 0 ? named : first;
        out.fd_ = ::open(out.path_.c_str(), O_RDONLY | O_CLOEXEC);
        if (out.fd_ >= 0) (void)::flock(out.fd_, LOCK_EX | LOCK_NB);
        const std::lock_guard lock(list().mutex);
        list().paths.insert(out.path_);
        return out;
    }
    return refused(place, folder ? "cannot make the folder" : "cannot create the file", EEXIST);
}

Result<Unfinished> Unfinished::folder(const fs::path& place) {
    int none = -1;
    return make(place, true, none);
}

Result<Unfinished> Unfinished::file(const fs::path& place, int& fd) {
    return make(place, false, fd);
}

Unfinished::Unfinished(Unfinished&& other) noexcept
    : path_(std::exchange(other.path_, {})), fd_(std::exchange(other.fd_, -1)) {}

Unfinished& Unfinished::operator=(Unfinished&& other) noexcept {
    std::swap(path_, other.path_);
    std::swap(fd_, other.fd_);
    return *this;
}

Unfinished::~Unfinished() {
    if (fd_ >= 0) ::close(fd_);
    if (path_.empty()) return;
    const std::lock_guard lock(list().mutex);
    list().paths.erase(path_);
}

void remove_unfinished() {
    // Not given back: nothing more is written by a process that ends.
    writers().lock();
    list().mutex.lock();
    for (const fs::path& path : list().paths) remove_tree(path);
}

namespace {

/// The inode that a name of something unfinished gives, after `head`; nothing for other names.
std::optional<std::uint64_t> told_inode(const std::string& name, const std::string& head) {
    if (!name.starts_with(head)) return {};
    std::uint64_t numbers[3] = {};
    const char *at = name.data() + head.size(), *const end = name.data() + name.size();
    for (int i = 0; i < 3; ++i) {
        const auto [stop, bad] = std::from_chars(at, end, numbers[i]);
        if (bad != std::errc() || (i < 2 ? stop == end || *stop != '-' : stop != end)) return {};
        at = stop + 1;
    }
    return numbers[2];
}

/// What a process that is gone left under a name of its own.
void remove_left(const fs::path& place, const fs::path& left, std::uint64_t told) {
    struct stat is {};
    if (::lstat(left.c_str(), &is) != 0) return;
    std::error_code error;
    if (is.st_ino == told) {
        remove_tree(left);
    } else if (told == 0) {
        fs::remove(left, error);  // made and not yet named: empty
    } else if (fs::is_regular_file(left / "crate.json", error)) {
        (void)rename_new(left, next_backup_of(place));  // the crate that had stood there
    }
}

}  // namespace

void remove_litter(const fs::path& place) {
    const std::string head = beside(place, ".partial-").filename().string();
    std::error_code error;
    const fs::path parent = place.parent_path().empty() ? "." : place.parent_path();
    std::vector<std::pair<fs::path, std::uint64_t>> found;
    for (fs::directory_iterator at(parent, error), end; !error && at != end; at.increment(error))
        if (const auto told = told_inode(at->path().filename().string(), head))
            found.emplace_back(at->path(), *told);
    for (const auto& [left, told] : found) {
        const int fd = ::open(left.c_str(), O_RDONLY | O_CLOEXEC | O_NOFOLLOW | O_NONBLOCK);
        if (fd < 0) continue;
        if (::flock(fd, LOCK_EX | LOCK_NB) == 0) remove_left(place, left, told);
        ::close(fd);
    }
}

void remove_tree(const fs::path& path) {
    std::error_code error;
    for (int i = 0; i < 10; ++i) {
        error.clear();
        fs::remove_all(path, error);
        if (!error || !fs::exists(fs::symlink_status(path, error))) return;
    }
}

void remove_whole(const fs::path& path) {
    struct stat is {};
    if (::lstat(path.c_str(), &is) != 0) return;
    const fs::path away = beside(path, fmt::format(".partial-{}-0-{}", ::getpid(), is.st_ino));
    remove_tree(rename_new(path, away) == 0 ? away : path);
}

}  // namespace mellow
