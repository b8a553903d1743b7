#include "prove/judge.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>

#include "base/at.h"
#include "base/text.h"
#include "base/toml_text.h"

namespace mellow {
namespace {

/// The axis that a direction mostly follows; nothing where it follows none.
std::optional<Axis> main_axis(Vec3 v) {
    const double size = length(v), part[3] = {std::abs(v.x), std::abs(v.y), std::abs(v.z)};
    const int k = part[0] >= part[1] && part[0] >= part[2] ? 0 : part[1] >= part[2] ? 1 : 2;
    if (!(size > 0) || part[k] < 0.8 * size) return {};
    const double value = k == 0 ? v.x : k == 1 ? v.y : v.z;
    return static_cast<Axis>(2 * k + (value < 0 ? 1 : 0));
}

class Judge {
  public:
    Judge(const Scene& scene, const Stock& stock) : scene_(scene), stock_(stock) {}

    Findings run() {
        size_and_axis();
        mesh_and_bones();
        scaled_nodes();
        skins();
        normals();
        names();
        for (const TimelineStock& t : stock_.timelines) timeline(t);
        rates();
        scale_noise();
        const Edit rate{"source", "rate", "24"};
        if (!stock_.rate_known && !scene_.timelines.empty())
            add(Code::kAssumed, Severity::kWarning, "keys",
                "keys that lie on the frames of no usual rate",
                fmt::format("{} frames per second was assumed", to_text(stock_.rate)),
                edit_lines({rate}), {rate});
        return std::move(findings_);
    }

  private:
    void add(Code code, Severity severity, Place where, std::string found, std::string expected,
             std::string remedy, std::vector<Edit> edits = {}) {
        findings_.push_back({code, severity, std::move(where), std::move(found),
                             std::move(expected), std::move(remedy), std::move(edits)});
    }

    int count(NodeClass c) const {
        return static_cast<int>(std::count(stock_.classes.begin(), stock_.classes.end(), c));
    }

    bool is_joint(std::size_t n) const {
        const NodeClass c = stock_.classes[n];
        return c == NodeClass::kDeform || c == NodeClass::kUnweighted || c == NodeClass::kTip;
    }

    /// Nodes that are no joints and have joints below them.
    std::vector<bool> above_joints() const {
        std::vector<bool> above(scene_.nodes.size(), false);
        for (std::size_t n = 0; n < above.size(); ++n)
            for (int up = is_joint(n) ? scene_.nodes[n].parent : kNone; up != kNone;
                 up = scene_.nodes[at(up)].parent)
                if (!is_joint(at(up))) above[at(up)] = true;
        return above;
    }

    /// What the legs say: where up is, and where the figure faces. Legs are the pairs of joints
    /// that are named so, left and right; without them nothing is said of axes.
    void size_and_axis() {
        const Legs legs = find_legs(scene_, stock_.classes);
        if (count(NodeClass::kDeform) > 0 || !stock_.timelines.empty()) size(legs.pairs > 0);
        const auto up = main_axis(legs.up);
        if (!up) return;
        const Convention& said = scene_.convention;
        const Vec3 ahead = cross(legs.left, direction(*up));
        const auto sides = main_axis(said.hand == Hand::kRight ? ahead : -ahead);
        const auto feet = main_axis(legs.feet - direction(*up) * dot(legs.feet, direction(*up)));
        if (sides && feet && direction(*sides) == -direction(*feet)) return mirrored(*sides, *feet);
        const auto front = sides ? sides : feet;
        if (*up == said.up && (!front || *front == said.front)) return;
        const std::string facing = front ? fmt::format(", and it faces {}", name(*front)) : "";
        std::vector<Edit> edits{{"source", "up", toml_text(std::string(name(*up)))}};
        if (front) edits.push_back({"source", "front", toml_text(std::string(name(*front)))});
        const std::string lines = edit_lines(edits) + (front ? "" : ", with front");
        add(Code::kAxisSuspect, Severity::kWarning, "axes",
            fmt::format("the legs of the figure stand along {}{}", name(*up), facing),
            fmt::format("up {} and front {}, as the file says", name(said.up), name(said.front)),
            lines, std::move(edits));
    }

