// Meshes of a glTF file.
#include <algorithm>
#include <cmath>
#include <cstring>

#include "read/gltf_document.h"
#include "read/influences.h"

namespace mellow {
namespace {

template <std::size_t N>
std::vector<std::array<float, N>> grouped(const std::vector<double>& values) {
    std::vector<std::array<float, N>> out(values.size() / N);
    for (std::size_t i = 0; i < out.size(); ++i)
        for (std::size_t c = 0; c < N; ++c) out[i][c] = static_cast<float>(values[i * N + c]);
    return out;
}

Component component_of(int gltf_type) {
    switch (gltf_type) {
        case 5120:
            return Component::kInt8;
        case 5121:
            return Component::kUint8;
        case 5122:
            return Component::kInt16;
        case 5123:
            return Component::kUint16;
        case 5125:
            return Component::kUint32;
        default:
            return Component::kFloat;
    }
}

Attribute read_attribute(GltfDocument& doc, const std::string& semantic, int accessor,
                         const std::string& path) {
    const Accessor& a = doc.accessors()[static_cast<std::size_t>(accessor)];
    if (a.components > 4)
        doc.fail(Code::kGltfBroken, path, "a matrix attribute", "scalars or vectors");
    if (a.component_type == 5126) (void)doc.read(accessor, a.components, path);  // finite?
    return {semantic, a.components, component_of(a.component_type), a.normalized,
            doc.read_packed(accessor, path)};
}

/// The members of an "attributes" object or morph target, each an accessor index.
std::vector<std::pair<std::string, int>> attribute_list(GltfDocument& doc, JsonObject object,
                                                        const std::string& path) {
    std::vector<std::pair<std::string, int>> list;
    for (const auto [key, value] : object) {
        const std::string name(key);
        list.emplace_back(name, doc.index(object, name.c_str(), doc.accessors().size(), path));
    }
    return list;
}

MorphTarget read_target(GltfDocument& doc, JsonObject object, std::size_t vertices,
                        const std::string& path) {
    MorphTarget target;
    for (const auto& [semantic, accessor] : attribute_list(doc, object, path)) {
        if (doc.failed()) break;
        const std::string at = path + "." + semantic;
        if (doc.accessors()[static_cast<std::size_t>(accessor)].count != vertices)
            doc.fail(Code::kGltfBroken, at, "another number of vertices",
                     fmt::format("{} vertices, as the mesh has", vertices));
        if (semantic == "POSITION")
            target.positions = grouped<3>(doc.read(accessor, 3, at));
        else if (semantic == "NORMAL")
            target.normals = grouped<3>(doc.read(accessor, 3, at));
        else if (semantic == "TANGENT")
            target.tangents = grouped<3>(doc.read(accessor, 3, at));
        else
            target.others.push_back(read_attribute(doc, semantic, accessor, at));
    }
    return target;
}

/// JOINTS_0, JOINTS_1 ... side by side into one list per vertex.
void read_influences(GltfDocument& doc, const std::vector<std::pair<std::string, int>>& list,
                     std::size_t vertices, const std::string& path, Primitive& primitive) {
    std::vector<std::vector<std::uint32_t>> joints;
    std::vector<std::vector<double>> weights;
    for (int set = 0; !doc.failed(); ++set) {
        const auto find = [&](const std::string& semantic) {
            for (const auto& [name, accessor] : list)
                if (name == semantic) return accessor;
            return kNone;
        };
        const std::string j = fmt::format("JOINTS_{}", set), w = fmt::format("WEIGHTS_{}", set);
        const int joint_accessor = find(j), weight_accessor = find(w);
        if (joint_accessor == kNone && weight_accessor == kNone) break;
        if (joint_accessor == kNone || weight_accessor == kNone)
            return doc.fail(Code::kGltfBroken, path,
                            "joints without weights or weights without joints",
                            j + " and " + w + " together");
        joints.push_back(doc.read_whole(joint_accessor, 4, path + "." + j));
        weights.push_back(doc.read(weight_accessor, 4, path + "." + w));
    }
    if (doc.failed() || joints.empty()) return;
    primitive.influences_per_vertex = static_cast<int>(4 * joints.size());
    for (std::size_t v = 0; v < vertices; ++v)
        for (std::size_t set = 0; set < joints.size(); ++set)
            for (std::size_t i = 0; i < 4; ++i) {
                const auto weight = static_cast<float>(weights[set][4 * v + i]);
                const std::uint32_t joint = weight > 0 ? joints[set][4 * v + i] : 0;
                if (joint > 0xFFFF || weight < 0)
                    return doc.fail(Code::kGltfBroken, path,
                                    fmt::format("joint {} with weight {}", joint, weight),
                                    "joints below 65536 and weights of at least 0");
                primitive.influence_joints.push_back(static_cast<std::uint16_t>(joint));
                primitive.influence_weights.push_back(weight);
            }
    if (auto finding = normalize_weights(primitive, doc.where(path))) doc.note(std::move(*finding));
}

Primitive read_primitive(GltfDocument& doc, JsonObject object, const std::string& path,
                         std::size_t materials) {
    Primitive primitive;
    const auto mode = doc.integer(object, "mode", 4, path);
    primitive.material = doc.index(object, "material", materials, path);
    primitive.extras = doc.raw(object, "extras");
    primitive.extensions = doc.raw(object, "extensions");
    const auto attributes = doc.object(object, "attributes", path);
    if (mode >= 0 && mode <= 6) primitive.topology = static_cast<Topology>(mode);
    if (mode < 0 || mode > 6 || !attributes) {
        doc.fail(Code::kGltfBroken, path, "an unknown mode or no attributes", "a drawable part");
        return primitive;
    }
    const std::string at = path + ".attributes";
    const auto list = attribute_list(doc, *attributes, at);
    if (doc.failed()) return primitive;
    std::size_t vertices =
        list.empty() ? 0 : doc.accessors()[static_cast<std::size_t>(list[0].second)].count;
    for (const auto& [semantic, accessor] : list) {
        const std::string place = at + "." + semantic;
        if (doc.accessors()[static_cast<std::size_t>(accessor)].count != vertices)
            doc.fail(Code::kGltfBroken, place, "another number of vertices than the others have",
                     "one entry per vertex");
        if (doc.failed()) return primitive;
        if (semantic == "POSITION")
            primitive.positions = grouped<3>(doc.read(accessor, 3, place));
        else if (semantic == "NORMAL")
            primitive.normals = grouped<3>(doc.read(accessor, 3, place));
        else if (semantic == "TANGENT")
            primitive.tangents = grouped<4>(doc.read(accessor, 4, place));
        else if (!semantic.starts_with("JOINTS_") && !semantic.starts_with("WEIGHTS_"))
            primitive.others.push_back(read_attribute(doc, semantic, accessor, place));
    }
    if (primitive.positions.empty())
        doc.fail(Code::kGltfUnsupported, at, "no POSITION", "a place for every vertex",
                 "remove this empty part from the mesh");
    if (doc.failed()) return primitive;
    read_influences(doc, list, vertices, at, primitive);
    const int index_accessor = doc.index(object, "indices", doc.accessors().size(), path);
    if (index_accessor != kNone)
        primitive.indices = doc.read_whole(index_accessor, 1, path + ".indices");
    for (const std::uint32_t i : primitive.indices)
        if (i >= vertices) {
            doc.fail(Code::kGltfReference, path + ".indices",
                     fmt::format("vertex {} of {}", i, vertices), "indices of vertices that exist",
                     "the file is damaged; write it again");
            break;
        }
    const auto targets = doc.objects(object, "targets", path);
    for (std::size_t t = 0; t < targets.size() && !doc.failed(); ++t)
        primitive.targets.push_back(
            read_target(doc, targets[t], vertices, fmt::format("{}.targets[{}]", path, t)));
    return primitive;
}

/// Names of morph targets: the customary extras.targetNames, else numbered.
void name_targets(JsonObject mesh_json, Mesh& mesh, std::size_t targets) {
    simdjson::dom::array names;
    if (!mesh_json["extras"]["targetNames"].get(names))
        for (const auto name : names)
            if (std::string_view text; !name.get(text)) mesh.target_names.emplace_back(text);
    if (mesh.target_names.size() != targets) mesh.target_names.clear();
    for (std::size_t t = mesh.target_names.size(); t < targets; ++t)
        mesh.target_names.push_back(fmt::format("target_{}", t));
}

}  // namespace

void read_gltf_meshes(GltfDocument& doc, Scene& scene) {
    const auto list = doc.objects(doc.root(), "meshes", "");
    for (std::size_t m = 0; m < list.size() && !doc.failed(); ++m) {
        const std::string path = fmt::format("meshes[{}]", m);
        Mesh mesh;
        mesh.name = doc.text(list[m], "name", path);
        mesh.morph_weights = doc.numbers(list[m], "weights", path);
        mesh.extras = doc.raw(list[m], "extras");
        mesh.extensions = doc.raw(list[m], "extensions");
        const auto primitives = doc.objects(list[m], "primitives", path);
        for (std::size_t p = 0; p < primitives.size() && !doc.failed(); ++p)
            mesh.primitives.push_back(read_primitive(doc, primitives[p],
                                                     fmt::format("{}.primitives[{}]", path, p),
                                                     scene.materials.size()));
        const std::size_t targets = mesh.primitives.empty() ? 0 : mesh.primitives[0].targets.size();
        for (const Primitive& primitive : mesh.primitives)
            if (primitive.targets.size() != targets)
                doc.fail(Code::kGltfBroken, path, "parts with differing numbers of morph targets",
                         "the same targets on each part");
        name_targets(list[m], mesh, targets);
        if (!mesh.morph_weights.empty() && mesh.morph_weights.size() != targets)
            doc.fail(Code::kGltfBroken, path + ".weights",
                     fmt::format("{} weights", mesh.morph_weights.size()),
                     fmt::format("{}, one per morph target", targets));
        scene.meshes.push_back(std::move(mesh));
    }
}

}  // namespace mellow
