// Motion files on a figure: whose bones they are, whose weights, and roots that travel already.
#include <cmath>

#include "mellow/travel.h"
#include "plain_gltf.h"
#include "rigs.h"
#include "small_figure.h"

namespace mellow::motion_file_test {
namespace {

using namespace test;

/// Figure and motion of three joints: hips, chest 0.3 m above, head another 0.2 m. Every joint's
/// place is keyed, times `scale`, and turned as a whole by `turned` about X.
std::vector<std::uint8_t> bones(double scale, bool keyed_places, double chest = 0.3,
                                bool lying = false, const std::string& extras = "",
                                const std::string& mesh = "") {
    TinyGltf gltf;
    const auto place = [&](double y) {
        return lying ? std::vector<double>{0, 0, -y * scale} : std::vector<double>{0, y * scale, 0};
    };
    const int times = gltf.floats({0, 1}, "SCALAR");
    std::string nodes, samplers, channels;
    const char* names[] = {"hips", "chest", "head"};
    const double up[] = {1, chest, 0.2};
    for (int j = 0; j < 3; ++j) {
        const auto at = place(up[j]);
        auto end = at;
        if (j == 0) end[0] += 0.2 * scale;  // the hips go aside
        std::vector<double> both = at;
        both.insert(both.end(), end.begin(), end.end());
        const int out = gltf.floats(both, "VEC3");
        nodes += fmt::format(R"({}{{"name":"{}","translation":[{},{},{}]{}}})", j == 0 ? "" : ",",
                             names[j], at[0], at[1], at[2],
                             j < 2 ? fmt::format(R"(,"children":[{}])", j + 1) : "");
        if (j > 0 && !keyed_places) continue;
        samplers += fmt::format(R"({}{{"input":{},"output":{}}})", j == 0 ? "" : ",", times, out);
        channels += fmt::format(R"({}{{"sampler":{},"target":{{"node":{},"path":"translation"}}}})",
                                j == 0 ? "" : ",", j, j);
    }
    return gltf.glb(fmt::format(
        R"("scene":0,"scenes":[{{"nodes":[0{}]}}],"nodes":[{}{}],"animations":[{{"name":"m","samplers":[{}],"channels":[{}]{}}}]{})",
        mesh.empty() ? "" : ",3", nodes,
        mesh.empty() ? "" : R"(,{"name":"body","mesh":0,"skin":0})", samplers, channels, extras,
        mesh));
}

std::string two_files(const std::string& source = "") {
    return "[figure]\nfile = \"figure.glb\"\n[joints]\nonly = [\"hips\", \"chest\", \"head\"]\n"
           "[[source]]\nname = \"s\"\nfile = \"motion.glb\"\n" +
           source +
           "[output]\nfolder = \"out\"\npicture = false\n[target]\nrate = 24\n[[clip]]\nname = "
           "\"c\"\nsource = \"s\"\nrange = [0, 24]\n[checks]\nsize-suspect = \"off\"\n";
}

class MotionFileTest : public testing::Test {
  protected:
    Result<PackReport> pack(const std::vector<std::uint8_t>& motion, const std::string& recipe) {
        write_bytes(folder_ / "figure.glb", bones(1, false));
        write_bytes(folder_ / "motion.glb", motion);
        return pack_text(folder_, recipe, true);
    }
    TempFolder folder_;
};

TEST_F(MotionFileTest, PlacesThatKeysHoldAreBones) {
    EXPECT_THAT(pack(bones(1, true), two_files()), IsOk());
    EXPECT_THAT(pack(bones(1, true, 0.45), two_files()),
                FailsWith(Code::kSkeletonDiffers, "45.0 cm from the joint above it"));
    // In centimetres: every bone is a hundred times as long, and the line to paste makes it right.
    const auto large = pack(bones(100, true), two_files());
    EXPECT_THAT(large, FailsWith(Code::kSkeletonDiffers, "unit = \"centimetre\""));
    EXPECT_THAT(pack(bones(100, true), two_files("unit = \"centimetre\"\n")), IsOk());
    // Lying along -Z: what is up and front of it is said.
    const auto lying = pack(bones(1, true, 0.3, true), two_files());
    EXPECT_THAT(lying, FailsWith(Code::kSkeletonDiffers, "up = \"-Z\""));
}

TEST_F(MotionFileTest, WeightsOfNoMeshAreRefusedWithTheNearest) {
    // Weights for a mesh "bodi", in the extras of the animation; the figure's is "body".
    const auto with = [](const std::string& mesh) {
        TinyGltf gltf;
        const int times = gltf.floats({0, 1}, "SCALAR");
        const int places = gltf.floats({0, 1, 0, 0.2, 1, 0}, "VEC3");
        const int weights = gltf.floats({0, 1}, "SCALAR");
        return gltf.glb(fmt::format(
            R"("scene":0,"scenes":[{{"nodes":[0]}}],"nodes":[{{"name":"hips","translation":[0,1,0],"children":[1]}},{{"name":"head","translation":[0,0.5,0]}}],"animations":[{{"name":"m","samplers":[{{"input":{0},"output":{1}}},{{"input":{0},"output":{2}}}],"channels":[{{"sampler":0,"target":{{"node":0,"path":"translation"}}}}],"extras":{{"morph_weights":[{{"mesh":"{3}","targets":["smile"],"sampler":1}}]}}}}])",
            times, places, weights, mesh));
    };
    TinyGltf gltf;
    const int places = gltf.floats({0, 0, 0, 0.2, 1.7, 0, -0.2, 1.7, 0}, "VEC3");
    const int smile = gltf.floats({0, 0, 0, 0, 0, 0.01, 0, 0, 0.01}, "VEC3");
    const int joints = gltf.bytes({0, 1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0}, "VEC4", 5121, false);
    const int weights = gltf.floats({0.5, 0.5, 0, 0, 0.5, 0.5, 0, 0, 0.5, 0.5, 0, 0}, "VEC4");
    write_bytes(
        folder_ / "figure.glb",
        gltf.glb(fmt::format(
            R"("scene":0,"scenes":[{{"nodes":[0,2]}}],"nodes":[{{"name":"hips","translation":[0,1,0],"children":[1]}},{{"name":"head","translation":[0,0.5,0]}},{{"name":"body","mesh":0,"skin":0}}],"meshes":[{{"primitives":[{{"attributes":{{"POSITION":{},"JOINTS_0":{},"WEIGHTS_0":{}}},"targets":[{{"POSITION":{}}}]}}],"extras":{{"targetNames":["smile"]}}}}],"skins":[{{"joints":[0,1]}}])",
            places, joints, weights, smile)));
    const std::string recipe =
        change(two_files(), "[joints]\nonly = [\"hips\", \"chest\", \"head\"]\n", "");
    write_bytes(folder_ / "motion.glb", with("bodi"));
    const auto refused = pack_text(folder_, recipe, true);
    EXPECT_THAT(refused, FailsWith(Code::kNameUnknown, "\"bodi\" = \"body\""));
    const auto renamed = pack_text(folder_, recipe + "[rename]\n\"bodi\" = \"body\"\n", true);
    ASSERT_THAT(renamed, IsOk());
    ASSERT_EQ(renamed.value().clips[0].morphs.size(), 1U);
    EXPECT_NEAR(renamed.value().clips[0].morphs[0].activity[0].most, 1, 1e-6);
}

/// A root of the source's own, with the hips 1 m above: it goes 2 m ahead and turns by 90 degrees.
Scene own_root() {
    Scene scene;
    const int root = add_node(scene, "root", kNone, {});
    add_node(scene, "hips", root, {{0, 1, 0}, {}, {1, 1, 1}});
    key(scene, root, Path::kTranslation, {0, 0, 0}, {0, 0, 2});
    key_turn(scene, root, {}, turn(kY, 90));
    return scene;
}

TEST_F(MotionFileTest, ARootThatTravelsByItselfIsTold) {
    const Scene scene = own_root();
    const auto chosen = choose_joints(scene, {});
    ASSERT_THAT(chosen, IsOk());
    const auto rig = Rig::bind(scene, 0, {});
    Clip clip =
        bake(take_of(scene, rig.value().source(), chosen.value().skeleton, chosen.value().sources),
             {"c", 0, 24, {24, 1}, {24, 1}, 25, false})
            .clip;
    extract_travel(clip, chosen.value().skeleton, 1, {});
    EXPECT_TRUE(clip.travel.ground && clip.travel.heading && !clip.travel.height);
    EXPECT_NEAR(clip.travel.distance_m, 2, 1e-6);
    EXPECT_NEAR(clip.travel.heading_change_rad, std::numbers::pi / 2, 1e-6);
    EXPECT_NEAR(clip.travel.step.z, 2, 1e-6) << "in the axes in which it begins";
    EXPECT_NEAR(clip.travel.step_heading_rad, std::numbers::pi / 2, 1e-6);
}

TEST_F(MotionFileTest, AnOwnRootThatRestsTurnedOrScaledBecomesClean) {
    for (const auto& [rotation, scale, height] :
         {std::tuple("[-0.70710678,0,0,0.70710678]", 1.0, "[0,0,1]"),
          {"[0,0,0,1]", 100.0, "[0,0.01,0]"}}) {
        TinyGltf gltf;
        const int times = gltf.floats({0, 1}, "SCALAR"),
                  turns = gltf.floats({0, 0, 0, 1, 0, 0.38268343, 0, 0.92387953}, "VEC4");
        write_bytes(
            folder_ / "figure.glb",
            gltf.glb(fmt::format(
                R"("scene":0,"scenes":[{{"nodes":[0]}}],"nodes":[{{"name":"root","rotation":{},"scale":[{},{},{}],"children":[1]}},{{"name":"hips","translation":{},"children":[2]}},{{"name":"head","translation":{}}}],"animations":[{{"name":"m","samplers":[{{"input":{},"output":{}}}],"channels":[{{"sampler":0,"target":{{"node":1,"path":"rotation"}}}}]}}])",
                rotation, scale, scale, scale, height, height, times, turns)));
        const auto report = pack_text(
            folder_,
            "[source]\nfile = \"figure.glb\"\n[output]\nfolder = \"out\"\npicture = false\n"
            "[target]\nrate = 24\n[[clip]]\nname = \"c\"\nrange = [0, 24]\n",
            true);
        ASSERT_THAT(report, IsOk());
        EXPECT_TRUE(report.value().proven) << text_of(report.value().findings);
        const auto nodes = plain_gltf_worlds(read_text(folder_ / "out/clips/c.glb"), "c", 0);
        EXPECT_NEAR(nodes.at("head").world[1][3], 2, 1e-5) << "a metre above another";
        for (int i = 0; i < 3; ++i)
            for (int k = 0; k < 3; ++k)
                EXPECT_NEAR(nodes.at("root").world[i][k], i == k ? 1 : 0, 1e-5) << scale;
    }
}

}  // namespace
}  // namespace mellow::motion_file_test
