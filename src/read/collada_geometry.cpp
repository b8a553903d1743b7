// A COLLADA <mesh> as triangles: polygons are cut, and the separate index lists of positions,
// normals and the rest become one list of vertices.
#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <map>

#include "math/triangulate.h"
#include "read/collada_build.h"

namespace mellow {
namespace {

constexpr std::size_t kMostCorners = 512;  // cutting takes the square of it at least

struct Input {
    std::string semantic;
    std::size_t offset = 0;
    int set = 0;
    ColladaArray data;
};

/// Corners of one polygon: outline, then holes. Each corner is its tuple of indices.
using Tuple = std::vector<std::int64_t>;
using Polygon = std::vector<std::vector<Tuple>>;

std::vector<std::uint8_t> packed(const std::vector<float>& values) {
    std::vector<std::uint8_t> bytes(values.size() * sizeof(float));
    if (!values.empty()) std::memcpy(bytes.data(), values.data(), bytes.size());
    return bytes;
}

class MeshReader {
  public:
    MeshReader(ColladaDocument& doc, pugi::xml_node mesh) : doc_(doc), mesh_(mesh) {}

    ColladaGeometry run() {
        for (const pugi::xml_node part : children(mesh_)) {
            const std::string_view kind = local_name(part);
            if (doc_.failed()) break;
            if (kind == "lines" || kind == "linestrips")
                doc_.note(Code::kLeftOut, Severity::kNote, part, "lines", "surfaces",
                          "lines are not carried");
            else if (kind == "triangles" || kind == "polylist" || kind == "polygons" ||
                     kind == "trifans" || kind == "tristrips")
                add_part(part, kind);
        }
        return std::move(out_);
    }

  private:
    void add_part(pugi::xml_node part, std::string_view kind) {
        if (!read_inputs(part)) return;
        if (out_.positions.count == 0) return;
        std::vector<Polygon> polygons = read_polygons(part, kind);
        if (doc_.failed() || polygons.empty()) return;
        check_indices(part, polygons);
        if (doc_.failed()) return;
        // Vertices in the order of the file's places: what is written and read again keeps its
        // order.
        std::map<Tuple, std::uint32_t> known;
        for (const Polygon& polygon : polygons)
            for (const auto& ring : polygon)
                for (const Tuple& corner : ring) known.emplace(corner, 0);
        std::vector<Tuple> vertices;
        for (auto& [tuple, index] : known) {
            index = static_cast<std::uint32_t>(vertices.size());
            vertices.push_back(tuple);
        }
        Primitive primitive;
        for (const Polygon& polygon : polygons) {
            std::vector<std::uint32_t> corners;
            std::vector<std::vector<Vec3>> rings;
            for (const auto& ring : polygon) {
                rings.emplace_back();
                for (const Tuple& corner : ring) {
                    corners.push_back(known.at(corner));
                    rings.back().push_back(position(corner));
                }
            }
            for (const std::uint32_t c : triangulate(rings))
                primitive.indices.push_back(corners[c]);
        }
        fill(primitive, vertices);
        out_.primitives.push_back(std::move(primitive));
        out_.symbols.emplace_back(part.attribute("material").value());
    }

    /// False when the part has no positions: nothing to draw.
    bool read_inputs(pugi::xml_node part) {
        inputs_.clear();
        stride_ = 1;
        place_ = normal_ = kNone;
        for (const pugi::xml_node xml : children(part, "input")) {
            Input input;
            input.semantic = xml.attribute("semantic").value();
            input.offset = xml.attribute("offset").as_uint(0);
            input.set = xml.attribute("set").as_int(0);
            if (input.offset > 64 || input.set < 0 || input.set > 64) {
                doc_.fail(Code::kColladaBroken, xml, "an offset or set above 64", "64 at most");
                return false;
            }
            stride_ = std::max(stride_, input.offset + 1);
            const pugi::xml_node source = doc_.target(xml.attribute("source").value(), "", xml);
            if (input.semantic == "VERTEX") {
                for (const pugi::xml_node inner : children(source, "input")) {
                    const pugi::xml_node array =
                        doc_.target(inner.attribute("source").value(), "source", inner);
                    if (array)
                        add_input({inner.attribute("semantic").value(), input.offset, 0, {}},
                                  array);
                }
            } else if (source) {
                add_input(std::move(input), source);
            }
            if (doc_.failed()) return false;
        }
        if (place_ == kNone)
            doc_.note(Code::kLeftOut, Severity::kWarning, part, "a part without positions",
                      "a VERTEX input whose vertices have a POSITION", "it was left out");
        return place_ != kNone;
    }

