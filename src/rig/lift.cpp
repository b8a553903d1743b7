#include "mellow/lift.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>

#include "base/at.h"
#include "math/degrees.h"
#include "model/lanes.h"
#include "rig/plan.h"

namespace mellow {
namespace {

/// Where a node must be at one moment, as far as that is known.
struct Wanted {
    std::optional<Vec3> place;
    std::optional<Quat> turn;
};

class Lifter {
  public:
    Lifter(const Scene& scene, const RigSheet& sheet, const LiftOptions& options)
        : scene_(scene), sheet_(sheet), options_(options), rest_(rest_worlds(scene)) {}

    Result<Lifted> run(const Scene& motion, int timeline) {
        Performance still;
        MELLOW_TRY(plan_, make_plan(scene_, still, sheet_));
        MELLOW_CHECK(pair_joints(motion));
        MELLOW_CHECK(bind_onto());
        MELLOW_TRY(const Rig source, Rig::bind(motion, timeline, {}));
        const auto span = source.span();
        out_.rate = motion.rate;
        out_.samples =
            static_cast<int>(std::lround((span[1] - span[0]) * motion.rate.per_second())) + 1;
        if (out_.samples < 1 || span[1] <= span[0])
            return Finding{Code::kNoMotion,    Severity::kStop,
                           "motion",           "a timeline without keys",
                           "motion on joints", "choose another timeline"};
        note_rules();
        solve_all(source, span[0]);
        if (!moves_)
            return Finding{Code::kNoMotion,
                           Severity::kStop,
                           "motion",
                           fmt::format("none of {} joints moves", pairs_.size()),
                           "motion on the joints themselves",
                           "where controls move them, bake that first: pack it with its rig sheet"};
        take_weights(motion, timeline, span[0]);
        Scene solved = scene_;
        solved.timelines = {out_.timeline};
        MELLOW_CHECK(measure(source, span[0], std::move(solved)));
        return std::move(out_);
    }

    /// Only measures a scene that has its keys.
    Result<std::vector<LiftError>> errors(const Scene& motion, int timeline) {
        MELLOW_CHECK(pair_joints(motion));
        MELLOW_TRY(const Rig source, Rig::bind(motion, timeline, {}));
        const auto span = source.span();
        out_.rate = motion.rate;
        out_.samples =
            static_cast<int>(std::lround((span[1] - span[0]) * motion.rate.per_second())) + 1;
        MELLOW_CHECK(measure(source, span[0], scene_));
        return std::move(out_.errors);
    }

  private:
    struct Pair {
        int node, motion;
        Quat axes;  ///< of the scene's joint, in those of the motion's
    };

    /// Where both rest in the same places, they rest in the same pose, and joints that are turned
    /// against each other only have other axes. Elsewhere the axes are taken for the same.
    void compare_axes(const Scene& motion) {
        const std::vector<Affine> other = rest_worlds(motion);
        double size = 0, apart = 0;
        for (const Pair& pair : pairs_) {
            const Affine& own = rest_[at(pair.node)];
            size = std::max(size, length(own.o - rest_[at(pairs_[0].node)].o));
            apart = std::max(apart, length(own.o - other[at(pair.motion)].o));
        }
        if (apart > 1e-3 * size) return;
        for (Pair& pair : pairs_)
            pair.axes =
                conjugate(orientation(other[at(pair.motion)])) * orientation(rest_[at(pair.node)]);
    }

    Status pair_joints(const Scene& motion) {
        const auto bare = [&](const std::string& name) {
            return !sheet_.prefix.empty() && name.starts_with(sheet_.prefix)
                       ? name.substr(sheet_.prefix.size())
                       : name;
        };
        std::map<std::string, int> by_name;
        for (std::size_t n = 0; n < motion.nodes.size(); ++n)
            if (!motion.nodes[n].end_site)  // it has no motion of its own
                by_name.emplace(bare(motion.nodes[n].name), static_cast<int>(n));
        given_.resize(scene_.nodes.size());
        for (std::size_t n = 0; n < scene_.nodes.size(); ++n)
            if (const auto found = by_name.find(bare(scene_.nodes[n].name)); found != by_name.end())
                pairs_.push_back({static_cast<int>(n), found->second, {}});
        compare_axes(motion);
        if (!pairs_.empty()) return {};
        return Finding{Code::kNoJoints,
                       Severity::kStop,
                       "motion",
                       fmt::format("no node of the motion has a name of the scene's {} nodes",
                                   scene_.nodes.size()),
                       "joints of the same names",
                       "set the prefix of the rig sheet, or rename the joints"};
    }

