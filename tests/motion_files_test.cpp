// Many motion files on one figure, against readers that share no code with packing; what is stale
// is packed again and nothing else; what is bad is said and left out or stops.
#include <fmt/format.h>

#include <filesystem>
#include <nlohmann/json.hpp>

#include "mellow/joint_map.h"
#include "mellow/pack.h"
#include "mellow/pose.h"
#include "mellow/rig.h"
#include "mellow/write.h"
#include "orchard.h"
#include "plain_bvh.h"
#include "support.h"

namespace mellow::motion_files_test {
namespace {

using nlohmann::json;
using namespace test;
using test::read_text;
using namespace testing;
namespace fs = std::filesystem;

const std::vector<orchard::File>& shift() {
    static const std::vector<orchard::File> files = [] {
        std::vector<orchard::File> all = orchard::tamsin_files();
        for (orchard::File& f : orchard::shift_files(2)) all.push_back(std::move(f));
        return all;
    }();
    return files;
}

std::string replaced(std::string text, const std::string& from, const std::string& to) {
    const auto at = text.find(from);
    EXPECT_NE(at, text.npos) << from;
    return at == text.npos ? text : text.replace(at, from.size(), to);
}

/// The shift with the first file of each kind alone, and no picture.
class ManyTest : public testing::Test {
  protected:
    void SetUp() override {
        for (const orchard::File& file : shift()) {
            if (file.name.starts_with("motions/") && file.name.find("_1.") == std::string::npos)
                continue;
            fs::create_directories((folder_ / file.name).parent_path());
            test::write_text(folder_ / file.name, {file.bytes.begin(), file.bytes.end()});
        }
        recipe_ = replaced(read_text(folder_ / "shift.recipe.toml"), "name = \"tamsin\"\n",
                           "name = \"tamsin\"\npicture = false\n");
        test::write_text(folder_ / "shift.recipe.toml", recipe_);
    }
    void change(const std::string& from, const std::string& to) {
        recipe_ = replaced(recipe_, from, to);
        test::write_text(folder_ / "shift.recipe.toml", recipe_);
    }
    ToolRun pack(const std::string& options = "") {
        return run_tool("pack " + options + " " + (folder_ / "shift.recipe.toml").string());
    }
    json manifest() const { return json::parse(read_text(crate() / "crate.json")); }
    fs::path crate() const { return folder_ / "crates/shift"; }
    std::map<std::string, std::string> files_of_crate() const {
        std::map<std::string, std::string> out;
        for (const auto& entry : fs::recursive_directory_iterator(crate()))
            if (entry.is_regular_file())
                out[entry.path().lexically_relative(crate()).string()] = read_text(entry.path());
        return out;
    }
    Scene clip(const std::string& name) const {
        return read_scene(crate() / "clips" / (name + ".glb")).value().scene;
    }