    void add_input(Input input, pugi::xml_node source) {
        const std::string& s = input.semantic;
        if (s != "POSITION" && s != "NORMAL" && s != "TEXCOORD" && s != "COLOR") return;
        input.data = doc_.array(source);
        if (doc_.failed()) return;
        const std::size_t least = s == "TEXCOORD" ? 2 : 3;
        if (input.data.count > 0 && input.data.width < least)
            return doc_.fail(Code::kColladaBroken, source,
                             fmt::format("{} numbers per element", input.data.width),
                             fmt::format("{} at least for a {}", least, s));
        const int index = static_cast<int>(inputs_.size());
        if (s == "POSITION" && place_ == kNone) {
            place_ = index;
            out_.positions = input.data;
        }
        if (s == "NORMAL" && normal_ == kNone) normal_ = index;
        inputs_.push_back(std::move(input));
    }

    std::vector<Polygon> read_polygons(pugi::xml_node part, std::string_view kind) {
        std::vector<Polygon> out;
        const auto lists = children(part, "p");
        if (kind == "polygons") {
            for (const pugi::xml_node p : lists) out.push_back({corners(p)});
            for (const pugi::xml_node ph : children(part, "ph")) {
                Polygon polygon{corners(child(ph, "p"))};
                for (const pugi::xml_node h : children(ph, "h")) polygon.push_back(corners(h));
                out.push_back(std::move(polygon));
            }
        } else if (kind == "polylist") {
            const std::vector<std::int64_t> counts = doc_.whole_numbers(child(part, "vcount"));
            const std::vector<Tuple> all = lists.empty() ? std::vector<Tuple>{} : corners(lists[0]);
            std::size_t at = 0;
            for (const std::int64_t count : counts) {
                if (count < 0 || static_cast<std::size_t>(count) > all.size() - at) {
                    doc_.fail(
                        Code::kColladaBroken, part,
                        fmt::format("a polygon of {} corners with {} left", count, all.size() - at),
                        "as many corners in <p> as <vcount> says");
                    return {};
                }
                const auto from = all.begin() + static_cast<std::ptrdiff_t>(at);
                out.push_back({{from, from + count}});
                at += static_cast<std::size_t>(count);
            }
        } else {
            for (const pugi::xml_node p : lists) {
                const std::vector<Tuple> all = corners(p);
                const bool strip = kind == "tristrips", fan = kind == "trifans";
                for (std::size_t i = 2; i < all.size(); i += strip || fan ? 1 : 3)
                    out.push_back({{all[fan ? 0 : i - (strip && i % 2 == 1 ? 1 : 2)],
                                    all[i - (strip && i % 2 == 1 ? 2 : 1)], all[i]}});
            }
        }
        const std::size_t before = out.size();
        std::erase_if(out, [](const Polygon& p) { return p.empty() || p[0].size() < 3; });
        if (out.size() < before)
            doc_.note(Code::kLeftOut, Severity::kNote, part,
                      fmt::format("{} polygons of fewer than three corners", before - out.size()),
                      "three corners or more", "they have no surface");
        for (const Polygon& polygon : out)
            for (const auto& ring : polygon)
                if (ring.size() > kMostCorners)
                    doc_.fail(Code::kLimit, part,
                              fmt::format("a polygon of {} corners", ring.size()),
                              fmt::format("{} at most", kMostCorners),
                              "cut it into smaller ones in the source");
        return out;
    }

    /// Tuples of indices, one index per input.
    std::vector<Tuple> corners(pugi::xml_node p) {
        const std::vector<std::int64_t> all = doc_.whole_numbers(p);
        if (!doc_.failed() && all.size() % stride_ != 0)
            doc_.fail(Code::kColladaBroken, p, fmt::format("{} indices", all.size()),
                      fmt::format("a multiple of {}, one per input", stride_));
        std::vector<Tuple> out;
        for (std::size_t i = 0; i + stride_ <= all.size(); i += stride_) {
            Tuple tuple;
            for (const Input& input : inputs_) tuple.push_back(all[i + input.offset]);
            out.push_back(std::move(tuple));
        }
        return out;
    }

