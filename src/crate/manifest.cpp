// crate.json: written, and read again. Nothing else knows what stands in it.
#include "mellow/manifest.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>

#include "base/finding_json.h"
#include "crate/clip_json.h"
#include "crate/clip_record.h"
#include "crate/file_names.h"
#include "crate/manifest_json.h"
#include "mellow/read.h"

namespace mellow {
namespace {

namespace fs = std::filesystem;

constexpr const char* kFormat = "mellow-crate";

Finding bad_manifest(const fs::path& folder, std::string found) {
    return {Code::kValueBad,
            Severity::kStop,
            Place::in((folder / kManifestFile).string()),
            std::move(found),
            "the crate.json of a crate",
            "take that folder away, and pack again"};
}

/// Whether the member `key` is the first of two words.
bool is_first(JsonMembers& json, std::string_view key, std::string_view one,
              std::string_view other) {
    const std::string text = json.text(key);
    if (text != one && text != other) json.fail(key, fmt::format("\"{}\"", text));
    return text == one;
}

// ------------------------------------------------------------------------------------------ target

void write_target(JsonWriter& json, const Target& target) {
    const Convention& c = target.convention;
    json.object("target", [&] {
        json.member("name", target.name).member("up", name(c.up));
        json.member("front", name(c.front)).member("hand", name(c.hand));
        json.member("metres_per_unit", c.metres_per_unit).member("rate", to_text(target.rate));
        json.member("loop_form", name(target.loop_form)).member("layout", name(target.layout));
        json.member("format", name(target.clip_format));
        if (target.first_frame > 0) json.member("first_frame", target.first_frame);
        if (target.rest_first) json.member("first_pose", "rest");
    });
}

Target read_target(JsonMembers json) {
    Target out;
    out.name = json.text("name");
    out.convention = {json.number("metres_per_unit"), named<Axis>(json, "up", 6),
                      named<Axis>(json, "front", 6), named<Hand>(json, "hand", 2)};
    if (!json.failed() && !is_valid(out.convention)) json.fail("up", "axes that are none");
    out.rate = json.rate("rate");
    out.loop_form = named<LoopForm>(json, "loop_form", 3);
    out.layout = named<Layout>(json, "layout", 4);
    out.clip_format = named<FileFormat>(json, "format", 5);
    if (json.has("first_frame")) out.first_frame = json.whole("first_frame");
    if (out.first_frame < 0 || out.first_frame > 1) json.fail("first_frame", "not 0 or 1");
    out.rest_first = json.has("first_pose");
    if (out.rest_first) (void)is_first(json, "first_pose", "rest", "rest");
    return out;
}

// ---------------------------------------------------------------------------------------- skeleton

void write_skeleton(JsonWriter& json, const Manifest& m, const Conversion& out) {
    json.object("skeleton", [&] {
        json.member("root", m.root).member("hips", m.hips);
        json.list("joints", m.joints);
        if (m.turns.empty()) return;
        json.object("axes_turned", [&] {
            for (const auto& [joint, turn] : m.turns) {
                const Quat q = out.rotation(turn);
                json.list(joint, std::array{tidy(q.x), tidy(q.y), tidy(q.z), tidy(q.w)});
            }
        });
    });
}

void read_skeleton(JsonMembers json, Manifest& m, const Conversion& in) {
    m.root = json.text("root");
    m.hips = json.text("hips");
    m.joints = json.texts("joints");
    const std::set<std::string> names(m.joints.begin(), m.joints.end());
    if (names.size() != m.joints.size()) json.fail("joints", "a name twice");
    if (!names.contains(m.root)) json.fail("root", fmt::format("no joint \"{}\"", m.root));
    if (!json.has("axes_turned")) return;
    JsonMembers turned = json.object("axes_turned");
    for (const std::string& joint : turned.keys()) {
        const std::vector<double> q = turned.numbers(joint);
        const double square = std::inner_product(q.begin(), q.end(), q.begin(), 0.0);
        if (q.size() != 4 || !(std::abs(square - 1) < 1e-6))
            turned.fail(joint, "no quaternion of length 1");
        else
            m.turns.emplace_back(joint, in.rotation(Quat{q[0], q[1], q[2], q[3]}));
    }
}

// ------------------------------------------------------------------------------------------ drives

void write(JsonWriter& json, const KeptDrive& drive, const Conversion& out) {
    json.begin_object().member("mesh", drive.mesh).member("target", drive.target);
    json.member("combine", drive.product ? "product" : "sum");
    json.list("inputs", drive.inputs, [&](const KeptDrive::Input& input) {
        const Vec3 axis = input.twist ? out.turning_axis(input.axis) : out.vector(input.axis);
        json.begin_object().member("joint", input.joint);
        json.member("of", input.twist ? "twist" : "swing");
        json.list("axis", std::array{tidy(axis.x), tidy(axis.y), tidy(axis.z)});
        json.member("shape", name(input.curve.shape));
        json.list("curve", input.curve.points, [&](const CurvePoint& p) {
            json.begin_array().value(p.at).value(p.value);
            if (input.curve.shape == CurveShape::kSlopes) json.value(p.slope);
            json.end_array();
        });
        json.end_object();
    });
    json.end_object();
}

ValueCurve read_curve(JsonMembers& json) {
    ValueCurve out;
    out.shape = named<CurveShape>(json, "shape", 4);
    const std::size_t wide = out.shape == CurveShape::kSlopes ? 3 : 2;
    for (const std::vector<double>& row : json.rows("curve")) {
        if (row.size() != wide || (!out.points.empty() && row[0] < out.points.back().at)) {
            json.fail("curve", "rows that are no curve");
            break;
        }
        out.points.push_back({row[0], row[1], wide == 3 ? row[2] : 0});
    }
    if (out.points.empty()) json.fail("curve", "a curve without rows");
    return out;
}

KeptDrive read_drive(JsonMembers& json, const Conversion& in) {
    KeptDrive out{
        json.text("mesh"), json.text("target"), is_first(json, "combine", "product", "sum"), {}};
    for (JsonMembers& input : json.objects("inputs")) {
        const bool twist = is_first(input, "of", "twist", "swing");
        const Vec3 axis = input.vector("axis");
        out.inputs.push_back({input.text("joint"), twist,
                              twist ? in.turning_axis(axis) : in.vector(axis), read_curve(input)});
    }
    return out;
}

// ------------------------------------------------------------------------------- share, left out

Share read_share(JsonMembers json) {
    Share share;
    share.number = json.whole("number");
    share.of = json.whole("of");
    if (share.number < 1 || share.number > share.of || share.of > kMostShares)
        json.fail("number", fmt::format("{} of {}", share.number, share.of));
    share.plan = json.text("plan");
    share.recipe = json.text("recipe");
    share.part = json.text("part");
    share.clips = json.count("clips");
    return share;
}

// ------------------------------------------------------------------------------------------- paths

/// A path of a manifest as a file of the crate: fails where it leads out of the folder.
Status inside(const fs::path& folder, const std::string& file) {
    const fs::path relative(file);
    for (const fs::path& part : relative)
        if (relative.is_absolute() || part == ".." || part == "." || part.empty())
            return bad_manifest(folder, "a file outside the crate: " + file);
    return relative.empty() ? Status(bad_manifest(folder, "a file without a name")) : Status();
}

/// All records of files that are in the crate.
template <class Do>
Status each_file(const Manifest& m, const Do& what) {
    const auto with_parts = [&](const FileRecord& record) -> Status {
        MELLOW_CHECK(what(record));
        for (const FileRecord& part : record.parts) MELLOW_CHECK(what(part));
        return {};
    };
    MELLOW_CHECK(with_parts(m.skin));
    if (!m.picture.file.empty()) MELLOW_CHECK(with_parts(m.picture));
    for (const PackedClip& clip : m.clips) {
        MELLOW_CHECK(with_parts(clip.file));
        if (!clip.thumbnail.file.empty()) MELLOW_CHECK(with_parts(clip.thumbnail));
    }
    return {};
}

/// Walks through all of a manifest.
class Decoder {
  public:
    Decoder(const Bytes& text, const fs::path& folder) : json_(text), folder_(folder) {}

