// follow: a node goes with one or several others. Equations are in docs/rig-sheet.md.
#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "base/kernel.h"
#include "model/lanes.h"
#include "rig/rules.h"
#include "rig/sheet_words.h"

namespace mellow {
namespace {

MELLOW_LANE Vec3 column_lengths(const Affine& m) { return {length(m.x), length(m.y), length(m.z)}; }
MELLOW_LANE Vec3 divide(Vec3 a, Vec3 b) {
    const auto safe = [](double v) { return std::abs(v) > 1e-12 ? v : 1.0; };
    return {a.x / safe(b.x), a.y / safe(b.y), a.z / safe(b.z)};
}

Vec3 signs(Vec3 v) {
    return {std::copysign(1.0, v.x), std::copysign(1.0, v.y), std::copysign(1.0, v.z)};
}

// One kernel per part, so that each is a plain loop.

MELLOW_KERNEL void position_kernel(Vec3 offset, WorldRows source, WorldRows parent,
                                   LocalRowsOut local) {
#pragma GCC ivdep
    for (int f = 0; f < kF; ++f)
        store_place(local, f, apply(inverse(load(parent, f)), apply(load(source, f), offset)));
}

MELLOW_KERNEL void orientation_kernel(Quat offset, TurnRows source, TurnRows parent,
                                      TurnRowsOut turn) {
#pragma GCC ivdep
    for (int f = 0; f < kF; ++f)
        store(turn, f, conjugate(load(parent, f)) * (load(source, f) * offset));
}

/// How much longer than its scale each axis of a node is in the world.
MELLOW_LANE Vec3 lengths_above(const Affine& above, Quat turn) {
    return column_lengths(above * to_affine({{}, turn, {1, 1, 1}}));
}

MELLOW_KERNEL void scale_kernel(Vec3 factor, WorldRows source, WorldRows parent,
                                LocalRowsOut local) {
#pragma GCC ivdep
    for (int f = 0; f < kF; ++f)
        store_size(local, f,
                   divide(column_lengths(load(source, f)) * factor,
                          lengths_above(load(parent, f), load(turns(local), f))));
}

/// Weighted mean of rotations: the eigenvector of sum(w q q^T) with the largest eigenvalue, which
/// does not care for signs or order (Markley, Cheng, Crassidis and Oshman, "Averaging Quaternions",
/// 2007, equation 12). Found by squaring the matrix, which leaves the largest alone.
class TurnMean {
  public:
    void add(Quat q, double weight) {
        const double v[4] = {q.x, q.y, q.z, q.w};
        for (int i = 0; i < 4; ++i)
            for (int j = 0; j < 4; ++j) m_[i][j] += weight * v[i] * v[j];
        if (weight > heaviest_) heaviest_ = weight, like_ = q;
    }
    Quat take() {
        for (int round = 0; round < 12; ++round) square();
        // Any column is the eigenvector times one of its members: the longest is the safest.
        int best = 0;
        for (int i = 1; i < 4; ++i)
            if (m_[i][i] > m_[best][best]) best = i;
        return nearest(normalized(Quat{m_[0][best], m_[1][best], m_[2][best], m_[3][best]}), like_);
    }

