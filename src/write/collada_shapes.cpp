// Geometries and controllers of a COLLADA file.
#include <cstring>

#include "base/at.h"
#include "write/collada_text.h"

namespace mellow {
namespace {

/// Numbers of an attribute of floats or of normalised whole ones.
std::vector<float> numbers_of(const Attribute& a, std::size_t vertices) {
    std::vector<float> out;
    const std::size_t count = vertices * at(a.components);
    const auto load = [&]<class T>(T, double most) {
        for (std::size_t i = 0; i < count; ++i) {
            T v{};
            std::memcpy(&v, &a.bytes[i * sizeof(T)], sizeof(T));
            out.push_back(static_cast<float>(static_cast<double>(v) / most));
        }
    };
    if (a.component == Component::kFloat) load(float{}, 1);
    if (a.component == Component::kUint8) load(std::uint8_t{}, a.normalized ? 255 : 1);
    if (a.component == Component::kUint16) load(std::uint16_t{}, a.normalized ? 65535 : 1);
    return out;
}

class ShapeWriter {
  public:
    explicit ShapeWriter(ColladaText& out) : out_(out), scene_(out.scene) {}

    void run() {
        if (scene_.meshes.empty()) return;
        out_.add("<library_geometries>\n");
        for (std::size_t m = 0; m < scene_.meshes.size(); ++m) {
            const Mesh& mesh = scene_.meshes[m];
            const std::string id = out_.mesh_id(static_cast<int>(m));
            geometry(mesh, id, mesh.name, -1);
            for (std::size_t t = 0; t < mesh.target_names.size(); ++t)
                geometry(mesh, fmt::format("{}-target{}", id, t), mesh.target_names[t],
                         static_cast<int>(t));
            say_losses(mesh);
        }
        out_.add("</library_geometries>\n");
        controllers();
    }

  private:
    /// The mesh itself, or with one morph target added.
    void geometry(const Mesh& mesh, const std::string& id, const std::string& name, int target) {
        out_.add("<geometry id=\"{}\" name=\"{}\"><mesh>\n", id, xml_name(name));
        std::vector<float> positions;
        for (const Primitive& p : mesh.primitives)
            append(positions, p.positions, target < 0 ? nullptr : &p.targets[at(target)].positions);
        out_.source(id + "-positions", positions, 3, {"X", "Y", "Z"});
        for (std::size_t i = 0; i < mesh.primitives.size(); ++i)
            sources(mesh.primitives[i], fmt::format("{}-{}", id, i), target);
        out_.add(
            "<vertices id=\"{0}-vertices\"><input semantic=\"POSITION\" "
            "source=\"#{0}-positions\"/></vertices>\n",
            id);
        std::size_t first = 0;
        for (std::size_t i = 0; i < mesh.primitives.size(); ++i) {
            triangles(mesh.primitives[i], id, fmt::format("{}-{}", id, i), first);
            first += mesh.primitives[i].positions.size();
        }
        out_.add("</mesh></geometry>\n");
    }

    static void append(std::vector<float>& into, const std::vector<Float3>& values,
                       const std::vector<Float3>* deltas) {
        for (std::size_t v = 0; v < values.size(); ++v)
            for (std::size_t c = 0; c < 3; ++c)
                into.push_back(values[v][c] +
                               (deltas == nullptr || deltas->empty() ? 0 : (*deltas)[v][c]));
    }

    void sources(const Primitive& p, const std::string& id, int target) {
        if (!p.normals.empty()) {
            std::vector<float> normals;
            append(normals, p.normals, target < 0 ? nullptr : &p.targets[at(target)].normals);
            out_.source(id + "-normals", normals, 3, {"X", "Y", "Z"});
        }
        for (std::size_t a = 0; a < p.others.size(); ++a) {
            const Attribute& attribute = p.others[a];
            if (!carried(attribute)) continue;
            std::vector<float> values = numbers_of(attribute, p.positions.size());
            const std::string name = fmt::format("{}-a{}", id, a);
            if (attribute.semantic.starts_with("TEXCOORD")) {
                for (std::size_t i = 1; i < values.size(); i += 2) values[i] = 1 - values[i];
                out_.source(name, values, 2, {"S", "T"});
            } else if (attribute.components == 4) {
                out_.source(name, values, 4, {"R", "G", "B", "A"});
            } else {
                out_.source(name, values, 3, {"R", "G", "B"});
            }
        }
    }

