// The one seam through which the library uses threads.
//
// Thread rule: `body` runs on several threads at once, each index exactly once, in no stated order.
#pragma once

#include <cstddef>
#include <functional>

namespace mellow {

/// Calls body(i) for every i in [0, count). Returns when all calls have returned. `body` must not
/// throw, and its effect must not depend on the order of the calls: same input, same bytes out, on
/// one thread or many.
void parallel_for(std::size_t count, const std::function<void(std::size_t)>& body);

/// Uses at most `threads` threads while it lives; 0 leaves the machine's number. One at a time.
class ThreadLimit {
  public:
    explicit ThreadLimit(unsigned threads);
    ~ThreadLimit();
    ThreadLimit(const ThreadLimit&) = delete;
    ThreadLimit& operator=(const ThreadLimit&) = delete;

  private:
    void* control_ = nullptr;
};

}  // namespace mellow