    /// Left and right are where a mirror shows them.
    void mirrored(Axis sides, Axis feet) {
        const bool right = scene_.convention.hand == Hand::kRight;
        const auto word = [](Axis axis) { return toml_text(std::string(name(axis))); };
        std::vector<Edit> edits{{"source", "hand", toml_text(right ? "left" : "right")}};
        if (feet != scene_.convention.front) {  // mirrored it faces where its feet point
            edits.push_back({"source", "up", word(scene_.convention.up)});
            edits.push_back({"source", "front", word(feet)});
        }
        add(Code::kHandSuspect, Severity::kWarning, "axes",
            fmt::format("the feet of the figure point along {}, but by its left and right legs it "
                        "faces {}",
                        name(feet), name(sides)),
            fmt::format("both the same in a {}-handed file", right ? "right" : "left"),
            edit_lines(edits, ", if it is mirrored; or swap the names of left and right"), edits);
    }

    void size(bool figure) {
        const double longest = stock_.longest_m;
        if (!stock_.bounds.any || !(longest > 0)) return;
        if (longest >= (figure ? 0.3 : 0.1) && longest <= (figure ? 5 : 20)) return;
        const double units = longest / scene_.convention.metres_per_unit;
        const double person = person_unit(units);
        std::vector<Edit> edits{{"source", "unit", figure ? fmt::format("{:g}", person) : ""}};
        std::string remedy =
            figure ? fmt::format("{}; makes it {:.3g} m; or height = what it is, in metres",
                                 edit_lines(edits), person * units)
                   : fmt::format(
                         "unit = metres per unit under [source], if it is not of that "
                         "size: {:.3g} makes it 1 m; or height = what it is, in metres",
                         1 / units);
        for (const char* named : {"foot", "inch", "millimetre", "centimetre", "metre"})
            if (const double m = units * parse_unit(named).value_or(1); m >= 1 && m <= 2.5) {
                edits = {{"source", "unit", toml_text(named)}};
                remedy = fmt::format("{}; makes it {:.4g} m", edit_lines(edits), m);
            }
        add(Code::kSizeSuspect, Severity::kWarning, "size",
            fmt::format("{:.4g} m at its longest", longest),
            figure ? "a person is 1 to 2.5 m; the unit of the file is probably not what it says"
                   : "0.1 to 20 m; the unit of the file is probably not what it says",
            remedy, std::move(edits));
    }

    /// A mesh that was bound in another unit than its joints: 25 times or more.
    void mesh_and_bones() {
        if (scene_.skins.empty()) return;
        std::vector<int> joints;
        for (std::size_t n = 0; n < scene_.nodes.size(); ++n)
            if (is_joint(n)) joints.push_back(static_cast<int>(n));
        const auto longest = [](const Bounds& b) {
            const Vec3 size = b.high - b.low;
            return b.any ? std::max({size.x, size.y, size.z}) : 0;
        };
        const double mesh = longest(figure_bounds(scene_)),
                     bones = longest(node_bounds(joints, rest_pose(scene_)));
        if (!(mesh > 0) || !(bones > 0) || (mesh <= 20 * bones && bones <= 20 * mesh)) return;
        add(Code::kSizeSuspect, Severity::kWarning, "skin",
            mesh > bones
                ? fmt::format("its mesh is {:.3g} times as large as its skeleton", mesh / bones)
                : fmt::format("its skeleton is {:.3g} times as large as its mesh", bones / mesh),
            "joints and mesh in one unit",
            "bind mesh and joints in one unit in the source: one of them is scaled; no unit of the "
            "recipe mends both");
    }

