#include "pack/standing_crate.h"

#include <fmt/format.h>

#include <algorithm>
#include <atomic>

#include "base/finding_json.h"
#include "crate/hash.h"
#include "mellow/parallel.h"
#include "mellow/read.h"
#include "pack/checks.h"
#include "pack/clip_names.h"
#include "pack/clip_record.h"
#include "pack/crate_output.h"
#include "pack/inputs.h"
#include "pack/manifest.h"

namespace mellow {

Result<std::unique_ptr<StandingCrate>> StandingCrate::open(const std::filesystem::path& folder,
                                                           const Recipe& recipe,
                                                           const Target& target) {
    std::unique_ptr<StandingCrate> none;
    MELLOW_TRY(std::optional<Manifest> standing, open_standing_manifest(folder));
    if (!standing) return none;
    JsonMembers& manifest = standing->json;
    if (!manifest.has("arithmetic") || manifest.whole("arithmetic") != kArithmetic ||
        standing->name != recipe.name || standing->target.name != target.name ||
        !(standing->target.convention == target.convention) ||
        !(standing->target.rate == target.rate))
        return none;
    std::string head = "{";
    for (const std::string& key : manifest.keys())
        if (key != "clips")
            head += fmt::format("{}\"{}\":{}", head.size() > 1 ? "," : "", key, manifest.raw(key));
    head += "}";
    std::unique_ptr<StandingCrate> crate(
        new StandingCrate(folder, JsonMembers(Bytes(head.begin(), head.end()))));
    JsonMembers& json = crate->head_;
    crate->inside_ = Conversion(target.convention, {});
    for (JsonMembers& source : json.objects("sources"))
        crate->sources_.push_back(read_file_record(source, source.text("role")));
    JsonMembers skin = json.object("skin");
    crate->skin_ = read_file_record(skin, "skin");
    if (json.has("picture")) {
        JsonMembers picture = json.object("picture");
        crate->picture_ = read_file_record(picture, "picture");
    }
    for (std::string& clip : manifest.raws("clips")) {
        crate->names_.push_back(JsonMembers(Bytes(clip.begin(), clip.end())).text("name"));
        crate->clips_.emplace(crate->names_.back(), std::move(clip));
    }
    if (manifest.failed()) return standing->bad(manifest.error());
    if (json.failed()) return standing->bad(json.error());
    return crate;
}

JsonMembers StandingCrate::record(const std::string& clip) const {
    const std::string& text = clips_.at(clip);
    return JsonMembers(Bytes(text.begin(), text.end()));
}

std::optional<Bytes> StandingCrate::checked(const FileRecord& file) const {
    auto bytes = read_file(folder_ / file.file);
    if (!bytes || hash_hex(bytes.value()) != file.hash) return {};
    return std::move(bytes).value();
}

bool StandingCrate::fits(const Recipe& recipe, const Target& target) const {
    if (head_.has("skipped") || head_.has("share")) return false;
    // Where each source lies; parts lie beside the file that refers to them.
    std::vector<std::string> motions;
    std::vector<std::pair<std::filesystem::path, std::string>> files;
    std::filesystem::path last;
    std::size_t of_target = 0;
    for (const FileRecord& source : sources_) {
        if (source.role == "target" || source.role == "joint list") {
            // The recipe has read them anew.
            if (of_target >= target.files.size() || target.files[of_target].hash != source.hash)
                return false;
            ++of_target;
            continue;
        }
        if (source.role == "recipe") {
            if (source.hash != recipe.hash) return false;
            continue;
        }
        if (source.role.ends_with(" part")) {
            files.emplace_back(last.parent_path() / source.file, source.hash);
            continue;
        }
        const std::string name = source.role == "scene"       ? recipe.source
                                 : source.role == "rig sheet" ? recipe.rig
                                 : source.role == "axes"      ? recipe.axes
                                                              : source.file;
        if (source.role == "motion") motions.push_back(source.file);
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
    add(skin_);
    files.emplace_back(folder_ / "recipe.toml", hash_of(recipe.text));
    std::error_code error;
    if (!std::filesystem::exists(folder_ / "report.txt", error)) return false;
    if (recipe.picture != !picture_.file.empty()) return false;
    if (recipe.picture) files.emplace_back(folder_ / picture_.file, picture_.hash);
    for (const std::string& name : names_) {
        JsonMembers clip = record(name);
        add(read_file_record(clip, "clip"));
        if (recipe.thumbnails.has_value() != clip.has("thumbnail")) return false;
        if (!recipe.thumbnails) continue;
        JsonMembers thumbnail = clip.object("thumbnail");
        add(read_file_record(thumbnail, "thumbnail"));
        if (clip.failed()) return false;
    }
    std::atomic<bool> same = !head_.failed();
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
    JsonMembers& json = head_;
    out.name = recipe.name;
    out.target = target.name;
    out.rate = target.rate;
    out.tolerance = recipe.tolerance;
    out.folder = folder_;
    out.sources = sources_;
    out.skin = skin_;
    out.picture = picture_;
    JsonMembers skeleton = json.object("skeleton"), skin = json.object("skin");
    out.root = skeleton.text("root");
    out.hips = skeleton.text("hips");
    out.joints = skeleton.texts("joints");
    out.morph_targets = skin.texts("morph_targets");
    out.height_m = skin.number("height_m");
    out.proven = json.object("proof").flag("passed");
    for (const std::string& name : names_) {
        JsonMembers clip = record(name);
        out.clips.push_back(read_clip(clip, inside_, ""));
        if (clip.failed()) return {};
    }
    for (PackedClip& clip : out.clips) clip.reused = true;
    out.reused = out.clips.size();
    for (const auto& [code, level] : recipe.checks)
        if (!level) out.off.emplace_back(name(code));
    const auto text = read_file(folder_ / "report.json");
    if (!text) return {};
    JsonMembers told(text.value());
    out.findings = read_findings(told, "findings", "");
    if (told.failed() || json.failed() || !out.proven) return {};
    out.placed = out.unchanged = true;
    return out;
}

std::optional<StandingCrate::Clip> StandingCrate::clip(const std::string& name,
                                                       const std::string& inputs,
                                                       const std::string& where) const {
    if (!clips_.contains(name)) return {};
    JsonMembers told = record(name);
    if (!told.has("inputs") || told.text("inputs") != inputs) return {};
    Clip out;
    out.packed = read_clip(told, inside_, where);
    if (told.failed()) return {};
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

std::optional<Share> StandingCrate::share() const {
    if (!head_.has("share")) return {};
    JsonMembers share = head_.object("share");
    return read_share(share);
}

std::vector<std::string> StandingCrate::broken() const {
    std::vector<FileRecord> files;
    for (const auto& [name, clip] : clips_) {
        JsonMembers told(Bytes(clip.begin(), clip.end()));
        const FileRecord file = read_file_record(told, "clip");
        files.push_back(file);
        files.insert(files.end(), file.parts.begin(), file.parts.end());
    }
    std::vector<std::string> out;
    for (const FileRecord& file : files)
        if (!checked(file)) out.push_back(file.file);
    return out;
}

std::optional<Bytes> StandingCrate::picture() const {
    return picture_.file.empty() ? std::nullopt : checked(picture_);
}

Result<std::map<std::string, int>> numbers_before(const Recipe& recipe, const Target& target,
                                                  const PackOptions& options) {
    std::map<std::string, int> ids;
    const bool other = !options.ids_from.empty();
    if (!target.ids || (!other && !options.replace)) return ids;
    Recipe from;
    from.output = other ? options.ids_from : recipe.output;
    from.targets = recipe.targets;
    MELLOW_TRY(std::optional<Manifest> manifest, open_standing_manifest(output_of(from, target)));
    if (!manifest) return ids;
    for (JsonMembers& clip : manifest->json.objects("clips"))
        if (clip.has("id")) ids[clip.text("name")] = clip.whole("id");
    if (manifest->json.failed()) return manifest->bad(manifest->json.error());
    return ids;
}

}  // namespace mellow
