#include "scene_files.h"

#include <algorithm>
#include <set>

#include "base/text.h"
#include "commands.h"

namespace mellow::cli {

namespace fs = std::filesystem;

std::vector<std::string> listed(const fs::path& folder) {
    const std::set<std::string> endings{".glb", ".gltf", ".dae", ".bvh"};
    std::vector<std::string> found;
    std::error_code error;
    for (fs::recursive_directory_iterator at(folder, error), end; !error && at != end;
         at.increment(error)) {
        const bool crate = is_crate(at->path()),
                   hidden = at->path().filename().string().starts_with(".");
        if (crate || hidden) at.disable_recursion_pending();
        if (crate || (!hidden && at->is_regular_file(error) &&
                      endings.contains(folded(at->path().extension().string()))))
            found.push_back(at->path().string());
    }
    std::sort(found.begin(), found.end());
    return found;
}

}  // namespace mellow::cli
