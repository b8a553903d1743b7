#include "reference.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <stdexcept>

namespace mellow::test {
namespace {

using Vector = std::array<double, 3>;

Vector sub(Vector a, Vector b) { return {a[0] - b[0], a[1] - b[1], a[2] - b[2]}; }
Vector mul(Vector a, double k) { return {a[0] * k, a[1] * k, a[2] * k}; }
double inner(Vector a, Vector b) { return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]; }
double norm(Vector a) { return std::sqrt(inner(a, a)); }
Vector unit(Vector a) { return mul(a, 1 / norm(a)); }
Vector outer(Vector a, Vector b) {
    return {a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]};
}

Matrix identity() { return {{{1, 0, 0, 0}, {0, 1, 0, 0}, {0, 0, 1, 0}, {0, 0, 0, 1}}}; }
Matrix times(const Matrix& a, const Matrix& b) {
    Matrix m{};
    for (std::size_t r = 0; r < 4; ++r)
        for (std::size_t c = 0; c < 4; ++c)
            for (std::size_t k = 0; k < 4; ++k) m[r][c] += a[r][k] * b[k][c];
    return m;
}
Vector origin(const Matrix& m) { return {m[0][3], m[1][3], m[2][3]}; }

/// Gauss-Jordan elimination.
Matrix inverted(Matrix a) {
    Matrix b = identity();
    for (std::size_t i = 0; i < 4; ++i) {
        std::size_t p = i;
        for (std::size_t r = i; r < 4; ++r)
            if (std::abs(a[r][i]) > std::abs(a[p][i])) p = r;
        std::swap(a[i], a[p]), std::swap(b[i], b[p]);
        const double k = a[i][i];
        for (std::size_t c = 0; c < 4; ++c) a[i][c] /= k, b[i][c] /= k;
        for (std::size_t r = 0; r < 4; ++r) {
            if (r == i) continue;
            const double f = a[r][i];
            for (std::size_t c = 0; c < 4; ++c) a[r][c] -= f * a[i][c], b[r][c] -= f * b[i][c];
        }
    }
    return b;
}

/// The textbook matrix of a unit quaternion, here as (x, y, z, w).
Matrix turn(const std::array<double, 4>& q) {
    const double x = q[0], y = q[1], z = q[2], w = q[3];
    Matrix m = identity();
    m[0] = {w * w + x * x - y * y - z * z, 2 * (x * y - w * z), 2 * (x * z + w * y), 0};
    m[1] = {2 * (x * y + w * z), w * w - x * x + y * y - z * z, 2 * (y * z - w * x), 0};
    m[2] = {2 * (x * z - w * y), 2 * (y * z + w * x), w * w - x * x - y * y + z * z, 0};
    return m;
}

/// Pure rotation of a matrix without shear: each column at length 1.
Matrix without_scale(Matrix m) {
    for (std::size_t c = 0; c < 3; ++c) {
        const double n = norm({m[0][c], m[1][c], m[2][c]});
        for (std::size_t r = 0; r < 3; ++r) m[r][c] /= n;
    }
    for (std::size_t r = 0; r < 3; ++r) m[r][3] = 0;
    return m;
}

Matrix from_columns(Vector x, Vector y, Vector z) {
    return {{{x[0], y[0], z[0], 0}, {x[1], y[1], z[1], 0}, {x[2], y[2], z[2], 0}, {0, 0, 0, 1}}};
}

/// A node's local transform taken apart, so that a rule can replace one part.
struct Local {
    Matrix place = identity(), orientation = identity(), size = identity();
    Matrix matrix() const { return times(place, times(orientation, size)); }
};

