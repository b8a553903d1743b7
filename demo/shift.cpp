// A shift in the orchard: 24 motion files of one figure, as they come from many hands. Sorting is
// keyed on controls; carrying are captures with a calibration pose in front; climbing has names
// with another prefix; wheeling is baked, one of it COLLADA. A last one, in a folder of its own, is
// cut.
#include <fmt/format.h>

#include <cmath>
#include <cstring>

#include "mellow/bake.h"
#include "mellow/fit.h"
#include "mellow/rig.h"
#include "mellow/write.h"
#include "moment.h"
#include "orchard.h"

namespace orchard {
namespace {

using mellow::Clip;
using mellow::Scene;
using mellow::Vec3;

/// Apples from left to right at a table; the higher `way`, the farther she reaches.
Moment sort(double u, double way) {
    Moment m = at_ease();
    const double left = std::sin(kTurn * 2 * u), reach = 6 + 3 * way;
    m.shift["hips_ctl"] = m.shift["hips_ctl"] + Vec3{1.5 * std::sin(kTurn * u), -2, -1.5};
    m.rotate("spine_ctl", kX, 8);
    m.rotate("chest_ctl", kX, 10);
    m.rotate("chest_ctl", kZ, (5 + way) * left);
    m.rotate("head_ctl", kX, 12);
    m.rotate("head_ctl", kZ, 8 * left);
    m.shift["hand_goal.L"] =
        m.shift["hand_goal.L"] + Vec3{reach * left - 8, -26, 22 + 4 * std::cos(kTurn * 2 * u)};
    m.rotate("hand_goal.L", kX, 35);
    m.rotate("index_ctl.L", kY, 20 + 20 * left);
    m.blink = std::exp(-std::pow((u - 0.4) / 0.03, 2));
    return m;
}

/// Steps with a weight before the belly: short, low, leaning back.
Moment carry(double u, double way) {
    Moment m = at_ease();
    step(m, ".L", u, u);
    step(m, ".R", u < 0.5 ? u + 0.5 : u - 0.5, u);
    m.shift["hips_ctl"] = {10 * u + 2 * std::sin(kTurn * u), -100 * u,
                           -5 - way - 1.2 * std::cos(2 * kTurn * u)};
    m.rotate("hips_ctl", kX, -3 - 0.5 * way);
    m.rotate("chest_ctl", kX, -4 - way);
    m.shift["hand_goal.L"] = m.shift["hand_goal.L"] + Vec3{-14, -30, 18 - way};
    m.rotate("hand_goal.L", kX, 60);
    m.shift["pole_holder"] = m.shift["pole_holder"] + Vec3{-6, -14, 8};
    return m;
}

/// One rung up a ladder.
Moment climb(double u, double way) {
    Moment m = at_ease();
    const double rung = 24 + 2 * way;
    const double right = between(u, 0.05, 0.4), left = between(u, 0.5, 0.9),
                 rise = between(u, 0.2, 0.85);
    const auto lift = [](double v) { return 9 * std::sin(std::numbers::pi * v); };
    m.shift["foot_goal.R"] = {0, -12 * right - lift(right), rung * right + lift(right)};
    m.shift["foot_goal.L"] = {0, -12 * left - lift(left), rung * left + lift(left)};
    m.shift["hips_ctl"] =
        m.shift["hips_ctl"] + Vec3{3 * std::sin(kTurn * u), -10 * rise, rung * rise};
    m.rotate("chest_ctl", kX, 6);
    m.rotate("head_ctl", kX, -18 * rise);
    m.shift["hand_goal.L"] = m.shift["hand_goal.L"] + Vec3{-6, -30 - 10 * rise, 44 + rung * left};
    m.rotate("hand_goal.L", kX, 80);
    return m;
}

/// A barrow pushed ahead: both hands low, leaning on it.
Moment wheel(double u, double way) {
    Moment m = at_ease();
    step(m, ".L", u, u);
    step(m, ".R", u < 0.5 ? u + 0.5 : u - 0.5, u);
    m.shift["hips_ctl"] = {10 * u, -100 * u - 4, -7 - 1.5 * std::cos(2 * kTurn * u)};
    m.rotate("spine_ctl", kX, 10 + way);
    m.rotate("chest_ctl", kX, 6);
    m.rotate("head_ctl", kX, -12);
    m.shift["hand_goal.L"] = m.shift["hand_goal.L"] + Vec3{-4, -24, 6 + std::sin(2 * kTurn * u)};
    m.shift["pole_holder"] = m.shift["pole_holder"] + Vec3{-2, -10, 4};
    m.rotate("pole_holder", kX, 30 + 2 * way);
    return m;
}

using Chore = Moment (*)(double u, double way);

/// Tamsin's scene with one chore on its only timeline.
Scene at_work(const Scene& tamsin, Chore chore, int way, const std::string& name) {
    Scene scene = tamsin;
    const int frames = 40 + 4 * way;
    scene.timelines = {
        perform(scene, {{0, frames, [=](double u) { return chore(u, way); }}}, name)};
    return scene;
}

struct BakedChore {
    mellow::Skeleton skeleton;
    Clip clip;
};

/// The chore on joints alone, at 30 samples a second, names without prefix.
BakedChore bake_chore(Scene scene, const mellow::RigSheet& sheet) {
    mellow::to_inside(scene);
    const mellow::Rig rig = mellow::Rig::bind(scene, 0, sheet).value();
    const mellow::ChosenJoints chosen = mellow::choose_joints(scene, {}).value();
    const auto last = mellow::frames_of(scene.timelines[0], scene.rate).last;
    const mellow::SamplePlan plan{
        scene.timelines[0].name.substr(kPrefix.size()), 0,    last, {24, 1}, {30, 1},
        static_cast<int>(last * 30 / 24) + 1,           false};
    std::vector<mellow::Joint> joints = chosen.skeleton.joints();
    for (mellow::Joint& joint : joints) joint.name = joint.name.substr(kPrefix.size());
    return {
        mellow::Skeleton::make(std::move(joints)).value(),
        mellow::bake(mellow::take_of(scene, rig.source(), chosen.skeleton, chosen.sources), plan)
            .clip};
}

mellow::Skeleton with_prefix(const mellow::Skeleton& skeleton, const std::string& prefix) {
    std::vector<mellow::Joint> joints = skeleton.joints();
    for (mellow::Joint& joint : joints) joint.name = prefix + joint.name;
    return mellow::Skeleton::make(std::move(joints)).value();
}

/// A capture begins with all joints at rest.
void calibrate(Clip& clip, const mellow::Skeleton& skeleton) {
    ++clip.samples, ++clip.period;
    for (int j = 0; j < skeleton.size(); ++j) {
        mellow::JointTrack& t = clip.joints[static_cast<std::size_t>(j)];
        mellow::JointTrack all = mellow::make_tracks(1, 1)[0];
        mellow::store(all, 0, skeleton[j].rest);
        const auto behind = [](std::vector<float>& front, std::vector<float>& list) {
            front.insert(front.end(), list.begin(), list.end());
            list = std::move(front);
        };
        behind(all.translation, t.translation);
        behind(all.rotation, t.rotation);
        behind(all.scale, t.scale);
    }
}

}  // namespace

std::vector<File> shift_files(int each) {
    const Scene tamsin = tamsin_scene();
    mellow::RigSheet sheet = mellow::parse_rig_sheet(kTamsinRig, "tamsin.rig.toml").value();
    convert(sheet, mellow::Conversion({0.01, mellow::Axis::kPlusZ, mellow::Axis::kMinusY}, {}));
    const mellow::Convention centimetres{0.01, mellow::Axis::kPlusY, mellow::Axis::kPlusZ};
    const auto rigged = [&](Chore chore, int way, const std::string& name) {
        Scene scene = at_work(tamsin, chore, way, name);
        scene.convention = {0.01, mellow::Axis::kPlusZ, mellow::Axis::kMinusY};
        return bake_chore(std::move(scene), sheet);
    };
    std::vector<File> files;
    std::string first_capture;
    for (int i = 0; i < each; ++i) {
        const auto name = [&](const char* chore) { return fmt::format("{}_{}", chore, i + 1); };
        // Controls alone: no skin, no vertices.
        Scene keyed = at_work(tamsin, sort, i, name("sort"));
        for (mellow::Node& node : keyed.nodes) node.mesh = node.skin = mellow::kNone;
        keyed.meshes.clear(), keyed.skins.clear(), keyed.materials.clear(), keyed.images.clear();
        keyed.textures.clear(), keyed.samplers.clear();
        std::erase_if(keyed.timelines[0].channels,
                      [](const mellow::Channel& c) { return c.path == mellow::Path::kWeights; });
        files.push_back({"motions/sorting/" + name("sort") + ".glb", "sorting, keyed on controls",
                         mellow::write_glb(keyed)});
        BakedChore carried = rigged(carry, i, name("carry"));
        calibrate(carried.clip, carried.skeleton);
        const std::string bvh = mellow::write_bvh(carried.skeleton, carried.clip,
                                                  mellow::Conversion({}, centimetres), {})
                                    .value()
                                    .text;
        if (i == 0) first_capture = bvh;
        files.push_back({"motions/carrying/" + name("carry") + ".bvh",
                         "carrying a basket, a capture in centimetres", bytes_of(bvh)});
        const BakedChore up = rigged(climb, i, name("climb"));
        files.push_back({"motions/climbing/" + name("climb") + ".glb",
                         "climbing, names with another prefix",
                         mellow::write_glb(mellow::assemble_clip(with_prefix(up.skeleton, "mixed_"),
                                                                 up.clip, ""))});
        const BakedChore pushed = rigged(wheel, i, name("wheel"));
        const Scene baked = mellow::assemble_clip(pushed.skeleton, pushed.clip, "");
        if (i + 1 < each)
            files.push_back({"motions/wheeling/" + name("wheel") + ".glb", "wheeling a barrow",
                             mellow::write_glb(baked)});
        else
            files.push_back(
                {"motions/wheeling/" + name("wheel") + ".dae", "wheeling a barrow, COLLADA",
                 std::move(
                     mellow::write_collada(baked, name("wheel"), {}).value().files[0].bytes)});
    }
    files.push_back({"broken/carry_7.bvh", "a capture that was cut short",
                     bytes_of(first_capture.substr(0, first_capture.size() / 2 - 7))});
    files.push_back(
        {"shift.recipe.toml", "all motions of the shift in one crate", bytes_of(kShiftRecipe)});
    files.push_back({"round.recipe.toml", "clips made of some of them", bytes_of(kRoundRecipe)});
    files.push_back({"before.recipe.toml", "two of them as they were", bytes_of(kBeforeRecipe)});
    files.push_back({"yard.recipe.toml", "what a game needs of Tamsin", bytes_of(kYardRecipe)});
    files.push_back({"yard.states.toml", "which clip it plays when", bytes_of(kYardStates)});
    files.push_back({"yard.script.csv", "fourteen seconds of play", bytes_of(kYardScript)});
    return files;
}

}  // namespace orchard
