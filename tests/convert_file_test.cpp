// Writing BVH and glTF text, converting files, and comparing what came out.
#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>

#include "mellow/bake.h"
#include "mellow/compare.h"
#include "mellow/convert_file.h"
#include "mellow/fit.h"
#include "mellow/motion_table.h"
#include "mellow/pose.h"
#include "mellow/write.h"
#include "packing.h"
#include "rigs.h"
#include "support.h"

namespace mellow {
namespace {

using namespace test;

using test::read_text;

using testing::HasSubstr;

/// Three joints in a row whose first two turn, the last one with a place of its own.
struct Converted {
    Skeleton skeleton;
    Clip clip;
};

Converted make_clip(int samples) {
    Converted m;
    m.skeleton =
        Skeleton::make(
            {{"hips", -1, {{0, 1, 0}, {}, {1, 1, 1}}},
             {"upper leg", 0, {{0.1, -0.1, 0}, from_axis_angle({0, 0, 1}, 0.5), {1, 1, 1}}},
             {"foot", 1, {{0, -0.8, 0}, {}, {1, 1, 1}}},
             {"hand", 0, {{0.2, 0.4, 0}, {}, {1, 1, 1}}}})
            .value();
    m.clip.name = "made";
    m.clip.rate = {24, 1};
    m.clip.samples = samples;
    m.clip.period = samples - 1;
    m.clip.joints = make_tracks(4, samples);
    for (int k = 0; k < samples; ++k) {
        const double a = 0.3 * k;
        store(m.clip.joints[0], k, {{0.1 * k, 1, 0.2}, from_axis_angle({0, 1, 0}, a), {1, 1, 1}});
        store(m.clip.joints[1], k,
              {{0.1, -0.1, 0}, from_axis_angle({1, 0, 0}, std::sin(a)), {1, 1, 1}});
        store(m.clip.joints[2], k, {{0, -0.8 - 0.05 * k, 0}, {}, {1, 1, 1}});
        store(m.clip.joints[3], k, {{0.2, 0.4, 0}, {}, {1, 1, 1}});
    }
    return m;
}

Affine world(const Converted& m, int joint, int sample) {
    Affine out;
    for (int j = joint; j >= 0; j = m.skeleton[j].parent)
        out = to_affine(local_at(m.clip.joints[static_cast<std::size_t>(j)], sample)) * out;
    return out;
}

TEST(WriteBvhTest, WhatIsWrittenIsReadBackInEveryOrder) {
    const Converted m = make_clip(30);
    for (const char* order : {"XYZ", "XZY", "YXZ", "YZX", "ZXY", "ZYX"}) {
        BvhOptions options;
        options.order = *parse_euler_order(order);
        const auto written = write_bvh(m.skeleton, m.clip, {}, options);
        ASSERT_THAT(written, IsOk());
        ASSERT_EQ(written.value().findings.size(), 1U);
        EXPECT_THAT(to_text(written.value().findings[0]), HasSubstr("hips, foot"));
        EXPECT_THAT(written.value().text, HasSubstr(fmt::format("{}rotation {}rotation {}rotation",
                                                                order[0], order[1], order[2])));
        const auto read = read_bvh(written.value().text, "made.bvh");
        ASSERT_THAT(read, IsOk());
        const Scene& scene = read.value().scene;
        EXPECT_EQ(scene.rate, (FrameRate{24, 1}));
        for (const int k : {0, 7, 29}) {
            const Pose pose = pose_at(scene, scene.timelines[0], k / 24.0);
            for (int j = 0; j < 4; ++j) {
                std::string name = m.skeleton[j].name;
                if (name == "upper leg") name = "upper_leg";
                const int node = find_node(scene, name);
                ASSERT_NE(node, kNone) << name;
                EXPECT_LT(
                    test::difference(pose.worlds[static_cast<std::size_t>(node)], world(m, j, k)),
                    3e-7);
            }
        }
    }
}

TEST(WriteBvhTest, PlacesAreWrittenOnlyWhereTheyChange) {
    const auto text = write_bvh(make_clip(3).skeleton, make_clip(3).clip, {}).value().text;
    // The hips always, the foot because it moves away; the others turn only.
    const std::string six =
        "CHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation";
    EXPECT_THAT(text, HasSubstr("ROOT hips\n{\n  OFFSET 0 0 0\n  " + six));
    EXPECT_THAT(text,
                HasSubstr("JOINT upper_leg\n  {\n    OFFSET 0.1 -0.1 0\n    CHANNELS 3 Zrotation"));
    EXPECT_THAT(text, HasSubstr("JOINT foot\n    {\n      OFFSET 0 0 0\n      " + six));
    EXPECT_THAT(text, HasSubstr("Frames: 3\nFrame Time: 0.0416666667\n"));
}

TEST(WriteBvhTest, TipsOrdersAndTheTargetsUnit) {
    BvhOptions options;
    options.tips["foot"] = {0, 0, 0.25};
    options.orders["hips"] = EulerOrder::kXYZ;
    const Conversion centimetres({}, {0.01, Axis::kPlusZ, Axis::kMinusY});
    const auto text =
        write_bvh(make_clip(2).skeleton, make_clip(2).clip, centimetres, options).value().text;
    EXPECT_THAT(text,
                HasSubstr("End Site\n      {\n        OFFSET 0 -25 0\n"));  // front is -Y there
    EXPECT_THAT(text, HasSubstr("OFFSET 0 0 0\n  CHANNELS 6 Xposition Yposition Zposition "
                                "Xrotation Yrotation Zrotation"));
}

TEST(WriteBvhTest, WhatBvhCannotHoldIsSaid) {
    Converted m = make_clip(4);
    m.clip.morphs.push_back({"body", {"smile"}, {0, 0, 0, 1}});
    store(m.clip.joints[1], 2, {{0.1, -0.1, 0}, {}, {2, 2, 2}});
    const auto written = write_bvh(m.skeleton, m.clip, {});
    ASSERT_THAT(written, IsOk());
    ASSERT_EQ(written.value().findings.size(), 3U);
    EXPECT_EQ(written.value().findings[1].code, Code::kLeftOut);
    EXPECT_THAT(to_text(written.value().findings[2]), HasSubstr("upper leg"));
    // Places below the scaled joint are kept all the same.
    const auto read = read_bvh(written.value().text, "made.bvh");
    const Scene& scene = read.value().scene;
    const Pose pose = pose_at(scene, scene.timelines[0], 2 / 24.0);
    EXPECT_LT(length(pose.worlds[static_cast<std::size_t>(find_node(scene, "foot"))].o -
                     world(m, 2, 2).o),
              3e-7);
}

TEST(WriteBvhTest, NamesThatBecomeOneAreRefused) {
    const Skeleton s = Skeleton::make({{"a b", -1, {}}, {"a_b", 0, {}}}).value();
    Clip clip;
    clip.samples = 1;
    clip.joints = make_tracks(2, 1);
    EXPECT_THAT(write_bvh(s, clip, {}), FailsWith(Code::kNameClash, "a_b"));
}

// ---------------------------------------------------------------------------------- comparing

Scene swinging(double amplitude) {
    Scene scene = chain_scene(3, 1);
    scene.rate = {10, 1};
    scene.timelines.emplace_back();
    Channel c{1, Path::kRotation, {Interpolation::kLinear, 4, {}, {}}};
    for (int k = 0; k <= 10; ++k) {
        const Quat q = from_axis_angle({0, 0, 1}, amplitude * k / 10);
        c.curve.times.push_back(k / 10.0);
        c.curve.values.append({q.x, q.y, q.z, q.w});
    }
    scene.timelines[0].channels.push_back(c);
    return scene;
}

TEST(CompareTest, AKnownDifferenceIsMeasured) {
    // n1 turns by 1 and by 1.1 radians; n2 sits 1 m along: apart by 2 sin(0.05) m at the end.
    const auto compared = compare_motion(swinging(1), swinging(1.1), {});
    ASSERT_THAT(compared, IsOk());
    const Comparison& c = compared.value();
    EXPECT_EQ(c.moments, 51);  // 1 s, 5 moments for each of 10 frames
    EXPECT_NEAR(c.position_mm.worst, 2000 * std::sin(0.05), 1e-6);
    EXPECT_EQ(c.position_mm.what, "n2");
    EXPECT_EQ(c.position_mm.sample, 50);
    EXPECT_NEAR(c.rotation_degrees.worst, 0.1 * 180 / M_PI, 1e-6);
    EXPECT_EQ(c.joints[0].position_mm.worst, 0);
    EXPECT_EQ(c.joints[0].rest_mm, 0);
    EXPECT_NEAR(compare_motion(swinging(1), swinging(1), {}).value().position_mm.worst, 0, 1e-12);
}

TEST(CompareTest, TimelinesThatStartElsewhereAreAlignedWhenAsked) {
    Scene later = swinging(1);
    for (double& t : later.timelines[0].channels[0].curve.times.edit()) t += 3;
    CompareOptions options;
    options.align_first_key = true;
    EXPECT_LT(compare_motion(swinging(1), later, options).value().position_mm.worst, 1e-9);
    const Comparison shifted = compare_motion(swinging(1), later, {}).value();
    EXPECT_GT(shifted.position_mm.worst, 1);
    EXPECT_NEAR(shifted.seconds_b - shifted.seconds_a, 3, 1e-12);
}

TEST(CompareTest, OtherNamesAndMissingJoints) {
    Scene other = swinging(1);
    other.nodes[1].name = "knee";
    const Comparison c = compare_motion(swinging(1), other, {}).value();
    EXPECT_EQ(c.only_a, std::vector<std::string>{"n1"});
    EXPECT_EQ(c.only_b, std::vector<std::string>{"knee"});
    EXPECT_EQ(c.joints.size(), 2U);
    CompareOptions options;
    options.names["n1"] = "knee";
    const Comparison mapped = compare_motion(swinging(1), other, options).value();
    EXPECT_TRUE(mapped.only_a.empty() && mapped.only_b.empty());
    options.names["n1"] = "kne";
    EXPECT_THAT(compare_motion(swinging(1), other, options),
                FailsWith(Code::kNameUnknown, "\"knee\""));
    for (Node& node : other.nodes) node.name += "x";
    EXPECT_THAT(compare_motion(swinging(1), other, {}),
                FailsWith(Code::kNoJoints, "a table of names"));
}

TEST(CompareTest, RestPosesVerticesAndWeightsAreMeasured) {
    Scene a = test::read_tiny(test::tamsin()[0].bytes).value().scene, b = a;
    b.nodes[static_cast<std::size_t>(orchard::node(b, "head_end"))].local.t.x += 0.5;
    for (Mesh& mesh : b.meshes)
        if (mesh.name == "orchard:boots") mesh.primitives[0].positions[0][2] += 2;
    for (Channel& c : b.timelines[0].channels)
        if (c.path == Path::kWeights) c.curve.values.edit()[0] += 0.125;
    const Comparison c = compare_motion(a, b, {{}, 0, 0, 1}).value();
    EXPECT_NEAR(c.vertex_mm.worst, 2000, 1);
    EXPECT_EQ(c.vertex_mm.what, "orchard:boots");
    EXPECT_NEAR(c.weight.worst, 0.125, 1e-6);
    double rest = 0;
    for (const JointComparison& j : c.joints) rest = std::max(rest, j.rest_mm);
    EXPECT_NEAR(rest, 500, 1e-3);
}

// --------------------------------------------------------------------------------- converting

class ConvertTest : public testing::Test {
  protected:
    ConvertTest() {
        const auto files = test::tamsin();
        write_text(folder_ / "tamsin.glb", {files[0].bytes.begin(), files[0].bytes.end()});
        const Converted m = make_clip(25);
        write_text(folder_ / "made.bvh", write_bvh(m.skeleton, m.clip, {}).value().text);
    }
    std::string path(const std::string& name) const {
        return "'" + (folder_ / name).string() + "'";
    }
    ToolRun tool(const std::string& arguments) const { return run_tool(arguments); }
    nlohmann::json compared(const std::string& a, const std::string& b,
                            const std::string& more = "") const {
        return nlohmann::json::parse(
            run_tool("compare --json " + path(a) + " " + path(b) + " " + more).out);
    }

