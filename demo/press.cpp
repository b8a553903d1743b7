// The cider press: rigid parts, keyed on their own nodes, on helpers above them, or not at all.
//
// Authored below a node scaled by 0.01, in centimetres, as such files often are: +Y up, facing +Z.
// 24 frames a second: 0..48 a cart brings apples and they drop in, 48..120 the screw comes down and
// juice runs, 120..144 it goes up again.
#include <algorithm>
#include <cmath>
#include <cstring>
#include <functional>
#include <numbers>

#include "mellow/write.h"
#include "orchard.h"

namespace orchard {
namespace {

using mellow::Float3;
using mellow::Quat;
using mellow::Vec3;

constexpr double kTau = 2 * std::numbers::pi;
constexpr int kLast = 144;

enum Stuff { kOak, kIron, kApple, kJuice, kStuffs };
constexpr Float3 kColors[kStuffs] = {
    {0.42F, 0.27F, 0.14F}, {0.30F, 0.31F, 0.34F}, {0.72F, 0.13F, 0.10F}, {0.86F, 0.62F, 0.20F}};

/// A closed prism around +Y with flat sides, from `bottom` to `top`: four sides make a box.
mellow::Mesh prism(int sides, double wide, double deep, double bottom, double top, Stuff paint) {
    mellow::Primitive part;
    part.material = paint;
    const auto corner = [&](int k, double y) {
        const double a = kTau * (k + 0.5) / sides, grow = 1 / std::cos(kTau / (2.0 * sides));
        return Vec3{wide * grow * std::cos(a), y, deep * grow * std::sin(a)};
    };
    const auto face = [&](std::initializer_list<Vec3> points) {
        const auto first = static_cast<std::uint32_t>(part.positions.size());
        const Vec3* p = points.begin();
        const Vec3 n = normalized(cross(p[1] - p[0], p[2] - p[0]), {0, 1, 0});
        for (const Vec3& v : points) {
            part.positions.push_back(
                {static_cast<float>(v.x), static_cast<float>(v.y), static_cast<float>(v.z)});
            part.normals.push_back(
                {static_cast<float>(n.x), static_cast<float>(n.y), static_cast<float>(n.z)});
        }
        for (std::uint32_t k = 2; k < points.size(); ++k)
            for (const std::uint32_t v : {0U, k - 1, k}) part.indices.push_back(first + v);
    };
    for (int k = 0; k < sides; ++k) {
        face({corner(k, bottom), corner(k, top), corner(k + 1, top), corner(k + 1, bottom)});
        face({Vec3{0, top, 0}, corner(k + 1, top), corner(k, top)});
        face({Vec3{0, bottom, 0}, corner(k, bottom), corner(k + 1, bottom)});
    }
    mellow::Mesh mesh;
    mesh.primitives.push_back(std::move(part));
    return mesh;
}

double ramp(double frame, double from, double to) {
    const double u = std::clamp((frame - from) / (to - from), 0.0, 1.0);
    return u * u * (3 - 2 * u);
}
Quat about(Vec3 axis, double turn) { return mellow::from_axis_angle(axis, turn); }

class Press {
  public:
    mellow::Scene take() {
        scene_.name = "orchard yard";
        scene_.rate = {24, 1};
        scene_.rate_known = true;
        scene_.copyright = "Made up for the Mellow Crate demo, MIT";
        static const char* const kNames[kStuffs] = {"oak", "iron", "apple", "juice"};
        for (int p = 0; p < kStuffs; ++p) {
            mellow::Material material;
            material.name = kNames[p];
            const Float3& c = kColors[p];
            material.base_color = {c[0], c[1], c[2], 1};
            material.json = "{\"pbrMetallicRoughness\":{\"baseColorFactor\":[" +
                            std::to_string(c[0]) + "," + std::to_string(c[1]) + "," +
                            std::to_string(c[2]) + ",1],\"metallicFactor\":0}}";
            scene_.materials.push_back(std::move(material));
        }
        scene_.timelines.emplace_back();
        scene_.timelines[0].name = "pressing";
        const int yard = add("yard", mellow::kNone, {});
        scene_.nodes[0].local.s = {0.01, 0.01, 0.01};
        frame(yard);
        screw(yard);
        basket(yard);
        apples(yard);
        juice(yard);
        cart(yard);
        camera();
        return std::move(scene_);
    }

