// A file of a crate: its bytes with where its parts are found, and what is read of them.
#pragma once

#include <filesystem>
#include <string>

#include "mellow/file_format.h"
#include "mellow/read.h"

namespace mellow {

struct StoredFile {
    std::string name;  ///< for messages; its ending says the format
    Bytes bytes;
    LoadFile beside;
};
/// Reads one from disk.
Result<StoredFile> stored_file(const std::filesystem::path& path);

/// A file as it was read, in the numbers that stand in it.
struct CheckedFile {
    std::string file;  ///< within what is checked
    FileFormat format = FileFormat::kGlb;
    Scene scene;
    bool reads = true;
    Findings trouble;      ///< why it does not
    std::string unsummed;  ///< what reading found of weights, which it makes sum to 1
    bool is_skin() const { return !scene.meshes.empty(); }
    bool is_motion() const { return !scene.timelines.empty(); }
};
CheckedFile read_checked(Result<StoredFile> stored, const std::string& file);
CheckedFile read_checked(const std::filesystem::path& path, const std::string& file);

}  // namespace mellow
