// The folder of a file that is yet to be written: it is there while the file is made, and goes
// again where nothing came of it.
#pragma once

#include <filesystem>
#include <system_error>
#include <vector>

namespace mellow::cli {

class NewFolder {
  public:
    /// Makes the folders above `file` that are not there.
    explicit NewFolder(const std::filesystem::path& file) {
        std::error_code ignored;
        const auto above =
            std::filesystem::absolute(file, ignored).lexically_normal().parent_path();
        for (auto at = above; !std::filesystem::exists(at, ignored) && at.has_relative_path();
             at = at.parent_path())
            made_.push_back(at);
        std::filesystem::create_directories(above, ignored);
    }
    NewFolder(const NewFolder&) = delete;
    NewFolder& operator=(const NewFolder&) = delete;
    /// Takes away those that it made and that are empty.
    ~NewFolder() {
        std::error_code ignored;
        for (const auto& folder : made_) std::filesystem::remove(folder, ignored);
    }

  private:
    std::vector<std::filesystem::path> made_;  // the innermost first
};

}  // namespace mellow::cli
