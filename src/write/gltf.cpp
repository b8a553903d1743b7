// The glTF writer. Members are written in the order they stand in the file; accessors and views,
// which come last, are collected alongside.
#include <fmt/format.h>
#include <simdjson.h>

#include "mellow/write.h"
#include "write/gltf_buffers.h"

namespace mellow {
namespace {

/// A file name as a URI reference (RFC 3986): everything but plain letters and digits escaped.
std::string uri_of(const std::string& file) {
    std::string out;
    for (const char c : file) {
        const bool plain = (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') ||
                           (c >= '0' && c <= '9') || c == '-' || c == '_' || c == '.' || c == '~';
        out += plain ? std::string(1, c) : fmt::format("%{:02X}", static_cast<unsigned char>(c));
    }
    return out;
}

class GltfWriter {
  public:
    GltfWriter(const Scene& scene, std::string name, const GltfOptions& options)
        : scene_(scene), name_(std::move(name)), options_(options) {}

    std::vector<WrittenFile> files() {
        document();
        if (options_.binary) {
            files_.insert(files_.begin(), {name_ + ".glb", container()});
            return std::move(files_);
        }
        const std::string& json = json_.text();
        files_.insert(files_.begin(), {name_ + ".gltf", {json.begin(), json.end()}});
        if (buffers_.size() > 0) {
            std::vector<std::uint8_t> bin;
            bin.reserve(buffers_.size());
            buffers_.append_to(bin);
            files_.insert(files_.begin() + 1, {name_ + ".bin", std::move(bin)});
        }
        return std::move(files_);
    }

  private:
    void document() {
        json_.begin_object();
        json_.object("asset", [&] {
            json_.member("version", "2.0").member("generator", "Mellow Crate");
            json_.text_member("copyright", scene_.copyright);
            if (!(scene_.convention == Convention{})) mark();
        });
        if (!scene_.extensions_used.empty()) json_.list("extensionsUsed", scene_.extensions_used);
        if (!scene_.extensions_required.empty())
            json_.list("extensionsRequired", scene_.extensions_required);
        json_.member("scene", 0);
        json_.key("scenes").begin_array().begin_object().text_member("name", scene_.name);
        json_.key("nodes").numbers(scene_.roots).end_object().end_array();
        list("nodes", scene_.nodes.size(), [&](std::size_t n) { node(n); });
        list("meshes", scene_.meshes.size(), [&](std::size_t m) { mesh(scene_.meshes[m]); });
        list("skins", scene_.skins.size(), [&](std::size_t s) { skin(scene_.skins[s]); });
        list("materials", scene_.materials.size(),
             [&](std::size_t m) { material(scene_.materials[m]); });
        json_.raw_member("textures", scene_.textures).raw_member("samplers", scene_.samplers);
        list("images", scene_.images.size(), [&](std::size_t i) { image(i); });
        list("cameras", scene_.cameras.size(),
             [&](std::size_t c) { json_.raw(scene_.cameras[c]); });
        list("animations", scene_.timelines.size(),
             [&](std::size_t t) { animation(scene_.timelines[t]); });
        if (!scene_.extensions.empty())
            json_.object("extensions", [&] {
                for (const auto& [name, json] : scene_.extensions) json_.raw_member(name, json);
            });
        json_.raw_member("extras", scene_.extras);
        buffers_.write(json_);
        if (buffers_.size() > 0) {
            json_.key("buffers").begin_array().begin_object();
            if (!options_.binary) json_.member("uri", uri_of(name_ + ".bin"));
            json_.member("byteLength", buffers_.size()).end_object().end_array();
        }
        json_.end_object();
    }

    /// Says what the numbers are where they are not glTF's own (3.4): docs/conventions.md.
    void mark() {
        const Convention& c = scene_.convention;
        json_.object("extras", [&] {
            json_.object("convention", [&] {
                json_.member("up", name(c.up)).member("front", name(c.front));
                json_.member("hand", name(c.hand)).member("metres_per_unit", c.metres_per_unit);
            });
        });
    }

    /// A list under `key`, left out without items (glTF allows no empty ones).
    template <class Write>
    void list(std::string_view key, std::size_t count, Write&& write) {
        if (count == 0) return;
        json_.key(key).begin_array();
        for (std::size_t i = 0; i < count; ++i) write(i);
        json_.end_array();
    }
    void index(std::string_view key, int value) {
        if (value != kNone) json_.member(key, value);
    }
    template <class T>
    void floats(std::string_view key, const T& values) {
        const std::vector<float> single(values.begin(), values.end());
        json_.key(key).numbers(single);
    }
    template <class T>
    void carried(const T& from) {
        json_.raw_member("extensions", from.extensions).raw_member("extras", from.extras);
    }

    /// Nodes that channels move: those must not have a matrix (glTF 2.0, 3.5.3).
    static std::vector<bool> animated_nodes(const Scene& scene) {
        std::vector<bool> animated(scene.nodes.size(), false);
        for (const Timeline& timeline : scene.timelines)
            for (const Channel& c : timeline.channels)
                animated[static_cast<std::size_t>(c.node)] = true;
        return animated;
    }

    // ---- nodes and skins
    void node(std::size_t n) {
        const Node& node = scene_.nodes[n];
        const Transform& t = node.local;
        json_.begin_object().text_member("name", node.name);
        if (!children_[n].empty()) json_.key("children").numbers(children_[n]);
        const auto single = [](double v) { return static_cast<float>(v); };
        if (node.shear && !animated_[n]) {
            const Affine m = local_matrix(node);
            const std::array columns{m.x, m.y, m.z, m.o};
            std::vector<float> members;
            for (std::size_t c = 0; c < 4; ++c)
                members.insert(members.end(), {single(columns[c].x), single(columns[c].y),
                                               single(columns[c].z), c == 3 ? 1.0F : 0.0F});
            json_.key("matrix").numbers(members);
            return node_parts(node);
        }
        if (!(t.t == Vec3{}))
            floats("translation", std::array{single(t.t.x), single(t.t.y), single(t.t.z)});
        if (t.r.x != 0 || t.r.y != 0 || t.r.z != 0)
            floats("rotation",
                   std::array{single(t.r.x), single(t.r.y), single(t.r.z), single(t.r.w)});
        if (!(t.s == Vec3{1, 1, 1}))
            floats("scale", std::array{single(t.s.x), single(t.s.y), single(t.s.z)});
        node_parts(node);
    }

    void node_parts(const Node& node) {
        index("mesh", node.mesh), index("skin", node.skin), index("camera", node.camera);
        if (!node.morph_weights.empty()) floats("weights", node.morph_weights);
        carried(node);
        json_.end_object();
    }

    void skin(const Skin& skin) {
        std::vector<float> m;
        for (const Affine& a : skin.inverse_binds) {
            const Vec3 columns[4] = {a.x, a.y, a.z, a.o};
            for (std::size_t c = 0; c < 4; ++c)
                for (const double v :
                     {columns[c].x, columns[c].y, columns[c].z, c == 3 ? 1.0 : 0.0})
                    m.push_back(static_cast<float>(v));
        }
        json_.begin_object().text_member("name", skin.name);
        json_.member("inverseBindMatrices",
                     buffers_.add_accessor(buffers_.add_view(m, 0), skin.joints.size(),
                                           kFloatNumbers, "MAT4"));
        json_.key("joints").numbers(skin.joints);
        index("skeleton", skin.skeleton);
        carried(skin);
        json_.end_object();
    }

    // ---- meshes
    void influences(const Primitive& p) {
        const std::size_t vertices = p.positions.size();
        const std::size_t per = static_cast<std::size_t>(p.influences_per_vertex);
        for (std::size_t set = 0; set < per / 4; ++set) {
            std::vector<std::uint16_t> joints;
            std::vector<float> weights;
            for (std::size_t v = 0; v < vertices; ++v)
                for (std::size_t i = v * per + set * 4; i < v * per + set * 4 + 4; ++i) {
                    joints.push_back(p.influence_weights[i] > 0 ? p.influence_joints[i]
                                                                : std::uint16_t{0});
                    weights.push_back(p.influence_weights[i]);
                }
            const int joint_view = buffers_.add_view(joints, kVertexView);
            json_.member(fmt::format("JOINTS_{}", set),
                         buffers_.add_accessor(joint_view, vertices, kShortNumbers, "VEC4"));
            const int weight_view = buffers_.add_view(weights, kVertexView);
            json_.member(fmt::format("WEIGHTS_{}", set),
                         buffers_.add_accessor(weight_view, vertices, kFloatNumbers, "VEC4"));
        }
    }

    /// POSITION, NORMAL, TANGENT and the rest, of vertices or of a morph target.
    template <class T>
    void attributes(const T& of, std::size_t vertices) {
        if (!of.positions.empty())
            json_.member("POSITION", buffers_.add_vertices(of.positions, true));
        if (!of.normals.empty()) json_.member("NORMAL", buffers_.add_vertices(of.normals, false));
        if (!of.tangents.empty())
            json_.member("TANGENT", buffers_.add_vertices(of.tangents, false));
        for (const Attribute& a : of.others)
            json_.member(a.semantic, buffers_.add_attribute(a, vertices));
    }

    int indices(const Primitive& p) {
        if (p.indices.empty()) return kNone;
        if (p.positions.size() > 65534)
            return buffers_.add_accessor(buffers_.add_view(p.indices, kIndexView), p.indices.size(),
                                         kWholeNumbers, "SCALAR");
        const std::vector<std::uint16_t> small(p.indices.begin(), p.indices.end());
        return buffers_.add_accessor(buffers_.add_view(small, kIndexView), small.size(),
                                     kShortNumbers, "SCALAR");
    }

    void primitive(const Primitive& p) {
        json_.begin_object();
        json_.object("attributes", [&] {
            attributes(p, p.positions.size());
            influences(p);
        });
        index("indices", indices(p)), index("material", p.material);
        if (p.topology != Topology::kTriangles) json_.member("mode", static_cast<int>(p.topology));
        list("targets", p.targets.size(), [&](std::size_t t) {
            json_.begin_object();
            attributes(p.targets[t], p.positions.size());
            json_.end_object();
        });
        carried(p);
        json_.end_object();
    }

    void mesh(const Mesh& mesh) {
        json_.begin_object().text_member("name", mesh.name);
        list("primitives", mesh.primitives.size(),
             [&](std::size_t p) { primitive(mesh.primitives[p]); });
        if (!mesh.morph_weights.empty()) floats("weights", mesh.morph_weights);
        json_.raw_member("extensions", mesh.extensions);
        mesh_extras(mesh);
        json_.end_object();
    }

    /// What the file had, with the names that morph targets have now.
    void mesh_extras(const Mesh& mesh) {
        simdjson::dom::parser parser;
        simdjson::dom::object extras;
        const bool had = !mesh.extras.empty() && !parser.parse(mesh.extras).get(extras);
        std::vector<std::string> names;
        simdjson::dom::array list;
        if (had && !extras["targetNames"].get(list))
            for (const auto item : list)
                if (std::string_view text; !item.get(text)) names.emplace_back(text);
        if (names == mesh.target_names || (!mesh.extras.empty() && !had)) {
            json_.raw_member("extras", mesh.extras);
            return;
        }
        json_.object("extras", [&] {
            if (had)
                for (const auto [key, value] : extras)
                    if (key != "targetNames") json_.key(key).raw(simdjson::minify(value));
            if (!mesh.target_names.empty()) json_.list("targetNames", mesh.target_names);
        });
    }

    void material(const Material& m) {
        json_.begin_object().text_member("name", m.name);
        if (!m.json.empty()) (void)json_.members_of(m.json);
        json_.end_object();
    }

    void image(std::size_t i) {
        const Image& image = scene_.images[i];
        json_.begin_object().text_member("name", image.name);
        if (options_.pictures_beside) {
            const std::string file = picture_name(name_, i, image);
            files_.push_back({file, {image.bytes.begin(), image.bytes.end()}});
            json_.member("uri", uri_of(file));
        } else {
            json_.member("bufferView",
                         buffers_.add_view(std::span<const std::uint8_t>(image.bytes), 0));
            json_.text_member("mimeType", image.mime);
        }
        carried(image);
        json_.end_object();
    }

    // ---- animations
    /// The index of a new sampler.
    int add_sampler(const Curve& curve, Path path, JsonWriter& samplers) {
        samplers.begin_object().member("input", buffers_.add_times(curve.times));
        samplers.member("output",
                        path == Path::kWeights    ? buffers_.add_values(curve.values, "SCALAR", 1)
                        : path == Path::kRotation ? buffers_.add_values(curve.values, "VEC4", 4)
                                                  : buffers_.add_values(curve.values, "VEC3", 3));
        if (curve.interpolation == Interpolation::kStep) samplers.member("interpolation", "STEP");
        if (curve.interpolation == Interpolation::kCubicSpline)
            samplers.member("interpolation", "CUBICSPLINE");
        samplers.end_object();
        return sampler_count_++;
    }

    void channel(const Channel& c, JsonWriter& samplers) {
        json_.begin_object().member("sampler", add_sampler(c.curve, c.path, samplers));
        json_.object("target", [&] { json_.member("node", c.node).member("path", name(c.path)); });
        json_.end_object();
    }

    /// What glTF has no place for, beside the extras that the timeline brings: docs/crate.md.
    std::string own_extras(const Timeline& timeline, JsonWriter& samplers) {
        JsonWriter extras;
        extras.begin_object();
        if (!timeline.extras.empty()) (void)extras.members_of(timeline.extras);
        if (!timeline.morphs.empty())
            extras.list("morph_weights", timeline.morphs, [&](const MorphCurve& morph) {
                extras.begin_object().text_member("mesh", morph.mesh);
                if (!morph.targets.empty()) extras.list("targets", morph.targets);
                extras.member("sampler", add_sampler(morph.curve, Path::kWeights, samplers));
                extras.end_object();
            });
        if (!timeline.scalars.empty())
            extras.list("scalars", timeline.scalars, [&](const ScalarCurve& scalar) {
                extras.begin_object().text_member("name", scalar.name);
                extras.text_member("unit", scalar.unit);
                extras.member("sampler", add_sampler(scalar.curve, Path::kWeights, samplers));
                extras.end_object();
            });
        return extras.end_object().take_text();
    }

    void animation(const Timeline& timeline) {
        JsonWriter samplers;
        samplers.begin_array();
        sampler_count_ = 0;
        json_.begin_object().text_member("name", timeline.name);
        list("channels", timeline.channels.size(),
             [&](std::size_t c) { channel(timeline.channels[c], samplers); });
        const bool more = !timeline.morphs.empty() || !timeline.scalars.empty();
        const std::string extras = more ? own_extras(timeline, samplers) : timeline.extras;
        if (sampler_count_ > 0) json_.key("samplers").raw(samplers.end_array().text());
        json_.raw_member("extensions", timeline.extensions).raw_member("extras", extras);
        json_.end_object();
    }

    std::vector<std::uint8_t> container() {
        std::string json = json_.take_text();
        json.resize((json.size() + 3) / 4 * 4, ' ');
        const std::size_t bin = (buffers_.size() + 3) / 4 * 4;
        std::vector<std::uint8_t> out;
        out.reserve(28 + json.size() + bin);
        const auto word = [&](std::size_t v) {
            for (int shift = 0; shift < 32; shift += 8)
                out.push_back(static_cast<std::uint8_t>(v >> shift));
        };
        word(0x46546C67), word(2), word(12 + 8 + json.size() + (bin == 0 ? 0 : 8 + bin));
        word(json.size()), word(0x4E4F534A);
        out.insert(out.end(), json.begin(), json.end());
        if (bin == 0) return out;
        word(bin), word(0x004E4942);
        buffers_.append_to(out);
        out.resize((out.size() + 3) / 4 * 4);
        return out;
    }

    const Scene& scene_;
    std::string name_;
    GltfOptions options_;
    std::vector<WrittenFile> files_;
    JsonWriter json_;
    GltfBuffers buffers_;
    std::vector<std::vector<int>> children_ = children_of(scene_);
    std::vector<bool> animated_ = animated_nodes(scene_);
    int sampler_count_ = 0;
};

}  // namespace

std::string picture_name(const std::string& name, std::size_t i, const Image& image) {
    const char* ending = image.mime == "image/jpeg"   ? "jpg"
                         : image.mime == "image/webp" ? "webp"
                         : image.mime == "image/ktx2" ? "ktx2"
                                                      : "png";
    return fmt::format("{}_{}.{}", name, i, ending);
}

std::vector<std::uint8_t> write_glb(const Scene& scene) {
    return std::move(write_gltf(scene, {}, {true, false})[0].bytes);
}

std::vector<WrittenFile> write_gltf(const Scene& scene, const std::string& name,
                                    const GltfOptions& options) {
    for (const Timeline& timeline : scene.timelines)
        if (!timeline.members.empty() || timeline.span) {
            // glTF knows no stacks: without this their motion would be lost without a word.
            Scene plain = scene;
            (void)compose_stacks(plain);
            return GltfWriter(plain, name, options).files();
        }
    return GltfWriter(scene, name, options).files();
}

}  // namespace mellow
