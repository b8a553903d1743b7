// Preparing the meshes of a figure for the proof; declared in prove.h.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <tuple>

#include "base/at.h"
#include "prove/skin_parts.h"

namespace mellow {
namespace {

/// Beyond this a written vertex is not the rounded one of the source: both are posed, then.
constexpr double kRounding_m = 1e-5;

double difference(const Affine& a, const Affine& b) {
    return std::max({length(a.x - b.x), length(a.y - b.y), length(a.z - b.z), length(a.o - b.o)});
}

/// One influence of a vertex: which joint of its skin, and how much.
struct SlotWeight {
    std::size_t slot;
    float weight;
};

/// Influences of one vertex above zero. A mesh without skin hangs on slot 0, its node.
std::vector<SlotWeight> weights_of(const Node& node, const Primitive& primitive,
                                   std::size_t vertex) {
    const auto per = at(primitive.influences_per_vertex);
    if (node.skin == kNone || per == 0) return {{0, 1.0F}};
    std::vector<SlotWeight> out;
    for (std::size_t i = vertex * per; i < (vertex + 1) * per; ++i)
        if (primitive.influence_weights[i] > 0)
            out.push_back({primitive.influence_joints[i], primitive.influence_weights[i]});
    return out;
}

/// Node and inverse bind matrix of each slot.
struct Slot {
    int node = kNone;
    Affine bind;
};

std::vector<Slot> slots_of(const Scene& scene, int node) {
    const Node& n = scene.nodes[at(node)];
    if (n.skin == kNone) return {{node, {}}};
    const Skin& skin = scene.skins[at(n.skin)];
    std::vector<Slot> out;
    for (std::size_t i = 0; i < skin.joints.size(); ++i)
        out.push_back({skin.joints[i], skin.inverse_binds[i]});
    return out;
}

/// Which body moves a node of the figure, and the node's matrix in that of the body.
struct Body {
    int index = kNone;
    Affine inside;
};

std::vector<Body> bodies_of(const ProofFigure& figure, const std::vector<Mount>& mounts) {
    std::vector<Body> out(figure.scene.nodes.size());
    for (std::size_t j = 0; j < figure.sources.size(); ++j) {
        const JointSource& source = figure.sources[j];
        if (source.node == kNone || source.unscaled) continue;
        // joint = node * scale(1 / s) * turn, so node = joint * turn^-1 * scale(s).
        const double s = source.scale;
        out[at(source.node)] = {static_cast<int>(j),
                                to_affine({{}, conjugate(source.turn), {s, s, s}})};
    }
    for (std::size_t m = 0; m < mounts.size(); ++m)
        out[at(mounts[m].node)] = {figure.skeleton.size() + static_cast<int>(m), {}};
    return out;
}

class PairMaker {
  public:
    PairMaker(const ProofFigure& figure, const Scene& skin, const std::vector<Body>& bodies)
        : figure_(figure), skin_(skin), bodies_(bodies) {}

    ProvenMesh pair(int node, int other, std::size_t part, int first_weight, int morph) {
        begin(node, first_weight, morph);
        const Node& from = figure_.scene.nodes[at(node)];
        const Node& to = skin_.nodes[at(other)];
        const Primitive& source = figure_.scene.meshes[at(from.mesh)].primitives[part];
        const Primitive& written = skin_.meshes[at(to.mesh)].primitives[part];
        const std::vector<Slot> own = slots_of(figure_.scene, node), its = slots_of(skin_, other);
        const Affine change = change_of(source, from, own, written, to, its);
        const std::vector<bool> accepted = accepted_vertices(node, source);
        out_.vertices = source.positions.size();
        for (std::size_t v = 0; v < out_.vertices; ++v) {
            VertexPair vertex;
            vertex.source = as_vec(source.positions[v]);
            vertex.written = as_vec(written.positions[v]);
            vertex.first = static_cast<std::uint32_t>(out_.influences.size());
            vertex.accepted = !accepted.empty() && accepted[v];
            out_.accepted += vertex.accepted ? 1 : 0;
            const auto truth = weights_of(from, source, v), file = weights_of(to, written, v);
            vertex.rounding = length(apply(change, vertex.source) - vertex.written);
            if (vertex.rounding < kRounding_m && deltas_fit(v, source, written, change) &&
                matched(truth, own, file, its)) {
                add_differences(truth, own, file, its, change);
            } else {
                add_both(truth, own, file, its);
                vertex.rounding = 0;
            }
            vertex.last = static_cast<std::uint32_t>(out_.influences.size());
            vertex.weights = 0;
            for (const SlotWeight& w : truth) vertex.weights += static_cast<double>(w.weight);
            vertex.rounding *= vertex.weights;
            add_morphs(vertex, v, source, written, change);
            out_.list.push_back(vertex);
        }
        return std::move(out_);
    }

