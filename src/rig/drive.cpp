// drive: what some nodes do sets a morph weight, a scalar or a channel of another node. Equations
// are in docs/rig-sheet.md.
#include <fmt/format.h>

#include <algorithm>

#include "base/text.h"
#include "math/degrees.h"
#include "model/lanes.h"
#include "rig/rules.h"
#include "rig/sheet_words.h"
#include "rig/turn_lanes.h"

namespace mellow {
namespace {

using Of = DriveInput::Of;
using To = DriveRule::To;

const std::vector<std::string> kInputs{"swing", "twist", "position", "world", "distance", "scalar"};
const std::vector<std::string> kOutputs{"turn", "position", "scale"};

std::string_view unit_of(Of of) {
    return of == Of::kSwing || of == Of::kTwist ? "degrees"
           : of == Of::kScalar                  ? "values"
                                                : "units";
}
bool is_length(Of of) { return of == Of::kPosition || of == Of::kWorld || of == Of::kDistance; }

DriveInput read_input(TomlTable& t) {
    DriveInput input;
    const std::string of = t.choice("of", kInputs);
    input.of = static_cast<Of>(std::find(kInputs.begin(), kInputs.end(), of) - kInputs.begin());
    if (of == "scalar") {
        input.node = t.text("scalar");
    } else {
        input.node = t.text("node");
        if (of == "distance")
            input.to = t.text("to");
        else
            input.axis = read_axis(t, "axis");
    }
    input.curve = read_curve(t, "curve", unit_of(input.of));
    return input;
}

/// What an input reads, over a tile.
void measure(const BoundDrive::Input& input, const PoseTile& tile, double* out) {
    const LocalRows local = local_rows(tile, input.node);
    const auto place = [&](int node, int f) { return origin(world_rows(tile, node), f); };
    switch (input.of) {
        case Of::kSwing:
            swing_angles(conjugate(input.rest.r), turns(local), input.axis, out);
            break;
        case Of::kTwist:
            twist_angles(conjugate(input.rest.r), turns(local), {}, input.axis, out);
            break;
        case Of::kPosition:
            for (int f = 0; f < kF; ++f)
                out[f] = dot(place_of(local, f) - input.rest.t, input.axis);
            break;
        case Of::kWorld:
            for (int f = 0; f < kF; ++f) out[f] = dot(place(input.node, f), input.axis);
            break;
        case Of::kDistance:
            for (int f = 0; f < kF; ++f) out[f] = length(place(input.node, f) - place(input.to, f));
            break;
        case Of::kScalar:
            std::copy_n(tile.scalar(input.node), kF, out);
            break;
    }
    if (input.of == Of::kSwing || input.of == Of::kTwist)
        for (int f = 0; f < kF; ++f) out[f] *= kDegrees;
}

Result<BoundDrive::Input> bind_input(const DriveInput& input, Binder& binder, std::string& words) {
    BoundDrive::Input bound{};
    bound.of = input.of;
    bound.axis = input.axis;
    bound.curve = input.curve;
    words += (words.empty() ? "" : ", ") + kInputs[static_cast<std::size_t>(input.of)] + " " +
             input.node;
    if (input.of == Of::kScalar) {
        MELLOW_TRY(bound.node, binder.scalar(input.node));
        binder.reads_scalar(bound.node);
        return bound;
    }
    MELLOW_TRY(bound.node, binder.node("node", input.node));
    bound.rest = binder.rest_local(bound.node);
    if (input.of == Of::kWorld || input.of == Of::kDistance)
        binder.reads_world(bound.node);
    else
        binder.reads_local(bound.node);
    if (input.of == Of::kDistance) {
        MELLOW_TRY(bound.to, binder.node("node", input.to));
        binder.reads_world(bound.to);
    }
    return bound;
}

/// The scalar of a morph target; the rule's node carries the mesh.
Result<int> morph_scalar(const DriveRule& rule, Binder& binder) {
    MELLOW_TRY(const int node, binder.node("mesh", rule.node));
    const int mesh = binder.scene().nodes[static_cast<std::size_t>(node)].mesh;
    const std::vector<std::string> none;
    const auto& targets =
        mesh == kNone ? none : binder.scene().meshes[static_cast<std::size_t>(mesh)].target_names;
    const auto target = std::find(targets.begin(), targets.end(), rule.target);
    if (target == targets.end())
        return Finding{
            Code::kNameUnknown,
            Severity::kStop,
            binder.where(),
            fmt::format("mesh \"{}\" has no morph target \"{}\"", rule.node, rule.target),
            suggest(rule.target, targets),
            "correct the name in the rig sheet"};
    return binder.morphs().offset[static_cast<std::size_t>(node)] +
           static_cast<int>(target - targets.begin());
}

Status bind_output(const DriveRule& rule, Binder& binder, BoundDrive& bound,
                   const std::string& words) {
    if (rule.to == To::kMorph || rule.to == To::kScalar) {
        const bool morph = rule.to == To::kMorph;
        MELLOW_TRY(bound.node, morph ? morph_scalar(rule, binder) : binder.scalar(rule.node));
        binder.line(morph ? fmt::format("drive {}/{} <- {}", rule.node, rule.target, words)
                          : fmt::format("drive {} <- {}", rule.node, words));
        return binder.writes_scalar(bound.node,
                                    morph ? fmt::format("morph target \"{}\"", rule.target)
                                          : fmt::format("scalar \"{}\"", rule.node));
    }
    MELLOW_TRY(bound.node, binder.node("node", rule.node));
    bound.rest = binder.rest_local(bound.node);
    const int axis = axis_number(rule.axis);
    binder.line(fmt::format("drive {} of {} <- {}", kOutputs[static_cast<std::size_t>(rule.to) - 2],
                            rule.node, words));
    return binder.writes(bound.node, rule.to == To::kTurn    ? static_cast<int>(kOrientation)
                                     : rule.to == To::kScale ? kScaleX << axis
                                                             : kPositionX << axis);
}

}  // namespace

DriveRule read_drive(TomlTable& t) {
    DriveRule rule;
    for (const toml::table* table : t.tables("input")) {
        TomlTable input = t.inner(*table, "input");
        rule.inputs.push_back(read_input(input));
        input.close();
    }
    if (rule.inputs.empty())
        t.fail(Code::kKeyMissing, "", "no [[rule.input]]", "at least one thing to read",
               "add: [[rule.input]] with of, node, axis and curve");
    t.knows({"mesh", "target", "scalar", "node", "channel", "axis"});
    rule.product = t.choice("combine", {"product", "sum"}, "product") == "product";
    if (t.has("mesh")) {
        rule.node = t.text("mesh");
        rule.target = t.text("target");
    } else if (t.has("scalar")) {
        rule.to = To::kScalar;
        rule.node = t.text("scalar");
    } else if (t.has("node")) {
        rule.node = t.text("node");
        const std::string channel = t.choice("channel", kOutputs);
        rule.to = channel == "turn"       ? To::kTurn
                  : channel == "position" ? To::kPosition
                                          : To::kScale;
        rule.axis = read_axis(t, "axis");
    } else {
        t.fail(Code::kKeyMissing, "", "nothing that is driven",
               "mesh and target, or scalar, or node with channel and axis",
               "add: mesh = \"...\" and target = \"...\"");
    }
    return rule;
}

void convert(DriveRule& rule, const Conversion& c) {
    for (DriveInput& input : rule.inputs) {
        input.axis =
            input.of == DriveInput::Of::kTwist ? c.turning_axis(input.axis) : c.vector(input.axis);
        if (is_length(input.of)) scale_at(input.curve, c.scale());
    }
    rule.axis = rule.to == To::kTurn ? c.turning_axis(rule.axis) : c.vector(rule.axis);
    if (rule.to == To::kScale)
        rule.axis = {std::abs(rule.axis.x), std::abs(rule.axis.y), std::abs(rule.axis.z)};
    // A length that comes out of a product is scaled once, of a sum in each part.
    for (std::size_t i = 0; rule.to == To::kPosition && i < (rule.product ? 1 : rule.inputs.size());
         ++i)
        for (CurvePoint& p : rule.inputs[i].curve.points)
            p.value *= c.scale(), p.slope *= c.scale();
}

Result<BoundDrive> bind(const DriveRule& rule, Binder& binder) {
    BoundDrive bound{};
    bound.product = rule.product;
    bound.to = rule.to;
    bound.axis = rule.axis;
    std::string words;
    for (const DriveInput& input : rule.inputs) {
        MELLOW_TRY(BoundDrive::Input one, bind_input(input, binder, words));
        bound.inputs.push_back(std::move(one));
    }
    MELLOW_CHECK(bind_output(rule, binder, bound, words));
    return bound;
}

void run(const BoundDrive& rule, PoseTile& tile) {
    double values[kTileFrames];
    std::fill_n(values, kF, rule.product ? 1.0 : 0.0);
    for (const BoundDrive::Input& input : rule.inputs) {
        alignas(64) double measured[kTileFrames];
        measure(input, tile, measured);
        for (int f = 0; f < kF; ++f) {
            const double v = value_at(input.curve, measured[f]);
            values[f] = rule.product ? values[f] * v : values[f] + v;
        }
    }
    if (rule.to == To::kMorph || rule.to == To::kScalar) {
        std::copy_n(values, kF, tile.scalar(rule.node));
        return;
    }
    const LocalRowsOut local = local_rows(tile, rule.node);
    if (rule.to == To::kTurn) {
        for (double& v : values) v /= kDegrees;
        return turn_about(rule.rest.r, rule.axis, values, {}, turns(local));
    }
    const int axis = axis_number(rule.axis);
    for (int f = 0; f < kF; ++f) {
        const Vec3 from = rule.to == To::kScale ? Vec3{} : rule.rest.t;
        const Vec3 to = from + values[f] * rule.axis;
        double* rows = local.at + (rule.to == To::kScale ? 7 * kF : 0);
        rows[axis * kF + f] = axis == 0 ? to.x : axis == 1 ? to.y : to.z;
    }
}

}  // namespace mellow
