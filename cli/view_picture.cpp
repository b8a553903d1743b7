// Pictures: what `view` draws.
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <filesystem>
#include <set>
#include <sstream>

#include "base/text.h"
#include "commands.h"
#include "mellow/crate.h"
#include "mellow/manifest.h"
#include "mellow/motion_check.h"
#include "mellow/node_mask.h"
#include "mellow/pack.h"
#include "mellow/pictures.h"
#include "mellow/safe_write.h"
#include "mellow/states.h"
#include "mellow/stock.h"
#include "mellow/target.h"
#include "play/leads.h"
#include "shown_figure.h"

namespace mellow::cli {
namespace {

namespace fs = std::filesystem;

class Picturer {
  public:
    explicit Picturer(const ViewRequest& request) : request_(request) {}

    int run() {
        const auto size = parse_pair<int>(request_.size, "x");
        if (!size || std::min((*size)[0], (*size)[1]) < 320 ||
            std::max((*size)[0], (*size)[1]) > 8000)
            return misused(request_, "--size", request_.size, "WIDTHxHEIGHT, from 320 to 8000");
        options_.width = (*size)[0], options_.height = (*size)[1];
        if (request_.poses < 0 || request_.poses > 64)
            return misused(request_, "--poses", std::to_string(request_.poses), "1 to 64");
        options_.poses = request_.poses;
        const std::vector<std::string> whats{"poses",    "trail", "loop",   "curves",
                                             "timeline", "tree",  "states", "sizes"};
        if (std::find(whats.begin(), whats.end(), request_.what) == whats.end())
            return misused(request_, "--what", request_.what, suggest(request_.what, whats));
        const std::vector<std::string> sides{"side", "front", "top", "quarter"};
        if (std::find(sides.begin(), sides.end(), request_.from) == sides.end())
            return misused(request_, "--from", request_.from, suggest(request_.from, sides));
        for (const ViewFrom from :
             {ViewFrom::kSide, ViewFrom::kFront, ViewFrom::kTop, ViewFrom::kQuarter})
            if (name(from) == request_.from) options_.from = from;
        if (!request_.range.empty()) {
            range_ = parse_pair<double>(request_.range, "..");
            if (!range_ || !((*range_)[0] <= (*range_)[1]))
                return misused(request_, "--range", request_.range,
                               "FIRST..LAST, such as 108..132");
        }
        auto axes = named_axes(request_);
        if (!axes) return fail(request_, axes.failures());
        axes_ = axes.value();
        Status drawn = draw();
        if (!drawn) return fail(request_, drawn.failures());
        return write();
    }

  private:
    Status draw() {
        if (request_.what == "states") return states();
        if (request_.what == "sizes") return sizes();
        if (request_.what == "timeline") return timeline();
        if (request_.what == "tree") return tree();
        std::vector<Shown> all;
        for (const std::string& input : request_.inputs) {
            MELLOW_TRY(Shown shown, read_shown(request_, input));
            all.push_back(std::move(shown));
            // What a clip points to has moved with its figure.
            for (std::size_t i = 0; i < all.back().clips.size(); ++i)
                all.back().clips[i].scene = &all.back().motions[i];
            append(findings_, std::move(all.back().findings));
        }
        options_.axes = axes_.value_or(all.front().axes);
        std::vector<SheetClip> clips;
        MELLOW_CHECK(choose(all, clips));
        if (request_.what == "poses") return poses(all, clips);
        // One clip; of several figures one of each, on a page of its own.
        if (clips.size() != (all.size() > 1 && clips.size() == all.size() ? all.size() : 1))
            return Finding{Code::kUsage,
                           Severity::kStop,
                           Place::of("--what " + request_.what),
                           fmt::format("{} clips", clips.size()),
                           "one clip",
                           request_.match.empty()
                               ? "--match NAME chooses it"
                               : "a pattern that one name fits: --match " + clips[0].lines[0]};
        for (std::size_t i = 0; i < clips.size(); ++i) {
            const SheetClip& clip = clips[i];
            const std::string of =
                all.size() > 1 ? fs::path(request_.inputs[i]).filename().string() + ", " : "";
            MELLOW_CHECK(
                add(of_one(clip, clip.skin == nullptr ? all.front().skin : *clip.skin,
                           of + all[std::min(i, all.size() - 1)].name + ", " + clip.lines[0])));
        }
        return {};
    }

