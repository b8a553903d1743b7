#include "mellow/draft.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <numbers>
#include <set>

#include "base/at.h"
#include "base/text.h"
#include "base/toml_text.h"
#include "math/degrees.h"
#include "mellow/convention.h"
#include "mellow/motion_check.h"
#include "mellow/pack.h"
#include "mellow/read.h"
#include "mellow/shaping.h"
#include "mellow/stock.h"
#include "mellow/travel.h"
#include "one/draft_motion.h"
#include "one/draft_sources.h"
#include "plan/jobs.h"
#include "recipe/clip_names.h"

namespace mellow {
namespace {

namespace fs = std::filesystem;

/// A first frame that everything jumps away from, as captures have it.
constexpr double kPose_m = 0.1;
constexpr double kTravel_m = 0.3, kTurnedOnTheWay_rad = 20 / kDegrees;
/// Ranges this long are looked at; of longer ones only the ends.
constexpr std::int64_t kMostFrames = 20'000;

class Drafter {
  public:
    Drafter(const std::vector<fs::path>& paths, const DraftOptions& options)
        : paths_(paths), options_(options) {
        folder_ = options.recipe.parent_path();
    }

    Result<Draft> run() {
        // What stands in the recipe is looked for from there.
        if (std::error_code error; !folder_.empty() && !fs::is_directory(folder_, error))
            return Finding{Code::kFileMissing,
                           Severity::kStop,
                           Place::in(folder_.string()),
                           "no such folder",
                           "the folder that the recipe goes to",
                           "make it first"};
        MELLOW_CHECK(read_files());
        rig();
        for (std::size_t i = 1; i < files_.size(); ++i) fit_to_figure(files_[i]);
        list_clips();
        if (!unknown()) MELLOW_CHECK(measure());
        write();
        verify();
        return std::move(out_);
    }

  private:
    std::string relative(const fs::path& path) const {
        std::error_code error;
        const fs::path from = fs::absolute(folder_.empty() ? fs::path(".") : folder_, error);
        const fs::path near = fs::absolute(path, error).lexically_relative(from.lexically_normal());
        return (near.empty() ? fs::absolute(path, error) : near).lexically_normal().string();
    }

    /// A file that was read is named without its folder: here there may be several.
    static Findings placed(Findings findings, const fs::path& path) {
        for (Finding& f : findings)
            if (f.where.file == path.filename()) f.where.file = path.string();
        return findings;
    }

    Status read_files() {
        for (const fs::path& path : paths_) {
            FileDraft file;
            file.path = path;
            file.name = relative(path);
            auto parsed = read_scene(path);
            if (!parsed) return placed(std::move(parsed).failures(), path);
            ReadResult read = std::move(parsed).value();
            append(out_.findings, placed(std::move(read.findings), path));
            file.scene = std::move(read.scene);
            file.stock = take_stock(file.scene);
            tell_truth(file);
            files_.push_back(std::move(file));
        }
        const auto meshed = std::find_if(files_.begin(), files_.end(), [](const FileDraft& f) {
            return !f.scene.meshes.empty();
        });
        if (meshed != files_.end()) std::rotate(files_.begin(), meshed, meshed + 1);
        for (const Edit& known : options_.known) {
            std::vector<DraftedValue>& truth = files_.front().truth;
            std::erase_if(truth, [&](const DraftedValue& v) {
                return v.key == known.key || (v.key == "unit" && known.key == "height");
            });
            truth.push_back({"", known.key, known.value, "as given", false, false});
        }
        return {};
    }

    const FileDraft& figure() const { return files_.front(); }

    void rig() {
        if (!options_.rig.empty()) {
            rig_ = {"", "rig", toml_text(relative(options_.rig)), "as given", false, false};
            return;
        }
        for (const Finding& f : figure().stock.findings)
            if (f.code == Code::kUnbaked)
                rig_ = {"",
                        "rig",
                        toml_text("?"),
                        f.found + ": the file of the rules by which they move the joints",
                        false,
                        true};
    }

