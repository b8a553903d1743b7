// Turning member curves into channels; declared in scene.h.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/at.h"
#include "mellow/scene.h"
#include "model/cubic_fit.h"

namespace mellow {
namespace {

constexpr double kTurn_rad = 1e-7, kPlace_m = 1e-7, kRatio = 1e-7;

/// Beyond 100 the difference counts in proportion: double precision has no more to give.
double largest_difference(const double* a, const double* b, std::size_t width) {
    double most = 0, size = 1;
    for (std::size_t i = 0; i < width; ++i) {
        most = std::max(most, std::abs(a[i] - b[i]));
        size = std::max(size, std::abs(b[i]) / 100);
    }
    return most / size;
}

/// All key times of a run, and the ends of the span, within the span.
std::vector<double> knots_of(std::span<const MemberCurve> run, const Timeline& timeline) {
    std::vector<double> knots;
    for (const MemberCurve& c : run) knots.insert(knots.end(), c.times.begin(), c.times.end());
    std::sort(knots.begin(), knots.end());
    const auto span = timeline.span.value_or(std::array{knots.front(), knots.back()});
    std::erase_if(knots, [&](double t) { return t <= span[0] || t >= span[1]; });
    knots.insert(knots.begin(), span[0]);
    if (span[1] > span[0]) knots.push_back(span[1]);
    // Times that differ by rounding alone are one time.
    knots.erase(std::unique(knots.begin(), knots.end(),
                            [](double a, double b) { return b - a < 1e-9 * (1 + b); }),
                knots.end());
    return knots;
}

Curve curve_of(const CubicFit& fit, int width) {
    Curve curve{
        fit.linear ? Interpolation::kLinear : Interpolation::kCubicSpline, width, fit.times, {}};
    if (fit.linear) {
        curve.values = fit.values;
        return curve;
    }
    const std::size_t w = at(width);
    std::vector<double> values;
    values.reserve(3 * fit.values.size());
    for (std::size_t k = 0; k < fit.times.size(); ++k)
        for (const auto* part : {&fit.in, &fit.values, &fit.out})
            values.insert(values.end(), part->begin() + static_cast<std::ptrdiff_t>(k * w),
                          part->begin() + static_cast<std::ptrdiff_t>((k + 1) * w));
    curve.values = std::move(values);
    return curve;
}

/// Straight lines of quaternions are played as arcs: whether those fit is measured apart.
bool arcs_fit(const CubicFit& fit, const CubicProblem& problem) {
    Curve arcs{Interpolation::kLinear, 4, fit.times, fit.values};
    double exact[4], played[4];
    for (std::size_t k = 0; k + 1 < fit.times.size(); ++k)
        for (const double u : {0.25, 0.5, 0.75}) {
            const double t = fit.times[k] + u * (fit.times[k + 1] - fit.times[k]);
            problem.value(t, exact);
            sample(arcs, true, {&t, 1}, played);
            problem.follow(exact, played);
            if (problem.miss(played, exact) > problem.tolerance) return false;
        }
    return true;
}

/// A STEP curve when the function holds its value from each knot to the next, else nothing.
std::optional<Curve> held(const CubicProblem& problem) {
    Curve curve{Interpolation::kStep, problem.width, problem.knots, {}};
    const std::size_t w = at(problem.width);
    std::vector<double> start(w), later(w);
    bool moves = false;
    for (std::size_t k = 0; k < problem.knots.size(); ++k) {
        const double t = problem.knots[k];
        problem.value(t, start.data());
        if (k > 0) moves |= problem.miss(later.data(), start.data()) > problem.tolerance;
        curve.values.append(start.begin(), start.end());
        if (k + 1 == problem.knots.size()) break;
        const double next = problem.knots[k + 1];
        for (const double at_time : {t + (next - t) / 2, std::nextafter(next, t)}) {
            problem.value(at_time, later.data());
            if (problem.miss(later.data(), start.data()) > 1e-3 * problem.tolerance) return {};
        }
    }
    if (!moves) return {};
    return curve;
}

/// Keeps what lies within the span, with keys at its ends. Cubic curves come from stacks and were
/// fitted to the span.
void cut(Curve& curve, bool rotation, const std::array<double, 2>& span) {
    if (curve.interpolation == Interpolation::kCubicSpline) return;
    std::vector<double> times{span[0]};
    for (const double t : curve.times)
        if (t > span[0] && t < span[1]) times.push_back(t);
    if (span[1] > span[0]) times.push_back(span[1]);
    std::vector<double> values(times.size() * at(curve.width));
    sample(curve, rotation, times, values.data());
    curve.times = std::move(times);
    curve.values = std::move(values);
}

class Composer {
  public:
    explicit Composer(Scene& scene)
        : scene_(scene), change_(scene.stack_convention, scene.convention) {}

