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

// ------------------------------------------------------------------------------ other recipes

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
