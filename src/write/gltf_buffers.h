// The binary part of a glTF file under construction: buffer views, accessors, and the bytes.
#pragma once

#include <deque>
#include <map>
#include <span>
#include <string_view>
#include <vector>

#include "base/json_writer.h"
#include "mellow/curve.h"
#include "mellow/scene.h"

namespace mellow {

inline constexpr int kFloatNumbers = 5126, kShortNumbers = 5123, kWholeNumbers = 5125;
inline constexpr int kVertexView = 34962, kIndexView = 34963;

class GltfBuffers {
  public:
    GltfBuffers();

    /// A view of bytes that stay where they are until the file is put together.
    int add_view(std::span<const std::uint8_t> bytes, int target, std::size_t stride = 0);
    /// The same for numbers that are kept here until then.
    template <class T>
    int add_view(const std::vector<T>& values, int target, std::size_t stride = 0) {
        const auto* from = reinterpret_cast<const std::uint8_t*>(values.data());
        kept_.emplace_back(from, from + values.size() * sizeof(T));
        return add_view(std::span<const std::uint8_t>(kept_.back()), target, stride);
    }

    /// `view` may be kNone: then all elements are zero.
    int add_accessor(int view, std::size_t count, int component, std::string_view type,
                     bool normalized = false);
    /// Rows of N numbers for vertices; `with_extent` says their least and greatest.
    template <std::size_t N>
    int add_vertices(const std::vector<std::array<float, N>>& values, bool with_extent) {
        std::vector<float> flat;
        flat.reserve(values.size() * N);
        for (const auto& v : values) flat.insert(flat.end(), v.begin(), v.end());
        const int view = add_view(flat, kVertexView);
        const char* const type = N == 3 ? "VEC3" : "VEC4";
        return with_extent ? add_measured(view, flat, N, type)
                           : add_accessor(view, values.size(), kFloatNumbers, type);
    }
    /// An accessor of a custom attribute, its rows padded to four bytes (glTF 2.0, 3.6.2.4).
    int add_attribute(const Attribute& attribute, std::size_t vertices);
    /// Key values of a curve, `width` numbers an element.
    int add_values(const KeyValues& values, std::string_view type, std::size_t width);
    /// Key times; equal lists share one accessor.
    int add_times(const KeyTimes& times);

    std::size_t size() const { return size_; }
    /// Appends all bytes, each view at its offset behind what is in `out` already.
    void append_to(std::vector<std::uint8_t>& out) const;
    /// Writes the members "accessors" and "bufferViews" and is used up.
    void write(JsonWriter& json);

  private:
    /// A float accessor with the least and greatest of each of its columns.
    int add_measured(int view, const std::vector<float>& values, std::size_t width,
                     std::string_view type);
    void begin_accessor(int view, std::size_t count, int component, std::string_view type);

    struct Part {
        std::size_t offset;
        std::span<const std::uint8_t> bytes;
    };
    std::vector<Part> parts_;
    std::deque<std::vector<std::uint8_t>> kept_;
    std::size_t size_ = 0;
    JsonWriter accessors_, views_;
    int accessor_count_ = 0;
    std::map<std::vector<double>, int> times_;
    std::map<const void*, int> shared_times_;
};

}  // namespace mellow