    bool unknown() const {
        if (rig_.unknown) return true;
        for (const FileDraft& file : files_)
            for (const DraftedValue& value : file.truth)
                if (value.unknown) return true;
        return false;
    }

    /// The names of a file's nodes, prefix stripped.
    static std::set<std::string> names_of(const FileDraft& file) {
        std::set<std::string> names;
        const std::string& prefix = file.stock.common_prefix;
        for (const Node& node : file.scene.nodes)
            names.insert(node.name.starts_with(prefix) ? node.name.substr(prefix.size())
                                                       : node.name);
        return names;
    }

    /// Weights name a mesh as the figure's own file does, with its prefix.
    void rename_meshes(const FileDraft& file) {
        const std::string& prefix = figure().stock.common_prefix;
        const std::set<std::string> own = names_of(figure());
        for (const Timeline& timeline : file.scene.timelines)
            for (const MorphCurve& morph : timeline.morphs)
                if (!prefix.empty() && morph.mesh.starts_with(prefix) &&
                    !own.contains(morph.mesh) && own.contains(morph.mesh.substr(prefix.size())))
                    renames_.insert(prefix);
    }

    /// What all names of a motion file begin with, where what is left are names of the figure.
    void rename(const FileDraft& file) {
        rename_meshes(file);
        const std::set<std::string> own = names_of(figure()), its = names_of(file);
        const auto known = [&](const std::set<std::string>& names, std::size_t cut) {
            return static_cast<std::size_t>(
                std::count_if(names.begin(), names.end(), [&](const std::string& name) {
                    return name.size() > cut && own.contains(name.substr(cut));
                }));
        };
        if (its.empty() || 2 * known(its, 0) >= its.size()) return;
        std::size_t cut = its.begin()->size();
        for (const std::string& name : its) {
            std::size_t same = 0;
            while (same < std::min(cut, name.size()) && name[same] == (*its.begin())[same]) ++same;
            cut = same;
        }
        if (cut == 0 || 2 * known(its, cut) < its.size()) return;
        renames_.insert(its.begin()->substr(0, cut));
    }

    /// A motion file rests in any pose, so that its legs may lie: where what it says of itself does
    /// not fit the figure's bones, the other way of reading it is tried, and the one that fits
    /// kept.
    void fit_to_figure(FileDraft& file) {
        rename(file);
        if (rig_.unknown) return;
        const std::vector<DraftedValue> as_told = file.truth;
        const auto without = [&](std::initializer_list<const char*> keys) {
            std::vector<DraftedValue> out = as_told;
            std::erase_if(out, [&](const DraftedValue& v) {
                return std::any_of(keys.begin(), keys.end(),
                                   [&](const char* key) { return v.key == key; });
            });
            return out;
        };
        // Its axes as the file says them, and units by the figure's bones.
        std::vector<std::vector<DraftedValue>> readings{
            as_told, without({"up", "front"}), without({"unit"}), without({"unit", "up", "front"})};
        for (const char* unit : {"centimetre", "metre", "inch", "millimetre", "foot"}) {
            readings.push_back(without({"unit", "up", "front"}));
            readings.back().push_back(
                {"", "unit", toml_text(unit), "by the figure's bones", false, false});
        }
        for (auto& reading : readings) {
            file.truth = std::move(reading);
            if (fits(file)) return;
        }
        file.truth = as_told;
        for (DraftedValue& value : file.truth) value.guess = true;
    }

    /// Whether one motion file, read as drafted, moves the figure.
    bool fits(const FileDraft& file) {
        std::string text = fmt::format("[figure]\nfile = {}\n", toml_text(figure().name));
        if (!rig_.key.empty()) line(text, rig_, "", false);
        truth(text, figure(), "", false);
        text += fmt::format("[[source]]\nname = \"m\"\nfile = {}\n", toml_text(file.name));
        truth(text, file, "", false);
        rename_table(text);
        text += "[[clips]]\nsource = \"m\"\n[output]\nfolder = \"o\"\nname = \"o\"\n";
        const auto recipe = parse_recipe(text, this->file(), folder_);
        if (!recipe) return false;
        return Jobs::read(recipe.value()).ok();
    }

