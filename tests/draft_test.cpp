// Recipes that are drafted from files whose answers are known: what is told must be right, and what
// is not must be marked.
#include "mellow/draft.h"

#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>

#include "base/at.h"
#include "mellow/pack.h"
#include "mellow/write.h"
#include "packing.h"
#include "rigs.h"

namespace mellow::draft_test {
namespace {

using namespace test;
using test::read_text;
using namespace testing;
namespace fs = std::filesystem;

const DraftedValue* value(const Draft& draft, const std::string& key,
                          const std::string& place = "") {
    for (const DraftedValue& v : draft.values)
        if (v.key == key && (place.empty() || v.place == place)) return &v;
    return nullptr;
}

class DraftTest : public testing::Test {
  protected:
    void SetUp() override { test::write_files(folder_.path(), test::tamsin()); }
    Draft draft(const std::vector<std::string>& files, bool rig = true) const {
        DraftOptions options;
        options.recipe = folder_ / "draft.recipe.toml";
        if (rig) options.rig = folder_ / "tamsin.rig.toml";
        std::vector<fs::path> paths;
        for (const std::string& file : files) paths.push_back(folder_ / file);
        auto drafted = draft_recipe(paths, options);
        EXPECT_THAT(drafted, IsOk());
        return drafted ? std::move(drafted).value() : Draft{};
    }
    void write_scene(const std::string& file, const Scene& scene) const {
        const auto glb = write_glb(scene);
        write_text(folder_ / file, {glb.begin(), glb.end()});
    }
    /// Of Tamsin's joints, whose head nods by an angle of the frame at 24 a second.
    Draft nodding(int frames, const std::function<double(int)>& angle) const {
        const auto packed =
            test::pack_text(folder_, read_text(folder_ / "tamsin.recipe.toml"), true);
        Scene scene = read_scene(packed.value().folder / "tamsin.glb").value().scene;
        Channel nod{find_node(scene, "head"), Path::kRotation, {}};
        std::vector<double> times, values;
        for (int f = 0; f <= frames; ++f) {
            const Quat q = from_axis_angle({1, 0, 0}, angle(f));
            times.push_back(f / 24.0);
            values.insert(values.end(), {q.x, q.y, q.z, q.w});
        }
        nod.curve.times = KeyTimes(times), nod.curve.values = values, nod.curve.width = 4;
        scene.timelines.emplace_back().name = "nod";
        scene.timelines[0].channels.push_back(nod);
        write_scene("nod.glb", scene);
        return draft({"nod.glb"}, false);
    }

