#include "mellow/crate.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

#include "crate/hash.h"
#include "crate/json_members.h"
#include "pack/clip_files.h"
#include "pack/clip_json.h"
#include "pack/clip_record.h"
#include "pack/manifest.h"

namespace mellow {
namespace {

/// A file that a manifest lists, with the bytes that it had when it was packed.
Result<StoredFile> listed(const Manifest& manifest, JsonMembers entry) {
    const std::filesystem::path folder = manifest.folder;
    const FileRecord record = read_file_record(entry, "");
    if (entry.failed()) return manifest.bad(entry.error());
    const auto checked = [folder](const FileRecord& file) -> Result<Bytes> {
        const std::filesystem::path relative(file.file);
        MELLOW_TRY(Bytes bytes, read_file(folder / relative));
        if (hash_hex(bytes) != file.hash)
            return Finding{Code::kFileUnreadable,
                           Severity::kStop,
                           (folder / relative).string(),
                           "content with hash " + hash_hex(bytes),
                           "the manifest's hash " + file.hash,
                           "pack the crate again"};
        return bytes;
    };
    MELLOW_TRY(Bytes bytes, checked(record));
    // Readers do without pictures that are not there; a crate has all its files.
    for (const FileRecord& part : record.parts) MELLOW_CHECK(checked(part));
    const std::filesystem::path path(record.file);
    return StoredFile{
        path.filename().string(), std::move(bytes),
        [checked, record, above = path.parent_path()](const std::string& name) -> Result<Bytes> {
            for (const FileRecord& part : record.parts)
                if (part.file == (above / name).generic_string()) return checked(part);
            return Finding{Code::kFileMissing,
                           Severity::kStop,
                           record.file,
                           "a part that the manifest does not list: " + name,
                           "the parts of the crate",
                           "pack the crate again"};
        }};
}

/// The words beside a clip on the contact sheet.
std::vector<std::string> sheet_lines(const ClipInfo& clip) {
    std::vector<std::string> lines{clip.name};
    if (clip.samples == 1) {
        lines.emplace_back("a single pose");
        return lines;
    }
    lines.push_back(fmt::format("{} samples, {:.3f} s", clip.samples, clip.seconds()));
    lines.push_back(fmt::format("{} per second", to_text(clip.rate)));
    lines.push_back(clip.loop == LoopForm::kOnce
                        ? "plays once"
                        : fmt::format("loop, {}, period {}", name(clip.loop), clip.period));
    const Travel& t = clip.travel;
    if (t.ground || t.height) {
        lines.push_back(fmt::format("travel {:.2f} m at {:.2f} m/s", t.distance_m, t.speed_m_s));
        if (t.channels) lines.push_back("kept as channels");
        if (t.height) lines.push_back(fmt::format("height {:+.2f} m", t.height_change_m));
    }
    return lines;
}

/// What the manifest says of a clip, and its file.
Result<Scene> open_clip(const Manifest& manifest, const Scene& skin, JsonMembers entry,
                        ClipInfo& clip) {
    clip = clip_from_facts(entry, Conversion(manifest.target.convention, {}));
    clip.name = entry.text("name");
    MELLOW_TRY(StoredFile file, listed(manifest, std::move(entry)));
    auto motion = decode_clip(std::move(file), manifest.target, skin, clip.name, clip.samples);
    if (motion || motion.failure().code != Code::kProofFailed) return motion;
    return manifest.bad(fmt::format("clip \"{}\": {}, where its file has {}", clip.name,
                                    motion.failure().expected, motion.failure().found));
}

/// ToldFacts in words, by what they are of.
using ToldFacts = std::vector<std::pair<std::string, std::string>>;

/// What players are told of a clip.
ToldFacts facts_of(const ClipInfo& c) {
    const auto pairs = [](const auto& list) {
        std::string out;
        for (const auto& [key, value] : list)
            out += fmt::format("{}{} = {}", out.empty() ? "" : ", ", key, value);
        return out;
    };
    const Travel& t = c.travel;
    ToldFacts out{
        {"loop", std::string(name(c.loop))},
        {"period", std::to_string(c.period)},
        {"rate", to_text(c.rate)},
        {"travel", fmt::format("{}{}{}{}", t.ground ? "ground " : "", t.height ? "height " : "",
                               t.heading ? "heading " : "", t.channels ? "channels" : "")},
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

/// What a manifest says of the whole crate.
ToldFacts facts_of(Manifest& m) {
    const Convention& c = m.target.convention;
    JsonMembers target = m.json.object("target"), skeleton = m.json.object("skeleton");
    ToldFacts out{{"unit", fmt::format("{:g} m", c.metres_per_unit)},
                  {"up", std::string(name(c.up))},
                  {"front", std::string(name(c.front))},
                  {"hand", std::string(name(c.hand))},
                  {"rate", to_text(m.target.rate)}};
    for (const char* key : {"name", "layout", "format", "loop_form"})
        if (target.has(key)) out.emplace_back(key, target.text(key));
    out.emplace_back("root", skeleton.text("root"));
    out.emplace_back("hips", skeleton.text("hips"));
    out.emplace_back("joints", fmt::format("{}", fmt::join(skeleton.texts("joints"), ", ")));
    return out;
}

/// Where the two do not agree.
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

/// What the manifest says of a clip's motion.
std::map<std::string, double> motion_figures(JsonMembers& entry) {
    std::map<std::string, double> out;
    const auto most = [&](const char* what, double mm) {
        out[what] = std::max(out.contains(what) ? out[what] : 0.0, mm);
    };
    if (entry.has("loop_gap")) most("seam", entry.object("loop_gap").number("mm"));
    if (!entry.has("motion")) return out;
    JsonMembers motion = entry.object("motion");
    for (JsonMembers& foot : motion.objects("feet")) {
        most("slide", foot.number("slide_mm"));
        most("depth", foot.number("depth_mm"));
    }
    for (JsonMembers& plane : motion.objects("planes")) most("plane", plane.number("depth_mm"));
    most("jump", motion.object("pop").number("jump_mm"));
    return out;
}

/// A crate that is compared, and its skin where a clip was opened.
struct Side {
    Manifest manifest;
    std::optional<Scene> skin = {};

    Status open_skin() {
        if (skin) return {};
        MELLOW_TRY(StoredFile file, listed(manifest, manifest.json.object("skin")));
        MELLOW_TRY(skin, decode_scene(std::move(file), manifest.target));
        return {};
    }
};

Result<ClipChange> compare_clips(Side& a, JsonMembers entry_a, Side& b, JsonMembers entry_b,
                                 const CompareTolerance& tolerance,
                                 const std::set<Aspect>& ignored) {
    ClipChange out;
    const auto told = [](Side& side, JsonMembers& entry) {
        return facts_of(clip_from_facts(entry, Conversion(side.manifest.target.convention, {})));
    };
    ToldFacts was_told = told(a, entry_a), is_told = told(b, entry_b);
    was_told.emplace_back("file", entry_a.text("file"));
    is_told.emplace_back("file", entry_b.text("file"));
    out.facts = other_facts(was_told, is_told);
    if (entry_a.text("xxh3_128") == entry_b.text("xxh3_128") &&
        a.manifest.target.convention == b.manifest.target.convention) {
        if (!out.facts.empty()) out.kind = ClipChange::Kind::kChanged;
        return out;
    }
    MELLOW_CHECK(a.open_skin());
    MELLOW_CHECK(b.open_skin());
    auto figures_a = motion_figures(entry_a), figures_b = motion_figures(entry_b);
    for (const char* what : {"seam", "slide", "depth", "jump", "plane"}) {
        MotionFigure figure{what};
        if (figures_a.contains(what)) figure.was = figures_a[what];
        if (figures_b.contains(what)) figure.is = figures_b[what];
        if (figure.was >= 0 || figure.is >= 0) out.motion.push_back(std::move(figure));
    }
    ClipInfo clip_a, clip_b;
    MELLOW_TRY(const Scene was, open_clip(a.manifest, *a.skin, std::move(entry_a), clip_a));
    MELLOW_TRY(const Scene is, open_clip(b.manifest, *b.skin, std::move(entry_b), clip_b));
    MELLOW_TRY(const Comparison compared, compare_motion(was, is, {}));
    out.position_mm = compared.position_mm;
    out.rotation_degrees = compared.rotation_degrees;
    out.moments_per_second = compared.moments_per_second;
    out.differences = differences(compared, tolerance, ignored);
    if (!out.differences.empty() || !out.facts.empty())
        out.kind = ClipChange::Kind::kChanged;
    else
        out.motion.clear();
    return out;
}

/// The name of a clip that is gone and moves as this one does; empty where none does.
Result<std::string> same_motion(Side& a, std::map<std::string, JsonMembers>& gone, Side& b,
                                JsonMembers& entry, const CompareTolerance& tolerance) {
    const Conversion in_a(a.manifest.target.convention, {}), in_b(b.manifest.target.convention, {});
    const ClipInfo own = clip_from_facts(entry, in_b);
    for (auto& [name, other] : gone) {
        const ClipInfo info = clip_from_facts(other, in_a);
        if (info.samples != own.samples || !(info.rate == own.rate)) continue;
        MELLOW_CHECK(a.open_skin());
        MELLOW_CHECK(b.open_skin());
        ClipInfo clip_a, clip_b;
        MELLOW_TRY(const Scene was, open_clip(a.manifest, *a.skin, other.again(), clip_a));
        MELLOW_TRY(const Scene is, open_clip(b.manifest, *b.skin, entry.again(), clip_b));
        const auto compared = compare_motion(was, is, {});
        if (compared && differences(compared.value(), tolerance).empty()) return name;
    }
    return std::string();
}

}  // namespace

std::string_view name(ClipChange::Kind kind) {
    constexpr std::string_view kNames[] = {"unchanged", "changed", "added", "gone", "renamed"};
    return kNames[static_cast<std::size_t>(kind)];
}

bool CrateComparison::same() const {
    return same_skin && facts.empty() &&
           std::all_of(clips.begin(), clips.end(),
                       [](const ClipChange& c) { return c.kind == ClipChange::Kind::kUnchanged; });
}

Result<CrateComparison> compare_crates(const std::filesystem::path& a,
                                       const std::filesystem::path& b,
                                       const CompareTolerance& tolerance,
                                       const std::set<Aspect>& ignored) {
    MELLOW_TRY(Manifest first, open_manifest(a, Parts::kRefused));
    MELLOW_TRY(Manifest second, open_manifest(b, Parts::kRefused));
    Side older{std::move(first)}, newer_side{std::move(second)};
    Manifest &was = older.manifest, &is = newer_side.manifest;
    CrateComparison out;
    out.same_skin =
        was.json.object("skin").text("xxh3_128") == is.json.object("skin").text("xxh3_128");
    std::map<std::string, JsonMembers> newer;
    std::vector<std::string> order;
    for (JsonMembers& clip : is.json.objects("clips")) {
        order.push_back(clip.text("name"));
        newer.emplace(order.back(), std::move(clip));
    }
    out.facts = other_facts(facts_of(was), facts_of(is));
    if (!out.same_skin) {
        MELLOW_CHECK(older.open_skin());
        MELLOW_CHECK(newer_side.open_skin());
        MELLOW_TRY(const Comparison skins, compare_motion(*older.skin, *newer_side.skin, {}));
        out.skin = differences(skins, tolerance, ignored);
    }
    std::map<std::string, JsonMembers> gone;
    for (JsonMembers& clip : was.json.objects("clips")) {
        const std::string name = clip.text("name");
        const auto found = newer.find(name);
        ClipChange change;
        change.kind = ClipChange::Kind::kGone;
        if (found == newer.end()) {
            gone.emplace(name, std::move(clip));
        } else {
            MELLOW_TRY(change, compare_clips(older, std::move(clip), newer_side,
                                             std::move(found->second), tolerance, ignored));
            newer.erase(found);
        }
        change.name = name;
        out.clips.push_back(std::move(change));
    }
    for (const std::string& name : order) {
        const auto entry = newer.find(name);
        if (entry == newer.end()) continue;
        ClipChange added;
        added.name = name;
        added.kind = ClipChange::Kind::kAdded;
        MELLOW_TRY(const std::string before,
                   same_motion(older, gone, newer_side, entry->second, tolerance));
        if (!before.empty()) {
            added.kind = ClipChange::Kind::kRenamed;
            added.was = before;
            gone.erase(before);
            std::erase_if(out.clips, [&](const ClipChange& c) { return c.name == before; });
        }
        out.clips.push_back(std::move(added));
    }
    if (was.json.failed()) return was.bad(was.json.error());
    if (is.json.failed()) return is.bad(is.json.error());
    return out;
}

Result<Crate> open_crate(const std::filesystem::path& folder, Motions motions, Parts parts) {
    MELLOW_TRY(Manifest manifest, open_manifest(folder, parts));
    Crate crate;
    crate.name = manifest.name;
    crate.convention = manifest.target.convention;
    if (manifest.json.has("share")) {
        JsonMembers in = manifest.json.object("share");
        const Share share = read_share(in);
        crate.part = {share.number, share.of, share.clips};
    }
    MELLOW_TRY(StoredFile skin, listed(manifest, manifest.json.object("skin")));
    MELLOW_TRY(crate.skin, decode_scene(std::move(skin), manifest.target));
    if (crate.skin.nodes.empty()) return manifest.bad("a skin without nodes");
    for (JsonMembers& entry : manifest.json.objects("clips")) {
        ClipInfo clip;
        crate.files.push_back(entry.text("file"));
        ClipSource& source = crate.sources.emplace_back();
        if (entry.has("source")) {
            JsonMembers from = entry.object("source");
            source = {from.text("timeline"), from.number("first"), from.number("last"),
                      from.rate("rate"), !entry.has("made_of")};
        }
        MELLOW_TRY(Scene motion, open_clip(manifest, crate.skin, std::move(entry), clip));
        crate.clips.push_back(std::move(clip));
        if (motions == Motions::kKept) crate.motions.push_back(std::move(motion));
    }
    if (manifest.json.failed()) return manifest.bad(manifest.json.error());
    return crate;
}

std::vector<SheetClip> sheet_clips(const Crate& crate) {
    std::vector<SheetClip> clips;
    for (std::size_t i = 0; i < crate.clips.size(); ++i) {
        const ClipInfo& facts = crate.clips[i];
        SheetClip clip;
        clip.scene = &crate.motions[i];
        clip.lines = sheet_lines(facts);
        clip.samples = facts.samples;
        clip.rate = facts.rate;
        if (i < crate.sources.size() && crate.sources[i].plain) {
            const ClipSource& source = crate.sources[i];
            clip.frames = true;
            clip.first_frame = source.first;
            clip.frames_per_sample = source.rate.per_second() / facts.rate.per_second();
        }
        clips.push_back(std::move(clip));
    }
    return clips;
}

Result<std::vector<std::uint8_t>> draw_crate(const Crate& crate) {
    std::vector<SheetClip> clips = sheet_clips(crate);
    clips.resize(std::min(clips.size(), kMostDrawn));
    SheetOptions options;
    options.axes = crate.convention;
    return draw_sheet(crate.name, crate.skin, clips, options);
}

}  // namespace mellow
