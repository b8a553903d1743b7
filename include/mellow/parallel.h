// The one seam through which the library uses threads. Whoever embeds the library can bound them
// (ThreadLimit); results never depend on how many there are.
//
// Thread rule: `body` runs on several threads at once, each index exactly once, in no stated order.
#pragma once

#include <cstddef>
#include <functional>
#include <memory>
#include <mutex>
#include <vector>

namespace mellow {

/// Calls body(i) for every i in [0, count). Returns when all calls have returned. `body` must not
/// throw, and its effect must not depend on the order of the calls: same input, same bytes out, on
/// one thread or many.
void parallel_for(std::size_t count, const std::function<void(std::size_t)>& body);

/// Calls work(i) for every i in [0, count) on several threads, at most `in_flight` of them begun
/// and not yet done, and done(i) behind it: in order, one at a time. No further work is begun once
/// done() returns false. Neither may throw.
void parallel_in_order(std::size_t count, std::size_t in_flight,
                       const std::function<void(std::size_t)>& work,
                       const std::function<bool(std::size_t)>& done);
/// How many threads parallel work may use, at least 1.
int parallel_threads();

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

/// Things that workers borrow one at a time and give back, so that each is made once per thread
/// rather than once per piece of work.
template <class T>
class Pool {
  public:
    explicit Pool(std::function<std::unique_ptr<T>()> make) : make_(std::move(make)) {}

    std::unique_ptr<T> take() {
        {
            const std::lock_guard lock(mutex_);
            if (!idle_.empty()) {
                std::unique_ptr<T> item = std::move(idle_.back());
                idle_.pop_back();
                return item;
            }
        }
        return make_();
    }
    void give_back(std::unique_ptr<T> item) {
        const std::lock_guard lock(mutex_);
        idle_.push_back(std::move(item));
    }

  private:
    std::function<std::unique_ptr<T>()> make_;
    std::mutex mutex_;
    std::vector<std::unique_ptr<T>> idle_;
};

}  // namespace mellow
