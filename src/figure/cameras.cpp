#include "figure/cameras.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "base/at.h"
#include "disk/json_members.h"
#include "math/degrees.h"
#include "mellow/fit.h"
#include "mellow/node_mask.h"

namespace mellow {
namespace {

/// What a camera of a file says: vertical field of view in degrees and aspect; 0 where it does not.
struct Lens {
    double fov = 0, aspect = 0;
};
Lens lens_of(const RawJson& camera) {
    JsonMembers json(Bytes(camera.begin(), camera.end()));
    if (json.failed() || !json.has("perspective")) return {};
    JsonMembers perspective = json.object("perspective");
    const auto number = [&](const char* key) {
        return perspective.has(key) ? perspective.number(key) : 0.0;
    };
    return {number("yfov") * kDegrees, number("aspectRatio")};
}

/// The field of view across from the one along, both in degrees.
double other_fov(double degrees, double factor) {
    return 2 * std::atan(std::tan(degrees / kDegrees / 2) * factor) * kDegrees;
}

Finding no_aspect(const RecipeCamera& wanted, const std::string& name) {
    return {Code::kKeyMissing,
            Severity::kStop,
            wanted.where,
            fmt::format("camera \"{}\" does not say how wide its picture is", name),
            "the aspect, to tell vertical from horizontal",
            "aspect = 1.7778"};
}

/// The sheet's scalar, taken through the change of direction by a curve with a point per degree and
/// the exact slope at each.
Status add_keyed(const RecipeCamera& wanted, Scalar& fov, double factor, RigSheet& sheet) {
    if (std::none_of(sheet.scalars.begin(), sheet.scalars.end(),
                     [&](const Scalar& s) { return s.name == wanted.scalar; }))
        return Finding{Code::kNameUnknown,
                       Severity::kStop,
                       wanted.where,
                       fmt::format("no scalar \"{}\" in the rig sheet", wanted.scalar),
                       "a [[scalar]] of that name",
                       "correct the name"};
    DriveRule drive;
    drive.to = DriveRule::To::kScalar;
    drive.node = fov.name;
    DriveInput input;
    input.of = DriveInput::Of::kScalar;
    input.node = wanted.scalar;
    input.curve.shape = CurveShape::kSlopes;
    for (int d = 0; d < 180; ++d) {
        const double t = std::tan(d / kDegrees / 2) * factor;
        const double slope = factor * (1 + t * t / (factor * factor)) / (1 + t * t);
        input.curve.points.push_back({static_cast<double>(d), other_fov(d, factor), slope});
    }
    drive.inputs.push_back(std::move(input));
    sheet.rules.push_back({wanted.where, std::move(drive)});
    return {};
}

Status prepare(const RecipeCamera& wanted, const Conversion& in, int node, Scene& scene,
               RigSheet& sheet, const std::string& name) {
    const Lens lens = lens_of(scene.cameras[at(scene.nodes[at(node)].camera)]);
    const double aspect = wanted.aspect > 0 ? wanted.aspect : lens.aspect;
    const bool from_horizontal = !wanted.scalar.empty() && wanted.scalar_horizontal;
    const bool crosses = wanted.horizontal != from_horizontal;
    if (crosses && aspect <= 0) return no_aspect(wanted, name);
    const double factor = !crosses ? 1 : wanted.horizontal ? aspect : 1 / aspect;
    Scalar fov;
    fov.name = fov_name(name);
    fov.where = wanted.where;
    fov.keep = true;
    fov.unit = wanted.horizontal ? "degrees horizontal" : "degrees vertical";
    if (wanted.scalar.empty()) {
        fov.value = other_fov(lens.fov, factor);
        if (lens.fov > 0) sheet.scalars.push_back(std::move(fov));
    } else {
        MELLOW_CHECK(add_keyed(wanted, fov, factor, sheet));
        sheet.scalars.push_back(std::move(fov));
    }
    split_camera(scene, node, {in.vector(direction(wanted.aim)), in.vector(direction(wanted.up))});
    return {};
}

}  // namespace

Status prepare_cameras(const Recipe& recipe, Scene& scene, RigSheet& sheet) {
    const Conversion in(recipe.target().convention, {});
    std::set<const RecipeCamera*> used;
    const RecipeCamera plain;
    const std::size_t count = scene.nodes.size();
    for (std::size_t n = 0; n < count; ++n) {
        if (scene.nodes[n].camera == kNone) continue;
        const Node& node = scene.nodes[n];
        std::string name = node.split_off ? scene.nodes[at(node.parent)].name : node.name;
        if (name.starts_with(recipe.strip_prefix)) name = name.substr(recipe.strip_prefix.size());
        const RecipeCamera* wanted = &plain;
        for (const RecipeCamera& camera : recipe.cameras)
            if (wanted == &plain && fits_pattern(camera.node, name)) wanted = &camera;
        used.insert(wanted);
        MELLOW_CHECK(prepare(*wanted, in, static_cast<int>(n), scene, sheet, name));
    }
    for (const RecipeCamera& camera : recipe.cameras)
        if (!used.contains(&camera))
            return Finding{Code::kNameUnknown,
                           Severity::kStop,
                           camera.where,
                           fmt::format("no camera fits \"{}\"", camera.node),
                           "the name or pattern of a camera's node",
                           "correct node"};
    return {};
}

std::string fov_name(const std::string& camera) { return camera + ".fov"; }

std::vector<std::string> camera_joints(const Scene& scene, const Skeleton& skeleton,
                                       const JointSources& sources) {
    std::vector<std::string> out;
    for (std::size_t j = 0; j < sources.size(); ++j)
        if (sources[j].node != kNone && scene.nodes[at(sources[j].node)].camera != kNone)
            out.push_back(skeleton[static_cast<int>(j)].name);
    return out;
}

}  // namespace mellow
