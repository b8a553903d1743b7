#include "crate/told_facts.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <map>

namespace mellow {

ToldFacts facts_of(const ClipInfo& c) {
    const auto pairs = [](const auto& list) {
        std::string out;
        for (const auto& [key, value] : list)
            out += fmt::format("{}{} = {}", out.empty() ? "" : ", ", key, value);
        return out;
    };
    const Travel& t = c.travel;
    std::vector<std::string_view> carried;
    for (const auto& [is, word] : {std::pair{t.ground, "ground"},
                                   {t.height, "height"},
                                   {t.heading, "heading"},
                                   {t.channels, "as channels"}})
        if (is) carried.emplace_back(word);
    ToldFacts out{{"loop", std::string(name(c.loop))},
                  {"period", std::to_string(c.period)},
                  {"rate", to_text(c.rate)},
                  {"travel", fmt::format("{}", fmt::join(carried, ", "))},
                  {"group", c.labels.group},
                  {"speed", fmt::format("{:g}", c.labels.speed)},
                  {"play", c.labels.backwards ? "backwards" : ""},
                  {"id", c.labels.id < 0 ? "" : std::to_string(c.labels.id)},
                  {"tags", pairs(c.labels.tags)}};
    std::string cues;
    for (const Cue& cue : c.cues)
        cues += fmt::format("{}{} {:g}{}{}{}{}", cues.empty() ? "" : "; ", cue.name, cue.first,
                            cue.last > cue.first ? fmt::format("..{:g}", cue.last) : "",
                            cue.joint.empty() ? "" : " at " + cue.joint,
                            cue.tags.empty() ? "" : " (" + pairs(cue.tags) + ")",
                            cue.values.empty() ? "" : " (" + pairs(cue.values) + ")");
    out.emplace_back("cues", cues);
    return out;
}

ToldFacts facts_of(const Manifest& m) {
    const Convention& c = m.target.convention;
    ToldFacts out{{"unit", fmt::format("{:g} m", c.metres_per_unit)},
                  {"up", std::string(name(c.up))},
                  {"front", std::string(name(c.front))},
                  {"hand", std::string(name(c.hand))},
                  {"rate", to_text(m.target.rate)}};
    out.emplace_back("name", m.target.name);
    out.emplace_back("layout", name(m.target.layout));
    out.emplace_back("format", name(m.target.clip_format));
    out.emplace_back("loop_form", name(m.target.loop_form));
    out.emplace_back("root", m.root);
    out.emplace_back("hips", m.hips);
    out.emplace_back("joints", fmt::format("{}", fmt::join(m.joints, ", ")));
    return out;
}

std::vector<std::string> other_facts(const ToldFacts& was, const ToldFacts& is) {
    std::vector<std::string> out;
    const auto value = [](const ToldFacts& facts, const std::string& key) {
        const auto found =
            std::find_if(facts.begin(), facts.end(), [&](const auto& f) { return f.first == key; });
        return found == facts.end() || found->second.empty() ? std::string("none") : found->second;
    };
    for (const auto& [key, now] : is)
        if (const std::string before = value(was, key), after = value(is, key); before != after)
            out.push_back(fmt::format("{}: {}, not {}", key, after, before));
    return out;
}

std::vector<std::string> told_changes(const Manifest& was, const Manifest& is) {
    std::vector<std::string> out = other_facts(facts_of(was), facts_of(is));
    std::map<std::string, const PackedClip*> before;
    for (const PackedClip& clip : was.clips) before.emplace(clip.clip.name, &clip);
    if (was.skin.hash != is.skin.hash) out.emplace_back("skin: other bytes");
    for (const PackedClip& clip : is.clips) {
        const std::string& name = clip.clip.name;
        const auto found = before.find(name);
        if (found == before.end()) {
            out.push_back(name + ": new");
            continue;
        }
        const PackedClip& old = *found->second;
        before.erase(found);
        if (old.file.hash == clip.file.hash && !clip.file.file.empty()) continue;
        ToldFacts then{{"samples", std::to_string(old.clip.samples)}},
            now{{"samples", std::to_string(clip.clip.samples)}};
        for (const auto& [facts, info] :
             {std::pair(&then, &old.clip), std::pair(&now, &clip.clip)}) {
            facts->emplace_back("way", fmt::format("{:.2f} m", info->travel.path_m));
            for (auto& fact : facts_of(*info)) facts->push_back(std::move(fact));
        }
        const std::vector<std::string> facts = other_facts(then, now);
        out.push_back(
            fmt::format("{}: {}", name,
                        facts.empty() ? "its motion" : fmt::format("{}", fmt::join(facts, "; "))));
    }
    for (const PackedClip& clip : was.clips)
        if (before.contains(clip.clip.name)) out.push_back(clip.clip.name + ": gone");
    return out;
}

}  // namespace mellow
