#include "stock_contents.h"

#include <fmt/format.h>

#include <set>

#include "base/text.h"
#include "disk/json_members.h"
#include "figure/source_cues.h"
#include "math/degrees.h"

namespace mellow::cli {
namespace {

std::optional<double> fov_of(const RawJson& camera) {
    JsonMembers json(Bytes(camera.begin(), camera.end()));
    if (json.failed() || !json.has("perspective")) return {};
    JsonMembers perspective = json.object("perspective");
    if (!perspective.has("yfov")) return {};
    return perspective.number("yfov") * kDegrees;
}

}  // namespace

StockContents contents_of(const Scene& scene) {
    StockContents out;
    std::set<int> joints, shown;
    for (const Skin& skin : scene.skins) joints.insert(skin.joints.begin(), skin.joints.end());
    for (const Node& node : scene.nodes) {
        if (node.camera != kNone)
            out.cameras.push_back(
                {node.name, fov_of(scene.cameras[static_cast<std::size_t>(node.camera)])});
        if (node.mesh == kNone) continue;
        const Mesh& mesh = scene.meshes[static_cast<std::size_t>(node.mesh)];
        if (!mesh.target_names.empty() && shown.insert(node.mesh).second)
            out.morphs.push_back({node.name, mesh.target_names});
        int up = node.skin == kNone ? node.parent : kNone;
        while (up != kNone && !joints.contains(up))
            up = scene.nodes[static_cast<std::size_t>(up)].parent;
        if (up != kNone)
            out.props.push_back({node.name, scene.nodes[static_cast<std::size_t>(up)].name});
    }
    Findings none;  // what is wrong with cues is said where they are packed
    for (SourceCue& cue : source_cues(scene, "", none))
        out.cues.push_back({std::move(cue.cue), std::move(cue.timeline)});
    return out;
}

std::string contents_text(const StockContents& contents) {
    std::string text;
    const auto line = [&](const char* label, const std::vector<std::string>& words) {
        if (!words.empty()) text += fmt::format("{:<12}{}\n", label, name_list(words));
    };
    for (const auto& morphs : contents.morphs)
        text += fmt::format("morphs      \"{}\": {}\n", morphs.mesh, name_list(morphs.targets));
    std::vector<std::string> cameras, props, cues;
    for (const auto& camera : contents.cameras)
        cameras.push_back(camera.fov_degrees
                              ? fmt::format("{} ({:.4g} degrees)", camera.name, *camera.fov_degrees)
                              : camera.name + " (orthographic)");
    for (const auto& prop : contents.props) props.push_back(prop.mesh + " on " + prop.on);
    for (const auto& at : contents.cues)
        cues.push_back(
            fmt::format("{} at {:.4g} s of \"{}\"", at.cue.name, at.cue.first, at.timeline));
    line("cameras", cameras);
    line("props", props);
    line("cues", cues);
    return text;
}

void write_contents(JsonWriter& json, const StockContents& contents) {
    json.list("morphs", contents.morphs, [&](const StockContents::Morphs& morphs) {
        json.begin_object().member("mesh", morphs.mesh).list("targets", morphs.targets);
        json.end_object();
    });
    json.list("cameras", contents.cameras, [&](const StockContents::Camera& camera) {
        json.begin_object().member("name", camera.name);
        if (camera.fov_degrees) json.member("fov_degrees", *camera.fov_degrees);
        json.end_object();
    });
    json.list("props", contents.props, [&](const StockContents::Prop& prop) {
        json.begin_object().member("mesh", prop.mesh).member("joint", prop.on).end_object();
    });
    json.list("cues", contents.cues, [&](const StockContents::CueAt& at) {
        json.begin_object().member("name", at.cue.name).member("timeline", at.timeline);
        json.member("first_second", at.cue.first).member("last_second", at.cue.last);
        json.text_member("joint", at.cue.joint).end_object();
    });
}

}  // namespace mellow::cli
