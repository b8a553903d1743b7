#include "mellow/sheet.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "draw/figure.h"
#include "draw/paper.h"
#include "mellow/parallel.h"

namespace mellow {
namespace {

constexpr int kRow = 240, kHeader = 56, kFooter = 24, kPoses = 8, kMostLines = 4;
constexpr double kCellsLeft = 216, kBeside = 248, kPathWidth = 204;
/// Everything of one row, posed and seen: the picture needs common bounds before it can choose a
/// scale.
struct Row {
    const SheetClip* clip = nullptr;
    std::vector<int> sample;
    std::vector<std::vector<Face>> poses;  // corners as the eye has them
    std::vector<Vec3> anchor;              // root on the ground at each pose, seen
    std::vector<Vec3> root;                // root at each pose, seen
    std::vector<Vec3> path;                // root at every sample
};

struct Extent {
    double low = 0, high = 0.1, back = -0.1, front = 0.1;
};

Result<Row> pose_row(const SheetClip& clip, const Figure& figure, const Scene& skin, const Eye& eye,
                     int poses) {
    Row row;
    row.clip = &clip;
    MELLOW_TRY(const Playback playback, Playback::make(skin, *clip.scene));
    const auto root = static_cast<std::size_t>(skin.roots.empty() ? 0 : skin.roots[0]);
    const int first = std::clamp(clip.first, 0, clip.samples - 1),
              last =
                  clip.last < 0 ? clip.samples - 1 : std::clamp(clip.last, first, clip.samples - 1);
    for (int k = first; k <= last; ++k)
        row.path.push_back(playback.pose(clip.begin + clip.rate.seconds(k)).worlds[root].o);
    for (int i = 0; i < poses; ++i) {
        const int k = first + (poses < 2 ? 0 : (last - first) * i / (poses - 1));
        if (i > 0 && k == row.sample.back()) continue;
        row.sample.push_back(k);
        row.poses.push_back(figure.faces(playback.pose(clip.begin + clip.rate.seconds(k))));
        for (Face& face : row.poses.back())
            for (Vec3& corner : face.corner) corner = eye.seen(corner);
        const Vec3& at = row.path[static_cast<std::size_t>(k - first)];
        row.anchor.push_back(eye.seen({at.x, 0, at.z}));
        row.root.push_back(eye.seen(at));
    }
    return row;
}

/// Bounds of all poses as they are seen, each about its own anchor.
Extent extent_of(const std::vector<Row>& rows) {
    Extent e;
    for (const Row& row : rows)
        for (std::size_t i = 0; i < row.poses.size(); ++i)
            for (const Face& face : row.poses[i])
                for (const Vec3& c : face.corner) {
                    const double x = c.x - row.anchor[i].x, y = c.y - row.anchor[i].y;
                    e.low = std::min(e.low, y), e.high = std::max(e.high, y);
                    e.back = std::min(e.back, x), e.front = std::max(e.front, x);
                }
    return e;
}

/// How the poses of a clip are spread over its part of the page.
struct Spread {
    int poses = kPoses, lines = 1;
    double scale = 0, tall = 0;  ///< pixels a metre; and what the height alone would allow
};

/// The number of lines at which `poses` are largest.
Spread spread_of(const Extent& e, int poses, double width, double height) {
    Spread best;
    best.poses = poses;
    for (int lines = 1; lines <= std::min(poses, kMostLines); ++lines) {
        const double tall = (height / lines - 58) / (e.high - std::min(0.0, e.low));
        const int across = (poses + lines - 1) / lines;
        const double wide = (width / across - 4) / (e.front - e.back);
        if (lines == 1) best.tall = tall;
        if (std::min(tall, wide) > best.scale)
            best.scale = std::min(tall, wide), best.lines = lines;
    }
    return best;
}

/// As many poses as do not make the figure much smaller than the height would; two at least.
Spread spread_of(const Extent& e, int asked, int most, double width, double height) {
    if (asked > 0) return spread_of(e, std::min(asked, most), width, height);
    int poses = std::min(kPoses, most);
    Spread spread = spread_of(e, poses, width, height);
    while (poses > 2 && spread.lines == 1 && spread.scale < 0.4 * spread.tall) {
        poses /= 2;
        spread = spread_of(e, poses, width, height);
    }
    return spread;
}

/// Leaves `poses` of a row, evenly spread, the first and the last among them.
void thin(Row& row, int poses) {
    const std::size_t have = row.poses.size(), want = static_cast<std::size_t>(poses);
    if (have <= want) return;
    Row kept = row;
    kept.sample.clear(), kept.poses.clear(), kept.anchor.clear(), kept.root.clear();
    for (std::size_t i = 0; i < want; ++i) {
        const std::size_t from = want < 2 ? 0 : i * (have - 1) / (want - 1);
        kept.sample.push_back(row.sample[from]);
        kept.poses.push_back(std::move(row.poses[from]));
        kept.anchor.push_back(row.anchor[from]);
        kept.root.push_back(row.root[from]);
    }
    row = std::move(kept);
}

class SheetPainter {
  public:
    SheetPainter(Canvas& canvas, const Extent& extent, const SheetOptions& options,
                 const Spread& spread, double height)
        : c_(canvas),
          e_(extent),
          options_(options),
          axes_(options.axes),
          lines_(spread.lines),
          across_((spread.poses + spread.lines - 1) / spread.lines),
          right_(options.width - kBeside),
          cell_((right_ - kCellsLeft) / across_),
          height_(height),
          line_(height / spread.lines),
          scale_(spread.scale) {}

