// Verdicts: each quantity that is proven or compared is spoilt by a little less and a little more
// than is allowed; each finding has its severity.
#include <fmt/format.h>

#include <cmath>
#include <limits>
#include <numbers>

#include "mellow/bake.h"
#include "mellow/compare.h"
#include "mellow/crate.h"
#include "mellow/fit.h"
#include "mellow/playback.h"
#include "mellow/prove.h"
#include "mellow/stock.h"
#include "mellow/write.h"
#include "packing.h"
#include "rigs.h"

namespace mellow::tolerance_test {
namespace {

using namespace test;
using namespace testing;

const Vec3 kOne{1, 1, 1};

/// hips and arm, both weighted, a mesh of four vertices with a morph target, keys on all of it.
Scene figure() {
    Scene scene;
    scene.rate = {10, 1};
    scene.rate_known = true;
    const int hips = add_node(scene, "hips", kNone, {{0, 1, 0}, {}, kOne});
    const int arm = add_node(scene, "arm", hips, {{0.5, 0, 0}, turn(kX, 30), kOne});
    const int mesh = add_node(scene, "mesh", kNone, {});
    Primitive p;
    p.positions = {{0, 1, 0}, {0.5F, 1, 0}, {1, 1, 0}, {1, 1.2F, 0}};
    p.indices = {0, 1, 2, 1, 3, 2};
    p.influences_per_vertex = 4;
    for (const std::uint16_t joint : std::array<std::uint16_t, 4>{0, 0, 1, 1}) {
        p.influence_joints.insert(p.influence_joints.end(), {joint, 0, 0, 0});
        p.influence_weights.insert(p.influence_weights.end(), {1, 0, 0, 0});
    }
    p.targets.resize(1);
    p.targets[0].positions = {{0, 0, 0}, {0, 0, 0}, {0, 0, 0}, {0, 0, 0.1F}};
    scene.meshes.emplace_back();
    scene.meshes[0].primitives = {p};
    scene.meshes[0].target_names = {"puff"};
    scene.nodes[2].mesh = scene.nodes[2].skin = 0;
    scene.skins.push_back({"s", {hips, arm}, {}, kNone, {}, {}});
    for (const int j : {hips, arm})
        scene.skins[0].inverse_binds.push_back(
            inverse(rest_worlds(scene)[static_cast<std::size_t>(j)]));
    key(scene, hips, Path::kTranslation, {0, 1, 0}, {0, 1, 1});
    scene.timelines[0].name = "move";
    test::key_turn(scene, arm, turn(kX, 30), turn(kX, 80));
    key(scene, mesh, Path::kWeights, {0}, {1});
    return scene;
}

/// A clip of it, as it would be written, and what it is proven against.
struct Made {
    Scene scene = figure();
    RigSheet sheet =
        test::sheet("[[scalar]]\nname = \"glow\"\nkeys = [[0, 0], [10, 4]]\nkeep = true\n");
    Rig rig = Rig::bind(scene, 0, sheet).value();
    PoseSource poses = rig.source();
    ChosenJoints joints = choose_joints(scene, {}).value();
    SamplePlan plan{"clip", 0, 10, {10, 1}, {10, 1}, 11, false};
    Clip clip = bake(take_of(scene, poses, joints.skeleton, joints.sources), plan).clip;
    Scene skin = assemble_skin(scene, joints.skeleton, joints.sources).scene;
    Scene motion = assemble_clip(joints.skeleton, clip, "");

