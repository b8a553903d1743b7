// glTF 2.0: nodes, skins and scenes; the other parts are in the files beside this one.
#include <algorithm>

#include "base/at.h"
#include "read/gltf_document.h"
#include "read/pictures.h"

namespace mellow {
namespace {

bool sound_rotation(const std::vector<double>& r) {
    return std::abs(r[0] * r[0] + r[1] * r[1] + r[2] * r[2] + r[3] * r[3] - 1) < 0.01;
}

/// Members of a file of single precision that differ by less are rounding.
constexpr double kShear = 1e-6;

Transform read_local(GltfDocument& doc, JsonObject json, const std::string& path,
                     std::optional<Affine>& shear) {
    Transform local;
    const auto m = doc.numbers(json, "matrix", path), t = doc.numbers(json, "translation", path);
    const auto r = doc.numbers(json, "rotation", path), s = doc.numbers(json, "scale", path);
    const auto wrong = [](const std::vector<double>& v, std::size_t n) {
        return !v.empty() && v.size() != n;
    };
    if (wrong(m, 16) || wrong(t, 3) || wrong(r, 4) || wrong(s, 3)) {
        doc.fail(Code::kGltfBroken, path,
                 "a matrix, translation, rotation or scale of wrong length",
                 "16, 3, 4 and 3 numbers");
        return local;
    }
    if (m.size() == 16) {
        const Affine matrix{
            {m[0], m[1], m[2]}, {m[4], m[5], m[6]}, {m[8], m[9], m[10]}, {m[12], m[13], m[14]}};
        const Decomposed d = decompose(matrix);
        if (d.shear > kShear * std::max({length(matrix.x), length(matrix.y), length(matrix.z)})) {
            shear = shear_of(matrix, d.transform);
            doc.note({Code::kShear, Severity::kWarning, doc.where(path),
                      fmt::format("a matrix with shear of {:.3g}", d.shear),
                      "translation, rotation and scale: joints hold nothing else",
                      "even scale above turned nodes in the source; what it costs is measured when "
                      "it is "
                      "packed"});
        }
        return d.transform;
    }
    if (!t.empty()) local.t = {t[0], t[1], t[2]};
    if (!s.empty()) local.s = {s[0], s[1], s[2]};
    if (!r.empty()) {
        if (!sound_rotation(r))
            doc.fail(Code::kNumberBad, path + ".rotation",
                     fmt::format("[{}, {}, {}, {}]", r[0], r[1], r[2], r[3]), "a unit quaternion");
        local.r = normalized(Quat{r[0], r[1], r[2], r[3]});
    }
    return local;
}

void link_children(GltfDocument& doc, const std::vector<JsonObject>& list, Scene& scene) {
    for (std::size_t n = 0; n < list.size() && !doc.failed(); ++n) {
        const std::string path = fmt::format("nodes[{}]", n);
        for (const int child : doc.indices(list[n], "children", list.size(), path)) {
            Node& below = scene.nodes[at(child)];
            if (below.parent != kNone || child == static_cast<int>(n))
                return doc.fail(
                    Code::kNodeCycle, path + ".children",
                    child == static_cast<int>(n)
                        ? fmt::format("node {} as its own child", child)
                        : fmt::format("node {}, which node {} has already", child, below.parent),
                    "one parent per node", "the file is damaged; write it again");
            below.parent = static_cast<int>(n);
        }
    }
    if (doc.failed()) return;
    // With one parent each, what the roots do not reach stands in a cycle.
    const auto order = parents_first(scene);
    if (order.size() == scene.nodes.size()) return;
    std::vector<bool> reached(scene.nodes.size(), false);
    for (const int n : order) reached[at(n)] = true;
    int node = static_cast<int>(std::find(reached.begin(), reached.end(), false) - reached.begin());
    std::string cycle;
    const int first = node;
    for (std::size_t i = 0; i <= scene.nodes.size(); ++i) {
        cycle += fmt::format("{}{}", cycle.empty() ? "" : " <- ", node);
        node = scene.nodes[at(node)].parent;
        if (node == first) break;
    }
    doc.fail(Code::kNodeCycle, "nodes",
             fmt::format("nodes that are their own ancestors: {} <- {}", cycle, first), "a tree",
             "the file is damaged; write it again");
}

void check_depth(GltfDocument& doc, const Scene& scene) {
    std::vector<std::size_t> depth(scene.nodes.size(), 1);
    for (const int n : parents_first(scene)) {
        const int parent = scene.nodes[at(n)].parent;
        if (parent != kNone) depth[at(n)] = depth[at(parent)] + 1;
        if (depth[at(n)] > doc.limits().depth)
            return doc.fail(Code::kLimit, fmt::format("nodes[{}]", n), "a deeper tree",
                            fmt::format("at most {} levels", doc.limits().depth));
    }
}

void read_nodes(GltfDocument& doc, Scene& scene) {
    const auto list = doc.objects(doc.root(), "nodes", "");
    const std::size_t skins = doc.objects(doc.root(), "skins", "").size();
    if (list.size() > doc.limits().nodes)
        return doc.fail(Code::kLimit, "nodes", fmt::format("{} nodes", list.size()),
                        fmt::format("at most {}", doc.limits().nodes));
    scene.nodes.resize(list.size());
    for (std::size_t n = 0; n < list.size() && !doc.failed(); ++n) {
        const std::string path = fmt::format("nodes[{}]", n);
        Node& node = scene.nodes[n];
        node.name = doc.text(list[n], "name", path);
        if (node.name.empty()) node.name = fmt::format("node_{}", n);
        node.local = read_local(doc, list[n], path, node.shear);
        node.mesh = doc.index(list[n], "mesh", scene.meshes.size(), path);
        node.skin = doc.index(list[n], "skin", skins, path);
        node.camera = doc.index(list[n], "camera", scene.cameras.size(), path);
        node.morph_weights = doc.numbers(list[n], "weights", path);
        node.extras = doc.raw(list[n], "extras");
        node.extensions = doc.raw(list[n], "extensions");
        node.light = node.extensions.find("\"KHR_lights_punctual\"") != std::string::npos;
        const auto targets = static_cast<std::size_t>(morph_count(scene, static_cast<int>(n)));
        if (!node.morph_weights.empty() && node.morph_weights.size() != targets)
            doc.fail(Code::kGltfBroken, path + ".weights",
                     fmt::format("{} weights", node.morph_weights.size()),
                     fmt::format("{}, one per morph target", targets));
    }
    link_children(doc, list, scene);
    if (!doc.failed()) check_depth(doc, scene);
}

void read_skins(GltfDocument& doc, Scene& scene) {
    const auto list = doc.objects(doc.root(), "skins", "");
    for (std::size_t s = 0; s < list.size() && !doc.failed(); ++s) {
        const std::string path = fmt::format("skins[{}]", s);
        Skin skin;
        skin.name = doc.text(list[s], "name", path);
        skin.joints = doc.indices(list[s], "joints", scene.nodes.size(), path);
        skin.skeleton = doc.index(list[s], "skeleton", scene.nodes.size(), path);
        skin.extras = doc.raw(list[s], "extras");
        skin.extensions = doc.raw(list[s], "extensions");
        skin.inverse_binds.resize(skin.joints.size());
        if (skin.joints.empty())
            doc.fail(Code::kGltfBroken, path + ".joints", "no joints", "at least one joint");
        const int accessor =
            doc.index(list[s], "inverseBindMatrices", doc.accessors().size(), path);
        if (accessor != kNone) {
            const auto m = doc.read(accessor, 16, path + ".inverseBindMatrices");
            if (m.size() / 16 < skin.joints.size())
                doc.fail(Code::kGltfBroken, path + ".inverseBindMatrices",
                         fmt::format("{} matrices", m.size() / 16),
                         fmt::format("{}, one per joint", skin.joints.size()));
            for (std::size_t j = 0; j < skin.joints.size() && !doc.failed(); ++j) {
                const double* v = &m[16 * j];
                skin.inverse_binds[j] = {{v[0], v[1], v[2]},
                                         {v[4], v[5], v[6]},
                                         {v[8], v[9], v[10]},
                                         {v[12], v[13], v[14]}};
            }
        }
        scene.skins.push_back(std::move(skin));
    }
}

/// Influences must name joints of the skin that the node uses.
void check_influences(GltfDocument& doc, const Scene& scene) {
    for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
        const Node& node = scene.nodes[n];
        if (node.mesh == kNone || node.skin == kNone) continue;
        const std::size_t joints = scene.skins[at(node.skin)].joints.size();
        for (const Primitive& primitive : scene.meshes[at(node.mesh)].primitives)
            for (const std::uint16_t joint : primitive.influence_joints)
                if (joint >= joints)
                    return doc.fail(
                        Code::kGltfReference, fmt::format("meshes[{}]", node.mesh),
                        fmt::format("a vertex of joint {} of skin {}", joint, node.skin),
                        fmt::format("joints below {}", joints),
                        "the mesh belongs to another skin, or the file is damaged");
    }
}

void read_scenes(GltfDocument& doc, Scene& scene) {
    const auto list = doc.objects(doc.root(), "scenes", "");
    const int chosen = doc.index(doc.root(), "scene", list.size(), "");
    if (list.empty()) {
        for (std::size_t n = 0; n < scene.nodes.size(); ++n)
            if (scene.nodes[n].parent == kNone) scene.roots.push_back(static_cast<int>(n));
        return;
    }
    const JsonObject shown = list[chosen == kNone ? 0 : at(chosen)];
    scene.name = doc.text(shown, "name", "scenes");
    scene.roots = doc.indices(shown, "nodes", scene.nodes.size(), "scenes");
    for (const int root : scene.roots)
        if (scene.nodes[at(root)].parent != kNone)
            doc.fail(Code::kGltfBroken, "scenes",
                     fmt::format("node {} with a parent as a root", root), "roots without parents");
}

/// What the numbers are where the file says that they are not glTF's own.
void read_mark(GltfDocument& doc, JsonObject asset, Scene& scene) {
    JsonObject extras, mark;
    if (asset["extras"].get(extras) || extras["convention"].get(mark)) return;
    const char* place = "asset.extras.convention";
    const std::string hand = doc.text(mark, "hand", place);
    const auto up = parse_axis(doc.text(mark, "up", place)),
               front = parse_axis(doc.text(mark, "front", place));
    Convention convention{doc.number(mark, "metres_per_unit", 0, place), up.value_or(Axis::kPlusY),
                          front.value_or(Axis::kPlusY),
                          hand == "left" ? Hand::kLeft : Hand::kRight};
    if (!is_valid(convention) || !up || !front || (hand != "left" && hand != "right"))
        return doc.fail(Code::kGltfBroken, place, simdjson::minify(mark),
                        "up and front along two lines, a hand, and metres_per_unit above 0",
                        "correct the mark, or remove it");
    scene.convention = scene.stack_convention = convention;
}

void read_asset(GltfDocument& doc, Scene& scene) {
    if (const auto asset = doc.object(doc.root(), "asset", "")) {
        scene.copyright = doc.text(*asset, "copyright", "asset");
        read_mark(doc, *asset, scene);
    }
    scene.extras = doc.raw(doc.root(), "extras");
    if (const auto extensions = doc.object(doc.root(), "extensions", ""))
        for (const auto [key, value] : *extensions)
            scene.extensions.emplace_back(std::string(key), simdjson::minify(value));
    const auto names = [&](const char* key, std::vector<std::string>& into) {
        simdjson::dom::array array;
        if (doc.root()[key].get(array)) return;
        for (const auto item : array)
            if (std::string_view text; !item.get(text)) into.emplace_back(text);
    };
    names("extensionsUsed", scene.extensions_used);
    names("extensionsRequired", scene.extensions_required);
    // Unpacked by now, and nothing that is written needs it.
    std::erase(scene.extensions_used, kPackedViews);
    std::erase(scene.extensions_required, kPackedViews);
}

}  // namespace

Result<ReadResult> read_gltf(Bytes bytes, const std::string& file, const LoadFile& load,
                             const ReadLimits& limits) {
    GltfDocument doc(file, load, limits);
    ReadResult out;
    Scene& scene = out.scene;
    doc.open(std::move(bytes));
    using Step = void (*)(GltfDocument&, Scene&);
    for (const Step step :
         {Step(read_asset), Step(read_gltf_carried), Step(read_gltf_meshes), Step(read_nodes),
          Step(read_skins), Step(read_scenes), Step(read_gltf_timelines)})
        if (!doc.failed()) step(doc, scene);
    if (!doc.failed()) check_influences(doc, scene);
    if (!doc.failed()) doc.check_values();
    if (doc.failed()) return doc.error();
    out.findings = std::move(doc.findings);
    check_pictures(out, file);
    out.kind = doc.binary ? FileFormat::kGlb : FileFormat::kGltf;
    out.format = doc.binary ? "glTF 2.0 binary" : "glTF 2.0";
    scene.rate_known = guess_rate(scene, scene.rate);
    if (scene.rate_known) snap_keys(scene);
    return out;
}

}  // namespace mellow
