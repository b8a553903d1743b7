#include "mellow/joint_map.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <optional>
#include <set>

#include "base/at.h"
#include "base/text.h"
#include "math/degrees.h"
#include "mellow/pose.h"
#include "model/lanes.h"

namespace mellow {
namespace {

/// A bone that is not the same in both.
struct OtherBone {
    std::string joint, found, expected;
    double apart_m = 0;
};

bool moves_place(const StackElement& element) {
    return element.kind == StackKind::kTranslate || element.kind == StackKind::kMatrix ||
           element.kind == StackKind::kLookAt;
}

double size_of(const Affine& m) { return std::cbrt(std::abs(determinant(m))); }

class JointMatcher {
  public:
    JointMatcher(const Skeleton& figure, const Scene& motion, const JointMapOptions& options)
        : figure_(figure),
          motion_(motion),
          options_(options),
          own_(figure.rest_worlds()),
          its_(rest_worlds(motion)),
          joint_of_(motion.nodes.size(), kNone) {}

    Result<JointMap> run(const Place& where) {
        const auto by_name = nodes_by_name(motion_);
        int found = 0;
        for (int j = 0; j < figure_.size(); ++j) {
            const auto node = by_name.find(figure_[j].name);
            JointSource source;
            if (node != by_name.end()) {
                source.node = node->second;
                joint_of_[at(source.node)] = j;
                ++found;
            } else if (figure_[j].name != options_.root) {
                map_.missing.push_back(figure_[j].name);
            }
            map_.sources.push_back(source);
        }
        if (found == 0) return nothing_fits(where);
        for (int j = 0; j < figure_.size(); ++j)
            if (map_.sources[at(j)].node != kNone) compare(j);
        if (!other_parents_.empty()) return differs(where, other_parents_);
        if (!other_places_.empty() && !other_offsets_.empty())
            return differs(where, other_places_.size() < other_offsets_.size() ? other_places_
                                                                               : other_offsets_);
        if (!other_places_.empty()) take_offsets();
        find_surplus();
        map_.bones = static_cast<int>(bones_.size());
        return std::move(map_);
    }

  private:
    /// The nearest joint above that the motion file has, or -1.
    int matched_above(int joint) const {
        int up = figure_[joint].parent;
        while (up >= 0 && map_.sources[at(up)].node == kNone) up = figure_[up].parent;
        return up;
    }

    int joint_above(int node) const {
        int up = motion_.nodes[at(node)].parent;
        while (up != kNone && joint_of_[at(up)] == kNone) up = motion_.nodes[at(up)].parent;
        return up == kNone ? -1 : joint_of_[at(up)];
    }

    std::string name_of(int joint) const {
        return joint < 0 ? "nothing" : "\"" + figure_[joint].name + "\"";
    }

    void compare(int j) {
        JointSource& source = map_.sources[at(j)];
        const Affine &own = own_[at(j)], &its = its_[at(source.node)];
        const int wanted = matched_above(j), got = joint_above(source.node);
        if (wanted != got) {
            other_parents_.push_back(
                {figure_[j].name, "hangs on " + name_of(got), "on " + name_of(wanted), 1});
            return;
        }
        const int node_up = wanted < 0 ? kNone : map_.sources[at(wanted)].node;
        const Affine own_up = wanted < 0 ? Affine{} : own_[at(wanted)],
                     its_up = wanted < 0 ? Affine{} : its_[at(node_up)];
        std::optional<Vec3> offset;  // in the axes of the joint above
        if (!keyed_place(source.node))
            offset = rotate(conjugate(rotation_of(its_up)), its.o - its_up.o);
        else if (wanted >= 0 && !is_root(wanted))
            offset = held_place(source.node, node_up, length(own.o - own_up.o));
        if (offset) {
            const Vec3 own_bone = own.o - own_up.o, its_bone = rotate(rotation_of(its_up), *offset);
            bones_.emplace_back(own_bone, its_bone);
            compare_bone(j, own_bone, its_bone, other_places_);
            compare_bone(j, rotate(conjugate(rotation_of(own_up)), own_bone), *offset,
                         other_offsets_);
        }
        // The same number, not nearly the same: what hangs on its parent alike is then taken as is.
        const double scale = size_of(its) / size_of(own);
        source.scale = std::abs(scale - 1) < 1e-6 ? 1 : scale;
        const Quat turn = conjugate(rotation_of(its)) * rotation_of(own);
        const double angle = angle_between({}, turn);
        if (angle < 1e-5) return;
        source.turn = turn;
        ++map_.turned;
        if (angle > map_.most_turned_rad)
            map_.most_turned_rad = angle, map_.most_turned = figure_[j].name;
    }

    /// A joint that only carries the others: what hangs on it is no bone.
    bool is_root(int joint) const {
        if (figure_[joint].parent >= 0) return false;
        int children = 0;
        for (const Joint& other : figure_.joints()) children += other.parent == joint ? 1 : 0;
        return figure_[joint].name == options_.root || children == 1;
    }

