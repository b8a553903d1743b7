// Demands on motion; declared in checker.h.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/at.h"
#include "base/text.h"
#include "check/checker.h"
#include "disk/json_members.h"
#include "math/degrees.h"
#include "mellow/pose.h"

namespace mellow {
namespace {

constexpr double kClosed_m = 5e-3, kClosed_rad = 0.035;  // as packing judges loops
constexpr double kRest_m = 1e-4, kRest_rad = 1e-3;

/// The local transform of every node of a pose.
std::vector<Transform> locals_of(const Scene& scene, const Pose& pose) {
    std::vector<Transform> out;
    for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
        const int up = scene.nodes[n].parent;
        out.push_back(
            decompose(up == kNone ? pose.worlds[n] : inverse(pose.worlds[at(up)]) * pose.worlds[n])
                .transform);
    }
    return out;
}

struct Apart {
    double far = 0, turned = 0;
    std::string joint;
};

/// The largest difference of two poses over joints, but for top ones where `roots` is false.
Apart apart(const Scene& scene, const std::vector<Transform>& a, const std::vector<Transform>& b,
            bool roots) {
    Apart out;
    double worst = 0;
    for (const int n : joints_of(scene)) {
        if (!roots && scene.nodes[at(n)].parent == kNone) continue;
        const double far = length(a[at(n)].t - b[at(n)].t),
                     turned = angle_between(a[at(n)].r, b[at(n)].r);
        out.far = std::max(out.far, far), out.turned = std::max(out.turned, turned);
        if (far + turned > worst) worst = far + turned, out.joint = scene.nodes[at(n)].name;
    }
    return out;
}

std::string words(const Apart& a) {
    return fmt::format("{:.3g} mm and {:.3g} degrees at \"{}\"", a.far * 1000, a.turned * kDegrees,
                       a.joint);
}

bool changes(const Curve& curve) {
    const std::size_t width = at(curve.width);
    for (std::size_t i = width; i < curve.values.size(); ++i)
        if (std::abs(curve.values[i] - curve.values[i - width]) > 1e-6) return true;
    return false;
}

/// The group that the extras of an animation say.
std::string said_group(const Timeline& timeline) {
    if (timeline.extras.empty()) return {};
    JsonMembers facts(Bytes(timeline.extras.begin(), timeline.extras.end()));
    return !facts.failed() && facts.has("group") ? facts.text("group") : std::string();
}

/// What the extras of an animation say of it.
std::optional<LoopForm> said_loop(const Timeline& timeline) {
    if (timeline.extras.empty()) return {};
    JsonMembers facts(Bytes(timeline.extras.begin(), timeline.extras.end()));
    if (facts.failed() || !facts.has("loop")) return {};
    const std::string loop = facts.text("loop");
    for (const LoopForm form : {LoopForm::kOnce, LoopForm::kClosed, LoopForm::kOpen})
        if (name(form) == loop) return form;
    return {};
}

}  // namespace

void Checker::motion(const CheckedFile& file, const Scene* skin,
                     const std::vector<ListedClip>& listed) {
    const Scene& scene = file.scene;
    const bool with_skin =
        target_.layout == Layout::kOneFile || target_.layout == Layout::kClipsWithSkin;
    format(file, target_.layout == Layout::kOneFile ? target_.skin_format : target_.clip_format);
    if (!file.is_skin()) convention(file);
    name(file.file, target_.layout == Layout::kOneFile          ? target_.skin_name
                    : target_.layout == Layout::kSkinAndLibrary ? target_.library_name
                                                                : target_.clip_name);
    if (traits(file.format).meshes)
        demand(with_skin ? "with-mesh" : "no-mesh", file.file,
               with_skin ? "motion with its skin" : "motion without meshes",
               fmt::format("{} meshes", scene.meshes.size()), scene.meshes.empty() != with_skin,
               with_skin ? "layout = \"clips-with-skin\"   # and pack again"
                         : "convert its motion alone",
               with_skin ? std::vector<Call>()
                         : convert(file, file.format, {{Call::Option::kParts, "motion"}}));
    const bool many =
        target_.layout == Layout::kSkinAndLibrary || target_.layout == Layout::kOneFile;
    if (!many)
        demand("one-clip", file.file, "one animation", std::to_string(scene.timelines.size()),
               scene.timelines.size() == 1, "a file for each",
               convert(file, file.format, {{Call::Option::kTimeline, "NAME"}}));
    if (many && !listed.empty())
        demand("all-clips", file.file, fmt::format("{} animations", listed.size()),
               std::to_string(scene.timelines.size()), scene.timelines.size() == listed.size(),
               "pack the crate again");
    if (skin != nullptr && skin != &scene) same_joints(file, *skin);
    if (skin == nullptr && !file.is_skin() && traits(file.format).parents)
        joints(file, joints_of(scene));
    for (const Timeline& t : scene.timelines) {
        const ListedClip* of = listed.size() == 1 ? listed.data() : nullptr;
        for (const ListedClip& clip : listed)
            if (clip.name == t.name) of = &clip;
        timeline(file, t, of);
    }
}