    /// The source against itself as it was: only vertices whose weights changed.
    ProvenMesh simplified(int node, std::size_t part, int first_weight) {
        begin(node, first_weight, kNone);
        out_.simplified = true;
        const Scene& before = *figure_.unsimplified;
        const Node &from = before.nodes[at(node)], &to = figure_.scene.nodes[at(node)];
        const Primitive& source = before.meshes[at(from.mesh)].primitives[part];
        const Primitive& now = figure_.scene.meshes[at(to.mesh)].primitives[part];
        const std::vector<Slot> own = slots_of(before, node), its = slots_of(figure_.scene, node);
        out_.vertices = source.positions.size();
        for (std::size_t v = 0; v < out_.vertices; ++v) {
            const auto was = weights_of(from, source, v), is = weights_of(to, now, v);
            std::map<std::size_t, double> change;
            for (const SlotWeight& w : was)
                change[truth_blend(own[w.slot], {})] += static_cast<double>(w.weight);
            for (const SlotWeight& w : is)
                change[truth_blend(its[w.slot], {})] -= static_cast<double>(w.weight);
            VertexPair vertex;
            vertex.source = as_vec(source.positions[v]);
            vertex.first = static_cast<std::uint32_t>(out_.influences.size());
            for (const auto& [blend, weight] : change)
                if (weight != 0)
                    out_.influences.push_back({static_cast<std::uint32_t>(blend), true, weight});
            vertex.last = static_cast<std::uint32_t>(out_.influences.size());
            if (vertex.first == vertex.last) continue;
            add_morphs(vertex, v, source, source, {});
            out_.list.push_back(vertex);
        }
        return std::move(out_);
    }

  private:
    void begin(int node, int first_weight, int morph) {
        out_ = {};
        out_.name = figure_.scene.nodes[at(node)].name;
        out_.first_weight = first_weight;
        out_.morph = morph;
        blends_.clear();
    }

    /// Vertices that an accepted joint carries some of; none where nothing is accepted.
    std::vector<bool> accepted_vertices(int index, const Primitive& primitive) const {
        if (figure_.accepted == nullptr) return {};
        const Node& node = figure_.scene.nodes[at(index)];
        const auto accepted = [&](int n) {
            while (n != kNone && !(*figure_.accepted)[at(n)]) n = figure_.scene.nodes[at(n)].parent;
            return n != kNone;
        };
        const std::vector<Slot> slots = slots_of(figure_.scene, index);
        std::vector<bool> apart, out(primitive.positions.size(), false);
        for (const Slot& slot : slots) apart.push_back(accepted(slot.node));
        for (std::size_t v = 0; v < out.size(); ++v)
            for (const SlotWeight& w : weights_of(node, primitive, v))
                if (node.skin == kNone ? accepted(index) : apart[w.slot]) out[v] = true;
        return out;
    }

    /// What takes the vertices of the source to those of the file: a mesh that was bound in another
    /// pose is written in the rest pose. Any matrix is right as long as it fits the vertices, which
    /// is measured.
    Affine change_of(const Primitive& source, const Node& from, const std::vector<Slot>& own,
                     const Primitive& written, const Node& to, const std::vector<Slot>& its) const {
        if (source.positions == written.positions || source.positions.empty()) return {};
        const auto truth = weights_of(from, source, 0), file = weights_of(to, written, 0);
        if (truth.empty() || file.empty()) return {};
        const Body& body = bodies_[at(own[truth[0].slot].node)];
        if (body.index == kNone) return {};
        const Affine bind = own[truth[0].slot].bind, back = its[file[0].slot].bind;
        if (is_flat(back)) return {};
        // As the skeleton rests that the mesh is bound to: the file may rest in another pose.
        const Node& joint = skin_.nodes[at(its[file[0].slot].node)];
        const int index = figure_.skeleton.find(joint.name);
        if (index < 0) return {};
        const std::vector<Affine> rest = rest_worlds(figure_.scene);
        return inverse(figure_.skeleton.rest_worlds()[at(index)] * back) *
               rest[at(own[truth[0].slot].node)] * bind;
    }