    Status bind_onto() {
        for (const auto& [from, to] : options_.onto) {
            MELLOW_TRY(const auto a, masked_nodes(scene_, {{from}, {}, {}}, sheet_.prefix, "onto"));
            MELLOW_TRY(const auto b, masked_nodes(scene_, {{to}, {}, {}}, sheet_.prefix, "onto"));
            int up = a[0];
            while (up != kNone && up != b[0]) up = scene_.nodes[at(up)].parent;
            if (up == kNone)
                return Finding{Code::kValueBad,
                               Severity::kStop,
                               "onto",
                               fmt::format("\"{}\" is not above \"{}\"", to, from),
                               "a control and one above it",
                               "name a node that carries it"};
            onto_[a[0]] = b[0];
        }
        return {};
    }

    /// Says which rules have nothing to solve backwards, or too much.
    void note_rules() {
        for (std::size_t r = 0; r < sheet_.rules.size(); ++r) {
            const BoundRule& rule = plan_->rules[r];
            const auto* follow = std::get_if<BoundFollow>(&rule);
            const auto* chain = std::get_if<BoundChain>(&rule);
            if ((follow != nullptr && follow->sources.size() > 1) ||
                (chain != nullptr && !chain->along.empty()))
                out_.findings.push_back(
                    {Code::kLeftOut, Severity::kNote, sheet_.rules[r].where,
                     fmt::format("the controls of this {} are not solved", kind(sheet_.rules[r])),
                     "a single source or goal",
                     "key them by hand; the error says how far off it is"});
        }
    }

    /// World of the node whose motion is given, at the moment at hand.
    bool known(int node) const { return given_[at(node)].place.has_value(); }
    Vec3 place(int node) const { return *given_[at(node)].place; }
    Quat turn(int node) const { return *given_[at(node)].turn; }

    void want(int node, std::optional<Vec3> place, std::optional<Quat> turn) {
        if (node == kNone) return;
        Wanted& w = wanted_[at(node)];
        if (!w.place) w.place = place;
        if (!w.turn) w.turn = turn;
    }

    void solve(const BoundFollow& rule) {
        if (rule.sources.size() != 1 || !known(rule.node)) return;
        const BoundFollow::Source& from = rule.sources[0];
        const Affine& rest = rest_[at(from.node)];
        const Quat facing = rule.orientation.any() ? turn(rule.node) * conjugate(from.orientation)
                                                   : orientation(rest);
        const Vec3 size{length(rest.x), length(rest.y), length(rest.z)};
        want(from.node,
             rule.position.any()
                 ? std::optional(place(rule.node) - rotate(facing, size * from.position))
                 : std::nullopt,
             rule.orientation.any() ? std::optional(facing) : std::nullopt);
    }

    void solve(const BoundLimb& rule) {
        if (!known(rule.start) || !known(rule.mid) || !known(rule.end)) return;
        want(rule.goal, place(rule.end),
             rule.end_follows_goal ? std::optional(turn(rule.end) * conjugate(rule.offset))
                                   : std::nullopt);
        const Vec3 a = place(rule.start), m = place(rule.mid), e = place(rule.end);
        const Vec3 u = normalized(e - a, {0, 1, 0}), bend = (m - a) - dot(m - a, u) * u;
        // A straight limb bends about its hinge.
        const Vec3 hinge = rotate(turn(rule.start), rule.hinge);
        const Vec3 v =
            normalized(bend, normalized(cross(hinge, u), {0, 0, 1}), 1e-6 * length(m - a) + 1e-12);
        const double far = length(rest_[at(rule.pole)].o - rest_[at(rule.mid)].o);
        want(rule.pole, m + far * v, std::nullopt);
    }

    void solve(const BoundChain& rule) {
        const int end = rule.joints.back();
        if (rule.goal == kNone || !known(end)) return;
        want(rule.goal, place(end),
             rule.end_follows ? std::optional(turn(end) * conjugate(rule.offset)) : std::nullopt);
    }

    void solve(const BoundAim& rule) {
        if (!known(rule.node)) return;
        // The world turn is frame(u, v) * rule.frame.
        const Quat frame = turn(rule.node) * conjugate(rule.frame);
        const auto far = [&](int node) {
            return std::max(length(rest_[at(node)].o - rest_[at(rule.node)].o), 1e-3);
        };
        want(rule.source, place(rule.node) + rotate(frame, {far(rule.source), 0, 0}), std::nullopt);
        if (rule.up_node != kNone && !rule.up_is_axis)
            want(rule.up_node, place(rule.node) + rotate(frame, {0, far(rule.up_node), 0}),
                 std::nullopt);
    }

