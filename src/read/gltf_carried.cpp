// What is carried from a glTF file to the next without looking inside: materials, textures,
// samplers, pictures, cameras. It is checked for the types that the standard gives its members
// (glTF 2.0, 5), so that nothing broken is passed on.
#include <algorithm>
#include <array>
#include <initializer_list>

#include "base/json_writer.h"
#include "read/gltf_document.h"

namespace mellow {
namespace {

/// A member of an object: its name and what it must be.
struct Member {
    enum class Type { kNumber, kNumbers, kWhole, kOneOf, kFlag, kText, kTextOneOf };
    std::string_view key;
    Type type;
    std::size_t count = 0;                      ///< of kNumbers
    std::array<int, 6> whole = {};              ///< of kOneOf, ended by 0
    std::array<std::string_view, 3> text = {};  ///< of kTextOneOf
};
using Type = Member::Type;

constexpr Member kMaterial[] = {
    {"emissiveFactor", Type::kNumbers, 3},
    {"alphaMode", Type::kTextOneOf, 0, {}, {"OPAQUE", "MASK", "BLEND"}},
    {"alphaCutoff", Type::kNumber},
    {"doubleSided", Type::kFlag},
};
constexpr Member kSurface[] = {
    {"baseColorFactor", Type::kNumbers, 4},
    {"metallicFactor", Type::kNumber},
    {"roughnessFactor", Type::kNumber},
};
constexpr Member kReference[] = {
    {"texCoord", Type::kWhole},
    {"scale", Type::kNumber},
    {"strength", Type::kNumber},
};
constexpr Member kSampler[] = {
    {"name", Type::kText},
    {"magFilter", Type::kOneOf, 0, {9728, 9729}},
    {"minFilter", Type::kOneOf, 0, {9728, 9729, 9984, 9985, 9986, 9987}},
    {"wrapS", Type::kOneOf, 0, {33071, 33648, 10497}},
    {"wrapT", Type::kOneOf, 0, {33071, 33648, 10497}},
};
constexpr Member kTexture[] = {{"name", Type::kText}};
constexpr Member kCamera[] = {
    {"name", Type::kText},
    {"type", Type::kTextOneOf, 0, {}, {"perspective", "orthographic"}},
};
constexpr Member kLens[] = {
    {"yfov", Type::kNumber}, {"aspectRatio", Type::kNumber}, {"znear", Type::kNumber},
    {"zfar", Type::kNumber}, {"xmag", Type::kNumber},        {"ymag", Type::kNumber},
};

void check(GltfDocument& doc, JsonObject object, const Member& m, const std::string& path) {
    if (object[m.key].error()) return;
    const std::string key(m.key);
    const auto wrong = [&](std::string expected) {
        doc.fail(Code::kGltfBroken, path + "." + key,
                 simdjson::to_string(object[m.key].value_unsafe()), std::move(expected),
                 "write the file again");
    };
    switch (m.type) {
        case Type::kNumber:
            (void)doc.number(object, key.c_str(), 0, path);
            break;
        case Type::kNumbers:
            if (doc.numbers(object, key.c_str(), path).size() != m.count)
                wrong(fmt::format("{} numbers", m.count));
            break;
        case Type::kWhole:
            if (doc.integer(object, key.c_str(), 0, path) < 0) wrong("0 or more");
            break;
        case Type::kOneOf: {
            const std::int64_t value = doc.integer(object, key.c_str(), 0, path);
            if (value == 0 || std::find(m.whole.begin(), m.whole.end(), value) == m.whole.end())
                wrong("one of the numbers of glTF 2.0, 5.26");
            break;
        }
        case Type::kFlag:
            (void)doc.flag(object, key.c_str(), path);
            break;
        case Type::kText:
            (void)doc.text(object, key.c_str(), path);
            break;
        case Type::kTextOneOf:
            if (std::find(m.text.begin(), m.text.end(), doc.text(object, key.c_str(), path)) ==
                m.text.end())
                wrong(fmt::format("{}", fmt::join(m.text, ", ")));
            break;
    }
}

template <std::size_t N>
void check(GltfDocument& doc, JsonObject object, const Member (&members)[N],
           const std::string& path) {
    for (const Member& m : members)
        if (!doc.failed()) check(doc, object, m, path);
    if (!doc.failed()) (void)doc.object(object, "extensions", path);
}

/// References to textures, at any depth outside extras: members whose names end in "Texture".
void check_references(GltfDocument& doc, JsonObject object, std::size_t textures,
                      const std::string& path) {
    for (const auto [key, value] : object) {
        if (doc.failed() || key == "extras") continue;
        JsonObject inner;
        const std::string below = fmt::format("{}.{}", path, key);
        if (value.get(inner)) {
            if (key.ends_with("Texture"))
                doc.fail(Code::kGltfBroken, below, simdjson::to_string(value), "an object");
            continue;
        }
        if (key.ends_with("Texture")) {
            if (doc.index(inner, "index", textures, below) == kNone && !doc.failed())
                doc.fail(Code::kGltfBroken, below, "no index", "the index of a texture");
            check(doc, inner, kReference, below);
        }
        check_references(doc, inner, textures, below);
    }
}

/// Pictures that a texture shows, its extensions' as well.
void check_sources(GltfDocument& doc, JsonObject object, std::size_t images,
                   const std::string& path) {
    (void)doc.index(object, "source", images, path);
    for (const auto [key, value] : object) {
        JsonObject inner;
        if (doc.failed() || key == "extras" || value.get(inner)) continue;
        check_sources(doc, inner, images, fmt::format("{}.{}", path, key));
    }
}

void read_image(GltfDocument& doc, JsonObject json, const std::string& path, Image& image) {
    image.name = doc.text(json, "name", path);
    image.mime = doc.text(json, "mimeType", path);
    image.extras = doc.raw(json, "extras");
    image.extensions = doc.raw(json, "extensions");
    const std::string uri = doc.text(json, "uri", path);
    const int view = doc.index(json, "bufferView", doc.views().size(), path);
    if (doc.failed()) return;
    if (view != kNone) {
        const auto& bytes = doc.views()[static_cast<std::size_t>(view)].bytes;
        image.bytes.assign(bytes.begin(), bytes.end());
    } else if (!uri.empty()) {
        if (auto loaded = doc.load_uri(uri, path)) {
            image.bytes = std::move(loaded).value();
        } else if (loaded.failure().code == Code::kGltfReference) {
            doc.fail(Code::kGltfReference, path, loaded.failure().found, loaded.failure().expected,
                     loaded.failure().remedy);
        } else {
            doc.note({Code::kLeftOut, Severity::kWarning, doc.where(path), loaded.failure().found,
                      "the picture beside the scene file", "copy it there, or drop the texture"});
        }
    }
}

void read_material(GltfDocument& doc, JsonObject json, const std::string& path,
                   const std::vector<JsonObject>& textures, Material& material) {
    material.name = doc.text(json, "name", path);
    check(doc, json, kMaterial, path);
    check_references(doc, json, textures.size(), path);
    const auto surface = doc.object(json, "pbrMetallicRoughness", path);
    if (surface) check(doc, *surface, kSurface, path + ".pbrMetallicRoughness");
    if (doc.failed()) return;
    JsonWriter rest;
    rest.begin_object();
    for (const auto [key, value] : json)
        if (key != "name") rest.raw_member(key, simdjson::minify(value));
    material.json = rest.end_object().take_text();
    if (!surface) return;
    const auto color = doc.numbers(*surface, "baseColorFactor", path);
    for (std::size_t c = 0; c < color.size(); ++c)
        material.base_color[c] = static_cast<float>(color[c]);
    const auto shown = doc.object(*surface, "baseColorTexture", path);
    if (!shown) return;
    const int t = doc.index(*shown, "index", textures.size(), path);
    if (t == kNone) return;
    std::int64_t source = kNone;
    if (!textures[static_cast<std::size_t>(t)]["source"].get(source))
        material.base_image = static_cast<int>(source);
}

void read_cameras(GltfDocument& doc, Scene& scene) {
    const auto list = doc.objects(doc.root(), "cameras", "");
    for (std::size_t i = 0; i < list.size() && !doc.failed(); ++i) {
        const std::string path = fmt::format("cameras[{}]", i);
        check(doc, list[i], kCamera, path);
        const std::string type = doc.text(list[i], "type", path);
        if (doc.failed()) return;
        const auto lens = doc.object(list[i], type.c_str(), path);
        if (type.empty() || !lens)
            return doc.fail(Code::kGltfBroken, path,
                            type.empty() ? "no type" : "no object \"" + type + "\"",
                            "a type, and an object of that name");
        check(doc, *lens, kLens, path + "." + type);
        scene.cameras.push_back(simdjson::minify(list[i]));
    }
}

}  // namespace

void read_gltf_carried(GltfDocument& doc, Scene& scene) {
    const auto images = doc.objects(doc.root(), "images", "");
    for (std::size_t i = 0; i < images.size() && !doc.failed(); ++i)
        read_image(doc, images[i], fmt::format("images[{}]", i), scene.images.emplace_back());
    const auto samplers = doc.objects(doc.root(), "samplers", "");
    for (std::size_t i = 0; i < samplers.size() && !doc.failed(); ++i)
        check(doc, samplers[i], kSampler, fmt::format("samplers[{}]", i));
    const auto textures = doc.objects(doc.root(), "textures", "");
    for (std::size_t i = 0; i < textures.size() && !doc.failed(); ++i) {
        const std::string path = fmt::format("textures[{}]", i);
        check(doc, textures[i], kTexture, path);
        (void)doc.index(textures[i], "sampler", samplers.size(), path);
        check_sources(doc, textures[i], images.size(), path);
    }
    scene.textures = doc.raw(doc.root(), "textures");
    scene.samplers = doc.raw(doc.root(), "samplers");
    const auto materials = doc.objects(doc.root(), "materials", "");
    for (std::size_t m = 0; m < materials.size() && !doc.failed(); ++m)
        read_material(doc, materials[m], fmt::format("materials[{}]", m), textures,
                      scene.materials.emplace_back());
    if (!doc.failed()) read_cameras(doc, scene);
}

}  // namespace mellow