    void scaled_nodes() {
        const std::vector<bool> above = above_joints();
        std::vector<std::string> flat, mirrored, grows;
        for (const Timeline& timeline : scene_.timelines)
            for (const Channel& c : timeline.channels) {
                if (c.path != Path::kScale || !above[at(c.node)]) continue;
                double low = 1e300, high = -1e300;
                each_scale(c.curve,
                           [&](Vec3 s) { low = std::min(low, s.x), high = std::max(high, s.x); });
                if (high - low > 0.01)
                    grows.push_back(fmt::format("{} from {:.4g} to {:.4g} in \"{}\"",
                                                scene_.nodes[at(c.node)].name, low, high,
                                                timeline.name));
            }
        if (!grows.empty())
            add(Code::kScaledNode, Severity::kNote, "scale",
                "keys change the size of what stands above the joints: " + name_list(grows),
                "figures that keep their size",
                "nothing, if it shall grow; else scale_keys = \"leave-out\"   # under [source]");
        for (const Timeline& timeline : scene_.timelines)
            for (const Channel& channel : timeline.channels)
                if (channel.path == Path::kScale && turns_negative(channel.curve) &&
                    (above[at(channel.node)] || is_joint(at(channel.node))))
                    mirrored.push_back(scene_.nodes[at(channel.node)].name);
        for (std::size_t n = 0; n < scene_.nodes.size(); ++n) {
            const Node& node = scene_.nodes[n];
            const Vec3 s = node.local.s;
            if ((s.x * s.y * s.z < 0) && (above[n] || is_joint(n))) mirrored.push_back(node.name);
            if (s.x == 0 || s.y == 0 || s.z == 0)
                flat.push_back(node.name);
            else if (above[n] && length(s - Vec3{1, 1, 1}) > 1e-4)
                add(Code::kScaledNode, Severity::kNote, Place::of("node \"" + node.name + "\""),
                    fmt::format("scale [{:.6g}, {:.6g}, {:.6g}] above the joints", s.x, s.y, s.z),
                    "scale 1 above a skeleton", "nothing; packing makes it part of the data");
        }
        std::sort(mirrored.begin(), mirrored.end());
        mirrored.erase(std::unique(mirrored.begin(), mirrored.end()), mirrored.end());
        if (!mirrored.empty())
            add(Code::kScaledNode, Severity::kWarning, "scale",
                fmt::format("negative scale on {}", name_list(mirrored)),
                "joints that are not mirrored: in a baked joint all three scales become negative "
                "and a "
                "turn makes up for it, and some engines have no negative scale",
                "mirror the mesh and its joints in the source, not by scale");
        if (!flat.empty())
            add(Code::kZeroScale, Severity::kNote, "rest pose",
                fmt::format("a scale of zero at rest: {}", name_list(flat)),
                "a rest pose that can be inverted", "nothing; packing lets them rest at full size");
    }

    void skins() {
        std::vector<bool> shown(scene_.nodes.size(), false);
        const std::vector<int> order = parents_first(scene_);
        for (const int root : scene_.roots) shown[at(root)] = true;
        for (const int n : order)
            if (const int p = scene_.nodes[at(n)].parent; p != kNone && shown[at(p)])
                shown[at(n)] = true;
        std::vector<std::string> missing;
        for (const Skin& skin : scene_.skins)
            for (const int j : skin.joints)
                if (!shown[at(j)]) missing.push_back(scene_.nodes[at(j)].name);
        if (!missing.empty())
            add(Code::kMissingJoint, Severity::kWarning, "skin",
                fmt::format("joints outside the scene: {}", name_list(missing)),
                "all joints of a skin below the scene's roots",
                "put them under the skeleton in the source");
        const std::vector<int> still = static_meshes(scene_);
        std::vector<std::string> scenery;
        std::size_t rigid = 0;
        for (const Node& node : scene_.nodes)
            rigid += node.mesh != kNone && node.skin == kNone ? 1 : 0;
        for (const int n : still) scenery.push_back(scene_.nodes[at(n)].name);
        const Edit keep{"joints", "static_meshes", "\"keep\""};
        if (!scenery.empty())
            add(Code::kLeftOut, Severity::kNote, "meshes",
                fmt::format(
                    "meshes that are not of the figure (no skin, not moved, below no joint): {}",
                    name_list(scenery)),
                "meshes of the figure alone; packing leaves these out unless rules move them",
                edit_lines({keep}) + ", to hang them on the root", {keep});
        if (!scene_.skins.empty() && rigid > still.size())
            add(Code::kRigidSkin, Severity::kNote, "meshes",
                fmt::format("{} meshes without skin hang on nodes that move", rigid - still.size()),
                "", "nothing: packing binds each to the joint it hangs on");
        if (const int bare = count(NodeClass::kUnweighted); bare > 0)
            add(Code::kUnweighted, Severity::kNote, "skin",
                fmt::format("{} joints without weight inside chains", bare), "", "");
    }

