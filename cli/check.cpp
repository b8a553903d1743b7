#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

#include "base/text.h"
#include "calls.h"
#include "commands.h"
#include "mellow/check.h"
#include "mellow/recipe.h"
#include "mellow/safe_write.h"

namespace mellow::cli {
namespace {

namespace fs = std::filesystem;

bool is_recipe(const std::string& path) { return path.ends_with(".toml"); }

Result<CheckReport> check_one(const std::string& path, const std::optional<Target>& target) {
    if (is_crate(path)) return check_crate(path, target);
    if (target) return check_files(path, *target);
    std::error_code error;
    return Finding{
        Code::kUsage,
        Severity::kStop,
        Place::in(path),
        fs::exists(path, error) ? "files without a manifest, and no target" : "no such file",
        "a crate or a recipe; or --target",
        "mellow check " + shell_word(path) + " --target y-up-metre"};
}

/// What a word asks to be checked: the crates of a recipe, or the path itself.
Result<std::vector<CheckReport>> check_path(const std::string& path,
                                            const std::optional<Target>& target) {
    std::vector<CheckReport> reports;
    if (!is_recipe(path)) {
        MELLOW_TRY(CheckReport report, check_one(path, target));
        reports.push_back(std::move(report));
        return reports;
    }
    MELLOW_TRY(const Recipe recipe, read_recipe(path));
    for (const Target& wanted : recipe.targets) {
        const fs::path crate =
            recipe.targets.size() > 1 ? recipe.output / wanted.name : recipe.output;
        if (!is_crate(crate))
            return Finding{Code::kFileMissing,        Severity::kStop,
                           Place::in(crate.string()), "no crate",
                           "the crate of " + path,    "mellow pack " + shell_word(path)};
        MELLOW_TRY(CheckReport report, check_crate(crate, target ? target : std::optional(wanted)));
        reports.push_back(std::move(report));
    }
    return reports;
}

int print_figures(const CheckRequest& request) {
    if (request.paths.size() != 1 || !is_crate(request.paths[0]))
        return misused(request, "--figures", request.paths.empty() ? "" : request.paths[0],
                       "one crate, whose clips the figures shall play");
    const std::vector<fs::path> figures(request.figures.begin(), request.figures.end());
    const auto matches = match_figures(figures, request.paths[0]);
    if (!matches) return fail(request, matches.failures());
    bool fits = true;
    for (const FigureMatch& m : matches.value()) fits = fits && m.fits;
    if (request.json)
        print_json([&](JsonWriter& json) {
            json.member("fits", fits).list("matches", matches.value(), [&](const FigureMatch& m) {
                json.begin_object().member("figure", m.figure).member("clip", m.clip);
                json.member("fits", m.fits).text_member("joint", m.joint);
                json.text_member("why", m.why).end_object();
            });
        });
    else if (!request.quiet)
        for (const FigureMatch& m : matches.value())
            print_out(fmt::format("{:5} {}  {}{}\n", m.fits ? "fits" : "FAILS", m.figure, m.clip,
                                  m.fits ? "" : fmt::format(": \"{}\" {}", m.joint, m.why)));
    return fits ? kDone : kChecksFailed;
}

int print_sizes(const CheckRequest& request) {
    if (request.paths.size() != 1 || !is_crate(request.paths[0]))
        return misused(request, "--sizes", request.paths.empty() ? "" : request.paths[0],
                       "one crate");
    const auto sizes = clip_sizes(request.paths[0]);
    if (!sizes) return fail(request, sizes.failures());
    if (request.json) {
        print_json([&](JsonWriter& json) {
            json.list("clips", sizes.value(), [&](const ClipSizes& s) {
                json.begin_object().member("clip", s.clip).member("as_is", s.as_is);
                json.member("motion", s.motion).member("with_skin", s.with_skin);
                json.member("motion_text", s.motion_text);
                json.member("with_skin_text", s.with_skin_text).end_object();
            });
        });
        return kDone;
    }
    std::size_t width = 4;
    for (const ClipSizes& s : sizes.value()) width = std::max(width, s.clip.size());
    print_out(fmt::format("{:{}}  {:>9}  {:>9}  {:>9}  {:>9}  {:>9}  {:>6}\n", "clip", width,
                          "as it is", "motion", "with skin", "as text", "with skin", "ratio"));
    for (const ClipSizes& s : sizes.value())
        print_out(fmt::format("{:{}}  {:>9}  {:>9}  {:>9}  {:>9}  {:>9}  {:>6.3f}\n", s.clip, width,
                              s.as_is, s.motion, s.with_skin, s.motion_text, s.with_skin_text,
                              static_cast<double>(s.motion) /
                                  static_cast<double>(std::max<std::size_t>(s.with_skin, 1))));
    return kDone;
}

}  // namespace

int check(const CheckRequest& request) {
    if (!request.figures.empty()) return print_figures(request);
    if (request.sizes) return print_sizes(request);
    std::optional<Target> target;
    if (!request.target.empty()) {
        auto found = find_target(request.target);
        if (!found) return fail(request, found.failures());
        target = std::move(found).value();
    }
    std::vector<CheckReport> reports;
    for (const std::string& path : request.paths) {
        auto checked = check_path(path, target);
        if (!checked) return fail(request, checked.failures());
        for (CheckReport& report : checked.value()) {
            for (Demand& demand : report.demands) demand = worded(std::move(demand));
            reports.push_back(std::move(report));
        }
    }
    const bool passed = std::all_of(reports.begin(), reports.end(),
                                    [](const CheckReport& r) { return r.passed(); });
    if (!request.junit.empty()) {
        const std::string text = check_junit(reports);
        const std::vector<std::uint8_t> bytes(text.begin(), text.end());
        if (const Status written = write_file(request.junit, bytes, request.replace); !written)
            return fail(request, written.failures());
    }
    if (request.json) {
        JsonWriter json(JsonWriter::Form::kIndented, print_out);
        json.begin_object().member("passed", passed).key("reports").begin_array();
        for (const CheckReport& report : reports) {
            std::string text;
            check_json(report, [&](std::string_view piece) { text += piece; });
            json.raw(text);
        }
        json.end_array().end_object().finish();
    } else if (!request.quiet) {
        for (const CheckReport& report : reports) {
            if (&report != reports.data()) print_out("\n");
            check_text(report, request.all, print_out);
        }
    }
    return passed ? kDone : kChecksFailed;
}

}  // namespace mellow::cli
