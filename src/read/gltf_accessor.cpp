// Accessors: checked against their views once, then read in any component type (glTF 2.0, 3.6.2).
#include <bit>
#include <cmath>
#include <cstring>

#include "base/kernel.h"
#include "mellow/parallel.h"
#include "read/gltf_document.h"

namespace mellow {
namespace {

int components_of(std::string_view type) {
    if (type == "SCALAR") return 1;
    if (type == "VEC2") return 2;
    if (type == "VEC3") return 3;
    if (type == "VEC4" || type == "MAT2") return 4;
    if (type == "MAT3") return 9;
    return type == "MAT4" ? 16 : 0;
}

template <class T>
T load(const std::uint8_t* from) {
    T value;
    std::memcpy(&value, from, sizeof(T));
    return value;
}

/// One stored number; normalised integers per glTF 2.0, 3.6.2.2.
double load_number(const std::uint8_t* from, int type, bool normalized) {
    const double k = normalized ? 1 : 0;
    switch (type) {
        case 5120: {
            const double v = load<std::int8_t>(from);
            return k > 0 ? std::max(v / 127, -1.0) : v;
        }
        case 5121:
            return load<std::uint8_t>(from) / (k > 0 ? 255.0 : 1.0);
        case 5122: {
            const double v = load<std::int16_t>(from);
            return k > 0 ? std::max(v / 32767, -1.0) : v;
        }
        case 5123:
            return load<std::uint16_t>(from) / (k > 0 ? 65535.0 : 1.0);
        case 5125:
            return load<std::uint32_t>(from);
        default:
            return load<float>(from);
    }
}

}  // namespace

bool GltfDocument::range_fits(int view, std::size_t offset, std::size_t count, std::size_t size,
                              std::size_t stride) const {
    const std::size_t bytes = views_[static_cast<std::size_t>(view)].bytes.size();
    return count == 0 || (offset <= bytes && size <= bytes - offset &&
                          (count - 1) <= (bytes - offset - size) / stride);
}

/// Nearly all accessors have these members only: one look at each. False when there is more to it.
bool GltfDocument::read_plain(JsonObject object, Accessor& a, std::int64_t& offset,
                              std::int64_t& count) const {
    std::int64_t view = -1, component = 0;
    bool plain = true;
    for (const auto field : object) {
        std::string_view type;
        if (is_key(field.key, "bufferView"))
            plain = plain && !field.value.get(view);
        else if (is_key(field.key, "byteOffset"))
            plain = plain && !field.value.get(offset);
        else if (is_key(field.key, "componentType"))
            plain = plain && !field.value.get(component);
        else if (is_key(field.key, "count"))
            plain = plain && !field.value.get(count);
        else if (is_key(field.key, "type")) {
            plain = plain && !field.value.get(type);
            a.components = components_of(type);
        } else
            plain = plain && (is_key(field.key, "min") || is_key(field.key, "max") ||
                              is_key(field.key, "name"));
    }
    if (!plain || view < 0 || view >= static_cast<std::int64_t>(views_.size()) || component < 0 ||
        component > 0xFFFF)
        return false;
    a.view = static_cast<int>(view);
    a.component_type = static_cast<int>(component);
    return true;
}

void GltfDocument::read_accessors() {
    const auto list = objects(root_, "accessors", "");
    std::size_t unstored = 0;
    accessors_.reserve(list.size());
    for (std::size_t i = 0; i < list.size() && !failed(); ++i) {
        const JsonPath path("accessors", i);
        Accessor a;
        std::int64_t offset = 0, count = -1;
        if (!read_plain(list[i], a, offset, count)) {
            a.view = index(list[i], "bufferView", views_.size(), path);
            offset = integer(list[i], "byteOffset", 0, path);
            count = integer(list[i], "count", -1, path);
            a.component_type = static_cast<int>(integer(list[i], "componentType", 0, path));
            a.components = components_of(text(list[i], "type", path));
            a.normalized = flag(list[i], "normalized", path);
        }
        if (failed()) return;
        if (component_size(a.component_type) == 0 || a.components == 0)
            return fail(Code::kGltfBroken, path, "an unknown type or component type",
                        "types and component types of glTF 2.0");
        if (count < 1 || offset < 0)
            return fail(Code::kGltfBroken, path, fmt::format("count {}, offset {}", count, offset),
                        "a count of at least 1");
        a.count = static_cast<std::size_t>(count);
        a.offset = static_cast<std::size_t>(offset);
        const std::size_t size =
            component_size(a.component_type) * static_cast<std::size_t>(a.components);
        if (a.view == kNone) {
            if (a.count > (limits_.unstored_bytes - unstored) / size)
                return fail(Code::kLimit, path, fmt::format("{} elements without bytes", a.count),
                            fmt::format("at most {} bytes in all", limits_.unstored_bytes));
            unstored += a.count * size;
        }
        if (const auto sparse = object(list[i], "sparse", path)) {
            SparsePart part;
            const std::string at = path.str() + ".sparse";
            const std::int64_t n = integer(*sparse, "count", -1, at);
            const auto positions = object(*sparse, "indices", at),
                       values = object(*sparse, "values", at);
            if (n < 1 || n > count || !positions || !values)
                return fail(Code::kGltfBroken, at, "an incomplete sparse part",
                            "count, indices and values, no more than the accessor has");
            part.count = static_cast<std::size_t>(n);
            part.index_view = index(*positions, "bufferView", views_.size(), at + ".indices");
            part.value_view = index(*values, "bufferView", views_.size(), at + ".values");
            part.index_offset = static_cast<std::size_t>(integer(*positions, "byteOffset", 0, at));
            part.value_offset = static_cast<std::size_t>(integer(*values, "byteOffset", 0, at));
            part.index_type = static_cast<int>(integer(*positions, "componentType", 0, at));
            a.sparse = std::make_unique<SparsePart>(part);
        }
        if (!failed()) check_accessor(a, path);
        accessors_.push_back(std::move(a));
    }
}

void GltfDocument::check_accessor(const Accessor& a, const JsonPath& path) {
    const std::size_t size =
        component_size(a.component_type) * static_cast<std::size_t>(a.components);
    if (a.view != kNone) {
        const std::size_t stride = views_[static_cast<std::size_t>(a.view)].stride;
        if (!range_fits(a.view, a.offset, a.count, size, stride > 0 ? stride : size))
            return fail(Code::kGltfReference, path,
                        fmt::format("{} elements of {} bytes at {}, but bufferView {} has {} bytes",
                                    a.count, size, a.offset, a.view,
                                    views_[static_cast<std::size_t>(a.view)].bytes.size()),
                        "elements inside their view", "the file is cut short; write it again");
    }
    if (!a.sparse) return;
    const SparsePart& s = *a.sparse;
    const bool whole = s.index_type == 5121 || s.index_type == 5123 || s.index_type == 5125;
    const std::size_t index_size = component_size(s.index_type);
    if (!whole || s.index_view == kNone || s.value_view == kNone ||
        !range_fits(s.index_view, s.index_offset, s.count, index_size, index_size) ||
        !range_fits(s.value_view, s.value_offset, s.count, size, size))
        fail(Code::kGltfReference, path.str() + ".sparse", "indices or values outside their view",
             "a sparse part inside its views");
}

std::vector<std::uint8_t> GltfDocument::read_packed(int accessor, const JsonPath& path) {
    const Accessor& a = accessors_[static_cast<std::size_t>(accessor)];
    const std::size_t size =
        component_size(a.component_type) * static_cast<std::size_t>(a.components);
    std::vector<std::uint8_t> out(a.count * size);
    if (a.view != kNone) {
        const BufferView& view = views_[static_cast<std::size_t>(a.view)];
        const std::size_t stride = view.stride > 0 ? view.stride : size;
        for (std::size_t i = 0; i < a.count; ++i)
            std::memcpy(&out[i * size], &view.bytes[a.offset + i * stride], size);
    }
    if (a.sparse) {
        const SparsePart& s = *a.sparse;
        const auto& indices = views_[static_cast<std::size_t>(s.index_view)].bytes;
        const auto& values = views_[static_cast<std::size_t>(s.value_view)].bytes;
        for (std::size_t i = 0; i < s.count; ++i) {
            const auto at = static_cast<std::size_t>(load_number(
                &indices[s.index_offset + i * component_size(s.index_type)], s.index_type, false));
            if (at >= a.count) {
                fail(Code::kGltfReference, path, fmt::format("sparse index {} of {}", at, a.count),
                     "sparse indices below the count");
                return out;
            }
            std::memcpy(&out[at * size], &values[s.value_offset + i * size], size);
        }
    }
    return out;
}

std::vector<double> GltfDocument::read(int accessor, int components, const JsonPath& path) {
    std::vector<double> out;
    if (accessor == kNone || failed()) {
        fail(Code::kGltfBroken, path, "no accessor", "an accessor index");
        return out;
    }
    const Accessor& a = accessors_[static_cast<std::size_t>(accessor)];
    if (a.components != components) {
        fail(Code::kGltfBroken, path,
             fmt::format("accessor {} with {} numbers per element", accessor, a.components),
             fmt::format("{} per element", components));
        return out;
    }
    const auto packed = read_packed(accessor, path);
    const std::size_t size = component_size(a.component_type);
    out.resize(packed.size() / size);
    for (std::size_t i = 0; i < out.size(); ++i) {
        out[i] = load_number(&packed[i * size], a.component_type, a.normalized);
        if (!std::isfinite(out[i])) {
            fail(Code::kNumberBad, path,
                 fmt::format("{} as number {} of accessor {}", out[i], i, accessor),
                 "finite numbers", "find the broken key or vertex in the source and mend it");
            return out;
        }
    }
    return out;
}

namespace {

/// True when no number is infinite or not a number: no exponent has all its bits set. Looks at
/// whole words, so that the loop becomes vector instructions.
MELLOW_KERNEL bool all_finite(const float* numbers, std::size_t count) {
    std::uint32_t worst = 0;
    std::size_t i = 0;
    for (; i + 16 <= count; i += 16)
        for (std::size_t k = 0; k < 16; ++k) {
            std::uint32_t bits = 0;
            std::memcpy(&bits, numbers + i + k, sizeof(bits));
            worst |= (bits & 0x7F800000U) == 0x7F800000U ? 1U : 0U;
        }
    for (; i < count; ++i) worst |= std::isfinite(numbers[i]) ? 0U : 1U;
    return worst == 0;
}

}  // namespace

KeyValues GltfDocument::read_values(int accessor, int components, const JsonPath& path) {
    if (accessor != kNone && !failed()) {
        const Accessor& a = accessors_[static_cast<std::size_t>(accessor)];
        const std::size_t size = sizeof(float) * static_cast<std::size_t>(a.components);
        if (a.component_type == 5126 && a.components == components && !a.sparse &&
            a.view != kNone && std::endian::native == std::endian::little) {
            const BufferView& view = views_[static_cast<std::size_t>(a.view)];
            const std::uint8_t* from = view.bytes.data() + a.offset;
            const std::size_t count = a.count * static_cast<std::size_t>(components);
            const bool together = view.stride == 0 || view.stride == size;
            if (together && reinterpret_cast<std::uintptr_t>(from) % alignof(float) == 0) {
                const auto* numbers = reinterpret_cast<const float*>(from);
                unchecked_.push_back({accessor, {numbers, count}});
                return {owned_, {numbers, count}};
            }
        }
    }
    return read(accessor, components, path);
}

void GltfDocument::check_values() {
    constexpr std::size_t kRun = 512;  // accessors that a thread looks at in one go
    const std::size_t runs = (unchecked_.size() + kRun - 1) / kRun;
    std::vector<int> bad(runs, kNone);
    parallel_for(runs, [&](std::size_t run) {
        for (std::size_t i = run * kRun; i < std::min(unchecked_.size(), (run + 1) * kRun); ++i)
            if (bad[run] == kNone &&
                !all_finite(unchecked_[i].numbers.data(), unchecked_[i].numbers.size()))
                bad[run] = unchecked_[i].accessor;
    });
    for (const int accessor : bad)
        if (accessor != kNone)  // says which number it is
            (void)read(accessor, accessors_[static_cast<std::size_t>(accessor)].components,
                       JsonPath("accessors", static_cast<std::size_t>(accessor)));
}

KeyTimes GltfDocument::read_times(int accessor, const JsonPath& path) {
    const auto known = times_.find(accessor);
    if (known != times_.end()) return known->second;
    KeyTimes times(read(accessor, 1, path));
    for (std::size_t k = 0; k < times.size(); ++k)
        if (times[k] < 0 || times[k] > kLongest_s || (k > 0 && times[k] <= times[k - 1])) {
            fail(Code::kGltfBroken, path,
                 fmt::format("key {} at {} s after {} s", k, times[k], k > 0 ? times[k - 1] : 0.0),
                 "ascending times from 0 to 10 000 000 s");
            return times;
        }
    if (!failed()) times_.emplace(accessor, times);
    return times;
}

std::vector<std::uint32_t> GltfDocument::read_whole(int accessor, int components,
                                                    const JsonPath& path) {
    if (accessor != kNone) {
        const Accessor& a = accessors_[static_cast<std::size_t>(accessor)];
        const bool whole =
            a.component_type == 5121 || a.component_type == 5123 || a.component_type == 5125;
        if (!whole || a.normalized)
            fail(Code::kGltfBroken, path, fmt::format("component type {}", a.component_type),
                 "unsigned whole numbers");
    }
    const std::vector<double> values = read(accessor, components, path);
    return {values.begin(), values.end()};
}

}  // namespace mellow
