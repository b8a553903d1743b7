#include "this_build.h"

#include <atomic>
#include <cstdlib>
#include <new>

#ifndef MELLOW_SANITIZED  // sanitizers bring their own
namespace {
std::atomic<std::size_t> allocated = 0;
}

void* operator new(std::size_t size) {
    ++allocated;
    if (void* memory = std::malloc(size)) return memory;
    throw std::bad_alloc();
}
void operator delete(void* memory) noexcept { std::free(memory); }
void operator delete(void* memory, std::size_t) noexcept { std::free(memory); }
#endif

namespace mellow::test {

std::string tool() {
    const char* const named = std::getenv("MELLOW_TEST_TOOL");
    return named == nullptr ? MELLOW_TOOL : named;
}

std::string full_disk() { return MELLOW_FULL_DISK; }

bool sanitized() {
#ifdef MELLOW_SANITIZED
    return true;
#else
    return false;
#endif
}

std::optional<std::size_t> allocations() {
#ifdef MELLOW_SANITIZED
    return std::nullopt;
#else
    return allocated.load();
#endif
}

}  // namespace mellow::test
