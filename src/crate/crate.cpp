#include "mellow/crate.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

#include "crate/clip_files.h"
#include "crate/told_facts.h"
#include "disk/hash.h"
#include "math/degrees.h"

namespace mellow {
namespace {

/// A file that a manifest lists, with the bytes that it had when it was packed.
Result<StoredFile> listed(const std::filesystem::path& folder, const FileRecord& record) {
    const auto checked = [folder](const FileRecord& file) -> Result<Bytes> {
        const std::filesystem::path relative(file.file);
        MELLOW_TRY(Bytes bytes, read_file(folder / relative));
        if (hash_hex(bytes) != file.hash)
            return Finding{Code::kFileUnreadable,
                           Severity::kStop,
                           Place::in((folder / relative).string()),
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
            return Finding{
                Code::kFileMissing,       Severity::kStop,
                Place::in(record.file),   "a part that the manifest does not list: " + name,
                "the parts of the crate", "pack the crate again"};
        }};
}

/// A figure that begins turned by less is not told of on the sheet.
constexpr double kTurnedStart_rad = 20 / kDegrees;

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
    if (const double turned = t.start_heading_rad.value_or(0); std::abs(turned) > kTurnedStart_rad)
        lines.push_back(fmt::format("begins {:.0f} degrees {}", std::abs(turned) * kDegrees,
                                    turned > 0 ? "left" : "right"));
    return lines;
}

/// The file of a clip, read back.
Result<Scene> open_clip(const std::filesystem::path& folder, const Manifest& manifest,
                        const Scene& skin, const PackedClip& packed) {
    const ClipInfo& clip = packed.clip;
    MELLOW_TRY(StoredFile file, listed(folder, packed.file));
    auto motion = decode_clip(std::move(file), manifest.target, skin, clip.name, clip.samples);
    if (motion || motion.failure().code != Code::kProofFailed) return motion;
    return Manifest::bad(folder, fmt::format("clip \"{}\": {}, where its file has {}", clip.name,
                                             motion.failure().expected, motion.failure().found));
}

/// What the manifest says of a clip's motion, mm.
std::map<std::string, double> motion_figures(const PackedClip& clip) {
    std::map<std::string, double> out;
    const auto most = [&](const char* what, double m) {
        out[what] = std::max(out.contains(what) ? out[what] : 0.0, m * 1000);
    };
    if (clip.clip.loop != LoopForm::kOnce) most("seam", clip.gap.distance_m);
    const MotionCheck& check = clip.motion_check;
    if (!check.any()) return out;
    for (const FootMotion& foot : check.feet) {
        most("slide", foot.slide_m);
        most("depth", foot.depth_m);
    }
    for (const PlaneMotion& plane : check.planes) most("plane", plane.depth_m);
    most("jump", check.pop.jump_m);
    return out;
}

/// A crate that is compared, and its skin where a clip was opened.
struct Side {
    std::filesystem::path folder;
    Manifest manifest;
    std::optional<Scene> skin = {};

