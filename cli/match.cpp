#include <fmt/format.h>

#include "base/text.h"
#include "commands.h"
#include "mellow/bake.h"
#include "mellow/figure_map.h"
#include "mellow/safe_write.h"

namespace mellow::cli {
namespace {

std::string told_of(const MapPair& pair) {
    const std::string its = to_text(pair.motion_told), own = to_text(pair.figure_told);
    const bool guess = pair.motion_told.guess || pair.figure_told.guess;
    return (guess ? "? " : "") + (its == own ? its : its + "; figure: " + own);
}

std::string text_of(const MatchRequest& request, const JointMatch& match) {
    std::string text;
    text +=
        fmt::format("{:<20} {:<28} {:<28} {}\n", "role", request.motion, request.figure, "told by");
    for (const MapPair& pair : match.map.pairs)
        text += fmt::format("{:<20} {:<28} {:<28} {}\n", pair.key(),
                            fmt::format("{}", fmt::join(pair.motion, " ")),
                            fmt::format("{}", fmt::join(pair.figure, " ")), told_of(pair));
    if (!match.motion_left.empty())
        text += "\nof the motion, without a pair: " + name_list(match.motion_left) + "\n";
    if (!match.figure_left.empty())
        text += "\nof the figure, without a pair: " + name_list(match.figure_left) + "\n";
    if (!request.output.empty()) text += "\n" + request.output + " written\n";
    return text;
}

void write(JsonWriter& json, const MatchRequest& request, const JointMatch& match) {
    json.member("file", request.output).member("written", !request.output.empty());
    json.list("pairs", match.map.pairs, [&](const MapPair& pair) {
        json.begin_object().member("role", pair.key());
        json.list("motion", pair.motion).list("figure", pair.figure);
        json.member("told_motion", to_text(pair.motion_told));
        json.member("told_figure", to_text(pair.figure_told)).end_object();
    });
    json.list("motion_left", match.motion_left).list("figure_left", match.figure_left);
}

}  // namespace

int match(const MatchRequest& request) {
    int exit = kDone;
    if (is_input(request, request.output, {request.motion, request.figure}, exit)) return exit;
    const auto bones_of = [&](const std::string& file,
                              const TypedConvention& truth) -> std::optional<Skeleton> {
        auto read = read_as(request, file, truth, exit);
        if (!read) return {};
        mellow::to_inside(read->scene);
        auto chosen = choose_joints(read->scene, {});
        if (chosen) return chosen.value().skeleton;
        exit = fail(request, seen_from_here(chosen.failures(), file));
        return {};
    };
    const auto motion = bones_of(request.motion, request.motion_truth);
    if (!motion) return exit;
    const auto figure = bones_of(request.figure, request.truth);
    if (!figure) return exit;
    auto matched =
        match_figures(*motion, Place::in(request.motion), *figure, Place::in(request.figure));
    if (!matched) return fail(request, matched.failures());
    const JointMatch& match = matched.value();
    if (!request.output.empty()) {
        const std::string text = figure_map_text(match, request.motion, request.figure);
        if (const Status s =
                write_file(request.output, Bytes(text.begin(), text.end()), request.replace);
            !s)
            return fail(request, s.failures());
    }
    if (request.json)
        print_json([&](JsonWriter& json) {
            write(json, request, match);
            print_findings(json, match.findings);
        });
    else if (!request.quiet)
        print_out(text_of(request, match));
    if (!request.quiet) print_findings(match.findings);
    return kDone;
}

}  // namespace mellow::cli
