// A small figure that recipes, sheets and manifests are tried on, from figure.gltf. Nodes: a hips;
// b c d, a limb below it; e its tip; g goal and p pole; s a source, w a wheel; m the mesh, with a
// morph target; keys over a second.
#pragma once

#include "fuzz.h"
#include "mellow/read.h"

namespace mellow::fuzz {

/// In the inside convention.
inline Scene figure() {
    auto read = read_scene(MELLOW_FUZZ_FIGURE);
    require(read.ok(), "the figure is there");
    Scene scene = std::move(read.value().scene);
    to_inside(scene);
    scene.rate = {24, 1};
    scene.rate_known = true;
    return scene;
}

}  // namespace mellow::fuzz
