#include "figure/mirror_props.h"

#include <algorithm>
#include <numeric>

#include "base/at.h"
#include "mellow/node_mask.h"
#include "mellow/pose.h"

namespace mellow {
namespace {

/// Vertices at rest by joint, and which joints share some.
class Vertices {
  public:
    explicit Vertices(const Figure& figure)
        : figure_(figure), joint_of_(figure.scene().nodes.size()) {
        const Scene& scene = figure.scene();
        std::vector<int> own(scene.nodes.size(), kNone);
        for (std::size_t j = 0; j < figure.sources().size(); ++j)
            if (figure.sources()[j].node != kNone) own[at(figure.sources()[j].node)] = int(j);
        for (const int n : parents_first(scene)) {
            const int parent = scene.nodes[at(n)].parent;
            joint_of_[at(n)] = own[at(n)] != kNone ? own[at(n)]
                               : parent == kNone   ? kNone
                                                   : joint_of_[at(parent)];
        }
        points.resize(at(figure.skeleton().size()));
        group_.resize(points.size());
        std::iota(group_.begin(), group_.end(), 0);
        const Pose pose = rest_pose(scene);
        for (std::size_t n = 0; n < scene.nodes.size(); ++n)
            if (scene.nodes[n].mesh != kNone) add(int(n), pose);
    }

    void join(int a, int b) { group_[at(root(a))] = root(b); }
    int root(int j) const {
        while (group_[at(j)] != j) j = group_[at(j)];
        return j;
    }

    std::vector<std::vector<Vec3>> points;

  private:
    void add(int node, const Pose& pose) {
        const Scene& scene = figure_.scene();
        const Node& carrier = scene.nodes[at(node)];
        for (const Primitive& part : scene.meshes[at(carrier.mesh)].primitives) {
            const std::vector<Vec3> places = posed_vertices(scene, node, part, pose);
            for (std::size_t v = 0; v < places.size(); ++v) {
                int first = carrier.skin == kNone ? joint_of_[at(node)] : kNone;
                for (int i = 0; carrier.skin != kNone && i < part.influences_per_vertex; ++i) {
                    const std::size_t k = v * at(part.influences_per_vertex) + at(i);
                    if (part.influence_weights[k] <= 0) continue;
                    const int joint = joint_of_[at(
                        scene.skins[at(carrier.skin)].joints[part.influence_joints[k]])];
                    if (joint == kNone) continue;
                    if (first == kNone)
                        first = joint;
                    else
                        join(joint, first);
                }
                if (first != kNone) points[at(first)].push_back(places[v]);
            }
        }
    }

    const Figure& figure_;
    std::vector<int> joint_of_, group_;
};

}  // namespace

std::vector<MirrorProp> find_mirror_props(const Figure& figure, const std::vector<int>& partners,
                                          const std::vector<std::string>& named) {
    const Skeleton& skeleton = figure.skeleton();
    Vertices vertices(figure);
    const bool root = figure.hips() != 0 && vertices.points[0].empty();
    std::vector<int> of(at(skeleton.size()), kNone);  // the thing that a name makes
    for (int j = 0; j < skeleton.size(); ++j) {
        const int up = skeleton[j].parent;
        if (fits_any(named, skeleton[j].name)) of[at(j)] = j;
        if (up >= 0 && of[at(up)] != kNone) of[at(j)] = of[at(up)];
        if (up > 0 || (up == 0 && !root)) vertices.join(j, up);
    }
    std::vector<bool> paired(at(skeleton.size()), false);
    for (int j = 0; j < skeleton.size(); ++j)
        if (partners[at(j)] != j) paired[at(vertices.root(j))] = true;
    const int body = vertices.root(figure.hips());
    std::vector<MirrorProp> out;
    for (int first = root ? 1 : 0; first < skeleton.size(); ++first) {
        const auto belongs = [&](int j) {
            if (of[at(first)] != kNone) return of[at(j)] == of[at(first)];
            const int group = vertices.root(first);
            return of[at(j)] == kNone && vertices.root(j) == group && group != body &&
                   !paired[at(group)];
        };
        MirrorProp prop;
        std::vector<Vec3> points;
        for (int j = root ? 1 : 0; j < skeleton.size(); ++j) {
            if (!belongs(j)) continue;
            if (j < first) break;  // told already
            prop.joints.push_back(j);
            points.insert(points.end(), vertices.points[at(j)].begin(),
                          vertices.points[at(j)].end());
        }
        if (prop.joints.empty() || prop.joints.front() != first) continue;
        prop.point = skeleton.rest_worlds()[at(first)].o;
        fit_mirror_plane(points, prop);
        out.push_back(std::move(prop));
    }
    return out;
}

}  // namespace mellow
