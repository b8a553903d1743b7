#include <fmt/format.h>

#include <filesystem>

#include "commands.h"
#include "mellow/safe_write.h"
#include "orchard.h"

namespace mellow::cli {

namespace {

void print_made(const DemoRequest& request, const std::vector<std::string>& crates) {
    const std::filesystem::path folder(request.folder);
    print_json([&](JsonWriter& json) {
        json.key("files").begin_array();
        for (const auto& files : {orchard::tamsin_files(), orchard::press_files()})
            for (const orchard::File& file : files) json.value((folder / file.name).string());
        json.end_array();
        json.list("crates", crates,
                  [&](const std::string& crate) { json.value((folder / crate).string()); });
    });
}

}  // namespace

int demo(const DemoRequest& request) {
    const std::filesystem::path folder(request.folder);
    const bool talk = !request.quiet && !request.json;
    std::error_code error;
    std::filesystem::create_directories(folder, error);
    if (error)
        return fail(request, {Code::kOutputUnwritable, Severity::kStop, request.folder,
                              "cannot make the folder: " + error.message(), "a place to write to",
                              "choose another folder"});
    for (const auto& files : {orchard::tamsin_files(), orchard::press_files()})
        for (const orchard::File& file : files) {
            const Status s = write_file(folder / file.name, file.bytes, request.replace);
            if (!s) return fail(request, s.failures());
            if (talk)
                print_out(fmt::format("wrote {} ({} bytes): {}\n", (folder / file.name).string(),
                                      file.bytes.size(), file.what));
        }
    if (request.data_only) {
        if (request.json) print_made(request, {});
        return kDone;
    }
    for (const char* recipe : {"tamsin.recipe.toml", "press.recipe.toml"}) {
        if (talk) print_out("\n");
        PackRequest job{request, {(folder / recipe).string()}};
        job.replace = request.replace;
        job.quiet = !talk, job.json = false;
        if (const int exit = pack(job); exit != kDone) return exit;
    }
    if (request.json) print_made(request, {"crates/tamsin", "crates/press"});
    return kDone;
}

}  // namespace mellow::cli
