// Demands on files as such: format, axes, names, layout. Skins and clips are beside.
#include "check/checker.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/at.h"
#include "base/text.h"
#include "recipe/clip_names.h"

namespace mellow {
namespace {

/// Shorter ways in all say nothing of where a figure faces.
constexpr double kWay_m = 1;

/// Whether `name` could be `pattern` with something in the place of each field; `id` takes the
/// number where there is one.
bool fits_name(const std::string& pattern, std::size_t p, const std::string& name, std::size_t n,
               std::optional<int>& id) {
    if (p == pattern.size()) return n == name.size();
    if (pattern[p] != '{') {
        return n < name.size() && pattern[p] == name[n] &&
               fits_name(pattern, p + 1, name, n + 1, id);
    }
    const std::size_t close = pattern.find('}', p);
    if (close == std::string::npos) return false;
    const std::string field = pattern.substr(p + 1, close - p - 1);
    const bool number = field.starts_with("index") || field.starts_with("id");
    const auto colon = field.find(":0");
    const std::size_t least =
        colon == std::string::npos ? 1 : static_cast<std::size_t>(field[colon + 2] - '0');
    for (std::size_t end = n + 1; end <= name.size(); ++end) {
        const char c = name[end - 1];
        if (number && std::isdigit(static_cast<unsigned char>(c)) == 0) break;
        if (number && end - n < least) continue;
        std::optional<int> inner = id;
        if (field.starts_with("id") && end - n < 10) inner = std::stoi(name.substr(n, end - n));
        if (fits_name(pattern, close + 1, name, end, inner)) {
            id = inner;
            return true;
        }
    }
    return false;
}

std::string listing(std::size_t skins, std::size_t motions, std::size_t both) {
    return fmt::format("{} skins alone, {} of motion alone, {} of both", skins, motions, both);
}

}  // namespace

std::vector<int> joints_of(const Scene& scene) {
    std::vector<int> joints;
    std::set<int> seen;
    for (const Skin& skin : scene.skins)
        for (const int j : skin.joints)
            if (seen.insert(j).second) joints.push_back(j);
    if (!scene.skins.empty()) return joints;
    for (std::size_t n = 0; n < scene.nodes.size(); ++n)
        if (scene.nodes[n].mesh == kNone && !scene.nodes[n].end_site)
            joints.push_back(static_cast<int>(n));
    return joints;
}

void Checker::demand(const char* id, const std::string& file, std::string wanted, std::string found,
                     bool met, std::string remedy, std::vector<Call> calls) {
    Demand& demand = report_.demands.emplace_back(
        Demand{id, file, std::move(wanted), std::move(found), met, {}, {}});
    if (met) return;
    demand.remedy = std::move(remedy);
    demand.calls = std::move(calls);
}

std::vector<Call> Checker::convert(const CheckedFile& file, FileFormat into,
                                   std::vector<Call::Asked> asked) const {
    asked.push_back({Call::Option::kOutput, fmt::format("fixed.{}", mellow::name(into))});
    return {{Call::Job::kConvert,
             (std::filesystem::path(report_.base) / file.file).generic_string(), std::move(asked)}};
}

void Checker::reads(const CheckedFile& file) {
    demand("reads", file.file, "a file that can be read",
           file.reads ? "it can" : file.trouble.front().found, file.reads, "write it again");
}

void Checker::format(const CheckedFile& file, FileFormat wanted) {
    demand("format", file.file, std::string(mellow::name(wanted)),
           std::string(mellow::name(file.format)), file.format == wanted, "convert it",
           convert(file, wanted));
}

/// What a file says of its numbers.
void Checker::convention(const CheckedFile& file) {
    if (!traits(file.format).own_units) return;  // they say nothing
    const Convention &is = file.scene.convention, &wanted = target_.convention;
    const std::string remedy = "convert it for the target";
    const std::vector<Call> calls =
        convert(file, file.format,
                {{Call::Option::kTarget,
                  target_.files.empty() ? target_.name : target_.files.front().file}});
    demand("unit", file.file, fmt::format("{} metres per unit", wanted.metres_per_unit),
           fmt::format("{}", is.metres_per_unit),
           std::abs(is.metres_per_unit - wanted.metres_per_unit) <= 1e-9 * wanted.metres_per_unit,
           remedy, calls);
    demand("up", file.file, std::string(mellow::name(wanted.up)), std::string(mellow::name(is.up)),
           is.up == wanted.up, remedy, calls);
    demand("front", file.file, std::string(mellow::name(wanted.front)),
           std::string(mellow::name(is.front)), is.front == wanted.front, remedy, calls);
    demand("hand", file.file, std::string(mellow::name(wanted.hand)),
           std::string(mellow::name(is.hand)), is.hand == wanted.hand, remedy, calls);
    std::vector<std::string> lights, cameras;
    for (const Node& node : file.scene.nodes) {
        if (node.light) lights.push_back(node.name);
        if (node.camera != kNone) cameras.push_back(node.name);
    }
    demand("no-lights", file.file, "no lights", lights.empty() ? "none" : name_list(lights),
           lights.empty(), "pack it: packing leaves them out");
    demand("no-cameras", file.file, "no camera objects",
           cameras.empty() ? "none" : name_list(cameras), cameras.empty(),
           "pack it: cameras become joints");
}

void Checker::name(const std::string& file, const std::string& whole) {
    const NameRule& rule = target_.names;
    const std::string pattern =
        ruled_pattern(report_.alone ? whole.substr(whole.rfind('/') + 1) : whole, rule);
    // Without a manifest, names are only a demand where the target says something of them.
    if (!report_.crate && (whole == Target{}.skin_name || whole == Target{}.clip_name ||
                           whole == Target{}.library_name))
        return;
    const std::string stem = file.substr(0, file.rfind('.'));
    std::optional<int> id;
    const bool fits = fits_name(pattern, 0, stem, 0, id);
    demand("file-name", file, pattern, stem, fits,
           "a recipe that packs for this target names them so");
    const bool sound = std::all_of(stem.begin(), stem.end(), [&](char c) {
        const auto u = static_cast<unsigned char>(c);
        if (c == '/') return true;
        if (std::isalnum(u) == 0) return rule.allowed.find(c) != std::string::npos;
        return rule.letters == NameRule::Case::kKeep ||
               (rule.letters == NameRule::Case::kLower ? std::isupper(u) == 0
                                                       : std::islower(u) == 0);
    });
    demand("characters", file,
           fmt::format("letters, digits and \"{}\"{}", rule.allowed,
                       rule.letters == NameRule::Case::kLower   ? ", lower case"
                       : rule.letters == NameRule::Case::kUpper ? ", upper case"
                                                                : ""),
           stem, sound, "rename the file");
    if (!target_.ids || pattern.find("{id") == std::string::npos || !fits) return;
    demand("number", file, fmt::format("{} to {}", (*target_.ids)[0], (*target_.ids)[1]),
           id ? std::to_string(*id) : "none",
           id && *id >= (*target_.ids)[0] && *id <= (*target_.ids)[1], "another number");
}

void Checker::ids(const std::vector<ListedClip>& listed) {
    if (!target_.ids) return;
    std::map<int, std::string> seen;
    std::vector<std::string> wrong;
    for (const ListedClip& clip : listed) {
        const int id = clip.facts.labels.id;
        if (id < (*target_.ids)[0] || id > (*target_.ids)[1])
            wrong.push_back(fmt::format("{} of \"{}\"", id, clip.name));
        else if (const auto [have, fresh] = seen.emplace(id, clip.name); !fresh)
            wrong.push_back(fmt::format("{} of \"{}\" and \"{}\"", id, have->second, clip.name));
    }
    demand("numbers", "",
           fmt::format("a number of {} to {} for each clip, each once", (*target_.ids)[0],
                       (*target_.ids)[1]),
           wrong.empty() ? fmt::format("{} numbers", seen.size()) : name_list(wrong), wrong.empty(),
           "pack the crate again");
}

void Checker::choice(const std::vector<ListedClip>& listed) {
    if (!target_.clips.any() || !report_.crate) return;
    std::vector<std::string> wrong;
    for (const ListedClip& clip : listed)
        if (!target_.clips.takes(clip.name, clip.facts.labels.group)) wrong.push_back(clip.name);
    demand("chosen-clips", "", "clips that clips, clip_groups and clips_left_out choose",
           wrong.empty() ? fmt::format("{} clips", listed.size()) : name_list(wrong), wrong.empty(),
           "pack the crate again");
}

void Checker::layout(std::size_t skins, std::size_t motions, std::size_t both) {
    const std::string found = listing(skins, motions, both);
    switch (target_.layout) {
        case Layout::kSkinAndClips:
            return demand("layout", "", "skins, and files of motion alone", found, both == 0,
                          "layout = \"skin-and-clips\"   # and pack again");
        case Layout::kSkinAndLibrary:
            return demand("layout", "", "skins, and one file of motion alone", found,
                          both == 0 && motions == 1,
                          "layout = \"skin-and-library\"   # and pack again");
        case Layout::kOneFile:
            return demand("layout", "", "one file of both", found,
                          skins == 0 && motions == 0 && both == 1,
                          "layout = \"one-file\"   # and pack again");
        case Layout::kClipsWithSkin:
            return demand("layout", "", "files of both; a skin may stand alone", found,
                          motions == 0 && both > 0,
                          "layout = \"clips-with-skin\"   # and pack again");
    }
}

void Checker::travel(const std::vector<ListedClip>& listed) {
    double ahead = 0, moved = 0;
    for (const ListedClip& clip : listed) {
        const Vec3 step = clip.facts.travel.step;  // inside: ahead is +Z
        ahead += step.z;
        moved += std::hypot(step.x, step.z);
    }
    if (moved < kWay_m) return;
    demand("travels-ahead", "", "clips that travel, all in all, the way the figure faces",
           fmt::format("{:.3g} m ahead of {:.3g} m", ahead, moved), ahead > -0.5 * moved,
           "front = the opposite axis, under [source]; or nothing, if they all walk backwards");
}

}  // namespace mellow