    void header(const std::string& title, bool frames) {
        constexpr const char* kFrom[] = {"from the figure's right side", "from the front",
                                         "from above", "from the front and its right"};
        c_.text(20, 32, title, kInk, 20, Align::kLeft, true);
        const auto letters = static_cast<std::size_t>((right_ - 10) / 6.4);
        c_.text(20, 49,
                fitting(fmt::format("seen {}; {} beneath; heights and places in metres; axes: {}",
                                    kFrom[static_cast<std::size_t>(options_.from)],
                                    frames ? "frames of the source" : "samples", to_text(axes_)),
                        letters),
                kMid, 11);
        c_.text(right_ + 20, 49, "root path from above", kMid, 11);
    }

    /// The figure of one pose, as large as its cell.
    Raster figure(const Row& row, std::size_t i) const {
        const int width = static_cast<int>(cell_), height = static_cast<int>(line_ - 14);
        const double origin = cell_ / 2 - (e_.front + e_.back) / 2 * scale_,
                     ground = line_ - 50 + std::min(0.0, e_.low) * scale_;
        const Vec3& anchor = row.anchor[i];
        const auto flat = shaded(row.poses[i], [&](const Vec3& p) {
            return std::pair(origin + (p.x - anchor.x) * scale_,
                             ground - (p.y - anchor.y) * scale_);
        });
        return rasterised(width, height, flat);
    }

    void row(const Row& row, double top, const std::vector<Raster>& figures) {
        c_.rectangle(kCellsLeft, top + 6, right_ - kCellsLeft, height_ - 14, kPale);
        words(row, top);
        for (int line = 0; line < lines_; ++line) {
            const double high = top + line * line_;
            const double ground = high + line_ - 44 + std::min(0.0, e_.low) * scale_;
            if (static_cast<std::size_t>(line * across_) < row.poses.size()) ruler(ground, high);
            for (int i = 0; i < across_; ++i)
                if (const auto pose = static_cast<std::size_t>(line * across_ + i);
                    pose < row.poses.size())
                    cell(row, pose, i, high, ground, figures[pose]);
        }
        path(row, top);
    }

  private:
    bool upright() const {
        return options_.from == ViewFrom::kSide || options_.from == ViewFrom::kFront;
    }

    void words(const Row& row, double top) {
        double y = top + 26;
        for (const std::string& line : row.clip->lines) {
            const bool first = &line == &row.clip->lines.front();
            c_.text(20, y, fitting(line, first ? 18 : 26), first ? kInk : kMid, first ? 16 : 11,
                    Align::kLeft, first);
            y += first ? 20 : 15;
        }
        const double x = 26, base = top + kRow - 30;
        if (options_.from == ViewFrom::kQuarter) return;
        const bool front = options_.from == ViewFrom::kFront,
                   above = options_.from == ViewFrom::kTop;
        c_.line(x, base, x + 26, base, kPath, 2);
        c_.line(x, base, x, base - 26, kGround, 2);
        c_.text(x + 30, base + 4, front || above ? side_axis(front) : axis(axes_.front, "front"),
                kPath, 10);
        c_.text(x - 4, base - 30, above ? axis(axes_.front, "front") : axis(axes_.up, "up"),
                kGround, 10);
    }

    static std::string axis(Axis axis, const char* what) {
        return fmt::format("{} {}", name(axis), what);
    }

