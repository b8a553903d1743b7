// Keys of one file on the nodes of another; declared in joint_map.h.
#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

#include "base/at.h"
#include "math/degrees.h"
#include "mellow/joint_map.h"

namespace mellow {
namespace {

/// How much of a node's local transform the file keys.
struct Keyed {
    bool translation = false, rotation = false, scale = false;
    bool all() const { return translation && rotation && scale; }
};

class KeyCarrier {
  public:
    KeyCarrier(const Scene& figure, const Scene& motion) : figure_(figure), motion_(motion) {}

    Result<Scene> run(const Place& where, std::vector<std::string>& left) {
        const auto by_name = nodes_by_name(figure_);
        node_.assign(motion_.nodes.size(), kNone);
        for (std::size_t n = 0; n < node_.size(); ++n)
            if (const auto found = by_name.find(motion_.nodes[n].name); found != by_name.end())
                node_[n] = found->second;
        copy_bones();
        for (const Timeline& timeline : motion_.timelines) carry(timeline);
        MELLOW_CHECK(check(where));
        left.assign(left_.begin(), left_.end());
        return std::move(out_);
    }

  private:
    /// The figure without vertices, pictures and timelines.
    void copy_bones() {
        out_.name = figure_.name;
        out_.convention = figure_.convention;
        out_.stack_convention = motion_.stack_convention;
        out_.rate = motion_.rate;
        out_.rate_known = motion_.rate_known;
        out_.nodes = figure_.nodes;
        out_.roots = figure_.roots;
        for (Node& node : out_.nodes) {
            node.skin = kNone;
            node.stack.clear();
        }
        for (const Mesh& mesh : figure_.meshes)
            out_.meshes.push_back({mesh.name, {}, mesh.target_names, mesh.morph_weights, {}, {}});
        out_.cameras = figure_.cameras;
    }

    int to(int node) {
        if (node_[at(node)] == kNone) left_.insert(motion_.nodes[at(node)].name);
        return node_[at(node)];
    }

    void carry(const Timeline& from) {
        Timeline out;
        out.name = from.name;
        out.span = from.span;
        for (const Channel& channel : from.channels) {
            const int node = to(channel.node);
            if (node == kNone) continue;
            if (channel.path == Path::kWeights) {
                carry_weights(node, channel.curve,
                              motion_.meshes[at(motion_.nodes[at(channel.node)].mesh)].target_names,
                              out);
                continue;
            }
            out.channels.push_back({node, channel.path, channel.curve});
            Keyed& keyed = keyed_[channel.node];
            keyed.translation = keyed.translation || channel.path == Path::kTranslation;
            keyed.rotation = keyed.rotation || channel.path == Path::kRotation;
            keyed.scale = keyed.scale || channel.path == Path::kScale;
        }
        for (const MorphCurve& morph : from.morphs) {
            const int node = find_node(figure_, morph.mesh);
            if (node != kNone)
                carry_weights(node, morph.curve, morph.targets, out);
            else
                left_.insert(morph.mesh);
        }
        for (const MemberCurve& member : from.members) {
            const int node = to(member.node);
            if (node == kNone) continue;
            MemberCurve carried = member;
            carried.node = node;
            out_.nodes[at(node)].stack = motion_.nodes[at(member.node)].stack;
            keyed_[member.node] = {true, true, true};  // the stack is all of it
            out.members.push_back(std::move(carried));
        }
        for (const ShearCurve& shear : from.shears)
            if (const int node = to(shear.node); node != kNone)
                out.shears.push_back({node, shear.curve});
        out_.timelines.push_back(std::move(out));
    }

