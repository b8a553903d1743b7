#include "rig/chain_curve.h"

#include <algorithm>
#include <cmath>

namespace mellow {
namespace {

class Spline {
  public:
    explicit Spline(const Fixed<Vec3>& c) : c_(c) {
        // The length up to each eighth of a segment, by five-point Gauss-Legendre.
        for (std::size_t k = 0; k < eighths(); ++k) {
            const double from = static_cast<double>(k) / 8;
            upto_[k + 1] = upto_[k] + length_between(from, from + 0.125);
        }
    }

    double last() const { return static_cast<double>(c_.size() - 1); }
    double whole() const { return upto_[eighths()]; }

    Vec3 at(double u) const {
        if (u > last()) return c_.back() + (u - last()) * end_slope();
        const auto [i, t] = segment(u);
        return 0.5 * (2.0 * p(i) + t * (p(i + 1) - p(i - 1)) +
                      t * t * (2.0 * p(i - 1) - 5.0 * p(i) + 4.0 * p(i + 1) - p(i + 2)) +
                      t * t * t * (3.0 * p(i) - p(i - 1) - 3.0 * p(i + 1) + p(i + 2)));
    }

    /// Where the curve is `far` along: Newton's steps within an eighth, held inside it.
    double at_length(double far) const {
        const auto* after = std::upper_bound(upto_.data(), upto_.data() + eighths(), far);
        const auto k =
            static_cast<std::size_t>(std::max<std::ptrdiff_t>(after - upto_.data() - 1, 0));
        const double from = static_cast<double>(k) / 8;
        double u = from;
        for (int i = 0; i < 8; ++i) {
            const double missing = far - upto_[k] - length_between(from, u);
            u = std::clamp(u + missing / std::max(length(slope(u)), 1e-12), from, from + 0.125);
        }
        return u;
    }

    /// The first place beyond `u` that is `far` away from `from` in a straight line.
    double at_distance(double u, Vec3 from, double far) const {
        const double step = 1.0 / 32;
        double low = u, high = u + step;
        while (length(at(high) - from) < far && high < last() + 1e6) {
            low = high;
            high +=
                high > last() ? std::max(step, far / std::max(length(end_slope()), 1e-12)) : step;
        }
        for (int i = 0; i < 60; ++i) {
            const double middle = (low + high) / 2;
            (length(at(middle) - from) < far ? low : high) = middle;
        }
        return (low + high) / 2;
    }

  private:
    struct Place {
        int i;
        double t;
    };
    Place segment(double u) const {
        const double s = std::clamp(std::floor(u), 0.0, last() - 1);
        return {static_cast<int>(s), u - s};
    }
    /// Controls, with one mirrored beyond each end.
    Vec3 p(int i) const {
        const int n = static_cast<int>(c_.size());
        const auto c = [&](int k) { return c_[static_cast<std::size_t>(k)]; };
        return i < 0 ? 2.0 * c(0) - c(1) : i >= n ? 2.0 * c(n - 1) - c(n - 2) : c(i);
    }
    Vec3 slope(double u) const {
        const auto [i, t] = segment(u);
        return 0.5 * (p(i + 1) - p(i - 1) +
                      2 * t * (2.0 * p(i - 1) - 5.0 * p(i) + 4.0 * p(i + 1) - p(i + 2)) +
                      3 * t * t * (3.0 * p(i) - p(i - 1) - 3.0 * p(i + 1) + p(i + 2)));
    }
    Vec3 end_slope() const { return slope(last()); }
    double length_between(double a, double b) const {
        static constexpr double kNode[] = {0, 0.5384693101056831, 0.9061798459386640};
        static constexpr double kWeight[] = {0.5688888888888889, 0.4786286704993665,
                                             0.2369268850561891};
        const double middle = (a + b) / 2, half = (b - a) / 2;
        double sum = kWeight[0] * length(slope(middle));
        for (int i = 1; i < 3; ++i)
            sum += kWeight[i] * (length(slope(middle - half * kNode[i])) +
                                 length(slope(middle + half * kNode[i])));
        return sum * half;
    }

    std::size_t eighths() const { return (c_.size() - 1) * 8; }

    const Fixed<Vec3>& c_;
    std::array<double, 8 * kFixedMost> upto_{};
};

}  // namespace

Fixed<Vec3> spread_along(const Fixed<Vec3>& controls, const Fixed<double>& lengths, bool stretch) {
    const Spline spline(controls);
    Fixed<Vec3> places;
    places.push_back(controls[0]);
    double whole = 0, far = 0, u = 0;
    for (const double l : lengths) whole += l;
    for (const double l : lengths) {
        if (stretch) {
            far += l;
            places.push_back(spline.at(spline.at_length(spline.whole() * far / whole)));
        } else {
            u = spline.at_distance(u, places.back(), l);
            // On the curve to rounding; exactly its length away.
            const Vec3 ahead = spline.at(u) - places.back();
            places.push_back(places.back() + (l / std::max(length(ahead), 1e-300)) * ahead);
        }
    }
    return places;
}

}  // namespace mellow
