#include "calls.h"

#include <fmt/core.h>

#include "base/text.h"

namespace mellow::cli {
namespace {

std::string_view option(Call::Option option) {
    using enum Call::Option;
    switch (option) {
        case kDump:
            return "--dump";
        case kFrom:
            return "--from";
        case kHand:
            return "--hand";
        case kMap:
            return "--map";
        case kMatch:
            return "--match";
        case kMatrices:
            return "--matrices";
        case kOrder:
            return "--order";
        case kOutput:
            return "-o";
        case kParts:
            return "--parts";
        case kRange:
            return "--range";
        case kRecipe:
            return "--recipe";
        case kReplace:
            return "--replace";
        case kShare:
            return "--share";
        case kTarget:
            return "--target";
        case kTextures:
            return "--textures";
        case kTimeline:
            return "--timeline";
        case kToRate:
            return "--to-rate";
    }
    return "";
}

std::string with_value(const Call::Asked& asked) {
    std::string out(option(asked.option));
    return asked.value.empty() ? out : out + " " + shell_word(asked.value);
}

/// True where nothing is known to call it on: then its options are named alone.
bool is_short(const Call& call) { return call.subject.empty(); }

/// "(--range, --to-rate)", "(mellow convert: --matrices)", or a command.
std::string words(const Call& call) {
    if (is_short(call)) {
        std::string all;
        for (const Call::Asked& asked : call.asked)
            all += (all.empty() ? "" : ", ") + with_value(asked);
        const bool same = call.job == Call::Job::kSame;
        return same ? "(" + all + ")" : fmt::format("(mellow {}: {})", name(call.job), all);
    }
    std::string out = fmt::format("mellow {} {}", name(call.job), shell_word(call.subject));
    // What is converted goes to the second file that is named.
    for (const Call::Asked& asked : call.asked)
        if (call.job == Call::Job::kConvert && asked.option == Call::Option::kOutput)
            out += " " + shell_word(asked.value);
    for (const Call::Asked& asked : call.asked)
        if (call.job != Call::Job::kConvert || asked.option != Call::Option::kOutput)
            out += " " + with_value(asked);
    return out;
}

std::string with_calls(std::string remedy, const std::vector<Call>& calls) {
    for (const Call& call : calls) {
        remedy += is_short(call) ? " " : calls.size() > 1 ? "\n" : ": ";
        remedy += words(call);
    }
    return remedy;
}

}  // namespace

Finding worded(Finding finding) {
    finding.remedy = with_calls(std::move(finding.remedy), finding.calls);
    return finding;
}

Findings worded(Findings findings) {
    for (Finding& finding : findings) finding = worded(std::move(finding));
    return findings;
}

Demand worded(Demand demand) {
    demand.remedy = with_calls(std::move(demand.remedy), demand.calls);
    return demand;
}

}  // namespace mellow::cli
