// Packs a crate from many motion files of one figure, changes one range, and packs again: only the
// clip that is stale is baked.
// Usage: 05_many ORCHARD   (a folder made by `mellow demo ORCHARD --data-only`)
#include <fmt/core.h>

#include "mellow/mellow.h"

namespace {

mellow::Finding unexpected(const std::string& found, const std::string& expected) {
    return {mellow::Code::kProofFailed, mellow::Severity::kStop, "shift", found, expected, ""};
}

mellow::Status pack_shift(const std::filesystem::path& folder) {
    MELLOW_TRY(mellow::Recipe recipe, mellow::read_recipe(folder / "shift.recipe.toml"));
    recipe.output = folder / "many";
    recipe.picture = false;
    mellow::PackOptions again;
    again.replace = true;
    MELLOW_TRY(const mellow::PackPlan plan, mellow::plan_pack(recipe, again));
    fmt::print("{} motion files, {} clips\n", plan.motion_files, plan.clips.size());
    MELLOW_TRY(const mellow::PackReport first, mellow::pack(recipe, again));
    for (const mellow::PackedClip& clip : first.clips)
        fmt::print("{:18} {:3} samples, worst {:.2g} mm{}\n", clip.clip.name, clip.clip.samples,
                   clip.proof.position_mm.worst,
                   clip.motion.empty() ? "" : ", from " + clip.motion);

    recipe.clips[0].range.last += 24;  // "rest" lasts a second longer
    recipe.hash.clear();               // the recipe is no longer its text
    MELLOW_TRY(const mellow::PackReport second, mellow::pack(recipe, again));
    fmt::print("{} of {} packed, {} unchanged\n", second.clips.size() - second.reused,
               second.clips.size(), second.reused);
    if (plan.motion_files != 24 || first.clips.size() != 25 || !second.proven)
        return unexpected(fmt::format("{} clips", first.clips.size()), "25 clips, proven");
    if (second.reused + 1 != second.clips.size())
        return unexpected(fmt::format("{} taken over", second.reused), "all but one");
    return {};
}

}  // namespace

int main(int argc, char** argv) {
    if (argc != 2) return 2;
    const mellow::Status status = pack_shift(argv[1]);
    if (!status) fmt::print(stderr, "{}\n", mellow::to_text(status.failure()));
    return status ? 0 : 3;
}
