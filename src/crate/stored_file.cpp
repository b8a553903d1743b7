#include "crate/stored_file.h"

#include "mellow/motion_table.h"

namespace mellow {

Result<StoredFile> stored_file(const std::filesystem::path& path) {
    MELLOW_TRY(Bytes bytes, read_file(path));
    return StoredFile{path.filename().string(), std::move(bytes), load_beside(path)};
}

CheckedFile read_checked(const std::filesystem::path& path, const std::string& file) {
    return read_checked(stored_file(path), file);
}

CheckedFile read_checked(Result<StoredFile> stored, const std::string& file) {
    CheckedFile out;
    out.file = file;
    const auto refuse = [&](Findings failures) {
        out.reads = false;
        out.trouble = std::move(failures);
        return out;
    };
    if (!stored) return refuse(stored.failures());
    StoredFile from = std::move(stored).value();
    out.format = format_of_name(from.name).value_or(FileFormat::kGlb);
    if (out.format == FileFormat::kCsv) {
        const char* text = reinterpret_cast<const char*>(from.bytes.data());
        auto table = read_motion_table({text, from.bytes.size()}, from.name);
        if (!table) return refuse(table.failures());
        out.scene = std::move(table).value();
        return out;
    }
    auto read = read_memory(std::move(from.bytes), from.name, from.beside);
    if (!read) return refuse(read.failures());
    out.scene = std::move(read.value().scene);
    out.format = read.value().kind.value_or(out.format);
    for (const Finding& f : read.value().findings)
        if (f.code == Code::kWeightSum) out.unsummed = f.found;
    return out;
}

}  // namespace mellow