    /// Where keys hold a node relative to one above it, in the axes of that: nothing where they
    /// move it, by more than the tolerance.
    std::optional<Vec3> held_place(int node, int above, double own_length) {
        if (poses_.empty()) look_at_poses();
        const double most = std::max(options_.tolerance_m, own_length / 200);
        std::optional<Vec3> first;
        for (const std::vector<Affine>& worlds : poses_) {
            const Affine& up = worlds[at(above)];
            const Vec3 now = rotate(conjugate(rotation_of(up)), worlds[at(node)].o - up.o);
            if (!first) first = now;
            // Of a file in another unit as much as it is larger.
            if (length(now - *first) >
                most * std::max(1.0, length(*first) / std::max(own_length, 1e-9)))
                return {};
        }
        return first;
    }

    /// Poses of all timelines, at some moments.
    void look_at_poses() {
        constexpr int kMoments = 24;
        for (const Timeline& timeline : motion_.timelines) {
            const auto [first, last] = key_span(timeline);
            for (int i = 0; i < kMoments; ++i)
                poses_.push_back(
                    pose_at(motion_, timeline, first + (last - first) * i / (kMoments - 1)).worlds);
        }
    }

    /// What would make all bones fit: a factor of their lengths, or a turn of the whole.
    std::string what_fits() const {
        if (bones_.size() < 2) return {};
        double own = 0, its = 0;
        for (const auto& [a, b] : bones_) own += length(a), its += length(b);
        const double factor = its > 0 ? own / its : 1;
        const bool sized = std::abs(factor - 1) > 0.02;
        // As it was read first, then along any other axes.
        std::vector<Convention> tried{options_.read_as};
        for (int up = 0; up < 6; ++up)
            for (int front = 0; front < 6; ++front) {
                Convention other = options_.read_as;
                other.up = static_cast<Axis>(up), other.front = static_cast<Axis>(front);
                if (is_valid(other)) tried.push_back(other);
            }
        for (const Convention& read : tried) {
            const Conversion back({}, options_.read_as), again(read, {});
            const bool good = std::all_of(bones_.begin(), bones_.end(), [&](const auto& b) {
                const double most = std::max(options_.tolerance_m, length(b.first) / 50);
                const Vec3 turned = again.vector(back.vector(b.second));
                return length(turned * (sized ? factor : 1) - b.first) <= most;
            });
            if (!good) continue;
            std::string out;
            if (sized) out = "unit = " + unit_text(options_.read_as.metres_per_unit * factor);
            if (read.up != options_.read_as.up || read.front != options_.read_as.front)
                out += fmt::format("{}up = \"{}\"\nfront = \"{}\"", out.empty() ? "" : "\n",
                                   name(read.up), name(read.front));
            return out.empty() ? out
                               : fmt::format("{}   # under [[source]]: all {} bones fit then", out,
                                             bones_.size());
        }
        return {};
    }

    /// A unit by its name where it is near one that has one.
    static std::string unit_text(double metres) {
        for (const std::string& named : unit_names())
            if (const auto m = parse_unit(named); m && std::abs(*m / metres - 1) < 0.02)
                return "\"" + named + "\"";
        return fmt::format("\"{:.4g}\"", metres);
    }

    /// True when every timeline keys where the node stands: its rest place then says nothing.
    bool keyed_place(int node) const {
        const auto keys = [&](const Timeline& timeline) {
            for (const Channel& c : timeline.channels)
                if (c.node == node && c.path == Path::kTranslation) return true;
            for (const MemberCurve& c : timeline.members)
                if (c.node == node && c.element != kNone &&
                    moves_place(motion_.nodes[at(node)].stack[at(c.element)]))
                    return true;
            return false;
        };
        return !motion_.timelines.empty() &&
               std::all_of(motion_.timelines.begin(), motion_.timelines.end(), keys);
    }

    /// Bones agree as they lie in their parent joints, though not at rest: axes are the same, and
    /// the file rests in another pose, which its keys leave behind.
    void take_offsets() {
        for (JointSource& source : map_.sources) source.turn = {};
        map_.turned = 0;
        map_.most_turned_rad = 0;
        for (int j = 0; j < figure_.size(); ++j) {
            const int node = map_.sources[at(j)].node, up = matched_above(j);
            if (node == kNone) continue;
            Quat own = rotation_of(own_[at(j)]), its = rotation_of(its_[at(node)]);
            if (up >= 0) {
                own = conjugate(rotation_of(own_[at(up)])) * own;
                its = conjugate(rotation_of(its_[at(map_.sources[at(up)].node)])) * its;
            }
            const double angle = angle_between(own, its);
            if (angle < 1e-5) continue;
            ++map_.posed;
            if (angle > map_.most_posed_rad)
                map_.most_posed_rad = angle, map_.most_posed = figure_[j].name;
        }
    }

