#include "retarget/series.h"

#include <algorithm>
#include <cstddef>

#include "base/at.h"

namespace mellow {

std::vector<Span> low_spans(std::span<const double> speeds, double on, double off, int gap,
                            int least) {
    std::vector<Span> found;
    bool low = false;
    for (int k = 0; k < static_cast<int>(speeds.size()); ++k) {
        const double v = speeds[at(k)];
        if (!low && v < on) {
            if (!found.empty() && k - found.back().last <= gap + 1)
                low = true;
            else
                found.push_back({k, k}), low = true;
        }
        low = low && v <= off;
        if (low) found.back().last = k;
    }
    std::erase_if(found, [&](const Span& s) { return s.last - s.first + 1 < least; });
    return found;
}

std::vector<double> speeds_of(std::span<const Vec3> places, double step) {
    std::vector<double> out(places.size());
    const int last = static_cast<int>(places.size()) - 1;
    for (int k = 0; k <= last; ++k) {
        const int a = std::max(0, k - 1), b = std::min(last, k + 1);
        out[at(k)] = b > a ? length(places[at(b)] - places[at(a)]) / ((b - a) * step) : 0;
    }
    return out;
}

namespace {
double quintic(double u) { return u * u * u * (10 + u * (-15 + 6 * u)); }
}  // namespace

void ease_between(std::span<const Span> spans, int far, std::vector<Vec3>& values) {
    const int count = static_cast<int>(values.size()), half = std::max(1, far / 2);
    if (spans.empty()) {
        std::fill(values.begin(), values.end(), Vec3{});
        return;
    }
    const auto fade = [&](int from, int way, int until) {
        const Vec3 whole = values[at(from)];
        for (int k = from + way; k != until + way; k += way) {
            const double u = std::min(1.0, static_cast<double>(std::abs(k - from)) / half);
            values[at(k)] = whole * (1 - quintic(u));
        }
    };
    if (spans.front().first > 0) fade(spans.front().first, -1, 0);
    if (spans.back().last < count - 1) fade(spans.back().last, 1, count - 1);
    for (std::size_t s = 0; s + 1 < spans.size(); ++s) {
        const int a = spans[s].last, b = spans[s + 1].first;
        const Vec3 from = values[at(a)], to = values[at(b)];
        for (int k = a + 1; k < b; ++k) {
            if (b - a <= far) {
                const double u = static_cast<double>(k - a) / (b - a);
                values[at(k)] = from + (to - from) * quintic(u);
            } else {
                const double u = std::min(1.0, static_cast<double>(k - a) / half),
                             v = std::min(1.0, static_cast<double>(b - k) / half);
                values[at(k)] = from * (1 - quintic(u)) + to * (1 - quintic(v));
            }
        }
    }
}

double median(std::vector<double> values) {
    if (values.empty()) return 0;
    const auto half = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
    std::nth_element(values.begin(), half, values.end());
    return *half;
}

void smooth(std::vector<double>& values, int reach) {
    const int count = static_cast<int>(values.size());
    for (int round = 0; round < 2; ++round) {
        std::vector<double> sums(values.size() + 1, 0);
        for (int k = 0; k < count; ++k) sums[at(k + 1)] = sums[at(k)] + values[at(k)];
        std::vector<double> out(values.size());
        for (int k = 0; k < count; ++k) {
            const int a = std::max(0, k - reach), b = std::min(count - 1, k + reach);
            // What lies beyond the ends is as the ends.
            const double before = std::max(0, reach - k) * values.front(),
                         behind = std::max(0, k + reach - count + 1) * values.back();
            out[at(k)] = (sums[at(b + 1)] - sums[at(a)] + before + behind) / (2 * reach + 1);
        }
        values = std::move(out);
    }
}

std::vector<double> running_most(std::span<const double> values, int reach) {
    std::vector<double> out(values.size());
    const int count = static_cast<int>(values.size());
    for (int k = 0; k < count; ++k)
        out[at(k)] = *std::max_element(values.begin() + std::max(0, k - reach),
                                       values.begin() + std::min(count, k + reach + 1));
    return out;
}

}  // namespace mellow
