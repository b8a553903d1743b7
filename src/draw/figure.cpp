#include "draw/figure.h"

#include <cstring>

#include "base/at.h"

namespace mellow {
namespace {

std::size_t triangle_count(const Primitive& p) {
    return p.topology != Topology::kTriangles
               ? 0
               : (p.indices.empty() ? p.positions.size() : p.indices.size()) / 3;
}

std::size_t corner_of(const Primitive& p, std::size_t triangle, std::size_t c) {
    return p.indices.empty() ? 3 * triangle + c : p.indices[3 * triangle + c];
}

const Attribute* texture_coordinates(const Primitive& p) {
    for (const Attribute& a : p.others)
        if (a.semantic == "TEXCOORD_0" && a.component == Component::kFloat && a.components == 2)
            return &a;
    return nullptr;
}

std::vector<Color> colors_of(const Scene& scene, const Primitive& p,
                             const std::vector<Texture>& textures) {
    Color base{0.72, 0.70, 0.66};
    const Texture* texture = nullptr;
    if (p.material != kNone) {
        const Material& m = scene.materials[at(p.material)];
        base = {m.base_color[0], m.base_color[1], m.base_color[2]};
        if (m.base_image != kNone) texture = &textures[at(m.base_image)];
    }
    const Attribute* coordinates = texture_coordinates(p);
    std::vector<Color> colors(triangle_count(p), base);
    if (texture == nullptr || coordinates == nullptr) return colors;
    for (std::size_t t = 0; t < colors.size(); ++t) {
        double u = 0, v = 0;
        for (std::size_t c = 0; c < 3; ++c) {
            float uv[2];
            std::memcpy(uv, &coordinates->bytes[8 * corner_of(p, t, c)], 8);
            u += uv[0] / 3.0, v += uv[1] / 3.0;
        }
        const Color texel = texture->at(u, v);
        colors[t] = {base.r * texel.r, base.g * texel.g, base.b * texel.b};
    }
    return colors;
}

}  // namespace

Figure::Figure(const Scene& skin) : skin_(skin) {
    std::vector<Texture> textures;
    for (const Image& image : skin.images) textures.emplace_back(image.bytes);
    for (const Node& node : skin.nodes)
        if (node.mesh != kNone)
            for (const Primitive& p : skin.meshes[at(node.mesh)].primitives)
                colors_.push_back(colors_of(skin, p, textures));
}

std::vector<Face> Figure::faces(const Pose& pose) const {
    std::vector<Face> faces;
    std::size_t part = 0;
    for (std::size_t n = 0; n < skin_.nodes.size(); ++n) {
        if (skin_.nodes[n].mesh == kNone) continue;
        for (const Primitive& p : skin_.meshes[at(skin_.nodes[n].mesh)].primitives) {
            const auto vertices = posed_vertices(skin_, static_cast<int>(n), p, pose);
            const auto& colors = colors_[part++];
            for (std::size_t t = 0; t < colors.size(); ++t)
                faces.push_back({{vertices[corner_of(p, t, 0)], vertices[corner_of(p, t, 1)],
                                  vertices[corner_of(p, t, 2)]},
                                 colors[t]});
        }
    }
    if (!faces.empty()) return faces;
    for (std::size_t n = 0; n < skin_.nodes.size(); ++n) {
        const int parent = skin_.nodes[n].parent;
        // The bone from the root to the hips is no limb.
        if (parent == kNone || skin_.nodes[at(parent)].parent == kNone) continue;
        const Vec3 a = pose.worlds[at(parent)].o, b = pose.worlds[n].o;
        const Vec3 along = normalized(b - a, {0, 1, 0});
        const Vec3 side =
            normalized(cross(along, {1, 0, 0}), {0, 0, 1}) * (0.06 * length(b - a) + 0.004);
        // Two blades across each other: one of them is seen from any side.
        for (const Vec3& s : {side, cross(along, side)})
            faces.push_back({{a - s, a + s, b}, {0.45, 0.42, 0.38}});
    }
    return faces;
}

}  // namespace mellow