  private:
    void square() {
        double out[4][4], trace = 0;
        for (int i = 0; i < 4; ++i)
            for (int j = 0; j < 4; ++j) {
                out[i][j] = 0;
                for (int k = 0; k < 4; ++k) out[i][j] += m_[i][k] * m_[k][j];
            }
        for (int i = 0; i < 4; ++i) trace += out[i][i];
        for (int i = 0; i < 4; ++i)
            for (int j = 0; j < 4; ++j) m_[i][j] = trace > 0 ? out[i][j] / trace : 0;
    }
    double m_[4][4] = {};
    double heaviest_ = -1;
    Quat like_;
};

double pick(bool followed, double a, double b) { return followed ? a : b; }
Vec3 pick(const AxisMask& mask, Vec3 a, Vec3 b) {
    return {pick(mask.x, a.x, b.x), pick(mask.y, a.y, b.y), pick(mask.z, a.z, b.z)};
}

/// Of a turn, only what concerns the axes of the mask: the twist about a single axis, or what is
/// left without the twist about the missing one.
Quat about(const AxisMask& mask, Quat turn) {
    const int axes = (mask.x ? 1 : 0) + (mask.y ? 1 : 0) + (mask.z ? 1 : 0);
    if (axes == 3) return turn;
    const bool single = axes == 1;
    const Vec3 axis{mask.x == single ? 1.0 : 0.0, mask.y == single ? 1.0 : 0.0,
                    mask.z == single ? 1.0 : 0.0};
    const Quat twist = from_axis_angle(axis, twist_angle(turn, axis));
    return single ? twist : turn * conjugate(twist);
}

struct Mixed {
    Vec3 place, size;
    Quat turn;
    bool any = false;
};

Mixed mix_sources(const BoundFollow& rule, const PoseTile& tile, int f) {
    Mixed mixed;
    double total = 0;
    TurnMean turns;
    for (const BoundFollow::Source& from : rule.sources) {
        const double w = from.weight == kNone ? 1 : std::max(0.0, tile.scalar(from.weight)[f]);
        if (w == 0) continue;
        const Affine s = load(world_rows(tile, from.node), f);
        mixed.place = mixed.place + w * apply(s, from.position);
        mixed.size = mixed.size + w * (column_lengths(s) * from.scale);
        if (from.turn != kNone) turns.add(load4(tile.scalar(from.turn), f) * from.orientation, w);
        total += w;
    }
    mixed.any = total > 1e-12;
    if (!mixed.any) return mixed;
    mixed.place = mixed.place * (1 / total);
    mixed.size = mixed.size * (1 / total);
    mixed.turn = turns.take();
    return mixed;
}

/// Several sources, masks or a weight: frame by frame.
void follow_mixed(const BoundFollow& rule, PoseTile& tile) {
    const LocalRowsOut local = local_rows(tile, rule.node);
    const Weights weights = weights_of(tile, rule.weight);
    for (int f = 0; f < kF; ++f) {
        const double weight = weights[f];
        const Mixed mixed = mix_sources(rule, tile, f);
        if (!mixed.any || weight == 0) continue;
        const Affine above = load(world_rows(tile, rule.parent), f);
        const Vec3 place = place_of(local, f), size = size_of(local, f);
        const Quat turn = load(turns(local), f);
        if (rule.position.any()) {
            const Vec3 world = pick(rule.position, mixed.place, apply(above, place));
            store_place(local, f, place + weight * (apply(inverse(above), world) - place));
        }
        // Below uneven scale turn and scale depend on each other: they are found in turn.
        Vec3 now = size;
        for (int round = 0; round < 100; ++round) {
            if (rule.orientation.any()) {
                const Quat up = load4(tile.scalar(rule.parent_turn), f);
                const Quat away = mixed.turn * conjugate(rule.rest_orientation);
                const Quat world = about(rule.orientation, away) * rule.rest_orientation;
                const Quat wanted = local_turn(above, up, world, now, rule.lead);
                store(turns(local), f, normalized(slerp(turn, wanted, weight)));
            }
            if (!rule.scale.any()) break;
            const Vec3 longer = lengths_above(above, load(turns(local), f));
            const Vec3 wanted = pick(rule.scale, divide(mixed.size, longer), size);
            const Vec3 next = size + weight * (wanted - size), change = next - now;
            store_size(local, f, next);
            now = next;
            if (!rule.orientation.any() || dot(change, change) <= 1e-26 * dot(now, now)) break;
        }
    }
}

void read_part(TomlTable& t, const std::string& part, FollowRule& rule) {
    const auto dot = part.find('.');
    const std::string word = part.substr(0, dot),
                      axis = dot == part.npos ? "" : part.substr(dot + 1);
    AxisMask* mask = word == "position"      ? &rule.position
                     : word == "orientation" ? &rule.orientation
                     : word == "scale"       ? &rule.scale
                                             : nullptr;
    if (mask == nullptr || (dot != part.npos && axis != "X" && axis != "Y" && axis != "Z")) {
        t.fail(Code::kValueBad, "parts", part,
               "position, orientation or scale, or one axis of them such as position.X");
        return;
    }
    mask->x = mask->x || axis.empty() || axis == "X";
    mask->y = mask->y || axis.empty() || axis == "Y";
    mask->z = mask->z || axis.empty() || axis == "Z";
}

/// One source with its whole weight, and whole parts: nothing of the keys is left.
bool is_plain(const BoundFollow& rule) {
    const auto whole = [](const AxisMask& m) { return m.all() || !m.any(); };
    return rule.sources.size() == 1 && rule.sources[0].weight == kNone && rule.weight == kNone &&
           whole(rule.position) && whole(rule.orientation) && whole(rule.scale);
}

int written(const FollowRule& rule) {
    const auto bits = [](const AxisMask& m, int x) {
        return (m.x ? x : 0) + (m.y ? 2 * x : 0) + (m.z ? 4 * x : 0);
    };
    // Axes of the world move any local axis: a masked position is a position.
    return (rule.position.any() ? kPosition : 0) + (rule.orientation.any() ? kOrientation : 0) +
           bits(rule.scale, kScaleX);
}

}  // namespace

FollowRule read_follow(TomlTable& t) {
    FollowRule rule;
    rule.node = t.text("node");
    if (t.is_text("source")) {
        rule.sources.push_back({t.text("source"), {}});
    } else {
        for (const toml::table* table : t.tables("source")) {
            TomlTable s = t.inner(*table, "source");
            const std::string node = s.text("node");
            rule.sources.push_back({node, read_amount(s, "weight", 1)});
            s.close();
        }
        if (rule.sources.empty())
            t.fail(Code::kKeyMissing, "", "no source", "source = \"node\", or [[rule.source]]",
                   "add: source = \"...\"");
    }
    for (const std::string& part : t.texts("parts", {"position", "orientation"}))
        read_part(t, part, rule);
    rule.keep_offset = t.choice("offset", {"keep", "none"}, "keep") == "keep";
    rule.weight = read_amount(t, "weight", 1);
    return rule;
}

void convert(FollowRule& rule, const Conversion& c) {
    for (AxisMask* mask : {&rule.position, &rule.orientation, &rule.scale})
        *mask = turned(*mask, c);
}

Result<BoundFollow> bind(const FollowRule& rule, Binder& binder) {
    BoundFollow bound{};
    MELLOW_TRY(bound.node, binder.node("node", rule.node));
    bound.parent = row_above(binder, bound.node);
    bound.position = rule.position;
    bound.orientation = rule.orientation;
    bound.scale = rule.scale;
    const Affine& n = binder.rest(bound.node);
    bound.lead = rest_lead(binder.rest_above(bound.node), binder.rest_local(bound.node));
    std::string names;
    for (const WeightedSource& source : rule.sources) {
        BoundFollow::Source from{};
        MELLOW_TRY(from.node, binder.node("source", source.node));
        MELLOW_TRY(from.weight, binder.amount(source.weight));
        from.scale = {1, 1, 1};
        if (rule.keep_offset) {
            const Affine& s = binder.rest(from.node);
            from.position = apply(inverse(s), n.o);
            from.orientation = conjugate(orientation(s)) * orientation(n);
            from.scale = divide(column_lengths(n), column_lengths(s)) *
                         signs(binder.rest_local(bound.node).s);
        }
        from.turn = rule.orientation.any() ? binder.reads_turn(from.node) : kNone;
        binder.reads_world(from.node);
        bound.sources.push_back(from);
        names += (names.empty() ? "" : ", ") + source.node;
    }
    if (rule.keep_offset) bound.rest_orientation = orientation(n);
    MELLOW_TRY(bound.weight, binder.amount(rule.weight));
    binder.reads_world(binder.parent(bound.node));
    if (rule.orientation.any()) bound.parent_turn = binder.reads_turn(binder.parent(bound.node));
    binder.line(fmt::format("follow {} <- {}", rule.node, names));
    MELLOW_CHECK(binder.writes(bound.node, written(rule)));
    if (rule.orientation.any() && !rule.scale.any()) binder.reads_own(bound.node, kScale);
    if (!is_plain(bound) || rule.scale.any()) binder.begins_from_keys(bound.node);
    return bound;
}

void run(const BoundFollow& rule, PoseTile& tile) {
    if (!is_plain(rule)) return follow_mixed(rule, tile);
    const BoundFollow::Source& from = rule.sources[0];
    const WorldRows source = world_rows(tile, from.node);
    const WorldRows parent = world_rows(tile, rule.parent);
    const LocalRowsOut local = local_rows(tile, rule.node);
    if (rule.position.any()) position_kernel(from.position, source, parent, local);
    if (rule.scale.any() && !rule.orientation.any())
        scale_kernel(from.scale, source, parent, local);
    if (!rule.orientation.any()) return;
    const TurnRows above = turn_rows(tile, rule.parent_turn);
    // Below uneven scale turn and scale depend on each other: they are found in turn.
    std::array<Vec3, kF> before;
    for (int round = 0; round < 100; ++round) {
        for (int f = 0; f < kF; ++f) before[static_cast<std::size_t>(f)] = size_of(local, f);
        orientation_kernel(from.orientation, turn_rows(tile, from.turn), above, turns(local));
        settle_turns(parent, above, rule.lead, local);
        if (!rule.scale.any()) return;
        scale_kernel(from.scale, source, parent, local);
        double change = 0;
        for (int f = 0; f < kF; ++f) {
            const Vec3 now = size_of(local, f), d = now - before[static_cast<std::size_t>(f)];
            change = std::max(change, dot(d, d) / std::max(dot(now, now), 1e-300));
        }
        if (change < 1e-26) return;
    }
}

}  // namespace mellow
