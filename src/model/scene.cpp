#include "mellow/scene.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <utility>

namespace mellow {

std::string_view name(Path path) {
    switch (path) {
        case Path::kTranslation:
            return "translation";
        case Path::kRotation:
            return "rotation";
        case Path::kScale:
            return "scale";
        case Path::kWeights:
            return "weights";
    }
    return "translation";
}

std::vector<std::vector<int>> children_of(const Scene& scene) {
    std::vector<std::vector<int>> children(scene.nodes.size());
    for (std::size_t n = 0; n < scene.nodes.size(); ++n)
        if (scene.nodes[n].parent != kNone)
            children[static_cast<std::size_t>(scene.nodes[n].parent)].push_back(
                static_cast<int>(n));
    return children;
}

std::vector<int> parents_first(const Scene& scene) {
    const auto children = children_of(scene);
    std::vector<int> order, stack;
    for (std::size_t n = scene.nodes.size(); n-- > 0;)
        if (scene.nodes[n].parent == kNone) stack.push_back(static_cast<int>(n));
    while (!stack.empty()) {
        const int node = stack.back();
        stack.pop_back();
        order.push_back(node);
        const auto& below = children[static_cast<std::size_t>(node)];
        stack.insert(stack.end(), below.rbegin(), below.rend());
    }
    return order;
}

std::vector<Affine> rest_worlds(const Scene& scene) {
    std::vector<Affine> worlds(scene.nodes.size());
    for (const int n : parents_first(scene)) {
        const Node& node = scene.nodes[static_cast<std::size_t>(n)];
        const Affine local = to_affine(node.local);
        worlds[static_cast<std::size_t>(n)] =
            node.parent == kNone ? local : worlds[static_cast<std::size_t>(node.parent)] * local;
    }
    return worlds;
}

int morph_count(const Scene& scene, int node) {
    const int mesh = scene.nodes[static_cast<std::size_t>(node)].mesh;
    if (mesh == kNone) return 0;
    return static_cast<int>(scene.meshes[static_cast<std::size_t>(mesh)].target_names.size());
}

std::vector<double> rest_weights(const Scene& scene, int node) {
    const Node& n = scene.nodes[static_cast<std::size_t>(node)];
    std::vector<double> weights(static_cast<std::size_t>(morph_count(scene, node)), 0.0);
    if (n.mesh == kNone) return weights;
    const auto& own = n.morph_weights;
    const auto& shared = scene.meshes[static_cast<std::size_t>(n.mesh)].morph_weights;
    if (own.size() == weights.size()) return own;
    return shared.size() == weights.size() ? shared : weights;
}

int find_node(const Scene& scene, std::string_view name) {
    for (std::size_t n = 0; n < scene.nodes.size(); ++n)
        if (scene.nodes[n].name == name) return static_cast<int>(n);
    return kNone;
}

ScalarLayout scalar_layout(const Scene& scene) {
    ScalarLayout layout;
    for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
        const int targets = morph_count(scene, static_cast<int>(n));
        layout.offset.push_back(targets > 0 ? layout.count : kNone);
        layout.count += targets;
    }
    return layout;
}

std::vector<std::span<const MemberCurve>> member_runs(std::span<const MemberCurve> all) {
    std::vector<std::span<const MemberCurve>> runs;
    for (std::size_t first = 0, last = 0; first < all.size(); first = last) {
        while (last < all.size() && all[last].node == all[first].node) ++last;
        runs.emplace_back(&all[first], last - first);
    }
    return runs;
}

namespace {

template <class Use>
void each_times(const Timeline& timeline, Use use) {
    // Neighbours mostly share one list: it is used once.
    const void* last = nullptr;
    for (const Channel& channel : timeline.channels)
        if (std::exchange(last, channel.curve.times.identity()) != channel.curve.times.identity())
            use(channel.curve.times.list());
    for (const MemberCurve& member : timeline.members) use(member.times);
    for (const MorphCurve& morph : timeline.morphs) use(morph.curve.times.list());
    for (const ScalarCurve& scalar : timeline.scalars) use(scalar.curve.times.list());
}

}  // namespace

std::array<double, 2> key_span(const Timeline& timeline) {
    if (timeline.span) return *timeline.span;
    std::array<double, 2> span{0, 0};
    bool first = true;
    each_times(timeline, [&](const std::vector<double>& times) {
        if (times.empty()) return;
        const double a = times.front(), b = times.back();
        span = first ? std::array{a, b} : std::array{std::min(span[0], a), std::max(span[1], b)};
        first = false;
    });
    return span;
}

namespace {

// Key times are single precision in most files. A key this near a frame counts as on it, and one
// this much nearer is moved onto it: at 10 m/s and 24 frames a second that is 4 micrometres.
constexpr double kOnFrame = 1e-3, kSnap = 1e-5;

}  // namespace

