// Options that several commands have.
#include "define.h"
#include "mellow/convention.h"

namespace mellow::cli {
void add_common(Command& c, Common& common) {
    c.options.push_back({"--json", &common.json, "", "Print the result as JSON, also on failure"});
    c.options.push_back({"--quiet", &common.quiet, "", "Print nothing but what went wrong"});
}

void add_verbose(Command& c, Common& common, const char* help) {
    c.options.push_back({"--verbose", &common.verbose, "", help});
}

void add_truth(Command& c, TypedConvention& truth, const std::string& of) {
    const std::string file = of.empty()   ? ""
                             : of == "-b" ? " of the second file"
                                          : " of the motion file";
    truth.of = of;
    c.options.push_back({"--unit" + of, &truth.unit, "UNIT",
                         "True unit" + file + ": metre, cm, inch ..., or metres per unit",
                         unit_names()});
    c.options.push_back({"--height" + of, &truth.height, "METRES",
                         "In place of a unit: how tall the figure" + file + " is at rest"});
    c.options.push_back({"--up" + of, &truth.up, "AXIS", "True up axis" + file, kAxes});
    c.options.push_back(
        {"--front" + of, &truth.front, "AXIS", "Axis the figure" + file + " faces", kAxes});
    c.options.push_back(
        {"--hand" + of, &truth.hand, "HAND", "True hand of the axes" + file, {"right", "left"}});
    c.options.push_back(
        {"--rate" + of, &truth.rate, "RATE", "True frames per second" + file, kRates});
    c.options.push_back({"--places" + of,
                         &truth.places,
                         "HOW",
                         "BVH" + file + ": positions are added to OFFSET, or instead of it",
                         {"added", "instead"}});
    c.options.push_back({"--frames" + of,
                         &truth.frames,
                         "WHICH",
                         "BVH" + file + ": frames that count, where lines differ from the count",
                         {"declared", "all"}});
}

}  // namespace mellow::cli
