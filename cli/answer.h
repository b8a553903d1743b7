// How the tool answers: results on standard output, messages on standard error, JSON for machines,
// and an exit code.
#pragma once

#include <string_view>

#include "base/json_writer.h"
#include "mellow/finding.h"

namespace mellow::cli {

/// 0 done · 1 done but checks failed · 2 usage · 3 bad input · 4 could not write.
enum Exit { kDone = 0, kChecksFailed = 1, kUsage = 2, kBadInput = 3, kCannotWrite = 4 };

/// What every command has: --json, --quiet and --verbose.
struct Common {
    bool json = false, quiet = false, verbose = false;
};

/// Prints to standard output. What cannot be written shows in finish_output().
void print_out(std::string_view text);
/// Prints to standard error. Where nobody reads it any more, there is nothing to be done.
void print_err(std::string_view text);
/// Flushes standard output; false when the system refused some of it.
bool finish_output();

/// The exit code that goes with a failure.
int exit_code(Code code);
/// Says why there is no result: findings on standard error, and with --json as an object with the
/// member "findings" on standard output. Returns the exit code that goes with the first.
int fail(const Common& common, const Findings& findings);
int fail(const Common& common, const Finding& finding);
/// The same for what was typed wrongly; returns kUsage.
int misused(const Common& common, const std::string& option, const std::string& value,
            const std::string& expected);
/// True, and said, where `output` is one of the files that are read: it would be gone.
bool is_input(const Common& common, const std::string& output,
              std::initializer_list<std::string> inputs, int& exit);
/// Findings of a file name it, and files beside it, without the folder; people see them from where
/// they are. `given` is the path of the file as it was typed.
Findings seen_from_here(Findings findings, const std::string& given);
/// What is to be said to whoever has no recipe: keys of [source] are options of the same names.
/// `of` is behind them where there are two files: "-b".
Findings in_options(Findings findings, const std::string& of = {});
/// Findings on standard error, one after the other; their calls are words of this tool.
void print_findings(const Findings& findings);
/// The member "findings" of what is told as JSON.
void print_findings(JsonWriter& json, const Findings& findings);

/// Prints one JSON object; `fill` writes its members.
template <class Fill>
void print_json(Fill&& fill) {
    JsonWriter json(JsonWriter::Form::kIndented, print_out);
    json.begin_object();
    fill(json);
    json.end_object().finish();
}

}  // namespace mellow::cli
