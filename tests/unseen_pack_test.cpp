// What planted faults in packing, recipes and rigs were not seen by: numbers by hand, curves by
// plain arithmetic of the test's own, words of reports against what was put into them.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>
#include <numbers>
#include <regex>
#include <sstream>

#include "crate/json_members.h"
#include "mellow/bake_file.h"
#include "mellow/crate.h"
#include "mellow/fit.h"
#include "mellow/pose.h"
#include "mellow/rig_stock.h"
#include "mellow/write.h"
#include "pack/clip_names.h"
#include "pack/source_file.h"
#include "pack/target_table.h"
#include "rig/chain_curve.h"
#include "rig/turn_lanes.h"
#include "small_figure.h"

namespace mellow::unseen_pack_test {
namespace {

using nlohmann::json;
using test::FailsWith;
using test::figure;
using test::IsOk;
using test::keyed;
using test::Keyed;
using test::pack_text;
using test::read_text;
using test::run_tool;
using test::TempFolder;
using test::Three;
using test::write_bytes;
using test::write_text;
using testing::AllOf;
using testing::ElementsAre;
using testing::HasSubstr;
using testing::Not;
namespace fs = std::filesystem;
constexpr double kPi = std::numbers::pi;

// ---- chains along curves

/// The uniform Catmull-Rom curve as Hermite segments, straight beyond its ends; a plain polyline of
/// it for lengths.
struct PlainCurve {
    explicit PlainCurve(std::vector<Vec3> points) : p(std::move(points)) {
        Vec3 before = p[0];
        for (int k = 1; k <= kParts * last(); ++k) {
            const Vec3 now = at(static_cast<double>(k) / kParts);
            upto.push_back(upto.back() + length(now - before));
            before = now;
        }
    }
    static constexpr int kParts = 20000;
    int last() const { return static_cast<int>(p.size()) - 1; }
    Vec3 tangent(int i) const {
        const auto point = [&](int k) { return p[static_cast<std::size_t>(k)]; };
        return i == 0        ? point(1) - point(0)
               : i == last() ? point(i) - point(i - 1)
                             : 0.5 * (point(i + 1) - point(i - 1));
    }
    Vec3 at(double u) const {
        if (u >= last()) return p.back() + (u - last()) * tangent(last());
        const int i = static_cast<int>(u);
        const double t = u - i, t2 = t * t, t3 = t2 * t;
        return (2 * t3 - 3 * t2 + 1) * p[static_cast<std::size_t>(i)] +
               (t3 - 2 * t2 + t) * tangent(i) +
               (3 * t2 - 2 * t3) * p[static_cast<std::size_t>(i) + 1] + (t3 - t2) * tangent(i + 1);
    }
    /// Where the curve is `far` along.
    Vec3 along(double far) const {
        const auto next = std::lower_bound(upto.begin(), upto.end(), far);
        const auto k = static_cast<std::size_t>(next - upto.begin());
        const double share = k == 0 ? 0 : (far - upto[k - 1]) / (upto[k] - upto[k - 1]);
        return at((static_cast<double>(k) - (k == 0 ? 0 : 1 - share)) / kParts);
    }
    double distance(Vec3 from) const {
        double near = 1e9;
        Vec3 a = p[0];
        for (int k = 1; k <= kParts * last(); ++k) {
            const Vec3 b = at(static_cast<double>(k) / kParts), way = b - a;
            const double along = std::clamp(dot(from - a, way) / dot(way, way), 0.0, 1.0);
            near = std::min(near, length(a + along * way - from));
            a = b;
        }
        return near;
    }
    std::vector<Vec3> p;
    std::vector<double> upto{0};
};

TEST(UnseenChainTest, JointsLieOnTheCurveTheirLengthApart) {
    const std::vector<Vec3> controls{{0, 0, 0}, {0.3, 1.0, 0.2}, {1.5, 1.2, -0.4}, {1.4, 2.5, 0.1}};
    const PlainCurve curve(controls);
    Fixed<Vec3> points;
    for (const Vec3& c : controls) points.push_back(c);
    Fixed<double> lengths;
    for (const double l : {0.4, 0.7, 0.2, 0.9, 0.5}) lengths.push_back(l);
    const auto stretched = spread_along(points, lengths, true);
    ASSERT_EQ(stretched.size(), 6U);
    double far = 0;
    for (std::size_t i = 0; i < 6; ++i) {
        EXPECT_LT(length(stretched[i] - curve.along(curve.upto.back() * far / 2.7)), 1e-5) << i;
        if (i < 5) far += lengths[i];
    }
    const auto laid = spread_along(points, lengths, false);
    for (std::size_t i = 0; i < 5; ++i) {
        EXPECT_NEAR(length(laid[i + 1] - laid[i]), lengths[i], 1e-13) << i;
        EXPECT_LT(curve.distance(laid[i + 1]), 1e-7) << i;
    }
    // Beyond its end the curve goes on straight.
    Fixed<double> longer;
    for (int i = 0; i < 8; ++i) longer.push_back(0.7);
    const auto beyond = spread_along(points, longer, false);
    const Vec3 way = normalized(controls[3] - controls[2], {});
    const Vec3 off = beyond[8] - controls[3];
    EXPECT_GT(dot(off, way), 0.7);
    EXPECT_LT(length(off - dot(off, way) * way), 1e-9);
}

TEST(UnseenChainTest, TwistsAreReadTheShortWayWhateverTheSign) {
    alignas(64) double rows[4 * kTileFrames] = {}, angles[kTileFrames];
    for (int f = 0; f < kTileFrames; ++f) {
        const double half = 50 * kPi / 180, sign = f % 2 == 0 ? 1 : -1;
        rows[kTileFrames + f] = sign * std::sin(half);
        rows[3 * kTileFrames + f] = sign * std::cos(half);
    }
    twist_angles({}, {rows}, {}, {0, 1, 0}, angles);
    for (const double a : angles) EXPECT_NEAR(a, 100 * kPi / 180, 1e-12);
    // A swing by half a turn has no twist that could be told.
    for (int f = 0; f < kTileFrames; ++f) {
        for (int c = 0; c < 4; ++c) rows[c * kTileFrames + f] = c == 0 ? 1 : 0;
    }
    twist_angles({}, {rows}, {}, {0, 1, 0}, angles);
    for (const double a : angles) EXPECT_EQ(a, 0);
}

// ---- figures

TEST(UnseenFitTest, RigidMeshesTakeTheirMorphsAlong) {
    Scene scene = test::chain_scene(2, 1);
    Primitive part;
    part.positions = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}};
    part.targets.resize(2);
    scene.meshes.push_back({"lid", {part}, {"open", "shut"}, {}, "", ""});
    scene.nodes[1].mesh = 0;
    scene.nodes[1].morph_weights = {0.25, 0.5};
    scene.timelines.push_back({"t", {}, {}, {}, {}});
    scene.timelines[0].channels = {
        {1, Path::kWeights, {Interpolation::kLinear, 2, {0, 1}, {0, 0, 1, 1}}},
        {1, Path::kTranslation, {Interpolation::kLinear, 3, {0, 1}, {0, 1, 0, 0, 2, 0}}}};
    split_rigid_meshes(scene);
    ASSERT_EQ(scene.nodes.size(), 3U);
    EXPECT_EQ(scene.nodes[1].mesh, kNone);
    EXPECT_EQ(scene.nodes[2].mesh, 0);
    EXPECT_EQ(scene.nodes[2].parent, 1);
    EXPECT_THAT(scene.nodes[2].morph_weights, ElementsAre(0.25, 0.5));
    EXPECT_EQ(scene.timelines[0].channels[0].node, 2);
    EXPECT_EQ(scene.timelines[0].channels[1].node, 1);
}