    void check_indices(pugi::xml_node part, const std::vector<Polygon>& polygons) {
        for (const Polygon& polygon : polygons)
            for (const auto& ring : polygon)
                for (const Tuple& corner : ring)
                    for (std::size_t i = 0; i < inputs_.size(); ++i)
                        if (corner[i] < 0 ||
                            static_cast<std::size_t>(corner[i]) >= inputs_[i].data.count)
                            return doc_.fail(Code::kColladaReference, part,
                                             fmt::format("{} {} of {}", inputs_[i].semantic,
                                                         corner[i], inputs_[i].data.count),
                                             "indices of elements that exist");
    }

    static const double* element(const ColladaArray& a, std::int64_t index) {
        return &a.values[static_cast<std::size_t>(index) * a.width];
    }
    Vec3 position(const Tuple& corner) const {
        const double* n = element(out_.positions, corner[static_cast<std::size_t>(place_)]);
        return {n[0], n[1], n[2]};
    }

    void fill(Primitive& primitive, const std::vector<Tuple>& vertices) {
        const auto f = [](double v) { return static_cast<float>(v); };
        std::vector<std::uint32_t> origins, normal_origins;
        for (const Tuple& vertex : vertices) {
            const double* n = element(out_.positions, vertex[static_cast<std::size_t>(place_)]);
            primitive.positions.push_back({f(n[0]), f(n[1]), f(n[2])});
            origins.push_back(static_cast<std::uint32_t>(vertex[static_cast<std::size_t>(place_)]));
            if (normal_ == kNone) continue;
            const auto index = vertex[static_cast<std::size_t>(normal_)];
            const double* m = element(inputs_[static_cast<std::size_t>(normal_)].data, index);
            const Vec3 unit = normalized({m[0], m[1], m[2]}, {0, 1, 0});
            primitive.normals.push_back({f(unit.x), f(unit.y), f(unit.z)});
            normal_origins.push_back(static_cast<std::uint32_t>(index));
        }
        int texcoords = 0, colors = 0;
        for (std::size_t i = 0; i < inputs_.size(); ++i) {
            const Input& input = inputs_[i];
            const bool color = input.semantic == "COLOR";
            if (input.semantic != "TEXCOORD" && !color) continue;
            const std::size_t width = color ? std::min<std::size_t>(4, input.data.width) : 2;
            std::vector<float> values;
            for (const Tuple& vertex : vertices)
                for (std::size_t c = 0; c < width; ++c) {
                    const double v = element(input.data, vertex[i])[c];
                    // Texture coordinates run up here, down in glTF.
                    values.push_back(f(!color && c == 1 ? 1 - v : v));
                }
            const int set = color ? colors++ : texcoords++;
            primitive.others.push_back({fmt::format("{}_{}", input.semantic, set),
                                        static_cast<int>(width), Component::kFloat, false,
                                        packed(values)});
        }
        out_.origins.push_back(std::move(origins));
        out_.normal_origins.push_back(std::move(normal_origins));
        out_.normals.push_back(normal_ == kNone ? ColladaArray{}
                                                : inputs_[static_cast<std::size_t>(normal_)].data);
    }

    ColladaDocument& doc_;
    pugi::xml_node mesh_;
    ColladaGeometry out_;
    std::vector<Input> inputs_;
    std::size_t stride_ = 1;
    int place_ = kNone, normal_ = kNone;
};

}  // namespace

ColladaGeometry read_collada_geometry(ColladaDocument& doc, pugi::xml_node geometry) {
    const pugi::xml_node mesh = child(geometry, "mesh");
    if (mesh) return MeshReader(doc, mesh).run();
    doc.note(Code::kLeftOut, Severity::kWarning, geometry, "a geometry that is no <mesh>", "<mesh>",
             "turn splines and convex meshes into polygons in the source");
    return {};
}

}  // namespace mellow
