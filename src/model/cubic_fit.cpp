#include "model/cubic_fit.h"

#include <algorithm>
#include <cmath>
#include <cstddef>

namespace mellow {
namespace {

using Row = std::vector<double>;

class Fitter {
  public:
    explicit Fitter(const CubicProblem& problem)
        : p_(problem), width_(static_cast<std::size_t>(problem.width)) {}

    CubicFit run() {
        const std::vector<double>& knots = p_.knots;
        const double frames = (knots.back() - knots.front()) * p_.rate.per_second();
        most_ = 8 * (knots.size() + static_cast<std::size_t>(std::min(frames, 30000.0)));
        Row start(width_);
        p_.value(knots[0], start.data());
        push(knots[0], start, Row(width_, 0.0));
        fit_.linear = true;
        for (std::size_t k = 0; k + 1 < knots.size(); ++k) {
            const bool last = k + 2 == knots.size();
            const double jump = std::max(kJump_s, 2.4e-7 * knots[k + 1]);
            Row end = at(std::nextafter(knots[k + 1], knots[k]), current_);
            Row later = at(knots[k + 1], end);
            // A knot with two values: the earlier one is held up to just before it.
            const bool jumps = p_.miss(end.data(), later.data()) > p_.tolerance &&
                               knots[k + 1] - knots[k] > 4 * jump;
            if (last && !jumps) end = later;
            segment(knots[k], knots[k + 1] - (jumps ? jump : 0), end, 0);
            if (!jumps) continue;
            ++fit_.jumps;
            const double slope = 1 / (knots[k + 1] - fit_.times.back());
            Row straight(width_);
            for (std::size_t i = 0; i < width_; ++i) straight[i] = (later[i] - end[i]) * slope;
            set_out(straight);
            push(knots[k + 1], later, straight);
        }
        return std::move(fit_);
    }

  private:
    Row at(double t, const Row& reference) const {
        Row row(width_);
        p_.value(t, row.data());
        if (p_.follow) p_.follow(reference.data(), row.data());
        return row;
    }
    void push(double t, const Row& row, const Row& in) {
        fit_.times.push_back(t);
        fit_.values.insert(fit_.values.end(), row.begin(), row.end());
        fit_.in.insert(fit_.in.end(), in.begin(), in.end());
        fit_.out.insert(fit_.out.end(), width_, 0.0);
        current_ = row;
    }
    void set_out(const Row& out) {
        std::copy(out.begin(), out.end(), fit_.out.end() - static_cast<std::ptrdiff_t>(width_));
    }

    /// From the last key to `b`, where the function comes to `end`.
    void segment(double a, double b, Row end, int depth) {
        const Row first = current_;
        const double dt = b - a, h = dt * 1e-3;
        const Row a1 = at(a + h, first), a2 = at(a + 2 * h, a1);
        const Row m[3] = {at(a + dt / 4, first), at(a + dt / 2, m[0]), at(a + 3 * dt / 4, m[1])};
        const Row b2 = at(b - 2 * h, m[2]), b1 = at(b - h, b2);
        if (p_.follow) p_.follow(b1.data(), end.data());
        Row out(width_), in(width_), curved(width_), straight(width_);
        for (std::size_t i = 0; i < width_; ++i) {
            out[i] = (4 * a1[i] - 3 * first[i] - a2[i]) / (2 * h);
            in[i] = (3 * end[i] - 4 * b1[i] + b2[i]) / (2 * h);
        }
        double worst = 0, worst_straight = 0;
        for (int q = 0; q < 3; ++q) {
            const double u = 0.25 * (q + 1), u2 = u * u, u3 = u2 * u;
            for (std::size_t i = 0; i < width_; ++i) {
                straight[i] = first[i] + u * (end[i] - first[i]);
                curved[i] = (2 * u3 - 3 * u2 + 1) * first[i] + dt * (u3 - 2 * u2 + u) * out[i] +
                            (3 * u2 - 2 * u3) * end[i] + dt * (u3 - u2) * in[i];
            }
            worst = std::max(worst, p_.miss(curved.data(), m[q].data()));
            worst_straight = std::max(worst_straight, p_.miss(straight.data(), m[q].data()));
        }
        const double frame = p_.rate.seconds(1);
        if (worst > p_.tolerance && dt > frame / 1024 && depth < 40 && fit_.times.size() < most_) {
            double middle = (a + b) / 2;
            const double nearest =
                p_.rate.seconds(static_cast<std::int64_t>(std::llround(middle / frame)));
            if (nearest > a + frame / 2 && nearest < b - frame / 2) middle = nearest;
            segment(a, middle, at(middle, m[1]), depth + 1);
            segment(middle, b, end, depth + 1);
            return;
        }
        fit_.worst = std::max(fit_.worst, worst);
        fit_.linear = fit_.linear && worst_straight <= p_.tolerance;
        set_out(out);
        push(b, end, in);
    }

    const CubicProblem& p_;
    std::size_t width_, most_ = 0;
    CubicFit fit_;
    Row current_;
};

}  // namespace

CubicFit fit_cubic(const CubicProblem& problem) { return Fitter(problem).run(); }

}  // namespace mellow
