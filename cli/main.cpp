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

void print_findings(const Findings& findings) {
    for (const Finding& finding : findings) fmt::print(stderr, "{}\n", to_text(finding));
}

namespace {

void add_common(CLI::App* c, Common& common) {
    c->add_flag("--json", common.json, "Print the result as JSON, for machines");
    c->add_flag("--quiet", common.quiet, "Print nothing but errors");
}

/// `of` tells two files apart: "", "-b" or "-motion".
void add_truth(CLI::App* c, TypedConvention& truth, const std::string& of = "") {
    const std::string file = of.empty()   ? ""
                             : of == "-b" ? " of the second file"
                                          : " of the motion file";
    c->add_option(
        "--unit" + of, truth.unit,
        "True unit" + file + ": metre, centimetre, millimetre, inch, foot or metres per unit");
    c->add_option("--up" + of, truth.up, "True up axis" + file + ", such as +Z");
    c->add_option("--front" + of, truth.front, "Axis the figure" + file + " faces, such as -Y");
    c->add_option("--rate" + of, truth.rate, "True frames per second" + file + ", such as 24");
}

CLI::App* add_describe(CLI::App& app, DescribeRequest& r) {
    CLI::App* c = app.add_subcommand(
        "describe", "Take stock of scene files: what is inside, what moves, what is suspect");
    c->add_option("files", r.files, "glTF, COLLADA or BVH files")->required();
    add_truth(c, r.truth);
    c->add_flag("--tree", r.tree, "Print the tree of nodes with their classes");
    c->add_option(
        "--rig", r.rig,
        "A rig sheet: print what it evaluates, in order, and which joints it leaves alone");
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

CLI::App* add_convert(CLI::App& app, ConvertRequest& r) {
    CLI::App* c = app.add_subcommand(
        "convert", "Write one file in another format, convention or rate, without a recipe");
    c->add_option("input", r.input, "glTF, COLLADA or BVH file")->required();
    c->add_option("output", r.output, "File to write: .glb, .gltf, .dae or .bvh")->required();
    add_truth(c, r.truth);
    c->add_option("--target", r.target, "Convention of the output")->capture_default_str();
    c->add_option("--to-rate", r.to_rate, "Samples per second of the output");
    c->add_option("--timeline", r.timeline, "Only the animation of this name");
    c->add_option("--range", r.range, "First and last frame, both included")->expected(2);
    c->add_option("--order", r.orders,
                  "Order of the rotations in BVH and COLLADA: ZXY, or hips=ZXY for one joint");
    c->add_flag("--matrices", r.matrices, "COLLADA: whole matrices instead of Euler angles");
    c->add_option("--parts", r.parts, "all, skin (no motion) or motion (no meshes)")
        ->capture_default_str();
    c->add_option("--textures", r.textures,
                  "embedded, beside or none; without it embedded in .glb, beside all others");
    c->add_flag("--replace", r.replace, "Replace files that exist");
    add_common(c, r);
    c->footer("Example: mellow convert capture.bvh capture.glb --unit inch --up +Y --front +Z");
    return c;
}

CLI::App* add_compare(CLI::App& app, CompareRequest& r) {
    CLI::App* c = app.add_subcommand(
        "compare", "Measure how differently two files move, joint by joint and vertex by vertex");
    c->add_option("a", r.a, "The file to measure against")->required();
    c->add_option("b", r.b, "The file to measure")->required();
    add_truth(c, r.truth_a);
    add_truth(c, r.truth_b, "-b");
    c->add_option("--timeline", r.timeline_a, "Animation of the first file");
    c->add_option("--timeline-b", r.timeline_b, "Animation of the second file");
    c->add_option("--map", r.map, "Joints with other names in the second file: hips=Pelvis ...");
    c->add_option("--tolerance", r.tolerance_mm, "Most millimetres")->capture_default_str();
    c->add_option("--tolerance-degrees", r.tolerance_degrees, "Most degrees")
        ->capture_default_str();
    add_common(c, r);
    c->footer("Example: mellow compare walk.bvh walk.glb --unit inch --tolerance 1");
    return c;
}

CLI::App* add_lift(CLI::App& app, LiftRequest& r) {
    CLI::App* c = app.add_subcommand(
        "lift", "Put motion on joints back onto the controls of a rig, and measure what it cannot");
    c->add_option("motion", r.motion, "File with motion on joints: a clip of a crate, a capture")
        ->required();
    c->add_option("scene", r.scene, "Scene file with the controls")->required();
    c->add_option("--rig", r.rig, "Rig sheet that ties them to the joints")->required();
    c->add_option("-o,--output", r.output, "Scene file to write, controls keyed (.glb)")
        ->required();
    c->add_option("--name", r.name, "Name of the new timeline")->default_str("lifted");
    c->add_option("--timeline", r.timeline, "Timeline of the motion, where there are several");
    c->add_option("--onto", r.onto,
                  "CONTROL=CONTROL_ABOVE_IT: key the second in place of the first");
    add_truth(c, r.truth);
    add_truth(c, r.motion_truth, "-motion");
    c->add_option("--tolerance", r.tolerance_mm, "Most millimetres a joint may be off")
        ->capture_default_str();
    c->add_option("--tolerance-degrees", r.tolerance_degrees, "Most degrees")
        ->capture_default_str();
    c->add_flag("--replace", r.replace, "Replace the output if it exists");
    add_common(c, r);
    c->footer(
        "Example: mellow lift crates/tamsin/clips/walk.glb tamsin.glb --rig tamsin.rig.toml "
        "-o again.glb --unit centimetre --up +Z --front -Y");
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
    ConvertRequest to_convert;
    CompareRequest to_compare;
    LiftRequest to_lift;
    to_lift.name = "lifted";
    DemoRequest to_demo;
    CLI::App* const c_describe = add_describe(app, to_describe);
    CLI::App* const c_pack = add_pack(app, to_pack);
    CLI::App* const c_view = add_view(app, to_view);
    CLI::App* const c_convert = add_convert(app, to_convert);
    CLI::App* const c_compare = add_compare(app, to_compare);
    CLI::App* const c_lift = add_lift(app, to_lift);
    add_demo(app, to_demo);
    try {
        app.parse(argc, argv);
    } catch (const CLI::ParseError& error) {
        return app.exit(error) == 0 ? kDone : kUsage;
    }
    if (c_describe->parsed()) return describe(to_describe);
    if (c_pack->parsed()) return pack(to_pack);
    if (c_view->parsed()) return view(to_view);
    if (c_convert->parsed()) return convert(to_convert);
    if (c_compare->parsed()) return compare(to_compare);
    if (c_lift->parsed()) return lift(to_lift);
    return demo(to_demo);
}

}  // namespace
}  // namespace mellow::cli

int main(int argc, char** argv) {
    std::signal(SIGPIPE, SIG_IGN);
    std::signal(SIGXFSZ, SIG_IGN);  // a file size limit is then an ordinary write error
    return mellow::cli::run(argc, argv);
}
