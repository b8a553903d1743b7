// Instances of COLLADA geometries and controllers: meshes, skins and morph targets.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/at.h"
#include "read/collada_build.h"
#include "read/influences.h"

namespace mellow {
namespace {

Affine matrix_at(const std::vector<double>& n, std::size_t i) {
    const double* m = &n[16 * i];
    return {{m[0], m[4], m[8]}, {m[1], m[5], m[9]}, {m[2], m[6], m[10]}, {m[3], m[7], m[11]}};
}

Float3 single(Vec3 v) {
    return {static_cast<float>(v.x), static_cast<float>(v.y), static_cast<float>(v.z)};
}
Vec3 wide(const Float3& p) { return {p[0], p[1], p[2]}; }

/// Takes a mesh, its normals and deltas through the bind shape matrix.
void apply_bind_shape(Mesh& mesh, const Affine& m) {
    // Normals go through the inverse transpose; cross products of the columns are that but for
    // size.
    const Affine across{cross(m.y, m.z), cross(m.z, m.x), cross(m.x, m.y), {}};
    const double sign = determinant(m) < 0 ? -1 : 1;
    for (Primitive& p : mesh.primitives) {
        for (Float3& v : p.positions) v = single(apply(m, wide(v)));
        for (Float3& n : p.normals)
            n = single(normalized(sign * apply_linear(across, wide(n)), {0, 1, 0}));
        for (MorphTarget& t : p.targets) {
            for (Float3& v : t.positions) v = single(apply_linear(m, wide(v)));
            t.normals.clear();
        }
        if (sign < 0)  // mirrored: the other winding faces out
            for (std::size_t i = 0; i + 2 < p.indices.size(); i += 3)
                std::swap(p.indices[i + 1], p.indices[i + 2]);
    }
}

class MeshPlacer {
  public:
    explicit MeshPlacer(ColladaBuild& build) : build_(build), doc_(build.doc) {}

    void run() {
        for (const ColladaInstance& instance : build_.instances)
            if (!doc_.failed()) place(instance);
    }

  private:
    void place(const ColladaInstance& instance) {
        symbols_.clear();
        for (const pugi::xml_node m :
             children(child(child(instance.element, "bind_material"), "technique_common"),
                      "instance_material"))
            if (const auto material = doc_.target(m.attribute("target").value(), "material", m))
                symbols_[m.attribute("symbol").value()] =
                    build_.materials[material.internal_object()];
        const char* url = instance.element.attribute("url").value();
        Node part;
        pugi::xml_node morph, skin;
        if (local_name(instance.element) == "instance_geometry") {
            const auto geometry = doc_.target(url, "geometry", instance.element);
            if (!geometry) return;
            part.mesh = mesh_of(geometry, {}, {});
        } else {
            const auto controller = doc_.target(url, "controller", instance.element);
            if (!controller) return;
            skin = child(controller, "skin");
            pugi::xml_node shape = controller;
            if (skin) shape = doc_.target(skin.attribute("source").value(), "", skin);
            morph = child(shape, "morph");
            pugi::xml_node geometry = shape;
            if (morph) geometry = doc_.target(morph.attribute("source").value(), "", morph);
            if (local_name(geometry) != "geometry")
                return doc_.fail(
                    Code::kColladaUnsupported, controller, "a controller of a controller",
                    "a skin over a morph over a geometry", "merge the controllers in the source");
            part.mesh = mesh_of(geometry, morph, skin);
            if (skin && part.mesh != kNone && !doc_.failed())
                part.skin = add_skin(skin, instance.element);
        }
        if (doc_.failed() || part.mesh == kNone) return;
        int node = instance.node;
        if (Node& own = build_.scene.nodes[at(node)]; own.mesh == kNone) {
            own.mesh = part.mesh, own.skin = part.skin;
        } else {
            // A node carries one mesh; the next get nodes of their own.
            part.parent = node;
            part.name = fmt::format("{}.{}", own.name, build_.scene.nodes.size());
            node = static_cast<int>(build_.scene.nodes.size());
            build_.scene.nodes.push_back(std::move(part));
            build_.made_of.emplace_back();
            build_.stack_elements.emplace_back();
        }
        if (morph)
            if (const auto source = doc_.input(child(morph, "targets"), "MORPH_WEIGHT"))
                build_.weights_of[source.internal_object()].push_back(node);
        check_joints(instance.element, node);
    }

