#include "crate/scene_parts.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "base/at.h"
#include "read/pictures.h"

namespace mellow {
void keep_parts(Scene& scene, SceneParts parts) {
    if (parts == SceneParts::kSkin) scene.timelines.clear();
    if (parts != SceneParts::kMotion) return;
    for (Timeline& timeline : scene.timelines) {
        for (Channel& channel : timeline.channels) {
            if (channel.path != Path::kWeights) continue;
            const Node& node = scene.nodes[static_cast<std::size_t>(channel.node)];
            timeline.morphs.push_back(
                {node.name, scene.meshes[static_cast<std::size_t>(node.mesh)].target_names,
                 std::move(channel.curve)});
        }
        std::erase_if(timeline.channels, [](const Channel& c) { return c.path == Path::kWeights; });
    }
    for (Node& node : scene.nodes) {
        node.mesh = node.skin = node.camera = kNone;
        node.morph_weights.clear();
    }
    scene.meshes.clear();
    scene.skins.clear();
    scene.materials.clear();
    scene.images.clear();
    scene.cameras.clear();
    scene.textures.clear();
    scene.samplers.clear();
}

void free_skinned_meshes(Scene& scene) {
    std::vector<bool> freed(scene.nodes.size(), false);
    for (std::size_t n = 0; n < scene.nodes.size(); ++n)
        freed[n] = scene.nodes[n].skin != kNone && scene.nodes[n].parent != kNone;
    for (const Node& node : scene.nodes)
        if (node.parent != kNone) freed[static_cast<std::size_t>(node.parent)] = false;
    for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
        if (!freed[n]) continue;
        scene.nodes[n].parent = kNone;
        scene.nodes[n].local = {};
        scene.roots.push_back(static_cast<int>(n));
    }
    for (Timeline& timeline : scene.timelines)
        std::erase_if(timeline.channels, [&](const Channel& c) {
            return freed[static_cast<std::size_t>(c.node)] && c.path != Path::kWeights;
        });
}

Findings join_roots(Scene& scene) {
    Findings findings;
    for (const Skin& skin : scene.skins) {
        std::set<int> tops;
        for (int node : skin.joints) {
            while (scene.nodes[at(node)].parent != kNone) node = scene.nodes[at(node)].parent;
            tops.insert(node);
        }
        if (tops.size() < 2) continue;
        Node root;
        root.name = "root";
        for (int i = 2; find_node(scene, root.name) != kNone; ++i)
            root.name = fmt::format("root_{}", i);
        findings.push_back(
            {Code::kAssumed, Severity::kWarning, Place::of("skin \"" + skin.name + "\""),
             fmt::format("joints below {} nodes that have nothing above them", tops.size()),
             "one node above all joints of a skin",
             fmt::format("a node \"{}\" was put there", root.name)});
        const int above = static_cast<int>(scene.nodes.size());
        scene.nodes.push_back(std::move(root));
        for (const int node : tops) scene.nodes[at(node)].parent = above;
        std::erase_if(scene.roots, [&](int node) { return tops.contains(node); });
        scene.roots.push_back(above);
    }
    return findings;
}

Findings drop_textures(Scene& scene) {
    std::size_t bytes = 0;
    for (const Image& image : scene.images) bytes += image.bytes.size();
    if (scene.images.empty()) return {};
    Finding finding{
        Code::kLeftOut,
        Severity::kNote,
        "textures",
        fmt::format("pictures: {}, {} bytes less to write", scene.images.size(), bytes),
        "pictures, unless they are asked to be left out",
        "textures = \"beside\" or \"embedded\" in a target, or of a conversion, keeps them",
        {},
        {{Call::Job::kConvert, {}, {{Call::Option::kTextures}}}}};
    remove_pictures(scene, std::vector<bool>(scene.images.size(), true));
    return {std::move(finding)};
}

}  // namespace mellow