/// A clip plays on the joints of its skin.
void Checker::same_joints(const CheckedFile& file, const Scene& skin) {
    const Scene& scene = file.scene;
    std::vector<std::string> missing, surplus, elsewhere, order;
    const auto mine = nodes_by_name(scene);
    const std::vector<int> wanted = joints_of(skin);
    std::set<std::string> names;
    const auto above = [](const Scene& s, int n) {
        const int up = s.nodes[at(n)].parent;
        return up == kNone ? std::string() : s.nodes[at(up)].name;
    };
    const bool flat = !traits(file.format).parents;
    for (const int j : wanted) {
        std::string name = skin.nodes[at(j)].name;
        if (!traits(file.format).free_names)
            for (char& c : name)
                if (c == ' ' || c == '{' || c == '}') c = '_';
        names.insert(name);
        const auto found = mine.find(name);
        if (found == mine.end())
            missing.push_back(name);
        else if (!flat && above(scene, found->second) != above(skin, j) &&
                 traits(file.format).any_tree)
            elsewhere.push_back(name);
    }
    std::vector<std::string> have;
    for (const int n : joints_of(scene)) {
        have.push_back(scene.nodes[at(n)].name);
        if (!names.contains(have.back())) surplus.push_back(have.back());
    }
    for (std::size_t i = 0; i < std::min(have.size(), wanted.size()); ++i)
        if (missing.empty() && surplus.empty() && traits(file.format).any_tree &&
            have[i] != skin.nodes[at(wanted[i])].name) {
            order.push_back(fmt::format("joint {} is \"{}\", not \"{}\"", i, have[i],
                                        skin.nodes[at(wanted[i])].name));
            break;
        }
    const std::string again = "pack skin and clips together";
    demand("clip-missing", file.file, "every joint of the skin",
           missing.empty() ? "all" : "missing: " + name_list(missing), missing.empty(), again);
    demand("clip-surplus", file.file, "no joint that the skin does not have",
           surplus.empty() ? "none" : name_list(surplus), surplus.empty(), again);
    demand("clip-parents", file.file, "the parents that joints have in the skin",
           elsewhere.empty() ? "the same" : name_list(elsewhere), elsewhere.empty(), again);
    demand("clip-order", file.file, "joints in the order of the skin",
           order.empty() ? "the same" : order[0], order.empty(), again);
}

