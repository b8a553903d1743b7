#include "model/winding.h"

#include <algorithm>
#include <numeric>

namespace mellow {
namespace {

/// The corners in the order that turns a topology over.
template <class Corner, class Same>
std::vector<Corner> turned(Topology topology, std::vector<Corner> corners, const Same& same) {
    if (topology == Topology::kTriangles)
        for (std::size_t i = 0; i + 2 < corners.size(); i += 3)
            std::swap(corners[i + 1], corners[i + 2]);
    if (topology == Topology::kFan && corners.size() > 1)
        std::reverse(corners.begin() + 1, corners.end());
    if (topology == Topology::kStrip && corners.size() > 2) {
        if (same(corners[0], corners[1]))
            corners.erase(corners.begin());
        else
            corners.insert(corners.begin(), corners[0]);
    }
    return corners;
}

/// Vertices in another order, `width` entries each.
template <class T>
void reorder(std::vector<T>& list, const std::vector<std::uint32_t>& order, std::size_t width) {
    if (list.empty() || width == 0) return;
    std::vector<T> out;
    out.reserve(order.size() * width);
    for (const std::uint32_t v : order)
        for (std::size_t i = 0; i < width; ++i) out.push_back(list[v * width + i]);
    list = std::move(out);
}

void reorder(std::vector<Attribute>& attributes, const std::vector<std::uint32_t>& order,
             std::size_t vertices) {
    for (Attribute& a : attributes) reorder(a.bytes, order, a.bytes.size() / vertices);
}

void reorder(Primitive& p, const std::vector<std::uint32_t>& order) {
    const std::size_t vertices = p.positions.size();
    reorder(p.positions, order, 1);
    reorder(p.normals, order, 1);
    reorder(p.tangents, order, 1);
    const auto influences = static_cast<std::size_t>(p.influences_per_vertex);
    reorder(p.influence_joints, order, influences);
    reorder(p.influence_weights, order, influences);
    reorder(p.others, order, vertices);
    for (MorphTarget& target : p.targets) {
        reorder(target.positions, order, 1);
        reorder(target.normals, order, 1);
        reorder(target.tangents, order, 1);
        reorder(target.others, order, vertices);
    }
}

}  // namespace

void turn_over(Primitive& primitive) {
    const Topology topology = primitive.topology;
    if (!has_surface(topology) || primitive.positions.empty()) return;
    if (!primitive.indices.empty()) {
        primitive.indices = turned(topology, std::move(primitive.indices),
                                   [](std::uint32_t a, std::uint32_t b) { return a == b; });
        return;
    }
    std::vector<std::uint32_t> order(primitive.positions.size());
    std::iota(order.begin(), order.end(), 0U);
    const auto same = [&](std::uint32_t a, std::uint32_t b) {
        return primitive.positions[a] == primitive.positions[b];
    };
    reorder(primitive, turned(topology, std::move(order), same));
}

void make_triangles(Primitive& primitive) {
    if (!has_surface(primitive.topology)) return;
    primitive.indices = triangles_of(primitive);
    primitive.topology = Topology::kTriangles;
}

}  // namespace mellow
