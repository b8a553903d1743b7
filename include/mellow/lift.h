// Lifting: motion on joints goes back onto the controls that would drive them.
//
// The rig sheet is read backwards: what a rule would make of its controls is known, so the controls
// are solved for it. Evaluating the rig again then gives the motion back, as far as the rig can
// express it; how far it cannot is measured, joint by joint. Afterwards the motion can be changed
// by layers and baked again like any other.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "mellow/result.h"
#include "mellow/rig_sheet.h"
#include "mellow/scene.h"

namespace mellow {

/// Which controls are keyed, and what the timeline is called.
struct LiftOptions {
    /// Controls that shall be keyed in place of ones below them: "ankle_target.L" = "foot_goal.L".
    /// What is between them stays at rest.
    std::map<std::string, std::string> onto;
    std::string name = "lifted";  ///< of the timeline
};

/// How far a joint is from the motion when the rig is evaluated on the lifted controls.
struct LiftError {
    std::string joint;
    double worst_mm = 0, worst_degrees = 0;
    int sample = 0;  ///< of the worst distance
    int degrees_sample = 0;
};

/// A timeline of controls, and how near the rig comes to the motion with it.
struct Lifted {
    Timeline timeline;  ///< for the rig's scene, beginning at 0 seconds
    FrameRate rate;     ///< of its keys, one per sample
    int samples = 0;
    std::vector<std::string> controls;  ///< that are keyed
    std::vector<std::string> meshes;    ///< whose morph weights came along, by their targets' names
    std::vector<LiftError> errors;      ///< one per joint of the motion that the scene has
    Findings findings;                  ///< rules that cannot be read backwards
};

/// Solves the controls of `scene` under `sheet` for one timeline of `motion`, whose nodes carry the
/// names of the joints (with or without the sheet's prefix). Where both rest with their joints in
/// the same places, these may have other axes: they are turned back. All three must be inside:
/// metres, +Y up, +Z front. Sources of `follow` (a single one), goals and poles of `limb`, goals of
/// `chain` and sources of `aim` are solved; what follows only an orientation keeps its place below
/// its parent. Fails as Rig::bind() does, with no-joints when no name fits, or with
/// no-motion when none of the joints moves.
Result<Lifted> lift(const Scene& scene, const RigSheet& sheet, const Scene& motion, int timeline,
                    const LiftOptions& options = {});

/// How far the joints of a motion are from a scene that was lifted before, such as the file that
/// was written of it, whose first timeline has the keys. All inside. Fails as lift() does.
Result<std::vector<LiftError>> measure_lifted(const Scene& lifted, const RigSheet& sheet,
                                              const Scene& motion, int timeline);

}  // namespace mellow
