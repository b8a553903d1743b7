// Animations of a glTF file (glTF 2.0, 3.11 and appendix C).
#include <set>

#include "base/text.h"
#include "read/gltf_document.h"

namespace mellow {
namespace {

bool parse_path(const std::string& text, Path& path) {
    for (const Path p : {Path::kTranslation, Path::kRotation, Path::kScale, Path::kWeights})
        if (name(p) == text) {
            path = p;
            return true;
        }
    return false;
}

/// 115 days: frames at any rate are then exact whole numbers.
constexpr double kLongest_s = 1e7;

void read_times(GltfDocument& doc, JsonObject sampler, const std::string& path, Curve& curve) {
    const int input = doc.index(sampler, "input", doc.accessors().size(), path);
    curve.times = doc.read(input, 1, path + ".input");
    for (std::size_t k = 0; k < curve.times.size(); ++k)
        if (curve.times[k] < 0 || curve.times[k] > kLongest_s ||
            (k > 0 && curve.times[k] <= curve.times[k - 1]))
            return doc.fail(Code::kGltfBroken, path + ".input",
                            fmt::format("key {} at {} s after {} s", k, curve.times[k],
                                        k > 0 ? curve.times[k - 1] : 0.0),
                            "ascending times from 0 to 10 000 000 s");
}

void read_values(GltfDocument& doc, JsonObject sampler, const std::string& path, Path target,
                 Curve& curve) {
    const std::string kind = doc.text(sampler, "interpolation", path);
    if (kind == "STEP")
        curve.interpolation = Interpolation::kStep;
    else if (kind == "CUBICSPLINE")
        curve.interpolation = Interpolation::kCubicSpline;
    else if (!kind.empty() && kind != "LINEAR")
        return doc.fail(Code::kGltfBroken, path + ".interpolation", kind,
                        "LINEAR, STEP or CUBICSPLINE");
    const int output = doc.index(sampler, "output", doc.accessors().size(), path);
    const int width = target == Path::kWeights ? 1 : target == Path::kRotation ? 4 : 3;
    curve.values = doc.read(output, width, path + ".output");
    const std::size_t groups = curve.interpolation == Interpolation::kCubicSpline ? 3 : 1;
    if (curve.values.size() != curve.times.size() * static_cast<std::size_t>(curve.width) * groups)
        doc.fail(Code::kGltfBroken, path + ".output",
                 fmt::format("{} numbers for {} keys", curve.values.size(), curve.times.size()),
                 fmt::format("{} per key", static_cast<std::size_t>(curve.width) * groups));
}

void read_channel(GltfDocument& doc, JsonObject json, const std::vector<JsonObject>& samplers,
                  const std::string& base, std::size_t i, const Scene& scene, Timeline& timeline) {
    const std::string path = fmt::format("{}.channels[{}]", base, i);
    const auto target = doc.object(json, "target", path);
    if (!target) return doc.fail(Code::kGltfBroken, path, "no target", "a target");
    Channel channel;
    channel.node = doc.index(*target, "node", scene.nodes.size(), path + ".target");
    const std::string kind = doc.text(*target, "path", path + ".target");
    if (doc.failed()) return;
    if (channel.node == kNone || kind == "pointer") {
        doc.note({Code::kLeftOut, Severity::kWarning, doc.where(path),
                  "a channel that moves no node", "channels with a node",
                  "bake it to a node in the source if it matters"});
        return;
    }
    if (!parse_path(kind, channel.path))
        return doc.fail(Code::kGltfBroken, path + ".target.path", kind,
                        "translation, rotation, scale or weights");
    const int sampler = doc.index(json, "sampler", samplers.size(), path);
    if (sampler == kNone) return doc.fail(Code::kGltfBroken, path, "no sampler", "a sampler index");
    const std::string at = fmt::format("{}.samplers[{}]", base, sampler);
    const int targets = morph_count(scene, channel.node);
    channel.curve.width = channel.path == Path::kWeights    ? targets
                          : channel.path == Path::kRotation ? 4
                                                            : 3;
    if (channel.curve.width == 0)
        return doc.fail(Code::kGltfBroken, path, "weights for a node without morph targets",
                        "a node with morph targets");
    read_times(doc, samplers[static_cast<std::size_t>(sampler)], at, channel.curve);
    if (!doc.failed())
        read_values(doc, samplers[static_cast<std::size_t>(sampler)], at, channel.path,
                    channel.curve);
    if (!doc.failed()) timeline.channels.push_back(std::move(channel));
}

/// Morph weights of meshes in another file, kept in the extras (docs/crate.md).
void read_morphs(GltfDocument& doc, JsonObject animation, const std::vector<JsonObject>& samplers,
                 const std::string& base, Timeline& timeline) {
    simdjson::dom::array probe;
    if (animation["extras"]["morph_weights"].get(probe)) return;
    const auto extras = doc.object(animation, "extras", base);
    timeline.extras.clear();  // the rest of the extras, so that writing does not repeat the weights
    for (const auto [key, value] : *extras)
        if (key != "morph_weights")
            timeline.extras += fmt::format("{}{}:{}", timeline.extras.empty() ? "{" : ",",
                                           json_quoted(key), simdjson::minify(value));
    if (!timeline.extras.empty()) timeline.extras += "}";
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
        const std::string at = fmt::format("{}.samplers[{}]", base, sampler);
        read_times(doc, samplers[static_cast<std::size_t>(sampler)], at, morph.curve);
        if (!doc.failed())
            read_values(doc, samplers[static_cast<std::size_t>(sampler)], at, Path::kWeights,
                        morph.curve);
        timeline.morphs.push_back(std::move(morph));
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
        for (std::size_t c = 0; c < channels.size() && !doc.failed(); ++c)
            read_channel(doc, channels[c], samplers, path, c, scene, timeline);
        if (!doc.failed()) read_morphs(doc, list[a], samplers, path, timeline);
        std::set<std::pair<int, Path>> seen;
        for (const Channel& channel : timeline.channels)
            if (!seen.emplace(channel.node, channel.path).second)
                doc.fail(Code::kGltfBroken, path,
                         fmt::format("two channels for the {} of node {}", name(channel.path),
                                     channel.node),
                         "one channel each");
        if (timeline.channels.empty() && timeline.morphs.empty())
            doc.note({Code::kLeftOut, Severity::kWarning, doc.where(path),
                      "an animation that moves nothing here", "channels for nodes of this file",
                      "nothing, if it is not needed"});
        else
            scene.timelines.push_back(std::move(timeline));
    }
}

}  // namespace mellow
