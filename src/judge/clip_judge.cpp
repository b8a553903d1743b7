#include "judge/clip_judge.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>
#include <tuple>

#include "base/at.h"
#include "base/text.h"
#include "base/toml_text.h"
#include "judge/clip_ends.h"
#include "judge/travel_judge.h"
#include "math/degrees.h"
#include "mellow/travel.h"

namespace mellow {
namespace {

constexpr double kLoopGap_m = 1e-3, kLoopGap_rad = 0.0087;   // 1 mm, half a degree
constexpr double kLoopOpen_m = 5e-3, kLoopOpen_rad = 0.035;  // 5 mm, 2 degrees
constexpr double kPopRatio = 10;                             ///< times the median of the clip
constexpr double kNoStep_s = 0.7;                            ///< shorter ones need not have a step
constexpr double kFastTurn_rad = 2.6;                        // 150 degrees a sample
constexpr double kSpike_rad = 1.57, kBesideSpike_rad = 0.5;  // there and back in a sample
constexpr double kDrivenWeight = 1e-3;  ///< single precision of turns, on curves that are steep

class ClipJudge {
  public:
    ClipJudge(const Recipe& recipe, const Figure& figure, const SamplePlan& plan)
        : recipe_(recipe), figure_(figure), rate_(plan.source_rate), target_rate_(plan.rate) {}

    Findings take() { return std::move(out_); }

    /// The multiple of the target's rate at which a joint turns less than 120 degrees a sample.
    FrameRate fast_enough(const JointLoss& loss) const {
        constexpr double kWell_rad = 2.09;
        const auto times = static_cast<std::int64_t>(std::ceil(loss.fastest_turn_rad / kWell_rad));
        return {target_rate_.num * std::clamp<std::int64_t>(times, 2, 100), target_rate_.den};
    }

    void losses(const Baked& baked, PackedClip& packed) {
        std::vector<std::string> flat;
        for (int j = 0; j < figure_.skeleton().size(); ++j) {
            const JointLoss& loss = baked.losses[at(j)];
            const Place where = Place::of(fmt::format("clip \"{}\", joint \"{}\"", baked.clip.name,
                                                      figure_.skeleton()[j].name));
            if (loss.shear > packed.worst_shear)
                packed.worst_shear = loss.shear, packed.shear_joint = figure_.skeleton()[j].name;
            if (loss.shear > 1e-4) packed.sheared_joints.push_back(figure_.skeleton()[j].name);
            if (loss.smallest_scale < 1e-6) flat.push_back(figure_.skeleton()[j].name);
            if (const auto spike = turn_spike(baked.clip.joints[at(j)], baked.clip.samples);
                spike.first > 0) {
                out_.push_back(
                    {Code::kPop, Severity::kWarning, where,
                     fmt::format("turns by {:.0f} degrees at sample {} and back at the next",
                                 spike.second * kDegrees, spike.first),
                     "motion without jumps", "look at the keys of that joint there"});
                if (loss.fastest_sample == spike.first || loss.fastest_sample == spike.first + 1)
                    continue;  // no rate mends that
            }
            if (loss.fastest_turn_rad > kFastTurn_rad) fast_.insert(figure_.skeleton()[j].name);
            if (loss.fastest_turn_rad > kFastTurn_rad)
                out_.push_back(
                    {Code::kFastTurn, Severity::kWarning, where,
                     fmt::format("{:.0f} degrees from sample {} to {}",
                                 loss.fastest_turn_rad * kDegrees, loss.fastest_sample - 1,
                                 loss.fastest_sample),
                     "less than half a turn per sample: an engine would turn the other way round",
                     fmt::format("a target rate of {}", to_text(fast_enough(loss)))});
        }
        if (!flat.empty())
            out_.push_back({Code::kZeroScale, Severity::kWarning,
                            Place::of(fmt::format("clip \"{}\"", baked.clip.name)),
                            fmt::format("a scale of zero on {}{}", name_list(flat),
                                        flat_samples(baked.clip, flat.front())),
                            "a size above zero",
                            "a range without these; or zero-scale = \"off\"   # under [checks], "
                            "where it is hidden so on purpose: an engine may light or cull it "
                            "wrongly"});
    }

