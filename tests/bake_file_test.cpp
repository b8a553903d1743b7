// A file baked in one call.
#include <fmt/format.h>

#include <array>
#include <cmath>
#include <cstring>
#include <numbers>

#include "mellow/bake.h"
#include "mellow/bake_file.h"
#include "mellow/parallel.h"
#include "mellow/rig.h"
#include "mellow/write.h"
#include "orchard.h"
#include "reference.h"
#include "small_figure.h"
#include "support.h"

namespace mellow::bake_file_test {
namespace {

using namespace test;

using test::difference;

// -------------------------------------------------------------------------------------- Tamsin

TEST(BakeFileTest, AFileInOneCall) {
    // Ten frames a second: the hips go 10 cm a frame, the knee turns 30 degrees about X.
    test::TempFolder folder;
    const std::filesystem::path file = folder / "knee.bvh";
    test::write_text(
        file,
        "HIERARCHY\nROOT hip\n{\n OFFSET 0 0 0\n CHANNELS 6 Xposition Yposition Zposition "
        "Zrotation Xrotation Yrotation\n JOINT knee\n {\n  OFFSET 0 -40 0\n  CHANNELS 1 "
        "Xrotation\n  End Site\n  {\n   OFFSET 0 -40 0\n  }\n }\n}\nMOTION\nFrames: "
        "4\nFrame Time: 0.1\n0 90 0 0 0 0 0\n0 90 10 0 0 0 30\n0 90 20 0 0 0 60\n"
        "0 90 30 0 0 0 90\n");
    BakeFileOptions options;
    options.truth.metres_per_unit = 0.01;
    options.first = 1, options.last = 3;
    options.rate = FrameRate{20, 1};
    const auto baked = bake_file(file, options);
    ASSERT_THAT(baked, IsOk());
    const Clip& clip = baked.value().clip;
    const auto hip = static_cast<std::size_t>(baked.value().skeleton.find("hip"));
    const auto knee = static_cast<std::size_t>(baked.value().skeleton.find("knee"));
    ASSERT_EQ(clip.samples, 5);
    EXPECT_EQ(baked.value().scene.rate, (FrameRate{10, 1}));
    for (int k = 0; k < 5; ++k) {
        EXPECT_NEAR(local_at(clip.joints[hip], k).t.z, 0.1 + 0.05 * k, 1e-6);
        EXPECT_NEAR(local_at(clip.joints[hip], k).t.y, 0.9, 1e-6);
        const double half = (30 + 15 * k) / 2.0 * std::numbers::pi / 180;
        EXPECT_NEAR(local_at(clip.joints[knee], k).r.x, std::sin(half), 1e-6) << k;
        EXPECT_NEAR(local_at(clip.joints[knee], k).t.y, -0.4, 1e-6);
    }
    // With a root that carries the way: the hips stay above it, 10 cm ahead as they rest.
    options.strip_prefix = "kn", options.root = "root", options.hips = "hip";
    options.travel.ground = true;
    const auto carried = bake_file(file, options);
    ASSERT_THAT(carried, IsOk());
    EXPECT_EQ(carried.value().skeleton[2].name, "ee");
    ASSERT_EQ(carried.value().clip.joints.size(), 3U);
    for (int k = 0; k < 5; ++k) {
        EXPECT_NEAR(local_at(carried.value().clip.joints[0], k).t.z, 0.1 + 0.05 * k, 1e-6);
        EXPECT_NEAR(local_at(carried.value().clip.joints[1], k).t.z, 0, 1e-6);
    }
    options.hips = "hipp";
    EXPECT_THAT(bake_file(file, options), FailsWith(Code::kNameUnknown, "hipp"));
    options.root.clear();
    EXPECT_THAT(bake_file(file, options), FailsWith(Code::kValueBad, "no root"));
    // A figure that nothing moves is a pose.
    test::write_bytes(folder / "still.glb", test::figure({}));
    Scene still = read_scene(folder / "still.glb").value().scene;
    still.timelines.clear();
    const auto glb = write_glb(still);
    test::write_bytes(folder / "still.glb", {glb.begin(), glb.end()});
    const auto pose = bake_file(folder / "still.glb");
    ASSERT_THAT(pose, IsOk());
    EXPECT_EQ(pose.value().clip.samples, 1);
    EXPECT_NEAR(local_at(pose.value().clip.joints[1], 0).t.y, 0.5, 1e-6);
    std::filesystem::remove(folder / "still.glb");
    options = {};
    options.timeline = "walk";
    EXPECT_THAT(bake_file(file, options), FailsWith(Code::kNameUnknown, "walk"));
    EXPECT_THAT(bake_file(folder / "none.bvh", {}), FailsWith(Code::kFileMissing, "none.bvh"));
    EXPECT_THAT(folder.names(), testing::ElementsAre("knee.bvh"));
}

}  // namespace
}  // namespace mellow::bake_file_test
