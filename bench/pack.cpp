// A crate of 300 clips of a figure with 29 joints, 15 000 samples in all; the same with nothing
// changed; and what proving takes of it. One and two threads.
#include <benchmark/benchmark.h>
#include <fmt/format.h>
#include <unistd.h>

#include <filesystem>

#include "mellow/fit.h"
#include "mellow/pack.h"
#include "mellow/parallel.h"
#include "mellow/rig.h"
#include "mellow/write.h"
#include "orchard.h"

namespace {

namespace fs = std::filesystem;
using namespace mellow;

constexpr int kClips = 300;

/// Tamsin's files and a recipe of 300 ranges, in memory-backed storage.
const fs::path& folder() {
    static const struct Folder {
        fs::path path = fs::path("/dev/shm") / fmt::format("mellow-bench-{}", getpid());
        Folder() {
            fs::create_directories(path);
            for (const orchard::File& file : orchard::tamsin_files())
                (void)write_file(path / file.name, file.bytes, true);
        }
        ~Folder() { fs::remove_all(path); }
    } made;
    return made.path;
}

Recipe many_clips() {
    std::string text = orchard::kTamsinRecipe;
    text = text.substr(0, text.find("[[clip]]"));
    for (int i = 0; i < kClips; ++i)
        text += fmt::format("[[clip]]\nname = \"c{:03}\"\nrange = [{}, {}]\n", i, i % 180,
                            i % 180 + 40);
    text += "[output]\nfolder = \"out\"\nname = \"tamsin\"\npicture = false\n";
    return parse_recipe(text, "many.recipe.toml", folder()).value();
}

void pack_many(benchmark::State& state) {
    const ThreadLimit threads(static_cast<unsigned>(state.range(0)));
    const Recipe recipe = many_clips();
    PackOptions options;
    options.replace = options.all = true;
    options.keep = 0;
    for (auto _ : state) {
        const auto report = pack(recipe, options);
        if (!report || report.value().clips.size() != kClips) state.SkipWithError("not packed");
    }
}

/// The same for two targets: left-handed, in centimetres, under other names.
void pack_two_targets(benchmark::State& state) {
    const ThreadLimit threads(static_cast<unsigned>(state.range(0)));
    Recipe recipe = many_clips();
    Target second = recipe.target();
    second.name = "second";
    second.convention = {0.01, Axis::kPlusZ, Axis::kPlusX, Hand::kLeft};
    second.joints.renames = {{"hips", "pelvis"}, {"*.L", "*_left"}};
    recipe.targets.push_back(std::move(second));
    recipe.output = folder() / "two";
    PackOptions options;
    options.replace = options.all = true;
    options.keep = 0;
    for (auto _ : state) {
        const auto reports = pack_all(recipe, options);
        if (!reports || reports.value().size() != 2) state.SkipWithError("not packed");
    }
}

void pack_unchanged(benchmark::State& state) {
    const ThreadLimit threads(static_cast<unsigned>(state.range(0)));
    const Recipe recipe = many_clips();
    PackOptions options;
    options.replace = true;
    (void)pack(recipe, options);
    for (auto _ : state) {
        const auto report = pack(recipe, options);
        if (!report || report.value().reused != kClips) state.SkipWithError("packed again");
    }
}

/// Four seconds of Tamsin standing, as a take and as the scenes of its files.
struct Proven {
    Scene scene = [] {
        Scene out = orchard::tamsin_scene();
        out.convention = {0.01, Axis::kPlusZ, Axis::kMinusY};
        to_inside(out);
        return out;
    }();
    RigSheet sheet = [] {
        RigSheet out = parse_rig_sheet(orchard::kTamsinRig, "tamsin.rig.toml").value();
        convert(out, Conversion({0.01, Axis::kPlusZ, Axis::kMinusY}, {}));
        return out;
    }();
    ChosenJoints joints = choose_joints(scene, {}).value();
    SamplePlan plan{"stand", 0, 96, {24, 1}, {30, 1}, 121, true};
    std::shared_ptr<const Rig> rig =
        std::make_shared<const Rig>(Rig::bind(scene, 0, sheet).value());
    Scene skin = assemble_skin(scene, joints.skeleton, joints.sources).scene;
    SkinProof proof = SkinProof::make({scene, joints.skeleton, joints.sources}, skin).value();
    Take take = play(scene, rig, joints.skeleton, joints.sources, {proof.mounts()});
    Scene clip = assemble_clip(joints.skeleton, bake(take, plan).clip, "");
};

void bake_of_it(benchmark::State& state) {
    const ThreadLimit threads(1);
    const Proven it;
    for (auto _ : state) benchmark::DoNotOptimize(bake(it.take, it.plan));
    state.SetItemsProcessed(state.iterations() * it.plan.samples);
}

void prove(benchmark::State& state) {
    const ThreadLimit threads(1);
    const Proven it;
    for (auto _ : state)
        if (!prove_clip(it.take, it.plan, it.proof, it.clip)) state.SkipWithError("not proven");
    state.SetItemsProcessed(state.iterations() * it.plan.samples);
}

BENCHMARK(pack_many)->Arg(1)->Arg(2)->UseRealTime()->Unit(benchmark::kMillisecond);
BENCHMARK(pack_two_targets)->Arg(1)->Arg(2)->UseRealTime()->Unit(benchmark::kMillisecond);
BENCHMARK(pack_unchanged)->Arg(1)->Arg(2)->UseRealTime()->Unit(benchmark::kMillisecond);
BENCHMARK(bake_of_it)->UseRealTime()->Unit(benchmark::kMicrosecond);
BENCHMARK(prove)->UseRealTime()->Unit(benchmark::kMicrosecond);

}  // namespace
