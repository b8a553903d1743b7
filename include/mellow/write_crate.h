// Writing a crate of clips that were made by a program: no recipe, no source file, no rig.
//
// pack() does a whole job from a recipe. This is the other way in, for a tool of your own: it has a
// figure and takes of it, from bake_file(), from a rig, or computed by a function, bakes them as it
// likes and hands over clips together with what they were baked of. They are fitted to the target,
// written, read back and measured like everything that is packed, and the crate is put in its
// place whole or not at all. open_crate() (crate.h) is the way back.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "mellow/clip.h"
#include "mellow/joint_source.h"
#include "mellow/pack.h"
#include "mellow/prove.h"
#include "mellow/sample_plan.h"
#include "mellow/scene.h"
#include "mellow/skeleton.h"
#include "mellow/take.h"
#include "mellow/target.h"

namespace mellow {

/// Who is moved. All of it must outlive the call, and is in the inside convention.
struct CrateFigure {
    const Scene& scene;           ///< its meshes, skins and morph targets; keys in it do not matter
    const Skeleton& skeleton;     ///< of choose_joints(), with a root of add_root() where wanted
    const JointSources& sources;  ///< the node of each joint in `scene`
    std::string hips = {};        ///< the joint that travel was taken from; empty: nobody is told
};

/// One clip, and what it was baked of.
struct CrateClip {
    /// Named; sampled at the target's rate; closed where it loops, with its travel on the root
    /// where that is wanted (travel.h). Labels and cues go along.
    Clip clip;
    /// What its file is measured against, at every sample. It must carry the mounts of
    /// find_mounts() where the figure has meshes without skin.
    Take take;
    SamplePlan plan;   ///< where the samples stand in the take
    std::string from;  ///< for people: what it was made of, such as a timeline
};

/// How a crate is written.
struct WriteCrateOptions {
    std::string name = "crate";  ///< of the figure; targets name files after it
    Tolerance tolerance;
    bool picture = true;   ///< a contact sheet of the first kMostDrawn clips
    bool replace = false;  ///< an existing crate gives way and is kept as a backup
    int keep = 3;          ///< how many backups stay, the newest
};

/// Writes a crate with one file for each clip. `target` says everything about files, names, joints
/// and axes, as it does for pack(); its demands are measured, and one that is not met is a stop.
///
/// The report is that of pack(); it is proven, and the crate stands in `folder`, when every clip is
/// within the tolerance and no finding is a stop. Else the files are kept aside in report.folder.
/// Fails, with nothing left behind, with output-exists; with no-motion without clips; with
/// value-bad where a clip does not fit the figure, its plan or the target's rate, and for targets
/// that put several clips into one file or take their rest pose from a frame of a source; and as
/// StagedFolder, encoding and decoding do.
Result<PackReport> write_crate(const std::filesystem::path& folder, const CrateFigure& figure,
                               const std::vector<CrateClip>& clips, const Target& target,
                               const WriteCrateOptions& options = {});

}  // namespace mellow
