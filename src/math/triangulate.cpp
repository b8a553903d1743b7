#include "math/triangulate.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace mellow {
namespace {

struct Corner {
    double x, y;
    std::uint32_t index;
};

double area(const Corner& a, const Corner& b, const Corner& c) {
    return (b.x - a.x) * (c.y - a.y) - (b.y - a.y) * (c.x - a.x);
}

Vec3 newell(const std::vector<Vec3>& ring) {
    Vec3 n;
    for (std::size_t i = 0; i < ring.size(); ++i)
        n = n + cross(ring[i] - ring[0], ring[(i + 1) % ring.size()] - ring[0]);
    return n;
}

bool inside(const Corner& p, const Corner& a, const Corner& b, const Corner& c) {
    return area(a, b, p) >= 0 && area(b, c, p) >= 0 && area(c, a, p) >= 0;
}

bool same_place(const Corner& a, const Corner& b) { return a.x == b.x && a.y == b.y; }

/// Joins a hole to the outline between its rightmost corner and the nearest outline corner that
/// can be seen from there, so that one outline is left.
void bridge(std::vector<Corner>& outline, std::vector<Corner> hole) {
    const auto right = std::max_element(hole.begin(), hole.end(),
                                        [](const Corner& a, const Corner& b) { return a.x < b.x; });
    std::rotate(hole.begin(), right, hole.end());
    const Corner from = hole[0];
    const auto crosses = [&](const Corner& to) {
        const auto cuts = [&](const std::vector<Corner>& ring) {
            for (std::size_t i = 0; i < ring.size(); ++i) {
                const Corner &a = ring[i], &b = ring[(i + 1) % ring.size()];
                if (same_place(a, from) || same_place(b, from) || same_place(a, to) ||
                    same_place(b, to))
                    continue;
                if ((area(from, to, a) > 0) != (area(from, to, b) > 0) &&
                    (area(a, b, from) > 0) != (area(a, b, to) > 0))
                    return true;
            }
            return false;
        };
        return cuts(outline) || cuts(hole);
    };
    std::size_t best = 0;
    double least = std::numeric_limits<double>::max();
    for (const bool seen : {true, false}) {
        for (std::size_t i = 0; i < outline.size(); ++i) {
            const double d = std::hypot(outline[i].x - from.x, outline[i].y - from.y);
            if (d < least && (!seen || !crosses(outline[i]))) least = d, best = i;
        }
        if (least < std::numeric_limits<double>::max()) break;
    }
    hole.push_back(from);
    hole.push_back(outline[best]);
    outline.insert(outline.begin() + static_cast<std::ptrdiff_t>(best) + 1, hole.begin(),
                   hole.end());
}

}  // namespace

std::vector<std::uint32_t> triangulate(const std::vector<std::vector<Vec3>>& rings) {
    std::vector<std::uint32_t> out;
    if (rings.empty() || rings[0].size() < 3) return out;
    if (rings.size() == 1 && rings[0].size() == 3) return {0, 1, 2};
    const Vec3 normal = normalized(newell(rings[0]), {0, 0, 1}, 1e-30);
    const Vec3 helper = std::abs(normal.x) < 0.9 ? Vec3{1, 0, 0} : Vec3{0, 1, 0};
    const Vec3 u = normalized(cross(helper, normal), {1, 0, 0}), v = cross(normal, u);
    std::vector<Corner> outline;
    std::uint32_t index = 0;
    for (const std::vector<Vec3>& ring : rings) {
        std::vector<Corner> flat;
        for (const Vec3 p : ring) flat.push_back({dot(p, u), dot(p, v), index++});
        if (outline.empty()) {
            outline = std::move(flat);
        } else if (flat.size() >= 3) {
            // A hole runs against the outline.
            if (dot(newell(ring), normal) > 0) std::reverse(flat.begin(), flat.end());
            bridge(outline, std::move(flat));
        }
    }
    while (outline.size() > 3) {
        const std::size_t n = outline.size();
        std::size_t ear = n;
        for (std::size_t i = 0; i < n && ear == n; ++i) {
            const Corner &a = outline[(i + n - 1) % n], &b = outline[i], &c = outline[(i + 1) % n];
            if (area(a, b, c) <= 0) continue;
            const bool free = std::none_of(outline.begin(), outline.end(), [&](const Corner& p) {
                return !same_place(p, a) && !same_place(p, b) && !same_place(p, c) &&
                       inside(p, a, b, c);
            });
            if (free) ear = i;
        }
        if (ear == n) ear = 0;  // crosses itself, or is flat: any corner will do
        out.insert(out.end(), {outline[(ear + n - 1) % n].index, outline[ear].index,
                               outline[(ear + 1) % n].index});
        outline.erase(outline.begin() + static_cast<std::ptrdiff_t>(ear));
    }
    out.insert(out.end(), {outline[0].index, outline[1].index, outline[2].index});
    return out;
}

}  // namespace mellow
