#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/at.h"
#include "mellow/fit.h"
#include "model/winding.h"

namespace mellow {
namespace {

double difference(const Affine& a, const Affine& b) {
    const Vec3 d[4] = {a.x - b.x, a.y - b.y, a.z - b.z, a.o - b.o};
    return std::max({length(d[0]), length(d[1]), length(d[2]), length(d[3])});
}

/// Marks the joints of a skin that carry weight in a mesh.
std::vector<bool> weighted_joints(const Mesh& mesh, std::size_t joints) {
    std::vector<bool> used(joints, false);
    for (const Primitive& primitive : mesh.primitives)
        for (std::size_t i = 0; i < primitive.influence_joints.size(); ++i)
            if (primitive.influence_weights[i] > 0) used[primitive.influence_joints[i]] = true;
    return used;
}

class SkinAssembler {
  public:
    SkinAssembler(const Scene& source, const Skeleton& skeleton, const JointSources& sources,
                  const Skeleton& bound)
        : source_(source),
          skeleton_(skeleton),
          sources_(sources),
          source_rest_(rest_worlds(source)),
          joint_of_(source.nodes.size(), kNone) {
        for (std::size_t j = 0; j < sources.size(); ++j)
            if (sources[j].node != kNone) joint_of_[at(sources[j].node)] = static_cast<int>(j);
        sheared_ = sheared_nodes(source);
        for (const int n : parents_first(source))
            if (const int up = source.nodes[at(n)].parent; up != kNone && sheared_[at(up)])
                sheared_[at(n)] = true;
        for (const Affine& world : bound.rest_worlds()) rest_inverse_.push_back(inverse(world));
    }

    Assembled run() {
        Scene& scene = out_.scene;
        scene.convention = source_.convention;
        scene.rate = source_.rate;
        scene.materials = source_.materials;
        scene.images = source_.images;
        scene.textures = source_.textures;
        scene.samplers = source_.samplers;
        scene.copyright = source_.copyright;
        scene.extras = source_.extras;
        carry_extensions();
        add_joints();
        for (std::size_t n = 0; n < source_.nodes.size(); ++n)
            if (source_.nodes[n].mesh != kNone) add_mesh(static_cast<int>(n));
        if (rigid_ > 0)
            out_.findings.push_back(
                {Code::kRigidSkin, Severity::kNote, "meshes",
                 fmt::format("{} meshes without skin became skins of a single joint", rigid_), "",
                 ""});
        if (scene.skins.empty() && skeleton_.size() > 0) (void)skin_of(rest_inverse_, "skeleton");
        return std::move(out_);
    }

  private:
    void carry_extensions() {
        const auto carried = [](const std::string& name) { return name != "KHR_lights_punctual"; };
        for (const auto& extension : source_.extensions)
            if (carried(extension.first)) out_.scene.extensions.push_back(extension);
        for (const std::string& name : source_.extensions_used)
            if (carried(name)) out_.scene.extensions_used.push_back(name);
        out_.scene.extensions_required = source_.extensions_required;
    }

    void add_joints() {
        for (int j = 0; j < skeleton_.size(); ++j) {
            Node node;
            node.name = skeleton_[j].name;
            node.parent = skeleton_[j].parent;
            node.local = skeleton_[j].rest;
            if (const int from = sources_[at(j)].node; from != kNone)
                node.extras = source_.nodes[at(from)].extras;
            if (node.parent == kNone) out_.scene.roots.push_back(j);
            out_.scene.nodes.push_back(std::move(node));
        }
    }

    /// The joint a node hangs on: itself, the nearest joint above it, or the first of all.
    int joint_for(int node) const {
        while (node != kNone && joint_of_[at(node)] == kNone) node = source_.nodes[at(node)].parent;
        return node == kNone ? 0 : joint_of_[at(node)];
    }

    /// A mesh without skin: moved to where it is at rest and bound to one joint.
    void add_rigid(int node) {
        const Node& from = source_.nodes[at(node)];
        Mesh mesh = source_.meshes[at(from.mesh)];
        rewrite(mesh, source_rest_[at(node)]);
        const auto joint = static_cast<std::uint16_t>(joint_for(node));
        for (Primitive& primitive : mesh.primitives) {
            primitive.influences_per_vertex = 4;
            primitive.influence_joints.assign(primitive.positions.size() * 4, 0);
            primitive.influence_weights.assign(primitive.positions.size() * 4, 0);
            for (std::size_t v = 0; v < primitive.positions.size(); ++v) {
                primitive.influence_joints[4 * v] = joint;
                primitive.influence_weights[4 * v] = 1;
            }
        }
        ++rigid_;
        push_mesh(from, std::move(mesh), skin_of(rest_inverse_, "rigid"));
        // What it was split off from is in the file as a joint, or not at all.
        if (from.split_off && joint_of_[at(from.parent)] == kNone)
            out_.scene.nodes.back().extras = source_.nodes[at(from.parent)].extras;
    }

    void push_mesh(const Node& from, Mesh mesh, int skin) {
        Node node;
        node.name = from.name;
        node.mesh = static_cast<int>(out_.scene.meshes.size());
        node.skin = skin;
        node.morph_weights = from.morph_weights;
        node.extras = from.extras;
        out_.scene.roots.push_back(static_cast<int>(out_.scene.nodes.size()));
        out_.scene.nodes.push_back(std::move(node));
        out_.scene.meshes.push_back(std::move(mesh));
    }

