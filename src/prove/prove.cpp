#include "mellow/prove.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

#include "base/at.h"
#include "math/degrees.h"
#include "mellow/parallel.h"
#include "mellow/playback.h"

namespace mellow {
namespace {

Finding unproven(const std::string& clip, std::string found, std::string expected) {
    return {Code::kProofFailed,
            Severity::kStop,
            fmt::format("clip \"{}\"", clip),
            std::move(found),
            std::move(expected),
            "the files are kept aside; this is a fault worth reporting"};
}

/// Samples of the clip file: every curve must have the same number, on the grid of the rate.
Status check_times(const ProofSource& source, const Scene& clip, int& samples) {
    samples = 0;
    const auto check = [&](const Curve& curve) -> Status {
        const int n = static_cast<int>(curve.times.size());
        if (samples == 0) samples = n;
        const bool open = source.plan.loop && n == source.plan.samples - 1;
        if (n != samples || (n != source.plan.samples && !open))
            return unproven(source.plan.clip, fmt::format("{} samples", n),
                            fmt::format("{}", source.plan.samples));
        for (int k = 0; k < n; ++k)
            if (std::abs(curve.times[at(k)] - source.plan.rate.seconds(k)) >
                1e-6 * (1 + curve.times[at(k)]))
                return unproven(source.plan.clip,
                                fmt::format("sample {} at {} s", k, curve.times[at(k)]),
                                fmt::format("{} s", source.plan.rate.seconds(k)));
        return {};
    };
    for (const Channel& channel : clip.timelines[0].channels) MELLOW_CHECK(check(channel.curve));
    for (const MorphCurve& morph : clip.timelines[0].morphs) MELLOW_CHECK(check(morph.curve));
    for (const ScalarCurve& scalar : clip.timelines[0].scalars) MELLOW_CHECK(check(scalar.curve));
    return {};
}

bool moves(const Curve& curve) {
    const std::size_t width = at(curve.width);
    for (std::size_t i = width; i < curve.values.size(); ++i)
        if (std::abs(curve.values[i] - curve.values[i % width]) > 1e-6) return true;
    return false;
}

/// A joint of the skin file, the source node it must move like, and its place in `kinds`.
struct JointPair {
    int played, source;
    const JointSource* how;
    std::size_t kind;
    bool accepted;
};

/// Pairs joints by name and fills the kinds of `proof` with what drives them.
std::vector<JointPair> pair_joints(const ProofSource& source, const Playback& player,
                                   ClipProof& proof) {
    std::vector<JointPair> pairs;
    const auto driven_by = [&](int node) -> std::string {
        const bool told = source.driven_by != nullptr && !(*source.driven_by)[at(node)].empty();
        return told ? (*source.driven_by)[at(node)] : "keys";
    };
    std::map<std::string, int> kinds;
    for (const JointSource& s : source.sources)
        if (s.node != kNone) ++kinds[driven_by(s.node)];
    for (const auto& [kind, joints] : kinds) proof.kinds.push_back({kind, joints, {}, {}});
    for (std::size_t n = 0; n < player.clip_nodes().size(); ++n) {
        if (player.clip_nodes()[n] == kNone) continue;
        const int joint = source.skeleton.find(player.skin().nodes[n].name);
        const int node = joint < 0 ? kNone : source.sources[at(joint)].node;
        if (node != kNone)
            pairs.push_back({static_cast<int>(n), node, &source.sources[at(joint)],
                             static_cast<std::size_t>(
                                 std::distance(kinds.begin(), kinds.find(driven_by(node)))),
                             source.accepted != nullptr && (*source.accepted)[at(node)]});
    }
    return pairs;
}

void compare_joints(const std::vector<JointPair>& pairs, const Scene& skin, const PoseTile& tile,
                    int frame, int k, const Pose& played, ClipProof& proof) {
    for (const JointPair& pair : pairs) {
        const std::string& name = skin.nodes[at(pair.played)].name;
        const Affine wanted = tile.world(pair.source, frame), got = played.worlds[at(pair.played)];
        KindProof& kind = proof.kinds[pair.kind];
        const double far = length(wanted.o - got.o) * 1000;
        proof.position_mm.add(far, k, name);
        kind.position_mm.add(far, k, name);
        // What is flat has no orientation to compare; its vertices say whether it is right.
        if (is_flat(wanted)) continue;
        const Quat turn = rotation_of(joint_world(*pair.how, wanted));
        const double angle = angle_between(turn, rotation_of(got)) * kDegrees;
        if (pair.accepted) {
            proof.accepted_degrees.add(angle, k, name);
            continue;
        }
        proof.rotation_degrees.add(angle, k, name);
        kind.rotation_degrees.add(angle, k, name);
    }
}

/// Vertices that an accepted joint carries some of; none where nothing is accepted.
std::vector<bool> accepted_vertices(const ProofSource& source, const Node& node,
                                    const Primitive& primitive) {
    if (source.accepted == nullptr) return {};
    std::vector<bool> out(primitive.positions.size(), false);
    const auto accepted = [&](int n) {
        while (n != kNone && !(*source.accepted)[at(n)]) n = source.scene.nodes[at(n)].parent;
        return n != kNone;
    };
    const std::size_t per = at(primitive.influences_per_vertex);
    if (node.skin == kNone || per == 0) {
        const int self = find_node(source.scene, node.name);
        return std::vector<bool>(out.size(), accepted(self));
    }
    const Skin& skin = source.scene.skins[at(node.skin)];
    std::vector<bool> joints;
    for (const int joint : skin.joints) joints.push_back(accepted(joint));
    for (std::size_t v = 0; v < out.size(); ++v)
        for (std::size_t i = v * per; i < (v + 1) * per; ++i)
            if (primitive.influence_weights[i] > 0 && joints[primitive.influence_joints[i]])
                out[v] = true;
    return out;
}

void compare_meshes(const ProofSource& source, const Playback& player, const PoseTile& tile,
                    int frame, int k, const Pose& played, ClipProof& proof) {
    Pose wanted;
    for (int n = 0; n < static_cast<int>(source.scene.nodes.size()); ++n)
        wanted.worlds.push_back(tile.world(n, frame));
    const ScalarLayout layout = scalar_layout(source.scene),
                       played_layout = scalar_layout(player.skin());
    for (int s = 0; s < layout.count; ++s) wanted.weights.push_back(tile.scalar(s)[frame]);
    for (std::size_t n = 0; n < source.scene.nodes.size(); ++n) {
        const Node& node = source.scene.nodes[n];
        if (node.mesh == kNone) continue;
        const int other = find_node(player.skin(), node.name);
        if (other == kNone) continue;
        const Mesh& mesh = source.scene.meshes[at(node.mesh)];
        for (std::size_t t = 0; t < mesh.target_names.size(); ++t)
            proof.weight.add(std::abs(wanted.weights[at(layout.offset[n]) + t] -
                                      played.weights[at(played_layout.offset[at(other)]) + t]),
                             k, node.name + "/" + mesh.target_names[t]);
        const Mesh& written = player.skin().meshes[at(player.skin().nodes[at(other)].mesh)];
        for (std::size_t p = 0; p < mesh.primitives.size(); ++p) {
            const auto a =
                posed_vertices(source.scene, static_cast<int>(n), mesh.primitives[p], wanted);
            const auto b = posed_vertices(player.skin(), other, written.primitives[p], played);
            const std::vector<bool> apart = accepted_vertices(source, node, mesh.primitives[p]);
            for (std::size_t v = 0; v < a.size(); ++v)
                (!apart.empty() && apart[v] ? proof.accepted_mm : proof.vertex_mm)
                    .add(length(a[v] - b[v]) * 1000, k, node.name);
            if (source.unsimplified == nullptr) continue;
            const Mesh& before = source.unsimplified->meshes[at(node.mesh)];
            const auto c = posed_vertices(*source.unsimplified, static_cast<int>(n),
                                          before.primitives[p], wanted);
            for (std::size_t v = 0; v < a.size(); ++v)
                proof.simplified_mm.add(length(a[v] - c[v]) * 1000, k, node.name);
        }
    }
}

/// Scalar channels, relative to their size where that is above 1.
void compare_scalars(const ProofSource& source, const Timeline& timeline, const PoseTile& tile,
                     int frame, int k, ClipProof& proof) {
    for (std::size_t s = 0; s < source.poses.scalars.size(); ++s) {
        const double wanted = tile.scalar(source.poses.scalars[s].index)[frame];
        const Curve& curve = timeline.scalars[s].curve;
        const double got = curve.values[static_cast<std::size_t>(k)];
        proof.scalar.add(std::abs(got - wanted) / std::max(1.0, std::abs(wanted)), k,
                         source.poses.scalars[s].name);
    }
}

}  // namespace

void Deviation::add(double value, int at_sample, const std::string& name) {
    // A value that is no number is the worst there is, and stays.
    if (!std::isnan(worst) && !(value <= worst)) {
        worst = value;
        sample = at_sample;
        what = name;
    }
    sum += value;
    ++count;
}

void Deviation::merge(const Deviation& other) {
    if (!std::isnan(worst) && !(other.worst <= worst))
        worst = other.worst, sample = other.sample, what = other.what;
    sum += other.sum;
    count += other.count;
}

Result<ClipProof> prove_clip(const ProofSource& source, const Scene& skin, const Scene& clip) {
    auto made = Playback::make(skin, clip);
    if (!made) return unproven(source.plan.clip, made.failure().found, made.failure().expected);
    const Playback& player = made.value();
    ClipProof proof;
    const std::vector<JointPair> pairs = pair_joints(source, player, proof);
    if (static_cast<int>(pairs.size()) !=
        std::count_if(source.sources.begin(), source.sources.end(),
                      [](const JointSource& s) { return s.node != kNone; }))
        return unproven(source.plan.clip, fmt::format("{} joints in the skin file", pairs.size()),
                        "all baked joints");
    proof.clip = source.plan.clip;
    if (clip.timelines[0].scalars.size() != source.poses.scalars.size())
        return unproven(proof.clip,
                        fmt::format("{} scalar channels", clip.timelines[0].scalars.size()),
                        fmt::format("{}", source.poses.scalars.size()));
    MELLOW_CHECK(check_times(source, clip, proof.samples));
    for (std::size_t n = 0; n < source.scene.nodes.size(); ++n) {
        const Node& node = source.scene.nodes[n];
        if (node.mesh == kNone) continue;
        const int other = find_node(skin, node.name);
        const auto& parts = source.scene.meshes[at(node.mesh)].primitives;
        bool same = other != kNone && skin.nodes[at(other)].mesh != kNone;
        if (same) {
            const auto& written = skin.meshes[at(skin.nodes[at(other)].mesh)].primitives;
            same = written.size() == parts.size();
            for (std::size_t p = 0; same && p < parts.size(); ++p)
                same = written[p].positions.size() == parts[p].positions.size();
        }
        if (!same)
            return unproven(proof.clip,
                            fmt::format("mesh \"{}\" missing or with other vertices", node.name),
                            "all meshes");
    }
    const int tiles = (proof.samples + kTileFrames - 1) / kTileFrames;
    std::vector<ClipProof> parts(at(tiles), proof);
    parallel_for(at(tiles), [&](std::size_t t) {
        PoseTile tile = source.poses.make_tile();
        const int first = static_cast<int>(t) * kTileFrames,
                  count = std::min(kTileFrames, proof.samples - first);
        std::array<double, kTileFrames> seconds{};
        for (int f = 0; f < count; ++f) seconds[at(f)] = source.plan.second(first + f);
        source.poses.evaluate({seconds.data(), at(count)}, tile);
        for (int f = 0; f < count; ++f) {
            const Pose played = player.pose(source.plan.rate.seconds(first + f));
            compare_joints(pairs, skin, tile, f, first + f, played, parts[t]);
            compare_meshes(source, player, tile, f, first + f, played, parts[t]);
            compare_scalars(source, clip.timelines[0], tile, f, first + f, parts[t]);
        }
    });
    for (const ClipProof& part : parts) {
        proof.position_mm.merge(part.position_mm);
        proof.rotation_degrees.merge(part.rotation_degrees);
        proof.vertex_mm.merge(part.vertex_mm);
        proof.weight.merge(part.weight);
        proof.scalar.merge(part.scalar);
        proof.simplified_mm.merge(part.simplified_mm);
        proof.accepted_mm.merge(part.accepted_mm);
        proof.accepted_degrees.merge(part.accepted_degrees);
        for (std::size_t i = 0; i < proof.kinds.size(); ++i) {
            proof.kinds[i].position_mm.merge(part.kinds[i].position_mm);
            proof.kinds[i].rotation_degrees.merge(part.kinds[i].rotation_degrees);
        }
    }
    proof.pose = source.plan.samples == 1;
    std::map<int, bool> moving;
    for (const Channel& channel : clip.timelines[0].channels)
        moving[channel.node] |= moves(channel.curve);
    for (const auto& [node, moved] : moving) proof.moving_joints += moved ? 1 : 0;
    for (const MorphCurve& morph : clip.timelines[0].morphs)
        proof.moving_morphs += moves(morph.curve) ? 1 : 0;
    return proof;
}

Status within(const ClipProof& proof, const Tolerance& tolerance) {
    const std::string where = fmt::format("clip \"{}\"", proof.clip);
    const auto above = [&](const Deviation& d, double most, std::string_view unit,
                           std::string_view what) -> Status {
        if (d.worst <= most) return {};
        return Finding{Code::kProofFailed,
                       Severity::kStop,
                       where,
                       fmt::format("{} \"{}\" is {:.6g} {} off at sample {}", what, d.what, d.worst,
                                   unit, d.sample),
                       fmt::format("at most {} {}", most, unit),
                       "look at that joint and sample; if this is good enough, raise the tolerance "
                       "under [proof]"};
    };
    if (!proof.pose && proof.moving_joints == 0 && proof.moving_morphs == 0)
        return Finding{Code::kNoMotion,
                       Severity::kStop,
                       where,
                       "0 moving tracks: it would stand still in the engine",
                       "at least one joint or morph that moves",
                       "check the range and timeline; if controls move the joints, give the rig "
                       "sheet with rig = \"...\""};
    MELLOW_CHECK(above(proof.position_mm, tolerance.mm, "mm", "joint"));
    MELLOW_CHECK(above(proof.rotation_degrees, tolerance.degrees, "degrees", "joint"));
    MELLOW_CHECK(above(proof.vertex_mm, tolerance.mm, "mm", "mesh"));
    MELLOW_CHECK(above(proof.scalar, tolerance.weight, "of its size", "scalar"));
    return above(proof.weight, tolerance.weight, "of weight", "morph target");
}

}  // namespace mellow
