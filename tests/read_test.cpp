// Reading by evidence: keys, names and places of joints that files leave open.
#include "mellow/pose.h"
#include "mellow/write.h"
#include "plain_bvh.h"
#include "rigs.h"
#include "small_figure.h"

namespace mellow::read_test {
namespace {

using namespace test;
using namespace testing;

std::string bvh(const std::string& frames, const std::string& count = "2") {
    return "HIERARCHY\nROOT hips\n{\n OFFSET 0 0.96 0\n CHANNELS 6 Xposition Yposition Zposition "
           "Zrotation "
           "Xrotation Yrotation\n JOINT head\n {\n  OFFSET 0 0.5 0\n  CHANNELS 3 Zrotation "
           "Xrotation "
           "Yrotation\n  End Site\n  {\n   OFFSET 0 0.2 0\n  }\n }\n}\nMOTION\nFrames: " +
           count + "\nFrame Time: 0.04\n" + frames;
}

TEST(ReadTest, QuaternionsAreUnitBeforeTheyAreMixed) {
    // A quarter turn about Z in one second, its first key 0.7 long: at a quarter of the way 22.5
    // degrees.
    TinyGltf floats, bytes;
    const double s = std::sqrt(0.5);
    const std::string members =
        R"("nodes":[{"name":"n"}],"animations":[{"name":"m","samplers":[{"input":0,"output":1}],"channels":[{"sampler":0,"target":{"node":0,"path":"rotation"}}]}])";
    floats.floats({0, 1}, "SCALAR");
    floats.floats({0, 0, 0, 0.7, 0, 0, s, s}, "VEC4");
    bytes.floats({0, 1}, "SCALAR");
    bytes.bytes({0, 0, 0, 120, 0, 0, 90, 90}, "VEC4", 5120, true);
    for (const auto& glb : {floats.glb(members), bytes.glb(members)}) {
        const auto read = test::read_tiny(glb);
        ASSERT_THAT(read, IsOk());
        EXPECT_THAT(read.value().findings, SizeIs(1)) << "beyond one part in a hundred it is said";
        const Scene& scene = read.value().scene;
        const Affine m = pose_at(scene, scene.timelines[0], 0.25).worlds[0];
        EXPECT_NEAR(std::atan2(m.x.y, m.x.x) * 180 / M_PI, 22.5, 1e-5);
        EXPECT_NEAR(
            test::angle(test::evaluate(scene, {}, 0.25).local(0, 0).r, test::turn(test::kZ, 22.5)),
            0, 1e-5);
    }
}

TEST(ReadTest, OneUnevenKeyLeavesTheRate) {
    Scene scene = test::chain_scene(1, 1);
    std::vector<double> times, values;
    for (int f = 0; f <= 48; ++f) {
        times.push_back(f == 20 ? 20.2 / 24 : f / 24.0);
        values.insert(values.end(), {0.0, 0.0, f * 0.1});
    }
    scene.timelines.emplace_back();
    scene.timelines[0].channels.push_back(
        {0, Path::kTranslation, {Interpolation::kLinear, 3, times, {}}});
    scene.timelines[0].channels[0].curve.values = values;
    FrameRate rate;
    ASSERT_TRUE(guess_rate(scene, rate));
    EXPECT_EQ(rate, (FrameRate{24, 1}));
}

TEST(ReadTest, NamesThatAreMissingDoubleOrNoUtf8) {
    const TempFolder folder;
    TinyGltf gltf;
    gltf.floats({0, 1}, "SCALAR");
    gltf.floats({0, 0, 0, 0, 0, 1}, "VEC3");
    const std::string one =
        R"("samplers":[{"input":0,"output":1}],"channels":[{"sampler":0,"target":{"node":0,"path":"translation"}}])";
    write_bytes(folder / "t.glb", gltf.glb(R"("nodes":[{"name":"n"}],"animations":[{"name":"a",)" +
                                           one + R"(},{"name":"a",)" + one + "},{" + one + "}]"));
    const auto read = read_scene(folder / "t.glb");
    ASSERT_THAT(read, IsOk());
    EXPECT_EQ(read.value().scene.timelines[1].name, "a_2");
    EXPECT_EQ(read.value().scene.timelines[2].name, "animation_2");
    write_text(folder / "l.bvh",
               "HIERARCHY\nROOT H\xFC"
               "fte\n{\n OFFSET 0 0 0\n CHANNELS 3 Zrotation Xrotation Yrotation\n End "
               "Site\n {\n OFFSET 0 1 0\n }\n}\nMOTION\nFrames: 1\nFrame Time: 0.04\n0 0 0\n");
    const auto latin = read_scene(folder / "l.bvh");
    ASSERT_THAT(latin, IsOk());
    EXPECT_EQ(latin.value().scene.nodes[0].name,
              "H\xC3\xBC"
              "fte");
}

TEST(ReadTest, PlacesAreReadByEvidenceAndByWord) {
    const std::string beside_zero = bvh("0 0 0 0 0 0 0 0 0\n0.1 0.02 0.3 90 0 0 0 0 0\n");
    const std::string beside_offset = bvh("0 0.96 0 0 0 0 0 0 0\n0.1 0.98 0.3 90 0 0 0 0 0\n");
    for (const auto& [text, added] :
         {std::pair(beside_zero, true), std::pair(beside_offset, false)})
        for (const std::optional<BvhPlaces> told :
             {std::optional<BvhPlaces>(), std::optional(BvhPlaces::kAdded),
              std::optional(BvhPlaces::kInstead)}) {
            ReadLimits limits;
            limits.bvh_places = told;
            const auto read = read_bvh(text, "t.bvh", limits);
            ASSERT_THAT(read, IsOk());
            const Scene& scene = read.value().scene;
            const Pose pose = pose_at(scene, scene.timelines[0], 0.04);
            const auto plain =
                test::plain_bvh_places(text, 1, told ? *told == BvhPlaces::kAdded : added);
            for (const char* name : {"hips", "head"}) {
                const Vec3 o = pose.worlds[static_cast<std::size_t>(find_node(scene, name))].o;
                const auto& p = plain.at(name);
                EXPECT_NEAR(length(o - Vec3{p[0], p[1], p[2]}), 0, 1e-12) << name;
            }
            EXPECT_EQ(read.value().findings.size(), told ? 1U : 2U);
        }
}

TEST(ReadTest, WhatIsWrittenMeansTheSameToEveryReader) {
    // Hips that walk, a head that turns a quarter about Z and slides out: each 1 and 0.5 m up at
    // rest.
    auto made = Skeleton::make({{"hips", -1, {{0, 1, 0}, {}, {1, 1, 1}}},
                                {"head", 0, {{0, 0.5, 0}, {}, {1, 1, 1}}},
                                {"tip", 1, {{0, 0.2, 0}, {}, {1, 1, 1}}}});
    ASSERT_THAT(made, IsOk());
    Clip clip;
    clip.samples = 2;
    clip.rate = {25, 1};
    for (int j = 0; j < 3; ++j) {
        JointTrack track;
        track.translation.resize(6), track.rotation.resize(8), track.scale.resize(6);
        clip.joints.push_back(track);
    }
    for (int k = 0; k < 2; ++k) {
        store(clip.joints[0], k, {{0, 1, 0.3 * k}, {}, {1, 1, 1}});
        store(clip.joints[1], k, {{0.1 * k, 0.5, 0}, test::turn(test::kZ, 90.0 * k), {1, 1, 1}});
        store(clip.joints[2], k, {{0, 0.2, 0}, {}, {1, 1, 1}});
    }
    const auto written = write_bvh(made.value(), clip, {});
    ASSERT_THAT(written, IsOk());
    for (const bool added : {true, false}) {
        const auto places = test::plain_bvh_places(written.value().text, 1, added);
        const std::array<double, 3> tip{0.1 - 0.2, 1.5, 0.3};  // 0.2 up, turned to -X
        for (std::size_t i = 0; i < 3; ++i) EXPECT_NEAR(places.at("tip")[i], tip[i], 1e-6) << added;
    }
}

TEST(ReadTest, FramesThatAreNotThereOrTooMany) {
    const std::string two = "0 0 0 0 0 0 0 0 0\n0 0 0 0 0 0 0 0 0\n";
    ReadLimits all, declared;
    all.bvh_frames = BvhFrames::kAll;
    declared.bvh_frames = BvhFrames::kDeclared;
    EXPECT_THAT(read_bvh(bvh(two, "3"), "t.bvh"), FailsWith(Code::kBvhBroken, "t.bvh:17"));
    const auto keys = [](const Result<ReadResult>& read) {
        return read.value().scene.timelines[0].channels[0].curve.times.size();
    };
    EXPECT_EQ(keys(read_bvh(bvh(two, "3"), "t.bvh", all)), 2U);
    EXPECT_EQ(keys(read_bvh(bvh(two, "1"), "t.bvh", declared)), 1U);
    EXPECT_EQ(keys(read_bvh(bvh(two, "1"), "t.bvh")), 2U);
}

}  // namespace
}  // namespace mellow::read_test
