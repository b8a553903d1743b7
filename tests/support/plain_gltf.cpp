#include "plain_gltf.h"

#include <cstdint>
#include <cstring>
#include <nlohmann/json.hpp>

namespace mellow::test {
namespace {

using nlohmann::json;

struct File {
    json doc;
    std::string bin;
};

std::uint32_t word(const std::string& bytes, std::size_t at) {
    std::uint32_t w = 0;
    std::memcpy(&w, bytes.data() + at, 4);
    return w;
}

/// The file that was opened last stays open: many samples of one file are looked at in a row.
const File& open(const std::string& glb) {
    static std::string last;
    static File file;
    if (glb == last) return file;
    const std::size_t json_length = word(glb, 12);
    file.doc = json::parse(glb.substr(20, json_length));
    file.bin = glb.size() > 20 + json_length + 8 ? glb.substr(28 + json_length) : "";
    last = glb;
    return file;
}

/// Floats of an accessor, tightly packed or strided: all of its elements, or one.
std::vector<double> numbers(const File& file, int accessor, int element = -1) {
    const json& a = file.doc["accessors"][accessor];
    const json& view = file.doc["bufferViews"][a["bufferView"].get<int>()];
    const std::map<std::string, int> widths{{"SCALAR", 1}, {"VEC3", 3}, {"VEC4", 4}, {"MAT4", 16}};
    const int width = widths.at(a["type"]);
    const std::size_t stride = view.value("byteStride", 4 * width);
    const std::size_t start = view.value("byteOffset", 0) + a.value("byteOffset", 0);
    std::vector<double> out;
    const std::size_t first = element < 0 ? 0 : static_cast<std::size_t>(element);
    const std::size_t end = element < 0 ? a["count"].get<std::size_t>() : first + 1;
    for (std::size_t i = first; i < end; ++i)
        for (int c = 0; c < width; ++c) {
            float f = 0;
            std::memcpy(&f, file.bin.data() + start + i * stride + 4 * static_cast<std::size_t>(c),
                        4);
            out.push_back(static_cast<double>(f));
        }
    return out;
}

PlainMatrix product(const PlainMatrix& a, const PlainMatrix& b) {
    PlainMatrix out{};
    for (std::size_t r = 0; r < 4; ++r)
        for (std::size_t c = 0; c < 4; ++c)
            for (std::size_t k = 0; k < 4; ++k) out[r][c] += a[r][k] * b[k][c];
    return out;
}

/// T * R * S (3.5.3).
PlainMatrix local(const std::vector<double>& t, const std::vector<double>& q,
                  const std::vector<double>& s) {
    const double x = q[0], y = q[1], z = q[2], w = q[3];
    const double r[3][3] = {{1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)},
                            {2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)},
                            {2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)}};
    PlainMatrix m{};
    for (std::size_t i = 0; i < 3; ++i) {
        for (std::size_t c = 0; c < 3; ++c) m[i][c] = r[i][c] * s[c];
        m[i][3] = t[i];
    }
    m[3][3] = 1;
    return m;
}

const json& animation_named(const File& file, const std::string& name) {
    for (const json& a : file.doc["animations"])
        if (a["name"] == name) return a;
    throw std::runtime_error("no animation " + name);
}

}  // namespace

std::map<std::string, PlainNode> plain_gltf_worlds(const std::string& glb,
                                                   const std::string& animation, int sample) {
    const File& file = open(glb);
    const json& nodes = file.doc["nodes"];
    std::vector<std::vector<double>> t(nodes.size()), q(nodes.size()), s(nodes.size());
    std::vector<int> parent(nodes.size(), -1);
    for (std::size_t n = 0; n < nodes.size(); ++n) {
        t[n] = nodes[n].value("translation", std::vector<double>{0, 0, 0});
        q[n] = nodes[n].value("rotation", std::vector<double>{0, 0, 0, 1});
        s[n] = nodes[n].value("scale", std::vector<double>{1, 1, 1});
        if (nodes[n].contains("children"))
            for (const int child : nodes[n]["children"])
                parent[static_cast<std::size_t>(child)] = static_cast<int>(n);
    }
    if (!animation.empty()) {
        const json& a = animation_named(file, animation);
        for (const json& channel : a["channels"]) {
            const json& sampler = a["samplers"][channel["sampler"].get<int>()];
            const std::string path = channel["target"]["path"];
            if (path == "weights") continue;
            auto& into = path == "rotation" ? q : path == "scale" ? s : t;
            into[channel["target"]["node"].get<std::size_t>()] =
                numbers(file, sampler["output"], sample);
        }
    }
    std::map<std::string, PlainNode> out;
    for (std::size_t n = 0; n < nodes.size(); ++n) {
        PlainMatrix world = local(t[n], q[n], s[n]);
        for (int up = parent[n]; up >= 0; up = parent[static_cast<std::size_t>(up)]) {
            const auto u = static_cast<std::size_t>(up);
            world = product(local(t[u], q[u], s[u]), world);
        }
        out[nodes[n].value("name", "")] = {parent[n], world};
    }
    return out;
}

std::vector<double> plain_gltf_times(const std::string& glb, const std::string& animation) {
    const File& file = open(glb);
    return numbers(file, animation_named(file, animation)["samplers"][0]["input"]);
}

std::vector<double> plain_gltf_scalar(const std::string& glb, const std::string& animation,
                                      const std::string& scalar) {
    const File& file = open(glb);
    const json& a = animation_named(file, animation);
    for (const json& channel : a["extras"]["scalars"])
        if (channel.value("name", "") == scalar)
            return numbers(file, a["samplers"][channel["sampler"].get<std::size_t>()]["output"]);
    return {};
}

std::vector<std::string> plain_gltf_names(const std::string& glb) {
    const File& file = open(glb);
    std::vector<std::string> names;
    for (const json& node : file.doc["nodes"]) names.push_back(node.value("name", ""));
    return names;
}

std::vector<double> plain_gltf_attribute(const std::string& glb, const std::string& mesh,
                                         const std::string& attribute) {
    const File& file = open(glb);
    for (const json& m : file.doc["meshes"])
        if (m.value("name", "") == mesh)
            return numbers(file, m["primitives"][0]["attributes"][attribute]);
    return {};
}

}  // namespace mellow::test
