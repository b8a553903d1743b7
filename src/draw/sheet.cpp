#include "mellow/sheet.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "draw/figure.h"

namespace mellow {
namespace {

constexpr int kWidth = 1280, kRow = 240, kHeader = 56, kPoses = 8;
constexpr double kCellsLeft = 216, kCellsRight = 1032, kPathLeft = 1052, kPathRight = 1256;
constexpr Color kPaper{0.965, 0.945, 0.906}, kInk{0.20, 0.19, 0.17}, kFaint{0.80, 0.77, 0.71},
    kGround{0.47, 0.56, 0.33}, kPath{0.72, 0.22, 0.16}, kPale{0.93, 0.90, 0.84},
    kMid{0.45, 0.43, 0.39};

/// Everything of one row, posed: the picture needs common bounds before it can choose a scale.
struct Row {
    const SheetClip* clip = nullptr;
    std::vector<int> sample;
    std::vector<std::vector<Face>> poses;
    std::vector<Vec3> anchor;  // root on the ground at each pose
    std::vector<Vec3> path;    // root at every sample
};

struct Extent {
    double low = 0, high = 0.1, back = -0.1, front = 0.1;
};

Result<Row> pose_row(const Scene& skin, const Figure& figure, const SheetClip& clip) {
    Row row;
    row.clip = &clip;
    MELLOW_TRY(const Playback playback, Playback::make(skin, *clip.scene));
    const auto root = static_cast<std::size_t>(skin.roots.empty() ? 0 : skin.roots[0]);
    for (int k = 0; k < clip.samples; ++k)
        row.path.push_back(playback.pose(clip.rate.seconds(k)).worlds[root].o);
    for (int i = 0; i < kPoses; ++i) {
        const int k = (clip.samples - 1) * i / (kPoses - 1);
        if (i > 0 && k == row.sample.back()) continue;
        row.sample.push_back(k);
        row.poses.push_back(figure.faces(playback.pose(clip.rate.seconds(k))));
        row.anchor.push_back(
            {row.path[static_cast<std::size_t>(k)].x, 0, row.path[static_cast<std::size_t>(k)].z});
    }
    return row;
}

/// Bounds of all poses seen from the side, each about its own anchor.
Extent extent_of(const std::vector<Row>& rows) {
    Extent e;
    for (const Row& row : rows)
        for (std::size_t i = 0; i < row.poses.size(); ++i)
            for (const Face& face : row.poses[i])
                for (const Vec3& c : face.corner) {
                    e.low = std::min(e.low, c.y), e.high = std::max(e.high, c.y);
                    e.back = std::min(e.back, c.z - row.anchor[i].z),
                    e.front = std::max(e.front, c.z - row.anchor[i].z);
                }
    return e;
}

double tall_scale(const Extent& e) { return (kRow - 58) / (e.high - std::min(0.0, e.low)); }
double wide_scale(const Extent& e, int poses) {
    return ((kCellsRight - kCellsLeft) / poses - 4) / (e.front - e.back);
}

/// As many poses side by side as do not make the figure smaller than its height would; two at
/// least.
int poses_for(const Extent& e) {
    int poses = kPoses;
    while (poses > 2 && wide_scale(e, poses) < 0.4 * tall_scale(e)) poses /= 2;
    return poses;
}

/// Leaves `poses` of a row, evenly spread, the first and the last among them.
void thin(Row& row, int poses) {
    const std::size_t have = row.poses.size(), want = static_cast<std::size_t>(poses);
    if (have <= want) return;
    Row kept = row;
    kept.sample.clear(), kept.poses.clear(), kept.anchor.clear();
    for (std::size_t i = 0; i < want; ++i) {
        const std::size_t from = i * (have - 1) / (want - 1);
        kept.sample.push_back(row.sample[from]);
        kept.poses.push_back(std::move(row.poses[from]));
        kept.anchor.push_back(row.anchor[from]);
    }
    row = std::move(kept);
}

/// A step of 1, 2 or 5 times a power of ten that gives at least `pixels` per step.
double nice_step(double pixels_per_metre, double pixels) {
    double step = std::pow(10, std::floor(std::log10(pixels / pixels_per_metre)));
    for (const double k : {2.0, 2.5, 2.0})
        if (step * pixels_per_metre < pixels) step *= k;
    return step;
}

std::string metres(double v) { return fmt::format("{:.2g}", std::abs(v) < 1e-9 ? 0.0 : v); }

class SheetPainter {
  public:
    SheetPainter(Canvas& canvas, const Extent& extent, int poses, const Convention& axes)
        : c_(canvas),
          e_(extent),
          axes_(axes),
          poses_(poses),
          cell_((kCellsRight - kCellsLeft) / poses),
          scale_(std::min(tall_scale(extent), wide_scale(extent, poses))) {}

