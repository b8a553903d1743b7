#include "mellow/play.h"

#include <fmt/format.h>

#include <array>
#include <cmath>
#include <numbers>

#include "commands.h"
#include "mellow/page.h"
#include "mellow/read.h"
#include "mellow/safe_write.h"

namespace mellow::cli {
namespace {

constexpr double kMostSteps = 2e6;

/// No sign on nothing, and no digits of rounding.
double tidy(double v, double parts = 1e6) { return std::round(v * parts) / parts + 0.0; }

struct Told {
    const StateSheet& sheet;
    const std::vector<PlayEvent>& events;
    const std::vector<PlayStep>& steps;
    const Conversion& out;

    double degrees(double rad) const { return out.angle(rad) * 180 / std::numbers::pi; }
};

std::string place(const Told& told, const PlayStep& step) {
    const Vec3 p = told.out.point(step.root);
    return fmt::format("{:9.3f} {:9.3f} {:9.3f} {:8.1f}", tidy(p.x, 1e3), tidy(p.y, 1e3),
                       tidy(p.z, 1e3), tidy(told.degrees(step.heading_rad), 10));
}

/// A line for everything that happens.
std::string text_of(const Told& told) {
    std::string text = fmt::format("{:>9}  {:12} {:>29} {:>8}  {}\n", "seconds", "state",
                                   "root x y z", "heading", "what happens");
    std::string state = told.sheet.start;
    std::size_t next = 0;
    const auto line = [&](const PlayStep& step, double at, const std::string& what) {
        text += fmt::format("{:9.3f}  {:12} {}  {}\n", at, step.state, place(told, step), what);
    };
    double before = 0;
    for (const PlayStep& step : told.steps) {
        for (; next < told.events.size() && told.events[next].seconds <= before + 1e-9; ++next) {
            const PlayEvent& event = told.events[next];
            text += fmt::format("{:9.3f}  {:12} {:39}  {}{}\n", event.seconds, "", "", event.name,
                                event.signal  ? " is sent"
                                : event.value ? " = yes"
                                              : " = no");
        }
        if (step.began) {
            const double w = step.mix.back().first == step.state ? step.mix.back().second : 0;
            line(step, step.seconds,
                 (step.state == state ? "again" : "from " + state) +
                     (w < 1 ? fmt::format(", {:.0f} % of it", 100 * w) : ""));
            state = step.state;
        }
        for (const FiredCue& cue : step.cues)
            line(step, step.seconds,
                 "cue " + cue.name + (cue.ends ? " ends" : "") +
                     (cue.joint.empty() ? "" : " at " + cue.joint));
        for (const std::string& signal : step.unheard)
            line(step, step.seconds, signal + " changes nothing");
        before = step.seconds;
    }
    if (!told.steps.empty()) line(told.steps.back(), told.steps.back().seconds, "end");
    return text;
}

void write(JsonWriter& json, const Told& told) {
    json.list("steps", told.steps, [&](const PlayStep& step) {
        const Vec3 p = told.out.point(step.root);
        json.begin_object().member("seconds", tidy(step.seconds)).member("state", step.state);
        json.member("state_seconds", tidy(step.state_seconds)).member("rounds", step.rounds);
        json.member("began", step.began);
        json.list("mix", step.mix, [&](const auto& part) {
            json.begin_object().member("state", part.first).member("weight", tidy(part.second));
            json.end_object();
        });
        json.list("root", std::array{tidy(p.x), tidy(p.y), tidy(p.z)});
        json.member("heading_degrees", tidy(told.degrees(step.heading_rad)));
        json.list("cues", step.cues, [&](const FiredCue& cue) {
            json.begin_object().member("name", cue.name).text_member("joint", cue.joint);
            json.member("ends", cue.ends).end_object();
        });
        json.list("unheard", step.unheard).end_object();
    });
}

/// The crate's clips that the states need, and the states, as a page.
Result<WrittenPage> page_of(const PlayRequest& request, const StateSheet& sheet,
                            const std::vector<PlayEvent>& events, double seconds) {
    Page page;
    MELLOW_CHECK(add_crate(page, request.crate));
    page.title = page.figures.front().name;
    page.what = fmt::format("{} states of {}", sheet.states.size(),
                            std::filesystem::path(request.states).filename().string());
    page.states = page_states(sheet, events, seconds, request.rate);
    return write_page(std::move(page), request.output, false, request.replace);
}

Result<std::string> text_file(const std::string& path) {
    MELLOW_TRY(const Bytes bytes, read_file(path));
    return std::string(bytes.begin(), bytes.end());
}

}  // namespace

int play(const PlayRequest& request) {
    if (!is_crate(request.crate))
        return fail(request, {Code::kFileMissing, Severity::kStop, Place::in(request.crate),
                              "no crate: there is no crate.json in it", "the folder of a crate",
                              "mellow pack makes one"});
    const auto sheet_text = text_file(request.states);
    if (!sheet_text) return fail(request, sheet_text.failures());
    const auto sheet = parse_states(sheet_text.value(), request.states);
    if (!sheet) return fail(request, sheet.failures());
    std::vector<PlayEvent> events;
    if (!request.script.empty()) {
        const auto text = text_file(request.script);
        if (!text) return fail(request, text.failures());
        auto read = parse_events(text.value(), request.script, sheet.value());
        if (!read) return fail(request, read.failures());
        events = std::move(read).value();
    }
    const double seconds =
        request.seconds > 0 ? request.seconds : (events.empty() ? 0 : events.back().seconds) + 2;
    if (!(request.rate >= 1 && request.rate <= 1000))
        return misused(request, "--rate", fmt::format("{}", request.rate), "1 to 1000");
    if (!(request.seconds >= 0) || seconds * request.rate > kMostSteps)
        return misused(request, "--seconds", fmt::format("{}", seconds),
                       fmt::format("up to {:.0f} at this rate", kMostSteps / request.rate));
    const auto crate = open_crate(request.crate);
    if (!crate) return fail(request, crate.failures());
    auto player = StandIn::make(crate.value(), sheet.value());
    if (!player) return fail(request, player.failures());
    const Findings findings = player.value().check();
    std::optional<WrittenPage> page;
    if (!request.output.empty()) {
        if (!request.output.ends_with(".html"))
            return misused(request, "--output", request.output, "a name that ends in .html");
        auto made = page_of(request, sheet.value(), events, seconds);
        if (!made) return fail(request, made.failures());
        page = std::move(made).value();
    }
    const auto steps = play_events(player.value(), events, seconds, request.rate);
    const Conversion out({}, crate.value().convention);
    const Told told{sheet.value(), events, steps, out};
    if (request.json)
        print_json([&](JsonWriter& json) {
            json.member("crate", crate.value().name).member("states", request.states);
            if (page) write_page_facts(json, request.output, *page);
            write(json, told);
            print_findings(json, findings);
        });
    else if (!request.quiet)
        print_out(page && request.script.empty() ? page_words(request.output, *page)
                                                 : text_of(told));
    if (!request.quiet) print_findings(findings);
    return kDone;
}

}  // namespace mellow::cli
