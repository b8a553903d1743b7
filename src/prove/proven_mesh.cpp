// Measuring meshes over the frames of a tile; declared in proven_mesh.h.
#include <algorithm>
#include <cmath>

#include "base/at.h"
#include "base/kernel.h"
#include "model/lanes.h"
#include "prove/proven_mesh.h"

namespace mellow {
namespace {

MELLOW_KERNEL void add_product(WorldRows world, const Affine& own, double sign, double* out) {
#pragma GCC ivdep
    for (int f = 0; f < kF; ++f) {
        const Affine m = load(world, f) * own, was = load_affine(out, f);
        store_affine(
            out, f,
            {was.x + m.x * sign, was.y + m.y * sign, was.z + m.z * sign, was.o + m.o * sign});
    }
}

/// How much longer a vector can become, at most: the root of the largest eigenvalue of M^T * M,
/// bounded by its row sums (Gershgorin); exact where the columns are square to each other.
MELLOW_KERNEL void add_growth(WorldRows world, const Affine& own, double* growth) {
#pragma GCC ivdep
    for (int f = 0; f < kF; ++f) {
        const Affine m = load(world, f) * own;
        const double xy = std::abs(dot(m.x, m.y)), yz = std::abs(dot(m.y, m.z)),
                     zx = std::abs(dot(m.z, m.x));
        const double most = std::max(dot(m.x, m.x) + xy + zx,
                                     std::max(dot(m.y, m.y) + xy + yz, dot(m.z, m.z) + yz + zx));
        growth[f] = std::max(growth[f], std::sqrt(most));
    }
}

/// One frame of a vertex: its length in millimetres, what rounding adds on top; a value that is no
/// number stays the worst.
MELLOW_LANE void add_length(Vec3 v, double rounding, double& worst, double& total) {
    const double mm = 1000 * (std::sqrt(dot(v, v)) + rounding);
    worst = mm <= worst ? worst : worst != worst ? worst : mm;
    total += mm;
}

/// A vertex that no morph moves. `parts` stand one after the other, at least one.
MELLOW_KERNEL void still_vertex(const double* blends, const Influence* parts, std::size_t count,
                                const VertexPair& vertex, const double* growth, double* worst,
                                double* total) {
    alignas(64) double sum[3 * kTileFrames];
    const auto place = [&](const Influence& part) {
        return part.source_place ? vertex.source : vertex.written;
    };
    {
        const double* m = blends + parts[0].blend * JointTile::kWorldSize;
        const Vec3 p = place(parts[0]);
        const double w = parts[0].weight;
#pragma GCC ivdep
        for (int f = 0; f < kF; ++f) store3(sum, f, w * apply(load_affine(m, f), p));
    }
    for (std::size_t i = 1; i < count; ++i) {
        const double* m = blends + parts[i].blend * JointTile::kWorldSize;
        const Vec3 p = place(parts[i]);
        const double w = parts[i].weight;
#pragma GCC ivdep
        for (int f = 0; f < kF; ++f)
            store3(sum, f, load3(sum, f) + w * apply(load_affine(m, f), p));
    }
    const double rounding = vertex.rounding;
#pragma GCC ivdep
    for (int f = 0; f < kF; ++f)
        add_length(load3(sum, f), rounding * growth[f], worst[f], total[f]);
}

MELLOW_KERNEL void add_points(const double* m, const double* places, double w, double* sum) {
#pragma GCC ivdep
    for (int f = 0; f < kF; ++f)
        store3(sum, f, load3(sum, f) + w * apply(load_affine(m, f), load3(places, f)));
}

MELLOW_KERNEL void add_lengths(const double* sum, const double* rounding, const double* growth,
                               double* worst, double* total) {
#pragma GCC ivdep
    for (int f = 0; f < kF; ++f)
        add_length(load3(sum, f), rounding[f] * growth[f], worst[f], total[f]);
}

struct Places {
    alignas(64) double source[3 * kTileFrames], written[3 * kTileFrames], rounding[kTileFrames];
};

/// Where a morphed vertex is before joints move it, and what its rounding comes to.
void morph(const ProvenMesh& mesh, const VertexPair& vertex, const MeshFrames& frames,
           Places& places) {
    for (int f = 0; f < kTileFrames; ++f) {
        store3(places.source, f, vertex.source);
        store3(places.written, f, vertex.written);
        places.rounding[f] = vertex.rounding;
    }
    for (std::size_t d = at(vertex.morph);; ++d) {
        const MorphDelta& delta = mesh.deltas[d];
        const double* truth = frames.truth->scalar(mesh.first_weight + delta.target);
        const double* played =
            mesh.simplified ? truth : frames.weights[at(mesh.morph)][at(delta.target)];
        for (int f = 0; f < kTileFrames; ++f) {
            store3(places.source, f, load3(places.source, f) + truth[f] * delta.source);
            store3(places.written, f, load3(places.written, f) + played[f] * delta.written);
            places.rounding[f] +=
                vertex.weights * (std::abs(played[f]) * delta.rounding +
                                  std::abs(truth[f] - played[f]) * delta.source_size);
        }
        if (delta.last) break;
    }
}

}  // namespace

void measure(const ProvenMesh& mesh, const MeshFrames& frames, MeshWork& work, MeshFound& found,
             MeshFound& apart) {
    alignas(64) double growth[kTileFrames] = {};
    work.blends.assign(mesh.blends.size() * JointTile::kWorldSize, 0.0);
    for (std::size_t b = 0; b < mesh.blends.size(); ++b) {
        const Blend& blend = mesh.blends[b];
        double* out = &work.blends[b * JointTile::kWorldSize];
        if (blend.body != kNone) {
            add_product(frames.bodies[at(blend.body)], blend.truth, 1, out);
            add_growth(frames.bodies[at(blend.body)], blend.truth, growth);
        }
        if (blend.played != kNone)
            add_product(frames.played[at(blend.played)], blend.written, -1, out);
    }
    Places places;
    alignas(64) double sum[3 * kTileFrames];
    for (const VertexPair& vertex : mesh.list) {
        MeshFound& out = vertex.accepted ? apart : found;
        if (vertex.first == vertex.last) continue;  // nothing moves it: it is where it should be
        const Influence* parts = &mesh.influences[vertex.first];
        if (vertex.morph == kNone) {
            still_vertex(work.blends.data(), parts, vertex.last - vertex.first, vertex, growth,
                         out.worst, out.sum);
            continue;
        }
        std::fill_n(sum, 3 * kTileFrames, 0.0);
        morph(mesh, vertex, frames, places);
        for (std::uint32_t i = vertex.first; i < vertex.last; ++i) {
            const Influence& part = mesh.influences[i];
            add_points(&work.blends[part.blend * JointTile::kWorldSize],
                       part.source_place ? places.source : places.written, part.weight, sum);
        }
        add_lengths(sum, places.rounding, growth, out.worst, out.sum);
    }
}

}  // namespace mellow