TEST(UnseenFitTest, WhatRestsWithoutSizeGetsOneAndKeepsItsKeys) {
    Scene scene = test::chain_scene(3, 1);
    scene.nodes[1].local.s = {0, 2, 3};
    scene.nodes[2].local.s = {0, 0, 0};
    scene.timelines.push_back({"t", {}, {}, {}, {}});
    scene.timelines[0].channels.push_back(
        {2, Path::kScale, {Interpolation::kLinear, 3, {0, 1}, {0, 0, 0, 1, 1, 1}}});
    const Findings said = restore_zero_scales(scene);
    ASSERT_EQ(said.size(), 1U);
    EXPECT_EQ(scene.nodes[1].local.s, (Vec3{1, 2, 3}));
    EXPECT_EQ(scene.nodes[2].local.s, (Vec3{1, 1, 1}));
    ASSERT_EQ(scene.timelines[0].channels.size(), 2U) << "n2 has its keys";
    const Channel& flat = scene.timelines[0].channels[1];
    EXPECT_EQ(flat.node, 1);
    EXPECT_EQ(flat.curve.values, (std::vector<double>{0, 2, 3})) << "as small as it was";
}

TEST(UnseenFitTest, JointListsKnowCommentsBrothersAndNumbers) {
    const auto list = parse_joint_list(
        "# a list\nroot 0 1 -2.5   # of the yard\n  arm left 1 2 3\n  leg nan 0 0\n", "j.txt");
    ASSERT_THAT(list, IsOk());
    const auto& joints = list.value().joints;
    ASSERT_EQ(joints.size(), 3U);
    EXPECT_EQ(joints[0].name, "root");
    EXPECT_EQ(joints[0].place, (Vec3{0, 1, -2.5}));
    EXPECT_EQ(joints[1].name, "arm left");
    EXPECT_EQ(joints[2].name, "leg nan 0 0") << "nan is no number here";
    EXPECT_EQ(joints[1].parent, 0);
    EXPECT_EQ(joints[2].parent, 0) << "brothers stand below each other";
    EXPECT_THAT(parse_joint_list("a\n    b\n  c\n", "j.txt"),
                FailsWith(Code::kValueBad, "j.txt:3"));
}