void Checker::timeline(const CheckedFile& file, const Timeline& timeline,
                       const ListedClip* listed) {
    const Scene& scene = file.scene;
    const std::string what = scene.timelines.size() > 1
                                 ? fmt::format("{}, \"{}\"", file.file, timeline.name)
                                 : file.file;
    bool moves = !timeline.members.empty();
    for (const Channel& c : timeline.channels) moves = moves || changes(c.curve);
    for (const MorphCurve& c : timeline.morphs) moves = moves || changes(c.curve);
    for (const ScalarCurve& c : timeline.scalars) moves = moves || changes(c.curve);
    const auto [first, last] = key_span(timeline);
    const bool pose = last <= first;
    demand("moves", what, "something that moves", moves || pose ? "it does" : "nothing",
           moves || pose, "bake it: pack with the rig sheet of the figure");
    grid(file, what, timeline);
    // What channels an engine needs of each joint.
    if (timeline.members.empty() && traits(file.format).channels) {
        std::set<int> placed, turned;
        for (const Channel& c : timeline.channels) {
            if (c.path == Path::kTranslation) placed.insert(c.node);
            if (c.path == Path::kRotation) turned.insert(c.node);
        }
        std::vector<std::string> bare;
        for (const int n : joints_of(scene))
            if (!placed.contains(n) || !turned.contains(n)) bare.push_back(scene.nodes[at(n)].name);
        demand("tracks", what, "places and turns of every joint",
               bare.empty() ? "all" : "without: " + name_list(bare), bare.empty(),
               "pack it: every joint is baked");
        std::vector<std::string> flips;
        for (const Channel& c : timeline.channels) {
            const KeyValues& v = c.curve.values;
            for (std::size_t i = 4;
                 c.path == Path::kRotation && c.curve.interpolation == Interpolation::kLinear &&
                 i + 3 < v.size();
                 i += 4)
                if (v[i] * v[i - 4] + v[i + 1] * v[i - 3] + v[i + 2] * v[i - 2] +
                        v[i + 3] * v[i - 1] <
                    0) {
                    flips.push_back(scene.nodes[at(c.node)].name);
                    break;
                }
        }
        demand("hemisphere", what, "quaternions that do not change sides between samples",
               flips.empty() ? "they do not" : name_list(flips), flips.empty(),
               "pack it: packing keeps them on one side");
    }
    const auto said = said_loop(timeline);
    if (listed != nullptr && said)
        demand("loop-told", what,
               fmt::format("loop: {}, as the manifest says", mellow::name(listed->facts.loop)),
               std::string(mellow::name(*said)), *said == listed->facts.loop,
               "pack the crate again");
    if (listed != nullptr) {
        const auto samples = std::llround((last - first) * target_.rate.per_second()) + 1 -
                             (target_.rest_first ? 1 : 0);
        demand("samples-told", what,
               fmt::format("{} samples, as the manifest says", listed->facts.samples),
               std::to_string(samples), samples == listed->facts.samples, "pack the crate again");
    }
    if (traits(file.format).parents && (target_.starts_ahead_rad || !target_.roots.empty()))
        root(file, what, timeline,
             listed != nullptr ? listed->facts.labels.group : said_group(timeline));
    ends(file, what, timeline,
         listed != nullptr ? listed->facts.loop : said.value_or(LoopForm::kOnce));
}

/// Times of the keys.
void Checker::grid(const CheckedFile& file, const std::string& what, const Timeline& timeline) {
    const auto [first, last] = key_span(timeline);
    const double begin = target_.rate.seconds(target_.first_frame);
    const std::string resample = "convert it at the target's rate";
    const std::vector<Call> calls =
        convert(file, file.format, {{Call::Option::kToRate, to_text(target_.rate)}});
    if (traits(file.format).key_times)
        demand("first-key", what, fmt::format("at {:.6g} s, frame {}", begin, target_.first_frame),
               fmt::format("at {:.6g} s", first),
               std::abs(first - begin) < 1e-5 + single_step(begin),
               target_.first_frame == 0
                   ? std::string("pack it: clips begin where the target says")
                   : fmt::format("pack it for this target; or first_frame = {:.0f} in the target",
                                 first * target_.rate.per_second()));
    bool uniform = true;
    std::size_t keys = 0;
    const auto look = [&](const Curve& curve) {
        if (curve.times.size() < 2) return;
        keys = std::max(keys, curve.times.size());
        const double step = 1 / target_.rate.per_second();
        for (std::size_t k = 1; k < curve.times.size(); ++k)
            uniform = uniform && std::abs(curve.times[k] - curve.times[k - 1] - step) <
                                     1e-4 * step + 2 * single_step(curve.times[k]);
    };
    for (const Channel& c : timeline.channels) look(c.curve);
    if (!traits(file.format).every_key) {
        uniform = file.scene.rate_known && file.scene.rate == target_.rate;
        keys =
            static_cast<std::size_t>(std::llround((last - first) * target_.rate.per_second())) + 1;
    }
    FrameRate guessed;
    const bool known = guess_rate(timeline, guessed);
    demand("rate", what, fmt::format("a key every 1/{} s", to_text(target_.rate)),
           uniform ? "so it is"
           : known ? fmt::format("keys that fit {}/s", to_text(guessed))
                   : "keys that fit no rate",
           uniform, resample, calls);
    if (!target_.rates.empty())
        demand("allowed-rate", what, "a rate of the target's list", to_text(target_.rate),
               std::find(target_.rates.begin(), target_.rates.end(), target_.rate) !=
                   target_.rates.end(),
               resample, calls);
    demand("samples", what, fmt::format("at most {}", target_.most_samples), std::to_string(keys),
           static_cast<int>(std::min<std::size_t>(keys, 1U << 30)) <= target_.most_samples,
           "a shorter range");
}

