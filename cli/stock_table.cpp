#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "stock_print.h"

namespace mellow::cli {
namespace {

std::string codes(const Findings& a, const Findings& b) {
    std::set<std::string_view> found;
    for (const Findings* list : {&a, &b})
        for (const Finding& f : *list)
            if (f.severity != Severity::kNote) found.insert(name(f.code));
    return fmt::format("{}", fmt::join(found, ", "));
}

std::string travel_words(const Travel& t) {
    if (!t.ground && !t.height) return t.heading ? "heading" : "-";
    return fmt::format("{:.2f} m at {:.2f} m/s", t.distance_m, t.speed_m_s);
}

}  // namespace

void StockTable::add(const FileStock& of) {
    std::int64_t samples = 0;
    double seconds = 0;
    for (const TimelineStock& t : of.stock.timelines) {
        samples += t.last_frame - t.first_frame + 1;
        seconds += t.last_second - t.first_second;
    }
    rows_.push_back({of.file, of.read.format, std::to_string(count(of.stock, NodeClass::kDeform)),
                     std::to_string(of.stock.timelines.size()), std::to_string(samples),
                     fmt::format("{:.3f}", seconds),
                     of.stock.bounds.any ? fmt::format("{:.2f} m", of.stock.height_m) : "-",
                     codes(of.read.findings, of.stock.findings)});
    timelines_ += static_cast<int>(of.stock.timelines.size());
    samples_ += samples;
    seconds_ += seconds;
}

void StockTable::add(const std::string& folder, const Crate& crate) {
    std::int64_t samples = 0;
    double seconds = 0;
    for (const ClipInfo& clip : crate.clips) samples += clip.samples, seconds += clip.seconds();
    const Stock stock = take_stock(crate.skin);
    rows_.push_back({folder, "crate", std::to_string(count(stock, NodeClass::kDeform)),
                     std::to_string(crate.clips.size()), std::to_string(samples),
                     fmt::format("{:.3f}", seconds),
                     stock.bounds.any ? fmt::format("{:.2f} m", stock.height_m) : "-", ""});
    timelines_ += static_cast<int>(crate.clips.size());
    samples_ += samples;
    seconds_ += seconds;
}

void StockTable::add_failure(const std::string& file, Code code) {
    rows_.push_back({file, "-", "-", "-", "-", "-", "-", fmt::format("stop: {}", name(code))});
    ++bad_;
}

std::string StockTable::text() const {
    std::size_t width = 4, format = 6;
    for (const Row& row : rows_) {
        width = std::max(width, row.file.size());
        format = std::max(format, row.format.size());
    }
    std::string text;
    const auto line = [&](const Row& r) {
        std::string one = fmt::format("{:{}}  {:{}}  {:>6}  {:>9}  {:>7}  {:>9}  {:>9}  {}", r.file,
                                      width, r.format, format, r.joints, r.timelines, r.samples,
                                      r.seconds, r.height, r.look_at);
        text += one.substr(0, one.find_last_not_of(' ') + 1) + "\n";
    };
    line({"file", "format", "deform", "timelines", "samples", "seconds", "tall", "look at"});
    for (const Row& row : rows_) line(row);
    text += fmt::format("\n{} files, {} timelines, {} samples, {:.3f} s", rows_.size(), timelines_,
                        samples_, seconds_);
    return text + (bad_ > 0 ? fmt::format("; {} could not be read\n", bad_) : "\n");
}

void StockTable::write_totals(JsonWriter& json) const {
    json.object("totals", [&] {
        json.member("files", rows_.size()).member("unreadable", bad_);
        json.member("timelines", timelines_).member("samples", samples_);
        json.member("seconds", seconds_);
    });
}

std::string crate_text(const std::string& folder, const Crate& crate) {
    const Stock stock = take_stock(crate.skin);
    const std::string what = crate.part ? fmt::format("part of \"{}\", share {} of {}", crate.name,
                                                      crate.part->number, crate.part->of)
                                        : fmt::format("crate \"{}\"", crate.name);
    std::string text =
        fmt::format("{}: {}; all its files are there, with the hashes it names\n", folder, what);
    text += fmt::format("convention  {}\n", to_text(crate.convention));
    if (stock.bounds.any) text += fmt::format("size        {:.3f} m tall\n", stock.height_m);
    text += fmt::format("skin        nodes {}, deform joints {}, vertices {}, morph targets {}\n\n",
                        stock.classes.size(), count(stock, NodeClass::kDeform), stock.vertices,
                        stock.morph_targets);
    std::size_t width = 4;
    double seconds = 0;
    for (const ClipInfo& c : crate.clips)
        width = std::max(width, c.name.size()), seconds += c.seconds();
    text += fmt::format("{:{}}  {:>7}  {:>9}  {:>8}  {:>6}  {}\n", "clip", width, "samples",
                        "seconds", "rate", "loop", "travel");
    for (const ClipInfo& c : crate.clips)
        text += fmt::format("{:{}}  {:>7}  {:>9.3f}  {:>8}  {:>6}  {}\n", c.name, width, c.samples,
                            c.seconds(), to_text(c.rate), name(c.loop), travel_words(c.travel));
    text += fmt::format("\n{} {}, {:.3f} s", crate.clips.size(),
                        crate.clips.size() == 1 ? "clip" : "clips", seconds);
    if (crate.part) text += fmt::format("; {} in all shares", crate.part->clips);
    return text + "\n";
}

void write_crate_stock(JsonWriter& json, const std::string& folder, const Crate& crate) {
    const Stock stock = take_stock(crate.skin);
    json.begin_object().member("crate", folder).member("name", crate.name);
    if (crate.part)
        json.object("share", [&] {
            json.member("number", crate.part->number).member("of", crate.part->of);
            json.member("clips", crate.part->clips);
        });
    json.object("convention", [&] {
        json.member("metres_per_unit", crate.convention.metres_per_unit);
        json.member("up", name(crate.convention.up)).member("front", name(crate.convention.front));
        json.member("hand", name(crate.convention.hand));
    });
    json.member("height_m", stock.height_m);
    json.member("deform_joints", count(stock, NodeClass::kDeform));
    json.member("morph_targets", stock.morph_targets);
    json.list("clips", crate.clips, [&](const ClipInfo& c) {
        json.begin_object().member("name", c.name).member("samples", c.samples);
        json.member("seconds", c.seconds()).member("rate", to_text(c.rate));
        json.member("loop", name(c.loop)).member("distance_m", c.travel.distance_m).end_object();
    });
    json.end_object();
}

}  // namespace mellow::cli
