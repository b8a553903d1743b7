// Computes a motion that stands in no file, bakes it and writes a proven crate, without a recipe.
// Usage: 10_computed ORCHARD   (a folder made by `mellow demo ORCHARD --data-only`)
#include <fmt/core.h>

#include <cmath>
#include <numbers>

#include "mellow/mellow.h"

namespace {

mellow::Status breathe(const std::filesystem::path& folder) {
    // Only the figure is taken from the file: its meshes, its skeleton at rest.
    mellow::BakeFileOptions options;
    options.truth = {.metres_per_unit = 0.01,
                     .up = mellow::Axis::kPlusZ,
                     .front = mellow::Axis::kMinusY,
                     .rate = {}};
    options.rig = folder / "tamsin.rig.toml";
    MELLOW_TRY(mellow::BakedFile figure, mellow::bake_file(folder / "tamsin.glb", options));
    MELLOW_CHECK(mellow::add_root(figure.skeleton, figure.sources, "root"));

    // Every four seconds she breathes: the chest leans back by two degrees, the head ahead by one.
    const auto chest = static_cast<std::size_t>(figure.skeleton.find("orchard:chest"));
    const auto head = static_cast<std::size_t>(figure.skeleton.find("orchard:head"));
    const auto lean = [](double degrees) {
        return mellow::from_axis_angle({1, 0, 0}, degrees * std::numbers::pi / 180);
    };
    const mellow::Take breath = mellow::take_of(
        figure.skeleton,
        [=](double seconds, std::span<mellow::Transform> joints) {
            const double air = 0.5 - 0.5 * std::cos(seconds * std::numbers::pi / 2);
            joints[chest].r = joints[chest].r * lean(-2 * air);
            joints[head].r = joints[head].r * lean(air);
        },
        {.mounts = mellow::find_mounts(figure.scene, nullptr, figure.skeleton, figure.sources),
         .morphs = mellow::morph_channels(figure.scene)});

    const mellow::SamplePlan plan{"breathe", 0, 120, {30, 1}, {30, 1}, 121, true};
    MELLOW_TRY(const mellow::Target target, mellow::find_target("z-up-centimetre-left"));
    MELLOW_TRY(const mellow::PackReport report,
               mellow::write_crate(folder / "crates/breath",
                                   {figure.scene, figure.skeleton, figure.sources},
                                   {{mellow::bake(breath, plan).clip, breath, plan, "computed"}},
                                   target, {.name = "tamsin", .tolerance = {}, .replace = true}));
    mellow::report_summary(report, [](std::string_view text) { fmt::print("{}", text); });

    MELLOW_TRY(const mellow::Crate crate, mellow::open_crate(report.folder));
    if (report.proven && crate.clips.size() == 1 && crate.clips[0].seconds() == 4) return {};
    return report.findings;
}

}  // namespace

int main(int argc, char** argv) {
    if (argc != 2) return 2;
    const mellow::Status status = breathe(argv[1]);
    if (!status) fmt::print(stderr, "{}\n", mellow::to_text(status.failure()));
    return status ? 0 : 3;
}
