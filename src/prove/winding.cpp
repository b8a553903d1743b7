// Which way triangles face; declared in prove.h.
#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "base/at.h"
#include "mellow/prove.h"

namespace mellow {
namespace {

using Triangle = std::array<std::uint32_t, 3>;

/// Triangles with the smallest vertex first, sorted: equal lists face the same way.
std::vector<Triangle> facing(const Primitive& primitive, bool turned) {
    const std::vector<std::uint32_t> list = triangles_of(primitive);
    std::vector<Triangle> out;
    for (std::size_t i = 0; i + 2 < list.size(); i += 3) {
        Triangle t{list[i], list[i + (turned ? 2 : 1)], list[i + (turned ? 1 : 2)]};
        std::rotate(t.begin(), std::min_element(t.begin(), t.end()), t.end());
        out.push_back(t);
    }
    std::sort(out.begin(), out.end());
    return out;
}

/// True when the node of a mesh without skin mirrors what it shows.
std::vector<bool> mirrored(const Scene& scene) {
    const std::vector<Affine> rest = rest_worlds(scene);
    std::vector<bool> out(scene.nodes.size());
    for (std::size_t n = 0; n < out.size(); ++n)
        out[n] = scene.nodes[n].skin == kNone && determinant(rest[n]) < 0;
    return out;
}

}  // namespace

Status prove_winding(const Scene& source, const Scene& skin) {
    const std::vector<bool> was = mirrored(source), is = mirrored(skin);
    const auto written_nodes = nodes_by_name(skin);
    for (std::size_t n = 0; n < source.nodes.size(); ++n) {
        const Node& node = source.nodes[n];
        const auto found = written_nodes.find(node.name);
        if (node.mesh == kNone || found == written_nodes.end()) continue;
        const int other = found->second;
        if (skin.nodes[at(other)].mesh == kNone) continue;
        const auto& parts = source.meshes[at(node.mesh)].primitives;
        const auto& written = skin.meshes[at(skin.nodes[at(other)].mesh)].primitives;
        for (std::size_t p = 0; p < std::min(parts.size(), written.size()); ++p)
            if (facing(parts[p], was[n]) != facing(written[p], is[at(other)]))
                return Finding{Code::kProofFailed,
                               Severity::kStop,
                               Place::of(fmt::format("mesh \"{}\", part {}", node.name, p)),
                               "triangles that are missing, or face the other way",
                               "every triangle of the source, seen from the same side",
                               "this is a fault worth reporting"};
    }
    return {};
}

}  // namespace mellow
