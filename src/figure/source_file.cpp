#include "figure/source_file.h"

#include "disk/hash.h"

namespace mellow {

Result<Bytes> load_file(std::vector<FileRecord>& records, FileRole role, const std::string& name,
                        const std::filesystem::path& path) {
    auto read = read_file(path);
    if (!read) {
        Finding failure = read.failure();
        if (failure.code == Code::kFileMissing)
            failure.remedy = "check the path; relative paths start at the recipe's folder";
        return failure;
    }
    Bytes bytes = std::move(read).value();
    records.push_back({role, name, bytes.size(), hash_hex(bytes)});
    return bytes;
}

Result<ReadResult> load_scene(std::vector<FileRecord>& records, FileRole role,
                              const std::string& name, const std::filesystem::path& path,
                              const ReadLimits& limits) {
    MELLOW_TRY(Bytes bytes, load_file(records, role, name, path));
    const LoadFile beside = [&, load = load_beside(path, limits)](const std::string& relative) {
        auto part = load(relative);
        if (part)
            records.push_back({role, relative, part.value().size(), hash_hex(part.value()), true});
        return part;
    };
    return read_memory(std::move(bytes), name, beside, limits);
}

}  // namespace mellow