    void rename_table(std::string& text) const {
        if (renames_.empty()) return;
        text += "\n[rename]\n";
        for (const std::string& prefix : renames_)
            text += fmt::format("{} = \"*\"\n", toml_text(prefix + "*"));
    }

    /// Every stretch of the figure's timelines that moves.
    void list_clips() {
        const std::string prefix = figure().stock.common_prefix;
        for (const TimelineStock& t : figure().stock.timelines) {
            std::string bare = t.name.starts_with(prefix) ? t.name.substr(prefix.size()) : t.name;
            const bool telling = t.telling;
            const std::string called =
                telling && !bare.empty() ? bare : figure().path.stem().string();
            const bool only = figure().stock.timelines.size() == 1;
            // What is keyed in steps moves hardly ever, and all the time.
            std::int64_t frames = 0;
            for (const MovingSpan& span : t.moving) frames += span.last - span.first;
            const bool steps = !t.cuts.empty() && 4 * frames < t.last_frame - t.first_frame;
            const std::vector<MovingSpan> spans =
                steps ? std::vector<MovingSpan>{{t.first_frame, t.last_frame}} : t.moving;
            for (std::size_t i = 0; i < spans.size(); ++i) {
                ClipDraft clip;
                clip.name = file_name(called);
                if (spans.size() > 1) clip.name += fmt::format("_{}", i + 1);
                while (!names_.insert(folded(clip.name)).second) clip.name += "_";
                clip.timeline = only ? "" : bare;
                clip.first = spans[i].first, clip.last = spans[i].last;
                clip.reason = steps ? std::string("it jumps from pose to pose")
                                    : fmt::format("it moves in {}..{} of {}..{}", clip.first,
                                                  clip.last, t.first_frame, t.last_frame);
                clip.guess = !telling || spans.size() > 1;
                clip.named = !telling ? "the file's name: its timeline has none that tells"
                             : spans.size() > 1
                                 ? fmt::format("one of {} stretches that move", spans.size())
                                 : "its timeline's name";
                clips_.push_back(std::move(clip));
            }
        }
    }

    /// Bakes what is suggested so far, to see what travels and what loops.
    Status measure() {
        const std::string text = recipe_text(false);
        auto recipe = parse_recipe(text, file(), folder_);
        if (!recipe) {
            why_not_ = recipe.failures();
            return {};
        }
        auto jobs = Jobs::read(recipe.value());
        if (!jobs) {
            why_not_ = jobs.failures();
            return {};
        }
        const Figure& read = jobs.value()->figure();
        hips_ = read.skeleton()[read.hips()].name;
        hips_guess_ = read.hips_assumed();
        for (std::size_t i = 0; i < jobs.value()->clips().size(); ++i)
            MELLOW_CHECK(measure(*jobs.value(), jobs.value()->clips()[i]));
        return {};
    }