    test::TempFolder folder_;
    std::string recipe_;
};

// ------------------------------------------------------------------------------------- motion

TEST_F(ManyTest, JointsStandWhereTheirFilesHaveThem) {
    const ToolRun run = pack();
    ASSERT_EQ(run.exit, 0) << run.err;
    EXPECT_THAT(run.out, HasSubstr("PASSED: 5 clips"));
    // A capture, read by a reader of its own: its frame 0 is the calibration pose.
    const Scene carried = clip("carrying/carry_1");
    const std::string bvh = read_text(folder_ / "motions/carrying/carry_1.bvh");
    for (const int sample : {0, 17, 50}) {
        const Pose pose = pose_at(carried, carried.timelines[0], sample / 30.0);
        const auto places = test::plain_bvh_places(bvh, sample + 1, false);
        int compared = 0;
        for (const auto& [joint, place] : places) {
            const int node = find_node(carried, joint);
            if (node == kNone) continue;
            const Vec3 o = pose.worlds[static_cast<std::size_t>(node)].o;
            EXPECT_LT(length(o - 0.01 * Vec3{place[0], place[1], place[2]}), 2e-5)
                << joint << ", sample " << sample;
            ++compared;
        }
        EXPECT_EQ(compared, 28);
    }
    // Baked elsewhere, with another prefix.
    const Scene climbed = clip("climbing/climb_1"),
                source = read_scene(folder_ / "motions/climbing/climb_1.glb").value().scene;
    const Pose a = pose_at(climbed, climbed.timelines[0], 1.0),
               b = pose_at(source, source.timelines[0], 1.0);
    for (std::size_t n = 0; n < source.nodes.size(); ++n) {
        const int node = find_node(climbed, source.nodes[n].name.substr(6));
        ASSERT_NE(node, kNone) << source.nodes[n].name;
        EXPECT_LT(test::difference(a.worlds[static_cast<std::size_t>(node)], b.worlds[n]), 1e-6);
    }
}

TEST_F(ManyTest, KeysOfControlsMoveTheRigAsInItsOwnFile) {
    ASSERT_EQ(pack().exit, 0);
    // The same keys on the figure's own timeline, packed as ever.
    Scene whole = orchard::tamsin_scene();
    const Scene keyed = read_scene(folder_ / "motions/sorting/sort_1.glb").value().scene;
    whole.timelines = keyed.timelines;
    for (Channel& c : whole.timelines[0].channels)
        c.node = find_node(whole, keyed.nodes[static_cast<std::size_t>(c.node)].name);
    const auto glb = write_glb(whole);
    test::write_text(folder_ / "whole.glb", {glb.begin(), glb.end()});
    std::string own = replaced(orchard::kTamsinRecipe, "tamsin.glb", "whole.glb");
    own = own.substr(0, own.find("[[clip]]")) +
          "[[timelines]]\n[output]\nfolder = \"own\"\npicture = false\n";
    test::write_text(folder_ / "own.toml", own);
    const ToolRun run = run_tool("pack " + (folder_ / "own.toml").string());
    ASSERT_EQ(run.exit, 0) << run.err;
    const Scene a = clip("sorting/sort_1"),
                b = read_scene(folder_ / "own/clips/sort_1.glb").value().scene;
    ASSERT_EQ(a.timelines[0].channels.size(), b.timelines[0].channels.size());
    for (std::size_t c = 0; c < a.timelines[0].channels.size(); ++c)
        EXPECT_TRUE(a.timelines[0].channels[c].curve.values ==
                    b.timelines[0].channels[c].curve.values.list())
            << c;
}

/// A figure of a hip, a thigh that hangs down from it, and a shin; its rest turned by `turn`.
Skeleton legs(const Quat& turn = {}) {
    const Quat back = conjugate(turn);
    return Skeleton::make({{"hips", -1, {{0, 1, 0}, turn, {1, 1, 1}}},
                           {"thigh", 0, {rotate(back, {0, -0.1, 0}), {}, {1, 1, 1}}},
                           {"shin", 1, {rotate(back, {0, -0.4, 0.1}), {}, {1, 1, 1}}}})
        .value();
}

Scene scene_of(const Skeleton& skeleton) {
    Scene scene;
    for (const Joint& joint : skeleton.joints()) {
        Node node;
        node.name = joint.name;
        node.parent = joint.parent;
        node.local = joint.rest;
        if (joint.parent < 0) scene.roots.push_back(static_cast<int>(scene.nodes.size()));
        scene.nodes.push_back(node);
    }
    return scene;
}

TEST(JointMapTest, AxesMayDifferAndBonesMayNot) {
    const Skeleton figure = legs();
    const Quat turn = from_axis_angle({0, 0, 1}, 0.7);
    const auto map = match_joints(figure, scene_of(legs(turn)), {}, "m");
    ASSERT_THAT(map, IsOk());
    EXPECT_EQ(map.value().turned, 3);
    EXPECT_NEAR(map.value().most_turned_rad, 0.7, 1e-9);
    for (const JointSource& source : map.value().sources)
        EXPECT_LT(angle_between(source.turn, conjugate(turn)), 1e-9);
    // As its bones lie in their parents, not as it rests: other rest pose, the same axes.
    Scene posed = scene_of(figure);
    posed.nodes[1].local.r = from_axis_angle({1, 0, 0}, 1.2);
    const auto other = match_joints(figure, posed, {}, "m");
    ASSERT_THAT(other, IsOk());
    EXPECT_EQ(other.value().posed, 1);
    EXPECT_NEAR(other.value().most_posed_rad, 1.2, 1e-9);
    EXPECT_EQ(other.value().turned, 0);
    EXPECT_LT(angle_between(other.value().sources[2].turn, {}), 1e-12);
    Scene longer = posed;
    longer.nodes[2].local.t = 1.1 * longer.nodes[2].local.t;
    EXPECT_THAT(match_joints(figure, longer, {}, "m"),
                FailsWith(Code::kSkeletonDiffers, "joint \"shin\""));
    EXPECT_THAT(match_joints(figure, longer, {}, "m"), FailsWith(Code::kSkeletonDiffers, "+10 %"));
    Scene rehung = scene_of(figure);
    rehung.nodes[2].parent = 0;
    EXPECT_THAT(match_joints(figure, rehung, {}, "m"),
                FailsWith(Code::kSkeletonDiffers, "hangs on \"hips\""));
    Scene inches = scene_of(figure);
    for (Node& n : inches.nodes) n.local.t = 2.54 * n.local.t;
    EXPECT_THAT(match_joints(figure, inches, {}, "m"),
                FailsWith(Code::kSkeletonDiffers, "unit = "));
    const auto wrong = match_joints(figure, inches, {}, "m");
    std::vector<std::string> order;
    for (const Finding& f : wrong.failures()) order.push_back(f.where.text());
    EXPECT_THAT(
        order, testing::ElementsAre("m, joint \"hips\"", "m, joint \"shin\"", "m, joint \"thigh\""))
        << "by what they are apart: 1.54 m, 0.64 m, 0.15 m";
    Scene strange = scene_of(figure);
    for (Node& n : strange.nodes) n.name = "x_" + n.name;
    EXPECT_THAT(match_joints(figure, strange, {}, "m"), FailsWith(Code::kNameUnknown, "x_hips"));
}

TEST(JointMapTest, MissingJointsRestHelpersFoldInAndSurplusIsSaid) {
    const Skeleton figure = legs();
    Scene motion = scene_of(figure);
    // A scaled, turned armature above, a helper between, no shin, and something else that moves.
    motion.nodes[2].name = "helper";
    motion.nodes[2].parent = 0;
    motion.nodes[2].local = {{0.3, 0, 0}, from_axis_angle({0, 1, 0}, 0.4), {1, 1, 1}};
    motion.nodes[1].parent = 2;
    motion.nodes[1].local = {rotate(from_axis_angle({0, 1, 0}, -0.4), Vec3{-0.3, -0.1, 0}),
                             from_axis_angle({0, 1, 0}, -0.4),
                             {1, 1, 1}};
    Node tail;
    tail.name = "tail";
    tail.parent = 0;
    motion.nodes.push_back(tail);
    Timeline timeline;
    for (const int node : {1, 3}) {
        Curve curve;
        curve.width = 4;
        curve.times = {0, 1};
        curve.values = {0, 0, 0, 1, 0, 0, 1, 0};
        timeline.channels.push_back({node, Path::kRotation, curve});
    }
    motion.timelines.push_back(timeline);
    const auto map = match_joints(figure, motion, {}, "m");
    ASSERT_THAT(map, IsOk());
    EXPECT_EQ(map.value().missing, std::vector<std::string>{"shin"});
    EXPECT_EQ(map.value().surplus, std::vector<std::string>{"tail"});
    EXPECT_EQ(map.value().sources[2].node, kNone);
    const Rig rig = Rig::bind(motion, 0, {}).value();
    const Take take = take_of(motion, rig.source(), figure, map.value().sources);
    JointTile locals = take.make_tile(), worlds = take.make_tile();
    const double half = 0.5;
    take.evaluate({&half, 1}, Take::Want::kLocals, locals);
    take.evaluate({&half, 1}, Take::Want::kWorlds, worlds);
    // The thigh turns by a quarter about Z on its way; the shin goes with it as it rests.
    const double* shin = worlds.world(2) + 9 * kTileFrames;
    const Vec3 wanted = Vec3{0, 0.9, 0} + rotate(from_axis_angle({0, 1, 0}, 0.4) *
                                                     from_axis_angle({0, 0, 1}, 1.5707963267948966),
                                                 Vec3{0, -0.4, 0.1});
    EXPECT_NEAR(shin[0], wanted.x, 1e-12);
    EXPECT_NEAR(shin[kTileFrames], wanted.y, 1e-12);
    EXPECT_NEAR(shin[2 * kTileFrames], wanted.z, 1e-12);
    EXPECT_NEAR(locals.local(2)[kTileFrames], -0.4, 1e-12);
    EXPECT_EQ(locals.shear(2), nullptr);
}

TEST(JointMapTest, JointsBelowOneThatRestsStandWhereTheirFileHasThem) {
    const Skeleton figure = legs();
    Scene motion;
    motion.nodes.resize(2);
    motion.nodes[0].name = "thigh";
    motion.nodes[0].local.t = {0, 0.9, 0};
    motion.nodes[1].name = "shin";
    motion.nodes[1].parent = 0;
    motion.nodes[1].local.t = {0, -0.4, 0.1};
    motion.roots = {0};
    motion.timelines.emplace_back();
    const auto map = match_joints(figure, motion, {}, "m");
    ASSERT_THAT(map, IsOk());
    EXPECT_EQ(map.value().missing, std::vector<std::string>{"hips"});
    const Rig rig = Rig::bind(motion, 0, {}).value();
    const Take take = take_of(motion, rig.source(), figure, map.value().sources);
    JointTile tile = take.make_tile();
    const double start = 0;
    take.evaluate({&start, 1}, Take::Want::kLocals, tile);
    EXPECT_NEAR(tile.local(0)[kTileFrames], 1, 1e-12) << "the hips rest";
    EXPECT_NEAR(tile.local(1)[kTileFrames], -0.1, 1e-12) << "against hips that rest";
    EXPECT_NEAR(tile.local(2)[kTileFrames], -0.4, 1e-12);
    // Hips that are shifted and turned, no thigh: it goes with them, and the shin hangs on it.
    Scene hips;
    hips.nodes.resize(2);
    hips.nodes[0].name = "hips";
    hips.nodes[0].local = {{0, 1, 0}, {}, {1, 1, 1}};
    hips.nodes[1].name = "shin";
    hips.nodes[1].parent = 0;
    hips.nodes[1].local.t = {0, -0.5, 0.1};
    hips.roots = {0};
    const JointSources sources = match_joints(figure, hips, {}, "m").value().sources;
    hips.nodes[0].local = {{3, 1, 2}, from_axis_angle({0, 1, 0}, 1.1), {1, 1, 1}};
    hips.timelines.emplace_back();
    const Rig still = Rig::bind(hips, 0, {}).value();
    const Take moved = take_of(hips, still.source(), figure, sources);
    JointTile there = moved.make_tile();
    moved.evaluate({&start, 1}, Take::Want::kLocals, there);
    for (const auto& [row, value] : {std::pair{0, 0.0}, {1, -0.4}, {2, 0.1}})
        EXPECT_NEAR(there.local(2)[row * kTileFrames], value, 1e-12) << row;
}

TEST(JointMapTest, NamesAreRenamedByTableAndByRule) {
    const std::vector<Rename> renames{{"LeftUpLeg", "thigh.L"}, {"mixed_*_end", "*_tip"}};
    EXPECT_EQ(renamed("a:LeftUpLeg", "a:", renames), "thigh.L");
    EXPECT_EQ(renamed("mixed_toe_end", "", renames), "toe_tip");
    EXPECT_EQ(renamed("mixed__end", "", renames), "mixed__end") << "the star stands for something";
    EXPECT_EQ(renamed("spine", "a:", renames), "spine");
    EXPECT_EQ(renamed("a:", "a:", renames), "a:") << "a name that is the prefix alone stays";
}

// ------------------------------------------------------------------------------- again and again

TEST_F(ManyTest, OnlyWhatIsStaleIsPackedAgain) {
    ASSERT_EQ(pack().exit, 0);
    const auto first = files_of_crate();
    const auto untouched = fs::last_write_time(crate() / "crate.json");
    ToolRun run = pack("--replace --dry-run");
    EXPECT_THAT(run.out, HasSubstr("0 of 5 to be packed, 5 unchanged"));
    EXPECT_THAT(run.out, Not(HasSubstr("replaced")));
    run = pack("--replace");
    EXPECT_THAT(run.out, HasSubstr("0 of 5 packed, 5 unchanged"));
    EXPECT_EQ(fs::last_write_time(crate() / "crate.json"), untouched);
    EXPECT_FALSE(fs::exists(folder_ / "crates/shift.backup-1"));
    const auto told = [&](const ToolRun& r) { return r.out.substr(r.out.find("checked:")); };
    const std::string verdict = told(run);

    // One range: one clip. Everything else has its bytes.
    change("range = [0, 48]", "range = [0, 72]");
    run = pack("--replace --dry-run");
    EXPECT_THAT(run.out, HasSubstr("1 of 5 to be packed (rest), 4 unchanged"));
    EXPECT_THAT(run.out, HasSubstr("kept as "));
    EXPECT_EQ(files_of_crate(), first);
    run = pack("--replace");
    EXPECT_THAT(run.out, HasSubstr("1 of 5 packed, 4 unchanged"));
    const auto second = files_of_crate();
    for (const auto& [name, bytes] : second)
        if (name.starts_with("clips/")) {
            EXPECT_EQ(bytes == first.at(name), name != "clips/rest.glb") << name;
        }
    // A full run gives the same bytes, figures and words.
    ASSERT_EQ(pack("--replace --all").exit, 0);
    EXPECT_EQ(files_of_crate(), second);
    EXPECT_EQ(told(pack("--replace")), verdict);

    // Lines that move are no change of any clip; nor are checks, which judge anew.
    change("[target]", "# a word\n\n[checks]\nassumed = \"off\"\n\n[target]");
    run = pack("--replace");
    EXPECT_THAT(run.out, HasSubstr("0 of 5 packed, 5 unchanged"));
    EXPECT_THAT(run.out, Not(HasSubstr("another pose")));
    const auto third = files_of_crate();
    ASSERT_EQ(pack("--replace --all").exit, 0);
    EXPECT_EQ(files_of_crate(), third);
}

TEST_F(ManyTest, EveryInputThatChangesMakesItsClipsStale) {
    ASSERT_EQ(pack().exit, 0);
    // A dry run tells the same before.
    const auto packed = [&](const std::string& words) {
        const ToolRun plan = pack("--replace --dry-run"), run = pack("--replace");
        EXPECT_THAT(run.out, HasSubstr(words)) << run.err;
        EXPECT_THAT(plan.out, HasSubstr(words.substr(0, words.find(" packed")) + " to be packed"));
    };
    const auto packs_all = [&] {
        EXPECT_THAT(pack("--replace --dry-run").out, Not(HasSubstr("unchanged")));
        const ToolRun run = pack("--replace");
        EXPECT_THAT(run.out, HasSubstr("PASSED: 5 clips"));
        EXPECT_THAT(run.out, Not(HasSubstr("unchanged")));
    };
    // A motion file: its own clip. So does a damaged file of the crate.
    const fs::path climb = folder_ / "motions/climbing/climb_1.glb";
    for (const orchard::File& f : shift())
        if (f.name.ends_with("climb_2.glb"))
            test::write_text(climb, {f.bytes.begin(), f.bytes.end()});
    packed("1 of 5 packed, 4 unchanged");
    test::write_text(crate() / "clips/rest.glb", "gone");
    packed("1 of 5 packed, 4 unchanged");
    EXPECT_NE(read_text(crate() / "clips/rest.glb"), "gone");
    for (const char* file : {"report.txt", "report.json", "recipe.toml"}) {
        fs::remove(crate() / file);
        packed("0 of 5 packed, 5 unchanged");
        EXPECT_TRUE(fs::exists(crate() / file)) << file;
    }
    // A key of one source, a layer over one clip.
    change("up = \"+Y\"\nfront = \"+Z\"\n", "up = \"+Y\"\nfront = \"+Z\"\nkeyed = \"joints\"\n");
    packed("1 of 5 packed, 4 unchanged");
    change("[travel]",
           "[[layer]]\nkind = \"offset\"\nclips = [\"rest\"]\nnodes = [\"head\"]\n"
           "axis = \"+X\"\ndegrees = 5\n\n[travel]");
    packed("1 of 5 packed, 4 unchanged");
    // The rig sheet moves all that goes through it, and may move what is bound to its joints.
    test::write_text(folder_ / "tamsin.rig.toml", read_text(folder_ / "tamsin.rig.toml") + "\n");
    packs_all();
    change("rate = 30", "rate = 60");
    packs_all();
    // A file more, a file less.
    for (const orchard::File& f : shift())
        if (f.name.ends_with("sort_2.glb"))
            test::write_text(folder_ / f.name, {f.bytes.begin(), f.bytes.end()});
    packed("1 of 6 packed, 5 unchanged");
    fs::remove(folder_ / "motions/sorting/sort_2.glb");
    packed("0 of 5 packed, 5 unchanged");
    EXPECT_FALSE(fs::exists(crate() / "clips/sorting/sort_2.glb"));
}

// --------------------------------------------------------------------------------------- mistakes

TEST_F(ManyTest, ABadFileStopsAllOrIsLeftOut) {
    fs::rename(folder_ / "broken/carry_7.bvh", folder_ / "motions/carrying/carry_7.bvh");
    ToolRun run = pack();
    EXPECT_EQ(run.exit, 3);
    EXPECT_THAT(run.err, HasSubstr("stop[bvh-broken] "));
    EXPECT_THAT(run.err, HasSubstr("motions/carrying/carry_7.bvh"));
    EXPECT_FALSE(fs::exists(crate()));
    run = pack("--keep-going");
    EXPECT_EQ(run.exit, 1);
    EXPECT_EQ(manifest()["clips"].size(), 5U);
    EXPECT_THAT(run.err, HasSubstr("packed without what is bad: 1 left out"));
    EXPECT_EQ(pack("--replace").exit, 3) << "for once alone";
    fs::remove_all(crate());
    change("picture = false", "picture = false\non_error = \"skip\"");
    run = pack("--dry-run");
    EXPECT_THAT(run.out, HasSubstr("5 motion files, 5 clips"));
    EXPECT_THAT(run.out, HasSubstr("left out: motions/carrying/carry_7.bvh: "));
    EXPECT_FALSE(fs::exists(crate()));
    run = pack();
    EXPECT_EQ(run.exit, 1);
    EXPECT_THAT(run.out, HasSubstr("INCOMPLETE: 5 clips"));
    EXPECT_THAT(run.err, HasSubstr("packed without what is bad: 1 left out"));
    EXPECT_EQ(manifest()["clips"].size(), 5U);
    EXPECT_EQ(manifest()["skipped"][0]["file"], "motions/carrying/carry_7.bvh");
    EXPECT_EQ(manifest()["skipped"][0]["findings"][0]["code"], "bvh-broken");
    std::string again;
    Manifest::open(crate(), Parts::kRefused).value().encode([&](auto text) { again += text; });
    EXPECT_EQ(again, read_text(crate() / "crate.json")) << "with what was left out";
    EXPECT_THAT(read_text(crate() / "report.txt").substr(0, 200), HasSubstr("left out: motions"));
    EXPECT_EQ(pack("--replace").exit, 1) << "what is bad stays bad";
    // So does a clip of a file that others are made of.
    fs::remove(folder_ / "motions/carrying/carry_7.bvh");
    change(
        "[[clip]]\n",
        "[[clips]]\nsource = \"captures\"\nname = \"long_{file}\"\nrange = [1, 900]\n[[clip]]\n");
    for (int k = 0; k < 2; ++k) EXPECT_EQ(pack("--replace").exit, 1) << k;
}

TEST_F(ManyTest, MistakesAreNamedAndNothingIsWritten) {
    const std::string whole = recipe_;
    const auto says = [&](const std::string& from, const std::string& to,
                          std::initializer_list<const char*> words) {
        recipe_ = whole;
        change(from, to);
        const ToolRun run = pack();
        EXPECT_EQ(run.exit, 3) << to;
        for (const char* word : words) EXPECT_THAT(run.err, HasSubstr(word)) << to;
        EXPECT_FALSE(fs::exists(crate())) << to;
    };
    says("motions/climbing/*.glb", "motions/climbing/*.bvh",
         {"file-missing", "no file fits \"motions/climbing/*.bvh\""});
    says("file = \"motions/wheeling/*\"", "file = \"\"",
         {"value-bad", "source \"wheeling\", file"});
    says("source = \"climbing\"", "source = \"climbin\"", {"name-unknown", "climbing"});
    says("name = \"{folder}/{file}\"", "name = \"{folders}/{file}\"",
         {"\"{folders}\"", "{folder}"});
    for (const char* name : {"../{file}", "/{file}", "a//{file}", ".{file}", "{file}/"})
        says("name = \"{folder}/{file}\"", fmt::format("name = \"{}\"", name),
             {"value-bad", "which makes folders"});
    says("name = \"{folder}/{file}\"\nrange", "name = \"rest\"\nrange",
         {"name-clash", "a second clip \"rest\"", "carry_1.bvh"});
    says("unit = \"centimetre\"\nup = \"+Y\"", "unit = \"metre\"\nup = \"+Y\"",
         {"skeleton-differs", "carry_1.bvh", "+9900 %", "unit = "});
    says("\"mixed_*\" = \"*\"", "\"mixed_*\" = \"hips\"", {"value-bad", "one * on both sides"});
    says("\"mixed_*\" = \"*\"", "\"mixed_*\" = \"x*\"", {"name-unknown", "[rename]"});
    says("range = [1, -1]", "range = [1, -1.5]", {"value-bad", "whole frame numbers"});
    says("range = [1, -1]", "range = [1, 900]", {"range-outside", "carry_1.bvh"});
    says("[figure]", "[figures]", {"key-unknown", "figure"});
    says("name = \"climbing\"", "name = \"wheeling\"", {"name-clash", "a second source"});
    says("[[clips]]\nsource = \"wheeling\"\nname = \"{folder}/{file}\"",
         "[[clips]]\nsource = \"wheeling\"\nmatch = \"no*\"", {"name-unknown", "fits \"no*\""});
}

TEST_F(ManyTest, TheSameContentAndUnusedSourcesAreSaid) {
    fs::copy_file(folder_ / "motions/climbing/climb_1.glb", folder_ / "motions/climbing/again.glb");
    change("[[clips]]\nsource = \"wheeling\"\nname = \"{folder}/{file}\"\ntravel = [\"ground\"]\n",
           "");
    const ToolRun run = pack();
    EXPECT_EQ(run.exit, 0) << run.err;
    EXPECT_THAT(run.out, HasSubstr("warning[same-content] motions/climbing/climb_1.glb"));
    EXPECT_THAT(run.out, HasSubstr("the same bytes as motions/climbing/again.glb"));
    EXPECT_THAT(run.out, HasSubstr("no clip is made of source \"wheeling\""));
    // Folders from the pattern's first * on.
    change("motions/climbing/*.glb", "motions/**/climb_1.glb");
    change("name = \"{folder}/{file}\"\ntravel = [\"height\"]",
           "name = \"{path}/{file}\"\ntravel = [\"height\"]");
    EXPECT_EQ(pack("--replace").exit, 0);
    EXPECT_TRUE(fs::exists(crate() / "clips/climbing/climb_1.glb"));
}

TEST_F(ManyTest, RecipesShareTables) {
    ASSERT_EQ(pack().exit, 0);
    const auto first = files_of_crate();
    // The figure and target in a file, the sources in another that it uses.
    const auto figure = recipe_.find("[figure]"), sources = recipe_.find("[[source]]"),
               rest = recipe_.find("[target]");
    test::write_text(folder_ / "common.toml",
                     "use = \"sources.toml\"\n" + recipe_.substr(figure, sources - figure) +
                         "[target]\nrate = 24\nconvention = \"y-up-metre\"\n");
    test::write_text(folder_ / "sources.toml", recipe_.substr(sources, rest - sources));
    const std::string whole = recipe_;
    recipe_ = "use = \"common.toml\"\n" +
              replaced(whole.substr(rest), "convention = \"y-up-metre\"\n", "");
    test::write_text(folder_ / "shift.recipe.toml", recipe_);
    const ToolRun run = pack("--replace");
    EXPECT_THAT(run.out, HasSubstr("0 of 5 packed, 5 unchanged")) << run.err;
    const auto second = files_of_crate();
    for (const auto& [name, bytes] : first)
        if (name.starts_with("clips/")) {
            EXPECT_EQ(bytes, second.at(name)) << name;
        }
    const ToolRun told = run_tool("describe " + (folder_ / "shift.recipe.toml").string());
    for (const char* words : {"tamsin.rig.toml", "motions/carrying/*.bvh", "rate = 30"})
        EXPECT_THAT(told.out, HasSubstr(words));
    EXPECT_EQ(second.at("recipe.toml"), told.out);
    // Places are told in the file they are in; circles are none.
    test::write_text(folder_ / "sources.toml", "[tarrget]\n");
    EXPECT_THAT(pack("--replace").err, HasSubstr("sources.toml:1"));
    test::write_text(folder_ / "sources.toml", "use = \"common.toml\"\n");
    EXPECT_THAT(pack("--replace").err, HasSubstr("files that use each other: shift.recipe.toml, "
                                                 "common.toml, sources.toml, common.toml"));
    test::write_text(folder_ / "sources.toml", "use = 3\n");
    EXPECT_THAT(pack("--replace").err, HasSubstr("sources.toml:1, use"));
    fs::remove(folder_ / "sources.toml");
    EXPECT_THAT(pack("--replace").err, HasSubstr("stop[file-missing]"));
    EXPECT_EQ(files_of_crate(), second);
}

TEST_F(ManyTest, CratesAreComparedClipByClip) {
    ASSERT_EQ(pack().exit, 0);
    const std::string now = crate().string(), then = (folder_ / "crates/shift.backup-1").string();
    EXPECT_EQ(run_tool("compare " + now + " " + now).exit, 0);
    change("range = [0, 48]", "range = [0, 72]");
    change("name = \"{folder}/{file}\"\ntravel = [\"height\"]", "name = \"up\"");
    ASSERT_EQ(pack("--replace").exit, 0);
    ToolRun run = run_tool("compare " + then + " " + now);
    EXPECT_EQ(run.exit, 1);
    for (const char* words : {"climbing/climb_1  gone", "up                added",
                              "rest              changed", "2.0000 s, then 3.0000 s",
                              "period: 90, not 60", "1 changed, 1 added, 1 gone, 3 unchanged"})
        EXPECT_THAT(run.out, HasSubstr(words));
    run = run_tool("compare --json " + then + " " + now);
    const json told = json::parse(run.out);
    EXPECT_EQ(told["same"], false);
    EXPECT_EQ(told["clips"][0]["change"], "changed");
    EXPECT_GT(told["clips"][0]["joint_position_mm"]["worst"], 1);
    EXPECT_EQ(told["clips"].size(), 6U);
}

TEST_F(ManyTest, PatternsWorkFromWhereOneIs) {
    fs::create_directories(folder_ / "flat");
    for (const char* name : {"tamsin.glb", "tamsin.rig.toml", "motions/wheeling/wheel_1.glb"})
        fs::copy_file(folder_ / name, folder_ / "flat" / fs::path(name).filename());
    change("file = \"motions/wheeling/*\"", "file = \"wh*.glb\"");
    change("file = \"motions/sorting/*.glb\"", "file = \"wheel_1.glb\"");
    change("file = \"motions/carrying/*.bvh\"", "file = \"wheel_?.glb\"");
    change("file = \"motions/climbing/*.glb\"", "file = \"**/wheel_1.glb\"");
    // It is none of the figure's numbers, nor a capture.
    change("unit = \"centimetre\"\nup = \"+Z\"\nfront = \"-Y\"\nrate = 24\n\n# Cap", "\n# Cap");
    change("unit = \"centimetre\"\nup = \"+Y\"\nfront = \"+Z\"\n\n# Baked", "\n# Baked");
    recipe_ = recipe_.substr(0, recipe_.find("[[clips]]")) +
              "[[clips]]\nsource = \"wheeling\"\n[output]\nfolder = \"out\"\npicture = false\n";
    test::write_text(folder_ / "flat/flat.toml", recipe_);
    const ToolRun run = run_tool("pack 'fl*.toml'", "cd " + (folder_ / "flat").string() + " && ");
    EXPECT_EQ(run.exit, 0) << run.err;
    EXPECT_TRUE(fs::exists(folder_ / "flat/out/clips/wheel_1.glb"));
}

TEST_F(ManyTest, SeveralRecipesAreSeveralJobs) {
    fs::remove(folder_ / "round.recipe.toml");
    fs::remove(folder_ / "before.recipe.toml");
    fs::remove(folder_ / "yard.recipe.toml");
    test::write_text(folder_ / "bad.recipe.toml", "[source]\n");
    const std::string all = "'" + (folder_ / "*.recipe.toml").string() + "'";
    ToolRun run = run_tool("pack " + all);
    EXPECT_EQ(run.exit, 3);
    EXPECT_THAT(run.out, HasSubstr("job 1 of 3: "));
    EXPECT_THAT(run.out, HasSubstr("failed    " + (folder_ / "bad.recipe.toml").string()));
    EXPECT_THAT(run.out, HasSubstr("done      " + (folder_ / "shift.recipe.toml").string()));
    run = run_tool("pack --json --replace " + all);
    const json told = json::parse(run.out);
    ASSERT_EQ(told["jobs"].size(), 3U);
    EXPECT_EQ(told["exit"], 3);
    EXPECT_EQ(told["jobs"][0]["findings"][0]["code"], "key-missing");
    EXPECT_EQ(told["jobs"][1]["clips"].size(), 5U);
    run = run_tool("pack '" + (folder_ / "none*.toml").string() + "'");
    EXPECT_EQ(run.exit, 3);
    EXPECT_THAT(run.err, HasSubstr("no file fits the pattern"));
}

}  // namespace
}  // namespace mellow::motion_files_test