    Result<Manifest> run() {
        MELLOW_CHECK(version());
        Manifest& m = out_;
        m.name = json_.text("name");
        if (json_.has("share")) m.share = read_share(json_.object("share"));
        skipped();
        sources();
        m.target = read_target(json_.object("target"));
        in_ = Conversion(m.target.convention, {});
        if (json_.failed()) return bad(json_.error());
        read_skeleton(json_.object("skeleton"), m, in_);
        JsonMembers skin = json_.object("skin");
        m.skin = read_file_record(skin, FileRole::kSkin);
        m.height_m = skin.number("height_m");
        if (!(m.height_m >= 0 && m.height_m < 1e6)) skin.fail("height_m", "no height");
        m.morph_targets = skin.texts("morph_targets");
        for (JsonMembers& drive : json_.objects("drives"))
            m.drives.push_back(read_drive(drive, in_));
        if (json_.has("picture")) {
            JsonMembers picture = json_.object("picture");
            m.picture = read_file_record(picture, FileRole::kPicture);
        }
        proof();
        if (json_.failed()) return bad(json_.error());
        MELLOW_CHECK(clips());
        MELLOW_CHECK(each_file(m, [&](const FileRecord& f) { return inside(folder_, f.file); }));
        return std::move(out_);
    }

  private:
    Finding bad(std::string found) const { return bad_manifest(folder_, std::move(found)); }

