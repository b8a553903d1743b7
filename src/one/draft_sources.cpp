#include "one/draft_sources.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>
#include <tuple>

#include "base/text.h"
#include "recipe/clip_names.h"

namespace mellow {
namespace {

namespace fs = std::filesystem;

/// What a source table would say of a file.
std::string said_of(const FileDraft& file) {
    std::string out = file.stock.timelines.size() > 1 ? "several\n" : "";
    for (const DraftedValue& v : file.truth)
        out += fmt::format("{} = {} {}\n", v.key, v.value, v.guess);
    return out;
}

/// A pattern that these files fit and no other in their folder; empty where there is none.
std::string pattern_of(const std::vector<const FileDraft*>& files, const fs::path& from) {
    std::vector<std::string> names;
    for (const FileDraft* file : files) names.push_back(file->name);
    std::sort(names.begin(), names.end());
    const fs::path first = names.front();
    // As far as all of them begin alike; the ends of two numbers that do are no beginning.
    std::string head = first.stem().string();
    for (const std::string& name : names) {
        const std::string stem = fs::path(name).stem().string();
        std::size_t same = 0;
        while (same < std::min(head.size(), stem.size()) && head[same] == stem[same]) ++same;
        head.resize(same);
    }
    while (!head.empty() && head.back() >= '0' && head.back() <= '9') head.pop_back();
    for (const std::string& begin : {std::string(), head}) {
        const fs::path pattern = first.parent_path() / (begin + "*" + first.extension().string());
        if (matching_files(from, pattern.string()) == names) return pattern.string();
    }
    return "";
}

}  // namespace

std::vector<DraftedSource> group_sources(const std::vector<FileDraft>& files,
                                         const fs::path& from) {
    std::vector<std::pair<std::string, std::vector<const FileDraft*>>> groups;
    for (std::size_t i = 1; i < files.size(); ++i) {
        const fs::path name = files[i].name;
        const std::string key = name.parent_path().string() + "\n" + name.extension().string() +
                                "\n" + said_of(files[i]);
        const auto have = std::find_if(groups.begin(), groups.end(),
                                       [&](const auto& group) { return group.first == key; });
        if (have != groups.end())
            have->second.push_back(&files[i]);
        else
            groups.push_back({key, {&files[i]}});
    }
    std::vector<DraftedSource> out;
    std::set<std::string> taken;
    const auto add = [&](const std::string& name, const std::string& pattern,
                         std::vector<const FileDraft*> of) {
        std::string own = file_name(name.empty() ? "motion" : name);
        while (!taken.insert(folded(own)).second) own += "_";
        out.push_back({own, pattern, fs::path(of.front()->name).parent_path().filename().string(),
                       std::move(of)});
    };
    for (const auto& [key, group] : groups) {
        const std::string pattern = group.size() > 1 ? pattern_of(group, from) : "";
        if (!pattern.empty()) {
            add(fs::path(pattern).parent_path().filename().string(), pattern, group);
            continue;
        }
        for (const FileDraft* file : group) add(file->path.stem().string(), file->name, {file});
    }
    return out;
}

std::vector<std::vector<const FileDraft*>> alike(const DraftedSource& source,
                                                 const std::map<std::string, MotionFacts>& facts) {
    const auto said = [&](const FileDraft* file) {
        const auto found = facts.find(file->name);
        const MotionFacts f = found == facts.end() ? MotionFacts{} : found->second;
        return std::tuple(f.travel.ground, f.travel.height, f.travel.heading, f.calibrated.empty(),
                          f.loop, f.open, f.fit, f.looped.empty());
    };
    std::vector<std::vector<const FileDraft*>> out;
    for (const FileDraft* file : source.files) {
        const auto have = std::find_if(out.begin(), out.end(), [&](const auto& group) {
            return said(group.front()) == said(file);
        });
        if (have != out.end())
            have->push_back(file);
        else
            out.push_back({file});
    }
    return out;
}

}  // namespace mellow