    void ruler(double ground, double top) {
        if (!upright()) return;
        const double x = kCellsLeft - 6, step = nice_step(scale_, 26);
        const double highest = std::floor((ground - top - 10) / scale_ / step) * step;
        c_.line(x, ground, x, ground - highest * scale_, kInk, 1);
        for (int i = 0; i * step <= highest + 1e-9; ++i) {
            const double y = ground - i * step * scale_;
            c_.line(x - 5, y, x, y, kInk, 1);
            c_.line(kCellsLeft, y, right_, y, kFaint, i == 0 ? 0 : 0.6);
            c_.text(x - 8, y + 4, metres(i * step), kMid, 10, Align::kRight);
        }
        c_.text(x - 8, ground - highest * scale_ - 8, "m", kMid, 10, Align::kRight);
    }

    void cell(const Row& row, std::size_t i, int column, double top, double ground,
              const Raster& figure) {
        const double left = kCellsLeft + cell_ * column;
        const double origin = left + cell_ / 2 - (e_.front + e_.back) / 2 * scale_;
        const Vec3& anchor = row.anchor[i];
        c_.clip(left, top + 6, cell_, line_ - 14);
        if (options_.from != ViewFrom::kTop)
            c_.line(left, ground, left + cell_, ground, kGround, 2);
        if (upright()) {
            // Places along the ground count to where the axis of the page points.
            const double step = nice_step(scale_, 40);
            const double first = std::ceil((anchor.x + (left - origin) / scale_) / step) * step;
            for (double z = first; origin + (z - anchor.x) * scale_ < left + cell_; z += step) {
                const double x = origin + (z - anchor.x) * scale_;
                c_.line(x, ground, x, ground + 5, kGround, 1);
                if (x > left + 8 && x < left + cell_ - 8)
                    c_.text(x, ground + 15, metres(z), kMid, 9, Align::kCenter);
            }
        }
        c_.picture(left, top + 6, figure);
        c_.dot(origin + (row.root[i].x - anchor.x) * scale_,
               ground - (row.root[i].y - anchor.y) * scale_, 3, kPath);
        c_.unclip();
        const SheetClip& clip = *row.clip;
        c_.text(
            left + cell_ / 2, top + line_ - 12,
            fmt::format("{}{:g}", i == 0 && cell_ > 80 ? (clip.frames ? "frame " : "sample ") : "",
                        clip.first_frame + clip.frames_per_sample * row.sample[i]),
            kInk, 11, Align::kCenter);
        if (column > 0) c_.line(left, top + 6, left, top + line_ - 8, kPaper, 2);
    }

    /// The axis that points to the right of the page, seen from the front or from above.
    std::string side_axis(bool front) const {
        return left_axis(front ? 1 : -1) + (front ? " left" : " right");
    }

    /// The axis to the figure's left in the convention: "+X", "-Y".
    std::string left_axis(double sign = 1) const {
        const Vec3 left = Conversion({}, axes_).vector({sign, 0, 0});
        for (const Axis axis : {Axis::kPlusX, Axis::kMinusX, Axis::kPlusY, Axis::kMinusY,
                                Axis::kPlusZ, Axis::kMinusZ})
            if (direction(axis) == left) return std::string(name(axis));
        return {};
    }

    /// From above: front is up, the figure's left is to the left.
    void path(const Row& row, double top) {
        const double path_left = right_ + 20, path_right = path_left + kPathWidth;
        const double size = kRow - 30, left = path_left,
                     bottom = top + kRow - 16;  // the axes stand below
        c_.rectangle(left, top + 6, path_right - left, kRow - 14, kPale);
        double x0 = 0, x1 = 0, z0 = 0, z1 = 0;
        for (const Vec3& p : row.path) {
            x0 = std::min(x0, p.x), x1 = std::max(x1, p.x);
            z0 = std::min(z0, p.z), z1 = std::max(z1, p.z);
        }
        const double span = std::max({x1 - x0, z1 - z0, 0.5}), s = (size - 74) / span;
        const double cx = (left + path_right) / 2 + (x0 + x1) / 2 * s, cy = bottom - 44 + z0 * s;
        const auto sx = [&](const Vec3& p) { return cx - p.x * s; };
        const auto sy = [&](const Vec3& p) { return cy - p.z * s; };
        for (std::size_t k = 1; k < row.path.size(); ++k)
            c_.line(sx(row.path[k - 1]), sy(row.path[k - 1]), sx(row.path[k]), sy(row.path[k]),
                    kPath, 2);
        for (const int k : row.sample) {
            const Vec3& p = row.path[static_cast<std::size_t>(k - row.sample.front())];
            c_.dot(sx(p), sy(p), 3, kPath);
        }
        const Vec3& last = row.path.back();
        c_.text(sx(row.path.front()) + 7, sy(row.path.front()) + 12, "0", kInk, 10);
        if (length(last - row.path.front()) * s > 14)
            c_.text(sx(last) + 7, sy(last) - 4, std::to_string(row.sample.back()), kInk, 10);
        else
            c_.text(left + 10, top + 40, "the root stays in place", kMid, 11);
        const double step = nice_step(s, 50);
        c_.line(path_right - 14 - step * s, bottom - 6, path_right - 14, bottom - 6, kInk, 2);
        c_.text(path_right - 14 - step * s / 2, bottom - 10, metres(step) + " m", kInk, 10,
                Align::kCenter);
        c_.line(left + 50, bottom - 4, left + 50, bottom - 26, kPath, 2);
        c_.line(left + 50, bottom - 4, left + 28, bottom - 4, kInk, 2);
        c_.text(left + 50, bottom - 30, fmt::format("{} front", name(axes_.front)), kPath, 10,
                Align::kCenter);
        c_.text(left + 24, bottom, left_axis(), kInk, 10, Align::kRight);
    }

