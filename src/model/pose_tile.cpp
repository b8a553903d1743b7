#include "mellow/pose_tile.h"

namespace mellow {

PoseTile& PoseTile::spare() {
    if (!spare_) spare_ = std::make_unique<PoseTile>(nodes_, scalars_);
    return *spare_;
}

Affine PoseTile::world(int node, int frame) const {
    const double* w = channel(node, kWorld) + frame;
    const auto at = [w](int c) { return w[c * kTileFrames]; };
    return {{at(0), at(1), at(2)},
            {at(3), at(4), at(5)},
            {at(6), at(7), at(8)},
            {at(9), at(10), at(11)}};
}

Transform PoseTile::local(int node, int frame) const {
    const double* w = channel(node, kLocal) + frame;
    const auto at = [w](int c) { return w[c * kTileFrames]; };
    return {{at(0), at(1), at(2)}, {at(3), at(4), at(5), at(6)}, {at(7), at(8), at(9)}};
}

}  // namespace mellow
