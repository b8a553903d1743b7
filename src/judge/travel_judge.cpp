#include "judge/travel_judge.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/at.h"
#include "base/text.h"
#include "base/toml_text.h"
#include "math/degrees.h"
#include "mellow/travel.h"

namespace mellow {
namespace {

constexpr double kBehind = 0.1;  ///< less than this share of the hips' way is none

class TravelJudge {
  public:
    explicit TravelJudge(const Figure& figure) : figure_(figure) {}

    Findings take() { return std::move(out_); }

    void travel(const Clip& clip, const RecipeClip& wanted) {
        const HipsDrift drift = hips_drift(clip, figure_.skeleton(), figure_.hips());
        const TravelParts& asked = wanted.travel;
        const auto add = [&](Code code, Severity severity, std::string found, std::string expected,
                             std::string remedy, std::vector<Edit> edits = {}) {
            out_.push_back({code, severity, wanted.range.where, std::move(found),
                            std::move(expected), std::move(remedy), std::move(edits)});
        };
        const bool figure = !figure_.scene().skins.empty();  // parts of a machine may rise
        const bool goes = drift.ground_m > kDrift_m && !asked.ground,
                   circles = figure && drift.farthest_m > 2 * kDrift_m && !asked.ground,
                   climbs =
                       figure && drift.climb_m > kDrift_m && !drift.sinks_alone && !asked.height;
        const char* expected = "travel on the root, or the figure snaps back";
        const Edit carried = carrying(asked, goes || circles, climbs);
        const std::string remedy = edit_lines({carried}, "in the clip");
        if (goes)
            add(Code::kTravelInHips, Severity::kWarning,
                fmt::format("the hips travel {:.2f} m, the root 0", drift.ground_m), expected,
                remedy, {carried});
        else if (circles)
            add(Code::kTravelInHips, Severity::kWarning,
                fmt::format("the hips go {:.2f} m away and come back, the root stays",
                            drift.farthest_m),
                expected, remedy, {carried});
        if (climbs)
            add(Code::kTravelInHips, Severity::kWarning,
                fmt::format("the hips end {:.2f} m higher or lower, the root stays", drift.climb_m),
                expected, remedy, {carried});
        if (asked.height && asked.height_from == TravelParts::Height::kFeet &&
            !any_foot_stands(clip, figure_.skeleton(), figure_.feet()))
            add(Code::kTravelAbsent, Severity::kWarning,
                "height by standing feet was asked for, and no foot ever stands: none is carried",
                "a foot that stands, slower than 0.25 m/s for 0.15 s",
                "feet = [...] under [motion], or take \"height\" out of travel");
        else if (!wanted.range.is_pose() && asked.any() && stays(clip))
            add(Code::kTravelAbsent, Severity::kStop,
                fmt::format("travel was asked for, and \"{}\" stays where it is",
                            figure_.skeleton()[figure_.hips()].name),
                "hips that travel",
                "name the joint that does with hips = \"...\" under [travel], or take travel out "
                "of "
                "the clip");
    }

    /// True where the root never leaves its first pose.
    static bool stays(const Clip& clip) {
        const JointTrack& root = clip.joints[0];
        const Transform first = local_at(root, 0);
        for (int k = 1; k < clip.samples; ++k) {
            const Transform now = local_at(root, k);
            if (length(now.t - first.t) > 1e-3 || angle_between(now.r, first.r) > 1e-3)
                return false;
        }
        return true;
    }

    /// A source's root that travels by itself.
    void own_root(const Clip& clip, const RecipeClip& wanted) {
        const Travel& t = clip.travel;
        if (figure_.root() != RootKind::kMoves || wanted.travel.any() ||
            !(t.ground || t.height || t.heading))
            return;
        out_.push_back({Code::kAssumed, Severity::kNote, wanted.range.where,
                        fmt::format("\"{}\" travels by itself: {:.2f} m over the ground, {:+.2f} m "
                                    "up, {:+.0f} degrees; that is kept",
                                    figure_.skeleton()[0].name, t.path_m, t.height_change_m,
                                    t.heading_change_rad * kDegrees),
                        "", "travel = [\"ground\", \"heading\"]   # makes it anew from the hips"});
    }

