#include "remedies.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

namespace mellow::test {

std::string with_edit(std::string recipe, const std::string& table, int at, const Edit& edit) {
    const std::string line = edit.key + " = " + edit.value + "\n";
    std::size_t head = ("\n" + recipe).find("\n" + table + "\n");
    if (table.empty()) {  // the one that holds this line
        std::size_t end = 0;
        for (int n = 0; n < at && end != recipe.npos; ++n) end = recipe.find('\n', end + 1);
        head = ("\n" + recipe).rfind("\n[", end);
    }
    if (head == recipe.npos) return recipe + "\n" + table + "\n" + line;
    const std::size_t from = recipe.find('\n', head) + 1;
    const std::size_t to = std::min(recipe.find("\n[", from - 1), recipe.size());
    const std::size_t old = ("\n" + recipe.substr(from, to - from)).find("\n" + edit.key + " = ");
    if (old != recipe.npos)
        recipe.erase(from + old, recipe.find('\n', from + old) + 1 - from - old);
    return recipe.insert(from, line);
}

namespace {

bool still_said(const Findings& now, const Finding& before) {
    return std::any_of(now.begin(), now.end(), [&](const Finding& f) {
        return f.code == before.code && f.severity >= before.severity &&
               f.where.file == before.where.file && f.where.path == before.where.path &&
               f.found == before.found;
    });
}

/// The table of the recipe that an edit is for, or the line that is in it: a figure has a table of
/// its own beside motion files.
std::pair<std::string, int> table_of(const Recipe& recipe, const Finding& finding,
                                     const Edit& edit) {
    if (edit.table.empty()) return {"", finding.where.line};
    if (edit.table != "source" || recipe.sources.empty()) return {"[" + edit.table + "]", 0};
    for (const RecipeSource& source : recipe.sources)
        if (fits_pattern(source.file, finding.where.file)) return {"", source.where.line};
    return {"[figure]", 0};
}

/// What would take minutes is not tried.
bool is_affordable(const Edit& edit) {
    return edit.key != "most_samples" || std::stod(edit.value) < 1e5;
}

}  // namespace

void expect_remedies(const TempFolder& folder, const std::string& recipe,
                     const Findings& findings) {
    static std::set<std::string> tried;
    for (const Finding& finding : findings) {
        std::string kind(name(finding.code));
        bool known = !finding.edits.empty();
        for (const Edit& edit : finding.edits) {
            kind += fmt::format(" {}.{}", edit.table, edit.key);
            known = known && !edit.value.empty() && is_affordable(edit) &&
                    (!edit.table.empty() || finding.where.line > 0);
        }
        if (!known || !tried.insert(kind).second) continue;
        SCOPED_TRACE(kind + "\n" + to_text(finding));
        const auto before = parse_recipe(recipe, "tamsin.recipe.toml", folder.path());
        ASSERT_THAT(before, IsOk());
        std::string text = recipe;
        for (const Edit& edit : finding.edits) {
            const auto [table, line] = table_of(before.value(), finding, edit);
            text = with_edit(text, table, line, edit);
        }
        auto after = parse_recipe(text, "tamsin.recipe.toml", folder.path());
        ASSERT_THAT(after, IsOk()) << text;
        after.value().output = folder / "remedied";
        PackOptions options;
        options.replace = true;
        const auto again = pack(after.value(), options);
        EXPECT_FALSE(still_said(again ? again.value().findings : again.failures(), finding))
            << text;
    }
}

}  // namespace mellow::test
