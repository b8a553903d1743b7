#include "pack/manifest.h"

#include <fmt/format.h>

#include <set>

#include "mellow/read.h"
#include "pack/clip_record.h"
#include "pack/inputs.h"

namespace mellow {
namespace {

namespace fs = std::filesystem;

Finding bad_manifest(const fs::path& folder, std::string found) {
    return {Code::kValueBad,
            Severity::kStop,
            (folder / "crate.json").string(),
            std::move(found),
            "the crate.json of a crate",
            "take that folder away, and pack again"};
}

/// True where other arithmetic made it than ours: then its clips have other records.
bool is_older(JsonMembers& json) {
    return json.has("arithmetic") && json.whole("arithmetic") < kArithmetic;
}

/// Walks through all of a manifest.
class Checker {
  public:
    explicit Checker(Manifest& manifest) : m_(manifest) {}

    Status run(Parts parts) {
        JsonMembers& json = m_.json;
        if (json.failed() || !json.has("format") || json.text("format") != "mellow-crate")
            return m_.bad("no manifest of a crate");
        if (const int version = json.whole("version"); version != kManifestVersion)
            return m_.bad(
                version > kManifestVersion
                    ? fmt::format("version {} of the manifest, not {}: a later mellow "
                                  "has written it",
                                  version, kManifestVersion)
                    : fmt::format("version {} of the manifest, not {}", version, kManifestVersion));
        if (is_older(json)) return m_.bad("a crate that an earlier mellow has packed");
        if (parts == Parts::kRefused) MELLOW_CHECK(whole_crate(json, m_.folder));
        if (json.has("share")) {
            JsonMembers share = json.object("share");
            (void)read_share(share);
        }
        m_.name = json.text("name");
        MELLOW_CHECK(target());
        JsonMembers skin = json.object("skin");
        MELLOW_CHECK(inside(read_file_record(skin, "skin")));
        if (json.has("picture")) {
            JsonMembers picture = json.object("picture");
            MELLOW_CHECK(inside(read_file_record(picture, "picture")));
        }
        if (!json.has("clips")) return m_.bad("clips: there is no list of them");
        const Tolerance tolerance = read_tolerance();
        for (JsonMembers& clip : json.objects("clips")) MELLOW_CHECK(one(clip, tolerance));
        return json.failed() ? Status(m_.bad(json.error())) : Status();
    }

  private:
    Status target() {
        JsonMembers target = m_.json.object("target");
        Target& t = m_.target;
        t.name = target.text("name");
        t.rate = target.rate("rate");
        const auto up = parse_axis(target.text("up")), front = parse_axis(target.text("front"));
        const std::string hand = target.text("hand");
        t.convention = {target.number("metres_per_unit"), up.value_or(Axis::kPlusY),
                        front.value_or(Axis::kPlusY), hand == "left" ? Hand::kLeft : Hand::kRight};
        if (target.has("first_frame")) t.first_frame = target.whole("first_frame");
        t.rest_first = target.has("first_pose");
        if (m_.json.failed()) return m_.bad(m_.json.error());
        if (!up || !front || !is_valid(t.convention) || (hand != "left" && hand != "right") ||
            t.first_frame < 0 || t.first_frame > 1)
            return m_.bad("a target convention that is none");
        return {};
    }

    Tolerance read_tolerance() {
        Tolerance out;
        JsonMembers& json = m_.json;
        if (!json.has("proof")) return out;
        JsonMembers proof = json.object("proof");
        passed_ = proof.flag("passed");
        if (!proof.has("tolerance")) return out;
        JsonMembers t = proof.object("tolerance");
        out = {t.number("mm"), t.number("degrees"), t.number("scale"), t.number("weight")};
        return out;
    }

    Status inside(const FileRecord& file) {
        if (m_.json.failed()) return m_.bad(m_.json.error());
        MELLOW_CHECK(check_inside(m_.folder, file.file));
        for (const FileRecord& part : file.parts) MELLOW_CHECK(check_inside(m_.folder, part.file));
        return {};
    }

    Status one(JsonMembers& json, const Tolerance& tolerance) {
        // A place that is nobody else's stands for that of the clip in its recipe.
        const PackedClip clip = read_clip(json, Conversion(m_.target.convention, {}), "@");
        const std::string record = json.has("record") ? json.text("record") : "";
        if (m_.json.failed()) return m_.bad(m_.json.error());
        MELLOW_CHECK(inside(clip.file));
        if (!clip.thumbnail.file.empty()) MELLOW_CHECK(inside(clip.thumbnail));
        if (!names_.insert(clip.clip.name).second)
            return m_.bad(fmt::format("two clips called \"{}\"", clip.clip.name));
        if (const Status good = within(clip.proof, tolerance); passed_ && !good)
            return m_.bad(fmt::format("clip \"{}\" beyond the tolerance: {}", clip.clip.name,
                                      good.failure().found));
#ifndef FUZZING_BUILD_MODE_UNSAFE_FOR_PRODUCTION  // what is behind it is tried as well
        if (record != record_hash(clip, Conversion({}, m_.target.convention)))
            return m_.bad(fmt::format("other things of \"{}\" than packing wrote", clip.clip.name));
#endif
        return {};
    }

    Manifest& m_;
    std::set<std::string> names_;
    bool passed_ = true;  ///< else it was kept aside, and says how far off it is
};

}  // namespace

Finding Manifest::bad(std::string found) const { return bad_manifest(folder, std::move(found)); }

Status check_inside(const fs::path& folder, const std::string& file) {
    const fs::path relative(file);
    fs::path at = folder;
    for (const fs::path& part : relative) {
        if (relative.is_absolute() || part == ".." || part == "." || part.empty())
            return bad_manifest(folder, "a file outside the crate: " + file);
        at /= part;
        std::error_code error;
        if (fs::is_symlink(at, error))
            return bad_manifest(folder, "a link where a file of the crate belongs: " + file);
    }
    return relative.empty() ? Status(bad_manifest(folder, "a file without a name")) : Status();
}

Result<Manifest> open_manifest(const fs::path& folder, Parts parts) {
    const fs::path path = folder / "crate.json";
    std::error_code error;
    if (fs::is_symlink(path, error))
        return bad_manifest(folder, "a link where a file of the crate belongs: crate.json");
    MELLOW_TRY(Bytes text, read_file(path));
    JsonMembers json(text);
    Manifest out{folder, std::move(text), std::move(json), {}, {}};
    MELLOW_CHECK(Checker(out).run(parts));
    return out;
}

Result<std::optional<Manifest>> open_standing_manifest(const fs::path& folder) {
    std::error_code error;
    const fs::path path = folder / "crate.json";
    if (!fs::exists(fs::symlink_status(path, error))) return std::optional<Manifest>();
    if (!fs::is_symlink(path, error)) {
        MELLOW_TRY(const Bytes text, read_file(path));
        JsonMembers json(text);
        if (!json.failed() && json.has("format") && json.text("format") == "mellow-crate" &&
            (json.whole("version") < kManifestVersion || is_older(json)) && !json.failed())
            return std::optional<Manifest>();
    }
    MELLOW_TRY(Manifest manifest, open_manifest(folder, Parts::kOpened));
    return std::optional<Manifest>(std::move(manifest));
}

}  // namespace mellow