// ---- words of recipes and sheets

TEST(UnseenWordsTest, ScalarsHaveUnitsAndNamesOfTheirOwn) {
    const std::string scalar = "[[scalar]]\nname = \"press\"\nvalue = 1\nunit = \"bar\"\n";
    const auto sheet = parse_rig_sheet(scalar, "r.toml");
    ASSERT_THAT(sheet, IsOk());
    EXPECT_EQ(sheet.value().scalars.at(0).unit, "bar");
    EXPECT_THAT(parse_rig_sheet(scalar + scalar, "r.toml"),
                FailsWith(Code::kNameClash, "a second scalar named \"press\""));
}

TEST(UnseenWordsTest, EveryRuleOfASheetIsTakenInside) {
    const std::string limit =
        "[[rule]]\nkind = \"limit\"\nof = \"world\"\naxis = \"+Z\"\nmost = 120\n";
    auto sheet = parse_rig_sheet(
        limit + "node = \"a\"\n" + limit + "node = \"b\"\n" + limit + "node = \"c\"\n", "r.toml");
    ASSERT_THAT(sheet, IsOk());
    convert(sheet.value(), Conversion({0.01, Axis::kPlusZ, Axis::kMinusY}, {}));
    for (const Rule& rule : sheet.value().rules) {
        EXPECT_NEAR(std::get<LimitRule>(rule.body).most, 1.2, 1e-15);
        EXPECT_LT(length(std::get<LimitRule>(rule.body).axis - Vec3{0, 1, 0}), 1e-15);
    }
}

Result<Recipe> parsed(const std::string& more) {
    return parse_recipe("[source]\nfile = \"a.glb\"\n[output]\nfolder = \"out\"\n" + more,
                        "a.recipe.toml", ".");
}

