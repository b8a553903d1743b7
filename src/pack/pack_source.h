// The source of a crate, made ready once: scene, rig sheet, skeleton, clips, and what moves each.
#pragma once

#include <optional>
#include <set>
#include <string>
#include <vector>

#include "mellow/bake.h"
#include "mellow/pack.h"
#include "mellow/recipe.h"
#include "mellow/rig.h"
#include "mellow/scene.h"
#include "mellow/shape.h"
#include "mellow/stock.h"

namespace mellow {

class PackSource {
  public:
    /// Reads, converts inside, chooses joints, plans all clips. Notes sources, joints and findings
    /// in `report`. Fails with everything that is wrong with sheet and recipe at once.
    static Result<PackSource> read(const Recipe& recipe, PackReport& report);

    const Scene& scene() const { return scene_; }
    /// The scene with its skins as they were, where they had to be simplified.
    /// Nodes whose shear may be lost; nullptr when there are none.
    const std::vector<bool>* accepted() const { return accepted_.empty() ? nullptr : &accepted_; }
    const Scene* unsimplified() const { return unsimplified_ ? &*unsimplified_ : nullptr; }
    const Skeleton& skeleton() const { return skeleton_; }
    const JointSources& sources() const { return sources_; }
    int hips() const { return hips_; }
    /// Clips of the recipe, and those made from whole timelines.
    const std::vector<RecipeClip>& clips() const { return clips_; }

    /// Where the samples of a clip stand, and the rig under what moves it.
    struct Bound {
        PlannedRange planned;
        std::shared_ptr<const Rig> rig;
        std::string moved_by;  ///< name of the timeline or strip
    };
    Result<Bound> bind(const RecipeClip& clip) const;

  private:
    explicit PackSource(const Recipe& recipe) : recipe_(&recipe) {}
    Status read_scene_file(PackReport& report);
    Status read_sheet(PackReport& report);
    Status expand_clips(PackReport& report);
    Status expand(const RecipeTimelines& wanted, std::set<std::string>& names, PackReport& report);
    Status make_skeleton(PackReport& report);
    Status read_axes(JointChoice& choice, PackReport& report) const;
    Status note_axes(const JointChoice& choice, PackReport& report) const;
    void note_lights(PackReport& report) const;
    void note_gaps(PackReport& report) const;
    Status find_accepted();
    Status leave_out(const JointChoice& choice, const std::vector<int>& driven, PackReport& report);
    Status strip(PackReport& report);
    Status find_hips(PackReport& report);
    Result<int> find_timeline(const std::string& name, const std::string& where) const;
    Result<Performance> performance(const RecipeClip& clip) const;
    /// What moves a clip, and where its samples stand.
    struct Planned {
        Performance what;
        PlannedRange range;
        std::string moved_by;
    };
    Result<Planned> plan(const RecipeClip& clip) const;
    Status check_clips() const;

    const Recipe* recipe_;
    Scene scene_;
    std::optional<Scene> unsimplified_;
    RigSheet sheet_;
    Conversion conversion_;
    Skeleton skeleton_;
    JointSources sources_;
    int hips_ = -1;
    std::vector<RecipeClip> clips_;
    std::vector<bool> accepted_;
    std::vector<TimelineStock> timelines_;  ///< what moves when in the file
    std::vector<int> static_meshes_;        ///< nodes of meshes that are not of the figure
};

}  // namespace mellow