    Findings run() {
        for (Timeline& timeline : scene_.timelines) {
            for (const auto run : member_runs(timeline.members)) {
                std::size_t weights = 0;
                while (weights < run.size() && run[weights].element == kNone) ++weights;
                if (weights > 0) add_weights(run.first(weights), timeline);
                if (weights < run.size()) add_stack(run.subspan(weights), timeline);
            }
            timeline.members.clear();
            if (timeline.span)
                for (Channel& channel : timeline.channels)
                    cut(channel.curve, channel.path == Path::kRotation, *timeline.span);
            timeline.span.reset();
        }
        for (Node& node : scene_.nodes) node.stack.clear();
        if (jumps_ > 0)
            findings_.push_back({Code::kAssumed, Severity::kNote, "member curves",
                                 fmt::format("{} jumps", jumps_),
                                 "curves without jumps, or whole transforms that jump",
                                 "each was made two keys 10 microseconds apart; nothing to do"});
        if (worst_ > 1)
            findings_.push_back(
                {Code::kAssumed,
                 Severity::kWarning,
                 "member curves",
                 fmt::format("curves that cubic splines miss by up to {:.3g} radians or metres",
                             worst_ * kTurn_rad),
                 fmt::format("{:g} at most", kTurn_rad),
                 "sample them",
                 {},
                 {{Call::Job::kConvert, {}, {{Call::Option::kToRate}}}}});
        return std::move(findings_);
    }

  private:
    CubicFit fit(CubicProblem& problem) {
        CubicFit out = fit_cubic(problem);
        jumps_ += out.jumps;
        worst_ = std::max(worst_, out.worst / problem.tolerance);
        return out;
    }
    Curve fitted(CubicProblem& problem) {
        if (auto steps = held(problem)) return std::move(*steps);
        return curve_of(fit(problem), problem.width);
    }
    CubicProblem problem(std::span<const MemberCurve> run, const Timeline& timeline, int width,
                         double tolerance) const {
        CubicProblem p;
        p.width = width;
        p.knots = knots_of(run, timeline);
        p.rate = scene_.rate;
        p.tolerance = tolerance;
        const std::size_t w = at(width);
        p.miss = [w](const double* a, const double* b) { return largest_difference(a, b, w); };
        return p;
    }

