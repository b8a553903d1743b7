// The glTF writer. JSON is appended text, since most of it is numbers and carried raw text; the
// binary chunk is filled alongside.
#include <fmt/compile.h>
#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <deque>
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
        if (json.empty()) return *this;
        if (!empty()) text_ += ',';
        text_.append(json_quoted(key)).append(1, ':').append(json);
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
        if (!json.empty()) text_.append(empty() ? "" : ",").append(json);
        return *this;
    }
    bool empty() const { return text_.size() == 1; }
    /// The whole object; this one is used up.
    std::string done() { return std::move(text_ += '}'); }

  private:
    std::string text_ = "{";
};

/// A JSON array under construction, item after item.
class Array {
  public:
    /// The text to append the next item to.
    std::string& item() {
        text_ += count_++ == 0 ? '[' : ',';
        return text_;
    }
    int count() const { return count_; }
    /// Empty without items.
    std::string done() { return count_ == 0 ? std::string() : std::move(text_ += ']'); }

  private:
    std::string text_;
    int count_ = 0;
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
        if (bin_size_ > 0) {
            std::vector<std::uint8_t> bin;
            bin.reserve(bin_size_);
            append_parts(bin);
            files_.insert(files_.begin() + 1, {name_ + ".bin", std::move(bin)});
        }
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
        top.raw("accessors", accessors_.done());
        top.raw("bufferViews", views_.done());
        if (bin_size_ > 0) {
            Object buffer;
            if (!options_.binary) buffer.text("uri", uri_of(name_ + ".bin"));
            top.raw("buffers",
                    "[" + buffer.raw("byteLength", std::to_string(bin_size_)).done() + "]");
        }
        return top.done();
    }

    // ---- the binary chunk
    /// A view of bytes that stay where they are until the file is put together.
    int add_view(std::span<const std::uint8_t> bytes, int target, std::size_t stride = 0) {
        bin_size_ = (bin_size_ + 3) / 4 * 4;
        auto out = std::back_inserter(views_.item());
        fmt::format_to(out, FMT_COMPILE("{{\"buffer\":0,\"byteOffset\":{},\"byteLength\":{}"),
                       bin_size_, bytes.size());
        if (target != 0) fmt::format_to(out, ",\"target\":{}", target);
        if (stride != 0) fmt::format_to(out, ",\"byteStride\":{}", stride);
        *out = '}';
        parts_.push_back({bin_size_, bytes});
        bin_size_ += bytes.size();
        return views_.count() - 1;
    }

    /// The same for numbers that are kept here until then.
    template <class T>
    int add_view(const std::vector<T>& values, int target, std::size_t stride = 0) {
        const auto* from = reinterpret_cast<const std::uint8_t*>(values.data());
        kept_.emplace_back(from, from + values.size() * sizeof(T));
        return add_view(std::span<const std::uint8_t>(kept_.back()), target, stride);
    }

    int add_accessor(int view, std::size_t count, int component, std::string_view type,
                     const std::string& more = {}) {
        auto out = std::back_inserter(accessors_.item());
        *out = '{';
        if (view != kNone) fmt::format_to(out, FMT_COMPILE("\"bufferView\":{},"), view);
        fmt::format_to(out, FMT_COMPILE("\"componentType\":{},\"count\":{},\"type\":\"{}\""),
                       component, count, type);
        if (!more.empty()) fmt::format_to(out, ",{}", more);
        *out = '}';
        return accessors_.count() - 1;
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
        return add_accessor(add_view(flat, kArrayBuffer), values.size(), kFloat,
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
                    add_accessor(add_view(m, 0), skin.joints.size(), kFloat, "MAT4"));
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
        const int view = add_view(padded, kArrayBuffer, stride != element ? stride : 0);
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
                    add_accessor(add_view(joints, kArrayBuffer), vertices, kU16, "VEC4"));
            o.index(fmt::format("WEIGHTS_{}", set),
                    add_accessor(add_view(weights, kArrayBuffer), vertices, kFloat, "VEC4"));
        }
        return o.done();
    }

    int add_indices(const Primitive& p) {
        if (p.indices.empty()) return kNone;
        if (p.positions.size() > 65534)
            return add_accessor(add_view(p.indices, kElementBuffer), p.indices.size(), kU32,
                                "SCALAR");
        const std::vector<std::uint16_t> small(p.indices.begin(), p.indices.end());
        return add_accessor(add_view(small, kElementBuffer), small.size(), kU16, "SCALAR");
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
                files_.push_back({file, {image.bytes.begin(), image.bytes.end()}});
                o.text("uri", uri_of(file));
            } else
                o.index("bufferView", add_view(std::span<const std::uint8_t>(image.bytes), 0))
                    .text("mimeType", image.mime);
            out.push_back(o.raw("extensions", image.extensions).raw("extras", image.extras).done());
        }
        return list(out);
    }

    // ---- animations
    int add_curve(const KeyValues& values, std::string_view type, std::size_t width) {
        const auto singles = values.singles();
        const int view =
            singles.empty()
                ? add_view(std::vector<float>(values.doubles().begin(), values.doubles().end()), 0)
                : add_view(
                      {reinterpret_cast<const std::uint8_t*>(singles.data()), singles.size_bytes()},
                      0);
        return add_accessor(view, values.size() / width, kFloat, type);
    }
    int add_times(const KeyTimes& times) {
        const auto [seen, unseen] = shared_times_.try_emplace(times.identity(), kNone);
        if (!unseen) return seen->second;
        const auto [slot, fresh] = times_.emplace(times.list(), kNone);
        if (fresh) {
            const std::vector<float> single(times.begin(), times.end());
            slot->second = add_accessor(add_view(single, 0), single.size(), kFloat, "SCALAR",
                                        extent(single, 1));
        }
        return seen->second = slot->second;
    }

    void add_sampler(const Curve& curve, Path path, Array& samplers) {
        const int input = add_times(curve.times);
        const int output = path == Path::kWeights    ? add_curve(curve.values, "SCALAR", 1)
                           : path == Path::kRotation ? add_curve(curve.values, "VEC4", 4)
                                                     : add_curve(curve.values, "VEC3", 3);
        auto out = std::back_inserter(samplers.item());
        fmt::format_to(out, FMT_COMPILE("{{\"input\":{},\"output\":{}"), input, output);
        if (curve.interpolation == Interpolation::kStep)
            fmt::format_to(out, ",\"interpolation\":\"STEP\"");
        if (curve.interpolation == Interpolation::kCubicSpline)
            fmt::format_to(out, ",\"interpolation\":\"CUBICSPLINE\"");
        *out = '}';
    }

    std::string animation(const Timeline& timeline) {
        Array channels, samplers;
        std::vector<std::string> morphs;
        for (const Channel& c : timeline.channels) {
            fmt::format_to(
                std::back_inserter(channels.item()),
                FMT_COMPILE("{{\"sampler\":{},\"target\":{{\"node\":{},\"path\":\"{}\"}}}}"),
                samplers.count(), c.node, name(c.path));
            add_sampler(c.curve, c.path, samplers);
        }
        for (const MorphCurve& morph : timeline.morphs) {
            std::vector<std::string> targets;
            for (const std::string& t : morph.targets) targets.push_back(json_quoted(t));
            morphs.push_back(Object()
                                 .text("mesh", morph.mesh)
                                 .raw("targets", list(targets))
                                 .index("sampler", samplers.count())
                                 .done());
            add_sampler(morph.curve, Path::kWeights, samplers);
        }
        std::vector<std::string> scalars;
        for (const ScalarCurve& scalar : timeline.scalars) {
            scalars.push_back(Object()
                                  .text("name", scalar.name)
                                  .text("unit", scalar.unit)
                                  .index("sampler", samplers.count())
                                  .done());
            add_sampler(scalar.curve, Path::kWeights, samplers);
        }
        std::string extras = timeline.extras;
        const auto add_list = [&](const char* key, const std::vector<std::string>& items) {
            if (items.empty()) return;
            const bool more = extras.size() > 2 && extras.back() == '}';
            extras = (more ? extras.substr(0, extras.size() - 1) + "," : "{") +
                     fmt::format("\"{}\":{}}}", key, list(items));
        };
        add_list("morph_weights", morphs);
        add_list("scalars", scalars);
        return Object()
            .text("name", timeline.name)
            .raw("channels", channels.done())
            .raw("samplers", samplers.done())
            .raw("extensions", timeline.extensions)
            .raw("extras", extras)
            .done();
    }

    std::string animations() {
        std::vector<std::string> out;
        for (const Timeline& timeline : scene_.timelines) out.push_back(animation(timeline));
        return list(out);
    }

    /// All parts of the binary chunk, each at its offset behind what is in `out` already.
    void append_parts(std::vector<std::uint8_t>& out) const {
        const std::size_t start = out.size();
        for (const Part& part : parts_) {
            out.resize(start + part.offset);
            out.insert(out.end(), part.bytes.begin(), part.bytes.end());
        }
    }

    std::vector<std::uint8_t> container(std::string json) {
        json.resize((json.size() + 3) / 4 * 4, ' ');
        const std::size_t bin = (bin_size_ + 3) / 4 * 4;
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
        append_parts(out);
        out.resize((out.size() + 3) / 4 * 4);
        return out;
    }

    const Scene& scene_;
    std::string name_;
    GltfOptions options_;
    std::vector<WrittenFile> files_;
    struct Part {
        std::size_t offset;
        std::span<const std::uint8_t> bytes;
    };
    std::vector<Part> parts_;
    std::deque<std::vector<std::uint8_t>> kept_;
    std::size_t bin_size_ = 0;
    Array accessors_, views_;
    std::map<std::vector<double>, int> times_;
    std::map<const void*, int> shared_times_;
};

}  // namespace

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