    static bool carried(const Attribute& a) {
        const bool type =
            a.component == Component::kFloat ||
            ((a.component == Component::kUint8 || a.component == Component::kUint16) &&
             a.normalized);
        return type && ((a.semantic.starts_with("TEXCOORD_") && a.components == 2) ||
                        (a.semantic.starts_with("COLOR_") && a.components >= 3));
    }

    void triangles(const Primitive& p, const std::string& mesh, const std::string& id,
                   std::size_t first) {
        const std::vector<std::uint32_t> corners = triangles_of(p);
        if (corners.empty()) return;
        out_.add("<triangles count=\"{}\"", corners.size() / 3);
        if (p.material != kNone) out_.add(" material=\"material{}\"", p.material);
        out_.add("><input semantic=\"VERTEX\" source=\"#{}-vertices\" offset=\"0\"/>", mesh);
        const std::size_t from = out_.text.size();
        if (!p.normals.empty())
            out_.add("<input semantic=\"NORMAL\" source=\"#{}-normals\" offset=\"1\"/>", id);
        for (std::size_t a = 0; a < p.others.size(); ++a) {
            if (!carried(p.others[a])) continue;
            const std::string& semantic = p.others[a].semantic;
            const std::size_t cut = semantic.find('_');
            out_.add("<input semantic=\"{}\" source=\"#{}-a{}\" offset=\"1\" set=\"{}\"/>",
                     semantic.substr(0, cut), id, a, std::atoi(semantic.c_str() + cut + 1));
        }
        const bool paired = out_.text.size() > from;
        out_.add("<p>");
        for (std::size_t i = 0; i < corners.size(); ++i) {
            out_.add("{}{}", i == 0 ? "" : " ", corners[i] + first);
            if (paired) out_.add(" {}", corners[i]);
        }
        out_.add("</p></triangles>\n");
    }

    void say_losses(const Mesh& mesh) {
        std::set<std::string> lost;
        bool lines = false;
        for (const Primitive& p : mesh.primitives) {
            for (const Attribute& a : p.others)
                if (!carried(a)) lost.insert(a.semantic);
            if (!p.tangents.empty()) lost.insert("TANGENT");
            lines |= !has_surface(p.topology);
        }
        const Place where = Place::of("mesh \"" + mesh.name + "\"");
        if (!lost.empty())
            out_.left_out(where, fmt::format("{}", fmt::join(lost, ", ")),
                          "positions, normals, texture coordinates and colours",
                          "write glTF to keep them");
        if (lines) out_.left_out(where, "points or lines", "triangles", "write glTF to keep them");
    }

    void controllers() {
        bool open = false;
        const auto begin = [&] {
            if (!std::exchange(open, true)) out_.add("<library_controllers>\n");
        };
        for (std::size_t m = 0; m < scene_.meshes.size(); ++m)
            if (!scene_.meshes[m].target_names.empty()) begin(), morph(static_cast<int>(m));
        for (std::size_t n = 0; n < scene_.nodes.size(); ++n)
            if (scene_.nodes[n].mesh != kNone && scene_.nodes[n].skin != kNone)
                begin(), skin(static_cast<int>(n));
        if (open) out_.add("</library_controllers>\n");
    }

