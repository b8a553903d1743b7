// The beginning of a crate: the figure is fitted, its skin written, and what is odd about them
// told. Declared in crate_output.h.
#include <fmt/format.h>

#include "base/text.h"
#include "figure/kept_drives.h"
#include "mellow/fit.h"
#include "pack/crate_output.h"
#include "pack/dealing.h"
#include "recipe/target_table.h"

namespace mellow {
namespace {

/// Vertices this far from their places are where they were: the rounding of files.
constexpr double kSameShape_m = 1e-4;
/// Beyond this a source's own rest pose is another than that of its meshes.
constexpr double kOtherShape_m = 0.01;

/// Meshes at a rest pose that is not the source's; drives, which count from it, go.
Status settle_rest(const Recipe& recipe, const RestRule& rest, Scene& skin, PackReport& report) {
    if (rest.from == RestRule::From::kSource) {
        const RestShape shape = shape_at_rest(skin);
        if (shape.far_m > kOtherShape_m)
            report.findings.push_back(
                {Code::kRestShape, Severity::kWarning, Place::in(recipe.source),
                 fmt::format("vertices of \"{}\" are up to {:.4g} mm at rest from where the mesh "
                             "has them: it was bound in another pose than its joints rest in",
                             shape.mesh, shape.far_m * 1000),
                 "meshes that were bound in the rest pose",
                 "nothing, if it plays as it should; else bind it anew in the source"});
        return {};
    }
    if (!report.drives.empty()) {
        report.findings.push_back({Code::kLeftOut, Severity::kWarning, rest.where,
                                   fmt::format("{} drives, which count from the rest pose of the "
                                               "source",
                                               report.drives.size()),
                                   "", "rest = \"source\", where an engine drives joints itself"});
        report.drives.clear();
    }
    const RestShape shape = shape_at_rest(skin);
    if (shape.far_m < kSameShape_m) return {};
    if (rest.posed) MELLOW_CHECK(bind_at_rest(skin));
    report.findings.push_back(
        {Code::kRestShape, rest.posed ? Severity::kNote : Severity::kWarning, rest.where,
         fmt::format("vertices of \"{}\" are up to {:.4g} mm at rest from where the source has "
                     "them{}",
                     shape.mesh, shape.far_m * 1000,
                     rest.posed ? "; meshes take that shape, and are bound in it" : ""),
         rest.posed ? "" : "meshes that were bound in this pose",
         rest.posed ? ""
                    : "rest_skin = \"posed\"   # binds them in it; what that costs is measured"});
    return {};
}

/// A figure of a size that is no figure's, or that the target does not want.
void check_size(const Bounds& bounds, const Target& target, Findings& findings) {
    if (!bounds.any) return;
    const Vec3 size = bounds.high - bounds.low;
    const double longest = std::max({size.x, size.y, size.z});
    if (longest > 0 && (longest < 0.05 || longest > 50))
        findings.push_back({Code::kSizeSuspect, Severity::kStop, "figure",
                            fmt::format("{:.4g} m at its longest", longest), "0.05 to 50 m",
                            "unit = \"...\" under [source] says what its numbers are; "
                            "size-suspect = \"warn\" under "
                            "[checks] lets it pass"});
    if (!target.height_m || (size.y >= (*target.height_m)[0] && size.y <= (*target.height_m)[1]))
        return;
    findings.push_back(
        {Code::kSizeSuspect, Severity::kStop, "figure", fmt::format("{:.4g} m tall", size.y),
         fmt::format("{} to {} m, height of the target", (*target.height_m)[0],
                     (*target.height_m)[1]),
         "unit = \"...\" under [source] says what its numbers are; size-suspect = \"warn\" under "
         "[checks] lets it pass"});
}

/// Clips that are not for this target, and those whose files are called otherwise.
void note_names(const Jobs& jobs, const Target& target, const OutputNames& names,
                Findings& findings) {
    std::vector<std::string> left;
    for (const ClipJob& job : jobs.clips())
        if (!is_chosen(target, job.clip)) left.push_back(job.clip.range.name);
    if (!left.empty())
        findings.push_back({Code::kLeftOut, Severity::kNote, target.where,
                            fmt::format("{} of {} clips, which this target does not take: {}",
                                        left.size(), jobs.clips().size(), name_list(left)),
                            "", ""});
    if (!names.otherwise.empty())
        findings.push_back(
            {Code::kAssumed, Severity::kNote, target.where,
             fmt::format("clips whose files are called otherwise, as the target's rule for names "
                         "wants: {}",
                         name_list(names.otherwise)),
             "", ""});
}

/// Joints that a recipe keeps and a list of the target does not name.
void note_surplus(const Recipe& recipe, const Target& target, const JointFit& fit,
                  Findings& findings) {
    for (const std::string& joint : fit.surplus)
        for (const auto* named : {&recipe.joints.keep.names, &recipe.joints.keep.match})
            if (fits_any(*named, joint) || fits_any(*named, recipe.strip_prefix + joint))
                findings.push_back(
                    {Code::kNoEffect, Severity::kWarning, target.joints.where,
                     fmt::format("keep of \"{}\" changes nothing: the list does not name it",
                                 joint),
                     "joints of the list", "add it to the list, or take it out of keep"});
}

/// What is known of a crate before anything of it is written.
PackReport report_of(const CratePlace& place, const Jobs& jobs, const FittedFigure& fitted) {
    const Recipe& recipe = place.recipe();
    const Figure& figure = jobs.figure();
    PackReport report;
    report.name = recipe.name;
    report.target = place.target();
    report.folder = place.path();
    report.tolerance = recipe.tolerance;
    report.sources = {{FileRole::kRecipe, recipe.file, recipe.bytes, recipe.hash}};
    for (const auto* files : {&place.target().files, &jobs.notes().files})
        report.sources.insert(report.sources.end(), files->begin(), files->end());
    report.findings = jobs.notes().findings;
    report.skipped = jobs.notes().skipped;
    report.proven = report.skipped.empty();
    report.drives = figure.drives();
    report.turns = figure.turns();
    for (const Joint& joint : fitted.skeleton().joints()) report.joints.push_back(joint.name);
    report.root = fitted.skeleton()[0].name;
    report.hips = fitted.name_of(figure.hips());
    const auto own_name = [&](const std::string& name) {
        const int joint = figure.skeleton().find(name);
        return joint < 0 ? name : fitted.name_of(joint);
    };
    keep_of(fitted.scene(), report.drives);  // targets may have been dropped, or baked
    for (auto& [joint, turn] : report.turns) joint = own_name(joint);
    for (KeptDrive& drive : report.drives)
        for (KeptDrive::Input& input : drive.inputs) input.joint = own_name(input.joint);
    return report;
}

}  // namespace

Result<std::unique_ptr<CrateOutput>> CrateOutput::begin(CratePlace place, const Jobs& jobs) {
    const Recipe& recipe = place.recipe();
    const Target& target = place.target();
    Findings fitting;
    MELLOW_TRY(FittedFigure fitted, FittedFigure::make(jobs.figure(), recipe, target, fitting));
    PackReport report = report_of(place, jobs, fitted);
    append(report.findings, std::move(fitting));
    note_surplus(recipe, target, fitted.fit(), report.findings);
    MELLOW_TRY(const auto numbers, numbers_before(recipe, target, place.options()));
    MELLOW_TRY(OutputNames names, output_names(recipe, target, jobs.clips(), numbers));
    note_names(jobs, target, names, report.findings);
    if (recipe.thumbnails && !recipe.thumbnails->around.empty() &&
        fitted.skeleton().find(recipe.thumbnails->around) < 0)
        return Finding{Code::kNameUnknown,
                       Severity::kStop,
                       Place::in(recipe.file).at("[output], thumbnails, around"),
                       fmt::format("no joint \"{}\" in the crate", recipe.thumbnails->around),
                       suggest(recipe.thumbnails->around, report.joints),
                       "correct the name"};
    Assembled skin =
        assemble_skin(fitted.scene(), fitted.skeleton(), fitted.sources(), &fitted.bound());
    say_once(report.findings, skin.findings);
    MELLOW_CHECK(settle_rest(recipe, target.rest, skin.scene, report));
    MELLOW_TRY(std::shared_ptr<const PackedFigure> figure,
               PackedFigure::make(std::move(fitted), std::move(skin.scene),
                                  {target, names.skin, place.folder(), jobs.figure().accepted()},
                                  report.findings));
    figure->tell(report);
    check_size(figure->bounds(), target, report.findings);
    std::unique_ptr<CrateOutput> out(new CrateOutput(std::move(place), jobs, std::move(figure),
                                                     std::move(names), std::move(report)));
    if (out->options_.share) MELLOW_CHECK(out->settle_share());
    return out;
}

CrateOutput::CrateOutput(CratePlace place, const Jobs& jobs,
                         std::shared_ptr<const PackedFigure> figure, OutputNames names,
                         PackReport report)
    : place_(std::move(place)),
      recipe_(place_.recipe()),
      target_(place_.target()),
      options_(place_.options()),
      jobs_(jobs),
      figure_(std::move(figure)),
      names_(std::move(names)),
      overlaps_(jobs.clips()),
      report_(std::move(report)) {
    report_.clips.reserve(jobs.clips().size());
    if (shares_a_file(target_)) kept_.resize(jobs.clips().size());
    drawn_.name = report_.name;
    drawn_.convention = target_.convention;
}

}  // namespace mellow