    /// A sample that is turned far from those on both sides, which agree: the largest such turn,
    /// and where. Sample 0 where there is none.
    static std::pair<int, double> turn_spike(const JointTrack& track, int samples) {
        std::pair<int, double> found{0, 0.0};
        const auto apart = [&](int a, int b) {
            return angle_between(local_at(track, a).r, local_at(track, b).r);
        };
        for (int k = 1; k + 1 < samples; ++k) {
            const float *a = &track.rotation[at(4 * (k - 1))], *b = a + 4;
            if (std::abs(a[0] * b[0] + a[1] * b[1] + a[2] * b[2] + a[3] * b[3]) > 0.71F) continue;
            const double there = apart(k - 1, k);
            if (there < kSpike_rad || there <= found.second || apart(k, k + 1) < kSpike_rad ||
                apart(k - 1, k + 1) > kBesideSpike_rad ||
                (k > 1 && apart(k - 2, k - 1) > kBesideSpike_rad) ||
                (k + 2 < samples && apart(k + 1, k + 2) > kBesideSpike_rad))
                continue;
            found = {k, there};
        }
        return found;
    }

    /// At which samples a joint has no size of its own.
    std::string flat_samples(const Clip& clip, const std::string& joint) const {
        const JointTrack& track = clip.joints[at(figure_.skeleton().find(joint))];
        int first = -1, last = -1;
        for (int k = 0; k < clip.samples; ++k) {
            const Vec3 s = local_at(track, k).s;
            if (std::min({std::abs(s.x), std::abs(s.y), std::abs(s.z)}) > 1e-6) continue;
            if (first < 0) first = k;
            last = k;
        }
        return first < 0       ? ""
               : first == last ? fmt::format(", at sample {}", first)
                               : fmt::format(", from sample {} to {}", first, last);
    }

    void loop(const Clip& clip, const LoopGap& gap, const RecipeClip& wanted) {
        if (clip.loop != LoopForm::kClosed) return;
        const bool apart = gap.distance_m > kLoopGap_m || gap.angle_rad > kLoopGap_rad ||
                           gap.weight > 0.01 || gap.scale > 1e-3 || gap.scalar > 0.01;
        const bool open = gap.distance_m > kLoopOpen_m || gap.angle_rad > kLoopOpen_rad ||
                          gap.weight > 0.05 || gap.scale > 0.01 || gap.scalar > 0.05;
        std::vector<Edit> edits;
        if (apart) {
            const std::string remedy = loop_remedy(clip, gap, wanted, edits);
            out_.push_back(
                {Code::kLoopOpen, open ? Severity::kStop : Severity::kWarning, wanted.range.where,
                 fmt::format("last and first pose differ by {:.1f} mm{}, {:.2f} degrees{}, scale "
                             "{:.3f}, weight {:.3f}, scalar {:.3f}",
                             gap.distance_m * 1000, at_joint(gap.joint), gap.angle_rad * kDegrees,
                             at_joint(gap.turned), gap.scale, gap.weight, gap.scalar),
                 "a loop whose last frame repeats the first", remedy, edits});
        } else if ((gap.speed_m_s > 0.2 && gap.speed_m_s > 2 * gap.usual_speed_m_s) ||
                   (gap.spin_rad_s > 0.5 && gap.spin_rad_s > 2 * gap.usual_spin_rad_s))
            out_.push_back(
                {Code::kLoopOpen, Severity::kWarning, wanted.range.where,
                 fmt::format(
                     "the pose closes, but its speed jumps by {:.2f} m/s and {:.0f} degrees/s "
                     "at the seam; elsewhere by {:.2f} and {:.0f} at most",
                     gap.speed_m_s, gap.spin_rad_s * kDegrees, gap.usual_speed_m_s,
                     gap.usual_spin_rad_s * kDegrees),
                 "a loop that goes on as it began",
                 "ease the keys at both ends alike in the source"});
    }

