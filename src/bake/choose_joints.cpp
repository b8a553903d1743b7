#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/at.h"
#include "mellow/bake.h"

namespace mellow {
namespace {

/// Nodes whose own local transform changes: keyed, or driven by rules.
std::vector<bool> moved_nodes(const Scene& scene, const std::vector<int>& driven) {
    std::vector<bool> moved(scene.nodes.size(), false);
    for (const Timeline& timeline : scene.timelines) {
        for (const Channel& c : timeline.channels)
            if (c.path != Path::kWeights) moved[at(c.node)] = true;
        for (const MemberCurve& m : timeline.members)
            if (m.element != kNone) moved[at(m.node)] = true;
    }
    for (const int node : driven) moved[at(node)] = true;
    return moved;
}

/// The joints of skins, and of rigid parts: the node of each mesh without skin that moves against
/// what it hangs on.
void choose_by_meshes(const Scene& scene, const std::vector<int>& driven,
                      std::vector<bool>& chosen) {
    for (const Skin& skin : scene.skins)
        for (const int joint : skin.joints) chosen[at(joint)] = true;
    const std::vector<bool> moved = moved_nodes(scene, driven);
    const std::vector<bool> skinned = chosen;
    for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
        if (scene.nodes[n].mesh == kNone || scene.nodes[n].skin != kNone) continue;
        const int part = rigid_part(scene, static_cast<int>(n));
        int up = part;
        while (up != kNone && !skinned[at(up)] && !moved[at(up)]) up = scene.nodes[at(up)].parent;
        if (up != kNone && !skinned[at(up)]) chosen[at(part)] = true;
    }
}

void choose_all(const Scene& scene, std::vector<bool>& chosen) {
    for (std::size_t n = 0; n < scene.nodes.size(); ++n)
        chosen[n] = scene.nodes[n].camera == kNone && !scene.nodes[n].end_site;
    // What only held a camera that has been split off is no joint beside it.
    const auto children = children_of(scene);
    for (const Node& node : scene.nodes)
        if (node.camera != kNone && node.split_off && children[at(node.parent)].size() == 1)
            chosen[at(node.parent)] = false;
}

/// Nodes that vertices of a skinned mesh follow.
std::vector<bool> weighted_nodes(const Scene& scene) {
    std::vector<bool> used(scene.nodes.size(), false), meshed(scene.skins.size(), false);
    for (const Node& node : scene.nodes) {
        if (node.mesh == kNone || node.skin == kNone) continue;
        meshed[at(node.skin)] = true;
        const Skin& skin = scene.skins[at(node.skin)];
        for (const Primitive& p : scene.meshes[at(node.mesh)].primitives)
            for (std::size_t i = 0; i < p.influence_joints.size(); ++i)
                if (p.influence_weights[i] > 0) used[at(skin.joints[p.influence_joints[i]])] = true;
    }
    // A skin without a mesh says nothing about weights.
    for (std::size_t s = 0; s < scene.skins.size(); ++s)
        for (const int joint : scene.skins[s].joints)
            if (!meshed[s]) used[at(joint)] = true;
    return used;
}

/// Joints that something hangs on itself: weight, a mesh without skin, a camera.
std::vector<bool> carrying_joints(const Scene& scene, const std::vector<bool>& chosen) {
    const std::vector<bool> weighted = weighted_nodes(scene);
    std::vector<bool> carrying(scene.nodes.size(), false);
    for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
        const Node& node = scene.nodes[n];
        const bool rigid = node.mesh != kNone && node.skin == kNone;
        if (!weighted[n] && !rigid && node.camera == kNone) continue;
        int joint = static_cast<int>(n);
        while (joint != kNone && !chosen[at(joint)]) joint = scene.nodes[at(joint)].parent;
        if (joint != kNone) carrying[at(joint)] = true;
    }
    return carrying;
}

/// Takes out joints of skins at the ends of chains that carry nothing.
void drop_tips(const Scene& scene, const std::vector<bool>& wanted, std::vector<bool>& chosen,
               std::vector<std::string>& dropped) {
    std::vector<bool> used = weighted_nodes(scene);
    for (std::size_t n = 0; n < used.size(); ++n) used[n] = used[n] || wanted[n];
    for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
        const Node& node = scene.nodes[n];
        if (!chosen[n] && node.mesh == kNone && node.camera == kNone) continue;
        for (int up = node.parent; up != kNone; up = scene.nodes[at(up)].parent)
            used[at(up)] = true;
    }
    std::vector<bool> tip(scene.nodes.size(), false);
    for (const Skin& skin : scene.skins)
        for (const int joint : skin.joints) tip[at(joint)] = !used[at(joint)];
    for (std::size_t n = 0; n < tip.size(); ++n)
        if (tip[n] && chosen[n]) chosen[n] = false, dropped.push_back(scene.nodes[n].name);
}

