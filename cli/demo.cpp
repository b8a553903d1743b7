#include <fmt/format.h>

#include <filesystem>
#include <memory>

#include "commands.h"
#include "mellow/safe_write.h"
#include "orchard.h"

namespace mellow::cli {

Run add_demo(CLI::App& app) {
    struct Options {
        Common common;
        std::string folder = "demo-out";
        bool replace = false, data_only = false;
    };
    auto o = std::make_shared<Options>();
    CLI::App* c =
        app.add_subcommand("demo", "Write the orchard's demo data and run the whole job on it");
    c->add_option("folder", o->folder, "Where to write it")->capture_default_str();
    c->add_flag("--replace", o->replace,
                "Replace files of an earlier run; the old crate is kept as a backup");
    c->add_flag("--data-only", o->data_only,
                "Write the scene, rig sheet and recipe, and stop there");
    o->common.add_to(*c);
    c->footer("Example: mellow demo demo-out");
    return [o]() -> int {
        const std::filesystem::path folder(o->folder);
        std::error_code error;
        std::filesystem::create_directories(folder, error);
        if (error)
            return fail({Code::kOutputUnwritable, Severity::kStop, o->folder,
                         "cannot make the folder: " + error.message(), "a place to write to",
                         "choose another folder"});
        for (const orchard::File& file : orchard::tamsin_files()) {
            if (const Status s = write_file(folder / file.name, file.bytes, o->replace); !s)
                return fail(s.failure());
            if (!o->common.quiet && !o->common.json)
                fmt::print("wrote {} ({} bytes): {}\n", (folder / file.name).string(),
                           file.bytes.size(), file.what);
        }
        if (o->data_only) return kDone;
        if (!o->common.quiet && !o->common.json) fmt::print("\n");
        return run_pack((folder / "tamsin.recipe.toml").string(), o->replace, o->common);
    };
}

}  // namespace mellow::cli