    void header(const std::string& title) {
        c_.text(20, 32, title, kInk, 20, Align::kLeft, true);
        const char* many = poses_ == 8 ? "eight" : poses_ == 4 ? "four" : "two";
        c_.text(20, 49,
                fmt::format("up to {} poses a clip, seen from the figure's right side; heights and "
                            "places in metres; axes: {}",
                            many, to_text(axes_)),
                kMid, 11);
        c_.text(kPathLeft, 49, "root path from above", kMid, 11);
    }

    void row(const Row& row, double top) {
        const double ground = top + kRow - 44 + std::min(0.0, e_.low) * scale_;
        c_.rectangle(kCellsLeft, top + 6, kCellsRight - kCellsLeft, kRow - 14, kPale);
        words(row, top);
        ruler(ground, top);
        for (std::size_t i = 0; i < row.poses.size(); ++i) cell(row, i, top, ground);
        path(row, top);
    }

  private:
    void words(const Row& row, double top) {
        double y = top + 26;
        for (const std::string& line : row.clip->lines) {
            const bool first = &line == &row.clip->lines.front();
            c_.text(20, y, line, first ? kInk : kMid, first ? 16 : 11, Align::kLeft, first);
            y += first ? 20 : 15;
        }
        const double x = 26, base = top + kRow - 30;
        c_.line(x, base, x + 26, base, kPath, 2);
        c_.line(x, base, x, base - 26, kGround, 2);
        c_.text(x + 30, base + 4, fmt::format("{} front", name(axes_.front)), kPath, 10);
        c_.text(x - 4, base - 30, fmt::format("{} up", name(axes_.up)), kGround, 10);
    }

    void ruler(double ground, double top) {
        const double x = kCellsLeft - 6, step = nice_step(scale_, 26);
        const double highest = std::floor((ground - top - 10) / scale_ / step) * step;
        c_.line(x, ground, x, ground - highest * scale_, kInk, 1);
        for (int i = 0; i * step <= highest + 1e-9; ++i) {
            const double y = ground - i * step * scale_;
            c_.line(x - 5, y, x, y, kInk, 1);
            c_.line(kCellsLeft, y, kCellsRight, y, kFaint, i == 0 ? 0 : 0.6);
            c_.text(x - 8, y + 4, metres(i * step), kMid, 10, Align::kRight);
        }
        c_.text(x - 8, ground - highest * scale_ - 8, "m", kMid, 10, Align::kRight);
    }

    void cell(const Row& row, std::size_t i, double top, double ground) {
        const double left = kCellsLeft + cell_ * static_cast<double>(i);
        const double origin = left + cell_ / 2 - (e_.front + e_.back) / 2 * scale_;
        const double place = row.anchor[i].z;
        c_.clip(left, top + 6, cell_, kRow - 14);
        c_.line(left, ground, left + cell_, ground, kGround, 2);
        const double step = nice_step(scale_, 40);
        const double first = std::ceil((place + (left - origin) / scale_) / step) * step;
        for (double z = first; origin + (z - place) * scale_ < left + cell_; z += step) {
            const double x = origin + (z - place) * scale_;
            c_.line(x, ground, x, ground + 5, kGround, 1);
            if (x > left + 8 && x < left + cell_ - 8)
                c_.text(x, ground + 15, metres(z), kMid, 9, Align::kCenter);
        }
        std::vector<Face> faces = row.poses[i];
        const auto depth = [](const Face& f) {
            return f.corner[0].x + f.corner[1].x + f.corner[2].x;
        };
        std::stable_sort(faces.begin(), faces.end(),
                         [&](const Face& a, const Face& b) { return depth(a) > depth(b); });
        std::vector<FlatTriangle> flat;
        for (const Face& face : faces) {
            const Vec3 normal = normalized(
                cross(face.corner[1] - face.corner[0], face.corner[2] - face.corner[0]), {0, 1, 0});
            if (normal.x > 0.15 && faces.size() > 400) continue;  // turned away
            const double light =
                0.55 + 0.45 * std::abs(dot(normal, normalized(Vec3{-0.6, 0.7, 0.3}, {})));
            FlatTriangle t;
            for (std::size_t k = 0; k < 3; ++k)
                t.corners[k] = {origin + (face.corner[k].z - place) * scale_,
                                ground - face.corner[k].y * scale_};
            t.color = {face.color.r * light, face.color.g * light, face.color.b * light};
            flat.push_back(t);
        }
        c_.triangles(left, top + 6, cell_, kRow - 14, flat);
        const double root_y = ground - row.path[static_cast<std::size_t>(row.sample[i])].y * scale_;
        c_.dot(origin, root_y, 3, kPath);
        c_.unclip();
        c_.text(left + cell_ / 2, top + kRow - 12,
                fmt::format("{} {}", i == 0 ? "frame" : "", row.sample[i]), kInk, 11,
                Align::kCenter);
        if (i > 0) c_.line(left, top + 6, left, top + kRow - 8, kPaper, 2);
    }

