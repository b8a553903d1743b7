// Pictures of one clip: trails, seam, curves; declared in pictures.h.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/at.h"
#include "base/text.h"
#include "draw/figure.h"
#include "draw/paper.h"
#include "mellow/pictures.h"

namespace mellow {
namespace {

/// Joints of a figure at samples of a clip.
class Tracks {
  public:
    static Result<Tracks> make(const Scene& skin, const SheetClip& clip) {
        MELLOW_TRY(Playback playback, Playback::make(skin, *clip.scene));
        Tracks out(skin, clip, std::move(playback));
        return out;
    }

    int first() const { return std::clamp(clip_.first, 0, clip_.samples - 1); }
    int last() const {
        return clip_.last < 0 ? clip_.samples - 1
                              : std::clamp(clip_.last, first(), clip_.samples - 1);
    }
    Pose pose(int sample) const { return playback_.pose(clip_.begin + clip_.rate.seconds(sample)); }
    double frame(int sample) const { return clip_.first_frame + clip_.frames_per_sample * sample; }
    const char* unit() const { return clip_.frames ? "frame" : "sample"; }

    /// Worlds of some nodes, [joint][sample].
    Result<std::vector<std::vector<Vec3>>> places(const std::vector<std::string>& joints) const {
        std::vector<int> nodes;
        std::vector<std::string> names;
        for (const Node& node : skin_.nodes) names.push_back(node.name);
        for (const std::string& joint : joints) {
            nodes.push_back(find_node(skin_, joint));
            if (nodes.back() == kNone)
                return Finding{
                    Code::kNameUnknown,           Severity::kStop,       "joints",
                    "no joint \"" + joint + "\"", suggest(joint, names), "correct the name"};
        }
        std::vector<std::vector<Vec3>> out(nodes.size());
        for (int k = first(); k <= last(); ++k) {
            const Pose at_k = pose(k);
            for (std::size_t j = 0; j < nodes.size(); ++j)
                out[j].push_back(at_k.worlds[at(nodes[j])].o);
        }
        return out;
    }

  private:
    Tracks(const Scene& skin, const SheetClip& clip, Playback playback)
        : skin_(skin), clip_(clip), playback_(std::move(playback)) {}

    const Scene& skin_;
    const SheetClip& clip_;
    Playback playback_;
};

/// A rectangle of the picture in which metres are drawn, all at one scale.
struct Panel {
    double left, top, width, height;
    double low_x = 0, low_y = 0, scale = 1;

    void fit(double x0, double y0, double x1, double y1) {
        const double w = std::max(x1 - x0, 0.2), h = std::max(y1 - y0, 0.2);
        scale = std::min((width - 70) / w, (height - 60) / h);
        low_x = (x0 + x1) / 2 - (width / 2 - 10) / scale;
        low_y = (y0 + y1) / 2 - height / 2 / scale;
    }
    double x(double v) const { return left + (v - low_x) * scale; }
    double y(double v) const { return top + height - (v - low_y) * scale; }

