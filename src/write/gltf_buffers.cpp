#include "write/gltf_buffers.h"

#include <algorithm>
#include <cstring>
#include <limits>

namespace mellow {

GltfBuffers::GltfBuffers() {
    accessors_.begin_array();
    views_.begin_array();
}

int GltfBuffers::add_view(std::span<const std::uint8_t> bytes, int target, std::size_t stride) {
    size_ = (size_ + 3) / 4 * 4;
    views_.begin_object().member("buffer", 0).member("byteOffset", size_);
    views_.member("byteLength", bytes.size());
    if (target != 0) views_.member("target", target);
    if (stride != 0) views_.member("byteStride", stride);
    views_.end_object();
    parts_.push_back({size_, bytes});
    size_ += bytes.size();
    return static_cast<int>(parts_.size()) - 1;
}

void GltfBuffers::begin_accessor(int view, std::size_t count, int component,
                                 std::string_view type) {
    accessors_.begin_object();
    if (view != kNone) accessors_.member("bufferView", view);
    accessors_.member("componentType", component).member("count", count).member("type", type);
    ++accessor_count_;
}

int GltfBuffers::add_accessor(int view, std::size_t count, int component, std::string_view type,
                              bool normalized) {
    begin_accessor(view, count, component, type);
    if (normalized) accessors_.member("normalized", true);
    accessors_.end_object();
    return accessor_count_ - 1;
}

int GltfBuffers::add_measured(int view, const std::vector<float>& values, std::size_t width,
                              std::string_view type) {
    // Exactly as the single-precision numbers are.
    std::vector<double> low(width, std::numeric_limits<double>::max()),
        high(width, std::numeric_limits<double>::lowest());
    for (std::size_t i = 0; i < values.size(); ++i) {
        low[i % width] = std::min(low[i % width], static_cast<double>(values[i]));
        high[i % width] = std::max(high[i % width], static_cast<double>(values[i]));
    }
    begin_accessor(view, values.size() / width, kFloatNumbers, type);
    accessors_.key("min").numbers(low).key("max").numbers(high).end_object();
    return accessor_count_ - 1;
}

int GltfBuffers::add_attribute(const Attribute& a, std::size_t vertices) {
    constexpr const char* kTypes[] = {"SCALAR", "VEC2", "VEC3", "VEC4"};
    constexpr int kComponents[] = {5120, 5121, 5122, 5123, 5125, 5126};  // in order of Component
    const std::size_t element = vertices == 0 ? 0 : a.bytes.size() / vertices;
    const std::size_t stride = (element + 3) / 4 * 4;  // vertices start on whole words
    std::vector<std::uint8_t> padded(stride * vertices, 0);
    for (std::size_t v = 0; v < vertices; ++v)
        std::memcpy(&padded[v * stride], &a.bytes[v * element], element);
    const int view = add_view(padded, kVertexView, stride != element ? stride : 0);
    return add_accessor(view, vertices, kComponents[static_cast<std::size_t>(a.component)],
                        kTypes[a.components - 1], a.normalized);
}

int GltfBuffers::add_values(const KeyValues& values, std::string_view type, std::size_t width) {
    const auto singles = values.singles();
    const int view =
        singles.empty()
            ? add_view(std::vector<float>(values.doubles().begin(), values.doubles().end()), 0)
            : add_view(
                  {reinterpret_cast<const std::uint8_t*>(singles.data()), singles.size_bytes()}, 0);
    return add_accessor(view, values.size() / width, kFloatNumbers, type);
}

int GltfBuffers::add_times(const KeyTimes& times) {
    const auto [seen, unseen] = shared_times_.try_emplace(times.identity(), kNone);
    if (!unseen) return seen->second;
    const auto [slot, fresh] = times_.emplace(times.list(), kNone);
    if (fresh) {
        const std::vector<float> single(times.begin(), times.end());
        slot->second = add_measured(add_view(single, 0), single, 1, "SCALAR");
    }
    return seen->second = slot->second;
}

void GltfBuffers::append_to(std::vector<std::uint8_t>& out) const {
    const std::size_t start = out.size();
    for (const Part& part : parts_) {
        out.resize(start + part.offset);
        out.insert(out.end(), part.bytes.begin(), part.bytes.end());
    }
}

void GltfBuffers::write(JsonWriter& json) {
    if (accessor_count_ > 0) json.key("accessors").raw(accessors_.end_array().text());
    if (!parts_.empty()) json.key("bufferViews").raw(views_.end_array().text());
}

}  // namespace mellow
