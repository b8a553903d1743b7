// Clips of a crate in one file: written when all are baked, measured one by one in what was read
// back.
#pragma once

#include <vector>

#include "crate/clip_files.h"
#include "pack/packed_figure.h"

namespace mellow {

class SharedClips {
  public:
    /// Writes a file with `clips`, which may not be empty, under a name, and reads it back. What
    /// writers say goes to `findings`.
    static Result<SharedClips> write(StagedFolder& folder, const PackedFigure& figure,
                                     const Target& target, const std::string& name,
                                     std::vector<Clip> clips, Findings& findings);

    /// The file: of the skin, where clips are written with it.
    const FileRecord& file() const { return file_; }
    /// What a clip has become in it, inside. Fails as clip_of() does.
    Result<Scene> motion(const std::string& clip, int samples) const;

  private:
    SharedClips(const Target& target, FileFormat format) : target_(&target), format_(format) {}

    const Target* target_;
    FileFormat format_;
    FileRecord file_;
    Scene scene_;
};

}  // namespace mellow
