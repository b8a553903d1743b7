// Figures against clips, and sizes of clips; declared in check.h.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/at.h"
#include "check/checker.h"
#include "math/degrees.h"
#include "mellow/check.h"
#include "mellow/crate.h"
#include "mellow/fit.h"
#include "mellow/read.h"
#include "mellow/write.h"

namespace mellow {
namespace {

constexpr double kPlace_m = 1e-3, kTurn_rad = 0.1 / kDegrees;

/// Compares the joints of a clip with those of a figure, both inside.
void compare(const Scene& figure, const Scene& clip, FigureMatch& match) {
    const auto theirs = nodes_by_name(figure);
    double worst = 0;
    const auto say = [&](double how_bad, const std::string& joint, std::string why) {
        match.fits = false;
        if (how_bad <= worst) return;
        worst = how_bad;
        match.joint = joint;
        match.why = std::move(why);
    };
    // A root that packing added above a figure is no joint of it.
    const std::vector<int> joints = joints_of(clip);
    const auto added = [&](int n) {
        const Node& node = clip.nodes[at(n)];
        return n == joints.front() && node.parent == kNone && !theirs.contains(node.name) &&
               length(node.local.t) == 0 && angle_between(node.local.r, Quat{}) == 0;
    };
    const auto above = [&](const Scene& s, const Node& node) {
        if (node.parent == kNone || (&s == &clip && added(node.parent))) return std::string();
        return s.nodes[at(node.parent)].name;
    };
    for (const int n : joints) {
        if (added(n)) continue;
        const Node& wanted = clip.nodes[at(n)];
        const auto found = theirs.find(wanted.name);
        if (found == theirs.end()) {
            say(1e9, wanted.name, "missing in the figure");
            continue;
        }
        const Node& have = figure.nodes[at(found->second)];
        if (above(clip, wanted) != above(figure, have))
            say(1e8, wanted.name,
                fmt::format("on \"{}\", in the figure on \"{}\"", above(clip, wanted),
                            above(figure, have)));
        const double far = length(wanted.local.t - have.local.t),
                     turned = angle_between(wanted.local.r, have.local.r);
        if (far > std::max(kPlace_m, length(have.local.t) / 200))
            say(far * 1000, wanted.name, fmt::format("{:.3g} mm elsewhere", far * 1000));
        if (turned > kTurn_rad)
            say(turned * kDegrees, wanted.name,
                fmt::format("turned by {:.3g} degrees", turned * kDegrees));
    }
}

std::size_t bytes_of(const std::vector<WrittenFile>& files) {
    std::size_t sum = 0;
    for (const WrittenFile& file : files) sum += file.bytes.size();
    return sum;
}

}  // namespace

Result<std::vector<FigureMatch>> match_figures(const std::vector<std::filesystem::path>& figures,
                                               const std::filesystem::path& folder) {
    MELLOW_TRY(const Crate crate, open_crate(folder));
    std::vector<FigureMatch> out;
    for (const auto& path : figures) {
        MELLOW_TRY(ReadResult read, read_scene(path));
        to_inside(read.scene);
        for (std::size_t i = 0; i < crate.clips.size(); ++i) {
            FigureMatch match{path.string(), crate.clips[i].name, true, {}, {}};
            compare(read.scene, crate.motions[i], match);
            out.push_back(std::move(match));
        }
    }
    return out;
}

Result<std::vector<ClipSizes>> clip_sizes(const std::filesystem::path& folder) {
    MELLOW_TRY(const Crate crate, open_crate(folder));
    std::vector<ClipSizes> out;
    for (std::size_t i = 0; i < crate.clips.size(); ++i) {
        ClipSizes sizes;
        sizes.clip = crate.clips[i].name;
        Scene motion = crate.motions[i], whole = crate.skin;
        Timeline timeline = motion.timelines[0];
        for (Channel& c : timeline.channels)
            c.node = find_node(whole, motion.nodes[at(c.node)].name);
        std::erase_if(timeline.channels, [](const Channel& c) { return c.node == kNone; });
        whole.timelines = {std::move(timeline)};
        sizes.motion = write_glb(motion).size();
        sizes.motion_text = bytes_of(write_gltf(motion, "m"));
        sizes.with_skin = write_glb(whole).size();
        sizes.with_skin_text = bytes_of(write_gltf(whole, "w"));
        std::error_code error;
        const auto size = std::filesystem::file_size(folder / crate.files[i], error);
        sizes.as_is = error ? 0 : static_cast<std::size_t>(size);
        out.push_back(std::move(sizes));
    }
    return out;
}

}  // namespace mellow