    Status measure(const Jobs& jobs, const ClipJob& job) {
        MELLOW_TRY(const auto motion, jobs.motion(job.motion));
        const Range& range = job.clip.range;
        if (range.last - range.first > kMostFrames) return {};
        Performance what = job.what;
        MELLOW_TRY(Rig bound, Rig::bind(*motion->scene, what, *motion->sheet));
        const Take take =
            motion->take(jobs.figure(), std::make_shared<const Rig>(std::move(bound)), {});
        const FrameRate rate = motion->scene->rate;
        const SamplePlan plan{range.name, range.first,
                              range.last, rate,
                              rate,       static_cast<int>(range.last - range.first) + 1,
                              false};
        const Clip clip = bake(take, plan).clip;
        const Skeleton& skeleton = jobs.figure().skeleton();
        const int hips = jobs.figure().hips();
        const HipsDrift drift = hips_drift(clip, skeleton, hips);
        Clip carried = clip;
        extract_travel(carried, skeleton, hips, {true, false, true});
        const double turned = std::abs(carried.travel.heading_change_rad);  // all rounds counted
        const bool figure = !jobs.figure().scene().skins.empty();
        const bool ground =
                       figure && (drift.ground_m > kTravel_m || drift.farthest_m > 2 * kTravel_m),
                   height = figure && drift.climb_m > kTravel_m && !drift.sinks_alone,
                   heading = figure && turned > kTurnedOnTheWay_rad && ground;
        if (job.motion > 0) {
            MotionFacts& facts = facts_[jobs.file_of(job.motion)];
            facts.travel.ground |= ground;
            facts.travel.height |= height;
            facts.travel.heading |= heading;
            const Pop pop = check_motion(clip, skeleton, MotionSubjects{}).pop;
            if (pop.sample == 1 && pop.jump_m > kPose_m && pop.ratio() > 10)
                facts.calibrated = fmt::format(
                    "frame {} is a pose of its own: \"{}\" jumps by {:.0f} mm behind it",
                    range.first, pop.joint, pop.jump_m * 1000);
            else if (motion->scene->timelines.size() == 1)
                loop_of_file(clip, skeleton, hips, rate, {drift, turned, figure}, facts);
            return {};
        }
        const auto found = std::find_if(clips_.begin(), clips_.end(),
                                        [&](const ClipDraft& c) { return c.name == range.name; });
        if (found == clips_.end()) return {};
        found->travel = {ground, height, heading};
        found->travels = fmt::format("the hips go {:.2f} m, {:+.2f} m up, turn {:.0f} degrees",
                                     drift.ground_m, drift.climb_m, turned * kDegrees);
        find_loop(clip, skeleton, hips, rate, *found);
        carry_loop(*found, {drift, turned, figure});
        return {};
    }

    /// A motion file loops as a whole or not at all.
    void loop_of_file(const Clip& clip, const Skeleton& skeleton, int hips, FrameRate rate,
                      const ClipDrift& drift, MotionFacts& facts) const {
        ClipDraft whole;
        whole.last = clip.samples - 1;
        whole.travel = facts.travel;
        find_loop(clip, skeleton, hips, rate, whole);
        carry_loop(whole, drift);
        facts.travel = whole.travel;
        facts.loop = whole.loop, facts.open = whole.open, facts.loop_guess = whole.loop_guess;
        facts.looped = whole.loop || whole.loop_guess ? whole.looped : "";
        facts.fit = whole.loop && !is_whole(whole, rate);
    }

    /// True where it is as long as a whole number of the target's samples.
    bool is_whole(const ClipDraft& clip, FrameRate rate) const {
        FrameRate target{30, 1};
        if (!find_preset(options_.target))
            if (const auto read = find_target(options_.target)) target = read.value().rate;
        const double samples = static_cast<double>(clip.last - clip.first + (clip.open ? 1 : 0)) /
                               rate.per_second() * target.per_second();
        return std::abs(samples - std::round(samples)) <= 1e-6;
    }

    std::string file() const {
        return options_.recipe.empty() ? "draft.recipe.toml" : options_.recipe.filename().string();
    }

    void line(std::string& text, const DraftedValue& value, const std::string& place, bool keep) {
        text += fmt::format("{} = {}", value.key, value.value);
        if (!value.reason.empty()) {
            const std::string reason = toml_comment(value.reason);
            text += fmt::format("   # {}{}",
                                value.unknown ? "fill in: "
                                : value.guess ? "a guess: "
                                              : "",
                                reason);
        }
        text += "\n";
        if (!keep) return;
        out_.values.push_back(value);
        out_.values.back().place = place;
    }

    void truth(std::string& text, const FileDraft& of, const std::string& place, bool keep) {
        for (const DraftedValue& value : of.truth) line(text, value, place, keep);
    }

