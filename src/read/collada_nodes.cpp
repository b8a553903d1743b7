// Asset, visual scene, transform stacks and cameras of a COLLADA file.
#include <fmt/format.h>

#include <cmath>
#include <numbers>

#include "math/degrees.h"
#include "read/collada_build.h"

namespace mellow {
namespace {

void read_asset(ColladaBuild& build) {
    ColladaDocument& doc = build.doc;
    Scene& scene = build.scene;
    const pugi::xml_node asset = child(doc.root(), "asset");
    scene.copyright = text_of(child(child(asset, "contributor"), "copyright"));
    const pugi::xml_node unit = child(asset, "unit");
    const char* metre = unit.attribute("meter").value();
    scene.convention.metres_per_unit = *metre == '\0' ? 1 : unit.attribute("meter").as_double(0);
    if (!unit)
        doc.note(Code::kAssumed, Severity::kNote, asset, "no unit", "<unit meter=...>",
                 "metre was assumed; unit under [source] says another", {{"source", "unit", ""}});
    if (!(scene.convention.metres_per_unit > 1e-9 && scene.convention.metres_per_unit < 1e9))
        return doc.fail(Code::kNumberBad, unit, fmt::format("a unit of \"{}\" metres", metre),
                        "a number above 0");
    const std::string up = text_of(child(asset, "up_axis"));
    // COLLADA 1.4.1, "up_axis": the third axis of each, "in", points at the viewer.
    if (up == "Z_UP")
        scene.convention.up = Axis::kPlusZ, scene.convention.front = Axis::kMinusY;
    else if (up == "X_UP")
        scene.convention.up = Axis::kPlusX;
    else if (!up.empty() && up != "Y_UP")
        doc.note(Code::kAssumed, Severity::kWarning, child(asset, "up_axis"),
                 "the up axis \"" + up + "\"", "X_UP, Y_UP or Z_UP",
                 "Y_UP was assumed; up under [source] says another", {{"source", "up", ""}});
    const std::string marked = extra_of(doc.root(), "up", true);
    if (!marked.empty()) {
        const auto axis = parse_axis(marked),
                   front = parse_axis(extra_of(doc.root(), "front", true));
        scene.convention.up = axis.value_or(scene.convention.up);
        scene.convention.front = front.value_or(scene.convention.up);
        if (extra_of(doc.root(), "hand", true) == "left") scene.convention.hand = Hand::kLeft;
        if (!axis || !is_valid(scene.convention))
            return doc.fail(Code::kColladaBroken, doc.root(),
                            "an <extra> of our profile with up \"" + marked + "\"",
                            "up and front along two lines", "correct the <extra>, or remove it");
    }
    scene.stack_convention = scene.convention;
}

bool stack_kind(std::string_view name, StackKind& kind) {
    constexpr std::pair<std::string_view, StackKind> kNames[] = {
        {"translate", StackKind::kTranslate}, {"rotate", StackKind::kRotate},
        {"scale", StackKind::kScale},         {"skew", StackKind::kSkew},
        {"matrix", StackKind::kMatrix},       {"lookat", StackKind::kLookAt}};
    for (const auto& [text, k] : kNames)
        if (text == name) {
            kind = k;
            return true;
        }
    return false;
}

StackElement read_element(ColladaDocument& doc, pugi::xml_node xml, StackKind kind) {
    StackElement element{kind, xml.attribute("sid").value(), {}};
    const std::vector<double> numbers = doc.numbers(xml);
    const auto wanted = static_cast<std::size_t>(member_count(kind));
    if (doc.failed()) return element;
    if (numbers.size() != wanted) {
        doc.fail(Code::kColladaBroken, xml, fmt::format("{} numbers", numbers.size()),
                 fmt::format("{}", wanted));
        return element;
    }
    std::copy(numbers.begin(), numbers.end(), element.numbers.begin());
    if (kind == StackKind::kRotate) element.numbers[3] *= kRadians;
    if (kind == StackKind::kSkew) element.numbers[0] *= kRadians;
    if (kind == StackKind::kMatrix &&
        (std::abs(numbers[12]) + std::abs(numbers[13]) + std::abs(numbers[14]) > 1e-6 ||
         std::abs(numbers[15] - 1) > 1e-6))
        doc.note(Code::kAssumed, Severity::kWarning, xml, "a matrix whose last row is not 0 0 0 1",
                 "an affine matrix", "the last row was taken as 0 0 0 1");
    return element;
}

/// The axis that a rotation is about, 0 to 2, or kNone.
int principal_axis(const StackElement& e) {
    for (int a = 0; e.kind == StackKind::kRotate && a < 3; ++a) {
        const auto n = [&](int i) { return std::abs(e.numbers[static_cast<std::size_t>(i % 3)]); };
        if (n(a) > 0 && n(a + 1) + n(a + 2) < 1e-9 * n(a)) return a;
    }
    return kNone;
}

/// The order of the last three turns of a stack, where they are about three axes: what a joint is
/// oriented by at rest stands before what moves it.
std::optional<EulerOrder> euler_order(const std::vector<StackElement>& stack) {
    std::vector<int> axes;
    for (const StackElement& e : stack)
        if (e.kind == StackKind::kRotate) axes.push_back(principal_axis(e));
    if (axes.size() < 3) return {};
    std::string name;
    for (const int a : {axes[axes.size() - 3], axes[axes.size() - 2], axes.back()})
        name += a == kNone ? '?' : "XYZ"[a];
    return parse_euler_order(name);
}

class NodeReader {
  public:
    explicit NodeReader(ColladaBuild& build) : build_(build), doc_(build.doc) {}

