#include "plan/output_names.h"

#include <fmt/format.h>

#include <set>

#include "base/text.h"
#include "recipe/clip_names.h"
#include "recipe/target_table.h"

namespace mellow {
namespace {

/// "30", or "29.97" for a rate that is no whole number.
std::string rate_word(FrameRate rate) {
    return rate.den == 1 ? std::to_string(rate.num) : fmt::format("{:.4g}", rate.per_second());
}

class Namer {
  public:
    Namer(const Recipe& recipe, const Target& target) : target_(target) {
        fields_ = target_fields();
        fields_.texts["crate"] = recipe.name;
        fields_.texts["figure"] = file_name(std::filesystem::path(recipe.source).stem().string());
        fields_.texts["rate"] = rate_word(target.rate);
    }

    Result<OutputNames> run(const std::vector<ClipJob>& clips,
                            const std::map<std::string, int>& before) {
        OutputNames out;
        MELLOW_CHECK(number(clips, before, out.ids));
        MELLOW_TRY(out.skin, make(target_.skin_name, "the skin"));
        const bool library = target_.layout == Layout::kSkinAndLibrary;
        if (library) {
            MELLOW_TRY(out.library, make(target_.library_name, "the library"));
        }
        for (std::size_t i = 0; i < clips.size(); ++i) {
            const RecipeClip& clip = clips[i].clip;
            if (!is_chosen(target_, clip)) {
                out.clips.emplace_back();
                continue;
            }
            ++out.chosen;
            fields_.texts["clip"] = clip.range.name;
            fields_.texts["group"] = clip.labels.group.empty() ? "none" : clip.labels.group;
            fields_.numbers["index"] = static_cast<int>(i) + 1;
            fields_.numbers["id"] = out.ids.empty() ? 0 : out.ids[i];
            if (library || target_.layout == Layout::kOneFile) {
                out.clips.emplace_back();
                continue;
            }
            MELLOW_TRY(std::string name,
                       make(target_.clip_name, fmt::format("clip \"{}\"", clip.range.name)));
            if (name != filled(target_.clip_name, fields_))
                out.otherwise.push_back(clip.range.name + " to " + name);
            out.clips.push_back(std::move(name));
        }
        if (out.chosen == 0 && !clips.empty()) return none_chosen(clips);
        return out;
    }

  private:
    Finding none_chosen(const std::vector<ClipJob>& clips) const {
        std::vector<std::string> have;
        for (const ClipJob& job : clips)
            have.push_back(job.clip.labels.group.empty()
                               ? job.clip.range.name
                               : job.clip.range.name + " (" + job.clip.labels.group + ")");
        return {
            Code::kNoMotion, Severity::kStop,
            target_.where,   "none of the clips is chosen by clips, clip_groups and clips_left_out",
            name_list(have), "patterns that fit names, and groups, of some"};
    }

    Result<std::string> make(const std::string& pattern, const std::string& what) {
        std::string name = ruled(filled(pattern, fields_), target_.names);
        if (!sound_name(name, true))
            return Finding{Code::kValueBad,
                           Severity::kStop,
                           target_.where,
                           fmt::format("\"{}\" as the name of {}", name, what),
                           "a name that every system can give a file",
                           "another pattern in the target, or another name"};
        const auto [have, fresh] = names_.emplace(folded(name), what);
        if (!fresh)
            return Finding{Code::kNameClash,
                           Severity::kStop,
                           target_.where,
                           fmt::format("{} and {}, both \"{}\"", have->second, what, name),
                           "one file each (upper and lower case count as equal)",
                           "a pattern that tells them apart, such as {index:03}"};
        return name;
    }

    Status number(const std::vector<ClipJob>& clips, const std::map<std::string, int>& before,
                  std::vector<int>& ids) const {
        if (!target_.ids) return {};
        const auto [first, last] = *target_.ids;
        std::set<int> taken;
        std::map<std::string, int> kept;
        for (const ClipJob& job : clips) {
            const auto found = before.find(job.clip.range.name);
            if (!is_chosen(target_, job.clip) || found == before.end() || found->second < first ||
                found->second > last)
                continue;
            if (taken.insert(found->second).second) kept.insert(*found);
        }
        int next = first;
        for (const ClipJob& job : clips) {
            if (!is_chosen(target_, job.clip)) {
                ids.push_back(-1);
                continue;
            }
            const auto found = kept.find(job.clip.range.name);
            if (found != kept.end()) {
                ids.push_back(found->second);
                continue;
            }
            while (taken.contains(next)) ++next;
            if (next > last)
                return Finding{
                    Code::kLimit,
                    Severity::kStop,
                    target_.where,
                    fmt::format("{} clips", clips.size()),
                    fmt::format("at most {}: ids = [{}, {}]", last - first + 1, first, last),
                    "more ids in the target, or fewer clips"};
            taken.insert(next);
            ids.push_back(next);
        }
        return {};
    }

    const Target& target_;
    NameFields fields_;
    std::map<std::string, std::string> names_;
};

}  // namespace

bool is_chosen(const Target& target, const RecipeClip& clip) {
    return target.clips.takes(clip.range.name, clip.labels.group);
}

Result<OutputNames> output_names(const Recipe& recipe, const Target& target,
                                 const std::vector<ClipJob>& clips,
                                 const std::map<std::string, int>& ids_before) {
    return Namer(recipe, target).run(clips, ids_before);
}

}  // namespace mellow
