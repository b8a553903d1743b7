// Reading and writing speed, beside what the machine needs for the same bytes.
// Process/... times whole processes: `wc -w`, and a program that reads files and nothing else.
#include <benchmark/benchmark.h>
#include <fmt/format.h>

#include <cstdio>
#include <cstdlib>
#include <span>

#include "files.h"
#include "mellow/read.h"
#include "mellow/write.h"

namespace {

using namespace mellow;

double megabytes(const std::string& path) {
    return static_cast<double>(std::filesystem::file_size(path)) / 1e6;
}

/// Runs a command once per iteration; its time is the process's.
void process(benchmark::State& state, const std::string& command, double size) {
    if (std::system((command + " > /dev/null").c_str()) != 0)
        state.SkipWithError("the command failed");
    for (auto _ : state) {
        (void)_;
        benchmark::DoNotOptimize(std::system((command + " > /dev/null").c_str()));
    }
    state.counters["MB"] = size;
}

std::string reader(int threads, const std::string& files) {
    return fmt::format("{} {} {}", MELLOW_READ_FILES, threads, files);
}

void words(benchmark::State& state, const std::string& (*file)()) {
    process(state, "LC_ALL=C.UTF-8 wc -w " + file(), megabytes(file()));
}
/// 0 threads: as many as the machine has.
void read_one(benchmark::State& state, const std::string& (*file)(), int threads) {
    process(state, reader(threads, file()), megabytes(file()));
    std::FILE* pipe = ::popen(reader(threads, file()).c_str(), "r");
    int nodes = 0;
    long keys = 0, peak = 0;
    if (pipe != nullptr && std::fscanf(pipe, "%d nodes, %ld keys, %ld", &nodes, &keys, &peak) == 3)
        state.counters["peak_per_file"] =
            static_cast<double>(peak) * 1024 / 1e6 / megabytes(file());
    if (pipe != nullptr) ::pclose(pipe);
}
void read_many(benchmark::State& state) {
    process(state, reader(static_cast<int>(state.range(0)), bench::many_bvh() + "/*.bvh"), 0);
}

void fread_glb(benchmark::State& state) {
    for (auto _ : state) {
        (void)_;
        std::FILE* file = std::fopen(bench::big_glb().c_str(), "rb");
        std::vector<char> bytes(std::filesystem::file_size(bench::big_glb()));
        benchmark::DoNotOptimize(std::fread(bytes.data(), 1, bytes.size(), file));
        std::fclose(file);
    }
    state.counters["MB"] = megabytes(bench::big_glb());
}
void read_glb(benchmark::State& state) {
    for (auto _ : state) {
        (void)_;
        const auto read = read_scene(bench::big_glb());
        if (!read) state.SkipWithError("not read");
    }
}

void save(std::span<const std::uint8_t> bytes) {
    const std::string path = (bench::folder() / "out.glb").string();
    std::FILE* file = std::fopen(path.c_str(), "wb");
    benchmark::DoNotOptimize(std::fwrite(bytes.data(), 1, bytes.size(), file));
    std::fclose(file);
}
void fwrite_glb(benchmark::State& state) {
    const auto bytes = read_file(bench::big_glb()).value();
    for (auto _ : state) {
        (void)_;
        save(bytes);
    }
}
void write_big_glb(benchmark::State& state) {
    const auto read = read_scene(bench::big_glb());
    for (auto _ : state) {
        (void)_;
        save(write_glb(read.value().scene));
    }
}

BENCHMARK_CAPTURE(words, bvh, bench::big_bvh)->UseRealTime()->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(read_one, bvh, bench::big_bvh, 0)->UseRealTime()->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(read_one, bvh_one_thread, bench::big_bvh, 1)
    ->UseRealTime()
    ->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(words, collada, bench::big_collada)->UseRealTime()->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(read_one, collada, bench::big_collada, 0)
    ->UseRealTime()
    ->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(read_one, glb, bench::big_glb, 0)->UseRealTime()->Unit(benchmark::kMillisecond);
BENCHMARK(read_many)->Arg(1)->Arg(2)->UseRealTime()->Unit(benchmark::kMillisecond);
BENCHMARK(fread_glb)->UseRealTime()->Unit(benchmark::kMillisecond);
BENCHMARK(read_glb)->UseRealTime()->Unit(benchmark::kMillisecond);
BENCHMARK(fwrite_glb)->UseRealTime()->Unit(benchmark::kMillisecond);
BENCHMARK(write_big_glb)->UseRealTime()->Unit(benchmark::kMillisecond);

}  // namespace
