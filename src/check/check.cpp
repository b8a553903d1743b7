#include "mellow/check.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

#include "base/text.h"
#include "check/check_folder.h"
#include "crate/file_names.h"
#include "disk/hash.h"
#include "mellow/parallel.h"
#include "mellow/read.h"

namespace mellow {
namespace {

namespace fs = std::filesystem;

bool is_scene_file(const fs::path& path) {
    const std::string ending = path.extension().string();
    return ending.size() > 1 && parse_file_format(ending.substr(1)).has_value();
}

/// Scene files below a folder, sorted; or the file itself.
std::vector<std::string> scene_files(const fs::path& path) {
    std::vector<std::string> files;
    std::error_code error;
    if (!fs::is_directory(path, error)) return {path.filename().string()};
    for (fs::recursive_directory_iterator at(path, error), end; !error && at != end;
         at.increment(error))
        if (at->is_regular_file(error) && is_scene_file(at->path()))
            files.push_back(at->path().lexically_relative(path).generic_string());
    std::sort(files.begin(), files.end());
    return files;
}

void check_bytes(const fs::path& folder, const FileRecord& record, CheckReport& report) {
    const auto bytes = read_file(folder / record.file);
    const bool same = bytes && hash_hex(bytes.value()) == record.hash;
    report.demands.push_back({"bytes", record.file, "the bytes that the manifest names",
                              !bytes ? bytes.failure().found
                              : same ? "the same"
                                     : "others",
                              same, same ? "" : "pack the crate again"});
}

/// Nothing lies in a crate that its manifest does not name.
void check_others(const fs::path& folder, const Manifest& manifest, CheckReport& report) {
    const std::vector<std::string> others = other_files(folder, files_of(manifest));
    report.demands.push_back({"only-named", "", "no file that the manifest does not name",
                              others.empty() ? "none" : name_list(others), others.empty(),
                              others.empty() ? "" : "take it away, or pack the crate again"});
}

/// One file and the demands on it.
struct Work {
    std::string file;
    std::vector<ListedClip> listed;
    bool skin = false, motion = false;
};

}  // namespace

std::size_t CheckReport::unmet() const {
    return static_cast<std::size_t>(
        std::count_if(demands.begin(), demands.end(), [](const Demand& d) { return !d.met; }));
}

std::vector<Demand> check_clip(const CheckedFile& file, const Target& target, const Scene* skin,
                               const std::vector<ListedClip>& listed, const std::string& base) {
    CheckReport report;
    report.crate = true;
    report.base = base;
    Checker checker(target, report);
    checker.reads(file);
    if (file.reads) checker.motion(file, skin, listed);
    return std::move(report.demands);
}

void check_listed(const fs::path& folder, const Target& target, const std::string& skin_file,
                  const std::vector<std::pair<std::string, ListedClip>>& clips, CheckReport& report,
                  KnownDemands known) {
    Checker checker(target, report);
    std::vector<Work> works;
    std::map<std::string, std::size_t> places;
    for (const auto& [file, clip] : clips) {
        const auto [place, fresh] = places.emplace(file, works.size());
        if (fresh) works.push_back({file, {}, false, true});
        works[place->second].listed.push_back(clip);
    }
    CheckedFile skin = read_checked(folder / skin_file, skin_file);
    checker.reads(skin);
    if (skin.reads) checker.skin(skin);
    const bool one_file = works.size() == 1 && works[0].file == skin_file;
    if (one_file && skin.reads) {
        checker.motion(skin, &skin.scene, works[0].listed);
        checker.layout(0, 0, skin.is_skin() && skin.is_motion() ? 1 : 0);
        report.files = 1;
    } else {
        std::vector<std::vector<Demand>> found(works.size());
        std::vector<std::size_t> skins(works.size(), 0);
        parallel_for(works.size(), [&](std::size_t i) {
            if (const auto have = known.unmet.find(works[i].file); have != known.unmet.end()) {
                found[i] = std::move(have->second);
                skins[i] = target.layout == Layout::kClipsWithSkin ? 1 : 0;
                return;
            }
            const CheckedFile file = read_checked(folder / works[i].file, works[i].file);
            found[i] = check_clip(file, target, skin.reads ? &skin.scene : nullptr, works[i].listed,
                                  report.base);
            skins[i] = file.is_skin() ? 1 : 0;
        });
        for (std::vector<Demand>& demands : found)
            for (Demand& d : demands) report.demands.push_back(std::move(d));
        const auto both = static_cast<std::size_t>(std::count(skins.begin(), skins.end(), 1U));
        checker.layout(1, works.size() - both, both);
        report.files = works.size() + 1;
    }
    std::vector<ListedClip> all;
    for (const auto& [file, clip] : clips) all.push_back(clip);
    checker.ids(all);
    checker.choice(all);
    checker.travel(all);
}

Result<CheckReport> check_crate(const fs::path& folder, const std::optional<Target>& other) {
    MELLOW_TRY(const Manifest manifest, Manifest::open(folder, Parts::kRefused));
    CheckReport report;
    report.what = folder.string();
    report.crate = true;
    report.base = folder.string();
    Target target;
    if (other) {
        target = *other;
    } else {
        MELLOW_TRY(target, read_target(folder / kTargetFile));
        target.name = manifest.target.name;
        target.files.front().file = (folder / kTargetFile).generic_string();
    }
    report.target = target.name;
    check_bytes(folder, manifest.skin, report);
    std::vector<std::pair<std::string, ListedClip>> clips;
    std::set<std::string> files;
    for (const PackedClip& clip : manifest.clips) {
        const FileRecord& record = clip.file;
        if (files.insert(record.file).second && record.file != manifest.skin.file)
            check_bytes(folder, record, report);
        clips.emplace_back(record.file, ListedClip{clip.clip.name, clip.clip});
    }
    check_others(folder, manifest, report);
    check_listed(folder, target, manifest.skin.file, clips, report);
    for (Demand& d : report.demands) {
        const auto& lets = manifest.accepted;
        if (other || d.met || std::find(lets.begin(), lets.end(), d.id) == lets.end()) continue;
        d.met = true;
        d.found += ", as its recipe accepts";
    }
    return report;
}

Result<CheckReport> check_files(const fs::path& path, const Target& target) {
    std::error_code error;
    if (!fs::exists(path, error))
        return Finding{Code::kFileMissing,
                       Severity::kStop,
                       Place::in(path.string()),
                       "no such file",
                       "a scene file, a folder or a crate",
                       "correct the path"};
    const bool folder = fs::is_directory(path, error);
    const std::vector<std::string> files = scene_files(path);
    if (files.empty())
        return Finding{Code::kFileMissing,
                       Severity::kStop,
                       Place::in(path.string()),
                       "no scene file",
                       ".glb, .gltf, .dae, .bvh or .csv",
                       "another folder"};
    const fs::path base = folder ? path : path.parent_path();
    CheckReport report;
    report.what = path.string();
    report.target = target.name;
    report.files = files.size();
    report.alone = !folder;
    report.base = base.string();
    Checker checker(target, report);
    // Skins are found first: clips are checked against the first of them.
    std::vector<std::array<bool, 2>> kinds(files.size());
    std::vector<char> reads(files.size(), 1);
    parallel_for(files.size(), [&](std::size_t i) {
        const CheckedFile file = read_checked(base / files[i], files[i]);
        reads[i] = file.reads ? 1 : 0;
        kinds[i] = {file.is_skin(), file.is_motion()};
    });
    std::optional<CheckedFile> skin;
    std::size_t skins = 0, motions = 0, both = 0;
    for (std::size_t i = 0; i < files.size(); ++i) {
        if (reads[i] != 0 && kinds[i][0]) (kinds[i][1] ? both : skins) += 1;
        if (reads[i] != 0 && !kinds[i][0]) ++motions;
        if (reads[i] == 0 || !kinds[i][0]) continue;
        CheckedFile file = read_checked(base / files[i], files[i]);
        checker.reads(file);
        checker.skin(file);
        if (!skin || (skin->is_motion() && !file.is_motion())) skin = std::move(file);
    }
    CheckReport blank;
    blank.alone = report.alone;
    blank.base = report.base;
    std::vector<CheckReport> reports(files.size(), blank);
    parallel_for(files.size(), [&](std::size_t i) {
        if (reads[i] != 0 && !kinds[i][1]) return;
        Checker inner(target, reports[i]);
        const CheckedFile file = read_checked(base / files[i], files[i]);
        if (!file.reads || !file.is_skin()) inner.reads(file);
        if (file.reads) inner.motion(file, skin ? &skin->scene : nullptr, {});
    });
    for (CheckReport& r : reports)
        for (Demand& d : r.demands) report.demands.push_back(std::move(d));
    if (folder) checker.layout(skins, motions, both);
    return report;
}

}  // namespace mellow