    static std::string parts(const TravelParts& t) {
        std::vector<std::string> words;
        if (t.ground) words.emplace_back("\"ground\"");
        if (t.height) words.emplace_back("\"height\"");
        if (t.heading) words.emplace_back("\"heading\"");
        return fmt::format("[{}]", fmt::join(words, ", "));
    }
    static bool any(const TravelParts& t) { return t.ground || t.height || t.heading; }

    std::string recipe_text(bool keep) {
        const bool several = files_.size() > 1;
        std::string text = fmt::format(
            "# Drafted from {}. Every key is explained in docs/recipe.md.\n"
            "# \"a guess\" marks what could as well be something else.\n\n",
            toml_comment(figure().name));
        const std::string first = several ? "[figure]" : "[source]";
        text += fmt::format("{}\nfile = {}\n", first, toml_text(figure().name));
        if (!rig_.key.empty()) line(text, rig_, first, keep);
        truth(text, figure(), first, keep);
        const std::vector<DraftedSource> sources = group_sources(files_, folder_);
        for (const DraftedSource& source : sources) {
            text += fmt::format(
                "\n[[source]]\nname = {}\nfile = {}{}\n", toml_text(source.name),
                toml_text(source.pattern),
                source.files.size() > 1 ? fmt::format("   # {} files", source.files.size()) : "");
            truth(text, *source.files.front(), fmt::format("[[source]] {}", source.name), keep);
        }
        rename_table(text);
        const bool preset = find_preset(options_.target).has_value();
        text += fmt::format("\n[target]\n{} = {}\n", preset ? "convention" : "file",
                            toml_text(preset ? options_.target : relative(options_.target)));
        if (preset) text += "rate = 30\n";
        text += "\n[travel]\nroot = \"root\"\n";
        if (!hips_.empty())
            line(text,
                 {"", "hips", toml_text(hips_), hips_guess_ ? "most hangs on it" : "by its name",
                  hips_guess_, false},
                 "[travel]", keep);
        for (const ClipDraft& clip : clips_) write_clip(text, clip, keep);
        std::set<std::string> folders, stems = names_;
        clash_ = false;
        for (const DraftedSource& source : sources) {
            folders.insert(source.folder);
            for (const FileDraft* file : source.files)
                clash_ |= !stems.insert(folded(file_name(file->path.stem().string()))).second;
        }
        for (const DraftedSource& source : sources) {
            const auto groups = alike(source, facts_);
            for (const auto& files : groups)
                write_clips(text, source, files, groups.size() > 1, folders.size() > 1, keep);
        }
        const std::string crate = file_name(figure().path.stem().string());
        text += fmt::format(
            "\n[output]\nfolder = {}\nname = {}\n",
            toml_text(options_.output.empty() ? "crates/" + crate : relative(options_.output)),
            toml_text(crate));
        return text;
    }

    /// Clips of files of which the same is to be said; `some`: there are others in the source.
    void write_clips(std::string& text, const DraftedSource& source,
                     const std::vector<const FileDraft*>& files, bool some, bool folders,
                     bool keep) {
        text += fmt::format("\n[[clips]]\nsource = {}\n", toml_text(source.name));
        if (some) {
            std::vector<std::string> names;
            for (const FileDraft* file : files)
                names.push_back(toml_text(file->path.stem().string()));
            text += fmt::format("match = [{}]\n", fmt::join(names, ", "));
        }
        // Files of one name in several folders become clips in folders.
        const bool apart = clash_ && !source.folder.empty(),
                   several = files.front()->stock.timelines.size() > 1;
        if (apart || several)
            text += fmt::format("name = \"{}{{file}}{}\"\n", apart ? "{folder}/" : "",
                                several ? "_{timeline}" : "");
        if (folders && !source.folder.empty())
            text += fmt::format("group = {}\n", toml_text(file_name(source.folder)));
        const auto found = facts_.find(files.front()->name);
        if (found == facts_.end()) return;
        const MotionFacts& facts = found->second;
        const std::string place = fmt::format("[[clips]] {}", source.name);
        const auto why = [&](const std::string& of_one, const char* of_all) {
            return files.size() == 1 ? of_one : std::string(of_all);
        };
        if (!facts.calibrated.empty())
            line(text,
                 {"", "range", "[1, -1]",
                  why(facts.calibrated, "the first frame of each is a pose of its own"), false,
                  false},
                 place, keep);
        if (!facts.looped.empty())
            line(text,
                 {"", "loop", facts.loop ? "true" : "false",
                  why(facts.looped, facts.open   ? "their first frames go on where the last lead"
                                    : facts.loop ? "each ends where it begins"
                                                 : "each ends where it begins, at rest"),
                  facts.loop_guess, false},
                 place, keep);
        if (facts.open) text += "stored = \"open\"\n";
        if (facts.fit) text += "fit = true   # no whole number of samples\n";
        if (any(facts.travel))
            line(text, {"", "travel", parts(facts.travel), "as the hips do", false, false}, place,
                 keep);
    }

