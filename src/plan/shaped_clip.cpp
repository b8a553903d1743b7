#include "plan/shaped_clip.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/at.h"
#include "base/text.h"
#include "figure/mirror_props.h"
#include "math/degrees.h"
#include "mellow/travel.h"

namespace mellow {
namespace {

/// Rest places of partners that are farther than this from being each other's image are said.
constexpr double kAsymmetry_m = 2e-3;

/// Names a part that could not be shaped by the clip that it is of.
template <class T>
Result<T> of_clip(const ClipJob& job, Result<T> made) {
    if (made) return made;
    Findings failures = std::move(made).failures();
    for (Finding& f : failures) f.where = f.where.inside(job.clip.range.where);
    return failures;
}

class ClipShaper {
  public:
    ClipShaper(const Recipe& recipe, const Jobs& jobs, const std::vector<Mount>& mounts)
        : recipe_(recipe), jobs_(jobs), mounts_(mounts), root_(jobs.figure().root()) {}

    Result<ShapedTake> clip(const ClipJob& job, bool outermost) {
        const RecipeClip& wanted = job.clip;
        std::vector<JoinPart> parts;
        for (const PartJob& part : job.parts)
            if (!part.is_over()) MELLOW_CHECK(add(job, part, parts));
        MELLOW_TRY(Joined joined, of_clip(job, join(std::move(parts), root_)));
        ShapedTake out = std::move(joined.shaped);
        if (outermost) out_.parts = std::move(joined.parts);
        for (const PartJob& part : job.parts)
            if (part.is_over()) {
                MELLOW_TRY(out.take, overlaid(job, part, out.take));
            }
        if (!wanted.parts.empty() && wanted.shaping.any()) {
            std::vector<JoinPart> whole;
            JoinPart all;
            all.name = wanted.range.name;
            all.take = out.take;
            MELLOW_CHECK(shape(all, 0, out.seconds, wanted.shaping, wanted.align,
                               wanted.range.where, whole));
            MELLOW_TRY(Joined again, of_clip(job, join(std::move(whole), root_)));
            out = std::move(again.shaped);
            if (outermost) out_.parts = std::move(again.parts);
        }
        if (wanted.stored_open) out = closed(job, out);
        if (wanted.repair) out = repaired(job, std::move(out));
        return out;
    }

    ShapedClip take() { return std::move(out_); }

  private:
    /// A part as often as it is repeated.
    Status add(const ClipJob& job, const PartJob& part, std::vector<JoinPart>& parts) {
        const RecipeClip& wanted = job.clip;
        JoinPart piece;
        if (part.clip) {
            const ClipJob& other = jobs_.clips()[*part.clip];
            if (other.parts.empty()) {
                MELLOW_TRY(piece.take, motion_of(other.motion, other.what));
            } else {
                MELLOW_TRY(ShapedTake shaped, clip(other, false));
                piece.take = std::move(shaped.take);
            }
        } else {
            MELLOW_TRY(piece.take, motion_of(part.motion, part.what));
        }
        if (part.part == nullptr) {
            piece.name = part.name;
            return shape(piece, part.first, part.last, wanted.shaping, wanted.align,
                         wanted.range.where, parts);
        }
        const RecipePart& own = *part.part;
        piece.name = own.range.name;
        piece.blend = own.blend;
        piece.overlap = part.overlap;
        return shape(piece, part.first, part.last, own.shaping, own.align, own.where, parts);
    }

    /// A part over what is there.
    Result<Take> overlaid(const ClipJob& job, const PartJob& part, const Take& below) {
        const RecipeOver& over = *part.part->over;
        std::vector<JoinPart> pieces;
        MELLOW_CHECK(add(job, part, pieces));
        MELLOW_TRY(Joined top, of_clip(job, join(std::move(pieces), root_)));
        TakeLayer layer{std::move(top.shaped), over.at, over.again, over.added, over.from_rest};
        layer.weight = over.weight;
        layer.weights = over.weights;
        if (over.joints.empty() && over.below.empty()) return layered(below, layer);
        const Skeleton& skeleton = below.skeleton;
        const auto named = [](const std::vector<std::string>& patterns, const std::string& name) {
            return std::any_of(patterns.begin(), patterns.end(),
                               [&](const auto& p) { return fits_pattern(p, name); });
        };
        std::vector<std::string> names;
        bool any = false;
        for (int j = 0; j < skeleton.size(); ++j) {
            bool moves = named(over.joints, skeleton[j].name);
            for (int up = j; up >= 0 && !moves; up = skeleton[up].parent)
                moves = named(over.below, skeleton[up].name);
            layer.joints.push_back(moves);
            any = any || moves;
            names.push_back(skeleton[j].name);
        }
        if (any) return layered(below, layer);
        return Finding{Code::kNameUnknown,
                       Severity::kStop,
                       part.part->where,
                       "no joint that fits joints or below",
                       "its joints: " + name_list(names),
                       "correct the names"};
    }