  private:
    int add(const std::string& name, int parent, Vec3 place, Quat turn = {}) {
        mellow::Node n;
        n.name = name;
        n.parent = parent;
        n.local.t = place;
        n.local.r = turn;
        if (parent == mellow::kNone) scene_.roots.push_back(static_cast<int>(scene_.nodes.size()));
        scene_.nodes.push_back(std::move(n));
        return static_cast<int>(scene_.nodes.size()) - 1;
    }
    int part(const std::string& name, int parent, Vec3 place, mellow::Mesh mesh, Quat turn = {}) {
        const int n = add(name, parent, place, turn);
        mesh.name = name;
        scene_.nodes.back().mesh = static_cast<int>(scene_.meshes.size());
        scene_.meshes.push_back(std::move(mesh));
        return n;
    }
    void key(int node, mellow::Path path, int every,
             const std::function<std::vector<double>(double)>& value) {
        mellow::Curve curve;
        curve.width = path == mellow::Path::kRotation ? 4 : 3;
        for (int f = 0; f <= kLast; f += every) {
            curve.times.push_back(f / 24.0);
            const std::vector<double> v = value(f);
            curve.values.append(v.begin(), v.end());
        }
        scene_.timelines[0].channels.push_back({node, path, std::move(curve)});
    }
    void key_place(int node, const std::function<Vec3(double)>& at) {
        key(node, mellow::Path::kTranslation, 2, [&](double f) {
            const Vec3 v = at(f);
            return std::vector<double>{v.x, v.y, v.z};
        });
    }
    void key_turn(int node, const std::function<Quat(double)>& at) {
        key(node, mellow::Path::kRotation, 2, [&](double f) {
            const Quat q = at(f);
            return std::vector<double>{q.x, q.y, q.z, q.w};
        });
    }
    /// Keys a size, which is also the size at rest: what has not appeared yet rests at zero.
    void key_size(int node, const std::function<Vec3(double)>& at) {
        key(node, mellow::Path::kScale, 1, [&](double f) {
            const Vec3 v = at(f);
            return std::vector<double>{v.x, v.y, v.z};
        });
        scene_.nodes[static_cast<std::size_t>(node)].local.s = at(0);
    }

    /// Six parts that never move.
    void frame(int yard) {
        part("base", yard, {0, 12, 0}, prism(4, 55, 45, 0, 8, kOak));
        for (const double s : {-1.0, 1.0}) {
            const std::string side = s > 0 ? ".L" : ".R";
            part("foot" + side, yard, {s * 45, 0, 0}, prism(4, 6, 40, 0, 12, kOak));
            part("post" + side, yard, {s * 48, 20, 0}, prism(4, 5, 6, 0, 130, kOak));
        }
        part("beam", yard, {0, 140, 0}, prism(4, 58, 8, 0, 14, kOak));
    }

    /// The screw goes down on one helper and turns on another; its turns and the plate's way are
    /// rules of the sheet.
    void screw(int yard) {
        const int lift = add("screw_lift", yard, {0, 0, 0}),
                  turn = add("screw_turn", lift, {0, 0, 0});
        const int screw = part("screw", turn, {0, 96, 0}, prism(12, 4, 4, 0, 90, kIron));
        part("bar", screw, {0, 84, 0}, prism(4, 2.5, 48, 0, 5, kOak));
        for (const double s : {-1.0, 1.0})
            part(s > 0 ? "knob.L" : "knob.R", screw, {0, 83, s * 48}, prism(8, 5, 5, 0, 8, kOak));
        part("plate", lift, {0, 90, 0}, prism(16, 27, 27, 0, 6, kOak));
        part("nut", yard, {0, 138, 0}, prism(6, 9, 9, -4, 2, kIron));
    }

    /// Twelve slats on a ring of helpers, which open a little under pressure, and two hoops that
    /// give way evenly.
    void basket(int yard) {
        const int ring = add("basket", yard, {0, 20, 0});
        for (int k = 0; k < 12; ++k) {
            const std::string number = (k < 9 ? "0" : "") + std::to_string(k + 1);
            const int hinge =
                add("slat_hinge_" + number, ring, {}, about({0, 1, 0}, kTau * k / 12));
            const int slat =
                part("slat_" + number, hinge, {0, 0, 31}, prism(4, 6.5, 1.5, 0, 58, kOak));
            key_turn(slat, [](double f) { return about({1, 0, 0}, 0.06 * pressure(f)); });
        }
        for (const int k : {0, 1}) {
            const int hoop = part(k == 0 ? "hoop_low" : "hoop_high", ring, {0, 12.0 + 30 * k, 0},
                                  prism(24, 34, 34, 0, 3, kIron));
            key_size(hoop, [k](double f) {
                const double grow = 1 + (0.01 + 0.03 * k) * pressure(f);
                return Vec3{grow, 1, grow};
            });
        }
    }
    static double pressure(double f) { return ramp(f, 60, 110) * (1 - ramp(f, 120, 132)); }

