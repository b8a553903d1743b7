#include "mellow/parallel.h"

#include <oneapi/tbb/global_control.h>
#include <oneapi/tbb/parallel_for.h>
#include <oneapi/tbb/parallel_pipeline.h>
#include <oneapi/tbb/task_arena.h>

#include <algorithm>
#include <atomic>

namespace mellow {

void parallel_for(std::size_t count, const std::function<void(std::size_t)>& body) {
    if (count == 1) return body(0);
    // Who waits here takes up no other work than this, so that nobody finds itself inside a task
    // that waits for what it holds.
    tbb::this_task_arena::isolate(
        [&] { tbb::parallel_for(std::size_t{0}, count, [&](std::size_t i) { body(i); }); });
}

void parallel_in_order(std::size_t count, std::size_t in_flight,
                       const std::function<void(std::size_t)>& work,
                       const std::function<bool(std::size_t)>& done) {
    std::size_t next = 0;
    std::atomic<bool> stopped = false;
    const auto take = [&](tbb::flow_control& flow) -> std::size_t {
        if (next == count || stopped) flow.stop();
        return next == count ? count : next++;
    };
    const auto make = [&](std::size_t i) {
        if (!stopped) work(i);
        return i;
    };
    const auto finish = [&](std::size_t i) {
        if (!stopped && !done(i)) stopped = true;
    };
    tbb::parallel_pipeline(
        std::max<std::size_t>(in_flight, 1),
        tbb::make_filter<void, std::size_t>(tbb::filter_mode::serial_in_order, take) &
            tbb::make_filter<std::size_t, std::size_t>(tbb::filter_mode::parallel, make) &
            tbb::make_filter<std::size_t, void>(tbb::filter_mode::serial_in_order, finish));
}

int parallel_threads() { return std::max(1, tbb::this_task_arena::max_concurrency()); }

ThreadLimit::ThreadLimit(unsigned threads) {
    if (threads > 0)
        control_ = new tbb::global_control(tbb::global_control::max_allowed_parallelism, threads);
}

ThreadLimit::~ThreadLimit() { delete static_cast<tbb::global_control*>(control_); }

}  // namespace mellow