    /// Ground, grid lines and numbers; across these count to the right, or with -1 to the left.
    void grid(Canvas& c, const std::string& across, const std::string& up, int sense = 1) const {
        c.rectangle(left, top, width, height, kPale);
        const double step = nice_step(scale, 60);
        for (double v = std::ceil(low_x / step) * step; x(v) < left + width; v += step) {
            c.line(x(v), top, x(v), top + height, kFaint, std::abs(v) < 1e-9 ? 1.5 : 0.6);
            c.text(x(v), top + height - 6, metres(sense * v), kMid, 10, Align::kCenter);
        }
        for (double v = std::ceil(low_y / step) * step; y(v) > top; v += step) {
            c.line(left, y(v), left + width, y(v), kFaint, std::abs(v) < 1e-9 ? 1.5 : 0.6);
            c.text(left + 5, y(v) - 3, metres(v), kMid, 10);
        }
        c.text(left + width - 8, top + height - 22, across + " (m)", kInk, 11, Align::kRight);
        c.text(left + 40, top + 16, up + " (m)", kInk, 11);
    }
};

std::string axis_words(Axis axis, const char* what) {
    return fmt::format("{} {}", name(axis), what);
}

std::string left_words(const Convention& axes) {
    const Vec3 left = Conversion({}, axes).vector({1, 0, 0});
    for (const Axis axis :
         {Axis::kPlusX, Axis::kMinusX, Axis::kPlusY, Axis::kMinusY, Axis::kPlusZ, Axis::kMinusZ})
        if (direction(axis) == left) return axis_words(axis, "left");
    return "left";
}

double length_of(const std::vector<Vec3>& path) {
    double length_m = 0;
    for (std::size_t k = 1; k < path.size(); ++k) length_m += length(path[k] - path[k - 1]);
    return length_m;
}

/// The joints between nodes of a skin, and their bones.
std::vector<std::pair<int, int>> bones_of(const Scene& skin) {
    std::vector<bool> joint(skin.nodes.size(), skin.skins.empty());
    for (const Skin& s : skin.skins)
        for (const int n : s.joints) joint[at(n)] = true;
    std::vector<std::pair<int, int>> out;
    for (std::size_t n = 0; n < joint.size(); ++n) {
        if (!joint[n]) continue;
        int up = skin.nodes[n].parent;
        while (up != kNone && !joint[at(up)]) up = skin.nodes[at(up)].parent;
        // The root carries the way and is no limb.
        if (up != kNone && skin.nodes[at(up)].parent != kNone)
            out.emplace_back(up, static_cast<int>(n));
    }
    return out;
}

}  // namespace

Result<Png> draw_trails(const std::string& title, const Scene& skin, const SheetClip& clip,
                        const std::vector<std::string>& joints, const SheetOptions& options) {
    MELLOW_TRY(const Tracks tracks, Tracks::make(skin, clip));
    MELLOW_TRY(const auto places, tracks.places(joints));
    Canvas c(options.width, options.height, kPaper);
    head(c, title,
         fmt::format("ways of joints, {} {:g} to {:g}; axes: {}", tracks.unit(),
                     tracks.frame(tracks.first()), tracks.frame(tracks.last()),
                     to_text(options.axes)));
    const double half = options.width / 2.0 - 24,
                 high = options.height - 90.0 - 20 * static_cast<double>(joints.size());
    Panel above{20, 64, half, high}, side{half + 30, 64, half, high};
    Vec3 low = places[0][0], top = low;
    for (const auto& path : places)
        for (const Vec3& p : path) {
            low = {std::min(low.x, p.x), std::min(low.y, p.y), std::min(low.z, p.z)};
            top = {std::max(top.x, p.x), std::max(top.y, p.y), std::max(top.z, p.z)};
        }
    // From above front is up and left is left; from the side front is to the right.
    above.fit(-top.x, low.z, -low.x, top.z);
    side.fit(low.z, std::min(0.0, low.y), top.z, top.y);
    above.grid(c, left_words(options.axes) + " is to the left",
               axis_words(options.axes.front, "front"), -1);
    side.grid(c, axis_words(options.axes.front, "front"), axis_words(options.axes.up, "up"));
    for (std::size_t j = 0; j < places.size(); ++j) {
        const Color ink = kLines[j % std::size(kLines)];
        const std::vector<Vec3>& path = places[j];
        for (std::size_t k = 1; k < path.size(); ++k) {
            const Vec3 &a = path[k - 1], &b = path[k];
            c.line(above.x(-a.x), above.y(a.z), above.x(-b.x), above.y(b.z), ink, 2);
            c.line(side.x(a.z), side.y(a.y), side.x(b.z), side.y(b.y), ink, 2);
        }
        const std::size_t every = std::max<std::size_t>(1, path.size() / 12);
        for (std::size_t k = 0; k < path.size(); k += every) {
            c.dot(above.x(-path[k].x), above.y(path[k].z), k == 0 ? 5 : 2.5, ink);
            c.dot(side.x(path[k].z), side.y(path[k].y), k == 0 ? 5 : 2.5, ink);
        }
        const double y = 64 + high + 24 + 20 * static_cast<double>(j);
        c.line(24, y - 4, 54, y - 4, ink, 3);
        const Vec3 went = path.back() - path.front();
        double lowest = path[0].y, highest = path[0].y;
        for (const Vec3& p : path) lowest = std::min(lowest, p.y), highest = std::max(highest, p.y);
        c.text(62, y,
               fmt::format(
                   "{}: a way of {:.3f} m; ends {:.3f} m ahead, {:.3f} m to the left, {:.3f} m "
                   "up; heights {:.3f} to {:.3f} m",
                   joints[j], length_of(path), went.z, went.x, went.y, lowest, highest),
               kInk, 11);
    }
    c.text(options.width - 20, 49, "the large dot is where it begins", kMid, 11, Align::kRight);
    return c.png();
}

Result<Png> draw_seam(const std::string& title, const Scene& skin, const SheetClip& clip,
                      const SheetOptions& options) {
    MELLOW_TRY(const Tracks tracks, Tracks::make(skin, clip));
    const Pose first = tracks.pose(tracks.first());
    Pose last = tracks.pose(tracks.last());
    const std::size_t root = skin.roots.empty() ? 0 : at(skin.roots[0]);
    const Affine back = first.worlds[root] * inverse(last.worlds[root]);
    for (Affine& world : last.worlds) world = back * world;
    Canvas c(options.width, options.height, kPaper);
    head(c, title,
         fmt::format("{} {:g}, and {} {:g} as dashed bones, its travel taken back; axes: {}",
                     tracks.unit(), tracks.frame(tracks.first()), tracks.unit(),
                     tracks.frame(tracks.last()), to_text(options.axes)));
    const Figure figure(skin);
    const auto bones = bones_of(skin);
    const double words = 250, wide = (options.width - words - 50) / 2.0,
                 high = options.height - 90.0;
    for (const ViewFrom from : {ViewFrom::kSide, ViewFrom::kFront}) {
        const Eye eye = eye_of(from);
        const double left = from == ViewFrom::kSide ? 20 : 30 + wide;
        std::vector<Face> faces = figure.faces(first);
        double x0 = 1e9, x1 = -1e9, y0 = 0, y1 = 0.1;
        for (Face& face : faces)
            for (Vec3& p : face.corner) {
                p = eye.seen(p);
                x0 = std::min(x0, p.x), x1 = std::max(x1, p.x);
                y0 = std::min(y0, p.y), y1 = std::max(y1, p.y);
            }
        Panel panel{left, 64, wide, high};
        panel.fit(x0, y0, x1, y1);
        panel.grid(c,
                   from == ViewFrom::kSide ? axis_words(options.axes.front, "front")
                                           : left_words(options.axes),
                   axis_words(options.axes.up, "up"));
        auto flat = shaded(faces, [&](const Vec3& p) {
            return std::pair(panel.x(p.x) - left, panel.y(p.y) - 64);
        });
        // Pale, so that bones show over it.
        for (FlatTriangle& t : flat)
            for (double* part : {&t.color.r, &t.color.g, &t.color.b}) *part = 1 - (1 - *part) * 0.6;
        c.picture(left, 64, rasterised(static_cast<int>(wide), static_cast<int>(high), flat));
        for (const Pose* pose : {&first, static_cast<const Pose*>(&last)})
            for (const auto& [a, b] : bones) {
                const Vec3 p = eye.seen(pose->worlds[at(a)].o), q = eye.seen(pose->worlds[at(b)].o);
                if (pose == &first) {
                    c.line(panel.x(p.x), panel.y(p.y), panel.x(q.x), panel.y(q.y), kLines[0], 2);
                    continue;
                }
                for (double u = 0; u < 1; u += 0.2) {
                    const Vec3 from_u = p + (q - p) * u, to_u = p + (q - p) * (u + 0.12);
                    c.line(panel.x(from_u.x), panel.y(from_u.y), panel.x(to_u.x), panel.y(to_u.y),
                           kPath, 2.5);
                }
            }
    }
    std::vector<std::pair<double, std::string>> apart;
    for (const auto& [a, b] : bones)
        apart.emplace_back(1000 * length(first.worlds[at(b)].o - last.worlds[at(b)].o),
                           skin.nodes[at(b)].name);
    std::sort(apart.begin(), apart.end(), [](const auto& a, const auto& b) {
        return a.first != b.first ? a.first > b.first : a.second < b.second;
    });
    double y = 80;
    const double left = options.width - words + 4;
    c.text(left, y, "apart, mm", kInk, 13, Align::kLeft, true);
    for (const auto& [mm, joint] : apart) {
        y += 18;
        if (y > options.height - 30) break;
        c.text(left, y, fitting(joint, 22), kMid, 11);
        c.text(options.width - 20, y, fmt::format("{:.2f}", mm), kInk, 11, Align::kRight);
    }
    return c.png();
}

Result<Png> draw_curves(const std::string& title, const Scene& skin, const SheetClip& clip,
                        const std::vector<std::string>& joints, const SheetOptions& options) {
    MELLOW_TRY(const Tracks tracks, Tracks::make(skin, clip));
    MELLOW_TRY(const auto places, tracks.places(joints));
    Canvas c(options.width, options.height, kPaper);
    head(c, title,
         fmt::format("places of joints in the world, metres, over {}s; axes: {}", tracks.unit(),
                     to_text(options.axes)));
    const double foot = 24 + 18 * std::ceil(static_cast<double>(joints.size()) / 6);
    const double high = (options.height - 74 - foot) / 3.0;
    const std::string words[] = {axis_words(options.axes.front, "ahead"),
                                 axis_words(options.axes.up, "up"), left_words(options.axes)};
    for (int part = 0; part < 3; ++part) {
        const auto of = [&](const Vec3& p) { return part == 0 ? p.z : part == 1 ? p.y : p.x; };
        const double top = 64 + high * part, tall = high - 34, left = 70,
                     wide = options.width - 90.0;
        double low = 1e9, most = -1e9;
        for (const auto& path : places)
            for (const Vec3& p : path) low = std::min(low, of(p)), most = std::max(most, of(p));
        const double middle = (low + most) / 2, span = std::max(most - low, 0.02) * 1.1;
        low = middle - span / 2;
        c.rectangle(left, top, wide, tall, kPale);
        c.text(20, top + 12, words[part], kInk, 11);
        const double step = nice_step(tall / span, 26);
        const auto y = [&](double v) { return top + tall - (v - low) / span * tall; };
        for (double v = std::ceil(low / step) * step; v <= low + span; v += step) {
            c.line(left, y(v), left + wide, y(v), kFaint, std::abs(v) < 1e-9 ? 1.5 : 0.6);
            if (y(v) > top + 20) c.text(left - 6, y(v) + 4, metres(v), kMid, 10, Align::kRight);
        }
        const double samples = std::max(1, tracks.last() - tracks.first());
        const auto x = [&](double k) { return left + k / samples * wide; };
        const double every = std::max(1.0, nice_step(wide / samples, 60));
        for (double k = 0; k <= samples; k += every) {
            c.line(x(k), top, x(k), top + tall, kFaint, 0.6);
            c.text(x(k), top + tall + 13,
                   fmt::format("{:g}", tracks.frame(tracks.first() + static_cast<int>(k))), kMid,
                   10, Align::kCenter);
        }
        for (std::size_t j = 0; j < places.size(); ++j)
            for (std::size_t k = 1; k < places[j].size(); ++k)
                c.line(x(static_cast<double>(k - 1)), y(of(places[j][k - 1])),
                       x(static_cast<double>(k)), y(of(places[j][k])),
                       kLines[j % std::size(kLines)], 2);
    }
    for (std::size_t j = 0; j < joints.size(); ++j) {
        const double x = 70 + static_cast<double>(j % 6) * (options.width - 90) / 6.0,
                     y = options.height - foot + 16 + 18 * static_cast<double>(j / 6);
        c.line(x, y - 4, x + 24, y - 4, kLines[j % std::size(kLines)], 3);
        c.text(x + 30, y, fitting(joints[j], 22), kInk, 11);
    }
    return c.png();
}

}  // namespace mellow
