// Reading and writing glTF 2.0: tiny files worked by hand, round trips, and hostile bytes.
#include <fmt/format.h>

#include <cmath>

#include "mellow/pose.h"
#include "mellow/write.h"
#include "support.h"

namespace mellow {
namespace {

using namespace test;
using test::difference;

Scene must_read_glb(const std::vector<std::uint8_t>& bytes) {
    auto read = read_tiny(bytes);
    EXPECT_THAT(read, IsOk());
    return read ? std::move(read).value().scene : Scene{};
}

const char* const kTwoNodes =
    R"("nodes":[{"name":"a","children":[1],"translation":[1,2,3]},{"name":"b","rotation":[0,0.6,0,0.8],"scale":[2,2,2]}],
       "scenes":[{"nodes":[0]}],"scene":0)";

TEST(GltfTest, NodesHaveTheirPlacesAndParents) {
    const Scene scene = must_read_glb(TinyGltf().glb(kTwoNodes));
    ASSERT_EQ(scene.nodes.size(), 2U);
    EXPECT_EQ(scene.nodes[1].parent, 0);
    EXPECT_EQ(scene.roots, std::vector<int>{0});
    EXPECT_EQ(scene.nodes[0].local.t, (Vec3{1, 2, 3}));
    EXPECT_DOUBLE_EQ(scene.nodes[1].local.r.y, 0.6);
    EXPECT_EQ(scene.nodes[1].local.s, (Vec3{2, 2, 2}));
}

TEST(GltfTest, MatricesAreColumnMajor) {
    // A quarter turn about Z (x -> y), scaled 3 along its own x, moved to (7, 8, 9).
    const Scene scene =
        must_read_glb(TinyGltf().glb(R"("nodes":[{"matrix":[0,3,0,0,-1,0,0,0,0,0,1,0,7,8,9,1]}])"));
    const Transform& t = scene.nodes[0].local;
    EXPECT_LT(length(t.t - Vec3{7, 8, 9}), 1e-12);
    EXPECT_LT(length(t.s - Vec3{3, 1, 1}), 1e-12);
    EXPECT_NEAR(std::abs(t.r.z), std::sqrt(0.5), 1e-12);
}

std::string channel(int node, const char* path, int input, int output, const char* kind) {
    return fmt::format(
        R"("animations":[{{"name":"t","channels":[{{"sampler":0,"target":{{"node":{},"path":"{}"}}}}],
            "samplers":[{{"input":{},"output":{},"interpolation":"{}"}}]}}])",
        node, path, input, output, kind);
}

TEST(GltfTest, ThreeInterpolationsComeThrough) {
    const std::pair<const char*, Interpolation> kinds[] = {
        {"STEP", Interpolation::kStep},
        {"LINEAR", Interpolation::kLinear},
        {"CUBICSPLINE", Interpolation::kCubicSpline}};
    for (const auto& [text, kind] : kinds) {
        TinyGltf file;
        const int times = file.floats({0.5, 1.5}, "SCALAR");
        const std::size_t count = kind == Interpolation::kCubicSpline ? 18 : 6;
        std::vector<double> values;
        for (std::size_t i = 0; i < count; ++i) values.push_back(static_cast<double>(i));
        const int output = file.floats(values, "VEC3");
        const Scene scene = must_read_glb(file.glb(std::string(kTwoNodes) + "," +
                                                   channel(1, "translation", times, output, text)));
        ASSERT_EQ(scene.timelines.size(), 1U);
        const Curve& curve = scene.timelines[0].channels[0].curve;
        EXPECT_EQ(curve.interpolation, kind);
        EXPECT_EQ(curve.times, (std::vector<double>{0.5, 1.5}));
        EXPECT_EQ(curve.values, values);
    }
}

