// Details of the specifications that small and even files do not show. Files are built here byte by
// byte, and what is written is looked at with another library's JSON.
#include <fmt/format.h>

#include <cmath>
#include <cstring>
#include <nlohmann/json.hpp>

#include "mellow/fit.h"
#include "mellow/pose.h"
#include "mellow/write.h"
#include "rigs.h"

namespace mellow::spec_test {
namespace {

using nlohmann::json;
using namespace test;

std::vector<unsigned char> floats(const std::vector<float>& numbers) {
    std::vector<unsigned char> bytes(4 * numbers.size());
    std::memcpy(bytes.data(), numbers.data(), bytes.size());
    return bytes;
}

/// A glTF text around one buffer.
std::string gltf(const std::vector<unsigned char>& buffer, const std::string& views,
                 const std::string& accessors, const std::string& members) {
    return fmt::format(
        R"({{"asset":{{"version":"2.0"}},"buffers":[{{"byteLength":{},"uri":"data:;base64,{}"}}],"bufferViews":[{}],"accessors":[{}]{}}})",
        buffer.size(), base64(buffer), views, accessors, members);
}

const std::string kMesh =
    R"(,"nodes":[{"mesh":0}],"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}])";
const std::string kMove =
    R"(,"nodes":[{"name":"n"}],"animations":[{"samplers":[{"input":0,"output":1}],"channels":[{"sampler":0,"target":{"node":0,"path":"translation"}}]}])";

TEST(SpecTest, SparseIndicesAndValuesMayBeginLater) {
    // Three vertices; the second is replaced. Index and value stand behind others in their views.
    std::vector<unsigned char> buffer = floats({0, 0, 0, 1, 1, 1, 2, 2, 2, 9, 9, 9, 7, 8, 9});
    buffer.insert(buffer.end(), {0, 2, 0, 0, 0, 1, 0, 0});  // at 60: shorts 512, 0, 256 (0x0100), 0
    const auto file = [&](int index_offset, int value_offset) {
        return gltf(
            buffer,
            R"({"buffer":0,"byteLength":36},{"buffer":0,"byteOffset":60,"byteLength":8},{"buffer":0,"byteOffset":36,"byteLength":24})",
            fmt::format(
                R"({{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3","sparse":{{"count":1,"indices":{{"bufferView":1,"byteOffset":{},"componentType":5121}},"values":{{"bufferView":2,"byteOffset":{}}}}}}})",
                index_offset, value_offset),
            kMesh);
    };
    const auto positions = [&](int index_offset, int value_offset) {
        const auto read = read_tiny(text_bytes(file(index_offset, value_offset)));
        EXPECT_THAT(read, IsOk());
        return read.value().scene.meshes[0].primitives[0].positions;
    };
    EXPECT_EQ(positions(5, 12)[1], (Float3{7, 8, 9}));
    EXPECT_EQ(positions(5, 0)[1], (Float3{9, 9, 9}));
    EXPECT_EQ(positions(1, 12)[2], (Float3{7, 8, 9}));
    EXPECT_EQ(positions(1, 12)[1], (Float3{1, 1, 1}));
    buffer[65] = 3;
    EXPECT_THAT(read_tiny(text_bytes(file(5, 12))),
                FailsWith(Code::kGltfReference, "sparse index 3 of 3"));
}

TEST(SpecTest, IndicesAreBelowTheNumberOfVertices) {
    std::vector<unsigned char> buffer = floats({0, 0, 0, 1, 0, 0, 0, 1, 0});
    buffer.insert(buffer.end(), {0, 1, 2, 0});
    const auto file = [&] {
        return gltf(
            buffer, R"({"buffer":0,"byteLength":36},{"buffer":0,"byteOffset":36,"byteLength":3})",
            R"({"bufferView":0,"componentType":5126,"count":3,"type":"VEC3"},{"bufferView":1,"componentType":5121,"count":3,"type":"SCALAR"})",
            R"(,"nodes":[{"mesh":0}],"meshes":[{"primitives":[{"attributes":{"POSITION":0},"indices":1}]}])");
    };
    EXPECT_THAT(read_tiny(text_bytes(file())), IsOk());
    buffer[38] = 3;
    EXPECT_THAT(read_tiny(text_bytes(file())), FailsWith(Code::kGltfReference, "vertex 3 of 3"));
}

TEST(SpecTest, JointsAreBelowTheNumberOfTheSkins) {
    std::vector<unsigned char> buffer = floats({0, 0, 0, 1, 0, 0, 0, 1, 0});
    for (int v = 0; v < 3; ++v) buffer.insert(buffer.end(), {1, 0, 0, 0});
    const auto weights = floats({1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0});
    buffer.insert(buffer.end(), weights.begin(), weights.end());
    const auto file = [&](const std::string& joints) {
        return gltf(
            buffer,
            R"({"buffer":0,"byteLength":36},{"buffer":0,"byteOffset":36,"byteLength":12},{"buffer":0,"byteOffset":48,"byteLength":48})",
            R"({"bufferView":0,"componentType":5126,"count":3,"type":"VEC3"},{"bufferView":1,"componentType":5121,"count":3,"type":"VEC4"},{"bufferView":2,"componentType":5126,"count":3,"type":"VEC4"})",
            R"(,"nodes":[{"mesh":0,"skin":0},{},{}],"skins":[{"joints":)" + joints +
                R"(}],"meshes":[{"primitives":[{"attributes":{"POSITION":0,"JOINTS_0":1,"WEIGHTS_0":2}}]}])");
    };
    EXPECT_THAT(read_tiny(text_bytes(file("[1,2]"))), IsOk());
    EXPECT_THAT(read_tiny(text_bytes(file("[1]"))), FailsWith(Code::kGltfReference, "joint 1"));
}