    TempFolder folder_;
};

TEST_F(ConvertTest, BvhGoesToGltfAndBackWithinSinglePrecision) {
    EXPECT_EQ(tool("convert " + path("made.bvh") + " " + path("made.glb") +
                   " --unit centimetre --up +Z --front -Y")
                  .exit,
              0);
    const auto there = compared("made.bvh", "made.glb", "--unit centimetre --up +Z --front -Y");
    EXPECT_LT(there["joint_position_mm"]["worst"].get<double>(), 1e-4);
    EXPECT_EQ(tool("convert " + path("made.glb") + " " + path("back.bvh") +
                   " --target z-up-centimetre --order YXZ")
                  .exit,
              0);
    const auto back = compared("made.bvh", "back.bvh", "");
    EXPECT_LT(back["joint_position_mm"]["worst"].get<double>(), 1e-3);
    EXPECT_LT(back["joint_rotation_degrees"]["worst"].get<double>(), 1e-4);
    EXPECT_THAT(read_text(folder_ / "back.bvh"), HasSubstr("Yrotation Xrotation Zrotation"));
}

TEST_F(ConvertTest, RangesAndRatesAreResampled) {
    EXPECT_EQ(
        tool("convert " + path("made.bvh") + " " + path("part.bvh") + " --range 6 18 --to-rate 60")
            .exit,
        0);
    EXPECT_THAT(read_text(folder_ / "part.bvh"), HasSubstr("Frames: 31\nFrame Time: 0.0166666667"));
    EXPECT_EQ(
        tool("convert " + path("made.bvh") + " " + path("part.glb") + " --range 6 18 --to-rate 60")
            .exit,
        0);
    const auto read = read_scene(folder_ / "part.glb");
    EXPECT_EQ(read.value().scene.timelines[0].channels[0].curve.times.size(), 31U);
    const auto c = compared("part.bvh", "part.glb");
    EXPECT_LT(c["joint_position_mm"]["worst"].get<double>(), 1e-3);
    EXPECT_NEAR(c["seconds"][0].get<double>(), 0.5, 1e-6);
}

TEST_F(ConvertTest, WhatIsLostIsSaid) {
    // Only her controls have keys: a BVH of her joints would stand still.
    const ToolRun run = tool("convert " + path("tamsin.glb") + " " + path("t.bvh"));
    EXPECT_EQ(run.exit, 3);
    EXPECT_THAT(run.err, HasSubstr("stop[unbaked]"));
    EXPECT_FALSE(std::filesystem::exists(folder_ / "t.bvh"));
    const auto& press = test::press();
    write_text(folder_ / "press.glb", {press[0].bytes.begin(), press[0].bytes.end()});
    const ToolRun parts = tool("convert " + path("press.glb") + " " + path("p.bvh"));
    EXPECT_EQ(parts.exit, 0);
    EXPECT_THAT(parts.err, HasSubstr("warning[left-out]"));
    EXPECT_THAT(parts.err, HasSubstr("meshes"));
    // Weights that a motion-only file carries for a mesh elsewhere are lost as well.
    Converted m = make_clip(3);
    m.clip.morphs.push_back({"body", {"smile"}, {0, 0.5F, 1}});
    const auto bytes = write_glb(assemble_clip(m.skeleton, m.clip, ""));
    write_text(folder_ / "clip.glb", {bytes.begin(), bytes.end()});
    const ToolRun clip = tool("convert " + path("clip.glb") + " " + path("c.bvh"));
    EXPECT_EQ(clip.exit, 0);
    EXPECT_THAT(clip.err, HasSubstr("mesh \"body\""));
}

TEST_F(ConvertTest, TroubleIsToldAndLeavesNothing) {
    struct Case {
        std::string arguments;
        int exit;
        const char* part;
    };
    const std::string in = "convert " + path("made.bvh") + " ";
    const Case cases[] = {
        {in + path("x.mesh"), 3, ".glb, .gltf, .dae or .bvh"},
        {in + path("none/x.glb"), 4, "output-unwritable"},
        {in + path("x.glb") + " --target sideways", 2, "z-up-metre"},
        {in + path("x.glb") + " --to-rate fast", 2, "--to-rate"},
        {in + path("x.bvh") + " --order ABC", 2, "ZXY"},
        {in + path("x.glb") + " --timeline walk", 3, "one of: motion"},
        {in + path("x.glb") + " --range 3 3", 3, "range-empty"},
        {in + path("x.glb") + " --range 0 99", 3, "range = [0, 24]"},
        {in + path("x.glb") + " --range 3", 2, "range"},
        {"convert " + path("tamsin.glb") + " " + path("x.glb") + " --to-rate 999999", 3,
         "at most 2000000"},
        {in + path("tamsin.glb"), 4, "--replace"},
        {"convert " + path("none.bvh") + " " + path("x.glb"), 3, "file-missing"},
        {"convert --replace " + path("made.bvh") + " " + path("./made.bvh"), 4, "is the input"},
        {"compare " + path("made.bvh") + " " + path("none.bvh"), 3, "file-missing"},
        {"compare " + path("made.bvh") + " " + path("tamsin.glb"), 3, "no joint"},
        {"compare " + path("made.bvh") + " " + path("made.bvh") + " --map hips", 2, "--map"},
        {"compare " + path("made.bvh") + " " + path("made.bvh") + " --timeline walk", 3,
         "one of: motion"},
    };
    const std::string before = read_text(folder_ / "tamsin.glb");
    for (const Case& c : cases) {
        const ToolRun run = tool(c.arguments);
        EXPECT_EQ(run.exit, c.exit) << c.arguments << run.err;
        EXPECT_THAT(run.err, HasSubstr(c.part)) << c.arguments;
    }
    EXPECT_THAT(folder_.names(), testing::ElementsAre("made.bvh", "tamsin.glb"));
    EXPECT_EQ(read_text(folder_ / "tamsin.glb"), before);
}

TEST_F(ConvertTest, EachOptionDoesWhatItSays) {
    const auto bvh = [&](const char* name, const std::string& rows, int frames) {
        write_text(folder_ / name,
                   "HIERARCHY\nROOT a\n{\nOFFSET 0 0 0\nCHANNELS 3 Zrotation Xrotation Yrotation\n"
                   "End Site\n{\nOFFSET 0 1 0\n}\n}\nMOTION\nFrames: " +
                       std::to_string(frames) + "\nFrame Time: 0.1\n" + rows);
    };
    bvh("a.bvh", "0 0 0\n10 0 0\n20 0 0\n", 3);
    bvh("b.bvh", "0 0 0\n10.05 0 0\n20 0 0\n", 3);
    bvh("more.bvh", "0 0 0\n10 0 0\n20 0 0\n", 2);
    const std::string both = "compare " + path("a.bvh") + " " + path("b.bvh") + " ";
    EXPECT_EQ(tool(both).exit, 1);
    EXPECT_EQ(tool(both + "--tolerance-degrees 0.1").exit, 0);
    const ToolRun ignored = tool(both + "--ignore turns");
    EXPECT_EQ(ignored.exit, 0);
    EXPECT_THAT(ignored.out, HasSubstr("ignored: turns"));
    EXPECT_THAT(tool(both + "--unit-b furlong").err, HasSubstr("--unit-b"));
    // The same motion a second later.
    Scene scene;
    test::add_node(scene, "n", kNone, {});
    for (const double start : {0.0, 1.0}) {
        scene.timelines.assign(1, {});
        test::key(scene, 0, Path::kTranslation, {0, 0, 0}, {1, 2, 3});
        scene.timelines[0].channels[0].curve.times = {start, start + 1};
        const auto glb = write_glb(scene);
        write_text(folder_ / (start == 0 ? "now.glb" : "later.glb"), {glb.begin(), glb.end()});
    }
    const std::string later = "compare " + path("now.glb") + " " + path("later.glb");
    EXPECT_EQ(tool(later).exit, 1);
    EXPECT_EQ(tool(later + " --align first-key").exit, 0);
    // Warnings are said, also where unit and axes are given; --matrices and --range are heeded.
    const std::string more = path("more.bvh") + " ";
    for (const char* truth : {"", " --unit m --up +Y --front +Z"})
        EXPECT_THAT(tool("convert --replace " + more + path("out.glb") + truth).err,
                    HasSubstr("2 frames declared, but 3"));
    EXPECT_EQ(tool("convert " + path("now.glb") + " " + path("m.dae") + " --matrices").exit, 0);
    EXPECT_THAT(read_text(folder_ / "m.dae"), HasSubstr("<matrix"));
    EXPECT_EQ(tool("convert " + path("now.glb") + " " + path("t.dae")).exit, 0);
    EXPECT_EQ(read_text(folder_ / "t.dae").find("<matrix"), std::string::npos);
    EXPECT_EQ(tool("convert " + path("a.bvh") + " " + path("cut.glb") + " --range 0 1").exit, 0);
    const Scene cut = read_scene(folder_ / "cut.glb").value().scene;
    EXPECT_NEAR(key_span(cut.timelines.at(0))[1], 0.1, 1e-6);
    // A lift that is right in places and not in turns is not written.
    write_text(folder_ / "rig.toml",
               "[[rule]]\nkind = \"follow\"\nnode = \"a\"\nsource = \"ctl\"\n"
               "parts = [\"orientation\"]\n");
    Scene rigged;
    test::add_node(rigged, "a", kNone, {});
    test::add_node(rigged, "ctl", kNone, {{0, 0, 1}, {}, {1, 1, 1}});
    const auto glb = write_glb(rigged);
    write_text(folder_ / "rigged.glb", {glb.begin(), glb.end()});
    const ToolRun strict =
        tool("lift " + path("b.bvh") + " " + path("rigged.glb") + " --rig " + path("rig.toml") +
             " -o " + path("l.glb") + " --tolerance 1000 --tolerance-degrees 0");
    EXPECT_EQ(strict.exit, 1) << strict.err;
    EXPECT_FALSE(std::filesystem::exists(folder_ / "l.glb"));
}

TEST_F(ConvertTest, JointsOfASkinGetOneRoot) {
    Scene scene;
    for (const char* name : {"root", "left", "right"})
        test::add_node(scene, name, kNone, {{1, 2, 3}, {}, {1, 1, 1}});
    Mesh mesh;
    mesh.primitives.emplace_back();
    mesh.primitives[0].positions = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}};
    mesh.primitives[0].influences_per_vertex = 4;
    mesh.primitives[0].influence_joints.assign(12, 0);
    mesh.primitives[0].influence_weights = {1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0};
    scene.meshes = {mesh};
    scene.skins.emplace_back();
    scene.skins[0].joints = {1, 2};
    scene.skins[0].inverse_binds.resize(2);
    scene.nodes[0].mesh = scene.nodes[0].skin = 0;
    const auto glb = write_glb(scene);
    write_text(folder_ / "two.glb", {glb.begin(), glb.end()});
    const ToolRun run = tool("convert " + path("two.glb") + " " + path("one.glb"));
    EXPECT_EQ(run.exit, 0);
    EXPECT_THAT(run.err, HasSubstr("\"root_2\" was put there"));
    const Scene one = read_scene(folder_ / "one.glb").value().scene;
    const int above = find_node(one, "root_2");
    for (const char* joint : {"left", "right"})
        EXPECT_EQ(one.nodes.at(static_cast<std::size_t>(find_node(one, joint))).parent, above);
    EXPECT_EQ(tool("compare " + path("two.glb") + " " + path("one.glb")).exit, 0);
}

TEST_F(ConvertTest, CompareExitsWithOneAboveTheTolerance) {
    EXPECT_EQ(tool("convert " + path("made.bvh") + " " + path("big.bvh") + " --unit inch").exit, 0);
    const ToolRun run = tool("compare " + path("made.bvh") + " " + path("big.bvh"));
    EXPECT_EQ(run.exit, 1);
    EXPECT_THAT(run.out, HasSubstr("NOT within 0.05 mm"));
    EXPECT_EQ(tool("compare " + path("made.bvh") + " " + path("big.bvh") + " --unit inch").exit, 0);
    EXPECT_EQ(tool("compare " + path("made.bvh") + " " + path("big.bvh") + " --tolerance 1e9").exit,
              0);
}

}  // namespace
}  // namespace mellow
