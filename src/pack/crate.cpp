#include "mellow/crate.h"

#include <fmt/format.h>

#include "crate/hash.h"
#include "mellow/read.h"
#include "mellow/sheet.h"
#include "pack/clip_json.h"

namespace mellow {
namespace {

using Json = nlohmann::ordered_json;

Finding bad_manifest(const std::filesystem::path& path, std::string found) {
    return {Code::kValueBad,
            Severity::kStop,
            path.string(),
            std::move(found),
            "the crate.json of a crate",
            "pack the crate again"};
}

Result<Scene> read_listed(const std::filesystem::path& folder, const Json& entry,
                          const Convention& convention, FrameRate rate) {
    const std::filesystem::path relative(entry.at("file").get<std::string>());
    for (const auto& part : relative)
        if (relative.is_absolute() || part == "..")
            return bad_manifest(folder / "crate.json",
                                "a file outside the crate: " + relative.string());
    MELLOW_TRY(const Bytes bytes, read_file(folder / relative));
    if (hash_hex(bytes) != entry.at("xxh3_128").get<std::string>())
        return Finding{Code::kFileUnreadable,
                       Severity::kStop,
                       (folder / relative).string(),
                       "content with hash " + hash_hex(bytes),
                       "the manifest's hash " + entry.at("xxh3_128").get<std::string>(),
                       "pack the crate again"};
    MELLOW_TRY(ReadResult read, read_scene(folder / relative));
    read.scene.convention = convention;
    convert(read.scene, Convention{});
    read.scene.rate = rate;
    snap_keys(read.scene);
    return std::move(read.scene);
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
    const Json manifest = Json::parse(text.begin(), text.end(), nullptr, false);
    if (!manifest.is_object() || !manifest.contains("format") ||
        manifest["format"] != "mellow-crate")
        return bad_manifest(path, "no manifest of a crate");
    try {
        Crate crate;
        crate.name = manifest.at("name").get<std::string>();
        const auto preset = find_preset(manifest.at("target").at("convention").get<std::string>());
        if (!preset) return bad_manifest(path, "an unknown target convention");
        crate.convention = *preset;
        const auto rate =
            parse_rate(manifest.at("target").at("rate").get<std::string>()).value_or(FrameRate{});
        MELLOW_TRY(crate.skin, read_listed(folder, manifest.at("skin"), *preset, rate));
        for (const Json& entry : manifest.at("clips")) {
            crate.clips.push_back(clip_from_facts(entry, Conversion(*preset, {})));
            crate.clips.back().name = entry.at("name").get<std::string>();
            MELLOW_TRY(Scene motion, read_listed(folder, entry, *preset, rate));
            crate.motions.push_back(std::move(motion));
        }
        return crate;
    } catch (const Json::exception& error) {
        return bad_manifest(path, error.what());
    }
}

Result<std::vector<std::uint8_t>> draw_crate(const Crate& crate) {
    std::vector<SheetClip> clips;
    for (std::size_t i = 0; i < crate.clips.size(); ++i)
        clips.push_back({&crate.motions[i], sheet_lines(crate.clips[i]), crate.clips[i].samples,
                         crate.clips[i].rate});
    return draw_sheet(crate.name, crate.skin, clips);
}

}  // namespace mellow
