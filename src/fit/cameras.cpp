#include "mellow/fit.h"

namespace mellow {
namespace {

Quat frame(Vec3 aim, Vec3 up) { return quat_from_columns(aim, up, cross(aim, up)); }

}  // namespace

void split_camera(Scene& scene, int node, const CameraAxes& axes) {
    const auto at = static_cast<std::size_t>(node);
    const Quat turn = frame({0, 0, -1}, {0, 1, 0}) * conjugate(frame(axes.aim, axes.up));
    if (scene.nodes[at].split_off) {
        scene.nodes[at].local.r = scene.nodes[at].local.r * turn;
        return;
    }
    Node view;
    view.name = scene.nodes[at].name + ".view";
    view.parent = node;
    view.split_off = true;
    view.local.r = turn;
    std::swap(view.camera, scene.nodes[at].camera);
    scene.nodes.push_back(std::move(view));
}

}  // namespace mellow
