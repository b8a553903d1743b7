#include "crate/clip_record.h"

#include <fmt/format.h>

#include <cmath>

#include "base/finding_json.h"
#include "crate/clip_json.h"
#include "disk/hash.h"
#include "math/degrees.h"

namespace mellow {
namespace {

void write(JsonWriter& json, std::string_view key, const Deviation& d) {
    json.object(key, [&] {
        json.member("worst", tidy(d.worst)).member("mean", tidy(d.mean())).member("at", d.what);
        json.member("sample", d.sample).member("compared", d.count);
    });
}

Deviation read_deviation(JsonMembers& json, std::string_view key) {
    Deviation d;
    if (!json.has(key)) return d;
    JsonMembers in = json.object(key);
    d.worst = in.number("worst");
    d.what = in.text("at");
    d.sample = in.whole("sample");
    d.count = in.count("compared");
    d.sum = in.number("mean") * static_cast<double>(d.count);
    return d;
}

/// Nothing where there are none.
void write_own(JsonWriter& json, std::string_view key, const Findings& findings,
               const Place& where) {
    if (findings.empty()) return;
    json.list(key, findings, [&](Finding f) {
        if (f.where == where) f.where = kOwnPlace;
        json.begin_object();
        write_finding(json, f);
        json.end_object();
    });
}

void write_motion(JsonWriter& json, const MotionCheck& check) {
    json.object("motion", [&] {
        json.list("feet", check.feet, [&](const FootMotion& foot) {
            json.begin_object().member("joint", foot.joint);
            json.member("slide_mm", tidy(foot.slide_m * 1000));
            json.member("slide_sample", foot.slide_sample);
            json.member("depth_mm", tidy(foot.depth_m * 1000));
            json.member("depth_sample", foot.depth_sample);
            json.list("contacts", foot.contacts, [&](const Contact& contact) {
                json.begin_object().member("first_sample", contact.first);
                json.member("last_sample", contact.last);
                json.member("slide_mm", tidy(contact.slide_m * 1000)).end_object();
            });
            json.end_object();
        });
        if (!check.wheels.empty())
            json.list("wheels", check.wheels, [&](const WheelMotion& wheel) {
                json.begin_object().member("joint", wheel.joint);
                json.member("moving_samples", wheel.moving);
                json.member("against_samples", wheel.against).member("first_sample", wheel.sample);
                json.member("radius_m", tidy(wheel.radius_m)).end_object();
            });
        if (!check.planes.empty())
            json.list("planes", check.planes, [&](const PlaneMotion& plane) {
                json.begin_object().member("plane", plane.plane);
                json.text_member("joint", plane.joint);
                json.member("depth_mm", tidy(plane.depth_m * 1000));
                json.member("sample", plane.sample).end_object();
            });
        json.object("pop", [&] {
            json.member("joint", check.pop.joint).member("sample", check.pop.sample);
            json.member("jump_mm", tidy(check.pop.jump_m * 1000));
            json.member("median_mm", tidy(check.pop.median_m * 1000));
        });
    });
}

MotionCheck read_motion(JsonMembers json) {
    MotionCheck check;
    for (JsonMembers& in : json.objects("feet")) {
        FootMotion foot;
        foot.joint = in.text("joint");
        foot.slide_m = in.number("slide_mm") / 1000;
        foot.slide_sample = in.whole("slide_sample");
        foot.depth_m = in.number("depth_mm") / 1000;
        foot.depth_sample = in.whole("depth_sample");
        for (JsonMembers& contact : in.objects("contacts"))
            foot.contacts.push_back({contact.whole("first_sample"), contact.whole("last_sample"),
                                     contact.number("slide_mm") / 1000});
        check.feet.push_back(std::move(foot));
    }
    for (JsonMembers& in : json.objects("wheels"))
        check.wheels.push_back({in.text("joint"), in.whole("moving_samples"),
                                in.whole("against_samples"), in.whole("first_sample"),
                                in.number("radius_m")});
    for (JsonMembers& in : json.objects("planes"))
        check.planes.push_back({in.text("plane"), in.has("joint") ? in.text("joint") : "",
                                in.number("depth_mm") / 1000, in.whole("sample")});
    JsonMembers pop = json.object("pop");
    check.pop = {pop.text("joint"), pop.whole("sample"), pop.number("jump_mm") / 1000,
                 pop.number("median_mm") / 1000};
    return check;
}

ClipProof read_proof(JsonMembers json) {
    ClipProof proof;
    proof.samples = json.whole("samples");
    proof.moving_joints = json.whole("moving_joints");
    proof.moving_morphs = json.whole("moving_morphs");
    if (json.has("moving_scalars")) proof.moving_scalars = json.whole("moving_scalars");
    proof.position_mm = read_deviation(json, "joint_position_mm");
    proof.rotation_degrees = read_deviation(json, "joint_rotation_degrees");
    proof.scale = read_deviation(json, "joint_scale");
    proof.vertex_mm = read_deviation(json, "skinned_vertex_mm");
    proof.weight = read_deviation(json, "morph_weight");
    proof.driven_weight = read_deviation(json, "driven_weight");
    proof.scalar = read_deviation(json, "scalar");
    proof.simplified_mm = read_deviation(json, "simplified_skin_mm");
    proof.accepted_degrees = read_deviation(json, "accepted_degrees");
    proof.accepted_mm = read_deviation(json, "accepted_mm");
    for (JsonMembers& kind : json.objects("driven_by"))
        proof.kinds.push_back({kind.text("kind"), kind.whole("joints"),
                               read_deviation(kind, "joint_position_mm"),
                               read_deviation(kind, "joint_rotation_degrees")});
    return proof;
}

}  // namespace

void write_proof(JsonWriter& json, std::string_view key, const ClipProof& proof) {
    json.key(key).begin_object().member("samples", proof.samples);
    json.member("moving_joints", proof.moving_joints);
    json.member("moving_morphs", proof.moving_morphs);
    if (proof.moving_scalars > 0) json.member("moving_scalars", proof.moving_scalars);
    write(json, "joint_position_mm", proof.position_mm);
    write(json, "joint_rotation_degrees", proof.rotation_degrees);
    write(json, "joint_scale", proof.scale);
    write(json, "skinned_vertex_mm", proof.vertex_mm);
    write(json, "morph_weight", proof.weight);
    if (proof.driven_weight.count > 0) write(json, "driven_weight", proof.driven_weight);
    if (proof.scalar.count > 0) write(json, "scalar", proof.scalar);
    if (proof.simplified_mm.count > 0) write(json, "simplified_skin_mm", proof.simplified_mm);
    if (proof.accepted_degrees.count > 0) write(json, "accepted_degrees", proof.accepted_degrees);
    if (proof.accepted_mm.count > 0) write(json, "accepted_mm", proof.accepted_mm);
    json.list("driven_by", proof.kinds, [&](const KindProof& kind) {
        json.begin_object().member("kind", kind.kind).member("joints", kind.joints);
        write(json, "joint_position_mm", kind.position_mm);
        write(json, "joint_rotation_degrees", kind.rotation_degrees);
        json.end_object();
    });
    json.end_object();
}

void write_file(JsonWriter& json, const FileRecord& file, bool with_role) {
    if (with_role) json.member("role", file.role_text());
    json.member("file", file.file).member("bytes", file.bytes).member("xxh3_128", file.hash);
    if (file.parts.empty()) return;
    json.list("parts", file.parts, [&](const FileRecord& part) {
        json.begin_object();
        write_file(json, part, false);
        json.end_object();
    });
}

namespace {

/// Everything of a record but its own hash.
void write_members(JsonWriter& json, const PackedClip& packed, const Conversion& out) {
    json.member("name", packed.clip.name);
    write_file(json, packed.file, false);
    if (!packed.thumbnail.file.empty())
        json.object("thumbnail", [&] { write_file(json, packed.thumbnail, false); });
    json.object("source", [&] {
        if (!packed.motion.empty()) json.member("file", packed.motion);
        json.member("timeline", packed.timeline).member("first", packed.plan.first_frame);
        json.member("last", packed.plan.last_frame);
        json.member("rate", to_text(packed.plan.source_rate));
    });
    if (!packed.parts.empty())
        json.list("made_of", packed.parts, [&](const PackedPart& part) {
            json.begin_object().member("name", part.name);
            json.member("first_sample", part.first_sample).member("last_sample", part.last_sample);
            json.member("seconds", tidy(packed.clip.rate.seconds(part.last_sample) -
                                        packed.clip.rate.seconds(part.first_sample)));
            if (part.times > 1) json.member("times", part.times);
            json.end_object();
        });
    write_clip_facts(json, packed.clip, out);
    if (packed.clip.loop != LoopForm::kOnce)
        json.object("loop_gap", [&] {
            json.member("mm", tidy(packed.gap.distance_m * 1000));
            json.text_member("joint", packed.gap_joint);
            json.member("degrees", tidy(packed.gap.angle_rad * kDegrees));
            json.text_member("turned", packed.gap_turned);
            json.member("weight", tidy(packed.gap.weight)).member("scale", tidy(packed.gap.scale));
            json.member("scalar", tidy(packed.gap.scalar));
            json.member("speed_m_s", tidy(packed.gap.speed_m_s));
            json.member("spin_degrees_s", tidy(packed.gap.spin_rad_s * kDegrees));
        });
    json.list("morphs", packed.morphs, [&](const PackedMorphs& morphs) {
        json.begin_object().member("mesh", morphs.mesh).list("targets", morphs.targets);
        json.list("activity", morphs.activity, [&](const MorphActivity& a) {
            json.begin_object().member("least", tidy(a.least)).member("most", tidy(a.most));
            json.member("first_sample", a.first_sample);
            json.member("vertex_mm", tidy(a.vertex_mm)).end_object();
        });
        json.end_object();
    });
    const MotionCheck& check = packed.motion_check;
    if (check.any()) write_motion(json, packed.motion_check);
    if (!packed.scalars.empty())
        json.list("scalars", packed.scalars, [&](const PackedScalar& scalar) {
            json.begin_object().member("name", scalar.name).member("unit", scalar.unit);
            json.end_object();
        });
    json.object("shear", [&] {
        json.member("worst", tidy(packed.worst_shear)).member("joint", packed.shear_joint);
    });
    write_proof(json, "proof", packed.proof);
    if (packed.demands_met > 0)
        json.object("demands", [&] {
            json.member("met", packed.demands_met);
            if (packed.demands_unmet.empty()) return;
            json.list("unmet", packed.demands_unmet, [&](const Demand& d) {
                json.begin_object().member("id", d.id).member("wanted", d.wanted);
                json.member("found", d.found).member("remedy", d.remedy);
                write_calls(json, d.calls);
                json.end_object();
            });
        });
    json.text_member("inputs", packed.inputs);
    write_own(json, "of_range", packed.shared, packed.where);
    write_own(json, "findings", packed.findings, packed.where);
}

}  // namespace

std::string record_hash(const PackedClip& packed, const Conversion& out) {
    JsonWriter json;
    json.begin_object();
    write_members(json, packed, out);
    return hash_of(json.end_object().take_text());
}

void write_clip(JsonWriter& json, const PackedClip& packed, const Conversion& out) {
    json.begin_object();
    write_members(json, packed, out);
    json.member("record", record_hash(packed, out)).end_object();
}

FileRecord read_file_record(JsonMembers& json, FileRole role, bool part) {
    FileRecord file{role, json.text("file"), 0, json.text("xxh3_128"), part};
    file.bytes = json.count("bytes");
    for (JsonMembers& one : json.objects("parts"))
        file.parts.push_back(read_file_record(one, role, true));
    return file;
}

namespace {

std::vector<Call> read_calls(JsonMembers& json) {
    std::vector<Call> out;
    if (!json.has("calls")) return out;
    for (JsonMembers& in : json.objects("calls")) {
        Call& call = out.emplace_back();
        call.job = named<Call::Job>(in, "job", kCallJobs);
        if (in.has("subject")) call.subject = in.text("subject");
        for (JsonMembers& a : in.objects("asked"))
            call.asked.push_back({named<Call::Option>(a, "option", kCallOptions),
                                  a.has("value") ? a.text("value") : ""});
    }
    return out;
}

}  // namespace

Findings read_findings(JsonMembers& json, std::string_view key, const Place& where) {
    Findings out;
    for (JsonMembers& in : json.objects(key)) {
        Finding f;
        const std::string code = in.text("code"), severity = in.text("severity");
        bool known = false;
        for (int c = 0; c < kCodes; ++c)
            if (name(static_cast<Code>(c)) == code) f.code = static_cast<Code>(c), known = true;
        if (!known) in.fail("code", "no finding is called " + code);
        for (const Severity s : {Severity::kNote, Severity::kWarning, Severity::kStop})
            if (name(s) == severity) f.severity = s;
        f.where = in.has("file") ? Place::in(in.text("file"), in.has("line") ? in.whole("line") : 0,
                                             in.has("path") ? in.text("path") : "")
                                 : Place::of(in.text("where"));
        if (f.where == kOwnPlace) f.where = where;
        f.found = in.text("found");
        f.expected = in.text("expected");
        f.remedy = in.text("remedy");
        for (JsonMembers& e : in.objects("edits"))
            f.edits.push_back(
                {e.text("table"), e.text("key"), e.has("value") ? e.text("value") : ""});
        f.calls = read_calls(in);
        out.push_back(std::move(f));
    }
    return out;
}

PackedClip read_clip(JsonMembers& json, const Conversion& in, const Place& where) {
    PackedClip packed;
    packed.where = where;
    packed.clip = clip_from_facts(json, in);
    packed.clip.name = json.text("name");
    packed.file = read_file_record(json, FileRole::kClip);
    if (json.has("thumbnail")) {
        JsonMembers thumbnail = json.object("thumbnail");
        packed.thumbnail = read_file_record(thumbnail, FileRole::kThumbnail);
    }
    JsonMembers source = json.object("source");
    if (source.has("file")) packed.motion = source.text("file");
    packed.timeline = source.text("timeline");
    packed.plan.clip = packed.clip.name;
    packed.plan.first_frame = source.long_whole("first");
    packed.plan.last_frame = source.long_whole("last");
    packed.plan.source_rate = source.rate("rate");
    packed.plan.rate = packed.clip.rate;
    packed.plan.samples = packed.clip.period + 1;
    packed.plan.loop = packed.clip.loop != LoopForm::kOnce;
    for (JsonMembers& part : json.objects("made_of"))
        packed.parts.push_back({part.text("name"), part.whole("first_sample"),
                                part.whole("last_sample"),
                                part.has("times") ? part.whole("times") : 1});
    if (json.has("loop_gap")) {
        JsonMembers gap = json.object("loop_gap");
        packed.gap.distance_m = gap.number("mm") / 1000;
        packed.gap.angle_rad = gap.number("degrees") / kDegrees;
        if (gap.has("joint")) packed.gap_joint = gap.text("joint");
        if (gap.has("turned")) packed.gap_turned = gap.text("turned");
        packed.gap.weight = gap.number("weight");
        packed.gap.scale = gap.number("scale");
        packed.gap.scalar = gap.number("scalar");
        packed.gap.speed_m_s = gap.number("speed_m_s");
        packed.gap.spin_rad_s = gap.number("spin_degrees_s") / kDegrees;
    }
    for (JsonMembers& morph : json.objects("morphs")) {
        PackedMorphs& morphs = packed.morphs.emplace_back();
        morphs.mesh = morph.text("mesh");
        morphs.targets = morph.texts("targets");
        for (JsonMembers& a : morph.objects("activity"))
            morphs.activity.push_back({a.number("least"), a.number("most"), a.whole("first_sample"),
                                       a.number("vertex_mm")});
        if (morphs.activity.size() != morphs.targets.size())
            morph.fail("activity", fmt::format("{} entries for {} targets", morphs.activity.size(),
                                               morphs.targets.size()));
    }
    if (json.has("motion")) packed.motion_check = read_motion(json.object("motion"));
    for (JsonMembers& scalar : json.objects("scalars"))
        packed.scalars.push_back({scalar.text("name"), scalar.text("unit")});
    JsonMembers shear = json.object("shear");
    packed.worst_shear = shear.number("worst");
    packed.shear_joint = shear.text("joint");
    packed.proof = read_proof(json.object("proof"));
    packed.proof.clip = packed.clip.name;
    packed.proof.pose = packed.plan.samples == 1;
    packed.passed = true;  // else its crate had not been put in place
    if (json.has("demands")) {
        JsonMembers demands = json.object("demands");
        packed.demands_met = demands.count("met");
        for (JsonMembers& d : demands.objects("unmet"))
            packed.demands_unmet.push_back({d.text("id"), packed.file.file, d.text("wanted"),
                                            d.text("found"), false, d.text("remedy"),
                                            read_calls(d)});
    }
    if (json.has("inputs")) packed.inputs = json.text("inputs");
    packed.shared = read_findings(json, "of_range", where);
    packed.findings = read_findings(json, "findings", where);
    return packed;
}

PackedClip placed_at(PackedClip packed, const Place& where) {
    packed.where = where;
    for (Findings* findings : {&packed.shared, &packed.findings})
        for (Finding& finding : *findings)
            if (finding.where == kOwnPlace) finding.where = where;
    return packed;
}

PackedClip settled(const PackedClip& packed, const Convention& target) {
    JsonWriter json;
    write_clip(json, packed, Conversion({}, target));
    const std::string& text = json.text();
    JsonMembers record(Bytes(text.begin(), text.end()));
    PackedClip out = read_clip(record, Conversion(target, {}), packed.where);
    // A figure that is no number has no record: it stays as it was measured.
    if (record.failed()) return packed;
    out.passed = packed.passed;
    out.motion_print = packed.motion_print;
    return out;
}

}  // namespace mellow
