// Joins, repeats and mirrors takes, step by step: what stands behind [[clip.part]] of a recipe.
// Usage: 06_join ORCHARD   (a folder made by `mellow demo ORCHARD --data-only`)
#include <fmt/core.h>

#include "mellow/mellow.h"

namespace {

mellow::Status join_walks(const std::filesystem::path& folder) {
    // Tamsin, as a take of her whole day.
    MELLOW_TRY(mellow::ReadResult read, mellow::read_scene(folder / "tamsin.glb"));
    mellow::Scene scene = std::move(read.scene);
    MELLOW_CHECK(mellow::overrule(scene, {0.01, mellow::Axis::kPlusZ, mellow::Axis::kMinusY, {}},
                                  read.keys_on_frames));
    MELLOW_TRY(mellow::RigSheet sheet, mellow::read_rig_sheet(folder / "tamsin.rig.toml"));
    mellow::convert(sheet, mellow::Conversion(scene.convention, {}));
    mellow::to_inside(scene);
    MELLOW_TRY(mellow::Rig rig, mellow::Rig::bind(scene, 0, sheet));
    MELLOW_TRY(mellow::ChosenJoints chosen, mellow::choose_joints(scene, {}, rig.driven_nodes()));
    MELLOW_CHECK(mellow::add_root(chosen.skeleton, chosen.sources, "root"));
    const mellow::Take day =
        mellow::play(scene, std::make_shared<const mellow::Rig>(std::move(rig)), chosen.skeleton,
                     chosen.sources);
    const int hips = chosen.skeleton.find("orchard:hips");

    // Frames 108 to 132 at 24 a second are the walk: three of them, each where the last one ended.
    mellow::JoinPart walk;
    walk.name = "walk";
    walk.take = day;
    walk.seconds = 1;
    walk.time = mellow::even_time(108 / 24.0, 132 / 24.0, walk.seconds);
    walk.align.joint = hips;
    // And one more that begins with the other foot, over a fifth of a second.
    mellow::JoinPart other = walk;
    MELLOW_TRY(const mellow::MirrorPairs pairs, mellow::mirror_pairs(day, {}));
    other.take = mellow::mirror(day, pairs, mellow::RootKind::kAdded).take;
    other.overlap = 0.2;
    MELLOW_TRY(const mellow::Joined joined,
               mellow::join({walk, walk, walk, other}, mellow::RootKind::kAdded));
    for (const mellow::PlacedPart& part : joined.parts)
        fmt::print("{} from {:.1f} to {:.1f} s, moved by {:+.3f} {:+.3f} m\n", part.name,
                   part.first, part.last, part.placed.t.x, part.placed.t.z);

    mellow::Clip clip =
        mellow::bake(joined.shaped.take, {"walks", 0, 114, {30, 1}, {30, 1}, 115, false}).clip;
    mellow::extract_travel(clip, chosen.skeleton, hips, {true, false, true});
    fmt::print("{} samples, {:.3f} m travelled\n", clip.samples, clip.travel.distance_m);
    // Three steps of 1.005 m, and what the mirrored one has left of its own.
    if (clip.travel.distance_m > 3.7 && clip.travel.distance_m < 4.1) return {};
    return mellow::Finding{
        mellow::Code::kNoMotion, mellow::Severity::kStop, "walks", "another way", "", ""};
}

}  // namespace

int main(int argc, char** argv) {
    if (argc != 2) return 2;
    const mellow::Status status = join_walks(argv[1]);
    if (!status) fmt::print(stderr, "{}\n", mellow::to_text(status.failure()));
    return status ? 0 : 3;
}
