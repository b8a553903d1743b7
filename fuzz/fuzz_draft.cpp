// Scene files of any format: a recipe that is drafted of one can be read, and planned where it says
// so; a page takes it, or says why not.
#include <fstream>

#include "figure_folder.h"
#include "fuzz.h"
#include "mellow/draft.h"
#include "mellow/pack.h"
#include "mellow/page.h"
#include "mellow/read.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    using namespace mellow;
    static const fuzz::FigureFolder place("draft");
    const std::string text(reinterpret_cast<const char*>(data), size);
    const std::string name = text.starts_with("HIERARCHY") ? "s.bvh"
                             : text.starts_with("glTF")    ? "s.glb"
                             : text.starts_with("<")       ? "s.dae"
                                                           : "s.gltf";
    std::ofstream(place.path / name, std::ios::binary) << text;
    if (const auto scene = read_scene(place.path / name); scene) {
        Page page;
        if (add_scene(page, name, scene.value().scene))
            require(page_text(page).size() > 1000, "a page holds something");
    }
    DraftOptions options;
    options.recipe = place.path / "d.toml";
    for (const bool alone : {true, false}) {
        std::vector<std::filesystem::path> files{place.path / name};
        if (!alone) files.push_back(place.path / "f.gltf");
        const auto draft = draft_recipe(files, options);
        if (!draft) continue;
        const auto recipe = parse_recipe(draft.value().text, "d.toml", place.path);
        if (draft.value().ready) {
            require(recipe.ok(), "what is ready can be read");
            fuzz::outcome = "ready";
        } else if (fuzz::outcome != "ready") {
            fuzz::outcome = "drafted";
        }
    }
    return 0;
}