TEST(GltfTest, SamplersMayBeSharedAndOneKeyHolds) {
    TinyGltf file;
    const int times = file.floats({2}, "SCALAR");
    const int values = file.floats({7, 8, 9}, "VEC3");
    const Scene scene = must_read_glb(file.glb(
        std::string(kTwoNodes) +
        fmt::format(
            R"(,"animations":[{{"channels":[{{"sampler":0,"target":{{"node":0,"path":"translation"}}}},
            {{"sampler":0,"target":{{"node":1,"path":"scale"}}}}],"samplers":[{{"input":{},"output":{}}}]}}])",
            times, values)));
    ASSERT_EQ(scene.timelines[0].channels.size(), 2U);
    for (const double t : {0.0, 2.0, 5.0}) {
        const Pose pose = pose_at(scene, scene.timelines[0], t);
        EXPECT_EQ(pose.worlds[0].o, (Vec3{7, 8, 9}));
        EXPECT_NEAR(length(pose.worlds[1].y), 8, 1e-12);
    }
}

TEST(GltfTest, TheShownSceneIsTheOneTheFileNames) {
    const std::string two =
        R"("nodes":[{"name":"a"},{"name":"b"},{"name":"c"}],"scenes":[{"nodes":[0]},{"name":"second","nodes":[2,1]}])";
    EXPECT_EQ(must_read_glb(TinyGltf().glb(two + R"(,"scene":1)")).roots, (std::vector<int>{2, 1}));
    EXPECT_EQ(must_read_glb(TinyGltf().glb(two + R"(,"scene":0)")).roots, (std::vector<int>{0}));
    EXPECT_FALSE(read_tiny(TinyGltf().glb(two + R"(,"scene":2)")).ok());
}

TEST(GltfTest, CamerasSurviveARoundTrip) {
    const Scene scene = must_read_glb(TinyGltf().glb(
        R"("cameras":[{"type":"perspective","perspective":{"yfov":0.7,"znear":0.1},"name":"eye"}],"nodes":[{"name":"eye","camera":0}])"));
    const Scene again = must_read_glb(write_glb(scene));
    EXPECT_EQ(again.nodes[0].camera, 0);
    ASSERT_EQ(again.cameras.size(), 1U);
    EXPECT_NE(again.cameras[0].find("0.7"), std::string::npos);
}

TEST(GltfTest, NormalisedIntegersBecomeFractions) {
    TinyGltf file;
    const int times = file.floats({0, 1}, "SCALAR");
    // 32767 stands for 1 and -32768 for -1 (specification, 3.11).
    const int output = file.bytes({0, 0, 0, 32767, -32768, 0, 0, 0}, "VEC4", 5122, true);
    const Scene scene = must_read_glb(
        file.glb(std::string(kTwoNodes) + "," + channel(0, "rotation", times, output, "LINEAR")));
    const auto& values = scene.timelines[0].channels[0].curve.values;
    EXPECT_EQ(values, (std::vector<double>{0, 0, 0, 1, -1, 0, 0, 0}));
}

TEST(GltfTest, SparseAccessorsReplaceMembers) {
    // Three positions declared without data (zero), the last replaced by (4, 5, 6).
    TinyGltf file;
    const int where = file.bytes({2}, "SCALAR", 5121, false);
    const int what = file.floats({4, 5, 6}, "VEC3");
    std::string text =
        R"("meshes":[{"primitives":[{"attributes":{"POSITION":2}}]}],"nodes":[{"mesh":0}])";
    auto bytes = file.glb(text);
    // Add the third accessor by hand: the builder only makes plain ones.
    std::string all(bytes.begin(), bytes.end());
    const std::string plain = R"("componentType":5126,"count":1,"type":"VEC3"})";
    const auto place = all.find(plain) + plain.size();
    const std::string sparse = fmt::format(
        R"(,{{"componentType":5126,"count":3,"type":"VEC3","sparse":{{"count":1,"indices":{{"bufferView":{},"componentType":5121}},"values":{{"bufferView":{}}}}}}})",
        where, what);
    std::string with_sparse = all.substr(20, all.find("]}", place) + 2 - 20);
    with_sparse.insert(place - 20, sparse);
    with_sparse = with_sparse.substr(0, with_sparse.rfind('}') + 1);
    // As text with a data URI: the 1 byte index, 3 of padding, 12 bytes of floats.
    const std::string uri = "data:application/octet-stream;base64,AgAAAAAAgEAAAKBAAADAQA==";
    const auto buffer = with_sparse.find(R"("byteLength":16})");
    ASSERT_NE(buffer, std::string::npos);
    with_sparse.insert(buffer, "\"uri\":\"" + uri + "\",");
    const Scene scene = must_read_glb(text_bytes(with_sparse));
    ASSERT_EQ(scene.meshes.size(), 1U);
    const auto& p = scene.meshes[0].primitives[0].positions;
    ASSERT_EQ(p.size(), 3U);
    EXPECT_EQ(p[0], (Float3{0, 0, 0}));
    EXPECT_EQ(p[2], (Float3{4, 5, 6}));
}

