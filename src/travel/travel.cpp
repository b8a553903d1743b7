#include "mellow/travel.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/at.h"

namespace mellow {
namespace {

constexpr Vec3 kUp{0, 1, 0};

Affine world_at(const Clip& clip, const Skeleton& skeleton, int joint, int sample) {
    Affine world;
    for (int j = joint; j >= 0; j = skeleton[j].parent)
        world = to_affine(local_at(clip.joints[at(j)], sample)) * world;
    return world;
}

/// Heading of each sample, radians, without jumps. A pose that hides its heading (hips upside down)
/// keeps the one before.
std::vector<double> headings(const Clip& clip, const Skeleton& skeleton, int hips) {
    const Quat rest = rotation_of(skeleton.rest_worlds()[at(hips)]);
    std::vector<double> out;
    double before = 0;
    for (int k = 0; k < clip.samples; ++k) {
        const Quat turn = rotation_of(world_at(clip, skeleton, hips, k)) * conjugate(rest);
        double heading = before;
        if (turn.y * turn.y + turn.w * turn.w > 1e-6) heading = twist_angle(turn, kUp);
        heading += 2 * std::numbers::pi * std::round((before - heading) / (2 * std::numbers::pi));
        out.push_back(heading);
        before = heading;
    }
    return out;
}

Vec3 on_ground(Vec3 p) { return {p.x, 0, p.z}; }

void set_root(Clip& clip, const Skeleton& skeleton, int sample, const Transform& root) {
    const Affine old_root = to_affine(local_at(clip.joints[0], sample));
    const Affine change = inverse(to_affine(root)) * old_root;
    for (int j = 1; j < skeleton.size(); ++j) {
        if (skeleton[j].parent != 0) continue;
        JointTrack& track = clip.joints[at(j)];
        const Affine local = change * to_affine(local_at(track, sample));
        Transform t = decompose(local).transform;
        if (sample > 0) t.r = nearest(t.r, local_at(track, sample - 1).r);
        store(track, sample, t);
    }
    store(clip.joints[0], sample, root);
}

void fill_figures(Travel& travel, const std::vector<Transform>& roots,
                  const std::vector<double>& heading, double seconds) {
    for (std::size_t k = 1; k < roots.size(); ++k)
        travel.path_m += length(on_ground(roots[k].t - roots[k - 1].t));
    const Transform &first = roots.front(), &last = roots.back();
    travel.distance_m = length(on_ground(last.t - first.t));
    travel.height_change_m = last.t.y - first.t.y;
    travel.heading_change_rad = travel.heading ? heading.back() - heading.front() : 0;
    travel.speed_m_s = seconds > 0 ? travel.path_m / seconds : 0;
    travel.step = rotate(conjugate(first.r), last.t - first.t);
    travel.step_heading_rad = travel.heading_change_rad;
}

}  // namespace

Status add_root(Skeleton& skeleton, JointSources& sources, const std::string& root) {
    int tops = 0;
    for (const Joint& joint : skeleton.joints()) tops += joint.parent < 0 ? 1 : 0;
    if (tops == 1 && skeleton[0].name == root) return {};
    if (skeleton.find(root) >= 0)
        return Finding{Code::kNameClash,
                       Severity::kStop,
                       fmt::format("joint \"{}\"", root),
                       "a joint of this name that is not the only top joint",
                       "a free name for the root joint that is added",
                       "set another name with root = \"...\" under [travel]"};
    std::vector<Joint> joints{{root, -1, {}}};
    for (Joint joint : skeleton.joints()) {
        ++joint.parent;
        joints.push_back(std::move(joint));
    }
    sources.insert(sources.begin(), JointSource{});
    MELLOW_TRY(skeleton, Skeleton::make(std::move(joints)));
    return {};
}

void extract_travel(Clip& clip, const Skeleton& skeleton, int hips, const TravelParts& parts) {
    Travel& travel = clip.travel;
    travel = {};
    travel.ground = parts.ground, travel.height = parts.height, travel.heading = parts.heading;
    const std::vector<double> heading = headings(clip, skeleton, hips);
    std::vector<Transform> roots;
    if (parts.ground || parts.height || parts.heading) {
        const Vec3 rest_place = on_ground(skeleton.rest_worlds()[at(hips)].o);
        const double ground = world_at(clip, skeleton, hips, 0).o.y;
        for (int k = 0; k < clip.samples; ++k) {
            const Vec3 place = world_at(clip, skeleton, hips, k).o;
            Transform root;
            if (parts.heading) root.r = from_axis_angle(kUp, heading[at(k)]);
            if (parts.ground) root.t = on_ground(place) - rotate(root.r, rest_place);
            if (parts.height) root.t.y = place.y - ground;
            roots.push_back(root);
        }
        for (int k = 0; k < clip.samples; ++k) set_root(clip, skeleton, k, roots[at(k)]);
    } else {
        for (int k = 0; k < clip.samples; ++k) roots.push_back(local_at(clip.joints[0], k));
    }
    fill_figures(travel, roots, heading, clip.rate.seconds(clip.samples - 1));
}

HipsDrift hips_drift(const Clip& clip, const Skeleton& skeleton, int hips) {
    const auto from_root = [&](int k) {
        return world_at(clip, skeleton, hips, k).o - local_at(clip.joints[0], k).t;
    };
    const Vec3 start = from_root(0);
    HipsDrift out;
    for (int k = 1; k < clip.samples; ++k)
        out.farthest_m = std::max(out.farthest_m, length(on_ground(from_root(k) - start)));
    const Vec3 whole = from_root(clip.samples - 1) - start;
    out.ground_m = length(on_ground(whole));
    out.climb_m = std::abs(whole.y);
    return out;
}

}  // namespace mellow
