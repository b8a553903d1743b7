// A posed skin as flat shaded triangles, ready to be drawn from one side.
#pragma once

#include <cmath>
#include <utility>
#include <vector>

#include "draw/canvas.h"
#include "mellow/playback.h"

namespace mellow {

struct Face {
    Vec3 corner[3];
    Color color;
};

/// Colours of the triangles of a skin scene, looked up once, and their corners in any pose. A skin
/// without triangles is drawn as its bones.
class Figure {
  public:
    explicit Figure(const Scene& skin);
    std::vector<Face> faces(const Pose& pose) const;

  private:
    const Scene& skin_;
    std::vector<std::vector<Color>> colors_;  // [primitive, in node order][triangle]
};

/// Faces whose corners are as an eye has them, lit from above its left shoulder; `place` takes a
/// corner to pixels. Those that are turned away are left out where there are many.
template <class Place>
std::vector<FlatTriangle> shaded(const std::vector<Face>& faces, const Place& place) {
    constexpr std::size_t kMany = 400;
    const Vec3 sun = normalized(Vec3{0.3, 0.7, 0.6}, {});
    std::vector<FlatTriangle> out;
    out.reserve(faces.size());
    for (const Face& face : faces) {
        const Vec3 normal = normalized(
            cross(face.corner[1] - face.corner[0], face.corner[2] - face.corner[0]), {0, 1, 0});
        if (normal.z < -0.15 && faces.size() > kMany) continue;
        const double light = 0.55 + 0.45 * std::abs(dot(normal, sun));
        FlatTriangle t;
        for (std::size_t k = 0; k < 3; ++k) {
            const auto [x, y] = place(face.corner[k]);
            t.corners[k] = {x, y, face.corner[k].z};
        }
        t.color = {face.color.r * light, face.color.g * light, face.color.b * light};
        out.push_back(t);
    }
    return out;
}

}  // namespace mellow
