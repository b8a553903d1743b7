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
    ClipJob job = jobs_.clips()[i];
    if (!names_.ids.empty()) job.clip.labels.id = names_.ids[i];
    std::string inputs = clip_inputs(recipe_, target_, jobs_, job, report_);
    // Other targets of the rate that stand before it measure it.
    for (const Target& before : recipe_.targets) {
        if (&before == &target_) return inputs;
        if (before.rate == target_.rate) inputs = hash_of(inputs + before.text);
    }
    return inputs;
}

Result<Scene> CrateOutput::motion_of(const PackedClip& packed) const {
    const ClipInfo& told = packed.clip;
    if (shared_) return shared_->motion(told.name, told.samples);
    MELLOW_TRY(StoredFile stored, stored_file(folder()->path() / packed.file.file));
    return decode_clip(std::move(stored), target_, figure_->skin(), told.name, told.samples);
}

/// The share's clips, and the hash of what all shares have in common.
Status CrateOutput::settle_share() {
    Share share = *options_.share;
    dealt_ = dealt_clips(jobs_, target_, share.of);
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
    const StandingCrate* standing = place_.standing();
    const auto have = standing != nullptr ? standing->manifest().share : std::optional<Share>();
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

std::optional<StandingCrate::Clip> CrateOutput::find_standing(std::size_t i) const {
    if (shares_a_file(target_) || !place_.may_take_over()) return {};
    return place_.clip(jobs_.clips()[i].clip.range, inputs_of(i));
}

std::optional<Result<OutputClip>> CrateOutput::standing(std::size_t i) const {
    if (shares_a_file(target_)) return {};
    std::optional<StandingCrate::Clip> have = find_standing(i);
    if (!have && options_.only_from && !recipe_.skip_bad)
        return Result<OutputClip>(place_.not_there(jobs_.clips()[i].clip.range.name));
    if (!have) return {};
    for (const auto& [file, bytes] : have->files)
        if (Status written = folder()->write(file, bytes); !written)
            return Result<OutputClip>(written.failures());
    return OutputClip{std::move(have->packed), {}, {}};
}

}  // namespace mellow
