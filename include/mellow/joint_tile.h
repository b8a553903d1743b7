// JointTile: all joints of a skeleton over a few frames at once, frames innermost.
//
// It is what a take fills and what baking and proving look at. Rows are kTileFrames numbers long;
// row r of a joint's local transform is local(joint) + r * kTileFrames. A tile does not say where
// its rows lie: a take may show rows that it keeps elsewhere, which saves copies, so nobody but the
// take may write through them. Thread rule: one tile per thread, made once and used again.
#pragma once

#include <memory>
#include <vector>

#include "mellow/pose_tile.h"

namespace mellow {

/// The joints, mounts and scalars of a take over kTileFrames moments.
class JointTile {
  public:
    /// What a take keeps in a tile between two calls.
    struct Work {
        virtual ~Work() = default;
    };
    static constexpr std::size_t kLocalRows = 10, kWorldRows = 12;
    /// Numbers of a world.
    static constexpr std::size_t kWorldSize = kWorldRows * kTileFrames;

    /// Room for the rows of its own; all of them zero.
    JointTile(int joints, int mounts, int scalars);

    /// Relative to the parent joint: translation in rows 0-2, metres; rotation 3-6, a unit
    /// quaternion x y z w; scale 7-9. Only after a take was asked for locals.
    const double* local(int joint) const { return joints_[index(joint)].local; }
    /// What the local transform could not hold: the largest member of the matrix that is missing,
    /// one row. nullptr where nothing is missing in the whole tile. Only after locals.
    const double* shear(int joint) const { return joints_[index(joint)].shear; }
    /// World matrix as the source has it, shear and all: columns x, y, z and origin, three rows
    /// each. Only after a take was asked for worlds.
    const double* world(int joint) const { return joints_[index(joint)].world; }
    /// World matrix of a mount (take.h), in the same rows. Only after worlds.
    const double* mount(int mount) const { return mounts_[index(mount)]; }
    /// Morph weights, mesh after mesh, and then the named scalars; one row each.
    const double* scalar(int scalar) const { return scalars_[index(scalar)]; }

    /// For takes: rows of the tile itself, shown from now on. They keep what was written.
    double* own_local(int joint);
    double* own_shear(int joint);
    double* own_world(int joint);
    double* own_mount(int mount);
    double* own_scalar(int scalar);
    /// For takes: rows that lie elsewhere and stay there until the next call.
    void show_local(int joint, const double* rows) { joints_[index(joint)].local = rows; }
    void show_world(int joint, const double* rows) { joints_[index(joint)].world = rows; }
    void show_mount(int mount, const double* rows) { mounts_[index(mount)] = rows; }
    void show_scalar(int scalar, const double* row) { scalars_[index(scalar)] = row; }
    void no_shear(int joint) { joints_[index(joint)].shear = nullptr; }

    std::unique_ptr<Work> work;

  private:
    struct Rows {
        const double *local = nullptr, *world = nullptr, *shear = nullptr;
    };
    static std::size_t index(int i) { return static_cast<std::size_t>(i); }

    std::vector<Rows> joints_;
    std::vector<const double*> mounts_, scalars_;
    std::vector<double> own_locals_, own_worlds_, own_scalars_;
};

}  // namespace mellow