    /// Lighting goes by normals of unit length.
    void normals() {
        std::vector<std::string> off;
        for (const Mesh& mesh : scene_.meshes) {
            const bool bad =
                std::any_of(mesh.primitives.begin(), mesh.primitives.end(), [](const Primitive& p) {
                    return std::any_of(p.normals.begin(), p.normals.end(), [](const Float3& n) {
                        return std::abs(n[0] * n[0] + n[1] * n[1] + n[2] * n[2] - 1) > 0.1F;
                    });
                });
            if (bad) off.push_back(mesh.name);
        }
        if (!off.empty())
            add(Code::kNumberBad, Severity::kWarning, "normals",
                fmt::format("normals that are not of unit length: {}", name_list(off)),
                "unit vectors, within 5 %",
                "write them again in the source; they are carried as they are");
    }

    void names() {
        const Edit bare{"source", "strip_prefix", toml_text(stock_.common_prefix)};
        if (!stock_.common_prefix.empty())
            add(Code::kPrefix, Severity::kNote, "names",
                fmt::format("{} names begin with \"{}\"", scene_.nodes.size(),
                            stock_.common_prefix),
                "bare names", edit_lines({bare}), {bare});
        const Edit most{"source", "strip_prefix", toml_text(stock_.frequent_prefix)};
        if (!stock_.frequent_prefix.empty())
            add(Code::kPrefix, Severity::kNote, "names",
                fmt::format("{} of {} names begin with \"{}\"", stock_.with_prefix,
                            scene_.nodes.size(), stock_.frequent_prefix),
                "bare names", edit_lines({most}), {most});
        std::vector<std::string> telling;
        for (const TimelineStock& t : stock_.timelines)
            if (t.telling) telling.push_back(t.name);
        if (const auto run = numbered_run(telling); !run.empty())
            add(Code::kDefaultName, Severity::kNote, "timelines",
                fmt::format("{} timelines that differ by a number alone: {}", run.size(),
                            name_list(run)),
                "names that tell what they are", "names for the clips in the recipe: [clip_names]");
        for (const TimelineStock& t : stock_.timelines)
            if (!t.telling)
                add(Code::kDefaultName, Severity::kNote, "timelines",
                    t.name.empty() ? "a timeline without a name"
                                   : fmt::format("a timeline named \"{}\"", t.name),
                    "a name that tells what it is",
                    "a name for the clip in the recipe: name under [[clip]], or [clip_names]");
    }

    void timeline(const TimelineStock& t) {
        const Place where = Place::of(fmt::format("timeline \"{}\"", t.name));
        const int joints = count(NodeClass::kDeform);
        const std::vector<std::string> idle = idle_controls(t);
        if (joints > 0 && t.animated_joints > 0 && !idle.empty())
            add(Code::kUnbaked, Severity::kWarning, where,
                fmt::format("{} joints have keys, and so have controls that move nothing here: {}",
                            t.animated_joints, name_list(idle)),
                "motion on the joints; what these controls do is lost in an engine",
                "rig = \"....rig.toml\"   # under [source]: a rig sheet, so that packing can bake "
                "it");
        if (t.controls_alone)
            add(Code::kUnbaked, Severity::kWarning, where,
                fmt::format("0 of {} deform joints have keys; {} other nodes have", joints,
                            t.animated_nodes),
                "motion on the joints; in an engine this stands still",
                "rig = \"....rig.toml\"   # under [source]: a rig sheet, so that packing can bake "
                "it");
        if (t.moving.empty() && t.cuts.empty()) {
            add(Code::kNoMotion, Severity::kWarning, where, "nothing moves", "at least one change",
                "check the file");
            return;
        }
        const std::int64_t end = std::max(t.moving.empty() ? t.first_frame : t.moving.back().last,
                                          t.cuts.empty() ? t.first_frame : t.cuts.back() + 1);
        if (t.last_frame - end >= 2 * kShortStill)
            add(Code::kStillTail, Severity::kWarning, where,
                fmt::format("the last change is at frame {}, the last key at {}", end,
                            t.last_frame),
                "ranges that end where the motion ends",
                fmt::format("end the last range at {}", end));
    }

    /// Keyed nodes that are no joints, with no joint, mesh or camera below: nothing they do is
    /// seen.
    std::vector<std::string> idle_controls(const TimelineStock& t) const {
        const std::size_t index = static_cast<std::size_t>(&t - stock_.timelines.data());
        std::vector<bool> seen(scene_.nodes.size(), false), keyed = seen;
        for (std::size_t n = 0; n < seen.size(); ++n)
            if (is_joint(n) || scene_.nodes[n].mesh != kNone || scene_.nodes[n].camera != kNone)
                for (int up = static_cast<int>(n); up != kNone && !seen[at(up)];
                     up = scene_.nodes[at(up)].parent)
                    seen[at(up)] = true;
        for (const Channel& c : scene_.timelines[index].channels) keyed[at(c.node)] = true;
        for (const MemberCurve& m : scene_.timelines[index].members) keyed[at(m.node)] = true;
        std::vector<std::string> idle;
        for (std::size_t n = 0; n < seen.size(); ++n)
            if (keyed[n] && !seen[n]) idle.push_back(scene_.nodes[n].name);
        return idle;
    }

