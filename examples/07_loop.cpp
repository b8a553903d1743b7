// Finds where a range could loop and closes the gap that is left.
// Usage: 07_loop ORCHARD   (a folder made by `mellow demo ORCHARD --data-only`)
#include <fmt/core.h>

#include "mellow/mellow.h"

namespace {

constexpr double kDegrees = 57.29577951308232;

mellow::Status find_and_close(const std::filesystem::path& folder) {
    // One of the files of joints: Tamsin wheels her barrow. Its timeline is no loop.
    MELLOW_TRY(mellow::ReadResult read,
               mellow::read_scene(folder / "motions/wheeling/wheel_1.glb"));
    mellow::Scene scene = std::move(read.scene);
    mellow::to_inside(scene);
    MELLOW_TRY(mellow::ChosenJoints chosen, mellow::choose_joints(scene, {}));
    MELLOW_CHECK(mellow::add_root(chosen.skeleton, chosen.sources, "root"));
    MELLOW_TRY(mellow::Rig rig, mellow::Rig::bind(scene, 0, {}));
    const mellow::Take take =
        mellow::play(scene, std::make_shared<const mellow::Rig>(std::move(rig)), chosen.skeleton,
                     chosen.sources);
    int hips = chosen.skeleton.find("mixed_hips");
    if (hips < 0) hips = chosen.skeleton.find("hips");
    if (hips < 0)
        return mellow::Finding{mellow::Code::kNameUnknown,
                               mellow::Severity::kStop,
                               "wheel_1.glb",
                               "no hips",
                               "a joint of that name",
                               ""};

    const auto [first, last] = mellow::key_span(scene.timelines[0]);
    const int samples = static_cast<int>((last - first) * 30 + 1e-6) + 1;
    const mellow::Clip whole =
        mellow::bake(take, {"wheel", 0, samples - 1, {30, 1}, {30, 1}, samples, false}).clip;
    const auto ends = mellow::find_loop_ends(whole, chosen.skeleton, hips, samples / 4);
    for (const mellow::LoopEnd& end : ends)
        fmt::print("sample {:2}: {:.2f} mm and {:.2f} degrees from the first\n", end.sample,
                   end.place_m * 1000, end.turn_rad * kDegrees);
    if (ends.empty())
        return mellow::Finding{
            mellow::Code::kLoopOpen, mellow::Severity::kStop, "wheel", "no end", "", ""};

    // Played to there, and closed over the last third of a second; the way of the hips stays.
    mellow::ShapedTake loop{take, ends[0].sample / 30.0};
    const mellow::Repaired closed =
        mellow::repair_loop(loop, {1 / 3.0, hips, true, true}, mellow::RootKind::kAdded);
    fmt::print("closed by up to {:.2f} mm at {}\n", closed.place_m * 1000, closed.place_joint);
    mellow::Clip clip =
        mellow::bake(closed.take,
                     {"wheel", 0, ends[0].sample, {30, 1}, {30, 1}, ends[0].sample + 1, true})
            .clip;
    mellow::extract_travel(clip, chosen.skeleton, hips, {true, false, true});
    const mellow::LoopGap gap = mellow::loop_gap(clip, chosen.skeleton);
    fmt::print("gap {:.4f} mm, a step of {:.3f} m\n", gap.distance_m * 1000,
               clip.travel.distance_m);
    if (gap.distance_m < 1e-5 && gap.angle_rad < 1e-3 && clip.travel.distance_m > 0.1) return {};
    return mellow::Finding{
        mellow::Code::kLoopOpen, mellow::Severity::kStop, "wheel", "a gap", "none", ""};
}

}  // namespace

int main(int argc, char** argv) {
    if (argc != 2) return 2;
    const mellow::Status status = find_and_close(argv[1]);
    if (!status) fmt::print(stderr, "{}\n", mellow::to_text(status.failure()));
    return status ? 0 : 3;
}
