#include "read/gltf_document.h"

#include "read/relative.h"

#include <cstring>

namespace mellow {
namespace {

std::uint32_t u32(std::span<const std::uint8_t> bytes, std::size_t at) {
    std::uint32_t v = 0;
    std::memcpy(&v, &bytes[at], 4);
    return v;
}

/// Extensions that change nothing a skeleton, a skin or a curve needs: carried as they are.
bool is_carried(std::string_view name) {
    return name.starts_with("KHR_materials_") || name == "KHR_texture_transform" ||
           name == "KHR_texture_basisu" || name == "EXT_texture_webp" ||
           name == "KHR_mesh_quantization";
}

std::optional<Bytes> decode_base64(std::string_view text) {
    Bytes out;
    out.reserve(text.size() / 4 * 3);
    std::uint32_t bits = 0;
    int have = 0;
    while (!text.empty() && text.back() == '=') text.remove_suffix(1);
    for (const char c : text) {
        int v = -1;
        if (c >= 'A' && c <= 'Z') v = c - 'A';
        if (c >= 'a' && c <= 'z') v = c - 'a' + 26;
        if (c >= '0' && c <= '9') v = c - '0' + 52;
        if (c == '+' || c == '-') v = 62;
        if (c == '/' || c == '_') v = 63;
        if (v < 0) return {};
        bits = bits << 6 | static_cast<std::uint32_t>(v);
        if ((have += 6) >= 8) out.push_back(static_cast<std::uint8_t>(bits >> (have -= 8)));
    }
    return out;
}

}  // namespace

std::size_t component_size(int component_type) {
    switch (component_type) {
        case 5120:
        case 5121:
            return 1;
        case 5122:
        case 5123:
            return 2;
        case 5125:
        case 5126:
            return 4;
        default:
            return 0;
    }
}

void GltfDocument::fail(Code code, const JsonPath& path, std::string found, std::string expected,
                        std::string remedy) {
    if (!error_)
        error_ = Finding{code,
                         Severity::kStop,
                         where(path),
                         found.empty() ? "nothing" : std::move(found),
                         std::move(expected),
                         std::move(remedy)};
}

void GltfDocument::split(std::span<const std::uint8_t> bytes, std::span<const std::uint8_t>& json) {
    json = bytes;
    if (bytes.size() < 4 || std::memcmp(bytes.data(), "glTF", 4) != 0) return;
    binary = true;
    const auto broken = [&](std::string found, std::string expected) {
        fail(Code::kGltfBroken, "GLB header", std::move(found), std::move(expected),
             "write or copy the file again; it is cut short or damaged");
    };
    if (bytes.size() < 20)
        return broken(fmt::format("{} bytes", bytes.size()), "at least 20 bytes of header");
    if (u32(bytes, 4) != 2) return broken(fmt::format("container version {}", u32(bytes, 4)), "2");
    if (u32(bytes, 8) != bytes.size())
        return broken(fmt::format("{} bytes in the file", bytes.size()),
                      fmt::format("{} bytes, as its header says", u32(bytes, 8)));
    std::size_t at = 12;
    bool have_json = false;
    while (bytes.size() - at >= 8) {
        const std::size_t length = u32(bytes, at), type = u32(bytes, at + 4);
        at += 8;
        if (length > bytes.size() - at)
            return broken(
                fmt::format("a chunk of {} bytes with {} left", length, bytes.size() - at),
                "chunks inside the file");
        if (!have_json && type != 0x4E4F534A)
            return broken("a first chunk that is not JSON", "the JSON chunk first");
        if (!have_json)
            json = bytes.subspan(at, length);
        else if (type == 0x004E4942 && bin_.empty())
            bin_ = bytes.subspan(at, length);
        have_json = true;
        at += length;
    }
    if (!have_json) broken("no chunks", "a JSON chunk");
}

std::string JsonPath::str() const {
    std::string out(base);
    if (i != kNoIndex) out += fmt::format("[{}]", i);
    if (!member.empty()) out += fmt::format(".{}", member);
    if (j != kNoIndex) out += fmt::format("[{}]", j);
    return out.append(rest);
}

void GltfDocument::open(Bytes bytes) {
    std::span<const std::uint8_t> json;
    owned_->push_back(std::move(bytes));
    split(owned_->back(), json);
    if (failed()) return;
    if (json.empty())
        return fail(Code::kGltfBroken, "JSON", "no text", "the JSON text of a glTF 2.0 file");
    JsonElement element;
    simdjson::error_code error{};
    {
        // The parser goes before anything else takes memory. It reads a little beyond the text, and
        // copies it first unless there are bytes of ours.
        simdjson::dom::parser parser;
        const std::uint8_t* const end = owned_->back().data() + owned_->back().size();
        const bool room = end - (json.data() + json.size()) >=
                          static_cast<std::ptrdiff_t>(simdjson::SIMDJSON_PADDING);
        error = parser
                    .parse_into_document(json_, reinterpret_cast<const char*>(json.data()),
                                         json.size(), !room)
                    .get(element);
    }
    if (error || element.get(root_))
        return fail(Code::kGltfBroken, "JSON",
                    error ? simdjson::error_message(error) : "no object at the top",
                    "the JSON text of a glTF 2.0 file");
    const auto asset = object(root_, "asset", "");
    const std::string version = asset ? text(*asset, "version", "asset") : "";
    if (!version.starts_with("2."))
        return fail(Code::kGltfUnsupported, "asset.version",
                    version.empty() ? "no version" : "version " + version, "version 2.x");
    if (const RawJson required = raw(root_, "extensionsRequired"); !required.empty()) {
        simdjson::dom::array names;
        if (root_["extensionsRequired"].get(names))
            return fail(Code::kGltfBroken, "extensionsRequired", required, "a list of names");
        for (const auto name : names)
            if (std::string_view n; name.get(n) || !(is_carried(n) || n == kPackedViews))
                return fail(
                    Code::kGltfUnsupported, "extensionsRequired", simdjson::to_string(name),
                    "no required extension but those on materials, quantisation and packed views",
                    "write the file without it");
    }
    read_buffers();
    if (!failed()) read_views();
    if (!failed()) read_accessors();
}

std::int64_t GltfDocument::integer(JsonObject object, const char* key, std::int64_t fallback,
                                   const JsonPath& path) {
    const auto member = object[key];
    if (member.error()) return fallback;
    std::int64_t value = 0;
    if (member.get(value)) {
        double real = 0;  // 3.0 is a whole number too
        if (member.get(real) || real != std::floor(real) || std::abs(real) > 9e15) {
            fail(Code::kGltfBroken, path.str() + "." + key,
                 simdjson::to_string(member.value_unsafe()), "a whole number");
            return fallback;
        }
        value = static_cast<std::int64_t>(real);
    }
    return value;
}

double GltfDocument::number(JsonObject object, const char* key, double fallback,
                            const JsonPath& path) {
    const auto member = object[key];
    double value = fallback;
    if (!member.error() && member.get(value))
        fail(Code::kGltfBroken, path.str() + "." + key, simdjson::to_string(member.value_unsafe()),
             "a number");
    return value;
}

std::string GltfDocument::text(JsonObject object, const char* key, const JsonPath& path) {
    const auto member = object[key];
    std::string_view value;
    if (!member.error() && member.get(value))
        fail(Code::kGltfBroken, path.str() + "." + key, simdjson::to_string(member.value_unsafe()),
             "a text");
    return std::string(value);
}

bool GltfDocument::flag(JsonObject object, const char* key, const JsonPath& path) {
    const auto member = object[key];
    bool value = false;
    if (!member.error() && member.get(value))
        fail(Code::kGltfBroken, path.str() + "." + key, simdjson::to_string(member.value_unsafe()),
             "true or false");
    return value;
}

std::vector<double> GltfDocument::numbers(JsonObject object, const char* key,
                                          const JsonPath& path) {
    std::vector<double> values;
    const auto member = object[key];
    if (member.error()) return values;
    simdjson::dom::array array;
    bool sound = member.get(array) == simdjson::SUCCESS;
    if (sound)
        for (const auto item : array) {
            double value = 0;
            sound = sound && item.get(value) == simdjson::SUCCESS;
            values.push_back(value);
        }
    if (!sound)
        fail(Code::kGltfBroken, path.str() + "." + key, simdjson::to_string(member.value_unsafe()),
             "a list of numbers");
    return values;
}

int GltfDocument::index(JsonObject object, const char* key, std::size_t size,
                        const JsonPath& path) {
    const auto member = object[key];
    if (member.error()) return kNone;
    std::int64_t value = -1;
    if (member.get(value)) value = integer(object, key, -1, path);
    if (value < 0 || value >= static_cast<std::int64_t>(size)) {
        fail(Code::kGltfReference, path.str() + "." + key, fmt::format("index {}", value),
             size > 0 ? fmt::format("an index from 0 to {}", size - 1)
                      : "no such reference: the file has none of these",
             "the file is damaged or was cut; write it again");
        return kNone;
    }
    return static_cast<int>(value);
}

std::vector<int> GltfDocument::indices(JsonObject object, const char* key, std::size_t size,
                                       const JsonPath& path) {
    std::vector<int> out;
    for (const double value : numbers(object, key, path)) {
        if (value < 0 || value >= static_cast<double>(size) || value != std::floor(value)) {
            fail(Code::kGltfReference, fmt::format("{}.{}[{}]", path.str(), key, out.size()),
                 fmt::format("index {}", value), fmt::format("an index below {}", size),
                 "the file is damaged or was cut; write it again");
            return {};
        }
        out.push_back(static_cast<int>(value));
    }
    return out;
}

std::optional<JsonObject> GltfDocument::object(JsonObject parent, const char* key,
                                               const JsonPath& path) {
    const auto member = parent[key];
    if (member.error()) return {};
    JsonObject value;
    if (member.get(value)) {
        fail(Code::kGltfBroken, path.str().empty() ? key : path.str() + "." + key,
             simdjson::to_string(member.value_unsafe()), "an object");
        return {};
    }
    return value;
}

std::vector<JsonObject> GltfDocument::objects(JsonObject parent, const char* key,
                                              const JsonPath& path) {
    std::vector<JsonObject> out;
    const auto member = parent[key];
    if (member.error()) return out;
    const std::string name = path.str().empty() ? key : path.str() + "." + key;
    simdjson::dom::array array;
    if (member.get(array)) {
        fail(Code::kGltfBroken, name, "no list", "a list of objects");
        return out;
    }
    for (const auto item : array) {
        JsonObject value;
        if (item.get(value)) {
            fail(Code::kGltfBroken, fmt::format("{}[{}]", name, out.size()), "no object",
                 "an object");
            return out;
        }
        out.push_back(value);
    }
    return out;
}

RawJson GltfDocument::raw(JsonObject object, const char* key) const {
    const auto member = object[key];
    return member.error() ? RawJson() : simdjson::minify(member.value_unsafe());
}

Result<Bytes> GltfDocument::load_uri(const std::string& uri, const JsonPath& path) const {
    const auto refuse = [&](std::string found, std::string expected) {
        return Finding{Code::kGltfReference, Severity::kStop,
                       where(path),          std::move(found),
                       std::move(expected),  "keep all files of a scene in one folder"};
    };
    if (uri.starts_with("data:")) {
        const auto comma = uri.find(";base64,");
        if (comma == std::string::npos) return refuse("a data URI without base64", "base64 data");
        auto bytes = decode_base64(std::string_view(uri).substr(comma + 8));
        if (!bytes) return refuse("damaged base64 data", "base64 data");
        return std::move(*bytes);
    }
    const auto relative = relative_reference(uri);
    if (!relative) return refuse("uri \"" + uri + "\"", "a path inside the file's own folder");
    auto loaded = load_(*relative);
    if (!loaded) {
        Finding failure = loaded.failure();
        failure.where = where(path);
        failure.remedy = "put that file beside the scene file";
        failure.found = fmt::format("uri \"{}\": {}", uri, failure.found);
        return failure;
    }
    return loaded;
}

void GltfDocument::read_buffers() {
    const auto list = objects(root_, "buffers", "");
    for (std::size_t i = 0; i < list.size() && !failed(); ++i) {
        const std::string path = fmt::format("buffers[{}]", i);
        const std::int64_t length = integer(list[i], "byteLength", -1, path);
        std::span<const std::uint8_t> bytes;
        if (const std::string uri = text(list[i], "uri", path); !uri.empty()) {
            auto loaded = load_uri(uri, path);
            if (!loaded) {
                if (!error_) error_ = loaded.failure();
                return;
            }
            owned_->push_back(std::move(loaded).value());
            bytes = owned_->back();
        } else if (i == 0 && binary) {
            bytes = bin_;
        } else if (const auto extensions = object(list[i], "extensions", path);
                   extensions && object(*extensions, kPackedViews, path)) {
            buffers_.emplace_back();  // stands for what the packed views hold
            continue;
        } else {
            return fail(Code::kGltfBroken, path, "no uri and no binary chunk", "bytes to read");
        }
        if (length < 1 || static_cast<std::uint64_t>(length) > bytes.size())
            return fail(Code::kGltfBroken, JsonPath(path + ".byteLength"),
                        fmt::format("{} of {} bytes that are there", length, bytes.size()),
                        "a length within the data", "the file is cut short; write it again");
        buffers_.push_back(bytes.subspan(0, static_cast<std::size_t>(length)));
    }
}

std::span<const std::uint8_t> GltfDocument::span_of(JsonObject object, const JsonPath& path) {
    const int buffer = index(object, "buffer", buffers_.size(), path);
    const std::int64_t offset = integer(object, "byteOffset", 0, path);
    const std::int64_t length = integer(object, "byteLength", -1, path);
    return span_of(buffer, offset, length, path);
}

std::span<const std::uint8_t> GltfDocument::span_of(int buffer, std::int64_t offset,
                                                    std::int64_t length, const JsonPath& path) {
    if (!failed() && buffer == kNone) fail(Code::kGltfBroken, path, "no buffer", "a buffer index");
    if (failed()) return {};
    const auto& bytes = buffers_[static_cast<std::size_t>(buffer)];
    if (offset < 0 || length < 1 || static_cast<std::uint64_t>(length) > bytes.size() ||
        static_cast<std::uint64_t>(offset) > bytes.size() - static_cast<std::uint64_t>(length)) {
        fail(Code::kGltfReference, path,
             fmt::format("{} bytes at {} of a buffer of {}", length, offset, bytes.size()),
             "a view inside its buffer", "the file is cut short; write it again");
        return {};
    }
    return bytes.subspan(static_cast<std::size_t>(offset), static_cast<std::size_t>(length));
}

void GltfDocument::read_views() {
    const auto list = objects(root_, "bufferViews", "");
    views_.reserve(list.size());
    for (std::size_t i = 0; i < list.size() && !failed(); ++i) {
        const JsonPath path("bufferViews", i);
        // Nearly all views have these members only: one look at each.
        std::int64_t buffer = -1, offset = 0, length = -1;
        bool plain = true;
        for (const auto field : list[i]) {
            if (is_key(field.key, "buffer"))
                plain = plain && !field.value.get(buffer);
            else if (is_key(field.key, "byteOffset"))
                plain = plain && !field.value.get(offset);
            else if (is_key(field.key, "byteLength"))
                plain = plain && !field.value.get(length);
            else
                plain = plain && (is_key(field.key, "target") || is_key(field.key, "name"));
        }
        if (plain && buffer >= 0 && buffer < static_cast<std::int64_t>(buffers_.size())) {
            views_.push_back({span_of(static_cast<int>(buffer), offset, length, path), 0});
            continue;
        }
        const std::int64_t stride = integer(list[i], "byteStride", 0, path);
        if (stride != 0 && (stride < 4 || stride > 252 || stride % 4 != 0))
            return fail(Code::kGltfBroken, path.str() + ".byteStride", fmt::format("{}", stride),
                        "a multiple of 4 from 4 to 252");
        const auto extensions = object(list[i], "extensions", path);
        if (const auto packed =
                extensions ? object(*extensions, kPackedViews, path) : std::nullopt) {
            unpack_view(*packed, integer(list[i], "byteLength", -1, path),
                        static_cast<std::size_t>(stride), path.str());
            continue;
        }
        const auto bytes = span_of(list[i], path);
        views_.push_back({bytes, static_cast<std::size_t>(stride)});
    }
}

}  // namespace mellow