TEST(SpecTest, SkinsHaveAMatrixForEachJoint) {
    const auto file = [](int matrices) {
        std::vector<float> numbers;
        for (int m = 0; m < matrices; ++m)
            for (int i = 0; i < 16; ++i) numbers.push_back(i % 5 == 0 ? 1.0F : 0.0F);
        return gltf(
            floats(numbers), fmt::format(R"({{"buffer":0,"byteLength":{}}})", 64 * matrices),
            fmt::format(R"({{"bufferView":0,"componentType":5126,"count":{},"type":"MAT4"}})",
                        matrices),
            R"(,"nodes":[{},{}],"skins":[{"joints":[0,1],"inverseBindMatrices":0}])");
    };
    EXPECT_THAT(read_tiny(text_bytes(file(1))), FailsWith(Code::kGltfBroken, "1 matrices"));
    EXPECT_THAT(read_tiny(text_bytes(file(2))), IsOk());
    EXPECT_THAT(read_tiny(text_bytes(file(3))), IsOk());
}

TEST(SpecTest, NoKeyIsAnythingButANumber) {
    for (const std::size_t at : {0U, 7U, 15U, 17U}) {
        std::vector<float> numbers{0, 1, 2, 3, 4, 5};
        for (int i = 0; i < 18; ++i) numbers.push_back(static_cast<float>(i));
        numbers[6 + at] = std::nanf("");
        EXPECT_THAT(
            read_tiny(text_bytes(gltf(
                floats(numbers),
                R"({"buffer":0,"byteLength":24},{"buffer":0,"byteOffset":24,"byteLength":72})",
                R"({"bufferView":0,"componentType":5126,"count":6,"type":"SCALAR"},{"bufferView":1,"componentType":5126,"count":6,"type":"VEC3"})",
                kMove))),
            FailsWith(Code::kNumberBad, "finite"))
            << at;
    }
}

TEST(SpecTest, KeysMayLieApartOrBeginLater) {
    const auto keys = [](const std::string& view, const std::string& accessor) {
        // Times 0 1; then places 1 2 3 and 4 5 6 with something between and before.
        const auto read = read_tiny(text_bytes(gltf(
            floats({0, 1, 90, 1, 2, 3, 91, 4, 5, 6, 92}),
            R"({"buffer":0,"byteLength":8},{"buffer":0,)" + view + "}",
            R"({"bufferView":0,"componentType":5126,"count":2,"type":"SCALAR"},{"bufferView":1,"componentType":5126,"count":2,"type":"VEC3")" +
                accessor + "}",
            kMove)));
        EXPECT_THAT(read, IsOk());
        return read ? read.value().scene.timelines[0].channels[0].curve.values.list()
                    : std::vector<double>{};
    };
    EXPECT_EQ(keys(R"("byteOffset":12,"byteLength":28,"byteStride":16)", ""),
              (std::vector<double>{1, 2, 3, 4, 5, 6}));
    EXPECT_EQ(keys(R"("byteOffset":8,"byteLength":36)", R"(,"byteOffset":4)"),
              (std::vector<double>{1, 2, 3, 91, 4, 5}));
}

TEST(SpecTest, AccessorsMeanTheSameWithWhateverElseTheyHave) {
    // Members that are rare are read by another way than the usual ones.
    for (const char* more :
         {"", R"(,"name":"n")", R"(,"normalized":false)", R"(,"extras":{"a":1})"}) {
        const auto read = read_tiny(text_bytes(gltf(
            floats({7, 7, 0, 1, 9, 9, 9, 1, 2, 3, 4, 5, 6}),
            R"({"buffer":0,"byteLength":16},{"buffer":0,"byteOffset":16,"byteLength":36})",
            fmt::format(
                R"({{"bufferView":0,"byteOffset":8,"componentType":5126,"count":2,"type":"SCALAR"{0}}},{{"bufferView":1,"byteOffset":12,"componentType":5126,"count":2,"type":"VEC3"{0}}})",
                more),
            kMove)));
        ASSERT_THAT(read, IsOk()) << more;
        const Curve& curve = read.value().scene.timelines.at(0).channels.at(0).curve;
        EXPECT_EQ(curve.times.size(), 2U) << more;
        EXPECT_EQ(curve.times[1], 1) << more;
        EXPECT_EQ(curve.values, (std::vector<double>{1, 2, 3, 4, 5, 6})) << more;
    }
}

TEST(SpecTest, ExtrasOfTheWholeFileAreKept) {
    const auto read = read_tiny(text_bytes(
        R"({"asset":{"version":"2.0"},"nodes":[{"name":"n"}],"extras":{"yard":{"trees":12}}})"));
    ASSERT_THAT(read, IsOk());
    const auto glb = write_glb(read.value().scene);
    EXPECT_NE(std::string(glb.begin(), glb.end()).find(R"("yard":{"trees":12})"),
              std::string::npos);
}