TEST(UnseenWordsTest, LayersStripsRenamesAndPlanesMeanWhatTheySay) {
    const auto recipe = parsed(
        "[rename]\n\"a*\" = \"x*\"\n\"arm*\" = \"y*\"\n\"arm.L\" = \"z\"\n"
        "[[layer]]\nkind = \"offset\"\nnodes = [\"n\"]\naxis = \"+Y\"\ndegrees = 5\nspace = "
        "\"world\"\n"
        "[[layer]]\nkind = \"offset\"\nnodes = [\"n\"]\naxis = \"+Y\"\ndegrees = 5\n"
        "[[strip]]\nname = \"s\"\ngaps = \"rest\"\n[[strip.block]]\nrange = [0, 10]\nstart = 5\n"
        "weight = 0.5\n[[strip]]\nname = \"h\"\n[[strip.block]]\nrange = [0, 10]\nstart = 0\n"
        "[motion]\nwheel_share = 0.3\n[[motion.plane]]\nname = \"wall\"\n"
        "at = { left = 2, up = 1, ahead = 3 }\nfaces = { left = -4, up = 3 }\nclips = [\"walk*\"]\n"
        "[[clip]]\nname = \"c\"\nrange = [0, 1]\n");
    ASSERT_THAT(recipe, IsOk());
    const Recipe& r = recipe.value();
    std::vector<std::string> order;
    for (const Rename& rename : r.renames) order.push_back(rename.first);
    EXPECT_THAT(order, ElementsAre("arm.L", "arm*", "a*")) << "whole names, then the longest";
    EXPECT_TRUE(std::get<OffsetLayer>(r.layers.at(0).layer.body).world_axis);
    EXPECT_FALSE(std::get<OffsetLayer>(r.layers.at(1).layer.body).world_axis);
    EXPECT_TRUE(r.strips.at(0).strip.gaps_rest);
    EXPECT_FALSE(r.strips.at(1).strip.gaps_rest);
    const auto& points = r.strips.at(0).strip.blocks.at(0).weight.points;
    ASSERT_EQ(points.size(), 2U);
    EXPECT_EQ(points[0].at, 5);
    EXPECT_EQ(points[1].at, 15);
    EXPECT_EQ(points[1].value, 0.5);
    EXPECT_EQ(r.motion.wheel_share, 0.3);
    const RecipePlane& wall = r.motion.planes.at(0);
    EXPECT_EQ(wall.plane.at, (Vec3{2, 1, 3})) << "+X is left, +Z ahead";
    EXPECT_LT(length(wall.plane.faces - Vec3{-0.8, 0.6, 0}), 1e-15) << "as long as 1";
    EXPECT_THAT(wall.clips, ElementsAre("walk*"));
}

TEST(UnseenWordsTest, WhatMakesNoSenseIsToldOnce) {
    const auto refused = [](const std::string& more, const std::string& part) {
        const auto recipe = parsed(more + "[[clip]]\nname = \"c\"\nrange = [0, 1]\n");
        EXPECT_THAT(recipe, FailsWith(Code::kValueBad, part)) << more;
        if (!recipe.ok()) {
            EXPECT_EQ(recipe.failures().size(), 1U) << more << to_text(recipe.failures().back());
        }
    };
    refused("[rename]\n\"a*\" = \"x\"\n", "one * on both sides");
    for (const char* size : {"160x9999", "9999x160", "160x1", "160", "x160", "160x160x"})
        refused(fmt::format("thumbnails = {{ size = \"{}\" }}\n", size), size);
    refused("[[layer]]\nkind = \"smooth\"\nnodes = [\"n\"]\nrange = [9, 3]\n", "[9, 3]");
    refused(
        "[[layer]]\nkind = \"shake\"\nnodes = [\"n\"]\ndegrees = [1, 1, 1]\nfrequency = 1\n"
        "seeds = [1, 2.5, 3]\n",
        "2.5");
    refused("[[motion.plane]]\nname = \"w\"\nfaces = { up = \"high\" }\n", "a finite number");
    refused("[[motion.plane]]\nname = \"w\"\nfaces = { up = 0 }\n", "no way at all");
}

TEST(UnseenWordsTest, ATargetIsTheSameInItsOwnFile) {
    const TempFolder folder;
    Target t;
    t.convention = {0.01, Axis::kPlusZ, Axis::kPlusX, Hand::kLeft};
    t.first_frame = 1;
    t.lights = false;
    t.rest = {RestRule::From::kFrame, "stand \"still\"\n\x7F", 12.5, true, ""};
    t.clips.names = {"walk*"}, t.clips.groups = {"foot", "yard"}, t.clips.left_out = {"old"};
    t.skin_name = "a/{crate}_1";
    t.rates = {{30, 1}, {30000, 1001}};
    const std::string text = target_toml(t);
    const auto back = parse_target(text, "t.toml", folder.path());
    ASSERT_THAT(back, IsOk()) << text;
    const Target& b = back.value();
    EXPECT_EQ(b.convention, t.convention);
    EXPECT_EQ(b.first_frame, 1);
    EXPECT_FALSE(b.lights);
    EXPECT_EQ(b.rest.from, RestRule::From::kFrame);
    EXPECT_EQ(b.rest.timeline, t.rest.timeline);
    EXPECT_EQ(b.rest.frame, 12.5);
    EXPECT_TRUE(b.rest.posed);
    EXPECT_EQ(b.clips.names, t.clips.names);
    EXPECT_EQ(b.clips.groups, t.clips.groups);
    EXPECT_EQ(b.clips.left_out, t.clips.left_out);
    EXPECT_EQ(b.skin_name, t.skin_name);
    EXPECT_EQ(b.rates.size(), 2U);
    JointList list;
    list.joints = {{"root", -1, {}, 0},
                   {"hips", 0, Vec3{0, 1, -0.5}, 0},
                   {"knee", 1, {}, 0},
                   {"arm", 0, {}, 0}};
    const auto joints = parse_joint_list(joint_list_text(list), "j.txt");
    ASSERT_THAT(joints, IsOk());
    std::vector<int> parents;
    for (const ListedJoint& j : joints.value().joints) parents.push_back(j.parent);
    EXPECT_THAT(parents, ElementsAre(-1, 0, 1, 0));
    EXPECT_EQ(joints.value().joints[1].place, (Vec3{0, 1, -0.5}));
}

