#include "mellow/draft.h"

#include <fmt/format.h>

#include "base/text.h"
#include "commands.h"
#include "mellow/safe_write.h"
#include "new_folder.h"
#include "scene_files.h"

namespace mellow::cli {
namespace {

void print_draft(const DraftRequest& request, const Draft& draft) {
    if (request.json)
        return print_json([&](JsonWriter& json) {
            json.member("recipe", request.output).member("ready", draft.ready);
            json.list("values", draft.values, [&](const DraftedValue& v) {
                json.begin_object().member("place", v.place).member("key", v.key);
                json.member("value", v.value).member("reason", v.reason);
                json.member("guess", v.guess).member("unknown", v.unknown).end_object();
            });
            print_findings(json, draft.findings);
        });
    if (request.quiet) return;
    std::size_t place = 5, key = 3;
    std::vector<DraftedValue> shown = draft.values;
    if (!request.verbose)
        std::erase_if(shown, [](const DraftedValue& v) { return !v.guess && !v.unknown; });
    for (const DraftedValue& v : shown)
        place = std::max(place, v.place.size()),
        key = std::max(key, v.key.size() + v.value.size() + 3);
    for (const DraftedValue& v : shown)
        print_out(fmt::format("{:{}}  {:{}}  {}{}\n", v.place, place,
                              fmt::format("{} = {}", v.key, v.value), key,
                              v.unknown ? "fill in: "
                              : v.guess ? "a guess: "
                                        : "",
                              v.reason));
    if (const std::size_t sure = draft.values.size() - shown.size(); sure > 0)
        print_out(
            fmt::format("{}{} values are told by the data, each with its reason in the recipe\n",
                        shown.empty() ? "" : "and ", sure));
    print_out(draft.ready
                  ? fmt::format("\nwrote {}; next: mellow pack {}\n", request.output,
                                shell_word(request.output))
                  : fmt::format("\nwrote {}; it cannot be packed before what is marked is put "
                                "right\n",
                                request.output));
}

}  // namespace

int draft(const DraftRequest& request) {
    DraftOptions options;
    options.recipe = request.output;
    options.rig = request.rig;
    options.target = request.target;
    if (!request.output.ends_with(".toml"))
        return misused(request, "--output", "\"" + request.output + "\"", "a name ending in .toml");
    auto known = typed_keys(request.truth);
    if (!known) return fail(request, known.failures());
    options.known = std::move(known).value();
    std::vector<std::filesystem::path> files;
    for (const std::string& asked : request.files) {
        std::error_code error;
        if (!std::filesystem::is_directory(asked, error)) {
            files.emplace_back(asked);
            continue;
        }
        for (const std::string& file : listed(asked))
            if (!is_crate(file)) files.emplace_back(file);
    }
    if (files.empty())
        return misused(request, "FILE", fmt::format("{}", fmt::join(request.files, " ")),
                       "scene files, or folders with some in them");
    const NewFolder above(request.output);
    const auto drafted = draft_recipe(files, options);
    if (!drafted) return fail(request, drafted.failures());
    const Draft& d = drafted.value();
    const std::vector<std::uint8_t> bytes(d.text.begin(), d.text.end());
    if (const Status written = write_file(request.output, bytes, request.replace); !written)
        return fail(request, written.failures());
    print_draft(request, d);
    if (d.ready) return kDone;
    Findings stops = d.findings;
    std::erase_if(stops, [](const Finding& f) { return f.severity != Severity::kStop; });
    print_findings(stops);
    return kChecksFailed;
}

}  // namespace mellow::cli
