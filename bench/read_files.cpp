// Reads scene files and does nothing else: the whole process is what the benchmarks time.
// Usage: read_files THREADS FILE...   prints joints, keys and the peak of memory.
#include <fmt/format.h>
#include <sys/resource.h>

#include <atomic>
#include <cstdlib>

#include "mellow/parallel.h"
#include "mellow/read.h"

int main(int argc, char** argv) {
    using namespace mellow;
    if (argc < 3) return 2;
    std::atomic<std::size_t> nodes = 0, keys = 0;
    std::atomic<bool> failed = false;
    const auto one = [&](std::size_t i) {
        const auto read = read_scene(argv[i + 2]);
        if (!read) {
            failed = true;
            return;
        }
        nodes += read.value().scene.nodes.size();
        for (const Timeline& t : read.value().scene.timelines) {
            for (const Channel& c : t.channels) keys += c.curve.times.size();
            for (const MemberCurve& c : t.members) keys += c.times.size();
        }
    };
    const ThreadLimit threads(static_cast<unsigned>(std::atoi(argv[1])));
    parallel_for(static_cast<std::size_t>(argc - 2), one);
    rusage use{};
    getrusage(RUSAGE_SELF, &use);
    fmt::print("{} nodes, {} keys, {} kB at most\n", nodes.load(), keys.load(), use.ru_maxrss);
    return failed ? 1 : 0;
}
