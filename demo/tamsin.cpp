#include <cstring>

#include "mellow/write.h"
#include "orchard.h"

namespace orchard {

mellow::Scene tamsin_scene() {
    mellow::Scene scene;
    scene.name = "orchard";
    scene.rate = {24, 1};
    scene.rate_known = true;
    scene.copyright = "Made up for the Mellow Crate demo, MIT";
    add_skeleton(scene);
    add_controls(scene);
    add_body(scene);
    add_performances(scene);
    return scene;
}

namespace {
std::vector<std::uint8_t> text(const char* words) { return {words, words + std::strlen(words)}; }
}  // namespace

std::vector<File> engine_files() {
    return {{"targets/orchard.target.toml", "a left-handed engine with a joint list",
             text(kOrchardTarget)},
            {"targets/orchard.joints.txt", "its 24 joints", text(kOrchardJoints)},
            {"targets/viewer.target.toml", "a viewer: everything in one file", text(kViewerTarget)},
            {"targets/machine.target.toml", "a machine: tables of numbers", text(kMachineTarget)},
            {"engines.recipe.toml", "Tamsin for all three", text(kEnginesRecipe)}};
}

std::vector<File> tamsin_files() {
    return {{"tamsin.glb", "Tamsin, her controls and one timeline with three performances",
             mellow::write_glb(tamsin_scene())},
            {"tamsin.rig.toml", "how her controls drive her joints", text(kTamsinRig)},
            {"tamsin.recipe.toml", "what to make of it", text(kTamsinRecipe)}};
}

}  // namespace orchard