TEST(SpecTest, TimesAreAscendingFromZero) {
    for (const std::vector<float>& times : {std::vector<float>{-1, 0}, {0, 0}, {1, 0.5F}})
        EXPECT_THAT(
            read_tiny(text_bytes(gltf(
                floats({times[0], times[1], 1, 2, 3, 4, 5, 6}),
                R"({"buffer":0,"byteLength":8},{"buffer":0,"byteOffset":8,"byteLength":24})",
                R"({"bufferView":0,"componentType":5126,"count":2,"type":"SCALAR"},{"bufferView":1,"componentType":5126,"count":2,"type":"VEC3"})",
                kMove))),
            FailsWith(Code::kGltfBroken, "ascending"));
}

TEST(SpecTest, ArraysWithoutBytesAreCountedTogether) {
    std::string accessors;
    for (int i = 0; i < 6; ++i)
        accessors += (i == 0 ? "" : ",") +
                     std::string(R"({"componentType":5126,"count":100000,"type":"VEC3"})");
    const std::string text =
        R"({"asset":{"version":"2.0"},"nodes":[{}],"accessors":[)" + accessors + "]}";
    EXPECT_THAT(read_tiny(text_bytes(text)), FailsWith(Code::kLimit, "accessors[3]"));
}

TEST(SpecTest, StepsHold) {
    const auto read = read_tiny(text_bytes(gltf(
        floats({0, 1, 1, 2, 3, 4, 5, 6}),
        R"({"buffer":0,"byteLength":8},{"buffer":0,"byteOffset":8,"byteLength":24})",
        R"({"bufferView":0,"componentType":5126,"count":2,"type":"SCALAR"},{"bufferView":1,"componentType":5126,"count":2,"type":"VEC3"})",
        std::string(kMove).replace(kMove.find("\"output\":1"), 10,
                                   "\"output\":1,\"interpolation\":\"STEP\""))));
    ASSERT_THAT(read, IsOk());
    const Scene& scene = read.value().scene;
    EXPECT_EQ(pose_at(scene, scene.timelines[0], 0.9).worlds[0].o, (Vec3{1, 2, 3}));
    const auto again = read_tiny(write_glb(scene));
    EXPECT_EQ(again.value().scene.timelines[0].channels[0].curve.interpolation,
              Interpolation::kStep);
}

TEST(SpecTest, TargetsWithNamesThatDoNotFitAreNumbered) {
    const auto names = [](const std::string& list) {
        return read_tiny(
                   text_bytes(gltf(
                       floats({0, 0, 0, 1, 1, 1, 2, 2, 2}), R"({"buffer":0,"byteLength":36})",
                       R"({"bufferView":0,"componentType":5126,"count":3,"type":"VEC3"})",
                       R"(,"nodes":[{"mesh":0}],"meshes":[{"extras":{"targetNames":)" + list +
                           R"(},"primitives":[{"attributes":{"POSITION":0},"targets":[{"POSITION":0},{"TANGENT":0}]}]}])")))
            .value()
            .scene.meshes[0];
    };
    EXPECT_EQ(names(R"(["a","b"])").target_names, (std::vector<std::string>{"a", "b"}));
    EXPECT_EQ(names(R"(["a"])").target_names, (std::vector<std::string>{"target_0", "target_1"}));
    EXPECT_EQ(names(R"(["a","b","c"])").target_names.size(), 2U);
    const MorphTarget target = names(R"(["a","b"])").primitives[0].targets[1];
    EXPECT_EQ(target.tangents.size(), 3U);
    EXPECT_TRUE(target.normals.empty());
}

TEST(SpecTest, SmallShearOfAMatrixIsKept) {
    const auto read = read_tiny(text_bytes(
        R"({"asset":{"version":"2.0"},"nodes":[{"matrix":[1,0,0,0,0.02,1,0,0,0,0,1,0,0,0,0,1]}]})"));
    ASSERT_THAT(read, IsOk());
    ASSERT_TRUE(read.value().scene.nodes[0].shear.has_value());
    EXPECT_LT(length(local_matrix(read.value().scene.nodes[0]).y - Vec3{0.02, 1, 0}), 1e-9);
}

TEST(SpecTest, KeysFarFromUnitAreSaidAndSplinesKept) {
    const auto read = [](const char* interpolation, const std::vector<float>& values, int count) {
        std::vector<float> numbers{0, 1};
        numbers.insert(numbers.end(), values.begin(), values.end());
        return read_tiny(text_bytes(gltf(
            floats(numbers),
            fmt::format(
                R"({{"buffer":0,"byteLength":8}},{{"buffer":0,"byteOffset":8,"byteLength":{}}})",
                4 * values.size()),
            fmt::format(
                R"({{"bufferView":0,"componentType":5126,"count":2,"type":"SCALAR"}},{{"bufferView":1,"componentType":5126,"count":{},"type":"VEC4"}})",
                count),
            fmt::format(
                R"(,"nodes":[{{}}],"animations":[{{"samplers":[{{"input":0,"output":1,"interpolation":"{}"}}],"channels":[{{"sampler":0,"target":{{"node":0,"path":"rotation"}}}}]}}])",
                interpolation))));
    };
    const auto short_keys = read("LINEAR", {0, 0, 0, 0.7F, 0, 0.7F, 0, 0}, 2);
    ASSERT_THAT(short_keys, IsOk());
    bool said = false;
    for (const Finding& f : short_keys.value().findings)
        said = said || (f.code == Code::kNumberBad && f.severity == Severity::kWarning);
    EXPECT_TRUE(said);
    const std::vector<float> spline{0, 0, 0, 0, 0, 0,     0, 0.98F, 0, 2, 0, 0,
                                    0, 3, 0, 0, 0, 0.98F, 0, 0,     0, 0, 0, 0};
    const auto kept = read("CUBICSPLINE", spline, 6);
    ASSERT_THAT(kept, IsOk());
    for (std::size_t i = 0; i < spline.size(); ++i)
        EXPECT_EQ(kept.value().scene.timelines[0].channels[0].curve.values[i],
                  static_cast<double>(spline[i]));
}

