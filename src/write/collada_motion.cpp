// Animations of a COLLADA file: one curve per member, or one per matrix.
#include <algorithm>
#include <cmath>

#include "base/at.h"
#include "math/degrees.h"
#include "model/cubic_fit.h"
#include "write/collada_text.h"

namespace mellow {
namespace {

constexpr double kTurn_rad = 2e-7;
/// How long a step takes beside curves that are lines, seconds.
constexpr double kStepLength_s = 1e-5;

/// Keys of one number.
struct Keys {
    const char* interpolation = "LINEAR";
    std::vector<double> times, values;
    std::vector<double> before, after;  ///< control points, time and value, for BEZIER
};

/// One column of a curve of `width` numbers.
Keys column_of(const Curve& curve, std::size_t column, double factor) {
    const std::size_t width = at(curve.width), keys = curve.times.size();
    const bool cubic = curve.interpolation == Interpolation::kCubicSpline;
    const std::vector<double> values = curve.values.list();
    Keys out;
    out.interpolation = cubic                                         ? "BEZIER"
                        : curve.interpolation == Interpolation::kStep ? "STEP"
                                                                      : "LINEAR";
    out.times = curve.times;
    for (std::size_t k = 0; k < keys; ++k) {
        const double* v = &values[k * width * (cubic ? 3 : 1) + column];
        out.values.push_back(factor * v[cubic ? width : 0]);
        if (!cubic) continue;
        // A cubic Hermite segment is the Bezier one with its inner points at thirds.
        const double here = curve.times[k], value = out.values.back();
        const double back = (here - curve.times[k == 0 ? 0 : k - 1]) / 3,
                     on = (curve.times[std::min(k + 1, keys - 1)] - here) / 3;
        out.before.insert(out.before.end(), {here - back, value - factor * v[0] * back});
        out.after.insert(out.after.end(), {here + on, value + factor * v[2 * width] * on});
    }
    return out;
}

class MotionWriter {
  public:
    explicit MotionWriter(ColladaText& out) : out_(out), scene_(out.scene) {}

    void run() {
        bool open = false;
        for (std::size_t t = 0; t < scene_.timelines.size(); ++t) {
            const Timeline& timeline = scene_.timelines[t];
            for (const MorphCurve& morph : timeline.morphs)
                out_.left_out(
                    Place::of("mesh \"" + morph.mesh + "\""),
                    fmt::format("{} morph weights of a mesh in another file", morph.targets.size()),
                    "weights of meshes in this file", "convert the file with the mesh");
            if (timeline.channels.empty()) continue;
            if (!std::exchange(open, true)) out_.add("<library_animations>\n");
            auto span = key_span(timeline);
            if (out_.options.from_zero) span[0] = std::min(span[0], 0.0);
            const std::string id = fmt::format("motion{}", t);
            out_.add("<animation id=\"{}\">\n", id);
            add_timeline(timeline, id, false);
            if (count_ == 0) add_timeline(timeline, id, true);  // an animation holds something
            out_.add("</animation>\n");
            const std::string name = xml_name(timeline.name.empty() ? "motion" : timeline.name);
            fmt::format_to(std::back_inserter(clips_),
                           "<animation_clip id=\"clip{}\" name=\"{}\" start=\"{}\" end=\"{}\">"
                           "<instance_animation url=\"#{}\"/>{}</animation_clip>\n",
                           t, name, span[0], span[1], id,
                           timeline.name.empty() ? "" : name_extra(timeline.name, name));
        }
        if (!open) return;
        out_.add("</library_animations>\n<library_animation_clips>\n{}</library_animation_clips>\n",
                 clips_);
        if (curved_ > 0)
            out_.findings.push_back(
                {Code::kAssumed,
                 Severity::kNote,
                 "matrices",
                 fmt::format("cubic curves of {} nodes, sampled {} times a second", curved_,
                             to_text(scene_.rate)),
                 "straight lines from matrix to matrix",
                 "without matrices they stay curves",
                 {},
                 {{Call::Job::kConvert, {}, {{Call::Option::kMatrices}}}}});
        if (worst_ > kTurn_rad)
            out_.findings.push_back(
                {Code::kAssumed,
                 Severity::kWarning,
                 "rotations",
                 fmt::format(
                     "Euler curves that miss the motion between keys by up to {:.2g} degrees",
                     worst_ * kDegrees),
                 fmt::format("{:.2g} degrees at most", kTurn_rad * kDegrees),
                 "another order for the joints that turn to a right angle, or matrices",
                 {},
                 {{Call::Job::kConvert, {}, {{Call::Option::kOrder}, {Call::Option::kMatrices}}}}});
    }

