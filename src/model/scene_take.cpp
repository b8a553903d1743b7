// Takes that the nodes of a scene make; declared in take.h.
#include <algorithm>
#include <cmath>
#include <unordered_map>

#include "base/at.h"
#include "base/kernel.h"
#include "mellow/take.h"
#include "model/lanes.h"

namespace mellow {
namespace {

/// A matrix whose axes are square to each other within this is free of shear.
constexpr double kSquare = 1e-9;

/// How far the axes of one tile of a joint are from square, and its thinnest axis over its longest.
struct Hardness {
    alignas(64) double skew[kTileFrames];
    alignas(64) double thinnest[kTileFrames];
};

/// local = inverse(parent) * world as translation, rotation and scale, shear not yet considered.
MELLOW_KERNEL void local_kernel(WorldRows parent, WorldRows world, double shrink, WorldRowsOut kept,
                                LocalRowsOut local, Hardness& hard) {
#pragma GCC ivdep
    for (int f = 0; f < kF; ++f) {
        Affine w = load(world, f);
        w = {w.x * shrink, w.y * shrink, w.z * shrink, w.o};
        store(kept, f, w);
        const Affine m = inverse(load(parent, f)) * w;
        const double sign = determinant(m) < 0 ? -1.0 : 1.0;
        const double lx = length(m.x), ly = length(m.y), lz = length(m.z);
        const double thin = std::min(lx, std::min(ly, lz));
        const double safe = thin > 0 ? 1.0 : 0.0;  // lanes without thickness are redone below
        const Vec3 x = m.x * (sign * safe / (lx + (1 - safe)));
        const Vec3 y = m.y * (sign * safe / (ly + (1 - safe)));
        const Vec3 z = m.z * (sign * safe / (lz + (1 - safe)));
        store_place(local, f, m.o);
        store(turns(local), f, quat_from_columns(x, y, z));
        store_size(local, f, Vec3{lx, ly, lz} * sign);
        hard.skew[f] =
            std::max(std::abs(dot(x, y)), std::max(std::abs(dot(y, z)), std::abs(dot(z, x))));
        hard.thinnest[f] = thin / std::max(lx, std::max(ly, std::max(lz, 1e-300)));
    }
}

MELLOW_KERNEL void product_kernel(WorldRows parent, const Affine& local, WorldRowsOut out) {
#pragma GCC ivdep
    for (int f = 0; f < kF; ++f) store(out, f, load(parent, f) * local);
}

/// How a joint is found.
struct JointLink {
    int node, parent;
    bool rests;    ///< it has no node: it stays on its parent joint as it is at rest
    bool direct;   ///< its node hangs on its parent joint's node: the local transform is taken
    double scale;  ///< JointSource::scale
    bool turned;   ///< JointSource::changes_axes()
    bool sheared;  ///< its node, or one above, has shear of its own: only the world tells
};

bool is_identity(const Transform& t) {
    return t.t.x == 0 && t.t.y == 0 && t.t.z == 0 && t.r.x == 0 && t.r.y == 0 && t.r.z == 0 &&
           t.r.w == 1 && t.s.x == 1 && t.s.y == 1 && t.s.z == 1;
}

std::vector<JointLink> links_of(const Scene& scene, const Skeleton& skeleton,
                                const JointSources& sources) {
    std::vector<bool> sheared = sheared_nodes(scene);
    for (const int n : parents_first(scene))
        if (const int up = scene.nodes[at(n)].parent; up != kNone && sheared[at(up)])
            sheared[at(n)] = true;
    std::vector<JointLink> links;
    for (int j = 0; j < skeleton.size(); ++j) {
        const JointSource& own = sources[at(j)];
        const int parent = skeleton[j].parent;
        // The root that is put above all others stands where the world does.
        const bool world = own.node == kNone && parent < 0 && is_identity(skeleton[j].rest);
        JointLink link{own.node,
                       parent,
                       own.node == kNone && !world,
                       false,
                       own.scale,
                       own.changes_axes(),
                       own.node != kNone && sheared[at(own.node)]};
        const int above = own.node == kNone ? kNone : scene.nodes[at(own.node)].parent;
        const JointSource up = parent < 0 ? JointSource{} : sources[at(parent)];
        link.direct = own.node != kNone && above == up.node && own.scale == up.scale &&
                      !own.changes_axes() && !up.changes_axes() && !link.sheared &&
                      (parent < 0 || !links[at(parent)].rests);
        links.push_back(link);
    }
    return links;
}

/// Where one scalar of the tile comes from.
struct ScalarLink {
    int scalar;   ///< in the tile of the scene, or kNone
    double rest;  ///< what it is then
};

class SceneTake final : public Take::Motion {
  public:
    SceneTake(const Scene& scene, const PoseSource& poses, const Take& take,
              const JointSources& sources, const std::optional<PoseSource>& locals, bool own_morphs)
        : scene_(scene),
          poses_(poses),
          lean_(locals.value_or(poses)),
          skeleton_(take.skeleton),
          mounts_(take.mounts),
          sources_(sources),
          links_(links_of(scene, take.skeleton, sources)),
          rest_(take.skeleton.joints().size()) {
        for (int j = 0; j < skeleton_.size(); ++j) rest_[at(j)] = to_affine(skeleton_[j].rest);
        const ScalarLayout layout = scalar_layout(scene);
        for (int s = 0; own_morphs && s < layout.count; ++s) scalars_.push_back({s, 0});
        for (const MorphChannels& mesh : take.morphs) {
            if (own_morphs) break;
            const int node = find_node(scene, mesh.mesh);
            const auto names = node == kNone || scene.nodes[at(node)].mesh == kNone
                                   ? std::vector<std::string>{}
                                   : scene.meshes[at(scene.nodes[at(node)].mesh)].target_names;
            for (std::size_t t = 0; t < mesh.targets.size(); ++t) {
                const auto found = std::find(names.begin(), names.end(), mesh.targets[t]);
                const bool same = names == mesh.targets;  // names may stand twice
                const auto slot = same ? static_cast<std::ptrdiff_t>(t) : found - names.begin();
                scalars_.push_back({same || found != names.end()
                                        ? layout.offset[at(node)] + static_cast<int>(slot)
                                        : kNone,
                                    mesh.rest[t]});
            }
        }
        for (const NamedScalar& scalar : take.scalars) scalars_.push_back({scalar.index, 0});
    }