    /// Eight apples that appear in the cart's chute one after the other, fall and are pressed flat.
    void apples(int yard) {
        for (int k = 0; k < 8; ++k) {
            const double a = kTau * k / 8, born = 14 + 3.0 * k;
            const int apple =
                part("apple_" + std::to_string(k + 1), yard, {}, prism(10, 6, 6, -5, 6, kApple));
            key_place(apple, [=](double f) {
                const double fall = std::pow(std::clamp((f - born - 2) / 10, 0.0, 1.0), 2);
                const double rest = 27.0 + 11 * (k % 2) - 6 * pressure(f);
                return Vec3{15 * std::cos(a), 96 + fall * (rest - 96), 15 * std::sin(a)};
            });
            key_size(apple, [=](double f) {
                const double grown = ramp(f, born, born + 3), flat = 1 - 0.55 * pressure(f);
                return Vec3{grown / std::sqrt(flat), grown * flat, grown / std::sqrt(flat)};
            });
        }
    }

    void juice(int yard) {
        part("bucket", yard, {0, 0, 60}, prism(14, 15, 15, 0, 24, kOak));
        const int stream = part("stream", yard, {0, 22, 60}, prism(6, 1.5, 1.5, -20, 0, kJuice));
        key_size(stream, [](double f) {
            const double run = ramp(f, 66, 76) * (1 - ramp(f, 118, 128));
            return Vec3{run, run, run};
        });
        const int level = part("level", yard, {0, 3, 60}, prism(14, 14, 14, 0, 20, kJuice));
        key_size(level, [](double f) {
            const double full = ramp(f, 70, 122);
            return Vec3{full > 0 ? 1.0 : 0.0, full, full > 0 ? 1.0 : 0.0};
        });
    }

    /// A cart that backs in and out again; its wheels are turned by the sheet.
    void cart(int yard) {
        const int cart = add("cart_way", yard, {0, 0, -60});
        key_place(cart, [](double f) {
            return Vec3{0, 0, -60 - 170 * (1 - ramp(f, 0, 14)) - 170 * ramp(f, 40, 60)};
        });
        part("cart", cart, {0, 60, -36}, prism(4, 34, 40, 0, 6, kOak));
        for (const double x : {-1.0, 1.0})
            for (const double z : {-1.0, 1.0}) {
                const std::string name =
                    std::string("wheel_") + (z > 0 ? "front" : "rear") + (x > 0 ? ".L" : ".R");
                const int axle = add(name + "_axle", cart, {x * 38, 20, -36 + z * 24});
                const int wheel = part(name, axle, {}, prism(18, 20, 20, -2, 2, kOak),
                                       about({0, 0, 1}, -kTau / 4));
                part(name + "_spoke", wheel, {0, 0, 0}, prism(4, 17, 2, -3, 3, kIron));
            }
    }

    /// A camera that goes round the press by a third; its zoom is keyed in the sheet.
    void camera() {
        scene_.cameras.push_back(
            "{\"type\":\"perspective\",\"perspective\":{\"yfov\":0.7,\"znear\":0.01,"
            "\"aspectRatio\":1.7777777777777777}}");
        const int dolly = add("dolly", mellow::kNone, {0, 1.1, 0});
        key_turn(dolly, [](double f) {
            return about({0, 1, 0}, -0.5 + kTau / 3 * ramp(f, 0, kLast));
        });
        const int lens = add("yard_camera", dolly, {0, 0.4, 4.2}, about({1, 0, 0}, -0.12));
        scene_.nodes[static_cast<std::size_t>(lens)].camera = 0;
    }

    mellow::Scene scene_;
};

}  // namespace

mellow::Scene press_scene() { return Press().take(); }

std::vector<File> press_files() {
    const auto text = [](const char* words) {
        return std::vector<std::uint8_t>(words, words + std::strlen(words));
    };
    return {{"press.glb", "a cider press of rigid parts, one timeline",
             mellow::write_glb(press_scene())},
            {"press.rig.toml", "what turns its screw and its wheels", text(kPressRig)},
            {"press.recipe.toml", "what to make of it", text(kPressRecipe)},
            {"press.states.toml", "which clip a game plays when", text(kPressStates)},
            {"press.script.csv", "one pressing, by signals", text(kPressScript)}};
}

}  // namespace orchard
