#include "mellow/parallel.h"

#include <oneapi/tbb/global_control.h>
#include <oneapi/tbb/parallel_for.h>

namespace mellow {

void parallel_for(std::size_t count, const std::function<void(std::size_t)>& body) {
    if (count == 1) return body(0);
    tbb::parallel_for(std::size_t{0}, count, [&](std::size_t i) { body(i); });
}

ThreadLimit::ThreadLimit(unsigned threads) {
    if (threads > 0)
        control_ = new tbb::global_control(tbb::global_control::max_allowed_parallelism, threads);
}

ThreadLimit::~ThreadLimit() { delete static_cast<tbb::global_control*>(control_); }

}  // namespace mellow
