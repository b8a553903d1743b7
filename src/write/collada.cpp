// The COLLADA writer: asset, cameras, pictures, materials and nodes; shapes and motion are apart.
#include <simdjson.h>

#include <algorithm>
#include <cmath>

#include "base/at.h"
#include "math/degrees.h"
#include "write/collada_text.h"

namespace mellow {
namespace {

bool joins_name(unsigned char c) {
    return std::isalnum(c) != 0 || c == '_' || c == '-' || c == '.' || c >= 0x80;
}

class ColladaWriter {
  public:
    ColladaWriter(const Scene& scene, std::string name, const ColladaOptions& options)
        : out_{scene, options, {}, {}, {}, {}}, scene_(scene), name_(std::move(name)) {}

    Result<WrittenScene> run() {
        MELLOW_CHECK(name_nodes());
        asset();
        cameras();
        images();
        materials();
        write_collada_shapes(out_);
        write_collada_motion(out_);
        nodes();
        out_.add("<scene><instance_visual_scene url=\"#scene\"/></scene>\n");
        if (const Convention& c = scene_.convention; marked())
            out_.add(
                "<extra><technique profile=\"mellow_crate\"><up>{}</up><front>{}</front>"
                "<hand>{}</hand></technique></extra>\n",
                mellow::name(c.up), mellow::name(c.front), mellow::name(c.hand));
        out_.add("</COLLADA>\n");
        WrittenScene written{std::move(out_.files), std::move(out_.findings)};
        written.files.insert(written.files.begin(),
                             {name_ + ".dae", {out_.text.begin(), out_.text.end()}});
        return written;
    }

  private:
    Status name_nodes() {
        std::map<std::string, std::string> taken;
        int changed = 0;
        std::string example;
        for (const Node& node : scene_.nodes) {
            out_.sids.push_back(xml_name(node.name.empty() ? "node" : node.name));
            if (out_.sids.back() != node.name && !node.name.empty() && changed++ == 0)
                example = fmt::format("\"{}\" became \"{}\"", node.name, out_.sids.back());
            if (node.name.empty()) continue;
            const auto [slot, fresh] = taken.emplace(out_.sids.back(), node.name);
            if (!fresh && slot->second == node.name)  // twice in the source, too
                out_.sids.back() += fmt::format("_{}", out_.sids.size());
            else if (!fresh)
                return Finding{Code::kNameClash,
                               Severity::kStop,
                               Place::of("node \"" + node.name + "\""),
                               fmt::format("the XML name {}, which \"{}\" has already",
                                           out_.sids.back(), slot->second),
                               "names that differ in letters, digits, points, - or _",
                               "rename one of them"};
        }
        if (changed > 0)
            out_.findings.push_back(
                {Code::kAssumed, Severity::kWarning, "names",
                 fmt::format("{} names that XML cannot hold: {}", changed, example),
                 "letters, digits, points, - and _, no digit or point first",
                 "match them by the new names, or rename them in the source"});
        return {};
    }

    void asset() {
        const Convention& c = scene_.convention;
        const char* up = c.up == Axis::kPlusZ ? "Z_UP" : c.up == Axis::kPlusX ? "X_UP" : "Y_UP";
        if (marked())
            out_.left_out("convention", to_text(c),
                          "what COLLADA can say: right-handed, +X, +Y or +Z up",
                          "tell the reader: only an <extra> of the file says it");
        const char* unit = c.metres_per_unit == 1      ? "meter"
                           : c.metres_per_unit == 0.01 ? "centimeter"
                                                       : "unit";
        out_.add(
            "<?xml version=\"1.0\" encoding=\"utf-8\"?>\n<COLLADA "
            "xmlns=\"http://www.collada.org/2005/11/COLLADASchema\" version=\"1.4.1\">\n"
            "<asset><contributor><authoring_tool>Mellow Crate</authoring_tool>");
        if (!scene_.copyright.empty())
            out_.add("<copyright>{}</copyright>", xml_escaped(scene_.copyright));
        // The schema wants times; the same scene must give the same bytes.
        out_.add(
            "</contributor><created>1970-01-01T00:00:00Z</created>"
            "<modified>1970-01-01T00:00:00Z</modified><unit meter=\"{}\" name=\"{}\"/>"
            "<up_axis>{}</up_axis></asset>\n",
            c.metres_per_unit, unit, up);
    }

