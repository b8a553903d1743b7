#include "prove/paired_skins.h"

#include <algorithm>
#include <cmath>

#include "base/at.h"

namespace mellow {
namespace {

/// Vertices that a joint carries some of: a box around them, in the space of the mesh.
struct Carried {
    int first = kNone, second = kNone;  ///< nodes of the skins
    Affine first_bind, second_bind;
    Vec3 low{1e30, 1e30, 1e30}, high{-1e30, -1e30, -1e30};
};

bool same(const Affine& a, const Affine& b) {
    const auto equal = [](Vec3 v, Vec3 w) { return v.x == w.x && v.y == w.y && v.z == w.z; };
    return equal(a.x, b.x) && equal(a.y, b.y) && equal(a.z, b.z) && equal(a.o, b.o);
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

/// Pairs nodes and meshes of two skins.
class Pairing {
  public:
    Pairing(const Scene& first, const Scene& second,
            const std::map<std::string, std::string>& names)
        : first_(first), second_(second), names_(names) {}

    std::optional<PairedSkins> run() {
        if (!pair_nodes() || !pair_meshes()) return {};
        return std::move(out_);
    }

  private:
    bool pair_nodes() {
        out_.partner.assign(second_.nodes.size(), kNone);
        for (std::size_t n = 0; n < second_.nodes.size(); ++n) {
            const std::string& name = second_.nodes[n].name;
            const auto renamed = names_.find(name);
            out_.partner[n] = find_node(first_, renamed == names_.end() ? name : renamed->second);
            if (out_.partner[n] == kNone) return false;
        }
        return second_.nodes.size() == first_.nodes.size();
    }

    /// The same vertices with the same weights on the same joints.
    bool pair_meshes() {
        for (std::size_t n = 0; n < second_.nodes.size(); ++n) {
            const Node &to = second_.nodes[n], &from = first_.nodes[at(out_.partner[n])];
            if (to.mesh == kNone && from.mesh == kNone) continue;
            if (to.mesh == kNone || from.mesh == kNone || to.skin == kNone || from.skin == kNone)
                return false;
            if (!pair_mesh(to, from)) return false;
        }
        return true;
    }

    bool pair_mesh(const Node& to, const Node& from) {
        const Mesh &mesh = second_.meshes[at(to.mesh)], &other = first_.meshes[at(from.mesh)];
        const Skin &own = second_.skins[at(to.skin)], &its = first_.skins[at(from.skin)];
        if (mesh.primitives.size() != other.primitives.size() ||
            mesh.target_names != other.target_names || own.joints.size() != its.joints.size())
            return false;
        PairedMesh like{to.name, 0, 1, {}, {}};
        std::vector<Carried> carried_by;
        std::vector<std::size_t> slot(own.joints.size());
        for (std::size_t j = 0; j < own.joints.size(); ++j) {
            const auto found =
                std::find(its.joints.begin(), its.joints.end(), out_.partner[at(own.joints[j])]);
            if (found == its.joints.end()) return false;
            slot[j] = static_cast<std::size_t>(found - its.joints.begin());
            Carried carried;
            carried.first = *found, carried.second = own.joints[j];
            carried.first_bind = its.inverse_binds[slot[j]],
            carried.second_bind = own.inverse_binds[j];
            carried_by.push_back(carried);
        }
        for (std::size_t p = 0; p < mesh.primitives.size(); ++p)
            if (!pair_part(mesh.primitives[p], other.primitives[p], slot, like, carried_by))
                return false;
        if (!pair_morphs(mesh, other, like)) return false;
        for (const Carried& c : carried_by)
            if (c.low.x <= c.high.x) load(c);
        out_.meshes.push_back(std::move(like));
        return true;
    }

    /// Meshes of one skin share the matrices of its joints.
    void load(const Carried& c) {
        auto pair =
            std::find_if(out_.matrices.begin(), out_.matrices.end(), [&](const SharedMatrix& p) {
                return p.first == c.first && p.second == c.second &&
                       same(p.first_bind, c.first_bind) && same(p.second_bind, c.second_bind);
            });
        if (pair == out_.matrices.end())
            pair = out_.matrices.insert(pair, {c.first, c.second, c.first_bind, c.second_bind, {}});
        pair->loads.push_back(
            {out_.meshes.size(), 0.5 * (c.low + c.high), 0.5 * length(c.high - c.low)});
    }

    static bool pair_part(const Primitive& p, const Primitive& q,
                          const std::vector<std::size_t>& slot, PairedMesh& like,
                          std::vector<Carried>& joints) {
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
                Carried& c = joints[p.influence_joints[i]];
                c.low = {std::min(c.low.x, place.x), std::min(c.low.y, place.y),
                         std::min(c.low.z, place.z)};
                c.high = {std::max(c.high.x, place.x), std::max(c.high.y, place.y),
                          std::max(c.high.z, place.z)};
            }
            like.weights = std::max(like.weights, sum);
        }
        return true;
    }

    static bool pair_morphs(const Mesh& mesh, const Mesh& other, PairedMesh& like) {
        for (std::size_t t = 0; t < mesh.target_names.size(); ++t) {
            double reach = 0, differs = 0;
            for (std::size_t p = 0; p < mesh.primitives.size(); ++p) {
                const auto &mine = mesh.primitives[p].targets, &its = other.primitives[p].targets;
                if (mine.size() != its.size() || t >= mine.size()) return false;
                reach = std::max(reach, largest(mine[t].positions));
                differs =
                    std::max(differs, largest_difference(mine[t].positions, its[t].positions));
            }
            like.reach.push_back(reach);
            like.differs.push_back(differs);
        }
        return true;
    }

    const Scene &first_, &second_;
    const std::map<std::string, std::string>& names_;
    PairedSkins out_;
};

}  // namespace

std::optional<PairedSkins> pair_skins(const Scene& first, const Scene& second,
                                      const std::map<std::string, std::string>& names) {
    return Pairing(first, second, names).run();
}

}  // namespace mellow
