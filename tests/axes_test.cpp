// Joints that take the axes of another skeleton, and joints whose scale goes into offsets.
#include <gtest/gtest.h>

#include <cmath>
#include <nlohmann/json.hpp>

#include "base/at.h"
#include "mellow/bake.h"
#include "mellow/fit.h"
#include "mellow/playback.h"
#include "mellow/pose.h"
#include "mellow/prove.h"
#include "packing.h"
#include "rigs.h"

namespace mellow {
namespace {

using namespace test;
using test::read_text;

const SamplePlan kSecond{"second", 0, 10, {10, 1}, {10, 1}, 11, false};

/// hip, knee and foot with axes of their own, a helper between the first two, all turning.
Scene leg() {
    Scene scene;
    scene.rate = {10, 1};
    const int hip = add_node(scene, "hip", kNone, {{0, 1, 0}, turn(kX, 20), {1, 1, 1}});
    const int helper = add_node(scene, "helper", hip, {{0.1, 0, 0}, turn(kZ, -35), {1, 1, 1}});
    const int knee = add_node(scene, "knee", helper, {{0, -0.5, 0.1}, turn(kY, 70), {1, 1, 1}});
    add_node(scene, "foot", knee, {{0, -0.4, 0}, turn(kX, 45), {1, 1, 1}});
    for (const int node : {hip, helper, knee}) {
        const Quat rest = scene.nodes[at(node)].local.r;
        key_turn(scene, node, rest, rest * turn({0.6, 0, 0.8}, 50));
    }
    key(scene, hip, Path::kTranslation, {0, 1, 0}, {1, 1, 2});
    scene.skins.push_back({"leg", {hip, knee, 3}, std::vector<Affine>(3), kNone, {}, {}});
    return scene;
}

struct Rebaked {
    ChosenJoints joints;
    Clip clip;
};

Rebaked bake_with(const Scene& scene, const JointChoice& choice) {
    Rebaked made{choose_joints(scene, choice).value(), {}};
    const Rig rig = Rig::bind(scene, 0, {}).value();
    made.clip =
        bake(
            take_of(scene, rig.source(take_needs(scene, made.joints.skeleton, made.joints.sources)),
                    made.joints.skeleton, made.joints.sources),
            kSecond)
            .clip;
    return made;
}

/// World matrices of all joints at a sample, multiplied up here.
std::vector<Affine> worlds(const Rebaked& made, int sample) {
    std::vector<Affine> out;
    for (int j = 0; j < made.joints.skeleton.size(); ++j) {
        const int parent = made.joints.skeleton[j].parent;
        const Affine local = to_affine(local_at(made.clip.joints[at(j)], sample));
        out.push_back(parent < 0 ? local : out[at(parent)] * local);
    }
    return out;
}

JointChoice with_axes(std::map<std::string, Quat> axes) {
    JointChoice choice;
    choice.axes = std::move(axes);
    return choice;
}

const std::map<std::string, Quat> kStandard{
    {"hip", {}}, {"knee", turn(kZ, 90)}, {"foot", turn({0, 0.6, 0.8}, 120)}};

TEST(AxesTest, PlacesStayAndAxesAreThoseAskedFor) {
    const Scene scene = leg();
    const Rebaked own = bake_with(scene, {}), turned = bake_with(scene, with_axes(kStandard));
    const std::vector<Affine> rest = rest_worlds(scene), got = turned.joints.skeleton.rest_worlds();
    const int nodes[] = {0, 2, 3};
    for (int j = 0; j < 3; ++j) {
        const std::string& name = turned.joints.skeleton[j].name;
        EXPECT_LT(angle(rotation_of(got[at(j)]), kStandard.at(name)), 1e-6) << name;
        // Each joint goes on turning with its node: by the same turn of the world, from rest.
        const Quat rest_turn = rotation_of(rest[at(nodes[j])]);
        for (int k = 0; k < kSecond.samples; ++k) {
            const Affine a = worlds(own, k)[at(j)], b = worlds(turned, k)[at(j)];
            EXPECT_LT(length(a.o - b.o), 1e-6) << name << " " << k;
            const Quat away = rotation_of(a) * conjugate(rest_turn);
            EXPECT_LT(angle(rotation_of(b), away * kStandard.at(name)), 1e-4) << name << " " << k;
        }
    }
}

TEST(AxesTest, TheWayBackGivesTheFirstClip) {
    const Scene scene = leg();
    const Rebaked own = bake_with(scene, {}), turned = bake_with(scene, with_axes(kStandard));
    // The turned clip as a source of its own, whose joints shall have the first axes again.
    Scene back;
    back.rate = {10, 1};
    std::map<std::string, Quat> first;
    for (int j = 0; j < 3; ++j) {
        const Joint& joint = turned.joints.skeleton[j];
        add_node(back, joint.name, joint.parent, joint.rest);
        first[joint.name] = rotation_of(own.joints.skeleton.rest_worlds()[at(j)]);
        std::vector<double> seconds, places, turns;
        for (int k = 0; k < kSecond.samples; ++k) {
            const Transform local = local_at(turned.clip.joints[at(j)], k);
            seconds.push_back(k * 0.1);
            places.insert(places.end(), {local.t.x, local.t.y, local.t.z});
            turns.insert(turns.end(), {local.r.x, local.r.y, local.r.z, local.r.w});
        }
        if (back.timelines.empty()) back.timelines.emplace_back();
        auto& channels = back.timelines[0].channels;
        channels.push_back({j, Path::kTranslation, {Interpolation::kLinear, 3, seconds, places}});
        channels.push_back({j, Path::kRotation, {Interpolation::kLinear, 4, seconds, turns}});
    }
    const Rebaked again = bake_with(back, with_axes(first));
    for (int j = 0; j < 3; ++j) {
        for (int k = 0; k < kSecond.samples; ++k) {
            const Transform a = local_at(own.clip.joints[at(j)], k),
                            b = local_at(again.clip.joints[at(j)], k);
            EXPECT_LT(length(a.t - b.t), 1e-6) << j << " " << k;
            EXPECT_LT(angle(a.r, b.r), 1e-4) << j << " " << k;
        }
    }
}

TEST(AxesTest, SkinsBoundInAnotherPoseGoWithTheirJoints) {
    Scene scene = leg();
    // Bound as if each joint had stood elsewhere, and each differently.
    for (int i = 0; i < 3; ++i)
        scene.skins[0].inverse_binds[at(i)] =
            to_affine({{0.1 * i, -0.2, 0.3}, turn(kY, 25.0 * i + 10), {1, 1, 1}});
    Primitive primitive;
    primitive.influences_per_vertex = 4;
    for (std::uint16_t v = 0; v < 3; ++v) {
        primitive.positions.push_back({0.1F * static_cast<float>(v), 0.5F, 0.2F});
        const std::uint16_t next = v == 2 ? 0 : static_cast<std::uint16_t>(v + 1);
        primitive.influence_joints.insert(primitive.influence_joints.end(), {v, next, 0, 0});
        primitive.influence_weights.insert(primitive.influence_weights.end(), {0.75F, 0.25F, 0, 0});
    }
    primitive.indices = {0, 1, 2};
    scene.meshes.push_back({"cloth", {primitive}, {}, {}, {}, {}});
    const int mesh = add_node(scene, "cloth", kNone, {});
    scene.nodes[at(mesh)].mesh = 0;
    scene.nodes[at(mesh)].skin = 0;
    const Rebaked made = bake_with(scene, with_axes(kStandard));
    const Rig rig = Rig::bind(scene, 0, {}).value();
    const PoseSource poses = rig.source();
    const Scene skin = assemble_skin(scene, made.joints.skeleton, made.joints.sources).scene,
                clip = assemble_clip(made.joints.skeleton, made.clip, "");
    const auto proof = test::prove(scene, poses, kSecond, made.joints, skin, clip);
    ASSERT_THAT(proof, IsOk());
    EXPECT_EQ(proof.value().vertex_mm.count, 33U);
    EXPECT_LT(proof.value().vertex_mm.worst, 0.001);
    EXPECT_LT(proof.value().rotation_degrees.worst, 1e-4);
}

// ------------------------------------------------------------------------------------ in a recipe

/// Tamsin's recipe with a [joints] table of one line.
std::string recipe_with(const std::string& line) {
    return change(change(orchard::kTamsinRecipe, "[target]", "[joints]\n" + line + "\n\n[target]"),
                  "name = \"tamsin\"", "name = \"tamsin\"\n" + test::kNoPicture);
}

struct AxesRecipeTest : testing::Test {
    void SetUp() override { test::write_files(folder.path(), test::tamsin()); }
    /// A skeleton of these joints, whose axes are those of the world.
    void write_standard(const std::vector<std::string>& joints) const {
        std::string text = "HIERARCHY\nROOT top\n{\nOFFSET 0 0 0\nCHANNELS 0\n";
        for (const std::string& joint : joints)
            text += "JOINT " + joint +
                    "\n{\nOFFSET 0 1 0\nCHANNELS 0\nEnd Site\n{\nOFFSET 0 1 0\n}\n}\n";
        test::write_text(folder / "standard.bvh",
                         text + "}\nMOTION\nFrames: 1\nFrame Time: 0.1\n\n");
    }
    TempFolder folder;
};

TEST_F(AxesRecipeTest, AFileSaysHowAxesLieAndTheRestIsSaid) {
    write_standard({"hips", "thigh.L", "hand.R"});
    const auto packed = pack_text(folder, recipe_with("axes = \"standard.bvh\""));
    ASSERT_THAT(packed, IsOk());
    EXPECT_TRUE(packed.value().proven);
    ASSERT_EQ(packed.value().turns.size(), 3U);
    const Findings said = of_code(packed.value(), Code::kAssumed);
    ASSERT_FALSE(said.empty());
    EXPECT_NE(said.back().found.find("25 of 28 joints"), std::string::npos) << said.back().found;
    const Scene skin = read_scene(folder / "crates/tamsin/tamsin.glb").value().scene;
    const std::vector<Affine> rest = rest_worlds(skin);
    for (const char* joint : {"hips", "thigh.L", "hand.R"})
        EXPECT_LT(angle(rotation_of(rest[at(find_node(skin, joint))]), {}), 1e-4) << joint;
    EXPECT_GT(angle(rotation_of(rest[at(find_node(skin, "thigh.R"))]), {}), 1.0);
}

TEST_F(AxesRecipeTest, AFileOfOtherNamesOrNoFileIsRefused) {
    write_standard({"wheel"});
    EXPECT_THAT(pack_text(folder, recipe_with("axes = \"standard.bvh\"")),
                FailsWith(Code::kNameUnknown, "none of the 28 joints"));
    EXPECT_THAT(pack_text(folder, recipe_with("axes = \"other.bvh\"")),
                FailsWith(Code::kFileMissing, "other.bvh"));
    EXPECT_FALSE(std::filesystem::exists(folder / "crates"));
}

/// A drive of the manifest at one pose, as docs/crate.md says it.
double driven(const nlohmann::json& drive, const Scene& skin, const Pose& pose) {
    double out = drive.at("combine") == "product" ? 1 : 0;
    for (const auto& input : drive.at("inputs")) {
        const int joint = find_node(skin, input.at("joint").get<std::string>());
        const Node& node = skin.nodes[at(joint)];
        const Quat local =
            rotation_of(inverse(pose.worlds[at(node.parent)]) * pose.worlds[at(joint)]);
        const Quat q = conjugate(node.local.r) * local;
        const Vec3 a{input["axis"][0], input["axis"][1], input["axis"][2]};
        const double angle = input.at("of") == "swing"
                                 ? std::acos(std::min(1.0, dot(a, rotate(q, a))))
                                 : 2 * std::atan2(q.x * a.x + q.y * a.y + q.z * a.z, q.w);
        const double degrees = angle * 180 / std::numbers::pi;
        EXPECT_EQ(input.at("shape"), "smooth");
        const auto& rows = input.at("curve");
        double value = degrees <= rows[0][0] ? double(rows[0][1]) : double(rows.back()[1]);
        for (std::size_t i = 1; i < rows.size(); ++i) {
            const double from = rows[i - 1][0], to = rows[i][0];
            if (degrees <= from || degrees >= to) continue;
            const double u = (degrees - from) / (to - from), v = rows[i - 1][1], w = rows[i][1];
            value = v + u * u * (3 - 2 * u) * (w - v);
        }
        out = drive.at("combine") == "product" ? out * value : out + value;
    }
    return out;
}

TEST_F(AxesRecipeTest, DrivesInTheManifestGiveTheWeightsOfTheClips) {
    write_standard({"upper_arm.L", "forearm.L", "forearm.R"});
    // What is blended of weights is not what drives make of blended joints.
    const std::string mix =
        "[[clip]]\nname = \"mix\"\n[[clip.part]]\nname = \"reach\"\nrange = [200, 214]\n"
        "[[clip.part]]\nname = \"stride\"\nrange = [108, 132]\noverlap = 10\n";
    for (const bool turned : {false, true}) {
        const std::string recipe =
            recipe_with(turned ? "axes = \"standard.bvh\"" : "tips = \"drop\"") + mix;
        const auto packed = pack_text(folder, recipe, turned);
        ASSERT_THAT(packed, IsOk());
        EXPECT_THAT(
            of_code(packed.value(), Code::kDrivesDiffer),
            testing::ElementsAre(testing::Field(&Finding::where, Place::of("clip \"mix\""))));
        const std::string text = read_text(folder / "crates/tamsin/crate.json");
        std::string again;
        Manifest::decode({text.begin(), text.end()}, folder.path()).value().encode([&](auto part) {
            again += part;
        });
        EXPECT_EQ(again, text) << "drives, turned axes, parts";
        const auto manifest = nlohmann::json::parse(text);
        const auto& drives = manifest.at("drives");
        ASSERT_EQ(drives.size(), 2U);
        const Scene skin = read_scene(folder / "crates/tamsin/tamsin.glb").value().scene;
        const int body = find_node(skin, "body");
        const auto& targets = skin.meshes[at(skin.nodes[at(body)].mesh)].target_names;
        for (const auto& told : manifest.at("clips")) {
            const Scene clip =
                read_scene(folder / "crates/tamsin" / told["file"].get<std::string>())
                    .value()
                    .scene;
            const Playback player = Playback::make(skin, clip).value();
            double most = 0, apart = 0;
            for (const auto& drive : drives) {
                const auto target = std::find(targets.begin(), targets.end(), drive.at("target"));
                ASSERT_NE(target, targets.end());
                for (int k = 0; k < told["samples"]; ++k) {
                    const Pose pose = player.pose(k / 30.0);
                    const double baked =
                        pose.weights[at(scalar_layout(skin).offset[at(body)]) +
                                     at(static_cast<int>(target - targets.begin()))];
                    apart = std::max(apart, std::abs(driven(drive, skin, pose) - baked));
                    most = std::max(most, baked);
                }
            }
            const auto& proof = told["proof"]["driven_weight"];
            EXPECT_EQ(proof["compared"], 2 * told["samples"].get<int>());
            EXPECT_NEAR(proof["worst"].get<double>(), apart, 1e-5) << told["name"];
            EXPECT_TRUE(told["name"] == "mix" ? apart > 0.01 : apart < 1e-5) << apart;
            EXPECT_TRUE(told["name"] != "pick" || most > 0.5) << most;
        }
    }
}

TEST_F(AxesRecipeTest, DrivesOverAJointThatIsLeftOutAreNotKept) {
    // Without the upper arm an engine has nothing to measure the elbow's swing against.
    const std::string recipe = recipe_with("drop = [\"upperarm.L\"]");
    const auto packed = pack_text(folder, "[checks]\ninfluences = \"warn\"\n" + recipe, true);
    ASSERT_THAT(packed, IsOk());
    ASSERT_THAT(packed.value().drives, testing::SizeIs(1));
    EXPECT_EQ(packed.value().drives[0].target, "elbow.R");
}

TEST_F(AxesRecipeTest, DrivesOfMorphTargetsThatAreTakenAwayGoWithThem) {
    const std::string recipe = recipe_with("");
    const auto packed =
        pack_text(folder, "[[target.morphs]]\nmatch = \"elbow.L\"\ndo = \"drop\"\n" + recipe, true);
    ASSERT_THAT(packed, IsOk());
    ASSERT_THAT(packed.value().drives, testing::SizeIs(1));
    EXPECT_EQ(packed.value().drives[0].target, "elbow.R");
}

// ------------------------------------------------------------------------------- scale in offsets

/// A plate that is stretched, and on it an arm that undoes the stretch and is turned by 45 degrees.
Scene stretched_plate() {
    Scene scene;
    scene.rate = {10, 1};
    const int plate = add_node(scene, "plate", kNone, {});
    const int undo = add_node(scene, "undo", plate, {{1, 1, 0}, {}, {1, 1, 1}});
    const int arm = add_node(scene, "arm", undo, {{}, turn(kZ, 45), {1, 1, 1}});
    key(scene, plate, Path::kScale, {1, 1, 1}, {2, 2, 2});
    // Not even: 4 along X at the end.
    scene.timelines[0].channels[0].curve.values = std::vector<double>{1, 1, 1, 4, 1, 1};
    key(scene, undo, Path::kScale, {1, 1, 1}, {0.25, 1, 1});
    scene.skins.push_back({"s", {plate, arm}, std::vector<Affine>(2), kNone, {}, {}});
    scene.meshes.push_back({"m", {}, {}, {}, {}, {}});
    Primitive one;
    one.influences_per_vertex = 4;
    one.positions = {{0, 0, 0}};
    one.influence_joints = {1, 0, 0, 0};  // the arm alone
    one.influence_weights = {1, 0, 0, 0};
    scene.meshes[0].primitives.push_back(one);
    const int mesh = add_node(scene, "m", kNone, {});
    scene.nodes[at(mesh)].mesh = scene.nodes[at(mesh)].skin = 0;
    return scene;
}

TEST(OffsetScaleTest, ScaleThatNothingShowsMovesWhatHangsOnIt) {
    const Scene scene = stretched_plate();
    const Rig rig = Rig::bind(scene, 0, {}).value();
    const SamplePlan ends{"ends", 0, 10, {10, 1}, {1, 1}, 2, false};
    for (const bool offsets : {false, true}) {
        JointChoice choice;
        choice.scale_to_offsets = offsets;
        const ChosenJoints joints = choose_joints(scene, choice).value();
        const Baked baked =
            bake(take_of(scene, rig.source(), joints.skeleton, joints.sources), ends);
        const Transform plate = local_at(baked.clip.joints[0], 1),
                        arm = local_at(baked.clip.joints[1], 1);
        if (offsets) {
            // By hand: the place (1, 1, 0) times (4, 1, 1), and the turn untouched by it.
            EXPECT_LT(length(plate.s - Vec3{1, 1, 1}), 1e-6);
            EXPECT_LT(length(arm.t - Vec3{4, 1, 0}), 1e-6);
            EXPECT_LT(angle(arm.r, turn(kZ, 45)), 1e-4);
            EXPECT_LT(length(arm.s - Vec3{1, 1, 1}), 1e-6);
            EXPECT_LT(baked.losses[1].shear, 1e-9);
        } else {
            EXPECT_LT(length(plate.s - Vec3{4, 1, 1}), 1e-6);
            EXPECT_GT(baked.losses[1].shear, 0.1);  // a turned arm in a stretched space
        }
    }
}

TEST(OffsetScaleTest, ScaleOfAJointThatCarriesWeightStays) {
    Scene scene = stretched_plate();
    scene.meshes[0].primitives[0].influence_joints[0] = 0;  // the plate
    JointChoice choice;
    choice.scale_to_offsets = choice.keep_tips = true;
    const ChosenJoints joints = choose_joints(scene, choice).value();
    EXPECT_FALSE(joints.sources[0].unscaled);
    EXPECT_TRUE(joints.sources[1].unscaled);
}

}  // namespace
}  // namespace mellow