    void check_joints(pugi::xml_node xml, int node) {
        const Node& n = build_.scene.nodes[at(node)];
        if (n.skin == kNone) return;
        const std::size_t joints = build_.scene.skins[at(n.skin)].joints.size();
        for (const Primitive& p : build_.scene.meshes[at(n.mesh)].primitives)
            for (const std::uint16_t joint : p.influence_joints)
                if (joint >= joints)
                    return doc_.fail(Code::kColladaReference, xml,
                                     fmt::format("a vertex of joint {} of {}", joint, joints),
                                     "joints that the skin names");
    }

    /// The mesh for a geometry under these controllers and materials, made once.
    int mesh_of(pugi::xml_node geometry, pugi::xml_node morph, pugi::xml_node skin) {
        std::string key =
            fmt::format("{}/{}/{}", geometry.hash_value(), morph.hash_value(), skin.hash_value());
        for (const auto& [symbol, material] : symbols_)
            key += fmt::format("/{}={}", symbol, material);
        if (const auto found = meshes_.find(key); found != meshes_.end()) return found->second;
        ColladaGeometry base = read_collada_geometry(doc_, geometry);
        if (doc_.failed() || base.primitives.empty()) return kNone;
        Mesh mesh;
        mesh.name = geometry.attribute("name").value();
        if (mesh.name.empty()) mesh.name = geometry.attribute("id").value();
        if (morph) add_targets(morph, base, mesh);
        if (skin && !doc_.failed()) add_influences(skin, base);
        if (doc_.failed()) return kNone;
        for (std::size_t p = 0; p < base.primitives.size(); ++p) {
            const auto material = symbols_.find(base.symbols[p]);
            if (material != symbols_.end()) base.primitives[p].material = material->second;
        }
        mesh.primitives = std::move(base.primitives);
        if (const auto bind = child(skin, "bind_shape_matrix")) {
            const std::vector<double> m = doc_.numbers(bind);
            if (m.size() == 16)
                apply_bind_shape(mesh, matrix_at(m, 0));
            else
                doc_.fail(Code::kColladaBroken, bind, fmt::format("{} numbers", m.size()), "16");
        }
        const int index = static_cast<int>(build_.scene.meshes.size());
        build_.scene.meshes.push_back(std::move(mesh));
        meshes_.emplace(std::move(key), index);
        return index;
    }