    /// Weights are at rest of the first node that shows the mesh: COLLADA keeps them with the
    /// shape.
    void morph(int m) {
        const Mesh& mesh = scene_.meshes[at(m)];
        const std::string id = out_.morph_id(m), shape = out_.mesh_id(m);
        std::vector<double> weights(mesh.target_names.size(), 0.0);
        int shown = 0;
        for (std::size_t n = 0; n < scene_.nodes.size(); ++n)
            if (scene_.nodes[n].mesh == m && shown++ == 0)
                weights = rest_weights(scene_, static_cast<int>(n));
        if (shown > 1)
            out_.left_out(Place::of("mesh \"" + mesh.name + "\""),
                          fmt::format("{} nodes with morph weights of their own", shown),
                          "one node per mesh with morph targets",
                          "all of them get the weights of the first; or write glTF");
        std::vector<std::string> targets;
        for (std::size_t t = 0; t < weights.size(); ++t)
            targets.push_back(fmt::format("{}-target{}", shape, t));
        out_.add("<controller id=\"{}\"><morph source=\"#{}\" method=\"NORMALIZED\">\n", id, shape);
        out_.names_source(id + "-targets", "IDREF_array", targets, "MORPH_TARGET", "IDREF");
        out_.source(id + "-weights", weights, 1, {"MORPH_WEIGHT"});
        out_.add(
            "<targets><input semantic=\"MORPH_TARGET\" source=\"#{0}-targets\"/><input "
            "semantic=\"MORPH_WEIGHT\" source=\"#{0}-weights\"/></targets></morph>"
            "</controller>\n",
            id);
    }

    void skin(int n) {
        const Node& node = scene_.nodes[at(n)];
        const Skin& skin = scene_.skins[at(node.skin)];
        const Mesh& mesh = scene_.meshes[at(node.mesh)];
        const std::string id = out_.skin_id(n);
        out_.add(
            "<controller id=\"{}\" name=\"{}\"><skin source=\"#{}\"><bind_shape_matrix>1 0 0 0 0 "
            "1 0 0 0 0 1 0 0 0 0 1</bind_shape_matrix>\n",
            id, xml_name(skin.name.empty() ? "skin" : skin.name),
            mesh.target_names.empty() ? out_.mesh_id(node.mesh) : out_.morph_id(node.mesh));
        std::vector<std::string> joints;
        std::vector<double> binds;
        for (std::size_t j = 0; j < skin.joints.size(); ++j) {
            joints.push_back(out_.sids[at(skin.joints[j])]);
            const Affine& m = skin.inverse_binds[j];
            binds.insert(binds.end(), {m.x.x, m.y.x, m.z.x, m.o.x, m.x.y, m.y.y, m.z.y, m.o.y,
                                       m.x.z, m.y.z, m.z.z, m.o.z, 0, 0, 0, 1});
        }
        out_.names_source(id + "-joints", "Name_array", joints, "JOINT", "Name");
        out_.source(id + "-binds", binds, 16, {"TRANSFORM"}, "float4x4");
        std::vector<float> weights;
        std::string counts, pairs;
        for (const Primitive& p : mesh.primitives) {
            const std::size_t per = at(p.influences_per_vertex);
            for (std::size_t v = 0; v < p.positions.size(); ++v) {
                int count = 0;
                for (std::size_t i = v * per; i < (v + 1) * per; ++i) {
                    if (!(p.influence_weights[i] > 0)) continue;
                    fmt::format_to(std::back_inserter(pairs), "{} {} ", p.influence_joints[i],
                                   weights.size());
                    weights.push_back(p.influence_weights[i]);
                    ++count;
                }
                fmt::format_to(std::back_inserter(counts), "{} ", count);
            }
        }
        if (weights.empty()) weights.push_back(0);
        out_.source(id + "-weights", weights, 1, {"WEIGHT"});
        std::size_t vertices = 0;
        for (const Primitive& p : mesh.primitives) vertices += p.positions.size();
        out_.add(
            "<joints><input semantic=\"JOINT\" source=\"#{0}-joints\"/><input "
            "semantic=\"INV_BIND_MATRIX\" source=\"#{0}-binds\"/></joints>\n<vertex_weights "
            "count=\"{1}\"><input semantic=\"JOINT\" source=\"#{0}-joints\" offset=\"0\"/><input "
            "semantic=\"WEIGHT\" source=\"#{0}-weights\" offset=\"1\"/><vcount>{2}</vcount>"
            "<v>{3}</v></vertex_weights></skin></controller>\n",
            id, vertices, counts, pairs);
    }

    ColladaText& out_;
    const Scene& scene_;
};

}  // namespace

void write_collada_shapes(ColladaText& out) { ShapeWriter(out).run(); }

}  // namespace mellow
