// The commands of the tool. Each registers itself with its options; running one returns the exit
// code.
#pragma once

#include <CLI/CLI.hpp>
#include <functional>

#include "mellow/finding.h"

namespace mellow::cli {

/// 0 done · 1 done but checks failed · 2 usage · 3 bad input · 4 could not write.
enum Exit { kDone = 0, kChecksFailed = 1, kUsage = 2, kBadInput = 3, kCannotWrite = 4 };

/// Prints a failure to standard error and returns the exit code that goes with it.
int fail(const Finding& finding);

/// What every command has: --json and --quiet.
struct Common {
    bool json = false, quiet = false;
    void add_to(CLI::App& command);
};

using Run = std::function<int()>;
Run add_describe(CLI::App& app);
Run add_pack(CLI::App& app);
Run add_view(CLI::App& app);
Run add_demo(CLI::App& app);

/// Packs a recipe and prints its report; shared by `pack` and `demo`.
int run_pack(const std::string& recipe, bool replace, const Common& common);

}  // namespace mellow::cli
