// PoseTile: all nodes of a scene over a few frames at once, frames innermost.
//
// Layout: channel(node, c)[frame]. Rules and joints are evaluated for a whole tile in plain loops
// of fixed length, which the compiler turns into vector instructions. A tile works in double; only
// finished samples are rounded. Allocated once per thread and reused.
#pragma once

#include <cstddef>
#include <functional>
#include <memory>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "mellow/transform.h"

namespace mellow {

inline constexpr int kTileFrames = 32;

/// Local and world transforms of all nodes, and all scalars, over kTileFrames moments.
class PoseTile {
  public:
    /// Channels of a node: local translation 0-2, rotation 3-6, scale 7-9; world columns 10-21.
    static constexpr int kLocal = 0, kWorld = 10, kChannels = 22;

    PoseTile(int nodes, int scalars)
        : nodes_(nodes),
          scalars_(scalars),
          data_((static_cast<std::size_t>(nodes) * kChannels + static_cast<std::size_t>(scalars)) *
                kTileFrames) {}

    /// kTileFrames numbers of one channel of one node.
    double* channel(int node, int channel) {
        return &data_[(static_cast<std::size_t>(node) * kChannels +
                       static_cast<std::size_t>(channel)) *
                      kTileFrames];
    }
    const double* channel(int node, int c) const {
        return const_cast<PoseTile*>(this)->channel(node, c);
    }
    /// kTileFrames values of one scalar channel: morph weights, mesh node after mesh node.
    double* scalar(int index) {
        return &data_[(static_cast<std::size_t>(nodes_) * kChannels +
                       static_cast<std::size_t>(index)) *
                      kTileFrames];
    }
    const double* scalar(int index) const { return const_cast<PoseTile*>(this)->scalar(index); }

    /// True the first time `owner` takes the tile: only then must it write what never changes.
    bool claim(const void* owner) { return std::exchange(owner_, owner) != owner; }
    /// Room for `count` numbers that live until the next call; grows once, then stays.
    double* scratch(std::size_t count) {
        if (scratch_.size() < count) scratch_.resize(count);
        return scratch_.data();
    }

    /// A second tile of the same size, for what is mixed into this one; made at the first call.
    PoseTile& spare();

    int nodes() const { return nodes_; }
    /// One moment of a node, as a value.
    Affine world(int node, int frame) const;
    Transform local(int node, int frame) const;

  private:
    int nodes_, scalars_;
    const void* owner_ = nullptr;
    std::vector<double> data_, scratch_;
    std::unique_ptr<PoseTile> spare_;
};

/// A scalar of a tile that clips carry along.
struct NamedScalar {
    std::string name, unit;
    int index = 0;  ///< in PoseTile::scalar()
};

/// Where poses come from: something that can be evaluated at any time, a tile at a time.
struct PoseSource {
    /// A tile of the right size; one per thread.
    std::function<PoseTile()> make_tile;
    /// Fills a tile at up to kTileFrames times in seconds; lanes past the last time repeat it. May
    /// be called from several threads at once, each with its own tile.
    std::function<void(std::span<const double> seconds, PoseTile& tile)> evaluate;
    std::vector<NamedScalar> scalars = {};
};

}  // namespace mellow
