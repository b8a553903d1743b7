#include "mellow/file_format.h"

#include <array>

namespace mellow {
namespace {

struct Format {
    std::string_view name;
    FormatTraits traits;
};

constexpr FormatTraits kGltf{
    .meshes = true, .loose_weights = true, .scalars = true, .own_units = true, .channels = true};

constexpr FormatTraits glb() {
    FormatTraits out = kGltf;
    out.embeds = true;
    return out;
}

constexpr FormatTraits gltf() {
    FormatTraits out = kGltf;
    out.buffer = true;
    return out;
}

// In the order of the enum.
constexpr std::array<Format, 5> kFormats{{
    {"glb", glb()},
    {"gltf", gltf()},
    {"dae", {.meshes = true, .own_units = true, .key_times = false, .every_key = false}},
    {"bvh", {.any_tree = false, .free_names = false, .rest = false, .key_times = false}},
    {"csv", {.loose_weights = true, .scalars = true, .parents = false}},
}};

}  // namespace

std::string_view name(FileFormat format) { return kFormats[static_cast<std::size_t>(format)].name; }

const FormatTraits& traits(FileFormat format) {
    return kFormats[static_cast<std::size_t>(format)].traits;
}

std::optional<FileFormat> parse_file_format(std::string_view text) {
    for (std::size_t i = 0; i < kFormats.size(); ++i)
        if (kFormats[i].name == text) return static_cast<FileFormat>(i);
    return {};
}

std::optional<FileFormat> format_of_name(std::string_view file) {
    const auto dot = file.rfind('.');
    if (dot == file.npos) return {};
    return parse_file_format(file.substr(dot + 1));
}

std::vector<std::string> all_formats() {
    std::vector<std::string> out;
    for (const Format& format : kFormats) out.emplace_back(format.name);
    return out;
}

}  // namespace mellow