    /// True where an <extra> must say what the elements of COLLADA cannot.
    bool marked() const {
        const Convention& c = scene_.convention;
        const Axis front = c.up == Axis::kPlusZ ? Axis::kMinusY : Axis::kPlusZ;
        const bool can = c.up == Axis::kPlusX || c.up == Axis::kPlusY || c.up == Axis::kPlusZ;
        return !can || c.front != front || c.hand == Hand::kLeft;
    }

    void cameras() {
        if (scene_.cameras.empty()) return;
        out_.add("<library_cameras>\n");
        simdjson::dom::parser parser;
        for (std::size_t i = 0; i < scene_.cameras.size(); ++i) {
            simdjson::dom::element json;
            if (parser.parse(scene_.cameras[i]).get(json)) continue;
            const auto number = [&](const char* kind, const char* key, double fallback) {
                double value = fallback;
                return json[kind][key].get(value) ? fallback : value;
            };
            out_.add("<camera id=\"camera{}\"><optics><technique_common>", i);
            if (const char* k = "perspective"; !json[k].error()) {
                const double near = number(k, "znear", 0.01);
                out_.add("<perspective><yfov>{}</yfov>", number(k, "yfov", 0.8) * kDegrees);
                if (const double aspect = number(k, "aspectRatio", 0); aspect > 0)
                    out_.add("<aspect_ratio>{}</aspect_ratio>", aspect);
                out_.add("<znear>{}</znear><zfar>{}</zfar></perspective>", near,
                         number(k, "zfar", near * 1e6));
            } else {
                k = "orthographic";
                out_.add(
                    "<orthographic><xmag>{}</xmag><ymag>{}</ymag><znear>{}</znear><zfar>{}"
                    "</zfar></orthographic>",
                    number(k, "xmag", 1), number(k, "ymag", 1), number(k, "znear", 0),
                    number(k, "zfar", 100));
            }
            out_.add("</technique_common></optics></camera>\n");
        }
        out_.add("</library_cameras>\n");
    }

    void images() {
        if (scene_.images.empty()) return;
        out_.add("<library_images>\n");
        for (std::size_t i = 0; i < scene_.images.size(); ++i) {
            const Image& image = scene_.images[i];
            const std::string file = picture_name(name_, i, image);
            out_.files.push_back({file, {image.bytes.begin(), image.bytes.end()}});
            out_.add("<image id=\"image{}\" name=\"{}\"><init_from>{}</init_from></image>\n", i,
                     xml_name(image.name.empty() ? "image" : image.name), xml_escaped(file));
        }
        out_.add("</library_images>\n");
    }

    void materials() {
        if (scene_.materials.empty()) return;
        out_.add("<library_effects>\n");
        for (std::size_t m = 0; m < scene_.materials.size(); ++m) {
            const Material& material = scene_.materials[m];
            out_.add("<effect id=\"effect{}\"><profile_COMMON>", m);
            if (material.base_image != kNone)
                out_.add(
                    "<newparam sid=\"surface\"><surface type=\"2D\"><init_from>image{}"
                    "</init_from></surface></newparam><newparam sid=\"sampler\"><sampler2D>"
                    "<source>surface</source></sampler2D></newparam>",
                    material.base_image);
            out_.add("<technique sid=\"common\"><lambert><diffuse>");
            if (material.base_image != kNone) {
                out_.add("<texture texture=\"sampler\" texcoord=\"TEXCOORD0\"/>");
            } else {
                out_.add("<color>");
                out_.numbers(material.base_color);
                out_.add("</color>");
            }
            out_.add("</diffuse></lambert></technique></profile_COMMON></effect>\n");
        }
        out_.add("</library_effects>\n<library_materials>\n");
        for (std::size_t m = 0; m < scene_.materials.size(); ++m) {
            const std::string& name = scene_.materials[m].name;
            const std::string written = xml_name(name.empty() ? "material" : name);
            out_.add(
                "<material id=\"material{0}\" name=\"{1}\"><instance_effect url=\"#effect{0}\"/>"
                "{2}</material>\n",
                m, written, name.empty() ? "" : name_extra(name, written));
        }
        out_.add("</library_materials>\n");
    }

