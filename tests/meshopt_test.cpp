// Packed and quantised glTF: what the codec packed is read as the plain numbers, and damage is
// refused.
#include <fmt/format.h>
#include <meshoptimizer.h>

#include <cmath>
#include <cstring>

#include "mellow/write.h"
#include "support.h"

namespace mellow {
namespace {

using namespace test;

using Packed = std::vector<unsigned char>;

Packed pack_vertices(const void* data, std::size_t count, std::size_t stride) {
    Packed out(meshopt_encodeVertexBufferBound(count, stride));
    out.resize(meshopt_encodeVertexBuffer(out.data(), out.size(), data, count, stride));
    return out;
}

Packed pack_triangles(const std::vector<unsigned>& indices, std::size_t vertices) {
    Packed out(meshopt_encodeIndexBufferBound(indices.size(), vertices));
    out.resize(meshopt_encodeIndexBuffer(out.data(), out.size(), indices.data(), indices.size()));
    return out;
}

/// A file of one mesh whose positions and indices are packed views.
std::string packed_file(const Packed& positions, std::size_t vertices, const Packed& indices,
                        std::size_t corners, const std::string& attribute_more = "") {
    Packed all = positions;
    all.insert(all.end(), indices.begin(), indices.end());
    const auto view = [](std::size_t offset, std::size_t bytes, std::size_t count,
                         std::size_t stride, const char* mode, const std::string& more) {
        return fmt::format(
            R"({{"buffer":1,"byteLength":{},"extensions":{{"EXT_meshopt_compression":{{"buffer":0,"byteOffset":{},"byteLength":{},
               "byteStride":{},"count":{},"mode":"{}"{}}}}}}})",
            count * stride, offset, bytes, stride, count, mode, more);
    };
    return fmt::format(
        R"({{"asset":{{"version":"2.0"}},"extensionsUsed":["EXT_meshopt_compression"],"extensionsRequired":["EXT_meshopt_compression"],
        "buffers":[{{"byteLength":{},"uri":"data:;base64,{}"}},{{"byteLength":4096,"extensions":{{"EXT_meshopt_compression":{{"fallback":true}}}}}}],
        "bufferViews":[{},{}],
        "accessors":[{{"bufferView":0,"componentType":5126,"count":{},"type":"VEC3"}},{{"bufferView":1,"componentType":5123,"count":{},"type":"SCALAR"}}],
        "meshes":[{{"primitives":[{{"attributes":{{"POSITION":0}},"indices":1}}]}}],"nodes":[{{"mesh":0}}]}})",
        all.size(), base64(all),
        view(0, positions.size(), vertices, 12, "ATTRIBUTES", attribute_more),
        view(positions.size(), indices.size(), corners, 2, "TRIANGLES", ""), vertices, corners);
}

const std::vector<float> kPlaces{0, 0, 0, 1.5F, 0, 0, 0, -2.25F, 0, 1, 1, 0.125F};
const std::vector<unsigned> kCorners{0, 1, 2, 2, 1, 3};

std::string good_file() {
    return packed_file(pack_vertices(kPlaces.data(), 4, 12), 4, pack_triangles(kCorners, 4), 6);
}

TEST(MeshoptTest, PackedVerticesAndTrianglesAreThePlainOnes) {
    const auto read = read_tiny(text_bytes(good_file()));
    ASSERT_THAT(read, IsOk());
    const Primitive& p = read.value().scene.meshes[0].primitives[0];
    ASSERT_EQ(p.positions.size(), 4U);
    for (std::size_t i = 0; i < 12; ++i) EXPECT_EQ(p.positions[i / 3][i % 3], kPlaces[i]);
    // The codec may turn a triangle round its corners, never over.
    ASSERT_EQ(p.indices.size(), 6U);
    for (std::size_t t = 0; t < 6; t += 3) {
        const unsigned first = p.indices[t];
        std::size_t at = t;
        while (at < t + 3 && kCorners[at] != first) ++at;
        ASSERT_LT(at, t + 3);
        for (std::size_t c = 0; c < 3; ++c)
            EXPECT_EQ(p.indices[t + c], kCorners[t + (at - t + c) % 3]);
    }
}

