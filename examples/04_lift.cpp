// Puts a baked walk back onto Tamsin's controls, turns her chest by 20 degrees with a layer, and
// bakes it again.
// Usage: example_04_lift FOLDER_WITH_THE_DEMO_DATA
#include <fmt/core.h>

#include <numbers>

#include "mellow/mellow.h"

namespace {

mellow::Status lift_and_turn(const std::filesystem::path& folder) {
    // The walk as an engine has it: joints only.
    mellow::BakeFileOptions walk;
    walk.truth = {.metres_per_unit = 0.01,
                  .up = mellow::Axis::kPlusZ,
                  .front = mellow::Axis::kMinusY,
                  .rate = {}};
    walk.rig = folder / "tamsin.rig.toml";
    walk.first = 108, walk.last = 132, walk.loop = true;
    walk.rate = mellow::FrameRate{30, 1};
    MELLOW_TRY(mellow::BakedFile baked, mellow::bake_file(folder / "tamsin.glb", walk));
    mellow::Scene& scene = baked.scene;
    const mellow::Scene engine = mellow::assemble_clip(baked.skeleton, baked.clip, "");

    // Back onto the controls, and evaluated again: how far off?
    MELLOW_TRY(const mellow::Lifted lifted, mellow::lift(scene, baked.sheet, engine, 0));
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
    turned.layers[0].body = mellow::OffsetLayer{{0, 1, 0}, 20, true, {}};
    MELLOW_TRY(const mellow::Rig again, mellow::Rig::bind(scene, turned, baked.sheet));
    mellow::Range whole;
    whole.name = "turned", whole.last = baked.clip.samples - 1, whole.play = mellow::Play::kLoop;
    MELLOW_TRY(const mellow::PlannedRange planned,
               mellow::plan_range(whole, 0, whole.last, scene.rate, scene.rate));
    const mellow::Clip again_baked =
        bake(take_of(scene, again.source(), baked.skeleton, baked.sources), planned.plan).clip;
    const auto chest = static_cast<std::size_t>(baked.skeleton.find("orchard:chest"));
    const double turn = 180 / std::numbers::pi *
                        angle_between(local_at(again_baked.joints[chest], 12).r,
                                      local_at(baked.clip.joints[chest], 12).r);
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