/// A skinned triangle of two joints with a morph target, a material, extras and a short clip.
std::vector<std::uint8_t> rich_file() {
    TinyGltf file;
    const int positions = file.floats({0, 0, 0, 1, 0, 0, 0, 1, 0}, "VEC3");
    const int joints = file.bytes({0, 1, 0, 0, 0, 1, 0, 0, 1, 0, 0, 0}, "VEC4", 5121, false);
    const int weights = file.floats({0.75, 0.25, 0, 0, 0.5, 0.5, 0, 0, 1, 0, 0, 0}, "VEC4");
    const int indices = file.bytes({0, 1, 2}, "SCALAR", 5123, false);
    const int deltas = file.floats({0, 0, 1, 0, 0, 0, 0, 0, 2}, "VEC3");
    const int binds = file.floats({1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0,  0, 1,
                                   1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, -1, 0, 1},
                                  "MAT4");
    const int times = file.floats({0, 0.25}, "SCALAR");
    const int turns = file.floats({0, 0, 0, 1, 0, 0.6, 0, 0.8}, "VEC4");
    const int morphs = file.floats({0, 1}, "SCALAR");
    return file.glb(fmt::format(
        R"("nodes":[{{"name":"hip","children":[1],"extras":{{"note":"keep"}}}},{{"name":"knee","translation":[0,1,0]}},
            {{"name":"body","mesh":0,"skin":0}}],
        "scenes":[{{"nodes":[0,2]}}],"scene":0,
        "materials":[{{"name":"cloth","pbrMetallicRoughness":{{"baseColorFactor":[0.5,0.25,0.125,1],"roughnessFactor":0.7}},"doubleSided":true}}],
        "meshes":[{{"name":"body","primitives":[{{"attributes":{{"POSITION":{},"JOINTS_0":{},"WEIGHTS_0":{}}},"indices":{},"material":0,
            "targets":[{{"POSITION":{}}}]}}],"extras":{{"targetNames":["bulge"]}}}}],
        "skins":[{{"joints":[0,1],"inverseBindMatrices":{}}}],
        "animations":[{{"name":"bend","channels":[{{"sampler":0,"target":{{"node":1,"path":"rotation"}}}},
            {{"sampler":1,"target":{{"node":2,"path":"weights"}}}}],
            "samplers":[{{"input":{},"output":{}}},{{"input":{},"output":{}}}]}}])",
        positions, joints, weights, indices, deltas, binds, times, turns, times, morphs));
}

TEST(GltfTest, SkinsMorphsMaterialsAndExtrasSurviveARoundTrip) {
    const Scene first = must_read_glb(rich_file());
    const auto bytes = write_glb(first);
    const Scene second = must_read_glb(bytes);
    EXPECT_EQ(write_glb(second), bytes);  // and the second writing is the same, byte for byte

    ASSERT_EQ(second.meshes.size(), 1U);
    const Primitive &a = first.meshes[0].primitives[0], &b = second.meshes[0].primitives[0];
    EXPECT_EQ(b.positions, a.positions);
    EXPECT_EQ(b.indices, (std::vector<std::uint32_t>{0, 1, 2}));
    EXPECT_EQ(b.influence_joints, a.influence_joints);
    EXPECT_EQ(b.influence_weights, a.influence_weights);
    EXPECT_EQ(b.targets[0].positions[2], (Float3{0, 0, 2}));
    EXPECT_EQ(second.meshes[0].target_names, std::vector<std::string>{"bulge"});
    EXPECT_EQ(second.nodes[0].extras, first.nodes[0].extras);
    EXPECT_NE(second.nodes[0].extras.find("keep"), std::string::npos);
    EXPECT_NE(second.materials[0].json.find("doubleSided"), std::string::npos);
    EXPECT_NE(second.materials[0].json.find("0.7"), std::string::npos);
    EXPECT_EQ(second.materials[0].name, "cloth");
    EXPECT_LT(difference(second.skins[0].inverse_binds[1], first.skins[0].inverse_binds[1]), 1e-12);
    EXPECT_NEAR(second.skins[0].inverse_binds[1].o.y, -1, 1e-12);
    for (const double t : {0.0, 0.1, 0.25}) {
        const Pose p = pose_at(first, first.timelines[0], t),
                   q = pose_at(second, second.timelines[0], t);
        EXPECT_LT(difference(p.worlds[1], q.worlds[1]), 1e-12);
        EXPECT_NEAR(q.weights[0], 4 * t, 1e-6);
    }
}

