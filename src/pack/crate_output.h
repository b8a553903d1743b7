// One crate while it is made: the folder, the fitted figure, its skin file, its clips.
#pragma once

#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <vector>

#include "check/check_folder.h"
#include "crate/clip_files.h"
#include "figure/fitted_figure.h"
#include "mellow/bake.h"
#include "mellow/crate.h"
#include "mellow/safe_write.h"
#include "pack/clip_judge.h"
#include "pack/standing_crate.h"
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

class CrateOutput;

/// What became of a clip in one crate.
struct OutputClip {
    PackedClip packed;
    Scene motion;  ///< the file as it was read back, inside; empty where it was taken over
    Clip clip;     ///< where the layout writes all clips into one file, later
};

class CrateOutput {
  public:
    CrateOutput(const Recipe& recipe, const Target& target, const PackOptions& options);

    /// Makes the folder and looks at the crate that stands there.
    Status open();
    /// Looks at the crate that stands there, and writes nothing from then on: for planning.
    Status look();
    /// What stands there, where nothing has to be made again.
    std::optional<PackReport> unchanged() const;
    /// Fits the figure and writes its skin.
    Status begin(const Jobs& jobs);

    /// Nodes that a take must carry so that the meshes of this crate can be measured.
    const std::vector<Mount>& mounts() const { return skin_proof_->mounts(); }
    /// A mount as it hangs on the figure's own joints.
    Mount in_figure(const Mount& mount) const { return fitted_->in_figure(mount); }
    const Target& target() const { return target_; }
    /// True where the target takes the clip, and it falls to this share; others stay in the recipe.
    bool wants(std::size_t i) const {
        return is_chosen(target_, jobs_->clips()[i].clip) &&
               (!options_.share || dealt_[i] == options_.share->number);
    }

    /// The clip from the crate that stands there, where it is made of the same inputs.
    std::optional<Result<OutputClip>> standing(std::size_t i) const;
    /// True where it would be taken over: what standing() would find, without writing it.
    bool has_standing(std::size_t i) const { return !shares_a_file() && find_standing(i); }
    /// True where there is a crate to take clips from.
    bool may_take_over() const { return standing_ || !from_.empty(); }
    /// Reads the file of a clip that was taken over. Thread-safe.
    Status open_motion(OutputClip& clip) const;
    /// Fits, writes, reads back and measures. Thread-safe. Where clips share a file it only fits.
    /// `first`: a crate of the same clip that was measured against the rig, by which this one may
    /// be measured where it is like it.
    struct Measured {
        const CrateOutput& crate;
        const OutputClip& clip;
    };
    Result<OutputClip> make(std::size_t i, const BakedClip& baked,
                            const std::optional<Measured>& first = {}) const;
    /// True where clips share a file: write_shared() writes it, and prove_shared() measures each.
    bool shares_a_file() const;
    FileFormat shared_format() const;
    Status write_shared();
    Result<OutputClip> prove_shared(std::size_t i, const BakedClip& baked) const;

    /// Takes a clip in its turn; `skip` one that could not be made.
    void take(std::size_t i, OutputClip clip);
    void skip(std::size_t i, Findings why);
    /// Keeps a clip for write_shared().
    void keep(std::size_t i, OutputClip clip);

    /// Draws, writes manifest and reports, and puts the crate in its place, or aside.
    Result<PackReport> finish();

  private:
    Status write_skin();
    Result<std::vector<Cue>> cues(std::size_t i, const BakedClip& baked) const;
    Status settle_rest(Scene& skin);
    void check_size(const Bounds& bounds);
    void note_idle_morphs();
    void note_turned_starts();
    void note_same_motion();
    void note_repeated_mesh();
    void note_changed_files();
    void note_not_chosen();
    Status settle_share();
    Finding not_there(std::size_t i) const;
    Status draw();
    Status draw_thumbnails();
    Result<Bytes> picture();
    bool same_drawn() const;
    bool fit_to_place() const { return report_.proven || (recipe_.skip_bad && all_passed_); }
    StagedFolder* folder() const { return folder_ ? &*folder_ : nullptr; }
    Status prove(std::size_t i, const BakedClip& baked, const std::optional<Measured>& first,
                 OutputClip& out) const;
    bool is_like(const CrateOutput& other) const;
    const LikeSkins* paired(const CrateOutput& other) const;
    std::map<std::string, std::string> names_in(const CrateOutput& other) const;
    std::string inputs_of(std::size_t i) const;
    bool is_own(const StandingCrate& crate) const;
    Status look_into(std::unique_ptr<StandingCrate> standing, bool own);
    std::optional<StandingCrate::Clip> find_standing(std::size_t i) const;

    const Recipe& recipe_;
    const Target& target_;
    const PackOptions& options_;
    PackReport report_;
    const Jobs* jobs_ = nullptr;
    mutable std::optional<StagedFolder> folder_;  ///< none while it is only planned
    std::optional<FittedFigure> fitted_;
    std::optional<SkinProof> skin_proof_;
    std::unique_ptr<StandingCrate> standing_;
    std::vector<std::unique_ptr<StandingCrate>> from_;  ///< others that have clips
    std::optional<OverlapJudge> overlaps_;
    std::vector<int> dealt_;  ///< which share each clip falls to
    OutputNames names_;
    Scene skin_scene_;              ///< as it is written, where clips are written with it
    std::vector<OutputClip> kept_;  ///< where clips share a file
    std::optional<Scene> shared_;   ///< that file, read back
    FileRecord shared_record_;
    /// Skins of other crates that this one's was paired with; none where they are not alike.
    mutable std::map<const CrateOutput*, std::optional<LikeSkins>> paired_;
    mutable std::mutex pairing_;
    KnownDemands known_;  ///< what was found of files when they were read back
    bool all_passed_ = true;
    std::size_t drawn_reused_ = 0;
    Crate crate_;  ///< what is drawn: the skin and the first clips, as they were read back
};

/// Where the crate of a target goes: the recipe's folder, or one in it where there are several.
std::filesystem::path output_of(const Recipe& recipe, const Target& target);

}  // namespace mellow
