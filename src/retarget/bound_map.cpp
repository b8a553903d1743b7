#include "retarget/bound_map.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <tuple>

#include "base/at.h"
#include "base/text.h"
#include "math/degrees.h"
#include "retarget/two_bones.h"

namespace mellow {
namespace {

std::vector<Vec3> rest_places(const Skeleton& skeleton) {
    std::vector<Vec3> out;
    for (const Affine& world : skeleton.rest_worlds()) out.push_back(world.o);
    return out;
}

class MapBinder {
  public:
    MapBinder(const Skeleton& motion, const Skeleton& figure, const FigureMap& map)
        : motion_(motion),
          figure_(figure),
          map_(map),
          its_(rest_places(motion)),
          own_(rest_places(figure)) {}

    Result<BoundMap> run() {
        out_.joints.resize(at(figure_.size()));
        out_.paired.assign(at(motion_.size()), false);
        MELLOW_CHECK(fits_at_all());
        for (const MapPair& pair : map_.pairs) {
            Looked found{&pair, {}, {}};
            for (const std::string& name : pair.motion)
                found.its.push_back(look(motion_, name, "motion", pair));
            for (const std::string& name : pair.figure)
                found.own.push_back(look(figure_, name, "figure", pair));
            looked_.push_back(std::move(found));
        }
        MELLOW_CHECK(Status(wrong_));
        for (const std::string& name : map_.ignored)
            if (const int j = find(motion_, name, map_.where.at("ignored")); j >= 0)
                out_.paired[at(j)] = true;
        for (const Looked& l : looked_)
            for (const int j : l.its) out_.paired[at(j)] = true;
        MELLOW_CHECK(Status(wrong_));
        find_heading();
        bind_trunk();
        for (const BodySide side : {BodySide::kLeft, BodySide::kRight}) {
            bind_limb(side, {Role::kCollar, Role::kUpperArm, Role::kForearm, Role::kHand},
                      out_.arms[side == BodySide::kLeft ? 0 : 1]);
            bind_limb(side, {Role::kOther, Role::kThigh, Role::kShin, Role::kFoot},
                      out_.legs[side == BodySide::kLeft ? 0 : 1]);
            bind_fingers(side);
        }
        std::vector<const Looked*> others;
        for (const Looked& l : looked_)
            if (l.pair->role == Role::kOther) others.push_back(&l);
        // From the body outwards: each is laid as what it hangs on.
        std::sort(others.begin(), others.end(),
                  [](const Looked* a, const Looked* b) { return a->own[0] < b->own[0]; });
        for (const Looked* l : others) bind_chain(l->its, l->own, laid_above(l->own[0]));
        MELLOW_CHECK(Status(wrong_));
        for (const std::string& name : map_.held)
            if (const int j = find(figure_, name, map_.where.at("held")); j >= 0)
                out_.joints[at(j)] = {};
        for (const auto& [name, angles] : map_.turned)
            if (const int j = find(figure_, name, map_.where.at("turned"));
                j >= 0 && out_.joints[at(j)].a < 0)
                wrong_.push_back({Code::kValueBad, Severity::kStop, map_.where.at("turned"),
                                  fmt::format("\"{}\", which no pair moves", name),
                                  "a joint of the figure with a pair that is not held",
                                  "add a pair, or take it out"});
            else if (j >= 0)
                out_.joints[at(j)].extra = from_axis_angle({0, 0, 1}, angles.z * kRadians) *
                                           from_axis_angle({0, 1, 0}, angles.y * kRadians) *
                                           from_axis_angle({1, 0, 0}, angles.x * kRadians);
        MELLOW_CHECK(Status(wrong_));
        out_.its_rest = its_, out_.own_rest = own_;
        return std::move(out_);
    }

  private:
    struct Looked {
        const MapPair* pair;
        std::vector<int> its, own;
    };

    /// A map of two other files is one mistake, not one for each name.
    Status fits_at_all() const {
        for (const bool motion : {true, false}) {
            const Skeleton& skeleton = motion ? motion_ : figure_;
            int there = 0, all = 0;
            std::vector<std::string> names, wanted;
            for (const MapPair& pair : map_.pairs)
                for (const std::string& name : motion ? pair.motion : pair.figure) {
                    there += skeleton.find(name) >= 0 ? 1 : 0;
                    wanted.push_back(name);
                    ++all;
                }
            if (there > 0 || all < 2) continue;
            for (const Joint& joint : skeleton.joints()) names.push_back(joint.name);
            const char* const of = motion ? "motion" : "figure";
            return Finding{
                Code::kNameUnknown,
                Severity::kStop,
                map_.where,
                fmt::format("none of its {} joints of the {}: {}", all, of, name_list(wanted)),
                fmt::format("joints of the {}: {}", of, name_list(names)),
                "the map of these two; or names without the prefix they have there"};
        }
        return {};
    }

