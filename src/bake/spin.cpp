// How fast joints turn, unwrapped; declared in bake.h.
#include <algorithm>
#include <array>
#include <cmath>

#include "base/at.h"
#include "mellow/bake.h"
#include "mellow/parallel.h"
#include "model/lanes.h"

namespace mellow {
namespace {

constexpr double kWhere = 0.37;      // of an interval: beside keys, which often stand on samples
constexpr double kApart = 1.0 / 64;  // of an interval, between the two looks
constexpr int kPairs = kTileFrames / 2;

/// Turn of a joint against its parent joint.
Quat turn_of(const PoseTile& tile, const Skeleton& skeleton, const JointSources& sources, int j,
             int frame) {
    const Quat own = orientation(tile.world(sources[at(j)].node, frame));
    int parent = skeleton[j].parent;
    while (parent >= 0 && sources[at(parent)].node < 0) parent = skeleton[parent].parent;
    if (parent < 0) return own;
    return conjugate(orientation(tile.world(sources[at(parent)].node, frame))) * own;
}

}  // namespace

void unwrap_turns(const PoseSource& poses, const SamplePlan& plan, const Skeleton& skeleton,
                  const JointSources& sources, std::vector<JointLoss>& losses) {
    const int intervals = plan.samples - 1, tiles = (intervals + kPairs - 1) / kPairs;
    if (intervals < 1) return;
    std::vector<std::vector<JointLoss>> parts(at(tiles));
    Pool<PoseTile> pool([&] { return std::make_unique<PoseTile>(poses.make_tile()); });
    parallel_for(at(tiles), [&](std::size_t t) {
        auto tile = pool.take();
        const int first = static_cast<int>(t) * kPairs, count = std::min(kPairs, intervals - first);
        std::array<double, kTileFrames> seconds{};
        for (int i = 0; i < count; ++i) {
            const double from = plan.second(first + i), length = plan.second(first + i + 1) - from;
            seconds[at(2 * i)] = from + kWhere * length;
            seconds[at(2 * i + 1)] = from + (kWhere + kApart) * length;
        }
        poses.evaluate({seconds.data(), at(2 * count)}, *tile);
        parts[t].resize(losses.size());
        for (int j = 0; j < skeleton.size(); ++j) {
            if (sources[at(j)].node < 0) continue;
            JointLoss& loss = parts[t][at(j)];
            for (int i = 0; i < count; ++i) {
                const double turn = angle_between(turn_of(*tile, skeleton, sources, j, 2 * i),
                                                  turn_of(*tile, skeleton, sources, j, 2 * i + 1)) /
                                    kApart;
                if (turn > loss.fastest_turn_rad)
                    loss.fastest_turn_rad = turn, loss.fastest_sample = first + i + 1;
            }
        }
        pool.give_back(std::move(tile));
    });
    // A difference of an hundredth is no other way round, only another place to look at.
    for (const auto& part : parts)
        for (std::size_t j = 0; j < losses.size(); ++j)
            if (part[j].fastest_turn_rad > losses[j].fastest_turn_rad * 1.01)
                losses[j].fastest_turn_rad = part[j].fastest_turn_rad,
                losses[j].fastest_sample = part[j].fastest_sample;
}

}  // namespace mellow
