// The cider orchard: made-up demo data. Tamsin, the orchard keeper, with her picking pole,
// and a cider press.
//
// Tamsin is authored in the convention such files often have in practice: centimetres, +Z up,
// facing -Y, in a format that says metres and +Y up.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "mellow/scene.h"

namespace orchard {

extern const char* const kTamsinRig;
extern const char* const kTamsinRecipe;
extern const char* const kPressRig;
extern const char* const kPressRecipe;
extern const char* const kShiftRecipe;
extern const char* const kEnginesRecipe;
extern const char* const kRoundRecipe;
extern const char* const kBeforeRecipe;
extern const char* const kOdoRecipe;
extern const char* const kOdoMap;
extern const char* const kYardRecipe;
extern const char* const kYardStates;
extern const char* const kYardScript;
extern const char* const kPressStates;
extern const char* const kPressScript;
extern const char* const kOrchardTarget;
extern const char* const kOrchardJoints;
extern const char* const kViewerTarget;
extern const char* const kMachineTarget;

struct File {
    std::string name, what;
    std::vector<std::uint8_t> bytes;
};

/// tamsin.glb, tamsin.rig.toml and tamsin.recipe.toml. The same bytes on every call.
std::vector<File> tamsin_files();

/// engines.recipe.toml and targets/: Tamsin for three targets at once.
std::vector<File> engine_files();

/// The scene of tamsin.glb, in its own centimetres.
mellow::Scene tamsin_scene();

/// press.glb, press.rig.toml and press.recipe.toml: a machine of rigid parts.
std::vector<File> press_files();
mellow::Scene press_scene();

/// motions/*/*, broken/carry_7.bvh, shift.recipe.toml, and round.recipe.toml, which makes clips of
/// some of them: a shift of Tamsin, `each` motion files of
/// four kinds, and one that is cut. The last one of wheeling is COLLADA.
std::vector<File> shift_files(int each = 6);

/// odo_lift.bvh, odo.map.toml and odo.recipe.toml: a capture of another body.
std::vector<File> odo_files();

// Parts of tamsin_scene(), in the order they are added.
inline const std::string kPrefix = "orchard:";
void add_skeleton(mellow::Scene& scene);
void add_controls(mellow::Scene& scene);
void add_body(mellow::Scene& scene);
void add_performances(mellow::Scene& scene);

/// A text as a file.
inline std::vector<std::uint8_t> bytes_of(const std::string& text) {
    return {text.begin(), text.end()};
}
/// Index of the node `orchard:name`; the name must exist.
int node(const mellow::Scene& scene, const std::string& name);

}  // namespace orchard
