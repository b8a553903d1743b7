// Tamsin's mesh: tubes around her bones, plain but readable. Body with morph targets, clothes
// apart.
#include <cairo.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <map>
#include <numbers>

#include "orchard.h"

namespace orchard {
namespace {

using mellow::Vec3;

using Weights = std::vector<std::pair<std::string, double>>;

/// A ring of a tube: centre, half width and half depth, and the joints that carry it.
struct Ring {
    Vec3 center;
    double wide, deep;
    Weights weights;
};

enum Paint { kShirt, kTrousers, kBoots, kStraw, kWood, kBasket, kButton, kPaints };
constexpr std::uint32_t kPalette[kPaints] = {0xB4563F, 0x4A5A78, 0x5B4030, 0xD9B968,
                                             0x8A6A45, 0x6E7F3C, 0xEFE6D2};

class MeshBuilder {
  public:
    explicit MeshBuilder(const mellow::Scene& scene) : scene_(scene) {
        const mellow::Skin& skin = scene.skins[0];
        for (std::size_t j = 0; j < skin.joints.size(); ++j)
            joint_[scene.nodes[static_cast<std::size_t>(skin.joints[j])].name.substr(
                kPrefix.size())] = static_cast<std::uint16_t>(j);
    }

    Vec3 at(const std::string& name) const {
        return mellow::rest_worlds(scene_)[static_cast<std::size_t>(node(scene_, name))].o;
    }

    /// A closed tube through the rings. `left` is the direction of their half width.
    void tube(const std::vector<Ring>& rings, Vec3 left, Paint paint, int around = 12) {
        std::vector<std::uint32_t> first;
        for (std::size_t i = 0; i < rings.size(); ++i) {
            const Vec3 along = normalized(
                rings[std::min(i + 1, rings.size() - 1)].center - rings[i == 0 ? 0 : i - 1].center,
                {0, 0, 1});
            const Vec3 x = normalized(left - dot(left, along) * along, {1, 0, 0}),
                       y = cross(along, x);
            first.push_back(static_cast<std::uint32_t>(part_.positions.size()));
            for (int k = 0; k < around; ++k) {
                const double a = 2 * std::numbers::pi * k / around;
                vertex(rings[i].center + x * (rings[i].wide * std::cos(a)) +
                           y * (rings[i].deep * std::sin(a)),
                       rings[i].weights, paint);
            }
        }
        const auto n = static_cast<std::uint32_t>(around);
        for (std::size_t i = 0; i + 1 < rings.size(); ++i)
            for (std::uint32_t k = 0; k < n; ++k) {
                const std::uint32_t a = first[i] + k, b = first[i] + (k + 1) % n,
                                    c = first[i + 1] + k, d = first[i + 1] + (k + 1) % n;
                for (const std::uint32_t v : {a, b, d, a, d, c}) part_.indices.push_back(v);
            }
        cap(first.front(), n, rings.front(), true, paint);
        cap(first.back(), n, rings.back(), false, paint);
    }

    /// Rings along a chain of joints, the weights blending where bones meet. `radius` has one entry
    /// per joint and one for the tip.
    std::vector<Ring> limb(const std::vector<std::string>& chain, Vec3 tip,
                           const std::vector<double>& radius, double flat = 1) const {
        std::vector<Ring> rings;
        for (std::size_t i = 0; i < chain.size(); ++i) {
            const Vec3 a = at(chain[i]), b = i + 1 < chain.size() ? at(chain[i + 1]) : tip;
            for (const double f : {0.0, 0.12, 0.3, 0.5, 0.7, 0.88}) {
                Weights w{{chain[i], 1.0}};
                const double back = i > 0 ? (f == 0      ? 0.5
                                             : f == 0.12 ? 0.2
                                                         : 0)
                                          : 0,
                             on = i + 1 < chain.size() && f == 0.88 ? 0.2 : 0;
                w[0].second = 1 - back - on;
                if (back > 0) w.emplace_back(chain[i - 1], back);
                if (on > 0) w.emplace_back(chain[i + 1], on);
                const double r = radius[i] + f * (radius[i + 1] - radius[i]);
                rings.push_back({a + f * (b - a), r, r * flat, w});
            }
        }
        rings.push_back({tip, radius.back(), radius.back() * flat, {{chain.back(), 1.0}}});
        return rings;
    }

