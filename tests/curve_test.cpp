// Curves of COLLADA members, and affine matrices without size.
#include "mellow/pose.h"
#include "mellow/read.h"
#include "small_figure.h"

namespace mellow::curve_test {
namespace {

using namespace test;
using namespace testing;

/// One number over time, X of a place, as COLLADA has it: two keys at 0 and 1 s from 0 to 1.
Scene keyed_x(const std::string& interpolation, const std::string& tangents, int channels = 1) {
    const std::string source =
        R"(<source id="{0}"><float_array id="{0}a" count="{1}">{2}</float_array><technique_common><accessor source="#{0}a" count="2" stride="{3}">{4}</accessor></technique_common></source>)";
    const auto numbers = [&](const std::string& id, const std::string& list, int stride) {
        std::string params;
        for (const char* name : {"X", "Y"})
            if (params.empty() || stride == 2)
                params += fmt::format(R"(<param name="{}" type="float"/>)", name);
        return fmt::format(fmt::runtime(source), id, 2 * stride, list, stride, params);
    };
    const auto bar = tangents.find('|');
    std::string channel;
    for (int c = 0; c < channels; ++c) channel += R"(<channel source="#s" target="n/t.X"/>)";
    const std::string text =
        R"(<?xml version="1.0"?><COLLADA xmlns="http://www.collada.org/2005/11/COLLADASchema" version="1.4.1"><asset><unit meter="1"/><up_axis>Y_UP</up_axis></asset><library_animations><animation>)" +
        numbers("i", "0 1", 1) + numbers("o", "0 1", 1) +
        numbers("out", tangents.substr(0, bar), 2) + numbers("in", tangents.substr(bar + 1), 2) +
        fmt::format(
            R"(<source id="k"><Name_array id="ka" count="2">{0} {0}</Name_array><technique_common><accessor source="#ka" count="2" stride="1"><param name="INTERPOLATION" type="name"/></accessor></technique_common></source>)",
            interpolation) +
        R"(<sampler id="s"><input semantic="INPUT" source="#i"/><input semantic="OUTPUT" source="#o"/><input semantic="INTERPOLATION" source="#k"/><input semantic="OUT_TANGENT" source="#out"/><input semantic="IN_TANGENT" source="#in"/></sampler>)" +
        channel +
        R"(</animation></library_animations><library_visual_scenes><visual_scene id="v"><node id="n" name="n" type="JOINT"><translate sid="t">0 0 0</translate></node></visual_scene></library_visual_scenes><scene><instance_visual_scene url="#v"/></scene></COLLADA>)";
    auto read = read_memory(Bytes(text.begin(), text.end()), "n.dae", {});
    EXPECT_THAT(read, IsOk());
    return read ? std::move(read.value().scene) : Scene{};
}

double x_at(const Scene& scene, double second) {
    return pose_at(scene, scene.timelines.at(0), second).worlds.at(0).o.x;
}

TEST(CurveMemberTest, HermiteTangentsAreThreeTimesTheWayToTheirControlPoints) {
    // Tangents (1 s, 0) at both ends: times run evenly, values as u u (3 - 2 u).
    const Scene scene = keyed_x("HERMITE", "1 0 1 0|1 0 1 0");
    for (const double t : {0.1, 0.25, 0.5, 0.8})
        EXPECT_NEAR(x_at(scene, t), t * t * (3 - 2 * t), 1e-6) << t;
}

TEST(CurveMemberTest, ControlPointsBeyondTheirSegmentEndAtItsEdge) {
    // (1.6 s, 0) and (0.5 s, 1): the first counts as (1 s, 0), or time would run back.
    const Scene scene = keyed_x("BEZIER", "1.6 0 2 1|0 0 0.5 1");
    for (const double t : {0.1, 0.3, 0.6, 0.9}) {
        double low = 0, high = 1;
        for (int i = 0; i < 60; ++i) {
            const double u = (low + high) / 2, v = 1 - u;
            (3 * v * v * u * 1 + 3 * v * u * u * 0.5 + u * u * u < t ? low : high) = u;
        }
        const double u = (low + high) / 2, v = 1 - u;
        EXPECT_NEAR(x_at(scene, t), 3 * v * u * u + u * u * u, 1e-6) << t;
    }
}

TEST(CurveMemberTest, AMemberHasOneCurve) {
    EXPECT_EQ(keyed_x("BEZIER", "0.3 0 2 1|0 0 0.7 1", 2).timelines.at(0).members.size(),
              keyed_x("BEZIER", "0.3 0 2 1|0 0 0.7 1").timelines.at(0).members.size());
}

}  // namespace
}  // namespace mellow::curve_test
