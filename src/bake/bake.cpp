#include "mellow/bake.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "base/at.h"
#include "base/kernel.h"
#include "base/transpose.h"
#include "mellow/parallel.h"
#include "model/lanes.h"

namespace mellow {
namespace {

/// Tiles per unit of parallel work. Units are the same for any number of threads.
constexpr int kChunkTiles = 16;
constexpr int kChunk = kChunkTiles * kTileFrames;
/// What compare_kernel() finds out about one tile of a joint.
struct Found {
    alignas(64) double step[kTileFrames];   ///< cosine of half the turn from the sample before
    alignas(64) double least[kTileFrames];  ///< least absolute scale
};

/// Compares each quaternion with the one before it (`last` before the first).
MELLOW_KERNEL void compare_kernel(LocalRows rows, const double* last, Found& found) {
    const double* const local = rows.at;
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
MELLOW_KERNEL void round_kernel(LocalRows from, const double* sign, float* translation,
                                float* rotation, float* scale) {
    const double* const local = from.at;
    // Hundreds of tracks take turns: where the next tile goes is asked for one tile ahead.
    for (int line = 0; line < 4 * kF; line += 16) {
        __builtin_prefetch(rotation + 4 * kF + line, 1);
        if (line >= 3 * kF) continue;
        __builtin_prefetch(translation + 3 * kF + line, 1);
        __builtin_prefetch(scale + 3 * kF + line, 1);
    }
    alignas(64) float rows[10 * kF];
    for (int i = 0; i < 3 * kF; ++i) rows[i] = static_cast<float>(local[i]);
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

/// What a worker needs; made once per thread.
struct Worker {
    std::unique_ptr<JointTile> tile;          ///< borrowed from the take
    std::vector<std::array<double, 4>> last;  ///< quaternion of the last sample of each joint
};

struct Job {
    const Take& take;
    const SamplePlan& plan;
    Clip& clip;
    std::vector<std::vector<JointLoss>> losses;  // [chunk][joint]
};

/// Rounds one tile of a joint into its track, quaternions on one hemisphere.
void store_rows(LocalRows local, int first, int count, Worker& worker, int joint, JointTrack& track,
                JointLoss& loss, double& fastest) {
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
        round_kernel(local, signs, &track.translation[3 * k], &track.rotation[4 * k],
                     &track.scale[3 * k]);
    } else {
        float t[3 * kTileFrames], r[4 * kTileFrames], s[3 * kTileFrames];
        round_kernel(local, signs, t, r, s);
        std::copy_n(t, 3 * count, &track.translation[3 * k]);
        std::copy_n(r, 4 * count, &track.rotation[4 * k]);
        std::copy_n(s, 3 * count, &track.scale[3 * k]);
    }
    for (int c = 0; c < 4; ++c)
        last[at(c)] = signs[count - 1] * turns(local).at[c * kTileFrames + count - 1];
}

void bake_tile(Job& job, Worker& worker, int first, int count, std::vector<JointLoss>& losses,
               std::vector<double>& fastest) {
    const JointTile& tile = *worker.tile;
    for (int j = 0; j < job.take.skeleton.size(); ++j) {
        JointLoss& loss = losses[at(j)];
        const double* shear = tile.shear(j);
        for (int f = 0; shear != nullptr && f < count; ++f)
            if (shear[f] > loss.shear) loss.shear = shear[f], loss.shear_sample = first + f;
        store_rows(local_rows(tile, j), first, count, worker, j, job.clip.joints[at(j)], loss,
                   fastest[at(j)]);
    }
    int scalar = 0;
    for (MorphTrack& morphs : job.clip.morphs) {
        const std::size_t targets = morphs.targets.size();
        for (int f = 0; f < count; ++f)
            for (std::size_t t = 0; t < targets; ++t)
                morphs.weights[at(first + f) * targets + t] =
                    static_cast<float>(tile.scalar(scalar + static_cast<int>(t))[f]);
        scalar += static_cast<int>(targets);
    }
    for (ScalarTrack& track : job.clip.scalars) {
        const double* row = tile.scalar(scalar++);
        for (int f = 0; f < count; ++f) track.values[at(first + f)] = static_cast<float>(row[f]);
    }
}

void bake_chunk(Job& job, int chunk, Worker& worker) {
    // Each chunk begins on the hemisphere of the identity; join_chunks() turns it over if need be.
    for (std::array<double, 4>& last : worker.last) last = {0, 0, 0, 1};
    std::vector<double> fastest(at(job.take.skeleton.size()), 1.0);
    std::vector<JointLoss>& losses = job.losses[at(chunk)];
    const int end = std::min(job.plan.samples, (chunk + 1) * kChunk);
    for (int first = chunk * kChunk; first < end; first += kTileFrames) {
        const int count = std::min(kTileFrames, end - first);
        std::array<double, kTileFrames> seconds{};
        for (int f = 0; f < count; ++f) seconds[at(f)] = job.plan.second(first + f);
        job.take.evaluate({seconds.data(), at(count)}, Take::Want::kLocals, *worker.tile);
        bake_tile(job, worker, first, count, losses, fastest);
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

Baked bake(const Take& take, const SamplePlan& plan, Clip memory) {
    Baked out;
    Clip& clip = out.clip;
    clip.name = plan.clip;
    clip.rate = plan.rate;
    clip.samples = plan.samples;
    clip.loop = plan.loop ? LoopForm::kClosed : LoopForm::kOnce;
    clip.period = plan.samples - 1;
    const auto joints = at(take.skeleton.size());
    clip.joints = std::move(memory.joints);
    clip.joints.resize(joints);
    // Fresh memory is touched for the first time here, and on all threads.
    parallel_for(joints, [&](std::size_t j) {
        const auto n = at(plan.samples);
        clip.joints[j].translation.resize(3 * n);
        clip.joints[j].rotation.resize(4 * n);
        clip.joints[j].scale.resize(3 * n);
    });
    for (const MorphChannels& mesh : take.morphs)
        clip.morphs.push_back(
            {mesh.mesh, mesh.targets, std::vector<float>(at(plan.samples) * mesh.targets.size())});
    for (const NamedScalar& scalar : take.scalars)
        clip.scalars.push_back({scalar.name, scalar.unit, std::vector<float>(at(plan.samples))});
    const int chunks = (plan.samples + kChunk - 1) / kChunk;
    Job job{take, plan, clip, {}};
    job.losses.assign(at(chunks), std::vector<JointLoss>(joints));
    Pool<Worker> workers([&] {
        return std::make_unique<Worker>(
            Worker{nullptr, std::vector<std::array<double, 4>>(joints)});
    });
    parallel_for(at(chunks), [&](std::size_t chunk) {
        auto worker = workers.take();
        worker->tile = take.tiles->take();
        bake_chunk(job, static_cast<int>(chunk), *worker);
        take.tiles->give_back(std::move(worker->tile));
        workers.give_back(std::move(worker));
    });
    out.losses.assign(joints, {});
    parallel_for(joints, [&](std::size_t j) {
        join_chunks(clip.joints[j], plan.samples, job.losses, j, out.losses[j]);
    });
    return out;
}

}  // namespace mellow