    /// Feet and jumps of figures that have feet, and wheels.
    MotionCheck steps(const Clip& clip, const RecipeClip& wanted) {
        const RecipeMotion& rules = recipe_.motion;
        MotionSubjects subjects{
            figure_.feet(), figure_.wheels(),
            rules.rules,    {},
            figure_.hips(), std::max(1.0, target_rate_.per_second() / rate_.per_second())};
        for (std::size_t p = 0; p < rules.planes.size(); ++p)
            if (rules.planes[p].clips.empty() || fits_any(rules.planes[p].clips, wanted.range.name))
                subjects.planes.push_back(figure_.planes()[p]);
        if (wanted.range.is_pose() ||
            (subjects.feet.empty() && subjects.wheels.empty() && subjects.planes.empty()))
            return {};
        MotionCheck found = check_motion(clip, figure_.skeleton(), subjects);
        const auto add = [&](Code code, std::string what, std::string expected,
                             const std::string& first, const Edit& edit, const std::string& last) {
            out_.push_back({code,
                            Severity::kWarning,
                            wanted.range.where,
                            std::move(what),
                            std::move(expected),
                            first + edit_lines({edit}) + last,
                            {edit}});
        };
        const auto most = [](const char* key, double metres) {
            return Edit{"motion", key, fmt::format("{:.0f}", std::ceil(metres * 1000))};
        };
        const bool stands = std::any_of(found.feet.begin(), found.feet.end(),
                                        [](const FootMotion& f) { return !f.contacts.empty(); });
        const double goes = way_m(clip);
        if (!found.feet.empty() && !stands && goes > kDrift_m && clip.seconds() > kNoStep_s)
            add(Code::kFootSlide,
                fmt::format("none of its feet ever stands, and it goes {:.2f} m", goes),
                "feet that stand while a figure goes", "what the figure stands on as feet; or ",
                {"motion", "feet", "[]"}, ", where nothing should stand");
        for (const FootMotion& foot : found.feet) {
            if (foot.slide_m * 1000 > rules.slide_mm)
                add(Code::kFootSlide,
                    fmt::format("\"{}\" slides by {:.0f} mm while it stands, at sample {}",
                                foot.joint, foot.slide_m * 1000, foot.slide_sample),
                    fmt::format("at most {:g} mm", rules.slide_mm), "",
                    most("slide_mm", foot.slide_m), ", if it is meant");
            if (foot.depth_m * 1000 > rules.depth_mm)
                add(Code::kFootDepth,
                    fmt::format("\"{}\" is {:.0f} mm below the ground, at sample {}", foot.joint,
                                foot.depth_m * 1000, foot.depth_sample),
                    fmt::format("at most {:g} mm", rules.depth_mm), "",
                    most("depth_mm", foot.depth_m), ", if it is meant; or ground = its height");
        }
        for (const WheelMotion& wheel : found.wheels)
            if (!fast_.contains(wheel.joint) && wheel.against > 2 &&
                wheel.against > rules.wheel_share * wheel.moving)
                add(Code::kWheelTurn,
                    fmt::format("\"{}\" turns against its way at {} of {} samples, first at sample "
                                "{}",
                                wheel.joint, wheel.against, wheel.moving, wheel.sample),
                    "a wheel that rolls the way it goes",
                    "the sign of its roll rule or of its keys; or ", {"motion", "wheel_share", "1"},
                    ", if it is meant");
        for (const PlaneMotion& plane : found.planes)
            if (plane.depth_m * 1000 > rules.plane_mm)
                add(Code::kThroughPlane,
                    fmt::format("\"{}\" is {:.0f} mm behind plane \"{}\" at sample {}", plane.joint,
                                plane.depth_m * 1000, plane.plane, plane.sample),
                    fmt::format("at most {:g} mm", rules.plane_mm), "",
                    most("plane_mm", plane.depth_m),
                    ", if it is meant; or clips = [...] of the plane, without this one");
        const Pop& pop = found.pop;
        if (!figure_.feet().empty() && pop.jump_m * 1000 > rules.pop_mm && pop.ratio() > kPopRatio)
            add(Code::kPop,
                fmt::format("\"{}\" jumps by {:.0f} mm at sample {}, {:.0f} times what is usual "
                            "in the clip",
                            pop.joint, pop.jump_m * 1000, pop.sample, pop.ratio()),
                "motion without jumps",
                pop.sample == 1 && !wanted.shaped()
                    ? fmt::format(
                          "begin a frame later, at {}, if the first is a pose of its own; or ",
                          wanted.range.first + 1)
                    : "look at that sample; ",
                most("pop_mm", pop.jump_m), ", if it is meant");
        return found;
    }