TEST(UnseenWordsTest, WhatARecipeDoesNotSayOfATargetStaysAsItsFileSays) {
    const TempFolder folder;
    write_text(folder / "joints.txt", "root\n  hips 0 1 0\n");
    // Every key that a target has, none of them as it is without.
    const std::string keys =
        "up = \"+Z\"\nfront = \"+X\"\nhand = \"left\"\nunit = 0.01\nrate = \"25\"\nrates = "
        "[\"25\", \"50\"]\nloop_form = \"open\"\nfirst_frame = 1\nfirst_pose = "
        "\"rest\"\nstarts_at_rest = true\nrest = \"frame\"\nrest_timeline = \"still\"\nrest_frame "
        "= "
        "3\nrest_skin = \"posed\"\njoints = \"joints.txt\"\nsurplus = \"drop\"\nmissing = "
        "\"fill\"\nmost_joints = 90\nroot = \"base\"\ninfluences = 4\nmost_vertices = "
        "700\nvertices = 600\ncameras = \"leave-out\"\nstatics = \"leave-out\"\nlights = "
        "\"stop\"\nheight = [1, 2]\ntextures = \"beside\"\ntriangulate = true\nmost_samples = "
        "5000\nlayout = \"skin-and-library\"\nformat = \"gltf\"\nskin_format = "
        "\"glb\"\nskin_name = \"s_{crate}\"\nclip_name = \"c_{id}_{clip}\"\nlibrary_name = "
        "\"l_{crate}\"\nname_case = \"lower\"\nname_allowed = \"_\"\nname_replace = "
        "\"-\"\nids = [7, 77]\nclips = [\"w*\"]\nclip_groups = [\"yard\"]\nclips_left_out = "
        "[\"old\"]\n[rename]\n\"hips\" = \"pelvis\"\n[[morphs]]\nmatch = \"smile\"\ndo = "
        "\"bake\"\n";
    const auto whole = parse_target(keys, "t.toml", folder.path());
    ASSERT_THAT(whole, IsOk());
    EXPECT_EQ(target_toml(whole.value()), keys) << "read, and written again";
    for (const char* format : {"glb", "gltf", "dae", "bvh", "csv"})
        EXPECT_EQ(name(parse_file_format(format).value()), format);
    EXPECT_FALSE(parse_file_format("mesh"));
    write_text(folder / "t.toml", keys);
    const auto recipe_target = [&](const std::string& more) {
        const auto read = parse_recipe(
            "[source]\nfile = \"f.glb\"\n[output]\nfolder = \"out\"\n"
            "[[clip]]\nname = \"c\"\nrange = [0, 9]\n[target]\nfile = "
            "\"t.toml\"\n" +
                more,
            "r.toml", folder.path());
        EXPECT_THAT(read, IsOk());
        return read ? target_toml(read.value().targets.at(0)) : "";
    };
    EXPECT_EQ(recipe_target(""), keys);
    EXPECT_EQ(recipe_target("rate = 50\n"), test::change(keys, "rate = \"25\"", "rate = \"50\""));
    EXPECT_EQ(recipe_target("clips = [\"p*\"]\n"), test::change(keys, "\"w*\"", "\"p*\""));
}

