// Fixed: a short list without allocation, for use inside the frame loop.
#pragma once

#include <array>
#include <cstddef>

namespace mellow {

/// Up to kFixedMost items; whoever fills it has checked the number when it was bound.
inline constexpr std::size_t kFixedMost = 64;

template <class T>
class Fixed {
  public:
    void push_back(const T& item) { items_[size_++] = item; }
    std::size_t size() const { return size_; }
    T& operator[](std::size_t i) { return items_[i]; }
    const T& operator[](std::size_t i) const { return items_[i]; }
    T& front() { return items_[0]; }
    T& back() { return items_[size_ - 1]; }
    const T& front() const { return items_[0]; }
    const T& back() const { return items_[size_ - 1]; }
    const T* begin() const { return items_.data(); }
    const T* end() const { return items_.data() + size_; }

  private:
    std::array<T, kFixedMost> items_{};
    std::size_t size_ = 0;
};

}  // namespace mellow
