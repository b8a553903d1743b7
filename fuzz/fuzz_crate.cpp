// Manifests of crates: opened and drawn, or refused. "%SKIN%" and "%CLIP%" stand for the hashes of
// a skin file and a clip file that are there.
#include <filesystem>
#include <fstream>

#include "figure_folder.h"
#include "fuzz.h"
#include "mellow/crate.h"
#include "mellow/pack.h"

namespace {

constexpr const char* kRecipe = R"([source]
file = "f.glb"
[[clip]]
name = "t"
range = [0, 4]
[output]
folder = "out"
name = "f"
picture = false
)";

/// A crate of the figure, and the hashes of its files.
struct Place : mellow::fuzz::FigureFolder {
    std::string skin, clip;
    Place() : FigureFolder("crate") {
        const auto recipe = mellow::parse_recipe(kRecipe, "r", path);
        require(recipe.ok(), "the recipe is one");
        const auto report = mellow::pack(recipe.value());
        require(report.ok() && report.value().proven, "the figure is packed");
        skin = report.value().skin.hash;
        clip = report.value().clips[0].file.hash;
    }
};

void put(std::string& text, const std::string& word, const std::string& value) {
    for (auto i = text.find(word); i != text.npos; i = text.find(word, i + value.size()))
        text.replace(i, word.size(), value);
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    using namespace mellow;
    static const Place place;
    std::string text(reinterpret_cast<const char*>(data), size);
    put(text, "%SKIN%", place.skin);
    put(text, "%CLIP%", place.clip);
    std::ofstream(place.path / "out/crate.json", std::ios::binary) << text;
    const auto crate = open_crate(place.path / "out");
    if (!crate) {
        require(!crate.failure().expected.empty(), "a failure says what was expected");
        return 0;
    }
    require(crate.value().clips.size() == crate.value().motions.size(), "each clip has its motion");
    if (const auto png = draw_crate(crate.value()); png)
        require(png.value().size() > 100, "a picture shows something");
    return 0;
}
