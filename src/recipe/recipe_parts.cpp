#include "recipe/recipe_parts.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/text.h"
#include "rig/sheet_words.h"

namespace mellow {
namespace {

/// `weight` as a number, or `weights` as keys over frames.
double read_weight(TomlTable& t, ValueCurve& curve) {
    if (t.has("weights")) curve = read_curve(t, "weights", "frames");
    t.needs("shape", "weights");
    return t.number("weight", 1);
}

Vec3 read_vector(TomlTable& t, std::string_view key) {
    if (!t.has(key)) return {};
    const std::vector<double> v = t.numbers(key);
    if (v.size() == 3) return {v[0], v[1], v[2]};
    t.fail(Code::kValueBad, key, fmt::format("{} numbers", v.size()), "three numbers, [X, Y, Z]");
    return {};
}

void read_frames(TomlTable& t, double& first, double& last) {
    const std::vector<double> range = t.numbers("range");
    if (range.size() == 2 && range[0] <= range[1])
        first = range[0], last = range[1];
    else
        t.fail(Code::kValueBad, "range", fmt::format("[{}]", fmt::join(range, ", ")),
               "two frames, [first, last], both inclusive");
}

ShakeLayer read_shake(TomlTable& t) {
    ShakeLayer layer;
    layer.degrees = read_vector(t, "degrees");
    layer.offset = read_vector(t, "shift");
    layer.frequency = read_within(t, "frequency", {}, 1e-3, 1e3);
    if (!t.has("seeds")) return layer;
    const std::vector<double> seeds = t.numbers("seeds");
    for (std::size_t i = 0; i < 3 && seeds.size() == 3; ++i) {
        layer.seeds[i] = static_cast<std::uint32_t>(std::clamp(seeds[i], 0.0, 4294967295.0));
        if (layer.seeds[i] != seeds[i])
            t.fail(Code::kValueBad, "seeds", fmt::format("{}", seeds[i]),
                   "whole numbers from 0 to 4294967295");
    }
    if (seeds.size() != 3)
        t.fail(Code::kValueBad, "seeds", fmt::format("{} numbers", seeds.size()),
               "three, for X, Y and Z");
    return layer;
}

OffsetLayer read_offset(TomlTable& t) {
    OffsetLayer layer;
    layer.degrees = t.number("degrees", 0);
    t.knows({"axis"});
    if (layer.degrees != 0) layer.axis = read_axis(t, "axis");
    layer.world_axis = t.choice("space", {"own", "world"}, "own") == "world";
    layer.shift = read_vector(t, "shift");
    if (layer.degrees == 0 && length(layer.shift) == 0 && !t.failed({"degrees", "shift"}))
        t.fail(Code::kKeyMissing, "", "an offset of nothing", "degrees with axis, or shift",
               "add: axis = \"+Y\" and degrees = 20");
    return layer;
}

}  // namespace

void Sets::read(TomlTable& top) {
    const auto tables = top.tables("set");
    for (std::size_t i = 0; i < tables.size(); ++i) {
        TomlTable t = top.within(*tables[i], fmt::format("set {}", i + 1));
        const std::string name = t.text("name");
        sets_[name] = t.texts("nodes", {});
        t.close();
        names_.push_back(name);
    }
}

NodeMask Sets::mask(TomlTable& t, std::string_view key) const {
    constexpr std::string_view kSet = "set:";
    std::vector<std::string> all;
    for (const std::string& text : t.texts(key, {})) {
        if (!text.starts_with(kSet)) {
            all.push_back(text);
            continue;
        }
        const auto found = sets_.find(text.substr(kSet.size()));
        if (found == sets_.end())
            t.fail(Code::kNameUnknown, key, "\"" + text + "\"",
                   names_.empty() ? "a [[set]] of that name"
                                  : suggest(text.substr(kSet.size()), names_));
        else
            all.insert(all.end(), found->second.begin(), found->second.end()),
                used_.insert(found->first);
    }
    NodeMask mask = parse_mask(all);
    mask.where = t.where(key);
    return mask;
}

void Sets::note_unused(TomlTable& top) const {
    for (const std::string& name : names_)
        if (!used_.contains(name))
            top.idle("set", fmt::format("nothing names the set \"{}\"", name),
                     fmt::format("\"set:{}\" where it is meant, or take it out", name));
}

RecipeLayer read_layer(TomlTable& t, const Sets& sets) {
    RecipeLayer out;
    Layer& layer = out.layer;
    layer.where = t.where("");
    out.text = t.canonical();
    const std::string kind = t.choice("kind", {"offset", "replace", "shake", "smooth"});
    layer.mask = sets.mask(t, "nodes");
    if (layer.mask.empty() && !t.failed({"nodes"}))
        t.fail(Code::kKeyMissing, "", "no nodes", "the nodes it changes", "add: nodes = [\"...\"]");
    out.clips = t.texts("clips", {});
    if (kind == "offset") layer.body = read_offset(t);
    if (kind == "shake") layer.body = read_shake(t);
    if (kind == "replace") {
        ReplaceLayer replace;
        if (t.has("frame")) {
            out.timeline = t.text("timeline", "");
            replace.frame = t.number("frame");
        }
        layer.body = replace;
    }
    if (kind == "smooth") {
        SmoothLayer smooth;
        read_frames(t, smooth.first, smooth.last);
        layer.body = smooth;
    } else {
        layer.constant_weight = read_weight(t, layer.weight);
    }
    t.close();
    return out;
}

RecipeArrangement read_arrangement(TomlTable& t) {
    RecipeArrangement out;
    out.arrangement.name = t.text("name");
    out.text = t.canonical();
    out.arrangement.blend = t.choice("blend_shape", {"smooth", "linear"}, "smooth") == "smooth"
                                ? CurveShape::kSmooth
                                : CurveShape::kLinear;
    out.arrangement.gaps_rest = t.choice("gaps", {"hold", "rest"}, "hold") == "rest";
    for (const toml::table* inner : t.tables("block")) {
        TomlTable b = t.inner(*inner, fmt::format("block {}", out.arrangement.blocks.size() + 1));
        Block block;
        block.where = b.where("");
        out.timelines.push_back(b.text("timeline", ""));
        read_frames(b, block.first, block.last);
        block.start = b.number("start");
        block.speed = read_within(b, "speed", 1, 0.01, 100);
        block.repeats = static_cast<int>(read_within(b, "repeats", 1, 1, 10000));
        const double weight = read_weight(b, block.weight);
        if (block.weight.points.empty() && weight != 1)
            block.weight.points = {{block.start, weight}, {block.end(), weight}};
        block.onward = b.texts("onward", {});
        b.close();
        if (!out.arrangement.blocks.empty() && block.start < out.arrangement.blocks.back().start)
            t.fail(
                Code::kValueBad, "block",
                fmt::format("start {} after {}", block.start, out.arrangement.blocks.back().start),
                "blocks in the order they start");
        out.arrangement.blocks.push_back(std::move(block));
    }
    if (out.arrangement.blocks.empty())
        t.fail(Code::kKeyMissing, "", "no [[arrangement.block]]", "at least one block",
               "add: [[arrangement.block]] with range = [first, last] and start = 0");
    t.close();
    return out;
}

std::vector<Rename> read_rename_keys(TomlTable& t) {
    std::vector<Rename> renames;
    for (const std::string& from : t.keys()) {
        const std::string to = t.text(from);
        const auto stars = [](const std::string& text) {
            return std::count(text.begin(), text.end(), '*');
        };
        if (stars(from) > 1 || stars(from) != stars(to))
            t.fail(Code::kValueBad, from, fmt::format("\"{}\" = \"{}\"", from, to),
                   "whole names, or one * on both sides, which stands for the same letters");
        renames.emplace_back(from, to);
    }
    // Whole names come before patterns, long patterns before short ones.
    std::stable_sort(renames.begin(), renames.end(), [](const Rename& a, const Rename& b) {
        const bool pattern_a = a.first.find('*') != std::string::npos,
                   pattern_b = b.first.find('*') != std::string::npos;
        if (pattern_a != pattern_b) return pattern_b;
        return a.first.size() > b.first.size();
    });
    return renames;
}

}  // namespace mellow