    // Of these no control is found; a kind that is not named does not compile.
    void solve(const BoundTwist&) {}
    void solve(const BoundLimit&) {}
    void solve(const BoundRoll&) {}
    void solve(const BoundDrive&) {}
    void solve(const BoundLag&) {}
    void solve(const BoundLayer&) {}

    /// A control that is keyed in place of one below it takes over what that one needs.
    void hand_over() {
        for (const auto& [from, to] : onto_) {
            Wanted& below = wanted_[at(from)];
            if (!below.place && !below.turn) continue;
            const Affine offset = inverse(rest_[at(to)]) * rest_[at(from)];
            const Quat facing = below.turn ? *below.turn * conjugate(orientation(offset))
                                           : orientation(rest_[at(to)]);
            Wanted& above = wanted_[at(to)];
            if (below.turn) above.turn = facing;
            if (below.place) above.place = *below.place - rotate(facing, offset.o);
            below = {};
        }
    }

    /// Local transforms of all nodes for what is wanted, parents first.
    void settle() {
        std::vector<Affine> world(scene_.nodes.size());
        for (const int n : parents_first(scene_)) {
            Transform local = scene_.nodes[at(n)].local;
            const int parent = scene_.nodes[at(n)].parent;
            const Affine above = parent == kNone ? Affine{} : world[at(parent)];
            const Wanted& w = wanted_[at(n)];
            if (w.place) local.t = apply(inverse(above), *w.place);
            if (w.turn) local.r = conjugate(orientation(above)) * *w.turn;
            world[at(n)] = above * to_affine(local);
            if (w.place) keys_[n].places.push_back(local.t);
            if (w.turn) {
                auto& turns = keys_[n].turns;
                turns.push_back(nearest(local.r, turns.empty() ? Quat{} : turns.back()));
            }
        }
    }

    template <class Each>
    void for_each_sample(const Rig& source, double start, Each&& each) {
        PoseTile tile = source.source().make_tile();
        for (int k = 0; k < out_.samples; ++k) {
            const double t = start + out_.rate.seconds(k);
            source.evaluate({&t, 1}, tile);
            for (const Pair& pair : pairs_) {
                const Affine world = tile.world(pair.motion, 0);
                given_[at(pair.node)] = {world.o, orientation(world) * pair.axes};
            }
            each(k);
        }
    }

    void solve_all(const Rig& source, double start) {
        // A file of the same rig has its controls, too: what moves must be joints.
        std::vector<bool> joint(scene_.nodes.size(), scene_.skins.empty());
        for (const Skin& skin : scene_.skins)
            for (const int node : skin.joints) joint[at(node)] = true;
        std::vector<Wanted> first;
        for_each_sample(source, start, [&](int k) {
            if (k == 0) first = given_;
            for (const Pair& pair : pairs_) {
                if (!joint[at(pair.node)]) continue;
                const Wanted &a = first[at(pair.node)], &b = given_[at(pair.node)];
                moves_ = moves_ || length(*a.place - *b.place) > 1e-6 ||
                         angle_between(*a.turn, *b.turn) > 1e-6;
            }
            wanted_.assign(scene_.nodes.size(), {});
            for (const BoundRule& rule : plan_->rules)
                std::visit([&](const auto& bound) { solve(bound); }, rule);
            hand_over();
            settle();
        });
        out_.timeline.name = options_.name;
        std::vector<double> list;
        for (int k = 0; k < out_.samples; ++k) list.push_back(out_.rate.seconds(k));
        const KeyTimes times(list);
        for (const auto& [node, keys] : keys_) {
            out_.controls.push_back(scene_.nodes[at(node)].name);
            if (!keys.places.empty()) {
                Curve curve{Interpolation::kLinear, 3, times, {}};
                for (const Vec3 v : keys.places) curve.values.append({v.x, v.y, v.z});
                out_.timeline.channels.push_back({node, Path::kTranslation, std::move(curve)});
            }
            if (!keys.turns.empty()) {
                Curve curve{Interpolation::kLinear, 4, times, {}};
                for (const Quat q : keys.turns) curve.values.append({q.x, q.y, q.z, q.w});
                out_.timeline.channels.push_back({node, Path::kRotation, std::move(curve)});
            }
        }
    }

