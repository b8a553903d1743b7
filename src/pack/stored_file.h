// A file of a crate as it was read: its bytes, and where its parts are found.
#pragma once

#include <filesystem>
#include <string>

#include "mellow/read.h"

namespace mellow {

struct StoredFile {
    std::string name;  ///< for messages; its ending says the format
    Bytes bytes;
    LoadFile beside;
};
/// Reads one from disk.
Result<StoredFile> stored_file(const std::filesystem::path& path);

}  // namespace mellow
