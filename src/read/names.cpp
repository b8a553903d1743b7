#include "read/names.h"

#include <fmt/format.h>

#include "base/at.h"
#include "base/text.h"

namespace mellow {
namespace {

/// Bytes of the UTF-8 sequence at `i`, 0 where there is none: RFC 3629, no surrogates, nothing
/// overlong.
std::size_t sequence(const std::string& s, std::size_t i) {
    const auto byte = [&](std::size_t k) {
        return k < s.size() ? static_cast<unsigned char>(s[k]) : 0U;
    };
    const auto next = [&](std::size_t k) { return (byte(k) & 0xC0U) == 0x80U; };
    const unsigned a = byte(i), b = byte(i + 1);
    if (a < 0x80) return 1;
    if (a >= 0xC2 && a <= 0xDF) return next(i + 1) ? 2 : 0;
    if (a >= 0xE0 && a <= 0xEF) {
        if (!next(i + 1) || !next(i + 2) || (a == 0xE0 && b < 0xA0) || (a == 0xED && b >= 0xA0))
            return 0;
        return 3;
    }
    if (a >= 0xF0 && a <= 0xF4) {
        if (!next(i + 1) || !next(i + 2) || !next(i + 3) || (a == 0xF0 && b < 0x90) ||
            (a == 0xF4 && b >= 0x90))
            return 0;
        return 4;
    }
    return 0;
}

bool is_utf8(const std::string& s) {
    for (std::size_t i = 0; i < s.size();) {
        const std::size_t bytes = sequence(s, i);
        if (bytes == 0) return false;
        i += bytes;
    }
    return true;
}

std::string from_latin1(const std::string& s) {
    std::string out;
    for (const char c : s) {
        const auto byte = static_cast<unsigned char>(c);
        if (byte < 0x80) {
            out += c;
        } else {
            out += static_cast<char>(0xC0U | (byte >> 6U));
            out += static_cast<char>(0x80U | (byte & 0x3FU));
        }
    }
    return out;
}

}  // namespace

void decode_names(ReadResult& read, const std::string& file) {
    Scene& scene = read.scene;
    std::vector<std::string> decoded;
    const auto decode = [&](std::string& name) {
        if (is_utf8(name)) return;
        name = from_latin1(name);
        decoded.push_back(name);
    };
    decode(scene.name);
    decode(scene.copyright);
    for (Node& node : scene.nodes) decode(node.name);
    for (Mesh& mesh : scene.meshes) {
        decode(mesh.name);
        for (std::string& target : mesh.target_names) decode(target);
    }
    for (Skin& skin : scene.skins) decode(skin.name);
    for (Image& image : scene.images) decode(image.name);
    for (Material& material : scene.materials) decode(material.name);
    for (Timeline& timeline : scene.timelines) {
        decode(timeline.name);
        for (MorphCurve& morph : timeline.morphs) {
            decode(morph.mesh);
            for (std::string& target : morph.targets) decode(target);
        }
        for (ScalarCurve& scalar : timeline.scalars) decode(scalar.name);
    }
    if (!decoded.empty())
        read.findings.push_back({Code::kAssumed, Severity::kWarning, Place::in(file),
                                 fmt::format("names that are no UTF-8: {}", name_list(decoded)),
                                 "UTF-8; they were read as Latin-1",
                                 "write the file again with UTF-8 names, if they look wrong"});
}

void know_split_views(Scene& scene) {
    std::vector<bool> other(scene.nodes.size(), false);  // has children, or keys
    for (const Node& node : scene.nodes)
        if (node.parent != kNone) other[at(node.parent)] = true;
    for (const Timeline& timeline : scene.timelines) {
        for (const Channel& c : timeline.channels) other[at(c.node)] = true;
        for (const MemberCurve& m : timeline.members) other[at(m.node)] = true;
    }
    for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
        Node& node = scene.nodes[n];
        if (node.camera == kNone || node.parent == kNone || node.mesh != kNone || other[n])
            continue;
        const Vec3 grown = node.local.s - Vec3{1, 1, 1};
        node.split_off = node.name == scene.nodes[at(node.parent)].name + ".view" &&
                         length(node.local.t) < 1e-9 && length(grown) < 1e-6 && !node.shear;
    }
}

}  // namespace mellow
