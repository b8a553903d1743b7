#include "answer.h"

#include <fmt/core.h>

#include <cstdio>
#include <filesystem>
#include <set>
#include <system_error>

#include "base/finding_json.h"
#include "calls.h"

namespace mellow::cli {
namespace {

bool refused = false;

}  // namespace

int exit_code(Code code) {
    const bool output = code == Code::kOutputExists || code == Code::kOutputUnwritable;
    return code == Code::kUsage ? kUsage : output ? kCannotWrite : kBadInput;
}

void print_out(std::string_view text) {
    if (std::fwrite(text.data(), 1, text.size(), stdout) != text.size()) refused = true;
}

void print_err(std::string_view text) { std::fwrite(text.data(), 1, text.size(), stderr); }

bool finish_output() { return std::fflush(stdout) == 0 && std::ferror(stdout) == 0 && !refused; }

void print_findings(const Findings& findings) {
    for (const Finding& finding : findings) print_err(to_text(worded(finding)) + "\n");
}

void print_findings(JsonWriter& json, const Findings& findings) {
    write_findings(json, worded(findings));
}

Findings seen_from_here(Findings findings, const std::string& given) {
    const std::filesystem::path folder = std::filesystem::path(given).parent_path();
    if (folder.empty()) return findings;
    for (Finding& f : findings) {
        std::string& file = f.where.file;
        std::error_code error;
        if (!file.empty() && file.find('/') == file.npos &&
            std::filesystem::is_regular_file(folder / file, error))
            file = (folder / file).string();
    }
    return findings;
}

/// Keys of [source] that are options of each command that reads scenes.
const std::set<std::string> kReadAs{"unit", "up", "front", "hand", "rate", "places", "frames"};

Findings in_options(Findings findings, const std::string& of) {
    for (Finding& finding : findings) {
        std::string options;
        for (const Edit& edit : finding.edits) {
            if (edit.table != "source" || !kReadAs.contains(edit.key)) continue;
            std::string value = edit.value;
            std::erase(value, '"');
            options += fmt::format(" --{}{}{}{}", edit.key, of, value.empty() ? "" : " ", value);
        }
        // Behind the first line, whose comment it ends: lines below it are for pasting as well.
        if (!options.empty())
            finding.remedy.insert(std::min(finding.remedy.find('\n'), finding.remedy.size()),
                                  "; or" + options);
    }
    return findings;
}

int fail(const Common& common, const Findings& findings) {
    print_findings(findings);
    if (common.json) print_json([&](JsonWriter& json) { print_findings(json, findings); });
    return exit_code(findings.front().code);
}

int fail(const Common& common, const Finding& finding) { return fail(common, Findings{finding}); }

int misused(const Common& common, const std::string& option, const std::string& value,
            const std::string& expected) {
    return fail(common, {Code::kUsage, Severity::kStop, Place::of(option), "\"" + value + "\"",
                         expected, ""});
}

bool is_input(const Common& common, const std::string& output,
              std::initializer_list<std::string> inputs, int& exit) {
    for (const std::string& input : inputs) {
        std::error_code error;
        if (!std::filesystem::equivalent(input, output, error)) continue;
        exit = fail(common, {Code::kOutputExists, Severity::kStop, Place::in(output),
                             "the output is the input \"" + input + "\"",
                             "a file of its own: nothing is written over what it comes from",
                             "name another file"});
        return true;
    }
    return false;
}

}  // namespace mellow::cli
