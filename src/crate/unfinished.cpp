#include "crate/unfinished.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/file.h>
#include <unistd.h>

#include <mutex>
#include <set>
#include <utility>

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

Unfinished::Unfinished(fs::path path)
    : path_(std::move(path)), fd_(::open(path_.c_str(), O_RDONLY | O_CLOEXEC)) {
    if (fd_ >= 0) (void)::flock(fd_, LOCK_EX | LOCK_NB);
    const std::lock_guard lock(list().mutex);
    list().paths.insert(path_);
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
    std::error_code ignored;
    for (const fs::path& path : list().paths) fs::remove_all(path, ignored);
}

fs::path partial_name(const fs::path& final) {
    return fs::path(final).concat(fmt::format(".partial-{}", ::getpid()));
}

void remove_litter(const fs::path& final) {
    const std::string head = final.filename().string() + ".partial-";
    std::error_code error;
    const fs::path parent = final.parent_path().empty() ? "." : final.parent_path();
    for (fs::directory_iterator at(parent, error), end; !error && at != end; at.increment(error)) {
        const std::string name = at->path().filename().string();
        if (!name.starts_with(head) ||
            name.find_first_not_of("0123456789-", head.size()) != name.npos)
            continue;
        const int fd = ::open(at->path().c_str(), O_RDONLY | O_CLOEXEC | O_NOFOLLOW | O_NONBLOCK);
        if (fd < 0) continue;
        std::error_code ignored;
        if (::flock(fd, LOCK_EX | LOCK_NB) == 0) fs::remove_all(at->path(), ignored);
        ::close(fd);
    }
}

}  // namespace mellow
