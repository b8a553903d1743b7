#include "travel/smooth.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "mellow/transform.h"

namespace mellow {

GroundPath::GroundPath(std::vector<GroundFrame> frames, bool loops)
    : frames_(std::move(frames)), loops_(loops && frames_.size() > 1) {}

GroundFrame GroundPath::at(int sample) const {
    const int last = samples() - 1;
    if (!loops_ || (sample >= 0 && sample <= last))
        return frames_[static_cast<std::size_t>(std::clamp(sample, 0, last))];
    const int turns = static_cast<int>(std::floor(static_cast<double>(sample) / last));
    GroundFrame out = frames_[static_cast<std::size_t>(sample - turns * last)];
    // One round of the loop takes its first frame to its last.
    const GroundFrame &from = frames_.front(), &to = frames_.back();
    const double by = to.heading - from.heading;
    const auto turned = [](Vec3 p, double angle) {
        return rotate(from_axis_angle({0, 1, 0}, angle), p);
    };
    for (int n = 0; n < std::abs(turns); ++n) {
        if (turns > 0) {
            out.place = to.place + turned(out.place - from.place, by);
            out.heading += by;
        } else {
            out.place = from.place + turned(out.place - to.place, -by);
            out.heading -= by;
        }
    }
    return out;
}

std::vector<GroundFrame> GroundPath::smoothed(double width) const {
    std::vector<GroundFrame> out;
    const int last = samples() - 1;
    for (int k = 0; k <= last; ++k) {
        const double half = loops_ ? width / 2 : std::min<double>(width / 2, std::min(k, last - k));
        // Differences to the middle one: what is the same all around stays to the last bit.
        const GroundFrame middle = at(k);
        GroundFrame more;
        double sum = 1;
        for (int i = 1; i < half; ++i) {
            const double w = (1 + std::cos(std::numbers::pi * i / half)) / 2;
            for (const GroundFrame& f : {at(k - i), at(k + i)}) {
                more.place = more.place + (f.place - middle.place) * w;
                more.heading += (f.heading - middle.heading) * w;
                sum += w;
            }
        }
        out.push_back({middle.place + more.place * (1 / sum), middle.heading + more.heading / sum});
    }
    return out;
}

}  // namespace mellow