TEST(MeshoptTest, WhatIsWrittenIsPlain) {
    const auto read = read_tiny(text_bytes(good_file()));
    EXPECT_TRUE(read.value().scene.extensions_required.empty());
    const auto bytes = write_glb(read.value().scene);
    EXPECT_EQ(std::string(bytes.begin(), bytes.end()).find("meshopt"), std::string::npos);
    EXPECT_THAT(read_tiny(bytes), IsOk());
}

TEST(MeshoptTest, TheExponentialFilterGivesTheNumbersBack) {
    std::vector<float> encoded(12);
    meshopt_encodeFilterExp(encoded.data(), 4, 12, 24, kPlaces.data());
    const auto read = read_tiny(
        text_bytes(packed_file(pack_vertices(encoded.data(), 4, 12), 4, pack_triangles(kCorners, 4),
                               6, R"(,"filter":"EXPONENTIAL")")));
    ASSERT_THAT(read, IsOk());
    const auto& p = read.value().scene.meshes[0].primitives[0].positions;
    for (std::size_t i = 0; i < 12; ++i) EXPECT_NEAR(p[i / 3][i % 3], kPlaces[i], 1e-6);
}

/// A file of one packed view and one accessor over it, as the values of a curve or an attribute.
std::string filtered_file(const Packed& packed, std::size_t count, std::size_t stride,
                          const std::string& filter, const std::string& accessor,
                          const std::string& members) {
    return fmt::format(
        R"({{"asset":{{"version":"2.0"}},"buffers":[{{"byteLength":{0},"uri":"data:;base64,{1}"}},{{"byteLength":4096,"extensions":{{"EXT_meshopt_compression":{{"fallback":true}}}}}},
        {{"byteLength":52,"uri":"data:;base64,{9}"}}],
        "bufferViews":[{{"buffer":1,"byteLength":{2},"byteStride":{4},"extensions":{{"EXT_meshopt_compression":{{"buffer":0,"byteLength":{0},"byteStride":{4},"count":{3},"mode":"ATTRIBUTES","filter":"{5}"}}}}}},
        {{"buffer":2,"byteLength":16}},{{"buffer":2,"byteOffset":16,"byteLength":36}}],
        "accessors":[{{"bufferView":0,{6}"count":{3}}},{{"bufferView":1,"componentType":5126,"count":{3},"type":"SCALAR"}},{{"bufferView":2,"componentType":5126,"count":3,"type":"VEC3"}}],
        "nodes":[{{"name":"n"{8}}}]{7}}})",
        packed.size(), base64(packed), count * stride, count, stride, filter, accessor, members,
        members.find("meshes") == members.npos ? "" : ",\"mesh\":0", [] {
            const float numbers[] = {0, 1, 2, 3, 0, 0, 0, 1, 0, 0, 0, 1, 0};
            Packed bytes(sizeof numbers);
            std::memcpy(bytes.data(), numbers, sizeof numbers);
            return base64(bytes);
        }());
}

TEST(MeshoptTest, TheQuaternionFilterGivesTheTurnsBack) {
    std::vector<float> turns;
    for (int k = 0; k < 4; ++k) {
        const Quat q = from_axis_angle({0.6, 0, 0.8}, 0.7 * k);
        for (const double v : {q.x, q.y, q.z, q.w}) turns.push_back(static_cast<float>(v));
    }
    std::vector<std::int16_t> encoded(16);
    meshopt_encodeFilterQuat(encoded.data(), 4, 8, 16, turns.data());
    const auto read = read_tiny(text_bytes(filtered_file(
        pack_vertices(encoded.data(), 4, 8), 4, 8, "QUATERNION",
        R"("componentType":5122,"normalized":true,"type":"VEC4",)",
        R"(,"animations":[{"samplers":[{"input":1,"output":0}],"channels":[{"sampler":0,"target":{"node":0,"path":"rotation"}}]}])")));
    ASSERT_THAT(read, IsOk());
    const auto& values = read.value().scene.timelines.at(0).channels.at(0).curve.values;
    for (std::size_t k = 0; k < 4; ++k) {
        double dot = 0;
        for (std::size_t c = 0; c < 4; ++c)
            dot += values[4 * k + c] * static_cast<double>(turns[4 * k + c]);
        EXPECT_GT(std::abs(dot), 1 - 1e-7) << k;
    }
}