    /// Weights of targets by their names, in the order of the figure's; other targets stay behind.
    /// Names that no file gave (`target_0`) go by their order.
    void carry_weights(int node, const Curve& weights, const std::vector<std::string>& targets,
                       Timeline& out) {
        const int mesh = figure_.nodes[at(node)].mesh;
        const auto own =
            mesh == kNone ? std::vector<std::string>{} : figure_.meshes[at(mesh)].target_names;
        const bool unnamed = std::all_of(targets.begin(), targets.end(), [](const auto& name) {
            return name.starts_with("target_");
        });
        std::vector<std::size_t> from;  // of each target of the figure
        for (std::size_t t = 0; t < own.size(); ++t) {
            const auto found = std::find(targets.begin(), targets.end(), own[t]);
            if (own == targets || unnamed)
                from.push_back(t);
            else if (found != targets.end())
                from.push_back(static_cast<std::size_t>(found - targets.begin()));
        }
        if (own.empty() || from.size() != targets.size() || own.size() != targets.size()) {
            left_.insert(figure_.nodes[at(node)].name);
            return;
        }
        Channel& channel = out.channels.emplace_back(Channel{node, Path::kWeights, weights});
        if (own == targets || unnamed) return;
        std::vector<double>& values = channel.curve.values.edit();
        for (std::size_t k = 0; k < values.size(); k += from.size())
            for (std::size_t t = 0; t < from.size(); ++t)
                values[k + t] = weights.values[k + from[t]];
    }

    /// A keyed node must hang where it hangs in the figure, and what it does not key must rest
    /// alike; so must every node above it that the file has.
    Status check(const Place& where) const {
        Findings wrong;
        std::set<int> looked;
        for (const auto& [node, keyed] : keyed_) {
            for (int n = node; n != kNone; n = motion_.nodes[at(n)].parent)
                if (looked.insert(n).second && node_[at(n)] != kNone) compare(n, where, wrong);
        }
        return wrong;
    }

    void compare(int node, const Place& where, Findings& wrong) const {
        const Node &its = motion_.nodes[at(node)], &own = figure_.nodes[at(node_[at(node)])];
        const auto found = keyed_.find(node);
        const Keyed keyed = found == keyed_.end() ? Keyed{} : found->second;
        const auto name_of = [](const Scene& scene, int n) {
            return n == kNone ? std::string("nothing") : "\"" + scene.nodes[at(n)].name + "\"";
        };
        const auto say = [&](std::string found_text, std::string expected) {
            wrong.push_back({Code::kSkeletonDiffers, Severity::kStop,
                             where.at(fmt::format("node \"{}\"", its.name)), std::move(found_text),
                             std::move(expected), "a file of the very rig, from the same scene"});
        };
        const int up = its.parent == kNone ? kNone : node_[at(its.parent)];
        if (up != own.parent || (its.parent != kNone && up == kNone))
            return say("hangs on " + name_of(motion_, its.parent),
                       "on " + name_of(figure_, own.parent) + ", as in the figure");
        const double apart = length(its.local.t - own.local.t),
                     turned = angle_between(its.local.r, own.local.r) * kDegrees,
                     scaled = length(its.local.s - own.local.s);
        if (!keyed.translation && apart > 1e-4)
            return say(
                fmt::format("rests {:.2f} cm elsewhere, and has no keys of its place", apart * 100),
                "the rest place of the figure");
        if (!keyed.rotation && turned > 0.05)
            return say(
                fmt::format("rests {:.2f} degrees turned, and has no keys of its turn", turned),
                "the rest turn of the figure");
        if (!keyed.scale && scaled > 1e-4)
            return say(
                fmt::format("rests scaled by {:.3f} {:.3f} {:.3f}", its.local.s.x, its.local.s.y,
                            its.local.s.z),
                fmt::format("{:.3f} {:.3f} {:.3f}", own.local.s.x, own.local.s.y, own.local.s.z));
    }

    const Scene& figure_;
    const Scene& motion_;
    Scene out_;
    std::vector<int> node_;  ///< of the figure, by node of the motion
    std::map<int, Keyed> keyed_;
    std::set<std::string> left_;
};

}  // namespace

Result<Scene> carry_keys(const Scene& figure, const Scene& motion, const Place& where,
                         std::vector<std::string>& left) {
    return KeyCarrier(figure, motion).run(where, left);
}

}  // namespace mellow
