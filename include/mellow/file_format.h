// FileFormat: the formats that skins and clips are written in, and what each of them can hold.
//
// What is asked of a format is asked of its traits, so that a format that is added says all of it
// in one place. Readers tell which one a file is; scene files in no format of this list are not
// read.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace mellow {

/// glTF 2.0 binary and text, COLLADA 1.4.1, BVH, and tables of motion (motion_table.h).
enum class FileFormat { kGlb, kGltf, kDae, kBvh, kCsv };
/// "glb", "gltf", "dae", "bvh" or "csv": also what such a file's name ends in.
std::string_view name(FileFormat format);
/// The way back; nothing for other texts.
std::optional<FileFormat> parse_file_format(std::string_view text);
/// Of a file's name, by what it ends in.
std::optional<FileFormat> format_of_name(std::string_view file);
/// The names of all formats, in the order of the enum.
std::vector<std::string> all_formats();

/// What a format can hold, and how.
struct FormatTraits {
    bool meshes = false;         ///< meshes with skins and morph targets
    bool loose_weights = false;  ///< morph weights without their mesh
    bool scalars = false;        ///< numbers over time that move nothing, such as fields of view
    bool parents = true;         ///< which joint hangs on which
    bool any_tree = true;        ///< joints in any order, and several that hang on nothing
    bool free_names = true;      ///< joints of any name; else blanks and braces become _
    bool rest = true;            ///< how joints rest, with their turns
    bool own_units = false;      ///< what its numbers mean: unit and axes
    bool key_times = true;       ///< keys with times of their own; else they are counted
    bool every_key = true;       ///< a key at each sample, also where nothing changes
    bool channels = false;       ///< translation, rotation and scale of a node by themselves
    bool buffer = false;         ///< its numbers lie in a file beside it
    bool embeds = false;         ///< pictures may lie in it
};
const FormatTraits& traits(FileFormat format);

}  // namespace mellow