    int find(const Skeleton& skeleton, const std::string& name, const Place& where) {
        const int found = skeleton.find(name);
        if (found >= 0) return found;
        std::vector<std::string> names;
        for (const Joint& joint : skeleton.joints()) names.push_back(joint.name);
        wrong_.push_back({Code::kNameUnknown, Severity::kStop, where, fmt::format("\"{}\"", name),
                          suggest(name, names), "correct the name, or take it out of the map"});
        return -1;
    }
    int look(const Skeleton& skeleton, const std::string& name, const char* of,
             const MapPair& pair) {
        return find(skeleton, name, map_.where.at(fmt::format("{}, {}", pair.key(), of)));
    }

    const Looked* get(Role role, BodySide side = BodySide::kMiddle) const {
        for (const Looked& l : looked_)
            if (l.pair->role == role && l.pair->side == side) return &l;
        return nullptr;
    }
    /// A joint of each, where both have one.
    std::pair<int, int> one(Role role, BodySide side = BodySide::kMiddle) const {
        const Looked* const l = get(role, side);
        return l == nullptr ? std::pair(-1, -1) : std::pair(l->its[0], l->own[0]);
    }

    void missing(std::string what, std::string expected) {
        wrong_.push_back({Code::kSkeletonDiffers, Severity::kStop, map_.where, std::move(what),
                          std::move(expected), "add the pair to the map"});
    }

    /// Whole quarter turns about the vertical between the ways that the two face at rest.
    void find_heading() {
        for (const Role role : {Role::kThigh, Role::kUpperArm}) {
            const auto [its_left, own_left] = one(role, BodySide::kLeft);
            const auto [its_right, own_right] = one(role, BodySide::kRight);
            if (its_left < 0 || its_right < 0) continue;
            const Vec3 its = its_[at(its_left)] - its_[at(its_right)],
                       own = own_[at(own_left)] - own_[at(own_right)];
            const double turn = std::atan2(own.z, own.x) - std::atan2(its.z, its.x);
            const double quarters = std::round(turn / (std::numbers::pi / 2));
            const Vec3 across = normalized({its.x, 0, its.z}, {1, 0, 0});
            out_.ahead = cross(across, {0, 1, 0});
            heading_ = from_axis_angle({0, 1, 0}, quarters * std::numbers::pi / 2);
            return;
        }
    }

    void bind(int own, int its, Quat align) {
        CarriedJoint& joint = out_.joints[at(own)];
        joint.a = joint.b = its;
        joint.align = align;
    }

    void bind_trunk() {
        std::tie(out_.its_hips, out_.hips) = one(Role::kHips);
        std::tie(out_.its_root, out_.root) = one(Role::kRoot);
        if (out_.hips < 0)
            return missing("no pair for hips", "the joint where legs and spine meet");
        bind(out_.hips, out_.its_hips, heading_);
        out_.joints[at(out_.hips)].place = true;
        if (out_.root >= 0) {
            bind(out_.root, out_.its_root, heading_);
            out_.joints[at(out_.root)].place = true;
        }
        const auto head = one(Role::kHead);
        if (head.second >= 0) bind(head.second, head.first, heading_);
        const Looked *const spine = get(Role::kSpine), *const neck = get(Role::kNeck);
        if (spine != nullptr) {
            // The bone of the hips counts; the last bone ends where the neck begins.
            std::vector<int> its{out_.its_hips}, own{out_.hips};
            its.insert(its.end(), spine->its.begin(), spine->its.end());
            own.insert(own.end(), spine->own.begin(), spine->own.end());
            bind_arc(its, own, end_of(neck, head.first, true), end_of(neck, head.second, false), 1);
        }
        if (neck != nullptr) bind_arc(neck->its, neck->own, head.first, head.second, 0);
    }

    static int end_of(const Looked* neck, int head, bool its) {
        if (neck == nullptr) return head;
        return its ? neck->its[0] : neck->own[0];
    }

    /// Middles of the bones of a chain, as shares of its length.
    static std::vector<double> middles(const std::vector<int>& chain, int end,
                                       const std::vector<Vec3>& places) {
        std::vector<double> ways{0};
        for (std::size_t i = 0; i < chain.size(); ++i) {
            const int next = i + 1 < chain.size() ? chain[i + 1] : end;
            // A last bone that ends nowhere is as long as the one before it.
            const double bone = next >= 0 ? length(places[at(next)] - places[at(chain[i])])
                                : i > 0   ? ways[i] - ways[i - 1]
                                          : 1;
            ways.push_back(ways.back() + bone);
        }
        std::vector<double> out;
        for (std::size_t i = 0; i < chain.size(); ++i)
            out.push_back(ways.back() > 0 ? (ways[i] + ways[i + 1]) / 2 / ways.back() : 0.5);
        return out;
    }

