// Where work is cut into pieces, nothing may show: tracks stay on one hemisphere over tiles,
// chunks, parts of large files, travel and lifting, and bytes are the same on any number of
// threads.
#include <fmt/format.h>

#include <cmath>

#include "base/at.h"
#include "mellow/bake.h"
#include "mellow/fit.h"
#include "mellow/lift.h"
#include "mellow/parallel.h"
#include "mellow/travel.h"
#include "mellow/write.h"
#include "rigs.h"

namespace mellow::chunks_test {
namespace {

using namespace test;

/// The least dot product of neighbouring quaternions, and the one between two places.
template <class Numbers>
double least_dot(const Numbers& values) {
    double least = 1;
    for (std::size_t i = 4; i + 3 < values.size(); i += 4) {
        double dot = 0;
        for (std::size_t c = 0; c < 4; ++c)
            dot += static_cast<double>(values[i - 4 + c]) * static_cast<double>(values[i + c]);
        least = std::min(least, dot);
    }
    return least;
}

double cosine(double degrees) { return std::cos(degrees * std::numbers::pi / 180); }

Scene read(const std::string& text) {
    auto result = read_bvh(text, "t.bvh");
    EXPECT_THAT(result, IsOk());
    return result ? std::move(result.value().scene) : Scene{};
}

std::string bvh(const std::string& channels, const std::string& rows, int frames) {
    return "HIERARCHY\nROOT a\n{\nOFFSET 0 0 0\nCHANNELS " + channels +
           "\nEnd Site\n{\nOFFSET 0 1 0\n}\n}\nMOTION\nFrames: " + std::to_string(frames) +
           "\nFrame Time: 0.1\n" + rows;
}

TEST(SeamsTest, AnglesThatJumpByAWholeTurnStayOnOneHemisphere) {
    const Scene scene =
        read(bvh("3 Zrotation Xrotation Yrotation", "170 0 0\n-170 0 0\n170 0 0\n", 3));
    EXPECT_NEAR(least_dot(scene.timelines[0].channels[0].curve.values), cosine(10), 1e-12);
}

TEST(SeamsTest, LargeFilesAreReadInPartsThatJoin) {
    // Long enough for three parts on any machine; each frame 14 degrees on, never twice the same.
    std::string rows;
    int frames = 0;
    for (; rows.size() < (std::size_t{13} << 19); ++frames)
        rows += fmt::format("0.000000 1.000000 0.000000 {:.6f} 0.000000 {:.6f}\n",
                            std::remainder(14.0 * frames, 360), 1e-4 * frames);
    const std::string text =
        bvh("6 Xposition Yposition Zposition Zrotation Xrotation Yrotation", rows, frames);
    std::vector<std::vector<double>> values;
    for (const unsigned threads : {1U, 2U, 3U}) {
        const ThreadLimit limit(threads);
        const Scene scene = read(text);
        values.push_back(scene.timelines[0].channels[1].curve.values.list());
        EXPECT_NEAR(least_dot(values.back()), cosine(7), 1e-6);
        EXPECT_EQ(values.back().size(), 4 * at(frames));
    }
    EXPECT_TRUE(values[0] == values[1] && values[1] == values[2]);
}

/// A joint that spins about X by `degrees` a sample, below one that stands, with a helper between.
Clip spinning(double degrees, int samples) {
    Scene scene;
    scene.rate = {10, 1};
    const int hips = add_node(scene, "hips", kNone, {{0, 1, 0}, turn(kZ, 30), {1, 1, 1}});
    const int helper = add_node(scene, "helper", hips, {{0, 0.2, 0}, turn(kY, 20), {1, 1, 1}});
    const int wheel = add_node(scene, "wheel", helper, {{0, 0.2, 0}, {}, {1, 1, 1}});
    scene.skins.push_back({"s", {hips, wheel}, std::vector<Affine>(2), kNone, {}, {}});
    scene.timelines.emplace_back();
    for (const int node : {hips, wheel}) {
        Curve curve{Interpolation::kLinear, 4, {}, {}};
        for (int k = 0; k < samples; ++k) {
            const Quat q = scene.nodes[at(node)].local.r * turn(kX, degrees * k);
            curve.times.push_back(k / 10.0);
            curve.values.append({q.x, q.y, q.z, q.w});
        }
        scene.timelines[0].channels.push_back({node, Path::kRotation, curve});
    }
    const auto joints = choose_joints(scene, {}).value();
    const Rig rig = Rig::bind(scene, 0, {}).value();
    return bake(take_of(scene, rig.source(take_needs(scene, joints.skeleton, joints.sources)),
                        joints.skeleton, joints.sources),
                {"c", 0, samples - 1, {10, 1}, {10, 1}, samples, false})
        .clip;
}

TEST(SeamsTest, ChunksOfABakeJoin) {
    constexpr double kStep = 0.52 * 180 / std::numbers::pi;  // degrees a sample
    std::vector<Clip> clips;
    for (const unsigned threads : {1U, 2U, 3U}) {
        const ThreadLimit limit(threads);
        clips.push_back(spinning(kStep, 1100));
        for (const JointTrack& track : clips.back().joints)
            EXPECT_NEAR(least_dot(track.rotation), std::cos(0.26), 1e-6);
    }
    for (std::size_t j = 0; j < 2; ++j)
        EXPECT_TRUE(clips[0].joints[j].rotation == clips[1].joints[j].rotation &&
                    clips[1].joints[j].rotation == clips[2].joints[j].rotation);
}

TEST(SeamsTest, WhereAChunkBeginsNothingTurns) {
    // Held at 170 degrees over several chunks; the scale is nothing for one sample in the middle.
    const Skeleton skeleton = Skeleton::make({{"a", -1, {}}, {"b", 0, {}}}).value();
    const Take held = take_of(skeleton, [](double seconds, std::span<Transform> joints) {
        for (Transform& t : joints) t.r = test::turn({1, 0, 0}, 170);
        if (std::abs(seconds - 30) < 1e-6) joints[1].s = {1, 0, 1};
    });
    const ThreadLimit one(1);
    const Baked baked = bake(held, {"c", 0, 1100, {10, 1}, {10, 1}, 1101, false});
    for (const JointLoss& loss : baked.losses) EXPECT_LT(loss.fastest_turn_rad, 1e-6);
    EXPECT_EQ(baked.losses[0].smallest_scale, 1);
    EXPECT_EQ(baked.losses[1].smallest_scale, 0);
}

Skeleton root_and_hips(Vec3 rest) {
    return Skeleton::make({{"root", -1, {}}, {"hips", 0, {rest, {}, {1, 1, 1}}}}).value();
}
Clip still_clip(int samples) {
    Clip clip;
    clip.rate = {10, 1};
    clip.samples = samples;
    clip.joints = make_tracks(2, samples);
    return clip;
}

TEST(SeamsTest, SomersaultsTravelOnOneHemisphere) {
    Clip clip = still_clip(60);
    const Skeleton skeleton = root_and_hips({0, 1, 0});
    for (int k = 0; k < 60; ++k)
        store(clip.joints[1], k, {{0, 1, 0.1 * k}, turn(kX, 20 * k), {1, 1, 1}});
    extract_travel(clip, skeleton, 1, {true, true, true});
    EXPECT_NEAR(least_dot(clip.joints[1].rotation), cosine(10), 1e-5);
    EXPECT_GT(least_dot(clip.joints[0].rotation), 0.99);
    EXPECT_NEAR(clip.travel.heading_change_rad, 0, 1e-5) << "head over heels is no turn of heading";
}

TEST(SeamsTest, ChannelsOfTravelCountWholeTurns) {
    Clip clip = still_clip(73);
    const Skeleton skeleton = root_and_hips({0, 1, 0});
    for (int k = 0; k < 73; ++k)
        store(clip.joints[1], k, {{0, 1, 0.1 * k}, turn(kY, -15 * k), {1, 1, 1}});
    extract_travel(clip, skeleton, 1, {true, false, true});
    travel_channels(clip, skeleton);
    const ScalarTrack& turns = clip.scalars.back();
    EXPECT_EQ(turns.name, "travel.turn");
    for (int k = 0; k < 73; ++k) EXPECT_NEAR(turns.values.at(at(k)), -15 * k, 1e-3) << k;
}

TEST(SeamsTest, HiddenHeadingsAreHeld) {
    // Facing left; then hips upside down in a way that says nothing of a heading.
    Clip clip = still_clip(2);
    const Skeleton skeleton = root_and_hips({0, 1, 0});
    store(clip.joints[1], 0, {{0, 1, 0}, turn(kY, 90), {1, 1, 1}});
    store(clip.joints[1], 1, {{0, 1, 0}, turn(kY, 90) * turn(kX, 180), {1, 1, 1}});
    extract_travel(clip, skeleton, 1, {false, false, true});
    EXPECT_NEAR(test::angle(local_at(clip.joints[0], 1).r, turn(kY, 90)), 0, 1e-4);
    EXPECT_NEAR(clip.travel.heading_change_rad, 0, 1e-6);
}

TEST(SeamsTest, TheRestPlaceOfTheHipsTurnsWithTheHeading) {
    // Hips that rest 0.1 in front of the root, facing left at (0.1, 1, 0): the root stands at 0.
    Clip clip = still_clip(2);
    const Skeleton skeleton = root_and_hips({0, 1, 0.1});
    for (int k = 0; k < 2; ++k)
        store(clip.joints[1], k, {{0.1, 1, 0.5 * k}, turn(kY, 90), {1, 1, 1}});
    extract_travel(clip, skeleton, 1, {true, false, true});
    EXPECT_LT(length(local_at(clip.joints[0], 0).t), 1e-6);
    for (int k = 0; k < 2; ++k)
        EXPECT_LT(length(local_at(clip.joints[1], k).t - Vec3{0, 1, 0.1}), 1e-6);
    // Its step is told in its own axes: 0.5 along the world's Z is to its right, -X.
    EXPECT_LT(length(clip.travel.step - Vec3{-0.5, 0, 0}), 1e-6);
}

TEST(SeamsTest, LiftedTurnsStayOnOneHemisphere) {
    Scene scene;
    add_node(scene, "hips", kNone, {});
    add_node(scene, "ctl", kNone, {{0, 0, 1}, {}, {1, 1, 1}});
    Scene motion;
    motion.nodes = {scene.nodes[0]};
    motion.roots = {0};
    motion.rate = {10, 1};
    motion.timelines.emplace_back();
    Curve curve{Interpolation::kLinear, 4, {}, {}};
    for (int k = 0; k <= 40; ++k) {
        const Quat q = nearest(turn(kY, 10 * k), {});  // jumps over to the other side
        curve.times.push_back(k / 10.0);
        curve.values.append({q.x, q.y, q.z, q.w});
    }
    motion.timelines[0].channels.push_back({0, Path::kRotation, curve});
    const auto lifted = lift(scene,
                             test::sheet("[[rule]]\nkind = \"follow\"\nnode = \"hips\"\n"
                                         "source = \"ctl\"\nparts = [\"orientation\"]\n"),
                             motion, 0);
    ASSERT_THAT(lifted, IsOk());
    EXPECT_NEAR(least_dot(lifted.value().timeline.channels[0].curve.values), cosine(5), 1e-6);
}

TEST(SeamsTest, KeyedMatricesStayOnOneHemisphere) {
    std::string times, matrices;
    for (int k = 0; k <= 6; ++k) {
        const double a = k * 100 * std::numbers::pi / 180;
        times += fmt::format("{} ", k);
        matrices += fmt::format("{0} {1} 0 0 {2} {0} 0 0 0 0 1 0 0 0 0 1 ", std::cos(a),
                                -std::sin(a), std::sin(a));
    }
    const std::string text = fmt::format(
        R"(<COLLADA version="1.4.1"><asset><unit meter="1"/><up_axis>Y_UP</up_axis></asset>
<library_animations><animation id="an"><source id="i"><float_array id="ia" count="7">{}</float_array><technique_common><accessor source="#ia" count="7" stride="1"><param name="TIME" type="float"/></accessor></technique_common></source>
<source id="o"><float_array id="oa" count="112">{}</float_array><technique_common><accessor source="#oa" count="7" stride="16"><param name="TRANSFORM" type="float4x4"/></accessor></technique_common></source>
<sampler id="s"><input semantic="INPUT" source="#i"/><input semantic="OUTPUT" source="#o"/></sampler><channel source="#s" target="n/m"/></animation></library_animations>
<library_visual_scenes><visual_scene id="v"><node id="n"><matrix sid="m">1 0 0 0 0 1 0 0 0 0 1 0 0 0 0 1</matrix></node></visual_scene></library_visual_scenes><scene><instance_visual_scene url="#v"/></scene></COLLADA>)",
        times, matrices);
    const auto none = [](const std::string&) -> Result<Bytes> { return Bytes(); };
    const auto scene = read_collada(Bytes(text.begin(), text.end()), "m.dae", none);
    ASSERT_THAT(scene, IsOk());
    int turns = 0;
    for (const Channel& c : scene.value().scene.timelines[0].channels) {
        if (c.path != Path::kRotation) continue;
        ++turns;
        EXPECT_NEAR(least_dot(c.curve.values), cosine(50), 1e-6);
    }
    EXPECT_EQ(turns, 1);
}

TEST(SeamsTest, WrittenAnglesDoNotJump) {
    const Clip clip = spinning(35, 40);
    Skeleton skeleton = Skeleton::make({{"hips", -1, {}}, {"wheel", 0, {}}}).value();
    const auto text = write_bvh(skeleton, clip, {});
    ASSERT_THAT(text, IsOk());
    // The last joint's angles, row by row.
    const std::string& all = text.value().text;
    std::string rows = all.substr(all.find("Frame Time:"));
    rows.erase(0, rows.find('\n') + 1);
    double before[3] = {0, 0, 0};
    int row = 0;
    for (std::size_t from = 0; from < rows.size(); ++row) {
        const std::size_t end = rows.find('\n', from);
        std::vector<double> n;
        const char* p = rows.c_str() + from;
        for (char* next = nullptr; p < rows.c_str() + end; p = next)
            n.push_back(std::strtod(p, &next));
        ASSERT_GE(n.size(), 9U);
        for (std::size_t c = 0; c < 3; ++c) {
            const double angle = n[n.size() - 3 + c];
            if (row > 0) {
                EXPECT_LT(std::abs(angle - before[c]), 120) << row;
            }
            before[c] = angle;
        }
        from = end + 1;
    }
    EXPECT_EQ(row, 40);
}

}  // namespace
}  // namespace mellow::chunks_test
