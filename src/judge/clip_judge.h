// What is to be said of one clip: seams, travel, still ends, losses, and what the proof measured.
#pragma once

#include "figure/fitted_figure.h"
#include "mellow/bake.h"
#include "plan/jobs.h"

namespace mellow {

/// The largest overlap of a clip with earlier ones of the same motion, and how many others overlap.
class OverlapJudge {
  public:
    /// `jobs` must live as long.
    explicit OverlapJudge(const std::vector<ClipJob>& jobs);
    Findings of(std::size_t i) const;

  private:
    struct Span {
        std::int64_t first, last;
        int arrangement;  ///< of one timeline or arrangement all; -1: never in the way
    };
    const std::vector<ClipJob>& jobs_;
    std::vector<Span> spans_;
};
/// Of a clip with its travel on the root and its loop still closed; notes its shear in `packed`.
Findings judge_baked(const Recipe& recipe, const Figure& figure, const ClipJob& job,
                     const Baked& baked, PackedClip& packed);
/// What is to be said of the seam of a loop, `packed.gap`.
Findings judge_loop(const Recipe& recipe, const Figure& figure, const ClipJob& job,
                    const Clip& clip, const PackedClip& packed);
/// Of a clip that was read back and measured. Where joints were left out as the target wants, what
/// their vertices are off by is told and is no stop.
Findings judge_proof(const Recipe& recipe, const Figure& figure, const PackedClip& packed,
                     const Status& within_tolerance, const FittedFigure& fitted);

}  // namespace mellow
