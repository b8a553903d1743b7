#include "mellow/compare.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

#include "base/at.h"
#include "base/text.h"
#include "math/degrees.h"
#include "mellow/parallel.h"
#include "mellow/pose.h"
#include "prove/surfaces.h"

namespace mellow {
namespace {

std::vector<int> joints_of(const Scene& scene) {
    std::vector<bool> joint(scene.nodes.size(), false);
    for (const Skin& skin : scene.skins)
        for (const int j : skin.joints) joint[at(j)] = true;
    std::vector<int> out;
    for (std::size_t n = 0; n < joint.size(); ++n) {
        const Node& node = scene.nodes[n];
        const bool bare = node.mesh == kNone && node.camera == kNone && !node.end_site;
        if (scene.skins.empty() ? bare : joint[n]) out.push_back(static_cast<int>(n));
    }
    return out;
}

struct Pair {
    int a, b;
};

struct MeshPair {
    int a, b;
    bool same_vertices;
};

/// Where a morph weight comes from: a scalar of the pose, or, for a mesh in another file, a curve.
struct Weight {
    int scalar = kNone;
    const Curve* curve = nullptr;
    int column = 0;
};

/// All morph weights of a file by mesh and target.
std::map<std::pair<std::string, std::string>, Weight> weights_of(const Scene& scene,
                                                                 const Timeline* timeline) {
    std::map<std::pair<std::string, std::string>, Weight> out;
    const ScalarLayout layout = scalar_layout(scene);
    for (std::size_t n = 0; n < scene.nodes.size(); ++n)
        for (int t = 0; t < morph_count(scene, static_cast<int>(n)); ++t) {
            const Mesh& mesh = scene.meshes[at(scene.nodes[n].mesh)];
            out[{scene.nodes[n].name, mesh.target_names[at(t)]}] = {layout.offset[n] + t, nullptr,
                                                                    0};
        }
    if (timeline != nullptr)
        for (const MorphCurve& morph : timeline->morphs)
            for (std::size_t t = 0; t < morph.targets.size(); ++t)
                out[{morph.mesh, morph.targets[t]}] = {kNone, &morph.curve, static_cast<int>(t)};
    return out;
}

/// A timeline to play from second 0, or from its first key; the rest pose without one.
struct Player {
    const Scene& scene;
    const Timeline* timeline = nullptr;
    double first = 0, seconds = 0;

    Player(const Scene& s, int index, bool align) : scene(s) {
        if (index < 0 || at(index) >= s.timelines.size()) return;
        timeline = &s.timelines[at(index)];
        const auto span = key_span(*timeline);
        first = align ? span[0] : 0;
        seconds = span[1] - first;
    }
    double weight(const Weight& w, const Pose& pose, double s) const {
        if (w.curve == nullptr) return pose.weights[at(w.scalar)];
        std::vector<double> row(at(w.curve->width));
        const double second = first + s;
        sample(*w.curve, false, {&second, 1}, row.data());
        return row[at(w.column)];
    }
    Pose pose(double s) const {
        return timeline == nullptr ? rest_pose(scene) : pose_at(scene, *timeline, first + s);
    }
};

struct WeightPair {
    std::string mesh;
    Weight a, b;
};

double turned(const Affine& a, const Affine& b) {
    return angle_between(rotation_of(a), rotation_of(b)) * kDegrees;
}

class Comparer {
  public:
    Comparer(const Scene& a, const Scene& b, const CompareOptions& options)
        : a_(a),
          b_(b),
          options_(options),
          play_a_(a, options.timeline_a, options.align_first_key),
          play_b_(b, options.timeline_b, options.align_first_key),
          in_a_(nodes_by_name(a)),
          in_b_(nodes_by_name(b)) {}

