// Recipes packed on a figure: a failure leaves nothing, a crate that was put in place opens, and a
// second time gives the same bytes. A sheet may stand behind a line "----".
#include <filesystem>
#include <fstream>

#include "figure_folder.h"
#include "fuzz.h"
#include "mellow/crate.h"
#include "mellow/pack.h"

namespace fs = std::filesystem;

namespace {

std::size_t entries(const fs::path& folder) {
    return static_cast<std::size_t>(
        std::distance(fs::directory_iterator(folder), fs::directory_iterator()));
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    using namespace mellow;
    static const fuzz::FigureFolder place("pack");
    std::string text(reinterpret_cast<const char*>(data), size), sheet;
    if (const auto cut = text.find("----\n"); cut != text.npos)
        sheet = text.substr(cut + 5), text.resize(cut);
    auto parsed = parse_recipe(text, "fuzz.recipe.toml", place.path);
    fuzz::outcome = parsed ? "stopped" : "refused";
    if (!parsed) return 0;
    Recipe recipe = std::move(parsed).value();
    std::ofstream(place.path / "f.rig.toml") << sheet;
    recipe.source = "f.gltf";
    if (!recipe.rig.empty()) recipe.rig = "f.rig.toml";
    if (!recipe.axes.empty()) recipe.axes = "f.gltf";
    recipe.output = place.path / "out";
    recipe.picture = false;
    recipe.targets[0].most_samples = 500;
    const auto report = pack(recipe);
    if (!report) {
        require(!report.failure().found.empty(), "a failure says what was found");
        require(entries(place.path) == 2, "a failure leaves nothing");
        return 0;
    }
    fuzz::outcome = report.value().proven ? "proven" : "unproven";
    require(report.value().proven == fs::exists(recipe.output), "proven is in place");
    if (report.value().proven) {
        require(open_crate(recipe.output).ok(), "a crate opens");
        PackOptions again;
        again.replace = true;
        const auto second = pack(recipe, again);
        require(second.ok() && second.value().unchanged, "the same recipe gives the same bytes");
    }
    for (const auto& entry : fs::directory_iterator(place.path))
        if (entry.is_directory()) fs::remove_all(entry.path());
    return 0;
}