    Status version() {
        if (json_.failed() || !json_.has("format") || json_.text("format") != kFormat)
            return bad("no manifest of a crate");
        if (const int version = json_.whole("version"); version != kManifestVersion)
            return bad(
                version > kManifestVersion
                    ? fmt::format("version {} of the manifest, not {}: a later mellow has "
                                  "written it",
                                  version, kManifestVersion)
                    : fmt::format("version {} of the manifest, not {}", version, kManifestVersion));
        // Other arithmetic than ours: then its clips have other records.
        if (const int arithmetic = json_.whole("arithmetic"); arithmetic != kArithmetic)
            return bad(fmt::format("a crate that {} mellow has packed",
                                   arithmetic < kArithmetic ? "an earlier" : "a later"));
        return {};
    }

    void skipped() {
        for (JsonMembers& entry : json_.objects("skipped"))
            out_.skipped.push_back({entry.text("file"), read_findings(entry, "findings", "")});
    }

    void sources() {
        for (JsonMembers& entry : json_.objects("sources")) {
            const std::string text = entry.text("role");
            const auto role = parse_file_role(text);
            if (!role) entry.fail("role", fmt::format("\"{}\"", text));
            if (role) out_.sources.push_back(read_file_record(entry, role->first, role->second));
        }
    }

    void proof() {
        JsonMembers proof = json_.object("proof");
        out_.proven = proof.flag("passed");
        JsonMembers t = proof.object("tolerance");
        out_.tolerance = {t.number("mm"), t.number("degrees"), t.number("scale"),
                          t.number("weight")};
        const Tolerance& least = out_.tolerance;
        if (!(std::min({least.mm, least.degrees, least.scale, least.weight}) >= 0))
            proof.fail("tolerance", "below 0");
        if (proof.has("accepted")) out_.accepted = proof.texts("accepted");
    }

    Status clips() {
        if (!json_.has("clips")) return bad("clips: there is no list of them");
        std::set<std::string> names;
        for (JsonMembers& entry : json_.objects("clips")) {
            PackedClip clip = read_clip(entry, in_, kOwnPlace);
            const std::string record = entry.has("record") ? entry.text("record") : "";
            if (json_.failed()) return bad(json_.error());
            const std::string& name = clip.clip.name;
            for (const FileRecord& file : clip.file.parts) MELLOW_CHECK(inside(folder_, file.file));
            MELLOW_CHECK(inside(folder_, clip.file.file));
            if (!names.insert(name).second)
                return bad(fmt::format("two clips called \"{}\"", name));
            // One that was kept aside says how far off it is.
            if (const Status good = within(clip.proof, out_.tolerance); out_.proven && !good)
                return bad(fmt::format("clip \"{}\" beyond the tolerance: {}", name,
                                       good.failure().found));
#ifndef FUZZING_BUILD_MODE_UNSAFE_FOR_PRODUCTION  // what is behind it is tried as well
            if (record != record_hash(clip, Conversion({}, out_.target.convention)))
                return bad(fmt::format("other things of \"{}\" than packing wrote", name));
#endif
            out_.clips.push_back(std::move(clip));
        }
        return json_.failed() ? Status(bad(json_.error())) : Status();
    }

