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

std::vector<File> tamsin_files() {
    const auto text = [](const char* words) {
        return std::vector<std::uint8_t>(words, words + std::strlen(words));
    };
    return {{"tamsin.glb", "Tamsin, her controls and one timeline with three performances",
             mellow::write_glb(tamsin_scene())},
            {"tamsin.rig.toml", "how her controls drive her joints", text(kTamsinRig)},
            {"tamsin.recipe.toml", "what to make of it", text(kTamsinRecipe)}};
}

}  // namespace orchard
