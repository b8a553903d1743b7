// COLLADA: surfaces, skins, morph targets, cameras, materials.
#include <fmt/format.h>

#include <cmath>
#include <numbers>
#include <regex>

#include "collada_text.h"
#include "mellow/pose.h"
#include "packing.h"
#include "support.h"

namespace mellow::collada_meshes_test {
namespace {

using namespace test;

double surface(const Primitive& p) {
    double sum = 0;
    for (std::size_t i = 0; i + 2 < p.indices.size(); i += 3) {
        const auto at = [&](std::size_t k) {
            const Float3& v = p.positions[p.indices[i + k]];
            return Vec3{v[0], v[1], v[2]};
        };
        sum += cross(at(1) - at(0), at(2) - at(0)).z / 2;
    }
    return sum;
}

TEST_P(ColladaSurface, KeepsItsAreaAndWinding) {
    const Scene scene = must_parse(file("<node id=\"n\"><instance_geometry url=\"#g\"/></node>",
                                        box(GetParam().first)))
                            .scene;
    ASSERT_EQ(scene.meshes.size(), 1U);
    EXPECT_NEAR(surface(scene.meshes[0].primitives[0]), GetParam().second, 1e-6);
}

TEST(ColladaTest, PolygonsWithHolesAndBays) {
    // A plate of 6 x 6 with a hole of 2 x 2, and a bent outline whose mean corner lies outside.
    const std::string geometry =
        "<library_geometries><geometry id=\"g\"><mesh>" +
        source("p", "0 0 0 6 0 0 6 6 0 0 6 0  2 2 0 4 2 0 4 4 0 2 4 0", 8, 3) +
        source("q", "0 0 0 4 0 0 4 4 0 3 4 0 3 1 0 0 1 0", 6, 3) +
        "<vertices id=\"v\"><input semantic=\"POSITION\" source=\"#p\"/></vertices><vertices "
        "id=\"w\"><input semantic=\"POSITION\" source=\"#q\"/></vertices><polygons><input "
        "semantic=\"VERTEX\" source=\"#v\" offset=\"0\"/><ph><p>0 1 2 3</p><h>4 5 6 7</h></ph>"
        "</polygons></mesh></geometry><geometry id=\"bay\"><mesh>" +
        "<polylist><input semantic=\"VERTEX\" source=\"#w\" offset=\"0\"/><vcount>6</vcount><p>0 1 "
        "2 "
        "3 4 5</p></polylist></mesh></geometry></library_geometries>";
    const Scene scene =
        must_parse(file("<node id=\"n\"><instance_geometry url=\"#g\"/><instance_geometry "
                        "url=\"#bay\"/></node>",
                        geometry))
            .scene;
    ASSERT_EQ(scene.meshes.size(), 2U);
    EXPECT_NEAR(surface(scene.meshes[0].primitives[0]), 36 - 4, 1e-6);
    EXPECT_NEAR(surface(scene.meshes[1].primitives[0]), 4 + 3, 1e-6);
    ASSERT_EQ(scene.nodes.size(), 2U) << "the second shape got a node of its own";
    EXPECT_EQ(scene.nodes[1].parent, 0);
}

TEST(ColladaTest, SkinFollowsItsJoints) {
    // The corner (2 2 0), doubled by the bind shape to (4 4 0), hangs on b: b turns with a by 90
    // degrees about (1 0 0), which takes (4 4 0) = (1 0 0) + (3 4 0) to (1 0 0) + (-4 3 0).
    const Scene scene = must_parse(skinned("1 1 1 2", "0 0 0 0 1 0 0 1 1 1", "1 0.5")).scene;
    ASSERT_EQ(scene.skins.size(), 1U);
    EXPECT_EQ(scene.nodes[static_cast<std::size_t>(scene.skins[0].joints[1])].name, "hand");
    const int node = find_node(scene, "skin");
    const Pose pose = pose_at(scene, scene.timelines[0], 1);
    const auto points = posed_vertices(scene, node, scene.meshes[0].primitives[0], pose);
    EXPECT_LT(length(points[2] - Vec3{-3, 3, 0}), 1e-6);
    // (0 4 0) on both alike: they turn as one.
    EXPECT_LT(length(points[3] - Vec3{-3, -1, 0}), 1e-6);
}

TEST(ColladaTest, InputsOfWeightsInAnyOrder) {
    const std::string joint = "<input semantic=\"JOINT\" source=\"#cj\" offset=\"0\"/>",
                      weight = "<input semantic=\"WEIGHT\" source=\"#cw\" offset=\"1\"/>";
    const std::string text = skinned("1 1 1 2", "0 0 0 0 1 0 0 1 1 1", "1 0.5");
    std::string other = text;
    const auto at = other.find(joint + weight);
    ASSERT_NE(at, other.npos);
    other.replace(at, joint.size() + weight.size(), weight + joint);
    const Scene as_usual = must_parse(text).scene, turned = must_parse(other).scene;
    const Primitive &a = as_usual.meshes[0].primitives[0], &b = turned.meshes[0].primitives[0];
    EXPECT_EQ(a.influence_joints, b.influence_joints);
    EXPECT_EQ(a.influence_weights, b.influence_weights);
}

TEST(ColladaTest, AnyNumberOfWeightsPerPlace) {
    const ReadResult read =
        must_parse(skinned("6 1 1 1", "0 0 1 0 0 0 1 0 0 0 1 0 0 1 0 1 0 1", "0.125 1"));
    const Primitive& p = read.scene.meshes[0].primitives[0];
    EXPECT_EQ(p.influences_per_vertex, 8);
    EXPECT_TRUE(says(read, Code::kWeightSum, "1 vertices")) << "six eighths make no whole";
    double sum = 0;
    for (std::size_t i = 0; i < 8; ++i) sum += static_cast<double>(p.influence_weights[i]);
    EXPECT_NEAR(sum, 1, 1e-6);
}

TEST(ColladaTest, SeveralSkeletonRootsAndNamesAgainstTheRules) {
    const std::string pairs = "0 0 0 0 1 0 1 0";
    EXPECT_THAT(read_dae(skinned("1 1 1 1", pairs, "1",
                                 "<skeleton>#jb</skeleton><skeleton>#ja</skeleton>")),
                IsOk());
    const ReadResult read =
        must_parse(skinned("1 1 1 1", pairs, "1", "<skeleton>#skin</skeleton>"));
    EXPECT_TRUE(says(read, Code::kAssumed, "outside the skeleton roots"));
    EXPECT_EQ(read.scene.skins[0].joints.size(), 2U);
}

TEST(ColladaTest, MorphUnderSkin) {
    // The target lifts corner 2 by (0 0 3) before the bind shape doubles it; half of it is shown.
    const std::string target =
        "<controller id=\"mc\"><morph source=\"#g\" method=\"NORMALIZED\"><source "
        "id=\"mt\"><IDREF_array>up</IDREF_array></source>" +
        source("mw", "0.5", 1, 1) +
        "<targets><input semantic=\"MORPH_TARGET\" source=\"#mt\"/><input "
        "semantic=\"MORPH_WEIGHT\" "
        "source=\"#mw\"/></targets></morph></controller></library_controllers><library_geometries>"
        "<geometry id=\"up\" name=\"swollen\"><mesh>" +
        source("up-p", "0 0 0 2 0 0 2 2 3 0 2 0", 4, 3) +
        "<vertices id=\"up-v\"><input semantic=\"POSITION\" "
        "source=\"#up-p\"/></vertices><triangles>"
        "<input semantic=\"VERTEX\" source=\"#up-v\" offset=\"0\"/><p>0 1 2</p></triangles></mesh>"
        "</geometry></library_geometries><library_controllers>";
    std::string text =
        skinned("1 1 1 1", "0 0 0 0 0 0 0 0", "1", "<skeleton>#root</skeleton>", target);
    const std::string drive = animation("w", "mw(0)", {"0 1", "0.5 1", "LINEAR LINEAR"});
    text.insert(text.find("</library_animations>"), drive);
    Scene scene = must_parse(text).scene;
    const int node = find_node(scene, "skin");
    EXPECT_EQ(scene.meshes[0].target_names, std::vector<std::string>{"swollen"});
    EXPECT_EQ(scene.meshes[0].morph_weights, std::vector<double>{0.5});
    const auto corner = [&](double t) {
        return posed_vertices(scene, node, scene.meshes[0].primitives[0],
                              pose_at(scene, scene.timelines[0], t))[2];
    };
    EXPECT_NEAR(corner(0).z, 3, 1e-6);
    EXPECT_NEAR(corner(1).z, 6, 1e-6);
    compose_stacks(scene);
    EXPECT_NEAR(corner(0.5).z, 4.5, 1e-6);
    // Told by what it moves instead.
    const Vec3 before = corner(1);
    const auto put = [&](const std::string& from, const std::string& to) {
        ASSERT_NE(text.find(from), text.npos);
        text.replace(text.find(from), from.size(), to);
    };
    put("NORMALIZED", "RELATIVE");
    put("0 0 0 2 0 0 2 2 3 0 2 0", "0 0 0 0 0 0 0 0 3 0 0 0");
    scene = must_parse(text).scene;
    EXPECT_LT(length(corner(1) - before), 1e-6);
}

TEST(ColladaTest, MorphTargetsThatAreToldByWhatTheyMoveHaveNoNormals) {
    const auto geometry = [](const std::string& id, const std::string& places) {
        return "<geometry id=\"" + id + "\"><mesh>" + source(id + "p", places, 3, 3) +
               source(id + "n", "0 0 1 0 0 1 0 0 1", 3, 3) + "<vertices id=\"" + id +
               "v\"><input semantic=\"POSITION\" source=\"#" + id +
               "p\"/><input semantic=\"NORMAL\" source=\"#" + id +
               "n\"/></vertices><triangles><input semantic=\"VERTEX\" source=\"#" + id +
               "v\" offset=\"0\"/><p>0 1 2</p></triangles></mesh></geometry>";
    };
    for (const auto& [method, normals] : {std::pair("RELATIVE", 0U), {"NORMALIZED", 3U}}) {
        const Scene scene =
            must_parse(
                file("<node id=\"n\"><instance_controller url=\"#mc\"/></node>",
                     "<library_geometries>" + geometry("g", "0 0 0 1 0 0 0 1 0") +
                         geometry("up", "0 0 1 1 0 1 0 1 1") +
                         "</library_geometries><library_controllers><controller id=\"mc\"><morph "
                         "source=\"#g\" method=\"" +
                         method + "\"><source id=\"mt\"><IDREF_array>up</IDREF_array></source>" +
                         source("mw", "1", 1, 1) +
                         "<targets><input semantic=\"MORPH_TARGET\" source=\"#mt\"/><input "
                         "semantic=\"MORPH_WEIGHT\" source=\"#mw\"/></targets></morph></controller>"
                         "</library_controllers>"))
                .scene;
        const MorphTarget& target = scene.meshes.at(0).primitives.at(0).targets.at(0);
        EXPECT_THAT(target.positions, testing::SizeIs(3));
        EXPECT_THAT(target.normals, testing::SizeIs(normals));
    }
}

TEST(ColladaTest, MorphTargetsHaveTheNormalsOfTheirOwnPart) {
    // Two parts with normals of their own, three in the first and one in the second.
    const auto geometry = [](const std::string& id, const std::string& three, const char* one) {
        const auto part = [&](const char* symbol, const std::string& normals, const char* corners) {
            return fmt::format(
                "<triangles material=\"{0}\"><input semantic=\"VERTEX\" source=\"#{1}v\" "
                "offset=\"0\"/><input semantic=\"NORMAL\" source=\"#{2}\" offset=\"1\"/>"
                "<p>{3}</p></triangles>",
                symbol, id, normals, corners);
        };
        return "<geometry id=\"" + id + "\"><mesh>" + source(id + "p", "0 0 0 1 0 0 0 1 0", 3, 3) +
               source(id + "a", three, 3, 3) + source(id + "b", one, 1, 3) + "<vertices id=\"" +
               id + "v\"><input semantic=\"POSITION\" source=\"#" + id + "p\"/></vertices>" +
               part("a", id + "a", "0 0 1 1 2 2") + part("b", id + "b", "0 0 1 0 2 0") +
               "</mesh></geometry>";
    };
    const Scene scene =
        must_parse(file("<node id=\"n\"><instance_controller url=\"#mc\"/></node>",
                        "<library_geometries>" + geometry("g", "0 0 1 0 0 1 0 0 1", "0 1 0") +
                            geometry("up", "1 0 0 1 0 0 0 1 0", "0 0 1") +
                            "</library_geometries><library_controllers><controller id=\"mc\">"
                            "<morph source=\"#g\" method=\"NORMALIZED\"><source id=\"mt\">"
                            "<IDREF_array>up</IDREF_array></source>" +
                            source("mw", "1", 1, 1) +
                            "<targets><input semantic=\"MORPH_TARGET\" source=\"#mt\"/><input "
                            "semantic=\"MORPH_WEIGHT\" source=\"#mw\"/></targets></morph>"
                            "</controller></library_controllers>"))
            .scene;
    const std::vector<std::vector<Float3>> wanted{{{1, 0, -1}, {1, 0, -1}, {0, 1, -1}},
                                                  {{0, -1, 1}, {0, -1, 1}, {0, -1, 1}}};
    ASSERT_EQ(scene.meshes.at(0).primitives.size(), 2U);
    for (std::size_t p = 0; p < 2; ++p) {
        const auto& normals = scene.meshes[0].primitives[p].targets.at(0).normals;
        ASSERT_EQ(normals.size(), 3U) << p;
        for (std::size_t i = 0; i < 3; ++i)
            EXPECT_LT(length(as_vec(normals[i]) - as_vec(wanted[p][i])), 1e-6) << p << " " << i;
    }
}

TEST(ColladaTest, InstancedNodesMoveTogether) {
    const std::string library =
        "<library_nodes><node id=\"wheel\"><rotate sid=\"r\">0 0 1 "
        "0</rotate></node></library_nodes>" +
        animations(animation("m", "wheel/r.ANGLE", {"0 1", "0 90", "LINEAR LINEAR"}));
    const Scene scene =
        must_parse(
            file("<node id=\"l\"><translate>5 0 0</translate><instance_node url=\"#wheel\"/></node>"
                 "<node id=\"r\"><instance_node url=\"#wheel\"/></node>",
                 library))
            .scene;
    ASSERT_EQ(scene.nodes.size(), 4U);
    const Pose pose = pose_at(scene, scene.timelines[0], 1);
    EXPECT_LT(length(apply(pose.worlds[1], {1, 0, 0}) - Vec3{5, 1, 0}), 1e-12);
    EXPECT_LT(length(apply(pose.worlds[3], {1, 0, 0}) - Vec3{0, 1, 0}), 1e-12);
}

TEST(ColladaTest, CamerasKeepTheirView) {
    // 90 degrees across at 2 : 1 are 2 atan(1/2) upright. Z up, the eye at 5 along Y looks at the
    // origin; in the inside convention it stands at z = -5 and looks along +Z.
    Scene scene =
        must_parse(
            file("<node id=\"eye\"><lookat>0 5 0 0 0 0 0 0 1</lookat><instance_camera "
                 "url=\"#lens\"/></node>",
                 "<library_cameras><camera id=\"lens\"><optics><technique_common><perspective>"
                 "<xfov>90</xfov><aspect_ratio>2</aspect_ratio><znear>0.1</znear><zfar>50</zfar>"
                 "</perspective></technique_common></optics></camera></library_cameras>",
                 "<unit meter=\"1\"/><up_axis>Z_UP</up_axis>"))
            .scene;
    ASSERT_EQ(scene.cameras.size(), 1U);
    EXPECT_NE(scene.cameras[0].find(fmt::format("\"yfov\":{:.6}", 2 * std::atan(0.5))),
              std::string::npos)
        << scene.cameras[0];
    to_inside(scene);
    const Affine view = rest_worlds(scene)[0];
    EXPECT_LT(length(view.o - Vec3{0, 0, -5}), 1e-12);
    EXPECT_LT(length(apply_linear(view, {0, 0, -1}) - Vec3{0, 0, 1}), 1e-12);
    EXPECT_LT(length(apply_linear(view, {0, 1, 0}) - Vec3{0, 1, 0}), 1e-12);
}

TEST(ColladaTest, MaterialsReducedToColourAndTexture) {
    const std::string libraries =
        "<library_images><image "
        "id=\"i\"><init_from>C:/paint/bark.png</init_from></image></library_images>"
        "<library_effects><effect id=\"e\"><profile_COMMON><newparam "
        "sid=\"su\"><surface><init_from>i"
        "</init_from></surface></newparam><newparam "
        "sid=\"sa\"><sampler2D><source>su</source></sampler2D>"
        "</newparam><technique><phong><diffuse><texture "
        "texture=\"sa\"/></diffuse></phong></technique>"
        "</profile_COMMON></effect><effect "
        "id=\"f\"><profile_COMMON><technique><lambert><diffuse><color>"
        "0.5 0.25 0 "
        "1</color></diffuse></lambert></technique></profile_COMMON></effect></library_effects>"
        "<library_materials><material id=\"m\" name=\"bark\"><instance_effect "
        "url=\"#e\"/></material>"
        "<material id=\"k\"><instance_effect url=\"#f\"/></material></library_materials>";
    const ReadResult read = must_parse(file("<node id=\"n\"/>", libraries));
    ASSERT_EQ(read.scene.materials.size(), 2U);
    EXPECT_EQ(read.scene.materials[0].base_image, kNone);
    EXPECT_TRUE(read.scene.images.empty());
    EXPECT_EQ(read.scene.materials[0].json.find("Texture"), std::string::npos);
    EXPECT_TRUE(says(read, Code::kLeftOut, "leads out of the file's folder"));
    EXPECT_EQ(read.scene.materials[1].base_color, (Float4{0.5F, 0.25F, 0, 1}));
}

TEST(ColladaTest, MaterialsByAllTheWaysOfTellingTexturesAndColours) {
    const auto effect = [](const std::string& id, const std::string& inside) {
        return "<effect id=\"" + id + "\"><profile_COMMON>" + inside + "</profile_COMMON></effect>";
    };
    const auto sampled = [](const std::string& source) {
        return "<newparam sid=\"sa\"><sampler2D>" + source + "</sampler2D></newparam>";
    };
    const std::string surface =
        "<newparam sid=\"su\"><surface><init_from>bark</init_from></surface></newparam>";
    const std::string textured = "<lambert><diffuse><texture texture=\"sa\"/></diffuse></lambert>";
    std::string materials;
    for (const char* id : {"shines", "glass", "inside", "newer", "bare"})
        materials +=
            fmt::format(R"(<material id="{0}"><instance_effect url="#e-{0}"/></material>)", id);
    const std::string text =
        file("<node id=\"n\"/>",
             "<library_images><image id=\"bark\"><init_from>./bark.png</init_from></image><image "
             "id=\"leaf\"><init_from><ref>leaf.png</ref></init_from></image></library_images>"
             "<library_effects>" +
                 effect("e-shines",
                        "<technique><constant><emission><color>1 0.5 0 1</color></emission>"
                        "</constant></technique>") +
                 effect("e-glass",
                        "<technique><phong><diffuse><color>0 1 0 0.25</color></diffuse>"
                        "</phong></technique>") +
                 effect("e-inside", "<technique>" + surface + sampled("<source>su</source>") +
                                        textured + "</technique>") +
                 effect("e-newer", sampled("<instance_image url=\"#leaf\"/>") + "<technique>" +
                                       textured + "</technique>") +
                 effect("e-bare", surface + sampled("<source>su</source>") + "<technique>" +
                                      textured + "</technique>") +
                 "</library_effects><library_materials>" + materials + "</library_materials>");
    const Bytes png{0x89, 'P', 'N', 'G', '\r', '\n', 0x1A, '\n'}, jpeg{0xFF, 0xD8, 0xFF, 0xE0};
    const LoadFile pictures = [&](const std::string& name) -> Result<Bytes> {
        if (name == "bark.png") return png;
        if (name == "leaf.png") return jpeg;
        return Finding{
            Code::kFileMissing, Severity::kStop, Place::in(name), "no such file", "", ""};
    };
    const auto read =
        read_collada(Bytes(text.begin(), text.end()), "cart.dae", pictures, ReadLimits{});
    ASSERT_THAT(read, IsOk());
    const Scene& scene = read.value().scene;
    ASSERT_EQ(scene.materials.size(), 5U);
    EXPECT_EQ(scene.materials[0].name, "shines") << "only an id names it";
    EXPECT_EQ(scene.materials[0].base_color, (Float4{1, 0.5F, 0, 1}));
    EXPECT_EQ(scene.materials[0].json.find("BLEND"), std::string::npos);
    EXPECT_EQ(scene.materials[1].base_color, (Float4{0, 1, 0, 0.25F}));
    EXPECT_NE(scene.materials[1].json.find(R"("alphaMode":"BLEND")"), std::string::npos);
    ASSERT_EQ(scene.images.size(), 2U) << "one that two materials show is there once";
    EXPECT_EQ(scene.images[0].bytes, png);
    EXPECT_EQ(scene.images[1].bytes, jpeg);
    EXPECT_EQ(scene.materials[2].base_image, 0);
    EXPECT_EQ(scene.materials[3].base_image, 1);
    EXPECT_EQ(scene.materials[4].base_image, 0);
    EXPECT_EQ(scene.textures, R"([{"source":0},{"source":1},{"source":0}])");
    const std::string latin =
        change(text, "<image id=\"leaf\"", "<image id=\"leaf\" name=\"Bl\xE4tter\"");
    const auto named = read_memory(Bytes(latin.begin(), latin.end()), "cart.dae", pictures);
    ASSERT_THAT(named, IsOk());
    EXPECT_EQ(named.value().scene.images[1].name, "Bl\u00e4tter");
}

TEST(ColladaTest, OneCurveMayMoveAllWeightsOfAMesh) {
    const auto shape = [](const char* id, const char* places) {
        return fmt::format("<geometry id=\"{0}\" name=\"{0}\"><mesh>", id) +
               source(std::string(id) + "p", places, 3, 3) +
               fmt::format(
                   "<vertices id=\"{0}v\"><input semantic=\"POSITION\" source=\"#{0}p\"/>"
                   "</vertices><triangles><input semantic=\"VERTEX\" source=\"#{0}v\" "
                   "offset=\"0\"/><p>0 1 2</p></triangles></mesh></geometry>",
                   id);
    };
    const auto morph = [&](const std::string& targets, const std::string& weights, int count,
                           const std::string& method, const std::string& channel) {
        return file(
            "<node id=\"n\"><instance_controller url=\"#mc\"/></node>",
            "<library_geometries>" + shape("g", "0 0 0 1 0 0 0 1 0") +
                shape("up", "0 0 1 1 0 1 0 1 1") + shape("out", "2 0 0 3 0 0 2 1 0") +
                "<geometry id=\"few\"><mesh>" + source("fewp", "0 0 0 1 0 0", 2, 3) +
                "<vertices id=\"fewv\"><input semantic=\"POSITION\" source=\"#fewp\"/></vertices>"
                "</mesh></geometry></library_geometries><library_controllers><controller "
                "id=\"mc\"><morph source=\"#g\" method=\"" +
                method + "\"><source id=\"mt\"><IDREF_array>" + targets +
                "</IDREF_array></source>" + source("mw", weights, count, 1) +
                "<targets><input semantic=\"MORPH_TARGET\" source=\"#mt\"/><input "
                "semantic=\"MORPH_WEIGHT\" source=\"#mw\"/></targets></morph></controller>"
                "</library_controllers>" +
                animations(
                    animation("w", channel, {"0 1", "0 0.5 1 0.25", "LINEAR LINEAR", 2, 2})));
    };
    Scene scene = must_parse(morph("up out", "0 0", 2, "NORMALIZED", "mw")).scene;
    compose_stacks(scene);
    const int node = find_node(scene, "n");
    const auto corner = [&](double t) {
        return posed_vertices(scene, node, scene.meshes[0].primitives[0],
                              pose_at(scene, scene.timelines[0], t))[0];
    };
    EXPECT_LT(length(corner(0) - Vec3{0.5 * 2, 0, 0}), 1e-6);
    EXPECT_LT(length(corner(1) - Vec3{0.25 * 2, 0, 1}), 1e-6);
    EXPECT_LT(length(corner(0.5) - Vec3{0.375 * 2, 0, 0.5}), 1e-6);
    EXPECT_THAT(read_dae(morph("up out", "0 0", 2, "ODD", "mw")),
                FailsWith(Code::kColladaBroken, "the method ODD"));
    EXPECT_THAT(read_dae(morph("up none", "0 0", 2, "NORMALIZED", "mw")),
                FailsWith(Code::kColladaReference, "\"none\""));
    EXPECT_THAT(read_dae(morph("up few", "0 0", 2, "NORMALIZED", "mw")),
                FailsWith(Code::kColladaBroken, "a morph target of "));
    EXPECT_THAT(read_dae(morph("up out", "0 0", 2, "NORMALIZED", "mw(7)")),
                FailsWith(Code::kColladaBroken, "one of 2 morph weights"));
}

}  // namespace
}  // namespace mellow::collada_meshes_test