    void add(pugi::xml_node xml, int parent, std::size_t depth) {
        Scene& scene = build_.scene;
        if (doc_.failed()) return;
        if (scene.nodes.size() >= doc_.limits.nodes || depth > doc_.limits.depth)
            return doc_.fail(Code::kLimit, xml, "another node",
                             fmt::format("at most {} nodes in {} levels, instances counted",
                                         doc_.limits.nodes, doc_.limits.depth),
                             "look for nodes that instance themselves");
        const int index = static_cast<int>(scene.nodes.size());
        scene.nodes.emplace_back();
        build_.made_of.push_back(xml);
        build_.nodes_of[xml.internal_object()].push_back(index);
        build_.stack_elements.emplace_back();
        if (parent == kNone) scene.roots.push_back(index);
        Node node;
        node.parent = parent;
        node.name = extra_of(xml, "name", true);
        for (const char* name : {"name", "id", "sid"})
            if (node.name.empty()) node.name = xml.attribute(name).value();
        for (const pugi::xml_node c : children(xml)) {
            StackKind kind{};
            if (!stack_kind(local_name(c), kind)) continue;
            node.stack.push_back(read_element(doc_, c, kind));
            build_.stack_elements.back().push_back(c.internal_object());
        }
        if (doc_.failed()) return;
        node.order = euler_order(node.stack);
        Affine sheared;
        const double shear =
            sample_stack(node.stack, {}, {}, std::array{0.0}, nullptr, &node.local, &sheared);
        const Vec3 s = node.local.s;
        if (shear > 1e-6 * std::max({std::abs(s.x), std::abs(s.y), std::abs(s.z)})) {
            node.shear = sheared;
            doc_.note(
                Code::kShear, Severity::kWarning, xml,
                fmt::format("a rest transform with shear ({:.2g})", shear),
                "translation, rotation and scale: joints hold nothing else",
                "even scale above turned nodes in the source; what it costs is measured when it "
                "is packed");
        }
        scene.nodes[static_cast<std::size_t>(index)] = std::move(node);
        for (const pugi::xml_node c : children(xml)) add_child(c, index, depth);
    }

  private:
    void add_child(pugi::xml_node c, int index, std::size_t depth) {
        const std::string_view kind = local_name(c);
        const char* url = c.attribute("url").value();
        if (kind == "node") {
            add(c, index, depth + 1);
        } else if (kind == "instance_node") {
            if (const auto other = doc_.target(url, "node", c)) add(other, index, depth + 1);
        } else if (kind == "instance_geometry" || kind == "instance_controller") {
            build_.instances.push_back({index, c});
        } else if (kind == "instance_camera") {
            if (const auto camera = doc_.target(url, "camera", c)) add_camera(camera, index);
        } else if (kind == "instance_light") {
            build_.scene.nodes[static_cast<std::size_t>(index)].light = true;
            doc_.note(Code::kLeftOut, Severity::kNote, c, "a light", "nodes, meshes and cameras",
                      "lights are not carried; set them up where the scene is used");
        }
    }

