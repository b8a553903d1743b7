// Bakes one range of a rigged scene onto the deform joints in one call, and looks at the samples.
// Usage: 02_bake ORCHARD   (a folder made by `mellow demo ORCHARD --data-only`)
#include <fmt/core.h>

#include "mellow/mellow.h"

namespace {

mellow::Status bake_walk(const std::filesystem::path& folder) {
    mellow::BakeFileOptions walk;
    // The file claims metres and +Y up; this is what its numbers really are.
    walk.truth = {.metres_per_unit = 0.01,
                  .up = mellow::Axis::kPlusZ,
                  .front = mellow::Axis::kMinusY,
                  .rate = {}};
    walk.rig = folder / "tamsin.rig.toml";
    walk.first = 108, walk.last = 132, walk.loop = true;
    walk.rate = mellow::FrameRate{30, 1};
    MELLOW_TRY(const mellow::BakedFile baked, mellow::bake_file(folder / "tamsin.glb", walk));
    fmt::print("{} joints, {} samples from {} rules; keys at {}/s\n", baked.skeleton.size(),
               baked.clip.samples, baked.sheet.rules.size(), to_text(baked.scene.rate));

    const auto foot = static_cast<std::size_t>(baked.skeleton.find("orchard:foot.L"));
    for (int k = 0; k < baked.clip.samples; k += 10) {
        const mellow::Quat q = local_at(baked.clip.joints[foot], k).r;
        fmt::print("foot.L at sample {:2}: [{:+.4f}, {:+.4f}, {:+.4f}, {:+.4f}]\n", k, q.x, q.y,
                   q.z, q.w);
    }
    if (baked.clip.samples == 31 && baked.losses[foot].fastest_turn_rad > 0.01) return {};
    return mellow::Finding{
        mellow::Code::kNoMotion, mellow::Severity::kStop, "walk", "a still foot", "", ""};
}

}  // namespace

int main(int argc, char** argv) {
    if (argc != 2) return 2;
    const mellow::Status status = bake_walk(argv[1]);
    if (!status) fmt::print(stderr, "{}\n", mellow::to_text(status.failure()));
    return status ? 0 : 3;
}
