#include "pack/crate_place.h"

#include <fmt/format.h>

#include "base/text.h"
#include "crate/file_names.h"

namespace mellow {

std::filesystem::path output_of(const Recipe& recipe, const Target& target) {
    return recipe.targets.size() > 1 ? recipe.output / target.name : recipe.output;
}

CratePlace::CratePlace(const Recipe& recipe, const Target& target, const PackOptions& options)
    : recipe_(recipe), target_(target), options_(options), path_(output_of(recipe, target)) {}

Result<CratePlace> CratePlace::open(const Recipe& recipe, const Target& target,
                                    const PackOptions& options) {
    CratePlace place(recipe, target, options);
    MELLOW_TRY(auto standing, StandingCrate::open(place.path_, recipe, target));
    const bool own = standing && place.is_own(*standing);
    MELLOW_CHECK(place.make_folder(own));
    MELLOW_CHECK(place.look_into(std::move(standing), own));
    return place;
}

Result<CratePlace> CratePlace::look(const Recipe& recipe, const Target& target,
                                    const PackOptions& options) {
    CratePlace place(recipe, target, options);
    MELLOW_TRY(auto standing, StandingCrate::open(place.path_, recipe, target));
    const bool own = standing && place.is_own(*standing);
    MELLOW_CHECK(place.look_into(std::move(standing), own));
    return place;
}

Status CratePlace::make_folder(bool own) {
    std::filesystem::path place = path_;
    if (options_.rehearse) {
        std::error_code error;
        const auto scratch = std::filesystem::temp_directory_path(error);
        if (error)
            return Finding{Code::kOutputUnwritable,
                           Severity::kStop,
                           "TMPDIR",
                           "no folder for files that are not kept: " + error.message(),
                           "a folder that exists and can be written to",
                           "export TMPDIR=/tmp"};
        place = scratch / fmt::format("mellow-{}-{}", recipe_.name, target_.name);
    }
    MELLOW_TRY(
        StagedFolder folder,
        StagedFolder::open(place, options_.rehearse || options_.replace || own, foreign_to_crate));
    folder_ = std::make_unique<StagedFolder>(std::move(folder));
    return {};
}

bool CratePlace::is_own(const StandingCrate& crate) const {
    const auto have = crate.manifest().share;
    return have && options_.share && have->number == options_.share->number &&
           have->of == options_.share->of;
}

Status CratePlace::look_into(std::unique_ptr<StandingCrate> standing, bool own) {
    if (options_.all) return {};
    if (options_.replace || own) standing_ = std::move(standing);
    for (const std::filesystem::path& from : options_.from)
        for (const auto& place : {from, from / target_.name}) {
            MELLOW_TRY(auto crate, StandingCrate::open(place, recipe_, target_));
            if (crate) from_.push_back(std::move(crate));
        }
    return {};
}

std::optional<PackReport> CratePlace::unchanged() const {
    if (!standing_ || options_.share || !standing_->fits(recipe_, target_)) return {};
    return standing_->report(recipe_, target_);
}

std::optional<StandingCrate::Clip> CratePlace::clip(const Range& range,
                                                    const std::string& inputs) const {
    std::optional<StandingCrate::Clip> have;
    if (standing_) have = standing_->clip(range.name, inputs, range.where);
    for (std::size_t f = 0; f < from_.size() && !have; ++f)
        have = from_[f]->clip(range.name, inputs, range.where);
    return have;
}

Finding CratePlace::not_there(const std::string& name) const {
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
            Place::of(recipe_.name),
            fmt::format("no part has \"{}\"", name),
            "every clip",
            "pack its share",
            {},
            {{Call::Job::kPack, recipe_.file, {{Call::Option::kShare}}}}};
}

}  // namespace mellow
