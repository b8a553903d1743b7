// Demands on roots: what they carry, which way clips begin; declared in checker.h.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/at.h"
#include "check/checker.h"
#include "math/degrees.h"
#include "mellow/pose.h"

namespace mellow {
namespace {

constexpr Vec3 kUp{0, 1, 0};
/// Departures of a root below these are none.
constexpr double kStays_m = 1e-3, kStays_rad = 0.1 / kDegrees;
/// The hips go so far before a root that stays is told of: as packing judges travel.
constexpr double kGoes_m = 0.3, kTurns_rad = 30 / kDegrees;

/// How far something ever leaves its first place and turn.
class Leaves {
  public:
    void add(const Vec3& place, double turn) {
        if (!begun_) first_ = place, begin_ = before_ = turn, begun_ = true;
        before_ += std::remainder(turn - before_, 2 * std::numbers::pi);
        const Vec3 moved = place - first_;
        ground = std::max(ground, std::hypot(moved.x, moved.z));
        height = std::max(height, std::abs(moved.y));
        heading = std::max(heading, std::abs(before_ - begin_));
    }
    double begin() const { return begin_; }

    double ground = 0, height = 0, heading = 0;

  private:
    bool begun_ = false;
    Vec3 first_;
    double begin_ = 0, before_ = 0;
};

/// The joint at which a figure branches: below it no branch has four fifths of the joints.
int hips_of(const Scene& scene, const std::vector<int>& joints) {
    std::vector<int> below(scene.nodes.size(), 0);
    for (const int j : joints)
        for (int n = j; n != kNone; n = scene.nodes[at(n)].parent) ++below[at(n)];
    int here = kNone;
    for (const int j : joints)
        if (here == kNone || below[at(j)] > below[at(here)]) here = j;
    for (bool down = here != kNone; down;) {
        down = false;
        for (const int j : joints)
            if (scene.nodes[at(j)].parent == here && 5 * below[at(j)] > 4 * (below[at(here)] - 1)) {
                here = j;
                down = true;
                break;
            }
    }
    return here;
}

std::vector<std::string> parts_of(bool ground, bool height, bool heading) {
    std::vector<std::string> parts;
    for (const auto& [has, name] :
         {std::pair(ground, "ground"), std::pair(height, "height"), std::pair(heading, "heading")})
        if (has) parts.emplace_back(name);
    return parts;
}

std::string in_quotes(const std::vector<std::string>& words) {
    return words.empty() ? "" : fmt::format("\"{}\"", fmt::join(words, "\", \""));
}

std::string parts_text(bool ground, bool height, bool heading) {
    const auto parts = parts_of(ground, height, heading);
    return parts.empty() ? "nothing" : fmt::format("{}", fmt::join(parts, ", "));
}

/// What the channels of a clip that hold its travel say at a time; nothing without them.
Affine kept_travel(const Timeline& timeline, double seconds) {
    std::array<double, kTravelChannels.size()> value{};
    for (std::size_t c = 0; c < value.size(); ++c)
        for (const ScalarCurve& scalar : timeline.scalars)
            if (scalar.name == kTravelChannels[c])
                sample(scalar.curve, false, std::span(&seconds, 1), &value[c]);
    return to_affine(
        {{value[0], value[1], value[2]}, from_axis_angle(kUp, value[3] / kDegrees), {1, 1, 1}});
}

}  // namespace

void Checker::root(const CheckedFile& file, const std::string& what, const Timeline& timeline,
                   const std::string& group) {
    const Scene inside = inside_alone(file, timeline);
    const Timeline& t = inside.timelines[0];
    const std::vector<int> joints = joints_of(inside);
    const int hips = hips_of(inside, joints);
    if (hips == kNone) return;
    int top = hips;
    for (int up = top; up != kNone; up = inside.nodes[at(up)].parent)
        if (std::ranges::find(joints, up) != joints.end()) top = up;
    const std::vector<Affine> rest = rest_worlds(inside);
    const auto [from, last] = key_span(t);
    const double step = 1 / target_.rate.per_second(),
                 first = from + (target_.rest_first ? step : 0);
    Leaves root, body;
    const auto samples = std::llround((last - first) / step);
    for (std::int64_t k = 0; k <= samples; ++k) {
        const double now = std::min(last, first + static_cast<double>(k) * step);
        const Pose pose = pose_at(inside, t, now);
        const Affine kept = kept_travel(t, now);
        for (const auto& [joint, leaves] : {std::pair(top, &root), std::pair(hips, &body)}) {
            const Affine world = kept * pose.worlds[at(joint)];
            leaves->add(
                world.o,
                twist_angle(rotation_of(world) * conjugate(rotation_of(rest[at(joint)])), kUp));
        }
    }
    if (target_.starts_ahead_rad) {
        const double begin = (root.heading > kStays_rad ? root : body).begin();
        demand("starts-ahead", what,
               fmt::format("a first pose that heads ahead, {:g} degrees off at most",
                           *target_.starts_ahead_rad * kDegrees),
               fmt::format("{:+.1f} degrees", begin * kDegrees),
               std::abs(begin) <= *target_.starts_ahead_rad + 1e-9,
               "start = \"origin\"   # in the clip, and pack again");
    }
    for (const RootRule& rule : target_.roots) {
        if (!rule.takes(timeline.name, group)) continue;
        const bool ground = root.ground > kStays_m, height = root.height > kStays_m,
                   heading = root.heading > kStays_rad;
        const bool met = (rule.ground ? ground || body.ground < kGoes_m : !ground) &&
                         (rule.height ? height || body.height < kGoes_m : !height) &&
                         (rule.heading ? heading || body.heading < kTurns_rad : !heading);
        demand("root-carries", what,
               "a root that carries " + parts_text(rule.ground, rule.height, rule.heading),
               fmt::format("it carries {}; the hips go {:.2f} m over the ground, {:.2f} m up or "
                           "down, and turn by {:.0f} degrees",
                           parts_text(ground, height, heading), body.ground, body.height,
                           body.heading * kDegrees),
               met,
               fmt::format("travel = [{}]   # in the clip, and pack again",
                           in_quotes(parts_of(rule.ground, rule.height, rule.heading))));
        break;
    }
}

}  // namespace mellow