    void write_clip(std::string& text, const ClipDraft& clip, bool keep) {
        const std::string place = fmt::format("[[clip]] {}", clip.name);
        text += "\n[[clip]]\n";
        const std::string range = fmt::format("[{}, {}]", clip.first, clip.last);
        line(text, {"", "name", toml_text(clip.name), clip.named, clip.guess, false}, place, keep);
        if (!clip.timeline.empty())
            text += fmt::format("timeline = {}\n", toml_text(clip.timeline));
        line(text, {"", "range", range, clip.reason, false, false}, place, keep);
        if (!clip.looped.empty() || clip.loop)
            line(text,
                 {"", "loop", clip.loop ? "true" : "false", clip.looped, clip.loop_guess, false},
                 place, keep);
        if (clip.open) text += "stored = \"open\"\n";
        if (clip.fit) text += "fit = true   # its length is no whole number of samples\n";
        if (any(clip.travel))
            line(text, {"", "travel", parts(clip.travel), clip.travels, false, false}, place, keep);
    }

    void write() {
        hips_ = hips_.empty() || figure().scene.skins.empty() ? "" : hips_;
        // A loop that is no whole number of samples is stretched to one.
        for (ClipDraft& clip : clips_) {
            FrameRate source = figure().stock.rate;
            for (const DraftedValue& value : figure().truth)
                if (value.key == "rate")
                    if (const auto rate =
                            parse_rate(value.value.front() == '"'
                                           ? value.value.substr(1, value.value.size() - 2)
                                           : value.value))
                        source = *rate;
            clip.fit = clip.loop && !is_whole(clip, source);
        }
        out_.text = recipe_text(true);
    }

    /// Whether it can be packed as it stands.
    void verify() {
        for (const DraftedValue& value : out_.values) out_.ready = out_.ready && !value.unknown;
        if (!out_.ready) return;
        const auto recipe = parse_recipe(out_.text, file(), folder_);
        if (!recipe) {
            append(out_.findings, recipe.failures());
        } else if (const auto plan = plan_pack(recipe.value()); !plan) {
            append(out_.findings, plan.failures());
        } else {
            return;
        }
        out_.ready = false;
    }

    const std::vector<fs::path>& paths_;
    const DraftOptions& options_;
    fs::path folder_;
    std::vector<FileDraft> files_;
    DraftedValue rig_;
    std::vector<ClipDraft> clips_;
    std::set<std::string> names_, renames_;
    std::map<std::string, MotionFacts> facts_;  ///< by motion file
    std::string hips_;
    bool hips_guess_ = false, clash_ = false;
    Findings why_not_;
    Draft out_;
};

}  // namespace

Result<Draft> draft_recipe(const std::vector<fs::path>& files, const DraftOptions& options) {
    if (files.empty())
        return Finding{Code::kUsage, Severity::kStop, "draft", "no file", "one or more", ""};
    return Drafter(files, options).run();
}

}  // namespace mellow
