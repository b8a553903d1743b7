// Small things that larger tests do not see: bounds, degenerate values, what is not said twice.
#include <array>
#include <cmath>
#include <nlohmann/json.hpp>
#include <span>
#include <tuple>

#include "mellow/joint_fit.h"
#include "mellow/joint_map.h"
#include "mellow/motion_table.h"
#include "mellow/pose.h"
#include "mellow/read.h"
#include "mellow/shaping.h"
#include "mellow/take.h"
#include "mellow/write.h"
#include "model/lanes.h"
#include "plain_gltf.h"
#include "rigs.h"
#include "small_figure.h"

namespace mellow {
namespace {

using namespace test;
using namespace testing;

class UnseenTest : public test::SmallFigure {};

TEST_F(UnseenTest, ASeamOfTwoMillimetresIsSaidAndOneOfSixFails) {
    // The head goes up and down evenly and ends a little higher; nothing else is open.
    const auto nod = [](double gap_m) {
        return keyed(1, "translation", 24, [=](int f) {
            return Three{0, 0.5 + 0.1 * std::sin(2 * M_PI * f / 24) + gap_m * f / 24, 0};
        });
    };
    const std::string loop = recipe("range = [0, 24]\nloop = true\n");
    EXPECT_THAT(of_code(pack({nod(0.0005)}, loop), Code::kLoopOpen), IsEmpty());
    const PackReport small = pack({nod(0.002)}, loop), large = pack({nod(0.006)}, loop);
    ASSERT_THAT(of_code(small, Code::kLoopOpen), SizeIs(1));
    EXPECT_THAT(of_code(small, Code::kLoopOpen)[0].found, HasSubstr("2.0 mm"));
    EXPECT_EQ(of_code(small, Code::kLoopOpen)[0].where, small.clips[0].where);
    EXPECT_TRUE(small.proven);
    EXPECT_FALSE(large.proven);
}

TEST_F(UnseenTest, ATargetMayWantNoSceneryAndNoStrips) {
    const auto skin = [&](const std::string& target) {
        pack({going(24, 1)},
             recipe("range = [0, 24]\n", target + "[joints]\nstatic_meshes = \"keep\"\n"),
             R"(,{"name":"floor","mesh":1})", ",3",
             R"(,{"primitives":[{"mode":5,"attributes":{"POSITION":0}}]})");
        return read_scene(folder_ / "out/figure.glb").value().scene;
    };
    const auto strips = [](const Scene& scene) {
        int count = 0;
        for (const Mesh& mesh : scene.meshes)
            for (const Primitive& part : mesh.primitives)
                count += part.topology == Topology::kStrip;
        return count;
    };
    const Scene whole = skin(""), lists = skin("triangulate = true\n"),
                bare = skin("statics = \"leave-out\"\n");
    EXPECT_THAT(whole.meshes, SizeIs(2));
    EXPECT_EQ(strips(whole), 1);
    EXPECT_THAT(lists.meshes, SizeIs(2));
    EXPECT_EQ(strips(lists), 0);
    EXPECT_THAT(bare.meshes, SizeIs(1));
}

TEST_F(UnseenTest, ASeamOfADegreeIsOneInReportAndManifest) {
    const Keyed turns = keyed(1, "rotation", 24, [](int f) {
        const Quat q = test::turn(test::kX, 10 * std::sin(2 * M_PI * f / 24) + f / 24.0);
        return Three{q.x, q.y, q.z, q.w};
    });
    const PackReport report = pack({turns}, recipe("range = [0, 24]\nloop = true\n"));
    EXPECT_NEAR(report.clips.at(0).gap.angle_rad, M_PI / 180, 1e-6);
    EXPECT_NEAR(nlohmann::json::parse(
                    test::read_text(folder_ / "out/crate.json"))["clips"][0]["loop_gap"]["degrees"]
                    .get<double>(),
                1, 1e-4);
}

TEST_F(UnseenTest, AScaleThatTheFormatDoesNotHoldIsSaidAndFails) {
    // Nothing hangs on the socket: neither places nor vertices tell that its scale is lost.
    const Keyed grows = keyed(3, "scale", 24, [](int f) { return Three{1, 1 + f / 48.0, 1}; });
    const std::string keep = "[joints]\nkeep = [\"socket\"]\n[checks]\nleft-behind = \"off\"\n",
                      socket = R"(,{"name":"socket","translation":[0.3,1,0]})";
    const auto packed = [&](const std::string& target) {
        return pack({going(24, 1), grows}, recipe("range = [0, 24]\n", target + keep), socket,
                    ",3");
    };
    EXPECT_TRUE(packed("").proven);
    const PackReport bvh = packed("format = \"bvh\"\n");
    EXPECT_FALSE(bvh.proven);
    ASSERT_THAT(of_code(bvh, Code::kProofFailed), SizeIs(1));
    EXPECT_THAT(of_code(bvh, Code::kProofFailed)[0].found,
                HasSubstr("joint \"socket\" is 0.333333 of its scale off at sample 24"));
    std::vector<std::string> lost;
    for (const Finding& f : of_code(bvh, Code::kLeftOut)) lost.push_back(f.where.text());
    EXPECT_THAT(lost, testing::Contains("clip \"c\", joint \"socket\""));
    EXPECT_TRUE(packed("format = \"bvh\"\n[proof]\ntolerance_scale = 0.34\n").proven);
}

TEST_F(UnseenTest, JointsTimesSamplesAreBounded) {
    Scene scene;
    scene.rate = {24, 1};
    for (int n = 0; n < 100; ++n)
        test::add_node(scene, "j" + std::to_string(n), n - 1, {{0, 0.02, 0}, {}, {1, 1, 1}});
    scene.roots = {0};
    test::key_turn(scene, 0, {}, test::turn(test::kX, 30));
    scene.timelines[0].name = "move";
    write_bytes(folder_ / "figure.glb", write_glb(scene));
    // 100 joints and the root times 25 samples are 2525: 80 times 31 is less, 80 times 32 more.
    const auto with = [&](int most) {
        return pack_text(
            folder_,
            recipe("range = [0, 24]\n", fmt::format("most_samples = {}\n", most), "rate = 24\n"),
            true);
    };
    EXPECT_THAT(with(31), FailsWith(Code::kLimit, "most_samples = "));
    EXPECT_THAT(with(32), IsOk());
}

TEST_F(UnseenTest, WhatTheRecipeSaysOfAFileIsNotAskedAgain) {
    write_text(
        folder_ / "figure.glb",
        "HIERARCHY\nROOT hips\n{\nOFFSET 0 0.96 0\nCHANNELS 6 Xposition Yposition Zposition "
        "Zrotation Xrotation Yrotation\nJOINT head\n{\nOFFSET 0 0.7 0\nCHANNELS 3 Zrotation "
        "Xrotation Yrotation\nEnd Site\n{\nOFFSET 0 0.1 0\n}\n}\n}\nMOTION\nFrames: 2\nFrame "
        "Time: 0.0416667\n0 0 0 0 0 0 0 0 0\n0.1 0.02 0.3 90 0 0 0 0 0\n");
    const auto unit_said = [&](const std::string& source) {
        const auto report =
            pack_text(folder_, recipe("range = [0, 1]\n", "", "rate = 24\n" + source), true);
        EXPECT_THAT(report, IsOk());
        int said = 0;
        for (const Finding& f : report.value().findings)
            said += f.found.ends_with("its unit and axes") ? 1 : 0;
        return said;
    };
    EXPECT_EQ(unit_said(""), 1);
    EXPECT_EQ(unit_said("unit = \"metre\"\nup = \"+Y\"\n"), 1) << "its front is still open";
    EXPECT_EQ(unit_said("unit = \"metre\"\nup = \"+Y\"\nfront = \"+Z\"\n"), 0);
}

TEST_F(UnseenTest, MeshesBelowWhatARuleMovesAreOfTheFigure) {
    write_text(folder_ / "cart.rig.toml",
               "[[rule]]\nkind = \"follow\"\nnode = \"cart\"\nsource = \"head\"\n");
    const std::string nodes = R"(,{"name":"cart","children":[4]},{"name":"crate","mesh":0})";
    const auto left = [&](const std::string& source) {
        const PackReport report =
            pack({going(24, 1)}, recipe("range = [0, 24]\n", "", source), nodes, ",3");
        return of_code(report, Code::kLeftOut);
    };
    ASSERT_THAT(left(""), SizeIs(1));
    EXPECT_THAT(left("")[0].found, HasSubstr("crate"));
    EXPECT_THAT(left("rig = \"cart.rig.toml\"\n"), IsEmpty());
}

TEST_F(UnseenTest, WhatFewerInfluencesCostIsHowFarVerticesAreOff) {
    // All vertices hang half on each; one joint each is left. The head goes up by 0.2 m, and half
    // of that is missing, or too much.
    const auto up = keyed(1, "translation", 24, [](int f) {
        return Three{0, 0.5 + 0.2 * f / 24, 0};
    });
    const PackReport report = pack({up}, recipe("range = [0, 24]\n", "influences = 1\n"));
    ASSERT_THAT(report.clips, SizeIs(1));
    EXPECT_NEAR(report.clips[0].proof.simplified_mm.worst, 100, 1e-3);
    EXPECT_LT(report.clips[0].proof.vertex_mm.worst, 0.001);
}

TEST_F(UnseenTest, WhatCannotBeReadBackIsNotWritten) {
    // 1e36 units of 10 km are beyond single precision.
    write_text(folder_ / "far.bvh",
               "HIERARCHY\nROOT hips\n{\nOFFSET 0 0 0\nCHANNELS 6 Xposition Yposition Zposition "
               "Zrotation Xrotation Yrotation\nEnd Site\n{\nOFFSET 0 1 0\n}\n}\nMOTION\nFrames: "
               "1\nFrame Time: 0.04\n1e36 0 0 0 0 0\n");
    const std::string in = "'" + (folder_ / "far.bvh").string() + "'",
                      out = "'" + (folder_ / "far.glb").string() + "'";
    const auto run = run_tool("convert " + in + " " + out + " --unit 1e4 --up +Y --front +Z");
    EXPECT_NE(run.exit, 0);
    EXPECT_THAT(run.err, HasSubstr("cannot be read back"));
    EXPECT_FALSE(std::filesystem::exists(folder_ / "far.glb"));
}

TEST(UnseenMathTest, AFlatMatrixHasNoShear) {
    const Affine m{{1, 0, 0}, {0, 0, 0}, {0.5, 0, 1}, {1, 2, 3}};
    const Affine shear = shear_of(m, {{1, 2, 3}, {}, {1, 0, 1}});
    EXPECT_EQ(shear.x, (Vec3{1, 0, 0}));
    EXPECT_EQ(shear.y, (Vec3{0, 1, 0}));
    EXPECT_EQ(shear.z, (Vec3{0, 0, 1}));
}

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

TEST(UnseenCurveTest, HermiteTangentsAreThreeTimesTheWayToTheirControlPoints) {
    // Tangents (1 s, 0) at both ends: times run evenly, values as u u (3 - 2 u).
    const Scene scene = keyed_x("HERMITE", "1 0 1 0|1 0 1 0");
    for (const double t : {0.1, 0.25, 0.5, 0.8})
        EXPECT_NEAR(x_at(scene, t), t * t * (3 - 2 * t), 1e-6) << t;
}

TEST(UnseenCurveTest, ControlPointsBeyondTheirSegmentEndAtItsEdge) {
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

TEST(UnseenCurveTest, AMemberHasOneCurve) {
    EXPECT_EQ(keyed_x("BEZIER", "0.3 0 2 1|0 0 0.7 1", 2).timelines.at(0).members.size(),
              keyed_x("BEZIER", "0.3 0 2 1|0 0 0.7 1").timelines.at(0).members.size());
}

TEST_F(UnseenTest, EachMeshIsMeasuredByItsOwnWeights) {
    Scene scene;
    scene.rate = {24, 1};
    const int root = test::add_node(scene, "hips", kNone, {});
    scene.timelines.emplace_back().name = "move";
    Skin skin;
    skin.joints = {root};
    skin.inverse_binds.resize(1);
    scene.skins = {skin};
    for (int m = 0; m < 2; ++m) {
        const int node = test::add_node(scene, m == 0 ? "face" : "coat", kNone, {});
        Mesh mesh;
        mesh.name = scene.nodes.back().name;
        mesh.target_names = {m == 0 ? "smile" : "flap"};
        Primitive part;
        part.positions = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}};
        part.influences_per_vertex = 4;
        part.influence_joints.assign(12, 0);
        part.influence_weights = {1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0};
        part.targets.resize(1);
        part.targets[0].positions = {{0, 0, 0.1F}, {0, 0, 0.2F}, {0, 0, 0.3F}};
        mesh.primitives = {part};
        scene.meshes.push_back(mesh);
        scene.nodes[static_cast<std::size_t>(node)].mesh = m;
        scene.nodes[static_cast<std::size_t>(node)].skin = 0;
        test::key(scene, node, Path::kWeights, {m == 0 ? 0.0 : 1.0}, {m == 0 ? 1.0 : 0.25});
    }
    test::key(scene, root, Path::kTranslation, {0, 0, 0}, {0, 0.2, 0});
    write_bytes(folder_ / "figure.glb", write_glb(scene));
    const auto report = pack_text(folder_, recipe("range = [0, 24]\n", "", "rate = 24\n"), true);
    ASSERT_THAT(report, IsOk());
    EXPECT_TRUE(report.value().proven);
    EXPECT_LT(report.value().clips[0].proof.weight.worst, 1e-6);
    EXPECT_LT(report.value().clips[0].proof.vertex_mm.worst, 1e-3);
}

TEST_F(UnseenTest, SamplesOfAClipAreBoundedByTheTarget) {
    write_bytes(folder_ / "figure.glb", figure({{0, "translation", {0, 2}, {0, 1, 0, 0, 1.5, 0}}}));
    const std::string clip = "range = [0, 24]\n";
    EXPECT_THAT(pack_text(folder_, recipe(clip, "most_samples = 24\n", "rate = 24\n")),
                FailsWith(Code::kLimit, "25 samples"));
    EXPECT_THAT(pack_text(folder_, recipe(clip, "most_samples = 25\n", "rate = 24\n")), IsOk());
}

TEST_F(UnseenTest, ExtrasOfAMaterialMayHoldAnything) {
    const std::string glb = [] {
        const auto bytes = figure({}, "", "",
                                  "],\"materials\":[{\"name\":\"skin\",\"extras\":{"
                                  "\"paintTexture\":7,\"a\":{\"noTexture\":{}}}}");
        return std::string(bytes.begin(), bytes.end());
    }();
    write_text(folder_ / "figure.glb", glb);
    EXPECT_THAT(read_scene(folder_ / "figure.glb"), IsOk());
}

TEST(UnseenStackTest, ATurnBehindAnUnevenScaleIsShear) {
    const Scene scene = collada("<scale>2 1 1</scale><rotate>0 0 1 45</rotate>", {});
    // diag(2, 1, 1) times a turn by 45 degrees about Z: columns (2c, c) and (-2c, c).
    const Affine m = local_matrix(scene.nodes.at(0));
    const double c = std::sqrt(0.5);
    EXPECT_NEAR(length(m.x - Vec3{2 * c, c, 0}), 0, 1e-9);
    EXPECT_NEAR(length(m.y - Vec3{-2 * c, c, 0}), 0, 1e-9);
    EXPECT_NEAR(length(m.z - Vec3{0, 0, 1}), 0, 1e-9);
}

TEST(UnseenStackTest, TurnsAboutTwoAxesAreNoArc) {
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

TEST_F(UnseenTest, AJointBelowOthersOfTheRootsNameIsNamed) {
    const auto clash = [&](const std::string& root) {
        write_bytes(folder_ / "figure.glb", figure({going(24, 1)}));
        return pack_text(folder_,
                         "[travel]\nroot = \"" + root + "\"\n" + recipe("range = [0, 24]\n"), true);
    };
    EXPECT_THAT(clash("head"), FailsWith(Code::kNameClash, "joint \"head\""));
    EXPECT_THAT(clash("head"), FailsWith(Code::kNameClash, "root = "));
    EXPECT_THAT(clash("hips"), IsOk()) << "the only joint on top is the root";
}

TEST_F(UnseenTest, NodesNamedAfterTheirParentsMoveByThemselves) {
    // "arm.mesh" and "eye.view" are nodes like others: only what was split off stands for another.
    Scene scene;
    scene.rate = {24, 1};
    const int arm = test::add_node(scene, "arm", kNone, {});
    const int plate = test::add_node(scene, "arm.mesh", arm, {{0, 1, 0}, {}, {1, 1, 1}});
    const int eye = test::add_node(scene, "eye", arm, {{0, 2, 0}, {}, {1, 1, 1}});
    const int view = test::add_node(scene, "eye.view", eye, {});
    Mesh mesh;
    mesh.primitives.emplace_back();
    mesh.primitives[0].positions = {{0, 0, 0}, {0.5F, 0, 0}, {0, 0.5F, 0}};
    scene.meshes.push_back(mesh);
    scene.nodes[1].mesh = 0;
    scene.cameras = {R"({"type":"perspective","perspective":{"yfov":0.8,"znear":0.1}})"};
    scene.nodes[3].camera = 0;
    test::key_turn(scene, arm, {}, test::turn(test::kX, 40));
    test::key_turn(scene, plate, {}, test::turn(test::kZ, 70));
    test::key_turn(scene, view, {}, test::turn(test::kY, 30));
    scene.timelines[0].name = "move";
    write_bytes(folder_ / "figure.glb", write_glb(scene));
    const auto report = pack_text(folder_, recipe("range = [0, 24]\n", "", "rate = 24\n"), true);
    ASSERT_THAT(report, IsOk());
    EXPECT_TRUE(report.value().proven);
    EXPECT_THAT(report.value().joints, testing::IsSupersetOf({"arm.mesh", "eye.view"}));
    const auto worlds =
        test::plain_gltf_worlds(test::read_text(folder_ / "out/clips/c.glb"), "c", 24);
    // Columns of Rx(40) Rz(70): the first is (cos 70, sin 70 cos 40, sin 70 sin 40).
    const double c = std::cos(70 * M_PI / 180), s = std::sin(70 * M_PI / 180);
    const double wanted[] = {c, s * std::cos(40 * M_PI / 180), s * std::sin(40 * M_PI / 180)};
    for (std::size_t row = 0; row < 3; ++row)
        EXPECT_NEAR(worlds.at("arm.mesh").world[row][0], wanted[row], 1e-6);
}

TEST(UnseenKeysTest, KeysOfAnyLengthAreMadeUnitBeforeTheyAreMixed) {
    // The second key, a quarter turn about Z, is 1.1 long: mixed as it is, it would weigh more.
    Scene scene;
    test::add_node(scene, "n", kNone, {});
    const double s = 1.1 * std::sqrt(0.5);
    test::key(scene, 0, Path::kRotation, {0, 0, 0, 1}, {0, 0, s, s});
    for (const double u : {0.25, 0.5, 0.75})
        EXPECT_NEAR(
            test::angle(test::evaluate(scene, {}, u).local(0, 0).r, test::turn(test::kZ, 90 * u)),
            0, 1e-5)
            << u;
}

TEST(UnseenRulesTest, AChainOutOfReachComesAsNearAsItsLimitsLetIt) {
    for (const auto& [limit, degrees, far] :
         {std::array{40.0, 75.0, 4.0}, {60.0, 90.0, 3.2}, {60.0, 120.0, 6.0}, {80.0, 120.0, 4.0}}) {
        Scene scene;
        for (int j = 0; j < 4; ++j)
            test::add_node(scene, fmt::format("c{}", j), j - 1,
                           {{0, j == 0 ? 0.0 : 1.0, 0}, {}, {1, 1, 1}});
        const double a = degrees * M_PI / 180;
        const Vec3 goal{far * std::sin(a), far * std::cos(a), 0};
        test::add_node(scene, "goal", kNone, {goal, {}, {1, 1, 1}});
        const PoseTile tile = test::evaluate(
            scene, test::sheet(fmt::format("[[rule]]\nkind = \"chain\"\njoints = [\"c0\", \"c1\", "
                                           "\"c2\", \"c3\"]\ngoal = \"goal\"\nlimit = {}\n",
                                           limit)));
        // Every bend of the three bones in their plane, in steps of a fiftieth of the limit.
        double best = 100;
        const double step = limit * M_PI / 180 / 50;
        for (int i = -50; i <= 50; ++i)
            for (int j = -50; j <= 50; ++j)
                for (int k = -50; k <= 50; ++k) {
                    const double x = i * step, y = x + j * step, z = y + k * step;
                    best = std::min(best,
                                    std::hypot(std::sin(x) + std::sin(y) + std::sin(z) - goal.x,
                                               std::cos(x) + std::cos(y) + std::cos(z) - goal.y));
                }
        EXPECT_NEAR(length(tile.world(3, 0).o - goal), best, 0.01) << limit << " " << degrees;
    }
}

TEST(UnseenRulesTest, LagsBelowLagsKnowTheRoundsBeforeALoop) {
    // A cart goes round the origin, 40 degrees a second, and bounces. Eleven rounds keyed before
    // the one that is played are what a loop of one round stands for.
    const auto scene_of = [](int rounds) {
        Scene scene;
        const int cart = test::add_node(scene, "cart", kNone, {});
        test::add_node(scene, "b", test::add_node(scene, "a", cart, {{0, 1, 0}, {}, {1, 1, 1}}),
                       {{0, 0.5, 0.2}, {}, {1, 1, 1}});
        Curve places{Interpolation::kLinear, 3, {}, {}}, turns{Interpolation::kLinear, 4, {}, {}};
        for (int k = 0; k <= 24 * rounds; ++k) {
            const double t = k / 24.0, h = 40 * t * M_PI / 180;
            places.times.push_back(t);
            turns.times.push_back(t);
            places.values.append({2 * std::sin(h), 0.1 * std::sin(2 * M_PI * t), 2 * std::cos(h)});
            turns.values.append({0.0, std::sin(h / 2), 0.0, std::cos(h / 2)});
        }
        scene.timelines.emplace_back().channels = {{cart, Path::kTranslation, places},
                                                   {cart, Path::kRotation, turns}};
        return scene;
    };
    const auto lag = [](const std::string& node, double frequency) {
        return fmt::format(
            "[[rule]]\nkind = \"lag\"\nnode = \"{}\"\nparts = [\"position\", \"orientation\"]\n"
            "frequency = {}\ndamping = 0.3\nrun_in = 11\n",
            node, frequency);
    };
    const RigSheet rules = test::sheet(lag("a", 1.5) + lag("b", 2.5));
    Performance loop, keyed_out;
    loop.timeline = keyed_out.timeline = 0;
    loop.played = Played{0, 1, true};
    keyed_out.played = Played{11, 12, false};
    const PoseTile one = test::evaluate(scene_of(1), rules, loop, {0, 0.3, 0.75, 1});
    const PoseTile all = test::evaluate(scene_of(12), rules, keyed_out, {11, 11.3, 11.75, 12});
    for (const int node : {1, 2})
        for (int f = 0; f < 4; ++f) {
            EXPECT_LT(length(one.local(node, f).t - all.local(node, f).t), 1e-6) << node << f;
            EXPECT_LT(test::angle(one.local(node, f).r, all.local(node, f).r), 1e-4) << node << f;
        }
}

TEST(UnseenTakeTest, MeshesThatRestOnAJointGoWithIt) {
    Scene scene;
    const int hips = test::add_node(scene, "hips", kNone, {});
    test::key_turn(scene, hips, {}, test::turn(test::kZ, 90));
    const Skeleton skeleton = Skeleton::make({{"hips", -1, {}}}).value();
    const Rig rig = Rig::bind(scene, 0, {}).value();
    const Mount hat{"hat", kNone, 0, to_affine({{0, 2, 0}, {}, {1, 1, 1}})};
    const Take take = take_of(scene, rig.source(), skeleton, {JointSource{hips}}, {{hat}, {}});
    JointTile tile = take.make_tile();
    const double end = 1;
    take.evaluate({&end, 1}, Take::Want::kWorlds, tile);
    // Up by two, turned about Z by a quarter: to the side by two.
    for (const auto& [row, value] : {std::pair(9, -2.0), {10, 0.0}, {11, 0.0}})
        EXPECT_NEAR(tile.mount(0)[row * kTileFrames], value, 1e-12);
}

TEST(UnseenTakeTest, TheFastestTurnIsToldWhereverAClipBegins) {
    const Skeleton skeleton = Skeleton::make({{"wheel", -1, {}}}).value();
    const Take take = take_of(skeleton, [](double seconds, std::span<Transform> joints) {
        joints[0].r = test::turn(test::kZ, seconds < 0.45 ? 170 : 110);
    });
    const SamplePlan plan{"c", 0, 10, {10, 1}, {10, 1}, 11, false};
    const JointLoss loss = bake(take, plan).losses[0];
    EXPECT_NEAR(loss.fastest_turn_rad, std::numbers::pi / 3, 1e-6);
    EXPECT_EQ(loss.fastest_sample, 5);
}

TEST(UnseenTakeTest, TargetsOfOneNameKeepTheirOwnWeights) {
    Scene scene;
    const int face = test::add_node(scene, "face", kNone, {});
    Mesh mesh;
    mesh.target_names = {"smile", "smile"};
    scene.meshes.push_back(mesh);
    scene.nodes[0].mesh = 0;
    scene.nodes[0].morph_weights = {0.2, 0.7};
    const Rig rig = Rig::bind(scene, kNone, {}).value();
    const Take take = take_of(scene, rig.source(), Skeleton::make({{"face", -1, {}}}).value(),
                              {JointSource{face}}, {{}, {{{"face", mesh.target_names, {0, 0}}}}});
    JointTile tile = take.make_tile();
    const double start = 0;
    take.evaluate({&start, 1}, Take::Want::kWorlds, tile);
    EXPECT_EQ(tile.scalar(0)[0], 0.2);
    EXPECT_EQ(tile.scalar(1)[0], 0.7);
}

TEST(UnseenTakeTest, WhatGoesOnBeyondItsEndStaysOnItsBend) {
    // Round a circle of 2 m about (3, 1), half a radian a second, facing along.
    const auto on_circle = [](double t) {
        return Transform{{3 + 2 * std::cos(0.5 * t), 1, 1 - 2 * std::sin(0.5 * t)},
                         from_axis_angle({0, 1, 0}, 0.5 * t),
                         {1, 1, 1}};
    };
    const Take round =
        take_of(Skeleton::make({{"hips", -1, {{0, 1, 0}, {}, {1, 1, 1}}}}).value(),
                [&](double second, std::span<Transform> locals) { locals[0] = on_circle(second); });
    LoopRepair way;
    way.ground = way.heading = true;
    const ShapedTake longer = go_on({round, 2}, 0.25, way, RootKind::kFigure);
    EXPECT_EQ(longer.seconds, 2.25);
    JointTile tile = longer.take.make_tile();
    for (const double second : {1.9, 2.0, 2.25}) {
        longer.take.evaluate({&second, 1}, Take::Want::kWorlds, tile);
        const Affine got = load(world_rows(tile, 0), 0), want = to_affine(on_circle(second));
        EXPECT_LT(length(got.o - want.o), 1e-9) << second;
        EXPECT_LT(length(got.z - want.z), 1e-9) << second;
    }
}

TEST(UnseenKeysTest, CarriedTimelinesKeepTheSecondsThatCount) {
    Scene figure;
    test::add_node(figure, "control", kNone, {});
    Scene motion = figure;
    test::key(motion, 0, Path::kTranslation, {0, 0, 0}, {1, 0, 0}, 2);
    motion.timelines[0].span = {0.5, 1.5};
    std::vector<std::string> left;
    const Scene carried = carry_keys(figure, motion, "m", left).value();
    EXPECT_EQ(carried.timelines.at(0).span, motion.timelines[0].span);
}

TEST(UnseenKeysTest, ControlsBelowWhatTheFigureLacksAreRefused) {
    Scene figure, motion;
    test::add_node(figure, "control", kNone, {});
    const int stage = test::add_node(motion, "stage", kNone, {});
    const int control = test::add_node(motion, "control", stage, {});
    test::key(motion, control, Path::kTranslation, {0, 0, 0}, {1, 0, 0}, 2);
    std::vector<std::string> left;
    EXPECT_THAT(carry_keys(figure, motion, "m", left),
                FailsWith(Code::kSkeletonDiffers, "hangs on \"stage\""));
}

TEST(UnseenKeysTest, WhatIsNotKeyedMustRestAlike) {
    Scene figure;
    test::add_node(figure, "control", kNone, {});
    const auto carried = [&](const Transform& rest, Path keyed) {
        Scene motion = figure;
        motion.nodes[0].local = rest;
        if (keyed == Path::kRotation)
            test::key_turn(motion, 0, {}, test::turn(test::kX, 30));
        else
            test::key(motion, 0, keyed, {0, 0, 0}, {1, 1, 1}, 2);
        std::vector<std::string> left;
        return carry_keys(figure, motion, "m", left);
    };
    const Transform turned{{}, test::turn(test::kX, 0.1), {1, 1, 1}},
        moved{{0.01, 0, 0}, {}, {1, 1, 1}}, larger{{}, {}, {1, 1.01, 1}};
    EXPECT_THAT(carried(turned, Path::kTranslation),
                FailsWith(Code::kSkeletonDiffers, "0.10 degrees turned"));
    EXPECT_THAT(carried(moved, Path::kRotation),
                FailsWith(Code::kSkeletonDiffers, "rests 1.00 cm elsewhere"));
    EXPECT_THAT(carried(larger, Path::kRotation),
                FailsWith(Code::kSkeletonDiffers, "rests scaled by 1.000 1.010 1.000"));
    EXPECT_THAT(carried(turned, Path::kRotation), IsOk());
    EXPECT_THAT(carried(moved, Path::kTranslation), IsOk());
    EXPECT_THAT(carried(larger, Path::kScale), IsOk());
}

TEST(UnseenKeysTest, WeightsOfOtherTargetsStayBehindAndStacksKeepTheirConvention) {
    Scene figure;
    const int face = test::add_node(figure, "face", kNone, {});
    figure.meshes.emplace_back().target_names = {"smile"};
    figure.nodes[0].mesh = 0;
    Scene motion = figure;
    motion.stack_convention = {0.01, Axis::kPlusZ, Axis::kMinusY};
    test::key(motion, face, Path::kTranslation, {0, 0, 0}, {1, 0, 0}, 2);
    test::key(motion, face, Path::kWeights, {0}, {1}, 2);
    std::vector<std::string> left;
    const Scene alike = carry_keys(figure, motion, "m", left).value();
    EXPECT_THAT(alike.timelines[0].channels, SizeIs(2));
    EXPECT_THAT(left, IsEmpty());
    EXPECT_EQ(alike.stack_convention, motion.stack_convention);
    motion.meshes[0].target_names = {"smile", "blink"};
    motion.timelines[0].channels.pop_back();
    test::key(motion, face, Path::kWeights, {0, 0}, {1, 1}, 2);
    const Scene other = carry_keys(figure, motion, "m", left).value();
    EXPECT_THAT(other.timelines[0].channels, SizeIs(1));
    EXPECT_THAT(left, testing::ElementsAre("face"));
    // In another order they are carried by their names, whichever way the file has them.
    figure.meshes[0].target_names = {"blink", "smile"};
    motion.timelines[0].channels.pop_back();
    test::key(motion, face, Path::kWeights, {0, 0.25}, {1, 0.75}, 2);
    const std::vector<double> keys = motion.timelines[0].channels.back().curve.values.list();
    std::vector<double> turned;
    for (std::size_t k = 0; k < keys.size(); k += 2)
        turned.insert(turned.end(), {keys[k + 1], keys[k]});
    for (const bool in_the_file : {true, false}) {
        if (!in_the_file) {
            motion.timelines[0].morphs.push_back(
                {"face", {"smile", "blink"}, motion.timelines[0].channels.back().curve});
            motion.timelines[0].channels.pop_back();
        }
        const Scene carried = carry_keys(figure, motion, "m", left).value();
        EXPECT_EQ(carried.timelines[0].channels.back().path, Path::kWeights);
        EXPECT_EQ(carried.timelines[0].channels.back().curve.values, turned);
        EXPECT_THAT(left, IsEmpty());
    }
    motion.timelines[0].morphs[0].targets = {"smile", "frown"};
    EXPECT_THAT(carry_keys(figure, motion, "m", left).value().timelines[0].channels, SizeIs(1));
    EXPECT_THAT(left, testing::ElementsAre("face"));
    motion.timelines[0].morphs[0].targets = {"target_0", "target_1"};  // without names: by order
    EXPECT_THAT(carry_keys(figure, motion, "m", left).value().timelines[0].channels, SizeIs(2));
}

TEST(UnseenKeysTest, JointsOfAScaledFileAreAsLargeAsTheFigures) {
    const auto up = [](double y) { return Transform{{0, y, 0}, {}, {1, 1, 1}}; };
    const Skeleton figure = Skeleton::make({{"hips", -1, up(1)}, {"head", 0, up(0.5)}}).value();
    Scene motion;
    const int rig = test::add_node(motion, "rig", kNone, {{}, {}, {0.01, 0.01, 0.01}});
    const int hips = test::add_node(motion, "hips", rig, up(100));
    test::add_node(motion, "head", hips, up(50));
    test::key(motion, hips, Path::kTranslation, {0, 100, 0}, {0, 200, 0}, 2);
    const JointMap map = match_joints(figure, motion, {}, "m").value();
    const Rig bound = Rig::bind(motion, 0, {}).value();
    const Take take = take_of(motion, bound.source(), figure, map.sources);
    JointTile tile = take.make_tile();
    const double end = 2;
    take.evaluate({&end, 1}, Take::Want::kWorlds, tile);
    for (const int j : {0, 1}) {
        const Affine world = load(world_rows(tile, j), 0);
        EXPECT_NEAR(world.o.y, j == 0 ? 2 : 2.5, 1e-9);
        EXPECT_NEAR(length(world.y), 1, 1e-9);
    }
}

TEST(UnseenKeysTest, BonesOfOtherLengthsAreRefusedUnlessEveryTimelineKeysThem) {
    const auto up = [](double y) { return Transform{{0, y, 0}, {}, {1, 1, 1}}; };
    const Skeleton figure = Skeleton::make({{"hips", -1, up(1)}, {"head", 0, up(1)}}).value();
    const auto matched = [&](double length, int keyed) {
        Scene motion;
        const int hips = test::add_node(motion, "hips", kNone, up(1));
        const int head = test::add_node(motion, "head", hips, up(length));
        motion.timelines.resize(2);
        for (int t = 0; t < keyed; ++t) {
            const Curve curve{Interpolation::kLinear, 3, {0, 1}, {0, 1, 0, 0, 1, 0}};
            motion.timelines[static_cast<std::size_t>(t)].channels.push_back(
                {head, Path::kTranslation, curve});
        }
        return match_joints(figure, motion, {}, "m");
    };
    EXPECT_THAT(matched(1.004, 0), IsOk());
    EXPECT_THAT(matched(1.02, 0), FailsWith(Code::kSkeletonDiffers, "102.0 cm"));
    EXPECT_THAT(matched(1.5, 1), FailsWith(Code::kSkeletonDiffers, "150.0 cm"));
    EXPECT_THAT(matched(1.5, 2), IsOk());
    // Members of a stack: a matrix and a look-at say where a node stands, a turn does not.
    for (const auto& [kind, places] : {std::pair(StackKind::kTranslate, true),
                                       {StackKind::kMatrix, true},
                                       {StackKind::kLookAt, true},
                                       {StackKind::kRotate, false}}) {
        Scene motion;
        const int hips = test::add_node(motion, "hips", kNone, up(1));
        const int head = test::add_node(motion, "head", hips, up(1.5));
        motion.nodes[static_cast<std::size_t>(head)].stack = {{kind, "s", {}}};
        motion.timelines.resize(1);
        MemberCurve curve;
        curve.node = head, curve.element = 0;
        motion.timelines[0].members = {curve};
        EXPECT_EQ(match_joints(figure, motion, {}, "m").ok(), places) << static_cast<int>(kind);
    }
}

TEST(UnseenKeysTest, TablesTellMeshesApartAndTimesAscend) {
    const std::string header = "seconds,face/smile.weight,face/frown.weight,hat/tilt.weight\n";
    const auto table = read_motion_table(header + "0,0.1,0.5,0.2\r\n1,0.3,0.6,0.4\r\n", "m.csv");
    ASSERT_THAT(table, IsOk());
    const auto& morphs = table.value().timelines.at(0).morphs;
    ASSERT_THAT(morphs, SizeIs(2));
    EXPECT_EQ(morphs[1].mesh, "hat");
    EXPECT_THAT(morphs[0].curve.values.list(), testing::ElementsAre(0.1, 0.5, 0.3, 0.6));
    EXPECT_THAT(morphs[1].curve.values.list(), testing::ElementsAre(0.2, 0.4));
    EXPECT_THAT(read_motion_table(header + "0,0,0,0\n1,0,0,0\n1,0,0,0\n", "m.csv"),
                FailsWith(Code::kNumberBad, "1 seconds"));
}

TEST(UnseenKeysTest, PrefixesGoFromTimelinesAndMorphsToo) {
    Scene scene;
    test::add_node(scene, "crew:hips", kNone, {});
    Timeline& timeline = scene.timelines.emplace_back();
    timeline.name = "crew:walk";
    timeline.morphs.push_back({"crew:face", {"smile"}, {}});
    rename(scene, "crew:", {{"face", "head"}});
    EXPECT_EQ(scene.nodes[0].name, "hips");
    EXPECT_EQ(scene.timelines[0].name, "walk");
    EXPECT_EQ(scene.timelines[0].morphs[0].mesh, "head");
}

TEST(UnseenTakeTest, AGapIsClosedEvenlyOrSmoothly) {
    // What goes a metre ahead in a second comes back over the last half of it: at 5/8 s a quarter
    // of its span is over.
    const Take ahead =
        take_of(Skeleton::make({{"hips", -1, {}}}).value(),
                [](double second, std::span<Transform> locals) { locals[0].t.x = second; });
    for (const auto& [even, gone] : {std::pair(true, 0.25), {false, 0.15625}}) {
        LoopRepair repair;
        repair.span = 0.5;
        repair.even = even;
        const Take closed = repair_loop({ahead, 1}, repair, RootKind::kFigure).take;
        JointTile tile = closed.make_tile();
        for (const auto& [second, place] :
             {std::pair(0.5, 0.5), {0.625, 0.625 - gone}, {1.0, 0.0}}) {
            closed.evaluate({&second, 1}, Take::Want::kWorlds, tile);
            EXPECT_NEAR(load(world_rows(tile, 0), 0).o.x, place, 1e-12) << second;
        }
    }
}

TEST(UnseenTakeTest, AFittedTakeKnowsTheWeightsOfASecondMesh) {
    Scene scene;
    for (const auto& [name, target, weight] :
         {std::tuple("face", "smile", 0.2), {"hat", "tilt", 0.7}}) {
        const int node = test::add_node(scene, name, kNone, {});
        Mesh mesh;
        mesh.target_names = {target};
        scene.meshes.push_back(mesh);
        scene.nodes[static_cast<std::size_t>(node)].mesh = node;
        scene.nodes[static_cast<std::size_t>(node)].morph_weights = {weight};
    }
    const Rig rig = Rig::bind(scene, kNone, {}).value();
    const Skeleton skeleton = Skeleton::make({{"face", -1, {}}}).value();
    const std::vector<MorphChannels> morphs{{"face", {"smile"}, {0}}, {"hat", {"tilt"}, {0}}};
    const Take figure = take_of(scene, rig.source(), skeleton, {JointSource{0}}, {{}, morphs});
    const Take fitted = fit_take(figure, skeleton, {0}, {{}, {morphs[1], morphs[0]}, {}});
    JointTile tile = fitted.make_tile();
    const double start = 0;
    fitted.evaluate({&start, 1}, Take::Want::kWorlds, tile);
    EXPECT_EQ(tile.scalar(0)[0], 0.7);
    EXPECT_EQ(tile.scalar(1)[0], 0.2);
}

}  // namespace
}  // namespace mellow