    // ---- nodes
    void nodes() {
        joint_.assign(scene_.nodes.size(), false);
        for (const Skin& skin : scene_.skins)
            for (const int j : skin.joints) joint_[at(j)] = true;
        for (std::size_t n = 0; scene_.skins.empty() && n < scene_.nodes.size(); ++n)
            joint_[n] = scene_.nodes[n].mesh == kNone && scene_.nodes[n].camera == kNone;
        children_ = children_of(scene_);
        out_.add("<library_visual_scenes>\n<visual_scene id=\"scene\" name=\"{}\">\n",
                 xml_name(scene_.name.empty() ? "scene" : scene_.name));
        // Depth first without recursion: a file may nest a thousand levels.
        struct Open {
            int node;
            std::size_t next;
        };
        std::vector<Open> open;
        for (const int root : scene_.roots) {
            begin(root);
            open.push_back({root, 0});
            while (!open.empty()) {
                const int n = open.back().node;
                const std::size_t next = open.back().next++;
                if (next < children_[at(n)].size()) {
                    const int c = children_[at(n)][next];
                    begin(c);
                    open.push_back({c, 0});
                } else {
                    if (const std::string& name = scene_.nodes[at(n)].name; !name.empty())
                        out_.text += name_extra(name, out_.sids[at(n)]);
                    out_.add("</node>\n");
                    open.pop_back();
                }
            }
        }
        if (scene_.rate_known)
            out_.add(
                "<extra><technique profile=\"mellow_crate\"><frame_rate>{}</frame_rate>"
                "</technique></extra>",
                scene_.rate.per_second());
        out_.add("</visual_scene>\n</library_visual_scenes>\n");
    }

    void begin(int n) {
        const Node& node = scene_.nodes[at(n)];
        const Transform& t = node.local;
        out_.add("<node id=\"{}\" name=\"{}\" sid=\"{}\" type=\"{}\">", out_.node_id(n),
                 out_.sids[at(n)], out_.sids[at(n)], joint_[at(n)] ? "JOINT" : "NODE");
        if (out_.options.matrices) {
            out_.add("<matrix sid=\"transform\">");
            out_.numbers(matrix_numbers(local_matrix(node)));
            out_.add("</matrix>");
        } else {
            const EulerOrder order = out_.order_of(n);
            const EulerAngles angles = to_euler(t.r, order);
            out_.add("<translate sid=\"translate\">");
            out_.numbers(std::array{t.t.x, t.t.y, t.t.z});
            out_.add("</translate>");
            for (std::size_t i = 0; i < 3; ++i) {
                const int axis = axes_of(order)[i];
                out_.add("<rotate sid=\"rotate{}\">{} {} {} {:.9g}</rotate>", "XYZ"[axis],
                         axis == 0 ? 1 : 0, axis == 1 ? 1 : 0, axis == 2 ? 1 : 0,
                         angles[i] * kDegrees);
            }
            out_.add("<scale sid=\"scale\">");
            out_.numbers(std::array{t.s.x, t.s.y, t.s.z});
            out_.add("</scale>");
            if (node.shear) {
                out_.add("<matrix sid=\"shear\">");
                out_.numbers(matrix_numbers(*node.shear));
                out_.add("</matrix>");
            }
        }
        if (node.camera != kNone) out_.add("<instance_camera url=\"#camera{}\"/>", node.camera);
        if (node.mesh != kNone) shape(n);
        out_.add("\n");
    }

