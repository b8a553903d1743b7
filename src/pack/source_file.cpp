#include "pack/source_file.h"

#include "crate/hash.h"

namespace mellow {

Result<Bytes> load_file(std::vector<FileRecord>& records, const std::string& role,
                        const std::string& name, const std::filesystem::path& path) {
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

Result<ReadResult> load_scene(std::vector<FileRecord>& records, const std::string& role,
                              const std::string& name, const std::filesystem::path& path,
                              const ReadLimits& limits) {
    MELLOW_TRY(Bytes bytes, load_file(records, role, name, path));
    const LoadFile beside = [&, load = load_beside(path, limits)](const std::string& relative) {
        auto part = load(relative);
        if (part)
            records.push_back(
                {role + " part", relative, part.value().size(), hash_hex(part.value())});
        return part;
    };
    return read_memory(std::move(bytes), path.filename().string(), beside, limits);
}

Finding in_recipe_words(Finding finding) {
    for (const char* key : {"unit", "up", "front", "hand", "rate", "places", "frames"})
        for (std::string::size_type at = 0;
             (at = finding.remedy.find(std::string("--") + key, at)) != std::string::npos;)
            finding.remedy.erase(at, 2);
    return finding;
}

}  // namespace mellow