    /// Each bone of the figure gets the turn that the motion's chain has at its middle. The first
    /// `done` joints are bound already.
    void bind_arc(const std::vector<int>& its, const std::vector<int>& own, int its_end,
                  int own_end, std::size_t done) {
        const std::vector<double> from = middles(its, its_end, its_),
                                  to = middles(own, own_end, own_);
        for (std::size_t i = done; i < own.size(); ++i) {
            bind(own[i], its[0], heading_);
            CarriedJoint& joint = out_.joints[at(own[i])];
            std::size_t k = 0;
            while (k + 1 < from.size() && from[k + 1] <= to[i] + 1e-9) ++k;
            joint.a = joint.b = its[k];
            if (k + 1 == from.size() || to[i] <= from[k] + 1e-9) continue;
            joint.b = its[k + 1];
            joint.share = (to[i] - from[k]) / (from[k + 1] - from[k]);
        }
    }

    /// Lays each bone into the direction of the motion's at rest, down the chain.
    Quat bind_down(const std::vector<int>& its, const std::vector<int>& own, Quat above) {
        for (std::size_t i = 0; i < own.size(); ++i) {
            if (i + 1 < own.size())
                above = swing(rotate(above, own_[at(own[i + 1])] - own_[at(own[i])]),
                              its_[at(its[i + 1])] - its_[at(its[i])]) *
                        above;
            bind(own[i], its[i], above);
        }
        return above;
    }

    /// How the nearest joint above is laid that has a pair.
    Quat laid_above(int joint) const {
        while ((joint = figure_[joint].parent) >= 0)
            if (out_.joints[at(joint)].a >= 0) return out_.joints[at(joint)].align;
        return heading_;
    }

    /// As many joints one by one; else by shares of the length.
    void bind_chain(const std::vector<int>& its, const std::vector<int>& own, Quat above) {
        if (its.size() == own.size()) {
            bind_down(its, own, above);
            return;
        }
        bind_arc(its, own, -1, -1, 0);
        for (const int j : own) out_.joints[at(j)].align = above;
    }

    void bind_limb(BodySide side, const std::array<Role, 4>& roles, CarriedLimb& limb) {
        std::vector<int> its, own;
        if (const Looked* const collar = get(roles[0], side);
            collar != nullptr && roles[0] != Role::kOther) {
            // Collars of other counts: one bone each.
            its.push_back(collar->its[0]);
            own.push_back(collar->own[0]);
        }
        const std::size_t collars = own.size();
        for (std::size_t i = 1; i < 4; ++i) {
            const auto [a, b] = one(roles[i], side);
            if (b < 0) {
                for (std::size_t k = i + 1; k < 4; ++k)
                    if (one(roles[k], side).second >= 0)
                        missing(fmt::format("no pair for {}, where {} has one",
                                            role_name(roles[i], side), role_name(roles[k], side)),
                                "a limb without a gap");
                break;
            }
            its.push_back(a);
            own.push_back(b);
        }
        Quat last = bind_down(its, own, heading_);
        if (own.size() != collars + 3) return;
        const auto its_at = [&](std::size_t i) { return its[collars + i]; };
        const auto own_at = [&](std::size_t i) { return own[collars + i]; };
        limb.thigh = own_at(0), limb.shin = own_at(1), limb.foot = own_at(2);
        limb.its_thigh = its_at(0), limb.its_shin = its_at(1), limb.its_foot = its_at(2);
        const auto bone = [](const std::vector<Vec3>& p, int a, int b) {
            return length(p[at(a)] - p[at(b)]);
        };
        limb.length = bone(own_, limb.thigh, limb.shin) + bone(own_, limb.shin, limb.foot);
        limb.its_length =
            bone(its_, limb.its_thigh, limb.its_shin) + bone(its_, limb.its_shin, limb.its_foot);
        if (roles[3] != Role::kFoot) return;
        const auto [its_toe, toe] = one(Role::kToe, side);
        limb.its_toe = its_toe, limb.toe = toe;
        if (toe >= 0) bind(toe, its_toe, last);
    }

    void bind_fingers(BodySide side) {
        const auto [its_hand, hand] = one(Role::kHand, side);
        const Quat above = hand >= 0 ? out_.joints[at(hand)].align : heading_;
        for (const Role finger : {Role::kThumb, Role::kIndexFinger, Role::kMiddleFinger,
                                  Role::kRingFinger, Role::kLittleFinger})
            if (const Looked* const l = get(finger, side)) bind_chain(l->its, l->own, above);
    }

    const Skeleton &motion_, &figure_;
    const FigureMap& map_;
    const std::vector<Vec3> its_, own_;
    std::vector<Looked> looked_;
    Findings wrong_;
    Quat heading_;
    BoundMap out_;
};

}  // namespace

Result<BoundMap> bind_map(const Skeleton& motion, const Skeleton& figure, const FigureMap& map) {
    return MapBinder(motion, figure, map).run();
}

}  // namespace mellow