    Result<Comparison> run() {
        MELLOW_CHECK(match_joints());
        compare_parents();
        match_meshes();
        match_cameras();
        match_weights();
        compare_rest();
        out_.seconds_a = play_a_.seconds;
        out_.seconds_b = play_b_.seconds;
        out_.moments_per_second = a_.rate.per_second() * options_.oversample;
        const double longest = std::max(play_a_.seconds, play_b_.seconds);
        constexpr double kMostPoses = 2e9;  // of single nodes: an hour of a large figure
        const double poses = longest * out_.moments_per_second *
                             static_cast<double>(a_.nodes.size() + b_.nodes.size());
        if (poses > kMostPoses)
            return Finding{
                Code::kLimit,
                Severity::kStop,
                "comparison",
                fmt::format("{:g} s at {:g} moments a second", longest, out_.moments_per_second),
                fmt::format("at most {:g} moments times nodes", kMostPoses),
                "compare a shorter timeline; a key far from all others may be stray"};
        out_.moments = static_cast<int>(std::ceil(longest * out_.moments_per_second - 1e-6)) + 1;
        constexpr int kChunk = 64;
        std::vector<Comparison> parts(at((out_.moments + kChunk - 1) / kChunk), out_);
        parallel_for(parts.size(), [&](std::size_t p) {
            const int first = static_cast<int>(p) * kChunk;
            for (int m = first; m < std::min(first + kChunk, out_.moments); ++m)
                compare_moment(m, parts[p]);
        });
        for (const Comparison& part : parts) merge(part);
        return std::move(out_);
    }

  private:
    Status match_joints() {
        std::vector<std::string> names;
        for (const Node& node : b_.nodes) names.push_back(node.name);
        for (const auto& [from, to] : options_.names) {
            if (find(in_a_, from) == kNone) return unknown(from, a_, "the first file");
            if (find(in_b_, to) == kNone) return unknown(to, b_, "the second file");
        }
        std::vector<bool> taken(b_.nodes.size(), false);
        for (const int n : joints_of(a_)) {
            const std::string& own = a_.nodes[at(n)].name;
            const auto mapped = options_.names.find(own);
            const int other = find(in_b_, mapped == options_.names.end() ? own : mapped->second);
            if (other == kNone) {
                out_.only_a.push_back(own);
                continue;
            }
            taken[at(other)] = true;
            pairs_.push_back({n, other});
            out_.joints.push_back({own, {}, {}, {}, 0, 0});
        }
        for (const int n : joints_of(b_))
            if (!taken[at(n)] && find(in_a_, b_.nodes[at(n)].name) == kNone)
                out_.only_b.push_back(b_.nodes[at(n)].name);
        if (!pairs_.empty()) return {};
        return Finding{Code::kNoJoints,
                       Severity::kStop,
                       "comparison",
                       "no joint of the first file in the second",
                       "joints of the same name",
                       "give a table of names",
                       {},
                       {again({{Call::Option::kMap, "hips=Pelvis"}})}};
    }

    static Finding unknown(const std::string& name, const Scene& scene, const char* which) {
        std::vector<std::string> names;
        for (const Node& node : scene.nodes) names.push_back(node.name);
        return {Code::kNameUnknown,   Severity::kStop,
                "table of names",     fmt::format("\"{}\" is not in {}", name, which),
                suggest(name, names), "correct the name"};
    }

    /// The nearest joint above that both have must be the same one.
    void compare_parents() {
        std::vector<int> pair_a(a_.nodes.size(), kNone), pair_b(b_.nodes.size(), kNone);
        for (std::size_t p = 0; p < pairs_.size(); ++p) {
            pair_a[at(pairs_[p].a)] = static_cast<int>(p);
            pair_b[at(pairs_[p].b)] = static_cast<int>(p);
        }
        const auto above = [](const Scene& scene, const std::vector<int>& pairs, int node) {
            int n = scene.nodes[at(node)].parent;
            while (n != kNone && pairs[at(n)] == kNone) n = scene.nodes[at(n)].parent;
            return n == kNone ? kNone : pairs[at(n)];
        };
        const auto named = [&](int pair) {
            return pair == kNone ? std::string("no joint") : out_.joints[at(pair)].joint;
        };
        for (std::size_t p = 0; p < pairs_.size(); ++p) {
            const int own = above(a_, pair_a, pairs_[p].a), other = above(b_, pair_b, pairs_[p].b);
            if (own != other)
                out_.other_parents.push_back(fmt::format("{} (below {}, then below {})",
                                                         out_.joints[p].joint, named(own),
                                                         named(other)));
        }
    }