    void shape(int n) {
        const Node& node = scene_.nodes[at(n)];
        const bool morphs = morph_count(scene_, n) > 0;
        const std::string id = node.skin != kNone ? out_.skin_id(n)
                               : morphs           ? out_.morph_id(node.mesh)
                                                  : out_.mesh_id(node.mesh);
        const char* kind =
            node.skin != kNone || morphs ? "instance_controller" : "instance_geometry";
        out_.add("<{} url=\"#{}\">", kind, id);
        if (node.skin != kNone)
            for (const int root : skeleton_roots(scene_.skins[at(node.skin)]))
                out_.add("<skeleton>#{}</skeleton>", out_.node_id(root));
        std::set<int> used;
        for (const Primitive& p : scene_.meshes[at(node.mesh)].primitives)
            if (p.material != kNone) used.insert(p.material);
        if (!used.empty()) {
            out_.add("<bind_material><technique_common>");
            for (const int m : used)
                out_.add(
                    "<instance_material symbol=\"material{0}\" target=\"#material{0}\">"
                    "<bind_vertex_input semantic=\"TEXCOORD0\" input_semantic=\"TEXCOORD\" "
                    "input_set=\"0\"/></instance_material>",
                    m);
            out_.add("</technique_common></bind_material>");
        }
        out_.add("</{}>", kind);
    }

    /// Joints of the skin that stand below no other joint of it.
    std::vector<int> skeleton_roots(const Skin& skin) const {
        const std::set<int> joints(skin.joints.begin(), skin.joints.end());
        std::vector<int> roots;
        for (const int j : joints) {
            int up = scene_.nodes[at(j)].parent;
            while (up != kNone && !joints.contains(up)) up = scene_.nodes[at(up)].parent;
            if (up == kNone) roots.push_back(j);
        }
        return roots;
    }

    ColladaText out_;
    const Scene& scene_;
    std::string name_;
    std::vector<bool> joint_;
    std::vector<std::vector<int>> children_;
};

}  // namespace

std::string xml_escaped(std::string_view text) {
    std::string out;
    for (const char c : text) {
        if (c == '&')
            out += "&amp;";
        else if (c == '<')
            out += "&lt;";
        else if (c == '>')
            out += "&gt;";
        else if (c == '"')
            out += "&quot;";
        else if (static_cast<unsigned char>(c) >= 0x20 || c == '\n' || c == '\t')
            out += c;
    }
    return out;
}

std::string xml_name(std::string_view text) {
    std::string out;
    for (const char c : text) out += joins_name(static_cast<unsigned char>(c)) ? c : '_';
    const auto first = static_cast<unsigned char>(out.empty() ? '0' : out[0]);
    if (std::isdigit(first) != 0 || first == '-' || first == '.') out.insert(0, "_");
    return out;
}

std::string name_extra(const std::string& name, const std::string& written) {
    if (name == written) return {};
    return "<extra><technique profile=\"mellow_crate\"><name>" + xml_escaped(name) +
           "</name></technique></extra>";
}

EulerOrder ColladaText::order_of(int node) const {
    const Node& n = scene.nodes[at(node)];
    const auto asked = options.orders.find(n.name);
    if (asked != options.orders.end()) return asked->second;
    if (options.order) return *options.order;
    return n.order.value_or(EulerOrder::kZYX);
}

Result<WrittenScene> write_collada(const Scene& scene, const std::string& name,
                                   const ColladaOptions& options) {
    for (const Timeline& timeline : scene.timelines)
        if (!timeline.members.empty() || timeline.span) {
            Scene plain = scene;
            Findings findings = compose_stacks(plain);
            MELLOW_TRY(WrittenScene written, ColladaWriter(plain, name, options).run());
            written.findings.insert(written.findings.begin(), findings.begin(), findings.end());
            return written;
        }
    return ColladaWriter(scene, name, options).run();
}

}  // namespace mellow