TEST(GltfTest, WeightsThatDoNotSumToOneAreMendedAndSaid) {
    TinyGltf file;
    const int positions = file.floats({0, 0, 0}, "VEC3");
    const int joints = file.bytes({0, 0, 0, 0}, "VEC4", 5121, false);
    const int weights = file.floats({0.5, 0, 0, 0}, "VEC4");
    const auto read = read_tiny(file.glb(fmt::format(
        R"("nodes":[{{"name":"j"}},{{"mesh":0,"skin":0}}],"skins":[{{"joints":[0]}}],
           "meshes":[{{"primitives":[{{"mode":0,"attributes":{{"POSITION":{},"JOINTS_0":{},"WEIGHTS_0":{}}}}}]}}])",
        positions, joints, weights)));
    ASSERT_THAT(read, IsOk());
    EXPECT_EQ(read.value().scene.meshes[0].primitives[0].influence_weights[0], 1.0F);
    ASSERT_FALSE(read.value().findings.empty());
    EXPECT_EQ(read.value().findings[0].code, Code::kWeightSum);
}

TEST(GltfTest, FilesBesideTheSceneAreRead) {
    const test::TempFolder folder;
    const std::string floats("\0\0\0\0\0\0\x80\x3f\0\0\0\0\0\0\0\0\0\0\0\0\0\0\0\0\0\0\x80\x3f",
                             28);
    test::write_text(folder / "keys data.bin", floats + std::string(4, '\0'));
    const std::string text =
        R"({"asset":{"version":"2.0"},"buffers":[{"uri":"keys%20data.bin","byteLength":32}],
        "bufferViews":[{"buffer":0,"byteLength":8},{"buffer":0,"byteOffset":8,"byteLength":24}],
        "accessors":[{"bufferView":0,"componentType":5126,"count":2,"type":"SCALAR"},{"bufferView":1,"componentType":5126,"count":2,"type":"VEC3"}],
        "nodes":[{"name":"a"}],)" +
        channel(0, "translation", 0, 1, "LINEAR") + "}";
    test::write_text(folder / "scene.gltf", text);
    const auto read = read_scene(folder / "scene.gltf");
    ASSERT_THAT(read, IsOk());
    EXPECT_EQ(read.value().scene.timelines[0].channels[0].curve.times[1], 1);
    EXPECT_EQ(read.value().scene.timelines[0].channels[0].curve.values[4], 1);
}

TEST(GltfTest, ReferencesOutOfTheFolderAreRefused) {
    for (const char* uri : {"../secret.bin", "/etc/passwd", "file:///etc/passwd",
                            "http://example.org/a.bin", "a/../../b.bin", "..%2fb.bin"}) {
        const std::string text = fmt::format(
            R"({{"asset":{{"version":"2.0"}},"buffers":[{{"uri":"{}","byteLength":4}}],"bufferViews":[{{"buffer":0,"byteLength":4}}],
               "accessors":[{{"bufferView":0,"componentType":5126,"count":1,"type":"SCALAR"}}]}})",
            uri);
        EXPECT_THAT(read_tiny(text_bytes(text)),
                    FailsWith(Code::kGltfReference, "inside the file's own folder"))
            << uri;
    }
}

TEST(GltfTest, DataInAUriIsBase64) {
    for (const auto& [uri, part] :
         {std::pair("data:application/octet-stream,abc", "without base64"),
          {"data:application/octet-stream;base64,a*b=", "damaged"}})
        EXPECT_THAT(
            read_tiny(text_bytes(
                std::string(R"({"asset":{"version":"2.0"},"buffers":[{"byteLength":3,"uri":")") +
                uri + "\"}]}")),
            FailsWith(Code::kGltfReference, part));
}

