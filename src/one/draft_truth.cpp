#include "one/draft_truth.h"
#include "base/toml_text.h"

#include <fmt/format.h>

#include <cmath>

#include "mellow/convention.h"
#include "prove/judge.h"

namespace mellow {
namespace {

class TruthReader {
  public:
    explicit TruthReader(FileDraft& file) : f_(file) {
        f_.figure = find_legs(f_.scene, f_.stock.classes).pairs > 0;
    }

    void run() {
        prefix();
        unit();
        axes();
        rate();
    }

  private:
    void add(const std::string& key, const std::string& value, const std::string& reason,
             bool guess = false) {
        f_.truth.push_back({"", key, value, reason, guess, value == "\"?\""});
    }
    const Finding* of_code(Code code) const {
        for (const Finding& f : f_.stock.findings)
            if (f.code == code) return &f;
        return nullptr;
    }

    void prefix() {
        if (!f_.stock.common_prefix.empty())
            add("strip_prefix", toml_text(f_.stock.common_prefix), "all names begin so");
    }

    void unit() {
        const double said = f_.scene.convention.metres_per_unit, longest = f_.stock.longest_m;
        if (!f_.stock.bounds.any || !(longest > 0)) return;
        const double units = longest / said;
        const double least = f_.figure ? 1.0 : 0.1, most = f_.figure ? 2.6 : 20;
        std::string named;
        std::vector<std::pair<std::string, double>> made;
        for (const char* unit : {"metre", "centimetre", "inch", "foot", "millimetre"}) {
            const double metres_per = parse_unit(unit).value_or(1);
            if (std::abs(metres_per / said - 1) < 1e-9) named = unit;
            made.emplace_back(unit, units * metres_per);
        }
        const auto others = [&](const std::string& but) {
            std::string text;
            for (const auto& [unit, metres] : made)
                if (unit != but)
                    text += fmt::format("{}{} {:.3g} m", text.empty() ? "" : ", ", unit, metres);
            return "others would make: " + text;
        };
        const bool likely = longest >= least && longest <= most;
        const bool possible =
            longest >= (f_.figure ? 0.3 : 0.05) && longest <= (f_.figure ? 5 : 50);
        if (likely || possible) {
            if (!likely)
                add("unit", named.empty() ? fmt::format("{}", said) : toml_text(named),
                    fmt::format("as the file says; {:.4g} m long, small or large for {}. {}",
                                longest, f_.figure ? "a person" : "a thing", others(named)),
                    true);
            return;
        }
        std::vector<std::pair<std::string, double>> fit;
        for (const char* unit : {"centimetre", "millimetre", "inch", "metre", "foot"})
            if (const double metres = units * parse_unit(unit).value_or(1);
                metres >= least && metres <= most)
                fit.emplace_back(unit, metres);
        if (fit.empty())
            return add("unit", toml_text("?"),
                       fmt::format("{:.4g} long, which no usual unit makes {}; {:g} makes it "
                                   "{:.3g} m. {}",
                                   units, f_.figure ? "a person" : "a thing", person_unit(units),
                                   person_unit(units) * units, others("")));
        add("unit", toml_text(fit[0].first),
            fmt::format("{:.4g} long; {:.3g} m as {}s. {}", units, fit[0].second, fit[0].first,
                        others(fit[0].first)),
            fit.size() > 1);
    }

    void axes() {
        const Convention& said = f_.scene.convention;
        if (const Finding* mirrored = of_code(Code::kHandSuspect)) {
            for (const Edit& edit : mirrored->edits)
                add(edit.key.c_str(), edit.value,
                    edit.key == "hand"
                        ? mirrored->found + "; or the names of left and right are swapped"
                        : "likewise",
                    true);
            if (mirrored->edits.size() > 1) return;
        }
        const Finding* wrong = of_code(Code::kAxisSuspect);
        if (wrong == nullptr) {
            if (!f_.figure)
                add("up", toml_text(std::string(name(said.up))),
                    "as the file says; no legs to tell by", true);
            if (!f_.figure)
                add("front", toml_text(std::string(name(said.front))), "likewise", true);
            return;
        }
        for (const Edit& edit : wrong->edits) add(edit.key.c_str(), edit.value, wrong->found);
    }

    void rate() {
        if (f_.scene.timelines.empty()) return;
        FrameRate fits;
        const auto value = [](FrameRate r) {
            return r.den == 1 ? to_text(r) : toml_text(to_text(r));
        };
        const bool guessed = guess_rate(f_.scene, fits);
        if (f_.stock.rate_known && of_code(Code::kRateSuspect) == nullptr)
            return add("rate", value(f_.stock.rate), "as the file says");
        if (guessed)
            return add("rate", value(fits),
                       fmt::format("keys lie on frames of {}/s", to_text(fits)));
        add("rate", value(f_.stock.rate), "keys lie on the frames of no usual rate", true);
    }

    FileDraft& f_;
};

}  // namespace

namespace {}  // namespace

void tell_truth(FileDraft& file) { TruthReader(file).run(); }

}  // namespace mellow