/// A GLB with these chunks, by the header that the specification has (4.4.2).
std::vector<std::uint8_t> glb_of(
    const std::vector<std::pair<std::uint32_t, std::vector<unsigned char>>>& chunks,
    std::uint32_t version = 2, std::uint32_t more = 0) {
    std::vector<std::uint8_t> out(12);
    const auto put = [&](std::size_t at, std::uint32_t v) { std::memcpy(&out.at(at), &v, 4); };
    for (const auto& [type, bytes] : chunks) {
        out.resize(out.size() + 8);
        put(out.size() - 8, static_cast<std::uint32_t>(bytes.size()));
        put(out.size() - 4, type);
        out.insert(out.end(), bytes.begin(), bytes.end());
    }
    put(0, 0x46546C67), put(4, version);
    put(8, static_cast<std::uint32_t>(out.size()) + more);
    return out;
}

std::vector<unsigned char> padded(std::string text) {
    text.resize((text.size() + 3) / 4 * 4, ' ');
    return {text.begin(), text.end()};
}

TEST(SpecTest, ContainersAreWholeOfTheirVersionAndHoldOneBuffer) {
    constexpr std::uint32_t kJson = 0x4E4F534A, kBin = 0x004E4942, kOther = 0x52485458;
    const auto document = [](const std::string& buffers, int buffer) {
        return padded(fmt::format(
            R"({{"asset":{{"version":"2.0"}},"buffers":[{}],"bufferViews":[{{"buffer":{},"byteLength":12}}],"accessors":[{{"bufferView":0,"componentType":5126,"count":1,"type":"VEC3"}}]{}}})",
            buffers, buffer, kMesh));
    };
    const std::string twelve = R"({"byteLength":12})";
    const auto text = document(twelve, 0), two = document(twelve + "," + twelve, 1);
    const auto first = floats({1, 2, 3}), second = floats({7, 8, 9});
    const auto place = [&](const std::vector<std::uint8_t>& bytes) {
        const auto read = read_tiny(bytes);
        EXPECT_THAT(read, IsOk());
        return read ? read.value().scene.meshes[0].primitives[0].positions.at(0) : Float3{};
    };
    EXPECT_EQ(place(glb_of({{kJson, text}, {kBin, first}})), (Float3{1, 2, 3}));
    EXPECT_EQ(place(glb_of({{kJson, text}, {kBin, first}, {kOther, second}, {kBin, second}})),
              (Float3{1, 2, 3}))
        << "the second chunk is the buffer; others are passed over";
    EXPECT_THAT(read_tiny(glb_of({{kJson, text}, {kBin, first}}, 1)),
                FailsWith(Code::kGltfBroken, "container version 1"));
    EXPECT_THAT(read_tiny(glb_of({{kJson, text}, {kBin, first}}, 2, 8)),
                FailsWith(Code::kGltfBroken, "as its header says"));
    auto longer = glb_of({{kJson, text}, {kBin, first}});
    longer.resize(longer.size() + 4);
    EXPECT_THAT(read_tiny(longer), FailsWith(Code::kGltfBroken, "as its header says"));
    // Only the first buffer may stand for the chunk (3.6.1.2).
    EXPECT_THAT(read_tiny(glb_of({{kJson, two}, {kBin, first}})),
                FailsWith(Code::kGltfBroken, "buffers[1]"));
}

TEST(SpecTest, ViewsStayInWhatTheirBufferDeclares) {
    const auto read = [](const std::string& buffer, const std::string& view,
                         const std::vector<float>& data = {1, 2, 3, 4, 5, 6}) {
        return read_tiny(text_bytes(fmt::format(
            R"({{"asset":{{"version":"2.0"}},"buffers":[{{{},"uri":"data:;base64,{}"}}],"bufferViews":[{{"buffer":0,{}}}],"accessors":[{{"bufferView":0,"componentType":5126,"count":1,"type":"VEC3"}}]{}}})",
            buffer, base64(floats(data)), view, kMesh)));
    };
    const auto whole = read(R"("byteLength":24)", R"("byteOffset":12,"byteLength":12)");
    ASSERT_THAT(whole, IsOk());
    EXPECT_EQ(whole.value().scene.meshes[0].primitives[0].positions[0], (Float3{4, 5, 6}));
    EXPECT_THAT(read(R"("byteLength":12)", R"("byteOffset":12,"byteLength":12)"),
                FailsWith(Code::kGltfReference, "bufferViews[0]"));
    EXPECT_THAT(read(R"("byteLength":24)", R"("byteOffset":3.5,"byteLength":12)"),
                FailsWith(Code::kGltfBroken, "3.5"));
    EXPECT_THAT(read(R"("byteLength":24)", R"("byteLength":24,"byteStride":18)"),
                FailsWith(Code::kGltfBroken, "a multiple of 4"));
    // 16 bytes are 24 letters of base64, two of them padding; the length may be told as 16.0.
    EXPECT_THAT(read(R"("byteLength":16.0)", R"("byteLength":12)", {1, 2, 3, 4}), IsOk());
}

