#include "pack/scene_parts.h"

#include <fmt/format.h>
#include <simdjson.h>

#include <algorithm>

#include "base/json_writer.h"

namespace mellow {
namespace {

namespace dom = simdjson::dom;

/// True for a member that refers to a texture: it ends in "Texture" and holds an index (glTF
/// 2.0, 5.30).
bool refers_to_texture(const dom::key_value_pair& member) {
    dom::object value;
    return member.key.ends_with("Texture") && member.value.get(value) == simdjson::SUCCESS &&
           value["index"].error() == simdjson::SUCCESS;
}

/// Writes the members of an object but for references to textures, at any depth outside extras.
void write_without_textures(dom::object object, JsonWriter& json) {
    json.begin_object();
    for (const dom::key_value_pair member : object) {
        if (refers_to_texture(member)) continue;
        json.key(member.key);
        dom::object inner;
        if (member.key != "extras" && member.value.get(inner) == simdjson::SUCCESS)
            write_without_textures(inner, json);
        else
            json.raw(simdjson::minify(member.value));
    }
    json.end_object();
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
        dom::parser parser;
        dom::object whole;
        if (material.json.empty() || parser.parse(material.json).get(whole) != simdjson::SUCCESS)
            continue;
        JsonWriter json;
        write_without_textures(whole, json);
        material.json = json.take_text();
    }
    scene.images.clear();
    scene.textures.clear();
    scene.samplers.clear();
    return {std::move(finding)};
}

}  // namespace mellow
