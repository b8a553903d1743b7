#include "mellow/pack.h"

#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <cmath>

#include "base/text.h"
#include "calls.h"
#include "commands.h"
#include "mellow/draft.h"
#include "mellow/safe_write.h"
#include "mellow/share.h"
#include "new_folder.h"
#include "recipe/clip_names.h"

namespace mellow::cli {
namespace {

/// What is being done, how much of it, and how long the rest will take; nothing in the first half
/// second.
class ProgressLine {
  public:
    void operator()(const Progress& progress) {
        using Clock = std::chrono::steady_clock;
        const auto now = Clock::now();
        if (progress.done <= 1) begun_ = now;
        if (now - first_ < std::chrono::milliseconds(500)) return;
        std::string line = progress.what;
        if (progress.of > 0) {
            line += fmt::format(" ({} of {})", progress.done, progress.of);
            const double gone = std::chrono::duration<double>(now - begun_).count();
            const auto left = static_cast<double>(progress.of - progress.done);
            if (progress.done > 1 && progress.done < progress.of)
                line +=
                    fmt::format(", {:.0f} s left",
                                std::ceil(gone / static_cast<double>(progress.done - 1) * left));
        }
        print_err(fmt::format("\r\033[K{}", line));
    }

  private:
    std::chrono::steady_clock::time_point first_ = std::chrono::steady_clock::now(),
                                          begun_ = first_;
};

std::string plan_text(const PackPlan& plan) {
    std::size_t width = 4;
    for (const PlannedClip& c : plan.clips) width = std::max(width, c.name.size());
    std::string text = fmt::format("{}: joints {}, {}\n\n{:{}}  {:>7}  {:>8}  {:6}  {}\n",
                                   plan.name, plan.joints.size(), plan.target, "clip", width,
                                   "samples", "seconds", "loop", "from");
    double seconds = 0;
    int samples = 0;
    for (const PlannedClip& c : plan.clips) {
        text += fmt::format("{:{}}  {:>7}  {:>8.3f}  {:6}  {}..{} of \"{}\" at {}/s{}\n", c.name,
                            width, c.samples, c.seconds, name(c.loop), c.plan.first_frame,
                            c.plan.last_frame, c.moved_by, to_text(c.plan.source_rate),
                            c.motion.empty() ? "" : ", " + c.motion);
        seconds += c.seconds, samples += c.samples;
    }
    if (plan.motion_files > 0) text += fmt::format("{} motion files, ", plan.motion_files);
    text += fmt::format("{} clips, {} samples, {:.3f} s\n", plan.clips.size(), samples, seconds);
    std::vector<std::string> stale;
    for (const PlannedClip& c : plan.clips)
        if (!c.reused) stale.push_back(c.name);
    if (stale.size() < plan.clips.size())
        text +=
            fmt::format("{} of {} to be packed{}, {} unchanged\n", stale.size(), plan.clips.size(),
                        stale.empty() ? "" : fmt::format(" ({})", name_list(stale)),
                        plan.clips.size() - stale.size());
    text += "\n";
    for (const SkippedFile& skipped : plan.skipped)
        text += fmt::format("left out: {}: {}\n", skipped.file, skipped.findings.front().found);
    for (const PlannedFile& file : plan.files)
        text += fmt::format("{:8} {}\n", name(file.fate), file.path.string());
    if (!plan.backup.empty())
        text +=
            fmt::format("the crate that stands there would be kept as {}\n", plan.backup.string());
    return text;
}

void write(JsonWriter& json, const PackPlan& plan, const Findings& findings) {
    json.member("name", plan.name).member("target", plan.target).list("joints", plan.joints);
    json.list("clips", plan.clips, [&](const PlannedClip& c) {
        json.begin_object().member("name", c.name).member("file", c.file);
        json.member("samples", c.samples).member("seconds", c.seconds);
        json.member("loop", name(c.loop)).member("rate", to_text(c.plan.rate));
        json.member("reused", c.reused);
        json.object("source", [&] {
            if (!c.motion.empty()) json.member("file", c.motion);
            json.member("timeline", c.moved_by).member("first", c.plan.first_frame);
            json.member("last", c.plan.last_frame).member("rate", to_text(c.plan.source_rate));
        });
        json.end_object();
    });
    json.member("motion_files", plan.motion_files);
    json.list("files", plan.files, [&](const PlannedFile& file) {
        json.begin_object().member("file", file.path.string());
        json.member("fate", name(file.fate)).end_object();
    });
    print_findings(json, findings);
}

/// One recipe of a request.
struct Job {
    const PackRequest& request;
    const std::string& file;
    const TextSink& out;  ///< takes what is for standard output
    std::optional<Share> share = {};
    std::filesystem::path part = {};  ///< where the share goes
};

int failed(const Job& job, Findings findings) {
    findings = seen_from_here(std::move(findings), job.file);
    if (!job.request.json || job.request.recipes.size() == 1) return fail(job.request, findings);
    print_findings(findings);
    JsonWriter json(JsonWriter::Form::kIndented, job.out);
    json.begin_object().member("name", job.file);
    print_findings(json, findings);
    json.end_object().finish();
    return exit_code(findings.front().code);
}

Result<std::vector<PackReport>> packed_by(const Job& job, const Recipe& recipe,
                                          PackOptions options) {
    const bool show = isatty(STDERR_FILENO) != 0 && !job.request.quiet;
    if (show) options.progress = ProgressLine();
    auto packed = job.share ? pack_share(recipe, *job.share, job.part, options)
                            : mellow::pack_all(recipe, options);
    if (show) print_err("\r\033[K");
    return packed;
}

/// What the crates would be, and what would be found of them: they are made, and not kept.
int dry_run(const Job& job, const Recipe& recipe, PackOptions options) {
    const PackRequest& request = job.request;
    const auto planned =
        job.share ? plan_share(recipe, *job.share, job.part, options) : plan_pack(recipe, options);
    if (!planned) return failed(job, planned.failures());
    const PackPlan& plan = planned.value();
    options.rehearse = true;
    const auto packed = packed_by(job, recipe, options);
    if (!packed) return failed(job, packed.failures());
    Findings found, stops;
    bool proven = true;
    for (const PackReport& report : packed.value()) {
        say_once(found, report.findings);
        for (const SkippedFile& skipped : report.skipped) say_once(stops, skipped.findings);
        proven = proven && report.proven;
    }
    found = seen_from_here(std::move(found), job.file);
    std::copy_if(found.begin(), found.end(), std::back_inserter(stops),
                 [](const Finding& f) { return f.severity == Severity::kStop; });
    Findings findings = seen_from_here(plan.writable.failures(), job.file);
    findings.insert(findings.end(), found.begin(), found.end());
    if (request.json) {
        JsonWriter json(JsonWriter::Form::kIndented, job.out);
        json.begin_object();
        write(json, plan, findings);
        json.end_object().finish();
    } else if (!request.quiet) {
        job.out(plan_text(plan) + "\n" + (found.empty() ? "" : grouped_text(worded(found)) + "\n") +
                (proven ? "dry run: nothing was written\n"
                        : "dry run: nothing was written, and packing would fail\n"));
    }
    if (!proven) print_findings(stops);
    if (!plan.writable) print_findings(plan.writable.failures());
    return !proven ? kChecksFailed : plan.writable ? kDone : kCannotWrite;
}

void print_report(const Job& job, PackReport report) {
    const PackRequest& request = job.request;
    report.findings = worded(std::move(report.findings));
    for (SkippedFile& skipped : report.skipped)
        skipped.findings = worded(std::move(skipped.findings));
    if (request.json) return report_json(report, job.out);
    if (request.quiet) return;
    if (request.verbose) {
        report_text(report, job.out);
        job.out("\n");
    }
    report_summary(report, job.out);
}

int print_packed(const Job& job, Result<std::vector<PackReport>>& packed);

/// Says what keeps a crate from being proven.
void print_failures(const PackReport& report) {
    for (const SkippedFile& skipped : report.skipped) print_findings(skipped.findings);
    Findings stops = report.findings;
    std::erase_if(stops, [](const Finding& f) { return f.severity != Severity::kStop; });
    print_findings(stops);
    if (report.placed)
        print_err(fmt::format("packed without what is bad: {} left out\n", report.skipped.size()));
    else
        print_err(
            fmt::format("not packed: the files are kept aside in {}\n", report.folder.string()));
}

int pack_now(const Job& job, const Recipe& recipe, const PackOptions& options) {
    auto packed = packed_by(job, recipe, options);
    if (!packed) return failed(job, packed.failures());
    return print_packed(job, packed);
}

int print_packed(const Job& job, Result<std::vector<PackReport>>& packed) {
    const bool several = packed.value().size() > 1;
    bool proven = true;
    JsonWriter json(JsonWriter::Form::kIndented, job.out);
    if (several && job.request.json) json.begin_object().key("targets").begin_array();
    for (PackReport& report : packed.value()) {
        report.findings = seen_from_here(std::move(report.findings), job.file);
        if (several && job.request.json) {
            std::string text;
            print_report({job.request, job.file, [&](std::string_view piece) { text += piece; }},
                         report);
            json.raw(text);
        } else {
            print_report(job, report);
            if (several && !job.request.quiet && &report != &packed.value().back()) job.out("\n");
        }
        if (!report.proven) print_failures(report);
        proven = proven && report.proven;
    }
    if (several && job.request.json) json.end_array().end_object().finish();
    return proven ? kDone : kChecksFailed;
}

int one_job(const Job& job) {
    auto recipe = read_recipe(job.file);
    if (!recipe) {
        const Status all = check_recipe(job.file);
        return failed(job, all ? recipe.failures() : all.failures());
    }
    if (job.request.keep_going) recipe.value().skip_bad = true;
    PackOptions options;
    options.replace = job.request.replace;
    options.keep = job.request.keep;
    options.all = job.request.all;
    options.from = {job.request.from.begin(), job.request.from.end()};
    return job.request.dry_run ? dry_run(job, recipe.value(), options)
                               : pack_now(job, recipe.value(), options);
}

/// The recipe's own part of a share: of several recipes each has a folder of its name.
Job job_of(const PackRequest& request, const std::string& file, const TextSink& out) {
    Job job{request, file, out};
    if (request.share.empty()) return job;
    job.share = parse_share(request.share).value();
    job.part = request.output;
    const std::string name = std::filesystem::path(file).filename().string();
    if (request.recipes.size() > 1) job.part /= name.substr(0, name.find('.'));
    return job;
}

/// Several jobs, one after the other; what each came to stands at the end.
int all_jobs(const PackRequest& request) {
    int worst = kDone;
    std::string summary;
    JsonWriter json(JsonWriter::Form::kIndented, print_out);
    if (request.json) json.begin_object().key("jobs").begin_array();
    for (std::size_t i = 0; i < request.recipes.size(); ++i) {
        const std::string& file = request.recipes[i];
        std::string text;
        const TextSink out = [&](std::string_view piece) {
            if (request.json)
                text += piece;
            else
                print_out(piece);
        };
        if (!request.json && !request.quiet)
            print_out(fmt::format("{}job {} of {}: {}\n\n", i == 0 ? "" : "\n", i + 1,
                                  request.recipes.size(), file));
        const int exit = one_job(job_of(request, file, out));
        if (request.json) json.raw(text);
        worst = std::max(worst, exit);
        summary += fmt::format("{:9} {}\n",
                               exit == kDone           ? "done"
                               : exit == kChecksFailed ? "unproven"
                                                       : "failed",
                               file);
    }
    if (request.json) {
        json.end_array().member("exit", worst).end_object().finish();
    } else if (!request.quiet) {
        print_out("\n" + summary);
    }
    return worst;
}

/// Recipes by name, and those that a pattern in quotes finds.
Result<std::vector<std::string>> named(const std::vector<std::string>& asked) {
    std::vector<std::string> out;
    for (const std::string& name : asked) {
        const std::vector<std::string> found = matching_files("", name);
        if (found.empty())
            return Finding{Code::kFileMissing,         Severity::kStop, Place::in(name),
                           "no file fits the pattern", "recipes",       "correct the pattern"};
        out.insert(out.end(), found.begin(), found.end());
    }
    return out;
}

/// Scene files without a recipe: one is drafted, and kept beside the crate.
bool are_scenes(const std::vector<std::string>& names) {
    const auto scene = [](const std::string& name) {
        const std::string ending = std::filesystem::path(name).extension().string();
        return ending == ".glb" || ending == ".gltf" || ending == ".dae" || ending == ".bvh";
    };
    return std::all_of(names.begin(), names.end(), scene);
}

/// The recipe; nothing, said, where there is none, and `exit` is set.
std::optional<std::string> drafted(const PackRequest& request, int& exit) {
    exit = kUsage;
    if (!are_scenes(request.recipes)) {
        misused(request, "--output", request.output,
                "scene files in place of recipes, which say "
                "themselves where their crates go");
        return {};
    }
    if (request.output.empty()) {
        misused(request, "--output", "scene files, and no folder",
                "-o FOLDER, where the crate goes; or a recipe: mellow draft");
        return {};
    }
    DraftOptions options;
    options.output = request.output;
    options.recipe = std::filesystem::path(request.output).lexically_normal();
    if (options.recipe.filename().empty()) options.recipe = options.recipe.parent_path();
    options.recipe += ".recipe.toml";
    const NewFolder above(options.recipe);
    const auto draft = draft_recipe({request.recipes.begin(), request.recipes.end()}, options);
    if (!draft) {
        exit = fail(request, draft.failures());
        return {};
    }
    const std::string& text = draft.value().text;
    const std::vector<std::uint8_t> bytes(text.begin(), text.end());
    if (const Status written = write_file(options.recipe, bytes, request.replace); !written) {
        exit = fail(request, written.failures());
        return {};
    }
    for (const DraftedValue& v : draft.value().values)
        if ((v.guess || v.unknown) && !request.quiet)
            print_err(fmt::format("{}: {} {} = {}: {}\n", v.unknown ? "to be filled in" : "a guess",
                                  v.place, v.key, v.value, v.reason));
    if (!request.quiet) print_err(fmt::format("wrote {}\n", options.recipe.string()));
    exit = kDone;
    return options.recipe.string();
}

}  // namespace

int pack(const PackRequest& asked) {
    if (asked.keep < 0)
        return misused(asked, "--keep", std::to_string(asked.keep), "0 or more backups");
    auto recipes = named(asked.recipes);
    if (!recipes) return fail(asked, recipes.failures());
    PackRequest request = asked;
    request.recipes = std::move(recipes).value();
    if (!request.share.empty()) {
        if (const auto share = parse_share(request.share); !share)
            return misused(request, "--share", request.share, share.failure().expected);
        if (request.output.empty())
            return misused(request, "--share", request.share, "and -o FOLDER, where the part goes");
        if (are_scenes(request.recipes))
            return misused(request, "--share", request.recipes.front(),
                           "recipes; mellow draft makes one of scene files");
    } else if (!request.output.empty() || are_scenes(request.recipes)) {
        int exit = kDone;
        const auto recipe = drafted(request, exit);
        if (!recipe) return exit;
        request.recipes = {*recipe};
    }
    if (request.recipes.size() > 1) return all_jobs(request);
    return one_job(job_of(request, request.recipes.front(), print_out));
}

int gather(const GatherRequest& request) {
    if (request.keep < 0)
        return misused(request, "--keep", std::to_string(request.keep), "0 or more backups");
    GatherOptions options;
    options.output = request.output;
    options.recipe = request.recipe;
    options.replace = request.replace;
    options.keep_going = request.keep_going;
    options.keep = request.keep;
    const bool show = isatty(STDERR_FILENO) != 0 && !request.quiet;
    if (show) options.progress = ProgressLine();
    auto gathered = mellow::gather({request.folders.begin(), request.folders.end()}, options);
    if (show) print_err("\r\033[K");
    if (!gathered) return fail(request, gathered.failures());
    PackRequest as_packed;
    static_cast<Common&>(as_packed) = request;
    const std::string file = gathered.value().empty()
                                 ? request.folders.front()
                                 : (gathered.value().front().folder / "recipe.toml").string();
    const Job job{as_packed, file, print_out};
    return print_packed(job, gathered);
}

}  // namespace mellow::cli