    void match_meshes() {
        for (std::size_t n = 0; n < a_.nodes.size(); ++n) {
            const Node& node = a_.nodes[n];
            if (node.mesh == kNone) continue;
            const int other = find(in_b_, node.name);
            if (other == kNone || b_.nodes[at(other)].mesh == kNone) {
                out_.meshes_only_a.push_back(node.name);
                continue;
            }
            const Mesh &x = a_.meshes[at(node.mesh)], &y = b_.meshes[at(b_.nodes[at(other)].mesh)];
            MeshPair pair{static_cast<int>(n), other, x.primitives.size() == y.primitives.size()};
            for (std::size_t p = 0; pair.same_vertices && p < x.primitives.size(); ++p)
                pair.same_vertices =
                    x.primitives[p].positions.size() == y.primitives[p].positions.size();
            if (!pair.same_vertices) out_.other_meshes.push_back(node.name);
            if (pair.same_vertices)
                for (const std::string& what : surface_differences(a_, x, b_, y))
                    out_.surfaces.push_back(node.name + ": " + what);
            meshes_.push_back(pair);
        }
        for (const Node& node : b_.nodes) {
            if (node.mesh == kNone) continue;
            const int other = find(in_a_, node.name);
            if (other == kNone || a_.nodes[at(other)].mesh == kNone)
                out_.meshes_only_b.push_back(node.name);
        }
    }

    void match_weights() {
        const auto own = weights_of(a_, play_a_.timeline),
                   others = weights_of(b_, play_b_.timeline);
        for (const auto& [name, weight] : own) {
            if (const auto found = others.find(name); found != others.end())
                weights_.push_back({name.first, weight, found->second});
            else
                out_.weights_only_a.push_back(name.first + "/" + name.second);
        }
        for (const auto& [name, weight] : others)
            if (!own.contains(name)) out_.weights_only_b.push_back(name.first + "/" + name.second);
    }

    /// Cameras by the names of their nodes, and what glTF says of each.
    void match_cameras() {
        const auto of = [](const Scene& scene) {
            std::map<std::string, std::string> out;
            for (const Node& node : scene.nodes)
                if (node.camera != kNone) out[node.name] = scene.cameras[at(node.camera)];
            return out;
        };
        const auto own = of(a_), others = of(b_);
        for (const auto& [name, camera] : own)
            if (const auto found = others.find(name); found == others.end())
                out_.cameras.push_back(name + " only in the first");
            else if (found->second != camera)
                out_.cameras.push_back(name + ": " + camera + ", then " + found->second);
        for (const auto& [name, camera] : others)
            if (!own.contains(name)) out_.cameras.push_back(name + " only in the second");
    }

    void compare_rest() {
        const Pose x = rest_pose(a_), y = rest_pose(b_);
        for (std::size_t j = 0; j < pairs_.size(); ++j) {
            const Affine &p = x.worlds[at(pairs_[j].a)], &q = y.worlds[at(pairs_[j].b)];
            out_.joints[j].rest_mm = length(p.o - q.o) * 1000;
            out_.joints[j].rest_degrees = turned(p, q);
        }
        Bounds bounds = mesh_bounds(a_, x);
        if (!bounds.any) bounds = node_bounds(joints_of(a_), x);
        if (bounds.any) out_.height_m = bounds.high.y - bounds.low.y;
    }

    void compare_moment(int m, Comparison& into) const {
        const double second = m / out_.moments_per_second;
        const Pose x = play_a_.pose(second), y = play_b_.pose(second);
        for (std::size_t j = 0; j < pairs_.size(); ++j) {
            const Affine &p = x.worlds[at(pairs_[j].a)], &q = y.worlds[at(pairs_[j].b)];
            JointComparison& joint = into.joints[j];
            joint.position_mm.add(length(p.o - q.o) * 1000, m, joint.joint);
            joint.scale.add(scale_apart(p, q), m, joint.joint);
            if (!is_flat(p) || !is_flat(q))
                joint.rotation_degrees.add(turned(p, q), m, joint.joint);
        }
        for (const WeightPair& pair : weights_)
            into.weight.add(
                std::abs(play_a_.weight(pair.a, x, second) - play_b_.weight(pair.b, y, second)), m,
                pair.mesh);
        for (const MeshPair& pair : meshes_) {
            const Node& node = a_.nodes[at(pair.a)];
            const auto& parts = a_.meshes[at(node.mesh)].primitives;
            const auto& others = b_.meshes[at(b_.nodes[at(pair.b)].mesh)].primitives;
            for (std::size_t p = 0; pair.same_vertices && p < parts.size(); ++p) {
                const auto v = posed_vertices(a_, pair.a, parts[p], x),
                           w = posed_vertices(b_, pair.b, others[p], y);
                for (std::size_t i = 0; i < v.size(); ++i)
                    into.vertex_mm.add(length(v[i] - w[i]) * 1000, m, node.name);
            }
        }
    }

