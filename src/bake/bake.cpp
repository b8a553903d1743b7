#include "mellow/bake.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "base/at.h"
#include "base/kernel.h"
#include "base/turn_over.h"
#include "mellow/parallel.h"
#include "model/lanes.h"

namespace mellow {
namespace {

/// Tiles per unit of parallel work. Units are the same for any number of threads.
constexpr int kChunkTiles = 16;
constexpr int kChunk = kChunkTiles * kTileFrames;
/// A matrix whose axes are square to each other within this is free of shear.
constexpr double kSquare = 1e-9;

/// One tile of a joint: local channels as in PoseTile, and how far its axes are from square.
struct LocalRows {
    alignas(64) double local[10 * kTileFrames];
    alignas(64) double skew[kTileFrames];
    alignas(64) double thinnest[kTileFrames];
};

/// local = inverse(parent) * world as translation, rotation and scale, shear not yet considered.
MELLOW_KERNEL void local_kernel(const double* parent, const double* world, double shrink,
                                double* kept, LocalRows& rows) {
#pragma GCC ivdep
    for (int f = 0; f < kF; ++f) {
        Affine w = load_affine(world, f);
        w = {w.x * shrink, w.y * shrink, w.z * shrink, w.o};
        store_affine(kept, f, w);
        const Affine m = inverse(load_affine(parent, f)) * w;
        const double sign = determinant(m) < 0 ? -1.0 : 1.0;
        const double lx = length(m.x), ly = length(m.y), lz = length(m.z);
        const double thin = std::min(lx, std::min(ly, lz));
        const double safe = thin > 0 ? 1.0 : 0.0;  // lanes without thickness are redone below
        const Vec3 x = m.x * (sign * safe / (lx + (1 - safe)));
        const Vec3 y = m.y * (sign * safe / (ly + (1 - safe)));
        const Vec3 z = m.z * (sign * safe / (lz + (1 - safe)));
        store3(rows.local, f, m.o);
        store4(rows.local + 3 * kF, f, quat_from_columns(x, y, z));
        store3(rows.local + 7 * kF, f, Vec3{lx, ly, lz} * sign);
        rows.skew[f] =
            std::max(std::abs(dot(x, y)), std::max(std::abs(dot(y, z)), std::abs(dot(z, x))));
        rows.thinnest[f] = thin / std::max(lx, std::max(ly, std::max(lz, 1e-300)));
    }
}

/// What finish_kernel() finds out about one tile of a joint.
struct Found {
    alignas(64) double step[kTileFrames];   ///< cosine of half the turn from the sample before
    alignas(64) double least[kTileFrames];  ///< least absolute scale
};

/// Compares each quaternion with the one before it (`last` before the first).
MELLOW_KERNEL void compare_kernel(const double* local, const double* last, Found& found) {
    alignas(64) double q[4][kF + 8];
    for (int c = 0; c < 4; ++c) {
        q[c][7] = last[c];
        for (int f = 0; f < kF; ++f) q[c][8 + f] = local[(3 + c) * kF + f];
    }
    for (int f = 0; f < kF; ++f) {
        found.step[f] = q[0][8 + f] * q[0][7 + f] + q[1][8 + f] * q[1][7 + f] +
                        q[2][8 + f] * q[2][7 + f] + q[3][8 + f] * q[3][7 + f];
        found.least[f] =
            std::min(std::abs(local[7 * kF + f]),
                     std::min(std::abs(local[8 * kF + f]), std::abs(local[9 * kF + f])));
    }
}

/// Rounds sixteen samples of a joint and turns them over into its track.
MELLOW_KERNEL void round_kernel(const double* local, double grow, const double* sign,
                                float* translation, float* rotation, float* scale) {
    // Hundreds of tracks take turns: where the next tile goes is asked for one tile ahead.
    for (int line = 0; line < 4 * kF; line += 16) {
        __builtin_prefetch(rotation + 4 * kF + line, 1);
        if (line >= 3 * kF) continue;
        __builtin_prefetch(translation + 3 * kF + line, 1);
        __builtin_prefetch(scale + 3 * kF + line, 1);
    }
    alignas(64) float rows[10 * kF];
    for (int i = 0; i < 3 * kF; ++i) rows[i] = static_cast<float>(local[i] * grow);
    for (int c = 3; c < 7; ++c)
        for (int f = 0; f < kF; ++f)
            rows[c * kF + f] = static_cast<float>(local[c * kF + f] * sign[f]);
    for (int i = 7 * kF; i < 10 * kF; ++i) rows[i] = static_cast<float>(local[i]);
    for (int f = 0; f < kF; f += 4) {
        const auto row = [&](int c) { return load_float4(rows + c * kF + f); };
        Float4v x = row(0), y = row(1), z = row(2);
        turn_rows_of_3(x, y, z);
        store_float4(x, translation + 3 * f);
        store_float4(y, translation + 3 * f + 4);
        store_float4(z, translation + 3 * f + 8);
        Float4v a = row(3), b = row(4), c = row(5), d = row(6);
        turn_4x4(a, b, c, d);
        store_float4(a, rotation + 4 * f), store_float4(b, rotation + 4 * f + 4);
        store_float4(c, rotation + 4 * f + 8), store_float4(d, rotation + 4 * f + 12);
        Float4v u = row(7), v = row(8), w = row(9);
        turn_rows_of_3(u, v, w);
        store_float4(u, scale + 3 * f);
        store_float4(v, scale + 3 * f + 4);
        store_float4(w, scale + 3 * f + 8);
    }
}

/// How a joint is baked.
struct JointWay {
    int node, parent;
    bool direct;   ///< its node hangs on its parent joint's node: the local transform is taken
    double scale;  ///< JointSource::scale
    bool turned;   ///< JointSource::changes_axes()
    bool sheared;  ///< its node, or one above, has shear of its own: only the world tells
};

std::vector<JointWay> ways_of(const Scene& scene, const Skeleton& skeleton,
                              const JointSources& sources) {
    std::vector<bool> sheared = sheared_nodes(scene);
    for (const int n : parents_first(scene))
        if (const int up = scene.nodes[at(n)].parent; up != kNone && sheared[at(up)])
            sheared[at(n)] = true;
    std::vector<JointWay> ways;
    for (int j = 0; j < skeleton.size(); ++j) {
        const JointSource& own = sources[at(j)];
        JointWay way{own.node,  skeleton[j].parent, false,
                     own.scale, own.changes_axes(), own.node != kNone && sheared[at(own.node)]};
        const int above = own.node == kNone ? kNone : scene.nodes[at(own.node)].parent;
        const JointSource up = way.parent < 0 ? JointSource{} : sources[at(way.parent)];
        way.direct = own.node != kNone && above == up.node && own.scale == up.scale &&
                     !own.changes_axes() && !up.changes_axes() && !way.sheared;
        ways.push_back(way);
    }
    return ways;
}

/// What a worker needs; made once per thread.
struct Worker {
    explicit Worker(PoseTile made) : tile(std::move(made)) {}
    PoseTile tile;
    std::vector<double> kept;                 ///< worlds as the skeleton has them, 12 rows a joint
    std::vector<const double*> world;         ///< of each joint: in `kept`, or in the tile
    std::vector<bool> altered;                ///< some lane of the joint lost shear
    std::vector<std::array<double, 4>> last;  ///< quaternion of the last sample of each joint
};

struct Job {
    const Scene& scene;
    const Skeleton& skeleton;
    const JointSources& sources;
    const std::vector<JointWay> ways;
    const ScalarLayout scalars;
    const std::vector<NamedScalar>& named;
    Clip& clip;
    std::vector<std::vector<JointLoss>> losses;  // [chunk][joint]
};

/// World of a node from locals alone, for joints below one that lost shear.
Affine world_of(const PoseTile& tile, const Scene& scene, int node, int frame) {
    Affine world;
    for (int n = node; n != kNone; n = scene.nodes[at(n)].parent)
        world = to_affine(tile.local(n, frame)) * world;
    return world;
}

/// Redoes the lanes that have shear or no thickness, exactly, and notes what is lost. True when a
/// lane was changed.
bool redo_hard_lanes(const double* parent, double* kept, LocalRows& rows, int first, int count,
                     JointLoss& loss) {
    bool changed = false;
    for (int f = 0; f < kTileFrames; ++f) {
        if (rows.skew[f] <= kSquare && rows.thinnest[f] > 1e-9) continue;
        changed = true;
        const Affine above = load_affine(parent, f);
        const Decomposed d = decompose(inverse(above) * load_affine(kept, f));
        store3(rows.local, f, d.transform.t);
        store4(rows.local + 3 * kF, f, d.transform.r);
        store3(rows.local + 7 * kF, f, d.transform.s);
        // Children hang on what is stored, so that their positions stay exact.
        store_affine(kept, f, above * to_affine(d.transform));
        if (f < count && d.shear > loss.shear) loss.shear = d.shear, loss.shear_sample = first + f;
    }
    return changed;
}

/// Rounds one tile of a joint into its track, quaternions on one hemisphere.
void store_rows(const double* local, double grow, int first, int count, Worker& worker, int joint,
                JointTrack& track, JointLoss& loss, double& fastest) {
    Found found;
    std::array<double, 4>& last = worker.last[at(joint)];
    compare_kernel(local, last.data(), found);
    // `last` is on the hemisphere of the track; from there on signs follow.
    alignas(64) double signs[kTileFrames];
    double sign = 1;
    for (int f = 0; f < kTileFrames; ++f) {
        if (found.step[f] < 0) sign = -sign;
        signs[f] = sign;
    }
    for (int f = 0; f < count; ++f) {
        const double step = std::abs(found.step[f]);
        // What begins a chunk is compared by join_chunks().
        if ((first + f) % kChunk != 0 && step < fastest)
            fastest = step, loss.fastest_sample = first + f;
        loss.smallest_scale = std::min(loss.smallest_scale, found.least[f]);
    }
    const auto k = at(first);
    if (count == kTileFrames) {
        round_kernel(local, grow, signs, &track.translation[3 * k], &track.rotation[4 * k],
                     &track.scale[3 * k]);
    } else {
        float t[3 * kTileFrames], r[4 * kTileFrames], s[3 * kTileFrames];
        round_kernel(local, grow, signs, t, r, s);
        std::copy_n(t, 3 * count, &track.translation[3 * k]);
        std::copy_n(r, 4 * count, &track.rotation[4 * k]);
        std::copy_n(s, 3 * count, &track.scale[3 * k]);
    }
    for (int c = 0; c < 4; ++c)
        last[at(c)] = signs[count - 1] * local[(3 + c) * kTileFrames + count - 1];
}

void bake_tile(Job& job, Worker& worker, int first, int count, std::vector<JointLoss>& losses,
               std::vector<double>& fastest) {
    LocalRows rows;
    const PoseTile& tile = worker.tile;
    const int joints = job.skeleton.size();
    const double* above_roots = &worker.kept[at(joints) * 12 * kTileFrames];
    for (int j = 0; j < joints; ++j) {
        const JointWay& way = job.ways[at(j)];
        double* own = &worker.kept[at(j) * 12 * kTileFrames];
        const bool bent = way.parent >= 0 && worker.altered[at(way.parent)];
        worker.altered[at(j)] = false;
        if (way.direct && !bent) {
            // With a scaled armature: diag(scale) * T R S * diag(1 / scale).
            worker.world[at(j)] = nullptr;
            store_rows(tile.channel(way.node, PoseTile::kLocal), way.scale, first, count, worker, j,
                       job.clip.joints[at(j)], losses[at(j)], fastest[at(j)]);
            continue;
        }
        // Worlds of joints that were taken directly are those of the tile.
        const auto world_row = [&](int joint) -> const double* {
            if (joint < 0) return above_roots;
            if (worker.world[at(joint)] != nullptr) return worker.world[at(joint)];
            const JointWay& up = job.ways[at(joint)];
            if (up.scale == 1) return tile.channel(up.node, PoseTile::kWorld);
            double* scaled = &worker.kept[at(joint) * 12 * kTileFrames];
            const double* world = tile.channel(up.node, PoseTile::kWorld);
            for (int i = 0; i < 12 * kTileFrames; ++i)
                scaled[i] = i < 9 * kTileFrames ? world[i] / up.scale : world[i];
            worker.world[at(joint)] = scaled;
            return scaled;
        };
        const double* up = world_row(way.parent);
        const double* world =
            way.node == kNone ? above_roots : tile.channel(way.node, PoseTile::kWorld);
        double shrink = 1 / way.scale;
        if (bent && !way.sheared) {
            for (int f = 0; f < kTileFrames; ++f)
                store_affine(own, f, world_of(tile, job.scene, way.node, f));
            world = own;
        }
        if (way.turned) {
            for (int f = 0; f < kTileFrames; ++f)
                store_affine(own, f, joint_world(job.sources[at(j)], load_affine(world, f)));
            world = own;
            shrink = 1;
        }
        local_kernel(up, world, shrink, own, rows);
        worker.world[at(j)] = own;
        worker.altered[at(j)] = redo_hard_lanes(up, own, rows, first, count, losses[at(j)]) || bent;
        store_rows(rows.local, 1, first, count, worker, j, job.clip.joints[at(j)], losses[at(j)],
                   fastest[at(j)]);
    }
    std::size_t track = 0;
    for (const int offset : job.scalars.offset) {
        if (offset == kNone) continue;
        MorphTrack& morphs = job.clip.morphs[track++];
        const std::size_t targets = morphs.targets.size();
        for (int f = 0; f < count; ++f)
            for (std::size_t t = 0; t < targets; ++t)
                morphs.weights[at(first + f) * targets + t] =
                    static_cast<float>(tile.scalar(offset + static_cast<int>(t))[f]);
    }
}

void bake_scalars(Job& job, const PoseTile& tile, int first, int count) {
    for (std::size_t s = 0; s < job.named.size(); ++s)
        for (int f = 0; f < count; ++f)
            job.clip.scalars[s].values[at(first + f)] =
                static_cast<float>(tile.scalar(job.named[s].index)[f]);
}

void bake_chunk(Job& job, const PoseSource& poses, const SamplePlan& plan, int chunk,
                Worker& worker) {
    // Each chunk begins on the hemisphere of the identity; join_chunks() turns it over if need be.
    for (std::array<double, 4>& last : worker.last) last = {0, 0, 0, 1};
    std::vector<double> fastest(at(job.skeleton.size()), 1.0);
    std::vector<JointLoss>& losses = job.losses[at(chunk)];
    const int end = std::min(plan.samples, (chunk + 1) * kChunk);
    for (int first = chunk * kChunk; first < end; first += kTileFrames) {
        const int count = std::min(kTileFrames, end - first);
        std::array<double, kTileFrames> seconds{};
        for (int f = 0; f < count; ++f) seconds[at(f)] = plan.second(first + f);
        poses.evaluate({seconds.data(), at(count)}, worker.tile);
        bake_tile(job, worker, first, count, losses, fastest);
        bake_scalars(job, worker.tile, first, count);
    }
}

/// Puts the chunks of a track on one hemisphere and finds its fastest turn.
void join_chunks(JointTrack& track, int samples, const std::vector<std::vector<JointLoss>>& chunks,
                 std::size_t joint, JointLoss& loss) {
    const auto q = [&](int k) {
        const float* r = &track.rotation[4 * at(k)];
        return Quat{r[0], r[1], r[2], r[3]};
    };
    double fastest = 0;
    const auto look_at = [&](int k) {
        if (k <= 0) return;
        const double angle = angle_between(local_at(track, k - 1).r, local_at(track, k).r);
        if (angle > fastest) fastest = angle, loss.fastest_sample = k;
    };
    for (std::size_t c = 0; c < chunks.size(); ++c) {
        const JointLoss& from = chunks[c][joint];
        const int first = static_cast<int>(c) * kChunk, end = std::min(samples, first + kChunk);
        if (c > 0 && dot(q(first - 1), q(first)) < 0)
            for (std::size_t i = 4 * at(first); i < 4 * at(end); ++i) track.rotation[i] *= -1;
        look_at(first);
        look_at(from.fastest_sample);
        if (from.shear > loss.shear) loss.shear = from.shear, loss.shear_sample = from.shear_sample;
        loss.smallest_scale = std::min(loss.smallest_scale, from.smallest_scale);
    }
    loss.fastest_turn_rad = fastest;
}

}  // namespace

std::vector<int> bake_needs(const Scene& scene, const Skeleton& skeleton,
                            const JointSources& sources) {
    const std::vector<JointWay> ways = ways_of(scene, skeleton, sources);
    std::vector<int> needs;
    for (const JointWay& way : ways) {
        if (way.direct) continue;
        if (way.node != kNone) needs.push_back(way.node);
        if (way.parent >= 0 && ways[at(way.parent)].node != kNone)
            needs.push_back(ways[at(way.parent)].node);
    }
    std::sort(needs.begin(), needs.end());
    needs.erase(std::unique(needs.begin(), needs.end()), needs.end());
    return needs;
}

Baked bake(const Scene& scene, const PoseSource& poses, const SamplePlan& plan,
           const Skeleton& skeleton, const JointSources& sources, Clip memory) {
    Baked out;
    Clip& clip = out.clip;
    clip.name = plan.clip;
    clip.rate = plan.rate;
    clip.samples = plan.samples;
    clip.loop = plan.loop ? LoopForm::kClosed : LoopForm::kOnce;
    clip.period = plan.samples - 1;
    clip.joints = std::move(memory.joints);
    clip.joints.resize(at(skeleton.size()));
    // Fresh memory is touched for the first time here, and on all threads.
    parallel_for(clip.joints.size(), [&](std::size_t j) {
        const auto n = at(plan.samples);
        clip.joints[j].translation.resize(3 * n);
        clip.joints[j].rotation.resize(4 * n);
        clip.joints[j].scale.resize(3 * n);
    });
    Job job{
        scene,         skeleton, sources, ways_of(scene, skeleton, sources), scalar_layout(scene),
        poses.scalars, clip,     {}};
    for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
        if (job.scalars.offset[n] == kNone) continue;
        const auto& targets = scene.meshes[at(scene.nodes[n].mesh)].target_names;
        clip.morphs.push_back(
            {scene.nodes[n].name, targets, std::vector<float>(at(plan.samples) * targets.size())});
    }
    for (const NamedScalar& scalar : poses.scalars)
        clip.scalars.push_back({scalar.name, scalar.unit, std::vector<float>(at(plan.samples))});
    const int chunks = (plan.samples + kChunk - 1) / kChunk;
    job.losses.assign(at(chunks), std::vector<JointLoss>(at(skeleton.size())));
    const auto joints = at(skeleton.size());
    Pool<Worker> workers([&] {
        auto worker = std::make_unique<Worker>(poses.make_tile());
        worker->kept.assign((joints + 1) * 12 * kTileFrames, 0.0);
        for (std::size_t c = 0; c < 12; c += 4)  // the world above all roots: the identity
            std::fill_n(&worker->kept[(joints * 12 + c) * kTileFrames], kTileFrames, 1.0);
        worker->world.resize(joints);
        worker->altered.resize(joints);
        worker->last.resize(joints);
        return worker;
    });
    parallel_for(at(chunks), [&](std::size_t chunk) {
        auto worker = workers.take();
        bake_chunk(job, poses, plan, static_cast<int>(chunk), *worker);
        workers.give_back(std::move(worker));
    });
    out.losses.assign(joints, {});
    parallel_for(joints, [&](std::size_t j) {
        join_chunks(clip.joints[j], plan.samples, job.losses, j, out.losses[j]);
    });
    return out;
}

}  // namespace mellow
