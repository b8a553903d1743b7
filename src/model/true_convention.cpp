#include "mellow/true_convention.h"

#include <fmt/format.h>

#include <algorithm>

namespace mellow {

bool TrueConvention::answers(const Finding& note) const {
    if (note.code == Code::kAxisSuspect) return up && front;
    if (note.code == Code::kHandSuspect) return hand.has_value();
    if (note.code == Code::kSizeSuspect) return metres_per_unit.has_value();
    const auto known = [&](const Edit& edit) {
        return (edit.key == "unit" && metres_per_unit) || (edit.key == "up" && up) ||
               (edit.key == "front" && front);
    };
    return note.code == Code::kAssumed && !note.edits.empty() &&
           std::all_of(note.edits.begin(), note.edits.end(), known);
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
    scene.convention = scene.stack_convention = c;
    if (!truth.rate) return {};
    if (keys_on_frames) declare_rate(scene, *truth.rate);
    scene.rate = *truth.rate;
    scene.rate_known = true;
    snap_keys(scene);
    return {};
}

}  // namespace mellow
