#include <fmt/format.h>

#include <memory>

#include "commands.h"
#include "mellow/crate.h"
#include "mellow/safe_write.h"

namespace mellow::cli {

Run add_view(CLI::App& app) {
    struct Options {
        Common common;
        std::string crate, output;
        bool replace = false;
    };
    auto o = std::make_shared<Options>();
    CLI::App* c = app.add_subcommand(
        "view", "Draw a crate as a contact sheet: eight poses per clip, ruler, root path");
    c->add_option("crate", o->crate, "Crate folder")->required();
    c->add_option("-o,--output", o->output, "Picture to write (.png)")->required();
    c->add_flag("--replace", o->replace, "Replace the picture if it exists");
    o->common.add_to(*c);
    c->footer("Example: mellow view crates/tamsin -o sheet.png");
    return [o]() -> int {
        auto crate = open_crate(o->crate);
        if (!crate) return fail(crate.failure());
        auto png = draw_crate(crate.value());
        if (!png) return fail(png.failure());
        if (const Status written = write_file(o->output, png.value(), o->replace); !written)
            return fail(written.failure());
        if (o->common.json)
            fmt::print("{{\"picture\": \"{}\", \"bytes\": {}}}\n", o->output, png.value().size());
        else if (!o->common.quiet)
            fmt::print("{}: {} clips of {}, {} bytes\n", o->output, crate.value().clips.size(),
                       crate.value().name, png.value().size());
        return kDone;
    };
}

}  // namespace mellow::cli