TEST(SpecTest, TextFilesMayBeginWithAByteOrderMark) {
    const std::string mark = "\xEF\xBB\xBF";
    const auto format = [&](const std::string& text) {
        const std::string all = mark + text;
        const auto read = read_memory(Bytes(all.begin(), all.end()), "t", {});
        EXPECT_THAT(read, IsOk());
        return read ? read.value().format : "";
    };
    EXPECT_EQ(format(" {\"asset\":{\"version\":\"2.0\"},\"nodes\":[{}]}"), "glTF 2.0");
    EXPECT_EQ(format("\nHIERARCHY\nROOT a\n{\nOFFSET 0 0 0\nCHANNELS 3 Xrotation Yrotation "
                     "Zrotation\n}\nMOTION\nFrames: 1\nFrame Time: 0.04\n0 0 0\n"),
              "BVH");
}

TEST(SpecTest, FilesAreAsLongAsTheLimitAllows) {
    const test::TempFolder folder;
    test::write_text(folder / "a.bin", std::string(100, 'x'));
    ReadLimits limits;
    limits.file_bytes = 100;
    EXPECT_THAT(read_file(folder / "a.bin", limits), IsOk());
    limits.file_bytes = 99;
    EXPECT_THAT(read_file(folder / "a.bin", limits), FailsWith(Code::kLimit, "at most 99 bytes"));
    TrueConvention truth;
    truth.frames = BvhFrames::kDeclared, truth.places = BvhPlaces::kAdded;
    EXPECT_EQ(limits_for(truth).bvh_frames, BvhFrames::kDeclared);
    EXPECT_EQ(limits_for(truth).bvh_places, BvhPlaces::kAdded);
}

TEST(SpecTest, BvhChannelsThatAreMissingKeepTheirOffset) {
    const std::string head =
        "HIERARCHY\nROOT a\n{\nOFFSET 1 -4 2\nCHANNELS 4 Yposition Zrotation "
        "Xrotation Yrotation\nEnd Site\n{\nOFFSET 0 1 0\n}\n}\nMOTION\n";
    const std::string rows = "Frames: 2\nFrame Time: 0.1\n-9 0 90 0\n-9 90 0 90\n";
    ReadLimits limits;
    const auto place = [&](BvhPlaces places) {
        limits.bvh_places = places;
        const auto read = read_bvh(head + rows, "t.bvh", limits);
        EXPECT_THAT(read, IsOk());
        return pose_at(read.value().scene, read.value().scene.timelines[0], 0.1);
    };
    EXPECT_LT(length(place(BvhPlaces::kInstead).worlds[0].o - Vec3{1, -9, 2}), 1e-12);
    EXPECT_LT(length(place(BvhPlaces::kAdded).worlds[0].o - Vec3{1, -13, 2}), 1e-12);
    // Rz(90) Rx(0) Ry(90): Y goes to -X, and X by Ry to -Z.
    EXPECT_LT(length(place(BvhPlaces::kAdded).worlds[0].y - Vec3{-1, 0, 0}), 1e-12);
    EXPECT_LT(length(place(BvhPlaces::kAdded).worlds[0].x - Vec3{0, 0, -1}), 1e-12);
    // Half way between zero and OFFSET nobody knows: that is a warning.
    for (const auto& [y, severity] : {std::pair{"-2", Severity::kWarning},
                                      {"-4", Severity::kNote},
                                      {"-0.1", Severity::kNote}}) {
        const auto read =
            read_bvh(head + fmt::format("Frames: 1\nFrame Time: 0.1\n{} 0 0 0\n", y), "t.bvh");
        ASSERT_THAT(read, IsOk());
        for (const Finding& f : read.value().findings)
            if (f.found.find("OFFSET") != f.found.npos) {
                EXPECT_EQ(f.severity, severity) << y;
            }
    }
    EXPECT_THAT(
        read_bvh(std::string(head).replace(head.find("1 -4 2"), 6, "nan 0 0") + rows, "t.bvh"),
        FailsWith(Code::kBvhBroken, "finite"));
    EXPECT_THAT(
        read_bvh(std::string(head).replace(head.find("Zrotation"), 9, "Yrotation") + rows, "t.bvh"),
        FailsWith(Code::kBvhBroken, "each channel once"));
}

TEST(SpecTest, LongBonesWeighMoreInWhatPlacesMean) {
    // The long one moves about zero, the short one stands at its OFFSET: together they are added.
    const auto read = read_bvh(
        "HIERARCHY\nROOT a\n{\nOFFSET 0 10 0\nCHANNELS 3 Xposition Yposition Zposition\nJOINT "
        "b\n{\n"
        "OFFSET 0 1 0\nCHANNELS 3 Xposition Yposition Zposition\nEnd Site\n{\nOFFSET 0 1 "
        "0\n}\n}\n}\n"
        "MOTION\nFrames: 2\nFrame Time: 0.1\n0 0 0 0 1 0\n0.5 0 0 0 1 0\n",
        "t.bvh");
    ASSERT_THAT(read, IsOk());
    const Scene& scene = read.value().scene;
    const Pose pose = pose_at(scene, scene.timelines[0], 0.1);
    EXPECT_LT(length(pose.worlds[0].o - Vec3{0.5, 10, 0}), 1e-9);
    EXPECT_LT(length(pose.worlds[1].o - Vec3{0.5, 12, 0}), 1e-9);
}