    Canvas& c_;
    Extent e_;
    const SheetOptions& options_;
    Convention axes_;
    int lines_, across_;
    double right_, cell_, height_, line_, scale_;
};

}  // namespace

Eye eye_of(ViewFrom from) {
    switch (from) {
        case ViewFrom::kSide:
            return {{0, 0, 1}, {0, 1, 0}, {-1, 0, 0}};
        case ViewFrom::kFront:
            return {{1, 0, 0}, {0, 1, 0}, {0, 0, 1}};
        case ViewFrom::kTop:
            return {{-1, 0, 0}, {0, 0, 1}, {0, 1, 0}};
        case ViewFrom::kQuarter:
            break;
    }
    const Vec3 toward = normalized(Vec3{-0.6, 0.35, 0.75}, {});
    const Vec3 right = normalized(cross({0, 1, 0}, toward), {});
    return {right, cross(toward, right), toward};
}

std::string_view name(ViewFrom from) {
    constexpr std::string_view kNames[] = {"side", "front", "top", "quarter"};
    return kNames[static_cast<std::size_t>(from)];
}

Result<std::vector<std::uint8_t>> draw_sheet(const std::string& title, const Scene& skin,
                                             const std::vector<SheetClip>& clips,
                                             const SheetOptions& options) {
    const Eye eye = eye_of(options.from);
    std::map<const Scene*, Figure> figures;
    std::vector<std::pair<const Scene*, const Figure*>> own;
    bool frames = true;
    for (const SheetClip& clip : clips) {
        const Scene& of = clip.skin == nullptr ? skin : *clip.skin;
        own.emplace_back(&of, &figures.try_emplace(&of, of).first->second);
        frames = frames && clip.frames;
    }
    std::vector<Row> rows(clips.size());
    std::vector<Findings> wrong(clips.size());
    parallel_for(clips.size(), [&](std::size_t i) {
        auto row = pose_row(clips[i], *own[i].second, *own[i].first, eye,
                            options.poses > 0 ? options.poses : kPoses);
        if (row)
            rows[i] = std::move(row).value();
        else
            wrong[i] = row.failures();
    });
    int most = 1;
    for (std::size_t i = 0; i < clips.size(); ++i) {
        if (!wrong[i].empty()) return wrong[i];
        most = std::max(most, static_cast<int>(rows[i].poses.size()));
    }
    const int count = std::max(1, static_cast<int>(rows.size()));
    const double height =
        std::max<double>(kRow, (options.height - kHeader - kFooter) / static_cast<double>(count));
    Canvas canvas(options.width,
                  std::max(options.height, kHeader + static_cast<int>(height) * count + kFooter),
                  kPaper);
    const Extent extent = extent_of(rows);
    const Spread spread =
        spread_of(extent, options.poses, most, options.width - kBeside - kCellsLeft, height);
    for (Row& row : rows) thin(row, spread.poses);
    SheetPainter painter(canvas, extent, options, spread, height);
    painter.header(title, frames);
    std::vector<std::vector<Raster>> drawn(rows.size());
    parallel_for(rows.size(), [&](std::size_t i) {
        for (std::size_t pose = 0; pose < rows[i].poses.size(); ++pose)
            drawn[i].push_back(painter.figure(rows[i], pose));
    });
    for (std::size_t i = 0; i < rows.size(); ++i)
        painter.row(rows[i], kHeader + height * static_cast<double>(i), drawn[i]);
    return canvas.png();
}

}  // namespace mellow
