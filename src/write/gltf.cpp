// The glTF writer. JSON is appended text, since most of it is numbers and carried raw text; the
// binary chunk is filled alongside.
#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <limits>
#include <map>
#include <span>

#include "base/text.h"
#include "mellow/write.h"

namespace mellow {
namespace {

constexpr int kFloat = 5126, kU16 = 5123, kU32 = 5125;
constexpr int kArrayBuffer = 34962, kElementBuffer = 34963;

/// A JSON object under construction.
class Object {
  public:
    Object& raw(std::string_view key, std::string_view json) {
        if (!json.empty())
            text_ += fmt::format("{}{}:{}", text_.empty() ? "" : ",", json_quoted(key), json);
        return *this;
    }
    Object& text(std::string_view key, std::string_view value) {
        return value.empty() ? *this : raw(key, json_quoted(value));
    }
    Object& number(std::string_view key, double value) {
        return raw(key, fmt::format("{}", value));
    }
    Object& index(std::string_view key, int value) {
        return value == kNone ? *this : raw(key, std::to_string(value));
    }
    /// Members that are JSON text already, without braces.
    Object& members(std::string_view json) {
        if (!json.empty()) text_.append(text_.empty() ? "" : ",").append(json);
        return *this;
    }
    bool empty() const { return text_.empty(); }
    std::string done() const { return "{" + text_ + "}"; }

  private:
    std::string text_;
};

std::string list(const std::vector<std::string>& items) {
    return items.empty() ? "" : fmt::format("[{}]", fmt::join(items, ","));
}

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

template <class T>
std::string floats(const T& values) {
    std::vector<float> single;
    for (const auto v : values) single.push_back(static_cast<float>(v));
    return fmt::format("[{}]", fmt::join(single, ","));
}

class GltfWriter {
  public:
    GltfWriter(const Scene& scene, std::string name, const GltfOptions& options)
        : scene_(scene), name_(std::move(name)), options_(options) {}

    std::vector<WrittenFile> files() {
        std::string json = run();
        if (options_.binary) {
            files_.insert(files_.begin(), {name_ + ".glb", container(std::move(json))});
            return std::move(files_);
        }
        files_.insert(files_.begin(), {name_ + ".gltf", {json.begin(), json.end()}});
        if (!bin_.empty()) files_.insert(files_.begin() + 1, {name_ + ".bin", std::move(bin_)});
        return std::move(files_);
    }

  private:
    std::string run() {
        Object top;
        top.raw("asset", Object()
                             .text("version", "2.0")
                             .text("generator", "Mellow Crate")
                             .text("copyright", scene_.copyright)
                             .done());
        const auto names = [](const std::vector<std::string>& values) {
            std::vector<std::string> out;
            for (const std::string& v : values) out.push_back(json_quoted(v));
            return list(out);
        };
        top.raw("extensionsUsed", names(scene_.extensions_used));
        top.raw("extensionsRequired", names(scene_.extensions_required));
        top.raw("scene", "0");
        top.raw("scenes", "[" +
                              Object()
                                  .text("name", scene_.name)
                                  .raw("nodes", fmt::format("[{}]", fmt::join(scene_.roots, ",")))
                                  .done() +
                              "]");
        top.raw("nodes", nodes());
        top.raw("meshes", meshes());
        top.raw("skins", skins());
        top.raw("materials", materials());
        top.raw("textures", scene_.textures);
        top.raw("samplers", scene_.samplers);
        top.raw("images", images());
        top.raw("cameras", list(scene_.cameras));
        top.raw("animations", animations());
        Object extensions;
        for (const auto& [name, json] : scene_.extensions) extensions.raw(name, json);
        if (!extensions.empty()) top.raw("extensions", extensions.done());
        top.raw("extras", scene_.extras);
        top.raw("accessors", list(accessors_));
        top.raw("bufferViews", list(views_));
        if (!bin_.empty()) {
            Object buffer;
            if (!options_.binary) buffer.text("uri", uri_of(name_ + ".bin"));
            top.raw("buffers",
                    "[" + buffer.raw("byteLength", std::to_string(bin_.size())).done() + "]");
        }
        return top.done();
    }

    // ---- the binary chunk
    int add_view(std::span<const std::uint8_t> bytes, int target) {
        bin_.resize((bin_.size() + 3) / 4 * 4);
        Object view;
        view.raw("buffer", "0")
            .raw("byteOffset", std::to_string(bin_.size()))
            .raw("byteLength", std::to_string(bytes.size()));
        if (target != 0) view.raw("target", std::to_string(target));
        bin_.insert(bin_.end(), bytes.begin(), bytes.end());
        views_.push_back(view.done());
        return static_cast<int>(views_.size()) - 1;
    }

