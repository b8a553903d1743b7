// What a command is, as data: parsing, help, manual pages and completion are all made from it.
#pragma once

#include <cstdint>
#include <functional>
#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "commands.h"

namespace mellow::cli {

/// What a value names, so that a shell can complete it.
enum class Names {
    kNothing,
    kScene,        ///< a scene file
    kSceneOrMore,  ///< a scene file, a folder of them or a crate
    kToml,         ///< a recipe or a rig sheet
    kCrate,        ///< a crate folder
    kFolder,
    kPicture,
    kTimeline,  ///< a timeline of a scene file that was named before
};

/// An option ("-o,--output") or, without dashes, an argument ("FILE").
struct Option {
    using Target = std::variant<bool*, std::string*, double*, int*, std::vector<std::string>*,
                                std::vector<std::int64_t>*>;
    std::string names;
    Target target;
    std::string value;  ///< what stands for the value: "UNIT"; a flag has none
    std::string help;
    std::vector<std::string> words = {};  ///< values it takes, or some of them
    Names what = Names::kNothing;
    bool required = false;

    bool is_argument() const { return names.front() != '-'; }
    bool is_flag() const { return std::holds_alternative<bool*>(target); }
    /// May be given many values.
    bool is_list() const { return target.index() >= 4; }
    /// "-o", "--output"
    std::vector<std::string> spellings() const;
};

struct Command {
    std::string name, summary;
    std::string about;  ///< more, for its help and manual page
    std::vector<Option> options = {};
    std::vector<std::string> examples = {};
    std::function<int()> run = {};
};

/// All commands, in the order of the work; their options write into `requests`.
struct Requests {
    DescribeRequest describe;
    DraftRequest draft;
    PackRequest pack;
    CheckRequest check;
    GatherRequest gather;
    ViewRequest view;
    PlayRequest play;
    CompareRequest compare;
    ConvertRequest convert;
    MatchRequest match;
    LiftRequest lift;
    DemoRequest demo;
};
std::vector<Command> commands(Requests& requests);
const Command* find_command(const std::vector<Command>& all, const std::string& name);

/// Parses the arguments of one command; what is wrong with them, if anything.
std::optional<Finding> parse(const Command& command, const std::vector<std::string>& arguments);

/// The list of commands; the help of one; the same as Markdown, from which manual pages are made.
std::string overview(const std::vector<Command>& all);
std::string overview_manual(const std::vector<Command>& all);
std::string help_text(const Command& command);
std::string manual_text(const Command& command);
/// "mellow pack [OPTIONS] RECIPE"
std::string usage(const Command& command);

/// What could stand in place of the last word: one candidate a line, with a tab and a word about it
/// where there is something to say.
std::string completions(const std::vector<Command>& all, const std::vector<std::string>& words);

}  // namespace mellow::cli