    // ---- morph targets
    void add_targets(pugi::xml_node morph, ColladaGeometry& base, Mesh& mesh) {
        const std::string method = morph.attribute("method").value();
        if (!method.empty() && method != "NORMALIZED" && method != "RELATIVE")
            return doc_.fail(Code::kColladaBroken, morph, "the method " + method,
                             "NORMALIZED or RELATIVE");
        const pugi::xml_node inputs = child(morph, "targets");
        const auto names = doc_.names(doc_.input(inputs, "MORPH_TARGET"));
        const pugi::xml_node weight_source = doc_.input(inputs, "MORPH_WEIGHT");
        if (weight_source) mesh.morph_weights = doc_.array(weight_source).values;
        if (names.size() > 10'000)
            return doc_.fail(Code::kLimit, morph, fmt::format("{} targets", names.size()),
                             "10 000 at most");
        mesh.morph_weights.resize(names.size(), 0.0);
        for (const std::string& name : names) {
            const auto geometry = doc_.target(name, "geometry", morph);
            if (doc_.failed() || !geometry)
                return doc_.fail(Code::kColladaReference, morph, "no morph target \"" + name + "\"",
                                 "the id of a <geometry>");
            add_target(geometry, method == "RELATIVE", base);
            mesh.target_names.emplace_back(geometry.attribute("name").value());
            if (mesh.target_names.back().empty()) mesh.target_names.back() = name;
        }
    }

    void add_target(pugi::xml_node geometry, bool relative, ColladaGeometry& base) {
        const ColladaGeometry target = read_collada_geometry(doc_, geometry);
        if (doc_.failed()) return;
        if (target.positions.count != base.positions.count)
            return doc_.fail(Code::kColladaBroken, geometry,
                             fmt::format("a morph target of {} places", target.positions.count),
                             fmt::format("{}, as the shape itself has", base.positions.count));
        const auto delta = [&](const ColladaArray& to, const ColladaArray& from, std::size_t i,
                               bool unit) {
            const auto load = [&](const ColladaArray& a) {
                const double* n = &a.values[i * a.width];
                const Vec3 v{n[0], n[1], n[2]};
                return unit ? normalized(v, {0, 1, 0}) : v;
            };
            return single(relative ? load(to) : load(to) - load(from));
        };
        for (std::size_t p = 0; p < base.primitives.size(); ++p) {
            MorphTarget out;
            for (const std::uint32_t i : base.origins[p])
                out.positions.push_back(delta(target.positions, base.positions, i, false));
            const bool normals = p < target.normals.size() && base.normals[p].count > 0 &&
                                 target.normals[p].count == base.normals[p].count;
            if (normals && !relative)
                for (const std::uint32_t i : base.normal_origins[p])
                    out.normals.push_back(delta(target.normals[p], base.normals[p], i, true));
            base.primitives[p].targets.push_back(std::move(out));
        }
    }

    // ---- skins
    void add_influences(pugi::xml_node skin, ColladaGeometry& base) {
        const pugi::xml_node weights = child(skin, "vertex_weights");
        std::size_t joint_offset = 0, weight_offset = 0, stride = 1;
        ColladaArray table;
        for (const pugi::xml_node input : children(weights, "input")) {
            const std::size_t offset = input.attribute("offset").as_uint(0);
            if (offset > 64)
                return doc_.fail(Code::kColladaBroken, input, "an offset above 64", "64 at most");
            stride = std::max(stride, offset + 1);
            const std::string_view semantic = input.attribute("semantic").value();
            if (semantic == "JOINT") joint_offset = offset;
            if (semantic != "WEIGHT") continue;
            weight_offset = offset;
            if (const auto source = doc_.target(input.attribute("source").value(), "source", input))
                table = doc_.array(source);
        }
        const auto counts = doc_.whole_numbers(child(weights, "vcount"));
        const auto pairs = doc_.whole_numbers(child(weights, "v"));
        if (doc_.failed()) return;
        if (counts.size() != base.positions.count)
            return doc_.fail(Code::kColladaBroken, weights, fmt::format("{} counts", counts.size()),
                             fmt::format("{}, one per place of the shape", base.positions.count));
        std::vector<std::size_t> first(counts.size());
        std::size_t total = 0, most = 0;
        for (std::size_t i = 0; i < counts.size(); ++i) {
            if (counts[i] < 0 ||
                static_cast<std::size_t>(counts[i]) > pairs.size() / stride - total)
                return doc_.fail(
                    Code::kColladaBroken, weights,
                    fmt::format("{} weights for place {}, more than <v> holds", counts[i], i),
                    "as many pairs in <v> as <vcount> says");
            first[i] = total;
            total += static_cast<std::size_t>(counts[i]);
            most = std::max(most, static_cast<std::size_t>(counts[i]));
        }
        const std::size_t per = std::max<std::size_t>(4, (most + 3) / 4 * 4);
        int unbound = 0;
        for (std::size_t p = 0; p < base.primitives.size(); ++p) {
            Primitive& primitive = base.primitives[p];
            if (per * primitive.positions.size() > doc_.limits.unstored_bytes)
                return doc_.fail(Code::kLimit, weights,
                                 fmt::format("{} weights at one place", most), "fewer weights");
            primitive.influences_per_vertex = static_cast<int>(per);
            primitive.influence_joints.assign(per * primitive.positions.size(), 0);
            primitive.influence_weights.assign(per * primitive.positions.size(), 0.0F);
            for (std::size_t v = 0; v < primitive.positions.size(); ++v) {
                const std::size_t origin = base.origins[p][v];
                for (std::size_t k = 0; k < static_cast<std::size_t>(counts[origin]); ++k) {
                    const std::size_t pair = (first[origin] + k) * stride;
                    const std::int64_t joint = pairs[pair + joint_offset];
                    const std::int64_t slot = pairs[pair + weight_offset];
                    if (slot < 0 || static_cast<std::size_t>(slot) >= table.count || joint < -1 ||
                        joint > 0xFFFF ||
                        table.values[static_cast<std::size_t>(slot) * table.width] < 0)
                        return doc_.fail(Code::kColladaReference, weights,
                                         fmt::format("joint {} with weight number {} of {}", joint,
                                                     slot, table.count),
                                         "joints and weights that exist, weights of at least 0");
                    if (joint < 0) {
                        ++unbound;
                        continue;
                    }
                    primitive.influence_joints[v * per + k] = static_cast<std::uint16_t>(joint);
                    primitive.influence_weights[v * per + k] = static_cast<float>(
                        table.values[static_cast<std::size_t>(slot) * table.width]);
                }
            }
            if (auto finding = normalize_weights(primitive, doc_.where(skin)))
                doc_.findings.push_back(std::move(*finding));
        }
        if (unbound > 0)
            doc_.note(Code::kLeftOut, Severity::kWarning, weights,
                      fmt::format("{} weights on the bind shape itself (joint -1)", unbound),
                      "weights on joints", "the others were made to sum to 1");
    }

    int add_skin(pugi::xml_node xml, pugi::xml_node instance) {
        const pugi::xml_node joints = child(xml, "joints");
        const auto names = doc_.names(doc_.input(joints, "JOINT"));
        ColladaArray binds;
        if (const auto source = doc_.input(joints, "INV_BIND_MATRIX")) binds = doc_.array(source);
        if (doc_.failed()) return kNone;
        if (names.empty() || binds.width != 16 || binds.count != names.size()) {
            doc_.fail(Code::kColladaBroken, joints,
                      fmt::format("{} joints and {} matrices of {} numbers", names.size(),
                                  binds.count, binds.width),
                      "one inverse bind matrix of 16 numbers per joint");
            return kNone;
        }
        std::vector<int> roots;
        for (const pugi::xml_node s : children(instance, "skeleton"))
            if (const auto root = doc_.target(text_of(s), "node", s))
                if (const auto& nodes = build_.nodes_of[root.internal_object()]; !nodes.empty())
                    roots.push_back(nodes[0]);
        Skin skin;
        skin.name = xml.parent().attribute("name").value();
        for (std::size_t j = 0; j < names.size(); ++j) {
            const int node = find_joint(names[j], roots, joints);
            if (node == kNone) {
                doc_.fail(Code::kColladaReference, joints, "no joint \"" + names[j] + "\"",
                          "a <node> with that sid below the instance's <skeleton>");
                return kNone;
            }
            skin.joints.push_back(node);
            skin.inverse_binds.push_back(matrix_at(binds.values, j));
        }
        build_.scene.skins.push_back(std::move(skin));
        return static_cast<int>(build_.scene.skins.size()) - 1;
    }

    bool below(int node, const std::vector<int>& roots) const {
        for (; node != kNone; node = build_.scene.nodes[at(node)].parent)
            if (std::find(roots.begin(), roots.end(), node) != roots.end()) return true;
        return false;
    }

    /// COLLADA 1.4.1, "skin": names are sids below the skeleton roots; ids where the list says so.
    int find_joint(const std::string& name, const std::vector<int>& roots, pugi::xml_node from) {
        if (by_name_.empty())
            for (std::size_t n = 0; n < build_.made_of.size(); ++n)
                for (const char* kind : {"sid", "id", "name"})
                    if (const char* v = build_.made_of[n].attribute(kind).value(); *v != '\0')
                        by_name_[fmt::format("{}:{}", kind, v)].push_back(static_cast<int>(n));
        for (const bool inside : {true, false})
            for (const char* kind : {"sid", "id", "name"}) {
                const auto found = by_name_.find(fmt::format("{}:{}", kind, name));
                if (found == by_name_.end()) continue;
                for (const int node : found->second) {
                    if (inside && !below(node, roots)) continue;
                    const bool plain = inside && std::string_view(kind) != "name";
                    if (!plain && std::exchange(assumed_, true) == false)
                        doc_.note(Code::kAssumed, Severity::kNote, from,
                                  fmt::format("joint \"{}\" found by its {}{}", name, kind,
                                              inside ? "" : ", outside the skeleton roots"),
                                  "a sid below the instance's <skeleton>",
                                  "nothing, if it is right");
                    return node;
                }
            }
        return kNone;
    }

    ColladaBuild& build_;
    ColladaDocument& doc_;
    std::map<std::string, int> symbols_, meshes_;
    std::map<std::string, std::vector<int>> by_name_;
    bool assumed_ = false;
};

}  // namespace

void read_collada_meshes(ColladaBuild& build) { MeshPlacer(build).run(); }

}  // namespace mellow
