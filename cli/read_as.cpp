#include <fmt/format.h>

#include <charconv>

#include "base/text.h"
#include "base/toml_text.h"
#include "commands.h"
#include "mellow/true_convention.h"

namespace mellow::cli {
namespace {

/// Everything that is wrong with what was typed, at once.
Result<TrueConvention> parse(const TypedConvention& typed) {
    TrueConvention truth;
    Findings wrong;
    const auto bad_option = [&](const char* option, const std::string& value,
                                const std::string& expected) {
        return Finding{Code::kUsage,        Severity::kStop, Place::of(option + typed.of),
                       "\"" + value + "\"", expected,        ""};
    };
    if (!typed.unit.empty() && !(truth.metres_per_unit = parse_unit(typed.unit)))
        wrong.push_back(bad_option("--unit", typed.unit,
                                   suggest(typed.unit, unit_names()) + " or metres per unit"));
    if (!typed.height.empty()) {
        double metres = 0;
        const char* const end = typed.height.data() + typed.height.size();
        const auto read = std::from_chars(typed.height.data(), end, metres);
        if (read.ec == std::errc() && read.ptr == end && metres > 0 && metres < 1e6)
            truth.height_m = metres;
        else
            wrong.push_back(bad_option("--height", typed.height, "metres, such as 1.76"));
        if (!typed.unit.empty())
            wrong.push_back(
                bad_option("--height", typed.height, "no --unit beside it: each says the other"));
    }
    if (!typed.up.empty() && !(truth.up = parse_axis(typed.up)))
        wrong.push_back(bad_option("--up", typed.up, "+X, -X, +Y, -Y, +Z or -Z"));
    if (!typed.front.empty() && !(truth.front = parse_axis(typed.front)))
        wrong.push_back(bad_option("--front", typed.front, "+X, -X, +Y, -Y, +Z or -Z"));
    if (typed.hand == "right" || typed.hand == "left")
        truth.hand = typed.hand == "left" ? Hand::kLeft : Hand::kRight;
    else if (!typed.hand.empty())
        wrong.push_back(bad_option("--hand", typed.hand, "right or left"));
    if (!typed.rate.empty() && !(truth.rate = parse_rate(typed.rate)))
        wrong.push_back(
            bad_option("--rate", typed.rate, "frames per second, such as 24 or 30000/1001"));
    if (typed.places == "added" || typed.places == "instead")
        truth.places = typed.places == "added" ? BvhPlaces::kAdded : BvhPlaces::kInstead;
    else if (!typed.places.empty())
        wrong.push_back(bad_option("--places", typed.places, "added or instead"));
    if (typed.frames == "declared" || typed.frames == "all")
        truth.frames = typed.frames == "all" ? BvhFrames::kAll : BvhFrames::kDeclared;
    else if (!typed.frames.empty())
        wrong.push_back(bad_option("--frames", typed.frames, "declared or all"));
    if (!wrong.empty()) return wrong;
    return truth;
}

}  // namespace

Result<std::vector<Edit>> typed_keys(const TypedConvention& typed) {
    MELLOW_CHECK(parse(typed));
    std::vector<Edit> out;
    const auto add = [&](const char* key, const std::string& value) {
        double number = 0;
        const char* const end = value.data() + value.size();
        const bool is_number = std::from_chars(value.data(), end, number).ptr == end;
        if (!value.empty()) out.push_back({"source", key, is_number ? value : toml_text(value)});
    };
    add("unit", typed.unit), add("height", typed.height), add("up", typed.up);
    add("front", typed.front), add("hand", typed.hand), add("rate", typed.rate);
    add("places", typed.places), add("frames", typed.frames);
    return out;
}

Result<ReadResult> read_typed(const std::string& file, const TypedConvention& typed) {
    MELLOW_TRY(const TrueConvention truth, parse(typed));
    auto parsed = read_scene(file, limits_for(truth));
    if (!parsed) return in_options(seen_from_here(parsed.failures(), file), typed.of);
    ReadResult read = std::move(parsed).value();
    read.findings = seen_from_here(std::move(read.findings), file);
    if (Status status = overrule(read.scene, truth, read.keys_on_frames); !status) {
        Finding failure = status.failure();
        failure.code = Code::kUsage;
        failure.where = Place::of(fmt::format("--up{0}, --front{0}", typed.of));
        return failure;
    }
    std::erase_if(read.findings, [&](const Finding& f) { return truth.answers(f); });
    read.findings = in_options(std::move(read.findings), typed.of);
    return read;
}

std::optional<ReadResult> read_as(const Common& common, const std::string& file,
                                  const TypedConvention& typed, int& exit) {
    auto read = read_typed(file, typed);
    if (read) return std::move(read).value();
    exit = fail(common, read.failures());
    return {};
}

int timeline_of(const Common& common, const Scene& scene, const std::string& name, int& exit) {
    if (name.empty()) return 0;
    std::vector<std::string> names;
    for (std::size_t i = 0; i < scene.timelines.size(); ++i) {
        names.push_back(scene.timelines[i].name);
        if (names.back() == name) return static_cast<int>(i);
    }
    exit = fail(common, {Code::kNameUnknown, Severity::kStop, "--timeline", "\"" + name + "\"",
                         suggest(name, names), "correct the name"});
    return -1;
}

std::optional<std::map<std::string, std::string>> read_pairs(const Common& common,
                                                             const std::vector<std::string>& texts,
                                                             const char* option, const char* form) {
    std::map<std::string, std::string> pairs;
    for (const std::string& text : texts) {
        const auto sign = text.find('=');
        if (sign == 0 || sign == std::string::npos || sign + 1 == text.size()) {
            (void)misused(common, option, text, form);
            return {};
        }
        pairs[text.substr(0, sign)] = text.substr(sign + 1);
    }
    return pairs;
}

}  // namespace mellow::cli