TEST(UnseenWordsTest, ManifestsAreReadStrictly) {
    const std::string text =
        R"({"n":5000000000,"v":[1,2,3,4],"rate":"fast","list":[{"a":1},7],"good":[1,2,3]})";
    const auto error = [&](const auto& read) {
        JsonMembers members(Bytes(text.begin(), text.end()));
        read(members);
        return members.error();
    };
    EXPECT_THAT(error([](JsonMembers& m) { m.whole("n"); }), HasSubstr("5000000000"));
    EXPECT_THAT(error([](JsonMembers& m) { m.vector("v"); }), HasSubstr("three numbers"));
    EXPECT_THAT(error([](JsonMembers& m) { m.rate("rate"); }), HasSubstr("\"fast\" is no rate"));
    EXPECT_THAT(error([](JsonMembers& m) { m.objects("list"); }),
                HasSubstr("no object in list[1]"));
    EXPECT_EQ(error([](JsonMembers& m) { EXPECT_EQ(m.vector("good"), (Vec3{1, 2, 3})); }), "");
    const Finding told = in_recipe_words({Code::kUnbaked, Severity::kWarning, "", "", "",
                                          "--unit centimetre, --rate 30; see --help"});
    EXPECT_EQ(told.remedy, "unit centimetre, rate 30; see --help");
}

TEST(UnseenWordsTest, NamesOfFilesAndWhatFitsThem) {
    EXPECT_TRUE(sound_name(std::string(100, 'x')));
    EXPECT_FALSE(sound_name(std::string(101, 'x')));
    for (const auto& [name, file] : {std::pair("nul", "_nul"),
                                     {"NUL.glb", "_NUL.glb"},
                                     {"aux", "_aux"},
                                     {"nulls", "nulls"},
                                     {"walk.", "walk_"},
                                     {"a..", "a._"},
                                     {".x", "_.x"},
                                     {"a b", "a_b"}})
        EXPECT_EQ(file_name(name), file);
    const NameFields fields = clip_fields("walk", "day", "move", 7);
    EXPECT_EQ(filled("{file}_{index:03}", fields), "walk_007");
    EXPECT_EQ(unknown_field("{file}_{index:03}", fields), "");
    for (const char* field : {"{index:x3}", "{index:3}", "{index:00}", "{index:003}", "{file:03}"})
        EXPECT_EQ(unknown_field(field, fields), field);
    const TempFolder folder;
    fs::create_directories(folder / "x/y");
    const std::vector<std::string> files{"b.bvh",   "e.bvh",   "a.bvh",
                                         "x/d.bvh", "x/c.bvh", "x/y/f.bvh"};
    for (const std::string& file : files) write_text(folder / file, "");
    EXPECT_THAT(matching_files(folder.path(), "**/*.bvh"),
                ElementsAre("a.bvh", "b.bvh", "e.bvh", "x/c.bvh", "x/d.bvh", "x/y/f.bvh"));
    EXPECT_THAT(matching_files(folder.path(), "x/*.bvh"), ElementsAre("x/c.bvh", "x/d.bvh"));
    EXPECT_THAT(matching_files(folder.path(), "x/**/f.*"), ElementsAre("x/y/f.bvh"));
}

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

