#include "mellow/rig_sheet.h"

#include <fmt/format.h>

#include <set>

#include "base/toml_table.h"
#include "rig/rules.h"
#include "rig/sheet_words.h"

namespace mellow {
namespace {

using Body = decltype(Rule::body);

/// A kind and how it is read; in the order of the variant.
struct RuleKind {
    std::string word;
    Body (*read)(TomlTable&);
};
const std::vector<RuleKind>& kinds() {
    static const std::vector<RuleKind> all{
        {"follow", [](TomlTable& t) { return Body(read_follow(t)); }},
        {"aim", [](TomlTable& t) { return Body(read_aim(t)); }},
        {"limb", [](TomlTable& t) { return Body(read_limb(t)); }},
        {"chain", [](TomlTable& t) { return Body(read_chain(t)); }},
        {"twist", [](TomlTable& t) { return Body(read_twist(t)); }},
        {"limit", [](TomlTable& t) { return Body(read_limit(t)); }},
        {"roll", [](TomlTable& t) { return Body(read_roll(t)); }},
        {"drive", [](TomlTable& t) { return Body(read_drive(t)); }},
        {"lag", [](TomlTable& t) { return Body(read_lag(t)); }},
    };
    return all;
}

Scalar read_scalar(TomlTable& t) {
    Scalar scalar;
    scalar.name = t.text("name");
    scalar.where = t.where("");
    if (t.has("keys"))
        scalar.curve = read_curve(t, "keys", "frames");
    else
        scalar.value = t.number("value", 0);
    scalar.keep = t.flag("keep", false);
    scalar.unit = t.text("unit", "");
    t.needs("shape", "keys");
    t.knows({"value"});
    t.close();
    return scalar;
}

}  // namespace

const std::vector<std::string>& rule_kinds() {
    static const std::vector<std::string> words = [] {
        std::vector<std::string> all;
        for (const RuleKind& kind : kinds()) all.push_back(kind.word);
        return all;
    }();
    return words;
}

std::string_view kind(const Rule& rule) { return rule_kinds()[rule.body.index()]; }

Result<RigSheet> parse_rig_sheet(std::string_view text, const std::string& file) {
    Findings mistakes;
    RigSheet sheet = parse_rig_sheet(text, file, mistakes);
    if (!mistakes.empty()) return mistakes;
    return sheet;
}

RigSheet parse_rig_sheet(std::string_view text, const std::string& file, Findings& mistakes) {
    RigSheet sheet;
    sheet.file = file;
    const auto root = parse_toml(text, file);
    if (!root) {
        append(mistakes, root.failures());
        return sheet;
    }
    TomlTable top(root.value(), file);
    sheet.prefix = top.text("prefix", "");
    sheet.prefix_at = top.where("prefix");
    const auto tables = top.tables("rule"), scalars = top.tables("scalar");
    top.close();
    std::set<std::string> names;
    for (std::size_t i = 0; i < scalars.size(); ++i) {
        TomlTable t = top.within(*scalars[i], fmt::format("scalar {}", i + 1));
        Scalar scalar = read_scalar(t);
        if (!names.insert(scalar.name).second && !t.failed({"name"}))
            t.fail(Code::kNameClash, "name",
                   fmt::format("a second scalar named \"{}\"", scalar.name), "one name per scalar",
                   "rename one of them");
        sheet.scalars.push_back(std::move(scalar));
    }
    for (std::size_t i = 0; i < tables.size(); ++i) {
        TomlTable t = top.within(*tables[i], fmt::format("rule {}", i + 1));
        const std::string word = t.choice("kind", rule_kinds());
        if (t.failed({"kind"})) continue;  // what else it should hold is not known
        Rule rule;
        rule.where = t.where("");
        for (const RuleKind& kind : kinds())
            if (kind.word == word) rule.body = kind.read(t);
        if (t.sound(*tables[i])) sheet.rules.push_back(std::move(rule));
        t.close();
    }
    append(mistakes, top.mistakes().failures());
    return sheet;
}

void convert(RigSheet& sheet, const Conversion& conversion) {
    for (Rule& rule : sheet.rules)
        std::visit([&](auto& body) { convert(body, conversion); }, rule.body);
}

}  // namespace mellow
