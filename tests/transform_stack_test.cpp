// Stacks of transforms: what they come to, and which of them are no arc.
#include "small_figure.h"

namespace mellow::transform_stack_test {
namespace {

using namespace test;
using namespace testing;

/// A node whose transforms stand in `stack`, moved by linear curves of 0 to 90 degrees.
Scene collada(const std::string& stack, const std::vector<std::string>& turned) {
    std::string animations;
    for (const std::string& member : turned)
        animations += fmt::format(
            R"(<animation><source id="i{0}"><float_array id="ia{0}" count="2">0 1</float_array><technique_common><accessor source="#ia{0}" count="2" stride="1"><param name="TIME" type="float"/></accessor></technique_common></source><source id="o{0}"><float_array id="oa{0}" count="2">0 90</float_array><technique_common><accessor source="#oa{0}" count="2" stride="1"><param name="ANGLE" type="float"/></accessor></technique_common></source><source id="k{0}"><Name_array id="ka{0}" count="2">LINEAR LINEAR</Name_array><technique_common><accessor source="#ka{0}" count="2" stride="1"><param name="INTERPOLATION" type="name"/></accessor></technique_common></source><sampler id="s{0}"><input semantic="INPUT" source="#i{0}"/><input semantic="OUTPUT" source="#o{0}"/><input semantic="INTERPOLATION" source="#k{0}"/></sampler><channel source="#s{0}" target="n/{0}.ANGLE"/></animation>)",
            member);
    const std::string text = fmt::format(
        R"(<?xml version="1.0"?><COLLADA xmlns="http://www.collada.org/2005/11/COLLADASchema" version="1.4.1"><asset><unit meter="1"/><up_axis>Y_UP</up_axis></asset><library_animations>{}</library_animations><library_visual_scenes><visual_scene id="v"><node id="n" name="n" type="JOINT">{}</node></visual_scene></library_visual_scenes><scene><instance_visual_scene url="#v"/></scene></COLLADA>)",
        turned.empty() ? "" : animations, stack);
    std::string whole = text;
    if (turned.empty()) {
        const std::string empty = "<library_animations></library_animations>";
        whole.replace(whole.find(empty), empty.size(), "");
    }
    auto read = read_memory(Bytes(whole.begin(), whole.end()), "n.dae", {});
    EXPECT_THAT(read, IsOk());
    return read ? std::move(read.value().scene) : Scene{};
}

TEST(TransformStackTest, ATurnBehindAnUnevenScaleIsShear) {
    const Scene scene = collada("<scale>2 1 1</scale><rotate>0 0 1 45</rotate>", {});
    // diag(2, 1, 1) times a turn by 45 degrees about Z: columns (2c, c) and (-2c, c).
    const Affine m = local_matrix(scene.nodes.at(0));
    const double c = std::sqrt(0.5);
    EXPECT_NEAR(length(m.x - Vec3{2 * c, c, 0}), 0, 1e-9);
    EXPECT_NEAR(length(m.y - Vec3{-2 * c, c, 0}), 0, 1e-9);
    EXPECT_NEAR(length(m.z - Vec3{0, 0, 1}), 0, 1e-9);
}

TEST(TransformStackTest, TurnsAboutTwoAxesAreNoArc) {
    Scene scene = collada(R"(<rotate sid="rx">1 0 0 0</rotate><rotate sid="ry">0 1 0 0</rotate>)",
                          {"rx", "ry"});
    compose_stacks(scene);
    const Channel* found = nullptr;
    for (const Channel& c : scene.timelines.at(0).channels)
        if (c.path == Path::kRotation) found = &c;
    ASSERT_NE(found, nullptr);
    for (int i = 0; i <= 40; ++i) {
        const double t = i / 40.0, h = t * M_PI / 4;
        double q[4];
        sample(found->curve, true, {&t, 1}, q);
        // Rx(2h) Ry(2h) = (sin h cos h, cos h sin h, sin h sin h, cos h cos h).
        const double s = std::sin(h), c = std::cos(h);
        const double exact[4] = {s * c, s * c, s * s, c * c};
        double dot = 0;
        for (int k = 0; k < 4; ++k) dot += q[k] * exact[k];
        EXPECT_NEAR(std::abs(dot), 1, 1e-12) << "at " << t;
    }
}

TEST(TransformStackTest, AFlatMatrixHasNoShear) {
    const Affine m{{1, 0, 0}, {0, 0, 0}, {0.5, 0, 1}, {1, 2, 3}};
    const Affine shear = shear_of(m, {{1, 2, 3}, {}, {1, 0, 1}});
    EXPECT_EQ(shear.x, (Vec3{1, 0, 0}));
    EXPECT_EQ(shear.y, (Vec3{0, 1, 0}));
    EXPECT_EQ(shear.z, (Vec3{0, 0, 1}));
}

}  // namespace
}  // namespace mellow::transform_stack_test