    void merge(const Comparison& part) {
        for (std::size_t j = 0; j < out_.joints.size(); ++j) {
            out_.joints[j].position_mm.merge(part.joints[j].position_mm);
            out_.joints[j].rotation_degrees.merge(part.joints[j].rotation_degrees);
            out_.joints[j].scale.merge(part.joints[j].scale);
            out_.scale.merge(part.joints[j].scale);
            out_.position_mm.merge(part.joints[j].position_mm);
            out_.rotation_degrees.merge(part.joints[j].rotation_degrees);
        }
        out_.vertex_mm.merge(part.vertex_mm);
        out_.weight.merge(part.weight);
    }

    static int find(const std::unordered_map<std::string_view, int>& names, std::string_view name) {
        const auto found = names.find(name);
        return found == names.end() ? kNone : found->second;
    }

    const Scene &a_, &b_;
    const CompareOptions& options_;
    Player play_a_, play_b_;
    std::unordered_map<std::string_view, int> in_a_, in_b_;
    std::vector<Pair> pairs_;
    std::vector<MeshPair> meshes_;
    std::vector<WeightPair> weights_;
    Comparison out_;
};

std::string list_of(const std::vector<std::string>& first, const std::vector<std::string>& second) {
    std::string text;
    if (!first.empty()) text = "only in the first: " + name_list(first);
    if (!second.empty())
        text += (text.empty() ? "" : "; ") + ("only in the second: " + name_list(second));
    return text;
}

}  // namespace

std::string_view name(Aspect aspect) {
    static constexpr std::array<std::string_view, kAspects> kNames{
        "places",  "turns",  "scales", "vertices", "weights", "joints",
        "parents", "meshes", "length", "surfaces", "cameras"};
    return kNames[at(static_cast<int>(aspect))];
}

std::vector<Difference> differences(const Comparison& c, const CompareTolerance& tolerance,
                                    const std::set<Aspect>& ignored) {
    std::vector<Difference> out;
    const auto add = [&](Aspect aspect, std::string what) {
        if (!what.empty() && !ignored.contains(aspect)) out.push_back({aspect, std::move(what)});
    };
    const auto above = [&](Aspect aspect, const Deviation& d, double most, std::string_view unit) {
        if (!(d.worst <= most))
            add(aspect, fmt::format("worst {:.3g}{}{} at {}, {:.3f} s; at most {:g}", d.worst,
                                    unit.empty() ? "" : " ", unit, d.what,
                                    d.sample / c.moments_per_second, most));
    };
    above(Aspect::kPlaces, c.position_mm, tolerance.mm, "mm");
    above(Aspect::kTurns, c.rotation_degrees, tolerance.degrees, "degrees");
    above(Aspect::kScales, c.scale, tolerance.scale, "of its size");
    above(Aspect::kVertices, c.vertex_mm, tolerance.mm, "mm");
    above(Aspect::kWeights, c.weight, tolerance.weight, "");
    add(Aspect::kWeights, list_of(c.weights_only_a, c.weights_only_b));
    add(Aspect::kJoints, list_of(c.only_a, c.only_b));
    if (!c.other_parents.empty()) add(Aspect::kParents, name_list(c.other_parents));
    add(Aspect::kMeshes, list_of(c.meshes_only_a, c.meshes_only_b));
    if (!c.other_meshes.empty())
        add(Aspect::kMeshes, "with other vertices: " + name_list(c.other_meshes));
    if (!c.surfaces.empty()) add(Aspect::kSurfaces, name_list(c.surfaces));
    if (!c.cameras.empty()) add(Aspect::kCameras, name_list(c.cameras));
    if (!(std::abs(c.seconds_a - c.seconds_b) <= tolerance.seconds))
        add(Aspect::kLength, fmt::format("{:.4f} s, then {:.4f} s; at most {:g} s apart",
                                         c.seconds_a, c.seconds_b, tolerance.seconds));
    return out;
}

Result<Comparison> compare_motion(const Scene& a, const Scene& b, const CompareOptions& options) {
    return Comparer(a, b, options).run();
}

}  // namespace mellow