    /// A second figure that goes while this one stays.
    template <class FarOf>
    void another_goes(const FarOf& far_of, int body, bool root, const RecipeClip& wanted) {
        const Skeleton& skeleton = figure_.skeleton();
        std::vector<int> below(at(skeleton.size()), 0);
        for (int j = skeleton.size() - 1; j >= 0; --j) {
            ++below[at(j)];
            if (skeleton[j].parent >= 0) below[at(skeleton[j].parent)] += below[at(j)];
        }
        for (int j = root ? 1 : 0; j < skeleton.size(); ++j) {
            const bool top = root ? skeleton[j].parent == 0 : skeleton[j].parent < 0;
            if (!top || j == body || 2 * below[at(j)] < below[at(body)] || below[at(j)] < 5)
                continue;
            if (const double far = far_of(j); far >= kDrift_m) {
                const Edit its{"travel", "hips", toml_text(skeleton[j].name)};
                out_.push_back(
                    {Code::kTravelInHips,
                     Severity::kWarning,
                     wanted.range.where,
                     fmt::format("\"{}\" goes {:.2f} m with {} joints on it, while \"{}\" stays",
                                 skeleton[j].name, far, below[at(j)],
                                 skeleton[figure_.hips()].name),
                     "one figure in a file, whose hips go",
                     edit_lines({its}, ", if that is the figure") +
                         "; of two a recipe each, with drop = [...] under [joints]",
                     {its}});
            }
        }
    }

    /// Things of their own that stay where they are while the figure goes: a second root, clothes
    /// on a skeleton of their own.
    void left_behind(const Clip& clip, const RecipeClip& wanted) {
        if (figure_.scene().skins.empty() || wanted.range.is_pose()) return;
        const Skeleton& skeleton = figure_.skeleton();
        const bool root = figure_.root() != RootKind::kFigure;
        int body = figure_.hips();
        while (skeleton[body].parent > (root ? 0 : -1)) body = skeleton[body].parent;
        const std::vector<bool> counts = figure_.body();
        const auto far_of = [&](int joint) {
            double most = 0;
            const auto place = [&](int k) {
                Affine world;
                for (int j = joint; j >= 0; j = skeleton[j].parent)
                    world = to_affine(local_at(clip.joints[at(j)], k)) * world;
                return Vec3{world.o.x, 0, world.o.z};
            };
            const Vec3 first = place(0);
            for (int k = 1; k < clip.samples; ++k) most = std::max(most, length(place(k) - first));
            return most;
        };
        const double goes = far_of(figure_.hips());
        if (goes < kDrift_m) return another_goes(far_of, body, root, wanted);
        std::vector<std::string> behind;
        for (int j = root ? 1 : 0; j < skeleton.size(); ++j) {
            const bool top = root ? skeleton[j].parent == 0 : skeleton[j].parent < 0;
            if (!top || j == body || !counts[at(j)] || far_of(j) > kBehind * goes) continue;
            behind.push_back(skeleton[j].name);
        }
        std::vector<std::string> all;
        for (const std::string& top : behind) all.push_back("below:" + top);
        const Edit kMayStay{"checks", "left-behind", "\"warn\""},
            away{"joints", "drop", toml_texts(all)};
        if (!behind.empty())
            out_.push_back({Code::kLeftBehind,
                            Severity::kStop,
                            wanted.range.where,
                            fmt::format("{} stay{} where {}, while the hips go {:.2f} m",
                                        name_list(behind), behind.size() == 1 ? "s" : "",
                                        behind.size() == 1 ? "it is" : "they are", goes),
                            "all of a figure going with it",
                            "a follow rule in the rig sheet; or " + edit_lines({away}) + "; or " +
                                edit_lines({kMayStay}) + ", where it is meant",
                            {kMayStay}});
    }

  private:
    const Figure& figure_;
    Findings out_;
};

}  // namespace

Edit carrying(const TravelParts& asked, bool ground, bool height) {
    std::string parts;
    for (const auto& [has, name] :
         {std::pair(asked.ground || ground, "\"ground\""),
          std::pair(asked.height || height, "\"height\""), std::pair(asked.heading, "\"heading\"")})
        if (has) parts.append(parts.empty() ? "" : ", ").append(name);
    return {"", "travel", "[" + parts + "]"};
}

Findings judge_travel(const Figure& figure, const Clip& clip, const RecipeClip& wanted) {
    TravelJudge judge(figure);
    judge.travel(clip, wanted);
    judge.own_root(clip, wanted);
    judge.left_behind(clip, wanted);
    return judge.take();
}

}  // namespace mellow