    Result<ClipProof> prove() { return test::prove(scene, poses, plan, joints, skin, motion); }
    Curve& curve(const char* joint, Path path) {
        for (Channel& c : motion.timelines[0].channels)
            if (c.path == path && motion.nodes[static_cast<std::size_t>(c.node)].name == joint)
                return c.curve;
        static Curve none;
        ADD_FAILURE() << joint;
        return none;
    }
};

TEST(VerdictTest, EachQuantityFailsAboveItsTolerance) {
    const Tolerance tolerance;
    struct Quantity {
        Deviation ClipProof::*of;
        double most;
        const char* words;
    };
    for (const Quantity& q : {Quantity{&ClipProof::position_mm, tolerance.mm, "mm off at sample 3"},
                              {&ClipProof::rotation_degrees, tolerance.degrees, "degrees off"},
                              {&ClipProof::scale, tolerance.scale, "of its scale off"},
                              {&ClipProof::vertex_mm, tolerance.mm, "mesh \"it\""},
                              {&ClipProof::weight, tolerance.weight, "morph target"},
                              {&ClipProof::scalar, tolerance.weight, "scalar"}}) {
        const auto with = [&](double value) {
            ClipProof proof;
            proof.moving_joints = 1;
            (proof.*q.of).add(value, 3, "it");
            (proof.*q.of).add(0, 4, "other");
            return within(proof, tolerance);
        };
        EXPECT_THAT(with(0.99 * q.most), IsOk());
        EXPECT_THAT(with(1.01 * q.most), FailsWith(Code::kProofFailed, q.words));
        EXPECT_THAT(with(std::nan("")), FailsWith(Code::kProofFailed, q.words));
        EXPECT_THAT(with(std::numeric_limits<double>::infinity()),
                    FailsWith(Code::kProofFailed, q.words));
    }
    ClipProof still;
    EXPECT_THAT(within(still, tolerance), FailsWith(Code::kNoMotion, ""));
    still.pose = true;
    EXPECT_THAT(within(still, tolerance), IsOk()) << "a pose need not move";
}

TEST(VerdictTest, WhatIsSpoiltIsMeasured) {
    Made made;
    const auto good = made.prove();
    ASSERT_THAT(good, IsOk());
    EXPECT_THAT(within(good.value(), {}), IsOk());
    EXPECT_EQ(good.value().scalar.count, 11U);
    EXPECT_EQ(good.value().weight.count, 11U);
    EXPECT_EQ(good.value().vertex_mm.count, 44U);
    {
        Made m;
        m.curve("arm", Path::kTranslation).values.edit()[7 * 3 + 1] += 2e-4;
        const ClipProof proof = m.prove().value();
        EXPECT_NEAR(proof.position_mm.worst, 0.2, 1e-3);
        EXPECT_EQ(proof.position_mm.sample, 7);
        EXPECT_EQ(proof.position_mm.what, "arm");
        EXPECT_NEAR(proof.vertex_mm.worst, 0.2, 1e-3);
        EXPECT_EQ(proof.vertex_mm.sample, 7);
        ASSERT_EQ(proof.kinds.size(), 1U);
        EXPECT_NEAR(proof.kinds[0].position_mm.worst, 0.2, 1e-3);
    }
    {
        Made m;
        m.motion.timelines[0].scalars[0].curve.values.edit()[5] += 0.02;  // of 2
        EXPECT_NEAR(m.prove().value().scalar.worst, 0.01, 1e-6);
    }
    {
        Made m;
        m.motion.timelines[0].morphs[0].curve.values.edit()[2] += 3e-4;
        EXPECT_NEAR(m.prove().value().weight.worst, 3e-4, 1e-6);
        EXPECT_EQ(m.prove().value().weight.sample, 2);
    }
    {
        Made m;
        m.skin.meshes[0].primitives[0].targets[0].positions[3][2] += 0.01F;
        EXPECT_NEAR(m.prove().value().vertex_mm.worst, 10, 1e-2) << "at weight 1";
        EXPECT_EQ(m.prove().value().vertex_mm.sample, 10);
        // A delta that is rounded counts by as much.
        m.skin.meshes[0].primitives[0].targets[0].positions[3][2] = 0.1F + 8e-6F;
        EXPECT_NEAR(m.prove().value().vertex_mm.worst, 0.008, 1e-3);
    }
}

TEST(VerdictTest, ScalesOfJointsAreMeasured) {
    Made made;
    key(made.scene, 1, Path::kScale, {1, 1, 1}, {1, 2, 1});
    made.rig = Rig::bind(made.scene, 0, made.sheet).value();
    made.poses = made.rig.source();
    made.clip =
        bake(take_of(made.scene, made.poses, made.joints.skeleton, made.joints.sources), made.plan)
            .clip;
    made.motion = assemble_clip(made.joints.skeleton, made.clip, "");
    const ClipProof good = made.prove().value();
    EXPECT_LT(good.scale.worst, 1e-6);
    EXPECT_EQ(good.scale.count, 22U);
    // At sample 6 it is 1.6 along Y, and one thousandth less in the file.
    made.curve("arm", Path::kScale).values.edit()[6 * 3 + 1] *= 0.999;
    const ClipProof less = made.prove().value();
    EXPECT_NEAR(less.scale.worst, 1e-3, 1e-6);
    EXPECT_EQ(less.scale.sample, 6);
    EXPECT_EQ(less.scale.what, "arm");
    EXPECT_EQ(less.rotation_degrees.worst, good.rotation_degrees.worst);
    // And where a format has none: half of what it grew to.
    std::erase_if(made.motion.timelines[0].channels,
                  [](const Channel& c) { return c.path == Path::kScale; });
    EXPECT_NEAR(made.prove().value().scale.worst, 0.5, 1e-6);
}

TEST(VerdictTest, FilesThatLackSomethingAreNotProven) {
    const auto fails = [](const char* words, const std::function<void(Made&)>& spoil) {
        Made m;
        spoil(m);
        EXPECT_THAT(m.prove(), FailsWith(Code::kProofFailed, words));
    };
    fails("arm", [](Made& m) {
        for (Node& n : m.motion.nodes)
            if (n.name == "arm") n.name = "gone";
    });
    fails("sample 4", [](Made& m) {
        Curve& c = m.curve("hips", Path::kTranslation);
        c.times.edit()[4] += 0.01;
    });
    fails("samples", [](Made& m) {
        for (Channel& c : m.motion.timelines[0].channels) {
            c.curve.times.edit().pop_back();
            c.curve.values.edit().resize(c.curve.times.size() *
                                         static_cast<std::size_t>(c.curve.width));
        }
    });
    fails("mesh", [](Made& m) { m.motion.timelines[0].morphs[0].targets.push_back("more"); });
    fails("0 scalar", [](Made& m) { m.motion.timelines[0].scalars.clear(); });
    fails("mesh", [](Made& m) { m.skin.meshes[0].primitives[0].positions.pop_back(); });
    fails("mesh", [](Made& m) { m.skin.meshes[0].primitives.push_back({}); });
}

TEST(VerdictTest, FlatJointsHaveNoOrientation) {
    Made m;
    key(m.scene, 1, Path::kScale, {1, 1, 1}, {1e-8, 1e-8, 1e-8});
    m.rig = Rig::bind(m.scene, 0, m.sheet).value();
    m.poses = m.rig.source();
    m.clip = bake(take_of(m.scene, m.poses, m.joints.skeleton, m.joints.sources), m.plan).clip;
    m.motion = assemble_clip(m.joints.skeleton, m.clip, "");
    m.curve("arm", Path::kRotation).values.edit()[10 * 4] += 0.5;  // of no size: not seen
    const auto proof = m.prove();
    ASSERT_THAT(proof, IsOk());
    EXPECT_THAT(within(proof.value(), {}), IsOk());
    EXPECT_THAT(differences(compare_motion(m.scene, m.scene, {}).value(), {}), IsEmpty());
}

TEST(VerdictTest, AcceptedShearIsMeasuredApart) {
    Made m;
    m.scene.nodes[1].shear = Affine{{1, 0, 0}, {0.3, 1, 0}, {0, 0, 1}, {}};
    m.rig = Rig::bind(m.scene, 0, m.sheet).value();
    m.poses = m.rig.source();
    m.clip = bake(take_of(m.scene, m.poses, m.joints.skeleton, m.joints.sources), m.plan).clip;
    m.motion = assemble_clip(m.joints.skeleton, m.clip, "");
    EXPECT_FALSE(within(m.prove().value(), {}).ok());
    const std::vector<bool> accepted{false, true, false};
    const auto proof = test::prove(m.scene, m.poses, m.plan, m.joints, m.skin, m.motion, &accepted);
    ASSERT_THAT(proof, IsOk());
    EXPECT_THAT(within(proof.value(), {}), IsOk());
    EXPECT_GT(proof.value().accepted_mm.worst, 1);
    EXPECT_GT(proof.value().accepted_degrees.count, 0U);
    EXPECT_EQ(proof.value().kinds.at(0).rotation_degrees.count, 11U) << "of the hips alone";
}

// ------------------------------------------------------------------------------------- compare

std::vector<Aspect> aspects(const Scene& a, const Scene& b) {
    std::vector<Aspect> out;
    const auto compared = compare_motion(a, b, {});
    EXPECT_THAT(compared, IsOk());
    for (const Difference& d : differences(compared.value(), {})) out.push_back(d.aspect);
    return out;
}

TEST(VerdictTest, TwoFilesDifferInWhatTheyDifferIn) {
    const Scene a = figure();
    EXPECT_THAT(aspects(a, a), IsEmpty());
    const auto changed = [&](const std::function<void(Scene&)>& change) {
        Scene b = a;
        change(b);
        return aspects(a, b);
    };
    // Half of what is allowed is no difference; twice as much is.
    for (const double k : {0.5, 2.0}) {
        const auto vertex = changed([&](Scene& b) {
            b.meshes[0].primitives[0].positions[1][1] += static_cast<float>(5e-5 * k);
        });
        EXPECT_EQ(vertex, k < 1 ? std::vector<Aspect>{} : std::vector{Aspect::kVertices}) << k;
        const auto scale = changed([&](Scene& b) {
            key(b, 1, Path::kScale, {1, 1, 1}, {1, 1, 1 + 1e-4 * k});
        });
        EXPECT_EQ(scale, k < 1 ? std::vector<Aspect>{} : std::vector{Aspect::kScales}) << k;
        const auto longer = changed([&](Scene& b) {
            key(b, 1, Path::kTranslation, {0.5, 0, 0}, {0.5, 0, 0}, 1 + 1e-3 * k);
        });
        EXPECT_EQ(longer, k < 1 ? std::vector<Aspect>{} : std::vector{Aspect::kLength}) << k;
        const auto weight = changed(
            [&](Scene& b) { b.timelines[0].channels[2].curve.values.edit()[1] -= 1e-4 * k; });
        EXPECT_EQ(weight, k < 1 ? std::vector<Aspect>{} : std::vector{Aspect::kWeights}) << k;
    }
    EXPECT_THAT(
        changed([](Scene& b) { b.timelines[0].channels[0].curve.values.edit()[5] += 1e-4; }),
        ElementsAre(Aspect::kPlaces, Aspect::kVertices));
    EXPECT_THAT(changed([](Scene& b) {
                    const int more = add_node(b, "surplus", 1, {});
                    b.skins[0].joints.push_back(more);
                    b.skins[0].inverse_binds.emplace_back();
                }),
                ElementsAre(Aspect::kJoints));
    EXPECT_THAT(changed([](Scene& b) { b.nodes[2].name = "other"; }),
                ElementsAre(Aspect::kWeights, Aspect::kMeshes));
    EXPECT_THAT(changed([](Scene& b) {
                    b.meshes[0].target_names.clear();
                    b.meshes[0].primitives[0].targets.clear();
                    b.timelines[0].channels.pop_back();
                }),
                testing::Contains(Aspect::kWeights));
    // A joint that gets a parent, both where it was.
    Scene flat = a;
    flat.timelines.clear();
    flat.nodes[1].parent = kNone;
    flat.nodes[1].local.t = {0.5, 1, 0};
    flat.roots.push_back(1);
    Scene below = a;
    below.timelines.clear();
    EXPECT_THAT(aspects(flat, below), ElementsAre(Aspect::kParents));
    EXPECT_THAT(aspects(below, flat), ElementsAre(Aspect::kParents));
    // What moves on after the end of the first is looked at, too.
    Scene longer = a;
    longer.timelines[0].channels[0].curve =
        Curve{Interpolation::kLinear, 3, {0, 1, 2}, {0, 1, 0, 0, 1, 1, 0, 1, 9}};
    EXPECT_THAT(aspects(a, longer),
                ElementsAre(Aspect::kPlaces, Aspect::kVertices, Aspect::kLength));
}

// -------------------------------------------------------------------------------------- crates

Result<PackReport> pack_figure(const test::TempFolder& folder, const Scene& scene,
                               const std::string& more = "") {
    const auto glb = write_glb(scene);
    test::write_text(folder / "figure.glb", {glb.begin(), glb.end()});
    return test::pack_text(
        folder, "[source]\nfile = \"figure.glb\"\nrate = 10\n[target]\nrate = 10\n" + more +
                    "[[clip]]\nname = \"c\"\nrange = [0, 10]\ntravel = [\"ground\"]\n"
                    "[output]\nfolder = \"out\"\nname = \"f\"\npicture = false\n");
}

TEST(VerdictTest, TooFewInfluencesFail) {
    Scene scene = figure();
    Primitive& p = scene.meshes[0].primitives[0];
    p.influence_joints[5] = 1;  // half of the second vertex goes with the arm
    p.influence_weights[4] = 0.5F, p.influence_weights[5] = 0.5F;
    p.positions[1][2] = 0.3F;
    const test::TempFolder whole, half, warned;
    EXPECT_TRUE(pack_figure(whole, scene).value().proven);
    const auto report = pack_figure(half, scene, "influences = 1\n");
    ASSERT_THAT(report, IsOk());
    EXPECT_FALSE(report.value().proven);
    const Findings said = test::of_code(report.value(), Code::kInfluences);
    ASSERT_FALSE(said.empty());
    EXPECT_EQ(said.back().severity, Severity::kStop);
    EXPECT_TRUE(pack_figure(warned, scene, "influences = 1\n[checks]\ninfluences = \"warn\"\n")
                    .value()
                    .proven);
}

TEST(VerdictTest, CratesThatWereChangedDoNotOpen) {
    const test::TempFolder folder;
    const auto report = pack_figure(folder, figure(), "convention = \"z-up-centimetre\"\n");
    ASSERT_THAT(report, IsOk());
    ASSERT_TRUE(report.value().proven);
    const auto opened = open_crate(folder / "out");
    ASSERT_THAT(opened, IsOk());
    EXPECT_EQ(opened.value().clips.at(0).samples, 11);
    EXPECT_LT(length(opened.value().clips[0].travel.step - Vec3{0, 0, 1}), 1e-6) << "inside";
    const std::string manifest = test::read_text(folder / "out/crate.json");
    // In the target's unit and axes: a metre to the front is 100 along -Y.
    EXPECT_NE(test::read_text(folder / "out/crate.json").find("-100"), std::string::npos);
    const auto with = [&](const std::string& from, const std::string& to) {
        test::write_text(folder / "out/crate.json", test::change(manifest, from, to));
        return open_crate(folder / "out");
    };
    EXPECT_THAT(with("\"samples\": 11", "\"samples\": 12"),
                FailsWith(Code::kValueBad, "other things of \"c\""));
    EXPECT_THAT(with("clips/c.glb", "../c.glb"), FailsWith(Code::kValueBad, "outside the crate"));
    EXPECT_THAT(with("\"version\": 2", "\"version\": 1"), FailsWith(Code::kValueBad, "version"));
    EXPECT_THAT(with("\"arithmetic\": 2", "\"arithmetic\": 3"),
                FailsWith(Code::kValueBad, "a later mellow"));
    EXPECT_THAT(with("\"format\": \"glb\"", "\"format\": \"xyz\""),
                FailsWith(Code::kValueBad, "format: \"xyz\" in target"));
    EXPECT_THAT(with("\"root\": \"", "\"root\": \"x"), FailsWith(Code::kValueBad, "no joint"));
    EXPECT_THAT(with("\"height_m\": ", "\"height_m\": -"), FailsWith(Code::kValueBad, "no height"));
    EXPECT_THAT(with("\"up\": \"+Z\"", "\"up\": \"+W\""),
                FailsWith(Code::kValueBad, "up: \"+W\" in target"));
    test::write_text(folder / "out/crate.json", manifest);
    std::string glb = test::read_text(folder / "out/clips/c.glb");
    glb.back() = static_cast<char>(glb.back() ^ 1);
    test::write_text(folder / "out/clips/c.glb", glb);
    EXPECT_THAT(open_crate(folder / "out"), FailsWith(Code::kFileUnreadable, "hash"));
}

// --------------------------------------------------------------------------------------- stock

std::vector<std::string> said(const Scene& scene) {
    std::vector<std::string> out;
    for (const Finding& f : take_stock(scene).findings)
        out.push_back(fmt::format("{} {}", name(f.severity), name(f.code)));
    return out;
}

TEST(VerdictTest, StockSaysWhatIsWrongAndNothingElse) {
    EXPECT_THAT(said(figure()), IsEmpty());
    Scene giant = figure();
    giant.convention.metres_per_unit = 100;
    EXPECT_THAT(said(giant), ElementsAre("warning size-suspect"));
    Scene outside = figure();
    outside.roots = {2};
    EXPECT_THAT(said(outside), ElementsAre("warning missing-joint"));
    Scene prefixed = figure();
    for (Node& n : prefixed.nodes) n.name = "q:" + n.name;
    EXPECT_THAT(said(prefixed), ElementsAre("note prefix"));
    prefixed.nodes[2].name = "mesh";
    EXPECT_THAT(said(prefixed), IsEmpty());
    Scene scaled = figure();
    scaled.nodes[2].local.s = {2, 2, 2};
    EXPECT_THAT(said(scaled), IsEmpty()) << "the node of a skinned mesh moves nothing";
    // A crawl of a millimetre a second moves.
    Scene slow = figure();
    slow.timelines[0].channels.resize(1);
    slow.timelines[0].channels[0].curve.values = {0, 1, 0, 0, 1, 0.001};
    EXPECT_EQ(take_stock(slow).timelines[0].moving.size(), 1U);
    EXPECT_EQ(take_stock(figure()).most_influences, 1);
    Scene metres = figure();
    metres.convention.metres_per_unit = 0.01;
    EXPECT_NEAR(take_stock(metres).longest_m, 0.01, 1e-6);
}

// ------------------------------------------------------------------------------- skins as written

TEST(VerdictTest, MeshesThatAreInsideOutAreNotProven) {
    Made m;
    EXPECT_THAT(prove_winding(m.scene, m.skin), IsOk());
    std::swap(m.skin.meshes[0].primitives[0].indices[4], m.skin.meshes[0].primitives[0].indices[5]);
    EXPECT_THAT(prove_winding(m.scene, m.skin), FailsWith(Code::kProofFailed, "the other way"));
}

TEST(VerdictTest, ClipsHangOnTheTreeOfTheirSkinAndAreLines) {
    Made hung;
    hung.motion.nodes[static_cast<std::size_t>(find_node(hung.motion, "arm"))].parent = kNone;
    EXPECT_THAT(hung.prove(), FailsWith(Code::kProofFailed, "joint \"arm\" hangs on nothing"));
    Made stepped;
    stepped.curve("arm", Path::kRotation).interpolation = Interpolation::kStep;
    EXPECT_THAT(stepped.prove(), FailsWith(Code::kProofFailed, "not linear"));
}

TEST(VerdictTest, WeightsAndPlacesOfTheFileAreMeasured) {
    Made heavy;  // vertex 3, 0.2 m beside the arm's axis, is carried by the hips for a half
    Primitive& p = heavy.skin.meshes[0].primitives[0];
    p.influence_joints[13] = 0;
    p.influence_weights[12] = p.influence_weights[13] = 0.5F;
    EXPECT_NEAR(heavy.prove().value().vertex_mm.worst, 200 * std::sin(25 * std::numbers::pi / 180),
                25);
    Made light;  // a tenth of its weight is gone: a tenth of the way to the origin
    light.skin.meshes[0].primitives[0].influence_weights[12] = 0.9F;
    EXPECT_GT(light.prove().value().vertex_mm.worst, 100);
    Made moved;
    moved.skin.meshes[0].primitives[0].positions[0][1] += 0.004F;
    EXPECT_NEAR(moved.prove().value().vertex_mm.worst, 4, 1e-3);
    moved.skin.meshes[0].primitives[0].positions[0][1] = std::nanf("");
    EXPECT_TRUE(std::isnan(moved.prove().value().vertex_mm.worst));
    EXPECT_FALSE(within(moved.prove().value(), {}).ok());
    Made bent;  // a wrong weight of a morph shows at the vertices as well: 0.3 of 10 cm
    bent.motion.timelines[0].morphs[0].curve.values.edit()[10] -= 0.3;
    EXPECT_NEAR(bent.prove().value().vertex_mm.worst, 30, 1e-3);
}

TEST(VerdictTest, SkinsBoundElsewhereTakeTheirMorphsAlong) {
    Made m;
    // Bound 0.3 m to the left: vertices stand there, binds lead back.
    for (Float3& v : m.scene.meshes[0].primitives[0].positions) v[0] += 0.3F;
    for (Affine& bind : m.scene.skins[0].inverse_binds)
        bind = bind * Affine{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}, {-0.3, 0, 0}};
    const Scene skin = assemble_skin(m.scene, m.joints.skeleton, m.joints.sources).scene;
    const Primitive& p = skin.meshes[0].primitives[0];
    EXPECT_NEAR(p.positions[2][0], 1, 1e-6);
    EXPECT_NEAR(p.targets[0].positions[3][0], 0, 1e-6) << "a way, not a place";
    EXPECT_NEAR(p.targets[0].positions[3][2], 0.1, 1e-6);
    m.skin = skin;
    EXPECT_THAT(within(m.prove().value(), {}), IsOk());
    m.scene.extensions_used = {"KHR_lights_punctual", "KHR_materials_unlit"};
    EXPECT_THAT(assemble_skin(m.scene, m.joints.skeleton, m.joints.sources).scene.extensions_used,
                ElementsAre("KHR_materials_unlit"));
}

TEST(VerdictTest, SkinsBelowShearAreRightAtRest) {
    Made m;
    m.scene.nodes[0].shear = Affine{{1, 0, 0}, {0.4, 1, 0}, {0, 0, 1}, {}};
    m.scene.timelines.clear();
    const ChosenJoints joints = choose_joints(m.scene, {}).value();
    const Scene skin = assemble_skin(m.scene, joints.skeleton, joints.sources).scene;
    const Primitive &was = m.scene.meshes[0].primitives[0], &is = skin.meshes[0].primitives[0];
    const auto a = posed_vertices(m.scene, 2, was, rest_pose(m.scene)),
               b = posed_vertices(skin, find_node(skin, "mesh"), is, rest_pose(skin));
    for (std::size_t v = 0; v < a.size(); ++v) EXPECT_LT(length(a[v] - b[v]), 1e-6) << v;
}

TEST(VerdictTest, FlatJointsDifferInNoTurn) {
    Scene a = figure();
    key(a, 1, Path::kScale, {1e-9, 1e-9, 1e-9}, {1e-9, 1e-9, 1e-9});
    Scene b = a;
    for (Channel& c : b.timelines[0].channels)
        if (c.node == 1 && c.path == Path::kRotation) c.curve.values.edit()[0] += 0.7;
    EXPECT_THAT(aspects(a, b), Not(testing::Contains(Aspect::kTurns)));
}

}  // namespace
}  // namespace mellow::tolerance_test
