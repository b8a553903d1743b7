#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/at.h"
#include "mellow/retarget.h"
#include "retarget/contacts.h"
#include "retarget/figure_poses.h"
#include "retarget/keep_feet.h"
#include "retarget/source_poses.h"
#include "retarget/two_bones.h"

namespace mellow {

struct Carrier::Parts {
    Skeleton motion, figure;
    BoundMap map;
    CarryOptions options;
    double ratio = 1;
    double stands_m = 0;  ///< height of the figure's ankles at rest
};

namespace {

/// Of leg lengths; of trunks where there are no legs.
double ratio_of(const BoundMap& map) {
    const auto &left = map.legs[0], &right = map.legs[1];
    if (left.its_length + right.its_length > 0)
        return (left.length + right.length) / (left.its_length + right.its_length);
    for (const CarriedLimb& arm : map.arms)
        if (arm.whole()) {
            const double long_its =
                length(map.its_rest[at(arm.its_thigh)] - map.its_rest[at(map.its_hips)]);
            if (long_its > 0)
                return length(map.own_rest[at(arm.thigh)] - map.own_rest[at(map.hips)]) / long_its;
        }
    return 1;
}

}  // namespace

Result<Carrier> Carrier::make(const Skeleton& motion, const Skeleton& figure, const FigureMap& map,
                              const CarryOptions& options) {
    for (const Joint& joint : figure.joints()) {
        const Vec3 s = joint.rest.s;
        const double most = std::max({s.x, s.y, s.z}), least = std::min({s.x, s.y, s.z});
        if (most - least > 1e-6 * std::abs(most) || !(least > 0))
            return Finding{Code::kRestShape,
                           Severity::kStop,
                           Place::of(fmt::format("joint \"{}\"", joint.name)),
                           fmt::format("scaled by {:g} {:g} {:g} at rest", s.x, s.y, s.z),
                           "one scale above 0 along all axes",
                           "scale the figure evenly before motion is carried over to it"};
    }
    MELLOW_TRY(BoundMap bound, bind_map(motion, figure, map));
    auto parts = std::make_shared<Parts>();
    parts->motion = motion, parts->figure = figure, parts->map = std::move(bound);
    parts->options = options;
    parts->ratio = options.travel_ratio.value_or(ratio_of(parts->map));
    int feet = 0;
    for (const CarriedLimb& leg : parts->map.legs)
        if (leg.whole())
            parts->stands_m += parts->map.own_rest[at(leg.foot)].y - options.ground_m, ++feet;
    if (feet > 0) parts->stands_m /= feet;
    return Carrier(std::move(parts));
}

std::vector<std::string> Carrier::left_behind(const std::vector<Transform>& locals,
                                              int samples) const {
    const Skeleton& skeleton = parts_->motion;
    std::vector<std::string> out;
    for (int j = 0; j < skeleton.size(); ++j) {
        if (parts_->map.paired[at(j)]) continue;
        bool moves = false;
        for (int k = 1; k < samples && !moves; ++k) {
            const Transform &a = locals[at(j)], &b = locals[at(k) * at(skeleton.size()) + at(j)];
            moves = length(a.t - b.t) > 1e-4 || angle_between(a.r, b.r) > 1e-3;
        }
        if (moves) out.push_back(skeleton[j].name);
    }
    return out;
}

namespace {

/// One motion on its way.
class Carrying {
  public:
    Carrying(const Skeleton& motion, const Skeleton& figure, const BoundMap& map,
             const CarryOptions& options)
        : motion_(motion), figure_(figure), map_(map), options_(options) {}

    CarriedMotion run(const std::vector<Transform>& locals, int samples, double step, double ratio,
                      double stands) {
        CarriedMotion out;
        out.samples = samples;
        report_ = &out.report;
        report_->ratio = ratio;
        SourcePoses source = play_source(motion_, locals, samples);
        Contacts contacts = find_contacts(source, map_, step);
        if (contacts.count() == 0) {
            if (const auto belt = belt_speed(source, map_, step)) {
                report_->belt = *belt;
                move_on(source, -*belt, step);
                contacts = find_contacts(source, map_, step);
            }
        }
        Span counted{0, samples - 1};
        if (const auto way = round_way(source, map_)) {
            report_->closed = true;
            source = three_rounds(source, *way);
            contacts = find_contacts(source, map_, step);
            counted = {samples - 1, 2 * samples - 2};
        }
        lay_soles(contacts);
        FigurePoses poses(figure_, map_, source.samples);
        const bool stand = contacts.count() > 0;
        const double ankles = stand ? contacts.ankle_m : lowest_ankle(source);
        for (int k = 0; k < source.samples; ++k)
            turn_and_place(source, poses, k, ratio, stands, ankles);
        if (options_.hands) keep_hands(poses, source, map_);
        if (options_.feet && stand)
            keep_feet(poses, source, map_, contacts, options_.ground_m, step, counted, *report_);
        for (int k = 0; k < samples; ++k) {
            const int from = counted.first + k;
            if (report_->belt) {
                const Vec3 back = *report_->belt * (ratio * step * from);
                for (const int joint : {map_.root, map_.hips})
                    if (joint >= 0) poses.place(joint, from) = poses.place(joint, from) + back;
            }
            const std::vector<Transform> pose = poses.locals(from);
            out.locals.insert(out.locals.end(), pose.begin(), pose.end());
        }
        if (options_.feet && stand) slide_between(poses, contacts, counted, out);
        return out;
    }

