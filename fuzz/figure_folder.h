// A folder in memory, where that can be written, with the figure in it as f.glb; gone at the end.
#pragma once

#include <unistd.h>

#include <filesystem>
#include <fstream>
#include <string>

#include "figure.h"
#include "mellow/write.h"

namespace mellow::fuzz {

struct FigureFolder {
    std::filesystem::path path;

    explicit FigureFolder(const std::string& name) {
        const std::filesystem::path memory = "/dev/shm";
        path = (std::filesystem::exists(memory) ? memory : std::filesystem::temp_directory_path()) /
               ("mellow-fuzz-" + name + "-" + std::to_string(getpid()));
        std::filesystem::create_directories(path);
        const auto glb = write_glb(figure());
        std::ofstream(path / "f.glb", std::ios::binary)
            .write(reinterpret_cast<const char*>(glb.data()),
                   static_cast<std::streamsize>(glb.size()));
    }
    FigureFolder(const FigureFolder&) = delete;
    FigureFolder& operator=(const FigureFolder&) = delete;
    ~FigureFolder() { std::filesystem::remove_all(path); }
};

}  // namespace mellow::fuzz