TEST(GltfTest, PicturesAreCalledByWhatTheyAre) {
    EXPECT_EQ(picture_name("cart", 1, {"bark", "image/jpeg", {}, "", ""}), "cart_1.jpg");
    EXPECT_EQ(picture_name("cart", 0, {"bark", "image/png", {}, "", ""}), "cart_0.png");
}

// Each line: the members of a file that must be refused, the code, and words of the message.
struct BrokenPart {
    const char* what;
    const char* members;
    Code code;
    const char* part;
};

void PrintTo(const BrokenPart& b, std::ostream* out) { *out << b.what; }

class BrokenGltf : public testing::TestWithParam<BrokenPart> {};

TEST_P(BrokenGltf, IsRefusedWithItsPlace) {
    TinyGltf file;
    file.floats({0, 1}, "SCALAR");                 // accessor 0
    file.floats({0, 0, 0, 1, 1, 1}, "VEC3");       // accessor 1
    file.floats({1, 0}, "SCALAR");                 // accessor 2, times that fall
    file.floats({0, std::nan("")}, "SCALAR");      // accessor 3
    file.bytes({0, 1, 9}, "SCALAR", 5123, false);  // accessor 4, indices
    EXPECT_THAT(read_tiny(file.glb(GetParam().members)),
                FailsWith(GetParam().code, GetParam().part));
}

