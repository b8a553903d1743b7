// Targets: joint lists, layouts, formats, names and morph targets, against plain readers and plain
// 4x4 arithmetic.
#include <fmt/format.h>

#include <array>
#include <cmath>
#include <nlohmann/json.hpp>
#include <set>
#include <sstream>

#include "mellow/check.h"
#include "mellow/crate.h"
#include "mellow/joint_fit.h"
#include "mellow/target.h"
#include "mellow/write.h"
#include "packing.h"
#include "plain_bvh.h"
#include "plain_gltf.h"
#include "rigs.h"

namespace mellow::target_test {
namespace {

using nlohmann::json;

using namespace test;

using test::read_text;

using namespace testing;

namespace fs = std::filesystem;

// ------------------------------------------------------------------------------------- joint lists

double apart(const test::PlainMatrix& a, const test::PlainMatrix& b) {
    double worst = 0;
    for (std::size_t r = 0; r < 4; ++r)
        for (std::size_t c = 0; c < 4; ++c) worst = std::max(worst, std::abs(a[r][c] - b[r][c]));
    return worst;
}

// ----------------------------------------------------------------------------- layouts and formats

/// Tamsin's recipe with other targets and no picture, in a folder of its own.
class TargetTest : public testing::Test {
  protected:
    void SetUp() override {
        test::write_files(folder_.path(), test::tamsin());
        recipe_ = read_text(folder_ / "tamsin.recipe.toml");
    }
    /// The recipe with this in place of its [target].
    std::string with(const std::string& target) const {
        const auto from = recipe_.find("[target]"), to = recipe_.find("[travel]");
        return recipe_.substr(0, from) + target + "\n" + recipe_.substr(to);
    }
    Result<std::vector<PackReport>> pack(const std::string& target, bool replace = false) {
        MELLOW_TRY(const Recipe parsed,
                   parse_recipe(with(target), "tamsin.recipe.toml", folder_.path()));
        PackOptions options;
        options.replace = replace;
        auto reports = pack_all(parsed, options);
        if (!reports) return reports;
        for (const PackReport& report : reports.value()) {
            EXPECT_TRUE(report.proven) << report.target.name;
            for (const Finding& f : report.findings)
                if (f.severity == Severity::kStop) {
                    ADD_FAILURE() << to_text(f);
                }
        }
        return reports;
    }
    std::string file(const std::string& name) const {
        return read_text(folder_ / "crates/tamsin" / name);
    }
    json manifest(const std::string& target) const {
        return json::parse(file(target + "/crate.json"));
    }

