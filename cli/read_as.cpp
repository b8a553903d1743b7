#include <fmt/format.h>

#include "commands.h"
#include "mellow/true_convention.h"

namespace mellow::cli {
namespace {

Finding bad_option(const char* option, const std::string& value, const char* expected) {
    return {Code::kValueBad, Severity::kStop, option, "\"" + value + "\"", expected, ""};
}

Result<TrueConvention> parse(const TypedConvention& typed) {
    TrueConvention truth;
    if (!typed.unit.empty() && !(truth.metres_per_unit = parse_unit(typed.unit)))
        return bad_option("--unit", typed.unit,
                          "metre, centimetre, millimetre, inch, foot or metres per unit");
    if (!typed.up.empty() && !(truth.up = parse_axis(typed.up)))
        return bad_option("--up", typed.up, "+X, -X, +Y, -Y, +Z or -Z");
    if (!typed.front.empty() && !(truth.front = parse_axis(typed.front)))
        return bad_option("--front", typed.front, "+X, -X, +Y, -Y, +Z or -Z");
    if (!typed.rate.empty() && !(truth.rate = parse_rate(typed.rate)))
        return bad_option("--rate", typed.rate, "frames per second, such as 24 or 30000/1001");
    return truth;
}

}  // namespace

std::optional<ReadResult> read_as(const std::string& file, const TypedConvention& typed,
                                  int& exit) {
    const auto truth = parse(typed);
    if (!truth) {
        fail(truth.failure());
        exit = kUsage;
        return {};
    }
    auto read = read_scene(file);
    if (!read) {
        exit = fail(read.failure());
        return {};
    }
    if (Status status = overrule(read.value().scene, truth.value(), read.value().keys_on_frames);
        !status) {
        Finding failure = status.failure();
        failure.where = "--up, --front";
        fail(failure);
        exit = kUsage;
        return {};
    }
    if (truth.value().whole())
        std::erase_if(read.value().findings, [](const Finding& f) {
            return f.code == Code::kAssumed && f.severity == Severity::kNote;
        });
    return std::move(read).value();
}

int timeline_of(const Scene& scene, const std::string& name, int& exit) {
    if (name.empty()) return 0;
    std::vector<std::string> names;
    for (std::size_t i = 0; i < scene.timelines.size(); ++i) {
        names.push_back(scene.timelines[i].name);
        if (names.back() == name) return static_cast<int>(i);
    }
    exit = fail({Code::kNameUnknown, Severity::kStop, "--timeline", "\"" + name + "\"",
                 fmt::format("one of: {}", fmt::join(names, ", ")), "correct the name"});
    return -1;
}

std::optional<std::map<std::string, std::string>> read_pairs(const std::vector<std::string>& texts,
                                                             const char* option, const char* form) {
    std::map<std::string, std::string> pairs;
    for (const std::string& text : texts) {
        const auto sign = text.find('=');
        if (sign == 0 || sign == std::string::npos || sign + 1 == text.size()) {
            fail(bad_option(option, text, form));
            return {};
        }
        pairs[text.substr(0, sign)] = text.substr(sign + 1);
    }
    return pairs;
}

}  // namespace mellow::cli