    Result<Png> of_one(const SheetClip& clip, const Scene& skin, const std::string& title) const {
        if (request_.what == "loop") return draw_seam(title, skin, clip, options_);
        const auto joints = chosen_joints(skin);
        if (request_.what == "trail") return draw_trails(title, skin, clip, joints, options_);
        return draw_curves(title, skin, clip, joints, options_);
    }

    Status add(Result<Png> picture) {
        if (!picture) return picture.failures();
        pages_.push_back(std::move(picture).value());
        return {};
    }

    /// Clips that fit, with the samples of the range; of several figures those of one name
    /// together.
    Status choose(const std::vector<Shown>& all, std::vector<SheetClip>& out) {
        std::vector<std::string> names;
        for (const Shown& shown : all)
            for (const SheetClip& clip : shown.clips) names.push_back(clip.lines[0]);
        std::vector<std::string> order;
        for (const std::string& name : names)
            if (fits_pattern(request_.match, name) &&
                std::find(order.begin(), order.end(), name) == order.end())
                order.push_back(name);
        const bool paired = all.size() > 1 && order.size() * 2 <= names.size();
        const auto take = [&](const Shown& shown, const SheetClip& from) {
            SheetClip clip = from;
            if (all.size() > 1) {
                clip.skin = &shown.skin;
                clip.lines.insert(clip.lines.begin() + 1, "of " + shown.name);
            }
            out.push_back(std::move(clip));
        };
        if (paired) {
            for (const std::string& name : order)
                for (const Shown& shown : all)
                    for (const SheetClip& clip : shown.clips)
                        if (clip.lines[0] == name) take(shown, clip);
        } else {
            for (const Shown& shown : all)
                for (const SheetClip& clip : shown.clips)
                    if (fits_pattern(request_.match, clip.lines[0])) take(shown, clip);
        }
        if (out.empty())
            return Finding{Code::kNameUnknown,
                           Severity::kStop,
                           Place::in(request_.inputs[0]),
                           fmt::format("no clip that fits \"{}\"", request_.match),
                           "its clips: " + name_list(names),
                           "change --match"};
        for (SheetClip& clip : out) {
            if (!range_) continue;
            const auto sample = [&](double frame) {
                return static_cast<int>(
                    std::lround((frame - clip.first_frame) / clip.frames_per_sample));
            };
            clip.first = sample((*range_)[0]), clip.last = sample((*range_)[1]);
            const double end = clip.first_frame + clip.frames_per_sample * (clip.samples - 1);
            if (clip.last < 0 || clip.first >= clip.samples || clip.first < 0 ||
                clip.last >= clip.samples)
                return Finding{Code::kRangeOutside,
                               Severity::kStop,
                               "--range",
                               fmt::format("{} of \"{}\"", request_.range, clip.lines[0]),
                               fmt::format("within {:g}..{:g}", clip.first_frame, end),
                               "another range, or --match"};
        }
        return {};
    }

    Status poses(const std::vector<Shown>& all, const std::vector<SheetClip>& clips) {
        std::string title;
        for (const Shown& shown : all) title += (title.empty() ? "" : ", ") + shown.name;
        drawn_ =
            fmt::format("{} {} of {}, ", clips.size(), clips.size() == 1 ? "clip" : "clips", title);
        for (std::size_t from = 0; from < clips.size(); from += kMostDrawn) {
            const std::vector<SheetClip> page(
                clips.begin() + static_cast<std::ptrdiff_t>(from),
                clips.begin() +
                    static_cast<std::ptrdiff_t>(std::min(from + kMostDrawn, clips.size())));
            const std::string which = clips.size() > kMostDrawn
                                          ? fmt::format(", clips {} to {} of {}", from + 1,
                                                        from + page.size(), clips.size())
                                          : "";
            MELLOW_CHECK(add(draw_sheet(title + which, all.front().skin, page, options_)));
        }
        return {};
    }

