#include "define.h"
#include "mellow/compare.h"
#include "mellow/convention.h"

namespace mellow::cli {
namespace {

Command describe_command(DescribeRequest& r) {
    Command c{
        "describe", "Take stock: what is inside, what moves, what is suspect",
        "Of one scene file, everything. Of several, of a folder (with all folders in it) or of "
        "a crate, a table with a line for each file or clip, and totals."};
    c.options.push_back({"FILE",
                         &r.files,
                         "FILE",
                         "Scene files, folders of them, or crates",
                         {},
                         Names::kSceneOrMore,
                         true});
    add_truth(c, r.truth);
    c.options.push_back({"--tree", &r.tree, "", "Print the tree of nodes with their classes"});
    c.options.push_back({"--dump", &r.dump, "",
                         "Print joints and every key as text that can be read again, and nothing "
                         "else"});
    c.options.push_back({"--rig",
                         &r.rig,
                         "SHEET",
                         "A rig sheet: print what it evaluates, in order, and what it leaves alone",
                         {},
                         Names::kToml});
    c.options.push_back({"--clip", &r.clip, "PATTERN",
                         "Only say in which files the clips or timelines are whose names fit"});
    c.options.push_back({"--joints", &r.joints, "",
                         "Print the joints as a target's joint list, to begin one with"});
    add_verbose(c, r, "Everything of each file, where there are several");
    add_common(c, r);
    c.examples = {"mellow describe tamsin.glb --unit cm --up +Z --front -Y --tree",
                  "mellow describe captures", "mellow describe captures --clip \"walk*\"",
                  "mellow describe walk.glb --dump > walk.motion.txt"};
    c.run = [&r] { return describe(r); };
    return c;
}

Command draft_command(DraftRequest& r) {
    Command c{"draft", "Suggest a recipe from what files hold, each value with its reason",
              "The first file with a mesh is the figure, the others move it: unit, axes, rate, "
              "prefix, hips, ranges that move, loops and travel are told from the data. What could "
              "be something else is marked as a guess; what cannot be told is left as \"?\", and "
              "packing stops there. Exit code 1 when something is to be filled in."};
    c.options.push_back(
        {"FILE", &r.files, "FILE...", "Scene files, or folders of them", {}, Names::kScene, true});
    c.options.push_back(
        {"-o,--output", &r.output, "RECIPE", "Recipe to write (.toml)", {}, Names::kToml, true});
    c.options.push_back({"--rig", &r.rig, "SHEET", "The figure's rig sheet", {}, Names::kToml});
    add_truth(c, r.truth);
    c.options.push_back({"--target", &r.target, "TARGET",
                         "Preset or target file (default y-up-metre)", preset_names(),
                         Names::kToml});
    c.options.push_back({"--replace", &r.replace, "", "Replace the recipe if it exists"});
    add_verbose(c, r, "Every value, also those that need no look");
    add_common(c, r);
    c.examples = {"mellow draft tamsin.glb --rig tamsin.rig.toml -o tamsin.draft.toml",
                  "mellow draft hero.glb captures -o hero.recipe.toml"};
    c.run = [&r] { return draft(r); };
    return c;
}

/// How a crate comes to its place.
template <class Request>
void add_placing(Command& c, Request& r) {
    c.options.push_back(
        {"--replace", &r.replace, "",
         "Replace a crate that was packed before; the old one is kept as a backup"});
    c.options.push_back({"--keep-going", &r.keep_going, "",
                         "Leave out motion files and clips that are bad, say so, and exit with 1: "
                         "as on_error = \"skip\" in a recipe"});
    c.options.push_back({"--keep", &r.keep, "N", "How many backups stay, the newest (default 3)"});
}

Command pack_command(PackRequest& r) {
    Command c{"pack", "Do the whole job of a recipe: bake, cut, write, read back, measure",
              "Prints a line for each clip and the verdict last; the whole report is report.txt in "
              "the crate. Above tolerance nothing is put in place. With --replace only clips whose "
              "inputs have changed are baked again; the others are taken over. Several recipes, or "
              "a pattern in quotes, are several jobs: a line for each at the end, and the exit "
              "code of the worst. Scene files in place of recipes, with -o, are drafted first: the "
              "recipe is kept beside the crate."};
    c.options.push_back({"RECIPE",
                         &r.recipes,
                         "RECIPE...",
                         "Recipe files (TOML); or scene files, with -o",
                         {},
                         Names::kToml,
                         true});
    c.options.push_back({"-o,--output",
                         &r.output,
                         "FOLDER",
                         "With scene files: the crate's folder; the recipe is FOLDER.recipe.toml. "
                         "With --share: the part's folder",
                         {},
                         Names::kFolder});
    c.options.push_back(
        {"--dry-run", &r.dry_run, "",
         "Do everything, say what would be written and what would stop it, and write nothing"});
    c.options.push_back(
        {"--all", &r.all, "", "Bake every clip, also those whose inputs have not changed"});
    c.options.push_back({"--share", &r.share, "N/OF",
                         "Pack only this share of the clips into the part -o FOLDER: 3/16; "
                         "mellow gather puts the crate together"});
    c.options.push_back({"--from",
                         &r.from,
                         "CRATE",
                         "Take over clips of this crate or part whose inputs are the same",
                         {},
                         Names::kCrate});
    add_placing(c, r);
    add_verbose(c, r, "Print the whole report");
    add_common(c, r);
    c.examples = {"mellow pack tamsin.recipe.toml --replace", "mellow pack \"recipes/*.toml\""};
    c.run = [&r] { return pack(r); };
    return c;
}

Command gather_command(GatherRequest& r) {
    Command c{
        "gather", "Put a crate together from parts that mellow pack --share has made",
        "Every share of the plan must be there, once, or twice alike; every file must be what "
        "its manifest says; the recipe is planned again, and what was made of other inputs "
        "is refused. The crate is byte for byte that of one machine. Missing and older "
        "shares are named with the command that makes them."};
    c.options.push_back({"FOLDER",
                         &r.folders,
                         "FOLDER...",
                         "Parts, or folders with parts in them",
                         {},
                         Names::kFolder,
                         true});
    c.options.push_back({"-o,--output",
                         &r.output,
                         "CRATE",
                         "Where the crate goes (default as its recipe says)",
                         {},
                         Names::kFolder});
    c.options.push_back({"--recipe",
                         &r.recipe,
                         "RECIPE",
                         "Where the recipe is now, if not where the parts found it",
                         {},
                         Names::kToml});
    add_placing(c, r);
    add_verbose(c, r, "Print the whole report");
    add_common(c, r);
    c.examples = {"mellow gather parts", "mellow gather parts/1 parts/2 -o crates/tamsin"};
    c.run = [&r] { return gather(r); };
    return c;
}

Command view_command(ViewRequest& r) {
    Command c{
        "view", "Make a page that plays crates and scene files, or pictures of them",
        "A name that ends in .html gives a page: one file that opens from disk in any browser, "
        "without network. It plays crates and scene files, several side by side; of a recipe "
        "its crate and, over it, where the source has the joints. A name that "
        "ends in .png gives a picture: poses of each clip with ruler and root path, from any side; "
        "or what --what asks for. Several inputs are drawn with one scale, below each other. "
        "More clips than a picture holds go on in sheet_2.png, and so on. The truth about files "
        "(--unit ...) is for scene files."};
    c.options.push_back({"INPUT",
                         &r.inputs,
                         "INPUT...",
                         "Crate folders, scene files, recipes",
                         {},
                         Names::kCrate,
                         true});
    c.options.push_back({"-o,--output",
                         &r.output,
                         "FILE",
                         "Page (.html) or picture (.png) to write",
                         {},
                         Names::kPicture,
                         true});
    c.options.push_back({"--match", &r.match, "PATTERN", "Only clips whose names fit: \"walk*\""});
    c.options.push_back(
        {"--what",
         &r.what,
         "WHAT",
         "Of a picture: poses; of one clip trail, loop (first and last pose) or "
         "curves; timeline (ranges of a recipe, a crate, a scene), tree, sizes; "
         "states of a sheet (default poses)",
         {"poses", "trail", "loop", "curves", "timeline", "tree", "states", "sizes"}});
    c.options.push_back({"--from",
                         &r.from,
                         "SIDE",
                         "Poses seen from side, front, top or quarter",
                         {"side", "front", "top", "quarter"}});
    c.options.push_back({"--poses", &r.poses, "N", "Poses of each clip (default up to eight)"});
    c.options.push_back({"--range", &r.range, "A..B",
                         "Frames of the source, or samples where the labels count those"});
    c.options.push_back({"--joints", &r.joints, "A,B",
                         "Joints of trails and curves (default the root and the feet)"});
    c.options.push_back({"--size", &r.size, "WxH", "Pixels of the picture (default 1280x800)"});
    c.options.push_back({"--target", &r.target, "TARGET",
                         "Preset or target file whose axes are named; else those of the crate",
                         preset_names(), Names::kToml});
    c.options.push_back({"--linked", &r.linked, "",
                         "Files of a page beside it, in NAME.files, as always above 150 MB"});
    c.options.push_back({"--replace", &r.replace, "", "Replace the file if it exists"});
    add_truth(c, r.truth);
    add_common(c, r);
    c.examples = {"mellow view crates/tamsin -o tamsin.html",
                  "mellow view crates/tamsin -o sheet.png",
                  "mellow view walk.glb -o front.png --from front --poses 12 --range 108..132",
                  "mellow view crates/tamsin -o feet.png --what trail --match walk",
                  "mellow view walk.bvh hero.glb -o both.html --match \"walk*\""};
    c.run = [&r] { return view(r); };
    return c;
}

Command check_command(CheckRequest& r) {
    Command c{"check", "Check crates and files against a target, demand by demand",
              "Reads the files afresh. A crate is checked against the target it was packed for, or "
              "against --target; other files, and folders of them, need --target. Exit 1 when a "
              "demand is not met."};
    c.options.push_back({"PATH",
                         &r.paths,
                         "PATH",
                         "Crates, recipes (their crates), scene files or folders of them",
                         {},
                         Names::kSceneOrMore,
                         true});
    c.options.push_back({"--target", &r.target, "TARGET",
                         "A target file, or the name of a convention", preset_names(),
                         Names::kToml});
    c.options.push_back({"--all", &r.all, "", "Print demands that are met, too"});
    c.options.push_back(
        {"--junit", &r.junit, "FILE", "Write JUnit XML as well: each demand as a test case"});
    c.options.push_back({"--replace", &r.replace, "", "Replace that file if it exists"});
    c.options.push_back({"--figures",
                         &r.figures,
                         "FIGURE",
                         "In place of a target: can these figures play the clips of the crate?",
                         {},
                         Names::kScene});
    c.options.push_back(
        {"--sizes", &r.sizes, "", "In place of a target: bytes of each clip in several forms"});
    add_common(c, r);
    c.examples = {"mellow check crates/tamsin",
                  "mellow check delivery/ --target orchard.target.toml",
                  "mellow check crates/tamsin --figures crates/tamsin/tamsin.glb"};
    c.run = [&r] { return check(r); };
    return c;
}

Command play_command(PlayRequest& r) {
    Command c{"play", "Play the clips of a crate by states, as a game would",
              "A small stand-in for an engine, which knows nothing but the files of the crate. A "
              "sheet says which clip plays in which state and what leads from one to the next "
              "(docs/states.md); a script sets flags and sends signals. What happens is printed; "
              "the same script gives the same bytes."};
    c.options.push_back({"CRATE", &r.crate, "CRATE", "Crate folder", {}, Names::kCrate, true});
    c.options.push_back({"--states",
                         &r.states,
                         "SHEET",
                         "States and the ways between them",
                         {},
                         Names::kToml,
                         true});
    c.options.push_back({"--script", &r.script, "FILE",
                         "Table with a first line seconds,name,value: what happens when"});
    c.options.push_back({"--seconds", &r.seconds, "SECONDS",
                         "How long (default: two seconds more than the script)"});
    c.options.push_back({"--rate", &r.rate, "STEPS", "Steps a second (default 30)"});
    c.options.push_back({"-o,--output",
                         &r.output,
                         "FILE",
                         "A page (.html) that plays the states by its keys",
                         {},
                         Names::kPicture});
    c.options.push_back({"--replace", &r.replace, "", "Replace the page if it exists"});
    add_common(c, r);
    c.examples = {"mellow play crates/yard --states yard.states.toml --script yard.script.csv"};
    c.run = [&r] { return play(r); };
    return c;
}

Command demo_command(DemoRequest& r) {
    Command c{"demo", "Write the orchard's demo data and run the whole job on it", ""};
    c.options.push_back({"FOLDER",
                         &r.folder,
                         "FOLDER",
                         "Where to write it (default demo-out)",
                         {},
                         Names::kFolder});
    c.options.push_back({"--replace", &r.replace, "",
                         "Replace files of an earlier run; the old crate is kept as a backup"});
    c.options.push_back(
        {"--data-only", &r.data_only, "", "Write scenes, rig sheets and recipes, and stop there"});
    add_verbose(c, r, "Print the whole reports");
    add_common(c, r);
    c.examples = {"mellow demo demo-out"};
    c.run = [&r] { return demo(r); };
    return c;
}

}  // namespace

std::vector<Command> commands(Requests& r) {
    return {describe_command(r.describe), draft_command(r.draft),     pack_command(r.pack),
            gather_command(r.gather),     check_command(r.check),     view_command(r.view),
            play_command(r.play),         compare_command(r.compare), convert_command(r.convert),
            match_command(r.match),       lift_command(r.lift),       demo_command(r.demo)};
}

const Command* find_command(const std::vector<Command>& all, const std::string& name) {
    for (const Command& c : all)
        if (c.name == name) return &c;
    return nullptr;
}

std::vector<std::string> Option::spellings() const {
    const auto comma = names.find(',');
    if (comma == std::string::npos) return {names};
    return {names.substr(0, comma), names.substr(comma + 1)};
}

}  // namespace mellow::cli
