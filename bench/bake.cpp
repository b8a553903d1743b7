// Baking speed: 100 joints, 4096 frames, beside the same work done frame by frame with Eigen, and
// beside a plain copy of the bytes that go in and come out.
//
// Every joint has a key of translation, rotation and scale at every sample, in single precision, as
// a reader leaves them. Every fourth joint hangs below a helper that is not kept, so that it must
// be taken against another parent; the others hang on the joint above them.
#include <benchmark/benchmark.h>
#include <fmt/format.h>

#include <Eigen/Geometry>
#include <cmath>
#include <cstring>

#include "mellow/bake.h"
#include "mellow/parallel.h"
#include "mellow/rig.h"
#include "mellow/shaping.h"

namespace {

using namespace mellow;

constexpr int kJoints = 100, kFrames = 4096;
constexpr FrameRate kRate{30, 1};

std::size_t at(int i) { return static_cast<std::size_t>(i); }

struct Stage {
    Scene scene;
    RigSheet rules;
    std::vector<int> joints, parents;  ///< nodes, and for each the joint above it (-1: none)
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

/// Keys as a reader leaves them: single precision, one list of times for all.
void key(Scene& scene, int node, Path path, double phase) {
    static const KeyTimes times = [] {
        std::vector<double> list;
        for (int f = 0; f < kFrames; ++f) list.push_back(kRate.seconds(f));
        return KeyTimes(list);
    }();
    auto values = std::make_shared<std::vector<float>>();
    const Vec3 rest = scene.nodes[at(node)].local.t;
    for (int f = 0; f < kFrames; ++f) {
        const double a = 0.05 * f + phase;
        if (path == Path::kTranslation) {
            for (const double v :
                 {rest.x + 0.02 * std::sin(a), rest.y + 0.01 * std::cos(a), rest.z})
                values->push_back(static_cast<float>(v));
        } else if (path == Path::kRotation) {
            const Quat q =
                from_axis_angle(normalized({1, std::sin(phase), 0.5}, {}), 0.5 * std::sin(a));
            for (const double v : {q.x, q.y, q.z, q.w}) values->push_back(static_cast<float>(v));
        } else {
            for (int i = 0; i < 3; ++i)
                values->push_back(static_cast<float>(1 + 0.01 * std::sin(a)));
        }
    }
    Channel channel{
        node, path, {Interpolation::kLinear, path == Path::kRotation ? 4 : 3, times, {}}};
    const std::span<const float> span(*values);
    channel.curve.values = KeyValues(values, span);
    scene.timelines[0].channels.push_back(std::move(channel));
}
void key_all(Scene& scene, int node, double phase) {
    for (const Path path : {Path::kTranslation, Path::kRotation, Path::kScale})
        key(scene, node, path, phase);
}

/// Ten joints up the middle, thirty limbs of three on them.
Stage make_stage() {
    Stage s;
    s.scene.timelines.emplace_back();
    s.scene.rate = kRate;
    const auto joint = [&](const std::string& name, int above, Vec3 place) {
        int parent = above < 0 ? kNone : s.joints[at(above)];
        if (s.joints.size() % 4 == 3) {
            parent = add(s.scene, name + "_helper", parent, {0.01, 0, 0});
            key(s.scene, parent, Path::kRotation, 0.1);
        }
        s.joints.push_back(add(s.scene, name, parent, place));
        s.parents.push_back(above);
        return static_cast<int>(s.joints.size()) - 1;
    };
    for (int i = 0; i < 10; ++i) joint(fmt::format("trunk{}", i), i - 1, {0, 0.1, 0});
    for (int i = 0; i < 30; ++i) {
        const double side = i % 3 - 1;
        const int start = joint(fmt::format("start{}", i), i / 3, {side, 0, 0.2});
        joint(fmt::format("end{}", i), joint(fmt::format("mid{}", i), start, {0, -0.5, 0.02}),
              {0, -0.45, -0.02});
    }
    for (std::size_t j = 0; j < s.joints.size(); ++j)
        key_all(s.scene, s.joints[j], static_cast<double>(j));
    Skin skin;
    skin.joints = s.joints;
    skin.inverse_binds.resize(skin.joints.size());
    s.scene.skins.push_back(skin);
    return s;
}
const Stage& plain_stage() {
    static const Stage made = make_stage();
    return made;
}

/// Thirty limbs with the controls they need; nothing is between the joints of a limb. `keyed`: the
/// joints of limbs have keys of their own, as all others have, whether or not a rule moves them.
Stage make_ruled_stage(bool keyed) {
    Stage s;
    Scene& scene = s.scene;
    scene.timelines.emplace_back();
    scene.rate = kRate;
    std::vector<int> trunk;
    const auto joint = [&](const std::string& name, int parent, Vec3 place) {
        s.joints.push_back(add(scene, name, parent, place));
        return s.joints.back();
    };
    const auto rule = [&](auto body) { s.rules.rules.push_back({"bench", std::move(body)}); };
    for (int i = 0; i < 10; ++i) {
        trunk.push_back(
            joint(fmt::format("trunk{}", i), i == 0 ? kNone : trunk.back(), {0, 0.1, 0}));
        key_all(scene, trunk.back(), i);
    }
    for (int i = 0; i < 30; ++i) {
        const double side = i % 3 - 1;
        const auto n = [i](const char* word) { return fmt::format("{}{}", word, i); };
        const int start = joint(n("start"), trunk[at(i / 3)], {side, 0, 0.2});
        const int mid = joint(n("mid"), start, {0, -0.5, 0.02});
        const int end = joint(n("end"), mid, {0, -0.45, -0.02});
        for (const int node : {start, mid, end})
            if (keyed) key_all(scene, node, node);
        for (const char* control : {"goal", "pole"}) {
            const Vec3 place{side, 0.05 * i - 0.6, control[0] == 'g' ? 0.4 : 2.0};
            const int node = add(scene, n(control), kNone, place);
            key(scene, node, Path::kTranslation, i);
            key(scene, node, Path::kRotation, i);
        }
        LimbRule limb;
        limb.start = n("start"), limb.mid = n("mid"), limb.end = n("end");
        limb.goal = n("goal"), limb.pole = n("pole");
        rule(limb);
    }
    // Helpers that other rules move; they are no joints, but their worlds are evaluated.
    for (int i = 0; i < 20; ++i) {
        const int parent = trunk[at(i / 2)];
        const auto n = [i](const char* word) { return fmt::format("{}{}", word, i); };
        add(scene, n("follower"), parent, {0, 0, 0.1});
        FollowRule follow;
        follow.node = n("follower");
        follow.sources = {{n("goal"), {}}};
        follow.position = follow.orientation = {true, true, true};
        rule(follow);
        add(scene, n("twister"), parent, {0, 0.1, 0});
        rule(TwistRule{n("mid"), {0, 1, 0}, {{n("twister"), 0.5}}});
        add(scene, n("driven"), parent, {0, 0.1, 0});
        DriveRule drive;
        drive.to = DriveRule::To::kPosition;
        drive.node = n("driven");
        drive.inputs = {{DriveInput::Of::kSwing,
                         n("mid"),
                         "",
                         {0, 1, 0},
                         {{{0, 0, 0}, {90, 0.1, 0}}, CurveShape::kSmooth}}};
        rule(drive);
        if (i % 2 == 1) continue;
        add(scene, n("aimer"), parent, {0, 0.1, 0.1});
        AimRule aim;
        aim.node = n("aimer");
        aim.source = n("goal");
        rule(aim);
    }
    Skin skin;
    skin.joints = s.joints;
    skin.inverse_binds.resize(skin.joints.size());
    scene.skins.push_back(skin);
    return s;
}
const Stage& ruled_stage(bool keyed) {
    static const Stage all = make_ruled_stage(true), controls = make_ruled_stage(false);
    return keyed ? all : controls;
}

void count(benchmark::State& state, int joints) {
    state.counters["joint_frames"] = benchmark::Counter(
        static_cast<double>(joints) * kFrames * static_cast<double>(state.iterations()),
        benchmark::Counter::kIsRate);
}

void run_bake(benchmark::State& state, const Stage& stage, const RigSheet& sheet) {
    const ThreadLimit limit(static_cast<unsigned>(state.range(0)));
    const Rig rig = Rig::bind(stage.scene, 0, sheet).value();
    const ChosenJoints chosen = choose_joints(stage.scene, {}).value();
    const SamplePlan plan{"all", 0, kFrames - 1, kRate, kRate, kFrames, false};
    const PoseSource poses = rig.source(take_needs(stage.scene, chosen.skeleton, chosen.sources));
    Baked baked;
    for (auto _ : state) {  // clip after clip, as in a library of them
        baked = bake(take_of(stage.scene, poses, chosen.skeleton, chosen.sources), plan,
                     std::move(baked.clip));
        benchmark::DoNotOptimize(baked.clip.joints.data());
    }
    count(state, chosen.skeleton.size());
}

/// The keys of `plain_stage` as a take, and takes made of it: what shaping costs.
struct ShapeStage {
    Rig rig = Rig::bind(ruled_stage(true).scene, 0, {}).value();
    ChosenJoints chosen = choose_joints(ruled_stage(true).scene, {}).value();
    Take plain =
        take_of(ruled_stage(true).scene, rig.source(), chosen.skeleton, chosen.sources, {},
                rig.source(take_needs(ruled_stage(true).scene, chosen.skeleton, chosen.sources)));
    double seconds = kRate.seconds(kFrames - 1);
};
const ShapeStage& shape_stage() {
    static const ShapeStage stage;
    return stage;
}

void run_shaped(benchmark::State& state, const Take& take) {
    const ThreadLimit limit(static_cast<unsigned>(state.range(0)));
    const SamplePlan plan{"all", 0, kFrames - 1, kRate, kRate, kFrames, false};
    Baked baked;
    for (auto _ : state) {
        baked = bake(take, plan, std::move(baked.clip));
        benchmark::DoNotOptimize(baked.clip.joints.data());
    }
    count(state, take.skeleton.size());
}

void bake_take(benchmark::State& state) { run_shaped(state, shape_stage().plain); }
/// Sixteen parts of 256 frames, each laid on the end of the one before, over 8 frames.
void bake_joined(benchmark::State& state) {
    const ShapeStage& s = shape_stage();
    std::vector<JoinPart> parts;
    for (int i = 0; i < 16; ++i) {
        JoinPart part;
        part.take = s.plain;
        part.seconds = kRate.seconds(264);
        part.time = even_time(kRate.seconds(200 * i), kRate.seconds(200 * i + 264), part.seconds);
        part.overlap = i == 0 ? 0 : kRate.seconds(8);
        parts.push_back(std::move(part));
    }
    run_shaped(state, join(std::move(parts), RootKind::kFigure).value().shaped.take);
}
void bake_repeated(benchmark::State& state) {
    const ShapeStage& s = shape_stage();
    JoinPart part;
    part.take = s.plain;
    part.seconds = kRate.seconds(128);
    part.time = even_time(0, part.seconds, part.seconds);
    run_shaped(state, repeat(part, 32, RootKind::kFigure).value().shaped.take);
}
void bake_mirrored(benchmark::State& state) {
    const ShapeStage& s = shape_stage();
    MirrorPairs pairs;
    for (int j = 0; j < s.plain.skeleton.size(); ++j) pairs.joints.push_back(j);
    run_shaped(state, mirror(s.plain, pairs, RootKind::kFigure).take);
}
void bake_repaired(benchmark::State& state) {
    const ShapeStage& s = shape_stage();
    run_shaped(state,
               repair_loop({s.plain, s.seconds}, {1, 0, true, true}, RootKind::kFigure).take);
}
void bake_layered(benchmark::State& state) {
    const ShapeStage& s = shape_stage();
    TakeLayer layer{{s.plain, s.seconds}};
    layer.start = 1;
    run_shaped(state, layered(s.plain, layer));
}
/// 10 000 frames of 60 joints.
void find_loop(benchmark::State& state) {
    std::vector<Joint> joints{{"root", -1, {}}, {"hips", 0, {}}};
    for (int j = 2; j < 60; ++j) joints.push_back({fmt::format("j{}", j), 1 + j / 3, {}});
    const Skeleton skeleton = Skeleton::make(std::move(joints)).value();
    Clip clip;
    clip.rate = kRate;
    clip.samples = 10'000;
    clip.joints = make_tracks(60, clip.samples);
    for (int k = 0; k < clip.samples; ++k)
        for (int j = 0; j < 60; ++j)
            store(clip.joints[at(j)], k,
                  {{0.01 * j, std::sin(0.01 * k), 0},
                   from_axis_angle({1, 0, 0}, std::sin(0.013 * k + j)),
                   {1, 1, 1}});
    for (auto _ : state) benchmark::DoNotOptimize(find_loop_ends(clip, skeleton, 1, 100));
}

void bake_kinematics(benchmark::State& state) { run_bake(state, plain_stage(), {}); }
void bake_without_rules(benchmark::State& state) { run_bake(state, ruled_stage(true), {}); }
void bake_with_rules(benchmark::State& state) {
    run_bake(state, ruled_stage(true), ruled_stage(true).rules);
}
/// Keys on the trunk and on controls alone: without rules nine joints in ten stand still.
void bake_controls_without_rules(benchmark::State& state) {
    run_bake(state, ruled_stage(false), {});
}
void bake_controls_with_rules(benchmark::State& state) {
    run_bake(state, ruled_stage(false), ruled_stage(false).rules);
}

/// The same scene frame by frame: local matrices of all nodes, worlds, each joint against the joint
/// above it, taken apart again. Single precision throughout, which is less than baking promises.
void kinematics_by_eigen(benchmark::State& state) {
    const Stage& s = plain_stage();
    const std::size_t nodes = s.scene.nodes.size();
    std::vector<std::array<const float*, 3>> rows(nodes, {nullptr, nullptr, nullptr});
    for (const Channel& c : s.scene.timelines[0].channels)
        rows[at(c.node)][static_cast<std::size_t>(c.path)] = c.curve.values.singles().data();
    std::vector<Eigen::Affine3f, Eigen::aligned_allocator<Eigen::Affine3f>> world(nodes);
    std::vector<JointTrack> tracks = make_tracks(kJoints, kFrames);
    for (auto _ : state) {
        for (std::size_t f = 0; f < kFrames; ++f) {
            for (std::size_t n = 0; n < nodes; ++n) {
                const Node& node = s.scene.nodes[n];
                const float *t = rows[n][0], *r = rows[n][1], *k = rows[n][2];
                Eigen::Affine3f local = Eigen::Affine3f::Identity();
                local.translate(t != nullptr ? Eigen::Vector3f(t[3 * f], t[3 * f + 1], t[3 * f + 2])
                                             : Eigen::Vector3f(0.01F, 0, 0));
                local.rotate(
                    Eigen::Quaternionf(r[4 * f + 3], r[4 * f], r[4 * f + 1], r[4 * f + 2]));
                if (k != nullptr)
                    local.scale(Eigen::Vector3f(k[3 * f], k[3 * f + 1], k[3 * f + 2]));
                world[n] = node.parent == kNone ? local : world[at(node.parent)] * local;
            }
            for (std::size_t j = 0; j < s.joints.size(); ++j) {
                const Eigen::Affine3f& own = world[at(s.joints[j])];
                const Eigen::Affine3f local =
                    s.parents[j] < 0
                        ? own
                        : world[at(s.joints[at(s.parents[j])])].inverse(Eigen::Affine) * own;
                const Eigen::Vector3f size = local.linear().colwise().norm();
                const Eigen::Quaternionf turn(
                    Eigen::Matrix3f(local.linear() * size.cwiseInverse().asDiagonal()));
                JointTrack& track = tracks[j];
                for (int i = 0; i < 3; ++i) {
                    track.translation[3 * f + at(i)] = local.translation()[i];
                    track.scale[3 * f + at(i)] = size[i];
                }
                for (int i = 0; i < 4; ++i) track.rotation[4 * f + at(i)] = turn.coeffs()[i];
            }
        }
        benchmark::DoNotOptimize(tracks.data());
    }
    count(state, kJoints);
}

/// The bytes that baking reads and writes, copied.
void copy_of_the_same_bytes(benchmark::State& state) {
    std::size_t bytes = static_cast<std::size_t>(kJoints) * kFrames * 10 * sizeof(float);
    for (const Channel& c : plain_stage().scene.timelines[0].channels)
        bytes += c.curve.values.size() * sizeof(float);
    // Half is read and half is written, as a copy does.
    std::vector<char> from(bytes / 2, 1), to(bytes / 2);
    for (auto _ : state) {
        std::memcpy(to.data(), from.data(), from.size());
        benchmark::DoNotOptimize(to.data());
        benchmark::ClobberMemory();
    }
    state.counters["bytes"] = static_cast<double>(bytes);
    count(state, kJoints);
}

BENCHMARK(bake_take)->Arg(1)->Arg(2)->UseRealTime()->Unit(benchmark::kMillisecond);
BENCHMARK(bake_joined)->Arg(1)->Arg(2)->UseRealTime()->Unit(benchmark::kMillisecond);
BENCHMARK(bake_repeated)->Arg(1)->Arg(2)->UseRealTime()->Unit(benchmark::kMillisecond);
BENCHMARK(bake_mirrored)->Arg(1)->Arg(2)->UseRealTime()->Unit(benchmark::kMillisecond);
BENCHMARK(bake_repaired)->Arg(1)->Arg(2)->UseRealTime()->Unit(benchmark::kMillisecond);
BENCHMARK(bake_layered)->Arg(1)->Arg(2)->UseRealTime()->Unit(benchmark::kMillisecond);
BENCHMARK(find_loop)->UseRealTime()->Unit(benchmark::kMillisecond);
BENCHMARK(kinematics_by_eigen)->UseRealTime()->Unit(benchmark::kMillisecond);
BENCHMARK(bake_kinematics)
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
BENCHMARK(bake_with_rules)
    ->ArgName("threads")
    ->Arg(1)
    ->Arg(2)
    ->UseRealTime()
    ->Unit(benchmark::kMillisecond);
BENCHMARK(bake_controls_without_rules)
    ->ArgName("threads")
    ->Arg(1)
    ->UseRealTime()
    ->Unit(benchmark::kMillisecond);
BENCHMARK(bake_controls_with_rules)
    ->ArgName("threads")
    ->Arg(1)
    ->UseRealTime()
    ->Unit(benchmark::kMillisecond);
BENCHMARK(copy_of_the_same_bytes)->UseRealTime()->Unit(benchmark::kMillisecond);

}  // namespace
