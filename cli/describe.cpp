#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <filesystem>
#include <span>

#include "find_clips.h"
#include "mellow/motion_text.h"
#include "mellow/parallel.h"
#include "mellow/recipe.h"
#include "recipe/clip_names.h"
#include "scene_files.h"
#include "stock_print.h"

namespace mellow::cli {
namespace {

namespace fs = std::filesystem;

/// What was asked about, folders replaced by what is in them.
Result<std::vector<std::string>> expanded(const std::vector<std::string>& asked) {
    std::vector<std::string> all;
    std::error_code error;
    for (const std::string& path : asked) {
        if (!fs::is_directory(path, error) || is_crate(path)) {
            const std::vector<std::string> found = matching_files("", path);
            if (found.empty())
                return Finding{Code::kFileMissing,         Severity::kStop, Place::in(path),
                               "no file fits the pattern", "scene files",   "correct the pattern"};
            all.insert(all.end(), found.begin(), found.end());
            continue;
        }
        const auto inside = listed(path);
        if (inside.empty())
            return Finding{Code::kFileMissing,
                           Severity::kStop,
                           Place::in(path),
                           "a folder without scene files and crates",
                           "files ending in .glb, .gltf, .dae or .bvh, or a crate.json",
                           "name another folder"};
        all.insert(all.end(), inside.begin(), inside.end());
    }
    return all;
}

Result<FileStock> stock_of(const DescribeRequest& request, const std::string& file,
                           const std::optional<RigSheet>& sheet) {
    MELLOW_TRY(ReadResult read, read_typed(file, request.truth));
    Stock stock = take_stock(read.scene);
    stock.findings = in_options(std::move(stock.findings));
    FileStock out{file, std::move(read), std::move(stock), {}};
    if (!sheet) return out;
    MELLOW_TRY(out.rig, take_rig_stock(out.read.scene, *sheet));
    std::erase_if(out.stock.findings, [](const Finding& f) { return f.code == Code::kUnbaked; });
    out.stock.findings.insert(out.stock.findings.end(), out.rig->findings.begin(),
                              out.rig->findings.end());
    return out;
}

/// Goes through all of them; the last word on each is said as soon as it is known.
class Describer {
  public:
    Describer(const DescribeRequest& request, std::vector<std::string> files)
        : request_(request), files_(std::move(files)) {}

    int run(const std::optional<RigSheet>& sheet) {
        if (several() && request_.json) json_.begin_object().key("files").begin_array();
        for (std::size_t first = 0; first < files_.size(); first += kAtOnce) {
            const std::span files{&files_[first], std::min(kAtOnce, files_.size() - first)};
            show_progress(first);
            std::vector<std::optional<Result<FileStock>>> stocks(files.size());
            parallel_for(files.size(), [&](std::size_t i) {
                if (!is_crate(files[i])) stocks[i] = stock_of(request_, files[i], sheet);
            });
            clear_progress();
            for (std::size_t i = 0; i < files.size(); ++i) {
                const int exit = stocks[i] ? one_file(files[i], *stocks[i]) : one_crate(files[i]);
                worst_ = std::max(worst_, exit);
                if (exit == kUsage) return exit;  // the same for all of them
            }
        }
        if (several() && request_.json) {
            json_.end_array();
            table_.write_totals(json_);
            json_.end_object();
        }
        if (request_.json && (several() || worst_ == kDone)) json_.finish();
        if (several() && !request_.json && !request_.quiet)
            print_out((request_.verbose ? "\n" : "") + table_.text());
        return worst_;
    }

  private:
    /// Files whose contents are in memory at the same time.
    static constexpr std::size_t kAtOnce = 16;

    void show_progress(std::size_t done) const {
        if (on_terminal_) print_err(fmt::format("\r\033[K{} of {} files", done, files_.size()));
    }
    void clear_progress() const {
        if (on_terminal_) print_err("\r\033[K");
    }