    /// Finishes the part: smooth normals. Flat palette coordinates are there already.
    mellow::Primitive take(int material) {
        std::vector<Vec3> sum(part_.positions.size());
        const auto p = [&](std::uint32_t v) {
            return Vec3{part_.positions[v][0], part_.positions[v][1], part_.positions[v][2]};
        };
        for (std::size_t i = 0; i < part_.indices.size(); i += 3) {
            const std::uint32_t a = part_.indices[i], b = part_.indices[i + 1],
                                c = part_.indices[i + 2];
            const Vec3 n = cross(p(b) - p(a), p(c) - p(a));
            for (const std::uint32_t v : {a, b, c}) sum[v] = sum[v] + n;
        }
        for (const Vec3& s : sum) {
            const Vec3 n = normalized(s, {0, 0, 1});
            part_.normals.push_back(
                {static_cast<float>(n.x), static_cast<float>(n.y), static_cast<float>(n.z)});
        }
        mellow::Attribute uv{"TEXCOORD_0", 2, mellow::Component::kFloat, false,
                             std::vector<std::uint8_t>(uv_.size() * sizeof(float))};
        std::memcpy(uv.bytes.data(), uv_.data(), uv.bytes.size());
        part_.others.push_back(std::move(uv));
        part_.material = material;
        part_.influences_per_vertex = 4;
        return std::move(part_);
    }

  private:
    void vertex(Vec3 p, Weights weights, Paint paint) {
        part_.positions.push_back(
            {static_cast<float>(p.x), static_cast<float>(p.y), static_cast<float>(p.z)});
        weights.resize(4, {"hips", 0.0});
        for (const auto& [name, w] : weights) {
            part_.influence_joints.push_back(w > 0 ? joint_.at(name) : std::uint16_t{0});
            part_.influence_weights.push_back(static_cast<float>(w));
        }
        uv_.push_back((static_cast<float>(paint) + 0.5F) / static_cast<float>(kPaints));
        uv_.push_back(0.5F);
    }

    void cap(std::uint32_t first, std::uint32_t n, const Ring& ring, bool start, Paint paint) {
        const auto center = static_cast<std::uint32_t>(part_.positions.size());
        vertex(ring.center, ring.weights, paint);
        for (std::uint32_t k = 0; k < n; ++k) {
            const std::uint32_t a = first + k, b = first + (k + 1) % n;
            for (const std::uint32_t v : {center, start ? b : a, start ? a : b})
                part_.indices.push_back(v);
        }
    }

