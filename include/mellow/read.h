// Reading scene files: glTF 2.0 (.glb, .gltf), COLLADA 1.4.1 (.dae) and BVH, told apart by content,
// not by name.
//
// Readers trust nothing: every count is checked against the bytes that are there before memory is
// taken, every index against its array, references stay inside the file's folder. What a reader
// returns is complete and consistent, or it returns the failure. Numbers stay in the convention of
// the file (Scene::convention); convert() takes them inside.
#pragma once

#include <cstdint>
#include <filesystem>
#include <functional>
#include <span>
#include <string>
#include <vector>

#include "mellow/bytes.h"
#include "mellow/file_format.h"
#include "mellow/result.h"
#include "mellow/scene.h"
#include "mellow/true_convention.h"

namespace mellow {

/// No key of a file may lie further from zero; 115 days, so that frames at any rate are exact.
inline constexpr double kLongest_s = 1e7;

/// What a reader may be asked to take. Beyond a limit it fails with `limit`.
struct ReadLimits {
    std::size_t file_bytes = std::size_t{1} << 31;
    std::size_t nodes = 200'000;
    std::size_t depth = 1'000;       ///< of the node tree
    std::size_t keys = 500'000'000;  ///< of all curves
    std::size_t xml_elements = 8'000'000;
    std::size_t xml_entities = 0;  ///< declared ones; none is ever expanded
    /// Of arrays a file declares but does not hold; or 16 times the file, where that is more.
    std::size_t unstored_bytes = std::size_t{1} << 22;
    // What the format leaves open, where it is known (true_convention.h).
    std::optional<BvhPlaces> bvh_places = {};
    std::optional<BvhFrames> bvh_frames = {};
};
/// The usual limits, and what `truth` knows of the format.
ReadLimits limits_for(const TrueConvention& truth);

/// A scene as its file has it, not yet inside, and what was found while reading.
struct ReadResult {
    Scene scene;
    Findings findings;
    std::string format;           ///< with its version: "glTF 2.0 binary", "COLLADA 1.4.1", "BVH"
    bool keys_on_frames = false;  ///< the format counts frames, not seconds
    std::optional<FileFormat> kind = {};  ///< nothing for texts of motion
};

/// Loads a file by its path relative to the scene file.
using LoadFile = std::function<Result<Bytes>(const std::string& relative)>;

/// Reads a whole file. Fails with file-missing, file-unreadable or limit.
Result<Bytes> read_file(const std::filesystem::path& path, const ReadLimits& limits = {});

/// Loads files that lie beside `path`, or below its folder: a link that leads out of it is refused.
LoadFile load_beside(const std::filesystem::path& path, const ReadLimits& limits = {});

/// Reads a scene file of any known format. Files it refers to are looked for beside it; a reference
/// that is absolute, climbs out with "..", or is a URL is refused.
Result<ReadResult> read_scene(const std::filesystem::path& path, const ReadLimits& limits = {});

/// The same from memory; `load` finds the files it refers to, `name` is what messages call it.
Result<ReadResult> read_memory(Bytes bytes, const std::string& name, const LoadFile& load,
                               const ReadLimits& limits = {});

/// Reads glTF 2.0 from memory, binary or JSON. `file` is the name used in messages. Curves of plain
/// single-precision numbers are not copied: they keep `bytes` alive.
Result<ReadResult> read_gltf(Bytes bytes, const std::string& file, const LoadFile& load,
                             const ReadLimits& limits = {});

/// Reads COLLADA 1.4.1, or 1.5 where it is the same, from memory: UTF-8, or any encoding that a
/// byte order mark or the XML declaration names. Transform stacks stay stacks where curves move
/// them, so that angles of more than a revolution do (transform_stack.h); bind shape matrices are
/// taken into the meshes; polygons become triangles. What is read against the letter of the
/// specification is said as a finding `assumed`, what is not carried as `left-out`. Entities are
/// refused.
Result<ReadResult> read_collada(Bytes bytes, const std::string& file, const LoadFile& load,
                                const ReadLimits& limits = {});

/// Reads BVH from memory: any channel order per joint, positions on any joint, end sites. Files
/// mean two things by positions: some add them to OFFSET, some put them in its place. Unless
/// `limits` says which, it is read from the places: how far along OFFSET the middle one lies, 0 to
/// 1, over all joints; below a half they are added. A finding says so, a warning between a quarter
/// and three. The frame time is snapped to an exact usual rate. Unit and axes are not in the file;
/// the scene says metre, +Y up, +Z front, and a finding says that this was assumed. Rotation
/// channels multiply in the order they are listed: Zrotation Xrotation Yrotation is R == Rz * Rx *
/// Ry.
Result<ReadResult> read_bvh(std::string_view text, const std::string& file,
                            const ReadLimits& limits = {});

}  // namespace mellow
