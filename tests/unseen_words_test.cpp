// What planted faults in rigs, figures and recipes were not seen by: curves by plain arithmetic of
// the test's own, words of recipes, targets and manifests against what was put into them.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "disk/json_members.h"
#include "figure/source_file.h"
#include "mellow/fit.h"
#include "mellow/rig_stock.h"
#include "recipe/clip_names.h"
#include "recipe/target_table.h"
#include "rig/chain_curve.h"
#include "rig/turn_lanes.h"
#include "small_figure.h"

namespace mellow::unseen_words_test {
namespace {

using namespace test;
using namespace testing;
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
        "[[arrangement]]\nname = \"s\"\ngaps = \"rest\"\n[[arrangement.block]]\nrange = [0, "
        "10]\nstart = 5\n"
        "weight = 0.5\n[[arrangement]]\nname = \"h\"\n[[arrangement.block]]\nrange = [0, "
        "10]\nstart = 0\n"
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
    EXPECT_TRUE(r.arrangements.at(0).arrangement.gaps_rest);
    EXPECT_FALSE(r.arrangements.at(1).arrangement.gaps_rest);
    const auto& points = r.arrangements.at(0).arrangement.blocks.at(0).weight.points;
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
    const NameFields fields = clip_fields("walk", "day", "a/day", "move", 7);
    EXPECT_EQ(filled("{file}_{index:03}", fields), "walk_007");
    EXPECT_EQ(filled("{path}/{file}", fields), "a/day/walk");
    EXPECT_EQ(path_below("nest/**/*.bvh", "nest/f g/a/run.bvh"), "f_g/a");
    EXPECT_EQ(path_below("nest/*.bvh", "nest/run.bvh"), "");
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

}  // namespace
}  // namespace mellow::unseen_words_test
