// Rewriting a scene's numbers from one convention to another; declared in scene.h.
#include "mellow/scene.h"

#include <algorithm>

#include "model/winding.h"

namespace mellow {
namespace {

void turn_points(std::vector<Float3>& points, const Conversion& c, double scale) {
    for (Float3& p : points) {
        const Vec3 v = scale * c.vector({p[0], p[1], p[2]});
        p = {static_cast<float>(v.x), static_cast<float>(v.y), static_cast<float>(v.z)};
    }
}

void convert_primitive(Primitive& primitive, const Conversion& c) {
    turn_points(primitive.positions, c, c.scale());
    turn_points(primitive.normals, c, 1);
    for (Float4& t : primitive.tangents) {
        const Vec3 v = c.vector({t[0], t[1], t[2]});
        t = {static_cast<float>(v.x), static_cast<float>(v.y), static_cast<float>(v.z),
             c.mirrors() ? -t[3] : t[3]};
    }
    for (MorphTarget& target : primitive.targets) {
        turn_points(target.positions, c, c.scale());
        turn_points(target.normals, c, 1);
        turn_points(target.tangents, c, 1);
    }
    if (c.mirrors()) turn_over(primitive);
}

void convert_channel(Channel& channel, const Conversion& c) {
    if (channel.path == Path::kWeights) return;
    std::vector<double>& values = channel.curve.values.edit();
    const std::size_t width = channel.path == Path::kRotation ? 4 : 3;
    // In-tangents and out-tangents of cubic curves go as their values do.
    for (std::size_t i = 0; i + width <= values.size(); i += width) {
        const Vec3 v{values[i], values[i + 1], values[i + 2]};
        const Vec3 to = channel.path == Path::kTranslation ? c.point(v)
                        : channel.path == Path::kRotation  ? c.turning_axis(v)
                                                           : c.scaling(v);
        values[i] = to.x, values[i + 1] = to.y, values[i + 2] = to.z;
    }
}

void convert_shear(Curve& curve, const Conversion& c) {
    std::vector<double>& v = curve.values.edit();
    for (std::size_t i = 0; i + 8 < v.size(); i += 9) {
        const Affine m = c.affine({{v[i], v[i + 1], v[i + 2]},
                                   {v[i + 3], v[i + 4], v[i + 5]},
                                   {v[i + 6], v[i + 7], v[i + 8]},
                                   {}});
        const double to[9] = {m.x.x, m.x.y, m.x.z, m.y.x, m.y.y, m.y.z, m.z.x, m.z.y, m.z.z};
        std::copy_n(to, 9, &v[i]);
    }
}

/// A camera looks along -Z with +Y up in every convention (glTF 2.0, 3.10), while its node's axes
/// turn with the convention. Where the node is nothing but a camera it is turned back; else the
/// camera moves to a child that is.
void keep_views(Scene& scene, const Conversion& c) {
    const Vec3 x = c.vector({1, 0, 0});
    const Quat back =
        quat_from_columns(c.mirrors() ? -x : x, c.vector({0, 1, 0}), c.vector({0, 0, 1}));
    if (back.w == 1) return;
    std::vector<bool> plain(scene.nodes.size(), true);
    for (const Node& node : scene.nodes)
        if (node.parent != kNone) plain[static_cast<std::size_t>(node.parent)] = false;
    for (const Timeline& timeline : scene.timelines) {
        for (const Channel& channel : timeline.channels)
            plain[static_cast<std::size_t>(channel.node)] = false;
        for (const MemberCurve& member : timeline.members)
            plain[static_cast<std::size_t>(member.node)] = false;
    }
    for (std::size_t n = 0; n < plain.size(); ++n) {
        if (scene.nodes[n].camera == kNone) continue;
        if (plain[n] && scene.nodes[n].mesh == kNone) {
            scene.nodes[n].local.r = scene.nodes[n].local.r * back;
            continue;
        }
        Node view;
        view.name = scene.nodes[n].name + ".view";
        view.parent = static_cast<int>(n);
        view.split_off = true;
        view.local.r = back;
        std::swap(view.camera, scene.nodes[n].camera);
        scene.nodes.push_back(std::move(view));
    }
}

}  // namespace

void convert(Scene& scene, const Convention& to) {
    const Conversion c(scene.convention, to);
    scene.convention = to;
    if (c.is_identity()) return;
    for (Node& node : scene.nodes) {
        node.local = c.transform(node.local);
        if (node.shear) node.shear = c.affine(*node.shear);
    }
    keep_views(scene, c);
    for (Mesh& mesh : scene.meshes)
        for (Primitive& primitive : mesh.primitives) convert_primitive(primitive, c);
    for (Skin& skin : scene.skins)
        for (Affine& inverse_bind : skin.inverse_binds) inverse_bind = c.affine(inverse_bind);
    for (Timeline& timeline : scene.timelines) {
        for (Channel& channel : timeline.channels) convert_channel(channel, c);
        for (ShearCurve& shear : timeline.shears) convert_shear(shear.curve, c);
    }
}

}  // namespace mellow
