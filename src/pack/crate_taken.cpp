// What of a crate need not be made: clips that stand in it, in another, or in a part; and which
// clips fall to a share. Declared in crate_output.h.
#include <fmt/format.h>

#include "base/text.h"
#include "disk/hash.h"
#include "pack/crate_output.h"
#include "pack/dealing.h"
#include "plan/inputs.h"

namespace mellow {

std::string CrateOutput::inputs_of(std::size_t i) const {
    ClipJob job = jobs_->clips()[i];
    if (!names_.ids.empty()) job.clip.labels.id = names_.ids[i];
    std::string inputs = clip_inputs(recipe_, target_, *jobs_, job, report_);
    // Other targets of the rate that stand before it measure it.
    for (const Target& before : recipe_.targets) {
        if (&before == &target_) return inputs;
        if (before.rate == target_.rate) inputs = hash_of(inputs + before.text);
    }
    return inputs;
}

Status CrateOutput::open_motion(OutputClip& clip) const {
    const ClipInfo& told = clip.packed.clip;
    MELLOW_TRY(StoredFile stored, stored_file(folder_->path() / clip.packed.file.file));
    MELLOW_TRY(clip.motion,
               decode_clip(std::move(stored), target_, crate_.skin, told.name, told.samples));
    return {};
}

/// The share's clips, and the hash of what all shares have in common.
Status CrateOutput::settle_share() {
    Share share = *options_.share;
    dealt_ = dealt_clips(*jobs_, target_, share.of);
    std::string plan = fmt::format("{}\n{}\n{}\n", recipe_.hash, target_.text, report_.skin.hash);
    for (std::size_t i = 0; i < dealt_.size(); ++i) {
        if (dealt_[i] == 0) continue;
        ++share.clips;
        plan += inputs_of(i);
    }
    share.plan = hash_of(plan);
    namespace fs = std::filesystem;
    std::error_code error;
    share.recipe = fs::weakly_canonical(recipe_.folder / recipe_.file, error)
                       .lexically_relative(fs::weakly_canonical(report_.folder, error))
                       .generic_string();
    share.part = report_.folder == recipe_.output ? "." : "..";
    report_.share = std::move(share);
    const auto have = standing_ ? standing_->manifest().share : std::optional<Share>();
    if (!have || options_.replace || have->plan == report_.share->plan) return {};
    return Finding{Code::kOutputExists,
                   Severity::kStop,
                   Place::in(report_.folder.string()),
                   fmt::format("share {} of {} of another plan: something has changed since",
                               have->number, have->of),
                   "a place for this plan's part",
                   "replace it: clips that have not changed are taken over",
                   {},
                   {again({{Call::Option::kReplace}})}};
}

/// Why a clip cannot be taken from any part.
Finding CrateOutput::not_there(std::size_t i) const {
    const std::string& name = jobs_->clips()[i].clip.range.name;
    for (const auto& part : from_) {
        if (!part->lists(name)) continue;
        std::vector<Call> calls;
        if (const auto& share = part->manifest().share) {
            const auto folder = share->part == ".." ? part->folder().parent_path() : part->folder();
            calls.push_back(
                {Call::Job::kPack,
                 (recipe_.folder / recipe_.file).string(),
                 {{Call::Option::kShare, fmt::format("{}/{}", share->number, share->of)},
                  {Call::Option::kOutput, folder.string()},
                  {Call::Option::kReplace}}});
        }
        const std::vector<std::string> broken = part->broken();
        const bool stale = broken.empty();
        return {Code::kShareDiffers,
                Severity::kStop,
                Place::in(part->folder().string()),
                stale ? fmt::format("\"{}\" was made of other inputs than those of now", name)
                      : "other bytes than its manifest says: " + name_list(broken),
                stale ? "what the recipe and its files are now" : "the files as they were packed",
                "pack it again",
                {},
                std::move(calls)};
    }
    return {Code::kShareMissing,
            Severity::kStop,
            Place::of(report_.name),
            fmt::format("no part has \"{}\"", name),
            "every clip",
            "pack its share",
            {},
            {{Call::Job::kPack, recipe_.file, {{Call::Option::kShare}}}}};
}

std::optional<StandingCrate::Clip> CrateOutput::find_standing(std::size_t i) const {
    std::optional<StandingCrate::Clip> have;
    if (!may_take_over()) return have;
    const Range& range = jobs_->clips()[i].clip.range;
    const std::string inputs = inputs_of(i);
    if (standing_) have = standing_->clip(range.name, inputs, range.where);
    for (std::size_t f = 0; f < from_.size() && !have; ++f)
        have = from_[f]->clip(range.name, inputs, range.where);
    return have;
}

std::optional<Result<OutputClip>> CrateOutput::standing(std::size_t i) const {
    if (shares_a_file()) return {};
    std::optional<StandingCrate::Clip> have = find_standing(i);
    if (!have && options_.only_from && !recipe_.skip_bad) return Result<OutputClip>(not_there(i));
    if (!have) return {};
    for (const auto& [file, bytes] : have->files)
        if (Status written = folder_->write(file, bytes); !written)
            return Result<OutputClip>(written.failures());
    return OutputClip{std::move(have->packed), {}, {}};
}

}  // namespace mellow
