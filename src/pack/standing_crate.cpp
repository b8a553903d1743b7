#include "pack/standing_crate.h"

#include <fmt/format.h>

#include <algorithm>
#include <atomic>

#include "crate/clip_record.h"
#include "crate/file_names.h"
#include "disk/hash.h"
#include "disk/json_members.h"
#include "mellow/parallel.h"
#include "mellow/read.h"
#include "pack/crate_place.h"
#include "recipe/checks.h"
#include "recipe/clip_names.h"

namespace mellow {

Result<std::unique_ptr<StandingCrate>> StandingCrate::open(const std::filesystem::path& folder,
                                                           const Recipe& recipe,
                                                           const Target& target) {
    std::unique_ptr<StandingCrate> none;
    MELLOW_TRY(std::optional<Manifest> standing, Manifest::open_standing(folder));
    if (!standing || standing->name != recipe.name || standing->target.name != target.name ||
        !(standing->target.convention == target.convention) ||
        !(standing->target.rate == target.rate))
        return none;
    return std::unique_ptr<StandingCrate>(new StandingCrate(folder, std::move(*standing)));
}

std::optional<Bytes> StandingCrate::checked(const FileRecord& file) const {
    auto bytes = read_file(folder_ / file.file);
    if (!bytes || hash_hex(bytes.value()) != file.hash) return {};
    return std::move(bytes).value();
}

bool StandingCrate::fits(const Recipe& recipe, const Target& target) const {
    if (!manifest_.skipped.empty() || manifest_.share) return false;
    // Where each source lies; parts lie beside the file that refers to them.
    std::vector<std::string> motions;
    std::vector<std::pair<std::filesystem::path, std::string>> files;
    std::filesystem::path last;
    std::size_t of_target = 0;
    for (const FileRecord& source : manifest_.sources) {
        if (source.role == FileRole::kTarget || source.role == FileRole::kJointList) {
            // The recipe has read them anew.
            if (of_target >= target.files.size() || target.files[of_target].hash != source.hash)
                return false;
            ++of_target;
            continue;
        }
        if (source.role == FileRole::kRecipe) {
            if (source.hash != recipe.hash) return false;
            continue;
        }
        if (source.part) {
            files.emplace_back(last.parent_path() / source.file, source.hash);
            continue;
        }
        const std::string name = source.role == FileRole::kScene      ? recipe.source
                                 : source.role == FileRole::kRigSheet ? recipe.rig
                                 : source.role == FileRole::kAxes     ? recipe.axes
                                                                      : source.file;
        if (source.role == FileRole::kMotion) motions.push_back(source.file);
        last = recipe.folder / name;
        files.emplace_back(last, source.hash);
    }
    std::vector<std::string> wanted;
    for (const RecipeSource& source : recipe.sources) {
        const auto found = matching_files(recipe.folder, source.file);
        wanted.insert(wanted.end(), found.begin(), found.end());
    }
    if (wanted != motions) return false;
    if (of_target != target.files.size()) return false;
    const auto add = [&](const FileRecord& file) {
        files.emplace_back(folder_ / file.file, file.hash);
        for (const FileRecord& part : file.parts)
            files.emplace_back(folder_ / part.file, part.hash);
    };
    add(manifest_.skin);
    files.emplace_back(folder_ / kRecipeFile, hash_of(recipe.text));
    std::error_code error;
    if (!std::filesystem::exists(folder_ / kReportText, error)) return false;
    if (recipe.picture == manifest_.picture.file.empty()) return false;
    if (recipe.picture) add(manifest_.picture);
    for (const PackedClip& clip : manifest_.clips) {
        add(clip.file);
        if (recipe.thumbnails.has_value() == clip.thumbnail.file.empty()) return false;
        if (recipe.thumbnails) add(clip.thumbnail);
    }
    std::atomic<bool> same = true;
    constexpr std::size_t kPiece = 16;  // files are small: not one task for each
    parallel_for((files.size() + kPiece - 1) / kPiece, [&](std::size_t p) {
        for (std::size_t i = p * kPiece; i < std::min(files.size(), (p + 1) * kPiece) && same;
             ++i) {
            const auto bytes = read_file(files[i].first);
            if (!bytes || hash_hex(bytes.value()) != files[i].second) same = false;
        }
    });
    return same;
}

std::optional<PackReport> StandingCrate::report(const Recipe& recipe, const Target& target) const {
    PackReport out;
    static_cast<Manifest&>(out) = manifest_;
    out.target = target;
    out.tolerance = recipe.tolerance;
    out.folder = folder_;
    for (PackedClip& clip : out.clips) {
        clip = placed_at(std::move(clip), "");
        clip.reused = true;
    }
    out.reused = out.clips.size();
    for (const auto& [code, level] : recipe.checks)
        if (!level) out.off.emplace_back(name(code));
    const auto text = read_file(folder_ / kReportFile);
    if (!text) return {};
    JsonMembers told(text.value());
    out.findings = read_findings(told, "findings", "");
    if (told.failed() || !out.proven) return {};
    out.placed = out.unchanged = true;
    return out;
}

std::optional<StandingCrate::Clip> StandingCrate::clip(const std::string& name,
                                                       const std::string& inputs,
                                                       const Place& where) const {
    const auto found = clips_.find(name);
    if (found == clips_.end() || found->second->inputs.empty() || found->second->inputs != inputs)
        return {};
    Clip out;
    out.packed = placed_at(*found->second, where);
    std::vector<FileRecord> files = out.packed.file.parts;
    files.insert(files.begin(), out.packed.file);
    for (const FileRecord& file : files) {
        auto bytes = checked(file);
        if (!bytes) return {};
        out.files.emplace_back(file.file, std::move(*bytes));
    }
    out.packed.reused = true;
    return out;
}

bool StandingCrate::was_changed(const std::string& name, const std::string& inputs) const {
    const auto found = clips_.find(name);
    return found != clips_.end() && !found->second->inputs.empty() &&
           found->second->inputs == inputs && !checked(found->second->file);
}

std::vector<std::string> StandingCrate::broken() const {
    std::vector<std::string> out;
    for (const PackedClip& clip : manifest_.clips) {
        if (!checked(clip.file)) out.push_back(clip.file.file);
        for (const FileRecord& part : clip.file.parts)
            if (!checked(part)) out.push_back(part.file);
    }
    return out;
}

std::optional<Bytes> StandingCrate::picture() const {
    return manifest_.picture.file.empty() ? std::nullopt : checked(manifest_.picture);
}

Result<std::map<std::string, int>> numbers_before(const Recipe& recipe, const Target& target,
                                                  const PackOptions& options) {
    std::map<std::string, int> ids;
    const bool other = !options.ids_from.empty();
    if (!target.ids || (!other && !options.replace)) return ids;
    Recipe from;
    from.output = other ? options.ids_from : recipe.output;
    from.targets = recipe.targets;
    MELLOW_TRY(const std::optional<Manifest> manifest,
               Manifest::open_standing(output_of(from, target)));
    if (!manifest) return ids;
    for (const PackedClip& clip : manifest->clips)
        if (clip.clip.labels.id >= 0) ids[clip.clip.name] = clip.clip.labels.id;
    return ids;
}

}  // namespace mellow
