#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

#include "base/text.h"
#include "crate/file_names.h"
#include "mellow/read.h"
#include "mellow/share.h"
#include "pack/crate_files.h"

namespace mellow {
namespace {

namespace fs = std::filesystem;

/// How deep below a folder parts are looked for: of several recipes, each for several targets.
constexpr int kDepth = 3;

/// A part, and what tells it from another of the same share.
struct Facts : Part {
    std::string skin;                          ///< hash
    std::map<std::string, std::string> files;  ///< hash of each clip's file
};

Result<std::optional<Facts>> read_part(const fs::path& folder) {
    MELLOW_TRY(const Manifest manifest, Manifest::open(folder, Parts::kOpened));
    if (!manifest.share) return std::optional<Facts>();
    Facts part;
    part.folder = folder;
    part.crate = manifest.name;
    part.target = manifest.target.name;
    part.skin = manifest.skin.hash;
    part.share = *manifest.share;
    part.recipe = (folder / part.share.recipe).lexically_normal();
    for (const PackedClip& clip : manifest.clips) part.files[clip.clip.name] = clip.file.hash;
    part.clips = part.files.size();
    return std::optional<Facts>(std::move(part));
}

Result<std::vector<Facts>> parts_in(const fs::path& folder) {
    const auto none = [&](const char* found) {
        return Finding{
            Code::kFileMissing,
            Severity::kStop,
            Place::in(folder.string()),
            found,
            "a part: the folder of a share that was packed, or one with such folders",
            "pack shares into it",
            {},
            {{Call::Job::kPack,
              "RECIPE",
              {{Call::Option::kShare, "1/4"}, {Call::Option::kOutput, folder.string()}}}}};
    };
    std::error_code error;
    if (!fs::is_directory(folder, error)) return none("no folder");
    std::vector<fs::path> places;
    const bool itself = fs::is_regular_file(folder / kManifestFile, error);
    if (itself) places.push_back(folder);
    for (fs::recursive_directory_iterator at(folder, error), end; !itself && !error && at != end;
         at.increment(error)) {
        const std::string name = at->path().filename().string();
        const bool aside = name.find(".backup-") != name.npos ||
                           name.find(".partial-") != name.npos ||
                           name.find(".rejected-") != name.npos;
        const bool crate = fs::is_regular_file(at->path() / kManifestFile, error);
        if (aside || crate || at.depth() + 1 >= kDepth) at.disable_recursion_pending();
        if (crate && !aside) places.push_back(at->path());
        error.clear();
    }
    std::sort(places.begin(), places.end());
    std::vector<Facts> out;
    for (const fs::path& place : places) {
        MELLOW_TRY(std::optional<Facts> part, read_part(place));
        if (part) out.push_back(std::move(*part));
    }
    if (itself && out.empty()) return none("a whole crate, no part of one");
    if (out.empty()) return none("no part in it");
    return out;
}

/// What packs a share again. Its folder is called as those of the others: where a part of the path
/// is their own number, it is this one's.
Call packing(const Facts& like, int number) {
    fs::path folder;
    const fs::path part = like.share.part == ".." ? like.folder.parent_path() : like.folder;
    for (const fs::path& name : part) {
        const bool own = name == std::to_string(like.share.number);
        folder /= own ? fs::path(std::to_string(number)) : name;
    }
    if (folder == part && number != like.share.number)
        folder = part.parent_path() / std::to_string(number);
    return {Call::Job::kPack,
            like.recipe.string(),
            {{Call::Option::kShare, fmt::format("{}/{}", number, like.share.of)},
             {Call::Option::kOutput, folder.string()}}};
}

/// Everything that is wrong with the parts of one crate.
Findings judge(const std::string& crate, const std::vector<const Facts*>& parts) {
    Findings out;
    std::map<std::string, std::vector<std::string>> plans;
    for (const Facts* part : parts)
        plans[fmt::format("{} shares, plan {}", part->share.of, part->share.plan.substr(0, 8))]
            .push_back(part->folder.string());
    if (plans.size() > 1) {
        std::string found;
        for (const auto& [plan, folders] : plans)
            found += fmt::format("{}{}: {}", found.empty() ? "" : "; ", plan, name_list(folders));
        out.push_back({Code::kShareDiffers,
                       Severity::kStop,
                       Place::in(crate),
                       "parts of different plans: " + found,
                       "parts of one plan",
                       "pack the older shares again, or gather those of one plan",
                       {},
                       {again({{Call::Option::kReplace}})}});
        return out;
    }
    const Facts& first = *parts.front();
    std::map<int, const Facts*> have;
    for (const Facts* part : parts) {
        const auto [other, fresh] = have.emplace(part->share.number, part);
        if (fresh || (other->second->files == part->files && other->second->skin == part->skin))
            continue;
        Call again = packing(*part, part->share.number);
        again.asked.push_back({Call::Option::kReplace});
        out.push_back(
            {Code::kShareDiffers,
             Severity::kStop,
             Place::in(part->folder.string()),
             fmt::format("share {} of {}, with other files than {} has", part->share.number,
                         part->share.of, other->second->folder.string()),
             "the same files where a share was packed twice",
             "pack it again",
             {},
             {std::move(again)}});
    }
    std::vector<std::string> missing;
    std::vector<Call> calls;
    for (int number = 1; number <= first.share.of; ++number) {
        if (have.contains(number)) continue;
        missing.push_back(std::to_string(number));
        if (missing.size() <= 8) calls.push_back(packing(first, number));
    }
    if (!missing.empty())
        out.push_back({Code::kShareMissing,
                       Severity::kStop,
                       Place::in(crate),
                       fmt::format("{} of {} shares: without {}", have.size(), first.share.of,
                                   name_list(missing)),
                       "every share",
                       "pack them",
                       {},
                       std::move(calls)});
    return out;
}

Recipe with_output(Recipe recipe, const fs::path& folder) {
    recipe.output = folder;
    return recipe;
}

}  // namespace

Result<std::vector<Part>> find_parts(const fs::path& folder) {
    MELLOW_TRY(const std::vector<Facts> parts, parts_in(folder));
    return std::vector<Part>(parts.begin(), parts.end());
}

Result<std::vector<PackReport>> pack_share(const Recipe& recipe, const Share& share,
                                           const fs::path& folder, PackOptions options) {
    MELLOW_TRY(options.share, parse_share(fmt::format("{}/{}", share.number, share.of)));
    options.ids_from = recipe.output;
    return pack_all(with_output(recipe, folder), options);
}

Result<PackPlan> plan_share(const Recipe& recipe, const Share& share, const fs::path& folder,
                            PackOptions options) {
    MELLOW_TRY(options.share, parse_share(fmt::format("{}/{}", share.number, share.of)));
    options.ids_from = recipe.output;
    return plan_pack(with_output(recipe, folder), options);
}

Result<std::vector<PackReport>> gather(const std::vector<fs::path>& folders,
                                       const GatherOptions& options) {
    std::vector<Facts> parts;
    Findings wrong;
    for (const fs::path& folder : folders) {
        auto found = parts_in(folder);
        if (!found) {
            append(wrong, std::move(found).failures());
            continue;
        }
        for (Facts& part : found.value()) {
            std::error_code error;
            if (!options.recipe.empty()) part.recipe = options.recipe;
            // The same folder, given twice, is one part.
            const bool twice = std::any_of(parts.begin(), parts.end(), [&](const Facts& other) {
                return fs::equivalent(other.folder, part.folder, error);
            });
            if (!twice) parts.push_back(std::move(part));
        }
    }
    if (!wrong.empty()) return wrong;
    // Of each recipe the parts of each crate.
    std::map<fs::path, std::map<std::string, std::vector<const Facts*>>> recipes;
    for (const Facts& part : parts)
        recipes[part.recipe][part.crate + ", " + part.target].push_back(&part);
    if (recipes.size() > 1 && !options.output.empty()) {
        std::vector<std::string> names;
        for (const auto& [recipe, crates] : recipes) names.push_back(recipe.string());
        return Finding{Code::kValueBad,
                       Severity::kStop,
                       "output",
                       "parts of several recipes: " + name_list(names),
                       "one folder for the crate of one recipe",
                       "without it each crate goes where its recipe says; or gather one at a time"};
    }
    for (const auto& [recipe, crates] : recipes)
        for (const auto& [crate, of] : crates) append(wrong, judge(crate, of));
    if (!wrong.empty()) return wrong;
    std::vector<PackReport> reports;
    for (const auto& [file, crates] : recipes) {
        auto recipe = read_recipe(file);
        if (!recipe) {
            Findings failures = recipe.failures();
            if (failures.front().code == Code::kFileMissing && options.recipe.empty())
                failures.front().remedy = "say where it is",
                failures.front().calls = {again({{Call::Option::kRecipe, "FILE"}})};
            return failures;
        }
        PackOptions packing;
        packing.replace = options.replace;
        packing.keep = options.keep;
        packing.progress = options.progress;
        packing.only_from = true;
        packing.ids_from = recipe.value().output;
        for (const auto& [crate, of] : crates)
            for (const Facts* part : of) packing.from.push_back(part->folder);
        if (!options.output.empty()) recipe.value().output = options.output;
        if (options.keep_going) recipe.value().skip_bad = true;
        MELLOW_TRY(std::vector<PackReport> made, pack_all(recipe.value(), packing));
        for (PackReport& report : made) reports.push_back(std::move(report));
    }
    return reports;
}

}  // namespace mellow