  private:
    /// True for a column that never leaves what the node has at rest.
    static bool rests(const Keys& keys, double rest) {
        const auto near = [&](double v) {
            return std::abs(v - rest) <= 1e-7 * (1 + std::abs(rest));
        };
        return keys.before.empty() && std::all_of(keys.values.begin(), keys.values.end(), near);
    }

    /// `all`: curves that say nothing, too.
    void add_timeline(const Timeline& timeline, const std::string& id, bool all) {
        id_ = id;
        count_ = 0;
        if (out_.options.matrices) add_matrices(timeline);
        for (const Channel& channel : timeline.channels) {
            const std::string node = out_.node_id(channel.node);
            if (channel.path == Path::kWeights) {
                for (int w = 0; w < channel.curve.width; ++w)
                    add(column_of(channel.curve, at(w), 1),
                        fmt::format("{}-weights({})",
                                    out_.morph_id(scene_.nodes[at(channel.node)].mesh), w),
                        "MORPH_WEIGHT");
            } else if (out_.options.matrices) {
                continue;
            } else if (channel.path == Path::kRotation) {
                add_turn(channel, node);
            } else {
                const bool place = channel.path == Path::kTranslation;
                const Transform& local = scene_.nodes[at(channel.node)].local;
                const Vec3 rest = place ? local.t : local.s;
                const double rests_at[3] = {rest.x, rest.y, rest.z};
                for (std::size_t c = 0; c < 3; ++c)
                    if (const Keys keys = column_of(channel.curve, c, 1);
                        all || !rests(keys, rests_at[c]))
                        add(keys,
                            fmt::format("{}/{}.{}", node, place ? "translate" : "scale", "XYZ"[c]),
                            std::string(1, "XYZ"[c]));
            }
        }
    }

    void add_turn(const Channel& channel, const std::string& node) {
        const Curve& curve = channel.curve;
        const EulerOrder order = out_.order_of(channel.node);
        Curve angles{Interpolation::kStep, 3, curve.times, {}};
        if (curve.interpolation == Interpolation::kStep) {
            EulerAngles last{};
            for (std::size_t k = 0; k < curve.times.size(); ++k) {
                const KeyValues& q = curve.values;
                last =
                    to_euler(normalized(Quat{q[4 * k], q[4 * k + 1], q[4 * k + 2], q[4 * k + 3]}),
                             order, last);
                angles.values.append(last.begin(), last.end());
            }
        } else {
            angles = fit_angles(curve, order);
        }
        for (std::size_t i = 0; i < 3; ++i)
            add(column_of(angles, i, kDegrees),
                fmt::format("{}/rotate{}.ANGLE", node, "XYZ"[axes_of(order)[i]]), "ANGLE");
    }

    /// Euler angles of a curve of rotations, continuous through any number of turns.
    Curve fit_angles(const Curve& curve, EulerOrder order) {
        const auto angles_of = [](const double* v) { return EulerAngles{v[0], v[1], v[2]}; };
        CubicProblem problem;
        problem.width = 3;
        problem.knots = curve.times;
        problem.rate = scene_.rate;
        problem.tolerance = kTurn_rad;
        problem.value = [&](double t, double* out) {
            double q[4];
            sample(curve, true, {&t, 1}, q);
            const EulerAngles e = to_euler({q[0], q[1], q[2], q[3]}, order);
            std::copy(e.begin(), e.end(), out);
        };
        problem.follow = [&](const double* reference, double* v) {
            const EulerAngles e =
                to_euler(from_euler(angles_of(v), order), order, angles_of(reference));
            std::copy(e.begin(), e.end(), v);
        };
        problem.miss = [&](const double* a, const double* b) {
            return angle_between(from_euler(angles_of(a), order), from_euler(angles_of(b), order));
        };
        const CubicFit fit = fit_cubic(problem);
        worst_ = std::max(worst_, fit.worst);
        Curve out{
            fit.linear ? Interpolation::kLinear : Interpolation::kCubicSpline, 3, fit.times, {}};
        for (std::size_t k = 0; k < fit.times.size(); ++k)
            for (const auto* part : {&fit.in, &fit.values, &fit.out})
                if (!fit.linear || part == &fit.values)
                    out.values.append(part->begin() + static_cast<std::ptrdiff_t>(3 * k),
                                      part->begin() + static_cast<std::ptrdiff_t>(3 * k + 3));
        return out;
    }

