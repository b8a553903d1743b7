// What packing would do, found without writing anything.
#include <set>

#include "mellow/pack.h"
#include "pack/jobs.h"

namespace mellow {
namespace {

namespace fs = std::filesystem;

PlannedClip planned_clip(const ClipJob& job, const Recipe& recipe) {
    const RecipeClip& clip = job.clip;
    PlannedClip out;
    out.name = clip.range.name;
    out.file = "clips/" + out.name + ".glb";
    out.moved_by = job.moved_by;
    out.plan = job.range.plan;
    out.loop = clip.range.loop ? recipe.loop_form : LoopForm::kOnce;
    out.samples = out.plan.samples - (out.loop == LoopForm::kOpen ? 1 : 0);
    out.seconds = recipe.rate.seconds(out.plan.samples - 1);
    return out;
}

/// Every file that packing writes, and what it does to those that stand there.
std::vector<PlannedFile> planned_files(const Recipe& recipe, const PackPlan& plan,
                                       const PackOptions& options) {
    using Fate = PlannedFile::Fate;
    std::error_code error;
    const bool stands = fs::exists(recipe.output, error);
    const bool writes = plan.writable.ok();
    std::vector<std::string> names{"crate.json", recipe.name + ".glb"};
    for (const PlannedClip& clip : plan.clips) names.push_back(clip.file);
    names.insert(names.end(), {"recipe.toml", "report.json", "report.txt"});
    if (recipe.picture) names.emplace_back("sheet.png");
    std::vector<PlannedFile> files;
    for (const std::string& name : names) {
        const bool there = fs::exists(recipe.output / name, error);
        if (writes)
            files.push_back({recipe.output / name, there ? Fate::kReplaced : Fate::kWritten});
    }
    const std::set<std::string> written(names.begin(), names.end());
    for (fs::recursive_directory_iterator at(recipe.output, error), end; !error && at != end;
         at.increment(error)) {
        const std::string name = at->path().lexically_relative(recipe.output).string();
        if (at->is_directory(error) || (writes && written.contains(name))) continue;
        files.push_back({at->path(), writes ? Fate::kRemoved : Fate::kKept});
    }
    // The crate that stands there becomes a backup; the oldest beyond `keep` go.
    const auto backups = StagedFolder::backups(recipe.output);
    const std::size_t all = backups.size() + (stands && writes ? 1 : 0);
    const std::size_t keep = static_cast<std::size_t>(std::max(options.keep, 0));
    for (std::size_t i = 0; i < backups.size(); ++i)
        files.push_back(
            {backups[i], writes && stands && i + keep < all ? Fate::kRemoved : Fate::kKept});
    return files;
}

}  // namespace

std::string_view name(PlannedFile::Fate fate) {
    constexpr std::string_view kNames[] = {"written", "replaced", "kept", "removed"};
    return kNames[static_cast<std::size_t>(fate)];
}

Result<PackPlan> plan_pack(const Recipe& recipe, const PackOptions& options) {
    PackReport report;
    MELLOW_TRY(const std::unique_ptr<Jobs> jobs, Jobs::read(recipe, report, options.progress));
    PackPlan plan;
    plan.name = recipe.name;
    plan.target = recipe.target;
    plan.joints = std::move(report.joints);
    plan.findings = std::move(report.findings);
    plan.writable = StagedFolder::check(recipe.output, options.replace);
    plan.motion_files = jobs->motion_files();
    plan.skipped = std::move(report.skipped);
    for (const ClipJob& job : jobs->clips()) {
        MELLOW_TRY(const std::shared_ptr<const FigureMotion> motion, jobs->motion(job.motion));
        MELLOW_TRY(const Rig rig, Rig::bind(*motion->scene, job.what, *motion->sheet));
        plan.clips.push_back(planned_clip(job, recipe));
        plan.clips.back().motion = motion->own ? "" : motion->file;
        append(plan.findings, job.range.findings);
    }
    std::error_code error;
    if (plan.writable && options.keep > 0 && fs::exists(recipe.output, error))
        plan.backup = StagedFolder::next_backup(recipe.output);
    plan.files = planned_files(recipe, plan, options);
    return plan;
}

}  // namespace mellow
