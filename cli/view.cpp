#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

#include "base/text.h"
#include "commands.h"
#include "mellow/crate.h"
#include "mellow/node_mask.h"
#include "mellow/page.h"
#include "mellow/safe_write.h"
#include "mellow/stock.h"
#include "mellow/target.h"

namespace mellow::cli {

namespace {

std::string counted(std::size_t clips) {
    return fmt::format("{} {}", clips, clips == 1 ? "clip" : "clips");
}

}  // namespace

void write_page_facts(JsonWriter& json, const std::string& page, const WrittenPage& written) {
    json.member("page", page).member("bytes", written.page_bytes);
    if (!written.linked.empty())
        json.member("linked", written.linked).member("linked_bytes", written.file_bytes);
}

std::string page_words(const std::string& page, const WrittenPage& written) {
    if (written.linked.empty())
        return fmt::format("{}: {} bytes, opens in any browser\n", page, written.page_bytes);
    return fmt::format(
        "{}: {} bytes, opens in any browser; {} MB of files lie in {}, which belongs beside it\n",
        page, written.page_bytes, (written.file_bytes + 999'999) / 1'000'000, written.linked);
}

namespace {

/// A picture in the crate would be foreign to it, or stand in place of one of its files.
bool is_within(const std::string& picture, const std::string& crate) {
    namespace fs = std::filesystem;
    std::error_code error;
    // Absolute first: of a path whose first folder is not there nothing is made canonical.
    const auto home = fs::weakly_canonical(fs::absolute(crate, error), error);
    const auto place = fs::weakly_canonical(fs::absolute(picture, error), error);
    const fs::path inside = place.lexically_relative(home);
    return !error && !inside.empty() && *inside.begin() != "..";
}

/// A page of everything that is given.
int view_page(const ViewRequest& request) {
    Page page;
    Findings findings;
    for (const std::string& input : request.inputs) {
        const std::filesystem::path path(input);
        if (is_crate(input)) {
            if (const Status added = add_crate(page, path, request.match); !added)
                return fail(request, added.failures());
            continue;
        }
        if (input.ends_with(".toml")) {
            if (const Status added = add_recipe(page, path, request.match); !added)
                return fail(request, added.failures());
            continue;
        }
        int exit = kDone;
        const auto read = read_as(request, input, request.truth, exit);
        if (!read) return exit;
        Findings all = read->findings;
        append(all, in_options(take_stock(read->scene).findings));
        if (const Status added =
                add_scene(page, path.stem().string(), read->scene, all, request.match);
            !added)
            return fail(request, added.failures());
        append(findings, read->findings);
    }
    std::vector<std::string> names;
    for (const PageFigure& figure : page.figures)
        if (std::ranges::find(names, figure.name) == names.end()) names.push_back(figure.name);
    page.title = fmt::format("{}", fmt::join(names, ", "));
    const PageFigure& first = page.figures.front();
    page.what =
        page.figures.size() > 1 ? fmt::format("{} figures", page.figures.size())
        : first.manifest.empty()
            ? fmt::format("{}, {}", std::filesystem::path(request.inputs[0]).filename().string(),
                          counted(first.clips.size()))
            : fmt::format("a crate of {}", counted(first.clips.size()));
    const auto written =
        write_page(std::move(page), request.output, request.linked, request.replace);
    if (!written) return fail(request, written.failures());
    if (request.json)
        print_json([&](JsonWriter& json) {
            write_page_facts(json, request.output, written.value());
            print_findings(json, findings);
        });
    else if (!request.quiet)
        print_out(page_words(request.output, written.value()));
    if (!request.quiet) print_findings(findings);
    return kDone;
}

}  // namespace

int view(const ViewRequest& request) {
    for (const std::string& input : request.inputs)
        if (is_crate(input) && is_within(request.output, input))
            return fail(request, {Code::kOutputExists, Severity::kStop, Place::in(request.output),
                                  "a place within the crate that is shown",
                                  "a crate holds what its manifest names and nothing else",
                                  "write it beside the crate"});
    if (request.output.ends_with(".html")) return view_page(request);
    if (request.linked)
        return misused(request, "--linked", request.output, "a page: a name that ends in .html");
    if (!request.output.ends_with(".png"))
        return misused(request, "--output", request.output,
                       "a name that ends in .html, for a page, or in .png, for a picture");
    return view_picture(request);
}

}  // namespace mellow::cli
