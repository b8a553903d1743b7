#include "mellow/scene.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>
#include <string>
#include <utility>

#include "base/text.h"

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

Affine local_matrix(const Node& node) {
    const Affine plain = to_affine(node.local);
    return node.shear ? plain * *node.shear : plain;
}

std::vector<bool> sheared_nodes(const Scene& scene) {
    std::vector<bool> out;
    for (const Node& node : scene.nodes) out.push_back(node.shear.has_value());
    for (const Timeline& timeline : scene.timelines) {
        for (const ShearCurve& shear : timeline.shears)
            out[static_cast<std::size_t>(shear.node)] = true;
        for (const MemberCurve& member : timeline.members)
            if (member.element != kNone &&
                can_shear(scene.nodes[static_cast<std::size_t>(member.node)].stack))
                out[static_cast<std::size_t>(member.node)] = true;
    }
    return out;
}

std::vector<Affine> rest_worlds(const Scene& scene) {
    std::vector<Affine> worlds(scene.nodes.size());
    for (const int n : parents_first(scene)) {
        const Node& node = scene.nodes[static_cast<std::size_t>(n)];
        const Affine local = local_matrix(node);
        worlds[static_cast<std::size_t>(n)] =
            node.parent == kNone ? local : worlds[static_cast<std::size_t>(node.parent)] * local;
    }
    return worlds;
}

std::vector<std::uint32_t> triangles_of(const Primitive& primitive) {
    const std::size_t count =
        primitive.indices.empty() ? primitive.positions.size() : primitive.indices.size();
    const auto vertex = [&](std::size_t i) {
        return primitive.indices.empty() ? static_cast<std::uint32_t>(i) : primitive.indices[i];
    };
    std::vector<std::uint32_t> out;
    if (primitive.topology == Topology::kTriangles)
        for (std::size_t i = 0; i + 2 < count; i += 3)
            out.insert(out.end(), {vertex(i), vertex(i + 1), vertex(i + 2)});
    for (std::size_t i = 0; primitive.topology == Topology::kStrip && i + 2 < count;
         ++i)  // a strip
        out.insert(out.end(), {vertex(i), vertex(i + 1 + i % 2), vertex(i + 2 - i % 2)});
    for (std::size_t i = 1; primitive.topology == Topology::kFan && i + 1 < count; ++i)  // a fan
        out.insert(out.end(), {vertex(i), vertex(i + 1), vertex(0)});
    return out;
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

std::unordered_map<std::string_view, int> nodes_by_name(const Scene& scene) {
    std::unordered_map<std::string_view, int> out;
    for (std::size_t n = 0; n < scene.nodes.size(); ++n)
        out.emplace(scene.nodes[n].name, static_cast<int>(n));
    return out;
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
    for (const ShearCurve& shear : timeline.shears) use(shear.curve.times.list());
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

namespace {

/// Distinct lists of key times; curves mostly share theirs.
std::vector<const std::vector<double>*> time_lists(const Timeline& timeline) {
    std::vector<const std::vector<double>*> lists;
    each_times(timeline, [&](const std::vector<double>& times) {
        if (lists.empty() || *lists.back() != times) lists.push_back(&times);
    });
    return lists;
}

bool lists_fit(const std::vector<const std::vector<double>*>& lists, FrameRate rate) {
    const double k = rate.per_second();
    std::size_t keys = 0, missed = 0;
    bool any = false;
    for (const std::vector<double>* times : lists) {
        keys += times->size();
        for (const double t : *times) {
            any = any || t > 0;
            const double off = std::abs(t * k - nearest_whole(t * k));
            missed += off > kOnFrame + k * single_step(t) ? 1 : 0;
        }
        if (missed * 20 > keys + times->size() && missed * 20 > keys) break;
    }
    return any && missed * 20 <= keys;
}

}  // namespace

bool fits_rate(const Timeline& timeline, FrameRate rate) {
    return lists_fit(time_lists(timeline), rate);
}

bool guess_rate(const Timeline& timeline, FrameRate& rate) {
    static constexpr FrameRate kTry[] = {{24, 1},  {25, 1},  {30, 1}, {30000, 1001}, {24000, 1001},
                                         {48, 1},  {50, 1},  {60, 1}, {60000, 1001}, {90, 1},
                                         {100, 1}, {120, 1}, {240, 1}};
    const auto lists = time_lists(timeline);
    for (const FrameRate& candidate : kTry)
        if (lists_fit(lists, candidate)) {
            rate = candidate;
            return true;
        }
    return false;
}

bool guess_rate(const Scene& scene, FrameRate& rate) {
    std::vector<std::pair<FrameRate, std::size_t>> votes;
    for (const Timeline& timeline : scene.timelines) {
        FrameRate own;
        if (!guess_rate(timeline, own)) continue;
        std::size_t keys = 0;
        each_times(timeline, [&](const std::vector<double>& times) { keys += times.size(); });
        const auto same =
            std::find_if(votes.begin(), votes.end(), [&](const auto& v) { return v.first == own; });
        if (same == votes.end())
            votes.emplace_back(own, keys);
        else
            same->second += keys;
    }
    if (votes.empty()) return false;
    // Two keys fit many rates: one that fits all timelines goes before the one most keys speak for.
    for (const auto& vote : votes)
        if (std::all_of(scene.timelines.begin(), scene.timelines.end(), [&](const Timeline& t) {
                return key_span(t)[1] <= 0 || fits_rate(t, vote.first);
            })) {
            rate = vote.first;
            return true;
        }
    rate = std::max_element(votes.begin(), votes.end(), [](const auto& a, const auto& b) {
               return a.second < b.second;
           })->first;
    return true;
}

std::vector<std::string> name_timelines(Scene& scene) {
    std::vector<std::string> renamed;
    std::set<std::string> taken;
    for (const Timeline& timeline : scene.timelines) taken.insert(timeline.name);
    std::set<std::string> seen;
    for (std::size_t i = 0; i < scene.timelines.size(); ++i) {
        std::string& name = scene.timelines[i].name;
        if (name.empty() ? scene.timelines.size() == 1 : seen.insert(name).second) continue;
        const std::string old = name, stem = old.empty() ? "animation" : old;
        std::size_t number = old.empty() ? i : 2;
        do name = stem + "_" + std::to_string(number++);
        while (taken.contains(name));
        taken.insert(name);
        seen.insert(name);
        if (!old.empty()) renamed.push_back(old + " -> " + name);
    }
    return renamed;
}

std::vector<int> static_meshes(const Scene& scene) {
    if (scene.skins.empty()) return {};
    std::vector<bool> of_figure(scene.nodes.size(), false);
    for (const Skin& skin : scene.skins)
        for (const int j : skin.joints) of_figure[static_cast<std::size_t>(j)] = true;
    for (const Timeline& timeline : scene.timelines) {
        for (const Channel& c : timeline.channels)
            of_figure[static_cast<std::size_t>(c.node)] = true;
        for (const MemberCurve& m : timeline.members)
            of_figure[static_cast<std::size_t>(m.node)] = true;
    }
    std::vector<int> out;
    for (const int n : parents_first(scene)) {
        const Node& node = scene.nodes[static_cast<std::size_t>(n)];
        if (node.parent != kNone && of_figure[static_cast<std::size_t>(node.parent)])
            of_figure[static_cast<std::size_t>(n)] = true;
        if (!of_figure[static_cast<std::size_t>(n)] && node.mesh != kNone && node.skin == kNone)
            out.push_back(n);
    }
    std::sort(out.begin(), out.end());
    return out;
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
        for (ShearCurve& shear : timeline.shears) change_shared(shear.curve.times);
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
            if (std::abs(times[i] * k - frame) > kSnap + k * single_step(times[i])) continue;
            const double exact = scene.rate.seconds(static_cast<std::int64_t>(frame));
            // Two keys within a rounding of one frame stay two.
            const bool fits =
                (i == 0 || exact > times[i - 1]) && (i + 1 == times.size() || exact < times[i + 1]);
            if (fits) times[i] = exact;
        }
    });
}

