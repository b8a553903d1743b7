// The commands of the tool: what each is asked for, and a function that does it and returns the
// exit code. main.cpp turns the command line into these; the argument parser is known there only.
#pragma once

#include <fmt/core.h>

#include <map>
#include <optional>
#include <string>
#include <vector>

#include "base/finding_json.h"
#include "base/json_writer.h"
#include "mellow/read.h"

namespace mellow::cli {

/// 0 done · 1 done but checks failed · 2 usage · 3 bad input · 4 could not write.
enum Exit { kDone = 0, kChecksFailed = 1, kUsage = 2, kBadInput = 3, kCannotWrite = 4 };

/// Prints a failure to standard error and returns the exit code that goes with it.
int fail(const Finding& finding);

/// Prints one JSON object; `fill` writes its members.
template <class Fill>
void print_json(Fill&& fill) {
    JsonWriter json(JsonWriter::Form::kIndented);
    json.begin_object();
    fill(json);
    json.end_object().finish();
    fmt::print("{}", json.text());
}

/// What every command has: --json and --quiet.
struct Common {
    bool json = false, quiet = false;
};

/// --unit, --up, --front and --rate as they were typed; empty texts say nothing.
struct TypedConvention {
    std::string unit, up, front, rate;
};
/// Reads a scene file and overrules what it says. A failure has been printed, and `exit` is set.
std::optional<ReadResult> read_as(const std::string& file, const TypedConvention& typed, int& exit);
/// Findings on standard error, one after the other.
void print_findings(const Findings& findings);

struct DescribeRequest : Common {
    std::vector<std::string> files;
    TypedConvention truth;
    std::string rig;  ///< a rig sheet to bind to each file
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

struct ConvertRequest : Common {
    std::string input, output, target = "y-up-metre", to_rate, timeline, parts = "all", textures;
    std::vector<std::string> orders;  ///< ORDER or JOINT=ORDER
    std::vector<std::int64_t> range;  ///< empty, or first and last
    TypedConvention truth;
    bool matrices = false, replace = false;
};
int convert(const ConvertRequest& request);

struct CompareRequest : Common {
    std::string a, b, timeline_a, timeline_b;
    TypedConvention truth_a, truth_b;
    std::vector<std::string> map;  ///< A=B
    double tolerance_mm = 0.05, tolerance_degrees = 0.01;
};
int compare(const CompareRequest& request);

struct LiftRequest : Common {
    std::string motion, scene, rig, output, timeline, name;
    TypedConvention truth, motion_truth;
    std::vector<std::string> onto;  ///< CONTROL=CONTROL
    double tolerance_mm = 1, tolerance_degrees = 0.5;
    bool replace = false;
};
int lift(const LiftRequest& request);

/// Texts of the form A=B as a map; nothing, said, when one is not.
std::optional<std::map<std::string, std::string>> read_pairs(const std::vector<std::string>& texts,
                                                             const char* option, const char* form);
/// Index of a timeline by name, 0 for no name; -1, said, when there is none of that name.
int timeline_of(const Scene& scene, const std::string& name, int& exit);

struct DemoRequest : Common {
    std::string folder = "demo-out";
    bool replace = false, data_only = false;
};
int demo(const DemoRequest& request);

}  // namespace mellow::cli
