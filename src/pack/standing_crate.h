// The crate that stands where one is to be packed: what of it need not be made again.
#pragma once

#include <map>
#include <memory>
#include <optional>
#include <string>

#include "mellow/pack.h"

namespace mellow {

class StandingCrate {
  public:
    /// Null where no crate of this version of the arithmetic and this target stands. Fails where
    /// its manifest cannot be believed.
    static Result<std::unique_ptr<StandingCrate>> open(const std::filesystem::path& folder,
                                                       const Recipe& recipe, const Target& target);

    /// True when the recipe, all files it reads and all files of the crate are those of then.
    bool fits(const Recipe& recipe, const Target& target) const;
    /// What packing reported then, the same now; nothing where the reports are damaged.
    std::optional<PackReport> report(const Recipe& recipe, const Target& target) const;

    struct Clip {
        PackedClip packed;
        std::vector<std::pair<std::string, Bytes>> files;  ///< within the crate, and their bytes
    };
    /// The clip of that name, if it was made of the same inputs and its file has its bytes still.
    std::optional<Clip> clip(const std::string& name, const std::string& inputs,
                             const Place& where) const;
    /// True where the clip was made of the same inputs and its file has other bytes than then.
    bool was_changed(const std::string& name, const std::string& inputs) const;
    /// The contact sheet, if its bytes are those of then.
    std::optional<Bytes> picture() const;
    const Manifest& manifest() const { return manifest_; }
    /// True where it lists the clip, whatever it was made of and whether its bytes are still right.
    bool lists(const std::string& clip) const { return clips_.contains(clip); }
    const std::filesystem::path& folder() const { return folder_; }
    /// Files whose bytes are not what the manifest says.
    std::vector<std::string> broken() const;

  private:
    StandingCrate(std::filesystem::path folder, Manifest manifest)
        : folder_(std::move(folder)), manifest_(std::move(manifest)) {
        for (const PackedClip& clip : manifest_.clips) clips_.emplace(clip.clip.name, &clip);
    }
    std::optional<Bytes> checked(const FileRecord& file) const;

    const std::filesystem::path folder_;
    const Manifest manifest_;
    std::map<std::string, const PackedClip*> clips_;
};

/// The numbers that clips had before, by name: in the crate that gives way, or the one that
/// options.ids_from says. None where the target numbers nothing.
Result<std::map<std::string, int>> numbers_before(const Recipe& recipe, const Target& target,
                                                  const PackOptions& options);

}  // namespace mellow