    /// A rate whose frames the keys do not lie on, where those of another do.
    void rates() {
        for (const Timeline& timeline : scene_.timelines) {
            FrameRate fitting;
            if (!guess_rate(timeline, fitting) || fits_rate(timeline, stock_.rate)) continue;
            const std::string rate = to_text(fitting);
            const std::vector<Edit> edits{
                {"source", "rate", fitting.den == 1 ? rate : toml_text(rate)}};
            add(Code::kRateSuspect, Severity::kWarning,
                Place::of(fmt::format("timeline \"{}\"", timeline.name)),
                fmt::format(
                    "keys that lie on the frames of {}/s, not of {}/s: {:.4g} s are frames 0 "
                    "to {:.0f}, not to {:.0f}",
                    to_text(fitting), to_text(stock_.rate), key_span(timeline)[1],
                    key_span(timeline)[1] * fitting.per_second(),
                    key_span(timeline)[1] * stock_.rate.per_second()),
                "frames on which the keys lie; ranges count them", edit_lines(edits), edits);
        }
    }

    /// Scale keys that waver a little on most joints, each axis for itself.
    void scale_noise() {
        constexpr double kMost = 0.05, kLeast = 1e-3;
        for (const Timeline& timeline : scene_.timelines) {
            double farthest = 0;
            int joints = 0;
            for (const Channel& c : timeline.channels) {
                if (c.path != Path::kScale || !is_joint(at(c.node))) continue;
                const Vec3 rest = scene_.nodes[at(c.node)].local.s;
                double uneven = 0, most = 0, low = 1e300, high = -1e300;
                each_scale(c.curve, [&](Vec3 s) {
                    const double x = s.x / rest.x, y = s.y / rest.y, z = s.z / rest.z;
                    uneven = std::max({uneven, std::abs(x - y), std::abs(y - z)});
                    most = std::max({most, std::abs(x - 1), std::abs(y - 1), std::abs(z - 1)});
                    low = std::min(low, x), high = std::max(high, x);
                });
                if (uneven < kLeast || high - low < kLeast || !(most < kMost)) continue;
                ++joints, farthest = std::max(farthest, most);
            }
            if (joints < 2 || 2 * joints < count(NodeClass::kDeform)) continue;
            const Edit none{"source", "scale_keys", "\"leave-out\""};
            add(Code::kScaleNoise, Severity::kWarning,
                Place::of(fmt::format("timeline \"{}\"", timeline.name)),
                fmt::format("the scale of {} joints wavers, unevenly, by at most {:.2g} %", joints,
                            farthest * 100),
                "joints that keep their size, or are meant to change it",
                edit_lines({none}, ", if it is noise of a capture"), {none});
        }
    }

    template <class Take>
    static void each_scale(const Curve& curve, Take&& take) {
        const bool cubic = curve.interpolation == Interpolation::kCubicSpline;
        for (std::size_t i = cubic ? 3 : 0; i + 2 < curve.values.size(); i += cubic ? 9 : 3)
            take({curve.values[i], curve.values[i + 1], curve.values[i + 2]});
    }

    static bool turns_negative(const Curve& curve) {
        bool negative = false;
        each_scale(curve, [&](Vec3 s) { negative = negative || s.x * s.y * s.z < 0; });
        return negative;
    }

    const Scene& scene_;
    const Stock& stock_;
    Findings findings_;
};

}  // namespace

double person_unit(double units) {
    const double unit = 1.7 / units, ten = std::pow(10, std::round(std::log10(unit)));
    if (ten * units >= 1 && ten * units <= 2.5) return ten;
    const double step = std::pow(10, std::floor(std::log10(unit)) - 2);
    return std::round(unit / step) * step;
}

Findings judge(const Scene& scene, const Stock& stock) { return Judge(scene, stock).run(); }

}  // namespace mellow
