// What the parts of the COLLADA reader know of each other while a scene is built.
#pragma once

#include <map>
#include <unordered_map>

#include "read/collada_document.h"

namespace mellow {

/// A geometry or controller placed at a node.
struct ColladaInstance {
    int node;
    pugi::xml_node element;
};

struct ColladaBuild {
    using Element = pugi::xml_node_struct*;

    ColladaDocument& doc;
    Scene& scene;
    std::vector<pugi::xml_node> made_of;                     ///< the <node> of each scene node
    std::unordered_map<Element, std::vector<int>> nodes_of;  ///< several where it is instanced
    /// Node::stack entries in file order, and the element each was made of.
    std::vector<std::vector<Element>> stack_elements;
    std::vector<ColladaInstance> instances;
    std::unordered_map<Element, int> materials;
    std::unordered_map<Element, std::vector<int>> weights_of;  ///< nodes that a weight source moves
};

/// Unit and axes, nodes, cameras. First of all.
void read_collada_nodes(ColladaBuild& build);
/// Effects, images and materials.
void read_collada_materials(ColladaBuild& build);
/// Meshes, skins and morph targets of the instances.
void read_collada_meshes(ColladaBuild& build);
/// Animations and animation clips; drops the stacks that nothing moves.
void read_collada_timelines(ColladaBuild& build);

/// A triangle mesh made of a <geometry>, and for every vertex which <vertices> entry it came from.
struct ColladaGeometry {
    std::vector<Primitive> primitives;
    std::vector<std::string> symbols;                        ///< material symbol of each primitive
    std::vector<std::vector<std::uint32_t>> origins;         ///< [primitive][vertex]
    ColladaArray positions;                                  ///< as the file has them
    std::vector<std::vector<std::uint32_t>> normal_origins;  ///< [primitive][vertex], or empty
    std::vector<ColladaArray> normals;                       ///< [primitive], each may have its own
};
ColladaGeometry read_collada_geometry(ColladaDocument& doc, pugi::xml_node geometry);

}  // namespace mellow