    /// True where the file has the influences of the source, joint by joint.
    bool matched(const std::vector<SlotWeight>& truth, const std::vector<Slot>& own,
                 const std::vector<SlotWeight>& file, const std::vector<Slot>& its) const {
        if (truth.size() != file.size()) return false;
        for (std::size_t i = 0; i < truth.size(); ++i) {
            const Body& body = bodies_[at(own[truth[i].slot].node)];
            if (truth[i].weight != file[i].weight || body.index == kNone) return false;
            const bool joint = body.index < figure_.skeleton.size();
            if (joint &&
                figure_.skeleton[body.index].name != skin_.nodes[at(its[file[i].slot].node)].name)
                return false;
        }
        return true;
    }

    std::size_t blend(const Blend& blend) {
        for (std::size_t b = 0; b < out_.blends.size(); ++b) {
            const Blend& have = out_.blends[b];
            if (have.body == blend.body && have.played == blend.played &&
                difference(have.truth, blend.truth) == 0 &&
                difference(have.written, blend.written) == 0)
                return b;
        }
        out_.blends.push_back(blend);
        return out_.blends.size() - 1;
    }

    /// A blend is looked for once for each pair of slots; `kind` tells apart what they stand for.
    template <class Make>
    std::size_t blend_of(int kind, const Affine* own, const Affine* its, const Make& make) {
        const auto [found, fresh] = blends_.try_emplace({kind, own, its}, 0);
        if (fresh) found->second = blend(make());
        return found->second;
    }

    std::size_t truth_blend(const Slot& own, const Affine& back) {
        return blend_of(0, &own.bind, nullptr, [&] {
            const Body& body = bodies_[at(own.node)];
            return Blend{body.index, body.inside * own.bind * back, kNone, {}};
        });
    }

    void add_differences(const std::vector<SlotWeight>& truth, const std::vector<Slot>& own,
                         const std::vector<SlotWeight>& file, const std::vector<Slot>& its,
                         const Affine& change) {
        for (std::size_t i = 0; i < truth.size(); ++i) {
            const Slot &a = own[truth[i].slot], &b = its[file[i].slot];
            const std::size_t at_blend = blend_of(1, &a.bind, &b.bind, [&] {
                const Body& body = bodies_[at(a.node)];
                return Blend{body.index, body.inside * a.bind * inverse(change), b.node, b.bind};
            });
            out_.influences.push_back({static_cast<std::uint32_t>(at_blend), false,
                                       static_cast<double>(truth[i].weight)});
        }
    }

    void add_both(const std::vector<SlotWeight>& truth, const std::vector<Slot>& own,
                  const std::vector<SlotWeight>& file, const std::vector<Slot>& its) {
        for (const SlotWeight& w : truth)
            out_.influences.push_back({static_cast<std::uint32_t>(truth_blend(own[w.slot], {})),
                                       true, static_cast<double>(w.weight)});
        for (const SlotWeight& w : file) {
            const Slot& slot = its[w.slot];
            const std::size_t at_blend = blend_of(2, nullptr, &slot.bind, [&] {
                return Blend{kNone, {}, slot.node, slot.bind};
            });
            out_.influences.push_back(
                {static_cast<std::uint32_t>(at_blend), false, static_cast<double>(w.weight)});
        }
    }

    static Vec3 delta_of(const Primitive& p, std::size_t target, std::size_t v) {
        return target < p.targets.size() && v < p.targets[target].positions.size()
                   ? as_vec(p.targets[target].positions[v])
                   : Vec3{};
    }