namespace {

/// std::round() without a call for what fits into an integer; key times are at most 1e7 s.
double nearest_whole(double v) {
    return std::abs(v) < 1e15
               ? static_cast<double>(static_cast<std::int64_t>(v + (v < 0 ? -0.5 : 0.5)))
               : v;
}

}  // namespace

bool guess_rate(const Scene& scene, FrameRate& rate) {
    static constexpr FrameRate kTry[] = {{24, 1},  {25, 1},  {30, 1}, {30000, 1001}, {24000, 1001},
                                         {48, 1},  {50, 1},  {60, 1}, {60000, 1001}, {90, 1},
                                         {100, 1}, {120, 1}, {240, 1}};
    // Curves mostly share their times: each distinct list is looked at once.
    std::vector<const std::vector<double>*> lists;
    for (const Timeline& timeline : scene.timelines)
        each_times(timeline, [&](const std::vector<double>& times) {
            if (lists.empty() || *lists.back() != times) lists.push_back(&times);
        });
    for (const FrameRate& candidate : kTry) {
        const double k = candidate.per_second();
        bool any = false;
        const auto fits = [&](double t) {
            any = any || t > 0;
            return std::abs(t * k - nearest_whole(t * k)) <= kOnFrame;
        };
        const bool all =
            std::all_of(lists.begin(), lists.end(), [&](const std::vector<double>* times) {
                return std::all_of(times->begin(), times->end(), fits);
            });
        if (any && all) {
            rate = candidate;
            return true;
        }
    }
    return false;
}

namespace {

/// Control points stay between the keys on either side, whatever rounding moved.
void keep_control_times(MemberCurve& curve) {
    const std::size_t width = static_cast<std::size_t>(curve.width), keys = curve.times.size();
    if (curve.before.empty()) return;
    for (std::size_t i = 0; i < keys * width; ++i) {
        const std::size_t key = i / width;
        const double low = curve.times[key == 0 ? 0 : key - 1], mid = curve.times[key],
                     high = curve.times[std::min(key + 1, keys - 1)];
        curve.before[2 * i] = std::clamp(curve.before[2 * i], low, mid);
        curve.after[2 * i] = std::clamp(curve.after[2 * i], mid, high);
    }
}

template <class Change>
void change_times(Scene& scene, Change change) {
    // A list that several curves share is changed once, and they go on sharing it. The old lists
    // stay alive until the end, so that no address comes twice.
    std::map<const void*, std::pair<KeyTimes, KeyTimes>> changed;
    const void* last = nullptr;
    KeyTimes last_changed;
    const auto change_shared = [&](KeyTimes& times) {
        if (last != nullptr && times.identity() == last) {
            times = last_changed;
            return;
        }
        last = times.identity();
        const auto [slot, fresh] = changed.try_emplace(times.identity(), times, times);
        if (fresh) {
            std::vector<double> list = times.list();
            change(list);
            if (list != times.list()) slot->second.second = KeyTimes(std::move(list));
        }
        times = last_changed = slot->second.second;
    };
    for (Timeline& timeline : scene.timelines) {
        for (Channel& channel : timeline.channels) change_shared(channel.curve.times);
        for (MorphCurve& morph : timeline.morphs) change_shared(morph.curve.times);
        for (ScalarCurve& scalar : timeline.scalars) change_shared(scalar.curve.times);
        for (MemberCurve& member : timeline.members) {
            change(member.times);
            keep_control_times(member);
        }
    }
}

}  // namespace

void declare_rate(Scene& scene, FrameRate rate) {
    const double stretch = scene.rate.per_second() / rate.per_second();
    change_times(scene, [&](std::vector<double>& times) {
        for (double& t : times) t *= stretch;
    });
    for (Timeline& timeline : scene.timelines) {
        for (MemberCurve& member : timeline.members)
            for (std::size_t i = 0; i < member.before.size(); i += 2)
                member.before[i] *= stretch, member.after[i] *= stretch;
        if (timeline.span)
            *timeline.span = {(*timeline.span)[0] * stretch, (*timeline.span)[1] * stretch};
    }
    scene.rate = rate;
}

void snap_keys(Scene& scene) {
    const double k = scene.rate.per_second();
    change_times(scene, [&](std::vector<double>& times) {
        for (std::size_t i = 0; i < times.size(); ++i) {
            const double frame = nearest_whole(times[i] * k);
            // What single precision does to a time: half a unit in the last of 24 places.
            if (std::abs(times[i] * k - frame) > kSnap + 6e-8 * frame) continue;
            const double exact = scene.rate.seconds(static_cast<std::int64_t>(frame));
            // Two keys within a rounding of one frame stay two.
            const bool fits =
                (i == 0 || exact > times[i - 1]) && (i + 1 == times.size() || exact < times[i + 1]);
            if (fits) times[i] = exact;
        }
    });
}

}  // namespace mellow