// ------------------------------------------------------------------------------------- COLLADA

/// A node "n" whose translate.X has one curve.
Scene curve_scene(const std::string& times, const std::string& values, const std::string& words,
                  const std::string& in, const std::string& out, int keys) {
    const auto source = [](const char* id, const std::string& numbers, int count, int stride) {
        std::string params;
        for (int i = 0; i < stride; ++i) params += "<param name=\"P\"/>";
        return fmt::format(
            R"(<source id="{0}"><float_array id="{0}a" count="{2}">{1}</float_array><technique_common><accessor source="#{0}a" count="{3}" stride="{4}">{5}</accessor></technique_common></source>)",
            id, numbers, count * stride, count, stride, params);
    };
    const std::string text =
        R"(<COLLADA version="1.4.1"><asset><unit meter="1"/><up_axis>Y_UP</up_axis></asset><library_animations><animation id="an">)" +
        source("i", times, keys, 1) + source("o", values, keys, 1) + source("b", in, keys, 2) +
        source("f", out, keys, 2) + R"(<source id="k"><Name_array>)" + words +
        R"(</Name_array></source><sampler id="s"><input semantic="INPUT" source="#i"/><input semantic="OUTPUT" source="#o"/><input semantic="IN_TANGENT" source="#b"/><input semantic="OUT_TANGENT" source="#f"/><input semantic="INTERPOLATION" source="#k"/></sampler><channel source="#s" target="n/t.X"/></animation></library_animations><library_visual_scenes><visual_scene id="v"><node id="n"><translate sid="t">0 0 0</translate></node></visual_scene></library_visual_scenes><scene><instance_visual_scene url="#v"/></scene></COLLADA>)";
    const auto none = [](const std::string&) -> Result<Bytes> { return Bytes(); };
    auto read = read_collada(Bytes(text.begin(), text.end()), "c.dae", none);
    EXPECT_THAT(read, IsOk());
    return read ? std::move(read.value().scene) : Scene{};
}
double x_at(const Scene& scene, double t) {
    return pose_at(scene, scene.timelines[0], t).worlds[0].o.x;
}

TEST(SpecTest, HermiteTangentsAreThreeTimesTheWay) {
    // From (0, 0) to (4, 8); tangents (3, 6) out and (3, 0) in: control points (1, 2) and (3, 8).
    // At s = 1/2 the time is (0 + 3 + 9 + 4) / 8 = 2, the value (0 + 6 + 24 + 8) / 8 = 4.75.
    const Scene scene = curve_scene("0 4", "0 8", "HERMITE HERMITE", "3 6 3 0", "3 6 3 0", 2);
    EXPECT_NEAR(x_at(scene, 2), 4.75, 1e-9);
}

TEST(SpecTest, ASegmentIsShapedByItsFirstKeysWord) {
    // HERMITE, then BEZIER: the first segment's tangents are ways, on both of its ends.
    // In-tangent of key 1: way (3, 0) gives the point (4 - 1, 8); as a point it would be (3, 0).
    const Scene scene =
        curve_scene("0 4 8", "0 8 8", "HERMITE BEZIER LINEAR", "3 6 3 0 7 8", "3 6 5 8 9 8", 3);
    EXPECT_NEAR(x_at(scene, 2), 4.75, 1e-9);
    EXPECT_NEAR(x_at(scene, 6), 8, 1e-9);
}

TEST(SpecTest, ControlPointsBeyondTheirSegmentAreHeldBack) {
    // Out at time 9 of a segment that ends at 4: held at 4. Then time(s) = 4 (3 s (1-s)^2 ... ).
    const Scene scene = curve_scene("0 4", "0 8", "BEZIER BEZIER", "0 0 4 8", "9 0 4 8", 2);
    double before = -1;
    for (int k = 0; k <= 8; ++k) {
        const double x = x_at(scene, k / 2.0);
        EXPECT_GE(x, before);
        EXPECT_LE(x, 8 + 1e-9);
        before = x;
    }
    // Points (0,0) (4,0) (4,8) (4,8): at s = 1/2 time is (0 + 12 + 12 + 4) / 8 = 3.5, value 4.
    EXPECT_NEAR(x_at(scene, 3.5), 4, 1e-9);
}

TEST(SpecTest, ADeclaredRateTakesTangentsAlong) {
    Scene scene = curve_scene("0 4", "0 8", "HERMITE HERMITE", "3 6 3 0", "3 6 3 0", 2);
    scene.rate = {24, 1};
    declare_rate(scene, {12, 1});  // twice as slow
    EXPECT_NEAR(x_at(scene, 4), 4.75, 1e-9);
    scene.timelines[0].span = {1, 3};
    declare_rate(scene, {24, 1});
    EXPECT_NEAR((*scene.timelines[0].span)[0], 0.5, 1e-12);
    EXPECT_NEAR((*scene.timelines[0].span)[1], 1.5, 1e-12);
}

