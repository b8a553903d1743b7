#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "base/at.h"
#include "base/text.h"
#include "base/toml_text.h"
#include "mellow/fit.h"

namespace mellow {
namespace {

/// For each node, itself when it is a joint of the skeleton, else the nearest joint above; where
/// there is none, the first joint there is.
std::vector<int> stands_for(const Scene& scene, const JointSources& sources) {
    std::vector<bool> joint(scene.nodes.size(), false);
    int first = kNone;
    for (const JointSource& s : sources) {
        if (s.node == kNone) continue;
        joint[at(s.node)] = true;
        if (first == kNone) first = s.node;
    }
    std::vector<int> out(scene.nodes.size(), first);
    for (std::size_t n = 0; n < out.size(); ++n) {
        int up = static_cast<int>(n);
        while (up != kNone && !joint[at(up)]) up = scene.nodes[at(up)].parent;
        if (up != kNone) out[n] = up;
    }
    return out;
}

/// Influences of one vertex, joint index to weight, in order of joints.
using Influences = std::vector<std::pair<std::uint16_t, float>>;

Influences read_vertex(const Primitive& p, std::size_t vertex) {
    std::map<std::uint16_t, float> sum;
    const auto per = at(p.influences_per_vertex);
    for (std::size_t i = vertex * per; i < (vertex + 1) * per; ++i)
        if (p.influence_weights[i] > 0) sum[p.influence_joints[i]] += p.influence_weights[i];
    return {sum.begin(), sum.end()};
}

/// Drops the smallest until `most` are left and makes the rest sum to what all did.
bool limit(Influences& all, int most) {
    if (most <= 0 || all.size() <= at(most)) return false;
    std::stable_sort(all.begin(), all.end(),
                     [](const auto& a, const auto& b) { return a.second > b.second; });
    double before = 0, after = 0;
    for (const auto& [joint, weight] : all) before += static_cast<double>(weight);
    all.resize(at(most));
    for (const auto& [joint, weight] : all) after += static_cast<double>(weight);
    for (auto& [joint, weight] : all)
        weight = static_cast<float>(static_cast<double>(weight) * before / after);
    return true;
}

void write_vertex(Primitive& p, std::size_t vertex, const Influences& all) {
    const auto per = at(p.influences_per_vertex);
    for (std::size_t i = 0; i < per; ++i) {
        p.influence_joints[vertex * per + i] = i < all.size() ? all[i].first : std::uint16_t{0};
        p.influence_weights[vertex * per + i] = i < all.size() ? all[i].second : 0.0F;
    }
}

/// Fewer slots per vertex where no vertex needs them all; four at least, in steps of four.
void tighten(Primitive& p) {
    const auto per = at(p.influences_per_vertex), vertices = p.positions.size();
    std::size_t used = 1;
    for (std::size_t i = 0; i < p.influence_weights.size(); ++i)
        if (p.influence_weights[i] > 0) used = std::max(used, i % per + 1);
    const std::size_t slots = (used + 3) / 4 * 4;
    if (slots >= per) return;
    for (std::size_t v = 0; v < vertices; ++v)
        for (std::size_t i = 0; i < slots; ++i) {
            p.influence_joints[v * slots + i] = p.influence_joints[v * per + i];
            p.influence_weights[v * slots + i] = p.influence_weights[v * per + i];
        }
    p.influence_joints.resize(vertices * slots);
    p.influence_weights.resize(vertices * slots);
    p.influences_per_vertex = static_cast<int>(slots);
}

/// Joints of each skin that carry weight.
std::vector<std::vector<bool>> weighted_joints(const Scene& scene) {
    std::vector<std::vector<bool>> used;
    for (const Skin& skin : scene.skins) used.emplace_back(skin.joints.size(), false);
    for (const Node& node : scene.nodes) {
        if (node.mesh == kNone || node.skin == kNone) continue;
        for (const Primitive& p : scene.meshes[at(node.mesh)].primitives)
            for (std::size_t i = 0; i < p.influence_joints.size(); ++i)
                if (p.influence_weights[i] > 0) used[at(node.skin)][p.influence_joints[i]] = true;
    }
    return used;
}

struct Counts {
    std::vector<std::string> removed;  ///< "hand.L to forearm.L"
    int limited = 0, vertices = 0;
};

/// Adds to a skin the joints that stand in for removed ones, so that what hung on one of these now
/// goes rigidly with its stand-in. Returns, for each joint of the skin, the index to use.
std::vector<std::uint16_t> stand_in(const std::vector<Affine>& rest, const std::vector<int>& stands,
                                    Skin& skin) {
    std::vector<std::uint16_t> index;
    const std::size_t had = skin.joints.size();
    for (std::size_t j = 0; j < had; ++j) {
        const int own = skin.joints[j], to = stands[at(own)];
        if (own == to) {
            index.push_back(static_cast<std::uint16_t>(j));
            continue;
        }
        const Affine bind = inverse(rest[at(to)]) * (rest[at(own)] * skin.inverse_binds[j]);
        auto found = std::find(skin.joints.begin(), skin.joints.end(), to);
        if (found == skin.joints.end()) {
            skin.joints.push_back(to);
            skin.inverse_binds.push_back(bind);
            found = std::prev(skin.joints.end());
        }
        index.push_back(static_cast<std::uint16_t>(found - skin.joints.begin()));
    }
    return index;
}

void simplify(Primitive& p, const std::vector<std::uint16_t>& index, int most, Counts& counts) {
    for (std::size_t v = 0; p.influences_per_vertex > 0 && v < p.positions.size(); ++v) {
        const auto per = at(p.influences_per_vertex);
        for (std::size_t i = v * per; i < (v + 1) * per; ++i)
            p.influence_joints[i] = index[p.influence_joints[i]];
        Influences all = read_vertex(p, v);
        const bool fewer = limit(all, most);
        counts.limited += fewer ? 1 : 0;
        ++counts.vertices;
        write_vertex(p, v, all);
    }
    if (p.influences_per_vertex > 4) tighten(p);
}

}  // namespace

SkinCuts simplify_skins(Scene& scene, const JointSources& sources, int most) {
    const std::vector<int> stands = stands_for(scene, sources);
    const std::vector<Affine> rest = rest_worlds(scene);
    Counts counts;
    SkinCuts cuts;
    std::vector<std::vector<std::uint16_t>> index;
    const auto used = weighted_joints(scene);
    for (std::size_t s = 0; s < scene.skins.size(); ++s) {
        Skin& skin = scene.skins[s];
        for (std::size_t j = 0; j < skin.joints.size(); ++j)
            if (const int joint = skin.joints[j]; used[s][j] && stands[at(joint)] != joint) {
                cuts.removed.push_back(scene.nodes[at(joint)].name);
                counts.removed.push_back(fmt::format("{} to {}", scene.nodes[at(joint)].name,
                                                     scene.nodes[at(stands[at(joint)])].name));
            }
        index.push_back(stand_in(rest, stands, skin));
    }
    std::vector<bool> done(scene.meshes.size(), false);
    for (const Node& node : scene.nodes) {
        if (node.mesh == kNone || node.skin == kNone || done[at(node.mesh)]) continue;
        done[at(node.mesh)] = true;
        for (Primitive& p : scene.meshes[at(node.mesh)].primitives)
            simplify(p, index[at(node.skin)], most, counts);
    }
    cuts.limited = counts.limited;
    const Edit keep{"joints", "keep", toml_texts(cuts.removed)};
    if (!counts.removed.empty())
        cuts.findings.push_back(
            {Code::kSkinRemoved,
             Severity::kNote,
             "skin",
             fmt::format("weights of joints that are not kept go to the joint above: {}",
                         name_list(counts.removed)),
             "",
             edit_lines({keep}, ", to keep them"),
             {keep}});
    if (counts.limited > 0)
        cuts.findings.push_back({Code::kInfluences, Severity::kNote, "skin",
                                 fmt::format("{} of {} vertices had more than {} influences",
                                             counts.limited, counts.vertices, most),
                                 fmt::format("at most {}; the largest stay and sum to 1", most),
                                 ""});
    return cuts;
}

}  // namespace mellow
