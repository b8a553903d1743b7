// Manifests of crates: lines of POINTER = VALUE change that of a small crate, or take something
// away where no value stands. What comes of it is opened, drawn, checked, gathered and packed over,
// or refused.
#include <fstream>
#include <nlohmann/json.hpp>
#include <sstream>

#include "figure_folder.h"
#include "fuzz.h"
#include "mellow/check.h"
#include "mellow/crate.h"
#include "mellow/manifest.h"
#include "mellow/pack.h"
#include "mellow/share.h"

namespace {

using nlohmann::json;

constexpr const char* kRecipe = R"([source]
file = "f.gltf"
[[clip]]
name = "t"
range = [0, 4]
travel = ["ground"]
[[clip]]
name = "u"
range = [2, 9]
[[cue]]
name = "x"
at = 3
[output]
folder = "out"
name = "f"
picture = false
)";

/// A crate of the figure.
struct CrateFolder : mellow::fuzz::FigureFolder {
    mellow::Recipe recipe;
    json manifest;
    CrateFolder() : FigureFolder("crate") {
        recipe = mellow::parse_recipe(kRecipe, "r", path).value();
        std::filesystem::remove_all(recipe.output);
        const auto report = mellow::pack(recipe);
        require(report.ok() && report.value().proven, "the figure is packed");
        manifest = json::parse(std::ifstream(recipe.output / "crate.json"));
    }
};

void change(json& manifest, const std::string& line) {
    const auto cut = line.find(" = ");
    const std::string path = line.substr(0, cut);
    json step{{"op", "remove"}, {"path", path}};
    try {
        if (cut != line.npos) {
            const bool there = manifest.contains(json::json_pointer(path));
            step = {{"op", there ? "replace" : "add"},
                    {"path", path},
                    {"value", json::parse(line.substr(cut + 3))}};
        }
        manifest = manifest.patch(json::array({step}));
    } catch (const json::exception&) {  // no pointer, or no value
    }
}

std::string text_of(const mellow::Manifest& manifest) {
    std::string out;
    manifest.encode([&](std::string_view part) { out += part; });
    return out;
}

/// What is decoded and encoded is a fixed point: nothing that is believed is lost or changed.
bool decodes(const std::string& text) {
    const auto read = mellow::Manifest::decode({text.begin(), text.end()}, "crate");
    if (!read) return false;
    const std::string once = text_of(read.value());
    const auto again = mellow::Manifest::decode({once.begin(), once.end()}, "crate");
    require(again.ok(), "what is encoded can be decoded");
    require(text_of(again.value()) == once, "a manifest decoded twice is the same");
    return true;
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    using namespace mellow;
    static const CrateFolder place;
    json manifest = place.manifest;
    std::istringstream lines(std::string(reinterpret_cast<const char*>(data), size));
    for (std::string line; std::getline(lines, line);) change(manifest, line);
    const auto replaced = json::error_handler_t::replace;
    const std::string text = manifest.dump(2, ' ', false, replaced);
    const bool believed = decodes(text);
    std::ofstream(place.recipe.output / "crate.json") << text;
    const auto crate = open_crate(place.recipe.output);
    const auto checked = check_crate(place.recipe.output);
    (void)find_parts(place.recipe.output);
    if (crate) {
        require(crate.value().clips.size() == crate.value().motions.size(), "clips have motions");
        if (const auto png = draw_crate(crate.value()); png)
            require(png.value().size() > 100, "a picture shows something");
        require(checked.ok(), "what opens can be checked");
        require(believed, "what opens can be decoded");
    } else {
        require(!crate.failure().expected.empty(), "a failure says what was expected");
    }
    fuzz::outcome = crate ? "opened" : "refused";
    if (!believed && size % 8 != 0) return 0;  // packing takes most of the time
    PackOptions over;
    over.replace = true;
    over.keep = 0;
    if (const auto packed = pack(place.recipe, over); packed)
        require(packed.value().proven, "what is packed over it is proven");
    return 0;
}