INSTANTIATE_TEST_SUITE_P(
    Files, BrokenGltf,
    testing::Values(
        BrokenPart{"own_child", R"("nodes":[{"children":[0]}])", Code::kNodeCycle, "node 0"},
        BrokenPart{"cycle", R"("nodes":[{"children":[1]},{"children":[2]},{"children":[0]}])",
                   Code::kNodeCycle, "<-"},
        BrokenPart{"two_parents", R"("nodes":[{"children":[2]},{"children":[2]},{}])",
                   Code::kNodeCycle, "one parent"},
        BrokenPart{"child_outside", R"("nodes":[{"children":[7]}])", Code::kGltfReference,
                   "an index below 1"},
        BrokenPart{"negative_child", R"("nodes":[{"children":[-1]}])", Code::kGltfReference,
                   "nodes[0]"},
        BrokenPart{"mesh_outside", R"("nodes":[{"mesh":0}])", Code::kGltfReference, "nodes[0]"},
        BrokenPart{"skin_joint_outside", R"("nodes":[{}],"skins":[{"joints":[3]}])",
                   Code::kGltfReference, "skins[0]"},
        BrokenPart{"no_joints", R"("nodes":[{}],"skins":[{"joints":[]}])", Code::kGltfBroken,
                   "at least one joint"},
        BrokenPart{"short_binds",
                   R"("nodes":[{},{}],"skins":[{"joints":[0,1],"inverseBindMatrices":0}])",
                   Code::kGltfBroken, "skins[0]"},
        BrokenPart{
            "sampler_outside",
            R"("nodes":[{}],"animations":[{"channels":[{"sampler":4,"target":{"node":0,"path":"scale"}}],"samplers":[]}])",
            Code::kGltfReference, "sampler"},
        BrokenPart{
            "falling_times",
            R"("nodes":[{}],"animations":[{"channels":[{"sampler":0,"target":{"node":0,"path":"scale"}}],"samplers":[{"input":2,"output":1}]}])",
            Code::kGltfBroken, "ascending"},
        BrokenPart{
            "not_a_number",
            R"("nodes":[{}],"animations":[{"channels":[{"sampler":0,"target":{"node":0,"path":"scale"}}],"samplers":[{"input":3,"output":1}]}])",
            Code::kNumberBad, "finite"},
        BrokenPart{
            "wrong_width",
            R"("nodes":[{}],"animations":[{"channels":[{"sampler":0,"target":{"node":0,"path":"rotation"}}],"samplers":[{"input":0,"output":1}]}])",
            Code::kGltfBroken, "animations[0]"},
        BrokenPart{
            "unknown_path",
            R"("nodes":[{}],"animations":[{"channels":[{"sampler":0,"target":{"node":0,"path":"colour"}}],"samplers":[{"input":0,"output":1}]}])",
            Code::kGltfBroken, "translation, rotation, scale or weights"},
        BrokenPart{
            "twice_driven",
            R"("nodes":[{}],"animations":[{"channels":[{"sampler":0,"target":{"node":0,"path":"scale"}},{"sampler":0,"target":{"node":0,"path":"scale"}}],"samplers":[{"input":0,"output":1}]}])",
            Code::kGltfBroken, "one channel each"},
        BrokenPart{
            "vertex_outside",
            R"("nodes":[{"mesh":0}],"meshes":[{"primitives":[{"attributes":{"POSITION":1},"indices":4}]}])",
            Code::kGltfReference, "vertex 9 of 2"},
        BrokenPart{
            "accessor_outside",
            R"("nodes":[{"mesh":0}],"meshes":[{"primitives":[{"attributes":{"POSITION":99}}]}])",
            Code::kGltfReference, "index 99"},
        BrokenPart{
            "no_positions",
            R"("nodes":[{"mesh":0}],"meshes":[{"primitives":[{"attributes":{"NORMAL":1}}]}])",
            Code::kGltfUnsupported, "no POSITION"},
        BrokenPart{"zero_turn", R"("nodes":[{"rotation":[0,0,0,0]}])", Code::kNumberBad,
                   "unit quaternion"},
        BrokenPart{"short_place", R"("nodes":[{"translation":[1,2]}])", Code::kGltfBroken,
                   "wrong length"},
        BrokenPart{"required", R"("extensionsRequired":["EXT_other_geometry"])",
                   Code::kGltfUnsupported, "EXT_other_geometry"},
        BrokenPart{"root_outside", R"("nodes":[{}],"scenes":[{"nodes":[5]}])", Code::kGltfReference,
                   "scenes"},
        BrokenPart{"material_flag", R"("materials":[{"doubleSided":"no"}])", Code::kGltfBroken,
                   "materials[0].doubleSided"},
        BrokenPart{"material_mode", R"("materials":[{"alphaMode":"GLASS"}])", Code::kGltfBroken,
                   "OPAQUE, MASK, BLEND"},
        BrokenPart{"material_color",
                   R"("materials":[{"pbrMetallicRoughness":{"baseColorFactor":[1,1,1]}}])",
                   Code::kGltfBroken, "4 numbers"},
        BrokenPart{"material_texture", R"("materials":[{"normalTexture":{"index":0}}])",
                   Code::kGltfReference, "materials[0].normalTexture.index"},
        BrokenPart{"texture_of_extension",
                   R"("materials":[{"extensions":{"X":{"coatTexture":{"index":2}}}}])",
                   Code::kGltfReference, "materials[0].extensions.X.coatTexture.index"},
        BrokenPart{"material_extensions", R"("materials":[{"extensions":[1]}])", Code::kGltfBroken,
                   "materials[0].extensions"},
        BrokenPart{"sampler_filter", R"("samplers":[{"magFilter":9987}])", Code::kGltfBroken,
                   "samplers[0].magFilter"},
        BrokenPart{"no_filter", R"("samplers":[{"magFilter":0}])", Code::kGltfBroken,
                   "samplers[0].magFilter"},
        BrokenPart{
            "no_targets",
            R"("animations":[{"channels":[],"samplers":[{"input":0,"output":0}],"extras":{"morph_weights":[{"mesh":"m","sampler":0,"targets":[]}]}}])",
            Code::kGltfBroken, "no sampler or no targets"},
        BrokenPart{
            "no_weights_sampler",
            R"("animations":[{"channels":[],"samplers":[],"extras":{"morph_weights":[{"mesh":"m","targets":["a"]}]}}])",
            Code::kGltfBroken, "no sampler or no targets"},
        BrokenPart{
            "no_scalar_sampler",
            R"("animations":[{"channels":[],"samplers":[],"extras":{"scalars":[{"name":"m"}]}}])",
            Code::kGltfBroken, "no sampler"},
        BrokenPart{
            "unknown_interpolation",
            R"("nodes":[{}],"animations":[{"channels":[{"sampler":0,"target":{"node":0,"path":"scale"}}],"samplers":[{"input":0,"output":1,"interpolation":"WAVY"}]}])",
            Code::kGltfBroken, "LINEAR, STEP or CUBICSPLINE"},
        BrokenPart{
            "uneven_targets",
            R"("meshes":[{"primitives":[{"attributes":{"POSITION":1},"targets":[{"POSITION":1}]},{"attributes":{"POSITION":1}}]}])",
            Code::kGltfBroken, "the same targets on each part"},
        BrokenPart{
            "weights_of_mesh",
            R"("meshes":[{"weights":[0,1],"primitives":[{"attributes":{"POSITION":1},"targets":[{"POSITION":1}]}]}])",
            Code::kGltfBroken, "2 weights"},
        BrokenPart{
            "weights_of_node",
            R"("nodes":[{"mesh":0,"weights":[0,1]}],"meshes":[{"primitives":[{"attributes":{"POSITION":1},"targets":[{"POSITION":1}]}]}])",
            Code::kGltfBroken, "2 weights"},
        BrokenPart{
            "half_an_index",
            R"("nodes":[{"mesh":0.5}],"meshes":[{"primitives":[{"attributes":{"POSITION":1}}]}])",
            Code::kGltfBroken, "nodes[0].mesh"},
        BrokenPart{"required_is_no_list", R"("extensionsRequired":"EXT_x")", Code::kGltfBroken,
                   "a list of names"},
        BrokenPart{"name_is_no_text", R"("nodes":[{"name":7}])", Code::kGltfBroken, "a text"},
        BrokenPart{"node_is_no_object", R"("nodes":[7])", Code::kGltfBroken, "an object"},
        BrokenPart{"material_texture_without_index", R"("materials":[{"normalTexture":{}}])",
                   Code::kGltfBroken, "the index of a texture"},
        BrokenPart{"material_texture_no_object", R"("materials":[{"normalTexture":3}])",
                   Code::kGltfBroken, "an object"},
        BrokenPart{
            "texture_set",
            R"("images":[{"uri":"data:image/png;base64,AA=="}],"textures":[{"source":0}],"materials":[{"normalTexture":{"index":0,"texCoord":-1}}])",
            Code::kGltfBroken, "0 or more"},
        BrokenPart{"texture_source", R"("textures":[{"source":1}])", Code::kGltfReference,
                   "textures[0].source"},
        BrokenPart{"texture_sampler", R"("textures":[{"sampler":0}])", Code::kGltfReference,
                   "textures[0].sampler"},
        BrokenPart{"no_texture_list", R"("textures":{"source":1})", Code::kGltfBroken, "textures"},
        BrokenPart{"camera_lens",
                   R"("cameras":[{"type":"perspective","perspective":{"yfov":"w"}}])",
                   Code::kGltfBroken, "cameras[0].perspective.yfov"},
        BrokenPart{"camera_type", R"("cameras":[{"type":"fisheye","fisheye":{}}])",
                   Code::kGltfBroken, "perspective, orthographic"},
        BrokenPart{"camera_no_lens", R"("cameras":[{"type":"perspective"}])", Code::kGltfBroken,
                   "no object"},
        BrokenPart{"words_for_numbers", R"("nodes":[{"translation":["a","b","c"]}])",
                   Code::kGltfBroken, "numbers"}),
    [](const auto& param) { return param.param.what; });

