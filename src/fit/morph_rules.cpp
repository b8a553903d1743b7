// Which morph targets are kept; declared in fit.h.
#include <algorithm>

#include "base/at.h"
#include "mellow/fit.h"
#include "mellow/node_mask.h"

namespace mellow {
namespace {

MorphRule::Fate fate_of(const std::string& name, const std::vector<MorphRule>& rules) {
    for (const MorphRule& rule : rules)
        if (fits_pattern(rule.pattern, name)) return rule.fate;
    return MorphRule::Fate::kKeep;
}

void add(std::vector<Float3>& to, const std::vector<Float3>& delta, double weight) {
    for (std::size_t v = 0; v < std::min(to.size(), delta.size()); ++v)
        for (std::size_t c = 0; c < 3; ++c)
            to[v][c] = static_cast<float>(static_cast<double>(to[v][c]) +
                                          weight * static_cast<double>(delta[v][c]));
}

/// base + weight * delta; normals keep length 1.
void bake_in(Primitive& part, const MorphTarget& target, double weight) {
    add(part.positions, target.positions, weight);
    add(part.normals, target.normals, weight);
    for (Float3& n : part.normals) {
        const Vec3 unit = normalized(as_vec(n), as_vec(n));
        n = {static_cast<float>(unit.x), static_cast<float>(unit.y), static_cast<float>(unit.z)};
    }
    for (std::size_t v = 0; v < std::min(part.tangents.size(), target.tangents.size()); ++v)
        for (std::size_t c = 0; c < 3; ++c)
            part.tangents[v][c] =
                static_cast<float>(static_cast<double>(part.tangents[v][c]) +
                                   weight * static_cast<double>(target.tangents[v][c]));
}

template <class T>
void keep_only(std::vector<T>& list, const std::vector<bool>& kept) {
    std::vector<T> out;
    for (std::size_t i = 0; i < list.size(); ++i)
        if (kept[i]) out.push_back(std::move(list[i]));
    list = std::move(out);
}

}  // namespace

std::vector<MorphChange> apply_morph_rules(Scene& scene, const std::vector<MorphRule>& rules) {
    std::vector<MorphChange> changes;
    if (rules.empty()) return changes;
    std::vector<int> user(scene.meshes.size(), kNone);
    for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
        Node& node = scene.nodes[n];
        if (node.mesh == kNone || morph_count(scene, static_cast<int>(n)) == 0) continue;
        // A mesh that two nodes show is baked for each: they may have other weights.
        if (user[at(node.mesh)] != kNone) {
            Mesh copy = scene.meshes[at(node.mesh)];
            node.mesh = static_cast<int>(scene.meshes.size());
            scene.meshes.push_back(std::move(copy));
            user.push_back(kNone);
        }
        user[at(node.mesh)] = static_cast<int>(n);
    }
    for (std::size_t m = 0; m < user.size(); ++m) {
        if (user[m] == kNone) continue;
        Node& node = scene.nodes[at(user[m])];
        std::vector<double> weights = rest_weights(scene, user[m]);
        Mesh& mesh = scene.meshes[m];
        std::vector<bool> kept(mesh.target_names.size(), true);
        for (std::size_t t = 0; t < kept.size(); ++t) {
            const MorphRule::Fate fate = fate_of(mesh.target_names[t], rules);
            if (fate == MorphRule::Fate::kKeep) continue;
            kept[t] = false;
            changes.push_back({node.name, mesh.target_names[t], fate, weights[t]});
            if (fate == MorphRule::Fate::kBake)
                for (Primitive& part : mesh.primitives)
                    if (t < part.targets.size()) bake_in(part, part.targets[t], weights[t]);
        }
        for (Primitive& part : mesh.primitives)
            if (part.targets.size() == kept.size()) keep_only(part.targets, kept);
        keep_only(mesh.target_names, kept);
        keep_only(weights, kept);
        mesh.morph_weights = weights;
        node.morph_weights = std::move(weights);
    }
    return changes;
}

}  // namespace mellow