    template <class T>
    static std::span<const std::uint8_t> bytes_of(const std::vector<T>& values) {
        return {reinterpret_cast<const std::uint8_t*>(values.data()), values.size() * sizeof(T)};
    }

    int add_accessor(int view, std::size_t count, int component, std::string_view type,
                     const std::string& more = {}) {
        Object a;
        a.index("bufferView", view)
            .raw("componentType", std::to_string(component))
            .raw("count", std::to_string(count));
        a.text("type", type).members(more);
        accessors_.push_back(a.done());
        return static_cast<int>(accessors_.size()) - 1;
    }

    /// Least and greatest of each of `width` columns, exactly as the single-precision numbers are.
    static std::string extent(const std::vector<float>& values, std::size_t width) {
        std::vector<double> low(width, std::numeric_limits<double>::max()),
            high(width, std::numeric_limits<double>::lowest());
        for (std::size_t i = 0; i < values.size(); ++i) {
            low[i % width] = std::min(low[i % width], static_cast<double>(values[i]));
            high[i % width] = std::max(high[i % width], static_cast<double>(values[i]));
        }
        return fmt::format("\"min\":[{}],\"max\":[{}]", fmt::join(low, ","), fmt::join(high, ","));
    }

    template <std::size_t N>
    int add_vertices(const std::vector<std::array<float, N>>& values, bool with_extent) {
        std::vector<float> flat;
        flat.reserve(values.size() * N);
        for (const auto& v : values) flat.insert(flat.end(), v.begin(), v.end());
        return add_accessor(add_view(bytes_of(flat), kArrayBuffer), values.size(), kFloat,
                            N == 3 ? "VEC3" : "VEC4", with_extent ? extent(flat, N) : "");
    }

    // ---- nodes and skins
    std::string nodes() {
        std::vector<std::vector<int>> children = children_of(scene_);
        std::vector<std::string> out;
        for (std::size_t n = 0; n < scene_.nodes.size(); ++n) {
            const Node& node = scene_.nodes[n];
            const Transform& t = node.local;
            Object o;
            o.text("name", node.name);
            if (!children[n].empty())
                o.raw("children", fmt::format("[{}]", fmt::join(children[n], ",")));
            if (!(t.t == Vec3{})) o.raw("translation", floats(std::array{t.t.x, t.t.y, t.t.z}));
            if (t.r.x != 0 || t.r.y != 0 || t.r.z != 0)
                o.raw("rotation", floats(std::array{t.r.x, t.r.y, t.r.z, t.r.w}));
            if (!(t.s == Vec3{1, 1, 1})) o.raw("scale", floats(std::array{t.s.x, t.s.y, t.s.z}));
            o.index("mesh", node.mesh).index("skin", node.skin).index("camera", node.camera);
            if (!node.morph_weights.empty()) o.raw("weights", floats(node.morph_weights));
            o.raw("extensions", node.extensions).raw("extras", node.extras);
            out.push_back(o.done());
        }
        return list(out);
    }

    std::string skins() {
        std::vector<std::string> out;
        for (const Skin& skin : scene_.skins) {
            std::vector<float> m;
            for (const Affine& a : skin.inverse_binds) {
                const Vec3 columns[4] = {a.x, a.y, a.z, a.o};
                for (std::size_t c = 0; c < 4; ++c)
                    for (const double v :
                         {columns[c].x, columns[c].y, columns[c].z, c == 3 ? 1.0 : 0.0})
                        m.push_back(static_cast<float>(v));
            }
            Object o;
            o.text("name", skin.name);
            o.index("inverseBindMatrices",
                    add_accessor(add_view(bytes_of(m), 0), skin.joints.size(), kFloat, "MAT4"));
            o.raw("joints", fmt::format("[{}]", fmt::join(skin.joints, ",")));
            o.index("skeleton", skin.skeleton)
                .raw("extensions", skin.extensions)
                .raw("extras", skin.extras);
            out.push_back(o.done());
        }
        return list(out);
    }

