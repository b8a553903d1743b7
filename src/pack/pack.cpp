#include "mellow/pack.h"

#include <algorithm>

#include "crate/file_names.h"
#include "mellow/parallel.h"
#include "pack/pack_clip.h"

namespace mellow {
namespace {

/// Joints times samples at the same time, over all clips that are being packed: clips overlap
/// as parallel work, but a few long ones do not take a multiple of their room.
constexpr std::int64_t kJointSamples = 4'000'000;

class Packer {
  public:
    Packer(const Recipe& recipe, const PackOptions& options) : recipe_(recipe), options_(options) {}

    /// A crate to take clips from that is not there would be a long run that nobody expects.
    Status check_from() const {
        Findings wrong;
        for (const std::filesystem::path& from : options_.from) {
            std::error_code error;
            bool crate = std::filesystem::exists(from / kManifestFile, error);
            for (const Target& target : recipe_.targets)
                crate = crate || std::filesystem::exists(from / target.name / kManifestFile, error);
            if (!crate)
                wrong.push_back({Code::kFileMissing,
                                 Severity::kStop,
                                 Place::in(from.string()),
                                 "no crate and no part: there is no crate.json in it",
                                 "what clips are to be taken over from",
                                 "correct it",
                                 {},
                                 {again({{Call::Option::kFrom}})}});
        }
        return wrong;
    }

    Result<std::vector<PackReport>> run() {
        MELLOW_CHECK(check_from());
        std::vector<std::optional<PackReport>> done(recipe_.targets.size());
        std::vector<std::size_t> stale;  // of the targets
        for (std::size_t t = 0; t < recipe_.targets.size(); ++t) {
            const Target& target = recipe_.targets[t];
            if (options_.share && shares_a_file(target)) continue;
            MELLOW_TRY(CratePlace place, CratePlace::open(recipe_, target, options_));
            done[t] = place.unchanged();
            if (done[t]) continue;
            places_.push_back(std::move(place));
            stale.push_back(t);
        }
        if (!places_.empty()) MELLOW_CHECK(make());
        std::vector<PackReport> reports;
        for (std::size_t o = 0; o < outputs_.size(); ++o) {
            progress("finishing " + outputs_[o]->target().name);
            MELLOW_TRY(done[stale[o]], outputs_[o]->finish());
        }
        for (auto& report : done)
            if (report) reports.push_back(std::move(*report));
        return reports;
    }

  private:
    void progress(const std::string& what, std::size_t done = 0, std::size_t of = 0) const {
        if (options_.progress) options_.progress({what, done, of});
    }

    Status make() {
        progress("reading " + recipe_.source);
        MELLOW_TRY(jobs_, Jobs::read(recipe_, options_.progress));
        if (jobs_->clips().empty()) {
            Findings all;  // everything that could be used was left out
            for (const SkippedFile& skipped : jobs_->notes().skipped) append(all, skipped.findings);
            return all;
        }
        progress("writing " + recipe_.name);
        for (CratePlace& place : places_) {
            MELLOW_TRY(auto output, CrateOutput::begin(std::move(place), *jobs_));
            outputs_.push_back(std::move(output));
        }
        Pool<Clip> memory([] { return std::make_unique<Clip>(); });
        const auto shares = [](const auto& o) { return shares_a_file(o->target()); };
        MELLOW_CHECK(over_clips(
            "packing ", [](const CrateOutput& output, std::size_t i) { return output.wants(i); },
            [&](std::size_t i) { return pack_clip(recipe_, *jobs_, outputs_, i, memory); },
            [&](std::size_t o, std::size_t i, OutputClip clip) {
                if (shares(outputs_[o]))
                    outputs_[o]->keep(i, std::move(clip));
                else
                    outputs_[o]->take(i, std::move(clip));
            }));
        if (std::none_of(outputs_.begin(), outputs_.end(), shares)) return {};
        for (const auto& output : outputs_)
            if (shares(output)) MELLOW_CHECK(output->write_shared());
        return over_clips(
            "measuring ", [](const CrateOutput& output, std::size_t i) { return output.keeps(i); },
            [&](std::size_t i) { return prove_shared(recipe_, *jobs_, outputs_, i); },
            [&](std::size_t o, std::size_t i, OutputClip clip) {
                outputs_[o]->take(i, std::move(clip));
            });
    }

    /// Clips that an output wants are worked on side by side, and told of in their order. Only a
    /// few are in memory at any time.
    template <class Wants, class Work, class Take>
    Status over_clips(const char* doing, const Wants& wants, const Work& work, const Take& take) {
        const std::vector<ClipJob>& clips = jobs_->clips();
        std::int64_t longest = 1;
        for (const ClipJob& job : clips)
            for (const PlannedRange& range : job.ranges)
                longest = std::max(
                    longest, std::int64_t{range.plan.samples} * jobs_->figure().skeleton().size());
        const auto in_flight = static_cast<std::size_t>(
            std::clamp<std::int64_t>(kJointSamples / longest, 1, 2 * parallel_threads()));
        // Those that are wanted alone: others would take places, and work would wait.
        std::vector<std::size_t> wanted;
        for (std::size_t i = 0; i < clips.size(); ++i)
            if (std::any_of(outputs_.begin(), outputs_.end(),
                            [&](const auto& output) { return wants(*output, i); }))
                wanted.push_back(i);
        // No more are begun and not yet told of, so that their places can be used again.
        std::vector<std::optional<Result<ClipResult>>> results(in_flight);
        Findings failed;
        bool unwritable = false;
        parallel_in_order(
            wanted.size(), in_flight,
            [&](std::size_t w) { results[w % in_flight] = work(wanted[w]); },
            [&](std::size_t w) {
                const std::size_t i = wanted[w];
                progress(doing + clips[i].clip.range.name, w + 1, wanted.size());
                auto& result = results[w % in_flight];
                for (std::size_t o = 0; o < outputs_.size(); ++o) {
                    if (result->ok() ? !result->value()[o] : !wants(*outputs_[o], i)) continue;
                    if (result->ok() && result->value()[o]->ok()) {
                        take(o, i, std::move(*result->value()[o]).value());
                        continue;
                    }
                    Findings why =
                        result->ok() ? result->value()[o]->failures() : result->failures();
                    // All that is wrong is told at once; but a disk is full for all clips alike.
                    unwritable = unwritable || why.front().code == Code::kOutputUnwritable;
                    if (recipe_.skip_bad)
                        outputs_[o]->skip(i, std::move(why));
                    else
                        say_once(failed, why);
                }
                result.reset();
                return !unwritable || failed.empty();
            });
        return failed;
    }

    const Recipe& recipe_;
    const PackOptions& options_;
    std::vector<CratePlace> places_;  ///< of targets that have something to be made
    std::unique_ptr<Jobs> jobs_;
    std::vector<std::unique_ptr<CrateOutput>> outputs_;  ///< one for each of the places
};

}  // namespace

Result<std::vector<PackReport>> pack_all(const Recipe& recipe, const PackOptions& options) {
    return Packer(recipe, options).run();
}

Result<PackReport> pack(const Recipe& recipe, const PackOptions& options) {
    if (recipe.targets.size() != 1)
        return Finding{Code::kValueBad,   Severity::kStop, Place::in(recipe.file),
                       "several targets", "one",           "pack_all() packs for all of them"};
    MELLOW_TRY(std::vector<PackReport> reports, pack_all(recipe, options));
    return std::move(reports.front());
}

}  // namespace mellow
