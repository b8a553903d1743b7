// Proving files by files that are proven; declared in prove.h.
#include <algorithm>
#include <cmath>
#include <optional>

#include "base/at.h"
#include "math/degrees.h"
#include "mellow/prove.h"
#include "model/lanes.h"
#include "prove/played_clip.h"

namespace mellow {
namespace {

/// What a matrix makes of a vector of length 1, at most (its Frobenius norm).
double growth_of(const Affine& m) {
    return std::sqrt(dot(m.x, m.x) + dot(m.y, m.y) + dot(m.z, m.z));
}

Affine minus(const Affine& a, const Affine& b) {
    return {a.x - b.x, a.y - b.y, a.z - b.z, a.o - b.o};
}

/// The angle between the orientations of two matrices.
double angle_apart(const Affine& a, const Affine& b) {
    if (is_flat(a) || is_flat(b)) return 0;
    const double sizes[] = {length(a.x), length(a.y), length(a.z),
                            length(b.x), length(b.y), length(b.z)};
    const auto square = [](const Affine& m, const double* s) {
        const double most = 1e-9 * s[0] * s[1];
        return std::abs(dot(m.x, m.y)) < most && std::abs(dot(m.y, m.z)) < 1e-9 * s[1] * s[2] &&
               std::abs(dot(m.x, m.z)) < 1e-9 * s[0] * s[2];
    };
    if (!square(a, sizes) || !square(b, sizes + 3))
        return angle_between(rotation_of(a), rotation_of(b));
    // Of two rotations |A - B| == 2 sqrt(2) sin(angle / 2).
    const Vec3 d[] = {(1 / sizes[0]) * a.x - (1 / sizes[3]) * b.x,
                      (1 / sizes[1]) * a.y - (1 / sizes[4]) * b.y,
                      (1 / sizes[2]) * a.z - (1 / sizes[5]) * b.z};
    const double norm = std::sqrt(dot(d[0], d[0]) + dot(d[1], d[1]) + dot(d[2], d[2]));
    return 2 * std::asin(std::min(1.0, norm / (2 * std::sqrt(2.0))));
}

/// Vertices that a joint carries some of: a ball around them, in the space of the mesh.
struct Carried {
    int first = kNone, second = kNone;  ///< nodes of the skins
    Affine first_bind, second_bind;
    Vec3 low{1e30, 1e30, 1e30}, high{-1e30, -1e30, -1e30};
    Vec3 centre;
    double radius = -1;  ///< below 0: it carries nothing
};

/// What the two files of a mesh have in common.
struct MeshLike {
    std::string name;
    std::vector<Carried> joints;
    double apart = 0;    ///< the most that a vertex is in another place, morphs included
    double reach = 0;    ///< the most that morph targets move a vertex
    double weights = 1;  ///< the largest sum of weights
};

double most_of(const Curve& curve, std::size_t target) {
    double most = 0;
    for (std::size_t i = target; i < curve.values.size(); i += at(curve.width))
        most = std::max(most, std::abs(curve.values[i]));
    return most;
}

double largest(const std::vector<Float3>& deltas) {
    double most = 0;
    for (const Float3& d : deltas) most = std::max(most, length(as_vec(d)));
    return most;
}

double largest_difference(const std::vector<Float3>& a, const std::vector<Float3>& b) {
    if (a.size() != b.size())
        return a.empty() || b.empty() ? std::max(largest(a), largest(b)) : 1e30;
    double most = 0;
    for (std::size_t i = 0; i < a.size(); ++i)
        most = std::max(most, length(as_vec(a[i]) - as_vec(b[i])));
    return most;
}

class LikeProver {
  public:
    LikeProver(const ProvenFiles& first, const Scene& skin, const Scene& clip,
               const std::map<std::string, std::string>& names)
        : first_(first), skin_(skin), clip_(clip), names_(names) {}

    std::optional<ClipProof> run(const SamplePlan& plan) {
        const auto a = PlayedClip::make(first_.skin, first_.clip, plan),
                   b = PlayedClip::make(skin_, clip_, plan);
        if (!a || !b || a.value().samples() != b.value().samples()) return {};
        if (first_.proof.accepted_mm.count > 0 || first_.proof.accepted_degrees.count > 0)
            return {};
        if (!pair_nodes() || !pair_meshes() || !compare_numbers()) return {};
        measure(a.value(), b.value());
        return sum(b.value().samples());
    }

