// A small picture of each clip in the crate.
#include <fmt/format.h>

#include <algorithm>

#include "crate/file_names.h"
#include "disk/hash.h"
#include "mellow/parallel.h"
#include "pack/crate_output.h"

namespace mellow {
Status CrateOutput::draw_thumbnails() {
    const std::size_t count = report_.clips.size();
    std::vector<Findings> wrong(count);
    parallel_for(count, [&](std::size_t i) {
        PackedClip& packed = report_.clips[i];
        const auto draw = [&]() -> Status {
            MELLOW_TRY(const Scene motion, motion_of(packed));
            SheetClip clip;
            clip.scene = &motion;
            clip.samples = packed.clip.samples;
            clip.rate = packed.clip.rate;
            double through = 0.5;
            for (const ClipJob& job : jobs_.clips())
                if (job.clip.range.name == packed.clip.name) through = job.clip.thumbnail;
            const int sample = static_cast<int>(std::lround(through * (clip.samples - 1)));
            MELLOW_TRY(const Png png,
                       draw_pose(figure_->skin(), clip, sample, *recipe_.thumbnails));
            const std::string file = thumbnail_name(packed.clip.name);
            MELLOW_CHECK(folder()->write(file, png));
            packed.thumbnail = {FileRole::kThumbnail, file, png.size(), hash_hex(png)};
            return {};
        };
        wrong[i] = draw().failures();
    });
    for (Findings& why : wrong)
        if (!why.empty()) return std::move(why);
    return {};
}

}  // namespace mellow