    /// How far the hips go over the ground.
    double way_m(const Clip& clip) const {
        const HipsDrift drift = hips_drift(clip, figure_.skeleton(), figure_.hips());
        return std::max(drift.ground_m, clip.travel.path_m);
    }

    std::string at_joint(int joint) const {
        return joint < 0 ? "" : fmt::format(" at \"{}\"", figure_.skeleton()[joint].name);
    }

    /// What closes a loop: the travel that is missing, before anything else.
    std::string loop_remedy(const Clip& clip, const LoopGap& gap, const RecipeClip& wanted,
                            std::vector<Edit>& edits) const {
        const HipsDrift drift = hips_drift(clip, figure_.skeleton(), figure_.hips());
        const bool ground = drift.ground_m > kLoopOpen_m && !wanted.travel.ground,
                   height = drift.climb_m > kLoopOpen_m && !wanted.travel.height;
        if (height && !ground && std::abs(drift.climb_m - gap.distance_m) < 0.1 * gap.distance_m)
            return edit_lines(edits = {carrying(wanted.travel, false, true)},
                              "in the clip: the root carries what it climbs") +
                   "; or loop = \"repair\", which takes it away";
        if (drift.ground_m > kDrift_m && ground)
            return edit_lines(edits = {carrying(wanted.travel, ground, height)},
                              "in the clip: the root carries the way");
        return fmt::format(
            "end the range on the frame that repeats the first; or loop = \"repair\"{}; or drop "
            "loop = true; or, only where that frame was left away, stored = \"open\"",
            height ? ", or travel with \"height\"" : "");
    }

    /// These joints as well as those that the recipe keeps.
    Edit keeping(const std::vector<std::string>& more) const {
        const NodeMask& own = recipe_.joints.keep;
        std::vector<std::string> all = own.names;
        all.insert(all.end(), own.match.begin(), own.match.end());
        for (const std::string& top : own.below) all.push_back("below:" + top);
        all.insert(all.end(), more.begin(), more.end());
        return {"joints", "keep", toml_texts(all)};
    }

    /// Nodes that are no joints and stand right above one of these, scaled or keyed in scale: what
    /// they do to the joint below cannot be kept without them.
    std::vector<std::string> scaled_helpers(const std::vector<std::string>& joints) const {
        const Scene& scene = figure_.scene();
        std::vector<bool> joint(scene.nodes.size(), false), scaled = joint;
        for (const JointSource& source : figure_.sources())
            if (source.node != kNone) joint[at(source.node)] = true;
        for (std::size_t n = 0; n < scaled.size(); ++n) {
            const Vec3 s = scene.nodes[n].local.s;
            scaled[n] = std::abs(s.x - s.y) > 1e-6 || std::abs(s.y - s.z) > 1e-6;
        }
        for (const Timeline& timeline : scene.timelines) {
            for (const Channel& c : timeline.channels)
                if (c.path == Path::kScale) scaled[at(c.node)] = true;
            for (const MemberCurve& m : timeline.members)
                if (m.element != kNone) scaled[at(m.node)] = true;
        }
        std::vector<std::string> helpers;
        for (const std::string& name : joints) {
            const int own = figure_.sources()[at(figure_.skeleton().find(name))].node;
            for (int up = own == kNone ? kNone : scene.nodes[at(own)].parent;
                 up != kNone && !joint[at(up)]; up = scene.nodes[at(up)].parent)
                if (scaled[at(up)] && std::find(helpers.begin(), helpers.end(),
                                                scene.nodes[at(up)].name) == helpers.end())
                    helpers.push_back(scene.nodes[at(up)].name);
        }
        return helpers;
    }

