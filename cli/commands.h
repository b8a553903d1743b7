// The commands of the tool: what each is asked for, and a function that does it and returns the
// exit code. definitions.cpp says which options write which member.
#pragma once

#include <filesystem>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "answer.h"
#include "mellow/read.h"

namespace mellow {
class JsonWriter;
struct WrittenPage;
}  // namespace mellow

namespace mellow::cli {

/// --unit, --up, --front, --hand and --rate as they were typed; empty texts say nothing.
struct TypedConvention {
    std::string unit, height, up, front, hand, rate, places, frames;
    std::string of = {};  ///< what the options end in: "--unit-b" is the second file's
};
/// True for the folder of a crate.
inline bool is_crate(const std::filesystem::path& path) {
    std::error_code error;
    return std::filesystem::is_regular_file(path / "crate.json", error);
}
/// What was typed as keys of [source]; a failure says everything that is wrong with it.
Result<std::vector<Edit>> typed_keys(const TypedConvention& typed);
/// Reads a scene file and overrules what it says.
Result<ReadResult> read_typed(const std::string& file, const TypedConvention& typed);
/// The same; a failure has been said, and `exit` is set.
std::optional<ReadResult> read_as(const Common& common, const std::string& file,
                                  const TypedConvention& typed, int& exit);

struct DescribeRequest : Common {
    std::vector<std::string> files;
    TypedConvention truth;
    std::string rig;        ///< a rig sheet to bind to each file
    std::string clip = {};  ///< a pattern: only say where clips are
    bool tree = false, dump = false, joints = false;
};
int describe(const DescribeRequest& request);

struct PackRequest : Common {
    std::vector<std::string> recipes;
    std::string output;      ///< with scene files in place of recipes: of the crate; of a part
    std::string share = {};  ///< "3/16"
    std::vector<std::string> from = {};
    bool replace = false, dry_run = false, all = false, keep_going = false;
    int keep = 3;
};
int pack(const PackRequest& request);

struct GatherRequest : Common {
    std::vector<std::string> folders;
    std::string output, recipe;
    bool replace = false, keep_going = false;
    int keep = 3;
};
int gather(const GatherRequest& request);

struct DraftRequest : Common {
    std::vector<std::string> files;
    std::string output, rig, target = "y-up-metre";
    TypedConvention truth;
    bool replace = false;
};
int draft(const DraftRequest& request);

struct CheckRequest : Common {
    std::vector<std::string> paths, figures;
    std::string target, junit;
    bool all = false, sizes = false, replace = false;
};
int check(const CheckRequest& request);

struct ViewRequest : Common {
    std::vector<std::string> inputs;
    std::string output, match = "*", target, what = "poses", from = "side", size = "1280x800",
                        range, joints;
    TypedConvention truth;
    int poses = 0;
    bool linked = false, replace = false;
};
/// The axes that the pictures of a view are named by, where --target says them.
Result<std::optional<Convention>> named_axes(const ViewRequest& request);
int view_picture(const ViewRequest& request);
int view(const ViewRequest& request);
/// What was written, for people and for machines.
std::string page_words(const std::string& page, const WrittenPage& written);
void write_page_facts(JsonWriter& json, const std::string& page, const WrittenPage& written);

struct ConvertRequest : Common {
    std::string input, output, target = "y-up-metre", to_rate, timeline, parts = "all", textures;
    std::vector<std::string> orders;  ///< ORDER or JOINT=ORDER
    std::vector<std::int64_t> range;  ///< empty, or first and last
    TypedConvention truth;
    bool matrices = false, replace = false;
};
int convert(const ConvertRequest& request);

struct PlayRequest : Common {
    std::string crate, states, script, output;
    double seconds = 0, rate = 30;  ///< 0: as long as the script and two seconds more
    bool replace = false;
};
int play(const PlayRequest& request);

struct CompareRequest : Common {
    std::string a, b, timeline_a, timeline_b;
    TypedConvention truth_a, truth_b;
    std::vector<std::string> map;  ///< A=B
    std::string ignore;            ///< aspects, with commas between
    std::string align = "zero";    ///< or "first-key"
    double tolerance_mm = 0.05, tolerance_degrees = 0.01;
};
int compare(const CompareRequest& request);

struct MatchRequest : Common {
    std::string motion, figure, output;
    TypedConvention truth, motion_truth;
    bool replace = false;
};
int match(const MatchRequest& request);

struct LiftRequest : Common {
    std::string motion, scene, rig, output, timeline, name = "lifted";
    TypedConvention truth, motion_truth;
    std::vector<std::string> onto;  ///< CONTROL=CONTROL
    double tolerance_mm = 1, tolerance_degrees = 0.5;
    bool replace = false;
};
int lift(const LiftRequest& request);

/// Texts of the form A=B as a map; nothing, said, when one is not.
std::optional<std::map<std::string, std::string>> read_pairs(const Common& common,
                                                             const std::vector<std::string>& texts,
                                                             const char* option, const char* form);
/// Index of a timeline by name, 0 for no name; -1, said, when there is none of that name.
int timeline_of(const Common& common, const Scene& scene, const std::string& name, int& exit);

struct DemoRequest : Common {
    std::string folder = "demo-out";
    bool replace = false, data_only = false;
};
int demo(const DemoRequest& request);

}  // namespace mellow::cli
