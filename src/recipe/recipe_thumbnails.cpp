#include "recipe/recipe_thumbnails.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/text.h"
#include "rig/sheet_words.h"

namespace mellow {
namespace {

constexpr int kLeast = 16, kMost = 2048;

}  // namespace

void read_thumbnails(TomlTable& t, Recipe& recipe) {
    t.knows({"thumbnails"});
    if (!t.has("thumbnails")) return;
    const toml::table* table = t.table("thumbnails");
    if (table == nullptr) return;
    TomlTable in = t.inner(*table, "thumbnails");
    PoseOptions& out = recipe.thumbnails.emplace();
    const std::string size = in.text("size", "160x160");
    const auto parsed = parse_pair<int>(size, "x");
    if (parsed && std::min((*parsed)[0], (*parsed)[1]) >= kLeast &&
        std::max((*parsed)[0], (*parsed)[1]) <= kMost)
        out.width = (*parsed)[0], out.height = (*parsed)[1];
    else
        in.fail(Code::kValueBad, "size", "\"" + size + "\"",
                fmt::format("WIDTHxHEIGHT, each from {} to {}", kLeast, kMost),
                "size = \"160x160\"");
    const std::string from = in.choice("from", {"side", "front", "top", "quarter"}, "quarter");
    for (const ViewFrom view :
         {ViewFrom::kSide, ViewFrom::kFront, ViewFrom::kTop, ViewFrom::kQuarter})
        if (name(view) == from) out.from = view;
    out.around = in.text("around", "");
    out.reach_m = read_within(in, "reach", 0.5, 0.001, 1e4);
    if (in.has("reach")) in.needs("reach", "around");
    in.close();
}

}  // namespace mellow
