#include "crate/file_names.h"

#include <algorithm>

#include "mellow/read.h"

namespace mellow {

namespace fs = std::filesystem;

std::set<std::string> fixed_files() {
    return {kManifestFile, kReportFile, kReportText, kRecipeFile,
            kCuesFile,     kTargetFile, kJointsFile, kSheetFile};
}

std::vector<std::string> other_files(const fs::path& folder, const std::set<std::string>& own) {
    std::vector<std::string> out;
    std::error_code error;
    for (fs::recursive_directory_iterator at(folder, error), end; !error && at != end;
         at.increment(error)) {
        if (at->is_directory(error)) continue;
        const std::string name = at->path().lexically_relative(folder).generic_string();
        if (!own.contains(name)) out.push_back(name);
    }
    std::sort(out.begin(), out.end());
    return out;
}

std::string foreign_to_crate(const fs::path& folder) {
    constexpr const char* kOther = "something that is not a crate";
    std::error_code error;
    if (!fs::is_regular_file(folder / kManifestFile, error)) return kOther;
    const auto text = read_file(folder / kManifestFile);
    const auto own = text ? files_named(text.value()) : std::nullopt;
    if (!own) return kOther;
    const std::vector<std::string> others = other_files(folder, *own);
    return others.empty() ? "" : "a crate with something else in it: " + others.front();
}

}  // namespace mellow
