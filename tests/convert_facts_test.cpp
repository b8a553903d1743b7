// What convert must carry or say: steps, holds, rates that nobody asked for, options without use.
#include <gmock/gmock.h>

#include <nlohmann/json.hpp>

#include "packing.h"
#include "plain_bvh.h"
#include "plain_dae.h"
#include "plain_gltf.h"
#include "small_figure.h"

namespace mellow::convert_facts_test {
namespace {

using namespace test;
using nlohmann::json;
using testing::HasSubstr;

/// One bone whose place along X has three keys, interpolated as said; first key at `begin`.
std::vector<std::uint8_t> moving(const std::string& kind, double begin) {
    TinyGltf gltf;
    const bool cubic = kind == "CUBICSPLINE";
    const int times = gltf.floats({begin, begin + 1, begin + 2}, "SCALAR");
    std::vector<double> values;
    for (const double x : {1.0, 3.0, 2.0})
        for (int i = 0; i < (cubic ? 3 : 1); ++i)
            values.insert(values.end(), {!cubic || i == 1 ? x : 0.0, 0, 0});
    const int out = gltf.floats(values, "VEC3");
    return gltf.glb(fmt::format(
        R"("scene":0,"scenes":[{{"nodes":[0]}}],"nodes":[{{"name":"a","children":[1]}},{{"name":"b","translation":[0,1,0]}}],"animations":[{{"name":"m","samplers":[{{"input":{},"output":{},"interpolation":"{}"}}],"channels":[{{"sampler":0,"target":{{"node":0,"path":"translation"}}}}]}}])",
        times, out, kind));
}

class ConvertFactsTest : public testing::Test {
  protected:
    ToolRun convert(const std::string& arguments) {
        return run_tool("convert " + arguments, "cd '" + folder_.path().string() + "' && ");
    }
    std::string file(const std::string& name) const { return read_text(folder_ / name); }
    TempFolder folder_;
};

TEST_F(ConvertFactsTest, StepsStayStepsInMatricesAndCubicIsSampledAndSaid) {
    write_bytes(folder_ / "step.glb", moving("STEP", 0));
    ASSERT_EQ(convert("step.glb step.dae --matrices").exit, 0);
    const std::string dae = file("step.dae");
    EXPECT_THAT(dae, HasSubstr("STEP"));
    EXPECT_EQ(dae.find("LINEAR"), dae.npos);
    write_bytes(folder_ / "cubic.glb", moving("CUBICSPLINE", 0));
    const ToolRun run = convert("cubic.glb cubic.dae --matrices");
    EXPECT_EQ(run.exit, 0);
    EXPECT_THAT(run.err + run.out, HasSubstr("cubic"));
    // Half way of the first second a cubic with flat ends stands half way.
    ASSERT_EQ(convert("cubic.dae back.glb --to-rate 2").exit, 0);
    EXPECT_NEAR(plain_gltf_worlds(file("back.glb"), "m", 1).at("a").world[0][3], 2, 1e-6);
}

TEST_F(ConvertFactsTest, WhatStandsBeforeTheFirstKeyIsHeld) {
    write_bytes(folder_ / "late.glb", moving("LINEAR", 0.5));
    ASSERT_EQ(convert("late.glb late.dae").exit, 0);
    ASSERT_EQ(convert("late.glb late.bvh --to-rate 4").exit, 0);
    ASSERT_EQ(convert("late.glb even.glb --to-rate 4").exit, 0);
    // At 0 and a quarter second the first value, then a quarter of the way every quarter second.
    const double wanted[] = {1, 1, 1, 1.5, 2, 2.5, 3};
    const auto times = plain_gltf_times(file("even.glb"), "m");
    ASSERT_EQ(times.size(), 11U);
    for (int k = 0; k < 7; ++k) {
        EXPECT_NEAR(times[static_cast<std::size_t>(k)], k / 4.0, 1e-6);
        EXPECT_NEAR(plain_gltf_worlds(file("even.glb"), "m", k).at("a").world[0][3], wanted[k],
                    1e-6);
        EXPECT_NEAR(plain_bvh_places(file("late.bvh"), k, true).at("a")[0], wanted[k], 1e-6);
    }
    EXPECT_NEAR(plain_dae_places(file("late.dae"), "m", 0.5).at("a")[0], 1, 1e-6);
    EXPECT_NEAR(plain_dae_places(file("late.dae"), "m", 1.5).at("a")[0], 3, 1e-6);
}

TEST_F(ConvertFactsTest, ATargetWithoutARateLeavesKeysWhereTheyAre) {
    write_bytes(folder_ / "keys.glb", moving("LINEAR", 0));
    write_text(folder_ / "no.target.toml", "up = \"+Z\"\nfront = \"-Y\"\nunit = \"centimetre\"\n");
    write_text(folder_ / "with.target.toml", read_text(folder_ / "no.target.toml") + "rate = 10\n");
    ASSERT_EQ(convert("keys.glb no.glb --target no.target.toml").exit, 0);
    EXPECT_THAT(plain_gltf_times(file("no.glb"), "m"), testing::ElementsAre(0, 1, 2));
    ASSERT_EQ(convert("keys.glb with.glb --target with.target.toml").exit, 0);
    EXPECT_THAT(plain_gltf_times(file("with.glb"), "m"), testing::SizeIs(21));
}

TEST_F(ConvertFactsTest, AnimationsWithoutChannelsAreLeftOutAndSaid) {
    // Morph weights alone move: without the mesh nothing is left of the motion.
    write_files(folder_.path(), tamsin());
    TinyGltf gltf;
    const int times = gltf.floats({0, 1}, "SCALAR"), weights = gltf.floats({0, 1}, "SCALAR"),
              places = gltf.floats({0, 0, 0, 1, 0, 0, 0, 1, 0}, "VEC3");
    write_bytes(
        folder_ / "blink.glb",
        gltf.glb(fmt::format(
            R"("scene":0,"scenes":[{{"nodes":[0]}}],"nodes":[{{"name":"face","mesh":0}}],"meshes":[{{"primitives":[{{"attributes":{{"POSITION":{1}}},"targets":[{{"POSITION":{1}}}]}}]}}],"animations":[{{"name":"m","samplers":[{{"input":{0},"output":{2}}}],"channels":[{{"sampler":0,"target":{{"node":0,"path":"weights"}}}}]}}])",
            times, places, weights)));
    const ToolRun run = convert("blink.glb motion.gltf --parts motion");
    EXPECT_EQ(run.exit, 0) << run.err;
    EXPECT_THAT(run.out + run.err, HasSubstr("left-out"));
    EXPECT_FALSE(json::parse(file("motion.gltf")).contains("animations"));
}

TEST_F(ConvertFactsTest, WhatAFormatCannotHoldOfAClipIsSaid) {
    write_files(folder_.path(), tamsin());
    ASSERT_EQ(
        run_tool("pack tamsin.recipe.toml --quiet", "cd '" + folder_.path().string() + "' && ")
            .exit,
        0);
    for (const char* to : {"walk.bvh", "walk.dae"}) {
        const ToolRun run = convert(std::string("crates/tamsin/clips/walk.glb ") + to);
        EXPECT_EQ(run.exit, 0) << run.err;
        EXPECT_THAT(run.out + run.err, HasSubstr("loop")) << to;
    }
}

TEST_F(ConvertFactsTest, OptionsWithoutUseAreRefused) {
    write_bytes(folder_ / "a.glb", moving("LINEAR", 0));
    ASSERT_EQ(convert("a.glb a.bvh").exit, 0);
    for (const char* words :
         {"a.glb x.glb --order ZXY", "a.glb x.gltf --matrices", "a.glb x.bvh --matrices",
          "a.glb x.bvh --textures none", "a.glb x.glb --places added", "a.glb x.glb --frames 3",
          "a.glb x.bvh --parts skin"}) {
        const ToolRun run = convert(words);
        EXPECT_EQ(run.exit, 2) << words << run.out << run.err;
        const std::string option = std::string(words).substr(std::string(words).find("--"));
        EXPECT_THAT(run.err, HasSubstr(option.substr(0, option.find(' ')))) << words;
        for (const char* left : {"x.glb", "x.gltf", "x.bvh"})
            EXPECT_FALSE(std::filesystem::exists(folder_ / left)) << words;
    }
}

}  // namespace
}  // namespace mellow::convert_facts_test
