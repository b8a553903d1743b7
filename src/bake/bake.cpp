#include "mellow/bake.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "base/kernel.h"
#include "mellow/parallel.h"
#include "model/lanes.h"

namespace mellow {
namespace {

/// Tiles per unit of parallel work; a unit makes its own PoseTile once.
constexpr int kChunkTiles = 16;
/// A matrix whose axes are square to each other within this is free of shear.
constexpr double kSquare = 1e-9;

std::size_t at(int i) { return static_cast<std::size_t>(i); }

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

struct Job {
    const Skeleton& skeleton;
    const JointSources& sources;
    const ScalarLayout scalars;
    Clip& clip;
    std::vector<std::vector<JointLoss>> losses;  // [chunk][joint]
};

/// Redoes the lanes that have shear or no thickness, exactly, and notes what is lost.
void redo_hard_lanes(const double* parent, double* kept, LocalRows& rows, int first, int count,
                     JointLoss& loss) {
    for (int f = 0; f < count; ++f) {
        if (rows.skew[f] <= kSquare && rows.thinnest[f] > 1e-9) continue;
        const Affine above = load_affine(parent, f);
        const Decomposed d = decompose(inverse(above) * load_affine(kept, f));
        store3(rows.local, f, d.transform.t);
        store4(rows.local + 3 * kF, f, d.transform.r);
        store3(rows.local + 7 * kF, f, d.transform.s);
        // Children hang on what is stored, so that their positions stay exact.
        store_affine(kept, f, above * to_affine(d.transform));
        if (d.shear > loss.shear) loss.shear = d.shear, loss.shear_sample = first + f;
    }
}

void store_rows(const LocalRows& rows, int first, int count, JointTrack& track, JointLoss& loss) {
    for (int f = 0; f < count; ++f) {
        const Vec3 s = load3(rows.local + 7 * kF, f);
        store(track, first + f, {load3(rows.local, f), load4(rows.local + 3 * kF, f), s});
        loss.smallest_scale =
            std::min({loss.smallest_scale, std::abs(s.x), std::abs(s.y), std::abs(s.z)});
    }
}

void bake_tile(const PoseTile& tile, Job& job, int first, int count, std::vector<double>& kept,
               std::vector<JointLoss>& losses) {
    LocalRows rows;
    const int joints = job.skeleton.size();
    double* above_roots = &kept[at(joints) * 12 * kTileFrames];
    for (int j = 0; j < joints; ++j) {
        const int node = job.sources[at(j)].node;
        const int parent = job.skeleton[j].parent;
        const double* up = parent < 0 ? above_roots : &kept[at(parent) * 12 * kTileFrames];
        double* own = &kept[at(j) * 12 * kTileFrames];
        const double* world = node == kNone ? above_roots : tile.channel(node, PoseTile::kWorld);
        local_kernel(up, world, 1 / job.sources[at(j)].scale, own, rows);
        redo_hard_lanes(up, own, rows, first, count, losses[at(j)]);
        store_rows(rows, first, count, job.clip.joints[at(j)], losses[at(j)]);
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

/// Squared length of the straight line between two turns: (2 sin(angle / 4))^2.
double chord2(Quat a, Quat b) {
    const Quat n = nearest(a, b);
    const Quat d{n.x - b.x, n.y - b.y, n.z - b.z, n.w - b.w};
    return dot(d, d);
}

/// Puts the quaternions of a track on one hemisphere and measures how fast it turns and moves.
/// Straight lines are compared, which cost no arc function; the one angle is computed at the end.
void finish_track(JointTrack& track, int samples, JointLoss& loss) {
    Quat before{0, 0, 0, 1};
    Transform first;
    double fastest = 0, moved = 0, turned = 0;
    for (int k = 0; k < samples; ++k) {
        Transform local = local_at(track, k);
        if (dot(local.r, before) < 0) {
            for (std::size_t i = 0; i < 4; ++i) track.rotation[4 * at(k) + i] *= -1;
            local.r = -local.r;
        }
        if (k == 0) first = local;
        const double step = k == 0 ? 0 : chord2(before, local.r);
        if (step > fastest) fastest = step, loss.fastest_sample = k;
        const Vec3 t = local.t - first.t, s = local.s - first.s;
        moved = std::max({moved, dot(t, t), dot(s, s)});
        turned = std::max(turned, chord2(first.r, local.r));
        before = local.r;
    }
    loss.moved = std::max(std::sqrt(moved), 4 * std::asin(std::min(1.0, std::sqrt(turned) / 2)));
    if (fastest > 0)
        loss.fastest_turn_rad = angle_between(local_at(track, loss.fastest_sample - 1).r,
                                              local_at(track, loss.fastest_sample).r);
}

void merge(JointLoss& into, const JointLoss& from) {
    if (from.shear > into.shear) into.shear = from.shear, into.shear_sample = from.shear_sample;
    into.smallest_scale = std::min(into.smallest_scale, from.smallest_scale);
}

}  // namespace

Baked bake(const Scene& scene, const PoseSource& poses, const SamplePlan& plan,
           const Skeleton& skeleton, const JointSources& sources) {
    Baked out;
    Clip& clip = out.clip;
    clip.name = plan.clip;
    clip.rate = plan.rate;
    clip.samples = plan.samples;
    clip.loop = plan.loop ? LoopForm::kClosed : LoopForm::kOnce;
    clip.period = plan.samples - 1;
    clip.joints = make_tracks(skeleton.size(), plan.samples);
    Job job{skeleton, sources, scalar_layout(scene), clip, {}};
    for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
        if (job.scalars.offset[n] == kNone) continue;
        const auto& targets = scene.meshes[at(scene.nodes[n].mesh)].target_names;
        clip.morphs.push_back(
            {scene.nodes[n].name, targets, std::vector<float>(at(plan.samples) * targets.size())});
    }
    constexpr int kChunk = kChunkTiles * kTileFrames;
    const int chunks = (plan.samples + kChunk - 1) / kChunk;
    job.losses.assign(at(chunks), std::vector<JointLoss>(at(skeleton.size())));
    parallel_for(at(chunks), [&](std::size_t chunk) {
        PoseTile tile = poses.make_tile();
        std::vector<double> kept((at(skeleton.size()) + 1) * 12 * kTileFrames, 0.0);
        for (int c = 0; c < 12; c += 4)  // the world above all roots: the identity
            std::fill_n(&kept[(at(skeleton.size()) * 12 + at(c)) * kTileFrames], kTileFrames, 1.0);
        const int end = std::min(plan.samples, static_cast<int>(chunk + 1) * kChunk);
        for (int first = static_cast<int>(chunk) * kChunk; first < end; first += kTileFrames) {
            const int count = std::min(kTileFrames, end - first);
            std::array<double, kTileFrames> seconds{};
            for (int f = 0; f < count; ++f) seconds[at(f)] = plan.second(first + f);
            poses.evaluate({seconds.data(), at(count)}, tile);
            bake_tile(tile, job, first, count, kept, job.losses[chunk]);
        }
    });
    out.losses.assign(at(skeleton.size()), {});
    parallel_for(at(skeleton.size()), [&](std::size_t j) {
        for (const auto& chunk : job.losses) merge(out.losses[j], chunk[j]);
        finish_track(clip.joints[j], plan.samples, out.losses[j]);
    });
    return out;
}

}  // namespace mellow
