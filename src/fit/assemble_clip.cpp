#include <algorithm>

#include "mellow/fit.h"

namespace mellow {
namespace {

Curve uniform_curve(int width, const std::vector<double>& times, const std::vector<float>& values) {
    Curve curve;
    curve.width = width;
    curve.times = times;
    curve.values = std::vector<double>(values.begin(), values.end());
    return curve;
}

bool scale_differs(const JointTrack& track, const Transform& rest) {
    for (std::size_t i = 0; i < track.scale.size(); i += 3) {
        const Vec3 s{track.scale[i], track.scale[i + 1], track.scale[i + 2]};
        if (length(s - rest.s) > 1e-6) return true;
    }
    return false;
}

}  // namespace

Scene assemble_clip(const Skeleton& skeleton, const Clip& clip, const RawJson& extras) {
    Scene scene;
    scene.rate = clip.rate;
    scene.rate_known = true;
    std::vector<double> times;
    for (int k = 0; k < clip.samples; ++k) times.push_back(clip.rate.seconds(k));
    Timeline timeline;
    timeline.name = clip.name;
    timeline.extras = extras;
    for (int j = 0; j < skeleton.size(); ++j) {
        Node node;
        node.name = skeleton[j].name;
        node.parent = skeleton[j].parent;
        node.local = skeleton[j].rest;
        if (node.parent == kNone) scene.roots.push_back(j);
        scene.nodes.push_back(std::move(node));
        const JointTrack& track = clip.joints[static_cast<std::size_t>(j)];
        timeline.channels.push_back(
            {j, Path::kTranslation, uniform_curve(3, times, track.translation)});
        timeline.channels.push_back({j, Path::kRotation, uniform_curve(4, times, track.rotation)});
        if (scale_differs(track, skeleton[j].rest))
            timeline.channels.push_back({j, Path::kScale, uniform_curve(3, times, track.scale)});
    }
    for (const MorphTrack& morph : clip.morphs)
        timeline.morphs.push_back(
            {morph.mesh, morph.targets,
             uniform_curve(static_cast<int>(morph.targets.size()), times, morph.weights)});
    for (const ScalarTrack& scalar : clip.scalars)
        timeline.scalars.push_back(
            {scalar.name, scalar.unit, uniform_curve(1, times, scalar.values)});
    scene.timelines.push_back(std::move(timeline));
    return scene;
}

}  // namespace mellow
