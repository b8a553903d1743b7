// A glTF document under reading: its JSON, its buffers, and checked ways to get at both. The first
// error sticks; after it all getters return harmless defaults, so that callers check once.
#pragma once

#include <fmt/format.h>
#include <simdjson.h>

#include <deque>
#include <memory>
#include <optional>
#include <string>
#include <unordered_map>
#include <vector>

#include "mellow/read.h"

namespace mellow {

using JsonObject = simdjson::dom::object;
using JsonElement = simdjson::dom::element;

/// Where a value stands in the JSON, put into words only when there is something to say:
/// base[i].member[j]rest.
struct JsonPath {
    static constexpr std::size_t kNoIndex = static_cast<std::size_t>(-1);
    std::string_view base;
    std::size_t i = kNoIndex;
    std::string_view member = {};
    std::size_t j = kNoIndex;
    std::string_view rest = {};

    JsonPath(const std::string& whole) : base(whole) {}
    JsonPath(const char* whole) : base(whole) {}
    JsonPath(std::string_view list, std::size_t index, std::string_view of = {},
             std::size_t at = kNoIndex, std::string_view tail = {})
        : base(list), i(index), member(of), j(at), rest(tail) {}
    std::string str() const;
};

/// True for a key that is this literal; the length is known, so that no library call compares.
template <std::size_t N>
bool is_key(std::string_view key, const char (&literal)[N]) {
    return key.size() == N - 1 && __builtin_memcmp(key.data(), literal, N - 1) == 0;
}

inline constexpr const char* kPackedViews = "EXT_meshopt_compression";

struct BufferView {
    std::span<const std::uint8_t> bytes;
    std::size_t stride = 0;  ///< 0: tightly packed
};

struct SparsePart {
    std::size_t count = 0;
    int index_view = kNone, value_view = kNone;
    std::size_t index_offset = 0, value_offset = 0;
    int index_type = 5125;
};

struct Accessor {
    int view = kNone;
    std::size_t offset = 0, count = 0;
    int component_type = 5126, components = 1;
    bool normalized = false;
    std::unique_ptr<SparsePart> sparse;
};

/// Bytes of one number of a glTF component type; 0 for an unknown type.
std::size_t component_size(int component_type);

class GltfDocument {
  public:
    GltfDocument(std::string file, const LoadFile& load, const ReadLimits& limits)
        : file_(std::move(file)), load_(load), limits_(limits) {}

    /// Splits the container, parses the JSON, loads buffers, checks views and accessors.
    void open(Bytes bytes);

    bool failed() const { return error_.has_value(); }
    const Finding& error() const { return *error_; }
    void fail(Code code, const JsonPath& path, std::string found, std::string expected = {},
              std::string remedy = {});
    void note(Finding finding) { findings.push_back(std::move(finding)); }
    Place where(const JsonPath& path) const { return Place::in(file_).at(path.str()); }
    const ReadLimits& limits() const { return limits_; }

    // Getters: `path` is the JSON path of `object`, for messages.
    std::int64_t integer(JsonObject object, const char* key, std::int64_t fallback,
                         const JsonPath& path);
    double number(JsonObject object, const char* key, double fallback, const JsonPath& path);
    std::string text(JsonObject object, const char* key, const JsonPath& path);
    bool flag(JsonObject object, const char* key, const JsonPath& path);
    std::vector<double> numbers(JsonObject object, const char* key, const JsonPath& path);
    /// An index below `size`, or kNone when the key is absent.
    int index(JsonObject object, const char* key, std::size_t size, const JsonPath& path);
    std::vector<int> indices(JsonObject object, const char* key, std::size_t size,
                             const JsonPath& path);
    std::optional<JsonObject> object(JsonObject parent, const char* key, const JsonPath& path);
    /// The objects of an array member; none when absent.
    std::vector<JsonObject> objects(JsonObject parent, const char* key, const JsonPath& path);
    /// The JSON text of a member; empty when absent.
    RawJson raw(JsonObject object, const char* key) const;

    JsonObject root() const { return root_; }
    const std::vector<Accessor>& accessors() const { return accessors_; }
    const std::vector<BufferView>& views() const { return views_; }
    /// All numbers of an accessor, component conversion, normalisation and sparse parts applied
    /// (glTF 2.0, 3.6.2). Fails unless it has `components` per element and finite values.
    std::vector<double> read(int accessor, int components, const JsonPath& path);
    /// The same for a curve: single-precision numbers that lie together are left where they are.
    KeyValues read_values(int accessor, int components, const JsonPath& path);
    /// Key times; curves with one accessor share one list.
    KeyTimes read_times(int accessor, const JsonPath& path);
    /// Looks for numbers that are not finite in what read_values() left where it is.
    void check_values();
    std::vector<std::uint32_t> read_whole(int accessor, int components, const JsonPath& path);
    /// The elements tightly packed as they are in the file.
    std::vector<std::uint8_t> read_packed(int accessor, const JsonPath& path);
    /// Loads `uri`: base64 data or a file beside the scene.
    Result<Bytes> load_uri(const std::string& uri, const JsonPath& path) const;

    bool binary = false;
    std::size_t keys = 0;  ///< of all curves so far
    Findings findings;

  private:
    void split(std::span<const std::uint8_t> bytes, std::span<const std::uint8_t>& json);
    void read_buffers();
    void read_views();
    /// The bytes that buffer, byteOffset and byteLength of an object name.
    std::span<const std::uint8_t> span_of(JsonObject object, const JsonPath& path);
    std::span<const std::uint8_t> span_of(int buffer, std::int64_t offset, std::int64_t length,
                                          const JsonPath& path);
    /// Appends a view unpacked from EXT_meshopt_compression; `length` and `stride` are the view's.
    void unpack_view(JsonObject extension, std::int64_t length, std::size_t stride,
                     const JsonPath& path);
    void read_accessors();
    bool read_plain(JsonObject object, Accessor& a, std::int64_t& offset,
                    std::int64_t& count) const;
    void check_accessor(const Accessor& accessor, const JsonPath& path);
    bool range_fits(int view, std::size_t offset, std::size_t count, std::size_t size,
                    std::size_t stride) const;

    std::string file_;
    const LoadFile& load_;
    ReadLimits limits_;
    std::optional<Finding> error_;
    simdjson::dom::document json_;
    JsonObject root_;
    std::span<const std::uint8_t> bin_;
    std::shared_ptr<std::deque<Bytes>> owned_ = std::make_shared<std::deque<Bytes>>();
    std::vector<std::span<const std::uint8_t>> buffers_;
    std::vector<BufferView> views_;
    std::vector<Accessor> accessors_;
    std::unordered_map<int, KeyTimes> times_;
    struct Unchecked {
        int accessor;
        std::span<const float> numbers;
    };
    std::vector<Unchecked> unchecked_;
};

void read_gltf_meshes(GltfDocument& doc, Scene& scene);
void read_gltf_carried(GltfDocument& doc, Scene& scene);
void read_gltf_timelines(GltfDocument& doc, Scene& scene);

}  // namespace mellow
