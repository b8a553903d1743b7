#include "pack/scene_parts.h"

#include <fmt/format.h>

#include <algorithm>
#include <nlohmann/json.hpp>

namespace mellow {
namespace {

using Json = nlohmann::ordered_json;

/// Members that refer to a texture end in "Texture" and hold an index (glTF 2.0, 5.30).
void drop_references(Json& json) {
    if (!json.is_object()) return;
    std::vector<std::string> drop;
    for (auto& [key, value] : json.items()) {
        if (key.ends_with("Texture") && value.is_object() && value.contains("index"))
            drop.push_back(key);
        else if (key != "extras")
            drop_references(value);
    }
    for (const std::string& key : drop) json.erase(key);
}

}  // namespace

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

Findings drop_textures(Scene& scene) {
    std::size_t bytes = 0;
    for (const Image& image : scene.images) bytes += image.bytes.size();
    if (scene.images.empty()) return {};
    Finding finding{Code::kLeftOut,
                    Severity::kNote,
                    "textures",
                    fmt::format("pictures: {}, {} bytes less to write", scene.images.size(), bytes),
                    "pictures, unless they are asked to be left out",
                    "--textures beside or embedded keeps them"};
    for (Material& material : scene.materials) {
        material.base_image = kNone;
        Json json = Json::parse("{" + material.json + "}", nullptr, false);
        if (json.is_discarded()) continue;
        drop_references(json);
        const std::string text = json.dump();
        material.json = text.substr(1, text.size() - 2);
    }
    scene.images.clear();
    scene.textures.clear();
    scene.samplers.clear();
    return {std::move(finding)};
}

}  // namespace mellow