    /// Weights of a mesh of the motion, on the scene's mesh of that name.
    void take_weights(const std::string& name, const std::vector<std::string>& targets,
                      const Curve& from, double start) {
        const auto is_mesh = [&](const Node& n) {
            return n.mesh != kNone && (n.name == name || n.name == sheet_.prefix + name ||
                                       sheet_.prefix + n.name == name);
        };
        const auto found = std::find_if(scene_.nodes.begin(), scene_.nodes.end(), is_mesh);
        std::vector<int> source;  // of each target of the scene's mesh
        std::vector<double> rest;
        if (found != scene_.nodes.end()) {
            for (const std::string& target : scene_.meshes[at(found->mesh)].target_names) {
                const auto its = std::find(targets.begin(), targets.end(), target);
                source.push_back(its == targets.end() ? kNone
                                                      : static_cast<int>(its - targets.begin()));
            }
            rest = rest_weights(scene_, static_cast<int>(found - scene_.nodes.begin()));
        }
        if (std::count(source.begin(), source.end(), kNone) == std::ssize(source)) {
            out_.findings.push_back({Code::kLeftOut, Severity::kWarning, "motion",
                                     fmt::format("morph weights of \"{}\"", name),
                                     "a mesh of that name with such targets",
                                     "rename the mesh, or key them by hand"});
            return;
        }
        Curve curve{from.interpolation, static_cast<int>(source.size()), {}, {}};
        for (const double t : from.times) curve.times.push_back(t - start);
        const std::vector<double>& values = from.values.list();
        const bool slopes = from.interpolation == Interpolation::kCubicSpline;
        const std::size_t width = at(from.width), rows = values.size() / width;
        for (std::size_t row = 0; row < rows; ++row)
            for (std::size_t t = 0; t < source.size(); ++t)
                curve.values.append({source[t] != kNone       ? values[row * width + at(source[t])]
                                     : slopes && row % 3 != 1 ? 0
                                                              : rest[t]});
        out_.timeline.channels.push_back(
            {static_cast<int>(found - scene_.nodes.begin()), Path::kWeights, std::move(curve)});
        out_.meshes.push_back(found->name);
    }

    void take_weights(const Scene& motion, int timeline, double start) {
        const Timeline& from = motion.timelines[at(timeline)];
        for (const Channel& channel : from.channels) {
            if (channel.path != Path::kWeights) continue;
            const Node& node = motion.nodes[at(channel.node)];
            take_weights(node.name, motion.meshes[at(node.mesh)].target_names, channel.curve,
                         start);
        }
        for (const MorphCurve& morph : from.morphs)
            take_weights(morph.mesh, morph.targets, morph.curve, start);
    }

    /// Evaluates the rig on a scene with keys and compares all joints with what was given.
    Status measure(const Rig& source, double start, Scene solved) {
        solved.rate = out_.rate;
        MELLOW_TRY(const Rig rig, Rig::bind(solved, 0, sheet_));
        PoseTile tile = rig.source().make_tile();
        for (const Pair& pair : pairs_) out_.errors.push_back({scene_.nodes[at(pair.node)].name});
        for_each_sample(source, start, [&](int k) {
            const double t = out_.rate.seconds(k);
            rig.evaluate({&t, 1}, tile);
            for (std::size_t i = 0; i < pairs_.size(); ++i) {
                LiftError& error = out_.errors[i];
                const Affine got = tile.world(pairs_[i].node, 0);
                const double mm = length(got.o - place(pairs_[i].node)) * 1000;
                const double degrees =
                    angle_between(orientation(got), turn(pairs_[i].node)) * kDegrees;
                // A value that is no number is the worst there is.
                if (!(mm <= error.worst_mm)) error.worst_mm = mm, error.sample = k;
                if (!(degrees <= error.worst_degrees))
                    error.worst_degrees = degrees, error.degrees_sample = k;
            }
        });
        return {};
    }

    struct Keys {
        std::vector<Vec3> places;
        std::vector<Quat> turns;
    };

    const Scene& scene_;
    const RigSheet& sheet_;
    const LiftOptions& options_;
    std::vector<Affine> rest_;
    std::unique_ptr<Rig::Plan> plan_;
    std::vector<Pair> pairs_;
    std::map<int, int> onto_;
    std::vector<Wanted> given_, wanted_;
    std::map<int, Keys> keys_;
    bool moves_ = false;
    Lifted out_;
};

}  // namespace

Result<Lifted> lift(const Scene& scene, const RigSheet& sheet, const Scene& motion, int timeline,
                    const LiftOptions& options) {
    return Lifter(scene, sheet, options).run(motion, timeline);
}

Result<std::vector<LiftError>> measure_lifted(const Scene& lifted, const RigSheet& sheet,
                                              const Scene& motion, int timeline) {
    return Lifter(lifted, sheet, {}).errors(motion, timeline);
}

}  // namespace mellow