    TempFolder folder_;
};

TEST_F(DraftTest, UnitAxesRateAndPrefixAreToldFromTheData) {
    // Tamsin baked on her joints, in every right-handed convention, in units in turn, at rates in
    // turn, under prefixes in turn, in files that claim metres, +Y up, +Z ahead and no rate.
    const PackReport packed =
        test::pack_text(folder_, read_text(folder_ / "tamsin.recipe.toml")).value();
    ASSERT_TRUE(packed.proven);
    const Scene skin = read_scene(packed.folder / "tamsin.glb").value().scene,
                walk = read_scene(packed.folder / "clips/walk.glb").value().scene;
    const std::vector<std::pair<std::string, double>> units{
        {"metre", 1}, {"centimetre", 0.01}, {"inch", 0.0254}, {"millimetre", 0.001}};
    const std::vector<FrameRate> rates{{24, 1}, {30, 1}, {60, 1}};
    const std::vector<std::string> prefixes{"", "crew:"};
    int files = 0, told = 0, right = 0, unmarked = 0;
    for (const int turn : {0, 1})
        for (const Axis up : {Axis::kPlusX, Axis::kMinusX, Axis::kPlusY, Axis::kMinusY,
                              Axis::kPlusZ, Axis::kMinusZ})
            for (const Axis front : {Axis::kPlusX, Axis::kMinusX, Axis::kPlusY, Axis::kMinusY,
                                     Axis::kPlusZ, Axis::kMinusZ}) {
                const auto& [unit, metres] = units[at((files + turn) % 4)];
                const Convention truth{metres, up, front, Hand::kRight};
                if (!is_valid(truth)) continue;
                const FrameRate rate = rates[at(files % 3)];
                const std::string& prefix = prefixes[at(files % 2)];
                Scene scene = skin;
                for (const Channel& c : walk.timelines[0].channels) {
                    if (scene.timelines.empty()) scene.timelines.emplace_back().name = "walk";
                    Channel own = c;
                    own.node = find_node(scene, walk.nodes[at(c.node)].name);
                    std::vector<double> times = own.curve.times.list();
                    for (double& t : times) t *= 30 / rate.per_second();
                    own.curve.times = KeyTimes(times);
                    scene.timelines[0].channels.push_back(std::move(own));
                }
                for (Node& node : scene.nodes) node.name = prefix + node.name;
                convert(scene, truth);
                scene.convention = scene.stack_convention = Convention{};
                scene.rate_known = false;
                write_scene("made.glb", scene);
                const Draft d = draft({"made.glb"}, false);
                EXPECT_TRUE(d.ready) << to_text(truth) << d.text;
                const auto check = [&](const std::string& key, const std::string& want,
                                       const std::string& usual) {
                    const DraftedValue* v = value(d, key);
                    ++told;
                    const bool good = v == nullptr ? want == usual : v->value == want;
                    right += good ? 1 : 0;
                    if (!good && (v == nullptr || !v->guess)) {
                        ++unmarked;
                        ADD_FAILURE() << to_text(truth) << ": " << key << " is " << want << "\n"
                                      << d.text;
                    }
                };
                const auto quoted = [](std::string_view text) {
                    return fmt::format("\"{}\"", text);
                };
                check("unit", quoted(unit), "\"metre\"");
                check("up", quoted(name(up)), "\"+Y\"");
                check("front", quoted(name(front)), "\"+Z\"");
                check("rate", to_text(rate), "");
                check("strip_prefix", quoted(prefix), "\"\"");
                check("loop", "true", "false");
                check("travel", "[]", "[]");  // its root carries it
                check("hips", "\"hips\"", "");
                ++files;
            }
    EXPECT_EQ(files, 48);
    EXPECT_GE(right, told * 95 / 100) << "of all values";
    EXPECT_EQ(unmarked, 0);
}

TEST_F(DraftTest, ADraftPacksAsItIs) {
    const Draft d = draft({"tamsin.glb"});
    EXPECT_TRUE(d.ready);
    const auto recipe = parse_recipe(d.text, "draft.recipe.toml", folder_.path());
    ASSERT_THAT(recipe, IsOk());
    ASSERT_THAT(recipe.value().clips, SizeIs(3));
    EXPECT_EQ(recipe.value().targets.at(0).rate, (FrameRate{30, 1})) << "what loops are fitted to";
    const auto& clips = recipe.value().clips;
    EXPECT_EQ(clips[0].range.last, 96);
    EXPECT_TRUE(clips[0].range.loops());
    EXPECT_EQ(clips[1].range.first, 108);
    EXPECT_EQ(clips[1].range.last, 132);
    EXPECT_TRUE(clips[1].range.loops() && clips[1].travel.ground);
    EXPECT_EQ(clips[2].range.first, 144);
    EXPECT_FALSE(clips[2].range.loops());
    EXPECT_TRUE(clips[2].travel.height);
    const auto report = pack(recipe.value());
    ASSERT_THAT(report, IsOk());
    EXPECT_TRUE(report.value().proven);
    EXPECT_TRUE(value(d, "name")->guess) << "one of three stretches";
    EXPECT_THAT(value(d, "unit")->reason, AllOf(HasSubstr("170.1 long"), HasSubstr("inch 4.32 m")));
}

TEST_F(DraftTest, WhatBeginsAndEndsAtRestIsNoLoopForCertain) {
    // A nod of one second, sin^4 of its angle, and the same in the middle of its way.
    for (const int begin : {0, 6}) {
        const Draft d = nodding(
            24, [&](int f) { return 0.5 * std::pow(std::sin(M_PI * (f + begin) / 24), 4); });
        const DraftedValue* loop = value(d, "loop");
        if (begin == 0)
            EXPECT_TRUE(loop == nullptr || (loop->value == "false" && loop->guess));
        else
            EXPECT_TRUE(loop != nullptr && loop->value == "true");
    }
}

TEST_F(DraftTest, HipsAreWhatMostHangsOnWhateverItIsCalled) {
    const auto packed = test::pack_text(folder_, read_text(folder_ / "tamsin.recipe.toml"), true);
    Scene scene = read_scene(packed.value().folder / "tamsin.glb").value().scene;
    const int root = find_node(scene, "root"), hips = find_node(scene, "hips");
    scene.nodes[at(root)].name = "Reference", scene.nodes[at(hips)].name = "trunk";
    const Vec3 p = scene.nodes[at(hips)].local.t;
    scene.timelines.emplace_back().name = "go";
    Curve way{Interpolation::kLinear, 3, {0, 2}, {p.x, p.y, p.z, p.x, p.y, p.z + 2}};
    scene.timelines[0].channels.push_back({hips, Path::kTranslation, way});
    write_scene("go.glb", scene);
    const Draft d = draft({"go.glb"}, false);
    ASSERT_NE(value(d, "hips"), nullptr);
    EXPECT_EQ(value(d, "hips")->value, "\"trunk\"");
    EXPECT_TRUE(value(d, "hips")->guess);
    EXPECT_EQ(value(d, "travel")->value, "[\"ground\"]");
}

TEST_F(DraftTest, LoopsThatMissTheSamplesAreFitted) {
    for (const auto& [frames, fit] : {std::pair{24, false}, {23, true}, {26, true}}) {
        const Draft d = nodding(
            frames, [&, frames = frames](int f) { return 0.3 * std::sin(2 * M_PI * f / frames); });
        ASSERT_NE(value(d, "loop"), nullptr) << frames;
        EXPECT_EQ(d.text.find("\nfit = true") != std::string::npos, fit)
            << frames << " frames at 24 are " << frames * 30 / 24.0 << " at 30\n"
            << d.text;
        EXPECT_EQ(d.text.find("stored"), std::string::npos);
    }
    // The same without the frame that repeats the first; and so slow that one step is as small as
    // the seam of a loop.
    for (const double size : {0.3, 0.06}) {
        const Draft open =
            nodding(47, [&](int f) { return size * std::sin(2 * M_PI * (f + 5) / 48); });
        EXPECT_THAT(open.text, HasSubstr("loop = true   # a guess: its first frame goes on"));
        EXPECT_THAT(open.text, HasSubstr("\nstored = \"open\"\n"));
        EXPECT_LT(std::stod(open.text.substr(open.text.find(" mm and ") + 8)), 0.05) << "degrees";
        const auto packed = test::pack_text(folder_, open.text, true);
        ASSERT_THAT(packed, IsOk());
        EXPECT_TRUE(packed.value().proven);
        EXPECT_EQ(packed.value().clips[0].clip.samples, 61) << "48 intervals at 24, at 30";
    }
}

TEST_F(DraftTest, MotionFilesAreFittedToTheFigure) {
    for (const orchard::File& file : orchard::shift_files(2))
        if (file.name.starts_with("motions/")) {
            fs::create_directories((folder_ / file.name).parent_path());
            write_text(folder_ / file.name, {file.bytes.begin(), file.bytes.end()});
        }
    // A capture rests with its legs lying, joints of another have another prefix, a third is keyed
    // on controls, one is COLLADA.
    const Draft d =
        draft({"motions/carrying/carry_1.bvh", "tamsin.glb", "motions/climbing/climb_1.glb",
               "motions/sorting/sort_1.glb", "motions/wheeling/wheel_2.dae"});
    EXPECT_TRUE(d.ready) << d.text;
    EXPECT_THAT(d.text, HasSubstr("[figure]\nfile = \"tamsin.glb\"")) << "the one with a mesh";
    EXPECT_THAT(d.text, HasSubstr("\"mixed_*\" = \"*\""));
    EXPECT_EQ(value(d, "up", "[[source]] carry_1"), nullptr) << "its legs lie, its bones fit";
    EXPECT_EQ(value(d, "unit", "[[source]] carry_1")->value, "\"centimetre\"");
    EXPECT_EQ(value(d, "up", "[[source]] sort_1")->value, "\"+Z\"");
    EXPECT_NE(value(d, "travel", "[[clips]] carry_1"), nullptr);
    EXPECT_EQ(value(d, "range", "[[clips]] carry_1")->value, "[1, -1]") << "a calibration pose";
    EXPECT_EQ(value(d, "range", "[[clips]] climb_1"), nullptr);
    const auto report = test::pack_text(folder_, d.text);
    ASSERT_THAT(report, IsOk());
    EXPECT_TRUE(report.value().proven);
    EXPECT_THAT(report.value().clips, SizeIs(7));
    // Motion of another figure fits in no way: said, and not ready.
    test::write_files(folder_.path(), test::press());
    EXPECT_FALSE(draft({"tamsin.glb", "press.glb"}).ready);
}

TEST_F(DraftTest, WhatCannotBeToldIsLeftToFillInAndPackingStopsThere) {
    const Draft d = draft({"tamsin.glb"}, false);
    EXPECT_FALSE(d.ready);
    ASSERT_NE(value(d, "rig"), nullptr);
    EXPECT_TRUE(value(d, "rig")->unknown);
    EXPECT_THAT(d.text, HasSubstr("rig = \"?\"   # fill in: 0 of 28 deform joints have keys"));
    for (const Finding& f : d.findings)
        EXPECT_NE(f.code, Code::kFileMissing) << "what is to be filled in is no mistake";
    EXPECT_THAT(test::pack_text(folder_, d.text), FailsWith(Code::kFileMissing, "?"));
    // A figure of no usual size.
    Scene scene = orchard::tamsin_scene();
    for (Node& node : scene.nodes) node.local.t = 1.53 * node.local.t;
    for (Mesh& mesh : scene.meshes)
        for (Primitive& part : mesh.primitives)
            for (Float3& p : part.positions)
                for (float& c : p) c *= 1.53F;
    for (Skin& skin : scene.skins)
        for (Affine& bind : skin.inverse_binds) bind.o = 1.53 * bind.o;
    write_scene("odd.glb", scene);
    const Draft odd = draft({"odd.glb"});
    EXPECT_TRUE(value(odd, "unit")->unknown) << odd.text;
    EXPECT_THAT(odd.text, HasSubstr("0.00653 makes it 1.7 m"));
    const std::string describe = "describe " + (folder_ / "odd.glb").string();
    const ToolRun said = run_tool(describe);
    std::string options;
    const auto told = nlohmann::json::parse(run_tool(describe + " --json").out);
    for (const auto& finding : told["findings"])
        for (const auto& edit : finding.value("edits", nlohmann::json::array()))
            if (edit["key"] != "strip_prefix")  // which only a recipe says
                options += fmt::format(" --{} {}", edit["key"].get<std::string>(),
                                       edit["value"].get<std::string>());
    EXPECT_THAT(options, HasSubstr(" --up \"+Z\" --front \"-Y\""));
    const ToolRun right = run_tool(describe + options);
    EXPECT_EQ(right.exit, 0) << right.err;
    EXPECT_THAT(right.out, testing::Not(HasSubstr("suspect")));
    EXPECT_THAT(
        said.out,
        HasSubstr("unit = 0.00653   # under [source]; makes it 1.7 m; or height = what it is, in "
                  "metres; or --unit 0.00653\n"));
    EXPECT_THAT(test::pack_text(folder_, odd.text), FailsWith(Code::kValueBad, "unit"));
}

TEST_F(DraftTest, TheToolWritesDraftsAndPacksWithoutARecipe) {
    const std::string recipe = (folder_ / "new.recipe.toml").string(),
                      scene = (folder_ / "tamsin.glb").string(),
                      rig = " --rig " + (folder_ / "tamsin.rig.toml").string();
    const auto bare_figure = run_tool("draft " + scene + " -o " + recipe);
    EXPECT_EQ(bare_figure.exit, 1) << "the rig is to be filled in";
    EXPECT_THAT(bare_figure.out, HasSubstr("fill in: 0 of 28 deform joints have keys"));
    for (const bool ready : {false, true}) {
        const auto told =
            run_tool("draft --json --replace " + scene + (ready ? rig : "") + " -o " + recipe);
        EXPECT_EQ(told.exit, ready ? 0 : 1);
        EXPECT_EQ(nlohmann::json::parse(told.out)["ready"], ready);
    }
    const auto again = run_tool("draft " + scene + rig + " -o " + recipe);
    EXPECT_EQ(again.exit, 4);
    EXPECT_THAT(again.err, HasSubstr("output-exists"));
    EXPECT_THAT(run_tool("draft --replace " + scene + rig + " -o " + recipe).out,
                AllOf(HasSubstr("a guess: "), Not(HasSubstr("unit = "))));
    // What is known need not be told by the data.
    EXPECT_EQ(run_tool("draft --replace --height 1.66 --up +Z --front=-Y --rate 24 " + scene + rig +
                       " -o " + recipe)
                  .exit,
              0);
    EXPECT_THAT(read_text(recipe),
                AllOf(HasSubstr("height = 1.66   # as given\nup = \"+Z\"   # as given\n"),
                      Not(HasSubstr("unit = "))));
    const auto high = read_recipe(recipe);
    ASSERT_THAT(high, IsOk());
    EXPECT_EQ(high.value().truth.height_m, 1.66);
    EXPECT_EQ(run_tool("draft --replace --unit ell " + scene + rig + " -o " + recipe).exit, 2);
    const auto run = run_tool("draft --replace --verbose " + scene + rig + " -o " + recipe);
    EXPECT_EQ(run.exit, 0);
    EXPECT_THAT(run.out, AllOf(HasSubstr("unit = \"centimetre\""), HasSubstr("a guess: ")));
    EXPECT_EQ(run_tool("pack --quiet " + recipe).exit, 0);
    EXPECT_EQ(run_tool("draft " + scene + " -o new.txt").exit, 2);
    EXPECT_EQ(run_tool("draft nowhere.glb -o " + recipe).exit, 3);
    const auto json = nlohmann::json::parse(
        run_tool("draft --json --replace " + scene + rig + " -o " + recipe).out);
    EXPECT_EQ(json["ready"], true);
    EXPECT_EQ(json["values"][0]["key"], "rig");
    // A clip of the crate is a scene file like any other: joints, and nothing to fill in.
    const std::string walk = (folder_ / "crates/tamsin/clips/orchard_day_2.glb").string();
    const auto bare = run_tool("pack " + walk + " -o " + (folder_ / "out/bare").string());
    EXPECT_EQ(bare.exit, 0) << bare.err;
    EXPECT_TRUE(fs::exists(folder_ / "out/bare/crate.json"));
    EXPECT_TRUE(fs::exists(folder_ / "out/bare.recipe.toml"));
    EXPECT_EQ(run_tool("pack --replace " + (folder_ / "out/bare.recipe.toml").string()).exit, 0);
    EXPECT_EQ(run_tool("pack " + walk).exit, 2) << "no folder";
    EXPECT_EQ(run_tool("pack " + recipe + " -o x").exit, 2) << "a recipe says where it goes";
}

}  // namespace
}  // namespace mellow::draft_test
