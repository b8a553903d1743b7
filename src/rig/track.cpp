#include "rig/track.h"

#include <algorithm>
#include <cmath>

namespace mellow {

std::size_t Track::find(double seconds, double& u) const {
    const double place = (seconds - start) * kStepsPerSecond;
    const double last = static_cast<double>(steps() - 1);
    if (!(place > 0) || steps() < 2) {
        u = 0;
        return 0;
    }
    const double held = std::min(place, last);
    const double step = std::min(std::floor(held), last - 1);
    u = held - step;
    return static_cast<std::size_t>(step);
}

}  // namespace mellow
