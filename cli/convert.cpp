#include <fmt/core.h>

#include <nlohmann/json.hpp>

#include "commands.h"
#include "mellow/convert_file.h"

namespace mellow::cli {
namespace {

int misused(const char* option, const std::string& value, const char* expected) {
    fail({Code::kValueBad, Severity::kStop, option, "\"" + value + "\"", expected, ""});
    return kUsage;
}

}  // namespace

int convert(const ConvertRequest& request) {
    ConvertOptions options;
    options.target = request.target;
    options.timeline = request.timeline;
    options.replace = request.replace;
    if (!find_preset(request.target))
        return misused("--target", request.target, preset_names().c_str());
    if (!request.to_rate.empty() && !(options.rate = parse_rate(request.to_rate)))
        return misused("--to-rate", request.to_rate, "samples per second, such as 30");
    const auto order = parse_euler_order(request.order);
    if (!order) return misused("--order", request.order, "XYZ, XZY, YXZ, YZX, ZXY or ZYX");
    options.order = *order;
    if (!request.range.empty()) options.first = request.range[0], options.last = request.range[1];
    int exit = kDone;
    auto read = read_as(request.input, request.truth, exit);
    if (!read) return exit;
    auto done = convert_file(std::move(read->scene), request.output, options);
    if (!done) return fail(done.failure());
    print_findings(read->findings);
    print_findings(done.value().findings);
    nlohmann::ordered_json files;
    for (const auto& file : done.value().files) {
        files.push_back({{"file", file.string()}, {"bytes", std::filesystem::file_size(file)}});
        if (!request.quiet && !request.json)
            fmt::print("wrote {} ({} bytes)\n", file.string(), std::filesystem::file_size(file));
    }
    if (request.json) fmt::print("{}\n", nlohmann::ordered_json{{"files", files}}.dump(2));
    return kDone;
}

}  // namespace mellow::cli