    std::vector<std::string> chosen_joints(const Scene& skin) const {
        std::vector<std::string> out;
        std::istringstream words(request_.joints);
        for (std::string word; std::getline(words, word, ',');) out.push_back(word);
        if (!out.empty()) return out;
        std::vector<Joint> joints;
        for (const int n : parents_first(skin)) {
            const Node& node = skin.nodes[static_cast<std::size_t>(n)];
            Joint joint;
            joint.name = node.name;
            joints.push_back(std::move(joint));
        }
        if (const auto skeleton = Skeleton::make(std::move(joints)))
            for (const int foot : suggest_feet(skeleton.value()))
                out.push_back(skeleton.value()[foot].name);
        if (!skin.roots.empty())
            out.insert(out.begin(), skin.nodes[static_cast<std::size_t>(skin.roots[0])].name);
        return out;
    }

    Status one_input() const {
        if (request_.inputs.size() == 1) return {};
        return Finding{Code::kUsage,
                       Severity::kStop,
                       Place::of("--what " + request_.what),
                       fmt::format("{} inputs", request_.inputs.size()),
                       "one",
                       "a picture of each"};
    }

    Status states() {
        MELLOW_CHECK(one_input());
        MELLOW_TRY(const Bytes bytes, read_file(request_.inputs[0]));
        MELLOW_TRY(const StateSheet sheet,
                   parse_states({reinterpret_cast<const char*>(bytes.data()), bytes.size()},
                                request_.inputs[0]));
        std::vector<std::string> names;
        for (const State& state : sheet.states) names.push_back(state.name);
        const std::vector<DeadTransition> dead = dead_transitions(sheet);
        std::vector<StateArrow> arrows;
        for (const Transition& transition : sheet.transitions) {
            StateArrow arrow{transition.from == "*" ? -1 : sheet.find(transition.from),
                             sheet.find(transition.to),
                             {}};
            for (const auto& [flag, value] : transition.when)
                arrow.words +=
                    std::string(arrow.words.empty() ? "" : ", ") + (value ? "" : "not ") + flag;
            if (!transition.on.empty())
                arrow.words += (arrow.words.empty() ? "on " : ", on ") + transition.on;
            if (transition.at_end)
                arrow.words += arrow.words.empty() ? "at the end" : ", at the end";
            if (transition.blend > 0) arrow.words += fmt::format("; {:g} s", transition.blend);
            arrow.dead = std::ranges::any_of(
                dead, [&](const DeadTransition& never) { return never.transition == &transition; });
            arrows.push_back(std::move(arrow));
        }
        pages_.push_back(draw_states(fs::path(request_.inputs[0]).filename().string(), names,
                                     sheet.find(sheet.start), arrows, options_));
        return {};
    }

    Status sizes() {
        MELLOW_CHECK(one_input());
        const fs::path path(request_.inputs[0]);
        std::vector<std::pair<std::string, std::uint64_t>> files;
        std::error_code error;
        if (fs::is_directory(path, error)) {
            for (fs::recursive_directory_iterator at(path, error), end; !error && at != end;
                 at.increment(error))
                if (at->is_regular_file(error))
                    files.emplace_back(at->path().lexically_relative(path).string(),
                                       at->file_size(error));
        } else {
            files.emplace_back(path.filename().string(), fs::file_size(path, error));
        }
        if (error || files.empty())
            return Finding{Code::kFileMissing,
                           Severity::kStop,
                           Place::in(path.string()),
                           error ? error.message() : "no files",
                           "a file or a folder with files",
                           "name another"};
        std::sort(files.begin(), files.end());
        pages_.push_back(draw_sizes(path.filename().string(), std::move(files), options_));
        return {};
    }

