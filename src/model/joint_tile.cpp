#include "mellow/joint_tile.h"

namespace mellow {
namespace {

/// Rows of the tile's own are made when they are first asked for: a take either bakes or measures.
double* row_of(std::vector<double>& all, std::size_t rows, std::size_t i) {
    if (all.empty()) all.resize(rows);
    return &all[i];
}

}  // namespace

JointTile::JointTile(int joints, int mounts, int scalars)
    : joints_(index(joints)), mounts_(index(mounts)), scalars_(index(scalars)) {}

double* JointTile::own_local(int joint) {
    constexpr std::size_t kEach = (kLocalRows + 1) * kTileFrames;
    double* rows = row_of(own_locals_, joints_.size() * kEach, index(joint) * kEach);
    show_local(joint, rows);
    return rows;
}

double* JointTile::own_shear(int joint) {
    const double* shown = local(joint);
    double* row = own_local(joint) + kLocalRows * kTileFrames;
    show_local(joint, shown);
    joints_[index(joint)].shear = row;
    return row;
}

double* JointTile::own_world(int joint) {
    double* rows = row_of(own_worlds_, (joints_.size() + mounts_.size()) * kWorldSize,
                          index(joint) * kWorldSize);
    show_world(joint, rows);
    return rows;
}

double* JointTile::own_mount(int mount) {
    double* rows = row_of(own_worlds_, (joints_.size() + mounts_.size()) * kWorldSize,
                          (joints_.size() + index(mount)) * kWorldSize);
    show_mount(mount, rows);
    return rows;
}

double* JointTile::own_scalar(int scalar) {
    double* row = row_of(own_scalars_, scalars_.size() * kTileFrames, index(scalar) * kTileFrames);
    show_scalar(scalar, row);
    return row;
}

}  // namespace mellow