TEST(GltfTest, PicturesThatAreNoneLeaveNoReferences) {
    // "iVBORw0KGgo=" are the eight bytes that every PNG begins with, "/9j/" three of a JPEG.
    const auto read = read_tiny(text_bytes(
        R"({"asset":{"version":"2.0"},"nodes":[{}],"images":[
            {"uri":"missing.png"},{"uri":"data:image/png;base64,bm8gcGljdHVyZQ=="},
            {"uri":"data:image/png;base64,iVBORw0KGgo="},
            {"uri":"data:image/png;base64,/9j/","mimeType":"image/png"}],
          "textures":[{"source":1},{"source":2,"name":"bark"},{"source":0},
            {"extensions":{"EXT_other":{"source":3}}}],
          "materials":[{"name":"a","normalTexture":{"index":0},"emissiveTexture":{"index":3},
            "pbrMetallicRoughness":{"metallicFactor":0,"baseColorTexture":{"index":1}},
            "extensions":{"X":{"coatTexture":{"index":2},"coat":1}},"extras":{"keptTexture":{"index":0}}}]})"));
    ASSERT_THAT(read, IsOk());
    const Scene& scene = read.value().scene;
    ASSERT_EQ(scene.images.size(), 2U);
    EXPECT_EQ(scene.images[0].mime, "image/png");
    EXPECT_EQ(scene.images[1].mime, "image/jpeg") << "called by what it is";
    EXPECT_EQ(scene.textures,
              R"([{"source":0,"name":"bark"},{"extensions":{"EXT_other":{"source":1}}}])");
    EXPECT_EQ(scene.materials[0].base_image, 0);
    EXPECT_EQ(scene.materials[0].json,
              R"({"emissiveTexture":{"index":1},"pbrMetallicRoughness":{"metallicFactor":0,)"
              R"("baseColorTexture":{"index":0}},"extensions":{"X":{"coat":1}},)"
              R"("extras":{"keptTexture":{"index":0}}})");
    std::string said;
    for (const Finding& f : read.value().findings) said += to_text(f);
    for (const char* part :
         {"missing.png", "begin like no picture", "image/jpeg that calls itself"})
        EXPECT_NE(said.find(part), said.npos) << said;
}

