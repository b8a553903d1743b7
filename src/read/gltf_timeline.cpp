// Animations of a glTF file (glTF 2.0, 3.11 and appendix C).
#include <algorithm>
#include <cmath>
#include <utility>

#include "base/json_writer.h"
#include "mellow/parallel.h"
#include "mellow/quat.h"
#include "read/gltf_document.h"

namespace mellow {
namespace {

bool parse_path(std::string_view text, Path& path) {
    if (is_key(text, "translation"))
        path = Path::kTranslation;
    else if (is_key(text, "rotation"))
        path = Path::kRotation;
    else if (is_key(text, "scale"))
        path = Path::kScale;
    else if (is_key(text, "weights"))
        path = Path::kWeights;
    else
        return false;
    return true;
}

void read_curve(GltfDocument& doc, JsonObject sampler, const JsonPath& path, Path target,
                Curve& curve) {
    int input = kNone, output = kNone;
    std::string_view kind;
    for (const auto field : sampler) {
        if (is_key(field.key, "input"))
            input = doc.index(sampler, "input", doc.accessors().size(), path);
        else if (is_key(field.key, "output"))
            output = doc.index(sampler, "output", doc.accessors().size(), path);
        else if (is_key(field.key, "interpolation") && field.value.get(kind))
            (void)doc.text(sampler, "interpolation", path);  // says what is wrong
    }
    if (doc.failed()) return;
    curve.times = doc.read_times(input, path);
    if (doc.failed()) return;
    doc.keys += curve.times.size();
    if (doc.keys > doc.limits().keys)
        return doc.fail(Code::kLimit, path, fmt::format("{} keys so far", doc.keys),
                        fmt::format("at most {}", doc.limits().keys));
    if (kind == "STEP")
        curve.interpolation = Interpolation::kStep;
    else if (kind == "CUBICSPLINE")
        curve.interpolation = Interpolation::kCubicSpline;
    else if (!kind.empty() && kind != "LINEAR")
        return doc.fail(Code::kGltfBroken, path.str() + ".interpolation", std::string(kind),
                        "LINEAR, STEP or CUBICSPLINE");
    const int width = target == Path::kWeights ? 1 : target == Path::kRotation ? 4 : 3;
    curve.values = doc.read_values(output, width, path);
    const std::size_t groups = curve.interpolation == Interpolation::kCubicSpline ? 3 : 1;
    if (curve.values.size() != curve.times.size() * static_cast<std::size_t>(curve.width) * groups)
        doc.fail(Code::kGltfBroken, path.str() + ".output",
                 fmt::format("{} numbers for {} keys", curve.values.size(), curve.times.size()),
                 fmt::format("{} per key", static_cast<std::size_t>(curve.width) * groups));
}

/// Nearly all channels have a sampler, a node and a path: one look at each. False for all others.
bool read_plain(JsonObject json, std::size_t nodes, std::size_t samplers, Channel& channel,
                int& sampler) {
    std::int64_t node = -1, index = -1;
    bool plain = true, known = false;
    for (const auto field : json) {
        JsonObject target;
        if (is_key(field.key, "sampler")) {
            plain = plain && !field.value.get(index);
        } else if (is_key(field.key, "target") && !field.value.get(target)) {
            for (const auto part : target) {
                std::string_view path;
                if (is_key(part.key, "node"))
                    plain = plain && !part.value.get(node);
                else if (is_key(part.key, "path"))
                    known = !part.value.get(path) && parse_path(path, channel.path);
                else
                    plain = false;
            }
        } else {
            plain = false;
        }
    }
    if (!plain || !known || node < 0 || node >= static_cast<std::int64_t>(nodes) || index < 0 ||
        index >= static_cast<std::int64_t>(samplers))
        return false;
    channel.node = static_cast<int>(node);
    sampler = static_cast<int>(index);
    return true;
}

void read_channel(GltfDocument& doc, JsonObject json, const std::vector<JsonObject>& samplers,
                  const std::string& base, std::size_t i, const Scene& scene, Timeline& timeline) {
    const JsonPath path(base, JsonPath::kNoIndex, "channels", i);
    Channel channel;
    int sampler = kNone;
    if (!read_plain(json, scene.nodes.size(), samplers.size(), channel, sampler)) {
        const auto target = doc.object(json, "target", path);
        if (!target) return doc.fail(Code::kGltfBroken, path, "no target", "a target");
        channel.node = doc.index(*target, "node", scene.nodes.size(), path);
        const std::string kind = doc.text(*target, "path", path);
        if (doc.failed()) return;
        if (channel.node == kNone || kind == "pointer") {
            doc.note({Code::kLeftOut, Severity::kWarning, doc.where(path),
                      "a channel that moves no node", "channels with a node",
                      "bake it to a node in the source if it matters"});
            return;
        }
        if (!parse_path(kind, channel.path))
            return doc.fail(Code::kGltfBroken, path.str() + ".target.path", kind,
                            "translation, rotation, scale or weights");
        sampler = doc.index(json, "sampler", samplers.size(), path);
        if (sampler == kNone)
            return doc.fail(Code::kGltfBroken, path, "no sampler", "a sampler index");
    }
    const int targets = channel.path == Path::kWeights ? morph_count(scene, channel.node) : 0;
    channel.curve.width = channel.path == Path::kWeights    ? targets
                          : channel.path == Path::kRotation ? 4
                                                            : 3;
    if (channel.curve.width == 0)
        return doc.fail(Code::kGltfBroken, path, "weights for a node without morph targets",
                        "a node with morph targets");
    const auto s = static_cast<std::size_t>(sampler);
    read_curve(doc, samplers[s], JsonPath(base, JsonPath::kNoIndex, "samplers", s), channel.path,
               channel.curve);
    if (!doc.failed()) timeline.channels.push_back(std::move(channel));
}

/// Keys of a rotation as unit quaternions, as the specification asks (glTF 2.0, 3.11): rounding to
/// bytes and shorts leaves them up to one part in a hundred long or short, and slerp() of such keys
/// turns wrongly between them. Splines keep what they say: they are made unit once evaluated.
struct UnitKeys {
    double worst = 0;     ///< largest |length - 1|
    double length = 1;    ///< there
    std::size_t key = 0;  ///< of the worst
};

template <class Number>
UnitKeys measure_keys(std::span<const Number> values, std::size_t stride, std::size_t first) {
    UnitKeys out;
    for (std::size_t i = first, k = 0; i + 4 <= values.size(); i += stride, ++k) {
        double square = 0;
        for (std::size_t c = i; c < i + 4; ++c)
            square += static_cast<double>(values[c]) * static_cast<double>(values[c]);
        if (const double off = std::abs(std::sqrt(square) - 1); off > out.worst)
            out = {off, std::sqrt(square), k};
    }
    return out;
}

UnitKeys make_unit(Curve& curve) {
    const bool cubic = curve.interpolation == Interpolation::kCubicSpline;
    const std::size_t stride = cubic ? 12 : 4, first = cubic ? 4 : 0;
    const auto singles = curve.values.singles();
    const UnitKeys found = singles.empty() ? measure_keys(curve.values.doubles(), stride, first)
                                           : measure_keys(singles, stride, first);
    constexpr double kSinglePrecision = 1e-6;
    if (cubic || found.worst <= kSinglePrecision) return found;
    std::vector<double>& values = curve.values.edit();
    for (std::size_t i = 0; i + 4 <= values.size(); i += 4) {
        const Quat q = normalized(Quat{values[i], values[i + 1], values[i + 2], values[i + 3]});
        values[i] = q.x, values[i + 1] = q.y, values[i + 2] = q.z, values[i + 3] = q.w;
    }
    return found;
}

void make_rotations_unit(GltfDocument& doc, std::size_t animation, Timeline& timeline) {
    std::vector<UnitKeys> found(timeline.channels.size());
    constexpr std::size_t kRun = 256;
    parallel_for((found.size() + kRun - 1) / kRun, [&](std::size_t run) {
        for (std::size_t c = run * kRun; c < std::min(found.size(), (run + 1) * kRun); ++c)
            if (timeline.channels[c].path == Path::kRotation)
                found[c] = make_unit(timeline.channels[c].curve);
    });
    constexpr double kSaid = 0.01, kUseless = 0.9;
    std::size_t off = 0, worst = 0;
    for (std::size_t c = 0; c < found.size(); ++c) {
        off += found[c].worst > kSaid ? 1 : 0;
        if (found[c].worst > found[worst].worst) worst = c;
    }
    if (off == 0) return;
    const std::string path = fmt::format("animations[{}]", animation);
    const std::string key = fmt::format("key {} of node {} has length {:.3g}", found[worst].key,
                                        timeline.channels[worst].node, found[worst].length);
    if (found[worst].worst > kUseless)
        return doc.fail(Code::kNumberBad, path, "rotations that are none: " + key,
                        "unit quaternions");
    doc.note(
        {Code::kNumberBad, Severity::kWarning, doc.where(path),
         fmt::format("{} rotation channels with keys that are not of unit length; {}", off, key),
         "unit quaternions within 1 %",
         "they were made unit; write the file again if it turns wrongly"});
}

/// Morph weights of meshes in another file, and scalar channels, kept in the extras
/// (docs/crate.md).
void read_extras(GltfDocument& doc, JsonObject animation, const std::vector<JsonObject>& samplers,
                 const std::string& base, Timeline& timeline) {
    simdjson::dom::array probe;
    const auto has = [&](const char* key) { return !animation["extras"][key].get(probe); };
    if (!has("morph_weights") && !has("scalars")) return;
    const auto extras = doc.object(animation, "extras", base);
    JsonWriter rest;  // the rest of the extras, so that writing does not repeat these
    rest.begin_object();
    for (const auto [key, value] : *extras)
        if (key != "morph_weights" && key != "scalars")
            rest.raw_member(key, simdjson::minify(value));
    rest.end_object();
    timeline.extras = rest.text() == "{}" ? RawJson() : rest.take_text();
    const auto list = doc.objects(*extras, "morph_weights", base + ".extras");
    for (std::size_t i = 0; i < list.size() && !doc.failed(); ++i) {
        const std::string path = fmt::format("{}.extras.morph_weights[{}]", base, i);
        MorphCurve morph;
        morph.mesh = doc.text(list[i], "mesh", path);
        simdjson::dom::array targets;
        if (!list[i]["targets"].get(targets))
            for (const auto target : targets)
                if (std::string_view text; !target.get(text)) morph.targets.emplace_back(text);
        const int sampler = doc.index(list[i], "sampler", samplers.size(), path);
        if (sampler == kNone || morph.targets.empty())
            return doc.fail(Code::kGltfBroken, path, "no sampler or no targets", "both");
        morph.curve.width = static_cast<int>(morph.targets.size());
        const auto at = static_cast<std::size_t>(sampler);
        read_curve(doc, samplers[at], JsonPath(base, JsonPath::kNoIndex, "samplers", at),
                   Path::kWeights, morph.curve);
        timeline.morphs.push_back(std::move(morph));
    }
    const auto scalars = doc.objects(*extras, "scalars", base + ".extras");
    for (std::size_t i = 0; i < scalars.size() && !doc.failed(); ++i) {
        const std::string path = fmt::format("{}.extras.scalars[{}]", base, i);
        ScalarCurve scalar;
        scalar.name = doc.text(scalars[i], "name", path);
        scalar.unit = doc.text(scalars[i], "unit", path);
        const int sampler = doc.index(scalars[i], "sampler", samplers.size(), path);
        if (sampler == kNone)
            return doc.fail(Code::kGltfBroken, path, "no sampler", "a sampler index");
        scalar.curve.width = 1;
        const auto at = static_cast<std::size_t>(sampler);
        read_curve(doc, samplers[at], JsonPath(base, JsonPath::kNoIndex, "samplers", at),
                   Path::kWeights, scalar.curve);
        timeline.scalars.push_back(std::move(scalar));
    }
}

}  // namespace

void read_gltf_timelines(GltfDocument& doc, Scene& scene) {
    const auto list = doc.objects(doc.root(), "animations", "");
    for (std::size_t a = 0; a < list.size() && !doc.failed(); ++a) {
        const std::string path = fmt::format("animations[{}]", a);
        Timeline timeline;
        timeline.name = doc.text(list[a], "name", path);
        timeline.extras = doc.raw(list[a], "extras");
        timeline.extensions = doc.raw(list[a], "extensions");
        const auto samplers = doc.objects(list[a], "samplers", path);
        const auto channels = doc.objects(list[a], "channels", path);
        timeline.channels.reserve(channels.size());
        for (std::size_t c = 0; c < channels.size() && !doc.failed(); ++c)
            read_channel(doc, channels[c], samplers, path, c, scene, timeline);
        if (!doc.failed()) read_extras(doc, list[a], samplers, path, timeline);
        std::vector<std::uint8_t> seen(scene.nodes.size());
        for (const Channel& channel : timeline.channels)
            if (const auto bit =
                    static_cast<std::uint8_t>(1U << static_cast<unsigned>(channel.path));
                (std::exchange(seen[static_cast<std::size_t>(channel.node)],
                               seen[static_cast<std::size_t>(channel.node)] | bit) &
                 bit) != 0)
                doc.fail(Code::kGltfBroken, path,
                         fmt::format("two channels for the {} of node {}", name(channel.path),
                                     channel.node),
                         "one channel each");
        if (!doc.failed()) make_rotations_unit(doc, a, timeline);
        if (timeline.channels.empty() && timeline.morphs.empty() && timeline.scalars.empty())
            doc.note({Code::kLeftOut, Severity::kWarning, doc.where(path),
                      "an animation that moves nothing here", "channels for nodes of this file",
                      "nothing, if it is not needed"});
        else
            scene.timelines.push_back(std::move(timeline));
    }
}

}  // namespace mellow