    void compare_bone(int j, Vec3 own, Vec3 its, std::vector<OtherBone>& other) {
        const double most = std::max(options_.tolerance_m, length(own) / 200),
                     apart = length(own - its);
        if (apart <= most) return;
        const double long_own = length(own), long_its = length(its);
        const double angle =
            long_own > 0 && long_its > 0
                ? std::acos(std::clamp(dot(own, its) / (long_own * long_its), -1.0, 1.0)) * kDegrees
                : 0;
        other.push_back({figure_[j].name,
                         fmt::format("{:.1f} cm from the joint above it", long_its * 100),
                         fmt::format("{:.1f} cm: {:+.0f} %, {:.0f} degrees apart", long_own * 100,
                                     long_own > 0 ? (long_its / long_own - 1) * 100 : 100.0, angle),
                         apart});
    }

    Finding nothing_fits(const Place& where) const {
        std::vector<std::string> names, joints;
        for (const Node& node : motion_.nodes) names.push_back(node.name);
        for (const Joint& joint : figure_.joints()) joints.push_back(joint.name);
        return {Code::kNameUnknown,
                Severity::kStop,
                where,
                fmt::format("none of the {} nodes has the name of a joint: {}", names.size(),
                            name_list(names)),
                "joints of the figure: " + name_list(joints),
                "strip_prefix = \"...\" under [[source]], or names in a [rename] table; joints of "
                "another figure: map = \"...\", a file with pairs of joints",
                {},
                {{Call::Job::kMatch, {}, {{Call::Option::kOutput}}}}};
    }

    Findings differs(const Place& where, std::vector<OtherBone> other) const {
        std::stable_sort(other.begin(), other.end(), [](const OtherBone& a, const OtherBone& b) {
            return a.apart_m > b.apart_m;
        });
        Findings out;
        constexpr std::size_t kMostTold = 5;
        for (std::size_t i = 0; i < std::min(other.size(), kMostTold); ++i)
            out.push_back({Code::kSkeletonDiffers, Severity::kStop,
                           where.at(fmt::format("joint \"{}\"", other[i].joint)), other[i].found,
                           other[i].expected, ""});
        if (other.size() > kMostTold)
            out.back().found += fmt::format("; {} joints more differ", other.size() - kMostTold);
        if (std::string fit = what_fits(); !fit.empty()) {
            out.front().remedy = std::move(fit);
            return out;
        }
        out.front().remedy =
            "map = \"...\" under [[source]], a file with pairs of joints: motion of another figure "
            "is "
            "carried over then. Where all lengths differ by one factor: unit = \"...\"";
        out.front().calls = {{Call::Job::kMatch, {}, {{Call::Option::kOutput}}}};
        return out;
    }

    /// Nodes that move and stand for no joint, nor hang as helpers above one.
    void find_surplus() {
        std::set<int> keyed;
        for (const Timeline& timeline : motion_.timelines) {
            for (const Channel& c : timeline.channels) keyed.insert(c.node);
            for (const MemberCurve& c : timeline.members) keyed.insert(c.node);
        }
        std::vector<bool> above(motion_.nodes.size(), false);
        for (std::size_t n = 0; n < joint_of_.size(); ++n)
            for (int up = joint_of_[n] == kNone ? kNone : static_cast<int>(n); up != kNone;
                 up = motion_.nodes[at(up)].parent)
                above[at(up)] = true;
        for (const int n : keyed)
            if (!above[at(n)] && motion_.nodes[at(n)].mesh == kNone)
                map_.surplus.push_back(motion_.nodes[at(n)].name);
    }

    const Skeleton& figure_;
    const Scene& motion_;
    const JointMapOptions& options_;
    const std::vector<Affine> own_, its_;
    std::vector<int> joint_of_;                 ///< by node of the motion
    std::vector<std::vector<Affine>> poses_;    ///< of the motion's nodes
    std::vector<std::pair<Vec3, Vec3>> bones_;  ///< the figure's and the file's, at rest
    std::vector<OtherBone> other_parents_, other_places_, other_offsets_;
    JointMap map_;
};

}  // namespace

std::string renamed(const std::string& name, const std::string& prefix,
                    const std::vector<Rename>& renames) {
    const std::string bare =
        name.starts_with(prefix) && name.size() > prefix.size() ? name.substr(prefix.size()) : name;
    for (const auto& [from, to] : renames) {
        const auto star = from.find('*');
        if (star == from.npos) {
            if (bare == from) return to;
            continue;
        }
        const std::string head = from.substr(0, star), tail = from.substr(star + 1);
        if (bare.size() <= head.size() + tail.size() || !bare.starts_with(head) ||
            !bare.ends_with(tail))
            continue;
        const auto put = to.find('*');
        return to.substr(0, put) +
               bare.substr(head.size(), bare.size() - head.size() - tail.size()) +
               to.substr(put + 1);
    }
    return bare;
}

void rename(Scene& scene, const std::string& prefix, const std::vector<Rename>& renames) {
    for (Node& node : scene.nodes) node.name = renamed(node.name, prefix, renames);
    for (Timeline& timeline : scene.timelines) {
        timeline.name = renamed(timeline.name, prefix, {});
        for (MorphCurve& morph : timeline.morphs) morph.mesh = renamed(morph.mesh, prefix, renames);
    }
}

Result<JointMap> match_joints(const Skeleton& figure, const Scene& motion,
                              const JointMapOptions& options, const Place& where) {
    return JointMatcher(figure, motion, options).run(where);
}

}  // namespace mellow
