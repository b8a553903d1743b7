#include "figure/rest_pose.h"

#include <fmt/format.h>

#include <array>
#include <cmath>

#include "base/at.h"
#include "figure/motion.h"
#include "model/lanes.h"

namespace mellow {
namespace {

bool flat(double scale) { return std::abs(scale) < 1e-6; }

}  // namespace

Result<Skeleton> resting(const Figure& figure, const Recipe& recipe, const Target& target) {
    const RestRule& rule = target.rest;
    if (rule.from != RestRule::From::kFrame) return figure.skeleton();
    const FigureMotion motion = own_motion(figure, recipe);
    const Scene& scene = figure.scene();
    Performance what;
    auto found = find_timeline(scene, rule.timeline, motion.prefix, rule.where);
    if (!found) {
        Finding failure = found.failure();
        failure.remedy = "rest_timeline = \"...\" names one of them";
        return failure;
    }
    what.timeline = found.value();
    const Timeline& timeline = scene.timelines[at(what.timeline)];
    const double second = rule.frame / scene.rate.per_second();
    const auto [first, last] = key_span(timeline);
    const double per_second = scene.rate.per_second();
    if (second < first - 1e-6 || second > last + 1e-6)
        return Finding{
            Code::kValueBad,
            Severity::kStop,
            rule.where,
            fmt::format("frame {:.6g} of \"{}\"", rule.frame, timeline.name),
            fmt::format("a frame of {:.6g} to {:.6g}", first * per_second, last * per_second),
            "rest_frame = ...   # one of them"};
    what.played = Played{second, second, false};
    MELLOW_TRY(Rig bound, Rig::bind(scene, what, *motion.sheet));
    const Take take = motion.take(figure, std::make_shared<const Rig>(std::move(bound)), {});
    JointTile tile = take.make_tile();
    take.evaluate(std::array{second}, Take::Want::kLocals, tile);
    std::vector<Joint> joints = figure.skeleton().joints();
    // A root above the hips is where the figure stands, not how: it rests where it always does.
    for (std::size_t j = figure.root() == RootKind::kFigure ? 0 : 1; j < joints.size(); ++j) {
        const Vec3 size = joints[j].rest.s;
        joints[j].rest = load(local_rows(tile, static_cast<int>(j)), 0);
        joints[j].rest.r = normalized(joints[j].rest.r);
        // What is of no size at that frame rests at its own: a bind matrix must have an inverse.
        Vec3& s = joints[j].rest.s;
        s = {flat(s.x) ? size.x : s.x, flat(s.y) ? size.y : s.y, flat(s.z) ? size.z : s.z};
    }
    return Skeleton::make(std::move(joints));
}

}  // namespace mellow
