#include "figure/carried_motion.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/at.h"
#include "base/text.h"
#include "mellow/rig.h"
#include "shape/tile_poses.h"

namespace mellow {
namespace {

constexpr double kLeastRate = 50;   ///< keys a second
constexpr double kMostKnees = 1.3;  ///< of the motion's own second difference
constexpr double kMostSlide_mm = 3;

void say(const CarryReport& r, const Place& where, Findings& out) {
    std::string text = fmt::format("carried over: ways times {:.3f}", r.ratio);
    if (r.contacts > 0)
        text += fmt::format(
            ", {} contacts of feet that would slide by {:.1f} mm and do by {:.2f}, {:.2f} half way "
            "between two keys, hips lowered by {:.1f} mm at most",
            r.contacts, r.slide_before_mm, r.slide_mm, r.slide_between_mm, r.lowered_mm);
    else
        text += ", no foot that stands still";
    if (r.closed) text += ", as a round";
    if (r.belt) text += fmt::format(", the ground moving by {:.2f} m/s", length(*r.belt));
    out.push_back({Code::kAssumed, Severity::kNote, where, text, "", ""});
    const auto warn = [&](std::string found, std::string expected) {
        out.push_back({Code::kFootSlide, Severity::kWarning, where, std::move(found),
                       std::move(expected),
                       "look at it; or feet = false under [retarget]: then nothing is pinned"});
    };
    if (r.out_of_reach > 0)
        warn(fmt::format("a leg that does not reach its foot at {} samples, though the hips are "
                         "lowered by {:.0f} mm",
                         r.out_of_reach, r.lowered_mm),
             "feet within reach of the figure's legs");
    if (r.slide_between_mm > kMostSlide_mm)
        warn(fmt::format("standing feet that move by {:.1f} mm half way between two keys",
                         r.slide_between_mm),
             fmt::format("at most {:g} mm", kMostSlide_mm));
    if (r.knee_ratio > kMostKnees)
        warn(fmt::format("knees that change their speed {:.1f} times as much as in the motion",
                         r.knee_ratio),
             fmt::format("at most {:g} times", kMostKnees));
}

/// Keys of one timeline of the figure's joints.
class TimelineWriter {
  public:
    TimelineWriter(const Scene& motion, const ChosenJoints& bones, const Skeleton& figure)
        : motion_(motion), bones_(bones), figure_(figure) {}

    Result<Timeline> run(int index, const Carrier& carrier, const Place& where, Findings& out) {
        const Timeline& from = motion_.timelines[at(index)];
        const Place place = where.at(fmt::format("timeline \"{}\"", from.name));
        MELLOW_TRY(Rig rig, Rig::bind(motion_, index, {}));
        const Take take = play(motion_, std::make_shared<const Rig>(std::move(rig)),
                               bones_.skeleton, bones_.sources, {});
        const auto [first, last] = frames_of(from, motion_.rate);
        const int between =
            std::max(1, static_cast<int>(std::ceil(kLeastRate / motion_.rate.per_second() - 1e-9)));
        constexpr std::int64_t kMost = 200'000;
        if ((last - first) * between >= kMost)
            return Finding{Code::kLimit,
                           Severity::kStop,
                           place,
                           fmt::format("{} samples", (last - first) * between + 1),
                           fmt::format("at most {} to carry over", kMost),
                           "a shorter timeline"};
        const int samples = static_cast<int>((last - first) * between) + 1;
        std::vector<double> seconds;
        for (int k = 0; k < samples; ++k)
            seconds.push_back(motion_.rate.seconds(first) + motion_.rate.seconds(k) / between);
        const std::vector<Transform> locals = evaluate(take, seconds);
        const CarriedMotion carried =
            carrier.carry(locals, samples, motion_.rate.seconds(1) / between);
        say(carried.report, place, out);
        if (const auto left = carrier.left_behind(locals, samples); !left.empty())
            out.push_back({Code::kLeftOut, Severity::kNote, place,
                           fmt::format("motion of joints without a pair: {}", name_list(left)),
                           "pairs in the map, or their names under ignored", ""});
        Timeline timeline = write(carried, std::move(seconds));
        timeline.name = from.name, timeline.span = from.span;
        timeline.extras = from.extras, timeline.extensions = from.extensions;
        timeline.scalars = from.scalars;
        timeline.morphs = from.morphs;
        for (const Channel& c : from.channels)
            if (const Node& node = motion_.nodes[at(c.node)];
                c.path == Path::kWeights && node.mesh != kNone)
                timeline.morphs.push_back(
                    {node.name, motion_.meshes[at(node.mesh)].target_names, c.curve});
        return timeline;
    }

