// A small figure that recipes, sheets and manifests are tried on: controls of one letter, a chain
// of four weighted joints, a tip, a mesh with a morph target, keys over a second.
#pragma once

#include <string>

#include "mellow/scene.h"

namespace mellow::fuzz {

inline int add(Scene& scene, const char* name, int parent, Vec3 place) {
    Node node;
    node.name = name;
    node.parent = parent;
    node.local.t = place;
    if (parent == kNone) scene.roots.push_back(static_cast<int>(scene.nodes.size()));
    scene.nodes.push_back(node);
    return static_cast<int>(scene.nodes.size()) - 1;
}

/// Nodes: a hips; b c d, a limb below it; e its tip; g goal and p pole; s a source, w a wheel;
/// m the mesh. Already in the inside convention.
inline Scene figure() {
    Scene scene;
    scene.name = "figure";
    scene.rate = {24, 1};
    scene.rate_known = true;
    const int a = add(scene, "a", kNone, {0, 1, 0}), b = add(scene, "b", a, {0, -0.1, 0}),
              c = add(scene, "c", b, {0, -0.4, 0.05}), d = add(scene, "d", c, {0, -0.4, -0.05});
    add(scene, "e", d, {0, 0, 0.1});
    const int g = add(scene, "g", kNone, {0, 0.2, 0.1});
    add(scene, "p", kNone, {0, 0.6, 1});
    const int s = add(scene, "s", kNone, {1, 1, 0}), w = add(scene, "w", s, {0, 0.3, 0});
    const int m = add(scene, "m", kNone, {});

    Primitive part;
    for (int i = 0; i < 4; ++i) {
        const float y = 1 - 0.3F * static_cast<float>(i);
        for (const float x : {-0.1F, 0.1F}) part.positions.push_back({x, y, 0});
        for (int v = 0; v < 2; ++v) {
            part.influence_joints.insert(part.influence_joints.end(),
                                         {static_cast<std::uint16_t>(i), 0, 0, 0});
            part.influence_weights.insert(part.influence_weights.end(), {1, 0, 0, 0});
        }
    }
    part.influences_per_vertex = 4;
    part.indices = {0, 1, 2, 2, 1, 3, 2, 3, 4, 4, 3, 5, 4, 5, 6, 6, 5, 7};
    MorphTarget wide;
    wide.positions.assign(8, {0.05F, 0, 0});
    part.targets = {wide};
    Mesh mesh;
    mesh.name = "skin";
    mesh.target_names = {"wide"};
    mesh.primitives = {part};
    scene.meshes = {mesh};
    Skin skin;
    skin.joints = {a, b, c, d};
    const auto worlds = rest_worlds(scene);
    for (const int j : skin.joints)
        skin.inverse_binds.push_back(inverse(worlds[static_cast<std::size_t>(j)]));
    scene.skins = {skin};
    scene.nodes[static_cast<std::size_t>(m)].mesh = 0;
    scene.nodes[static_cast<std::size_t>(m)].skin = 0;

    Timeline timeline;
    timeline.name = "t";
    const auto key = [&](int node, Path path, int width, std::vector<double> values) {
        timeline.channels.push_back(
            {node, path, Curve{Interpolation::kLinear, width, {0, 0.5, 1}, values}});
    };
    key(a, Path::kTranslation, 3, {0, 1, 0, 0, 1.1, 0.5, 0, 1, 1});
    key(g, Path::kTranslation, 3, {0, 0.2, 0.1, 0.1, 0.4, 0.6, 0, 0.2, 1.1});
    key(s, Path::kTranslation, 3, {1, 1, 0, 1, 1, 2, 1, 1, 4});
    key(w, Path::kRotation, 4, {0, 0, 0, 1, 0.6, 0, 0, 0.8, 0, 0, 0, 1});
    key(b, Path::kRotation, 4, {0, 0, 0, 1, 0.28, 0, 0, 0.96, 0, 0, 0, 1});
    scene.timelines = {timeline};
    return scene;
}

}  // namespace mellow::fuzz
