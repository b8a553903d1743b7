#include "mellow/pose.h"

#include <algorithm>

#include "base/at.h"

namespace mellow {
namespace {

void include(Bounds& b, Vec3 p) {
    if (!b.any) b = {p, p, true};
    b.low = {std::min(b.low.x, p.x), std::min(b.low.y, p.y), std::min(b.low.z, p.z)};
    b.high = {std::max(b.high.x, p.x), std::max(b.high.y, p.y), std::max(b.high.z, p.z)};
}

std::vector<Affine> worlds_of(const Scene& scene, const std::vector<Transform>& locals,
                              const std::vector<Affine>& shears) {
    std::vector<Affine> worlds(scene.nodes.size());
    for (const int n : parents_first(scene)) {
        const Affine local = to_affine(locals[at(n)]) * shears[at(n)];
        const int parent = scene.nodes[at(n)].parent;
        worlds[at(n)] = parent == kNone ? local : worlds[at(parent)] * local;
    }
    return worlds;
}

std::vector<double> all_rest_weights(const Scene& scene) {
    std::vector<double> weights;
    for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
        const auto own = rest_weights(scene, static_cast<int>(n));
        weights.insert(weights.end(), own.begin(), own.end());
    }
    return weights;
}

}  // namespace

Pose rest_pose(const Scene& scene) { return {rest_worlds(scene), all_rest_weights(scene)}; }

Pose pose_at(const Scene& scene, const Timeline& timeline, double seconds) {
    Pose pose;
    pose.weights = all_rest_weights(scene);
    const ScalarLayout layout = scalar_layout(scene);
    std::vector<Transform> locals;
    std::vector<Affine> shears;
    for (const Node& node : scene.nodes) {
        locals.push_back(node.local);
        shears.push_back(node.shear.value_or(Affine{}));
    }
    std::vector<double> value;
    for (const Channel& channel : timeline.channels) {
        value.resize(at(channel.curve.width));
        sample(channel.curve, channel.path == Path::kRotation, {&seconds, 1}, value.data());
        Transform& local = locals[at(channel.node)];
        switch (channel.path) {
            case Path::kTranslation:
                local.t = {value[0], value[1], value[2]};
                break;
            case Path::kRotation:
                local.r = {value[0], value[1], value[2], value[3]};
                break;
            case Path::kScale:
                local.s = {value[0], value[1], value[2]};
                break;
            case Path::kWeights:
                std::copy(value.begin(), value.end(),
                          pose.weights.begin() + layout.offset[at(channel.node)]);
                break;
        }
    }
    const Conversion change(scene.stack_convention, scene.convention);
    for (const auto run : member_runs(timeline.members)) {
        const int node = run[0].node;
        std::size_t weights = 0;
        for (; weights < run.size() && run[weights].element == kNone; ++weights)
            sample(run[weights], {&seconds, 1},
                   &pose.weights[at(layout.offset[at(node)] + run[weights].member)]);
        if (weights == run.size()) continue;
        value.resize(scratch_size(run));
        sample_stack(scene.nodes[at(node)].stack, run.subspan(weights), change, {&seconds, 1},
                     value.data(), &locals[at(node)], &shears[at(node)]);
    }
    for (const ShearCurve& shear : timeline.shears) {
        double k[9];
        sample(shear.curve, false, {&seconds, 1}, k);
        shears[at(shear.node)] = {{k[0], k[1], k[2]}, {k[3], k[4], k[5]}, {k[6], k[7], k[8]}, {}};
    }
    pose.worlds = worlds_of(scene, locals, shears);
    return pose;
}

std::vector<Vec3> posed_vertices(const Scene& scene, int node, const Primitive& primitive,
                                 const Pose& pose) {
    const Node& n = scene.nodes[at(node)];
    std::vector<Vec3> out;
    out.reserve(primitive.positions.size());
    for (const Float3& p : primitive.positions) out.push_back(as_vec(p));
    const int offset = scalar_layout(scene).offset[at(node)];
    for (std::size_t t = 0; t < primitive.targets.size(); ++t) {
        const double weight = pose.weights[at(offset) + t];
        const auto& deltas = primitive.targets[t].positions;
        for (std::size_t v = 0; weight != 0 && v < deltas.size(); ++v)
            out[v] = out[v] + weight * as_vec(deltas[v]);
    }
    if (n.skin == kNone || primitive.influences_per_vertex == 0) {
        for (Vec3& p : out) p = apply(pose.worlds[at(node)], p);
        return out;
    }
    const Skin& skin = scene.skins[at(n.skin)];
    std::vector<Affine> matrices;
    for (std::size_t j = 0; j < skin.joints.size(); ++j)
        matrices.push_back(pose.worlds[at(skin.joints[j])] * skin.inverse_binds[j]);
    const std::size_t per = at(primitive.influences_per_vertex);
    for (std::size_t v = 0; v < out.size(); ++v) {
        Vec3 sum;
        for (std::size_t i = v * per; i < (v + 1) * per; ++i)
            if (const double w = primitive.influence_weights[i]; w > 0)
                sum = sum + w * apply(matrices[primitive.influence_joints[i]], out[v]);
        out[v] = sum;
    }
    return out;
}

namespace {

Bounds bounds_of(const Scene& scene, const Pose& pose, bool skinned_alone) {
    Bounds bounds;
    for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
        if (scene.nodes[n].mesh == kNone || (skinned_alone && scene.nodes[n].skin == kNone))
            continue;
        for (const Primitive& primitive : scene.meshes[at(scene.nodes[n].mesh)].primitives)
            for (const Vec3 p : posed_vertices(scene, static_cast<int>(n), primitive, pose))
                include(bounds, p);
    }
    return bounds;
}

}  // namespace

Bounds mesh_bounds(const Scene& scene, const Pose& pose) { return bounds_of(scene, pose, false); }

Bounds rest_bounds(const Scene& scene) {
    const Pose rest = rest_pose(scene);
    const Bounds bounds = mesh_bounds(scene, rest);
    if (bounds.any) return bounds;
    std::vector<int> all;
    for (std::size_t n = 0; n < scene.nodes.size(); ++n) all.push_back(static_cast<int>(n));
    return node_bounds(all, rest);
}

Bounds figure_bounds(const Scene& scene) {
    const Bounds bounds = bounds_of(scene, rest_pose(scene), true);
    return bounds.any ? bounds : rest_bounds(scene);
}

Bounds node_bounds(const std::vector<int>& nodes, const Pose& pose) {
    Bounds bounds;
    for (const int n : nodes) include(bounds, pose.worlds[at(n)].o);
    return bounds;
}

}  // namespace mellow
