#include "read/influences.h"

#include <fmt/format.h>

#include <cmath>

namespace mellow {

std::optional<Finding> normalize_weights(Primitive& primitive, Place where) {
    const auto per = static_cast<std::size_t>(primitive.influences_per_vertex);
    std::size_t off = 0, none = 0;
    for (std::size_t first = 0; first < primitive.influence_weights.size(); first += per) {
        double sum = 0;
        for (std::size_t i = first; i < first + per; ++i)
            sum += static_cast<double>(primitive.influence_weights[i]);
        if (sum <= 0) ++none;
        if (sum <= 0 || std::abs(sum - 1) < 1e-6) continue;
        off += std::abs(sum - 1) > 0.01 ? 1 : 0;
        for (std::size_t i = first; i < first + per; ++i)
            primitive.influence_weights[i] =
                static_cast<float>(primitive.influence_weights[i] / sum);
    }
    if (off + none == 0) return {};
    return Finding{
        Code::kWeightSum,
        Severity::kWarning,
        std::move(where),
        fmt::format("{} vertices whose weights do not sum to 1, {} without weight", off, none),
        "a sum of 1 per vertex",
        "sums were made 1; vertices without weight stay at the origin: weight them in the source"};
}

}  // namespace mellow
