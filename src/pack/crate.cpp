#include "mellow/crate.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "crate/hash.h"
#include "crate/json_members.h"
#include "mellow/read.h"
#include "mellow/sheet.h"
#include "pack/clip_json.h"

namespace mellow {
namespace {

Finding bad_manifest(const std::filesystem::path& path, std::string found) {
    return {Code::kValueBad,
            Severity::kStop,
            path.string(),
            std::move(found),
            "the crate.json of a crate",
            "pack the crate again"};
}

Result<Scene> read_listed(const std::filesystem::path& folder, JsonMembers entry,
                          const Convention& convention, FrameRate rate) {
    const std::filesystem::path relative(entry.text("file"));
    const std::string hash = entry.text("xxh3_128");
    if (entry.failed()) return bad_manifest(folder / "crate.json", entry.error());
    for (const auto& part : relative)
        if (relative.is_absolute() || part == "..")
            return bad_manifest(folder / "crate.json",
                                "a file outside the crate: " + relative.string());
    MELLOW_TRY(Bytes bytes, read_file(folder / relative));
    if (hash_hex(bytes) != hash)
        return Finding{Code::kFileUnreadable,         Severity::kStop,
                       (folder / relative).string(),  "content with hash " + hash_hex(bytes),
                       "the manifest's hash " + hash, "pack the crate again"};
    MELLOW_TRY(ReadResult read, read_memory(std::move(bytes), relative.filename().string(),
                                            load_beside(folder / relative)));
    read.scene.convention = convention;
    convert(read.scene, Convention{});
    read.scene.rate = rate;
    snap_keys(read.scene);
    return std::move(read.scene);
}

/// Keys of every curve of a clip's file; -1 where they differ, or there are none.
int samples_of(const Scene& motion) {
    if (motion.timelines.size() != 1) return -1;
    const Timeline& timeline = motion.timelines[0];
    std::set<std::size_t> counts;
    for (const Channel& c : timeline.channels) counts.insert(c.curve.times.size());
    for (const MorphCurve& c : timeline.morphs) counts.insert(c.curve.times.size());
    for (const ScalarCurve& c : timeline.scalars) counts.insert(c.curve.times.size());
    return counts.size() == 1 ? static_cast<int>(*counts.begin()) : -1;
}

/// The words beside a clip on the contact sheet.
std::vector<std::string> sheet_lines(const Clip& clip) {
    std::vector<std::string> lines{clip.name};
    lines.push_back(fmt::format("{} samples, {:.3f} s", clip.samples, clip.seconds()));
    lines.push_back(fmt::format("{} per second", to_text(clip.rate)));
    lines.push_back(clip.loop == LoopForm::kOnce
                        ? "plays once"
                        : fmt::format("loop, {}, period {}", name(clip.loop), clip.period));
    const Travel& t = clip.travel;
    if (t.ground || t.height) {
        lines.push_back(fmt::format("travel {:.2f} m at {:.2f} m/s", t.distance_m, t.speed_m_s));
        if (t.height) lines.push_back(fmt::format("height {:+.2f} m", t.height_change_m));
    }
    return lines;
}

}  // namespace

Result<Crate> open_crate(const std::filesystem::path& folder) {
    const auto path = folder / "crate.json";
    MELLOW_TRY(const Bytes text, read_file(path));
    JsonMembers manifest(text);
    if (manifest.failed() || !manifest.has("format") || manifest.text("format") != "mellow-crate")
        return bad_manifest(path, "no manifest of a crate");
    if (manifest.whole("version") != 1)
        return bad_manifest(path, "another version than 1 of the manifest");
    Crate crate;
    crate.name = manifest.text("name");
    JsonMembers target = manifest.object("target");
    const std::string named = target.text("convention");
    const FrameRate rate = target.rate("rate");
    JsonMembers skin = manifest.object("skin");
    if (manifest.failed()) return bad_manifest(path, manifest.error());
    const auto preset = find_preset(named);
    if (!preset) return bad_manifest(path, "an unknown target convention \"" + named + "\"");
    crate.convention = *preset;
    MELLOW_TRY(crate.skin, read_listed(folder, std::move(skin), *preset, rate));
    if (crate.skin.nodes.empty()) return bad_manifest(path, "a skin without nodes");
    for (JsonMembers& entry : manifest.objects("clips")) {
        crate.clips.push_back(clip_from_facts(entry, Conversion(*preset, {})));
        crate.clips.back().name = entry.text("name");
        const std::string clip = "clip \"" + crate.clips.back().name + "\"";
        MELLOW_TRY(Scene motion, read_listed(folder, std::move(entry), *preset, rate));
        if (const int keys = samples_of(motion); keys != crate.clips.back().samples)
            return bad_manifest(path, fmt::format("{}: {} samples, where its file has {}", clip,
                                                  crate.clips.back().samples, keys));
        crate.motions.push_back(std::move(motion));
    }
    if (manifest.failed()) return bad_manifest(path, manifest.error());
    return crate;
}

Result<std::vector<std::uint8_t>> draw_crate(const Crate& crate) {
    std::vector<SheetClip> clips;
    for (std::size_t i = 0; i < std::min(crate.clips.size(), kMostDrawn); ++i)
        clips.push_back({&crate.motions[i], sheet_lines(crate.clips[i]), crate.clips[i].samples,
                         crate.clips[i].rate});
    return draw_sheet(crate.name, crate.skin, clips);
}

}  // namespace mellow
