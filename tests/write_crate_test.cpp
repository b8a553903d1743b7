// Crates that a program writes of takes of its own, without a recipe.
#include "mellow/write_crate.h"

#include <cmath>

#include "mellow/bake.h"
#include "mellow/crate.h"
#include "mellow/read.h"
#include "mellow/travel.h"
#include "plain_gltf.h"
#include "rigs.h"
#include "small_figure.h"

namespace mellow::write_crate_test {
namespace {

using namespace test;
using test::read_text;
using namespace testing;
namespace fs = std::filesystem;

/// The figure of two joints, whose head nods once a second, 40 degrees to each side, while the hips
/// go ahead by 0.6 m a second.
class WriteCrateTest : public testing::Test {
  protected:
    void SetUp() override {
        test::write_bytes(folder_ / "figure.glb", test::figure({}));
        scene_ = read_scene(folder_ / "figure.glb").value().scene;
        ChosenJoints chosen = choose_joints(scene_, {}).value();
        skeleton_ = std::move(chosen.skeleton);
        sources_ = std::move(chosen.sources);
        ASSERT_THAT(add_root(skeleton_, sources_, "root"), IsOk());
    }
    Take nod(double degrees = 40) const {
        return take_of(skeleton_, [=](double seconds, std::span<Transform> joints) {
            joints[1].t.z += 0.6 * seconds;
            const double a = degrees * std::sin(2 * M_PI * seconds);
            joints[2].r = joints[2].r * test::turn(test::kX, a);
        });
    }
    CrateClip clip_of(const Take& take, const std::string& name = "nod") const {
        const SamplePlan plan{name, 0, 30, {30, 1}, {30, 1}, 31, true};
        CrateClip out{bake(take, plan).clip, take, plan, "computed"};
        extract_travel(out.clip, skeleton_, 1, {true, false, false});
        return out;
    }
    Result<PackReport> write(const std::vector<CrateClip>& clips, const Target& target,
                             WriteCrateOptions options = {}) const {
        options.name = "nodder";
        return write_crate(folder_ / "crate", {scene_, skeleton_, sources_, "hips"}, clips, target,
                           options);
    }
    Target target(const std::string& text) const {
        return parse_target("convention = \"y-up-metre\"\n" + text, "t.toml", folder_.path())
            .value();
    }
    bool nothing_there() const {
        for (const auto& entry : fs::directory_iterator(folder_.path()))
            if (entry.path().filename().string().starts_with("crate")) return false;
        return true;
    }

