// Runs a whole recipe, then opens the crate that came out and says what a player needs to know.
// Usage: 03_pack ORCHARD   (a folder made by `mellow demo ORCHARD --data-only`)
#include <fmt/core.h>

#include "mellow/mellow.h"

namespace {

mellow::Result<bool> pack_tamsin(const std::filesystem::path& folder) {
    MELLOW_TRY(const mellow::Recipe recipe, mellow::read_recipe(folder / "tamsin.recipe.toml"));
    mellow::PackOptions options;
    options.replace = true;
    MELLOW_TRY(const mellow::PackReport report, mellow::pack(recipe, options));
    for (const mellow::PackedClip& clip : report.clips)
        fmt::print("{:6} worst joint {:.6f} mm, worst vertex {:.6f} mm\n", clip.clip.name,
                   clip.proof.position_mm.worst, clip.proof.vertex_mm.worst);

    MELLOW_TRY(const mellow::Crate crate, mellow::open_crate(report.folder));
    for (const mellow::ClipInfo& clip : crate.clips)
        fmt::print("{:6} {:3} samples, {:.3f} s, {}, {:.3f} m forward per round\n", clip.name,
                   clip.samples, clip.seconds(), name(clip.loop), clip.travel.step.z);
    return report.proven && crate.clips.size() == 3;
}

}  // namespace

int main(int argc, char** argv) {
    if (argc != 2) return 2;
    const auto packed = pack_tamsin(argv[1]);
    if (!packed) fmt::print(stderr, "{}\n", mellow::to_text(packed.failure()));
    return !packed ? 3 : packed.value() ? 0 : 1;
}
