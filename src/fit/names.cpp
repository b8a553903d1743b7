#include <fmt/format.h>

#include <map>

#include "mellow/fit.h"

namespace mellow {

Result<int> strip_prefix(Scene& scene, const std::string& prefix, const std::vector<int>& kept) {
    if (prefix.empty()) return 0;
    const auto bare = [&](const std::string& name) {
        return name.starts_with(prefix) && name.size() > prefix.size() ? name.substr(prefix.size())
                                                                       : name;
    };
    std::map<std::string, std::string> before;
    for (const int n : kept) {
        const std::string& name = scene.nodes[static_cast<std::size_t>(n)].name;
        const auto [slot, fresh] = before.emplace(bare(name), name);
        if (!fresh)
            return Finding{Code::kNameClash,
                           Severity::kStop,
                           Place::of(fmt::format("prefix \"{}\"", prefix)),
                           fmt::format("\"{}\" and \"{}\" would both become \"{}\"", slot->second,
                                       name, slot->first),
                           "one name per joint and mesh",
                           "rename one of them in the source, or keep the prefix"};
    }
    int stripped = 0;
    const auto strip = [&](std::string& name) {
        const std::string without = bare(name);
        stripped += without != name ? 1 : 0;
        name = without;
    };
    for (Node& node : scene.nodes) strip(node.name);
    for (Mesh& mesh : scene.meshes) strip(mesh.name);
    for (Skin& skin : scene.skins) strip(skin.name);
    for (Material& material : scene.materials) strip(material.name);
    for (Timeline& timeline : scene.timelines) strip(timeline.name);
    return stripped;
}

}  // namespace mellow
