#include <fmt/core.h>

#include <filesystem>

#include "commands.h"
#include "mellow/safe_write.h"
#include "orchard.h"

namespace mellow::cli {

int demo(const DemoRequest& request) {
    const std::filesystem::path folder(request.folder);
    const bool talk = !request.quiet && !request.json;
    std::error_code error;
    std::filesystem::create_directories(folder, error);
    if (error)
        return fail({Code::kOutputUnwritable, Severity::kStop, request.folder,
                     "cannot make the folder: " + error.message(), "a place to write to",
                     "choose another folder"});
    for (const auto& files : {orchard::tamsin_files(), orchard::press_files()})
        for (const orchard::File& file : files) {
            const Status s = write_file(folder / file.name, file.bytes, request.replace);
            if (!s) return fail(s.failure());
            if (talk)
                fmt::print("wrote {} ({} bytes): {}\n", (folder / file.name).string(),
                           file.bytes.size(), file.what);
        }
    if (request.data_only) return kDone;
    for (const char* recipe : {"tamsin.recipe.toml", "press.recipe.toml"}) {
        if (talk) fmt::print("\n");
        const PackRequest job{
            {request.json, request.quiet}, (folder / recipe).string(), request.replace};
        if (const int exit = pack(job); exit != kDone) return exit;
    }
    return kDone;
}

}  // namespace mellow::cli
