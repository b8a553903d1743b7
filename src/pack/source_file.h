// Files that packing reads, and the record of the very bytes that were parsed.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "mellow/pack.h"
#include "mellow/read.h"

namespace mellow {

/// Reads a whole file; the record says `role`, and `name` as its file.
Result<Bytes> load_file(std::vector<FileRecord>& records, const std::string& role,
                        const std::string& name, const std::filesystem::path& path);

/// Reads a scene, and records the very bytes that are read, those of files beside it as well.
Result<ReadResult> load_scene(std::vector<FileRecord>& records, const std::string& role,
                              const std::string& name, const std::filesystem::path& path,
                              const ReadLimits& limits);

/// What readers say of the options of the tool, with the keys that a recipe has for them.
Finding in_recipe_words(Finding finding);

}  // namespace mellow
