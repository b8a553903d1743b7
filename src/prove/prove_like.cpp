// Proving files by files that are proven; declared in prove.h.
#include <algorithm>
#include <cmath>
#include <optional>

#include "base/at.h"
#include "base/kernel.h"
#include "math/degrees.h"
#include "mellow/prove.h"
#include "model/lanes.h"
#include "prove/paired_skins.h"
#include "prove/played_clip.h"

namespace mellow {
namespace {

/// The angle between the orientations of two matrices, however sheared.
double angle_apart(const Affine& a, const Affine& b) {
    if (is_flat(a) || is_flat(b)) return 0;
    return angle_between(rotation_of(a), rotation_of(b));
}

using Row = double[kTileFrames];

/// How two tiles of a joint differ: places, and the norm of what their axes, made length 1, differ
/// by, from which the angle comes; and whether axes are square, so that it does.
struct Apart {
    alignas(64) Row far, norm, skew;
};
MELLOW_KERNEL void apart_kernel(WorldRows was, WorldRows is, Apart& out) {
#pragma GCC ivdep
    for (int f = 0; f < kF; ++f) {
        const Affine a = load(was, f), b = load(is, f);
        const double ax = length(a.x), ay = length(a.y), az = length(a.z), bx = length(b.x),
                     by = length(b.y), bz = length(b.z);
        const Vec3 p = a.x * (1 / ax), q = a.y * (1 / ay), r = a.z * (1 / az);
        const Vec3 u = b.x * (1 / bx), v = b.y * (1 / by), w = b.z * (1 / bz);
        const Vec3 x = p - u, y = q - v, z = r - w;
        out.far[f] = length(a.o - b.o);
        out.norm[f] = std::sqrt(dot(x, x) + dot(y, y) + dot(z, z));
        const double first =
            std::max(std::abs(dot(p, q)), std::max(std::abs(dot(q, r)), std::abs(dot(r, p))));
        const double second =
            std::max(std::abs(dot(u, v)), std::max(std::abs(dot(v, w)), std::abs(dot(w, u))));
        out.skew[f] = std::max(first, second);
    }
}

/// The difference of two matrices of vertices, what it makes of a vector of length 1 at most (its
/// Frobenius norm), and what the first one does.
struct Between {
    alignas(64) double matrix[12 * kTileFrames];
    alignas(64) Row grows, size;
};
MELLOW_KERNEL void between_kernel(WorldRows was, WorldRows is, const Affine& first,
                                  const Affine& second, Between& out) {
#pragma GCC ivdep
    for (int f = 0; f < kF; ++f) {
        const Affine a = load(was, f) * first, b = load(is, f) * second;
        const Affine d{a.x - b.x, a.y - b.y, a.z - b.z, a.o - b.o};
        store_affine(out.matrix, f, d);
        out.grows[f] = std::sqrt(dot(d.x, d.x) + dot(d.y, d.y) + dot(d.z, d.z));
        out.size[f] = std::sqrt(dot(a.x, a.x) + dot(a.y, a.y) + dot(a.z, a.z));
    }
}
/// |D c| + |D| radius + |M| apart.
MELLOW_KERNEL void reach_kernel(const Between& between, Vec3 centre, double radius, double apart,
                                double* out) {
#pragma GCC ivdep
    for (int f = 0; f < kF; ++f)
        out[f] = length(apply(load_affine(between.matrix, f), centre)) + between.grows[f] * radius +
                 between.size[f] * apart;
}

double most_of(const Curve& curve, std::size_t target) {
    double most = 0;
    for (std::size_t i = target; i < curve.values.size(); i += at(curve.width))
        most = std::max(most, std::abs(curve.values[i]));
    return most;
}

/// Measures one clip on paired skins.
class LikeProver {
  public:
    LikeProver(const Scene& first_skin, const Scene& skin, const PairedSkins& paired,
               const Scene& first_clip, const ClipProof& proof, const Scene& clip)
        : first_skin_(first_skin),
          skin_(skin),
          paired_(paired),
          first_clip_(first_clip),
          proof_(proof),
          clip_(clip) {}

    std::optional<ClipProof> run(const SamplePlan& plan) {
        const auto a = PlayedClip::make(first_skin_, first_clip_, plan),
                   b = PlayedClip::make(skin_, clip_, plan);
        if (!a || !b || a.value().samples() != b.value().samples()) return {};
        if (proof_.accepted_mm.count > 0 || proof_.accepted_degrees.count > 0) return {};
        for (const PairedMesh& mesh : paired_.meshes)
            if (!compare_morphs(mesh)) return {};
        if (!compare_numbers()) return {};
        measure(a.value(), b.value());
        return sum(b.value().samples());
    }

  private:
    static const MorphCurve* weights(const Scene& clip, const std::string& mesh) {
        for (const MorphCurve& m : clip.timelines[0].morphs)
            if (m.mesh == mesh) return &m;
        return nullptr;
    }

    /// How far morph targets take vertices in this clip, and how far the two differ in that.
    bool compare_morphs(const PairedMesh& mesh) {
        Reach& reach = reach_.emplace_back(Reach{0, mesh.apart});
        if (mesh.reach.empty()) return true;
        const MorphCurve *a = weights(first_clip_, mesh.name), *b = weights(clip_, mesh.name);
        if (a == nullptr || b == nullptr || a->targets != b->targets ||
            a->curve.values.size() != b->curve.values.size())
            return false;
        for (std::size_t t = 0; t < mesh.reach.size(); ++t) {
            double weight = 0;
            for (std::size_t i = t; i < a->curve.values.size(); i += at(a->curve.width))
                weight = std::max(weight, std::abs(a->curve.values[i] - b->curve.values[i]));
            const double most = most_of(b->curve, t) + weight;
            reach.morphs += mesh.reach[t] * most;
            reach.apart += mesh.differs[t] * most + mesh.reach[t] * weight;
            weight_ = std::max(weight_, weight);
        }
        return true;
    }

