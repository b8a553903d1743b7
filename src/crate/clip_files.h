// Clips and skins as files of a target's formats, and the way back.
#pragma once

#include <string>
#include <vector>

#include "crate/stored_file.h"
#include "mellow/clip.h"
#include "mellow/result.h"
#include "mellow/scene.h"
#include "mellow/skeleton.h"
#include "mellow/target.h"
#include "mellow/write.h"

namespace mellow {

/// A scene in a target's convention and format, the scene file first. `name` is that of the file
/// without its ending. Fails as the writers do.
Result<WrittenScene> encode_scene(Scene scene, const Target& target, FileFormat format,
                                  const std::string& name);
/// A clip alone: joints without meshes. BVH and CSV hold the joints' motion and nothing else.
Result<WrittenScene> encode_clip(const Skeleton& skeleton, const Clip& clip, const Target& target,
                                 const std::string& name);
/// A skin scene with clips that were made for its skeleton.
Scene with_clips(const Scene& skin, const Skeleton& skeleton, const std::vector<Clip>& clips,
                 const Target& target);

/// A scene file of a crate, inside.
Result<Scene> decode_scene(CheckedFile file, const Target& target);
Result<Scene> decode_scene(StoredFile file, const Target& target);
/// A clip as it stands in its file: one timeline with uniform samples of all joints, from second
/// zero on, without a sample at rest in front. `skin` says how joints of a CSV file hang together;
/// `samples` is what the file must hold; of several timelines it is the one named `clip`. Fails
/// with proof-failed where the file does not hold it.
Result<Scene> decode_clip(CheckedFile file, const Target& target, const Scene& skin,
                          const std::string& clip, int samples);
Result<Scene> decode_clip(StoredFile file, const Target& target, const Scene& skin,
                          const std::string& clip, int samples);
/// The same out of a file with several, read already.
Result<Scene> clip_of(const Scene& file, FileFormat format, const Target& target,
                      const std::string& clip, int samples);

}  // namespace mellow