    Status open_skin() {
        if (skin) return {};
        MELLOW_TRY(StoredFile file, listed(folder, manifest.skin));
        MELLOW_TRY(skin, decode_scene(std::move(file), manifest.target));
        return {};
    }
    Result<Scene> open(const PackedClip& clip) {
        MELLOW_CHECK(open_skin());
        return open_clip(folder, manifest, *skin, clip);
    }
};

Result<ClipChange> compare_clips(Side& a, const PackedClip& clip_a, Side& b,
                                 const PackedClip& clip_b, const CompareTolerance& tolerance,
                                 const std::set<Aspect>& ignored) {
    ClipChange out;
    ToldFacts was_told = facts_of(clip_a.clip), is_told = facts_of(clip_b.clip);
    was_told.emplace_back("file", clip_a.file.file);
    is_told.emplace_back("file", clip_b.file.file);
    out.facts = other_facts(was_told, is_told);
    if (clip_a.file.hash == clip_b.file.hash &&
        a.manifest.target.convention == b.manifest.target.convention) {
        if (!out.facts.empty()) out.kind = ClipChange::Kind::kChanged;
        return out;
    }
    auto figures_a = motion_figures(clip_a), figures_b = motion_figures(clip_b);
    for (const char* what : {"seam", "slide", "depth", "jump", "plane"}) {
        MotionFigure figure{what};
        if (figures_a.contains(what)) figure.was = figures_a[what];
        if (figures_b.contains(what)) figure.is = figures_b[what];
        if (figure.was >= 0 || figure.is >= 0) out.motion.push_back(std::move(figure));
    }
    MELLOW_TRY(const Scene was, a.open(clip_a));
    MELLOW_TRY(const Scene is, b.open(clip_b));
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

/// Clips of a manifest by name.
using ClipsByName = std::map<std::string, const PackedClip*>;

/// The name of a clip that is gone and moves as this one does; empty where none does.
Result<std::string> same_motion(Side& a, const ClipsByName& gone, Side& b, const PackedClip& clip,
                                const CompareTolerance& tolerance) {
    for (const auto& [name, other] : gone) {
        const ClipInfo &info = other->clip, &own = clip.clip;
        if (info.samples != own.samples || !(info.rate == own.rate)) continue;
        MELLOW_TRY(const Scene was, a.open(*other));
        MELLOW_TRY(const Scene is, b.open(clip));
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
    MELLOW_TRY(Manifest first, Manifest::open(a, Parts::kRefused));
    MELLOW_TRY(Manifest second, Manifest::open(b, Parts::kRefused));
    Side older{a, std::move(first)}, newer{b, std::move(second)};
    const Manifest &was = older.manifest, &is = newer.manifest;
    CrateComparison out;
    out.same_skin = was.skin.hash == is.skin.hash;
    out.facts = other_facts(facts_of(was), facts_of(is));
    if (!out.same_skin) {
        MELLOW_CHECK(older.open_skin());
        MELLOW_CHECK(newer.open_skin());
        MELLOW_TRY(const Comparison skins, compare_motion(*older.skin, *newer.skin, {}));
        out.skin = differences(skins, tolerance, ignored);
    }
    ClipsByName left, gone;  // of the second that the first does not have, and the other way round
    for (const PackedClip& clip : is.clips) left.emplace(clip.clip.name, &clip);
    for (const PackedClip& clip : was.clips) {
        const std::string& name = clip.clip.name;
        const auto found = left.find(name);
        ClipChange change;
        change.kind = ClipChange::Kind::kGone;
        if (found == left.end()) {
            gone.emplace(name, &clip);
        } else {
            MELLOW_TRY(change,
                       compare_clips(older, clip, newer, *found->second, tolerance, ignored));
            left.erase(found);
        }
        change.name = name;
        out.clips.push_back(std::move(change));
    }
    for (const PackedClip& clip : is.clips) {
        if (!left.contains(clip.clip.name)) continue;
        ClipChange added;
        added.name = clip.clip.name;
        added.kind = ClipChange::Kind::kAdded;
        MELLOW_TRY(const std::string before, same_motion(older, gone, newer, clip, tolerance));
        if (!before.empty()) {
            added.kind = ClipChange::Kind::kRenamed;
            added.was = before;
            gone.erase(before);
            std::erase_if(out.clips, [&](const ClipChange& c) { return c.name == before; });
        }
        out.clips.push_back(std::move(added));
    }
    return out;
}

Result<Crate> open_crate(const std::filesystem::path& folder, Motions motions, Parts parts) {
    MELLOW_TRY(Manifest manifest, Manifest::open(folder, parts));
    Crate crate;
    crate.name = manifest.name;
    crate.convention = manifest.target.convention;
    if (const auto& share = manifest.share) crate.part = {share->number, share->of, share->clips};
    MELLOW_TRY(StoredFile skin, listed(folder, manifest.skin));
    MELLOW_TRY(crate.skin, decode_scene(std::move(skin), manifest.target));
    if (crate.skin.nodes.empty()) return Manifest::bad(folder, "a skin without nodes");
    for (PackedClip& clip : manifest.clips) {
        crate.files.push_back(clip.file.file);
        crate.sources.push_back({clip.timeline, static_cast<double>(clip.plan.first_frame),
                                 static_cast<double>(clip.plan.last_frame), clip.plan.source_rate,
                                 clip.parts.empty()});
        MELLOW_TRY(Scene motion, open_clip(folder, manifest, crate.skin, clip));
        crate.clips.push_back(std::move(clip.clip));
        if (motions == Motions::kKept) crate.motions.push_back(std::move(motion));
    }
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
