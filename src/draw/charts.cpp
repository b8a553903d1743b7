// Pictures without figures: strips, trees, states, sizes; declared in pictures.h.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/at.h"
#include "draw/paper.h"
#include "mellow/pictures.h"

namespace mellow {
namespace {

/// Lines of a row so that spans of one line share no frame but their ends.
std::vector<std::vector<const StripSpan*>> lines_of(const StripRow& row) {
    std::vector<const StripSpan*> spans;
    for (const StripSpan& span : row.spans) spans.push_back(&span);
    std::stable_sort(spans.begin(), spans.end(),
                     [](const StripSpan* a, const StripSpan* b) { return a->first < b->first; });
    std::vector<std::vector<const StripSpan*>> lines;
    for (const StripSpan* span : spans) {
        auto line = std::find_if(lines.begin(), lines.end(), [&](const auto& have) {
            return have.back()->last <= span->first;
        });
        if (line == lines.end()) line = lines.emplace(lines.end());
        line->push_back(span);
    }
    if (lines.empty()) lines.emplace_back();
    return lines;
}

/// A head at the end of a line that comes from `a`.
void arrow_head(Canvas& c, Vec3 a, Vec3 b, Color ink) {
    const Vec3 direction = normalized(b - a, {1, 0, 0}), side{-direction.y, direction.x, 0};
    for (const double s : {-1.0, 1.0}) {
        const Vec3 tail = b - direction * 10.0 + side * (4.0 * s);
        c.line(b.x, b.y, tail.x, tail.y, ink, 2);
    }
}

}  // namespace

Png draw_strip(const std::string& title, const std::vector<StripRow>& rows,
               const SheetOptions& options) {
    constexpr double kLine = 26, kAxis = 40;
    double high = 70;
    for (const StripRow& row : rows)
        high += kAxis + kLine * static_cast<double>(lines_of(row).size() + 1);
    Canvas c(options.width, static_cast<int>(high) + 20, kPaper);
    head(c, title,
         "frames of each timeline, and the clips that are taken from it; the notch at an end "
         "marks a loop");
    double top = 74;
    const double left = 40, wide = options.width - 80.0;
    for (const StripRow& row : rows) {
        const auto lines = lines_of(row);
        const double span = std::max(row.last - row.first, 1.0);
        const auto x = [&](double frame) { return left + (frame - row.first) / span * wide; };
        c.text(left, top + 4, fitting(row.name, 90), kInk, 13, Align::kLeft, true);
        const double bar = top + 14, bottom = bar + kLine * static_cast<double>(lines.size());
        c.rectangle(left, bar, wide, bottom - bar, kPale);
        const double every = std::max(1.0, nice_step(wide / span, 60));
        for (double f = std::ceil(row.first / every) * every; f <= row.last + 1e-9; f += every) {
            c.line(x(f), bar, x(f), bottom + 4, kFaint, 0.7);
            c.text(x(f), bottom + 15, fmt::format("{:g}", f), kMid, 10, Align::kCenter);
        }
        std::size_t color = 0;
        for (std::size_t l = 0; l < lines.size(); ++l)
            for (const StripSpan* clip : lines[l]) {
                const double a = x(clip->first), b = std::max(x(clip->last), a + 2),
                             y = bar + kLine * static_cast<double>(l) + 3;
                const Color ink = kLines[color++ % std::size(kLines)];
                c.rectangle(a, y, b - a, kLine - 6, ink);
                if (clip->loop) c.rectangle(b - 5, y + kLine / 2 - 6, 5, 6, kPaper);
                const auto letters = static_cast<std::size_t>(std::max(0.0, (b - a - 8) / 7));
                if (letters >= 4) c.text(a + 4, y + 14, fitting(clip->name, letters), kPaper, 11);
            }
        for (const auto& [name, frame] : row.marks) {
            c.line(x(frame), bar - 4, x(frame), bottom, kInk, 1);
            c.text(x(frame) + 3, bar - 3, name, kInk, 9);
        }
        top = bottom + kAxis;
    }
    return c.png();
}

Png draw_tree(const std::string& title, const std::vector<TreeLine>& lines,
              const SheetOptions& options) {
    constexpr double kLine = 16;
    int deepest = 0;
    for (const TreeLine& line : lines) deepest = std::max(deepest, line.depth);
    const auto fit = static_cast<std::size_t>(std::max(1.0, (options.height - 90) / kLine));
    const std::size_t columns = std::clamp<std::size_t>((lines.size() + fit - 1) / fit, 1, 4);
    const std::size_t each = (lines.size() + columns - 1) / columns;
    Canvas c(options.width, static_cast<int>(90 + kLine * static_cast<double>(each)), kPaper);
    head(c, title, fmt::format("{} nodes, what each is behind its name", lines.size()));
    const double wide = (options.width - 40.0) / static_cast<double>(columns);
    const double indent = std::min(14.0, wide / 3 / std::max(1, deepest));
    for (std::size_t i = 0; i < lines.size(); ++i) {
        const TreeLine& line = lines[i];
        const double left = 20 + wide * static_cast<double>(i / each),
                     x = left + indent * line.depth, y = 74 + kLine * static_cast<double>(i % each);
        const bool deform = line.kind == "deform";
        const Color ink = deform ? kLines[0] : line.kind == "control" ? kPath : kMid;
        if (line.depth > 0) c.line(x - indent + 4, y, x, y, kFaint, 1);
        if (deform)
            c.dot(x + 4, y, 4, ink);
        else if (line.kind == "control")
            c.rectangle(x, y - 4, 8, 8, ink);
        else
            c.line(x, y, x + 8, y, ink, 2);
        c.text(x + 13, y + 4, fitting(line.name, 30), kInk, 11);
        c.text(left + wide - 12, y + 4, line.kind, kMid, 10, Align::kRight);
    }
    return c.png();
}

Png draw_states(const std::string& title, const std::vector<std::string>& states, int start,
                const std::vector<StateArrow>& arrows, const SheetOptions& options) {
    Canvas c(options.width, options.height, kPaper);
    head(c, title,
         "states, and what leads from one to the next; the double frame is where it starts");
    const double listing = 420;
    const Vec3 middle{(options.width - listing) / 2.0, options.height / 2.0 + 24, 0};
    const double round = std::min((options.width - listing) / 2.0, options.height / 2.0 - 24) - 80;
    std::vector<Vec3> places;
    for (std::size_t i = 0; i < states.size(); ++i) {
        const double a =
            2 * std::numbers::pi * static_cast<double>(i) / static_cast<double>(states.size()) -
            std::numbers::pi / 2;
        places.push_back(middle +
                         Vec3{std::cos(a), std::sin(a), 0} * (states.size() > 1 ? round : 0));
    }
    constexpr double kWide = 112, kHigh = 34;
    // Where a line from a point in a box leaves it.
    const auto edge = [&](Vec3 box, Vec3 from, Vec3 direction) {
        const bool first = start >= 0 && length(box - places[at(start)]) < 1e-9;
        const double frame = first ? 6 : 0, w = kWide / 2 + frame, h = kHigh / 2 + frame;
        const double x = (direction.x > 0 ? w : -w) + box.x - from.x,
                     y = (direction.y > 0 ? h : -h) + box.y - from.y;
        return from + direction * std::min(std::abs(direction.x) > 1e-9 ? x / direction.x : 1e9,
                                           std::abs(direction.y) > 1e-9 ? y / direction.y : 1e9);
    };
    double y = 84;
    c.text(options.width - listing, y, "ways, in the order of the sheet", kInk, 13, Align::kLeft,
           true);
    for (std::size_t i = 0; i < arrows.size(); ++i) {
        const StateArrow& arrow = arrows[i];
        const std::string number = std::to_string(i + 1);
        const Color ink = kLines[i % std::size(kLines)];
        y += 19;
        if (y < options.height - 20) {
            c.text(options.width - listing + 18, y, number, ink, 11, Align::kRight, true);
            c.text(options.width - listing + 26, y,
                   fitting(fmt::format(
                               "{} to {}: {}", arrow.from < 0 ? "any" : states[at(arrow.from)],
                               states[at(arrow.to)], (arrow.dead ? "never; " : "") + arrow.words),
                           62),
                   kInk, 11);
        }
        const Vec3 to = places[at(arrow.to)];
        if (arrow.from < 0) {  // from outside the circle
            const Vec3 out = normalized(to - middle, {0, -1, 0});
            const Vec3 a = to + out * 90.0, b = edge(to, to, out);
            c.line(a.x, a.y, b.x, b.y, ink, 2);
            arrow_head(c, a, b, ink);
            c.text(a.x + out.x * 12, a.y + out.y * 12 + 4, number, ink, 12, Align::kCenter, true);
            continue;
        }
        if (arrow.from == arrow.to) continue;
        // Ways there and back lie beside each other.
        const Vec3 from = places[at(arrow.from)], d = normalized(to - from, {1, 0, 0});
        std::size_t before = 0;
        for (std::size_t j = 0; j < i; ++j)
            if (arrows[j].from == arrow.from && arrows[j].to == arrow.to) ++before;
        const Vec3 side = Vec3{-d.y, d.x, 0} * (8.0 + 12.0 * static_cast<double>(before));
        const Vec3 a = edge(from, from + side, d), b = edge(to, to + side, d * -1.0);
        // One that is never taken is thin, and has no head.
        c.line(a.x, a.y, b.x, b.y, ink, arrow.dead ? 0.7 : 2);
        if (!arrow.dead) arrow_head(c, a, b, ink);
        const Vec3 label = a + (b - a) * 0.5 + normalized(side, {}) * 9.0;
        c.text(label.x, label.y + 4, number, ink, 12, Align::kCenter, true);
    }
    for (std::size_t i = 0; i < states.size(); ++i) {
        const double x = places[i].x - kWide / 2, top = places[i].y - kHigh / 2;
        if (static_cast<int>(i) == start) {
            c.rectangle(x - 5, top - 5, kWide + 10, kHigh + 10, kInk);
            c.rectangle(x - 3, top - 3, kWide + 6, kHigh + 6, kPaper);
        }
        c.rectangle(x, top, kWide, kHigh, kInk);
        c.rectangle(x + 1.5, top + 1.5, kWide - 3, kHigh - 3, kPale);
        c.text(places[i].x, places[i].y + 5, fitting(states[i], 14), kInk, 13, Align::kCenter,
               true);
    }
    return c.png();
}

Png draw_sizes(const std::string& title, std::vector<std::pair<std::string, std::uint64_t>> files,
               const SheetOptions& options) {
    std::stable_sort(files.begin(), files.end(),
                     [](const auto& a, const auto& b) { return a.second > b.second; });
    std::uint64_t all = 0;
    for (const auto& [name, bytes] : files) all += bytes;
    constexpr double kLine = 22;
    const auto fit = static_cast<std::size_t>((options.height - 110) / kLine);
    const double lines = static_cast<double>(std::min(files.size(), fit) + (files.size() > fit));
    Canvas c(options.width, static_cast<int>(90 + kLine * lines), kPaper);
    head(c, title, fmt::format("{} files, {} bytes", files.size(), all));
    const double left = 330, wide = options.width - left - 150;
    double y = 84;
    std::uint64_t shown = 0;
    for (std::size_t i = 0; i < std::min(files.size(), fit); ++i, y += kLine) {
        const auto& [name, bytes] = files[i];
        shown += bytes;
        const double share = files[0].second == 0 ? 0
                                                  : static_cast<double>(bytes) /
                                                        static_cast<double>(files[0].second);
        c.text(left - 10, y + 4, fitting(name, 42), kInk, 11, Align::kRight);
        c.rectangle(left, y - 7, wide, 14, kPale);
        c.rectangle(left, y - 7, std::max(1.0, wide * share), 14, kLines[0]);
        c.text(options.width - 20, y + 4,
               fmt::format(
                   "{} ({:.1f} %)", bytes,
                   all == 0 ? 0.0 : 100 * static_cast<double>(bytes) / static_cast<double>(all)),
               kInk, 11, Align::kRight);
    }
    if (files.size() > fit)
        c.text(left, y + 4, fmt::format("and {} more, {} bytes", files.size() - fit, all - shown),
               kMid, 11);
    return c.png();
}

}  // namespace mellow