  private:
    int partner(const std::string& name) const {
        const auto renamed = names_.find(name);
        return find_node(first_.skin, renamed == names_.end() ? name : renamed->second);
    }

    bool pair_nodes() {
        partner_.assign(skin_.nodes.size(), kNone);
        for (std::size_t n = 0; n < skin_.nodes.size(); ++n)
            if ((partner_[n] = partner(skin_.nodes[n].name)) == kNone) return false;
        return skin_.nodes.size() == first_.skin.nodes.size();
    }

    /// The same vertices with the same weights on the same joints.
    bool pair_meshes() {
        for (std::size_t n = 0; n < skin_.nodes.size(); ++n) {
            const Node &to = skin_.nodes[n], &from = first_.skin.nodes[at(partner_[n])];
            if (to.mesh == kNone && from.mesh == kNone) continue;
            if (to.mesh == kNone || from.mesh == kNone || to.skin == kNone || from.skin == kNone)
                return false;
            if (!pair_mesh(to, from)) return false;
        }
        return true;
    }

    bool pair_mesh(const Node& to, const Node& from) {
        const Mesh &mesh = skin_.meshes[at(to.mesh)], &other = first_.skin.meshes[at(from.mesh)];
        const Skin &own = skin_.skins[at(to.skin)], &its = first_.skin.skins[at(from.skin)];
        if (mesh.primitives.size() != other.primitives.size() ||
            mesh.target_names != other.target_names || own.joints.size() != its.joints.size())
            return false;
        MeshLike like{to.name, {}, 0, 0, 1};
        std::vector<std::size_t> slot(own.joints.size());
        for (std::size_t j = 0; j < own.joints.size(); ++j) {
            const auto found =
                std::find(its.joints.begin(), its.joints.end(), partner_[at(own.joints[j])]);
            if (found == its.joints.end()) return false;
            slot[j] = static_cast<std::size_t>(found - its.joints.begin());
            Carried carried;
            carried.first = *found, carried.second = own.joints[j];
            carried.first_bind = its.inverse_binds[slot[j]],
            carried.second_bind = own.inverse_binds[j];
            like.joints.push_back(carried);
        }
        for (std::size_t p = 0; p < mesh.primitives.size(); ++p)
            if (!pair_part(mesh.primitives[p], other.primitives[p], slot, like)) return false;
        if (!morphs(mesh, other, to.name, like)) return false;
        for (Carried& c : like.joints) {
            if (c.low.x > c.high.x) continue;
            c.centre = 0.5 * (c.low + c.high);
            c.radius = 0.5 * length(c.high - c.low) + like.reach;
        }
        meshes_.push_back(std::move(like));
        return true;
    }

    static bool pair_part(const Primitive& p, const Primitive& q,
                          const std::vector<std::size_t>& slot, MeshLike& like) {
        if (p.positions.size() != q.positions.size() ||
            p.influences_per_vertex != q.influences_per_vertex || p.influences_per_vertex == 0)
            return false;
        const auto per = at(p.influences_per_vertex);
        for (std::size_t v = 0; v < p.positions.size(); ++v) {
            const Vec3 place = as_vec(p.positions[v]);
            like.apart = std::max(like.apart, length(place - as_vec(q.positions[v])));
            double sum = 0;
            for (std::size_t i = v * per; i < (v + 1) * per; ++i) {
                if (p.influence_weights[i] != q.influence_weights[i]) return false;
                if (!(p.influence_weights[i] > 0)) continue;
                if (slot[p.influence_joints[i]] != q.influence_joints[i]) return false;
                sum += static_cast<double>(p.influence_weights[i]);
                Carried& c = like.joints[p.influence_joints[i]];
                c.low = {std::min(c.low.x, place.x), std::min(c.low.y, place.y),
                         std::min(c.low.z, place.z)};
                c.high = {std::max(c.high.x, place.x), std::max(c.high.y, place.y),
                          std::max(c.high.z, place.z)};
            }
            like.weights = std::max(like.weights, sum);
        }
        return true;
    }

