// Puts a baked walk back onto Tamsin's controls, turns her chest by 20 degrees with a layer, and
// bakes it again.
// Usage: example_04_lift FOLDER_WITH_THE_DEMO_DATA
#include <fmt/core.h>

#include <numbers>

#include "mellow/bake.h"
#include "mellow/fit.h"
#include "mellow/lift.h"
#include "mellow/read.h"
#include "mellow/rig.h"
#include "mellow/rig_stock.h"

namespace {

mellow::Status lift_and_turn(const std::filesystem::path& folder) {
    MELLOW_TRY(mellow::ReadResult read, mellow::read_scene(folder / "tamsin.glb"));
    mellow::Scene& scene = read.scene;
    scene.convention = {0.01, mellow::Axis::kPlusZ, mellow::Axis::kMinusY};  // what it really is
    scene.rate = {24, 1};
    MELLOW_TRY(mellow::RigSheet sheet, mellow::read_rig_sheet(folder / "tamsin.rig.toml"));
    convert(sheet, mellow::Conversion(scene.convention, {}));
    convert(scene, {});

    // The walk as an engine has it: joints only.
    MELLOW_TRY(const mellow::Rig rig, mellow::Rig::bind(scene, 0, sheet));
    MELLOW_TRY(const mellow::ChosenJoints joints, mellow::choose_joints(scene, {}));
    const mellow::SamplePlan walk{"walk", 108, 132, {24, 1}, {30, 1}, 31, true};
    const mellow::Clip clip = bake(scene, rig.source(), walk, joints.skeleton, joints.sources).clip;
    const mellow::Scene engine = mellow::assemble_clip(joints.skeleton, clip, "");

    // Back onto the controls, and evaluated again: how far off?
    MELLOW_TRY(const mellow::Lifted lifted, mellow::lift(scene, sheet, engine, 0));
    double worst = 0;
    for (const mellow::LiftError& e : lifted.errors) worst = std::max(worst, e.worst_mm);
    fmt::print("{} controls keyed; evaluated again, the worst joint is {:.6f} mm off\n",
               lifted.controls.size(), worst);

    // A layer on the chest's control, over the lifted walk.
    scene.timelines.push_back(lifted.timeline);
    scene.rate = lifted.rate;
    mellow::Performance turned;
    turned.timeline = static_cast<int>(scene.timelines.size()) - 1;
    turned.layers.emplace_back();
    turned.layers[0].mask = mellow::parse_mask({"chest_ctl"});
    turned.layers[0].axis = {0, 1, 0};
    turned.layers[0].degrees = 20;
    turned.layers[0].world_axis = true;
    MELLOW_TRY(const mellow::Rig again, mellow::Rig::bind(scene, turned, sheet));
    const mellow::SamplePlan plan{"turned", 0, 30, {30, 1}, {30, 1}, 31, true};
    const mellow::Clip baked =
        bake(scene, again.source(), plan, joints.skeleton, joints.sources).clip;
    const auto chest = static_cast<std::size_t>(joints.skeleton.find("orchard:chest"));
    const double turn =
        180 / std::numbers::pi *
        angle_between(local_at(baked.joints[chest], 12).r, local_at(clip.joints[chest], 12).r);
    fmt::print("with the layer the chest is turned by {:.4f} degrees more\n", turn);
    if (worst < 0.01 && std::abs(turn - 20) < 1e-3) return {};
    return mellow::Finding{
        mellow::Code::kProofFailed, mellow::Severity::kStop, "lift", "not as promised", "", ""};
}

}  // namespace

int main(int argc, char** argv) {
    const mellow::Status status = lift_and_turn(argc > 1 ? argv[1] : ".");
    if (!status) fmt::print(stderr, "{}\n", to_text(status.failure()));
    return status ? 0 : 1;
}
