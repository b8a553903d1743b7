// Small things that takes made of other takes share.
#pragma once

#include <memory>
#include <vector>

#include "base/at.h"
#include "mellow/shaping.h"
#include "mellow/take.h"
#include "model/lanes.h"

namespace mellow {

inline Transform load_local(const double* rows, int lane) {
    return {load3(rows, lane), load4(rows + 3 * kF, lane), load3(rows + 7 * kF, lane)};
}
inline void store_local(double* rows, int lane, const Transform& t) {
    store3(rows, lane, t.t);
    store4(rows + 3 * kF, lane, t.r);
    store3(rows + 7 * kF, lane, t.s);
}

/// World matrix of a joint of locals at one lane.
inline Affine world_in(const Skeleton& skeleton, const JointTile& tile, int joint, int lane) {
    Affine world;
    for (int j = joint; j >= 0; j = skeleton[j].parent)
        world = to_affine(load_local(tile.local(j), lane)) * world;
    return world;
}

/// Worlds of all joints at one lane, from the locals of the tile.
inline void put_worlds(const Skeleton& skeleton, JointTile& tile, int lane,
                       std::vector<double*>& rows) {
    for (int j = 0; j < skeleton.size(); ++j) {
        const Affine local = to_affine(load_local(tile.local(j), lane));
        const int up = skeleton[j].parent;
        store_affine(rows[at(j)], lane, up < 0 ? local : load_affine(rows[at(up)], lane) * local);
    }
}

/// Joints that carry the motion of the figure in the world: those without a parent, or below a
/// root that was put above all others.
inline std::vector<bool> top_joints(const Skeleton& skeleton, RootKind root) {
    std::vector<bool> out;
    for (int j = 0; j < skeleton.size(); ++j)
        out.push_back(root == RootKind::kAdded ? skeleton[j].parent == 0 : skeleton[j].parent < 0);
    return out;
}

inline int scalars_of(const Take& take) {
    std::size_t count = take.scalars.size();
    for (const MorphChannels& morphs : take.morphs) count += morphs.targets.size();
    return static_cast<int>(count);
}

/// A take of another motion for the same joints.
inline Take moved_by(const Take& like, std::shared_ptr<const Take::Motion> motion) {
    Take out = like;
    out.motion = std::move(motion);
    out.tiles = std::make_shared<Pool<JointTile>>(
        [m = out.motion] { return std::make_unique<JointTile>(m->make_tile()); });
    return out;
}

/// The tile of a take below, made when it is first asked for: it holds what it was asked for last.
struct InnerTile {
    std::unique_ptr<JointTile> tile;

    JointTile& evaluate(const Take& take, std::span<const double> seconds, Take::Want want) {
        if (!tile) tile = std::make_unique<JointTile>(take.make_tile());
        take.evaluate(seconds, want, *tile);
        return *tile;
    }
};

/// What a take made of one other keeps in a tile.
struct MadeOfOne : JointTile::Work {
    InnerTile inner;
    std::vector<double*> rows;  ///< of the worlds of all joints
};
inline JointTile tile_made_of(const Take& take) {
    JointTile tile(take.skeleton.size(), static_cast<int>(take.mounts.size()), scalars_of(take));
    auto work = std::make_unique<MadeOfOne>();
    work->rows.resize(at(take.skeleton.size()));
    tile.work = std::move(work);
    return tile;
}

/// Worlds of all joints from the locals of the tile; mounts hang on their joints as they do in the
/// take that it is made of, at `seconds` of that.
inline void put_all_worlds(const Take& inner, std::span<const double> seconds, MadeOfOne& work,
                           JointTile& tile) {
    for (std::size_t j = 0; j < work.rows.size(); ++j)
        work.rows[j] = tile.own_world(static_cast<int>(j));
    for (int f = 0; f < kTileFrames; ++f) put_worlds(inner.skeleton, tile, f, work.rows);
    if (inner.mounts.empty()) return;
    const JointTile& was = work.inner.evaluate(inner, seconds, Take::Want::kWorlds);
    for (std::size_t i = 0; i < inner.mounts.size(); ++i) {
        const int mount = static_cast<int>(i), joint = inner.mounts[i].joint;
        double* own = tile.own_mount(mount);
        for (int f = 0; f < kTileFrames; ++f) {
            const Affine m = load(mount_rows(was, mount), f);
            store_affine(own, f,
                         joint == kNone ? m
                                        : load_affine(work.rows[at(joint)], f) *
                                              inverse(load(world_rows(was, joint), f)) * m);
        }
    }
}

}  // namespace mellow
