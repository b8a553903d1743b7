// Poses of a scene at one moment, plainly: one frame, double arithmetic, no rules. What a player of
// the written files does, and what is measured and drawn. It is slow and simple on purpose; tiles
// of frames (pose_tile.h) are what baking uses.
#pragma once

#include <vector>

#include "mellow/scene.h"

namespace mellow {

/// World matrices of all nodes and morph weights of all scalars (see scalar_layout()).
struct Pose {
    std::vector<Affine> worlds;
    std::vector<double> weights;
};

/// The rest pose.
Pose rest_pose(const Scene& scene);
/// One timeline at `seconds`; nodes without keys rest.
Pose pose_at(const Scene& scene, const Timeline& timeline, double seconds);

/// Positions of the vertices of one part of the mesh of `node`, morphed and skinned:
///   v = sum over influences w * world[joint] * inverse_bind[joint] * (p + sum weight * delta)
/// (glTF 2.0, 3.7.3.3 and 3.7.4). A mesh without skin follows its node.
std::vector<Vec3> posed_vertices(const Scene& scene, int node, const Primitive& primitive,
                                 const Pose& pose);

/// Lowest and highest corner over all meshes in `pose`; `any` is false without vertices.
struct Bounds {
    Vec3 low, high;
    bool any = false;
};
/// Over the vertices of all meshes.
Bounds mesh_bounds(const Scene& scene, const Pose& pose);
/// What a scene reaches over at rest: its meshes; where it has none, its nodes.
Bounds rest_bounds(const Scene& scene);
/// What a figure does: skinned meshes alone, where there are any.
Bounds figure_bounds(const Scene& scene);
/// The same over the given nodes' places.
Bounds node_bounds(const std::vector<int>& nodes, const Pose& pose);

}  // namespace mellow
