// What packing would do, found without writing anything.
#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "crate/file_names.h"
#include "mellow/pack.h"
#include "mellow/read.h"
#include "mellow/write.h"
#include "pack/crate_output.h"
#include "pack/dealing.h"
#include "recipe/recipe_words.h"

namespace mellow {
namespace {

namespace fs = std::filesystem;

PlannedClip planned_clip(const ClipJob& job, const Target& target) {
    const RecipeClip& clip = job.clip;
    PlannedClip out;
    out.name = clip.range.name;
    out.moved_by = job.moved_by;
    out.plan = job.range_at(target.rate).plan;
    out.loop = clip.range.loops() ? target.loop_form : LoopForm::kOnce;
    out.samples = out.plan.samples - (out.loop == LoopForm::kOpen ? 1 : 0);
    out.seconds = target.rate.seconds(out.plan.samples - 1);
    return out;
}

/// The files of a crate, before they are made: scene files, the numbers of glTF text, pictures.
std::vector<std::string> files_of(const Target& target, const OutputNames& names,
                                  const std::vector<Image>& pictures) {
    std::vector<std::string> files{kManifestFile};
    const auto add = [&](const std::string& stem, FileFormat format, bool skin) {
        const bool beside = target.pictures != Pictures::kLeftOut &&
                            (!traits(format).embeds || target.pictures == Pictures::kBeside);
        for (std::size_t i = 0; skin && beside && i < pictures.size(); ++i)
            files.push_back(picture_name(stem, i, pictures[i]));
        if (traits(format).buffer) files.push_back(stem + ".bin");
        files.push_back(fmt::format("{}.{}", stem, name(format)));
    };
    add(names.skin, target.skin_format, true);
    if (target.layout == Layout::kSkinAndLibrary) add(names.library, target.clip_format, false);
    for (const std::string& clip : names.clips)
        if (!clip.empty()) add(clip, target.clip_format, target.layout == Layout::kClipsWithSkin);
    return files;
}

/// Every file that packing writes for a target, and what it does to those that stand there.
void add_files(const Recipe& recipe, const Target& target, std::vector<std::string> names,
               const PackOptions& options, bool writes, std::vector<PlannedFile>& files) {
    using Fate = PlannedFile::Fate;
    const fs::path output = output_of(recipe, target);
    std::error_code error;
    const bool stands = fs::exists(output, error);
    names.insert(names.end(), {kRecipeFile, kReportFile, kReportText, kTargetFile});
    if (!target.joints.list.joints.empty()) names.emplace_back(kJointsFile);
    if (recipe.picture && !options.share) names.emplace_back(kSheetFile);
    for (const std::string& name : names) {
        const bool there = fs::exists(output / name, error);
        if (writes) files.push_back({output / name, there ? Fate::kReplaced : Fate::kWritten});
    }
    const std::set<std::string> written(names.begin(), names.end());
    const std::size_t first = files.size();
    for (fs::recursive_directory_iterator at(output, error), end; !error && at != end;
         at.increment(error)) {
        const std::string name = at->path().lexically_relative(output).string();
        if (at->is_directory(error) || (writes && written.contains(name))) continue;
        files.push_back({at->path(), writes ? Fate::kRemoved : Fate::kKept});
    }
    std::sort(files.begin() + static_cast<std::ptrdiff_t>(first), files.end(),
              [](const PlannedFile& a, const PlannedFile& b) { return a.path < b.path; });
    // The crate that stands there becomes a backup; the oldest beyond `keep` go.
    const auto backups = StagedFolder::backups(output);
    const std::size_t all = backups.size() + (stands && writes ? 1 : 0);
    const std::size_t keep = static_cast<std::size_t>(std::max(options.keep, 0));
    for (std::size_t i = 0; i < backups.size(); ++i)
        files.push_back(
            {backups[i], writes && stands && i + keep < all ? Fate::kRemoved : Fate::kKept});
}

/// Which clips need not be packed again, told as packing tells it.
Status find_reused(const Jobs& jobs, std::vector<CratePlace> places,
                   std::vector<PlannedClip>& clips) {
    std::vector<bool> taken(clips.size(), false), stale(clips.size(), false);
    for (CratePlace& place : places) {
        const Target& target = place.target();
        const bool unchanged = place.unchanged().has_value();
        std::unique_ptr<CrateOutput> output;
        if (!unchanged && place.may_take_over()) {
            MELLOW_TRY(output, CrateOutput::begin(std::move(place), jobs));
        }
        for (std::size_t i = 0; i < clips.size(); ++i) {
            if (!is_chosen(target, jobs.clips()[i].clip)) continue;
            if (output && !output->wants(i)) continue;
            taken[i] = true;
            if (!unchanged && !(output && output->has_standing(i))) stale[i] = true;
        }
    }
    for (std::size_t i = 0; i < clips.size(); ++i) clips[i].reused = taken[i] && !stale[i];
    return {};
}

}  // namespace

std::string_view name(PlannedFile::Fate fate) {
    constexpr std::string_view kNames[] = {"written", "replaced", "kept", "removed"};
    return kNames[static_cast<std::size_t>(fate)];
}

Result<PackPlan> plan_pack(const Recipe& recipe, const PackOptions& options) {
    MELLOW_TRY(const std::unique_ptr<Jobs> jobs, Jobs::read(recipe, options.progress));
    PackPlan plan;
    plan.name = recipe.name;
    for (const Joint& joint : jobs->figure().skeleton().joints()) plan.joints.push_back(joint.name);
    plan.findings = jobs->notes().findings;
    plan.motion_files = jobs->motion_files();
    plan.skipped = jobs->notes().skipped;
    MELLOW_CHECK(jobs->bind_all());
    for (const ClipJob& job : jobs->clips()) {
        plan.clips.push_back(planned_clip(job, recipe.target()));
        plan.clips.back().motion = jobs->file_of(job.motion);
        append(plan.findings, job.range().findings);
    }
    std::set<std::string> shared;  // clips of this share, for any target
    std::vector<CratePlace> places;
    for (const Target& target : recipe.targets) {
        if (options.share && shares_a_file(target)) continue;
        MELLOW_TRY(CratePlace place, CratePlace::look(recipe, target, options));
        const bool unchanged = place.unchanged().has_value();
        places.push_back(std::move(place));
        plan.target += (plan.target.empty() ? "" : ", ") + target.name;
        Findings fitted;
        MELLOW_TRY(const FittedFigure figure,
                   FittedFigure::make(jobs->figure(), recipe, target, fitted));
        append(plan.findings, std::move(fitted));
        const fs::path output = output_of(recipe, target);
        MELLOW_TRY(const auto numbers, numbers_before(recipe, target, options));
        MELLOW_TRY(OutputNames names, output_names(recipe, target, jobs->clips(), numbers));
        if (options.share) {
            const std::vector<int> dealt = dealt_clips(*jobs, target, options.share->of);
            for (std::size_t i = 0; i < dealt.size(); ++i) {
                if (dealt[i] == options.share->number)
                    shared.insert(plan.clips[i].name);
                else
                    names.clips[i].clear();
            }
        }
        const bool first = plan.target == target.name;
        if (first) {
            plan.joints.clear();
            for (const Joint& joint : figure.skeleton().joints()) plan.joints.push_back(joint.name);
        }
        const auto files = files_of(target, names, {});
        for (std::size_t i = 0; i < plan.clips.size(); ++i) {
            std::string& file = plan.clips[i].file;
            if (!file.empty() || !is_chosen(target, jobs->clips()[i].clip)) continue;
            if (options.share && names.clips[i].empty()) continue;
            file = names.clips[i].empty()
                       ? files.back()
                       : fmt::format("{}.{}", names.clips[i], name(target.clip_format));
        }
        Status writable = StagedFolder::check(output, options.replace, foreign_to_crate);
        std::vector<std::string> written = files_of(target, names, figure.scene().images);
        if (jobs->has_cues() || recipe.motion.cues) written.emplace_back(kCuesFile);
        for (const ClipJob& job : jobs->clips())
            if (recipe.thumbnails && !options.share && is_chosen(target, job.clip))
                written.push_back(thumbnail_name(job.clip.range.name));
        add_files(recipe, target, std::move(written), options, writable.ok() && !unchanged,
                  plan.files);
        std::error_code error;
        if (first && writable && !unchanged && options.keep > 0 && fs::exists(output, error))
            plan.backup = StagedFolder::next_backup(output);
        if (plan.writable && !writable) plan.writable = std::move(writable);
    }
    MELLOW_CHECK(find_reused(*jobs, std::move(places), plan.clips));
    if (options.share)
        std::erase_if(plan.clips, [&](const PlannedClip& c) { return !shared.contains(c.name); });
    return plan;
}

Status check_recipe(const fs::path& path) {
    MELLOW_TRY(const Bytes bytes, read_file(path));
    MELLOW_TRY(RecipeWords words,
               read_words({reinterpret_cast<const char*>(bytes.data()), bytes.size()},
                          path.filename().string(), path.parent_path()));
    if (!words.figure) return std::move(words.mistakes);
    if (const auto plan = plan_pack(words.recipe); !plan) say_once(words.mistakes, plan.failures());
    return std::move(words.mistakes);
}

}  // namespace mellow
