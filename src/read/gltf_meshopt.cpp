// EXT_meshopt_compression: buffer views that hold compressed vertices, keys or indices.
#include <fmt/format.h>
#include <meshoptimizer.h>

#include "read/gltf_document.h"

namespace mellow {
namespace {

/// The codec's densest block holds 16 elements in a quarter of a byte each; more cannot be true.
constexpr std::uint64_t kDensest = 128;

struct Packed {
    std::span<const std::uint8_t> bytes;
    std::size_t count = 0, stride = 0;
    std::string mode, filter;
};

bool sound(const Packed& p) {
    if (p.mode == "ATTRIBUTES") {
        if (p.stride < 4 || p.stride % 4 != 0) return false;
        if (p.filter == "OCTAHEDRAL") return p.stride == 4 || p.stride == 8;
        if (p.filter == "QUATERNION") return p.stride == 8;
        return p.filter.empty() || p.filter == "NONE" || p.filter == "EXPONENTIAL";
    }
    const bool plain = p.filter.empty() || p.filter == "NONE";
    if (!plain || (p.stride != 2 && p.stride != 4)) return false;
    return p.mode == "INDICES" || (p.mode == "TRIANGLES" && p.count % 3 == 0);
}

bool unpack(const Packed& p, Bytes& into) {
    const auto* from = p.bytes.data();
    if (p.mode == "TRIANGLES")
        return meshopt_decodeIndexBuffer(into.data(), p.count, p.stride, from, p.bytes.size()) == 0;
    if (p.mode == "INDICES")
        return meshopt_decodeIndexSequence(into.data(), p.count, p.stride, from, p.bytes.size()) ==
               0;
    if (meshopt_decodeVertexBuffer(into.data(), p.count, p.stride, from, p.bytes.size()) != 0)
        return false;
    if (p.filter == "OCTAHEDRAL") meshopt_decodeFilterOct(into.data(), p.count, p.stride);
    if (p.filter == "QUATERNION") meshopt_decodeFilterQuat(into.data(), p.count, p.stride);
    if (p.filter == "EXPONENTIAL") meshopt_decodeFilterExp(into.data(), p.count, p.stride);
    return true;
}

}  // namespace

void GltfDocument::unpack_view(JsonObject extension, std::int64_t length, std::size_t stride,
                               const JsonPath& path) {
    const std::string at = path.str() + ".extensions.EXT_meshopt_compression";
    const auto bytes = span_of(extension, at);
    if (failed()) return;
    const std::int64_t count = integer(extension, "count", -1, at);
    const std::int64_t size = integer(extension, "byteStride", -1, at);
    Packed packed{bytes, 0, 0, text(extension, "mode", at), text(extension, "filter", at)};
    if (failed()) return;
    const bool small = count >= 1 && size >= 1 && size <= 256 &&
                       static_cast<std::uint64_t>(count) <= kDensest * bytes.size() &&
                       static_cast<std::uint64_t>(count) * static_cast<std::uint64_t>(size) <=
                           kDensest * bytes.size() + 4096;
    if (!small)
        return fail(Code::kLimit, at,
                    fmt::format("{} elements of {} bytes in {}", count, size, bytes.size()),
                    "no more than the bytes that are there can hold",
                    "the file is damaged; write it again");
    packed.count = static_cast<std::size_t>(count);
    packed.stride = static_cast<std::size_t>(size);
    const bool agrees = (stride == 0 || stride == packed.stride) &&
                        length == static_cast<std::int64_t>(packed.count * packed.stride);
    if (!sound(packed) || !agrees)
        return fail(
            Code::kGltfBroken, at,
            fmt::format("mode \"{}\", filter \"{}\", {} elements of {} bytes for a view of {}",
                        packed.mode, packed.filter, count, size, length),
            "a combination of the extension's specification",
            "write the file again, or without compression");
    Bytes plain(packed.count * packed.stride);
    if (!unpack(packed, plain))
        return fail(Code::kGltfBroken, at, "data that cannot be unpacked", "compressed data",
                    "the file is damaged; write it again");
    owned_->push_back(std::move(plain));
    views_.push_back({owned_->back(), packed.mode == "ATTRIBUTES" ? packed.stride : stride});
}

}  // namespace mellow
