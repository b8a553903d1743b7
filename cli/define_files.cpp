// Commands that take scene files and no recipe.
#include "define.h"
#include "mellow/compare.h"
#include "mellow/convention.h"

namespace mellow::cli {
namespace {

std::vector<std::string> aspect_names() {
    std::vector<std::string> names;
    for (int i = 0; i < kAspects; ++i) names.emplace_back(name(static_cast<Aspect>(i)));
    return names;
}

}  // namespace

Command compare_command(CompareRequest& r) {
    Command c{
        "compare", "Measure how differently two files or crates move, joint by joint",
        "Of two crates: which clips were added, are gone, have changed, and by how much. Exit "
        "code 1 where something differs."};
    c.options.push_back(
        {"FIRST", &r.a, "FIRST", "The file to measure against", {}, Names::kScene, true});
    c.options.push_back({"SECOND", &r.b, "SECOND", "The file to measure", {}, Names::kScene, true});
    add_truth(c, r.truth_a);
    add_truth(c, r.truth_b, "-b");
    c.options.push_back(
        {"--timeline", &r.timeline_a, "NAME", "Animation of the first file", {}, Names::kTimeline});
    c.options.push_back({"--timeline-b",
                         &r.timeline_b,
                         "NAME",
                         "Animation of the second file",
                         {},
                         Names::kTimeline});
    c.options.push_back(
        {"--map", &r.map, "A=B", "Joints with other names in the second file: hips=Pelvis ..."});
    c.options.push_back({"--tolerance", &r.tolerance_mm, "MM", "Most millimetres (default 0.05)"});
    c.options.push_back(
        {"--tolerance-degrees", &r.tolerance_degrees, "DEGREES", "Most degrees (default 0.01)"});
    c.options.push_back({"--ignore", &r.ignore, "WHAT",
                         "Differences that do not count, with commas between: meshes,weights ...",
                         aspect_names()});
    c.options.push_back({"--align",
                         &r.align,
                         "WHERE",
                         "Compare from second zero of both, or from the first key of each",
                         {"zero", "first-key"}});
    add_common(c, r);
    c.examples = {"mellow compare walk.bvh walk.glb --unit inch --tolerance 1",
                  "mellow compare crates/shift.backup-1 crates/shift"};
    c.run = [&r] { return compare(r); };
    return c;
}

Command convert_command(ConvertRequest& r) {
    Command c{"convert", "Write one file in another format, convention or rate, without a recipe",
              ""};
    c.options.push_back(
        {"INPUT", &r.input, "INPUT", "Scene file: glTF, COLLADA or BVH", {}, Names::kScene, true});
    c.options.push_back({"OUTPUT",
                         &r.output,
                         "OUTPUT",
                         "File to write: .glb, .gltf, .dae or .bvh",
                         {},
                         Names::kScene,
                         true});
    add_truth(c, r.truth);
    c.options.push_back({"--target", &r.target, "TARGET",
                         "Convention of the output (default y-up-metre), or a target file: its "
                         "axes, unit, rate and textures",
                         preset_names(), Names::kToml});
    c.options.push_back(
        {"--to-rate", &r.to_rate, "RATE", "Samples per second of the output", kRates});
    c.options.push_back({"--timeline",
                         &r.timeline,
                         "NAME",
                         "Only the animation of this name",
                         {},
                         Names::kTimeline});
    c.options.push_back({"--range", &r.range, "FRAME", "First and last frame, both included"});
    c.options.push_back(
        {"--order",
         &r.orders,
         "ORDER",
         "Order of the rotations in BVH and COLLADA: ZXY, or hips=ZXY for one joint",
         {"XYZ", "XZY", "YXZ", "YZX", "ZXY", "ZYX"}});
    c.options.push_back(
        {"--matrices", &r.matrices, "", "COLLADA: whole matrices instead of Euler angles"});
    c.options.push_back({"--parts",
                         &r.parts,
                         "PARTS",
                         "all, skin (no motion) or motion (no meshes)",
                         {"all", "skin", "motion"}});
    c.options.push_back({"--textures",
                         &r.textures,
                         "WHERE",
                         "embedded, beside or none; without it embedded in .glb, beside all others",
                         {"embedded", "beside", "none"}});
    c.options.push_back({"--replace", &r.replace, "", "Replace files that exist"});
    add_common(c, r);
    c.examples = {"mellow convert capture.bvh capture.glb --unit inch --up +Y --front +Z"};
    c.run = [&r] { return convert(r); };
    return c;
}

Command lift_command(LiftRequest& r) {
    Command c{"lift", "Put motion on joints back onto the controls of a rig",
              "What the rig cannot do is measured; above tolerance nothing is written."};
    c.options.push_back({"MOTION",
                         &r.motion,
                         "MOTION",
                         "File with motion on joints: a clip of a crate, a capture",
                         {},
                         Names::kScene,
                         true});
    c.options.push_back(
        {"SCENE", &r.scene, "SCENE", "Scene file with the controls", {}, Names::kScene, true});
    c.options.push_back({"--rig",
                         &r.rig,
                         "SHEET",
                         "Rig sheet that ties them to the joints",
                         {},
                         Names::kToml,
                         true});
    c.options.push_back({"-o,--output",
                         &r.output,
                         "FILE",
                         "Scene file to write, controls keyed (.glb)",
                         {},
                         Names::kScene,
                         true});
    c.options.push_back({"--name", &r.name, "NAME", "Name of the new timeline (default lifted)"});
    c.options.push_back({"--timeline",
                         &r.timeline,
                         "NAME",
                         "Timeline of the motion, where there are several",
                         {},
                         Names::kTimeline});
    c.options.push_back({"--onto", &r.onto, "A=B",
                         "CONTROL=CONTROL_ABOVE_IT: key the second in place of the first"});
    add_truth(c, r.truth);
    add_truth(c, r.motion_truth, "-motion");
    c.options.push_back(
        {"--tolerance", &r.tolerance_mm, "MM", "Most millimetres a joint may be off (default 1)"});
    c.options.push_back(
        {"--tolerance-degrees", &r.tolerance_degrees, "DEGREES", "Most degrees (default 0.5)"});
    c.options.push_back({"--replace", &r.replace, "", "Replace the output if it exists"});
    add_common(c, r);
    c.examples = {
        "mellow lift crates/tamsin/clips/walk.glb tamsin.glb --rig tamsin.rig.toml "
        "-o again.glb --unit cm --up +Z --front -Y"};
    c.run = [&r] { return lift(r); };
    return c;
}

Command match_command(MatchRequest& r) {
    Command c{"match", "Say which joints of a motion stand for which joints of another figure",
              "By the tree and the lengths of bones first, by names second, by the pose at rest "
              "last. What told each pair is said; what is a guess is marked. The map is named by a "
              "recipe's [[source]] (map = ...), which then carries the motion over."};
    c.options.push_back(
        {"MOTION", &r.motion, "MOTION", "File with the motion", {}, Names::kScene, true});
    c.options.push_back(
        {"FIGURE", &r.figure, "FIGURE", "Scene file with the figure", {}, Names::kScene, true});
    c.options.push_back({"-o,--output",
                         &r.output,
                         "MAP",
                         "Map to write (.toml); without it, it is only told",
                         {},
                         Names::kToml});
    add_truth(c, r.motion_truth, "-motion");
    add_truth(c, r.truth);
    c.options.push_back({"--replace", &r.replace, "", "Replace the map if it exists"});
    add_common(c, r);
    c.examples = {
        "mellow match capture.bvh tamsin.glb -o capture.map.toml --unit-motion cm --unit cm --up "
        "+Z --front -Y"};
    c.run = [&r] { return match(r); };
    return c;
}

}  // namespace mellow::cli
