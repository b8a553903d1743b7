// The figure in the terms of one target: its joints in the target's order and under its names, its
// skin with the influences and morph targets that are wanted.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "figure/figure.h"
#include "figure/motion.h"
#include "mellow/joint_fit.h"
#include "mellow/target.h"

namespace mellow {

/// What a figure is to be fitted of; all of it outlives what is made.
struct FigureParts {
    const Scene& scene;
    const Skeleton& skeleton;
    const JointSources& sources;
};

class FittedFigure {
  public:
    /// `rest`: the joints as they are to rest; `root`: what the target's name of the root stands
    /// for. Fails with all that keeps the figure from being fitted. What was done goes to
    /// `findings`.
    static Result<FittedFigure> make(const FigureParts& figure, const Skeleton& rest,
                                     const std::string& root, const Target& target,
                                     Findings& findings);
    /// Of the figure of a recipe.
    static Result<FittedFigure> make(const Figure& figure, const Recipe& recipe,
                                     const Target& target, Findings& findings);

    const Scene& scene() const { return *scene_; }
    /// The scene with its skins as they were, where they had to be simplified.
    const Scene* unsimplified() const { return unsimplified_.get(); }
    /// What was taken from its skins.
    const SkinCuts& cuts() const { return cuts_; }
    /// As it is written: in the rest pose of the target.
    const Skeleton& skeleton() const { return fit_.skeleton; }
    /// The same joints as they rest in the source, which is what meshes are bound to.
    const Skeleton& bound() const { return bound_; }
    const JointSources& sources() const { return sources_; }
    const JointFit& fit() const { return fit_; }
    /// Name of a joint of the figure in the target; its own where it was left out.
    std::string name_of(int figure_joint) const;

    /// A baked clip of the figure in the terms of the target.
    Clip fitted(Clip clip) const;
    /// What the fitted clip must move like, by a take of the figure's own joints. `mounts`: those
    /// that the crate is measured by; the figure's take carries them as in_figure() says.
    Take take(const Take& figure, const std::vector<Mount>& mounts) const;
    /// A mount of the fitted skeleton, on the joints of the figure.
    Mount in_figure(const Mount& mount) const;

  private:
    explicit FittedFigure(const FigureParts& figure)
        : figure_(&figure.skeleton), sources_(figure.sources) {}
    Status fit(const FigureParts& figure, const Skeleton& rest, const std::string& root,
               const Target& target, Findings& findings);
    static void note_idle_names(const Skeleton& rest, const Target& target, Findings& findings);
    void note_fit(const Target& target, Findings& findings) const;

    const Skeleton* figure_;
    std::shared_ptr<const Scene> scene_, unsimplified_;
    SkinCuts cuts_;
    JointFit fit_;
    Skeleton bound_;
    std::vector<std::string> without_;  ///< scalars that are left out
    JointSources sources_;
    std::vector<MorphChange> changes_;
};

}  // namespace mellow
