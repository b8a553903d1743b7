// What moves a figure: its own file, or a file of joints, or a file of controls, made ready so that
// every clip of it becomes a take of the figure's joints.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "figure/figure.h"
#include "figure/source_cues.h"
#include "mellow/joint_map.h"
#include "mellow/rig.h"
#include "mellow/shape.h"
#include "mellow/stock.h"
#include "mellow/take.h"

namespace mellow {

struct FigureMotion {
    std::string source;  ///< name of its [[source]]; empty for the figure's own file
    std::string file;    ///< relative to the recipe, as messages call it
    /// Inside, with names as in the figure. Its vertices are of no interest.
    std::shared_ptr<const Scene> scene;
    const RigSheet* sheet = nullptr;  ///< the figure's, or an empty one
    JointSources sources;             ///< of the figure's joints, in `scene`
    bool own = false;                 ///< the figure's own file
    bool same_nodes = false;          ///< nodes of `scene` are those of the figure
    std::string prefix;               ///< that timelines may be named with
    std::vector<TimelineStock> stock;
    std::vector<FileRecord> records;
    std::vector<SourceCue> cues;    ///< of its timelines, with names of joints as in the figure
    std::vector<KeptDrive> drives;  ///< of the figure, that give weights which the file has not
    std::vector<bool> renamed;      ///< which of the recipe's renames some name of it fits
    Findings findings;

    /// The take of a bound rig of this motion, with what proving the figure needs.
    Take take(const Figure& figure, std::shared_ptr<const Rig> rig,
              const std::vector<Mount>& mounts) const;
};

/// The figure's own file.
FigureMotion own_motion(const Figure& figure, const Recipe& recipe);
/// A file of a [[source]]; `file` is relative to the recipe's folder. Fails as readers do, and with
/// what keeps the file from moving this figure.
Result<FigureMotion> read_motion(const Recipe& recipe, const RecipeSource& source,
                                 const std::string& file, const Figure& figure);

}  // namespace mellow
