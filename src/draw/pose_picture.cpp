// One pose as a picture; declared in pictures.h.
#include <algorithm>
#include <cmath>

#include "base/at.h"
#include "base/text.h"
#include "draw/figure.h"
#include "draw/paper.h"
#include "mellow/pictures.h"

namespace mellow {

Result<Png> draw_pose(const Scene& skin, const SheetClip& clip, int sample,
                      const PoseOptions& options) {
    MELLOW_TRY(const Playback playback, Playback::make(skin, *clip.scene));
    const Pose pose = playback.pose(clip.begin + clip.rate.seconds(sample));
    const Eye eye = eye_of(options.from);
    std::vector<Face> faces = Figure(skin).faces(pose);
    Vec3 low{1e9, 1e9, 0}, high{-1e9, -1e9, 0};
    for (Face& face : faces)
        for (Vec3& p : face.corner) {
            p = eye.seen(p);
            low = {std::min(low.x, p.x), std::min(low.y, p.y), 0};
            high = {std::max(high.x, p.x), std::max(high.y, p.y), 0};
        }
    if (!options.around.empty()) {
        const int node = find_node(skin, options.around);
        if (node == kNone) {
            std::vector<std::string> names;
            for (const Node& n : skin.nodes) names.push_back(n.name);
            return Finding{Code::kNameUnknown,
                           Severity::kStop,
                           "picture of a pose",
                           "no joint \"" + options.around + "\"",
                           suggest(options.around, names),
                           "correct the name"};
        }
        const Vec3 middle = eye.seen(pose.worlds[at(node)].o);
        const Vec3 reach{options.reach_m, options.reach_m, 0};
        low = middle - reach, high = middle + reach;
    }
    const double wide = std::max(high.x - low.x, 1e-6), tall = std::max(high.y - low.y, 1e-6);
    const double scale = 0.92 * std::min(options.width / wide, options.height / tall);
    const auto flat = shaded(faces, [&](const Vec3& p) {
        return std::pair(options.width / 2.0 + (p.x - (low.x + high.x) / 2) * scale,
                         options.height / 2.0 - (p.y - (low.y + high.y) / 2) * scale);
    });
    Canvas canvas(options.width, options.height, kPaper);
    canvas.picture(0, 0, rasterised(options.width, options.height, flat));
    return canvas.png();
}

}  // namespace mellow
