#include "mellow/rig_sheet.h"

#include <fmt/format.h>

#include "base/toml_table.h"

namespace mellow {
namespace {

FollowRule read_follow(TomlTable& t) {
    FollowRule rule;
    rule.node = t.text("node");
    rule.source = t.text("source");
    rule.position = rule.orientation = false;
    for (const std::string& part : t.texts("parts", {"position", "orientation"})) {
        if (part == "position")
            rule.position = true;
        else if (part == "orientation")
            rule.orientation = true;
        else if (part == "scale")
            rule.scale = true;
        else
            t.fail(Code::kValueBad, "parts", part, "position, orientation or scale");
    }
    rule.keep_offset = t.choice("offset", {"keep", "none"}, "keep") == "keep";
    return rule;
}

LimbRule read_limb(TomlTable& t) {
    LimbRule rule{t.text("start"), t.text("mid"), t.text("end"), t.text("goal"), t.text("pole")};
    rule.end_follows_goal = t.choice("end_orientation", {"goal", "free"}, "goal") == "goal";
    return rule;
}

DriveRule read_drive(TomlTable& t) {
    DriveRule rule;
    rule.joint = t.text("joint");
    rule.twist = t.choice("angle", {"swing", "twist"}) == "twist";
    const std::string axis = t.choice("axis", {"+X", "-X", "+Y", "-Y", "+Z", "-Z"});
    rule.axis = direction(parse_axis(axis).value_or(Axis::kPlusY));
    const std::vector<double> flat = t.numbers("curve", 2);
    for (std::size_t i = 0; i + 1 < flat.size(); i += 2) {
        if (i > 0 && flat[i] <= rule.curve.back().degrees)
            t.fail(Code::kValueBad, "curve",
                   fmt::format("{} degrees after {}", flat[i], rule.curve.back().degrees),
                   "ascending angles");
        rule.curve.push_back({flat[i], flat[i + 1]});
    }
    if (rule.curve.size() < 2)
        t.fail(Code::kValueBad, "curve", fmt::format("{} points", rule.curve.size()),
               "at least two points [degrees, weight]");
    rule.smooth = t.choice("shape", {"linear", "smooth"}, "linear") == "smooth";
    rule.mesh = t.text("mesh");
    rule.target = t.text("target");
    return rule;
}

}  // namespace

std::string_view kind(const Rule& rule) {
    constexpr std::string_view kKinds[] = {"follow", "limb", "drive"};
    return kKinds[rule.body.index()];
}

Result<RigSheet> parse_rig_sheet(std::string_view text, const std::string& file) {
    MELLOW_TRY(const toml::table root, parse_toml(text, file));
    RigSheet sheet;
    sheet.file = file;
    TomlTable top(root, file, "");
    sheet.prefix = top.text("prefix", "");
    const auto tables = top.tables("rule");
    MELLOW_CHECK(top.done());
    for (std::size_t i = 0; i < tables.size(); ++i) {
        TomlTable t(*tables[i], file, fmt::format("rule {}", i + 1));
        const std::string kind = t.choice("kind", {"follow", "limb", "drive"});
        Rule rule;
        rule.where = t.where("");
        if (kind == "follow") rule.body = read_follow(t);
        if (kind == "limb") rule.body = read_limb(t);
        if (kind == "drive") rule.body = read_drive(t);
        MELLOW_CHECK(t.done());
        sheet.rules.push_back(std::move(rule));
    }
    return sheet;
}

void turn_axes(RigSheet& sheet, const Conversion& conversion) {
    for (Rule& rule : sheet.rules)
        if (auto* drive = std::get_if<DriveRule>(&rule.body))
            drive->axis = conversion.vector(drive->axis);
}

}  // namespace mellow