TEST(MeshoptTest, TheOctahedralFilterGivesTheNormalsBack) {
    const std::vector<float> normals{0.6F, 0, 0.8F, 0, 0, -1, 0, 0, -0.6F, 0.8F, 0, 0};
    std::vector<std::int8_t> encoded(12);
    meshopt_encodeFilterOct(encoded.data(), 3, 4, 8, normals.data());
    const auto read = read_tiny(text_bytes(
        filtered_file(pack_vertices(encoded.data(), 3, 4), 3, 4, "OCTAHEDRAL",
                      R"("componentType":5120,"normalized":true,"type":"VEC3",)",
                      R"(,"meshes":[{"primitives":[{"attributes":{"POSITION":2,"NORMAL":0}}]}])")));
    ASSERT_THAT(read, IsOk());
    const auto& got = read.value().scene.meshes.at(0).primitives.at(0).normals;
    ASSERT_EQ(got.size(), 3U);
    for (std::size_t i = 0; i < 9; ++i)
        EXPECT_NEAR(got[i / 3][i % 3], normals[i / 3 * 4 + i % 3], 0.02) << i;
}

TEST(MeshoptTest, DamageIsRefusedNotBelieved) {
    struct Case {
        std::string from, to;
        Code code;
    };
    const Case cases[] = {
        {"\"mode\":\"ATTRIBUTES\"", "\"mode\":\"OTHERS\"", Code::kGltfBroken},
        {"\"byteStride\":12", "\"byteStride\":13", Code::kGltfBroken},
        {"\"byteStride\":12", "\"byteStride\":260", Code::kLimit},
        {"\"count\":4,\"mode\"", "\"count\":4000000000,\"mode\"", Code::kLimit},
        {"\"count\":6,\"mode\"", "\"count\":5,\"mode\"", Code::kGltfBroken},
        {"\"byteLength\":48", "\"byteLength\":60", Code::kGltfBroken},
        {"\"byteOffset\":0", "\"byteOffset\":99999", Code::kGltfReference},
        {"\"count\":4,\"mode\":\"ATTRIBUTES\"",
         "\"count\":4,\"filter\":\"QUATERNION\",\"mode\":\"ATTRIBUTES\"", Code::kGltfBroken}};
    for (const Case& c : cases) {
        std::string text = good_file();
        ASSERT_NE(text.find(c.from), std::string::npos) << c.from;
        text.replace(text.find(c.from), c.from.size(), c.to);
        EXPECT_THAT(read_tiny(text_bytes(text)), FailsWith(c.code, "EXT_meshopt_compression"))
            << c.to;
    }
}

TEST(MeshoptTest, EveryFlippedBitIsReadOrRefused) {
    Packed vertices = pack_vertices(kPlaces.data(), 4, 12), corners = pack_triangles(kCorners, 4);
    const auto check = [&](const Packed& v, const Packed& c) {
        const auto read = read_tiny(text_bytes(packed_file(v, 4, c, 6)));
        if (read.ok()) return;
        EXPECT_FALSE(read.failure().expected.empty());
    };
    test::for_each_bit_flip(vertices, [&](const auto& v) { check(v, corners); });
    test::for_each_bit_flip(corners, [&](const auto& c) { check(vertices, c); });
}

TEST(QuantizationTest, IntegerPlacesAreReadAsTheyStand) {
    test::TinyGltf file;
    const int places = file.bytes({0, 0, 0, 0, 1000, 65535}, "VEC3", 5123, false);
    const auto read = read_tiny(file.glb(fmt::format(
        R"("extensionsUsed":["KHR_mesh_quantization"],"extensionsRequired":["KHR_mesh_quantization"],
           "meshes":[{{"primitives":[{{"mode":0,"attributes":{{"POSITION":{}}}}}]}}],"nodes":[{{"mesh":0,"scale":[0.001,0.001,0.001]}}])",
        places)));
    ASSERT_THAT(read, IsOk());
    const auto& p = read.value().scene.meshes[0].primitives[0].positions;
    EXPECT_EQ(p[0], (Float3{0, 0, 0}));
    EXPECT_EQ(p[1], (Float3{0, 1000, 65535}));
}

}  // namespace
}  // namespace mellow
