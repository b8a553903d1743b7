#include "read/relative.h"

#include <cstdio>
#include <filesystem>

namespace mellow {

std::optional<std::string> relative_reference(std::string_view uri) {
    std::string path;
    for (std::size_t i = 0; i < uri.size(); ++i) {
        unsigned code = 0;
        if (uri[i] == '%' && i + 2 < uri.size() &&
            std::sscanf(std::string(uri.substr(i + 1, 2)).c_str(), "%2x", &code) == 1) {
            path.push_back(static_cast<char>(code));
            i += 2;
        } else {
            path.push_back(uri[i]);
        }
    }
    const bool bad = path.empty() || path.front() == '/' || path.find('\\') != std::string::npos ||
                     path.find(':') != std::string::npos || path.find('\0') != std::string::npos;
    if (bad) return {};
    for (const auto& part : std::filesystem::path(path))
        if (part == "..") return {};
    return path;
}

}  // namespace mellow