    JointTile make_tile() const override {
        JointTile tile(skeleton_.size(), static_cast<int>(mounts_.size()),
                       static_cast<int>(scalars_.size()));
        auto work = std::make_unique<SceneWork>(poses_.make_tile());
        const auto joints = at(skeleton_.size());
        work->kept.assign((joints + 1) * JointTile::kWorldSize, 0.0);
        for (std::size_t c = 0; c < 12; c += 4)  // the world above all roots: the identity
            std::fill_n(&work->kept[joints * JointTile::kWorldSize + c * kTileFrames], kTileFrames,
                        1.0);
        work->world.resize(joints);
        work->altered.resize(joints);
        for (std::size_t s = 0; s < scalars_.size(); ++s) {
            const ScalarLink& link = scalars_[s];
            if (link.scalar != kNone)
                tile.show_scalar(static_cast<int>(s), work->nodes.scalar(link.scalar));
            else
                std::fill_n(tile.own_scalar(static_cast<int>(s)), kTileFrames, link.rest);
        }
        tile.work = std::move(work);
        return tile;
    }

    void evaluate(std::span<const double> seconds, Take::Want want,
                  JointTile& tile) const override {
        auto& work = static_cast<SceneWork&>(*tile.work);
        if (want == Take::Want::kLocals) {
            lean_.evaluate(seconds, work.nodes);
            locals(work, tile);
        } else {
            poses_.evaluate(seconds, work.nodes);
            worlds(work, tile);
        }
    }

  private:
    struct SceneWork final : JointTile::Work {
        explicit SceneWork(PoseTile made) : nodes(std::move(made)) {}
        PoseTile nodes;
        std::vector<double> kept;      ///< worlds as the skeleton has them, and the identity
        std::vector<WorldRows> world;  ///< of each joint: in `kept`, or in the scene's tile
        std::vector<bool> altered;     ///< some lane of the joint lost shear
    };

    WorldRowsOut kept(SceneWork& work, int joint) const {
        return {&work.kept[at(joint) * JointTile::kWorldSize]};
    }
    WorldRows above_roots(const SceneWork& work) const {
        return {&work.kept[at(skeleton_.size()) * JointTile::kWorldSize]};
    }

    static WorldRows nodes_world(const SceneWork& work, int node) {
        return world_rows(work.nodes, node);
    }
    /// The world of a joint that the tile shows already; above all of them the identity.
    WorldRows shown_world(const SceneWork& work, const JointTile& tile, int joint) const {
        return joint < 0 ? above_roots(work) : WorldRows{tile.world(joint)};
    }

    /// World of a node from locals alone, for joints below one that lost shear.
    Affine world_of(const PoseTile& nodes, int node, int frame) const {
        Affine world;
        for (int n = node; n != kNone; n = scene_.nodes[at(n)].parent)
            world = to_affine(nodes.local(n, frame)) * world;
        return world;
    }