    /// Whole matrices at the frames of the scene's rate and at all keys.
    void add_matrices(const Timeline& timeline) {
        std::map<int, std::vector<const Channel*>> of_node;
        for (const Channel& c : timeline.channels)
            if (c.path != Path::kWeights) of_node[c.node].push_back(&c);
        for (const auto& [node, channels] : of_node) {
            std::vector<double> times;
            const auto is = [](Interpolation kind) {
                return [kind](const Channel* c) { return c->curve.interpolation == kind; };
            };
            const bool steps =
                std::all_of(channels.begin(), channels.end(), is(Interpolation::kStep));
            curved_ +=
                std::any_of(channels.begin(), channels.end(), is(Interpolation::kCubicSpline)) ? 1
                                                                                               : 0;
            for (const Channel* c : channels) {
                times.insert(times.end(), c->curve.times.begin(), c->curve.times.end());
                // Beside straight lines a step is one of next to no length.
                if (!steps && c->curve.interpolation == Interpolation::kStep)
                    for (std::size_t k = 1; k < c->curve.times.size(); ++k)
                        times.push_back(c->curve.times[k] - kStepLength_s);
            }
            std::sort(times.begin(), times.end());
            const double first = times.front(), last = times.back();
            for (auto f = static_cast<std::int64_t>(std::ceil(first * scene_.rate.per_second()));
                 !steps && scene_.rate.seconds(f) < last; ++f)
                times.push_back(scene_.rate.seconds(f));
            std::sort(times.begin(), times.end());
            times.erase(std::unique(times.begin(), times.end(),
                                    [](double a, double b) { return b - a < 1e-6; }),
                        times.end());
            std::vector<double> values;
            for (const double t : times) {
                Transform local = scene_.nodes[at(node)].local;
                for (const Channel* c : channels) {
                    double v[4];
                    sample(c->curve, c->path == Path::kRotation, {&t, 1}, v);
                    if (c->path == Path::kTranslation) local.t = {v[0], v[1], v[2]};
                    if (c->path == Path::kRotation) local.r = {v[0], v[1], v[2], v[3]};
                    if (c->path == Path::kScale) local.s = {v[0], v[1], v[2]};
                }
                Affine shear = scene_.nodes[at(node)].shear.value_or(Affine{});
                for (const ShearCurve& curve : timeline.shears) {
                    if (curve.node != node) continue;
                    double k[9];
                    sample(curve.curve, false, {&t, 1}, k);
                    shear = {{k[0], k[1], k[2]}, {k[3], k[4], k[5]}, {k[6], k[7], k[8]}, {}};
                }
                const auto m = matrix_numbers(to_affine(local) * shear);
                values.insert(values.end(), m.begin(), m.end());
            }
            const std::string id = next_id();
            out_.add("<animation>\n");
            out_.source(id + "-in", times, 1, {"TIME"});
            out_.source(id + "-out", values, 16, {"TRANSFORM"}, "float4x4");
            finish(id, times.size(), steps ? "STEP" : "LINEAR", false,
                   out_.node_id(node) + "/transform");
        }
    }

    std::string next_id() { return fmt::format("{}-{}", id_, count_++); }

    void add(const Keys& keys, const std::string& target, const std::string& param) {
        const std::string id = next_id();
        const bool curved = !keys.before.empty();
        out_.add("<animation>\n");
        out_.source(id + "-in", keys.times, 1, {"TIME"});
        out_.source(id + "-out", keys.values, 1, {param.c_str()});
        if (curved) {
            out_.source(id + "-before", keys.before, 2, {"X", "Y"});
            out_.source(id + "-after", keys.after, 2, {"X", "Y"});
        }
        finish(id, keys.times.size(), keys.interpolation, curved, target);
    }

    void finish(const std::string& id, std::size_t keys, const char* interpolation, bool curved,
                const std::string& target) {
        out_.names_source(id + "-kinds", "Name_array",
                          std::vector<std::string>(keys, interpolation), "INTERPOLATION", "Name");
        out_.add(
            "<sampler id=\"{0}\"><input semantic=\"INPUT\" source=\"#{0}-in\"/><input "
            "semantic=\"OUTPUT\" source=\"#{0}-out\"/>",
            id);
        if (curved)
            out_.add(
                "<input semantic=\"IN_TANGENT\" source=\"#{0}-before\"/><input "
                "semantic=\"OUT_TANGENT\" source=\"#{0}-after\"/>",
                id);
        out_.add(
            "<input semantic=\"INTERPOLATION\" source=\"#{0}-kinds\"/></sampler>\n<channel "
            "source=\"#{0}\" target=\"{1}\"/>\n</animation>\n",
            id, target);
    }

    ColladaText& out_;
    const Scene& scene_;
    std::string id_, clips_;
    int count_ = 0;
    double worst_ = 0;
    int curved_ = 0;  ///< nodes whose matrices stand for cubic curves
};

}  // namespace

std::array<double, 16> matrix_numbers(const Affine& m) {
    return {m.x.x, m.y.x, m.z.x, m.o.x, m.x.y, m.y.y, m.z.y, m.o.y,
            m.x.z, m.y.z, m.z.z, m.o.z, 0,     0,     0,     1};
}

void write_collada_motion(ColladaText& out) { MotionWriter(out).run(); }

}  // namespace mellow
