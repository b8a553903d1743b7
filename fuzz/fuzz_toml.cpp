// Recipes and rig sheets: read or refused with a place, never anything else.
#include "fuzz.h"
#include "mellow/recipe.h"
#include "mellow/rig_sheet.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    using namespace mellow;
    fuzz::outcome = "refused";
    const std::string_view text(reinterpret_cast<const char*>(data), size);
    if (const auto recipe = parse_recipe(text, "fuzz.recipe.toml", "/"); !recipe) {
        require(recipe.failure().where.file == "fuzz.recipe.toml", "a failure says where");
    } else {
        fuzz::outcome = "recipe";
        const Recipe& r = recipe.value();
        require(!r.clips.empty() || !r.timelines.empty() || !r.many.empty(), "a recipe has clips");
        require(is_valid(recipe.value().target().convention), "and a sound target");
    }
    if (const auto sheet = parse_rig_sheet(text, "fuzz.rig.toml"); !sheet)
        require(sheet.failure().where.file == "fuzz.rig.toml", "a failure says where");
    else if (fuzz::outcome == "refused")
        fuzz::outcome = "sheet";
    return 0;
}
