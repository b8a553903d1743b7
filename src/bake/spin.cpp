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
constexpr double kApart = 1.0 / 64;  // of an interval, between two looks
constexpr int kPairs = kTileFrames / 2;
constexpr double kSuspect_rad = 2.6;

/// How a joint is turned against its parent joint.
Quat turn_of(const JointTile& tile, int joint, int frame) {
    return load4(tile.local(joint) + 3 * kTileFrames, frame);
}

class Unwrapper {
  public:
    Unwrapper(const Take& take, const SamplePlan& plan)
        : take_(take), plan_(plan), pool_(*take.tiles) {}

    void run(std::vector<JointLoss>& losses) {
        const int intervals = plan_.samples - 1;
        std::vector<std::uint8_t> suspect(at(std::max(intervals, 0)), 0);
        parallel_for(at((intervals + kPairs - 1) / kPairs), [&](std::size_t t) {
            look(static_cast<int>(t) * kPairs, intervals, suspect);
        });
        std::vector<int> followed;
        for (int i = 0; i < intervals; ++i)
            if (suspect[at(i)] != 0) followed.push_back(i);
        std::vector<std::vector<double>> turns(followed.size());
        parallel_for(followed.size(),
                     [&](std::size_t f) { turns[f] = follow(followed[f], losses.size()); });
        for (std::size_t f = 0; f < followed.size(); ++f)
            for (std::size_t j = 0; j < losses.size(); ++j)
                if (turns[f][j] > losses[j].fastest_turn_rad * 1.01)
                    losses[j].fastest_turn_rad = turns[f][j],
                    losses[j].fastest_sample = followed[f] + 1;
    }

  private:
    /// Marks the intervals in which some joint seems to turn by much.
    void look(int first, int intervals, std::vector<std::uint8_t>& suspect) {
        auto tile = pool_.take();
        const int count = std::min(kPairs, intervals - first);
        std::array<double, kTileFrames> seconds{};
        for (int i = 0; i < count; ++i) {
            const double from = plan_.second(first + i),
                         length = plan_.second(first + i + 1) - from;
            seconds[at(2 * i)] = from + kWhere * length;
            seconds[at(2 * i + 1)] = from + (kWhere + kApart) * length;
        }
        take_.evaluate({seconds.data(), at(2 * count)}, Take::Want::kLocals, *tile);
        for (int j = 0; j < take_.skeleton.size(); ++j)
            for (int i = 0; i < count; ++i)
                if (angle_between(turn_of(*tile, j, 2 * i), turn_of(*tile, j, 2 * i + 1)) >
                    kSuspect_rad * kApart)
                    suspect[at(first + i)] = 1;
        pool_.give_back(std::move(tile));
    }

    /// Turns of all joints along one interval, added up over as many steps as a tile has.
    std::vector<double> follow(int interval, std::size_t joints) {
        auto tile = pool_.take();
        std::vector<double> turns(joints, 0.0);
        std::array<double, kTileFrames> seconds{};
        const double from = plan_.second(interval), length = plan_.second(interval + 1) - from;
        for (int i = 0; i < kTileFrames; ++i)
            seconds[at(i)] = from + length * i / (kTileFrames - 1);
        take_.evaluate(seconds, Take::Want::kLocals, *tile);
        for (int j = 0; j < static_cast<int>(joints); ++j)
            for (int i = 1; i < kTileFrames; ++i)
                turns[at(j)] += angle_between(turn_of(*tile, j, i - 1), turn_of(*tile, j, i));
        pool_.give_back(std::move(tile));
        return turns;
    }

    const Take& take_;
    const SamplePlan& plan_;
    Pool<JointTile>& pool_;
};

}  // namespace

void unwrap_turns(const Take& take, const SamplePlan& plan, std::vector<JointLoss>& losses) {
    Unwrapper(take, plan).run(losses);
}

}  // namespace mellow
