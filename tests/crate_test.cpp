// The crate of the demo: what is in it, that it is the same every time, and that it plays.
#include <nlohmann/json.hpp>

#include <cmath>
#include <set>

#include "mellow/crate.h"
#include "mellow/playback.h"
#include "mellow/sheet.h"
#include "packing.h"

namespace mellow {
namespace {

using nlohmann::json;
using namespace test;
using test::read_text;

void write_data(const std::filesystem::path& folder) { test::write_files(folder, test::tamsin()); }

// ------------------------------------------------------------------------------- the demo data

TEST(OrchardTest, SameBytesEveryTime) {
    const auto a = orchard::tamsin_files(), b = orchard::tamsin_files();
    ASSERT_EQ(a.size(), 3U);
    for (std::size_t i = 0; i < 3; ++i) EXPECT_EQ(a[i].bytes, b[i].bytes);
}

TEST(OrchardTest, TheFileIsAsRealFilesAre) {
    const auto files = test::tamsin();
    const auto read = test::read_tiny(files[0].bytes);
    ASSERT_THAT(read, IsOk());
    const Scene& scene = read.value().scene;
    std::set<int> joints(scene.skins[0].joints.begin(), scene.skins[0].joints.end());
    int others = 0, tips = 0;
    for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
        EXPECT_TRUE(scene.nodes[n].name.starts_with("orchard:")) << scene.nodes[n].name;
        others += joints.count(static_cast<int>(n)) == 0 && scene.nodes[n].mesh == kNone ? 1 : 0;
    }
    EXPECT_GE(joints.size(), 28U);
    EXPECT_LE(joints.size(), 34U);
    EXPECT_GE(others, 25);
    EXPECT_GE(scene.meshes.size(), 2U);
    EXPECT_EQ(scene.materials.size(), 2U);
    ASSERT_EQ(scene.timelines.size(), 1U);
    for (const Channel& c : scene.timelines[0].channels)
        EXPECT_EQ(joints.count(c.node), 0U)
            << "keys on joint " << scene.nodes[static_cast<std::size_t>(c.node)].name;
    std::set<int> weighted;
    for (const Mesh& mesh : scene.meshes)
        for (const Primitive& p : mesh.primitives) {
            EXPECT_LE(p.influences_per_vertex, 4);
            for (std::size_t i = 0; i < p.influence_joints.size(); ++i)
                if (p.influence_weights[i] > 0)
                    weighted.insert(scene.skins[0].joints[p.influence_joints[i]]);
        }
    for (const int joint : joints)
        if (scene.nodes[static_cast<std::size_t>(joint)].name.find("_end") != std::string::npos) {
            ++tips;
            EXPECT_EQ(weighted.count(joint), 0U);
        }
    EXPECT_EQ(tips, 3);
}

// ------------------------------------------------------------------------------ the whole job

class PackTest : public testing::Test {
  protected:
    static void SetUpTestSuite() {
        folder_ = new TempFolder;
        write_data(folder_->path());
        report_ = new Result<PackReport>(pack_text(*folder_, orchard::kTamsinRecipe));
    }
    static void TearDownTestSuite() {
        delete report_;
        delete folder_;
    }
    static const PackReport& report() { return report_->value(); }
    static std::filesystem::path crate() { return *folder_ / "crates" / "tamsin"; }

