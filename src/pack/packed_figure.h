// The figure as a crate has it: in the terms of the target, its skin written and read back. Clips
// are fitted, written and measured by it, with a recipe and without one.
#pragma once

#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <vector>

#include "figure/fitted_figure.h"
#include "mellow/pack.h"
#include "mellow/pose.h"
#include "mellow/prove.h"
#include "mellow/safe_write.h"

namespace mellow {

/// True where the clips of a target are written into one file.
bool shares_a_file(const Target& target);

class PackedFigure {
  public:
    /// What it is made of. Without a folder nothing is written; where clips share the skin's file
    /// that is written later, with them.
    struct Plan {
        const Target& target;
        const std::string& name;  ///< of the skin's file, without its ending
        StagedFolder* folder = nullptr;
        const std::vector<bool>* accepted = nullptr;  ///< as ProofFigure has it
    };
    /// `skin`: as assemble_skin() gives it. What writers say goes to `findings`. Fails as the
    /// writers and SkinProof::make() do, and where the file's triangles face another side.
    static Result<std::shared_ptr<const PackedFigure>> make(FittedFigure fitted, Scene skin,
                                                            const Plan& plan, Findings& findings);
    PackedFigure(const PackedFigure&) = delete;
    PackedFigure& operator=(const PackedFigure&) = delete;

    const FittedFigure& fitted() const { return fitted_; }
    const Skeleton& skeleton() const { return fitted_.skeleton(); }
    /// As it was read back, inside.
    const Scene& skin() const { return skin_; }
    /// As it is written, where clips are written with it; else empty.
    const Scene& with_clips() const { return written_; }
    const SkinProof& proof() const { return *proof_; }
    /// At rest.
    const Bounds& bounds() const { return bounds_; }
    /// What the report of a crate says of it.
    void tell(PackReport& report) const;
    /// The skin beside that of another crate, by which clips of this one can be measured; null
    /// where the two are not alike. Made once for each. Thread-safe.
    const LikeSkins* beside(const PackedFigure& other) const;

  private:
    PackedFigure(FittedFigure fitted, const Target& target)
        : target_(target), fitted_(std::move(fitted)) {}
    Status write(Scene skin, const Plan& plan, Findings& findings);
    bool is_like(const PackedFigure& other) const;
    std::map<std::string, std::string> names_in(const PackedFigure& other) const;

    const Target& target_;
    const FittedFigure fitted_;
    Scene written_, skin_;
    FileRecord file_;
    std::vector<std::string> morph_targets_;
    Bounds bounds_;
    std::optional<SkinProof> proof_;
    mutable std::map<const PackedFigure*, std::optional<LikeSkins>> beside_;
    mutable std::mutex pairing_;
};

}  // namespace mellow
