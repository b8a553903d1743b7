#include "mellow/pack.h"

#include <fmt/core.h>
#include <unistd.h>

#include "commands.h"

namespace mellow::cli {
namespace {

int report_success(const PackReport& report, const Common& common) {
    if (common.quiet || common.json) return kDone;
    fmt::print("crate {}\n", report.folder.string());
    if (!report.backup.empty())
        fmt::print("the crate that stood there is kept as {}\n", report.backup.string());
    return kDone;
}

int report_refusal(const PackReport& report) {
    for (const Finding& finding : report.findings)
        if (finding.severity == Severity::kStop) fmt::print(stderr, "{}\n", to_text(finding));
    fmt::print(stderr, "not packed: the files are kept aside in {}\n", report.folder.string());
    return kChecksFailed;
}

}  // namespace

int pack(const PackRequest& request) {
    auto recipe = read_recipe(request.recipe);
    if (!recipe) return fail(recipe.failure());
    PackOptions options;
    options.replace = request.replace;
    const bool show = isatty(STDERR_FILENO) != 0 && !request.quiet;
    if (show)
        options.progress = [](const std::string& what) { fmt::print(stderr, "\r\033[K{}", what); };
    auto packed = mellow::pack(recipe.value(), options);
    if (show) fmt::print(stderr, "\r\033[K");
    if (!packed) return fail(packed.failure());
    const PackReport& report = packed.value();
    if (request.json)
        report_json(report, [](std::string_view text) { fmt::print("{}", text); });
    else if (!request.quiet)
        report_text(report, [](std::string_view text) { fmt::print("{}", text); });
    if (!request.json && !request.quiet) fmt::print("\n");
    return report.proven ? report_success(report, request) : report_refusal(report);
}

}  // namespace mellow::cli
