// The figure of a crate, made ready once: scene, rig sheet, skeleton, and which joint is which.
#pragma once

#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "figure/input_notes.h"
#include "mellow/bake.h"
#include "mellow/recipe.h"
#include "mellow/rig.h"
#include "mellow/scene.h"
#include "mellow/shaping.h"
#include "mellow/stock.h"

namespace mellow {

class Figure {
  public:
    explicit Figure(const Recipe& recipe) : recipe_(&recipe) {}
    /// Reads the scene and the rig sheet and takes them inside. Fails with all that is wrong with
    /// both.
    Status load();
    /// Chooses joints and names them. Fails with everything that is wrong with sheet and recipe at
    /// once.
    Status make_skeleton();
    /// What was read and is to be said since this was asked last.
    InputNotes take_notes() { return std::exchange(notes_, {}); }

    const Scene& scene() const { return scene_; }
    /// Nodes whose shear may be lost; nullptr when there are none.
    const std::vector<bool>* accepted() const { return accepted_.empty() ? nullptr : &accepted_; }
    const RigSheet& sheet() const { return sheet_; }
    /// From the numbers of the file to those inside.
    const Conversion& conversion() const { return conversion_; }
    const Skeleton& skeleton() const { return skeleton_; }
    const JointSources& sources() const { return sources_; }
    /// Drives of morph weights by joints alone: those of the manifest.
    const std::vector<KeptDrive>& drives() const { return drives_; }
    /// Joints that took the axes of another skeleton: what their own axes were turned by.
    const std::vector<std::pair<std::string, Quat>>& turns() const { return turns_; }
    int hips() const { return hips_; }
    /// Whether nothing but their place in the skeleton says that they are the hips.
    bool hips_assumed() const { return hips_assumed_; }
    /// What joint 0 is: a root where the hips are another joint.
    RootKind root() const {
        return sources_[0].node == kNone ? RootKind::kAdded
               : hips_ != 0              ? RootKind::kMoves
                                         : RootKind::kFigure;
    }
    /// Joints that make a pose: all but cameras.
    std::vector<bool> body() const {
        std::vector<bool> out;
        for (const JointSource& s : sources_)
            out.push_back(s.node == kNone ||
                          scene_.nodes[static_cast<std::size_t>(s.node)].camera == kNone);
        return out;
    }
    const std::vector<int>& feet() const { return feet_; }
    const std::vector<int>& wheels() const { return wheels_; }
    /// Those of the recipe, with their joints.
    const std::vector<MotionPlane>& planes() const { return planes_; }
    /// What moves when in the file.
    const std::vector<TimelineStock>& timelines() const { return timelines_; }

  private:
    Status read_scene_file();
    Status read_sheet();
    Status read_axes(JointChoice& choice);
    Status note_axes(const JointChoice& choice);
    void note_lights();
    Status find_accepted();
    Status leave_out(const JointChoice& choice, const std::vector<int>& driven);
    Status strip();
    std::optional<Quat> turned_root(const Skeleton& skeleton) const;
    void note_scales(const Result<ChosenJoints>& joints);
    Result<int> joint_named(const std::string& name, const Place& where) const;
    int carrier() const;
    Status find_hips();
    Status find_feet();

    const Recipe* recipe_;
    Scene scene_;
    RigSheet sheet_;
    Conversion conversion_;
    Skeleton skeleton_;
    JointSources sources_;
    std::vector<KeptDrive> drives_;
    std::vector<std::pair<std::string, Quat>> turns_;
    InputNotes notes_;
    bool hips_assumed_ = false;
    int hips_ = 0;
    std::vector<int> feet_, wheels_;
    std::vector<MotionPlane> planes_;
    std::vector<bool> accepted_;
    std::vector<TimelineStock> timelines_;
    std::vector<int> static_meshes_;  ///< nodes of meshes that are not of the figure
};

/// Where the recipe asks for travel first; empty where it does not.
Place travel_asked(const Recipe& recipe);

}  // namespace mellow