    void add_stack(std::span<const MemberCurve> run, Timeline& timeline) {
        const int n = run[0].node;
        const Node& node = scene_.nodes[at(n)];
        std::vector<double> scratch(scratch_size(run));
        const auto transform = [&](double t) {
            Transform out;
            sample_stack(node.stack, run, change_, {&t, 1}, scratch.data(), &out);
            return out;
        };
        if (can_shear(node.stack)) keep_shear(run, timeline);
        const double unit = 1 / scene_.convention.metres_per_unit;
        CubicProblem place = problem(run, timeline, 3, kPlace_m * unit);
        place.value = [&](double t, double* out) {
            const Vec3 v = transform(t).t;
            out[0] = v.x, out[1] = v.y, out[2] = v.z;
        };
        keep(timeline, {n, Path::kTranslation, fitted(place)},
             {node.local.t.x, node.local.t.y, node.local.t.z}, place.tolerance);
        CubicProblem scale = problem(run, timeline, 3, kRatio);
        scale.value = [&](double t, double* out) {
            const Vec3 v = transform(t).s;
            out[0] = v.x, out[1] = v.y, out[2] = v.z;
        };
        keep(timeline, {n, Path::kScale, fitted(scale)},
             {node.local.s.x, node.local.s.y, node.local.s.z}, kRatio);
        CubicProblem turn = problem(run, timeline, 4, kTurn_rad / 2);
        turn.value = [&](double t, double* out) {
            const Quat q = transform(t).r;
            out[0] = q.x, out[1] = q.y, out[2] = q.z, out[3] = q.w;
        };
        turn.follow = [](const double* reference, double* q) {
            double d = 0;
            for (int i = 0; i < 4; ++i) d += reference[i] * q[i];
            for (int i = 0; d < 0 && i < 4; ++i) q[i] = -q[i];
        };
        turn.miss = [](const double* fitted, const double* exact) {
            const Quat q = normalized(Quat{fitted[0], fitted[1], fitted[2], fitted[3]});
            const double unit_q[4] = {q.x, q.y, q.z, q.w};
            return largest_difference(unit_q, exact, 4);
        };
        Curve turned;
        if (auto steps = held(turn)) {
            turned = std::move(*steps);
        } else {
            CubicFit curved = fit(turn);
            curved.linear = arcs_fit(curved, turn);
            turned = curve_of(curved, 4);
        }
        const std::size_t value = turned.interpolation == Interpolation::kCubicSpline ? 4 : 0;
        const double* q = &turned.values.doubles()[value];
        const Quat r = nearest(node.local.r, {q[0], q[1], q[2], q[3]});
        keep(timeline, {n, Path::kRotation, std::move(turned)}, {r.x, r.y, r.z, r.w},
             kTurn_rad / 2);
    }

    /// Shear goes along as a curve of its own, by frames; channels have none.
    void keep_shear(std::span<const MemberCurve> run, Timeline& timeline) {
        const int n = run[0].node;
        std::vector<double> times = knots_of(run, timeline), scratch(scratch_size(run));
        const double first = times.front(), last = times.back(), k = scene_.rate.per_second();
        for (auto f = static_cast<std::int64_t>(std::ceil(first * k));
             scene_.rate.seconds(f) < last; ++f)
            times.push_back(scene_.rate.seconds(f));
        std::sort(times.begin(), times.end());
        times.erase(std::unique(times.begin(), times.end()), times.end());
        ShearCurve shear{n, {Interpolation::kLinear, 9, times, {}}};
        double worst = 0;
        for (const double t : times) {
            Transform local;
            Affine m;
            worst = std::max(worst, sample_stack(scene_.nodes[at(n)].stack, run, change_, {&t, 1},
                                                 scratch.data(), &local, &m));
            for (const Vec3 column : {m.x, m.y, m.z})
                shear.curve.values.append({column.x, column.y, column.z});
        }
        if (worst > 1e-6) timeline.shears.push_back(std::move(shear));
    }

    void add_weights(std::span<const MemberCurve> run, Timeline& timeline) {
        const int n = run[0].node;
        const std::vector<double> rest = rest_weights(scene_, n);
        CubicProblem weights = problem(run, timeline, static_cast<int>(rest.size()), kRatio);
        weights.value = [&](double t, double* out) {
            std::copy(rest.begin(), rest.end(), out);
            for (const MemberCurve& c : run) sample(c, {&t, 1}, out + c.member);
        };
        timeline.channels.push_back({n, Path::kWeights, fitted(weights)});
    }

    /// A channel that never leaves the rest value says nothing.
    static void keep(Timeline& timeline, Channel channel, const std::vector<double>& rest,
                     double tolerance) {
        const Curve& c = channel.curve;
        const std::size_t w = rest.size(), stride = c.values.size() / c.times.size();
        bool still = c.interpolation == Interpolation::kLinear;
        for (std::size_t k = 0; still && k < c.times.size(); ++k)
            still =
                largest_difference(&c.values.doubles()[k * stride], rest.data(), w) <= tolerance;
        if (!still) timeline.channels.push_back(std::move(channel));
    }

    Scene& scene_;
    Conversion change_;
    Findings findings_;
    int jumps_ = 0;
    double worst_ = 0;
};

}  // namespace

Findings compose_stacks(Scene& scene) { return Composer(scene).run(); }

}  // namespace mellow