    // ---- meshes
    void add_attribute(Object& into, const Attribute& a, std::size_t vertices) {
        static constexpr std::string_view kTypes[] = {"SCALAR", "VEC2", "VEC3", "VEC4"};
        const std::size_t element = vertices == 0 ? 0 : a.bytes.size() / vertices;
        const std::size_t stride = (element + 3) / 4 * 4;  // vertices start on whole words
        std::vector<std::uint8_t> padded(stride * vertices, 0);
        for (std::size_t v = 0; v < vertices; ++v)
            std::memcpy(&padded[v * stride], &a.bytes[v * element], element);
        const int view = add_view(padded, kArrayBuffer);
        if (stride != element)
            views_.back().insert(views_.back().size() - 1,
                                 fmt::format(",\"byteStride\":{}", stride));
        into.index(a.semantic,
                   add_accessor(view, vertices, a.component_type, kTypes[a.components - 1],
                                a.normalized ? "\"normalized\":true" : ""));
    }

    std::string attributes(const Primitive& p) {
        Object o;
        const std::size_t vertices = p.positions.size();
        if (!p.positions.empty()) o.index("POSITION", add_vertices(p.positions, true));
        if (!p.normals.empty()) o.index("NORMAL", add_vertices(p.normals, false));
        if (!p.tangents.empty()) o.index("TANGENT", add_vertices(p.tangents, false));
        for (const Attribute& a : p.others) add_attribute(o, a, vertices);
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
            o.index(fmt::format("JOINTS_{}", set),
                    add_accessor(add_view(bytes_of(joints), kArrayBuffer), vertices, kU16, "VEC4"));
            o.index(
                fmt::format("WEIGHTS_{}", set),
                add_accessor(add_view(bytes_of(weights), kArrayBuffer), vertices, kFloat, "VEC4"));
        }
        return o.done();
    }

    int add_indices(const Primitive& p) {
        if (p.indices.empty()) return kNone;
        if (p.positions.size() > 65534)
            return add_accessor(add_view(bytes_of(p.indices), kElementBuffer), p.indices.size(),
                                kU32, "SCALAR");
        const std::vector<std::uint16_t> small(p.indices.begin(), p.indices.end());
        return add_accessor(add_view(bytes_of(small), kElementBuffer), small.size(), kU16,
                            "SCALAR");
    }

    std::string primitive(const Primitive& p) {
        Object o;
        o.raw("attributes", attributes(p));
        o.index("indices", add_indices(p)).index("material", p.material);
        if (p.mode != 4) o.index("mode", p.mode);
        std::vector<std::string> targets;
        for (const MorphTarget& target : p.targets) {
            Object t;
            if (!target.positions.empty())
                t.index("POSITION", add_vertices(target.positions, true));
            if (!target.normals.empty()) t.index("NORMAL", add_vertices(target.normals, false));
            if (!target.tangents.empty()) t.index("TANGENT", add_vertices(target.tangents, false));
            for (const Attribute& a : target.others) add_attribute(t, a, p.positions.size());
            targets.push_back(t.done());
        }
        o.raw("targets", list(targets)).raw("extensions", p.extensions).raw("extras", p.extras);
        return o.done();
    }

    std::string meshes() {
        std::vector<std::string> out;
        for (const Mesh& mesh : scene_.meshes) {
            std::vector<std::string> parts;
            for (const Primitive& p : mesh.primitives) parts.push_back(primitive(p));
            Object o;
            o.text("name", mesh.name).raw("primitives", list(parts));
            if (!mesh.morph_weights.empty()) o.raw("weights", floats(mesh.morph_weights));
            std::string extras = mesh.extras;
            if (extras.empty() && !mesh.target_names.empty()) {
                std::vector<std::string> names;
                for (const std::string& n : mesh.target_names) names.push_back(json_quoted(n));
                extras = "{\"targetNames\":" + list(names) + "}";
            }
            o.raw("extensions", mesh.extensions).raw("extras", extras);
            out.push_back(o.done());
        }
        return list(out);
    }

    std::string materials() {
        std::vector<std::string> out;
        for (const Material& m : scene_.materials)
            out.push_back(Object().text("name", m.name).members(m.json).done());
        return list(out);
    }

    std::string images() {
        std::vector<std::string> out;
        for (const Image& image : scene_.images) {
            Object o;
            o.text("name", image.name);
            if (image.bytes.empty()) {
                o.text("uri", image.uri);
            } else if (options_.pictures_beside) {
                const std::string file = fmt::format("{}_{}.{}", name_, out.size(),
                                                     image.mime == "image/jpeg" ? "jpg" : "png");
                files_.push_back({file, image.bytes});
                o.text("uri", uri_of(file));
            } else
                o.index("bufferView", add_view(image.bytes, 0)).text("mimeType", image.mime);
            out.push_back(o.raw("extensions", image.extensions).raw("extras", image.extras).done());
        }
        return list(out);
    }