std::vector<double> curve_at(const Curve& c, bool rotation, double t) {
    const auto w = static_cast<std::size_t>(c.width);
    const bool cubic = c.interpolation == Interpolation::kCubicSpline;
    const std::size_t stride = cubic ? 3 * w : w, mid = cubic ? w : 0;
    std::size_t k = 0;
    while (k + 1 < c.times.size() && c.times[k + 1] <= t) ++k;
    const std::vector<double> all = c.values.list();
    std::vector<double> a(all.begin() + static_cast<long>(k * stride + mid),
                          all.begin() + static_cast<long>(k * stride + mid + w));
    if (k + 1 >= c.times.size() || t <= c.times[k] || c.interpolation == Interpolation::kStep)
        return a;
    std::vector<double> b(all.begin() + static_cast<long>((k + 1) * stride + mid),
                          all.begin() + static_cast<long>((k + 1) * stride + mid + w));
    const double dt = c.times[k + 1] - c.times[k], s = (t - c.times[k]) / dt;
    std::vector<double> out(w);
    if (cubic) {
        for (std::size_t i = 0; i < w; ++i) {
            const double m0 = dt * c.values[k * stride + 2 * w + i],
                         m1 = dt * c.values[(k + 1) * stride + i];
            // The cubic through (0, a) and (1, b) with these slopes, by its coefficients.
            const double c3 = 2 * a[i] - 2 * b[i] + m0 + m1,
                         c2 = -3 * a[i] + 3 * b[i] - 2 * m0 - m1;
            out[i] = ((c3 * s + c2) * s + m0) * s + a[i];
        }
    } else if (rotation) {
        double cosine = 0;
        for (std::size_t i = 0; i < 4; ++i) cosine += a[i] * b[i];
        if (cosine < 0) {
            for (double& v : b) v = -v;
            cosine = -cosine;
        }
        const double angle = std::acos(std::min(1.0, cosine));
        for (std::size_t i = 0; i < 4; ++i)
            out[i] = angle < 1e-9
                         ? a[i]
                         : (a[i] * std::sin((1 - s) * angle) + b[i] * std::sin(s * angle)) /
                               std::sin(angle);
    } else {
        for (std::size_t i = 0; i < w; ++i) out[i] = a[i] + s * (b[i] - a[i]);
    }
    if (rotation) {
        double n = 0;
        for (const double v : out) n += v * v;
        for (double& v : out) v /= std::sqrt(n);
    }
    return out;
}

struct Evaluator {
    const Scene& scene;
    const RigSheet& sheet;
    std::vector<Matrix> rest, world;
    std::vector<Local> local, rest_local;

    std::size_t node(const std::string& name) const {
        for (const std::string& full : {name, sheet.prefix + name})
            if (const int n = find_node(scene, full); n != kNone)
                return static_cast<std::size_t>(n);
        throw std::runtime_error("no node " + name);
    }
    Matrix above(std::size_t n) const {
        const int p = scene.nodes[n].parent;
        return p == kNone ? identity() : world[static_cast<std::size_t>(p)];
    }
    void update() {
        for (const int n : parents_first(scene))
            world[static_cast<std::size_t>(n)] = times(above(static_cast<std::size_t>(n)),
                                                       local[static_cast<std::size_t>(n)].matrix());
    }

    void apply(const FollowRule& r) {
        if (r.sources.size() != 1 || r.weight.value != 1) throw std::runtime_error("not written");
        const std::size_t n = node(r.node), s = node(r.sources[0].node);
        const Matrix target =
            r.keep_offset ? times(world[s], times(inverted(rest[s]), rest[n])) : world[s];
        if (r.position.all()) {
            const Vector p = origin(times(inverted(above(n)), target));
            for (std::size_t i = 0; i < 3; ++i) local[n].place[i][3] = p[i];
        }
        const Matrix kept = times(inverted(without_scale(rest[s])), without_scale(rest[n]));
        const Matrix facing =
            r.keep_offset ? times(without_scale(world[s]), kept) : without_scale(world[s]);
        if (r.orientation.all())
            local[n].orientation = times(inverted(without_scale(above(n))), facing);
    }

    /// Two bones: the angle at the start by the law of cosines; the frames are built in the world.
    void apply(const LimbRule& r) {
        const std::size_t a = node(r.start), b = node(r.mid), c = node(r.end), g = node(r.goal),
                          p = node(r.pole);
        const double l1 = norm(sub(origin(rest[b]), origin(rest[a]))),
                     l2 = norm(sub(origin(rest[c]), origin(rest[b])));
        const Vector from = origin(world[a]);
        const Vector u = unit(sub(origin(world[g]), from));
        const double d = std::clamp(norm(sub(origin(world[g]), from)), std::abs(l1 - l2), l1 + l2);
        const Vector to_pole = sub(origin(world[p]), from);
        const Vector v = unit(sub(to_pole, mul(u, inner(to_pole, u))));
        const double angle =
            std::acos(std::clamp((l1 * l1 + d * d - l2 * l2) / (2 * l1 * d), -1.0, 1.0));
        Vector elbow, wrist;
        for (std::size_t i = 0; i < 3; ++i) {
            elbow[i] = from[i] + l1 * (std::cos(angle) * u[i] + std::sin(angle) * v[i]);
            wrist[i] = from[i] + d * u[i];
        }
        const Vector hinge = outer(u, v);
        const auto frame = [](Vector along, Vector across) {
            return from_columns(unit(along), across, outer(unit(along), across));
        };
        const Vector rest1 = sub(origin(rest[b]), origin(rest[a])),
                     rest2 = sub(origin(rest[c]), origin(rest[b]));
        const Vector rest_hinge = unit(outer(rest2, rest1));
        const auto facing = [&](std::size_t n, Vector now, Vector before) {
            return times(times(frame(now, hinge), inverted(frame(before, rest_hinge))),
                         without_scale(rest[n]));
        };
        const Matrix wa = facing(a, sub(elbow, from), rest1),
                     wb = facing(b, sub(wrist, elbow), rest2);
        local[a].orientation = times(inverted(without_scale(above(a))), wa);
        local[b].orientation = times(inverted(wa), wb);
        if (!r.end_follows_goal) return;
        const Matrix wc = times(without_scale(world[g]),
                                times(inverted(without_scale(rest[g])), without_scale(rest[c])));
        local[c].orientation = times(inverted(wb), wc);
    }