    Status shape(JoinPart piece, double first, double last, const RecipeShaping& shaping,
                 const RecipeAlign& align, const Place& where, std::vector<JoinPart>& parts) {
        MELLOW_TRY(piece.align, joint_of(align, where));
        if (shaping.mirror) {
            MELLOW_TRY(piece.take, mirrored(piece.take, first, last, where));
        }
        for (const CurvePoint& point : shaping.time.points)
            if (point.value > last - first + 1e-6)
                return Finding{Code::kValueBad,
                               Severity::kStop,
                               where,
                               fmt::format("time asks for second {:g} of the motion", point.value),
                               fmt::format("0 to {:.6g} s, which is all there is", last - first),
                               "a longer range, or rows that end there"};
        piece.time = time_of(first, last, shaping);
        const double once = piece.time.points.back().at;
        piece.seconds = once;
        const int times =
            static_cast<int>(std::lround(shaped_seconds(last - first, shaping) / once));
        for (int n = 0; n < times; ++n) {
            parts.push_back(piece);
            piece.overlap = 0;  // repeats follow on each other
        }
        return {};
    }

    Result<Align> joint_of(const RecipeAlign& align, const Place& where) const {
        const Figure& figure = jobs_.figure();
        Align out{figure.hips(), align.ground, align.heading, align.height};
        if (align.joint.empty()) return out;
        out.joint = figure.skeleton().find(align.joint);
        if (out.joint >= 0) return out;
        std::vector<std::string> names;
        for (const Joint& joint : figure.skeleton().joints()) names.push_back(joint.name);
        return Finding{Code::kNameUnknown,
                       Severity::kStop,
                       where,
                       fmt::format("no joint \"{}\" to align by", align.joint),
                       suggest(align.joint, names),
                       "align = the name of a joint of the crate"};
    }

    Result<Take> motion_of(std::size_t motion, const Performance& what) {
        MELLOW_TRY(const auto moved, jobs_.motion(motion));
        MELLOW_TRY(Rig bound, Rig::bind(*moved->scene, what, *moved->sheet));
        auto rig = std::make_shared<const Rig>(std::move(bound));
        append(out_.findings, rig->findings());
        if (!out_.rig) out_.motion = moved, out_.rig = rig;
        out_.held.push_back(moved);
        out_.held.push_back(rig);
        return moved->take(jobs_.figure(), rig, mounts_);
    }

    Result<Take> mirrored(const Take& take, double first, double last, const Place& where) {
        auto found = mirror_pairs(take, recipe_.mirror.pairs);
        if (!found) {
            Finding failure = found.failure();
            failure.where = failure.where.inside(where);
            return failure;
        }
        MirrorPairs& pairs = found.value();
        if (recipe_.mirror.middle_m) pairs.middle_m = *recipe_.mirror.middle_m;
        pairs.props = find_mirror_props(jobs_.figure(), pairs.joints, recipe_.mirror.props);
        Mirrored out = mirror(take, pairs, root_);
        if (!pairs.unpaired.empty())
            out_.findings.push_back(
                {Code::kMissingJoint, Severity::kWarning, where,
                 "joints without a partner, mirrored in themselves: " + name_list(pairs.unpaired),
                 "partners on the other side", "[mirror] with \"this_side\" = \"other_side\""});
        const MirrorCost cost = mirror_cost(take, out, pairs, first, last);
        if (out.asymmetry_m > kAsymmetry_m || cost.distance_m > kAsymmetry_m)
            out_.findings.push_back(
                {Code::kAssumed, Severity::kNote, where,
                 fmt::format(
                     "the figure is not the same on both sides at rest{}; joints keep their "
                     "own lengths, which costs up to {:.3g} mm{}",
                     out.asymmetric.empty() ? ""
                                            : fmt::format(": \"{}\" by {:.3g} mm", out.asymmetric,
                                                          out.asymmetry_m * 1000),
                     cost.distance_m * 1000,
                     cost.joint == kNone
                         ? ""
                         : fmt::format(" at \"{}\"", take.skeleton[cost.joint].name)),
                 "", ""});
        return std::move(out.take);
    }

    /// A loop that is stored without the frame that repeats its first.
    ShapedTake closed(const ClipJob& job, const ShapedTake& shaped) {
        const double frame = 1 / job.parts.front().rate.per_second();
        const TravelParts& travel = job.clip.travel;
        const LoopRepair repair{frame, jobs_.figure().hips(), travel.ground, travel.heading, true};
        ShapedTake out = go_on(shaped, frame, repair, root_);
        out.take = repair_loop(out, repair, root_).take;
        return out;
    }