    /// Scalars; relative to their size where that is above 1.
    bool compare_numbers() {
        const auto &a = first_clip_.timelines[0].scalars, &b = clip_.timelines[0].scalars;
        if (a.size() != b.size()) return false;
        for (std::size_t s = 0; s < a.size(); ++s) {
            if (a[s].name != b[s].name || a[s].curve.values.size() != b[s].curve.values.size())
                return false;
            for (std::size_t i = 0; i < a[s].curve.values.size(); ++i)
                scalar_ = std::max(scalar_, std::abs(a[s].curve.values[i] - b[s].curve.values[i]) /
                                                std::max(1.0, std::abs(a[s].curve.values[i])));
        }
        return true;
    }

    void measure(const PlayedClip& a, const PlayedClip& b) {
        std::vector<double> rows_a = a.make_rows(), rows_b = b.make_rows();
        for (int first = 0; first < a.samples(); first += kTileFrames) {
            const int count = std::min(kTileFrames, a.samples() - first);
            a.evaluate(first, count, rows_a);
            b.evaluate(first, count, rows_b);
            for (std::size_t n = 0; n < skin_.nodes.size(); ++n)
                if (b.clip_nodes()[n] != kNone)
                    compare_joint(a.world(rows_a, paired_.partner[n]),
                                  b.world(rows_b, static_cast<int>(n)), first, count,
                                  skin_.nodes[n].name);
            for (const SharedMatrix& pair : paired_.matrices)
                compare_vertices(a.world(rows_a, pair.first), b.world(rows_b, pair.second), pair,
                                 first, count);
        }
        degrees_.value = 2 * std::asin(std::min(1.0, degrees_.value)) * kDegrees;
    }

    /// `degrees_` holds the sine of half the angle meanwhile.
    void compare_joint(WorldRows was, WorldRows is, int first, int count, const std::string& name) {
        Apart apart;
        apart_kernel(was, is, apart);
        for (int f = 0; f < count; ++f) {
            note(place_mm_, apart.far[f] * 1000, first + f, name);
            // Of two rotations |A - B| == 2 sqrt(2) sin(angle / 2).
            const double half = apart.skew[f] < 1e-9
                                    ? apart.norm[f] / (2 * std::sqrt(2.0))
                                    : std::sin(angle_apart(load(was, f), load(is, f)) / 2);
            note(degrees_, half, first + f, name);
            note(scale_, scale_apart(load(was, f), load(is, f)), first + f, name);
        }
    }

    void compare_vertices(WorldRows was, WorldRows is, const SharedMatrix& pair, int first,
                          int count) {
        Between between;
        between_kernel(was, is, pair.first_bind, pair.second_bind, between);
        for (const SharedMatrix::Load& load : pair.loads) {
            const PairedMesh& mesh = paired_.meshes[load.mesh];
            const Reach& reach = reach_[load.mesh];
            alignas(64) Row off;
            reach_kernel(between, load.centre, load.radius + reach.morphs, reach.apart, off);
            for (int f = 0; f < count; ++f)
                note(vertex_mm_, off[f] * mesh.weights * 1000, first + f, mesh.name);
        }
    }

    struct Most {
        double value = 0;
        int sample = 0;
        std::string what;
    };
    static void note(Most& most, double value, int sample, const std::string& what) {
        if (value <= most.value) return;
        most = {value, sample, what};
    }

    /// What the first is off by, and what the second differs from it by.
    static void add(Deviation& to, const Most& more) {
        if (to.count == 0) return;
        if (more.value > to.worst || to.what.empty()) to.sample = more.sample, to.what = more.what;
        to.worst += more.value;
        to.sum += more.value * static_cast<double>(to.count);
    }

    ClipProof sum(int samples) const {
        ClipProof out = proof_;
        out.samples = samples;
        add(out.position_mm, place_mm_);
        add(out.rotation_degrees, degrees_);
        add(out.scale, scale_);
        add(out.vertex_mm, vertex_mm_);
        add(out.weight, {weight_, out.weight.sample, out.weight.what});
        add(out.scalar, {scalar_, out.scalar.sample, out.scalar.what});
        for (KindProof& kind : out.kinds) {
            add(kind.position_mm, place_mm_);
            add(kind.rotation_degrees, degrees_);
        }
        return out;
    }

    struct Reach {
        double morphs = 0;  ///< how far morph targets take a vertex
        double apart = 0;   ///< how far a vertex is from the other's
    };

    const Scene &first_skin_, &skin_;
    const PairedSkins& paired_;
    const Scene& first_clip_;
    const ClipProof& proof_;
    const Scene& clip_;
    std::vector<Reach> reach_;  ///< by mesh
    Most place_mm_, degrees_, scale_, vertex_mm_;
    double weight_ = 0, scalar_ = 0;
};

}  // namespace

struct LikeSkins::Parts {
    const Scene &first, &second;
    PairedSkins paired;
};

std::optional<LikeSkins> LikeSkins::make(const Scene& first, const Scene& second,
                                         const std::map<std::string, std::string>& names) {
    auto paired = pair_skins(first, second, names);
    if (!paired) return {};
    LikeSkins out;
    out.parts_ = std::make_shared<const Parts>(Parts{first, second, std::move(*paired)});
    return out;
}

std::optional<ClipProof> LikeSkins::prove(const Scene& first_clip, const ClipProof& proof,
                                          const Scene& clip, const SamplePlan& plan) const {
    return LikeProver(parts_->first, parts_->second, parts_->paired, first_clip, proof, clip)
        .run(plan);
}

}  // namespace mellow