Result<std::vector<bool>> chosen_nodes(const Scene& scene, const JointChoice& choice,
                                       const std::vector<int>& driven,
                                       std::vector<std::string>& dropped) {
    std::vector<bool> chosen(scene.nodes.size(), false), kept = chosen;
    const auto mark = [&](const NodeMask& mask, const char* where, std::vector<bool>& into,
                          bool value) -> Status {
        MELLOW_TRY(const std::vector<int> nodes, masked_nodes(scene, mask, "", where));
        // What carries a mesh is none: what hangs below a joint, or fits a pattern, may well be.
        for (const int n : nodes)
            if (!value || scene.nodes[at(n)].mesh == kNone) into[at(n)] = value;
        return {};
    };
    const bool meshes = std::any_of(scene.nodes.begin(), scene.nodes.end(),
                                    [](const Node& n) { return n.mesh != kNone; });
    if (!choice.only.empty())
        MELLOW_CHECK(mark(choice.only, "joints, only", chosen, true));
    else if (meshes || !scene.skins.empty())
        choose_by_meshes(scene, driven, chosen);
    else
        choose_all(scene, chosen);
    MELLOW_CHECK(mark(choice.keep, "joints, keep", kept, true));
    const std::vector<bool> asked = kept;
    for (std::size_t n = 0; n < chosen.size(); ++n) {
        kept[n] = kept[n] || (choice.keep_cameras && scene.nodes[n].camera != kNone);
        chosen[n] = chosen[n] || kept[n];
    }
    if (!choice.keep_tips && choice.only.empty()) drop_tips(scene, kept, chosen, dropped);
    MELLOW_CHECK(mark(choice.drop, "joints, drop", chosen, false));
    for (std::size_t n = 0; n < chosen.size(); ++n) chosen[n] = chosen[n] || asked[n];
    for (std::size_t n = 0; choice.keep_helpers && n < chosen.size(); ++n)
        for (int up = chosen[n] ? scene.nodes[n].parent : kNone; up != kNone;
             up = scene.nodes[at(up)].parent)
            chosen[at(up)] = true;
    // Meshes that never move hang on the root, which is added later.
    if (std::find(chosen.begin(), chosen.end(), true) == chosen.end() && !meshes)
        return Finding{Code::kNoJoints,
                       Severity::kStop,
                       "scene",
                       "no skin, no mesh and no nodes that could be joints",
                       "at least one joint",
                       "name joints with keep = [...] under [joints]"};
    return chosen;
}

int kept_ancestor(const Scene& scene, const std::vector<bool>& chosen, int node) {
    int up = scene.nodes[at(node)].parent;
    while (up != kNone && !chosen[at(up)]) up = scene.nodes[at(up)].parent;
    return up;
}

/// The rest scale of a top joint: its own where that is even, else that of what stands above it.
double scale_of_top(const Scene& scene, const std::vector<Affine>& rest, int node) {
    const auto even = [](const Affine& m) {
        const Vec3 s{length(m.x), length(m.y), length(m.z)};
        const double least = std::min({s.x, s.y, s.z}), most = std::max({s.x, s.y, s.z});
        return least > 1e-9 && most - least <= 1e-6 * most && determinant(m) > 0;
    };
    const int parent = scene.nodes[at(node)].parent;
    const bool camera = scene.nodes[at(node)].camera != kNone;
    if (!camera && even(rest[at(node)])) return std::cbrt(determinant(rest[at(node)]));
    if (parent == kNone) return 1;
    const double scale = std::cbrt(std::abs(determinant(rest[at(parent)])));
    return scale > 1e-9 ? scale : 1;
}

/// Of a camera that was split off the name of what had it, unless that is a joint of its own.
std::string camera_name(const Scene& scene, const std::vector<bool>& chosen, int node) {
    const Node& own = scene.nodes[at(node)];
    const bool stands_for = own.split_off && !chosen[at(own.parent)];
    return stands_for ? scene.nodes[at(own.parent)].name : own.name;
}

}  // namespace

int rigid_part(const Scene& scene, int node) {
    const Node& own = scene.nodes[at(node)];
    return own.split_off ? own.parent : node;
}

Result<ChosenJoints> choose_joints(const Scene& scene, const JointChoice& choice,
                                   const std::vector<int>& driven) {
    ChosenJoints out;
    MELLOW_TRY(const std::vector<bool> chosen,
               chosen_nodes(scene, choice, driven, out.dropped_tips));
    const std::vector<Affine> rest = rest_worlds(scene);
    std::vector<Joint> joints;
    std::vector<Affine> kept;  // world of each joint as the skeleton will have it
    std::vector<int> joint_of(scene.nodes.size(), kNone);
    const std::vector<bool> carrying = carrying_joints(scene, chosen);
    for (const int n : parents_first(scene)) {
        if (!chosen[at(n)]) continue;
        // A camera's joint hangs on the root alone, and has the name of what had the camera.
        const bool camera = scene.nodes[at(n)].camera != kNone;
        const int up = camera ? kNone : kept_ancestor(scene, chosen, n);
        const int parent = up == kNone ? kNone : joint_of[at(up)];
        const double scale =
            parent == kNone ? scale_of_top(scene, rest, n) : out.sources[at(parent)].scale;
        JointSource source{n, scale, {}, choice.scale_to_offsets && !carrying[at(n)]};
        if (const auto axes = choice.axes.find(scene.nodes[at(n)].name);
            axes != choice.axes.end() && !camera)
            source.turn = nearest(conjugate(rotation_of(rest[at(n)])) * axes->second, {});
        const Affine world = joint_world(source, rest[at(n)]);
        const Affine above = parent == kNone ? Affine{} : kept[at(parent)];
        const Decomposed local = decompose(inverse(above) * world);
        joint_of[at(n)] = static_cast<int>(joints.size());
        kept.push_back(above * to_affine(local.transform));
        joints.push_back({camera ? camera_name(scene, chosen, n) : scene.nodes[at(n)].name, parent,
                          local.transform});
        out.sources.push_back(source);
    }
    MELLOW_TRY(out.skeleton, Skeleton::make(std::move(joints)));
    return out;
}

}  // namespace mellow