  private:
    /// Feet are laid by their soles, not by the way from ankle to toe, where contacts show them.
    void lay_soles(const Contacts& contacts) {
        const std::vector<Vec3>&its = map_.its_rest, &own = map_.own_rest;
        for (std::size_t f = 0; f < 2; ++f) {
            const CarriedLimb& leg = map_.legs[f];
            const auto& sole = contacts.feet[f].sole;
            if (!leg.whole() || leg.toe < 0 || !sole) continue;
            const auto frame = [](Vec3 toe, Vec3 up) {
                const Vec3 ahead = normalized(toe - up * dot(toe, up), {0, 0, 1});
                return quat_from_columns(cross(up, ahead), up, ahead);
            };
            const Quat laid = frame(its[at(leg.its_toe)] - its[at(leg.its_foot)], *sole) *
                              conjugate(frame(own[at(leg.toe)] - own[at(leg.foot)], {0, 1, 0}));
            // Two degrees are what a contact may be wrong by.
            if (angle_between(laid, map_.joints[at(leg.foot)].align) < 0.035) continue;
            map_.joints[at(leg.foot)].align = map_.joints[at(leg.toe)].align = laid;
        }
    }

    double lowest_ankle(const SourcePoses& source) const {
        double low = 1e9;
        for (const CarriedLimb& leg : map_.legs)
            if (leg.whole())
                for (int k = 0; k < source.samples; ++k)
                    low = std::min(low, source.place(leg.its_foot, k).y);
        return low;
    }

    void turn_and_place(const SourcePoses& source, FigurePoses& poses, int k, double ratio,
                        double stands, double ankles) {
        for (int j = 0; j < figure_.size(); ++j) {
            const CarriedJoint& bound = map_.joints[at(j)];
            if (bound.a < 0) continue;
            Quat turn = source.turn(bound.a, k);
            if (bound.share > 0) turn = slerp(turn, source.turn(bound.b, k), bound.share);
            poses.turn(j, k) = normalized(turn * bound.align * bound.extra * poses.rest_turn(j));
        }
        const auto scaled = [&](int own, int its) {
            const Vec3 p = source.place(its, k);
            return Vec3{p.x * ratio,
                        map_.own_rest[at(own)].y + ratio * (p.y - map_.its_rest[at(its)].y),
                        p.z * ratio};
        };
        if (map_.root >= 0) poses.place(map_.root, k) = scaled(map_.root, map_.its_root);
        poses.place(map_.hips, k) = scaled(map_.hips, map_.its_hips);
        poses.lay(k);
        const CarriedLimb &left = map_.legs[0], &right = map_.legs[1];
        if (!left.whole() || !right.whole()) return;
        // The middle of the thigh heads is what is carried, not the hips.
        const Vec3 middle = middle_of(source, map_, k);
        const Vec3 wanted{middle.x * ratio,
                          options_.ground_m + stands + ratio * (middle.y - ankles),
                          middle.z * ratio};
        const Vec3 got = (poses.place(left.thigh, k) + poses.place(right.thigh, k)) * 0.5;
        poses.place(map_.hips, k) = poses.place(map_.hips, k) + wanted - got;
        poses.lay(k);
    }

    /// Half way between two samples a player turns joints, it does not solve legs.
    void slide_between(const FigurePoses& poses, const Contacts& contacts, Span counted,
                       const CarriedMotion& out) {
        std::vector<Affine> worlds(at(figure_.size()));
        const auto& locals = out.locals;
        for (int k = counted.first; k < counted.last; ++k) {
            std::array<bool, 2> stands{};
            for (std::size_t f = 0; f < 2; ++f)
                for (const Span& span : contacts.feet[f].spans)
                    stands[f] = stands[f] || (k >= span.first && k < span.last);
            if ((!stands[0] && !stands[1]) || report_->belt) continue;
            const std::size_t a = at(k - counted.first) * at(figure_.size());
            const std::size_t b = a + at(figure_.size());
            for (std::size_t j = 0; j < worlds.size(); ++j) {
                const Transform mid{(locals[a + j].t + locals[b + j].t) * 0.5,
                                    slerp(locals[a + j].r, locals[b + j].r, 0.5), locals[a + j].s};
                const int parent = figure_.joints()[j].parent;
                worlds[j] = parent < 0 ? to_affine(mid) : worlds[at(parent)] * to_affine(mid);
            }
            for (std::size_t f = 0; f < 2; ++f) {
                if (!stands[f]) continue;
                const int ball = map_.legs[f].toe >= 0 ? map_.legs[f].toe : map_.legs[f].foot;
                const Vec3 off =
                    worlds[at(ball)].o - (poses.place(ball, k) + poses.place(ball, k + 1)) * 0.5;
                report_->slide_between_mm = std::max(report_->slide_between_mm, 1000 * length(off));
            }
        }
    }

    const Skeleton &motion_, &figure_;
    BoundMap map_;  // with soles of this motion
    const CarryOptions& options_;
    CarryReport* report_ = nullptr;
};

}  // namespace

CarriedMotion Carrier::carry(const std::vector<Transform>& locals, int samples, double step) const {
    const Parts& p = *parts_;
    return Carrying(p.motion, p.figure, p.map, p.options)
        .run(locals, samples, step, p.ratio, p.stands_m);
}

}  // namespace mellow