TEST(SpecTest, LensesAreTheSameInEveryWayOfTellingThem) {
    const auto camera = [](const std::string& optics) {
        const std::string text =
            R"(<COLLADA version="1.4.1"><asset><unit meter="1"/><up_axis>Y_UP</up_axis></asset><library_cameras><camera id="c"><optics><technique_common>)" +
            optics +
            R"(</technique_common></optics></camera></library_cameras><library_visual_scenes><visual_scene id="v"><node id="n"><instance_camera url="#c"/></node></visual_scene></library_visual_scenes><scene><instance_visual_scene url="#v"/></scene></COLLADA>)";
        const auto none = [](const std::string&) -> Result<Bytes> { return Bytes(); };
        const auto read = read_collada(Bytes(text.begin(), text.end()), "c.dae", none);
        EXPECT_THAT(read, IsOk());
        return read ? json::parse(read.value().scene.cameras.at(0)) : json();
    };
    for (const char* size :
         {"<ymag>2</ymag><aspect_ratio>1.5</aspect_ratio>",
          "<xmag>3</xmag><aspect_ratio>1.5</aspect_ratio>", "<xmag>3</xmag><ymag>2</ymag>"}) {
        const json c = camera(
            fmt::format("<orthographic>{}<znear>1</znear><zfar>9</zfar></orthographic>", size));
        EXPECT_NEAR(c["orthographic"]["xmag"].get<double>(), 3, 1e-9) << size;
        EXPECT_NEAR(c["orthographic"]["ymag"].get<double>(), 2, 1e-9) << size;
    }
    // tan(x / 2) = aspect * tan(y / 2): 90 degrees wide at 4 / 3 is 2 atan(3 / 4) high.
    const json c = camera(
        "<perspective><xfov>90</xfov><aspect_ratio>1.3333333333</aspect_ratio><znear>1</znear>"
        "<zfar>9</zfar></perspective>");
    EXPECT_NEAR(c["perspective"]["yfov"].get<double>(), 2 * std::atan(0.75), 1e-6);
}

// ------------------------------------------------------------------------------------- written

struct PlainGlb {
    json document;
    std::vector<std::uint8_t> bin;
};
std::uint32_t word(const std::vector<std::uint8_t>& bytes, std::size_t at) {
    std::uint32_t v = 0;
    std::memcpy(&v, &bytes.at(at), 4);
    return v;
}
/// Takes a GLB apart by the lengths that it tells (glTF 2.0, 4.4).
PlainGlb take_apart(const std::vector<std::uint8_t>& glb) {
    PlainGlb out;
    EXPECT_EQ(word(glb, 0), 0x46546C67U);
    EXPECT_EQ(word(glb, 4), 2U);
    EXPECT_EQ(word(glb, 8), glb.size());
    const std::size_t length = word(glb, 12);
    EXPECT_EQ(length % 4, 0U);
    EXPECT_EQ(word(glb, 16), 0x4E4F534AU);
    const std::string text(glb.begin() + 20,
                           glb.begin() + 20 + static_cast<std::ptrdiff_t>(length));
    EXPECT_EQ(text.find('\0'), text.npos) << "padded with spaces";
    out.document = json::parse(text);
    if (glb.size() > 20 + length) {
        EXPECT_EQ(word(glb, 20 + length) + 28 + length, glb.size());
        out.bin.assign(glb.begin() + 28 + static_cast<std::ptrdiff_t>(length), glb.end());
    }
    for (const json& view : out.document.value("bufferViews", json::array())) {
        EXPECT_EQ(view.value("byteOffset", 0) % 4, 0) << "views begin on whole words";
        EXPECT_EQ(view.value("byteStride", 4) % 4, 0);
    }
    return out;
}

Primitive triangles(std::size_t vertices) {
    Primitive p;
    for (std::size_t v = 0; v < vertices; ++v)
        p.positions.push_back({static_cast<float>(v % 7) - 3, static_cast<float>(v), 0.25F});
    const auto last = static_cast<std::uint32_t>(vertices - 1);
    p.indices = {0, 1, last};
    return p;
}

TEST(SpecTest, IndicesAreAsWideAsTheyMustBe) {
    // The largest sixteen-bit number ends strips: it is no vertex (glTF 2.0, 3.7.2.1).
    for (const auto& [vertices, type] : {std::pair{std::size_t{65534}, 5123}, {65536, 5125}}) {
        Scene scene;
        add_node(scene, "n", kNone, {});
        scene.meshes.emplace_back().primitives = {triangles(vertices)};
        scene.nodes[0].mesh = 0;
        const PlainGlb glb = take_apart(write_glb(scene));
        const json& primitive = glb.document["meshes"][0]["primitives"][0];
        const json& indices = glb.document["accessors"][primitive["indices"].get<std::size_t>()];
        EXPECT_EQ(indices["componentType"], type) << vertices;
        const json& view = glb.document["bufferViews"][indices["bufferView"].get<std::size_t>()];
        const std::size_t wide = type == 5123 ? 2 : 4,
                          from = view["byteOffset"].get<std::size_t>() + 2 * wide;
        std::uint32_t last = 0;
        std::memcpy(&last, &glb.bin.at(from), wide);
        EXPECT_EQ(last, vertices - 1);
        const json& places =
            glb.document["accessors"][primitive["attributes"]["POSITION"].get<std::size_t>()];
        EXPECT_EQ(places["min"], (json{-3, 0, 0.25}));
        EXPECT_EQ(places["max"], (json{3, vertices - 1, 0.25}));
    }
}

