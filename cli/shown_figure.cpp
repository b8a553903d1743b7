#include "shown_figure.h"

#include <fmt/format.h>

#include <filesystem>

#include "base/text.h"
#include "mellow/crate.h"
#include "mellow/recipe.h"
#include "mellow/stock.h"

namespace mellow::cli {
namespace {

namespace fs = std::filesystem;

/// Each timeline of a scene as a motion of its own, without vertices.
void split(const Scene& scene, Shown& out) {
    Scene bare = scene;
    for (Mesh& mesh : bare.meshes) mesh.primitives.clear();
    for (Node& node : bare.nodes) node.skin = kNone;
    bare.skins.clear(), bare.images.clear(), bare.materials.clear();
    std::vector<Timeline> timelines = std::move(bare.timelines);
    if (timelines.empty()) timelines.emplace_back();
    for (Timeline& timeline : timelines) {
        const auto [first, last] = frames_of(timeline, scene.rate);
        Scene& motion = out.motions.emplace_back(bare);
        motion.timelines = {std::move(timeline)};
        SheetClip clip;
        clip.samples = static_cast<int>(last - first) + 1;
        clip.rate = scene.rate;
        clip.begin = scene.rate.seconds(first);
        clip.frames = true;
        clip.first_frame = static_cast<double>(first);
        const std::string& name = motion.timelines[0].name;
        clip.lines = {name.empty() ? "at rest" : name};
        clip.lines.push_back(clip.samples == 1
                                 ? "a single pose"
                                 : fmt::format("frames {} to {}, {:.3f} s", first, last,
                                               scene.rate.seconds(last - first)));
        if (clip.samples > 1) clip.lines.push_back(to_text(scene.rate) + " per second");
        out.clips.push_back(std::move(clip));
    }
}

}  // namespace

Result<std::string> packed_by(const std::string& recipe_file) {
    MELLOW_TRY(const Recipe recipe, read_recipe(recipe_file));
    const fs::path folder =
        recipe.targets.size() > 1 ? recipe.output / recipe.target().name : recipe.output;
    if (is_crate(folder)) return folder.string();
    return Finding{Code::kFileMissing,
                   Severity::kStop,
                   Place::in(recipe_file),
                   "its crate is not there: " + folder.string(),
                   "a recipe that has been packed",
                   "mellow pack " + shell_word(recipe_file)};
}

Result<Shown> read_shown(const ViewRequest& request, const std::string& given) {
    Shown out;
    std::string input = given;
    if (given.ends_with(".toml")) {
        MELLOW_TRY(input, packed_by(given));
    }
    if (is_crate(input)) {
        MELLOW_TRY(Crate crate, open_crate(input));
        out.name = fs::path(input).lexically_normal().filename().string();
        if (out.name.empty()) out.name = crate.name;
        out.axes = crate.convention;
        out.clips = sheet_clips(crate);
        out.skin = std::move(crate.skin);
        out.motions = std::move(crate.motions);
    } else {
        MELLOW_TRY(ReadResult read, read_typed(input, request.truth));
        out.findings = std::move(read.findings);
        out.name = fs::path(input).stem().string();
        Scene& scene = read.scene;
        for (Finding& finding : take_stock(scene).findings)
            if (finding.code == Code::kUnbaked) out.findings.push_back(std::move(finding));
        out.axes = scene.convention;
        compose_stacks(scene);
        to_inside(scene);
        split(scene, out);
        out.skin = std::move(scene);
        out.skin.timelines.clear();
    }
    for (std::size_t i = 0; i < out.clips.size(); ++i) out.clips[i].scene = &out.motions[i];
    return out;
}

}  // namespace mellow::cli