    bool several() const { return files_.size() > 1; }
    bool in_full() const { return !several() || request_.verbose || request_.tree; }

    int failed(const std::string& file, const Findings& findings) {
        if (!several()) return fail(request_, findings);
        print_findings(findings);
        table_.add_failure(file, findings.front().code);
        json_.begin_object().member("file", file);
        print_findings(json_, findings);
        json_.end_object();
        return exit_code(findings.front().code);
    }

    void print(const std::string& text) {
        if (request_.json || request_.quiet || !in_full()) return;
        print_out((printed_ ? "\n" : "") + text);
        printed_ = true;
    }

    int one_crate(const std::string& folder) {
        const auto crate = open_crate(folder, Motions::kChecked, Parts::kOpened);
        if (!crate) return failed(folder, crate.failures());
        table_.add(folder, crate.value());
        if (request_.json) write_crate_stock(json_, folder, crate.value());
        print(crate_text(folder, crate.value()));
        return kDone;
    }

    int one_file(const std::string& file, const Result<FileStock>& stock) {
        if (!stock) return failed(file, stock.failures());
        table_.add(stock.value());
        if (request_.json) write_stock(json_, stock.value());
        print(stock_text(stock.value(), request_.tree));
        return kDone;
    }

    const DescribeRequest& request_;
    std::vector<std::string> files_;
    StockTable table_;
    JsonWriter json_{JsonWriter::Form::kIndented, print_out};
    const bool on_terminal_ = several() && !request_.quiet && isatty(STDERR_FILENO) != 0;
    int worst_ = kDone;
    bool printed_ = false;
};

/// A recipe as it is used: with what it brings in from other files.
int describe_recipe(const DescribeRequest& request, const std::string& file) {
    const auto recipe = read_recipe(file);
    if (!recipe) return fail(request, seen_from_here(recipe.failures(), file));
    if (request.json)
        print_json([&](JsonWriter& json) {
            json.member("file", file)
                .member("format", "recipe")
                .member("text", recipe.value().text);
        });
    else if (!request.quiet)
        print_out(recipe.value().text);
    return kDone;
}

/// Motion as text. Findings are not printed: they would stand in it.
int dump(const DescribeRequest& request, const std::vector<std::string>& files) {
    if (files.size() != 1 || is_crate(files[0]) || fs::path(files[0]).extension() == ".toml" ||
        request.json || request.tree)
        return fail(request,
                    Finding{Code::kUsage, Severity::kStop, "--dump",
                            files.size() == 1 ? "\"" + files[0] + "\", or with --json or --tree"
                                              : fmt::format("{} files", files.size()),
                            "one scene file, such as a clip of a crate, and no other output",
                            "mellow describe clips/walk.glb --dump"});
    auto read = read_typed(files[0], request.truth);
    if (!read) return fail(request, read.failures());
    const auto text = write_motion_text(std::move(read.value().scene));
    if (!text) return fail(request, text.failures());
    print_out(text.value());
    return kDone;
}

}  // namespace

int describe(const DescribeRequest& request) {
    std::optional<RigSheet> sheet;
    if (!request.rig.empty()) {
        auto read = read_rig_sheet(request.rig);
        if (!read) return fail(request, seen_from_here(read.failures(), request.rig));
        sheet = std::move(read).value();
    }
    auto files = expanded(request.files);
    if (!files) return fail(request, files.failures());
    if (request.dump) return dump(request, files.value());
    if (!request.clip.empty()) return find_clips(request, files.value());
    if (request.joints && (files.value().size() > 1 || request.json))
        return misused(request, "--joints",
                       fmt::format("{} files, or --json", files.value().size()),
                       "one figure or crate");
    if (request.joints) return list_joints(request, files.value()[0]);
    if (files.value().size() == 1 && fs::path(files.value()[0]).extension() == ".toml")
        return describe_recipe(request, files.value()[0]);
    return Describer(request, std::move(files).value()).run(sheet);
}

}  // namespace mellow::cli
