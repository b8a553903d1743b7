#include "read/pictures.h"

#include <fmt/format.h>
#include <simdjson.h>

#include <algorithm>

#include "base/at.h"
#include "base/json_writer.h"

namespace mellow {
namespace {

namespace dom = simdjson::dom;

/// What each index becomes when some entries are taken out; kNone for these.
std::vector<int> new_indices(const std::vector<bool>& gone) {
    std::vector<int> out(gone.size(), kNone);
    int next = 0;
    for (std::size_t i = 0; i < gone.size(); ++i)
        if (!gone[i]) out[i] = next++;
    return out;
}

int renumbered(const std::vector<int>& map, std::int64_t index) {
    return index >= 0 && index < static_cast<std::int64_t>(map.size())
               ? map[static_cast<std::size_t>(index)]
               : kNone;
}

/// Writes a material without references to textures that are gone, at any depth outside extras: a
/// member whose name ends in "Texture" and holds an index is one (glTF 2.0, 5.30).
void write_material(dom::object object, const std::vector<int>& textures, bool reference,
                    JsonWriter& json) {
    json.begin_object();
    for (const dom::key_value_pair member : object) {
        dom::object inner;
        std::int64_t index = kNone;
        const bool is_object =
            member.key != "extras" && member.value.get(inner) == simdjson::SUCCESS;
        const bool refers = is_object && member.key.ends_with("Texture") &&
                            inner["index"].get(index) == simdjson::SUCCESS;
        if (refers && renumbered(textures, index) == kNone) continue;
        json.key(member.key);
        if (is_object)
            write_material(inner, textures, refers, json);
        else if (reference && member.key == "index" && member.value.get(index) == simdjson::SUCCESS)
            json.value(renumbered(textures, index));
        else
            json.raw(simdjson::minify(member.value));
    }
    json.end_object();
}

/// Writes a texture; `sources` counts the pictures it still shows, its extensions' as well.
void write_texture(dom::object object, const std::vector<int>& images, JsonWriter& json,
                   int& sources) {
    json.begin_object();
    for (const dom::key_value_pair member : object) {
        dom::object inner;
        std::int64_t index = kNone;
        if (member.key == "source" && member.value.get(index) == simdjson::SUCCESS) {
            if (renumbered(images, index) == kNone) continue;
            ++sources;
            json.member(member.key, renumbered(images, index));
            continue;
        }
        json.key(member.key);
        if (member.key != "extras" && member.value.get(inner) == simdjson::SUCCESS)
            write_texture(inner, images, json, sources);
        else
            json.raw(simdjson::minify(member.value));
    }
    json.end_object();
}

/// Rewrites Scene::textures; says which of them are gone.
std::vector<bool> remove_textures(Scene& scene, const std::vector<int>& images) {
    std::vector<bool> gone;
    dom::parser parser;
    dom::array list;
    if (scene.textures.empty() || parser.parse(scene.textures).get(list) != simdjson::SUCCESS)
        return gone;
    std::string kept;
    for (const dom::element item : list) {
        dom::object texture;
        JsonWriter json;
        int sources = 0;
        gone.push_back(item.get(texture) != simdjson::SUCCESS);
        if (gone.back()) continue;
        write_texture(texture, images, json, sources);
        gone.back() = sources == 0;
        if (sources > 0) kept += (kept.empty() ? "" : ",") + json.take_text();
    }
    scene.textures = kept.empty() ? "" : "[" + kept + "]";
    return gone;
}

}  // namespace

std::string_view picture_kind(const Bytes& bytes) {
    const std::string_view begin(reinterpret_cast<const char*>(bytes.data()),
                                 std::min<std::size_t>(bytes.size(), 12));
    if (begin.starts_with("\x89PNG\r\n\x1a\n")) return "image/png";
    if (begin.starts_with("\xFF\xD8\xFF")) return "image/jpeg";
    // What extensions of glTF add.
    if (begin.starts_with("RIFF") && begin.ends_with("WEBP")) return "image/webp";
    return begin == "\xABKTX 20\xBB\r\n\x1A\n" ? "image/ktx2" : "";
}

void remove_pictures(Scene& scene, const std::vector<bool>& gone) {
    const std::vector<int> images = new_indices(gone);
    const std::vector<int> textures = new_indices(remove_textures(scene, images));
    for (Material& material : scene.materials) {
        material.base_image = renumbered(images, material.base_image);
        dom::parser parser;
        dom::object whole;
        if (material.json.empty() || parser.parse(material.json).get(whole) != simdjson::SUCCESS)
            continue;
        JsonWriter json;
        write_material(whole, textures, false, json);
        material.json = json.take_text();
    }
    std::size_t i = 0;
    std::erase_if(scene.images, [&](const Image&) { return gone[i++]; });
    if (scene.textures.empty()) scene.samplers.clear();
}

void check_pictures(ReadResult& read, const std::string& file) {
    Scene& scene = read.scene;
    std::vector<bool> gone(scene.images.size(), false);
    for (std::size_t i = 0; i < gone.size(); ++i) {
        Image& image = scene.images[i];
        const Place where = Place::in(file).at(fmt::format("picture {} \"{}\"", i, image.name));
        const std::string_view kind = picture_kind(image.bytes);
        gone[i] = image.bytes.empty() || kind.empty();
        if (!image.bytes.empty() && gone[i])
            read.findings.push_back(
                {Code::kLeftOut, Severity::kWarning, where,
                 fmt::format("{} bytes that begin like no picture", image.bytes.size()),
                 "PNG or JPEG, or WebP or KTX2", "save the picture again as one of these"});
        if (gone[i]) continue;
        if (!image.mime.empty() && image.mime != kind)
            read.findings.push_back({Code::kAssumed, Severity::kNote, where,
                                     fmt::format("{} that calls itself {}", kind, image.mime),
                                     "the kind its bytes are", "it is called by what it is"});
        image.mime = kind;
    }
    if (std::find(gone.begin(), gone.end(), true) != gone.end()) remove_pictures(scene, gone);
}

}  // namespace mellow
