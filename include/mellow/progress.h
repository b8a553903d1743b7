// Progress: what a long piece of work is doing. Whoever starts it may listen. What is heard is for
// people to read: it never changes what is done.
#pragma once

#include <cstddef>
#include <functional>
#include <string>

namespace mellow {

/// What is being done, and how much of it: 0 of 0 where there is nothing to count.
struct Progress {
    std::string what;
    std::size_t done = 0, of = 0;
};
using PackProgress = std::function<void(const Progress&)>;

}  // namespace mellow
