#include "pack/shared_clips.h"

#include "mellow/fit.h"
#include "pack/crate_files.h"

namespace mellow {

Result<SharedClips> SharedClips::write(StagedFolder& folder, const PackedFigure& figure,
                                       const Target& target, const std::string& name,
                                       std::vector<Clip> clips, Findings& findings) {
    const bool one = target.layout == Layout::kOneFile;
    SharedClips out(target, one ? target.skin_format : target.clip_format);
    Scene joints;  // a library has joints alone
    if (!one) joints = assemble_clip(figure.skeleton(), clips.front(), {});
    joints.timelines.clear();
    MELLOW_TRY(const WrittenScene written,
               encode_scene(
                   with_clips(one ? figure.with_clips() : joints, figure.skeleton(), clips, target),
                   target, out.format_, name));
    say_once(findings, written.findings);
    MELLOW_TRY(out.file_, put_files(&folder, written, one ? FileRole::kSkin : FileRole::kClip));
    MELLOW_TRY(StoredFile stored, stored_file(folder.path() / out.file_.file));
    MELLOW_TRY(out.scene_, decode_scene(std::move(stored), target));
    return out;
}

Result<Scene> SharedClips::motion(const std::string& clip, int samples) const {
    return clip_of(scene_, format_, *target_, clip, samples);
}

}  // namespace mellow
