// Proof: files that were changed after the fact are found out, with joint, sample and size. Stock:
// what a file holds and what is said about it.
#include <cmath>
#include <numbers>

#include "mellow/bake.h"
#include "mellow/fit.h"
#include "mellow/playback.h"
#include "mellow/prove.h"
#include "mellow/rig.h"
#include "mellow/stock.h"
#include "mellow/write.h"
#include "orchard.h"
#include "support.h"

namespace mellow {
namespace {

using namespace test;

/// Tamsin's walk, baked and written to memory.
class ProofTest : public testing::Test {
  protected:
    void SetUp() override {
        RigSheet sheet = parse_rig_sheet(orchard::kTamsinRig, "tamsin.rig.toml").value();
        scene_.convention = {0.01, Axis::kPlusZ, Axis::kMinusY};
        convert(sheet, Conversion(scene_.convention, {}));
        to_inside(scene_);
        rig_ = std::make_unique<Rig>(Rig::bind(scene_, 0, sheet).value());
        poses_ = rig_->source();
        JointChoice tips;
        tips.keep_tips = true;
        chosen_ = choose_joints(scene_, tips).value();
        clip_ = bake(take_of(scene_, poses_, chosen_.skeleton, chosen_.sources), plan_).clip;
        skin_file_ =
            must_read(write_glb(assemble_skin(scene_, chosen_.skeleton, chosen_.sources).scene));
    }

    static Scene must_read(const std::vector<std::uint8_t>& bytes) {
        return std::move(test::read_tiny(bytes)).value().scene;
    }
    Result<ClipProof> prove() {
        const Scene clip_file = must_read(write_glb(assemble_clip(chosen_.skeleton, clip_, "")));
        return test::prove(scene_, poses_, plan_, chosen_, skin_file_, clip_file);
    }
    void cut(int samples) {
        clip_.samples = samples;
        for (JointTrack& t : clip_.joints) {
            t.translation.resize(static_cast<std::size_t>(samples) * 3);
            t.rotation.resize(static_cast<std::size_t>(samples) * 4);
            t.scale.resize(static_cast<std::size_t>(samples) * 3);
        }
        for (MorphTrack& m : clip_.morphs)
            m.weights.resize(static_cast<std::size_t>(samples) * m.targets.size());
    }
    JointTrack& track(const std::string& joint) {
        return clip_.joints[static_cast<std::size_t>(chosen_.skeleton.find("orchard:" + joint))];
    }

