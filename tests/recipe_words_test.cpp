// Words of recipes, sheets, targets and manifests against what was put into them.
#include <fmt/format.h>
#include <numbers>
#include "disk/json_members.h"
#include "figure/source_file.h"
#include "mellow/rig_sheet.h"
#include "recipe/clip_names.h"
#include "recipe/target_table.h"
#include "small_figure.h"

namespace mellow::recipe_words_test {
namespace {

using namespace test;
using namespace testing;
namespace fs = std::filesystem;

Result<Recipe> parsed(const std::string& more) {
    return parse_recipe("[source]\nfile = \"a.glb\"\n[output]\nfolder = \"out\"\n" + more,
                        "a.recipe.toml", ".");
}

TEST(RecipeWordsTest, ScalarsHaveUnitsAndNamesOfTheirOwn) {
    const std::string scalar = "[[scalar]]\nname = \"press\"\nvalue = 1\nunit = \"bar\"\n";
    const auto sheet = parse_rig_sheet(scalar, "r.toml");
    ASSERT_THAT(sheet, IsOk());
    EXPECT_EQ(sheet.value().scalars.at(0).unit, "bar");
    EXPECT_THAT(parse_rig_sheet(scalar + scalar, "r.toml"),
                FailsWith(Code::kNameClash, "a second scalar named \"press\""));
}

TEST(RecipeWordsTest, EveryRuleOfASheetIsTakenInside) {
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

TEST(RecipeWordsTest, LayersStripsRenamesAndPlanesMeanWhatTheySay) {
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

TEST(RecipeWordsTest, WhatMakesNoSenseIsToldOnce) {
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

TEST(RecipeWordsTest, ATargetIsTheSameInItsOwnFile) {
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

TEST(RecipeWordsTest, WhatARecipeDoesNotSayOfATargetStaysAsItsFileSays) {
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

TEST(RecipeWordsTest, ManifestsAreReadStrictly) {
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

TEST(RecipeWordsTest, NamesOfFilesAndWhatFitsThem) {
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
}  // namespace mellow::recipe_words_test