    JsonMembers json_;
    const fs::path& folder_;
    Manifest out_;
    Conversion in_;
};

/// No file of a crate may be a link.
Status unlinked(const fs::path& folder, const std::string& file) {
    fs::path place = folder;
    for (const fs::path& part : fs::path(file)) {
        place /= part;
        std::error_code error;
        if (fs::is_symlink(place, error))
            return bad_manifest(folder, "a link where a file of the crate belongs: " + file);
    }
    return {};
}

}  // namespace

void write_tolerance(JsonWriter& json, const Tolerance& t) {
    json.object("tolerance", [&] {
        json.member("mm", t.mm).member("degrees", t.degrees).member("scale", t.scale);
        json.member("weight", t.weight);
    });
}

void write_share(JsonWriter& json, const Share& share) {
    json.object("share", [&] {
        json.member("number", share.number).member("of", share.of);
        json.member("plan", share.plan).member("clips", share.clips).member("recipe", share.recipe);
        json.member("part", share.part);
    });
}

void write_skipped(JsonWriter& json, const std::vector<SkippedFile>& skipped) {
    if (skipped.empty()) return;
    json.list("skipped", skipped, [&](const SkippedFile& file) {
        json.begin_object().member("file", file.file);
        write_findings(json, file.findings);
        json.end_object();
    });
}

void Manifest::encode(const TextSink& sink) const {
    const Conversion out({}, target.convention);
    JsonWriter json(JsonWriter::Form::kIndented, sink);
    json.begin_object().member("format", kFormat).member("version", kManifestVersion);
    json.member("name", name);
    if (share) write_share(json, *share);
    write_skipped(json, skipped);
    json.member("arithmetic", kArithmetic);
    json.list("sources", sources, [&](const FileRecord& source) {
        json.begin_object();
        write_file(json, source, true);
        json.end_object();
    });
    write_target(json, target);
    write_skeleton(json, *this, out);
    json.object("skin", [&] {
        write_file(json, skin, true);
        json.member("height_m", tidy(height_m));
        json.list("morph_targets", morph_targets);
    });
    if (!drives.empty())
        json.list("drives", drives, [&](const KeptDrive& d) { write(json, d, out); });
    json.list("clips", clips, [&](const PackedClip& clip) { write_clip(json, clip, out); });
    if (!picture.file.empty()) json.object("picture", [&] { write_file(json, picture, true); });
    json.object("proof", [&] {
        json.member("passed", proven);
        write_tolerance(json, tolerance);
        if (!accepted.empty()) json.list("accepted", accepted);
    });
    json.end_object().finish();
}

Result<Manifest> Manifest::decode(const Bytes& text, const fs::path& folder) {
    return Decoder(text, folder).run();
}

Result<Manifest> Manifest::open(const fs::path& folder, Parts parts) {
    MELLOW_CHECK(unlinked(folder, kManifestFile));
    MELLOW_TRY(const Bytes text, read_file(folder / kManifestFile));
    MELLOW_TRY(Manifest out, decode(text, folder));
    MELLOW_CHECK(each_file(out, [&](const FileRecord& f) { return unlinked(folder, f.file); }));
    if (parts == Parts::kOpened || !out.share) return out;
    return Finding{Code::kValueBad,
                   Severity::kStop,
                   Place::in(folder.string()),
                   fmt::format("a part: share {} of {}", out.share->number, out.share->of),
                   "a whole crate",
                   "gather it from all its parts",
                   {},
                   {{Call::Job::kGather, folder.parent_path().string()}}};
}

Finding Manifest::bad(const fs::path& folder, std::string found) {
    return bad_manifest(folder, std::move(found));
}

Result<std::optional<Manifest>> Manifest::open_standing(const fs::path& folder) {
    std::error_code error;
    const fs::path path = folder / kManifestFile;
    if (!fs::exists(fs::symlink_status(path, error))) return std::optional<Manifest>();
    if (!fs::is_symlink(path, error)) {
        MELLOW_TRY(const Bytes text, read_file(path));
        JsonMembers json(text);
        const bool ours = !json.failed() && json.has("format") && json.text("format") == kFormat;
        if (ours && !json.failed() &&
            (json.whole("version") < kManifestVersion ||
             (json.has("arithmetic") && json.whole("arithmetic") < kArithmetic)) &&
            !json.failed())
            return std::optional<Manifest>();
    }
    MELLOW_TRY(Manifest manifest, open(folder, Parts::kOpened));
    return std::optional<Manifest>(std::move(manifest));
}

std::set<std::string> files_of(const Manifest& manifest) {
    std::set<std::string> own = fixed_files();
    (void)each_file(manifest, [&](const FileRecord& file) {
        own.insert(file.file);
        return Status();
    });
    return own;
}

std::optional<std::set<std::string>> files_named(const Bytes& text) {
    JsonMembers json(text);
    if (json.failed() || !json.has("format") || json.text("format") != kFormat) return {};
    std::set<std::string> own = fixed_files();
    const auto add = [&](JsonMembers file) {
        own.insert(file.text("file"));
        for (JsonMembers& part : file.objects("parts")) own.insert(part.text("file"));
    };
    add(json.object("skin"));
    for (JsonMembers& clip : json.objects("clips")) {
        if (clip.has("thumbnail")) add(clip.object("thumbnail"));
        add(std::move(clip));
    }
    return own;
}

}  // namespace mellow
