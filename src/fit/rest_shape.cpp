// Meshes in the rest pose of their joints; declared in fit.h.
#include <algorithm>
#include <cmath>

#include "base/at.h"
#include "mellow/fit.h"

namespace mellow {
namespace {

Affine scaled(const Affine& m, double s) { return {m.x * s, m.y * s, m.z * s, m.o * s}; }
Affine sum(const Affine& a, const Affine& b) {
    return {a.x + b.x, a.y + b.y, a.z + b.z, a.o + b.o};
}

/// Sum of weight * matrix over the influences of a vertex.
Affine blend(const Primitive& part, std::size_t vertex, const std::vector<Affine>& slots) {
    Affine out{{}, {}, {}, {}};
    const auto per = at(part.influences_per_vertex);
    for (std::size_t i = vertex * per; i < (vertex + 1) * per; ++i)
        if (part.influence_weights[i] > 0)
            out = sum(out, scaled(slots[part.influence_joints[i]],
                                  static_cast<double>(part.influence_weights[i])));
    return out;
}

/// Calls each(node, part, matrices) for all that is skinned, with what the joints make of a vertex
/// at rest: a matrix for each of the skin.
template <class AnyScene, class Each>
void over_skinned(AnyScene& scene, const Each& each) {
    const std::vector<Affine> worlds = rest_worlds(scene);
    for (const Node& node : scene.nodes) {
        if (node.mesh == kNone || node.skin == kNone) continue;
        const Skin& skin = scene.skins[at(node.skin)];
        std::vector<Affine> slots;
        for (std::size_t i = 0; i < skin.joints.size(); ++i)
            slots.push_back(worlds[at(skin.joints[i])] * skin.inverse_binds[i]);
        for (auto& part : scene.meshes[at(node.mesh)].primitives)
            if (part.influences_per_vertex > 0) each(node, part, slots);
    }
}

template <class T>
void put(T& to, Vec3 v) {
    to[0] = static_cast<float>(v.x), to[1] = static_cast<float>(v.y);
    to[2] = static_cast<float>(v.z);
}

void pose(Primitive& part, std::size_t v, const Affine& m) {
    const Affine back = inverse(m);
    const auto normal = [&](Vec3 n) {
        return normalized(Vec3{dot(back.x, n), dot(back.y, n), dot(back.z, n)}, n);
    };
    const Quat turn = rotation_of(m);
    put(part.positions[v], apply(m, as_vec(part.positions[v])));
    if (v < part.normals.size()) put(part.normals[v], normal(as_vec(part.normals[v])));
    if (v < part.tangents.size()) {
        auto& t = part.tangents[v];
        const Vec3 old{t[0], t[1], t[2]};
        put(t, normalized(apply_linear(m, old), old));
    }
    for (MorphTarget& target : part.targets) {
        if (v < target.positions.size())
            put(target.positions[v], apply_linear(m, as_vec(target.positions[v])));
        if (v < target.normals.size())
            put(target.normals[v], rotate(turn, as_vec(target.normals[v])));
        if (v < target.tangents.size())
            put(target.tangents[v], rotate(turn, as_vec(target.tangents[v])));
    }
}

}  // namespace

RestShape shape_at_rest(const Scene& scene) {
    RestShape out;
    over_skinned(scene,
                 [&](const Node& node, const Primitive& part, const std::vector<Affine>& slots) {
                     for (std::size_t v = 0; v < part.positions.size(); ++v) {
                         const Vec3 place = as_vec(part.positions[v]);
                         const double far = length(apply(blend(part, v, slots), place) - place);
                         if (far > out.far_m) out = {far, node.name};
                     }
                 });
    return out;
}

Status bind_at_rest(Scene& scene) {
    const std::vector<Affine> worlds = rest_worlds(scene);
    for (const Skin& skin : scene.skins)
        for (const int joint : skin.joints)
            if (is_flat(worlds[at(joint)]))
                return Finding{Code::kZeroScale,
                               Severity::kStop,
                               Place::of(scene.nodes[at(joint)].name),
                               "a scale of zero at rest",
                               "joints whose rest matrix can be inverted",
                               "rest_skin = \"kept\", or another frame"};
    over_skinned(scene, [](const Node&, Primitive& part, const std::vector<Affine>& slots) {
        for (std::size_t v = 0; v < part.positions.size(); ++v) {
            const Affine m = blend(part, v, slots);
            if (!is_flat(m)) pose(part, v, m);
        }
    });
    for (Skin& skin : scene.skins)
        for (std::size_t i = 0; i < skin.joints.size(); ++i)
            skin.inverse_binds[i] = inverse(worlds[at(skin.joints[i])]);
    return {};
}

}  // namespace mellow
