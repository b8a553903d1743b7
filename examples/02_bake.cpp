// Binds a rig sheet to a scene and bakes one range of it onto the deform joints, step by step.
// Usage: 02_bake ORCHARD   (a folder made by `mellow demo ORCHARD --data-only`)
#include <fmt/core.h>

#include "mellow/bake.h"
#include "mellow/read.h"
#include "mellow/rig.h"
#include "mellow/shape.h"

namespace {

mellow::Status bake_walk(const std::filesystem::path& folder) {
    MELLOW_TRY(mellow::ReadResult read, mellow::read_scene(folder / "tamsin.glb"));
    MELLOW_TRY(const mellow::Bytes text, mellow::read_file(folder / "tamsin.rig.toml"));
    MELLOW_TRY(mellow::RigSheet sheet,
               mellow::parse_rig_sheet({reinterpret_cast<const char*>(text.data()), text.size()},
                                       "tamsin.rig.toml"));
    // What the numbers are, then everything into metres, +Y up: keys, meshes and the sheet's axes.
    mellow::Scene& scene = read.scene;
    scene.convention = {0.01, mellow::Axis::kPlusZ, mellow::Axis::kMinusY};
    convert(sheet, mellow::Conversion(scene.convention, {}));
    convert(scene, {});

    MELLOW_TRY(const mellow::Rig rig, mellow::Rig::bind(scene, 0, sheet));
    MELLOW_TRY(const mellow::ChosenJoints chosen, mellow::choose_joints(scene, {}));
    MELLOW_TRY(const mellow::PlannedRange planned,
               mellow::plan_range({"walk", 108, 132, true, "walk"}, 0, 240, {24, 1}, {30, 1}));
    const mellow::Baked baked =
        bake(scene, rig.source(), planned.plan, chosen.skeleton, chosen.sources);

    const int foot = chosen.skeleton.find("orchard:foot.L");
    const mellow::JointTrack& track = baked.clip.joints[static_cast<std::size_t>(foot)];
    fmt::print("{} joints, {} samples from {} rules\n", chosen.skeleton.size(), baked.clip.samples,
               sheet.rules.size());
    for (int k = 0; k < baked.clip.samples; k += 10) {
        const mellow::Quat q = local_at(track, k).r;
        fmt::print("foot.L at sample {:2}: [{:+.4f}, {:+.4f}, {:+.4f}, {:+.4f}]\n", k, q.x, q.y,
                   q.z, q.w);
    }
    if (baked.clip.samples != 31 ||
        baked.losses[static_cast<std::size_t>(foot)].fastest_turn_rad < 0.01)
        return mellow::Finding{
            mellow::Code::kNoMotion, mellow::Severity::kStop, "walk", "a still foot", "", ""};
    return {};
}

}  // namespace

int main(int argc, char** argv) {
    if (argc != 2) return 2;
    const mellow::Status status = bake_walk(argv[1]);
    if (!status) fmt::print(stderr, "{}\n", mellow::to_text(status.failure()));
    return status ? 0 : 3;
}
