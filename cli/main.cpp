#include <fmt/core.h>

#include <CLI/CLI.hpp>
#include <csignal>

#include "commands.h"

namespace mellow::cli {

int fail(const Finding& finding) {
    fmt::print(stderr, "{}\n", to_text(finding));
    const bool output =
        finding.code == Code::kOutputExists || finding.code == Code::kOutputUnwritable;
    return output ? kCannotWrite : kBadInput;
}

namespace {

void add_common(CLI::App* c, Common& common) {
    c->add_flag("--json", common.json, "Print the result as JSON, for machines");
    c->add_flag("--quiet", common.quiet, "Print nothing but errors");
}

void add_truth(CLI::App* c, TrueConvention& truth) {
    c->add_option(
        "--unit", truth.unit,
        "True unit of the numbers: metre, centimetre, millimetre, inch, foot or metres per unit");
    c->add_option("--up", truth.up, "True up axis, such as +Z");
    c->add_option("--front", truth.front, "Axis the figure faces, such as -Y");
    c->add_option("--rate", truth.rate, "Frames per second by which to count");
}

CLI::App* add_describe(CLI::App& app, DescribeRequest& r) {
    CLI::App* c = app.add_subcommand(
        "describe", "Take stock of scene files: what is inside, what moves, what is suspect");
    c->add_option("files", r.files, "glTF or BVH files")->required();
    add_truth(c, r.truth);
    c->add_flag("--tree", r.tree, "Print the tree of nodes with their classes");
    add_common(c, r);
    c->footer("Example: mellow describe tamsin.glb --unit centimetre --up +Z --front -Y --tree");
    return c;
}

CLI::App* add_pack(CLI::App& app, PackRequest& r) {
    CLI::App* c = app.add_subcommand(
        "pack", "Do the whole job of a recipe: bake, cut, write, read back, measure");
    c->add_option("recipe", r.recipe, "Recipe file (TOML)")->required();
    c->add_flag("--replace", r.replace,
                "Replace a crate that was packed before; the old one is kept as a backup");
    add_common(c, r);
    c->footer("Example: mellow pack tamsin.recipe.toml --replace");
    return c;
}

CLI::App* add_view(CLI::App& app, ViewRequest& r) {
    CLI::App* c = app.add_subcommand(
        "view", "Draw a crate as a contact sheet: eight poses per clip, ruler, root path");
    c->add_option("crate", r.crate, "Crate folder")->required();
    c->add_option("-o,--output", r.output, "Picture to write (.png)")->required();
    c->add_flag("--replace", r.replace, "Replace the picture if it exists");
    add_common(c, r);
    c->footer("Example: mellow view crates/tamsin -o sheet.png");
    return c;
}

CLI::App* add_demo(CLI::App& app, DemoRequest& r) {
    CLI::App* c =
        app.add_subcommand("demo", "Write the orchard's demo data and run the whole job on it");
    c->add_option("folder", r.folder, "Where to write it")->capture_default_str();
    c->add_flag("--replace", r.replace,
                "Replace files of an earlier run; the old crate is kept as a backup");
    c->add_flag("--data-only", r.data_only,
                "Write the scene, rig sheet and recipe, and stop there");
    add_common(c, r);
    c->footer("Example: mellow demo demo-out");
    return c;
}

int run(int argc, char** argv) {
    CLI::App app{
        "Bakes rigged animation to its deform joints and packs it for a game engine, proven."};
    app.set_version_flag("--version", "mellow " MELLOW_VERSION);
    app.require_subcommand(1);
    app.footer(
        "Exit codes: 0 done, 1 done but checks failed, 2 usage, 3 bad input, 4 could not write.\n"
        "Example: mellow demo");
    DescribeRequest to_describe;
    PackRequest to_pack;
    ViewRequest to_view;
    DemoRequest to_demo;
    CLI::App* const c_describe = add_describe(app, to_describe);
    CLI::App* const c_pack = add_pack(app, to_pack);
    CLI::App* const c_view = add_view(app, to_view);
    add_demo(app, to_demo);
    try {
        app.parse(argc, argv);
    } catch (const CLI::ParseError& error) {
        return app.exit(error) == 0 ? kDone : kUsage;
    }
    if (c_describe->parsed()) return describe(to_describe);
    if (c_pack->parsed()) return pack(to_pack);
    if (c_view->parsed()) return view(to_view);
    return demo(to_demo);
}

}  // namespace
}  // namespace mellow::cli

int main(int argc, char** argv) {
    std::signal(SIGPIPE, SIG_IGN);
    std::signal(SIGXFSZ, SIG_IGN);  // a file size limit is then an ordinary write error
    return mellow::cli::run(argc, argv);
}
