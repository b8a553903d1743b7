#include <fmt/format.h>
#include <unistd.h>

#include <memory>

#include "commands.h"
#include "mellow/pack.h"

namespace mellow::cli {

int run_pack(const std::string& recipe_file, bool replace, const Common& common) {
    auto recipe = read_recipe(recipe_file);
    if (!recipe) return fail(recipe.failure());
    PackOptions options;
    options.replace = replace;
    const bool show = isatty(STDERR_FILENO) != 0 && !common.quiet;
    if (show)
        options.progress = [](const std::string& what) { fmt::print(stderr, "\r\033[K{}", what); };
    auto packed = pack(recipe.value(), options);
    if (show) fmt::print(stderr, "\r\033[K");
    if (!packed) return fail(packed.failure());
    const PackReport& report = packed.value();
    if (common.json)
        fmt::print("{}", report_json(report));
    else if (!common.quiet)
        fmt::print("{}\n", report_text(report));
    if (report.proven) {
        if (!common.quiet && !common.json) {
            fmt::print("crate {}\n", report.folder.string());
            if (!report.backup.empty())
                fmt::print("the crate that stood there is kept as {}\n", report.backup.string());
        }
        return kDone;
    }
    for (const Finding& finding : report.findings)
        if (finding.severity == Severity::kStop) fmt::print(stderr, "{}\n", to_text(finding));
    fmt::print(stderr, "not packed: the files are kept aside in {}\n", report.folder.string());
    return kChecksFailed;
}

Run add_pack(CLI::App& app) {
    struct Options {
        Common common;
        std::string recipe;
        bool replace = false;
    };
    auto o = std::make_shared<Options>();
    CLI::App* c = app.add_subcommand(
        "pack", "Do the whole job of a recipe: bake, cut, write, read back, measure");
    c->add_option("recipe", o->recipe, "Recipe file (TOML)")->required();
    c->add_flag("--replace", o->replace,
                "Replace a crate that was packed before; the old one is kept as a backup");
    o->common.add_to(*c);
    c->footer("Example: mellow pack tamsin.recipe.toml --replace");
    return [o] { return run_pack(o->recipe, o->replace, o->common); };
}

}  // namespace mellow::cli