    Scene scene_ = orchard::tamsin_scene();
    std::unique_ptr<Rig> rig_;
    PoseSource poses_;
    ChosenJoints chosen_;
    SamplePlan plan_{"walk", 108, 132, {24, 1}, {30, 1}, 31, true};
    Clip clip_;
    Scene skin_file_;
};

TEST_F(ProofTest, AFaithfulClipPassesWithFiguresOfRounding) {
    const auto proof = prove();
    ASSERT_THAT(proof, IsOk());
    EXPECT_EQ(proof.value().samples, 31);
    EXPECT_EQ(proof.value().position_mm.count,
              31U * 31U);  // all joints of the source, every sample
    EXPECT_GT(proof.value().position_mm.worst, 0);
    EXPECT_LT(proof.value().position_mm.worst, 0.001);
    EXPECT_LT(proof.value().rotation_degrees.worst, 0.0005);
    EXPECT_LT(proof.value().vertex_mm.worst, 0.001);
    EXPECT_THAT(within(proof.value(), {}), IsOk());
}

TEST_F(ProofTest, AMovedJointIsNamedWithSampleAndSize) {
    // The hand moves by 1 mm at sample 7: so do its fingers, but nothing by more.
    track("hand.L").translation[7 * 3 + 1] += 0.001F;
    const auto proof = prove();
    ASSERT_THAT(proof, IsOk());
    EXPECT_NEAR(proof.value().position_mm.worst, 1.0, 1e-3);
    EXPECT_EQ(proof.value().position_mm.sample, 7);
    const Status status = within(proof.value(), {});
    EXPECT_THAT(status, FailsWith(Code::kProofFailed, "at sample 7"));
    EXPECT_THAT(status, FailsWith(Code::kProofFailed, "clip \"walk\""));
    EXPECT_THAT(within(proof.value(), {2, 0.01, 1e-4}), IsOk());
}

TEST_F(ProofTest, ATurnOfATipShowsInDegrees) {
    const int head = chosen_.skeleton.find("orchard:head_end");
    JointTrack& tip = clip_.joints[static_cast<std::size_t>(head)];
    Transform local = local_at(tip, 12);
    local.r = local.r * from_axis_angle({1, 0, 0}, 0.5 * std::numbers::pi / 180);
    store(tip, 12, local);
    const auto proof = prove();
    EXPECT_NEAR(proof.value().rotation_degrees.worst, 0.5, 1e-4);
    EXPECT_EQ(proof.value().rotation_degrees.what, "orchard:head_end");
    EXPECT_EQ(proof.value().rotation_degrees.sample, 12);
    EXPECT_LT(proof.value().vertex_mm.worst, 0.001);  // it carries no weight
    EXPECT_THAT(within(proof.value(), {}), FailsWith(Code::kProofFailed, "degrees off"));
}

TEST_F(ProofTest, AWrongMorphWeightIsFound) {
    ASSERT_FALSE(clip_.morphs.empty());
    clip_.morphs[0].weights[5] += 0.25F;
    const auto proof = prove();
    EXPECT_NEAR(proof.value().weight.worst, 0.25, 1e-6);
    EXPECT_FALSE(within(proof.value(), {}).ok());
}

TEST_F(ProofTest, AChangedSkinIsFoundInTheVertices) {
    for (Mesh& mesh : skin_file_.meshes)
        if (mesh.name == "orchard:body") mesh.primitives[0].positions[3][0] += 0.002F;
    const auto proof = prove();
    EXPECT_NEAR(proof.value().vertex_mm.worst, 2, 0.01);
    EXPECT_EQ(proof.value().vertex_mm.what, "orchard:body");
    EXPECT_LT(proof.value().position_mm.worst, 0.001);
}

TEST_F(ProofTest, ANumberThatIsNoneFails) {
    ClipProof proof;
    proof.moving_joints = 1;
    proof.position_mm.add(std::nan(""), 3, "hips");
    proof.position_mm.add(0.001, 4, "hips");
    EXPECT_FALSE(within(proof, {}).ok());
}

TEST_F(ProofTest, FilesThatDoNotFitEachOtherFail) {
    const Clip whole = clip_;
    cut(30);  // one sample short is the open form; two are not
    EXPECT_THAT(prove(), IsOk());
    cut(29);
    EXPECT_THAT(prove(), FailsWith(Code::kProofFailed, "29 samples"));
    clip_ = whole;
    clip_.rate = {24, 1};
    EXPECT_THAT(prove(), FailsWith(Code::kProofFailed, "sample 1"));
    clip_ = whole;
    skin_file_.nodes[5].name = "renamed";
    EXPECT_THAT(prove(), FailsWith(Code::kProofFailed, "renamed"));
}

TEST_F(ProofTest, AStillClipIsNoMotion) {
    for (JointTrack& t : clip_.joints)
        for (int k = 1; k < clip_.samples; ++k) store(t, k, local_at(t, 0));
    for (MorphTrack& m : clip_.morphs) m.weights.assign(m.weights.size(), 0);
    const auto proof = prove();
    ASSERT_THAT(proof, IsOk());
    EXPECT_EQ(proof.value().moving_joints, 0);
    // Said before any distance: a figure that stands still is the more telling fault.
    EXPECT_THAT(within(proof.value(), {}), FailsWith(Code::kNoMotion, "0 moving tracks"));
}

TEST_F(ProofTest, PlaybackNeedsEveryJointAndMorph) {
    const Scene clip_file = must_read(write_glb(assemble_clip(chosen_.skeleton, clip_, "")));
    EXPECT_THAT(Playback::make(skin_file_, clip_file), IsOk());
    Scene less = clip_file;
    less.timelines[0].morphs.clear();
    EXPECT_THAT(Playback::make(skin_file_, less), FailsWith(Code::kNameUnknown, "body"));
    less = clip_file;
    less.timelines.clear();
    EXPECT_THAT(Playback::make(skin_file_, less), FailsWith(Code::kNoMotion, "0"));
}

// --------------------------------------------------------------------------------------- stock

bool says(const Stock& stock, Code code, const std::string& part) {
    for (const Finding& f : stock.findings)
        if (f.code == code && to_text(f).find(part) != std::string::npos) return true;
    return false;
}

TEST(StockTest, TamsinAsTheFileClaims) {
    const Stock stock = take_stock(orchard::tamsin_scene());
    EXPECT_NEAR(stock.longest_m, 170, 1);
    EXPECT_EQ(stock.longest_axis, Axis::kPlusZ);
    EXPECT_TRUE(says(stock, Code::kSizeSuspect, "unit = \"centimetre\""));
    EXPECT_TRUE(says(stock, Code::kAxisSuspect, "up = \"+Z\""));
    EXPECT_TRUE(says(stock, Code::kUnbaked, "0 of"));
    EXPECT_TRUE(says(stock, Code::kPrefix, "orchard:"));
    EXPECT_LE(stock.most_influences, 4);
}

TEST(StockTest, TamsinAsSheIs) {
    Scene scene = orchard::tamsin_scene();
    scene.convention = {0.01, Axis::kPlusZ, Axis::kMinusY};
    const Stock stock = take_stock(scene);
    EXPECT_NEAR(stock.height_m, 1.70, 0.005);
    EXPECT_FALSE(says(stock, Code::kSizeSuspect, ""));
    EXPECT_FALSE(says(stock, Code::kAxisSuspect, ""));
    ASSERT_EQ(stock.timelines.size(), 1U);
    const TimelineStock& t = stock.timelines[0];
    ASSERT_EQ(t.moving.size(), 3U);
    EXPECT_EQ(t.moving[0].first, 0);
    EXPECT_EQ(t.moving[0].last, 96);
    EXPECT_EQ(t.moving[1].first, 108);
    EXPECT_EQ(t.moving[1].last, 132);
    EXPECT_EQ(t.moving[2].first, 144);
    EXPECT_EQ(t.moving[2].last, 240);
    EXPECT_EQ(t.animated_joints, 0);
    EXPECT_EQ(scene.rate, (FrameRate{24, 1}));
}

TEST(StockTest, ClassesOfNodes) {
    Scene scene = chain_scene(5, 1);
    Skin skin;
    skin.joints = {1, 2, 3};
    skin.inverse_binds.resize(3);
    scene.skins.push_back(skin);
    Primitive part;
    part.positions = {{0, 0, 0}};
    part.influences_per_vertex = 4;
    part.influence_joints = {1, 0, 0, 0};  // only the second joint of the skin
    part.influence_weights = {1, 0, 0, 0};
    Mesh mesh;
    mesh.primitives.push_back(part);
    scene.meshes.push_back(mesh);
    Node body;
    body.name = "body";
    body.mesh = body.skin = 0;
    scene.nodes.push_back(body);
    scene.roots.push_back(5);
    scene.timelines.emplace_back();
    scene.timelines[0].channels.push_back(
        {0, Path::kTranslation, {Interpolation::kLinear, 3, {0, 1}, {0, 0, 0, 1, 0, 0}}});
    const Stock stock = take_stock(scene);
    const NodeClass expected[] = {NodeClass::kControl, NodeClass::kUnweighted, NodeClass::kDeform,
                                  NodeClass::kTip,     NodeClass::kHelper,     NodeClass::kMesh};
    for (std::size_t n = 0; n < 6; ++n) EXPECT_EQ(stock.classes[n], expected[n]) << n;
    EXPECT_NE(tree_text(scene, stock).find("n2  [deform]"), std::string::npos);
}

TEST(StockTest, CutsAndStillTails) {
    // Still at 0 to frame 10, then still at 5 until 30: a cut, no motion; then nothing until 60.
    Scene scene = chain_scene(1, 1);
    scene.rate = {24, 1};
    scene.rate_known = true;
    scene.timelines.emplace_back();
    Curve c{Interpolation::kLinear, 3, {}, {}};
    const std::pair<int, double> keys[] = {{0, 0.0},  {10, 0.0}, {11, 5.0},
                                           {30, 5.0}, {36, 8.0}, {60, 8.0}};
    for (const auto& [frame, x] : keys) {
        c.times.push_back(frame / 24.0);
        c.values.append({x, 0, 0});
    }
    scene.timelines[0].channels.push_back({0, Path::kTranslation, c});
    const Stock stock = take_stock(scene);
    const TimelineStock& t = stock.timelines[0];
    EXPECT_EQ(t.cuts, std::vector<std::int64_t>{10});
    ASSERT_EQ(t.moving.size(), 1U);
    EXPECT_EQ(t.moving[0].first, 30);
    EXPECT_EQ(t.moving[0].last, 36);
    EXPECT_TRUE(says(stock, Code::kStillTail, "36"));
}

TEST(StockTest, ScaledAndMissingNodesAreSaid) {
    Scene scene = chain_scene(3, 1);
    scene.nodes[0].local.s = {2, 2, 2};
    Skin skin;
    skin.joints = {1, 2};
    skin.inverse_binds.resize(2);
    scene.skins.push_back(skin);
    EXPECT_TRUE(says(take_stock(scene), Code::kScaledNode, "\"n0\""));
    scene.roots = {};
    EXPECT_TRUE(says(take_stock(scene), Code::kMissingJoint, "n1"));
    scene.nodes[1].local.s = {0, 0, 0};
    EXPECT_TRUE(says(take_stock(scene), Code::kZeroScale, "n1"));
}

}  // namespace
}  // namespace mellow