    void add_mesh(int index) {
        const Node& from = source_.nodes[at(index)];
        if (from.skin == kNone) return add_rigid(index);
        const Skin& skin = source_.skins[at(from.skin)];
        Mesh mesh = source_.meshes[at(from.mesh)];
        std::vector<Affine> inverse_binds = own_binds(skin);
        Affine bind;
        if (common_bind(mesh, skin, bind)) {
            if (difference(bind, Affine{}) > 1e-6) rewrite(mesh, bind);
            inverse_binds = rest_inverse_;
        }
        for (Primitive& primitive : mesh.primitives)
            for (std::uint16_t& joint : primitive.influence_joints)
                joint = static_cast<std::uint16_t>(joint_for(skin.joints[joint]));
        push_mesh(from, std::move(mesh), skin_of(inverse_binds, skin.name));
    }

    /// Inverse binds as the source has them, for the joints' own axes at scale 1.
    std::vector<Affine> own_binds(const Skin& skin) const {
        std::vector<Affine> binds = rest_inverse_;
        for (std::size_t i = 0; i < skin.joints.size(); ++i) {
            const int joint = joint_of_[at(skin.joints[i])];
            if (joint == kNone) continue;
            const JointSource& from = sources_[at(joint)];
            const double s = from.scale;
            if (from.unscaled) continue;  // it carries no weight
            // Below a node with shear the joint's rest pose is not its node's: what is between goes
            // into the bind matrix, so that the skin is right at rest, and stays so as long as the
            // shear does not change.
            binds[at(joint)] =
                sheared_[at(skin.joints[i])]
                    ? rest_inverse_[at(joint)] * source_rest_[at(skin.joints[i])] *
                          skin.inverse_binds[i]
                    : to_affine({{}, conjugate(from.turn), {s, s, s}}) * skin.inverse_binds[i];
        }
        return binds;
    }

    /// True when rest world * inverse bind is the same similarity for all joints with weight.
    bool common_bind(const Mesh& mesh, const Skin& skin, Affine& bind) const {
        const std::vector<bool> used = weighted_joints(mesh, skin.joints.size());
        bool any = false;
        for (std::size_t i = 0; i < used.size(); ++i) {
            if (!used[i]) continue;
            const Affine m = source_rest_[at(skin.joints[i])] * skin.inverse_binds[i];
            if (!any) bind = m;
            any = true;
            if (difference(m, bind) > 1e-5 * std::max(1.0, length(m.x))) return false;
        }
        const double size = length(bind.x);
        const bool even = std::abs(length(bind.y) - size) < 1e-5 * size &&
                          std::abs(length(bind.z) - size) < 1e-5 * size && determinant(bind) > 0;
        return any && even && decompose(bind).shear < 1e-5 * size;
    }

    /// Takes a mesh through a matrix. Normals go by the inverse transpose; a mirroring one turns
    /// the triangles over as well.
    static void rewrite(Mesh& mesh, const Affine& bind) {
        const Affine back = inverse(bind);
        const auto normal = [&](Vec3 v) {
            return normalized(Vec3{dot(back.x, v), dot(back.y, v), dot(back.z, v)}, v);
        };
        const auto each = [](auto& list, const auto& change) {
            for (auto& item : list) {
                const Vec3 v = change(Vec3{item[0], item[1], item[2]});
                item[0] = static_cast<float>(v.x), item[1] = static_cast<float>(v.y);
                item[2] = static_cast<float>(v.z);
            }
        };
        const auto point = [&](Vec3 p) { return apply(bind, p); };
        const auto delta = [&](Vec3 p) { return apply_linear(bind, p); };
        const auto along = [&](Vec3 v) { return normalized(apply_linear(bind, v), v); };
        const Quat turn = rotation_of(bind);
        const auto direction = [&](Vec3 v) { return rotate(turn, v); };
        for (Primitive& primitive : mesh.primitives) {
            each(primitive.positions, point);
            each(primitive.normals, normal);
            each(primitive.tangents, along);
            if (determinant(bind) < 0) {  // vertices stay where they are
                make_triangles(primitive);
                turn_over(primitive);
            }
            for (MorphTarget& target : primitive.targets) {
                each(target.positions, delta);
                each(target.normals, direction);
                each(target.tangents, direction);
            }
        }
    }

    int skin_of(const std::vector<Affine>& inverse_binds, const std::string& name) {
        for (std::size_t s = 0; s < out_.scene.skins.size(); ++s) {
            const auto& have = out_.scene.skins[s].inverse_binds;
            bool same = true;
            for (std::size_t j = 0; j < have.size(); ++j)
                same = same && difference(have[j], inverse_binds[j]) < 1e-9;
            if (same) return static_cast<int>(s);
        }
        Skin skin;
        skin.name = name;
        for (int j = 0; j < skeleton_.size(); ++j) skin.joints.push_back(j);
        skin.inverse_binds = inverse_binds;
        skin.skeleton = 0;
        out_.scene.skins.push_back(std::move(skin));
        return static_cast<int>(out_.scene.skins.size()) - 1;
    }

    const Scene& source_;
    const Skeleton& skeleton_;
    const JointSources& sources_;
    std::vector<Affine> source_rest_, rest_inverse_;
    std::vector<int> joint_of_;
    std::vector<bool> sheared_;  ///< nodes with shear, and all below them
    int rigid_ = 0;
    Assembled out_;
};

}  // namespace

Assembled assemble_skin(const Scene& source, const Skeleton& skeleton, const JointSources& sources,
                        const Skeleton* bound) {
    return SkinAssembler(source, skeleton, sources, bound == nullptr ? skeleton : *bound).run();
}

}  // namespace mellow
