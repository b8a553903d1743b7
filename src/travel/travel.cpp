#include "mellow/travel.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <optional>

#include "base/at.h"
#include "math/degrees.h"
#include "mellow/pose.h"
#include "travel/smooth.h"

namespace mellow {
namespace {

constexpr Vec3 kUp{0, 1, 0};
/// Slower ones have no way.
constexpr double kSlow_m_s = 0.05;
/// Feet that are slower for longer stand.
constexpr double kStill_m_s = 0.25, kStands_s = 0.15;

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

/// The direction in which a path goes at each sample, without jumps; where it is slow, as before.
std::vector<double> ways(const GroundPath& path, double rate, const std::vector<double>& instead) {
    std::vector<double> out(at(path.samples()));
    double before = instead[0];
    std::optional<int> first;
    for (int k = 0; k < path.samples(); ++k) {
        const bool ends = !path.loops() && (k == 0 || k == path.samples() - 1);
        const Vec3 step = on_ground(path.at(k + 1).place - path.at(k - 1).place);
        if (length(step) * rate / (ends ? 1 : 2) > kSlow_m_s) {
            const double ahead = std::atan2(step.x, step.z);
            before = ahead +
                     2 * std::numbers::pi * std::round((before - ahead) / (2 * std::numbers::pi));
            if (!first) first = k;
        }
        out[at(k)] = before;
    }
    for (int k = 0; k < first.value_or(0); ++k) out[at(k)] = out[at(*first)];
    return out;
}

/// Of the lowest foot that stands, how far it is above where it rests, at samples at which one
/// does.
std::vector<std::optional<double>> standing(const Clip& clip, const Skeleton& skeleton,
                                            const std::vector<int>& feet) {
    std::vector<std::optional<double>> known(at(clip.samples));
    const double rate = clip.rate.per_second();
    for (const int foot : feet) {
        const double rest = skeleton.rest_worlds()[at(foot)].o.y;
        std::vector<Vec3> places;
        for (int k = 0; k < clip.samples; ++k)
            places.push_back(world_at(clip, skeleton, foot, k).o);
        // Runs of slow steps: at the top of a leap a foot is slow as well, but not for long.
        for (int first = 0, k = 1; k <= clip.samples; ++k) {
            if (k < clip.samples && length(places[at(k)] - places[at(k - 1)]) * rate <= kStill_m_s)
                continue;
            for (int i = first; k - 1 - first >= kStands_s * rate && i < k; ++i) {
                const double height = places[at(i)].y - rest;
                known[at(i)] = std::min(known[at(i)].value_or(height), height);
            }
            first = k;
        }
    }
    return known;
}

/// The same at all samples: in lines where no foot stands, 0 where none ever does.
std::vector<double> standing_heights(const Clip& clip, const Skeleton& skeleton,
                                     const std::vector<int>& feet) {
    const std::vector<std::optional<double>> known = standing(clip, skeleton, feet);
    std::vector<int> stands;
    for (int k = 0; k < clip.samples; ++k)
        if (known[at(k)]) stands.push_back(k);
    if (stands.empty()) return std::vector<double>(at(clip.samples), 0.0);
    std::vector<double> out;
    for (int k = 0; k < clip.samples; ++k) {
        const auto next = std::lower_bound(stands.begin(), stands.end(), k);
        const int b = next == stands.end() ? stands.back() : *next;
        const int a = next == stands.begin() || b == k ? b : *(next - 1);
        const double u = a == b ? 0 : static_cast<double>(k - a) / (b - a);
        out.push_back(a > k || b < k ? *known[at(a > k ? a : b)]
                                     : *known[at(a)] * (1 - u) + *known[at(b)] * u);
    }
    return out;
}

/// What the root is to carry at each sample, all parts of it.
std::vector<GroundFrame> ground_frames(const Clip& clip, const Skeleton& skeleton, int hips,
                                       const TravelParts& parts, const std::vector<int>& feet) {
    const double rate = clip.rate.per_second();
    const bool loops = clip.loop != LoopForm::kOnce;
    std::vector<double> heading = headings(clip, skeleton, hips), height;
    std::vector<GroundFrame> frames;
    for (int k = 0; k < clip.samples; ++k) {
        const Vec3 place = world_at(clip, skeleton, hips, k).o;
        height.push_back(place.y);
        frames.push_back({on_ground(place), parts.heading ? heading[at(k)] : 0});
    }
    if (parts.heading_from == TravelParts::Heading::kWay) {
        heading = ways(GroundPath(frames, loops), rate, heading);
        // What one round of a loop adds is what the hips turn, give or take a whole turn of noise.
        if (loops)
            heading.back() = heading.front() + frames.back().heading - frames.front().heading;
    }
    if (parts.height_from == TravelParts::Height::kFeet)
        height = standing_heights(clip, skeleton, feet);
    const auto shaped = [&](std::vector<GroundFrame> list) {
        return parts.smooth_s > 0
                   ? GroundPath(std::move(list), loops).smoothed(parts.smooth_s * rate)
                   : list;
    };
    for (int k = 0; k < clip.samples; ++k)
        if (parts.heading) frames[at(k)].heading = heading[at(k)];
    const std::vector<GroundFrame> turned = shaped(frames);
    const Vec3 rest_place = on_ground(skeleton.rest_worlds()[at(hips)].o);
    for (int k = 0; k < clip.samples; ++k) {
        GroundFrame& frame = frames[at(k)];
        frame.heading = turned[at(k)].heading;
        frame.place = frame.place - rotate(from_axis_angle(kUp, frame.heading), rest_place);
        frame.place.y = height[at(k)] - height[0];
    }
    std::vector<GroundFrame> out = shaped(frames);
    for (int k = 0; k < clip.samples; ++k) out[at(k)].heading = turned[at(k)].heading;
    return out;
}

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

/// Departures below these are none.
constexpr double kStays_m = 1e-4, kStays_rad = 1e-3;

/// How the root turns about up, away from rest, without jumps.
std::vector<double> root_headings(const std::vector<Transform>& roots, const Quat& rest) {
    std::vector<double> out;
    double before = 0;
    for (const Transform& root : roots) {
        double heading = twist_angle(root.r * conjugate(rest), kUp);
        heading += 2 * std::numbers::pi * std::round((before - heading) / (2 * std::numbers::pi));
        out.push_back(before = heading);
    }
    return out;
}

/// What a root carries by itself.
void find_parts(const std::vector<Transform>& roots, const std::vector<double>& heading,
                Travel& travel) {
    for (std::size_t k = 0; k < roots.size(); ++k) {
        const Vec3 moved = roots[k].t - roots[0].t;
        travel.ground = travel.ground || length(on_ground(moved)) > kStays_m;
        travel.height = travel.height || std::abs(moved.y) > kStays_m;
        travel.heading = travel.heading || std::abs(heading[k] - heading[0]) > kStays_rad;
    }
}

}  // namespace

Status add_root(Skeleton& skeleton, JointSources& sources, const std::string& root) {
    int tops = 0;
    for (const Joint& joint : skeleton.joints()) tops += joint.parent < 0 ? 1 : 0;
    if (tops == 1 && skeleton[0].name == root) return {};
    if (skeleton.find(root) >= 0)
        return Finding{Code::kNameClash,
                       Severity::kStop,
                       Place::of(fmt::format("joint \"{}\"", root)),
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

Status drive_root(Skeleton& skeleton, JointSources& sources, const Scene& scene, int node) {
    if (sources[0].node != kNone)
        return Finding{Code::kValueBad,
                       Severity::kStop,
                       Place::of(fmt::format("joint \"{}\"", skeleton[0].name)),
                       "a root that the source has, and that moves as it does there",
                       "a root that is added",
                       "take out node = \"...\" under [travel], or name another root"};
    const Affine rest = rest_worlds(scene)[at(node)];
    sources[0] = {node, 1, conjugate(rotation_of(rest)), true};
    std::vector<Joint> joints = skeleton.joints();
    joints[0].rest.t = rest.o;
    for (std::size_t j = 1; j < joints.size(); ++j)
        if (joints[j].parent == 0) joints[j].rest.t = joints[j].rest.t - rest.o;
    MELLOW_TRY(skeleton, Skeleton::make(std::move(joints)));
    return {};
}

Travel travel_of_root(const Clip& clip, const Skeleton& skeleton) {
    Travel travel;
    std::vector<Transform> roots;
    for (int k = 0; k < clip.samples; ++k) roots.push_back(local_at(clip.joints[0], k));
    const std::vector<double> heading = root_headings(roots, skeleton[0].rest.r);
    find_parts(roots, heading, travel);
    fill_figures(travel, roots, heading, clip.rate.seconds(clip.samples - 1));
    return travel;
}

void extract_travel(Clip& clip, const Skeleton& skeleton, int hips, const TravelParts& parts,
                    const std::vector<int>& feet) {
    Travel& travel = clip.travel;
    if (!parts.any()) {
        travel = travel_of_root(clip, skeleton);
        return;
    }
    travel = {};
    travel.ground = parts.ground, travel.height = parts.height, travel.heading = parts.heading;
    std::vector<double> heading;
    std::vector<Transform> roots;
    for (const GroundFrame& frame : ground_frames(clip, skeleton, hips, parts, feet)) {
        heading.push_back(frame.heading);
        Transform root;
        if (parts.heading) root.r = from_axis_angle(kUp, frame.heading);
        if (parts.ground) root.t = on_ground(frame.place);
        if (parts.height) root.t.y = frame.place.y;
        roots.push_back(root);
    }
    for (int k = 0; k < clip.samples; ++k) set_root(clip, skeleton, k, roots[at(k)]);
    fill_figures(travel, roots, heading, clip.rate.seconds(clip.samples - 1));
}

Transform start_frame(const Clip& clip, const Skeleton& skeleton, int hips,
                      const TravelParts& parts, const std::vector<int>& feet) {
    TravelParts all = parts;
    all.ground = all.heading = true;
    const GroundFrame first = ground_frames(clip, skeleton, hips, all, feet)[0];
    return {on_ground(first.place), from_axis_angle(kUp, first.heading), {1, 1, 1}};
}

double start_heading(const Clip& clip, const Skeleton& skeleton, int hips) {
    return headings(clip, skeleton, clip.travel.heading ? 0 : hips)[0];
}

bool any_foot_stands(const Clip& clip, const Skeleton& skeleton, const std::vector<int>& feet) {
    const auto known = standing(clip, skeleton, feet);
    return std::any_of(known.begin(), known.end(), [](const auto& k) { return k.has_value(); });
}

void travel_channels(Clip& clip, const Skeleton& skeleton) {
    std::array<ScalarTrack, 4> channels;
    for (std::size_t c = 0; c < 4; ++c)
        channels[c] = {kTravelChannels[c], c < 3 ? "metres" : "degrees", {}};
    const Transform rest = skeleton[0].rest;
    double before = 0;
    for (int k = 0; k < clip.samples; ++k) {
        const Transform root = local_at(clip.joints[0], k);
        double turn = twist_angle(root.r * conjugate(rest.r), kUp);
        turn += 2 * std::numbers::pi * std::round((before - turn) / (2 * std::numbers::pi));
        before = turn;
        // What is written is what is taken off: channels are single precision.
        const auto degrees = static_cast<float>(turn * kDegrees);
        const Quat about_up = from_axis_angle(kUp, static_cast<double>(degrees) / kDegrees);
        const Vec3 exact = root.t - rotate(about_up, rest.t);
        const std::array parts{static_cast<float>(exact.x), static_cast<float>(exact.y),
                               static_cast<float>(exact.z)};
        const Vec3 place{static_cast<double>(parts[0]), static_cast<double>(parts[1]),
                         static_cast<double>(parts[2])};
        for (std::size_t c = 0; c < 3; ++c) channels[c].values.push_back(parts[c]);
        channels[3].values.push_back(degrees);
        const Quat back = conjugate(about_up);
        Transform stays{rotate(back, root.t - place), normalized(back * root.r), root.s};
        // What is nothing but rounding is none of the root's motion.
        if (length(stays.t - rest.t) < 1e-6 && angle_between(stays.r, rest.r) < 1e-6) stays = rest;
        if (k > 0) stays.r = nearest(stays.r, local_at(clip.joints[0], k - 1).r);
        store(clip.joints[0], k, stays);
    }
    clip.travel.channels = true;
    for (ScalarTrack& channel : channels) clip.scalars.push_back(std::move(channel));
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
    const auto lowest = [&](int k) {
        double y = world_at(clip, skeleton, hips, k).o.y;
        for (int j = 1; j < skeleton.size(); ++j)
            y = std::min(y, world_at(clip, skeleton, j, k).o.y);
        return y - local_at(clip.joints[0], k).t.y;
    };
    out.sinks_alone = whole.y < 0 && lowest(clip.samples - 1) - lowest(0) > 0.5 * whole.y;
    return out;
}

}  // namespace mellow
