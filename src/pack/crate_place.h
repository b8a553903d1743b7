// Where a crate goes: its folder, the crate that stands there, and others that have clips for it.
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "mellow/safe_write.h"
#include "pack/standing_crate.h"

namespace mellow {

class CratePlace {
  public:
    /// Makes the folder and looks at what stands there. `recipe`, `target` and `options` live as
    /// long. Fails where the folder must not or cannot be written, or what stands there cannot be
    /// believed.
    static Result<CratePlace> open(const Recipe& recipe, const Target& target,
                                   const PackOptions& options);
    /// Looks at what stands there, and makes no folder: for planning.
    static Result<CratePlace> look(const Recipe& recipe, const Target& target,
                                   const PackOptions& options);

    const Recipe& recipe() const { return recipe_; }
    const Target& target() const { return target_; }
    const PackOptions& options() const { return options_; }
    const std::filesystem::path& path() const { return path_; }
    /// Null where it is only planned.
    StagedFolder* folder() const { return folder_.get(); }
    /// The crate that gives way, where it may be taken from; else null.
    const StandingCrate* standing() const { return standing_.get(); }
    /// What was packed there, where nothing has to be made again.
    std::optional<PackReport> unchanged() const;
    /// True where there is a crate to take clips from.
    bool may_take_over() const { return standing_ || !from_.empty(); }
    /// The clip from any of them, made of the same inputs.
    std::optional<StandingCrate::Clip> clip(const Range& range, const std::string& inputs) const;
    /// Why a clip cannot be taken from any other crate.
    Finding not_there(const std::string& clip) const;

  private:
    CratePlace(const Recipe& recipe, const Target& target, const PackOptions& options);
    Status make_folder(bool own);
    /// True for the part of the same share.
    bool is_own(const StandingCrate& crate) const;
    Status look_into(std::unique_ptr<StandingCrate> standing, bool own);

    const Recipe& recipe_;
    const Target& target_;
    const PackOptions& options_;
    std::filesystem::path path_;
    std::unique_ptr<StagedFolder> folder_;
    std::unique_ptr<StandingCrate> standing_;
    std::vector<std::unique_ptr<StandingCrate>> from_;
};

/// Where the crate of a target goes: the recipe's folder, or one in it where there are several.
std::filesystem::path output_of(const Recipe& recipe, const Target& target);

}  // namespace mellow