Scene Checker::inside_alone(const CheckedFile& file, const Timeline& timeline) const {
    Scene inside;
    inside.nodes = file.scene.nodes;
    inside.skins = file.scene.skins;
    for (const Mesh& mesh : file.scene.meshes)
        inside.meshes.push_back({mesh.name, {}, mesh.target_names, {}, {}, {}});
    inside.timelines = {timeline};
    inside.convention = target_.convention;
    inside.stack_convention = file.scene.stack_convention;
    to_inside(inside);
    return inside;
}

/// First and last sample.
void Checker::ends(const CheckedFile& file, const std::string& what, const Timeline& timeline,
                   LoopForm loop) {
    const FormatTraits& format = traits(file.format);
    // What cannot be seen is not met.
    if (target_.starts_at_rest && !(format.parents && format.rest))
        demand("starts-at-rest", what, "a first sample in the rest pose, wherever it stands",
               fmt::format("{}, which has no rest pose", mellow::name(file.format)), false,
               "format = \"glb\"   # in the target, or another that holds the rest pose");
    if (!format.parents) return;  // its joints do not hang together here
    const Scene inside = inside_alone(file, timeline);
    const Timeline& t = inside.timelines[0];
    const auto [first, last] = key_span(t);
    const auto at_time = [&](double s) { return locals_of(inside, pose_at(inside, t, s)); };
    if (target_.rest_first && format.rest) {
        const Apart rest =
            apart(inside, at_time(first), locals_of(inside, rest_pose(inside)), true);
        demand("rest-first", what, "the rest pose as its first sample", words(rest),
               rest.far < kRest_m && rest.turned < kRest_rad,
               "first_pose = \"rest\"   # in the target, and pack again");
    }
    const double begin = first + (target_.rest_first ? 1 / target_.rate.per_second() : 0);
    if (target_.starts_at_rest && format.rest) {
        const Apart rest =
            apart(inside, at_time(begin), locals_of(inside, rest_pose(inside)), false);
        demand("starts-at-rest", what, "a first sample in the rest pose, wherever it stands",
               words(rest), rest.far < kRest_m && rest.turned < kRest_rad,
               "rest = \"frame\" in the target, a range that begins at rest, or first_pose = "
               "\"rest\"");
    }
    if (loop == LoopForm::kOnce) return;
    const Apart seam = apart(inside, at_time(begin), at_time(last), false);
    const bool closed = seam.far < kClosed_m && seam.turned < kClosed_rad;
    const bool wanted = target_.loop_form == LoopForm::kClosed;
    demand("loop-form", what, fmt::format("loops that are {}", mellow::name(target_.loop_form)),
           std::string(mellow::name(loop)), loop == target_.loop_form,
           fmt::format("loop_form = \"{}\"   # in the target, and pack again",
                       mellow::name(target_.loop_form)));
    // A loop that hardly moves ends where it begins in either form.
    const Apart next =
        apart(inside, at_time(begin), at_time(begin + 1 / target_.rate.per_second()), false);
    const bool still = next.far < kClosed_m && next.turned < kClosed_rad;
    demand(
        "closing-sample", what,
        wanted ? "a last sample that repeats the first" : "no last sample that repeats the first",
        words(seam), wanted ? closed : (!closed || still),
        wanted ? "end the range on the frame that repeats the first; where it travels: travel = "
                 "[\"ground\"]   # in the clip"
               : "loop_form = \"open\"   # in the target, and pack again");
}

}  // namespace mellow