    const MorphCurve* weights(const Scene& clip, const std::string& mesh) const {
        for (const MorphCurve& m : clip.timelines[0].morphs)
            if (m.mesh == mesh) return &m;
        return nullptr;
    }

    bool morphs(const Mesh& mesh, const Mesh& other, const std::string& node, MeshLike& like) {
        if (mesh.target_names.empty()) return true;
        const MorphCurve *a = weights(first_.clip, node), *b = weights(clip_, node);
        if (a == nullptr || b == nullptr || a->targets != b->targets ||
            a->curve.values.size() != b->curve.values.size())
            return false;
        for (std::size_t t = 0; t < mesh.target_names.size(); ++t) {
            double reach = 0, differs = 0, weight = 0;
            for (std::size_t p = 0; p < mesh.primitives.size(); ++p) {
                const auto &mine = mesh.primitives[p].targets, &its = other.primitives[p].targets;
                if (mine.size() != its.size() || t >= mine.size()) return false;
                reach = std::max(reach, largest(mine[t].positions));
                differs =
                    std::max(differs, largest_difference(mine[t].positions, its[t].positions));
            }
            const std::size_t width = at(a->curve.width);
            for (std::size_t i = t; i < a->curve.values.size(); i += width)
                weight = std::max(weight, std::abs(a->curve.values[i] - b->curve.values[i]));
            const double most = most_of(b->curve, t) + weight;
            like.reach += reach * most;
            like.apart += differs * most + reach * weight;
            weight_ = std::max(weight_, weight);
        }
        return true;
    }

    /// Scalars; relative to their size where that is above 1.
    bool compare_numbers() {
        const auto &a = first_.clip.timelines[0].scalars, &b = clip_.timelines[0].scalars;
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
            for (int f = 0; f < count; ++f) {
                const auto world = [&](const PlayedClip& clip, const std::vector<double>& rows,
                                       int node) { return load_affine(clip.world(rows, node), f); };
                for (std::size_t n = 0; n < skin_.nodes.size(); ++n) {
                    if (b.clip_nodes()[n] == kNone) continue;
                    const Affine was = world(a, rows_a, partner_[n]),
                                 is = world(b, rows_b, static_cast<int>(n));
                    note(place_mm_, length(was.o - is.o) * 1000, first + f, skin_.nodes[n].name);
                    note(degrees_, angle_apart(was, is) * kDegrees, first + f, skin_.nodes[n].name);
                }
                for (const MeshLike& mesh : meshes_)
                    for (const Carried& c : mesh.joints) {
                        if (c.radius < 0) continue;
                        const Affine was = world(a, rows_a, c.first) * c.first_bind,
                                     is = world(b, rows_b, c.second) * c.second_bind;
                        const Affine d = minus(was, is);
                        const double off = length(apply(d, c.centre)) + growth_of(d) * c.radius +
                                           growth_of(was) * mesh.apart;
                        note(vertex_mm_, off * mesh.weights * 1000, first + f, mesh.name);
                    }
            }
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
        ClipProof out = first_.proof;
        out.samples = samples;
        add(out.position_mm, place_mm_);
        add(out.rotation_degrees, degrees_);
        add(out.vertex_mm, vertex_mm_);
        add(out.weight, {weight_, out.weight.sample, out.weight.what});
        add(out.scalar, {scalar_, out.scalar.sample, out.scalar.what});
        for (KindProof& kind : out.kinds) {
            add(kind.position_mm, place_mm_);
            add(kind.rotation_degrees, degrees_);
        }
        return out;
    }

    const ProvenFiles& first_;
    const Scene &skin_, &clip_;
    const std::map<std::string, std::string>& names_;
    std::vector<int> partner_;  ///< node of the first skin for each of the second
    std::vector<MeshLike> meshes_;
    Most place_mm_, degrees_, vertex_mm_;
    double weight_ = 0, scalar_ = 0;
};

}  // namespace

std::optional<ClipProof> prove_like(const ProvenFiles& first, const Scene& skin, const Scene& clip,
                                    const SamplePlan& plan,
                                    const std::map<std::string, std::string>& names) {
    return LikeProver(first, skin, clip, names).run(plan);
}

}  // namespace mellow
