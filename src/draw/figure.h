// A posed skin as flat shaded triangles, ready to be drawn from one side.
#pragma once

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

}  // namespace mellow