    Status timeline() {
        MELLOW_CHECK(one_input());
        const std::string& input = request_.inputs[0];
        std::vector<StripRow> rows;
        const auto row_of = [&](const std::string& name) -> StripRow& {
            for (StripRow& row : rows)
                if (row.name == name) return row;
            rows.push_back({name, 1e18, -1e18, {}, {}});
            return rows.back();
        };
        const auto add_span = [&](StripRow& row, StripSpan span) {
            row.first = std::min(row.first, span.first), row.last = std::max(row.last, span.last);
            row.spans.push_back(std::move(span));
        };
        if (input.ends_with(".toml")) {
            MELLOW_TRY(const Recipe recipe, read_recipe(input));
            MELLOW_TRY(const PackPlan plan, plan_pack(recipe));
            const auto file_of = [&](const std::string& source, const std::string& timeline) {
                std::string file = recipe.source;
                for (const RecipeSource& s : recipe.sources)
                    if (s.name == source) file = s.file;
                return timeline.empty() ? file : file + ", " + timeline;
            };
            const auto moved_by = [](const auto& what) {
                return what.arrangement.empty() ? what.timeline : what.arrangement;
            };
            std::set<std::string> said;
            // What is shaped takes other frames than it has samples: the recipe says which.
            for (const RecipeClip& clip : recipe.clips) {
                said.insert(clip.range.name);
                if (clip.parts.empty())
                    add_span(row_of(file_of(clip.source, moved_by(clip))),
                             {clip.range.name, static_cast<double>(clip.range.first),
                              static_cast<double>(clip.range.last), clip.range.loops()});
                for (const RecipePart& part : clip.parts)
                    if (part.clip.empty())
                        add_span(row_of(file_of(part.source, moved_by(part))),
                                 {clip.range.name + ": " + part.range.name,
                                  static_cast<double>(part.range.first),
                                  static_cast<double>(part.range.last), false});
            }
            for (const PlannedClip& clip : plan.clips)
                if (!said.contains(clip.name))
                    add_span(row_of(clip.motion.empty() ? file_of("", clip.moved_by)
                                                        : clip.motion + ", " + clip.moved_by),
                             {clip.name, static_cast<double>(clip.plan.first_frame),
                              static_cast<double>(clip.plan.last_frame), clip.plan.loop});
            for (const RecipeCue& cue : recipe.cues) {
                const std::string of = file_of(cue.source, moved_by(cue));
                // Without a name it is on all timelines, which count frames of their own.
                const auto arranged = [&](const StripRow& row) {
                    return std::ranges::any_of(recipe.arrangements, [&](const auto& one) {
                        return row.name == of + ", " + one.arrangement.name;
                    });
                };
                for (StripRow& row : rows)
                    if (row.name == of || (moved_by(cue).empty() &&
                                           row.name.starts_with(of + ", ") && !arranged(row)))
                        row.marks.emplace_back(cue.cue.name, cue.cue.first);
            }
        } else if (is_crate(input)) {
            MELLOW_TRY(const Manifest crate, Manifest::open(input, Parts::kOpened));
            // Frames count from the beginning of their timeline; what is made of parts is on
            // samples of its own.
            for (const PackedClip& clip : crate.clips) {
                const std::string of = clip.motion.empty() ? "" : clip.motion + ", ";
                if (clip.parts.empty()) {
                    StripRow& row = row_of(of + clip.timeline);
                    row.first = std::min(row.first, 0.0);
                    add_span(row, {clip.clip.name, static_cast<double>(clip.plan.first_frame),
                                   static_cast<double>(clip.plan.last_frame),
                                   clip.clip.loop != LoopForm::kOnce});
                }
                for (const PackedPart& part : clip.parts)
                    add_span(row_of(clip.clip.name + ", made of parts: samples"),
                             {part.name, static_cast<double>(part.first_sample),
                              static_cast<double>(part.last_sample), false});
            }
        } else {
            MELLOW_TRY(const ReadResult read, read_typed(input, request_.truth));
            const Stock stock = take_stock(read.scene);
            for (std::size_t t = 0; t < read.scene.timelines.size(); ++t) {
                const auto [first, last] = frames_of(read.scene.timelines[t], read.scene.rate);
                StripRow& row = row_of(read.scene.timelines[t].name);
                row.first = static_cast<double>(first), row.last = static_cast<double>(last);
                for (const MovingSpan& span : stock.timelines[t].moving)
                    add_span(row, {"moves", static_cast<double>(span.first),
                                   static_cast<double>(span.last), false});
            }
        }
        if (rows.empty())
            return Finding{Code::kNoMotion,  Severity::kStop,
                           Place::in(input), "no timeline",
                           "motion",         "a recipe, a crate or a scene with motion"};
        pages_.push_back(draw_strip(fs::path(input).filename().string(), rows, options_));
        return {};
    }