    /// What shear costs, where it shows: in millimetres at the skin.
    void shear(const PackedClip& packed) {
        if (packed.sheared_joints.empty()) return;
        const ClipProof& proof = packed.proof;
        const bool apart = proof.accepted_mm.worst > proof.vertex_mm.worst;
        const Deviation& skin = apart ? proof.accepted_mm : proof.vertex_mm;
        const std::vector<std::string> helpers = scaled_helpers(packed.sheared_joints);
        std::vector<Edit> edits;
        if (!helpers.empty()) edits.push_back(keeping(helpers));
        if (!helpers.empty() && recipe_.joints.scale_to_offsets)  // which takes it from them again
            edits.push_back({"joints", "scale", "\"keep\""});
        out_.push_back(
            {Code::kShear, Severity::kWarning,
             Place::of(fmt::format("clip \"{}\"", packed.clip.name)),
             fmt::format(
                 "shear of up to {:.3g} cannot be kept, on {}; {}{}", packed.worst_shear,
                 name_list(packed.sheared_joints),
                 skin.count == 0
                     ? "no mesh shows it"
                     : fmt::format("the skin is off by at most {:.3g} mm, at {}, sample {}",
                                   skin.worst, skin.what, skin.sample),
                 proof.accepted_degrees.count == 0
                     ? ""
                     : fmt::format("; joints accepted in the recipe by at most {:.3g} degrees",
                                   proof.accepted_degrees.worst)),
             "even scale above turned joints",
             (edits.empty() ? "scale evenly in the source, or, where the scaled joint carries no "
                              "weight: scale = \"offsets\"   # under [joints]"
                            : edit_lines(edits, ", so that the scale stays where it is")) +
                 "\nor accept_shear = " + toml_texts(packed.sheared_joints) +
                 "   # under [proof], which lets these be off; places of joints are exact all the "
                 "same",
             edits});
    }

    /// Fewer influences than the source has are a choice; how far the skin is off by it is
    /// measured.
    void simplified(const PackedClip& packed, const FittedFigure& fitted) {
        const Deviation& d = packed.proof.simplified_mm;
        if (d.count == 0 || d.worst <= recipe_.tolerance.mm) return;
        const bool dropped = !fitted.fit().surplus.empty();
        const Edit pass{"checks", "influences", "\"warn\""};
        std::vector<Edit> edits;
        std::string remedy;
        if (!fitted.cuts().removed.empty()) {
            edits.push_back(keeping(fitted.cuts().removed));
            remedy = edit_lines({edits.back()}, ", whose weights went to others") + "; or, ";
        }
        if (fitted.cuts().limited > 0) remedy += "more influences under [target]; or, ";
        if (edits.empty()) edits.push_back(pass);
        out_.push_back(
            {Code::kInfluences, dropped ? Severity::kWarning : Severity::kStop,
             Place::of(fmt::format("clip \"{}\"", packed.clip.name)),
             fmt::format(
                 "mesh \"{}\" is {:.3g} mm from where all its influences have it, at sample {}",
                 d.what, d.worst, d.sample),
             fmt::format("at most {} mm", recipe_.tolerance.mm),
             dropped
                 ? std::string(
                       "the joints that were dropped, in the list; or nothing, if they shall go")
                 : remedy + "if this is good enough, " + edit_lines({pass}),
             dropped ? std::vector<Edit>{} : edits});
    }

    /// Weights that an engine would not get which drives them as the manifest says.
    void drives(const PackedClip& packed) {
        const Deviation& d = packed.proof.driven_weight;
        if (d.count == 0 || d.worst <= kDrivenWeight) return;
        out_.push_back({Code::kDrivesDiffer, Severity::kWarning,
                        Place::of(fmt::format("clip \"{}\"", packed.clip.name)),
                        fmt::format("the weight of {} is {:.3g} off what its drive makes of the "
                                    "joints in the file, at sample {}",
                                    d.what, d.worst, d.sample),
                        fmt::format("at most {}", kDrivenWeight),
                        "nothing, where weights of the clip's own are meant: an engine plays them "
                        "rather than the drives of the manifest"});
    }

