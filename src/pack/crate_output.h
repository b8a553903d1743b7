// One crate while it is made: clips come one by one, and are fitted, written and measured.
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "check/check_folder.h"
#include "judge/clip_judge.h"
#include "mellow/bake.h"
#include "mellow/crate.h"
#include "pack/crate_place.h"
#include "pack/packed_figure.h"
#include "pack/shared_clips.h"
#include "plan/jobs.h"
#include "plan/output_names.h"

namespace mellow {

/// A clip of the figure that was baked for one rate, and what was found on the way: shared by all
/// targets with that rate.
struct BakedClip {
    const ClipJob* job = nullptr;
    const PlannedRange* range = nullptr;
    std::shared_ptr<const FigureMotion> motion;
    std::shared_ptr<const Rig> rig;
    std::vector<std::shared_ptr<const void>> held;  ///< what the take of a shaped clip looks at
    Take take;        ///< of the figure's own joints, where it is placed
    Take unplaced;    ///< of a shaped clip
    Transform place;  ///< what is between the two
    Clip clip;        ///< closed, with its travel on the root
    PackedClip facts;
};

/// What became of a clip in one crate.
struct OutputClip {
    PackedClip packed;
    Scene motion;  ///< the file as it was read back, inside; empty where it was taken over
    Clip clip;     ///< where the layout writes all clips into one file, later
};

/// Valid from begin() on: its place is made, its figure fitted, its skin written.
class CrateOutput {
  public:
    /// Fits the figure and writes its skin. `jobs` lives as long. Fails with all that keeps the
    /// figure from being written.
    static Result<std::unique_ptr<CrateOutput>> begin(CratePlace place, const Jobs& jobs);

    const CratePlace& place() const { return place_; }
    const PackedFigure& figure() const { return *figure_; }
    const Target& target() const { return target_; }
    /// True where the target takes the clip, and it falls to this share; others stay in the recipe.
    bool wants(std::size_t i) const {
        return is_chosen(target_, jobs_.clips()[i].clip) &&
               (!options_.share || dealt_[i] == options_.share->number);
    }

    /// The clip from the crate that stands there, where it is made of the same inputs.
    std::optional<Result<OutputClip>> standing(std::size_t i) const;
    /// True where it would be taken over: what standing() would find, without writing it.
    bool has_standing(std::size_t i) const { return find_standing(i).has_value(); }
    /// The file of a clip as it was read back, inside. Thread-safe.
    Result<Scene> motion_of(const PackedClip& packed) const;
    /// Fits, writes, reads back and measures. Thread-safe. Where clips share a file it only fits.
    /// `first`: a crate of the same clip that was measured against the rig, by which this one may
    /// be measured where it is like it.
    struct Measured {
        const CrateOutput& crate;
        const OutputClip& clip;
    };
    Result<OutputClip> make(std::size_t i, const BakedClip& baked,
                            const std::optional<Measured>& first = {}) const;

    /// Keeps a clip that shares a file with others, for write_shared().
    void keep(std::size_t i, OutputClip clip);
    bool keeps(std::size_t i) const { return !kept_.empty() && !kept_[i].packed.plan.clip.empty(); }
    /// Writes the file of all that are kept; from then on prove_shared() measures each of them.
    Status write_shared();
    Result<OutputClip> prove_shared(std::size_t i, const BakedClip& baked) const;

    /// Takes a clip in its turn; `skip` one that could not be made.
    void take(std::size_t i, OutputClip clip);
    void skip(std::size_t i, Findings why);

    /// Draws, writes manifest and reports, and puts the crate in its place, or aside.
    Result<PackReport> finish();

  private:
    CrateOutput(CratePlace place, const Jobs& jobs, std::shared_ptr<const PackedFigure> figure,
                OutputNames names, PackReport report);
    StagedFolder* folder() const { return place_.folder(); }
    Result<std::vector<Cue>> cues(std::size_t i, const BakedClip& baked) const;
    Status prove(std::size_t i, const BakedClip& baked, const std::optional<Measured>& first,
                 OutputClip& out) const;
    std::string inputs_of(std::size_t i) const;
    std::optional<StandingCrate::Clip> find_standing(std::size_t i) const;
    Status settle_share();
    Status draw();
    Status draw_thumbnails();
    Result<Bytes> picture();
    bool same_drawn(const Manifest& standing) const;
    bool fit_to_place() const { return report_.proven || (recipe_.skip_bad && all_passed_); }

    const CratePlace place_;
    const Recipe& recipe_;
    const Target& target_;
    const PackOptions& options_;
    const Jobs& jobs_;
    const std::shared_ptr<const PackedFigure> figure_;
    const OutputNames names_;
    const OverlapJudge overlaps_;
    std::vector<int> dealt_;  ///< which share each clip falls to
    PackReport report_;
    std::vector<OutputClip> kept_;       ///< where clips share a file
    std::optional<SharedClips> shared_;  ///< that file
    KnownDemands known_;                 ///< what was found of files when they were read back
    bool all_passed_ = true;
    std::size_t drawn_reused_ = 0;
    Crate drawn_;  ///< the first clips, as they were read back
};

}  // namespace mellow
