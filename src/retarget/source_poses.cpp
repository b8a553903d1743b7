#include "retarget/source_poses.h"

#include <algorithm>
#include <cmath>

#include "base/at.h"
#include "math/degrees.h"

namespace mellow {

SourcePoses play_source(const Skeleton& skeleton, const std::vector<Transform>& locals,
                        int samples) {
    const std::size_t joints = at(skeleton.size());
    SourcePoses out;
    out.samples = samples;
    out.turns.assign(joints, std::vector<Quat>(at(samples)));
    out.places.assign(joints, std::vector<Vec3>(at(samples)));
    std::vector<Quat> rest(joints), turns(joints);
    std::vector<Affine> worlds(joints);
    for (std::size_t j = 0; j < joints; ++j) {
        const Joint& joint = skeleton.joints()[j];
        rest[j] = joint.parent < 0 ? joint.rest.r : rest[at(joint.parent)] * joint.rest.r;
    }
    for (int k = 0; k < samples; ++k)
        for (std::size_t j = 0; j < joints; ++j) {
            const int parent = skeleton.joints()[j].parent;
            const Transform& local = locals[at(k) * joints + j];
            worlds[j] = parent < 0 ? to_affine(local) : worlds[at(parent)] * to_affine(local);
            turns[j] = parent < 0 ? local.r : turns[at(parent)] * local.r;
            const Quat since = normalized(turns[j] * conjugate(rest[j]));
            out.turns[j][at(k)] = k > 0 ? nearest(since, out.turns[j][at(k - 1)]) : since;
            out.places[j][at(k)] = worlds[j].o;
        }
    return out;
}

Vec3 middle_of(const SourcePoses& poses, const BoundMap& map, int k) {
    const int left = map.legs[0].its_thigh, right = map.legs[1].its_thigh;
    if (left < 0 || right < 0) return poses.place(map.its_hips, k);
    return (poses.place(left, k) + poses.place(right, k)) * 0.5;
}

std::optional<Vec3> round_way(const SourcePoses& poses, const BoundMap& map) {
    const int last = poses.samples - 1;
    if (last < 8) return {};
    for (std::size_t j = 0; j < poses.turns.size(); ++j)
        if (map.paired[j] &&
            angle_between(poses.turns[j][0], poses.turns[j][at(last)]) > 0.05 * kRadians)
            return {};
    Vec3 way = middle_of(poses, map, last) - middle_of(poses, map, 0);
    if (std::abs(way.y) > 1e-3) return {};
    way.y = 0;
    return way;
}

SourcePoses three_rounds(const SourcePoses& poses, Vec3 way) {
    const int once = poses.samples - 1;
    SourcePoses out;
    out.samples = 3 * once + 1;
    out.turns.resize(poses.turns.size());
    out.places.resize(poses.places.size());
    for (std::size_t j = 0; j < poses.turns.size(); ++j)
        for (int k = 0; k < out.samples; ++k) {
            const int round = std::min(k / once, 2), from = k - round * once;
            const Quat turn = poses.turns[j][at(from)];
            out.turns[j].push_back(k > 0 ? nearest(turn, out.turns[j].back()) : turn);
            out.places[j].push_back(poses.places[j][at(from)] + way * (round - 1.0));
        }
    return out;
}

void move_on(SourcePoses& poses, Vec3 speed, double step) {
    for (auto& places : poses.places)
        for (std::size_t k = 0; k < places.size(); ++k)
            places[k] = places[k] + speed * (static_cast<double>(k) * step);
}

}  // namespace mellow