    /// Keys on controls, and no joint that moves: a rig sheet was forgotten.
    void unbaked(const PackedClip& packed) {
        if (packed.proof.pose || !packed.motion.empty() || !recipe_.rig.empty()) return;
        for (std::size_t i = 0; i < figure_.timelines().size(); ++i) {
            const TimelineStock& t = figure_.timelines()[i];
            if (!t.controls_alone || figure_.scene().timelines[i].name != packed.timeline) continue;
            const Edit still{"checks", "unbaked", "\"warn\""};
            out_.push_back({Code::kUnbaked,
                            Severity::kStop,
                            Place::of(fmt::format("clip \"{}\"", packed.clip.name)),
                            fmt::format("no deform joint has keys, while {} other nodes have",
                                        t.animated_nodes),
                            "motion on the joints",
                            "rig = \"....rig.toml\" under [source]; or " + edit_lines({still}) +
                                ", where it is meant",
                            {still}});
        }
    }

  private:
    const Recipe& recipe_;
    const Figure& figure_;
    FrameRate rate_;  // of the source
    FrameRate target_rate_;
    std::set<std::string> fast_;  ///< joints that turn too fast to tell which way
    Findings out_;
};

}  // namespace

/// Says the largest overlap of a clip with earlier ones, and how many others there are.
OverlapJudge::OverlapJudge(const std::vector<ClipJob>& jobs) : jobs_(jobs) {
    std::map<std::tuple<std::size_t, std::string, std::string>, int> arrangements;
    for (const ClipJob& job : jobs) {
        const RecipeClip& clip = job.clip;
        const auto arrangement =
            arrangements
                .try_emplace({job.motion, clip.timeline, clip.arrangement}, arrangements.size())
                .first;
        const bool counts = !clip.range.is_pose() && !clip.shaped();
        spans_.push_back({clip.range.first, clip.range.last, counts ? arrangement->second : -1});
    }
}

Findings OverlapJudge::of(std::size_t i) const {
    const Span& own = spans_[i];
    const Range& a = jobs_[i].clip.range;
    std::int64_t first = 0, last = -1;
    std::string with;
    int others = -1;
    for (std::size_t j = 0; j < i && own.arrangement >= 0; ++j) {
        const Span& other = spans_[j];
        const std::int64_t from = std::max(own.first, other.first),
                           to = std::min(own.last, other.last);
        if (other.arrangement != own.arrangement || from > to) continue;
        ++others;
        if (to - from > last - first) first = from, last = to, with = jobs_[j].clip.range.name;
    }
    if (others < 0) return {};
    const std::string more = others == 0 ? "" : fmt::format(", and {} clips more overlap", others);
    return {
        {Code::kRangeOverlap, first == last ? Severity::kNote : Severity::kWarning, a.where,
         (first == last ? fmt::format("frame {} is shared with clip \"{}\"", first, with)
                        : fmt::format("frames {}..{} are in clip \"{}\" too", first, last, with)) +
             more,
         "ranges of their own", "nothing, if this is meant"}};
}

Findings judge_baked(const Recipe& recipe, const Figure& figure, const ClipJob& job,
                     const Baked& baked, PackedClip& packed) {
    ClipJudge judge(recipe, figure, packed.plan);
    judge.losses(baked, packed);
    Findings out = judge.take();
    append(out, judge_travel(figure, baked.clip, job.clip));
    packed.motion_check = judge.steps(baked.clip, job.clip);
    append(out, judge.take());
    append(out, judge_ends(figure, baked.clip, job.clip, recipe.motion, packed.plan.source_rate));
    return out;
}

Findings judge_loop(const Recipe& recipe, const Figure& figure, const ClipJob& job,
                    const Clip& clip, const PackedClip& packed) {
    ClipJudge judge(recipe, figure, packed.plan);
    judge.loop(clip, packed.gap, job.clip);
    return judge.take();
}

Findings judge_proof(const Recipe& recipe, const Figure& figure, const PackedClip& packed,
                     const Status& within_tolerance, const FittedFigure& fitted) {
    ClipJudge judge(recipe, figure, packed.plan);
    judge.shear(packed);
    Findings out = judge.take();
    if (!within_tolerance) out.push_back(within_tolerance.failure());
    judge.simplified(packed, fitted);
    judge.drives(packed);
    judge.unbaked(packed);
    append(out, judge.take());
    return out;
}

}  // namespace mellow