    // ---- animations
    int add_curve(const std::vector<double>& values, std::string_view type, std::size_t width,
                  bool with_extent) {
        std::vector<float> single(values.begin(), values.end());
        return add_accessor(add_view(bytes_of(single), 0), values.size() / width, kFloat, type,
                            with_extent ? extent(single, width) : "");
    }

    std::string add_sampler(const Curve& curve, Path path) {
        const auto [slot, fresh] = times_.emplace(curve.times, 0);
        if (fresh) slot->second = add_curve(curve.times, "SCALAR", 1, true);
        const int output = path == Path::kWeights    ? add_curve(curve.values, "SCALAR", 1, false)
                           : path == Path::kRotation ? add_curve(curve.values, "VEC4", 4, false)
                                                     : add_curve(curve.values, "VEC3", 3, false);
        Object o;
        o.index("input", slot->second).index("output", output);
        if (curve.interpolation == Interpolation::kStep) o.text("interpolation", "STEP");
        if (curve.interpolation == Interpolation::kCubicSpline)
            o.text("interpolation", "CUBICSPLINE");
        return o.done();
    }

    std::string animation(const Timeline& timeline) {
        std::vector<std::string> channels, samplers, morphs;
        for (const Channel& c : timeline.channels) {
            channels.push_back(
                Object()
                    .index("sampler", static_cast<int>(samplers.size()))
                    .raw("target", Object().index("node", c.node).text("path", name(c.path)).done())
                    .done());
            samplers.push_back(add_sampler(c.curve, c.path));
        }
        for (const MorphCurve& morph : timeline.morphs) {
            std::vector<std::string> targets;
            for (const std::string& t : morph.targets) targets.push_back(json_quoted(t));
            morphs.push_back(Object()
                                 .text("mesh", morph.mesh)
                                 .raw("targets", list(targets))
                                 .index("sampler", static_cast<int>(samplers.size()))
                                 .done());
            samplers.push_back(add_sampler(morph.curve, Path::kWeights));
        }
        std::string extras = timeline.extras;
        if (!morphs.empty()) {
            const bool more = extras.size() > 2 && extras.back() == '}';
            extras = (more ? extras.substr(0, extras.size() - 1) + "," : "{") +
                     "\"morph_weights\":" + list(morphs) + "}";
        }
        return Object()
            .text("name", timeline.name)
            .raw("channels", list(channels))
            .raw("samplers", list(samplers))
            .raw("extensions", timeline.extensions)
            .raw("extras", extras)
            .done();
    }

    std::string animations() {
        std::vector<std::string> out;
        for (const Timeline& timeline : scene_.timelines) out.push_back(animation(timeline));
        return list(out);
    }

    std::vector<std::uint8_t> container(std::string json) {
        json.resize((json.size() + 3) / 4 * 4, ' ');
        bin_.resize((bin_.size() + 3) / 4 * 4);
        std::vector<std::uint8_t> out;
        out.reserve(28 + json.size() + bin_.size());
        const auto word = [&](std::size_t v) {
            for (int shift = 0; shift < 32; shift += 8)
                out.push_back(static_cast<std::uint8_t>(v >> shift));
        };
        word(0x46546C67), word(2),
            word(12 + 8 + json.size() + (bin_.empty() ? 0 : 8 + bin_.size()));
        word(json.size()), word(0x4E4F534A);
        out.insert(out.end(), json.begin(), json.end());
        if (bin_.empty()) return out;
        word(bin_.size()), word(0x004E4942);
        out.insert(out.end(), bin_.begin(), bin_.end());
        return out;
    }

    const Scene& scene_;
    std::string name_;
    GltfOptions options_;
    std::vector<WrittenFile> files_;
    std::vector<std::uint8_t> bin_;
    std::vector<std::string> accessors_, views_;
    std::map<std::vector<double>, int> times_;
};

}  // namespace

std::vector<std::uint8_t> write_glb(const Scene& scene) {
    return std::move(write_gltf(scene, {}, {true, false})[0].bytes);
}

std::vector<WrittenFile> write_gltf(const Scene& scene, const std::string& name,
                                    const GltfOptions& options) {
    return GltfWriter(scene, name, options).files();
}

}  // namespace mellow
