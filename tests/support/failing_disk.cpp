#include "failing_disk.h"

#include <dlfcn.h>
#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cstdarg>
#include <cstdio>

namespace {

struct Plan {
    std::string call;
    int nth = 0, error = 0;
    bool old_system = false, failed = false, dies = false;
} plan;

/// True, with errno set, when this call is the one that fails.
bool fails(const char* call) {
    if (plan.failed && plan.dies) {
        errno = EIO;
        return true;
    }
    if (plan.nth <= 0 || plan.call != call || --plan.nth > 0) return false;
    plan.failed = true;
    errno = plan.error;
    return true;
}

template <class Function>
Function* next(const char* name) {
    return reinterpret_cast<Function*>(::dlsym(RTLD_NEXT, name));
}

}  // namespace

extern "C" {

int open(const char* path, int flags, ...) {
    va_list list;
    va_start(list, flags);
    const mode_t mode = (flags & O_CREAT) != 0 ? va_arg(list, mode_t) : 0;
    va_end(list);
    if ((flags & O_CREAT) != 0 && fails("open")) return -1;
    return next<int(const char*, int, ...)>("open")(path, flags, mode);
}
ssize_t write(int fd, const void* bytes, size_t count) {
    if (fd > 2 && fails("write")) return -1;
    return next<ssize_t(int, const void*, size_t)>("write")(fd, bytes, count);
}
int fsync(int fd) { return fails("fsync") ? -1 : next<int(int)>("fsync")(fd); }
int close(int fd) {
    const bool fail = fails("close");
    const int error = errno, result = next<int(int)>("close")(fd);  // it is closed all the same
    errno = fail ? error : errno;
    return fail ? -1 : result;
}
int rename(const char* from, const char* to) noexcept {
    return fails("rename") ? -1 : next<int(const char*, const char*)>("rename")(from, to);
}
int renameat2(int from_fd, const char* from, int to_fd, const char* to, unsigned flags) noexcept {
    if (flags != 0 && plan.old_system) {
        errno = EINVAL;
        return -1;
    }
    if (fails("renameat2")) return -1;
    return next<int(int, const char*, int, const char*, unsigned)>("renameat2")(from_fd, from,
                                                                                to_fd, to, flags);
}
int link(const char* from, const char* to) noexcept {
    return fails("link") ? -1 : next<int(const char*, const char*)>("link")(from, to);
}
int unlink(const char* path) noexcept {
    return fails("unlink") ? -1 : next<int(const char*)>("unlink")(path);
}
int mkdir(const char* path, mode_t mode) noexcept {
    return fails("mkdir") ? -1 : next<int(const char*, mode_t)>("mkdir")(path, mode);
}

}  // extern "C"

namespace mellow::test {

FailingDisk::FailingDisk(const std::string& call, int nth, int error, bool old_system, bool dies) {
    plan = {call, nth, error, old_system, false, dies};
}
FailingDisk::~FailingDisk() { plan = {}; }
bool FailingDisk::failed() const { return plan.failed; }

}  // namespace mellow::test