    static TempFolder* folder_;
    static Result<PackReport>* report_;
};
TempFolder* PackTest::folder_ = nullptr;
Result<PackReport>* PackTest::report_ = nullptr;

TEST_F(PackTest, IsProvenFarBelowTheTolerance) {
    ASSERT_THAT(*report_, IsOk());
    EXPECT_TRUE(report().proven);
    // All there is to say: three tips of chains are left out.
    ASSERT_EQ(report().findings.size(), 1U);
    EXPECT_EQ(report().findings[0].code, Code::kUnweighted);
    ASSERT_EQ(report().clips.size(), 3U);
    for (const PackedClip& c : report().clips) {
        EXPECT_LT(c.proof.position_mm.worst, 0.02);
        EXPECT_LT(c.proof.rotation_degrees.worst, 0.005);
        EXPECT_LT(c.proof.vertex_mm.worst, 0.02);
        EXPECT_LT(c.proof.weight.worst, 1e-5);
        EXPECT_GT(c.proof.moving_joints, 10);
    }
    EXPECT_NEAR(report().height_m, 1.70, 0.005);
}

TEST_F(PackTest, CountsAreThoseOfTheRecipe) {
    const int samples[] = {121, 31, 121}, periods[] = {120, 30, 120};
    const LoopForm forms[] = {LoopForm::kClosed, LoopForm::kClosed, LoopForm::kOnce};
    for (std::size_t i = 0; i < 3; ++i) {
        EXPECT_EQ(report().clips[i].clip.samples, samples[i]);
        EXPECT_EQ(report().clips[i].clip.period, periods[i]);
        EXPECT_EQ(report().clips[i].clip.loop, forms[i]);
    }
    const Travel &walk = report().clips[1].clip.travel, &pick = report().clips[2].clip.travel;
    EXPECT_GT(walk.step.z, 0.9);             // forward
    EXPECT_GT(std::abs(walk.step.x), 0.01);  // and a little sideways
    EXPECT_NEAR(walk.speed_m_s, 1.0, 0.05);
    EXPECT_NEAR(pick.height_change_m, 0.315, 0.01);  // one rung
    EXPECT_EQ(report().clips[0].clip.travel.distance_m, 0);
}

TEST_F(PackTest, LoopsCloseAndTheFeetKeepTheirGround) {
    for (const PackedClip& c : report().clips)
        if (c.clip.loop == LoopForm::kClosed) {
            EXPECT_LT(c.gap.distance_m, 1e-6);
            EXPECT_LT(c.gap.angle_rad, 1e-6);
        }
    // While one loop follows the other, the figure goes on by the step: no jump at the seam.
    const auto opened = open_crate(crate());
    ASSERT_THAT(opened, IsOk());
    const auto play = Playback::make(opened.value().skin, opened.value().motions[1]);
    ASSERT_THAT(play, IsOk());
    const auto at = [&](const char* name) {
        return static_cast<std::size_t>(find_node(opened.value().skin, name));
    };
    const Pose first = play.value().pose(0), last = play.value().pose(1);
    const Vec3 went = last.worlds[at("hips")].o - first.worlds[at("hips")].o;
    // The step is in the root's own axes, as it faces when the loop begins.
    const Vec3 step = apply_linear(first.worlds[at("root")], opened.value().clips[1].travel.step);
    EXPECT_LT(length(went - step), 1e-5);
    EXPECT_GT(length(step), 1);
}

TEST_F(PackTest, TheManifestSaysWhatIsThere) {
    const json manifest = json::parse(read_text(crate() / "crate.json"));
    EXPECT_EQ(manifest["format"], "mellow-crate");
    EXPECT_EQ(manifest["sources"].size(), 3U);
    EXPECT_EQ(manifest["clips"][1]["samples"], 31);
    EXPECT_EQ(manifest["clips"][1]["intervals"], 30);
    EXPECT_EQ(manifest["clips"][1]["seconds"], 1.0);
    EXPECT_EQ(manifest["clips"][1]["rate"], "30");
    EXPECT_EQ(manifest["clips"][1]["loop"], "closed");
    EXPECT_EQ(manifest["clips"][1]["bytes"],
              std::filesystem::file_size(crate() / "clips" / "walk.glb"));
    EXPECT_TRUE(manifest["clips"][1].contains("proof"));
    EXPECT_EQ(manifest["skin"]["bytes"], std::filesystem::file_size(crate() / "tamsin.glb"));
    EXPECT_EQ(manifest["skeleton"]["joints"].size(), 29U);
    EXPECT_EQ(manifest["skeleton"]["joints"][0], "root");
    const json report = json::parse(read_text(crate() / "report.json"));
    EXPECT_EQ(report["proven"], true);
    EXPECT_NE(read_text(crate() / "report.txt").find("PASSED"), std::string::npos);
}

TEST_F(PackTest, MotionFilesHoldMotionOnlyAndTheSkinNone) {
    for (const char* clip : {"stand", "walk", "pick"}) {
        const auto read = read_scene(crate() / "clips" / (std::string(clip) + ".glb"));
        ASSERT_THAT(read, IsOk());
        EXPECT_TRUE(read.value().scene.meshes.empty());
        EXPECT_TRUE(read.value().scene.images.empty());
        ASSERT_EQ(read.value().scene.timelines.size(), 1U);
        EXPECT_EQ(read.value().scene.timelines[0].channels[0].curve.times[0], 0);
        EXPECT_EQ(read.value().scene.timelines[0].morphs.size(), 1U);
    }
    const auto skin = read_scene(crate() / "tamsin.glb");
    EXPECT_TRUE(skin.value().scene.timelines.empty());
    EXPECT_EQ(skin.value().scene.materials.size(), 2U);
    for (const Node& node : skin.value().scene.nodes) {
        EXPECT_EQ(node.name.find(':'), std::string::npos);
        EXPECT_LT(length(node.local.s - Vec3{1, 1, 1}), 1e-6);
    }
}

TEST_F(PackTest, TheSameJobGivesTheSameBytes) {
    const TempFolder other;
    write_data(other.path());
    ASSERT_THAT(pack_text(other, orchard::kTamsinRecipe), IsOk());
    for (const char* file : {"crate.json", "tamsin.glb", "clips/walk.glb", "clips/pick.glb",
                             "report.txt", "sheet.png"})
        EXPECT_EQ(read_text(other / "crates" / "tamsin" / file), read_text(crate() / file)) << file;
}

TEST_F(PackTest, ADamagedCrateIsNotOpened) {
    const TempFolder copy;
    std::filesystem::copy(crate(), copy / "c", std::filesystem::copy_options::recursive);
    std::string clip = read_text(copy / "c" / "clips" / "walk.glb");
    clip[clip.size() - 9] = static_cast<char>(clip[clip.size() - 9] ^ 1);
    write_text(copy / "c" / "clips" / "walk.glb", clip);
    EXPECT_THAT(open_crate(copy / "c"), FailsWith(Code::kFileUnreadable, "walk.glb"));
    std::filesystem::remove(copy / "c" / "clips" / "walk.glb");
    EXPECT_THAT(open_crate(copy / "c"), FailsWith(Code::kFileMissing, "walk.glb"));
    write_text(copy / "c" / "crate.json",
               change(read_text(crate() / "crate.json"), "clips/stand.glb", "../../stand.glb"));
    EXPECT_THAT(open_crate(copy / "c"), FailsWith(Code::kValueBad, "outside the crate"));
    for (const char* text : {"", "{", "[]", "{\"format\":\"mellow-crate\"}", "{\"format\":3}",
                             "{\"format\":\"mellow-crate\",\"clips\":{}}"}) {
        write_text(copy / "c" / "crate.json", text);
        EXPECT_THAT(open_crate(copy / "c"), FailsWith(Code::kValueBad, "crate.json")) << text;
    }
}

TEST_F(PackTest, TheSheetIsAPictureOfTheRightSize) {
    const std::string png = read_text(crate() / "sheet.png");
    const auto word = [&](std::size_t at) {
        std::size_t v = 0;
        for (std::size_t i = 0; i < 4; ++i) v = v << 8 | static_cast<unsigned char>(png[at + i]);
        return v;
    };
    ASSERT_EQ(png.substr(1, 3), "PNG");
    EXPECT_EQ(word(16), 1280U);
    EXPECT_GE(word(20), 800U);
}

// ------------------------------------------------------------------------------ other recipes

TEST(PackVariantsTest, EveryTargetConventionIsProven) {
    for (const char* target : {"y-up-centimetre", "z-up-metre", "z-up-centimetre"}) {
        const TempFolder folder;
        write_data(folder.path());
        const auto report = pack_text(folder, change(orchard::kTamsinRecipe, "\"y-up-metre\"",
                                                     std::string("\"") + target + "\""));
        ASSERT_THAT(report, IsOk());
        EXPECT_TRUE(report.value().proven) << target;
        // The skin file's numbers: 170 or 1.7 units along the up axis of the target.
        const Scene skin = read_scene(report.value().folder / "tamsin.glb").value().scene;
        const Bounds bounds = mesh_bounds(skin, rest_pose(skin));
        const Vec3 size = bounds.high - bounds.low;
        const double unit = std::string(target).ends_with("centimetre") ? 100 : 1;
        EXPECT_NEAR(target[0] == 'z' ? size.z : size.y, 1.70 * unit, 0.005 * unit) << target;
    }
}

TEST(PackVariantsTest, OpenLoopsDropTheClosingSampleAndKeepThePeriod) {
    const TempFolder folder;
    write_data(folder.path());
    const auto report = pack_text(folder, change(orchard::kTamsinRecipe, "\"closed\"", "\"open\""));
    ASSERT_THAT(report, IsOk());
    EXPECT_TRUE(report.value().proven);
    EXPECT_EQ(report.value().clips[1].clip.samples, 30);
    EXPECT_EQ(report.value().clips[1].clip.period, 30);
    EXPECT_DOUBLE_EQ(report.value().clips[1].clip.seconds(), 1.0);
    EXPECT_GT(report.value().clips[1].clip.travel.step.z, 0.9);
    EXPECT_EQ(report.value().clips[2].clip.samples, 121);
}

TEST(PackVariantsTest, AToleranceThatCannotBeMetKeepsTheFilesAside) {
    const TempFolder folder;
    write_data(folder.path());
    const auto report = pack_text(
        folder, change(orchard::kTamsinRecipe, "tolerance_mm = 0.05", "tolerance_mm = 1e-7"));
    ASSERT_THAT(report, IsOk());
    EXPECT_FALSE(report.value().proven);
    EXPECT_EQ(report.value().folder.filename(), "tamsin.rejected-1");
    EXPECT_TRUE(std::filesystem::exists(report.value().folder / "clips" / "walk.glb"));
    EXPECT_FALSE(std::filesystem::exists(folder / "crates" / "tamsin"));
    EXPECT_NE(read_text(report.value().folder / "report.txt").find("FAILED"), std::string::npos);
}

TEST(PackVariantsTest, WithoutTheRigSheetNothingMovesAndThatIsSaid) {
    const TempFolder folder;
    write_data(folder.path());
    const auto report =
        pack_text(folder, change(orchard::kTamsinRecipe, "rig = \"tamsin.rig.toml\"\n", ""));
    ASSERT_THAT(report, IsOk());
    EXPECT_FALSE(report.value().proven);
    bool said = false;
    for (const Finding& f : report.value().findings) said = said || f.code == Code::kNoMotion;
    EXPECT_TRUE(said);
}

TEST(PackVariantsTest, SuspiciousWishesAreSaid) {
    const TempFolder folder;
    write_data(folder.path());
    std::string recipe = change(orchard::kTamsinRecipe, "travel = [\"ground\", \"heading\"]\n",
                                "");                                      // hips travel alone
    recipe = change(recipe, "range = [0, 96]", "range = [0, 60]");        // no loop
    recipe = change(recipe, "range = [144, 240]", "range = [132, 240]");  // shares a frame
    const auto report = pack_text(folder, recipe);
    ASSERT_THAT(report, IsOk());
    std::set<Code> said;
    for (const Finding& f : report.value().findings) said.insert(f.code);
    EXPECT_EQ(said, (std::set<Code>{Code::kTravelInHips, Code::kLoopOpen, Code::kRangeOverlap,
                                    Code::kRangeGap, Code::kUnweighted, Code::kTargetUnmet,
                                    Code::kPop}));  // a range over a cut
}

TEST(PackVariantsTest, ABvhCaptureBecomesAnAnimatedSkeleton) {
    // Hips that go 3 units a frame along Z at 120/s, in inches, a leg that swings.
    const TempFolder folder;
    std::string text =
        "HIERARCHY\nROOT Hips\n{\nOFFSET 0 0 0\nCHANNELS 6 Xposition Yposition Zposition Zrotation "
        "Yrotation Xrotation\n"
        "JOINT Leg\n{\nOFFSET 0 -20 0\nCHANNELS 3 Zrotation Yrotation Xrotation\nEnd "
        "Site\n{\nOFFSET 0 -18 0\n}\n}\n}\n"
        "MOTION\nFrames: 241\nFrame Time: .0083333\n";
    for (int k = 0; k < 241; ++k)
        text += std::to_string(1) + " 40 " + std::to_string(0.3 * k) + " 0 0 0 0 0 " +
                std::to_string(30 * std::sin(k * 0.05)) + "\n";
    write_text(folder / "cap.bvh", text);
    const auto report = pack_text(folder, R"(
[source]
file = "cap.bvh"
unit = "inch"
up = "+Y"
front = "+Z"
[[clip]]
name = "first"
range = [0, 120]
travel = ["ground", "heading"]
[[clip]]
name = "second"
range = [120, 240]
travel = ["ground"]
[output]
folder = "out"
)");
    ASSERT_THAT(report, IsOk());
    EXPECT_TRUE(report.value().proven);
    EXPECT_EQ(report.value().joints, (std::vector<std::string>{"root", "Hips", "Leg"}));
    EXPECT_EQ(report.value().clips[0].clip.samples, 31);
    EXPECT_NEAR(report.value().clips[0].clip.travel.distance_m, 36 * 0.0254, 1e-5);
    EXPECT_NEAR(report.value().clips[1].clip.travel.speed_m_s, 36 * 0.0254, 1e-5);
}

}  // namespace
}  // namespace mellow