    /// True where the morph deltas of the file are those of the source, rounded.
    static bool deltas_fit(std::size_t v, const Primitive& source, const Primitive& written,
                           const Affine& change) {
        for (std::size_t t = 0; t < std::max(source.targets.size(), written.targets.size()); ++t)
            if (!(length(apply_linear(change, delta_of(source, t, v)) - delta_of(written, t, v)) <
                  kRounding_m))
                return false;
        return true;
    }

    void add_morphs(VertexPair& vertex, std::size_t v, const Primitive& source,
                    const Primitive& written, const Affine& change) {
        for (std::size_t t = 0; t < std::max(source.targets.size(), written.targets.size()); ++t) {
            MorphDelta d{
                static_cast<int>(t), delta_of(source, t, v), delta_of(written, t, v), 0, 0, true};
            if (length(d.source) == 0 && length(d.written) == 0) continue;
            const Vec3 moved = apply_linear(change, d.source);
            const bool paired =
                vertex.first < vertex.last && !out_.influences[vertex.first].source_place;
            d.source_size = paired ? length(moved) : 0;
            d.rounding = paired ? length(moved - d.written) : 0;
            if (vertex.morph == kNone)
                vertex.morph = static_cast<int>(out_.deltas.size());
            else
                out_.deltas.back().last = false;
            out_.deltas.push_back(d);
        }
    }

    const ProofFigure& figure_;
    const Scene& skin_;
    const std::vector<Body>& bodies_;
    ProvenMesh out_;
    std::map<std::tuple<int, const Affine*, const Affine*>, std::size_t> blends_;
};

bool same_vertices(const Scene& a, int node, const Scene& b, int other) {
    if (other == kNone || b.nodes[at(other)].mesh == kNone) return false;
    const auto& parts = a.meshes[at(a.nodes[at(node)].mesh)].primitives;
    const auto& written = b.meshes[at(b.nodes[at(other)].mesh)].primitives;
    return std::equal(parts.begin(), parts.end(), written.begin(), written.end(),
                      [](const Primitive& p, const Primitive& q) {
                          return p.positions.size() == q.positions.size();
                      });
}

}  // namespace

SkinProof::SkinProof(std::unique_ptr<Parts> parts) : parts_(std::move(parts)) {}
SkinProof::SkinProof(SkinProof&&) noexcept = default;
SkinProof& SkinProof::operator=(SkinProof&&) noexcept = default;
SkinProof::~SkinProof() = default;

const std::vector<Mount>& SkinProof::mounts() const { return parts_->mounts; }

Result<SkinProof> SkinProof::make(const ProofFigure& figure, const Scene& skin) {
    auto parts = std::make_unique<Parts>(
        Parts{figure,
              skin,
              find_mounts(figure.scene, figure.unsimplified, figure.skeleton, figure.sources),
              {},
              {}});
    const std::vector<Body> bodies = bodies_of(figure, parts->mounts);
    const auto written = nodes_by_name(skin);
    PairMaker maker(parts->figure, skin, bodies);
    int weights = 0;
    for (std::size_t n = 0; n < figure.scene.nodes.size(); ++n) {
        const Node& node = figure.scene.nodes[n];
        if (node.mesh == kNone) continue;
        const auto found = written.find(node.name);
        const int index = static_cast<int>(n),
                  other = found == written.end() ? kNone : found->second;
        if (!same_vertices(figure.scene, index, skin, other))
            return Finding{Code::kProofFailed,
                           Severity::kStop,
                           "skin",
                           fmt::format("mesh \"{}\" missing or with other vertices", node.name),
                           "all meshes",
                           "this is a fault worth reporting"};
        const Mesh& mesh = figure.scene.meshes[at(node.mesh)];
        const int first_weight = weights;
        int morph = kNone;
        if (!mesh.target_names.empty()) {
            morph = static_cast<int>(parts->morphs.size());
            parts->morphs.push_back({node.name, mesh.target_names, first_weight});
            weights += static_cast<int>(mesh.target_names.size());
        }
        for (std::size_t p = 0; p < mesh.primitives.size(); ++p) {
            parts->meshes.push_back(maker.pair(index, other, p, first_weight, morph));
            if (figure.unsimplified != nullptr)
                parts->meshes.push_back(maker.simplified(index, p, first_weight));
        }
    }
    return SkinProof(std::move(parts));
}

}  // namespace mellow