TEST(GltfTest, AccessorsOutsideTheirViewAreRefused) {
    TinyGltf file;
    file.floats({0, 1}, "SCALAR");
    const auto good = file.glb(R"("nodes":[{}])");
    std::string text(good.begin(), good.end());
    for (const auto& [from, to] : std::vector<std::pair<std::string, std::string>>{
             {"\"count\":2", "\"count\":3"},
             {"\"count\":2", "\"count\":0"},
             {"\"componentType\":5126", "\"componentType\":1234"},
             {"\"byteOffset\":0", "\"byteOffset\":4"},
             {"\"byteLength\":8}]", "\"byteLength\":9}]"}}) {
        std::string changed = text;
        const auto place = changed.find(from);
        ASSERT_NE(place, std::string::npos) << from;
        changed.replace(place, from.size(), to);
        EXPECT_FALSE(read_tiny(text_bytes(changed)).ok()) << to;
    }
}

TEST(GltfTest, LimitsAreKept) {
    std::string nodes = "\"nodes\":[";
    for (int n = 0; n < 50; ++n)
        nodes += fmt::format("{}{{\"children\":[{}]}}", n ? "," : "", n + 1);
    nodes += ",{}]";
    ReadLimits limits;
    limits.depth = 20;
    EXPECT_THAT(read_tiny(TinyGltf().glb(nodes), limits),
                FailsWith(Code::kLimit, "at most 20 levels"));
    limits = {};
    limits.nodes = 10;
    EXPECT_THAT(read_tiny(TinyGltf().glb(nodes), limits), FailsWith(Code::kLimit, "nodes"));
    // A tiny file that declares 4 GB of zeros.
    const std::string bomb =
        R"({"asset":{"version":"2.0"},"nodes":[{"mesh":0}],"accessors":[{"componentType":5126,"count":300000000,"type":"VEC3"}],
           "meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}]})";
    EXPECT_THAT(read_tiny(text_bytes(bomb)), FailsWith(Code::kLimit, "accessors[0]"));
}

TEST(GltfTest, EveryTruncationFailsClearly) {
    test::for_each_truncation(rich_file(), [](const auto& part) {
        const auto read = read_tiny(part);
        ASSERT_FALSE(read.ok());
        EXPECT_FALSE(read.failure().found.empty());
        EXPECT_FALSE(read.failure().expected.empty());
    });
}

TEST(GltfTest, EveryFlippedBitIsReadOrRefused) {
    int read_well = 0, refused = 0;
    test::for_each_bit_flip(rich_file(), [&](const auto& bytes) {
        const auto read = read_tiny(bytes);
        (read.ok() ? read_well : refused) += 1;
        if (!read.ok()) return;
        // What is read can be posed and written.
        for (const Timeline& t : read.value().scene.timelines) pose_at(read.value().scene, t, 0.1);
        EXPECT_FALSE(write_glb(read.value().scene).empty());
    });
    EXPECT_GT(read_well, 100);
    EXPECT_GT(refused, 1000);
}

}  // namespace
}  // namespace mellow
