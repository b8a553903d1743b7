#include "plan/jobs.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <iterator>
#include <set>

#include "base/at.h"
#include "base/text.h"
#include "base/toml_text.h"
#include "figure/fitted_figure.h"
#include "mellow/parallel.h"
#include "plan/clip_cues.h"

namespace mellow {
namespace {

/// Motion files whose contents are in memory at the same time while they are planned, and the most
/// that stay there.
constexpr std::size_t kAtOnce = 16, kHeld = 8;

std::string own_name(const std::string& timeline, const std::string& prefix) {
    return timeline.starts_with(prefix) ? timeline.substr(prefix.size()) : timeline;
}

}  // namespace

Result<std::unique_ptr<Jobs>> Jobs::read(const Recipe& recipe, const PackProgress& progress) {
    std::unique_ptr<Jobs> jobs(new Jobs(recipe));
    Findings wrong;
    const auto collect = [&](Status status) { append(wrong, std::move(status).failures()); };
    append(jobs->notes_.findings, recipe.notes);
    MELLOW_CHECK(jobs->figure_.load());
    jobs->notes_.add(jobs->figure_.take_notes());
    Status clips = jobs->own_clips();
    if (clips.ok()) jobs->note_gaps();
    collect(jobs->figure_.make_skeleton());
    jobs->notes_.add(jobs->figure_.take_notes());
    const bool figure = wrong.empty();
    collect(std::move(clips));
    File& own = *jobs->files_[0];
    own.kept = std::make_shared<const FigureMotion>(own_motion(jobs->figure_, recipe));
    append(jobs->notes_.findings, own.kept->findings);
    if (figure) jobs->take_cues(own, *own.kept);
    for (ClipJob& job : jobs->clips_)
        if (job.is_of(0)) say_once(wrong, jobs->plan(job, *jobs->files_[0]->kept).failures());
    if (figure) jobs->open_files(progress, wrong);
    jobs->plan_joined(wrong);
    collect(jobs->check_cues());
    if (!wrong.empty()) {
        say_once(wrong, jobs->bind_all().failures());
        say_once(wrong, jobs->unplanned_layers());
        // Ranges that end elsewhere, where frames are counted by another rate than the file's.
        const auto is = [](Code code) { return [=](const Finding& f) { return f.code == code; }; };
        if (std::ranges::any_of(wrong, is(Code::kRangeOutside)) ||
            std::ranges::any_of(wrong, is(Code::kRangeOffGrid)))
            std::ranges::copy_if(jobs->notes_.findings, std::inserter(wrong, wrong.begin()),
                                 is(Code::kRateSuspect));
        return wrong;
    }
    jobs->note_same_content();
    jobs->note_idle_renames();
    append(jobs->notes_.findings, unused_cues(recipe, *jobs));
    return jobs;
}

/// The files of all sources, in their order.
Status Jobs::list_files() {
    files_.push_back(std::make_unique<File>());
    files_[0]->file = recipe_.source;
    Findings wrong;
    for (const RecipeSource& source : recipe_.sources) {
        const std::vector<std::string> found = matching_files(recipe_.folder, source.file);
        if (found.empty())
            wrong.push_back({Code::kFileMissing, Severity::kStop, source.where_file,
                             fmt::format("no file fits \"{}\"", source.file),
                             "at least one file; * stands for letters of a name, ** for folders",
                             "correct the pattern; it starts at the recipe's folder"});
        for (const std::string& name : found) {
            auto file = std::make_unique<File>();
            const std::filesystem::path path(name);
            file->source = &source;
            file->file = name;
            file->stem = path.stem().string();
            file->folder = path.parent_path().filename().string();
            file->path = path_below(source.file, name);
            files_.push_back(std::move(file));
        }
    }
    return wrong;
}

/// The one file of a source; the figure's own without a name.
Result<std::size_t> Jobs::motion_of(const std::string& source, const Place& where) const {
    if (source.empty()) return std::size_t{0};
    std::vector<std::size_t> found;
    for (std::size_t f = 1; f < files_.size(); ++f)
        if (files_[f]->source->name == source) found.push_back(f);
    if (found.size() == 1) return found[0];
    if (found.empty())
        return Finding{Code::kNameUnknown,
                       Severity::kStop,
                       where,
                       fmt::format("no file of source \"{}\"", source),
                       "a [[source]] of that name",
                       "correct the name"};
    return Finding{Code::kValueBad,
                   Severity::kStop,
                   where,
                   fmt::format("source \"{}\" has {} files", source, found.size()),
                   "a source with one file",
                   "[[clips]] makes a clip of each file; match = \"...\" chooses"};
}

/// Clips that the recipe names, and those of the timelines of the figure's own file.
Status Jobs::own_clips() {
    Findings wrong;
    append(wrong, list_files().failures());
    for (const RecipeClip& clip : recipe_.clips) {
        names_.emplace(folded(clip.range.name), clip.range.where.text());
        ClipJob job;
        job.clip = clip;
        auto motion = motion_of(clip.source, clip.range.where);
        if (!motion) {
            append(wrong, motion.failures());
            continue;
        }
        if (clip.parts.empty()) job.motion = motion.value();
        clips_.push_back(std::move(job));
    }
    for (const RecipeTimelines& wanted : recipe_.timelines)
        append(wrong, expand(wanted).failures());
    return wrong;
}

Status Jobs::take_name(const std::string& name, const std::string& from, const Place& where) {
    const auto [there, fresh] = names_.emplace(folded(name), from);
    if (fresh) return {};
    return Finding{Code::kNameClash,
                   Severity::kStop,
                   where,
                   fmt::format("a second clip \"{}\": of {} and of {}", name, there->second, from),
                   "one name per clip (upper and lower case count as equal)",
                   "name = \"{path}/{file}\" or {timeline} in it tells them apart; or narrow "
                   "match"};
}

/// What [clip_names] calls a clip that is called after a file or a timeline.
std::string Jobs::called(const std::string& name, const std::string& raw) {
    clip_named_.resize(recipe_.clip_names.size());
    for (const std::string& of : {name, raw})
        for (std::size_t r = 0; r < clip_named_.size(); ++r) {
            const std::string now = renamed(of, "", {recipe_.clip_names[r]});
            if (now == of) continue;
            clip_named_[r] = true;
            return file_path(now);
        }
    return name;
}

/// A clip that is called as a program calls a timeline that nobody has named.
void Jobs::note_untelling(const std::string& timeline, const std::string& clip,
                          const Place& where) {
    if (tells_something(timeline) || tells_something(clip)) return;
    notes_.findings.push_back(
        {Code::kDefaultName, Severity::kNote, where,
         fmt::format("clip \"{}\" is called after a timeline that nobody has named", clip),
         "a name that tells what it is",
         fmt::format("{} = \"...\"   # under [clip_names]", toml_text(clip))});
}

Status Jobs::expand(const RecipeTimelines& wanted) {
    int found = 0;
    Findings wrong;
    std::vector<std::string> names;
    for (const Timeline& timeline : figure_.scene().timelines) {
        const std::string& full = timeline.name;
        const std::string bare = own_name(full, recipe_.strip_prefix);
        if (!wanted.names.takes(bare)) continue;
        ++found;
        RecipeClip clip = wanted.like;
        clip.timeline =
            bare.empty() ? full : bare;  // names lose their prefix before they are looked up
        const std::string own = file_name(bare.empty() ? recipe_.name : bare);
        clip.range.name = called(own, bare);
        const FrameSpan span = frames_of(timeline, figure_.scene().rate);
        clip.range.first = span.first, clip.range.last = span.last;
        take_facts(figure_.scene(), timeline, clip, clip.range.first);
        clip.range.where = clip.range.where.at(fmt::format("clip \"{}\"", clip.range.name));
        if (!names_.emplace(folded(clip.range.name), "timeline \"" + full + "\"").second)
            wrong.push_back({Code::kNameClash, Severity::kStop, wanted.like.range.where,
                             fmt::format("timeline \"{}\" would be a second clip \"{}\"", full,
                                         clip.range.name),
                             "one name per clip",
                             "give it a [[clip]] of its own, or narrow match"});
        note_untelling(bare, clip.range.name, wanted.like.range.where);
        if (tells_something(clip.range.name)) names.push_back(clip.range.name);
        if (clip.range.name == own && own != bare)
            notes_.findings.push_back(
                {Code::kDefaultName, Severity::kNote, wanted.like.range.where,
                 fmt::format("timeline \"{}\" became clip \"{}\"", bare, clip.range.name),
                 "letters, digits, _, - and .: it becomes a file name", ""});
        ClipJob job;
        job.clip = std::move(clip);
        clips_.push_back(std::move(job));
    }
    if (const auto run = numbered_run(names); !run.empty())
        notes_.findings.push_back(
            {Code::kDefaultName, Severity::kNote, wanted.like.range.where,
             fmt::format("{} clips that differ by a number alone: {}", run.size(), name_list(run)),
             "names that tell what they are",
             fmt::format("{} = \"...\"   # under [clip_names]", toml_text(run.front()))});
    if (found == 0)
        wrong.push_back({Code::kNameUnknown, Severity::kStop, wanted.like.range.where,
                         "no timeline fits " + wanted.names.text(),
                         "a pattern that some timeline fits", "correct match"});
    return wrong;
}

/// Reads every motion file once, plans its clips and lets it go again where there are many. What
/// cannot be used is left out where the recipe says so, else it is wrong.
void Jobs::open_files(const PackProgress& progress, Findings& wrong) {
    counts_.assign(recipe_.many.size(), 0);
    const bool few = files_.size() <= kHeld + 1;
    const auto bad = [&](const std::string& file, Findings why) {
        if (!recipe_.skip_bad) return append(wrong, std::move(why));
        notes_.skipped.push_back({file, std::move(why)});
    };
    for (std::size_t first = 1; first < files_.size(); first += kAtOnce) {
        const std::size_t count = std::min(kAtOnce, files_.size() - first);
        if (progress) progress({"reading motion files", first - 1, files_.size() - 1});
        std::vector<Opened> opened(count);
        parallel_for(count, [&](std::size_t i) {
            const File& file = *files_[first + i];
            auto motion = read_motion(recipe_, *file.source, file.file, figure_);
            if (motion)
                opened[i].motion = std::make_shared<const FigureMotion>(std::move(motion).value());
            else
                opened[i].wrong = motion.failures();
        });
        for (std::size_t i = 0; i < count; ++i) {
            File& file = *files_[first + i];
            Findings why = std::move(opened[i].wrong);
            const std::shared_ptr<const FigureMotion> motion = std::move(opened[i].motion);
            if (motion) {
                for (ClipJob& job : clips_)
                    if (job.is_of(first + i)) append(why, plan(job, *motion).failures());
                for (std::size_t t = 0; t < recipe_.many.size(); ++t)
                    if (recipe_.many[t].source == file.source->name)
                        append(why, make_clips(recipe_.many[t], t, first + i, *motion));
                append(notes_.findings, motion->findings);
                notes_.files.insert(notes_.files.end(), motion->records.begin(),
                                    motion->records.end());
                file.records = motion->records;
                take_cues(file, *motion);
                renamed_.resize(recipe_.renames.size());
                for (std::size_t r = 0; r < renamed_.size(); ++r)
                    renamed_[r] = renamed_[r] || motion->renamed[r];
                if (few) file.kept = motion;
            }
            if (why.empty()) continue;
            std::erase_if(clips_, [&](const ClipJob& job) { return job.is_of(first + i); });
            bad(file.file, std::move(why));
        }
    }
    for (std::size_t t = 0; t < recipe_.many.size(); ++t)
        if (counts_[t] == 0 && wrong.empty() && notes_.skipped.empty())
            wrong.push_back({Code::kNameUnknown, Severity::kStop, recipe_.many[t].like.range.where,
                             "no file and no timeline fits " + recipe_.many[t].names.text(),
                             "a pattern that some file or timeline fits", "correct match"});
}

/// One clip of each timeline of a file that fits.
Findings Jobs::make_clips(const RecipeMany& wanted, std::size_t table, std::size_t index,
                          const FigureMotion& motion) {
    const File& file = *files_[index];
    Findings wrong;
    for (const Timeline& timeline : motion.scene->timelines) {
        if (!wanted.names.takes(file.stem, timeline.name)) continue;
        ClipJob job;
        job.motion = index;
        job.clip = wanted.like;
        job.clip.timeline = timeline.name;
        const NameFields fields =
            clip_fields(file_name(file.stem), file_name(file.folder), file.path,
                        file_name(timeline.name), ++counts_[table]);
        const std::string own = filled(wanted.name, fields);
        job.clip.range.name = called(own, file.stem);
        job.clip.range.where =
            Place::in(file.file).at(fmt::format("clip \"{}\"", job.clip.range.name));
        const FrameSpan span = frames_of(timeline, motion.scene->rate);
        job.clip.range.first = span.first, job.clip.range.last = span.last;
        if (!wanted.range) take_facts(*motion.scene, timeline, job.clip, job.clip.range.first);
        if (wanted.range) {
            const auto frame = [&](std::int64_t f) { return f < 0 ? span.last + 1 + f : f; };
            job.clip.range.first = frame((*wanted.range)[0]);
            job.clip.range.last = frame((*wanted.range)[1]);
        }
        append(wrong,
               take_name(job.clip.range.name, file.file, wanted.like.range.where).failures());
        if (job.clip.range.name == own) note_untelling(timeline.name, own, job.clip.range.where);
        if (job.clip.range.name == own && file_name(file.stem) != file.stem &&
            wanted.name.find("{file}") != std::string::npos)
            notes_.findings.push_back({Code::kDefaultName, Severity::kNote, Place::in(file.file),
                                       fmt::format("became clip \"{}\"", job.clip.range.name),
                                       "letters, digits, _, - and .: it becomes a file name", ""});
        append(wrong, plan(job, motion).failures());
        clips_.push_back(std::move(job));
    }
    return wrong;
}

Result<Performance> Jobs::performance(const RecipeClip& clip, const FigureMotion& motion) const {
    const Scene& scene = *motion.scene;
    Performance out;
    out.most_walk_s = recipe_.most_walk_s;
    if (clip.arrangement.empty()) {
        const bool rest = clip.range.is_pose() && clip.timeline.empty() && scene.timelines.empty();
        if (!rest) {
            MELLOW_TRY(out.timeline,
                       find_timeline(scene, clip.timeline, motion.prefix, clip.range.where));
        }
    } else {
        for (const RecipeArrangement& arrangement : recipe_.arrangements) {
            if (arrangement.arrangement.name != clip.arrangement) continue;
            out.arrangement = arrangement.arrangement;
            for (std::size_t b = 0; b < arrangement.timelines.size(); ++b) {
                Block& block = out.arrangement->blocks[b];
                MELLOW_TRY(block.timeline, find_timeline(scene, arrangement.timelines[b],
                                                         motion.prefix, block.where));
            }
        }
    }
    for (const RecipeLayer& wanted : recipe_.layers) {
        const auto& names = wanted.clips;
        if (!names.empty() && std::find(names.begin(), names.end(), clip.range.name) == names.end())
            continue;
        MELLOW_TRY(Layer layer, layer_of(wanted, motion));
        out.layers.push_back(std::move(layer));
    }
    return out;
}

Result<Layer> Jobs::layer_of(const RecipeLayer& wanted, const FigureMotion& motion) const {
    Layer layer = wanted.layer;
    if (wanted.timeline) {
        MELLOW_TRY(std::get<ReplaceLayer>(layer.body).timeline,
                   find_timeline(*motion.scene, *wanted.timeline, motion.prefix, layer.where));
    }
    convert(layer, figure_.conversion());
    return layer;
}

/// What is wrong with layers of the figure's own clips, where these could not be planned.
Findings Jobs::unplanned_layers() const {
    Findings wrong;
    const FigureMotion& own = *files_[0]->kept;
    for (const RecipeLayer& wanted : recipe_.layers) {
        const auto lies_over = [&](const RecipeClip& clip) {
            const auto& names = wanted.clips;
            return clip.source.empty() &&
                   (names.empty() ||
                    std::find(names.begin(), names.end(), clip.range.name) != names.end());
        };
        if (std::none_of(recipe_.clips.begin(), recipe_.clips.end(), lies_over)) continue;
        Performance rest;
        rest.most_walk_s = recipe_.most_walk_s;
        auto layer = layer_of(wanted, own);
        if (layer) rest.layers.push_back(std::move(layer).value());
        const auto rig = Rig::bind(*own.scene, rest, *own.sheet);
        if (!layer)
            say_once(wrong, layer.failures());
        else if (!rig)
            say_once(wrong, rig.failures());
    }
    return wrong;
}

Status Jobs::fits_in(const Target& target, int samples, const Place& where) const {
    const int joints = figure_.skeleton().size(), weights = scalar_layout(figure_.scene()).count;
    const std::int64_t most = std::int64_t{80} * target.most_samples,
                       whole = std::int64_t{samples} * std::max(1, joints + weights / 10);
    if (samples <= target.most_samples && whole <= most) return {};
    const Edit more{"target", "most_samples",
                    std::to_string(std::max<std::int64_t>(samples, (whole + 79) / 80))};
    return Finding{
        Code::kLimit,
        Severity::kStop,
        where,
        fmt::format("{} samples of {} joints and {} morph weights", samples, joints, weights),
        fmt::format("at most {} samples a clip, and {} of all joints, ten weights counted as one",
                    target.most_samples, most),
        "a shorter range; or " + edit_lines({more}),
        {more}};
}

/// The frames of what is played, and the name of its arrangement or timeline.
FrameSpan Jobs::span_of(const Performance& what, const Scene& scene, std::string& name) {
    name.clear();
    if (what.arrangement) {
        name = what.arrangement->name;
        return whole_frames(what.arrangement->first(), what.arrangement->last());
    }
    if (what.timeline == kNone) return {};
    const Timeline& timeline = scene.timelines[at(what.timeline)];
    name = timeline.name;
    return frames_of(timeline, scene.rate);
}

Status Jobs::plan(ClipJob& job, const FigureMotion& motion) const {
    const RecipeClip& clip = job.clip;
    if (clip.shaped()) return plan_shaped(job, motion);
    const Scene& scene = *motion.scene;
    MELLOW_TRY(job.what, performance(clip, motion));
    const FrameSpan span = span_of(job.what, scene, job.moved_by);
    job.ranges.clear();
    for (const Target& target : recipe_.targets) {
        const bool have =
            std::any_of(job.ranges.begin(), job.ranges.end(),
                        [&](const PlannedRange& range) { return range.plan.rate == target.rate; });
        if (have) continue;
        MELLOW_TRY(PlannedRange range,
                   plan_range(clip.range, span.first, span.last, scene.rate, target.rate));
        MELLOW_CHECK(fits_in(target, range.plan.samples, clip.range.where));
        job.ranges.push_back(std::move(range));
    }
    const SamplePlan& first = job.range().plan;
    job.what.played = Played{first.start(), first.end(), clip.range.loops()};
    return {};
}

Status Jobs::bind_all() const {
    Findings wrong;
    for (const ClipJob& job : clips_) {
        if (job.ranges.empty()) continue;  // it could not be planned
        const auto moved = motion(job.motion);
        if (!moved) {
            say_once(wrong, moved.failures());
            continue;
        }
        const FigureMotion& by = *moved.value();
        if (const auto rig = Rig::bind(*by.scene, job.what, *by.sheet); !rig)
            say_once(wrong, rig.failures());
    }
    return wrong;
}

/// Joints of the recipe's cues: the figure's, as they are called in it or for a target.
Status Jobs::check_cues() const {
    Findings wrong;
    std::vector<std::string> names;
    for (const Joint& joint : figure_.skeleton().joints()) names.push_back(joint.name);
    if (names.empty()) return {};  // nothing is known of the figure
    const auto renamed = [&](const std::string& name) {
        const auto& targets = recipe_.targets;
        return std::any_of(targets.begin(), targets.end(), [&](const Target& target) {
            Findings ignored;
            const auto fitted = FittedFigure::make(figure_, recipe_, target, ignored);
            return !fitted || fitted.value().skeleton().find(name) >= 0;
        });
    };
    for (const RecipeCue& cue : recipe_.cues) {
        const std::string& joint = cue.cue.joint;
        if (joint.empty() || figure_.skeleton().find(joint) >= 0 || renamed(joint)) continue;
        wrong.push_back({Code::kNameUnknown, Severity::kStop, cue.where,
                         fmt::format("joint \"{}\", which the crate does not have", joint),
                         suggest(joint, names),
                         "joint = one of them; or keep it: keep = [...] under [joints]"});
    }
    return wrong;
}

Result<std::shared_ptr<const FigureMotion>> Jobs::motion(std::size_t index) const {
    File& file = *files_[index];
    if (file.kept) return file.kept;
    const std::lock_guard held(file.lock);
    if (auto there = file.loaded.lock()) return there;
    MELLOW_TRY(FigureMotion read, read_motion(recipe_, *file.source, file.file, figure_));
    const bool same = std::equal(
        read.records.begin(), read.records.end(), file.records.begin(), file.records.end(),
        [](const FileRecord& a, const FileRecord& b) { return a.hash == b.hash; });
    if (!same)
        return Finding{Code::kFileUnreadable,         Severity::kStop,
                       Place::in(file.file),          "other bytes than a moment ago",
                       "files that stay as they are", "pack again when nobody writes them"};
    auto motion = std::make_shared<const FigureMotion>(std::move(read));
    file.loaded = motion;
    return motion;
}

}  // namespace mellow