TEST(SpecTest, OddBytesDoNotShiftWhatFollows) {
    Scene scene;
    add_node(scene, "n", kNone, {{}, from_axis_angle({0, 0, 1}, 0.5), {1, 1, 1}});
    Primitive p = triangles(3);
    p.indices = {0, 1, 2};
    p.others = {{"COLOR_0", 3, Component::kUint8, true, {1, 2, 3, 4, 5, 6, 7, 8, 9}},
                {"_ONE", 1, Component::kUint8, false, {11, 12, 13}}};
    p.influences_per_vertex = 4;
    p.influence_joints = {0, 9, 9, 9, 0, 9, 9, 9, 0, 9, 9, 9};  // named with weight 0
    p.influence_weights = {1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0};
    scene.meshes.emplace_back().primitives = {p};
    scene.nodes[0].mesh = 0;
    scene.images.push_back(
        {"odd", "image/png", {0x89, 'P', 'N', 'G', '\r', '\n', 0x1A, '\n', 1}, "", ""});
    scene.textures = R"([{"source":0}])";
    const PlainGlb glb = take_apart(write_glb(scene));
    EXPECT_NEAR(glb.document["nodes"][0]["rotation"][2].get<double>(), std::sin(0.25), 1e-7);
    const json& attributes = glb.document["meshes"][0]["primitives"][0]["attributes"];
    const auto view_of = [&](const char* name) {
        const json& accessor = glb.document["accessors"][attributes[name].get<std::size_t>()];
        return glb.document["bufferViews"][accessor["bufferView"].get<std::size_t>()];
    };
    for (const auto& [name, wide] : {std::pair{"COLOR_0", 3}, {"_ONE", 1}}) {
        const json view = view_of(name);
        EXPECT_EQ(view["byteStride"], 4) << name;
        for (std::size_t v = 0; v < 3; ++v)
            EXPECT_EQ(glb.bin.at(view["byteOffset"].get<std::size_t>() + 4 * v),
                      name[0] == 'C' ? 1 + static_cast<int>(v) * wide : 11 + static_cast<int>(v));
    }
    const json joints = view_of("JOINTS_0");
    for (std::size_t i = 0; i < 24; ++i)
        EXPECT_EQ(glb.bin.at(joints["byteOffset"].get<std::size_t>() + i), 0) << "of weight 0";
    // A file without any bytes tells so.
    Scene empty;
    add_node(empty, "n", kNone, {});
    EXPECT_TRUE(take_apart(write_glb(empty)).bin.empty());
}

TEST(SpecTest, AMovedNodeHasNoMatrix) {
    Scene scene;
    add_node(scene, "n", kNone, {});
    scene.nodes[0].shear = Affine{{1, 0, 0}, {0.3, 1, 0}, {0, 0, 1}, {}};
    EXPECT_TRUE(take_apart(write_glb(scene)).document["nodes"][0].contains("matrix"));
    test::key(scene, 0, Path::kTranslation, {0, 0, 0}, {1, 0, 0});
    EXPECT_FALSE(take_apart(write_glb(scene)).document["nodes"][0].contains("matrix"));
}

TEST(SpecTest, SmallChangesOfScaleAreKept) {
    const Skeleton skeleton = Skeleton::make({{"a", -1, {}}, {"b", 0, {}}}).value();
    Clip clip;
    clip.samples = 2;
    clip.joints = make_tracks(2, 2);
    store(clip.joints[1], 1, {{}, {}, {1, 1.00005, 1}});
    const Scene scene = assemble_clip(skeleton, clip, "");
    int scales = 0;
    for (const Channel& c : scene.timelines[0].channels) scales += c.path == Path::kScale ? 1 : 0;
    EXPECT_EQ(scales, 1);
}

TEST(SpecTest, SmallMovesAndRatesOfBvhAreKept) {
    const Skeleton skeleton =
        Skeleton::make({{"a", -1, {}}, {"b", 0, {{0, 1, 0}, {}, {1, 1, 1}}}}).value();
    Clip clip;
    clip.rate = {30000, 1001};
    clip.samples = 2;
    clip.joints = make_tracks(2, 2);
    for (int k = 0; k < 2; ++k) {
        store(clip.joints[0], k, {{}, test::turn({0, 0, 1}, 90), {1, 1, 1}});
        store(clip.joints[1], k, {{0, 1 + 0.004 * k, 0}, {}, {1, 1.02, 1}});
    }
    const Conversion out({}, {0.01, Axis::kPlusY, Axis::kPlusZ});
    const auto text = write_bvh(skeleton, clip, out);
    ASSERT_THAT(text, IsOk());
    EXPECT_NE(text.value().text.find("Frame Time: 0.0333666667"), std::string::npos);
    bool said = false;
    for (const Finding& f : text.value().findings)
        said = said || f.found.find("a scale that differs from 1") != f.found.npos;
    EXPECT_TRUE(said);
    auto read = read_bvh(text.value().text, "t.bvh");
    ASSERT_THAT(read, IsOk());
    Scene scene = std::move(read.value().scene);
    EXPECT_EQ(scene.rate, (FrameRate{30000, 1001}));
    // Centimetres: one to the left of a turned parent, then 4 mm more.
    for (int k = 0; k < 2; ++k) {
        const Pose pose = pose_at(scene, scene.timelines[0], scene.rate.seconds(k));
        EXPECT_LT(length(pose.worlds[1].o - Vec3{-100 - 0.4 * k, 0, 0}), 1e-5) << k;
    }
}

}  // namespace
}  // namespace mellow::spec_test
