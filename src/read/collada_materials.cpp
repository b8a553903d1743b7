// Materials of a COLLADA file, reduced to name, base colour and its texture.
#include <fmt/format.h>

#include <algorithm>

#include "base/text.h"
#include "read/collada_build.h"
#include "read/relative.h"

namespace mellow {
namespace {

class MaterialReader {
  public:
    explicit MaterialReader(ColladaBuild& build) : build_(build), doc_(build.doc) {}

    void run() {
        for (const pugi::xml_node library : children(doc_.root(), "library_materials"))
            for (const pugi::xml_node material : children(library, "material"))
                if (!doc_.failed()) add(material);
        if (textures_.empty()) return;
        build_.scene.textures = fmt::format("[{}]", fmt::join(textures_, ","));
    }

  private:
    void add(pugi::xml_node xml) {
        Material material;
        material.name = extra_of(xml, "name", true);
        if (material.name.empty()) material.name = xml.attribute("name").value();
        if (material.name.empty()) material.name = xml.attribute("id").value();
        const pugi::xml_node instance = child(xml, "instance_effect");
        const pugi::xml_node effect = doc_.target(instance.attribute("url").value(), "effect", xml);
        const pugi::xml_node profile = child(effect, "profile_COMMON");
        const pugi::xml_node technique = child(profile, "technique");
        pugi::xml_node shading;
        for (const char* kind : {"phong", "blinn", "lambert", "constant"})
            if (!shading) shading = child(technique, kind);
        // A constant surface shines by itself and has no other colour.
        pugi::xml_node color = child(shading, "diffuse");
        if (!color) color = child(shading, "emission");
        std::string texture;
        if (const pugi::xml_node plain = child(color, "color")) {
            const std::vector<double> n = doc_.numbers(plain);
            for (std::size_t c = 0; c < 4 && c < n.size(); ++c)
                material.base_color[c] = static_cast<float>(std::clamp(n[c], 0.0, 1.0));
        } else if (const pugi::xml_node t = child(color, "texture")) {
            if (const auto image = image_of(profile, effect, t)) {
                material.base_image = add_image(image);
                texture = fmt::format(R"(,"baseColorTexture":{{"index":{}}})", textures_.size());
                textures_.push_back(fmt::format(R"({{"source":{}}})", material.base_image));
            }
        }
        const Float4& c = material.base_color;
        material.json = fmt::format(
            R"({{"pbrMetallicRoughness":{{"baseColorFactor":[{},{},{},{}]{},"metallicFactor":0,"roughnessFactor":1}}{}}})",
            c[0], c[1], c[2], c[3], texture, c[3] < 1 ? R"(,"alphaMode":"BLEND")" : "");
        build_.materials[xml.internal_object()] = static_cast<int>(build_.scene.materials.size());
        build_.scene.materials.push_back(std::move(material));
    }

    /// From a texture's sampler over its surface to the image; some files name the image at once.
    pugi::xml_node image_of(pugi::xml_node profile, pugi::xml_node effect, pugi::xml_node texture) {
        const std::string_view name = texture.attribute("texture").value();
        const auto parameter = [&](std::string_view sid) -> pugi::xml_node {
            for (const pugi::xml_node scope : {profile, child(profile, "technique"), effect})
                for (const pugi::xml_node p : children(scope, "newparam"))
                    if (sid == p.attribute("sid").value()) return p;
            return {};
        };
        std::string source(name);
        if (const pugi::xml_node sampler = child(parameter(name), "sampler2D")) {
            source = text_of(child(sampler, "source"));
            if (const auto instance = child(sampler, "instance_image"))
                source = instance.attribute("url").value();  // 1.5
            if (const pugi::xml_node surface = child(parameter(source), "surface"))
                source = text_of(child(surface, "init_from"));
        } else if (doc_.by_id(name)) {
            doc_.note(Code::kAssumed, Severity::kNote, texture,
                      fmt::format("a texture that names the image \"{}\" at once", name),
                      "a sampler and its surface", "that image was taken");
        }
        return doc_.target(source, "image", texture);
    }

    int add_image(pugi::xml_node xml) {
        const auto [slot, fresh] =
            images_.emplace(xml.internal_object(), static_cast<int>(build_.scene.images.size()));
        if (!fresh) return slot->second;
        Image image;
        image.name = xml.attribute("name").value();
        if (image.name.empty()) image.name = xml.attribute("id").value();
        const pugi::xml_node from = child(xml, "init_from");
        std::string path = text_of(from);
        if (const auto ref = child(from, "ref")) path = text_of(ref);  // 1.5
        if (path.starts_with("./")) path.erase(0, 2);
        const auto relative = relative_reference(path);
        Result<Bytes> bytes =
            relative
                ? doc_.load(*relative)
                : Result<Bytes>(Finding{
                      Code::kColladaReference, Severity::kWarning, {}, "\"" + path + "\"", "", ""});
        if (bytes.ok()) {
            image.bytes = std::move(bytes).value();
        } else {
            doc_.note(Code::kLeftOut, Severity::kWarning, xml,
                      relative ? bytes.failure().found
                               : "\"" + path + "\", which leads out of the file's folder",
                      "the picture beside the scene file",
                      "copy it there and name it without a folder, or drop the texture");
        }
        build_.scene.images.push_back(std::move(image));
        return slot->second;
    }

    ColladaBuild& build_;
    ColladaDocument& doc_;
    std::map<ColladaBuild::Element, int> images_;
    std::vector<std::string> textures_;
};

}  // namespace

void read_collada_materials(ColladaBuild& build) { MaterialReader(build).run(); }

}  // namespace mellow
