#include "mellow/lift.h"

#include <fmt/format.h>

#include <algorithm>

#include "commands.h"
#include "mellow/read.h"
#include "mellow/rig_stock.h"
#include "mellow/safe_write.h"
#include "mellow/write.h"

namespace mellow::cli {
namespace {

std::vector<LiftError> worst_first(std::vector<LiftError> errors) {
    std::stable_sort(errors.begin(), errors.end(), [](const LiftError& a, const LiftError& b) {
        return a.worst_mm > b.worst_mm;
    });
    return errors;
}

/// What all names share up to a ':' is left out of what people read.
std::string bare(const std::string& name) { return name.substr(name.find(':') + 1); }

/// Joints that are further off than asked for, in words; none: nothing.
std::optional<Finding> above_tolerance(const LiftRequest& request, const Lifted& lifted) {
    const std::vector<LiftError> errors = worst_first(lifted.errors);
    const auto above = std::count_if(errors.begin(), errors.end(), [&](const LiftError& e) {
        return !(e.worst_mm <= request.tolerance_mm &&
                 e.worst_degrees <= request.tolerance_degrees);
    });
    if (above == 0) return {};
    const LiftError& turned = *std::max_element(
        errors.begin(), errors.end(),
        [](const LiftError& a, const LiftError& b) { return a.worst_degrees < b.worst_degrees; });
    return Finding{
        Code::kProofFailed,
        Severity::kStop,
        Place::in(request.output),
        fmt::format("the rig gives the motion back but for {} joints: worst {:.3g} mm at "
                    "{}, sample {}, and {:.3g} degrees at {}, sample {}; nothing was written",
                    above, errors[0].worst_mm, bare(errors[0].joint), errors[0].sample,
                    turned.worst_degrees, bare(turned.joint), turned.degrees_sample),
        fmt::format("at most {} mm and {} degrees", request.tolerance_mm,
                    request.tolerance_degrees),
        "check unit and rest pose of the motion; if this is as near as the rig can get, "
        "raise --tolerance and --tolerance-degrees"};
}

std::string text_of(const LiftRequest& request, const Lifted& lifted, bool written) {
    std::string text =
        fmt::format("{}{}: timeline \"{}\", {} samples at {}/s, keys on {} controls\n",
                    request.output, written ? "" : " (not written)", lifted.timeline.name,
                    lifted.samples, to_text(lifted.rate), lifted.controls.size());
    std::vector<std::string> controls;
    for (const std::string& name : lifted.controls) controls.push_back(bare(name));
    text += fmt::format("controls: {}\n", fmt::join(controls, ", "));
    std::vector<std::string> meshes;
    for (const std::string& name : lifted.meshes) meshes.push_back(bare(name));
    if (!meshes.empty()) text += fmt::format("morph weights: {}\n", fmt::join(meshes, ", "));
    text += "\n";
    text += fmt::format("{:<24} {:>10} {:>10} {:>7}\n", "joint, evaluated again", "worst mm",
                        "degrees", "sample");
    for (const LiftError& e : worst_first(lifted.errors))
        text += fmt::format("{:<24} {:>10.2g} {:>10.2g} {:>7}\n", bare(e.joint), e.worst_mm,
                            e.worst_degrees, e.sample);
    return text;
}

void write(JsonWriter& json, const LiftRequest& request, const Lifted& lifted, bool written) {
    json.member("file", request.output).member("written", written);
    json.member("timeline", lifted.timeline.name).member("samples", lifted.samples);
    json.member("rate", to_text(lifted.rate));
    json.list("controls", lifted.controls).list("morph_weights", lifted.meshes);
    json.list("joints", worst_first(lifted.errors), [&](const LiftError& e) {
        json.begin_object().member("joint", e.joint).member("worst_mm", e.worst_mm);
        json.member("worst_degrees", e.worst_degrees).member("sample", e.sample).end_object();
    });
}

}  // namespace

int lift(const LiftRequest& request) {
    LiftOptions options;
    const auto onto = read_pairs(request, request.onto, "--onto", "CONTROL=CONTROL_ABOVE_IT");
    if (!onto) return kUsage;
    options.onto = *onto;
    options.name = request.name;
    int exit = kDone;
    if (is_input(request, request.output, {request.motion, request.scene, request.rig}, exit))
        return exit;
    auto sheet = read_rig_sheet(request.rig);
    if (!sheet) return fail(request, seen_from_here(sheet.failures(), request.rig));
    auto scene = read_as(request, request.scene, request.truth, exit);
    if (!scene) return exit;
    auto motion = read_as(request, request.motion, request.motion_truth, exit);
    if (!motion) return exit;
    const int timeline = timeline_of(request, motion->scene, request.timeline, exit);
    if (exit != kDone) return exit;
    if (motion->scene.timelines.empty())
        return fail(request, {Code::kNoMotion, Severity::kStop, Place::in(request.motion),
                              "no animation", "a file with motion on joints", "name another file"});
    // Inside for the work, and back to the numbers of the scene file, so that its sheet still fits.
    const Convention own = scene->scene.convention;
    convert(sheet.value(), Conversion(own, {}));
    mellow::to_inside(scene->scene);
    mellow::to_inside(motion->scene);
    auto lifted = mellow::lift(scene->scene, sheet.value(), motion->scene, timeline, options);
    if (!lifted) return fail(request, lifted.failures());
    scene->scene.timelines = {lifted.value().timeline};
    mellow::convert(scene->scene, own);
    // What is told is what the file holds, in its numbers.
    const std::vector<std::uint8_t> glb = write_glb(scene->scene);
    const auto none = [](const std::string&) -> Result<Bytes> { return Bytes(); };
    auto read = read_memory(Bytes(glb.begin(), glb.end()), request.output, none);
    if (!read) return fail(request, read.failures());
    Scene& again = read.value().scene;
    again.convention = own;
    mellow::to_inside(again);
    auto errors = measure_lifted(again, sheet.value(), motion->scene, timeline);
    if (!errors) return fail(request, errors.failures());
    lifted.value().errors = std::move(errors).value();
    const std::optional<Finding> above = above_tolerance(request, lifted.value());
    if (!above) {
        if (const Status s = write_file(request.output, glb, request.replace); !s)
            return fail(request, s.failures());
    }
    Findings findings = lifted.value().findings;
    if (above) findings.push_back(*above);
    if (request.json)
        print_json([&](JsonWriter& json) {
            write(json, request, lifted.value(), !above);
            print_findings(json, findings);
        });
    else if (!request.quiet)
        print_out(text_of(request, lifted.value(), !above));
    if (request.quiet)
        std::erase_if(findings, [](const Finding& f) { return f.severity != Severity::kStop; });
    print_findings(findings);
    return above ? kChecksFailed : kDone;
}

}  // namespace mellow::cli
