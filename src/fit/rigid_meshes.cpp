// Preparing meshes without skin, so that they can become skins of a single joint.
#include <fmt/format.h>

#include <algorithm>

#include "base/text.h"
#include "mellow/fit.h"

namespace mellow {
namespace {

bool zero(double v) { return std::abs(v) < 1e-9; }

bool has_scale_channel(const Timeline& timeline, int node) {
    return std::any_of(
               timeline.channels.begin(), timeline.channels.end(),
               [&](const Channel& c) { return c.node == node && c.path == Path::kScale; }) ||
           std::any_of(timeline.members.begin(), timeline.members.end(),
                       [&](const MemberCurve& m) { return m.node == node && m.element != kNone; });
}

}  // namespace

void split_rigid_meshes(Scene& scene) {
    const std::size_t count = scene.nodes.size();
    for (std::size_t n = 0; n < count; ++n) {
        if (scene.nodes[n].mesh == kNone || scene.nodes[n].skin != kNone) continue;
        Node mesh;
        mesh.name = scene.nodes[n].name + ".mesh";
        mesh.parent = static_cast<int>(n);
        mesh.split_off = true;
        std::swap(mesh.mesh, scene.nodes[n].mesh);
        std::swap(mesh.morph_weights, scene.nodes[n].morph_weights);
        const int to = static_cast<int>(scene.nodes.size());
        for (Timeline& timeline : scene.timelines) {
            for (Channel& c : timeline.channels)
                if (c.node == static_cast<int>(n) && c.path == Path::kWeights) c.node = to;
            for (MemberCurve& m : timeline.members)
                if (m.node == static_cast<int>(n) && m.element == kNone) m.node = to;
            // All member curves of a node stand together.
            std::stable_sort(
                timeline.members.begin(), timeline.members.end(),
                [](const MemberCurve& a, const MemberCurve& b) { return a.node < b.node; });
        }
        scene.nodes.push_back(std::move(mesh));
    }
}

Findings restore_zero_scales(Scene& scene) {
    std::vector<std::string> flat;
    for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
        Transform& local = scene.nodes[n].local;
        const Vec3 s = local.s;
        if (!zero(s.x) && !zero(s.y) && !zero(s.z)) continue;
        // Where no key says otherwise it stays as small as it was.
        for (Timeline& timeline : scene.timelines)
            if (!has_scale_channel(timeline, static_cast<int>(n)))
                timeline.channels.push_back(
                    {static_cast<int>(n),
                     Path::kScale,
                     {Interpolation::kStep, 3, {key_span(timeline)[0]}, {s.x, s.y, s.z}}});
        local.s = {zero(s.x) ? 1 : s.x, zero(s.y) ? 1 : s.y, zero(s.z) ? 1 : s.z};
        flat.push_back(scene.nodes[n].name);
    }
    if (flat.empty()) return {};
    return {{Code::kZeroScale, Severity::kNote, "rest pose",
             fmt::format("a scale of zero at rest, which no bind matrix can invert: {}",
                         name_list(flat)),
             "a rest pose of some size",
             "nothing: they rest at full size now, and every clip scales them as its keys say"}};
}

}  // namespace mellow