    ShapedTake repaired(const ClipJob& job, ShapedTake shaped) {
        const Figure& figure = jobs_.figure();
        const RecipeSpan& over = *job.clip.repair;
        const TravelParts& travel = job.clip.travel;
        Repaired out = repair_loop(shaped,
                                   {over.in_seconds(figure.scene().rate.per_second()),
                                    figure.hips(), travel.ground, travel.heading},
                                   root_);
        if (out.place_m < 1e-6 && out.turn_rad < 1e-6) return shaped;  // there is no gap
        const RecipeClip& wanted = job.clip;
        const bool large = out.place_m * 1000 > wanted.repair_mm ||
                           out.turn_rad * kDegrees > wanted.repair_degrees;
        const bool dragged = !travel.ground && out.place_m * 1000 > wanted.repair_mm &&
                             out.place_joint == figure.skeleton()[figure.hips()].name;
        const std::string closed =
            fmt::format("the loop's gap is closed over {}: by up to {}{} and {}{}{}",
                        !over.any()    ? std::string("its whole length")
                        : over.seconds ? fmt::format("its last {:g} s", *over.seconds)
                                       : fmt::format("its last {:g} frames", over.frames),
                        out.place_m < 5e-7 ? "0 mm" : fmt::format("{:.3g} mm", out.place_m * 1000),
                        out.place_joint.empty() ? "" : fmt::format(" at \"{}\"", out.place_joint),
                        fmt::format("{:.3g} degrees", out.turn_rad * kDegrees),
                        out.turn_joint.empty() ? "" : fmt::format(" at \"{}\"", out.turn_joint),
                        dragged ? "; forgotten travel?" : "");
        const auto at_least = [](const char* key, double now, double least) {
            return Edit{"", key, fmt::format("{:.0f}", std::max(now, std::ceil(least)))};
        };
        std::vector<Edit> edits;
        if (dragged)
            edits.push_back({"", "travel", "[\"ground\"]"});
        else
            edits = {at_least("repair_mm", wanted.repair_mm, out.place_m * 1000),
                     at_least("repair_degrees", wanted.repair_degrees, out.turn_rad * kDegrees)};
        if (large)
            out_.findings.push_back({Code::kLoopRepair, Severity::kStop, wanted.range.where, closed,
                                     fmt::format("at most {:g} mm and {:g} degrees",
                                                 wanted.repair_mm, wanted.repair_degrees),
                                     edit_lines(edits, dragged ? "in the clip" : "if it is meant"),
                                     edits});
        else
            out_.findings.push_back(
                {Code::kAssumed, Severity::kNote, wanted.range.where, closed, "", ""});
        shaped.take = std::move(out.take);
        return shaped;
    }

    const Recipe& recipe_;
    const Jobs& jobs_;
    const std::vector<Mount>& mounts_;
    const RootKind root_;
    ShapedClip out_;
};

}  // namespace

ValueCurve time_of(double first, double last, const RecipeShaping& s) {
    if (!s.time.points.empty()) {
        ValueCurve curve = s.time;
        for (CurvePoint& point : curve.points) point.value = std::min(first + point.value, last);
        return curve;
    }
    const double seconds = s.seconds.value_or((last - first) * s.stretch);
    ValueCurve curve =
        s.reverse ? even_time(last, first, seconds) : even_time(first, last, seconds);
    if (s.wait > 0) {
        for (CurvePoint& point : curve.points) point.at += s.wait;
        curve.points.insert(curve.points.begin(), {0, curve.points.front().value, 0});
    }
    if (s.hold > 0)
        curve.points.push_back({s.wait + seconds + s.hold, curve.points.back().value, 0});
    return curve;
}

double shaped_seconds(double seconds, const RecipeShaping& s) {
    double once = s.wait + s.seconds.value_or(seconds * s.stretch) + s.hold;
    if (!s.time.points.empty()) once = s.time.points.back().at;
    const double times =
        s.repeat_seconds > 0 ? std::max(1.0, std::ceil(s.repeat_seconds / once - 1e-9)) : s.repeat;
    return once * times;
}

Result<ShapedClip> shaped_clip(const Recipe& recipe, const Jobs& jobs, const ClipJob& job,
                               const std::vector<Mount>& mounts, double seconds) {
    ClipShaper shaper(recipe, jobs, mounts);
    MELLOW_TRY(ShapedTake made, shaper.clip(job, true));
    ShapedClip out = shaper.take();
    out.shaped = std::move(made);
    if (seconds <= 0 || std::abs(seconds - out.shaped.seconds) < 1e-9) return out;
    if (!job.clip.fit) return out;
    JoinPart whole;
    whole.name = job.clip.range.name;
    whole.take = out.shaped.take;
    whole.seconds = seconds;
    whole.time = even_time(0, out.shaped.seconds, seconds);
    const double factor = seconds / out.shaped.seconds;
    MELLOW_TRY(Joined fitted, of_clip(job, join({std::move(whole)}, jobs.figure().root())));
    out.shaped = std::move(fitted.shaped);
    for (PlacedPart& part : out.parts) part.first *= factor, part.last *= factor;
    return out;
}

Transform place_of(const ClipJob& job, const Figure& figure, const Take& take,
                   const SamplePlan& plan) {
    const RecipePlace& place = job.clip.place;
    Transform out;
    out.r = from_axis_angle({0, 1, 0}, place.heading / kDegrees);
    out.t = {place.left, place.up, place.ahead};
    if (!place.at_origin) return out;
    const TravelParts& travel = job.clip.travel;
    const Transform start =
        start_frame(bake(take, plan).clip, figure.skeleton(), figure.hips(), travel, figure.feet());
    const Quat back = conjugate(start.r);
    return {out.t + rotate(out.r * back, Vec3{} - start.t), out.r * back, {1, 1, 1}};
}

}  // namespace mellow
