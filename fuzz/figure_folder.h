// A folder in memory, where that can be written, with the figure in it as f.gltf; gone at the end.
#pragma once

#include <unistd.h>

#include <filesystem>
#include <string>

namespace mellow::fuzz {

struct FigureFolder {
    std::filesystem::path path;

    explicit FigureFolder(const std::string& name) {
        const std::filesystem::path memory = "/dev/shm";
        path = (std::filesystem::exists(memory) ? memory : std::filesystem::temp_directory_path()) /
               ("mellow-fuzz-" + name + "-" + std::to_string(getpid()));
        std::filesystem::create_directories(path);
        std::filesystem::copy_file(MELLOW_FUZZ_FIGURE, path / "f.gltf",
                                   std::filesystem::copy_options::overwrite_existing);
    }
    FigureFolder(const FigureFolder&) = delete;
    FigureFolder& operator=(const FigureFolder&) = delete;
    ~FigureFolder() { std::filesystem::remove_all(path); }
};

}  // namespace mellow::fuzz