    Status tree() {
        MELLOW_CHECK(one_input());
        std::string input = request_.inputs[0];
        if (input.ends_with(".toml")) {
            MELLOW_TRY(input, packed_by(input));
        }
        Scene scene;
        if (is_crate(input)) {
            MELLOW_TRY(Crate crate, open_crate(input));
            scene = std::move(crate.skin);
        } else {
            MELLOW_TRY(ReadResult read, read_typed(input, request_.truth));
            scene = std::move(read.scene);
        }
        const Stock stock = take_stock(scene);
        std::vector<int> depth(scene.nodes.size(), 0);
        for (const int n : parents_first(scene)) {
            const auto index = static_cast<std::size_t>(n);
            const int up = scene.nodes[index].parent;
            if (up != kNone) depth[index] = depth[static_cast<std::size_t>(up)] + 1;
        }
        std::vector<TreeLine> lines;
        const auto children = children_of(scene);
        std::vector<int> open(scene.roots.rbegin(), scene.roots.rend());
        while (!open.empty()) {
            const auto n = static_cast<std::size_t>(open.back());
            open.pop_back();
            lines.push_back({depth[n], scene.nodes[n].name, std::string(name(stock.classes[n]))});
            open.insert(open.end(), children[n].rbegin(), children[n].rend());
        }
        pages_.push_back(draw_tree(fs::path(input).filename().string(), lines, options_));
        return {};
    }

    /// sheet.png, sheet_2.png, ...
    std::string page_name(std::size_t page) const {
        if (page == 0) return request_.output;
        const fs::path path(request_.output);
        return (path.parent_path() /
                fmt::format("{}_{}{}", path.stem().string(), page + 1, path.extension().string()))
            .string();
    }

    int write() {
        std::vector<FileToWrite> files;
        for (std::size_t i = 0; i < pages_.size(); ++i) files.push_back({page_name(i), pages_[i]});
        if (const Status written = write_files(files, request_.replace); !written)
            return fail(request_, written.failures());
        if (request_.json)
            print_json([&](JsonWriter& json) {
                json.member("picture", request_.output).member("bytes", pages_[0].size());
                json.list("pages", files,
                          [&](const FileToWrite& f) { json.value(f.path.string()); });
                print_findings(json, findings_);
            });
        else if (!request_.quiet)
            for (const FileToWrite& file : files)
                print_out(
                    fmt::format("{}: {}{} bytes\n", file.path.string(), drawn_, file.bytes.size()));
        if (!request_.quiet) print_findings(findings_);
        return kDone;
    }

    const ViewRequest& request_;
    SheetOptions options_;
    std::optional<std::array<double, 2>> range_;
    std::optional<Convention> axes_;
    std::vector<Png> pages_;
    std::string drawn_;  ///< what is on them: "3 clips of tamsin, "
    Findings findings_;
};

}  // namespace

Result<std::optional<Convention>> named_axes(const ViewRequest& request) {
    if (request.target.empty()) return std::optional<Convention>();
    MELLOW_TRY(const Target target, find_target(request.target));
    return std::optional(target.convention);
}

int view_picture(const ViewRequest& request) { return Picturer(request).run(); }

}  // namespace mellow::cli