    /// The axis to the figure's left in the convention: "+X", "-Y".
    std::string left_axis() const {
        const Vec3 left = Conversion({}, axes_).vector({1, 0, 0});
        for (const Axis axis : {Axis::kPlusX, Axis::kMinusX, Axis::kPlusY, Axis::kMinusY,
                                Axis::kPlusZ, Axis::kMinusZ})
            if (direction(axis) == left) return std::string(name(axis));
        return {};
    }

    /// From above: front is up, the figure's left is to the left.
    void path(const Row& row, double top) {
        const double size = kRow - 30, left = kPathLeft,
                     bottom = top + kRow - 16;  // the axes stand below
        c_.rectangle(left, top + 6, kPathRight - left, kRow - 14, kPale);
        double x0 = 0, x1 = 0, z0 = 0, z1 = 0;
        for (const Vec3& p : row.path) {
            x0 = std::min(x0, p.x), x1 = std::max(x1, p.x);
            z0 = std::min(z0, p.z), z1 = std::max(z1, p.z);
        }
        const double span = std::max({x1 - x0, z1 - z0, 0.5}), s = (size - 74) / span;
        const double cx = (left + kPathRight) / 2 + (x0 + x1) / 2 * s, cy = bottom - 44 + z0 * s;
        const auto sx = [&](const Vec3& p) { return cx - p.x * s; };
        const auto sy = [&](const Vec3& p) { return cy - p.z * s; };
        for (std::size_t k = 1; k < row.path.size(); ++k)
            c_.line(sx(row.path[k - 1]), sy(row.path[k - 1]), sx(row.path[k]), sy(row.path[k]),
                    kPath, 2);
        for (const int k : row.sample)
            c_.dot(sx(row.path[static_cast<std::size_t>(k)]),
                   sy(row.path[static_cast<std::size_t>(k)]), 3, kPath);
        const Vec3& last = row.path.back();
        c_.text(sx(row.path.front()) + 7, sy(row.path.front()) + 12, "0", kInk, 10);
        if (length(last - row.path.front()) * s > 14)
            c_.text(sx(last) + 7, sy(last) - 4, std::to_string(row.sample.back()), kInk, 10);
        else
            c_.text(left + 10, top + 40, "the root stays in place", kMid, 11);
        const double step = nice_step(s, 50);
        c_.line(kPathRight - 14 - step * s, bottom - 6, kPathRight - 14, bottom - 6, kInk, 2);
        c_.text(kPathRight - 14 - step * s / 2, bottom - 10, metres(step) + " m", kInk, 10,
                Align::kCenter);
        c_.line(left + 50, bottom - 4, left + 50, bottom - 26, kPath, 2);
        c_.line(left + 50, bottom - 4, left + 28, bottom - 4, kInk, 2);
        c_.text(left + 50, bottom - 30, fmt::format("{} front", name(axes_.front)), kPath, 10,
                Align::kCenter);
        c_.text(left + 24, bottom, left_axis(), kInk, 10, Align::kRight);
    }

    Canvas& c_;
    Extent e_;
    Convention axes_;
    int poses_;
    double cell_, scale_;
};

}  // namespace

Result<std::vector<std::uint8_t>> draw_sheet(const std::string& title, const Scene& skin,
                                             const std::vector<SheetClip>& clips,
                                             const Convention& axes) {
    const Figure figure(skin);
    std::vector<Row> rows;
    for (const SheetClip& clip : clips) {
        MELLOW_TRY(Row row, pose_row(skin, figure, clip));
        rows.push_back(std::move(row));
    }
    Canvas canvas(kWidth, std::max(800, kHeader + kRow * static_cast<int>(rows.size()) + 24),
                  kPaper);
    const Extent extent = extent_of(rows);
    const int poses = poses_for(extent);
    for (Row& row : rows) thin(row, poses);
    SheetPainter painter(canvas, extent, poses, axes);
    painter.header(title);
    for (std::size_t i = 0; i < rows.size(); ++i)
        painter.row(rows[i], kHeader + kRow * static_cast<double>(i));
    return canvas.png();
}

}  // namespace mellow
