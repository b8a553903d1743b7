// Baking speed: 100 joints, 4096 frames, 30 limb rules, beside a plain copy of the same bytes.
#include <benchmark/benchmark.h>
#include <fmt/format.h>

#include <cmath>
#include <cstring>

#include "mellow/bake.h"
#include "mellow/parallel.h"
#include "mellow/rig.h"

namespace {

using namespace mellow;

constexpr int kJoints = 100, kLimbs = 30, kFrames = 4096, kKeyEvery = 4;
constexpr FrameRate kRate{30, 1};

struct Stage {
    Scene scene;
    RigSheet sheet, none;
    std::vector<std::string> joints;
};

int add(Scene& scene, const std::string& name, int parent, Vec3 place) {
    Node node;
    node.name = name;
    node.parent = parent;
    node.local.t = place;
    if (parent == kNone) scene.roots.push_back(static_cast<int>(scene.nodes.size()));
    scene.nodes.push_back(node);
    return static_cast<int>(scene.nodes.size()) - 1;
}

/// Keys a control on a wandering path, one key every kKeyEvery frames.
void key(Scene& scene, int node, double phase) {
    const Vec3 rest = scene.nodes[static_cast<std::size_t>(node)].local.t;
    Channel place{node, Path::kTranslation, {Interpolation::kLinear, 3, {}, {}}};
    Channel turn{node, Path::kRotation, {Interpolation::kLinear, 4, {}, {}}};
    for (int f = 0; f < kFrames + kKeyEvery; f += kKeyEvery) {
        const double a = 0.05 * f + phase;
        const Quat q = from_axis_angle({0, 1, 0}, 0.5 * std::sin(a));
        place.curve.times.push_back(kRate.seconds(f));
        turn.curve.times.push_back(kRate.seconds(f));
        place.curve.values.append({rest.x + 0.2 * std::sin(a), rest.y + 0.1 * std::cos(a),
                                   rest.z + 0.2 * std::cos(2 * a)});
        turn.curve.values.append({q.x, q.y, q.z, q.w});
    }
    scene.timelines[0].channels.push_back(std::move(place));
    scene.timelines[0].channels.push_back(std::move(turn));
}

/// A trunk of ten joints, three limbs of three joints on each; limbs and trunk make 100 joints.
Stage make_stage() {
    Stage s;
    s.scene.timelines.emplace_back();
    std::vector<int> trunk;
    for (int i = 0; i < kJoints - 3 * kLimbs; ++i) {
        trunk.push_back(
            add(s.scene, fmt::format("trunk{}", i), i == 0 ? kNone : trunk.back(), {0, 0.1, 0}));
        key(s.scene, trunk.back(), i);
    }
    for (int i = 0; i < kLimbs; ++i) {
        const double side = i % 3 - 1;
        const int start = add(s.scene, fmt::format("start{}", i),
                              trunk[static_cast<std::size_t>(i / 3)], {side, 0, 0.2});
        const int mid = add(s.scene, fmt::format("mid{}", i), start, {0, -0.5, 0.02});
        add(s.scene, fmt::format("end{}", i), mid, {0, -0.45, -0.02});
        key(s.scene, add(s.scene, fmt::format("goal{}", i), kNone, {side, 0.05 * i - 0.6, 0.4}), i);
        key(s.scene, add(s.scene, fmt::format("pole{}", i), kNone, {side, 0.05 * i, 2}), 2 * i);
        s.sheet.rules.push_back(
            {"bench",
             LimbRule{fmt::format("start{}", i), fmt::format("mid{}", i), fmt::format("end{}", i),
                      fmt::format("goal{}", i), fmt::format("pole{}", i), true}});
    }
    // The joints alone make the skeleton: goals and poles are helpers.
    Skin skin;
    for (std::size_t n = 0; n < s.scene.nodes.size(); ++n)
        if (!s.scene.nodes[n].name.starts_with("goal") &&
            !s.scene.nodes[n].name.starts_with("pole"))
            skin.joints.push_back(static_cast<int>(n));
    skin.inverse_binds.resize(skin.joints.size());
    s.scene.skins.push_back(skin);
    return s;
}

const Stage& stage() {
    static const Stage made = make_stage();
    return made;
}

void run_bake(benchmark::State& state, const RigSheet& sheet) {
    const Scene& scene = stage().scene;
    const ThreadLimit limit(static_cast<unsigned>(state.range(0)));
    const Rig rig = Rig::bind(scene, 0, sheet).value();
    const ChosenJoints chosen = choose_joints(scene, {}).value();
    const SamplePlan plan{"all", 0, kFrames - 1, kRate, kRate, kFrames, false};
    const PoseSource poses = rig.source();
    for (auto _ : state) {
        const Baked baked = bake(scene, poses, plan, chosen.skeleton, chosen.sources);
        benchmark::DoNotOptimize(baked.clip.joints.data());
    }
    state.counters["joint_frames"] =
        benchmark::Counter(static_cast<double>(chosen.skeleton.size()) * kFrames *
                               static_cast<double>(state.iterations()),
                           benchmark::Counter::kIsRate);
}

void bake_limbs(benchmark::State& state) { run_bake(state, stage().sheet); }
void bake_without_rules(benchmark::State& state) { run_bake(state, stage().none); }

/// The bytes baking reads and writes, copied: keys of all curves, and ten floats per joint and
/// frame.
void copy_of_the_same_bytes(benchmark::State& state) {
    std::size_t bytes = static_cast<std::size_t>(kJoints) * kFrames * 10 * sizeof(float);
    for (const Channel& c : stage().scene.timelines[0].channels)
        bytes += (c.curve.times.size() + c.curve.values.size()) * sizeof(double);
    std::vector<char> from(bytes, 1), to(bytes);
    for (auto _ : state) {
        std::memcpy(to.data(), from.data(), bytes);
        benchmark::DoNotOptimize(to.data());
        benchmark::ClobberMemory();
    }
    state.counters["bytes"] = static_cast<double>(bytes);
    state.counters["joint_frames"] = benchmark::Counter(
        static_cast<double>(kJoints) * kFrames * static_cast<double>(state.iterations()),
        benchmark::Counter::kIsRate);
}

BENCHMARK(bake_limbs)
    ->ArgName("threads")
    ->Arg(1)
    ->Arg(2)
    ->UseRealTime()
    ->Unit(benchmark::kMillisecond);
BENCHMARK(bake_without_rules)
    ->ArgName("threads")
    ->Arg(1)
    ->Arg(2)
    ->UseRealTime()
    ->Unit(benchmark::kMillisecond);
BENCHMARK(copy_of_the_same_bytes)->UseRealTime()->Unit(benchmark::kMillisecond);

}  // namespace
