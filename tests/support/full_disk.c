/* Loaded with LD_PRELOAD in front of the tool: a disk that fills up, and a signal at any moment.

   MELLOW_DISK_BYTES    every write() to a regular file fails with "No space left on device" once as
   many bytes have been written MELLOW_SIGNAL_AT     the process sends itself the signal
   MELLOW_SIGNAL before its N-th operation on files MELLOW_OPERATIONS    a file that takes a byte
   for each operation */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <errno.h>
#include <fcntl.h>
#include <signal.h>
#include <stdarg.h>
#include <stdlib.h>
#include <sys/stat.h>
#include <sys/types.h>
#include <unistd.h>

#define NEXT(type, name, ...)         \
    static type (*next)(__VA_ARGS__); \
    if (!next) *(void**)&next = dlsym(RTLD_NEXT, #name)

static int plain_open(const char* path, int flags, mode_t mode) {
    NEXT(int, open, const char*, int, ...);
    return next(path, flags, mode);
}

static void operation(void) {
    static int count;
    const char *at = getenv("MELLOW_SIGNAL_AT"), *file = getenv("MELLOW_OPERATIONS");
    const int now = __sync_add_and_fetch(&count, 1);
    if (file) {
        NEXT(ssize_t, write, int, const void*, size_t);
        const int fd = plain_open(file, O_WRONLY | O_CREAT | O_APPEND | O_CLOEXEC, 0666);
        if (fd >= 0) next(fd, ".", 1), close(fd);
    }
    if (at && atoi(at) == now) kill(getpid(), atoi(getenv("MELLOW_SIGNAL")));
}

ssize_t write(int fd, const void* bytes, size_t count) {
    NEXT(ssize_t, write, int, const void*, size_t);
    static size_t used;
    struct stat info;
    const char* limit = getenv("MELLOW_DISK_BYTES");
    if (limit && fd > 2 && fstat(fd, &info) == 0 && S_ISREG(info.st_mode)) {
        const size_t all = (size_t)strtoull(limit, NULL, 10);
        if (used >= all) {
            errno = ENOSPC;
            return -1;
        }
        if (count > all - used) count = all - used;
        used += count;
    }
    return next(fd, bytes, count);
}

int open(const char* path, int flags, ...) {
    va_list list;
    va_start(list, flags);
    const mode_t mode = flags & O_CREAT ? va_arg(list, mode_t) : 0;
    va_end(list);
    if (flags & O_CREAT) operation();
    return plain_open(path, flags, mode);
}
int fsync(int fd) {
    NEXT(int, fsync, int);
    operation();
    return next(fd);
}
int rename(const char* from, const char* to) {
    NEXT(int, rename, const char*, const char*);
    operation();
    return next(from, to);
}
int renameat2(int a, const char* from, int b, const char* to, unsigned flags) {
    NEXT(int, renameat2, int, const char*, int, const char*, unsigned);
    operation();
    return next(a, from, b, to, flags);
}
int link(const char* from, const char* to) {
    NEXT(int, link, const char*, const char*);
    operation();
    return next(from, to);
}
int unlink(const char* path) {
    NEXT(int, unlink, const char*);
    operation();
    return next(path);
}
int unlinkat(int fd, const char* path, int flags) {
    NEXT(int, unlinkat, int, const char*, int);
    operation();
    return next(fd, path, flags);
}
int mkdir(const char* path, mode_t mode) {
    NEXT(int, mkdir, const char*, mode_t);
    operation();
    return next(path, mode);
}
