#include "mellow/true_convention.h"

#include <fmt/format.h>

#include <algorithm>

#include "mellow/pose.h"

namespace mellow {
namespace {

/// From the lowest to the highest point at rest, in the file's units.
double units_tall(const Scene& scene, Axis up) {
    const Bounds bounds = figure_bounds(scene);
    return bounds.any ? std::abs(dot(bounds.high - bounds.low, direction(up))) : 0;
}

}  // namespace

bool TrueConvention::answers(const Finding& note) const {
    if (note.code == Code::kAxisSuspect) return up && front;
    if (note.code == Code::kHandSuspect) return hand.has_value();
    // Without a unit that would mend it, it is about something else than that.
    if (note.code == Code::kSizeSuspect) return sized() && !note.edits.empty();
    const auto known = [&](const Edit& edit) {
        return (edit.key == "unit" && sized()) || (edit.key == "up" && up) ||
               (edit.key == "front" && front);
    };
    return note.code == Code::kAssumed && !note.edits.empty() &&
           std::all_of(note.edits.begin(), note.edits.end(), known);
}

Finding TrueConvention::placed(Finding note) const {
    if (note.code != Code::kRateSuspect || where_rate.empty()) return note;
    note.where = where_rate;
    for (Edit& edit : note.edits) edit.table.clear();
    note.remedy = edit_lines(note.edits, "in its place");
    return note;
}

/// Nodes keep the size they rest in.
static void leave_out_scale_keys(Scene& scene) {
    for (Timeline& timeline : scene.timelines) {
        std::erase_if(timeline.channels, [](const Channel& c) { return c.path == Path::kScale; });
        std::erase_if(timeline.members, [&](const MemberCurve& m) {
            return m.element != kNone &&
                   scene.nodes[at(m.node)].stack[at(m.element)].kind == StackKind::kScale;
        });
    }
}

Status overrule(Scene& scene, const TrueConvention& truth, bool keys_on_frames) {
    Convention c = scene.convention;
    c.metres_per_unit = truth.metres_per_unit.value_or(c.metres_per_unit);
    c.up = truth.up.value_or(c.up);
    c.front = truth.front.value_or(c.front);
    c.hand = truth.hand.value_or(c.hand);
    if (!is_valid(c))
        return Finding{Code::kValueBad,
                       Severity::kStop,
                       "unit, up and front",
                       fmt::format("up {} and front {} along one line, or no unit above 0",
                                   name(c.up), name(c.front)),
                       "two different lines",
                       "set both up and front"};
    if (truth.height_m) {
        const double tall = units_tall(scene, c.up);
        if (!(tall > 0))
            return Finding{Code::kValueBad,
                           Severity::kStop,
                           "height",
                           fmt::format("nothing that is {:g} m high at rest", *truth.height_m),
                           "meshes or joints that stand apart along up",
                           "up = the axis it stands along, or unit = \"...\" in place of height"};
        c.metres_per_unit = *truth.height_m / tall;
    }
    scene.convention = scene.stack_convention = c;
    if (!truth.scale_keys) leave_out_scale_keys(scene);
    if (!truth.rate) return {};
    if (keys_on_frames) declare_rate(scene, *truth.rate);
    scene.rate = *truth.rate;
    scene.rate_known = true;
    snap_keys(scene);
    return {};
}

}  // namespace mellow
