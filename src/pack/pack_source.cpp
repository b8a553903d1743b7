#include "pack/pack_source.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "base/at.h"
#include "base/text.h"
#include "crate/hash.h"
#include "mellow/fit.h"
#include "mellow/read.h"
#include "mellow/stock.h"
#include "pack/cameras.h"
#include "pack/kept_drives.h"

namespace mellow {
namespace {

FileRecord record(std::string role, std::string file, const Bytes& bytes) {
    return {std::move(role), std::move(file), bytes.size(), hash_hex(bytes)};
}

Result<Bytes> load(PackReport& report, const std::string& role, const std::filesystem::path& path) {
    auto read = read_file(path);
    if (!read) {
        Finding failure = read.failure();
        if (failure.code == Code::kFileMissing)
            failure.remedy = "check the path; relative paths start at the recipe's folder";
        return failure;
    }
    Bytes bytes = std::move(read).value();
    report.sources.push_back(record(role, path.filename().string(), bytes));
    return bytes;
}

/// Reads a scene, and records the very bytes that are read, those of files beside it as well.
Result<ReadResult> load_scene(PackReport& report, const std::string& role,
                              const std::filesystem::path& path, const ReadLimits& limits) {
    MELLOW_TRY(Bytes bytes, load(report, role, path));
    const LoadFile beside = [&, load = load_beside(path, limits)](const std::string& relative) {
        auto part = load(relative);
        if (part) report.sources.push_back(record(role + " part", relative, part.value()));
        return part;
    };
    return read_memory(std::move(bytes), path.filename().string(), beside, limits);
}

/// What readers say of the options of the tool, with the keys that a recipe has for them.
Finding in_recipe_words(Finding finding) {
    for (const char* key : {"unit", "up", "front", "rate", "places", "frames"})
        for (std::string::size_type at = 0;
             (at = finding.remedy.find(std::string("--") + key, at)) != std::string::npos;)
            finding.remedy.erase(at, 2);
    return finding;
}

/// A name that can be a file's: what cannot stand in one becomes an underscore.
std::string file_name(std::string name) {
    for (char& c : name)
        if (!std::isalnum(static_cast<unsigned char>(c)) && c != '_' && c != '-' && c != '.')
            c = '_';
    if (name.empty() || name.front() == '.') name.insert(name.begin(), '_');
    while (name.ends_with('.')) name.back() = '_';
    const std::string stem = folded(name.substr(0, name.find('.')));
    for (const char* device : {"con", "prn", "aux", "nul"})
        if (stem == device) name.insert(name.begin(), '_');
    return name.substr(0, 100);
}

}  // namespace

Result<PackSource> PackSource::read(const Recipe& recipe, PackReport& report) {
    PackSource source(recipe);
    Findings wrong;
    const auto collect = [&](Status status) { append(wrong, std::move(status).failures()); };
    collect(source.read_scene_file(report));
    collect(source.read_sheet(report));
    if (!wrong.empty()) return wrong;
    collect(prepare_cameras(recipe, source.scene_, source.sheet_));
    Status clips = source.expand_clips(report);
    if (clips.ok()) source.note_gaps(report);
    collect(source.make_skeleton(report));
    collect(std::move(clips));
    collect(source.check_clips());
    if (!wrong.empty()) return wrong;
    return source;
}

Status PackSource::read_scene_file(PackReport& report) {
    const auto path = recipe_->folder / recipe_->source;
    auto parsed = load_scene(report, "scene", path, limits_for(recipe_->truth));
    if (!parsed) {
        Findings failures = parsed.failures();
        for (Finding& f : failures) f = in_recipe_words(f);
        return failures;
    }
    ReadResult read = std::move(parsed).value();
    scene_ = std::move(read.scene);
    for (const Finding& f : read.findings)
        if (!recipe_->truth.answers(f)) report.findings.push_back(in_recipe_words(f));
    MELLOW_CHECK(overrule(scene_, recipe_->truth, read.keys_on_frames));
    // What the recipe answers, or packing sees to, needs no saying.
    const std::set<Code> answered{Code::kStillTail,   Code::kPrefix,     Code::kLeftOut,
                                  Code::kDefaultName, Code::kUnweighted, Code::kZeroScale,
                                  Code::kRigidSkin,   Code::kNoMotion};
    Stock stock = take_stock(scene_);
    for (const Finding& f : stock.findings) {
        const bool rigged = f.code == Code::kUnbaked && !recipe_->rig.empty();
        if (!answered.contains(f.code) && !recipe_->truth.answers(f) && !rigged)
            report.findings.push_back(f);
    }
    timelines_ = std::move(stock.timelines);
    note_lights(report);
    static_meshes_ = static_meshes(scene_);
    conversion_ = Conversion(scene_.convention, Convention{});
    convert(scene_, Convention{});
    split_rigid_meshes(scene_);
    for (Finding& f : restore_zero_scales(scene_)) report.findings.push_back(std::move(f));
    return {};
}

Status PackSource::read_sheet(PackReport& report) {
    if (!recipe_->rig.empty()) {
        MELLOW_TRY(const Bytes text, load(report, "rig sheet", recipe_->folder / recipe_->rig));
        MELLOW_TRY(sheet_,
                   parse_rig_sheet({reinterpret_cast<const char*>(text.data()), text.size()},
                                   std::filesystem::path(recipe_->rig).filename().string()));
        convert(sheet_, conversion_);
    }
    if (sheet_.prefix.empty()) sheet_.prefix = recipe_->strip_prefix;
    return {};
}

Result<int> PackSource::find_timeline(const std::string& name, const std::string& where) const {
    std::vector<std::string> names;
    for (const Timeline& t : scene_.timelines) names.push_back(t.name);
    const std::string behind = recipe_->strip_prefix + name;
    for (std::size_t i = 0; i < names.size(); ++i)
        if (name.empty() ? names.size() == 1 : names[i] == name || names[i] == behind)
            return static_cast<int>(i);
    return Finding{Code::kNameUnknown,
                   Severity::kStop,
                   where,
                   name.empty() ? fmt::format("no timeline named and {} in the file", names.size())
                                : fmt::format("timeline \"{}\"", name),
                   names.empty() ? "a file with animation" : suggest(name, names),
                   "timeline = \"...\" in the clip"};
}

Status PackSource::expand(const RecipeTimelines& wanted, std::set<std::string>& names,
                          PackReport& report) {
    int found = 0;
    Findings wrong;
    for (const Timeline& timeline : scene_.timelines) {
        const std::string& full = timeline.name;
        const std::string bare = full.starts_with(recipe_->strip_prefix)
                                     ? full.substr(recipe_->strip_prefix.size())
                                     : full;
        if (!fits_pattern(wanted.match, bare)) continue;
        ++found;
        RecipeClip clip = wanted.like;
        clip.timeline = full;
        clip.range.name = file_name(bare.empty() ? recipe_->name : bare);
        const auto span = key_span(timeline);
        const double k = scene_.rate.per_second();
        clip.range.first = static_cast<std::int64_t>(std::floor(span[0] * k + 1e-3));
        clip.range.last = static_cast<std::int64_t>(std::ceil(span[1] * k - 1e-3));
        if (!names.insert(folded(clip.range.name)).second)
            wrong.push_back({Code::kNameClash, Severity::kStop, wanted.like.range.where,
                             fmt::format("timeline \"{}\" would be a second clip \"{}\"", full,
                                         clip.range.name),
                             "one name per clip",
                             "give it a [[clip]] of its own, or narrow match"});
        if (clip.range.name != bare)
            report.findings.push_back(
                {Code::kDefaultName, Severity::kNote, wanted.like.range.where,
                 fmt::format("timeline \"{}\" became clip \"{}\"", bare, clip.range.name),
                 "letters, digits, _, - and .: it becomes a file name", ""});
        clips_.push_back(std::move(clip));
    }
    if (found == 0)
        wrong.push_back({Code::kNameUnknown, Severity::kStop, wanted.like.range.where,
                         fmt::format("no timeline fits \"{}\"", wanted.match),
                         "a pattern that some timeline fits", "correct match"});
    return wrong;
}

Status PackSource::expand_clips(PackReport& report) {
    clips_ = recipe_->clips;
    std::set<std::string> names;
    for (const RecipeClip& clip : clips_) names.insert(folded(clip.range.name));
    Findings wrong;
    for (const RecipeTimelines& wanted : recipe_->timelines)
        append(wrong, expand(wanted, names, report).failures());
    return wrong;
}

/// Everything that can be wrong with clips, before the first one is baked.
Status PackSource::check_clips() const {
    Findings wrong;
    for (const RecipeClip& clip : clips_)
        if (auto planned = plan(clip); !planned)
            for (const Finding& f : planned.failures()) {
                const bool said =
                    std::any_of(wrong.begin(), wrong.end(), [&](const Finding& other) {
                        return other.where == f.where && other.found == f.found;
                    });
                if (!said) wrong.push_back(f);
            }
    return wrong;
}

Status PackSource::strip(PackReport& report) {
    std::vector<int> kept;
    std::vector<bool> joint(scene_.nodes.size(), scene_.skins.empty());
    for (const Skin& skin : scene_.skins)
        for (const int j : skin.joints) joint[at(j)] = true;
    for (std::size_t n = 0; n < joint.size(); ++n)
        if (joint[n] || scene_.nodes[n].mesh != kNone) kept.push_back(static_cast<int>(n));
    auto stripped = strip_prefix(scene_, recipe_->strip_prefix, kept);
    if (!stripped) {
        Finding failure = stripped.failure();
        failure.where = recipe_->where.strip_prefix;
        return failure;
    }
    if (!recipe_->strip_prefix.empty() && stripped.value() == 0)
        report.findings.push_back({Code::kPrefix, Severity::kWarning, recipe_->where.strip_prefix,
                                   fmt::format("no name begins with \"{}\"", recipe_->strip_prefix),
                                   "a prefix that is there", "remove or correct the key"});
    return {};
}

/// How the joints of another skeleton lie in the world, by name.
Status PackSource::read_axes(JointChoice& choice, PackReport& report) const {
    if (recipe_->axes.empty()) return {};
    const auto path = recipe_->folder / recipe_->axes;
    MELLOW_TRY(ReadResult read, load_scene(report, "axes", path, {}));
    convert(read.scene, Convention{});
    const std::vector<Affine> worlds = rest_worlds(read.scene);
    for (std::size_t n = 0; n < worlds.size(); ++n) {
        const std::string& name = read.scene.nodes[n].name;
        const std::string& prefix = recipe_->strip_prefix;
        choice.axes[name.starts_with(prefix) ? name.substr(prefix.size()) : name] =
            rotation_of(worlds[n]);
    }
    return {};
}

/// Tells how far each joint's axes were turned, and which joints the other skeleton does not have.
Status PackSource::note_axes(const JointChoice& choice, PackReport& report) const {
    if (recipe_->axes.empty()) return {};
    std::vector<std::string> own;
    for (int j = 0; j < skeleton_.size(); ++j) {
        const int node = sources_[at(j)].node;
        // A camera's axes are those its recipe says.
        if (node == kNone || scene_.nodes[at(node)].camera != kNone) continue;
        if (choice.axes.contains(scene_.nodes[at(node)].name))
            report.turns.emplace_back(skeleton_[j].name, sources_[at(j)].turn);
        else
            own.push_back(skeleton_[j].name);
    }
    if (report.turns.empty())
        return Finding{Code::kNameUnknown,
                       Severity::kStop,
                       recipe_->where.axes,
                       fmt::format("none of the {} joints is in {}", own.size(), recipe_->axes),
                       fmt::format("nodes named like the joints: {}", name_list(own)),
                       "name a file of the skeleton whose axes the joints shall take"};
    if (own.empty()) return {};
    report.findings.push_back(
        {Code::kAssumed, Severity::kWarning, recipe_->where.axes,
         fmt::format("{} of {} joints are not in {} and keep their own axes: {}", own.size(),
                     own.size() + report.turns.size(), recipe_->axes, name_list(own)),
         "a node of the same name for every joint", "rename the joints, or name another file"});
    return {};
}

Status PackSource::make_skeleton(PackReport& report) {
    // Rules are bound by the names of the file, so the rig comes before names are shortened.
    // Where it fails, what else is wrong is looked for as far as that goes without it.
    const auto rig = Rig::bind(scene_, kNone, sheet_);
    Findings wrong = rig ? Findings{} : rig.failures();
    append(wrong, strip(report).failures());
    JointChoice choice = recipe_->joints;
    append(wrong, leave_out(choice, rig ? rig.value().driven_nodes() : std::vector<int>{}, report)
                      .failures());
    append(wrong, find_accepted().failures());
    append(wrong, read_axes(choice, report).failures());
    auto joints =
        choose_joints(scene_, choice, rig ? rig.value().driven_nodes() : std::vector<int>{});
    if (!wrong.empty()) {
        if (joints) {
            skeleton_ = std::move(joints.value().skeleton);
            sources_ = std::move(joints.value().sources);
            append(wrong, find_hips(report).failures());
        }
        return wrong;
    }
    MELLOW_TRY(ChosenJoints chosen, std::move(joints));
    skeleton_ = std::move(chosen.skeleton);
    sources_ = std::move(chosen.sources);
    if (!chosen.dropped_tips.empty())
        report.findings.push_back({Code::kUnweighted, Severity::kNote, "skeleton",
                                   fmt::format("joints at the ends without weight are left out: {}",
                                               name_list(chosen.dropped_tips)),
                                   "", "tips = \"keep\"   # under [joints]"});
    Scene before = scene_;
    Findings simplified = simplify_skins(scene_, sources_, recipe_->influences);
    if (!simplified.empty()) unsimplified_ = std::move(before);
    report.findings.insert(report.findings.end(), simplified.begin(), simplified.end());
    MELLOW_CHECK(add_root(skeleton_, sources_, recipe_->root));
    MELLOW_CHECK(note_axes(choice, report));
    report.drives = kept_drives(sheet_, recipe_->strip_prefix, scene_, skeleton_, sources_);
    for (const Joint& j : skeleton_.joints()) report.joints.push_back(j.name);
    return find_hips(report);
}

Status PackSource::find_hips(PackReport& report) {
    if (skeleton_.size() == 0) return {};
    if (!recipe_->hips.empty()) {
        hips_ = skeleton_.find(recipe_->hips);
        std::vector<std::string> names;
        for (const Joint& j : skeleton_.joints()) names.push_back(j.name);
        if (hips_ < 0)
            return Finding{Code::kNameUnknown,
                           Severity::kStop,
                           recipe_->where.hips,
                           fmt::format("no joint \"{}\"", recipe_->hips),
                           suggest(recipe_->hips, names),
                           "correct the name"};
    } else {
        for (int j = 1; j < skeleton_.size() && hips_ < 0; ++j)
            if (skeleton_[j].name == "hips" || skeleton_[j].name == "Hips" ||
                skeleton_[j].name == "pelvis")
                hips_ = j;
        const bool travels = std::any_of(clips_.begin(), clips_.end(), [](const RecipeClip& c) {
            return c.travel.ground || c.travel.height || c.travel.heading;
        });
        int first = 1;  // a camera is nobody's hips
        while (first < skeleton_.size() && sources_[at(first)].node != kNone &&
               scene_.nodes[at(sources_[at(first)].node)].camera != kNone)
            ++first;
        if (hips_ < 0 && first < skeleton_.size()) {
            hips_ = first;
            if (travels || !scene_.skins.empty())
                report.findings.push_back(
                    {Code::kAssumed, Severity::kNote, recipe_->where.hips,
                     fmt::format("joint \"{}\" was taken for the hips", skeleton_[hips_].name),
                     "a joint named hips or pelvis",
                     fmt::format("hips = \"{}\"   # under [travel]", skeleton_[hips_].name)});
        }
        hips_ = std::max(hips_, 0);
    }
    report.hips = skeleton_[hips_].name;
    return {};
}

Result<Performance> PackSource::performance(const RecipeClip& clip) const {
    Performance out;
    out.most_walk_s = recipe_->most_walk_s;
    if (clip.strip.empty()) {
        const bool rest = clip.range.pose && clip.timeline.empty() && scene_.timelines.empty();
        if (!rest) {
            MELLOW_TRY(out.timeline, find_timeline(clip.timeline, clip.range.where));
        }
    } else {
        for (const RecipeStrip& strip : recipe_->strips) {
            if (strip.strip.name != clip.strip) continue;
            out.strip = strip.strip;
            for (std::size_t b = 0; b < strip.timelines.size(); ++b) {
                Block& block = out.strip->blocks[b];
                MELLOW_TRY(block.timeline, find_timeline(strip.timelines[b], block.where));
            }
        }
    }
    for (const RecipeLayer& wanted : recipe_->layers) {
        const auto& names = wanted.clips;
        if (!names.empty() && std::find(names.begin(), names.end(), clip.range.name) == names.end())
            continue;
        Layer layer = wanted.layer;
        if (wanted.timeline) {
            MELLOW_TRY(layer.timeline, find_timeline(*wanted.timeline, layer.where));
        }
        convert(layer, conversion_);
        out.layers.push_back(std::move(layer));
    }
    return out;
}

Result<PackSource::Planned> PackSource::plan(const RecipeClip& clip) const {
    MELLOW_TRY(Performance what, performance(clip));
    double first = 0, last = 0;
    std::string name = clip.strip;
    const double k = scene_.rate.per_second();
    if (what.strip) {
        first = what.strip->first(), last = what.strip->last();
    } else if (what.timeline != kNone) {
        const Timeline& timeline = scene_.timelines[at(what.timeline)];
        const auto span = key_span(timeline);
        first = span[0] * k, last = span[1] * k;
        name = timeline.name;
    }
    MELLOW_TRY(
        PlannedRange range,
        plan_range(clip.range, static_cast<std::int64_t>(std::floor(first + 1e-3)),
                   static_cast<std::int64_t>(std::ceil(last - 1e-3)), scene_.rate, recipe_->rate));
    const int samples = range.plan.samples;
    const std::int64_t most = std::int64_t{80} * recipe_->most_samples,
                       whole = std::int64_t{samples} *
                               std::max(1, skeleton_.size() + scalar_layout(scene_).count / 10);
    if (samples > recipe_->most_samples || whole > most)
        return Finding{
            Code::kLimit,
            Severity::kStop,
            clip.range.where,
            fmt::format("{} samples of {} joints and {} morph weights", samples, skeleton_.size(),
                        scalar_layout(scene_).count),
            fmt::format(
                "at most {} samples a clip, and {} of all joints, ten weights counted as one",
                recipe_->most_samples, most),
            fmt::format("a shorter range; or most_samples = {}   # under [target]",
                        std::max<std::int64_t>(samples, (whole + 79) / 80))};
    what.played = Played{range.plan.start(), range.plan.end(), clip.range.loop};
    return Planned{std::move(what), std::move(range), std::move(name)};
}

Result<PackSource::Bound> PackSource::bind(const RecipeClip& clip) const {
    MELLOW_TRY(Planned planned, plan(clip));
    MELLOW_TRY(Rig rig, Rig::bind(scene_, planned.what, sheet_));
    return Bound{std::move(planned.range), std::make_shared<const Rig>(std::move(rig)),
                 std::move(planned.moved_by)};
}

}  // namespace mellow