    /// World rows of a joint that was found already. Those of joints that were taken directly are
    /// those of the scene's tile.
    WorldRows found_world(SceneWork& work, int joint) const {
        if (joint < 0) return above_roots(work);
        if (work.world[at(joint)].at != nullptr) return work.world[at(joint)];
        const JointLink& link = links_[at(joint)];
        const WorldRows world = nodes_world(work, link.node);
        if (link.scale == 1) return world;
        const WorldRowsOut scaled = kept(work, joint);
        for (int i = 0; i < 12 * kTileFrames; ++i)
            scaled.at[i] = i < 9 * kTileFrames ? world.at[i] / link.scale : world.at[i];
        work.world[at(joint)] = scaled;
        return scaled;
    }

    void locals(SceneWork& work, JointTile& tile) const {
        for (int j = 0; j < skeleton_.size(); ++j) {
            const JointLink& link = links_[at(j)];
            const bool bent = link.parent >= 0 && work.altered[at(link.parent)];
            work.altered[at(j)] = false;
            tile.no_shear(j);
            if (link.direct && !bent)
                take_local(work, tile, j);
            else if (link.rests)
                take_rest(work, tile, j);
            else
                find_local(work, tile, j, bent);
        }
    }

    /// With a scaled node above the skeleton: diag(scale) * T R S * diag(1 / scale).
    void take_local(SceneWork& work, JointTile& tile, int j) const {
        const JointLink& link = links_[at(j)];
        work.world[at(j)] = {};
        const double* local = work.nodes.channel(link.node, PoseTile::kLocal);
        if (link.scale == 1) return tile.show_local(j, local);
        double* own = tile.own_local(j);
        std::copy_n(local, JointTile::kLocalRows * kTileFrames, own);
        for (int i = 0; i < 3 * kTileFrames; ++i) own[i] *= link.scale;
    }

    /// Joints below are found from worlds: no shear that was lost above reaches them.
    void take_rest(SceneWork& work, JointTile& tile, int j) const {
        const Transform& rest = skeleton_[j].rest;
        const LocalRowsOut own{tile.own_local(j)};
        for (int f = 0; f < kTileFrames; ++f) store(own, f, rest);
        product_kernel(found_world(work, links_[at(j)].parent), rest_[at(j)], kept(work, j));
        work.world[at(j)] = kept(work, j);
    }

    void find_local(SceneWork& work, JointTile& tile, int j, bool bent) const {
        const JointLink& link = links_[at(j)];
        const WorldRowsOut own = kept(work, j);
        const WorldRows up = found_world(work, link.parent);
        WorldRows world = link.node == kNone ? above_roots(work) : nodes_world(work, link.node);
        double shrink = 1 / link.scale;
        if (bent && !link.sheared) {
            for (int f = 0; f < kTileFrames; ++f) store(own, f, world_of(work.nodes, link.node, f));
            world = own;
        }
        if (link.turned) {
            for (int f = 0; f < kTileFrames; ++f)
                store(own, f, joint_world(sources_[at(j)], load(world, f)));
            world = own;
            shrink = 1;
        }
        Hardness hard;
        const LocalRowsOut local{tile.own_local(j)};
        local_kernel(up, world, shrink, own, local, hard);
        work.world[at(j)] = own;
        work.altered[at(j)] = redo_hard_lanes(up, own, local, hard, tile, j) || bent;
    }

    /// Redoes the lanes that have shear or no thickness, exactly, and notes what is lost. True when
    /// a lane was changed.
    static bool redo_hard_lanes(WorldRows parent, WorldRowsOut kept, LocalRowsOut local,
                                const Hardness& hard, JointTile& tile, int joint) {
        double* shear = nullptr;
        for (int f = 0; f < kTileFrames; ++f) {
            if (hard.skew[f] <= kSquare && hard.thinnest[f] > 1e-9) continue;
            if (shear == nullptr) {
                shear = tile.own_shear(joint);
                std::fill_n(shear, kTileFrames, 0.0);
            }
            const Affine above = load(parent, f);
            const Decomposed d = decompose(inverse(above) * load(kept, f));
            store(local, f, d.transform);
            // Children hang on what is stored, so that their positions stay exact.
            store(kept, f, above * to_affine(d.transform));
            shear[f] = d.shear;
        }
        return shear != nullptr;
    }

    /// The worlds of the scene as they are, with nothing lost.
    void worlds(SceneWork& work, JointTile& tile) const {
        for (int j = 0; j < skeleton_.size(); ++j) {
            const JointLink& link = links_[at(j)];
            if (link.rests) {
                product_kernel(shown_world(work, tile, link.parent), rest_[at(j)],
                               {tile.own_world(j)});
            } else if (link.node == kNone) {
                tile.show_world(j, above_roots(work).at);
            } else {
                const WorldRows world = nodes_world(work, link.node);
                if (link.scale == 1 && !link.turned) {
                    tile.show_world(j, world.at);
                    continue;
                }
                const WorldRowsOut own{tile.own_world(j)};
                for (int f = 0; f < kTileFrames; ++f)
                    store(own, f, joint_world(sources_[at(j)], load(world, f)));
            }
        }
        for (std::size_t m = 0; m < mounts_.size(); ++m) {
            const Mount& mount = mounts_[m];
            const int i = static_cast<int>(m);
            if (mount.node != kNone)
                tile.show_mount(i, nodes_world(work, mount.node).at);
            else
                product_kernel(shown_world(work, tile, mount.joint), mount.rest,
                               {tile.own_mount(i)});
        }
    }

