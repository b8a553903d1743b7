// Bytes: what a file is read into.
//
// A std::vector of bytes whose new elements are not cleared first. Reading a file of hundreds of
// megabytes then writes each byte once. Nothing else about it differs from a vector.
#pragma once

#include <cstdint>
#include <memory>
#include <new>
#include <utility>
#include <vector>

namespace mellow {

/// Leaves new elements as they are: what a file is read into need not be cleared first.
template <class T>
struct UnclearedAllocator : std::allocator<T> {
    template <class U>
    struct rebind {
        using other = UnclearedAllocator<U>;
    };
    template <class U>
    void construct(U* place) {
        ::new (static_cast<void*>(place)) U;
    }
    template <class U, class... Args>
    void construct(U* place, Args&&... args) {
        ::new (static_cast<void*>(place)) U(std::forward<Args>(args)...);
    }
};
using Bytes = std::vector<std::uint8_t, UnclearedAllocator<std::uint8_t>>;

}  // namespace mellow