    test::TempFolder folder_;
    Scene scene_;
    Skeleton skeleton_;
    JointSources sources_;
};

TEST_F(WriteCrateTest, AComputedMotionIsWhatTheFilesHold) {
    CrateClip clip = clip_of(nod());
    clip.clip.labels.group = "idle";
    clip.clip.cues.push_back({"low", 0.25, 0.25, "head", {}, {}});
    const auto report = write({clip}, target(""));
    ASSERT_THAT(report, IsOk());
    EXPECT_TRUE(report.value().proven && report.value().placed);
    for (const int k : {0, 7, 15, 30}) {
        const auto worlds = plain_gltf_worlds(read_text(folder_ / "crate/clips/nod.glb"), "nod", k);
        const double s = k / 30.0, a = 40 * std::sin(2 * M_PI * s) * M_PI / 180;
        const auto& head = worlds.at("head").world;
        // Hips stand at (0, 1, 0), the head 0.5 m above; turned about X by a, up leans to +Z.
        EXPECT_NEAR(head[1][3], 1.5, 1e-6);
        EXPECT_NEAR(head[2][3], 0.6 * s, 1e-6);
        EXPECT_NEAR(head[1][1], std::cos(a), 1e-6);
        EXPECT_NEAR(head[2][1], std::sin(a), 1e-6);
        EXPECT_NEAR(worlds.at("root").world[2][3], 0.6 * s, 1e-6) << "the root carries the way";
    }
    const Crate crate = open_crate(folder_ / "crate").value();
    ASSERT_THAT(crate.clips, SizeIs(1));
    EXPECT_EQ(crate.name, "nodder");
    EXPECT_EQ(crate.clips[0].labels.group, "idle");
    EXPECT_EQ(crate.clips[0].loop, LoopForm::kClosed);
    EXPECT_EQ(crate.clips[0].cues, clip.clip.cues);
    EXPECT_NEAR(crate.clips[0].travel.step.z, 0.6, 1e-6);
    // The tool takes it for what it is.
    const std::string path = "'" + (folder_ / "crate").string() + "'";
    EXPECT_EQ(run_tool("check " + path).exit, 0);
    EXPECT_THAT(run_tool("describe " + path).out, HasSubstr("nod"));
    EXPECT_EQ(run_tool("view " + path + " -o '" + (folder_ / "a.html").string() + "'").exit, 0);
    EXPECT_TRUE(fs::exists(folder_ / "crate/sheet.png"));
    // No rig is named where there is none.
    std::string summary;
    report_summary(report.value(), [&](std::string_view text) { summary += text; });
    EXPECT_THAT(summary, HasSubstr("against what was baked"));
    EXPECT_THAT(read_text(folder_ / "crate/report.txt"), testing::Not(HasSubstr("rig")));
}

TEST_F(WriteCrateTest, TheTargetSaysHowItIsWritten) {
    const Target game = target(
        "up = \"+Z\"\nfront = \"+X\"\nunit = \"centimetre\"\nloop_form = \"open\"\n"
        "layout = \"clips-with-skin\"\nclip_name = \"{figure}_{clip}\"\nroot = \"origin\"\n"
        "ids = [12, 20]\n"
        "[rename]\nhead = \"kopf\"\n");
    CrateClip nodding = clip_of(nod());
    nodding.clip.cues.push_back({"low", 0.25, 0.25, "head", {}, {}});
    const auto report = write({nodding, clip_of(nod(20), "small")}, game);
    ASSERT_THAT(report, IsOk());
    EXPECT_EQ(report.value().clips.at(1).clip.labels.id, 13);
    EXPECT_TRUE(report.value().proven) << report.value().findings.size();
    const std::string file = read_text(folder_ / "crate/nodder_nod.glb");
    EXPECT_THAT(test::plain_gltf_times(file, "nod"), SizeIs(30)) << "the last frame is the first";
    const auto worlds = plain_gltf_worlds(file, "nod", 15);
    EXPECT_NEAR(worlds.at("kopf").world[2][3], 150, 1e-4);
    EXPECT_NEAR(worlds.at("kopf").world[0][3], 30, 1e-4);
    EXPECT_TRUE(worlds.contains("origin"));
    EXPECT_THAT(test::plain_gltf_names(file), testing::Contains("body")) << "with its skin";
    const Crate crate = open_crate(folder_ / "crate").value();
    ASSERT_THAT(crate.clips, SizeIs(2));
    EXPECT_EQ(crate.clips[0].cues.at(0).joint, "kopf");
}

TEST_F(WriteCrateTest, AClipThatIsNotItsTakeIsKeptAside) {
    CrateClip clip = clip_of(nod());
    clip.clip.joints[2].translation[3 * 10] += 0.001F;
    const auto report = write({clip}, target(""));
    ASSERT_THAT(report, IsOk());
    EXPECT_FALSE(report.value().proven || report.value().placed);
    ASSERT_THAT(of_code(report.value(), Code::kProofFailed), SizeIs(1));
    EXPECT_THAT(of_code(report.value(), Code::kProofFailed)[0].found, HasSubstr("head"));
    EXPECT_FALSE(fs::exists(folder_ / "crate"));
    EXPECT_EQ(report.value().folder.filename(), "crate.rejected-1");
    // A millimetre is let pass where a millimetre is allowed.
    WriteCrateOptions loose;
    loose.tolerance.mm = 2;
    EXPECT_TRUE(write({clip}, target(""), loose).value().proven);
}

TEST_F(WriteCrateTest, MeshesWithoutSkinNeedTheirMounts) {
    const int hat =
        test::add_node(scene_, "hat", find_node(scene_, "head"), {{0, 0.2, 0}, {}, {1, 1, 1}});
    scene_.meshes.emplace_back().primitives.emplace_back().positions = {
        {0, 0, 0}, {0.1F, 0, 0}, {0, 0.1F, 0}};
    scene_.nodes[static_cast<std::size_t>(hat)].mesh = static_cast<int>(scene_.meshes.size()) - 1;
    EXPECT_THAT(write({clip_of(nod())}, target("")), FailsWith(Code::kValueBad, "find_mounts"));
    EXPECT_TRUE(nothing_there());
    const Take take = take_of(skeleton_,
                              [](double seconds, std::span<Transform> joints) {
                                  joints[2].r =
                                      test::turn(test::kZ, 30 * std::sin(2 * M_PI * seconds));
                              },
                              {find_mounts(scene_, nullptr, skeleton_, sources_), {}});
    const auto report = write({clip_of(take)}, target(""));
    ASSERT_THAT(report, IsOk());
    EXPECT_TRUE(report.value().proven);
    EXPECT_LT(report.value().clips[0].proof.vertex_mm.worst, 0.001);
}

TEST_F(WriteCrateTest, MistakesAreNamedAndNothingIsLeft) {
    const CrateClip good = clip_of(nod());
    const auto with = [&](auto change) {
        CrateClip clip = good;
        change(clip);
        return write({clip}, target(""));
    };
    EXPECT_THAT(write({}, target("")), FailsWith(Code::kNoMotion, "at least one"));
    for (const char* layout : {"one-file", "skin-and-library"})
        EXPECT_THAT(write({good}, target(fmt::format("layout = \"{}\"\n", layout))),
                    FailsWith(Code::kValueBad, layout));
    EXPECT_THAT(write({good}, target("rate = 60\n")), FailsWith(Code::kValueBad, "60/s"));
    EXPECT_THAT(with([](CrateClip& c) { c.clip.name = ""; }),
                FailsWith(Code::kValueBad, "no name"));
    EXPECT_THAT(with([](CrateClip& c) { c.clip.joints.pop_back(); }),
                FailsWith(Code::kValueBad, "2 tracks"));
    EXPECT_THAT(with([](CrateClip& c) { c.plan.samples = 20; }),
                FailsWith(Code::kValueBad, "31 samples, 20 in its plan"));
    EXPECT_THAT(with([](CrateClip& c) { c.clip.loop = LoopForm::kOpen; }),
                FailsWith(Code::kValueBad, "close_loop"));
    EXPECT_THAT(with([](CrateClip& c) { c.clip.joints[1].scale.resize(6); }),
                FailsWith(Code::kValueBad, "another length"));
    EXPECT_THAT(with([](CrateClip& c) {
                    c.clip.cues.push_back({"x", 0, 0, "hed", {}, {}});
                }),
                FailsWith(Code::kNameUnknown, "head"));
    EXPECT_THAT(with([](CrateClip& c) { c.clip.name = "../out"; }),
                FailsWith(Code::kValueBad, "name of"));
    EXPECT_THAT(write({good, good}, target("")), FailsWith(Code::kNameClash, "one file each"));
    EXPECT_THAT(
        write_crate(folder_ / "crate", {scene_, skeleton_, sources_, "hip"}, {good}, target("")),
        FailsWith(Code::kNameUnknown, "hips"));
    EXPECT_THAT(with([](CrateClip& c) {
                    c.clip.scalars.push_back({"fov", "degrees", {1}});
                }),
                FailsWith(Code::kValueBad, "another length"));
    EXPECT_THAT(with([](CrateClip& c) {
                    c.clip.morphs.push_back({"face", {"smile"}, {}});
                }),
                FailsWith(Code::kValueBad, "morph_channels"));
    EXPECT_THAT(write_crate(folder_ / "crate", {scene_, {}, {}}, {good}, target("")),
                FailsWith(Code::kValueBad, "0 joints"));
    EXPECT_THAT(write_crate(folder_ / "crate", {scene_, skeleton_, {}}, {good}, target("")),
                FailsWith(Code::kValueBad, "0 sources"));
    EXPECT_TRUE(nothing_there());
    ASSERT_THAT(write({good}, target("")), IsOk());
    EXPECT_THAT(write({good}, target("")), FailsWith(Code::kOutputExists, ""));
    WriteCrateOptions again;
    again.replace = true;
    EXPECT_TRUE(write({good}, target(""), again).value().unchanged);
    EXPECT_THAT(write({clip_of(nod(30))}, target(""), again).value().backup.filename(),
                "crate.backup-1");
}

}  // namespace
}  // namespace mellow::write_crate_test