TEST(UnseenReportTest, TheSummaryTellsTheWorst) {
    PackReport report;
    report.name = "t", report.folder = "out", report.rate = {30, 1};
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

class UnseenPackTest : public test::SmallFigure {
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

TEST_F(UnseenPackTest, TurnsAndSeamsAreToldInDegreesAndMillimetres) {
    const PackReport report = pack(
        turning(0.002), test::recipe(kTurn, "first_pose = \"rest\"\n[travel]\nhips = \"hips\"\n"));
    std::string text, manifest;
    report_text(report, [&](std::string_view part) { text += part; });
    EXPECT_THAT(text, HasSubstr("heading +90.00 degrees"));
    EXPECT_THAT(text, HasSubstr("] m and +90.000 degrees"));
    EXPECT_THAT(text, HasSubstr("seam      2.0000 mm, 0.0000 degrees"));
    const json crate = json::parse(read_text(folder_ / "out/crate.json"));
    EXPECT_EQ(crate["target"]["first_pose"], "rest");
}

TEST_F(UnseenPackTest, WhatMovesByScalarsAloneIsMotion) {
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

TEST_F(UnseenPackTest, DrivesAndTurnedAxesAreToldInTheCratesAxes) {
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
    Target target;
    target.convention = {1, Axis::kPlusZ, Axis::kPlusX, Hand::kLeft};
    std::string text;
    manifest_json(report, target, [&](std::string_view part) { text += part; });
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

TEST_F(UnseenPackTest, UsedTablesMayBeUsedTwiceAndAreInputs) {
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
    EXPECT_THAT(recipe(), FailsWith(Code::kFileMissing, "a.toml:1, use: "));
}

TEST_F(UnseenPackTest, AClipIsBakedFromAFileAsTheFileSaysItIs) {
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

TEST_F(UnseenPackTest, FilesBesideTheSceneAreInputsOfTheCrate) {
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

TEST_F(UnseenPackTest, ClipsAreBakedAgainWhenWhatTheirSourceSaysIsAnother) {
    write_bytes(folder_ / "figure.glb", figure(turning()));
    write_bytes(folder_ / "m.glb", figure(turning()));
    const std::string text =
        "[figure]\nfile = \"figure.glb\"\n[output]\nfolder = \"out\"\npicture = false\n[target]\n"
        "rate = 24\n[[source]]\nname = \"m\"\nfile = \"m.glb\"\nrate = 24\n[[clip]]\nname = \"c\"\n"
        "source = \"m\"\nrange = [0, 12]\n[[cue]]\nname = \"x\"\nat = 3\nsource = \"m\"\njoint = "
        "\"hips\"\n";
    const auto packed = [&](const std::string& from, const std::string& to) {
        auto report = pack_text(folder_, from.empty() ? text : test::change(text, from, to), true);
        EXPECT_THAT(report, IsOk());
        return std::move(report).value();
    };
    ASSERT_EQ(packed("", "").clips.size(), 1U);
    EXPECT_TRUE(packed("", "").unchanged);
    // Frames at 12 a second are another half of the file; a longer file than its span is none.
    const PackReport slow = packed("m.glb\"\nrate = 24", "m.glb\"\nrate = 12");
    EXPECT_FALSE(slow.unchanged);
    EXPECT_EQ(slow.clips[0].clip.samples, 25);
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

TEST_F(UnseenPackTest, EveryBadFileIsToldAndSourcesAreCountedFromOne) {
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

TEST_F(UnseenPackTest, EndsOfLoopsAreToldByFramesOfTheFile) {
    const auto sway = test::keyed(0, "translation", 60, [](int f) {
        const double a = 2 * M_PI * f / 24;
        return Three{0.05 * std::sin(a), 1 + 0.03 * std::cos(a), 0};
    });
    const PackReport report =
        pack({sway}, test::recipe("range = [10, 50]\nloop = \"find\"\nloop_shortest = 12\n"));
    EXPECT_EQ(report.clips.at(0).clip.samples, 25);
    const Finding end = test::of_code(report, Code::kAssumed).at(0);
    EXPECT_THAT(end.found, HasSubstr("the loop ends at frame 34 ("));
    EXPECT_EQ(end.remedy.substr(0, 29), "range = [10, 34], loop = true");
    const std::regex frame("([0-9]+) \\(");
    std::multiset<std::string> ends;
    for (std::sregex_iterator at(end.found.begin(), end.found.end(), frame), none; at != none; ++at)
        ends.insert((*at)[1]);
    EXPECT_GT(ends.size(), 1U) << end.found;
    for (const std::string& one : ends) EXPECT_EQ(ends.count(one), 1U) << end.found;
}

TEST_F(UnseenPackTest, WhatMeshesCarryBesideTheirVerticesStaysWithThem) {
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

TEST_F(UnseenPackTest, WhatPlanningFoundIsToldAndRepeatsAreCounted) {
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

TEST_F(UnseenPackTest, ClipsAreTakenFromTheFolderOfSeveralTargets) {
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

TEST_F(UnseenPackTest, FieldsOfViewAreOfTheFirstTableThatFits) {
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

TEST_F(UnseenPackTest, SpringsOfALoopSettleRoundItsSeam) {
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

TEST_F(UnseenPackTest, MotionFilesMayHaveTheirNodesInAnyOrderMorphsAndFrames) {
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
    for (const Finding& f : report.value().findings) places.insert(f.where.substr(0, 9));
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

TEST_F(UnseenPackTest, WeightsOfOneMeshAreForTheSameTargetsInAWholeFile) {
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

TEST_F(UnseenPackTest, AJointThatAFileLacksIsSaid) {
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

TEST_F(UnseenPackTest, TimelinesOfTwoRatesInAMotionFileAreSaid) {
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

TEST_F(UnseenPackTest, RigsOfFilesTellWhatMoves) {
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
}  // namespace mellow::unseen_pack_test
