// Files that packing reads, and the record of the very bytes that were parsed.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "mellow/file_record.h"
#include "mellow/read.h"

namespace mellow {

/// Reads a whole file; the record says `role`, and `name` as its file.
Result<Bytes> load_file(std::vector<FileRecord>& records, FileRole role, const std::string& name,
                        const std::filesystem::path& path);

/// Reads a scene, and records the very bytes that are read, those of files beside it as well.
Result<ReadResult> load_scene(std::vector<FileRecord>& records, FileRole role,
                              const std::string& name, const std::filesystem::path& path,
                              const ReadLimits& limits);

}  // namespace mellow