    const mellow::Scene& scene_;
    std::map<std::string, std::uint16_t> joint_;
    mellow::Primitive part_;
    std::vector<float> uv_;
};

constexpr Vec3 kLeft{1, 0, 0};
const std::vector<std::pair<std::string, double>> kSides{{".L", 1.0}, {".R", -1.0}};

mellow::Primitive body(const mellow::Scene& scene) {
    MeshBuilder m(scene);
    m.tube({{{0, 1.5, 139}, 5.5, 5.5, {{"chest", 0.6}, {"neck", 0.4}}},
            {{0, 1.3, 145}, 5, 5, {{"neck", 1}}},
            {{0, 0, 151}, 5, 5.5, {{"neck", 0.5}, {"head", 0.5}}}},
           kLeft, kButton);
    std::vector<Ring> head;
    for (int i = 0; i <= 10; ++i) {
        const double z = 148 + 20.5 * i / 10, u = 2.0 * i / 10 - 1;
        const double r = std::sqrt(std::max(0.02, 1 - u * u));
        head.push_back({{0, -1.5 + 0.6 * u, z}, 7.4 * r, 9.2 * r, {{"head", 1}}});
    }
    m.tube(head, kLeft, kButton, 16);
    m.tube({{{0, -8, 160}, 1.6, 1.6, {{"head", 1}}},
            {{0, -12.6, 157.6}, 1.3, 1.2, {{"head", 1}}},
            {{0, -11, 156.4}, 1.5, 0.7, {{"head", 1}}}},
           kLeft, kButton, 8);
    for (const auto& [l, s] : kSides) {
        const Vec3 out{s, 0, 0};
        m.tube(m.limb({"upperarm" + l, "forearm" + l, "hand" + l}, m.at("fingers" + l),
                      {4.6, 4.2, 3.2, 4.0}, 0.85),
               {0, 1, 0}, kButton);
        m.tube(m.limb({"fingers" + l}, {s * 61, -0.5, 85}, {2.6, 1.4}, 0.55), {0, 1, 0}, kButton,
               8);
        m.tube(m.limb({"index" + l}, {s * 60.5, -4.5, 85.5}, {1.3, 0.9}), {0, 1, 0}, kButton, 8);
        m.tube(m.limb({"thumb" + l}, {s * 53.5, -7, 91}, {1.6, 1.0}), out, kButton, 8);
    }
    return m.take(0);
}

mellow::Primitive shirt(const mellow::Scene& scene) {
    MeshBuilder m(scene);
    m.tube({{{0, 0.3, 90}, 15.5, 11, {{"hips", 1}}},
            {{0, 0.3, 97}, 15, 10.5, {{"hips", 0.8}, {"spine", 0.2}}},
            {{0, 0.5, 105}, 13.6, 10, {{"hips", 0.4}, {"spine", 0.6}}},
            {{0, 0.8, 114}, 14, 10.4, {{"spine", 0.7}, {"chest", 0.3}}},
            {{0, 1, 124}, 15.5, 11, {{"spine", 0.15}, {"chest", 0.85}}},
            {{0, 1.2, 133}, 16, 10.4, {{"chest", 1}}},
            {{0, 1.4, 139}, 12.5, 8, {{"chest", 0.8}, {"clavicle.L", 0.1}, {"clavicle.R", 0.1}}},
            {{0, 1.5, 143}, 6.8, 6.2, {{"chest", 0.6}, {"neck", 0.4}}}},
           kLeft, kShirt, 16);
    for (const auto& [l, s] : kSides) {
        std::vector<Ring> sleeve{{m.at("clavicle" + l) + Vec3{s * 6, 0, -1},
                                  6,
                                  6.5,
                                  {{"chest", 0.5}, {"clavicle" + l, 0.5}}},
                                 {m.at("upperarm" + l) + Vec3{s * -1.5, 0, 0.5},
                                  6.6,
                                  6.8,
                                  {{"clavicle" + l, 0.6}, {"upperarm" + l, 0.4}}}};
        for (const double f : {0.12, 0.35, 0.6}) {
            const Vec3 a = m.at("upperarm" + l), b = m.at("forearm" + l);
            sleeve.push_back(
                {a + f * (b - a),
                 6.3 - f,
                 6.1 - f,
                 {{"upperarm" + l, f < 0.2 ? 0.85 : 1.0}, {"clavicle" + l, f < 0.2 ? 0.15 : 0.0}}});
        }
        m.tube(sleeve, {0, 1, 0}, kShirt);
    }
    return m.take(1);
}

mellow::Primitive trousers(const mellow::Scene& scene) {
    MeshBuilder m(scene);
    m.tube({{{0, 0.3, 99}, 14.2, 9.8, {{"hips", 1}}},
            {{0, 0.3, 92}, 15, 10.4, {{"hips", 1}}},
            {{0, 0.3, 85}, 14, 10, {{"hips", 0.7}, {"thigh.L", 0.15}, {"thigh.R", 0.15}}}},
           kLeft, kTrousers, 16);
    for (const auto& [l, s] : kSides) {
        std::vector<Ring> leg =
            m.limb({"thigh" + l, "shin" + l}, m.at("foot" + l) + Vec3{0, 0, 10}, {9, 6.6, 5.4});
        leg.front().weights = {{"hips", 0.5}, {"thigh" + l, 0.5}};
        leg[1].weights = {{"hips", 0.25}, {"thigh" + l, 0.75}};
        m.tube(leg, {s, 0, 0}, kTrousers);
    }
    return m.take(1);
}

mellow::Primitive boots(const mellow::Scene& scene) {
    MeshBuilder m(scene);
    for (const auto& [l, s] : kSides) {
        const Vec3 ankle = m.at("foot" + l);
        m.tube({{ankle + Vec3{0, 0, 17}, 6.2, 6.4, {{"shin" + l, 1}}},
                {ankle + Vec3{0, 0, 8}, 5.6, 5.8, {{"shin" + l, 1}}},
                {ankle + Vec3{0, 0.3, 0}, 5.2, 6, {{"shin" + l, 0.4}, {"foot" + l, 0.6}}},
                {ankle + Vec3{0, -0.5, -8.6}, 5, 7.4, {{"foot" + l, 1}}}},
               {s, 0, 0}, kBoots);
        m.tube(
            {{ankle + Vec3{0, 5, -5.5}, 4, 3.4, {{"foot" + l, 1}}},
             {ankle + Vec3{0, -2, -4.6}, 4.8, 4.4, {{"foot" + l, 1}}},
             {m.at("toe" + l) + Vec3{0, 1, 1.2}, 5.2, 3.7, {{"foot" + l, 0.6}, {"toe" + l, 0.4}}},
             {m.at("toe" + l) + Vec3{0, -5, 0.7}, 5, 3.2, {{"toe" + l, 1}}},
             {m.at("toe_end" + l) + Vec3{0, 1, 0.2}, 3.4, 2.2, {{"toe" + l, 1}}}},
            {s, 0, 0}, kBoots);
    }
    return m.take(1);
}

mellow::Primitive hat(const mellow::Scene& scene) {
    MeshBuilder m(scene);
    const Weights head{{"head", 1}};
    m.tube({{{0, -1, 164.5}, 17, 19, head},
            {{0, -1, 165.5}, 16.6, 18.6, head},
            {{0, -0.8, 166}, 8.6, 10.4, head},
            {{0, -0.6, 167.6}, 7.6, 9, head},
            {{0, -0.4, 168.9}, 5, 6, head}},
           kLeft, kStraw, 20);
    return m.take(1);
}

mellow::Primitive picking_pole(const mellow::Scene& scene) {
    MeshBuilder m(scene);
    const Vec3 grip = m.at("pole");
    const Weights pole{{"pole", 1}};
    m.tube({{grip + Vec3{0, 0, -92}, 1.5, 1.5, pole},
            {grip + Vec3{0, 0, 0}, 1.5, 1.5, pole},
            {grip + Vec3{0, 0, 56}, 1.2, 1.2, pole}},
           kLeft, kWood, 8);
    m.tube({{grip + Vec3{0, 0, 54}, 2, 2, pole},
            {grip + Vec3{0, 0, 58}, 7, 7, pole},
            {grip + Vec3{0, 0, 68}, 8.5, 8.5, pole},
            {grip + Vec3{0, 0, 68.5}, 7.5, 7.5, pole},
            {grip + Vec3{0, 0, 60}, 6, 6, pole}},
           kLeft, kBasket, 12);
    return m.take(1);
}

/// A morph target whose delta of each vertex is `delta(place)`.
template <class Delta>
mellow::MorphTarget morph(const mellow::Primitive& p, Delta delta) {
    mellow::MorphTarget target;
    for (const auto& v : p.positions) {
        const Vec3 d = delta(Vec3{v[0], v[1], v[2]});
        target.positions.push_back(
            {static_cast<float>(d.x), static_cast<float>(d.y), static_cast<float>(d.z)});
    }
    return target;
}

/// 1 at the centre, 0 from `radius` on, smooth between.
double falloff(Vec3 p, Vec3 center, double radius) {
    const double u = std::min(1.0, length(p - center) / radius);
    return (1 - u) * (1 - u) * (1 + 2 * u);
}

std::vector<std::uint8_t> palette_png() {
    cairo_surface_t* surface = cairo_image_surface_create(CAIRO_FORMAT_RGB24, kPaints, 1);
    std::memcpy(cairo_image_surface_get_data(surface), kPalette, sizeof(kPalette));
    cairo_surface_mark_dirty(surface);
    std::vector<std::uint8_t> png;
    const auto append = [](void* into, const unsigned char* from, unsigned int length) {
        auto* out = static_cast<std::vector<std::uint8_t>*>(into);
        out->insert(out->end(), from, from + length);
        return CAIRO_STATUS_SUCCESS;
    };
    cairo_surface_write_to_png_stream(surface, append, &png);
    cairo_surface_destroy(surface);
    return png;
}

void add_mesh(mellow::Scene& scene, const std::string& name, mellow::Primitive primitive,
              std::vector<std::string> targets = {}) {
    mellow::Node n;
    n.name = kPrefix + name;
    n.mesh = static_cast<int>(scene.meshes.size());
    n.skin = 0;
    scene.roots.push_back(static_cast<int>(scene.nodes.size()));
    scene.nodes.push_back(n);
    mellow::Mesh mesh;
    mesh.name = n.name;
    mesh.target_names = std::move(targets);
    mesh.primitives.push_back(std::move(primitive));
    scene.meshes.push_back(std::move(mesh));
}

}  // namespace

void add_body(mellow::Scene& scene) {
    const std::vector<std::uint8_t> png = palette_png();
    scene.images.push_back({kPrefix + "palette", "image/png", {png.begin(), png.end()}, "", ""});
    scene.samplers = R"([{"magFilter":9728,"minFilter":9728}])";
    scene.textures = R"([{"sampler":0,"source":0}])";
    scene.materials.push_back(
        {kPrefix + "skin",
         {0.82F, 0.62F, 0.48F, 1},
         mellow::kNone,
         R"({"pbrMetallicRoughness":{"baseColorFactor":[0.82,0.62,0.48,1],"metallicFactor":0,"roughnessFactor":0.7}})"});
    scene.materials.push_back(
        {kPrefix + "cloth",
         {1, 1, 1, 1},
         0,
         R"({"pbrMetallicRoughness":{"baseColorTexture":{"index":0},"metallicFactor":0,"roughnessFactor":0.95},"extras":{"weave":"linen"}})"});
    mellow::Primitive skin = body(scene);
    skin.targets.push_back(
        morph(skin, [](Vec3 p) {  // smile: the corners of the mouth go out and up
            const double l = falloff(p, {4, -9, 153}, 5), r = falloff(p, {-4, -9, 153}, 5);
            return Vec3{1.6 * (l - r), -0.3 * (l + r), 1.4 * (l + r)};
        }));
    skin.targets.push_back(morph(skin, [](Vec3 p) {  // blink: the brow comes down
        return Vec3{0, -0.2, -1.3} *
               (falloff(p, {3.5, -9.5, 162}, 4) + falloff(p, {-3.5, -9.5, 162}, 4));
    }));
    for (const auto& [l, s] : kSides) {
        const Vec3 elbow{s * 35, 2.5, 116};
        skin.targets.push_back(morph(skin, [&, side = s](Vec3 p) {
            return Vec3{side * 0.5, 1.8, -0.6} * falloff(p, elbow, 9);
        }));
    }
    add_mesh(scene, "body", std::move(skin), {"smile", "blink", "elbow.L", "elbow.R"});
    add_mesh(scene, "shirt", shirt(scene));
    add_mesh(scene, "trousers", trousers(scene));
    add_mesh(scene, "boots", boots(scene));
    add_mesh(scene, "hat", hat(scene));
    add_mesh(scene, "picking_pole", picking_pole(scene));
}

}  // namespace orchard