    /// glTF 2.0, 3.10: angles in radians, the vertical one; both look along -Z with +Y up.
    void add_camera(pugi::xml_node camera, int node) {
        const pugi::xml_node lens = child(child(camera, "optics"), "technique_common");
        const auto value = [&](pugi::xml_node kind, const char* name, double fallback) {
            const std::vector<double> n = doc_.numbers(child(kind, name));
            return n.empty() ? fallback : n[0];
        };
        std::string json;
        const std::string name = camera.attribute("name").value();
        if (const auto p = child(lens, "perspective")) {
            const double aspect = value(p, "aspect_ratio", 0), near = value(p, "znear", 0.01),
                         far = value(p, "zfar", 0);
            double y = value(p, "yfov", 0) * kRadians;
            const double x = value(p, "xfov", 0) * kRadians;
            const double ratio = aspect > 0       ? aspect
                                 : y > 0 && x > 0 ? std::tan(x / 2) / std::tan(y / 2)
                                                  : 0;
            if (y <= 0 && x > 0)
                y = 2 * std::atan(std::tan(x / 2) / (ratio > 0 ? ratio : 16.0 / 9));
            if (!(y > 0 && y < std::numbers::pi && near > 0))
                return doc_.note(Code::kLeftOut, Severity::kWarning, camera,
                                 "a camera without a field of view or a near plane above 0",
                                 "xfov or yfov between 0 and 180 degrees", "mend it in the source");
            json = fmt::format(R"({{"type":"perspective","perspective":{{"yfov":{},"znear":{})", y,
                               near);
            if (ratio > 0) json += fmt::format(R"(,"aspectRatio":{})", ratio);
            if (far > near) json += fmt::format(R"(,"zfar":{})", far);
        } else if (const auto o = child(lens, "orthographic")) {
            const double aspect = value(o, "aspect_ratio", 1), far = value(o, "zfar", 100);
            double x = value(o, "xmag", 0), y = value(o, "ymag", 0);
            if (x == 0) x = y * aspect;
            if (y == 0 && aspect != 0) y = x / aspect;
            if (x == 0 || y == 0)
                return doc_.note(Code::kLeftOut, Severity::kWarning, camera,
                                 "a parallel camera without size", "xmag or ymag above 0",
                                 "mend it in the source");
            json = fmt::format(
                R"({{"type":"orthographic","orthographic":{{"xmag":{},"ymag":{},"znear":{},"zfar":{})",
                x, y, value(o, "znear", 0), far);
        } else {
            return doc_.note(Code::kLeftOut, Severity::kWarning, camera, "a camera without optics",
                             "perspective or orthographic", "mend it in the source");
        }
        json += "}}";
        if (doc_.failed()) return;
        build_.scene.nodes[static_cast<std::size_t>(node)].camera =
            static_cast<int>(build_.scene.cameras.size());
        build_.scene.cameras.push_back(std::move(json));
    }

    ColladaBuild& build_;
    ColladaDocument& doc_;
};

}  // namespace

void read_collada_nodes(ColladaBuild& build) {
    ColladaDocument& doc = build.doc;
    read_asset(build);
    if (doc.failed()) return;
    pugi::xml_node shown;
    if (const auto instance = child(child(doc.root(), "scene"), "instance_visual_scene"))
        shown = doc.target(instance.attribute("url").value(), "visual_scene", instance);
    if (!shown) {
        shown = child(child(doc.root(), "library_visual_scenes"), "visual_scene");
        if (shown)
            doc.note(Code::kAssumed, Severity::kNote, shown, "no scene that is shown",
                     "<scene> with an <instance_visual_scene>", "the first visual scene was taken");
    }
    build.scene.name = shown.attribute("name").value();
    // Many programs leave the rate here, each under a profile of its own.
    const double rate = std::atof(extra_of(shown, "frame_rate", false).c_str());
    if (rate >= 1 && rate <= 10'000) {
        build.scene.rate = snap_rate(rate);
        build.scene.rate_known = true;
    }
    NodeReader reader(build);
    for (const pugi::xml_node node : children(shown, "node")) reader.add(node, kNone, 0);
    if (build.scene.nodes.empty())
        doc.fail(Code::kColladaBroken, shown ? shown : doc.root(), "no nodes",
                 "a visual scene with nodes", "a file of geometry alone has nothing to animate");
}

}  // namespace mellow