    const Scene& scene_;
    const PoseSource poses_, lean_;
    const Skeleton skeleton_;
    const std::vector<Mount> mounts_;
    const JointSources sources_;
    const std::vector<JointLink> links_;
    std::vector<Affine> rest_;  ///< of each joint, relative to its parent
    std::vector<ScalarLink> scalars_;
};

/// Joints by the node they come from. A joint that takes no scale says nothing of its node.
std::unordered_map<int, int> joints_by_node(const JointSources& sources) {
    std::unordered_map<int, int> out;
    for (std::size_t j = 0; j < sources.size(); ++j)
        if (sources[j].node != kNone && !sources[j].unscaled)
            out.emplace(sources[j].node, static_cast<int>(j));
    return out;
}

/// Marks nodes that carry vertices: those of meshes without skin, and joints with weight.
void mark_carriers(const Scene& scene, std::vector<bool>& carries) {
    for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
        const Node& node = scene.nodes[n];
        if (node.mesh == kNone) continue;
        for (const Primitive& primitive : scene.meshes[at(node.mesh)].primitives) {
            if (node.skin == kNone || primitive.influences_per_vertex == 0) {
                carries[n] = true;
                continue;
            }
            const Skin& skin = scene.skins[at(node.skin)];
            for (std::size_t i = 0; i < primitive.influence_joints.size(); ++i)
                if (primitive.influence_weights[i] > 0)
                    carries[at(skin.joints[primitive.influence_joints[i]])] = true;
        }
    }
}

}  // namespace

Take take_of(const Scene& scene, const PoseSource& poses, const Skeleton& skeleton,
             const JointSources& sources, const TakeParts& parts,
             const std::optional<PoseSource>& locals) {
    Take take{skeleton,      parts.mounts, parts.morphs ? *parts.morphs : morph_channels(scene),
              poses.scalars, nullptr,      nullptr};
    take.motion = std::make_shared<SceneTake>(scene, poses, take, sources, locals, !parts.morphs);
    take.tiles = std::make_shared<Pool<JointTile>>(
        [motion = take.motion] { return std::make_unique<JointTile>(motion->make_tile()); });
    return take;
}

std::vector<int> take_needs(const Scene& scene, const Skeleton& skeleton,
                            const JointSources& sources) {
    const std::vector<JointLink> links = links_of(scene, skeleton, sources);
    std::vector<int> needs;
    for (const JointLink& link : links) {
        if (link.direct) continue;
        if (link.node != kNone) needs.push_back(link.node);
        if (link.parent >= 0 && links[at(link.parent)].node != kNone)
            needs.push_back(links[at(link.parent)].node);
    }
    std::sort(needs.begin(), needs.end());
    needs.erase(std::unique(needs.begin(), needs.end()), needs.end());
    return needs;
}

std::vector<Mount> find_mounts(const Scene& scene, const Scene* unsimplified,
                               const Skeleton& skeleton, const JointSources& sources) {
    std::vector<bool> carries(scene.nodes.size(), false);
    mark_carriers(scene, carries);
    if (unsimplified != nullptr) mark_carriers(*unsimplified, carries);
    const auto joints = joints_by_node(sources);
    const std::vector<Affine> node_rests = rest_worlds(scene), joint_rests = skeleton.rest_worlds();
    std::vector<Mount> mounts;
    for (std::size_t n = 0; n < carries.size(); ++n) {
        const int node = static_cast<int>(n);
        if (!carries[n] || joints.contains(node)) continue;
        Mount mount{scene.nodes[n].name, node, kNone, node_rests[n]};
        int up = scene.nodes[n].parent;
        while (up != kNone && !joints.contains(up)) up = scene.nodes[at(up)].parent;
        if (up != kNone) mount.joint = joints.at(up);
        if (mount.joint != kNone) mount.rest = inverse(joint_rests[at(mount.joint)]) * mount.rest;
        mounts.push_back(std::move(mount));
    }
    return mounts;
}

std::vector<MorphChannels> morph_channels(const Scene& scene) {
    std::vector<MorphChannels> out;
    for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
        const int node = static_cast<int>(n);
        if (morph_count(scene, node) == 0) continue;
        out.push_back({scene.nodes[n].name, scene.meshes[at(scene.nodes[n].mesh)].target_names,
                       rest_weights(scene, node)});
    }
    return out;
}

}  // namespace mellow
