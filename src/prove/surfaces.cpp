#include "prove/surfaces.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <set>

#include "base/at.h"
#include "math/degrees.h"

namespace mellow {
namespace {

/// Below these two surfaces look the same.
constexpr double kNormal_degrees = 0.5, kAttribute = 1e-3;

Vec3 as_vec(const Float3& v) { return {v[0], v[1], v[2]}; }

double worst_normal(const Primitive& a, const Primitive& b) {
    double worst = 0;
    for (std::size_t v = 0; v < std::min(a.normals.size(), b.normals.size()); ++v) {
        const Vec3 x = normalized(as_vec(a.normals[v]), {}),
                   y = normalized(as_vec(b.normals[v]), {});
        worst = std::max(worst, std::atan2(length(cross(x, y)), dot(x, y)) * kDegrees);
    }
    return worst;
}

/// The numbers of an attribute, as they count.
std::vector<double> numbers_of(const Attribute& a) {
    std::vector<double> out;
    const auto read = [&]<class T>(T, double most) {
        for (std::size_t i = 0; i + sizeof(T) <= a.bytes.size(); i += sizeof(T)) {
            T v;
            std::memcpy(&v, &a.bytes[i], sizeof v);
            out.push_back(a.normalized ? static_cast<double>(v) / most : static_cast<double>(v));
        }
    };
    switch (a.component) {
        case Component::kInt8:
            read(std::int8_t{}, 127);
            break;
        case Component::kUint8:
            read(std::uint8_t{}, 255);
            break;
        case Component::kInt16:
            read(std::int16_t{}, 32767);
            break;
        case Component::kUint16:
            read(std::uint16_t{}, 65535);
            break;
        case Component::kUint32:
            read(std::uint32_t{}, 4294967295.0);
            break;
        case Component::kFloat:
            read(float{}, 1);
            break;
    }
    return out;
}

const Attribute* attribute(const Primitive& p, const std::string& semantic) {
    const auto found = std::find_if(p.others.begin(), p.others.end(),
                                    [&](const Attribute& a) { return a.semantic == semantic; });
    return found == p.others.end() ? nullptr : &*found;
}

/// A triangle with its lowest corner first: equal where it faces the same way.
using Corners = std::array<std::uint32_t, 3>;
std::multiset<Corners> corners_of(const Primitive& p) {
    std::multiset<Corners> out;
    const std::vector<std::uint32_t> list = triangles_of(p);
    for (std::size_t i = 0; i + 2 < list.size(); i += 3) {
        Corners c{list[i], list[i + 1], list[i + 2]};
        std::rotate(c.begin(), std::min_element(c.begin(), c.end()), c.end());
        out.insert(c);
    }
    return out;
}

class Surfaces {
  public:
    Surfaces(const Scene& a, const Scene& b) : a_(a), b_(b) {}

    void part(const Primitive& x, const Primitive& y) {
        if (x.normals.empty() != y.normals.empty())
            say(x.normals.empty() ? "normals only in the second" : "normals only in the first");
        normal_ = std::max(normal_, worst_normal(x, y));
        for (const Attribute& own : x.others) attribute_of(own, attribute(y, own.semantic));
        for (const Attribute& other : y.others)
            if (attribute(x, other.semantic) == nullptr)
                say(other.semantic + " only in the second");
        triangles(corners_of(x), corners_of(y));
        material(x.material, y.material);
    }

    std::vector<std::string> take() {
        if (normal_ > kNormal_degrees) say(fmt::format("normals by up to {:.1f} degrees", normal_));
        return std::move(out_);
    }

  private:
    void say(std::string what) {
        if (std::find(out_.begin(), out_.end(), what) == out_.end())
            out_.push_back(std::move(what));
    }

    void attribute_of(const Attribute& own, const Attribute* other) {
        if (other == nullptr) return say(own.semantic + " only in the first");
        const std::vector<double> x = numbers_of(own), y = numbers_of(*other);
        if (x.size() != y.size())
            return say(fmt::format("{}: {} numbers, then {}", own.semantic, x.size(), y.size()));
        double worst = 0;
        for (std::size_t i = 0; i < x.size(); ++i) worst = std::max(worst, std::abs(x[i] - y[i]));
        if (worst > kAttribute) say(fmt::format("{} by up to {:.3g}", own.semantic, worst));
    }

    void triangles(const std::multiset<Corners>& x, const std::multiset<Corners>& y) {
        if (x == y) return;
        std::multiset<Corners> turned;
        for (const Corners& c : y) turned.insert({c[0], c[2], c[1]});
        say(x == turned            ? std::string("triangles turned over")
            : x.size() == y.size() ? std::string("triangles between other corners")
                                   : fmt::format("triangles: {}, then {}", x.size(), y.size()));
    }

    void material(int x, int y) {
        if ((x == kNone) != (y == kNone))
            return say(x == kNone ? "a material only in the second"
                                  : "a material only in the first");
        if (x == kNone) return;
        const Material &p = a_.materials[at(x)], &q = b_.materials[at(y)];
        if (p.name != q.name) say(fmt::format("material \"{}\", then \"{}\"", p.name, q.name));
        double worst = 0;
        for (std::size_t c = 0; c < 4; ++c)
            worst = std::max(worst, std::abs(static_cast<double>(p.base_color[c]) -
                                             static_cast<double>(q.base_color[c])));
        if (worst > kAttribute) say(fmt::format("colour of \"{}\" by up to {:.3g}", p.name, worst));
        const auto bytes = [](const Scene& s, int image) {
            return image == kNone ? Bytes{} : s.images[at(image)].bytes;
        };
        if (bytes(a_, p.base_image) != bytes(b_, q.base_image))
            say(fmt::format("picture of \"{}\"", p.name));
    }

    const Scene &a_, &b_;
    double normal_ = 0;
    std::vector<std::string> out_;
};

}  // namespace

std::vector<std::string> surface_differences(const Scene& a, const Mesh& first, const Scene& b,
                                             const Mesh& second) {
    Surfaces surfaces(a, b);
    for (std::size_t p = 0; p < std::min(first.primitives.size(), second.primitives.size()); ++p)
        surfaces.part(first.primitives[p], second.primitives[p]);
    return surfaces.take();
}

}  // namespace mellow
