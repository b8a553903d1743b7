// The commands of the tool: what each is asked for, and a function that does it and returns the
// exit code. main.cpp turns the command line into these; the argument parser is known there only.
#pragma once

#include <string>
#include <vector>

#include "mellow/finding.h"

namespace mellow::cli {

/// 0 done · 1 done but checks failed · 2 usage · 3 bad input · 4 could not write.
enum Exit { kDone = 0, kChecksFailed = 1, kUsage = 2, kBadInput = 3, kCannotWrite = 4 };

/// Prints a failure to standard error and returns the exit code that goes with it.
int fail(const Finding& finding);

/// What every command has: --json and --quiet.
struct Common {
    bool json = false, quiet = false;
};

/// What a file's numbers really are, where it says otherwise. Empty texts say nothing.
struct TrueConvention {
    std::string unit, up, front, rate;
};

struct DescribeRequest : Common {
    std::vector<std::string> files;
    TrueConvention truth;
    bool tree = false;
};
int describe(const DescribeRequest& request);

struct PackRequest : Common {
    std::string recipe;
    bool replace = false;
};
int pack(const PackRequest& request);

struct ViewRequest : Common {
    std::string crate, output;
    bool replace = false;
};
int view(const ViewRequest& request);

struct DemoRequest : Common {
    std::string folder = "demo-out";
    bool replace = false, data_only = false;
};
int demo(const DemoRequest& request);

}  // namespace mellow::cli