  private:
    std::vector<Transform> evaluate(const Take& take, const std::vector<double>& seconds) const {
        const std::size_t joints = at(bones_.skeleton.size());
        std::vector<Transform> out(seconds.size() * joints);
        JointTile tile = take.make_tile();
        for (std::size_t k = 0; k < seconds.size(); k += kTileFrames) {
            const std::size_t count = std::min<std::size_t>(kTileFrames, seconds.size() - k);
            take.evaluate({&seconds[k], count}, Take::Want::kLocals, tile);
            for (std::size_t j = 0; j < joints; ++j) {
                const double* row = tile.local(static_cast<int>(j));
                for (std::size_t f = 0; f < count; ++f)
                    out[(k + f) * joints + j] = load_local(row, static_cast<int>(f));
            }
        }
        return out;
    }

    Timeline write(const CarriedMotion& carried, std::vector<double> seconds) const {
        Timeline out;
        const KeyTimes times(std::move(seconds));
        const std::size_t joints = at(figure_.size()), samples = at(carried.samples);
        for (std::size_t j = 0; j < joints; ++j) {
            const Transform& rest = figure_.joints()[j].rest;
            std::vector<double> places, turns;
            double moved = 0, turned = 0;
            Quat before = rest.r;
            for (std::size_t k = 0; k < samples; ++k) {
                const Transform& t = carried.locals[k * joints + j];
                moved = std::max(moved, length(t.t - rest.t));
                turned = std::max(turned, angle_between(t.r, rest.r));
                before = nearest(t.r, before);
                places.insert(places.end(), {t.t.x, t.t.y, t.t.z});
                turns.insert(turns.end(), {before.x, before.y, before.z, before.w});
            }
            const int node = static_cast<int>(j);
            if (moved > 0)
                out.channels.push_back({node,
                                        Path::kTranslation,
                                        {Interpolation::kLinear, 3, times, std::move(places)}});
            if (turned > 0)
                out.channels.push_back(
                    {node, Path::kRotation, {Interpolation::kLinear, 4, times, std::move(turns)}});
        }
        return out;
    }

    const Scene& motion_;
    const ChosenJoints& bones_;
    const Skeleton& figure_;
};

}  // namespace

Result<Scene> carry_motion(const Scene& motion, const ChosenJoints& bones, const Skeleton& figure,
                           const FigureMap& map, const CarryOptions& options, const Place& where,
                           Findings& findings) {
    MELLOW_TRY(const Carrier carrier, Carrier::make(bones.skeleton, figure, map, options));
    Scene out;
    out.name = motion.name;
    out.rate = motion.rate, out.rate_known = motion.rate_known;
    out.extras = motion.extras;
    for (const Joint& joint : figure.joints()) {
        Node& node = out.nodes.emplace_back();
        node.name = joint.name;
        node.parent = joint.parent;
        node.local = joint.rest;
        if (joint.parent < 0) out.roots.push_back(static_cast<int>(out.nodes.size()) - 1);
    }
    for (std::size_t t = 0; t < motion.timelines.size(); ++t) {
        MELLOW_TRY(Timeline timeline, TimelineWriter(motion, bones, figure)
                                          .run(static_cast<int>(t), carrier, where, findings));
        out.timelines.push_back(std::move(timeline));
    }
    return out;
}

std::optional<std::vector<std::pair<std::string, std::string>>> plain_pairs(const FigureMap& map) {
    if (!map.held.empty() || !map.turned.empty()) return {};
    std::vector<std::pair<std::string, std::string>> out;
    for (const MapPair& pair : map.pairs) {
        if (pair.motion.size() != pair.figure.size()) return {};
        for (std::size_t i = 0; i < pair.motion.size(); ++i)
            out.emplace_back(pair.motion[i], pair.figure[i]);
    }
    return out;
}

}  // namespace mellow
