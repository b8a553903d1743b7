#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "mellow/bake.h"

namespace mellow {
namespace {

std::size_t at(int i) { return static_cast<std::size_t>(i); }

Result<std::vector<bool>> chosen_nodes(const Scene& scene, const JointChoice& choice) {
    std::vector<bool> chosen(scene.nodes.size(), false);
    for (const Skin& skin : scene.skins)
        for (const int joint : skin.joints) chosen[at(joint)] = true;
    if (scene.skins.empty())
        for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
            const Node& node = scene.nodes[n];
            chosen[n] = node.mesh == kNone && node.camera == kNone && !node.end_site;
        }
    for (const std::string& name : choice.keep) {
        const int node = find_node(scene, name);
        if (node == kNone) {
            std::vector<std::string> names;
            for (const Node& n : scene.nodes) names.push_back(n.name);
            return Finding{Code::kNameUnknown,   Severity::kStop,
                           "joints to keep",     fmt::format("no node \"{}\"", name),
                           suggest(name, names), "correct the name"};
        }
        chosen[at(node)] = true;
    }
    if (std::find(chosen.begin(), chosen.end(), true) == chosen.end())
        return Finding{Code::kNoJoints,
                       Severity::kStop,
                       "scene",
                       "no skin and no nodes that could be joints",
                       "at least one joint",
                       "name joints with keep = [...] under [joints]"};
    return chosen;
}

int kept_ancestor(const Scene& scene, const std::vector<bool>& chosen, int node) {
    int up = scene.nodes[at(node)].parent;
    while (up != kNone && !chosen[at(up)]) up = scene.nodes[at(up)].parent;
    return up;
}

/// Uniform rest scale of what stands above a top joint.
double scale_above(const Scene& scene, const std::vector<Affine>& rest, int node) {
    const int parent = scene.nodes[at(node)].parent;
    if (parent == kNone) return 1;
    const double scale = std::cbrt(std::abs(determinant(rest[at(parent)])));
    return scale > 1e-9 ? scale : 1;
}

}  // namespace

Result<ChosenJoints> choose_joints(const Scene& scene, const JointChoice& choice) {
    MELLOW_TRY(const std::vector<bool> chosen, chosen_nodes(scene, choice));
    const std::vector<Affine> rest = rest_worlds(scene);
    ChosenJoints out;
    std::vector<Joint> joints;
    std::vector<Affine> kept;  // world of each joint as the skeleton will have it
    std::vector<int> joint_of(scene.nodes.size(), kNone);
    for (const int n : parents_first(scene)) {
        if (!chosen[at(n)]) continue;
        const int up = kept_ancestor(scene, chosen, n);
        const int parent = up == kNone ? kNone : joint_of[at(up)];
        const double scale =
            parent == kNone ? scale_above(scene, rest, n) : out.sources[at(parent)].scale;
        const Affine& r = rest[at(n)];
        const double k = 1 / scale;
        const Affine world{r.x * k, r.y * k, r.z * k, r.o};
        const Affine above = parent == kNone ? Affine{} : kept[at(parent)];
        const Decomposed local = decompose(inverse(above) * world);
        out.worst_rest_shear = std::max(out.worst_rest_shear, local.shear);
        joint_of[at(n)] = static_cast<int>(joints.size());
        kept.push_back(above * to_affine(local.transform));
        joints.push_back({scene.nodes[at(n)].name, parent, local.transform});
        out.sources.push_back({n, scale});
    }
    MELLOW_TRY(out.skeleton, Skeleton::make(std::move(joints)));
    return out;
}

}  // namespace mellow
