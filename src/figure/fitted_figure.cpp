#include "figure/fitted_figure.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "base/at.h"
#include "base/text.h"
#include "figure/cameras.h"
#include "figure/rest_pose.h"
#include "mellow/fit.h"
#include "mellow/node_mask.h"
#include "model/winding.h"

namespace mellow {
namespace {

constexpr std::string_view kInTarget = "in the target";
const Edit kKeepCameras{"", "cameras", "\"keep\""}, kKeepStatics{"", "statics", "\"keep\""};

/// A figure's own scene, which outlives everything that is made of it.
std::shared_ptr<const Scene> borrowed(const Scene& scene) {
    return {std::shared_ptr<const void>{}, &scene};
}

int vertices_of(const Scene& scene) {
    std::size_t count = 0;
    for (const Node& node : scene.nodes)
        if (node.mesh != kNone)
            for (const Primitive& part : scene.meshes[at(node.mesh)].primitives)
                count += part.positions.size();
    return static_cast<int>(count);
}

/// Strips and fans as lists of triangles, vertices and winding as they are.
void no_strips(Scene& scene) {
    for (Mesh& mesh : scene.meshes)
        for (Primitive& part : mesh.primitives) {
            if (part.topology > Topology::kTriangles) make_triangles(part);
        }
}

void note_morphs(const std::vector<MorphChange>& changes, const Scene& scene, const Place& where,
                 Findings& findings) {
    std::vector<std::string> baked, dropped, moving;
    std::set<std::string> keyed;
    for (const Timeline& timeline : scene.timelines) {
        for (const Channel& c : timeline.channels)
            if (c.path == Path::kWeights) keyed.insert(scene.nodes[at(c.node)].name);
        for (const MorphCurve& c : timeline.morphs) keyed.insert(c.mesh);
    }
    for (const MorphChange& c : changes) {
        const bool drop = c.fate == MorphRule::Fate::kDrop;
        (drop ? dropped : baked)
            .push_back(drop ? c.target : fmt::format("{} at {:.3g}", c.target, c.weight));
        if (keyed.contains(c.mesh)) moving.push_back(c.target);
    }
    if (!dropped.empty())
        findings.push_back({Code::kLeftOut, Severity::kWarning, where,
                            fmt::format("morph targets that are dropped, and what they do to the "
                                        "skin with them: {}",
                                        name_list(dropped)),
                            "", "do = \"keep\"   # under [[morphs]] of the target"});
    if (!baked.empty())
        findings.push_back(
            {Code::kLeftOut, moving.empty() ? Severity::kNote : Severity::kWarning, where,
             fmt::format("morph targets that became part of their mesh: {}{}", name_list(baked),
                         moving.empty() ? "" : "; their mesh has keys of weights"),
             "targets that nothing moves", ""});
}

/// Lights are carried by no format here; a target may want none to get lost.
Status no_lights(const Scene& scene, const Target& target) {
    std::vector<std::string> lights;
    for (const Node& node : scene.nodes)
        if (node.light) lights.push_back(node.name);
    if (lights.empty()) return {};
    return Finding{Code::kValueBad,
                   Severity::kStop,
                   target.where,
                   "lights: " + name_list(lights),
                   "a source without lights, as this target asks",
                   "take them out of the source, or lights = \"leave-out\"   # in the target"};
}

}  // namespace

Status FittedFigure::fit(const FigureParts& figure, const Skeleton& rest, const std::string& root,
                         const Target& target, Findings& findings) {
    JointRules rules = target.joints;
    if (rules.where.empty()) rules.where = target.where;
    if (!target.root.empty()) rules.renames.insert(rules.renames.begin(), {root, target.root});
    if (!target.lights) MELLOW_CHECK(no_lights(figure.scene, target));
    if (!target.cameras)
        rules.left_out = camera_joints(figure.scene, figure.skeleton, figure.sources);
    for (const std::string& camera : rules.left_out) without_.push_back(fov_name(camera));
    if (!rules.left_out.empty())
        findings.push_back({Code::kLeftOut,
                            Severity::kNote,
                            target.where,
                            "cameras: " + name_list(rules.left_out),
                            "",
                            edit_lines({kKeepCameras}, kInTarget),
                            {kKeepCameras}});
    MELLOW_TRY(fit_, fit_joints(rest, rules, target.convention));
    bound_ = fit_.skeleton;
    if (target.rest.from != RestRule::From::kSource) {
        rules.places_from_list = false;
        MELLOW_TRY(JointFit bound, fit_joints(figure.skeleton, rules, target.convention));
        bound_ = std::move(bound.skeleton);
    }
    sources_ = fit_sources(figure.sources, fit_);
    note_fit(target, findings);
    note_idle_names(rest, target, findings);
    return {};
}

Result<FittedFigure> FittedFigure::make(const Figure& figure, const Recipe& recipe,
                                        const Target& target, Findings& findings) {
    MELLOW_TRY(const Skeleton rest, resting(figure, recipe, target));
    return make({figure.scene(), figure.skeleton(), figure.sources()}, rest, recipe.root, target,
                findings);
}

Result<FittedFigure> FittedFigure::make(const FigureParts& figure, const Skeleton& rest,
                                        const std::string& root, const Target& target,
                                        Findings& findings) {
    FittedFigure out(figure);
    MELLOW_CHECK(out.fit(figure, rest, root, target, findings));
    auto kept = borrowed(figure.scene);
    const std::vector<int> statics =
        target.statics ? std::vector<int>() : static_meshes(figure.scene);
    if (!target.morphs.empty() || !statics.empty()) {
        auto scene = std::make_shared<Scene>(figure.scene);
        std::vector<std::string> names;
        for (const int n : statics) {
            names.push_back(scene->nodes[at(n)].name);
            scene->nodes[at(n)].mesh = kNone;
        }
        if (!names.empty())
            findings.push_back({Code::kLeftOut,
                                Severity::kNote,
                                target.where,
                                "meshes that are not of the figure: " + name_list(names),
                                "",
                                edit_lines({kKeepStatics}, kInTarget),
                                {kKeepStatics}});
        std::vector<std::string> known;
        for (const Mesh& mesh : scene->meshes)
            known.insert(known.end(), mesh.target_names.begin(), mesh.target_names.end());
        for (const MorphRule& rule : target.morphs)
            if (std::none_of(known.begin(), known.end(), [&](const std::string& name) {
                    return fits_pattern(rule.pattern, name);
                }))
                findings.push_back(
                    {Code::kNoEffect, Severity::kWarning, target.where,
                     fmt::format("[[target.morphs]] match = \"{}\" fits no target", rule.pattern),
                     known.empty() ? "a figure with morph targets" : suggest(rule.pattern, known),
                     "correct match, or take the table out"});
        out.changes_ = apply_morph_rules(*scene, target.morphs);
        note_morphs(out.changes_, figure.scene, target.where, findings);
        if (!out.changes_.empty() || !names.empty()) kept = scene;
    }
    auto simple = std::make_shared<Scene>(*kept);
    if (target.triangulate) no_strips(*simple);
    out.cuts_ = simplify_skins(*simple, out.sources_, target.influences);
    append(findings, out.cuts_.findings);
    out.scene_ = std::move(simple);
    if (!out.cuts_.findings.empty()) out.unsimplified_ = std::move(kept);
    if (const int vertices = vertices_of(*out.scene_);
        target.most_vertices > 0 && vertices > target.most_vertices)
        return Finding{Code::kLimit,
                       Severity::kStop,
                       target.where,
                       fmt::format("{} vertices", vertices),
                       fmt::format("at most {}, most_vertices of the target", target.most_vertices),
                       "drop meshes under [joints], or a coarser figure"};
    if (const int vertices = vertices_of(*out.scene_);
        target.vertices > 0 && vertices != target.vertices)
        return Finding{Code::kLimit,
                       Severity::kStop,
                       target.where,
                       fmt::format("{} vertices", vertices),
                       fmt::format("{}, vertices of the target", target.vertices),
                       "the meshes at the level of detail that the target wants: perhaps they "
                       "are smoothed, or some are missing"};
    return out;
}

/// Names of a target that nothing has, with the nearest that something has.
void FittedFigure::note_idle_names(const Skeleton& rest, const Target& target, Findings& findings) {
    const auto idle = [&](const std::string& what, const std::string& name,
                          const std::vector<std::string>& names) {
        findings.push_back({Code::kNoEffect, Severity::kWarning, target.where,
                            fmt::format("{} \"{}\" fits nothing", what, name),
                            names.empty() ? "a name that something has" : suggest(name, names),
                            "correct the name, or take it out"});
    };
    std::vector<std::string> joints;
    for (const Joint& joint : rest.joints()) joints.push_back(joint.name);
    for (const auto& [from, to] : target.joints.renames)
        if (std::none_of(joints.begin(), joints.end(), [&, from = from](const std::string& name) {
                return fits_pattern(from, name);
            }))
            idle("rename of", from, joints);
}

void FittedFigure::note_fit(const Target& target, Findings& findings) const {
    const auto say = [&](Code code, Severity severity, std::string found, std::string expected,
                         std::string remedy, std::vector<Edit> edits = {}) {
        findings.push_back({code, severity, target.joints.where, std::move(found),
                            std::move(expected), std::move(remedy), std::move(edits)});
    };
    const Edit no_surplus{"", "surplus", "\"stop\""}, none_missing{"", "missing", "\"stop\""};
    if (!fit_.surplus.empty())
        say(Code::kLeftOut, Severity::kWarning,
            fmt::format("joints that the list does not name, and that are dropped: {}",
                        name_list(fit_.surplus)),
            "joints of the list", edit_lines({no_surplus}, kInTarget), {no_surplus});
    if (!fit_.filled.empty())
        say(Code::kMissingJoint, Severity::kWarning,
            fmt::format("joints of the list that the figure does not have, and that rest: {}",
                        name_list(fit_.filled)),
            "joints of the figure", edit_lines({none_missing}, kInTarget), {none_missing});
    if (!fit_.moved.empty())
        say(Code::kSkeletonDiffers, Severity::kWarning,
            "joints that hang elsewhere in the list: " + name_list(fit_.moved),
            "the parents of the figure", "nothing, if this is meant: world motion stays");
    if (!fit_.elsewhere.empty())
        say(Code::kSkeletonDiffers, Severity::kWarning,
            "joints that rest elsewhere in the list: " + name_list(fit_.elsewhere),
            "the places of the list",
            "the figure that the list was made for; or take the places out of the list");
}

std::string FittedFigure::name_of(int figure_joint) const {
    for (std::size_t j = 0; j < fit_.from.size(); ++j)
        if (fit_.from[j] == figure_joint) return fit_.skeleton[static_cast<int>(j)].name;
    return (*figure_)[figure_joint].name;
}

Clip FittedFigure::fitted(Clip clip) const {
    for (MorphTrack& track : clip.morphs) {
        const int node = find_node(*scene_, track.mesh);
        const auto& names = scene_->meshes[at(scene_->nodes[at(node)].mesh)].target_names;
        if (names.size() == track.targets.size()) continue;
        MorphTrack kept{track.mesh, names, {}};
        for (int k = 0; k < clip.samples; ++k)
            for (const std::string& name : names) {
                const auto at_target = static_cast<std::size_t>(
                    std::find(track.targets.begin(), track.targets.end(), name) -
                    track.targets.begin());
                kept.weights.push_back(track.weights[at(k) * track.targets.size() + at_target]);
            }
        track = std::move(kept);
    }
    std::erase_if(clip.morphs, [](const MorphTrack& track) { return track.targets.empty(); });
    std::erase_if(clip.scalars, [&](const ScalarTrack& track) {
        return std::find(without_.begin(), without_.end(), track.name) != without_.end();
    });
    return fit_.same ? clip : fit_clip(clip, *figure_, fit_);
}

Mount FittedFigure::in_figure(const Mount& mount) const {
    Mount out = mount;
    if (mount.joint != kNone) out.joint = fit_.from[at(mount.joint)];
    // On a joint that the list alone has it hangs on nothing of the figure.
    if (out.joint == kNone && mount.joint != kNone) out.node = mount.node;
    return out;
}

Take FittedFigure::take(const Take& figure, const std::vector<Mount>& mounts) const {
    const bool same_mounts =
        std::equal(mounts.begin(), mounts.end(), figure.mounts.begin(), figure.mounts.end(),
                   [](const Mount& a, const Mount& b) { return a.name == b.name; });
    if (fit_.same && changes_.empty() && without_.empty() && same_mounts) return figure;
    FitParts parts;
    parts.mounts = mounts;
    parts.morphs = morph_channels(*scene_);
    parts.without = without_;
    return fit_take(figure, bound_, fit_.from, parts);
}

}  // namespace mellow
