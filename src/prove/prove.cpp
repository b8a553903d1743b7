#include "mellow/prove.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

#include "base/at.h"
#include "math/degrees.h"
#include "mellow/parallel.h"
#include "model/lanes.h"
#include "prove/played_clip.h"
#include "prove/skin_parts.h"

namespace mellow {
namespace {

bool moves(const Curve& curve) {
    const std::size_t width = at(curve.width);
    for (std::size_t i = width; i < curve.values.size(); ++i)
        if (std::abs(curve.values[i] - curve.values[i % width]) > 1e-6) return true;
    return false;
}

/// A joint of the skin file, the joint of the take it must move like, and its place in `kinds`.
struct JointPair {
    int played, joint;
    std::size_t kind;
    bool accepted;
};

/// Pairs joints by name and fills the kinds of `proof` with what drives them. The root that packing
/// adds has no node and is nobody's to compare.
std::vector<JointPair> pair_joints(const Take& take, const SkinProof::Parts& parts,
                                   const std::vector<std::string>& driven_by,
                                   const PlayedClip& clip, bool root_made, ClipProof& proof) {
    std::vector<JointPair> pairs;
    const auto& own = parts.figure.sources;
    const auto node_of = [&](int joint) {
        return joint < 0 || (root_made && joint == 0) ? kNone : own[at(joint)].node;
    };
    const auto driver = [&](int joint) -> std::string {
        const bool has_rule = !driven_by.empty() && !driven_by[at(joint)].empty();
        return has_rule ? driven_by[at(joint)] : "keys";
    };
    std::map<std::string, int> kinds;
    for (int j = 0; j < take.skeleton.size(); ++j)
        if (node_of(j) != kNone) ++kinds[driver(j)];
    for (const auto& [kind, joints] : kinds) proof.kinds.push_back({kind, joints, {}, {}});
    for (std::size_t n = 0; n < clip.clip_nodes().size(); ++n) {
        if (clip.clip_nodes()[n] == kNone) continue;
        const int joint = take.skeleton.find(parts.skin.nodes[n].name);
        const int node = node_of(joint);
        if (node == kNone) continue;
        const auto kind = std::distance(kinds.begin(), kinds.find(driver(joint)));
        pairs.push_back({static_cast<int>(n), joint, static_cast<std::size_t>(kind),
                         parts.figure.accepted != nullptr && (*parts.figure.accepted)[at(node)]});
    }
    return pairs;
}

/// The frames of one tile: where they begin and how many they are.
struct Frames {
    int first, count;
};

void compare_joints(const std::vector<JointPair>& pairs, const Scene& skin, const JointTile& tile,
                    const MeshFrames& rows, int frame, int sample, ClipProof& proof) {
    for (const JointPair& pair : pairs) {
        const std::string& name = skin.nodes[at(pair.played)].name;
        const Affine wanted = load(world_rows(tile, pair.joint), frame),
                     got = load(rows.played[at(pair.played)], frame);
        KindProof& kind = proof.kinds[pair.kind];
        const double far = length(wanted.o - got.o) * 1000;
        proof.position_mm.add(far, sample, name);
        kind.position_mm.add(far, sample, name);
        if (!pair.accepted) proof.scale.add(scale_apart(wanted, got), sample, name);
        // What is flat has no orientation to compare; its vertices say whether it is right.
        if (is_flat(wanted)) continue;
        const double angle = angle_between(rotation_of(wanted), rotation_of(got)) * kDegrees;
        if (pair.accepted) {
            proof.accepted_degrees.add(angle, sample, name);
            continue;
        }
        proof.rotation_degrees.add(angle, sample, name);
        kind.rotation_degrees.add(angle, sample, name);
    }
}

void add(Deviation& to, const MeshFound& found, int frame, int sample, std::size_t vertices,
         const std::string& name) {
    if (vertices > 0) to.merge({found.worst[frame], sample, name, found.sum[frame], vertices});
}

void compare_meshes(const SkinProof::Parts& parts, const MeshFrames& rows, Frames frames,
                    MeshWork& work, ClipProof& proof) {
    for (const ProvenMesh& mesh : parts.meshes) {
        MeshFound found, apart;
        measure(mesh, rows, work, found, apart);
        Deviation& of_all = mesh.simplified ? proof.simplified_mm : proof.vertex_mm;
        for (int f = 0; f < frames.count; ++f) {
            add(of_all, found, f, frames.first + f, mesh.vertices - mesh.accepted, mesh.name);
            add(proof.accepted_mm, apart, f, frames.first + f, mesh.accepted, mesh.name);
        }
    }
    for (std::size_t m = 0; m < parts.morphs.size(); ++m) {
        const MorphPair& morph = parts.morphs[m];
        for (int f = 0; f < frames.count; ++f)
            for (std::size_t t = 0; t < morph.targets.size(); ++t) {
                const double wanted =
                    rows.truth->scalar(morph.first_weight + static_cast<int>(t))[f];
                proof.weight.add(std::abs(wanted - rows.weights[m][t][f]), frames.first + f,
                                 morph.mesh + "/" + morph.targets[t]);
            }
    }
}

/// Scalar channels, relative to their size where that is above 1.
void compare_scalars(const Take& take, const Timeline& timeline, const JointTile& tile,
                     Frames frames, ClipProof& proof) {
    int first = 0;
    for (const MorphChannels& mesh : take.morphs) first += static_cast<int>(mesh.targets.size());
    for (std::size_t s = 0; s < take.scalars.size(); ++s)
        for (int f = 0; f < frames.count; ++f) {
            const double wanted = tile.scalar(first + static_cast<int>(s))[f];
            const double got = timeline.scalars[s].curve.values[at(frames.first + f)];
            proof.scalar.add(std::abs(got - wanted) / std::max(1.0, std::abs(wanted)),
                             frames.first + f, take.scalars[s].name);
        }
}

/// Everything a worker needs; made once per thread.
struct Worker {
    std::unique_ptr<JointTile> tile;  ///< borrowed from the take
    std::vector<double> played, weights;
    MeshFrames rows;
    MeshWork work;
};

std::unique_ptr<Worker> make_worker(const SkinProof::Parts& parts, const PlayedClip& clip) {
    auto worker = std::make_unique<Worker>(Worker{nullptr, clip.make_rows(), {}, {}, {}});
    std::size_t targets = 0;
    for (const MorphPair& morph : parts.morphs) targets += morph.targets.size();
    worker->weights.resize(targets * kTileFrames);
    targets = 0;
    for (const MorphPair& morph : parts.morphs) {
        auto& list = worker->rows.weights.emplace_back();
        for (std::size_t t = 0; t < morph.targets.size(); ++t)
            list.push_back(&worker->weights[targets++ * kTileFrames]);
    }
    for (std::size_t n = 0; n < parts.skin.nodes.size(); ++n)
        worker->rows.played.push_back(clip.world(worker->played, static_cast<int>(n)));
    return worker;
}

/// Fills the rows of both sides.
void look(const Take& take, const SamplePlan& plan, const SkinProof::Parts& parts,
          const PlayedClip& clip, Frames frames, Worker& worker) {
    std::array<double, kTileFrames> seconds{};
    for (int f = 0; f < frames.count; ++f) seconds[at(f)] = plan.second(frames.first + f);
    take.evaluate({seconds.data(), at(frames.count)}, Take::Want::kWorlds, *worker.tile);
    clip.evaluate(frames.first, frames.count, worker.played);
    auto& bodies = worker.rows.bodies;
    bodies.clear();
    for (int j = 0; j < take.skeleton.size(); ++j) bodies.push_back(world_rows(*worker.tile, j));
    for (std::size_t m = 0; m < take.mounts.size(); ++m)
        bodies.push_back(mount_rows(*worker.tile, static_cast<int>(m)));
    double* row = worker.weights.data();
    for (const MorphPair& morph : parts.morphs) {
        const KeyValues& values = clip.weights(morph.mesh).values;
        for (std::size_t t = 0; t < morph.targets.size(); ++t, row += kTileFrames)
            for (int f = 0; f < kTileFrames; ++f)
                row[f] =
                    values[at(frames.first + std::min(f, frames.count - 1)) * morph.targets.size() +
                           t];
    }
}

void merge(ClipProof& proof, const ClipProof& part) {
    proof.position_mm.merge(part.position_mm);
    proof.rotation_degrees.merge(part.rotation_degrees);
    proof.scale.merge(part.scale);
    proof.vertex_mm.merge(part.vertex_mm);
    proof.weight.merge(part.weight);
    proof.scalar.merge(part.scalar);
    proof.simplified_mm.merge(part.simplified_mm);
    proof.accepted_mm.merge(part.accepted_mm);
    proof.accepted_degrees.merge(part.accepted_degrees);
    for (std::size_t i = 0; i < proof.kinds.size(); ++i) {
        proof.kinds[i].position_mm.merge(part.kinds[i].position_mm);
        proof.kinds[i].rotation_degrees.merge(part.kinds[i].rotation_degrees);
    }
}

/// What moves at all in the clip file.
void count_moving(const Timeline& timeline, ClipProof& proof) {
    std::map<int, bool> moving;
    for (const Channel& channel : timeline.channels) moving[channel.node] |= moves(channel.curve);
    for (const auto& [node, moved] : moving) proof.moving_joints += moved ? 1 : 0;
    for (const MorphCurve& morph : timeline.morphs)
        proof.moving_morphs += moves(morph.curve) ? 1 : 0;
    for (const ScalarCurve& scalar : timeline.scalars)
        proof.moving_scalars += moves(scalar.curve) ? 1 : 0;
}

}  // namespace

void Deviation::add(double value, int at_sample, const std::string& name) {
    // A value that is no number is the worst there is, and stays.
    if (!std::isnan(worst) && !(value <= worst)) {
        worst = value;
        sample = at_sample;
        what = name;
    }
    sum += value;
    ++count;
}

void Deviation::merge(const Deviation& other) {
    if (!std::isnan(worst) && !(other.worst <= worst))
        worst = other.worst, sample = other.sample, what = other.what;
    sum += other.sum;
    count += other.count;
}

Result<ClipProof> prove_clip(const Take& take, const SamplePlan& plan, const SkinProof& figure,
                             const Scene& clip_file, const std::vector<std::string>& driven_by,
                             bool root_made) {
    const SkinProof::Parts& parts = figure.parts();
    MELLOW_TRY(const PlayedClip clip, PlayedClip::make(parts.skin, clip_file, plan));
    ClipProof proof;
    proof.clip = plan.clip;
    proof.samples = clip.samples();
    proof.pose = plan.samples == 1;
    const std::vector<JointPair> pairs =
        pair_joints(take, parts, driven_by, clip, root_made, proof);
    const auto& sources = parts.figure.sources;
    const bool made = root_made && sources[0].node != kNone;
    if (static_cast<int>(pairs.size()) + (made ? 1 : 0) !=
        std::count_if(sources.begin(), sources.end(),
                      [](const JointSource& s) { return s.node != kNone; }))
        return unproven(plan.clip, fmt::format("{} joints in the skin file", pairs.size()),
                        "all baked joints");
    const Timeline& timeline = clip.timeline();
    if (clip.scalars() != take.scalars.size())
        return unproven(plan.clip, fmt::format("{} scalar channels", clip.scalars()),
                        fmt::format("{}", take.scalars.size()));
    const int tiles = (proof.samples + kTileFrames - 1) / kTileFrames;
    std::vector<ClipProof> tile_proofs(at(tiles), proof);
    Pool<Worker> workers([&] { return make_worker(parts, clip); });
    parallel_for(at(tiles), [&](std::size_t t) {
        auto worker = workers.take();
        const int first = static_cast<int>(t) * kTileFrames;
        const Frames frames{first, std::min(kTileFrames, proof.samples - first)};
        worker->tile = take.tiles->take();
        worker->rows.truth = worker->tile.get();
        look(take, plan, parts, clip, frames, *worker);
        for (int f = 0; f < frames.count; ++f)
            compare_joints(pairs, parts.skin, *worker->tile, worker->rows, f, first + f,
                           tile_proofs[t]);
        compare_meshes(parts, worker->rows, frames, worker->work, tile_proofs[t]);
        compare_scalars(take, timeline, *worker->tile, frames, tile_proofs[t]);
        take.tiles->give_back(std::move(worker->tile));
        workers.give_back(std::move(worker));
    });
    for (const ClipProof& part : tile_proofs) merge(proof, part);
    count_moving(timeline, proof);
    return proof;
}

Status within(const ClipProof& proof, const Tolerance& tolerance) {
    const Place where = Place::of(fmt::format("clip \"{}\"", proof.clip));
    const auto above = [&](const Deviation& d, double most, std::string_view unit,
                           std::string_view what) -> Status {
        if (d.worst <= most) return {};
        return Finding{Code::kProofFailed,
                       Severity::kStop,
                       where,
                       fmt::format("{} \"{}\" is {:.6g} {} off at sample {}", what, d.what, d.worst,
                                   unit, d.sample),
                       fmt::format("at most {} {}", most, unit),
                       "look at that joint and sample; if this is good enough, raise the tolerance "
                       "under [proof]"};
    };
    if (!proof.pose && proof.moving_joints + proof.moving_morphs + proof.moving_scalars == 0)
        return Finding{Code::kNoMotion,
                       Severity::kStop,
                       where,
                       "0 moving tracks: it would stand still in the engine",
                       "at least one joint, morph or scalar that moves",
                       "check the range and timeline; if controls move the joints, give the rig "
                       "sheet with rig = \"...\""};
    MELLOW_CHECK(above(proof.position_mm, tolerance.mm, "mm", "joint"));
    MELLOW_CHECK(above(proof.rotation_degrees, tolerance.degrees, "degrees", "joint"));
    MELLOW_CHECK(above(proof.scale, tolerance.scale, "of its scale", "joint"));
    MELLOW_CHECK(above(proof.vertex_mm, tolerance.mm, "mm", "mesh"));
    MELLOW_CHECK(above(proof.scalar, tolerance.weight, "of its size", "scalar"));
    return above(proof.weight, tolerance.weight, "of weight", "morph target");
}

}  // namespace mellow
