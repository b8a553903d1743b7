#include "pack/clip_json.h"

#include <fmt/format.h>

#include "math/degrees.h"

namespace mellow {

using Json = nlohmann::ordered_json;

double tidy(double v) { return std::stod(fmt::format("{:.9g}", v)); }

Json clip_facts(const Clip& clip, const Conversion& out) {
    const Travel& t = clip.travel;
    const Vec3 step = out.point(t.step);
    return {{"samples", clip.samples},
            {"intervals", clip.samples - 1},
            {"seconds", tidy(clip.seconds())},
            {"rate", to_text(clip.rate)},
            {"loop", name(clip.loop)},
            {"period_intervals", clip.period},
            {"travel",
             {{"ground", t.ground},
              {"height", t.height},
              {"heading", t.heading},
              {"distance_m", tidy(t.distance_m)},
              {"path_m", tidy(t.path_m)},
              {"height_change_m", tidy(t.height_change_m)},
              {"heading_change_degrees", tidy(t.heading_change_rad * kDegrees)},
              {"speed_m_s", tidy(t.speed_m_s)},
              {"step", {tidy(step.x), tidy(step.y), tidy(step.z)}},
              {"step_heading_degrees", tidy(t.step_heading_rad * kDegrees)}}}};
}

std::string clip_extras(const Clip& clip, const Conversion& out) {
    return clip_facts(clip, out).dump();
}

Clip clip_from_facts(const Json& facts, const Conversion& in) {
    Clip clip;
    clip.samples = facts.at("samples").get<int>();
    clip.period = facts.at("period_intervals").get<int>();
    clip.rate = parse_rate(facts.at("rate").get<std::string>()).value_or(FrameRate{});
    for (const LoopForm form : {LoopForm::kOnce, LoopForm::kClosed, LoopForm::kOpen})
        if (facts.at("loop").get<std::string>() == name(form)) clip.loop = form;
    const Json& travel = facts.at("travel");
    const auto number = [&](const char* key) { return travel.at(key).get<double>(); };
    Travel& t = clip.travel;
    t.ground = travel.at("ground").get<bool>();
    t.height = travel.at("height").get<bool>();
    t.heading = travel.at("heading").get<bool>();
    t.distance_m = number("distance_m");
    t.path_m = number("path_m");
    t.height_change_m = number("height_change_m");
    t.heading_change_rad = number("heading_change_degrees") / kDegrees;
    t.speed_m_s = number("speed_m_s");
    const auto step = travel.at("step").get<std::array<double, 3>>();
    t.step = in.point({step[0], step[1], step[2]});
    t.step_heading_rad = number("step_heading_degrees") / kDegrees;
    return clip;
}

}  // namespace mellow