FrameSpan whole_frames(double first, double last) {
    return {static_cast<std::int64_t>(std::floor(first + 1e-3)),
            static_cast<std::int64_t>(std::ceil(last - 1e-3))};
}

FrameSpan frames_of(const Timeline& timeline, FrameRate rate) {
    const auto span = key_span(timeline);
    // A time that is a rounding beyond a frame is that frame.
    const auto frame = [&](double second) {
        const double f = second * rate.per_second(), whole = nearest_whole(f);
        return std::abs(f - whole) <= rate.per_second() * single_step(second) ? whole : f;
    };
    return whole_frames(frame(span[0]), frame(span[1]));
}

Result<int> find_timeline(const Scene& scene, const std::string& name, const std::string& prefix,
                          const Place& where) {
    std::vector<std::string> names;
    for (const Timeline& t : scene.timelines) names.push_back(t.name);
    for (std::size_t i = 0; i < names.size(); ++i)
        if (name.empty() ? names.size() == 1 : names[i] == name || names[i] == prefix + name)
            return static_cast<int>(i);
    return Finding{Code::kNameUnknown,
                   Severity::kStop,
                   where,
                   name.empty() ? fmt::format("no timeline named and {} in the file", names.size())
                                : fmt::format("timeline \"{}\"", name),
                   names.empty() ? "a file with animation" : suggest(name, names),
                   "timeline = \"...\" names one of them"};
}

}  // namespace mellow
