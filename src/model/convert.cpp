// Rewriting a scene's numbers from one convention to another; declared in scene.h.
#include "mellow/scene.h"

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
        t = {static_cast<float>(v.x), static_cast<float>(v.y), static_cast<float>(v.z), t[3]};
    }
    for (MorphTarget& target : primitive.targets) {
        turn_points(target.positions, c, c.scale());
        turn_points(target.normals, c, 1);
        turn_points(target.tangents, c, 1);
    }
}

void convert_channel(Channel& channel, const Conversion& c) {
    std::vector<double>& values = channel.curve.values;
    if (channel.path == Path::kWeights) return;
    const std::size_t width = channel.path == Path::kRotation ? 4 : 3;
    for (std::size_t i = 0; i + width <= values.size(); i += width) {
        const Vec3 v{values[i], values[i + 1], values[i + 2]};
        const Vec3 to = channel.path == Path::kTranslation ? c.point(v)
                        : channel.path == Path::kRotation  ? c.vector(v)
                                                           : c.scaling(v);
        values[i] = to.x, values[i + 1] = to.y, values[i + 2] = to.z;
    }
}

}  // namespace

void convert(Scene& scene, const Convention& to) {
    const Conversion c(scene.convention, to);
    scene.convention = to;
    if (c.is_identity()) return;
    for (Node& node : scene.nodes) node.local = c.transform(node.local);
    for (Mesh& mesh : scene.meshes)
        for (Primitive& primitive : mesh.primitives) convert_primitive(primitive, c);
    for (Skin& skin : scene.skins)
        for (Affine& inverse_bind : skin.inverse_binds) inverse_bind = c.affine(inverse_bind);
    for (Timeline& timeline : scene.timelines)
        for (Channel& channel : timeline.channels) convert_channel(channel, c);
}

}  // namespace mellow
