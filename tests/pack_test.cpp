// Packing from files of all kinds: numbers by hand, reports and manifests against what was put into
// them.
#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>
#include <numbers>
#include <regex>

#include "mellow/bake_file.h"
#include "mellow/crate.h"
#include "mellow/pose.h"
#include "mellow/rig_stock.h"
#include "mellow/write.h"
#include "small_figure.h"

namespace mellow::pack_test {
namespace {

using nlohmann::json;
using namespace test;
using test::read_text;
using namespace testing;
namespace fs = std::filesystem;
constexpr double kPi = std::numbers::pi;

// ---- reports

std::string summary(const PackReport& report) {
    std::string out;
    report_summary(report, [&](std::string_view text) { out += text; });
    return out;
}

PackedClip packed(const std::string& name, double joint_mm, double vertex_mm, bool passed) {
    PackedClip clip;
    clip.clip.name = name, clip.clip.samples = 31, clip.clip.period = 30;
    clip.clip.rate = {30, 1};
    clip.proof.position_mm.add(joint_mm, 3, "hips");
    clip.proof.vertex_mm.add(vertex_mm, 3, "body");
    clip.proof.rotation_degrees.add(0.001, 3, "hips");
    clip.passed = passed;
    return clip;
}

TEST(PackSummaryTest, TheSummaryTellsTheWorst) {
    PackReport report;
    report.name = "t", report.folder = "out", report.target.rate = {30, 1};
    report.clips = {packed("walk", 0.5, 0.25, false), packed("pick", 0.125, 2, true)};
    report.clips[0].proof.rotation_degrees.add(0.25, 4, "head");
    report.demands = 10, report.unmet = 3;
    report.off = {"loop-gap"};
    report.reused = 1;
    const std::string failed = summary(report);
    EXPECT_THAT(failed, HasSubstr("       0.5      0.25  FAILED"));
    EXPECT_THAT(failed, HasSubstr("         2     0.001  passed"));
    EXPECT_THAT(failed, HasSubstr("demands of the target met: 7 of 10"));
    EXPECT_THAT(failed, HasSubstr("; off: loop-gap"));
    EXPECT_THAT(failed, HasSubstr("FAILED: 1 of 2 clips (walk), worst 2 mm and 0.25 degrees"));
    EXPECT_THAT(failed, HasSubstr("1 of 2 packed, 1 unchanged"));
    const Finding one{Code::kAssumed, Severity::kNote, "a, clip \"x\"", "f", "this", ""},
        same{Code::kAssumed, Severity::kNote, "a, clip \"y\"", "f", "this", ""},
        other{Code::kAssumed, Severity::kNote, "a, clip \"z\"", "g", "that", ""};
    const std::string groups = grouped_text({one, same, other});
    EXPECT_THAT(groups, HasSubstr("2 times, first"));
    EXPECT_THAT(groups, HasSubstr("expected: that"));
}

class PackedFigureTest : public test::SmallFigure {
  protected:
    std::string path(const std::string& name) const {
        return "'" + (folder_ / name).string() + "'";
    }
    /// The hips go a metre ahead and turn by a quarter to the left in two seconds.
    static std::vector<Keyed> turning(double seam = 0) {
        return {keyed(0, "translation", 48,
                      [=](int f) {
                          return Three{0, 1, f / 48.0};
                      }),
                keyed(0, "rotation", 48,
                      [](int f) {
                          const double half = kPi / 4 * f / 48;
                          return Three{0, std::sin(half), 0, std::cos(half)};
                      }),
                keyed(1, "translation", 48, [=](int f) {
                    return Three{0, 0.5 + (f == 48 ? seam : 0), 0};
                })};
    }
};

const std::string kTurn = "range = [0, 48]\nloop = true\ntravel = [\"ground\", \"heading\"]\n";

TEST_F(PackedFigureTest, TurnsAndSeamsAreToldInDegreesAndMillimetres) {
    const PackReport report = pack(
        turning(0.002), test::recipe(kTurn, "first_pose = \"rest\"\n[travel]\nhips = \"hips\"\n"));
    std::string text, manifest;
    report_text(report, [&](std::string_view part) { text += part; });
    EXPECT_THAT(text, HasSubstr("heading +90.00 degrees"));
    EXPECT_THAT(text, HasSubstr("] m and +90.000 degrees"));
    EXPECT_THAT(text, HasSubstr("seam      2.0000 mm at head, 0.0000 degrees"));
    const json crate = json::parse(read_text(folder_ / "out/crate.json"));
    EXPECT_EQ(crate["target"]["first_pose"], "rest");
    // Of a root that rests no heading is told, however its hips turn.
    const PackReport stays = pack(turning(), test::recipe("range = [0, 48]\n"));
    EXPECT_EQ(stays.clips[0].clip.travel.heading_change_rad, 0);
    EXPECT_EQ(stays.clips[0].clip.travel.step_heading_rad, 0);
}

TEST_F(PackedFigureTest, WhatMovesByScalarsAloneIsMotion) {
    // A block that slides: its way is in channels, no joint moves in its parent.
    const std::vector<Keyed> slides{keyed(0, "translation", 48, [](int f) {
        return Three{0, 1, f / 48.0};
    })};
    const std::string way = "range = [0, 48]\ntravel = [\"ground\"]\ntravel_as = \"channels\"\n",
                      hips = "[travel]\nhips = \"hips\"\n";
    const PackReport report = pack(slides, test::recipe(way, hips));
    EXPECT_TRUE(report.proven) << grouped_text(report.findings);
    EXPECT_EQ(report.clips.at(0).proof.moving_joints, 0);
    EXPECT_EQ(report.clips.at(0).proof.moving_scalars, 1);
    const json crate = json::parse(read_text(folder_ / "out/crate.json"));
    EXPECT_EQ(crate["clips"][0]["proof"]["moving_scalars"], 1);
    const PackReport still = pack({keyed(0, "translation", 48,
                                         [](int) {
                                             return Three{0, 1, 0};
                                         })},
                                  test::recipe(way, hips));
    EXPECT_FALSE(still.proven);
    EXPECT_THAT(grouped_text(still.findings), HasSubstr("no-motion"));
}

TEST_F(PackedFigureTest, DrivesAndTurnedAxesAreToldInTheCratesAxes) {
    KeptDrive drive;
    drive.mesh = "m", drive.target = "t";
    KeptDrive::Input input;
    input.joint = "hips", input.twist = true, input.axis = {0, 1, 0};
    input.curve.shape = CurveShape::kSlopes;
    input.curve.points = {{0, 0, 0.5}, {90, 1, 0.25}};
    drive.inputs = {input};
    input.twist = false;
    drive.inputs.push_back(input);
    PackReport report;
    report.drives = {drive};
    report.turns = {{"hips", from_axis_angle({0, 1, 0}, kPi / 2)}};
    report.target.convention = {1, Axis::kPlusZ, Axis::kPlusX, Hand::kLeft};
    std::string text;
    report.encode([&](std::string_view part) { text += part; });
    const json manifest = json::parse(text);
    const json& inputs = manifest["drives"][0]["inputs"];
    // Inside up is +Y, here +Z. An arrow keeps its way; a turn about it counts the other way round
    // in axes of the other hand.
    EXPECT_EQ(inputs[0]["axis"], json::parse("[0.0, 0.0, -1.0]"));
    EXPECT_EQ(inputs[1]["axis"], json::parse("[0.0, 0.0, 1.0]"));
    EXPECT_EQ(inputs[0]["curve"], json::parse("[[0.0, 0.0, 0.5], [90.0, 1.0, 0.25]]"));
    const json turned = manifest["skeleton"]["axes_turned"]["hips"];
    const double wanted[] = {0, 0, -std::sqrt(0.5), std::sqrt(0.5)};
    for (std::size_t c = 0; c < 4; ++c) EXPECT_NEAR(turned[c].get<double>(), wanted[c], 1e-9) << c;
}

TEST_F(PackedFigureTest, UsedTablesMayBeUsedTwiceAndAreInputs) {
    write_bytes(folder_ / "figure.glb", figure(turning()));
    write_text(folder_ / "all.toml", "[proof]\ntolerance_mm = 0.25\ntolerance_degrees = 0.5\n");
    write_text(folder_ / "a.toml", "use = \"all.toml\"\n");
    write_text(folder_ / "b.toml", "use = \"all.toml\"\n");
    const std::string text = "use = [\"a.toml\", \"b.toml\"]\n" +
                             test::recipe("range = [0, 24]\n") + "[proof]\ntolerance_mm = 0.125\n";
    const auto recipe = [&] { return parse_recipe(text, "r.toml", folder_.path()); };
    ASSERT_THAT(recipe(), IsOk());
    EXPECT_EQ(recipe().value().tolerance.mm, 0.125) << "the recipe's own word";
    EXPECT_EQ(recipe().value().tolerance.degrees, 0.5) << "the rest of the table";
    const std::string before = recipe().value().hash;
    write_text(folder_ / "all.toml", "[proof]\ntolerance_degrees = 0.5\ntolerance_mm = 0.25\n");
    EXPECT_NE(recipe().value().hash, before);
    fs::remove(folder_ / "all.toml");
    EXPECT_THAT(recipe(), FailsWith(Code::kFileMissing, "a.toml:1, use, "));
}

TEST_F(PackedFigureTest, AClipIsBakedFromAFileAsTheFileSaysItIs) {
    // Centimetres and +Z up, a prefix on all names, and a rule that knows neither.
    Scene scene = test::read_tiny(figure(turning(), R"(,{"name":"handle"})", ",3")).value().scene;
    for (Node& node : scene.nodes) node.name = "yard:" + node.name;
    convert(scene, {0.01, Axis::kPlusZ, Axis::kMinusY});
    const auto dae = write_collada(scene, "a");
    ASSERT_THAT(dae, IsOk());
    const auto& bytes = dae.value().files[0].bytes;
    write_text(folder_ / "a.dae", {bytes.begin(), bytes.end()});
    write_text(folder_ / "a.rig.toml",
               "[[rule]]\nkind = \"limit\"\nnode = \"head\"\nof = \"world\"\naxis = \"+Z\"\n"
               "least = 0\nmost = 120\n");
    BakeFileOptions options;
    options.loop = true;
    const auto baked = bake_file(folder_ / "a.dae", options);
    ASSERT_THAT(baked, IsOk());
    EXPECT_EQ(baked.value().clip.period, 48);
    EXPECT_TRUE(baked.value().plan.loop);
    options.rig = folder_ / "a.rig.toml";
    const auto ruled = bake_file(folder_ / "a.dae", options);
    ASSERT_THAT(ruled, IsOk()) << "its names begin with those of the file";
    for (const auto& [file, height] : {std::pair(&baked, 0.5), {&ruled, 0.2}}) {
        int head = 0;
        while (!file->value().skeleton[head].name.ends_with("head")) ++head;
        const JointTrack& track = file->value().clip.joints[static_cast<std::size_t>(head)];
        EXPECT_NEAR(local_at(track, 10).t.y, height, 1e-6) << "1.2 m are 120 of the file's";
    }
}

TEST_F(PackedFigureTest, FilesBesideTheSceneAreInputsOfTheCrate) {
    const Scene scene = test::read_tiny(figure(turning())).value().scene;
    for (const WrittenFile& file : write_gltf(scene, "figure"))
        write_text(folder_ / file.name, {file.bytes.begin(), file.bytes.end()});
    const std::string recipe =
        "[source]\nfile = \"figure.gltf\"\n[output]\nfolder = \"out\"\npicture "
        "= false\n[[clip]]\nname = \"c\"\nrange = [0, 24]\n";
    ASSERT_THAT(pack_text(folder_, recipe), IsOk());
    const json crate = json::parse(read_text(folder_ / "out/crate.json"));
    std::set<std::string> files;
    for (const json& source : crate["sources"]) files.insert(source["file"]);
    EXPECT_TRUE(files.contains("figure.gltf"));
    EXPECT_TRUE(files.contains("figure.bin")) << crate["sources"].dump();
}

TEST_F(PackedFigureTest, ClipsAreBakedAgainWhenWhatTheirSourceSaysIsAnother) {
    write_bytes(folder_ / "figure.glb", figure(turning()));
    write_bytes(folder_ / "m.glb", figure(turning()));
    const std::string text =
        "[figure]\nfile = \"figure.glb\"\n[output]\nfolder = \"out\"\npicture = false\n[target]\n"
        "rate = 24\n[[source]]\nname = \"m\"\nfile = \"m.glb\"\nrate = 24\n[[clip]]\nname = \"c\"\n"
        "source = \"m\"\nrange = [0, 12]\n[[cue]]\nname = \"x\"\nat = 3\nsource = \"m\"\njoint = "
        "\"hips\"\n[[clip]]\nname = \"p\"\n[[clip.part]]\nrange = [0, 12]\n[[clip.part]]\nsource = "
        "\"m\"\nrange = [0, 12]\n";
    const auto packed = [&](const std::string& from, const std::string& to) {
        auto report = pack_text(folder_, from.empty() ? text : test::change(text, from, to), true);
        EXPECT_THAT(report, IsOk());
        return std::move(report).value();
    };
    ASSERT_EQ(packed("", "").clips.size(), 2U);
    EXPECT_TRUE(packed("", "").unchanged);
    // Frames at 12 a second are another half of the file; a longer file than its span is none.
    const PackReport slow = packed("m.glb\"\nrate = 24", "m.glb\"\nrate = 12");
    EXPECT_FALSE(slow.unchanged);
    EXPECT_EQ(slow.clips[0].clip.samples, 25);
    EXPECT_EQ(packed("m.glb\"\nrate = 24", "m.glb\"\nstrip_prefix = \"x:\"\nrate = 12").reused, 0U);
    EXPECT_FALSE(packed("", "").unchanged);
    const PackReport other = packed("joint = \"hips\"", "joint = \"head\"");
    EXPECT_FALSE(other.unchanged);
    EXPECT_EQ(json::parse(read_text(folder_ / "out/crate.json"))["clips"][0]["cues"][0]["joint"],
              "head");
    packed("", "");
    EXPECT_FALSE(packed("at = 3", "at = 4").unchanged);
    packed("", "");
    EXPECT_FALSE(packed("name = \"x\"", "name = \"y\"").unchanged);
}

TEST_F(PackedFigureTest, EveryBadFileIsToldAndSourcesAreCountedFromOne) {
    write_bytes(folder_ / "figure.glb", figure({}));
    write_text(folder_ / "a.glb", "broken");
    write_text(folder_ / "b.bvh", "broken");
    const std::string head =
        "[figure]\nfile = \"figure.glb\"\n[output]\nfolder = \"out\"\npicture = false\non_error = "
        "\"skip\"\n[target]\nrate = 24\n";
    const auto none = pack_text(folder_,
                                head +
                                    "[[source]]\nname = \"a\"\nfile = \"a.glb\"\n[[source]]\n"
                                    "name = \"b\"\nfile = \"b.bvh\"\n[[clips]]\nsource = "
                                    "\"a\"\n[[clips]]\nsource = \"b\"\n",
                                true);
    ASSERT_FALSE(none.ok());
    EXPECT_THAT(test::text_of(none.failures()), AllOf(HasSubstr("a.glb"), HasSubstr("b.bvh")));
    const auto second = pack_text(folder_,
                                  head +
                                      "[[source]]\nname = \"a\"\nfile = \"a.glb\"\n[[source]]\n"
                                      "file = \"b.bvh\"\n[[clips]]\nsource = \"a\"\n",
                                  true);
    EXPECT_THAT(second, FailsWith(Code::kKeyMissing, "source 2"));
    // A figure is named by its file, a crate by its recipe.
    write_bytes(folder_ / "figure.glb", figure(turning()));
    const std::string named = test::change(test::recipe("range = [0, 24]\n"), "folder = \"out\"",
                                           "folder = \"out\"\nname = \"day\"");
    ASSERT_THAT(pack_text(folder_, test::change(named, "[target]\n",
                                                "[target]\nskin_name = \"{figure}_of_{crate}\"\n")),
                IsOk());
    EXPECT_TRUE(fs::exists(folder_ / "out/figure_of_day.glb"));
}

TEST_F(PackedFigureTest, EndsOfLoopsAreToldByFramesOfTheFile) {
    const auto sway = test::keyed(0, "translation", 60, [](int f) {
        const double a = 2 * M_PI * f / 24;
        return Three{0.05 * std::sin(a), 1 + 0.03 * std::cos(a), 0};
    });
    const PackReport report =
        pack({sway}, test::recipe("range = [10, 50]\nloop = \"find\"\nloop_shortest = 12\n"));
    EXPECT_EQ(report.clips.at(0).clip.samples, 25);
    const Finding end = test::of_code(report, Code::kAssumed).at(0);
    EXPECT_THAT(end.found, HasSubstr("the loop ends at frame 34 ("));
    EXPECT_EQ(end.remedy, "range = [10, 34]   # to keep it so\nloop = true");
    const std::regex frame("([0-9]+) \\(");
    std::multiset<std::string> ends;
    for (std::sregex_iterator at(end.found.begin(), end.found.end(), frame), none; at != none; ++at)
        ends.insert((*at)[1]);
    EXPECT_GT(ends.size(), 1U) << end.found;
    for (const std::string& one : ends) EXPECT_EQ(ends.count(one), 1U) << end.found;
}

TEST_F(PackedFigureTest, WhatMeshesCarryBesideTheirVerticesStaysWithThem) {
    Scene scene = test::read_tiny(figure(turning())).value().scene;
    scene.nodes[2].extras = R"({"basket":7})";
    Node cap;
    cap.name = "cap", cap.parent = 1, cap.mesh = 1, cap.extras = R"({"basket":8})";
    scene.meshes.push_back(scene.meshes[0]);
    Primitive& part = scene.meshes[1].primitives[0];
    part.influences_per_vertex = 0;
    part.influence_joints.clear(), part.influence_weights.clear();
    scene.nodes.push_back(cap);
    write_bytes(folder_ / "figure.glb", write_glb(scene));
    ASSERT_THAT(pack_text(folder_, test::recipe("range = [0, 24]\n")), IsOk());
    const Scene skin = open_crate(folder_ / "out").value().skin;
    for (const auto& [name, number] : {std::pair{"body", "7"}, {"cap.mesh", "8"}})
        EXPECT_THAT(skin.nodes.at(static_cast<std::size_t>(find_node(skin, name))).extras,
                    HasSubstr(number))
            << name;
}

TEST_F(PackedFigureTest, WhatPlanningFoundIsToldAndRepeatsAreCounted) {
    // 30 samples a second of a range that ends between two of them.
    const PackReport report =
        pack(turning(), test::change(test::recipe("range = [0, 5]\n"), "rate = 24", "rate = 25"));
    std::string all;
    for (const Finding& f : report.findings) all += to_text(f) + "\n";
    EXPECT_THAT(all, HasSubstr("[range-off-grid]"));
    const PackReport parts = pack(
        turning(), test::recipe("range = [0, 24]\nloop = true\n") +
                       "[[clip]]\nname = \"twice\"\n[[clip.part]]\nclip = \"c\"\n[[clip.part]]\n"
                       "clip = \"c\"\n[[clip.part]]\nclip = \"c\"\n");
    ASSERT_EQ(parts.clips.size(), 2U);
    ASSERT_EQ(parts.clips[1].parts.size(), 1U);
    EXPECT_EQ(parts.clips[1].parts[0].times, 3);
}

TEST_F(PackedFigureTest, ClipsAreTakenFromTheFolderOfSeveralTargets) {
    write_bytes(folder_ / "figure.glb", figure(turning()));
    const auto packed = [&](const std::string& out, const PackOptions& options) {
        const auto recipe =
            parse_recipe("[source]\nfile = \"figure.glb\"\n[output]\nfolder = \"" + out +
                             "\"\npicture = false\n[[target]]\nname = \"a\"\nconvention = "
                             "\"y-up-metre\"\nrate = "
                             "24\n[[target]]\nname = \"b\"\nconvention = \"z-up-metre\"\nrate = "
                             "24\n[[clip]]\nname = "
                             "\"c\"\nrange = [0, 24]\n",
                         "r.toml", folder_.path());
        EXPECT_THAT(recipe, IsOk());
        return pack_all(recipe.value(), options);
    };
    ASSERT_THAT(packed("first", {}), IsOk());
    PackOptions options;
    options.from = {folder_ / "first"};
    options.only_from = true;
    const auto taken = packed("second", options);
    ASSERT_THAT(taken, IsOk());
    for (const PackReport& report : taken.value()) EXPECT_EQ(report.reused, 1U);
    options.from = {folder_.path()};
    EXPECT_THAT(packed("third", options), FailsWith(Code::kFileMissing, "no crate"));
}

TEST_F(PackedFigureTest, FieldsOfViewAreOfTheFirstTableThatFits) {
    Scene scene = test::read_tiny(figure(turning())).value().scene;
    scene.cameras = {
        R"({"type":"perspective","perspective":{"yfov":0.8,"znear":0.1,"aspectRatio":1.5}})",
        R"({"type":"perspective","perspective":{"yfov":0.8,"znear":0.1}})",
        R"({"type":"orthographic","orthographic":{"xmag":1,"ymag":1,"znear":0,"zfar":9}})"};
    for (const auto& [name, camera] :
         {std::pair("eye", 0), {"tall", 0}, {"odd", 1}, {"zoomed", 0}, {"plain", 0}, {"map", 2}}) {
        Node node;
        node.name = name, node.camera = camera;
        scene.roots.push_back(static_cast<int>(scene.nodes.size()));
        scene.nodes.push_back(node);
    }
    write_bytes(folder_ / "figure.glb", write_glb(scene));
    write_text(folder_ / "a.rig.toml",
               "[[scalar]]\nname = \"zoom\"\nkeys = [[0, 40.5], [24, 40.5]]\n");
    const auto camera = [](const std::string& node, const std::string& more) {
        return "[[camera]]\nnode = \"" + node + "\"\n" + more;
    };
    const std::string across = "fov = \"horizontal\"\n";
    const auto report = pack_text(
        folder_,
        test::recipe("range = [0, 24]\n",
                     camera("eye", across) + camera("tall", across + "aspect = 2.5\n") +
                         camera("odd", across + "aspect = 2\n") +
                         camera("zoomed", across + "scalar = \"zoom\"\n") + camera("*", ""),
                     "rig = \"a.rig.toml\"\n"));
    ASSERT_THAT(report, IsOk());
    std::map<std::string, double> found;
    const Scene clip = read_scene(folder_ / "out/clips/c.glb").value().scene;
    for (const ScalarCurve& scalar : clip.timelines.at(0).scalars)
        found[scalar.name] = scalar.curve.values[0];
    const auto wide = [](double half, double aspect) {
        return 2 * std::atan(std::tan(half) * aspect) * 180 / kPi;
    };
    EXPECT_EQ(found.size(), 5U) << "a camera without a field of view has none";
    EXPECT_NEAR(found["eye.fov"], wide(0.4, 1.5), 1e-4);
    EXPECT_NEAR(found["tall.fov"], wide(0.4, 2.5), 1e-4) << "the recipe's own aspect";
    EXPECT_NEAR(found["odd.fov"], wide(0.4, 2), 1e-4);
    EXPECT_NEAR(found["zoomed.fov"], wide(20.25 * kPi / 180, 1.5), 1e-4);
    EXPECT_NEAR(found["plain.fov"], 0.8 * 180 / kPi, 1e-4);
}

TEST_F(PackedFigureTest, SpringsOfALoopSettleRoundItsSeam) {
    // The hips swing once in the loop; the head follows late. Where a loop has no seam the spring
    // has its state of the round before: it does not start at rest.
    const std::vector<Keyed> swing{keyed(0, "translation", 24, [](int f) {
        return Three{0.2 * std::sin(2 * kPi * f / 24), 1, 0};
    })};
    write_bytes(folder_ / "figure.glb", figure(swing));
    write_text(folder_ / "a.rig.toml",
               "[[rule]]\nkind = \"lag\"\nnode = \"head\"\nfrequency = 2\ndamping = 0.5\n");
    const auto late = [&](const std::string& loop) {
        const auto report = pack_text(
            folder_, test::recipe("range = [0, 24]\n" + loop, "", "rig = \"a.rig.toml\"\n"), true);
        EXPECT_THAT(report, IsOk());
        const Scene clip = read_scene(folder_ / "out/clips/c.glb").value().scene;
        const Pose first = pose_at(clip, clip.timelines.at(0), 0);
        const auto place = [&](const char* joint) {
            return first.worlds.at(static_cast<std::size_t>(find_node(clip, joint))).o;
        };
        return place("head") - place("hips");
    };
    EXPECT_LT(length(late("") - Vec3{0, 0.5, 0}), 1e-6) << "played once it begins at rest";
    EXPECT_LT(late("loop = true\n").x, -0.02) << "the hips go to the left, the head comes after";
}

TEST_F(PackedFigureTest, MotionFilesMayHaveTheirNodesInAnyOrderMorphsAndFrames) {
    Scene scene = test::read_tiny(figure({}, R"(,{"name":"handle"})", ",3")).value().scene;
    scene.meshes[0].target_names = {"smile"};
    scene.meshes[0].primitives[0].targets.resize(1);
    scene.meshes[0].primitives[0].targets[0].positions.assign(3, {0, 0.125F, 0});
    Primitive brim;
    brim.positions = {{0, 0.25F, 0}, {0.25F, 0.25F, 0}, {0, 0.25F, 0.25F}};
    scene.meshes.push_back({"cap", {brim}, {}, {}, "", ""});
    Node cap;
    cap.name = "cap", cap.parent = 1, cap.mesh = 1;
    scene.nodes.push_back(cap);
    write_bytes(folder_ / "figure.glb", write_glb(scene));
    write_text(folder_ / "a.rig.toml",
               "[[rule]]\nkind = \"follow\"\nnode = \"hips\"\nsource = \"handle\"\n");
    // The last comes first: body, cap, head, hips. Hips and a smile are keyed, no control is.
    Scene motion;
    motion.meshes = {scene.meshes[0], scene.meshes[1]};
    for (const int from : {2, 4, 1, 0}) {
        motion.nodes.push_back(scene.nodes[static_cast<std::size_t>(from)]);
        motion.nodes.back().skin = kNone;
    }
    motion.nodes[0].parent = motion.nodes[3].parent = kNone;
    motion.nodes[1].parent = 2, motion.nodes[2].parent = 3;
    motion.meshes[0].primitives[0].influences_per_vertex = 0;
    motion.meshes[0].primitives[0].influence_joints.clear();
    motion.meshes[0].primitives[0].influence_weights.clear();
    motion.roots = {0, 3};
    motion.timelines.push_back({"go", {}, {}, {}, {}});
    motion.timelines[0].channels = {
        {3, Path::kTranslation, {Interpolation::kLinear, 3, {0, 1}, {0, 1, 0, 0, 1, 1}}},
        {0, Path::kWeights, {Interpolation::kLinear, 1, {0, 1}, {0, 1}}},
        {2, Path::kRotation, {Interpolation::kLinear, 4, {0, 1}, {0, 0, 0, 1, 0, 0, 0, 0.9}}}};
    fs::create_directories(folder_ / "day");
    write_bytes(folder_ / "day/m.glb", write_glb(motion));
    std::string bvh =
        "HIERARCHY\nROOT hips\n{\nOFFSET 0 1 0\nCHANNELS 6 Xposition Yposition Zposition Zrotation "
        "Yrotation Xrotation\nJOINT head\n{\nOFFSET 0 0.5 0\nCHANNELS 3 Zrotation Yrotation "
        "Xrotation\nEnd Site\n{\nOFFSET 0 0.2 0\n}\n}\n}\nMOTION\nFrames: 25\nFrame Time: 0.04\n";
    for (int f = 0; f <= 24; ++f) bvh += fmt::format("0 1 {} 0 0 0 0 {} 0\n", f / 24.0, f);
    write_text(folder_ / "day/b.bvh", bvh);
    const auto report = pack_text(
        folder_,
        "[figure]\nfile = \"figure.glb\"\nrig = \"a.rig.toml\"\n[output]\nfolder = "
        "\"out\"\npicture "
        "= false\n[target]\nrate = 24\n[[source]]\nname = \"m\"\nfile = \"day/m.glb\"\nrate = 24\n"
        "[[source]]\nname = \"b\"\nfile = \"day/b.bvh\"\nrate = 24\nunit = \"metre\"\nup = "
        "\"+Y\"\nfront = \"+Z\"\n[[clips]]\nsource = \"m\"\n[[clips]]\nsource = \"b\"\n",
        true);
    ASSERT_THAT(report, IsOk());
    EXPECT_TRUE(report.value().proven);
    ASSERT_EQ(report.value().clips.size(), 2U);
    std::set<std::string> places;
    for (const Finding& f : report.value().findings) places.insert(f.where.text().substr(0, 9));
    EXPECT_TRUE(places.contains("day/m.glb")) << "keys far from unit length, with their path";
    for (const PackedClip& clip : report.value().clips) {
        EXPECT_EQ(clip.clip.period, 24) << clip.clip.name << ": frames stay frames";
        const Scene read =
            read_scene(folder_ / "out/clips" / (clip.clip.name + ".glb")).value().scene;
        const Pose end = pose_at(read, read.timelines.at(0), 1);
        const auto hips = static_cast<std::size_t>(find_node(read, "hips"));
        EXPECT_LT(length(end.worlds.at(hips).o - Vec3{0, 1, 1}), 1e-6) << clip.clip.name;
        const Pose half = pose_at(read, read.timelines.at(0), 0.5);
        EXPECT_LT(length(half.worlds.at(hips).o - Vec3{0, 1, 0.5}), 1e-6) << clip.clip.name;
    }
    ASSERT_EQ(report.value().clips[0].morphs.size(), 1U);
    EXPECT_EQ(report.value().clips[0].morphs[0].activity.at(0).most, 1);
}

TEST_F(PackedFigureTest, WeightsOfOneMeshAreForTheSameTargetsInAWholeFile) {
    Scene scene = test::read_tiny(figure({})).value().scene;
    scene.meshes[0].target_names = {"smile", "frown"};
    scene.meshes[0].primitives[0].targets.resize(2);
    for (MorphTarget& target : scene.meshes[0].primitives[0].targets)
        target.positions.assign(3, {0, 0.125F, 0});
    const std::string body = scene.nodes[2].name;
    write_bytes(folder_ / "figure.glb", write_glb(scene));
    scene.meshes.clear(), scene.skins.clear();
    scene.nodes[2].mesh = scene.nodes[2].skin = kNone;
    const auto packed = [&](const std::vector<std::string>& first,
                            const std::vector<std::string>& second) {
        scene.timelines.clear();
        for (const auto& targets : {first, second}) {
            Timeline& timeline = scene.timelines.emplace_back();
            std::vector<double> values(targets.size());
            values.resize(2 * targets.size(), 1);
            timeline.morphs.push_back({body,
                                       targets,
                                       {Interpolation::kLinear,
                                        static_cast<int>(targets.size()),
                                        {0, 1},
                                        KeyValues(values)}});
            timeline.channels.push_back(
                {0, Path::kTranslation, {Interpolation::kLinear, 3, {0, 1}, {0, 1, 0, 0, 1, 1}}});
        }
        scene.timelines[0].name = "go", scene.timelines[1].name = "on";
        write_bytes(folder_ / "m.glb", write_glb(scene));
        return pack_text(
            folder_,
            "[figure]\nfile = \"figure.glb\"\n[output]\nfolder = \"out\"\n"
            "picture = false\n[target]\nrate = 24\n[[source]]\nname = \"m\"\n"
            "file = \"m.glb\"\nrate = 24\n[[clips]]\nsource = \"m\"\nname = \"{timeline}\"\n",
            true);
    };
    const auto both = packed({"smile", "frown"}, {"smile", "frown"});
    ASSERT_THAT(both, IsOk());
    ASSERT_EQ(both.value().clips.size(), 2U);
    for (const PackedClip& clip : both.value().clips)
        EXPECT_EQ(clip.morphs.at(0).activity.at(0).most, 1) << clip.clip.name;
    EXPECT_THAT(packed({"smile", "frown"}, {"smile"}), FailsWith(Code::kNameClash, "\"on\""));
    EXPECT_THAT(packed({"smile", "frown"}, {"frown", "smile"}),
                FailsWith(Code::kNameClash, "m.glb"));
}

TEST_F(PackedFigureTest, AJointThatAFileLacksIsSaid) {
    write_bytes(folder_ / "figure.glb", figure({}));
    std::string bvh =
        "HIERARCHY\nROOT hips\n{\nOFFSET 0 1 0\nCHANNELS 6 Xposition Yposition Zposition Zrotation "
        "Yrotation Xrotation\nEnd Site\n{\nOFFSET 0 0.5 0\n}\n}\nMOTION\nFrames: 3\nFrame Time: "
        "0.0416667\n";
    for (int f = 0; f < 3; ++f) bvh += fmt::format("0 1 0 {} 0 0\n", f);
    write_text(folder_ / "b.bvh", bvh);
    const auto report = pack_text(
        folder_,
        "[figure]\nfile = \"figure.glb\"\n[output]\nfolder = \"out\"\npicture = false\n[target]\n"
        "rate = 24\n[[source]]\nname = \"b\"\nfile = \"b.bvh\"\nrate = 24\nunit = \"metre\"\nup = "
        "\"+Y\"\nfront = \"+Z\"\n[[clips]]\nsource = \"b\"\n",
        true);
    ASSERT_THAT(report, IsOk());
    EXPECT_THAT(grouped_text(report.value().findings),
                HasSubstr("joints that the file does not have, and that rest: head\n"));
}

TEST_F(PackedFigureTest, TimelinesOfTwoRatesInAMotionFileAreSaid) {
    write_bytes(folder_ / "figure.glb", figure({}));
    Scene motion = test::read_tiny(figure(turning())).value().scene;
    motion.timelines.push_back(motion.timelines[0]);
    motion.timelines[0].name = "film", motion.timelines[1].name = "tape";
    for (Channel& channel : motion.timelines[1].channels)
        for (std::size_t k = 0; k < channel.curve.times.size(); ++k)
            channel.curve.times.edit()[k] = static_cast<double>(k) / 25;
    write_bytes(folder_ / "m.glb", write_glb(motion));
    const auto report = pack_text(
        folder_,
        "[figure]\nfile = \"figure.glb\"\n[output]\nfolder = \"out\"\npicture = false\n[target]\n"
        "rate = 24\n[travel]\nhips = \"hips\"\n[[source]]\nname = \"m\"\nfile = \"m.glb\"\n"
        "[[clips]]\nsource = \"m\"\nmatch = \"film\"\n",
        true);
    ASSERT_THAT(report, IsOk());
    const std::string said = grouped_text(report.value().findings);
    EXPECT_THAT(said, AllOf(HasSubstr("[rate-suspect] m.glb"), HasSubstr("tape")));
}

TEST_F(PackedFigureTest, RigsOfFilesTellWhatMoves) {
    // Keys of a single member, as COLLADA has them, move their node; weights of a mesh do not.
    Scene scene = test::read_tiny(figure({})).value().scene;
    Primitive lid;
    lid.positions = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}};
    lid.targets.resize(1);
    scene.meshes.push_back({"lid", {lid}, {"open"}, {}, "", ""});
    scene.nodes[0].mesh = 1;
    scene.nodes[0].stack = {{StackKind::kTranslate, "t", {0, 1, 0}}};
    scene.timelines = {{"t", {}, {}, {}, {}}};
    const auto passive = [&] {
        const auto stock = take_rig_stock(scene, {});
        EXPECT_THAT(stock, IsOk());
        std::string out;
        for (const auto& p : stock.value().passive) out += p.joint + ":" + p.goes_with + ";";
        return out;
    };
    EXPECT_EQ(passive(), "hips:;head:;");
    MemberCurve curve;
    curve.node = 0, curve.element = 0;
    curve.times = {0, 1}, curve.values = {0, 1}, curve.shapes = {KeyShape::kLinear};
    scene.timelines[0].members = {curve};
    EXPECT_EQ(passive(), "head:hips;");
    scene.timelines[0].members[0].element = kNone;
    EXPECT_EQ(passive(), "hips:;head:;") << "a weight";
    scene.timelines[0].members.clear();
    scene.timelines[0].channels.push_back(
        {0, Path::kWeights, {Interpolation::kLinear, 1, {0, 1}, {0, 1}}});
    EXPECT_EQ(passive(), "hips:;head:;");
}

}  // namespace
}  // namespace mellow::pack_test