    TempFolder folder_;
    std::string recipe_;
};

/// Inside to a left-handed target with +Z up and +X front in centimetres, by hand: ahead is x, up
/// is z, and left, where inside has +X, is -y.
std::array<double, 3> z_up_left(const test::PlainMatrix& m) {
    return {100 * m[2][3], -100 * m[0][3], 100 * m[1][3]};
}

TEST_F(TargetTest, AllLayoutsAndFormatsHoldTheSameMotion) {
    write_text(folder_ / "left.target.toml",
               "up = \"+Z\"\nfront = \"+X\"\nhand = \"left\"\nunit = \"cm\"\nclip_name = "
               "\"anim/{group}_{clip}_{id:04}\"\nids = [7, 9]\n[rename]\n\"hips\" = "
               "\"pelvis\"\n\"*.L\" = \"*_left\"\n");
    const auto reports = pack(R"(
[[target]]
convention = "y-up-metre"
[[target]]
file = "left.target.toml"
[[target]]
name = "library"
layout = "skin-and-library"
first_frame = 1
first_pose = "rest"
[[target]]
name = "one"
layout = "one-file"
[[target]]
name = "whole"
layout = "clips-with-skin"
format = "glb"
loop_form = "open"
[[target]]
name = "table"
format = "csv"
first_frame = 1
[[target]]
name = "bvh"
format = "bvh"
first_frame = 1
first_pose = "rest"
[[target.morphs]]
do = "drop"
[[target]]
name = "dae"
format = "dae"
first_frame = 1
[[target.morphs]]
do = "bake"
)");
    ASSERT_THAT(reports, IsOk());
    ASSERT_THAT(reports.value(), SizeIs(8));
    const std::string plain = file("y-up-metre/clips/walk.glb");
    const auto times = plain_gltf_times(plain, "walk");
    ASSERT_EQ(times.size(), 31U);
    const std::string left = file("left/anim/none_walk_0008.glb"),
                      library = file("library/tamsin_clips.glb"), one = file("one/tamsin.glb"),
                      whole = file("whole/clips/walk.glb"), bvh = file("bvh/clips/walk.bvh");
    EXPECT_THAT(plain_gltf_times(library, "walk"), SizeIs(32));
    EXPECT_NEAR(plain_gltf_times(library, "walk")[0], 1 / 30.0, 1e-7);
    EXPECT_THAT(plain_gltf_times(whole, "walk"), SizeIs(30)) << "the closing sample is dropped";
    const auto rest = plain_gltf_worlds(file("y-up-metre/tamsin.glb"), "", 0);
    const auto first = plain_gltf_worlds(library, "walk", 0);
    for (const int k : {0, 11, 29}) {
        const auto want = plain_gltf_worlds(plain, "walk", k);
        const auto l = plain_gltf_worlds(left, "walk", k),
                   b = plain_gltf_worlds(library, "walk", k + 1),
                   o = plain_gltf_worlds(one, "walk", k), w = plain_gltf_worlds(whole, "walk", k);
        const auto places = test::plain_bvh_places(bvh, k + 1, true);
        for (const auto& [name, node] : want) {
            std::string renamed = name == "hips" ? "pelvis" : name;
            if (name.ends_with(".L")) renamed = name.substr(0, name.size() - 2) + "_left";
            ASSERT_TRUE(l.contains(renamed)) << renamed;
            const auto there = z_up_left(node.world);
            for (std::size_t c = 0; c < 3; ++c) {
                EXPECT_NEAR(l.at(renamed).world[c][3], there[c], 2e-4) << renamed;
                EXPECT_NEAR(places.at(name)[c], node.world[c][3], 2e-6) << name;
            }
            EXPECT_LT(apart(b.at(name).world, node.world), 1e-12) << name;
            EXPECT_LT(apart(o.at(name).world, node.world), 1e-12) << name;
            EXPECT_LT(apart(w.at(name).world, node.world), 1e-12) << name;
            EXPECT_LT(apart(first.at(name).world, rest.at(name).world), 1e-6) << name;
        }
    }
    // The table: hips at sample 11, seconds counted from frame 1.
    std::istringstream table(file("table/clips/walk.csv"));
    std::string header, row;
    std::getline(table, header);
    for (int k = 0; k <= 11; ++k) std::getline(table, row);
    std::vector<std::string> columns, values;
    for (std::istringstream h(header), r(row); std::getline(h, columns.emplace_back(), ',');)
        std::getline(r, values.emplace_back(), ',');
    columns.pop_back();
    const auto cell = [&](const std::string& column) {
        const auto at = std::find(columns.begin(), columns.end(), column);
        EXPECT_NE(at, columns.end()) << column;
        return at == columns.end()
                   ? 0.0
                   : std::stod(values[static_cast<std::size_t>(at - columns.begin())]);
    };
    EXPECT_NEAR(cell("seconds"), 12 / 30.0, 1e-12);
    const auto at_11 = plain_gltf_worlds(plain, "walk", 11);
    EXPECT_NEAR(cell("root.tz"), at_11.at("root").world[2][3], 1e-6);
    EXPECT_NEAR(cell("hips.ty"), at_11.at("hips").world[1][3], 1e-5);
    // The crate opens by its own facts, whatever the layout.
    for (const PackReport& report : reports.value()) {
        const auto crate = open_crate(report.folder);
        ASSERT_THAT(crate, IsOk());
        EXPECT_THAT(crate.value().clips, SizeIs(3)) << report.folder;
        EXPECT_EQ(crate.value().clips[1].name, "walk");
        EXPECT_NEAR(crate.value().clips[1].travel.step.z, 1.0, 0.02) << report.folder;
    }
    EXPECT_NEAR(manifest("left")["clips"][1]["travel"]["step"][0].get<double>(), 100, 2) << "ahead";
    // Once more: nothing is stale.
    PackOptions replace;
    replace.replace = true;
    const std::string two =
        "[[target]]\nconvention = \"y-up-metre\"\n[[target]]\nfile = \"left.target.toml\"\n";
    const auto parsed = parse_recipe(with(two), "tamsin.recipe.toml", folder_.path());
    const auto again = pack_all(parsed.value(), replace);
    ASSERT_THAT(again, IsOk());
    for (const PackReport& report : again.value())
        EXPECT_EQ(report.reused, 3U) << report.target.name;
}

TEST_F(TargetTest, ASecondTargetIsMeasuredByTheFirst) {
    const std::string left = "convention = \"z-up-centimetre-left\"\n";
    const std::string names = "[target.rename]\nhips = \"pelvis\"\n\"*.L\" = \"*_left\"\n";
    const auto both =
        pack("[[target]]\n[[target]]\nname = \"left\"\n" + left + "[[target.rename]]\n");
    EXPECT_THAT(both, FailsWith(Code::kValueBad, "rename")) << "a table, not a list";
    const auto two = pack("[[target]]\n[[target]]\nname = \"left\"\n" + left + names);
    ASSERT_THAT(two, IsOk());
    fs::rename(folder_ / "crates/tamsin", folder_ / "two");
    const auto alone = pack("[target]\nname = \"left\"\n" + left + names);
    ASSERT_THAT(alone, IsOk());
    // What is found by way of the first is no less than what is measured against the rig itself,
    // and the files are the same.
    for (std::size_t c = 0; c < 3; ++c) {
        const PackedClip &by_way = two.value()[1].clips[c], &itself = alone.value()[0].clips[c];
        EXPECT_EQ(by_way.file.hash, itself.file.hash);
        const ClipProof &a = by_way.proof, &b = itself.proof;
        for (const auto& [more, less] :
             {std::pair(a.position_mm, b.position_mm),
              std::pair(a.rotation_degrees, b.rotation_degrees),
              std::pair(a.vertex_mm, b.vertex_mm), std::pair(a.weight, b.weight)}) {
            EXPECT_GE(more.worst, less.worst) << itself.clip.name;
            EXPECT_LT(more.worst, 5 * less.worst + 1e-4) << itself.clip.name;
            EXPECT_EQ(more.count, less.count) << itself.clip.name;
        }
    }
    // Where only that is too much, it is measured against the rig itself.
    const auto worst_mm = [](const PackReport& report) {
        double most = 0;
        for (const PackedClip& c : report.clips)
            most = std::max({most, c.proof.position_mm.worst, c.proof.vertex_mm.worst});
        return most;
    };
    const double by_way = worst_mm(two.value()[1]),
                 itself = std::max(worst_mm(two.value()[0]), worst_mm(alone.value()[0]));
    ASSERT_LT(itself, by_way);
    Recipe tight = parse_recipe(with("[[target]]\n[[target]]\nname = \"left\"\n" + left + names),
                                "tamsin.recipe.toml", folder_.path())
                       .value();
    tight.tolerance.mm = 0.5 * (itself + by_way);
    fs::remove_all(folder_ / "crates/tamsin");
    const auto measured = pack_all(tight);
    ASSERT_THAT(measured, IsOk());
    EXPECT_TRUE(measured.value()[1].proven);
    // A joint that is a millimetre, or a degree, off in the second is found with all of it.
    const Crate first = open_crate(folder_ / "two/y-up-metre").value(),
                second = open_crate(folder_ / "two/left").value();
    std::map<std::string, std::string> own{{"pelvis", "hips"}};
    for (const Node& node : second.skin.nodes)
        if (node.name.ends_with("_left"))
            own[node.name] = node.name.substr(0, node.name.size() - 5) + ".L";
    const ClipProof& proof = two.value()[0].clips[1].proof;
    const SamplePlan& plan = two.value()[0].clips[1].plan;
    const auto like = [&](const Scene& skin, const Scene& clip, const auto& joints) {
        const auto skins = LikeSkins::make(first.skin, skin, joints);
        return skins ? skins->prove(first.motions[1], proof, clip, plan)
                     : std::optional<ClipProof>();
    };
    const std::map<std::string, std::string> nothing;
    const auto off_by = [&](Path path, double by) {
        Scene moved = second.motions[1];
        for (Channel& c : moved.timelines[0].channels)
            if (moved.nodes[static_cast<std::size_t>(c.node)].name == "shin_left" &&
                c.path == path) {
                auto& v = c.curve.values.edit();
                const std::size_t k = 20;
                if (path == Path::kTranslation) v[3 * k] += by;
                if (path == Path::kRotation) {
                    const Quat q = Quat{v[4 * k], v[4 * k + 1], v[4 * k + 2], v[4 * k + 3]} *
                                   test::turn({1, 0, 0}, by);
                    v[4 * k] = q.x, v[4 * k + 1] = q.y, v[4 * k + 2] = q.z, v[4 * k + 3] = q.w;
                }
            }
        return like(second.skin, moved, own);
    };
    const auto same = off_by(Path::kTranslation, 0), far = off_by(Path::kTranslation, 1e-3),
               turned = off_by(Path::kRotation, 1);
    ASSERT_TRUE(same && far && turned);
    Scene grown = second.motions[1];
    for (const Channel& c : second.motions[1].timelines[0].channels)
        if (grown.nodes[static_cast<std::size_t>(c.node)].name == "toe_left" &&
            c.path == Path::kTranslation) {
            Channel scale = c;
            scale.path = Path::kScale;
            for (double& v : scale.curve.values.edit()) v = 1;
            scale.curve.values.edit()[3 * 20] = 1.01;
            grown.timelines[0].channels.push_back(scale);
        }
    const auto larger = like(second.skin, grown, own);
    ASSERT_TRUE(larger);
    EXPECT_NEAR(larger->scale.worst, 0.01 / 1.01, 1e-5);
    EXPECT_EQ(larger->scale.sample, 20);
    EXPECT_LT(same->scale.worst, 1e-5);
    EXPECT_TRUE(within(*same, {}).ok());
    EXPECT_NEAR(far->position_mm.worst, 1, 2e-3);
    EXPECT_EQ(far->position_mm.sample, 20);
    EXPECT_GE(far->vertex_mm.worst, 0.999);
    EXPECT_NEAR(turned->rotation_degrees.worst, 1, 1e-3);
    EXPECT_GT(turned->vertex_mm.worst, 1) << "a shin of 40 cm, a degree";
    EXPECT_FALSE(within(*far, {}).ok());
    // Files that are not like each other are nobody's to measure so.
    Scene heavier = second.skin;
    for (Mesh& mesh : heavier.meshes) mesh.primitives[0].influence_weights[0] *= 0.5F;
    EXPECT_FALSE(like(heavier, second.motions[1], own));
    Scene fewer = second.skin;
    fewer.meshes[0].primitives[0].positions.pop_back();
    EXPECT_FALSE(like(fewer, second.motions[1], own));
    EXPECT_FALSE(like(second.skin, second.motions[1], nothing)) << "other names";
    EXPECT_FALSE(like(second.skin, second.motions[2], own)) << "other samples";
    Scene otherwise = second.skin;
    auto& joints = otherwise.meshes[0].primitives[0].influence_joints;
    joints[0] = joints[0] == 1 ? 2 : 1;
    EXPECT_FALSE(like(otherwise, second.motions[1], own)) << "a vertex on another joint";
    // Morphs of the second that differ show in vertices and weights.
    Scene smiling = second.motions[1];
    for (MorphCurve& m : smiling.timelines[0].morphs) m.curve.values.edit()[40] += 0.5;
    const auto smiles = like(second.skin, smiling, own);
    ASSERT_TRUE(smiles);
    EXPECT_NEAR(smiles->weight.worst, 0.5, 1e-3);
    EXPECT_GT(smiles->vertex_mm.worst, 1);
}

TEST_F(TargetTest, ASecondTargetIsMeasuredAgainWhereTheFirstHasChanged) {
    const auto both = [&](const std::string& unit) {
        const auto reports =
            pack("[[target]]\nname = \"a\"\nunit = \"" + unit +
                     "\"\n[[target]]\nname = \"b\"\n[[target]]\nname = \"c\"\nrate "
                     "= 60\n",
                 fs::exists(folder_ / "crates/tamsin"));
        EXPECT_THAT(reports, IsOk());
        return std::array{reports.value()[0].reused, reports.value()[1].reused,
                          reports.value()[2].reused};
    };
    EXPECT_THAT(both("metre"), ElementsAre(0U, 0U, 0U));
    EXPECT_THAT(both("metre"), ElementsAre(3U, 3U, 3U));
    EXPECT_THAT(both("inch"), ElementsAre(0U, 0U, 3U)) << "the third has another rate";
}

TEST_F(TargetTest, TheNameOfTheRootGoesBeforePatterns) {
    ASSERT_THAT(pack("[target]\nroot = \"base\"\n[target.rename]\n\"*\" = \"o_*\"\n"), IsOk());
    const auto rest = plain_gltf_worlds(file("tamsin.glb"), "", 0);
    EXPECT_TRUE(rest.contains("base"));
    EXPECT_TRUE(rest.contains("o_hips"));
    EXPECT_FALSE(rest.contains("o_root"));
    // The manifest names joints of its crate, whatever it measures of them.
    const auto told = json::parse(file("crate.json"));
    const auto& motion = told["clips"][1]["motion"];
    for (const auto& foot : motion["feet"])
        EXPECT_TRUE(rest.contains(foot["joint"].get<std::string>())) << foot;
    EXPECT_EQ(motion["feet"].size(), 2U);
    EXPECT_TRUE(rest.contains(motion["pop"]["joint"].get<std::string>())) << motion;
}

TEST(RestShapeTest, MeshesTakeTheShapeOfTheirJoints) {
    // A bar along +X on two joints, a metre apart; at rest the second is turned by 90 degrees about
    // +Z, and bound straight. Its middle vertex hangs on both halves.
    Scene scene;
    scene.nodes.resize(3);
    scene.nodes[0].name = "a", scene.nodes[1].name = "b", scene.nodes[2].name = "bar";
    scene.nodes[1].parent = 0;
    scene.nodes[1].local = {{1, 0, 0}, test::turn({0, 0, 1}, 90), {1, 1, 1}};
    scene.nodes[2].mesh = scene.nodes[2].skin = 0;
    scene.roots = {0, 2};
    Affine back;
    back.o = {-1, 0, 0};
    scene.skins.push_back({"", {0, 1}, {Affine{}, back}, kNone, {}, {}});
    Primitive part;
    part.positions = {{0.5F, 0, 0}, {1, 0.2F, 0}, {1.5F, 0, 0}};
    part.normals = {{0, 1, 0}, {0, 1, 0}, {0, 1, 0}};
    part.influences_per_vertex = 4;
    part.influence_joints = {0, 0, 0, 0, 0, 1, 0, 0, 1, 0, 0, 0};
    part.influence_weights = {1, 0, 0, 0, 0.5F, 0.5F, 0, 0, 1, 0, 0, 0};
    part.targets.resize(1);
    part.targets[0].positions = {{0, 0, 0}, {0, 0, 0}, {0.1F, 0, 0}};
    scene.meshes.push_back({"", {part}, {"bump"}, {}, {}, {}});
    // The last vertex goes from (1.5, 0) to (1, 0.5): 0.707 m.
    const RestShape shape = shape_at_rest(scene);
    EXPECT_NEAR(shape.far_m, std::sqrt(0.5), 1e-7);
    EXPECT_EQ(shape.mesh, "bar");
    ASSERT_THAT(bind_at_rest(scene), IsOk());
    EXPECT_LT(shape_at_rest(scene).far_m, 1e-6) << "it is bound as it rests";
    const Primitive& posed = scene.meshes[0].primitives[0];
    // Half of (1, 0.2) and half of (1 - 0.2, 0).
    const double places[3][3] = {{0.5, 0, 0}, {0.9, 0.1, 0}, {1, 0.5, 0}};
    for (std::size_t v = 0; v < 3; ++v)
        for (std::size_t c = 0; c < 3; ++c)
            EXPECT_NEAR(static_cast<double>(posed.positions[v][c]), places[v][c], 1e-6) << v;
    EXPECT_NEAR(static_cast<double>(posed.normals[2][0]), -1, 1e-6);
    EXPECT_NEAR(static_cast<double>(posed.normals[1][0]), -std::sqrt(0.5), 1e-6);
    EXPECT_NEAR(static_cast<double>(posed.targets[0].positions[2][1]), 0.1, 1e-6);
    // The second joint's matrix was a turn and a place: its inverse takes (1, 0, 0) to the origin.
    EXPECT_NEAR(length(apply(scene.skins[0].inverse_binds[1], Vec3{1, 0, 0})), 0, 1e-12);
    scene.nodes[1].local.s = {0, 0, 0};
    EXPECT_THAT(bind_at_rest(scene), FailsWith(Code::kZeroScale, "b"));
}

TEST_F(TargetTest, AFrameIsTheRestPose) {
    const std::string frame = "rest = \"frame\"\nrest_frame = 48\n";
    const auto reports =
        pack("[[target]]\nconvention = \"y-up-metre\"\n[[target]]\nname = \"posed\"\n" + frame);
    ASSERT_THAT(reports, IsOk());
    const std::string usual = read_text(folder_ / "crates/tamsin/y-up-metre/tamsin.glb"),
                      posed = read_text(folder_ / "crates/tamsin/posed/tamsin.glb"),
                      stand = read_text(folder_ / "crates/tamsin/posed/clips/stand.glb");
    // Frame 48 at 24/s is sample 60 at 30/s of a clip from frame 0 on that does not travel.
    const auto wanted = plain_gltf_worlds(stand, "stand", 60),
               rest = plain_gltf_worlds(posed, "", 0), before = plain_gltf_worlds(usual, "", 0);
    double moved = 0;
    for (const auto& [name, node] : wanted) {
        EXPECT_LT(apart(rest.at(name).world, node.world), 2e-6) << name;
        moved = std::max(moved, apart(before.at(name).world, node.world));
    }
    EXPECT_GT(moved, 0.1) << "another pose than the source's";
    // Bind matrices, vertices and motion are what they were.
    for (const char* attribute : {"POSITION", "WEIGHTS_0"})
        EXPECT_EQ(test::plain_gltf_attribute(usual, "body", attribute),
                  test::plain_gltf_attribute(posed, "body", attribute));
    const auto was = plain_gltf_worlds(
        read_text(folder_ / "crates/tamsin/y-up-metre/clips/walk.glb"), "walk", 11);
    for (const auto& [name, node] :
         plain_gltf_worlds(read_text(folder_ / "crates/tamsin/posed/clips/walk.glb"), "walk", 11))
        EXPECT_EQ(apart(node.world, was.at(name).world), 0) << name;
    EXPECT_LT(reports.value()[1].clips[1].proof.vertex_mm.worst, 0.001);
    EXPECT_THAT(of_code(reports.value()[1], Code::kRestShape), SizeIs(1));
    EXPECT_THAT(of_code(reports.value()[0], Code::kRestShape), SizeIs(0));
    EXPECT_THAT(reports.value()[1].drives, SizeIs(0)) << "they count from another rest pose";

    // Which a target that wants them bound in it finds in the files; and another number of
    // vertices.
    Target wants = read_target(folder_ / "crates/tamsin/posed/target.toml").value();
    const auto unmet = [&] {
        std::vector<std::string> ids;
        const auto checked = check_crate(folder_ / "crates/tamsin/posed", wants);
        for (const Demand& d : checked.value().demands)
            if (!d.met) ids.push_back(d.id);
        return ids;
    };
    EXPECT_THAT(unmet(), SizeIs(0));
    wants.rest.posed = true;
    EXPECT_THAT(unmet(), ElementsAre("bound-at-rest"));
    wants.rest.posed = false;
    wants.vertices = 2083;
    EXPECT_THAT(unmet(), ElementsAre("vertices"));
    // A first sample in which one joint is turned, and nothing moved, is not at rest.
    wants.starts_at_rest = true;
    const auto stands_at_rest = [&] {
        const auto checked = check_crate(folder_ / "crates/tamsin/posed", wants);
        for (const Demand& d : checked.value().demands)
            if (d.id == "starts-at-rest" && d.file == "clips/stand.glb") return d.met;
        ADD_FAILURE() << "not looked at";
        return false;
    };
    EXPECT_TRUE(stands_at_rest());
    Scene turned = read_scene(folder_ / "crates/tamsin/posed/clips/stand.glb").value().scene;
    for (Channel& c : turned.timelines[0].channels) {
        if (turned.nodes[static_cast<std::size_t>(c.node)].name != "head") continue;
        if (c.path != Path::kRotation) continue;
        auto& v = c.curve.values.edit();
        const Quat first = Quat{v[0], v[1], v[2], v[3]} * from_axis_angle({1, 0, 0}, 0.02);
        v[0] = first.x, v[1] = first.y, v[2] = first.z, v[3] = first.w;
    }
    const auto bytes = write_glb(turned);
    write_text(folder_ / "crates/tamsin/posed/clips/stand.glb", {bytes.begin(), bytes.end()});
    EXPECT_FALSE(stands_at_rest());
    fs::remove_all(folder_ / "crates");
    // Bound in it, vertices between joints move otherwise, which is measured and refused.
    const Recipe bound = parse_recipe(with("[target]\n" + frame + "rest_skin = \"posed\"\n"),
                                      "tamsin.recipe.toml", folder_.path())
                             .value();
    PackOptions again;
    again.replace = true;
    const auto refused = mellow::pack(bound, again);
    ASSERT_THAT(refused, IsOk());
    EXPECT_FALSE(refused.value().proven);
    EXPECT_GT(refused.value().clips[2].proof.vertex_mm.worst, 1);
    EXPECT_LT(refused.value().clips[2].proof.position_mm.worst, 0.001);
    EXPECT_THAT(of_code(refused.value(), Code::kProofFailed)[0].remedy, HasSubstr("kept"));
    // And where every clip shall begin in it, one that does not is named.
    const auto elsewhere =
        mellow::pack(parse_recipe(with("[target]\n" + frame + "starts_at_rest = true\n"),
                                  "tamsin.recipe.toml", folder_.path())
                         .value(),
                     again);
    ASSERT_THAT(elsewhere, IsOk());
    EXPECT_FALSE(elsewhere.value().proven);
    std::vector<std::string> said;
    for (const Finding& f : of_code(elsewhere.value(), Code::kTargetUnmet))
        said.push_back(f.where.text());
    EXPECT_THAT(said, testing::Contains("clips/walk.glb, starts-at-rest"));
    EXPECT_THAT(said, testing::Not(testing::Contains("clips/stand.glb, starts-at-rest")))
        << "its frame 48 is its frame 0";
    EXPECT_EQ(elsewhere.value().unmet, said.size());
}

TEST_F(TargetTest, ARestPoseThatIsNoneIsRefused) {
    const auto fails = [&](const std::string& keys, Code code, const std::string& part) {
        EXPECT_THAT(pack("[target]\n" + keys), FailsWith(code, part)) << keys;
        EXPECT_FALSE(fs::exists(folder_ / "crates"));
    };
    fails("rest = \"frame\"\n", Code::kKeyMissing, "rest_frame");
    fails("rest_frame = 3\n", Code::kValueBad, "rest_frame");
    fails("rest = \"frame\"\nrest_frame = 900\n", Code::kValueBad, "0 to 240");
    fails("rest = \"frame\"\nrest_frame = 9\nrest_timeline = \"night\"\n", Code::kNameUnknown,
          "night");
    fails("rest = \"list\"\n", Code::kValueBad, "no place");
    fails("rest_skin = \"posed\"\n", Code::kValueBad, "another rest pose");
    fails("vertices = 2083\n", Code::kLimit, "2084 vertices");
}

TEST_F(TargetTest, APlanNamesEveryFileThatPackingWrites) {
    for (const std::string keys :
         {"format = \"gltf\"\nlayout = \"clips-with-skin\"\n",
          "format = \"gltf\"\nlayout = \"skin-and-library\"\n",
          "textures = \"beside\"\nlayout = \"one-file\"\n",
          "format = \"dae\"\ntextures = \"none\"\n",
          "format = \"dae\"\nskin_format = \"dae\"\nlayout = \"clips-with-skin\"\n"}) {
        fs::remove_all(folder_ / "crates");
        const std::string text =
            with("[target]\nname = \"planned\"\n" + keys + "[[target.morphs]]\ndo = \"drop\"\n");
        const auto plan =
            plan_pack(parse_recipe(text, "tamsin.recipe.toml", folder_.path()).value(), {});
        ASSERT_THAT(plan, IsOk());
        ASSERT_THAT(pack_text(folder_, text), IsOk()) << keys;
        std::set<fs::path> planned, written;
        for (const PlannedFile& file : plan.value().files) planned.insert(file.path);
        for (const auto& entry : fs::recursive_directory_iterator(folder_ / "crates"))
            if (entry.is_regular_file()) written.insert(entry.path());
        EXPECT_EQ(planned, written) << keys;
    }
}

TEST_F(TargetTest, CamerasAndSceneryStayBehindWhereTheyAreNotWanted) {
    test::write_files(folder_.path(), test::press());
    std::string recipe = read_text(folder_ / "press.recipe.toml");
    recipe = change(recipe, "[target]", "[joints]\nstatic_meshes = \"keep\"\n[target]");
    const auto pack_press = [&](const std::string& keys, const std::string& name) {
        const std::string text =
            change(change(recipe, "[target]\n", "[target]\n" + keys), "crates/press", name);
        const auto report = pack_text(folder_, text);
        EXPECT_THAT(report, IsOk());
        EXPECT_TRUE(report && report.value().proven) << keys;
        return report ? report.value() : PackReport{};
    };
    const PackReport with = pack_press("", "with"),
                     without = pack_press("cameras = \"leave-out\"\n", "without");
    const auto camera = std::find(with.joints.begin(), with.joints.end(), "yard_camera");
    ASSERT_NE(camera, with.joints.end());
    auto expected = with.joints;
    expected.erase(expected.begin() + (camera - with.joints.begin()));
    EXPECT_EQ(without.joints, expected);
    for (const auto& [folder, has] : {std::pair("with", true), std::pair("without", false)}) {
        const std::string clip = read_text(folder_ / folder / "clips/squeeze.glb");
        const auto names = plain_gltf_names(clip);
        EXPECT_EQ(std::count(names.begin(), names.end(), "yard_camera"), has ? 1 : 0);
        EXPECT_EQ(clip.find("yard_camera.fov") != clip.npos, has);
    }
    EXPECT_THAT(of_code(without, Code::kLeftOut)[0].found, HasSubstr("yard_camera"));
    // A lamp is left out, and said; or stops it all.
    Scene lit = read_scene(folder_ / "press.glb").value().scene;
    lit.extensions_used.push_back("KHR_lights_punctual");
    lit.extensions.emplace_back("KHR_lights_punctual", R"({"lights":[{"type":"point"}]})");
    lit.nodes[0].extensions = R"({"KHR_lights_punctual":{"light":0}})";
    const auto glb = write_glb(lit);
    const std::string before = read_text(folder_ / "press.glb");
    write_text(folder_ / "press.glb", {glb.begin(), glb.end()});
    bool said = false;
    for (const Finding& f : of_code(pack_press("", "lit"), Code::kLeftOut))
        said = said || f.found == "lights: " + lit.nodes[0].name;
    EXPECT_TRUE(said);
    EXPECT_THAT(pack_text(folder_, change(recipe, "[target]\n", "[target]\nlights = \"stop\"\n")),
                FailsWith(Code::kValueBad, "lights: " + lit.nodes[0].name));
    write_text(folder_ / "press.glb", before);
    // Everything else moves as it did.
    const auto was =
        plain_gltf_worlds(read_text(folder_ / "with/clips/squeeze.glb"), "squeeze", 40);
    for (const auto& [name, node] :
         plain_gltf_worlds(read_text(folder_ / "without/clips/squeeze.glb"), "squeeze", 40))
        EXPECT_EQ(apart(node.world, was.at(name).world), 0) << name;
}

TEST_F(TargetTest, MorphTargetsAreKeptBakedOrDropped) {
    // A rest weight, so that there is something to bake.
    Scene scene = orchard::tamsin_scene();
    const int body = find_node(scene, "orchard:body");
    scene.nodes[static_cast<std::size_t>(body)].morph_weights = {0.5, 0, 0, 0};
    const auto glb = write_glb(scene);
    write_text(folder_ / "tamsin.glb", {glb.begin(), glb.end()});
    const auto reports = pack(
        "[[target]]\nname = \"kept\"\n[[target]]\nname = \"baked\"\n[[target.morphs]]\nmatch = "
        "\"smile\"\ndo = \"bake\"\n[[target.morphs]]\nmatch = \"elbow*\"\ndo = "
        "\"keep\"\n[[target.morphs]]\nmatch = "
        "\"*\"\ndo = \"drop\"\n");
    ASSERT_THAT(reports, IsOk());
    EXPECT_THAT(reports.value()[1].morph_targets, ElementsAre("elbow.L", "elbow.R"));
    const Scene kept = read_scene(folder_ / "crates/tamsin/kept/tamsin.glb").value().scene;
    const auto before = test::plain_gltf_attribute(file("kept/tamsin.glb"), "body", "POSITION"),
               after = test::plain_gltf_attribute(file("baked/tamsin.glb"), "body", "POSITION");
    ASSERT_EQ(before.size(), after.size());
    const auto& delta = kept.meshes[0].primitives[0].targets[0].positions;
    double moved = 0;
    for (std::size_t i = 0; i < before.size(); ++i) {
        const double d = delta.empty() ? 0 : static_cast<double>(delta[i / 3][i % 3]);
        moved = std::max(moved, std::abs(d));
        EXPECT_NEAR(after[i], before[i] + 0.5 * d, 1e-6) << i;
    }
    EXPECT_GT(moved, 1e-3) << "the smile moves something";
    bool warned = false;
    for (const Finding& f : of_code(reports.value()[1], Code::kLeftOut))
        if (f.found.find("became part of their mesh: smile at 0.5; their mesh has keys") !=
            f.found.npos)
            warned = f.severity == Severity::kWarning;
    EXPECT_TRUE(warned);
    EXPECT_THAT(of_code(reports.value()[1], Code::kLeftOut), SizeIs(testing::Ge(2U)));
}

TEST_F(TargetTest, WhatMorphTargetsDoIsListed) {
    const auto reports = pack("[target]\n");
    ASSERT_THAT(reports, IsOk());
    const Crate crate = open_crate(folder_ / "crates/tamsin").value();
    const json clips = json::parse(file("crate.json"))["clips"];
    const auto& targets = crate.skin.meshes[0].primitives[0].targets;
    for (std::size_t c = 0; c < 3; ++c) {
        const MorphCurve& curve = crate.motions[c].timelines[0].morphs[0];
        for (std::size_t t = 0; t < 4; ++t) {
            double least = 1e9, most = -1e9, reach = 0;
            int first = -1;
            for (std::size_t k = 0; k * 4 < curve.curve.values.size(); ++k) {
                const double w = curve.curve.values[4 * k + t];
                least = std::min(least, w), most = std::max(most, w);
                if (first < 0 && w > 1e-6) first = static_cast<int>(k);
            }
            for (const Float3& d : targets[t].positions)
                reach = std::max(
                    reach, std::sqrt(static_cast<double>(d[0] * d[0] + d[1] * d[1] + d[2] * d[2])));
            const json a = clips[c]["morphs"][0]["activity"][t];
            EXPECT_NEAR(a["least"].get<double>(), least, 1e-6);
            EXPECT_NEAR(a["most"].get<double>(), most, 1e-6);
            EXPECT_EQ(a["first_sample"].get<int>(), first) << c << " " << t;
            EXPECT_NEAR(a["vertex_mm"].get<double>(), 1000 * reach * most, 1e-3);
        }
    }
    // Without the clip that smiles, the smile is idle.
    EXPECT_THAT(of_code(reports.value()[0], Code::kNeverMoves), testing::IsEmpty());
    const auto last = recipe_.rfind("[[clip]]"), end = recipe_.find("[output]");
    recipe_.erase(last, end - last);
    const auto fewer = pack("[target]\n", true);
    ASSERT_THAT(fewer, IsOk());
    EXPECT_THAT(of_code(fewer.value()[0], Code::kNeverMoves).at(0).found, HasSubstr("body/smile"));
}

TEST_F(TargetTest, NumbersStayWithTheirClips) {
    const std::string target = "[target]\nids = [10, 12]\nclip_name = \"{id}_{clip}\"\n";
    ASSERT_THAT(pack(target), IsOk());
    const auto ids = [&] {
        std::map<std::string, int> out;
        const json manifest = json::parse(file("crate.json"));
        for (const json& clip : manifest["clips"]) out[clip["name"]] = clip["id"];
        return out;
    };
    EXPECT_EQ(ids(), (std::map<std::string, int>{{"stand", 10}, {"walk", 11}, {"pick", 12}}));
    // The first clip goes, another comes: the others keep their numbers.
    recipe_ = change(recipe_, "name = \"stand\"", "name = \"wait\"");
    const auto moved = recipe_.find("[[clip]]"), next = recipe_.find("[[clip]]", moved + 1),
               end = recipe_.find("[output]");
    recipe_ = recipe_.substr(0, moved) + recipe_.substr(next, end - next) +
              recipe_.substr(moved, next - moved) + recipe_.substr(end);
    ASSERT_THAT(pack(target, true), IsOk());
    EXPECT_EQ(ids(), (std::map<std::string, int>{{"walk", 11}, {"pick", 12}, {"wait", 10}}));
    EXPECT_THAT(pack("[target]\nids = [1, 2]\n", true),
                FailsWith(Code::kLimit, "at most 2: ids = [1, 2]"));
}

TEST_F(TargetTest, ClipsAreChosenByNameAndGroup) {
    recipe_ = change(recipe_, "name = \"walk\"", "name = \"walk\"\ngroup = \"moves\"");
    const auto packed = pack(
        "[[target]]\nname = \"moving\"\nclip_groups = [\"mov*\"]\nids = [7, 7]\n"
        "[[target]]\nname = \"library\"\nlayout = \"skin-and-library\"\nclips_left_out = "
        "[\"walk\"]\n[[target]]\nname = \"one\"\nclips = [\"*a*\"]\nclips_left_out = "
        "[\"walk\"]\n");
    const auto names = [&](const std::string& target) {
        std::vector<std::string> out;
        const json all = manifest(target);
        for (const json& clip : all["clips"]) out.push_back(clip["name"]);
        return out;
    };
    EXPECT_THAT(names("moving"), ElementsAre("walk"));
    EXPECT_THAT(names("library"), ElementsAre("stand", "pick"));
    EXPECT_THAT(names("one"), ElementsAre("stand"));
    EXPECT_FALSE(fs::exists(folder_ / "crates/tamsin/one/clips/pick.glb"));
    const std::string library = file("library/tamsin_clips.glb");
    EXPECT_FALSE(test::plain_gltf_times(library, "pick").empty());
    EXPECT_EQ(library.find("\"walk\""), library.npos);
    ASSERT_THAT(packed, IsOk());
    const auto left = test::of_code(packed.value()[0], Code::kLeftOut);
    ASSERT_FALSE(left.empty());
    EXPECT_THAT(left.front().found, HasSubstr("2 of 3 clips"));
    EXPECT_THAT(left.front().found, HasSubstr("stand, pick"));
    // The crate keeps what its target chose; a clip that it does not take is found.
    Target target = read_target(folder_ / "crates/tamsin/moving/target.toml").value();
    EXPECT_THAT(target.clips.groups, ElementsAre("mov*"));
    const auto unmet = [&](const Target& wanted) {
        const auto report = check_crate(folder_ / "crates/tamsin/moving", wanted);
        for (const Demand& d : report.value().demands)
            if (d.id == "chosen-clips" && !d.met) return d.found;
        return std::string();
    };
    EXPECT_EQ(unmet(target), "");
    target.clips.groups = {"others"};
    EXPECT_EQ(unmet(target), "walk");
}

TEST_F(TargetTest, MistakesAreToldAndNothingIsWritten) {
    struct Case {
        std::string target, part;
        Code code;
    };
    write_text(folder_ / "twice.txt", "root\n  hips\n  hips\n");
    write_text(folder_ / "bad.target.toml",
               "up = \"+Y\"\nfront = \"-Y\"\nhand = \"both\"\nfirst_frame = 2\nheigth = [1, 2]\n");
    const Case cases[] = {
        {"up = \"+Z\"\nfront = \"-Z\"", "along one line", Code::kValueBad},
        {"hand = \"middle\"", "hand", Code::kValueBad},
        {"joints = \"none.txt\"", "none.txt", Code::kFileMissing},
        {"joints = \"twice.txt\"", "twice.txt:3", Code::kNameClash},
        {"file = \"none.target.toml\"", "none.target.toml", Code::kFileMissing},
        {"file = \"bad.target.toml\"", "bad.target.toml:2", Code::kValueBad},
        {"clip_name = \"{klip}\"", "{clip}", Code::kValueBad},
        {"clip_name = \"all\"", "one file each", Code::kNameClash},
        {"clip_name = \"../{clip}\"", "letters", Code::kValueBad},
        {"clip_name = \"{clip}_{id}\"", "ids", Code::kKeyMissing},
        {"clips = [\"run*\"]", "stand, walk", Code::kNoMotion},
        {"clips = []", "at least one pattern", Code::kValueBad},
        {"clip_groups = \"moves\"", "a list of texts", Code::kValueBad},
        {"ids = [5, 2]", "[first, last]", Code::kValueBad},
        {"rates = [\"24\", \"60\"]", "not among them", Code::kValueBad},
        {"first_frame = 2", "first_frame", Code::kValueBad},
        {"format = \"fbz\"", "glb", Code::kValueBad},
        {"format = \"bvh\"", "morph weights", Code::kLeftOut},
        {"format = \"csv\"\nlayout = \"one-file\"", "skin-and-clips", Code::kValueBad},
        {"name_allowed = \"_ \"", "any of", Code::kValueBad},
        {"name_replace = \"/\"", "name_replace", Code::kValueBad},
        {"name_case = \"camel\"", "lower", Code::kValueBad},
        {"most_joints = 20", "29 joints", Code::kLimit},
        {"most_vertices = 100", "2084 vertices", Code::kLimit},
        {"surplus = \"hide\"", "drop", Code::kValueBad},
        {"height = [2]", "[least, most]", Code::kValueBad},
        {"[[target.morphs]]\nmatch = \"smile\"\ndo = \"melt\"", "keep, bake, drop",
         Code::kValueBad},
        {"[target.rename]\n\"a*\" = \"b\"", "one *", Code::kValueBad},
        {"[target.rename]\nhips = \"spine\"", "both named", Code::kNameClash},
        {"unit = \"furlong\"", "furlong", Code::kValueBad},
    };
    for (const Case& c : cases) {
        const auto packed = pack("[target]\n" + c.target + "\n");
        EXPECT_THAT(packed, FailsWith(c.code, c.part)) << c.target;
        EXPECT_FALSE(fs::exists(folder_ / "crates/tamsin")) << c.target;
    }
    EXPECT_THAT(pack("[[target]]\nname = \"a\"\n[[target]]\nname = \"A\"\n"),
                FailsWith(Code::kNameClash, "a folder"));
    const auto high = parse_recipe(with("[target]\nheight = [1.8, 2]\n"), "r", folder_.path());
    const auto packed = mellow::pack(high.value());
    ASSERT_THAT(packed, IsOk());
    EXPECT_FALSE(packed.value().proven);
    EXPECT_THAT(to_text(of_code(packed.value(), Code::kSizeSuspect).at(0)),
                HasSubstr("1.8 to 2 m"));
}

}  // namespace
}  // namespace mellow::target_test