    /// The axis at the source, the up axis at the world's direction: two frames, one onto the
    /// other.
    void apply(const AimRule& r) {
        if (!r.up_node.empty() || r.keep_offset) throw std::runtime_error("not written");
        const std::size_t n = node(r.node);
        const auto frame = [](Vector along, Vector up) {
            const Vector v = unit(sub(up, mul(along, inner(up, along))));
            return from_columns(along, v, outer(along, v));
        };
        const Vector u = unit(sub(origin(world[node(r.source)]), origin(world[n])));
        const Matrix own =
            frame({r.axis.x, r.axis.y, r.axis.z}, {r.up_axis.x, r.up_axis.y, r.up_axis.z});
        local[n].orientation = times(inverted(without_scale(above(n))),
                                     times(frame(u, {r.up.x, r.up.y, r.up.z}), inverted(own)));
    }

    void apply(const DriveRule&) {}
    template <class Other>
    void apply(const Other&) {
        throw std::runtime_error("not written");
    }

    double driven(const DriveRule& r) const {
        double product = 1;
        for (const DriveInput& input : r.inputs) {
            if (input.of != DriveInput::Of::kSwing) throw std::runtime_error("not written");
            product *= through(input.curve, swing_degrees(node(input.node), input.axis));
        }
        return product;
    }
    double swing_degrees(std::size_t j, Vec3 about) const {
        const Matrix m = times(inverted(rest_local[j].orientation), local[j].orientation);
        const Vector axis{about.x, about.y, about.z};
        Vector moved{};
        for (std::size_t i = 0; i < 3; ++i)
            for (std::size_t k = 0; k < 3; ++k) moved[i] += m[i][k] * axis[k];
        return std::acos(std::clamp(inner(axis, moved), -1.0, 1.0)) * 180 / std::numbers::pi;
    }
    static double through(const ValueCurve& curve, double at) {
        const auto& p = curve.points;
        for (std::size_t i = 1; i < p.size(); ++i) {
            if (at > p[i].at) continue;
            double s = std::max(0.0, (at - p[i - 1].at) / (p[i].at - p[i - 1].at));
            if (curve.shape == CurveShape::kSmooth) s = 3 * s * s - 2 * s * s * s;
            return p[i - 1].value * (1 - s) + p[i].value * s;
        }
        return p.back().value;
    }
};

Local local_of(const Transform& t) {
    Local l;
    l.place[0][3] = t.t.x, l.place[1][3] = t.t.y, l.place[2][3] = t.t.z;
    l.orientation = turn({t.r.x, t.r.y, t.r.z, t.r.w});
    l.size[0][0] = t.s.x, l.size[1][1] = t.s.y, l.size[2][2] = t.s.z;
    return l;
}

}  // namespace

ReferencePose reference_pose(const Scene& scene, int timeline, const RigSheet& sheet,
                             double seconds) {
    Evaluator e{scene, sheet, {}, std::vector<Matrix>(scene.nodes.size()), {}, {}};
    for (const Node& n : scene.nodes) e.local.push_back(local_of(n.local));
    e.rest_local = e.local;
    e.update();
    e.rest = e.world;
    for (const Channel& c : scene.timelines[static_cast<std::size_t>(timeline)].channels) {
        Local& l = e.local[static_cast<std::size_t>(c.node)];
        const auto v = curve_at(c.curve, c.path == Path::kRotation, seconds);
        if (c.path == Path::kTranslation)
            l.place[0][3] = v[0], l.place[1][3] = v[1], l.place[2][3] = v[2];
        if (c.path == Path::kRotation) l.orientation = turn({v[0], v[1], v[2], v[3]});
        if (c.path == Path::kScale) l.size[0][0] = v[0], l.size[1][1] = v[1], l.size[2][2] = v[2];
    }
    e.update();
    // Rules settle from the sources on: as many rounds as there are rules are always enough.
    for (std::size_t round = 0; round < sheet.rules.size() + 1; ++round)
        for (const Rule& rule : sheet.rules) {
            std::visit([&](const auto& body) { e.apply(body); }, rule.body);
            e.update();
        }
    ReferencePose pose;
    pose.worlds = e.world;
    for (const Rule& rule : sheet.rules)
        if (const auto* drive = std::get_if<DriveRule>(&rule.body))
            pose.driven[drive->node + "/" + drive->target] = e.driven(*drive);
    return pose;
}

}  // namespace mellow::test
